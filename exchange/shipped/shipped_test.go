package shipped

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestWhatShipsReads(t *testing.T) {
	r, err := Read()
	require.NoError(t, err)
	require.NotEmpty(t, r.Services)
	require.NotEmpty(t, r.Measures)
	require.NotEmpty(t, r.Systems.Review)
	for _, test := range r.Laboratory.Tests {
		if test.Code == "BMP" {
			require.Len(t, test.Analytes, 9, "a panel has all of its analytes")
			require.Equal(t, "2823-3", test.Analytes[2].LOINC)
		}
	}
}

func TestAFaultyTestListIsRefused(t *testing.T) {
	const k = "analytes: [{code: K, name: Potassium, loinc: 2823-3, unit: mmol/L, low: \"3.5\", high: \"5.1\"}]\n"
	for _, c := range []struct{ name, text, says string }{
		{"an analyte that is not defined", k + "tests: [{code: K, name: Potassium, analytes: [K, NA]}]", `the test K reports "NA"`},
		{"one that no test reports", k + "tests: [{code: X, name: X, analytes: []}]", "no test reports the analyte K"},
		{"one defined twice", "analytes: [{code: K}, {code: K}]\ntests: [{code: K, analytes: [K]}]", `"K" is defined twice`},
		{"a word that nobody knows", k + "tests: [{code: K, analites: [K]}]", "analites"},
	} {
		_, err := Laboratory("list", []byte(c.text))
		require.ErrorContains(t, err, c.says, c.name)
	}
}
