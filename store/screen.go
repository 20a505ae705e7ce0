package store

import (
	"encoding/json"
	"time"
)

// ScreenResponse is a questionnaire as it was answered, with its score.
type ScreenResponse struct {
	ID, PatientID, VisitID, Form, Version string
	Answers                               map[string]string
	Total, LOINC, Name, Says, ByID, By    string
	At, StruckAt                          time.Time
	StruckBy, StruckReason                string
}

const screenCols = "s.id, s.patient_id, s.visit_id, s.form, s.version, s.answers, s.total, s.loinc, s.name, s.says, s.by_id, coalesce((SELECT given || ' ' || family FROM staff WHERE id = s.by_id), ''), " +
	"s.at, s.struck_at, s.struck_by, s.struck_reason"

func scanScreen(s scanner, r *ScreenResponse) error {
	var answers, at, struck string
	if err := s.Scan(&r.ID, &r.PatientID, &r.VisitID, &r.Form, &r.Version, &answers, &r.Total, &r.LOINC, &r.Name, &r.Says, &r.ByID, &r.By, &at, &struck, &r.StruckBy,
		&r.StruckReason); err != nil {
		return err
	}
	r.At, r.StruckAt = Moment(at), Moment(struck)
	return json.Unmarshal([]byte(answers), &r.Answers)
}

// AddScreen keeps a questionnaire that was answered; added is false where the same act kept it before.
func (q *Q) AddScreen(r ScreenResponse) (added bool, err error) {
	answers, err := json.Marshal(r.Answers)
	if err != nil {
		return false, err
	}
	n, err := q.exec("INSERT INTO screen_response(id, patient_id, visit_id, form, version, answers, total, loinc, name, says, by_id, at) VALUES (?,?,?,?,?,?,?,?,?,?,?,?) ON CONFLICT(id) DO NOTHING",
		r.ID, r.PatientID, r.VisitID, r.Form, r.Version, string(answers), r.Total, r.LOINC, r.Name, r.Says, r.ByID, Stamp(r.At))
	return n > 0, err
}

// ScreenByID finds one.
func (q *Q) ScreenByID(id string) (ScreenResponse, error) {
	return about(q, func(r ScreenResponse) string { return r.PatientID })(one(q, scanScreen, "SELECT "+screenCols+" FROM screen_response s WHERE s.id = ?", id))
}

// ScreensOf lists what a person answered, the newest first; what was struck too.
func (q *Q) ScreensOf(patient string) ([]ScreenResponse, error) {
	return list(q, scanScreen, "SELECT "+screenCols+" FROM screen_response s WHERE s.patient_id "+samePerson+" ORDER BY s.at DESC, s.id", patient)
}

// StrikeScreen strikes one with a reason; false where it was before.
func (q *Q) StrikeScreen(id, by, reason string, at time.Time) (bool, error) {
	n, err := q.exec("UPDATE screen_response SET struck_at = ?, struck_by = ?, struck_reason = ? WHERE id = ? AND struck_at = ''", Stamp(at), by, reason, id)
	return n > 0, err
}

func screensAt(visit string) rows[ScreenResponse] {
	return rows[ScreenResponse]{cols: screenCols, from: "screen_response s WHERE s.visit_id = ? AND s.visit_id <> '' AND s.struck_at = ''", order: "s.at, s.id", args: []any{visit}, scan: scanScreen}
}
