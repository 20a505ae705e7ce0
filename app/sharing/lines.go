package sharing

import (
	"context"
	"encoding/json"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/store"
)

// send queues something for the exchange: it is an open line until the exchange has taken it, or somebody says how it was given instead.
func (a *Acts) send(t *act.Tx, patient string, o store.Outgoing) error {
	o.Destination, o.ByID = queue, t.Who.ID
	if err := t.Send(o); err != nil {
		return err
	}
	if err := t.OpenLine(act.NewID(), line.ToExchange, o.Subject, patient, t.Who.ID, line.Waiting, t.Now); err != nil {
		return err
	}
	t.Tell(act.LineEvent, o.Subject, patient)
	return nil
}

// stop takes back what waits for the exchange and has not gone. What was tried may have arrived: its line stays open and says so.
func (a *Acts) stop(t *act.Tx, i store.Inquiry, why string) error {
	never, err := t.WithdrawOutgoing(outGiven, i.ID)
	if err != nil {
		return err
	}
	t.Tell(act.LineEvent, i.ID, i.PatientID)
	if err := t.AddInquiryEvent(store.InquiryEvent{InquiryID: i.ID, Kind: "taken back", Says: why, ByID: t.Who.ID, At: t.Now}); err != nil {
		return err
	}
	if never {
		return t.CloseLine(line.ToExchange, i.ID, t.Who.ID, "not sent: "+why, t.Now)
	}
	return t.SetLineState(line.ToExchange, i.ID, line.Open)
}

// taken says what follows from the answer of the exchange.
func (a *Acts) taken(t *act.Tx, o store.Outgoing, _ []byte, refused string) error {
	i, err := t.InquiryByID(o.Subject)
	if err != nil {
		return err
	}
	t.Tell(act.LineEvent, i.ID, i.PatientID)
	t.Tell(act.PatientEvent, i.PatientID, i.PatientID)
	if refused == "" {
		return t.CloseLine(line.ToExchange, i.ID, t.Who.ID, "taken by the exchange", t.Now)
	}
	if err := t.AddInquiryEvent(store.InquiryEvent{InquiryID: i.ID, Kind: "refused", Says: refused, ByID: t.Who.ID, At: t.Now}); err != nil {
		return err
	}
	return t.SetLineState(line.ToExchange, i.ID, line.Open)
}

// ForExchange is something for the exchange, open on the page.
type ForExchange struct {
	ID      string          `json:"id"`
	Patient act.PatientView `json:"patient"`
	Title   string          `json:"title"`
	By      string          `json:"by"`
	At      string          `json:"at"`
	Why     string          `json:"why" doc:"Why it was not taken, or may have gone although it was taken back; empty while it is on its way, or taken"`
	Closed  bool            `json:"closed"`
}

// Sent shows what is for the exchange.
func (a *Acts) Sent(ctx context.Context, who act.Actor, id string) (out ForExchange, err error) {
	patient := ""
	err = a.Look(ctx, who, act.DoIntake, func(q *store.Q) error {
		i, title, err := find(q, id)
		if err != nil {
			return err
		}
		p, err := q.Person(i.PatientID)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		patient = p.ID
		out = ForExchange{ID: i.ID, Patient: a.Patient(p), Title: title, By: i.By, At: a.Say(i.At)}
		if out.Why, err = whyNot(q, i.ID); err != nil {
			return err
		}
		lines, err := q.OpenLinesAbout(p.ID)
		out.Closed = true
		for _, l := range lines {
			out.Closed = out.Closed && (l.Kind != line.ToExchange || l.Subject != i.ID)
		}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open what is for the exchange", patient, id)
	}
	return out, err
}

func find(q *store.Q, id string) (i store.Inquiry, title string, err error) {
	i, err = q.InquiryByID(id)
	switch {
	case err != nil && !store.IsNotFound(err):
		return i, "", err
	case err == nil && i.Kind == store.GivenOut:
		var g given
		err = json.Unmarshal(i.Said, &g)
		return i, "A copy of the chart: " + saysParts(g.NewGiven), err
	case err == nil && i.Kind == store.FromExchange:
		var d arrived
		err = json.Unmarshal(i.Said, &d)
		return i, d.Title + " of " + d.House + ", sent back", err
	}
	return i, "", act.Refuse(act.Missing, "Nothing like that went to the exchange.")
}

// whyNot is why the exchange did not take something, said last.
func whyNot(q *store.Q, id string) (string, error) {
	events, err := q.InquiryEvents([]string{id})
	if err != nil || len(events) == 0 {
		return "", err
	}
	last := events[len(events)-1]
	if last.Kind == "taken back" {
		return "taken back, and may have gone before: " + last.Says, nil
	}
	return last.Says, nil
}

// Settle closes the line of what the exchange did not take: how it was given instead, or that it is not.
func (a *Acts) Settle(ctx context.Context, who act.Actor, id, how string) error {
	how = chart.Tidy(how)
	return a.Act(ctx, who, act.DoIntake, func(t *act.Tx) error {
		i, _, err := find(t.Q, id)
		if err != nil {
			return err
		}
		if how == "" || len(how) > 300 {
			return act.Refuse(act.Invalid, "Say how it was given instead, or why it is not.")
		}
		for _, kind := range []string{outGiven, outBack} {
			if waits, err := t.OutgoingWaits(kind, id); err != nil || waits {
				if err == nil {
					err = act.Refuse(act.Conflict, "It is still on its way.")
				}
				return err
			}
		}
		if err := t.CloseLine(line.ToExchange, id, who.ID, how, t.Now); err != nil {
			return act.NotFound(err, "open line")
		}
		t.Tell(act.LineEvent, id, i.PatientID)
		return t.Audit("settle what the exchange did not take", i.PatientID, id, "")
	})
}

// Lines are the kinds of open line of this room.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{{Kind: line.ToExchange, List: act.UnderWay, Fill: func(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
		all, err := q.InquiriesIn(act.Subjects(rows))
		if err != nil {
			return err
		}
		events, err := q.InquiryEventsBy(all)
		act.Describe(rows, all, func(i store.Inquiry) string { return i.ID }, func(row *act.LineRow, i store.Inquiry) {
			if i.Kind == store.GivenOut {
				var g given
				_ = json.Unmarshal(i.Said, &g) // written by us
				row.Title = "Copy of the chart to the exchange: " + saysParts(g.NewGiven)
			} else {
				var d arrived
				_ = json.Unmarshal(i.Said, &d)
				row.Title = d.Title + " of " + d.House + ", sent back to the exchange"
			}
			if n := len(events[i.ID]); n > 0 {
				row.Title += ": " + events[i.ID][n-1].Says
				row.Mark, row.Grave = events[i.ID][n-1].Kind, true
			}
		})
		return err
	}}}
}
