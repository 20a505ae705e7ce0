package store

import (
	"context"
	"database/sql"
	"io/fs"
	"path/filepath"
	"testing"
	"time"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/note"
)

// written opens data that a former version of the application wrote, by statements.
func written(t *testing.T, version int64, statements ...string) *Store {
	t.Helper()
	dir := t.TempDir()
	ctx := context.Background()
	db, err := sql.Open("sqlite", dsn(filepath.Join(dir, File), true))
	require.NoError(t, err)
	sub, err := fs.Sub(migrations, "migrations")
	require.NoError(t, err)
	p, err := goose.NewProvider(goose.DialectSQLite3, db, sub)
	require.NoError(t, err)
	_, err = p.UpTo(ctx, version)
	require.NoError(t, err)
	for _, s := range statements {
		_, err := db.Exec(s)
		require.NoError(t, err, s)
	}
	require.NoError(t, db.Close())
	s, err := Open(ctx, dir)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s
}

// Data written before findings were kept are brought up to date and lose nothing.
func TestDataOfTheFirstVersionAreBroughtUpToDate(t *testing.T) {
	ctx := context.Background()
	s := written(t, 1,
		"INSERT INTO staff VALUES ('s','maren','Maren','Oduya','physician','','',x'00',1,1)",
		"INSERT INTO patient(id, record, family, given, birth_date, sex) VALUES ('p','SK-1','Strand','Yusuf','1974-01-30','M')",
		"INSERT INTO allergy VALUES ('a','p','Penicillin','rash','mild','2026-01-01T00:00:00.000Z','J. Whitlock')",
		"INSERT INTO medicine VALUES ('m','p','Lisinopril','10 mg daily','','')",
		"INSERT INTO vital VALUES ('v1','p','29463-7','Weight','92.0','kg','2026-01-01T08:00:00.000Z')",
		"INSERT INTO vital VALUES ('v2','p','29463-7','Weight','91.0','kg','2025-01-01T08:00:00.000Z')",
		"INSERT INTO visit(id, patient_id, clinician_id, day, starts_at, kind, reason, stage, stage_at) VALUES ('v','p','s','2026-01-01','2026-01-01T08:00:00.000Z','Acute visit','Cough','done','2026-01-01T09:00:00.000Z')",
		"INSERT INTO note(id, visit_id, patient_id, author_id, created_at, folio) VALUES ('n','v','p','s','2026-01-01T08:00:00.000Z',0)",
		"INSERT INTO note_part VALUES ('n','plan','Rest.',1,'x','2026-01-01T08:00:00.000Z','s')",
		"UPDATE note SET folio = 3",
	)
	require.NoError(t, s.Read(ctx, func(q *Q) error {
		n, err := q.NoteByID("n")
		require.NoError(t, err)
		require.Equal(t, 3, n.Folio)
		require.Zero(t, n.Retracted)
		parts, err := q.NoteParts("n")
		require.NoError(t, err)
		require.Equal(t, "Rest.", parts[0].Text)
		allergies, err := q.Allergies("p")
		require.NoError(t, err)
		require.Len(t, allergies, 1)
		medicines, err := q.Medicines("p")
		require.NoError(t, err)
		require.Equal(t, "10 mg daily", medicines[0].Dose)
		vitals, err := q.LastVitals("p")
		require.NoError(t, err)
		require.Len(t, vitals, 1)
		require.Equal(t, "92.0", vitals[0].Value, "the newest of each kind")
		v, err := q.VisitByID("v")
		require.Equal(t, "", v.With)
		return err
	}))
	// What was signed before stays closed to what is new.
	err := s.Write(ctx, func(q *Q) error {
		return q.PutFindings("n", []note.Finding{{Area: note.Review, System: "skin", Finding: "rash", State: note.Present, Origin: note.Chosen,
			Looked: true}}, "s", time.Now())
	})
	require.ErrorContains(t, err, "the note is signed")
}

func TestFindingsAnswersAndSentencesRoundTrip(t *testing.T) {
	s, err := Open(context.Background(), t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	ctx := context.Background()
	at := time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC)
	yes := true
	require.NoError(t, s.Write(ctx, func(q *Q) error {
		for _, x := range []string{
			"INSERT INTO staff VALUES ('s','maren','Maren','Oduya','physician','','',x'00',1,1)",
			"INSERT INTO patient(id, record, family, given, birth_date, sex) VALUES ('p','SK-1','Strand','Yusuf','1974-01-30','M')",
			"INSERT INTO visit(id, patient_id, clinician_id, day, starts_at, kind, reason, stage, stage_at) VALUES ('v','p','s','2026-01-01','2026-01-01T08:00:00.000Z','Acute visit','Cough','done','2026-01-01T09:00:00.000Z')",
			"INSERT INTO note(id, visit_id, patient_id, author_id, created_at) VALUES ('n','v','p','s','2026-01-01T08:00:00.000Z')",
		} {
			require.NoError(t, q.do(x))
		}
		f := note.Finding{Area: note.Examination, System: "lungs", Finding: "wheeze", State: note.Present, Side: "right", Severity: "mild",
			Duration: "2 d", Words: []string{"expiratory"}, Remark: "r", Origin: note.Carried, SourceNote: "n0", Looked: false}
		require.NoError(t, q.PutFindings("n", []note.Finding{f}, "s", at))
		f.Version = 1
		got, err := q.Findings("n")
		require.NoError(t, err)
		require.Equal(t, []note.Finding{f}, got)
		require.NoError(t, q.PutFindings("n", []note.Finding{f}, "s", at))
		got, err = q.Findings("n")
		require.NoError(t, err)
		require.Equal(t, 2, got[0].Version)
		require.NoError(t, q.LookedAtFinding("n", "examination", "lungs", "wheeze", "s", at))
		require.ErrorIs(t, q.LookedAtFinding("n", "examination", "lungs", "stridor", "s", at), ErrNotFound)
		require.NoError(t, q.DropFinding("n", f))

		a := NoteAnswer{Form: "cough", Answered: note.Answered{Link: "night", Values: []note.Answer{{Yes: &yes}}, Origin: note.ByPatient}}
		require.NoError(t, q.PutAnswer("n", a, 0, "s", at))
		require.ErrorIs(t, q.PutAnswer("n", a, 0, "s", at), ErrStale)
		require.NoError(t, q.PutAnswer("n", a, 1, "s", at))
		a.Version = 2
		as, err := q.NoteAnswers("n")
		require.NoError(t, err)
		require.Equal(t, []NoteAnswer{a}, as)
		a.Values = nil
		require.ErrorIs(t, q.PutAnswer("n", a, 1, "s", at), ErrStale)
		require.NoError(t, q.PutAnswer("n", a, 2, "s", at))

		c := CarriedSentence{Brought: note.Brought{ID: "c", Part: note.Plan, Text: "Rest.", Origin: note.Carried, Source: "visit"},
			SourceNote: "n0"}
		added, err := q.AddCarried("n", c, "s", at)
		require.NoError(t, err)
		require.True(t, added)
		c.ID = "again"
		added, err = q.AddCarried("n", c, "s", at)
		require.NoError(t, err)
		require.False(t, added, "the same sentence once")
		require.NoError(t, q.SettleCarried("n", "c", "changed", "Rest and ice.", 1, "s", at))
		require.ErrorIs(t, q.SettleCarried("n", "c", "removed", "", 1, "s", at), ErrStale)
		cs, err := q.CarriedOf("n")
		require.NoError(t, err)
		require.True(t, cs[0].Looked && cs[0].Changed)
		require.Equal(t, "Rest and ice.", cs[0].Text)
		return nil
	}))
}

// Data of the second version (before the house, merging and charges) are brought up to
// date: every record is about itself, and what stood open stands open.
func TestDataOfTheSecondVersionAreBroughtUpToDate(t *testing.T) {
	ctx := context.Background()
	s := written(t, 2,
		"INSERT INTO staff VALUES ('s','maren','Maren','Oduya','physician','','',x'00',1,1)",
		"INSERT INTO patient(id, record, family, given, birth_date, sex) VALUES ('p','SK-1','Strand','Yusuf','1974-01-30','M'), ('q','SK-2','Roe','Caspian','1997-02-18','M')",
		"INSERT INTO allergy(id, patient_id, substance, stated_at, stated_by) VALUES ('a','p','','2026-01-01T00:00:00.000Z','J. Whitlock')",
		"INSERT INTO problem VALUES ('x','p','I10','Essential (primary) hypertension','2020-01-01',''), ('y','q','J45.40','Asthma','2019-01-01','')",
		"INSERT INTO inbox(id, received_at, peer, sha256, raw, state) VALUES (1,'2026-01-01T00:00:00.000Z','x',x'00',x'00','filed')",
		"INSERT INTO report(id, patient_id, filler, code, title, owner_id, status, issue) VALUES ('r','p','F1','K','Potassium','s','F',1)",
		"INSERT INTO report_issue VALUES ('r',1,1,'F','2026-01-01','2026-01-01','2026-01-01T00:00:00.000Z','B','')",
		"INSERT INTO report_value VALUES ('r',1,0,'K','Potassium','2823-3','6.4','mmol/L','3.5-5.1','HH','F','')",
		"INSERT INTO report(id, patient_id, filler, code, title, owner_id, status, issue) VALUES ('r2','q','F2','K','Potassium','s','P',1)",
		"INSERT INTO report_issue VALUES ('r2',1,1,'P','2026-01-01','2026-01-01','2026-01-01T00:00:00.000Z','B','')",
		"INSERT INTO line VALUES ('l','report','r','p','s','open','2026-01-01T00:00:00.000Z','','',''), ('l2','report','r2','q','s','in hand','2026-01-01T00:00:00.000Z','','',''), ('l3','note','n','q','s','in hand','2026-01-01T00:00:00.000Z','','','')",
	)
	require.NoError(t, s.Read(ctx, func(q *Q) error {
		for _, id := range []string{"p", "q"} {
			person, err := q.Person(id)
			require.NoError(t, err)
			require.Equal(t, id, person.ID)
			require.Equal(t, id, person.PersonID)
		}
		allergies, err := q.Allergies("p")
		require.NoError(t, err)
		require.Len(t, allergies, 1, "the statement that none is known stands")
		problems, err := q.Problems("p")
		require.NoError(t, err)
		require.Len(t, problems, 1, "and nobody else's")
		reports, err := q.ReportsOf("p")
		require.NoError(t, err)
		require.Equal(t, "", reports[0].VisitID)
		lines, err := q.OpenLinesOf([]string{"s"}, line.Kinds, Unowned{Kinds: line.Kinds}, "", 100)
		require.NoError(t, err)
		require.Len(t, lines, 3)
		ranks := map[string]int{}
		for _, l := range lines {
			ranks[l.Subject] = l.Rank
		}
		require.Equal(t, map[string]int{"r": line.Critical, "r2": line.Preliminary, "n": line.Noteworthy}, ranks,
			"the desk ranks what was open before")
		require.Equal(t, "r", lines[0].Subject)
		return nil
	}))
}

// Data of the fifth version (before letters, onset and bullets) are brought up to date: a
// problem keeps its day and says nothing of an onset, a fax that waits goes on waiting, a
// document was written from no form, and no diagnosis is joined.
func TestDataOfTheFifthVersionAreBroughtUpToDate(t *testing.T) {
	s := written(t, 5,
		"INSERT INTO staff VALUES ('s','maren','Maren','Oduya','physician','','',x'00',1,1)",
		"INSERT INTO patient(id, record, family, given, birth_date, sex, person_id) VALUES ('p','SK-1','Strand','Yusuf','1974-01-30','M','p')",
		"INSERT INTO problem VALUES ('x','p','I10','Essential (primary) hypertension','2020-01-01','')",
		"INSERT INTO visit(id, patient_id, clinician_id, day, starts_at, kind, reason, stage, stage_at) VALUES ('v','p','s','2026-01-01','2026-01-01T08:00:00.000Z','Acute visit','Cough','done','2026-01-01T09:00:00.000Z')",
		"INSERT INTO note(id, visit_id, patient_id, author_id, created_at, folio) VALUES ('n','v','p','s','2026-01-01T08:00:00.000Z',0)",
		"INSERT INTO note_diagnosis VALUES ('n','I10','Hypertension','April 2026',0), ('n','J20.9','Bronchitis','April 2026',1)",
		"INSERT INTO document VALUES ('d','p','n','Plan',x'255044462d',0,'s','2026-01-01T08:00:00.000Z')",
		"INSERT INTO fax(id, document_id, number, state, next_at, by_id, at) VALUES ('f','d','555-0190','waiting','2026-01-01T08:00:00.000Z','s','2026-01-01T08:00:00.000Z')",
	)
	require.NoError(t, s.Write(context.Background(), func(q *Q) error {
		problems, err := q.Problems("p")
		require.NoError(t, err)
		require.Equal(t, []chart.Problem{{ID: "x", PatientID: "p", Code: "I10", Title: "Essential (primary) hypertension",
			Since: "2020-01-01"}}, problems)
		ds, err := q.Diagnoses("n")
		require.NoError(t, err)
		require.False(t, ds[0].Joined || ds[1].Joined)
		d, err := q.DocumentByID("d")
		require.NoError(t, err)
		require.Equal(t, "", d.Form)
		due, err := q.DueOutgoing("fax", time.Now(), 10)
		require.NoError(t, err)
		require.Equal(t, []Outgoing{{Control: "f", Destination: "fax", Kind: "fax", Subject: "f", Address: "555-0190", Body: []byte("%PDF-"),
			ByID: "s"}}, due, "it goes on waiting")
		// The list of diagnoses is changed as before, and bullets are kept by code.
		joined, err := q.JoinDiagnosis("n", "J20.9", true)
		require.NoError(t, err)
		require.True(t, joined)
		joined, err = q.JoinDiagnosis("n", "I10", true)
		require.NoError(t, err)
		require.False(t, joined, "the first begins the first bullet")
		n, err := q.NoteByID("n")
		require.NoError(t, err)
		require.NoError(t, q.SetDiagnoses("n", []note.Diagnosis{ds[1], ds[0]}, n.ListVersion))
		ds, err = q.Diagnoses("n")
		require.NoError(t, err)
		require.False(t, ds[0].Joined || ds[1].Joined, "made first, it begins a bullet")
		return nil
	}))
}

// A message goes one way: waiting, delivered or refused, and only a refused one is
// settled; its words are never changed.
func TestTheStatesOfAMessage(t *testing.T) {
	s := written(t, 6,
		"INSERT INTO patient(id, record, family, given, birth_date, sex, person_id) VALUES ('p','SK-1','Strand','Yusuf','1974-01-30','M','p')",
	)
	at := time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC)
	require.NoError(t, s.Write(context.Background(), func(q *Q) error {
		m := Message{ID: "m1", PatientID: "p", NoteID: "n", Text: "Hello.", Folio: 3, ByID: "s", At: at}
		require.NoError(t, q.AddMessage(m))
		require.Error(t, q.AddMessage(m), "one identifier is one message")
		require.ErrorIs(t, q.SettleMessage("m1", "by telephone", at), ErrStale)
		require.NoError(t, q.SetMessage("m1", "waiting", "no answer", time.Time{}))
		require.NoError(t, q.SetMessage("m1", "refused", "no account", at))
		require.NoError(t, q.SettleMessage("m1", "by telephone", at))
		require.ErrorIs(t, q.SettleMessage("m1", "again", at), ErrStale)
		got, err := q.MessagesOf("p")
		require.NoError(t, err)
		m.State, m.LastError, m.DoneAt, m.Settled = "settled", "no account", at, "by telephone"
		require.Equal(t, []Message{m}, got)
		require.ErrorContains(t, q.do("UPDATE message SET text = 'x' WHERE id = 'm1'"), "sealed")
		return nil
	}))
}

// Data of the tenth version are brought up to date: what was held or waited beside a chart
// is an open line, what was open or closed stays as it was, and what is decided opens none.
func TestDataOfTheTenthVersionAreBroughtUpToDate(t *testing.T) {
	s := written(t, 10,
		"INSERT INTO staff VALUES ('s','maren','Maren','Oduya','physician','','',x'00',1,1)",
		"INSERT INTO patient(id, record, family, given, birth_date, sex, person_id) VALUES ('p','SK-1','Strand','Yusuf','1974-01-30','M','p'), ('q','SK-2','Roe','Caspian','1997-02-18','M','q')",
		"INSERT INTO visit(id, patient_id, clinician_id, day, starts_at, kind, reason, stage, stage_at) VALUES ('v','p','s','2026-01-01','2026-01-01T08:00:00.000Z','Acute visit','Cough','done','2026-01-01T09:00:00.000Z')",
		"INSERT INTO line(id, kind, subject, patient_id, owner_id, state, rank, opened_at) VALUES ('l','note','n','p','s','in hand',2,'2026-01-01T00:00:00.000Z')",
		"INSERT INTO line(id, kind, subject, patient_id, owner_id, state, rank, opened_at, closed_at, closed_by, closed_with) VALUES ('c','order','o','p','s','closed',3,'2026-01-01T00:00:00.000Z','2026-01-02T00:00:00.000Z','s','signed')",
		"INSERT INTO inbox(id, received_at, peer, sha256, raw, state) VALUES (1,'2026-01-01T00:00:00.000Z','x',x'01',x'00','filed'), (2,'2026-01-03T00:00:00.000Z','x',x'02',x'00','quarantined'), (3,'2026-01-04T00:00:00.000Z','x',x'03',x'00','settled'), (4,'2026-01-07T00:00:00.000Z','x',x'04',x'00','refused')",
		`INSERT INTO incoming_entry(id, patient_id, visit_id, source, reference, list, title, received_at, decision) VALUES
			('1','p','v','pharmacy network','a','medicines','Losartan','2026-01-05T00:00:00.000Z',''), ('2','p','v','patient','b','allergies','Latex','2026-01-04T00:00:00.000Z',''),
			('3','q','','patient','c','allergies','Latex','2026-01-06T00:00:00.000Z','take in'), ('4','q','gone','patient','d','allergies','Wool','2026-01-06T00:00:00.000Z','')`,
	)
	require.NoError(t, s.Read(context.Background(), func(q *Q) error {
		all, err := q.OpenLinesOf([]string{"s"}, line.Kinds, Unowned{Kinds: line.Kinds}, "", 100)
		require.NoError(t, err)
		says := map[string]string{}
		for _, l := range all {
			says[string(l.Kind)+" "+l.Subject] = l.Patient.Name.Family + "/" + l.OwnerID + "/" + Stamp(l.OpenedAt)[:10]
		}
		require.Equal(t, map[string]string{"note n": "Strand/s/2026-01-01", "held 2": "//2026-01-03", "held 4": "//2026-01-07", "from outside p": "Strand/s/2026-01-04",
			"from outside q": "Roe//2026-01-06"}, says)
		closed, err := one(q, scalar[string], "SELECT closed_by || closed_with FROM line WHERE id = 'c'")
		require.NoError(t, err)
		require.Equal(t, "ssigned", closed)
		counts, err := q.CountLines([]string{"s"}, Unowned{Kinds: []line.Kind{line.Held}})
		require.NoError(t, err)
		require.Equal(t, map[line.Kind]int{line.Note: 1, line.Held: 2, line.FromOutside: 1}, counts,
			"of lines nobody owns only those of the team")
		waiting, err := q.IncomingWaiting([]string{"p", "q", "nobody"})
		require.NoError(t, err)
		require.ElementsMatch(t, []Waiting{{"p", 2, []string{"patient", "pharmacy network"}, "v"},
			{"q", 1, []string{"patient"}, "gone"}}, waiting)
		return nil
	}))
}
