package coding

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// sense is how a word of a sentence is meant.
type sense uint8

const (
	denied sense = 1 << iota
	unsure
	past
	others // somebody else's
	kin    // and that somebody is a blood relative

	remains sense = 128 // asked of a term: once done and still there, as a graft is
)

type token struct {
	stems  []string // its own stem, then what everyday words around it mean
	sense  sense
	used   bool
	clause int  // between which commas it stands
	dated  bool // a year of the past stands behind it: "stroke 2019"
}

// meant says whether a word stands for what is asked: a condition that the patient has
// now (0), one that is past, or one of the family's.
func (t token) meant(as sense) bool {
	switch as {
	case kin:
		return t.sense&kin != 0 && t.sense&(denied|unsure) == 0
	case remains:
		return t.sense&^past == 0
	case past:
		return t.sense == past || t.sense == 0 && t.dated
	}
	return t.sense == as
}

type trigger struct {
	words []string
	sense sense
	after bool // it speaks of what stands before it
	reach int  // how many words it reaches; 0 to the end
}

func triggers(sense sense, after bool, reach int, phrases string) (out []trigger) {
	for _, p := range strings.Split(phrases, "|") {
		out = append(out, trigger{strings.Fields(p), sense, after, reach})
	}
	return out
}

// inFamily are the ways to say whose a condition is, after it: "colon cancer in his father".
func inFamily(who string) string {
	var out []string
	for _, w := range strings.Split(who, "|") {
		for _, before := range []string{"in", "in a", "in her", "in his", "in their", "in the"} {
			out = append(out, before+" "+w)
		}
	}
	return strings.Join(out, "|")
}

// allTriggers, longest first.
var allTriggers = func() []trigger {
	out := triggers(denied, false, 0,
		"no|w o|neg for|lack of|nil|denies|denied|deny|without|not|never|negative for|free of|no evidence of|no sign of|no signs of|absence "+
			"of|absent|neither|nor|rules out|no further|cannot see|none of|doubt|doubts|low suspicion for|low suspicion of|low likelihood "+
			"of|low probability of|not suspicious for|no concern for|less likely|unlikely|rather than|nonreactive for")
	out = append(out, triggers(denied, false, 3, "negative|neg")...)
	out = append(out, triggers(denied, true, 6,
		"ruled out|excluded|is excluded|was excluded|are absent|is absent|not seen|not found|negative|is gone|has resolved|not "+
			"present|unlikely|neg|not suspected|not likely|not felt|none|denied|is denied|was denied|nonreactive|non reactive|less likely|doubtful|is "+
			"doubtful|doubted|not detected|undetected|absent|screen negative|test negative|antibody nonreactive")...)
	out = append(out, triggers(unsure, false, 0,
		"rule out|r o|possible|possibly|probable|probably|suspect|suspected|suspicion of|suspicious for|likely|may be|may have|might be|could "+
			"be|question of|questionable|consider|concern for|concerned about|worried about|afraid of|fears|fear of|differential|versus|vs|risk "+
			"of|risk for|at risk|ddx|consistent with|compatible with|c w|working diagnosis|presumed|presumptive|presumably|suggestive "+
			"of|suggests|concerning for|appears to be|eval for|screen for|screening for|to exclude|evaluate for|test for|tests for|looking "+
			"for|in case of|return for|return if|call for|call if|prevent|prevention of|vaccine|if|or else|wonders|asks about|asked "+
			"about|information on|leaflet on|discussed")...)
	out = append(out, triggers(unsure, true, 4,
		"screening|screen|vaccine|vaccination|shot|prophylaxis|prevention|is possible|is suspected|not excluded|cannot be excluded|to be "+
			"ruled out|is a concern|versus|vs")...)
	out = append(out, triggers(past, false, 0,
		"history of|hx of|hx|pmh|pmhx|h o|status post|s p|previous|previously|prior|past|as a child|in childhood|had|used "+
			"to|remote|formerly|resolved|healed|recovered from|treated for")...)
	out = append(out, triggers(past, true, 8,
		"years ago|in childhood|as a child|in the past|has healed|resolved|last year|months ago|quit|stopped|excised|was excised|resected|was "+
			"removed|s p lumpectomy|s p mastectomy|s p resection|s p excision|s p prostatectomy|no evidence of disease|no recurrence|without "+
			"recurrence|treated in|cured")...)
	out = append(out, triggers(past, false, 3, "quit|stopped|gave up")...)
	out = append(out, triggers(others|kin, false, 0,
		"mother|father|brother|sister|mom|dad|sibling|siblings|grandmother|grandfather|grandparents|maternal|paternal|aunt|uncle|cousin|niece|nephew|parents|parent|family history|family hx|fam hx|fhx|fh|family|son|daughter|runs in")...)
	out = append(out, triggers(others|kin, true, 6,
		inFamily("mother|father|brother|sister|parents|parent|aunt|uncle|grandmother|grandfather|cousin|mom|dad|son|daughter"))...)
	out = append(out, triggers(others, false, 0,
		"wife|husband|spouse|partner|girlfriend|boyfriend|roommate|housemate|friend|classmate|coworker|colleague|neighbor|child of|contact "+
			"with|exposed to|exposure to")...)
	slices.SortStableFunc(out, func(a, b trigger) int { return len(b.words) - len(a.words) })
	return out
}()

// harmless phrases look like triggers and are none.
var harmless = func() (out [][]string) {
	for _, p := range strings.Split("no change|not at goal|not controlled|not well controlled|no increase|no better|not better|not "+
		"improving|not improved|not only|no relief|not helping|not taking|never stopped|without relief|not resolved|former smoker|history of "+
		"falls|not certain if|no doubt|family practice", "|") {
		out = append(out, strings.Fields(p))
	}
	return out
}()

// startingWith are the triggers by their first word, calming the harmless phrases.
var startingWith, calming = func() (map[string][]int, map[string][][]string) {
	starts, calms := map[string][]int{}, map[string][][]string{}
	for k, t := range allTriggers {
		starts[t.words[0]] = append(starts[t.words[0]], k)
	}
	for _, p := range harmless {
		calms[p[0]] = append(calms[p[0]], p)
	}
	return starts, calms
}()

// enders end the reach of a trigger.
var enders = map[string]bool{"but": true, "however": true, "although": true, "though": true, "except": true, "which": true, "because": true,
	"therefore": true, "presents": true, "reports": true, "now": true, "today": true, "currently": true, "still": true, "has": true,
	"is": true, "are": true, "takes": true}

// backToPatient are words after which it is the patient again, and not somebody else.
var backToPatient = map[string]bool{"but": true, "however": true, "patient": true, "she": true, "he": true, "they": true, "i": true}

// sentencesOf splits text into sentences and the items of lists.
func sentencesOf(text string) []string {
	var out []string
	start := 0
	cut := func(to int) {
		if s := strings.TrimSpace(text[start:to]); s != "" {
			out = append(out, s)
		}
		start = to
	}
	for i, r := range text {
		next := i + utf8.RuneLen(r)
		if r == utf8.RuneError {
			continue
		}
		after, _ := utf8.DecodeRuneInString(text[next:])
		if r == '\n' || r == ';' || (r == '.' || r == '!' || r == '?') && (next == len(text) || unicode.IsSpace(after)) {
			cut(next)
		}
	}
	cut(len(text))
	return out
}

// doubleMeaning are abbreviations that also mean something else in a note (emergency
// department, room air, urgent care, physical examination, capsule, milliseconds, to add):
// they count where they are written in capitals, in the assessment, and not after a word
// or number that speaks of a place, a dose or a measure.
var doubleMeaning = map[string]bool{"ed": true, "ra": true, "uc": true, "pe": true, "ms": true, "add": true, "cap": true, "pad": true,
	"hl": true, "om": true, "af": true, "oe": true, "arf": true, "ha": true, "cp": true}

var ofPlaces = map[string]bool{"in": true, "to": true, "at": true, "from": true, "the": true, "on": true, "via": true, "by": true,
	"local": true, "per": true, "an": true}

var asked = regexp.MustCompile(`\?(\pL)`)

// shorthand are letters that stand for a side or a limb with its side, and parts of limbs.
var shorthand = map[string][]string{
	"r": {"right"}, "rt": {"right"}, "l": {"left"}, "lt": {"left"}, "both": {"bilateral"}, "bilat": {"bilateral"}, "bl": {"bilateral"},
	"rle": {"right", "lower", "limb"}, "lle": {"left", "lower", "limb"}, "rue": {"right", "upper", "limb"}, "lue": {"left", "upper", "limb"},
	"hand": {"upper", "limb"}, "forearm": {"upper", "limb"}, "arm": {"upper", "limb"}, "foot": {"lower", "limb"}, "shin": {"lower", "limb"},
	"calf": {"lower", "limb"}, "leg": {"lower", "limb"}, "thigh": {"lower", "limb"},
}

// listen marks each word with the sense that the triggers around it give it.
func listen(ws []string, out []token) {
	at := func(i int, phrase []string) bool {
		return i+len(phrase) <= len(ws) && slices.Equal(ws[i:i+len(phrase)], phrase)
	}
	type spoken struct{ trigger, at int }
	var heard []spoken
	calm, taken := make([]bool, len(ws)), make([]bool, len(ws))
	for i, w := range ws {
		for _, phrase := range calming[w] {
			if at(i, phrase) {
				for k := range phrase {
					calm[i+k] = true
				}
			}
		}
	}
	for i, w := range ws {
		for _, k := range startingWith[w] {
			if !calm[i] && at(i, allTriggers[k].words) {
				heard = append(heard, spoken{k, i})
			}
		}
	}
	slices.SortStableFunc(heard, func(a, b spoken) int { return a.trigger - b.trigger }) // the longest first
	for _, h := range heard {
		t, i := allTriggers[h.trigger], h.at
		if t.after {
			for k, n := i-1, 0; k >= 0 && n < t.reach && !t.ends()[ws[k]]; k, n = k-1, n+1 {
				out[k].sense |= t.sense
			}
			continue
		}
		if taken[i] {
			continue
		}
		for k := range t.words {
			taken[i+k] = true
		}
		for k, n := i+len(t.words), 0; k < len(ws) && (t.reach == 0 || n < t.reach) && !t.ends()[ws[k]] &&
			(ws[k] != "with" || t.sense != denied); k, n = k+1, n+1 {
			out[k].sense |= t.sense
		}
	}
}

// ends are the words that end the reach of a trigger.
func (t trigger) ends() map[string]bool {
	if t.sense&others != 0 {
		return backToPatient
	}
	return enders
}

// typeOne finds the type of a diabetes named anywhere in a note.
var typeOne = regexp.MustCompile(`(?i)\b(type (1|i) (diabetes|dm)|diabetes( mellitus)?,? type (1|i)|t1dm|dm ?1|iddm)\b`)

// typeOf says which type "diabetic" means in a note: 2 where no other is documented
// (ICD-10-CM guidelines, I.C.4.a.2).
func typeOf(note []Passage) string {
	if slices.ContainsFunc(note, func(p Passage) bool { return typeOne.MatchString(p.Text) }) {
		return "1"
	}
	return "2"
}

// tokens reads a sentence of a part of the note into words with their senses. diabetes
// is the type that "diabetic" means in this note.
func (r *Reader) tokens(sentence, part, diabetes string) []token {
	said := sentence
	if strings.Contains(said, "?") { // "?PE"
		said = asked.ReplaceAllString(said, " possible $1")
	}
	if strings.Contains(said, "(") { // "DM (-)"
		said = minusSign.ReplaceAllString(said, " negative ")
	}
	if strings.ContainsAny(said, "'’") { // "sister's breast cancer"
		said = possessive.ReplaceAllString(said, "")
	}
	if strings.ContainsAny(said, "><") || strings.Contains(said, " than ") { // "R worse than L"
		said = moreOnOne.ReplaceAllString(said, "bilateral")
	}
	raw := split(said)
	clauses := make([]int, 0, len(raw))
	for k, c := range clausesOf(said) {
		for range split(c) {
			clauses = append(clauses, k)
		}
	}
	ws := make([]string, len(raw))
	out := make([]token, len(raw))
	for i, w := range raw {
		ws[i] = strings.ToLower(w)
		out[i] = token{stems: []string{stem(ws[i])}, clause: clauses[min(i, len(clauses)-1)]}
		switch {
		case i > 0 && isNumber(ws[i-1]): // the liters of "2 L"
		case ws[i] == "l" && i > 0 && ws[i-1] == "b":
			out[i].stems = append(out[i].stems, "bilateral")
		case ws[i] == "diabetic":
			out[i].stems = append(out[i].stems, "diabete", diabetes)
		default:
			out[i].stems = append(out[i].stems, shorthand[ws[i]]...)
		}
	}
	listen(ws, out)
	// A year or an age in the past makes the sentence's "had" and "in" past; a bare
	// year alone dates a mention: "gallstones in 2008".
	for i, w := range ws {
		if len(w) == 4 && (strings.HasPrefix(w, "19") || strings.HasPrefix(w, "20")) && i > 0 && ws[i-1] == "in" {
			for k := range i {
				out[k].sense |= past
			}
		}
		if len(w) == 4 && (strings.HasPrefix(w, "19") || strings.HasPrefix(w, "20")) && isNumber(w) && i > 0 && !begun(ws[max(0, i-3):i]) {
			for k := i - 1; k >= 0 && out[k].clause == out[i].clause; k-- {
				out[k].dated = true
			}
		}
	}
	if strings.HasSuffix(sentence, "?") {
		for i := range out {
			out[i].sense |= unsure
		}
	}
	for i := 0; i < len(ws); {
		taken := 1 // the longest phrase wins at each place
		for n := min(r.longest, len(ws)-i); n >= 1; n-- {
			means, ok := r.everyday[strings.Join(stems(withoutSides(ws[i:i+n])), " ")]
			if !ok || doubleMeaning[ws[i]] && n == 1 && (part != "assessment" || raw[i] != strings.ToUpper(raw[i]) || i > 0 &&
				(ofPlaces[ws[i-1]] || isNumber(ws[i-1]))) {
				continue
			}
			out[i].stems = append(out[i].stems, means...)
			taken = n
			break
		}
		i += taken
	}
	return out
}

// minusSign is a denial behind what it is said of: "DM (-)", "pneumonia: none".
var minusSign = regexp.MustCompile(`\(\s*[-–]\s*\)`)

var possessive = regexp.MustCompile(`['’]s\b`)

// clausesOf parts a sentence at its commas.
func clausesOf(s string) []string { return strings.Split(s, ",") }

// begun says whether a year is when something began, and not when it was.
func begun(before []string) bool {
	return slices.ContainsFunc(before, func(w string) bool {
		return slices.Contains([]string{"since", "from", "diagnosed", "dx", "dxd", "onset", "began", "started", "starting", "until"}, w)
	})
}

// withoutSides leaves sides out of a phrase, which may stand within it: "fracture of left
// distal radius".
func withoutSides(ws []string) []string {
	if len(ws) < 3 || !slices.ContainsFunc(ws[1:], func(w string) bool { return w == "left" || w == "right" || w == "l" || w == "r" }) {
		return ws
	}
	return slices.DeleteFunc(slices.Clone(ws), func(w string) bool { return w == "left" || w == "right" || w == "l" || w == "r" })
}

func isNumber(w string) bool { return w[0] >= '0' && w[0] <= '9' }
