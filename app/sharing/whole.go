package sharing

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/core/result"
	"deftledger/store"
)

// teamOf begins the identifier of the care team of a patient, which is no row of its own.
const teamOf = "team-"

// Whole is the chart as another house would read it: all of it, or some lists.
func (a *Acts) Whole(q *store.Q, p chart.Patient, lists ...string) (out outside.Record, err error) {
	needs := func(some ...string) bool {
		return len(lists) == 0 || slices.ContainsFunc(some, func(l string) bool { return slices.Contains(lists, l) })
	}
	var r chart.Record
	if needs(outside.Problems, outside.Allergies, outside.Medicines, outside.Immunizations, outside.Procedures, outside.Social, outside.Family) {
		if r, err = a.Order.Record(q, p.ID, a.Today()); err != nil {
			return out, err
		}
	}
	out = outside.Record{Title: "Summary of care", House: a.Practice, Patient: outside.Identity{Family: p.Name.Family, Given: p.Name.Given, BirthDate: p.BirthDate, Sex: p.Sex, Phone: p.Phone,
		Records: []outside.RecordNumber{{Number: p.Record, Assigner: a.Practice}}}}
	// Every copy says the same, so that none tells whether something was left out of it.
	out.Sections = []outside.Narrated{{Title: "About this copy", HTML: "Parts of a chart may be left out of a copy as the law allows, or at the patient's wish. Results that are not final, and files that came with results, are in none."}}
	held, err := q.InquiriesAbout(store.HeldBack, p.ID)
	if err != nil {
		return out, err
	}
	back := map[string]bool{} // reports, and orders whose reports, somebody holds back for a reason of the law
	for _, h := range held {
		var x struct{ Report, Order string }
		if err := json.Unmarshal(h.Said, &x); err != nil {
			return out, err
		}
		if h.State != store.InquiryOpen {
			continue
		}
		back[x.Report] = true
		if x.Order != "" {
			reports, err := q.ReportsOfOrder(x.Order)
			if err != nil {
				return out, err
			}
			for _, rep := range reports {
				back[rep.ID] = true
			}
		}
	}
	add := func(i outside.Item) {
		if needs(i.List) {
			out.Items = append(out.Items, i)
		}
	}
	for _, x := range r.Problems {
		add(outside.Item{List: outside.Problems, Ref: x.ID, At: x.Since, Title: x.Title, Status: outside.Active, Since: x.Onset, Codes: []outside.Code{{Code: x.Code, System: outside.ICD10, Title: x.Title}}})
	}
	for _, x := range r.Allergies {
		if x.Substance == "" {
			add(outside.Item{List: outside.Allergies, Ref: x.ID, None: true, Title: chart.AllergiesKind.None})
			continue
		}
		i := outside.Item{List: outside.Allergies, Ref: x.ID, At: a.Say(x.StatedAt), Title: x.Substance, Status: outside.Active, Detail: x.Reaction, Severity: x.Severity}
		if x.Severity != "" {
			i.Detail = strings.TrimPrefix(i.Detail+", "+x.Severity, ", ")
		}
		add(i)
	}
	for _, x := range r.Medicines {
		add(outside.Item{List: outside.Medicines, Ref: x.ID, At: a.Say(x.AddedAt), Title: x.Name, Detail: x.Dose, Status: outside.Active, Since: x.Started})
	}
	var stopped []store.StoppedMedicine
	if needs(outside.Medicines) {
		if stopped, err = q.StoppedMedicines(p.ID); err != nil {
			return out, err
		}
	}
	for _, x := range stopped {
		add(outside.Item{List: outside.Medicines, Ref: x.ID, At: x.Stopped, Title: x.Name, Detail: x.Dose, Status: outside.Ended, Since: x.Started, Until: x.Stopped})
	}
	for _, x := range r.Immunizations {
		i := outside.Item{List: outside.Immunizations, Ref: x.ID, At: a.Say(x.GivenAt), Title: x.Name, Status: outside.Given, Since: x.On, Codes: []outside.Code{{Code: x.CVX, System: outside.CVX, Title: x.Name}}}
		if i.Since == "" {
			i.Since = a.Say(x.GivenAt)
		}
		if x.Lot != "" {
			i.Detail = "lot " + x.Lot
		}
		add(i)
	}
	var vitals []chart.Vital
	if needs(outside.Vitals) {
		if vitals, err = q.VitalsOf(p.ID); err != nil {
			return out, err
		}
	}
	for _, x := range vitals {
		i := outside.Item{List: outside.Vitals, Ref: x.ID, At: a.Say(x.TakenAt), Title: x.Name, Since: a.Say(x.TakenAt), Value: x.Value, Unit: x.Unit}
		if x.LOINC != "" {
			i.Codes = []outside.Code{{Code: x.LOINC, System: outside.LOINC, Title: x.Name}}
		}
		i.Detail = outside.Measured(i)
		add(i)
	}
	var reports []store.Report
	if needs(outside.Results) {
		if reports, err = q.ReportsOf(p.ID); err != nil {
			return out, err
		}
	}
	for _, rep := range reports {
		if back[rep.ID] || rep.Status != "F" && rep.Status != "C" {
			continue
		}
		for k, x := range rep.Values {
			if !result.Live(x.Status) || x.Text == "" || len(x.Details.Attached) > 0 { // what stands for a file is no value
				continue
			}
			i := outside.Item{List: outside.Results, Ref: fmt.Sprint(rep.ID, " ", k+1), At: a.Say(rep.ReceivedAt), Title: x.Name, Since: rep.CollectedAt, Value: x.Text, Unit: x.Unit, Range: x.Range, Author: rep.Performer}
			i.Flag, _, _ = strings.Cut(x.Flag, "~")
			if x.LOINC != "" {
				i.Codes = []outside.Code{{Code: x.LOINC, System: outside.LOINC, Title: x.Name}}
			}
			i.Detail = outside.Measured(i)
			add(i)
		}
	}
	var visits []store.Visit
	if needs(outside.Encounters) {
		if visits, err = q.VisitsOf(p.ID); err != nil {
			return out, err
		}
	}
	for _, v := range visits {
		if v.NoteFolio > 0 && !v.NoteRetracted {
			add(outside.Item{List: outside.Encounters, Ref: v.ID, At: a.Say(v.StartsAt), Title: act.OrUnknown(v.Kind, "Visit"), Since: a.Say(v.StartsAt), Detail: v.Clinician})
		}
	}
	if needs(outside.Team) {
		usual, err := q.UsualClinician(p.ID)
		if err != nil {
			return out, err
		}
		if usual != "" {
			s, err := q.StaffByID(usual)
			if err != nil {
				return out, err
			}
			add(outside.Item{List: outside.Team, Ref: teamOf + p.ID, Title: s.Name(), Detail: s.Role})
		}
	}
	for _, x := range r.Histories {
		switch x.List {
		case chart.SurgicalList:
			add(outside.Item{List: outside.Procedures, Ref: x.ID, Title: x.Title, Status: outside.Done, Since: x.Since})
		case chart.SocialList:
			if x.Title != chart.Private {
				add(outside.Item{List: outside.Social, Ref: x.ID, Title: x.Title, Detail: x.Detail, Since: x.Since, Until: x.Until})
			}
		case chart.FamilyList:
			add(outside.Item{List: outside.Family, Ref: x.ID, Title: x.Title, Detail: x.Detail})
		}
	}
	return out, nil
}
