package app_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	circles "deftledger/app/circle"
	"deftledger/app/packet"
	"deftledger/app/result"
	"deftledger/core/chart"
	core "deftledger/core/result"
	"deftledger/store"
)

// handed is the line of a hand-over as somebody's list of results shows it; "" where it is not there.
func (c *clinic) listedKind(who act.Actor, kind string) (ids []string) {
	c.Helper()
	for _, r := range c.deskOf(who).Rows {
		if string(r.Kind) == kind {
			ids = append(ids, r.ID)
		}
	}
	return ids
}

// What is handed to a team stands on the desks of those who are in it and on no other; one of them answers. A team that has ended leaves
// its lines to everybody, so that none is lost.
func TestAReportIsHandedToATeam(t *testing.T) {
	c := open(t)
	c.team(act.Physician, act.Nurse, act.Assistant)
	sick, err := c.app.Circle.SetTeam(ctx, c.who[act.Admin], circles.TeamView{Name: "Sick calls", Members: []string{c.petra().ID}})
	require.NoError(t, err)
	c.brought("T", "4.4", "141")
	p := c.packet(c.doctor())
	var names []string
	for _, h := range p.HandTo {
		if h.Team {
			names = append(names, h.Name)
		}
	}
	require.Equal(t, []string{"Harbor, a team", "Hill, a team", "Sick calls, a team"}, names)
	s := c.decided(p, "team-0001", "", "hand over")
	s.Reports[0].Team = sick
	_, err = c.app.Packet.Settle(ctx, c.doctor(), patientID, s)
	require.Equal(t, act.Invalid, kind(t, err), "to a person or to a team")
	s.Reports[0].To = ""
	for range 2 {
		_, err = c.app.Packet.Settle(ctx, c.doctor(), patientID, s)
		require.NoError(t, err)
	}
	require.Empty(t, c.listedKind(c.jonah(), "handed over"), "Jonah is not in it")
	mine := c.listedKind(c.petra(), "handed over")
	require.Len(t, mine, 1)
	v, err := c.app.Packet.HandOver(ctx, c.petra(), mine[0])
	require.NoError(t, err)
	require.Equal(t, "Sick calls", v.To)
	require.Equal(t, act.Forbidden, kind(t, c.app.Packet.AnswerHandOver(ctx, c.jonah(), mine[0], "Called her.", false)))
	held, err := c.app.Desk.Holdings(ctx, c.doctor())
	require.NoError(t, err)
	var says []string
	for _, h := range held {
		for _, l := range h.Lists {
			if l.Open+l.Waiting > 0 {
				says = append(says, fmt.Sprintf("%s: %s %d, waiting %d", h.Name, l.List, l.Open, l.Waiting))
			}
		}
	}
	require.Contains(t, says, "Sick calls: results 1, waiting 0")
	require.Contains(t, says, c.doctor().Name+": results 1, waiting 1", "one to sign, and one that waits on the team")
	require.NoError(t, c.app.Circle.DropTeam(ctx, c.who[act.Admin], sick))
	require.Len(t, c.listedKind(c.jonah(), "handed over"), 1, "nobody's team: everybody's line")
	require.NoError(t, c.app.Packet.AnswerHandOver(ctx, c.jonah(), mine[0], "Called her.", false))
	require.Empty(t, c.verify())
}

// Whoever takes reports over from a colleague answers for them from then on; it is kept from whom, and again it does nothing.
func TestReportsAreTakenOver(t *testing.T) {
	c := open(t)
	c.brought("V", "5.6", "141")
	other := c.who[act.Practitioner]
	require.Empty(t, c.results(other))
	held, err := c.app.Desk.HeldBy(ctx, c.who[act.Admin], c.doctor().ID, "")
	require.NoError(t, err)
	require.Len(t, held.Rows, 3, "two reports, and the order they answer")
	n, err := c.app.Packet.TakeOver(ctx, other, patientID, c.packet(c.doctor()).Reports[0].ID)
	require.NoError(t, err)
	require.Equal(t, 1, n)
	require.Len(t, c.results(other), 1)
	n, err = c.app.Packet.TakeOver(ctx, other, patientID, "")
	require.NoError(t, err)
	require.Equal(t, 1, n, "the other one too")
	n, err = c.app.Packet.TakeOver(ctx, other, patientID, "")
	require.NoError(t, err)
	require.Zero(t, n)
	require.Empty(t, c.results(c.doctor()))
	require.Equal(t, 2, c.count("SELECT count(*) FROM audit WHERE act = 'take a report over' AND staff_id = ? AND detail = ?", other.ID, "in place of "+c.doctor().ID))
	require.Equal(t, 2, c.count("SELECT count(*) FROM report WHERE owner_id = ?", other.ID))
}

func (c *clinic) calledIn(id, value string) error {
	return c.app.Result.CallIn(ctx, c.petra(), patientID, result.CalledIn{ID: id, Laboratory: "Brinehouse", Caller: "Ms. Holm", Analyte: "potassium, serum", Value: value, Unit: "mmol/L", ReadBack: true})
}

// A critical value told by telephone is announced like one that came in a report; who was told of it counts for the report that it is
// joined to. What does not agree needs a reason, and what never comes is ended with one.
func TestACriticalValueIsTakenDownByTelephone(t *testing.T) {
	c := open(t)
	o := c.order("K")
	c.step()
	for name, x := range map[string]result.CalledIn{
		"no laboratory": {ID: "called-01", Analyte: "K", Value: "6.9", ReadBack: true}, "no value": {ID: "called-01", Laboratory: "B", Analyte: "K", ReadBack: true},
		"not read back": {ID: "called-01", Laboratory: "B", Analyte: "K", Value: "6.9"}, "no hour": {ID: "called-01", Laboratory: "B", Analyte: "K", Value: "6.9", ReadBack: true, At: "25:00"},
		"an hour to come": {ID: "called-01", Laboratory: "B", Analyte: "K", Value: "6.9", ReadBack: true, At: "23:59"},
	} {
		require.Equal(t, act.Invalid, kind(t, c.app.Result.CallIn(ctx, c.petra(), patientID, x)), name)
	}
	for range 2 {
		require.NoError(t, c.calledIn("called-001", "6.9"))
	}
	all := c.announced(c.doctor())
	require.Len(t, all, 1, "who ordered it answers, and is told")
	require.Equal(t, "potassium, serum 6.9 mmol/L", all[0].Says)
	id := all[0].Called
	require.Equal(t, []string{id}, c.listedKind(c.doctor(), "critical by telephone"))
	require.Empty(t, c.announced(c.jonah()))
	v, err := c.app.Result.Called(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Empty(t, v.Reports)
	require.False(t, v.Told)

	require.NoError(t, c.app.Result.TakeCritical(ctx, c.who[act.Practitioner], all[0].ID), "whoever is there takes it up")
	require.Equal(t, []string{id}, c.listedKind(c.who[act.Practitioner], "critical by telephone"), "and answers for it")
	require.NoError(t, c.app.Result.TellCalled(ctx, c.doctor(), id, result.CriticalContact{Who: "herself", How: "telephone"}), "an attempt")
	require.NoError(t, c.app.Result.TellCalled(ctx, c.doctor(), id, result.CriticalContact{Reached: true, ReadBack: true, Who: "herself", How: "telephone", Remark: "goes to the emergency department"}))

	c.receive(oru("CB", o.Placer+"-1", "F", "6.9", "3.5-5.1||||", "3.5-5.1|HH|||"), "AA")
	report := c.text("SELECT id FROM report")
	require.Len(t, c.announced(c.doctor()), 1, "the report announces itself: nobody has said that it is the same")
	sign := func() error {
		r := c.report(report)
		return c.app.Result.SignReport(ctx, c.doctor(), result.SignedResult{ReportID: report, Told: "telephone", Comment: "Told.", Secret: secret, Issue: r.Issue, Version: r.Version})
	}
	require.Equal(t, act.Conflict, kind(t, sign()))
	require.Len(t, c.packet(c.doctor()).Called, 1, "the packet offers it")
	v, err = c.app.Result.Called(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, []result.CalledReport{{ID: report, Title: "Potassium", Value: "Potassium 6.9 mmol/L", Likely: true, Why: "the analyte and the value are the same"}}, v.Reports)
	for range 2 {
		require.NoError(t, c.app.Result.JoinCalled(ctx, c.doctor(), id, report, ""))
	}
	require.Empty(t, c.announced(c.doctor()))
	require.Empty(t, c.listedKind(c.who[act.Practitioner], "critical by telephone"))
	r := c.report(report)
	require.True(t, r.Told)
	var says []string
	for _, x := range r.Contacts {
		if strings.HasPrefix(x.Says, "contact") || strings.HasPrefix(x.Says, "no answer") {
			says = append(says, x.Says+" · "+x.By)
		}
	}
	require.Equal(t, []string{"no answer herself, telephone (after the laboratory's telephone call) · " + c.doctor().Name,
		"contact herself, telephone, read back: goes to the emergency department (after the laboratory's telephone call) · " + c.doctor().Name}, says)
	require.NoError(t, sign())

	// Another call, whose report reads otherwise; and one that nothing comes of.
	require.NoError(t, c.calledIn("called-002", "2.4"))
	other := c.announced(c.doctor())[0].Called
	err = c.app.Result.JoinCalled(ctx, c.doctor(), other, report, "")
	require.ErrorContains(t, err, "does not read as the laboratory said (potassium, serum 2.4 mmol/L)")
	require.Equal(t, act.Forbidden, kind(t, c.app.Result.EndCalled(ctx, c.petra(), other, "A mistake.")))
	require.Equal(t, act.Invalid, kind(t, c.app.Result.EndCalled(ctx, c.doctor(), other, " ")))
	require.NoError(t, c.app.Result.EndCalled(ctx, c.doctor(), other, "The laboratory called again: another patient was meant."))
	require.Empty(t, c.announced(c.doctor()))
	require.Equal(t, act.Conflict, kind(t, c.app.Result.JoinCalled(ctx, c.doctor(), other, report, "x")))
	require.Empty(t, c.verify())
}

// Nobody has ordered anything and nobody is the usual clinician: a value told by telephone is everybody's, and the clock runs for it.
func TestAValueToldByTelephoneIsNobodysForLong(t *testing.T) {
	c := open(t)
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		return q.AddPatient(chart.Patient{ID: "new", Record: "SK-9", Name: chart.Name{Family: "Varga", Given: "Ilse"}, BirthDate: "1950-01-02", Sex: "F"})
	}))
	require.NoError(t, c.app.Result.CallIn(ctx, c.sunniva(), "new", result.CalledIn{ID: "called-77", Laboratory: "Elsewhere", Analyte: "Glucose", Value: "31", ReadBack: true}),
		"the front desk takes it down too")
	require.Len(t, c.announced(c.who[act.Associate]), 1)
}

// What was answered long ago is not out, and who has left answers for nothing.
func TestAValueToldByTelephoneGoesToWhoIsThere(t *testing.T) {
	c := open(t)
	second := c.who["second"]
	o := c.order("K")
	c.step()
	c.receive(oru("OL", o.Placer+"-1", "F", "4.4"), "AA")
	c.signAll()
	require.NoError(t, c.app.Circle.SetUsual(ctx, c.doctor(), patientID, second.ID))
	require.NoError(t, c.calledIn("called-011", "6.9"))
	require.Len(t, c.announced(second), 1, "the order is answered: the usual clinician")
	require.NoError(t, c.app.Result.TakeCritical(ctx, second, c.announced(second)[0].ID))
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error { return q.SetActive(second.ID, false) }))
	require.NoError(t, c.calledIn("called-012", "2.2"))
	require.Len(t, c.announced(c.doctor()), 1, "who has left is passed over: whom she saw last")
}

// Who orders elsewhere answers elsewhere: the copy is read here. Who of us orders answers for it, and a colleague who has a copy reads it
// and adds to it; neither name is guessed.
func TestACopyIsReadAndSignsNothing(t *testing.T) {
	c := open(t)
	second := c.who["second"]
	parts := strings.SplitN(second.Name, " ", 2)
	o := c.order("K")
	c.step()
	copyTo := "OBR|1|" + o.Placer + "-1|BR-" + o.Placer + "-1|K^Potassium^L^2823-3^^LN|||202605040800-0400|||||||||1003000126^Rask^Tove|||||||||F"
	from := "OBR|1|" + o.Placer + "-1|BR-" + o.Placer + "-1|K^Potassium^L^2823-3^^LN|||202605040800-0400|||||||||||||||20260504115500-0400|||F"
	withCopies := func(who string) string { return copyTo + "|||" + who }
	c.receive(oru("K1", o.Placer+"-1", "F", "4.4", from, withCopies("^"+strings.ToUpper(parts[1])+"^"+parts[0]+"~^Nobody^Else~^"+parts[1]+"^Somebody")), "AA")
	copies := c.listedKind(second, "copied to us")
	require.Len(t, copies, 1)
	require.Empty(t, c.listedKind(c.doctor(), "copied to us"), "who ordered it answers for it")
	v, err := c.app.Result.Copy(ctx, second, copies[0])
	require.NoError(t, err)
	require.Equal(t, []string{"Potassium", "Tove Rask", c.doctor().Name, second.Name}, []string{v.Title, v.From, v.Answers, v.To})
	r := c.report(v.Report)
	require.Equal(t, []string{parts[0] + " " + strings.ToUpper(parts[1]), "Else Nobody", "Somebody " + parts[1]}, r.Details.Copies)
	require.Equal(t, act.Forbidden, kind(t, c.app.Result.ReadCopy(ctx, c.doctor(), copies[0], "Seen.")))
	for range 2 {
		require.NoError(t, c.app.Result.ReadCopy(ctx, second, copies[0], "Fits with her diuretic."))
	}
	require.Empty(t, c.listedKind(second, "copied to us"))
	r = c.report(v.Report)
	require.Equal(t, "Fits with her diuretic.", r.Copies[0].Says)
	require.False(t, r.Signed)
	require.Len(t, c.results(c.doctor()), 1, "the report waits as before")
	// The same again is no second copy; a correction is one.
	c.receive(oru("K2", o.Placer+"-1", "C", "5.4", strings.Replace(from, "|||F", "|||C", 1), strings.Replace(withCopies("^"+parts[1]+"^"+parts[0]), "|F", "|C", 1)), "AA")
	require.Len(t, c.listedKind(second, "copied to us"), 1)
	require.NoError(t, c.app.Result.Detach(ctx, c.doctor(), v.Report, "Another person's."))
	require.Empty(t, c.listedKind(second, "copied to us"), "a report that leaves its chart takes its copies along")

	// Ordered elsewhere: attached by the nurse, the one of us whom it names answers for it.
	c.receive(oru("K3", "XX-1", "F", "4.4", "OBR|1|XX-1|BR-XX-1|K^Potassium^L^2823-3^^LN|||202605040800-0400|||||||||||||||20260504115500-0400|||F",
		strings.NewReplacer(o.Placer+"-1", "XX-1").Replace(withCopies("^"+parts[1]+"^"+parts[0]))), "AA")
	for _, h := range c.desk().Quarantine {
		if strings.Contains(h.Raw, "|K3|") {
			require.NoError(t, c.app.Result.Attach(ctx, c.petra(), h.ID, patientID, ""))
		}
	}
	require.Equal(t, second.ID, c.text("SELECT owner_id FROM report WHERE filler = 'BR-XX-1'"))
}

// The standing permission is off until a physician writes it; under it a nurse signs what is in range and named, and the rule is sealed
// with the signature.
func TestANurseSignsByTheStandingPermission(t *testing.T) {
	c := open(t)
	c.brought("N", "4.4", "141")
	each := func() (out []packet.PacketView) {
		for _, r := range c.packet(c.doctor()).Reports {
			p, err := c.app.Packet.Open(ctx, c.petra(), patientID, r.ID)
			require.NoError(t, err)
			out = append(out, p)
		}
		return out
	}
	permitted := func() (out []string) {
		all, err := c.app.Result.Permitted(ctx, c.petra())
		require.NoError(t, err)
		for _, r := range all {
			out = append(out, r.Title)
		}
		return out
	}
	p := each()[0]
	require.False(t, p.Reports[0].Signs)
	require.Equal(t, "the clinic has given no standing permission", p.Reports[0].SignsNot)
	require.Empty(t, permitted())
	_, err := c.app.Packet.Settle(ctx, c.petra(), patientID, c.decided(p, "nurse-0001", "telephone", "sign"))
	require.Equal(t, act.Forbidden, kind(t, err))
	rule := core.Permission{On: true, Tests: []core.PermittedTest{{LOINC: "2823-3", Name: "Potassium"}}}
	require.Equal(t, act.Invalid, kind(t, c.app.Result.SetStanding(ctx, c.doctor(), rule)), "a rule in words")
	rule.Rule = "Potassium in range, without symptoms, is told and signed by the nurse."
	require.Equal(t, act.Forbidden, kind(t, c.app.Result.SetStanding(ctx, c.petra(), rule)))
	require.Equal(t, act.Invalid, kind(t, c.app.Result.SetStanding(ctx, c.doctor(), core.Permission{Tests: []core.PermittedTest{{LOINC: "potassium", Name: "K"}}})))
	require.NoError(t, c.app.Result.SetStanding(ctx, c.doctor(), rule))
	s, err := c.app.Result.Standing(ctx, c.petra())
	require.NoError(t, err)
	require.Equal(t, c.doctor().Name, s.By)
	require.Equal(t, []string{"Potassium"}, permitted())
	for i, p := range each() {
		r := p.Reports[0]
		require.Equal(t, r.Title == "Potassium", r.Signs, r.SignsNot)
		s := c.decided(p, fmt.Sprint("nurse-not-", i), "not told", "sign")
		s.ToldReason = "She knows."
		_, err = c.app.Packet.Settle(ctx, c.petra(), patientID, s)
		require.Equal(t, act.Forbidden, kind(t, err), "not telling is a physician's decision")
		_, err = c.app.Packet.Settle(ctx, c.petra(), patientID, c.decided(p, fmt.Sprint("nurse-100", i), "telephone", "sign"))
		if r.Title == "Potassium" {
			require.NoError(t, err)
			continue
		}
		require.ErrorContains(t, err, "Sodium is not signed by a nurse: Sodium is not one of the tests")
	}
	require.Empty(t, permitted())
	require.Equal(t, 1, c.count("SELECT count(*) FROM ledger_entry WHERE kind = 'result review' AND CAST(content AS TEXT) LIKE '%"+rule.Rule+"%'"))
	require.Empty(t, c.verify())
}

// What was written with a signature is only added to: sealed, once, by who may sign.
func TestASignedReviewIsAddedTo(t *testing.T) {
	c := open(t)
	o := c.order("K")
	c.step()
	c.receive(oru("D1", o.Placer+"-1", "F", "5.4"), "AA")
	id := c.lastReport()
	add := result.Addition{ID: "addendum-1", Issue: 1, Says: "She takes no diuretic any more.", Secret: secret}
	require.Equal(t, act.Conflict, kind(t, c.app.Result.AddToReview(ctx, c.doctor(), id, add)), "nothing is signed yet")
	c.signAll()
	require.Equal(t, act.Forbidden, kind(t, c.app.Result.AddToReview(ctx, c.petra(), id, add)))
	require.Equal(t, act.Invalid, kind(t, c.app.Result.AddToReview(ctx, c.doctor(), id, result.Addition{ID: "addendum-2", Issue: 1, Says: " ", Secret: secret})))
	for range 2 {
		require.NoError(t, c.app.Result.AddToReview(ctx, c.doctor(), id, add))
	}
	r := c.report(id)
	require.Len(t, r.Reviews[0].Addenda, 1)
	require.Equal(t, "She takes no diuretic any more.", r.Reviews[0].Addenda[0].Says)
	require.NotZero(t, r.Reviews[0].Addenda[0].Folio)
	require.Empty(t, c.verify())
}

// The front desk tells what was written for it and sees nothing else; a correction takes it back; telling it closes what the patient was
// still to be called about.
func TestTheFrontDeskTellsWhatWasWrittenForIt(t *testing.T) {
	c := open(t)
	c.brought("W", "4.4", "141")
	s := c.decided(c.packet(c.doctor()), "words-0001", "call", "sign", "sign")
	s.Desk = "Your salts are fine. Go on as before."
	for range 2 {
		_, err := c.app.Packet.Settle(ctx, c.doctor(), patientID, s)
		require.NoError(t, err)
	}
	words, err := c.app.Packet.DeskWords(ctx, c.sunniva(), patientID)
	require.NoError(t, err)
	require.Len(t, words, 1)
	require.Equal(t, "Your salts are fine. Go on as before.", words[0].Text)
	_, err = c.app.Result.Report(ctx, c.sunniva(), c.text("SELECT id FROM report LIMIT 1"))
	require.Equal(t, act.Forbidden, kind(t, err))
	require.Equal(t, act.Invalid, kind(t, c.app.Packet.ToldAtDesk(ctx, c.sunniva(), words[0].ID, "")))
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'to tell' AND closed_at = ''"))
	require.NoError(t, c.app.Packet.ToldAtDesk(ctx, c.sunniva(), words[0].ID, "herself"))
	require.Zero(t, c.count("SELECT count(*) FROM line WHERE kind = 'to tell' AND closed_at = ''"), "she was to be called, and has called")
	require.Equal(t, c.sunniva().ID, c.text("SELECT closed_by FROM line WHERE kind = 'to tell'"))
	words, err = c.app.Packet.DeskWords(ctx, c.sunniva(), patientID)
	require.NoError(t, err)
	require.Equal(t, "told: herself", words[0].Tries[0].Says)
	placer := c.text("SELECT placer FROM lab_order")
	c.receive(oru("W9", placer+"-1", "C", "5.9"), "AA")
	none, err := c.app.Packet.DeskWords(ctx, c.sunniva(), patientID)
	require.NoError(t, err)
	require.Empty(t, none, "the laboratory has corrected it: nothing of it is told any more")
	require.Equal(t, act.Conflict, kind(t, c.app.Packet.ToldAtDesk(ctx, c.sunniva(), words[0].ID, "herself")))
}

// What was given back to the laboratory comes back on its day, or at once where the fax did not arrive; the fax names no patient.
func TestWhatWasGivenBackComesBack(t *testing.T) {
	c := open(t)
	e := c.others()
	c.app.Elsewhere.Fax = e.Base()
	c.receive(oru("GB", "SK-NONE-1", "F", "4.4"), "AA")
	id := c.desk().Quarantine[0].ID
	h, err := c.app.Result.Held(ctx, c.petra(), id)
	require.NoError(t, err)
	require.Equal(t, "2026-05-07", h.Until)
	require.NotEmpty(t, h.Fax, "Brinehouse has a fax")
	for _, until := range []string{"2026-05-03", "soon", "2027-01-01"} {
		require.Equal(t, act.Invalid, kind(t, c.app.Result.GiveBack(ctx, c.petra(), id, result.ToBack{Reason: "Whose is it?", Until: until})), until)
	}
	require.NoError(t, c.app.Result.GiveBack(ctx, c.petra(), id, result.ToBack{Reason: "Whose is it?", Until: "2026-05-06", Fax: true}))
	c.step()
	faxes := e.Faxes()
	require.Len(t, faxes, 1)
	state := func() string { return c.text("SELECT state FROM line WHERE kind = 'held'") }
	require.Equal(t, "waiting on others", state())
	c.now = c.now.AddDate(0, 0, 2)
	c.step()
	require.Equal(t, "waiting on others", state(), "its day is not over")
	c.now = c.now.AddDate(0, 0, 1)
	c.step()
	require.Equal(t, "open", state())
	h, err = c.app.Result.Held(ctx, c.petra(), id)
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(h.Reason, "The day has passed until which the laboratory was asked."), h.Reason)
	c.step()
	require.Equal(t, 1, strings.Count(c.text("SELECT reason FROM inbox_part"), "The day has passed"), "once")

	// A fax that is refused.
	c.app.Laboratories = slices.Clone(c.app.Laboratories)
	for i := range c.app.Laboratories {
		c.app.Laboratories[i].Fax = "555-0000"
	}
	require.NoError(t, c.app.Result.GiveBack(ctx, c.petra(), id, result.ToBack{Reason: "Asked anew.", Fax: true}))
	require.Equal(t, "waiting on others", state())
	c.step()
	require.Equal(t, "open", state())
	require.Contains(t, c.text("SELECT reason FROM inbox_part"), "The fax to the laboratory did not arrive")
	require.NoError(t, c.app.Result.SetAside(ctx, c.petra(), id, "Nobody of ours."))
	require.Zero(t, c.count("SELECT count(*) FROM inquiry WHERE kind = 'given back' AND state = 'open'"))
	c.now = c.now.Add(time.Hour)
	require.Empty(t, c.verify())
}

// copied is a copy of a result, for the second physician.
func (c *clinic) copied() string {
	c.Helper()
	o := c.order("NA")
	c.step()
	name := strings.SplitN(c.who["second"].Name, " ", 2)
	c.receive(oru("CP", o.Placer+"-1", "F", "140", "K^Potassium^L^2823-3^^LN", "NA^Sodium^L^2951-2^^LN", "3.5-5.1", "136-145", "|||F\r", "|||F|||^"+name[1]+"^"+name[0]+"\r"), "AA")
	return c.text("SELECT id FROM inquiry WHERE kind = 'copied to'")
}

// From a result a further visit is asked for with the newest note; a wish that is not booked yet is not replaced without a word.
func TestAPatientIsAskedBackFromAResult(t *testing.T) {
	c := open(t)
	_, err := c.app.Visit.AskBackOf(ctx, c.doctor(), patientID, "2w", "Potassium again")
	require.ErrorContains(t, err, "There is no note of this patient to ask from")
	c.note()
	_, err = c.app.Visit.AskBackOf(ctx, c.doctor(), patientID, "someday", "Potassium again")
	require.Equal(t, act.Invalid, kind(t, err))
	_, err = c.app.Visit.AskBackOf(ctx, c.doctor(), patientID, "2w", " ")
	require.Equal(t, act.Invalid, kind(t, err))
	for range 2 {
		f, err := c.app.Visit.AskBackOf(ctx, c.doctor(), patientID, "2w", "Potassium again")
		require.NoError(t, err)
		require.Equal(t, "2026-05-18", f.Due)
	}
	require.Equal(t, 1, c.count("SELECT count(*) FROM follow_up"))
	_, err = c.app.Visit.AskBackOf(ctx, c.doctor(), patientID, "4w", "Potassium again")
	require.Equal(t, act.Conflict, kind(t, err))
	require.ErrorContains(t, err, "for Potassium again")
}
