package desk

import (
	"context"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/store"
)

// Desk is a page of one list of a person's open lines, with how many there are in each.
type Desk struct {
	Lists      []ListCount    `json:"lists"`
	List       string         `json:"list" enum:"results,notes,under way"`
	Rows       []*act.LineRow `json:"rows" doc:"Gravest first, then by patient"`
	Next       string         `json:"next" doc:"Begins the next page; empty after the last row"`
	Found      int            `json:"found" doc:"How many lines of the list are meant, where it was narrowed; else all"`
	Facilities []string       `json:"facilities" doc:"Who performed what waits; only where the list was narrowed"`
}

// ListCount is a list of the desk with the number of lines in it.
type ListCount struct {
	List  string `json:"list" enum:"results,notes,under way"`
	Count int    `json:"count"`
}

// DeskSought is which list is read, and by what it is narrowed.
type DeskSought struct {
	List     string `json:"-"`
	After    string `json:"after,omitempty" maxLength:"64" doc:"The line that the page comes after"`
	Each     bool   `json:"each,omitempty" doc:"A row for each report, not for each patient"`
	Narrowed bool   `json:"-"` // what follows counts
	Words    string `json:"words,omitempty" maxLength:"200" doc:"In the patient's name, the report or the facility"`
	State    string `json:"state,omitempty" enum:",final,preliminary,corrected"`
	Flag     string `json:"flag,omitempty" enum:",critical,out of range,in range,not judged"`
	Facility string `json:"facility,omitempty" maxLength:"200"`
	Days     int    `json:"days,omitempty" minimum:"0" maximum:"3660" doc:"At least so many days old"`
	Whose    string `json:"whose,omitempty" enum:",mine,covered,team"`
	Sort     string `json:"sort,omitempty" enum:",grave,oldest,patient"`
}

// Lists are the lists of the desk, in order.
var Lists = []string{act.ResultList, act.NoteList, act.UnderWay}

// page is how many lines come at a time, pagePackets how many packets, which hold several reports each.
const page, pagePackets = 100, 25

// MyDesk reads a page of a list of the person's open lines.
func (a *Acts) MyDesk(ctx context.Context, who act.Actor, x DeskSought) (out Desk, err error) {
	if x.List == "" {
		x.List = act.ResultList
	}
	out = Desk{List: x.List, Rows: []*act.LineRow{}, Facilities: []string{}}
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		beside, err := q.Beside(who.ID, a.Today())
		if err != nil {
			return err
		}
		owners := append([]string{who.ID}, beside.Covers...)
		counts, err := a.count(q, who, owners)
		if err != nil {
			return err
		}
		for _, l := range Lists {
			out.Lists = append(out.Lists, ListCount{l, counts[l]})
		}
		out.Found = counts[x.List]
		var kinds []line.Kind
		for _, k := range a.kinds {
			if k.List == x.List {
				kinds = append(kinds, k.Kind)
			}
		}
		if x.List == act.ResultList {
			return a.packets(q, who, x, owners, kinds, &out)
		}
		lines, err := q.OpenLinesOf(owners, kinds, a.unowned(who, x.List), x.After, page+1)
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

// Count says how many open lines the person has, those of their team and of whom they cover for today among them.
func (a *Acts) Count(ctx context.Context, who act.Actor) (n int, err error) {
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		beside, err := q.Beside(who.ID, a.Today())
		if err != nil {
			return err
		}
		counts, err := a.count(q, who, append([]string{who.ID}, beside.Covers...))
		for _, c := range counts {
			n += c
		}
		return err
	})
	return n, err
}

// count counts by list.
func (a *Acts) count(q *store.Q, who act.Actor, owners []string) (map[string]int, error) {
	own, err := q.CountLines(owners, a.unowned(who, ""))
	counts := map[string]int{}
	for _, k := range a.kinds {
		counts[k.List] += own[k.Kind]
	}
	return counts, err
}

// unowned are the kinds of a list ("" for all) of which somebody sees the lines nobody owns.
func (a *Acts) unowned(who act.Actor, list string) store.Unowned {
	out := store.Unowned{Who: who.ID, Kinds: []line.Kind{}}
	for _, k := range a.kinds {
		if (list == "" || k.List == list) && k.Right != "" && act.May(who.Role, k.Right) {
			out.Kinds = append(out.Kinds, k.Kind)
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
