package visit

import (
	"context"
	"slices"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/note"
	"deftledger/core/visit"
	"deftledger/store"
)

// WalkIn is a visit of somebody who is here without an appointment.
type WalkIn struct {
	ID        string `json:"id" maxLength:"64" doc:"Given by the screen: the same twice is one visit"`
	Clinician string `json:"clinician" maxLength:"64" doc:"Whom they see, by identifier"`
	Kind      string `json:"kind" maxLength:"60"`
	Reason    string `json:"reason" maxLength:"300"`
}

// BeginWalkIn puts a visit on today's list for somebody who is here now. Who has a visit today that is
// not over is led to that one.
func (a *Acts) BeginWalkIn(ctx context.Context, who act.Actor, patient string, w WalkIn) (out VisitView, err error) {
	if err := act.Allow(who, act.WalkIn); err != nil {
		return out, err
	}
	if w.ID == "" {
		return out, act.Refuse(act.Invalid, "The screen has to give the visit an identifier.")
	}
	l, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	if !slices.ContainsFunc(l.Kinds, func(k note.VisitKind) bool { return k.Name == w.Kind }) {
		return out, act.Refuse(act.Invalid, "There is no such kind of visit.")
	}
	err = a.Act(ctx, who, act.WalkIn, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		if was, err := t.VisitByID(w.ID); err == nil { // the same act once more
			if was.PatientID != p.ID {
				return act.Refuse(act.Conflict, "Another visit has this identifier.")
			}
			out = a.View(was, who)
			return nil
		} else if !store.IsNotFound(err) {
			return err
		}
		s, err := t.StaffByID(w.Clinician)
		if err != nil {
			return act.NotFound(err, "clinician")
		}
		if !s.Active || !act.May(s.Role, act.SeeChart) {
			return act.Refuse(act.Invalid, "%s sees no patients.", s.Name())
		}
		today := a.Today()
		vs, err := t.VisitsOn(today)
		if err != nil {
			return err
		}
		for _, v := range vs {
			if act.SamePerson(t.Q, v.PatientID, p.ID) && v.Stage != visit.Done {
				return act.Refuse(act.Conflict, "There is a visit today already, at %s with %s.", v.StartsAt.In(a.Location).Format("15:04"), v.Clinician)
			}
		}
		v := visit.Visit{ID: w.ID, PatientID: p.ID, ClinicianID: s.ID, Day: today, StartsAt: t.Now, Kind: w.Kind, Reason: chart.Tidy(w.Reason),
			Stage: visit.Arrived, StageAt: t.Now}
		if err := t.AddVisit(v); err != nil {
			return err
		}
		begun, err := t.VisitByID(v.ID)
		if err != nil {
			return err
		}
		out = a.View(begun, who)
		t.Tell(act.VisitEvent, v.ID, p.ID)
		return t.Audit("begin a visit without an appointment", p.ID, v.ID, "")
	})
	return out, err
}
