package result_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/result"
)

// A snippet takes values that are certain, with where they stand; what is not there, withdrawn or there twice stays open.
func TestASnippetIsFilledWithValues(t *testing.T) {
	values := []result.Value{
		{Name: "Potassium", LOINC: "2823-3", Text: "5.6", Unit: "mmol/L", Range: "3.5-5.1", Status: "F"}, {Name: "Sodium", Text: "140", Unit: "mmol/L", Range: "136-145", Status: "F"},
		{Name: "Ferritin", Text: "12", Unit: "ug/L", Status: "F"}, {Name: "Glucose", Text: "99", Status: "X"}, {Name: "Albumin", Text: "40", Status: "F"}, {Name: "Albumin", Text: "41", Status: "F"},
		{Name: "Smear", Text: "blasts seen", Flag: "A", Status: "F"},
	}
	for text, want := range map[string]string{
		"K {value Potassium}.":          "K 5.6 mmol/L, above the range.",
		"K {value 2823-3}.":             "K 5.6 mmol/L, above the range.",
		"{value potassium}":             "5.6 mmol/L, above the range",
		"Na {value Sodium}":             "Na 140 mmol/L",
		"Ferritin {value Ferritin}":     "Ferritin 12 mcg/L",
		"Glucose {value Glucose}":       "Glucose {Glucose}",
		"{value Albumin}":               "{Albumin}",
		"{value Urate}":                 "{Urate}",
		"{out of range}":                "Potassium 5.6 mmol/L, above the range; Smear blasts seen, marked by the laboratory",
		"again in {weeks|four} weeks":   "again in {weeks|four} weeks",
		"{value Potassium|one|another}": "{value Potassium|one|another}",
	} {
		require.Equal(t, want, result.Fill(text, values), text)
	}
	require.Equal(t, "{out of range}", result.Fill("{out of range}", values[1:3]), "what nobody judged is not called in range")
	require.Equal(t, "{all values}", result.Fill("{all values}", nil))
}

// A line for the note counts only what was judged in range, and names the rest.
func TestAReportIsALineOfANote(t *testing.T) {
	k := result.Value{Name: "Potassium", Text: "5.6", Unit: "mmol/L", Range: "3.5-5.1", Status: "F"}
	na := result.Value{Name: "Sodium", Text: "140", Unit: "mmol/L", Range: "136-145", Status: "F"}
	cl := result.Value{Name: "Chloride", Text: "101", Unit: "mmol/L", Range: "98-107", Status: "F"}
	fe := result.Value{Name: "Ferritin", Text: "12", Unit: "ug/L", Status: "F"}
	gone := result.Value{Name: "Glucose", Text: "", Status: "X"}
	for want, values := range map[string][]result.Value{
		"Panel of 24 Nov 2026 (Brinehouse): Potassium 5.6 mmol/L, above the range 3.5-5.1; the other 2 in range.":    {k, na, cl},
		"Panel of 24 Nov 2026 (Brinehouse): all 2 in range.":                                                         {na, cl},
		"Panel of 24 Nov 2026 (Brinehouse): 140 mmol/L, in range.":                                                   {na},
		"Panel of 24 Nov 2026 (Brinehouse): Ferritin 12 mcg/L, not judged; the other 1 in range; 1 without a value.": {fe, na, gone},
		"Panel of 24 Nov 2026 (Brinehouse): see the report.":                                                         {gone},
		"Panel of 24 Nov 2026 (Brinehouse): Smear blasts seen, marked by the laboratory.":                            {{Name: "Smear", Text: "blasts seen", Flag: "A", Status: "F"}},
	} {
		require.Equal(t, want, result.Line("Panel", "24 Nov 2026", "Brinehouse", values))
	}
	require.Equal(t, "Panel: see the report.", result.Line("Panel", "", "", nil))
}
