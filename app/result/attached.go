package result

import (
	"context"
	"slices"

	"deftledger/app/act"
	"deftledger/core/result"
	"deftledger/exchange/hl7v2"
	"deftledger/store"
)

// Attached opens a file that came with the present issue of a report: its kind by its first bytes, and the bytes, which have been
// held against what was filed.
func (a *Acts) Attached(ctx context.Context, who act.Actor, report, sum string) (kind string, data []byte, err error) {
	var patient string
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		r, err := q.ReportByID(report)
		if err != nil {
			return act.NotFound(err, "report")
		}
		for _, v := range r.Values {
			if i := slices.IndexFunc(v.Details.Attached, func(f result.File) bool { return f.Sum == sum && sum != "" }); i >= 0 {
				kind = v.Details.Attached[i].Type
			}
		}
		if kind == "" {
			return act.Refuse(act.Missing, "There is no such file with this report.")
		}
		if data, err = a.FileOf(q, r, sum); err != nil {
			return err
		}
		patient = r.PatientID
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "open attachment", patient, report)
	}
	return kind, data, err
}

// FileOf is the bytes of a file that came with the present issue of a report, held against its SHA-256.
func (a *Acts) FileOf(q *store.Q, r store.Report, sum string) ([]byte, error) {
	in, err := q.IncomingByID(r.InboxID)
	if err != nil {
		return nil, act.NotFound(err, "message")
	}
	data, found := hl7v2.Attached(in.Raw, sum)
	if !found {
		return nil, act.Refuse(act.Missing, "The message no longer holds this file as it was filed. Tell whoever looks after the program.")
	}
	return data, nil
}
