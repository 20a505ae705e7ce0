package app_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/order"
	"deftledger/app/printing"
	"deftledger/app/referral"
	"deftledger/app/registration"
	"deftledger/app/release"
	"deftledger/core/chart"
	noteCore "deftledger/core/note"
	orderCore "deftledger/core/order"
)

// TestEveryLookIsRecorded walks every reading of one patient: it leaves a row with the person, the patient and
// what was looked at, once in ten minutes, and again after that.
func TestEveryLookIsRecorded(t *testing.T) {
	t.Parallel()
	c := open(t)
	o := c.order("K")
	c.step()
	c.receive(oru("S1", o.Placer+"-1", "F", "4.1"), "AA")
	report := c.desk().Reports[0].ID
	id, _, _ := c.written()
	prepared, err := c.app.Order.PrepareOrder(ctx, c.jonah(), order.NewOrder{PatientID: patientID, VisitID: visitID, RequestID: "prep", Pad: orderCore.Pad{Priority: "R", Drawing: orderCore.AtSite, Lines: []orderCore.Line{{Test: "K", Diagnoses: []string{"M10.071"}}}}})
	require.NoError(t, err)
	doc, err := c.app.Paper.FileSection(ctx, c.doctor(), id, "Plan", false, "", "")
	require.NoError(t, err)
	a := c.app
	now, err := a.Registration.Registration(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	now.Registration.Coverages = []chart.Coverage{{ID: "k1", Rank: "primary", Kind: "commercial", Payer: "Skerrow Mutual", Number: "1", Holder: "self"}}
	_, err = a.Registration.ChangeRegistration(ctx, c.doctor(), patientID, registration.ChangedRegistration{Registration: now.Registration, Usual: now.Usual})
	require.NoError(t, err)
	now, err = a.Registration.AddCard(ctx, c.doctor(), patientID, "k1", "front", picture(true))
	require.NoError(t, err)
	card := now.Cards[0].ID
	referred := c.refer(c.practiceIn("letter"), "first")
	prescribed := c.prescribed("lisinopril 20 mg 1 tablet daily #90", nil)
	message := c.message("Is the rash from it?")
	_, err = a.Pad.Telephone(ctx, c.petra(), c.wholePad(c.practiceIn("fax"), "phoned"), c.doctor().ID, true)
	require.NoError(t, err)
	phoned := c.telephoned(c.doctor()).ID
	harmed := c.selfHarm()
	remindedOf := c.reminded()
	toldOf := c.toldRegistry()
	toExchange := c.toExchange()
	a.Elsewhere.Exchange = ""
	handedOf, tellOf := c.toTell()
	withFile := c.withFile()
	batch, err := a.Printing.Print(ctx, c.doctor(), printing.NewBatch{ID: "looks-batch", Reports: []string{report}})
	require.NoError(t, err)
	a.Elsewhere.Portal = "http://127.0.0.1:1"
	hold, err := a.Release.HoldBack(ctx, c.doctor(), release.NewHold{Order: o.ID, Reason: "wish", Words: "She asked for it.", Until: "2026-07-01"})
	require.NoError(t, err)
	a.Elsewhere.Portal = ""
	require.NoError(t, c.calledIn("looks-01", "6.9"))
	copyOf := c.copied()
	scanned := c.received(document(t, "unstructured"), "A scanned letter, filed under the wrong name.").ID
	fromElsewhere := c.received(document(t, "northsound-discharge"), "").ID
	looks := map[string]struct {
		row string
		do  func(act.Actor) error
	}{
		"registration": {"open registration", func(w act.Actor) error { _, err := a.Registration.Registration(ctx, w, patientID); return err }},
		"card":         {"open card", func(w act.Actor) error { _, err := a.Registration.Card(ctx, w, card); return err }},
		"chart":        {"open chart", func(w act.Actor) error { _, err := a.Chart.Chart(ctx, w, patientID); return err }},
		"harm":         {"open answer of self-harm", func(w act.Actor) error { _, err := a.Reminder.Harm(ctx, w, harmed); return err }},
		"attached": {"open attachment", func(w act.Actor) error {
			_, _, err := a.Result.Attached(ctx, w, withFile.ID, withFile.Laid.Files[0].Sum)
			return err
		}},
		"across":           {"look at results over the years", func(w act.Actor) error { _, err := a.Result.Across(ctx, w, patientID); return err }},
		"hold":             {"open a result held back", func(w act.Actor) error { _, err := a.Release.Hold(ctx, w, hold); return err }},
		"printing":         {"open a batch of results", func(w act.Actor) error { _, err := a.Printing.Batch(ctx, w, batch.ID); return err }},
		"record":           {"open a record from elsewhere", func(w act.Actor) error { _, err := a.Record.Open(ctx, w, fromElsewhere); return err }},
		"record-file":      {"open a file of a record from elsewhere", func(w act.Actor) error { _, _, err := a.Record.File(ctx, w, scanned, 0); return err }},
		"held-back":        {"look at what is held back", func(w act.Actor) error { _, err := a.Sharing.Held(ctx, w, patientID); return err }},
		"sharing":          {"look at what is shared", func(w act.Actor) error { _, err := a.Sharing.Page(ctx, w, patientID); return err }},
		"sent-to-exchange": {"open what is for the exchange", func(w act.Actor) error { _, err := a.Sharing.Sent(ctx, w, toExchange); return err }},
		"records":          {"look at records from elsewhere", func(w act.Actor) error { _, err := a.Record.Records(ctx, w, patientID); return err }},
		"called":           {"open a value told by telephone", func(w act.Actor) error { _, err := a.Result.Called(ctx, w, "called-looks-01"); return err }},
		"copy":             {"open a copy of a result", func(w act.Actor) error { _, err := a.Result.Copy(ctx, w, copyOf); return err }},
		"desk-words":       {"see what may be told at the front desk", func(w act.Actor) error { _, err := a.Packet.DeskWords(ctx, w, patientID); return err }},
		"packet":           {"open packet", func(w act.Actor) error { _, err := a.Packet.Open(ctx, w, patientID, ""); return err }},
		"hand-over":        {"open a hand-over", func(w act.Actor) error { _, err := a.Packet.HandOver(ctx, w, handedOf); return err }},
		"telling":          {"open what a patient is to be told", func(w act.Actor) error { _, err := a.Packet.Telling(ctx, w, tellOf); return err }},
		"reminded":         {"open a reminder by mail", func(w act.Actor) error { _, err := a.Recall.Open(ctx, w, remindedOf); return err }},
		"questionnaire": {"look at a questionnaire", func(w act.Actor) error {
			_, err := a.Reminder.Questionnaire(ctx, w, patientID, "counsel-diet")
			return err
		}},
		"registry":          {"open what was told to the registry", func(w act.Actor) error { _, err := a.Registry.Open(ctx, w, toldOf); return err }},
		"immunizations-hl7": {"give vaccines out", func(w act.Actor) error { _, err := a.Registry.File(ctx, w, patientID); return err }},
		"reminder-leaflet": {"print a leaflet of a reminder", func(w act.Actor) error {
			_, err := a.Reminder.LeafletPDF(ctx, w, patientID, "colorectal-cancer")
			return err
		}},
		"reminders-fhir": {"give reminders out", func(w act.Actor) error { _, err := a.Reminder.RemindersFHIR(ctx, w, patientID); return err }},
		"reminders":      {"look at reminders", func(w act.Actor) error { _, err := a.Reminder.Reminders(ctx, w, patientID); return err }},
		"reminder":       {"look at a reminder", func(w act.Actor) error { _, err := a.Reminder.Why(ctx, w, patientID, "hepatitis-c"); return err }},
		"timeline":       {"look at what happened", func(w act.Actor) error { _, err := a.Chart.Timeline(ctx, w, patientID, ""); return err }},
		"vital-history":  {"look at vital signs", func(w act.Actor) error { _, err := a.Intake.VitalHistory(ctx, w, patientID); return err }},
		"note":           {"open note", func(w act.Actor) error { _, err := a.Note.Note(ctx, w, id); return err }},
		"charges":        {"open note", func(w act.Actor) error { _, err := a.Assess.Charges(ctx, w, id); return err }},
		"measures":       {"open note", func(w act.Actor) error { _, err := a.Assess.MeasuresOf(ctx, w, id); return err }},
		"closing-list":   {"open note", func(w act.Actor) error { _, err := a.Note.ClosingList(ctx, w, id); return err }},
		"last-findings":  {"open note", func(w act.Actor) error { _, err := a.Note.LastFindings(ctx, w, id); return err }},
		"letters":        {"open note", func(w act.Actor) error { _, err := a.Paper.Letters(ctx, w, id); return err }},
		"plan-sets":      {"open note", func(w act.Actor) error { _, err := a.Plan.PlanSets(ctx, w, id); return err }},
		"plan-as-set":    {"open note", func(w act.Actor) error { _, err := a.Plan.PlanAsSet(ctx, w, id); return err }},
		"beside":         {"look beside the note", func(w act.Actor) error { _, err := a.Note.Beside(ctx, w, id, "", "", ""); return err }},
		"order":          {"open order", func(w act.Actor) error { _, err := a.Order.Order(ctx, w, o.ID); return err }},
		"pad":            {"open the pad", func(w act.Actor) error { _, err := a.Order.Pad(ctx, w, patientID, nil); return err }},
		"orders": {"look at orders", func(w act.Actor) error {
			_, err := a.Order.History(ctx, w, order.Sought{Patient: patientID, Which: "all"})
			return err
		}},
		"requisition":     {"print requisition", func(w act.Actor) error { _, err := a.Order.Requisition(ctx, w, o.ID); return err }},
		"labels":          {"print labels", func(w act.Actor) error { _, err := a.Order.Labels(ctx, w, o.ID); return err }},
		"referral":        {"open referral", func(w act.Actor) error { _, err := a.Referral.Open(ctx, w, referred.ID); return err }},
		"referrals":       {"look at referrals", func(w act.Actor) error { _, err := a.Referral.OfPatient(ctx, w, patientID); return err }},
		"referral-letter": {"print referral", func(w act.Actor) error { _, err := a.Referral.LetterPDF(ctx, w, referred.ID); return err }},
		"telephone-order": {"open order by telephone", func(w act.Actor) error { _, err := a.Pad.Taken(ctx, w, phoned); return err }},
		"referral-sheet":  {"print sheet for the patient", func(w act.Actor) error { _, err := a.Referral.SheetPDF(ctx, w, referred.ID); return err }},
		"concerns": {"look at care with an order", func(w act.Actor) error {
			_, err := a.Referral.Concerns(ctx, w, patientID, []referral.OnPad{{Item: "us-kidney"}})
			return err
		}},
		"referral-parts":     {"look at what goes along", func(w act.Actor) error { _, err := a.Referral.Parts(ctx, w, patientID, ""); return err }},
		"prescription":       {"open prescription", func(w act.Actor) error { _, err := a.Prescribe.Open(ctx, w, prescribed.ID); return err }},
		"prescriptions":      {"look at prescriptions", func(w act.Actor) error { _, err := a.Prescribe.OfPatient(ctx, w, patientID); return err }},
		"prescription-paper": {"print prescription", func(w act.Actor) error { _, err := a.Prescribe.PrintPDF(ctx, w, prescribed.ID); return err }},
		"inquiry":            {"open request", func(w act.Actor) error { _, err := a.Prescribe.Inquiry(ctx, w, message); return err }},
		"orders-of-visit":    {"open visit", func(w act.Actor) error { _, err := a.Order.OrdersAt(ctx, w, visitID); return err }},
		"prepared":           {"open prepared order", func(w act.Actor) error { _, err := a.Order.PreparedOrder(ctx, w, prepared.ID); return err }},
		"report":             {"open report", func(w act.Actor) error { _, err := a.Result.Report(ctx, w, report); return err }},
		"visit":              {"open visit", func(w act.Actor) error { _, err := a.Visit.Visit(ctx, w, visitID); return err }},
		"intake":             {"open intake", func(w act.Actor) error { _, err := a.Intake.Intake(ctx, w, visitID); return err }},
		"document":           {"open document", func(w act.Actor) error { _, err := a.Paper.Document(ctx, w, doc.ID); return err }},
		"find-medicine": {"look at care with a medicine", func(w act.Actor) error {
			_, err := a.Intake.FindMedicine(ctx, w, patientID, "allopurinol")
			return err
		}},
		"preview-forward": {"open note", func(w act.Actor) error {
			_, err := a.Note.PreviewForward(ctx, w, id, id, noteCore.Wanted{})
			return err
		}},
		"search-findings": {"search findings of the patient", func(w act.Actor) error {
			_, err := a.Note.SearchFindings(ctx, w, patientID, noteCore.Review, "constitutional", "fever", "")
			return err
		}},
	}
	for name, x := range looks {
		c.now = c.now.Add(11 * time.Minute)
		rows := func() int {
			return c.count("SELECT count(*) FROM audit WHERE staff_id = ? AND patient_id = ? AND act = ?", c.doctor().ID, patientID, x.row)
		}
		before := rows()
		require.NoError(t, x.do(c.doctor()), name)
		require.Equal(t, before+1, rows(), "%s leaves a row", name)
		require.NoError(t, x.do(c.doctor()), name)
		require.Equal(t, before+1, rows(), "%s is one look", name)
		c.now = c.now.Add(11 * time.Minute)
		require.NoError(t, x.do(c.doctor()), name)
		require.Equal(t, before+2, rows(), "%s again later is another", name)
	}
	require.Zero(t, c.count("SELECT count(*) FROM audit WHERE subject LIKE '%M10%' OR detail LIKE '%M10%'"), "no diagnosis stands in the audit")
}
