package note

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// VisitKind is a kind of visit: what its note needs, shows and begins with.
type VisitKind struct {
	ID          string   `yaml:"id" json:"id"`
	Name        string   `yaml:"name" json:"name"`
	Interview   string   `yaml:"interview" json:"interview"`
	Requires    []string `yaml:"requires" json:"requires"`
	Shows       []string `yaml:"shows" json:"shows"`
	Review      []string `yaml:"review" json:"review"`
	Examination []string `yaml:"examination" json:"examination"`
}

// Check says what is wrong with a kind of visit.
func (k *VisitKind) Check(s *Systems) error {
	k.Requires, k.Shows, k.Review, k.Examination = list(k.Requires), list(k.Shows), list(k.Review), list(k.Examination)
	if k.ID == "" || k.Name == "" {
		return fault(k.ID+k.Name, "a kind of visit has no id or no name")
	}
	for _, r := range k.Requires {
		if r != "diagnosis" && !slices.Contains(Parts, Part(r)) {
			return fault(r, "%q requires %q, which is no part of a note", k.ID, r)
		}
	}
	for _, r := range k.Shows {
		if !slices.Contains(Parts, Part(r)) {
			return fault(r, "%q shows %q, which is no part of a note", k.ID, r)
		}
	}
	for a, ids := range map[Area][]string{Review: k.Review, Examination: k.Examination} {
		for _, id := range ids {
			if _, ok := s.System(a, id); !ok {
				return fault(id, "%s: there is no system %q", a, id)
			}
		}
	}
	return nil
}

// Point is one entry of the closing list: what is missing, not looked at or
// contradicts itself. Stops means the note cannot be signed before it is settled.
type Point struct {
	Kind  string `json:"kind"` // empty, carried, contradiction, coding, unsupported, promise, charges, told
	Part  Part   `json:"part"`
	Says  string `json:"says"`
	Why   string `json:"why"`
	Ref   string `json:"ref"`
	Stops bool   `json:"stops"`
	Does  string `json:"does" doc:"What keeps a promise: order and the code of a test, prescribe and a line, refer; empty for none"`
}

// Close reads a draft as it would be signed and lists what to look at first: what
// stops the signature before what only asks to be read.
func (s *Systems) Close(d Draft, diagnoses int, k VisitKind) []Point {
	blocks := s.Compose(d)
	var out []Point
	filled := map[Part]bool{}
	for _, b := range blocks {
		filled[b.Part] = true
	}
	for _, r := range k.Requires {
		switch {
		case r == "diagnosis" && diagnoses == 0:
			out = append(out, Point{Kind: "empty", Part: Assessment, Says: "No diagnosis is coded",
				Why: "A " + strings.ToLower(k.Name) + " needs one", Ref: "diagnosis", Stops: true})
		case r == string(Assessment) && diagnoses > 0, r == "diagnosis", filled[Part(r)]:
		default:
			out = append(out, Point{Kind: "empty", Part: Part(r), Says: "Nothing is written under " + strings.ToLower(Part(r).Heading()),
				Why: "A " + strings.ToLower(k.Name) + " needs it", Ref: "typed", Stops: true})
		}
	}
	for _, b := range blocks {
		for _, p := range b.Pieces {
			if p.Origin == Carried && !p.Looked {
				text := p.Text
				if b.Label != "" {
					text = b.Label + ": " + text
				}
				out = append(out, Point{Kind: "carried", Part: b.Part, Says: text, Why: "Carried from an earlier visit and not looked at", Ref: p.Ref,
					Stops: b.Part == Objective || b.Part == Assessment || b.Part == Plan})
			}
		}
	}
	out = append(out, s.contradictions(d)...)
	slices.SortStableFunc(out, func(a, b Point) int {
		switch {
		case a.Stops == b.Stops:
			return 0
		case a.Stops:
			return -1
		}
		return 1
	})
	return out
}

// contradictions sets what was chosen against what was typed, and findings
// against measurements.
func (s *Systems) contradictions(d Draft) []Point {
	var out []Point
	have := index(d.Findings)
	add := func(p Part, ref, says, why string) {
		out = append(out, Point{Kind: "contradiction", Part: p, Says: says, Why: why, Ref: ref, Stops: false})
	}
	words := func(p Part) string {
		var texts []string
		texts = append(texts, d.Typed[p])
		for _, b := range d.Brought {
			if b.Part == p {
				texts = append(texts, b.Text)
			}
		}
		return strings.Join(texts, "\n")
	}
	for _, t := range d.Interviews {
		for _, y := range t.Interview.Prose.Complaint {
			system, id, _ := strings.Cut(y, ".")
			if f, ok := have.get(Review, system, id); ok && f.State == Absent && len(t.Answers) > 0 {
				i, _ := s.Item(Review, system, id)
				add(Subjective, f.Key(), capital(i.Say)+" is denied, and the history is about it", "A finding and the history contradict each other")
			}
		}
	}
	subjective, objective := words(Subjective), words(Objective)
	for _, x := range s.Review {
		for _, i := range x.Symptoms {
			f, ok := have.get(Review, x.ID, i.ID)
			if !ok || f.State != Absent && f.State != Present {
				continue
			}
			for _, m := range mentions(subjective, append([]string{i.Say}, i.Also...)) {
				if m.denied == (f.State == Present) {
					add(Subjective, f.Key(), fmt.Sprintf("%s is %s, and the text says “%s”", capital(i.Say),
						map[State]string{Present: "reported", Absent: "denied"}[f.State], m.clause), "A finding and the text contradict each other")
					break
				}
			}
		}
	}
	for _, x := range s.Examination {
		names := append([]string{x.Name}, x.Also...)
		own, _ := have.get(Examination, x.ID, "")
		for _, a := range x.Aspects {
			normal, isNormal := have.get(Examination, x.ID, a.ID)
			for _, i := range a.Findings {
				f, ok := have.get(Examination, x.ID, i.ID)
				switch {
				case ok && f.State == Present:
					if c := calledNormal(objective, names); c != "" {
						add(Objective, f.Key(), fmt.Sprintf("%s: %s, and the text says “%s”", x.Name, i.Phrase(f), c),
							"A finding and the text contradict each other")
					}
				case ok && f.State == Absent, isNormal && normal.State == Normal && (!ok || f.State != Present):
					terms := append([]string{i.Say}, i.Also...)
					for _, m := range append(mentions(own.Remark, terms), mentions(objective, terms)...) {
						if !m.denied && (strings.Contains(own.Remark, m.clause) || about(m, names)) {
							add(Objective, string(Examination)+"."+x.ID+"."+i.ID, fmt.Sprintf("%s is normal, and the text says “%s”", x.Name, m.clause),
								"A finding and the text contradict each other")
							break
						}
					}
				}
			}
		}
	}
	for _, v := range d.Vitals {
		if v.Name != "Temperature" {
			continue
		}
		t, err := strconv.ParseFloat(v.Value, 64)
		if err != nil || t < 38 {
			continue
		}
		if f, ok := have.get(Review, "constitutional", "fever"); ok && f.State == Absent {
			add(Subjective, f.Key(), "Fever is denied, and the temperature is "+v.Value+" "+v.Unit, "A finding and a measurement differ")
		}
		if c := regexp.MustCompile(`(?i)[^.\n]*\bafebrile\b[^.\n]*`).FindString(objective); c != "" {
			add(Objective, "vitals", "The temperature is "+v.Value+" "+v.Unit+", and the text says “"+strings.TrimSpace(c)+"”",
				"The text and a measurement contradict each other")
		}
	}
	return out
}

func capital(s string) string { return strings.TrimSuffix(Sentence(s), ".") }

// about says whether a mention is of the system: a word that many systems share
// ("tenderness") counts only where the clause names the system.
func about(m mention, names []string) bool {
	if !shared[m.term] {
		return true
	}
	return slices.ContainsFunc(names, func(n string) bool { return containsWords(m.clause, n) })
}

// shared are findings that more than one system has.
var shared = map[string]bool{"tenderness": true, "tender": true, "swollen": true, "warm": true, "red": true, "erythema": true,
	"reduced": true, "numbness": true, "depressed": true, "swelling": true, "redness": true, "warmth": true, "weakness": true,
	"effusion": true, "crepitus": true, "discharge": true, "rash": true, "edema": true, "mass": true, "wound": true, "pallor": true,
	"jaundice": true, "cyanosis": true, "tremor": true, "drowsiness": true, "confusion": true, "laxity": true, "rub": true, "distension": true,
	"callus": true}

type mention struct {
	clause string
	term   string
	denied bool
}

var (
	clauseEnd = regexp.MustCompile(`[.;\n]|,? but |,? however `)
	denial    = regexp.MustCompile(`(?i)\b(no|not|denies|denied|without|negative for|never|free of|absence of|ruled out|resolved)\b`)
	normals   = `(?:is|are|was|were|both|all)?\s*(?:clear|normal|unremarkable|benign|quiet)`
)

// mentions finds the clauses of a text that name one of the terms, and whether
// they deny it: a word of denial stands before the term in the same clause.
func mentions(text string, terms []string) []mention {
	var out []mention
	for _, c := range clauseEnd.Split(text, -1) {
		lower := strings.ToLower(c)
		for _, t := range terms {
			at := indexWords(lower, strings.ToLower(t))
			if at < 0 {
				continue
			}
			out = append(out, mention{strings.TrimSpace(c), t, denial.MatchString(lower[:at]) || family.MatchString(lower)})
			break
		}
	}
	return out
}

// family mentions say nothing about the patient.
var family = regexp.MustCompile(`(?i)\b(mother|father|brother|sister|son|daughter|family|wife|husband)\b`)

// indexWords finds a term as whole words.
func indexWords(text, term string) int {
	from := 0
	for {
		i := strings.Index(text[from:], term)
		if i < 0 {
			return -1
		}
		i += from
		end := i + len(term)
		if (i == 0 || !letter(text[i-1])) && (end == len(text) || !letter(text[end])) {
			return i
		}
		from = i + 1
	}
}

func containsWords(text, term string) bool {
	return indexWords(strings.ToLower(text), strings.ToLower(term)) >= 0
}

func letter(b byte) bool { return b >= 'a' && b <= 'z' || b >= '0' && b <= '9' || b >= 0x80 }

// calledNormal returns the clause in which a text calls a system normal.
func calledNormal(text string, names []string) string {
	for _, c := range clauseEnd.Split(text, -1) {
		for _, n := range names {
			re := regexp.MustCompile(`(?i)\b` + regexp.QuoteMeta(n) + `\b(?:\s+and\s+\w+|,\s*\w+)*\s*:?\s*` + normals + `\b`)
			if m := re.FindStringIndex(c); m != nil && !regexp.MustCompile(`(?i)\bnot\b`).MatchString(c[m[0]:m[1]]) {
				return strings.TrimSpace(c)
			}
		}
	}
	return ""
}
