package note

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/app/forms"
	"deftledger/core/note"
	"deftledger/store"
)

// sourceOf reads what an earlier note offers.
func (a *Acts) sourceOf(q *store.Q, id, patient string, l *forms.Library) (note.Source, store.Visit, error) {
	n, err := q.NoteByID(id)
	if err != nil || !act.SamePerson(q, n.PatientID, patient) || n.Retracted > 0 {
		return note.Source{}, store.Visit{}, act.Refuse(act.Missing, "There is no such earlier note of this patient.")
	}
	v, err := q.VisitByID(n.VisitID)
	if err != nil {
		return note.Source{}, v, err
	}
	d, err := a.drafted(q, n, v, l)
	if err != nil {
		return note.Source{}, v, err
	}
	src := note.Source{Note: id, Typed: d.Typed, Findings: d.Findings}
	// A history written from answers is words there; here it comes in as words.
	for _, b := range l.Systems.Compose(note.Draft{Interviews: d.Interviews, Person: d.Person, Findings: d.Findings}) {
		if strings.HasPrefix(b.Ref, "interview.") {
			src.Typed[b.Part] = strings.TrimSpace(b.Text() + "\n" + src.Typed[b.Part])
		}
	}
	src.Brought = d.Brought
	return src, v, nil
}

// Forwarded is what bringing forward would change, or did.
type Forwarded struct {
	Difference note.Difference `json:"difference"`
	Note       *NoteView       `json:"note,omitempty"`
}

// PreviewForward says what bringing forward would change.
func (a *Acts) PreviewForward(ctx context.Context, who act.Actor, id, from string, w note.Wanted) (out Forwarded, err error) {
	l, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	patient := ""
	err = a.Look(ctx, who, act.WriteNote, func(q *store.Q) error {
		c, err := a.Assess.Case(q, id)
		if err != nil {
			return err
		}
		patient = c.Note.PatientID
		src, _, err := a.sourceOf(q, from, c.Note.PatientID, l)
		out.Difference = l.Systems.Forward(a.draft(c, l), src, w).Difference
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open note", patient, id)
	}
	return out, err
}

// Forward brings part of an earlier note into a draft. Text that a replacement
// takes out is kept beside the note until somebody is done with it.
func (a *Acts) Forward(ctx context.Context, who act.Actor, id, from string, w note.Wanted) (Forwarded, error) {
	var out Forwarded
	v, err := a.Change(ctx, who, id, "bring forward", func(t *act.Tx, n store.Note, v store.Visit, l *forms.Library) error {
		d, err := a.drafted(t.Q, n, v, l)
		if err != nil {
			return err
		}
		src, sv, err := a.sourceOf(t.Q, from, n.PatientID, l)
		if err != nil {
			return err
		}
		o := l.Systems.Forward(d, src, w)
		out.Difference = o.Difference
		if err := a.putFindings(t, id, d.Findings, o.Findings); err != nil {
			return err
		}
		for _, gone := range o.Dropped {
			if err := t.DropCarried(id, gone); err != nil {
				return err
			}
		}
		if o.ClearTyped {
			now, err := t.NotePart(id, w.Part)
			if err != nil {
				return err
			}
			if err := t.AddConflict(store.Conflict{ID: act.NewID(), NoteID: id, Part: w.Part, Text: o.Replaced, BaseVersion: now.Version,
				SaveID: act.NewID(), At: t.Now, By: who.ID}); err != nil {
				return err
			}
			if err := t.Q.SavePart(id, store.Part{Part: w.Part, Version: now.Version + 1, SaveID: act.NewID(), SavedAt: t.Now,
				SavedBy: who.ID}); err != nil {
				return err
			}
		}
		for _, b := range o.Added {
			b.ID = act.NewID()
			b.Source = sourceWords(a, sv)
			if _, err := t.AddCarried(id, store.CarriedSentence{Brought: b, SourceNote: from}, who.ID, t.Now); err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil {
		out.Note = &v
	}
	return out, err
}

// sourceWords names a visit as the source of what was carried from it.
func sourceWords(a *Acts, v store.Visit) string {
	s := "visit of " + v.StartsAt.In(a.Location).Format("02 Jan 2006")
	if v.NoteFolio > 0 {
		s += fmt.Sprintf(", folio %d", v.NoteFolio)
	}
	return s
}

// Looked records that a person looked at carried text: kept, changed or removed.
// In objective, assessment and plan that is one sentence at a time.
func (a *Acts) Looked(ctx context.Context, who act.Actor, id string, refs []string, decision, text string) (NoteView, error) {
	if err := act.Allow(who, act.WriteNote); err != nil {
		return NoteView{}, err
	}
	if !slices.Contains([]string{"keep", "change", "remove"}, decision) {
		return NoteView{}, act.Refuse(act.Invalid, "Keep it, change it or remove it.")
	}
	return a.Change(ctx, who, id, "look at carried text", func(t *act.Tx, n store.Note, v store.Visit, l *forms.Library) error {
		d, err := a.drafted(t.Q, n, v, l)
		if err != nil {
			return err
		}
		sentences := map[string]note.Piece{}
		parts := map[string]note.Part{}
		for _, b := range l.Systems.Compose(d) {
			for _, p := range b.Pieces {
				sentences[p.Ref], parts[p.Ref] = p, b.Part
			}
		}
		for _, r := range refs {
			p, ok := sentences[r]
			if !ok {
				return act.Stale(store.ErrStale, "This sentence")
			}
			if len(refs) > 1 && parts[r] != note.Subjective {
				return act.Refuse(act.Invalid, "Under %s, what was carried is looked at one by one.", parts[r])
			}
			if err := a.settle(t, id, d, p, decision, strings.TrimSpace(text)); err != nil {
				return err
			}
		}
		return nil
	})
}

func (a *Acts) settle(t *act.Tx, id string, d note.Draft, p note.Piece, decision, text string) error {
	if carried, ok := strings.CutPrefix(p.Ref, "brought."); ok {
		cs, err := t.CarriedOf(id)
		if err != nil {
			return err
		}
		for _, c := range cs {
			if c.ID != carried {
				continue
			}
			switch decision {
			case "keep":
				text = c.Text
			case "change":
				if text == "" || len(text) > 4000 {
					return act.Refuse(act.Invalid, "Write the sentence as it should read, in up to 4,000 letters.")
				}
			}
			state := map[string]string{"keep": "kept", "change": "changed", "remove": "removed"}[decision]
			return act.Stale(t.SettleCarried(id, carried, state, text, c.Version, t.Who.ID, t.Now), "This sentence")
		}
		return act.Stale(store.ErrStale, "This sentence")
	}
	if decision == "change" {
		return act.Refuse(act.Invalid, "A finding is changed where it stands: choose it there.")
	}
	for _, key := range strings.Fields(p.Ref) {
		f := strings.SplitN(key, ".", 3)
		if len(f) != 3 {
			return act.Refuse(act.Invalid, "Only what was carried is looked at.")
		}
		if decision == "keep" {
			if err := t.LookedAtFinding(id, f[0], f[1], f[2], t.Who.ID, t.Now); err != nil {
				return act.NotFound(err, "finding")
			}
			continue
		}
		if err := t.DropFinding(id, note.Finding{Area: note.Area(f[0]), System: f[1], Finding: f[2]}); err != nil {
			return err
		}
	}
	return nil
}
