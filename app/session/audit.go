package session

import (
	"context"

	"deftledger/app/act"
	"deftledger/store"
)

// AuditView is one recorded look or act.
type AuditView struct {
	ID      int64  `json:"id"`
	At      string `json:"at"`
	Who     string `json:"who"`
	Act     string `json:"act"`
	Patient string `json:"patient"`
	Subject string `json:"subject"`
}

// ReadAudit lists the audit for an administrator, newest first, before an id.
func (a *Acts) ReadAudit(ctx context.Context, who act.Actor, patient string, before int64) (out []AuditView, err error) {
	out = []AuditView{}
	err = a.Look(ctx, who, act.ReadAudit, func(q *store.Q) error {
		staff, err := q.AllStaff()
		if err != nil {
			return err
		}
		names := map[string]string{"": "the application"}
		for _, s := range staff {
			names[s.ID] = s.Name()
		}
		rows, err := q.AuditRows(patient, before, 200)
		if err != nil {
			return err
		}
		ids := make([]string, len(rows))
		for i, r := range rows {
			ids[i] = r.PatientID
		}
		records, err := q.RecordNumbers(ids)
		for _, r := range rows {
			out = append(out, AuditView{ID: r.ID, At: a.Say(store.Moment(r.At)), Who: names[r.StaffID], Act: r.Act, Patient: records[r.PatientID],
				Subject: r.Subject})
		}
		return err
	})
	return out, err
}
