package intake

import (
	"strings"

	"deftledger/core/chart"
	"deftledger/store"
)

// incoming sets what came from outside beside what is in the chart.
func (a *Acts) incoming(q *store.Q, v store.Visit, out *IntakeView) error {
	es, err := q.IncomingEntries(v.PatientID)
	if err != nil {
		return err
	}
	names, err := q.StaffNames()
	if err != nil {
		return err
	}
	l, err := a.Forms.Current()
	if err != nil {
		return err
	}
	var r chart.Record
	if len(es) > 0 {
		if r, err = a.Order.Record(q, v.PatientID, a.Today()); err != nil {
			return err
		}
	}
	for _, e := range es {
		x := IncomingView{ID: e.ID, Source: e.Source, List: e.List, Name: chart.ListName(e.List), Title: e.Title, Detail: e.Detail,
			Since: e.Since, Decision: e.Decision, By: names[e.DecidedBy], At: a.Say(e.ReceivedAt)}
		if e.List == "answer" {
			x.Name = "Answers before the visit"
			f := strings.SplitN(e.Link, " ", 3)
			if iv := l.Newest(f[0]); iv != nil {
				x.Title = iv.Asked(f[1])
			}
		}
		if e.List == "screen" {
			x.Name = "Questionnaire answered before the visit"
		}
		x.Same = standsNew
		if e.Decision == "" {
			stands := a.Stand(r, e)
			x.Same, x.Why, x.Beside = stands.How, stands.Why, stands.Says
		}
		out.Incoming = append(out.Incoming, x)
	}
	return nil
}
