package order

import (
	"context"
	"log/slog"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/store"
)

// ToDrawView is an order whose specimens are taken here, with whose it is.
type ToDrawView struct {
	Patient act.PatientView `json:"patient"`
	Order   OrderView       `json:"order"`
	Fasting int             `json:"fasting" doc:"Hours; 0 for none"`
	Failed  string          `json:"failed" doc:"Why it could not be drawn the last time, by whom and when; empty for no try"`
	At      string          `json:"at" doc:"When it was drawn, of what waits for the courier"`
	By      string          `json:"by" doc:"Who drew it"`
}

// SpecimensView is the list of the drawing room.
type SpecimensView struct {
	ToDraw  []ToDrawView `json:"toDraw" doc:"Due today or before, longest due first"`
	Waiting []ToDrawView `json:"waiting" doc:"Drawn and not picked up yet"`
	Cut     bool         `json:"cut" doc:"There are more to draw than are listed"`
}

// listAtMost bounds the list of the drawing room.
const listAtMost = 200

// Specimens lists what is to be drawn here today and what waits for the courier.
func (a *Acts) Specimens(ctx context.Context, who act.Actor) (out SpecimensView, err error) {
	out = SpecimensView{ToDraw: []ToDrawView{}, Waiting: []ToDrawView{}}
	err = a.Look(ctx, who, act.SeeSpecimens, func(q *store.Q) error {
		held, err := q.OrdersHeld(order.ToDraw, a.Today(), listAtMost)
		if err != nil {
			return err
		}
		out.Cut = len(held) == listAtMost
		if out.ToDraw, err = a.drawn(q, held); err != nil {
			return err
		}
		waiting, err := q.OrdersForCourier(a.Clock().AddDate(0, 0, -14), listAtMost)
		if err != nil {
			return err
		}
		out.Waiting, err = a.drawn(q, waiting)
		return err
	})
	return out, err
}

func (a *Acts) drawn(q *store.Q, orders []store.Order) ([]ToDrawView, error) {
	out := []ToDrawView{}
	ids, patients := make([]string, len(orders)), make([]string, len(orders))
	for i, o := range orders {
		ids[i], patients[i] = o.ID, o.PatientID
	}
	said, err := q.SpecimensOf(ids)
	if err != nil {
		return out, err
	}
	people, err := q.PatientsIn(patients)
	if err != nil {
		return out, err
	}
	for _, o := range orders {
		v := ToDrawView{Order: a.View(o)}
		for _, p := range people {
			if p.ID == o.PatientID {
				v.Patient = a.Patient(p)
			}
		}
		lab := a.Config.Laboratory(o.Party)
		for _, x := range o.Tests {
			if t, ok := lab.Test(x.Code); ok {
				v.Fasting = max(v.Fasting, t.Fasting)
			}
		}
		for _, e := range said {
			switch {
			case e.OrderID != o.ID:
			case e.Says == store.SpecimenNotDrawn:
				v.Failed = e.Reason + " (" + e.By + ", " + a.Say(e.At)[:10] + ")"
			case e.Says == store.SpecimenDrawn:
				v.At, v.By = a.Say(e.DrawnAt), e.By
			}
		}
		out = append(out, v)
	}
	return out, nil
}

// Drawn records that the specimens of an order were taken, by whoever took them, when
// (YYYY-MM-DDThh:mm on the clock of the practice; "" for now); the order goes out with it.
func (a *Acts) Drawn(ctx context.Context, who act.Actor, id, when string) error {
	if err := act.Allow(who, act.DrawSpecimen); err != nil {
		return err
	}
	return a.Act(ctx, who, act.DrawSpecimen, func(t *act.Tx) error {
		o, err := t.OrderByID(id)
		if err != nil {
			return act.NotFound(err, "order")
		}
		at := t.Now
		if when != "" {
			if at, err = a.moment(when); err != nil {
				return act.Refuse(act.Invalid, "Give the day and time when it was drawn.")
			}
		}
		switch {
		case o.State != order.ToDraw && o.State != order.Planned || o.Drawing != order.DrawnHere:
			return act.Refuse(act.Conflict, "This order is not waiting to be drawn here: %s.", o.State)
		case at.After(t.Now.Add(time.Minute)):
			return act.Refuse(act.Invalid, "It cannot have been drawn in the future.")
		case at.Before(t.Now.AddDate(0, 0, -7)):
			return act.Refuse(act.Invalid, "It was drawn more than a week ago: draw it again.")
		}
		if err := t.AddSpecimen(store.SpecimenEvent{ID: act.NewID(), OrderID: id, Says: store.SpecimenDrawn, DrawnAt: at, ByID: who.ID, At: t.Now}); err != nil {
			return err
		}
		if err := t.SetCollected(id, at); err != nil {
			return err
		}
		o.CollectedAt = at
		return a.goOut(t, o, "specimen drawn")
	})
}

// goOut sends an order that was held.
func (a *Acts) goOut(t *act.Tx, o store.Order, what string) error {
	if err := t.SetOrderState(o.ID, order.Signed, ""); err != nil {
		return err
	}
	if err := a.dispatch(t, o, false); err != nil {
		return err
	}
	if err := t.SetLineState(line.Order, o.ID, line.InHand); err != nil {
		return err
	}
	t.Tell(act.OrderEvent, o.ID, o.PatientID)
	t.Tell(act.LineEvent, o.ID, o.PatientID)
	return t.Audit(what, o.PatientID, o.ID, "")
}

// NotDrawn records that the specimens of an order could not be taken, and why: its line is
// open again for who ordered it, and it stays on the list.
func (a *Acts) NotDrawn(ctx context.Context, who act.Actor, id, reason string) error {
	if err := act.Allow(who, act.DrawSpecimen); err != nil {
		return err
	}
	reason = strings.TrimSpace(reason)
	if reason == "" {
		return act.Refuse(act.Invalid, "Say why it could not be drawn.")
	}
	return a.Act(ctx, who, act.DrawSpecimen, func(t *act.Tx) error {
		o, err := t.OrderByID(id)
		if err != nil {
			return act.NotFound(err, "order")
		}
		if o.State != order.ToDraw && o.State != order.Planned || o.Drawing != order.DrawnHere {
			return act.Refuse(act.Conflict, "This order is not waiting to be drawn here: %s.", o.State)
		}
		if err := t.AddSpecimen(store.SpecimenEvent{ID: act.NewID(), OrderID: id, Says: store.SpecimenNotDrawn, Reason: reason, ByID: who.ID, At: t.Now}); err != nil {
			return err
		}
		if err := t.SetOrderState(id, o.State, "It could not be drawn: "+reason); err != nil {
			return err
		}
		if err := t.SetLineState(line.Order, id, line.Open); err != nil {
			return err
		}
		t.Tell(act.OrderEvent, id, o.PatientID)
		t.Tell(act.LineEvent, id, o.PatientID)
		return t.Audit("specimen not drawn", o.PatientID, id, "")
	})
}

// PickedUp records that the courier took the specimens of some orders.
func (a *Acts) PickedUp(ctx context.Context, who act.Actor, ids []string) error {
	if err := act.Allow(who, act.SeeSpecimens); err != nil {
		return err
	}
	return a.Act(ctx, who, act.SeeSpecimens, func(t *act.Tx) error {
		said, err := t.SpecimensOf(ids)
		if err != nil {
			return err
		}
		for _, id := range ids {
			o, err := t.OrderByID(id)
			if err != nil {
				return act.NotFound(err, "order")
			}
			of := func(what string) bool {
				return slices.ContainsFunc(said, func(e store.SpecimenEvent) bool { return e.OrderID == id && e.Says == what })
			}
			switch {
			case !of(store.SpecimenDrawn):
				return act.Refuse(act.Conflict, "Order %s has not been drawn here.", o.Placer)
			case of(store.SpecimenPickedUp):
				continue // said before
			}
			if err := t.AddSpecimen(store.SpecimenEvent{ID: act.NewID(), OrderID: id, Says: store.SpecimenPickedUp, ByID: who.ID, At: t.Now}); err != nil {
				return err
			}
			if err := t.Audit("specimen picked up", o.PatientID, id, ""); err != nil {
				return err
			}
		}
		return nil
	})
}

// SendDue moves on what is held for a day that has come: what is drawn here waits to be
// drawn, what the patient has done elsewhere goes out. It returns how many it moved.
func (a *Acts) SendDue(ctx context.Context) (n int, err error) {
	var due []store.Order
	if err := a.Store.Read(ctx, func(q *store.Q) (err error) {
		due, err = q.OrdersHeld(order.Planned, a.Today(), listAtMost)
		return err
	}); err != nil {
		return 0, err
	}
	for _, o := range due {
		if err := a.Write(ctx, act.Actor{}, func(t *act.Tx) error {
			now, err := t.OrderByID(o.ID)
			if err != nil || now.State != order.Planned {
				return err // moved on or cancelled meanwhile
			}
			n++
			if now.Drawing != order.DrawnHere {
				return a.goOut(t, now, "planned order sent")
			}
			if err := t.SetOrderState(o.ID, order.ToDraw, now.Reason); err != nil {
				return err
			}
			t.Tell(act.OrderEvent, o.ID, o.PatientID)
			t.Tell(act.LineEvent, o.ID, o.PatientID)
			return nil
		}); err != nil {
			return n, err
		}
	}
	return n, nil
}

// Run moves on what falls due, and raises what is late, until ctx ends.
func (a *Acts) Run(ctx context.Context) {
	for minute := 0; ctx.Err() == nil; minute++ {
		if minute%10 == 0 {
			if _, err := a.RaiseLate(ctx); err != nil && ctx.Err() == nil {
				slog.Error("late orders could not be raised", "error", err)
			}
		}
		if _, err := a.SendDue(ctx); err != nil && ctx.Err() == nil {
			slog.Error("orders for today could not be moved on", "error", err)
		}
		select {
		case <-ctx.Done():
		case <-time.After(time.Minute):
		}
	}
}
