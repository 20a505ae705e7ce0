package shipped_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/result"
	"deftledger/data"
	"deftledger/exchange/shipped"
)

// Every class and ingredient that bears on an analyte is one that the medicines know: a name that nothing has would look at nothing.
func TestWhatBearsOnAnalytesIsKnown(t *testing.T) {
	r, err := shipped.Read()
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(r.Bearing), 60)
	text, err := data.Medicines.ReadFile("medicines/ingredients.tsv")
	require.NoError(t, err)
	classes := map[string]bool{}
	for line := range strings.Lines(string(text)) {
		if f := strings.Split(line, "\t"); !strings.HasPrefix(line, "#") && len(f) > 1 {
			for g := range strings.SplitSeq(f[1], ";") {
				classes[strings.TrimSpace(g)] = true
			}
		}
	}
	for _, b := range r.Bearing {
		for _, c := range b.Classes {
			assert.True(t, classes[c], "class %q", c)
		}
		for _, i := range b.Ingredients {
			assert.True(t, slices.Contains(r.Medicines.Ingredients(i), i), "ingredient %q", i)
		}
	}
}

// The laboratories state their imprecision in analytes that are known, and nothing else.
func TestImprecisionIsOfAnalytes(t *testing.T) {
	r, err := shipped.Read()
	require.NoError(t, err)
	for _, name := range data.Laboratories {
		text, err := data.TestLists.ReadFile(name + "/imprecision.tsv")
		require.NoError(t, err)
		for line := range strings.Lines(string(text)) {
			code, _, _ := strings.Cut(line, "\t")
			if strings.HasPrefix(line, "#") {
				continue
			}
			p := result.Point{LOINC: code, Text: "10", Unit: "g/L", Laboratory: name}
			assert.NotEqual(t, result.NoFigure, r.Analytes.Change(p, p).Verdict, "%s, %s: a figure of the laboratory's without one of the analyte", name, code)
		}
	}
}
