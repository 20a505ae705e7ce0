package app_test

import (
	"fmt"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/intake"
	"deftledger/app/session"
	"deftledger/core/note"
)

// TestTwoHundredGuessesAtOnceAreFive: a try is counted before it is checked, so guessing at once gains nothing.
func TestTwoHundredGuessesAtOnceAreFive(t *testing.T) {
	c := open(t)
	var wg sync.WaitGroup
	var mu sync.Mutex
	kinds := map[act.Kind]int{}
	for range 200 {
		wg.Go(func() {
			_, err := c.app.Session.SignIn(ctx, "physician", "guess", "")
			mu.Lock()
			kinds[kind(t, err)]++
			mu.Unlock()
		})
	}
	wg.Wait()
	require.Equal(t, map[act.Kind]int{act.Unproven: 5, act.TooOften: 195}, kinds)
	require.Equal(t, 5, c.count("SELECT count(*) FROM audit WHERE act = 'wrong password' AND staff_id = ?", c.doctor().ID), "each is recorded")
}

// TestWhoGuessesAtTheDoorShutsNobodysScreen: the locked screen keeps a count of its own.
func TestWhoGuessesAtTheDoorShutsNobodysScreen(t *testing.T) {
	c := open(t)
	token, err := c.app.Session.SignIn(ctx, "physician", password, "")
	require.NoError(t, err)
	who, staff, err := c.app.Session.Who(ctx, token, true)
	require.NoError(t, err)
	require.NoError(t, c.app.Session.Lock(ctx, who))
	for range 20 {
		_, err = c.app.Session.SignIn(ctx, "physician", "guess", "")
		require.Error(t, err)
	}
	require.NoError(t, c.app.Session.Unlock(ctx, who, staff, password))
	for range 5 {
		require.Equal(t, act.Unproven, kind(t, c.app.Session.Unlock(ctx, who, staff, "guess")))
	}
	require.Equal(t, act.TooOften, kind(t, c.app.Session.Unlock(ctx, who, staff, password)))
}

// TestAClockSetBackLeavesNoLockout: a wait longer than any that is given comes of a clock that was changed.
func TestAClockSetBackLeavesNoLockout(t *testing.T) {
	c := open(t)
	c.now = c.now.Add(48 * time.Hour)
	for range 5 {
		_, err := c.app.Session.SignIn(ctx, "physician", "guess", "")
		require.Error(t, err)
	}
	c.now = c.now.Add(-48 * time.Hour)
	_, err := c.app.Session.SignIn(ctx, "physician", password, "")
	require.NoError(t, err)
}

// TestInventedNamesLeaveNothingBehind: they are answered as a wrong password is, wait as it does, and no row is written.
func TestInventedNamesLeaveNothingBehind(t *testing.T) {
	c := open(t)
	before := c.count("SELECT (SELECT count(*) FROM attempt) + (SELECT count(*) FROM audit)")
	for i := range 30 {
		_, err := c.app.Session.SignIn(ctx, fmt.Sprintf("invented%d", i), "guess", "")
		require.Equal(t, act.Unproven, kind(t, err))
	}
	for range 5 {
		_, err := c.app.Session.SignIn(ctx, "one name", "guess", "")
		require.Equal(t, act.Unproven, kind(t, err))
	}
	_, err := c.app.Session.SignIn(ctx, "one name", "guess", "")
	require.Equal(t, act.TooOften, kind(t, err), "as somebody's would")
	require.Equal(t, before, c.count("SELECT (SELECT count(*) FROM attempt) + (SELECT count(*) FROM audit)"))
	from := act.WithAddress(ctx, "192.0.2.7")
	for i := range 30 {
		_, err := c.app.Session.SignIn(from, fmt.Sprintf("other%d", i), "guess", "")
		require.Equal(t, act.Unproven, kind(t, err))
	}
	_, err = c.app.Session.SignIn(from, "physician", password, "")
	require.Equal(t, act.TooOften, kind(t, err), "the address waits")
	_, err = c.app.Session.SignIn(act.WithAddress(ctx, "192.0.2.8"), "physician", password, "")
	require.NoError(t, err, "and another does not")
}

// TestAPersonChangesTheirOwnSecrets: with the password of now, which is counted; they are signed out everywhere else,
// and see where they are signed in.
func TestAPersonChangesTheirOwnSecrets(t *testing.T) {
	c := open(t)
	in := func(p string) (act.Actor, error) {
		token, err := c.app.Session.SignIn(ctx, "physician", p, "")
		if err != nil {
			return act.Actor{}, err
		}
		who, _, err := c.app.Session.Who(ctx, token, true)
		return who, err
	}
	here, err := in(password)
	require.NoError(t, err)
	_, err = in(password)
	require.NoError(t, err)
	all, err := c.app.Session.OwnSessions(ctx, here)
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(all), 2)
	for name, n := range map[string]session.NewSecrets{
		"nothing new":                {Current: password},
		"too short":                  {Current: password, Password: "short"},
		"a secret too short":         {Current: password, Secret: "abc"},
		"both the same":              {Current: password, Password: "quite-another-one", Secret: "quite-another-one"},
		"the secret is the old one":  {Current: password, Secret: password},
		"the password is the secret": {Current: password, Password: secret + secret, Secret: secret + secret},
	} {
		require.Equal(t, act.Invalid, kind(t, c.app.Session.ChangeOwnSecrets(ctx, here, n)), name)
	}
	require.Equal(t, act.Unproven, kind(t, c.app.Session.ChangeOwnSecrets(ctx, here, session.NewSecrets{Current: "guess", Password: "quite-another-one"})))
	require.NoError(t, c.app.Session.ChangeOwnSecrets(ctx, here, session.NewSecrets{Current: password, Password: "quite-another-one"}))
	all, err = c.app.Session.OwnSessions(ctx, here)
	require.NoError(t, err)
	require.Len(t, all, 1, "signed out everywhere else")
	require.True(t, all[0].Here)
	_, err = in(password)
	require.Equal(t, act.Unproven, kind(t, err))
	other, err := in("quite-another-one")
	require.NoError(t, err)
	all, err = c.app.Session.OwnSessions(ctx, other)
	require.NoError(t, err)
	for _, s := range all {
		if !s.Here {
			require.NoError(t, c.app.Session.EndOwnSession(ctx, other, s.ID))
		}
	}
	require.Equal(t, act.Missing, kind(t, c.app.Session.EndOwnSession(ctx, other, "none")))
	require.Equal(t, 1, c.count("SELECT count(*) FROM audit WHERE act = 'change the own password or secret'"))
	require.NoError(t, c.app.OpenSigning(ctx, &other, secret), "the signing secret stayed")
}

// TestSignedStaysSigned: no path of another visit, role or person changes what a signed visit shows; an amendment by
// another than the author says so.
func TestSignedStaysSigned(t *testing.T) {
	c := open(t)
	taken, err := c.app.Intake.TakeVitals(ctx, c.jonah(), visitID, []intake.VitalEntry{{LOINC: "8867-4", Text: "78"}}, false)
	require.NoError(t, err)
	vital := ""
	for _, r := range taken.Intake.Vitals {
		if len(r.Today) > 0 {
			vital = r.Today[0].ID
		}
	}
	id, versions, list := c.written()
	_, err = c.app.Note.SavePart(ctx, c.who["second"], id, note.Plan, "Surgery.", 0, "stale")
	require.NoError(t, err, "kept beside")
	n, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	conflict := n.Conflicts[0].ID
	require.NoError(t, c.app.Note.SettleConflict(ctx, c.doctor(), id, conflict))
	_, err = c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, list, "")
	require.NoError(t, err)
	c.raw(`INSERT INTO visit(id, patient_id, clinician_id, day, starts_at, kind, reason, stage, stage_at)
		SELECT 'v9', patient_id, clinician_id, day, starts_at, kind, reason, 'intake', stage_at FROM visit WHERE id = '` + visitID + `'`)
	_, err = c.app.Intake.StrikeVital(ctx, c.jonah(), "v9", vital)
	require.Equal(t, act.Missing, kind(t, err), "a vital sign of a signed visit is not struck from another")
	_, err = c.app.Intake.StrikeVital(ctx, c.jonah(), visitID, vital)
	require.Equal(t, act.Conflict, kind(t, err))
	v, err := c.app.Visit.Visit(ctx, c.doctor(), visitID)
	require.NoError(t, err)
	require.Equal(t, act.Conflict, kind(t, c.app.Visit.MoveVisit(ctx, c.jonah(), visitID, "intake", v.Version)), "the stage does not go back")
	require.Equal(t, act.Conflict, kind(t, c.app.Note.SettleConflict(ctx, c.doctor(), id, conflict)))
	_, err = c.app.Note.Amend(ctx, c.who["second"], id, secret, "Added by a colleague.")
	require.NoError(t, err)
	n, err = c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Contains(t, n.Amendments[0].Sections[0].Heading, "by another than the author")
	_, err = c.app.Note.Amend(ctx, c.doctor(), id, secret, "Added by the author.")
	require.NoError(t, err)
	n, err = c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "Amendment", n.Amendments[len(n.Amendments)-1].Sections[0].Heading)
}
