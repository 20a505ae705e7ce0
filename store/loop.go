package store

import (
	"time"

	"deftledger/core/line"
	"deftledger/core/result"
)

// OrderedTest is a test of an order with how far it came: for the measure of the loop over the practice, which names people and reads
// no chart.
type OrderedTest struct {
	line.Turn
	Order, Placer, Report string
	PatientID, Given      string
	Family                string
	ReportedWay           string // how the patient was told with the signature
	WaitsFor              string // who answers for what is open; "" for whoever may
	Answered              bool   // a report of it is in the chart
}

// OrderedTests lists the tests that a clinician ordered since a moment, newest first. Collected, received and signed are those of the
// first report of each; told is when the patient was told with the signature, or the telling that was promised was done.
func (q *Q) OrderedTests(clinician string, since time.Time) ([]OrderedTest, error) {
	return list(q, func(s scanner, t *OrderedTest) error {
		var ordered, drawn, collected, received, signed, told string
		var state string
		if err := s.Scan(&t.Order, &t.Placer, &t.PatientID, &t.Given, &t.Family, &t.Clinician, &t.Test, &state, &ordered, &drawn, &t.Report, &collected, &received, &signed,
			&t.ReportedWay, &told, &t.Open, &t.WaitsFor); err != nil {
			return err
		}
		t.Ordered, t.Collected, t.Received, t.Signed, t.Told = Moment(ordered), result.Begins(collected), Moment(received), Moment(signed), Moment(told)
		if t.Collected.IsZero() {
			t.Collected = Moment(drawn)
		}
		t.Cancelled, t.Answered = state == "cancelled", t.Report != ""
		return nil
	}, `SELECT o.id, o.placer, o.patient_id, p.given, p.family, o.clinician_id, t.name, o.state, o.signed_at, o.collected_at,
		coalesce(r.id, ''), coalesce((SELECT i.collected_at FROM report_issue i WHERE i.report_id = r.id ORDER BY i.issue LIMIT 1), ''),
		coalesce((SELECT i.received_at FROM report_issue i WHERE i.report_id = r.id ORDER BY i.issue LIMIT 1), ''),
		coalesce((SELECT w.signed_at FROM review w WHERE w.report_id = r.id AND w.issue = r.signed_issue AND r.signed_issue = r.issue), ''),
		coalesce((SELECT w.told FROM review w WHERE w.report_id = r.id AND w.issue = r.signed_issue), ''),
		coalesce((SELECT CASE WHEN w.told IN ('telephone', 'in person', 'not told') THEN w.signed_at ELSE
			(SELECT max(n.done_at) FROM inquiry n WHERE n.patient_id IN (o.patient_id, p.person_id) AND n.kind = 'telling' AND n.at >= w.signed_at AND n.done_at <> '' AND
			EXISTS (SELECT 1 FROM json_each(n.said, '$.reports') j WHERE j.value ->> '$.id' = r.id)) END FROM review w WHERE w.report_id = r.id AND w.issue = r.signed_issue), ''),
		EXISTS (SELECT 1 FROM line l WHERE l.kind = 'order' AND l.subject = o.id AND l.closed_at = '') OR EXISTS (SELECT 1 FROM line l WHERE l.kind = 'report' AND l.subject = r.id AND l.closed_at = '')
			OR EXISTS (SELECT 1 FROM inquiry n JOIN line l ON l.kind = 'to tell' AND l.subject = n.id AND l.closed_at = '' WHERE n.patient_id IN (o.patient_id, p.person_id) AND n.kind = 'telling' AND
			EXISTS (SELECT 1 FROM json_each(n.said, '$.reports') j WHERE j.value ->> '$.id' = r.id)),
		coalesce((SELECT l.owner_id FROM line l WHERE l.kind = 'report' AND l.subject = r.id AND l.closed_at = ''), (SELECT l.owner_id FROM line l WHERE l.kind = 'order' AND l.subject = o.id AND l.closed_at = ''),
			(SELECT l.owner_id FROM inquiry n JOIN line l ON l.kind = 'to tell' AND l.subject = n.id AND l.closed_at = '' WHERE n.patient_id IN (o.patient_id, p.person_id) AND n.kind = 'telling' AND
			EXISTS (SELECT 1 FROM json_each(n.said, '$.reports') j WHERE j.value ->> '$.id' = r.id) LIMIT 1), '')
		FROM lab_order o JOIN patient p ON p.id = o.patient_id JOIN order_test t ON t.order_id = o.id
		LEFT JOIN report r ON r.order_id = o.id AND r.position = t.position AND r.gone_at = ''
		WHERE o.clinician_id = ? AND o.signed_at >= ? ORDER BY o.signed_at DESC`, clinician, Stamp(since))
}
