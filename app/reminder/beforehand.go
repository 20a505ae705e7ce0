package reminder

import (
	"context"
	"strings"
	"time"

	"deftledger/app/act"
	outsides "deftledger/app/outside"
	"deftledger/core/outside"
	"deftledger/core/screen"
	"deftledger/store"
)

// BeforehandView is a questionnaire that the patient answered on the portal and that waits for somebody to confirm it.
type BeforehandView struct {
	Entry   string `json:"entry"`
	Form    string `json:"form"`
	Says    string `json:"says"`
	On      string `json:"on" doc:"The day on which it was answered"`
	Problem string `json:"problem" doc:"Why it cannot be confirmed; empty for nothing"`
}

// beforehand lists what waits of a person, by form.
func (a *Acts) beforehand(q *store.Q, patient string) (map[string]BeforehandView, error) {
	all, err := q.IncomingEntries(patient)
	out := map[string]BeforehandView{}
	for _, e := range all {
		if x, ok := outsides.ReadAnswered(e); ok && e.Decision == "" {
			out[x.Form] = BeforehandView{Entry: e.ID, Form: x.Form, Says: e.Title + ": " + e.Detail, On: e.Since, Problem: strings.Join(x.Problems, "; ")}
		}
	}
	return out, err
}

// answered is the form of an entry, its answers and when they were given.
func (a *Acts) answered(t *act.Tx, e store.IncomingEntry) (f screen.Form, x outsides.Answered, at time.Time, err error) {
	x, ok := outsides.ReadAnswered(e)
	if !ok {
		return f, x, at, act.Refuse(act.Missing, "There is no such questionnaire.")
	}
	if f, err = a.form(x.Form); err != nil {
		return f, x, at, err
	}
	if at, err = time.Parse(time.RFC3339, x.Authored); err != nil || at.After(t.Now) {
		at, err = e.ReceivedAt, nil // when is not certain: it was no later
	}
	return f, x, at, err
}

// AlarmBeforehand opens the line of an answer that speaks of self-harm, as soon as it is here.
func (a *Acts) AlarmBeforehand(t *act.Tx, e store.IncomingEntry) error {
	f, x, _, err := a.answered(t, e)
	if err != nil || !x.Alarm {
		return err
	}
	p, err := t.Person(e.PatientID)
	if err != nil {
		return err
	}
	_, err = a.alarm(t, p, ScreenAnswers{ID: beforehandID(e), Answers: x.Answers, Visit: e.VisitID}, f)
	return err
}

func beforehandID(e store.IncomingEntry) string { return "beforehand-" + e.ID }

// KeepBeforehand keeps the answers of an entry as of the day on which the patient gave them.
func (a *Acts) KeepBeforehand(t *act.Tx, e store.IncomingEntry, visit string) (string, error) {
	out, err := a.keepBeforehand(t, e, visit)
	if err != nil {
		return "", err
	}
	return out.id, nil
}

func (a *Acts) keepBeforehand(t *act.Tx, e store.IncomingEntry, visit string) (out screened, err error) {
	f, x, at, err := a.answered(t, e)
	if err != nil {
		return out, err
	}
	if len(x.Problems) > 0 {
		return out, act.Refuse(act.Invalid, "It cannot be taken as answered (%s): ask again, and leave it out.", strings.Join(x.Problems, "; "))
	}
	p, err := t.Person(e.PatientID)
	if err != nil {
		return out, act.NotFound(err, "patient")
	}
	return a.keep(t, p, f, ScreenAnswers{ID: beforehandID(e), Answers: x.Answers, Visit: visit}, at)
}

// BeforehandDecided says what somebody decided on answers that were given beforehand.
type BeforehandDecided struct {
	Confirm bool   `json:"confirm" doc:"Else it is left out"`
	Visit   string `json:"visit,omitempty" maxLength:"64"`
}

// Beforehand confirms a questionnaire that the patient answered on the portal, or leaves it out.
func (a *Acts) Beforehand(ctx context.Context, who act.Actor, patient, entry string, d BeforehandDecided) (out Screened, err error) {
	if err := act.Allow(who, act.Remind); err != nil {
		return out, err
	}
	err = a.Act(ctx, who, act.Remind, func(t *act.Tx) error {
		e, err := t.IncomingEntryByID(entry)
		if err != nil || !act.SamePerson(t.Q, e.PatientID, patient) {
			return act.Refuse(act.Invalid, "There is no such questionnaire of this patient.")
		}
		decision, became := outside.LeaveOut, ""
		if d.Confirm {
			decision = outside.TakeIn
		}
		if e.Decision != "" && e.Decision != decision {
			return act.Refuse(act.Conflict, "Somebody decided that meanwhile: %s.", e.Decision)
		}
		if d.Confirm {
			kept, err := a.keepBeforehand(t, e, d.Visit)
			if err != nil {
				return err
			}
			out.Scored, out.Says, out.Alarm, became = kept.scored, kept.says, kept.alarm, kept.id
		}
		if e.Decision != "" {
			return nil
		}
		if err := t.DecideIncomingEntry(entry, decision, who.ID, became, t.Now); err != nil {
			return act.NotFound(err, "entry that waits")
		}
		t.Tell(act.PatientEvent, e.PatientID, e.PatientID)
		if err := t.Audit(string(decision)+" from outside", e.PatientID, entry, ""); err != nil {
			return err
		}
		return outsides.CloseWhenDecided(t, e.PatientID)
	})
	if err != nil {
		return out, err
	}
	return out, a.Look(ctx, who, act.Remind, func(q *store.Q) error {
		out.Reminders, err = a.view(q, patient)
		return err
	})
}

// screened is a questionnaire that was kept.
type screened struct {
	id, says, alarm string
	scored          screen.Scored
}
