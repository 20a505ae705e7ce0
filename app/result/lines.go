package result

import (
	"errors"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/exchange/hl7v2"
	"deftledger/store"
)

// Lines are the kinds of open line of this room: results to sign, and messages of which
// nobody knows for certain whose they are.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{
		{Kind: line.Report, List: act.ResultList, Fill: a.fillReports},
		{Kind: line.Held, List: act.ResultList, Right: act.MatchResult, Fill: a.fillHeld},
		{Kind: line.CalledIn, List: act.ResultList, Right: act.SeeResults, Fill: a.fillCalled},
		{Kind: line.Copied, List: act.ResultList, Fill: a.fillCopies},
	}
}

func (a *Acts) fillReports(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
	reports, err := q.ReportsIn(act.Subjects(rows))
	act.Describe(rows, reports, func(r store.Report) string { return r.ID }, func(row *act.LineRow, report store.Report) {
		r := a.Row(report)
		row.Title = r.Title + ", " + r.Status
		row.Waits, row.Again = r.Waits, r.Reopened
		if r.Reopened {
			row.Title += " after signing"
		}
		if row.State == line.Waiting {
			row.Title += ", handed over"
		}
		row.Flags = &act.LineFlags{Above: r.Above, Below: r.Below, Abnormal: r.Abnormal, NotJudged: r.NotJudged, InRange: r.InRange,
			Critical: r.Critical, CriticalOf: r.CriticalOf, Written: r.Written}
	})
	return err
}

func (a *Acts) fillHeld(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
	var numbers []int64
	for _, id := range act.Subjects(rows) {
		if p, ok := heldPart(id); ok {
			numbers = append(numbers, p.Inbox)
		}
	}
	messages, err1 := q.IncomingIn(numbers)
	parts, err2 := q.PartsIn(numbers)
	by := map[int64]store.Incoming{}
	read := map[int64]hl7v2.Results{} // a message of many patients is read once
	for _, m := range messages {
		by[m.ID], read[m.ID] = m, a.readable(m)
	}
	act.Describe(rows, parts, func(p store.PartState) string { return heldID(p.MessagePart) }, func(row *act.LineRow, p store.PartState) {
		m := a.heldView(by[p.Inbox], read[p.Inbox], p)
		row.Mark, row.Title = "to decide", "Cannot be read"
		if m.Readable {
			says := []string{m.Family, m.Given}
			if m.BirthDate != "" {
				says = append(says, "b. "+chart.SayDay(m.BirthDate))
			}
			row.Title = act.OrUnknown(strings.Trim(strings.Join(says, ", "), ", "), "nobody named")
		}
		for _, o := range m.Reports {
			for _, v := range o.Values {
				if strings.HasPrefix(v.Side, "critical") {
					row.Mark, row.Grave = "critical, to decide", true
				}
			}
		}
	})
	return errors.Join(err1, err2)
}
