package store

import (
	"encoding/json"
	"time"

	"deftledger/core/note"
)

// AdviceAnswer is a person's answer to a remark on the diagnoses of a note.
type AdviceAnswer struct {
	Key, Reason, ByID string
	At                time.Time
}

// PutAdviceAnswer keeps an answer; a later one replaces it.
func (q *Q) PutAdviceAnswer(noteID string, a AdviceAnswer) error {
	return q.do("INSERT INTO note_advice VALUES (?,?,?,?,?) ON CONFLICT DO UPDATE SET reason = excluded.reason, by_id = excluded.by_id, at = excluded.at", noteID, a.Key, a.Reason, a.ByID, Stamp(a.At))
}

// AdviceAnswers lists the answers of a note.
func (q *Q) AdviceAnswers(noteID string) ([]AdviceAnswer, error) {
	return list(q, func(s scanner, a *AdviceAnswer) error {
		var at string
		err := s.Scan(&a.Key, &a.Reason, &a.ByID, &at)
		a.At = Moment(at)
		return err
	}, "SELECT key, reason, by_id, at FROM note_advice WHERE note_id = ?", noteID)
}

// DiagnosisWords lists what is said of the diagnoses of a note, by code.
func (q *Q) DiagnosisWords(noteID string) (map[string]note.Said, error) {
	rows, err := list(q, func(s scanner, d *note.Said) error {
		var measures string
		err := s.Scan(&d.Code, &d.Response, &d.Because, &d.Complicated, &d.Remark, &measures, &d.Version)
		if err == nil {
			err = json.Unmarshal([]byte(measures), &d.Measures)
		}
		return err
	}, "SELECT code, response, because, complicated, remark, measures, version FROM diagnosis_word WHERE note_id = ?", noteID)
	out := map[string]note.Said{}
	for _, r := range rows {
		out[r.Code] = r
	}
	return out, err
}

// PutDiagnosisWords keeps what is said of a diagnosis, written on the version was (0:
// nothing said before); ErrStale when somebody else wrote meanwhile.
func (q *Q) PutDiagnosisWords(noteID string, d note.Said, by string, at time.Time) error {
	measures, err := json.Marshal(d.Measures)
	if err != nil {
		return err
	}
	var n int64
	if d.Version == 0 {
		n, err = q.exec("INSERT INTO diagnosis_word VALUES (?,?,?,?,?,?,?,1,?,?) ON CONFLICT DO NOTHING", noteID, d.Code, d.Response, d.Because, d.Complicated, d.Remark, string(measures), by, Stamp(at))
	} else {
		n, err = q.exec("UPDATE diagnosis_word SET response = ?, because = ?, complicated = ?, remark = ?, measures = ?, version = version + 1, by_id = ?, at = ? WHERE note_id = ? AND code = ? AND version = ?",
			d.Response, d.Because, d.Complicated, d.Remark, string(measures), by, Stamp(at), noteID, d.Code, d.Version)
	}
	if err == nil && n == 0 {
		return ErrStale
	}
	return err
}

// Measurement is one recorded value of a measure, a vital sign or a final result.
type Measurement struct{ LOINC, Name, Value, Unit, At string }

// Course lists the values of some measures of a person, oldest first: vital signs that
// were not struck, and values of the present issue of final reports. At is RFC 3339.
func (q *Q) Course(patient string, loincs []string) ([]Measurement, error) {
	all, _ := json.Marshal(loincs)
	return list(q, func(s scanner, m *Measurement) error { return s.Scan(&m.LOINC, &m.Name, &m.Value, &m.Unit, &m.At) }, `
		SELECT loinc, name, value, unit, at FROM (SELECT loinc, name, value, unit, taken_at AS at FROM vital WHERE patient_id `+samePerson+` AND struck_at = '' AND loinc IN (SELECT value FROM json_each(?))
		UNION ALL SELECT v.loinc, v.name, v.text, v.unit, i.collected_at FROM report r JOIN report_issue i ON i.report_id = r.id AND i.issue = r.issue
			JOIN report_value v ON v.report_id = r.id AND v.issue = r.issue
			WHERE r.patient_id `+samePerson+` AND r.status IN ('F', 'C') AND v.status IN ('F', 'C') AND v.loinc IN (SELECT value FROM json_each(?)))
		ORDER BY julianday(at)`, patient, string(all), patient, string(all))
}

// Pins lists the codes kept at hand by a person ("" for the clinic), latest first.
func (q *Q) Pins(staff string) ([]string, error) {
	return list(q, scalar[string], "SELECT code FROM pinned_code WHERE staff_id = ? ORDER BY at DESC", staff)
}

// Pin keeps a code at hand.
func (q *Q) Pin(staff, code string, at time.Time) error {
	return q.do("INSERT INTO pinned_code VALUES (?,?,?) ON CONFLICT DO NOTHING", staff, code, Stamp(at))
}

// Unpin lets a code go.
func (q *Q) Unpin(staff, code string) error {
	return q.do("DELETE FROM pinned_code WHERE staff_id = ? AND code = ?", staff, code)
}

// FollowUp is a wish for a further visit. Due is YYYY-MM-DD.
type FollowUp struct {
	ID, PatientID, NoteID, Due, Said, Reason, ClinicianID, ByID string
	At                                                          time.Time
	State, VisitID, DoneBy, DoneReason                          string
}

const followUpCols = "id, patient_id, note_id, due, said, reason, clinician_id, by_id, at, state, visit_id, done_by, done_reason"

func scanFollowUp(s scanner, f *FollowUp) error {
	var at string
	err := s.Scan(&f.ID, &f.PatientID, &f.NoteID, &f.Due, &f.Said, &f.Reason, &f.ClinicianID, &f.ByID, &at, &f.State, &f.VisitID, &f.DoneBy, &f.DoneReason)
	f.At = Moment(at)
	return err
}

// PutFollowUp keeps the one open follow-up of a note: a later wish takes its place.
func (q *Q) PutFollowUp(f FollowUp) error {
	return q.do("INSERT INTO follow_up("+followUpCols+") VALUES (?,?,?,?,?,?,?,?,?,'to book','','','') ON CONFLICT(note_id) WHERE state = 'to book' DO UPDATE SET due = excluded.due, said = excluded.said, reason = excluded.reason, by_id = excluded.by_id, at = excluded.at",
		f.ID, f.PatientID, f.NoteID, f.Due, f.Said, f.Reason, f.ClinicianID, f.ByID, Stamp(f.At))
}

// FollowUpsOf lists the follow-ups of a note, newest first.
func (q *Q) FollowUpsOf(noteID string) ([]FollowUp, error) {
	return list(q, scanFollowUp, "SELECT "+followUpCols+" FROM follow_up WHERE note_id = ? ORDER BY at DESC, rowid DESC", noteID)
}

// FollowUpsToBook lists what the front desk has to book, earliest first.
func (q *Q) FollowUpsToBook() ([]FollowUp, error) {
	return list(q, scanFollowUp, "SELECT "+followUpCols+" FROM follow_up WHERE state = 'to book' ORDER BY due, at")
}

// FollowUpsIn lists follow-ups by id.
func (q *Q) FollowUpsIn(ids []string) ([]FollowUp, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanFollowUp, "SELECT "+followUpCols+" FROM follow_up WHERE id IN (SELECT value FROM json_each(?))", string(all))
}

// FollowUpByID finds one.
func (q *Q) FollowUpByID(id string) (FollowUp, error) {
	return one(q, scanFollowUp, "SELECT "+followUpCols+" FROM follow_up WHERE id = ?", id)
}

// SettleFollowUp books or drops a follow-up; ErrStale when somebody did before.
func (q *Q) SettleFollowUp(id, state, visit, by, reason string, at time.Time) error {
	n, err := q.exec("UPDATE follow_up SET state = ?, visit_id = ?, done_by = ?, done_at = ?, done_reason = ? WHERE id = ? AND state = 'to book'", state, visit, by, Stamp(at), reason, id)
	if err == nil && n == 0 {
		return ErrStale
	}
	return err
}
