package forms

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/letter"
	"deftledger/core/note"
	"deftledger/exchange/forms"
	"deftledger/store"
)

// FormRow is a form in the list of forms.
type FormRow struct {
	Kind    string `json:"kind" enum:"systems,visits,interview,snippets,sets,letters,leaflets,services"`
	ID      string `json:"id"`
	Owner   string `json:"owner" enum:"clinic,me"`
	Title   string `json:"title"`
	Version int    `json:"version"`
	Shipped bool   `json:"shipped"`
	Retired bool   `json:"retired"`
}

// FormText is a form as text.
type FormText struct {
	FormRow
	Body  string `json:"body"`
	Prose string `json:"prose"`
}

// FormsView lists the forms a person can change.
type FormsView struct {
	Forms   []FormRow `json:"forms"`
	Skipped []string  `json:"skipped" doc:"Versions that no longer fit and are not used"`
	Codes   string    `json:"codes" doc:"Set for whoever can mend it when the code edition does not cover today"`
}

func (l *Library) row(n Name, f formFile) FormRow {
	r := FormRow{Kind: n.Kind, ID: n.ID, Owner: "clinic", Version: f.Version, Shipped: f.shipped, Retired: f.retired, Title: n.ID}
	switch n.Kind {
	case formInterview:
		if vs := l.interviews[n.ID]; len(vs) > 0 {
			r.Title = vs[len(vs)-1].Questions.Title
		}
	case formSystems:
		r.Title = "Body systems and findings"
	case formVisits:
		r.Title = "Kinds of visit"
	case formSnippet:
		r.Title = "Snippets of the clinic"
	case Sets:
		r.Title = "Sets of the clinic"
	case formLetters:
		r.Title = "Letters of the clinic"
	case formLeaflets:
		r.Title = "Leaflets"
	case formServices:
		r.Title = "Services by our licence"
	}
	if n.Owner != "" {
		r.Owner, r.Title = "me", owned[n.Kind].title
	}
	return r
}

// ListForms lists the forms of the clinic and the person's own.
func (a *Acts) ListForms(_ context.Context, who act.Actor) (FormsView, error) {
	out := FormsView{Forms: []FormRow{}, Skipped: []string{}}
	if err := act.Allow(who, act.UseForms); err != nil {
		return out, err
	}
	l, err := a.Current()
	if err != nil {
		return out, err
	}
	mine := map[string]bool{}
	for n, f := range l.Files {
		if n.Owner != "" && n.Owner != who.ID {
			continue
		}
		mine[n.Kind] = mine[n.Kind] || n.Owner != ""
		out.Forms = append(out.Forms, l.row(n, f))
	}
	for kind, o := range owned {
		if !mine[kind] {
			out.Forms = append(out.Forms, FormRow{Kind: kind, ID: "mine", Owner: "me", Title: o.title})
		}
	}
	slices.SortFunc(out.Forms, func(x, y FormRow) int { return strings.Compare(x.Kind+x.Owner+x.Title, y.Kind+y.Owner+y.Title) })
	out.Skipped = append(out.Skipped, l.skipped...)
	if act.Allow(who, act.ChangeForms) == nil { // said to whoever can mend it, and to nobody else
		lib, _, err := a.Codes()
		if err != nil {
			return out, err
		}
		_, out.Codes = lib.On(a.Today())
	}
	return out, nil
}

// ReadForm reads a form as text, in a version; 0 is the newest.
func (a *Acts) ReadForm(_ context.Context, who act.Actor, kind, id, owner string, version int) (FormText, error) {
	if err := act.Allow(who, act.UseForms); err != nil {
		return FormText{}, err
	}
	l, err := a.Current()
	if err != nil {
		return FormText{}, err
	}
	n := Name{kind, id, ""}
	if owner == "me" {
		n.Owner = who.ID
	}
	f, ok := l.Files[n]
	if o, own := owned[kind]; !ok && owner == "me" && own {
		return FormText{FormRow{Kind: kind, ID: id, Owner: "me", Title: o.title}, o.first, ""}, nil
	}
	if ok && version > 0 {
		i := slices.IndexFunc(l.history[n], func(x formFile) bool { return x.Version == version })
		if ok = i >= 0; ok {
			f = l.history[n][i]
		}
	}
	if !ok {
		return FormText{}, act.Refuse(act.Missing, "There is no such form.")
	}
	return FormText{l.row(n, f), f.Body, f.prose}, nil
}

// FormVersion is one version of a form: when it was kept, and by whom.
type FormVersion struct {
	Version int    `json:"version"`
	By      string `json:"by" doc:"Empty for what ships"`
	At      string `json:"at"`
}

// FormVersions lists the versions of a form, newest first. Each can be read, and kept
// again as the newest.
func (a *Acts) FormVersions(ctx context.Context, who act.Actor, kind, id, owner string) (out []FormVersion, err error) {
	out = []FormVersion{}
	l, err := a.Current()
	if err != nil {
		return out, err
	}
	n := Name{kind, id, ""}
	if owner == "me" {
		n.Owner = who.ID
	}
	err = a.Look(ctx, who, act.UseForms, func(q *store.Q) error {
		names, err := q.StaffNames()
		for _, f := range slices.Backward(l.history[n]) {
			v := FormVersion{Version: f.Version, By: names[f.byID]}
			if !f.at.IsZero() {
				v.At = a.Say(f.at)
			}
			out = append(out, v)
		}
		return err
	})
	return out, err
}

// FormEntry is one entry of a form that holds many.
type FormEntry = forms.Entry

// FormEntries lists the entries of a form that holds many, as it is being written.
func (a *Acts) FormEntries(_ context.Context, who act.Actor, body string) ([]FormEntry, error) {
	if err := act.Allow(who, act.UseForms); err != nil {
		return nil, err
	}
	out, err := forms.Entries("the form", body)
	if err != nil {
		return []FormEntry{}, act.Refuse(act.Invalid, "%s.", strings.TrimSuffix(err.Error(), "."))
	}
	return out, nil
}

// Copied is a form with a copy of one of its entries.
type Copied struct {
	Body string `json:"body"`
	Line int    `json:"line" doc:"The first line of the copy"`
}

// CopyEntry puts a copy of an entry into a form as it is being written; nothing is
// kept until the form is.
func (a *Acts) CopyEntry(_ context.Context, who act.Actor, body, list, id, newID, title string) (Copied, error) {
	if err := act.Allow(who, act.UseForms); err != nil {
		return Copied{}, err
	}
	text, line, err := forms.Copy("the form", body, list, id, newID, title)
	if err != nil {
		return Copied{}, act.Refuse(act.Invalid, "%s.", strings.TrimSuffix(err.Error(), "."))
	}
	return Copied{text, line}, nil
}

// Preview is how a form works before it is kept.
type Preview struct {
	Fault string   `json:"fault" doc:"What is wrong, with its line; empty when nothing is"`
	Says  []string `json:"says" doc:"What it would ask, write or need"`
}

// TryForm checks a form without keeping it and shows what it does.
func (a *Acts) TryForm(_ context.Context, who act.Actor, f FormText) (Preview, error) {
	if err := act.Allow(who, act.UseForms); err != nil {
		return Preview{}, err
	}
	says, err := a.tryForm(who, f)
	if err != nil {
		return Preview{Fault: err.Error(), Says: []string{}}, nil
	}
	return Preview{Says: says}, nil
}

var formID = strings.NewReplacer("-", "")

func (a *Acts) tryForm(_ act.Actor, f FormText) ([]string, error) {
	l, err := a.loadForms()
	if err != nil {
		return nil, err
	}
	if id := formID.Replace(f.ID); id == "" || len(f.ID) > 40 || strings.Trim(id, "abcdefghijklmnopqrstuvwxyz0123456789") != "" {
		return nil, errors.New("the name of a form is made of small letters, digits and hyphens")
	}
	if err := l.take(store.Form{Kind: f.Kind, ID: f.ID, Version: 1 << 20, Body: f.Body, Prose: f.Prose}, a.Services); err != nil {
		return nil, err
	}
	says := []string{}
	switch f.Kind {
	case formSystems:
		// The interviews and kinds of visit must go on fitting the list.
		for n, file := range l.Files {
			if n.Kind == formInterview {
				if _, err := forms.Interview(n.ID, 1, file.Body, file.prose, l.Systems); err != nil {
					return nil, fmt.Errorf("the interview %s would no longer fit: %w", n.ID, err)
				}
			}
		}
		for _, x := range append(slices.Clone(l.Systems.Review), l.Systems.Examination...) {
			says = append(says, fmt.Sprintf("%s: %d to ask or find", x.Name, len(x.Items())))
		}
	case formVisits:
		for _, k := range l.Kinds {
			says = append(says, k.Name+" needs "+note.List(k.Requires, "and"))
		}
	case formSnippet:
		for _, s := range l.snippets[""] {
			says = append(says, ","+s.Key+"  "+s.Text)
		}
	case Sets:
		for _, s := range l.Sets[""] {
			if err := a.knownCodes(s.ID, s.Codes); err != nil {
				return nil, err
			}
			parts := s.Parts(a.Laboratory("").Tests, l.LeafletTitles())
			says = append(says, fmt.Sprintf("%s: %d parts", s.Title, len(parts)))
			for _, p := range parts {
				if p.Gone {
					says = append(says, "– "+p.Words)
				}
			}
		}
	case formLetters:
		for _, x := range l.Letters {
			says = append(says, x.Title+", to "+map[string]string{letter.Colleague: "a colleague", letter.Patient: "the patient",
				letter.Other: "others"}[x.To])
		}
	case formLeaflets:
		for _, x := range l.Leaflets {
			if err := a.knownCodes(x.ID, x.Codes); err != nil {
				return nil, err
			}
			says = append(says, x.Title+" ("+x.Source+")")
		}
	case formServices:
		own, err := forms.Services("services", f.Body)
		if err != nil {
			return nil, err
		}
		says = append(says, fmt.Sprintf("%d services of the clinic, %d with what ships", len(own), len(l.Services)))
		for _, s := range own[:min(len(own), 12)] {
			says = append(says, s.Code+"  "+s.Words)
		}
	case formInterview:
		vs := l.interviews[f.ID]
		v := vs[len(vs)-1]
		// Each question is answered once, with its first answer, to show how it reads.
		anyone := note.Of{Months: -1} // every question, whomever it is for
		var as []note.Answered
		var have []note.Finding
		for range 3 { // answers bring further questions
			asked := v.Asks(as, anyone)
			as, have = nil, nil
			for _, q := range asked {
				as, have = sample(q, as, have)
			}
		}
		for _, q := range v.Asks(as, anyone) {
			says = append(says, q.Text)
		}
		pieces, _ := v.Write(l.Systems, as, have, "A 46-year-old man", anyone)
		text := ""
		for _, p := range pieces {
			text += p.Text + " "
		}
		says = append(says, "", strings.TrimSpace(text))
	}
	return says, nil
}

// knownCodes refuses beginnings of diagnosis codes that the present edition does not
// have, and names the nearest codes.
func (a *Acts) knownCodes(id string, codes []string) error {
	lib, _, err := a.Codes()
	if err != nil {
		return err
	}
	c, _ := lib.On(a.Today())
	for _, code := range codes {
		if _, ok := c.Lookup(code); ok {
			continue
		}
		near := a.Nearest(code, a.Today())
		if len(near) == 0 {
			return fmt.Errorf("%q of %q is not in the present edition of the codes", code, id)
		}
		return fmt.Errorf("%q of %q is not in the present edition of the codes; the nearest are %s", code, id, note.List(near, "and"))
	}
	return nil
}

// sample answers a question with the first thing it offers.
func sample(q note.Question, as []note.Answered, have []note.Finding) ([]note.Answered, []note.Finding) {
	yes := true
	a := note.Answer{Text: "…"}
	switch {
	case q.Symptom() != "":
		system, id, _ := strings.Cut(q.Symptom(), ".")
		return as, append(have, note.Finding{Area: note.Review, System: system, Finding: id, State: note.Absent, Looked: true})
	case q.Type == "boolean":
		a = note.Answer{Yes: &yes}
	case q.Type == "integer", q.Type == "decimal":
		a = note.Answer{Number: "2"}
	case q.Type == "quantity":
		a = note.Answer{Number: "2", Unit: "d"}
	case q.Type == "date":
		a = note.Answer{Date: "2026"}
	case len(q.AnswerOption) > 0:
		a = note.Answer{Code: q.AnswerOption[0].ValueCoding.Code}
	}
	return append(as, note.Answered{Link: q.LinkID, Values: []note.Answer{a}, Origin: note.Chosen}), have
}

// SaveForm keeps a new version of a form. base is the version it was made from;
// earlier versions stay, and notes go on reading as they did.
func (a *Acts) SaveForm(ctx context.Context, who act.Actor, f FormText, base int) (FormRow, error) {
	right := act.ChangeForms
	owner := ""
	if f.Owner == "me" {
		right, owner = act.WriteNote, who.ID
		if _, own := owned[f.Kind]; !own {
			return FormRow{}, act.Refuse(act.Invalid, "Only snippets and sets are a person's own; the rest is the clinic's.")
		}
	}
	if err := act.Allow(who, right); err != nil {
		return FormRow{}, err
	}
	if _, err := a.tryForm(who, f); err != nil {
		return FormRow{}, act.Refuse(act.Invalid, "Not kept. %s.", strings.TrimSuffix(err.Error(), "."))
	}
	n := Name{f.Kind, f.ID, owner}
	err := a.Act(ctx, who, right, func(t *act.Tx) error {
		l, err := a.Current()
		if err != nil {
			return err
		}
		if l.Files[n].Version != base {
			return act.Stale(store.ErrStale, "The form")
		}
		if err := t.AddForm(store.Form{Kind: f.Kind, ID: f.ID, Version: base + 1, OwnerID: owner, Body: f.Body, Prose: f.Prose,
			Retired: f.Retired, ByID: who.ID, At: t.Now}); err != nil {
			return act.Stale(err, "The form")
		}
		t.Tell(act.FormsEvent, f.ID, "")
		return t.Audit("change form", "", f.Kind+" "+f.ID, "")
	})
	if err != nil {
		return FormRow{}, err
	}
	a.current.Store(nil)
	l, err := a.Current()
	if err != nil {
		return FormRow{}, err
	}
	return l.row(n, l.Files[n]), nil
}

// AddAnswer adds a missing answer to a question of an interview, for the clinic.
func (a *Acts) AddAnswer(ctx context.Context, who act.Actor, interview, link, words string) error {
	if err := act.Allow(who, act.ChangeForms); err != nil {
		return err
	}
	words = chart.Tidy(words)
	if words == "" || len(words) > 80 || strings.ContainsAny(words, "\"\\{}[]|") {
		return act.Refuse(act.Invalid, "Write the answer in up to 80 letters, without quotes or brackets.")
	}
	l, err := a.Current()
	if err != nil {
		return err
	}
	f, ok := l.Files[Name{formInterview, interview, ""}]
	if !ok {
		return act.Refuse(act.Missing, "There is no such interview.")
	}
	body, err := forms.AddOption(f.Body, link, words)
	if err != nil {
		return act.Refuse(act.Invalid, "%s.", err.Error())
	}
	_, err = a.SaveForm(ctx, who, FormText{FormRow: FormRow{Kind: formInterview, ID: interview}, Body: body, Prose: f.prose}, f.Version)
	return err
}

// WritingView is what the writer of notes has at hand: snippets and own words.
type WritingView struct {
	Snippets []note.Snippet   `json:"snippets"`
	Words    []string         `json:"words"`
	Systems  *note.Systems    `json:"systems"`
	Kinds    []note.VisitKind `json:"kinds"`
	Titles   []FormTitle      `json:"interviews"`
}

// FormTitle names an interview that can be asked.
type FormTitle struct {
	ID    string   `json:"id"`
	Title string   `json:"title"`
	Also  []string `json:"also"`
}

// WritingTools returns snippets (the person's before the clinic's), own words, the
// body systems, the kinds of visit and the interviews.
func (a *Acts) WritingTools(ctx context.Context, who act.Actor) (out WritingView, err error) {
	l, err := a.Current()
	if err != nil {
		return out, err
	}
	out = WritingView{Snippets: l.snippetsOf(who.ID), Systems: l.Systems, Kinds: l.Kinds, Titles: []FormTitle{}}
	for id := range l.interviews {
		if v := l.Newest(id); v != nil {
			out.Titles = append(out.Titles, FormTitle{id, v.Questions.Title, v.Prose.Also})
		}
	}
	slices.SortFunc(out.Titles, func(x, y FormTitle) int { return strings.Compare(x.Title, y.Title) })
	err = a.Look(ctx, who, act.WriteNote, func(q *store.Q) error {
		out.Words, err = q.OwnWords(who.ID)
		return err
	})
	return out, err
}

// snippetsOf are the snippets of a person: their own before the clinic's of the same key.
func (l *Library) snippetsOf(person string) []note.Snippet {
	out, seen := []note.Snippet{}, map[string]bool{}
	for _, s := range append(slices.Clone(l.snippets[person]), l.snippets[""]...) {
		if !seen[s.Key] {
			seen[s.Key] = true
			out = append(out, s)
		}
	}
	return out
}

// SnippetsOf are the snippets that a person writes with, for the rooms above.
func (a *Acts) SnippetsOf(person string) ([]note.Snippet, error) {
	l, err := a.Current()
	if err != nil {
		return nil, err
	}
	return l.snippetsOf(person), nil
}

// AddWord adds a word to the person's dictionary.
func (a *Acts) AddWord(ctx context.Context, who act.Actor, word string) error {
	if err := act.Allow(who, act.WriteNote); err != nil {
		return err
	}
	word = strings.TrimSpace(word)
	if word == "" || len(word) > 60 || strings.ContainsAny(word, " \t\n") {
		return act.Refuse(act.Invalid, "That is not one word.")
	}
	return a.Act(ctx, who, act.WriteNote, func(t *act.Tx) error { return t.AddOwnWord(who.ID, word) })
}
