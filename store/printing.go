package store

import (
	"encoding/json"
	"time"
)

// PrintBatch are reports that were put on paper together, each in the issue it had then.
type PrintBatch struct {
	ID, ByID string
	At       time.Time
	Reports  []PrintedReport
}

// PrintedReport is a report of a batch.
type PrintedReport struct {
	Batch, Report, Patient, Title, Collected string
	Issue                                    int
}

// PrintEvent is one making of a batch, as "pdf", "fhir" or "csv".
type PrintEvent struct {
	Batch, Form, ByID string
	At                time.Time
}

// AddPrintBatch stores a batch; one that is there already is left as it is, and added is false.
func (q *Q) AddPrintBatch(b PrintBatch) (added bool, err error) {
	there, err := one(q, scalar[bool], "SELECT EXISTS (SELECT 1 FROM print_batch WHERE id = ?)", b.ID)
	if err != nil || there {
		return false, err
	}
	if err := q.do("INSERT INTO print_batch(id, by_id, at) VALUES (?,?,?)", b.ID, b.ByID, Stamp(b.At)); err != nil {
		return false, err
	}
	for i, r := range b.Reports {
		if err := q.do("INSERT INTO print_report(batch_id, position, report_id, issue) VALUES (?,?,?,?)", b.ID, i, r.Report, r.Issue); err != nil {
			return false, err
		}
	}
	return true, nil
}

// AddPrintEvent keeps that a batch was made.
func (q *Q) AddPrintEvent(e PrintEvent) error {
	return q.do("INSERT INTO print_event(batch_id, form, by_id, at) VALUES (?,?,?,?)", e.Batch, e.Form, e.ByID, Stamp(e.At))
}

func scanPrintBatch(s scanner, b *PrintBatch) error {
	var at string
	err := s.Scan(&b.ID, &b.ByID, &at)
	b.At = Moment(at)
	return err
}

// PrintBatches lists batches, newest first, so many that were made before a moment.
func (q *Q) PrintBatches(before time.Time, n int) ([]PrintBatch, error) {
	return list(q, scanPrintBatch, "SELECT id, by_id, at FROM print_batch WHERE at < ? ORDER BY at DESC LIMIT ?", Stamp(before), n)
}

// PrintBatchByID finds a batch.
func (q *Q) PrintBatchByID(id string) (PrintBatch, error) {
	return one(q, scanPrintBatch, "SELECT id, by_id, at FROM print_batch WHERE id = ?", id)
}

// PrintedIn lists the reports of some batches in their order, with whose they are.
func (q *Q) PrintedIn(batches []string) ([]PrintedReport, error) {
	all, _ := json.Marshal(batches)
	return list(q, func(s scanner, r *PrintedReport) error {
		return s.Scan(&r.Batch, &r.Report, &r.Issue, &r.Patient, &r.Title, &r.Collected)
	}, `SELECT p.batch_id, p.report_id, p.issue, r.patient_id, r.title, i.collected_at FROM json_each(?) j JOIN print_report p ON p.batch_id = j.value
		JOIN report r ON r.id = p.report_id JOIN report_issue i ON i.report_id = p.report_id AND i.issue = p.issue ORDER BY p.batch_id, p.position`, string(all))
}

// PrintEventsOf lists when some batches were made, oldest first.
func (q *Q) PrintEventsOf(batches []string) ([]PrintEvent, error) {
	all, _ := json.Marshal(batches)
	return list(q, func(s scanner, e *PrintEvent) error {
		var at string
		err := s.Scan(&e.Batch, &e.Form, &e.ByID, &at)
		e.At = Moment(at)
		return err
	}, "SELECT e.batch_id, e.form, e.by_id, e.at FROM json_each(?) j JOIN print_event e ON e.batch_id = j.value ORDER BY e.id", string(all))
}

// ReportAt reads a report as it was in an issue, whatever came since.
func (q *Q) ReportAt(report string, issue int) (Report, error) {
	r, err := about(q, func(r Report) string { return r.PatientID })(one(q, scanReport, reportAtQuery, report, issue))
	if err != nil {
		return r, err
	}
	r.Values, err = list(q, scanValue, "SELECT "+valueCols+" FROM report_value v WHERE v.report_id = ? AND v.issue = ? ORDER BY v.position", report, issue)
	return r, err
}
