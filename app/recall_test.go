package app_test

import (
	"bytes"
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/recall"
	"deftledger/app/reminder"
	"deftledger/core/chart"
	"deftledger/store"
)

// remindable are people of whom a run finds something, each another case.
func (c *clinic) remindable() {
	c.Helper()
	at := chart.Address{Street: "4 Quay Lane", City: "Skerrow", State: "ME", Zip: "04999"}
	people := []chart.Registration{
		{Family: "Letter", BirthDate: "1960-01-01", Address: at},
		{Family: "Portal", BirthDate: "1960-01-01", Address: at, Portal: true},
		{Family: "Dead", BirthDate: "1960-01-01", Address: at, Died: "2026-01-05"},
		{Family: "Gone", BirthDate: "1960-01-01", Address: at, Left: "2026-01-05"},
		{Family: "Unwilling", BirthDate: "1960-01-01", Address: at, NoReminders: true},
		{Family: "Nowhere", BirthDate: "1960-01-01"},
		{Family: "Young", BirthDate: "2011-01-01", Address: at, Portal: true, Contacts: []chart.Contact{{ID: "m", Name: "Ada Young", Relation: "mother", Guardian: true}}},
	}
	require.NoError(c, c.store.Write(ctx, func(q *store.Q) error {
		for i, r := range people {
			r.Given, r.Sex = "A", "F"
			p := chart.Patient{ID: "r" + r.Family, Record: fmt.Sprint("SK-R", i), Name: chart.Name{Family: r.Family, Given: r.Given}, BirthDate: r.BirthDate, Sex: "F", UsesPortal: r.Portal}
			if err := q.AddPatient(p); err != nil {
				return err
			}
			if err := q.AddRegistration(store.RegistrationVersion{ID: "rr" + r.Family, PatientID: p.ID, Version: 1, Content: r, By: c.doctor().ID, At: c.now}); err != nil {
				return err
			}
			if err := q.SetPatient(r.Patient(p), r); err != nil {
				return err
			}
		}
		return nil
	}))
}

// reminded writes to the patient of the clinic by mail, and names the line.
func (c *clinic) reminded() string {
	c.Helper()
	was := c.app.Elsewhere.Portal
	c.app.Elsewhere.Portal = "http://127.0.0.1:1"
	defer func() { c.app.Elsewhere.Portal = was }()
	_, err := c.app.Recall.Recall(ctx, c.doctor(), recall.ToRecall{ID: "reminded", Run: c.run(reminder.Wanted{}).ID, Send: true})
	require.NoError(c, err)
	return c.text("SELECT id FROM inquiry WHERE kind = 'reminder by mail' AND patient_id = ?", patientID)
}

func (c *clinic) recalled(r recall.Recalls) map[string]recall.RecallMail {
	out := map[string]recall.RecallMail{}
	for _, x := range r.Rows {
		out[x.Patient.Family] = x
	}
	return out
}

// Whom a run found is written to by the way that is theirs, the others are named with the reason; each is a line until
// somebody says what came of it, and nothing is written twice.
func TestRemindersByMail(t *testing.T) {
	c := open(t)
	c.others()
	c.remindable()
	run := c.run(reminder.Wanted{})
	w := recall.ToRecall{ID: "request-1", Run: run.ID}
	shown, err := c.app.Recall.Recall(ctx, c.doctor(), w)
	require.NoError(t, err)
	require.Zero(t, c.count("SELECT count(*) FROM inquiry WHERE kind = 'reminder by mail'"), "showing writes nothing")
	by := c.recalled(shown)
	require.NotContains(t, by, "Dead", "for whom nothing is due is not found at all")
	require.Equal(t, "letter", by["Letter"].Way)
	require.Contains(t, by["Letter"].Text, "- Colorectal cancer screening")
	require.NotContains(t, by["Letter"].Text, "HIV")
	require.Positive(t, by["Letter"].Kept)
	require.Equal(t, "portal", by["Portal"].Way)
	require.NotContains(t, by, "Gone", "who no longer comes is in no count and no list")
	require.Equal(t, 1, run.Left)
	require.Contains(t, by["Unwilling"].Why, "does not want to be reminded")
	require.Contains(t, by["Nowhere"].Why, "no address")
	require.Equal(t, "letter", by["Young"].Way, "a parent may read the portal")
	require.Contains(t, by["Young"].Text, "Dear Ada Young,")
	require.NotContains(t, by["Young"].Text, "HIV")

	w.Send = true
	var work sync.WaitGroup
	for range 3 { // pressed again before the answer was there
		work.Go(func() {
			_, err := c.app.Recall.Recall(ctx, c.doctor(), w)
			require.NoError(t, err)
		})
	}
	work.Wait()
	sent, err := c.app.Recall.Recall(ctx, c.doctor(), w)
	require.NoError(t, err)
	require.Equal(t, []int{shown.Letter, shown.Portal, shown.Not}, []int{sent.Letter, sent.Portal, sent.Not})
	require.Equal(t, shown.Letter+shown.Portal, c.count("SELECT count(*) FROM inquiry WHERE kind = 'reminder by mail'"))
	require.Equal(t, shown.Letter+shown.Portal, c.count("SELECT count(*) FROM line WHERE kind = 'reminder by mail' AND closed_at = ''"))
	require.Equal(t, shown.Portal, c.count("SELECT count(*) FROM message"))
	require.Zero(t, c.count("SELECT count(*) FROM inquiry WHERE patient_id IN ('rDead', 'rGone', 'rUnwilling', 'rNowhere')"))
	letters, err := c.app.Recall.Letters(ctx, c.doctor(), "request-1")
	require.NoError(t, err)
	require.True(t, bytes.HasPrefix(letters, []byte("%PDF-")))
	require.Equal(t, shown.Letter, bytes.Count(letters, []byte("/Type /Page\n")), "a page each")
	_, err = c.app.Recall.Letters(ctx, c.doctor(), "request-2")
	require.Equal(t, act.Missing, kind(t, err))

	again, err := c.app.Recall.Recall(ctx, c.doctor(), recall.ToRecall{ID: "request-2", Run: run.ID, Send: true})
	require.NoError(t, err)
	require.Contains(t, c.recalled(again)["Letter"].Why, "was written to on")
	require.Zero(t, again.Letter+again.Portal)

	id := c.text("SELECT id FROM inquiry WHERE kind = 'reminder by mail' AND patient_id = 'rLetter'")
	view, err := c.app.Recall.Open(ctx, c.sunniva(), id)
	require.NoError(t, err)
	require.Equal(t, "open", view.State)
	require.NotEmpty(t, view.Stands)
	require.Equal(t, act.Invalid, kind(t, c.app.Recall.Close(ctx, c.sunniva(), id, recall.Came{Outcome: "no idea"})))
	require.Equal(t, act.Invalid, kind(t, c.app.Recall.Close(ctx, c.sunniva(), id, recall.Came{Outcome: "dropped"})), "without a reason")
	require.NoError(t, c.app.Recall.Close(ctx, c.sunniva(), id, recall.Came{Outcome: "wants no more reminders", Remark: "told by telephone"}))
	require.Equal(t, act.Conflict, kind(t, c.app.Recall.Close(ctx, c.sunniva(), id, recall.Came{Outcome: "booked"})))
	require.Equal(t, "1", c.text("SELECT content ->> '$.noReminders' FROM registration WHERE patient_id = 'rLetter' ORDER BY version DESC LIMIT 1"))
	third, err := c.app.Recall.Recall(ctx, c.doctor(), recall.ToRecall{ID: "request-3", Run: run.ID})
	require.NoError(t, err)
	require.Contains(t, c.recalled(third)["Letter"].Why, "does not want to be reminded")
	require.Empty(t, c.verify(), "the trail holds")
	_, err = c.app.Recall.Recall(ctx, c.who["second"], w)
	require.Equal(t, act.Missing, kind(t, err), "a run is of who began it")
}
