package result_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
	"deftledger/core/result"
	"deftledger/data"
)

func bearings(t *testing.T) (*result.Analytes, []result.Bearing) {
	a := analytes(t)
	all, err := a.ReadBearing(data.Bearing)
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(all), 60)
	return a, all
}

// What stands beside a value is what of this chart is known to act on it, and nothing else.
func TestWhatBearsOnAValue(t *testing.T) {
	a, all := bearings(t)
	record := chart.Record{Medicines: []chart.Medicine{
		{Name: "Spironolactone 25 mg", Started: "2026-08", Ingredients: []string{"spironolactone"}, Classes: []string{"raises potassium"}},
		{Name: "Chlorthalidone 25 mg", Classes: []string{"thiazide diuretic"}, Ingredients: []string{"chlorthalidone"}, Told: chart.Told{Says: "not taking"}},
		{Name: "Grandmother's tea"},
	}, Problems: []chart.Problem{{Code: "N18.31", Title: "Chronic kidney disease, stage 3a", Since: "2024-05-01"}, {Code: "N18.2", Title: "stage 2"}}}
	potassium := result.Value{LOINC: "2823-3", Text: "5.6", Unit: "mmol/L", Range: "3.5-5.1"}
	got, unread := a.Beside(all, []result.Value{potassium}, record)
	var says []string
	for _, x := range got {
		require.True(t, x.Out)
		require.NotEmpty(t, x.Source)
		says = append(says, x.What+" "+x.Does+" "+x.Analytes[0]+"; "+x.Since+"; "+x.Told)
	}
	require.Equal(t, []string{"Spironolactone 25 mg raises Potassium; 2026-08; ", "Chronic kidney disease, stage 3a (N18.31) raises Potassium; 2024-05-01; ", "Chlorthalidone 25 mg lowers Potassium; ; not taking"}, says)
	require.Equal(t, []string{"Grandmother's tea"}, unread, "of which nothing is known, and which was not looked at")

	urate := result.Value{LOINC: "14933-6", Text: "300", Unit: "umol/L", Range: "150-350"}
	got, _ = a.Beside(all, []result.Value{urate, potassium}, record)
	require.True(t, got[0].Out)
	require.False(t, got[len(got)-1].Out, "what is in range comes last")
	require.Equal(t, []string{"Urate"}, got[len(got)-1].Analytes)

	none, unread := a.Beside(all, []result.Value{{LOINC: "630-4", Text: "no growth"}, {LOINC: "2823-3", Text: "5.6", Status: "W"}}, record)
	require.Empty(t, none, "an analyte nobody knows, and a value that was withdrawn")
	require.Empty(t, unread)
	none, _ = a.Beside(all, []result.Value{potassium}, chart.Record{})
	require.Empty(t, none)
	none, _ = a.Beside(all, []result.Value{{LOINC: "17861-6", Text: "8.0", Range: "8.6-10.3"}}, chart.Record{Problems: []chart.Problem{{Code: "E88.01", Title: "Alpha-1-antitrypsin deficiency"}}})
	require.Empty(t, none, "a neighbour of the code for little albumin")
}

func TestAWrongLineOfBearingIsRefused(t *testing.T) {
	a := analytes(t)
	for wrong, says := range map[string]string{"Potasium\traises\tclass NSAID\tx\ty": "no analyte", "Potassium\tlifts\tclass NSAID\tx\ty": "what it does", "Potassium\traises\tclass NSAID\tx\t": "source", "Potassium\traises\tnsaid\tx\ty": "neither class",
		"Potassium\traises\tdrug NSAID\tx\ty": "neither class", "Potassium\traises\tclass \tx\ty": "neither class", "Potassium\traises": "columns"} {
		_, err := a.ReadBearing(wrong)
		require.ErrorContains(t, err, says, wrong)
	}
}
