package note

import (
	"fmt"
	"strings"
)

// Draft is all that a note is made of before it is signed.
type Draft struct {
	Person     string // how the note begins: "A 46-year-old man"
	Typed      map[Part]string
	Interviews []Taken
	Findings   []Finding
	Brought    []Brought
	Vitals     []Vital
	Drawings   []string // captions
	Tests      []string // tests done in the house, a sentence each
	Given      []string // vaccines given, a sentence each
	Cared      []string // what was decided on reminders, a sentence each
	Stated     []Stated // what is said of each diagnosis, in the order of the list
}

// Taken is an interview with the answers given.
type Taken struct {
	Interview *Interview
	Answers   []Answered
	Of        Of // who is asked
}

// Vital is a vital sign of this visit as it reads: "Pulse", "78", "/min".
type Vital struct {
	Name, Value, Unit string
	Origin            Origin
}

// Brought is a sentence brought in from an earlier note or from the chart.
type Brought struct {
	ID      string `json:"id"`
	Part    Part   `json:"part"`
	Text    string `json:"text"`
	Origin  Origin `json:"origin"`
	Source  string `json:"source"`
	Looked  bool   `json:"looked"`
	Changed bool   `json:"changed"`
}

// Compose writes the whole note: what was chosen, typed, measured and brought in,
// each sentence with its origin. Parts and systems that were not touched do not
// appear.
func (s *Systems) Compose(d Draft) []Block {
	have := index(d.Findings)
	var out []Block
	told := map[string]bool{}
	for _, p := range Parts {
		switch p {
		case Subjective:
			for _, t := range d.Interviews {
				pieces, symptoms := t.Interview.Write(s, t.Answers, withoutTold(d.Findings, told), d.Person, t.Of)
				for _, y := range symptoms {
					told[y] = true
				}
				out = appendBlock(out, Block{Part: p, Ref: "interview." + t.Interview.ID, Pieces: pieces})
			}
		case Objective:
			out = appendBlock(out, Block{Part: p, Label: "Vital signs", Ref: "vitals", Pieces: vitals(d.Vitals)})
			out = appendBlock(out, Block{Part: p, Label: "Tests done here", Ref: "tests", Pieces: recorded(d.Tests)})
		case Assessment:
			for _, s := range d.Stated {
				out = appendBlock(out, Block{Part: p, Label: s.Title, Ref: "diagnosis." + s.Code, Pieces: s.Sentences()})
			}
		case Plan:
			out = appendBlock(out, Block{Part: p, Label: "Given today", Ref: "given", Pieces: recorded(d.Given)})
			out = appendBlock(out, Block{Part: p, Label: "Preventive care", Ref: "reminders", Pieces: recorded(d.Cared)})
		}
		if text := strings.TrimSpace(d.Typed[p]); text != "" {
			out = append(out, Block{Part: p, Ref: "typed", Pieces: []Piece{{text, Typed, "", true, "typed"}}})
		}
		out = appendBlock(out, Block{Part: p, Ref: "brought", Pieces: brought(d.Brought, p)})
		switch p {
		case Subjective:
			out = append(out, s.review(have, told)...)
		case Objective:
			out = append(out, s.examination(have)...)
			for _, c := range d.Drawings {
				out = append(out, Block{Part: p, Label: "Drawing", Ref: "drawing", Pieces: []Piece{{Sentence(c), Typed, "", true, "drawing"}}})
			}
		}
	}
	return out
}

func withoutTold(fs []Finding, told map[string]bool) []Finding {
	var out []Finding
	for _, f := range fs {
		if f.Area != Review || !told[f.System+"."+f.Finding] {
			out = append(out, f)
		}
	}
	return out
}

func vitals(vs []Vital) []Piece {
	var out []Piece
	for _, origin := range []Origin{Typed, FromDev} {
		var parts []string
		for _, v := range vs {
			if v.Origin != origin {
				continue
			}
			name := v.Name
			if len(parts) > 0 {
				name = strings.ToLower(name[:1]) + name[1:]
			}
			unit := v.Unit
			if unit != "" && !strings.HasPrefix(unit, "/") {
				unit = " " + unit
			}
			parts = append(parts, name+" "+v.Value+unit)
		}
		if len(parts) > 0 {
			out = append(out, Piece{Text: strings.Join(parts, ", ") + ".", Origin: origin, Source: "", Looked: true, Ref: "vitals"})
		}
	}
	return out
}

func recorded(sentences []string) []Piece {
	var out []Piece
	for _, s := range sentences {
		out = append(out, Piece{Text: s, Origin: FromChart, Source: "", Looked: true, Ref: "recorded"})
	}
	return out
}

func brought(bs []Brought, p Part) []Piece {
	var out []Piece
	for _, b := range bs {
		if b.Part != p || strings.TrimSpace(b.Text) == "" {
			continue
		}
		text := strings.TrimSpace(b.Text)
		if !strings.ContainsAny(text[len(text)-1:], ".!?:;)") {
			text += "."
		}
		out = append(out, Piece{Text: text, Origin: b.Origin, Source: b.Source, Looked: b.Looked, Ref: "brought." + b.ID})
	}
	return out
}

// Share is how much of a note's text came from where, in percent of its
// characters; the parts add up to 100 for a note that is not empty.
type Share struct {
	Typed    int `json:"typed"`
	Findings int `json:"findings"`
	Carried  int `json:"carried"`
	Chart    int `json:"chart"`
	Device   int `json:"device"`
	Patient  int `json:"patient"`
}

// Measure says how much of the text came from where. Carried text counts as
// carried also after it was looked at, unless it was changed.
func Measure(blocks []Block) Share {
	origins := []Origin{Typed, Chosen, Carried, FromChart, FromDev, ByPatient}
	count := map[Origin]int{}
	total := 0
	for _, b := range blocks {
		for _, p := range b.Pieces {
			n := len([]rune(p.Text))
			count[p.Origin] += n
			total += n
		}
	}
	if total == 0 {
		return Share{}
	}
	// Largest remainder: whole percents that add up to 100.
	percent := map[Origin]int{}
	left := 100
	for _, o := range origins {
		percent[o] = count[o] * 100 / total
		left -= percent[o]
	}
	for range left {
		best := Typed
		most := -1
		for _, o := range origins {
			if rest := count[o]*100 - percent[o]*total; rest > most {
				best, most = o, rest
			}
		}
		percent[best]++
	}
	return Share{Typed: percent[Typed], Findings: percent[Chosen], Carried: percent[Carried], Chart: percent[FromChart],
		Device: percent[FromDev], Patient: percent[ByPatient]}
}

// Read turns blocks into headed sections as they are printed: a heading for each
// part, a line for each system.
func Read(blocks []Block, diagnoses []Diagnosis) []Section {
	var out []Section
	for _, p := range Parts {
		var lines []string
		group := ""
		if p == Assessment {
			bullets := 0
			for i, d := range diagnoses {
				if i > 0 && d.Joined {
					lines[bullets-1] += fmt.Sprintf("; %s (%s)", d.Title, d.Code)
					continue
				}
				bullets++
				lines = append(lines, fmt.Sprintf("%d. %s (%s)", bullets, d.Title, d.Code))
			}
			if len(lines) > 0 {
				lines = append(lines, "")
			}
		}
		for _, b := range blocks {
			if b.Part != p {
				continue
			}
			if b.Group != group {
				if group = b.Group; group != "" {
					if len(lines) > 0 {
						lines = append(lines, "")
					}
					lines = append(lines, group)
				}
			}
			text := b.Text()
			if b.Label != "" {
				text = b.Label + ": " + text
			}
			lines = append(lines, text)
		}
		if text := strings.TrimSpace(strings.Join(lines, "\n")); text != "" {
			out = append(out, Section{p.Heading(), text})
		}
	}
	return out
}
