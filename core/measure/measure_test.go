package measure_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/measure"
	"deftledger/data"
)

var rules = func() []measure.Rule {
	var f struct {
		Version  int
		Measures []measure.Rule
	}
	if err := yaml.UnmarshalWithOptions(data.Measures, &f, yaml.Strict()); err != nil {
		panic(err)
	}
	return f.Measures
}()

func TestTheMeasuresThatShipAreSound(t *testing.T) {
	seen := map[string]bool{}
	for _, r := range rules {
		require.NoError(t, r.Check())
		require.False(t, seen[r.ID], r.ID)
		seen[r.ID] = true
	}
	for _, bad := range []measure.Rule{
		{}, {ID: "a", Title: "A", Source: "s"}, {ID: "a", Title: "A", Source: "s", From: 12, Below: 12, Reviewed: "x"},
		{ID: "a", Title: "A", Source: "s", Values: []measure.Need{{Name: "x", LOINC: []string{"1"}, Unit: "%", Below: "high"}}},
		{ID: "a", Title: "A", Source: "s", Values: []measure.Need{{Name: "x", LOINC: []string{"1"}}}},
	} {
		require.Error(t, bad.Check())
	}
}

// Each row is decided by hand from the rule's published source.
func TestHowAVisitStands(t *testing.T) {
	const day = "2026-05-04"
	bp := func(text, on string) measure.Value {
		return measure.Value{LOINC: "85354-9", Text: text, Unit: "mm[Hg]", Day: on}
	}
	a1c := func(text, unit, on string) measure.Value {
		return measure.Value{LOINC: "4548-4", Text: text, Unit: unit, Day: on}
	}
	for name, x := range map[string]struct {
		measure string
		facts   measure.Facts
		want    measure.State // "" for not concerned
		says    string
	}{
		"139/89":                   {"pressure-controlled", measure.Facts{Diagnoses: []string{"I10"}, Values: []measure.Value{bp("139/89", day)}}, measure.Met, "blood pressure 139/89"},
		"140/80":                   {"pressure-controlled", measure.Facts{Diagnoses: []string{"I10"}, Values: []measure.Value{bp("140/80", day)}}, measure.Missed, "met below 140/90"},
		"120/90":                   {"pressure-controlled", measure.Facts{Diagnoses: []string{"I10"}, Values: []measure.Value{bp("120/90", day)}}, measure.Missed, ""},
		"lowest of the day":        {"pressure-controlled", measure.Facts{Diagnoses: []string{"I10"}, Values: []measure.Value{bp("150/85", day), bp("138/92", day)}}, measure.Met, "138/85"},
		"the newest day":           {"pressure-controlled", measure.Facts{Diagnoses: []string{"I10"}, Values: []measure.Value{bp("120/70", "2026-05-01"), bp("150/85", day)}}, measure.Missed, ""},
		"of last year":             {"pressure-controlled", measure.Facts{Diagnoses: []string{"I10"}, Values: []measure.Value{bp("120/70", "2025-05-03")}}, measure.Missed, "no blood pressure within a year"},
		"with dialysis":            {"pressure-controlled", measure.Facts{Diagnoses: []string{"I10", "Z99.2"}}, "", ""},
		"no hypertension":          {"pressure-controlled", measure.Facts{Diagnoses: []string{"J06.9"}}, "", ""},
		"at 86":                    {"pressure-controlled", measure.Facts{Months: 1032, Diagnoses: []string{"I10"}}, "", ""},
		"age unknown":              {"pressure-controlled", measure.Facts{Months: -1, Diagnoses: []string{"I10"}}, "", ""},
		"pressure not taken":       {"pressure-taken", measure.Facts{Values: []measure.Value{bp("120/70", "2026-05-03")}}, measure.Missed, "no blood pressure at this visit"},
		"pressure taken":           {"pressure-taken", measure.Facts{Values: []measure.Value{bp("170/100", day)}}, measure.Met, ""},
		"not measurable":           {"pressure-controlled", measure.Facts{Diagnoses: []string{"I10"}, Values: []measure.Value{bp("refused", day)}}, measure.Missed, "no number"},
		"A1c 9.0":                  {"a1c", measure.Facts{Diagnoses: []string{"E11.9"}, Values: []measure.Value{a1c("9.0", "%", "2026-02-01")}}, measure.Met, ""},
		"A1c 9.1":                  {"a1c", measure.Facts{Diagnoses: []string{"E11.9"}, Values: []measure.Value{a1c("9.1", "%", "2026-02-01")}}, measure.Missed, "at most 9.0"},
		"A1c in another unit":      {"a1c", measure.Facts{Diagnoses: []string{"E11.9"}, Values: []measure.Value{a1c("53", "mmol/mol", "2026-02-01")}}, measure.Missed, "no hemoglobin A1c"},
		"A1c ordered":              {"a1c", measure.Facts{Diagnoses: []string{"E11.9"}, InHand: []string{"4548-4"}}, measure.InHand, "ordered"},
		"old A1c, ordered anew":    {"a1c", measure.Facts{Diagnoses: []string{"E11.9"}, Values: []measure.Value{a1c("6.0", "%", "2024-02-01")}, InHand: []string{"4548-4"}}, measure.InHand, ""},
		"one kidney value of two":  {"kidney-in-diabetes", measure.Facts{Diagnoses: []string{"E11.9"}, Values: []measure.Value{{LOINC: "98979-8", Text: "70", Unit: "mL/min/{1.73_m2}", Day: day}}}, measure.Missed, "no albumin creatinine ratio"},
		"the other one is ordered": {"kidney-in-diabetes", measure.Facts{Diagnoses: []string{"E11.9"}, Values: []measure.Value{{LOINC: "98979-8", Text: "70", Unit: "mL/min/{1.73_m2}", Day: day}}, InHand: []string{"9318-7"}}, measure.InHand, ""},
		"statin":                   {"statin-in-diabetes", measure.Facts{Diagnoses: []string{"E11.9"}, Classes: []string{"statin"}}, measure.Met, ""},
		"no statin":                {"statin-in-diabetes", measure.Facts{Diagnoses: []string{"E11.9"}, Classes: []string{"biguanide"}}, measure.Missed, "no statin"},
		"allergic to it":           {"statin-in-diabetes", measure.Facts{Diagnoses: []string{"E11.9"}, Allergic: []string{"statin"}}, "", ""},
		"tobacco asked":            {"tobacco", measure.Facts{Entries: []measure.Entry{{List: "social", Title: "Tobacco", Day: "2026-01-01"}}}, measure.Met, ""},
		"tobacco asked long ago":   {"tobacco", measure.Facts{Entries: []measure.Entry{{List: "social", Title: "Tobacco", Day: "2024-01-01"}}}, measure.Missed, "not asked within a year"},
		"medicines looked through": {"medicines", measure.Facts{Reviewed: map[string]string{"medicines": day}}, measure.Met, ""},
		"before today":             {"medicines", measure.Facts{Reviewed: map[string]string{"medicines": "2026-05-03"}}, measure.Missed, ""},
	} {
		t.Run(name, func(t *testing.T) {
			x.facts.Day = day
			if x.facts.Months == 0 {
				x.facts.Months = 600
			}
			got := measure.State("")
			for i, o := range measure.Judge(rules, x.facts) {
				require.NotEmpty(t, o.Source)
				if o.ID == x.measure {
					got = o.State
					require.Contains(t, o.Says, x.says)
				}
				if i > 0 && o.State == measure.Missed {
					require.Equal(t, measure.Missed, measure.Judge(rules, x.facts)[i-1].State, "missed ones first")
				}
			}
			require.Equal(t, x.want, got)
		})
	}
}

// A further, lower pressure of the same day never makes a met measure missed, and what was
// recorded after the visit changes nothing.
func TestALowerPressureOfTheDayNeverHarms(t *testing.T) {
	const day = "2026-05-04"
	rapid.Check(t, func(t *rapid.T) {
		draw := func(label string) measure.Value {
			return measure.Value{LOINC: "85354-9", Text: fmt.Sprintf("%d/%d", rapid.IntRange(90, 190).Draw(t, label), rapid.IntRange(50, 110).Draw(t, label)), Unit: "mm[Hg]", Day: day}
		}
		f := measure.Facts{Day: day, Months: 600, Diagnoses: []string{"I10"}}
		for range rapid.IntRange(1, 4).Draw(t, "n") {
			f.Values = append(f.Values, draw("pressure"))
		}
		stand := func(f measure.Facts) measure.State {
			for _, o := range measure.Judge(rules, f) {
				if o.ID == "pressure-controlled" {
					return o.State
				}
			}
			return ""
		}
		before := stand(f)
		more := f
		more.Values = append(slices.Clone(f.Values), draw("further"))
		if before == measure.Met {
			require.Equal(t, measure.Met, stand(more))
		}
		later := draw("later")
		later.Day = "2026-05-05"
		more.Values = append(slices.Clone(f.Values), later)
		require.Equal(t, before, stand(more))
	})
}
