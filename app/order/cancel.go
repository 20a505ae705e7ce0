package order

import (
	"context"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/store"
)

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
		if again && o.Cancelling == store.CancellingWaits {
			// Pressed twice, or the laboratory does not answer: then somebody speaks with it first.
			asked, err := t.OrderEvents([]string{id})
			if err != nil {
				return err
			}
			if !slices.ContainsFunc(asked, func(e store.OrderEvent) bool { return e.Says == store.OrderCalled }) {
				return act.Refuse(act.Conflict, "The laboratory is told to cancel it, and has not answered yet. Where it does not answer, ask after it first.")
			}
		}
		if o.State.Done() && !again {
			return act.Refuse(act.Conflict, "The order is closed already.")
		}
		if !again {
			never, err := t.WithdrawOutgoing(string(line.Order), id)
			if err != nil {
				return err
			}
			told = !never && o.State != order.Failed && o.State != order.Planned && o.State != order.ToDraw // those never went out
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

// tellToCancel sends the laboratory a message that cancels an order sent before; one that
// takes paper gets a fax that says so.
func (a *Acts) tellToCancel(t *act.Tx, o store.Order) error {
	if err := a.dispatch(t, o, true); err != nil {
		return err
	}
	if err := t.SetCancelling(o.ID, store.CancellingWaits); err != nil {
		return err
	}
	return t.SetLineState(line.Order, o.ID, line.Waiting)
}
