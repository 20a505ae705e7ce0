package desk

import (
	"context"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/store"
)

// Desk is a page of one list of a person's open lines, with how many there are in each.
type Desk struct {
	Lists []ListCount    `json:"lists"`
	List  string         `json:"list" enum:"results,notes,under way"`
	Rows  []*act.LineRow `json:"rows" doc:"Gravest first, then by patient"`
	Next  string         `json:"next" doc:"Begins the next page; empty after the last row"`
}

// ListCount is a list of the desk with the number of lines in it.
type ListCount struct {
	List  string `json:"list" enum:"results,notes,under way"`
	Count int    `json:"count"`
}

// Lists are the lists of the desk, in order.
var Lists = []string{act.ResultList, act.NoteList, act.UnderWay}

// page is how many lines come at a time.
const page = 100

// MyDesk reads a page of a list of the person's open lines, after the line named.
func (a *Acts) MyDesk(ctx context.Context, who act.Actor, list, after string) (out Desk, err error) {
	if list == "" {
		list = act.ResultList
	}
	out = Desk{List: list, Rows: []*act.LineRow{}}
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		counts, err := a.count(q, who)
		if err != nil {
			return err
		}
		for _, l := range Lists {
			out.Lists = append(out.Lists, ListCount{l, counts[l]})
		}
		var kinds []line.Kind
		for _, k := range a.kinds {
			if k.List == list {
				kinds = append(kinds, k.Kind)
			}
		}
		lines, err := q.OpenLinesOf(who.ID, kinds, a.team(who, list), after, page+1)
		if err != nil {
			return err
		}
		if len(lines) > page {
			lines = lines[:page]
			out.Next = lines[page-1].ID
		}
		out.Rows, err = a.Rows(q, who, lines, a.kinds)
		return err
	})
	return out, err
}

// Count says how many open lines the person has, those of their team among them.
func (a *Acts) Count(ctx context.Context, who act.Actor) (n int, err error) {
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		counts, err := a.count(q, who)
		for _, c := range counts {
			n += c
		}
		return err
	})
	return n, err
}

// count counts by list.
func (a *Acts) count(q *store.Q, who act.Actor) (map[string]int, error) {
	own, err := q.CountLines(who.ID, a.team(who, ""))
	counts := map[string]int{}
	for _, k := range a.kinds {
		counts[k.List] += own[k.Kind]
	}
	return counts, err
}

// team are the kinds of a list ("" for all) of which somebody sees the lines nobody owns.
func (a *Acts) team(who act.Actor, list string) []line.Kind {
	out := []line.Kind{}
	for _, k := range a.kinds {
		if (list == "" || k.List == list) && k.Right != "" && act.May(who.Role, k.Right) {
			out = append(out, k.Kind)
		}
	}
	return out
}

// About lists the open lines of a patient, oldest first, with whose they are.
func (a *Acts) About(q *store.Q, who act.Actor, patient string) ([]*act.LineRow, error) {
	lines, err := q.OpenLinesAbout(patient)
	if err != nil {
		return nil, err
	}
	return a.Rows(q, who, lines, a.kinds)
}
