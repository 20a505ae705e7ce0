package store

import (
	"encoding/json"
	"errors"
	"strings"
	"time"

	"deftledger/core/chart"
	"deftledger/core/order"
	"deftledger/core/result"
)

// OrderTest is one test of an order. ReportStatus and Signed come from its report.
type OrderTest struct {
	Position                          int
	Code, Name, LOINC, Specimen, Tube string
	Diagnoses                         []CodedTitle
	ReportID, ReportStatus            string
	Signed                            bool
	Detail                            TestDetail
}

// TestDetail is what else was signed of a test: the test as the list said it then, with what
// was answered. It stays so when the list changes.
type TestDetail struct {
	Answers    []order.EntryAnswer `json:"answers,omitempty"`
	Remark     string              `json:"remark,omitempty"`
	Needs      []order.Tube        `json:"needs,omitempty"`
	Turnaround int                 `json:"turnaround,omitempty"` // hours; 0 where the list did not say
	Notice     *TestNotice         `json:"notice,omitempty"`     // where Original Medicare is to pay
}

// TestNotice is what Original Medicare was expected to pay of a test when it was signed, what
// the patient chose on the advance notice, and what that does to the charge.
type TestNotice struct {
	Answer    string   `json:"answer"` // as core/coverage names it
	Says      string   `json:"says"`
	Source    string   `json:"source,omitempty"`
	Choice    int      `json:"choice,omitempty"`   // 1 to 3; 0 for none
	Approved  bool     `json:"approved,omitempty"` // the form could be used that day
	Modifiers []string `json:"modifiers,omitempty"`
	Billed    bool     `json:"billed"`
}

// OrderDetail is what else was signed of an order.
type OrderDetail struct {
	Nth    int          `json:"nth,omitempty"` // of a standing order
	Of     int          `json:"of,omitempty"`
	Payer  order.Payer  `json:"payer"`
	Copies []order.Copy `json:"copies,omitempty"`
	Tubes  []order.Tube `json:"tubes,omitempty"`
	Phone  string       `json:"phone,omitempty"` // who took it down, of one given by telephone
}

// SpecimenEvent is what was said of the specimens of an order.
type SpecimenEvent struct {
	ID, OrderID, Says string
	DrawnAt, At       time.Time
	Reason, ByID, By  string
}

// What is said of specimens.
const (
	SpecimenDrawn    = "drawn"
	SpecimenNotDrawn = "not drawn"
	SpecimenPickedUp = "picked up"
)

// CodedTitle is a code with its title.
type CodedTitle struct {
	Code  string `json:"code"`
	Title string `json:"title"`
}

// Order is a laboratory order.
type Order struct {
	ID, PatientID, VisitID, ClinicianID, Placer, Laboratory, Priority string
	State                                                             order.State
	SignedAt, CollectedAt                                             time.Time
	Reason, RequestID                                                 string
	Cancelling                                                        string // see Cancelling… below
	Clinician                                                         string
	Kind                                                              order.Kind
	Party, Site, Together, Due                                        string
	Drawing                                                           order.Drawing
	Detail                                                            OrderDetail
	Tests                                                             []OrderTest
}

const orderQuery = `SELECT o.id, o.patient_id, o.visit_id, o.clinician_id, o.placer, o.laboratory, o.priority, o.state, o.signed_at, o.collected_at, o.reason, o.cancelling, o.request_id, s.given || ' ' || s.family,
	coalesce(m.kind, 'laboratory'), coalesce(m.party, ''), coalesce(m.site, ''), coalesce(m.together, o.id), coalesce(m.due, ''), coalesce(m.drawing, ''), coalesce(m.detail, '{}')
	FROM lab_order o JOIN staff s ON s.id = o.clinician_id LEFT JOIN order_more m ON m.order_id = o.id `

func scanOrder(s scanner, o *Order) error {
	var signed, collected, detail string
	err := s.Scan(&o.ID, &o.PatientID, &o.VisitID, &o.ClinicianID, &o.Placer, &o.Laboratory, &o.Priority, &o.State, &signed, &collected,
		&o.Reason, &o.Cancelling, &o.RequestID, &o.Clinician, &o.Kind, &o.Party, &o.Site, &o.Together, &o.Due, &o.Drawing, &detail)
	if err != nil {
		return err
	}
	o.SignedAt, o.CollectedAt = Moment(signed), Moment(collected)
	return json.Unmarshal([]byte(detail), &o.Detail)
}

// NextPlacer hands out the next order number, for ever unique in the practice.
func (q *Q) NextPlacer() (int, error) {
	return one(q, scalar[int], "INSERT INTO setting(name, value) VALUES ('last order number', '10001') ON CONFLICT(name) DO UPDATE SET "+
		"value = CAST(value AS INTEGER) + 1 RETURNING CAST(value AS INTEGER)")
}

// AddOrder stores a signed order with its tests.
func (q *Q) AddOrder(o Order) error {
	if err := q.do("INSERT INTO lab_order(id, patient_id, visit_id, clinician_id, placer, laboratory, priority, state, signed_at, "+
		"collected_at, reason, request_id) VALUES (?,?,?,?,?,?,?,?,?,?,?,?)",
		o.ID, o.PatientID, o.VisitID, o.ClinicianID, o.Placer, o.Laboratory, o.Priority, o.State, Stamp(o.SignedAt), Stamp(o.CollectedAt),
		o.Reason, o.RequestID); err != nil {
		return err
	}
	for i, t := range o.Tests {
		ds, err := json.Marshal(t.Diagnoses)
		if err != nil {
			return err
		}
		if err := q.do("INSERT INTO order_test(order_id, position, code, name, loinc, specimen, tube, diagnoses) VALUES (?,?,?,?,?,?,?,?)", o.ID,
			i+1, t.Code, t.Name, t.LOINC, t.Specimen, t.Tube, string(ds)); err != nil {
			return err
		}
		detail, err := json.Marshal(t.Detail)
		if err != nil {
			return err
		}
		if string(detail) != "{}" {
			if err := q.do("INSERT INTO order_test_more(order_id, position, detail) VALUES (?,?,?)", o.ID, i+1, string(detail)); err != nil {
				return err
			}
		}
	}
	if o.Party == "" {
		return nil
	}
	detail, err := json.Marshal(o.Detail)
	if err != nil {
		return err
	}
	return q.do("INSERT INTO order_more(order_id, kind, party, site, together, due, drawing, detail) VALUES (?,?,?,?,?,?,?,?)", o.ID, o.Kind, o.Party, o.Site, o.Together,
		o.Due, o.Drawing, string(detail))
}

func (q *Q) withTests(orders []Order, err error) ([]Order, error) {
	if err != nil || len(orders) == 0 {
		return orders, err
	}
	ids := make([]string, len(orders))
	for i, o := range orders {
		ids[i] = o.ID
	}
	all, _ := json.Marshal(ids)
	type row struct {
		order string
		t     OrderTest
	}
	tests, err := list(q, func(s scanner, r *row) error {
		var ds, detail string
		if err := s.Scan(&r.order, &r.t.Position, &r.t.Code, &r.t.Name, &r.t.LOINC, &r.t.Specimen, &r.t.Tube, &ds, &r.t.ReportID,
			&r.t.ReportStatus, &r.t.Signed, &detail); err != nil {
			return err
		}
		if err := json.Unmarshal([]byte(detail), &r.t.Detail); err != nil {
			return err
		}
		return json.Unmarshal([]byte(ds), &r.t.Diagnoses)
	}, `SELECT t.order_id, t.position, t.code, t.name, t.loinc, t.specimen, t.tube, t.diagnoses, coalesce(r.id, ''), coalesce(r.status, ''), coalesce(r.signed_issue = r.issue, 0), coalesce(m.detail, '{}')
		FROM json_each(?) j JOIN order_test t ON t.order_id = j.value LEFT JOIN order_test_more m ON m.order_id = t.order_id AND m.position = t.position LEFT JOIN report r ON r.id = (SELECT id FROM report WHERE order_id = t.order_id AND position = t.position AND gone_at = '' ORDER BY rowid DESC LIMIT 1) ORDER BY t.order_id, t.position`, string(all))
	if err != nil {
		return nil, err
	}
	of := map[string][]OrderTest{}
	for _, r := range tests {
		of[r.order] = append(of[r.order], r.t)
	}
	for i := range orders {
		orders[i].Tests = of[orders[i].ID]
	}
	return orders, nil
}

func first[T any](ts []T, err error) (T, error) {
	var zero T
	if err != nil {
		return zero, err
	}
	if len(ts) == 0 {
		return zero, ErrNotFound
	}
	return ts[0], nil
}

// OrderByID, OrderByPlacer and OrderByRequest find one order with its tests.
func (q *Q) OrderByID(id string) (Order, error) {
	return about(q, func(o Order) string { return o.PatientID })(first(q.withTests(list(q, scanOrder, orderQuery+"WHERE o.id = ?", id))))
}

// OrderByPlacer finds the order with our number.
func (q *Q) OrderByPlacer(placer string) (Order, error) {
	return first(q.withTests(list(q, scanOrder, orderQuery+"WHERE o.placer = ?", placer)))
}

// OrderByRequest finds the order that a retried act of ordering already made.
func (q *Q) OrderByRequest(request string) (Order, error) {
	return first(q.withTests(list(q, scanOrder, orderQuery+"WHERE o.request_id = ?", request)))
}

// OrdersOf lists a patient's orders, newest first.
func (q *Q) OrdersOf(patient string) ([]Order, error) {
	return q.withTests(list(q, scanOrder, orderQuery+"WHERE o.patient_id "+samePerson+" ORDER BY o.signed_at DESC", patient))
}

// OrdersIn lists the orders with the given ids.
func (q *Q) OrdersIn(ids []string) ([]Order, error) {
	all, _ := json.Marshal(ids)
	return q.withTests(list(q, scanOrder, orderQuery+"WHERE o.id IN (SELECT value FROM json_each(?))", string(all)))
}

// OrdersTogether lists the orders that were signed at once, with their tests, by the day they are for.
func (q *Q) OrdersTogether(signing string) ([]Order, error) {
	return q.withTests(list(q, scanOrder, orderQuery+"WHERE m.together = ? ORDER BY m.due, o.placer", signing))
}

// OrdersHeld lists the orders that wait for their day (planned) or for the specimen to be
// drawn here (to be drawn), up to a day (YYYY-MM-DD), those longest due first.
func (q *Q) OrdersHeld(state order.State, until string, limit int) ([]Order, error) {
	return q.withTests(list(q, scanOrder, orderQuery+"WHERE o.state IN ('planned', 'to be drawn') AND o.state = ? AND coalesce(m.due, '') <= ? "+
		"ORDER BY m.due, o.signed_at LIMIT ?", state, until, limit))
}

// OrdersForCourier lists the orders drawn here within two weeks that nobody picked up yet
// and of which no result has come, longest drawn first.
func (q *Q) OrdersForCourier(since time.Time, limit int) ([]Order, error) {
	return q.withTests(list(q, scanOrder, "WITH drawn AS MATERIALIZED (SELECT order_id, min(drawn_at) AS at FROM specimen e WHERE e.says = 'drawn' AND e.at >= ? "+
		"AND NOT EXISTS (SELECT 1 FROM specimen x WHERE x.order_id = e.order_id AND x.says = 'picked up') GROUP BY order_id) "+
		strings.Replace(orderQuery, "FROM lab_order o", "FROM drawn d JOIN lab_order o ON o.id = d.order_id", 1)+
		"WHERE o.state IN ('signed, not sent', 'received by the laboratory', 'refused') ORDER BY d.at LIMIT ?", Stamp(since), limit))
}

// Often is a test that somebody often orders.
type Often struct {
	Party, Code string
	Times       int
}

// OftenOrdered lists what somebody ordered most among their last orders, the commonest first.
func (q *Q) OftenOrdered(staff string, limit int) ([]Often, error) {
	return list(q, func(s scanner, o *Often) error { return s.Scan(&o.Party, &o.Code, &o.Times) }, `WITH last AS MATERIALIZED (
			SELECT id FROM lab_order WHERE clinician_id = ? ORDER BY signed_at DESC LIMIT 200)
		SELECT coalesce(m.party, ''), t.code, count(*) AS n FROM last JOIN order_test t ON t.order_id = last.id LEFT JOIN order_more m ON m.order_id = last.id
		GROUP BY 1, 2 ORDER BY n DESC, 2 LIMIT ?`, staff, limit)
}

// What an OrderEvent is.
const (
	OrderCalled = "called" // somebody asked after it
	OrderAsked  = "asked"  // the laboratory was asked by a message
	OrderTold   = "told"   // what the laboratory said of it; ByID is ""
	// OrderTrouble is the same, where somebody has to see to it.
	OrderTrouble = "told of trouble"
	OrderAgain   = "sent again" // under its number, to be taken once
)

// OrderEvent is what was done about an order that went its way too slowly, or what the
// laboratory said of it.
type OrderEvent struct {
	ID, OrderID, Says, Detail, ByID, By string
	Until, At                           time.Time
}

// AddOrderEvent stores what was done about an order.
func (q *Q) AddOrderEvent(e OrderEvent) error {
	until := ""
	if !e.Until.IsZero() {
		until = Stamp(e.Until)
	}
	return q.do("INSERT INTO order_event(id, order_id, says, detail, until, by_id, at) VALUES (?,?,?,?,?,?,?)", e.ID, e.OrderID, e.Says, e.Detail, until, e.ByID,
		Stamp(e.At))
}

// OrderEvents lists what was done about some orders, oldest first.
func (q *Q) OrderEvents(orders []string) ([]OrderEvent, error) {
	all, _ := json.Marshal(orders)
	return list(q, func(s scanner, e *OrderEvent) error {
		var until, at string
		err := s.Scan(&e.ID, &e.OrderID, &e.Says, &e.Detail, &until, &e.ByID, &at, &e.By)
		e.Until, e.At = Moment(until), Moment(at)
		return err
	}, `SELECT e.id, e.order_id, e.says, e.detail, e.until, e.by_id, e.at, coalesce(s.given || ' ' || s.family, '') FROM json_each(?) j
		JOIN order_event e ON e.order_id = j.value LEFT JOIN staff s ON s.id = e.by_id ORDER BY e.at, e.id`, string(all))
}

// OrderCursor is where a page of the history of orders goes on: after the order signed at a
// moment; the zero value begins with the newest.
type OrderCursor struct{ At, ID string }

// OrderHistory lists orders of a patient ("" for the practice), the newest first, after a
// cursor; going leaves out those of which nothing more is expected.
func (q *Q) OrderHistory(patient string, going bool, after OrderCursor, limit int) ([]Order, error) {
	if after.At == "" {
		after = OrderCursor{"9999", ""}
	}
	where, args := "WHERE (o.signed_at, o.id) < (?, ?)", []any{after.At, after.ID}
	if patient != "" {
		where, args = where+" AND o.patient_id "+samePerson, append(args, patient)
	}
	if going {
		where += " AND o.state NOT IN ('reviewed', 'cancelled')"
	}
	return q.withTests(list(q, scanOrder, orderQuery+where+" ORDER BY o.signed_at DESC, o.id DESC LIMIT ?", append(args, limit)...))
}

// OrdersWaiting lists the orders whose open lines wait for others, longest signed first.
func (q *Q) OrdersWaiting(limit int) ([]Order, error) {
	return q.withTests(list(q, scanOrder, strings.Replace(orderQuery, "FROM lab_order o", "FROM line l JOIN lab_order o ON o.id = l.subject", 1)+
		"WHERE l.kind = 'order' AND l.closed_at = '' AND l.state <> 'open' ORDER BY o.signed_at LIMIT ?", limit))
}

// SetCollected stores when the specimens of an order were taken.
func (q *Q) SetCollected(id string, at time.Time) error {
	return q.do("UPDATE lab_order SET collected_at = ? WHERE id = ?", Stamp(at), id)
}

// AddSpecimen stores what was said of the specimens of an order.
func (q *Q) AddSpecimen(e SpecimenEvent) error {
	return q.do("INSERT INTO specimen(id, order_id, says, drawn_at, reason, by_id, at) VALUES (?,?,?,?,?,?,?)", e.ID, e.OrderID, e.Says, Stamp(e.DrawnAt),
		e.Reason, e.ByID, Stamp(e.At))
}

// SpecimensOf lists what was said of the specimens of some orders, oldest first.
func (q *Q) SpecimensOf(orders []string) ([]SpecimenEvent, error) {
	all, _ := json.Marshal(orders)
	return list(q, func(s scanner, e *SpecimenEvent) error {
		var drawn, at string
		err := s.Scan(&e.ID, &e.OrderID, &e.Says, &drawn, &e.Reason, &e.ByID, &at, &e.By)
		e.DrawnAt, e.At = Moment(drawn), Moment(at)
		return err
	}, `SELECT e.id, e.order_id, e.says, e.drawn_at, e.reason, e.by_id, e.at, s.given || ' ' || s.family FROM json_each(?) j
		JOIN specimen e ON e.order_id = j.value JOIN staff s ON s.id = e.by_id ORDER BY e.at, e.id`, string(all))
}

// SetOrderState stores an order's state and, for refusal or cancelling, the reason.
func (q *Q) SetOrderState(id string, state order.State, reason string) error {
	return q.do("UPDATE lab_order SET state = ?, reason = ? WHERE id = ?", state, reason, id)
}

// What the laboratory says to the cancelling of an order: nothing yet, that it is done, or
// else why it could not.
const (
	CancellingWaits = "waiting"
	CancellingDone  = "done"
	CancellingTold  = "told" // by fax, which nobody answers
)

// SetCancelling stores what the laboratory says to the cancelling of an order.
func (q *Q) SetCancelling(id, says string) error {
	return q.do("UPDATE lab_order SET cancelling = ? WHERE id = ?", says, id)
}

// Incoming is a received message as it was stored.
type Incoming struct {
	ID              int64
	ReceivedAt      time.Time
	Sender, Control string
	Raw             []byte
	State           result.Received
	Reason          string
}

func scanIncoming(s scanner, i *Incoming) error {
	var at string
	err := s.Scan(&i.ID, &at, &i.Sender, &i.Control, &i.Raw, &i.State, &i.Reason)
	i.ReceivedAt = Moment(at)
	return err
}

const inboxCols = "id, received_at, sender, control, raw, state, reason"

// AddIncoming stores a message raw. When the same bytes came before, it is stored
// as a duplicate, which is never filed again.
func (q *Q) AddIncoming(i Incoming, peer string, sum []byte) (int64, error) {
	return one(q, scalar[int64], `INSERT INTO inbox(received_at, peer, sender, control, sha256, raw, state, reason)
		SELECT ?1, ?2, ?3, ?4, ?5, ?6, CASE WHEN ?7 = 'stored' AND EXISTS (SELECT 1 FROM inbox WHERE sha256 = ?5 AND state <> 'refused') THEN 'duplicate' ELSE ?7 END, ?8 RETURNING id`,
		Stamp(i.ReceivedAt), peer, i.Sender, i.Control, sum, i.Raw, i.State, i.Reason)
}

// PaperEntered says whether an answer on paper was typed in before, under its identifier.
func (q *Q) PaperEntered(sender, control string) (bool, error) {
	return one(q, scalar[bool], "SELECT EXISTS (SELECT 1 FROM inbox WHERE sender = ? AND control = ?)", sender, control)
}

// StoredIncoming lists messages that were acknowledged and not yet understood.
func (q *Q) StoredIncoming(limit int) ([]Incoming, error) {
	return list(q, scanIncoming, "SELECT "+inboxCols+" FROM inbox WHERE state = 'stored' ORDER BY id LIMIT ?", limit)
}

// IncomingIn lists messages by id.
func (q *Q) IncomingIn(ids []int64) ([]Incoming, error) {
	all, _ := json.Marshal(ids)
	return list(q, scanIncoming, "SELECT "+inboxCols+" FROM inbox WHERE id IN (SELECT value FROM json_each(?))", string(all))
}

// IncomingByID finds a message.
func (q *Q) IncomingByID(id int64) (Incoming, error) {
	return one(q, scanIncoming, "SELECT "+inboxCols+" FROM inbox WHERE id = ?", id)
}

// ControlSeen says whether another message with the same sender and control
// identifier, but other bytes, came before.
func (q *Q) ControlSeen(i Incoming) (bool, error) {
	seen, err := one(q, scalar[bool],
		"SELECT EXISTS (SELECT 1 FROM inbox WHERE sender = ? AND control = ? AND id < ? AND state IN ('filed', 'quarantined', 'settled') AND "+
			"sha256 <> (SELECT sha256 FROM inbox WHERE id = ?))", i.Sender, i.Control, i.ID, i.ID)
	return seen, err
}

// SetIncoming stores what became of a message.
func (q *Q) SetIncoming(id int64, state result.Received, reason string) error {
	return q.do("UPDATE inbox SET state = ?, reason = ? WHERE id = ?", state, reason, id)
}

// PartState is what became of what a message says of one patient.
type PartState struct {
	MessagePart
	State  result.Received
	Reason string
}

// SetPart stores what became of a part of a message.
func (q *Q) SetPart(p MessagePart, state result.Received, reason string) error {
	return q.do("INSERT INTO inbox_part(inbox_id, part, state, reason) VALUES (?,?,?,?) ON CONFLICT (inbox_id, part) DO UPDATE SET "+
		"state = excluded.state, reason = excluded.reason", p.Inbox, p.Part, state, reason)
}

// RefusedWaits says whether the same bytes were refused before, and nobody has settled it.
func (q *Q) RefusedWaits(sum []byte) (bool, error) {
	return one(q, scalar[bool], "SELECT EXISTS (SELECT 1 FROM inbox i JOIN inbox_part p ON p.inbox_id = i.id WHERE i.sha256 = ? AND i.state = 'refused' "+
		"AND p.state = 'quarantined')", sum)
}

// PartsIn lists what became of the parts of messages of which something is or was held.
func (q *Q) PartsIn(messages []int64) ([]PartState, error) {
	all, _ := json.Marshal(messages)
	return list(q, func(s scanner, p *PartState) error { return s.Scan(&p.Inbox, &p.Part, &p.State, &p.Reason) },
		"SELECT inbox_id, part, state, reason FROM inbox_part WHERE inbox_id IN (SELECT value FROM json_each(?)) ORDER BY inbox_id, part", string(all))
}

// PatientsNumbered finds the records with any of some record numbers.
func (q *Q) PatientsNumbered(records []string) ([]chart.Patient, error) {
	all, _ := json.Marshal(records)
	return list(q, scanPatient, "SELECT "+patientCols+" FROM patient p WHERE p.record IN (SELECT value FROM json_each(?))", string(all))
}

// IsNotFound says whether an error means that a row is not there.
func IsNotFound(err error) bool { return errors.Is(err, ErrNotFound) }
