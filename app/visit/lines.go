package visit

import (
	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/store"
)

// Lines are the kinds of open line of this room: further visits that wait to be booked.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{{Kind: line.FollowUp, List: act.UnderWay, Fill: a.fillFollowUps}}
}

func (a *Acts) fillFollowUps(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
	wishes, err := q.FollowUpsIn(act.Subjects(rows))
	by := map[string]store.FollowUp{}
	for _, f := range wishes {
		by[f.ID] = f
	}
	for _, row := range rows {
		f := by[row.ID]
		row.Title = "Comes back " + f.Said + ", waits to be booked: " + f.Reason
	}
	return err
}
