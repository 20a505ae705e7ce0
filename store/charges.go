package store

import (
	"encoding/json"
	"errors"
	"time"

	"deftledger/core/coding"
)

// Charges are the service lines of a visit with what its level was derived from.
// Version 0: nothing was entered.
type Charges struct {
	Lines   []coding.Charge
	Facts   coding.Facts
	Version int
	ByID    string
	At      time.Time
}

// ChargesOf reads the charges of a note.
func (q *Q) ChargesOf(noteID string) (Charges, error) {
	all, err := charges(noteID).read(q)
	return only(all), err
}

func charges(noteID string) rows[Charges] {
	return rows[Charges]{
		cols: "charges, facts, version, by_id, at", from: "note_charges WHERE note_id = ?", order: "at", args: []any{noteID},
		scan: func(s scanner, c *Charges) error {
			var lines, facts, at string
			if err := s.Scan(&lines, &facts, &c.Version, &c.ByID, &at); err != nil {
				return err
			}
			c.At = Moment(at)
			return errors.Join(json.Unmarshal([]byte(lines), &c.Lines), json.Unmarshal([]byte(facts), &c.Facts))
		},
	}
}

// only is the one row of a kind that there is at most one of; its zero value for none.
func only[T any](all []T) (t T) {
	if len(all) > 0 {
		t = all[0]
	}
	return t
}

// ServicesUsed lists the codes of the services charged most at the latest visits of the
// practice; those charged for a diagnosis of the given categories count five times.
func (q *Q) ServicesUsed(categories []string, most int) ([]string, error) {
	all, _ := json.Marshal(categories)
	return list(q, scalar[string], `
		SELECT json_extract(c.value, '$.code') AS code FROM (SELECT charges FROM note_charges ORDER BY note_id DESC LIMIT 500) n, json_each(n.charges) c
		GROUP BY code ORDER BY sum(CASE WHEN EXISTS (SELECT 1 FROM json_each(c.value, '$.pointers') p WHERE substr(p.value, 1, 3) IN (SELECT value FROM json_each(?))) THEN 5 ELSE 1 END) DESC, code LIMIT ?`, string(all), most)
}

// PutCharges keeps the charges of a note written on the version was; ErrStale when
// somebody else wrote meanwhile.
func (q *Q) PutCharges(noteID string, c Charges, was int) error {
	lines, err1 := json.Marshal(c.Lines)
	facts, err2 := json.Marshal(c.Facts)
	if err := errors.Join(err1, err2); err != nil {
		return err
	}
	var n int64
	var err error
	if was == 0 {
		n, err = q.exec("INSERT INTO note_charges(note_id, charges, facts, version, by_id, at) VALUES (?,?,?,1,?,?) ON CONFLICT DO NOTHING",
			noteID, string(lines), string(facts), c.ByID, Stamp(c.At))
	} else {
		n, err = q.exec("UPDATE note_charges SET charges = ?, facts = ?, version = version + 1, by_id = ?, at = ? WHERE note_id = ? AND version = ?", string(lines), string(facts), c.ByID, Stamp(c.At), noteID, was)
	}
	return moved(n, err)
}

// AddHandedToBilling records that a visit's charges were given out as a file.
func (q *Q) AddHandedToBilling(id, noteID, format, by string, at time.Time) error {
	return q.do("INSERT INTO handed_to_billing(id, note_id, format, by_id, at) VALUES (?,?,?,?,?)", id, noteID, format, by, Stamp(at))
}

// ReviewedOn counts the unique tests of a patient whose results were signed on a day
// (between two moments) and that count there: ordered between visits, or outside. One that
// was ordered or done at a visit was counted at that visit, with its result (AMA, 2023).
func (q *Q) ReviewedOn(patient string, from, to time.Time) (int, error) {
	return one(q, scalar[int], `SELECT count(DISTINCT r.code) FROM review w JOIN report r ON r.id = w.report_id LEFT JOIN lab_order o ON o.id = r.order_id
		WHERE r.patient_id `+samePerson+` AND w.signed_at >= ? AND w.signed_at < ? AND coalesce(o.visit_id, '') = '' AND r.visit_id = ''`,
		patient, Stamp(from), Stamp(to))
}
