package note

import (
	"fmt"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/store"
)

// Lines are the kinds of open line of this room: notes that are not signed.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{{Kind: line.Note, List: act.NoteList, Fill: a.fillNotes}}
}

// longWait is after how many days a note that waits is marked on the desk.
const longWait = 7

func (a *Acts) fillNotes(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
	visits, err := q.VisitsWithNotes(act.Subjects(rows))
	act.Describe(rows, visits, func(v store.Visit) string { return v.NoteID }, func(row *act.LineRow, v store.Visit) {
		row.Title, row.VisitID = v.Kind+", "+v.Reason+": not signed", v.ID
		if row.Days >= longWait {
			row.Mark = fmt.Sprintf("waits %d days", row.Days)
		}
	})
	return err
}
