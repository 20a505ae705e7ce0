package visit

import (
	"context"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/visit"
	"deftledger/store"
)

// VisitView is one visit of the day.
type VisitView struct {
	ID        string          `json:"id"`
	Patient   act.PatientView `json:"patient"`
	StartsAt  string          `json:"startsAt"`
	Kind      string          `json:"kind"`
	Reason    string          `json:"reason"`
	Room      string          `json:"room"`
	Stage     visit.Stage     `json:"stage" enum:"expected,arrived,intake,ready,in visit,finishing,done"`
	StageAt   string          `json:"stageAt"`
	Clinician string          `json:"clinician"`
	With      string          `json:"with" doc:"Who is with the patient now"`
	Retracted bool            `json:"retracted"`
	Mine      bool            `json:"mine"`
	NoteID    string          `json:"noteId"`
	Signed    bool            `json:"signed"`
	Version   int             `json:"version"`
	Alike     []string        `json:"alike" doc:"Names of others on this day who can be taken for this patient"`
}

// View writes a visit as every screen shows it.
func (a *Acts) View(v store.Visit, who act.Actor) VisitView {
	return VisitView{
		ID: v.ID, Patient: a.Patient(v.Patient), StartsAt: a.Say(v.StartsAt), Kind: v.Kind, Reason: v.Reason, Room: v.Room, Stage: v.Stage,
		StageAt:   a.Say(v.StageAt),
		Clinician: v.Clinician, With: v.With, Retracted: v.NoteRetracted, Mine: v.ClinicianID == who.ID, NoteID: v.NoteID,
		Signed: v.NoteFolio > 0, Version: v.Version, Alike: []string{},
	}
}

// Day lists the visits of a day; an empty day means today.
func (a *Acts) Day(ctx context.Context, who act.Actor, day string) (out []VisitView, err error) {
	if day == "" {
		day = a.Today()
	}
	err = a.Look(ctx, who, act.SeeDay, func(q *store.Q) error {
		vs, err := q.VisitsOn(day)
		out = make([]VisitView, len(vs))
		patients := make([]chart.Patient, len(vs))
		for i, v := range vs {
			patients[i] = v.Patient
		}
		alike := chart.Lookalikes(patients)
		for i, v := range vs {
			out[i] = a.View(v, who)
			if !act.May(who.Role, act.SeeChart) { // the front desk sees what it needs for the day
				out[i].Patient, out[i].NoteID, out[i].Retracted = a.Named(v.Patient), "", false
			}
			out[i].Alike = append(out[i].Alike, alike[v.Patient.ID]...)
		}
		return err
	})
	return out, err
}

// Visit reads one visit.
func (a *Acts) Visit(ctx context.Context, who act.Actor, id string) (out VisitView, err error) {
	patient := ""
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		v, err := q.VisitByID(id)
		out, patient = a.View(v, who), v.PatientID
		return act.NotFound(err, "visit")
	})
	if err == nil {
		err = a.Saw(ctx, who, "open visit", patient, id)
	}
	return out, err
}

// MoveVisit sets the stage of a visit.
func (a *Acts) MoveVisit(ctx context.Context, who act.Actor, id string, stage visit.Stage, version int) error {
	if err := act.Allow(who, act.MoveVisit); err != nil {
		return err
	}
	if !stage.Known() {
		return act.Refuse(act.Invalid, "There is no stage of that name.")
	}
	return a.Act(ctx, who, act.MoveVisit, func(t *act.Tx) error {
		v, err := t.VisitByID(id)
		if err != nil {
			return act.NotFound(err, "visit")
		}
		if v.NoteFolio > 0 && !v.NoteRetracted && stage != visit.Done {
			return act.Refuse(act.Conflict, "The note of this visit is signed: the visit is done.")
		}
		with := ""
		if act.May(who.Role, act.DoIntake) && stage.Attended() {
			with = who.ID
		}
		if err := t.SetStage(id, stage, with, t.Now, version); err != nil {
			return act.Stale(err, "The visit")
		}
		t.Tell(act.VisitEvent, id, v.PatientID)
		return t.Audit("move visit to "+string(stage), v.PatientID, id, "")
	})
}
