package desk

import (
	"context"
	"slices"
	"time"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/store"
)

// Waiting is an unsigned note that is announced at sign-in.
type Waiting struct {
	NoteID  string `json:"noteId"`
	VisitID string `json:"visitId"`
	Patient string `json:"patientId"`
	Name    string `json:"name"`
	Since   string `json:"since"`
	Days    int    `json:"days"`
}

// LongWait is after how many days an unsigned note leads its signer straight to it.
const LongWait = 7

// mostAnnounced bounds how many unsigned notes are read at sign-in.
const mostAnnounced = 1000

// Unsigned lists the notes that wait for the person's signature, oldest first.
// Today's own are work under way and not announced.
func (a *Acts) Unsigned(ctx context.Context, who act.Actor) (out []Waiting, err error) {
	out = []Waiting{}
	if !act.May(who.Role, act.SignNote) {
		return out, nil
	}
	err = a.Look(ctx, who, act.SignNote, func(q *store.Q) error {
		lines, err := q.OpenLinesOf([]string{who.ID}, []line.Kind{line.Note}, store.Unowned{}, "", mostAnnounced)
		if err != nil {
			return err
		}
		slices.SortStableFunc(lines, func(x, y store.Line) int { return x.OpenedAt.Compare(y.OpenedAt) })
		ids := make([]string, len(lines))
		for i, l := range lines {
			ids[i] = l.Subject
		}
		visits, err := q.VisitsWithNotes(ids)
		of := map[string]string{}
		for _, v := range visits {
			of[v.NoteID] = v.ID
		}
		for _, l := range lines {
			if l.OpenedAt.In(a.Location).Format(time.DateOnly) < a.Today() {
				out = append(out, Waiting{NoteID: l.Subject, VisitID: of[l.Subject], Patient: l.Patient.ID,
					Name: l.Patient.Name.Given + " " + l.Patient.Name.Family, Since: a.Say(l.OpenedAt), Days: a.DaysSince(l.OpenedAt)})
			}
		}
		return err
	})
	return out, err
}
