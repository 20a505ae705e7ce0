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

const count = `(\d{1,3}(?:,\d{3})+|\d+(?:\.\d+)?)`

var (
	quantities = regexp.MustCompile(`(?i)[,;]?\s*(?:#\s?|\b(?:disp(?:ense)?|qty|quantity)[.:]?\s*#?\s?)` + count + `(?:\s*\([a-z -]+\))?(?:\s*(mL|g|tablets?|tabs?|capsules?|caps?|patches|doses?|inhalers?|tubes?|bottles?|boxes|box|packs?|pens?|vials?|bags?))?(?:[,;]|\b|\s|$)`)
	noRefills  = regexp.MustCompile(`(?i)[,;]?\s*(?:\bno refills?\b|\bNR\b|\bwithout refills?\b)`)
	refills    = regexp.MustCompile(`(?i)[,;]?\s*(?:\brefills?\s*(?:x|:|=)?\s*(\d+)\b|\brf\s*[:=]?\s*(\d+)\b|\b(\d+)\s*refills?\b)`)
	supply     = regexp.MustCompile(`(?i)[,;]?\s*\b(\d+)[ -]?days?[ -]supply\b`)
	asWritten  = regexp.MustCompile(`(?i)[,;]?\s*(?:\bDAW\b|\bdispense as written\b|\bbrand (?:medically )?necessary\b|\bno substitution\b|\bdo not substitute\b)`)
)

// MostRefills is the largest number of refills that is taken from a line.
const MostRefills = 12

// counted is the unit of a quantity as the parts of a prescription name it.
func counted(word string) string {
	w := strings.ToLower(word)
	switch w {
	case "ml":
		return "mL"
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
		text = find.ReplaceAllString(text, " ")
	}
	l.Ask = []string{}
	said := map[string]bool{}
	take(supply, func(m []string) {
		n, err := strconv.Atoi(m[1])
		if err != nil || n < 1 || n > 366 || l.Days != 0 && l.Days != n {
			ask("days")
			return
		}
		l.Days = n
	})
	take(quantities, func(m []string) {
		n := strings.ReplaceAll(m[1], ",", "")
		said[n] = true
		l.Quantity, l.Unit = n, counted(m[2])
	})
	refill := func(n int) {
		if n > MostRefills || l.Refills != nil && *l.Refills != n {
			ask("refills")
			return
		}
		l.Refills = &n
	}
	take(noRefills, func([]string) { refill(0) })
	take(refills, func(m []string) {
		n, err := strconv.Atoi(m[1] + m[2] + m[3])
		if err != nil {
			n = MostRefills + 1
		}
		refill(n)
	})
	take(asWritten, func([]string) { l.AsWritten = true })
	if f, err := strconv.ParseFloat(l.Quantity, 64); len(said) > 1 || l.Quantity != "" && (err != nil || f <= 0) {
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
	l.Rest = strings.Trim(chart.Tidy(text), " ,;")
	return l
}
