// Package chart holds the patient and the facts about the patient, as values.
package chart

import (
	"slices"
	"strings"
	"time"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// Name is a person's name. Family may hold hyphens and spaces.
type Name struct {
	Family string `json:"family"`
	Given  string `json:"given"`
	Middle string `json:"middle"`
}

// Patient is who a chart is about. BirthDate is YYYY-MM-DD. Sex is the
// administrative sex of HL7 table 0001: F, M, O (other), U (unknown).
type Patient struct {
	ID, Record string
	Name       Name
	BirthDate  string
	Sex        string
	Phone      string
	CodeStatus string
	UsesPortal bool
	PersonID   string // the record itself, or the one it was merged into
}

// Sexes are the words for the administrative sex codes.
var Sexes = map[string]string{"F": "female", "M": "male", "O": "other", "U": "sex unknown"}

// AgeOn returns completed years (and, below two years, completed months) on a
// day. Both dates are YYYY-MM-DD; ok is false when one is not a date or the
// birth lies after the day.
func AgeOn(birth, day string) (years, months int, ok bool) {
	b, err1 := time.Parse(time.DateOnly, birth)
	d, err2 := time.Parse(time.DateOnly, day)
	if err1 != nil || err2 != nil || d.Before(b) {
		return 0, 0, false
	}
	months = (d.Year()-b.Year())*12 + int(d.Month()) - int(b.Month())
	if d.Day() < b.Day() {
		months--
	}
	return months / 12, months % 12, true
}

// AgeText says an age as a clinician writes it: "58 y", "14 mo", "9 d".
func AgeText(birth, day string) string {
	years, months, ok := AgeOn(birth, day)
	switch {
	case !ok:
		return "age unknown"
	case years >= 2:
		return itoa(years) + " y"
	case years*12+months >= 1:
		return itoa(years*12+months) + " mo"
	}
	b, _ := time.Parse(time.DateOnly, birth)
	d, _ := time.Parse(time.DateOnly, day)
	return itoa(int(d.Sub(b).Hours()/24)) + " d"
}

func itoa(n int) string {
	if n >= 10 {
		return itoa(n/10) + string(rune('0'+n%10))
	}
	return string(rune('0' + n))
}

// Plain brings what is searched, and what is searched for, to one form: lower case, letters
// without their accents, everything else as it is.
func Plain(s string) string {
	if isASCII(s) {
		return strings.ToLower(s)
	}
	var b strings.Builder
	for _, r := range norm.NFD.String(strings.ToLower(s)) {
		switch plain, special := letters[r]; {
		case special:
			b.WriteString(plain)
		case r >= 0x300 && r <= 0x36F: // accents; marks of other scripts are letters of their own there
		default:
			b.WriteRune(r)
		}
	}
	return norm.NFC.String(b.String())
}

func isASCII(s string) bool {
	return strings.IndexFunc(s, func(r rune) bool { return r > 127 }) < 0
}

// Fold brings a name to the form in which two names are compared: lower case, letters and
// digits only, letters without their accents.
func Fold(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r) {
			return r
		}
		return -1
	}, Plain(s))
}

// letters are those that are no letter with an accent, and are written plainly all the same.
var letters = map[rune]string{'æ': "ae", 'œ': "oe", 'ø': "o", 'ß': "ss", 'ł': "l", 'đ': "d", 'ð': "d", 'þ': "th", 'ħ': "h", 'ı': "i", 'ŋ': "n", 'ŧ': "t",
	'ŀ': "l", 'ĸ': "k", 'ſ': "s", 'ə': "e", '’': "'", 'ʼ': "'", '‘': "'", '‐': "-", '‑': "-", '–': "-"}

// Lookalikes finds, for each of some patients, the others among them who can be taken for
// them, by name: the same folded family name, and either the same birth date or given
// names that begin alike. Only those of one family name are compared with each other.
func Lookalikes(ps []Patient) map[string][]string {
	families := map[string][]int{}
	given := make([]string, len(ps))
	for i, p := range ps {
		family := Fold(p.Name.Family)
		families[family] = append(families[family], i)
		given[i] = Fold(p.Name.Given)
	}
	out := map[string][]string{}
	for _, same := range families {
		for _, i := range same {
			for _, k := range same {
				a, b := ps[i], ps[k]
				if a.ID == b.ID || a.BirthDate != b.BirthDate && (given[i] == "" || given[k] == "" || given[i][0] != given[k][0]) {
					continue
				}
				if name := b.Name.Given + " " + b.Name.Family; !slices.Contains(out[a.ID], name) {
					out[a.ID] = append(out[a.ID], name)
				}
			}
		}
	}
	return out
}
