package safety

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"deftledger/core/chart"
)

// The states in which a rule of pregnancy holds.
const (
	Pregnant      = "pregnant"
	BreastFeeding = "breast-feeding"
	couldBe       = "could be"
)

// pregnancyState is what the chart says of pregnancy and breast-feeding. Week is 0 for not known.
type pregnancyState struct {
	pregnant, feeding, could bool
	week                     int
	says                     string
}

// Pregnancy is what a chart says of being pregnant: that she is, by Says; or that she may be
// and nobody said. Where the sex is neither F nor M, it may be.
type Pregnancy struct {
	Pregnant, Could bool
	Says            string
}

// PregnancyOf reads it from the problem list and the diagnoses of the visit.
func PregnancyOf(r chart.Record) Pregnancy {
	p := pregnancyOf(r, slices.Concat(r.ProblemCodes(), r.Addressed))
	if r.Patient.Sex != "F" && r.Patient.Sex != "M" && !p.pregnant {
		r.Patient.Sex = "F"
		p.could = pregnancyOf(r, slices.Concat(r.ProblemCodes(), r.Addressed)).could
	}
	return Pregnancy{p.pregnant, p.could, p.says}
}

// pregnancyOf reads it from diagnoses: Z33.1, Z34, O09 and what begins with O00 to O9A but for what comes after a
// birth; Z3A gives the week; Z39.1 is breast-feeding.
func pregnancyOf(r chart.Record, codes []string) (p pregnancyState) {
	if r.Patient.Sex == "M" {
		return p
	}
	for _, c := range codes {
		switch {
		case strings.HasPrefix(c, "Z39.1"), strings.HasPrefix(c, "O92"):
			p.feeding = true
		case strings.HasPrefix(c, "Z3A."):
			if week, err := strconv.Atoi(strings.TrimPrefix(c, "Z3A.")); err == nil && week >= 8 && week <= 42 {
				p.week = max(p.week, week)
			}
			p.pregnant = true
		case strings.HasPrefix(c, "Z33.1"), strings.HasPrefix(c, "Z34"), strings.HasPrefix(c, "O09"):
			p.pregnant, p.says = true, c
		case strings.HasPrefix(c, "O") && c >= "O10" && c < "O80":
			p.pregnant, p.says = true, c
		}
	}
	m := r.Months()
	p.could = !p.pregnant && r.Patient.Sex == "F" && m >= 144 && m <= 606
	if slices.ContainsFunc(codes, func(c string) bool {
		return strings.HasPrefix(c, "Z90.71") || strings.HasPrefix(c, "Z98.51") || strings.HasPrefix(c, "N95") || strings.HasPrefix(c, "Z78.0")
	}) {
		p.could = false // without a womb, sterilized, after the change of life
	}
	return p
}

// pregnancy says what pregnancy and breast-feeding speak against a medicine: of each
// ingredient the narrowest and gravest rule.
func (s *sight) pregnancy(reading Reading) (out []Warning) {
	for _, state := range []string{Pregnant, BreastFeeding, couldBe} {
		if state == Pregnant && !s.state.pregnant || state == BreastFeeding && !s.state.feeding || state == couldBe && !s.state.could {
			continue
		}
		for _, p := range reading.parts {
			var best *PregnancyRule
			own := false
			rulesOf(Reading{parts: []part{p}, local: reading.local}, s.c.pregnancy, func(p part, r *PregnancyRule) {
				if r.State != state || r.Week > 0 && s.state.week > 0 && s.state.week < r.Week ||
					len(r.With) > 0 && !slices.ContainsFunc(s.codes, func(c string) bool {
						return slices.ContainsFunc(r.With, func(w string) bool { return strings.HasPrefix(c, w) })
					}) {
					return
				}
				if itself := r.For == p.is.Name; best == nil || itself && !own || itself == own && rank[r.Grade] > rank[best.Grade] {
					best, own = r, itself
				}
			})
			if best == nil || best.Grade == None {
				continue
			}
			kind, fact := InPregnancy, "In pregnancy"
			switch {
			case state == BreastFeeding:
				kind, fact = InFeeding, "While breast-feeding"
			case state == couldBe:
				fact = "A pregnancy is not known, and possible by age and sex"
			case s.state.week > 0:
				fact += fmt.Sprintf(" (week %d)", s.state.week)
			default:
				fact += " (week not recorded)"
			}
			out = append(out, Warning{Kind: kind, Grade: best.Grade, Says: fact, Why: p.is.Name + ": " + best.Says, Source: best.From})
		}
	}
	return out
}
