package store

import (
	"encoding/json"
	"time"

	"deftledger/core/chart"
)

// Happened names something that happened in a chart.
type Happened struct{ Kind, ID string }

// Kinds of what happens in a chart.
const (
	HappenedVisit    = "visit"
	HappenedOrder    = "order"
	HappenedReport   = "report"
	HappenedVaccine  = "vaccine"
	HappenedMessage  = "message"
	HappenedDocument = "document"
	HappenedNote     = "note" // beside another one
)

// happened lists what happened in the chart of ?1, with when, as days on the Julian calendar.
var happened = `WITH own(id) AS (SELECT id FROM patient WHERE person_id = (SELECT person_id FROM patient WHERE id = ?1)),
	happened(kind, id, t) AS (
		SELECT 'visit', id, julianday(starts_at) FROM visit WHERE patient_id IN own
		UNION ALL SELECT 'order', id, julianday(signed_at) FROM lab_order WHERE patient_id IN own
		UNION ALL SELECT 'report', r.id, coalesce(` + julian("i.collected_at") + `, julianday(i.received_at)) FROM report r JOIN report_issue i ON i.report_id = r.id AND i.issue = r.issue WHERE r.patient_id IN own AND r.gone_at = ''
		UNION ALL SELECT 'vaccine', id, julianday(given_at) FROM immunization WHERE patient_id IN own AND struck_at = ''
		UNION ALL SELECT 'message', id, julianday(at) FROM message WHERE patient_id IN own
		UNION ALL SELECT kind, id, julianday(coalesce(nullif(signed_at, ''), written_at)) FROM further_order WHERE patient_id IN own
		UNION ALL SELECT 'document', id, julianday(made_at) FROM document WHERE patient_id IN own) `

// HappenedIn lists what happened in a chart, newest first, as many as limit after the one
// named (from the newest for none).
func (q *Q) HappenedIn(patient string, after Happened, limit int) ([]Happened, error) {
	return list(q, func(s scanner, h *Happened) error { return s.Scan(&h.Kind, &h.ID) }, happened+`SELECT kind, id FROM happened
		WHERE ?2 = '' OR (t, kind, id) < (SELECT t, kind, id FROM happened WHERE kind = ?2 AND id = ?3) ORDER BY t DESC, kind DESC, id DESC LIMIT ?4`, patient, after.Kind, after.ID, limit)
}

// CountHappened counts what happened in a chart.
func (q *Q) CountHappened(patient string) (int, error) {
	return one(q, scalar[int], happened+"SELECT count(*) FROM happened", patient)
}

// VisitsIn lists visits by id.
func (q *Q) VisitsIn(ids []string) ([]Visit, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanVisit, visitQuery+"WHERE v.id IN (SELECT value FROM json_each(?))", string(all))
}

// VisitsOfOn lists a person's visits of a day (YYYY-MM-DD, practice time), in order.
func (q *Q) VisitsOfOn(patient, day string) ([]Visit, error) {
	return list(q, scanVisit, visitQuery+"WHERE v.patient_id "+samePerson+" AND v.day = ? ORDER BY v.starts_at", patient, day)
}

// SignedSince lists a person's visits whose notes were signed after a moment, newest first.
func (q *Q) SignedSince(patient string, at time.Time) ([]Visit, error) {
	return list(q, scanVisit, visitQuery+"WHERE v.patient_id "+samePerson+
		" AND v.stage_at > ? AND n.folio > 0 AND n.retracted = 0 ORDER BY v.starts_at DESC", patient, Stamp(at))
}

// ReportsSince lists a person's reports whose present issue was received after a moment,
// newest first, without values.
func (q *Q) ReportsSince(patient string, at time.Time) ([]Report, error) {
	return list(q, scanReport, reportQuery+"WHERE r.patient_id "+samePerson+" AND i.received_at > ? ORDER BY i.collected_at DESC, r.title",
		patient, Stamp(at))
}

// UnsignedReports lists a person's reports whose present issue nobody signed, newest first.
func (q *Q) UnsignedReports(patient string) ([]Report, error) {
	return q.withValues(list(q, scanReport,
		reportQuery+"WHERE r.patient_id "+samePerson+" AND r.signed_issue <> r.issue ORDER BY i.collected_at DESC, r.title", patient))
}

// OrdersAt lists the orders of a visit, newest first.
func (q *Q) OrdersAt(visit string) ([]Order, error) {
	return q.withTests(list(q, scanOrder, orderQuery+"WHERE o.visit_id = ? AND o.visit_id <> '' ORDER BY o.signed_at DESC", visit))
}

// ImmunizationsIn lists vaccines given by id.
func (q *Q) ImmunizationsIn(ids []string) ([]chart.Immunization, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanImmunization, "SELECT "+immunizationCols+" FROM immunization WHERE id IN (SELECT value FROM json_each(?))", string(all))
}

// DocumentsIn lists documents by id, without their content.
func (q *Q) DocumentsIn(ids []string) ([]Document, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanDocument, "SELECT id, patient_id, note_id, title, folio, made_by, made_at, form FROM document WHERE id IN (SELECT "+
		"value FROM json_each(?))", string(all))
}

// FaxesWith lists the faxes of some documents, newest first.
func (q *Q) FaxesWith(documents []string) ([]Fax, error) {
	all, _ := json.Marshal(documents)
	return list(q, scanFax, "SELECT "+faxCols+" FROM json_each(?) j JOIN fax f ON f.document_id = j.value ORDER BY f.at DESC", string(all))
}

// BesideNote lists what can be looked through beside a note of a patient: other notes that
// were not retracted, then reports, then documents, each newest first.
func (q *Q) BesideNote(patient, note string) ([]Happened, error) {
	return list(q, func(s scanner, h *Happened) error { return s.Scan(&h.Kind, &h.ID) },
		`WITH own(id) AS (SELECT id FROM patient WHERE person_id = (SELECT person_id FROM patient WHERE id = ?1))
		SELECT kind, id FROM (
			SELECT 1 AS k, 'note' AS kind, n.id AS id, julianday(v.starts_at) AS t FROM note n JOIN visit v ON v.id = n.visit_id WHERE n.patient_id IN own AND n.id <> ?2 AND n.retracted = 0
			UNION ALL SELECT 2, 'report', r.id, `+julian("i.collected_at")+` FROM report r JOIN report_issue i ON i.report_id = r.id AND i.issue = r.issue WHERE r.patient_id IN own AND r.gone_at = ''
			UNION ALL SELECT 3, 'document', id, julianday(made_at) FROM document WHERE patient_id IN own)
		ORDER BY k, t DESC, id DESC`, patient, note)
}

// NotesIn lists the heads of notes by id.
func (q *Q) NotesIn(ids []string) ([]Note, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanNote, "SELECT "+noteCols+" FROM note WHERE id IN (SELECT value FROM json_each(?))", string(all))
}
