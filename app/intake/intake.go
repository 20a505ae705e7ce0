package intake

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/app/visit"
	"deftledger/core/chart"
	"deftledger/core/note"
	"deftledger/core/outside"
	"deftledger/core/safety"
	"deftledger/store"
)

// EntryView is an entry of a list.
type EntryView struct {
	ID     string `json:"id"`
	Title  string `json:"title"`
	Detail string `json:"detail"`
	Since  string `json:"since"`
	Until  string `json:"until"`
	Source string `json:"source"`
	By     string `json:"by"`
	At     string `json:"at"`

	Medicine *MedicineFacts `json:"medicine,omitempty" doc:"Of an entry of the medicine list"`
	Allergy  *AllergyFacts  `json:"allergy,omitempty" doc:"Of an entry of the allergy list"`
}

// ListView is a list of the chart as the intake shows it.
type ListView struct {
	chart.ListKind
	Entries    []EntryView `json:"entries"`
	NoneKnown  string      `json:"noneKnown" doc:"Who stated when that there is none; empty when nobody did"`
	Reviewed   string      `json:"reviewed" doc:"Who reviewed it last, and when"`
	ReviewedAt string      `json:"reviewedAt"`
	Today      bool        `json:"today" doc:"It was reviewed at this visit"`
}

// IncomingView is an entry from outside beside what is in the chart.
type IncomingView struct {
	ID       string           `json:"id"`
	Source   string           `json:"source"`
	List     string           `json:"list"`
	Name     string           `json:"name"`
	Title    string           `json:"title"`
	Detail   string           `json:"detail"`
	Since    string           `json:"since"`
	Beside   string           `json:"beside" doc:"The entry of the chart it may be the same as"`
	Same     string           `json:"same" enum:"new,same,differs,asks" doc:"asks: it is not certain, and decided by itself"`
	Why      string           `json:"why" doc:"Why it stands so"`
	Decision outside.Decision `json:"decision" enum:"take in,leave out,join,"`
	By       string           `json:"by"`
	At       string           `json:"at"`
}

// IntakeView is the intake page of a visit.
type IntakeView struct {
	Visit     visit.VisitView  `json:"visit"`
	Lists     []ListView       `json:"lists"`
	Medicines ListView         `json:"medicines"`
	Stopped   []EntryView      `json:"stopped"`
	Care      []safety.Warning `json:"care" doc:"What speaks for care with the list of medicines as such"`
	Allergies ListView         `json:"allergies"`
	Vitals    []VitalRow       `json:"vitals"`
	Days      []string         `json:"days" doc:"Days of the earlier visits whose vital signs stand beside"`
	BMI       string           `json:"bmi"`
	Incoming  []IncomingView   `json:"incoming"`
	Kinds     []string         `json:"kinds"`
	Sources   []string         `json:"sources" doc:"Where more can be fetched from"`
	Device    bool             `json:"device"`
	Tests     []HouseDone      `json:"tests" doc:"Tests done in the house at this visit"`
	Vaccines  []GivenView      `json:"vaccines" doc:"Vaccines given at this visit"`
	Done      []StepDone       `json:"done"`
}

// StepDone says of a step of the intake whether it is done and by whom.
type StepDone struct {
	Step string `json:"step"`
	Done bool   `json:"done"`
	By   string `json:"by"`
}

// Intake reads the intake page.
func (a *Acts) Intake(ctx context.Context, who act.Actor, visitID string) (out IntakeView, err error) {
	l, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	patient := ""
	err = a.Look(ctx, who, act.DoIntake, func(q *store.Q) error {
		v, err := q.VisitByID(visitID)
		if err != nil {
			return act.NotFound(err, "visit")
		}
		patient = v.PatientID
		out = IntakeView{Visit: a.Visit.View(v, who), Lists: []ListView{}, Stopped: []EntryView{}, Care: []safety.Warning{}, Vitals: []VitalRow{}, Days: []string{},
			Incoming: []IncomingView{}, Kinds: []string{}, Sources: []string{}, Tests: []HouseDone{}, Vaccines: []GivenView{},
			Device: a.Elsewhere.Device != "", Done: []StepDone{}}
		for _, k := range l.Kinds {
			out.Kinds = append(out.Kinds, k.Name)
		}
		if a.Elsewhere.Pharmacy != "" {
			out.Sources = append(out.Sources, "pharmacy network")
		}
		if a.Elsewhere.Portal != "" {
			out.Sources = append(out.Sources, "the patient's own answers")
		}
		if err := a.Lists(q, v, &out); err != nil {
			return err
		}
		if err := a.vitalRows(q, v, &out); err != nil {
			return err
		}
		if out.Tests, err = a.houseDone(q, v.ID); err != nil {
			return err
		}
		if out.Vaccines, err = a.givenAt(q, v.ID); err != nil {
			return err
		}
		if err := a.incoming(q, v, &out); err != nil {
			return err
		}
		a.steps(v, &out)
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "open intake", patient, visitID)
	}
	return out, err
}

// Lists fills the lists with what was stated about them.
func (a *Acts) Lists(q *store.Q, v store.Visit, out *IntakeView) error {
	names, err := q.StaffNames()
	if err != nil {
		return err
	}
	statements, err := q.Statements(v.PatientID)
	if err != nil {
		return err
	}
	stated := func(l *ListView) {
		for _, s := range statements {
			if s.List != l.ID {
				continue
			}
			said := names[s.StaffID] + ", " + s.At.In(a.Location).Format("02 Jan 2006")
			switch s.Says {
			case "reviewed":
				l.Reviewed, l.ReviewedAt, l.Today = said, a.Say(s.At), s.VisitID == v.ID
			case "none known":
				l.NoneKnown = said
			case "taken back":
				l.NoneKnown = ""
			}
		}
	}
	entries, err := q.Histories(v.PatientID)
	if err != nil {
		return err
	}
	for _, k := range chart.HistoryLists {
		if k.ID == chart.ObstetricList && v.Patient.Sex == "M" {
			continue
		}
		l := ListView{ListKind: k, Entries: []EntryView{}}
		for _, e := range entries {
			if e.List == k.ID {
				l.Entries = append(l.Entries, EntryView{ID: e.ID, Title: e.Title, Detail: e.Detail, Since: e.Since, Until: e.Until, Source: e.Source,
					By: e.StatedBy, At: a.Say(e.StatedAt)})
			}
		}
		if stated(&l); len(l.Entries) > 0 {
			l.NoneKnown = "" // of two merged records one may have said so
		}
		out.Lists = append(out.Lists, l)
	}
	out.Medicines = ListView{ListKind: chart.MedicinesKind, Entries: []EntryView{}}
	care, held, err := a.Order.Care(q, v.PatientID)
	if err != nil {
		return err
	}
	out.Care = care.List
	for i, m := range held.Medicines {
		e := EntryView{ID: m.ID, Title: m.Name, Detail: m.Dose, Since: m.Started, Source: m.Source, By: names[m.AddedBy], Medicine: &MedicineFacts{
			Ingredients: append([]string{}, a.Medicines.Ingredients(m.Name)...), Dosage: m.Dosage, Why: m.Why, Told: m.Told.Says,
			ToldDetail: m.Told.Detail, Warnings: care.Each[i]}}
		if !m.AddedAt.IsZero() {
			e.At = a.Say(m.AddedAt)
		}
		if m.Dosage.Read() {
			e.Medicine.Reads = m.Dosage.Says()
		}
		if m.Told.Says != "" {
			e.Medicine.ToldBy = names[m.Told.By] + ", " + m.Told.At.In(a.Location).Format("02 Jan 2006")
		}
		out.Medicines.Entries = append(out.Medicines.Entries, e)
	}
	if stated(&out.Medicines); len(out.Medicines.Entries) > 0 {
		out.Medicines.NoneKnown = ""
	}
	stopped, err := q.StoppedMedicines(v.PatientID)
	if err != nil {
		return err
	}
	for _, m := range stopped {
		out.Stopped = append(out.Stopped, EntryView{ID: m.ID, Title: m.Name, Detail: strings.TrimSpace(m.Dose + " · " + m.Reason),
			Since: m.Started, Until: m.Stopped, By: names[m.By]})
	}
	out.Allergies = ListView{ListKind: chart.AllergiesKind, Entries: []EntryView{}}
	stated(&out.Allergies)
	out.Allergies.NoneKnown = ""
	for _, x := range held.Allergies {
		if x.Substance == "" {
			out.Allergies.NoneKnown = x.StatedBy + ", " + x.StatedAt.In(a.Location).Format("02 Jan 2006")
			continue
		}
		out.Allergies.Entries = append(out.Allergies.Entries,
			EntryView{ID: x.ID, Title: x.Substance, Detail: strings.Trim(x.Reaction+", "+x.Severity, ", "), Since: "", Until: "", Source: x.Source,
				By: x.StatedBy, At: a.Say(x.StatedAt), Allergy: a.allergyFacts(x)})
	}
	if len(out.Allergies.Entries) > 0 {
		out.Allergies.NoneKnown = ""
	}
	return nil
}

// steps says what of the intake is done, and by whom.
func (a *Acts) steps(v store.Visit, out *IntakeView) {
	add := func(step string, done bool, by string) { out.Done = append(out.Done, StepDone{step, done, by}) }
	add("Reason for visit", v.Reason != "", "")
	reviewed := func(ls ...ListView) (bool, string) {
		by := ""
		for _, l := range ls {
			if !l.Today {
				return false, ""
			}
			by = l.Reviewed
		}
		name, _, _ := strings.Cut(by, ",")
		return true, name
	}
	done, by := reviewed(out.Lists...)
	add("Histories", done, by)
	done, by = reviewed(out.Medicines)
	add("Medicines", done, by)
	done, by = reviewed(out.Allergies)
	add("Allergies", done, by)
	n, who := 0, ""
	for _, r := range out.Vitals {
		if len(r.Today) > 0 {
			n++
			who = r.Today[len(r.Today)-1].By
		}
	}
	add("Vital signs", n >= 4, who)
	waiting := 0
	for _, e := range out.Incoming {
		if e.Decision == "" {
			waiting++
		}
	}
	if len(out.Incoming) > 0 {
		add("Entries from outside", waiting == 0, "")
	}
}

// Change runs a change of the intake in the chart of a visit.
func (a *Acts) Change(ctx context.Context, who act.Actor, visitID, name string, f func(*act.Tx, store.Visit) error) (IntakeView, error) {
	err := a.Act(ctx, who, act.DoIntake, func(t *act.Tx) error {
		v, err := t.VisitByID(visitID)
		if err != nil {
			return act.NotFound(err, "visit")
		}
		if err := f(t, v); err != nil {
			return err
		}
		t.Tell(act.IntakeEvent, visitID, v.PatientID)
		if v.NoteID != "" {
			t.Tell(act.NoteEvent, v.NoteID, v.PatientID)
		}
		return t.Audit(name, v.PatientID, visitID, "")
	})
	if err != nil {
		return IntakeView{}, err
	}
	return a.Intake(ctx, who, visitID)
}

// NewEntry is an entry somebody adds to a list.
type NewEntry struct {
	List     string `json:"list" maxLength:"20"`
	Title    string `json:"title" maxLength:"200"`
	Detail   string `json:"detail" maxLength:"500"`
	Severity string `json:"severity" maxLength:"20"`

	Certainty string `json:"certainty,omitempty" maxLength:"20" doc:"Of an allergy: confirmed, likely, doubtful, refuted"`
	Tolerated string `json:"tolerated,omitempty" maxLength:"300" doc:"Of an allergy: what was borne since"`
	Why       string `json:"why,omitempty" maxLength:"300" doc:"Why a medicine was begun"`
	Typed     string `json:"typed,omitempty" maxLength:"400" doc:"A medicine with its dose as it was typed in one line; kept beside"`
	AsTyped   bool   `json:"asTyped,omitempty" doc:"Keep a dose without a unit as it was typed"`

	Since  string `json:"since" maxLength:"10"`
	Until  string `json:"until" maxLength:"10"`
	Source string `json:"-"` // where it came from, for what was taken in
}

// AddEntry adds an entry to a list of the chart.
func (a *Acts) AddEntry(ctx context.Context, who act.Actor, visitID string, e NewEntry) (IntakeView, error) {
	return a.Change(ctx, who, visitID, "add to "+e.List, func(t *act.Tx, v store.Visit) error {
		_, err := a.PutEntry(t, v, e)
		return err
	})
}

// PutEntry adds an entry to a list within an act and returns its identifier.
func (a *Acts) PutEntry(t *act.Tx, v store.Visit, e NewEntry) (string, error) {
	e.Title, e.Detail = chart.Tidy(e.Title), chart.Tidy(e.Detail)
	if e.Title == "" {
		return "", act.Refuse(act.Invalid, "Say what it is.")
	}
	for _, day := range []string{e.Since, e.Until} {
		if err := act.CheckVague(day); err != nil {
			return "", err
		}
	}
	if n := min(len(e.Since), len(e.Until)); n > 0 && e.Until[:n] < e.Since[:n] {
		return "", act.Refuse(act.Invalid, "It cannot have ended (%s) before it began (%s).", e.Until, e.Since)
	}
	if chart.SaysNone(e.Title) && (e.List == chart.MedicineList || e.List == chart.AllergyList) {
		return "", act.Refuse(act.Invalid, "“%s” is the statement that there is none, no entry: choose “%s” below the list.", e.Title,
			map[bool]string{true: chart.AllergiesKind.None, false: chart.MedicinesKind.None}[e.List == chart.AllergyList])
	}
	id := act.NewID()
	switch e.List {
	case chart.MedicineList:
		typed := cmp.Or(chart.Tidy(e.Typed), chart.Tidy(e.Title+" "+e.Detail))
		safe, err := chart.SafeDose(e.Detail)
		if err != nil {
			return "", act.Refuse(act.Invalid, "The dose: %s.", err)
		}
		e.Detail = safe
		dosage, unread := chart.ReadDosage(safe)
		if unread != "" && e.Source == "" && !e.AsTyped && chart.WithoutUnit(safe) {
			return "", act.Refuse(act.Conflict, "“%s”: of what? Write the unit, as in 10 mg or 1 tablet, or keep it as it is typed.", safe)
		}
		now, err := t.Medicines(v.PatientID)
		if err != nil {
			return "", err
		}
		for _, m := range now {
			if strings.EqualFold(m.Name, e.Title) && strings.EqualFold(m.Dose, e.Detail) {
				return "", act.Refuse(act.Invalid, "%s stands on the list already.", e.Title)
			}
		}
		if err := t.AddMedicine(chart.Medicine{ID: id, PatientID: v.PatientID, Name: e.Title, Dose: e.Detail, Started: e.Since, Source: e.Source,
			AddedBy: t.Who.ID, AddedAt: t.Now, Typed: typed, Dosage: dosage, Why: chart.Tidy(e.Why)}); err != nil {
			return "", err
		}
	case chart.AllergyList:
		now, err := t.Allergies(v.PatientID)
		if err != nil {
			return "", err
		}
		for _, x := range now {
			if x.Substance == "" {
				if err := t.EndAllergy(v.PatientID, x.ID, t.Now, t.Who.ID, "an allergy was recorded"); err != nil {
					return "", err
				}
			}
			if strings.EqualFold(x.Substance, e.Title) {
				return "", act.Refuse(act.Invalid, "%s stands on the list already.", e.Title)
			}
		}
		if !slices.Contains([]string{"", "mild", "moderate", "severe"}, e.Severity) {
			return "", act.Refuse(act.Invalid, "The severity is mild, moderate, severe or not known.")
		}
		if !slices.Contains(chart.Certainties, e.Certainty) {
			return "", act.Refuse(act.Invalid, "How sure it is: confirmed, likely, doubtful, refuted, or not said.")
		}
		if err := t.AddAllergy(chart.Allergy{ID: id, PatientID: v.PatientID, Substance: e.Title, Reaction: e.Detail, Severity: e.Severity,
			StatedAt: t.Now, StatedBy: t.Who.Name, Source: e.Source, Certainty: e.Certainty}); err != nil {
			return "", err
		}
		if what := chart.Tidy(e.Tolerated); what != "" {
			if err := t.AddTolerated(act.NewID(), id, v.PatientID, what, "", t.Who.ID, store.Stamp(t.Now)); err != nil {
				return "", err
			}
		}
	default:
		if !slices.ContainsFunc(chart.HistoryLists, func(k chart.ListKind) bool { return k.ID == e.List }) {
			return "", act.Refuse(act.Invalid, "There is no list %q.", e.List)
		}
		if err := t.AddHistory(chart.HistoryEntry{ID: id, PatientID: v.PatientID, List: e.List, Title: e.Title, Detail: e.Detail, Since: e.Since,
			Until: e.Until, Source: e.Source, StatedAt: t.Now, StatedBy: t.Who.Name}); err != nil {
			return "", err
		}
	}
	if e.List != chart.AllergyList {
		if err := a.takeBackNone(t, v, e.List); err != nil {
			return "", err
		}
	}
	t.Tell(act.PatientEvent, v.PatientID, v.PatientID)
	return id, nil
}

// takeBackNone takes back the statement that a list has no entries.
func (a *Acts) takeBackNone(t *act.Tx, v store.Visit, list string) error {
	ss, err := t.Statements(v.PatientID)
	if err != nil {
		return err
	}
	none := false
	for _, s := range ss {
		if s.List == list && s.Says != "reviewed" {
			none = s.Says == "none known"
		}
	}
	if !none {
		return nil
	}
	return t.AddStatement(chart.Statement{ID: act.NewID(), PatientID: v.PatientID, List: list, Says: "taken back", StaffID: t.Who.ID,
		At: t.Now, VisitID: v.ID})
}

// EndEntry ends an entry of a list, or stops a medicine, with a reason. An
// allergy is ended by a physician only.
func (a *Acts) EndEntry(ctx context.Context, who act.Actor, visitID, list, id, reason string) (IntakeView, error) {
	if err := act.Allow(who, act.DoIntake); err != nil {
		return IntakeView{}, err
	}
	if strings.TrimSpace(reason) == "" {
		return IntakeView{}, act.Refuse(act.Invalid, "Say why it ends.")
	}
	if list == chart.AllergyList {
		if err := act.Allow(who, act.EditProblems); err != nil {
			return IntakeView{}, err
		}
	}
	return a.Change(ctx, who, visitID, "end in "+list, func(t *act.Tx, v store.Visit) error {
		var err error
		switch list {
		case chart.MedicineList:
			err = t.StopMedicine(v.PatientID, id, a.Today(), reason, who.ID)
		case chart.AllergyList:
			err = t.EndAllergy(v.PatientID, id, t.Now, who.ID, reason)
			if err == nil {
				err = t.EndNoneKnown(v.PatientID, t.Now, who.ID, "an allergy had been recorded beside it")
			}
		default:
			err = t.EndHistory(v.PatientID, id, t.Now, who.ID, reason)
		}
		t.Tell(act.PatientEvent, v.PatientID, v.PatientID)
		return act.NotFound(err, "entry")
	})
}

// State attests something about lists: that they were reviewed, or that a list has
// no entries.
func (a *Acts) State(ctx context.Context, who act.Actor, visitID string, lists []string, says string) (IntakeView, error) {
	return a.Change(ctx, who, visitID, says+" "+strings.Join(lists, " "), func(t *act.Tx, v store.Visit) error {
		for _, l := range lists {
			if chart.ListName(l) == "" || says != "reviewed" && says != "none known" {
				return act.Refuse(act.Invalid, "There is no such list or statement.")
			}
			if says == "none known" {
				if err := a.noneKnown(t, v, l); err != nil {
					return err
				}
				if l == chart.AllergyList {
					continue
				}
			}
			if err := t.AddStatement(chart.Statement{ID: act.NewID(), PatientID: v.PatientID, List: l, Says: says, StaffID: who.ID, At: t.Now,
				VisitID: v.ID}); err != nil {
				return err
			}
		}
		return nil
	})
}

// noneKnown refuses the statement where there are entries. For allergies it is a
// row of the list itself.
func (a *Acts) noneKnown(t *act.Tx, v store.Visit, list string) error {
	refuseIf := func(n int) error {
		if n > 0 {
			return act.Refuse(act.Invalid, "The list has entries. End them first, with a reason each.")
		}
		return nil
	}
	switch list {
	case chart.AllergyList:
		as, err := t.Allergies(v.PatientID)
		if err != nil || len(as) > 0 && as[0].Substance == "" {
			return err
		}
		if err := refuseIf(len(as)); err != nil {
			return err
		}
		t.Tell(act.PatientEvent, v.PatientID, v.PatientID)
		return t.AddAllergy(chart.Allergy{ID: act.NewID(), PatientID: v.PatientID, StatedAt: t.Now, StatedBy: t.Who.Name})
	case chart.MedicineList:
		ms, err := t.Medicines(v.PatientID)
		if err != nil {
			return err
		}
		return refuseIf(len(ms))
	}
	hs, err := t.Histories(v.PatientID)
	if err != nil {
		return err
	}
	n := 0
	for _, h := range hs {
		if h.List == list {
			n++
		}
	}
	return refuseIf(n)
}

// SetReason records why the patient comes, what kind of visit it is and the room.
// A reason that brings other questions brings them into the draft.
func (a *Acts) SetReason(ctx context.Context, who act.Actor, visitID, reason, kind, room string, version int) (IntakeView, error) {
	if err := act.Allow(who, act.DoIntake); err != nil {
		return IntakeView{}, err
	}
	l, err := a.Forms.Current()
	if err != nil {
		return IntakeView{}, err
	}
	if !slices.ContainsFunc(l.Kinds, func(k note.VisitKind) bool { return k.Name == kind }) {
		return IntakeView{}, act.Refuse(act.Invalid, "There is no kind of visit %q.", kind)
	}
	return a.Change(ctx, who, visitID, "set reason for visit", func(t *act.Tx, v store.Visit) error {
		if v.NoteFolio > 0 {
			return act.Refuse(act.Conflict, "The note of this visit is signed.")
		}
		if err := t.Q.SetReason(visitID, chart.Tidy(reason), kind, strings.TrimSpace(room), version); err != nil {
			return act.Stale(err, "The visit")
		}
		t.Tell(act.VisitEvent, visitID, v.PatientID)
		if v.NoteID == "" {
			return nil
		}
		is, err := t.NoteInterviews(v.NoteID)
		if err != nil {
			return err
		}
		as, err := t.NoteAnswers(v.NoteID)
		if err != nil {
			return err
		}
		answered := map[string]bool{}
		for _, x := range as {
			answered[x.Form] = true
		}
		for _, i := range is {
			if !answered[i.Form] { // what was never answered gives way to what fits now
				if err := t.DropNoteInterview(v.NoteID, i.Form); err != nil {
					return err
				}
			}
		}
		v.Reason, v.Kind = reason, kind
		return a.Note.BeginWith(t, v.NoteID, v, l)
	})
}
