package note

import (
	"regexp"
	"slices"
	"strings"
)

// sign is what a saying of a line says of what it names.
type sign int

const (
	none   sign = iota
	no          // "no", "without", "neg"
	denies      // "denies", "negative for": reaches on
	minus       // "-", "(-)": of one thing
	plus        // "+", "(+)", "positive for"
	tells       // "reports", "has"
	skip        // "skip": taken out again
	bring       // "<"
	but         // ends a list
	except      // "all negative except"
	all         // "."
)

// saying is a piece of a sentence with one sign.
type saying struct {
	sign   sign
	words  []string // in lower case
	text   string   // as typed
	behind bool     // the sign stood behind: "fever: no"
	twice  bool     // two signs, one after the other
	colon  bool     // words up to the first colon name a system
	at     int      // where the colon stands among the words
	soft   bool     // the sentence began behind a semicolon
	quote  bool
	whole  bool // of "except": of all that was asked
	not    bool // "not", which denies how somebody is, never what is there
	or     bool // begins with "or"
	but    bool // begins with "but": it may turn what stands before it
	cut    bool // a sign follows without a comma: "knee no …" names the knee
	tight  bool // the sign is written to the last word: "n(+) v(-)"
}

func (p saying) onlySign() bool {
	return len(p.words) == 1 && (answers[p.words[0]] != none) || len(p.words) == 0 && p.sign != none && p.sign != all && p.sign != but
}

// answers are signs that stand behind what they are said of.
var answers = map[string]sign{"no": no, "none": no, "neg": no, "negative": no, "absent": no, "denied": no, "(-)": no, "-": no,
	"yes": plus, "pos": plus, "positive": plus, "present": plus, "(+)": plus, "+": plus, "++": plus}

// opens are signs that stand before; longer ones first.
var opens = []struct {
	words []string
	sign  sign
}{
	{[]string{"negative", "for"}, denies}, {[]string{"neg", "for"}, denies}, {[]string{"positive", "for"}, plus}, {[]string{"pos", "for"}, plus},
	{[]string{"complains", "of"}, tells}, {[]string{"complaining", "of"}, tells}, {[]string{"c/o"}, tells}, {[]string{"admits", "to"}, tells},
	{[]string{"doesn't", "have"}, no}, {[]string{"doesnt", "have"}, no}, {[]string{"does", "not", "have"}, no}, {[]string{"did", "not", "have"}, no},
	{[]string{"didn't", "have"}, no}, {[]string{"hasn't", "had"}, no}, {[]string{"hasnt", "had"}, no}, {[]string{"has", "not", "had"}, no},
	{[]string{"no", "signs", "of"}, no}, {[]string{"no", "evidence", "of"}, no},
	{[]string{"denies"}, denies}, {[]string{"denied"}, denies}, {[]string{"denying"}, denies}, {[]string{"deny"}, denies},
	{[]string{"no"}, no}, {[]string{"without"}, no}, {[]string{"w/o"}, no}, {[]string{"wo"}, no}, {[]string{"nor"}, no}, {[]string{"not"}, no},
	{[]string{"neg"}, no}, {[]string{"negative"}, no}, {[]string{"(-)"}, minus}, {[]string{"-"}, minus},
	{[]string{"pos"}, plus}, {[]string{"positive"}, plus}, {[]string{"(+)"}, plus}, {[]string{"+"}, plus},
	{[]string{"has"}, tells}, {[]string{"have"}, tells}, {[]string{"having"}, tells}, {[]string{"reports"}, tells}, {[]string{"reported"}, tells},
	{[]string{"reporting"}, tells}, {[]string{"endorses"}, tells}, {[]string{"endorsed"}, tells}, {[]string{"admits"}, tells},
	{[]string{"admitted"}, tells}, {[]string{"states"}, tells}, {[]string{"says"}, tells}, {[]string{"describes"}, tells}, {[]string{"notes"}, tells}, {[]string{"some"}, tells},
	{[]string{"but"}, but}, {[]string{"however"}, but}, {[]string{"though"}, but}, {[]string{"although"}, but},
	{[]string{"skip"}, skip},
}

// empty words carry nothing: who speaks, and that it was looked for.
var subjects = map[string]bool{"pt": true, "patient": true, "he": true, "she": true, "they": true, "the": true, "also": true, "there": true,
	"is": true, "are": true, "and": true}
var looked = map[string]bool{"any": true, "noted": true, "appreciated": true, "heard": true, "palpated": true, "seen": true, "palpable": true,
	"visible": true, "detected": true, "present": true, "reported": true, "at": true, "all": true}

// turning words may turn what stood before them; what they say is not read.
var turning = map[string]bool{"resolved": true, "improved": true, "improving": true, "better": true, "gone": true, "stopped": true, "none": true,
	"now": true, "not": true, "no": true, "longer": true, "unsure": true, "maybe": true, "possibly": true, "possible": true, "unlikely": true, "doubt": true,
	"yesterday": true, "last": true, "ago": true, "past": true, "previously": true, "previous": true, "prior": true, "old": true, "history": true,
	"hx": true, "h/o": true, "unchanged": true, "denied": true, "denies": true, "absent": true, "negative": true, "neg": true, "ruled": true,
	"never": true, "less": true, "until": true, "before": true, "per": true, "questionable": true, "unclear": true, "intermittent": false,
	"limited": true, "deferred": true, "cleared": true, "subsided": true, "baseline": true, "chronic": false}

// hindered says that something could not be looked at or asked.
var hindered = map[string]bool{"unable": true, "could": true, "couldn't": true, "cannot": true, "can't": true, "refused": true, "refuses": true,
	"declined": true, "declines": true, "difficult": true, "poor": true, "uncooperative": true}

// people other than the patient: what is said of them is not the patient's.
var people = map[string]bool{"wife": true, "husband": true, "mother": true, "father": true, "mom": true, "dad": true, "son": true, "daughter": true,
	"sister": true, "brother": true, "partner": true, "family": true, "roommate": true, "contact": true, "contacts": true, "child": true,
	"parent": true, "parents": true, "friend": true, "spouse": true, "sibling": true, "siblings": true, "coworker": true}

// written out before anything is read; only where the letters stand for it in both areas.
var groups = map[Area]map[string]string{
	Review: {"n/v": "nausea and vomiting", "n/v/d": "nausea and vomiting and diarrhea", "n/v/d/c": "nausea and vomiting and diarrhea and constipation",
		"n/v/c/d": "nausea and vomiting and constipation and diarrhea", "v/d": "vomiting and diarrhea", "n/d": "nausea and diarrhea",
		"f/c": "fever and chills", "f/c/ns": "fever and chills and night sweats", "f/c/s": "fever and chills and night sweats", "f/s/c": "fever and night sweats and chills",
		"f/c/n/v": "fever and chills and nausea and vomiting", "f/c/n/v/d": "fever and chills and nausea and vomiting and diarrhea",
		"si/hi": "suicidal thoughts and homicidal thoughts", "d/c": "discharge", "b/l": "both", "w/": "with",
		"rlq": "right lower quadrant", "ruq": "right upper quadrant", "llq": "left lower quadrant", "luq": "left upper quadrant"},
	Examination: {"m/r/g": "murmur and rub and gallop", "m/g/r": "murmur and gallop and rub", "r/m/g": "rub and murmur and gallop", "g/m/r": "gallop and murmur and rub",
		"mrg": "murmur and rub and gallop", "mgr": "murmur and gallop and rub", "rmg": "rub and murmur and gallop", "od": "right", "os": "left", "ou": "both",
		"i/vi": "1/6", "ii/vi": "2/6", "iii/vi": "3/6", "iv/vi": "4/6", "w/r/r": "wheeze and rales and rhonchi", "r/r/w": "rales and rhonchi and wheeze", "w/c/r": "wheeze and crackles and rhonchi",
		"c/c/e": "clubbing and cyanosis and edema", "s/nt/nd": "abdomen soft nt nd", "soft/nt/nd": "abdomen soft nt nd", "nt/nd": "nt nd", "ntnd": "nt nd", "s1/s2": "s1s2",
		"r/g": "rebound and guarding", "g/r": "guarding and rebound", "hsm": "hepatomegaly and splenomegaly", "organomegaly": "hepatomegaly and splenomegaly",
		"hepatosplenomegaly": "hepatomegaly and splenomegaly", "si/hi": "suicidal thoughts", "b/l": "both", "w/": "with",
		"rlq": "right lower quadrant", "ruq": "right upper quadrant", "llq": "left lower quadrant", "luq": "left upper quadrant",
		"rusb": "right upper sternal border", "lsb": "left sternal border", "bibasilar": "both bases", "epigastric": "epigastrium",
		"sem": "systolic ejection murmur", "suprapubic": "above pubis"},
}

var tokenEnd = regexp.MustCompile(`^(.*[^,;:.?!()])([,;:.?!)]+)$`)

// headings stand over several systems of the examination and are none.
var headings = map[Area][]string{Examination: {"heent:", "ent:", "exam:", "pe:"}, Review: {"ros:"}}

// sentences parts a line into sentences, and those into phrases.
func (r *lineReader) sentences(line string) [][]saying {
	var out [][]saying
	var toks []string
	soft, next := false, false
	flush := func(by bool) {
		soft = next
		if ps := sayings(toks, soft); len(ps) > 0 {
			out = append(out, ps)
		}
		toks, next = nil, by
	}
	rest := line
	for {
		rest = strings.TrimLeft(rest, " \t\r")
		if rest == "" {
			break
		}
		if rest[0] == '\n' {
			flush(false)
			rest = rest[1:]
			continue
		}
		if rest[0] == '"' {
			end := strings.IndexByte(rest[1:], '"')
			if end < 0 {
				rest = strings.Replace(rest, "\"", " ", 1)
				continue
			}
			toks = append(toks, ",", rest[:end+2], ",")
			rest = rest[end+2:]
			continue
		}
		end := strings.IndexAny(rest, " \t\r\n\"")
		if end < 0 {
			end = len(rest)
		}
		w := rest[:end]
		rest = rest[end:]
		if slices.Contains(headings[r.area], strings.ToLower(w)) {
			continue
		}
		if w == "." {
			toks = append(toks, ",", ".", ",")
			continue
		}
		if at := strings.Index(w, ".."); at >= 0 && strings.Trim(w[at:], ".") == "" || strings.HasSuffix(w, "…") { // what is left out may turn what follows
			if w = strings.TrimRight(w, ".…"); w != "" {
				toks = append(toks, r.written(w)...)
			}
			flush(true)
			continue
		}
		stop := ""
		for _, t := range punctuated(w) {
			switch t {
			case ";":
				stop = ";"
			case "end":
				stop = "."
			default:
				toks = append(toks, r.written(t)...)
				continue
			}
			flush(stop == ";")
		}
	}
	flush(false)
	return out
}

// written writes out what letters stand for, and parts "fever/chills" where each is a name.
func (r *lineReader) written(t string) []string {
	low := strings.ToLower(t)
	if low == "n/a" || low == "na" { // it does not apply, and is no nausea
		return []string{"not", "applicable"}
	}
	if full, ok := groups[r.area][low]; ok {
		return strings.Fields(full)
	}
	if hyphen.MatchString(t) && !strings.Contains(t, "/") {
		return strings.Fields(unhyphened(t))
	}
	parts := strings.Split(low, "/")
	if len(parts) < 2 {
		return []string{t}
	}
	var out []string
	for k, p := range parts {
		one := []string{p}
		if full, ok := groups[r.area][p]; ok {
			one = strings.Fields(full)
		} else if k == len(parts)-1 && k > 0 {
			one = []string{p} // "sweats/weight loss": its name may go on
		} else if h, _ := r.s.matchItem(r.area, r.s.ids(r.area), one, Present, false); h.c.Finding == "" && !words.MatchString(low) {
			return []string{t}
		}
		if k > 0 {
			out = append(out, "and")
		}
		out = append(out, one...)
	}
	return out
}

// words with a stroke between, each long enough for a word of its own: "weight loss/night sweats".
var words = regexp.MustCompile(`^[a-z]{4,}(?:/[a-z]{4,})+$`)

// punctuated parts one word from the signs written to it.
func punctuated(w string) []string {
	var before, after []string
	if strings.HasPrefix(w, "+/-") || strings.HasPrefix(w, "±") {
		cut := len("+/-")
		if w[0] != '+' {
			cut = len("±")
		}
		if w == w[:cut] {
			return []string{w}
		}
		return append([]string{w[:cut]}, punctuated(w[cut:])...)
	}
	for _, p := range []string{"(+)", "(-)", "(–)"} {
		if r, ok := strings.CutPrefix(w, p); ok {
			before, w = append(before, strings.Replace(p, "–", "-", 1)), r
		}
	}
	switch {
	case w == "":
		return before
	case strings.HasPrefix(w, "<") && len(w) > 1:
		before, w = append(before, "<"), w[1:]
	case len(w) > 1 && (w[0] == '+' || w[0] == '-') && w != "++" && !(w[1] >= '0' && w[1] <= '9'):
		before, w = append(before, "("+w[:1]+")"), w[1:]
	}
	if r, ok := strings.CutPrefix(w, "("); ok && w != "(-)" && w != "(+)" {
		before, w = append(before, ","), r
	}
	for {
		switch {
		case strings.HasSuffix(w, "(-)") && len(w) > 3:
			after, w = append(after, "-~"), w[:len(w)-3]
		case strings.HasSuffix(w, "(+)") && len(w) > 3:
			after, w = append(after, "+~"), w[:len(w)-3]
		case tokenEnd.MatchString(w):
			m := tokenEnd.FindStringSubmatch(w)
			w = m[1]
			for k := len(m[2]) - 1; k >= 0; k-- {
				switch c := m[2][k : k+1]; c {
				case ".", "!":
					after = append(after, "end")
				case ")":
					after = append(after, ",")
				case "?":
					after = append(after, "?")
				default:
					after = append(after, c)
				}
			}
		case strings.HasSuffix(w, "++") && len(w) > 2 && !grade.MatchString(w):
			after, w = append(after, "+~"), w[:len(w)-2]
		case len(w) > 1 && (w[len(w)-1] == '+' || w[len(w)-1] == '-') && !grade.MatchString(w) && w != "++":
			after, w = append(after, w[len(w)-1:]+"~"), w[:len(w)-1]
		default:
			slices.Reverse(after)
			if strings.Trim(w, ",;:.?!") == "" {
				for _, c := range w {
					switch c {
					case ',', ';', ':', '?':
						after = append(after, string(c))
					default:
						after = append(after, "end")
					}
				}
				return append(before, after...)
			}
			return append(append(before, w), after...)
		}
	}
}

var grade = regexp.MustCompile(`^(?:[0-4]\+{1,4}|[0-6][+-]?/[456]|trace|[1-4]\+-[1-4]\+)$`)

// phrases parts a sentence at commas and at signs.
func sayings(toks []string, soft bool) []saying {
	var out []saying
	p, open := saying{soft: soft}, false
	var text []string
	end := func() {
		p.text = strings.NewReplacer("(-) ", "-", "(+) ", "+").Replace(strings.Join(text, " "))
		if (len(p.words) > 0 || p.sign == no && p.behind) && p.sign != except && wholeNegative(p) {
			p = saying{sign: all, text: p.text, soft: soft}
		}
		if open || len(p.words) > 0 || p.sign != none {
			out = append(out, p.closed())
		}
		p, open, text = saying{soft: soft}, false, nil
	}
	lower := make([]string, len(toks))
	for i, t := range toks {
		lower[i] = strings.ToLower(strings.NewReplacer("–", "-", "—", "-", "’", "'").Replace(t))
	}
	for i := 0; i < len(toks); i++ {
		t := lower[i]
		switch {
		case t == ",":
			end()
			continue
		case t == ".":
			end()
			out = append(out, saying{sign: all, text: ".", soft: soft})
			continue
		case strings.HasPrefix(t, "\""):
			end()
			out = append(out, saying{quote: true, text: toks[i], soft: soft})
			continue
		case t == ":":
			// "no: fever", "fever: no", "knee: effusion"
			if len(p.words) > 0 && !p.colon {
				p.colon, p.at = true, len(p.words)
			}
			if len(text) > 0 {
				text[len(text)-1] += ":"
			}
			continue
		case t == "?":
			p.words = append(p.words, "?")
			if len(text) > 0 {
				text[len(text)-1] += "?"
			} else {
				text = append(text, "?")
			}
			continue
		case t == "-~" || t == "+~":
			toks[i] = "(" + t[:1] + ")"
			if len(p.words) == 0 || p.sign != none {
				p.twice = true
			} else {
				p.sign, p.behind, p.tight = answers[toks[i]], true, true
			}
			text = append(text, toks[i])
			if i+1 < len(toks) && (sideOf(lower[i+1]) != "" || lower[i+1] == "on") {
				continue // "slr+ on the left"
			}
			end()
			continue
		case t == "<":
			if len(p.words) > 0 || p.sign != none {
				end()
			}
			p.sign, open = bring, true
			text = append(text, "<")
			continue
		case t == "all" && i+1 < len(toks) && lower[i+1] == "but":
			end()
			i++
			p, open = saying{sign: except, soft: soft}, true
			text = append(text, "all but")
			continue
		case t == "except" || t == "except:" || t == "excepting":
			whole := len(p.words) > 0 && wholeNegative(p)
			if !whole && (len(p.words) > 0 || p.sign != none) {
				end()
			}
			if whole {
				text = append(text, toks[i])
				p = saying{sign: except, whole: true, soft: soft}
			} else {
				p = saying{sign: except, soft: soft}
				text = append(text, toks[i])
			}
			open = true
			if i+1 < len(toks) && (lower[i+1] == "for" || lower[i+1] == ":") {
				i++
				text = append(text, toks[i])
			}
			continue
		}
		if (t == "denies" || t == "denied") && p.colon && p.at == len(p.words) && p.sign == none && endsHere(lower[i+1:]) { // "fever, chills: denies"
			p.sign, p.behind, p.colon = no, true, false
			text = append(text, toks[i])
			continue
		}
		// A sign behind: the last word before a comma, the end, a side, or another sign.
		if s := answers[t]; s != none && len(p.words) > 0 && p.sign == none && (endsHere(lower[i+1:]) || strings.HasPrefix(t, "(") && i+1 == len(toks)) {
			p.sign, p.behind = s, true
			text = append(text, toks[i])
			// sides may follow: "slr neg bilat"
			continue
		}
		if t == "+/-" || t == "-/+" || t == "±" || t == "?/-" { // may be
			if len(p.words) > 0 && !endsHere(lower[i+1:]) {
				end()
			}
			p.words, text, open = append(p.words, "?"), append(text, toks[i]), true
			continue
		}
		// "fever - no": a dash before the answer.
		if t == "-" && len(p.words) > 0 && p.sign == none && i+1 < len(toks) {
			if answers[lower[i+1]] != none {
				continue
			}
			p.words, text = append(p.words, t), append(text, t)
			continue
		}
		if n, s := openAt(lower[i:]); n > 0 && !(t == "not" && len(p.words) > 0) {
			if p.sign == tells && len(p.words) == 1 && (p.words[0] == "had" || p.words[0] == "been") {
				p = saying{soft: soft} // "has had no"
			}
			if p.sign == none && !p.colon && len(p.words) > 0 && s != plus && !slices.ContainsFunc(p.words, func(w string) bool { return !subjects[w] }) {
				p.words = nil // "the patient denies"
			}
			switch {
			case len(p.words) == 0 && p.sign == tells && (s == no || s == denies):
				p.sign = s // "reports no chest pain"
			case len(p.words) == 0 && p.sign != none && p.sign != but && p.sign != except:
				p.twice = true
			case len(p.words) > 0 && !(p.colon && p.at == len(p.words)) || p.behind:
				p.cut = true
				end()
			}
			if p.sign == none || p.sign == but || p.twice {
				if !p.twice {
					p.sign = s
				}
			}
			open = true
			p.not = p.not || t == "not"
			text = append(text, toks[i:i+n]...)
			i += n - 1
			continue
		}
		p.words = append(p.words, t)
		text = append(text, toks[i])
	}
	end()
	return out
}

// wholeNegative: "all negative", "ros neg", "all other systems negative", "otherwise negative".
func wholeNegative(p saying) bool {
	all, neg := false, p.sign == no && p.behind
	for _, w := range p.words {
		if !slices.Contains([]string{"all", "ros", "review", "of", "systems", "other", "others", "otherwise", "everything", "else", "negative", "neg",
			"denied", "normal"}, w) {
			return false
		}
		all = all || slices.Contains([]string{"all", "ros", "other", "others", "otherwise", "everything", "else"}, w)
		neg = neg || w == "negative" || w == "neg" || w == "denied" || w == "normal"
	}
	return all && neg
}

func endsHere(after []string) bool {
	for _, t := range after {
		switch {
		case t == "," || t == "end" || t == ";" || strings.HasPrefix(t, "except"):
			return true
		case sideOf(t) != "" || t == "on":
			continue
		case t == "and" || t == "but":
			return true
		case t == "+" || t == "-" || t == "(+)" || t == "(-)" || t == "." || t == "<":
			return true
		default:
			return false
		}
	}
	return true
}

func openAt(toks []string) (int, sign) {
	for _, o := range opens {
		if len(toks) >= len(o.words) && slices.Equal(toks[:len(o.words)], o.words) {
			return len(o.words), o.sign
		}
	}
	return 0, none
}

// closed leaves out the words that carry nothing.
func (p saying) closed() saying {
	for len(p.words) > 1 && p.sign == none && !p.colon && (p.words[0] == "or" || p.words[0] == "and") {
		p.or = p.or || p.words[0] == "or"
		p.words = p.words[1:]
	}
	for len(p.words) > 1 && subjects[p.words[0]] && !p.colon {
		p.words = p.words[1:]
	}
	if len(p.words) == 1 && subjects[p.words[0]] && p.sign != none {
		p.words = nil
	}
	return p
}

func sideOf(t string) string {
	switch t {
	case "left", "l", "lt":
		return "left"
	case "right", "r", "rt":
		return "right"
	case "both", "bilateral", "bilaterally", "bilat", "b/l", "sides":
		return "both"
	}
	return ""
}
