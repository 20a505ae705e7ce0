package outside

import (
	"fmt"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/store"
)

// Lines are the kind of open line of this room: what other parties sent of a patient, one line
// a record, until each entry is decided on.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{{Kind: line.FromOutside, List: act.UnderWay, Right: act.DoIntake, Fill: a.fillLines}}
}

func (a *Acts) fillLines(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
	waiting, err := q.IncomingWaiting(act.Subjects(rows))
	act.Describe(rows, waiting, func(w store.Waiting) string { return w.PatientID }, func(r *act.LineRow, w store.Waiting) {
		r.Title = fmt.Sprintf("%d entries from the %s", w.Count, note.List(w.Sources, "and the"))
		if w.Count == 1 {
			r.Title = "1 entry from the " + note.List(w.Sources, "and the")
		}
		r.Mark, r.VisitID = "to decide", w.VisitID
	})
	return err
}
