package store

import (
	"encoding/json"
	"time"

	"deftledger/core/chart"
	"deftledger/core/note"
	"deftledger/core/visit"
)

// AdviceAnswer is a person's answer to a remark on the diagnoses of a note.
type AdviceAnswer struct {
	Key, Reason, ByID string
	At                time.Time
}

// PutAdviceAnswer keeps an answer; a later one replaces it.
func (q *Q) PutAdviceAnswer(noteID string, a AdviceAnswer) error {
	return q.do("INSERT INTO note_advice(note_id, key, reason, by_id, at) VALUES (?,?,?,?,?) ON CONFLICT DO UPDATE SET reason = "+
		"excluded.reason, by_id = excluded.by_id, at = excluded.at", noteID, a.Key, a.Reason, a.ByID, Stamp(a.At))
}

// AdviceAnswers lists the answers of a note.
func (q *Q) AdviceAnswers(noteID string) ([]AdviceAnswer, error) {
	return adviceAnswers(noteID).read(q)
}

func adviceAnswers(noteID string) rows[AdviceAnswer] {
	return rows[AdviceAnswer]{
		cols: "key, reason, by_id, at",
		from: "note_advice WHERE note_id = ?", order: "key", args: []any{noteID},
		scan: func(s scanner, a *AdviceAnswer) error {
			var at string
			err := s.Scan(&a.Key, &a.Reason, &a.ByID, &at)
			a.At = Moment(at)
			return err
		},
	}
}

// DiagnosisWords lists what is said of the diagnoses of a note, by code.
func (q *Q) DiagnosisWords(noteID string) (map[string]note.Said, error) {
	all, err := diagnosisWords(noteID).read(q)
	return byCode(all), err
}

func diagnosisWords(noteID string) rows[note.Said] {
	return rows[note.Said]{
		cols: "code, response, because, complicated, remark, measures, version",
		from: "diagnosis_word WHERE note_id = ?", order: "code", args: []any{noteID},
		scan: func(s scanner, d *note.Said) error {
			var measures string
			err := s.Scan(&d.Code, &d.Response, &d.Because, &d.Complicated, &d.Remark, &measures, &d.Version)
			if err == nil {
				err = json.Unmarshal([]byte(measures), &d.Measures)
			}
			return err
		},
	}
}

func byCode(all []note.Said) map[string]note.Said {
	out := map[string]note.Said{}
	for _, s := range all {
		out[s.Code] = s
	}
	return out
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
		n, err = q.exec("INSERT INTO diagnosis_word(note_id, code, response, because, complicated, remark, measures, version, by_id, at) "+
			"VALUES (?,?,?,?,?,?,?,1,?,?) ON CONFLICT DO NOTHING", noteID, d.Code, d.Response, d.Because, d.Complicated, d.Remark, string(measures),
			by, Stamp(at))
	} else {
		n, err = q.exec("UPDATE diagnosis_word SET response = ?, because = ?, complicated = ?, remark = ?, measures = ?, version = version + "+
			"1, by_id = ?, at = ? WHERE note_id = ? AND code = ? AND version = ?",
			d.Response, d.Because, d.Complicated, d.Remark, string(measures), by, Stamp(at), noteID, d.Code, d.Version)
	}
	return moved(n, err)
}

// Course lists the values of some measures of a person, oldest first: vital signs that
// were not struck, and values of the present issue of final reports. Day stays empty: it
// is counted where the practice's zone is known.
func (q *Q) Course(patient string, loincs []string) ([]chart.Value, error) {
	return values(patient, loincs).read(q)
}

func values(patient string, loincs []string) rows[chart.Value] {
	all, _ := json.Marshal(loincs)
	return rows[chart.Value]{
		cols: "loinc, name, value, unit, at, source, ref",
		from: `(SELECT loinc, name, value, unit, taken_at AS at, 'vital' AS source, id AS ref, rowid AS first FROM vital WHERE patient_id ` +
			samePerson + ` AND struck_at = '' AND loinc IN (SELECT value FROM json_each(?))
			UNION ALL SELECT v.loinc, v.name, v.text, v.unit, i.collected_at, 'report', r.id, r.rowid FROM report r JOIN report_issue i ON i.report_id = r.id AND i.issue = r.issue
				JOIN report_value v ON v.report_id = r.id AND v.issue = r.issue
				WHERE r.patient_id ` + samePerson +
			` AND r.gone_at = '' AND r.status IN ('F', 'C') AND v.status IN ('', 'F', 'C', 'U') AND v.text <> '' AND v.loinc IN (SELECT value FROM json_each(?))
			UNION ALL SELECT loinc, name, total, '', at, 'screen', id, 0 FROM screen_response WHERE patient_id ` + samePerson + ` AND struck_at = '' AND total <> '' AND loinc IN (SELECT value FROM json_each(?)))`,
		order: julian("at") + ", source DESC, first", args: []any{patient, string(all), patient, string(all), patient, string(all)},
		scan: func(s scanner, v *chart.Value) error {
			return s.Scan(&v.LOINC, &v.Name, &v.Text, &v.Unit, &v.At, &v.Source, &v.Ref)
		},
	}
}

// Pins lists the codes kept at hand by a person ("" for the clinic), latest first.
func (q *Q) Pins(staff string) ([]string, error) {
	return list(q, scalar[string], "SELECT code FROM pinned_code WHERE staff_id = ? ORDER BY at DESC", staff)
}

// Pin keeps a code at hand.
func (q *Q) Pin(staff, code string, at time.Time) error {
	return q.do("INSERT INTO pinned_code(staff_id, code, at) VALUES (?,?,?) ON CONFLICT DO NOTHING", staff, code, Stamp(at))
}

// Unpin lets a code go.
func (q *Q) Unpin(staff, code string) error {
	return q.do("DELETE FROM pinned_code WHERE staff_id = ? AND code = ?", staff, code)
}

// FollowUp is a wish for a further visit. Due is YYYY-MM-DD.
type FollowUp struct {
	ID, PatientID, NoteID, Due, Said, Reason, ClinicianID, ByID string
	At                                                          time.Time
	State                                                       visit.Wish
	VisitID, DoneBy, DoneReason                                 string
	VisitAt                                                     time.Time // of the visit it was booked as
	Patient                                                     chart.Patient
}

const followUpCols = "id, patient_id, note_id, due, said, reason, clinician_id, by_id, at, state, visit_id, done_by, done_reason"

// followUpRead and followUpFrom read a follow-up with the visit it became and the patient.
var followUpRead = of("f", followUpCols) + ", coalesce(b.starts_at, ''), " + patientCols

const followUpFrom = "follow_up f JOIN patient own ON own.id = f.patient_id JOIN patient p ON p.id = own.person_id LEFT JOIN visit b ON b.id = f.visit_id"

func scanFollowUp(s scanner, f *FollowUp) error {
	var at, booked string
	err := s.Scan(append([]any{&f.ID, &f.PatientID, &f.NoteID, &f.Due, &f.Said, &f.Reason, &f.ClinicianID, &f.ByID, &at, &f.State, &f.VisitID,
		&f.DoneBy, &f.DoneReason, &booked}, patientFields(&f.Patient)...)...)
	f.At, f.VisitAt = Moment(at), Moment(booked)
	return err
}

// PutFollowUp keeps the one open follow-up of a note: a later wish takes its place.
func (q *Q) PutFollowUp(f FollowUp) error {
	return q.do("INSERT INTO follow_up("+followUpCols+
		") VALUES (?,?,?,?,?,?,?,?,?,'to book','','','') ON CONFLICT(note_id) WHERE state = 'to book' DO UPDATE SET due = excluded.due, said "+
		"= excluded.said, reason = excluded.reason, by_id = excluded.by_id, at = excluded.at",
		f.ID, f.PatientID, f.NoteID, f.Due, f.Said, f.Reason, f.ClinicianID, f.ByID, Stamp(f.At))
}

// FollowUpsOf lists the follow-ups of a note, newest first.
func (q *Q) FollowUpsOf(noteID string) ([]FollowUp, error) {
	return followUps(noteID).read(q)
}

func followUps(noteID string) rows[FollowUp] {
	return rows[FollowUp]{cols: followUpRead, from: followUpFrom + " WHERE f.note_id = ?", order: "f.at DESC, f.rowid DESC",
		args: []any{noteID}, scan: scanFollowUp}
}

// FollowUpsToBook lists what the front desk has to book, earliest first.
func (q *Q) FollowUpsToBook() ([]FollowUp, error) {
	return list(q, scanFollowUp, "SELECT "+followUpRead+" FROM "+followUpFrom+" WHERE f.state = 'to book' ORDER BY f.due, f.at")
}

// FollowUpsIn lists follow-ups by id.
func (q *Q) FollowUpsIn(ids []string) ([]FollowUp, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanFollowUp, "SELECT "+followUpRead+" FROM "+followUpFrom+" WHERE f.id IN (SELECT value FROM json_each(?))", string(all))
}

// FollowUpByID finds one.
func (q *Q) FollowUpByID(id string) (FollowUp, error) {
	return one(q, scanFollowUp, "SELECT "+followUpRead+" FROM "+followUpFrom+" WHERE f.id = ?", id)
}

// SettleFollowUp books or drops a follow-up; ErrStale when somebody did before.
func (q *Q) SettleFollowUp(id string, state visit.Wish, booked, by, reason string, at time.Time) error {
	return q.fresh("UPDATE follow_up SET state = ?, visit_id = ?, done_by = ?, done_at = ?, done_reason = ? WHERE id = ? AND state = 'to book'", state, booked, by, Stamp(at), reason, id)
}
