package store

import (
	"encoding/json"
	"time"

	"deftledger/core/chart"
	"deftledger/core/order"
)

const immunizationCols = "id, patient_id, visit_id, cvx, name, maker, lot, expires, dose, route, site, sheet, given_at, given_by"

func scanImmunization(s scanner, i *chart.Immunization) error {
	var at string
	err := s.Scan(&i.ID, &i.PatientID, &i.VisitID, &i.CVX, &i.Name, &i.Maker, &i.Lot, &i.Expires, &i.Dose, &i.Route, &i.Site, &i.Sheet, &at,
		&i.GivenBy)
	i.GivenAt = Moment(at)
	return err
}

// AddImmunization stores a vaccine given; added is false when the act was stored before.
func (q *Q) AddImmunization(i chart.Immunization) (added bool, err error) {
	n, err := q.exec("INSERT INTO immunization("+immunizationCols+") VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?) ON CONFLICT(id) DO NOTHING",
		i.ID, i.PatientID, i.VisitID, i.CVX, i.Name, i.Maker, i.Lot, i.Expires, i.Dose, i.Route, i.Site, i.Sheet, Stamp(i.GivenAt), i.GivenBy)
	return n > 0, err
}

// Immunizations lists the vaccines given to a patient, newest first.
func (q *Q) Immunizations(patient string) ([]chart.Immunization, error) {
	return immunizations(patient).read(q)
}

// AllImmunizations lists the vaccines given to a patient, here and elsewhere.
func (q *Q) AllImmunizations(patient string) ([]chart.Immunization, error) {
	r := chart.Record{}
	here, err := q.Immunizations(patient)
	if err != nil {
		return nil, err
	}
	r.Immunizations = here
	care, err := q.CareOf(patient)
	taken(&r, care, nil)
	return r.Immunizations, err
}

func immunizations(patient string) rows[chart.Immunization] {
	return rows[chart.Immunization]{cols: immunizationCols, from: "immunization WHERE patient_id " + samePerson + " AND struck_at = ''",
		order: "given_at DESC, rowid DESC", args: []any{patient}, scan: scanImmunization}
}

// ImmunizationsAt lists the vaccines given at a visit.
func (q *Q) ImmunizationsAt(visit string) ([]chart.Immunization, error) {
	return immunizationsAt(visit).read(q)
}

func immunizationsAt(visit string) rows[chart.Immunization] {
	return rows[chart.Immunization]{cols: immunizationCols, from: "immunization WHERE visit_id = ? AND visit_id <> '' AND struck_at = ''",
		order: "given_at, rowid", args: []any{visit}, scan: scanImmunization}
}

// LastLots returns, for each of some vaccines, what was last given of it in the practice:
// its package is probably the one at hand.
func (q *Q) LastLots(cvx []string) ([]chart.Immunization, error) {
	all, _ := json.Marshal(cvx)
	return list(q, scanImmunization, "SELECT "+of("i", immunizationCols)+` FROM json_each(?) j JOIN immunization i ON i.rowid =
		(SELECT rowid FROM immunization WHERE cvx = j.value AND struck_at = '' ORDER BY given_at DESC LIMIT 1)`, string(all))
}

// StrikeImmunization takes a wrong record of a vaccine back; it stays, struck.
func (q *Q) StrikeImmunization(visit, id, by, reason string, at time.Time) error {
	return q.must("UPDATE immunization SET struck_at = ?, struck_by = ?, struck_reason = ? WHERE id = ? AND visit_id = ? AND struck_at = ''",
		Stamp(at), by, reason, id, visit)
}

// HouseResult is with what a test of the house was done.
type HouseResult struct {
	ReportID                        string
	Issue                           int
	Test, Lot, Expires, Control, By string
	At                              time.Time
}

func scanHouseResult(s scanner, h *HouseResult) error {
	var at string
	err := s.Scan(&h.ReportID, &h.Issue, &h.Test, &h.Lot, &h.Expires, &h.Control, &h.By, &at)
	h.At = Moment(at)
	return err
}

const houseCols = "report_id, issue, test, lot, expires, control, by_id, at"

// AddHouseResult stores with what a test was done.
func (q *Q) AddHouseResult(h HouseResult) error {
	return q.do("INSERT INTO house_result("+houseCols+") VALUES (?,?,?,?,?,?,?,?)", h.ReportID, h.Issue, h.Test, h.Lot, h.Expires, h.Control,
		h.By, Stamp(h.At))
}

// HouseResultsAt lists with what the tests of a visit were done, at their present issue.
func (q *Q) HouseResultsAt(visit string) ([]HouseResult, error) {
	return list(q, scanHouseResult,
		"SELECT "+of("h", houseCols)+
			" FROM report r JOIN house_result h ON h.report_id = r.id AND h.issue = r.issue WHERE r.visit_id = ? AND r.visit_id <> ''", visit)
}

// LastKits returns, for each of some tests, the kit it was last done with in the practice.
func (q *Q) LastKits(tests []string) ([]HouseResult, error) {
	all, _ := json.Marshal(tests)
	return list(q, scanHouseResult, "SELECT "+of("h", houseCols)+` FROM json_each(?) j JOIN house_result h ON (h.report_id, h.issue) =
		(SELECT report_id, issue FROM house_result WHERE test = j.value ORDER BY at DESC LIMIT 1)`, string(all))
}

// Prepared is an order prepared for a physician's signature.
type Prepared struct {
	ID, PatientID, VisitID, ForID, ByID string
	At                                  time.Time
	Priority                            string
	Collected                           bool
	Tests                               []order.Line
	State                               order.PreparedState
	Reason, OrderID, RequestID          string
	Detail                              PreparedDetail
}

// PreparedDetail is what else was prepared.
type PreparedDetail struct {
	Drawing order.Drawing `json:"drawing,omitempty"`
	Site    string        `json:"site,omitempty"`
	Payer   order.Payer   `json:"payer"`
	Copies  []order.Copy  `json:"copies,omitempty"`
}

const preparedCols = "id, patient_id, visit_id, for_id, by_id, at, priority, collected, tests, state, reason, order_id, request_id"

const preparedQuery = "SELECT " + preparedCols + ", coalesce((SELECT detail FROM prepared_more WHERE prepared_id = id), '{}') FROM prepared_order "

func scanPrepared(s scanner, p *Prepared) error {
	var at, tests, detail string
	if err := s.Scan(&p.ID, &p.PatientID, &p.VisitID, &p.ForID, &p.ByID, &at, &p.Priority, &p.Collected, &tests, &p.State, &p.Reason,
		&p.OrderID, &p.RequestID, &detail); err != nil {
		return err
	}
	p.At = Moment(at)
	if err := json.Unmarshal([]byte(detail), &p.Detail); err != nil {
		return err
	}
	return json.Unmarshal([]byte(tests), &p.Tests)
}

// AddPrepared stores a prepared order; added is false when the act was stored before.
func (q *Q) AddPrepared(p Prepared) (added bool, err error) {
	tests, err := json.Marshal(p.Tests)
	if err != nil {
		return false, err
	}
	n, err := q.exec("INSERT INTO prepared_order("+preparedCols+") VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?) ON CONFLICT(request_id) DO NOTHING",
		p.ID, p.PatientID, p.VisitID, p.ForID, p.ByID, Stamp(p.At), p.Priority, p.Collected, string(tests), p.State, p.Reason, p.OrderID,
		p.RequestID)
	if err != nil || n == 0 {
		return false, err
	}
	detail, err := json.Marshal(p.Detail)
	if err != nil {
		return false, err
	}
	return true, q.do("INSERT INTO prepared_more(prepared_id, detail) VALUES (?,?)", p.ID, string(detail))
}

// PreparedByID finds a prepared order.
func (q *Q) PreparedByID(id string) (Prepared, error) {
	return about(q, func(p Prepared) string { return p.PatientID })(one(q, scanPrepared, preparedQuery+"WHERE id = ?", id))
}

// PreparedByRequest finds the one that a retried act already made.
func (q *Q) PreparedByRequest(request string) (Prepared, error) {
	return one(q, scanPrepared, preparedQuery+"WHERE request_id = ?", request)
}

// PreparedOf lists the prepared orders of a patient that are still open, oldest first.
func (q *Q) PreparedOf(patient string) ([]Prepared, error) {
	return list(q, scanPrepared, preparedQuery+"WHERE patient_id "+samePerson+
		" AND state IN ('waiting', 'returned') ORDER BY at", patient)
}

// PreparedIn lists prepared orders by id.
func (q *Q) PreparedIn(ids []string) ([]Prepared, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanPrepared, preparedQuery+"WHERE id IN (SELECT value FROM json_each(?))", string(all))
}

// SettlePrepared moves a prepared order on from the state it was seen in; ErrStale
// when somebody else did first.
func (q *Q) SettlePrepared(id string, from, to order.PreparedState, reason, orderID string) error {
	return q.fresh("UPDATE prepared_order SET state = ?, reason = ?, order_id = ? WHERE id = ? AND state = ?", to, reason, orderID, id, from)
}

// Merge is a record that was found to be about the same person as another.
type Merge struct {
	ID, KeptID, OtherID, Reason, ByID string
	At                                time.Time
	Folio                             int
	ApartAt                           time.Time
	ApartBy, ApartReason              string
}

func scanMerge(s scanner, m *Merge) error {
	var at, apart string
	err := s.Scan(&m.ID, &m.KeptID, &m.OtherID, &m.Reason, &m.ByID, &at, &m.Folio, &apart, &m.ApartBy, &m.ApartReason)
	m.At, m.ApartAt = Moment(at), Moment(apart)
	return err
}

const mergeCols = "id, kept_id, other_id, reason, by_id, at, folio, apart_at, apart_by, apart_reason"

// AddMerge makes a record, and all that were merged into it, one with another.
func (q *Q) AddMerge(m Merge) error {
	if err := q.do("INSERT INTO merge("+mergeCols+") VALUES (?,?,?,?,?,?,?,'','','')", m.ID, m.KeptID, m.OtherID, m.Reason, m.ByID,
		Stamp(m.At), m.Folio); err != nil {
		return err
	}
	if err := q.do("UPDATE patient SET person_id = ? WHERE person_id = ?", m.KeptID, m.OtherID); err != nil {
		return err
	}
	return q.nameLines(m.KeptID)
}

// nameLines orders the open lines of a person by who they are of now.
func (q *Q) nameLines(patient string) error {
	return q.do("UPDATE line SET by_name = "+byName+" WHERE closed_at = '' AND patient_id "+samePerson, patient, patient)
}

// Merges lists the merges that stand for a person, oldest first.
func (q *Q) Merges(patient string) ([]Merge, error) {
	return list(q, scanMerge, "SELECT "+mergeCols+" FROM merge WHERE apart_at = '' AND kept_id "+samePerson+" ORDER BY at, rowid", patient)
}

// MergeByID finds a merge.
func (q *Q) MergeByID(id string) (Merge, error) {
	return one(q, scanMerge, "SELECT "+mergeCols+" FROM merge WHERE id = ?", id)
}

// TakeApart makes a merged record, with those merged into it before, a person of its own again.
func (q *Q) TakeApart(m Merge, by, reason string, at time.Time) error {
	if err := q.must("UPDATE merge SET apart_at = ?, apart_by = ?, apart_reason = ? WHERE id = ? AND apart_at = ''", Stamp(at), by, reason,
		m.ID); err != nil {
		return err
	}
	if err := q.do(`WITH RECURSIVE own(id) AS (SELECT ? UNION SELECT other_id FROM merge JOIN own ON merge.kept_id = own.id WHERE apart_at = '')
		UPDATE patient SET person_id = ? WHERE id IN (SELECT id FROM own)`, m.OtherID, m.OtherID); err != nil {
		return err
	}
	if err := q.nameLines(m.KeptID); err != nil {
		return err
	}
	return q.nameLines(m.OtherID)
}

// Rows counts what a record holds of its own, by what it is, and what of it was
// written since a moment.
type Rows struct {
	What       string
	All, Since int
}

// RowsOf counts the entries written in one record itself.
func (q *Q) RowsOf(record string, since time.Time) ([]Rows, error) {
	return list(q, func(s scanner, r *Rows) error { return s.Scan(&r.What, &r.All, &r.Since) }, `
		SELECT 'visits', count(*), coalesce(sum(stage_at > ?2), 0) FROM visit WHERE patient_id = ?1
		UNION ALL SELECT 'sealed entries', count(*), coalesce(sum(strftime('%Y-%m-%dT%H:%M:%fZ', signed_at) > ?2 AND kind NOT IN ('merge', 'taken apart')), 0) FROM ledger_entry WHERE chart_id = ?1
		UNION ALL SELECT 'results', count(*), coalesce(sum(i.received_at > ?2), 0) FROM report r JOIN report_issue i ON i.report_id = r.id AND i.issue = 1 WHERE r.patient_id = ?1 AND r.gone_at = ''
		UNION ALL SELECT 'medicines', count(*), coalesce(sum(added_at > ?2), 0) FROM medicine WHERE patient_id = ?1
		UNION ALL SELECT 'allergies', count(*), coalesce(sum(stated_at > ?2), 0) FROM allergy WHERE patient_id = ?1
		UNION ALL SELECT 'histories', count(*), coalesce(sum(stated_at > ?2), 0) FROM history WHERE patient_id = ?1
		UNION ALL SELECT 'vital signs', count(*), coalesce(sum(taken_at > ?2), 0) FROM vital WHERE patient_id = ?1
		UNION ALL SELECT 'vaccines', count(*), coalesce(sum(given_at > ?2), 0) FROM immunization WHERE patient_id = ?1`, record, Stamp(since))
}
