package app_test

import (
	"context"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/desk"
	"deftledger/core/note"
	"deftledger/store"
)

// What a screen may cost, in statements. A note that is full opens in as many as an empty
// one: nothing is asked once for each row.
func TestAScreenTakesFewStatements(t *testing.T) {
	c := open(t)
	id := c.note()
	c.diagnose(id, "I10", "E11.9", "M10.071")
	_, err := c.app.Note.SayOfDiagnosis(ctx, c.doctor(), id, note.Said{Code: "I10", Response: "stable", Measures: []string{}})
	require.NoError(t, err)
	_, err = c.app.Visit.AskBack(ctx, c.doctor(), id, "2w", "Blood pressure")
	require.NoError(t, err)
	for _, x := range []struct {
		screen string
		most   int
		open   func(ctx context.Context, who act.Actor) error
	}{
		{"note", 8, func(ctx context.Context, who act.Actor) error { _, err := c.app.Note.Note(ctx, who, id); return err }},
		{"closing list", 10, func(ctx context.Context, who act.Actor) error {
			_, err := c.app.Note.ClosingList(ctx, who, id)
			return err
		}},
		{"measures", 7, func(ctx context.Context, who act.Actor) error {
			_, err := c.app.Assess.MeasuresOf(ctx, who, id)
			return err
		}},
		{"sets", 5, func(ctx context.Context, who act.Actor) error {
			_, err := c.app.Plan.PlanSets(ctx, who, id)
			return err
		}},
		{"beside", 10, func(ctx context.Context, who act.Actor) error {
			_, err := c.app.Note.Beside(ctx, who, id, "", "", "")
			return err
		}},
		{"chart", 18, func(ctx context.Context, who act.Actor) error {
			_, err := c.app.Chart.Chart(ctx, who, patientID)
			return err
		}},
		{"desk", 6, func(ctx context.Context, who act.Actor) error {
			_, err := c.app.Desk.MyDesk(ctx, who, desk.DeskSought{List: act.UnderWay, After: ""})
			return err
		}},
		{"today", 2, func(ctx context.Context, who act.Actor) error { _, err := c.app.Visit.Day(ctx, who, ""); return err }},
	} {
		t.Run(x.screen, func(t *testing.T) {
			require.NoError(t, x.open(ctx, c.doctor())) // the look itself is written once
			var asked []string
			require.NoError(t, x.open(store.Listen(ctx, func(query string) { asked = append(asked, query) }), c.doctor()))
			t.Logf("%d statements", len(asked))
			require.LessOrEqual(t, len(asked), x.most, "%q", asked)
			slices.Sort(asked)
			require.Len(t, slices.Compact(asked), len(asked), "none is asked twice")
		})
	}
}
