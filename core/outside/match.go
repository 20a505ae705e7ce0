// Package outside decides whom something from outside belongs to.
package outside

import (
	"regexp"
	"slices"
	"strings"

	"deftledger/core/chart"
)

// Identity is the patient as a sender names them. BirthDate is as precise as it came
// (2006, 2006-01, 2006-01-02); what came and is no date is BirthSaid.
type Identity struct {
	Family, Given, BirthDate, BirthSaid, Sex, Phone string
	Street, City, Zip                               string
	Records                                         []RecordNumber
}

// RecordNumber is a number under which somebody keeps a patient: who, and what kind of
// number (HL7 table 0203).
type RecordNumber struct {
	Number, Assigner, Kind string
}

// Differences compares an identity with a patient and names, in words, every one of family
// name, given name, birth date, sex and record number that does not agree. A result is filed
// by itself only when there is none. What the sender left out does not agree, but a record
// number: ours, which is the one given by the house named, has to agree where it came.
func Differences(p chart.Patient, id Identity, house string) []string {
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
	if ours := OurRecords(id, p.Record, house); len(ours) > 0 && !slices.ContainsFunc(ours, func(n string) bool { return strings.EqualFold(n, p.Record) }) {
		out = append(out, "record number")
	}
	return out
}

// NotOf names what speaks against an identity being a patient's, where less may have come
// than with a result: with our record number, what was left out does not differ; without it,
// everything has to agree.
func NotOf(p chart.Patient, id Identity, house string) []string {
	out := Differences(p, id, house)
	if !slices.ContainsFunc(id.Records, func(n RecordNumber) bool { return strings.EqualFold(n.Number, p.Record) }) {
		return out
	}
	missing := map[string]bool{"family name": id.Family == "", "given name": id.Given == "", "birth date": id.BirthDate == "", "sex": id.Sex == ""}
	return slices.DeleteFunc(out, func(what string) bool { return missing[what] })
}

// OurRecords are the numbers of an identity that are record numbers of ours: the house that
// gave them is named, or nobody is and they have the form of a number of ours.
func OurRecords(id Identity, like, house string) (out []string) {
	for _, n := range id.Records {
		if strings.EqualFold(n.Assigner, house) && house != "" || n.Assigner == "" && form(n.Number) == form(like) && like != "" {
			out = append(out, n.Number)
		}
	}
	return out
}

// form is a number with every digit as 0 and leading ones as one: SK-20418 is like SK-7.
func form(number string) string {
	return digitRuns.ReplaceAllString(strings.ToUpper(strings.TrimSpace(number)), "0")
}

var digitRuns = regexp.MustCompile(`\d+`)

func digits(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= '0' && r <= '9' {
			return r
		}
		return -1
	}, s)
}
