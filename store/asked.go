package store

import "time"

// Asked is a request that was made under an identifier, with its first answer; Status is 0
// while that is not known.
type Asked struct {
	ID, StaffID, Operation string
	Hash                   []byte
	At                     time.Time
	Status                 int
	Kind                   string // media type of the answer
	Answer                 []byte
}

// AskedBefore finds a request by its identifier.
func (q *Q) AskedBefore(id string) (Asked, error) {
	return one(q, func(s scanner, a *Asked) error {
		at := ""
		err := s.Scan(&a.ID, &a.StaffID, &a.Operation, &a.Hash, &at, &a.Status, &a.Kind, &a.Answer)
		a.At = Moment(at)
		return err
	}, "SELECT id, staff_id, operation, hash, at, status, kind, coalesce(answer, x'') FROM asked WHERE id = ?", id)
}

// AddAsked notes a request within the transaction of its act, and forgets those made before
// a moment.
func (q *Q) AddAsked(a Asked, forget time.Time) error {
	if err := q.do("DELETE FROM asked WHERE at < ?", Stamp(forget)); err != nil {
		return err
	}
	return q.do("INSERT INTO asked(id, staff_id, operation, hash, at) VALUES (?,?,?,?,?)", a.ID, a.StaffID, a.Operation, a.Hash, Stamp(a.At))
}

// Answered keeps the first answer of a request.
func (q *Q) Answered(id string, status int, kind string, answer []byte) error {
	return q.do("UPDATE asked SET status = ?, kind = ?, answer = ? WHERE id = ? AND status = 0", status, kind, answer, id)
}
