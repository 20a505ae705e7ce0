package app_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/directory"
	orders "deftledger/app/order"
	"deftledger/app/pad"
	"deftledger/app/prescribe"
	"deftledger/core/order"
	core "deftledger/core/prescription"
	"deftledger/standin"
)

// pharmacies is a pharmacy network with one pharmacy, in the directory too.
func (c *clinic) pharmacies() *standin.Elsewhere {
	c.Helper()
	e := &standin.Elsewhere{Pharmacies: []string{"harbor"}}
	require.NoError(c, e.Open("127.0.0.1:0"))
	c.Cleanup(e.Close)
	c.app.Elsewhere.Pharmacy, c.app.Elsewhere.Fax = e.Base(), e.Base()
	return e
}

func (c *clinic) pharmacy(reach string) string {
	c.Helper()
	v, err := c.app.Directory.Keep(ctx, c.sunniva(), directory.AddresseeView{Kind: directory.Pharmacy, Name: "Harbor Street Pharmacy", Fax: "555-0151", Account: "harbor", Reach: reach})
	require.NoError(c, err)
	return v.ID
}

var requests int

// script is a prescription of a line, as the pad would send it.
func (c *clinic) script(line string, change func(*prescribe.NewPrescription)) prescribe.NewPrescription {
	c.Helper()
	r, err := c.app.Prescribe.Read(ctx, c.doctor(), patientID, prescribe.Typed{Line: line})
	require.NoError(c, err)
	requests++
	n := prescribe.NewPrescription{PatientID: patientID, Drug: r.Drug, RequestID: fmt.Sprint("script ", requests), Secret: secret}
	if change != nil {
		change(&n)
	}
	return n
}

func (c *clinic) prescribed(line string, change func(*prescribe.NewPrescription)) prescribe.PrescriptionView {
	c.Helper()
	v, err := c.app.Prescribe.Prescribe(ctx, c.doctor(), c.script(line, change))
	require.NoError(c, err)
	return v
}

func (c *clinic) rx(id string) prescribe.PrescriptionView {
	c.Helper()
	v, err := c.app.Prescribe.Open(ctx, c.doctor(), id)
	require.NoError(c, err)
	return v.Prescription
}

// message takes a message down and returns its identifier.
func (c *clinic) message(text string) string {
	c.Helper()
	requests++
	require.NoError(c, c.app.Prescribe.TakeMessage(ctx, c.sunniva(), prescribe.NewMessage{Patient: patientID, Text: text, From: "her, 555-0118", RequestID: fmt.Sprint("message ", requests)}))
	return c.text("SELECT id FROM inquiry WHERE kind = 'message' ORDER BY at DESC LIMIT 1")
}

// wanted is a further prescription that a pharmacy asks for, of our patient.
func wanted() standin.Wanted {
	return standin.Wanted{ID: "want-1", Medicine: "Lisinopril 20 mg tablet", Directions: "1 tablet daily", Quantity: "90", Unit: "tablet", Pharmacy: "Harbor Street Pharmacy", Account: "harbor",
		Family: "Marsh-Adeyemi", Given: "Ottoline", BirthDate: "1968-03-14", Gender: "female"}
}

func (c *clinic) listed() (out []string) {
	c.Helper()
	v, err := c.app.Intake.Intake(ctx, c.doctor(), visitID)
	require.NoError(c, err)
	for _, e := range v.Medicines.Entries {
		out = append(out, e.Title+" "+e.Detail)
	}
	return out
}

// From the line to the hand of the patient: sealed, sent once, on the list, and open until the
// pharmacy hands it out.
func TestAPrescriptionFromTheLineToTheHand(t *testing.T) {
	c := open(t)
	e := c.pharmacies()
	to := c.pharmacy("electronic")
	n := c.script("lisinopril 20 mg tablet 1 tablet daily #90 3 refills for pressure", func(n *prescribe.NewPrescription) { n.To = to })
	v, err := c.app.Prescribe.Prescribe(ctx, c.doctor(), n)
	require.NoError(t, err)
	again, err := c.app.Prescribe.Prescribe(ctx, c.doctor(), n)
	require.NoError(t, err)
	require.Equal(t, v.ID, again.ID)
	require.Equal(t, "signed, not sent", v.State)
	require.Equal(t, []string{"Lisinopril 20 mg tablet, 1 tablet once a day"}, c.listed())
	e.Set(func(e *standin.Elsewhere) { e.Down = true })
	_ = c.app.Step(ctx)
	e.Set(func(e *standin.Elsewhere) { e.Down = false })
	c.later(5)
	c.step()
	s := e.Scripts()[v.Number]
	require.Equal(t, "lisinopril 20 mg tablet: Take 1 tablet once a day for pressure, 90 tablet, 3 refills", s.Directed())
	require.Equal(t, "with the pharmacy", c.rx(v.ID).State)

	fill := func(want string, f func(*standin.Script)) {
		t.Helper()
		e.Fill(v.Number, f)
		c.step()
		c.step()
		require.Equal(t, want, c.rx(v.ID).State)
	}
	fill("being filled", func(s *standin.Script) { s.Status = "in-progress" })
	fill("prior authorization asked", func(s *standin.Script) { s.Status, s.Reason = "on-hold", "Prior authorization required" })
	state, mark := c.lineOf(v.ID)
	require.Equal(t, "open prior authorization asked", state+" "+mark)
	require.Equal(t, act.Invalid, kind(t, c.app.Prescribe.Tell(ctx, c.jonah(), v.ID, prescribe.PrescriptionTold{Says: core.Settles})), "with whom?")
	require.NoError(t, c.app.Prescribe.Tell(ctx, c.jonah(), v.ID, prescribe.PrescriptionTold{Says: core.Settles, Detail: "Granted, number 77."}))
	fill("with the pharmacy", func(s *standin.Script) { s.Status, s.Reason, s.Medicine = "completed", "", "Losartan 50 mg tablet" })
	state, mark = c.lineOf(v.ID)
	require.Equal(t, "open not certain", state+" "+mark, "another medicine than was prescribed is no answer")
	fill("being filled", func(s *standin.Script) { s.Medicine, s.Quantity = "Lisinopril 20 mg tablet", 30 })
	fill("closed", func(s *standin.Script) { s.Quantity = 90; s.HandedOver = "2026-05-05" })
	state, _ = c.lineOf(v.ID)
	require.Empty(t, state)
	require.Equal(t, 1, s.Times)
	require.Empty(t, c.verify())
}

// What the pharmacy asks for again is approved in one act, which answers it there too.
func TestARepeatIsAskedForAndApproved(t *testing.T) {
	c := open(t)
	e := c.pharmacies()
	to := c.pharmacy("electronic")
	v := c.prescribed("lisinopril 20 mg tablet 1 tablet daily #90", func(n *prescribe.NewPrescription) { n.To = to })
	c.step()
	first, second, strange := wanted(), wanted(), wanted()
	first.Number = v.Number
	second.ID, second.Medicine, second.Directions, second.Quantity = "want-2", "Lisinopril 40 mg tablet", "1 tablet twice daily", "180"
	strange.ID, strange.BirthDate = "want-3", "1968-03-15"
	e.Set(func(e *standin.Elsewhere) { e.Wants = []standin.Wanted{first, second, strange} })
	c.step()
	c.step()
	require.Equal(t, 3, c.count("SELECT count(*) FROM inquiry"), "asked twice, taken once")
	id := func(origin string) string {
		return c.text("SELECT id FROM inquiry WHERE origin = 'pharmacy " + origin + "'")
	}
	open := func(origin string) prescribe.OpenedInquiry {
		out, err := c.app.Prescribe.Inquiry(ctx, c.doctor(), id(origin))
		require.NoError(t, err)
		return out
	}
	one := open("want-1")
	require.Empty(t, one.Inquiry.Differs)
	require.Equal(t, v.Number, one.Inquiry.Last.Number)
	require.NotNil(t, one.Inquiry.Proposed)
	require.False(t, one.Inquiry.Reading.Serious)
	n := prescribe.NewPrescription{PatientID: patientID, To: one.Inquiry.To, Drug: *one.Inquiry.Proposed, Inquiry: one.Inquiry.ID, RequestID: "approve", Secret: secret}
	approved, err := c.app.Prescribe.Prescribe(ctx, c.doctor(), n)
	require.NoError(t, err)
	require.Equal(t, v.Number, approved.Replaces)
	require.Len(t, c.listed(), 1, "a renewal stands on the list once")
	c.step()
	require.Equal(t, "approved", open("want-1").Inquiry.State)
	state, _ := c.lineOf(id("want-1"))
	require.Empty(t, state)
	n.RequestID = "approve again"
	_, err = c.app.Prescribe.Prescribe(ctx, c.doctor(), n)
	require.Equal(t, act.Conflict, kind(t, err), "a request is answered once")

	// Another strength is not proposed; it is told apart, and refused with the reason.
	two := open("want-2")
	require.Nil(t, two.Inquiry.Proposed)
	require.Contains(t, strings.Join(two.Inquiry.Differs, " "), "is not that of the prescription before")
	require.Equal(t, act.Forbidden, kind(t, c.app.Prescribe.Answer(ctx, c.who[act.Nurse], id("want-2"), "No.")))
	require.NoError(t, c.app.Prescribe.Answer(ctx, c.doctor(), id("want-2"), "The dose was never raised."))
	c.step()
	require.Equal(t, "The dose was never raised.", e.Denials()["want-2"])

	// Stopped meanwhile, it is not approved as it was.
	stopped := wanted()
	stopped.ID, stopped.Number = "want-4", approved.Number
	e.Set(func(e *standin.Elsewhere) { e.Wants = append(e.Wants, stopped) })
	c.step()
	require.NotNil(t, open("want-4").Inquiry.Proposed)
	require.NoError(t, c.app.Prescribe.Stop(ctx, c.doctor(), patientID, c.text("SELECT id FROM medicine WHERE stopped = ''"), "Cough."))
	require.Nil(t, open("want-4").Inquiry.Proposed)
	require.Contains(t, strings.Join(open("want-4").Inquiry.Differs, " "), "It is not on the medicine list.")

	// One that names nobody for certain is of nobody, until somebody says whose it is.
	three := open("want-3")
	require.Nil(t, three.Patient)
	require.Contains(t, three.Inquiry.Named, "15 Mar 1968")
	n.Inquiry, n.RequestID = id("want-3"), "of nobody"
	_, err = c.app.Prescribe.Prescribe(ctx, c.doctor(), n)
	require.Equal(t, act.Invalid, kind(t, err))
	require.NoError(t, c.app.Prescribe.AttachInquiry(ctx, c.doctor(), id("want-3"), patientID))
	require.Equal(t, "Marsh-Adeyemi", open("want-3").Patient.Family)
	require.Equal(t, act.Conflict, kind(t, c.app.Prescribe.AttachInquiry(ctx, c.doctor(), id("want-3"), patientID)))
	require.Empty(t, c.verify())
}

// A serious warning stops the hand until a reason is given, which is sealed.
func TestASeriousWarningNeedsAReason(t *testing.T) {
	c := open(t)
	c.prescribed("warfarin 5 mg tablet 1 tablet daily #30", nil)
	n := c.script("ibuprofen 600 mg tablet 1 tablet three times daily for 5 days", nil)
	_, err := c.app.Prescribe.Prescribe(ctx, c.doctor(), n)
	require.Equal(t, act.Invalid, kind(t, err))
	require.ErrorContains(t, err, "With Warfarin: bleeding")
	n.Reason = "Two days only, with a proton pump inhibitor; she knows the signs of bleeding."
	v, err := c.app.Prescribe.Prescribe(ctx, c.doctor(), n)
	require.NoError(t, err)
	require.NotEmpty(t, v.Warnings)
	require.Equal(t, 1, c.count("SELECT count(*) FROM ledger_entry WHERE kind = 'prescription' AND CAST(content AS TEXT) LIKE '%signs of bleeding%'"))
}

// Controlled substances: printed and signed by hand, or sent with two factors each time; the
// limits hold at the signature.
func TestControlledSubstances(t *testing.T) {
	c := open(t)
	e := c.pharmacies()
	to := c.pharmacy("electronic")
	fax := c.pharmacy("fax")
	line := "lorazepam 0.5 mg tablet 1 tablet at bedtime #30 30 day supply"
	printed := c.prescribed(line, nil)
	require.Equal(t, "IV", printed.Schedule)
	require.Equal(t, "to be printed and handed over", printed.State)
	require.NoError(t, c.app.Prescribe.Tell(ctx, c.jonah(), printed.ID, prescribe.PrescriptionTold{Says: core.Hands}))
	require.Equal(t, "closed", c.rx(printed.ID).State)

	sent := func(line, to, code string, change func(*prescribe.NewPrescription)) error {
		n := c.script(line, func(n *prescribe.NewPrescription) { n.To, n.Code = to, code })
		if change != nil {
			change(&n)
		}
		_, err := c.app.Prescribe.Prescribe(ctx, c.doctor(), n)
		return err
	}
	assert.Equal(t, act.Conflict, kind(t, sent(line, to, "", nil)), "no second factor is set up")
	key := c.factor(c.doctor())
	assert.Equal(t, act.Unproven, kind(t, sent(line, to, "", nil)))
	assert.Equal(t, act.Unproven, kind(t, sent(line, to, "000000", nil)))
	require.NoError(t, sent(line, to, c.code(key), nil))
	assert.Equal(t, act.Unproven, kind(t, sent(line, to, c.code(key), nil)), "two factors at each signing")
	c.step()
	require.Len(t, e.Scripts(), 1)
	c.now = c.now.Add(time.Minute)
	assert.Equal(t, act.Invalid, kind(t, sent(line, fax, c.code(key), nil)), "not by fax")
	for _, refused := range []string{"oxycodone 5 mg tablet 1 tablet every 6 hours as needed #12 1 refill", "lorazepam 0.5 mg tablet 1 tablet at bedtime #90 90 day supply 2 refills",
		"lorazepam 0.5 mg tablet 1 tablet at bedtime #30 30 day supply 6 refills"} {
		n := c.script(refused, nil)
		n.Reason = "x"
		_, err := c.app.Prescribe.Prescribe(ctx, c.doctor(), n)
		assert.Equal(t, act.Invalid, kind(t, err), refused)
		assert.ErrorContains(t, err, "21 CFR 1306", refused)
	}
}

func TestAPrescriptionIsChangedStoppedAndCalledOff(t *testing.T) {
	c := open(t)
	e := c.pharmacies()
	to := c.pharmacy("electronic")
	sent := func(n *prescribe.NewPrescription) { n.To = to }
	first := c.prescribed("lisinopril 10 mg tablet 1 tablet daily #90", sent)
	c.step()
	id := c.text("SELECT id FROM medicine WHERE stopped = ''")
	second := c.prescribed("lisinopril 20 mg tablet 1 tablet daily #90", func(n *prescribe.NewPrescription) { n.To, n.Instead = to, id })
	require.Equal(t, []string{"Lisinopril 20 mg tablet, 1 tablet once a day"}, c.listed())
	require.Equal(t, first.Number, second.Replaces)
	_, err := c.app.Prescribe.Prescribe(ctx, c.doctor(), c.script("lisinopril 40 mg tablet 1 tablet daily #90", func(n *prescribe.NewPrescription) { n.Instead = id }))
	require.Equal(t, act.Conflict, kind(t, err), "it is not on the list any more")
	require.NoError(t, c.app.Prescribe.Cancel(ctx, c.doctor(), second.ID, "Wrong pharmacy."))
	require.Equal(t, "cancelled", c.rx(second.ID).State, "it had not gone out")
	c.step()
	require.NotContains(t, e.Scripts(), second.Number)

	third := c.prescribed("lisinopril 20 mg tablet 1 tablet daily #90", sent)
	c.step()
	id = c.text("SELECT id FROM medicine WHERE stopped = ''")
	require.Equal(t, act.Invalid, kind(t, c.app.Prescribe.Stop(ctx, c.doctor(), patientID, id, " ")))
	require.NoError(t, c.app.Prescribe.Stop(ctx, c.doctor(), patientID, id, "Cough."))
	require.Empty(t, c.listed())
	require.Equal(t, "being cancelled", c.rx(third.ID).State)
	e.Fill(third.Number, func(s *standin.Script) { s.Status = "completed" })
	c.step()
	require.Equal(t, "dispensed though cancelled", c.rx(third.ID).State, "too late, and somebody sees it")
	state, _ := c.lineOf(third.ID)
	require.Equal(t, "open", state)
	require.NoError(t, c.app.Prescribe.Tell(ctx, c.jonah(), third.ID, prescribe.PrescriptionTold{Says: core.Leaves, Detail: "Called her: she does not take it."}))

	refused := c.prescribed("metformin 500 mg tablet 1 tablet daily #30", func(n *prescribe.NewPrescription) {
		v, err := c.app.Directory.Keep(ctx, c.sunniva(), directory.AddresseeView{Kind: directory.Pharmacy, Name: "Elsewhere", Account: "nobody", Reach: "electronic"})
		require.NoError(t, err)
		n.To = v.ID
	})
	c.step()
	require.Equal(t, "refused", c.rx(refused.ID).State)
	require.Contains(t, c.rx(refused.ID).Reason, "no pharmacy nobody is known here")
	require.Empty(t, c.verify())
}

func TestAPrescriptionIsPreparedAndSigned(t *testing.T) {
	c := open(t)
	c.pharmacies()
	to := c.pharmacy("electronic")
	n := c.script("lisinopril 20 mg tablet 1 tablet daily #90", func(n *prescribe.NewPrescription) { n.To, n.VisitID = to, visitID })
	v, err := c.app.Prescribe.Prepare(ctx, c.jonah(), n)
	require.NoError(t, err)
	require.Empty(t, c.listed(), "nothing takes effect unsigned")
	_, err = c.app.Prescribe.PrintPDF(ctx, c.jonah(), v.ID)
	require.Equal(t, act.Conflict, kind(t, err), "what is not signed is not printed")
	require.NoError(t, c.app.Prescribe.Return(ctx, c.doctor(), v.ID, "For how long?"))
	require.NoError(t, c.app.Prescribe.Drop(ctx, c.jonah(), v.ID, "Written anew."))
	n.RequestID = "anew"
	v, err = c.app.Prescribe.Prepare(ctx, c.jonah(), n)
	require.NoError(t, err)
	require.NoError(t, c.app.Prescribe.SignPrepared(ctx, c.doctor(), v.ID, "", secret, ""))
	require.Equal(t, act.Conflict, kind(t, c.app.Prescribe.SignPrepared(ctx, c.doctor(), v.ID, "", secret, "")))
	c.step()
	require.Equal(t, "with the pharmacy", c.rx(v.ID).State)
	require.Len(t, c.listed(), 1)
	require.Empty(t, c.verify())
}

func TestWhatAPrescriptionRefuses(t *testing.T) {
	c := open(t)
	for name, x := range map[string]struct {
		kind   act.Kind
		change func(*prescribe.NewPrescription)
	}{
		"no medicine":       {act.Invalid, func(n *prescribe.NewPrescription) { n.Drug.Medicine = " " }},
		"no directions":     {act.Invalid, func(n *prescribe.NewPrescription) { n.Drug.Dose = "" }},
		"ten of what":       {act.Invalid, func(n *prescribe.NewPrescription) { n.Drug.Dose = "10 daily" }},
		"no quantity":       {act.Invalid, func(n *prescribe.NewPrescription) { n.Drug.Quantity = "many" }},
		"two medicines":     {act.Invalid, func(n *prescribe.NewPrescription) { n.Drug.Note = "with MSO4" }},
		"of nobody":         {act.Missing, func(n *prescribe.NewPrescription) { n.PatientID = "nobody" }},
		"to nobody":         {act.Missing, func(n *prescribe.NewPrescription) { n.To = "nobody" }},
		"at no visit":       {act.Invalid, func(n *prescribe.NewPrescription) { n.VisitID = "v9" }},
		"answers nothing":   {act.Invalid, func(n *prescribe.NewPrescription) { n.Inquiry = "nothing" }},
		"in no one's place": {act.Conflict, func(n *prescribe.NewPrescription) { n.Instead = "nothing" }},
	} {
		_, err := c.app.Prescribe.Prescribe(ctx, c.doctor(), c.script("lisinopril 20 mg tablet 1 tablet daily #90", x.change))
		require.Error(t, err, name)
		assert.Equal(t, x.kind, kind(t, err), name)
	}
	require.Empty(t, c.listed())
	practice := c.practiceIn("fax")
	_, err := c.app.Prescribe.Prescribe(ctx, c.doctor(), c.script("lisinopril 20 mg tablet 1 tablet daily #90", func(n *prescribe.NewPrescription) { n.To = practice.ID }))
	assert.Equal(t, act.Invalid, kind(t, err), "a practice takes no prescriptions")
	r, err := c.app.Prescribe.Read(ctx, c.doctor(), patientID, prescribe.Typed{Line: "zebramycin 250 mg tablet 1 tablet daily #30"})
	require.NoError(t, err)
	require.False(t, r.Known)
	require.True(t, r.Warnings[0].Unknown, "a medicine that nobody knows does not look safe")
	require.Equal(t, core.Unchecked, r.Remarks[0].Grade)
}

func TestAMessageIsTakenDownAndAnswered(t *testing.T) {
	c := open(t)
	id := c.message("She has a rash since the new tablets.")
	v, err := c.app.Prescribe.Inquiry(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "telephone", v.Inquiry.Source)
	require.Equal(t, act.Invalid, kind(t, c.app.Prescribe.Answer(ctx, c.doctor(), id, "")))
	require.NoError(t, c.app.Prescribe.Answer(ctx, c.doctor(), id, "Called back: stop them, come today."))
	require.Equal(t, act.Conflict, kind(t, c.app.Prescribe.Answer(ctx, c.doctor(), id, "Again.")))
	require.Empty(t, c.verify())
}

// A nurse practitioner signs what her right allows; a Schedule II substance waits for a cosigner
// whom she names, or for the physician whose patient it is.
func TestWhatAPractitionerSigns(t *testing.T) {
	c := open(t)
	np := c.who[act.Practitioner]
	n := c.script("lisinopril 20 mg 1 tablet daily #90", nil)
	v, err := c.app.Prescribe.Prescribe(ctx, np, n)
	require.NoError(t, err)
	require.Equal(t, np.Name, v.Clinician)
	_, err = c.app.Order.PlaceOrder(ctx, np, orders.NewOrder{PatientID: patientID, RequestID: "np", Secret: secret, Pad: order.Pad{Priority: "R", Drawing: order.DrawnNow, Lines: []order.Line{{Test: "K", Diagnoses: []string{"M10.071"}}}}})
	require.NoError(t, err)

	two := c.script("oxycodone 5 mg tablet 1 tablet every 6 hours as needed for 3 days #12", nil)
	r, err := c.app.Prescribe.Read(ctx, np, patientID, prescribe.Typed{Drug: &two.Drug})
	require.NoError(t, err)
	require.True(t, r.Cosigner)
	three := c.script("tramadol 50 mg tablet 1 tablet every 8 hours as needed for 3 days #9", nil)
	r, err = c.app.Prescribe.Read(ctx, np, patientID, prescribe.Typed{Drug: &three.Drug})
	require.NoError(t, err)
	require.False(t, r.Cosigner, "Schedule IV is within her right")
	_, err = c.app.Prescribe.Prescribe(ctx, np, two)
	require.Equal(t, act.Forbidden, kind(t, err))
	require.ErrorContains(t, err, "lay it for a cosigner")
	_, err = c.app.Pad.Sign(ctx, np, pad.Pad{PatientID: patientID, Secret: secret, Prescriptions: []prescribe.NewPrescription{two}})
	require.Equal(t, act.Forbidden, kind(t, err), "nor among others on the pad")
	_, err = c.app.Prescribe.Prepare(ctx, np, two)
	require.ErrorContains(t, err, "usual clinician", "nobody is, and nobody was named")
	for _, nobody := range []string{np.ID, c.who[act.Associate].ID, c.jonah().ID, "x"} {
		two.For = nobody
		_, err = c.app.Prescribe.Prepare(ctx, np, two)
		require.ErrorContains(t, err, "Say who signs it", nobody)
	}
	two.For = c.doctor().ID
	laid, err := c.app.Prescribe.Prepare(ctx, np, two)
	require.NoError(t, err)
	require.Equal(t, "to be signed", laid.State)
	require.Equal(t, act.Forbidden, kind(t, c.app.Prescribe.SignPrepared(ctx, np, laid.ID, "", secret, "")), "she does not sign it all the same")
	require.NoError(t, c.app.Prescribe.SignPrepared(ctx, c.doctor(), laid.ID, "", secret, ""))
	require.Equal(t, c.doctor().Name, c.rx(laid.ID).Clinician)
	require.Empty(t, c.verify())
}

// What patients write through the portal is a line of their clinician, once; answered it goes
// back the way it came; of whom nobody is certain it waits until somebody says.
func TestAMessageThroughThePortal(t *testing.T) {
	c := open(t)
	e := &standin.Elsewhere{Accounts: []string{"SK-1"}}
	require.NoError(t, e.Open("127.0.0.1:0"))
	t.Cleanup(e.Close)
	c.app.Elsewhere.Portal = e.Base()
	require.NoError(t, c.app.Circle.SetUsual(ctx, c.doctor(), patientID, c.doctor().ID))
	e.Set(func(e *standin.Elsewhere) {
		e.Questions = []standin.Question{{ID: "q1", Family: "Marsh-Adeyemi", Given: "Ottoline", BirthDate: "1968-03-14", Gender: "female", From: "Tunde Adeyemi", Text: "Is the rash from it?"},
			{ID: "q2", Family: "Marsh", Given: "Ottoline", BirthDate: "1968-03-14", Gender: "female", Text: "Please call."}}
	})
	c.step()
	c.step()
	require.Equal(t, 2, c.count("SELECT count(*) FROM inquiry WHERE source = 'portal'"), "asked twice, taken once")
	id := c.text("SELECT id FROM inquiry WHERE origin = 'portal q1'")
	v, err := c.app.Prescribe.Inquiry(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "Is the rash from it?", v.Inquiry.Text)
	require.Equal(t, "Tunde Adeyemi", v.Inquiry.From)
	require.True(t, v.Inquiry.Back)
	require.Equal(t, "Marsh-Adeyemi", v.Patient.Family)
	state, mark := c.lineOf(id)
	require.Equal(t, "open portal", state+" "+mark)
	require.NoError(t, c.app.Prescribe.Answer(ctx, c.doctor(), id, "Stop the tablet and come today."))
	c.step()
	require.Equal(t, "Stop the tablet and come today.", e.Messages()["answer-"+id].Text)
	require.Equal(t, "SK-1", e.Messages()["answer-"+id].Record)
	require.Zero(t, c.count("SELECT count(*) FROM line WHERE closed_at = '' AND subject IN (?, 'answer-' || ?)", id, id), "both lines are closed")

	// A portal that is down keeps nobody from asking the pharmacies.
	pharmacy := c.pharmacies()
	pharmacy.Set(func(e *standin.Elsewhere) { e.Wants = []standin.Wanted{wanted()} })
	e.Set(func(e *standin.Elsewhere) { e.Down = true })
	require.NoError(t, c.app.Prescribe.Poll(ctx))
	require.Equal(t, 1, c.count("SELECT count(*) FROM inquiry WHERE kind = 'repeat'"))
	other := c.text("SELECT id FROM inquiry WHERE origin = 'portal q2'")
	_, mark = c.lineOf(other)
	require.Equal(t, "not certain whose", mark, "another family name is somebody else until somebody says")
	require.NoError(t, c.app.Prescribe.AttachInquiry(ctx, c.doctor(), other, patientID))
	state, mark = c.lineOf(other)
	require.Equal(t, "open portal", state+" "+mark)
	require.Empty(t, c.verify())
}
