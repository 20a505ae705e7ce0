package desk

import (
	"context"

	"deftledger/app/act"
	orders "deftledger/app/order"
	"deftledger/app/paper"
	results "deftledger/app/result"
	"deftledger/app/visit"
	"deftledger/core/line"
	"deftledger/store"
)

// LineView is an open line.
type LineView struct {
	ID       string `json:"id"`
	Kind     string `json:"kind"`
	Subject  string `json:"subject"`
	State    string `json:"state"`
	OpenedAt string `json:"openedAt"`
	Closes   string `json:"closes" doc:"The act that closes it"`
}

// Line writes an open line.
func (a *Acts) Line(l store.Line) LineView {
	return LineView{l.ID, string(l.Kind), l.Subject, string(l.State), a.Say(l.OpenedAt), l.Kind.Act()}
}

// Desk is a person's open lines, with what each list of the desk shows.
type Desk struct {
	Count      int                   `json:"count"`
	Reports    []DeskReport          `json:"reports"`
	Notes      []DeskNote            `json:"notes"`
	Orders     []DeskOrder           `json:"orders"`
	ToSign     []DeskPrepared        `json:"toSign"`
	FollowUps  []visit.FollowUpView  `json:"followUps" doc:"Visits asked for that wait to be booked"`
	Sent       []DeskSent            `json:"sent" doc:"Messages and faxes that have not arrived"`
	Quarantine []results.HeldMessage `json:"quarantine"`
}

// DeskReport is an open report line.
type DeskReport struct {
	Patient act.PatientView   `json:"patient"`
	Report  results.ReportRow `json:"report"`
	Since   string            `json:"since"`
}

// DeskNote is an unsigned note.
type DeskNote struct {
	Patient act.PatientView `json:"patient"`
	VisitID string          `json:"visitId"`
	Since   string          `json:"since"`
	Days    int             `json:"days"`
}

// DeskOrder is an order that others must act on, or that the laboratory refused.
type DeskOrder struct {
	Patient act.PatientView  `json:"patient"`
	Order   orders.OrderView `json:"order"`
	State   string           `json:"state"`
	Since   string           `json:"since"`
	Days    int              `json:"days"`
}

// DeskSent is a message or fax that has not arrived.
type DeskSent struct {
	Patient act.PatientView `json:"patient"`
	Sent    paper.SentView  `json:"sent"`
	Since   string          `json:"since"`
}

// DeskPrepared is a prepared order to sign, or one that was given back.
type DeskPrepared struct {
	Patient act.PatientView     `json:"patient"`
	Order   orders.PreparedView `json:"order"`
	Since   string              `json:"since"`
}

// MyDesk lists the open lines of the person.
func (a *Acts) MyDesk(ctx context.Context, who act.Actor) (out Desk, err error) {
	out = Desk{Reports: []DeskReport{}, Notes: []DeskNote{}, Orders: []DeskOrder{}, ToSign: []DeskPrepared{}, FollowUps: []visit.FollowUpView{}, Sent: []DeskSent{}, Quarantine: []results.HeldMessage{}}
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		lines, err := q.OpenLinesOf(who.ID)
		if err != nil {
			return err
		}
		out.Count = len(lines)
		ids := map[line.Kind][]string{}
		for _, l := range lines {
			ids[l.Kind] = append(ids[l.Kind], l.Subject)
		}
		reports, err := q.ReportsIn(ids[line.Report])
		if err != nil {
			return err
		}
		reportBy := map[string]store.Report{}
		for _, r := range reports {
			reportBy[r.ID] = r
		}
		orders, err := q.OrdersIn(ids[line.Order])
		if err != nil {
			return err
		}
		orderBy := map[string]store.Order{}
		for _, o := range orders {
			orderBy[o.ID] = o
		}
		prepared, err := q.PreparedIn(ids[line.ToSign])
		if err != nil {
			return err
		}
		preparedBy := map[string]store.Prepared{}
		for _, p := range prepared {
			preparedBy[p.ID] = p
		}
		names, err := a.Names(q)
		if err != nil {
			return err
		}
		visitBy, err := q.VisitsOfNotes(ids[line.Note])
		if err != nil {
			return err
		}
		for _, l := range lines {
			days := a.DaysSince(l.OpenedAt)
			switch l.Kind {
			case line.Report:
				out.Reports = append(out.Reports, DeskReport{a.Patient(l.Patient), a.Result.Row(reportBy[l.Subject]), a.Say(l.OpenedAt)})
			case line.Note:
				out.Notes = append(out.Notes, DeskNote{a.Patient(l.Patient), visitBy[l.Subject], a.Say(l.OpenedAt), days})
			case line.FollowUp:
				f, err := q.FollowUpByID(l.Subject)
				if err != nil {
					return err
				}
				view, err := a.Visit.FollowUp(q, f, names)
				if err != nil {
					return err
				}
				out.FollowUps = append(out.FollowUps, view)
			case line.Message, line.Fax:
				view, err := a.Paper.Sent(q, l.Kind, l.Subject, names)
				if err != nil {
					return err
				}
				out.Sent = append(out.Sent, DeskSent{a.Patient(l.Patient), view, a.Say(l.OpenedAt)})
			case line.ToSign:
				out.ToSign = append(out.ToSign, DeskPrepared{a.Patient(l.Patient), a.Order.Prepared(preparedBy[l.Subject], who, names), a.Say(l.OpenedAt)})
			case line.Order:
				out.Orders = append(out.Orders, DeskOrder{a.Patient(l.Patient), a.Order.View(orderBy[l.Subject]), string(l.State), a.Say(l.OpenedAt), days})
			}
		}
		if act.May(who.Role, act.MatchResult) {
			held, err := q.Quarantined()
			if err != nil {
				return err
			}
			for _, m := range held {
				out.Quarantine = append(out.Quarantine, a.Result.HeldView(m))
			}
			out.Count += len(held)
		}
		return nil
	})
	return out, err
}
