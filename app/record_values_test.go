package app_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/intake"
	"deftledger/app/record"
	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/store"
)

// entryOf finds an entry of a record by its title.
func entryOf(t testing.TB, v record.RecordView, title string) record.RecordEntry {
	t.Helper()
	for _, e := range v.Entries {
		if e.Title == title {
			return e
		}
	}
	require.Fail(t, "no entry", title)
	return record.RecordEntry{}
}

// confirmed hands a record in, of a house where the patient says that they were.
func (c *clinic) confirmed(raw []byte, why string) string {
	c.Helper()
	id := c.received(raw, why).ID
	require.NoError(c, c.app.Record.Confirm(ctx, c.jonah(), id, "confirmed", ""))
	return id
}

// Values taken in are one report of the house that measured them: over the years under its name, read by rules, never announced, never
// released, and signed with the record.
func TestValuesOfAnotherHouseAreTakenIn(t *testing.T) {
	c := open(t)
	c.now = time.Date(2026, 11, 20, 14, 0, 0, 0, time.UTC)
	id := c.confirmed(document(t, "northsound-discharge", `value="1.52"`, `value="9.90"`, `code="H"`, `code="HH"`), "")
	v, err := c.app.Record.SettleCertain(ctx, c.jonah(), id)
	require.NoError(t, err)
	require.Equal(t, outside.TakeIn, entryOf(t, v, "Creatinine").Decision)
	require.Equal(t, 1, c.count("SELECT count(*) FROM report"), "what was measured at one moment is one report")
	require.Equal(t, "Northsound Hospital", c.text("SELECT performer FROM report_issue"))
	require.Equal(t, "2026-10-11T06:10-04:00", c.text("SELECT collected_at FROM report_issue"))
	require.Zero(t, c.count("SELECT count(*) FROM inquiry WHERE kind = 'critical'"), "days old, and read with its record")
	require.Zero(t, c.count("SELECT count(*) FROM outbox"), "not ours to release")
	across, err := c.app.Result.Across(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	require.Equal(t, "Northsound Hospital", across.Reports[0].Performer)
	var held chart.Record
	require.NoError(t, c.store.Read(ctx, func(q *store.Q) error {
		held, err = c.app.Order.Record(q, patientID, "2026-11-20")
		return err
	}))
	newest, known := held.Newest("2160-0")
	require.True(t, known)
	require.Equal(t, "9.90", newest.Text, "rules read it at once")
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'report' AND closed_at = ''"), "it waits until somebody has read it")

	// The same values in the record of another house are the same.
	other := c.confirmed(document(t, "northsound-discharge", `value="1.52"`, `value="9.90"`, `code="H"`, `code="HH"`, "Northsound Hospital", "Gannet Bay Walk-in Clinic", "A-2231", "G-1"), "")
	require.Equal(t, outside.Same, entryOf(t, c.record(c.doctor(), other), "Creatinine").Stand)
	changed := c.confirmed(document(t, "northsound-discharge", "Northsound Hospital", "Kestrel House", "A-2231", "K-1"), "")
	creatinine := entryOf(t, c.record(c.doctor(), changed), "Creatinine")
	require.Equal(t, outside.Conflict, creatinine.Stand, "of the same minute, and another value")
	require.Contains(t, creatinine.OursSays, "9.90 mg/dL")

	for _, e := range c.record(c.doctor(), id).Entries {
		if e.Decision == "" {
			d := record.EntryDecided{List: e.List, Ref: e.Ref, Decision: outside.LeaveOut, Reason: "Not now."}
			_, err := c.app.Record.Decide(ctx, c.doctor(), id, d)
			require.NoError(t, err, e.Title)
		}
	}
	require.NoError(t, c.app.Record.Sign(ctx, c.doctor(), id, "", secret))
	require.Zero(t, c.count("SELECT count(*) FROM line WHERE kind = 'report' AND closed_at = ''"), "signed with the record")
	require.Equal(t, 1, c.count("SELECT count(*) FROM review WHERE comment LIKE 'Read with the record%'"))
	require.Empty(t, c.verify())
}

// What is measured and has no code or no day is taken in by a person or left with the record, all of a list at once, with the reason.
func TestWhatIsOnlyReadWithTheRecord(t *testing.T) {
	c := open(t)
	c.now = time.Date(2026, 11, 20, 14, 0, 0, 0, time.UTC)
	id := c.confirmed(document(t, "northsound-discharge", `<code code="2160-0" codeSystem="2.16.840.1.113883.6.1" displayName="Creatinine"/>`, `<code nullFlavor="UNK"><originalText>Creatinine, their way</originalText></code>`), "")
	v := c.record(c.doctor(), id)
	uncoded := entryOf(t, v, "Creatinine, their way")
	require.Equal(t, outside.Unsure, uncoded.Stand)
	require.False(t, uncoded.Certain)
	_, err := c.app.Record.LeaveRest(ctx, c.jonah(), id, outside.Medicines, "No time.")
	require.Equal(t, act.Invalid, kind(t, err), "medicines are decided one by one")
	_, err = c.app.Record.LeaveRest(ctx, c.jonah(), id, outside.Results, "")
	require.Equal(t, act.Invalid, kind(t, err))
	v, err = c.app.Record.LeaveRest(ctx, c.jonah(), id, outside.Results, "Read, not followed.")
	require.NoError(t, err)
	require.Equal(t, outside.LeaveOut, entryOf(t, v, "Creatinine, their way").Decision)
	require.Zero(t, c.count("SELECT count(*) FROM report"))
	back, err := c.app.Record.Decide(ctx, c.jonah(), id, record.EntryDecided{List: outside.Results, Ref: uncoded.Ref, Decision: "taken back", Reason: "It matters."})
	require.NoError(t, err)
	require.Empty(t, entryOf(t, back, "Creatinine, their way").Decision)
	_, err = c.app.Record.Decide(ctx, c.jonah(), id, record.EntryDecided{List: outside.Results, Ref: uncoded.Ref, Decision: outside.TakeIn})
	require.NoError(t, err)
	require.Equal(t, 1, c.count("SELECT count(*) FROM report_value WHERE name = 'Creatinine, their way' AND loinc = ''"))
	require.Empty(t, c.verify())
}

// A decision taken back takes what it brought out of the chart again, with the reason.
func TestWhatIsTakenBackLeavesTheChart(t *testing.T) {
	c := open(t)
	c.now = time.Date(2026, 11, 20, 14, 0, 0, 0, time.UTC)
	id := c.confirmed(document(t, "northsound-discharge"), "")
	v, err := c.app.Record.SettleCertain(ctx, c.jonah(), id)
	require.NoError(t, err)
	back := func(title string) {
		e := entryOf(t, v, title)
		_, err := c.app.Record.Decide(ctx, c.doctor(), id, record.EntryDecided{List: e.List, Ref: e.Ref, Decision: "taken back", Reason: "The wrong file."})
		require.NoError(t, err, title)
	}
	take := func(title string) {
		e := entryOf(t, v, title)
		_, err := c.app.Record.Decide(ctx, c.doctor(), id, record.EntryDecided{List: e.List, Ref: e.Ref, Decision: outside.TakeIn})
		require.NoError(t, err, title)
	}
	require.Equal(t, 1, c.count("SELECT count(*) FROM care_entry WHERE kind = 'dose' AND back_at = ''"))
	back("Influenza, injectable, quadrivalent, preservative free")
	require.Zero(t, c.count("SELECT count(*) FROM care_entry WHERE kind = 'dose' AND back_at = ''"))
	take("Acetaminophen 500 MG Oral Tablet")
	require.Equal(t, 1, c.count("SELECT count(*) FROM medicine WHERE name LIKE 'Acetaminophen%' AND stopped = ''"))
	back("Acetaminophen 500 MG Oral Tablet")
	require.Equal(t, 1, c.count("SELECT count(*) FROM medicine WHERE name LIKE 'Acetaminophen%' AND stop_reason LIKE '%taken back: The wrong file.'"))
	take("Chronic kidney disease, stage 3b")
	back("Chronic kidney disease, stage 3b")
	require.Zero(t, c.count("SELECT count(*) FROM problem WHERE ended = ''"))
	take("Acute kidney failure, unspecified")
	back("Acute kidney failure, unspecified")
	require.Zero(t, c.count("SELECT count(*) FROM history WHERE list = 'past' AND ended_at = ''"))
	e := entryOf(t, v, "Creatinine")
	_, err = c.app.Record.Decide(ctx, c.doctor(), id, record.EntryDecided{List: e.List, Ref: e.Ref, Decision: "taken back", Reason: "x"})
	require.Equal(t, act.Conflict, kind(t, err), "it stands in one report with the other")
	require.Empty(t, c.verify())
}

// One fact of two houses is one row, and one decision about both.
func TestOneFactOfTwoHousesIsDecidedOnce(t *testing.T) {
	c := open(t)
	c.now = time.Date(2026, 11, 20, 14, 0, 0, 0, time.UTC)
	first := c.confirmed(document(t, "northsound-discharge"), "")
	second := c.received(document(t, "northsound-discharge", "Northsound Hospital", "Kestrel House", "A-2231", "K-1", "two tablets (200 mg) by mouth once a day", "three tablets (300 mg) by mouth once a day"), "").ID
	require.Empty(t, entryOf(t, c.record(c.doctor(), first), "Chronic kidney disease, stage 3b").Also, "nothing of a house counts before she has said that she was there")
	require.NoError(t, c.app.Record.Confirm(ctx, c.jonah(), second, "confirmed", ""))
	v := c.record(c.doctor(), first)
	kidney := entryOf(t, v, "Chronic kidney disease, stage 3b")
	require.Len(t, kidney.Also, 1)
	require.Equal(t, "Kestrel House", kidney.Also[0].House)
	require.Empty(t, entryOf(t, v, "Allopurinol 100 MG Oral Tablet").Also, "another dose is another fact")
	_, err := c.app.Record.Decide(ctx, c.doctor(), first, record.EntryDecided{List: kidney.List, Ref: kidney.Ref, Decision: outside.TakeIn})
	require.NoError(t, err)
	there := entryOf(t, c.record(c.doctor(), second), "Chronic kidney disease, stage 3b")
	require.Equal(t, outside.Join, there.Decision)
	require.Contains(t, there.Decided, "Decided with the record of Northsound Hospital")
	require.Equal(t, 1, c.count("SELECT count(*) FROM problem WHERE code = 'N18.32' AND ended = ''"), "it is in the chart once")
	_, err = c.app.Record.SettleCertain(ctx, c.jonah(), first)
	require.NoError(t, err)
	require.Equal(t, 1, c.count("SELECT count(*) FROM report"))
	require.Equal(t, 1, c.count("SELECT count(*) FROM care_entry WHERE kind = 'dose'"))
	var open []string
	for _, e := range c.record(c.doctor(), second).Entries {
		if e.Decision == "" {
			open = append(open, e.Title)
		}
	}
	require.NotContains(t, strings.Join(open, "|"), "Influenza")
	require.NotContains(t, strings.Join(open, "|"), "Creatinine")
	require.Contains(t, open, "Allopurinol 100 MG Oral Tablet")
	require.Empty(t, c.verify())
}

// Handed on, a record is whose it was given to, with what is to be done; signing it ends that as any other.
func TestARecordIsHandedOn(t *testing.T) {
	c := open(t)
	id := c.received(document(t, "northsound-discharge"), "").ID
	owner := "SELECT owner_id FROM line WHERE kind = 'record from elsewhere'"
	require.Equal(t, act.Invalid, kind(t, c.app.Record.HandOn(ctx, c.doctor(), id, c.jonah().ID, " ")))
	require.Equal(t, act.Invalid, kind(t, c.app.Record.HandOn(ctx, c.doctor(), id, c.doctor().ID, "Read it.")))
	require.Equal(t, act.Invalid, kind(t, c.app.Record.HandOn(ctx, c.doctor(), id, c.who[act.FrontDesk].ID, "Read it.")), "who sees no chart")
	require.NoError(t, c.app.Record.HandOn(ctx, c.doctor(), id, c.jonah().ID, "Ask her about the allopurinol."))
	require.Equal(t, c.jonah().ID, c.text(owner))
	v := c.record(c.jonah(), id)
	require.Equal(t, "Ask her about the allopurinol.", v.Handed[0].Words)
	require.NoError(t, c.app.Record.HandOn(ctx, c.jonah(), id, c.doctor().ID, "She takes 200 mg."))
	require.Equal(t, c.doctor().ID, c.text(owner))
	require.Equal(t, []string{"She takes 200 mg.", "Ask her about the allopurinol."}, []string{c.record(c.doctor(), id).Handed[0].Words, c.record(c.doctor(), id).Handed[1].Words})
	require.Empty(t, c.verify())
}

// A severe allergy that another house tells of asks before a vaccine is given, until somebody has decided on it.
func TestAReportedAllergyAsksBeforeAVaccine(t *testing.T) {
	c := open(t)
	c.received(document(t, "gannet-ccd", "6736007", "24484000", "Moderate", "Severe"), "The clinic writes initials.")
	asked, err := c.app.Intake.GiveVaccine(ctx, c.jonah(), visitID, intake.VaccineEntry{ID: "v1", Given: tdap})
	require.NoError(t, err)
	require.Contains(t, strings.Join(asked.Questions, "|"), "Severe allergy reported by Gannet Bay Walk-in Clinic, not confirmed: Sulfa antibiotics")
	require.Zero(t, c.count("SELECT count(*) FROM immunization"))
	_, err = c.app.Intake.GiveVaccine(ctx, c.jonah(), visitID, intake.VaccineEntry{ID: "v1", Given: tdap, Confirmed: true})
	require.NoError(t, err)
	require.Equal(t, 1, c.count("SELECT count(*) FROM immunization"))
}

// What came in before the patient said that they were never there stands in the chart, and the record says so until it is taken back.
func TestWhatCameInBeforeSheSaidNoIsSaid(t *testing.T) {
	c := open(t)
	c.now = time.Date(2026, 11, 20, 14, 0, 0, 0, time.UTC)
	id := c.confirmed(document(t, "northsound-discharge"), "")
	_, err := c.app.Record.SettleCertain(ctx, c.jonah(), id)
	require.NoError(t, err)
	require.Empty(t, c.record(c.doctor(), id).News)
	require.NoError(t, c.app.Record.Confirm(ctx, c.who[act.FrontDesk], id, "refused", "That was my sister."))
	require.Contains(t, c.record(c.doctor(), id).News, "3 entries of it stand in the chart")
}

// A graver allergy takes the place of ours: how grave it is has its own place, and the reaction that only we know of stays, and is said.
func TestAGraverAllergyKeepsTheReaction(t *testing.T) {
	c := open(t)
	_, err := c.add("allergies", "Sulfonamide antibiotics", "hives")
	require.NoError(t, err)
	allergy := func(id, more string) string {
		return `{"resource":{"resourceType":"AllergyIntolerance","id":"` + id + `","clinicalStatus":{"coding":[{"code":"active"}]},"verificationStatus":{"coding":[{"code":"confirmed"}]},"patient":{"reference":"Patient/1"},` + more + `}}`
	}
	id := c.confirmed([]byte(`{"resourceType":"Bundle","type":"collection","entry":[{"resource":{"resourceType":"Patient","id":"1","name":[{"family":"Marsh-Adeyemi","given":["Ottoline"]}],"birthDate":"1968-03-14","gender":"female"}},`+
		allergy("a1", `"code":{"text":"Sulfonamide antibiotics"},"reaction":[{"severity":"severe"}]`)+`,`+
		allergy("a2", `"code":{"text":"Naproxen"},"reaction":[{"manifestation":[{"text":"Rash"}],"severity":"mild"},{"manifestation":[{"text":"Stomach bleed"}]}]`)+`]}`), "")
	for _, e := range c.record(c.doctor(), id).Entries {
		_, err := c.app.Record.Decide(ctx, c.doctor(), id, record.EntryDecided{List: e.List, Ref: e.Ref, Decision: outside.TakeIn})
		require.NoError(t, err, e.Title)
	}
	stands := func(substance string) string {
		return c.text("SELECT reaction || ' | ' || severity || ' | ' || source FROM allergy WHERE ended_at = '' AND substance = '" + substance + "'")
	}
	require.Equal(t, "hives | severe | a house that is not named; the reaction as it stood here", stands("Sulfonamide antibiotics"))
	require.Equal(t, "Rash; Stomach bleed | mild | a house that is not named", stands("Naproxen"))
}
