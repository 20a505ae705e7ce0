package forms

import (
	"context"
	"slices"
	"strings"
	"unicode"

	"deftledger/app/act"
)

// MedicalWords lists the words of the trade that the spell check knows beside
// plain English: those of the diagnosis catalogue, the tests, the medicines, the
// findings and the interviews that ship.
func (a *Acts) MedicalWords(_ context.Context, who act.Actor) ([]string, error) {
	if err := act.Allow(who, act.WriteNote); err != nil {
		return nil, err
	}
	l, err := a.Current()
	if err != nil {
		return nil, err
	}
	lib, _, err := a.Codes()
	if err != nil {
		return nil, err
	}
	c, _ := lib.On(a.Today())
	seen := map[string]bool{}
	take := func(text string) {
		for _, w := range strings.FieldsFunc(text, func(r rune) bool { return !unicode.IsLetter(r) }) {
			if len(w) < 3 || strings.ToUpper(w) == w {
				continue
			}
			seen[strings.ToLower(w)] = true
		}
	}
	for title := range c.Titles() {
		take(title)
	}
	for _, t := range a.Laboratory("").Tests {
		take(t.Name)
		for _, x := range t.Analytes {
			take(x.Name)
		}
	}
	for _, n := range a.Medicines.Called() {
		take(n)
	}
	for _, x := range append(slices.Clone(l.Systems.Review), l.Systems.Examination...) {
		take(x.Name)
		for _, asp := range x.Aspects {
			take(asp.Normal)
		}
		for _, i := range x.Items() {
			take(strings.Join(append([]string{i.Say}, i.Also...), " "))
		}
	}
	out := make([]string, 0, len(seen))
	for w := range seen {
		out = append(out, w)
	}
	slices.Sort(out)
	return out, nil
}
