package order

import (
	"fmt"
	"regexp"
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
	Education     []string   `json:"education" yaml:"education"` // names of leaflets
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
	Code  string   `json:"code" doc:"Of a test; name of a leaflet"`
	Gone  bool     `json:"gone" doc:"The test or leaflet is no longer there"`
}

var (
	setID   = regexp.MustCompile(`^[a-z][a-z0-9-]{1,38}$`)
	codeHas = regexp.MustCompile(`^[A-Z][0-9][0-9A-Z](\.[0-9A-Z]{0,4})?$`)
	bare    = regexp.MustCompile(`(^|[^0-9])\.[0-9]`)
	tail    = regexp.MustCompile(`[0-9]\.[0-9]*0([^0-9]|$)`)
)

// DoseFault says what is dangerous in how a dose is written: a point without a zero
// before it, or a zero after the last digit behind a point, each misread tenfold (ISMP,
// list of error-prone abbreviations, 2021). Empty when nothing is.
func DoseFault(dose string) string {
	switch {
	case bare.MatchString(dose):
		return fmt.Sprintf("the dose %q has a point without a zero before it: write 0.5, not .5", dose)
	case tail.MatchString(dose):
		return fmt.Sprintf("the dose %q ends in a zero behind the point: write 5, not 5.0", dose)
	}
	return ""
}

// Check says what is wrong with a set. A test or leaflet that is not there is no fault:
// it is named where the set is used.
func (s Set) Check() error {
	switch {
	case !setID.MatchString(s.ID):
		return fmt.Errorf("the name %q is not made of small letters, digits and hyphens", s.ID)
	case strings.TrimSpace(s.Title) == "" || len(s.Title) > 100:
		return fmt.Errorf("the set %q needs a title of up to 100 characters", s.ID)
	case strings.TrimSpace(s.Source) == "":
		return fmt.Errorf("the set %q needs its source: a body and year, or whose practice it is", s.ID)
	case s.From < 0 || s.From > 1440:
		return fmt.Errorf("the set %q begins at %d months; write completed months of age", s.ID, s.From)
	}
	for _, c := range s.Codes {
		if !codeHas.MatchString(c) {
			return fmt.Errorf("%q of %q is no beginning of a diagnosis code, such as M10 or S39.012", c, s.ID)
		}
	}
	for _, m := range s.Medicines {
		if strings.TrimSpace(m.Name) == "" {
			return fmt.Errorf("a medicine of %q has no name", s.ID)
		}
		if fault := DoseFault(m.Dose); fault != "" {
			return fmt.Errorf("%s of %q: %s", m.Name, s.ID, fault)
		}
	}
	if len(s.Medicines)+len(s.Tests)+len(s.Referrals)+len(s.Immunizations)+len(s.Education)+len(s.Text) == 0 && s.FollowUp == nil {
		return fmt.Errorf("the set %q is empty", s.ID)
	}
	return nil
}

// Present is a plan as it stands, to be kept as a set.
type Present struct {
	Codes     []string            // diagnoses of the visit
	Sentences []string            // of the plan, in their order
	Tests     []string            // codes of the tests ordered
	Leaflets  map[string]string   // names of leaflets by title
	Medicine  func(string) string // the medicine that a sentence begins with, as it is written there
	FollowUp  *SetReturn
}

// Draw makes a set from a plan: each sentence becomes a part of the kind it reads as,
// none is left out but those that say what an order or the follow-up says anyway.
func Draw(id, title, source string, p Present, offered []Test) Set {
	s := Set{ID: id, Title: title, Source: source, Codes: p.Codes, Tests: slices.Clone(p.Tests), FollowUp: p.FollowUp}
	for _, sentence := range p.Sentences {
		words := strings.TrimSuffix(strings.TrimSpace(sentence), ".")
		medicine := p.Medicine(words)
		dose := strings.TrimSpace(words[len(medicine):])
		test := slices.IndexFunc(offered, func(t Test) bool { return strings.EqualFold(t.Name, words) })
		leaflet, given := strings.CutPrefix(words, LeafletGiven)
		switch {
		case words == "" || p.FollowUp != nil && (strings.HasPrefix(words, "Back in ") || strings.HasPrefix(words, "Back on ")):
		case test >= 0:
			if !slices.Contains(s.Tests, offered[test].Code) {
				s.Tests = append(s.Tests, offered[test].Code)
			}
		case given && p.Leaflets[leaflet] != "":
			s.Education = append(s.Education, p.Leaflets[leaflet])
		case strings.HasPrefix(words, referralWords):
			to := strings.TrimPrefix(words, referralWords)
			s.Referrals = append(s.Referrals, strings.ToUpper(to[:1])+to[1:])
		case medicine != "" && dose != "":
			s.Medicines = append(s.Medicines, Dose{medicine, dose})
		default:
			s.Text = append(s.Text, words+".")
		}
	}
	return s
}

// Keep leaves the parts of a set that are named by their keys.
func (s Set) Keep(keys []string) Set {
	out := Set{ID: s.ID, Title: s.Title, Codes: s.Codes, From: s.From, Source: s.Source}
	kept := func(kind PartKind, list []string) (left []string) {
		for i, x := range list {
			if slices.Contains(keys, fmt.Sprintf("%s %d", kind, i)) {
				left = append(left, x)
			}
		}
		return left
	}
	for i, m := range s.Medicines {
		if slices.Contains(keys, fmt.Sprintf("%s %d", MedicinePart, i)) {
			out.Medicines = append(out.Medicines, m)
		}
	}
	out.Tests, out.Referrals, out.Immunizations = kept(TestPart, s.Tests), kept(ReferralPart, s.Referrals),
		kept(ImmunizationPart, s.Immunizations)
	out.Education, out.Text = kept(EducationPart, s.Education), kept(TextPart, s.Text)
	if slices.Contains(keys, fmt.Sprintf("%s %d", ReturnPart, 0)) {
		out.FollowUp = s.FollowUp
	}
	return out
}

const (
	referralWords = "Referral: "
	// LeafletGiven begins the sentence of the plan that says which leaflet was given.
	LeafletGiven = "Leaflet given: "
)

// Parts lists the parts of a set. A test that the laboratory stopped is named as gone,
// and so is a leaflet that is no longer there. leaflets are titles by name.
func (s Set) Parts(tests []Test, leaflets map[string]string) []SetPart {
	out := []SetPart{}
	add := func(kind PartKind, n int, words, code string, gone bool) {
		out = append(out, SetPart{Key: fmt.Sprintf("%s %d", kind, n), Kind: kind, Words: words, Code: code, Gone: gone})
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
	for i, l := range s.Referrals {
		add(ReferralPart, i, referralWords+strings.ToLower(l[:1])+strings.TrimSuffix(l[1:], ".")+".", "", false)
	}
	for i, l := range s.Immunizations {
		add(ImmunizationPart, i, strings.TrimSuffix(l, ".")+".", "", false)
	}
	for i, id := range s.Education {
		if leaflets[id] == "" {
			add(EducationPart, i, "The leaflet "+id+" is no longer there.", id, true)
			continue
		}
		add(EducationPart, i, LeafletGiven+leaflets[id]+".", id, false)
	}
	for i, l := range s.Text {
		add(TextPart, i, strings.TrimSuffix(l, ".")+".", "", false)
	}
	if s.FollowUp != nil {
		add(ReturnPart, 0, s.FollowUp.When, "", false)
	}
	return out
}

// Fits says whether one of the codes begins like one that a set or leaflet is for.
func Fits(begins, codes []string) bool {
	return slices.ContainsFunc(begins, func(begin string) bool {
		return slices.ContainsFunc(codes, func(c string) bool { return strings.HasPrefix(c, begin) })
	})
}

// ForCodes lists what fits the diagnoses of a visit first, then the rest, each in its
// order. of says which beginnings of codes an entry is for.
func ForCodes[T any](all []T, of func(T) []string, codes []string) (fitting, rest []T) {
	for _, s := range all {
		if Fits(of(s), codes) {
			fitting = append(fitting, s)
		} else {
			rest = append(rest, s)
		}
	}
	return fitting, rest
}
