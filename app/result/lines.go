package result

import (
	"strconv"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/store"
)

// Lines are the kinds of open line of this room: results to sign, and messages of which
// nobody knows for certain whose they are.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{
		{Kind: line.Report, List: act.ResultList, Fill: a.fillReports},
		{Kind: line.Held, List: act.ResultList, Right: act.MatchResult, Fill: a.fillHeld},
	}
}

func (a *Acts) fillReports(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
	reports, err := q.ReportsIn(act.Subjects(rows))
	act.Describe(rows, reports, func(r store.Report) string { return r.ID }, func(row *act.LineRow, report store.Report) {
		r := a.Row(report)
		row.Title = r.Title + ", " + r.Status
		if r.Reopened {
			row.Title += " after signing"
		}
		row.Flags = &act.LineFlags{Above: r.Above, Below: r.Below, Abnormal: r.Abnormal, Critical: r.Critical, CriticalOf: r.CriticalOf}
	})
	return err
}

func (a *Acts) fillHeld(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
	held, err := q.IncomingIn(act.Subjects(rows))
	act.Describe(rows, held, func(m store.Incoming) string { return strconv.FormatInt(m.ID, 10) }, func(row *act.LineRow, in store.Incoming) {
		m := a.HeldView(in)
		row.Mark, row.Title = "to decide", "Cannot be read"
		if m.Readable {
			says := []string{m.Family, m.Given}
			if m.BirthDate != "" {
				says = append(says, "b. "+chart.SayDay(m.BirthDate))
			}
			row.Title = strings.Trim(strings.Join(says, ", "), ", ")
		}
	})
	return err
}
