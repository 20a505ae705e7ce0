package app_test

import (
	"bytes"
	"compress/zlib"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/desk"
	"deftledger/app/forms"
	"deftledger/app/intake"
	notes "deftledger/app/note"
	"deftledger/core/note"
	"deftledger/core/visit"
	"deftledger/store"
)

// earlier documents a visit some days before and signs it.
func (c *clinic) earlier(days int, exam string, typed map[note.Part]string) string {
	c.Helper()
	id := fmt.Sprintf("old%03d", days)
	at := c.now.AddDate(0, 0, -days)
	require.NoError(c, c.store.Write(ctx, func(q *store.Q) error {
		return q.AddVisit(visit.Visit{ID: id, PatientID: patientID, ClinicianID: c.doctor().ID, Day: at.Format(time.DateOnly), StartsAt: at,
			Kind: "Nurse visit", Reason: "Before", Stage: "done", StageAt: at})
	}))
	n, err := c.app.Note.StartVisit(ctx, c.doctor(), id)
	require.NoError(c, err)
	versions := map[string]int{}
	for p, t := range typed {
		versions[string(p)] = c.save(n, p, t, 0, n+string(p)).Version
	}
	if exam != "" {
		c.line(n, note.Examination, exam)
	}
	_, err = c.app.Note.SignNote(ctx, c.doctor(), n, secret, versions, 1, "")
	require.NoError(c, err)
	return n
}

// line enters a line of findings.
func (c *clinic) line(id string, area note.Area, text string) notes.NoteView {
	c.Helper()
	r, err := c.app.Note.ReadLine(ctx, c.doctor(), area, text, []string{"constitutional"}, "F")
	require.NoError(c, err)
	require.Empty(c, r.Unread, text)
	v, err := c.app.Note.SetFindings(ctx, c.doctor(), id, r.Changes)
	require.NoError(c, err)
	return v
}

func reads(v notes.NoteView) string {
	var out []string
	for _, b := range v.Blocks {
		out = append(out, b.Label+": "+b.Text())
	}
	return strings.Join(out, "\n")
}

func TestFindingsAreKeptWithTheirAuthorAndVersion(t *testing.T) {
	c := open(t)
	id := c.note()
	v := c.line(id, note.Review, "fever, . skip chills")
	require.Contains(t, reads(v), "Reports fever.")
	require.Contains(t, reads(v), "Constitutional: Denies night sweats")
	require.Equal(t, 1, c.count("SELECT count(*) FROM note_finding WHERE finding = 'fatigue' AND state = 'absent' AND origin = 'rest' AND by_id = ?", c.doctor().ID), "the denial with the rest keeps its author")
	change := note.Change{Area: note.Review, System: "constitutional", Finding: "fever", State: note.Absent, Was: 1}
	_, err := c.app.Note.SetFindings(ctx, c.who["second"], id, []note.Change{change})
	require.NoError(t, err)
	_, err = c.app.Note.SetFindings(ctx, c.doctor(), id,
		[]note.Change{{Area: note.Review, System: "constitutional", Finding: "fever", State: note.Present, Was: 1}})
	require.Equal(t, act.Conflict, kind(t, err), "made on a version somebody changed meanwhile")
	_, err = c.app.Note.SetFindings(ctx, c.doctor(), id,
		[]note.Change{{Area: note.Review, System: "constitutional", Finding: "wings", State: note.Present}})
	require.Equal(t, act.Invalid, kind(t, err))
	found, err := c.app.Note.SearchFindings(ctx, c.doctor(), "", note.Review, "constitutional", "fever", "")
	require.NoError(t, err)
	require.Len(t, found.Notes, 1)
	require.Equal(t, "absent", found.Notes[0].State)
	require.Empty(t, found.Next)
}

// Page by page a search brings every note once, of the practice and of one patient, and says
// when there are no more.
func TestASearchOfFindingsLosesNothingBetweenPages(t *testing.T) {
	c := open(t)
	const begun = "WITH RECURSIVE k(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM k WHERE n < 231) INSERT INTO "
	c.raw(
		begun+`visit(id, patient_id, clinician_id, day, starts_at, kind, reason, stage, stage_at)
			SELECT printf('v%03d', n), patient_id, clinician_id, day, starts_at, kind, reason, stage, stage_at FROM k, visit WHERE id = '`+
			visitID+`'`,
		begun+`note(id, visit_id, patient_id, author_id, created_at)
			SELECT printf('n%03d', n), v.id, v.patient_id, v.clinician_id, v.starts_at FROM k, visit v WHERE v.id = printf('v%03d', n)`,
		begun+`note_finding(note_id, area, system, finding, state, origin, by_id, at)
			SELECT printf('n%03d', n), 'review', 'constitutional', 'fever', 'present', 'findings', '', '' FROM k`,
		"UPDATE note SET retracted = 9 WHERE id = 'n100'",
	)
	for _, patient := range []string{"", patientID} {
		seen, after := map[string]bool{}, ""
		for pages := 1; ; pages++ {
			found, err := c.app.Note.SearchFindings(ctx, c.doctor(), patient, note.Review, "constitutional", "fever", after)
			require.NoError(t, err)
			for _, n := range found.Notes {
				require.False(t, seen[n.VisitID], "%s comes twice", n.VisitID)
				seen[n.VisitID] = true
			}
			if after = found.Next; after == "" {
				require.Equal(t, 3, pages)
				break
			}
		}
		require.Len(t, seen, 230, "all but the retracted one")
	}
}

func TestAnswersWriteTheHistoryAndSurviveANewVersionOfTheForm(t *testing.T) {
	c := open(t)
	id := c.note()
	v, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "joint-pain", v.Interviews[0].ID, "the reason for visit, toe pain, brings its questions")
	v, err = c.app.Note.Answer(ctx, c.doctor(), id, "joint-pain", "joint", []note.Answer{{Code: "toe"}}, 0)
	require.NoError(t, err)
	require.Contains(t, reads(v), "A 58-year-old woman with big toe pain.")
	_, err = c.app.Note.Answer(ctx, c.who["second"], id, "joint-pain", "joint", []note.Answer{{Code: "knee"}}, 0)
	require.Equal(t, act.Conflict, kind(t, err), "two answered at once: the second is told")
	v, err = c.app.Note.Answer(ctx, c.doctor(), id, "joint-pain", "trigger", []note.Answer{{Text: "a day of dancing"}}, 0)
	require.NoError(t, err)
	require.Contains(t, reads(v), "big toe pain after a day of dancing.")
	_, err = c.app.Note.Answer(ctx, c.doctor(), id, "joint-pain", "weight", []note.Answer{{Code: "heavy"}}, 0)
	require.Equal(t, act.Invalid, kind(t, err))
	v, err = c.app.Note.Answer(ctx, c.doctor(), id, "joint-pain", "constitutional.fever", []note.Answer{{Yes: new(bool)}}, 0)
	require.NoError(t, err)
	require.Contains(t, reads(v), "Denies fever.")
	require.Equal(t, 1, strings.Count(reads(v), "fever"), "told in the history, it is not told again in the review of systems")

	// For the clinic: a new version, which this note does not take by itself.
	require.NoError(t, c.app.Forms.AddAnswer(ctx, c.who[act.Admin], "joint-pain", "joint", "Elbow"))
	require.Equal(t, act.Invalid, kind(t, c.app.Forms.AddAnswer(ctx, c.doctor(), "joint-pain", "joint", "elbow")), "offered already")
	f, err := c.app.Forms.ReadForm(ctx, c.doctor(), "interview", "joint-pain", "clinic", 0)
	require.NoError(t, err)
	require.Equal(t, 2, f.Version)
	row := forms.FormRow{Kind: "interview", ID: "joint-pain"}
	bad := forms.FormText{FormRow: row, Body: strings.Replace(f.Body, `"type": "boolean"`, `"type": "riddle"`, 1), Prose: f.Prose}
	_, err = c.app.Forms.SaveForm(ctx, c.doctor(), bad, 2)
	require.Equal(t, act.Invalid, kind(t, err))
	require.ErrorContains(t, err, "line ")
	retold := forms.FormText{FormRow: row, Body: f.Body, Prose: strings.Replace(f.Prose, "{Patient} with [", "{Patient} suffers from [", 1)}
	_, err = c.app.Forms.SaveForm(ctx, c.doctor(), retold, 1)
	require.Equal(t, act.Conflict, kind(t, err), "made from a version that is no longer the newest")
	_, err = c.app.Forms.SaveForm(ctx, c.doctor(), retold, 2)
	require.NoError(t, err)
	v, err = c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Contains(t, reads(v), "A 58-year-old woman with big toe pain", "a note reads as in the version it was asked in")

	// The finding list may grow and be reworded, but lose nothing that notes use.
	s, err := c.app.Forms.ReadForm(ctx, c.doctor(), "systems", "systems", "clinic", 0)
	require.NoError(t, err)
	lost := forms.FormText{FormRow: s.FormRow, Body: strings.Replace(s.Body, "{id: rash, say: rash,", "{id: rashes, say: rash,", 1)}
	_, err = c.app.Forms.SaveForm(ctx, c.doctor(), lost, 1)
	require.ErrorContains(t, err, "rash is gone")
	p, err := c.app.Forms.TryForm(ctx, c.doctor(), retold)
	require.NoError(t, err)
	require.Empty(t, p.Fault)
	require.Contains(t, p.Says[len(p.Says)-1], "suffers from")
	mine := forms.FormText{FormRow: forms.FormRow{Kind: "snippets", ID: "mine", Owner: "me"},
		Body: "snippets:\n- {key: bphome, title: Mine, text: \"My words.\"}\n"}
	_, err = c.app.Forms.SaveForm(ctx, c.who[act.Nurse], mine, 0)
	require.NoError(t, err)
	tools, err := c.app.Forms.WritingTools(ctx, c.who[act.Nurse])
	require.NoError(t, err)
	require.Equal(t, "Mine", tools.Snippets[0].Title, "one's own comes before the clinic's of the same key")
	tools, err = c.app.Forms.WritingTools(ctx, c.doctor())
	require.NoError(t, err)
	require.NotEqual(t, "Mine", tools.Snippets[0].Title)
}

func TestBringForwardLosesNothingAndStopsTheSignature(t *testing.T) {
	c := open(t)
	old := c.earlier(30, "lungs: wheeze right", map[note.Part]string{note.Subjective: "Walks daily. Sleeps well.",
		note.Plan: "Colchicine 0.6 mg daily. Back in two weeks."})
	id := c.note()
	versions := map[string]int{}
	for _, p := range note.Always {
		versions[string(p)] = c.save(id, p, "My own "+string(p)+".", 0, "first"+string(p)).Version
	}
	require.NoError(t, c.app.Note.SetDiagnoses(ctx, c.doctor(), id, []string{"M10.071"}, 1))
	v, err := c.app.Note.SetFindings(ctx, c.doctor(), id, []note.Change{{Area: note.Examination, System: "lungs", Bring: true}})
	require.NoError(t, err)
	require.Contains(t, reads(v), "Lungs: Wheeze on the right.")
	_, err = c.app.Note.SetFindings(ctx, c.doctor(), id, []note.Change{{Area: note.Examination, System: "skin", Bring: true}})
	require.Equal(t, act.Missing, kind(t, err))
	f, err := c.app.Note.Forward(ctx, c.doctor(), id, old, note.Wanted{Part: note.Plan, Replace: true})
	require.NoError(t, err)
	require.Equal(t, []string{"My own plan."}, f.Difference.Remove)
	require.Len(t, f.Note.Conflicts, 1, "what was replaced is kept beside the note")
	require.Equal(t, "My own plan.", f.Note.Conflicts[0].Text)
	require.NoError(t, c.app.Note.SettleConflict(ctx, c.doctor(), id, f.Note.Conflicts[0].ID))
	versions["plan"] = 2
	twice, err := c.app.Note.Forward(ctx, c.doctor(), id, old, note.Wanted{Part: note.Plan, Replace: true})
	require.NoError(t, err)
	require.Equal(t, reads(*f.Note), reads(*twice.Note))
	versions["plan"] = c.version(id, note.Plan)
	_, err = c.app.Note.Forward(ctx, c.doctor(), id, old, note.Wanted{Part: note.Subjective})
	require.NoError(t, err)

	_, err = c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, 2, "")
	require.Equal(t, act.Invalid, kind(t, err), "carried text stops the signature")
	list, err := c.app.Note.ClosingList(ctx, c.doctor(), id)
	require.NoError(t, err)
	var refs, subjective []string
	for _, p := range list.Points {
		if p.Kind == "carried" && p.Stops {
			refs = append(refs, p.Ref)
		} else if p.Kind == "carried" {
			subjective = append(subjective, p.Ref)
		}
	}
	require.Len(t, refs, 3, "the wheeze and two sentences of the plan")
	_, err = c.app.Note.Looked(ctx, c.doctor(), id, refs, "keep", "")
	require.Equal(t, act.Invalid, kind(t, err), "one by one in objective, assessment and plan")
	_, err = c.app.Note.Looked(ctx, c.doctor(), id, subjective, "keep", "")
	require.NoError(t, err, "under subjective all at once")
	_, err = c.app.Note.Looked(ctx, c.doctor(), id, refs[:1], "keep", "")
	require.NoError(t, err)
	_, err = c.app.Note.Looked(ctx, c.doctor(), id, refs[1:2], "change", "Colchicine 0.6 mg twice daily.")
	require.NoError(t, err)
	_, err = c.app.Note.Looked(ctx, c.doctor(), id, refs[2:], "remove", "")
	require.NoError(t, err)
	_, err = c.app.Note.Looked(ctx, c.doctor(), id, refs[2:], "remove", "")
	require.Equal(t, act.Conflict, kind(t, err), "it is gone already")
	list, err = c.app.Note.ClosingList(ctx, c.doctor(), id)
	require.NoError(t, err)
	_, err = c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, 2, "not what was seen")
	require.Equal(t, act.Conflict, kind(t, err), "only the text the signer saw is signed")
	_, err = c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, 2, list.Seen)
	require.NoError(t, err)
	v, err = c.app.Note.Note(ctx, c.who[act.Nurse], id)
	require.NoError(t, err)
	carried := 0
	for _, b := range v.Blocks {
		for _, p := range b.Pieces {
			if p.Origin == note.Carried {
				carried++
				require.Equal(t, old, p.Source, "readers of the signed note see where it came from")
			}
		}
	}
	require.Equal(t, 3, carried, "two sentences and the wheeze; the changed one is the writer's own")
	require.Equal(t, "visit of 04 Apr 2026, folio 1", v.Sources[0].Words)
	paper, err := c.app.Paper.NotePDF(ctx, c.doctor(), id, "")
	require.NoError(t, err)
	alone, err := c.app.Paper.NotePDF(ctx, c.doctor(), id, "Objective")
	require.NoError(t, err)
	require.Contains(t, onPaper(t, paper), "Visit of 04 Apr 2026, folio 1: Lungs: Wheeze on the right.", "readers on paper see it too")
	require.NotContains(t, onPaper(t, alone), "folio 1: Lungs")
	_, err = c.app.Note.SetFindings(ctx, c.doctor(), id, nil)
	require.Equal(t, act.Conflict, kind(t, err), "a signed note takes no finding")
	require.Empty(t, c.verify())
	for _, statement := range []string{"UPDATE note_finding SET state = 'absent'", "DELETE FROM note_carried",
		"INSERT INTO note_carried SELECT 'x', note_id, 'plan', 1, 'x', 'y', 'typed', '', '', 'kept', 1, '', '' FROM note_carried"} {
		_, err := past(c, c.dir).Exec(statement)
		require.ErrorContains(t, err, "the note is signed", statement)
	}
}

func (c *clinic) version(id string, part note.Part) int {
	c.Helper()
	return c.count("SELECT version FROM note_part WHERE note_id = ? AND part = ?", id, part)
}

func TestLinesFromBesideComeWithTheirSource(t *testing.T) {
	c := open(t)
	c.earlier(30, "lungs, wheeze right, crackles bases, \"softer than before\"", map[note.Part]string{note.Subjective: "Walks daily.",
		note.Plan: "Rest."})
	_, err := c.app.Intake.AddEntry(ctx, c.doctor(), visitID, intake.NewEntry{List: "surgical", Title: "Gallbladder removed", Since: "2008"})
	require.NoError(t, err)
	id := c.note()
	o := c.order("K")
	c.step()
	c.receive(oru("B1", o.Placer+"-1", "F", "4.1"), "AA")
	beside, err := c.app.Note.Beside(ctx, c.doctor(), id, "", "", "")
	require.NoError(t, err)
	groups := beside.Groups
	var ids []string
	for _, g := range groups {
		for _, l := range g.Lines {
			if strings.HasPrefix(l.Text, "Potassium 4.1 mmol/L") || strings.HasPrefix(l.Text, "Surgical history: Gallbladder removed.") ||
				l.Text == "Rest." || l.Text == "Wheeze on the right." || l.Text == "Softer than before." {
				ids = append(ids, l.ID)
			}
		}
	}
	require.Len(t, ids, 5)
	for range 2 { // twice is once
		_, err = c.app.Note.Bring(ctx, c.doctor(), id, ids)
		require.NoError(t, err)
	}
	v, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Len(t, v.Brought, 3)
	require.Equal(t, "result of 04 May 2026", v.Brought[1].Source)
	require.Contains(t, reads(v), "Lungs: Wheeze on the right. Softer than before.", "one finding and the free words, not the whole system")
	_, err = c.app.Note.Bring(ctx, c.doctor(), id, []string{"result|none|1|0"})
	require.Equal(t, act.Conflict, kind(t, err))
}

func TestRetractionKeepsTheOriginalAndPointsToTheRightChart(t *testing.T) {
	c := open(t)
	id := c.earlier(3, "lungs", map[note.Part]string{note.Subjective: "Of somebody else.", note.Plan: "Rest."})
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		p, err := q.PatientByID(patientID)
		p.ID, p.Record = "p2", "SK-2"
		if err != nil {
			return err
		}
		return q.AddPatient(p)
	}))
	require.Equal(t, act.Invalid, kind(t, c.app.Note.Retract(ctx, c.doctor(), id, secret, " ", "")))
	require.Equal(t, act.Invalid, kind(t, c.app.Note.Retract(ctx, c.doctor(), id, secret, "Twin", patientID)))
	require.Equal(t, act.Missing, kind(t, c.app.Note.Retract(ctx, c.doctor(), id, secret, "Twin", "nobody")))
	require.Equal(t, act.Conflict, kind(t, c.app.Note.Retract(ctx, c.doctor(), c.note(), secret, "Twin", "")), "a draft is not retracted")
	for range 2 {
		require.NoError(t, c.app.Note.Retract(ctx, c.doctor(), id, secret, "Written for the twin.", "p2"))
	}
	require.Equal(t, 1, c.count("SELECT count(*) FROM ledger_entry WHERE kind = 'retraction'"), "twice is once")
	v, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "SK-2", v.Retracted.Record)
	require.Equal(t, "Of somebody else.", v.Sealed.Sections[0].Text, "the sealed original stays")
	require.Empty(t, c.verify())
	today := c.note()
	_, err = c.app.Note.SetFindings(ctx, c.doctor(), today, []note.Change{{Area: note.Examination, System: "lungs", Bring: true}})
	require.Equal(t, act.Missing, kind(t, err), "nothing is carried from a retracted note")
	c.raw("DROP TRIGGER note_retracted_once", "UPDATE note SET retracted = 0 WHERE id = '"+id+"'")
	require.Contains(t, c.verify(), "retracts a note that is not marked so")
}

func TestOneSectionIsFiledAndFaxedOnce(t *testing.T) {
	c := open(t)
	var mu sync.Mutex
	answer, got := http.StatusServiceUnavailable, map[string]int{}
	fax := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		got[r.URL.Path]++
		w.WriteHeader(answer)
		_, _ = w.Write([]byte("no such number"))
	}))
	defer fax.Close()
	c.app.Elsewhere.Fax = fax.URL
	id := c.note()
	_, err := c.app.Paper.FileSection(ctx, c.doctor(), id, "Plan", false, "", "")
	require.Equal(t, act.Missing, kind(t, err), "a part left blank is no document")
	id = c.earlier(3, "lungs", map[note.Part]string{note.Subjective: "Well.", note.Plan: "Rest and ice."})
	_, err = c.app.Paper.FileSection(ctx, c.doctor(), id, "Assessment", false, "", "")
	require.Equal(t, act.Missing, kind(t, err))
	d, err := c.app.Paper.FileSection(ctx, c.doctor(), id, "Plan", false, "", "")
	require.NoError(t, err)
	body, err := c.app.Paper.Document(ctx, c.who[act.Nurse], d.ID)
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(string(body), "%PDF-"))
	require.Equal(t, act.Invalid, kind(t, c.app.Paper.SendFax(ctx, c.doctor(), d.ID, "call me")))
	require.NoError(t, c.app.Paper.SendFax(ctx, c.doctor(), d.ID, "555-0190"))
	send := func() string {
		c.Helper()
		c.now = c.now.Add(2 * time.Minute)
		require.NoError(c, c.app.Outbox.Step(ctx))
		var state string
		require.NoError(c, past(c, c.dir).QueryRow("SELECT state FROM fax").Scan(&state))
		return state
	}
	require.Equal(t, "waiting", send(), "the line is out of order")
	require.Equal(t, "waiting", send())
	mu.Lock()
	answer = http.StatusAccepted
	mu.Unlock()
	require.Equal(t, "sent", send())
	require.Equal(t, "sent", send())
	require.Len(t, got, 1, "under one identifier, however often it was tried")
	for _, n := range got {
		require.Equal(t, 3, n, "and not again once it was taken")
	}
	mu.Lock()
	answer = http.StatusNotFound
	mu.Unlock()
	require.NoError(t, c.app.Paper.SendFax(ctx, c.doctor(), d.ID, "555-0000"))
	c.now = c.now.Add(2 * time.Minute)
	require.NoError(t, c.app.Outbox.Step(ctx))
	require.Equal(t, 1, c.count("SELECT count(*) FROM fax WHERE state = 'refused' AND last_error = 'no such number'"))
}

func TestADraftIsLeftForAColleague(t *testing.T) {
	c := open(t)
	id := c.note()
	_, err := c.app.Note.LeaveNote(ctx, c.doctor(), id, c.who[act.Assistant].ID, "")
	require.Equal(t, act.Invalid, kind(t, err), "only somebody who may sign it")
	for _, other := range []string{act.Nurse, "second"} { // nobody hands on what another answers for
		_, err = c.app.Note.LeaveNote(ctx, c.who[other], id, c.doctor().ID, "Not mine.")
		require.Equal(t, act.Forbidden, kind(t, err), other)
		_, err = c.app.Note.LeaveNote(ctx, c.who[other], id, "", "")
		require.Equal(t, act.Forbidden, kind(t, err), other)
	}
	v, err := c.app.Note.LeaveNote(ctx, c.doctor(), id, c.who["second"].ID, "The plan is missing.")
	require.NoError(t, err)
	require.Equal(t, "A second", v.LeftFor)
	require.Empty(t, c.desk().Notes)
	d := c.deskOf(c.who["second"])
	require.Len(t, d.Notes, 1)
	c.now = c.now.AddDate(0, 0, 8)
	waiting, err := c.app.Desk.Unsigned(ctx, c.who["second"])
	require.NoError(t, err)
	require.Len(t, waiting, 1)
	require.GreaterOrEqual(t, waiting[0].Days, desk.LongWait)
	waiting, err = c.app.Desk.Unsigned(ctx, c.doctor())
	require.NoError(t, err)
	require.Empty(t, waiting)
}

// TestADraftTakenOverSaysWhoBeganIt: only a physician takes over, says why, and what is signed then names who
// began it; one that came back to who began it says nothing.
func TestADraftTakenOverSaysWhoBeganIt(t *testing.T) {
	c := open(t)
	id, versions, list := c.written()
	second := c.who["second"]
	_, err := c.app.Note.LeaveNote(ctx, second, id, second.ID, " ")
	require.Equal(t, act.Invalid, kind(t, err), "without a reason nothing is taken over")
	_, err = c.app.Note.LeaveNote(ctx, c.who[act.Nurse], id, c.who[act.Nurse].ID, "She is ill.")
	require.Equal(t, act.Invalid, kind(t, err), "by whoever may sign it")
	_, err = c.app.Note.LeaveNote(ctx, second, id, second.ID, "She is ill today.")
	require.NoError(t, err)
	require.Len(t, c.deskOf(second).Notes, 1)
	_, err = c.app.Note.SignNote(ctx, second, id, secret, versions, list, "")
	require.NoError(t, err)
	v, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, c.doctor().Name, v.Sealed.Began)
	require.Equal(t, second.Name, v.Sealed.SignedBy)
	require.Empty(t, c.verify())

	c = open(t)
	id, versions, list = c.written()
	_, err = c.app.Note.LeaveNote(ctx, second, id, second.ID, "By mistake.")
	require.NoError(t, err)
	_, err = c.app.Note.LeaveNote(ctx, second, id, c.doctor().ID, "Back to you.")
	require.NoError(t, err)
	_, err = c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, list, "")
	require.NoError(t, err)
	v, err = c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Empty(t, v.Sealed.Began)
}

func TestDrawings(t *testing.T) {
	c := open(t)
	id := c.note()
	strokes := `[{"color":"red","points":[[200,120,0.2],[210,130,0.9]]}]`
	v, err := c.app.Note.SaveDrawing(ctx, c.doctor(), id, notes.DrawingView{ID: "d1", Outline: "front", Caption: "Pain", Strokes: strokes})
	require.NoError(t, err)
	require.Contains(t, v.Drawings[0].SVG, `stroke-width="3.7"`, "1 + 3 · 0.9: the pressure is kept")
	_, err = c.app.Note.SaveDrawing(ctx, c.doctor(), id, notes.DrawingView{ID: "d1", Outline: "front", Strokes: strokes, Version: 7})
	require.Equal(t, act.Conflict, kind(t, err))
	for _, bad := range []string{`[{"color":"red\"/><script>","points":[]}]`, `[{"color":"red","points":[[1e9,0,0]]}]`, `{`,
		`[{"color":"red","points":[["x"]]}]`} {
		_, err = c.app.Note.SaveDrawing(ctx, c.doctor(), id, notes.DrawingView{ID: "d2", Strokes: bad})
		require.Equal(t, act.Invalid, kind(t, err), bad)
	}
	_, err = c.app.Note.SaveDrawing(ctx, c.doctor(), id, notes.DrawingView{ID: "d2", Outline: "whale", Strokes: strokes})
	require.Equal(t, act.Invalid, kind(t, err))
	_, err = c.app.Note.SaveDrawing(ctx, c.doctor(), id, notes.DrawingView{ID: "d2", Strokes: strings.Repeat(" ", 700_000)})
	require.Equal(t, act.TooLarge, kind(t, err))
	for _, p := range note.Always {
		c.save(id, p, "Text.", 0, "t"+string(p))
	}
	require.NoError(t, c.app.Note.SetDiagnoses(ctx, c.doctor(), id, []string{"M10.071"}, 1))
	_, err = c.app.Note.SignNote(ctx, c.doctor(), id, secret, map[string]int{"subjective": 1, "objective": 1, "assessment": 1,
		"plan": 1}, 2, "")
	require.NoError(t, err)
	raw, err := c.app.Paper.NotePDF(ctx, c.doctor(), id, "")
	require.NoError(t, err)
	without, err := c.app.Paper.NotePDF(ctx, c.doctor(), id, "Plan")
	require.NoError(t, err)
	require.Greater(t, len(raw), len(without))
	v, err = c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "Pain", v.Sealed.Drawings[0].Caption)
}

// onPaper returns the words of a PDF, which stand in it as compressed UTF-16.
func onPaper(t testing.TB, raw []byte) string {
	t.Helper()
	var out strings.Builder
	for _, m := range regexp.MustCompile(`(?s)stream\n(.*?)\nendstream`).FindAllSubmatch(raw, -1) {
		z, err := zlib.NewReader(bytes.NewReader(m[1]))
		if err != nil {
			continue
		}
		page, _ := io.ReadAll(z)
		for _, w := range regexp.MustCompile(`(?s)Td \((.*?)\)Tj`).FindAllSubmatch(page, -1) {
			out.WriteString(strings.ReplaceAll(string(w[1]), "\x00", ""))
			out.WriteByte(' ')
		}
	}
	return out.String()
}
