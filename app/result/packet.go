package result

import (
	"slices"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/core/result"
	"deftledger/core/safety"
	"deftledger/store"
)

// Together is reports of one patient as they are read together, with what of the chart stands beside all of them.
type Together struct {
	Reports []ReportView
	Stored  []store.Report // the same, as they are kept
	Care    []safety.Warning
	Beside  []BearingView
	Unread  []string
}

// Together reads reports of one patient.
func (a *Acts) Together(q *store.Q, who act.Actor, ids []string) (out Together, err error) {
	reports, err := q.ReportsIn(ids)
	if err != nil || len(reports) == 0 {
		return out, err
	}
	slices.SortStableFunc(reports, func(x, y store.Report) int { return slices.Index(ids, x.ID) - slices.Index(ids, y.ID) })
	var values []result.Value
	for _, r := range reports {
		values = append(values, r.Values...)
	}
	out.Stored = reports
	if out.Reports, err = a.views(q, who, reports); err != nil {
		return out, err
	}
	out.Care, out.Beside, out.Unread, err = a.ofChart(q, reports[0].PatientID, values)
	return out, err
}

// Rerank puts a report's line back where it stands by itself: open, or waiting for its laboratory.
func (a *Acts) Rerank(t *act.Tx, id string) error {
	r, err := t.ReportByID(id)
	if err != nil {
		return err
	}
	state := line.Open
	if result.Waits(r.Status) && r.SignedIssue == 0 {
		state = line.InHand
	}
	tell(t, r)
	return t.RankLine(line.Report, id, state, result.Rank(r.Status, r.SignedIssue > 0, r.Values))
}
