package assess

import (
	"context"

	"deftledger/app/act"
	"deftledger/core/reminder"
	"deftledger/store"
)

// MeasuresOf says which measures of quality concern the patient of a note, and whether
// this visit meets them, missed ones first.
func (a *Acts) MeasuresOf(ctx context.Context, who act.Actor, noteID string) (out []reminder.Outcome, err error) {
	out = []reminder.Outcome{}
	patient := ""
	err = a.Look(ctx, who, act.WriteNote, func(q *store.Q) error {
		c, err := a.Case(q, noteID)
		if err == nil {
			patient = c.Note.PatientID
			out = a.Rulebook().Open(c.Record).Measured()
		}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open note", patient, noteID)
	}
	return out, err
}
