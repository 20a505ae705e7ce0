package app_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/app/act"
	"deftledger/app/intake"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/core/safety"
	"deftledger/standin"
)

func (c *clinic) jonah() act.Actor { return c.who[act.Assistant] }

func (c *clinic) add(list, title, detail string) (intake.IntakeView, error) {
	return c.app.Intake.AddEntry(ctx, c.jonah(), visitID, intake.NewEntry{List: list, Title: title, Detail: detail})
}

func list(v intake.IntakeView, id string) intake.ListView {
	for _, l := range append(v.Lists, v.Medicines, v.Allergies) {
		if l.ID == id {
			return l
		}
	}
	return intake.ListView{}
}

func TestNoneKnownIsAStatement(t *testing.T) {
	c := open(t)
	v, err := c.app.Intake.Intake(ctx, c.jonah(), visitID)
	require.NoError(t, err)
	require.Empty(t, list(v, "surgical").NoneKnown, "an empty list says nothing")
	require.Empty(t, v.Allergies.NoneKnown)
	for _, l := range []string{"surgical", "allergies"} {
		v, err = c.app.Intake.State(ctx, c.jonah(), visitID, []string{l}, "none known")
		require.NoError(t, err)
		require.Contains(t, list(v, l).NoneKnown, "A medical assistant, 04 May 2026")
	}
	v, err = c.add("surgical", "Appendix removed", "")
	require.NoError(t, err)
	require.Empty(t, list(v, "surgical").NoneKnown, "an entry takes the statement back")
	require.Equal(t, 1, c.count("SELECT count(*) FROM statement WHERE says = 'taken back'"), "with a trace")
	v, err = c.add("allergies", "Latex", "rash")
	require.NoError(t, err)
	require.Empty(t, v.Allergies.NoneKnown)
	require.Len(t, v.Allergies.Entries, 1)
	require.Equal(t, 1, c.count("SELECT count(*) FROM allergy WHERE substance = '' AND ended_at <> ''"))
	for _, l := range []string{"surgical", "allergies"} {
		_, err = c.app.Intake.State(ctx, c.jonah(), visitID, []string{l}, "none known")
		require.Equal(t, act.Invalid, kind(t, err), "not while there are entries")
	}
	_, err = c.app.Intake.State(ctx, c.jonah(), visitID, []string{"weather"}, "reviewed")
	require.Equal(t, act.Invalid, kind(t, err))
	v, err = c.app.Intake.State(ctx, c.jonah(), visitID, []string{"surgical", "medicines"}, "reviewed")
	require.NoError(t, err)
	require.True(t, list(v, "surgical").Today)
	require.False(t, list(v, "family").Today)
	_, err = past(c, c.dir).Exec("UPDATE statement SET staff_id = 'x'")
	require.ErrorContains(t, err, "cannot be changed")
}

func TestListsKeepWhatEnds(t *testing.T) {
	c := open(t)
	v, err := c.add("medicines", "Ibuprofen", "400 mg as needed")
	require.NoError(t, err)
	_, err = c.add("medicines", "ibuprofen", "400 mg  as needed")
	require.Equal(t, act.Invalid, kind(t, err), "not twice")
	_, err = c.add("medicines", " ", "")
	require.Equal(t, act.Invalid, kind(t, err))
	_, err = c.app.Intake.AddEntry(ctx, c.jonah(), visitID, intake.NewEntry{List: "past", Title: "Gout", Since: "last year"})
	require.ErrorContains(t, err, "write it as 2019")
	id := v.Medicines.Entries[0].ID
	_, err = c.app.Intake.EndEntry(ctx, c.jonah(), visitID, "medicines", id, "")
	require.Equal(t, act.Invalid, kind(t, err), "not without a reason")
	v, err = c.app.Intake.EndEntry(ctx, c.jonah(), visitID, "medicines", id, "stomach bleed")
	require.NoError(t, err)
	require.Empty(t, v.Medicines.Entries)
	require.Contains(t, v.Stopped[0].Detail, "stomach bleed")
	_, err = c.app.Intake.EndEntry(ctx, c.jonah(), visitID, "medicines", id, "again")
	require.Equal(t, act.Missing, kind(t, err))
	v, err = c.add("allergies", "Naproxen", "stomach bleed")
	require.NoError(t, err)
	hits, err := c.app.Intake.FindMedicine(ctx, c.jonah(), patientID, "ibup")
	require.NoError(t, err)
	require.Equal(t, "ibuprofen", hits.Hits[0].Name)
	require.True(t, hits.Hits[0].Warnings[0].Serious)
	require.Equal(t, safety.Allergy, hits.Hits[0].Warnings[0].Kind)
	hits, err = c.app.Intake.FindMedicine(ctx, c.jonah(), patientID, "moon dust 5 mg daily")
	require.NoError(t, err)
	last := hits.Hits[len(hits.Hits)-1]
	require.Equal(t, "moon dust", last.Name, "what is not in the catalogue can be entered all the same")
	require.True(t, last.Typed)
	require.Equal(t, "once a day", hits.Dosage.Often)
	require.True(t, last.Warnings[0].Unknown, "and is marked as not checked")
}

// A medicine keeps how it was typed beside how it was read, who added it and why, and what is
// told of taking it; a dose without a unit is asked about; equal ingredients are recognised
// across brand and combination.
// TestWhatIsTypedIsOfferedWhole: no line of medicines ends where nothing can be chosen, what Enter adds holds all that the
// line names, and it is checked as that.
func TestWhatIsTypedIsOfferedWhole(t *testing.T) {
	c := open(t)
	for line, want := range map[string]struct {
		holds []string
		typed bool
		says  string
	}{
		"lisin 20 mg daily":                {[]string{"lisinopril"}, false, ""},
		"lisinopril tablets 20 mg daily":   {[]string{"lisinopril"}, false, ""},
		"lisinopril hctz 20/12.5 daily":    {[]string{"lisinopril", "hydrochlorothiazide"}, false, ""},
		"Lasix (furosemide) 20 mg daily":   {[]string{"furosemide"}, true, ""},
		"pioglitazone metformin 15/500 qd": {[]string{"pioglitazone", "metformin"}, false, ""},
		"warfarin aspirin":                 {[]string{"warfarin", "aspirin"}, true, "With warfarin"},
		"Alka-Seltzer Plus prn":            {[]string{"aspirin", "sodium bicarbonate"}, true, "“plus”: not checked"},
		"moon dust 5 mg daily":             {[]string{}, true, "moon dust: not checked"},
	} {
		found, err := c.app.Intake.FindMedicine(ctx, c.jonah(), patientID, line)
		require.NoError(t, err)
		i := slices.IndexFunc(found.Hits, func(h intake.MedicineHit) bool { return !h.Near }) // what Enter adds
		require.GreaterOrEqual(t, i, 0, line)
		require.ElementsMatch(t, want.holds, found.Hits[i].Ingredients, line)
		require.Equal(t, want.typed, found.Hits[i].Typed, line)
		said := ""
		for _, w := range found.Hits[i].Warnings {
			said += w.Says + "; "
		}
		require.Contains(t, said, want.says, line)
	}
}

func TestTheMedicineListLivesFromTheCatalogue(t *testing.T) {
	c := open(t)
	add := func(e intake.NewEntry) (intake.IntakeView, error) {
		e.List = "medicines"
		return c.app.Intake.AddEntry(ctx, c.jonah(), visitID, e)
	}
	v, err := add(intake.NewEntry{Title: "Zestril", Detail: "20mg qd", Why: "pressure"})
	require.NoError(t, err)
	m := v.Medicines.Entries[0]
	require.Equal(t, []string{"lisinopril"}, m.Medicine.Ingredients)
	require.Equal(t, "20 mg daily", m.Detail, "no dangerous abbreviation is shown")
	require.Equal(t, "20 mg once a day", m.Medicine.Reads)
	require.Equal(t, chart.Dosage{Amount: "20", Unit: "mg", Often: "once a day", Most: 1}, m.Medicine.Dosage)
	require.Equal(t, "pressure", m.Medicine.Why)
	require.Equal(t, c.jonah().Name, m.By)
	require.Equal(t, 1, c.count("SELECT count(*) FROM medicine_detail WHERE typed = 'Zestril 20mg qd'"))
	_, err = add(intake.NewEntry{Title: "Metformin", Detail: "10 daily"})
	require.Equal(t, act.Conflict, kind(t, err), "ten of what?")
	require.ErrorContains(t, err, "Write the unit")
	v, err = add(intake.NewEntry{Title: "Metformin", Detail: "10 daily", AsTyped: true})
	require.NoError(t, err)
	require.Equal(t, "10 daily", v.Medicines.Entries[0].Detail)
	require.Empty(t, v.Medicines.Entries[0].Medicine.Reads, "what was not read is kept as typed and computed from by nobody")
	v, err = add(intake.NewEntry{Title: "Lisinopril-hydrochlorothiazide", Detail: "20-12.5 mg 1 tablet daily"})
	require.NoError(t, err)
	double := false
	for _, e := range v.Medicines.Entries {
		for _, w := range e.Medicine.Warnings {
			double = double || w.Kind == safety.Double && w.Why == "both hold lisinopril"
		}
	}
	require.True(t, double, "brand and combination hold the same")
	_, err = c.app.Intake.Told(ctx, c.jonah(), visitID, m.ID, "now and then", "")
	require.Equal(t, act.Invalid, kind(t, err))
	_, err = c.app.Intake.Told(ctx, c.jonah(), visitID, "nobody", "taking", "")
	require.Equal(t, act.Missing, kind(t, err))
	v, err = c.app.Intake.Told(ctx, c.jonah(), visitID, m.ID, "sometimes", "forgets it on the ferry")
	require.NoError(t, err)
	for _, e := range v.Medicines.Entries {
		if e.ID == m.ID {
			require.Equal(t, []string{"sometimes", "forgets it on the ferry"}, []string{e.Medicine.Told, e.Medicine.ToldDetail})
			require.Contains(t, e.Medicine.ToldBy, c.jonah().Name)
		}
	}
	for _, q := range []string{"UPDATE medicine_told SET says = 'taking'", "DELETE FROM medicine_detail"} {
		_, err := past(t, c.dir).Exec(q)
		require.Error(t, err, q)
	}
}

// An allergy says what the check understands of it, how sure it is, and what was borne since.
func TestAnAllergySaysWhatIsUnderstoodOfIt(t *testing.T) {
	c := open(t)
	add := func(e intake.NewEntry) intake.IntakeView {
		e.List = "allergies"
		v, err := c.app.Intake.AddEntry(ctx, c.jonah(), visitID, e)
		require.NoError(t, err, e.Title)
		return v
	}
	add(intake.NewEntry{Title: "Sulfa", Detail: "hives", Certainty: "likely"})
	add(intake.NewEntry{Title: "Keflex", Detail: "rash"})
	add(intake.NewEntry{Title: "Peanuts", Detail: "lips"})
	add(intake.NewEntry{Title: "Amoxicilin", Detail: "rash"})
	v := add(intake.NewEntry{Title: "Blurbistat", Tolerated: "one tablet in 2024"})
	got := map[string]string{}
	var id string
	for _, e := range v.Allergies.Entries {
		got[e.Title] = e.Allergy.Is + ": " + e.Allergy.Means + e.Allergy.Certainty + e.Allergy.Tolerated
		if e.Title == "Keflex" {
			id = e.ID
		}
	}
	require.Equal(t, map[string]string{"Sulfa": "class: sulfonamide antibioticlikely", "Keflex": "ingredient: cephalexin", "Peanuts": "no medicine: ",
		"Blurbistat": "not known: one tablet in 2024", "Amoxicilin": "not known: amoxicillin"}, got)
	v, err := c.app.Intake.Tolerated(ctx, c.jonah(), visitID, id, "cefdinir, ten days", "2025-02")
	require.NoError(t, err)
	for _, e := range v.Allergies.Entries {
		if e.ID == id {
			require.Equal(t, "cefdinir, ten days (2025-02)", e.Allergy.Tolerated)
		}
	}
	for list, none := range map[string][]string{"allergies": {"NKDA", "none", "No known allergies.", "unknown"}, "medicines": {"none", "No meds"}} {
		for _, title := range none {
			_, err = c.app.Intake.AddEntry(ctx, c.jonah(), visitID, intake.NewEntry{List: list, Title: title})
			require.Equal(t, act.Invalid, kind(t, err), "%s is no entry", title)
			require.ErrorContains(t, err, "below the list")
		}
	}
	_, err = c.app.Intake.Tolerated(ctx, c.jonah(), visitID, id, " ", "")
	require.Equal(t, act.Invalid, kind(t, err))
	_, err = c.app.Intake.AddEntry(ctx, c.jonah(), visitID, intake.NewEntry{List: "allergies", Title: "Amoxicillin", Certainty: "surely"})
	require.Equal(t, act.Invalid, kind(t, err))
}

func TestVitalSignsAreRefusedAskedAboutAndStruck(t *testing.T) {
	c := open(t)
	take := func(loinc, text string, confirmed bool) (intake.VitalTaken, error) {
		return c.app.Intake.TakeVitals(ctx, c.jonah(), visitID, []intake.VitalEntry{{LOINC: loinc, Text: text}}, confirmed)
	}
	_, err := take("29463-7", "8000", false)
	require.Equal(t, act.Invalid, kind(t, err))
	got, err := take("29463-7", "179 lb", false)
	require.NoError(t, err)
	require.NotNil(t, got.Intake)
	require.Equal(t, 1, c.count("SELECT count(*) FROM vital WHERE value = '81.2' AND unit = 'kg' AND entered = '179 lb'"))
	got, err = take("29463-7", "179", false)
	require.NoError(t, err)
	require.Contains(t, got.Questions[0], "179 lb is 81.2 kg")
	require.Equal(t, 1, c.count("SELECT count(*) FROM vital"), "what is asked about is not kept yet")
	got, err = take("29463-7", "95.0", true)
	require.NoError(t, err)
	require.NotNil(t, got.Intake, "confirmed, it is kept")
	got, err = take("8302-2", "5'5", false)
	require.NoError(t, err)
	require.Equal(t, "34.9", got.Intake.BMI, "95.0 / 1.651² = 34.85")
	require.Equal(t, 1, c.count("SELECT count(*) FROM vital WHERE loinc = '39156-5' AND struck_at = ''"))
	weight := got.Intake.Vitals[5].Today[1].ID
	i, err := c.app.Intake.StrikeVital(ctx, c.jonah(), visitID, weight)
	require.NoError(t, err)
	require.Len(t, i.Vitals[5].Today, 1)
	require.Equal(t, 1, c.count("SELECT count(*) FROM vital WHERE value = '95.0' AND struck_by <> ''"), "it stays, struck")
	require.Equal(t, 0, c.count("SELECT count(*) FROM vital WHERE loinc = '39156-5' AND struck_at = ''"), "with the index computed from it")
	_, err = take("9843-4", "50", false)
	require.Equal(t, act.Invalid, kind(t, err), "head circumference is of small children")
	for _, bp := range []string{"148/86", "142/84"} {
		got, err = take("85354-9", bp, false)
		require.NoError(t, err)
	}
	require.Equal(t, "145/85", got.Intake.Vitals[0].Mean)
	require.Len(t, got.Intake.Vitals[0].Today, 2, "kept singly")
}

func TestTheDeviceIsHeldToTheSameChecks(t *testing.T) {
	c := open(t)
	_, err := c.app.Outside.ReadDevice(ctx, c.jonah(), visitID, false)
	require.Equal(t, act.Conflict, kind(t, err), "no device is connected")
	e := &standin.Elsewhere{Reading: standin.Reading{Systolic: 132, Diastolic: 84, Pulse: 74, Fahrenheit: 98.2, Pounds: 187.4, Inches: 70.5,
		At: c.now}}
	require.NoError(t, e.Open("127.0.0.1:0"))
	defer e.Close()
	c.app.Elsewhere.Device = e.Base()
	got, err := c.app.Outside.ReadDevice(ctx, c.jonah(), visitID, false)
	require.NoError(t, err)
	require.NotNil(t, got.Intake)
	require.Equal(t, 6, c.count("SELECT count(*) FROM vital WHERE origin = 'device'"), "five and the index computed from them")
	require.Equal(t, 1, c.count("SELECT count(*) FROM vital WHERE value = '36.8' AND unit = 'Cel' AND entered = '98.2 °F'"))
	e.Set(func(e *standin.Elsewhere) { e.Reading.Pounds = 120 })
	got, err = c.app.Outside.ReadDevice(ctx, c.jonah(), visitID, false)
	require.NoError(t, err)
	require.Nil(t, got.Intake, "somebody else may stand on the scale")
	require.Len(t, got.Questions, 1)
	e.Set(func(e *standin.Elsewhere) { e.Reading.Pounds, e.Reading.At = 187.4, c.now.Add(-10*time.Minute) })
	_, err = c.app.Outside.ReadDevice(ctx, c.jonah(), visitID, false)
	require.ErrorContains(t, err, "not of now")
	e.Set(func(e *standin.Elsewhere) { e.Reading.At, e.Reading.Pulse = c.now, 900 })
	_, err = c.app.Outside.ReadDevice(ctx, c.jonah(), visitID, true)
	require.Equal(t, act.Invalid, kind(t, err), "impossible, whatever the device says")
	require.Equal(t, 6, c.count("SELECT count(*) FROM vital"), "half a reading is none")
	e.Set(func(e *standin.Elsewhere) { e.Down = true })
	_, err = c.app.Outside.ReadDevice(ctx, c.jonah(), visitID, false)
	require.Equal(t, act.Unreachable, kind(t, err))
	rubbish := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte("\x00<xml>")) }))
	defer rubbish.Close()
	c.app.Elsewhere.Device = rubbish.URL
	_, err = c.app.Outside.ReadDevice(ctx, c.jonah(), visitID, false)
	require.ErrorContains(t, err, "nothing of it was kept")
}

// others opens stand-ins that know the clinic's patient.
func (c *clinic) others() *standin.Elsewhere {
	c.Helper()
	e := &standin.Elsewhere{People: []standin.Person{{Family: "Marsh-Adeyemi", Given: "Ottoline", BirthDate: "1968-03-14", Gender: "female", Record: "SK-1",
		Dispensed: []standin.Dispensing{{ID: "1", Medicine: "Losartan", Dose: "50 mg daily", Day: "2026-04-20"},
			{ID: "2", Medicine: "Losartan", Dose: "50 mg daily", Day: "2026-03-20"}, {ID: "3", Medicine: "Allopurinol", Dose: "300 mg daily",
				Day: "2026-04-20"}},
		Responses: []json.RawMessage{
			json.RawMessage(`{"resourceType":"QuestionnaireResponse","id":"pv","questionnaire":"https://deftledger.example/fhir/Questionnaire/pre-visit|1","status":"completed","item":[{"linkId":"allergy","item":[{"linkId":"allergy.what","answer":[{"valueString":"Latex"}]},{"linkId":"allergy.how","answer":[{"valueString":"rash"}]}]}]}`),
			json.RawMessage(`{"resourceType":"QuestionnaireResponse","id":"hx","questionnaire":"https://deftledger.example/fhir/Questionnaire/joint-pain","status":"completed","item":[{"linkId":"joint","answer":[{"valueCoding":{"code":"toe","display":"Big toe"}}]},{"linkId":"constitutional.fever","answer":[{"valueBoolean":false}]}]}`)},
	}}}
	require.NoError(c, e.Open("127.0.0.1:0"))
	c.Cleanup(e.Close)
	c.app.Elsewhere = act.Elsewhere{Pharmacy: e.Base(), Portal: e.Base()}
	return e
}

func entry(t testing.TB, v intake.IntakeView, title string) intake.IncomingView {
	for _, e := range v.Incoming {
		if e.Title == title {
			return e
		}
	}
	require.Fail(t, "no entry "+title)
	return intake.IncomingView{}
}

func TestWhatComesFromOutsideIsDecidedOnce(t *testing.T) {
	c := open(t)
	e := c.others()
	_, err := c.add("medicines", "Losartan", "50 mg daily")
	require.NoError(t, err)
	_, err = c.add("medicines", "Allopurinol", "100 mg daily")
	require.NoError(t, err)
	id := c.note()
	f, err := c.app.Outside.FetchElsewhere(ctx, c.jonah(), visitID)
	require.NoError(t, err)
	require.Equal(t, 5, f.New, "two medicines, each once; the allergy; two answers")
	rows := c.desk().Rows
	i := slices.IndexFunc(rows, func(r *act.LineRow) bool { return r.Kind == line.FromOutside })
	require.Equal(t, "5 entries from the patient and the pharmacy network", rows[i].Title, "an open line of the physician of the visit")
	require.Equal(t, visitID, rows[i].VisitID)
	v := *f.Intake
	require.Equal(t, "same", entry(t, v, "Losartan").Same)
	require.Equal(t, "differs", entry(t, v, "Allopurinol").Same)
	require.Equal(t, "Allopurinol 100 mg daily", entry(t, v, "Allopurinol").Beside)
	require.Equal(t, "new", entry(t, v, "Latex").Same)
	f, err = c.app.Outside.FetchElsewhere(ctx, c.jonah(), visitID)
	require.NoError(t, err)
	require.Zero(t, f.New, "what came before does not come again")

	_, err = c.app.Outside.Decide(ctx, c.jonah(), visitID, []string{entry(t, v, "Latex").ID}, "leave out")
	require.Equal(t, act.Forbidden, kind(t, err), "an allergy is left out by a physician only")
	_, err = c.app.Outside.Decide(ctx, c.jonah(), visitID, []string{entry(t, v, "Latex").ID}, "join")
	require.Equal(t, act.Invalid, kind(t, err), "there is nothing to join it to")
	v, err = c.app.Outside.Decide(ctx, c.jonah(), visitID, []string{entry(t, v, "Losartan").ID}, "join")
	require.NoError(t, err)
	require.Len(t, v.Medicines.Entries, 2, "joined, not doubled")

	// Ten people take the same allergy in at once: it stands once.
	latex := entry(t, v, "Latex").ID
	var wg sync.WaitGroup
	for range 10 {
		wg.Go(func() { _, _ = c.app.Outside.Decide(ctx, c.jonah(), visitID, []string{latex}, "take in") })
	}
	wg.Wait()
	require.Equal(t, 1, c.count("SELECT count(*) FROM allergy WHERE substance = 'Latex'"))
	_, err = c.app.Outside.Decide(ctx, c.doctor(), visitID, []string{latex}, "leave out")
	require.Equal(t, act.Conflict, kind(t, err), "decided otherwise meanwhile")

	v, err = c.app.Outside.Decide(ctx, c.jonah(), visitID, []string{entry(t, v, "Which joint?").ID, entry(t, v, "Fever?").ID}, "take in")
	require.NoError(t, err)
	n, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Contains(t, reads(n), "A 58-year-old woman with big toe pain. Denies fever.")
	require.Equal(t, 100, n.Share.Patient, "the patient's own words")
	require.Equal(t, 1, c.count("SELECT count(*) FROM incoming_entry WHERE decision = ''"), "the other dose of allopurinol still waits")

	// Two parties name the same new medicine: taken in together, it comes in once and
	// the other one waits beside it.
	e.Set(func(e *standin.Elsewhere) {
		p := &e.People[0]
		p.Dispensed = append(p.Dispensed, standin.Dispensing{ID: "9", Medicine: "Acetaminophen 500 mg tablet", Dose: "1 tablet twice daily",
			Day: "2026-05-01"}, standin.Dispensing{ID: "10", Medicine: "Ibuprofen 600 mg tablet", Dose: "as needed", Day: "2026-05-01"})
		p.Responses = append(p.Responses,
			json.RawMessage(`{"resourceType":"QuestionnaireResponse","id":"pv2","questionnaire":"https://deftledger.example/fhir/Questionnaire/pre-visit","status":"completed","item":[{"linkId":"medicine","item":[{"linkId":"medicine.what","answer":[{"valueString":"Acetaminophen"}]},{"linkId":"medicine.how","answer":[{"valueString":"500 mg twice daily"}]}]}]}`))
	})
	f, err = c.app.Outside.FetchElsewhere(ctx, c.jonah(), visitID)
	require.NoError(t, err)
	require.Equal(t, 3, f.New)
	require.Equal(t, "asks", entry(t, *f.Intake, "Ibuprofen 600 mg tablet").Same, "how much is not said, so that its dose was not checked")
	require.NotEmpty(t, entry(t, *f.Intake, "Ibuprofen 600 mg tablet").Why)
	both := []string{entry(t, *f.Intake, "Acetaminophen").ID, entry(t, *f.Intake, "Acetaminophen 500 mg tablet").ID, entry(t, *f.Intake, "Ibuprofen 600 mg tablet").ID}
	v, err = c.app.Outside.Decide(ctx, c.jonah(), visitID, both, "take in")
	require.NoError(t, err)
	require.Equal(t, 1, c.count("SELECT count(*) FROM medicine WHERE name LIKE 'Acetaminophen%'"))
	require.Zero(t, c.count("SELECT count(*) FROM medicine WHERE name LIKE 'Ibuprofen%'"), "never with others")
	require.Equal(t, "Acetaminophen 500 mg twice daily", entry(t, v, "Acetaminophen 500 mg tablet").Beside)
	require.Equal(t, "same", entry(t, v, "Acetaminophen 500 mg tablet").Same, "one tablet of 500 mg is 500 mg")
	require.Empty(t, entry(t, v, "Acetaminophen 500 mg tablet").Decision)
	open := "SELECT count(*) FROM line WHERE kind = 'from outside' AND closed_at = ''"
	require.Equal(t, 1, c.count(open), "it stays open until the last entry is decided")
	_, err = c.app.Outside.Decide(ctx, c.jonah(), visitID, []string{entry(t, v, "Ibuprofen 600 mg tablet").ID, entry(t, v, "Acetaminophen 500 mg tablet").ID, entry(t, v, "Allopurinol").ID},
		"leave out")
	require.NoError(t, err)
	require.Zero(t, c.count(open))
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'from outside' AND closed_by = '"+c.jonah().ID+
		"' AND closed_with = 'decided'"))

	e.Set(func(e *standin.Elsewhere) { e.Down = true })
	f, err = c.app.Outside.FetchElsewhere(ctx, c.jonah(), visitID)
	require.NoError(t, err)
	require.Len(t, f.Problems, 2)
	require.Contains(t, f.Problems[0], "does not answer")
}

func TestTheReasonBringsItsQuestionsAndKeepsTheAnswers(t *testing.T) {
	c := open(t)
	id := c.note()
	v, err := c.app.Intake.Intake(ctx, c.jonah(), visitID)
	require.NoError(t, err)
	_, err = c.app.Intake.SetReason(ctx, c.jonah(), visitID, "Cough", "Acute visit", "2", v.Visit.Version)
	require.NoError(t, err)
	_, err = c.app.Intake.SetReason(ctx, c.doctor(), visitID, "Rash", "Acute visit", "2", v.Visit.Version)
	require.Equal(t, act.Conflict, kind(t, err), "made on a version that is no longer the present one")
	n, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Len(t, n.Interviews, 1)
	require.Equal(t, "cough", n.Interviews[0].ID, "questions nobody answered give way")
	yes := true
	_, err = c.app.Note.Answer(ctx, c.doctor(), id, "cough", "night", []note.Answer{{Yes: &yes}}, 0)
	require.NoError(t, err)
	v, err = c.app.Intake.Intake(ctx, c.jonah(), visitID)
	require.NoError(t, err)
	_, err = c.app.Intake.SetReason(ctx, c.jonah(), visitID, "Cough and rash on the arms", "Acute visit", "2", v.Visit.Version)
	require.NoError(t, err)
	n, err = c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Contains(t, reads(n), "Wakes at night from it.", "what was answered stays")
	_, err = c.app.Intake.SetReason(ctx, c.jonah(), visitID, "x", "Séance", "", 9)
	require.Equal(t, act.Invalid, kind(t, err))
}

// TestWhatIsAnsweredDoneIsThere posts entries as people and programs send them; what is taken reads back as it was
// sent, and what is refused leaves nothing.
func TestWhatIsAnsweredDoneIsThere(t *testing.T) {
	c := open(t)
	when := rapid.SampledFrom([]string{"", "20", "2019", "2019-03", "2019-03-14", "2019-13", "2020", "2018-12-31", "19", "yesterday"})
	n := 0
	rapid.Check(t, func(r *rapid.T) {
		n++
		e := intake.NewEntry{List: rapid.SampledFrom([]string{"past", "surgical", "family", "social", "nonsense"}).Draw(r, "list"),
			Title:  fmt.Sprintf("%s %d", rapid.SampledFrom([]string{"Asthma", "  Knee  replaced ", "Émile's", "<b>x</b>", "1;2"}).Draw(r, "title"), n),
			Detail: rapid.SampledFrom([]string{"", "mild", "line\nbreak"}).Draw(r, "detail"), Since: when.Draw(r, "since"), Until: when.Draw(r, "until")}
		before := c.count("SELECT count(*) FROM history")
		v, err := c.app.Intake.AddEntry(ctx, c.jonah(), visitID, e)
		if err != nil {
			var refused *act.Refusal
			require.ErrorAs(r, err, &refused)
			require.NotEqual(r, act.Broken, refused.Kind)
			require.Equal(r, before, c.count("SELECT count(*) FROM history"), "a refusal leaves nothing")
			return
		}
		if e.Since != "" && e.Until != "" {
			k := min(len(e.Since), len(e.Until))
			require.LessOrEqual(r, e.Since[:k], e.Until[:k], "nothing ends before it began")
		}
		there := false
		for _, l := range v.Lists {
			for _, x := range append(l.Entries, v.Stopped...) {
				there = there || x.Title == chart.Tidy(e.Title) && x.Detail == chart.Tidy(e.Detail) && x.Since == e.Since && x.Until == e.Until
			}
		}
		require.True(r, there, "%+v is there as it was sent", e)
	})
}
