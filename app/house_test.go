package app_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	charts "deftledger/app/chart"
	"deftledger/app/intake"
	orders "deftledger/app/order"
	"deftledger/app/paper"
	results "deftledger/app/result"
	visits "deftledger/app/visit"
	"deftledger/core/chart"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/core/visit"
	"deftledger/store"
)

var tdap = chart.Given{CVX: "115", Maker: "Orrery Biologicals", Lot: "T4471", Expires: "2027-06-30", Dose: "0.5 mL", Route: "intramuscular",
	Site: "left deltoid", Sheet: "2025-01-31"}

func strep(id, value string) intake.HouseEntry {
	return intake.HouseEntry{ID: id, Test: "STREP", Values: map[string]string{"STREP": value},
		Kit: intake.Kit{Lot: "S-88", Expires: "2026-05-04"}, Control: "valid"}
}

// A test done in the house is a result like any other: it waits for the physician's
// signature, comes once, and is corrected by a new issue.
func TestATestOfTheHouseIsAResultThatWaitsForASignature(t *testing.T) {
	c := open(t)
	id := c.note()
	for _, bad := range []func(*intake.HouseEntry){
		func(e *intake.HouseEntry) { e.Kit.Expires = "2026-05-03" },
		func(e *intake.HouseEntry) { e.Kit.Expires = "soon" },
		func(e *intake.HouseEntry) { e.Kit.Lot = "" },
		func(e *intake.HouseEntry) { e.Control = "not valid" },
		func(e *intake.HouseEntry) { e.Values = nil },
		func(e *intake.HouseEntry) { e.Test = "XRAY" },
		func(e *intake.HouseEntry) { e.ID = "" },
	} {
		e := strep("a", "positive")
		bad(&e)
		_, err := c.app.Intake.EnterTest(ctx, c.jonah(), visitID, e)
		require.Equal(t, act.Invalid, kind(t, err))
	}
	require.Equal(t, 0, c.count("SELECT count(*) FROM report"))
	for range 2 { // the same act twice, after a lost answer
		v, err := c.app.Intake.EnterTest(ctx, c.jonah(), visitID, strep("a", "positive"))
		require.NoError(t, err)
		require.Len(t, v.Tests, 1)
		require.Equal(t, "Rapid strep A antigen positive.", v.Tests[0].Words)
		require.True(t, v.Tests[0].Flagged)
		require.Equal(t, "A medical assistant", v.Tests[0].By)
	}
	require.Equal(t, 1, c.count("SELECT count(*) FROM inbox WHERE peer = 'in the house'"), "what was entered is kept as it came")
	d := c.desk()
	require.Len(t, d.Reports, 1, "on the physician's desk")
	report := d.Reports[0].ID
	n, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "Tests done here", n.Blocks[0].Label)
	require.Equal(t, "Rapid strep A antigen positive.", n.Blocks[0].Text())
	r, err := c.app.Result.Report(ctx, c.doctor(), report)
	require.NoError(t, err)
	require.Contains(t, r.Notes, "Kit lot S-88, expires 2026-05-04; control valid. Done by A medical assistant.")
	require.Contains(t, r.Performer, "done in the house")
	require.NoError(t, c.app.Result.SignReport(ctx, c.doctor(), results.SignedResult{ReportID: report, Comment: "Treated.", Told: "in person",
		Secret: secret, Issue: 1, Version: r.Version}))
	require.Empty(t, c.desk().Reports)

	fixed := strep("b", "negative")
	fixed.Corrects = report
	v, err := c.app.Intake.EnterTest(ctx, c.jonah(), visitID, fixed)
	require.NoError(t, err)
	require.Len(t, v.Tests, 1)
	require.Equal(t, "corrected", v.Tests[0].Status)
	require.Equal(t, "Rapid strep A antigen negative.", v.Tests[0].Words)
	require.Len(t, c.desk().Reports, 1, "a correction opens what was signed")
	require.Equal(t, 2, c.count("SELECT count(*) FROM report_issue"), "both stay")
	fixed.ID, fixed.Corrects = "c", "another"
	_, err = c.app.Intake.EnterTest(ctx, c.jonah(), visitID, fixed)
	require.Equal(t, act.Missing, kind(t, err))

	found, err := c.app.Intake.HouseFind(ctx, c.jonah(), "throat")
	require.NoError(t, err)
	require.Equal(t, intake.Kit{Lot: "S-88", Expires: "2026-05-04"}, found.Tests[0].Last, "the kit at hand is offered")
	c.now = c.now.AddDate(0, 0, 1)
	found, err = c.app.Intake.HouseFind(ctx, c.jonah(), "throat")
	require.NoError(t, err)
	require.Empty(t, found.Tests[0].Last.Lot, "an expired one is not")
	require.Empty(t, c.verify())
}

func TestAVaccineGivenIsRecordedOnceAndStruckWithAReason(t *testing.T) {
	c := open(t)
	id := c.note()
	e := intake.VaccineEntry{ID: "one", Given: tdap}
	out, err := c.app.Intake.GiveVaccine(ctx, c.jonah(), visitID, e)
	require.NoError(t, err)
	require.Empty(t, out.Questions)
	_, err = c.app.Intake.GiveVaccine(ctx, c.jonah(), visitID, e)
	require.NoError(t, err)
	require.Equal(t, 1, c.count("SELECT count(*) FROM immunization"), "the same act once")
	e.ID = "two"
	out, err = c.app.Intake.GiveVaccine(ctx, c.jonah(), visitID, e)
	require.NoError(t, err)
	require.Nil(t, out.Intake)
	require.Contains(t, out.Questions[0], "given on 04 May 2026")
	e.Confirmed = true
	out, err = c.app.Intake.GiveVaccine(ctx, c.jonah(), visitID, e)
	require.NoError(t, err)
	require.Len(t, out.Intake.Vaccines, 2)
	e.ID, e.Given.Lot = "three", ""
	_, err = c.app.Intake.GiveVaccine(ctx, c.jonah(), visitID, e)
	require.Equal(t, act.Invalid, kind(t, err))

	_, err = c.app.Intake.StrikeVaccine(ctx, c.jonah(), visitID, "two", " ")
	require.Equal(t, act.Invalid, kind(t, err))
	v, err := c.app.Intake.StrikeVaccine(ctx, c.jonah(), visitID, "two", "entered twice")
	require.NoError(t, err)
	require.Len(t, v.Vaccines, 1)
	require.Equal(t, 2, c.count("SELECT count(*) FROM immunization"), "it stays, struck")
	n, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	last := n.Blocks[len(n.Blocks)-1]
	require.Equal(t, note.Plan, last.Part)
	require.Equal(t, "Tdap, 0.5 mL, intramuscular, left deltoid; Orrery Biologicals, lot T4471, expires 2027-06-30; information sheet of 2025-01-31 handed over.", last.Text())
	chartView := c.everything(patientID)
	require.Len(t, chartView.Vaccines, 1)
	_, err = past(t, c.dir).Exec("UPDATE immunization SET lot = 'other'")
	require.ErrorContains(t, err, "struck with a reason, not changed")
}

// An order an assistant prepared goes nowhere until the physician signs it; given
// back, it is the assistant's to act on.
func TestAPreparedOrderWaitsForThePhysician(t *testing.T) {
	c := open(t)
	prepare := func(request, replaces string) orders.PreparedView {
		c.Helper()
		p, err := c.app.Order.PrepareOrder(ctx, c.jonah(), orders.NewOrder{PatientID: patientID, VisitID: visitID, RequestID: request, Prepared: replaces, Pad: order.Pad{Priority: "R", Drawing: order.DrawnNow, Lines: []order.Line{{Test: "K", Diagnoses: []string{"I10"}}}}})
		require.NoError(c, err)
		return p
	}
	first := prepare("a", "")
	drawn := c.now
	prepare("a", "")
	d := c.desk()
	require.Len(t, d.ToSign, 1, "the same act once, on the physician's desk")
	require.True(t, d.ToSign[0].Order.Mine)
	require.Equal(t, "Essential (primary) hypertension", d.ToSign[0].Order.Tests[0].Diagnoses[0].Title)
	c.step()
	require.Empty(t, c.lab.got, "nothing is sent before it is signed")

	require.Equal(t, act.Invalid, kind(t, c.app.Order.ReturnPrepared(ctx, c.doctor(), first.ID, "")))
	require.NoError(t, c.app.Order.ReturnPrepared(ctx, c.doctor(), first.ID, "Add magnesium."))
	require.Empty(t, c.desk().ToSign)
	mine := c.deskOf(c.jonah())
	require.Equal(t, "Add magnesium.", mine.ToSign[0].Order.Reason)
	_, err := c.app.Order.SignPrepared(ctx, c.doctor(), first.ID, secret)
	require.Equal(t, act.Conflict, kind(t, err), "what was given back is not signed any more")

	second := prepare("b", first.ID)
	mine = c.deskOf(c.jonah())
	require.Empty(t, mine.ToSign, "prepared anew, the old one is closed")
	c.now = c.now.Add(3600e9)
	o, err := c.app.Order.SignPrepared(ctx, c.doctor(), second.ID, secret)
	require.NoError(t, err)
	again, err := c.app.Order.SignPrepared(ctx, c.doctor(), second.ID, secret)
	require.NoError(t, err)
	require.Equal(t, o[0].ID, again[0].ID, "signing twice is one order")
	require.Empty(t, c.desk().ToSign)
	c.step()
	require.Len(t, c.lab.got, 1)
	require.Contains(t, string(c.lab.got[0]), drawn.In(c.app.Location).Format("200601021504"),
		"collected when it was drawn, not when it was signed")

	third := prepare("c", "")
	require.Equal(t, act.Forbidden, kind(t, c.app.Order.DropPrepared(ctx, c.who[act.Nurse], third.ID, "not needed")))
	require.NoError(t, c.app.Order.DropPrepared(ctx, c.jonah(), third.ID, "not needed"))
	require.Empty(t, c.desk().ToSign)
	pad := func(lines ...order.Line) order.Pad {
		return order.Pad{Priority: "R", Drawing: order.AtSite, Lines: lines}
	}
	whole := order.Line{Test: "K", Diagnoses: []string{"I10"}}
	for _, bad := range []orders.NewOrder{
		{PatientID: patientID, RequestID: "d", Pad: pad(order.Line{Test: "K"})},
		{PatientID: patientID, RequestID: "d", Pad: pad(order.Line{Test: "NONE", Diagnoses: []string{"I10"}})},
		{PatientID: patientID, RequestID: "d", Pad: pad(order.Line{Test: "K", Diagnoses: []string{"I11"}})},
		{PatientID: patientID, RequestID: "d", Pad: pad(order.Line{Laboratory: "elsewhere", Test: "K", Diagnoses: []string{"I10"}})},
		{PatientID: patientID, VisitID: "another", RequestID: "d", Pad: pad(whole)},
		{PatientID: patientID, Pad: pad(whole)},
	} {
		_, err := c.app.Order.PrepareOrder(ctx, c.jonah(), bad)
		require.Equal(t, act.Invalid, kind(t, err))
	}
	require.Empty(t, c.verify())
}

// Two physicians press at once: one order, one answer that says so.
func TestAPreparedOrderIsSignedOnceHoweverManyPress(t *testing.T) {
	c := open(t)
	p, err := c.app.Order.PrepareOrder(ctx, c.jonah(), orders.NewOrder{PatientID: patientID, VisitID: visitID, RequestID: "a", Pad: order.Pad{Priority: "R", Drawing: order.AtSite, Lines: []order.Line{{Test: "K", Diagnoses: []string{"I10"}}}}})
	require.NoError(t, err)
	done := make(chan error, 12)
	for i := range 12 {
		go func() {
			switch i % 3 {
			case 0:
				_, err := c.app.Order.SignPrepared(ctx, c.doctor(), p.ID, secret)
				done <- err
			case 1:
				done <- c.app.Order.ReturnPrepared(ctx, c.who["second"], p.ID, "why")
			default: // changed in the composer, then signed
				_, err := c.app.Order.PlaceOrder(ctx, c.who["second"], orders.NewOrder{PatientID: patientID, RequestID: "changed",
					Secret: secret, Prepared: p.ID, Pad: order.Pad{Priority: "S", Drawing: order.AtSite, Lines: []order.Line{{Test: "K", Diagnoses: []string{"I10"}}}}})
				done <- err
			}
		}()
	}
	for range 12 {
		if err := <-done; err != nil {
			require.Equal(t, act.Conflict, kind(t, err))
		}
	}
	orders := c.count("SELECT count(*) FROM lab_order")
	returned := c.count("SELECT count(*) FROM prepared_order WHERE state = 'returned'")
	require.Equal(t, 1, orders+returned, "exactly one of them counted")
}

// twin is a second record of the same person, with a life of its own.
func (c *clinic) twin() {
	c.Helper()
	require.NoError(c, c.store.Write(ctx, func(q *store.Q) error {
		if err := q.AddPatient(chart.Patient{ID: "p2", Record: "SK-2", Name: chart.Name{Family: "Marsh", Given: "Ottoline"},
			BirthDate: "1968-03-14", Sex: "F"}); err != nil {
			return err
		}
		return q.AddVisit(visit.Visit{ID: "v2", PatientID: "p2", ClinicianID: c.who[act.Physician].ID, Day: "2026-05-03",
			StartsAt: c.now.AddDate(0, 0, -1), Kind: "Acute visit", Reason: "Cough", Stage: "ready", StageAt: c.now})
	}))
}

// whole is a chart with all that happened in it.
type whole struct {
	charts.ChartView
	Visits    []visits.VisitView
	Orders    []orders.OrderView
	Reports   []results.ReportRow
	Vaccines  []intake.GivenView
	Messages  []paper.SentView
	Documents []paper.DocumentView
}

// everything reads a chart with all pages of what happened.
func (c *clinic) everything(id string) whole {
	c.Helper()
	v, err := c.app.Chart.Chart(ctx, c.doctor(), id)
	require.NoError(c, err)
	out := whole{ChartView: v}
	n := 0
	for after, more := "", true; more; {
		page, err := c.app.Chart.Timeline(ctx, c.doctor(), id, after)
		require.NoError(c, err)
		for _, h := range page.Rows {
			n++
			switch {
			case h.Visit != nil:
				h.Visit.Patient = act.PatientView{}
				out.Visits = append(out.Visits, *h.Visit)
			case h.Order != nil:
				out.Orders = append(out.Orders, *h.Order)
			case h.Report != nil:
				out.Reports = append(out.Reports, *h.Report)
			case h.Vaccine != nil:
				out.Vaccines = append(out.Vaccines, *h.Vaccine)
			case h.Message != nil:
				out.Messages = append(out.Messages, *h.Message)
			case h.Further != nil:
				require.NotEmpty(c, h.Further.Title)
			case h.Document != nil:
				out.Documents = append(out.Documents, *h.Document)
			default:
				require.Fail(c, "a row of the kind "+h.Kind+" says nothing")
			}
		}
		if after, more = page.Next, page.Next != ""; !more {
			require.Equal(c, page.Count, n, "the count is true")
		}
	}
	for i := range out.Today {
		out.Today[i].Patient = act.PatientView{}
	}
	return out
}

func TestTwoRecordsAreMergedAndTakenApartAgain(t *testing.T) {
	c := open(t)
	c.twin()
	_, err := c.app.Intake.AddEntry(ctx, c.jonah(), "v2", intake.NewEntry{List: "allergies", Title: "Latex", Detail: "rash"})
	require.NoError(t, err)
	_, err = c.app.Intake.AddEntry(ctx, c.jonah(), "v2", intake.NewEntry{List: "medicines", Title: "Losartan", Detail: "50 mg daily"})
	require.NoError(t, err)
	_, err = c.app.Intake.State(ctx, c.jonah(), visitID, []string{"allergies"}, "none known")
	require.NoError(t, err)
	require.NoError(t, c.app.Chart.AddProblem(ctx, c.doctor(), patientID, "I10"))
	require.NoError(t, c.app.Chart.AddProblem(ctx, c.doctor(), "p2", "I10"))
	require.NoError(t, c.app.Chart.AddProblem(ctx, c.doctor(), "p2", "E11.9"))
	other, err := c.app.Note.StartVisit(ctx, c.doctor(), "v2")
	require.NoError(t, err)
	c.save(other, note.Subjective, "Coughs since Friday.", 0, "s1")
	o := c.order("K")
	c.step()
	before := [2]whole{c.everything(patientID), c.everything("p2")}

	look, err := c.app.Chart.Compare(ctx, c.doctor(), patientID, "p2")
	require.NoError(t, err)
	require.Equal(t, []string{"given name", "birth date", "sex"}, look.Agree)
	require.Equal(t, []string{"family name", "phone"}, look.Differ)
	require.Contains(t, look.Other.Holds, "visits: 1")
	require.Equal(t, act.Invalid, kind(t, c.app.Chart.Merge(ctx, c.doctor(), secret, patientID, "p2", " ")))
	require.Equal(t, act.Invalid, kind(t, c.app.Chart.Merge(ctx, c.doctor(), secret, patientID, patientID, "same")))
	require.Equal(t, act.Unproven, kind(t, c.app.Chart.Merge(ctx, c.doctor(), "guess", patientID, "p2", "same passport")))
	for range 2 {
		require.NoError(t, c.app.Chart.Merge(ctx, c.doctor(), secret, patientID, "p2", "Same passport, seen today."))
	}
	require.Equal(t, 2, c.count("SELECT count(*) FROM ledger_entry WHERE kind = 'merge'"), "sealed once in each chart")

	for _, id := range []string{patientID, "p2"} { // either address opens the one chart
		v := c.everything(id)
		require.Equal(t, patientID, v.Patient.ID)
		require.Len(t, v.Visits, 2)
		require.Len(t, v.Allergies, 1)
		require.Equal(t, "Latex", v.Allergies[0].Substance, "an allergy outweighs the other record's \"none known\"")
		require.Len(t, v.Medicines, 1)
		require.Len(t, v.Problems, 2, "the same code once")
		require.Len(t, v.Orders, 1)
		require.Equal(t, "SK-2", v.Merged[0].Record)
	}
	found, err := c.app.Chart.Find(ctx, c.doctor(), "SK-2")
	require.NoError(t, err)
	require.Len(t, found, 1)
	require.Equal(t, "SK-1", found[0].Record, "the former number finds the one chart")
	found, err = c.app.Chart.Find(ctx, c.doctor(), "ottoline")
	require.NoError(t, err)
	require.Len(t, found, 1)

	// Work goes on across both: the note, what stands beside it, the result, the problem.
	id := c.note()
	beside, err := c.app.Note.Beside(ctx, c.doctor(), id, "", "", "")
	require.NoError(t, err)
	groups := beside.Groups
	require.Equal(t, "Coughs since Friday.", groups[0].Lines[0].Text)
	_, err = c.app.Note.Bring(ctx, c.doctor(), id, []string{groups[0].Lines[0].ID})
	require.NoError(t, err)
	c.receive(oru("m1", o.Placer, "F", "4.0"), "AA")
	require.Len(t, c.everything("p2").Reports, 1)
	require.NoError(t, c.app.Chart.EndProblem(ctx, c.doctor(), patientID, "I10"))
	require.Len(t, c.everything(patientID).Problems, 1, "ended in both")
	_, err = c.app.Intake.EndEntry(ctx, c.jonah(), visitID, "medicines", c.intakeOf(visitID).Medicines.Entries[0].ID, "no longer taken")
	require.NoError(t, err, "an entry of the other record can be ended from here")
	require.Empty(t, c.verify())

	m := c.everything(patientID).Merged[0].ID
	_, err = c.app.Chart.TakeApart(ctx, c.doctor(), secret, m, "")
	require.Equal(t, act.Invalid, kind(t, err))
	stays, err := c.app.Chart.TakeApart(ctx, c.doctor(), secret, m, "Two people: photographs differ.")
	require.NoError(t, err)
	require.Contains(t, strings.Join(stays, ", "), "results: 1", "what came meanwhile is named")
	_, err = c.app.Chart.TakeApart(ctx, c.doctor(), secret, m, "Two people: photographs differ.")
	require.NoError(t, err)
	require.Equal(t, 2, c.count("SELECT count(*) FROM ledger_entry WHERE kind = 'taken apart'"))
	after := [2]whole{c.everything(patientID), c.everything("p2")}
	require.Equal(t, "p2", after[1].Patient.ID)
	require.Equal(t, before[1].Allergies, after[1].Allergies)
	require.Equal(t, before[0].Allergies, after[0].Allergies, "each statement is its own record's again")
	require.Equal(t, before[1].Visits, after[1].Visits)
	require.Equal(t, len(before[0].Visits), len(after[0].Visits))
	require.Empty(t, after[0].Merged)
	require.Empty(t, c.verify())
}

func (c *clinic) intakeOf(visit string) intake.IntakeView {
	c.Helper()
	v, err := c.app.Intake.Intake(ctx, c.jonah(), visit)
	require.NoError(c, err)
	return v
}

// Three records in a chain come apart in any order, each with what is its own.
func TestMergesOfMergesComeApart(t *testing.T) {
	c := open(t)
	c.twin()
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		return q.AddPatient(chart.Patient{ID: "p3", Record: "SK-3", Name: chart.Name{Family: "Marsh", Given: "Otti"},
			BirthDate: "1968-03-14", Sex: "F"})
	}))
	var closedChart *act.Refusal
	require.ErrorAs(t, c.app.Chart.Merge(ctx, c.doctor(), secret, "p2", "p3", "same"), &closedChart, "a merge opens no chart")
	require.Equal(t, "p3", closedChart.Of)
	require.NoError(t, c.app.Circle.OpenChart(ctx, c.doctor(), "p3", "The two look like one person."))
	require.NoError(t, c.app.Chart.Merge(ctx, c.doctor(), secret, "p2", "p3", "same"))
	require.Equal(t, act.Conflict, kind(t, c.app.Chart.Merge(ctx, c.doctor(), secret, patientID, "p3", "same")), "it is part of another chart")
	require.NoError(t, c.app.Chart.Merge(ctx, c.doctor(), secret, patientID, "p2", "same"))
	v := c.everything("p3")
	require.Equal(t, patientID, v.Patient.ID)
	require.Len(t, v.Merged, 2)
	_, err := c.app.Chart.TakeApart(ctx, c.doctor(), secret, v.Merged[1].ID, "two people")
	require.NoError(t, err)
	require.Equal(t, "p2", c.everything("p3").Patient.ID, "what was merged into it before goes with it")
	_, err = c.app.Chart.TakeApart(ctx, c.doctor(), secret, v.Merged[0].ID, "two people")
	require.NoError(t, err)
	require.Equal(t, "p3", c.everything("p3").Patient.ID)
	require.Empty(t, c.verify())
}

// A section of a draft is printed and filed as what it is: not signed, unless it is
// signed by itself.
func TestASectionOfADraftIsFiledUnsignedOrSignedByItself(t *testing.T) {
	c := open(t)
	id := c.note()
	c.save(id, note.Plan, "Rest, ice, elevate the foot.", 0, "a")
	_, err := c.app.Paper.NotePDF(ctx, c.doctor(), id, "")
	require.Equal(t, act.Conflict, kind(t, err))
	body, err := c.app.Paper.NotePDF(ctx, c.doctor(), id, "Plan")
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(string(body), "%PDF-"))
	d, err := c.app.Paper.FileSection(ctx, c.jonah(), id, "Plan", false, "", "")
	require.NoError(t, err)
	require.Zero(t, d.Folio)
	_, err = c.app.Paper.FileSection(ctx, c.jonah(), id, "Plan", true, secret, "")
	require.Equal(t, act.Forbidden, kind(t, err), "only who may sign a note signs a part of it")
	read := func() string { v, err := c.app.Note.Note(ctx, c.doctor(), id); require.NoError(t, err); return v.Reads }
	_, err = c.app.Paper.FileSection(ctx, c.doctor(), id, "Plan", true, "guess", read())
	require.Equal(t, act.Unproven, kind(t, err))
	seen := read()
	c.save(id, note.Plan, "Rest, ice, elevate the foot", 1, "b")
	for _, old := range []string{seen, "", "else"} {
		_, err = c.app.Paper.FileSection(ctx, c.doctor(), id, "Plan", true, secret, old)
		require.Equal(t, act.Conflict, kind(t, err), "what reads otherwise than it was read is not signed")
	}
	c.save(id, note.Plan, "Rest, ice, elevate the foot.", 2, "c")
	d, err = c.app.Paper.FileSection(ctx, c.doctor(), id, "Plan", true, secret, read())
	require.NoError(t, err)
	require.Positive(t, d.Folio)
	require.Equal(t, 1, c.count("SELECT count(*) FROM ledger_entry WHERE kind = 'document' AND subject = ? AND json_extract(CAST(content AS TEXT), '$.text') = 'Rest, ice, elevate the foot.'", d.ID))
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'note' AND closed_at = ''"), "the note itself stays open")
	require.Empty(t, c.verify())
}

// The other record's "none known", hidden behind an allergy, does not come back by
// itself when the allergy ends: nobody has said it since.
func TestNoneKnownDoesNotComeBackByItself(t *testing.T) {
	c := open(t)
	c.twin()
	_, err := c.app.Intake.State(ctx, c.jonah(), visitID, []string{"allergies"}, "none known")
	require.NoError(t, err)
	_, err = c.app.Intake.AddEntry(ctx, c.jonah(), "v2", intake.NewEntry{List: "allergies", Title: "Latex", Detail: "rash"})
	require.NoError(t, err)
	require.NoError(t, c.app.Chart.Merge(ctx, c.doctor(), secret, patientID, "p2", "same passport"))
	v, err := c.app.Intake.Intake(ctx, c.doctor(), visitID)
	require.NoError(t, err)
	v, err = c.app.Intake.EndEntry(ctx, c.doctor(), visitID, "allergies", v.Allergies.Entries[0].ID, "tested, not allergic")
	require.NoError(t, err)
	require.Empty(t, v.Allergies.Entries)
	require.Empty(t, v.Allergies.NoneKnown, "unknown is not none")
}
