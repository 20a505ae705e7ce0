package note

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"time"
)

var span = regexp.MustCompile(`^(\d{1,3}) ?(d|w|m|y)[a-z]*$`)

// farthest is how many years ahead a follow-up can lie.
const farthest = 5

// Due reads when a patient is to come back, typed in a few keys: "10d", "2w", "2m",
// "1y", or a date, against today (YYYY-MM-DD). It returns the day and how it is said.
// A month from the 31st is the last day of a shorter month.
func Due(text, today string) (day, said string, err error) {
	now, err := time.Parse(time.DateOnly, today)
	if err != nil {
		return "", "", err
	}
	text = strings.ToLower(strings.TrimSpace(text))
	var at time.Time
	if m := span.FindStringSubmatch(text); m != nil {
		n, _ := strconv.Atoi(m[1])
		unit := map[string]string{"d": "day", "w": "week", "m": "month", "y": "year"}[m[2]]
		switch m[2] {
		case "d":
			at = now.AddDate(0, 0, n)
		case "w":
			at = now.AddDate(0, 0, 7*n)
		case "m":
			at = addMonths(now, n)
		case "y":
			at = addMonths(now, 12*n)
		}
		said = fmt.Sprintf("in %d %ss", n, unit)
		if n == 1 {
			said = "in one " + unit
		}
	} else if at, err = time.Parse(time.DateOnly, text); err != nil {
		return "", "", fmt.Errorf("write 10d, 2w, 2m, 1y or a date as 2027-01-15")
	} else {
		said = "on " + at.Format("02 Jan 2006")
	}
	if !at.After(now) {
		return "", "", fmt.Errorf("that day is not ahead")
	}
	if at.After(addMonths(now, 12*farthest)) {
		return "", "", fmt.Errorf("that is more than %d years ahead", farthest)
	}
	return at.Format(time.DateOnly), said, nil
}

// SpanOf writes a span as Due says it ("in 2 months") in its short keys ("2m"). A day of
// the calendar is no span: "".
func SpanOf(said string) string {
	f := strings.Fields(said)
	if len(f) != 3 || f[0] != "in" {
		return ""
	}
	if f[1] == "one" {
		f[1] = "1"
	}
	return f[1] + f[2][:1]
}

func addMonths(t time.Time, n int) time.Time {
	first := time.Date(t.Year(), t.Month(), 1, 0, 0, 0, 0, time.UTC).AddDate(0, n, 0)
	last := first.AddDate(0, 1, -1).Day()
	return first.AddDate(0, 0, min(t.Day(), last)-1)
}
