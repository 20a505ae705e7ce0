package store

import (
	"errors"
	"fmt"

	"deftledger/core/ledger"
)

const entryCols = "seq, chart_id, folio, kind, subject, amends, content, signer_id, signer_name, signed_at, prev_chart, prev, hash, signature"

func scanEntry(s scanner, e *ledger.Entry) error {
	return s.Scan(&e.Seq, &e.ChartID, &e.Folio, &e.Kind, &e.Subject, &e.Amends, &e.Content, &e.SignerID, &e.SignerName, &e.SignedAt, &e.PrevChart, &e.Prev, &e.Hash, &e.Signature)
}

// LastEntries returns the last entry of a chart and of the practice, nil where there is none.
func (q *Q) LastEntries(chart string) (inChart, last *ledger.Entry, err error) {
	get := func(query string, args ...any) *ledger.Entry {
		e, e2 := one(q, scanEntry, query, args...)
		if e2 != nil {
			if !errors.Is(e2, ErrNotFound) {
				err = e2
			}
			return nil
		}
		return &e
	}
	inChart = get("SELECT "+entryCols+" FROM ledger_entry WHERE chart_id = ? ORDER BY folio DESC LIMIT 1", chart)
	last = get("SELECT " + entryCols + " FROM ledger_entry ORDER BY seq DESC LIMIT 1")
	return inChart, last, err
}

// AddEntry stores a sealed entry.
func (q *Q) AddEntry(e ledger.Entry) error {
	return q.do("INSERT INTO ledger_entry("+entryCols+") VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?)",
		e.Seq, e.ChartID, e.Folio, e.Kind, e.Subject, e.Amends, e.Content, e.SignerID, e.SignerName, e.SignedAt, e.PrevChart, e.Prev, e.Hash, e.Signature)
}

// Entries lists the whole ledger after an entry, in order.
func (q *Q) Entries(after int64) ([]ledger.Entry, error) {
	return list(q, scanEntry, "SELECT "+entryCols+" FROM ledger_entry WHERE seq > ? ORDER BY seq", after)
}

// ChartEntries lists a chart's entries, newest first.
func (q *Q) ChartEntries(chart string) ([]ledger.Entry, error) {
	return list(q, scanEntry, "SELECT "+entryCols+" FROM ledger_entry WHERE chart_id = ? ORDER BY folio DESC", chart)
}

// SealedNotes returns the sealed contents of a person's notes, by note.
func (q *Q) SealedNotes(patient string) (map[string][]byte, error) {
	type row struct {
		note string
		body []byte
	}
	rows, err := list(q, func(s scanner, r *row) error { return s.Scan(&r.note, &r.body) },
		"SELECT subject, content FROM ledger_entry WHERE kind = 'note' AND chart_id "+samePerson, patient)
	out := map[string][]byte{}
	for _, r := range rows {
		out[r.note] = r.body
	}
	return out, err
}

// Unsealed names working rows that claim a signature the ledger does not hold, or
// whose text is not the sealed one: somebody wrote past the application.
func (q *Q) Unsealed() ([]string, error) {
	out, err := list(q, scalar[string], `
		SELECT 'the note of chart ' || n.patient_id || ' claims folio ' || n.folio || ', which is no sealed note of that chart' FROM note n
		WHERE n.folio > 0 AND NOT EXISTS (SELECT 1 FROM ledger_entry e WHERE e.chart_id = n.patient_id AND e.folio = n.folio AND e.kind = 'note' AND e.subject = n.id)
		UNION ALL
		SELECT 'folio ' || e.folio || ' of chart ' || e.chart_id || ' seals a note that is no longer marked signed' FROM ledger_entry e
		WHERE e.kind = 'note' AND NOT EXISTS (SELECT 1 FROM note n WHERE n.id = e.subject AND n.folio = e.folio AND n.patient_id = e.chart_id)
		UNION ALL
		SELECT 'the ' || p.part || ' of the note under folio ' || n.folio || ' of chart ' || n.patient_id || ' was changed after signing' FROM note n
		JOIN note_part p ON p.note_id = n.id JOIN ledger_entry e ON e.chart_id = n.patient_id AND e.folio = n.folio
		WHERE n.folio > 0 AND json_valid(e.content) AND coalesce(json_extract(CAST(e.content AS TEXT), '$.parts.' || p.part), '') <> p.text
		UNION ALL
		SELECT 'the review of report ' || r.report_id || ' claims folio ' || r.folio || ', which is no sealed review of it' FROM review r JOIN report p ON p.id = r.report_id
		WHERE NOT EXISTS (SELECT 1 FROM ledger_entry e WHERE e.chart_id = p.patient_id AND e.folio = r.folio AND e.kind = 'result review' AND e.subject = r.report_id)
		UNION ALL
		SELECT 'folio ' || e.folio || ' of chart ' || e.chart_id || ' seals a review that is not there' FROM ledger_entry e
		WHERE e.kind = 'result review' AND NOT EXISTS (SELECT 1 FROM review r WHERE r.report_id = e.subject AND r.folio = e.folio)
		UNION ALL
		SELECT 'the note under folio ' || n.folio || ' of chart ' || n.patient_id || ' is marked retracted, which no sealed entry says' FROM note n
		WHERE n.retracted > 0 AND NOT EXISTS (SELECT 1 FROM ledger_entry e WHERE e.chart_id = n.patient_id AND e.folio = n.retracted AND e.kind = 'retraction' AND e.amends = n.folio)
		UNION ALL
		SELECT 'folio ' || e.folio || ' of chart ' || e.chart_id || ' retracts a note that is not marked so' FROM ledger_entry e
		WHERE e.kind = 'retraction' AND NOT EXISTS (SELECT 1 FROM note n WHERE n.id = e.subject AND n.retracted = e.folio)
		UNION ALL
		SELECT 'chart ' || p.id || ' is read as part of chart ' || p.person_id || ', which no sealed entry says' FROM patient p
		WHERE p.person_id <> p.id AND NOT EXISTS (SELECT 1 FROM merge m JOIN ledger_entry e ON e.chart_id = m.kept_id AND e.folio = m.folio AND e.kind = 'merge' AND e.subject = m.other_id WHERE m.other_id = p.id AND m.apart_at = '')
		UNION ALL
		SELECT 'the message under folio ' || m.folio || ' of chart ' || m.patient_id || ' is not as it was sealed' FROM message m
		WHERE NOT EXISTS (SELECT 1 FROM ledger_entry e WHERE e.chart_id = m.patient_id AND e.folio = m.folio AND e.kind = 'message' AND e.subject = m.id AND json_extract(CAST(e.content AS TEXT), '$.text') = m.text)
		ORDER BY 1`)
	if err != nil {
		return nil, fmt.Errorf("the working rows cannot be held against the ledger: %w", err)
	}
	return out, nil
}

// AuditRow is one recorded look or act.
type AuditRow struct {
	ID                                           int64
	At, StaffID, Act, PatientID, Subject, Detail string
}

// Audit records an act. detail never holds clinical content.
func (q *Q) Audit(at, staff, act, patient, subject, detail string) error {
	return q.do("INSERT INTO audit(at, staff_id, act, patient_id, subject, detail) VALUES (?,?,?,?,?,?)", at, staff, act, patient, subject, detail)
}

// LastOpened says when a person last opened a chart; "" when never.
func (q *Q) LastOpened(staff, patient string) (string, error) {
	at, err := one(q, scalar[string], "SELECT at FROM audit WHERE patient_id "+samePerson+" AND patient_id <> '' AND staff_id = ? AND act = 'open chart' ORDER BY id DESC LIMIT 1", patient, staff)
	if err == ErrNotFound {
		err = nil
	}
	return at, err
}

// AuditRows lists the newest rows before an id (0 for the newest), of one patient or all.
func (q *Q) AuditRows(patient string, before int64, limit int) ([]AuditRow, error) {
	if before == 0 {
		before = 1 << 62
	}
	query, args := "SELECT id, at, staff_id, act, patient_id, subject, detail FROM audit WHERE id < ?", []any{before}
	if patient != "" {
		query, args = query+" AND patient_id "+samePerson, append(args, patient)
	}
	return list(q, func(s scanner, a *AuditRow) error {
		return s.Scan(&a.ID, &a.At, &a.StaffID, &a.Act, &a.PatientID, &a.Subject, &a.Detail)
	}, query+" ORDER BY id DESC LIMIT ?", append(args, limit)...)
}
