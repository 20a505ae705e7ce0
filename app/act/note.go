package act

import (
	"context"

	"deftledger/store"
)

// SamePerson says whether two records are of one person.
func SamePerson(q *store.Q, a, b string) bool {
	if a == b {
		return true
	}
	p, err1 := q.Person(a)
	o, err2 := q.Person(b)
	return err1 == nil && err2 == nil && p.ID == o.ID
}

// NoteVisit reads a note by its identifier, with its visit.
func NoteVisit(q *store.Q, id string) (n store.Note, v store.Visit, err error) {
	if n, err = q.NoteByID(id); err != nil {
		return n, v, NotFound(err, "note")
	}
	v, err = q.VisitByID(n.VisitID)
	return n, v, err
}

// OnDraft changes a draft: it checks the right, refuses a signed note, runs the change
// and records it under its name.
func (a *Office) OnDraft(ctx context.Context, who Actor, id, name string, f func(t *Tx, n store.Note, v store.Visit) error) error {
	return a.Act(ctx, who, WriteNote, func(t *Tx) error {
		n, v, err := NoteVisit(t.Q, id)
		if err != nil {
			return err
		}
		if n.Folio > 0 {
			return Refuse(Conflict, "The note is signed. Write an amendment instead.")
		}
		if err := f(t, n, v); err != nil {
			return err
		}
		t.Tell(NoteEvent, id, n.PatientID)
		return t.Audit(name, n.PatientID, id, "")
	})
}
