package store

import (
	"encoding/json"
	"time"
)

// Outgoing is something on its way out. What it is and its bytes never change; it is sent
// under its one control identifier until the other side takes or refuses it.
type Outgoing struct {
	Control     string
	Destination string // whose queue it is in
	Kind        string
	Subject     string // identifier of what it is: an order, a fax, a message
	Address     string // within the destination, such as a number
	Body        []byte
	ByID        string // who sent it; "" for the application
	Attempts    int
	LastError   string
}

// LongestWait bounds how long something waits between two attempts. A later time can only
// come of a clock that was set forward and back: it counts as due.
const LongestWait = time.Minute

// AddOutgoing queues something, due at once.
func (q *Q) AddOutgoing(o Outgoing, at time.Time) error {
	return q.do("INSERT INTO outbox(control, destination, kind, subject, address, body, by_id, state, next_at) VALUES "+
		"(?,?,?,?,?,?,?,'waiting',?)",
		o.Control, o.Destination, o.Kind, o.Subject, o.Address, o.Body, o.ByID, Stamp(at))
}

// DueOutgoing lists what is to be sent to a destination now, longest due first.
func (q *Q) DueOutgoing(destination string, now time.Time, limit int) ([]Outgoing, error) {
	return list(q, func(s scanner, o *Outgoing) error {
		return s.Scan(&o.Control, &o.Destination, &o.Kind, &o.Subject, &o.Address, &o.Body, &o.ByID, &o.Attempts, &o.LastError)
	}, `SELECT control, destination, kind, subject, address, body, by_id, attempts, last_error FROM outbox
		WHERE state = 'waiting' AND destination = ? AND (next_at <= ? OR next_at > ?) ORDER BY next_at, rowid LIMIT ?`, destination, Stamp(now),
		Stamp(now.Add(LongestWait)), limit)
}

// NextOutgoing says when the next falls due at a destination; the zero time when none waits.
func (q *Q) NextOutgoing(destination string) (time.Time, error) {
	s, err := one(q, scalar[string], "SELECT coalesce(min(next_at), '') FROM outbox WHERE state = 'waiting' AND destination = ?", destination)
	return Moment(s), err
}

// ClaimOutgoing counts an attempt before it is made; ok is false for what was taken back or
// answered meanwhile, which is not sent.
func (q *Q) ClaimOutgoing(control string) (ok bool, err error) {
	n, err := q.exec("UPDATE outbox SET attempts = attempts + 1 WHERE control = ? AND state = 'waiting'", control)
	return n > 0, err
}

// SentOutgoing records the answer to an attempt; ok is false when it was withdrawn or
// answered meanwhile.
func (q *Q) SentOutgoing(control, state, lastError string, answer []byte, at time.Time) (ok bool, err error) {
	n, err := q.exec("UPDATE outbox SET state = ?, last_error = ?, answer = ?, answered_at = ? WHERE control = ? "+
		"AND state = 'waiting'", state, lastError, answer, Stamp(at), control)
	return n > 0, err
}

// RetryOutgoing puts it off after an attempt that nobody answered.
func (q *Q) RetryOutgoing(control, lastError string, next time.Time) error {
	return q.do("UPDATE outbox SET last_error = ?, next_at = ? WHERE control = ? AND state = 'waiting'", lastError,
		Stamp(next), control)
}

// WithdrawOutgoing takes back what waits, so that it is not sent again; never says that no
// attempt was made, so that it cannot have arrived.
func (q *Q) WithdrawOutgoing(kind, subject string) (never bool, err error) {
	out, err := one(q, scalar[int], "SELECT count(*) FROM outbox WHERE subject = ? AND kind = ? AND (state <> 'waiting' OR attempts > 0)", subject, kind)
	if err != nil {
		return false, err
	}
	if out > 0 { // an earlier sending went out, or may have
		return false, q.do("UPDATE outbox SET state = 'withdrawn' WHERE subject = ? AND kind = ? AND state = 'waiting'", subject, kind)
	}
	n, err := q.exec("UPDATE outbox SET state = 'withdrawn' WHERE subject = ? AND kind = ? AND state = 'waiting' AND attempts = 0",
		subject, kind)
	return n > 0, err
}

// OutgoingWaits says whether something of a kind about a subject is still to be answered.
func (q *Q) OutgoingWaits(kind, subject string) (bool, error) {
	n, err := one(q, scalar[int], "SELECT count(*) FROM outbox WHERE subject = ? AND kind = ? AND state = 'waiting'", subject, kind)
	return n > 0, err
}

// OutgoingUnanswered counts the attempts at a kind of thing about a subject that nobody
// answered: each may have arrived all the same.
func (q *Q) OutgoingUnanswered(kind, subject string) (int, error) {
	return one(q, scalar[int], "SELECT coalesce(sum(attempts - (state NOT IN ('waiting', 'withdrawn'))), 0) FROM outbox WHERE subject = ? AND kind = ?",
		subject, kind)
}

// Sending is one thing that was queued: about what, where it stands, and since when.
type Sending struct {
	Subject, Control, State, Error string
	At                             time.Time
}

// OutgoingAbout lists what of a kind went out, or waits, about some subjects, oldest first; what was taken back is left out.
func (q *Q) OutgoingAbout(kind string, subjects []string) (map[string][]Sending, error) {
	all, _ := json.Marshal(subjects)
	rows, err := list(q, func(s scanner, o *Sending) error {
		var at string
		err := s.Scan(&o.Subject, &o.Control, &o.State, &o.Error, &at)
		o.At = Moment(at)
		return err
	}, `SELECT o.subject, o.control, o.state, o.last_error, coalesce(nullif(o.answered_at, ''), o.next_at) FROM json_each(?) j JOIN outbox o ON o.subject = j.value
		WHERE o.kind = ? AND o.state <> 'withdrawn' ORDER BY o.rowid`, string(all), kind)
	out := map[string][]Sending{}
	for _, r := range rows {
		out[r.Subject] = append(out[r.Subject], r)
	}
	return out, err
}

// OutgoingByControl finds what went out under a control identifier, with its state.
func (q *Q) OutgoingByControl(control string) (o Outgoing, state string, err error) {
	o, err = one(q, func(s scanner, o *Outgoing) error {
		return s.Scan(&o.Control, &o.Destination, &o.Kind, &o.Subject, &o.ByID, &state)
	}, "SELECT control, destination, kind, subject, by_id, state FROM outbox WHERE control = ?", control)
	return o, state, err
}

// AnswerOutgoing records an answer that came later, by another way.
func (q *Q) AnswerOutgoing(control, state, lastError string, answer []byte, at time.Time) error {
	return q.do("UPDATE outbox SET state = ?, last_error = ?, answer = ?, answered_at = ? WHERE control = ?", state, lastError, answer, Stamp(at), control)
}
