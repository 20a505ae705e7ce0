package packet

import (
	"context"
	"errors"
	"slices"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/store"
)

// TakeOver makes the reports of a patient for which somebody else answers those of whoever acts, all that wait or the one that is
// named; it is kept who took them from whom.
func (a *Acts) TakeOver(ctx context.Context, who act.Actor, patient, only string) (n int, err error) {
	err = a.Act(ctx, who, act.SignResult, func(t *act.Tx) error {
		n = 0
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		lines, err := t.OpenLinesAbout(p.ID)
		if err != nil {
			return err
		}
		lines = slices.DeleteFunc(lines, func(l store.Line) bool {
			return l.Kind != line.Report || l.OwnerID == who.ID || l.OwnerID == "" || only != "" && l.Subject != only
		})
		for _, l := range lines {
			if err := errors.Join(t.GiveLine(line.Report, l.Subject, who.ID), t.GiveReport(l.Subject, who.ID)); err != nil {
				return err
			}
			t.Tell(act.LineEvent, l.Subject, p.ID)
			t.Tell(act.ReportEvent, l.Subject, p.ID)
			if err := t.Audit("take a report over", p.ID, l.Subject, "in place of "+l.OwnerID); err != nil {
				return err
			}
			n++
		}
		return nil
	})
	return n, err
}
