// Package circle says who may see whose chart: what ties a person of the practice to a
// patient, and whether that opens the chart without a reason. Any other chart opens after
// one sentence why, is marked, and is looked at by a named person afterwards (45 CFR
// 164.312(a)(2)(ii), emergency access; 164.514(d), minimum necessary).
package circle

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// Width is how far charts are open to those who care for patients.
type Width string

// The widths, from the narrowest. The clinic chooses one.
const (
	Own      Width = "own"      // what one does oneself, or covers for, within a year
	Team     Width = "team"     // that, and what one's team does, within three years
	Practice Width = "practice" // every chart of the practice
)

// Widths are all of them, with what each says on the screen.
var Widths = []struct {
	Width Width
	Says  string
}{
	{Own, "My own patients and those I cover for: a visit within a year, an appointment, an order, an open line"},
	{Team, "Those of my team too: a visit within three years, an appointment, an order, an open line"},
	{Practice, "Every chart of the practice"},
}

// Known says whether there is such a width.
func (w Width) Known() bool { return w == Own || w == Team || w == Practice }

// years is how long a visit or an order opens a chart.
func (w Width) years() int {
	if w == Own {
		return 1
	}
	return 3
}

// Kind of a tie.
type Kind string

// The kinds, the closest first.
const (
	Usual      Kind = "usual clinician"
	Line       Kind = "open line"
	Visit      Kind = "visit"
	Order      Kind = "order"
	Registered Kind = "registered here" // who made the record
	Opened     Kind = "opened with a reason"
)

var closest = []Kind{Usual, Line, Visit, Order, Registered, Opened}

// Tie joins somebody of the practice to a patient.
type Tie struct {
	Kind Kind
	With string // identifier of who it is with
	Day  string // of a visit, an appointment, an order or a registration (YYYY-MM-DD, practice time); else ""
}

// Asker is who asks, with those in whose place or beside whom they work.
type Asker struct {
	ID     string
	Team   []string // everybody of the teams they are in, whoever it is
	Covers []string // whom they cover for today
}

// Answer says whether a chart is open to somebody, and by what.
type Answer struct {
	Open    bool
	Tie     Tie
	Through string // "" for themself, "team", "cover", or "practice" where every chart is open
}

// May answers whether the chart with these ties is open to somebody today. A day that cannot
// be read opens nothing.
func May(w Width, who Asker, ties []Tie, today string) Answer {
	if who.ID == "" || !w.Known() {
		return Answer{}
	}
	best := Answer{}
	better := func(a Answer) {
		if !best.Open || slices.Index(closest, a.Tie.Kind) < slices.Index(closest, best.Tie.Kind) ||
			a.Tie.Kind == best.Tie.Kind && a.Tie.Day > best.Tie.Day {
			best = a
		}
	}
	from := since(today, w.years())
	for _, through := range []string{"", "cover", "team"} {
		for _, t := range ties {
			if t.Kind == Opened && through != "" {
				continue // a reason opens it to whoever gave it
			}
			if (t.Kind == Visit || t.Kind == Order || t.Kind == Registered) && (from == "" || !isDay(t.Day) || t.Day < from) {
				continue
			}
			var is bool
			switch through {
			case "":
				is = t.With == who.ID
			case "cover":
				is = slices.Contains(who.Covers, t.With)
			case "team":
				is = w != Own && slices.Contains(who.Team, t.With)
			}
			if is && t.With != "" {
				better(Answer{Open: true, Tie: t, Through: through})
			}
		}
		if best.Open {
			return best
		}
	}
	if w == Practice {
		return Answer{Open: true, Through: "practice"}
	}
	return Answer{}
}

// Words says why a chart is open, with a name for who it is by.
func (a Answer) Words(name, today string) string {
	if !a.Open {
		return ""
	}
	if a.Through == "practice" {
		return "every chart is open in this practice"
	}
	what := string(a.Tie.Kind)
	if a.Tie.Kind == Visit && a.Tie.Day > today {
		what = "appointment"
	}
	if a.Tie.Day != "" {
		what += " on " + a.Tie.Day
	}
	switch {
	case a.Tie.Kind == Opened:
		return what
	case a.Through == "":
		return what + ", yours"
	case a.Through == "cover":
		return what + " of " + name + ", for whom you cover"
	}
	return what + " of " + name + ", of your team"
}

func isDay(s string) bool {
	_, err := time.Parse(time.DateOnly, s)
	return err == nil
}

// since is the day some years before another; of 29 February the 28th.
func since(day string, years int) string {
	d, err := time.Parse(time.DateOnly, day)
	if err != nil {
		return ""
	}
	then := d.AddDate(-years, 0, 0)
	if then.Day() != d.Day() {
		then = then.AddDate(0, 0, -then.Day())
	}
	return then.Format(time.DateOnly)
}

// Lasts is how long a chart stays open to whoever gave a reason.
const Lasts = 12 * time.Hour

// Reason checks the sentence why a chart is opened; its error says what to do.
func Reason(s string) (string, error) {
	s = strings.Join(strings.Fields(s), " ")
	if len(strings.Fields(s)) < 2 || len([]rune(s)) < 8 {
		return "", fmt.Errorf("say in a sentence why you open this chart")
	}
	if len([]rune(s)) > 500 {
		return "", fmt.Errorf("say why in 500 letters or fewer")
	}
	return s, nil
}

// Verdict of who looks at an opening afterwards.
type Verdict string

// The verdicts.
const (
	Right    Verdict = "was right"
	FollowUp Verdict = "to be followed up"
)

// Review checks what somebody says of an opening: nobody reviews their own, and what is to
// be followed up needs a word how.
func Review(v Verdict, remark, opener, reviewer string) error {
	switch {
	case opener == reviewer:
		return fmt.Errorf("you opened this chart yourself: somebody else has to look at it")
	case v != Right && v != FollowUp:
		return fmt.Errorf("say whether it was right, or is to be followed up")
	case v == FollowUp && strings.TrimSpace(remark) == "":
		return fmt.Errorf("say how it is followed up")
	}
	return nil
}

// Cover checks who covers for whom, and when.
func Cover(of, by, from, to, today string) error {
	switch {
	case of == "" || by == "":
		return fmt.Errorf("say who is covered, and by whom")
	case of == by:
		return fmt.Errorf("nobody covers for themself")
	case !isDay(from) || !isDay(to):
		return fmt.Errorf("give the first and the last day, as 2026-03-14")
	case to < from:
		return fmt.Errorf("the last day is before the first")
	case to < today:
		return fmt.Errorf("these days have gone by")
	}
	return nil
}
