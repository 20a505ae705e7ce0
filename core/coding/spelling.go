package coding

import (
	"cmp"
	"math/bits"
	"slices"
	"strings"
)

// lexicon holds the words a search may have meant: those of the catalogue and of the
// list of everyday words. It is read-only.
type lexicon struct {
	words []lexical
	known map[string]int // how often a word stands in titles
}

type lexical struct {
	word    string // its stem
	written string // as the list of everyday words writes it
	letters uint64 // which letters are in it, so that far words are left out at once
	common  int
}

func letters(w string) (m uint64) {
	for i := 0; i < len(w); i++ {
		m |= 1 << (w[i] & 63)
	}
	return m
}

func newLexicon(x *Index) *lexicon {
	l := &lexicon{known: map[string]int{}}
	for k, w := range x.vocab {
		titles := 1
		for _, p := range x.postings[k] {
			if p&3 == fieldTitle {
				titles++
			}
		}
		l.known[w] = titles
	}
	written := map[string]string{}
	for said := range x.everyday {
		ws := strings.Fields(said)
		for _, w := range ws {
			l.known[stem(w)] += 40 // words of the consulting room are the likelier ones
			if was := written[stem(w)]; was == "" || len(ws) == 1 || was > w && x.everyday[was] == nil {
				written[stem(w)] = w
			}
		}
	}
	for w, n := range l.known {
		if len(w) >= 3 && (w[0] < '0' || w[0] > '9') {
			l.words = append(l.words, lexical{w, cmp.Or(written[w], w), letters(w), n})
		}
	}
	slices.SortFunc(l.words, func(a, b lexical) int { return strings.Compare(a.word, b.word) })
	return l
}

// knows says whether a word stands in the list, or is the beginning of one that does.
func (l *lexicon) knows(w string) bool {
	s := stem(w)
	if l.known[s] > 0 || l.known[w] > 0 {
		return true
	}
	at, _ := slices.BinarySearchFunc(l.words, s, func(a lexical, s string) int { return strings.Compare(a.word, s) })
	return len(s) >= 3 && at < len(l.words) && strings.HasPrefix(l.words[at].word, s)
}

// slips is how many letters may be wrong in a word of a length.
func slips(n int) int {
	switch {
	case n < 4:
		return 0
	case n < 6:
		return 1
	}
	return 2
}

// near returns the words nearest to one that is not known, the likeliest first.
func (l *lexicon) near(w string, limit int) []string {
	type candidate struct {
		word string
		rank float64
	}
	s := stem(w)
	most, mask := slips(len(w)), letters(s)
	var out []candidate
	for _, c := range l.words {
		if d := len(c.word) - len(s); d > most || -d > most || bits.OnesCount64(c.letters^mask) > 2*most {
			continue
		}
		d := Distance(s, c.word, most)
		if d > most {
			continue
		}
		rank := float64(d)
		if c.word[0] != s[0] {
			rank += 0.4
		}
		if len(c.word) < 5 {
			rank += 0.5 // a short word is near to too many
		}
		rank -= 0.1 * float64(min(bits.Len(uint(c.common)), 8))
		out = append(out, candidate{c.written, rank})
	}
	slices.SortStableFunc(out, func(a, b candidate) int { return cmp.Compare(a.rank, b.rank) })
	var words []string
	for _, c := range out[:min(limit, len(out))] {
		words = append(words, c.word)
	}
	return words
}

// Distance counts letters that are wrong, missing, too many or swapped, up to most.
func Distance(a, b string, most int) int {
	var rows [3][40]int
	if len(a) >= 40 || len(b) >= 40 {
		return most + 1
	}
	before, last, row := &rows[0], &rows[1], &rows[2]
	for j := range len(b) + 1 {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		best := i
		for j := 1; j <= len(b); j++ {
			change := 1
			if a[i-1] == b[j-1] {
				change = 0
			}
			d := min(last[j-1]+change, last[j]+1, row[j-1]+1)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				d = min(d, before[j-2]+1)
			}
			row[j] = d
			best = min(best, d)
		}
		if best > most {
			return most + 1
		}
		before, last, row = last, row, before
	}
	return last[len(b)]
}

// respelt returns other readings of a query: words that nobody knows as the nearest ones
// known, words written together parted, parted ones joined. why names the words taken.
func (x *Index) respelt(ws []string) (out []rewrite) {
	with := func(at, n int, by []string, weight float32) {
		r := slices.Concat(ws[:at], by, ws[at+n:])
		out = append(out, rewrite{words: r, weight: weight, why: strings.Join(by, " ")})
	}
	var unknown []int
	first := slices.Clone(ws)
	for i, w := range ws {
		if i+1 < len(ws) { // "head ache"
			if j := w + ws[i+1]; len(j) > 5 && x.lexicon.known[stem(j)] > 0 {
				with(i, 2, []string{j}, 0.95)
			}
		}
		if x.lexicon.knows(w) || w[0] >= '0' && w[0] <= '9' {
			continue
		}
		unknown = append(unknown, i)
		if a, b := x.lexicon.parted(w); a != "" {
			with(i, 1, []string{a, b}, 0.95)
		}
	}
	var others []rewrite
	for _, i := range unknown {
		for n, c := range x.lexicon.near(ws[i], 3) {
			if n == 0 {
				first[i] = c
				continue
			}
			others = append(others, rewrite{words: slices.Concat(ws[:i], []string{c}, ws[i+1:]), weight: 0.75, why: c})
		}
	}
	var taken []string
	for _, i := range unknown {
		if first[i] != ws[i] {
			taken = append(taken, first[i])
		}
	}
	if len(taken) > 0 {
		out = append(out, rewrite{words: first, weight: 0.9, why: strings.Join(taken, " ")})
	}
	for k := range others { // the other words as they were read first
		for _, i := range unknown {
			if others[k].words[i] == ws[i] {
				others[k].words[i] = first[i]
			}
		}
	}
	return append(out, others[:min(len(others), 4)]...)
}

// parted finds the two known words that one is written together of.
func (l *lexicon) parted(w string) (string, string) {
	best, a, b := 0, "", ""
	for i := 3; i <= len(w)-3; i++ {
		if n := min(l.known[stem(w[:i])], l.known[stem(w[i:])]); n > best {
			best, a, b = n, w[:i], w[i:]
		}
	}
	return a, b
}
