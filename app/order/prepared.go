package order

import (
	"context"
	"fmt"
	"reflect"
	"strings"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/store"
)

// PreparedView is an order that waits for a physician's signature.
type PreparedView struct {
	ID        string              `json:"id"`
	PatientID string              `json:"patientId"`
	VisitID   string              `json:"visitId"`
	For       string              `json:"for"`
	Mine      bool                `json:"mine" doc:"It waits for this person's signature"`
	Own       bool                `json:"own" doc:"This person prepared it"`
	By        string              `json:"by"`
	At        string              `json:"at"`
	Priority  string              `json:"priority" enum:"R,A,S"`
	Collected bool                `json:"collected"`
	Tests     []OrderTestView     `json:"tests"`
	State     order.PreparedState `json:"state" enum:"waiting,signed,returned,dropped,replaced"`
	Reason    string              `json:"reason" doc:"Why it was given back"`
}

// Prepared writes a prepared order.
func (a *Acts) Prepared(p store.Prepared, who act.Actor, names map[string]string) PreparedView {
	v := PreparedView{ID: p.ID, PatientID: p.PatientID, VisitID: p.VisitID, For: names[p.ForID], Mine: p.ForID == who.ID,
		Own: p.ByID == who.ID, By: names[p.ByID], At: a.Say(p.At), Priority: p.Priority, Collected: p.Collected, Tests: []OrderTestView{},
		State: p.State, Reason: p.Reason}
	for _, l := range p.Tests {
		t := a.TestByCode[l.Test]
		tv := OrderTestView{Code: l.Test, Name: t.Name, LOINC: t.LOINC, Specimen: t.Specimen, Tube: t.Tube, Diagnoses: []store.CodedTitle{}}
		for _, d := range l.Diagnoses {
			title := ""
			if e, _, _, err := a.CheckCode(d, a.Today()); err == nil {
				title = e.Title
			}
			tv.Diagnoses = append(tv.Diagnoses, store.CodedTitle{Code: d, Title: title})
		}
		v.Tests = append(v.Tests, tv)
	}
	return v
}

// PreparedOf lists the prepared orders of a chart that wait or were given back.
func (a *Acts) PreparedOf(q *store.Q, patient string, who act.Actor) ([]PreparedView, error) {
	out := []PreparedView{}
	ps, err := q.PreparedOf(patient)
	if err != nil || len(ps) == 0 {
		return out, err
	}
	names, err := q.StaffNames()
	for _, p := range ps {
		out = append(out, a.Prepared(p, who, names))
	}
	return out, err
}

// PrepareOrder lays an order before the physician of the visit (or of the last one)
// to sign. One that was given back is replaced by it.
func (a *Acts) PrepareOrder(ctx context.Context, who act.Actor, n NewOrder) (out PreparedView, err error) {
	if err := act.Allow(who, act.PrepareOrder); err != nil {
		return out, err
	}
	if n.RequestID == "" {
		return out, act.Refuse(act.Invalid, "The order has no request identifier.")
	}
	if err := order.Complete(n.Priority, n.Tests); err != nil {
		return out, act.Refuse(act.Invalid, "%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
	}
	err = a.Act(ctx, who, act.PrepareOrder, func(t *act.Tx) error {
		for _, l := range n.Tests {
			if _, ok := a.TestByCode[l.Test]; !ok {
				return act.Refuse(act.Invalid, "%s is not in the test list of %s.", l.Test, a.Laboratory.Name)
			}
			for _, d := range l.Diagnoses {
				if _, _, _, err := a.CheckCode(d, a.Today()); err != nil {
					return err
				}
			}
		}
		patient, err := t.Person(n.PatientID)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		visits, err := t.VisitsOf(patient.ID)
		if err != nil {
			return err
		}
		physician, ofVisit := "", n.VisitID == ""
		for _, v := range visits {
			if v.ID == n.VisitID || n.VisitID == "" && physician == "" {
				physician, ofVisit = v.ClinicianID, true
			}
		}
		switch {
		case !ofVisit:
			return act.Refuse(act.Invalid, "The visit is not one of this patient.")
		case physician == "":
			return act.Refuse(act.Invalid, "This patient has no physician here yet who could sign it.")
		}
		p := store.Prepared{ID: act.NewID(), PatientID: patient.ID, VisitID: n.VisitID, ForID: physician, ByID: who.ID, At: t.Now,
			Priority: n.Priority, Collected: n.Collected, Tests: n.Tests, State: order.ToSign, RequestID: n.RequestID}
		names, err := t.StaffNames()
		if err != nil {
			return err
		}
		out = a.Prepared(p, who, names)
		added, err := t.AddPrepared(p)
		if err != nil {
			return err
		}
		if !added { // the same act sent again after a lost answer
			had, err := t.PreparedByRequest(n.RequestID)
			if err != nil {
				return err
			}
			if had.ByID != who.ID || !act.SamePerson(t.Q, had.PatientID, patient.ID) || !reflect.DeepEqual(had.Tests, n.Tests) || had.Priority != n.Priority {
				return act.Refuse(act.Conflict, "Another order was prepared under that identifier. Nothing was changed; prepare it again.")
			}
			out = a.Prepared(had, who, names)
			return nil
		}
		if n.Prepared != "" {
			old, err := t.PreparedByID(n.Prepared)
			if err != nil || old.ByID != who.ID || !act.SamePerson(t.Q, old.PatientID, patient.ID) {
				return act.Refuse(act.Missing, "There is no such prepared order of yours.")
			}
			if err := t.SettlePrepared(old.ID, old.State, order.Replaced, old.Reason, ""); err != nil {
				return act.Stale(err, "The order")
			}
			if err := t.CloseLine(line.ToSign, old.ID, who.ID, "prepared anew", t.Now); err != nil {
				return err
			}
		}
		if err := t.OpenLine(act.NewID(), line.ToSign, p.ID, patient.ID, physician, line.Open, t.Now); err != nil {
			return err
		}
		t.Tell(act.OrderEvent, p.ID, patient.ID)
		t.Tell(act.LineEvent, p.ID, patient.ID)
		return t.Audit("prepare order", patient.ID, p.ID, "")
	})
	return out, err
}

// preparedFor reads the prepared order that an order signs, if any.
func (a *Acts) preparedFor(t *act.Tx, id, patient string) (store.Prepared, error) {
	if id == "" {
		return store.Prepared{}, nil
	}
	p, err := t.PreparedByID(id)
	if err != nil || !act.SamePerson(t.Q, p.PatientID, patient) {
		return p, act.Refuse(act.Missing, "There is no such prepared order of this patient.")
	}
	if p.State != order.ToSign {
		return p, act.Stale(store.ErrStale, "The prepared order")
	}
	return p, nil
}

// signPrepared closes a prepared order with the order that was signed.
func (a *Acts) signPrepared(t *act.Tx, p store.Prepared, orderID string) error {
	if p.ID == "" {
		return nil
	}
	if err := t.SettlePrepared(p.ID, order.ToSign, order.BecameOrder, "", orderID); err != nil {
		return act.Stale(err, "The prepared order")
	}
	return t.CloseLine(line.ToSign, p.ID, t.Who.ID, string(order.BecameOrder), t.Now)
}

// SignPrepared signs an order as it was prepared.
func (a *Acts) SignPrepared(ctx context.Context, who act.Actor, id, secret string) (OrderView, error) {
	var p store.Prepared
	if err := a.Look(ctx, who, act.PlaceOrder, func(q *store.Q) (err error) {
		p, err = q.PreparedByID(id)
		return act.NotFound(err, "prepared order")
	}); err != nil {
		return OrderView{}, err
	}
	return a.PlaceOrder(ctx, who, NewOrder{PatientID: p.PatientID, VisitID: p.VisitID, Priority: p.Priority, Collected: p.Collected,
		Tests: p.Tests, RequestID: "prepared:" + id, Secret: secret, Prepared: id})
}

// ReturnPrepared gives a prepared order back to who prepared it, with the reason;
// its line moves to them.
func (a *Acts) ReturnPrepared(ctx context.Context, who act.Actor, id, reason string) error {
	if err := act.Allow(who, act.PlaceOrder); err != nil {
		return err
	}
	if strings.TrimSpace(reason) == "" {
		return act.Refuse(act.Invalid, "Say why it is given back.")
	}
	return a.Act(ctx, who, act.PlaceOrder, func(t *act.Tx) error {
		p, err := t.PreparedByID(id)
		if err != nil {
			return act.NotFound(err, "prepared order")
		}
		if err := t.SettlePrepared(id, order.ToSign, order.Returned, strings.TrimSpace(reason), ""); err != nil {
			return act.Stale(err, "The prepared order")
		}
		if err := t.MoveLine(string(line.ToSign), id, p.ByID); err != nil {
			return err
		}
		t.Tell(act.OrderEvent, id, p.PatientID)
		t.Tell(act.LineEvent, id, p.PatientID)
		return t.Audit("give prepared order back", p.PatientID, id, "")
	})
}

// DropPrepared closes a prepared order that is not wanted any more, by who prepared
// it, with the reason.
func (a *Acts) DropPrepared(ctx context.Context, who act.Actor, id, reason string) error {
	if err := act.Allow(who, act.PrepareOrder); err != nil {
		return err
	}
	if strings.TrimSpace(reason) == "" {
		return act.Refuse(act.Invalid, "Say why it is dropped.")
	}
	return a.Act(ctx, who, act.PrepareOrder, func(t *act.Tx) error {
		p, err := t.PreparedByID(id)
		if err != nil {
			return act.NotFound(err, "prepared order")
		}
		if p.ByID != who.ID {
			return act.Refuse(act.Forbidden, "Only who prepared the order may drop it.")
		}
		if !p.State.Open() {
			return act.Stale(store.ErrStale, "The prepared order")
		}
		if err := t.SettlePrepared(id, p.State, order.Dropped, strings.TrimSpace(reason), ""); err != nil {
			return act.Stale(err, "The prepared order")
		}
		if err := t.CloseLine(line.ToSign, id, who.ID, fmt.Sprintf("dropped: %s", reason), t.Now); err != nil {
			return err
		}
		t.Tell(act.OrderEvent, id, p.PatientID)
		t.Tell(act.LineEvent, id, p.PatientID)
		return t.Audit("drop prepared order", p.PatientID, id, "")
	})
}
