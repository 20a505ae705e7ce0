package order

import (
	"fmt"
	"slices"
	"strings"
)

// Set is what usually goes together in the plan of a diagnosis. Every part can be left
// out; a set orders nothing by itself.
type Set struct {
	ID            string     `json:"id" yaml:"id"`
	Title         string     `json:"title" yaml:"title"`
	Codes         []string   `json:"codes" yaml:"codes"` // beginnings of the diagnosis codes it is for
	From          int        `json:"from" yaml:"from"`   // youngest age in completed months
	Source        string     `json:"source" yaml:"source"`
	Medicines     []Dose     `json:"medicines" yaml:"medicines"`
	Tests         []string   `json:"tests" yaml:"tests"` // codes of the laboratory's list
	Referrals     []string   `json:"referrals" yaml:"referrals"`
	Immunizations []string   `json:"immunizations" yaml:"immunizations"`
	Education     []string   `json:"education" yaml:"education"`
	Text          []string   `json:"text" yaml:"text"`
	FollowUp      *SetReturn `json:"followUp,omitempty" yaml:"followUp"`
}

// Dose is a medicine of a set with its usual dose, as text for a physician to check.
type Dose struct {
	Name string `json:"name" yaml:"name"`
	Dose string `json:"dose" yaml:"dose"`
}

// SetReturn is when the patient usually comes back.
type SetReturn struct {
	When   string `json:"when" yaml:"when"`
	Reason string `json:"reason" yaml:"reason"`
}

// PartKind says what a part of a set is.
type PartKind string

// The kinds of part.
const (
	MedicinePart     PartKind = "medicine"
	TestPart         PartKind = "test"
	ReferralPart     PartKind = "referral"
	ImmunizationPart PartKind = "immunization"
	EducationPart    PartKind = "education"
	TextPart         PartKind = "text"
	ReturnPart       PartKind = "follow-up"
)

// SetPart is one part of a set as it can be chosen. Key names it within the set.
type SetPart struct {
	Key   string   `json:"key"`
	Kind  PartKind `json:"kind"`
	Words string   `json:"words" doc:"As it reads in the plan"`
	Code  string   `json:"code" doc:"Of a test"`
	Gone  bool     `json:"gone" doc:"The laboratory no longer offers this test"`
}

// Parts lists the parts of a set. A test that the laboratory stopped is named as gone.
func (s Set) Parts(tests []Test) []SetPart {
	out := []SetPart{}
	add := func(kind PartKind, n int, words, code string, gone bool) {
		out = append(out, SetPart{fmt.Sprintf("%s %d", kind, n), kind, words, code, gone})
	}
	for i, m := range s.Medicines {
		add(MedicinePart, i, m.Name+" "+m.Dose+".", "", false)
	}
	for i, code := range s.Tests {
		k := slices.IndexFunc(tests, func(t Test) bool { return t.Code == code })
		if k < 0 {
			add(TestPart, i, "The test "+code+" is no longer offered.", code, true)
			continue
		}
		add(TestPart, i, tests[k].Name+".", code, false)
	}
	for _, group := range []struct {
		kind  PartKind
		lines []string
	}{{ReferralPart, s.Referrals}, {ImmunizationPart, s.Immunizations}, {EducationPart, s.Education}, {TextPart, s.Text}} {
		for i, l := range group.lines {
			words := strings.TrimSuffix(l, ".") + "."
			if group.kind == ReferralPart {
				words = "Referral: " + strings.ToLower(words[:1]) + words[1:]
			}
			add(group.kind, i, words, "", false)
		}
	}
	if s.FollowUp != nil {
		add(ReturnPart, 0, s.FollowUp.When, "", false)
	}
	return out
}

// ForCodes lists the sets that fit the diagnoses of a visit first, then the rest, each
// in its order.
func ForCodes(sets []Set, codes []string) (fitting, rest []Set) {
	for _, s := range sets {
		if slices.ContainsFunc(s.Codes, func(begin string) bool {
			return slices.ContainsFunc(codes, func(c string) bool { return strings.HasPrefix(c, begin) })
		}) {
			fitting = append(fitting, s)
		} else {
			rest = append(rest, s)
		}
	}
	return fitting, rest
}
