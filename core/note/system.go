package note

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
)

// Systems are the body systems with what is asked and looked for in each. They
// are read from a data file; NewSystems checks them.
type Systems struct {
	Version     int      `yaml:"version" json:"version"`
	Source      string   `yaml:"source" json:"source"`
	Review      []System `yaml:"review" json:"review"`
	Examination []System `yaml:"examination" json:"examination"`
	by          map[string]*Item
}

// System is one body system: of the review it has symptoms, of the examination aspects.
type System struct {
	ID       string   `yaml:"id" json:"id"`
	Name     string   `yaml:"name" json:"name"`
	Also     []string `yaml:"also" json:"also"`
	Parts    []string `yaml:"parts" json:"-"` // words that lead to it and do not name all of it
	Symptoms []Item   `yaml:"symptoms" json:"symptoms"`
	Aspects  []Aspect `yaml:"aspects" json:"aspects"`
	called   []calledBy
}

// Aspect is one thing looked at, with the words it reads when it is normal. Also are
// other words for that in a typed line, Names what it is called ("gait", in "gait
// normal"). Alone means that only its own words call it normal, never "abdomen normal".
type Aspect struct {
	ID       string   `yaml:"id" json:"id"`
	Normal   string   `yaml:"normal" json:"normal"`
	Also     []string `yaml:"also" json:"-"`
	Names    []string `yaml:"names" json:"-"`
	Alone    bool     `yaml:"alone" json:"alone"`
	Findings []Item   `yaml:"findings" json:"findings"`
}

// Item is a symptom or an abnormal finding. Sided says where the side is written:
// "before" ("left ear pain"), "after" ("wheeze on the left") or not at all. Sex
// limits it to one administrative sex. Alone means that "all the rest" does not answer it.
// Test are names that say nothing without a sign ("straight leg raise"), Denied those
// that say it is not there ("afebrile"), Within those that speak of it where its system
// was named ("ears: pain"), Near those that speak of it beside others of its system only
// ("orthopnea, PND"; "stuffy nose, PND" is another thing).
type Item struct {
	ID    string   `yaml:"id" json:"id"`
	Say   string   `yaml:"say" json:"say"`
	Also  []string `yaml:"also" json:"also"`
	Sided string   `yaml:"sided" json:"sided"`
	Sex   string   `yaml:"sex" json:"sex"`
	Alone bool     `yaml:"alone" json:"alone"`
	Pre   []string `yaml:"pre" json:"pre"`
	Post  []string `yaml:"post" json:"post"`

	Test   []string `yaml:"test" json:"-"`
	Denied []string `yaml:"denied" json:"-"`
	Within []string `yaml:"within" json:"-"`
	Near   []string `yaml:"near" json:"-"`

	called []called
}

// called is a name as the typed line is held against it.
type called struct {
	kind  int
	parts []string
}

const (
	wholeName = iota
	shortName // where its system was named
	testName
	deniedName
	nearName // where something of its system was spoken of last
)

func (i *Item) prepare() {
	i.called = nil
	for kind, names := range [][]string{append([]string{i.Say}, i.Also...), i.Within, i.Test, i.Denied, i.Near} {
		for _, n := range names {
			i.called = append(i.called, called{kind, strings.Fields(unhyphened(strings.ToLower(n)))})
		}
	}
}

var hyphen = regexp.MustCompile(`(\pL)-(\pL)`)

// unhyphened parts words written with a hyphen: "well-appearing" and "well appearing" are one.
func unhyphened(s string) string {
	for hyphen.MatchString(s) {
		s = hyphen.ReplaceAllString(s, "$1 $2")
	}
	return s
}

// calledBy is a name of a system, and whether it names all of it.
type calledBy struct {
	whole bool
	parts []string
}

func (x *System) prepare() {
	x.called = nil
	names := append([]string{x.ID, x.Name}, x.Also...)
	for n, name := range append(names, x.Parts...) {
		x.called = append(x.called, calledBy{n < len(names), strings.Fields(strings.ToLower(strings.ReplaceAll(name, ",", " ")))})
	}
}

// Area is the review of systems or the examination.
type Area string

// The areas.
const (
	Review      Area = "review"
	Examination Area = "examination"
)

// Of returns the systems of an area.
func (s *Systems) Of(a Area) []System {
	if a == Review {
		return s.Review
	}
	return s.Examination
}

// Items lists the symptoms or the abnormal findings of a system.
func (s System) Items() []Item {
	out := s.Symptoms
	for _, a := range s.Aspects {
		out = append(out[:len(out):len(out)], a.Findings...)
	}
	return out
}

// System finds a system of an area.
func (s *Systems) System(a Area, id string) (System, bool) {
	for _, x := range s.Of(a) {
		if x.ID == id {
			return x, true
		}
	}
	return System{}, false
}

// Item finds a symptom or finding.
func (s *Systems) Item(a Area, system, id string) (Item, bool) {
	i := s.by[string(a)+"."+system+"."+id]
	if i == nil {
		return Item{}, false
	}
	return *i, true
}

// A Fault is what is wrong in a form, at the words where it is.
type Fault struct {
	At      string // an identifier that stands in the file near the fault
	Message string
}

func (f *Fault) Error() string { return f.Message }

func fault(at, format string, args ...any) error { return &Fault{at, fmt.Sprintf(format, args...)} }

// Prepare checks the systems and makes them ready for use.
func (s *Systems) Prepare() error {
	s.by = map[string]*Item{}
	for _, area := range []Area{Review, Examination} {
		systems := s.Of(area)
		if len(systems) == 0 {
			return fault(string(area), "there is no system under %s", area)
		}
		seen := map[string]bool{}
		for i := range systems {
			x := &systems[i]
			switch {
			case x.ID == "" || x.Name == "":
				return fault(x.ID+x.Name, "a system under %s has no id or no name", area)
			case seen[x.ID]:
				return fault(x.ID, "the system %q stands twice under %s", x.ID, area)
			case area == Review && len(x.Aspects) > 0, area == Examination && len(x.Symptoms) > 0:
				return fault(x.ID, "the system %q: the review has symptoms, the examination has aspects", x.ID)
			case len(x.Items()) == 0:
				return fault(x.ID, "the system %q holds nothing to ask or find", x.ID)
			}
			seen[x.ID] = true
			x.prepare()
			x.Also, x.Symptoms, x.Aspects = list(x.Also), list(x.Symptoms), list(x.Aspects)
			for j := range x.Aspects {
				a := &x.Aspects[j]
				a.Findings = list(a.Findings)
				if a.ID == "" || a.Normal == "" {
					return fault(x.ID, "an aspect of %q has no id or no normal wording", x.ID)
				}
				for k := range a.Findings {
					if err := s.add(area, x.ID, &a.Findings[k]); err != nil {
						return err
					}
				}
			}
			for j := range x.Symptoms {
				if err := s.add(area, x.ID, &x.Symptoms[j]); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

func (s *Systems) add(area Area, system string, i *Item) error {
	key := string(area) + "." + system + "." + i.ID
	x, _ := s.System(area, system)
	switch {
	case slices.ContainsFunc(x.Aspects, func(a Aspect) bool { return a.ID == i.ID }):
		return fault(i.ID, "%q is an aspect of %q and a finding in it: one of them needs another id", i.ID, system)
	case i.ID == "" || i.Say == "":
		return fault(system, "something in %q has no id or no wording (say)", system)
	case s.by[key] != nil:
		return fault(i.ID, "%q stands twice in %q", i.ID, system)
	case !slices.Contains([]string{"", "before", "after"}, i.Sided):
		return fault(i.ID, "%q: sided is before, after or left out, not %q", i.ID, i.Sided)
	case !slices.Contains([]string{"", "F", "M"}, i.Sex):
		return fault(i.ID, "%q: sex is F, M or left out, not %q", i.ID, i.Sex)
	case strings.ContainsAny(i.ID, ". "):
		return fault(i.ID, "%q: an id holds no stop and no space", i.ID)
	}
	i.prepare()
	i.Also, i.Pre, i.Post = list(i.Also), list(i.Pre), list(i.Post)
	s.by[key] = i
	return nil
}

// list is never nil, so that it is written as an empty list.
func list[T any](l []T) []T {
	if l == nil {
		return []T{}
	}
	return l
}
