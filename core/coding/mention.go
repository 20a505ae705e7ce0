package coding

import (
	"math"
	"regexp"
	"slices"
	"strings"
	"sync"
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
	// Later is the code of the same injury after active treatment, where the text leaves open
	// which of the two it is; Code is then that of active treatment. Else it is empty.
	Later Entry `json:"-"`
}

// Reader finds in text the conditions that the catalogue has codes for. It follows
// the ideas of NegEx (Chapman and others, 2001) and ConText (Harkema and others,
// 2009): a phrase before or after a mention denies it, makes it uncertain, past or
// somebody else's, up to a word that ends its reach.
type Reader struct {
	c        *Catalogue
	everyday map[string][]string
	longest  int
	terms    []term
	byRare   map[string][]int32 // stem → terms of which it is the rarest
	weight   map[string]float64
	excluded sync.Map // code → what the notes at it say it is not used with
}

// found is a term of the catalogue in a sentence.
type found struct {
	t     term
	at    []int
	score float64
	entry Entry
}

// Read finds the codes that a note supports, the best supported first. Each is offered
// once. A code for another age than that of about is not: a child's "annual physical" is
// no examination of an adult.
func (r *Reader) Read(note []Passage, about Visit) []Supported {
	best := map[string]Supported{}
	var order []string
	symptom := map[string]bool{}
	definite := false
	diabetes := typeOf(note)
	later := sync.OnceValue(func() bool { // asked only of an injury
		return slices.ContainsFunc(note, func(p Passage) bool { return p.Part != "plan" && healed(p.Text) })
	})
	for _, p := range note {
		if p.Part == "plan" {
			continue // what is planned is not what the patient has
		}
		for _, s := range sentencesOf(p.Text) {
			toks := r.tokens(s, p.Part, diabetes)
			for _, f := range r.choose(toks, p.Part, whose{about.Sex, later}) {
				e := f.entry
				sym := isSymptom(e.Code)
				if p.Part != "assessment" && !lasting(e.Code) {
					continue // in passing, only what a person goes on having
				}
				if slices.ContainsFunc(edits(e.Code, about), func(a Advice) bool { return a.Kind == "age" || a.Kind == "sex" }) {
					continue
				}
				score := f.score
				if p.Part == "assessment" {
					score *= 3
					definite = definite || !sym && e.Code[0] != 'Z'
				}
				had, again := best[e.Code]
				if !again {
					order = append(order, e.Code)
				}
				if !again || score > had.Score {
					best[e.Code] = Supported{Entry: e, Words: s, Part: p.Part, Score: score}
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
	out = r.company(r.together(out), note, about, diabetes)
	for i, s := range out {
		b := bare(s.Code)
		if len(b) < 7 || b[6] != 'A' || b[0] != 'S' && b[0] != 'T' || treated(note) || later() {
			continue
		}
		if e, ok := r.c.Lookup(b[:6] + "D"); ok && e.Billable {
			out[i].Later = e
		}
	}
	return out
}

// together leaves out what the list says cannot stand beside something better said:
// "urinary tract infection" beside a cystitis, a dementia of no kind beside Alzheimer's.
func (r *Reader) together(out []Supported) []Supported {
	less := func(drop func(a, b Supported) bool) {
		all := slices.Clone(out)
		out = slices.DeleteFunc(out, func(a Supported) bool {
			return slices.ContainsFunc(all, func(b Supported) bool { return a.Code != b.Code && drop(a, b) })
		})
	}
	less(func(a, b Supported) bool {
		x, y := a.Code[:3], b.Code[:3]
		return x == "F03" && (y == "G30" || y == "F01") || x == "O03" && y == "O20" && a.Words == b.Words ||
			x == "S06" && b.Code == "F07.81" // what stayed of a concussion is no concussion of now (Excludes1 there)
	})
	notes := map[string][][]Reference{}
	for _, s := range out {
		at, ok := r.excluded.Load(s.Code)
		if !ok {
			at = r.c.excludesAt(s.Code)
			r.excluded.Store(s.Code, at)
		}
		notes[s.Code] = at.([][]Reference)
	}
	not := func(a, b string) bool {
		return slices.ContainsFunc(notes[a], func(rs []Reference) bool { return meansAny(rs, b) })
	}
	less(func(a, b Supported) bool { // the note stands at the code that is not used where the other is
		return not(a.Code, b.Code) && (!not(b.Code, a.Code) || vague(a.Entry) && !vague(b.Entry))
	})
	return out
}

// healing words say that active treatment of an injury is over (guideline I.C.19.a).
var healing = regexp.MustCompile(`(?i)\b(follow[- ]?up|f/u|healing|healed|routine healing|recheck|cast (check|removed|removal|off)|sutures? (removed|out)|stitches out|subsequent)\b`)

// healed looks for the words themselves before their pattern, which costs more.
func healed(text string) bool {
	lower := strings.ToLower(text)
	for _, w := range []string{"follow", "f/u", "heal", "recheck", "cast", "suture", "stitch", "subsequent"} {
		if strings.Contains(lower, w) {
			return healing.MatchString(text)
		}
	}
	return false
}

// treating words say that an injury is of these days, or is being treated actively now.
var treating = regexp.MustCompile(`(?i)\b(today|yesterday|this (morning|afternoon|evening|noon)|last night|tonight|hours? ago|minutes ago|just (now|happened)|\d+ ?h(rs?)? ago|initial|new injury|fresh|sutured|stitched|reduced|reduction|splinted|splint applied|cast applied|repaired|irrigated|stinger removed|removed today|emergency)\b`)

// treated says whether a note tells that active treatment goes on, also of a plan that is
// carried out now.
func treated(note []Passage) bool {
	return slices.ContainsFunc(note, func(p Passage) bool { return treating.MatchString(p.Text) })
}

// whose is what of the person and of the whole note decides between codes.
type whose struct {
	sex   string
	later func() bool // active treatment is over
}

// Unspoken returns those of the codes that a note does not speak of. It speaks of a
// diagnosis when one telling word of its title, of the headings above it or of its other
// names stands undenied somewhere, in these or in everyday words. It is lenient on purpose:
// what it misses nobody wrote of. A code whose titles hold no telling word, and one that is
// no condition, is taken as spoken of.
func (r *Reader) Unspoken(note []Passage, codes []string) (out []string) {
	heard := map[string]bool{}
	diabetes := typeOf(note)
	for _, p := range note {
		for _, s := range sentencesOf(p.Text) {
			for _, t := range r.tokens(s, p.Part, diabetes) {
				if t.sense&(denied|others) == 0 {
					for _, w := range t.stems {
						heard[w] = true
					}
				}
			}
		}
	}
	for _, code := range codes {
		telling := r.telling(code)
		if len(telling) > 0 && !slices.ContainsFunc(telling, func(w string) bool { return heard[w] }) {
			out = append(out, code)
		}
	}
	return out
}

// telling are the words that speak of a code by themselves; none for what is no condition.
func (r *Reader) telling(code string) (out []string) {
	i, _, ok := r.c.find(code)
	if !ok || !conditionCode(code) || code[:3] == "Z00" {
		return nil
	}
	take := func(text string) {
		needs, _ := needsOf(text)
		for _, w := range needs {
			if !sideWords[w] && !commonWords[w] {
				out = append(out, w)
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
	return out
}

// broader says whether a says less of the same condition than b: of one category, and
// of the same subcategory or the category's unspecified one.
func (r *Reader) broader(a, b Supported) bool {
	x, y := bare(a.Code), bare(b.Code)
	if x[:3] != y[:3] || x[0] == 'Z' {
		return false
	}
	return len(x) < 4 || len(y) < 4 || x[:4] == y[:4] || x[3] == '9' ||
		len(x) == 4 && (strings.Contains(strings.ToLower(a.Title), "unspecified") || strings.HasPrefix(a.Title, "Other ") ||
			strings.Contains(a.Title, " without "))
}

// Adds says whether a code says something that those listed do not: it is not one of
// them, and where they hold its category, it is no vaguer than what stands there. Status
// codes (from Z79) stand beside one another; one examination (Z00) stands alone.
func (r *Reader) Adds(listed []string, s Supported) bool {
	return !slices.ContainsFunc(listed, func(code string) bool {
		return code == s.Code || code[:3] == s.Code[:3] && s.Code < "Z79" && vague(s.Entry) || code[:3] == s.Code[:3] &&
			strings.HasPrefix(code, "Z00")
	})
}

// vague says whether an entry names no more than its category does.
func vague(e Entry) bool {
	title := strings.ToLower(e.Title)
	return len(bare(e.Code)) < 4 || bare(e.Code)[3] == '9' || strings.Contains(title, "unspecified") ||
		strings.Contains(title, "not specified") || strings.HasPrefix(title, "other ")
}

// lasting says whether a condition goes on once it is there, so that its mention in
// the history speaks for it today.
func lasting(code string) bool {
	for _, c := range []string{"E03", "E05", "E08", "E10", "E11", "E13", "E66", "E78", "I10", "I11", "I12", "I13", "I20", "I25", "I48", "I50",
		"J44", "J45", "N18", "N40", "F10", "F17", "F20", "F31", "G20", "G40", "G47.33", "K50", "K51", "K90.0", "M05", "M06", "M10", "M1A", "M81",
		"B20", "Z79", "Z87.891", "Z95"} {
		if strings.HasPrefix(code, c) {
			return true
		}
	}
	return false
}

func isSymptom(code string) bool {
	return code[0] == 'R' && code < "R70" && code[:3] != "R03" && code != "R29.6" || strings.HasPrefix(code, "M25.5") ||
		strings.HasPrefix(code, "M54.5") || strings.HasPrefix(code, "M54.2") || strings.HasPrefix(code, "M54.9") ||
		strings.HasPrefix(code, "M79.6")
}

// choose finds the terms that a sentence holds whole, best first, each with words of
// its own.
func (r *Reader) choose(toks []token, part string, of whose) []found {
	var all []found
	tried := map[int32]bool{}
	for i := range toks {
		for _, s := range toks[i].stems {
			for _, k := range r.byRare[s] {
				if tried[k] || !toks[i].meant(r.terms[k].sense) {
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
		var ok bool
		if f.entry, ok = r.specific(f, toks, of); !ok {
			continue // it leads to no code; another term may
		}
		if f.t.sense == 0 && !lasting(f.entry.Code) && slices.ContainsFunc(f.at, func(at int) bool { return toks[at].dated }) {
			continue // "stroke 2019" is no stroke of today
		}
		if r.remitted(f, toks) {
			continue // "depression, in remission" is a code of its own, or none
		}
		for _, at := range f.at {
			toks[at].used = true
		}
		out = append(out, f)
	}
	return out
}

// remitted says whether a sentence calls what was found in remission, and the entry does not.
func (r *Reader) remitted(f found, toks []token) bool {
	if strings.Contains(f.entry.Title, "without residual") && slices.ContainsFunc(toks, func(t token) bool {
		return t.stems[0] == "residual" && t.sense == 0
	}) {
		return true
	}
	return f.t.sense == 0 && !strings.Contains(f.entry.Title, "remission") && slices.ContainsFunc(toks, func(t token) bool {
		return t.stems[0] == "remission" && t.clause >= toks[f.at[0]].clause && t.clause <= toks[f.at[0]].clause+2
	})
}

// beside says whether another word of the term stands at or next to the k-th.
func (f found) beside(k int) bool {
	for other, at := range f.at {
		if d := at - f.at[k]; other != k && d >= -1 && d <= 1 {
			return true
		}
	}
	return false
}

// sides are those said of what was found: in its own clauses, else the one that stands
// in the rest of the sentence.
func (f found) sides(toks []token) (out []string) {
	own := map[int]bool{}
	last := 0
	for k, at := range f.at {
		if !sideWords[f.t.needs[k]] {
			own[toks[at].clause] = true
			last = max(last, toks[at].clause)
		}
	}
	take := func(in func(int) bool) {
		for _, t := range toks {
			if !in(t.clause) || t.sense&^past != 0 {
				continue
			}
			for _, s := range t.stems {
				if sideWords[s] && !slices.Contains(out, s) {
					out = append(out, s)
				}
			}
		}
	}
	take(func(c int) bool { return own[c] })
	if len(out) == 0 { // "otitis media, left ear"
		take(func(c int) bool { return c == last+1 })
	}
	if len(out) == 0 {
		take(func(int) bool { return true })
		if len(out) > 1 {
			return nil
		}
	}
	return out
}

// torn says whether what was found is put together of words that belong to two sides.
func (f found) torn(toks []token) bool {
	clauses := map[int]bool{}
	for k, at := range f.at {
		if !sideWords[f.t.needs[k]] {
			clauses[toks[at].clause] = true
		}
	}
	if len(clauses) < 2 {
		for k, at := range f.at { // a side of another clause, where its own has one
			if s := f.t.needs[k]; sideWords[s] && !clauses[toks[at].clause] && !slices.Contains(f.sides(toks), s) {
				return true
			}
		}
		return false
	}
	left, right := false, false
	for _, t := range toks {
		if clauses[t.clause] {
			left = left || slices.Contains(t.stems, "left")
			right = right || slices.Contains(t.stems, "right")
		}
	}
	return left && right
}

// match places every stem that a term needs on an undenied word of the sentence.
func (r *Reader) match(t term, toks []token) (found, bool) {
	f := found{t: t, at: make([]int, len(t.needs))}
	for k, need := range t.needs {
		at := -1
		for i := range toks {
			if toks[i].meant(t.sense) && slices.Contains(toks[i].stems, need) {
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
		if sideWords[need] {
			f.score += 0.5 // a side chooses between codes of one condition, not between conditions
		} else {
			f.score += r.weight[need]
		}
	}
	if f.torn(toks) {
		return f, false
	}
	for k, need := range t.needs {
		// The 2 of "stage 2" stands beside its word, and is not that of another's type 2.
		if isNumber(need) && len(t.needs) > 1 && !f.beside(k) {
			return f, false
		}
	}
	unsaid := len(t.lacks) > 0
	for _, lack := range t.lacks {
		if slices.ContainsFunc(toks, func(x token) bool { return x.sense&denied != 0 && slices.Contains(x.stems, lack) }) {
			f.score += r.weight[lack] / 2
			unsaid = false
		}
	}
	if unsaid {
		f.score *= 0.97 // of two alike, the one that says no more than was written
	}
	if span := slices.Max(f.at) - slices.Min(f.at); span > 3*len(t.needs)+4 {
		return f, false // words that far apart speak of different things
	}
	if t.may != "" && slices.ContainsFunc(toks, func(x token) bool { return x.sense == 0 && slices.Contains(x.stems, t.may) }) {
		f.score += r.weight[t.may]
	}
	if t.title {
		f.score *= 1.05
	}
	if t.half {
		f.score *= 0.9
	}
	if t.sense != 0 {
		f.score /= 3 // what is past or the family's is offered after what there is now
	}
	if t.other {
		f.score *= 0.8
	}
	if t.aside {
		f.score *= map[bool]float64{true: 1.05, false: 0.9}[sided(toks, "right", "left")]
	}
	return f, true
}

// specific goes from what was found to the most specific billable code that the
// sentence supports: by side, degree and kind, else to the unspecified one.
func (r *Reader) specific(f found, toks []token, of whose) (Entry, bool) {
	i := int(f.t.node)
	if len(r.c.children[i]) == 0 && strings.Contains(r.c.nodes[i].title, "unspecified") && r.c.nodes[r.c.nodes[i].parent].depth > 2 &&
		sided(toks, "right", "left", "bilateral") {
		// "Varicose veins NOS" is found at the unspecified side; the sentence names one.
		f.t.node = int32(r.c.nodes[i].parent)
		if e, ok := r.specific(f, toks, of); ok && (strings.Contains(e.Title, "right") || strings.Contains(e.Title, "left") ||
			strings.Contains(e.Title, "bilateral")) {
			return e, true
		}
	}
	sides := f.sides(toks)
	has := func(s string) bool {
		if sideWords[s] {
			return slices.Contains(sides, s)
		}
		if s == "female" || s == "male" {
			return of.sex == map[string]string{"female": "F", "male": "M"}[s]
		}
		return slices.ContainsFunc(toks, func(t token) bool { return t.meant(f.t.sense) && slices.Contains(t.stems, s) })
	}
	lacks := func(s string) bool {
		return slices.ContainsFunc(toks, func(t token) bool { return t.sense&denied != 0 && slices.Contains(t.stems, s) })
	}
	for range 6 {
		n := r.c.nodes[i]
		if n.ext != "" {
			ext, meant := byte(0), map[bool]string{false: "initial encounter", true: "subsequent encounter"}[of.later()]
			for k := range len(n.ext) {
				meaning := strings.ToLower(r.c.extText(i, n.ext[k]))
				if ext == 0 && strings.Contains(meaning, meant) &&
					!strings.Contains(meaning, "open") && !strings.Contains(meaning, "delayed") && !strings.Contains(meaning, "nonunion") &&
					!strings.Contains(meaning, "malunion") {
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
			excused, unmeant := excused(title), false
			for _, w := range needs {
				if slices.Contains(above, w) {
					continue
				}
				switch {
				case sideWords[w] && has(w):
					side = true
					s += 4
				case has(w):
					s += 1 + r.weight[w]/4
				default:
					missing++
					unmeant = unmeant || sideWords[w] || !slices.Contains(excused, w)
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
			unmeant = unmeant && !r.plain(int(k), above)
			plain := r.plain(int(k), above) || strings.Contains(lower, "unspecified") || strings.Contains(lower, "without complication") ||
				strings.Contains(lower, "uncomplicated") || len(without) > 0 && missing == 0
			if missing > 0 && !side && (!plain || unmeant) {
				continue // it says what the text does not
			}
			if plain && !side {
				s += 0.5
				if len(without) > 0 {
					s -= 0.02 // "unspecified" says even less
				}
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

// plain says whether an inclusion term calls an entry the one meant where nothing more
// is said ("candidiasis of vulva and vagina NOS").
func (r *Reader) plain(i int, above []string) bool {
	for _, raw := range strings.Split(r.c.nodes[i].notes, "\x1f") {
		if len(raw) > 1 && raw[0] == 'i' && strings.HasSuffix(raw, " NOS") {
			needs, _ := needsOf(raw[1:])
			if len(needs) == len(above) && !slices.ContainsFunc(needs, func(w string) bool { return !slices.Contains(above, w) }) {
				return true
			}
		}
	}
	return false
}

// sided says whether a sentence names one of these sides of the patient.
func sided(toks []token, sides ...string) bool {
	return slices.ContainsFunc(toks, func(t token) bool {
		return t.sense&^past == 0 && slices.ContainsFunc(t.stems, func(w string) bool { return slices.Contains(sides, w) })
	})
}
