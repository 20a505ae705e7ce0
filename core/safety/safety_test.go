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
			[]safety.Warning{{Serious: true, Says: "Recorded allergy: Penicillin", Why: "rash; amoxicillin is of the class penicillin"}}},
		{"ibuprofen", []string{"Losartan"}, map[string]string{"Naproxen": "stomach bleed"},
			[]safety.Warning{{Serious: true, Says: "Recorded allergy: Naproxen", Why: "stomach bleed; ibuprofen is of the class NSAID"},
				{Says: "With Losartan", Why: "falling kidney function, more so with a diuretic"}}},
		{"sulfamethoxazole-trimethoprim", nil, map[string]string{"Sulfonamide antibiotics": "hives"},
			[]safety.Warning{{Serious: true, Says: "Recorded allergy: Sulfonamide antibiotics",
				Why: "hives; sulfamethoxazole-trimethoprim is of the class sulfonamide antibiotic"}}},
		{"Codeine", nil, map[string]string{"Codeine": ""}, []safety.Warning{{Serious: true, Says: "Recorded allergy: Codeine", Why: "reaction not recorded"}}},
		{"simvastatin", []string{"Atorvastatin"}, nil, []safety.Warning{{Says: "With Atorvastatin", Why: "both are of the class statin"}}},
		{"Metformin", []string{"Metformin"}, nil, []safety.Warning{{Says: "Already on the list: Metformin", Why: "the same medicine twice"}}},
		{"acetaminophen", []string{"Losartan"}, map[string]string{"Peanut": "lips", "": ""}, []safety.Warning{}},
		// By ingredient, never by a part of a word: nystatin is no statin, a sulfate no sulfonamide.
		{"nystatin", []string{"Atorvastatin"}, map[string]string{"Statins": "muscle pain"}, []safety.Warning{}},
		{"ferrous sulfate", nil, map[string]string{"Sulfa": "hives"}, []safety.Warning{}},
		{"sulfamethoxazole-trimethoprim", nil, map[string]string{"Sulfa drugs": "hives"},
			[]safety.Warning{{Serious: true, Says: "Recorded allergy: Sulfa drugs", Why: "hives; sulfamethoxazole-trimethoprim is of the class sulfonamide antibiotic"}}},
		// Every ingredient of a combination counts.
		{"hydrocodone-acetaminophen 5/325", []string{"Acetaminophen 500 mg"}, nil,
			[]safety.Warning{{Says: "Already on the list: Acetaminophen 500 mg", Why: "the same medicine twice"}}},
		{"Losartan/hydrochlorothiazide 50/12.5 mg", []string{"Ibuprofen"}, map[string]string{"Hydrochlorothiazide": "rash"},
			[]safety.Warning{{Serious: true, Says: "Recorded allergy: Hydrochlorothiazide", Why: "rash"},
				{Says: "With Ibuprofen", Why: "falling kidney function, more so with a diuretic"}}},
		// What is not known is said, and never looks safe.
		{"herbal tea", []string{"Warfarin"}, map[string]string{"Penicillin": "rash"},
			[]safety.Warning{{Unknown: true, Says: "Not checked", Why: "this medicine is not in our list; nothing is known here of its allergies, interactions and limits"}}},
		{"Zenthoril 5 mg", nil, map[string]string{"zenthoril": "swelling"},
			[]safety.Warning{{Serious: true, Says: "Recorded allergy: zenthoril", Why: "swelling"},
				{Unknown: true, Says: "Not checked", Why: "this medicine is not in our list; nothing is known here of its allergies, interactions and limits"}}},
		{"aspirin/caffeine", nil, nil, []safety.Warning{{Unknown: true, Says: "Not checked", Why: "caffeine is not in our list"}}},
		{"ibuprofen", []string{"Zenthoril 5 mg"}, map[string]string{"Contrast dye": "hives"},
			[]safety.Warning{{Unknown: true, Says: "Not checked against the allergy to Contrast dye, Zenthoril 5 mg", Why: "our list does not know what that is"}}},
		{"Metoprolol succinate ER 50 mg tablet", nil, nil, []safety.Warning{}},
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
