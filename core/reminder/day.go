package reminder

import (
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"

	"deftledger/core/chart"
)

// Day is a day of the calendar, counted from 1 January 1970. Ever lies before all days and
// Never after all.
type Day int32

// Ever and Never bound what is not bounded.
const (
	Ever  Day = math.MinInt32
	Never Day = math.MaxInt32
)

// DayOf reads YYYY-MM-DD; ok is false where it is no day.
func DayOf(text string) (Day, bool) {
	if len(text) != len(time.DateOnly) || text[4] != '-' || text[7] != '-' {
		return 0, false
	}
	n := [3]int{} // by hand: charts hold thousands
	for i, part := range [3]string{text[:4], text[5:7], text[8:]} {
		for _, x := range []byte(part) {
			if x < '0' || x > '9' {
				return 0, false
			}
			n[i] = n[i]*10 + int(x-'0')
		}
	}
	t := time.Date(n[0], time.Month(n[1]), n[2], 0, 0, 0, 0, time.UTC)
	if n[1] < 1 || n[1] > 12 || n[2] < 1 || t.Day() != n[2] {
		return 0, false
	}
	return dayAt(t), true
}

func dayAt(t time.Time) Day { return Day(math.Floor(float64(t.Unix()) / 86400)) }

func (d Day) time() time.Time { return time.Unix(int64(d)*86400, 0).UTC() }

// String is the day as YYYY-MM-DD, "" for Ever and Never.
func (d Day) String() string {
	if d == Ever || d == Never {
		return ""
	}
	return d.time().Format(time.DateOnly)
}

// Says is the day as people read it.
func (d Day) Says() string { return chart.SayDay(d.String()) }

// Span is a day as precisely as it is known: somewhere from From to To, both included.
// "2019" is the whole year, "2019-05" the month.
type Span struct{ From, To Day }

// SpanOf reads YYYY, YYYY-MM or YYYY-MM-DD; ok is false for anything else.
func SpanOf(text string) (Span, bool) {
	text = strings.TrimSpace(text)
	for _, f := range []struct {
		form          string
		years, months int
	}{{time.DateOnly, 0, 0}, {"2006-01", 0, 1}, {"2006", 1, 0}} {
		if len(text) != len(f.form) {
			continue
		}
		t, err := time.Parse(f.form, text)
		if err != nil {
			return Span{}, false
		}
		from := dayAt(t)
		if f.years+f.months == 0 {
			return Span{from, from}, true
		}
		return Span{from, dayAt(t.AddDate(f.years, f.months, 0)) - 1}, true
	}
	return Span{}, false
}

// Exact says whether the day is known to the day.
func (s Span) Exact() bool { return s.From == s.To }

// Says is the span as people read it: "14 Feb 2024", "May 2019", "2019".
func (s Span) Says() string {
	if s.Exact() {
		return s.From.Says()
	}
	from, to := s.From.time(), s.To.time()
	switch {
	case from.Year() == to.Year() && from.Month() == to.Month():
		return from.Format("Jan 2006")
	case from.YearDay() == 1 && to.Month() == time.December && to.Day() == 31 && from.Year() == to.Year():
		return from.Format("2006")
	}
	return "between " + s.From.Says() + " and " + s.To.Says()
}

// Unit of a Length.
type Unit byte

// The units of a length of time.
const (
	Days Unit = iota + 1 // the zero value is a length that was not written
	Weeks
	Months
	Years
	Forever
)

// Length is a length of time as a publication gives it: "18 years", "4 weeks", "ever". A
// length may be a parameter of its rule, written with a dollar sign: "$start".
type Length struct {
	N     int
	Unit  Unit
	Param string
}

var lengths = regexp.MustCompile(`^(\d{1,4}) (day|week|month|year)s?$`)

// UnmarshalText reads a length.
func (l *Length) UnmarshalText(text []byte) error {
	s := strings.TrimSpace(string(text))
	switch m := lengths.FindStringSubmatch(s); {
	case strings.HasPrefix(s, "$") && len(s) > 1:
		*l = Length{Param: s[1:]}
	case s == "ever":
		*l = Length{N: 1, Unit: Forever}
	case m != nil:
		n, _ := strconv.Atoi(m[1])
		*l = Length{N: n, Unit: map[string]Unit{"day": Days, "week": Weeks, "month": Months, "year": Years}[m[2]]}
	default:
		return fmt.Errorf("%q is no length of time: write it as \"18 years\", \"6 months\", \"4 weeks\", \"30 days\" or \"ever\"", s)
	}
	return nil
}

// MarshalText writes it the same way.
func (l Length) MarshalText() ([]byte, error) { return []byte(l.String()), nil }

// String is the length as it is written in a rule.
func (l Length) String() string {
	switch {
	case l.Param != "":
		return "$" + l.Param
	case l.Unit == Forever:
		return "ever"
	case l.Unit == 0:
		return ""
	}
	word := [...]string{"", "day", "week", "month", "year"}[l.Unit]
	if l.N != 1 {
		word += "s"
	}
	return strconv.Itoa(l.N) + " " + word
}

// Given says whether a length was written at all.
func (l Length) Given() bool { return l.Param != "" || l.Unit != 0 }

// After is the day on which so much time has passed since d. A day that does not exist, as the
// 29 February of a common year or a 31 June, is the first of the following month (the rule of
// the Centers for Disease Control and Prevention for vaccines, Clinical Decision Support for
// Immunization, logic specification 4.6, 2024).
func (l Length) After(d Day) Day {
	switch {
	case l.Unit == Forever || d == Never:
		return Never
	case d == Ever:
		return Ever
	case l.Unit == Days || l.Unit == 0:
		return d + Day(l.N)
	case l.Unit == Weeks:
		return d + Day(7*l.N)
	}
	months := l.N
	if l.Unit == Years {
		months *= 12
	}
	return addMonths(d, months)
}

// Before is the day from which on so much time has passed by d: the first day x with x + l > d
// is the day after Before(d).
func (l Length) Before(d Day) Day {
	switch {
	case l.Unit == Forever || d == Ever:
		return Ever
	case l.Unit == Days || l.Unit == 0:
		return d - Day(l.N)
	case l.Unit == Weeks:
		return d - Day(7*l.N)
	}
	months := l.N
	if l.Unit == Years {
		months *= 12
	}
	return addMonths(d, -months)
}

func addMonths(d Day, months int) Day {
	y, m, day := d.time().Date()
	whole := y*12 + int(m) - 1 + months
	y, m = whole/12, time.Month(whole%12+1)
	if whole < 0 {
		return Ever
	}
	if last := time.Date(y, m+1, 0, 0, 0, 0, 0, time.UTC).Day(); day > last {
		day, m = 1, m+1
	}
	return dayAt(time.Date(y, m, day, 0, 0, 0, 0, time.UTC))
}

// longer orders lengths roughly, for checks of a rule only.
func (l Length) days() int {
	switch l.Unit {
	case Weeks:
		return 7 * l.N
	case Months:
		return 30 * l.N
	case Years:
		return 365 * l.N
	case Forever:
		return math.MaxInt32
	}
	return l.N
}
