package store

import (
	"encoding/json"
	"time"
)

// Kinds of a further order.
const (
	ReferralOrder     = "referral"
	PrescriptionOrder = "prescription"
)

// Further is an order that is no laboratory's: a referral or a prescription. Detail is what
// its room keeps of it, as JSON; it never changes.
type Further struct {
	ID, Kind, Number, PatientID, VisitID, ClinicianID, ByID, ToID, RequestID string
	WrittenAt, SignedAt                                                      time.Time // SignedAt zero while it waits for the signature
	Folio                                                                    int
	State, Reason                                                            string
	Detail                                                                   json.RawMessage
	Clinician, By                                                            string // names
}

// FurtherEvent is what became of a further order.
type FurtherEvent struct {
	ID, OrderID, Says, Detail string
	Happened                  string // as it was said: a day or a moment; "" where nobody said
	Origin                    string // how the other side names it; "" for what was said here
	DocumentID, ByID, By      string
	At                        time.Time
}

const furtherQuery = `SELECT o.id, o.kind, o.number, o.patient_id, o.visit_id, o.clinician_id, o.by_id, o.to_id, o.request_id, o.written_at, o.signed_at, o.folio, o.state, o.reason, o.detail,
	s.given || ' ' || s.family, w.given || ' ' || w.family FROM further_order o JOIN staff s ON s.id = o.clinician_id JOIN staff w ON w.id = o.by_id `

func scanFurther(s scanner, o *Further) error {
	var written, signed, detail string
	err := s.Scan(&o.ID, &o.Kind, &o.Number, &o.PatientID, &o.VisitID, &o.ClinicianID, &o.ByID, &o.ToID, &o.RequestID, &written, &signed, &o.Folio, &o.State, &o.Reason,
		&detail, &o.Clinician, &o.By)
	o.WrittenAt, o.SignedAt, o.Detail = Moment(written), Moment(signed), json.RawMessage(detail)
	return err
}

// AddFurther stores a further order, signed or waiting for the signature.
func (q *Q) AddFurther(o Further) error {
	signed := ""
	if !o.SignedAt.IsZero() {
		signed = Stamp(o.SignedAt)
	}
	return q.do("INSERT INTO further_order(id, kind, number, patient_id, visit_id, clinician_id, by_id, to_id, request_id, written_at, detail, signed_at, folio, state, reason) "+
		"VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)", o.ID, o.Kind, o.Number, o.PatientID, o.VisitID, o.ClinicianID, o.ByID, o.ToID, o.RequestID, Stamp(o.WrittenAt), string(o.Detail), signed,
		o.Folio, o.State, o.Reason)
}

// FurtherByID finds one.
func (q *Q) FurtherByID(id string) (Further, error) {
	return about(q, func(o Further) string { return o.PatientID })(one(q, scanFurther, furtherQuery+"WHERE o.id = ?", id))
}

// FurtherByRequest finds the one that a retried act already made.
func (q *Q) FurtherByRequest(request string) (Further, error) {
	return one(q, scanFurther, furtherQuery+"WHERE o.request_id = ?", request)
}

// FurtherByNumber finds the one with our number.
func (q *Q) FurtherByNumber(number string) (Further, error) {
	return one(q, scanFurther, furtherQuery+"WHERE o.number = ?", number)
}

// FurtherIn lists those with the given ids.
func (q *Q) FurtherIn(ids []string) ([]Further, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanFurther, furtherQuery+"WHERE o.id IN (SELECT value FROM json_each(?))", string(all))
}

// FurtherOf lists those of a patient of a kind, newest first.
func (q *Q) FurtherOf(patient, kind string) ([]Further, error) {
	return list(q, scanFurther, furtherQuery+"WHERE o.patient_id "+samePerson+" AND o.kind = ? ORDER BY o.written_at DESC LIMIT 500", patient, kind)
}

// FurtherGoing lists those of a kind of which something is expected still, oldest first.
func (q *Q) FurtherGoing(kind string, limit int) ([]Further, error) {
	return list(q, scanFurther, furtherQuery+"WHERE o.kind = ? AND o.state NOT IN ('closed', 'cancelled', 'ended') ORDER BY o.written_at LIMIT ?", kind, limit)
}

// SetFurther stores where one stands, and why.
func (q *Q) SetFurther(id, state, reason string) error {
	return q.do("UPDATE further_order SET state = ?, reason = ? WHERE id = ?", state, reason, id)
}

// SignFurther stores that one which waited was signed, and by whom; ErrStale where it was
// before.
func (q *Q) SignFurther(id, by, state string, folio int, at time.Time) error {
	n, err := q.exec("UPDATE further_order SET clinician_id = ?, signed_at = ?, folio = ?, state = ?, reason = '' WHERE id = ? AND signed_at = ''", by, Stamp(at), folio, state, id)
	if err == nil && n == 0 {
		return ErrStale
	}
	return err
}

// AddFurtherEvent stores what became of one; added is false where the other side had said it
// before.
func (q *Q) AddFurtherEvent(e FurtherEvent) (added bool, err error) {
	n, err := q.exec("INSERT INTO further_event(id, order_id, says, detail, happened, origin, document_id, by_id, at) VALUES (?,?,?,?,?,?,?,?,?) ON CONFLICT DO NOTHING", e.ID,
		e.OrderID, e.Says, e.Detail, e.Happened, e.Origin, e.DocumentID, e.ByID, Stamp(e.At))
	return n > 0, err
}

// FurtherEvents lists what became of some, oldest first.
func (q *Q) FurtherEvents(orders []string) ([]FurtherEvent, error) {
	all, _ := json.Marshal(orders)
	return list(q, func(s scanner, e *FurtherEvent) error {
		var at string
		err := s.Scan(&e.ID, &e.OrderID, &e.Says, &e.Detail, &e.Happened, &e.Origin, &e.DocumentID, &e.ByID, &at, &e.By)
		e.At = Moment(at)
		return err
	}, `SELECT e.id, e.order_id, e.says, e.detail, e.happened, e.origin, e.document_id, e.by_id, e.at, coalesce(s.given || ' ' || s.family, '') FROM json_each(?) j
		JOIN further_event e ON e.order_id = j.value LEFT JOIN staff s ON s.id = e.by_id ORDER BY e.at, e.id`, string(all))
}

// Addressee is somebody to whom the practice writes.
type Addressee struct {
	ID                                                                              string
	Kind, Name, Person, Specialty, Phone, Fax, Address, NPI, Reach, Account, Remark string
	Version                                                                         int
	ByID                                                                            string
	At                                                                              time.Time
	Gone                                                                            bool
}

const addresseeCols = "id, kind, name, person, specialty, phone, fax, address, npi, reach, account, remark, version, by_id, at, gone"

func scanAddressee(s scanner, e *Addressee) error {
	var at string
	err := s.Scan(&e.ID, &e.Kind, &e.Name, &e.Person, &e.Specialty, &e.Phone, &e.Fax, &e.Address, &e.NPI, &e.Reach, &e.Account, &e.Remark, &e.Version, &e.ByID, &at, &e.Gone)
	e.At = Moment(at)
	return err
}

// Directory lists everybody to whom the practice writes, or wrote, by name.
func (q *Q) Directory() ([]Addressee, error) {
	return list(q, scanAddressee, "SELECT "+addresseeCols+" FROM directory ORDER BY name, person")
}

// AddresseeByID finds one of the directory.
func (q *Q) AddresseeByID(id string) (Addressee, error) {
	return one(q, scanAddressee, "SELECT "+addresseeCols+" FROM directory WHERE id = ?", id)
}

// KeepAddressee stores an entry of the directory, new (Version 1) or changed from the version
// before; ErrStale where somebody else changed it meanwhile.
func (q *Q) KeepAddressee(e Addressee) error {
	if e.Version == 1 {
		return q.do("INSERT INTO directory("+addresseeCols+") VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)", e.ID, e.Kind, e.Name, e.Person, e.Specialty, e.Phone, e.Fax, e.Address, e.NPI,
			e.Reach, e.Account, e.Remark, e.Version, e.ByID, Stamp(e.At), e.Gone)
	}
	n, err := q.exec("UPDATE directory SET kind = ?, name = ?, person = ?, specialty = ?, phone = ?, fax = ?, address = ?, npi = ?, reach = ?, account = ?, remark = ?, version = ?, "+
		"by_id = ?, at = ?, gone = ? WHERE id = ? AND version = ?", e.Kind, e.Name, e.Person, e.Specialty, e.Phone, e.Fax, e.Address, e.NPI, e.Reach, e.Account, e.Remark, e.Version, e.ByID,
		Stamp(e.At), e.Gone, e.ID, e.Version-1)
	if err == nil && n == 0 {
		return ErrStale
	}
	return err
}
