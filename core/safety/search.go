package safety

import (
	"cmp"
	"slices"
	"strings"
)

// Hit is a medicine found: its generic name, the name it was found under where that is
// another, and what it is made of and in which forms.
type Hit struct {
	Name        string   `json:"name"`
	Under       string   `json:"under" doc:"The brand or other name it was found under; empty for the generic name"`
	Ingredients []string `json:"ingredients"`
	Forms       []string `json:"forms" doc:"The commonest forms with their strengths"`
	Near        bool     `json:"near" doc:"Found by a name that is spelled nearly so, not so"`
}

// searchIndex holds the names to look through.
type searchIndex struct {
	entries []searched
}

type searched struct {
	phrase string   // folded
	words  []string // of it
	joined string
	to     *named
	name   bool // the generic name itself
}

func newSearchIndex(c *Catalogue) searchIndex {
	var out searchIndex
	for phrase, n := range c.phrases {
		words := strings.Fields(phrase)
		out.entries = append(out.entries, searched{phrase, words, strings.Join(words, ""), n,
			phrase == strings.Join(fold(n.name), " ")})
	}
	slices.SortFunc(out.entries, func(a, b searched) int { return cmp.Compare(a.phrase, b.phrase) })
	return out
}

// Find lists the medicines that somebody may mean by what was typed, best first: a name that
// begins so, before one of whose words does, before one that is spelled nearly so. A brand
// leads to its generic name.
func (c *Catalogue) Find(query string, limit int) []Hit {
	words := fold(query)
	if len(words) == 0 || limit <= 0 {
		return []Hit{}
	}
	for n := len(words); n > 1; n-- { // what stands behind the name is a dose, as "lisinopril 20 mg daily"
		if w := words[n-1]; !formWords[w] && (w[0] < '0' || w[0] > '9') {
			break
		}
		if c.phrases[strings.Join(words[:n], " ")] == nil {
			words = words[:n-1]
		}
	}
	joined, phrase := strings.Join(words, ""), strings.Join(words, " ")
	type scored struct {
		e     searched
		score int
		near  bool
	}
	var found []scored
	for _, e := range c.search.entries {
		if s := e.match(phrase, joined, words); s > 0 {
			found = append(found, scored{e, s, false})
		}
	}
	if len(found) == 0 || len(joined) >= 4 && !slices.ContainsFunc(found, func(s scored) bool { return s.score >= 700 }) {
		if len([]rune(joined)) >= 3 {
			for _, e := range c.search.entries {
				if d := nearness(joined, e.joined, 1+min(len(joined), len(e.joined))/5); d >= 0 {
					found = append(found, scored{e, 750 - 100*d, true})
				}
			}
		}
	}
	slices.SortStableFunc(found, func(a, b scored) int {
		return cmp.Or(b.score-a.score, boolFirst(a.e.name, b.e.name), len(a.e.to.parts)-len(b.e.to.parts), len(a.e.phrase)-len(b.e.phrase),
			cmp.Compare(a.e.phrase, b.e.phrase))
	})
	out := []Hit{}
	for _, s := range found {
		if len(out) == limit {
			break
		}
		if slices.ContainsFunc(out, func(h Hit) bool { return h.Name == s.e.to.name }) {
			continue
		}
		h := Hit{Name: s.e.to.name, Ingredients: []string{}, Forms: []string{}, Near: s.near}
		if s.e.to.shown != s.e.to.name {
			h.Under = s.e.to.shown
		}
		for _, x := range s.e.to.parts {
			h.Ingredients = append(h.Ingredients, x.Name)
		}
		for _, f := range s.e.to.forms {
			h.Forms = append(h.Forms, f.String())
		}
		out = append(out, h)
	}
	return out
}

func (f Form) String() string {
	if len(f.Strengths) == 0 {
		return f.Name
	}
	return f.Name + " " + strings.Join(f.Strengths, ", ")
}

func boolFirst(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return -1
	}
	return 1
}

// match scores how well a name answers; 0 for not at all.
func (e searched) match(phrase, joined string, words []string) int {
	switch {
	case e.phrase == phrase || e.joined == joined:
		return 1000
	case strings.HasPrefix(e.phrase, phrase):
		return 900
	}
	all := true // every word begins a word of the name, in any order
	for _, w := range words {
		all = all && slices.ContainsFunc(e.words, func(x string) bool { return strings.HasPrefix(x, w) })
	}
	switch {
	case all && len(words) > 1:
		return 800
	case all:
		return 700
	case strings.HasPrefix(e.joined, joined): // "metformine" runs into the next word by chance
		return 500
	}
	return 0
}

// nearness is how many letters are wrong, missing, doubled or swapped between what was typed
// and a name, or the beginning of it; -1 for more than allowed. Wrong letters at the very
// beginning count as others do.
func nearness(typed, name string, allow int) int {
	a, b := []rune(typed), []rune(name)
	if len(b)+allow < len(a) {
		return -1
	}
	whole := distance(a, b, allow)
	if len(b) > len(a)+allow {
		whole = -1
	}
	begin := -1
	if len(a) >= 6 && len(b) > len(a) { // an unfinished word
		for n := max(len(a)-1, 1); n <= min(len(a)+1, len(b)); n++ {
			if d := distance(a, b[:n], allow); d >= 0 && (begin < 0 || d < begin) {
				begin = d
			}
		}
		if begin >= 0 {
			begin++ // a whole name is nearer
		}
	}
	switch {
	case whole < 0:
		if begin > allow {
			return -1
		}
		return begin
	case begin < 0:
		return whole
	}
	return min(whole, begin)
}

// distance is the restricted edit distance with swaps (optimal string alignment), -1 above a limit.
func distance(a, b []rune, limit int) int {
	if len(a)-len(b) > limit || len(b)-len(a) > limit {
		return -1
	}
	before, last, row := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range last {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		least := i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(last[j]+1, row[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
			least = min(least, row[j])
		}
		if least > limit {
			return -1
		}
		before, last, row = last, row, before
	}
	if last[len(b)] > limit {
		return -1
	}
	return last[len(b)]
}
