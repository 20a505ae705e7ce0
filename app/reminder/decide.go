package reminder

import (
	"context"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/reminder"
	"deftledger/store"
)

// ReminderDecision is what somebody decides on a reminder. Of is what was had elsewhere, where the rule has several ways;
// Value how it turned out.
type ReminderDecision struct {
	ID     string `json:"id" maxLength:"64" doc:"Names the act: sent twice, it counts once"`
	Says   string `json:"says" enum:"done,had outside,declined,put off,does not apply"`
	On     string `json:"on,omitempty" maxLength:"10" doc:"When it was done: year, month or day"`
	Until  string `json:"until,omitempty" maxLength:"10" doc:"To which day it is put off, declined or good for"`
	Reason string `json:"reason,omitempty" maxLength:"500"`
	Source string `json:"source,omitempty" maxLength:"100" doc:"Who says that it was had elsewhere"`
	Of     string `json:"of,omitempty" maxLength:"64"`
	CVX    string `json:"cvx,omitempty" maxLength:"10"`
	Value  string `json:"value,omitempty" maxLength:"60"`
	Visit  string `json:"visit,omitempty" maxLength:"64" doc:"The visit in whose plan it stands"`
}

// check says what is missing or cannot be.
func (a *Acts) check(r *reminder.Rule, born string, d *ReminderDecision) error {
	d.Reason, d.Source, d.Value = chart.Tidy(d.Reason), chart.Tidy(d.Source), chart.Tidy(d.Value)
	today := a.Today()
	if d.ID == "" {
		return act.Refuse(act.Invalid, "The act has no identifier.")
	}
	switch d.Says {
	case chart.DecidedDecline, chart.DecidedNotFor, chart.DecidedPutOff:
		if d.Reason == "" {
			return act.Refuse(act.Invalid, "Say why.")
		}
		if d.On != "" || d.Of != "" || d.CVX != "" || d.Value != "" {
			return act.Refuse(act.Invalid, "A day on which it was done goes with what was done.")
		}
	case chart.DecidedOutside:
		if d.Source == "" {
			return act.Refuse(act.Invalid, "Say who says so: the patient, or which record.")
		}
		if err := chart.CheckOnset(d.On, born, today); err != nil || d.On == "" {
			if err == nil {
				return act.Refuse(act.Invalid, "Say when it was, as precisely as it is known: a year, a month or a day.")
			}
			return act.Refuse(act.Invalid, "When it was: %s.", err)
		}
	case chart.DecidedDone:
		if r.Closes == "data" {
			return act.Refuse(act.Invalid, "%s is fulfilled by what stands in the chart, not by a statement: order it, enter its result, or say that it was had elsewhere.", r.Title)
		}
		if d.On == "" {
			d.On = today
		}
		if err := chart.CheckOnset(d.On, born, today); err != nil {
			return act.Refuse(act.Invalid, "When it was: %s.", err)
		}
	default:
		return act.Refuse(act.Invalid, "There is no decision %q.", d.Says)
	}
	if d.Says == chart.DecidedPutOff && d.Until == "" {
		return act.Refuse(act.Invalid, "Say to which day.")
	}
	if d.Until != "" {
		until, ok := reminder.DayOf(d.Until)
		now, _ := reminder.DayOf(today)
		switch {
		case !ok:
			return act.Refuse(act.Invalid, "%q is no day; write it as 2027-05-04.", d.Until)
		case until <= now:
			return act.Refuse(act.Invalid, "The day to which it holds lies in the future.")
		case until > now+10*366:
			return act.Refuse(act.Invalid, "That is more than ten years away; say \"does not apply\" if it is for good.")
		}
	}
	return nil
}

// outside is the fact that what was had elsewhere leaves in the chart.
func (a *Acts) outside(r *reminder.Rule, d ReminderDecision) (kind, name, says string, err error) {
	means := a.Rulebook().Means(r.ID)
	if len(means) == 0 {
		return "", "", "", nil
	}
	if d.Of == "" && len(means) == 1 {
		d.Of = means[0].Name
	}
	i := slices.IndexFunc(means, func(m reminder.Mean) bool { return m.Name == d.Of })
	if i < 0 {
		return "", "", "", act.Refuse(act.Invalid, "Say what it was.")
	}
	m := means[i]
	if m.CVX != nil {
		if d.CVX == "" && len(m.CVX) == 1 {
			d.CVX = m.CVX[0]
		}
		products := a.products(m.CVX)
		v := slices.IndexFunc(products, func(p Product) bool { return p.CVX == d.CVX })
		if v < 0 {
			return "", "", "", act.Refuse(act.Invalid, "Say which vaccine it was.")
		}
		return store.CareDose, d.CVX, products[v].Name, nil
	}
	return store.CareService, m.Name, d.Value, nil
}

// Decide records what somebody decides on a reminder.
func (a *Acts) Decide(ctx context.Context, who act.Actor, patient, rule string, d ReminderDecision) (out RemindersView, err error) {
	err = a.Act(ctx, who, act.Remind, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		r, ok := a.Rulebook().Rule(rule)
		if !ok {
			return act.Refuse(act.Missing, "There is no such rule.")
		}
		if err := a.check(r, p.BirthDate, &d); err != nil {
			return err
		}
		note, err := a.visitOf(t, p.ID, d.Visit)
		if err != nil {
			return err
		}
		var kind, name, says string
		if d.Says == chart.DecidedOutside {
			if kind, name, says, err = a.outside(r, d); err != nil {
				return err
			}
		}
		entry := store.CareEntry{ID: act.NewID(), PatientID: p.ID, Kind: store.CareDecision, Name: rule, Says: d.Says, Day: d.On, Until: d.Until, Reason: d.Reason, Source: d.Source,
			Version: r.Version, VisitID: d.Visit, ByID: who.ID, At: t.Now, RequestID: d.ID}
		added, err := a.once(t, entry)
		if err != nil || !added {
			return err
		}
		if kind != "" {
			fact := entry
			fact.ID, fact.Kind, fact.Name, fact.Says, fact.Until = act.NewID(), kind, name, says, ""
			if _, err := t.AddCare(fact); err != nil {
				return err
			}
		}
		a.tell(t, p.ID, note)
		return t.Audit("settle a reminder", p.ID, rule, d.Says)
	})
	if err != nil {
		return out, err
	}
	return out, a.Look(ctx, who, act.Remind, func(q *store.Q) error {
		out, err = a.view(q, patient)
		return err
	})
}

// once stores an entry; false where the same act stored it before. Another act under the same name is refused.
func (a *Acts) once(t *act.Tx, e store.CareEntry) (bool, error) {
	added, err := t.AddCare(e)
	if err != nil || added {
		return added, err
	}
	before, err := t.CareOfRequest(e.RequestID)
	if err != nil {
		return false, err
	}
	for _, x := range before {
		if x.Kind == e.Kind && x.Name == e.Name && x.Says == e.Says && x.PatientID == e.PatientID && x.ByID == e.ByID {
			return false, nil
		}
	}
	return false, act.Refuse(act.Conflict, "Another act has this identifier.")
}

// visitOf checks that a visit is of the person and that its note can still take something in;
// it returns the note.
func (a *Acts) visitOf(t *act.Tx, patient, visit string) (string, error) {
	if visit == "" {
		return "", nil
	}
	v, err := t.VisitByID(visit)
	if err != nil || !act.SamePerson(t.Q, v.PatientID, patient) {
		return "", act.Refuse(act.Missing, "There is no such visit of this patient.")
	}
	if v.NoteID == "" {
		return "", nil
	}
	n, err := t.NoteByID(v.NoteID)
	if err != nil {
		return "", err
	}
	if n.Folio > 0 {
		return "", act.Refuse(act.Conflict, "The note of this visit is signed; settle the reminder from the chart.")
	}
	return v.NoteID, nil
}

func (a *Acts) tell(t *act.Tx, patient, note string) {
	t.Tell(act.PatientEvent, patient, patient)
	if note != "" {
		t.Tell(act.NoteEvent, note, patient)
	}
}

// TakeBack takes back what one act said: a decision with the fact it left, or an answer. Both stay to be
// read.
func (a *Acts) TakeBack(ctx context.Context, who act.Actor, patient, request, reason string) (out RemindersView, err error) {
	reason = chart.Tidy(reason)
	err = a.Act(ctx, who, act.Remind, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		said, err := t.CareOfRequest(request)
		if err != nil {
			return err
		}
		if len(said) == 0 || !act.SamePerson(t.Q, said[0].PatientID, p.ID) {
			return act.Refuse(act.Missing, "Nothing was said under this name.")
		}
		if reason == "" && said[0].ByID != who.ID {
			return act.Refuse(act.Invalid, "Say why what another said is taken back.")
		}
		note, err := a.visitOf(t, p.ID, said[0].VisitID)
		if err != nil {
			note = "" // the note is signed and keeps what it says; the chart reads otherwise from now on
		}
		done, err := t.TakeCareBack(request, who.ID, reason, t.Now)
		if err != nil || !done {
			return err
		}
		a.tell(t, p.ID, note)
		return t.Audit("take back a reminder", p.ID, said[0].Name, said[0].Says)
	})
	if err != nil {
		return out, err
	}
	return out, a.Look(ctx, who, act.Remind, func(q *store.Q) error {
		out, err = a.view(q, patient)
		return err
	})
}

// RuleAnswer is an answer to a question of the rulebook.
type RuleAnswer struct {
	ID       string `json:"id" maxLength:"64" doc:"Names the act: sent twice, it counts once"`
	Question string `json:"question" maxLength:"64"`
	Value    string `json:"value" maxLength:"200"`
	Visit    string `json:"visit,omitempty" maxLength:"64"`
}

// Answer records what was answered. What smokes is kept in the social history, where it belongs.
func (a *Acts) Answer(ctx context.Context, who act.Actor, patient string, x RuleAnswer) (out RemindersView, err error) {
	x.Value = chart.Tidy(x.Value)
	err = a.Act(ctx, who, act.Remind, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		q, ok := a.Rulebook().Question(x.Question)
		switch {
		case !ok:
			return act.Refuse(act.Missing, "There is no such question.")
		case x.ID == "":
			return act.Refuse(act.Invalid, "The act has no identifier.")
		case len(q.Choices) > 0 && !slices.Contains(q.Choices, x.Value):
			return act.Refuse(act.Invalid, "Answer with one of: %s.", strings.Join(q.Choices, ", "))
		case x.Value == "":
			return act.Refuse(act.Invalid, "Write the answer down.")
		}
		note, err := a.visitOf(t, p.ID, x.Visit)
		if err != nil {
			return err
		}
		if x.Question == reminder.AboutTobacco {
			if err := a.tobacco(t, who, p.ID, x); err != nil {
				return err
			}
		} else {
			added, err := a.once(t, store.CareEntry{ID: act.NewID(), PatientID: p.ID, Kind: store.CareAnswer, Name: x.Question, Says: x.Value, Day: a.Today(), VisitID: x.Visit,
				ByID: who.ID, At: t.Now, RequestID: x.ID})
			if err != nil || !added {
				return err
			}
		}
		a.tell(t, p.ID, note)
		return t.Audit("answer a question", p.ID, x.Question, "")
	})
	if err != nil {
		return out, err
	}
	return out, a.Look(ctx, who, act.Remind, func(q *store.Q) error {
		out, err = a.view(q, patient)
		return err
	})
}

// tobacco writes the entry of the social history anew: the former one ends, both can be read.
func (a *Acts) tobacco(t *act.Tx, who act.Actor, patient string, x RuleAnswer) error {
	had, err := t.Histories(patient)
	if err != nil {
		return err
	}
	for _, h := range had {
		if h.ID == x.ID {
			return nil // the same act sent again
		}
	}
	for _, h := range had {
		if h.List == chart.SocialList && strings.EqualFold(h.Title, "Tobacco") {
			if err := t.EndHistory(patient, h.ID, t.Now, who.ID, "asked again"); err != nil {
				return err
			}
		}
	}
	return t.AddHistory(chart.HistoryEntry{ID: x.ID, PatientID: patient, List: chart.SocialList, Title: "Tobacco", Detail: x.Value, StatedAt: t.Now, StatedBy: who.ID})
}
