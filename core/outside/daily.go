package outside

import (
	"regexp"
	"strconv"
	"strings"
	"time"

	"deftledger/core/chart"
)

// amount is how much is taken in a day.
type amount struct {
	amount float64
	unit   string
}

func (a amount) String() string {
	return strings.TrimSpace(strconv.FormatFloat(a.amount, 'f', -1, 64) + " " + a.unit + " a day")
}

var (
	strength = regexp.MustCompile(`(\d+(?:\.\d+)?)\s*(mg|mcg|g|units?|meq)\b`)
	perDay   = []struct {
		form  *regexp.Regexp
		times float64
	}{
		{regexp.MustCompile(`\b(once (a|per) day|once daily|every day|every 24 ?h|every 1 d|daily in the|one time daily)\b`), 1},
		{regexp.MustCompile(`\b(twice (a|per) day|twice daily|two times (a|per) day|2 times (a|per) day|bid|every 12 ?h(ours)?)\b`), 2},
		{regexp.MustCompile(`\b(three times (a day|daily|per day)|3 times (a day|daily)|tid|every 8 ?h(ours)?)\b`), 3},
		{regexp.MustCompile(`\b(four times (a day|daily|per day)|4 times (a day|daily)|qid|every 6 ?h(ours)?)\b`), 4},
		{regexp.MustCompile(`\b(daily|a day|nightly|at bedtime|each morning|qd)\b`), 1},
	}
	pieces = []struct {
		form *regexp.Regexp
		n    float64
	}{
		{regexp.MustCompile(`\bhalf (a|of a) (tablet|capsule)\b|\b0\.5 (tablet|capsule)s?\b|\b½ tablet\b`), 0.5},
		{regexp.MustCompile(`\b(one|1) (tablet|capsule)s?\b`), 1}, {regexp.MustCompile(`\b(two|2) (tablet|capsule)s?\b`), 2}, {regexp.MustCompile(`\b(three|3) (tablet|capsule)s?\b`), 3},
		{regexp.MustCompile(`\b(four|4) (tablet|capsule)s?\b`), 4},
	}
	ofPieces = regexp.MustCompile(`(?:tablets?|capsules?) of \d`)
	inPieces = regexp.MustCompile(`(?:tablets?|capsules?)[ ,:=(]+\d|(?:mg|mcg|g|units?|meq) ?\(|\([\d.]+ ?(?:mg|mcg|g|units?|meq)\b`)
	notDaily = regexp.MustCompile(`\b(as needed|prn|week|month|other day|if |taper|then|up to|or|-\s*\d)\b`)
)

// daily reads how much is taken in a day from the words of a medicine; ok is false wherever the words leave room: as needed, not every day,
// a range, two strengths that do not agree with the number of pieces.
func daily(words string) (a amount, ok bool) {
	w := chart.Plain(words)
	if notDaily.MatchString(w) {
		return a, false
	}
	found := strength.FindAllStringSubmatch(w, -1)
	if len(found) == 0 {
		return a, false
	}
	times := 0.0
	for _, p := range perDay {
		if p.form.MatchString(w) {
			times = p.times
			break
		}
	}
	if times == 0 {
		return a, false
	}
	n := 0.0
	for _, p := range pieces {
		if p.form.MatchString(w) {
			if n != 0 {
				return a, false
			}
			n = p.n
		}
	}
	first, _ := strconv.ParseFloat(found[0][1], 64)
	unit := strings.TrimSuffix(found[0][2], "s")
	single := first
	if n != 0 {
		single = first * n
	}
	if n != 0 && n != 1 && len(found) == 1 && inPieces.MatchString(w) && !ofPieces.MatchString(w) {
		return a, false // "two tablets (200 mg)": each, or in all?
	}
	for _, f := range found[1:] { // a second strength is the whole of what is taken at a time, or contradicts
		x, _ := strconv.ParseFloat(f[1], 64)
		if strings.TrimSuffix(f[2], "s") != unit {
			return a, false
		}
		switch {
		case x == single:
		case n == 0 && x >= first && int(x/first) > 0 && float64(int(x/first))*first == x:
			single = x
		default:
			return a, false
		}
	}
	return amount{single * times, unit}, true
}

// close1 says whether two days are within three of each other.
func close1(a, b string) bool {
	x, err1 := time.Parse(time.DateOnly, a)
	y, err2 := time.Parse(time.DateOnly, b)
	d := x.Sub(y)
	return err1 == nil && err2 == nil && d.Abs() <= 3*24*time.Hour
}
