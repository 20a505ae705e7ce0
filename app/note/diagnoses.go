package note

import (
	"context"
	"slices"

	"deftledger/app/act"
	"deftledger/app/assess"
	"deftledger/app/forms"
	"deftledger/core/chart"
	"deftledger/core/note"
	"deftledger/store"
)

// AnswerAdvice keeps a person's answer to a remark on the diagnoses: why two codes
// that exclude each other are both right (a physician's, with a reason), or that a
// remark does not apply to this visit.
func (a *Acts) AnswerAdvice(ctx context.Context, who act.Actor, id, key, reason string) (NoteView, error) {
	reason = chart.Tidy(reason)
	return a.Change(ctx, who, id, "answer a remark on the diagnoses", func(t *act.Tx, n store.Note, v store.Visit, _ *forms.Library) error {
		c, err := a.Assess.CaseOf(t.Q, n, v)
		if err != nil {
			return err
		}
		all, err := a.Assess.Advise(c)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(all, func(x assess.AdviceView) bool { return x.Key == key })
		if i < 0 {
			return act.Stale(store.ErrStale, "The list of diagnoses")
		}
		if all[i].Stops {
			if err := act.Allow(who, act.SignNote); err != nil {
				return err
			}
			if reason == "" {
				return act.Refuse(act.Invalid, "Say why both are right here.")
			}
		}
		if reason == "" {
			reason = "does not apply to this visit"
		}
		return t.PutAdviceAnswer(id, store.AdviceAnswer{Key: key, Reason: reason, ByID: who.ID, At: t.Now})
	})
}

// JoinDiagnosis writes a diagnosis under one bullet with the one before it, or under one
// of its own.
func (a *Acts) JoinDiagnosis(ctx context.Context, who act.Actor, noteID, code string, on bool) (NoteView, error) {
	return a.Change(ctx, who, noteID, "join diagnosis", func(t *act.Tx, _ store.Note, _ store.Visit, _ *forms.Library) error {
		there, err := t.Q.JoinDiagnosis(noteID, code, on)
		if err == nil && !there {
			return act.Refuse(act.Invalid, "The first-listed diagnosis begins the first bullet; another one can be joined to it.")
		}
		return err
	})
}

// SayOfDiagnosis keeps what is said of a diagnosis of the visit.
func (a *Acts) SayOfDiagnosis(ctx context.Context, who act.Actor, id string, s note.Said) (NoteView, error) {
	if s.Response != "" && note.Responses[s.Response] == "" {
		return NoteView{}, act.Refuse(act.Invalid, "There is no response %q.", s.Response)
	}
	return a.Change(ctx, who, id, "say of a diagnosis", func(t *act.Tx, n store.Note, _ store.Visit, _ *forms.Library) error {
		ds, err := t.Diagnoses(id)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(ds, func(d note.Diagnosis) bool { return d.Code == s.Code }) {
			return act.Stale(store.ErrStale, "The list of diagnoses")
		}
		known := note.MeasuresFor(s.Code)
		s.Measures = slices.DeleteFunc(slices.Clone(s.Measures), func(l string) bool { return !slices.Contains(known, l) })
		if s.Measures == nil {
			s.Measures = []string{}
		}
		return act.Stale(t.PutDiagnosisWords(id, s, who.ID, t.Now), "What is said of "+s.Code)
	})
}

// DismissCode puts a supported code away for this visit.
func (a *Acts) DismissCode(ctx context.Context, who act.Actor, id, code string) (NoteView, error) {
	if err := act.Allow(who, act.WriteNote); err != nil {
		return NoteView{}, err
	}
	e, _, _, err := a.CheckCode(code, a.Today())
	if err != nil {
		return NoteView{}, err
	}
	return a.Change(ctx, who, id, "put a supported code away", func(t *act.Tx, _ store.Note, _ store.Visit, _ *forms.Library) error {
		return t.PutAdviceAnswer(id, store.AdviceAnswer{Key: assess.DismissedKey + e.Code, Reason: "put away", ByID: who.ID, At: t.Now})
	})
}
