package order

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/exchange/hl7v2"
	"deftledger/exchange/mllp"
	"deftledger/store"
)

// OrderTestView is one test of an order.
type OrderTestView struct {
	Code      string             `json:"code"`
	Name      string             `json:"name"`
	LOINC     string             `json:"loinc"`
	Specimen  string             `json:"specimen"`
	Tube      string             `json:"tube"`
	Diagnoses []store.CodedTitle `json:"diagnoses"`
	ReportID  string             `json:"reportId"`
	Status    string             `json:"status"`
	Signed    bool               `json:"signed"`
}

// OrderView is an order with its tests and where it stands.
type OrderView struct {
	ID         string          `json:"id"`
	PatientID  string          `json:"patientId"`
	VisitID    string          `json:"visitId"`
	Placer     string          `json:"placer"`
	Laboratory string          `json:"laboratory"`
	Priority   string          `json:"priority"`
	State      string          `json:"state"`
	Reason     string          `json:"reason"`
	Cancelling string          `json:"cancelling" doc:"What the laboratory says to its cancelling, in words; empty when it need not know"`
	NotDone    bool            `json:"notDone" doc:"It could not be cancelled, and somebody has to speak with the laboratory"`
	SignedAt   string          `json:"signedAt"`
	Clinician  string          `json:"clinician"`
	Tests      []OrderTestView `json:"tests"`
}

// OrdersAt lists the orders of a visit, newest first.
func (a *Acts) OrdersAt(ctx context.Context, who act.Actor, visit string) (out []OrderView, err error) {
	out = []OrderView{}
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		all, err := q.OrdersAt(visit)
		for _, o := range all {
			out = append(out, a.View(o))
		}
		return err
	})
	if err == nil && len(out) > 0 {
		err = a.Saw(ctx, who, "open visit", out[0].PatientID, visit)
	}
	return out, err
}

// sameTests says whether an order asks for what was asked again.
func sameTests(had store.Order, n NewOrder) bool {
	return had.Priority == n.Priority && slices.EqualFunc(had.Tests, n.Tests, func(t store.OrderTest, l order.Line) bool {
		return t.Code == l.Test && slices.EqualFunc(t.Diagnoses, l.Diagnoses, func(d store.CodedTitle, code string) bool { return strings.EqualFold(d.Code, code) })
	})
}

// View writes an order as every screen shows it.
func (a *Acts) View(o store.Order) OrderView {
	v := OrderView{ID: o.ID, PatientID: o.PatientID, VisitID: o.VisitID, Placer: o.Placer, Laboratory: o.Laboratory,
		Priority: order.Priorities[o.Priority], State: string(o.State), Reason: o.Reason, SignedAt: a.Say(o.SignedAt), Clinician: o.Clinician,
		Tests: []OrderTestView{}}
	switch o.Cancelling {
	case "":
	case store.CancellingWaits:
		v.Cancelling = "The laboratory may know of it: it is told to cancel it, and has not answered yet."
	case store.CancellingDone:
		v.Cancelling = "The laboratory has cancelled it."
	default:
		v.Cancelling, v.NotDone = "The laboratory could not cancel it: "+o.Cancelling+" Call it; results may still come.", true
	}
	for _, t := range o.Tests {
		v.Tests = append(v.Tests, OrderTestView{Code: t.Code, Name: t.Name, LOINC: t.LOINC, Specimen: t.Specimen, Tube: t.Tube,
			Diagnoses: t.Diagnoses, ReportID: t.ReportID, Status: t.ReportStatus, Signed: t.Signed})
	}
	return v
}

// Tests finds tests in the laboratory's list.
func (a *Acts) Tests(who act.Actor, query string) ([]order.Test, error) {
	if err := act.Allow(who, act.SeeChart); err != nil {
		return nil, err
	}
	out := order.Find(a.Laboratory.Tests, query, 12)
	if out == nil {
		out = []order.Test{}
	}
	return out, nil
}

// NewOrder is what a physician signs.
type NewOrder struct {
	PatientID string
	VisitID   string // "" for an order without a visit
	Priority  string
	Collected bool // the specimen was collected here, now
	Tests     []order.Line
	RequestID string // names this act, so that a repeated one counts once
	Secret    string
	Prepared  string // the prepared order that this one signs; "" when none
}

// sealedOrder is the sealed content of an order.
type sealedOrder struct {
	Placer     string       `json:"placer"`
	Laboratory string       `json:"laboratory"`
	Priority   string       `json:"priority"`
	Tests      []sealedTest `json:"tests"`
	Collected  string       `json:"collected"`
}

type sealedTest struct {
	Code      string             `json:"code"`
	Name      string             `json:"name"`
	Diagnoses []store.CodedTitle `json:"diagnoses"`
}

// PlaceOrder signs an order and hands it to the outbox, in one transaction.
func (a *Acts) PlaceOrder(ctx context.Context, who act.Actor, n NewOrder) (out OrderView, err error) {
	if err := act.Allow(who, act.PlaceOrder); err != nil {
		return out, err
	}
	if n.RequestID == "" {
		return out, act.Refuse(act.Invalid, "The order has no request identifier.")
	}
	if err := order.Complete(n.Priority, n.Tests); err != nil {
		return out, act.Refuse(act.Invalid, "%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
	}
	if err := a.OpenSigning(ctx, &who, n.Secret); err != nil {
		return out, err
	}
	err = a.Act(ctx, who, act.PlaceOrder, func(t *act.Tx) error {
		if had, err := t.OrderByRequest(n.RequestID); err == nil {
			if had.ClinicianID != who.ID || !act.SamePerson(t.Q, had.PatientID, n.PatientID) || !sameTests(had, n) {
				return act.Refuse(act.Conflict, "Another order was placed under that identifier. Nothing was changed; order again.")
			}
			out = a.View(had)
			return nil
		} else if !store.IsNotFound(err) {
			return err
		}
		p, err := t.Person(n.PatientID)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		prepared, err := a.preparedFor(t, n.Prepared, p.ID)
		if err != nil {
			return err
		}
		if n.VisitID != "" {
			if v, err := t.VisitByID(n.VisitID); err != nil || !act.SamePerson(t.Q, v.PatientID, n.PatientID) {
				return act.Refuse(act.Invalid, "The visit is not one of this patient.")
			}
		}
		number, err := t.NextPlacer()
		if err != nil {
			return err
		}
		o := store.Order{ID: act.NewID(), PatientID: p.ID, VisitID: n.VisitID, ClinicianID: who.ID, Placer: fmt.Sprintf("SK%d", number),
			Laboratory: a.Laboratory.Name, Priority: n.Priority, State: order.Signed, SignedAt: t.Now, RequestID: n.RequestID, Clinician: who.Name}
		if n.Collected {
			o.CollectedAt = t.Now
			if prepared.Collected { // drawn when it was prepared, not when it is signed
				o.CollectedAt = prepared.At
			}
		}
		signer, err := t.StaffByID(who.ID)
		if err != nil {
			return err
		}
		sealed := sealedOrder{Placer: o.Placer, Laboratory: o.Laboratory, Priority: order.Priorities[n.Priority], Tests: nil,
			Collected: a.Say(o.CollectedAt)}
		message := hl7v2.Order{Control: o.Placer, Sender: a.Facility, Receiver: a.Laboratory.Facility, Placer: o.Placer, Priority: n.Priority,
			Patient: p, ClinicianID: who.ID[max(0, len(who.ID)-12):], ClinicianName: chart.Name{Given: signer.Given, Family: signer.Family}, SignedAt: t.Now.In(a.Location),
			CollectedAt: o.CollectedAt}
		if n.Collected {
			message.CollectedAt = o.CollectedAt.In(a.Location)
		}
		for _, l := range n.Tests {
			test, ok := a.TestByCode[l.Test]
			if !ok {
				return act.Refuse(act.Invalid, "%s is not in the test list of %s.", l.Test, a.Laboratory.Name)
			}
			ot := store.OrderTest{Code: test.Code, Name: test.Name, LOINC: test.LOINC, Specimen: test.Specimen, Tube: test.Tube}
			mt := hl7v2.OrderTest{Code: test.Code, Name: test.Name, LOINC: test.LOINC}
			for _, code := range l.Diagnoses {
				e, _, _, err := a.CheckCode(code, a.Today())
				if err != nil {
					return err
				}
				ot.Diagnoses = append(ot.Diagnoses, store.CodedTitle{Code: e.Code, Title: e.Title})
				mt.Diagnoses = append(mt.Diagnoses, hl7v2.Diagnosis{Code: e.Code, Title: e.Title})
			}
			o.Tests = append(o.Tests, ot)
			message.Tests = append(message.Tests, mt)
			sealed.Tests = append(sealed.Tests, sealedTest{test.Code, test.Name, ot.Diagnoses})
		}
		if err := t.AddOrder(o); err != nil {
			return err
		}
		if err := t.Send(store.Outgoing{Control: message.Control, Destination: laboratory, Kind: string(line.Order), Subject: o.ID,
			Body: message.Build()}); err != nil {
			return err
		}
		if err := t.OpenLine(act.NewID(), line.Order, o.ID, p.ID, who.ID, line.InHand, t.Now); err != nil {
			return err
		}
		if _, err := t.Seal(p.ID, "order", o.ID, 0, sealed); err != nil {
			return err
		}
		if err := a.signPrepared(t, prepared, o.ID); err != nil {
			return err
		}
		out = a.View(o)
		t.Tell(act.OrderEvent, o.ID, p.ID)
		t.Tell(act.LineEvent, o.ID, p.ID)
		return t.Audit("sign order", p.ID, o.ID, "")
	})
	return out, err
}

// CancelOrder closes an order with a reason. One that was never sent never is. Where it may
// have reached the laboratory, the laboratory is told to cancel it, and the line stays open
// until it has answered; told says so. An order that the laboratory could not cancel is
// closed by a second act, once somebody has spoken with it.
func (a *Acts) CancelOrder(ctx context.Context, who act.Actor, id, reason string) (told bool, err error) {
	if err := act.Allow(who, act.PlaceOrder); err != nil {
		return told, err
	}
	if strings.TrimSpace(reason) == "" {
		return false, act.Refuse(act.Invalid, "Give the reason for cancelling.")
	}
	err = a.Act(ctx, who, act.PlaceOrder, func(t *act.Tx) error {
		o, err := t.OrderByID(id)
		if err != nil {
			return act.NotFound(err, "order")
		}
		again := o.State == order.Cancelled && o.Cancelling != "" && o.Cancelling != store.CancellingDone
		if o.State.Done() && !again {
			return act.Refuse(act.Conflict, "The order is closed already.")
		}
		if !again {
			never, err := t.WithdrawOutgoing(string(line.Order), id)
			if err != nil {
				return err
			}
			told = !never && o.State != order.Failed
			if err := t.SetOrderState(id, order.Cancelled, reason); err != nil {
				return err
			}
		}
		if told {
			err = a.tellToCancel(t, o)
		} else {
			err = t.CloseLine(line.Order, id, who.ID, "cancelled", t.Now)
		}
		if err != nil {
			return err
		}
		t.Tell(act.OrderEvent, id, o.PatientID)
		t.Tell(act.LineEvent, id, o.PatientID)
		return t.Audit("cancel order", o.PatientID, id, "")
	})
	return told, err
}

// cancelling is the kind of what tells the laboratory to cancel an order.
const cancelling = "cancelling"

// tellToCancel sends the laboratory a message that cancels an order sent before.
func (a *Acts) tellToCancel(t *act.Tx, o store.Order) error {
	p, err := t.PatientByID(o.PatientID)
	if err != nil {
		return err
	}
	signer, err := t.StaffByID(o.ClinicianID)
	if err != nil {
		return err
	}
	m := hl7v2.Order{Cancel: true, Control: o.Placer + "C", Sender: a.Facility, Receiver: a.Laboratory.Facility, Placer: o.Placer, Priority: o.Priority,
		Patient: p, ClinicianID: o.ClinicianID[max(0, len(o.ClinicianID)-12):], ClinicianName: chart.Name{Given: signer.Given, Family: signer.Family},
		SignedAt: t.Now.In(a.Location)}
	for _, x := range o.Tests {
		m.Tests = append(m.Tests, hl7v2.OrderTest{Code: x.Code, Name: x.Name, LOINC: x.LOINC})
	}
	if err := t.Send(store.Outgoing{Control: m.Control, Destination: laboratory, Kind: cancelling, Subject: o.ID, Body: m.Build(), ByID: t.Who.ID}); err != nil {
		return err
	}
	if err := t.SetCancelling(o.ID, store.CancellingWaits); err != nil {
		return err
	}
	return t.SetLineState(line.Order, o.ID, line.Waiting)
}

// laboratory is the queue of what goes to the laboratory.
const laboratory = "laboratory"

// answerLimit bounds what we read as an acknowledgement.
const answerLimit = 1 << 20

// Destinations are the parties to whom this room sends: the laboratory, over MLLP. A
// message is sent byte for byte until the laboratory accepts or refuses it.
func (a *Acts) Destinations() []act.Destination {
	return []act.Destination{{Name: laboratory, Settled: a.settled, Deliver: func(ctx context.Context, o store.Outgoing) ([]byte,
		string, error) {
		answer, err := mllp.Exchange(ctx, a.LabAddr, o.Body, answerLimit)
		if err != nil {
			return nil, "", err
		}
		refused, err := a.decided(answer, o.Control)
		return answer, refused, err
	}}}
}

// decided reads an answer of the laboratory: why it refused what went out under a control
// number, "" when it took it (or some of it). What does not name that number, with a code
// that is known, decides nothing.
func (a *Acts) decided(answer []byte, control string) (refused string, err error) {
	ack, err := hl7v2.ParseAck(answer)
	if err != nil {
		return "", err
	}
	ok, err := ack.Accepted(control)
	if err != nil {
		return "", err
	}
	none := len(ack.Orders) > 0
	for _, o := range ack.Orders {
		none = none && o.Refused()
	}
	switch {
	case ok && !none:
		return "", nil
	case ack.Text != "" && !ok:
		return ack.Text, nil
	case ok:
		return cmp.Or(ack.Text, "The laboratory took none of it ("+ack.Orders[0].Code+")."), nil
	}
	return "The laboratory gave no reason (" + ack.Code + ").", nil
}

// notTaken names the tests of an order that the laboratory did not take.
func notTaken(o store.Order, answer []byte) (names []string) {
	ack, err := hl7v2.ParseAck(answer)
	if err != nil {
		return nil
	}
	for _, x := range ack.Orders {
		for _, t := range o.Tests {
			if x.Refused() && x.Placer == fmt.Sprintf("%s-%d", o.Placer, t.Position) {
				names = append(names, t.Name+" ("+x.Code+")")
			}
		}
	}
	return names
}

// settled brings an order up to the laboratory's answer.
func (a *Acts) settled(t *act.Tx, o store.Outgoing, answer []byte, refused string) error {
	ord, err := t.OrderByID(o.Subject)
	if err != nil {
		return err
	}
	if o.Kind == cancelling {
		return a.cancelSettled(t, ord, refused)
	}
	if ord.State != order.Signed && ord.State != order.Received {
		return nil // cancelled meanwhile, or there are results, which say more
	}
	state, lineState, says, reason := order.Received, line.Waiting, "accepted", ""
	if names := notTaken(ord, answer); refused != "" {
		state, lineState, says, reason = order.Failed, line.Open, "refused", refused
	} else if len(names) > 0 {
		lineState, says, reason = line.Open, "taken in part", "The laboratory did not take "+strings.Join(names, ", ")+". Order it again, or cancel."
	}
	if err := t.SetOrderState(ord.ID, state, reason); err != nil {
		return err
	}
	if err := t.SetLineState(line.Order, ord.ID, lineState); err != nil {
		return err
	}
	t.Tell(act.OrderEvent, ord.ID, ord.PatientID)
	t.Tell(act.LineEvent, ord.ID, ord.PatientID)
	return t.Audit("order "+says+" by the laboratory", ord.PatientID, ord.ID, "")
}

// cancelSettled says what the laboratory answered to the cancelling of an order. Where it
// could not cancel it, somebody has to speak with it.
func (a *Acts) cancelSettled(t *act.Tx, o store.Order, refused string) error {
	says := cmp.Or(refused, store.CancellingDone)
	if err := t.SetCancelling(o.ID, says); err != nil {
		return err
	}
	var err error
	if refused == "" {
		err = t.CloseLine(line.Order, o.ID, t.Who.ID, "cancelled by the laboratory", t.Now)
	} else {
		err = t.SetLineState(line.Order, o.ID, line.Open)
	}
	if err != nil {
		return err
	}
	t.Tell(act.OrderEvent, o.ID, o.PatientID)
	t.Tell(act.LineEvent, o.ID, o.PatientID)
	if refused != "" {
		return t.Audit("order not cancelled by the laboratory", o.PatientID, o.ID, "")
	}
	return t.Audit("order cancelled by the laboratory", o.PatientID, o.ID, "")
}

// LateAnswer takes an answer that came by the listener, after what was sent was taken for
// the time being; known is false where it answers nothing of ours.
func (a *Acts) LateAnswer(t *act.Tx, raw []byte) (known bool, err error) {
	ack, err := hl7v2.ParseAck(raw)
	if err != nil {
		return false, nil //nolint:nilerr // it is no answer
	}
	o, _, err := t.OutgoingByControl(ack.Control)
	if store.IsNotFound(err) || err == nil && o.Destination != laboratory {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	refused, err := a.decided(raw, o.Control)
	if err != nil {
		return false, nil //nolint:nilerr // it decides nothing, and is held with its reason
	}
	state := "accepted"
	if refused != "" {
		state = "refused"
	}
	if err := t.AnswerOutgoing(o.Control, state, refused, raw, t.Now); err != nil {
		return true, err
	}
	return true, a.settled(t, o, raw, refused)
}
