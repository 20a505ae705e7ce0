package chart

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"

	"deftledger/app/act"
	orders "deftledger/app/order"
	results "deftledger/app/result"
	"deftledger/app/visit"
	"deftledger/core/chart"
	"deftledger/core/circle"
	"deftledger/core/safety"
	"deftledger/store"
)

// Found is somebody found by the finder.
type Found struct {
	act.PatientView
	Closed bool `json:"closed" doc:"The chart opens after a sentence why"`
}

// Find finds patients for the finder.
func (a *Acts) Find(ctx context.Context, who act.Actor, query string) (out []Found, err error) {
	out = []Found{}
	if len([]rune(query)) < 2 {
		return out, act.Allow(who, act.FindPatient)
	}
	if err := act.Allow(who, act.FindPatient); err != nil {
		return out, err
	}
	if strings.ContainsFunc(query, unicode.IsControl) {
		return out, nil // nobody is called that
	}
	err = a.Look(ctx, who, act.FindPatient, func(q *store.Q) error {
		ps, err := q.FindPatients(query, 12)
		if err != nil || len(ps) == 0 {
			return err
		}
		ids := make([]string, len(ps))
		for i, p := range ps {
			ids[i] = p.ID
		}
		may, err := a.MaySee(q, who, ids...)
		for _, p := range ps {
			out = append(out, Found{a.Named(p), act.May(who.Role, act.SeeChart) && !may[p.ID].Open})
		}
		return err
	})
	return out, err
}

// AllergyView is an allergy in the spine; an empty Substance is the statement
// that no drug allergies are known.
type AllergyView struct {
	Substance string `json:"substance"`
	Reaction  string `json:"reaction"`
	Severity  string `json:"severity"`
	StatedAt  string `json:"statedAt"`
	StatedBy  string `json:"statedBy"`
}

// MedicineView is an active medicine.
type MedicineView struct {
	ID       string           `json:"id"`
	Name     string           `json:"name"`
	Dose     string           `json:"dose"`
	Told     string           `json:"told" doc:"What was told last of taking it, where that is not that it is taken"`
	Warnings []safety.Warning `json:"warnings" doc:"What speaks for care with it and is serious"`
	Checked  bool             `json:"checked" doc:"The catalogue knows it: what is not known is not checked"`
}

// ProblemView is an entry of the problem list.
type ProblemView struct {
	Code  string `json:"code"`
	Title string `json:"title"`
	Since string `json:"since" doc:"Day on which it came on the list"`
	Onset string `json:"onset" doc:"Since when it is known: year, month or day; empty for unknown"`
	State string `json:"state" doc:"active, recurrence, remission; empty for not said"`
}

// VitalView is the newest measurement of one kind.
type VitalView struct {
	Name    string `json:"name"`
	Value   string `json:"value"`
	Unit    string `json:"unit"`
	TakenAt string `json:"takenAt"`
}

// ChartView is what is always in sight, with what is open; what happened comes in pages.
type ChartView struct {
	Patient   act.PatientView       `json:"patient"`
	Allergies []AllergyView         `json:"allergies"`
	Problems  []ProblemView         `json:"problems"`
	Medicines []MedicineView        `json:"medicines"`
	Vitals    []VitalView           `json:"vitals"`
	Open      []*act.LineRow        `json:"open"`
	Today     []visit.VisitView     `json:"today" doc:"Visits of this day"`
	Unsigned  []results.ReportRow   `json:"unsigned" doc:"Results that nobody signed, newest first"`
	Prepared  []orders.PreparedView `json:"prepared" doc:"Orders that wait for a physician's signature, or were given back"`
	Merged    []MergeView           `json:"merged" doc:"Records of the same person that are read as part of this chart"`
	Speaking  []string              `json:"speaking" doc:"Language, need of an interpreter, and who may speak for the patient"`
	InUse     string                `json:"inUse" doc:"The name the person goes by, where it is another"`
	Opened    *OpenedView           `json:"opened,omitempty" doc:"By which reason it is open to this person; left out where it is open anyway"`
	Died      string                `json:"died" doc:"When the person died, as precisely as known; empty for alive as far as known"`
	Usual     string                `json:"usual" doc:"Name of the usual clinician; empty where nobody said"`
	Since     *SinceView            `json:"since,omitempty" doc:"What came since this person last opened the chart; told when it is opened"`
}

// OpenedView is the reason by which a chart is open to somebody.
type OpenedView struct {
	Reason   string `json:"reason"`
	Until    string `json:"until"`
	Reviewer string `json:"reviewer" doc:"Who looks at it afterwards"`
}

// opened says by which reason a chart is open to somebody, and who usually sees the patient.
func (a *Acts) opened(q *store.Q, who act.Actor, patient string, out *ChartView) error {
	usual, err := q.UsualClinician(patient)
	if err != nil {
		return err
	}
	names, err := q.StaffNames()
	if err != nil {
		return err
	}
	out.Usual = names[usual]
	o, err := q.OpeningOf(who.ID, patient, a.Clock())
	if store.IsNotFound(err) {
		return nil
	}
	if err != nil {
		return err
	}
	may, err := a.MaySee(q, who, patient)
	if err != nil || may[patient].Tie.Kind != circle.Opened {
		return err // open anyway
	}
	out.Opened = &OpenedView{Reason: o.Reason, Until: a.Say(o.Until), Reviewer: names[o.ReviewerID]}
	if o.ReviewerID == "" {
		out.Opened.Reviewer = "whoever may " + string(act.ReviewOpened)
	}
	return nil
}

// SinceView is what came into a chart since somebody last opened it.
type SinceView struct {
	At    string   `json:"at"`
	Items []string `json:"items"`
}

// since lists what came into a chart after a moment; nil for nothing.
func (a *Acts) since(q *store.Q, patient string, held chart.Record, at time.Time) (*SinceView, error) {
	out := &SinceView{At: a.Say(at), Items: []string{}}
	reports, err := q.ReportsSince(patient, at)
	if err != nil {
		return nil, err
	}
	visits, err := q.SignedSince(patient, at)
	if err != nil {
		return nil, err
	}
	incoming, err := q.IncomingEntries(patient)
	if err != nil {
		return nil, err
	}
	for _, r := range reports {
		words := "Result: " + r.Title
		if r.Status == "C" {
			words += ", corrected"
		}
		out.Items = append(out.Items, words)
	}
	for _, v := range visits {
		out.Items = append(out.Items, "Signed note: "+v.Kind+" of "+v.StartsAt.In(a.Location).Format("02 Jan 2006"))
	}
	waiting := 0
	for _, e := range incoming {
		if e.ReceivedAt.After(at) && e.Decision == "" {
			waiting++
		}
	}
	if waiting > 0 {
		out.Items = append(out.Items, fmt.Sprintf("%d entries from outside to decide", waiting))
	}
	if out.Items = append(out.Items, a.Reminder.Since(held, at)...); len(out.Items) == 0 {
		return nil, nil
	}
	return out, nil
}

// Chart opens a chart: everything the spine shows, and what is open in it.
// Whatever asked, the look is recorded.
func (a *Acts) Chart(ctx context.Context, who act.Actor, id string) (out ChartView, err error) {
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		p, err := q.Person(id)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		out = ChartView{Patient: a.Patient(p), Allergies: []AllergyView{}, Problems: []ProblemView{}, Medicines: []MedicineView{},
			Vitals: []VitalView{}, Today: []visit.VisitView{}, Unsigned: []results.ReportRow{}, Speaking: []string{}}
		care, held, err := a.Order.Care(q, id)
		if err != nil {
			return err
		}
		for _, x := range held.Allergies {
			out.Allergies = append(out.Allergies, AllergyView{Substance: x.Substance, Reaction: x.Reaction, Severity: x.Severity,
				StatedAt: a.Say(x.StatedAt), StatedBy: x.StatedBy})
		}
		out.Died = held.Died
		registered, ok, err := q.Registration(id)
		if err != nil {
			return err
		}
		if ok {
			out.Speaking, out.InUse = append(out.Speaking, registered.Speaks()...), registered.InUse
		}
		for _, h := range held.Histories {
			if h.List == chart.CommunicationList && h.Title != chart.Private {
				out.Speaking = append(out.Speaking, h.Title+": "+h.Detail)
			}
		}
		for _, x := range held.Problems {
			out.Problems = append(out.Problems, ProblemView{Code: x.Code, Title: x.Title, Since: x.Since, Onset: x.Onset, State: x.State})
		}
		for i, x := range held.Medicines {
			m := MedicineView{ID: x.ID, Name: x.Name, Dose: x.Dose, Warnings: []safety.Warning{}, Checked: len(a.Medicines.Ingredients(x.Name)) > 0}
			if x.Told.Says != "taking" {
				m.Told = x.Told.Says
			}
			for _, w := range care.Each[i] {
				if w.Serious {
					m.Warnings = append(m.Warnings, w)
				}
			}
			out.Medicines = append(out.Medicines, m)
		}
		vitals, err := q.LastVitals(id)
		if err != nil {
			return err
		}
		for _, x := range vitals {
			out.Vitals = append(out.Vitals, VitalView{Name: x.Name, Value: x.Value, Unit: x.Unit, TakenAt: a.Say(x.TakenAt)})
		}
		if out.Open, err = a.Desk.About(q, who, id); err != nil {
			return err
		}
		today, err := q.VisitsOfOn(id, a.Today())
		if err != nil {
			return err
		}
		for _, v := range today {
			out.Today = append(out.Today, a.Visit.View(v, who))
		}
		unsigned, err := q.UnsignedReports(id)
		if err != nil {
			return err
		}
		for _, r := range unsigned {
			out.Unsigned = append(out.Unsigned, a.Result.Row(r))
		}
		if out.Prepared, err = a.Order.PreparedOf(q, id, who); err != nil {
			return err
		}
		if out.Merged, err = a.merges(q, id); err != nil {
			return err
		}
		if err := a.opened(q, who, id, &out); err != nil {
			return err
		}
		last, err := q.LastOpened(who.ID, id)
		if err != nil || last == "" {
			return err
		}
		out.Since, err = a.since(q, id, held, store.Moment(last))
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open chart", id, "")
	}
	return out, err
}

// AddProblem puts a code on the problem list.
func (a *Acts) AddProblem(ctx context.Context, who act.Actor, patient, code string) error {
	if err := act.Allow(who, act.EditProblems); err != nil {
		return err
	}
	e, _, _, err := a.CheckCode(code, a.Today())
	if err != nil {
		return err
	}
	return a.Act(ctx, who, act.EditProblems, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		added, err := t.Q.AddProblem(chart.Problem{ID: act.NewID(), PatientID: p.ID, Code: e.Code, Title: e.Title, Since: a.Today()})
		if err != nil || !added {
			return err
		}
		t.Tell(act.PatientEvent, patient, patient)
		return t.Audit("add problem", patient, "", "")
	})
}

// DescribeProblem says since when a problem is known and how it stands.
func (a *Acts) DescribeProblem(ctx context.Context, who act.Actor, patient, code, onset, state string) error {
	onset = strings.TrimSpace(onset)
	if state != "" && !slices.Contains(chart.ProblemStates, state) {
		return act.Refuse(act.Invalid, "A problem is active, a recurrence, or in remission.")
	}
	return a.Act(ctx, who, act.EditProblems, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		if err := chart.CheckOnset(onset, p.BirthDate, a.Today()); err != nil {
			return act.Refuse(act.Invalid, "Since when: %s.", err)
		}
		there, err := t.Q.DescribeProblem(patient, code, onset, state)
		if err != nil {
			return err
		}
		if !there {
			return act.Refuse(act.Missing, "That code is not on the problem list.")
		}
		t.Tell(act.PatientEvent, patient, patient)
		return t.Audit("describe problem", patient, "", "")
	})
}

// EndProblem takes a code off the problem list.
func (a *Acts) EndProblem(ctx context.Context, who act.Actor, patient, code string) error {
	return a.Act(ctx, who, act.EditProblems, func(t *act.Tx) error {
		t.IsOf(patient)
		ended, err := t.Q.EndProblem(patient, code, a.Today())
		if err != nil {
			return err
		}
		if !ended {
			return act.Refuse(act.Missing, "That code is not on the problem list.")
		}
		t.Tell(act.PatientEvent, patient, patient)
		return t.Audit("end problem", patient, "", "")
	})
}
