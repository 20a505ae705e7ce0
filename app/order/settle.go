package order

import (
	"slices"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/core/order"
)

// Settle brings an order's state up to its reports: it closes when every test
// is final and signed, and is open again when one is corrected.
func (a *Acts) Settle(t *act.Tx, id string) error {
	o, err := t.OrderByID(id)
	if err != nil || o.State == order.Cancelled {
		return err
	}
	states := make([]order.TestState, len(o.Tests))
	for i, test := range o.Tests {
		states[i] = order.TestState{Status: test.ReportStatus, Signed: test.Signed}
		if test.Signed {
			states[i].Status = "F" // it could be closed, also where no status came or a final one came before
		}
	}
	next := order.After(states)
	if next == order.Received && !slices.Contains([]order.State{order.Received, order.InProcess, order.Partial, order.Final, order.Reviewed}, o.State) {
		return nil // nothing known of its tests yet: the sending decides
	}
	if next != o.State {
		if err := t.SetOrderState(id, next, ""); err != nil {
			return err
		}
		t.Tell(act.OrderEvent, id, o.PatientID)
	}
	if next == order.Reviewed {
		return t.CloseLine(line.Order, id, t.Who.ID, "all tests final and signed", t.Now)
	}
	if err := t.OpenLine(act.NewID(), line.Order, id, o.PatientID, o.ClinicianID, line.Waiting, t.Now); err != nil {
		return err
	}
	state := line.Waiting
	if next == order.Final {
		state = line.InHand
	}
	return t.SetLineState(line.Order, id, state)
}
