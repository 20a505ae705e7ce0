package note

import (
	"encoding/json"
	"slices"

	"deftledger/app/assess"
	"deftledger/app/forms"
	"deftledger/core/note"
	"deftledger/store"
)

// reads says what a draft is made of and how it reads.
func (a *Acts) reads(c assess.Case, l *forms.Library, out *NoteView) {
	d := a.draft(c, l)
	out.Findings = append(out.Findings, d.Findings...)
	out.Blocks = append(out.Blocks, l.Systems.Compose(d)...)
	out.Share = note.Measure(out.Blocks)
	kind := l.Kind(c.Visit.Kind)
	out.Shows = append(out.Shows, kind.Shows...)
	version := map[string]int{}
	for _, x := range c.Answers {
		version[x.Form+" "+x.Link] = x.Version
	}
	fit := Fitting{Review: []string{}, Examination: []string{}, Plan: []string{}}
	for _, t := range d.Interviews {
		out.Interviews = append(out.Interviews, interviewView(t, d.Findings, version))
		fit.Review = merge(fit.Review, t.Interview.Prose.Review)
		fit.Examination = merge(fit.Examination, t.Interview.Prose.Examination)
		fit.Plan = merge(fit.Plan, t.Interview.PlanFor(t.Answers))
	}
	if len(fit.Review)+len(fit.Examination) == 0 {
		fit.Review, fit.Examination = merge(fit.Review, kind.Review), merge(fit.Examination, kind.Examination)
	}
	out.Fitting = fit
	for _, x := range c.Carried {
		out.Brought = append(out.Brought, BroughtView{Brought: x.Brought, SourceNote: x.SourceNote, Version: x.Version})
	}
	for _, x := range c.Drawings {
		out.Drawings = append(out.Drawings, DrawingView{ID: x.ID, Outline: x.Outline, Caption: x.Caption, Strokes: x.Strokes, SVG: x.SVG,
			Version: x.Version})
	}
}

// sources names the notes that pieces of a note were carried from.
func (a *Acts) sources(q *store.Q, out *NoteView) error {
	var ids []string
	for _, b := range out.Blocks {
		for _, p := range b.Pieces {
			if p.Origin == note.Carried && p.Source != "" && !slices.Contains(ids, p.Source) {
				ids = append(ids, p.Source)
			}
		}
	}
	if len(ids) == 0 {
		return nil
	}
	visits, err := q.VisitsWithNotes(ids)
	for _, v := range visits {
		// Of one sealed in a chart that is no longer reachable only the words stay.
		out.Sources = append(out.Sources, SourceView{Note: v.NoteID, VisitID: v.ID, Words: sourceWords(a, v)})
	}
	return err
}

func merge(a, b []string) []string {
	for _, x := range b {
		if !slices.Contains(a, x) {
			a = append(a, x)
		}
	}
	return a
}

func interviewView(t note.Taken, findings []note.Finding, version map[string]int) InterviewView {
	out := InterviewView{ID: t.Interview.ID, Title: t.Interview.Questions.Title, Version: t.Interview.Version, Questions: []QuestionView{}}
	given := map[string][]note.Answer{}
	for _, x := range t.Answers {
		given[x.Link] = x.Values
	}
	have := map[string]note.Finding{}
	for _, f := range findings {
		have[f.Key()] = f
	}
	for _, q := range t.Interview.Asks(t.Answers, t.Of) {
		v := QuestionView{Link: q.LinkID, Text: q.Text, Type: q.Type, Repeats: q.Repeats, Symptom: q.Symptom(), Options: []OptionView{},
			Values: []note.Answer{}}
		for _, o := range q.AnswerOption {
			v.Options = append(v.Options, OptionView{o.ValueCoding.Code, o.ValueCoding.Display, o.Exclusive()})
		}
		v.Values = append(v.Values, given[q.LinkID]...)
		v.Version = version[t.Interview.ID+" "+q.LinkID]
		if v.Symptom != "" {
			f := have[string(note.Review)+"."+v.Symptom]
			if yes := f.State == note.Present; yes || f.State == note.Absent {
				v.Values = append(v.Values, note.Answer{Yes: &yes})
			}
			v.Version = f.Version
		}
		out.Questions = append(out.Questions, v)
	}
	return out
}

// sealed reads a signed note and its amendments from the ledger itself.
func (a *Acts) sealed(q *store.Q, n store.Note, out *NoteView) error {
	entries, err := q.ChartEntries(n.PatientID)
	if err != nil {
		return err
	}
	for i := len(entries) - 1; i >= 0; i-- {
		e := entries[i]
		v := SealedView{Folio: e.Folio, SignedBy: e.SignerName, SignedAt: e.SignedAt, Hash: e.Hash, Sections: []SectionView{},
			Blocks: []note.Block{}, Drawings: []note.Drawing{}}
		switch {
		case e.Kind == "note" && e.Folio == n.Folio:
			var c note.Content
			if err := json.Unmarshal(e.Content, &c); err != nil {
				return err
			}
			for _, s := range c.Read() {
				v.Sections = append(v.Sections, SectionView(s))
			}
			v.Began = c.Began
			v.Blocks, v.Drawings, v.Share = append(v.Blocks, c.Blocks...), append(v.Drawings, c.Drawings...), c.Share
			out.Sealed, out.Blocks = &v, v.Blocks
		case e.Kind == "amendment" && e.Amends == n.Folio:
			var am amendment
			if err := json.Unmarshal(e.Content, &am); err != nil {
				return err
			}
			heading := "Amendment"
			if am.Author != "" {
				heading += " by another than the author, " + am.Author
			}
			v.Sections = append(v.Sections, SectionView{heading, am.Text})
			out.Amendments = append(out.Amendments, v)
		case e.Kind == "retraction" && e.Amends == n.Folio:
			var r retraction
			if err := json.Unmarshal(e.Content, &r); err != nil {
				return err
			}
			out.Retracted = &RetractedView{Folio: e.Folio, By: e.SignerName, At: e.SignedAt, Reason: r.Reason, Belongs: n.Belongs, Record: r.Record}
		}
	}
	return a.sources(q, out)
}
