package app_test

import (
	"context"
	"database/sql"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	circles "deftledger/app/circle"
	"deftledger/app/intake"
	orders "deftledger/app/order"
	"deftledger/app/paper"
	"deftledger/app/printing"
	"deftledger/app/record"
	"deftledger/app/referral"
	"deftledger/app/registration"
	"deftledger/app/reminder"
	"deftledger/app/result"
	"deftledger/core/note"
	"deftledger/core/order"
	referralCore "deftledger/core/referral"
	"deftledger/store"
)

// TestVerifyFindsEveryChangeBehindTheProgram: somebody with the database file, who takes the triggers away first,
// changes one thing; verify finds it, whatever it is. Without a change it finds nothing.
func TestVerifyFindsEveryChangeBehindTheProgram(t *testing.T) {
	t.Parallel()
	c := open(t)
	o := c.order("K")
	c.step()
	c.receive(oru("S1", o.Placer+"-1", "F", "5.9", "3.5-5.1||||", "3.5-5.1|H|||"), "AA")
	c.receive(oru("S2", "SK999-1", "F", "4.1"), "AA")
	report := c.desk().Reports[0]
	require.NoError(t, c.app.Result.SignReport(ctx, c.doctor(), result.SignedResult{ReportID: report.ID, Comment: "Seen.", Told: "in person", Secret: secret,
		Issue: report.Issue, Version: report.Version}))
	require.NoError(t, c.app.Result.AddToReview(ctx, c.doctor(), report.ID, result.Addition{ID: "addendum-1", Issue: report.Issue, Says: "Added.", Secret: secret}))
	_, err := c.app.Printing.Print(ctx, c.doctor(), printing.NewBatch{ID: "batch-0001", Reports: []string{report.ID}})
	require.NoError(t, err)
	_, err = c.app.Printing.CSV(ctx, c.doctor(), "batch-0001")
	require.NoError(t, err)
	_, err = c.app.Intake.TakeVitals(ctx, c.jonah(), visitID, []intake.VitalEntry{{LOINC: "85354-9", Text: "148/86"}}, false)
	require.NoError(t, err)
	require.NoError(t, c.app.Chart.AddProblem(ctx, c.doctor(), patientID, "I10"))
	id, versions, list := c.written()
	c.line(id, note.Review, "no fever")
	c.app.Elsewhere.Portal = "http://127.0.0.1:1"
	_, err = c.app.Visit.AskBack(ctx, c.doctor(), id, "2w", "Toe")
	require.NoError(t, err)
	_, err = c.app.Paper.MessagePatient(ctx, c.doctor(), id, paper.PortalMessage{ID: "m", Text: "Please call."})
	require.NoError(t, err)
	_, err = c.app.Paper.FileSection(ctx, c.doctor(), id, "Plan", false, "", "")
	require.NoError(t, err)
	_, err = c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, list, "")
	require.NoError(t, err)
	_, err = c.app.Note.Amend(ctx, c.doctor(), id, secret, "Added.")
	require.NoError(t, err)
	now, err := c.app.Registration.Registration(ctx, c.sunniva(), patientID)
	require.NoError(t, err)
	now.Registration.Language = "Norwegian"
	_, err = c.app.Registration.ChangeRegistration(ctx, c.sunniva(), patientID, registration.ChangedRegistration{Registration: now.Registration, Usual: now.Usual})
	require.NoError(t, err)
	v, err := c.app.Intake.AddEntry(ctx, c.jonah(), visitID, intake.NewEntry{List: "medicines", Title: "Metformin", Detail: "500 mg daily", Why: "sugar"})
	require.NoError(t, err)
	_, err = c.app.Intake.Told(ctx, c.jonah(), visitID, v.Medicines.Entries[0].ID, "sometimes", "")
	require.NoError(t, err)
	v, err = c.app.Intake.AddEntry(ctx, c.jonah(), visitID, intake.NewEntry{List: "allergies", Title: "Latex", Certainty: "likely"})
	require.NoError(t, err)
	_, err = c.app.Intake.Tolerated(ctx, c.jonah(), visitID, v.Allergies.Entries[0].ID, "gloves", "")
	require.NoError(t, err)
	_, err = c.app.Order.PrepareOrder(ctx, c.jonah(), orders.NewOrder{PatientID: patientID, VisitID: visitID, RequestID: "prepared",
		Pad: order.Pad{Priority: "R", Drawing: order.DrawnHere, Lines: []order.Line{{Test: "K", Diagnoses: []string{"M10.071"}}}}})
	require.NoError(t, err)
	out, err := c.pad(nil, order.Line{Test: "NA"})
	require.NoError(t, err)
	require.NoError(t, c.app.Order.Called(ctx, c.jonah(), out[0].ID, "Brinehouse", c.app.Today()))
	c.message("Is the rash from it?")
	elsewhere := c.received(document(t, "northsound-discharge"), "").ID
	require.NoError(t, c.app.Record.Confirm(ctx, c.jonah(), elsewhere, "confirmed", ""))
	_, err = c.app.Record.Decide(ctx, c.jonah(), elsewhere, record.EntryDecided{List: "allergies", Ref: "a1", Decision: "leave out"})
	require.NoError(t, err)
	for _, ref := range []string{"p1", "p2", "p3"} {
		_, err = c.app.Record.Decide(ctx, c.doctor(), elsewhere, record.EntryDecided{List: "problems", Ref: ref, Decision: "leave out", Reason: "Not now."})
		require.NoError(t, err)
	}
	for list, refs := range map[string][]string{"medicines": {"m1", "m2", "m3"}, "immunizations": {"i1", "i2"}} {
		for _, ref := range refs {
			_, err = c.app.Record.Decide(ctx, c.doctor(), elsewhere, record.EntryDecided{List: list, Ref: ref, Decision: "leave out", Reason: "Not now."})
			require.NoError(t, err)
		}
	}
	_, err = c.app.Record.LeaveRest(ctx, c.doctor(), elsewhere, "results", "Read.")
	require.NoError(t, err)
	require.NoError(t, c.app.Record.Sign(ctx, c.doctor(), elsewhere, "Read.", secret))
	c.toTell()
	sick, err := c.app.Circle.SetTeam(ctx, c.who[act.Admin], circles.TeamView{Name: "Everybody", Members: []string{c.doctor().ID, c.petra().ID, c.jonah().ID}})
	require.NoError(t, err)
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		return q.GiveLineTo(sick, c.text("SELECT id FROM line WHERE kind = 'handed over'"))
	}))
	c.selfHarm()
	c.reminded()
	c.toldRegistry()
	_, err = c.app.Reminder.Set(ctx, c.doctor(), "falls", reminder.RuleSet{On: true})
	require.NoError(t, err)
	require.NoError(t, c.settle("hepatitis-c", reminder.ReminderDecision{ID: "said", Says: "had outside", On: "2019", Source: "patient says", Of: "hepatitis-c-antibody", Value: "negative"}))
	referred := c.refer(c.practiceIn("letter"), "behind")
	require.NoError(t, c.app.Referral.Tell(ctx, c.jonah(), referred.ID, referral.ReferralTold{Says: referralCore.Delivered}))
	c.app.WitnessTrail()
	require.Empty(t, c.verify())
	require.NoError(t, c.closes())

	keys, err := act.OpenKeys(c.home, "practice", false)
	require.NoError(t, err)
	for name, change := range map[string]string{
		"a diagnosis of a signed note":      "UPDATE note_diagnosis SET code = 'C50.911', title = 'x' WHERE code = 'I10'",
		"a diagnosis taken away":            "DELETE FROM note_diagnosis WHERE code = 'I10'",
		"a diagnosis put in":                "INSERT INTO note_diagnosis SELECT note_id, 'Z00.00', title, edition, 9, joined FROM note_diagnosis LIMIT 1",
		"a finding of a signed note":        "UPDATE note_finding SET state = 'present'",
		"a finding taken away":              "DELETE FROM note_finding",
		"a text of a signed note":           "UPDATE note_part SET text = 'x' WHERE part = 'plan'",
		"the author of a note":              "UPDATE note SET author_id = 'x9'",
		"whose a note is":                   "UPDATE note SET patient_id = 'p9'",
		"a note no longer signed":           "UPDATE note SET folio = 0",
		"a note retracted":                  "UPDATE note SET retracted = 9",
		"a test of an order":                "UPDATE order_test SET code = 'NA', name = 'Sodium'",
		"a test taken from an order":        "DELETE FROM order_test",
		"the state of an order":             "UPDATE lab_order SET state = 'cancelled'",
		"the clinician of an order":         "UPDATE lab_order SET clinician_id = 'x9'",
		"an order removed":                  "DELETE FROM order_test; DELETE FROM lab_order",
		"a value":                           "UPDATE report_value SET text = '4.2'",
		"a unit":                            "UPDATE report_value SET unit = 'mg/dL'",
		"a flag":                            "UPDATE report_value SET flag = ''",
		"a range":                           "UPDATE report_value SET range = '3.5-6.5'",
		"whose a report is":                 "UPDATE report SET patient_id = 'p9'",
		"a report no longer signed":         "UPDATE report SET signed_issue = 0",
		"a comment of a review":             "UPDATE review SET comment = 'x'",
		"how the patient was told":          "UPDATE review SET told = ''",
		"a record from elsewhere":           "UPDATE outside_record SET house = 'x'",
		"what was decided on its entry":     "UPDATE outside_decision SET decision = 'take in'",
		"a decision removed":                "DELETE FROM outside_decision",
		"who signed a record":               "UPDATE outside_review SET by_id = 'x9'",
		"what was said of a house":          "UPDATE outside_source SET says = 'refused'",
		"what was added to a review":        "UPDATE review_addendum SET says = 'x'",
		"an addition removed":               "DELETE FROM review_addendum",
		"whose line of a team":              "UPDATE line_team SET team_id = 'x9'",
		"a review removed":                  "DELETE FROM review",
		"a message to the patient":          "UPDATE message SET text = 'x'",
		"a message removed":                 "DELETE FROM message",
		"a document":                        "UPDATE document SET pdf = x'00'",
		"the title of a document":           "UPDATE document SET title = 'x'",
		"a vital sign":                      "UPDATE vital SET value = '118/76'",
		"a vital sign removed":              "DELETE FROM vital",
		"a vital sign put in":               "INSERT INTO vital SELECT 'x', patient_id, loinc, name, '90/60', unit, taken_at, visit_id, origin, entered, by_id, '', '' FROM vital LIMIT 1",
		"a problem":                         "UPDATE problem SET code = 'E11.9'",
		"a problem ended":                   "UPDATE problem SET ended = '2026-01-01'",
		"an allergy put in":                 "INSERT INTO allergy SELECT 'x', id, 'Dust', '', '', '2026-05-04', 'x', '', '', '', '' FROM patient LIMIT 1",
		"a medicine put in":                 "INSERT INTO medicine SELECT 'x', id, 'Warfarin', '5 mg', '', '', '', '', 'x', '', '' FROM patient LIMIT 1",
		"the name of a patient":             "UPDATE patient SET family = 'Other'",
		"the birth date of a patient":       "UPDATE patient SET birth_date = '1950-01-01'",
		"a registration":                    "UPDATE registration SET content = '{}' WHERE version = 2",
		"a version of one removed":          "DELETE FROM registration WHERE version = 1",
		"a dose as it was read":             "UPDATE medicine_detail SET dosage = ''",
		"what was told of a medicine":       "UPDATE medicine_told SET says = 'taking'",
		"how sure an allergy is":            "UPDATE allergy_detail SET certainty = 'refuted'",
		"what was borne":                    "DELETE FROM allergy_tolerated",
		"the day an order is for":           "UPDATE order_more SET due = '2030-01-01'",
		"an answer at order entry":          "UPDATE order_test_more SET detail = '{}'",
		"when a specimen was drawn":         "UPDATE specimen SET drawn_at = '2026-05-01T10:00:00.000Z'",
		"that a specimen was drawn":         "DELETE FROM specimen",
		"what was done about an order":      "UPDATE order_event SET detail = 'x'",
		"a referral":                        "UPDATE further_order SET detail = '{}'",
		"where a referral stands":           "UPDATE further_order SET state = 'closed'",
		"what became of a referral":         "DELETE FROM further_event",
		"whom the practice writes to":       "UPDATE directory SET fax = '555-0000'",
		"what was said of a reminder":       "UPDATE care_entry SET says = 'done'",
		"how a rule is set":                 "UPDATE rule_setting SET switched = 'off'",
		"a rule of the practice":            "INSERT INTO rule_file SELECT 'x', 1, 1, 'x', 'x', '2026-05-04T10:00:00.000Z'",
		"an answer of a questionnaire":      "UPDATE screen_response SET answers = '{}'",
		"that something was had elsewhere":  "DELETE FROM care_entry WHERE kind = 'service'",
		"what a patient asked":              "UPDATE inquiry SET said = '{}'",
		"that somebody was not reached":     "UPDATE inquiry_event SET kind = 'reached'",
		"what was printed":                  "UPDATE print_report SET issue = 9",
		"that something was printed":        "DELETE FROM print_event",
		"a second factor":                   "INSERT INTO second_factor SELECT id, x'00', 1, 0 FROM staff LIMIT 1",
		"under which number somebody signs": "INSERT INTO staff_npi SELECT id, '1234567893', '', '' FROM staff LIMIT 1",
		"what was prepared":                 "UPDATE prepared_more SET detail = '{}'",
		"a record read as part of another":  "UPDATE patient SET person_id = 'p9'",
		"a role":                            "UPDATE staff SET role = 'administrator' WHERE role = 'nurse'",
		"a password":                        "UPDATE staff SET password_hash = 'x' WHERE role = 'nurse'",
		"a person put in":                   "INSERT INTO staff SELECT 'x', 'x', given, family, role, password_hash, secret_hash, draft_key, single_keys, active FROM staff LIMIT 1",
		"an open line closed":               "UPDATE line SET closed_at = '2026-05-04T10:00:00.000Z', closed_with = 'x' WHERE closed_at = ''",
		"a closed line opened":              "UPDATE line SET closed_at = '' WHERE closed_at <> ''",
		"a line removed":                    "DELETE FROM line",
		"a wish to come back":               "UPDATE follow_up SET due = '2030-01-01'",
		"a held message settled":            "UPDATE inbox SET state = 'settled'",
		"bytes of a received message":       "UPDATE inbox SET raw = x'00'",
		"a received message removed":        "DELETE FROM inbox_part; DELETE FROM inbox",
		"the physician of a visit":          "UPDATE visit SET clinician_id = 'x9'",
		"an audit row":                      "UPDATE audit SET staff_id = 'x' WHERE id = 3",
		"an audit row removed":              "DELETE FROM audit WHERE id = 3",
		"the last audit rows removed":       "DELETE FROM audit WHERE id > (SELECT max(id) - 2 FROM audit)",
		"an audit row put in":               "INSERT INTO audit(at, staff_id, act) VALUES ('2026-05-04T10:00:00.000Z', 'x', 'open chart')",
		"the trail cut off":                 "DELETE FROM trail WHERE seq > 3",
		"the trail emptied":                 "DELETE FROM trail; DELETE FROM row_seal; DELETE FROM audit",
		"a link and its seal rewritten":     "UPDATE vital SET value = '1/1'; UPDATE row_seal SET digest = zeroblob(32) WHERE scope LIKE 'vital%'",
		"what the trail says removed":       "UPDATE vital SET value = '1/1'; DELETE FROM row_seal WHERE scope LIKE 'vital%'",
		"the ledger emptied":                "DELETE FROM ledger_entry",
		"an entry":                          "UPDATE ledger_entry SET signer_name = 'x' WHERE seq = 2",
		"the last entry removed":            "DELETE FROM ledger_entry WHERE seq = (SELECT max(seq) FROM ledger_entry)",
		"the name of this copy":             "UPDATE setting SET value = 'x' WHERE name = 'copy'",
	} {
		dir := t.TempDir()
		body, err := os.ReadFile(filepath.Join(c.dir, store.File))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, store.File), body, 0o600))
		db, err := sql.Open("sqlite", filepath.Join(dir, store.File))
		require.NoError(t, err)
		rows, err := db.Query("SELECT name FROM sqlite_master WHERE type = 'trigger'")
		require.NoError(t, err)
		var triggers []string
		for rows.Next() {
			var n string
			require.NoError(t, rows.Scan(&n))
			triggers = append(triggers, n)
		}
		rows.Close()
		for _, n := range triggers {
			_, err := db.Exec("DROP TRIGGER " + n)
			require.NoError(t, err)
		}
		r, err := db.Exec(change)
		require.NoError(t, err, name)
		n, _ := r.RowsAffected()
		require.NotZero(t, n, "%s changes something", name)
		require.NoError(t, db.Close())
		s, err := store.Open(context.Background(), dir)
		require.NoError(t, err, name)
		f, err := act.Verify(context.Background(), s, keys, act.Verification{})
		require.NoError(t, err, name)
		assert.NotEmpty(t, f.Wrong, name)
		require.NoError(t, s.Close())
	}
}
