package reminder

import (
	"context"
	"slices"

	"deftledger/app/act"
	"deftledger/core/reminder"
	"deftledger/store"
)

// ReminderWhy is why a reminder stands as it does, with its rule and its history.
type ReminderWhy struct {
	ReminderView
	Maintainer string         `json:"maintainer"`
	Reviewed   string         `json:"reviewed" doc:"The day on which the rule was last held against its source"`
	Grade      string         `json:"grade"`
	Mind       string         `json:"mind" doc:"Where the rule reads its source cautiously"`
	Changes    string         `json:"changes" doc:"The first day on which it stands otherwise by time alone; empty for not in sight"`
	Applies    []WhyLine      `json:"applies"`
	Excluded   []WhyLine      `json:"excluded"`
	Satisfied  []WhyLine      `json:"satisfied"`
	History    []ReminderSaid `json:"history" doc:"What was decided on it, newest first; what was taken back too"`
	Answers    []RuleAnswered `json:"answers" doc:"What was answered to its questions, newest first"`
	Leaflet    string         `json:"leaflet"`
}

// WhyLine is a condition with its answer and the facts that gave it; Depth is how far in it stands.
type WhyLine struct {
	Depth int      `json:"depth"`
	Says  string   `json:"says"`
	Holds string   `json:"holds" enum:"yes,no,not known"`
	Facts []string `json:"facts"`
}

// RuleAnswered is what was answered.
type RuleAnswered struct {
	Request  string `json:"request"`
	Question string `json:"question"`
	Value    string `json:"value"`
	Day      string `json:"day"`
	By       string `json:"by"`
}

// Why explains how a reminder stands.
func (a *Acts) Why(ctx context.Context, who act.Actor, patient, rule string) (out ReminderWhy, err error) {
	err = a.Look(ctx, who, act.Remind, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		r, ok := a.Rulebook().Rule(rule)
		if !ok {
			return act.Refuse(act.Missing, "There is no such rule.")
		}
		c, _, err := a.open(q, p.ID)
		if err != nil {
			return err
		}
		s := c.Stand(rule)
		x := c.Why(rule)
		out = ReminderWhy{ReminderView: a.row(c, s), Maintainer: r.Maintainer, Reviewed: r.Reviewed, Grade: r.Source.Grade, Mind: r.Source.Mind, Changes: s.Changes.String(),
			Applies: lines(x.Applies), Excluded: lines(x.Excluded...), Satisfied: lines(x.Satisfied...), History: []ReminderSaid{}, Answers: []RuleAnswered{}, Leaflet: r.Leaflet}
		said, err := q.CareOf(p.ID)
		if err != nil {
			return err
		}
		asks := a.Rulebook().Asks(rule)
		for _, e := range slices.Backward(said) {
			switch {
			case e.Kind == store.CareDecision && e.Name == rule:
				out.History = append(out.History, a.said(e, r))
			case e.Kind == store.CareAnswer && slices.Contains(asks, e.Name) && e.BackAt.IsZero():
				question, _ := a.Rulebook().Question(e.Name)
				out.Answers = append(out.Answers, RuleAnswered{e.RequestID, question.Says, e.Says, e.Day, e.By})
			}
		}
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "look at a reminder", patient, rule)
	}
	return out, err
}

func lines(ws ...reminder.Why) []WhyLine {
	out := []WhyLine{}
	var walk func(w reminder.Why, depth int)
	walk = func(w reminder.Why, depth int) {
		out = append(out, WhyLine{depth, w.Says, w.Holds, append([]string{}, w.Facts...)})
		for _, inner := range w.Of {
			walk(inner, depth+1)
		}
	}
	for _, w := range ws {
		walk(w, 0)
	}
	return out
}
