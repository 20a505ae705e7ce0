package order

import (
	"cmp"
	"slices"
	"strings"

	"deftledger/core/coding"
)

// Finder finds tests by a few letters, other words, misspelt ones and codes. It is built
// once over the lists of all laboratories; the first is the one usually meant.
type Finder struct {
	entries []entry
	words   []string // all words that name tests, sorted
}

// entry is a test as it can be found.
type entry struct {
	test   Test
	first  bool // of the laboratory usually meant
	code   string
	name   []string   // words of the name
	also   [][]string // words of each other name
	joined []string   // name and other names without blanks, the name first
}

// Hit is a found test. Read says how a word was read that nobody knows; "" when all stand
// as typed. Sure says that what was typed is its code, its name or another of its names, and
// no beginning or guess.
type Hit struct {
	Test
	Read string `json:"read"`
	Sure bool   `json:"sure"`
}

// short are the clinic's short words for those of a test list.
var short = map[string]string{"cx": "culture", "w": "with", "c": "with", "w/": "with", "ab": "antibody", "abs": "antibody", "ag": "antigen",
	"hr": "hour", "hrs": "hour", "24h": "24 hour", "1h": "1 hour", "2h": "2 hour", "one": "1", "two": "2", "and": "and", "lvl": "level", "ur": "urine"}

// weak are words that name no test by themselves.
var weak = map[string]bool{"with": true, "and": true, "of": true, "the": true, "in": true, "for": true, "level": true, "test": true, "panel": true,
	"lab": true, "check": true, "blood": true, "serum": true, "total": true, "screen": true, "profile": true, "study": true, "function": true, "a": true}

func fold(text string) []string {
	var out []string
	for _, w := range strings.FieldsFunc(strings.ToLower(text), func(r rune) bool {
		return (r < 'a' || r > 'z') && (r < '0' || r > '9') && r < 0x80
	}) {
		out = append(out, strings.Fields(cmp.Or(short[w], w))...)
	}
	return out
}

// root takes the plural off a word.
func root(w string) string {
	switch {
	case len(w) > 4 && strings.HasSuffix(w, "ies"):
		return w[:len(w)-3] + "y"
	case len(w) > 3 && strings.HasSuffix(w, "s") && !strings.HasSuffix(w, "ss") && !strings.HasSuffix(w, "us") && !strings.HasSuffix(w, "is"):
		return w[:len(w)-1]
	}
	return w
}

// NewFinder builds a finder over test lists, and over what is ordered of others besides.
func NewFinder(labs []Laboratory, besides ...Laboratory) *Finder {
	f := &Finder{}
	for k, l := range slices.Concat(labs, besides) {
		for _, t := range l.Tests {
			e := entry{test: t, first: k == 0 || k >= len(labs), code: strings.Join(fold(t.Code), ""), name: fold(t.Name)}
			e.joined = append(e.joined, strings.Join(e.name, ""))
			for _, a := range t.Also {
				ws := fold(a)
				e.also, e.joined = append(e.also, ws), append(e.joined, strings.Join(ws, ""))
				f.words = append(f.words, ws...)
			}
			f.words = append(f.words, e.name...)
			f.entries = append(f.entries, e)
		}
	}
	slices.Sort(f.words)
	f.words = slices.Compact(f.words)
	return f
}

// Find returns the tests that a query may mean, the best first. In a query of several
// words one may name nothing; with none that names anything, nothing is found.
func (f *Finder) Find(query string, limit int) []Hit {
	asked := fold(query)
	if len(asked) == 0 {
		return []Hit{}
	}
	typed := strings.Join(asked, "")
	loinc := strings.TrimSpace(query)
	var strong []string
	for _, w := range asked {
		if !weak[w] {
			strong = append(strong, w)
		}
	}
	if len(strong) == 0 {
		strong = asked
	}
	read := make([][]string, len(strong)) // what each word may have meant
	for i, w := range strong {
		if !f.knows(w) {
			read[i] = f.near(w)
		}
	}
	type ranked struct {
		Hit
		score int
	}
	var hits []ranked
	for _, e := range f.entries {
		score, says := e.whole(typed, loinc), ""
		if only := strings.Join(strong, ""); only != typed {
			score = max(score, e.whole(only, loinc)-80)
		}
		if len(strong) == 1 { // one misspelt word: as if the right one had been typed
			for _, other := range read[0] {
				less := 100
				if len(other) < len(strong[0]) {
					less += 10 // a letter is sooner left out than put in
				}
				if x := e.whole(other, loinc) - less; x > score && x > 0 {
					score, says = x, other
				}
			}
		}
		if score <= 0 {
			score, says = e.byWords(asked, strong, read)
		}
		if score == 0 {
			continue
		}
		if e.first {
			score += 320
		}
		hits = append(hits, ranked{Hit{e.test, says, e.called(typed, loinc)}, score})
	}
	slices.SortStableFunc(hits, func(a, b ranked) int {
		return cmp.Or(b.score-a.score, len(a.Name)-len(b.Name))
	})
	out := []Hit{}
	for _, h := range hits[:min(limit, len(hits))] {
		out = append(out, h.Hit)
	}
	return out
}

// called says whether the query is all of a name or code of the entry.
func (e entry) called(typed, loinc string) bool {
	return e.code == typed || e.test.LOINC != "" && e.test.LOINC == loinc || slices.ContainsFunc(e.joined, func(j string) bool { return root(j) == root(typed) })
}

// whole ranks an entry that the query names as a whole, or begins to; 0 when it does not.
func (e entry) whole(typed, loinc string) int {
	if e.code == typed || e.test.LOINC != "" && len(loinc) > 3 && strings.HasPrefix(e.test.LOINC, loinc) {
		return 1000
	}
	best := 0
	for i, j := range e.joined {
		switch {
		case j == typed, root(j) == root(typed):
			best = max(best, 960-5*i)
		case len(typed) > 1 && strings.HasPrefix(j, typed):
			best = max(best, 760-5*i-min(20, len(j)-len(typed)))
		}
	}
	if best < 700 && len(typed) > 1 && strings.HasPrefix(e.code, typed) {
		best = 700
	}
	return best
}

// byWords ranks an entry by how many of the words asked name it, and how closely; says
// tells how misspelt ones were read.
func (e entry) byWords(asked, strong []string, read [][]string) (score int, says string) {
	of := func(w string) int { // how closely a word names the entry
		r, best := root(w), 0
		if e.code == w {
			best = 45
		}
		for i, ws := range append([][]string{e.name}, e.also...) {
			for _, x := range ws {
				switch {
				case len(w) == 1 && len(strong) == 1: // a letter of a name names nothing by itself
				case x == w || root(x) == r:
					best = max(best, 42-min(i, 6))
				case len(w) > 1 && strings.HasPrefix(x, w), len(r) > 3 && strings.HasPrefix(x, r):
					best = max(best, 32-min(i, 6))
				}
			}
		}
		return best
	}
	sum, named := 0, 0
	for i, w := range strong {
		got := of(w)
		for _, other := range read[i] {
			if x := of(other) - 8; x > got {
				got, says = x, other
			}
		}
		if got > 0 {
			sum, named = sum+got, named+1
		}
	}
	if named == 0 || named*2 < len(strong) {
		return 0, ""
	}
	score = 300 + 5*sum/len(strong) + 120*named/len(strong)
	for _, w := range asked { // words that name nothing by themselves still tell one panel from another
		if weak[w] && of(w) > 0 {
			score += 15
		}
	}
	for _, ws := range append([][]string{e.name}, e.also...) { // one of its names has them all
		if len(ws) >= len(strong) && !slices.ContainsFunc(strong, func(w string) bool {
			return !slices.ContainsFunc(ws, func(x string) bool { return strings.HasPrefix(x, root(w)) })
		}) {
			score += 60
			break
		}
	}
	return score, says
}

// knows says whether a word names a test, or begins one that does.
func (f *Finder) knows(w string) bool {
	for _, x := range []string{w, root(w)} {
		at, found := slices.BinarySearch(f.words, x)
		if found || len(x) > 1 && at < len(f.words) && strings.HasPrefix(f.words[at], x) {
			return true
		}
	}
	return slices.ContainsFunc(f.entries, func(e entry) bool { return e.code == w })
}

// near lists the words nearest to one that is not known: one letter may be wrong, missing,
// too many or swapped in four or five, two in longer ones.
func (f *Finder) near(w string) (out []string) {
	most := 0
	switch {
	case len(w) >= 6:
		most = 2
	case len(w) >= 4:
		most = 1
	}
	best := most
	for _, x := range f.words {
		if most == 0 || len(x) < 4 || weak[x] {
			continue
		}
		d := coding.Distance(w, x, most)
		if len(x) > len(w) && len(w) >= 5 { // a misspelt beginning
			d = min(d, coding.Distance(w, x[:len(w)], most))
		}
		switch {
		case d < best:
			best, out = d, []string{x}
		case d == best && d <= most:
			out = append(out, x)
		}
	}
	return out
}
