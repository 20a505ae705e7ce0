package coding

import (
	"fmt"
	"slices"
	"strings"
)

// Visit is what a list of diagnoses is held against.
type Visit struct {
	Codes    []string // of the visit, first-listed first
	Problems []string // of the problem list
	Sex      string   // HL7 table 0001: F, M, O, U
	Months   int      // age in completed months on the day of the visit; below zero for unknown
}

// Advice is one remark on the diagnoses of a visit. Key names it for good, so that a
// person's answer to it can be kept.
type Advice struct {
	Key    string   `json:"key"`
	Kind   string   `json:"kind" enum:"excludes,order,first,additional,age,sex,combined"`
	Codes  []string `json:"codes" doc:"The codes it is about"`
	Says   string   `json:"says"`
	Quote  string   `json:"quote" doc:"The words of the official text"`
	Source string   `json:"source" doc:"Where they stand"`
	Stops  bool     `json:"stops" doc:"It has to be answered before the note is signed"`
	Offers []string `json:"offers" doc:"Codes that would settle it, or the list in a better order"`
}

// Advise holds a list of diagnoses against the instructional notes of the tabular
// list, the edits by age and sex, and the codes that stand for two. Its order is that
// of the list; what stops comes with what it is about.
func (c *Catalogue) Advise(v Visit) []Advice {
	var out []Advice
	out = append(out, c.excludes(v)...)
	out = append(out, c.firsts(v)...)
	out = append(out, c.additional(v)...)
	out = append(out, combined(v)...)
	for _, code := range v.Codes {
		out = append(out, edits(code, v)...)
	}
	seen := map[string]bool{}
	return slices.DeleteFunc(out, func(a Advice) bool { // the same note can stand at a code and at its heading
		again := seen[a.Key]
		seen[a.Key] = true
		return again
	})
}

// advice names a remark and gives it its lists.
func advice(a Advice, place string) Advice {
	a.Key = strings.TrimSpace(a.Kind + " " + strings.Join(a.Codes, " ") + " " + place)
	if a.Offers == nil {
		a.Offers = []string{}
	}
	return a
}

// notesOf groups the notes of one kind by where they stand, nearest first.
func (c *Catalogue) notesOf(code, kind string) [][]Note {
	var out [][]Note
	for _, n := range c.Notes(code) {
		if n.Kind != kind {
			continue
		}
		if k := len(out); k > 0 && out[k-1][0].Code == n.Code {
			out[k-1] = append(out[k-1], n)
		} else {
			out = append(out, []Note{n})
		}
	}
	return out
}

// excludes finds codes that the list says cannot be together ("excludes 1"), in
// either direction, each pair once.
func (c *Catalogue) excludes(v Visit) []Advice {
	var out []Advice
	seen := map[string]bool{}
	pair := func(a, b string, stops bool) {
		x, y := a, b
		if x > y {
			x, y = y, x
		}
		if a == b || seen[x+" "+y] {
			return
		}
		for _, d := range [][2]string{{a, b}, {b, a}} {
			for _, n := range c.Notes(d[0]) {
				if n.Kind != "excludes1" {
					continue
				}
				if rs := References(n.Text); meansAny(rs, d[1]) && !meansAny(rs, d[0]) {
					seen[x+" "+y] = true
					says := fmt.Sprintf("%s and %s exclude each other, unless the two conditions are unrelated", a, b)
					if !stops {
						says = fmt.Sprintf("%s excludes %s of the problem list, unless the two are unrelated", a, b)
					}
					out = append(out, advice(Advice{Kind: "excludes", Codes: []string{a, b}, Says: says, Quote: "Excludes1: " + n.Text,
						Source: "tabular list at " + where(n.Code) + "; guideline I.A.12.a", Stops: stops}, ""))
					return
				}
			}
		}
	}
	for i, a := range v.Codes {
		for _, b := range v.Codes[i+1:] {
			pair(a, b, true)
		}
	}
	for _, a := range v.Codes {
		for _, b := range v.Problems {
			if !slices.Contains(v.Codes, b) {
				pair(a, b, false)
			}
		}
	}
	return out
}

// excludesAt returns what the notes at a code, or above it, say it is not used with; a note
// that means the code itself says nothing of it.
func (c *Catalogue) excludesAt(code string) (out [][]Reference) {
	for _, n := range c.Notes(code) {
		if n.Kind != "excludes1" {
			continue
		}
		if rs := References(n.Text); !meansAny(rs, code) {
			out = append(out, rs)
		}
	}
	return out
}

// where writes the place of a note: a code, or the chapter or section it stands at.
func where(code string) string {
	if n, ok := strings.CutPrefix(code, "ch"); ok {
		return "chapter " + n
	}
	return strings.TrimPrefix(code, "§")
}

// quote writes the notes of one place as they stand: heading words, then the items.
func quote(lead string, ns []Note) (string, []Reference) {
	var parts []string
	var refs []Reference
	for _, n := range ns {
		parts = append(parts, n.Text)
		refs = append(refs, References(n.Text)...)
	}
	return lead + strings.ReplaceAll(strings.Join(parts, "; "), ":;", ":"), refs
}

// conditional says whether a note holds only where something is known or present.
func conditional(text string) bool {
	for _, w := range []string{"if applicable", "if known", "if present", "when applicable", "any associated", "any underlying", "if any"} {
		if strings.Contains(strings.ToLower(text), w) {
			return true
		}
	}
	return false
}

// moved is the list with the code at from put right before the one at to.
func moved(codes []string, from, to int) []string {
	out := slices.Clone(codes)
	x := out[from]
	out = slices.Delete(out, from, from+1)
	return slices.Insert(out, to, x)
}

// firsts finds codes that another has to stand before ("code first"), and
// manifestations that stand first.
func (c *Catalogue) firsts(v Visit) []Advice {
	var out []Advice
	for i, code := range v.Codes {
		e, _ := c.Lookup(code)
		manifestation := strings.Contains(strings.ToLower(e.Title), "in diseases classified elsewhere") ||
			strings.Contains(strings.ToLower(e.Title), "in other diseases classified elsewhere")
		found := false
		for _, ns := range c.notesOf(code, "code first") {
			text, refs := quote("Code first ", ns)
			source := "tabular list at " + where(ns[0].Code) + "; guideline I.A.13"
			at := slices.IndexFunc(v.Codes, func(x string) bool { return x != code && meansAny(refs, x) })
			switch {
			case at >= 0 && at < i:
				found = true
			case at > i:
				found = true
				out = append(out, advice(Advice{Kind: "order", Codes: []string{v.Codes[at], code}, Says: fmt.Sprintf("%s has to stand before %s",
					v.Codes[at], code), Quote: text, Source: source, Offers: moved(v.Codes, at, i)}, ""))
			case len(refs) > 0 && !conditional(text) && !manifestation && (len(ns) == 1 || strings.Contains(text, "underlying")):
				out = append(out, advice(Advice{Kind: "first", Codes: []string{code},
					Says: fmt.Sprintf("%s asks for the underlying condition before it, and none of those named is on the list", code), Quote: text,
					Source: source, Offers: c.offered(refs)}, ns[0].Code))
			}
			if manifestation && !found {
				out = append(out, advice(Advice{Kind: "first", Codes: []string{code},
					Says: code + " is a manifestation: the disease it comes from has to stand before it", Quote: text, Source: source, Stops: i == 0,
					Offers: c.offered(refs)}, ns[0].Code))
				found = true
			}
		}
	}
	return out
}

// additional finds codes that a note asks for beside one of the list, and those that
// stand before the code they only add to.
func (c *Catalogue) additional(v Visit) []Advice {
	var out []Advice
	for i, code := range v.Codes {
		for _, ns := range c.notesOf(code, "use additional") {
			text, refs := quote("Use additional ", ns)
			source := "tabular list at " + where(ns[0].Code) + "; guideline I.A.17"
			at := slices.IndexFunc(v.Codes, func(x string) bool { return x != code && meansAny(refs, x) })
			switch {
			case at >= 0 && at < i && !c.codeFirst(v.Codes[at], code):
				out = append(out, advice(Advice{Kind: "order", Codes: []string{code, v.Codes[at]},
					Says: fmt.Sprintf("%s only adds to %s and stands after it", v.Codes[at], code), Quote: text, Source: source,
					Offers: moved(v.Codes, i, at)}, ""))
			case at < 0 && len(refs) > 0 && bare(ns[0].Code) != "" && ns[0].Code[0] != 'c' && !strings.HasPrefix(ns[0].Code, "§"):
				out = append(out, advice(Advice{Kind: "additional", Codes: []string{code}, Says: code + " asks for a further code, where it applies",
					Quote: text, Source: source, Offers: c.offered(refs)}, ns[0].Code))
			}
		}
	}
	return out
}

// codeFirst says whether a code's own notes ask for another before it.
func (c *Catalogue) codeFirst(code, before string) bool {
	for _, n := range c.Notes(code) {
		if n.Kind == "code first" && meansAny(References(n.Text), before) {
			return true
		}
	}
	return false
}

// offered lists codes or headings that references name, to choose from.
func (c *Catalogue) offered(refs []Reference) []string {
	var out []string
	for _, r := range refs {
		if e, ok := c.Lookup(r.From); ok && r.Fifth == "" && !slices.Contains(out, e.Code) && len(out) < 12 {
			out = append(out, e.Code)
		}
	}
	return out
}
