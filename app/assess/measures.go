package assess

import (
	"context"

	"deftledger/app/act"
	"deftledger/core/measure"
	"deftledger/store"
)

// MeasuresOf says which measures of quality concern the patient of a note, and whether
// this visit meets them, missed ones first.
func (a *Acts) MeasuresOf(ctx context.Context, who act.Actor, noteID string) (out []measure.Outcome, err error) {
	out = []measure.Outcome{}
	patient := ""
	err = a.Look(ctx, who, act.WriteNote, func(q *store.Q) error {
		c, err := a.Case(q, noteID)
		if err == nil {
			patient = c.Note.PatientID
			out = measure.Judge(a.Measures, c.Record)
		}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open note", patient, noteID)
	}
	return out, err
}
