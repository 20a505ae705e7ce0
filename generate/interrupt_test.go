package generate_test

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app"
	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/prescription"
	"deftledger/core/safety"
	"deftledger/data"
	"deftledger/exchange/shipped"
	"deftledger/store"
)

// usual is what is often prescribed first at a visit, for a diagnosis; whoever prescribes so has
// not looked at the allergies yet.
var usual = map[string][2]string{"N39.0": {"Nitrofurantoin", "100 mg twice daily"}, "H66.90": {"Amoxicillin", "500 mg three times daily"}, "M54.50": {"Naproxen", "500 mg twice daily"},
	"M25.561": {"Naproxen", "500 mg twice daily"}, "L30.9": {"Triamcinolone cream", "apply twice daily"}, "R05.9": {"Benzonatate", "100 mg three times daily"}}

// Of 500 visits of a generated practice, the orders that a serious warning would interrupt: each
// medicine that was begun or is usual for the visit's diagnosis, held against the chart without
// itself, and the tests ordered, which interrupt nobody. The aim is fewer than 3 in 100 orders.
func TestHowOftenAnOrderIsInterrupted(t *testing.T) {
	s, keys, _ := practice(t, 260, 11)
	r, err := shipped.Read()
	require.NoError(t, err)
	day := time.Date(2026, 5, 4, 12, 0, 0, 0, time.UTC)
	a := app.New(act.Config{Store: s, Keys: keys, Laboratories: r.Laboratories, Location: time.UTC, Clock: func() time.Time { return day }, FormFiles: data.Forms, Medicines: r.Medicines,
		House: act.House{Tests: r.HouseTests, Vaccines: r.Vaccines}, Services: r.Services, Rules: r.RuleSource, Screens: r.Screens, MailRule: r.MailRule, Sensitive: r.Sensitive})
	visits, orders, prescriptions, interrupted, unknown := 0, 0, 0, 0, 0
	kinds := map[safety.Kind]int{}
	require.NoError(t, s.Read(ctx, func(q *store.Q) error {
		people, err := q.AllPatients()
		if err != nil {
			return err
		}
		for _, p := range people {
			held, err := a.Order.Record(q, p.ID, day.Format(time.DateOnly))
			if err != nil {
				return err
			}
			seen := 0
			for _, v := range held.Visits {
				if v.Seen {
					seen++
				}
			}
			if seen == 0 || visits >= 500 {
				continue
			}
			visits += seen
			placed, err := q.OrdersOf(p.ID)
			if err != nil {
				return err
			}
			for _, o := range placed {
				orders += len(o.Tests)
			}
			check := func(m chart.Medicine, without int) {
				chart := held
				chart.Medicines = slices.Clone(held.Medicines)
				if without >= 0 {
					chart.Medicines = slices.Delete(chart.Medicines, without, without+1)
				}
				prescriptions++
				orders++
				ws := r.Medicines.Check(chart, safety.Taking{Name: m.Name, Dose: m.Dose, Dosage: m.Dosage})
				if serious := prescription.Serious(ws); len(serious) > 0 {
					interrupted++
					kinds[serious[0].Kind]++
				}
				if slices.ContainsFunc(ws, func(w safety.Warning) bool { return w.Unknown }) {
					unknown++
				}
			}
			for i, m := range held.Medicines {
				check(m, i)
			}
			for _, x := range held.Problems {
				if u, is := usual[x.Code]; is {
					d, _ := chart.ReadDosage(u[1])
					check(chart.Medicine{Name: u[0], Dose: u[1], Dosage: d}, -1)
				}
			}
		}
		return nil
	}))
	require.GreaterOrEqual(t, visits, 500)
	t.Logf("%d visits: %d orders, %d of them prescriptions; %d interrupted (%.1f in 100 orders, %.1f in 100 prescriptions) %v; of %d something could not be checked", visits, orders, prescriptions, interrupted,
		100*float64(interrupted)/float64(orders), 100*float64(interrupted)/float64(prescriptions), kinds, unknown)
	require.Less(t, 100*float64(interrupted)/float64(orders), 3.0)
}
