package note

import (
	"cmp"
	"slices"
	"strings"

	"deftledger/core/chart"
)

// State of a finding.
type State string

// The states. LeftOut is a denial taken out again: it was not asked, and "all the
// rest" does not bring it back.
const (
	Present State = "present"
	Absent  State = "absent"
	Normal  State = "normal" // of an aspect of the examination
	LeftOut State = "left out"
	Remark  State = "remark" // free words about a system; Finding is ""
)

// Origin says where a piece of the note came from.
type Origin string

// The origins.
const (
	Typed     Origin = "typed"
	Chosen    Origin = "findings" // written from findings and answers chosen here
	ByRest    Origin = "rest"     // chosen by "all the rest": the author attests that it was asked
	FromDev   Origin = "device"
	ByPatient Origin = "patient"
	Carried   Origin = "carried"
	FromChart Origin = "chart" // histories, results and documents brought in
)

// Finding is one thing asked or found, kept as data. Side is "", left, right or
// both; Severity "", mild, moderate or severe; Duration number and UCUM unit.
type Finding struct {
	Area       Area     `json:"area"`
	System     string   `json:"system"`
	Finding    string   `json:"finding"`
	State      State    `json:"state"`
	Side       string   `json:"side"`
	Severity   string   `json:"severity"`
	Duration   string   `json:"duration"`
	Words      []string `json:"words"`
	Remark     string   `json:"remark"`
	Origin     Origin   `json:"origin"`
	SourceNote string   `json:"sourceNote"`
	Looked     bool     `json:"looked"`
	Version    int      `json:"version"`
}

// Key names a finding within a note.
func (f Finding) Key() string { return string(f.Area) + "." + f.System + "." + f.Finding }

var sides = map[string][2]string{"left": {"left", "on the left"}, "right": {"right", "on the right"},
	"both": {"bilateral", "on both sides"}}

// Phrase writes a finding with its qualifiers, in lower case: "severe left ear
// pain for two days", "moderate wheeze on the right".
func (i Item) Phrase(f Finding) string {
	words := []string{f.Severity}
	if i.Sided == "before" {
		words = append(words, sides[f.Side][0])
	}
	for _, w := range i.Pre {
		if slices.Contains(f.Words, w) {
			words = append(words, w)
		}
	}
	words = append(words, i.Say)
	for _, w := range i.Post {
		if slices.Contains(f.Words, w) {
			words = append(words, w)
		}
	}
	if i.Sided == "after" {
		words = append(words, sides[f.Side][1])
	}
	if f.Duration != "" {
		words = append(words, "for "+Duration(f.Duration))
	}
	if f.Remark != "" {
		words = append(words, "("+f.Remark+")")
	}
	return chart.Tidy(strings.Join(words, " "))
}

// Piece is a sentence of the note with where it came from. Ref names what it
// was written from, so that a screen can lead there.
type Piece struct {
	Text   string `json:"text"`
	Origin Origin `json:"origin"`
	Source string `json:"source"` // the note it was carried from, or what it was taken from
	Looked bool   `json:"looked"`
	Ref    string `json:"ref"`
}

// rows are findings by key.
type rows map[string]Finding

func index(fs []Finding) rows {
	out := rows{}
	for _, f := range fs {
		out[f.Key()] = f
	}
	return out
}

func (r rows) get(a Area, system, finding string) (Finding, bool) {
	f, ok := r[string(a)+"."+system+"."+finding]
	return f, ok
}

// lot is a group of findings that share a sentence: same origin, same source,
// looked at or not.
type lot struct {
	origin Origin
	source string
	looked bool
	texts  []string
	refs   []string
}

type lots []*lot

func (l *lots) add(f Finding, text string) {
	origin := f.Origin
	if origin == ByRest {
		origin = Chosen
	}
	for _, x := range *l {
		if x.origin == origin && x.source == f.SourceNote && x.looked == f.Looked {
			x.texts = append(x.texts, text)
			x.refs = append(x.refs, f.Key())
			return
		}
	}
	*l = append(*l, &lot{origin: origin, source: f.SourceNote, looked: f.Looked, texts: []string{text}, refs: []string{f.Key()}})
}

// pieces writes a sentence for each lot; without a word the list is set with commas alone.
func (l lots) pieces(before, word string) []Piece {
	var out []Piece
	for _, x := range l {
		list := strings.Join(x.texts, ", ")
		if word != "" {
			list = List(x.texts, word)
		}
		if text := Sentence(before + " " + list); text != "" {
			out = append(out, Piece{Text: text, Origin: x.origin, Source: x.source, Looked: x.looked, Ref: strings.Join(x.refs, " ")})
		}
	}
	return out
}

// Symptoms writes what is reported and denied of a list of symptoms
// ("system.symptom"), in that order: reported first.
func (s *Systems) Symptoms(have rows, keys []string) []Piece {
	var yes, no lots
	for _, k := range keys {
		system, id, _ := strings.Cut(k, ".")
		i, known := s.Item(Review, system, id)
		f, ok := have.get(Review, system, id)
		if !ok || !known {
			continue
		}
		switch f.State {
		case Present:
			yes.add(f, i.Phrase(f))
		case Absent:
			no.add(f, i.Phrase(f))
		}
	}
	return append(yes.pieces("reports", "and"), no.pieces("denies", "and")...)
}

// Block is a paragraph of the note. Group stands over several blocks ("Review of
// systems"); Label runs in ("Lungs").
type Block struct {
	Part   Part    `json:"part"`
	Group  string  `json:"group"`
	Label  string  `json:"label"`
	Ref    string  `json:"ref"`
	Pieces []Piece `json:"pieces"`
}

// Text is the block as it reads, without its label.
func (b Block) Text() string { return b.text(func(Piece) bool { return true }) }

// LookedAt returns the text of a block without what was carried and nobody looked at.
func (b Block) LookedAt() string { return b.text(func(p Piece) bool { return p.Looked }) }

func (b Block) text(with func(Piece) bool) string {
	var out []string
	for _, p := range b.Pieces {
		if with(p) {
			out = append(out, p.Text)
		}
	}
	return strings.Join(out, " ")
}

// Headings of what is written from findings.
const (
	ReviewHeading      = "Review of systems"
	ExaminationHeading = "Examination"
)

// review writes the review of systems, leaving out the symptoms told already.
func (s *Systems) review(have rows, told map[string]bool) []Block {
	var out []Block
	for _, x := range s.Review {
		var keys []string
		for _, i := range x.Symptoms {
			if !told[x.ID+"."+i.ID] {
				keys = append(keys, x.ID+"."+i.ID)
			}
		}
		out = appendBlock(out, Block{Part: Subjective, Group: ReviewHeading, Label: x.Name, Ref: "review." + x.ID,
			Pieces: append(s.Symptoms(have, keys), remark(have, Review, x.ID)...)})
	}
	return out
}

func remark(have rows, a Area, system string) []Piece {
	f, ok := have.get(a, system, "")
	if !ok || strings.TrimSpace(f.Remark) == "" {
		return nil
	}
	origin := f.Origin
	if origin == Chosen {
		origin = Typed
	}
	return []Piece{{Sentence(f.Remark), origin, f.SourceNote, f.Looked, f.Key()}}
}

// examination writes the systems that were touched: what was found first, each in
// a sentence; then what is normal in the words of the aspects where nothing was
// found; then what was looked for and not there.
func (s *Systems) examination(have rows) []Block {
	var out []Block
	for _, x := range s.Examination {
		out = appendBlock(out, Block{Part: Objective, Group: ExaminationHeading, Label: x.Name, Ref: "examination." + x.ID,
			Pieces: x.pieces(have)})
	}
	return out
}

func (s System) pieces(have rows) []Piece {
	var found []Piece
	var normal, absent lots
	for _, a := range s.Aspects {
		any := false
		for _, i := range a.Findings {
			f, ok := have.get(Examination, s.ID, i.ID)
			if !ok {
				continue
			}
			switch f.State {
			case Present:
				any = true
				origin := f.Origin
				if origin == ByRest {
					origin = Chosen
				}
				found = append(found, Piece{Text: Sentence(i.Phrase(f)), Origin: origin, Source: f.SourceNote, Looked: f.Looked, Ref: f.Key()})
			case Absent:
				absent.add(f, i.Phrase(f))
			}
		}
		if f, ok := have.get(Examination, s.ID, a.ID); ok && f.State == Normal && !any {
			normal.add(f, a.Normal)
		}
	}
	out := append(found, normal.pieces("", "")...)
	out = append(out, absent.pieces("no", "or")...)
	return append(out, remark(have, Examination, s.ID)...)
}

func appendBlock(out []Block, b Block) []Block {
	if len(b.Pieces) > 0 {
		out = append(out, b)
	}
	return out
}

// Change is one act on findings. With Finding "" and State Normal a whole system
// is normal (of the review: all of it denied); with Finding "" and Clear the
// system is cleared. Rest means everything shown that nothing was said about.
type Change struct {
	Area     Area     `json:"area"`
	System   string   `json:"system"`
	Finding  string   `json:"finding"`
	State    State    `json:"state"`
	Side     string   `json:"side"`
	Severity string   `json:"severity"`
	Duration string   `json:"duration"`
	Words    []string `json:"words"`
	Remark   string   `json:"remark"`
	Clear    bool     `json:"clear"`
	Rest     []string `json:"rest"`  // the systems shown
	Bring    bool     `json:"bring"` // bring the system from the last visit that has it
	Was      int      `json:"was"`   // version of the finding the change was made on; 0 for a new one
}

// About is what "all the rest" must know: the patient's administrative sex, and
// the symptoms ("system.symptom") the visit is about, which it never denies.
type About struct {
	Sex       string
	Complaint []string
}

// Apply makes changes to the findings of a note. It
// returns the findings in the order of the systems. What a change does not touch
// stays; acts on different things give the same in any order.
func (s *Systems) Apply(before []Finding, changes []Change, who About) ([]Finding, error) {
	have := index(before)
	for _, c := range changes {
		if err := s.apply(have, c, who); err != nil {
			return nil, err
		}
	}
	return s.sorted(have), nil
}

func (s *Systems) apply(have rows, c Change, who About) error {
	if c.Area != Review && c.Area != Examination {
		return fault("", "%q is neither review nor examination", c.Area)
	}
	if len(c.Rest) > 0 {
		for _, id := range c.Rest {
			if x, ok := s.System(c.Area, id); ok {
				s.fill(have, c.Area, x, who)
			}
		}
		return nil
	}
	x, ok := s.System(c.Area, c.System)
	if !ok {
		return fault(c.System, "there is no system %q", c.System)
	}
	prefix := string(c.Area) + "." + x.ID + "."
	switch {
	case c.Clear && c.Finding == "":
		for k := range have {
			if strings.HasPrefix(k, prefix) {
				delete(have, k)
			}
		}
		return nil
	case c.Finding == "" && c.State == Remark:
		if strings.TrimSpace(c.Remark) == "" {
			delete(have, prefix)
			return nil
		}
		have[prefix] = Finding{Area: c.Area, System: x.ID, State: Remark, Remark: chart.Tidy(c.Remark), Origin: Typed,
			Looked: true, Version: have[prefix].Version}
		return nil
	case c.Finding == "" && c.State == Normal:
		s.fill(have, c.Area, x, who)
		return nil
	}
	i, isItem := s.Item(c.Area, x.ID, c.Finding)
	isAspect := slices.ContainsFunc(x.Aspects, func(a Aspect) bool { return a.ID == c.Finding })
	f := Finding{Area: c.Area, System: x.ID, Finding: c.Finding, State: c.State, Origin: Chosen, Looked: true,
		Version: have[prefix+c.Finding].Version}
	switch {
	case !isItem && !isAspect:
		return fault(c.Finding, "there is no finding %q in %q", c.Finding, x.Name)
	case c.Clear:
		delete(have, prefix+c.Finding)
		return nil
	case c.State == LeftOut, isAspect && c.State == Normal:
	case isItem && c.State == Absent && (c.Severity != "" || c.Duration != "" || c.Remark != ""):
		return fault(c.Finding, "%s is denied or not there, so it has no severity, duration or remark", i.Say)
	case isItem && (c.State == Present || c.State == Absent):
		var err error
		if f, err = qualified(f, c, i); err != nil {
			return err
		}
	default:
		return fault(c.Finding, "%q cannot be %q", c.Finding, c.State)
	}
	have[f.Key()] = f
	return nil
}

func qualified(f Finding, c Change, i Item) (Finding, error) {
	if _, ok := sides[c.Side]; c.Side != "" && (!ok || i.Sided == "") {
		return f, fault(i.ID, "%s has no side %q", i.Say, c.Side)
	}
	if !slices.Contains([]string{"", "mild", "moderate", "severe"}, c.Severity) {
		return f, fault(i.ID, "%q is not a severity", c.Severity)
	}
	if c.Duration != "" {
		d, ok := ReadDuration(c.Duration)
		if !ok {
			return f, fault(i.ID, "%q is not a duration; write it as 2 d, 3 wk or 4 mo", c.Duration)
		}
		c.Duration = d
	}
	for _, w := range c.Words {
		if !slices.Contains(i.Pre, w) && !slices.Contains(i.Post, w) {
			return f, fault(i.ID, "%s is not qualified by %q", i.Say, w)
		}
	}
	f.Side, f.Severity, f.Duration, f.Remark = c.Side, c.Severity, c.Duration, chart.Tidy(c.Remark)
	f.Words = slices.Clone(c.Words)
	slices.Sort(f.Words)
	f.Words = slices.Compact(f.Words)
	return f, nil
}

// fill says of everything in a system that nothing was said about: denied, or normal.
func (s *Systems) fill(have rows, a Area, x System, who About) {
	add := func(id string, state State) {
		f := Finding{Area: a, System: x.ID, Finding: id, State: state, Origin: ByRest, Looked: true}
		if _, said := have[f.Key()]; !said {
			have[f.Key()] = f
		}
	}
	for _, i := range x.Symptoms {
		if (i.Sex == "" || i.Sex == who.Sex) && !i.Alone && !slices.Contains(who.Complaint, x.ID+"."+i.ID) {
			add(i.ID, Absent)
		}
	}
	for _, asp := range x.Aspects {
		if !asp.Alone {
			add(asp.ID, Normal)
		}
	}
}

// sorted lists findings in the order of the data file.
func (s *Systems) sorted(have rows) []Finding {
	rank := map[string]int{}
	for _, a := range []Area{Review, Examination} {
		for _, x := range s.Of(a) {
			rank[string(a)+"."+x.ID+"."] = len(rank)
			for _, i := range x.Symptoms {
				rank[string(a)+"."+x.ID+"."+i.ID] = len(rank)
			}
			for _, asp := range x.Aspects {
				rank[string(a)+"."+x.ID+"."+asp.ID] = len(rank)
				for _, i := range asp.Findings {
					rank[string(a)+"."+x.ID+"."+i.ID] = len(rank)
				}
			}
		}
	}
	out := make([]Finding, 0, len(have))
	for _, f := range have {
		out = append(out, f)
	}
	slices.SortFunc(out, func(a, b Finding) int {
		return cmp.Or(cmp.Compare(rank[a.Key()], rank[b.Key()]), cmp.Compare(a.Key(), b.Key()))
	})
	return out
}
