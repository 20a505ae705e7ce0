package measure_test

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/goccy/go-yaml"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/chart"
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

// facts are what a row says of a chart.
type facts struct {
	Months                                int
	Diagnoses, Classes, Allergic, Ordered []string
	Values                                []chart.Value
	Entries                               []chart.HistoryEntry
	Reviewed                              map[string]string
}

// on is the chart that says so, on a day.
func (f facts) on(day string) chart.Record {
	at, _ := time.Parse(time.DateOnly, day)
	r := chart.Record{Zone: time.UTC, Day: day, VisitID: "v", Addressed: f.Diagnoses, Values: f.Values, Histories: f.Entries,
		Medicines: []chart.Medicine{{Classes: f.Classes}}, Allergies: []chart.Allergy{{Classes: f.Allergic}},
		InHand: []chart.InHand{{VisitID: "v", Analytes: f.Ordered}}}
	if f.Months >= 0 {
		r.Patient.BirthDate = at.AddDate(0, -f.Months, 0).Format(time.DateOnly)
	}
	for list, on := range f.Reviewed {
		at, _ := time.Parse(time.DateOnly, on)
		r.Statements = append(r.Statements, chart.Statement{List: list, At: at.Add(9 * time.Hour)})
	}
	return r
}

// Each row is decided by hand from the rule's published source.
func TestHowAVisitStands(t *testing.T) {
	const day = "2026-05-04"
	bp := func(text, on string) chart.Value {
		return chart.Value{LOINC: "85354-9", Text: text, Unit: "mm[Hg]", Day: on}
	}
	a1c := func(text, unit, on string) chart.Value {
		return chart.Value{LOINC: "4548-4", Text: text, Unit: unit, Day: on}
	}
	for name, x := range map[string]struct {
		measure string
		facts   facts
		want    measure.State // "" for not concerned
		says    string
	}{
		"139/89": {"pressure-controlled", facts{Diagnoses: []string{"I10"}, Values: []chart.Value{bp("139/89", day)}},
			measure.Met, "blood pressure 139/89"},
		"140/80": {"pressure-controlled", facts{Diagnoses: []string{"I10"}, Values: []chart.Value{bp("140/80", day)}},
			measure.Missed, "met below 140/90"},
		"120/90": {"pressure-controlled", facts{Diagnoses: []string{"I10"}, Values: []chart.Value{bp("120/90", day)}},
			measure.Missed, ""},
		"lowest of the day": {"pressure-controlled",
			facts{Diagnoses: []string{"I10"}, Values: []chart.Value{bp("150/85", day), bp("138/92", day)}}, measure.Met, "138/85"},
		"the newest day": {"pressure-controlled",
			facts{Diagnoses: []string{"I10"}, Values: []chart.Value{bp("120/70", "2026-05-01"), bp("150/85", day)}}, measure.Missed, ""},
		"of last year": {"pressure-controlled", facts{Diagnoses: []string{"I10"}, Values: []chart.Value{bp("120/70", "2025-05-03")}},
			measure.Missed, "no blood pressure within a year"},
		"with dialysis":   {"pressure-controlled", facts{Diagnoses: []string{"I10", "Z99.2"}}, "", ""},
		"no hypertension": {"pressure-controlled", facts{Diagnoses: []string{"J06.9"}}, "", ""},
		"at 86":           {"pressure-controlled", facts{Months: 1032, Diagnoses: []string{"I10"}}, "", ""},
		"age unknown":     {"pressure-controlled", facts{Months: -1, Diagnoses: []string{"I10"}}, "", ""},
		"pressure not taken": {"pressure-taken", facts{Values: []chart.Value{bp("120/70", "2026-05-03")}}, measure.Missed,
			"no blood pressure at this visit"},
		"pressure taken":            {"pressure-taken", facts{Values: []chart.Value{bp("118/76", day)}}, measure.Met, ""},
		"a high one without a plan": {"pressure-taken", facts{Values: []chart.Value{bp("165/100", day)}}, measure.Missed, "calls for a plan"},
		"a high one addressed": {"pressure-taken", facts{Diagnoses: []string{"R03.0"}, Values: []chart.Value{bp("165/100", day)}}, measure.Met,
			"addressed"},
		"an index of 41 without a plan": {"mass-index",
			facts{Values: []chart.Value{{LOINC: "39156-5", Text: "41.0", Unit: "kg/m2", Day: day}}}, measure.Missed, "calls for a plan"},
		"an index of 41 with obesity": {"mass-index", facts{Diagnoses: []string{"E66.813"},
			Values: []chart.Value{{LOINC: "39156-5", Text: "41.0", Unit: "kg/m2", Day: day}}}, measure.Met, "addressed"},
		"an index of 24.9": {"mass-index",
			facts{Values: []chart.Value{{LOINC: "39156-5", Text: "24.9", Unit: "kg/m2", Day: day}}}, measure.Met, ""},
		"smoke detectors are no answer": {"tobacco", facts{Entries: []chart.HistoryEntry{{List: "social", Title: "Smoke detectors at home",
			StatedAt: time.Date(2026, 1, 1, 12, 0, 0, 0, time.UTC)}}}, measure.Missed, "not asked"},
		"a former smoker": {"tobacco", facts{Entries: []chart.HistoryEntry{{List: "social", Title: "Former smoker, quit 2019",
			StatedAt: time.Date(2026, 1, 1, 12, 0, 0, 0, time.UTC)}}}, measure.Met, ""},
		"not measurable": {"pressure-controlled", facts{Diagnoses: []string{"I10"}, Values: []chart.Value{bp("refused", day)}},
			measure.Missed, "no number"},
		"A1c 9.0": {"a1c", facts{Diagnoses: []string{"E11.9"}, Values: []chart.Value{a1c("9.0", "%", "2026-02-01")}},
			measure.Met, ""},
		"A1c 9.1": {"a1c", facts{Diagnoses: []string{"E11.9"}, Values: []chart.Value{a1c("9.1", "%", "2026-02-01")}},
			measure.Missed, "at most 9.0"},
		"A1c in another unit": {"a1c", facts{Diagnoses: []string{"E11.9"}, Values: []chart.Value{a1c("53", "mmol/mol", "2026-02-01")}},
			measure.Missed, "no hemoglobin A1c"},
		"A1c ordered": {"a1c", facts{Diagnoses: []string{"E11.9"}, Ordered: []string{"4548-4"}}, measure.InHand, "ordered"},
		"old A1c, ordered anew": {"a1c", facts{Diagnoses: []string{"E11.9"}, Values: []chart.Value{a1c("6.0", "%", "2024-02-01")},
			Ordered: []string{"4548-4"}}, measure.InHand, ""},
		"one kidney value of two": {"kidney-in-diabetes",
			facts{Diagnoses: []string{"E11.9"}, Values: []chart.Value{{LOINC: "98979-8", Text: "70", Unit: "mL/min/{1.73_m2}", Day: day}}},
			measure.Missed, "no albumin creatinine ratio"},
		"the other one is ordered": {"kidney-in-diabetes",
			facts{Diagnoses: []string{"E11.9"}, Values: []chart.Value{{LOINC: "98979-8", Text: "70", Unit: "mL/min/{1.73_m2}", Day: day}},
				Ordered: []string{"9318-7"}}, measure.InHand, ""},
		"statin": {"statin-in-diabetes", facts{Diagnoses: []string{"E11.9"}, Classes: []string{"statin"}}, measure.Met, ""},
		"no statin": {"statin-in-diabetes", facts{Diagnoses: []string{"E11.9"}, Classes: []string{"biguanide"}}, measure.Missed,
			"no statin"},
		"allergic to it": {"statin-in-diabetes", facts{Diagnoses: []string{"E11.9"}, Allergic: []string{"statin"}}, "", ""},
		"tobacco asked": {"tobacco",
			facts{Entries: []chart.HistoryEntry{{List: "social", Title: "Tobacco", StatedAt: time.Date(2026, 1, 1, 12, 0, 0, 0, time.UTC)}}},
			measure.Met, ""},
		"tobacco asked long ago": {"tobacco",
			facts{Entries: []chart.HistoryEntry{{List: "social", Title: "Tobacco", StatedAt: time.Date(2024, 1, 1, 12, 0, 0, 0, time.UTC)}}},
			measure.Missed, "not asked within a year"},
		"medicines looked through": {"medicines", facts{Reviewed: map[string]string{"medicines": day}}, measure.Met, ""},
		"before today":             {"medicines", facts{Reviewed: map[string]string{"medicines": "2026-05-03"}}, measure.Missed, ""},
	} {
		t.Run(name, func(t *testing.T) {
			if x.facts.Months == 0 {
				x.facts.Months = 600
			}
			got := measure.State("")
			for i, o := range measure.Judge(rules, x.facts.on(day)) {
				require.NotEmpty(t, o.Source)
				if o.ID == x.measure {
					got = o.State
					require.Contains(t, o.Says, x.says)
				}
				if i > 0 && o.State == measure.Missed {
					require.Equal(t, measure.Missed, measure.Judge(rules, x.facts.on(day))[i-1].State, "missed ones first")
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
		draw := func(label string) chart.Value {
			return chart.Value{LOINC: "85354-9", Text: fmt.Sprintf("%d/%d", rapid.IntRange(90, 190).Draw(t, label),
				rapid.IntRange(50, 110).Draw(t, label)), Unit: "mm[Hg]", Day: day}
		}
		f := facts{Months: 600, Diagnoses: []string{"I10"}}
		for range rapid.IntRange(1, 4).Draw(t, "n") {
			f.Values = append(f.Values, draw("pressure"))
		}
		stand := func(f facts) measure.State {
			for _, o := range measure.Judge(rules, f.on(day)) {
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
