package app_test

import (
	"context"
	"fmt"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	notes "deftledger/app/note"
	"deftledger/core/chart"
	"deftledger/core/note"
	"deftledger/core/visit"
	"deftledger/store"
)

var ctx = context.Background()

func (c *clinic) note() string {
	c.Helper()
	id, err := c.app.Note.StartVisit(ctx, c.doctor(), visitID)
	require.NoError(c, err)
	return id
}

func (c *clinic) save(id string, part note.Part, text string, base int, saveID string) notes.Saved {
	c.Helper()
	s, err := c.app.Note.SavePart(ctx, c.doctor(), id, part, text, base, saveID)
	require.NoError(c, err)
	return s
}

// written fills a note so that it can be signed.
func (c *clinic) written() (id string, versions map[string]int, list int) {
	c.Helper()
	id = c.note()
	versions = map[string]int{}
	for _, p := range note.Parts {
		versions[string(p)] = c.save(id, p, "Text of "+string(p)+".", 0, "first"+string(p)).Version
	}
	require.NoError(c, c.app.Note.SetDiagnoses(ctx, c.doctor(), id, []string{"M10.071", "I10"}, 1))
	return id, versions, 2
}

func TestASaveSentAgainCountsOnce(t *testing.T) {
	c := open(t)
	id := c.note()
	first := c.save(id, note.Plan, "Rest.", 0, "save-1")
	again := c.save(id, note.Plan, "Rest.", 0, "save-1")
	require.Equal(t, 1, first.Version)
	require.Equal(t, first, again)
	require.False(t, again.Stale)
	next := c.save(id, note.Plan, "Rest and ice.", 1, "save-2")
	require.Equal(t, 2, next.Version)
}

func TestAStaleSaveIsRefusedAndBothTextsAreKept(t *testing.T) {
	c := open(t)
	id := c.note()
	c.save(id, note.Plan, "Rest.", 0, "a")
	other, err := c.app.Note.SavePart(ctx, c.who["second"], id, note.Plan, "Surgery.", 0, "b")
	require.NoError(t, err)
	require.True(t, other.Stale)
	require.Equal(t, "Rest.", other.Now.Text)
	require.Equal(t, 1, other.Version)
	v, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "Rest.", v.Parts[4].Text)
	require.Len(t, v.Conflicts, 1)
	require.Equal(t, "Surgery.", v.Conflicts[0].Text)
	require.Equal(t, "A second", v.Conflicts[0].By)
	_, err = c.app.Note.SavePart(ctx, c.who["second"], id, note.Plan, "Surgery.", 0, "b")
	require.NoError(t, err)
	require.Equal(t, 1, c.count("SELECT count(*) FROM note_conflict"), "sent again, it is kept once")
	require.NoError(t, c.app.Note.SettleConflict(ctx, c.doctor(), id, v.Conflicts[0].ID))
	require.Equal(t, act.Missing, kind(t, c.app.Note.SettleConflict(ctx, c.doctor(), id, v.Conflicts[0].ID)))
	require.Equal(t, 1, c.count("SELECT count(*) FROM note_conflict WHERE text = 'Surgery.'"), "decided, but not deleted")
}

// Many writers race for each version: exactly one wins, and no text is lost.
func TestRacingWritersLoseNothing(t *testing.T) {
	c := open(t)
	id := c.note()
	const writers, rounds = 8, 5
	for round := range rounds {
		var wg sync.WaitGroup
		won := make(chan string, writers)
		for w := range writers {
			wg.Go(func() {
				text := fmt.Sprintf("round %d writer %d", round, w)
				s, err := c.app.Note.SavePart(ctx, c.doctor(), id, note.Plan, text, round, text)
				if err == nil && !s.Stale {
					won <- text
				}
			})
		}
		wg.Wait()
		require.Len(t, won, 1)
	}
	require.Equal(t, rounds*(writers-1), c.count("SELECT count(DISTINCT text) FROM note_conflict"))
}

func TestSigning(t *testing.T) {
	c := open(t)
	id, versions, list := c.written()
	_, err := c.app.Note.SignNote(ctx, c.doctor(), id, "", versions, list, "")
	require.Equal(t, act.Unproven, kind(t, err), "without the secret")
	_, err = c.app.Note.SignNote(ctx, c.doctor(), id, "wrong!", versions, list, "")
	require.Equal(t, act.Unproven, kind(t, err), "with a wrong one")
	_, err = c.app.Note.SignNote(ctx, c.doctor(), id, password, versions, list, "")
	require.Equal(t, act.Unproven, kind(t, err), "with the password instead")
	c.save(id, note.Plan, "Changed meanwhile.", 1, "later")
	_, err = c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, list, "")
	require.Equal(t, act.Conflict, kind(t, err), "what the signer has not seen is not signed")
	versions["plan"] = 2
	_, err = c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, list-1, "")
	require.Equal(t, act.Conflict, kind(t, err), "nor a list of diagnoses they have not seen")
	folio, err := c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, list, "")
	require.NoError(t, err)
	again, err := c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, list, "")
	require.NoError(t, err)
	require.Equal(t, folio, again, "signed twice is signed once")
	require.Equal(t, 1, c.count("SELECT count(*) FROM ledger_entry WHERE kind = 'note'"))
	require.Equal(t, 0, c.count("SELECT count(*) FROM line WHERE kind = 'note' AND closed_at = ''"))

	s, err := c.app.Note.SavePart(ctx, c.doctor(), id, note.Plan, "After signing.", 2, "late")
	require.NoError(t, err)
	require.True(t, s.Stale, "a signed note takes no save, and the text is kept")
	require.Equal(t, 1, c.count("SELECT count(*) FROM note_conflict WHERE text = 'After signing.'"))
	require.Equal(t, act.Conflict, kind(t, c.app.Note.SetDiagnoses(ctx, c.doctor(), id, nil, list)))

	_, err = c.app.Note.Amend(ctx, c.doctor(), id, secret, "It was the left toe.")
	require.NoError(t, err)
	v, err := c.app.Note.Note(ctx, c.who[act.Nurse], id)
	require.NoError(t, err)
	require.Equal(t, "Changed meanwhile.", v.Sealed.Sections[4].Text)
	require.Len(t, v.Amendments, 1)
	require.Equal(t, "It was the left toe.", v.Amendments[0].Sections[0].Text)
	require.Empty(t, c.verify())
	raw, err := c.app.Paper.NotePDF(ctx, c.doctor(), id, "")
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(string(raw), "%PDF-"))
}

func TestANoteThatIsNotReadyIsNotSigned(t *testing.T) {
	c := open(t)
	id := c.note()
	_, err := c.app.Note.SignNote(ctx, c.doctor(), id, secret, map[string]int{}, 1, "")
	require.Equal(t, act.Invalid, kind(t, err))
	require.ErrorContains(t, err, "Nothing is written under subjective"[1:])
	_, err = c.app.Paper.NotePDF(ctx, c.doctor(), id, "")
	require.Equal(t, act.Conflict, kind(t, err), "a draft is not printed as a document")
	_, err = c.app.Note.Amend(ctx, c.doctor(), id, secret, "x")
	require.Equal(t, act.Conflict, kind(t, err), "a draft is changed, not amended")
}

func TestDiagnosesAreChecked(t *testing.T) {
	c := open(t)
	id := c.note()
	for codes, says := range map[string]string{"M10.07": "heading", "274.9": "no such code", "I10,I10": "on the list already"} {
		err := c.app.Note.SetDiagnoses(ctx, c.doctor(), id, strings.Split(codes, ","), 1)
		require.Equal(t, act.Invalid, kind(t, err), codes)
		require.ErrorContains(t, err, says)
	}
	require.NoError(t, c.app.Note.SetDiagnoses(ctx, c.doctor(), id, []string{"m10071", "I10"}, 1))
	err := c.app.Note.SetDiagnoses(ctx, c.who["second"], id, []string{"I10"}, 1)
	require.Equal(t, act.Conflict, kind(t, err), "a list somebody else changed")
	v, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "M10.071", v.Diagnoses[0].Code)
	require.Empty(t, v.Warning, "4 May 2026 is in the edition")
}

func TestOthersInTheNoteAreTold(t *testing.T) {
	c := open(t)
	id := c.note()
	events, done := c.app.Hub.Subscribe(act.Physician)
	defer done()
	others, err := c.app.Note.Writing(ctx, c.doctor(), id, "w1", false)
	require.NoError(t, err)
	require.Empty(t, others)
	others, err = c.app.Note.Writing(ctx, c.who["second"], id, "w2", false)
	require.NoError(t, err)
	require.Equal(t, []string{"A physician"}, others)
	require.Equal(t, act.WritingEvent, (<-events).Kind)
	require.Equal(t, act.WritingEvent, (<-events).Kind)
	others, _ = c.app.Note.Writing(ctx, c.doctor(), id, "w1", false)
	require.Equal(t, []string{"A second"}, others)
	_, _ = c.app.Note.Writing(ctx, c.who["second"], id, "w2", true)
	others, _ = c.app.Note.Writing(ctx, c.doctor(), id, "w1", false)
	require.Empty(t, others)
}

// TestAChildIsAskedAsAChild: whatever the visit is called, a child gets the questions of a child, and somebody who
// is grown does not.
func TestAChildIsAskedAsAChild(t *testing.T) {
	for _, x := range []struct{ born, kind, reason, asks string }{
		{"2018-05-03", "Annual visit", "Annual physical", "well-child"}, {"2018-05-03", "Well-child visit", "Check-up", "well-child"},
		{"2018-05-03", "Acute visit", "Cough", "cough"}, {"2008-05-05", "Annual visit", "Annual physical", "well-child"},
		{"2008-05-04", "Annual visit", "Annual physical", "check-up"}, {"1968-03-14", "Well-child visit", "Visit", "check-up"},
		{"", "Annual visit", "Annual physical", "check-up"},
	} {
		c := open(t)
		require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
			if err := q.AddPatient(chart.Patient{ID: "kid", Record: "SK-7", Name: chart.Name{Family: "Roe", Given: "Arlo"}, BirthDate: x.born, Sex: "M"}); err != nil {
				return err
			}
			return q.AddVisit(visit.Visit{ID: "kv", PatientID: "kid", ClinicianID: c.doctor().ID, Day: "2026-05-04", StartsAt: c.now, Kind: x.kind, Reason: x.reason,
				Stage: "ready", StageAt: c.now})
		}))
		id, err := c.app.Note.StartVisit(ctx, c.doctor(), "kv")
		require.NoError(t, err)
		n, err := c.app.Note.Note(ctx, c.doctor(), id)
		require.NoError(t, err)
		require.Len(t, n.Interviews, 1, x)
		require.Equal(t, x.asks, n.Interviews[0].ID, x)
	}
}
