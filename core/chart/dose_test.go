package chart

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// Left the way it was typed, right as the published lists want it.
func TestADoseIsWrittenSoThatNobodyMisreadsIt(t *testing.T) {
	for typed, want := range map[string]string{
		"1.0 mg daily": "1 mg daily", ".5 mg": "0.5 mg", "0.50 mg": "0.5 mg", "10.0 mg": "10 mg", "100 mg": "100 mg", "2.05 mg": "2.05 mg",
		"50 ug QD": "50 mcg daily", "25 µg": "25 mcg", "10 U at bedtime": "10 units at bedtime", "10U": "10 units", "1000 IU": "1000 units",
		"5 mg QOD": "5 mg every other day", "5 mg q.d.": "5 mg daily", "10mg": "10 mg", "5 cc": "5 mL", "1 tablet": "1 tablet", "": "",
		"0.5 to 1.0 mg": "0.5 to 1 mg", "Units per sliding scale": "Units per sliding scale", "5 mg qhs": "5 mg at bedtime",
		"75 ug": "75 mcg", "1,000 [IU]": "1,000 units", "1,000 [IU] daily": "1,000 units daily", "10 [iU]": "10 units",
	} {
		got, err := SafeDose(typed)
		require.NoError(t, err, typed)
		require.Equal(t, want, got, typed)
		again, err := SafeDose(got)
		require.NoError(t, err)
		require.Equal(t, got, again, "written once, it stays")
	}
	_, err := SafeDose("MSO4 2 mg")
	require.ErrorContains(t, err, "write the name out")
}
