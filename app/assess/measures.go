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
	err = a.Look(ctx, who, act.WriteNote, func(q *store.Q) error {
		c, err := a.Case(q, noteID)
		if err == nil {
			out = measure.Judge(a.Measures, c.Record)
		}
		return err
	})
	return out, err
}
