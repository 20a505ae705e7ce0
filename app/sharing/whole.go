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

// notThere is the section of what was asked about and is not there.
const notThere = "Asked, and not there"

// teamOf begins the identifier of the care team of a patient, which is no row of its own.
const teamOf = "team-"

// whole is a chart as it is put together for another house.
type whole struct {
	*Acts
	q     *store.Q
	p     chart.Patient
	lists []string // those that are wanted; none for all
	out   outside.Record
}

func (w *whole) needs(some ...string) bool {
	return len(w.lists) == 0 || slices.ContainsFunc(some, func(l string) bool { return slices.Contains(w.lists, l) })
}

func (w *whole) add(i outside.Item) {
	if w.needs(i.List) {
		w.out.Items = append(w.out.Items, i)
	}
}

// Whole is the chart as another house would read it: all of it, or some lists.
func (a *Acts) Whole(q *store.Q, p chart.Patient, lists ...string) (outside.Record, error) {
	w := whole{Acts: a, q: q, p: p, lists: lists, out: outside.Record{Title: "Summary of care", House: a.Practice,
		Patient: outside.Identity{Family: p.Name.Family, Given: p.Name.Given, BirthDate: p.BirthDate, Sex: p.Sex, Phone: p.Phone, Records: []outside.RecordNumber{{Number: p.Record, Assigner: a.Practice}}}}}
	// Every copy says the same, so that none tells whether something was left out of it.
	w.out.Sections = []outside.Narrated{{Title: "About this copy", HTML: "Parts of a chart may be left out of a copy as the law allows, or at the patient's wish. Results that are not final are in none."}}
	for _, step := range []func() error{w.listed, w.stopped, w.vitals, w.results, w.asked, w.visits, w.team} {
		if err := step(); err != nil {
			return w.out, err
		}
	}
	return w.out, nil
}

func told(what, words string) string {
	if words == "" {
		return ""
	}
	return what + ": " + words
}

// histories are the lists of which an entry of a history may be.
var histories = []string{outside.Problems, outside.Procedures, outside.Devices, outside.Encounters, outside.Social, outside.Family}

// record is the chart; where only some lists are wanted, only those are read.
func (w *whole) record() (r chart.Record, err error) {
	if len(w.lists) == 0 {
		return w.Order.Record(w.q, w.p.ID, w.Today())
	}
	read := func(wanted bool, what func() error) {
		if wanted && err == nil {
			err = what()
		}
	}
	read(w.needs(outside.Problems), func() error { r.Problems, err = w.q.Problems(w.p.ID); return err })
	read(w.needs(outside.Allergies), func() error { r.Allergies, err = w.q.Allergies(w.p.ID); return err })
	read(w.needs(outside.Medicines), func() error { r.Medicines, err = w.q.Medicines(w.p.ID); return err })
	read(w.needs(outside.Medicines), func() error { r.Statements, err = w.q.Statements(w.p.ID); return err })
	read(w.needs(outside.Immunizations), func() error { r.Immunizations, err = w.q.AllImmunizations(w.p.ID); return err })
	read(w.needs(histories...), func() error { r.Histories, err = w.q.Histories(w.p.ID); return err })
	for i, m := range r.Medicines {
		r.Medicines[i].Name, r.Medicines[i].Dose = chart.ShownDose(m.Name), chart.ShownDose(m.Dose)
	}
	return r, err
}

// listed are the lists of the chart.
func (w *whole) listed() error {
	r, err := w.record()
	if err != nil {
		return err
	}
	for _, x := range r.Problems {
		w.add(outside.Item{List: outside.Problems, Ref: x.ID, At: x.Since, Title: x.Title, Status: outside.Active, Since: x.Onset, Note: told("How it stands", x.State),
			Codes: []outside.Code{{Code: x.Code, System: outside.ICD10, Title: x.Title}}})
	}
	for _, x := range r.Allergies {
		w.allergy(x)
	}
	for _, x := range r.Medicines {
		i := outside.Item{List: outside.Medicines, Ref: x.ID, At: w.Say(x.AddedAt), Title: x.Name, Detail: x.Dose, Status: outside.Active, Since: x.Started, Reason: x.Why, Note: told("Source", x.Source)}
		if x.Told.Says != "" && x.Told.Says != "taking" {
			i.Note = outside.Joined("; ", "Told on "+chart.SayDay(w.DayOf(store.Stamp(x.Told.At)))+": "+x.Told.Says, x.Told.Detail, i.Note)
		}
		w.add(i)
	}
	w.none(r)
	for _, x := range r.Immunizations {
		i := outside.Item{List: outside.Immunizations, Ref: x.ID, At: w.Say(x.GivenAt), Title: x.Name, Status: outside.Given, Since: x.On, Note: told("Source", x.Source),
			Codes: []outside.Code{{Code: x.CVX, System: outside.CVX, Title: x.Name}}}
		if i.Since == "" {
			i.Since = w.Say(x.GivenAt)
		}
		if x.Lot != "" {
			i.Detail = "lot " + x.Lot
		}
		w.add(i)
	}
	for _, x := range r.Histories {
		if i, given := outside.OfHistory(x); given {
			i.At, i.Note = w.Say(x.StatedAt), outside.Joined("; ", i.Note, told("Source", x.Source))
			if i.List == outside.Encounters { // of which nothing is remarked elsewhere
				i.Note = ""
			}
			w.add(i)
		}
	}
	return nil
}

// allergy is one with how sure it is: what was refuted goes out as refuted, and what is doubtful as not certain.
func (w *whole) allergy(x chart.Allergy) {
	if x.Substance == "" {
		w.add(outside.Item{List: outside.Allergies, Ref: x.ID, None: true, Title: chart.AllergiesKind.None})
		return
	}
	i := outside.Item{List: outside.Allergies, Ref: x.ID, At: w.Say(x.StatedAt), Title: x.Substance, Status: outside.Active, Detail: x.Reaction, Severity: x.Severity, Certainty: x.Certainty,
		Note: outside.Joined("; ", told("Borne since", x.Tolerated), told("Source", x.Source))}
	switch x.Certainty {
	case "likely", "doubtful":
		i.Status, i.Doubt = outside.NotCertain, "it is unconfirmed there"
	case "refuted":
		i.Status, i.Doubt = outside.Denied, "the record says that it is not there"
	}
	if x.Severity != "" {
		i.Detail = strings.TrimPrefix(i.Detail+", "+x.Severity, ", ")
	}
	w.add(i)
}

// none are the statements that there is nothing in a list: that of medicines is an entry, the others are told in words. A list that is
// empty without one is one that nobody has asked about.
func (w *whole) none(r chart.Record) {
	last := map[string]chart.Statement{}
	for _, s := range r.Statements {
		if s.Says != "reviewed" {
			last[s.List] = s
		}
	}
	var words []string
	for _, k := range append([]chart.ListKind{chart.MedicinesKind}, chart.HistoryLists...) {
		s, said := last[k.ID]
		switch {
		case !said || s.Says != "none known" || k.None == "":
		case k.ID == chart.MedicineList && len(r.Medicines) == 0:
			w.add(outside.Item{List: outside.Medicines, Ref: s.ID, At: w.Say(s.At), None: true, Title: k.None})
		case k.ID != chart.MedicineList && !slices.ContainsFunc(r.Histories, func(h chart.HistoryEntry) bool { return h.List == k.ID }):
			words = append(words, k.Name+": "+k.None+", said on "+chart.SayDay(w.DayOf(store.Stamp(s.At))))
		}
	}
	if len(words) > 0 && len(w.lists) == 0 {
		w.out.Sections = append(w.out.Sections, outside.Narrated{Title: notThere, HTML: strings.Join(words, "\n")})
	}
}

func (w *whole) stopped() error {
	if !w.needs(outside.Medicines) {
		return nil
	}
	stopped, err := w.q.StoppedMedicines(w.p.ID)
	for _, x := range stopped {
		w.add(outside.Item{List: outside.Medicines, Ref: x.ID, At: x.Stopped, Title: x.Name, Detail: x.Dose, Status: outside.Ended, Since: x.Started, Until: x.Stopped, Note: told("Stopped", x.Reason)})
	}
	return err
}

func (w *whole) vitals() error {
	if !w.needs(outside.Vitals) {
		return nil
	}
	vitals, err := w.q.VitalsOf(w.p.ID)
	for _, x := range vitals {
		i := outside.Item{List: outside.Vitals, Ref: x.ID, At: w.Say(x.TakenAt), Title: x.Name, Since: w.Say(x.TakenAt), Value: x.Value, Unit: x.Unit}
		if x.LOINC != "" {
			i.Codes = []outside.Code{{Code: x.LOINC, System: outside.LOINC, Title: x.Name}}
		}
		i.Detail = outside.Measured(i)
		w.add(i)
	}
	return err
}

// results are the values of final reports. Vital signs that another house measured are vital signs again.
func (w *whole) results() error {
	if !w.needs(outside.Results, outside.Vitals) {
		return nil
	}
	reports, err := w.given(w.q, w.p.ID)
	if err != nil {
		return err
	}
	for _, rep := range reports {
		for k, x := range rep.Values {
			if !result.Live(x.Status) || x.Text == "" || len(x.Details.Attached) > 0 { // what stands for a file is no value
				continue
			}
			i := outside.Item{List: outside.Results, Ref: fmt.Sprint(rep.ID, " ", k+1), At: w.Say(rep.ReceivedAt), Title: x.Name, Since: rep.CollectedAt, Value: x.Text, Unit: x.Unit, Range: x.Range, Author: rep.Performer}
			i.Flag, _, _ = strings.Cut(x.Flag, "~")
			if x.LOINC != "" {
				i.Codes = []outside.Code{{Code: x.LOINC, System: outside.LOINC, Title: x.Name}}
			}
			if _, vital := chart.Kind(x.LOINC); vital || x.LOINC == chart.BodyMass {
				i.List = outside.Vitals
			}
			if i.Note = strings.Join(strings.Fields(x.Notes), " "); k == 0 {
				i.Note = outside.Joined("; ", i.Note, told("Of the whole report", strings.Join(strings.Fields(rep.Notes), " ")))
			}
			i.Detail = outside.Measured(i)
			w.add(i)
		}
	}
	return nil
}

// asked are what was had elsewhere and told for the sake of a reminder, and questionnaires with their scores.
func (w *whole) asked() error {
	if w.needs(outside.Procedures) {
		care, err := w.q.CareOf(w.p.ID)
		if err != nil {
			return err
		}
		for _, c := range care {
			if c.Kind == store.CareService && c.BackAt.IsZero() {
				name := strings.ReplaceAll(c.Name, "-", " ")
				w.add(outside.Item{List: outside.Procedures, Ref: c.ID, At: w.Say(c.At), Title: strings.ToUpper(name[:1]) + name[1:], Since: c.Day, Status: outside.Done, Note: outside.Joined("; ", told("Found", c.Says), told("Source", c.Source))})
			}
		}
	}
	if !w.needs(outside.Results) {
		return nil
	}
	screens, err := w.q.ScreensOf(w.p.ID)
	for _, s := range screens {
		if !s.StruckAt.IsZero() || s.Total == "" {
			continue
		}
		i := outside.Item{List: outside.Results, Class: outside.Survey, Ref: s.ID, At: w.Say(s.At), Title: s.Name, Since: w.Say(s.At), Value: s.Total, Note: s.Says}
		if s.LOINC != "" {
			i.Codes = []outside.Code{{Code: s.LOINC, System: outside.LOINC, Title: s.Name}}
		}
		i.Detail = outside.Measured(i)
		w.add(i)
	}
	return err
}

// given are the reports of a patient that a copy may hold: final ones that nobody holds back for a reason of the law.
func (a *Acts) given(q *store.Q, patient string) ([]store.Report, error) {
	held, err := q.InquiriesAbout(store.HeldBack, patient)
	if err != nil {
		return nil, err
	}
	back := map[string]bool{} // reports, and orders whose reports are held back
	for _, h := range held {
		var x struct{ Report, Order string }
		if err := json.Unmarshal(h.Said, &x); err != nil {
			return nil, err
		}
		if h.State != store.InquiryOpen {
			continue
		}
		back[x.Report] = true
		if x.Order != "" {
			reports, err := q.ReportsOfOrder(x.Order)
			if err != nil {
				return nil, err
			}
			for _, rep := range reports {
				back[rep.ID] = true
			}
		}
	}
	reports, err := q.ReportsOf(patient)
	return slices.DeleteFunc(reports, func(r store.Report) bool { return back[r.ID] || r.Status != "F" && r.Status != "C" }), err
}

func (w *whole) visits() error {
	if !w.needs(outside.Encounters) {
		return nil
	}
	visits, err := w.q.VisitsOf(w.p.ID)
	for _, v := range visits {
		if v.NoteFolio > 0 && !v.NoteRetracted {
			w.add(outside.Item{List: outside.Encounters, Ref: v.ID, At: w.Say(v.StartsAt), Title: act.OrUnknown(v.Kind, "Visit"), Since: w.Say(v.StartsAt), Detail: v.Clinician, Class: "AMB"})
		}
	}
	return err
}

func (w *whole) team() error {
	if !w.needs(outside.Team) {
		return nil
	}
	usual, err := w.q.UsualClinician(w.p.ID)
	if err != nil || usual == "" {
		return err
	}
	s, err := w.q.StaffByID(usual)
	w.add(outside.Item{List: outside.Team, Ref: teamOf + w.p.ID, Title: s.Name(), Detail: s.Role})
	return err
}
