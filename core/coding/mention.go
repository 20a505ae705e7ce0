package coding

import (
	"math"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Passage is a stretch of a note. Only what was written for this visit and looked at
// is handed in: carried text that nobody looked at supports no code.
type Passage struct {
	Part string // subjective, function, objective, assessment, plan, remarks
	Text string
}

// Supported is a code that the text supports, with the words that speak for it.
type Supported struct {
	Entry
	Words string  `json:"words"` // the sentence, as written
	Part  string  `json:"part"`
	Score float64 `json:"-"`
}

// Reader finds in text the conditions that the catalogue has codes for. It follows
// the ideas of NegEx (Chapman and others, 2001) and ConText (Harkema and others,
// 2009): a phrase before or after a mention denies it, makes it uncertain, past or
// somebody else's, up to a word that ends its reach.
type Reader struct {
	c        *Catalogue
	everyday map[string][][]string
	longest  int
	terms    []term
	byRare   map[string][]int32 // stem → terms of which it is the rarest
	weight   map[string]float64
}

// term is a title or inclusion term, as the stems it needs.
type term struct {
	node  int32
	needs []string // stems that must stand in the sentence, undenied
	lacks []string // stems the title says "without"; they count when denied
	title bool
	other bool // "other …": only where nothing says it better
}

// skipped are words of titles that a writer leaves out.
var skipped = map[string]bool{"unspecified": true, "specified": true, "other": true, "nos": true, "nec": true, "unilateral": true, "uncomplicated": true, "initial": true, "encounter": true, "elsewhere": true, "classified": true, "type": true, "form": true, "site": true, "part": true, "current": true, "pathological": true, "complication": true, "complications": true, "condition": true, "spontaneous": true, "disorder": true, "closed": true, "status": true, "organism": true, "cause": true, "origin": true, "essential": true, "mellitus": true, "level": true, "episode": true}

// sideWords choose between sides; they never make a condition by themselves.
var sideWords = map[string]bool{"right": true, "left": true, "bilateral": true, "both": true}

// commonWords say nothing of a condition alone.
var commonWords = map[string]bool{"acute": true, "chronic": true, "pain": true, "disease": true, "syndrome": true, "mild": true, "moderate": true, "severe": true, "recurrent": true, "stage": true, "class": true, "primary": true, "secondary": true, "lower": true, "upper": true, "limb": true, "infection": true, "viral": true, "bacterial": true, "history": true, "personal": true, "family": true, "examination": true, "single": true, "high": true, "low": true, "body": true, "blood": true, "use": true, "dependence": true, "symptom": true, "problem": true, "change": true, "normal": true, "lesion": true, "swelling": true, "deficiency": true, "contact": true, "exposure": true, "screening": true, "follow": true, "care": true, "medication": true, "drug": true, "therapy": true, "work": true, "exercise": true, "diet": true, "sleep": true, "stress": true, "weight": true, "loss": true, "gain": true, "sprain": true, "strain": true, "fracture": true, "injury": true, "tear": true, "cyst": true, "ulcer": true, "mass": true}

// habits are everyday words that find a diagnosis when somebody searches for it, and
// in a text say only what a person does: who drinks coffee has no alcohol disorder.
var habits = map[string]bool{"drinking": true, "drinks": true, "drinker": true, "smokes": true, "smoking": true, "smoker": true, "sugar": true, "cholesterol": true, "cold": true, "stress": true}

// NewReader prepares the catalogue for reading. everyday is the list that the search
// uses too.
func NewReader(c *Catalogue, everyday string) *Reader {
	r := &Reader{c: c, everyday: map[string][][]string{}, byRare: map[string][]int32{}, weight: map[string]float64{}}
	for line := range strings.Lines(everyday) {
		line = strings.TrimSpace(line)
		if line == "" || line[0] == '#' {
			continue
		}
		said, means, _ := strings.Cut(line, "\t")
		if habits[said] {
			continue
		}
		key := strings.Join(stems(words(said)), " ")
		r.longest = max(r.longest, len(words(said)))
		for _, m := range strings.Split(means, "|") {
			r.everyday[key] = append(r.everyday[key], stems(words(m)))
		}
	}
	count := map[string]int{}
	for i, n := range c.nodes {
		if n.depth < 2 || !conditionCode(n.code) {
			continue
		}
		add := func(text string, title bool) {
			needs, lacks := needsOf(text)
			if len(needs) == 0 || len(needs) > 9 {
				return
			}
			for _, w := range needs {
				count[w]++
			}
			r.terms = append(r.terms, term{int32(i), needs, lacks, title, strings.HasPrefix(text, "Other ")})
		}
		add(n.title, true)
		for _, raw := range strings.Split(n.notes, "\x1f") {
			if len(raw) > 1 && raw[0] == 'i' {
				add(raw[1:], false)
			}
		}
	}
	for w, n := range count {
		r.weight[w] = math.Log(float64(len(r.terms)+1) / float64(n))
	}
	for i, t := range r.terms {
		rare := t.needs[0]
		for _, w := range t.needs {
			if r.weight[w] > r.weight[rare] {
				rare = w
			}
		}
		r.byRare[rare] = append(r.byRare[rare], int32(i))
	}
	return r
}

// conditionCode leaves out causes of injury and the reasons for contact that are no
// state of the patient, and, of the causes of disease, the organisms alone.
func conditionCode(code string) bool {
	switch code[0] {
	case 'V', 'W', 'X', 'Y', 'P', 'Q':
		return false
	case 'Z':
		return strings.HasPrefix(code, "Z79") || strings.HasPrefix(code, "Z87.891") || code == "Z72.0" || strings.HasPrefix(code, "Z95") || strings.HasPrefix(code, "Z96")
	case 'B':
		return !strings.HasPrefix(code, "B95") && !strings.HasPrefix(code, "B96") && !strings.HasPrefix(code, "B97")
	case 'T':
		return code < "T36" || code > "T66"
	}
	return true
}

func stems(ws []string) []string {
	out := make([]string, 0, len(ws))
	for _, w := range ws {
		out = append(out, stem(w))
	}
	return out
}

// needsOf reads a title: what it needs, and what it says "without". Words in brackets
// are nonessential modifiers and are left out.
func needsOf(text string) (needs, lacks []string) {
	var b strings.Builder
	depth := 0
	for _, r := range text {
		switch {
		case r == '(' || r == '[':
			depth++
		case r == ')' || r == ']':
			depth = max(0, depth-1)
		case depth == 0:
			b.WriteRune(r)
		}
	}
	text = b.String()
	if i := strings.Index(strings.ToLower(text), " not elsewhere classified"); i > 0 {
		text = text[:i]
	}
	without := false
	for _, piece := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ';' || r == ':' }) {
		without = false
		for _, w := range words(piece) {
			switch {
			case w == "without" || w == "not":
				without = true
			case w == "with":
				without = false
			case stop[w] || skipped[w]:
			case without:
				lacks = append(lacks, stem(w))
			default:
				if s := stem(w); !slices.Contains(needs, s) {
					needs = append(needs, s)
				}
			}
		}
	}
	return needs, lacks
}

// sense is how a word of a sentence is meant.
type sense uint8

const (
	denied sense = 1 << iota
	unsure
	past
	others
)

type token struct {
	stems []string // its own stem, then what everyday words around it mean
	sense sense
	used  bool
}

type trigger struct {
	words []string
	sense sense
	after bool // it speaks of what stands before it
	reach int  // how many words it reaches; 0 to the end
}

func triggers(sense sense, after bool, reach int, phrases string) (out []trigger) {
	for _, p := range strings.Split(phrases, "|") {
		out = append(out, trigger{strings.Fields(p), sense, after, reach})
	}
	return out
}

// allTriggers, longest first.
var allTriggers = func() []trigger {
	out := triggers(denied, false, 0, "no|denies|denied|deny|without|not|never|negative for|free of|no evidence of|no sign of|no signs of|absence of|absent|neither|nor|rules out|no further|cannot see|none of")
	out = append(out, triggers(denied, true, 6, "ruled out|excluded|is excluded|was excluded|are absent|is absent|not seen|not found|negative|is gone|has resolved|not present|unlikely")...)
	out = append(out, triggers(unsure, false, 0, "rule out|r o|possible|possibly|probable|probably|suspect|suspected|suspicion of|suspicious for|likely|may be|may have|might be|could be|question of|questionable|consider|concern for|concerned about|worried about|afraid of|fears|fear of|differential|versus|vs|risk of|risk for|at risk|screen for|screening for|to exclude|evaluate for|test for|tests for|looking for|in case of|return for|return if|call for|call if|prevent|prevention of|vaccine|if|or else|wonders|asks about|asked about|information on|leaflet on|discussed")...)
	out = append(out, triggers(unsure, true, 4, "is possible|is suspected|not excluded|cannot be excluded|to be ruled out|is a concern|versus|vs")...)
	out = append(out, triggers(past, false, 0, "history of|h o|status post|s p|previous|previously|prior|past|as a child|in childhood|had|used to|remote|formerly|resolved|healed|recovered from|treated for")...)
	out = append(out, triggers(past, true, 8, "years ago|in childhood|as a child|in the past|has healed|resolved|last year|months ago|in remission|quit|stopped")...)
	out = append(out, triggers(past, false, 3, "quit|stopped|gave up")...)
	out = append(out, triggers(others, false, 0, "mother|father|brother|sister|grandmother|grandfather|grandparents|aunt|uncle|cousin|parents|parent|family history|family|fh|son|daughter|wife|husband|partner|child of|contact with|exposed to|neighbor|colleague|runs in")...)
	slices.SortStableFunc(out, func(a, b trigger) int { return len(b.words) - len(a.words) })
	return out
}()

// harmless phrases look like triggers and are none.
var harmless = []string{"no change", "not at goal", "not controlled", "not well controlled", "no increase", "no better", "not better", "not improving", "not improved", "not only", "no relief", "not helping", "not taking", "never stopped", "without relief", "not resolved", "not intractable", "former smoker", "history of falls", "not certain if", "no doubt", "family practice"}

// enders end the reach of a trigger.
var enders = map[string]bool{"but": true, "however": true, "although": true, "though": true, "except": true, "which": true, "because": true, "therefore": true, "presents": true, "reports": true, "now": true, "today": true, "currently": true, "still": true, "has": true, "is": true, "are": true, "takes": true}

// backToPatient are words after which it is the patient again, and not somebody else.
var backToPatient = map[string]bool{"but": true, "however": true, "patient": true, "she": true, "he": true, "they": true, "i": true}

// sentencesOf splits text into sentences and the items of lists.
func sentencesOf(text string) []string {
	var out []string
	start := 0
	cut := func(to int) {
		if s := strings.TrimSpace(text[start:to]); s != "" {
			out = append(out, s)
		}
		start = to
	}
	for i, r := range text {
		next := i + utf8.RuneLen(r)
		if r == utf8.RuneError {
			continue
		}
		after, _ := utf8.DecodeRuneInString(text[next:])
		if r == '\n' || r == ';' || (r == '.' || r == '!' || r == '?') && (next == len(text) || unicode.IsSpace(after)) {
			cut(next)
		}
	}
	cut(len(text))
	return out
}

// tokens reads a sentence into words with their senses.
func (r *Reader) tokens(sentence string) []token {
	ws := words(sentence)
	out := make([]token, len(ws))
	for i, w := range ws {
		out[i] = token{stems: []string{stem(w)}}
	}
	at := func(i int, phrase []string) bool {
		return i+len(phrase) <= len(ws) && slices.Equal(ws[i:i+len(phrase)], phrase)
	}
	calm := make([]bool, len(ws))
	for _, h := range harmless {
		f := strings.Fields(h)
		for i := range ws {
			if at(i, f) {
				for k := range f {
					calm[i+k] = true
				}
			}
		}
	}
	taken := make([]bool, len(ws))
	for _, t := range allTriggers {
		for i := range ws {
			if !at(i, t.words) || calm[i] || taken[i] && !t.after {
				continue
			}
			for k := range t.words {
				taken[i+k] = taken[i+k] || !t.after
			}
			ends := enders
			if t.sense == others {
				ends = backToPatient
			}
			if t.after {
				for k, n := i-1, 0; k >= 0 && n < t.reach && !ends[ws[k]]; k, n = k-1, n+1 {
					out[k].sense |= t.sense
				}
				continue
			}
			for k, n := i+len(t.words), 0; k < len(ws) && (t.reach == 0 || n < t.reach) && !ends[ws[k]] && (ws[k] != "with" || t.sense != denied); k, n = k+1, n+1 {
				out[k].sense |= t.sense
			}
		}
	}
	// A year or an age in the past makes the sentence's "had" and "in" past; a bare
	// year alone dates a mention: "gallstones in 2008".
	for i, w := range ws {
		if len(w) == 4 && (strings.HasPrefix(w, "19") || strings.HasPrefix(w, "20")) && i > 0 && (ws[i-1] == "in" || ws[i-1] == "since") && ws[i-1] == "in" {
			for k := range i {
				out[k].sense |= past
			}
		}
	}
	for i := range ws {
		for n := min(r.longest, len(ws)-i); n >= 1; n-- {
			key := strings.Join(stems(ws[i:i+n]), " ")
			for _, means := range r.everyday[key] {
				out[i].stems = append(out[i].stems, means...)
			}
		}
	}
	return out
}

// found is a term of the catalogue in a sentence.
type found struct {
	t     term
	at    []int
	score float64
}

// Read finds the codes that a note supports, the best supported first. Each is offered
// once. about holds what chooses between codes.
func (r *Reader) Read(note []Passage, about Visit) []Supported {
	best := map[string]Supported{}
	var order []string
	symptom := map[string]bool{}
	definite := false
	for _, p := range note {
		if p.Part == "plan" {
			continue // what is planned is not what the patient has
		}
		for _, s := range sentencesOf(p.Text) {
			toks := r.tokens(s)
			for _, f := range r.choose(toks, p.Part) {
				e, ok := r.specific(f, toks, about)
				if !ok {
					continue
				}
				sym := isSymptom(e.Code)
				if p.Part != "assessment" && !lasting(e.Code) {
					continue // in passing, only what a person goes on having
				}
				score := f.score
				if p.Part == "assessment" {
					score *= 3
					definite = definite || !sym
				}
				had, again := best[e.Code]
				if !again {
					order = append(order, e.Code)
				}
				if !again || score > had.Score {
					best[e.Code] = Supported{e, s, p.Part, score}
				}
				symptom[e.Code] = sym
			}
		}
	}
	var out []Supported
	for _, c := range order {
		if symptom[c] && definite {
			continue // a sign of what is diagnosed anyway (guideline I.B.5)
		}
		out = append(out, best[c])
	}
	out = slices.DeleteFunc(out, func(s Supported) bool {
		return slices.ContainsFunc(out, func(t Supported) bool { return t.Code != s.Code && t.Score > s.Score && r.broader(s, t) })
	})
	slices.SortStableFunc(out, func(a, b Supported) int { return int(math.Copysign(1, b.Score-a.Score)) })
	return out
}

// Speaks says whether a note speaks of a diagnosis: one telling word of its title, of the
// headings above it or of its other names stands undenied somewhere, in these or in
// everyday words. It is lenient on purpose: what it misses nobody wrote of. A code whose
// titles hold no telling word, and one that is no condition, is taken as spoken of.
func (r *Reader) Speaks(note []Passage, code string) bool {
	i, _, ok := r.c.find(code)
	if !ok || !conditionCode(code) {
		return true
	}
	telling := map[string]bool{}
	take := func(text string) {
		needs, _ := needsOf(text)
		for _, w := range needs {
			if !sideWords[w] && !commonWords[w] {
				telling[w] = true
			}
		}
	}
	for k := int(i); k >= 0 && len(r.c.nodes[k].code) >= 3 && r.c.nodes[k].depth >= 2; k = r.c.nodes[k].parent {
		n := r.c.nodes[k]
		take(n.title)
		for _, raw := range strings.Split(n.notes, "\x1f") {
			if len(raw) > 1 && raw[0] == 'i' {
				take(raw[1:])
			}
		}
	}
	if len(telling) == 0 {
		return true
	}
	for _, p := range note {
		for _, s := range sentencesOf(p.Text) {
			for _, t := range r.tokens(s) {
				if t.sense&denied == 0 && t.sense&others == 0 && slices.ContainsFunc(t.stems, func(w string) bool { return telling[w] }) {
					return true
				}
			}
		}
	}
	return false
}

// broader says whether a says less of the same condition than b: the same category.
func (r *Reader) broader(a, b Supported) bool {
	return bare(a.Code)[:3] == bare(b.Code)[:3]
}

// lasting says whether a condition goes on once it is there, so that its mention in
// the history speaks for it today.
func lasting(code string) bool {
	for _, c := range []string{"E03", "E05", "E08", "E10", "E11", "E13", "E66", "E78", "I10", "I11", "I12", "I13", "I20", "I25", "I48", "I50", "J44", "J45", "N18", "N40", "F10", "F17", "F20", "F31", "G20", "G40", "G47.33", "K50", "K51", "K90.0", "M05", "M06", "M10", "M1A", "M81", "B20", "Z79", "Z87.891", "Z95"} {
		if strings.HasPrefix(code, c) {
			return true
		}
	}
	return false
}

func isSymptom(code string) bool {
	return code[0] == 'R' && code[:3] != "R03" && code[:3] != "R73" || strings.HasPrefix(code, "M25.5") || strings.HasPrefix(code, "M54.5") || strings.HasPrefix(code, "M54.2") || strings.HasPrefix(code, "M54.9") || strings.HasPrefix(code, "M79.6")
}

// choose finds the terms that a sentence holds whole, best first, each with words of
// its own.
func (r *Reader) choose(toks []token, part string) []found {
	var all []found
	tried := map[int32]bool{}
	for i := range toks {
		if toks[i].sense != 0 {
			continue
		}
		for _, s := range toks[i].stems {
			for _, k := range r.byRare[s] {
				if tried[k] {
					continue
				}
				tried[k] = true
				if f, ok := r.match(r.terms[k], toks); ok {
					all = append(all, f)
				}
			}
		}
	}
	slices.SortStableFunc(all, func(a, b found) int {
		if a.score != b.score {
			return int(math.Copysign(1, b.score-a.score))
		}
		return strings.Compare(r.c.nodes[a.t.node].code, r.c.nodes[b.t.node].code)
	})
	var out []found
	for _, f := range all {
		own, telling := 0, false
		for k, at := range f.at {
			if !toks[at].used && !sideWords[f.t.needs[k]] && !commonWords[f.t.needs[k]] {
				own++
			}
			telling = telling || !sideWords[f.t.needs[k]] && !commonWords[f.t.needs[k]]
		}
		if own == 0 || !telling {
			continue
		}
		if part != "assessment" && len(f.t.needs) < 2 && r.weight[f.t.needs[0]] < 6 {
			continue // one common word in passing
		}
		for _, at := range f.at {
			toks[at].used = true
		}
		out = append(out, f)
	}
	return out
}

// match places every stem that a term needs on an undenied word of the sentence.
func (r *Reader) match(t term, toks []token) (found, bool) {
	f := found{t: t, at: make([]int, len(t.needs))}
	for k, need := range t.needs {
		at := -1
		for i := range toks {
			if toks[i].sense == 0 && slices.Contains(toks[i].stems, need) {
				at = i
				if !toks[i].used {
					break
				}
			}
		}
		if at < 0 {
			return f, false
		}
		f.at[k] = at
		f.score += r.weight[need]
	}
	for _, lack := range t.lacks {
		if slices.ContainsFunc(toks, func(x token) bool { return x.sense&denied != 0 && slices.Contains(x.stems, lack) }) {
			f.score += r.weight[lack] / 2
		}
	}
	if span := slices.Max(f.at) - slices.Min(f.at); span > 3*len(t.needs)+4 {
		return f, false // words that far apart speak of different things
	}
	if t.title {
		f.score *= 1.05
	}
	if t.other {
		f.score *= 0.8
	}
	return f, true
}

// specific goes from what was found to the most specific billable code that the
// sentence supports: by side, degree and kind, else to the unspecified one.
func (r *Reader) specific(f found, toks []token, about Visit) (Entry, bool) {
	i := int(f.t.node)
	has := func(s string) bool {
		return slices.ContainsFunc(toks, func(t token) bool { return t.sense == 0 && slices.Contains(t.stems, s) })
	}
	lacks := func(s string) bool {
		return slices.ContainsFunc(toks, func(t token) bool { return t.sense&denied != 0 && slices.Contains(t.stems, s) })
	}
	for range 6 {
		n := r.c.nodes[i]
		if n.ext != "" {
			ext := byte(0)
			for k := range len(n.ext) {
				meaning := strings.ToLower(r.c.extText(i, n.ext[k]))
				if ext == 0 && strings.Contains(meaning, "initial encounter") && !strings.Contains(meaning, "open") {
					ext = n.ext[k]
				}
			}
			if ext == 0 {
				return Entry{}, false // it says something that the text does not
			}
			return r.c.entry(int32(i), ext), true
		}
		if len(r.c.children[i]) == 0 {
			return r.c.entry(int32(i), 0), true
		}
		above, _ := needsOf(n.title)
		next, score := -1, -1.0
		for _, k := range r.c.children[i] {
			title := r.c.nodes[k].title
			needs, without := needsOf(title)
			s, missing, side := 0.0, 0, false
			for _, w := range needs {
				if slices.Contains(above, w) {
					continue
				}
				switch {
				case has(w) && sideWords[w]:
					side = true
					s += 4
				case has(w):
					s += 1 + r.weight[w]/4
				default:
					missing++
				}
			}
			for _, w := range without {
				if lacks(w) {
					s += 1
				} else if has(w) {
					s -= 3
				}
			}
			lower := strings.ToLower(title)
			plain := strings.Contains(lower, "unspecified") || strings.Contains(lower, "without complication") || strings.Contains(lower, "uncomplicated") || len(without) > 0 && missing == 0
			if missing > 0 && !side && !plain {
				continue
			}
			if plain && !side {
				s += 0.5
			}
			if strings.HasPrefix(title, "Other ") {
				s -= 0.7
			}
			if strings.Contains(lower, "with unspecified complication") && !has("complication") {
				continue // it says that there are complications
			}
			if missing > 0 && side {
				s -= 0.1 * float64(missing)
			}
			if strings.Contains(lower, "unspecified") && missing > 0 {
				s -= 0.05 * float64(missing)
			}
			if s > score {
				next, score = int(k), s
			}
		}
		if next < 0 {
			return Entry{}, false
		}
		i = next
	}
	return Entry{}, false
}
