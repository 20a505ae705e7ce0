package note

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/order"
)

func TestWhatThePlanPromisesAndNothingHolds(t *testing.T) {
	k := order.Analyte{Code: "K", LOINC: "2823-3"}
	tests := []order.Test{
		{Code: "URIC", Name: "Urate", Also: []string{"uric gout"}, Analytes: []order.Analyte{{LOINC: "3084-1"}}},
		{Code: "BMP", Name: "Basic metabolic panel", Also: []string{"chem7 kidney"}, Analytes: []order.Analyte{k, {LOINC: "2951-2"}}},
		{Code: "K", Name: "Potassium", Analytes: []order.Analyte{k}},
		{Code: "A1C", Name: "Hemoglobin A1c", Also: []string{"hba1c diabetes"}},
		{Code: "CREA", Name: "Creatinine with eGFR", Also: []string{"kidney renal"}},
	}
	says := func(plan string, p Promised) string {
		p.Tests = tests
		p.Medicines = []string{"colchicine", "losartan", "naproxen"}
		var out []string
		for _, x := range Unkept(plan, p) {
			require.False(t, x.Stops, "it points out, it never stops")
			require.NotEmpty(t, x.Why)
			out = append(out, x.Says)
		}
		return strings.Join(out, "; ")
	}
	for _, c := range []struct {
		plan string
		p    Promised
		want string
	}{
		{"Colchicine today. Urate in two weeks.", Promised{}, "Colchicine is in the plan, not on the medicine list; Urate is in the plan, not ordered"},
		{"Colchicine today. Urate in two weeks.", Promised{Ordered: []string{"URIC"}, Active: []string{"Colchicine"}}, ""},
		{"No naproxen. Avoid colchicine.", Promised{}, ""},
		{"Continue losartan.", Promised{}, ""},
		{"If worse, urate again.", Promised{}, ""},
		{"Potassium next week.", Promised{Ordered: []string{"BMP"}}, ""}, // the panel holds it
		{"Creatinine today.", Promised{}, "Creatinine with eGFR is in the plan, not ordered"},
		{"hba1c today", Promised{}, "Hemoglobin A1c is in the plan, not ordered"},
		{"Hemoglobin A1c here.", Promised{House: []string{"Hemoglobin A1c in the house"}}, ""},
		{"Look after the kidney, treat the gout, diabetes leaflet.", Promised{}, ""}, // words of illness are no tests
		{"Rest.", Promised{Ordered: []string{"A1C"}}, "Hemoglobin A1c is ordered, and the plan does not say so"},
		{"", Promised{Ordered: []string{"A1C"}}, ""},
		{"Urate. Urate again.", Promised{}, "Urate is in the plan, not ordered"},
		{"The curate called.", Promised{}, ""},
	} {
		require.Equal(t, c.want, says(c.plan, c.p), c.plan)
	}
}
