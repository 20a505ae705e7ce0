package coding

import (
	"math"
	"slices"
	"sort"
	"strings"
	"unicode"
)

// Index finds entries of one catalogue by words. It is read-only and safe for
// concurrent use.
type Index struct {
	c         *Catalogue
	vocab     []string  // sorted
	postings  [][]int32 // per word: node<<2 | field
	idf       []float32
	words     []uint8 // words in the title of each node
	everyday  map[string][]string
	maxPhrase int
}

const (
	fieldTitle = iota
	fieldTerm
	fieldAbove
)

var fieldWeight = [...]float32{fieldTitle: 1, fieldTerm: 0.8, fieldAbove: 0.45}

// titled is added to the score of a word that stands in the title, to tell it from
// one in an inclusion term or above.
const titled = 10

// Hit is one found entry. Why names the everyday word or abbreviation through
// which it was found, when it was not found by its own words.
type Hit struct {
	Entry
	Why string
}

var stop = map[string]bool{"of": true, "the": true, "and": true, "or": true, "in": true, "with": true, "due": true, "to": true, "a": true, "an": true, "for": true, "by": true, "on": true, "at": true, "from": true, "my": true}

// silent words of a title say nothing that a query would have to cover.
var silent = map[string]bool{"unspecified": true, "nos": true, "nec": true, "site": true, "not": true, "specified": true, "elsewhere": true, "classified": true, "without": true}

// words splits text into lower-case words; single letters that carry meaning
// (vitamin d, hepatitis b) are kept.
func words(s string) []string {
	return strings.FieldsFunc(strings.ToLower(strings.ReplaceAll(s, "'", "")), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
}

// stem folds the commonest inflections, so that sprain, sprains and sprained meet.
// It is applied to both sides and need not be a real word.
func stem(w string) string {
	n := len(w)
	switch {
	case n > 5 && strings.HasSuffix(w, "ies"):
		return w[:n-3] + "y"
	case n > 6 && strings.HasSuffix(w, "ing") && w[n-4] != 't':
		return w[:n-3]
	case n > 5 && strings.HasSuffix(w, "ed") && !strings.HasSuffix(w, "eed"):
		return w[:n-2]
	case n > 4 && strings.HasSuffix(w, "es") && (w[n-3] == 's' || w[n-3] == 'x' || w[n-3] == 'h'):
		return w[:n-2]
	case n > 3 && w[n-1] == 's' && w[n-2] != 's' && w[n-2] != 'u' && w[n-2] != 'i':
		return w[:n-1]
	}
	return w
}

// NewIndex builds the index. everyday holds one everyday word or abbreviation a
// line: the word, a tab, and what it means, alternatives separated by "|".
func NewIndex(c *Catalogue, everyday string) *Index {
	x := &Index{c: c, everyday: map[string][]string{}, words: make([]uint8, len(c.nodes)), maxPhrase: 1}
	for _, line := range strings.Split(everyday, "\n") {
		if line == "" || line[0] == '#' {
			continue
		}
		if key, value, ok := strings.Cut(line, "\t"); ok {
			k := words(key)
			x.maxPhrase = max(x.maxPhrase, len(k))
			key = strings.Join(k, " ")
			x.everyday[key] = append(x.everyday[key], strings.Split(value, "|")...)
		}
	}
	ids := make(map[string]int32, 30000)
	var lists [][]int32
	add := func(w string, doc int32, field int) {
		id, ok := ids[w]
		if !ok {
			id = int32(len(lists))
			ids[strings.Clone(w)] = id
			lists = append(lists, nil)
		}
		p := doc<<2 | int32(field)
		if l := lists[id]; len(l) > 0 && l[len(l)-1]>>2 == doc {
			return // a better field of this entry is already there
		}
		lists[id] = append(lists[id], p)
	}
	for i, n := range c.nodes {
		if n.depth < 1 {
			continue
		}
		count := 0
		for _, w := range words(n.title) {
			if !stop[w] && !silent[w] {
				count++
			}
			add(stem(w), int32(i), fieldTitle)
		}
		x.words[i] = uint8(min(count, 255))
		eachTerm(n.notes, func(term string) {
			for _, w := range words(term) {
				add(stem(w), int32(i), fieldTerm)
			}
		})
		for p := n.parent; p >= 0 && c.nodes[p].depth >= 2; p = c.nodes[p].parent {
			for _, w := range words(c.nodes[p].title) {
				add(stem(w), int32(i), fieldAbove)
			}
			eachTerm(c.nodes[p].notes, func(term string) {
				for _, w := range words(term) {
					add(stem(w), int32(i), fieldAbove)
				}
			})
		}
	}
	x.vocab = make([]string, 0, len(ids))
	for w := range ids {
		x.vocab = append(x.vocab, w)
	}
	sort.Strings(x.vocab)
	x.postings = make([][]int32, len(x.vocab))
	x.idf = make([]float32, len(x.vocab))
	for k, w := range x.vocab {
		x.postings[k] = slices.Clip(lists[ids[w]])
		x.idf[k] = float32(math.Log(float64(len(c.nodes)) / float64(len(x.postings[k]))))
	}
	return x
}

func eachTerm(notes string, f func(string)) {
	for notes != "" {
		var one string
		one, notes, _ = strings.Cut(notes, "\x1f")
		if len(one) > 1 && (one[0] == 'i' || one[0] == 'n') {
			f(one[1:])
		}
	}
}

// Search returns up to limit entries, best first. Words may stand in any order
// and be cut short; a code may be given with or without dot.
func (x *Index) Search(query string, limit int) []Hit {
	if limit <= 0 {
		return nil
	}
	query = strings.TrimSpace(query)
	if hits := x.byCode(query, limit); len(hits) > 0 {
		return hits
	}
	type scored struct {
		doc   int32
		score float32
		why   string
	}
	best := map[int32]scored{}
	for _, alt := range x.rewrites(words(query)) {
		for doc, s := range x.match(alt.words) {
			if s *= alt.weight; s > best[doc].score {
				best[doc] = scored{doc, s, alt.why}
			}
		}
	}
	list := make([]scored, 0, len(best))
	for _, s := range best {
		list = append(list, s)
	}
	slices.SortFunc(list, func(a, b scored) int {
		switch {
		case a.score != b.score:
			if a.score > b.score {
				return -1
			}
			return 1
		default:
			return int(a.doc - b.doc)
		}
	})
	out := make([]Hit, 0, limit)
	asked := words(query)
	for _, s := range list {
		if len(out) >= limit {
			break
		}
		out = append(out, Hit{Entry: x.c.entry(s.doc, x.extFor(s.doc, asked)), Why: s.why})
	}
	return out
}

// extFor picks the completed code when the query itself names the encounter.
func (x *Index) extFor(doc int32, asked []string) byte {
	n := x.c.nodes[doc]
	for e := range len(n.ext) {
		for _, w := range words(x.c.extText(int(doc), n.ext[e])) {
			if (w == "initial" || w == "subsequent" || w == "sequela") && slices.Contains(asked, w) {
				return n.ext[e]
			}
		}
	}
	return 0
}

// byCode answers a query that is a code or the beginning of one.
func (x *Index) byCode(query string, limit int) []Hit {
	b := bare(query)
	if len(b) < 2 || len(b) > 7 || strings.ContainsAny(b, " -") || b[0] < 'A' || b[0] > 'Z' || b[1] < '0' || b[1] > '9' {
		return nil
	}
	if e, ok := x.c.Lookup(b); ok {
		out := []Hit{{Entry: e}}
		for _, k := range x.c.Open(b) {
			if len(out) < limit {
				out = append(out, Hit{Entry: k})
			}
		}
		return out
	}
	var out []Hit
	for i, n := range x.c.nodes {
		if n.depth >= 2 && strings.HasPrefix(bare(n.code), b) && len(out) < limit {
			out = append(out, Hit{Entry: x.c.entry(int32(i), 0)})
		}
	}
	return out
}

type rewrite struct {
	words  []string
	weight float32
	why    string
}

// rewrites returns the query as typed and with everyday words replaced by what
// they mean. The longest phrase wins at each place; at most 12 come back.
func (x *Index) rewrites(ws []string) []rewrite {
	out := []rewrite{{weight: 1}}
	for i := 0; i < len(ws); {
		taken := 1
		var meant []string
		phrase := ""
		for l := min(x.maxPhrase, len(ws)-i); l >= 1; l-- {
			phrase = strings.Join(ws[i:i+l], " ")
			if m, ok := x.everyday[phrase]; ok {
				taken, meant = l, m
				break
			}
		}
		var next []rewrite
		for _, r := range out {
			next = append(next, rewrite{append(slices.Clone(r.words), ws[i:i+taken]...), r.weight, r.why})
			for _, m := range meant {
				if len(next) < 12 {
					next = append(next, rewrite{append(slices.Clone(r.words), words(m)...), r.weight * 1.15, phrase})
				}
			}
		}
		out = next
		i += taken
	}
	return out
}

// match scores every entry that has all the words (or, when none has, all but
// the least telling one).
func (x *Index) match(ws []string) map[int32]float32 {
	var kept []string
	for _, w := range ws {
		if (!stop[w] || len(ws) == 1) && !slices.Contains(kept, w) {
			kept = append(kept, w)
		}
	}
	if len(kept) == 0 {
		return nil
	}
	per := make([]map[int32]float32, len(kept))
	for k, w := range kept {
		per[k] = x.word(w, k == len(kept)-1)
	}
	if out := x.combine(kept, per); len(out) > 0 || len(kept) == 1 {
		return out
	}
	// One word may be a slip or a detail the catalogue does not have.
	best := map[int32]float32{}
	for skip := range per {
		rest := append(slices.Clone(per[:skip]), per[skip+1:]...)
		words := append(slices.Clone(kept[:skip]), kept[skip+1:]...)
		for doc, s := range x.combine(words, rest) {
			best[doc] = max(best[doc], s*0.5)
		}
	}
	return best
}

func (x *Index) combine(kept []string, per []map[int32]float32) map[int32]float32 {
	small := 0
	for k := range per {
		if len(per[k]) < len(per[small]) {
			small = k
		}
	}
	out := map[int32]float32{}
	for doc := range per[small] {
		var sum, inTitle float32
		all := true
		for k, m := range per {
			s, ok := m[doc]
			if !ok {
				all = false
				break
			}
			if s >= titled {
				s -= titled
				if !silent[kept[k]] {
					inTitle++
				}
			} else if s >= 0.5 && !silent[kept[k]] {
				inTitle += 0.5 // an inclusion term says it too
			}
			sum += s
		}
		if !all {
			continue
		}
		n := x.c.nodes[doc]
		score := sum / float32(len(per))
		// Short titles that the query covers say just what was asked.
		cover := min(1, inTitle/float32(max(1, x.words[doc])))
		score *= 0.55 + 0.45*cover
		score *= chapterWeight(n.code, kept)
		if n.depth == 1 {
			score *= 0.5
		}
		if x.c.leaf(int(doc)) {
			score *= 1.03 // can be used as it is; of two alike it comes first
		}
		// By the conventions of the list, a plain word means "unspecified", never "other".
		switch {
		case strings.Contains(n.title, "unspecified") || strings.Contains(n.title, "not specified") || strings.HasSuffix(n.title, "without complications"):
			score *= 1.08
		case strings.HasPrefix(n.title, "Other ") && !slices.Contains(kept, "other"):
			score *= 0.92
		}
		out[doc] = score
	}
	return out
}

// chapterWeight holds back codes that a clinician means only when saying so:
// external causes, pregnancy, the newborn, and history codes.
func chapterWeight(code string, kept []string) float32 {
	asked := func(ws ...string) bool {
		return slices.ContainsFunc(kept, func(k string) bool { return slices.Contains(ws, stem(k)) })
	}
	switch code[0] {
	case 'V', 'W', 'X', 'Y':
		return 0.55
	case 'O':
		if !asked("pregnancy", "pregnant", "gestational", "obstetric", "delivery", "puerperal", "postpartum", "trimester", "labor") {
			return 0.6
		}
	case 'P':
		if !asked("newborn", "neonatal", "birth", "perinatal") {
			return 0.6
		}
	case 'Z':
		return 0.85
	case 'Q':
		return 0.85
	case 'T':
		return 0.9
	}
	return 1
}

// word scores the entries that hold a word. A cut-short word matches longer ones
// for less; the word still being typed (last) matches them more readily.
func (x *Index) word(w string, last bool) map[int32]float32 {
	s := stem(w)
	out := map[int32]float32{}
	at, _ := slices.BinarySearch(x.vocab, min(s, w))
	for k := at; k < len(x.vocab); k++ {
		v := x.vocab[k]
		if !strings.HasPrefix(v, s) {
			if v > s {
				break
			}
			continue
		}
		quality := float32(1)
		if v != s && v != w {
			if len(s) < 2 {
				continue
			}
			quality = 0.5 + 0.3*float32(len(s))/float32(len(v))
			if !last {
				quality -= 0.1
			}
		}
		for _, p := range x.postings[k] {
			score := quality * fieldWeight[p&3]
			if p&3 == fieldTitle {
				score += titled
			}
			if doc := p >> 2; score > out[doc] {
				out[doc] = score
			}
		}
	}
	return out
}
