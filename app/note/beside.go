package note

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/app/forms"
	"deftledger/core/chart"
	"deftledger/core/note"
	"deftledger/core/result"
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

// BesideView is a page of what can be looked through beside a note.
type BesideView struct {
	Groups []BesideGroup `json:"groups"`
	Counts []BesideCount `json:"counts" doc:"How many sources of each kind there are"`
	Next   string        `json:"next" doc:"Begins the next page; empty when there is no more"`
}

// BesideCount is how many sources of a kind there are.
type BesideCount struct {
	Kind  string `json:"kind" enum:"note,result,history,document"`
	Count int    `json:"count"`
}

// Sizes of a page of what is beside: so many sources are read at a time, and a page is full
// with so many lines.
const (
	besideSources = 24
	besideLines   = 250
)

// histories is the one source that is no row of its own.
var histories = store.Happened{Kind: "history", ID: "histories"}

// besideKinds are what the kinds of source are called here, in order.
var besideKinds = []struct{ kind, says string }{{store.HappenedNote, "note"}, {store.HappenedReport, "result"}, {histories.Kind, "history"},
	{store.HappenedDocument, "document"}}

// Beside lists what can be looked through beside the note and has the words asked for:
// earlier notes, results, histories and documents, newest first within their kind. kind ""
// is every kind; after is where the page before ended.
func (a *Acts) Beside(ctx context.Context, who act.Actor, id, words, kind, after string) (out BesideView, err error) {
	out = BesideView{Groups: []BesideGroup{}, Counts: []BesideCount{}}
	l, err := a.Forms.Current()
	if err != nil {
		return out, err
	}
	patient := ""
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		n, err := q.NoteByID(id)
		if err != nil {
			return act.NotFound(err, "note")
		}
		patient = n.PatientID
		all, err := besideSourcesOf(q, n)
		if err != nil {
			return err
		}
		var wanted []store.Happened
		for _, k := range besideKinds {
			count := 0
			for _, h := range all {
				if h.Kind == k.kind {
					count++
					if kind == "" || kind == k.says {
						wanted = append(wanted, h)
					}
				}
			}
			out.Counts = append(out.Counts, BesideCount{Kind: k.says, Count: count})
		}
		if after != "" {
			wanted = wanted[slices.IndexFunc(wanted, func(h store.Happened) bool { return h.Kind+" "+h.ID == after })+1:]
		}
		asked := strings.Fields(strings.ToLower(words))
		lines := 0
		for len(wanted) > 0 && lines < besideLines && len(out.Groups) < besideSources {
			some := wanted[:min(besideSources, len(wanted))]
			wanted = wanted[len(some):]
			groups, err := a.beside(q, n, l, some)
			if err != nil {
				return err
			}
			for _, g := range groups {
				if g.keep(asked) {
					lines += len(g.Lines)
					out.Groups = append(out.Groups, g)
				}
			}
			if last := some[len(some)-1]; len(wanted) > 0 {
				out.Next = last.Kind + " " + last.ID
			} else {
				out.Next = ""
			}
		}
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "look beside the note", patient, id)
	}
	return out, err
}

// keep leaves the lines that have all words, in small letters, and says whether the group
// has any; a document has no lines and is kept by its title.
func (g *BesideGroup) keep(words []string) bool {
	has := func(text string) bool {
		text = strings.ToLower(text)
		return !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, w) })
	}
	g.Lines = slices.DeleteFunc(g.Lines, func(l BesideLine) bool { return !has(l.Text + " " + l.Head + " " + g.Title) })
	return len(g.Lines) > 0 || g.Kind == "document" && has(g.Title)
}

// besideSourcesOf lists the sources beside a note, in order.
func besideSourcesOf(q *store.Q, n store.Note) ([]store.Happened, error) {
	all, err := q.BesideNote(n.PatientID, n.ID)
	at := slices.IndexFunc(all, func(h store.Happened) bool { return h.Kind == store.HappenedDocument })
	if at < 0 {
		at = len(all)
	}
	return slices.Insert(all, at, histories), err
}

// beside reads sources, a statement or two for each kind, in the order they are named.
func (a *Acts) beside(q *store.Q, n store.Note, l *forms.Library, sources []store.Happened) ([]BesideGroup, error) {
	ids := map[string][]string{}
	for _, h := range sources {
		ids[h.Kind] = append(ids[h.Kind], h.ID)
	}
	read := map[store.Happened]BesideGroup{}
	if of := ids[store.HappenedNote]; len(of) > 0 {
		groups, err := a.besideNotes(q, of, l)
		if err != nil {
			return nil, err
		}
		for _, g := range groups {
			read[store.Happened{Kind: store.HappenedNote, ID: g.ID}] = g
		}
	}
	if of := ids[store.HappenedReport]; len(of) > 0 {
		reports, err := q.ReportsIn(of)
		if err != nil {
			return nil, err
		}
		for _, r := range reports {
			read[store.Happened{Kind: store.HappenedReport, ID: r.ID}] = besideReport(r)
		}
	}
	if len(ids[histories.Kind]) > 0 {
		held, err := a.Assess.Order.Record(q, n.PatientID, a.Today())
		if err != nil {
			return nil, err
		}
		read[histories] = HistoryLines(held)
	}
	if of := ids[store.HappenedDocument]; len(of) > 0 {
		docs, err := q.DocumentsIn(of)
		if err != nil {
			return nil, err
		}
		for _, d := range docs {
			read[store.Happened{Kind: store.HappenedDocument, ID: d.ID}] = BesideGroup{
				ID: d.ID, Kind: "document", Title: d.Title, At: a.Say(d.MadeAt), Link: "/api/documents/" + d.ID, Lines: []BesideLine{},
			}
		}
	}
	var out []BesideGroup
	for _, h := range sources {
		if g, ok := read[h]; ok {
			out = append(out, g)
		}
	}
	return out, nil
}

// besideNotes reads earlier notes as sources.
func (a *Acts) besideNotes(q *store.Q, ids []string, l *forms.Library) (out []BesideGroup, err error) {
	notes, err := q.NotesIn(ids)
	if err != nil {
		return nil, err
	}
	visits, err := q.VisitsWithNotes(ids)
	if err != nil {
		return nil, err
	}
	visitOf := map[string]store.Visit{}
	for _, v := range visits {
		visitOf[v.ID] = v
	}
	sealed, err := q.SealedNotes(ids)
	if err != nil {
		return nil, err
	}
	for _, e := range notes {
		v := visitOf[e.VisitID]
		blocks, err := a.blocksOf(q, e, v, sealed[e.ID], l)
		if err != nil {
			return nil, err
		}
		g := BesideGroup{
			ID: e.ID, Kind: "note", Title: v.Kind + ": " + v.Reason, At: a.Say(v.StartsAt), VisitID: v.ID,
			Link: "/patients/" + e.PatientID + "/visits/" + v.ID, Lines: []BesideLine{},
		}
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
					g.Lines = append(g.Lines, BesideLine{ID: ref, Part: b.Part, Text: text, Head: head})
				}
			}
		}
		out = append(out, g)
	}
	return out, nil
}

// besideReport writes a report as a source.
func besideReport(r store.Report) BesideGroup {
	status := result.SayReport(r.Status)
	g := BesideGroup{ID: r.ID, Kind: "result", Title: r.Title + ", " + status, At: r.CollectedAt, Link: "/desk/report/" + r.ID,
		Lines: []BesideLine{}}
	for i, v := range r.Values {
		if !result.Live(v.Status) {
			continue // withdrawn, deleted, or not there yet: nothing to bring into a note
		}
		text := strings.TrimSpace(v.Name+" "+v.Text+" "+chart.ShownUnit(v.Unit)) + flagWord(v.Flag)
		if s := result.SayStatus(v.Status); s != "" {
			text += ", " + s
		}
		if v.Range != "" {
			text += " (range " + v.Range + ")"
		}
		day := ""
		if len(r.CollectedAt) >= 10 {
			day = r.CollectedAt[:10]
		}
		g.Lines = append(g.Lines, BesideLine{
			ID: fmt.Sprintf("result|%s|%d|%d", r.ID, r.Issue, i), Part: note.Objective,
			Text: fmt.Sprintf("%s, %s, %s, %s", text, chart.SayDay(day), r.Performer, status), Head: r.Title,
		})
	}
	return g
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
	return " " + strings.ReplaceAll(f, "~", ", ")
}

// HistoryLines offers the histories: in a summary of one sentence for each list,
// and entry by entry.
func HistoryLines(held chart.Record) BesideGroup {
	g := BesideGroup{ID: histories.ID, Kind: "history", Title: "Histories of the chart", Lines: []BesideLine{}}
	none := map[string]bool{}
	for _, s := range held.Statements {
		if s.Says != "reviewed" {
			none[s.List] = s.Says == "none known"
		}
	}
	var details []BesideLine
	add := func(id, name string, titles []string, full []string, ids []string) {
		if len(titles) == 0 {
			return
		}
		g.Lines = append(g.Lines, BesideLine{ID: "history|summary|" + id, Part: note.Subjective,
			Text: name + ": " + note.List(titles, "and") + ".", Head: name})
		for i, f := range full {
			details = append(details, BesideLine{ID: "history|entry|" + ids[i], Part: note.Subjective, Text: name + ": " + f + ".",
				Head: name + ", in detail"})
		}
	}
	for _, k := range chart.HistoryLists {
		var titles, full, ids []string
		for _, h := range held.Histories {
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
			g.Lines = append(g.Lines, BesideLine{ID: "history|none|" + k.ID, Part: note.Subjective, Text: k.None + ".", Head: k.Name})
		}
		add(k.ID, k.Name+" history", titles, full, ids)
	}
	var titles, full, ids []string
	for _, m := range held.Medicines {
		titles, full, ids = append(titles, m.Name), append(full, strings.TrimSpace(m.Name+" "+m.Dose)), append(ids, m.ID)
	}
	add(chart.MedicineList, "Medicines", titles, full, ids)
	titles, full, ids = nil, nil, nil
	for _, x := range held.Allergies {
		if x.Substance == "" {
			g.Lines = append(g.Lines, BesideLine{ID: "history|none|allergies", Part: note.Subjective, Text: "No known drug allergies.",
				Head: "Allergies"})
			continue
		}
		titles, full, ids = append(titles, x.Substance), append(full, x.Substance+" ("+strings.Trim(x.Reaction+", "+x.Severity, ", ")+")"),
			append(ids, x.ID)
	}
	add(chart.AllergyList, "Allergies", titles, full, ids)
	g.Lines = append(g.Lines, details...)
	return g
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
		groups, err := a.besideOf(t.Q, n, l, lines)
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

// besideOf reads the sources that lines stand in, where they are beside this note.
func (a *Acts) besideOf(q *store.Q, n store.Note, l *forms.Library, lines []string) ([]BesideGroup, error) {
	all, err := besideSourcesOf(q, n)
	if err != nil {
		return nil, err
	}
	kinds := map[string]string{"note": store.HappenedNote, "finding": store.HappenedNote, "result": store.HappenedReport}
	named := map[store.Happened]bool{}
	for _, ref := range lines {
		kind, rest, _ := strings.Cut(ref, "|")
		id, _, _ := strings.Cut(rest, "|")
		h := store.Happened{Kind: kinds[kind], ID: id}
		if kind == histories.Kind {
			h = histories
		}
		named[h] = true
	}
	return a.beside(q, n, l, slices.DeleteFunc(all, func(h store.Happened) bool { return !named[h] }))
}

func (a *Acts) bringLine(t *act.Tx, l *forms.Library, n store.Note, v store.Visit, x BesideLine, g BesideGroup) error {
	c := store.CarriedSentence{Brought: note.Brought{ID: act.NewID(), Part: x.Part, Text: x.Text, Origin: note.FromChart, Source: g.Title,
		Looked: true}}
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
	patient := ""
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		n, v, err := act.NoteVisit(q, id)
		if err != nil {
			return err
		}
		patient = n.PatientID
		earlier, err := q.FindingsBefore(n.PatientID, id, v.StartsAt)
		seen := map[string]bool{}
		for _, e := range earlier {
			for _, b := range l.Systems.Compose(note.Draft{Findings: e.Findings}) {
				if !seen[b.Ref] {
					seen[b.Ref] = true
					area, system, _ := strings.Cut(b.Ref, ".")
					out = append(out, LastSystem{Area: area, System: system, Text: b.Text(), At: a.Say(e.StartsAt), Note: e.NoteID})
				}
			}
		}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open note", patient, id)
	}
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
func (a *Acts) SearchFindings(ctx context.Context, who act.Actor, patient string, area note.Area, system, finding,
	after string) (out FoundNotes, err error) {
	out.Notes = []FoundNote{}
	right := act.SeeChart
	if patient == "" {
		right = act.SeePractice
		if err := act.Allow(who, act.SeeChart); err != nil {
			return out, err
		}
	}
	err = a.Look(ctx, who, right, func(q *store.Q) error {
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
		err = a.Write(ctx, who, func(t *act.Tx) error { return t.Audit("search findings", "", "", "") })
	}
	if err == nil && patient != "" {
		err = a.Saw(ctx, who, "search findings of the patient", patient, "")
	}
	return out, err
}
