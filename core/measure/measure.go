// Package measure says which measures of quality a visit meets or misses, by rules kept
// as data, each with its published source.
package measure

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"deftledger/core/chart"
)

// Rule is one measure: whom it is about, and what meets it. Every condition that is
// given has to hold.
type Rule struct {
	ID       string   `yaml:"id"`
	Title    string   `yaml:"title"`
	Source   string   `yaml:"source"` // body, number and year
	From     int      `yaml:"from"`   // youngest age, in completed months
	Below    int      `yaml:"below"`  // first age that is too old, in completed months; 0 for none
	With     []string `yaml:"with"`   // beginnings of diagnosis codes, one of which it takes; none: everybody
	Without  []string `yaml:"without"`
	Values   []Need   `yaml:"values"`
	Taken    []string `yaml:"taken"`    // classes of medicines, one of which is on the list
	Asked    *Asked   `yaml:"asked"`    // an entry of a history
	Reviewed string   `yaml:"reviewed"` // a list looked through at this visit
}

// Need is a quantity that has to be there, lately, and in its limits.
type Need struct {
	Name   string   `yaml:"name"`
	LOINC  []string `yaml:"loinc"`
	Unit   string   `yaml:"unit"`   // UCUM; a value in another unit is not compared
	Days   int      `yaml:"days"`   // how old it may be; 0: of this visit
	Below  string   `yaml:"below"`  // "140/90": both below; "" for any value
	AtMost string   `yaml:"atMost"` // "9.0"

	// From and Under are where a value calls for a plan; Planned are beginnings of codes
	// that say at this visit that there is one. A plan in words only is not read.
	From    string   `yaml:"planFrom"`
	Under   string   `yaml:"planUnder"`
	Planned []string `yaml:"planned"`
}

// Asked is a question whose answer has to stand in a history, not older than so many days.
type Asked struct {
	Name  string   `yaml:"name"`
	List  string   `yaml:"list"`
	Words []string `yaml:"words"`
	Days  int      `yaml:"days"`
}

// State says how a visit stands towards a measure.
type State string

// The states of a measure.
const (
	Met    State = "met"
	Missed State = "missed"
	InHand State = "in hand" // ordered, not yet there
)

// Outcome is a measure that concerns this patient, and why it stands so.
type Outcome struct {
	ID     string `json:"id"`
	Title  string `json:"title"`
	State  State  `json:"state"`
	Says   string `json:"says" doc:"The facts that decided, or what would meet it"`
	Source string `json:"source"`
}

// Check says what is wrong with a rule.
func (r Rule) Check() error {
	limit := regexp.MustCompile(`^[0-9]+(\.[0-9]+)?(/[0-9]+)?$`)
	switch {
	case r.ID == "" || r.Title == "" || r.Source == "":
		return fmt.Errorf("the measure %q needs a name, a title and a source", r.ID+r.Title)
	case r.Below > 0 && r.Below <= r.From:
		return fmt.Errorf("the measure %q is about nobody", r.ID)
	case len(r.Values) == 0 && len(r.Taken) == 0 && r.Asked == nil && r.Reviewed == "":
		return fmt.Errorf("nothing meets the measure %q", r.ID)
	}
	for _, n := range r.Values {
		if n.Name == "" || len(n.LOINC) == 0 || n.Unit == "" || n.Below != "" && n.AtMost != "" {
			return fmt.Errorf("a value of %q needs a name, LOINC codes, a unit, and at most one limit", r.ID)
		}
		if (n.From+n.Under == "") != (len(n.Planned) == 0) {
			return fmt.Errorf("a value of %q calls for a plan, and what says that there is one is missing", r.ID)
		}
		for _, l := range []string{n.From, n.Under} {
			if l != "" && !limit.MatchString(l) {
				return fmt.Errorf("the limit %q of %q is no number", l, r.ID)
			}
		}
		if l := n.Below + n.AtMost; l != "" && !limit.MatchString(l) {
			return fmt.Errorf("the limit %q of %q is no number", l, r.ID)
		}
	}
	return nil
}

// Judge lists the measures that concern a patient, missed ones first. Whom a measure
// excludes, or whose age is unknown, is not listed: nothing is inferred.
func Judge(rules []Rule, f chart.Record) []Outcome {
	out := []Outcome{}
	months, diagnoses, allergic := f.Months(), slices.Concat(f.Addressed, f.ProblemCodes()), f.Allergic()
	for _, r := range rules {
		if months < 0 || months < r.From || r.Below > 0 && months >= r.Below || len(r.With) > 0 && !begins(diagnoses, r.With) ||
			begins(diagnoses, r.Without) {
			continue
		}
		if len(r.Taken) > 0 && !slices.ContainsFunc(r.Taken, func(c string) bool { return !slices.Contains(allergic, c) }) {
			continue // there is nothing to take
		}
		state, says := r.stands(f)
		out = append(out, Outcome{ID: r.ID, Title: r.Title, State: state, Says: says, Source: r.Source})
	}
	rank := map[State]int{Missed: 0, InHand: 1, Met: 2}
	slices.SortStableFunc(out, func(a, b Outcome) int { return rank[a.State] - rank[b.State] })
	return out
}

func begins(codes, with []string) bool {
	return slices.ContainsFunc(with, func(w string) bool {
		return slices.ContainsFunc(codes, func(c string) bool { return strings.HasPrefix(c, w) })
	})
}

// stands judges one rule: the worst of its conditions counts, and each is told.
func (r Rule) stands(f chart.Record) (State, string) {
	state := Met
	var says []string
	add := func(s State, text string) {
		says = append(says, text)
		if s == Missed || s == InHand && state == Met {
			state = s
		}
	}
	for _, n := range r.Values {
		add(n.stands(f))
	}
	if len(r.Taken) > 0 {
		if taken := f.Taken(); slices.ContainsFunc(r.Taken, func(c string) bool { return slices.Contains(taken, c) }) {
			add(Met, strings.Join(r.Taken, " or ")+" on the medicine list")
		} else {
			add(Missed, "no "+strings.Join(r.Taken, " or ")+" on the medicine list")
		}
	}
	if a := r.Asked; a != nil {
		at := ""
		for _, e := range f.Histories {
			day := max(f.DayOf(e.StatedAt), f.Reviewed(e.List)) // entered, or confirmed with its list
			if e.List == a.List && day >= at && recent(day, f.Day, a.Days) &&
				slices.ContainsFunc(a.Words, func(w string) bool { return strings.Contains(strings.ToLower(e.Title), w) }) {
				at = day
			}
		}
		if at == "" {
			add(Missed, fmt.Sprintf("%s not asked within %s", a.Name, span(a.Days)))
		} else {
			add(Met, a.Name+" recorded "+chart.SayDay(at))
		}
	}
	if r.Reviewed != "" {
		if f.Reviewed(r.Reviewed) == f.Day {
			add(Met, r.Reviewed+" looked through today")
		} else {
			add(Missed, r.Reviewed+" not marked as looked through today")
		}
	}
	return state, strings.Join(says, "; ")
}

// stands judges a quantity: the newest day counts, and of several values on it the
// lowest, as the published rules have it for blood pressure.
func (n Need) stands(f chart.Record) (State, string) {
	day := ""
	var values []string
	for _, v := range f.Values {
		if !slices.Contains(n.LOINC, v.LOINC) || v.Unit != n.Unit || !recent(v.Day, f.Day, n.Days) {
			continue
		}
		if v.Day > day {
			day, values = v.Day, nil
		}
		if v.Day == day {
			values = append(values, v.Text)
		}
	}
	when := "at this visit"
	if n.Days > 0 {
		when = "within " + span(n.Days)
	}
	if len(values) == 0 {
		for _, x := range f.Here() {
			if !x.Prepared && slices.ContainsFunc(n.LOINC, func(l string) bool { return slices.Contains(x.Analytes, l) }) {
				return InHand, n.Name + " ordered"
			}
		}
		return Missed, "no " + n.Name + " " + when
	}
	limit, word, strict := n.Below, "below ", true
	if n.AtMost != "" {
		limit, word, strict = n.AtMost, "at most ", false
	}
	lowest, numbers := lowest(values)
	says := n.Name + " " + lowest + " on " + chart.SayDay(day)
	if limit == "" {
		return n.planned(f, says, numbers)
	}
	limits := split(limit)
	if len(numbers) != len(limits) {
		return Missed, says + ", which is no number to compare"
	}
	for i := range limits {
		if numbers[i] > limits[i] || strict && numbers[i] == limits[i] {
			return Missed, says + ", met " + word + limit
		}
	}
	return Met, says
}

// planned judges a value that calls for a plan: met where a diagnosis of this visit says that
// it was addressed, else missed, because what stands in the plan's words is not read.
func (n Need) planned(f chart.Record, says string, numbers []float64) (State, string) {
	if n.From+n.Under == "" {
		return Met, says
	}
	from, under := split(n.From), split(n.Under)
	if n.From != "" && len(numbers) != len(from) || n.Under != "" && len(numbers) != len(under) {
		return Missed, says + ", which is no number to compare"
	}
	calls := false
	for i, v := range numbers {
		calls = calls || n.From != "" && v >= from[i] || n.Under != "" && v < under[i]
	}
	switch {
	case !calls:
		return Met, says
	case begins(f.Addressed, n.Planned):
		return Met, says + ", addressed at this visit"
	}
	return Missed, says + ", which calls for a plan; none is coded at this visit"
}

// lowest returns the lowest of several values, part by part ("148/86", "139/90" give
// "139/86"), as text and numbers; no numbers where one of them is none.
func lowest(values []string) (string, []float64) {
	var text []string
	var numbers []float64
	for _, v := range values {
		parts, ns := strings.Split(v, "/"), split(v)
		if len(ns) != len(parts) || numbers != nil && len(ns) != len(numbers) {
			return values[len(values)-1], nil
		}
		if numbers == nil {
			text, numbers = parts, ns
			continue
		}
		for i := range ns {
			if ns[i] < numbers[i] {
				text[i], numbers[i] = parts[i], ns[i]
			}
		}
	}
	return strings.Join(text, "/"), numbers
}

func split(v string) []float64 {
	var out []float64
	for _, p := range strings.Split(v, "/") {
		n, err := strconv.ParseFloat(strings.TrimSpace(p), 64)
		if err != nil {
			return nil
		}
		out = append(out, n)
	}
	return out
}

// recent says whether a day is at most so many days before the visit; 0 for its day.
func recent(day, visit string, days int) bool {
	a, err1 := time.Parse(time.DateOnly, day)
	b, err2 := time.Parse(time.DateOnly, visit)
	return err1 == nil && err2 == nil && !a.After(b) && b.Sub(a) <= time.Duration(days)*24*time.Hour
}

func span(days int) string {
	switch {
	case days == 365:
		return "a year"
	case days%365 == 0:
		return fmt.Sprintf("%d years", days/365)
	}
	return fmt.Sprintf("%d days", days)
}
