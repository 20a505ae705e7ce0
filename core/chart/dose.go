package chart

import (
	"fmt"
	"regexp"
	"strings"
)

// doseWords are abbreviations that have hurt people, and what is written instead: The Joint
// Commission, official "do not use" list (2004, in force 2024), and ISMP, list of
// error-prone abbreviations (2024).
var doseWords = []struct {
	find *regexp.Regexp
	say  string
}{
	{regexp.MustCompile(`(?i)\bq\.?o\.?d\b\.?`), "every other day"},
	{regexp.MustCompile(`(?i)\bq\.?d\b\.?`), "daily"},
	{regexp.MustCompile(`(?i)\bq\.?h\.?s\b\.?`), "at bedtime"},
	{regexp.MustCompile(`(?i)\bt\.?i\.?w\b\.?`), "three times a week"},
	{regexp.MustCompile(`(?i)\s*\[(?:i?u|iu)\]`), " units"}, // as UCUM writes them
	{regexp.MustCompile(`(?i)(\d)\s*(?:i\.?u\b\.?|u\b)`), "$1 units"},
	{regexp.MustCompile(`(?i)\biu\b`), "units"},
	{regexp.MustCompile(`(?i)(\d\s*)(?:µg|μg|ug)\b`), "${1}mcg"},
	{regexp.MustCompile(`(?i)\b(?:ug)\b|µg|μg`), "mcg"},
	{regexp.MustCompile(`(?i)(\d\s*)cc\b`), "${1}mL"},
	{regexp.MustCompile(`(\d+)\.0+(\D|$)`), "$1$2"},            // 1.0 mg read as 10 mg
	{regexp.MustCompile(`(\d+\.\d*[1-9])0+(\D|$)`), "$1$2"},    // 0.50 mg
	{regexp.MustCompile(`(^|[^\d.])\.(\d)`), "${1}0.$2"},       // .5 mg read as 5 mg
	{regexp.MustCompile(`(\d)(mg|mcg|g|mL|units)\b`), "$1 $2"}, // 10mg read as 100 mg
}

var ambiguousDose = regexp.MustCompile(`\b(?:MS|MSO4|MgSO4)\b`)

// SafeDose writes a dose so that nobody misreads it. What stands for two medicines is
// refused: only a person knows which was meant.
func SafeDose(text string) (string, error) {
	if m := ambiguousDose.FindString(text); m != "" {
		return text, fmt.Errorf("%q stands for morphine and for magnesium; write the name out", m)
	}
	out := text
	for _, w := range doseWords {
		out = w.find.ReplaceAllString(out, w.say)
	}
	return strings.TrimSpace(out), nil
}

// ShownDose writes a dose as screens and papers show it: so that nobody misreads it, however it
// was entered or came from elsewhere. What only a person can decide stays as it was written.
func ShownDose(text string) string {
	safe, err := SafeDose(text)
	if err != nil {
		return text
	}
	return safe
}
