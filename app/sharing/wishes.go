package sharing

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/store"
)

// HoldingBack is a wish to hold something back from everybody but the patient, the end of one, or that something may go out although it
// tells of what is held back.
type HoldingBack struct {
	Of    string `json:"of" enum:"part,subject,entry"`
	ID    string `json:"id" maxLength:"100" doc:"Of the part, the subject, or the entry, note or document"`
	Held  bool   `json:"held" doc:"Held back from now on; otherwise it may go out"`
	Law   bool   `json:"law,omitempty" doc:"Held back for a reason of the law rather than at the patient's wish"`
	Words string `json:"words" maxLength:"1000" doc:"What the patient said, or which law"`
	Day   string `json:"day" maxLength:"10" doc:"When the patient said so, YYYY-MM-DD"`
}

// StandingWish is what is held back now.
type StandingWish struct {
	HoldingBack
	Title string `json:"title"`
	By    string `json:"by"`
	At    string `json:"at"`
}

// KeptBack is an entry, a note or a file that does not go out, or that somebody let go.
type KeptBack struct {
	Ref     string `json:"ref"`
	Says    string `json:"says"`
	At      string `json:"at" doc:"When it was, as precisely as it is known"`
	Why     string `json:"why" doc:"Why it does not go out; empty where somebody lets it go"`
	Ask     bool   `json:"ask" doc:"Nobody has decided on it: it is kept back because of what it says, or because nobody can look into it"`
	Cleared string `json:"cleared" doc:"By whom and when it was let go"`
}

// MayHold is something that can be held back.
type MayHold struct {
	Of    string `json:"of" enum:"part,subject,entry"`
	ID    string `json:"id"`
	Title string `json:"title"`
	Says  string `json:"says"`
	tells string // words by which others may tell of it
	reads []string
}

// HeldPage is what a patient wishes to hold back, what follows from it, and what else can be held back.
type HeldPage struct {
	Wishes []StandingWish `json:"wishes"`
	Back   []KeptBack     `json:"back"`
	Ask    int            `json:"ask" doc:"So many nobody has decided on"`
	May    []MayHold      `json:"may"`
}

// wished are the wishes that stand, and what somebody lets go, each as it was said last.
func (a *Acts) wished(q *store.Q, patient string) (wishes []StandingWish, cleared map[string]StandingWish, err error) {
	wishes, cleared = []StandingWish{}, map[string]StandingWish{}
	all, err := a.Wishes(q, patient)
	for _, w := range all {
		v := StandingWish{HoldingBack: HoldingBack{Of: w.Of, ID: w.ID, Held: w.Held, Law: w.Law, Words: w.Words, Day: w.Day}, Title: w.Title, By: w.By, At: a.Say(w.At)}
		switch {
		case w.Held:
			wishes = append(wishes, v)
		case w.Of == outside.OfEntry:
			cleared[w.ID] = v
		}
	}
	order := []string{outside.OfSubject, outside.OfPart, outside.OfEntry}
	slices.SortStableFunc(wishes, func(x, y StandingWish) int { return slices.Index(order, x.Of) - slices.Index(order, y.Of) })
	return wishes, cleared, err
}

// tells is what an entry says, for whoever keeps it back.
func (a *Acts) tells(i outside.Item) outside.Told {
	ref, _, _ := strings.Cut(i.Ref, " ") // a value goes with its report
	t := outside.Told{Ref: ref, Text: i.Says()}
	for _, p := range outside.Parts {
		if slices.Contains(p.Lists, i.List) {
			t.Parts = append(t.Parts, p.ID)
		}
	}
	for _, c := range i.Codes {
		if t.Text += " " + c.Title; c.System == outside.ICD10 {
			t.Codes = append(t.Codes, c.Code)
		}
	}
	if i.List == outside.Medicines {
		t.Names = a.Medicines.Ingredients(i.Title)
	}
	return t
}

// tellsText is what a note or a file says; one without words cannot be looked into.
func (a *Acts) tellsText(k outside.Keeper, ref, part, title, text string) outside.Told {
	t := outside.Told{Ref: ref, Parts: []string{part}, Text: title + " " + text, Unread: text == ""}
	if len(k.Wishes) > 0 {
		t.Names = a.Medicines.NamesIn(t.Text)
	}
	return t
}

// withhold leaves out of a record what its patient wishes to hold back from others.
func (a *Acts) withhold(k outside.Keeper, r *outside.Record) {
	if len(k.Wishes) == 0 {
		return
	}
	r.Items = slices.DeleteFunc(r.Items, func(i outside.Item) bool { return k.Why(a.tells(i)) != "" })
	for n, s := range r.Sections {
		if s.Title != notThere {
			continue
		}
		var lines []string
		for line := range strings.Lines(s.HTML) {
			if k.Why(outside.Told{Parts: []string{"histories"}, Text: line}) == "" {
				lines = append(lines, line)
			}
		}
		r.Sections[n].HTML = strings.Join(lines, "")
	}
	r.Sections = slices.DeleteFunc(r.Sections, func(s outside.Narrated) bool { return s.HTML == "" })
}

// everything is all that may go out of a chart, by what it says, the newest of each kind first.
func (a *Acts) everything(q *store.Q, p chart.Patient, k outside.Keeper) (all []outside.Told, may map[string]*MayHold, err error) {
	may = map[string]*MayHold{}
	put := func(t outside.Told, words, at, tells string) {
		all = append(all, t)
		m := may[t.Ref]
		if m == nil {
			m = &MayHold{Of: outside.OfEntry, ID: t.Ref, Title: words, Says: at, tells: tells}
			may[t.Ref] = m
		} else if m.tells != tells { // a report of several values tells of nothing by one of them
			m.tells = ""
		}
		m.reads = append(m.reads, t.Reads())
	}
	whole, err := a.Whole(q, p)
	if err != nil {
		return nil, nil, err
	}
	reports, err := a.given(q, p.ID)
	if err != nil {
		return nil, nil, err
	}
	titles := map[string]string{}
	for _, r := range reports {
		titles[r.ID] = r.Title
	}
	for _, i := range whole.Items {
		t := a.tells(i)
		words := strings.TrimSuffix(i.Title+", "+i.Detail, ", ")
		if i.List == outside.Results || i.List == outside.Vitals {
			words = cmp.Or(titles[t.Ref], i.Title)
		}
		tells := i.Title
		if i.List == outside.Encounters || i.List == outside.Vitals || i.List == outside.Team {
			tells = "" // "Follow-up visit" tells of nothing
		}
		put(t, words, i.Since, tells)
	}
	for _, r := range reports {
		for _, f := range filesOf(r) {
			put(unread(r.ID, f), r.Title, r.CollectedAt, "")
		}
	}
	notes, err := a.Note.Told(q, p.ID)
	if err != nil {
		return nil, nil, err
	}
	for _, n := range notes {
		put(a.tellsText(k, n.ID, outside.NotesPart, n.Title, n.Text), "Note: "+n.Title, n.At, "")
	}
	documents, err := q.DocumentsOf(p.ID)
	for _, d := range documents {
		put(a.tellsText(k, d.ID, outside.DocumentsPart, d.Title, ""), "Document: "+d.Title, a.Say(d.MadeAt), "")
	}
	return all, may, err
}

// Held opens what a patient wishes to hold back.
func (a *Acts) Held(ctx context.Context, who act.Actor, patient string) (out HeldPage, err error) {
	if err := act.Allow(who, act.GiveOut); err != nil {
		return out, err
	}
	err = a.Look(ctx, who, act.GiveOut, func(q *store.Q) error {
		out, err = a.held(q, patient)
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "look at what is held back", patient, "")
	}
	return out, err
}

func (a *Acts) held(q *store.Q, patient string) (out HeldPage, err error) {
	out = HeldPage{Back: []KeptBack{}, May: []MayHold{}}
	p, err := q.Person(patient)
	if err != nil {
		return out, act.NotFound(err, "patient")
	}
	k, err := a.Keeper(q, p.ID)
	if err != nil {
		return out, err
	}
	wishes, cleared, err := a.wished(q, p.ID)
	if err != nil {
		return out, err
	}
	out.Wishes = wishes
	for _, s := range a.Sensitive.Subjects {
		out.May = append(out.May, MayHold{Of: outside.OfSubject, ID: s.ID, Title: s.Title, Says: "whatever tells of it"})
	}
	for _, x := range outside.Parts {
		out.May = append(out.May, MayHold{Of: outside.OfPart, ID: x.ID, Title: x.Title, Says: "the whole part"})
	}
	all, may, err := a.everything(q, p, k)
	if err != nil {
		return out, err
	}
	back := map[string]string{}
	for _, t := range all {
		if back[t.Ref] == "" {
			back[t.Ref] = k.Why(t)
		}
	}
	listed := map[string]bool{}
	for _, t := range all {
		m := *may[t.Ref]
		v := KeptBack{Ref: t.Ref, Says: m.Title, At: m.Says}
		if listed[t.Ref] {
			continue
		}
		listed[t.Ref] = true
		if !slices.Contains(t.Parts, "vitals") || back[t.Ref] != "" {
			out.May = append(out.May, m)
		}
		v.Why = back[t.Ref]
		byItself := slices.ContainsFunc(wishes, func(w StandingWish) bool {
			return w.Of == outside.OfEntry && w.ID == t.Ref || w.Of == outside.OfPart && slices.Contains(t.Parts, w.ID)
		})
		c, gone := cleared[t.Ref]
		switch {
		case v.Why == "" && gone && len(wishes) > 0:
			v.Cleared = c.By + ", " + chart.SayDay(a.DayOf(c.At))
		case v.Why == "":
			continue
		}
		if v.Ask = v.Why != "" && !byItself; v.Ask {
			out.Ask++
		}
		out.Back = append(out.Back, v)
	}
	slices.SortStableFunc(out.Back, func(x, y KeptBack) int { return rank(x) - rank(y) })
	return out, nil
}

// rank puts what asks first, and what was let go last.
func rank(x KeptBack) int {
	switch {
	case x.Ask:
		return 0
	case x.Why != "":
		return 1
	}
	return 2
}

// HoldBack keeps a wish to hold something back, or that it may go out. The patient's own copy is whole all the same (45 CFR 164.524). What
// waits for the exchange and has not gone is taken back.
func (a *Acts) HoldBack(ctx context.Context, who act.Actor, patient string, h HoldingBack) (out HeldPage, err error) {
	if err := act.Allow(who, act.GiveOut); err != nil {
		return out, err
	}
	h.Words = chart.Tidy(h.Words)
	if h.Words == "" && (h.Held || h.Of != outside.OfEntry) {
		return out, act.Refuse(act.Invalid, "Say what the patient said, or which law asks for it.")
	}
	look := func() error {
		return a.Look(ctx, who, act.GiveOut, func(q *store.Q) error {
			out, err = a.held(q, patient)
			return err
		})
	}
	if err := look(); err != nil { // before the transaction, which it would hold up
		return out, err
	}
	i := slices.IndexFunc(out.May, func(m MayHold) bool { return m.Of == h.Of && m.ID == h.ID })
	if i < 0 {
		return out, act.Refuse(act.Missing, "There is nothing of that kind to hold back.")
	}
	asks := slices.ContainsFunc(out.Back, func(b KeptBack) bool { return b.Ref == h.ID && b.Why != "" })
	err = a.Act(ctx, who, act.GiveOut, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		if _, err := time.Parse(time.DateOnly, h.Day); err != nil || h.Day > a.Today() || p.BirthDate != "" && h.Day < p.BirthDate {
			return act.Refuse(act.Invalid, "Say the day on which %s said so: not in the future, and not before the birth.", p.Name.Given)
		}
		wishes, _, err := a.wished(t.Q, p.ID)
		if err != nil {
			return err
		}
		stands := slices.ContainsFunc(wishes, func(w StandingWish) bool { return w.Of == h.Of && w.ID == h.ID })
		if h.Held && stands || !h.Held && !stands && !asks {
			return nil // it is so already
		}
		w := act.Wished{Of: h.Of, ID: h.ID, Title: out.May[i].Title, Held: h.Held, Law: h.Law, Words: h.Words, Day: h.Day}
		if h.Held {
			w.Tells = out.May[i].tells
		} else {
			w.Reads = out.May[i].reads
		}
		body, err := json.Marshal(w)
		if err != nil {
			return err
		}
		id := act.NewID()
		if _, err := t.AddInquiry(store.Inquiry{ID: id, Kind: store.SharingWish, Source: "here", Origin: "wish " + id, PatientID: p.ID, ByID: who.ID, Said: body, At: t.Now}); err != nil {
			return err
		}
		if h.Held {
			if err := a.stopWaiting(t, p.ID, "something is held back since at the patient's wish: give another copy"); err != nil {
				return err
			}
		}
		t.Tell(act.PatientEvent, p.ID, p.ID)
		return t.Audit("say what is held back", p.ID, id, fmt.Sprint(h.Of, " ", map[bool]string{true: "held back", false: "may go out"}[h.Held]))
	})
	if err != nil {
		return out, err
	}
	return out, look()
}
