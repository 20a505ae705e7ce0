package store

import (
	"encoding/json"
	"errors"
	"fmt"

	"deftledger/core/ledger"
)

const entryCols = "seq, chart_id, folio, kind, subject, amends, content, signer_id, signer_name, signed_at, prev_chart, prev, hash, signature"

func scanEntry(s scanner, e *ledger.Entry) error {
	return s.Scan(&e.Seq, &e.ChartID, &e.Folio, &e.Kind, &e.Subject, &e.Amends, &e.Content, &e.SignerID, &e.SignerName, &e.SignedAt,
		&e.PrevChart, &e.Prev, &e.Hash, &e.Signature)
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
		e.Seq, e.ChartID, e.Folio, e.Kind, e.Subject, e.Amends, e.Content, e.SignerID, e.SignerName, e.SignedAt, e.PrevChart, e.Prev, e.Hash,
		e.Signature)
}

// Entries lists up to limit entries of the ledger after one, in order.
func (q *Q) Entries(after int64, limit int) ([]ledger.Entry, error) {
	return list(q, scanEntry, "SELECT "+entryCols+" FROM ledger_entry WHERE seq > ? ORDER BY seq LIMIT ?", after, limit)
}

// LedgerHead returns the last entry's head; the zero head of an empty ledger.
func (q *Q) LedgerHead() (ledger.Head, error) {
	h, err := one(q, func(s scanner, h *ledger.Head) error { return s.Scan(&h.Seq, &h.Hash, &h.At, &h.Signature) },
		"SELECT seq, hash, signed_at, signature FROM ledger_entry ORDER BY seq DESC LIMIT 1")
	if errors.Is(err, ErrNotFound) {
		return ledger.Head{}, nil
	}
	return h, err
}

// EntryHash returns the hash of an entry, "" when there is none of that number.
func (q *Q) EntryHash(seq int64) (string, error) {
	h, err := one(q, scalar[string], "SELECT hash FROM ledger_entry WHERE seq = ?", seq)
	if errors.Is(err, ErrNotFound) {
		return "", nil
	}
	return h, err
}

// LinkBefore returns the last link of a chart up to an entry of the practice.
func (q *Q) LinkBefore(chart string, seq int64) (ledger.Link, error) {
	l, err := one(q, func(s scanner, l *ledger.Link) error { return s.Scan(&l.Folio, &l.Hash) },
		"SELECT folio, hash FROM ledger_entry WHERE chart_id = ? AND seq <= ? ORDER BY folio DESC LIMIT 1", chart, seq)
	if errors.Is(err, ErrNotFound) {
		return ledger.Link{}, nil
	}
	return l, err
}

// ChartEntries lists a chart's entries, newest first.
func (q *Q) ChartEntries(chart string) ([]ledger.Entry, error) {
	return list(q, scanEntry, "SELECT "+entryCols+" FROM ledger_entry WHERE chart_id = ? ORDER BY folio DESC", chart)
}

// SealedNotes returns the sealed contents of notes, by note.
func (q *Q) SealedNotes(notes []string) (map[string][]byte, error) {
	type row struct {
		note string
		body []byte
	}
	all, _ := json.Marshal(notes)
	rows, err := list(q, func(s scanner, r *row) error { return s.Scan(&r.note, &r.body) },
		"SELECT n.id, e.content FROM json_each(?) j JOIN note n ON n.id = j.value JOIN ledger_entry e ON e.chart_id = n.patient_id AND "+
			"e.folio = n.folio AND e.kind = 'note'", string(all))
	out := map[string][]byte{}
	for _, r := range rows {
		out[r.note] = r.body
	}
	return out, err
}

// SignedNote is the working side of a signed note: what its rows say now.
type SignedNote struct {
	ID, PatientID    string
	Folio, Retracted int
	Parts            map[string]string
}

// SignedNotes reads notes with the text of their parts, by identifier.
func (q *Q) SignedNotes(ids []string) (map[string]SignedNote, error) {
	type row struct {
		SignedNote
		part, text string
	}
	all, _ := json.Marshal(ids)
	rows, err := list(q, func(s scanner, r *row) error {
		return s.Scan(&r.ID, &r.PatientID, &r.Folio, &r.Retracted, &r.part, &r.text)
	}, `SELECT n.id, n.patient_id, n.folio, n.retracted, coalesce(p.part, ''), coalesce(p.text, '') FROM json_each(?) j
		JOIN note n ON n.id = j.value LEFT JOIN note_part p ON p.note_id = n.id`, string(all))
	out := map[string]SignedNote{}
	for _, r := range rows {
		n, known := out[r.ID]
		if !known {
			n = r.SignedNote
			n.Parts = map[string]string{}
		}
		if r.part != "" {
			n.Parts[r.part] = r.text
		}
		out[r.ID] = n
	}
	return out, err
}

// ReviewFolios lists the folios of the signed reviews of reports, by report.
func (q *Q) ReviewFolios(reports []string) (map[string][]int, error) {
	type row struct {
		report string
		folio  int
	}
	all, _ := json.Marshal(reports)
	rows, err := list(q, func(s scanner, r *row) error { return s.Scan(&r.report, &r.folio) },
		"SELECT r.report_id, r.folio FROM json_each(?) j JOIN review r ON r.report_id = j.value", string(all))
	out := map[string][]int{}
	for _, r := range rows {
		out[r.report] = append(out[r.report], r.folio)
	}
	return out, err
}

// MessageTexts returns the texts of messages as their rows have them, by identifier.
func (q *Q) MessageTexts(ids []string) (map[string]string, error) {
	type row struct{ id, text string }
	all, _ := json.Marshal(ids)
	rows, err := list(q, func(s scanner, r *row) error { return s.Scan(&r.id, &r.text) },
		"SELECT m.id, m.text FROM json_each(?) j JOIN message m ON m.id = j.value", string(all))
	out := map[string]string{}
	for _, r := range rows {
		out[r.id] = r.text
	}
	return out, err
}

// Unsealed names a working row that claims a sealed entry which the ledger does not hold,
// "" when there is none: somebody wrote past the application.
func (q *Q) Unsealed() (string, error) {
	for _, query := range []string{
		`SELECT 'the note of chart ' || n.patient_id || ' claims folio ' || n.folio || ', which is no sealed note of that chart' FROM note n
			WHERE n.folio > 0 AND NOT EXISTS (SELECT 1 FROM ledger_entry e WHERE e.chart_id = n.patient_id AND e.folio = n.folio AND e.kind = 'note' AND e.subject = n.id) LIMIT 1`,
		`SELECT 'the review of report ' || r.report_id || ' claims folio ' || r.folio || ', which is no sealed review of it' FROM review r JOIN report p ON p.id = r.report_id
			WHERE NOT EXISTS (SELECT 1 FROM ledger_entry e WHERE e.chart_id = p.patient_id AND e.folio = r.folio AND e.kind = 'result review' AND e.subject = r.report_id) LIMIT 1`,
		`SELECT 'the note under folio ' || n.folio || ' of chart ' || n.patient_id || ' is marked retracted, which no sealed entry says' FROM note n
			WHERE n.retracted > 0 AND NOT EXISTS (SELECT 1 FROM ledger_entry e WHERE e.chart_id = n.patient_id AND e.folio = n.retracted AND e.kind = 'retraction' AND e.amends = n.folio) LIMIT 1`,
		`SELECT 'chart ' || p.id || ' is read as part of chart ' || p.person_id || ', which no sealed entry says' FROM patient p
			WHERE p.person_id <> p.id AND NOT EXISTS (SELECT 1 FROM merge m JOIN ledger_entry e ON e.chart_id = m.kept_id AND e.folio = m.folio AND e.kind = 'merge' AND e.subject = m.other_id WHERE m.other_id = p.id AND m.apart_at = '') LIMIT 1`,
		`SELECT 'the message under folio ' || m.folio || ' of chart ' || m.patient_id || ' is not as it was sealed' FROM message m
			WHERE NOT EXISTS (SELECT 1 FROM ledger_entry e WHERE e.chart_id = m.patient_id AND e.folio = m.folio AND e.kind = 'message' AND e.subject = m.id) LIMIT 1`,
	} {
		says, err := one(q, scalar[string], query)
		if err == nil {
			return says, nil
		}
		if !errors.Is(err, ErrNotFound) {
			return "", fmt.Errorf("the working rows cannot be held against the ledger: %w", err)
		}
	}
	return "", nil
}

// AuditRow is one recorded look or act.
type AuditRow struct {
	ID                                           int64
	At, StaffID, Act, PatientID, Subject, Detail string
}

// Audit records an act. detail never holds clinical content.
func (q *Q) Audit(at, staff, act, patient, subject, detail string) error {
	return q.do("INSERT INTO audit(at, staff_id, act, patient_id, subject, detail) VALUES (?,?,?,?,?,?)", at, staff, act, patient,
		subject, detail)
}

// LastOpened says when a person last opened a chart; "" when never.
func (q *Q) LastOpened(staff, patient string) (string, error) {
	at, err := one(q, scalar[string],
		"SELECT at FROM audit WHERE patient_id "+samePerson+
			" AND patient_id <> '' AND staff_id = ? AND act = 'open chart' ORDER BY id DESC LIMIT 1", patient, staff)
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
		query, args = query+" AND patient_id "+samePerson+" AND patient_id <> ''", append(args, patient)
	}
	return list(q, func(s scanner, a *AuditRow) error {
		return s.Scan(&a.ID, &a.At, &a.StaffID, &a.Act, &a.PatientID, &a.Subject, &a.Detail)
	}, query+" ORDER BY id DESC LIMIT ?", append(args, limit)...)
}
