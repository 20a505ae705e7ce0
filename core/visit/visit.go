// Package visit holds the visit of a day: its stages, who is with the patient, what
// opening its note makes of it, when the next one can begin, and the wish to come back.
package visit

import (
	"slices"
	"time"
)

// Stage says where a patient is in a visit.
type Stage string

// The stages of a visit.
const (
	Expected  Stage = "expected"
	Arrived   Stage = "arrived"
	Intake    Stage = "intake"
	Ready     Stage = "ready"
	InVisit   Stage = "in visit"
	Finishing Stage = "finishing"
	Done      Stage = "done"
)

// Stages are all stages, in order. A person may set any of them: days do not go as planned.
var Stages = []Stage{Expected, Arrived, Intake, Ready, InVisit, Finishing, Done}

// Known says whether it is one of the stages.
func (s Stage) Known() bool { return slices.Contains(Stages, s) }

// Attended says whether somebody is with the patient at this stage.
func (s Stage) Attended() bool { return s == Intake || s == InVisit || s == Finishing }

// Opened is the stage after somebody opened the note: for the physician the visit begins,
// for whoever prepares it the intake does. signed: the note is signed, and nothing begins.
func (s Stage) Opened(physician, signed bool) Stage {
	at := slices.Index(Stages, s)
	switch {
	case physician && !signed && at < slices.Index(Stages, InVisit):
		return InVisit
	case !physician && at < slices.Index(Stages, Intake):
		return Intake
	}
	return s
}

// Visit is one visit. Day is its calendar day in the practice, YYYY-MM-DD.
type Visit struct {
	ID, PatientID, ClinicianID, Day string
	StartsAt                        time.Time
	Kind, Reason, Room              string
	Stage                           Stage
	StageAt                         time.Time
	Version                         int
}

// Slot is how far apart visits of one clinician begin.
const Slot = 20 * time.Minute

// NextFree is the first time from one on at which no visit begins within a slot of it.
// taken are the beginnings of a clinician's visits, in any order.
func NextFree(at time.Time, taken []time.Time) time.Time {
	for {
		i := slices.IndexFunc(taken, func(t time.Time) bool { return t.Sub(at).Abs() < Slot })
		if i < 0 {
			return at
		}
		at = taken[i].Add(Slot)
	}
}

// Wish says what became of the wish for a further visit.
type Wish string

// States of a wish.
const (
	ToBook  Wish = "to book"
	Booked  Wish = "booked"
	Dropped Wish = "dropped"
)
