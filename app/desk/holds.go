package desk

import (
	"cmp"
	"context"
	"slices"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/store"
)

// Holding is what somebody answers for: a person, a team, or whoever may where nobody owns it.
type Holding struct {
	ID    string      `json:"id" doc:"Of the person; empty for a team, or nobody"`
	Name  string      `json:"name"`
	Lists []HoldCount `json:"lists" doc:"In the order of the lists of a desk"`
	Total int         `json:"total"`
	Away  string      `json:"away" doc:"Who covers for them today; empty for nobody"`
}

// HoldCount is how much of one list somebody answers for.
type HoldCount struct {
	List    string `json:"list" enum:"results,notes,under way"`
	Open    int    `json:"open" doc:"To be acted on"`
	Waiting int    `json:"waiting" doc:"Waits for somebody else"`
	Days    int    `json:"days" doc:"How old the oldest is"`
}

// Holdings tells who in the practice answers for how many open lines, and for how long the oldest is open; whoever has most first.
func (a *Acts) Holdings(ctx context.Context, who act.Actor) (out []Holding, err error) {
	out = []Holding{}
	err = a.Look(ctx, who, act.SeePractice, func(q *store.Q) error {
		loads, err := q.Loads()
		if err != nil {
			return err
		}
		names, err := q.StaffNames()
		if err != nil {
			return err
		}
		teams, err := q.Teams()
		if err != nil {
			return err
		}
		covers, err := q.Covers(a.Today())
		if err != nil {
			return err
		}
		list := map[line.Kind]int{}
		for _, k := range a.kinds {
			list[k.Kind] = slices.Index(Lists, k.List)
		}
		for _, l := range loads {
			name := cmp.Or(names[l.OwnerID], "whoever may")
			if i := slices.IndexFunc(teams, func(t store.CareTeam) bool { return t.ID == l.TeamID }); i >= 0 && l.OwnerID == "" {
				name = teams[i].Name
			}
			i := slices.IndexFunc(out, func(h Holding) bool { return h.ID == l.OwnerID && h.Name == name })
			if i < 0 {
				h := Holding{ID: l.OwnerID, Name: name}
				for _, list := range Lists {
					h.Lists = append(h.Lists, HoldCount{List: list})
				}
				for _, c := range covers {
					if l.OwnerID != "" && c.OfID == l.OwnerID && c.From <= a.Today() {
						h.Away = names[c.ByID]
					}
				}
				out, i = append(out, h), len(out)
			}
			c := &out[i].Lists[list[l.Kind]]
			c.Open += l.Open
			c.Waiting += l.Waiting
			c.Days = max(c.Days, a.DaysSince(l.Oldest))
			out[i].Total += l.Open + l.Waiting
		}
		slices.SortStableFunc(out, func(x, y Holding) int { return cmp.Or(y.Total-x.Total, cmp.Compare(x.Name, y.Name)) })
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "see who answers for what", "", "")
	}
	return out, err
}

// HeldBy reads a page of the open lines that a person answers for, the oldest kinds of the desk together, gravest first.
func (a *Acts) HeldBy(ctx context.Context, who act.Actor, person, after string) (out Desk, err error) {
	out = Desk{Lists: []ListCount{}, Rows: []*act.LineRow{}, Facilities: []string{}}
	err = a.Look(ctx, who, act.SeePractice, func(q *store.Q) error {
		if _, err := q.StaffByID(person); err != nil {
			return act.NotFound(err, "person")
		}
		kinds := []line.Kind{}
		for _, k := range a.kinds {
			kinds = append(kinds, k.Kind)
		}
		lines, err := q.OpenLinesOf([]string{person}, kinds, store.Unowned{}, after, page+1)
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
	if err == nil {
		err = a.Saw(ctx, who, "see what somebody answers for", "", person)
	}
	return out, err
}
