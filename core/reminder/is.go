package reminder

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"unicode"
)

// Is is what a value has to be: ">= 25", "< 5.7", "5.7 to 6.4", "positive", "yes". The figure may be a
// parameter of the rule: ">= $limit".
type Is struct {
	Op    string // "<", "<=", ">", ">=", "=", "to", "word"; "" for any
	N, To float64
	Words []string
	Param string
}

var comparisons = regexp.MustCompile(`^(<=|>=|<|>|=) ?(-?\d+(?:\.\d+)?|\$\w+)$`)
var between = regexp.MustCompile(`^(-?\d+(?:\.\d+)?) to (-?\d+(?:\.\d+)?)$`)

// UnmarshalText reads it.
func (x *Is) UnmarshalText(text []byte) error {
	s := strings.TrimSpace(string(text))
	if m := comparisons.FindStringSubmatch(s); m != nil {
		*x = Is{Op: m[1]}
		if param, ok := strings.CutPrefix(m[2], "$"); ok {
			x.Param = param
			return nil
		}
		x.N, _ = strconv.ParseFloat(m[2], 64)
		return nil
	}
	if m := between.FindStringSubmatch(s); m != nil {
		x.Op = "to"
		x.N, _ = strconv.ParseFloat(m[1], 64)
		x.To, _ = strconv.ParseFloat(m[2], 64)
		if x.To < x.N {
			return fmt.Errorf("%q ends before it begins", s)
		}
		return nil
	}
	if s == "" || strings.ContainsAny(s, "<>=$") {
		return fmt.Errorf("%q is no comparison: write it as \">= 25\", \"5.7 to 6.4\" or a word", s)
	}
	*x = Is{Op: "word"}
	for w := range strings.SplitSeq(s, " or ") {
		x.Words = append(x.Words, strings.ToLower(strings.TrimSpace(w)))
	}
	return nil
}

// MarshalText writes it the same way.
func (x Is) MarshalText() ([]byte, error) { return []byte(x.String()), nil }

// String is the comparison as a rule writes it.
func (x Is) String() string {
	switch {
	case x.Op == "":
		return ""
	case x.Op == "word":
		return strings.Join(x.Words, " or ")
	case x.Param != "":
		return x.Op + " $" + x.Param
	case x.Op == "to":
		return figureText(x.N) + " to " + figureText(x.To)
	}
	return x.Op + " " + figureText(x.N)
}

func figureText(n float64) string { return strconv.FormatFloat(n, 'f', -1, 64) }

// says is the comparison in words.
func (x Is) says() string {
	switch x.Op {
	case "<":
		return "below " + figureText(x.N)
	case "<=":
		return "at most " + figureText(x.N)
	case ">":
		return "above " + figureText(x.N)
	case ">=":
		return "at least " + figureText(x.N)
	case "=":
		return figureText(x.N)
	}
	return x.String()
}

var valueText = regexp.MustCompile(`^(<=|>=|<|>)? ?(-?\d+(?:\.\d+)?)$`)

// Words of results that mean the same; what is in neither list is not known. NILM: negative for
// intraepithelial lesion or malignancy (Bethesda System 2014).
var (
	positives = []string{"positive", "reactive", "detected", "present", "pos", "abnormal"}
	negatives = []string{"negative", "nonreactive", "non-reactive", "not detected", "none detected", "absent", "neg", "non reactive", "undetected", "not reactive", "nilm"}
)

// sideOf says whether a result is a positive one (1), a negative one (-1), or neither for certain (0). It is by its first
// word where nothing after it speaks of the other: "negative for occult blood".
func sideOf(s string) int {
	if has(positives, s) {
		return 1
	}
	if has(negatives, s) {
		return -1
	}
	first, rest, _ := strings.Cut(s, " ")
	first = strings.TrimRight(first, ",;:")
	for _, w := range strings.FieldsFunc(rest, func(r rune) bool { return !unicode.IsLetter(r) }) {
		if has(positives, w) || has(negatives, w) || w == "not" || w == "no" || w == "control" || w == "previously" || w == "prior" {
			return 0
		}
	}
	switch first {
	case "positive":
		return 1
	case "negative", "nilm":
		return -1
	}
	return 0
}

// of judges a value as it came, converted by times where its unit is another.
func (x Is) of(text string, times, plus float64) Truth {
	s := strings.ToLower(strings.Trim(strings.TrimSpace(strings.ReplaceAll(text, ",", "")), ". "))
	if x.Op == "" {
		return True
	}
	if x.Op == "word" {
		for _, w := range x.Words {
			if s == w {
				return True
			}
			if side := sideOf(w); side != 0 {
				if other := sideOf(s); other != 0 {
					return truth(other == side)
				}
				return Open // "indeterminate", "see comment"
			}
		}
		return False
	}
	m := valueText.FindStringSubmatch(s)
	if m == nil {
		return Open
	}
	n, _ := strconv.ParseFloat(m[2], 64)
	n = n*times + plus
	low, high := n, n // the value lies between them; strictly where a sign says so
	lowOpen, highOpen := false, false
	const far = 1e18
	switch m[1] {
	case "<":
		low, highOpen = -far, true
	case "<=":
		low = -far
	case ">":
		high, lowOpen = far, true
	case ">=":
		high = far
	}
	below := func(limit float64, orEqual bool) Truth { // is the value below the limit?
		switch {
		case high < limit || high == limit && (orEqual || highOpen):
			return True
		case low > limit || low == limit && (!orEqual || lowOpen):
			return False
		}
		return Open
	}
	switch x.Op {
	case "<":
		return below(x.N, false)
	case "<=":
		return below(x.N, true)
	case ">":
		return below(x.N, true).not()
	case ">=":
		return below(x.N, false).not()
	case "to":
		return and(below(x.N, false).not(), below(x.To, true))
	}
	if low == high {
		return truth(low == x.N)
	}
	return Open
}

func has(all []string, s string) bool {
	for _, x := range all {
		if x == s {
			return true
		}
	}
	return false
}
