package coding

import (
	"slices"
	"sort"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"
)

// Index finds entries of one catalogue by words. It is read-only and safe for
// concurrent use.
type Index struct {
	c         *Catalogue
	vocab     []string  // sorted
	postings  [][]int32 // per word: node<<2 | field
	words     []uint8   // telling words in the title of each node
	prior     []float32 // what a node is worth before any word is matched
	group     []byte    // of which chapter group a node is
	scratch   sync.Pool
	everyday  map[string][]string
	names     map[string][]int32  // entries by just the words of their title or of an inclusion term
	inflected map[string][]string // the same, by stems
	maxPhrase int
	lexicon   *lexicon
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

var stop = map[string]bool{"of": true, "the": true, "and": true, "or": true, "in": true, "with": true, "due": true, "to": true, "a": true,
	"an": true, "for": true, "by": true, "on": true, "at": true, "from": true, "my": true}

// silent words of a title say nothing that a query would have to cover.
var silent = map[string]bool{"unspecified": true, "nos": true, "nec": true, "site": true, "not": true, "specified": true, "elsewhere": true,
	"classified": true, "without": true}

// words splits text into lower-case words; single letters that carry meaning
// (vitamin d, hepatitis b) are kept.
func words(s string) []string { return split(strings.ToLower(s)) }

// split is words with the letters as they were written.
func split(s string) []string {
	if strings.IndexByte(s, '\'') >= 0 {
		s = strings.ReplaceAll(s, "'", "")
	}
	out := make([]string, 0, 8)
	from := -1 // where the word under way began
	for i, r := range s {
		switch {
		case lettered(r):
			if from < 0 {
				from = i
			}
		case from >= 0:
			out = append(out, s[from:i])
			from = -1
		}
	}
	if from >= 0 {
		out = append(out, s[from:])
	}
	return out
}

// lettered is whether a character belongs to a word; nearly all are plain letters, which are told without the tables.
func lettered(r rune) bool {
	if r < utf8.RuneSelf {
		return 'a' <= r && r <= 'z' || 'A' <= r && r <= 'Z' || '0' <= r && r <= '9'
	}
	return unicode.IsLetter(r) || unicode.IsDigit(r)
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

// NewIndex builds the index. Each list of everyday words holds one word, phrase or
// abbreviation a line: the word, a tab, and what it means, alternatives separated by "|",
// in words of the tabular list or after "=" a code or heading of it; a further column
// "search" keeps it from the reading of texts.
func NewIndex(c *Catalogue, everyday ...string) *Index {
	x := &Index{c: c, everyday: map[string][]string{}, words: make([]uint8, len(c.nodes)), maxPhrase: 1}
	for _, list := range everyday {
		for said, means := range rows(list) {
			means, _, _ = strings.Cut(means, "\t")
			k := words(said)
			x.maxPhrase = max(x.maxPhrase, len(k))
			key := strings.Join(k, " ")
			x.everyday[key] = append(strings.Split(means, "|"), x.everyday[key]...)
		}
	}
	x.inflected = make(map[string][]string, len(x.everyday))
	for said, means := range x.everyday {
		x.inflected[stemmed(strings.Fields(said))] = means
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
	// A heading stands above many entries: its words are read once.
	titles, terms, lacking := make([][]string, len(c.nodes)), make([][]string, len(c.nodes)), make([]bool, len(c.nodes))
	for i, n := range c.nodes {
		titles[i] = words(n.title)
		eachTerm(n.notes, func(term string) { terms[i] = append(terms[i], stems(words(term))...) })
	}
	for i, n := range c.nodes {
		if n.depth < 1 {
			continue
		}
		count := 0
		needs, lacks := needsOf(n.title)
		lacking[i] = len(lacks) > 0
		for _, w := range titles[i] {
			s := stem(w)
			if slices.Contains(lacks, s) && !slices.Contains(needs, s) {
				add(s, int32(i), fieldAbove) // "without aura" is not what "aura" asks for
				continue
			}
			if !stop[w] && !silent[w] {
				count++
			}
			add(s, int32(i), fieldTitle)
		}
		x.words[i] = uint8(min(count, 255))
		for _, s := range terms[i] {
			add(s, int32(i), fieldTerm)
		}
		for p := n.parent; p >= 0 && c.nodes[p].depth >= 2; p = c.nodes[p].parent {
			for _, w := range titles[p] {
				add(stem(w), int32(i), fieldAbove)
			}
			for _, s := range terms[p] {
				add(s, int32(i), fieldAbove)
			}
		}
	}
	x.names = make(map[string][]int32, len(c.nodes))
	for i, n := range c.nodes {
		if n.depth < 2 {
			continue
		}
		name := func(words []string) {
			key := nameOf(words)
			if l := x.names[key]; len(key) > 0 && len(l) < 6 && !slices.Contains(l, int32(i)) {
				x.names[strings.Clone(key)] = append(l, int32(i))
			}
		}
		if !lacking[i] { // "migraine without aura" is no name of an aura
			name(titles[i])
		}
		for notes := n.notes; notes != ""; {
			var one string
			one, notes, _ = strings.Cut(notes, "\x1f")
			if len(one) < 2 || one[0] != 'i' {
				continue
			}
			if _, lacks := needsOf(one[1:]); len(lacks) == 0 {
				name(words(one[1:]))
			}
		}
	}
	x.prior, x.group = make([]float32, len(c.nodes)), make([]byte, len(c.nodes))
	for i, n := range c.nodes {
		x.prior[i], x.group[i] = c.prior(i), n.code[0]
	}
	x.scratch.New = func() any { return &scratch{best: make([]float32, len(c.nodes)), alt: make([]uint8, len(c.nodes))} }
	x.vocab = make([]string, 0, len(ids))
	for w := range ids {
		x.vocab = append(x.vocab, w)
	}
	sort.Strings(x.vocab)
	x.postings = make([][]int32, len(x.vocab))
	for k, w := range x.vocab {
		x.postings[k] = slices.Clip(lists[ids[w]])
	}
	x.lexicon = newLexicon(x)
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
	m := x.scratch.Get().(*scratch)
	defer func() { m.clear(); x.scratch.Put(m) }()
	typed := told(words(query))
	alts := x.rewrites(typed)
	for _, r := range x.respelt(typed) {
		for _, alt := range x.rewrites(r.words) {
			if alt.weight *= r.weight; len(alts) < 40 {
				alt.why = r.why
				alts = append(alts, alt)
			}
		}
	}
	for i, alt := range alts {
		if alt.code != "" {
			x.name(m, alt, uint8(i))
			continue
		}
		x.match(m, alt, uint8(i))
		x.called(m, alt, uint8(i))
	}
	asked := typed
	out := make([]Hit, 0, limit)
	for _, doc := range m.top(limit) {
		out = append(out, Hit{Entry: x.c.entry(doc, x.extFor(doc, asked)), Why: alts[m.alt[doc]].why})
	}
	return out
}

// scratch is the working memory of one search: one score per node, and which
// nodes were touched, so that only those are cleared.
type scratch struct {
	best []float32
	alt  []uint8
	docs []int32
	per  []wordScores
}

// wordScores are the scores of one word.
type wordScores struct {
	score []float32
	docs  []int32
}

func (m *scratch) clear() {
	for _, d := range m.docs {
		m.best[d] = 0
	}
	m.docs = m.docs[:0]
}

// word hands out cleared scores for the k-th word.
func (m *scratch) word(k int) *wordScores {
	if k >= len(m.per) {
		m.per = append(m.per, wordScores{score: make([]float32, len(m.best))})
	}
	w := &m.per[k]
	for _, d := range w.docs {
		w.score[d] = 0
	}
	w.docs = w.docs[:0]
	return w
}

func (m *scratch) offer(doc int32, score float32, alt uint8) {
	if m.best[doc] == 0 {
		m.docs = append(m.docs, doc)
	}
	if score > m.best[doc] {
		m.best[doc], m.alt[doc] = score, alt
	}
}

// top returns the best entries, in the order of the list where they tie.
func (m *scratch) top(limit int) []int32 {
	better := func(a, b int32) bool { return m.best[a] > m.best[b] || m.best[a] == m.best[b] && a < b }
	var out []int32
	for _, d := range m.docs {
		if len(out) == limit && !better(d, out[limit-1]) {
			continue
		}
		at := sort.Search(len(out), func(i int) bool { return better(d, out[i]) })
		if len(out) < limit {
			out = append(out, 0)
		}
		copy(out[at+1:], out[at:])
		out[at] = d
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
	code   string // what is meant, where that is not said in words
}

// chatter are words that carry no condition; they are left out unless nothing else is there.
var chatter = map[string]bool{"i": true, "my": true, "me": true, "when": true, "feeling": true, "feels": true, "feel": true, "have": true, "has": true,
	"having": true, "got": true, "get": true, "getting": true, "is": true, "am": true, "are": true, "was": true, "really": true, "very": true,
	"always": true, "keeps": true, "keep": true, "problem": true, "problems": true, "issue": true, "issues": true, "need": true, "needs": true,
	"wants": true, "lot": true, "lots": true, "bad": true, "some": true, "follow": true,
	"followup": true, "recheck": true, "up": true, "again": true, "still": true, "since": true, "now": true, "today": true, "over": true}

// told leaves out what carries nothing, and the age in "well child 6 months".
func told(ws []string) []string {
	well := slices.ContainsFunc(ws, func(w string) bool {
		return slices.Contains([]string{"well", "wcc", "wcv", "check", "checkup", "visit", "physical"}, w)
	})
	var out []string
	for i := 0; i < len(ws); i++ {
		w := ws[i]
		n := strings.TrimLeft(w, "0123456789")
		if n != w && len(ws) > 1 { // an age, or since when
			if n == "" && i+1 < len(ws) && ages[ws[i+1]] {
				i++
				continue
			}
			if n != "" && ages[n] && n != "m" && n != "y" {
				continue
			}
		}
		out = append(out, w)
	}
	if well && len(out) < len(ws) && slices.Contains(out, "visit") && slices.Contains(out, "well") {
		return []string{"well", "child", "visit"} // a visit by age is a child's
	}
	return out
}

var ages = map[string]bool{"mo": true, "mos": true, "month": true, "months": true, "m": true, "wk": true, "wks": true, "week": true, "weeks": true,
	"yr": true, "yrs": true, "year": true, "years": true, "yo": true, "y": true, "day": true, "days": true, "old": true}

func stemmed(ws []string) string {
	out := make([]string, len(ws))
	for i, w := range ws {
		out[i] = stem(w)
	}
	return strings.Join(out, " ")
}

// places are where something is; a phrase that names a condition without its place is
// told whole all the same.
var places = func() map[string]bool {
	m := map[string]bool{}
	for _, w := range strings.Fields(`left right both upper lower big little arm arms leg legs hand hands finger fingers foot feet toe toes knee knees hip hips
		ankle ankles wrist wrists elbow elbows shoulder shoulders neck back head face chest eye eyes ear ears nose mouth lip tongue belly stomach
		skin thigh calf shin heel groin side rib ribs jaw chin cheek forehead scalp thumb palm tailbone child baby bleeding new old chronic acute
		days day weeks week months month years year 2 3 4 5 6 7 10 again still`) {
		m[w] = true
	}
	return m
}()

// telling counts the words of a query that name something, with all of a phrase in it.
func telling(ws []string, at, n int) int {
	count := n
	for i, w := range ws {
		if (i < at || i >= at+n) && !places[w] && !stop[w] && !chatter[w] {
			count++
		}
	}
	return count
}

// called offers the entries whose title or inclusion term says just these words.
func (x *Index) called(m *scratch, r rewrite, alt uint8) {
	for _, doc := range x.names[nameOf(r.words)] {
		score := 1.3 * r.weight
		if p := x.prior[doc]; p < 0 {
			score *= -p * 0.92
		} else {
			score *= p
		}
		m.offer(doc, score, alt)
	}
}

// nameOf is what a title or query names: its telling words, in one order.
func nameOf(ws []string) string {
	var out []string
	for _, w := range ws {
		if s := stem(w); !stop[w] && !silent[w] && !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	slices.Sort(out)
	return strings.Join(out, " ")
}

// name offers the entry that a phrase names by its code.
func (x *Index) name(m *scratch, r rewrite, alt uint8) {
	if doc, ok := x.c.byCode[bare(r.code)]; ok {
		m.offer(int32(doc), r.weight, alt)
	}
}

// rewrites returns the query as typed and with everyday words replaced by what
// they mean. The longest phrase wins at each place; at most 12 come back.
func (x *Index) rewrites(ws []string) []rewrite {
	out := []rewrite{{weight: 1}}
	var named []rewrite
	for i := 0; i < len(ws); {
		taken := 1
		var meant []string
		phrase := ""
		for l := min(x.maxPhrase, len(ws)-i); l >= 1; l-- {
			phrase = strings.Join(ws[i:i+l], " ")
			m, ok := x.everyday[phrase]
			if !ok {
				m, ok = x.inflected[stemmed(ws[i:i+l])]
			}
			if ok {
				taken, meant = l, m
				break
			}
		}
		if len(meant) == 0 && chatter[ws[i]] && len(ws) > 1 {
			i++
			continue
		}
		var next []rewrite
		for _, r := range out {
			next = append(next, rewrite{words: append(slices.Clone(r.words), ws[i:i+taken]...), weight: r.weight, why: r.why})
			for k, m := range meant {
				if m[0] == '=' {
					if len(named) < 8 {
						share := float32(taken) / float32(telling(ws, i, taken))
						named = append(named, rewrite{code: m[1:], why: phrase, weight: (1.6 - 0.05*float32(k)) * share * share})
					}
					continue
				}
				if len(next) < 12 {
					next = append(next, rewrite{words: append(slices.Clone(r.words), words(m)...), weight: r.weight * 1.15, why: phrase})
				}
			}
		}
		out = next
		i += taken
	}
	return append(out, named...)
}

// match scores every entry that has all the words of one reading of the query
// (or, when none has, all but one of them).
func (x *Index) match(m *scratch, r rewrite, alt uint8) {
	var kept []string
	for _, w := range r.words {
		if (!stop[w] || len(r.words) == 1) && !slices.Contains(kept, w) {
			kept = append(kept, w)
		}
	}
	if len(kept) == 0 {
		return
	}
	for k, w := range kept {
		x.word(m.word(k), w, k == len(kept)-1)
	}
	if x.combine(m, kept, -1, r.weight, alt) || len(kept) == 1 {
		return
	}
	// One word may be a slip or a detail the catalogue does not have; where something is
	// is oftener such a detail than what it is.
	found := false
	for skip := range kept {
		weight := r.weight * 0.5
		if places[kept[skip]] {
			weight = r.weight * 0.7
		}
		found = x.combine(m, kept, skip, weight, alt) || found
	}
	if found || len(kept) < 3 {
		return
	}
	for k, w := range kept { // what is left is better than nothing
		if m.per[k].docs != nil && !places[w] && len(w) > 3 {
			x.alone(m, k, r.weight*0.25/float32(len(kept)), alt)
		}
	}
}

// alone offers the entries that have one word of a query.
func (x *Index) alone(m *scratch, k int, weight float32, alt uint8) {
	for _, doc := range m.per[k].docs {
		s := m.per[k].score[doc]
		if s < titled {
			continue
		}
		p := x.prior[doc]
		if p < 0 {
			p *= -0.92
		}
		m.offer(doc, weight*(s-titled)*p*(0.55+0.45/float32(max(1, x.words[doc]))), alt)
	}
}

// combine offers every entry that has all the words but the skipped one, and says
// whether there was any.
func (x *Index) combine(m *scratch, kept []string, skip int, weight float32, alt uint8) bool {
	small, count := -1, 0
	for k := range kept {
		if k == skip {
			continue
		}
		count++
		if small < 0 || len(m.per[k].docs) < len(m.per[small].docs) {
			small = k
		}
	}
	held := chapterWeights(kept)
	other := slices.Contains(kept, "other")
	found := false
next:
	for _, doc := range m.per[small].docs {
		var sum, inTitle float32
		for k := range kept {
			if k == skip {
				continue
			}
			s := m.per[k].score[doc]
			if s == 0 {
				continue next
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
		found = true
		score := weight * sum / float32(count)
		// Short titles that the query covers say just what was asked.
		score *= 0.55 + 0.45*min(1, inTitle/float32(max(1, x.words[doc])))
		score *= held[x.group[doc]]
		if p := x.prior[doc]; p >= 0 {
			score *= p
		} else if other {
			score *= -p
		} else {
			score *= -p * 0.92
		}
		m.offer(doc, score, alt)
	}
	return found
}

// prior weighs an entry before any word is matched. It is negative for "other"
// entries, whose worth depends on whether "other" was asked for.
func (c *Catalogue) prior(i int) float32 {
	n := c.nodes[i]
	p := float32(1)
	if n.depth == 1 {
		p *= 0.5
	}
	if c.leaf(i) {
		p *= 1.03 // can be used as it is; of two alike it comes first
	}
	// By the conventions of the list, a plain word means "unspecified", never "other".
	switch {
	case strings.Contains(n.title, "unspecified") || strings.Contains(n.title, "not specified") ||
		strings.HasSuffix(n.title, "without complications"):
		p *= 1.08
	case strings.HasPrefix(n.title, "Other "):
		p = -p
	}
	if strings.Contains(n.title, "uvenile") {
		p *= 0.8 // rarely meant where it is not said
	}
	return p
}

// chapterWeights holds back codes that a clinician means only when saying so:
// external causes, pregnancy, the newborn, and history codes.
func chapterWeights(kept []string) *[256]float32 {
	var w [256]float32
	for i := range w {
		w[i] = 1
	}
	asked := func(ws ...string) bool {
		return slices.ContainsFunc(kept, func(k string) bool { return slices.Contains(ws, stem(k)) })
	}
	for _, c := range "VWXY" {
		w[c] = 0.55
	}
	if !asked("pregnancy", "pregnant", "gestational", "obstetric", "delivery", "puerperal", "postpartum", "trimester", "labor") {
		w['O'] = 0.6
	}
	if !asked("newborn", "neonatal", "birth", "perinatal") {
		w['P'] = 0.6
	}
	w['Z'], w['Q'], w['T'] = 0.85, 0.85, 0.9
	return &w
}

// word scores the entries that hold a word. A cut-short word matches longer ones
// for less; the word still being typed (last) matches them more readily.
func (x *Index) word(out *wordScores, w string, last bool) {
	s := stem(w)
	at, _ := slices.BinarySearch(x.vocab, s)
	for k := at; k < len(x.vocab) && strings.HasPrefix(x.vocab[k], s); k++ {
		v := x.vocab[k]
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
			doc := p >> 2
			if out.score[doc] == 0 {
				out.docs = append(out.docs, doc)
			}
			out.score[doc] = max(out.score[doc], score)
		}
	}
}
