package order

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"deftledger/core/chart"
	"deftledger/core/safety"
	"deftledger/store"
)

// CareWith returns what speaks for care with a medicine in a chart: allergies, what is
// taken already, and the newest filtration rate of the last year.
func (a *Acts) CareWith(q *store.Q, patient string) (func(medicine string) []safety.Warning, error) {
	ms, err := q.Medicines(patient)
	if err != nil {
		return nil, err
	}
	var taken []string
	for _, m := range ms {
		taken = append(taken, m.Name)
	}
	as, err := q.Allergies(patient)
	if err != nil {
		return nil, err
	}
	allergies := map[string]string{}
	for _, x := range as {
		allergies[x.Substance] = x.Reaction
	}
	rates, err := q.Course(patient, []string{filtrationRate})
	if err != nil {
		return nil, err
	}
	rate, said := 0.0, ""
	since := a.Clock().In(a.Location).AddDate(-1, 0, 0).Format(time.DateOnly)
	for _, r := range rates { // the newest comes last
		n, err := strconv.ParseFloat(strings.TrimPrefix(r.Value, ">"), 64)
		if day := a.DayOf(r.At); err == nil && day >= since && r.Unit == "mL/min/{1.73_m2}" {
			rate, said = n, fmt.Sprintf("%s %s on %s", r.Value, chart.ShownUnit(r.Unit), chart.SayDay(day))
		}
	}
	return func(medicine string) []safety.Warning {
		out := a.Medicines.Check(medicine, taken, allergies)
		if said != "" {
			out = append(out, a.Medicines.CheckKidney(medicine, rate, said)...)
		}
		return out
	}, nil
}

// filtrationRate is the LOINC code of the estimated glomerular filtration rate (2021).
const filtrationRate = "98979-8"
