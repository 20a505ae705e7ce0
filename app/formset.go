package app

import (
	"context"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"sort"
	"strings"
	"time"

	"deftledger/core/coding"
	"deftledger/core/letter"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/exchange/forms"
	"deftledger/store"
)

// formSet is everything a visit is documented with: the forms that ship (version
// 1) and the clinic's and persons' own versions of them.
type formSet struct {
	systems    *note.Systems
	kinds      []note.VisitKind
	interviews map[string][]*note.Interview // every version, oldest first
	snippets   map[string][]note.Snippet    // by owner; "" is the clinic
	sets       map[string][]order.Set       // by owner
	letters    []letter.Form
	leaflets   []letter.Leaflet
	services   []coding.Service          // the clinic's own list before what ships
	priced     map[string]coding.Service // the same by code
	files      map[formName]formFile     // the newest of each, as text
	history    map[formName][]formFile   // every version, oldest first
	skipped    []string                  // forms that no longer fit and are not used
}

type formName struct{ kind, id, owner string }

type formFile struct {
	version     int
	body, prose string
	shipped     bool
	retired     bool
	byID        string
	at          time.Time
}

// The kinds of form.
const (
	formSystems   = "systems"
	formVisits    = "visits"
	formInterview = "interview"
	formSnippet   = "snippets"
	formSets      = "sets"
	formLetters   = "letters"
	formLeaflets  = "leaflets"
	formServices  = "services"
)

// owned are the kinds of form of which a person can have their own.
var owned = map[string]struct{ title, first string }{
	formSnippet: {"My snippets", "version: 1\nsnippets:\n- {key: mine, title: My first snippet, text: \"Seen with {whom}.\"}\n"},
	formSets:    {"My sets", "version: 1\nsets:\n- {id: mine, title: My first set, source: my own practice, text: [Rest and fluids]}\n"},
}

// newest returns the interview as it is asked now.
func (l *formSet) newest(id string) *note.Interview {
	vs := l.interviews[id]
	if len(vs) == 0 || l.files[formName{formInterview, id, ""}].retired {
		return nil
	}
	return vs[len(vs)-1]
}

// version returns an interview in a version; the newest when that one is not there.
func (l *formSet) version(id string, version int) *note.Interview {
	for _, v := range l.interviews[id] {
		if v.Version == version {
			return v
		}
	}
	if vs := l.interviews[id]; len(vs) > 0 {
		return vs[len(vs)-1]
	}
	return nil
}

func (l *formSet) kind(name string) note.VisitKind {
	for _, k := range l.kinds {
		if k.Name == name {
			return k
		}
	}
	return note.VisitKind{Name: name, Requires: []string{"subjective", "objective", "assessment", "plan", "diagnosis"}}
}

// fitting finds the interview whose title or other words stand in a reason for
// visit; the longest words win.
func (l *formSet) fitting(reason string) *note.Interview {
	reason = strings.ToLower(reason)
	best, length := (*note.Interview)(nil), 0
	for id := range l.interviews {
		v := l.newest(id)
		if v == nil {
			continue
		}
		for _, w := range append([]string{v.Questions.Title}, v.Prose.Also...) {
			if len(w) > length && containsPhrase(reason, strings.ToLower(w)) || len(w) == length && best != nil && containsPhrase(reason, strings.ToLower(w)) && v.ID < best.ID {
				best, length = v, len(w)
			}
		}
	}
	return best
}

func containsPhrase(text, phrase string) bool {
	i := strings.Index(" "+strings.NewReplacer(",", " ", ".", " ", ";", " ").Replace(text)+" ", " "+phrase+" ")
	return i >= 0
}

// formSet loads the forms once; a new version makes them be loaded again.
func (a *App) formSet() (*formSet, error) {
	if l := a.forms.Load(); l != nil {
		return l, nil
	}
	l, err := a.loadForms()
	if err == nil {
		a.forms.Store(l)
	}
	return l, err
}

func (a *App) loadForms() (*formSet, error) {
	read := func(name string) string {
		b, err := fs.ReadFile(a.FormFiles, name)
		if err != nil {
			return ""
		}
		return string(b)
	}
	l := &formSet{interviews: map[string][]*note.Interview{}, snippets: map[string][]note.Snippet{}, sets: map[string][]order.Set{}, files: map[formName]formFile{}, history: map[formName][]formFile{}}
	var err error
	set := func(kind, id, body, prose string) {
		l.keep(formName{kind, id, ""}, formFile{version: 1, body: body, prose: prose, shipped: true})
	}
	set(formSystems, "systems", read("findings/systems.yaml"), "")
	if l.systems, err = forms.Systems("systems.yaml", read("findings/systems.yaml")); err != nil {
		return nil, fmt.Errorf("the finding list that ships: %w", err)
	}
	set(formVisits, "kinds", read("visits/kinds.yaml"), "")
	if l.kinds, err = forms.Kinds("kinds.yaml", read("visits/kinds.yaml"), l.systems); err != nil {
		return nil, fmt.Errorf("the kinds of visit that ship: %w", err)
	}
	set(formSnippet, "clinic", read("snippets/clinic.yaml"), "")
	if l.snippets[""], err = forms.Snippets("clinic.yaml", read("snippets/clinic.yaml")); err != nil {
		return nil, fmt.Errorf("the snippets that ship: %w", err)
	}
	set(formSets, "clinic", read("sets/sets.yaml"), "")
	if l.sets[""], err = forms.Sets("sets.yaml", read("sets/sets.yaml")); err != nil {
		return nil, fmt.Errorf("the sets that ship: %w", err)
	}
	set(formLetters, "clinic", read("letters/letters.yaml"), "")
	if l.letters, err = forms.Letters("letters.yaml", read("letters/letters.yaml")); err != nil {
		return nil, fmt.Errorf("the letter forms that ship: %w", err)
	}
	set(formLeaflets, "clinic", read("letters/leaflets.yaml"), "")
	if l.leaflets, err = forms.Leaflets("leaflets.yaml", read("letters/leaflets.yaml")); err != nil {
		return nil, fmt.Errorf("the leaflets that ship: %w", err)
	}
	set(formServices, "clinic", "code,words,kind,from,below\n", "")
	l.charge(nil, a.Services)
	list, err := fs.Glob(a.FormFiles, "interviews/*.json")
	if err != nil {
		return nil, err
	}
	for _, f := range list {
		id := strings.TrimSuffix(path.Base(f), ".json")
		body, prose := read(f), read("interviews/"+id+".prose.yaml")
		v, err := forms.Interview(id, 1, body, prose, l.systems)
		if err != nil {
			return nil, fmt.Errorf("the interview %s that ships: %w", id, err)
		}
		set(formInterview, id, body, prose)
		l.interviews[id] = append(l.interviews[id], v)
	}
	var own []store.Form
	if err := a.Store.Read(context.Background(), func(q *store.Q) (err error) {
		own, err = q.Forms()
		return err
	}); err != nil {
		return nil, err
	}
	// The finding list comes first: the others refer to it.
	sort.SliceStable(own, func(i, j int) bool { return own[i].Kind == formSystems && own[j].Kind != formSystems })
	for _, f := range own {
		if err := l.take(f, a.Services); err != nil {
			l.skipped = append(l.skipped, fmt.Sprintf("%s %s, version %d: %v", f.Kind, f.ID, f.Version, err))
		}
	}
	return l, nil
}

// keep remembers a version of a form as text.
func (l *formSet) keep(n formName, f formFile) {
	l.files[n] = f
	l.history[n] = append(l.history[n], f)
}

// charge makes the list of services: the clinic's own, then what ships and is not in it.
func (l *formSet) charge(own, shipped []coding.Service) {
	l.services, l.priced = slices.Clone(own), map[string]coding.Service{}
	for _, s := range own {
		l.priced[s.Code] = s
	}
	for _, s := range shipped {
		if _, ours := l.priced[s.Code]; !ours {
			l.services = append(l.services, s)
			l.priced[s.Code] = s
		}
	}
}

// leafletTitles are the titles of the leaflets by name.
func (l *formSet) leafletTitles() map[string]string {
	out := map[string]string{}
	for _, x := range l.leaflets {
		out[x.ID] = x.Title
	}
	return out
}

// take adds a version of a form; an error leaves the set as it was. shipped are the
// services that anybody can charge.
func (l *formSet) take(f store.Form, shipped []coding.Service) error {
	switch f.Kind {
	case formSystems:
		s, err := forms.Systems("finding list", f.Body)
		if err != nil {
			return err
		}
		if gone := dropped(l.systems, s); gone != "" {
			return fmt.Errorf("%s is gone; notes may use it: keep it, with other words if need be", gone)
		}
		l.systems = s
	case formVisits:
		k, err := forms.Kinds("kinds of visit", f.Body, l.systems)
		if err != nil {
			return err
		}
		l.kinds = k
	case formSnippet:
		s, err := forms.Snippets("snippets", f.Body)
		if err != nil {
			return err
		}
		l.snippets[f.OwnerID] = s
	case formInterview:
		v, err := forms.Interview(f.ID, f.Version, f.Body, f.Prose, l.systems)
		if err != nil {
			return err
		}
		l.interviews[f.ID] = append(l.interviews[f.ID], v)
	case formSets:
		s, err := forms.Sets("sets", f.Body)
		if err != nil {
			return err
		}
		l.sets[f.OwnerID] = s
	case formLetters:
		x, err := forms.Letters("letters", f.Body)
		if err != nil {
			return err
		}
		l.letters = x
	case formLeaflets:
		x, err := forms.Leaflets("leaflets", f.Body)
		if err != nil {
			return err
		}
		l.leaflets = x
	case formServices:
		own, err := forms.Services("services", f.Body)
		if err != nil {
			return err
		}
		l.charge(own, shipped)
	default:
		return fmt.Errorf("%q is no kind of form", f.Kind)
	}
	l.keep(formName{f.Kind, f.ID, f.OwnerID}, formFile{f.Version, f.Body, f.Prose, false, f.Retired, f.ByID, f.At})
	return nil
}

// dropped names something of the finding list that a new one no longer has.
func dropped(old, now *note.Systems) string {
	for _, a := range []note.Area{note.Review, note.Examination} {
		for _, x := range old.Of(a) {
			y, ok := now.System(a, x.ID)
			if !ok {
				return "the system " + x.ID
			}
			for _, asp := range x.Aspects {
				if !slices.ContainsFunc(y.Aspects, func(b note.Aspect) bool { return b.ID == asp.ID }) {
					return x.ID + " " + asp.ID
				}
			}
			for _, i := range x.Items() {
				if _, ok := now.Item(a, x.ID, i.ID); !ok {
					return x.ID + " " + i.ID
				}
			}
		}
	}
	return ""
}
