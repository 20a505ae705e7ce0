package note

import (
	"regexp"
	"slices"
	"strings"
)

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
	if len(w) > 3 && !strings.HasSuffix(w, "ss") {
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
