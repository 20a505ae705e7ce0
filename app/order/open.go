package order

import (
	"time"

	"deftledger/core/chart"
	"deftledger/core/order"
	"deftledger/store"
)

// OpenTests says of each test that is ordered or prepared and has no final result yet
// since when it is.
func (a *Acts) OpenTests(q *store.Q, patient string) (map[string]string, error) {
	out := map[string]string{}
	orders, err := q.OrdersOf(patient)
	if err != nil {
		return nil, err
	}
	for _, o := range orders {
		if o.State == order.Cancelled || o.State == order.Failed {
			continue
		}
		for _, t := range o.Tests {
			if t.ReportStatus != "F" && t.ReportStatus != "C" && t.ReportStatus != "X" {
				out[t.Code] = "ordered on " + chart.SayDay(o.SignedAt.In(a.Location).Format(time.DateOnly)) + ", no final result yet"
			}
		}
	}
	prepared, err := q.PreparedOf(patient)
	for _, p := range prepared {
		for _, t := range p.Tests {
			out[t.Test] = "prepared, it waits for the signature"
		}
	}
	return out, err
}
