package order

import (
	"context"
	"errors"
	"fmt"
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
	return out, err
}

// View writes an order as every screen shows it.
func (a *Acts) View(o store.Order) OrderView {
	v := OrderView{ID: o.ID, PatientID: o.PatientID, VisitID: o.VisitID, Placer: o.Placer, Laboratory: o.Laboratory,
		Priority: order.Priorities[o.Priority], State: string(o.State), Reason: o.Reason, SignedAt: a.Say(o.SignedAt), Clinician: o.Clinician,
		Tests: []OrderTestView{}}
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
		sealed := sealedOrder{Placer: o.Placer, Laboratory: o.Laboratory, Priority: order.Priorities[n.Priority], Tests: nil,
			Collected: a.Say(o.CollectedAt)}
		message := hl7v2.Order{Control: o.Placer, Sender: a.Facility, Receiver: a.Laboratory.Facility, Placer: o.Placer, Priority: n.Priority,
			Patient: p, ClinicianID: who.ID[len(who.ID)-12:], ClinicianName: splitName(who.Name), SignedAt: t.Now.In(a.Location),
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

func splitName(s string) chart.Name {
	given, family, _ := strings.Cut(s, " ")
	return chart.Name{Given: given, Family: family}
}

// CancelOrder closes an order with a reason. The answer says whether the
// laboratory may know of it already and has to be called.
func (a *Acts) CancelOrder(ctx context.Context, who act.Actor, id, reason string) (callLab bool, err error) {
	if err := act.Allow(who, act.PlaceOrder); err != nil {
		return callLab, err
	}
	if strings.TrimSpace(reason) == "" {
		return false, act.Refuse(act.Invalid, "Give the reason for cancelling.")
	}
	err = a.Act(ctx, who, act.PlaceOrder, func(t *act.Tx) error {
		o, err := t.OrderByID(id)
		if err != nil {
			return act.NotFound(err, "order")
		}
		if o.State.Done() {
			return act.Refuse(act.Conflict, "The order is closed already.")
		}
		withdrawn, err := t.WithdrawOutgoing(string(line.Order), id)
		if err != nil {
			return err
		}
		callLab = !withdrawn && o.State != order.Failed
		if err := t.SetOrderState(id, order.Cancelled, reason); err != nil {
			return err
		}
		if err := t.CloseLine(line.Order, id, who.ID, "cancelled", t.Now); err != nil {
			return err
		}
		t.Tell(act.OrderEvent, id, o.PatientID)
		t.Tell(act.LineEvent, id, o.PatientID)
		return t.Audit("cancel order", o.PatientID, id, "")
	})
	return callLab, err
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
		ack, err := hl7v2.ParseAck(answer)
		switch {
		case err != nil:
			return nil, "", err
		case ack.Control != o.Control:
			return nil, "", errors.New("the laboratory answered to another message")
		case strings.HasSuffix(ack.Code, "A"):
			return answer, "", nil
		case ack.Text == "":
			return answer, "The laboratory gave no reason (" + ack.Code + ").", nil
		}
		return answer, ack.Text, nil
	}}}
}

// settled brings an order up to the laboratory's answer.
func (a *Acts) settled(t *act.Tx, o store.Outgoing, refused string) error {
	ord, err := t.OrderByID(o.Subject)
	if err != nil || ord.State != order.Signed {
		return err
	}
	state, lineState, says := order.Received, line.Waiting, "accepted"
	if refused != "" {
		state, lineState, says = order.Failed, line.Open, "refused"
	}
	if err := t.SetOrderState(ord.ID, state, refused); err != nil {
		return err
	}
	if err := t.SetLineState(line.Order, ord.ID, lineState); err != nil {
		return err
	}
	t.Tell(act.OrderEvent, ord.ID, ord.PatientID)
	t.Tell(act.LineEvent, ord.ID, ord.PatientID)
	return t.Audit("order "+says+" by the laboratory", ord.PatientID, ord.ID, "")
}
