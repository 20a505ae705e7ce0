package result

import (
	"fmt"
	"math"
	"strings"
	"unicode"

	"deftledger/core/chart"
)

// Meaning is what a clinician says that a report means for the patient. Nothing is said of it where nobody chose.
type Meaning string

// The meanings there are.
const (
	Unsaid  Meaning = ""
	Good    Meaning = "good news"
	Nothing Meaning = "nothing to do"
	Follows Meaning = "something follows"
)

// Meanings are those that can be chosen, in order.
var Meanings = []Meaning{Good, Nothing, Follows}

// Tell writes of one report what a patient reads of it: what was measured, in plain words with unit and the laboratory's range, what
// stands out of it first; and what it means, where somebody said so. What was not judged is not called in range. call is how the
// practice is reached.
func Tell(title, day string, values []Value, m Meaning, call string) string {
	body, end := told(title, day, values)
	return body + ending(m, end, call)
}

// TellAll writes what Tell does for each meaning, unsaid first; the values are read once.
func TellAll(title, day string, values []Value, call string) map[Meaning]string {
	body, end := told(title, day, values)
	out := map[Meaning]string{Unsaid: body}
	for _, m := range Meanings {
		out[m] = body + ending(m, end, call)
	}
	return out
}

// told is what was measured, and what stands before what it means.
func told(title, day string, values []Value) (body, end string) {
	var out, in []string
	unjudged, gone := 0, 0
	written, marked, drugs := false, false, 0
	shown := map[int]bool{} // what stands in a table; texts, files and susceptibilities are not told value by value
	laid := Lay(values, "")
	for _, i := range laid.Rows {
		shown[i] = true
	}
	for _, c := range laid.Cultures {
		drugs += len(c.Drugs)
	}
	for i, v := range values {
		s := Stand(v)
		if !shown[i] {
			written = written || len(laid.First)+len(laid.Sections)+len(laid.Attached) > 0
			marked = marked || s.Abnormal && drugs == 0
			continue
		}
		said := v.Name + ": " + strings.TrimSpace(v.Text+" "+chart.ShownUnit(v.Unit))
		if v.Range != "" {
			said += " (the laboratory's range is " + v.Range + ")"
		}
		switch {
		case !Live(v.Status) || v.Text == "":
			gone++
		case s.Abnormal || s.Side == Above || s.Side == Below:
			switch s.Side {
			case Above:
				said += ", which is above the range"
			case Below:
				said += ", which is below the range"
			default:
				said += ", which the laboratory marked"
			}
			out = append(out, said)
		case s.Side == In:
			in = append(in, said+", which is in the range")
		default:
			out = append(out, said)
			unjudged++
		}
	}
	var b strings.Builder
	fmt.Fprintf(&b, "Your test “%s”", title)
	if day != "" {
		b.WriteString(" of " + day)
	}
	b.WriteString(" is back.")
	const most = 3 // so many in range are named one by one
	switch {
	case len(values) == 0 || gone == len(values):
		b.WriteString(" It came as a written report, or without a value.")
	case len(out)+len(in) == 0:
		if marked {
			b.WriteString(" It was marked as not usual.")
		}
	case len(out) == 0 && len(in) > most:
		fmt.Fprintf(&b, " All %d values are in the laboratory's range.", len(in))
	default:
		for _, x := range out {
			b.WriteString("\n- " + x + ".")
		}
		if len(in) > most {
			fmt.Fprintf(&b, "\n- The other %d values are in the laboratory's range.", len(in))
		} else {
			for _, x := range in {
				b.WriteString("\n- " + x + ".")
			}
		}
		if unjudged > 0 {
			b.WriteString("\nWhere no range stands, there is none to compare with.")
		}
	}
	if drugs > 0 {
		b.WriteString("\nWhich medicines work against it was tested too.")
	}
	if written {
		b.WriteString(" It came as a written report.")
	}
	end = "\n"
	if len(out)+len(in) == 0 && drugs == 0 || len(out) == 0 && len(in) > most {
		end = " "
	}
	return b.String(), end
}

// ending is what a report means for the patient.
func ending(m Meaning, end, call string) string {
	switch m {
	case Good:
		return end + "This is good news."
	case Nothing:
		return end + "You need to do nothing about it."
	case Follows:
		says := end + "Something has changed, and we should talk about it. Please call us"
		if call != "" {
			says += " at " + call
		}
		return says + "."
	}
	return ""
}

// Grade is the school grade at which a text reads, by the formula of Flesch and Kincaid (Kincaid and others, Naval Technical Training
// Command, Research Branch Report 8-75, 1975): 0.39 words a sentence + 11.8 syllables a word - 15.59. Numbers, and what stands in no
// letters, are left out. ok is false where there are no words.
func Grade(text string) (grade float64, ok bool) {
	sentences, words, syllables := 0, 0, 0
	for line := range strings.Lines(text) {
		open := false
		for _, w := range strings.Fields(line) {
			letters := strings.TrimFunc(w, func(r rune) bool { return !unicode.IsLetter(r) })
			if letters != "" {
				words, open = words+1, true
				syllables += syllablesOf(letters)
			}
			if open && strings.ContainsAny(w[len(w)-1:], ".!?:") {
				sentences, open = sentences+1, false
			}
		}
		if open {
			sentences++ // a line of a list
		}
	}
	if words == 0 {
		return 0, false
	}
	g := 0.39*float64(words)/float64(max(1, sentences)) + 11.8*float64(syllables)/float64(words) - 15.59
	return math.Round(g*10) / 10, true
}

// syllablesOf counts groups of vowels; a silent e at the end is none, and "iu" is two, as in potassium.
func syllablesOf(word string) int {
	n, before := 0, ' '
	lower := strings.ToLower(word)
	for _, r := range lower {
		if strings.ContainsRune("aeiouy", r) && (!strings.ContainsRune("aeiouy", before) || before == 'i' && r == 'u') {
			n++
		}
		before = r
	}
	if strings.HasSuffix(lower, "e") && !strings.HasSuffix(lower, "le") && n > 1 {
		n--
	}
	return max(1, n)
}
