package note

import (
	"slices"
	"strings"
)

// Source is what an earlier note offers to be brought forward.
type Source struct {
	Note     string // its identifier
	Typed    map[Part]string
	Brought  []Brought
	Findings []Finding
}

// OwnWords is the Wanted.Finding of the free words about a system.
const OwnWords = "own words"

// Wanted says what to bring: a part's text, a system, or one finding. With a part
// and no system, everything of that part is meant: its text, and for the
// subjective and objective parts the findings of its area too.
type Wanted struct {
	Part    Part   `json:"part"`
	Area    Area   `json:"area"`
	System  string `json:"system"`
	Finding string `json:"finding"`
	Replace bool   `json:"replace"`
}

// Difference is what bringing forward would change.
type Difference struct {
	Add     []string `json:"add"`     // sentences that would come in
	Remove  []string `json:"remove"`  // sentences that would go
	Already []string `json:"already"` // sentences that are there already
}

// Outcome is the note after bringing forward. Text that a replacement takes out
// is returned in Replaced, so that it can be kept.
type Outcome struct {
	Findings   []Finding
	Added      []Brought // without identifiers
	Dropped    []string  // identifiers of sentences brought earlier that go
	ClearTyped bool
	Replaced   string
	Difference Difference
}

// areaOf is the area whose findings belong to a part.
func areaOf(p Part) Area {
	switch p {
	case Subjective:
		return Review
	case Objective:
		return Examination
	}
	return ""
}

// Forward brings part of an earlier note into a draft. Nothing is doubled: what
// stands there already in the same words, or was said about the same finding,
// stays as it is (unless it is replaced). What comes in counts as not looked at.
// The same act twice gives the same as once.
func (s *Systems) Forward(d Draft, from Source, w Wanted) Outcome {
	out := Outcome{Findings: d.Findings, Difference: Difference{Add: []string{}, Remove: []string{}, Already: []string{}}}
	if w.System == "" && w.Part != "" {
		s.forwardText(&out, d, from, w)
		w.Area = areaOf(w.Part)
	}
	if w.Area != "" {
		s.forwardFindings(&out, d, from, w)
	}
	return out
}

// sentencesOf lists what a note says in a part in words, in order.
func (from Source) sentencesOf(p Part) []string {
	out := Sentences(from.Typed[p])
	for _, b := range from.Brought {
		if b.Part == p {
			out = append(out, b.Text)
		}
	}
	return out
}

func (s *Systems) forwardText(out *Outcome, d Draft, from Source, w Wanted) {
	there := map[string]bool{}
	ours := map[string]bool{} // brought from this very note earlier
	for _, x := range Sentences(d.Typed[w.Part]) {
		there[same(x)] = !w.Replace
	}
	incoming := map[string]bool{}
	for _, x := range from.sentencesOf(w.Part) {
		incoming[same(x)] = true
	}
	for _, b := range d.Brought {
		if b.Part != w.Part {
			continue
		}
		key := same(b.Text)
		switch {
		case !w.Replace || incoming[key]:
			there[key] = true
			ours[key] = b.Origin == Carried && b.Source == from.Note
		default:
			out.Dropped = append(out.Dropped, b.ID)
			out.Difference.Remove = append(out.Difference.Remove, b.Text)
		}
	}
	if w.Replace {
		for _, x := range Sentences(d.Typed[w.Part]) {
			if !incoming[same(x)] {
				out.Difference.Remove = append(out.Difference.Remove, x)
			}
		}
		if strings.TrimSpace(d.Typed[w.Part]) != "" {
			out.ClearTyped, out.Replaced = true, d.Typed[w.Part]
		}
	}
	for _, x := range from.sentencesOf(w.Part) {
		key := same(x)
		if key == "" {
			continue
		}
		if there[key] {
			if !ours[key] || !w.Replace {
				out.Difference.Already = append(out.Difference.Already, x)
			}
			continue
		}
		there[key] = true
		out.Added = append(out.Added, Brought{Part: w.Part, Text: x, Origin: Carried, Source: from.Note})
		out.Difference.Add = append(out.Difference.Add, x)
	}
}

func (s *Systems) forwardFindings(out *Outcome, d Draft, from Source, w Wanted) {
	have := index(d.Findings)
	before := s.lines(have, w)
	wanted := func(f Finding) bool {
		return f.Area == w.Area && (w.System == "" || f.System == w.System) && (w.Finding == "" || f.Finding == w.Finding ||
			w.Finding == OwnWords && f.Finding == "")
	}
	incoming := map[string]bool{}
	for _, f := range from.Findings {
		incoming[f.Key()] = incoming[f.Key()] || wanted(f) && f.State != LeftOut
	}
	if w.Replace {
		for k, f := range have {
			if wanted(f) && !(incoming[k] && f.Origin == Carried && f.SourceNote == from.Note) {
				delete(have, k)
			}
		}
	}
	for _, f := range from.Findings {
		if _, there := have[f.Key()]; there || !incoming[f.Key()] {
			continue
		}
		f.Origin, f.SourceNote, f.Looked, f.Version = Carried, from.Note, false, d.version(f.Key())
		have[f.Key()] = f
	}
	out.Findings = s.sorted(have)
	after := s.lines(have, w)
	out.Difference.diff(before, after)
}

func (d Draft) version(key string) int {
	for _, f := range d.Findings {
		if f.Key() == key {
			return f.Version
		}
	}
	return 0
}

// lines writes the systems that are wanted, for the preview.
func (s *Systems) lines(have rows, w Wanted) []string {
	blocks := s.examination(have)
	if w.Area == Review {
		blocks = s.review(have, nil)
	}
	var out []string
	for _, b := range blocks {
		if w.System == "" || strings.HasSuffix(b.Ref, "."+w.System) {
			for _, p := range b.Pieces {
				out = append(out, b.Label+": "+p.Text)
			}
		}
	}
	return out
}

func (d *Difference) diff(before, after []string) {
	for _, x := range before {
		if !slices.Contains(after, x) {
			d.Remove = append(d.Remove, x)
		}
	}
	for _, x := range after {
		if slices.Contains(before, x) {
			d.Already = append(d.Already, x)
		} else {
			d.Add = append(d.Add, x)
		}
	}
}
