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
			told, err = a.cancel(t, o, reason)
			return err
		}
		if err := t.CloseLine(line.Order, id, who.ID, "cancelled", t.Now); err != nil {
			return err
		}
		return a.cancelled(t, o)
	})
	return told, err
}

// cancel closes an order that is not cancelled yet; told says that the laboratory may know of
// it and is told.
func (a *Acts) cancel(t *act.Tx, o store.Order, reason string) (told bool, err error) {
	never, err := t.WithdrawOutgoing(string(line.Order), o.ID)
	if err != nil {
		return false, err
	}
	told = !never && o.State != order.Failed && o.State != order.Planned && o.State != order.ToDraw // those never went out
	if err := t.SetOrderState(o.ID, order.Cancelled, reason); err != nil {
		return false, err
	}
	if told {
		err = a.tellToCancel(t, o)
	} else {
		err = t.CloseLine(line.Order, o.ID, t.Who.ID, "cancelled", t.Now)
	}
	if err != nil {
		return false, err
	}
	return told, a.cancelled(t, o)
}

func (a *Acts) cancelled(t *act.Tx, o store.Order) error {
	t.Tell(act.OrderEvent, o.ID, o.PatientID)
	t.Tell(act.LineEvent, o.ID, o.PatientID)
	return t.Audit("cancel order", o.PatientID, o.ID, "")
}

// changed cancels the order that a new one changes, in the same transaction: an order is
// changed as a cancelling and a new order, so that a laboratory never has both unawares.
func (a *Acts) changed(t *act.Tx, n NewOrder, anew []OrderView) error {
	if n.Instead == "" {
		return nil
	}
	o, err := t.OrderByID(n.Instead)
	if err != nil {
		return act.NotFound(err, "order")
	}
	if !act.SamePerson(t.Q, o.PatientID, n.PatientID) {
		return act.Refuse(act.Invalid, "The order to be changed is not one of this patient.")
	}
	switch o.State {
	case order.Planned, order.ToDraw, order.Signed, order.Received, order.Failed:
	default:
		return act.Refuse(act.Conflict, "It can no longer be changed: %s. Order what is missing.", o.State)
	}
	var numbers []string
	for _, x := range anew {
		numbers = append(numbers, x.Placer)
	}
	_, err = a.cancel(t, o, "Changed: ordered anew as "+strings.Join(numbers, ", ")+".")
	return err
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
