package rulefile_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/chart"
	"deftledger/core/reminder"
	"deftledger/exchange/shipped"
)

// A further, lower pressure of the same day never makes a met measure missed, what was recorded after the visit
// changes nothing, and in which order the values came is no matter.
func TestALowerPressureOfTheDayNeverHarms(t *testing.T) {
	book, err := shipped.Rules()
	require.NoError(t, err)
	const day = "2026-05-04"
	rapid.Check(t, func(t *rapid.T) {
		draw := func(label, on string) chart.Value {
			return chart.Value{LOINC: "85354-9", Name: "Blood pressure", Text: fmt.Sprintf("%d/%d", rapid.IntRange(90, 190).Draw(t, label),
				rapid.IntRange(50, 110).Draw(t, label)), Unit: "mm[Hg]", Day: on}
		}
		r := chart.Record{Zone: time.UTC, Day: day, Patient: chart.Patient{BirthDate: "1976-05-04", Sex: "F"}, Problems: []chart.Problem{{Code: "I10"}}}
		for range rapid.IntRange(1, 4).Draw(t, "n") {
			r.Values = append(r.Values, draw("pressure", day))
		}
		state := func(r chart.Record) reminder.MeasureState { return book.Open(r).Measure("pressure-controlled").State }
		before := state(r)
		more := r
		more.Values = append(slices.Clone(r.Values), draw("further", day))
		if before == reminder.Met {
			require.Equal(t, reminder.Met, state(more))
		}
		turned := r
		turned.Values = slices.Clone(r.Values)
		slices.Reverse(turned.Values)
		require.Equal(t, before, state(turned))
		r.Values = append(r.Values, draw("later", "2026-05-05"))
		require.Equal(t, before, state(r))
	})
}

// What a measure says names what decided, once; who it does not concern is not spoken of.
func TestAMeasureSaysWhy(t *testing.T) {
	book, err := shipped.Rules()
	require.NoError(t, err)
	pressure := func(text string) chart.Value {
		return chart.Value{LOINC: "85354-9", Name: "blood pressure", Text: text, Unit: "mm[Hg]", Day: "2026-05-04"}
	}
	for _, x := range []struct {
		measure string
		change  func(*chart.Record)
		state   reminder.MeasureState
		says    string
	}{
		{"pressure-controlled", func(r *chart.Record) { r.Values = []chart.Value{pressure("139/89")} }, reminder.Met, "blood pressure 139/89 mmHg, 04 May 2026"},
		{"pressure-controlled", func(r *chart.Record) { r.Values = []chart.Value{pressure("152/84")} }, reminder.Missed,
			"wanted: upper blood pressure below 140 mmHg within 1 year (blood pressure 152/84 mmHg, 04 May 2026)"},
		{"pressure-taken", func(r *chart.Record) { r.Problems = nil }, reminder.Missed, "wanted: blood pressure today (none recorded)"},
		{"tobacco", func(*chart.Record) {}, reminder.Missed, "wanted: tobacco in the social history within 1 year (none recorded)"},
		{"a1c", func(r *chart.Record) {
			r.Problems = []chart.Problem{{Code: "E11.9"}}
			r.InHand = []chart.InHand{{OrderID: "o", Day: "2026-05-04", Name: "A1c", LOINC: "4548-4"}}
		}, reminder.Ordered, "A1c ordered"},
		{"a1c", func(r *chart.Record) { r.Patient.BirthDate = ""; r.Problems = []chart.Problem{{Code: "E11.9"}} }, reminder.Unsure, "birth date not known"},
		{"a1c", func(*chart.Record) {}, reminder.NotConcerned, ""},
		{"statin-in-diabetes", func(r *chart.Record) {
			r.Problems = []chart.Problem{{Code: "E11.9"}}
			r.Allergies = []chart.Allergy{{Substance: "Atorvastatin", Classes: []string{"statin"}, Certainty: "doubtful"}}
		}, reminder.Unsure, "allergy to a statin (Atorvastatin doubtful)"},
		{"statin-in-diabetes", func(r *chart.Record) {
			r.Problems = []chart.Problem{{Code: "E11.9"}}
			r.Allergies = []chart.Allergy{{Substance: "Atorvastatin", Classes: []string{"statin"}, Certainty: "refuted"}}
		}, reminder.Missed, "wanted: takes a statin (none on the list of medicines)"},
		{"statin-in-diabetes", func(r *chart.Record) { r.Died = "2026-01-02"; r.Problems = []chart.Problem{{Code: "E11.9"}} }, reminder.NotConcerned, ""},
	} {
		r := chart.Record{Zone: time.UTC, Day: "2026-05-04", Patient: chart.Patient{BirthDate: "1976-05-04", Sex: "F"}, Problems: []chart.Problem{{Code: "I10", Title: "Hypertension"}}}
		x.change(&r)
		o := book.Open(r).Measure(x.measure)
		require.Equal(t, x.state, o.State, x.measure+": "+o.Says)
		if strings.Contains(o.Says, x.says) {
			continue
		}
		require.Equal(t, x.says, o.Says)
	}
	require.Equal(t, reminder.NotComputed, book.Open(chart.Record{Zone: time.UTC, Day: "2026-05-04"}).Measure("no-such").State)
}
