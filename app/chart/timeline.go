package chart

import (
	"context"
	"strings"

	"deftledger/app/act"
	"deftledger/app/intake"
	orders "deftledger/app/order"
	"deftledger/app/paper"
	results "deftledger/app/result"
	visits "deftledger/app/visit"
	"deftledger/store"
)

// Happening is one thing that happened in a chart: the field its kind names is given.
type Happening struct {
	Kind     string              `json:"kind" enum:"visit,order,report,vaccine,message,document,referral,prescription"`
	ID       string              `json:"id"`
	At       string              `json:"at"`
	Visit    *visits.VisitView   `json:"visit,omitempty"`
	Order    *orders.OrderView   `json:"order,omitempty"`
	Report   *results.ReportRow  `json:"report,omitempty"`
	Vaccine  *intake.GivenView   `json:"vaccine,omitempty"`
	Message  *paper.SentView     `json:"message,omitempty"`
	Document *paper.DocumentView `json:"document,omitempty"`
	Further  *FurtherRow         `json:"further,omitempty" doc:"Of a referral or a prescription"`
}

// FurtherRow is a referral or a prescription in a line.
type FurtherRow struct {
	Title     string `json:"title"`
	Text      string `json:"text"`
	State     string `json:"state"`
	Clinician string `json:"clinician"`
}

// TimelineView is a page of what happened in a chart, newest first.
type TimelineView struct {
	Rows  []Happening `json:"rows"`
	Count int         `json:"count" doc:"How much there is in all"`
	Next  string      `json:"next" doc:"Begins the next page; empty after the last row"`
}

// timelinePage is how much of what happened comes at a time.
const timelinePage = 60

// Timeline reads a page of what happened in a chart, after the row named by next.
func (a *Acts) Timeline(ctx context.Context, who act.Actor, patient, after string) (out TimelineView, err error) {
	out.Rows = []Happening{}
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		if _, err := q.Person(patient); err != nil {
			return act.NotFound(err, "patient")
		}
		kind, id, _ := strings.Cut(after, " ")
		rows, err := q.HappenedIn(patient, store.Happened{Kind: kind, ID: id}, timelinePage+1)
		if err != nil {
			return err
		}
		if out.Count, err = q.CountHappened(patient); err != nil {
			return err
		}
		if len(rows) > timelinePage {
			rows = rows[:timelinePage]
			last := rows[timelinePage-1]
			out.Next = last.Kind + " " + last.ID
		}
		read, err := a.happenings(q, who, rows)
		for _, r := range rows {
			out.Rows = append(out.Rows, read[r])
		}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "look at what happened", patient, "")
	}
	return out, err
}

// happenings reads what happened, a statement or two for each kind.
func (a *Acts) happenings(q *store.Q, who act.Actor, rows []store.Happened) (map[store.Happened]Happening, error) {
	out := map[store.Happened]Happening{}
	ids := map[string][]string{}
	for _, r := range rows {
		ids[r.Kind] = append(ids[r.Kind], r.ID)
	}
	put := func(h Happening) { out[store.Happened{Kind: h.Kind, ID: h.ID}] = h }
	for kind, read := range map[string]func([]string) error{
		store.HappenedVisit: func(ids []string) error {
			all, err := q.VisitsIn(ids)
			for _, v := range all {
				view := a.Visit.View(v, who)
				put(Happening{Kind: store.HappenedVisit, ID: v.ID, At: view.StartsAt, Visit: &view})
			}
			return err
		},
		store.HappenedOrder: func(ids []string) error {
			all, err := q.OrdersIn(ids)
			for _, o := range all {
				view := a.Order.View(o)
				put(Happening{Kind: store.HappenedOrder, ID: o.ID, At: view.SignedAt, Order: &view})
			}
			return err
		},
		store.HappenedReport: func(ids []string) error {
			all, err := q.ReportsIn(ids)
			for _, r := range all {
				view := a.Result.Row(r)
				at := view.CollectedAt
				if at == "" {
					at = view.ReceivedAt
				}
				put(Happening{Kind: store.HappenedReport, ID: r.ID, At: at, Report: &view})
			}
			return err
		},
		store.HappenedVaccine: func(ids []string) error {
			all, err := q.ImmunizationsIn(ids)
			views, err := a.Intake.GivenViews(q, all, err)
			for _, v := range views {
				put(Happening{Kind: store.HappenedVaccine, ID: v.ID, At: v.At, Vaccine: &v})
			}
			return err
		},
		store.HappenedMessage: func(ids []string) error {
			all, err := a.Paper.MessagesIn(q, ids)
			for _, m := range all {
				put(Happening{Kind: store.HappenedMessage, ID: m.ID, At: m.At, Message: &m})
			}
			return err
		},
		store.ReferralOrder: func(ids []string) error {
			all, err := a.Referral.In(q, ids)
			for _, r := range all {
				at := r.SignedAt
				if at == "" {
					at = r.WrittenAt
				}
				title, text := "Referral to "+r.To.Says(), r.Question
				if r.Kind != "referral" {
					title, text = strings.ToUpper(r.Kind[:1])+r.Kind[1:]+": "+r.Title, strings.TrimSuffix(r.To.Says()+": "+r.Question, ": ")
				}
				if r.Kind == "vaccine" {
					text = r.Question
				}
				put(Happening{Kind: store.ReferralOrder, ID: r.ID, At: at, Further: &FurtherRow{title, text, r.State, r.Clinician}})
			}
			return err
		},
		store.PrescriptionOrder: func(ids []string) error {
			all, err := a.Prescribe.In(q, ids)
			for _, x := range all {
				at := x.SignedAt
				if at == "" {
					at = x.WrittenAt
				}
				put(Happening{Kind: store.PrescriptionOrder, ID: x.ID, At: at, Further: &FurtherRow{"Prescription: " + x.Says, x.Reads + ", " + x.Amount, x.State, x.Clinician}})
			}
			return err
		},
		store.HappenedDocument: func(ids []string) error {
			all, err := a.Paper.DocumentsIn(q, ids)
			for _, d := range all {
				put(Happening{Kind: store.HappenedDocument, ID: d.ID, At: d.At, Document: &d})
			}
			return err
		},
	} {
		if len(ids[kind]) > 0 {
			if err := read(ids[kind]); err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}
