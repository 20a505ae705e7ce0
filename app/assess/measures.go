package assess

import (
	"context"
	"slices"
	"time"

	"deftledger/app/act"
	"deftledger/core/measure"
	"deftledger/core/order"
	"deftledger/store"
)

// MeasuresOf says which measures of quality concern the patient of a note, and whether
// this visit meets them, missed ones first.
func (a *Acts) MeasuresOf(ctx context.Context, who act.Actor, noteID string) (out []measure.Outcome, err error) {
	out = []measure.Outcome{}
	err = a.Look(ctx, who, act.WriteNote, func(q *store.Q) error {
		n, v, err := act.NoteVisit(q, noteID)
		if err != nil {
			return err
		}
		f, err := a.measured(q, n, v)
		out = measure.Judge(a.Measures, f)
		return err
	})
	return out, err
}

// measured gathers what the measures are judged by. Text that was carried and not looked
// at plays no part: only coded and recorded facts do.
func (a *Acts) measured(q *store.Q, n store.Note, v store.Visit) (measure.Facts, error) {
	f := measure.Facts{Day: v.Day, Months: a.Months(v), Reviewed: map[string]string{}}
	ds, err := q.Diagnoses(n.ID)
	if err != nil {
		return f, err
	}
	for _, d := range ds {
		f.Diagnoses = append(f.Diagnoses, d.Code)
	}
	problems, err := q.Problems(n.PatientID)
	if err != nil {
		return f, err
	}
	for _, p := range problems {
		f.Diagnoses = append(f.Diagnoses, p.Code)
	}
	ms, err := q.Medicines(n.PatientID)
	if err != nil {
		return f, err
	}
	for _, m := range ms {
		f.Classes = append(f.Classes, a.Medicines.Classes(m.Name)...)
	}
	allergies, err := q.Allergies(n.PatientID)
	if err != nil {
		return f, err
	}
	for _, x := range allergies {
		f.Allergic = append(f.Allergic, a.Medicines.Classes(x.Substance)...)
	}
	var loincs []string
	for _, r := range a.Measures {
		for _, need := range r.Values {
			loincs = append(loincs, need.LOINC...)
		}
	}
	values, err := q.Course(n.PatientID, loincs)
	if err != nil {
		return f, err
	}
	for _, x := range values {
		f.Values = append(f.Values, measure.Value{LOINC: x.LOINC, Text: x.Value, Unit: x.Unit, Day: a.DayOf(x.At)})
	}
	statements, err := q.Statements(n.PatientID)
	if err != nil {
		return f, err
	}
	for _, s := range statements {
		f.Reviewed[s.List] = s.At.In(a.Location).Format(time.DateOnly)
	}
	histories, err := q.Histories(n.PatientID)
	if err != nil {
		return f, err
	}
	for _, h := range histories {
		day := h.StatedAt.In(a.Location).Format(time.DateOnly)
		f.Entries = append(f.Entries, measure.Entry{List: h.List, Title: h.Title, Day: max(day, f.Reviewed[h.List])})
	}
	orders, err := q.OrdersOf(n.PatientID)
	if err != nil {
		return f, err
	}
	for _, o := range orders {
		if o.VisitID != v.ID || o.State == order.Cancelled {
			continue
		}
		for _, t := range o.Tests {
			for _, x := range a.TestByCode[t.Code].Analytes {
				if !slices.Contains(f.InHand, x.LOINC) {
					f.InHand = append(f.InHand, x.LOINC)
				}
			}
		}
	}
	return f, nil
}
