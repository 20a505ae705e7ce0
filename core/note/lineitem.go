package note

import (
	"regexp"
	"slices"
	"strings"
)

// normalWords say of a whole system, or of one aspect named before them, that it is normal.
var normalWords = []string{"normal", "nl", "wnl", "unremarkable", "ok", "benign"}

// read finds out what a phrase names, with its sign.
func (r *lineReader) read(p saying) read {
	words := p.words
	r.not, r.signed = p.not, p.sign != none
	if at := slices.Index(words, "?"); at >= 0 || len(words) == 0 {
		return r.question(p)
	}
	state := Present
	switch p.sign {
	case no, denies, minus:
		state = Absent
	case skip:
		state = LeftOut
	case bring:
		return r.bringing(words)
	}
	// A side before the name of a system is the side of what is said of it.
	side, at := "", 0
	if s := sideOf(words[0]); s != "" && len(words) > 1 {
		side, at = s, 1
	}
	if cs, ok := r.systemsNormal(words, p, state); ok {
		return read{changes: cs, ok: true, normal: true}
	}
	system, left, whole := r.s.systemAt(r.area, words[at:])
	if system != "" && !whole && len(left) > 1 && !p.colon && slices.Contains([]string{"or", "and", "&"}, left[0]) {
		system, left = "", words // "muscle or joint pain": what stands before the "or" is no heading
	}
	if p.tight || p.behind && p.sign == no && !slices.ContainsFunc(words, func(w string) bool { return w == "and" || w == "&" || w == "or" }) { // "chills fever no" denies fever only, or both
		if got := r.whole(words, p, state, "").read; len(got.changes) > 1 {
			return read{}
		}
	}
	if p.colon && (system == "" || len(words)-len(left) != p.at) {
		if got := r.items(words, state, ""); got.ok { // "edema: trace", "fever: no"
			return got
		}
		if system == "" {
			return read{}
		}
	}
	if system != "" {
		context := func() {
			r.system, r.named, r.side = system, true, side
			if p.colon {
				r.head = system
			}
		}
		switch {
		case len(left) == 0 && (p.colon || p.cut) && p.sign == none:
			context()
			return read{ok: true, normal: true}
		case len(left) == 0 && whole && side == "" && (p.sign == none && r.area == Examination || state == Absent && (p.behind ||
			strings.HasPrefix(strings.ToLower(p.text), "neg"))): // "neg cv"
			context()
			r.swept[system] = r.swept[system] || p.sign == none
			return read{changes: []Change{{Area: r.area, System: system, State: Normal}}, ok: true, normal: true}
		case whole && side == "" && state == Present && (p.sign == none || p.sign == plus) && isNormal(left):
			context()
			return read{changes: []Change{{Area: r.area, System: system, State: Normal}}, ok: true, normal: true}
		}
		if !p.colon {
			if got := r.whole(words, p, state, ""); got.ok && !got.split {
				return got.read
			}
		}
		if len(left) > 0 {
			was, wasNamed, wasSide := r.system, r.named, r.side
			context()
			if got := r.whole(left, p, state, system); got.ok {
				return got.read
			} else if p.colon {
				return got.read
			}
			r.system, r.named, r.side = was, wasNamed, wasSide
		}
	}
	got := r.whole(words, p, state, "")
	if got.split && system != "" && r.area == Examination { // what is spoken of is not left half way
		first, _, _ := cutAnd(words)
		if _, ok := r.aspect(first, ""); !ok && !r.items(first, state, "").ok {
			return read{}
		}
	}
	return got.read
}

func cutAnd(words []string) ([]string, []string, bool) {
	for i, w := range words {
		if w == "and" || w == "&" || w == "or" {
			return words[:i], words[i+1:], true
		}
	}
	return words, nil, false
}

// part is a reading with whether it had to be parted for it.
type part struct {
	read
	split bool
}

// whole reads words as one thing, else as several joined by "and", else as a row of names.
func (r *lineReader) whole(words []string, p saying, state State, system string) part {
	if len(words) == 0 {
		return part{}
	}
	if p.behind { // "foot pulses absent" names a finding with the word for its sign
		if w := lastAnswer(p.text); w != "" {
			if got := r.items(append(slices.Clone(words), w), Present, system); got.ok {
				return part{read: got}
			}
		}
	}
	if state == Present {
		if c, ok := r.aspect(words, system); ok {
			return part{read: read{changes: []Change{c}, ok: true, normal: true}}
		}
		if p.sign == plus { // "+BS"
			if c, ok := r.aspect(append(slices.Clone(words), "present"), system); ok {
				return part{read: read{changes: []Change{c}, ok: true, normal: true}}
			}
		}
	}
	if state == LeftOut {
		if c, ok := r.aspect(words, system); ok {
			c.State = LeftOut
			return part{read: read{changes: []Change{c}, ok: true}}
		}
	}
	first := r.items(words, state, system)
	if first.ok {
		return part{read: first}
	}
	if state == Absent && !p.behind && p.sign == no {
		lead := "no"
		if p.not {
			lead = "not"
		}
		if c, ok := r.aspect(append([]string{lead}, words...), system); ok {
			return part{read: read{changes: []Change{c}, ok: true, normal: true}}
		}
	}
	if got, ok := r.joined(words, p, state, system); ok {
		return part{read: got, split: true}
	}
	if got, ok := r.row(words, state, system); ok {
		return part{read: got, split: true}
	}
	if r.stem != "" && system == "" { // "joint pain, swelling"
		if got := r.items(append([]string{r.stem}, words...), state, ""); got.ok {
			return part{read: got}
		}
	}
	return part{read: first}
}

// joined reads "fever and chills", "nausea with vomiting"; "fever or chills" only where it is denied.
func (r *lineReader) joined(words []string, p saying, state State, system string) (read, bool) {
	if len(words) > 2 && isNormal(words[:1]) && state == Present { // "normal mood and affect"
		words = append(slices.Clone(words[1:]), words[0])
	}
	var parts [][]string
	start := 0
	for i, w := range words {
		and := w == "and" || w == "&" || w == "or" || w == "nor" || w == "plus"
		if w == "or" && state == Present || w == "with" && state == Absent {
			return read{}, false
		}
		if and || w == "with" || w == "w" {
			parts = append(parts, words[start:i])
			start = i + 1
		}
	}
	if parts == nil {
		return read{}, false
	}
	parts = append(parts, words[start:])
	out := read{ok: true, bare: true, normal: true}
	for k, ws := range parts {
		if len(ws) == 0 {
			continue
		}
		if of, left, whole := r.s.systemAt(r.area, ws); k > 0 && state == Absent && of != "" && whole && (r.area == Examination || len(left) == 0) &&
			!r.items(ws, state, "").ok {
			return read{}, false
		}
		var got read
		switch {
		case system != "":
			got = r.whole(ws, saying{sign: p.sign}, state, system).read
		default:
			got = r.read(saying{sign: p.sign, words: ws})
		}
		if got.ok && len(got.changes) == 0 { // nothing may get lost
			got = read{}
		}
		if last := parts[len(parts)-1]; !got.ok && k < len(parts)-1 && len(ws) == 1 && len(last) > 1 { // "muscle or joint pain"
			got = r.items([]string{ws[0], last[len(last)-1]}, state, system)
		}
		if !got.ok && k > 0 && len(ws) == 1 && len(parts[0]) > 1 && state == Present { // "left calf tender and swollen"
			got = r.items(append(slices.Clone(parts[0][:len(parts[0])-1]), ws[0]), state, system)
		}
		if !got.ok { // "mood and affect normal"
			last := words[len(words)-1]
			if c, ok := r.aspect(append(slices.Clone(ws), last), system); ok && state == Present && isNormal([]string{last}) {
				got = read{changes: []Change{c}, ok: true, normal: true}
			}
		}
		if !got.ok {
			return got, false
		}
		// "no fever and tired": an adjective is no part of the list
		if k > 0 && state == Absent && !got.bare && !got.normal {
			return read{}, false
		}
		out.changes = append(out.changes, got.changes...)
		out.bare, out.normal = out.bare && got.bare, out.normal && got.normal
	}
	return out, len(out.changes) > 0
}

// systemsNormal reads several whole systems called normal together: "heart and lungs normal".
func (r *lineReader) systemsNormal(words []string, p saying, state State) (out []Change, ok bool) {
	last := len(words) - 1
	behind := state == Absent && p.behind // "cv and resp negative"
	if !behind && (state != Present || p.sign != none || !isNormal(words[last:])) {
		return nil, false
	}
	if !behind {
		words = words[:last]
	}
	for at := 0; at < len(words); {
		if words[at] == "and" || words[at] == "&" {
			at++
			continue
		}
		end := at
		for end < len(words) && words[end] != "and" && words[end] != "&" {
			end++
		}
		system, left, whole := r.s.systemAt(r.area, words[at:end])
		if system == "" || !whole || len(left) > 0 {
			return nil, false
		}
		out = append(out, Change{Area: r.area, System: system, State: Normal})
		at = end
	}
	return out, len(out) > 1
}

// row reads names without anything between them: "soft nt nd", "cp sob n v".
func (r *lineReader) row(words []string, state State, system string) (read, bool) {
	if len(words) > 10 {
		return read{}, false
	}
	out := read{ok: true, bare: true, normal: true}
	aspects, long := 0, false
	for at := 0; at < len(words); {
		if of, left, whole := r.s.systemAt(r.area, words[at:]); at > 0 && of != "" && (whole || len(left) > 0) && state == Absent {
			return read{}, false // "no murmur lungs wheeze"
		}
		if w := words[at]; w == "and" || w == "," || w == "any" && state == Absent {
			at++
			continue
		}
		found := 0
		for end := min(len(words), at+6); end > at; end-- {
			ws := words[at:end]
			if state == Present {
				if c, ok := r.aspect(ws, system); ok {
					out.changes, out.bare, found = append(out.changes, c), false, end-at
					aspects++
					break
				}
			}
			if end < len(words) && !r.s.exactly(r.area, ws) {
				continue
			}
			if got := r.items(ws, state, system); got.ok && (end == len(words) && at > 0 || r.s.exactly(r.area, ws)) {
				// "itchy red eyes", "decreased wheeze": how something is belongs to what follows.
				if end < len(words) && adjectives[words[end-1]] {
					return read{}, false
				}
				out.changes, found = append(out.changes, got.changes...), end-at
				long = long || end-at > 1
				out.bare, out.normal = out.bare && got.bare, false
				break
			}
		}
		if found == 0 {
			return read{}, false
		}
		at += found
	}
	// Names in a row are told apart only where one is short for a whole ("no cp sob n v"), or
	// what is normal stands between ("soft tender rlq").
	return out, len(out.changes) > 1 && (aspects > 0 || r.signed && !long)
}

// exactly says whether words are the whole name of a finding, in their order.
func (s *Systems) exactly(a Area, words []string) bool {
	for _, x := range s.Of(a) {
		for _, i := range x.Items() {
			for _, name := range i.called {
				if len(name.parts) == len(words) && name.kind == wholeName {
					same := true
					for k, p := range name.parts {
						same = same && equalWord(words[k], p)
					}
					if same {
						return true
					}
				}
			}
		}
	}
	return false
}

// aspect finds the one aspect that words call normal.
func (r *lineReader) aspect(words []string, system string) (Change, bool) {
	var hits []Change
	for _, x := range r.s.Of(r.area) {
		if system != "" && x.ID != system {
			continue
		}
		for _, asp := range x.Aspects {
			if len(words) == 1 && bodily[words[0]] && x.ID != r.system && x.ID != system {
				continue
			}
			if asp.calls(x, words) {
				hits = append(hits, Change{Area: r.area, System: x.ID, Finding: asp.ID, State: Normal})
			}
		}
	}
	if own := slices.IndexFunc(hits, func(c Change) bool { return c.System == r.head }); len(hits) > 1 && own >= 0 {
		hits = hits[own : own+1]
	}
	if len(hits) > 1 {
		hits = slices.DeleteFunc(hits, func(c Change) bool { return c.System != r.system })
	}
	// "shoulder: strength 5/5" says nothing of all limbs.
	if len(hits) == 1 && onePlace[r.head] && (hits[0].System == "neuro" || hits[0].System == "vessels") {
		return Change{}, false
	}
	if len(hits) == 1 && r.system != "" && r.system != hits[0].System && !slices.ContainsFunc(words, func(w string) bool {
		return w != "no" && w != "not" && !anywhere[singular(w)] && !adjectives[w] && !bodily[w]
	}) {
		return Change{}, false // "no effusion", said of the ears, is not said of the knee
	}
	if len(hits) != 1 || r.system == hits[0].System && (r.side == "left" || r.side == "right") {
		return Change{}, false // what is normal on one side is not said of both
	}
	r.system = hits[0].System
	r.stem = ""
	return hits[0], true
}

// onePlace are the systems of one part of the body: what is normal there is not normal everywhere.
var onePlace = map[string]bool{"shoulder": true, "knee": true, "foot": true}

// bodily words call many parts normal, so that they need the part.
var bodily = map[string]bool{"stable": true, "clear": true, "soft": true, "regular": true, "nt": true, "nontender": true, "non-tender": true,
	"intact": true, "full": true, "moist": true}

// calls says whether words call an aspect normal: in the words it reads, in other words
// for them, or its name with a word for normal.
func (asp Aspect) calls(x System, words []string) bool {
	said := strip(x, words)
	for _, name := range append([]string{asp.Normal}, asp.Also...) {
		want := strip(x, strings.Fields(unhyphened(strings.ToLower(strings.ReplaceAll(name, ",", " ")))))
		if len(want) > 0 && (sameWords(said, want) || len(want) == 2 && len(said) == 2 && sameWords([]string{said[1], said[0]}, want)) {
			return true
		}
	}
	if len(said) > 1 && slices.Contains(normalWords, said[0]) { // "nl s1s2"
		said = append(said[1:len(said):len(said)], said[0])
	}
	for _, name := range asp.Names {
		want := strings.Fields(name)
		if len(said) < 2 || !slices.Contains(append(normalWords, "intact", "good"), said[len(said)-1]) {
			continue
		}
		if sameWords(said[:len(said)-1], want) || len(strip(x, want)) > 0 && sameWords(said[:len(said)-1], strip(x, want)) {
			return true
		}
	}
	return false
}

func strip(x System, words []string) []string {
	var out []string
	for k, w := range words {
		if slices.Contains(fillers, w) || sideOf(w) == "both" || looked[w] || k > 0 && x.owns(w) && len(words) > 1 || w == "exam" || w == "grossly" {
			continue
		}
		out = append(out, w)
	}
	return out
}

func sameWords(a, b []string) bool {
	return slices.EqualFunc(a, b, equalWord)
}

func isNormal(words []string) bool {
	if len(words) == 2 && words[0] == "grossly" {
		return words[1] == "intact" || isNormal(words[1:])
	}
	return len(words) == 1 && slices.Contains(normalWords, words[0]) || slices.Equal(words, []string{"within", "normal", "limits"})
}

// owns says whether a word names the system, or stands for where it is.
func (x System) owns(w string) bool {
	for _, n := range x.called {
		if len(n.parts) == 1 && equalWord(w, n.parts[0]) {
			return true
		}
	}
	return false
}

func (r *lineReader) bringing(words []string) read {
	system, left, _ := r.s.systemAt(r.area, words)
	if system == "" || len(left) > 0 {
		return read{could: []string{"name one system after <"}}
	}
	r.system = system
	return read{changes: []Change{{Area: r.area, System: system, Bring: true}}, ok: true, normal: true}
}

func (r *lineReader) question(p saying) read {
	said := strings.TrimSpace(strings.ReplaceAll(p.text, "?", ""))
	if said == "" {
		return read{}
	}
	return read{could: []string{"no " + said, "has " + said}}
}

func lastAnswer(text string) string {
	for _, w := range strings.Fields(strings.ToLower(text)) {
		if w == "absent" || w == "positive" {
			return w
		}
	}
	return ""
}

// prefix says whether a typed word stands for a word: the same, its plural, or its
// first three letters or more.
func prefix(typed, word string) bool {
	return equalWord(typed, word) || len(typed) >= 3 && strings.HasPrefix(word, typed)
}

func equalWord(typed, word string) bool {
	if typed == word {
		return true
	}
	if len(typed) < 3 || len(word) < 3 || typed[0] != word[0] {
		return false
	}
	if typed == word+"s" || typed+"s" == word || typed == word+"es" || typed+"es" == word {
		return true
	}
	return (strings.Contains(typed, "-") || strings.Contains(word, "-")) && strings.ReplaceAll(typed, "-", "") == strings.ReplaceAll(word, "-", "")
}

// systemAt finds the system named at the start of the words, what is left of them, and
// whether they name all of it ("lungs") or a part that leads to it ("tm"). A word that
// also begins another system's name must be written out.
func (s *Systems) systemAt(a Area, tokens []string) (string, []string, bool) {
	if len(tokens) == 0 {
		return "", tokens, false
	}
	best, length, exact, tie, whole := "", 0, false, false, false
	for _, x := range s.Of(a) {
		for _, name := range x.called {
			parts := name.parts
			if len(parts) > len(tokens) {
				continue
			}
			same, fits := true, true
			for i, p := range parts {
				same = same && equalWord(tokens[i], p)
				fits = fits && prefix(tokens[i], p)
			}
			if !fits {
				continue
			}
			switch {
			case len(parts) > length || len(parts) == length && same && !exact:
				best, length, exact, tie, whole = x.ID, len(parts), same, false, name.whole
			case len(parts) == length && same == exact && best != x.ID:
				tie = true
			}
		}
	}
	if best == "" || tie {
		return "", tokens, false
	}
	return best, tokens[length:], whole
}

var fillers = []string{"of", "the", "in", "on", "at", "to", "with", "and", "a", "is", "for", "are", "from", "over", "w"}

var durationToken = regexp.MustCompile(`^x?\d+(\.\d+)?[a-z]*$`)

// takeDuration finds "3d", "x3d", "x 3 days", "for 3 days" among the words.
func takeDuration(tokens []string) ([]string, string) {
	for i, t := range tokens {
		if !durationToken.MatchString(t) {
			continue
		}
		t = strings.TrimPrefix(t, "x")
		end := i + 1
		d, ok := ReadDuration(t)
		if !ok && end < len(tokens) {
			d, ok = ReadDuration(t + tokens[end])
			end++
		}
		if !ok {
			continue
		}
		start := i
		if start > 0 && slices.Contains([]string{"for", "since", "x", "times"}, tokens[start-1]) {
			start--
		}
		return append(slices.Clone(tokens[:start]), tokens[end:]...), d
	}
	return tokens, ""
}

// items finds the one symptom or finding that all the words speak of: in the system
// given, else in the one spoken of last, else anywhere.
func (r *lineReader) items(words []string, state State, system string) read {
	tokens, duration := takeDuration(words)
	tokens = slices.DeleteFunc(slices.Clone(tokens), func(t string) bool { return looked[t] && (state == Absent || t != "at" && t != "all") })
	if len(tokens) == 0 || state == Absent && duration != "" {
		return read{}
	}
	all := r.s.ids(r.area)
	var could []string
	kept := ""
	try := func(systems []string, within bool) (read, bool) {
		got, more := r.s.matchItem(r.area, systems, tokens, state, within)
		could = append(could, more...)
		if got.c.Finding == "" {
			return read{}, false
		}
		if got.test && !r.signed {
			return read{}, false
		}
		c := got.c
		c.Duration = duration
		c.Remark = joinNonEmpty(", ", c.Remark, kept)
		if c.Side == "" && r.side != "" && r.system == c.System && state != LeftOut && got.sided {
			c.Side = r.side
		}
		if r.not && !got.adjective && !slices.ContainsFunc(got.by, func(w string) bool { return doing[w] }) {
			return read{}, false
		}
		if r.named && c.System != r.system && slices.ContainsFunc(got.by, func(w string) bool { return ofAnyPart[w] }) {
			could = append(could, got.name) // "eyes: itchy" is no itching of the skin
			return read{}, false
		}
		if r.area == Examination && c.System != r.system && got.local() {
			could = append(could, got.name)
			return read{}, false
		}
		bare := duration == "" && len(c.Words) == 0 && c.Side == "" && c.Severity == "" && c.Remark == "" && !got.adjective
		if state == Absent && (c.Severity != "" || c.Remark != "" || got.pre) {
			return read{could: []string{}}, false // "no severe headache" does not deny headache
		}
		r.system = c.System
		if len(tokens) > 1 {
			r.stem = tokens[0]
		}
		return read{changes: []Change{c}, ok: true, bare: bare}, true
	}
	tries := []string{system}
	if system == "" {
		tries = []string{r.system}
	}
	for turn := range 3 {
		if tries[0] != "" {
			if got, ok := try(tries, system != "" || r.named); ok {
				return got
			}
		}
		if got, ok := try(all, false); ok {
			return got
		}
		// Once more without where, when and with what, which is kept as it was typed.
		if state != Present || turn == 2 {
			break
		}
		rest, beside := circumstance(tokens, turn == 1)
		tokens, kept = rest, joinNonEmpty(", ", kept, beside)
	}
	return read{could: compact(could)}
}

func compact(list []string) []string {
	out := []string{}
	for _, s := range list {
		if !slices.Contains(out, s) && len(out) < 4 {
			out = append(out, s)
		}
	}
	return out
}

// hit is an item the words speak of.
type hit struct {
	c         Change
	score     int
	name      string
	adjective bool
	pre       bool // qualified by what it is called
	sided     bool
	test      bool     // says nothing without a sign
	by        []string // the words that name it
	placed    bool     // other words say which part of the body is meant
}

// matchItem finds the one item, or what the words could mean.
func (s *Systems) matchItem(a Area, systems, tokens []string, state State, within bool) (hit, []string) {
	var hits []hit
	var could []string
	for _, id := range systems {
		x, _ := s.System(a, id)
		for _, i := range x.Items() {
			near := len(systems) == 1
			h, ok := i.match(x, tokens, within, near, false)
			if !ok {
				if _, might := i.match(x, tokens, within, near, true); might {
					could = append(could, x.Name+": "+i.Say)
				}
				continue
			}
			h.c.Area, h.c.System = a, id
			h.name = x.Name + ": " + i.Say
			if h.c.State == Absent { // "afebrile"
				if state != Present {
					continue
				}
			} else {
				h.c.State = state
			}
			hits = append(hits, h)
		}
	}
	slices.SortStableFunc(hits, func(p, q hit) int { return q.score - p.score })
	if len(hits) == 0 {
		return hit{}, could
	}
	if len(hits) > 1 && hits[0].score == hits[1].score {
		could = nil
		for _, h := range hits {
			if h.score == hits[0].score {
				could = append(could, h.name)
			}
		}
		return hit{}, could
	}
	return hits[0], nil
}

// generic words are parts of many names and speak of none by themselves.
var generic = []string{"loss", "gain", "change", "recent", "low", "poor", "easy", "unusual", "trouble", "black", "morning", "excessive",
	"frequent", "abnormal", "weak", "unintended", "use", "enlarged", "absent", "reduced", "limited", "positive", "left", "right", "up",
	"that", "not", "do", "heal", "short", "full", "dry", "red", "thoughts"}

var scored = regexp.MustCompile(`^[0-4][+-]?/5$`)

// match says whether all the words speak of this item: a whole name of it, within its system
// also a short one, and what it is qualified by. With partly a part of a name is enough.
func (i Item) match(x System, tokens []string, within, near, partly bool) (hit, bool) {
	best := hit{}
	used := make([]bool, len(tokens))
	for _, name := range i.called {
		if name.kind == shortName && !within || name.kind == nearName && !within && !near {
			continue
		}
		parts := name.parts
		need, n, took, exact := 0, 0, make([]bool, len(tokens)), 0
		remark := ""
		for _, p := range parts {
			if slices.Contains(fillers, p) {
				continue
			}
			need++
			for t, w := range tokens {
				if took[t] {
					continue
				}
				if p == "n/5" && scored.MatchString(w) {
					remark = w
				} else if !prefix(w, p) {
					continue
				} else if equalWord(w, p) {
					exact++
				}
				took[t] = true
				n++
				break
			}
		}
		if n == 0 || !partly && n < need || partly && !telling(tokens, took) {
			continue
		}
		score := n*10 + exact*2
		if n == need {
			score += 5
		}
		if score > best.score {
			best = hit{score: score, test: name.kind == testName}
			best.c = Change{Finding: i.ID, Words: []string{}, Remark: remark}
			if name.kind == deniedName {
				best.c.State = Absent
			}
			last := ""
			for t, on := range took {
				if on {
					last = tokens[t]
					best.by = append(best.by, last)
				}
			}
			best.adjective = adjectives[last] || adjectives[strings.TrimSuffix(last, "s")]
			used = took
		}
	}
	if best.score == 0 {
		return best, false
	}
	used = slices.Clone(used)
	for n, list := range [][]string{i.Post, i.Pre} {
		for k, phrase := range list {
			if at := qualifierAt(list, k, tokens, used); len(at) > 0 && !betterAt(list, k, tokens, used) {
				for _, t := range at {
					used[t] = true
				}
				best.c.Words = append(best.c.Words, phrase)
				best.pre, best.placed = best.pre || n == 1, best.placed || n == 0
			}
		}
	}
	best.sided = i.Sided != ""
	for k, t := range tokens {
		if x.owns(t) && !used[k] {
			best.placed = true
			continue
		}
		if used[k] || slices.Contains(fillers, t) {
			continue
		}
		switch {
		case i.Sided != "" && sideOf(t) != "":
			if best.c.Side != "" && best.c.Side != sideOf(t) {
				best.c.Side = "both"
			} else {
				best.c.Side = sideOf(t)
			}
		case prefix(t, "mild"):
			best.c.Severity = "mild"
		case prefix(t, "moderate"):
			best.c.Severity = "moderate"
		case prefix(t, "severe"):
			best.c.Severity = "severe"
		case t == "grade":
		case sidePair.MatchString(t): // on both, more on one
			if i.Sided != "" {
				best.c.Side = "both"
			}
			best.c.Remark = joinNonEmpty(", ", best.c.Remark, strings.ToUpper(t))
		case sideOf(t) != "":
			best.c.Remark = joinNonEmpty(" ", best.c.Remark, t)
		case grade.MatchString(t) && len(x.Aspects) > 0 && best.c.Remark == "":
			best.c.Remark = t
		default:
			return hit{}, false
		}
	}
	return best, true
}

// local says whether the words found are of a kind that many parts of the body can have, so
// that they need the part: "discharge", "irregular".
func (h hit) local() bool {
	return !h.placed && len(h.by) == 1 && (anywhere[singular(h.by[0])] || adjectives[h.by[0]] && !ofThePerson[h.by[0]])
}

func singular(w string) string {
	if len(w) > 3 {
		return strings.TrimSuffix(w, "s")
	}
	return w
}

var anywhere = map[string]bool{"discharge": true, "effusion": true, "swelling": true, "tenderness": true, "weakness": true, "redness": true,
	"erythema": true, "warmth": true, "mass": true, "masse": true, "nodule": true, "ulcer": true, "bruit": true, "laxity": true, "crepitu": true, "wound": true,
	"numbness": true, "spasm": true, "distension": true, "instability": true, "deformity": true}

// doing words can be denied with "not": "not coughing", "not short of breath".
var doing = map[string]bool{"coughing": true, "vomiting": true, "wheezing": true, "bleeding": true, "sneezing": true, "sweating": true,
	"shivering": true, "short": true, "losing": true, "gaining": true}

// ofAnyPart are symptoms that a system named before has of its own.
var ofAnyPart = map[string]bool{"itchy": true, "itching": true, "itch": true, "itches": true, "pruritus": true, "sore": true, "sores": true}

var sidePair = regexp.MustCompile(`^(?:l>r|r>l|l<r|r<l)$`)

var ofThePerson = map[string]bool{"tachycardic": true, "bradycardic": true, "jaundiced": true, "cyanotic": true, "tearful": true, "anxious": true,
	"depressed": true, "confused": true, "disoriented": true, "drowsy": true, "suicidal": true, "crying": true}

func telling(tokens []string, took []bool) bool {
	for k, t := range tokens {
		if took[k] && len(t) >= 3 && !slices.Contains(generic, t) {
			return true
		}
	}
	return false
}

// adjectives say how somebody is; no list of denials goes on with one.
var adjectives = map[string]bool{"tender": true, "red": true, "swollen": true, "warm": true, "sick": true, "ill": true, "frail": true,
	"irregular": true, "fast": true, "slow": true, "distended": true, "labored": true, "confused": true, "disoriented": true, "drowsy": true,
	"anxious": true, "depressed": true, "sad": true, "tired": true, "dizzy": true, "itchy": true, "hoarse": true, "breathless": true,
	"deaf": true, "blurry": true, "nervous": true, "tearful": true, "crying": true, "flat": true, "pale": true, "unsteady": true,
	"unstable": true, "weak": true, "stiff": true, "numb": true, "constipated": true, "nauseated": true, "nauseous": true, "lightheaded": true,
	"incontinent": true, "febrile": true, "feverish": true, "suicidal": true, "tachycardic": true, "bradycardic": true, "injected": true,
	"bulging": true, "erythematous": true, "reduced": true, "distant": true, "diminished": true, "decreased": true, "uncomfortable": true,
	"dry": true, "dyspneic": true, "congested": true, "jaundiced": true, "cyanotic": true, "exhausted": true, "perforated": true}

// qualifierAt finds the words that speak of one qualifier of a list: all of its
// words, or one that no other qualifier of the list has.
func qualifierAt(list []string, n int, tokens []string, used []bool) []int {
	var at []int
	whole, unique := true, false
	for _, p := range strings.Fields(unhyphened(list[n])) {
		if slices.Contains(fillers, p) {
			continue
		}
		k := slices.IndexFunc(tokens, func(t string) bool { return prefix(t, p) })
		if k < 0 || used[k] {
			whole = false
			continue
		}
		at = append(at, k)
		others := 0
		for m, other := range list {
			if m != n && slices.ContainsFunc(strings.Fields(unhyphened(other)), func(w string) bool { return prefix(tokens[k], w) }) {
				others++
			}
		}
		unique = unique || others == 0 && p != "left" && p != "right"
	}
	if whole || unique {
		return at
	}
	return nil
}

func (s *Systems) ids(a Area) (all []string) {
	for _, x := range s.Of(a) {
		all = append(all, x.ID)
	}
	return all
}

// betterAt says whether another qualifier of the list says the same words more exactly:
// "at the base" of "at the bases".
func betterAt(list []string, n int, tokens []string, used []bool) bool {
	exact := func(k int) (same int) {
		for _, p := range strings.Fields(unhyphened(list[k])) {
			if slices.Contains(tokens, p) {
				same++
			}
		}
		return same
	}
	for k := range list {
		if k != n && exact(k) > exact(n) && len(qualifierAt(list, k, tokens, used)) > 0 {
			return true
		}
	}
	return false
}

// circumstances are said of a finding and kept as they were typed.
var circumstances = func() (out [][]string) {
	for _, c := range strings.Split(`at night, in the morning, in the mornings, in the evening, daily, every day, after meals, after eating, with meals,
when standing, on standing, with standing, with stairs, on stairs, climbing stairs, with exertion, on exertion, with exercise, with activity,
with movement, with walking, when walking, with coughing, with swallowing, at rest, lying down, when lying down, on and off, off and on, intermittent,
intermittently, constant, occasional, occasionally, worse at night, worse in the morning, worse with exertion, throughout, diffuse, diffusely,
scattered, since this morning, this morning, since yesterday, since last night, since monday, since tuesday, since wednesday, since thursday,
since friday, since saturday, since sunday, radiating to groin, radiating to the groin, radiating to back, radiating to the back, radiating to leg,
radiating to left leg, radiating to right leg, radiating to left arm, radiating to jaw, climbing 1 flight, with 1 flight, since mva, since the mva, since the accident, since the fall, when brushing, once, twice, with exertion only,
only with exertion, at apex, at the apex, at base, at the base, when tired, when standing up, standing up, by evening, in the evenings, right lower quadrant, right upper quadrant, left lower quadrant, left upper quadrant, epigastrium,
hand, hands, finger, fingers, wrist, wrists, elbow, elbows, hip, hips, knee, knees, ankle, ankles, foot, feet, toe, toes, thumb, face, arm, arms,
leg, legs, trunk, chest, abdomen, scalp, thigh, thighs, calf, calves, shoulder, shoulders, side, lower, upper`, ",") {
		out = append(out, strings.Fields(c))
	}
	slices.SortStableFunc(out, func(a, b []string) int { return len(b) - len(a) })
	return out
}()

// howOften is "2-3x/wk", "3x/night".
var howOften = regexp.MustCompile(`^\d+(?:-\d+)?x?/(?:d|day|night|wk|week|mo|month|yr|year)$`)

// bodyParts are circumstances that can also be what is spoken of.
var bodyParts = func() map[string]bool {
	out := map[string]bool{}
	for _, w := range strings.Fields(`hand hands finger fingers wrist wrists elbow elbows hip hips knee knees ankle ankles foot feet toe toes thumb face
		arm arms leg legs trunk chest abdomen scalp thigh thighs calf calves shoulder shoulders side lower upper`) {
		out[w] = true
	}
	return out
}()

var number = regexp.MustCompile(`^\d+(\.\d+)?$`)

var joints = []string{"knee", "hip", "ankle", "wrist", "elbow", "shoulder", "finger", "hand", "toe", "thumb"}

// circumstance parts words from where, when and with what: "cough at night"; "knee pain" is
// a pain of a joint, the knee.
func circumstance(tokens []string, parts bool) ([]string, string) {
	out, kept := slices.Clone(tokens), []string{}
	out = slices.DeleteFunc(out, func(t string) bool {
		if howOften.MatchString(t) {
			kept = append(kept, t)
		}
		return howOften.MatchString(t)
	})
	for at := 0; at+1 < len(out); at++ { // "weight gain 5 lb"
		if number.MatchString(out[at]) && slices.Contains([]string{"lb", "lbs", "pounds", "kg", "times"}, out[at+1]) {
			kept = append(kept, out[at]+" "+out[at+1])
			out = slices.Delete(out, at, at+2)
		}
	}
	for _, c := range circumstances {
		if !parts && len(c) == 1 && bodyParts[c[0]] {
			continue
		}
		for at := 0; at+len(c) <= len(out); at++ {
			if !slices.Equal(out[at:at+len(c)], c) {
				continue
			}
			if slices.ContainsFunc(joints, func(j string) bool { return equalWord(c[0], j) }) && at+1 < len(out) &&
				(equalWord(out[at+1], "pain") || out[at+1] == "swelling") {
				out = slices.Replace(out, at, at+1, "joint")
			} else {
				out = slices.Delete(out, at, at+len(c))
			}
			kept = append(kept, strings.Join(c, " "))
			break
		}
	}
	return out, strings.Join(kept, ", ")
}
