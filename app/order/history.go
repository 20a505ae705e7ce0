package order

import (
	"context"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/store"
)

// NextView is the next event of an order that is awaited from others.
type NextView struct {
	What   string `json:"what" doc:"To be drawn, to be answered…; empty when nothing is awaited from others"`
	By     string `json:"by"`
	Late   bool   `json:"late"`
	Unsure bool   `json:"unsure" doc:"The list of the laboratory gives no turnaround; a week is taken"`
}

// DoneView is what somebody did about an order that went its way too slowly, or what the
// laboratory said of it.
type DoneView struct {
	At     string `json:"at"`
	Says   string `json:"says" enum:"called,asked,told,told of trouble,sent again"`
	By     string `json:"by" doc:"Empty for the laboratory"`
	Detail string `json:"detail"`
	Until  string `json:"until"`
}

// OrderRowView is an order in a history, with whose it is and what is awaited.
type OrderRowView struct {
	Patient act.PatientView `json:"patient"`
	Order   OrderView       `json:"order"`
	Next    NextView        `json:"next"`
	Done    []DoneView      `json:"done"`
}

// HistoryView is a page of the history of orders, the newest first.
type HistoryView struct {
	Rows []OrderRowView `json:"rows"`
	More string         `json:"more" doc:"Asks for the next page; empty on the last"`
}

// Which orders of a history are shown.
const (
	AllOrders   = "all"
	GoingOrders = "going"
	LateOrders  = "late"
)

// pageOfOrders is how many orders a page holds; searched how many are looked through for
// late ones before a page is given as it is.
const (
	pageOfOrders = 60
	searched     = 20000
)

// Sought says which orders of a history are looked for. Words are of the test, the laboratory,
// the patient, who ordered it, its number or its state; all of them have to be there.
type Sought struct {
	Patient string `json:"patient,omitempty" maxLength:"64" doc:"Empty for the practice"`
	Which   string `json:"which" enum:"all,going,late"`
	Words   string `json:"words,omitempty" maxLength:"200"`
	After   string `json:"after,omitempty" maxLength:"100"`
}

// has says whether an order is meant by words, as chart.Plain writes them.
func (r OrderRowView) has(words []string) bool {
	text := strings.Join([]string{r.Patient.Given, r.Patient.Family, r.Patient.Record, r.Order.Laboratory, r.Order.Clinician, r.Order.Placer, r.Order.State, r.Order.Priority, r.Order.Standing}, " ")
	for _, t := range r.Order.Tests {
		text += " " + t.Name + " " + t.Code
	}
	text = " " + chart.Plain(text)
	return !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, " "+w) })
}

// History lists orders of a patient, or of the practice.
func (a *Acts) History(ctx context.Context, who act.Actor, x Sought) (out HistoryView, err error) {
	out.Rows = []OrderRowView{}
	patient, which, words := x.Patient, x.Which, strings.Fields(chart.Plain(x.Words))
	right := act.SeeOrders
	if patient != "" {
		right = act.SeeChart
	}
	err = a.Look(ctx, who, right, func(q *store.Q) error {
		if patient != "" {
			p, err := q.Person(patient)
			if err != nil {
				return act.NotFound(err, "patient")
			}
			patient = p.ID
		}
		at, id, _ := strings.Cut(x.After, " ")
		cursor := store.OrderCursor{At: at, ID: id}
		size := pageOfOrders
		if which == LateOrders || len(words) > 0 {
			size = 1000
		}
		for seen := 0; len(out.Rows) < pageOfOrders && seen < searched; seen += size {
			page, err := q.OrderHistory(patient, which != AllOrders, cursor, size)
			if err != nil {
				return err
			}
			rows, err := a.rows(q, page)
			if err != nil {
				return err
			}
			for i, r := range rows {
				cursor = store.OrderCursor{At: store.Stamp(page[i].SignedAt), ID: page[i].ID}
				if (which != LateOrders || r.Next.Late) && r.has(words) {
					out.Rows = append(out.Rows, r)
				}
				if len(out.Rows) == pageOfOrders {
					break
				}
			}
			out.More = cursor.At + " " + cursor.ID
			if len(page) < size {
				if len(out.Rows) < pageOfOrders {
					out.More = ""
				}
				break
			}
		}
		return nil
	})
	if err == nil && patient != "" {
		err = a.Saw(ctx, who, "look at orders", patient, "")
	}
	return out, err
}

// rows completes orders with whose they are, what is awaited, and what was done about them.
func (a *Acts) rows(q *store.Q, orders []store.Order) ([]OrderRowView, error) {
	ids, patients := make([]string, len(orders)), make([]string, len(orders))
	for i, o := range orders {
		ids[i], patients[i] = o.ID, o.PatientID
	}
	people, err := q.PatientsIn(patients)
	if err != nil {
		return nil, err
	}
	whose := map[string]chart.Patient{}
	for _, p := range people {
		whose[p.ID] = p
	}
	events, err := q.OrderEvents(ids)
	if err != nil {
		return nil, err
	}
	of := map[string][]store.OrderEvent{}
	for _, e := range events {
		of[e.OrderID] = append(of[e.OrderID], e)
	}
	out := make([]OrderRowView, len(orders))
	for i, o := range orders {
		out[i] = OrderRowView{Patient: a.Patient(whose[o.PatientID]), Order: a.View(o), Next: a.next(o, of[o.ID]), Done: []DoneView{}}
		for _, e := range of[o.ID] {
			out[i].Done = append(out[i].Done, DoneView{At: a.Say(e.At), Says: e.Says, By: e.By, Detail: e.Detail, Until: a.Say(e.Until)})
		}
	}
	return out, nil
}

// course is how far an order has come, as far as its next event goes.
func (a *Acts) course(o store.Order, events []store.OrderEvent) order.Course {
	lab := a.Config.Laboratory(o.Party)
	c := order.Course{State: o.State, SignedAt: o.SignedAt, CollectedAt: o.CollectedAt, Due: o.Due, Drawing: o.Drawing, Paper: lab.Takes == order.TakesPaper}
	unknown := false
	for _, t := range o.Tests {
		if t.ReportStatus == "F" || t.ReportStatus == "C" || t.ReportStatus == "X" {
			continue
		}
		hours := t.Detail.Turnaround
		if hours == 0 { // signed by a former version, or the list says none
			x, _ := lab.Test(t.Code)
			hours = x.Turnaround
		}
		unknown = unknown || hours == 0
		c.Turnaround = max(c.Turnaround, hours)
	}
	if unknown {
		c.Turnaround = 0
	}
	for _, e := range events {
		if e.Until.After(c.Until) {
			c.Until = e.Until
		}
	}
	return c
}

// next says what is awaited of an order, and whether it is late.
func (a *Acts) next(o store.Order, events []store.OrderEvent) NextView {
	c := a.course(o, events)
	if o.State == order.Cancelled && o.Cancelling == store.CancellingWaits { // as soon as it was to be taken
		c.State = order.Signed
	}
	by, what, unsure, ok := c.Next(a.Location)
	if o.State == order.Cancelled && ok {
		what = "to be cancelled by the laboratory"
	}
	if !ok {
		return NextView{}
	}
	return NextView{What: what, By: a.Say(by), Late: a.Clock().After(by), Unsure: unsure}
}

// Called records that somebody asked after an order, with whom they spoke and what was said;
// until is the day (YYYY-MM-DD) on which it is looked at again, within 60 days.
func (a *Acts) Called(ctx context.Context, who act.Actor, id, detail, until string) error {
	if err := act.Allow(who, act.FollowOrder); err != nil {
		return err
	}
	detail = strings.TrimSpace(detail)
	if detail == "" {
		return act.Refuse(act.Invalid, "Say with whom you spoke, and what they said.")
	}
	day, err := time.ParseInLocation(time.DateOnly, until, a.Location)
	if err != nil {
		return act.Refuse(act.Invalid, "Choose the day on which it is looked at again.")
	}
	return a.Act(ctx, who, act.FollowOrder, func(t *act.Tx) error {
		o, err := t.OrderByID(id)
		if err != nil {
			return act.NotFound(err, "order")
		}
		if a.next(o, nil).What == "" {
			return act.Refuse(act.Conflict, "Nothing is awaited of this order: %s.", o.State)
		}
		if !day.After(t.Now.AddDate(0, 0, -1)) || day.After(t.Now.AddDate(0, 0, 60)) {
			return act.Refuse(act.Invalid, "Choose a day from today to sixty days from now.")
		}
		if err := t.AddOrderEvent(store.OrderEvent{ID: act.NewID(), OrderID: id, Says: store.OrderCalled, Detail: detail, Until: time.Date(day.Year(), day.Month(), day.Day(), 23, 59, 0, 0, a.Location), ByID: who.ID,
			At: t.Now}); err != nil {
			return err
		}
		if err := t.SetLineState(line.Order, id, line.Waiting); err != nil {
			return err
		}
		t.Tell(act.OrderEvent, id, o.PatientID)
		t.Tell(act.LineEvent, id, o.PatientID)
		return t.Audit("ask after order", o.PatientID, id, "")
	})
}

// RaiseLate opens the lines of orders whose next event is late, so that they stand among what
// is to be acted on. It returns how many it raised.
func (a *Acts) RaiseLate(ctx context.Context) (n int, err error) {
	var late []store.Order
	if err := a.Store.Read(ctx, func(q *store.Q) error {
		waiting, err := q.OrdersWaiting(searched)
		if err != nil {
			return err
		}
		rows, err := a.rows(q, waiting)
		for i, r := range rows {
			if r.Next.Late {
				late = append(late, waiting[i])
			}
		}
		return err
	}); err != nil || len(late) == 0 {
		return 0, err
	}
	return len(late), a.Write(ctx, act.Actor{}, func(t *act.Tx) error {
		for _, o := range late {
			now, err := t.OrderByID(o.ID)
			if err != nil {
				return err
			}
			if now.State != o.State {
				continue // it has moved on meanwhile
			}
			if err := t.SetLineState(line.Order, o.ID, line.Open); err != nil {
				return err
			}
			t.Tell(act.LineEvent, o.ID, o.PatientID)
		}
		return nil
	})
}
