package prescription

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"deftledger/core/chart"
)

// Line is a prescription as it was typed in one line, parted into what it says. What was not
// said is empty; what was said twice, or cannot be, is in Ask and left empty.
type Line struct {
	Rest      string   `json:"rest" doc:"The medicine and how it is taken"`
	Quantity  string   `json:"quantity"`
	Unit      string   `json:"unit" doc:"Of the quantity, where it was said: tablet, inhaler, g"`
	Refills   *int     `json:"refills,omitempty" doc:"Left out where nobody said"`
	Days      int      `json:"days" doc:"0 where nobody said"`
	AsWritten bool     `json:"asWritten" doc:"No substitution"`
	Ask       []string `json:"ask" doc:"Which of them is to be asked: quantity, refills, days"`
}

const (
	count = `(\d{1,3}(?:,\d{3})+|\d+(?:\.\d+)?)`
	// said is a number of refills, in figures or as a word.
	said = `(\d+|zero|none|one|two|three|four|five|six|seven|eight|nine|ten|eleven|twelve)`
	// taken stands where something was taken out of the line, so that what was apart does not
	// come together: of "E11.9 #100 refill 11" the 9 is not of the refills.
	taken = "\x1f"
)

var (
	quantities = regexp.MustCompile(`(?i)[,;]?\s*(?:#\s?|\b(?:disp(?:ense)?|qty|quantity)[.:]?\s*#?\s?)` + count + `(?:\s*\([a-z -]+\))?(?:\s*(mL|gm?|tablets?|tabs?|capsules?|caps?|patches|doses?|inhalers?|tubes?|bottles?|boxes|box|packs?|pens?|vials?|bags?))?(?:[,;]|\b|\s|$)`)
	noRefills  = regexp.MustCompile(`(?i)[,;]?\s*(?:\bno (?:refills?|rfs?)\b|\bNR\b|\bwithout refills?\b)`)
	// The word before its number, the number before its word, and an R of its own with its number.
	refills    = regexp.MustCompile(`(?i)[,;]?\s*(?:\b(?:refills?|refs?|rfs?)\s*(?:[-x:=#×]\s*)*` + said + `\b|(?:^|[\s,;(])` + said + `\s*(?:refills?|rfs?)\b|(?:[,;]\s*|` + taken + `\s*)R\s?(\d{1,2})\s*(?:$|[,;]))`)
	refillSign = regexp.MustCompile(`(?i)[,;]?\s*\b(?:refills?|rfs?)\s*[:=]?\s*#\s*` + said + `\b`)
	// left is a word of refills from which no number was read; at the head of a line it is what somebody wants.
	left      = regexp.MustCompile(`(?i)\S\s*[,;]?\s*\b(?:refills?|rfs?)\b`)
	supply    = regexp.MustCompile(`(?i)[,;]?\s*\b(\d+)[ -]?days?[ -]supply\b`)
	asWritten = regexp.MustCompile(`(?i)[,;]?\s*(?:\bDAW\b|\bdispense as written\b|\bbrand (?:medically )?necessary\b|\bbrand only\b|\bno substitutions?\b|\bdo not substitute\b)`)

	written = []string{"zero", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"}
)

// MostRefills is the largest number of refills that is taken from a line.
const MostRefills = 12

// counted is the unit of a quantity as the parts of a prescription name it.
func counted(word string) string {
	w := strings.ToLower(word)
	switch w {
	case "ml":
		return "mL"
	case "gm":
		return "g"
	case "patches", "boxes":
		return strings.TrimSuffix(w, "es")
	case "tabs", "tab":
		return "tablet"
	case "caps", "cap":
		return "capsule"
	}
	return strings.TrimSuffix(w, "s")
}

// ReadLine parts a line as people type it: "lisinopril 20 mg 1 tablet daily #90 3 refills".
func ReadLine(text string) (l Line) {
	ask := func(what string) {
		if !slices.Contains(l.Ask, what) {
			l.Ask = append(l.Ask, what)
		}
	}
	take := func(find *regexp.Regexp, each func(m []string)) {
		for _, m := range find.FindAllStringSubmatch(text, -1) {
			each(m)
		}
		text = find.ReplaceAllString(text, taken)
	}
	l.Ask = []string{}
	amounts := map[string]bool{}
	take(supply, func(m []string) {
		n, err := strconv.Atoi(m[1])
		if err != nil || n < 1 || n > 366 || l.Days != 0 && l.Days != n {
			ask("days")
			return
		}
		l.Days = n
	})
	refill := func(n int) {
		if n > MostRefills || l.Refills != nil && *l.Refills != n {
			ask("refills")
			return
		}
		l.Refills = &n
	}
	number := func(m []string) {
		word := strings.ToLower(strings.Join(m[1:], ""))
		n, err := strconv.Atoi(word)
		switch {
		case word == "none":
			n = 0
		case err != nil:
			if n = slices.Index(written, word); n < 0 {
				n = MostRefills + 1 // more than a number holds
			}
		}
		refill(n)
	}
	take(refillSign, number) // before the quantity, whose sign it has
	take(quantities, func(m []string) {
		n := strings.ReplaceAll(m[1], ",", "")
		amounts[n] = true
		l.Quantity, l.Unit = n, counted(m[2])
	})
	take(noRefills, func([]string) { refill(0) })
	take(refills, number)
	if left.MatchString(text) {
		ask("refills")
	}
	take(asWritten, func([]string) { l.AsWritten = true })
	if f, err := strconv.ParseFloat(l.Quantity, 64); len(amounts) > 1 || l.Quantity != "" && (err != nil || f <= 0) {
		ask("quantity")
	}
	for _, what := range l.Ask {
		switch what {
		case "quantity":
			l.Quantity, l.Unit = "", ""
		case "refills":
			l.Refills = nil
		case "days":
			l.Days = 0
		}
	}
	l.Rest = strings.Trim(chart.Tidy(strings.ReplaceAll(text, taken, " ")), " ,;")
	return l
}
