package session

import (
	"context"

	"deftledger/app/act"
	"deftledger/store"
)

// Colleague is somebody a note can be left for.
type Colleague struct {
	ID      string `json:"id"`
	Name    string `json:"name"`
	Cosigns bool   `json:"cosigns" doc:"May sign a Schedule II prescription, for who may not"`
}

// Colleagues lists who may sign notes, beside the person.
func (a *Acts) Colleagues(ctx context.Context, who act.Actor) (out []Colleague, err error) {
	out = []Colleague{}
	err = a.Look(ctx, who, act.WriteNote, func(q *store.Q) error {
		staff, err := q.AllStaff()
		for _, s := range staff {
			if s.Active && act.May(s.Role, act.SignNote) && s.ID != who.ID {
				out = append(out, Colleague{s.ID, s.Name(), act.May(s.Role, act.SignScheduleTwo)})
			}
		}
		return err
	})
	return out, err
}
