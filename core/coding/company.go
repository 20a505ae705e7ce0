package coding

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// company brings what stands together in a note into the codes that the guidelines have for
// it together: what the classification presumes to be related, what a status says of a
// medicine that is taken for a condition, the mass index beside a weight.
func (r *Reader) company(out []Supported, note []Passage, about Visit, diabetes string) []Supported {
	out = r.heartAndKidney(out)
	if len(out) == 0 {
		return out
	}
	add := func(code string, p Passage, sentence string, like Supported) {
		e, ok := r.c.Lookup(code)
		if ok && e.Billable && !slices.ContainsFunc(out, func(s Supported) bool { return s.Code == e.Code }) {
			out = append(out, Supported{Entry: e, Words: sentence, Part: p.Part, Score: like.Score / 2})
		}
	}
	has := func(begins string) (Supported, bool) {
		for _, s := range out {
			for _, b := range strings.Fields(begins) {
				if strings.HasPrefix(s.Code, b) {
					return s, true
				}
			}
		}
		return Supported{}, false
	}
	weight, heavy := has("E66 R63.4 R63.5 R63.6")
	heavy = heavy && about.Months >= 240
	mind, fading := has("G30 G31.83 G20 G31.09")
	for _, p := range note {
		// What is begun today is not taken for long, and in passing a medicine stands on its list, or does not.
		if p.Part == "plan" || p.Part != "assessment" && !heavy {
			continue
		}
		for _, sentence := range sentencesOf(p.Text) {
			lower := strings.ToLower(sentence)
			if heavy && strings.Contains(lower, "bmi") {
				if m := massIndex.FindStringSubmatch(lower); m != nil {
					n, _ := strconv.ParseFloat(m[1], 64)
					add(massIndexCode(n), p, sentence, weight)
				}
			}
			if p.Part != "assessment" {
				continue
			}
			for _, t := range takenFor {
				for _, name := range t.names {
					if !strings.Contains(lower, name) {
						continue
					}
					if s, ok := has(t.with); ok && r.taken(sentence, p.Part, diabetes, name) {
						add(t.code, p, sentence, s)
					}
				}
			}
			if fading && strings.Contains(lower, "dementia") && calm(lower) {
				add("F02."+degree(lower)+"0", p, sentence, mind)
			}
		}
	}
	return out
}

// heartAndKidney: the classification presumes that hypertension, heart failure and chronic
// kidney disease are related, unless the documentation says they are not (guideline I.C.9.a).
func (r *Reader) heartAndKidney(out []Supported) []Supported {
	kidney, failing := "", false
	for _, s := range out {
		if strings.HasPrefix(s.Code, "N18") {
			kidney = s.Code
		}
		failing = failing || strings.HasPrefix(s.Code, "I50")
	}
	late := kidney == "N18.5" || kidney == "N18.6"
	code := ""
	switch {
	case kidney != "" && failing && late:
		code = "I13.2"
	case kidney != "" && failing:
		code = "I13.0"
	case kidney != "" && late:
		code = "I12.0"
	case kidney != "":
		code = "I12.9"
	case failing:
		code = "I11.0"
	default:
		return out
	}
	at := slices.IndexFunc(out, func(s Supported) bool { return s.Code == "I10" })
	e, ok := r.c.Lookup(code)
	if at < 0 || !ok || apart.MatchString(out[at].Words) {
		return out
	}
	out[at].Entry = e
	return slices.DeleteFunc(out, func(s Supported) bool { return s.Code == code && s.Words != out[at].Words })
}

// apart are the words by which somebody says that the two have nothing to do with each other.
var apart = regexp.MustCompile(`(?i)\b(unrelated|not (due|related) to|independent of)\b`)

var massIndex = regexp.MustCompile(`\bbmi (?:is |of |= ?)?(\d{2}(?:\.\d)?)\b`)

// takenFor are medicines named in a note whose long use has a code beside a condition
// (guideline I.C.21.c.3). Written for family practice; not complete.
var takenFor = []struct {
	names      []string
	code, with string
}{
	{[]string{"apixaban", "warfarin", "rivaroxaban", "dabigatran", "edoxaban"}, "Z79.01", "I26 I27.82 I48 I82 Z86.71 D68 Z95.2"},
	{[]string{"clopidogrel", "ticagrelor", "prasugrel"}, "Z79.02", "I20 I25 I63 I70 I73 Z86.73 Z95"},
	{[]string{"aspirin"}, "Z79.82", "I20 I25 I63 I70 I73 Z86.73 Z95"},
	{[]string{"insulin"}, "Z79.4", "E08 E09 E11 E13"},
	{[]string{"metformin", "glipizide", "glimepiride", "empagliflozin", "dapagliflozin", "sitagliptin", "pioglitazone"}, "Z79.84", "E08 E09 E11 E13"},
	{[]string{"anastrozole", "letrozole", "exemestane"}, "Z79.811", "C50 D05 Z85.3"},
	{[]string{"tamoxifen"}, "Z79.810", "C50 D05 Z85.3"},
	{[]string{"alendronate", "risedronate", "ibandronate", "zoledronic acid"}, "Z79.83", "M80 M81"},
}

// taken says whether a medicine that a sentence names is taken now: not denied, not doubtful,
// not stopped, not somebody else's, and not begun or thought of only.
func (r *Reader) taken(sentence, part, diabetes, name string) bool {
	if begunOrNot.MatchString(sentence) {
		return false
	}
	first, _, _ := strings.Cut(name, " ")
	ws := split(sentence)
	toks := r.tokens(sentence, part, diabetes)
	for i, w := range ws {
		if i < len(toks) && strings.EqualFold(w, first) {
			return toks[i].sense == 0
		}
	}
	return false
}

var begunOrNot = regexp.MustCompile(`(?i)\b(start|starting|begin|begun|consider|discuss|discussed|declined|declines|refuses|refused|allergy|allergic|intolerant|intolerance|off|hold|held|stop|stopped|resistance|resistant)\b`)

// calm says that nothing of behavior, mood or psychosis is told, or that it is denied.
func calm(lower string) bool {
	if strings.Contains(lower, "no behavioral") || strings.Contains(lower, "without behavioral") || strings.Contains(lower, "w/o behavioral") {
		return true
	}
	return !troubled.MatchString(lower)
}

var troubled = regexp.MustCompile(`behavior|agitat|aggress|psycho|hallucin|delusion|mood|depress|anxi|wander`)

// degree is the fourth character by which F02 says how severe a dementia is.
func degree(lower string) string {
	for _, d := range []struct{ word, char string }{{"mild", "A"}, {"moderate", "B"}, {"severe", "C"}} {
		if strings.Contains(lower, d.word) {
			return d.char
		}
	}
	return "8"
}

// moreOnOne is "R worse than L", which is both sides.
var moreOnOne = regexp.MustCompile(`(?i)\b(?:r|rt|l|lt|right|left) ?(?:>|<|worse than|greater than|more than|less than) ?(?:r|rt|l|lt|right|left)\b`)
