package safety_test

import (
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/stretchr/testify/require"

	"deftledger/core/safety"
	"deftledger/data"
)

func TestCheck(t *testing.T) {
	var l safety.List
	require.NoError(t, yaml.UnmarshalWithOptions(data.Medicines, &l, yaml.Strict()))
	for _, c := range []struct {
		medicine  string
		taken     []string
		allergies map[string]string
		want      []safety.Warning
	}{
		{"Amoxicillin 500 mg", nil, map[string]string{"Penicillin": "rash"},
			[]safety.Warning{{true, "Recorded allergy: Penicillin", "rash; amoxicillin is of the class penicillin"}}},
		{"ibuprofen", []string{"Losartan"}, map[string]string{"Naproxen": "stomach bleed"},
			[]safety.Warning{{true, "Recorded allergy: Naproxen", "stomach bleed; ibuprofen is of the class NSAID"},
				{false, "With Losartan", "falling kidney function, more so with a diuretic"}}},
		{"sulfamethoxazole-trimethoprim", nil, map[string]string{"Sulfonamide antibiotics": "hives"},
			[]safety.Warning{{true, "Recorded allergy: Sulfonamide antibiotics",
				"hives; sulfamethoxazole-trimethoprim is of the class sulfonamide antibiotic"}}},
		{"Codeine", nil, map[string]string{"Codeine": ""}, []safety.Warning{{true, "Recorded allergy: Codeine", "reaction not recorded"}}},
		{"simvastatin", []string{"Atorvastatin"}, nil, []safety.Warning{{false, "With Atorvastatin", "both are of the class statin"}}},
		{"Metformin", []string{"Metformin"}, nil, []safety.Warning{{false, "Already on the list: Metformin", "the same medicine twice"}}},
		{"acetaminophen", []string{"Losartan"}, map[string]string{"Peanut": "lips", "": ""}, []safety.Warning{}},
		{"herbal tea", []string{"Warfarin"}, map[string]string{"Penicillin": "rash"}, []safety.Warning{}},
	} {
		require.Equal(t, c.want, l.Check(c.medicine, c.taken, c.allergies), c.medicine)
	}
	require.Equal(t, []string{"metoprolol succinate", "metoprolol tartrate"}, l.Find("metop", 5))
	require.Contains(t, l.Find("glar", 5), "insulin glargine")
	require.Empty(t, l.Find("", 5))
}

// Each limit is that of the source named in the data; at the limit itself nothing is said.
func TestCheckKidney(t *testing.T) {
	var l safety.List
	require.NoError(t, yaml.UnmarshalWithOptions(data.Medicines, &l, yaml.Strict()))
	for _, c := range []struct {
		medicine string
		rate     float64
		says     string
	}{
		{"Metformin 500 mg", 29, "not to be taken below 30"}, {"metformin", 30, "not begun between 30 and 45"}, {"metformin", 45, ""},
		{"ibuprofen", 59, "no long use"}, {"naproxen", 29.5, "avoided below 30"}, {"celecoxib", 60, ""},
		{"colchicine", 29, "one course in two weeks"}, {"colchicine", 48, ""}, {"allopurinol", 48, "100 mg or less"},
		{"alendronate", 34, "not recommended"}, {"nitrofurantoin", 31, ""}, {"herbal tea", 5, ""},
	} {
		got := l.CheckKidney(c.medicine, c.rate, "x")
		if c.says == "" {
			require.Empty(t, got, c.medicine)
			continue
		}
		require.Len(t, got, 1, c.medicine)
		require.Contains(t, got[0].Why, c.says)
	}
}
