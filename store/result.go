package store

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"deftledger/core/result"
)

// Report is one reported test, at its present issue.
type Report struct {
	ID, PatientID, OrderID              string
	Position                            int
	Source                              string // by what it is known again
	Filler, Code, Title, LOINC, OwnerID string
	Status                              string
	WasFinal                            bool // an earlier issue was
	Issue, SignedIssue, Version         int
	MatchedBy, MatchedWhy               string
	GoneAt                              string // when it left the chart; "" while it is there
	VisitID                             string // of a test done in the house
	CollectedAt, ReportedAt             string // as received, RFC 3339 with zone or a date
	ReceivedAt                          time.Time
	Performer, Notes                    string
	InboxID                             int64
	Part                                int // of that message, from 1
	Late                                bool
	Details                             ReportDetails
	Values                              []result.Value
}

// ReportDetails are what came with an issue of a report beside it.
type ReportDetails struct {
	Specimens     []result.Specimen `json:"specimens,omitempty"`
	Parent        string            `json:"parent,omitempty"`
	Reason        string            `json:"reason,omitempty"`
	Records       []string          `json:"records,omitempty"`       // numbers of the patient, with who gave them
	PatientNotes  string            `json:"patientNotes,omitempty"`  // said of the patient, not of the report
	MessageNotes  string            `json:"messageNotes,omitempty"`  // said before any patient
	CollectedSaid string            `json:"collectedSaid,omitempty"` // what came and is no time
	ReportedSaid  string            `json:"reportedSaid,omitempty"`
	Paper         string            `json:"paper,omitempty"`   // the document it was typed from
	Orderer       string            `json:"orderer,omitempty"` // as the message names them
	Copies        []string          `json:"copies,omitempty"`  // to whom else it went
	Reused        bool              `json:"reused,omitempty"`  // the laboratory's number was used before, for another report
}

const reportQuery = `SELECT r.id, r.patient_id, r.order_id, r.position, r.source, r.filler, r.code, r.title, r.loinc, r.owner_id, r.status,
	EXISTS (SELECT 1 FROM report_issue f WHERE f.report_id = r.id AND f.issue < r.issue AND f.status IN ('F', 'C', 'X')),
	r.issue, r.signed_issue, r.version, r.matched_by, r.matched_why, r.gone_at, r.visit_id,
	i.collected_at, i.reported_at, i.received_at, i.performer, i.notes, i.inbox_id, i.part, i.late, i.details
	FROM report r JOIN report_issue i ON i.report_id = r.id AND i.issue = r.issue `

// reportAtQuery reads a report as it was in one of its issues.
const reportAtQuery = `SELECT r.id, r.patient_id, r.order_id, r.position, r.source, r.filler, r.code, r.title, r.loinc, r.owner_id, i.status,
	EXISTS (SELECT 1 FROM report_issue f WHERE f.report_id = r.id AND f.issue < i.issue AND f.status IN ('F', 'C', 'X')),
	i.issue, r.signed_issue, r.version, r.matched_by, r.matched_why, r.gone_at, r.visit_id,
	i.collected_at, i.reported_at, i.received_at, i.performer, i.notes, i.inbox_id, i.part, i.late, i.details
	FROM report r JOIN report_issue i ON i.report_id = r.id AND i.issue = ?2 WHERE r.id = ?1`

func scanReport(s scanner, r *Report) error {
	var received, details string
	err := s.Scan(&r.ID, &r.PatientID, &r.OrderID, &r.Position, &r.Source, &r.Filler, &r.Code, &r.Title, &r.LOINC, &r.OwnerID, &r.Status,
		&r.WasFinal, &r.Issue, &r.SignedIssue, &r.Version, &r.MatchedBy, &r.MatchedWhy, &r.GoneAt, &r.VisitID,
		&r.CollectedAt, &r.ReportedAt, &received, &r.Performer, &r.Notes, &r.InboxID, &r.Part, &r.Late, &details)
	r.ReceivedAt = Moment(received)
	if err != nil || details == "" {
		return err
	}
	return json.Unmarshal([]byte(details), &r.Details)
}

// ReportsBySource lists the reports in charts that are known by the same source; there may
// be one in the chart of another.
func (q *Q) ReportsBySource(source string) ([]Report, error) {
	return list(q, scanReport, reportQuery+"WHERE r.source = ? AND r.gone_at = '' ORDER BY r.rowid", source)
}

// NumberUsed says whether a laboratory's number stands for another report of a test.
func (q *Q) NumberUsed(filler, code string) (bool, error) {
	return one(q, scalar[bool], "SELECT EXISTS (SELECT 1 FROM report WHERE filler = ? AND code = ?)", filler, code)
}

// ReportsOfMessage lists the reports in charts of which an issue came with a part of a
// message.
func (q *Q) ReportsOfMessage(inbox int64, part int) ([]Report, error) {
	return list(q, scanReport, reportQuery+"WHERE r.gone_at = '' AND r.id IN (SELECT report_id FROM report_issue WHERE inbox_id = ? AND part = ?)",
		inbox, part)
}

// MessagePart is what a message says of one patient, from 1.
type MessagePart struct {
	Inbox int64
	Part  int
}

// PartsOfReport lists the parts of messages from which the issues of a report came.
func (q *Q) PartsOfReport(report string) ([]MessagePart, error) {
	return list(q, func(s scanner, p *MessagePart) error { return s.Scan(&p.Inbox, &p.Part) },
		"SELECT DISTINCT inbox_id, part FROM report_issue WHERE report_id = ? ORDER BY issue", report)
}

// ReportGone takes a report out of its chart. What was received and signed stays.
func (q *Q) ReportGone(report string, at time.Time) error {
	return q.do("UPDATE report SET gone_at = ?, version = version + 1 WHERE id = ?", Stamp(at), report)
}

// IssueAt reads one issue of a report as it reads.
func (q *Q) IssueAt(report string, issue int) (result.Issue, error) {
	out, err := one(q, func(s scanner, i *result.Issue) error { return s.Scan(&i.Status, &i.Collected, &i.Notes) },
		"SELECT status, collected_at, notes FROM report_issue WHERE report_id = ? AND issue = ?", report, issue)
	if err != nil {
		return out, err
	}
	out.Values, err = list(q, scanValue, "SELECT "+valueCols+" FROM report_value v WHERE v.report_id = ? AND v.issue = ? ORDER BY v.position", report, issue)
	return out, err
}

// IssueBefore is the number of the issue that was the present one before, 0 for none.
func (q *Q) IssueBefore(report string, issue int) (int, error) {
	return one(q, scalar[int], "SELECT coalesce(max(issue), 0) FROM report_issue WHERE report_id = ? AND issue < ? AND late = 0", report, issue)
}

// StaysSigned marks the present issue as signed: it reads as the one that was.
func (q *Q) StaysSigned(report string) error {
	return q.do("UPDATE report SET signed_issue = issue WHERE id = ?", report)
}

// LateIssues tells of the issues of some reports that came late, older than what was there: when they were received.
func (q *Q) LateIssues(reports []string) (map[string][]string, error) {
	all, _ := json.Marshal(reports)
	type row struct{ report, at string }
	rows, err := list(q, func(s scanner, r *row) error { return s.Scan(&r.report, &r.at) },
		"SELECT i.report_id, i.received_at FROM json_each(?) j JOIN report_issue i ON i.report_id = j.value WHERE i.late = 1 ORDER BY i.report_id, i.issue", string(all))
	out := map[string][]string{}
	for _, r := range rows {
		out[r.report] = append(out[r.report], r.at)
	}
	return out, err
}

const valueCols = "v.code, v.name, v.loinc, v.text, v.unit, v.range, v.flag, v.status, v.notes, v.details"

func valueFields(v *result.Value, details *string) []any {
	return []any{&v.Code, &v.Name, &v.LOINC, &v.Text, &v.Unit, &v.Range, &v.Flag, &v.Status, &v.Notes, details}
}

func scanValue(s scanner, v *result.Value) error {
	var details string
	if err := s.Scan(valueFields(v, &details)...); err != nil || details == "" {
		return err
	}
	return json.Unmarshal([]byte(details), &v.Details)
}

// ReportByID finds a report.
func (q *Q) ReportByID(id string) (Report, error) {
	return about(q, func(r Report) string { return r.PatientID })(first(q.withValues(list(q, scanReport, reportQuery+"WHERE r.id = ?", id))))
}

// ReportsIn lists reports by id, with their values.
func (q *Q) ReportsIn(ids []string) ([]Report, error) {
	all, _ := json.Marshal(ids)
	return q.withValues(list(q, scanReport, reportQuery+"WHERE r.id IN (SELECT value FROM json_each(?))", string(all)))
}

// ReportsOf lists a patient's reports, newest collection first.
func (q *Q) ReportsOf(patient string) ([]Report, error) {
	return q.withValues(list(q, scanReport, reportQuery+"WHERE r.gone_at = '' AND r.patient_id "+samePerson+" ORDER BY i.collected_at DESC, r.title", patient))
}

// ReportsOfOrder lists the reports in charts that answer an order.
func (q *Q) ReportsOfOrder(order string) ([]Report, error) {
	return q.withValues(list(q, scanReport, reportQuery+"WHERE r.order_id = ? AND r.gone_at = '' ORDER BY r.position", order))
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
		var details string
		if err := s.Scan(append([]any{&r.report}, valueFields(&r.v, &details)...)...); err != nil || details == "" {
			return err
		}
		return json.Unmarshal([]byte(details), &r.v.Details)
	}, "SELECT v.report_id, "+valueCols+` FROM json_each(?) j
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
	return q.do("INSERT INTO report(id, patient_id, order_id, position, source, filler, code, title, loinc, owner_id, status, issue, matched_by, "+
		"matched_why, visit_id) VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)",
		r.ID, r.PatientID, r.OrderID, r.Position, r.Source, r.Filler, r.Code, r.Title, r.LOINC, r.OwnerID, r.Status, r.Issue, r.MatchedBy,
		r.MatchedWhy, r.VisitID)
}

// AddIssue stores one issue of a report with its values.
func (q *Q) AddIssue(r Report) error {
	if err := q.do("INSERT INTO report_issue(report_id, issue, inbox_id, part, status, collected_at, reported_at, received_at, performer, notes, "+
		"late, details) VALUES (?,?,?,?,?,?,?,?,?,?,?,?)", r.ID, r.Issue, r.InboxID, max(1, r.Part), r.Status, r.CollectedAt, r.ReportedAt,
		Stamp(r.ReceivedAt), r.Performer, r.Notes, r.Late, asJSON(r.Details)); err != nil {
		return err
	}
	// So many values to a statement, which stays prepared.
	const most = 8
	for at := 0; at < len(r.Values); at += most {
		some := r.Values[at:min(at+most, len(r.Values))]
		args := make([]any, 0, 13*len(some))
		for i, v := range some {
			args = append(args, r.ID, r.Issue, at+i, v.Code, v.Name, v.LOINC, v.Text, v.Unit, v.Range, v.Flag, v.Status, v.Notes,
				asJSON(v.Details))
		}
		rows := strings.TrimSuffix(strings.Repeat("(?,?,?,?,?,?,?,?,?,?,?,?,?),", len(some)), ",")
		if err := q.do("INSERT INTO report_value(report_id, issue, position, code, name, loinc, text, unit, range, flag, status, notes, details) VALUES "+
			rows, args...); err != nil {
			return err
		}
	}
	return nil
}

// asJSON writes details, nothing where there are none.
func asJSON(details any) string {
	if b, _ := json.Marshal(details); string(b) != "{}" {
		return string(b)
	}
	return ""
}

// GiveReport says who answers for a report from now on.
func (q *Q) GiveReport(report, owner string) error {
	return q.do("UPDATE report SET owner_id = ?, version = version + 1 WHERE id = ?", owner, report)
}

// NextIssue makes a stored issue the present one.
func (q *Q) NextIssue(r Report) error {
	return q.do("UPDATE report SET status = ?, issue = ?, version = version + 1 WHERE id = ?", r.Status, r.Issue, r.ID)
}

// IssueOf is the present issue of a report.
func (q *Q) IssueOf(report string) (int, error) {
	return one(q, scalar[int], "SELECT issue FROM report WHERE id = ?", report)
}

// IssueCount says how many issues of a report are stored.
func (q *Q) IssueCount(report string) (int, error) {
	return one(q, scalar[int], "SELECT max(issue) FROM report_issue WHERE report_id = ?", report)
}

// Earlier is a former value of the same analyte.
type Earlier struct {
	ReportID    string
	LOINC, Code string
	CollectedAt string
	Text, Unit  string
	Flag, Range string
	Performer   string // who measured it: of the value, else of the report
	Method      string
}

// mostEarlier bounds how many earlier values of an analyte are read: what stands beside a value, and a trend over years.
const mostEarlier = 60

// EarlierValues lists, newest first, the final values of a patient that were collected until a moment: of each analyte (by LOINC,
// else by the laboratory's code) the newest ones. Which those are is found by the keys alone, in the order of the reports: sorting
// thousands of values in the database takes three times as long.
func (q *Q) EarlierValues(patient, until string) ([]Earlier, error) {
	type values struct {
		report string
		issue  int
		keys   string // position, LOINC and code of each, parted
	}
	reports, err := list(q, func(s scanner, v *values) error { return s.Scan(&v.report, &v.issue, &v.keys) },
		`SELECT o.id, o.issue, coalesce((SELECT group_concat(v.position || char(31) || v.loinc || char(31) || v.code, char(30)) FROM report_value v
			WHERE v.report_id = o.id AND v.issue = o.issue AND v.status IN ('', 'F', 'C', 'U') AND v.text <> ''), '') FROM (
			SELECT r.id, r.issue, r.rowid AS n, `+julian("i.collected_at")+` AS at FROM report r JOIN report_issue i ON i.report_id = r.id AND i.issue = r.issue
			WHERE r.patient_id `+samePerson+` AND r.gone_at = '' AND r.status IN ('F', 'C') AND at <= `+julian("?2")+`) o ORDER BY o.at DESC, o.n DESC`, patient, until)
	if err != nil {
		return nil, err
	}
	var wanted []string
	seen := map[string]int{}
	for _, r := range reports {
		id, _ := json.Marshal(r.report)
		for v := range strings.SplitSeq(r.keys, "\x1e") {
			position, of, there := strings.Cut(v, "\x1f")
			if !there {
				continue
			}
			if loinc, _, _ := strings.Cut(of, "\x1f"); loinc != "" {
				of = loinc
			}
			if seen[of]++; seen[of] <= mostEarlier {
				wanted = append(wanted, fmt.Sprintf(`[%s,%d,%s]`, id, r.issue, position))
			}
		}
	}
	return list(q, func(s scanner, e *Earlier) error {
		return s.Scan(&e.ReportID, &e.LOINC, &e.Code, &e.CollectedAt, &e.Text, &e.Unit, &e.Flag, &e.Range, &e.Performer, &e.Method)
	}, `SELECT v.report_id, v.loinc, v.code, i.collected_at, v.text, v.unit, v.flag, v.range, coalesce(nullif(nullif(v.details, '') ->> '$.performer', ''), i.performer),
			coalesce(nullif(v.details, '') ->> '$.method', '')
		FROM json_each(?) j CROSS JOIN report_value v ON v.report_id = j.value ->> 0 AND v.issue = j.value ->> 1 AND v.position = j.value ->> 2
		CROSS JOIN report_issue i ON i.report_id = v.report_id AND i.issue = v.issue ORDER BY j.key`, "["+strings.Join(wanted, ",")+"]")
}

// julian is the moment of a column that is as precise as it came: a year, a month, a day, an
// hour, or finer.
func julian(column string) string {
	return "julianday(CASE length(" + column + ") WHEN 4 THEN " + column + " || '-01-01' WHEN 7 THEN " + column + " || '-01' WHEN 14 THEN substr(" +
		column + ", 1, 13) || ':00Z' WHEN 19 THEN substr(" + column + ", 1, 13) || ':00' || substr(" + column + ", 14) ELSE " + column + " END)"
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
	all, err := q.ReviewsIn([]string{report})
	return all[report], err
}

// ReviewsIn lists the reviews of some reports, newest first.
func (q *Q) ReviewsIn(reports []string) (map[string][]Review, error) {
	all, _ := json.Marshal(reports)
	rows, err := list(q, func(s scanner, v *Review) error {
		var at string
		err := s.Scan(&v.ReportID, &v.Issue, &v.Comment, &v.Told, &v.ToldReason, &v.SignedBy, &at, &v.Folio)
		v.SignedAt = Moment(at)
		return err
	}, "SELECT v.report_id, v.issue, v.comment, v.told, v.told_reason, v.signed_by, v.signed_at, v.folio FROM json_each(?) j JOIN review v ON v.report_id = j.value ORDER BY v.report_id, v.issue DESC", string(all))
	out := map[string][]Review{}
	for _, v := range rows {
		out[v.ReportID] = append(out[v.ReportID], v)
	}
	return out, err
}

// ReviewAddendum is what was added to a review after it was signed.
type ReviewAddendum struct {
	ID, ReportID, Says, ByID string
	Issue, Folio             int
	At                       time.Time
}

// AddReviewAddendum keeps what is added to a review.
func (q *Q) AddReviewAddendum(x ReviewAddendum) error {
	return q.do("INSERT INTO review_addendum(id, report_id, issue, says, by_id, at, folio) VALUES (?,?,?,?,?,?,?)", x.ID, x.ReportID, x.Issue, x.Says, x.ByID, Stamp(x.At), x.Folio)
}

// ReviewAddenda lists what was added to the reviews of some reports, oldest first.
func (q *Q) ReviewAddenda(reports []string) (map[string][]ReviewAddendum, error) {
	all, _ := json.Marshal(reports)
	rows, err := list(q, func(s scanner, x *ReviewAddendum) error {
		var at string
		err := s.Scan(&x.ID, &x.ReportID, &x.Issue, &x.Says, &x.ByID, &at, &x.Folio)
		x.At = Moment(at)
		return err
	}, "SELECT x.id, x.report_id, x.issue, x.says, x.by_id, x.at, x.folio FROM json_each(?) j JOIN review_addendum x ON x.report_id = j.value ORDER BY x.at, x.id", string(all))
	out := map[string][]ReviewAddendum{}
	for _, x := range rows {
		out[x.ReportID] = append(out[x.ReportID], x)
	}
	return out, err
}
