package order

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"deftledger/core/chart"
)

// Interval is how long a result is usually good for, of one quantity.
type Interval struct {
	LOINC, Name string
	Days        int // below so many it is early
	Says        string
	Source      string // body, title, year
}

// RepeatKind says in what way a test on the pad repeats another.
type RepeatKind string

// A test repeats what stands on the pad as well, what is out already, or what was measured
// so lately that it says nothing new. Where an earlier value is known it is shown, and that
// is no warning. Where nobody can tell, that is said.
const (
	Twice      RepeatKind = "twice"
	UnderWay   RepeatKind = "in hand"
	Early      RepeatKind = "early"
	Earlier    RepeatKind = "earlier"
	NotChecked RepeatKind = "not checked"
)

// Repeat is what is said of a test that repeats another.
type Repeat struct {
	Laboratory string     `json:"laboratory"`
	Code       string     `json:"code"`
	Kind       RepeatKind `json:"kind" enum:"twice,in hand,early,earlier,not checked"`
	Says       string     `json:"says"`
	Source     string     `json:"source"`
}

// Repeats says what the tests on a pad repeat, in their order. r holds what is in hand and
// the values of the quantities that the tests measure. None of it stops an order.
func Repeats(r chart.Record, tests []Test, intervals []Interval) (out []Repeat) {
	newest := map[string]chart.Value{}
	for _, v := range r.Values {
		if v.Source == chart.FromReport {
			newest[v.LOINC] = v // oldest first
		}
	}
	for i, t := range tests {
		say := func(kind RepeatKind, source, format string, args ...any) {
			out = append(out, Repeat{t.Laboratory, t.Code, kind, fmt.Sprintf(format, args...), source})
		}
		measures := measured(t)
		if k := slices.IndexFunc(tests, func(o Test) bool { return holds(measured(o), measures) && !same(o, t) }); k >= 0 {
			// Of two that report the same the later one is named.
			if !holds(measures, measured(tests[k])) || k < i {
				say(Twice, "", "%s has all of it", tests[k].Name)
			}
		}
		for _, x := range r.InHand {
			open := x.State != string(Cancelled) && x.State != string(Failed) && x.Reported != "F" && x.Reported != "C" && x.Reported != "X"
			if !open || !(len(measures) > 0 && holds(x.Analytes, measures) || x.Code == t.Code && x.Party == t.Laboratory) {
				continue
			}
			switch {
			case x.Prepared:
				say(UnderWay, "", "%s is prepared already and waits for the signature", x.Name)
			case x.State == string(Planned) || x.State == string(ToDraw):
				say(UnderWay, "", "%s is ordered already, on %s: %s", x.Name, chart.SayDay(x.Day), x.State)
			default:
				say(UnderWay, "", "%s was ordered on %s, and no final result has come", x.Name, chart.SayDay(x.Day))
			}
			break
		}
		if len(measures) == 0 {
			say(NotChecked, "", "the list of the laboratory gives no LOINC for it: whether it was done lately nobody can tell")
			continue
		}
		if x, v, early := tooEarly(r.Day, measures, newest, intervals); early {
			say(Early, x.Source, "%s, %s: %s", v.Says(), ago(days(v.Day, r.Day)), x.Says)
		} else if v, known := newestOf(measures, newest); known && len(measures) == 1 {
			say(Earlier, "", "%s", v.Says())
		} else if known {
			say(Earlier, "", "newest values on %s, %s", chart.SayDay(v.Day), ago(days(v.Day, r.Day)))
		}
	}
	return out
}

// measured lists the LOINC codes of what a test reports.
func measured(t Test) (out []string) {
	for _, a := range t.Analytes {
		if a.LOINC != "" {
			out = append(out, a.LOINC)
		}
	}
	return out
}

func same(a, b Test) bool { return a.Laboratory == b.Laboratory && a.Code == b.Code }

// holds says whether one list has all of another, which has something.
func holds(all, some []string) bool {
	return len(some) > 0 && !slices.ContainsFunc(some, func(x string) bool { return !slices.Contains(all, x) })
}

// tooEarly says whether every quantity of a test that has an interval was measured within
// it, with the newest of those values.
func tooEarly(day string, measures []string, newest map[string]chart.Value, intervals []Interval) (of Interval, v chart.Value, early bool) {
	for _, x := range intervals {
		if !slices.Contains(measures, x.LOINC) {
			continue
		}
		had, known := newest[x.LOINC]
		if n := days(had.Day, day); !known || n < 0 || n >= x.Days {
			return of, v, false
		}
		if !early || had.Day > v.Day {
			of, v, early = x, had, true
		}
	}
	return of, v, early
}

func newestOf(measures []string, newest map[string]chart.Value) (v chart.Value, known bool) {
	for _, m := range measures {
		if x, ok := newest[m]; ok && (!known || x.Day > v.Day) {
			v, known = x, true
		}
	}
	return v, known
}

// days is how many days lie between two; -1 where a day is not known.
func days(from, to string) int {
	a, err1 := time.Parse(time.DateOnly, from)
	b, err2 := time.Parse(time.DateOnly, to)
	if err1 != nil || err2 != nil {
		return -1
	}
	return int(b.Sub(a).Hours() / 24)
}

func ago(n int) string {
	switch {
	case n == 0:
		return "today"
	case n == 1:
		return "yesterday"
	case n < 14:
		return fmt.Sprintf("%d days ago", n)
	}
	return fmt.Sprintf("%d weeks ago", n/7)
}

// ParseKey parts the name of a test among those of all laboratories, "brinehouse:BMP".
func ParseKey(key string) (laboratory, code string) {
	laboratory, code, _ = strings.Cut(key, ":")
	return laboratory, code
}
