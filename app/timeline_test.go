package app_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	notes "deftledger/app/note"
	"deftledger/core/chart"
	"deftledger/core/note"
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
			v := visit.Visit{ID: fmt.Sprintf("tv%03d", i), PatientID: patientID, ClinicianID: c.doctor().ID, Day: day(i).Format(time.DateOnly),
				StartsAt: day(i), Kind: "Acute visit", Reason: "Before", Stage: visit.Done, StageAt: day(i)}
			if err := q.AddVisit(v); err != nil {
				return err
			}
			// At the same moment: what stands where is decided by what it is.
			g := chart.Immunization{ID: fmt.Sprintf("tg%03d", i), PatientID: patientID, VisitID: v.ID, Name: "Tdap", GivenAt: day(i),
				GivenBy: c.doctor().ID}
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
				return q.AddVisit(visit.Visit{ID: "tnew", PatientID: patientID, ClinicianID: c.doctor().ID, Day: "2026-05-04",
					StartsAt: c.now.Add(time.Hour), Kind: "Acute visit", Stage: visit.Arrived, StageAt: c.now})
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

// Page by page what is beside a note brings every line once; words are looked for in all
// pages, and a line far back is brought in as one of the first.
func TestWhatIsBesideANoteLosesNothingBetweenPages(t *testing.T) {
	c := open(t)
	id := c.note()
	var far string
	for i := range 60 {
		words := fmt.Sprintf("Visit number %d. Nothing else.", i)
		if i == 59 {
			words = "The quinsy of long ago was drained."
		}
		far = c.earlier(i+1, "", map[note.Part]string{note.Subjective: words, note.Objective: "Well.", note.Assessment: "Well.",
			note.Plan: "Rest."})
	}
	read := func(words, kind string) (groups []notes.BesideGroup, pages int) {
		for after := ""; ; {
			got, err := c.app.Note.Beside(ctx, c.doctor(), id, words, kind, after)
			require.NoError(t, err)
			require.Equal(t, []notes.BesideCount{{Kind: "note", Count: 60}, {Kind: "result", Count: 0}, {Kind: "history", Count: 1},
				{Kind: "document", Count: 0}}, got.Counts)
			groups = append(groups, got.Groups...)
			pages++
			if after = got.Next; after == "" {
				return groups, pages
			}
		}
	}
	groups, pages := read("", "")
	require.Len(t, groups, 60)
	require.Equal(t, 3, pages)
	seen := map[string]bool{}
	for i, g := range groups {
		require.False(t, seen[g.ID], "%s comes twice", g.ID)
		seen[g.ID] = true
		require.True(t, i == 0 || g.At <= groups[i-1].At, "newest first")
	}
	groups, pages = read("LONG ago quinsy", "note")
	require.Len(t, groups, 1)
	require.Equal(t, 1, pages, "words are looked for in all that is beside, at once")
	require.Equal(t, far, groups[0].ID)
	groups, _ = read("quinsy", "result")
	require.Empty(t, groups)
	n, err := c.app.Note.Bring(ctx, c.doctor(), id, []string{"note|" + far + "|subjective|typed|0|0"})
	require.NoError(t, err)
	require.Contains(t, reads(n), "quinsy of long ago")
	_, err = c.app.Note.Bring(ctx, c.doctor(), id, []string{"note|" + id + "|subjective|typed|0|0"})
	require.Equal(t, act.Conflict, kind(t, err), "a note is not beside itself")
}
