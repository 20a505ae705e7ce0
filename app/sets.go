package app

import (
	"context"
	"slices"
	"strings"

	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/core/safety"
	"deftledger/store"
)

// SetView is a set with its parts and what speaks for care with each in this chart.
type SetView struct {
	ID     string        `json:"id"`
	Title  string        `json:"title"`
	Source string        `json:"source"`
	Fits   bool          `json:"fits" doc:"It is for a diagnosis of this visit"`
	Warns  string        `json:"warns" doc:"What is unusual about the set for this patient"`
	Parts  []SetPartView `json:"parts"`
}

// SetPartView is a part of a set with its warnings.
type SetPartView struct {
	order.SetPart
	Warnings []safety.Warning `json:"warnings"`
}

// PlanSets lists the sets for a visit, those of its diagnoses first, with the warnings
// that apply to this patient computed before anything is applied.
func (a *App) PlanSets(ctx context.Context, who Actor, noteID string) (out []SetView, err error) {
	out = []SetView{}
	err = a.look(ctx, who, WriteNote, func(q *store.Q) error {
		n, v, err := noteVisit(q, noteID)
		if err != nil {
			return err
		}
		ds, err := q.Diagnoses(noteID)
		if err != nil {
			return err
		}
		var codes []string
		for _, d := range ds {
			codes = append(codes, d.Code)
		}
		ms, err := q.Medicines(n.PatientID)
		if err != nil {
			return err
		}
		var taken []string
		for _, m := range ms {
			taken = append(taken, m.Name)
		}
		as, err := q.Allergies(n.PatientID)
		if err != nil {
			return err
		}
		allergies := map[string]string{}
		for _, x := range as {
			allergies[x.Substance] = x.Reaction
		}
		months := a.months(v)
		fitting, rest := order.ForCodes(a.Sets, codes)
		for i, s := range append(fitting, rest...) {
			view := SetView{ID: s.ID, Title: s.Title, Source: s.Source, Fits: i < len(fitting), Parts: []SetPartView{}}
			if months < s.From {
				view.Warns = "This set is written for older patients: check every part."
			}
			k := 0
			for _, p := range s.Parts(a.Laboratory.Tests) {
				part := SetPartView{p, []safety.Warning{}}
				if p.Kind == order.MedicinePart {
					part.Warnings = append(part.Warnings, a.Medicines.Check(s.Medicines[k].Name, taken, allergies)...)
					k++
				}
				view.Parts = append(view.Parts, part)
			}
			out = append(out, view)
		}
		return nil
	})
	return out, err
}

// ApplySet puts the chosen parts of a set into the draft, all or none: words into the
// plan with the set as their source, tests as an order that waits for the physician's
// signature, the follow-up to the front desk. Nothing is prescribed or sent.
func (a *App) ApplySet(ctx context.Context, who Actor, noteID, setID string, parts []string) (NoteView, error) {
	i := slices.IndexFunc(a.Sets, func(s order.Set) bool { return s.ID == setID })
	if i < 0 {
		return NoteView{}, refuse(404, "There is no such set.")
	}
	s := a.Sets[i]
	return a.change(ctx, who, noteID, "apply set "+setID, func(t *tx, n store.Note, v store.Visit, _ *formSet) error {
		ds, err := t.Diagnoses(noteID)
		if err != nil {
			return err
		}
		var codes, tests []string
		for _, d := range ds {
			if slices.ContainsFunc(s.Codes, func(begin string) bool { return strings.HasPrefix(d.Code, begin) }) {
				codes = append(codes, d.Code)
			}
		}
		all := s.Parts(a.Laboratory.Tests)
		for _, key := range parts {
			k := slices.IndexFunc(all, func(p order.SetPart) bool { return p.Key == key })
			if k < 0 {
				return refuse(422, "The set has no part %q.", key)
			}
			p := all[k]
			if p.Gone {
				return refuse(422, "%s Leave it out, or choose another.", p.Words)
			}
			words := p.Words
			switch p.Kind {
			case order.TestPart:
				tests = append(tests, p.Code)
				words = p.Words
			case order.ReturnPart:
				day, said, err := note.Due(s.FollowUp.When, a.Today())
				if err != nil {
					return err
				}
				if err := t.askBack(n, v, day, said, s.FollowUp.Reason); err != nil {
					return err
				}
				words = "Back " + said + "."
			}
			c := store.CarriedSentence{Brought: note.Brought{ID: newID(), Part: note.Plan, Text: words, Origin: note.Chosen, Source: "set: " + s.Title, Looked: true}}
			if _, err := t.AddCarried(noteID, c, who.ID, t.now); err != nil {
				return err
			}
		}
		if len(tests) == 0 {
			return nil
		}
		if len(codes) == 0 {
			return refuse(422, "Tests need a diagnosis that justifies them: put one of this set on the visit first, or leave the tests out.")
		}
		lines := make([]order.Line, len(tests))
		for i, code := range tests {
			lines[i] = order.Line{Test: code, Diagnoses: codes}
		}
		p := store.Prepared{ID: newID(), PatientID: n.PatientID, VisitID: v.ID, ForID: v.ClinicianID, ByID: who.ID, At: t.now, Priority: "R", Tests: lines, State: "waiting", RequestID: newID()}
		if _, err := t.AddPrepared(p); err != nil {
			return err
		}
		t.tell("order", p.ID, n.PatientID)
		t.tell("line", p.ID, n.PatientID)
		return t.OpenLine(newID(), line.ToSign, p.ID, n.PatientID, v.ClinicianID, line.Open, t.now)
	})
}
