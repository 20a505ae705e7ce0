package note

import (
	"slices"
	"strings"

	"deftledger/core/order"
)

// Promised is what the words of a plan promise, held against what was done.
type Promised struct {
	Tests     []order.Test // the laboratory's list
	Ordered   []string     // codes of the tests ordered at the visit, or still under way
	Medicines []string     // names of medicines, in small letters
	Active    []string     // names on the medicine list
	House     []string     // names of tests done in the house at this visit
}

// heldBack are words that take a promise back, or put it off: what follows in the
// sentence is not to happen now.
var heldBack = []string{"no ", "not ", "without ", "stop", "stopped", "avoid", "hold ", "discontinue", "declines", "declined", "refuses", "instead of", "if ", "unless ", "consider", "later", "next visit", "already", "continue", "unchanged", "was ", "were ", "had "}

// alone are words of test names that are also said without meaning a test.
var alone = map[string]bool{"blood": true, "count": true, "iron": true, "lead": true, "kidney": true, "liver": true, "screening": true, "infection": true, "pregnancy": true, "hormone": true, "bacteria": true, "electrolyte": true, "electrolytes": true, "diabetes": true, "inflammation": true, "arthritis": true, "gout": true, "sugar": true, "calcium": true, "glucose": true, "total": true, "free": true, "panel": true, "test": true, "urine": true, "clot": true, "embolism": true, "anemia": true, "lupus": true, "gluten": true, "celiac": true, "heart": true, "drug": true, "level": true, "stool": true, "child": true, "prostate": true, "coagulation": true, "parathyroid": true}

// Unkept lists what a plan's words promise and nothing holds, and tests ordered that
// the plan does not tell of. It points out, it does not decide: none of it stops the
// signature. Orders that the plan is silent about stand under it anyway: kind "told"
// is shown where the list is read, and does not call for a reading by itself.
func Unkept(plan string, p Promised) []Point {
	var out []Point
	said := map[string]bool{}                   // tests the plan speaks of
	phrases := make([][][]string, len(p.Tests)) // the ways in which each test is named
	for i, t := range p.Tests {
		name, _, _ := strings.Cut(t.Name, " with ")
		phrases[i] = append(phrases[i], strings.Fields(strings.ToLower(name)))
		for _, w := range append(strings.Fields(strings.Join(t.Also, " ")), t.Code) {
			if w = strings.ToLower(w); len(w) > 2 && !alone[w] {
				phrases[i] = append(phrases[i], []string{w})
			}
		}
	}
	medicines := make([][]string, len(p.Medicines))
	for i, m := range p.Medicines {
		medicines[i] = strings.Fields(strings.ToLower(m))
	}
	for _, s := range Sentences(plan) {
		lower := " " + strings.ToLower(strings.Trim(s, ".!? ")) + " "
		back := slices.ContainsFunc(heldBack, func(w string) bool { return strings.Contains(lower, " "+w) })
		words := strings.FieldsFunc(lower, func(r rune) bool { return !(r >= 'a' && r <= 'z' || r >= '0' && r <= '9' || r == '-') })
		at := map[string][]int{}
		for i, w := range words {
			at[w] = append(at[w], i)
		}
		has := func(f []string) bool {
			return len(f) > 0 && slices.ContainsFunc(at[f[0]], func(i int) bool { return i+len(f) <= len(words) && slices.Equal(words[i:i+len(f)], f) })
		}
		for k, t := range p.Tests {
			if said[t.Code] || !slices.ContainsFunc(phrases[k], has) {
				continue
			}
			name := strings.Join(phrases[k][0], " ")
			said[t.Code] = true
			inHouse := slices.ContainsFunc(p.House, func(h string) bool { return strings.Contains(strings.ToLower(h), name) })
			if !back && !inHouse && !slices.Contains(p.Ordered, t.Code) && !slices.ContainsFunc(p.Tests, func(o order.Test) bool { return slices.Contains(p.Ordered, o.Code) && covers(o, t) }) {
				out = append(out, Point{Kind: "promise", Part: Plan, Says: t.Name + " is in the plan, not ordered", Why: "“" + strings.TrimSpace(s) + "”", Ref: "typed"})
			}
		}
		for k, m := range p.Medicines {
			if said["m "+m] || !has(medicines[k]) {
				continue
			}
			said["m "+m] = true
			listed := slices.ContainsFunc(p.Active, func(a string) bool { return strings.Contains(strings.ToLower(a), m) })
			if !back && !listed {
				out = append(out, Point{Kind: "promise", Part: Plan, Says: strings.ToUpper(m[:1]) + m[1:] + " is in the plan, not on the medicine list", Why: "“" + strings.TrimSpace(s) + "”", Ref: "typed"})
			}
		}
	}
	for _, t := range p.Tests {
		if slices.Contains(p.Ordered, t.Code) && !said[t.Code] && strings.TrimSpace(plan) != "" && !slices.ContainsFunc(p.Tests, func(o order.Test) bool { return said[o.Code] && covers(t, o) }) {
			out = append(out, Point{Kind: "told", Part: Plan, Says: t.Name + " is ordered, and the plan does not say so", Why: "ordered at this visit", Ref: "typed"})
		}
	}
	return out
}

// covers says whether a panel holds every value of another test.
func covers(panel, t order.Test) bool {
	return len(t.Analytes) > 0 && !slices.ContainsFunc(t.Analytes, func(a order.Analyte) bool {
		return !slices.ContainsFunc(panel.Analytes, func(b order.Analyte) bool { return a.LOINC == b.LOINC })
	})
}
