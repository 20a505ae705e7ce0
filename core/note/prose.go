package note

import (
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"deftledger/core/chart"
)

// List writes things as a list: "a", "a and b", "a, b and c".
func List(things []string, word string) string {
	switch len(things) {
	case 0:
		return ""
	case 1:
		return things[0]
	}
	return strings.Join(things[:len(things)-1], ", ") + " " + word + " " + things[len(things)-1]
}

// Sentence begins with a capital, ends with a full stop and holds no doubled
// spaces; an empty text stays empty.
func Sentence(s string) string {
	s = chart.Tidy(s)
	s = strings.TrimRight(s, " ,;:")
	if s == "" {
		return ""
	}
	r, n := utf8.DecodeRuneInString(s)
	s = string(unicode.ToUpper(r)) + s[n:]
	if !strings.ContainsAny(s[len(s)-1:], ".!?") {
		s += "."
	}
	return s
}

var small = []string{"no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten"}

// Number writes a whole number up to ten as a word; anything else keeps its digits.
func Number(n string) string {
	i, err := strconv.Atoi(n)
	if err != nil || i < 1 || i >= len(small) {
		return n
	}
	return small[i]
}

// Count writes how many: "no falls", "one fall", "12 falls". The plural is formed with s.
func Count(n, noun string) string {
	if n == "0" {
		return "no " + noun + "s"
	}
	if n != "1" {
		noun += "s"
	}
	return Number(n) + " " + noun
}

// timeUnits are the UCUM codes of durations with their words.
var timeUnits = map[string]string{"min": "minute", "h": "hour", "d": "day", "wk": "week", "mo": "month", "a": "year"}

// Duration writes a duration kept as number and UCUM unit ("2 d") in words ("two days").
func Duration(s string) string {
	n, u, _ := strings.Cut(s, " ")
	if w := timeUnits[u]; w != "" {
		return Count(n, w)
	}
	return s
}

// ReadDuration reads "2 d", "2days", "3 w" into number and UCUM unit.
func ReadDuration(s string) (string, bool) {
	s = strings.ToLower(strings.TrimSpace(s))
	i := 0
	for i < len(s) && (s[i] >= '0' && s[i] <= '9' || s[i] == '.') {
		i++
	}
	n, u := s[:i], strings.TrimSpace(s[i:])
	if n == "" || u == "" || strings.HasPrefix(n, ".") || strings.HasSuffix(n, ".") || strings.Count(n, ".") > 1 {
		return "", false
	}
	for code, word := range timeUnits {
		if u == code || u == code+"s" || u == word || u == word+"s" {
			return n + " " + code, true
		}
	}
	switch u {
	case "w":
		return n + " wk", true
	case "y", "yr", "yrs":
		return n + " a", true
	case "hr", "hrs":
		return n + " h", true
	}
	return "", false
}

// Article is "A" or "An" before an age in digits (an 8-, 11-, 18- or 80-year-old).
func Article(age string) string {
	if strings.HasPrefix(age, "8") || age == "11" || age == "18" {
		return "An"
	}
	return "A"
}

// Person says who the patient is as a note begins: "A 46-year-old man". years and
// months are the completed age, sex that of HL7 table 0001.
func Person(years, months int, sex string) string {
	n, unit := years, "year"
	if years < 2 {
		n, unit = years*12+months, "month"
	}
	noun := map[bool]map[string]string{true: {"F": "woman", "M": "man"}, false: {"F": "girl", "M": "boy"}}[years >= 18][sex]
	if noun == "" {
		noun = map[bool]string{true: "person", false: "child"}[years >= 18]
	}
	age := strconv.Itoa(n)
	return Article(age) + " " + age + "-" + unit + "-old " + noun
}

// before a full stop these do not end a sentence.
var abbreviations = map[string]bool{"dr": true, "mr": true, "mrs": true, "ms": true, "st": true, "vs": true, "approx": true, "e.g": true,
	"i.e": true, "no": false}

// Sentences takes a text apart into sentences; every line break ends one. A stop
// inside a number (1.2) or after a title (Dr.) does not.
func Sentences(text string) []string {
	var out []string
	for _, line := range strings.Split(text, "\n") {
		start := 0
		runes := []rune(line)
		for i, r := range runes {
			if r != '.' && r != '!' && r != '?' {
				continue
			}
			if i+1 < len(runes) && !unicode.IsSpace(runes[i+1]) {
				continue
			}
			word := strings.ToLower(lastWord(string(runes[start:i])))
			next := firstLetter(runes[i+1:])
			if r == '.' && (abbreviations[word] || next != 0 && unicode.IsLower(next)) {
				continue
			}
			out = appendTrimmed(out, string(runes[start:i+1]))
			start = i + 1
		}
		out = appendTrimmed(out, string(runes[start:]))
	}
	return out
}

func appendTrimmed(out []string, s string) []string {
	if s = strings.TrimSpace(s); s != "" {
		out = append(out, s)
	}
	return out
}

func lastWord(s string) string {
	if i := strings.LastIndexAny(s, " \t("); i >= 0 {
		return s[i+1:]
	}
	return s
}

func firstLetter(rs []rune) rune {
	for _, r := range rs {
		if !unicode.IsSpace(r) {
			return r
		}
	}
	return 0
}

// same brings a sentence to the form in which two are compared: lower case,
// letters and digits only. Signs that change a value stay.
func same(s string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(s) {
		switch {
		case unicode.IsLetter(r), unicode.IsDigit(r), strings.ContainsRune("<>=±-/%+≥≤", r):
			b.WriteRune(r)
		case r == '.' || r == ',':
			b.WriteRune('.')
		default:
			b.WriteRune(' ')
		}
	}
	return strings.Join(strings.Fields(strings.TrimRight(b.String(), ". ")), " ")
}
