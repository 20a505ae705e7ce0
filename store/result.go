package store

import (
	"encoding/json"
	"strings"
	"time"

	"deftledger/core/result"
)

// Report is one reported test, at its present issue.
type Report struct {
	ID, PatientID, OrderID              string
	Position                            int
	Filler, Code, Title, LOINC, OwnerID string
	Status                              string
	Issue, SignedIssue, Version         int
	MatchedBy                           string
	VisitID                             string // of a test done in the house
	CollectedAt, ReportedAt             string // as received, RFC 3339 with zone or a date
	ReceivedAt                          time.Time
	Performer, Notes                    string
	InboxID                             int64
	Values                              []result.Value
}

const reportQuery = `SELECT r.id, r.patient_id, r.order_id, r.position, r.filler, r.code, r.title, r.loinc, r.owner_id, r.status, r.issue, r.signed_issue, r.version, r.matched_by, r.visit_id,
	i.collected_at, i.reported_at, i.received_at, i.performer, i.notes, i.inbox_id FROM report r JOIN report_issue i ON i.report_id = r.id AND i.issue = r.issue `

func scanReport(s scanner, r *Report) error {
	var received string
	err := s.Scan(&r.ID, &r.PatientID, &r.OrderID, &r.Position, &r.Filler, &r.Code, &r.Title, &r.LOINC, &r.OwnerID, &r.Status, &r.Issue,
		&r.SignedIssue, &r.Version, &r.MatchedBy, &r.VisitID,
		&r.CollectedAt, &r.ReportedAt, &received, &r.Performer, &r.Notes, &r.InboxID)
	r.ReceivedAt = Moment(received)
	return err
}

// ReportBySource finds the report of a laboratory's number and test code.
func (q *Q) ReportBySource(filler, code string) (Report, error) {
	return one(q, scanReport, reportQuery+"WHERE r.filler = ? AND r.code = ?", filler, code)
}

// ReportByID finds a report.
func (q *Q) ReportByID(id string) (Report, error) {
	return first(q.withValues(list(q, scanReport, reportQuery+"WHERE r.id = ?", id)))
}

// ReportsIn lists reports by id, with their values.
func (q *Q) ReportsIn(ids []string) ([]Report, error) {
	all, _ := json.Marshal(ids)
	return q.withValues(list(q, scanReport, reportQuery+"WHERE r.id IN (SELECT value FROM json_each(?))", string(all)))
}

// ReportsOf lists a patient's reports, newest collection first.
func (q *Q) ReportsOf(patient string) ([]Report, error) {
	return q.withValues(list(q, scanReport, reportQuery+"WHERE r.patient_id "+samePerson+" ORDER BY i.collected_at DESC, r.title", patient))
}

// ReportsAt lists the tests done in the house at a visit, in the order they were done.
func (q *Q) ReportsAt(visit string) ([]Report, error) {
	return q.withValues(list(q, scanReport, reportQuery+"WHERE r.visit_id = ? AND r.visit_id <> '' ORDER BY r.rowid", visit))
}

func (q *Q) withValues(rs []Report, err error) ([]Report, error) {
	if err != nil || len(rs) == 0 {
		return rs, err
	}
	ids := make([]string, len(rs))
	at := map[string]int{}
	for i, r := range rs {
		ids[i], at[r.ID] = r.ID, i
	}
	all, _ := json.Marshal(ids)
	type row struct {
		report string
		v      result.Value
	}
	values, err := list(q, func(s scanner, r *row) error {
		v := &r.v
		return s.Scan(&r.report, &v.Code, &v.Name, &v.LOINC, &v.Text, &v.Unit, &v.Range, &v.Flag, &v.Status, &v.Notes)
	}, `SELECT v.report_id, v.code, v.name, v.loinc, v.text, v.unit, v.range, v.flag, v.status, v.notes FROM json_each(?) j
		JOIN report r ON r.id = j.value JOIN report_value v ON v.report_id = r.id AND v.issue = r.issue ORDER BY v.report_id, v.position`,
		string(all))
	for _, v := range values {
		i := at[v.report]
		rs[i].Values = append(rs[i].Values, v.v)
	}
	return rs, err
}

// AddReport stores a new report; its issue is added with AddIssue.
func (q *Q) AddReport(r Report) error {
	return q.do("INSERT INTO report(id, patient_id, order_id, position, filler, code, title, loinc, owner_id, status, issue, matched_by, "+
		"visit_id) VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?)",
		r.ID, r.PatientID, r.OrderID, r.Position, r.Filler, r.Code, r.Title, r.LOINC, r.OwnerID, r.Status, r.Issue, r.MatchedBy, r.VisitID)
}

// AddIssue stores one issue of a report with its values.
func (q *Q) AddIssue(r Report) error {
	if err := q.do("INSERT INTO report_issue(report_id, issue, inbox_id, status, collected_at, reported_at, received_at, performer, notes) "+
		"VALUES (?,?,?,?,?,?,?,?,?)", r.ID, r.Issue, r.InboxID, r.Status, r.CollectedAt, r.ReportedAt, Stamp(r.ReceivedAt), r.Performer,
		r.Notes); err != nil {
		return err
	}
	// So many values to a statement, which stays prepared.
	const most = 8
	for at := 0; at < len(r.Values); at += most {
		some := r.Values[at:min(at+most, len(r.Values))]
		args := make([]any, 0, 12*len(some))
		for i, v := range some {
			args = append(args, r.ID, r.Issue, at+i, v.Code, v.Name, v.LOINC, v.Text, v.Unit, v.Range, v.Flag, v.Status, v.Notes)
		}
		rows := strings.TrimSuffix(strings.Repeat("(?,?,?,?,?,?,?,?,?,?,?,?),", len(some)), ",")
		if err := q.do("INSERT INTO report_value(report_id, issue, position, code, name, loinc, text, unit, range, flag, status, notes) VALUES "+
			rows, args...); err != nil {
			return err
		}
	}
	return nil
}

// NextIssue makes a stored issue the present one.
func (q *Q) NextIssue(r Report) error {
	return q.do("UPDATE report SET status = ?, issue = ?, version = version + 1 WHERE id = ?", r.Status, r.Issue, r.ID)
}

// IssueCount says how many issues of a report are stored.
func (q *Q) IssueCount(report string) (int, error) {
	return one(q, scalar[int], "SELECT max(issue) FROM report_issue WHERE report_id = ?", report)
}

// Earlier is a former value of the same analyte.
type Earlier struct {
	LOINC, Code string
	CollectedAt string
	Text, Unit  string
	Flag        string
}

// EarlierValues lists, newest first, the final values of a patient's analytes
// (by LOINC, else by the laboratory's code) collected before a report.
func (q *Q) EarlierValues(r Report) ([]Earlier, error) {
	return list(q, func(s scanner, e *Earlier) error {
		return s.Scan(&e.LOINC, &e.Code, &e.CollectedAt, &e.Text, &e.Unit, &e.Flag)
	}, `SELECT v.loinc, v.code, i.collected_at, v.text, v.unit, v.flag FROM report o
		JOIN report_issue i ON i.report_id = o.id AND i.issue = o.issue
		JOIN report_value v ON v.report_id = o.id AND v.issue = o.issue
		WHERE o.patient_id `+samePerson+
		` AND o.id <> ? AND o.status IN ('F', 'C') AND julianday(i.collected_at) < julianday(?) ORDER BY julianday(i.collected_at) DESC LIMIT 400`, r.PatientID, r.ID, r.CollectedAt)
}

// Review is a signature under one issue of a report.
type Review struct {
	ReportID                  string
	Issue                     int
	Comment, Told, ToldReason string
	SignedBy                  string
	SignedAt                  time.Time
	Folio                     int
}

// AddReview stores a review and marks the issue signed, if it is still the present
// issue and the report is at the version it was seen in.
func (q *Q) AddReview(v Review, version int) error {
	n, err := q.exec("UPDATE report SET signed_issue = issue, version = version + 1 WHERE id = ? AND version = ? AND issue = ? AND "+
		"signed_issue <> issue", v.ReportID, version, v.Issue)
	if err != nil {
		return err
	}
	if n == 0 {
		return ErrStale
	}
	return q.do("INSERT INTO review(report_id, issue, comment, told, told_reason, signed_by, signed_at, folio) VALUES (?,?,?,?,?,?,?,?)",
		v.ReportID, v.Issue, v.Comment, v.Told, v.ToldReason, v.SignedBy, Stamp(v.SignedAt), v.Folio)
}

// Reviews lists the reviews of a report, newest first.
func (q *Q) Reviews(report string) ([]Review, error) {
	return list(q, func(s scanner, v *Review) error {
		var at string
		err := s.Scan(&v.ReportID, &v.Issue, &v.Comment, &v.Told, &v.ToldReason, &v.SignedBy, &at, &v.Folio)
		v.SignedAt = Moment(at)
		return err
	}, "SELECT report_id, issue, comment, told, told_reason, signed_by, signed_at, folio FROM review WHERE report_id = ? ORDER BY issue DESC", report)
}
