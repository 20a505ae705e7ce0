package app_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/visit"
	"deftledger/store"
)

// Page by page a chart brings all that happened once, newest first, also when something
// new happens and something is struck between two pages.
func TestATimelineLosesNothingBetweenPages(t *testing.T) {
	c := open(t)
	day := func(i int) time.Time { return c.now.AddDate(0, 0, -i) }
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		for i := 1; i <= 70; i++ {
			v := visit.Visit{ID: fmt.Sprintf("tv%03d", i), PatientID: patientID, ClinicianID: c.doctor().ID, Day: day(i).Format(time.DateOnly), StartsAt: day(i), Kind: "Acute visit", Reason: "Before", Stage: visit.Done, StageAt: day(i)}
			if err := q.AddVisit(v); err != nil {
				return err
			}
			// At the same moment: what stands where is decided by what it is.
			g := chart.Immunization{ID: fmt.Sprintf("tg%03d", i), PatientID: patientID, VisitID: v.ID, Name: "Tdap", GivenAt: day(i), GivenBy: c.doctor().ID}
			if _, err := q.AddImmunization(g); err != nil {
				return err
			}
		}
		return nil
	}))
	_, err := c.app.Chart.Timeline(ctx, c.doctor(), "nobody", "")
	require.Equal(t, act.Missing, kind(t, err))
	seen := map[string]bool{}
	last := ""
	for after, page := "", 1; ; page++ {
		got, err := c.app.Chart.Timeline(ctx, c.doctor(), patientID, after)
		require.NoError(t, err)
		for _, h := range got.Rows {
			require.False(t, seen[h.ID], "%s comes twice", h.ID)
			seen[h.ID] = true
			require.True(t, last == "" || h.At <= last, "newest first")
			last = h.At
		}
		if page == 1 {
			require.Equal(t, 141, got.Count)
			require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
				if err := q.StrikeImmunization("tv070", "tg070", c.doctor().ID, "wrong chart", c.now); err != nil {
					return err
				}
				return q.AddVisit(visit.Visit{ID: "tnew", PatientID: patientID, ClinicianID: c.doctor().ID, Day: "2026-05-04", StartsAt: c.now.Add(time.Hour), Kind: "Acute visit", Stage: visit.Arrived, StageAt: c.now})
			}))
		}
		if after = got.Next; after == "" {
			require.Equal(t, 3, page)
			break
		}
	}
	require.Len(t, seen, 140, "all but what was struck before its page came, and what came after the first")
	require.False(t, seen["tg070"] || seen["tnew"])
}
