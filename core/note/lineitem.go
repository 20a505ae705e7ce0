package note

import (
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
	// Warm feet are well supplied; a warm ankle may be inflamed.
	if slices.Contains(words, "warm") && slices.ContainsFunc(words, func(w string) bool {
		return slices.Contains([]string{"feet", "hands", "extremities", "ext", "legs", "skin"}, w)
	}) {
		return read{}
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
	if p.colon && system == "" && p.at > 0 && p.at < len(words) && !r.items(words[:p.at], Present, "").ok {
		r.head = otherPart
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
