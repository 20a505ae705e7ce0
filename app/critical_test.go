package app_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/circle"
	"deftledger/app/result"
)

// critical has a potassium arrive that the laboratory flags as critical, and returns its report.
func (c *clinic) critical(control string) string {
	c.Helper()
	o := c.order("K")
	c.step()
	c.receive(oru(control, o.Placer+"-1", "F", "6.9", "3.5-5.1||||", "3.5-5.1|HH|||"), "AA")
	return c.text("SELECT r.id FROM report r WHERE r.order_id = ?", o.ID)
}

func (c *clinic) announced(who act.Actor) []result.CriticalView {
	c.Helper()
	out, err := c.app.Result.Announced(ctx, who)
	require.NoError(c, err)
	return out
}

// The clock runs: a critical value is announced to who answers for it, then to who covers, then to everybody who may sign, then to who
// is on call, whose pager is sent while nobody is at a screen; whoever takes it up answers for it from then on.
func TestACriticalValueGoesOnUntilItIsTakenUp(t *testing.T) {
	c := open(t)
	pagers := c.others()
	c.app.Elsewhere.Pager = pagers.Base()
	require.NoError(t, c.app.Result.SetUrgency(ctx, c.doctor(), result.Urgency{Minutes: 10, OnCall: []result.OnCallView{{Name: "Dr. Tak", Telephone: "555-0171"}}}))
	require.Equal(t, act.Invalid, kind(t, c.app.Result.SetUrgency(ctx, c.doctor(), result.Urgency{Minutes: 10, OnCall: []result.OnCallView{{Name: " ", Telephone: "555"}}})))
	today := c.app.Today()
	require.NoError(t, c.app.Circle.AddCover(ctx, c.doctor(), circle.CoverView{Of: c.doctor().ID, By: c.who[act.Practitioner].ID, From: today, To: today}))
	report := c.critical("C1")
	seen := func() (out []string) {
		for _, who := range []string{act.Physician, act.Practitioner, act.Associate, act.Nurse} {
			for _, x := range c.announced(c.who[who]) {
				out = append(out, who+": "+x.Says)
			}
		}
		return out
	}
	const says = "Potassium 6.9 mmol/L HH"
	require.Equal(t, []string{act.Physician + ": " + says}, seen())
	for _, x := range []struct {
		minutes int
		want    []string
	}{
		{9, []string{act.Physician}}, {1, []string{act.Physician, act.Practitioner}}, {9, []string{act.Physician, act.Practitioner}},
		{1, []string{act.Physician, act.Practitioner, act.Associate}}, {30, []string{act.Physician, act.Practitioner, act.Associate}},
	} {
		c.now = c.now.Add(time.Duration(x.minutes) * time.Minute)
		c.step()
		var want []string
		for _, who := range x.want {
			want = append(want, who+": "+says)
		}
		require.Equal(t, want, seen(), x.minutes)
	}
	c.step()
	require.Equal(t, map[string]string{"page-" + c.text("SELECT id FROM inquiry WHERE kind = 'critical'"): "555-0171"}, pagers.Pages(), "nobody was at a screen")
	require.Equal(t, "Dr. Tak, 555-0171", c.announced(c.doctor())[0].Paged)
	require.Equal(t, 4, c.count("SELECT count(*) FROM inquiry_event WHERE kind = 'announced to'"), "each step is noted once")

	id := c.announced(c.doctor())[0].ID
	require.Equal(t, act.Forbidden, kind(t, c.app.Result.TakeCritical(ctx, c.petra(), id)))
	for range 2 {
		require.NoError(t, c.app.Result.TakeCritical(ctx, c.who[act.Associate], id))
	}
	require.Equal(t, act.Conflict, kind(t, c.app.Result.TakeCritical(ctx, c.doctor(), id)))
	require.Empty(t, seen())
	require.Equal(t, c.who[act.Associate].ID, c.text("SELECT owner_id FROM line WHERE kind = 'report' AND subject = ?", report), "with a trace")
	require.Equal(t, 1, c.count("SELECT count(*) FROM audit WHERE act = 'take a critical value up' AND detail LIKE 'in place of%'"))
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'report' AND closed_at = ''"), "taking up closes nothing")
	require.Empty(t, c.verify())
}

// With somebody at a screen nobody is paged, and with nobody on call that is said.
func TestThePagerIsForEmptyScreens(t *testing.T) {
	for name, x := range map[string]struct {
		screen bool
		onCall bool
		pager  bool
		want   string
	}{
		"somebody is there":    {true, true, true, ""},
		"nobody on call":       {false, false, true, "nobody is on call: nobody could be paged"},
		"no pager":             {false, true, false, "Dr. Tak, 555-0171: no pager is connected, nothing was sent"},
		"the front desk alone": {false, true, true, "Dr. Tak, 555-0171"},
	} {
		t.Run(name, func(t *testing.T) {
			c := open(t)
			e := c.others()
			if x.pager {
				c.app.Elsewhere.Pager = e.Base()
			}
			u := result.Urgency{Minutes: 1}
			if x.onCall {
				u.OnCall = []result.OnCallView{{Name: "Dr. Tak", Telephone: "555-0171"}}
			}
			require.NoError(t, c.app.Result.SetUrgency(ctx, c.doctor(), u))
			role := act.FrontDesk
			if x.screen {
				role = act.Physician
			}
			_, done := c.app.Hub.Subscribe(role)
			defer done()
			c.critical("C1")
			c.now = c.now.Add(5 * time.Minute)
			c.step()
			require.Equal(t, x.want, c.announced(c.doctor())[0].Paged)
		})
	}
}

// A critical value is not signed before somebody was told of it; an attempt is none.
func TestACriticalValueNeedsItsContact(t *testing.T) {
	c := open(t)
	report := c.critical("C1")
	p := c.packet(c.doctor())
	sign := func(n int) error {
		_, err := c.app.Packet.Settle(ctx, c.doctor(), patientID, c.decided(c.packet(c.doctor()), fmt.Sprintf("critical-%d", n), "telephone", "sign"))
		return err
	}
	require.Equal(t, act.Conflict, kind(t, sign(1)))
	require.Equal(t, act.Invalid, kind(t, c.app.Result.TellCritical(ctx, c.petra(), report, result.CriticalContact{Reached: true, How: "telephone"})))
	require.NoError(t, c.app.Result.TellCritical(ctx, c.petra(), report, result.CriticalContact{Who: "Ottoline", How: "telephone", Remark: "mailbox"}))
	require.Equal(t, act.Conflict, kind(t, sign(2)), "an attempt is no contact")
	require.Len(t, c.announced(c.doctor()), 1, "and takes nothing up")
	require.NoError(t, c.app.Result.TellCritical(ctx, c.petra(), report, result.CriticalContact{Reached: true, Who: "Ottoline", How: "telephone", ReadBack: true}))
	require.Empty(t, c.announced(c.doctor()))
	p = c.packet(c.doctor())
	require.True(t, p.Reports[0].Told)
	says := ""
	for _, x := range p.Reports[0].Contacts {
		says += x.Says + "; "
	}
	require.Contains(t, says, "no answer Ottoline, telephone: mailbox; contact Ottoline, telephone, read back")
	require.NoError(t, sign(3))
	require.Empty(t, c.verify())
}

// A value that the laboratory did not flag is critical by the clinic's own limits, which stand beside it with their source; corrected, it
// is announced anew.
func TestTheClinicsOwnLimits(t *testing.T) {
	c := open(t)
	o := c.order("K")
	c.step()
	c.receive(oru("L1", o.Placer+"-1", "F", "6.3", "3.5-5.1||||", "3.5-5.1|H|||"), "AA")
	require.Len(t, c.announced(c.doctor()), 1)
	v := c.packet(c.doctor()).Reports[0].Values[0]
	require.Equal(t, "critical above", v.Side)
	require.Equal(t, "above the clinic's critical limit of 6.2 mmol/L (Kost 1990)", v.Details.Limit)
	require.NoError(t, c.app.Result.TakeCritical(ctx, c.doctor(), c.announced(c.doctor())[0].ID))
	c.receive(oru("L2", o.Placer+"-1", "C", "7.1", "3.5-5.1||||", "3.5-5.1|H|||", "20260504115500", "20260504125500"), "AA")
	require.Equal(t, "Potassium 7.1 mmol/L H", c.announced(c.doctor())[0].Says)
	require.False(t, c.announced(c.doctor())[0].Corrected)
	c.receive(oru("L3", o.Placer+"-1", "C", "4.4", "20260504115500", "20260504135500"), "AA")
	require.Len(t, c.announced(c.doctor()), 1, "what was announced is taken up by a person, not by a correction")
	require.True(t, c.announced(c.doctor())[0].Corrected, "which is said")
}
