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
	act.Describe(rows, wishes, func(f store.FollowUp) string { return f.ID }, func(row *act.LineRow, f store.FollowUp) {
		row.Title = "Comes back " + f.Said + ", waits to be booked: " + f.Reason
	})
	return err
}
