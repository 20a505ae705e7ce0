package reminder

import (
	"context"
	"log/slog"
	"time"

	"deftledger/core/chart"
	"deftledger/store"
)

const (
	fewAtATime = 50                    // whose extracts are made in the background at a time
	breath     = 50 * time.Millisecond // between them, so that nobody who works notices
	lookAgain  = 20 * time.Second      // for charts that changed
)

// Prepare keeps the extracts of all charts made, so that a run over the practice finds them, until ctx ends: those that
// another program made, then those of new people and those that changes emptied. It works while others work and gives way to them.
func (a *Acts) Prepare(ctx context.Context) {
	wait := func(d time.Duration) bool {
		select {
		case <-ctx.Done():
			return false
		case <-time.After(d):
			return true
		}
	}
	failed := func(err error) bool {
		if err != nil && ctx.Err() == nil {
			slog.Error("charts could not be prepared for runs over the practice", "error", err)
		}
		return err != nil
	}
	after := ""
	for all := false; !all && wait(breath); {
		var people []chart.Patient
		if _, err := a.prepare(ctx, func(q *store.Q) (of []chart.Patient, err error) {
			people, err = q.People(after, fewAtATime)
			return people, err
		}); failed(err) {
			return
		}
		if all = len(people) == 0; !all {
			after = people[len(people)-1].ID
		}
	}
	for again := breath; wait(again); again = lookAgain {
		for kept := int64(1); kept > 0 && wait(breath); {
			var err error
			if kept, err = a.prepare(ctx, func(q *store.Q) ([]chart.Patient, error) {
				ids, err := q.WithoutExtract(fewAtATime)
				if err != nil || len(ids) == 0 {
					return nil, err
				}
				return q.PeopleIn(ids)
			}); failed(err) {
				break
			}
		}
	}
}

// prepare makes the extracts of some people where they are not there, and says how many of them it kept.
func (a *Acts) prepare(ctx context.Context, whom func(*store.Q) ([]chart.Patient, error)) (kept int64, err error) {
	var made []store.Extract
	err = a.Store.Long(ctx, func(q *store.Q) error {
		people, err := whom(q)
		if err != nil || len(people) == 0 {
			return err
		}
		_, made, err = a.Order.Records(q, people, a.Today())
		return err
	})
	if err != nil || len(made) == 0 {
		return 0, err
	}
	err = a.Store.Write(ctx, func(q *store.Q) (err error) {
		kept, err = q.KeepExtracts(made)
		return err
	})
	return kept, err
}
