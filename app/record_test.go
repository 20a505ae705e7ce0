package app_test

import (
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/prescribe"
	"deftledger/app/record"
	"deftledger/app/release"
	"deftledger/app/sharing"
	"deftledger/core/outside"
	"deftledger/exchange/ccda"
	"deftledger/store"
)

func document(t testing.TB, name string, change ...string) []byte {
	t.Helper()
	raw, err := os.ReadFile("../exchange/ccda/testdata/" + name + ".xml")
	require.NoError(t, err)
	return []byte(strings.NewReplacer(change...).Replace(string(raw)))
}

// received hands a record in for the clinic's patient, by the assistant.
func (c *clinic) received(raw []byte, why string) record.Received {
	c.Helper()
	out, err := c.app.Record.Receive(ctx, c.jonah(), patientID, raw, why)
	require.NoError(c, err)
	return out
}

func (c *clinic) record(who act.Actor, id string) record.RecordView {
	c.Helper()
	v, err := c.app.Record.Open(ctx, who, id)
	require.NoError(c, err)
	return v
}

// patientsCopy is the patient's own copy of the chart as C-CDA.
func (c *clinic) patientsCopy() []byte {
	c.Helper()
	f, err := c.app.Sharing.Give(ctx, c.doctor(), patientID, sharing.NewGiven{Whom: "patient", Form: sharing.CCDA})
	require.NoError(c, err)
	return f.File
}

// beside says of each entry how it stands, with a mark for the certain ones.
func beside(v record.RecordView) (out []string) {
	for _, e := range v.Entries {
		mark := ""
		if e.Certain {
			mark = " certain"
		}
		out = append(out, fmt.Sprintf("%s: %s%s %s", e.Title, e.Stand, mark, e.Decision))
	}
	return out
}

// seen has the chart of the picture: kidneys, gout, allopurinol, naproxen stopped for a bleed.
func (c *clinic) seen() {
	c.Helper()
	for _, code := range []string{"N18.31", "M10.071"} {
		require.NoError(c, c.app.Chart.AddProblem(ctx, c.doctor(), patientID, code))
	}
	for _, x := range [][3]string{{"medicines", "Allopurinol", "100 mg daily"}, {"medicines", "Naproxen", "500 mg twice daily"}, {"allergies", "Naproxen", "stomach bleed"}} {
		_, err := c.add(x[0], x[1], x[2])
		require.NoError(c, err)
	}
	require.NoError(c, c.store.Write(ctx, func(q *store.Q) error {
		return q.StopMedicine(patientID, c.text("SELECT id FROM medicine WHERE name = 'Naproxen'"), "2026-09-02", "stomach bleed", c.doctor().ID)
	}))
}

// A record comes in, the patient is asked, what is certain is settled in one act, the rest singly; then it is signed. Nothing of it counts
// before the patient says that they were there, and nothing of ours ends by it unasked.
func TestARecordIsReconciledAndSigned(t *testing.T) {
	c := open(t)
	c.now = time.Date(2026, 11, 20, 14, 0, 0, 0, time.UTC) // before that what it says would lie in the future, which is not certain
	c.seen()
	raw := document(t, "northsound-discharge")
	_, err := c.app.Record.Receive(ctx, c.jonah(), patientID, raw, "")
	require.NoError(t, err, "a hyphen in the family name is no other person")
	id := c.received(raw, "").ID
	require.True(t, c.received(raw, "").Again)
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'record from elsewhere' AND closed_at = ''"))
	v := c.record(c.jonah(), id)
	require.Zero(t, v.Certain, "nobody has asked her")
	for _, e := range v.Entries {
		require.False(t, e.Certain, e.Title)
	}
	_, err = c.app.Record.Decide(ctx, c.doctor(), id, record.EntryDecided{List: outside.Medicines, Ref: "m3", Decision: outside.TakeIn})
	require.Equal(t, act.Conflict, kind(t, err), "first ask")
	require.Equal(t, act.Conflict, kind(t, c.app.Record.Sign(ctx, c.doctor(), id, "", secret)))
	require.Equal(t, act.Invalid, kind(t, c.app.Record.Confirm(ctx, c.jonah(), id, "refused", "")))
	for range 2 {
		require.NoError(t, c.app.Record.Confirm(ctx, c.jonah(), id, "confirmed", ""))
	}
	require.Equal(t, 1, c.count("SELECT count(*) FROM outside_source"))
	v = c.record(c.doctor(), id)
	require.Equal(t, []string{"Chronic kidney disease, stage 3b: differs ", "Gout, unspecified: differs ", "Acute kidney failure, unspecified: older than ours ", "No known drug allergies: conflicts ",
		"Allopurinol 100 MG Oral Tablet: differs ", "Naproxen 500 MG Oral Tablet: conflicts ", "Acetaminophen 500 MG Oral Tablet: new ",
		"Influenza, injectable, quadrivalent, preservative free: new certain ", "Pneumococcal conjugate PCV20: not certain ", "Creatinine: new certain ", "eGFR (CKD-EPI 2021): new certain "}, beside(v))
	require.Equal(t, "Chronic kidney disease, stage 3a", v.Entries[0].Ours)
	require.Equal(t, []string{"another one of the same kind"}, v.Entries[0].Differs)
	require.Equal(t, []string{"less exact than ours"}, v.Entries[1].Differs)

	for _, w := range v.Entries[4].Warnings { // two tablets (200 mg) of 100 mg are 200 mg, and no 400
		require.NotContains(t, w.Says, "400 mg")
		require.NotContains(t, w.Says, "Already on the list", "it would take the place of ours")
	}
	require.Contains(t, v.Entries[6].Why, "not everything could be checked")

	v, err = c.app.Record.SettleCertain(ctx, c.jonah(), id)
	require.NoError(t, err)
	require.Equal(t, 8, v.Open)
	require.Zero(t, v.Certain, "what came in may make others certain: none is left over")
	require.Equal(t, 1, c.count("SELECT count(*) FROM care_entry WHERE kind = 'dose' AND name = '150' AND day = '2026-10-11'"))
	decide := func(who act.Actor, list, ref string, d outside.Decision, reason string) error {
		_, err := c.app.Record.Decide(ctx, who, id, record.EntryDecided{List: list, Ref: ref, Decision: d, Reason: reason})
		return err
	}
	require.NoError(t, decide(c.jonah(), outside.Medicines, "m3", outside.TakeIn, ""), "how much is not said, so that its dose was not checked: singly")
	require.Equal(t, 1, c.count("SELECT count(*) FROM medicine WHERE name LIKE 'Acetaminophen%' AND source = 'Northsound Hospital'"))
	require.Equal(t, act.Forbidden, kind(t, decide(c.jonah(), outside.Problems, "p1", outside.TakeIn, "")), "problems are a physician's")
	require.Equal(t, act.Forbidden, kind(t, decide(c.doctor(), outside.Allergies, "a1", outside.TakeIn, "")), "nothing of ours ends by none known")
	require.NoError(t, decide(c.doctor(), outside.Allergies, "a1", outside.LeaveOut, ""))
	require.Equal(t, 1, c.count("SELECT count(*) FROM allergy WHERE substance = 'Naproxen' AND ended_at = ''"))
	require.NoError(t, decide(c.doctor(), outside.Medicines, "m1", outside.TakeIn, ""))
	require.Equal(t, "two tablets (200 mg) by mouth once a day", c.text("SELECT dose FROM medicine WHERE name LIKE 'Allopurinol%' AND stopped = ''"))
	require.Equal(t, 1, c.count("SELECT count(*) FROM medicine WHERE name = 'Allopurinol' AND stop_reason LIKE 'replaced by what Northsound%'"))
	require.Equal(t, act.Invalid, kind(t, decide(c.doctor(), outside.Medicines, "m2", outside.LeaveOut, "")), "why")
	require.NoError(t, decide(c.doctor(), outside.Medicines, "m2", outside.LeaveOut, "She bled on it."))
	require.NoError(t, decide(c.doctor(), outside.Problems, "p1", outside.Join, ""))
	require.Equal(t, act.Conflict, kind(t, decide(c.doctor(), outside.Problems, "p1", outside.TakeIn, "")), "take it back first")
	require.NoError(t, decide(c.doctor(), outside.Problems, "p1", "taken back", "Two values now say so."))
	require.NoError(t, decide(c.doctor(), outside.Problems, "p1", outside.TakeIn, ""))
	require.Equal(t, 1, c.count("SELECT count(*) FROM problem WHERE code = 'N18.32' AND ended = ''"))
	require.Equal(t, 0, c.count("SELECT count(*) FROM problem WHERE code = 'N18.31' AND ended = ''"))
	require.NoError(t, decide(c.doctor(), outside.Problems, "p2", outside.Join, ""))
	require.NoError(t, decide(c.doctor(), outside.Problems, "p3", outside.TakeIn, ""))
	require.Equal(t, 1, c.count("SELECT count(*) FROM history WHERE list = 'past' AND title LIKE 'Acute kidney failure%' AND source = 'Northsound Hospital'"))
	require.Equal(t, act.Conflict, kind(t, c.app.Record.Sign(ctx, c.doctor(), id, "", secret)), "one is open")
	require.NoError(t, decide(c.doctor(), outside.Immunizations, "i2", outside.LeaveOut, "She did not want it there."))
	require.Equal(t, act.Forbidden, kind(t, c.app.Record.Sign(ctx, c.jonah(), id, "", secret)))
	for range 2 {
		require.NoError(t, c.app.Record.Sign(ctx, c.doctor(), id, "Kidneys to be followed.", secret))
	}
	require.Zero(t, c.count("SELECT count(*) FROM line WHERE kind = 'record from elsewhere' AND closed_at = ''"))
	require.Equal(t, act.Conflict, kind(t, decide(c.doctor(), outside.Problems, "p2", "taken back", "x")))
	require.Empty(t, c.verify())

	// The same record in a newer version: only what is new or changed asks.
	next := c.received(document(t, "northsound-discharge", `<versionNumber value="2"/>`, `<versionNumber value="3"/>`, "as needed</td></tr></tbody>", "up to three a day</td></tr></tbody>"), "").ID
	v = c.record(c.doctor(), next)
	var open []string
	for _, e := range v.Entries {
		if e.Decision == "" {
			open = append(open, e.Title)
		} else {
			require.True(t, e.Earlier, e.Title)
		}
	}
	require.Equal(t, []string{"Acetaminophen 500 MG Oral Tablet"}, open)
	require.Contains(t, v.News, "1 entry is new or changed since")
}

// A record of somebody else is asked about, one that cannot be read is kept and stays a line, and what an unconfirmed house says counts
// nowhere.
func TestRecordsThatDoNotBelongOrCannotBeRead(t *testing.T) {
	c := open(t)
	_, err := c.app.Record.Receive(ctx, c.jonah(), patientID, document(t, "unstructured"), "")
	require.Equal(t, act.Conflict, kind(t, err))
	require.ErrorContains(t, err, "Dagny Ellingsund")
	id := c.received(document(t, "half"), "").ID
	v := c.record(c.doctor(), id)
	require.NotEmpty(t, v.Unreadable)
	require.Contains(t, v.Raw, "ClinicalDocument")
	require.Equal(t, act.Invalid, kind(t, c.app.Record.Sign(ctx, c.doctor(), id, "", secret)))
	require.NoError(t, c.app.Record.Sign(ctx, c.doctor(), id, "Asked the hospital to send it again.", secret))
	_, err = c.app.Record.Receive(ctx, c.jonah(), patientID, nil, "")
	require.Equal(t, act.Invalid, kind(t, err))
	_, err = c.app.Record.Receive(ctx, c.sunniva(), patientID, document(t, "half"), "")
	require.Equal(t, act.Forbidden, kind(t, err))

	gannet := c.received(document(t, "gannet-ccd"), "The clinic writes initials.").ID
	require.NoError(t, c.app.Record.Confirm(ctx, c.jonah(), gannet, "refused", "She was never there."))
	require.Equal(t, act.Invalid, kind(t, c.app.Record.Sign(ctx, c.doctor(), gannet, "", secret)), "what is done about it")
	require.NoError(t, c.app.Record.Sign(ctx, c.doctor(), gannet, "Told the clinic that it is not hers.", secret))
	require.Zero(t, c.count("SELECT count(*) FROM allergy"))
	require.Empty(t, c.verify())
}

// The patient's copy holds what the chart holds, is read again as that, and is recorded; what is held back is not in it, and the copy
// does not tell.
func TestThePatientsCopyIsTheChart(t *testing.T) {
	c := open(t)
	c.seen()
	o := c.order("K")
	c.step()
	c.receive(oru("CC", o.Placer+"-1", "F", "5.6"), "AA")
	read := func() outside.Record {
		raw := c.patientsCopy()
		r, err := ccda.Read(raw)
		require.NoError(t, err)
		return r
	}
	says := func(r outside.Record) (out []string) {
		for _, i := range r.Items {
			out = append(out, strings.Join([]string{i.List, i.Title, i.Detail, i.Status}, "|"))
		}
		return out
	}
	r := read()
	require.ElementsMatch(t, []string{"allergies|Naproxen|stomach bleed|active", "medicines|Allopurinol|100 mg daily|active", "medicines|Naproxen|500 mg twice daily|ended",
		"problems|Chronic kidney disease, stage 3a||active", "problems|Idiopathic gout, right ankle and foot||active", "results|Potassium|5.6 mmol/L, range 3.5-5.1|"}, says(r))
	for _, i := range r.Items {
		if i.Title == "Potassium" {
			require.Equal(t, "2026-05-04T08:00-04:00", i.Since, "with its zone, as precisely as it came")
		}
	}
	require.Equal(t, 1, c.count("SELECT count(*) FROM audit WHERE act = 'give the chart out' AND patient_id = ?", patientID))
	c.portal()
	hold, err := c.app.Release.HoldBack(ctx, c.doctor(), release.NewHold{Order: c.order("NA").ID, Reason: "wish", Words: "She asked for it.", Until: "2026-07-01"})
	require.NoError(t, err)
	require.NotEmpty(t, hold)
	sodium := c.text("SELECT placer FROM lab_order ORDER BY rowid DESC LIMIT 1")
	c.step()
	c.receive(oru("CD", sodium+"-1", "F", "128", "K^Potassium^L^2823-3^^LN", "NA^Sodium^L^2951-2^^LN"), "AA")
	require.NotContains(t, strings.Join(says(read()), "\n"), "Sodium")
	require.Equal(t, r.Sections[len(r.Sections)-1].HTML, read().Sections[len(r.Sections)-1].HTML, "every copy says the same of that")
}

// A severe allergy that another house tells of is shown where something is prescribed, as reported and not confirmed, until somebody has
// decided on it or the patient says that they were never there; it is no entry of the chart, and goes out with nothing.
func TestASevereAllergyOfAnotherHouseIsShownBeforeAnybodyDecided(t *testing.T) {
	c := open(t)
	c.now = time.Date(2026, 11, 20, 14, 0, 0, 0, time.UTC)
	warned := func() (out []string) {
		r, err := c.app.Prescribe.Read(ctx, c.doctor(), patientID, prescribe.Typed{Line: "trimethoprim-sulfamethoxazole 800-160 mg 1 tablet twice daily #20"})
		require.NoError(t, err)
		for _, w := range r.Warnings {
			if w.Kind == "allergy" {
				out = append(out, string(w.Grade)+": "+w.Says)
			}
		}
		return out
	}
	require.Empty(t, warned())
	id := c.received(document(t, "gannet-ccd", "6736007", "24484000", "Moderate", "Severe"), "The clinic writes initials.").ID
	require.Equal(t, []string{"avoid: Allergy reported by Gannet Bay Walk-in Clinic, not confirmed: Sulfa antibiotics"}, warned())
	ch, err := c.app.Chart.Chart(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	require.Empty(t, ch.Allergies, "the chart does not say so")
	require.NotContains(t, string(c.patientsCopy()), "Sulfa")
	require.NoError(t, c.app.Record.Confirm(ctx, c.jonah(), id, "confirmed", ""))
	require.Len(t, warned(), 1, "until somebody has decided")
	require.NoError(t, c.app.Record.Confirm(ctx, c.jonah(), id, "refused", "She was never there."))
	require.Empty(t, warned())
	mild := c.received(document(t, "gannet-ccd"), "The clinic writes initials.").ID
	require.NotEqual(t, id, mild)
	require.Empty(t, warned())
}
