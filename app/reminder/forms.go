package reminder

import (
	"context"
	"fmt"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/exchange/cql"
	"deftledger/exchange/fhir"
	"deftledger/exchange/pdf"
	"deftledger/store"
)

// RemindersFHIR gives a patient's reminders and vaccines out as a FHIR R4 Bundle: Immunization, ImmunizationRecommendation, Task.
func (a *Acts) RemindersFHIR(ctx context.Context, who act.Actor, patient string) (out []byte, err error) {
	err = a.Look(ctx, who, act.Remind, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		c, r, err := a.open(q, p.ID)
		if err != nil {
			return err
		}
		names, err := q.StaffNames()
		if err != nil {
			return err
		}
		x := fhir.Reminders{Day: a.Clock().In(a.Location), Patient: fhir.ClaimPatient{Record: p.Record, Family: p.Name.Family, Given: p.Name.Given, BirthDate: p.BirthDate,
			Gender: map[string]string{"F": "female", "M": "male", "O": "other", "U": "unknown"}[p.Sex]}}
		for _, i := range r.Immunizations {
			on := i.On
			if on == "" && !i.GivenAt.IsZero() {
				on = a.Say(i.GivenAt)
			}
			x.Vaccines = append(x.Vaccines, fhir.GivenVaccine{ID: i.ID, CVX: i.CVX, Name: i.Name, On: on, Lot: i.Lot, Expires: i.Expires, Maker: i.Maker, Dose: i.Dose, Route: i.Route, Site: i.Site,
				By: names[i.GivenBy], Source: i.Source})
		}
		for _, s := range c.All() {
			row := fhir.ReminderRow{Rule: s.Rule.ID, Version: fmt.Sprint(s.Rule.Version), Title: s.Rule.Title, Source: a.Rulebook().SourceOf(s.Rule), State: string(s.State), Says: c.Says(s), Due: s.Due.String(),
				Since: s.Since.String()}
			if s.Decided != nil {
				row.Reason = s.Decided.Reason
			}
			for _, x := range s.Rule.Resolve {
				row.Vaccines = append(row.Vaccines, x.Vaccine...)
			}
			x.Rows = append(x.Rows, row)
		}
		out, err = x.Build()
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "give reminders out", patient, "")
	}
	return out, err
}

// PlanFHIR is a rule, or a measure of quality, as FHIR R4 with its CQL library.
func (a *Acts) PlanFHIR(ctx context.Context, who act.Actor, id string) (out []byte, err error) {
	if !act.May(who.Role, act.SetRules) {
		if err := act.Allow(who, act.Remind); err != nil {
			return nil, err
		}
	}
	err = a.Store.Read(ctx, func(q *store.Q) error {
		source, own, _, err := a.RuleSource(q)
		if err != nil {
			return err
		}
		for _, f := range source.Files {
			if f.Rule.ID == id {
				out, err = cql.Plan(&f.Rule, source.Sets, own[id].Parameters)
				return err
			}
		}
		for _, m := range source.Measures {
			if "measure-"+m.ID == id {
				if out, err = cql.MeasureOf(&m, source.Sets); err != nil {
					return act.Refuse(act.Invalid, "The measure belongs to a visit, and cannot be written as a library.")
				}
				return nil
			}
		}
		return act.Refuse(act.Missing, "There is no such rule.")
	})
	return out, err
}

// LeafletPDF is what a rule says to the patient, on paper.
func (a *Acts) LeafletPDF(ctx context.Context, who act.Actor, patient, rule string) (out []byte, err error) {
	err = a.Look(ctx, who, act.Remind, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		r, known := a.Rulebook().Rule(rule)
		if !known || r.Leaflet == "" {
			return act.Refuse(act.Missing, "There is no leaflet of this rule.")
		}
		out, err = pdf.Render(pdf.Document{Practice: a.Practice, Title: r.Title, Patient: p.Name.Given + " " + p.Name.Family, Identity: "born " + chart.SayDay(p.BirthDate), Visit: a.Say(a.Clock()), Unsigned: true,
			Entries: []pdf.Entry{{Sections: []pdf.Section{{Text: r.Leaflet + "\n\nAfter: " + a.Rulebook().SourceOf(r)}}}}})
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "print a leaflet of a reminder", patient, rule)
	}
	return out, err
}
