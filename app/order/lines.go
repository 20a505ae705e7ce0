package order

import (
	"context"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/store"
)

// Lines are the kinds of open line of this room: orders without final, signed results, and
// orders that wait for a signature.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{
		{Kind: line.ToSign, List: act.UnderWay, Fill: a.fillPrepared},
		{Kind: line.Order, List: act.UnderWay, Fill: a.fillOrders},
	}
}

func (a *Acts) fillOrders(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
	orders, err := q.OrdersIn(act.Subjects(rows))
	if err != nil {
		return err
	}
	events, err := q.OrderEvents(act.Subjects(rows))
	done := map[string][]store.OrderEvent{}
	for _, e := range events {
		done[e.OrderID] = append(done[e.OrderID], e)
	}
	act.Describe(rows, orders, func(o store.Order) string { return o.ID }, func(row *act.LineRow, o store.Order) {
		var tests []string
		for _, t := range o.Tests {
			tests = append(tests, t.Name)
		}
		row.Title = strings.Join(tests, ", ") + ": " + string(o.State)
		if o.Due != "" && (o.State == order.Planned || o.State == order.ToDraw) {
			row.Title += " for " + chart.SayDay(o.Due)
		}
		v, next := a.View(o), a.next(o, done[o.ID])
		switch {
		case o.State == order.Failed:
			row.Mark, row.Grave = string(order.Failed), true
		case o.State == order.ToDraw && o.Reason != "":
			row.Mark, row.Grave = "not drawn", true
		case v.NotDone:
			row.Mark, row.Grave = "not cancelled", true
		case o.State == order.Received && o.Reason != "":
			row.Mark, row.Grave = "not all taken", true
		case troubled(done[o.ID]) != "":
			row.Mark, row.Grave = "word of the laboratory", true
			row.Title += ". " + troubled(done[o.ID])
		case next.Late:
			row.Mark = "late"
			row.Title += ", " + next.What + " by " + chart.SayDay(next.By[:10])
		}
	})
	return err
}

// troubled is what the laboratory said of an order to which nobody has seen yet; "" for nothing.
func troubled(events []store.OrderEvent) string {
	if n := len(events); n > 0 && events[n-1].Says == store.OrderTrouble {
		return events[n-1].Detail
	}
	return ""
}

func (a *Acts) fillPrepared(q *store.Q, who act.Actor, rows []*act.LineRow) error {
	prepared, err := q.PreparedIn(act.Subjects(rows))
	if err != nil {
		return err
	}
	names, err := q.StaffNames()
	act.Describe(rows, prepared, func(p store.Prepared) string { return p.ID }, func(row *act.LineRow, p store.Prepared) {
		o := a.Prepared(p, who, names)
		var tests []string
		for _, t := range o.Tests {
			tests = append(tests, t.Name)
		}
		row.Title, row.Mark = strings.Join(tests, ", ")+", prepared by "+o.By, "to sign"
		if o.State == order.Returned {
			row.Mark = "given back"
		}
	})
	return err
}

// Opened is an order open on the page, with whose it is.
type Opened struct {
	OrderRowView
}

// Order opens an order.
func (a *Acts) Order(ctx context.Context, who act.Actor, id string) (out Opened, err error) {
	patient := ""
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		o, err := q.OrderByID(id)
		if err != nil {
			return act.NotFound(err, "order")
		}
		patient = o.PatientID
		rows, err := a.rows(q, []store.Order{o})
		if err == nil {
			out = Opened{rows[0]}
		}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open order", patient, id)
	}
	return out, err
}

// OpenedPrepared is a prepared order open on the page, with whose it is.
type OpenedPrepared struct {
	Patient act.PatientView `json:"patient"`
	Order   PreparedView    `json:"order"`
}

// PreparedOrder opens a prepared order.
func (a *Acts) PreparedOrder(ctx context.Context, who act.Actor, id string) (out OpenedPrepared, err error) {
	patient := ""
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		o, err := q.PreparedByID(id)
		if err != nil {
			return act.NotFound(err, "prepared order")
		}
		patient = o.PatientID
		p, err := q.Person(o.PatientID)
		if err != nil {
			return err
		}
		names, err := q.StaffNames()
		out = OpenedPrepared{a.Patient(p), a.Prepared(o, who, names)}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open prepared order", patient, id)
	}
	return out, err
}
