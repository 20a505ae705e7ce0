package store

import (
	"encoding/json"
	"time"

	"deftledger/core/outside"
)

// Message is a message to a patient's portal account. ID stays the same however often it
// is sent; text, document and folio never change.
type Message struct {
	ID, PatientID, NoteID, Text, DocumentID string
	Folio                                   int
	State                                   outside.Sending
	LastError, ByID                         string
	At, DoneAt                              time.Time
	Settled                                 string // how a refused one was settled
}

const messageCols = "id, patient_id, note_id, text, document_id, folio, state, last_error, by_id, at, done_at, settled"

func scanMessage(s scanner, m *Message) error {
	var at, done string
	err := s.Scan(&m.ID, &m.PatientID, &m.NoteID, &m.Text, &m.DocumentID, &m.Folio, &m.State, &m.LastError, &m.ByID, &at, &done, &m.Settled)
	m.At, m.DoneAt = Moment(at), Moment(done)
	return err
}

// AddMessage puts a message in the way out.
func (q *Q) AddMessage(m Message) error {
	return q.do("INSERT INTO message(id, patient_id, note_id, text, document_id, folio, state, next_at, by_id, at) VALUES "+
		"(?,?,?,?,?,?,'waiting',?,?,?)",
		m.ID, m.PatientID, m.NoteID, m.Text, m.DocumentID, m.Folio, Stamp(m.At), m.ByID, Stamp(m.At))
}

// MessageByID finds a message.
func (q *Q) MessageByID(id string) (Message, error) {
	return about(q, func(m Message) string { return m.PatientID })(one(q, scanMessage, "SELECT "+messageCols+" FROM message WHERE id = ?", id))
}

// MessagesIn lists messages by id.
func (q *Q) MessagesIn(ids []string) ([]Message, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanMessage, "SELECT "+messageCols+" FROM message WHERE id IN (SELECT value FROM json_each(?))", string(all))
}

// MessagesOf lists the messages to a patient, newest first.
func (q *Q) MessagesOf(patient string) ([]Message, error) {
	return list(q, scanMessage, "SELECT "+messageCols+" FROM message WHERE patient_id "+samePerson+" ORDER BY at DESC", patient)
}

// SetMessage records how sending went.
func (q *Q) SetMessage(id string, state outside.Sending, problem string, done time.Time) error {
	return q.do("UPDATE message SET state = ?, last_error = ?, done_at = ? WHERE id = ?", state, problem, Stamp(done), id)
}

// settle records how something refused was settled; ErrStale when it is not refused.
func (q *Q) settle(table, id, how string, at time.Time) error {
	return q.fresh("UPDATE "+table+" SET state = 'settled', settled = ?, done_at = ? WHERE id = ? AND state = 'refused'", how, Stamp(at), id)
}

// SettleMessage records how a refused message was settled.
func (q *Q) SettleMessage(id, how string, at time.Time) error {
	return q.settle("message", id, how, at)
}

// SettleFax records how a refused fax was settled.
func (q *Q) SettleFax(id, how string, at time.Time) error { return q.settle("fax", id, how, at) }
