package rulefile_test

import (
	"io/fs"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/coding"
	"deftledger/core/order"
	"deftledger/data"
	"deftledger/exchange/rulefile"
	"deftledger/exchange/shipped"
)

// Every rule that ships reads without a fault, and gives what its examples say, which were worked
// by hand from its source.
func TestTheRulesThatShip(t *testing.T) {
	folder, err := fs.Sub(data.Rules, "rules")
	require.NoError(t, err)
	book, files, faults := rulefile.ReadAll(folder, nil)
	for _, f := range faults {
		t.Error(f)
	}
	medicines, err := shipped.Medicines(data.Medicines)
	require.NoError(t, err)
	knows := func(name string) ([]string, []string) { return medicines.Classes(name), medicines.Ingredients(name) }
	examples := 0
	for _, f := range files {
		for i, e := range f.Rule.Examples {
			examples++
			assert.Empty(t, book.Try(f.Rule.ID, e, knows), "%s, example %d: %s", f.Name, i+1, e.Says)
		}
	}
	t.Log(len(files), "rules,", examples, "examples")
}

// removed are codes of former editions that charts still hold.
var removed = map[string]string{"Z86.010": "parted into Z86.0100 and others in 2023", "E66.8": "parted into E66.81 and E66.89 in 2024"}

// What rules and sets name is in the lists that ship: tests, items, diagnoses, quantities,
// classes and ingredients of medicines.
func TestWhatRulesNameIsThere(t *testing.T) {
	ref, err := shipped.Read()
	require.NoError(t, err)
	edition, err := shipped.Edition()
	require.NoError(t, err)
	library := coding.NewLibrary(edition)
	text, err := data.Rules.ReadFile("rules/sets.yaml")
	require.NoError(t, err)
	sets, faults := rulefile.ReadSets("sets.yaml", text)
	require.Empty(t, faults)
	tests := map[string]bool{}
	for _, x := range ref.Laboratories[0].Tests {
		tests[x.Code] = true
	}
	for _, r := range ref.Rules.Rules() {
		for _, x := range r.Resolve {
			if x.Test != "" {
				assert.True(t, tests[x.Test], "%s: the test %s", r.ID, x.Test)
			}
			if x.Item != "" {
				_, ok := ref.Orderables.Item(x.Item)
				assert.True(t, ok, "%s: the item %s", r.ID, x.Item)
			}
			if x.Diagnosis != "" {
				_, _, _, err := library.Check(x.Diagnosis, r.Reviewed)
				assert.NoError(t, err, "%s: the diagnosis %s", r.ID, x.Diagnosis)
			}
		}
	}
	for _, c := range sets.Conditions {
		for _, code := range append(slices.Clone(c.Codes), c.But...) {
			if _, ok := edition.Lookup(code); !ok {
				_, former := removed[code]
				assert.True(t, former, "%s: there is no diagnosis %s", c.Name, code)
			}
		}
	}
	for _, q := range sets.Quantities {
		for _, l := range q.LOINC {
			assert.True(t, order.SoundLOINC(l), "%s: %s is no LOINC code", q.Name, l)
		}
	}
	for _, s := range sets.Services {
		for _, l := range s.LOINC {
			assert.True(t, order.SoundLOINC(l), "%s: %s is no LOINC code", s.Name, l)
		}
		for _, i := range s.Items {
			_, ok := ref.Orderables.Item(i)
			assert.True(t, ok, "%s: the item %s", s.Name, i)
		}
	}
	classes := map[string]bool{}
	for _, name := range ref.Medicines.Names() {
		for _, class := range ref.Medicines.Classes(name) {
			classes[class] = true
		}
	}
	for _, m := range sets.Medicines {
		for _, i := range m.Ingredients {
			assert.Contains(t, ref.Medicines.Ingredients(i), i, m.Name)
		}
		for _, class := range m.Classes {
			assert.True(t, classes[class], "%s: the class %s", m.Name, class)
		}
	}
}
