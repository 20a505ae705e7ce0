package coding

import (
	"iter"
	"math"
	"slices"
	"strings"
)

// term is a title or inclusion term, as the stems it needs.
type term struct {
	node  int32
	needs []string // stems that must stand in the sentence, undenied
	lacks []string // stems the title says "without"; they count when denied
	may   string   // a stem that speaks for it and need not be there
	sense sense    // how the words must be meant: as the patient's now, once, or the family's
	half  bool     // one of two that a title names with "and"
	title bool
	other bool // "other …": only where nothing says it better
	aside bool // "unilateral …": rather where a side is said
}

// skipped are words of titles that a writer leaves out.
var skipped = map[string]bool{"unspecified": true, "specified": true, "other": true, "nos": true, "nec": true, "unilateral": true,
	"uncomplicated": true, "initial": true, "encounter": true, "elsewhere": true, "classified": true, "type": true, "form": true, "site": true,
	"part": true, "current": true, "complication": true, "complications": true, "condition": true, "spontaneous": true, "disorder": true,
	"closed": true, "status": true, "organism": true, "cause": true, "origin": true, "essential": true, "mellitus": true, "level": true,
	"episode": true, "region": true, "predominantly": true}

// sideWords choose between sides; they never make a condition by themselves.
var sideWords = map[string]bool{"right": true, "left": true, "bilateral": true}

// commonWords say nothing of a condition alone.
var commonWords = map[string]bool{"acute": true, "chronic": true, "pain": true, "disease": true, "syndrome": true, "mild": true,
	"moderate": true, "severe": true, "recurrent": true, "stage": true, "class": true, "primary": true, "secondary": true, "lower": true,
	"upper": true, "limb": true, "infection": true, "viral": true, "bacterial": true, "history": true, "personal": true, "family": true,
	"examination": true, "single": true, "high": true, "low": true, "body": true, "blood": true, "use": true, "dependence": true,
	"symptom": true, "problem": true, "change": true, "normal": true, "lesion": true, "swelling": true, "deficiency": true, "contact": true,
	"exposure": true, "screening": true, "follow": true, "care": true, "medication": true, "drug": true, "therapy": true, "work": true,
	"exercise": true, "diet": true, "sleep": true, "stress": true, "weight": true, "loss": true, "gain": true, "sprain": true, "strain": true,
	"fracture": true, "injury": true, "tear": true, "cyst": true, "ulcer": true, "mass": true, "malignant": true,
	"neoplasm": true, "benign": true, "malignancy": true, "cancer": true, "carcinoma": true, "situ": true, "abnormal": true, "finding": true}

// seat is where a condition always is: a title that says it too says no more.
var seat = map[string]string{"conjunctivitis": "eye", "cataract": "eye", "glaucoma": "eye", "cerumen": "ear", "otitis": "ear",
	"otalgia": "ear", "tinnitu": "ear"}

// NewReader prepares the catalogue for reading. everyday is the list that the search
// uses too; histories is the list of what a person once had or the family has.
func NewReader(c *Catalogue, everyday, histories string) *Reader {
	r := &Reader{c: c, everyday: map[string][]string{}, byRare: map[string][]int32{}, weight: map[string]float64{}}
	for said, means := range rows(everyday) {
		means, use, _ := strings.Cut(means, "\t")
		if use == "search" || strings.Contains(means, "screening") {
			continue // who drinks coffee has no alcohol disorder, and a mammogram is no neoplasm
		}
		r.longest = max(r.longest, len(words(said)))
		first, _, _ := strings.Cut(means, "|") // a search offers all, a text means one
		r.everyday[strings.Join(stems(words(said)), " ")] = stems(words(first))
	}
	for i, n := range c.nodes {
		if n.depth >= 2 && conditionCode(n.code) && !nowhere(n) {
			r.terms = append(r.terms, termsOf(int32(i), n)...)
		}
	}
	for sense, row := range rows(histories) {
		code, said, _ := strings.Cut(row, "\t")
		if i, _, ok := c.find(bare(code)); ok { // else this edition does not have it
			for _, s := range strings.Split(said, "|") {
				needs, _ := needsOf(s)
				r.terms = append(r.terms, term{node: i, needs: needs, sense: historySense[sense], title: true})
			}
		}
	}
	count := map[string]int{}
	for _, t := range r.terms {
		for _, w := range t.needs {
			count[w]++
		}
	}
	for w, n := range count {
		r.weight[w] = math.Log(float64(len(r.terms)+1) / float64(n))
	}
	for i, t := range r.terms {
		rare := t.needs[0]
		for _, w := range t.needs {
			if r.weight[w] > r.weight[rare] {
				rare = w
			}
		}
		r.byRare[rare] = append(r.byRare[rare], int32(i))
	}
	return r
}

// historySense is how the words of a row of the list of histories must be meant.
var historySense = map[string]sense{"past": past, "family": kin, "status": remains}

// rows reads a list of the reference data: a first column, a tab, and the rest.
func rows(list string) iter.Seq2[string, string] {
	return func(yield func(string, string) bool) {
		for line := range strings.Lines(list) {
			line = strings.TrimSpace(line)
			if line == "" || line[0] == '#' {
				continue
			}
			if first, rest, _ := strings.Cut(line, "\t"); !yield(first, rest) {
				return
			}
		}
	}
}

// termsOf returns the terms of an entry: of its title and its inclusion terms.
func termsOf(i int32, n node) (out []term) {
	_, without := needsOf(n.title)
	add := func(text string, title, half bool) {
		t := term{node: i, title: title, half: half, other: strings.HasPrefix(text, "Other "), aside: strings.HasPrefix(text, "Unilateral ")}
		t.needs, t.lacks = needsOf(text)
		if !title && strings.HasSuffix(text, " NOS") {
			t.lacks = without
		}
		t.loosen(text)
		if len(t.needs) > 0 && len(t.needs) <= 9 && (!half || len(t.needs) > 1 && tellings(t.needs) > 0) {
			out = append(out, t)
		}
	}
	each := func(text string, title bool) {
		add(text, title, false)
		// "And" in a title means and/or (guidelines, I.A.14).
		if before, after, ok := strings.Cut(text, " and "); ok && !strings.Contains(after, " and ") && !strings.Contains(before, ",") {
			add(before[:strings.LastIndexByte(before, ' ')+1]+after, title, true)
			if !strings.Contains(before, "other") && !strings.Contains(before, "specified") {
				add(before, title, true) // "... of other and unspecified parts of tongue" names no part of it
			}
		}
	}
	each(n.title, true)
	for _, raw := range strings.Split(n.notes, "\x1f") {
		if len(raw) > 1 && raw[0] == 'i' {
			each(raw[1:], false)
		}
	}
	return out
}

// loosen takes from a term the words that a writer leaves out where others stand, and
// asks for "disorder" where an organ alone would be left.
func (t *term) loosen(text string) {
	drop := func(w string) {
		t.needs = slices.DeleteFunc(t.needs, func(n string) bool { return n == w })
	}
	if strings.Contains(text, "steoarthritis") && len(t.needs) > 2 && slices.Contains(t.needs, "primary") {
		t.may = "primary" // the alphabetical index leads from osteoarthritis of a joint to the primary kind
		drop("primary")
	}
	if t.title && slices.Contains(t.needs, "syndrome") && tellings(t.needs) > 1 {
		t.may = "syndrome"
		drop("syndrome")
	}
	if slices.Contains(t.needs, "diabete") {
		drop("diabetic")
	}
	if lower := strings.ToLower(text); tellings(t.needs) == 1 &&
		(strings.Contains(lower, "disorder of") || strings.Contains(lower, "disorders of")) {
		t.needs = append(t.needs, "disorder")
	}
	for _, w := range slices.Clone(t.needs) {
		drop(seat[w])
	}
}

// nowhere tells entries that no words of a note lead to by themselves: manifestations,
// which another code must stand before, sites that are on no list, and a tumor or an
// injury of no place.
func nowhere(n node) bool {
	return strings.HasSuffix(n.title, "diseases classified elsewhere") || strings.Contains(n.title, "other specified site") ||
		strings.Contains(n.title, "other sites") ||
		strings.HasPrefix(n.code, "C80") || strings.HasPrefix(n.code, "T14")
}

// conditionCode leaves out causes of injury and the reasons for contact that are no
// state of the patient, and, of the causes of disease, the organisms alone.
func conditionCode(code string) bool {
	switch code[0] {
	case 'V', 'W', 'X', 'Y', 'P', 'Q':
		return false
	case 'Z':
		return strings.HasPrefix(code, "Z79") || strings.HasPrefix(code, "Z87.891") || code == "Z72.0" || strings.HasPrefix(code, "Z00.0") ||
			strings.HasPrefix(code, "Z00.12") || strings.HasPrefix(code, "Z95") || strings.HasPrefix(code, "Z96")
	case 'B':
		return !strings.HasPrefix(code, "B95") && !strings.HasPrefix(code, "B96") && !strings.HasPrefix(code, "B97")
	case 'T':
		return code < "T36" || code > "T66"
	}
	return true
}

func stems(ws []string) []string {
	out := make([]string, 0, len(ws))
	for _, w := range ws {
		out = append(out, stem(w))
	}
	return out
}

// needsOf reads a title: what it needs, and what it says "without". Words in brackets
// are nonessential modifiers and are left out.
func needsOf(text string) (needs, lacks []string) {
	if strings.ContainsAny(text, "()[]") {
		text = unbracketed(text)
	}
	text = strings.ToLower(text)
	if i := strings.Index(text, " not elsewhere classified"); i > 0 {
		text = text[:i]
	}
	without := false
	pieces := strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ';' || r == ':' })
	listed := slices.ContainsFunc(pieces, func(p string) bool { return strings.HasPrefix(p, " and ") })
	for _, piece := range pieces {
		without = without && listed // "without psychotic disturbance, mood disturbance, and anxiety"
		for _, w := range split(piece) {
			switch {
			case w == "without" || w == "not":
				without = true
				continue
			case w == "with":
				without = false
				continue
			}
			s := stem(w)
			switch {
			case stop[w] || skipped[w] || skipped[s]:
			case without:
				lacks = append(lacks, s)
				without = w != "body" // "without foreign body of left index finger"
			case !slices.Contains(needs, s):
				needs = append(needs, s)
			}
		}
	}
	return needs, lacks
}

// unbracketed is a text without what stands in brackets.
func unbracketed(text string) string {
	var b strings.Builder
	depth := 0
	for _, r := range text {
		switch {
		case r == '(' || r == '[':
			depth++
		case r == ')' || r == ']':
			depth = max(0, depth-1)
		case depth == 0:
			b.WriteRune(r)
		}
	}
	return b.String()
}

// tellings counts the words that say something of a condition alone.
func tellings(needs []string) (n int) {
	for _, w := range needs {
		if !sideWords[w] && !commonWords[w] {
			n++
		}
	}
	return n
}

// excused are the words of a title that it calls unspecified itself: the ligament of
// "sprain of unspecified ligament of right ankle" need not be named.
func excused(title string) (out []string) {
	for _, piece := range strings.Split(title, ",") {
		open := false
		for _, w := range words(piece) {
			switch w {
			case "unspecified":
				open = true
			case "of", "with", "in", "for", "at", "without":
				open = false
			default:
				if open {
					out = append(out, stem(w))
				}
			}
		}
	}
	return out
}
