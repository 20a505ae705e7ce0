package app_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/directory"
	"deftledger/app/referral"
	core "deftledger/core/referral"
	"deftledger/standin"
)

// practiceIn keeps a practice that is reached in some way.
func (c *clinic) practiceIn(reach string) directory.AddresseeView {
	c.Helper()
	v, err := c.app.Directory.Keep(ctx, c.sunniva(), directory.AddresseeView{Kind: directory.Practice, Name: "Kidney Clinic " + reach, Person: "Dr. Tak", Specialty: "Nephrology",
		Fax: "555-0172", Account: "tak", Reach: reach})
	require.NoError(c, err)
	return v
}

func (c *clinic) referral(to directory.AddresseeView, request string) referral.NewReferral {
	return referral.NewReferral{PatientID: patientID, VisitID: visitID, To: to.ID, Question: "Is this the kidney?", Urgency: "routine", Diagnoses: []string{"M10.071"}, RequestID: request, Secret: secret}
}

func (c *clinic) refer(to directory.AddresseeView, request string) referral.ReferralView {
	c.Helper()
	v, err := c.app.Referral.Refer(ctx, c.doctor(), c.referral(to, request))
	require.NoError(c, err)
	return v
}

func (c *clinic) referred(id string) referral.ReferralView {
	c.Helper()
	v, err := c.app.Referral.Open(ctx, c.doctor(), id)
	require.NoError(c, err)
	return v.Referral
}

func (c *clinic) receivers() *standin.Elsewhere {
	e := &standin.Elsewhere{Receivers: []string{"tak"}}
	require.NoError(c, e.Open("127.0.0.1:0"))
	c.Cleanup(e.Close)
	c.app.Elsewhere.Receivers, c.app.Elsewhere.Fax = e.Base(), e.Base()
	return e
}

func (c *clinic) lineOf(id string) (state, mark string) {
	c.Helper()
	for _, l := range c.desk().Rows {
		if l.ID == id {
			return string(l.State), l.Mark
		}
	}
	return "", ""
}

// From the question to the signed report, with their system: each stage is seen, a question
// and a no-show come back, and only reading the report closes it.
func TestAReferralFromQuestionToReport(t *testing.T) {
	c := open(t)
	e := c.receivers()
	parts, err := c.app.Referral.Parts(ctx, c.doctor(), patientID, visitID)
	require.NoError(t, err)
	n := c.referral(c.practiceIn("electronic"), "one")
	for _, p := range parts.Parts {
		if p.ID == "medicines" || p.ID == "allergies" {
			n.Parts = append(n.Parts, referral.ChosenPart{ID: p.ID, Reads: p.Reads})
		}
	}
	require.Len(t, n.Parts, 2)
	v, err := c.app.Referral.Refer(ctx, c.doctor(), n)
	require.NoError(t, err)
	require.Equal(t, "signed, not sent", v.State)
	again, err := c.app.Referral.Refer(ctx, c.doctor(), n)
	require.NoError(t, err)
	require.Equal(t, v.ID, again.ID, "the same request is one referral")
	e.Set(func(e *standin.Elsewhere) { e.Down = true })
	c.step()
	e.Set(func(e *standin.Elsewhere) { e.Down = false })
	c.later(120)
	c.step()
	sent := e.Referrals()[v.Number]
	require.Equal(t, "Is this the kidney?", sent.Question)
	require.Equal(t, []string{"Referral letter", "Medicines", "Allergies"}, sent.Parts)
	require.Equal(t, "sent", c.referred(v.ID).State)

	tell := func(want string, f func(*standin.Sent)) {
		t.Helper()
		e.Tell(v.Number, f)
		c.step()
		c.step() // asked twice, told once
		require.Equal(t, want, c.referred(v.ID).State)
	}
	tell("accepted", func(s *standin.Sent) { s.Status = "accepted" })
	tell("they ask back", func(s *standin.Sent) { s.Status, s.Words = "on-hold", []string{"Which creatinine?"} })
	state, mark := c.lineOf(v.ID)
	require.Equal(t, "open they ask back", state+" "+mark)
	require.Equal(t, act.Invalid, kind(t, c.app.Referral.Answer(ctx, c.doctor(), v.ID, " ")))
	require.NoError(t, c.app.Referral.Answer(ctx, c.doctor(), v.ID, "1.4 mg/dL in March."))
	c.step()
	require.Equal(t, 2, e.Referrals()[v.Number].Times, "the answer went to them")
	tell("scheduled", func(s *standin.Sent) {
		s.Status, s.Business, s.Start, s.Words = "accepted", "scheduled", "2026-05-20T09:30:00-04:00", nil
	})
	require.Equal(t, "to be seen", c.referred(v.ID).Next)
	tell("did not come", func(s *standin.Sent) { s.Status, s.Business = "on-hold", "no show" })
	state, _ = c.lineOf(v.ID)
	require.Equal(t, "open", state, "a no-show comes back")
	tell("scheduled", func(s *standin.Sent) {
		s.Status, s.Business, s.Start = "accepted", "scheduled", "2026-05-27T09:30:00-04:00"
	})
	tell("scheduled", func(s *standin.Sent) {
		s.Mistake("Marsh", "Other", "1950-01-01")
		s.Status, s.Report = "completed", "Of somebody else."
	})
	state, mark = c.lineOf(v.ID)
	require.Equal(t, "open not certain", state+" "+mark, "a report of somebody else is not taken, and not silent")
	require.Zero(t, c.count("SELECT count(*) FROM document WHERE form LIKE 'report%'"))
	tell("report to be read", func(s *standin.Sent) {
		*s = standin.Restored(*s)
		s.Status, s.Report = "completed", "No kidney disease."
	})
	require.Equal(t, 1, c.count("SELECT count(*) FROM document WHERE form LIKE 'report%'"), "one document, however often it is asked")
	require.Equal(t, act.Conflict, kind(t, c.app.Referral.Cancel(ctx, c.doctor(), v.ID, "no longer")), "a report is read first")
	require.NoError(t, c.app.Referral.Read(ctx, c.doctor(), v.ID, "Good news; told by telephone.", secret))
	require.Equal(t, "closed", c.referred(v.ID).State)
	state, _ = c.lineOf(v.ID)
	require.Empty(t, state)
	require.Empty(t, c.verify())
	require.Equal(t, 2, c.count("SELECT count(*) FROM ledger_entry WHERE kind LIKE 'referral%'"))
}

func TestSilenceBecomesAnOpenLine(t *testing.T) {
	c := open(t)
	c.receivers()
	v := c.refer(c.practiceIn("electronic"), "silent")
	c.step()
	state, _ := c.lineOf(v.ID)
	require.Equal(t, "waiting on others", state)
	c.later(8 * 24 * 60)
	c.step()
	state, mark := c.lineOf(v.ID)
	require.Equal(t, "open late", state+" "+mark)
	require.Equal(t, act.Invalid, kind(t, c.app.Referral.Tell(ctx, c.jonah(), v.ID, referral.ReferralTold{Says: core.CalledAfter, Detail: "Front desk: they look."})), "until when?")
	require.NoError(t, c.app.Referral.Tell(ctx, c.jonah(), v.ID, referral.ReferralTold{Says: core.CalledAfter, Detail: "Front desk: they look.", Day: "2026-05-15"}))
	c.step()
	state, mark = c.lineOf(v.ID)
	require.Equal(t, "waiting on others ", state+" "+mark)
	c.later(4 * 24 * 60)
	c.step()
	state, mark = c.lineOf(v.ID)
	require.Equal(t, "open late", state+" "+mark)
}

// By fax and by letter a person says what they heard, with the paper as source.
func TestAReferralOnPaper(t *testing.T) {
	c := open(t)
	e := c.receivers()
	v := c.refer(c.practiceIn("fax"), "faxed")
	c.step()
	require.Equal(t, "sent", c.referred(v.ID).State)
	require.Equal(t, "555-0172", e.Faxes()[v.Number].Number)
	tell := func(x referral.ReferralTold) error { return c.app.Referral.Tell(ctx, c.jonah(), v.ID, x) }
	for _, wrong := range []referral.ReferralTold{{Says: "dances"}, {Says: core.Schedules}, {Says: core.Schedules, Day: "2026-05-01"}, {Says: core.Sees, Day: "2026-06-01"}, {Says: core.Sees},
		{Says: core.Declines}, {Says: core.Reports}, {Says: core.Reports, PDF: []byte("MZ\x90 program")}, {Says: core.Schedules, Day: "soon"}, {Says: core.Reports, PDF: append([]byte("%PDF-"), make([]byte, 9<<20)...)}} {
		assert.Equal(t, act.Invalid, kind(t, tell(wrong)), wrong.Says)
	}
	assert.Equal(t, act.Conflict, kind(t, tell(referral.ReferralTold{Says: core.Delivered})))
	require.NoError(t, tell(referral.ReferralTold{Says: core.Schedules, Day: "2026-05-20", Detail: "Ms. Orr called."}))
	require.NoError(t, tell(referral.ReferralTold{Says: core.Reports, Detail: "Stage 2."}))
	require.Equal(t, "report to be read", c.referred(v.ID).State)
	require.NoError(t, tell(referral.ReferralTold{Says: core.Reports, PDF: []byte("%PDF-1.4 scanned")}), "a second page")
	require.Equal(t, 2, c.count("SELECT count(*) FROM document WHERE form LIKE 'report%'"))

	by := c.refer(c.practiceIn("letter"), "posted")
	require.Equal(t, "to be posted or handed over", by.State)
	state, _ := c.lineOf(by.ID)
	require.Equal(t, "open", state)
	require.NoError(t, c.app.Referral.Tell(ctx, c.jonah(), by.ID, referral.ReferralTold{Says: core.Delivered}))
	require.Equal(t, "sent", c.referred(by.ID).State)
	letter, err := c.app.Referral.LetterPDF(ctx, c.jonah(), by.ID)
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(string(letter), "%PDF-"))
}

func TestAReferralIsCalledOff(t *testing.T) {
	c := open(t)
	e := c.receivers()
	to := c.practiceIn("electronic")
	never := c.refer(to, "never")
	require.Equal(t, act.Invalid, kind(t, c.app.Referral.Cancel(ctx, c.doctor(), never.ID, " ")))
	require.NoError(t, c.app.Referral.Cancel(ctx, c.doctor(), never.ID, "Changed my mind."))
	c.step()
	require.Equal(t, "cancelled", c.referred(never.ID).State)
	require.Empty(t, e.Referrals(), "what was never sent never is")

	v := c.refer(to, "sent")
	c.step()
	require.NoError(t, c.app.Referral.Cancel(ctx, c.doctor(), v.ID, "Moved away."))
	require.Equal(t, "being cancelled", c.referred(v.ID).State)
	require.Equal(t, act.Conflict, kind(t, c.app.Referral.Cancel(ctx, c.doctor(), v.ID, "Again.")))
	c.step()
	require.Equal(t, "cancelled", c.referred(v.ID).State)
	require.True(t, e.Referrals()[v.Number].Cancelled)

	refused := c.practiceIn("electronic")
	refused.Account = "nobody"
	refused, err := c.app.Directory.Keep(ctx, c.sunniva(), refused)
	require.NoError(t, err)
	f := c.refer(refused, "refused")
	c.step()
	got := c.referred(f.ID)
	require.Equal(t, "could not be sent", got.State)
	require.Contains(t, got.Reason, "no practice nobody is known here")
	require.NoError(t, c.app.Referral.Tell(ctx, c.jonah(), f.ID, referral.ReferralTold{Says: core.Delivered, Detail: "By hand."}))
	require.Equal(t, "sent", c.referred(f.ID).State)
}

func TestAReferralIsPreparedAndSigned(t *testing.T) {
	c := open(t)
	c.receivers()
	n := c.referral(c.practiceIn("fax"), "prepared")
	v, err := c.app.Referral.Prepare(ctx, c.jonah(), n)
	require.NoError(t, err)
	require.Equal(t, "to be signed", v.State)
	c.step()
	require.Equal(t, "to be signed", c.referred(v.ID).State, "nothing goes out unsigned")
	require.Equal(t, act.Conflict, kind(t, c.app.Referral.Cancel(ctx, c.doctor(), v.ID, "x")))
	require.NoError(t, c.app.Referral.Return(ctx, c.doctor(), v.ID, "Name the leg."))
	require.Equal(t, act.Conflict, kind(t, c.app.Referral.SignPrepared(ctx, c.doctor(), v.ID, "", secret)))
	require.NoError(t, c.app.Referral.Drop(ctx, c.jonah(), v.ID, "Written anew."))
	n.RequestID = "again"
	v, err = c.app.Referral.Prepare(ctx, c.jonah(), n)
	require.NoError(t, err)
	require.NoError(t, c.app.Referral.SignPrepared(ctx, c.doctor(), v.ID, "", secret))
	c.step()
	require.Equal(t, "sent", c.referred(v.ID).State)
	require.Empty(t, c.verify())
}

func TestWhatAReferralRefuses(t *testing.T) {
	c := open(t)
	to := c.practiceIn("fax")
	pharmacy, err := c.app.Directory.Keep(ctx, c.sunniva(), directory.AddresseeView{Kind: directory.Pharmacy, Name: "Harbor", Reach: directory.Letter})
	require.NoError(t, err)
	for name, x := range map[string]struct {
		kind   act.Kind
		change func(*referral.NewReferral)
	}{
		"no question":         {act.Invalid, func(n *referral.NewReferral) { n.Question = "?" }},
		"no such urgency":     {act.Invalid, func(n *referral.NewReferral) { n.Urgency = "soon" }},
		"no diagnosis":        {act.Invalid, func(n *referral.NewReferral) { n.Diagnoses = nil }},
		"no such diagnosis":   {act.Invalid, func(n *referral.NewReferral) { n.Diagnoses = []string{"Z99.999"} }},
		"to nobody":           {act.Missing, func(n *referral.NewReferral) { n.To = "nobody" }},
		"to a pharmacy":       {act.Invalid, func(n *referral.NewReferral) { n.To = pharmacy.ID }},
		"of nobody":           {act.Missing, func(n *referral.NewReferral) { n.PatientID, n.VisitID = "nobody", "" }},
		"no such visit":       {act.Invalid, func(n *referral.NewReferral) { n.VisitID = "v9" }},
		"a part not there":    {act.Invalid, func(n *referral.NewReferral) { n.Parts = []referral.ChosenPart{{ID: "diary"}} }},
		"a part as not shown": {act.Conflict, func(n *referral.NewReferral) { n.Parts = []referral.ChosenPart{{ID: "medicines", Reads: "old"}} }},
		"wanted in the past":  {act.Invalid, func(n *referral.NewReferral) { n.Expected = "2026-05-01" }},
	} {
		n := c.referral(to, name)
		x.change(&n)
		_, err := c.app.Referral.Refer(ctx, c.doctor(), n)
		assert.Equal(t, x.kind, kind(t, err), name)
	}
	c.refer(to, "used")
	n := c.referral(to, "used")
	n.Question = "Something else entirely?"
	_, err = c.app.Referral.Refer(ctx, c.doctor(), n)
	assert.Equal(t, act.Conflict, kind(t, err), "one identifier is one referral")

	keep := func(change func(*directory.AddresseeView)) error {
		v := to
		change(&v)
		_, err := c.app.Directory.Keep(ctx, c.sunniva(), v)
		return err
	}
	assert.Equal(t, act.Invalid, kind(t, keep(func(v *directory.AddresseeView) { v.NPI = "1234567890" })))
	assert.Equal(t, act.Invalid, kind(t, keep(func(v *directory.AddresseeView) { v.Fax = "" })))
	assert.Equal(t, act.Invalid, kind(t, keep(func(v *directory.AddresseeView) { v.Reach, v.Account = "electronic", "../x" })))
	assert.Equal(t, act.Invalid, kind(t, keep(func(v *directory.AddresseeView) { v.Name = "  " })))
	require.NoError(t, keep(func(v *directory.AddresseeView) { v.NPI = "1234567893" }))
	assert.Equal(t, act.Conflict, kind(t, keep(func(v *directory.AddresseeView) { v.Phone = "555-0100" })), "somebody changed it meanwhile")
	found, err := c.app.Directory.Find(ctx, c.sunniva(), directory.Practice, "neph tak", false)
	require.NoError(t, err)
	require.Len(t, found, 1)
	require.Equal(t, "1234567893", found[0].NPI)
	found, err = c.app.Directory.Find(ctx, c.sunniva(), "", "zebra", true)
	require.NoError(t, err)
	require.Empty(t, found)
}
