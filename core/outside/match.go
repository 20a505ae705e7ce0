// Package outside decides whom something from outside belongs to.
package outside

import (
	"sort"
	"strings"

	"deftledger/core/chart"
)

// Identity is the patient as a sender names them. BirthDate is YYYY-MM-DD.
type Identity struct {
	Family, Given, BirthDate, Sex, Phone string
}

// Differences compares an identity with a patient and names, in words, every one
// of family name, given name, birth date and sex that does not agree. A result is
// filed by itself only when there is none. What the sender left out does not agree.
func Differences(p chart.Patient, id Identity) []string {
	var out []string
	if chart.Fold(id.Family) == "" || chart.Fold(p.Name.Family) != chart.Fold(id.Family) {
		out = append(out, "family name")
	}
	if chart.Fold(id.Given) == "" || chart.Fold(p.Name.Given) != chart.Fold(id.Given) {
		out = append(out, "given name")
	}
	if id.BirthDate == "" || p.BirthDate != id.BirthDate {
		out = append(out, "birth date")
	}
	if id.Sex == "" || p.Sex != strings.ToUpper(id.Sex) {
		out = append(out, "sex")
	}
	return out
}

// Candidate is a patient who may be meant, with what speaks for it.
type Candidate struct {
	Patient chart.Patient
	Score   int
	Agree   []string
	Differ  []string
}

// Candidates ranks patients by how well they fit an identity, best first, and
// leaves out those with which nothing telling agrees.
func Candidates(all []chart.Patient, id Identity, limit int) []Candidate {
	var out []Candidate
	for _, p := range all {
		c := Candidate{Patient: p}
		weigh := func(ok bool, what string, score int) {
			if ok {
				c.Agree = append(c.Agree, what)
				c.Score += score
			} else {
				c.Differ = append(c.Differ, what)
			}
		}
		ff, fp := chart.Fold(id.Family), chart.Fold(p.Name.Family)
		gf, gp := chart.Fold(id.Given), chart.Fold(p.Name.Given)
		sameFamily := ff != "" && ff == fp
		nearFamily := !sameFamily && len(ff) > 3 && (strings.HasPrefix(fp, ff) || strings.HasPrefix(ff, fp) || strings.HasSuffix(fp, ff) ||
			strings.HasSuffix(ff, fp))
		if nearFamily {
			c.Agree = append(c.Agree, "part of the family name")
			c.Score += 2
		} else {
			weigh(sameFamily, "family name", 3)
		}
		weigh(gf != "" && gf == gp, "given name", 2)
		weigh(id.BirthDate != "" && id.BirthDate == p.BirthDate, "birth date", 3)
		weigh(id.Sex != "" && strings.EqualFold(id.Sex, p.Sex), "sex", 0)
		if digits(id.Phone) != "" {
			weigh(digits(id.Phone) == digits(p.Phone), "phone", 2)
		}
		if c.Score >= 3 {
			out = append(out, c)
		}
	}
	sort.SliceStable(out, func(i, j int) bool { return out[i].Score > out[j].Score })
	return out[:min(limit, len(out))]
}

func digits(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= '0' && r <= '9' {
			return r
		}
		return -1
	}, s)
}
