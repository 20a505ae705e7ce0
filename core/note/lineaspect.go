package note

import (
	"slices"
	"strings"
)

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
	if len(hits) == 1 && (r.system != hits[0].System || r.head != "" && r.head != hits[0].System) && !slices.ContainsFunc(words, func(w string) bool {
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
var onePlace = map[string]bool{"shoulder": true, "knee": true, "foot": true, otherPart: true}

// otherPart stands before a colon and is no system we know: "hand: …".
const otherPart = "otherPart"

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
