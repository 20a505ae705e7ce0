package visit

import (
	"context"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/core/visit"
	"deftledger/store"
)

// FollowUpView is a wish for a further visit.
type FollowUpView struct {
	ID        string          `json:"id"`
	Patient   act.PatientView `json:"patient"`
	Due       string          `json:"due" format:"date"`
	Said      string          `json:"said"`
	Reason    string          `json:"reason"`
	Clinician string          `json:"clinician"`
	By        string          `json:"by"`
	At        string          `json:"at"`
	State     visit.Wish      `json:"state" enum:"to book,booked,dropped"`
	VisitAt   string          `json:"visitAt" doc:"When it was booked for"`
	DoneBy    string          `json:"doneBy"`
	Why       string          `json:"why" doc:"Why it was dropped"`
}

// FollowUps writes wishes for further visits.
func (a *Acts) FollowUps(fs []store.FollowUp, names map[string]string) []FollowUpView {
	out := []FollowUpView{}
	for _, f := range fs {
		out = append(out, FollowUpView{
			ID: f.ID, Patient: a.Patient(f.Patient), Due: f.Due, Said: f.Said, Reason: f.Reason, Clinician: names[f.ClinicianID], By: names[f.ByID],
			At:    a.Say(f.At),
			State: f.State, VisitAt: a.Say(f.VisitAt), DoneBy: names[f.DoneBy], Why: f.DoneReason,
		})
	}
	return out
}

// AskBack asks for a further visit in a few keys ("2w", "2m", a date): it waits at the
// front desk until it is booked or dropped. A later wish of the same visit takes the
// place of one that is not booked yet.
func (a *Acts) AskBack(ctx context.Context, who act.Actor, noteID, when, reason string) (out FollowUpView, err error) {
	if err := act.Allow(who, act.WriteNote); err != nil {
		return out, err
	}
	day, said, err := note.Due(when, a.Today())
	if err != nil {
		return out, act.Refuse(act.Invalid, "When to come back: %s.", err)
	}
	reason = chart.Tidy(reason)
	err = a.Act(ctx, who, act.WriteNote, func(t *act.Tx) error {
		n, v, err := act.NoteVisit(t.Q, noteID)
		if err != nil {
			return err
		}
		if reason == "" {
			reason = v.Reason
		}
		out, err = a.askBack(t, n, v, day, said, reason)
		return err
	})
	return out, err
}

// AskBackOf asks for a further visit of a patient outside a visit, as from a result: it goes with their newest note. A wish of that note
// that is not booked yet is not replaced without a word.
func (a *Acts) AskBackOf(ctx context.Context, who act.Actor, patient, when, reason string) (out FollowUpView, err error) {
	if err := act.Allow(who, act.WriteNote); err != nil {
		return out, err
	}
	day, said, err := note.Due(when, a.Today())
	if err != nil {
		return out, act.Refuse(act.Invalid, "When to come back: %s.", err)
	}
	reason = chart.Tidy(reason)
	if reason == "" {
		return out, act.Refuse(act.Invalid, "Say what for.")
	}
	err = a.Act(ctx, who, act.WriteNote, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		visits, err := t.VisitsOf(p.ID)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(visits, func(v store.Visit) bool { return v.NoteID != "" })
		if i < 0 {
			return act.Refuse(act.Conflict, "There is no note of this patient to ask from. Hand the report over, with what is to be done.")
		}
		v := visits[i]
		n, err := t.NoteByID(v.NoteID)
		if err != nil {
			return err
		}
		all, err := t.FollowUpsOf(n.ID)
		if err != nil {
			return err
		}
		for _, f := range all {
			if f.State != visit.ToBook {
				continue
			}
			if f.Due == day && f.Reason == reason && f.ByID == who.ID {
				out = a.FollowUps([]store.FollowUp{f}, nil)[0]
				return nil // the same act again
			}
			return act.Refuse(act.Conflict, "A visit is asked for already, and not booked: %s, for %s. Ask the front desk to book or drop it first.", f.Said, f.Reason)
		}
		v.ClinicianID = who.ID
		if !act.May(who.Role, act.SignNote) {
			v.ClinicianID = visits[i].ClinicianID
		}
		out, err = a.askBack(t, n, v, day, said, reason)
		return err
	})
	return out, err
}

func (a *Acts) askBack(t *act.Tx, n store.Note, v store.Visit, day, said, reason string) (out FollowUpView, err error) {
	if err := a.PutWish(t, n, v, day, said, reason); err != nil {
		return out, err
	}
	all, err := t.FollowUpsOf(n.ID)
	if err != nil {
		return out, err
	}
	names, err := t.StaffNames()
	if err != nil {
		return out, err
	}
	out = a.FollowUps(all[:1], names)[0]
	t.Tell(act.NoteEvent, n.ID, n.PatientID)
	return out, t.Audit("ask back", n.PatientID, out.ID, "")
}

// PutWish keeps a wish for a further visit and opens its line.
func (a *Acts) PutWish(t *act.Tx, n store.Note, v store.Visit, day, said, reason string) error {
	if err := t.PutFollowUp(store.FollowUp{ID: act.NewID(), PatientID: n.PatientID, NoteID: n.ID, Due: day, Said: said, Reason: reason,
		ClinicianID: v.ClinicianID, ByID: t.Who.ID, At: t.Now}); err != nil {
		return err
	}
	open, err := t.FollowUpsOf(n.ID)
	if err != nil {
		return err
	}
	t.Tell(act.FollowUpEvent, open[0].ID, n.PatientID)
	return t.OpenLine(act.NewID(), line.FollowUp, open[0].ID, n.PatientID, v.ClinicianID, line.Waiting, t.Now)
}

// ToBook lists the follow-ups that the front desk has to book, earliest first.
func (a *Acts) ToBook(ctx context.Context, who act.Actor) (out []FollowUpView, err error) {
	out = []FollowUpView{}
	err = a.Look(ctx, who, act.BookVisit, func(q *store.Q) error {
		fs, err := q.FollowUpsToBook()
		if err != nil || len(fs) == 0 {
			return err
		}
		names, err := q.StaffNames()
		if err != nil {
			return err
		}
		out = a.FollowUps(fs, names)
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
func (a *Acts) Book(ctx context.Context, who act.Actor, id string, b Booking) (VisitView, error) {
	var out VisitView
	if err := act.Allow(who, act.BookVisit); err != nil {
		return out, err
	}
	starts, err := time.ParseInLocation("2006-01-02 15:04", b.Day+" "+b.Time, a.Location)
	if err != nil {
		return out, act.Refuse(act.Invalid, "Write the day as 2027-01-15 and the time as 09:20.")
	}
	if starts.Before(a.Clock()) {
		return out, act.Refuse(act.Invalid, "That time has gone by.")
	}
	l, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	if !slices.ContainsFunc(l.Kinds, func(k note.VisitKind) bool { return k.Name == b.Kind }) {
		return out, act.Refuse(act.Invalid, "There is no such kind of visit.")
	}
	err = a.Act(ctx, who, act.BookVisit, func(t *act.Tx) error {
		f, err := t.FollowUpByID(id)
		if err != nil {
			return act.NotFound(err, "follow-up")
		}
		taken, err := t.VisitsOn(b.Day)
		if err != nil {
			return err
		}
		var begin []time.Time
		for _, v := range taken {
			if v.ClinicianID == f.ClinicianID {
				begin = append(begin, v.StartsAt)
			}
		}
		if free := visit.NextFree(starts, begin); !free.Equal(starts) {
			return act.Refuse(act.Conflict, "That time is taken; the next free one is %s.", free.In(a.Location).Format("15:04"))
		}
		v := visit.Visit{
			ID: act.NewID(), PatientID: f.PatientID, ClinicianID: f.ClinicianID, Day: b.Day, StartsAt: starts, Kind: b.Kind, Reason: f.Reason,
			Stage: visit.Expected, StageAt: t.Now,
		}
		if err := t.AddVisit(v); err != nil {
			return err
		}
		if err := t.SettleFollowUp(id, visit.Booked, v.ID, who.ID, "", t.Now); err != nil {
			return act.Stale(err, "The follow-up")
		}
		if err := t.CloseLine(line.FollowUp, id, who.ID, string(visit.Booked), t.Now); err != nil {
			return err
		}
		booked, err := t.VisitByID(v.ID)
		if err != nil {
			return err
		}
		out = a.View(booked, who)
		t.Tell(act.VisitEvent, v.ID, f.PatientID)
		t.Tell(act.FollowUpEvent, id, f.PatientID)
		t.Tell(act.NoteEvent, f.NoteID, f.PatientID)
		return t.Audit("book a visit", f.PatientID, v.ID, "")
	})
	return out, err
}

// DropFollowUp closes a follow-up that is not wanted any more, with the reason.
func (a *Acts) DropFollowUp(ctx context.Context, who act.Actor, id, reason string) error {
	if !act.May(who.Role, act.BookVisit) && !act.May(who.Role, act.SignNote) {
		return act.Allow(who, act.BookVisit)
	}
	if strings.TrimSpace(reason) == "" {
		return act.Refuse(act.Invalid, "Say why it is dropped.")
	}
	return a.Write(ctx, who, func(t *act.Tx) error {
		f, err := t.FollowUpByID(id)
		if err != nil {
			return act.NotFound(err, "follow-up")
		}
		if err := t.SettleFollowUp(id, visit.Dropped, "", who.ID, strings.TrimSpace(reason), t.Now); err != nil {
			return act.Stale(err, "The follow-up")
		}
		if err := t.CloseLine(line.FollowUp, id, who.ID, string(visit.Dropped), t.Now); err != nil {
			return err
		}
		t.Tell(act.FollowUpEvent, id, f.PatientID)
		t.Tell(act.NoteEvent, f.NoteID, f.PatientID)
		return t.Audit("drop a follow-up", f.PatientID, id, "")
	})
}
