package intake

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/store"
)

// VitalRow is one vital sign: today's values beside those of the last visits.
type VitalRow struct {
	LOINC   string      `json:"loinc"`
	Name    string      `json:"name"`
	Unit    string      `json:"unit" doc:"UCUM"`
	Shown   string      `json:"shown"`
	Today   []VitalMark `json:"today"`
	Mean    string      `json:"mean"`
	Earlier []string    `json:"earlier" doc:"One for each of the earlier visits; empty where it was not taken"`
}

// VitalMark is one measurement of today.
type VitalMark struct {
	ID      string `json:"id"`
	Value   string `json:"value"`
	Entered string `json:"entered"`
	At      string `json:"at"`
	Origin  string `json:"origin"`
	By      string `json:"by"`
}

// vitalColumns is how many earlier visits stand beside today's vital signs.
const vitalColumns = 4

func (a *Acts) vitalRows(q *store.Q, v store.Visit, out *IntakeView) error {
	all, err := q.VitalsOf(v.PatientID)
	if err != nil {
		return err
	}
	names, err := q.StaffNames()
	if err != nil {
		return err
	}
	var days []string
	by := map[string]map[string]string{}
	for _, x := range all {
		day := x.TakenAt.In(a.Location).Format(time.DateOnly)
		if x.VisitID == v.ID || day >= v.Day {
			continue
		}
		if by[day] == nil {
			by[day] = map[string]string{}
			days = append(days, day)
		}
		by[day][x.LOINC] = x.Value
	}
	slices.Sort(days)
	days = days[max(0, len(days)-vitalColumns):]
	out.Days = append(out.Days, days...)
	age := a.Months(v)
	var weight, height string
	for _, k := range chart.VitalKinds {
		if k.MaxAge > 0 && (age < 0 || age >= k.MaxAge) {
			continue
		}
		r := VitalRow{LOINC: k.LOINC, Name: k.Name, Unit: k.Unit, Shown: chart.ShownUnit(k.Unit), Today: []VitalMark{}, Earlier: []string{}}
		var values []string
		for _, x := range all {
			if x.LOINC == k.LOINC && (x.VisitID == v.ID || x.VisitID == "" && x.TakenAt.In(a.Location).Format(time.DateOnly) == v.Day) {
				by := names[x.ByID]
				r.Today = append(r.Today, VitalMark{ID: x.ID, Value: x.Value, Entered: x.Entered, At: a.Say(x.TakenAt), Origin: x.Origin, By: by})
				values = append(values, x.Value)
			}
		}
		r.Mean, _ = chart.MeanPressure(values)
		if n := len(values); n > 0 {
			switch k.LOINC {
			case chart.Weight:
				weight = values[n-1]
			case chart.Height:
				height = values[n-1]
			}
		}
		for _, d := range days {
			r.Earlier = append(r.Earlier, by[d][k.LOINC])
		}
		out.Vitals = append(out.Vitals, r)
	}
	if height == "" { // an adult's height of an earlier visit serves
		for _, x := range all {
			if x.LOINC == chart.Height && age >= 240 {
				height = x.Value
			}
		}
	}
	out.BMI, _ = chart.BMI(weight, height, age)
	return nil
}

// VitalTaken is the answer to a vital sign: kept, or a question that has to be
// confirmed first.
type VitalTaken struct {
	Questions []string    `json:"questions"`
	Intake    *IntakeView `json:"intake,omitempty"`
}

// VitalEntry is a vital sign as typed.
type VitalEntry struct {
	LOINC string `json:"loinc" maxLength:"20"`
	Text  string `json:"text" maxLength:"30"`
}

// TakeVitals keeps vital signs of a visit, all or none. Impossible values are
// refused; unusual ones are asked about and kept once confirmed.
func (a *Acts) TakeVitals(ctx context.Context, who act.Actor, visitID string, entries []VitalEntry, confirmed bool) (VitalTaken, error) {
	var ms []chart.Measured
	for _, e := range entries {
		m, err := chart.ReadVital(e.LOINC, e.Text)
		if err != nil {
			k, _ := chart.Kind(e.LOINC)
			return VitalTaken{}, act.Refuse(act.Invalid, "%s: %s.", k.Name, strings.TrimPrefix(err.Error(), chart.ErrVital.Error()+": "))
		}
		ms = append(ms, m)
	}
	return a.KeepVitals(ctx, who, visitID, ms, confirmed, "typed", time.Time{}, nil)
}

// KeepVitals keeps measurements, typed or of a device, after asking about unlikely ones,
// and saying what else there is to say.
func (a *Acts) KeepVitals(ctx context.Context, who act.Actor, visitID string, ms []chart.Measured, confirmed bool, origin string,
	at time.Time, also []string) (VitalTaken, error) {
	out := VitalTaken{Questions: append([]string{}, also...)}
	i, err := a.Change(ctx, who, visitID, "take vital signs", func(t *act.Tx, v store.Visit) error {
		if v.NoteFolio > 0 {
			return act.Refuse(act.Conflict, "The note of this visit is signed.")
		}
		all, err := t.VitalsOf(v.PatientID)
		if err != nil {
			return err
		}
		months := a.Months(v)
		for _, m := range ms {
			k, _ := chart.Kind(m.LOINC)
			if k.MaxAge > 0 && (months < 0 || months >= k.MaxAge) {
				return act.Refuse(act.Invalid, "%s is taken below %d months of age.", k.Name, k.MaxAge)
			}
			var last *chart.Earlier
			for _, x := range all {
				if x.LOINC == m.LOINC {
					last = &chart.Earlier{Value: x.Value, Day: x.TakenAt.In(a.Location).Format("02 Jan 2006")}
				}
			}
			if q := k.Question(m, months, last); q != "" {
				out.Questions = append(out.Questions, q)
			}
		}
		if len(out.Questions) > 0 && !confirmed {
			return act.ErrAsked
		}
		taken := at
		if taken.IsZero() {
			taken = t.Now
		}
		for _, m := range ms {
			k, _ := chart.Kind(m.LOINC)
			if err := t.AddVital(chart.Vital{ID: act.NewID(), PatientID: v.PatientID, LOINC: m.LOINC, Name: k.Name, Value: m.Value, Unit: m.Unit,
				TakenAt: taken, VisitID: v.ID, Origin: origin, Entered: m.Entered, ByID: who.ID}); err != nil {
				return err
			}
		}
		if bmi, replaced, ok := chart.MassIndex(all, ms, v.ID, months); ok {
			for _, id := range replaced {
				if err := t.StrikeVital(v.PatientID, id, who.ID, t.Now); err != nil {
					return err
				}
			}
			if err := t.AddVital(chart.Vital{ID: act.NewID(), PatientID: v.PatientID, LOINC: chart.BodyMass, Name: "Body-mass index", Value: bmi,
				Unit: "kg/m2", TakenAt: taken, VisitID: v.ID, Origin: origin, ByID: who.ID}); err != nil {
				return err
			}
		}
		t.Tell(act.PatientEvent, v.PatientID, v.PatientID)
		return nil
	})
	if errors.Is(err, act.ErrAsked) {
		return out, nil
	}
	if err == nil {
		out.Intake = &i
		out.Questions = []string{}
	}
	return out, err
}

// StrikeVital takes a wrong measurement back; it stays in the chart, struck.
func (a *Acts) StrikeVital(ctx context.Context, who act.Actor, visitID, id string) (IntakeView, error) {
	return a.Change(ctx, who, visitID, "strike vital sign", func(t *act.Tx, v store.Visit) error {
		if v.NoteFolio > 0 {
			return act.Refuse(act.Conflict, "The note of this visit is signed. Write an amendment instead.")
		}
		t.Tell(act.PatientEvent, v.PatientID, v.PatientID)
		all, err := t.VitalsAt(v.ID)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(all, func(x chart.Vital) bool { return x.ID == id }) {
			return act.Refuse(act.Missing, "There is no such measurement of this visit.") // what another visit shows is not changed from here
		}
		for _, x := range all {
			gone := x.ID == id && (x.LOINC == chart.Weight || x.LOINC == chart.Height)
			for _, y := range all {
				if gone && y.LOINC == chart.BodyMass { // computed from it
					if err := t.Q.StrikeVital(v.PatientID, y.ID, who.ID, t.Now); err != nil {
						return err
					}
				}
			}
		}
		return act.NotFound(t.Q.StrikeVital(v.PatientID, id, who.ID, t.Now), "measurement")
	})
}

// VitalPoint is one measurement for a plot.
type VitalPoint struct {
	LOINC string `json:"loinc"`
	Name  string `json:"name"`
	Value string `json:"value"`
	Shown string `json:"shown"`
	At    string `json:"at"`
}

// VitalHistory lists all measurements of a patient, oldest first.
func (a *Acts) VitalHistory(ctx context.Context, who act.Actor, patient string) (out []VitalPoint, err error) {
	out = []VitalPoint{}
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		all, err := q.VitalsOf(patient)
		for _, v := range all {
			out = append(out, VitalPoint{LOINC: v.LOINC, Name: v.Name, Value: v.Value, Shown: chart.ShownUnit(v.Unit), At: a.Say(v.TakenAt)})
		}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "look at vital signs", patient, "")
	}
	return out, err
}
