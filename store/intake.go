package store

import (
	"encoding/json"
	"time"

	"deftledger/core/chart"
	"deftledger/core/outside"
)

// AddHistory stores an entry.
func (q *Q) AddHistory(h chart.HistoryEntry) error {
	return q.do("INSERT INTO history(id, patient_id, list, title, detail, since, until, source, stated_at, stated_by) VALUES "+
		"(?,?,?,?,?,?,?,?,?,?)",
		h.ID, h.PatientID, h.List, h.Title, h.Detail, h.Since, h.Until, h.Source, Stamp(h.StatedAt), h.StatedBy)
}

// Histories lists what stands in a patient's histories.
func (q *Q) Histories(patient string) ([]chart.HistoryEntry, error) {
	return histories(patient).read(q)
}

func histories(patient string) rows[chart.HistoryEntry] {
	return rows[chart.HistoryEntry]{
		cols: "id, patient_id, list, title, detail, since, until, source, stated_at, stated_by",
		from: "history WHERE patient_id " + samePerson + " AND ended_at = ''", order: "list, since DESC, title", args: []any{patient},
		scan: func(s scanner, h *chart.HistoryEntry) error {
			var at string
			err := s.Scan(&h.ID, &h.PatientID, &h.List, &h.Title, &h.Detail, &h.Since, &h.Until, &h.Source, &at, &h.StatedBy)
			h.StatedAt = Moment(at)
			return err
		},
	}
}

// EndHistory ends an entry; it stays, with who ended it and why.
func (q *Q) EndHistory(patient, id string, at time.Time, by, reason string) error {
	return q.must("UPDATE history SET ended_at = ?, ended_by = ?, end_reason = ? WHERE id = ? AND patient_id "+samePerson+" AND ended_at = ''",
		Stamp(at), by, reason, id, patient)
}

// must runs a change that has to hit a row; ErrNotFound when it does not.
func (q *Q) must(query string, args ...any) error {
	n, err := q.exec(query, args...)
	if err == nil && n == 0 {
		return ErrNotFound
	}
	return err
}

// AddStatement stores a statement.
func (q *Q) AddStatement(s chart.Statement) error {
	return q.do("INSERT INTO statement(id, patient_id, list, says, staff_id, at, visit_id) VALUES (?,?,?,?,?,?,?)", s.ID, s.PatientID, s.List,
		s.Says, s.StaffID, Stamp(s.At), s.VisitID)
}

// Statements lists the statements about a patient's lists, oldest first.
func (q *Q) Statements(patient string) ([]chart.Statement, error) {
	return statements(patient).read(q)
}

func statements(patient string) rows[chart.Statement] {
	return rows[chart.Statement]{
		cols: "id, patient_id, list, says, staff_id, at, visit_id",
		from: "statement WHERE patient_id " + samePerson, order: "at, rowid", args: []any{patient},
		scan: func(s scanner, t *chart.Statement) error {
			var at string
			err := s.Scan(&t.ID, &t.PatientID, &t.List, &t.Says, &t.StaffID, &at, &t.VisitID)
			t.At = Moment(at)
			return err
		},
	}
}

// StopMedicine stops a medicine with a reason.
func (q *Q) StopMedicine(patient, id, day, reason, by string) error {
	return q.must("UPDATE medicine SET stopped = ?, stop_reason = ?, stopped_by = ? WHERE id = ? AND patient_id "+samePerson+
		" AND stopped = ''", day, reason, by, id, patient)
}

// StoppedMedicine is a medicine no longer taken.
type StoppedMedicine struct {
	chart.Medicine
	Reason, By string
}

// StoppedMedicines lists what was stopped, newest first.
func (q *Q) StoppedMedicines(patient string) ([]StoppedMedicine, error) {
	return list(q, func(s scanner, m *StoppedMedicine) error {
		return s.Scan(&m.ID, &m.PatientID, &m.Name, &m.Dose, &m.Started, &m.Stopped, &m.Reason, &m.By)
	}, "SELECT id, patient_id, name, dose, started, stopped, stop_reason, stopped_by FROM medicine WHERE patient_id "+samePerson+
		" AND stopped <> '' ORDER BY stopped DESC, name", patient)
}

// EndAllergy ends an allergy or the statement that none is known; it stays, with the reason.
func (q *Q) EndAllergy(patient, id string, at time.Time, by, reason string) error {
	return q.must("UPDATE allergy SET ended_at = ?, ended_by = ?, end_reason = ? WHERE id = ? AND patient_id "+samePerson+" AND ended_at = ''",
		Stamp(at), by, reason, id, patient)
}

// EndNoneKnown ends what was stated of no allergy being known, in every record of the
// person: behind an allergy it is hidden, and must not come back when that one ends.
func (q *Q) EndNoneKnown(patient string, at time.Time, by, reason string) error {
	return q.do("UPDATE allergy SET ended_at = ?, ended_by = ?, end_reason = ? WHERE patient_id "+samePerson+
		" AND substance = '' AND ended_at = ''", Stamp(at), by, reason, patient)
}

// IncomingEntry is an entry from outside that waits beside the chart.
type IncomingEntry struct {
	ID, PatientID, VisitID, Source, Reference, List, Title, Detail, Since, Link string
	ReceivedAt                                                                  time.Time
	Decision                                                                    outside.Decision // "" while nobody decided
	DecidedBy, Became                                                           string
	DecidedAt                                                                   time.Time
}

const incomingCols = "id, patient_id, visit_id, source, reference, list, title, detail, since, link, received_at, decision, decided_by, became, decided_at"

func scanIncomingEntry(s scanner, e *IncomingEntry) error {
	var at, decided string
	err := s.Scan(&e.ID, &e.PatientID, &e.VisitID, &e.Source, &e.Reference, &e.List, &e.Title, &e.Detail, &e.Since, &e.Link, &at, &e.Decision,
		&e.DecidedBy, &e.Became, &decided)
	e.ReceivedAt, e.DecidedAt = Moment(at), Moment(decided)
	return err
}

// AddIncomingEntry stores an entry from outside; one that came before stays as it is.
func (q *Q) AddIncomingEntry(e IncomingEntry) (added bool, err error) {
	n, err := q.exec("INSERT INTO incoming_entry("+incomingCols+") VALUES (?,?,?,?,?,?,?,?,?,?,?,'','','','') ON CONFLICT DO NOTHING",
		e.ID, e.PatientID, e.VisitID, e.Source, e.Reference, e.List, e.Title, e.Detail, e.Since, e.Link, Stamp(e.ReceivedAt))
	return n > 0, err
}

// IncomingEntries lists what came from outside for a patient, undecided first.
func (q *Q) IncomingEntries(patient string) ([]IncomingEntry, error) {
	return list(q, scanIncomingEntry, "SELECT "+incomingCols+" FROM incoming_entry WHERE patient_id "+samePerson+
		" ORDER BY decision <> '', list, title", patient)
}

// Waiting is how much of what came from outside waits beside a record, from whom, and the
// visit at which it came last.
type Waiting struct {
	PatientID string
	Count     int
	Sources   []string
	VisitID   string
}

// IncomingWaiting counts, for some records, what waits beside them; those beside which
// nothing does are left out.
func (q *Q) IncomingWaiting(records []string) ([]Waiting, error) {
	all, _ := json.Marshal(records)
	return list(q, func(s scanner, w *Waiting) error {
		var sources string
		if err := s.Scan(&w.PatientID, &w.Count, &sources, &w.VisitID); err != nil {
			return err
		}
		return json.Unmarshal([]byte(sources), &w.Sources)
	}, `SELECT e.patient_id, count(*), json_group_array(DISTINCT e.source ORDER BY e.source), (SELECT n.visit_id FROM incoming_entry n WHERE n.patient_id = e.patient_id AND n.decision = '' ORDER BY n.received_at DESC LIMIT 1)
		FROM json_each(?) j JOIN incoming_entry e ON e.patient_id = j.value AND e.decision = '' GROUP BY e.patient_id`, string(all))
}

// IncomingEntryByID finds one.
func (q *Q) IncomingEntryByID(id string) (IncomingEntry, error) {
	return about(q, func(e IncomingEntry) string { return e.PatientID })(one(q, scanIncomingEntry, "SELECT "+incomingCols+
		" FROM incoming_entry WHERE id = ?", id))
}

// DecideIncomingEntry records a decision; only the first one counts.
func (q *Q) DecideIncomingEntry(id string, decision outside.Decision, by, became string, at time.Time) error {
	return q.must("UPDATE incoming_entry SET decision = ?, decided_by = ?, became = ?, decided_at = ? WHERE id = ? AND decision = ''",
		decision, by, became, Stamp(at), id)
}

func scanVital(s scanner, v *chart.Vital) error {
	var at string
	err := s.Scan(&v.ID, &v.PatientID, &v.LOINC, &v.Name, &v.Value, &v.Unit, &at, &v.VisitID, &v.Origin, &v.Entered, &v.ByID)
	v.TakenAt = Moment(at)
	return err
}

const vitalCols = "id, patient_id, loinc, name, value, unit, taken_at, visit_id, origin, entered, by_id"

// VitalsOf lists all measurements of a patient, oldest first.
func (q *Q) VitalsOf(patient string) ([]chart.Vital, error) {
	return list(q, scanVital, "SELECT "+vitalCols+" FROM vital WHERE patient_id "+samePerson+
		" AND struck_at = '' ORDER BY taken_at, rowid", patient)
}

// VitalsAt lists the measurements of a visit in the order they were taken.
func (q *Q) VitalsAt(visit string) ([]chart.Vital, error) {
	return vitalsAt(visit).read(q)
}

func vitalsAt(visit string) rows[chart.Vital] {
	return rows[chart.Vital]{cols: vitalCols, from: "vital WHERE visit_id = ? AND visit_id <> '' AND struck_at = ''", order: "taken_at, rowid",
		args: []any{visit}, scan: scanVital}
}

// StrikeVital takes a measurement back; it stays, struck.
func (q *Q) StrikeVital(patient, id, by string, at time.Time) error {
	return q.must("UPDATE vital SET struck_at = ?, struck_by = ? WHERE id = ? AND patient_id "+samePerson+" AND struck_at = ''", Stamp(at), by,
		id, patient)
}

// SetReason changes why the patient comes and what kind of visit it is.
func (q *Q) SetReason(visit, reason, kind, room string, version int) error {
	return q.fresh("UPDATE visit SET reason = ?, kind = ?, room = ?, version = version + 1 WHERE id = ? AND version = ?", reason, kind, room,
		visit, version)
}
