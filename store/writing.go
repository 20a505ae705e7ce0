package store

import (
	"encoding/json"
	"strings"
	"time"

	"deftledger/core/note"
)

func flag(b bool) int {
	if b {
		return 1
	}
	return 0
}

const findingCols = "f.area, f.system, f.finding, f.state, f.side, f.severity, f.duration, f.words, f.remark, f.origin, f.source_note, " +
	"f.looked, f.version"

func scanFinding(s scanner, f *note.Finding) error {
	var words string
	err := s.Scan(&f.Area, &f.System, &f.Finding, &f.State, &f.Side, &f.Severity, &f.Duration, &words, &f.Remark, &f.Origin, &f.SourceNote,
		&f.Looked, &f.Version)
	if err == nil {
		err = json.Unmarshal([]byte(words), &f.Words)
	}
	return err
}

// Findings lists the findings of a note.
func (q *Q) Findings(noteID string) ([]note.Finding, error) {
	return findings(noteID).read(q)
}

func findings(noteID string) rows[note.Finding] {
	return rows[note.Finding]{
		cols: findingCols,
		from: "note_finding f WHERE f.note_id = ?", order: "f.area, f.system, f.finding", args: []any{noteID},
		scan: scanFinding,
	}
}

// EarlierFindings are the findings of an earlier note.
type EarlierFindings struct {
	NoteID   string
	StartsAt time.Time
	Findings []note.Finding
}

// FindingsBefore lists the findings of a patient's other notes of visits before a
// moment, newest visit first; retracted notes do not count.
func (q *Q) FindingsBefore(patient, notThis string, before time.Time) ([]EarlierFindings, error) {
	type row struct {
		id, starts string
		note.Finding
	}
	rows, err := list(q, func(s scanner, r *row) error {
		return scanFinding(prefixed{prefixed{s, &r.starts}, &r.id}, &r.Finding)
	}, "SELECT v.starts_at, n.id, "+findingCols+
		" FROM note n JOIN visit v ON v.id = n.visit_id JOIN note_finding f ON f.note_id = n.id WHERE n.patient_id "+samePerson+
		" AND n.id <> ? AND v.starts_at < ? AND n.retracted = 0 ORDER BY v.starts_at DESC, n.id", patient, notThis, Stamp(before))
	var out []EarlierFindings
	for _, r := range rows {
		if len(out) == 0 || out[len(out)-1].NoteID != r.id {
			out = append(out, EarlierFindings{NoteID: r.id, StartsAt: Moment(r.starts)})
		}
		last := &out[len(out)-1]
		last.Findings = append(last.Findings, r.Finding)
	}
	return out, err
}

// PutFindings stores findings, each under its next version.
func (q *Q) PutFindings(noteID string, fs []note.Finding, by string, at time.Time) error {
	for _, f := range fs {
		words := []byte("[]")
		if f.Words != nil {
			var err error
			if words, err = json.Marshal(f.Words); err != nil {
				return err
			}
		}
		if err := q.do(`INSERT INTO note_finding(note_id, area, system, finding, state, side, severity, duration, words, remark, origin, source_note, looked, version, by_id, at)
			VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)
			ON CONFLICT DO UPDATE SET state = excluded.state, side = excluded.side, severity = excluded.severity, duration = excluded.duration, words = excluded.words, remark = excluded.remark,
			origin = excluded.origin, source_note = excluded.source_note, looked = excluded.looked, version = note_finding.version + 1, by_id = excluded.by_id, at = excluded.at`,
			noteID, f.Area, f.System, f.Finding, f.State, f.Side, f.Severity, f.Duration, string(words), f.Remark, f.Origin, f.SourceNote,
			flag(f.Looked), f.Version+1, by, Stamp(at)); err != nil {
			return err
		}
	}
	return nil
}

// DropFinding takes a finding out of a draft.
func (q *Q) DropFinding(noteID string, f note.Finding) error {
	return q.do("DELETE FROM note_finding WHERE note_id = ? AND area = ? AND system = ? AND finding = ?", noteID, f.Area, f.System, f.Finding)
}

// LookedAtFinding notes that a person looked at a carried finding and kept it.
func (q *Q) LookedAtFinding(noteID, area, system, finding, by string, at time.Time) error {
	return q.must("UPDATE note_finding SET looked = 1, version = version + 1, by_id = ?, at = ? WHERE note_id = ? AND area = ? AND system "+
		"= ? AND finding = ?", by, Stamp(at), noteID, area, system, finding)
}

// NoteInterview is an interview of a note in the version it is asked in.
type NoteInterview struct {
	Form    string
	Version int
}

// NoteInterviews lists a note's interviews in order.
func (q *Q) NoteInterviews(noteID string) ([]NoteInterview, error) {
	return noteInterviews(noteID).read(q)
}

func noteInterviews(noteID string) rows[NoteInterview] {
	return rows[NoteInterview]{
		cols: "form, form_version",
		from: "note_interview WHERE note_id = ?", order: "position", args: []any{noteID},
		scan: func(s scanner, i *NoteInterview) error { return s.Scan(&i.Form, &i.Version) },
	}
}

// AddNoteInterview adds an interview, or brings it to another version.
func (q *Q) AddNoteInterview(noteID string, i NoteInterview) error {
	return q.do("INSERT INTO note_interview(note_id, form, form_version, position) VALUES (?,?,?,(SELECT count(*) FROM note_interview "+
		"WHERE note_id = ?)) ON CONFLICT DO UPDATE SET form_version = excluded.form_version", noteID, i.Form, i.Version, noteID)
}

// DropNoteInterview takes an interview and its answers out of a draft.
func (q *Q) DropNoteInterview(noteID, form string) error {
	if err := q.do("DELETE FROM note_answer WHERE note_id = ? AND form = ?", noteID, form); err != nil {
		return err
	}
	return q.do("DELETE FROM note_interview WHERE note_id = ? AND form = ?", noteID, form)
}

// NoteAnswer is an answer of a note with its version.
type NoteAnswer struct {
	Form string
	note.Answered
	Version int
}

// NoteAnswers lists the answers of a note.
func (q *Q) NoteAnswers(noteID string) ([]NoteAnswer, error) {
	return noteAnswers(noteID).read(q)
}

func noteAnswers(noteID string) rows[NoteAnswer] {
	return rows[NoteAnswer]{
		cols: "form, link, value, origin, version",
		from: "note_answer WHERE note_id = ?", order: "form, link", args: []any{noteID},
		scan: func(s scanner, a *NoteAnswer) error {
			var value string
			err := s.Scan(&a.Form, &a.Link, &value, &a.Origin, &a.Version)
			if err == nil {
				err = json.Unmarshal([]byte(value), &a.Values)
			}
			return err
		},
	}
}

// PutAnswer stores an answer made on the version was; ErrStale when another came first.
func (q *Q) PutAnswer(noteID string, a NoteAnswer, was int, by string, at time.Time) error {
	if len(a.Values) == 0 {
		n, err := q.exec("DELETE FROM note_answer WHERE note_id = ? AND form = ? AND link = ? AND version = ?", noteID, a.Form, a.Link, was)
		if err == nil && n == 0 && was > 0 {
			return ErrStale
		}
		return err
	}
	value, err := json.Marshal(a.Values)
	if err != nil {
		return err
	}
	var n int64
	if was == 0 {
		n, err = q.exec("INSERT INTO note_answer(note_id, form, link, value, origin, version, by_id, at) VALUES (?,?,?,?,?,1,?,?) ON CONFLICT DO NOTHING", noteID, a.Form, a.Link, string(value), a.Origin, by, Stamp(at))
	} else {
		n, err = q.exec("UPDATE note_answer SET value = ?, origin = ?, version = version + 1, by_id = ?, at = ? WHERE note_id = ? AND form = "+
			"? AND link = ? AND version = ?", string(value), a.Origin, by, Stamp(at), noteID, a.Form, a.Link, was)
	}
	return moved(n, err)
}

// CarriedSentence is a sentence brought into a note.
type CarriedSentence struct {
	note.Brought
	SourceNote string
	Version    int
}

// CarriedOf lists the sentences brought into a note, in order.
func (q *Q) CarriedOf(noteID string) ([]CarriedSentence, error) {
	return carried(noteID).read(q)
}

func carried(noteID string) rows[CarriedSentence] {
	return rows[CarriedSentence]{
		cols: "id, part, text, origin, source_note, source, state, version",
		from: "note_carried WHERE note_id = ?", order: "position, id", args: []any{noteID},
		scan: func(s scanner, c *CarriedSentence) error {
			var state string
			err := s.Scan(&c.ID, &c.Part, &c.Text, &c.Origin, &c.SourceNote, &c.Source, &state, &c.Version)
			c.Looked, c.Changed = state != "unlooked", state == "changed"
			return err
		},
	}
}

// AddCarried brings a sentence in; one brought before stays as it is.
func (q *Q) AddCarried(noteID string, c CarriedSentence, by string, at time.Time) (bool, error) {
	state := "unlooked"
	if c.Looked {
		state = "kept"
	}
	n, err := q.exec("INSERT INTO note_carried(id, note_id, part, position, text, original, origin, source_note, source, state, version, "+
		"by_id, at) VALUES (?,?,?,(SELECT count(*) FROM note_carried WHERE note_id = ?),?,?,?,?,?,?,1,?,?) ON CONFLICT DO NOTHING",
		c.ID, noteID, c.Part, noteID, c.Text, c.Text, c.Origin, c.SourceNote, c.Source, state, by, Stamp(at))
	return n > 0, err
}

// SettleCarried keeps, changes or removes a sentence from the version it was seen in.
func (q *Q) SettleCarried(noteID, id, state, text string, was int, by string, at time.Time) error {
	var n int64
	var err error
	if state == "removed" {
		n, err = q.exec("DELETE FROM note_carried WHERE note_id = ? AND id = ? AND version = ?", noteID, id, was)
	} else {
		n, err = q.exec("UPDATE note_carried SET state = ?, text = ?, version = version + 1, by_id = ?, at = ? WHERE note_id = ? AND id = ? AND version = ?", state, text, by, Stamp(at), noteID, id, was)
	}
	return moved(n, err)
}

// DropCarried takes a sentence out that a replacement takes out.
func (q *Q) DropCarried(noteID, id string) error {
	return q.do("DELETE FROM note_carried WHERE note_id = ? AND id = ?", noteID, id)
}

// Drawing is a drawing of a note. Strokes are its points as JSON.
type Drawing struct {
	ID, NoteID, Outline, Caption, Strokes, SVG string
	Version                                    int
}

// Drawings lists the drawings of a note.
func (q *Q) Drawings(noteID string) ([]Drawing, error) {
	return drawings(noteID).read(q)
}

func drawings(noteID string) rows[Drawing] {
	return rows[Drawing]{
		cols: "id, note_id, outline, caption, strokes, svg, version",
		from: "note_drawing WHERE note_id = ?", order: "rowid", args: []any{noteID},
		scan: func(s scanner, d *Drawing) error {
			return s.Scan(&d.ID, &d.NoteID, &d.Outline, &d.Caption, &d.Strokes, &d.SVG, &d.Version)
		},
	}
}

// PutDrawing stores a drawing made on the version was (0: a new one); without
// strokes it is taken out.
func (q *Q) PutDrawing(d Drawing, was int, by string, at time.Time) error {
	var n int64
	var err error
	switch {
	case was == 0:
		n, err = q.exec("INSERT INTO note_drawing(id, note_id, outline, caption, strokes, svg, version, by_id, at) VALUES (?,?,?,?,?,?,1,?,?) "+
			"ON CONFLICT DO NOTHING", d.ID, d.NoteID, d.Outline, d.Caption, d.Strokes, d.SVG, by, Stamp(at))
	case d.Strokes == "":
		n, err = q.exec("DELETE FROM note_drawing WHERE id = ? AND note_id = ? AND version = ?", d.ID, d.NoteID, was)
	default:
		n, err = q.exec("UPDATE note_drawing SET outline = ?, caption = ?, strokes = ?, svg = ?, version = version + 1, by_id = ?, at = ? "+
			"WHERE id = ? AND note_id = ? AND version = ?", d.Outline, d.Caption, d.Strokes, d.SVG, by, Stamp(at), d.ID, d.NoteID, was)
	}
	return moved(n, err)
}

// NotesOf lists a patient's notes, newest visit first.
func (q *Q) NotesOf(patient string) ([]Note, error) {
	return list(q, scanNote, "SELECT "+of("n", noteCols)+" FROM note n JOIN visit v ON v.id = n.visit_id WHERE n.patient_id "+samePerson+
		" ORDER BY v.starts_at DESC", patient)
}

// LastWith finds the newest other note of a patient, before a moment, with findings
// of a system; retracted notes do not count.
func (q *Q) LastWith(patient, notThis string, before time.Time, area note.Area, system string) (string, error) {
	return one(q, scalar[string], `SELECT n.id FROM note n JOIN visit v ON v.id = n.visit_id
		WHERE n.patient_id `+samePerson+` AND n.id <> ? AND v.starts_at < ? AND n.retracted = 0
		AND EXISTS (SELECT 1 FROM note_finding f WHERE f.note_id = n.id AND f.area = ? AND f.system = ? AND f.state <> 'left out')
		ORDER BY v.starts_at DESC LIMIT 1`, patient, notThis, Stamp(before), area, system)
}

// LeaveFor leaves a draft for a colleague, with words; "" takes it back.
func (q *Q) LeaveFor(noteID, staff, words string) error {
	return q.do("UPDATE note SET left_for = ?, left_words = ? WHERE id = ?", staff, words, noteID)
}

// SetAuthor makes somebody else the author of a draft; who began it is kept.
func (q *Q) SetAuthor(noteID, staff string) error {
	return q.do("UPDATE note SET began_id = CASE WHEN began_id = ?1 THEN '' WHEN began_id = '' AND author_id <> ?1 THEN author_id ELSE began_id END, "+
		"author_id = ?1 WHERE id = ?2", staff, noteID)
}

// MoveLine makes a line somebody else's to act on.
func (q *Q) MoveLine(kind, subject, owner string) error {
	return q.do("UPDATE line SET owner_id = ? WHERE kind = ? AND subject = ? AND closed_at = ''", owner, kind, subject)
}

// Retract records under which folio a signed note was retracted, and the chart it belongs to.
func (q *Q) Retract(noteID string, folio int, belongs string) error {
	return q.do("UPDATE note SET retracted = ?, belongs = ? WHERE id = ?", folio, belongs, noteID)
}

// NoteWith is a note with a finding.
type NoteWith struct {
	Visit Visit
	State string
}

// NotesWith lists the notes of a patient, or with no patient of the practice, in which
// something was found or denied, the note begun last first; retracted ones do not count.
// after is the note the page comes after, "" for the first page.
func (q *Q) NotesWith(area note.Area, system, finding, patient, after string, limit int) ([]NoteWith, error) {
	scan := func(s scanner, n *NoteWith) error { return scanVisit(prefixed{s, &n.State}, &n.Visit) }
	if after == "" {
		after = "~" // follows every identifier
	}
	if patient != "" {
		return list(q, scan, "SELECT f.state, "+strings.TrimPrefix(visitQuery,
			"SELECT ")+`JOIN note_finding f ON f.note_id = n.id AND f.area = ? AND f.system = ? AND f.finding = ?
			WHERE v.patient_id `+samePerson+` AND f.state IN ('present', 'absent') AND n.retracted = 0 AND n.id < ? ORDER BY n.id DESC LIMIT ?`,
			area, system, finding, patient, after, limit)
	}
	return list(q, scan, "SELECT newest.state, "+strings.TrimPrefix(visitQuery,
		"SELECT ")+`JOIN (SELECT k.note_id, k.state FROM note_finding k WHERE k.area = ? AND k.system = ? AND k.finding = ? AND k.state IN ('present', 'absent')
			AND k.note_id < ? AND NOT EXISTS (SELECT 1 FROM note r WHERE r.id = k.note_id AND r.retracted > 0) ORDER BY k.note_id DESC LIMIT ?) newest ON newest.note_id = n.id
		ORDER BY newest.note_id DESC`, area, system, finding, after, limit)
}

// prefixed scans one more column before those of a known row.
type prefixed struct {
	scanner
	first any
}

func (p prefixed) Scan(dest ...any) error {
	return p.scanner.Scan(append([]any{p.first}, dest...)...)
}
