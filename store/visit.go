package store

import (
	"encoding/json"
	"errors"
	"strings"
	"time"

	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/core/visit"
)

// ErrStale is returned when a change names a version that is no longer the present one.
var ErrStale = errors.New("somebody else changed this meanwhile")

// fresh runs a change that holds on the version it names; ErrStale where that is gone.
func (q *Q) fresh(query string, args ...any) error { return moved(q.exec(query, args...)) }

// moved is ErrStale for a change that hit no row.
func moved(rows int64, err error) error {
	if err == nil && rows == 0 {
		return ErrStale
	}
	return err
}

// Visit is a visit as it is read: with its patient, its clinician and the head of its note.
type Visit struct {
	visit.Visit
	Patient       chart.Patient
	Clinician     string
	NoteID        string
	NoteFolio     int
	NoteRetracted bool
	With          string // who is with the patient
}

const visitQuery = `SELECT v.id, v.patient_id, v.clinician_id, v.day, v.starts_at, v.kind, v.reason, v.room, v.stage, v.stage_at, v.version,
	s.given || ' ' || s.family, coalesce(n.id, ''), coalesce(n.folio, 0), coalesce(n.retracted, 0) > 0, coalesce((SELECT w.given || ' ' || w.family FROM staff w WHERE w.id = v.with_id), ''), ` + patientCols + `
	FROM visit v JOIN patient own ON own.id = v.patient_id JOIN patient p ON p.id = own.person_id JOIN staff s ON s.id = v.clinician_id LEFT JOIN note n ON n.visit_id = v.id `

func scanVisit(s scanner, v *Visit) error {
	var starts, stage string
	err := s.Scan(append([]any{&v.ID, &v.PatientID, &v.ClinicianID, &v.Day, &starts, &v.Kind, &v.Reason, &v.Room, &v.Stage, &stage, &v.Version,
		&v.Clinician, &v.NoteID, &v.NoteFolio, &v.NoteRetracted, &v.With}, patientFields(&v.Patient)...)...)
	v.StartsAt, v.StageAt = Moment(starts), Moment(stage)
	return err
}

// AddVisit stores a visit.
func (q *Q) AddVisit(v visit.Visit) error {
	return q.do("INSERT INTO visit(id, patient_id, clinician_id, day, starts_at, kind, reason, room, stage, stage_at) VALUES "+
		"(?,?,?,?,?,?,?,?,?,?)",
		v.ID, v.PatientID, v.ClinicianID, v.Day, Stamp(v.StartsAt), v.Kind, v.Reason, v.Room, v.Stage, Stamp(v.StageAt))
}

// VisitsOn lists the visits of a day (YYYY-MM-DD, practice time).
func (q *Q) VisitsOn(day string) ([]Visit, error) {
	return list(q, scanVisit, visitQuery+"WHERE v.day = ? ORDER BY v.starts_at, v.id", day)
}

// VisitsOf lists a patient's visits, newest first.
func (q *Q) VisitsOf(patient string) ([]Visit, error) {
	return list(q, scanVisit, visitQuery+"WHERE v.patient_id "+samePerson+" ORDER BY v.starts_at DESC", patient)
}

// VisitByID finds a visit.
func (q *Q) VisitByID(id string) (Visit, error) {
	return about(q, func(v Visit) string { return v.PatientID })(one(q, scanVisit, visitQuery+"WHERE v.id = ?", id))
}

// VisitsWithNotes lists the visits of some notes, by start.
func (q *Q) VisitsWithNotes(notes []string) ([]Visit, error) {
	all, _ := json.Marshal(notes)
	return list(q, scanVisit, strings.TrimSuffix(visitQuery, "LEFT JOIN note n ON n.visit_id = v.id ")+`JOIN note n ON n.visit_id = v.id
		WHERE n.id IN (SELECT value FROM json_each(?)) ORDER BY v.starts_at`, string(all))
}

// SetStage moves a visit from the version it was seen in; with is who is with the patient then.
func (q *Q) SetStage(id string, stage visit.Stage, with string, at time.Time, version int) error {
	return q.fresh("UPDATE visit SET stage = ?, with_id = ?, stage_at = ?, version = version + 1 WHERE id = ? AND version = ?", stage, with,
		Stamp(at), id, version)
}

// Note is a note's head; its parts and diagnoses are read beside it.
type Note struct {
	ID, VisitID, PatientID, AuthorID string
	CreatedAt                        time.Time
	ListVersion                      int
	Folio                            int    // 0 while a draft
	LeftFor, LeftWords               string // whom the draft was left for
	Retracted                        int    // folio of the retraction
	Belongs                          string // the chart it should have stood in
	BeganID                          string // who began a draft that the author took over; else ""
}

func scanNote(s scanner, n *Note) error {
	var at string
	err := s.Scan(&n.ID, &n.VisitID, &n.PatientID, &n.AuthorID, &at, &n.ListVersion, &n.Folio, &n.LeftFor, &n.LeftWords, &n.Retracted,
		&n.Belongs, &n.BeganID)
	n.CreatedAt = Moment(at)
	return err
}

const noteCols = "id, visit_id, patient_id, author_id, created_at, list_version, folio, left_for, left_words, retracted, belongs, began_id"

// AddNote stores an empty note.
func (q *Q) AddNote(n Note) error {
	return q.do("INSERT INTO note(id, visit_id, patient_id, author_id, created_at) VALUES (?,?,?,?,?)", n.ID, n.VisitID, n.PatientID,
		n.AuthorID, Stamp(n.CreatedAt))
}

// NoteByID finds a note.
func (q *Q) NoteByID(id string) (Note, error) {
	return about(q, func(n Note) string { return n.PatientID })(one(q, scanNote, "SELECT "+noteCols+" FROM note WHERE id = ?", id))
}

// NoteByVisit finds the note of a visit.
func (q *Q) NoteByVisit(visit string) (Note, error) {
	return one(q, scanNote, "SELECT "+noteCols+" FROM note WHERE visit_id = ?", visit)
}

// SignNote records under which folio a note was sealed.
func (q *Q) SignNote(id string, folio int) error {
	return q.do("UPDATE note SET folio = ? WHERE id = ?", folio, id)
}

// Part is one part of a note as last saved.
type Part struct {
	Part    note.Part
	Text    string
	Version int
	SaveID  string
	SavedAt time.Time
	SavedBy string
}

func scanPart(s scanner, p *Part) error {
	var at string
	err := s.Scan(&p.Part, &p.Text, &p.Version, &p.SaveID, &at, &p.SavedBy)
	p.SavedAt = Moment(at)
	return err
}

// NoteParts lists the parts of a note that were ever written.
func (q *Q) NoteParts(id string) ([]Part, error) {
	return noteParts(id).read(q)
}

func noteParts(id string) rows[Part] {
	return rows[Part]{
		cols: "part, text, version, save_id, saved_at, saved_by",
		from: "note_part WHERE note_id = ?", order: "part", args: []any{id},
		scan: scanPart,
	}
}

// NotePart returns one part; version 0 when it was never written.
func (q *Q) NotePart(id string, part note.Part) (Part, error) {
	p, err := one(q, scanPart, "SELECT part, text, version, save_id, saved_at, saved_by FROM note_part WHERE note_id = ? AND part = ?", id, part)
	if errors.Is(err, ErrNotFound) {
		return Part{Part: part}, nil
	}
	return p, err
}

// SavePart stores a part under its new version.
func (q *Q) SavePart(id string, p Part) error {
	return q.do(`INSERT INTO note_part(note_id, part, text, version, save_id, saved_at, saved_by) VALUES (?,?,?,?,?,?,?) ON CONFLICT(note_id, part) DO UPDATE SET
		text = excluded.text, version = excluded.version, save_id = excluded.save_id, saved_at = excluded.saved_at, saved_by = excluded.saved_by`,
		id, p.Part, p.Text, p.Version, p.SaveID, Stamp(p.SavedAt), p.SavedBy)
}

// Conflict is a refused save whose text waits for a decision.
type Conflict struct {
	ID, NoteID  string
	Part        note.Part
	Text        string
	BaseVersion int
	SaveID      string
	At          time.Time
	By          string
}

// AddConflict keeps a refused text, once per save.
func (q *Q) AddConflict(c Conflict) error {
	return q.do("INSERT INTO note_conflict(id, note_id, part, text, base_version, save_id, at, by) VALUES (?,?,?,?,?,?,?,?) ON "+
		"CONFLICT(note_id, save_id) DO UPDATE SET text = excluded.text",
		c.ID, c.NoteID, c.Part, c.Text, c.BaseVersion, c.SaveID, Stamp(c.At), c.By)
}

// Conflicts lists the undecided texts of a note.
func (q *Q) Conflicts(noteID string) ([]Conflict, error) {
	return conflicts(noteID).read(q)
}

func conflicts(noteID string) rows[Conflict] {
	return rows[Conflict]{
		cols: "id, note_id, part, text, base_version, save_id, at, by",
		from: "note_conflict WHERE note_id = ? AND settled_at = ''", order: "at", args: []any{noteID},
		scan: func(s scanner, c *Conflict) error {
			var at string
			err := s.Scan(&c.ID, &c.NoteID, &c.Part, &c.Text, &c.BaseVersion, &c.SaveID, &at, &c.By)
			c.At = Moment(at)
			return err
		},
	}
}

// SettleConflict marks a kept text as decided; the text itself stays.
func (q *Q) SettleConflict(noteID, id string, at time.Time) error {
	n, err := q.exec("UPDATE note_conflict SET settled_at = ? WHERE id = ? AND note_id = ? AND settled_at = ''", Stamp(at), id, noteID)
	if err == nil && n == 0 {
		return ErrNotFound
	}
	return err
}

// Diagnoses lists the diagnoses of a note, first-listed first.
func (q *Q) Diagnoses(noteID string) ([]note.Diagnosis, error) {
	return diagnoses(noteID).read(q)
}

func diagnoses(noteID string) rows[note.Diagnosis] {
	return rows[note.Diagnosis]{
		cols: "code, title, edition, joined",
		from: "note_diagnosis WHERE note_id = ?", order: "position", args: []any{noteID},
		scan: func(s scanner, d *note.Diagnosis) error { return s.Scan(&d.Code, &d.Title, &d.Edition, &d.Joined) },
	}
}

// SetDiagnoses replaces the list if it is still at the version it was seen in.
func (q *Q) SetDiagnoses(noteID string, ds []note.Diagnosis, version int) error {
	n, err := q.exec("UPDATE note SET list_version = list_version + 1 WHERE id = ? AND list_version = ? AND folio = 0", noteID, version)
	if err != nil {
		return err
	}
	if n == 0 {
		return ErrStale
	}
	before, err := q.Diagnoses(noteID)
	if err != nil {
		return err
	}
	joined := map[string]bool{}
	for _, d := range before {
		joined[d.Code] = d.Joined
	}
	if err := q.do("DELETE FROM note_diagnosis WHERE note_id = ?", noteID); err != nil {
		return err
	}
	for i, d := range ds {
		// The first begins the first bullet.
		if err := q.do("INSERT INTO note_diagnosis(note_id, code, title, edition, position, joined) VALUES (?,?,?,?,?,?)", noteID, d.Code,
			d.Title, d.Edition, i, flag(i > 0 && joined[d.Code])); err != nil {
			return err
		}
	}
	return nil
}

// JoinDiagnosis writes a diagnosis under the bullet of the one before it, or under one of
// its own. The first begins the first bullet: false for it and for a code not there.
func (q *Q) JoinDiagnosis(noteID, code string, on bool) (bool, error) {
	n, err := q.exec("UPDATE note_diagnosis SET joined = ? WHERE note_id = ? AND code = ? AND position > 0", flag(on), noteID, code)
	if err != nil || n == 0 {
		return false, err
	}
	return true, q.do("UPDATE note SET list_version = list_version + 1 WHERE id = ?", noteID)
}

// Line is an open line with what the desk shows of it.
type Line struct {
	ID       string
	Kind     line.Kind
	Subject  string
	Patient  chart.Patient // nobody where it is not known for certain whose it is
	OwnerID  string        // "" for a line of whoever has the right
	State    line.State
	Rank     int
	OpenedAt time.Time
}

// byName is what lines of a patient are ordered by.
const byName = "coalesce((SELECT p.family || char(9) || p.given FROM patient own JOIN patient p ON p.id = own.person_id WHERE own.id = ?), '')"

// OpenLine opens a line for its owner, or with none for whoever has the right; a line already open for the subject stays.
func (q *Q) OpenLine(id string, kind line.Kind, subject, patient, owner string, state line.State, at time.Time) error {
	return q.do(`INSERT INTO line(id, kind, subject, patient_id, owner_id, state, rank, opened_at, by_name) VALUES (?,?,?,nullif(?, ''),nullif(?, ''),?,?,?,`+byName+`)
		ON CONFLICT DO NOTHING`, id, kind, subject, patient, owner, state, state.Rank(), Stamp(at), patient)
}

// SetLineState says where an open line stands, and ranks it by that.
func (q *Q) SetLineState(kind line.Kind, subject string, state line.State) error {
	return q.do("UPDATE line SET state = ?, rank = ? WHERE kind = ? AND subject = ? AND closed_at = ''", state, state.Rank(), kind, subject)
}

// RankLine says where an open line stands, ranked on its owner's desk as its kind judges it.
func (q *Q) RankLine(kind line.Kind, subject string, state line.State, rank int) error {
	return q.do("UPDATE line SET state = ?, rank = ? WHERE kind = ? AND subject = ? AND closed_at = ''", state, rank, kind, subject)
}

// GiveLine says who answers for an open line from now on.
func (q *Q) GiveLine(kind line.Kind, subject, owner string) error {
	return q.do("UPDATE line SET owner_id = ? WHERE kind = ? AND subject = ? AND closed_at = ''", owner, kind, subject)
}

// CloseLine closes the line of a subject, by a named person's act.
func (q *Q) CloseLine(kind line.Kind, subject, by, with string, at time.Time) error {
	return q.do("UPDATE line SET state = 'closed', closed_at = ?, closed_by = ?, closed_with = ? WHERE kind = ? AND subject = ? AND closed_at = ''", Stamp(at), by, with, kind, subject)
}

var lineQuery = "SELECT l.id, l.kind, l.subject, coalesce(l.owner_id, ''), l.state, l.rank, l.opened_at, " + maybePatient + lineFrom +
	" WHERE l.closed_at = ''"

const lineFrom = " FROM line l LEFT JOIN patient own ON own.id = l.patient_id LEFT JOIN patient p ON p.id = own.person_id"

// maybePatient are the columns of a patient where there may be none.
var maybePatient = "coalesce(" + strings.ReplaceAll(patientCols, ", ", ", ''), coalesce(") + ", '')"

func scanLine(s scanner, l *Line) error {
	var at, portal string
	fields := patientFields(&l.Patient)
	for i, f := range fields {
		if f == &l.Patient.UsesPortal {
			fields[i] = &portal
		}
	}
	err := s.Scan(append([]any{&l.ID, &l.Kind, &l.Subject, &l.OwnerID, &l.State, &l.Rank, &at}, fields...)...)
	l.OpenedAt, l.Patient.UsesPortal = Moment(at), portal == "1"
	return err
}

// Unowned are the open lines that nobody owns and that somebody sees: of these kinds, but for those of a team that is not theirs.
type Unowned struct {
	Who   string
	Kinds []line.Kind
}

// ofTeam keeps lines of a team from who is not in it, given by the placeholder; those of a team in which nobody is are everybody's.
const ofTeam = " AND coalesce((SELECT max(m.staff_id = ?) FROM line_team t JOIN team_member m ON m.team_id = t.team_id WHERE t.line_id = line.id), 1)"

// OpenLinesOf lists the open lines of some people of some kinds, with those that nobody owns, gravest first and then by patient, as many as limit after the line named
// (from the beginning for "").
func (q *Q) OpenLinesOf(owners []string, kinds []line.Kind, unowned Unowned, after string, limit int) ([]Line, error) {
	whose, _ := json.Marshal(owners)
	all, _ := json.Marshal(kinds)
	mine, _ := json.Marshal(unowned.Kinds)
	const order = "rank, by_name, opened_at, id"
	// Each half is read in its order from the index, as far as a page goes.
	half := func(whose string) string {
		return "SELECT * FROM (SELECT id, rank, by_name, opened_at FROM line WHERE closed_at = '' AND " + whose +
			` AND kind IN (SELECT value FROM json_each(?))
			AND (` + order + ") > (SELECT " + order + " FROM after) ORDER BY " + order + " LIMIT ?)"
	}
	return list(q, scanLine, `WITH after(rank, by_name, opened_at, id) AS (SELECT rank, by_name, opened_at, id FROM line WHERE id = ? UNION ALL SELECT -1, '', '', '' LIMIT 1)
		`+lineQuery+" AND l.id IN (SELECT id FROM ("+half("owner_id IN (SELECT value FROM json_each(?))")+" UNION ALL "+half("owner_id IS NULL"+ofTeam)+") ORDER BY "+order+" LIMIT ?)"+
		" ORDER BY l.rank, l.by_name, l.opened_at, l.id", after, string(whose), string(all), limit, unowned.Who, string(mine), limit, limit)
}

// OpenLinesAbout lists the open lines of a patient.
func (q *Q) OpenLinesAbout(patient string) ([]Line, error) {
	return list(q, scanLine, lineQuery+" AND l.patient_id "+samePerson+" ORDER BY l.opened_at", patient)
}

// CountLines counts the open lines of some people by kind, with those that nobody owns.
func (q *Q) CountLines(owners []string, unowned Unowned) (map[line.Kind]int, error) {
	whose, _ := json.Marshal(owners)
	mine, _ := json.Marshal(unowned.Kinds)
	type row struct {
		kind line.Kind
		n    int
	}
	// Two halves, so that each is counted in the index alone.
	rows, err := list(q, func(s scanner, r *row) error { return s.Scan(&r.kind, &r.n) },
		`SELECT kind, count(*) FROM line WHERE closed_at = '' AND owner_id IN (SELECT value FROM json_each(?)) GROUP BY kind
		UNION ALL SELECT kind, count(*) FROM line WHERE closed_at = '' AND owner_id IS NULL AND kind IN (SELECT value FROM json_each(?))`+ofTeam+` GROUP BY kind`,
		string(whose), string(mine), unowned.Who)
	out := map[line.Kind]int{}
	for _, r := range rows {
		out[r.kind] += r.n
	}
	return out, err
}

// GiveLineTo makes an open line that nobody owns one of a team.
func (q *Q) GiveLineTo(team, lineID string) error {
	return q.do("INSERT INTO line_team(line_id, team_id) VALUES (?,?)", lineID, team)
}

// Load is how much of a kind somebody answers for: with nobody as owner, what a team or whoever may answers for.
type Load struct {
	OwnerID, TeamID string
	Kind            line.Kind
	Open, Waiting   int
	Oldest          time.Time
}

// Loads tells who answers for how many open lines of which kind, and since when the oldest is open.
func (q *Q) Loads() ([]Load, error) {
	return list(q, func(s scanner, l *Load) error {
		var at string
		err := s.Scan(&l.OwnerID, &l.TeamID, &l.Kind, &l.Open, &l.Waiting, &at)
		l.Oldest = Moment(at)
		return err
	}, `SELECT coalesce(line.owner_id, ''), coalesce(t.team_id, ''), line.kind, sum(line.state <> ?), sum(line.state = ?), min(line.opened_at)
		FROM line LEFT JOIN line_team t ON t.line_id = line.id WHERE line.closed_at = '' GROUP BY 1, 2, 3`, line.Waiting, line.Waiting)
}
