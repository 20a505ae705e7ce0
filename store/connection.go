package store

import "time"

// Backlog is how a connection stands: what waits for it, since when, and its last contact.
type Backlog struct {
	Destination string
	Waiting     int
	Oldest      string // control of what waits longest
	LastError   string // of what waits longest
	Attempts    int    // of what waits longest
	LastContact time.Time
}

// BacklogOf is how a destination of the outbox stands.
func (q *Q) BacklogOf(destination string) (b Backlog, err error) {
	b.Destination = destination
	if b.Waiting, err = one(q, scalar[int], "SELECT count(*) FROM outbox WHERE state = 'waiting' AND destination = ?", destination); err != nil {
		return b, err
	}
	if b.Waiting > 0 {
		b, err = one(q, func(s scanner, x *Backlog) error {
			*x = b
			return s.Scan(&x.Oldest, &x.LastError, &x.Attempts)
		}, "SELECT control, last_error, attempts FROM outbox WHERE state = 'waiting' AND destination = ? ORDER BY next_at LIMIT 1", destination)
		if err != nil {
			return b, err
		}
	}
	at, err := one(q, scalar[string], "SELECT coalesce(max(answered_at), '') FROM outbox WHERE destination = ?", destination)
	b.LastContact = Moment(at)
	return b, err
}

// LastReceived is when something was received last at the listener for results.
func (q *Q) LastReceived() (time.Time, error) {
	all, err := list(q, scalar[string], "SELECT received_at FROM inbox ORDER BY id DESC LIMIT 1")
	if err != nil || len(all) == 0 {
		return time.Time{}, err
	}
	return Moment(all[0]), nil
}

// NPIOf is the National Provider Identifier that a person confirmed; "" for none.
func (q *Q) NPIOf(staff string) (string, error) {
	all, err := list(q, scalar[string], "SELECT npi FROM staff_npi WHERE staff_id = ?", staff)
	if err != nil || len(all) == 0 {
		return "", err
	}
	return all[0], nil
}

// SetNPI stores a person's National Provider Identifier with how it was proofed.
func (q *Q) SetNPI(staff, npi, proof string, at time.Time) error {
	return q.do("INSERT INTO staff_npi(staff_id, npi, proof, at) VALUES (?,?,?,?) ON CONFLICT(staff_id) DO UPDATE SET npi = excluded.npi, proof = excluded.proof, at = excluded.at", staff, npi,
		proof, Stamp(at))
}
