package order

import (
	"slices"

	"deftledger/core/chart"
	"deftledger/core/coding"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/core/safety"
	"deftledger/store"
)

// watched lists the quantities that rules read from a record.
func (a *Acts) watched() []string {
	out := slices.Concat(coding.EvidenceLOINC, note.MeasureLOINC(), a.Medicines.Watched())
	out = append(out, a.Rulebook().LOINC()...)
	slices.Sort(out)
	return slices.Compact(out)
}

// Record is what the chart of a person holds on a day (YYYY-MM-DD), with the classes of
// medicines and allergies, and what is in hand as coded facts.
func (a *Acts) Record(q *store.Q, patient, day string) (chart.Record, error) {
	return a.recordWith(q, patient, day, nil)
}

// Guarded is the Record with the severe allergies that other houses tell of and nobody has decided on: what is prescribed is held against
// them too. It is not what the chart says, and goes out with nothing.
func (a *Acts) Guarded(q *store.Q, patient, day string) (chart.Record, error) {
	r, err := a.Record(q, patient, day)
	if err != nil {
		return r, err
	}
	told, err := q.ReportedOf(patient)
	for _, x := range told {
		if slices.ContainsFunc(r.Allergies, func(y chart.Allergy) bool { return chart.Fold(y.Substance) == chart.Fold(x.Substance) }) {
			continue
		}
		r.Allergies = append(slices.DeleteFunc(r.Allergies, func(y chart.Allergy) bool { return y.Substance == "" }), chart.Allergy{PatientID: patient, Substance: x.Substance, Reaction: x.Reaction,
			Severity: "severe", Source: x.House, Certainty: chart.Reported, Classes: a.Medicines.AllergyClasses(x.Substance)})
	}
	return r, err
}

// recordWith is the Record with the values of more quantities than rules watch.
func (a *Acts) recordWith(q *store.Q, patient, day string, more []string) (chart.Record, error) {
	r, err := q.Record(patient, append(slices.Clone(a.loincs), more...))
	if err != nil {
		return r, err
	}
	a.fill(&r, day)
	return r, nil
}

// Records are the records of some people on a day (store.Records), and the extracts that were made of them.
func (a *Acts) Records(q *store.Q, people []chart.Patient, day string) ([]chart.Record, []store.Extract, error) {
	out, made, err := q.Records(people, a.loincs)
	for i := range out {
		a.fill(&out[i], day)
	}
	return out, made, err
}

// fill adds to a record what depends on the practice: days, classes, what a test measures.
func (a *Acts) fill(r *chart.Record, day string) {
	r.Zone, r.Day = a.Location, day
	for i := range r.Values {
		r.Values[i].Day = a.DayOf(r.Values[i].At)
	}
	r.Values = slices.DeleteFunc(r.Values, func(v chart.Value) bool { return v.Day > day })
	for i, m := range r.Medicines {
		r.Medicines[i].Classes, r.Medicines[i].Ingredients = a.Medicines.Classes(m.Name), a.Medicines.Ingredients(m.Name)
		r.Medicines[i].Name, r.Medicines[i].Dose = chart.ShownDose(m.Name), chart.ShownDose(m.Dose)
		if !m.Dosage.Read() {
			r.Medicines[i].Dosage = a.Medicines.Dosage(m.Dose) // entered by a former version
		}
	}
	for i, x := range r.Allergies {
		r.Allergies[i].Classes = a.Medicines.AllergyClasses(x.Substance)
	}
	for i, x := range r.InHand {
		r.InHand[i].Day = a.DayOf(x.Day)
		t, _ := a.Test(x.Party, x.Code)
		for _, y := range t.Analytes {
			r.InHand[i].Analytes = append(r.InHand[i].Analytes, y.LOINC)
		}
		if x.Prepared {
			r.InHand[i].Name, r.InHand[i].LOINC = t.Name, t.LOINC
		}
	}
	for i, x := range r.Services {
		if len(x.On) > len("2006-01-02") {
			r.Services[i].On = a.DayOf(x.On)
		}
	}
	for i, x := range r.Awaited {
		r.Awaited[i].Day = a.DayOf(x.Day)
	}
}

// Care is what speaks for care with the medicines of a chart today, all of them.
func (a *Acts) Care(q *store.Q, patient string) (safety.Whole, chart.Record, error) {
	r, err := a.Record(q, patient, a.Today())
	if err != nil {
		return safety.Whole{}, r, err
	}
	return a.Medicines.CheckAll(r), r, nil
}

// OpenTests says of each test that is ordered or prepared and has no final result yet
// since when it is.
func OpenTests(r chart.Record) map[string]string {
	out := map[string]string{}
	for _, x := range r.InHand {
		switch {
		case x.Prepared:
			out[x.Code] = "prepared, it waits for the signature"
		case x.State != string(order.Failed) && x.Reported != "F" && x.Reported != "C" && x.Reported != "X":
			out[x.Code] = "ordered on " + chart.SayDay(x.Day) + ", no final result yet"
		}
	}
	return out
}
