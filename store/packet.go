package store

import (
	"encoding/json"
	"strings"

	"deftledger/core/line"
)

// OpenEntries lists the open lines of some people, of some kinds, as far as a list has to know them, with those that nobody
// owns.
func (q *Q) OpenEntries(owners []string, kinds []line.Kind, unowned Unowned) ([]line.Entry, error) {
	whose, _ := json.Marshal(owners)
	all, _ := json.Marshal(kinds)
	mine, _ := json.Marshal(unowned.Kinds)
	return list(q, func(s scanner, e *line.Entry) error {
		var at string
		err := s.Scan(&e.ID, &e.Kind, &e.Subject, &e.Person, &e.Rank, &e.Name, &at)
		e.Opened = Moment(at)
		return err
	}, `SELECT l.id, l.kind, l.subject, coalesce(own.person_id, ''), l.rank, l.by_name, l.opened_at FROM line l LEFT JOIN patient own ON own.id = l.patient_id
		WHERE l.closed_at = '' AND l.owner_id IN (SELECT value FROM json_each(?)) AND l.kind IN (SELECT value FROM json_each(?))
		UNION ALL SELECT l.id, l.kind, l.subject, coalesce(own.person_id, ''), l.rank, l.by_name, l.opened_at FROM line l LEFT JOIN patient own ON own.id = l.patient_id
		WHERE l.closed_at = '' AND l.owner_id IS NULL AND l.kind IN (SELECT value FROM json_each(?))`+strings.ReplaceAll(ofTeam, "line.id", "l.id"), string(whose), string(all), string(mine), unowned.Who)
}

// LinesIn lists open lines by their identifiers.
func (q *Q) LinesIn(ids []string) ([]Line, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanLine, lineQuery+" AND l.id IN (SELECT value FROM json_each(?))", string(all))
}

// PlaceOf is where a line stands, or stood when it was closed.
func (q *Q) PlaceOf(id string) (line.Place, error) {
	return one(q, func(s scanner, p *line.Place) error {
		var at string
		err := s.Scan(&p.ID, &p.Rank, &p.Name, &at)
		p.Opened = Moment(at)
		return err
	}, "SELECT id, rank, by_name, opened_at FROM line WHERE id = ?", id)
}

// ReportHead is what a list is narrowed by.
type ReportHead struct{ ID, Title, Status, Performer string }

// ReportHeads reads what lists of some reports are narrowed by.
func (q *Q) ReportHeads(ids []string) (map[string]ReportHead, error) {
	all, _ := json.Marshal(ids)
	rows, err := list(q, func(s scanner, h *ReportHead) error { return s.Scan(&h.ID, &h.Title, &h.Status, &h.Performer) },
		"SELECT r.id, r.title, r.status, i.performer FROM json_each(?) j JOIN report r ON r.id = j.value JOIN report_issue i ON i.report_id = r.id AND i.issue = r.issue", string(all))
	out := map[string]ReportHead{}
	for _, h := range rows {
		out[h.ID] = h
	}
	return out, err
}
