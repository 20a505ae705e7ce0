package app_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/release"
	"deftledger/core/chart"
	"deftledger/core/result"
	"deftledger/standin"
	"deftledger/store"
)

// portal is the portal of others, with the account of the patient of the tests.
func (c *clinic) portal() *standin.Elsewhere {
	c.Helper()
	e := &standin.Elsewhere{Accounts: []string{"SK-1"}}
	require.NoError(c, e.Open("127.0.0.1:0"))
	c.Cleanup(e.Close)
	c.app.Elsewhere.Portal = e.Base()
	return e
}

// lastReport is the last report of the desk.
func (c *clinic) lastReport() string {
	c.Helper()
	all := c.desk().Reports
	require.NotEmpty(c, all)
	return all[len(all)-1].ID
}

// A result goes to the portal at once when it is final, each issue once; a preliminary one waits for it; one that leaves the chart is
// taken back. Released is not told: the report stays open.
func TestResultsAreReleasedAtOnce(t *testing.T) {
	c := open(t)
	portal := c.portal()
	o := c.order("K")
	c.step()
	c.receive(oru("R1", o.Placer+"-1", "P", "4.4"), "AA")
	c.step()
	require.Empty(t, portal.Released(), "a preliminary one is not released")
	id := c.lastReport()
	v, err := c.app.Result.Report(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "waits", v.Release.State)
	c.receive(oru("R2", o.Placer+"-1", "F", "4.4"), "AA")
	c.step()
	c.receive(oru("R2", o.Placer+"-1", "F", "4.4"), "AA")
	c.step()
	require.Equal(t, map[string]string{id: "final"}, portal.Released())
	v, err = c.app.Result.Report(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, []string{"released", "the portal has it"}, []string{v.Release.State, v.Release.Says})
	require.False(t, v.Signed, "released is not told, and not signed")
	_, err = c.app.Release.HoldBack(ctx, c.doctor(), release.NewHold{Report: id, Reason: result.HoldHarm, Words: "x", Until: "2026-06-01"})
	require.ErrorContains(t, err, "It was released on 04 May 2026 and may have been read")
	c.receive(oru("R3", o.Placer+"-1", "C", "5.4"), "AA")
	c.step()
	require.Equal(t, map[string]string{id: "corrected"}, portal.Released())
	require.NoError(t, c.app.Result.Detach(ctx, c.doctor(), id, "Another person's."))
	c.step()
	require.Equal(t, map[string]string{id: "entered-in-error"}, portal.Released())
	require.Equal(t, 3, c.count("SELECT count(*) FROM outbox WHERE kind = 'release'"))
}

// What is held back is not released, neither by its signature nor by time: on its day it comes back, and somebody releases it or says
// why it is held on.
func TestAResultIsHeldBackForAReasonAndUntilADay(t *testing.T) {
	c := open(t)
	portal := c.portal()
	o := c.order("K")
	a := c.app.Release
	for _, x := range []release.NewHold{
		{Order: o.ID, Reason: "bad news", Words: "It is bad news.", Until: "2026-05-10"},
		{Order: o.ID, Reason: result.HoldHarm, Words: " ", Until: "2026-05-10"},
		{Order: o.ID, Reason: result.HoldHarm, Words: "x", Until: "2026-05-04"},
		{Order: o.ID, Reason: result.HoldHarm, Words: "x", Until: ""},
		{Reason: result.HoldHarm, Words: "x", Until: "2026-05-10"},
	} {
		_, err := a.HoldBack(ctx, c.doctor(), x)
		require.Equal(t, act.Invalid, kind(t, err), "%+v", x)
	}
	x := release.NewHold{Order: o.ID, Reason: result.HoldHarm, Words: "She spoke of harming herself if it is high.", Until: "2026-05-10"}
	_, err := a.HoldBack(ctx, c.petra(), x)
	require.Equal(t, act.Forbidden, kind(t, err))
	id, err := a.HoldBack(ctx, c.doctor(), x)
	require.NoError(t, err)
	_, err = a.HoldBack(ctx, c.doctor(), x)
	require.Equal(t, act.Conflict, kind(t, err))
	c.step()
	c.receive(oru("H1", o.Placer+"-1", "F", "6.0"), "AA")
	c.step()
	require.Empty(t, portal.Released())
	v, err := c.app.Result.Report(ctx, c.doctor(), c.lastReport())
	require.NoError(t, err)
	require.Equal(t, []string{"held back", id, "2026-05-10"}, []string{v.Release.State, v.Release.Hold, v.Release.Until})
	state := func() string {
		c.step()
		var out string
		require.NoError(t, past(t, c.dir).QueryRow("SELECT state FROM line WHERE kind = 'held back' AND subject = ?", id).Scan(&out))
		return out
	}
	require.Equal(t, "waiting on others", state())
	c.now = c.now.AddDate(0, 0, 7)
	require.Equal(t, "open", state(), "its day has passed")
	require.Empty(t, portal.Released(), "nothing is released by time alone")
	require.NoError(t, a.Prolong(ctx, c.doctor(), id, "2026-05-20", "She comes on the 19th."))
	require.Equal(t, "waiting on others", state())
	h, err := a.Hold(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, []any{"2026-05-20", false, "open"}, []any{h.Until, h.Passed, h.State})
	for range 2 {
		require.NoError(t, a.Release(ctx, c.doctor(), id))
	}
	c.step()
	require.Equal(t, map[string]string{v.ID: "final"}, portal.Released())
	require.Equal(t, "closed", state())
	require.Equal(t, act.Conflict, kind(t, a.Prolong(ctx, c.doctor(), id, "2026-06-01", "x")))
}

// Without a portal account, and where the clinic's rule on the young forbids it, nothing is released and nothing offered.
func TestWhereNothingIsReleased(t *testing.T) {
	for _, x := range []struct {
		born   string
		portal bool
		says   string
	}{{"1968-03-14", false, "does not use the portal"}, {"2012-03-14", true, "at this age results are told"}, {"", true, "birth date is not known"}} {
		c := open(t)
		portal := c.portal()
		require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
			return q.AddPatient(chart.Patient{ID: "p2", Record: "SK-2", Name: chart.Name{Family: "Young", Given: "Ann"}, BirthDate: x.born, Sex: "F", UsesPortal: x.portal})
		}))
		c.receive(oru("N1", "SK-NONE-1", "F", "4.4", "Marsh-Adeyemi^Ottoline||19680314|F", "Young^Ann|||F"), "AA")
		require.NoError(t, c.app.Circle.OpenChart(ctx, c.doctor(), "p2", "A result of hers has come."))
		require.NoError(t, c.app.Result.Attach(ctx, c.doctor(), c.desk().Quarantine[0].ID, "p2", "Hers."))
		c.step()
		require.Empty(t, portal.Released(), x.says)
		v, err := c.app.Result.Report(ctx, c.doctor(), c.lastReport())
		require.NoError(t, err)
		require.Equal(t, "not offered", v.Release.State)
		require.Contains(t, v.Release.Says, x.says)
		_, err = c.app.Release.HoldBack(ctx, c.doctor(), release.NewHold{Report: v.ID, Reason: result.HoldWish, Words: "x", Until: "2026-06-01"})
		require.Equal(t, act.Invalid, kind(t, err))
	}
}

// What left its chart before it went out is not sent at all; what went out is taken back although its patient has left the portal since.
func TestWhatIsTakenBackFromThePortal(t *testing.T) {
	c := open(t)
	portal := c.portal()
	o := c.order("K")
	c.step()
	c.receive(oru("T1", o.Placer+"-1", "F", "4.4"), "AA")
	require.NoError(t, c.app.Result.Detach(ctx, c.doctor(), c.lastReport(), "Another person's."))
	c.step()
	require.Empty(t, portal.Released())
	o = c.order("K")
	c.step()
	c.receive(oru("T2", o.Placer+"-1", "F", "4.4"), "AA")
	c.step()
	id := c.lastReport()
	require.Equal(t, map[string]string{id: "final"}, portal.Released())
	_, err := past(t, c.dir).Exec("UPDATE patient SET uses_portal = 0")
	require.NoError(t, err)
	require.NoError(t, c.app.Result.Detach(ctx, c.doctor(), id, "Another person's."))
	c.step()
	require.Equal(t, map[string]string{id: "entered-in-error"}, portal.Released())
}
