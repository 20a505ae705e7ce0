package note

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"deftledger/app/act"
	"deftledger/app/forms"
	"deftledger/core/chart"
	"deftledger/core/note"
	"deftledger/store"
)

// BesideLine is one line that can be brought into the note from beside it.
type BesideLine struct {
	ID   string    `json:"id"`
	Part note.Part `json:"part" doc:"The part it goes into"`
	Text string    `json:"text"`
	Head string    `json:"head" doc:"What it stands under"`
}

// BesideGroup is a source of lines: an earlier note, a result, the histories, a document.
type BesideGroup struct {
	ID      string       `json:"id"`
	Kind    string       `json:"kind" enum:"note,result,history,document"`
	Title   string       `json:"title"`
	At      string       `json:"at"`
	VisitID string       `json:"visitId"`
	Link    string       `json:"link" doc:"Where the whole of it is"`
	Lines   []BesideLine `json:"lines"`
}

// Beside lists what can be looked through beside the note: earlier notes, results,
// histories and documents, newest first within their kind.
func (a *Acts) Beside(ctx context.Context, who act.Actor, id string) (out []BesideGroup, err error) {
	out = []BesideGroup{}
	l, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		n, err := q.NoteByID(id)
		if err != nil {
			return act.NotFound(err, "note")
		}
		out, err = a.beside(q, n, l)
		return err
	})
	return out, err
}

func (a *Acts) beside(q *store.Q, n store.Note, l *forms.Library) ([]BesideGroup, error) {
	out := []BesideGroup{}
	notes, err := q.NotesOf(n.PatientID)
	if err != nil {
		return out, err
	}
	visits, err := q.VisitsOf(n.PatientID)
	if err != nil {
		return out, err
	}
	visitOf := map[string]store.Visit{}
	for _, v := range visits {
		visitOf[v.ID] = v
	}
	sealed, err := q.SealedNotes(n.PatientID)
	if err != nil {
		return out, err
	}
	for _, e := range notes {
		if e.ID == n.ID || e.Retracted > 0 {
			continue
		}
		v := visitOf[e.VisitID]
		blocks, err := a.blocksOf(q, e, v, sealed[e.ID], l)
		if err != nil {
			return out, err
		}
		g := BesideGroup{ID: e.ID, Kind: "note", Title: v.Kind + ": " + v.Reason, At: a.Say(v.StartsAt), VisitID: v.ID, Link: "/patients/" + n.PatientID + "/visits/" + v.ID, Lines: []BesideLine{}}
		for _, b := range blocks {
			for i, p := range b.Pieces {
				texts := []string{p.Text}
				if p.Ref == "typed" {
					texts = note.Sentences(p.Text)
				}
				for k, text := range texts {
					head := b.Part.Heading()
					if b.Label != "" {
						head = b.Label
					}
					ref := fmt.Sprintf("note|%s|%s|%s|%d|%d", e.ID, b.Part, b.Ref, i, k)
					if area, _, _ := strings.Cut(b.Ref, "."); area == string(note.Review) || area == string(note.Examination) {
						ref = "finding|" + e.ID + "|" + p.Ref // comes in as findings
					}
					g.Lines = append(g.Lines, BesideLine{ref, b.Part, text, head})
				}
			}
		}
		out = append(out, g)
	}
	reports, err := q.ReportsOf(n.PatientID)
	if err != nil {
		return out, err
	}
	for _, r := range reports {
		g := BesideGroup{ID: r.ID, Kind: "result", Title: r.Title + ", " + strings.TrimSpace(act.StatusWord(r.Status)), At: r.CollectedAt, Link: "/desk/report/" + r.ID, Lines: []BesideLine{}}
		for i, v := range r.Values {
			text := strings.TrimSpace(v.Name+" "+v.Text+" "+v.Unit) + flagWord(v.Flag)
			if v.Range != "" {
				text += " (range " + v.Range + ")"
			}
			day := ""
			if len(r.CollectedAt) >= 10 {
				day = r.CollectedAt[:10]
			}
			g.Lines = append(g.Lines, BesideLine{fmt.Sprintf("result|%s|%d|%d", r.ID, r.Issue, i), note.Objective, fmt.Sprintf("%s, %s, %s, %s", text, chart.SayDay(day), r.Performer, strings.TrimSpace(act.StatusWord(r.Status))), r.Title})
		}
		out = append(out, g)
	}
	histories, err := a.HistoryLines(q, n.PatientID)
	if err != nil {
		return out, err
	}
	if len(histories.Lines) > 0 {
		out = append(out, histories)
	}
	docs, err := q.DocumentsOf(n.PatientID)
	for _, d := range docs {
		out = append(out, BesideGroup{ID: d.ID, Kind: "document", Title: d.Title, At: a.Say(d.MadeAt), Link: "/api/documents/" + d.ID, Lines: []BesideLine{}})
	}
	return out, err
}

// blocksOf reads an earlier note: a signed one from what was sealed, any other from
// what it is made of.
func (a *Acts) blocksOf(q *store.Q, n store.Note, v store.Visit, sealed []byte, l *forms.Library) ([]note.Block, error) {
	var c note.Content
	if sealed != nil {
		if err := json.Unmarshal(sealed, &c); err != nil || len(c.Blocks) > 0 {
			return c.Blocks, err
		}
	}
	d, err := a.drafted(q, n, v, l)
	return l.Systems.Compose(d), err
}

func flagWord(f string) string {
	if f == "" || f == "N" {
		return ""
	}
	return " " + f
}

// HistoryLines offers the histories: in a summary of one sentence for each list,
// and entry by entry.
func (a *Acts) HistoryLines(q *store.Q, patient string) (BesideGroup, error) {
	g := BesideGroup{ID: "histories", Kind: "history", Title: "Histories of the chart", Lines: []BesideLine{}}
	hs, err := q.Histories(patient)
	if err != nil {
		return g, err
	}
	ss, err := q.Statements(patient)
	if err != nil {
		return g, err
	}
	none := map[string]bool{}
	for _, s := range ss {
		if s.Says != "reviewed" {
			none[s.List] = s.Says == "none known"
		}
	}
	var details []BesideLine
	add := func(id, name string, titles []string, full []string, ids []string) {
		if len(titles) == 0 {
			return
		}
		g.Lines = append(g.Lines, BesideLine{"history|summary|" + id, note.Subjective, name + ": " + note.List(titles, "and") + ".", name})
		for i, f := range full {
			details = append(details, BesideLine{"history|entry|" + ids[i], note.Subjective, name + ": " + f + ".", name + ", in detail"})
		}
	}
	for _, k := range chart.HistoryLists {
		var titles, full, ids []string
		for _, h := range hs {
			if h.List != k.ID || h.Title == chart.Private {
				continue
			}
			title := h.Title
			if k.ID == chart.SocialList {
				title = strings.ToLower(h.Title) + " " + h.Detail
			} else if k.ID == chart.FamilyList && h.Detail != "" {
				title += " (" + h.Detail + ")"
			}
			titles = append(titles, title)
			full = append(full, sayEntry(h))
			ids = append(ids, h.ID)
		}
		if len(titles) == 0 && none[k.ID] {
			g.Lines = append(g.Lines, BesideLine{"history|none|" + k.ID, note.Subjective, k.None + ".", k.Name})
		}
		add(k.ID, k.Name+" history", titles, full, ids)
	}
	ms, err := q.Medicines(patient)
	if err != nil {
		return g, err
	}
	var titles, full, ids []string
	for _, m := range ms {
		titles, full, ids = append(titles, m.Name), append(full, strings.TrimSpace(m.Name+" "+m.Dose)), append(ids, m.ID)
	}
	add("medicines", "Medicines", titles, full, ids)
	as, err := q.Allergies(patient)
	if err != nil {
		return g, err
	}
	titles, full, ids = nil, nil, nil
	for _, x := range as {
		if x.Substance == "" {
			g.Lines = append(g.Lines, BesideLine{"history|none|allergies", note.Subjective, "No known drug allergies.", "Allergies"})
			continue
		}
		titles, full, ids = append(titles, x.Substance), append(full, x.Substance+" ("+strings.Trim(x.Reaction+", "+x.Severity, ", ")+")"), append(ids, x.ID)
	}
	add("allergies", "Allergies", titles, full, ids)
	g.Lines = append(g.Lines, details...)
	return g, nil
}

func sayEntry(h chart.HistoryEntry) string {
	s := h.Title
	if h.Detail != "" {
		s += ", " + h.Detail
	}
	switch {
	case h.Since != "" && h.Until != "":
		s += ", " + h.Since + " to " + h.Until
	case h.Since != "":
		s += ", since " + h.Since
	}
	return s
}

// Bring brings chosen lines from beside into the draft. From an earlier note they
// come in as carried, findings as findings; from results and histories with their
// source, as chosen here.
func (a *Acts) Bring(ctx context.Context, who act.Actor, id string, lines []string) (NoteView, error) {
	return a.Change(ctx, who, id, "bring in lines", func(t *act.Tx, n store.Note, v store.Visit, l *forms.Library) error {
		groups, err := a.beside(t.Q, n, l)
		if err != nil {
			return err
		}
		from := map[string]BesideGroup{}
		by := map[string]BesideLine{}
		for _, g := range groups {
			for _, x := range g.Lines {
				by[x.ID], from[x.ID] = x, g
			}
		}
		for _, ref := range lines {
			x, ok := by[ref]
			if !ok {
				return act.Stale(store.ErrStale, "What was chosen")
			}
			if err := a.bringLine(t, l, n, v, x, from[ref]); err != nil {
				return err
			}
		}
		return nil
	})
}

func (a *Acts) bringLine(t *act.Tx, l *forms.Library, n store.Note, v store.Visit, x BesideLine, g BesideGroup) error {
	c := store.CarriedSentence{Brought: note.Brought{ID: act.NewID(), Part: x.Part, Text: x.Text, Origin: note.FromChart, Source: g.Title, Looked: true}}
	if g.Kind == "result" {
		c.Source = "result of " + chart.SayDay(g.At[:min(10, len(g.At))])
	}
	if g.Kind == "note" {
		if keys, ok := strings.CutPrefix(x.ID, "finding|"+g.ID+"|"); ok {
			return a.bringFindings(t, l, n, v, g.ID, strings.Fields(keys))
		}
		sv, err := t.VisitByID(g.VisitID)
		if err != nil {
			return err
		}
		c.Origin, c.Looked, c.SourceNote, c.Source = note.Carried, false, g.ID, sourceWords(a, sv)
		// In the same words already: nothing is doubled.
		d, err := a.drafted(t.Q, n, v, l)
		if err != nil {
			return err
		}
		o := l.Systems.Forward(d, note.Source{Note: g.ID, Typed: map[note.Part]string{x.Part: x.Text}}, note.Wanted{Part: x.Part})
		if len(o.Added) == 0 {
			return nil
		}
	}
	_, err := t.AddCarried(n.ID, c, t.Who.ID, t.Now)
	return err
}

// bringFindings brings findings, named by their keys, from an earlier note.
func (a *Acts) bringFindings(t *act.Tx, l *forms.Library, n store.Note, v store.Visit, from string, keys []string) error {
	d, err := a.drafted(t.Q, n, v, l)
	if err != nil {
		return err
	}
	src, _, err := a.sourceOf(t.Q, from, n.PatientID, l)
	if err != nil {
		return err
	}
	before := d.Findings
	for _, k := range keys {
		f := strings.SplitN(k, ".", 3)
		if f[2] == "" {
			f[2] = note.OwnWords
		}
		d.Findings = l.Systems.Forward(d, src, note.Wanted{Area: note.Area(f[0]), System: f[1], Finding: f[2]}).Findings
	}
	return a.putFindings(t, n.ID, before, d.Findings)
}

// LastFindings says how each system read at the last visit that has findings of
// it: beside what is found now.
func (a *Acts) LastFindings(ctx context.Context, who act.Actor, id string) (out []LastSystem, err error) {
	out = []LastSystem{}
	l, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		n, v, err := act.NoteVisit(q, id)
		if err != nil {
			return err
		}
		earlier, err := q.FindingsBefore(n.PatientID, id, v.StartsAt)
		seen := map[string]bool{}
		for _, e := range earlier {
			for _, b := range l.Systems.Compose(note.Draft{Findings: e.Findings}) {
				if !seen[b.Ref] {
					seen[b.Ref] = true
					area, system, _ := strings.Cut(b.Ref, ".")
					out = append(out, LastSystem{area, system, b.Text(), a.Say(e.StartsAt), e.NoteID})
				}
			}
		}
		return err
	})
	return out, err
}

// LastSystem is how a system read at an earlier visit.
type LastSystem struct {
	Area   string `json:"area"`
	System string `json:"system"`
	Text   string `json:"text"`
	At     string `json:"at"`
	Note   string `json:"note"`
}

// FoundNote is a note in which a finding was made.
type FoundNote struct {
	Patient act.PatientView `json:"patient"`
	VisitID string          `json:"visitId"`
	At      string          `json:"at"`
	State   string          `json:"state"`
}

// FoundNotes is a page of notes; next is what the page after it comes after, empty when there
// is none.
type FoundNotes struct {
	Notes []FoundNote `json:"notes"`
	Next  string      `json:"next" doc:"What to ask the next page after; empty when this is the last"`
}

// foundPage is how many notes come at a time.
const foundPage = 100

// SearchFindings finds the notes of a patient, or with no patient of the practice,
// in which a symptom or finding is recorded, newest first, after a note or from the start.
func (a *Acts) SearchFindings(ctx context.Context, who act.Actor, patient string, area note.Area, system, finding, after string) (out FoundNotes, err error) {
	out.Notes = []FoundNote{}
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		hits, err := q.NotesWith(area, system, finding, patient, after, foundPage+1)
		if len(hits) > foundPage {
			hits = hits[:foundPage]
			out.Next = hits[foundPage-1].Visit.NoteID
		}
		for _, h := range hits {
			out.Notes = append(out.Notes, FoundNote{a.Patient(h.Visit.Patient), h.Visit.ID, a.Say(h.Visit.StartsAt), h.State})
		}
		return err
	})
	if err == nil && patient == "" {
		err = a.Write(ctx, who, func(t *act.Tx) error { return t.Audit("search findings", "", system+" "+finding, "") })
	}
	return out, err
}
