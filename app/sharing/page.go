package sharing

import (
	"context"
	"slices"

	"deftledger/app/act"
	"deftledger/core/outside"
	"deftledger/store"
)

// SourceHouse is a house that has a record of the patient, and what they say of having been there.
type SourceHouse struct {
	House   string   `json:"house"`
	Says    string   `json:"says" enum:",confirmed,doubted,refused" doc:"Empty while nobody has asked"`
	Words   string   `json:"words"`
	By      string   `json:"by"`
	At      string   `json:"at"`
	Seen    []string `json:"seen" doc:"When they were seen there, as the records say"`
	Ask     string   `json:"ask" doc:"A record of it by which the question is answered"`
	Records int      `json:"records" doc:"So many it sent; what they are stands in the chart"`
}

// Untaken is a document of the exchange that names somebody who differs.
type Untaken struct {
	Document string `json:"document"`
	House    string `json:"house"`
	Title    string `json:"title"`
	Why      string `json:"why"`
	At       string `json:"at"`
}

// PartToGive is a part of a chart that can be given out.
type PartToGive struct {
	ID    string `json:"id"`
	Title string `json:"title"`
}

// SharingPage is what a patient agrees to share, whom they are at the exchange, where they were seen, and what was given out.
type SharingPage struct {
	Patient  act.PatientView `json:"patient"`
	Today    string          `json:"today" doc:"The day in the practice"`
	Exchange string          `json:"exchange" doc:"Its name; empty where none is connected"`
	In       *ConsentView    `json:"in,omitempty" doc:"What was said last of what comes in; left out where nobody has asked"`
	Out      *ConsentView    `json:"out,omitempty"`
	Before   []ConsentView   `json:"before" doc:"All that was said, newest first"`
	Link     ExchangeLink    `json:"link"`
	Sources  []SourceHouse   `json:"sources"`
	Untaken  []Untaken       `json:"untaken"`
	Given    []GivenCopy     `json:"given"`
	Parts    []PartToGive    `json:"parts"`
	Problems []string        `json:"problems" doc:"What the exchange could not be asked for just now"`
}

// Page opens it.
func (a *Acts) Page(ctx context.Context, who act.Actor, patient string) (out SharingPage, err error) {
	out = SharingPage{Today: a.Today(), Before: []ConsentView{}, Sources: []SourceHouse{}, Untaken: []Untaken{}, Parts: []PartToGive{}, Problems: []string{}}
	if a.Elsewhere.Exchange != "" {
		out.Exchange = act.OrUnknown(a.Elsewhere.ExchangeName, "the exchange")
	}
	for _, p := range outside.Parts {
		out.Parts = append(out.Parts, PartToGive{p.ID, p.Title})
	}
	err = a.Look(ctx, who, act.Share, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		out.Patient = a.Patient(p)
		all, err := a.consents(q, p.ID)
		if err != nil {
			return err
		}
		out.Before = append(out.Before, all...)
		for d, to := range map[string]**ConsentView{In: &out.In, Out: &out.Out} {
			if i := slices.IndexFunc(all, func(c ConsentView) bool { return c.Direction == d }); i >= 0 {
				*to = &all[i]
			}
		}
		if out.Link, err = a.link(q, p.ID); err != nil {
			return err
		}
		if out.Sources, err = a.sources(q, p.ID); err != nil {
			return err
		}
		came, err := a.arrived(q, p.ID)
		if err != nil {
			return err
		}
		for _, x := range came {
			if x.Record == "" {
				out.Untaken = append(out.Untaken, Untaken{x.Document, x.House, x.Title, x.Why, x.received})
			}
		}
		out.Given, err = a.gives(q, p.ID)
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "look at what is shared", patient, "")
	}
	return out, err
}

// sources are the houses that sent records, those that nobody has asked about first.
func (a *Acts) sources(q *store.Q, patient string) (out []SourceHouse, err error) {
	out = []SourceHouse{}
	names, err := q.StaffNames()
	if err != nil {
		return out, err
	}
	records, err := q.OutsideRecordsOf(patient)
	if err != nil {
		return out, err
	}
	came, err := a.arrived(q, patient)
	if err != nil {
		return out, err
	}
	said, err := q.OutsideSources(patient)
	if err != nil {
		return out, err
	}
	for _, r := range records {
		i := slices.IndexFunc(out, func(s SourceHouse) bool { return s.House == r.House })
		if i < 0 {
			s := SourceHouse{House: r.House, Seen: []string{}, Ask: r.ID}
			if j := slices.IndexFunc(said, func(x store.OutsideSource) bool { return x.House == r.House }); j >= 0 {
				s.Says, s.Words, s.By, s.At = said[j].Says, said[j].Words, names[said[j].ByID], a.Say(said[j].At)
			}
			out, i = append(out, s), len(out)
		}
		out[i].Records++
		seen, err := a.seen(q, r, came)
		if err != nil {
			return out, err
		}
		if seen != "" && !slices.Contains(out[i].Seen, seen) {
			out[i].Seen = append(out[i].Seen, seen)
		}
	}
	slices.SortStableFunc(out, func(x, y SourceHouse) int {
		rank := map[string]int{"": 0, "doubted": 1, "confirmed": 2, "refused": 3}
		return rank[x.Says] - rank[y.Says]
	})
	return out, nil
}

// seen is when somebody was at the house of a record, as the exchange or the record says; else when it was written.
func (a *Acts) seen(q *store.Q, r store.OutsideRecord, came []arrived) (string, error) {
	from, to, err := a.Record.Seen(q, r)
	if i := slices.IndexFunc(came, func(x arrived) bool { return x.Record == r.ID }); i >= 0 && from == "" {
		from, to = came[i].From, came[i].To
	}
	if from == "" {
		from = r.WrittenAt
	}
	return spanSaid(from, to), err
}

func spanSaid(from, to string) string {
	from, to = from[:min(10, len(from))], to[:min(10, len(to))]
	if to == "" || to == from {
		return from
	}
	return from + " to " + to
}
