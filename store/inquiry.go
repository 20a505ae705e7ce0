package store

import (
	"encoding/json"
	"strings"
	"time"

	"deftledger/core/line"
)

// Kinds of inquiry, and where one stands.
const (
	RepeatInquiry  = "repeat"
	MessageInquiry = "message"
	TelephoneOrder = "telephone order"   // given by telephone, until its author signs it
	DisputedOrder  = "disputed order"    // one that its author does not own to
	SelfHarm       = "self-harm"         // an answer that speaks of it
	ByMail         = "reminder by mail"  // what we remind of by letter or portal
	HandedOver     = "hand-over"         // what one of us asks another to do about a line
	Announced      = "critical"          // a critical value, open until somebody has taken it up
	CalledIn       = "called in"         // a critical value told by telephone, before its report
	CopiedTo       = "copied to"         // a result with a copy to one of us
	GivenBack      = "given back"        // a held message that the laboratory was asked about
	ForDesk        = "front desk"        // what the front desk may tell of a result
	ToTell         = "telling"           // what a patient is to be told of their results
	HeldBack       = "held back"         // a result that is not released to the portal yet
	ToRegistry     = "to the registry"   // a vaccine told to the immunization registry
	SharingConsent = "sharing consent"   // what a patient agreed to share with other houses, or no longer does
	SharingWish    = "sharing wish"      // what is held back from others, or may go out
	ExchangeLink   = "exchange link"     // whom a patient is at the exchange, or why nobody can say
	FromExchange   = "from the exchange" // a document that the exchange has of a patient
	HandedOn       = "record handed on"  // a record from elsewhere that was given to somebody else, with what is to be done
	FHIRToken      = "fhir token"        // a token by which another program reads charts
	GivenOut       = "given out"         // a copy of a chart that was given out
	InquiryOpen    = "open"
)

// Inquiry is what somebody asks of the practice, by telephone or through a system of theirs. Said is what its room keeps of it, as
// JSON; it never changes.
type Inquiry struct {
	ID, Kind, Source, Origin, PatientID, OwnerID, ByID string
	Said                                               json.RawMessage
	At                                                 time.Time
	State, Answer, OrderID, DoneBy                     string
	DoneAt                                             time.Time
	By, Done                                           string // names
}

const inquiryQuery = `SELECT i.id, i.kind, i.source, i.origin, i.patient_id, i.owner_id, i.by_id, i.said, i.at, i.state, i.answer, i.order_id, i.done_by, i.done_at,
	coalesce(b.given || ' ' || b.family, ''), coalesce(d.given || ' ' || d.family, '') FROM inquiry i LEFT JOIN staff b ON b.id = i.by_id LEFT JOIN staff d ON d.id = i.done_by `

func scanInquiry(s scanner, i *Inquiry) error {
	var said, at, done string
	err := s.Scan(&i.ID, &i.Kind, &i.Source, &i.Origin, &i.PatientID, &i.OwnerID, &i.ByID, &said, &at, &i.State, &i.Answer, &i.OrderID, &i.DoneBy, &done, &i.By, &i.Done)
	i.Said, i.At, i.DoneAt = json.RawMessage(said), Moment(at), Moment(done)
	return err
}

// AddInquiry stores what was asked; added is false where it was before.
func (q *Q) AddInquiry(i Inquiry) (added bool, err error) {
	n, err := q.exec("INSERT INTO inquiry(id, kind, source, origin, patient_id, owner_id, said, by_id, at) VALUES (?,?,?,?,?,?,?,?,?) ON CONFLICT DO NOTHING", i.ID, i.Kind, i.Source,
		i.Origin, i.PatientID, i.OwnerID, string(i.Said), i.ByID, Stamp(i.At))
	return n > 0, err
}

// InquiryByID finds one.
func (q *Q) InquiryByID(id string) (Inquiry, error) {
	return about(q, func(i Inquiry) string { return i.PatientID })(one(q, scanInquiry, inquiryQuery+"WHERE i.id = ?", id))
}

// InquiryOfOrigin finds one of ours by what it came from.
func (q *Q) InquiryOfOrigin(origin string) (Inquiry, error) {
	return one(q, scanInquiry, inquiryQuery+"WHERE i.source = 'here' AND i.origin = ?", origin)
}

// InquiriesIn lists some by id.
func (q *Q) InquiriesIn(ids []string) ([]Inquiry, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanInquiry, inquiryQuery+"WHERE i.id IN (SELECT value FROM json_each(?))", string(all))
}

// InquiriesFrom lists those whose origin begins so, in the order of it.
func (q *Q) InquiriesFrom(beginning string) ([]Inquiry, error) {
	return list(q, scanInquiry, inquiryQuery+"WHERE i.origin >= ? AND i.origin < ? ORDER BY i.origin", beginning, beginning+"\uffff")
}

// OpenOf is an inquiry that is open, with whose it is today.
type OpenOf struct {
	Person, Origin string
	At             time.Time
}

// InquiriesOpenOf lists the open ones of a kind of some people, of records merged into theirs too.
func (q *Q) InquiriesOpenOf(kind string, people []string) ([]OpenOf, error) {
	all, _ := json.Marshal(people)
	return list(q, func(s scanner, o *OpenOf) error {
		var at string
		err := s.Scan(&o.Person, &o.Origin, &at)
		o.At = Moment(at)
		return err
	}, "SELECT x.person_id, i.origin, i.at FROM json_each(?) j JOIN patient x ON x.person_id = j.value JOIN inquiry i ON i.patient_id = x.id WHERE i.kind = ? AND i.state = 'open' ORDER BY i.at", string(all), kind)
}

// InquiriesKnown tells which of some origins are stored already.
func (q *Q) InquiriesKnown(origins []string) (map[string]bool, error) {
	all, _ := json.Marshal(origins)
	known, err := list(q, scalar[string], "SELECT i.origin FROM json_each(?) j JOIN inquiry i ON i.origin = j.value", string(all))
	out := map[string]bool{}
	for _, o := range known {
		out[o] = true
	}
	return out, err
}

// SetInquiryOf says whose an inquiry is, and who answers it.
func (q *Q) SetInquiryOf(id, patient, owner string) error {
	return q.do("UPDATE inquiry SET patient_id = ?, owner_id = ? WHERE id = ?", patient, owner, id)
}

// AnswerInquiry closes an inquiry; ErrStale where it was closed before.
func (q *Q) AnswerInquiry(id, state, answer, order, by string, at time.Time) error {
	n, err := q.exec("UPDATE inquiry SET state = ?, answer = ?, order_id = ?, done_by = ?, done_at = ? WHERE id = ? AND state = 'open'", state, answer, order, by, Stamp(at), id)
	if err == nil && n == 0 {
		return ErrStale
	}
	return err
}

// InquiryEvent is something that happened to an inquiry.
type InquiryEvent struct {
	InquiryID, Kind, Says, ByID string
	At                          time.Time
}

// AddInquiryEvent keeps what happened.
func (q *Q) AddInquiryEvent(e InquiryEvent) error {
	return q.do("INSERT INTO inquiry_event(inquiry_id, kind, says, by_id, at) VALUES (?,?,?,?,?)", e.InquiryID, e.Kind, e.Says, e.ByID, Stamp(e.At))
}

// InquiryEvents lists what happened to some inquiries, in order.
func (q *Q) InquiryEvents(ids []string) ([]InquiryEvent, error) {
	all, _ := json.Marshal(ids)
	return list(q, func(s scanner, e *InquiryEvent) error {
		var at string
		err := s.Scan(&e.InquiryID, &e.Kind, &e.Says, &e.ByID, &at)
		e.At = Moment(at)
		return err
	}, "SELECT e.inquiry_id, e.kind, e.says, e.by_id, e.at FROM json_each(?) j JOIN inquiry_event e ON e.inquiry_id = j.value ORDER BY e.id", string(all))
}

// InquiryEventsBy tells what happened to some inquiries, by inquiry.
func (q *Q) InquiryEventsBy(all []Inquiry) (map[string][]InquiryEvent, error) {
	ids := make([]string, len(all))
	for k, i := range all {
		ids[k] = i.ID
	}
	events, err := q.InquiryEvents(ids)
	out := map[string][]InquiryEvent{}
	for _, e := range events {
		out[e.InquiryID] = append(out[e.InquiryID], e)
	}
	return out, err
}

// InquiriesOpen lists the open ones of a kind, as many as limit.
func (q *Q) InquiriesOpen(kind string, limit int) ([]Inquiry, error) {
	return list(q, scanInquiry, inquiryQuery+"JOIN line l ON l.kind = ?2 AND l.subject = i.id AND l.closed_at = '' WHERE i.kind = ?1 AND i.state = 'open' ORDER BY i.at LIMIT ?3", kind, inquiryLine[kind], limit)
}

// InquiriesAnnounced lists the critical values that nobody has taken up, oldest first.
func (q *Q) InquiriesAnnounced() ([]Inquiry, error) {
	return list(q, scanInquiry, inquiryQuery+"WHERE i.kind = 'critical' AND i.state = 'open' ORDER BY i.at")
}

// InquiriesGivenBack lists the held messages that a laboratory was asked about and nobody has decided on, oldest first.
func (q *Q) InquiriesGivenBack() ([]Inquiry, error) {
	return list(q, scanInquiry, inquiryQuery+"WHERE i.kind = 'given back' AND i.state = 'open' ORDER BY i.at")
}

// inquiryLine is the kind of line of an inquiry that others wait for.
var inquiryLine = map[string]line.Kind{HandedOver: line.HandOver, ToTell: line.Telling, HeldBack: line.HeldBack}

// InquiriesAbout lists those of a kind whose origin begins so, open or not, newest first.
func (q *Q) InquiriesAbout(kind string, patient string) ([]Inquiry, error) {
	return list(q, scanInquiry, inquiryQuery+"WHERE i.kind = ?2 AND i.patient_id "+strings.Replace(samePerson, "?", "?1", 1)+" ORDER BY i.at DESC", patient, kind)
}
