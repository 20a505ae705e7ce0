package forms

import (
	"context"
	"fmt"
	"io/fs"
	"maps"
	"path"
	"reflect"
	"slices"
	"sort"
	"strings"
	"sync"
	"time"

	"deftledger/core/coding"
	"deftledger/core/letter"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/exchange/forms"
	"deftledger/store"
)

// Library is everything a visit is documented with: the forms that ship (version
// 1) and the clinic's and persons' own versions of them.
type Library struct {
	Systems    *note.Systems
	Kinds      []note.VisitKind
	interviews map[string][]*note.Interview // every version, oldest first
	snippets   map[string][]note.Snippet    // by owner; "" is the clinic
	Sets       map[string][]order.Set       // by owner
	Letters    []letter.Form
	Leaflets   []letter.Leaflet
	Services   []coding.Service          // the clinic's own list before what ships
	Priced     map[string]coding.Service // the same by code
	Files      map[Name]formFile         // the newest of each, as text
	history    map[Name][]formFile       // every version, oldest first
	skipped    []string                  // forms that no longer fit and are not used
}

// Name is what a form is known by; Owner is "" for the clinic's.
type Name struct{ Kind, ID, Owner string }

type formFile struct {
	Version     int
	Body, prose string
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
	Sets          = "sets"
	formLetters   = "letters"
	formLeaflets  = "leaflets"
	formServices  = "services"
)

// owned are the kinds of form of which a person can have their own.
var owned = map[string]struct{ title, first string }{
	formSnippet: {"My snippets", "version: 1\nsnippets:\n- {key: mine, title: My first snippet, text: \"Seen with {whom}.\"}\n"},
	Sets:        {"My sets", "version: 1\nsets:\n- {id: mine, title: My first set, source: my own practice, text: [Rest and fluids]}\n"},
}

// Newest returns the interview as it is asked now.
func (l *Library) Newest(id string) *note.Interview {
	vs := l.interviews[id]
	if len(vs) == 0 || l.Files[Name{formInterview, id, ""}].retired {
		return nil
	}
	return vs[len(vs)-1]
}

// Version returns an interview in a version; the newest when that one is not there.
func (l *Library) Version(id string, version int) *note.Interview {
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

// Kind is a kind of visit by its name; the empty one when there is none.
func (l *Library) Kind(name string) note.VisitKind {
	for _, k := range l.Kinds {
		if k.Name == name {
			return k
		}
	}
	return note.VisitKind{Name: name, Requires: []string{"subjective", "objective", "assessment", "plan", "diagnosis"}}
}

// Fitting finds the interview whose title or other words stand in a reason for
// visit; the longest words win.
func (l *Library) Fitting(reason string) *note.Interview {
	reason = strings.ToLower(reason)
	best, length := (*note.Interview)(nil), 0
	for id := range l.interviews {
		v := l.Newest(id)
		if v == nil {
			continue
		}
		for _, w := range append([]string{v.Questions.Title}, v.Prose.Also...) {
			if len(w) > length && containsPhrase(reason, strings.ToLower(w)) || len(w) == length && best != nil &&
				containsPhrase(reason, strings.ToLower(w)) && v.ID < best.ID {
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

// Current loads the forms once; a new version makes them be loaded again.
func (a *Acts) Current() (*Library, error) {
	if l := a.current.Load(); l != nil {
		return l, nil
	}
	l, err := a.loadForms()
	if err == nil {
		a.current.Store(l)
	}
	return l, err
}

// loadForms puts the clinic's and persons' own versions over what ships.
func (a *Acts) loadForms() (*Library, error) {
	basis, err := shipped(a.FormFiles)
	if err != nil {
		return nil, err
	}
	l := basis.clone()
	l.charge(nil, a.Services)
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

// bases holds what ships, by its files: they are part of the program and are read once.
var bases sync.Map // fs.FS → *Library

// shipped reads the forms that ship.
func shipped(files fs.FS) (*Library, error) {
	known := reflect.TypeOf(files).Comparable()
	if known {
		if l, there := bases.Load(files); there {
			return l.(*Library), nil
		}
	}
	l := &Library{interviews: map[string][]*note.Interview{}, snippets: map[string][]note.Snippet{}, Sets: map[string][]order.Set{},
		Files: map[Name]formFile{}, history: map[Name][]formFile{}}
	read := func(name string) string {
		b, err := fs.ReadFile(files, name)
		if err != nil {
			return ""
		}
		return string(b)
	}
	set := func(kind, id, body, prose string) {
		l.keep(Name{kind, id, ""}, formFile{Version: 1, Body: body, prose: prose, shipped: true})
	}
	for _, f := range []struct {
		kind, id, file, what string
		parse                func(text string) error
	}{
		{formSystems, "systems", "findings/systems.yaml", "finding list",
			func(t string) (err error) { l.Systems, err = forms.Systems("systems.yaml", t); return err }},
		{formVisits, "kinds", "visits/kinds.yaml", "kinds of visit",
			func(t string) (err error) { l.Kinds, err = forms.Kinds("kinds.yaml", t, l.Systems); return err }},
		{formSnippet, "clinic", "snippets/clinic.yaml", "snippets",
			func(t string) (err error) { l.snippets[""], err = forms.Snippets("clinic.yaml", t); return err }},
		{Sets, "clinic", "sets/sets.yaml", "sets", func(t string) (err error) { l.Sets[""], err = forms.Sets("sets.yaml", t); return err }},
		{formLetters, "clinic", "letters/letters.yaml", "letter forms",
			func(t string) (err error) { l.Letters, err = forms.Letters("letters.yaml", t); return err }},
		{formLeaflets, "clinic", "letters/leaflets.yaml", "leaflets",
			func(t string) (err error) { l.Leaflets, err = forms.Leaflets("leaflets.yaml", t); return err }},
	} {
		text := read(f.file)
		set(f.kind, f.id, text, "")
		if err := f.parse(text); err != nil {
			return nil, fmt.Errorf("the %s that ship: %w", f.what, err)
		}
	}
	set(formServices, "clinic", "code,words,kind,from,below\n", "")
	list, err := fs.Glob(files, "interviews/*.json")
	if err != nil {
		return nil, err
	}
	for _, f := range list {
		id := strings.TrimSuffix(path.Base(f), ".json")
		body, prose := read(f), read("interviews/"+id+".prose.yaml")
		v, err := forms.Interview(id, 1, body, prose, l.Systems)
		if err != nil {
			return nil, fmt.Errorf("the interview %s that ships: %w", id, err)
		}
		set(formInterview, id, body, prose)
		l.interviews[id] = append(l.interviews[id], v)
	}
	if known {
		bases.Store(files, l)
	}
	return l, nil
}

// clone makes a library to which versions can be added without changing what ships.
func (l *Library) clone() *Library {
	c := *l
	c.interviews, c.history = map[string][]*note.Interview{}, map[Name][]formFile{}
	for id, vs := range l.interviews {
		c.interviews[id] = slices.Clone(vs)
	}
	for n, vs := range l.history {
		c.history[n] = slices.Clone(vs)
	}
	c.snippets, c.Sets, c.Files = maps.Clone(l.snippets), maps.Clone(l.Sets), maps.Clone(l.Files)
	return &c
}

// keep remembers a version of a form as text.
func (l *Library) keep(n Name, f formFile) {
	l.Files[n] = f
	l.history[n] = append(l.history[n], f)
}

// charge makes the list of services: the clinic's own, then what ships and is not in it.
func (l *Library) charge(own, shipped []coding.Service) {
	l.Services, l.Priced = slices.Clone(own), map[string]coding.Service{}
	for _, s := range own {
		l.Priced[s.Code] = s
	}
	for _, s := range shipped {
		if _, ours := l.Priced[s.Code]; !ours {
			l.Services = append(l.Services, s)
			l.Priced[s.Code] = s
		}
	}
}

// LeafletTitles are the titles of the leaflets by name.
func (l *Library) LeafletTitles() map[string]string {
	out := map[string]string{}
	for _, x := range l.Leaflets {
		out[x.ID] = x.Title
	}
	return out
}

// take adds a version of a form; an error leaves the set as it was. shipped are the
// services that anybody can charge.
func (l *Library) take(f store.Form, shipped []coding.Service) error {
	switch f.Kind {
	case formSystems:
		s, err := forms.Systems("finding list", f.Body)
		if err != nil {
			return err
		}
		if gone := dropped(l.Systems, s); gone != "" {
			return fmt.Errorf("%s is gone; notes may use it: keep it, with other words if need be", gone)
		}
		l.Systems = s
	case formVisits:
		k, err := forms.Kinds("kinds of visit", f.Body, l.Systems)
		if err != nil {
			return err
		}
		l.Kinds = k
	case formSnippet:
		s, err := forms.Snippets("snippets", f.Body)
		if err != nil {
			return err
		}
		l.snippets[f.OwnerID] = s
	case formInterview:
		v, err := forms.Interview(f.ID, f.Version, f.Body, f.Prose, l.Systems)
		if err != nil {
			return err
		}
		l.interviews[f.ID] = append(l.interviews[f.ID], v)
	case Sets:
		s, err := forms.Sets("sets", f.Body)
		if err != nil {
			return err
		}
		l.Sets[f.OwnerID] = s
	case formLetters:
		x, err := forms.Letters("letters", f.Body)
		if err != nil {
			return err
		}
		l.Letters = x
	case formLeaflets:
		x, err := forms.Leaflets("leaflets", f.Body)
		if err != nil {
			return err
		}
		l.Leaflets = x
	case formServices:
		own, err := forms.Services("services", f.Body)
		if err != nil {
			return err
		}
		l.charge(own, shipped)
	default:
		return fmt.Errorf("%q is no kind of form", f.Kind)
	}
	l.keep(Name{f.Kind, f.ID, f.OwnerID}, formFile{Version: f.Version, Body: f.Body, prose: f.Prose, shipped: false, retired: f.Retired,
		byID: f.ByID, at: f.At})
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
