package reminder

import (
	"fmt"
	"slices"
	"strings"
)

// Sets are the named sets that rules speak of.
type Sets struct {
	Conditions []ConditionSet `yaml:"conditions"`
	Quantities []QuantitySet  `yaml:"quantities"`
	Services   []ServiceSet   `yaml:"services"`
	Vaccines   []VaccineSet   `yaml:"vaccines"`
	Medicines  []MedicineSet  `yaml:"medicines"`
	Questions  []Question     `yaml:"questions"`
}

// ConditionSet is a set of diagnoses: beginnings of ICD-10-CM codes, other sets, and words by which a
// history names them.
type ConditionSet struct {
	Name   string   `yaml:"name"`
	Says   string   `yaml:"says"`
	Codes  []string `yaml:"codes"`
	But    []string `yaml:"but"` // beginnings that do not count
	Sets   []string `yaml:"sets"`
	Words  []string `yaml:"words"`
	Source string   `yaml:"source"`
}

// QuantitySet is a quantity by all LOINC codes under which it comes. Unit is in UCUM; Units
// are others with the factor and the addend that bring them to it. Part is 1 or 2 of a pair as "148/86".
type QuantitySet struct {
	Name  string                `yaml:"name"`
	Says  string                `yaml:"says"`
	LOINC []string              `yaml:"loinc"`
	Unit  string                `yaml:"unit"`
	Units map[string]Conversion `yaml:"units"`
	Part  int                   `yaml:"part"`
}

// Conversion brings a value to the unit of its set: value × Times + Plus.
type Conversion struct {
	Times float64 `yaml:"times"`
	Plus  float64 `yaml:"plus"`
}

// ServiceSet is something done: results of these quantities or LOINC codes, items of the list of
// imaging and procedures, vaccines by CVX, and words by which a history names it.
type ServiceSet struct {
	Name       string   `yaml:"name"`
	Says       string   `yaml:"says"`
	LOINC      []string `yaml:"loinc"`
	Quantities []string `yaml:"quantities"`
	Items      []string `yaml:"items"`
	Words      []string `yaml:"words"`
	// Maybe are words by which a history may mean it and may mean something else; Doubt those
	// with which it is not certain that it was this: "partial".
	Maybe []string `yaml:"maybe"`
	Doubt []string `yaml:"doubt"`
}

// VaccineSet is vaccines that count for one another, by CVX.
type VaccineSet struct {
	Name string   `yaml:"name"`
	Says string   `yaml:"says"`
	CVX  []string `yaml:"cvx"`
	Live bool     `yaml:"live"`
}

// MedicineSet is classes and ingredients of medicines as core/safety names them.
type MedicineSet struct {
	Name        string   `yaml:"name"`
	Says        string   `yaml:"says"`
	Classes     []string `yaml:"classes"`
	Ingredients []string `yaml:"ingredients"`
}

// Question is one that is asked where the chart does not say. Lasts is how long an answer
// holds; Choices are what may be answered, none for a number.
type Question struct {
	ID      string   `yaml:"id"`
	Says    string   `yaml:"says"`
	Choices []string `yaml:"choices"`
	Lasts   Length   `yaml:"lasts"`
}

// kind of a set.
type kind byte

const (
	conditions kind = iota
	quantities
	services
	vaccines
	medicines
)

// set is a compiled set. Its number is its place among all.
type set struct {
	kind   kind
	name   string
	says   string
	number int
	units  map[string]Conversion
	unit   string
	part   int
	doubt  []string
	loinc  string // the first of its codes
	live   bool
}

// phrase is a word or words by which a history names something of a set.
type phrase struct {
	words string // with a space at each end
	set   int
	maybe bool
}

// compiled sets: by name, and from a code to the sets it is of.
type setIndex struct {
	all       []set
	byName    map[string]int
	codes     map[string][]int // beginnings of ICD-10-CM codes
	but       map[string][]int
	loinc     map[string][]int
	cvx       map[string][]int
	items     map[string][]int // items of the list, and services by their own name
	phrases   []phrase
	questions map[string]Question
	parents   map[int][]int // quantities counting as services

	classes, ingredients map[string][]int // of medicines
}

func compileSets(s Sets) (*setIndex, []Fault) {
	x := &setIndex{byName: map[string]int{}, codes: map[string][]int{}, but: map[string][]int{}, loinc: map[string][]int{}, cvx: map[string][]int{},
		items: map[string][]int{}, questions: map[string]Question{}, parents: map[int][]int{},
		classes: map[string][]int{}, ingredients: map[string][]int{}}
	var faults []Fault
	fault := func(format string, args ...any) { faults = append(faults, Fault{Reason: fmt.Sprintf(format, args...)}) }
	add := func(k kind, name, says string) int {
		if _, twice := x.byName[name]; twice || name == "" || says == "" {
			fault("the set %q stands twice, or has no name or no words", name)
		}
		n := len(x.all)
		x.byName[name] = n
		x.all = append(x.all, set{kind: k, name: name, says: says, number: n})
		return n
	}
	words := func(n int, all []string, maybe bool) {
		for _, w := range all {
			x.phrases = append(x.phrases, phrase{" " + strings.ToLower(w) + " ", n, maybe})
		}
	}
	byName := map[string]ConditionSet{}
	for _, c := range s.Conditions {
		byName[c.Name] = c
	}
	for _, c := range s.Conditions {
		n := add(conditions, c.Name, c.Says)
		var take func(c ConditionSet, path []string)
		take = func(c ConditionSet, path []string) {
			if slices.Contains(path, c.Name) {
				fault("the set %q contains itself: %s", c.Name, strings.Join(append(path, c.Name), " > "))
				return
			}
			for _, code := range c.Codes {
				x.codes[code] = append(x.codes[code], n)
			}
			for _, code := range c.But {
				x.but[code] = append(x.but[code], n)
			}
			words(n, c.Words, false)
			for _, name := range c.Sets {
				inner, known := byName[name]
				if !known {
					fault("the set %q names %q, which there is not", c.Name, name)
					continue
				}
				take(inner, append(path, c.Name))
			}
			if len(path) == 0 && len(c.Codes)+len(c.Sets) == 0 {
				fault("the set %q holds nothing", c.Name)
			}
		}
		take(c, nil)
	}
	for _, q := range s.Quantities {
		n := add(quantities, q.Name, q.Says)
		x.all[n].unit, x.all[n].units, x.all[n].part = q.Unit, q.Units, q.Part
		if len(q.LOINC) > 0 {
			x.all[n].loinc = q.LOINC[0]
		}
		for _, l := range q.LOINC {
			x.loinc[l] = append(x.loinc[l], n)
		}
		x.items[q.Name] = append(x.items[q.Name], n) // had elsewhere
		if len(q.LOINC) == 0 {
			fault("the quantity %q has no LOINC code", q.Name)
		}
	}
	for _, v := range s.Services {
		n := add(services, v.Name, v.Says)
		x.all[n].doubt = v.Doubt
		for _, l := range v.LOINC {
			x.loinc[l] = append(x.loinc[l], n)
		}
		for _, q := range v.Quantities {
			at, known := x.byName[q]
			if !known || x.all[at].kind != quantities {
				fault("the service %q names the quantity %q, which there is not", v.Name, q)
				continue
			}
			x.parents[at] = append(x.parents[at], n)
		}
		x.items[v.Name] = append(x.items[v.Name], n)
		for _, i := range v.Items {
			if i != v.Name {
				x.items[i] = append(x.items[i], n)
			}
		}
		words(n, v.Words, false) // before those that leave it open
		words(n, v.Maybe, true)
	}
	for _, v := range s.Vaccines {
		n := add(vaccines, v.Name, v.Says)
		x.all[n].live = v.Live
		x.items[v.Name] = append(x.items[v.Name], n)
		for _, c := range v.CVX {
			x.cvx[c] = append(x.cvx[c], n)
		}
		if len(v.CVX) == 0 {
			fault("the vaccine %q has no code", v.Name)
		}
	}
	for _, m := range s.Medicines {
		n := add(medicines, m.Name, m.Says)
		for _, class := range m.Classes {
			x.classes[class] = append(x.classes[class], n)
		}
		for _, ingredient := range m.Ingredients {
			x.ingredients[ingredient] = append(x.ingredients[ingredient], n)
		}
		if len(m.Classes)+len(m.Ingredients) == 0 {
			fault("the medicines %q have no class and no ingredient", m.Name)
		}
	}
	for _, q := range s.Questions {
		if _, twice := x.questions[q.ID]; twice || q.ID == "" || q.Says == "" || !q.Lasts.Given() {
			fault("the question %q stands twice, or lacks its words or how long an answer lasts", q.ID)
		}
		x.questions[q.ID] = q
	}
	return x, faults
}

func (x *setIndex) firstLOINC(n int) string { return x.all[n].loinc }

// names are sets as people say them.
func (x *setIndex) names(sets []int) string {
	out := make([]string, len(sets))
	for i, n := range sets {
		out[i] = x.all[n].says
	}
	return strings.Join(out, " or ")
}

// named finds a set of one of the kinds.
func (x *setIndex) named(name string, kinds ...kind) (int, bool) {
	n, known := x.byName[name]
	return n, known && slices.Contains(kinds, x.all[n].kind)
}

// ofCode are the condition sets that a diagnosis code is of.
func (x *setIndex) ofCode(code string) (out []int) {
	code = strings.ToUpper(code)
	for i := 1; i <= len(code); i++ {
		for _, n := range x.codes[code[:i]] {
			if !slices.Contains(out, n) {
				out = append(out, n)
			}
		}
	}
	for i := 1; i <= len(code) && len(out) > 0; i++ {
		for _, n := range x.but[code[:i]] {
			out = slices.DeleteFunc(out, func(m int) bool { return m == n })
		}
	}
	return out
}

// ofMedicine are the sets of medicines that one is of: a combination is of those of each part.
func (x *setIndex) ofMedicine(classes, ingredients []string) (out []int) {
	for _, of := range []struct {
		names []string
		sets  map[string][]int
	}{{classes, x.classes}, {ingredients, x.ingredients}} {
		for _, name := range of.names {
			for _, n := range of.sets[name] {
				if !slices.Contains(out, n) {
					out = append(out, n)
				}
			}
		}
	}
	return out
}
