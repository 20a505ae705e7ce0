package coding

import (
	"fmt"
	"slices"
	"strings"
)

// Former is a code of ICD-9-CM, which leads to present codes and can never itself
// be used. Now are present codes as the General Equivalence Mappings have them; a
// code of the mappings that was since divided is a heading to open.
type Former struct {
	Code, Title string
	Now         []Entry
}

// Formers are all former codes.
type Formers struct {
	codes  []former
	byCode map[string]int
	words  map[string][]int32
}

type former struct{ code, title, now string }

// LoadFormers reads the compact list written by exchange/icd10cm.
func LoadFormers(compact string) (*Formers, error) {
	f := &Formers{byCode: map[string]int{}, words: map[string][]int32{}}
	for n := 1; compact != ""; n++ {
		var line string
		line, compact, _ = strings.Cut(compact, "\n")
		if line == "" || line[0] == '#' {
			continue
		}
		p := strings.SplitN(line, "\t", 3)
		if len(p) != 3 {
			return nil, fmt.Errorf("line %d of the former codes has %d fields instead of 3", n, len(p))
		}
		f.byCode[p[0]] = len(f.codes)
		for _, w := range words(p[1]) {
			if at := f.words[w]; len(at) == 0 || at[len(at)-1] != int32(len(f.codes)) {
				f.words[w] = append(at, int32(len(f.codes)))
			}
		}
		f.codes = append(f.codes, former{p[0], p[1], p[2]})
	}
	return f, nil
}

// Count says how many former codes there are.
func (f *Formers) Count() int { return len(f.codes) }

// formerDotted writes a former code with its dot: E codes after four places, all
// others after three.
func formerDotted(code string) string {
	cut := 3
	if code[0] == 'E' {
		cut = 4
	}
	if len(code) > cut {
		return code[:cut] + "." + code[cut:]
	}
	return code
}

// Find returns the former code that was typed, with or without dot, and what it leads
// to in a catalogue. Where the mappings name a code that is no longer billable, or no
// longer there, its nearest heading stands for it.
func (f *Formers) Find(code string, c *Catalogue) (Former, bool) {
	b := bare(code)
	i, ok := f.byCode[b]
	if !ok {
		return Former{}, false
	}
	return f.at(i, c), true
}

func (f *Formers) at(i int, c *Catalogue) Former {
	x := f.codes[i]
	out := Former{Code: formerDotted(x.code), Title: x.title}
	seen := map[string]bool{}
	for _, now := range strings.Fields(x.now) {
		e, ok := c.Lookup(now)
		for l := len(now) - 1; !ok && l >= 3; l-- {
			e, ok = c.Lookup(now[:l])
		}
		if ok && !seen[e.Code] {
			seen[e.Code] = true
			out.Now = append(out.Now, e)
		}
	}
	return out
}

// Search finds former codes whose title holds every word, shortest title first.
func (f *Formers) Search(query string, c *Catalogue, limit int) []Former {
	var hits []int32
	for n, w := range words(query) {
		at := f.words[w]
		if n == 0 {
			hits = slices.Clone(at)
			continue
		}
		hits = slices.DeleteFunc(hits, func(i int32) bool { _, ok := slices.BinarySearch(at, i); return !ok })
	}
	slices.SortStableFunc(hits, func(a, b int32) int { return len(f.codes[a].title) - len(f.codes[b].title) })
	var out []Former
	for _, i := range hits[:min(limit, len(hits))] {
		out = append(out, f.at(int(i), c))
	}
	return out
}
