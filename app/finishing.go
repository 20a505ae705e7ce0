package app

import (
	"context"
	"fmt"
	"strings"
	"time"

	"deftledger/core/chart"
	"deftledger/core/letter"
	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/exchange/pdf"
	"deftledger/store"
)

// FollowUpView is a wish for a further visit.
type FollowUpView struct {
	ID        string      `json:"id"`
	Patient   PatientView `json:"patient"`
	Due       string      `json:"due" format:"date"`
	Said      string      `json:"said"`
	Reason    string      `json:"reason"`
	Clinician string      `json:"clinician"`
	By        string      `json:"by"`
	At        string      `json:"at"`
	State     string      `json:"state" enum:"to book,booked,dropped"`
	VisitAt   string      `json:"visitAt" doc:"When it was booked for"`
	DoneBy    string      `json:"doneBy"`
	Why       string      `json:"why" doc:"Why it was dropped"`
}

func (a *App) followUp(q *store.Q, f store.FollowUp, names map[string]string) (FollowUpView, error) {
	p, err := q.Person(f.PatientID)
	v := FollowUpView{ID: f.ID, Patient: a.patient(p), Due: f.Due, Said: f.Said, Reason: f.Reason, Clinician: names[f.ClinicianID], By: names[f.ByID], At: a.say(f.At), State: f.State, DoneBy: names[f.DoneBy], Why: f.DoneReason}
	if err == nil && f.VisitID != "" {
		var visit store.Visit
		if visit, err = q.VisitByID(f.VisitID); err == nil {
			v.VisitAt = a.say(visit.StartsAt)
		}
	}
	return v, err
}

func (a *App) followUpsOf(q *store.Q, noteID string) ([]FollowUpView, error) {
	out := []FollowUpView{}
	fs, err := q.FollowUpsOf(noteID)
	if err != nil || len(fs) == 0 {
		return out, err
	}
	names, err := a.names(q)
	if err != nil {
		return out, err
	}
	for _, f := range fs {
		v, err := a.followUp(q, f, names)
		if err != nil {
			return out, err
		}
		out = append(out, v)
	}
	return out, nil
}

// AskBack asks for a further visit in a few keys ("2w", "2m", a date): it waits at the
// front desk until it is booked or dropped. A later wish of the same visit takes the
// place of one that is not booked yet.
func (a *App) AskBack(ctx context.Context, who Actor, noteID, when, reason string) (out FollowUpView, err error) {
	day, said, err := note.Due(when, a.Today())
	if err != nil {
		return out, refuse(422, "When to come back: %s.", err)
	}
	reason = strings.Join(strings.Fields(reason), " ")
	err = a.act(ctx, who, WriteNote, func(t *tx) error {
		n, v, err := noteVisit(t.Q, noteID)
		if err != nil {
			return err
		}
		if reason == "" {
			reason = v.Reason
		}
		if err := a.askBack(t, n, v, day, said, reason); err != nil {
			return err
		}
		all, err := a.followUpsOf(t.Q, noteID)
		if err != nil {
			return err
		}
		out = all[0]
		t.tell("note", noteID, n.PatientID)
		return t.audit("ask back", n.PatientID, out.ID, "")
	})
	return out, err
}

// askBack keeps a wish for a further visit and opens its line.
func (a *App) askBack(t *tx, n store.Note, v store.Visit, day, said, reason string) error {
	if err := t.PutFollowUp(store.FollowUp{ID: newID(), PatientID: n.PatientID, NoteID: n.ID, Due: day, Said: said, Reason: reason, ClinicianID: v.ClinicianID, ByID: t.who.ID, At: t.now}); err != nil {
		return err
	}
	open, err := t.FollowUpsOf(n.ID)
	if err != nil {
		return err
	}
	t.tell("follow-up", open[0].ID, n.PatientID)
	return t.OpenLine(newID(), line.FollowUp, open[0].ID, n.PatientID, v.ClinicianID, line.Waiting, t.now)
}

// ToBook lists the follow-ups that the front desk has to book, earliest first.
func (a *App) ToBook(ctx context.Context, who Actor) (out []FollowUpView, err error) {
	out = []FollowUpView{}
	err = a.look(ctx, who, BookVisit, func(q *store.Q) error {
		fs, err := q.FollowUpsToBook()
		if err != nil || len(fs) == 0 {
			return err
		}
		names, err := a.names(q)
		if err != nil {
			return err
		}
		for _, f := range fs {
			v, err := a.followUp(q, f, names)
			if err != nil {
				return err
			}
			out = append(out, v)
		}
		return nil
	})
	return out, err
}

// Booking is when a follow-up is booked for, in the practice's time.
type Booking struct {
	Day  string `json:"day" maxLength:"10"`
	Time string `json:"time" maxLength:"5"` // "09:20"
	Kind string `json:"kind" maxLength:"60"`
}

// Book books a follow-up as a visit on the calendar; that closes its line. A time that
// is taken is refused with the next free one.
func (a *App) Book(ctx context.Context, who Actor, id string, b Booking) (VisitView, error) {
	var out VisitView
	starts, err := time.ParseInLocation("2006-01-02 15:04", b.Day+" "+b.Time, a.Location)
	if err != nil {
		return out, refuse(422, "Write the day as 2027-01-15 and the time as 09:20.")
	}
	if starts.Before(a.Clock()) {
		return out, refuse(422, "That time has gone by.")
	}
	l, err := a.formSet()
	if err != nil {
		return out, err
	}
	if b.Kind = l.kind(b.Kind).Name; b.Kind == "" {
		return out, refuse(422, "There is no such kind of visit.")
	}
	err = a.act(ctx, who, BookVisit, func(t *tx) error {
		f, err := t.FollowUpByID(id)
		if err != nil {
			return notFound(err, "follow-up")
		}
		taken, err := t.VisitsOn(b.Day)
		if err != nil {
			return err
		}
		if free := nextFree(starts, f.ClinicianID, taken); !free.Equal(starts) {
			return refuse(409, "That time is taken; the next free one is %s.", free.In(a.Location).Format("15:04"))
		}
		v := store.Visit{ID: newID(), PatientID: f.PatientID, ClinicianID: f.ClinicianID, Day: b.Day, StartsAt: starts, Kind: b.Kind, Reason: f.Reason, Stage: Stages[0], StageAt: t.now}
		if err := t.AddVisit(v); err != nil {
			return err
		}
		if err := t.SettleFollowUp(id, "booked", v.ID, who.ID, "", t.now); err != nil {
			return stale(err, "The follow-up")
		}
		if err := t.CloseLine(line.FollowUp, id, who.ID, "booked", t.now); err != nil {
			return err
		}
		booked, err := t.VisitByID(v.ID)
		if err != nil {
			return err
		}
		out = a.visit(booked, who)
		t.tell("visit", v.ID, f.PatientID)
		t.tell("follow-up", id, f.PatientID)
		t.tell("note", f.NoteID, f.PatientID)
		return t.audit("book a visit", f.PatientID, v.ID, "")
	})
	return out, err
}

// slot is how far apart visits of one clinician begin.
const slot = 20 * time.Minute

// nextFree is the first time from one on at which a clinician has no visit beginning
// within a slot.
func nextFree(at time.Time, clinician string, taken []store.Visit) time.Time {
	for {
		clash := false
		for _, v := range taken {
			if v.ClinicianID == clinician && v.StartsAt.Sub(at).Abs() < slot {
				at, clash = v.StartsAt.Add(slot), true
			}
		}
		if !clash {
			return at
		}
	}
}

// DropFollowUp closes a follow-up that is not wanted any more, with the reason.
func (a *App) DropFollowUp(ctx context.Context, who Actor, id, reason string) error {
	if strings.TrimSpace(reason) == "" {
		return refuse(422, "Say why it is dropped.")
	}
	if !May(who.Role, BookVisit) && !May(who.Role, SignNote) {
		return may(who, BookVisit)
	}
	return a.write(ctx, who, func(t *tx) error {
		f, err := t.FollowUpByID(id)
		if err != nil {
			return notFound(err, "follow-up")
		}
		if err := t.SettleFollowUp(id, "dropped", "", who.ID, strings.TrimSpace(reason), t.now); err != nil {
			return stale(err, "The follow-up")
		}
		if err := t.CloseLine(line.FollowUp, id, who.ID, "dropped", t.now); err != nil {
			return err
		}
		t.tell("follow-up", id, f.PatientID)
		t.tell("note", f.NoteID, f.PatientID)
		return t.audit("drop a follow-up", f.PatientID, id, "")
	})
}

// Absence is what an absence letter says.
type Absence struct {
	From     string `json:"from" maxLength:"10"`
	Days     int    `json:"days" minimum:"1" maximum:"90" doc:"Calendar days, the first one counted"`
	Place    string `json:"place" enum:"work,school"`
	Words    string `json:"words,omitempty" maxLength:"1000" doc:"What may be done in that time, or anything else"`
	Diagnose bool   `json:"diagnosis,omitempty" doc:"Name the first-listed diagnosis; only when the patient wants it"`
}

// sealedLetter is the sealed content of a letter.
type sealedLetter struct {
	Kind string `json:"kind"`
	To   string `json:"to,omitempty"`
	Text string `json:"text"`
}

// AbsenceLetter signs and files an absence letter of a visit and returns it as a
// document. The diagnosis stands in it only if chosen.
func (a *App) AbsenceLetter(ctx context.Context, who Actor, noteID, secret string, x Absence) (out DocumentView, err error) {
	if err := may(who, SignNote); err != nil {
		return out, err
	}
	from, err := time.Parse(time.DateOnly, x.From)
	if err != nil || x.Days < 1 || x.Days > 90 {
		return out, refuse(422, "Write the first day as 2027-01-15, and one to ninety days.")
	}
	if x.Place != "work" && x.Place != "school" {
		return out, refuse(422, "The letter is for work or for school.")
	}
	if err := a.openSigning(ctx, &who, secret); err != nil {
		return out, err
	}
	err = a.act(ctx, who, SignNote, func(t *tx) error {
		_, v, err := noteVisit(t.Q, noteID)
		if err != nil {
			return err
		}
		day, err := time.Parse(time.DateOnly, v.Day)
		if err != nil {
			return err
		}
		if from.Before(day.AddDate(0, 0, -14)) || from.After(day.AddDate(0, 0, 60)) {
			return refuse(422, "The absence begins more than two weeks before or two months after this visit; write it at the visit it belongs to.")
		}
		text := fmt.Sprintf("%s %s, born %s, was seen here on %s.\n\n%s", v.Patient.Name.Given, v.Patient.Name.Family, chart.SayDay(v.Patient.BirthDate), chart.SayDay(v.Day), absenceSentence(from, x))
		if x.Diagnose {
			ds, err := t.Diagnoses(noteID)
			if err != nil {
				return err
			}
			if len(ds) == 0 {
				return refuse(422, "This visit has no diagnosis to name yet.")
			}
			text += "\n\nDiagnosis, named at the patient's wish: " + ds[0].Title + "."
		}
		if w := strings.TrimSpace(x.Words); w != "" {
			text += "\n\n" + note.Sentence(w)
		}
		out, err = a.fileLetter(t, noteID, "Absence from "+x.Place, letter.FromLetter+"absence", pdf.Section{Heading: "To whom it may concern", Text: text}, true)
		return err
	})
	return out, err
}

func absenceSentence(from time.Time, x Absence) string {
	last := from.AddDate(0, 0, x.Days-1)
	if x.Days == 1 {
		return fmt.Sprintf("For medical reasons the patient cannot attend %s on %s.", x.Place, from.Format("Monday, 02 January 2006"))
	}
	return fmt.Sprintf("For medical reasons the patient cannot attend %s from %s through %s (%d days).", x.Place, from.Format("Monday, 02 January 2006"), last.Format("Monday, 02 January 2006"), x.Days)
}
