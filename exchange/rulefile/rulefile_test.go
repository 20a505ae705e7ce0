package rulefile_test

import (
	"io/fs"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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
