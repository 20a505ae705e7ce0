package app_test

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/directory"
	"deftledger/app/intake"
	orders "deftledger/app/order"
	"deftledger/app/pad"
	"deftledger/app/prescribe"
	"deftledger/app/referral"
	"deftledger/core/chart"
	"deftledger/core/order"
	core "deftledger/core/referral"
)

// study is something of the list of imaging, procedures and supplies, ordered of somebody.
func (c *clinic) study(to directory.AddresseeView, item, request string, answers ...string) referral.NewReferral {
	n := c.referral(to, request)
	n.Item, n.Question = item, "Stone?"
	for _, a := range answers {
		q, v, _ := strings.Cut(a, "=")
		n.Answers = append(n.Answers, order.EntryAnswer{Question: q, Answer: v})
	}
	return n
}

func (c *clinic) wholePad(to directory.AddresseeView, request string) pad.Pad {
	n := c.script("lisinopril 20 mg 1 tablet daily #90", nil)
	n.RequestID = request + " medicine"
	return pad.Pad{PatientID: patientID, VisitID: visitID, Secret: secret,
		Tests:         &orders.NewOrder{RequestID: request + " test", Pad: order.Pad{Priority: "R", Drawing: order.DrawnNow, Lines: []order.Line{{Test: "K", Diagnoses: []string{"M10.071"}}}}},
		Prescriptions: []prescribe.NewPrescription{n},
		Referrals:     []referral.NewReferral{c.referral(to, request+" question"), c.study(to, "us-kidney", request+" picture")}}
}

func (c *clinic) ordered() int {
	return c.count("SELECT (SELECT count(*) FROM lab_order) + (SELECT count(*) FROM further_order)")
}

// Tests, a medicine, a referral and imaging are signed at once: all of them, or none.
func TestAPadIsSignedAsAWhole(t *testing.T) {
	c := open(t)
	to, pharmacy := c.practiceIn("electronic"), c.pharmacy("letter")
	before := c.ordered()
	for says, spoil := range map[string]func(*pad.Pad){
		"is not in the test list":                    func(p *pad.Pad) { p.Tests.Lines = []order.Line{{Test: "NONE", Diagnoses: []string{"M10.071"}}} },
		"There is no":                                func(p *pad.Pad) { p.Referrals[1].Item = "aura" },
		"asks: Side":                                 func(p *pad.Pad) { p.Referrals[1].Item = "xr-knee" },
		"write the question":                         func(p *pad.Pad) { p.Referrals[1].Question = " " },
		"does not ask":                               func(p *pad.Pad) { p.Referrals[1].Answers = []order.EntryAnswer{{Question: "side", Answer: "left"}} },
		"the prescription is not complete":           func(p *pad.Pad) { p.Prescriptions[0].Drug.Dose, p.Prescriptions[0].Drug.Quantity = "", "" },
		"takes no referrals":                         func(p *pad.Pad) { p.Referrals[1].To = pharmacy },
		"is past":                                    func(p *pad.Pad) { p.Referrals[1].On = "2026-05-01" },
		"Something else was ordered under that":      func(p *pad.Pad) { p.Referrals[1].RequestID = p.Referrals[0].RequestID },
		"The visit is not one of this patient":       func(p *pad.Pad) { p.VisitID = "elsewhere" },
		"is more than eleven months away: order it":  func(p *pad.Pad) { p.Referrals[1].On = "2027-04-30" },
		"belong to imaging, a procedure or a supply": func(p *pad.Pad) { p.Referrals[0].On = "2026-06-01" },
	} {
		p := c.wholePad(to, "spoilt "+says)
		spoil(&p)
		_, err := c.app.Pad.Sign(ctx, c.doctor(), p)
		require.ErrorContains(t, err, says[1:], says)
		require.Equal(t, before, c.ordered(), "%s: nothing was signed", says)
	}
	_, err := c.app.Pad.Sign(ctx, c.doctor(), pad.Pad{PatientID: patientID, Secret: secret})
	require.Equal(t, act.Invalid, kind(t, err))

	p := c.wholePad(to, "whole")
	out, err := c.app.Pad.Sign(ctx, c.doctor(), p)
	require.NoError(t, err)
	require.Equal(t, before+4, c.ordered())
	require.Len(t, out.Referrals, 2)
	require.Equal(t, "Ultrasound, kidneys and bladder", out.Referrals[1].Title)
	require.Equal(t, "imaging", out.Referrals[1].Kind)
	require.Equal(t, "2026-05-25", out.Referrals[1].Expected, "three weeks for imaging that is routine")
	again, err := c.app.Pad.Sign(ctx, c.doctor(), p)
	require.NoError(t, err)
	require.Equal(t, before+4, c.ordered(), "sent twice it counts once")
	require.Equal(t, out.Orders[0].ID, again.Orders[0].ID)
	require.Equal(t, 4, c.count("SELECT count(*) FROM line WHERE patient_id = ? AND closed_at = '' AND kind IN ('order', 'prescription', 'referral')", patientID), "each is an open line")
}

// An assistant lays the whole pad before the physician, and signs none of it.
func TestAPadIsLaidForASignature(t *testing.T) {
	c := open(t)
	p := c.wholePad(c.practiceIn("electronic"), "laid")
	_, err := c.app.Pad.Sign(ctx, c.jonah(), p)
	require.Equal(t, act.Forbidden, kind(t, err))
	out, err := c.app.Pad.Prepare(ctx, c.jonah(), p)
	require.NoError(t, err)
	require.Len(t, out.Prepared, 1)
	require.Equal(t, "to be signed", out.Referrals[1].State)
	require.Equal(t, "to be signed", out.Prescriptions[0].State)
	require.Zero(t, c.count("SELECT count(*) FROM outbox"), "nothing left the house")
	require.NoError(t, c.app.Referral.SignPrepared(ctx, c.doctor(), out.Referrals[1].ID, "", secret))
	require.Equal(t, "signed, not sent", c.referred(out.Referrals[1].ID).State)
}

// A controlled substance that is sent has its second factor, and so its own signing.
func TestAControlledSubstanceIsNotSignedAmongOthers(t *testing.T) {
	c := open(t)
	pharmacy := c.pharmacy("electronic")
	p := c.wholePad(c.practiceIn("electronic"), "mixed")
	p.Prescriptions[0].Drug.Medicine, p.Prescriptions[0].To = "oxycodone", pharmacy
	_, err := c.app.Pad.Sign(ctx, c.doctor(), p)
	require.ErrorContains(t, err, "signed by itself")
}

// What speaks against a picture stops it until somebody says why; that is sealed, and what
// goes out says the study, the side and the answers.
func TestImagingWithAnImplant(t *testing.T) {
	c := open(t)
	e := c.receivers()
	to := c.practiceIn("electronic")
	n := c.study(to, "mri-knee", "magnet", "side=left", "contrast=without", "implant=yes", "which=pacemaker, 2019")
	says, err := c.app.Referral.Concerns(ctx, c.doctor(), patientID, []referral.OnPad{{Item: "mri-knee", Answers: n.Answers}})
	require.NoError(t, err)
	require.True(t, says[0].Serious)
	_, err = c.app.Referral.Refer(ctx, c.doctor(), n)
	require.ErrorContains(t, err, "Say why it is ordered all the same")
	laid := n
	laid.RequestID = "laid"
	written, err := c.app.Referral.Prepare(ctx, c.jonah(), laid)
	require.NoError(t, err, "who only writes it needs no reason; who signs does")
	require.ErrorContains(t, c.app.Referral.SignPrepared(ctx, c.doctor(), written.ID, "", secret), "Say why it is ordered all the same")
	require.NoError(t, c.app.Referral.SignPrepared(ctx, c.doctor(), written.ID, "Their list has it.", secret))
	require.Contains(t, c.text("SELECT content FROM ledger_entry WHERE kind = 'referral' ORDER BY seq DESC LIMIT 1"), "Their list has it.")
	n.Reason = "The device is MR conditional by its card."
	n.On = "2026-06-15"
	v, err := c.app.Referral.Refer(ctx, c.doctor(), n)
	require.NoError(t, err)
	require.Equal(t, "MRI, knee, left, without contrast", v.Title)
	require.Equal(t, []string{"Pacemaker, implant, clip or metal in the body: yes", "Which, and since when: pacemaker, 2019", "To be done about 15 Jun 2026"}, v.Details)
	require.Equal(t, n.Reason, v.Why)
	require.Len(t, v.Warnings, 1)
	require.Equal(t, "2026-07-06", v.Expected, "three weeks after the day on which it is to be done")
	sealed := c.text("SELECT content FROM ledger_entry WHERE kind = 'referral' ORDER BY seq DESC LIMIT 1")
	require.Contains(t, sealed, "MR conditional")
	require.Contains(t, sealed, "mri-knee")
	c.step()
	sent := e.Referrals()[v.Number]
	require.Equal(t, "MRI, knee, left, without contrast", sent.Item)
	body := c.text("SELECT body FROM outbox WHERE subject = ?", v.ID)
	var bundle struct {
		Entry []struct {
			Resource struct {
				ResourceType, OccurrenceDateTime string
				OrderDetail                      []struct{ Text string }
			}
		}
	}
	require.NoError(t, json.Unmarshal([]byte(body), &bundle))
	for _, x := range bundle.Entry {
		if x.Resource.ResourceType == "ServiceRequest" {
			require.Equal(t, "2026-06-15", x.Resource.OccurrenceDateTime)
			require.Len(t, x.Resource.OrderDetail, 3)
		}
	}
	before, err := c.app.Referral.Concerns(ctx, c.doctor(), patientID, []referral.OnPad{{Item: "mri-knee"}})
	require.NoError(t, err)
	require.Len(t, before[0].Before, 2, "the same was ordered lately, and says so")
	sheet, err := c.app.Referral.SheetPDF(ctx, c.doctor(), v.ID)
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(string(sheet), "%PDF-"))
}

// A supply brings no report: it closes when somebody says that the patient has it. Imaging
// does not close so.
func TestASupplyClosesWhenThePatientHasIt(t *testing.T) {
	c := open(t)
	c.receivers()
	to := c.practiceIn("electronic")
	n := c.study(to, "walker", "walker", "months=99")
	n.Question = ""
	v, err := c.app.Referral.Refer(ctx, c.doctor(), n)
	require.NoError(t, err)
	c.step()
	require.Equal(t, "sent", c.referred(v.ID).State)
	require.NoError(t, c.app.Referral.Tell(ctx, c.jonah(), v.ID, referral.ReferralTold{Says: core.HasIt}))
	require.Equal(t, "closed", c.referred(v.ID).State)
	require.Zero(t, c.count("SELECT count(*) FROM line WHERE subject = ? AND closed_at = ''", v.ID))
	picture, err := c.app.Referral.Refer(ctx, c.doctor(), c.study(to, "us-kidney", "picture"))
	require.NoError(t, err)
	require.ErrorContains(t, c.app.Referral.Tell(ctx, c.jonah(), picture.ID, referral.ReferralTold{Says: core.HasIt}), "when its report was read")
}

// A vaccine that is ordered is given by the practice's own people: it stands in their list, closes
// by itself once it is recorded, and is late at the end of its day.
func TestAVaccineIsOrderedAndGivenHere(t *testing.T) {
	c := open(t)
	give := func(id, cvx string) {
		t.Helper()
		asked, err := c.app.Intake.GiveVaccine(ctx, c.jonah(), visitID, intake.VaccineEntry{ID: id, Confirmed: true,
			Given: chart.Given{CVX: cvx, Dose: "0.5 mL", Route: "intramuscular", Site: "left deltoid", Lot: "L7", Maker: "Gannet", Expires: "2027-01-31", Sheet: "2025-01-31"}})
		require.NoError(t, err)
		require.Empty(t, asked.Questions)
	}
	give("before", "115")
	c.now = c.now.Add(time.Minute)
	n := c.study(directory.AddresseeView{}, "cvx-115", "tdap")
	n.Question = ""
	v, err := c.app.Referral.Refer(ctx, c.doctor(), n)
	require.NoError(t, err)
	require.Equal(t, "to be done here", v.State)
	c.step()
	require.Zero(t, c.count("SELECT count(*) FROM outbox"), "nothing leaves the house")
	require.Equal(t, "to be done here", c.referred(v.ID).State, "what was given before the order does not fulfil it")
	here, err := c.app.Referral.Here(ctx, c.jonah())
	require.NoError(t, err)
	require.Len(t, here, 1)
	require.ErrorContains(t, c.app.Referral.Tell(ctx, c.jonah(), v.ID, referral.ReferralTold{Says: core.HasIt}), "record it at the intake")
	require.ErrorContains(t, c.app.Referral.Tell(ctx, c.jonah(), v.ID, referral.ReferralTold{Says: core.Accepts}), "cannot be")
	give("another", "113")
	c.step()
	require.Equal(t, "to be done here", c.referred(v.ID).State, "another vaccine does not fulfil it")

	c.later(24 * 60 * 60)
	_, err = c.app.Referral.RaiseLate(ctx)
	require.NoError(t, err)
	state, mark := c.lineOf(v.ID)
	require.Equal(t, "open late", state+" "+mark)
	give("given", "115")
	c.step()
	require.Equal(t, "closed", c.referred(v.ID).State)
	require.Zero(t, c.count("SELECT count(*) FROM line WHERE subject = ? AND closed_at = ''", v.ID))
	require.Contains(t, c.referred(v.ID).Events[0].Detail, "lot L7")

	n.RequestID, n.To = "somewhere", c.practiceIn("fax").ID
	_, err = c.app.Referral.Refer(ctx, c.doctor(), n)
	require.ErrorContains(t, err, "goes to nobody")
	n.RequestID, n.To = "declined", ""
	again, err := c.app.Referral.Refer(ctx, c.doctor(), n)
	require.NoError(t, err)
	require.NoError(t, c.app.Referral.Tell(ctx, c.jonah(), again.ID, referral.ReferralTold{Says: core.Declines, Detail: "Not today."}))
	_, mark = c.lineOf(again.ID)
	require.Equal(t, "declined", mark, "it comes back to who ordered it")
	require.Empty(t, c.verify())
}
