package reminder

import (
	"fmt"
	"slices"
	"strings"
)

// Measure is a measure of quality as a file holds it, in the conditions of rules: whom it counts
// (denominator), whom of them it leaves out (exclusions), and what meets it (numerator).
type Measure struct {
	ID          string           `yaml:"id"`
	Title       string           `yaml:"title"`
	Version     int              `yaml:"version"`
	Maintainer  string           `yaml:"maintainer"`
	Reviewed    string           `yaml:"reviewed"`
	Source      Source           `yaml:"source"`
	About       string           `yaml:"about"`
	Per         string           `yaml:"per"` // "visit", or "person": then it is counted over the practice too
	Denominator Cond             `yaml:"denominator"`
	Exclusions  []Cond           `yaml:"exclusions"` // any of them
	Numerator   Cond             `yaml:"numerator"`
	Examples    []MeasureExample `yaml:"examples"`
}

// MeasureExample is a small chart with how the publication has it stand.
type MeasureExample struct {
	Says  string       `yaml:"says"`
	On    string       `yaml:"on"`
	Chart ExampleChart `yaml:"chart"`
	Is    MeasureState `yaml:"is"`
}

// MeasureState says how a person stands towards a measure.
type MeasureState string

// The states of a measure. Concerned is the denominator, Met the numerator.
const (
	Met          MeasureState = "met"
	Missed       MeasureState = "missed"
	Ordered      MeasureState = "in hand" // what would meet it is ordered, and not back
	Excluded     MeasureState = "excluded"
	NotConcerned MeasureState = "not concerned"
	Unsure       MeasureState = "not known" // whether it concerns, or whether it is met
	NotComputed  MeasureState = "could not be computed"
)

// Outcome is how a person stands towards a measure, and why.
type Outcome struct {
	ID     string       `json:"id"`
	Title  string       `json:"title"`
	State  MeasureState `json:"state" enum:"met,missed,in hand,excluded,not concerned,not known,could not be computed"`
	Says   string       `json:"says" doc:"The facts that decided, or what would meet it"`
	Source string       `json:"source"`
}

type readyMeasure struct {
	*Measure
	denominator, numerator condition
	exclusions             []condition
}

// WithMeasures takes measures into the book. One with a fault is left out, with what is wrong with it.
func (b *Book) WithMeasures(all []Measure) (faults []Fault) {
	for i := range all {
		x := &all[i]
		m := &maker{sets: b.sets, rule: &Rule{ID: x.ID}, used: map[string]bool{}}
		for _, f := range []struct{ at, text string }{{"title", x.Title}, {"maintainer", x.Maintainer}, {"about", x.About}, {"source.body", x.Source.Body}, {"source.title", x.Source.Title}} {
			if strings.TrimSpace(f.text) == "" {
				m.fault(f.at, "is missing")
			}
		}
		if !identifier.MatchString(x.ID) || slices.ContainsFunc(b.measures, func(o *readyMeasure) bool { return o.ID == x.ID }) {
			m.fault("id", "%q is no identifier, or another measure has it", x.ID)
		}
		if _, ok := DayOf(x.Reviewed); !ok || x.Version < 1 {
			m.fault("reviewed", "the version or the day of the review is missing")
		}
		if x.Per != "visit" && x.Per != "person" {
			m.fault("per", "%q is neither \"visit\" nor \"person\"", x.Per)
		}
		if len(x.Examples) < 4 {
			m.fault("examples", "a measure needs four examples at least, and has %d", len(x.Examples))
		}
		made := &readyMeasure{Measure: x, denominator: m.cond("denominator", &x.Denominator), numerator: m.cond("numerator", &x.Numerator)}
		for i := range x.Exclusions {
			made.exclusions = append(made.exclusions, m.cond(fmt.Sprintf("exclusions[%d]", i), &x.Exclusions[i]))
		}
		if faults = append(faults, m.faults...); len(m.faults) == 0 {
			b.measures = append(b.measures, made)
		}
	}
	return faults
}

// Measures lists the measures.
func (b *Book) Measures() []*Measure {
	var out []*Measure
	for _, m := range b.measures {
		out = append(out, m.Measure)
	}
	return out
}

// Measure says how the person stands towards a measure today.
func (c *Chart) Measure(id string) Outcome {
	for _, m := range c.book.measures {
		if m.ID == id {
			return c.outcome(m)
		}
	}
	return Outcome{ID: id, State: NotComputed, Says: "there is no such measure"}
}

// Measured says how the person stands towards each measure that concerns them or may, those missed first.
func (c *Chart) Measured() []Outcome {
	out := []Outcome{}
	for _, m := range c.book.measures {
		if o := c.outcome(m); o.State != NotConcerned && o.State != Excluded {
			out = append(out, o)
		}
	}
	rank := map[MeasureState]int{NotComputed: 0, Missed: 0, Unsure: 1, Ordered: 2, Met: 3}
	slices.SortStableFunc(out, func(a, b Outcome) int { return rank[a.State] - rank[b.State] })
	return out
}

// MeasureOn is only the state, on a day, of the chart as it is now: what was on its lists then, by
// the days they give. What is in hand today is not asked for.
func (c *Chart) MeasureOn(id string, d Day) MeasureState {
	for _, m := range c.book.measures {
		if m.ID == id {
			s, _, _ := c.measure(m, d)
			return s
		}
	}
	return NotComputed
}

// measure is the state without what is in hand, the condition that decided, and whether that is the numerator.
func (c *Chart) measure(m *readyMeasure, d Day) (MeasureState, condition, bool) {
	if c.dead && d >= c.died.From {
		return NotConcerned, nil, false
	}
	concerned := m.denominator.eval(c, d).truth
	if concerned == False {
		return NotConcerned, m.denominator, false
	}
	unsure := condition(nil)
	if concerned == Open {
		unsure = m.denominator
	}
	for _, x := range m.exclusions {
		switch x.eval(c, d).truth {
		case True:
			return Excluded, x, false
		case Open:
			unsure = x
		}
	}
	if unsure != nil {
		return Unsure, unsure, false
	}
	switch m.numerator.eval(c, d).truth {
	case True:
		return Met, m.numerator, true
	case False:
		return Missed, m.numerator, true
	}
	return Unsure, m.numerator, true
}

func (c *Chart) outcome(m *readyMeasure) (out Outcome) {
	out = Outcome{ID: m.ID, Title: m.Title, Source: m.Source.Says()}
	defer func() { // one that fails on one chart hides none of the others
		if recover() != nil {
			out.State, out.Says = NotComputed, "could not be computed for this chart"
		}
	}()
	state, by, numerator := c.measure(m, c.day)
	out.State = state
	if by == nil || state == NotConcerned { // of most people most measures: nobody asks why
		return out
	}
	if numerator && state != Met {
		hoping := *c
		hoping.hoping = true
		if m.numerator.eval(&hoping, c.day).truth == True {
			out.State, out.Says = Ordered, tellOf(m.numerator.why(&hoping, c.day), True)
			return out
		}
	}
	w := by.why(c, c.day)
	if out.Says = tellOf(w, w.Truth); state == Missed {
		out.Says = "wanted: " + out.Says
	}
	return out
}

// tellOf is what made a condition come out so: the facts where it holds, what was wanted and what there is
// where it does not.
func tellOf(w Why, t Truth) string {
	if len(w.Of) == 0 {
		facts := strings.Join(w.Facts, "; ")
		if t == True && facts != "" {
			return facts
		}
		return strings.TrimSuffix(strings.TrimPrefix(w.Says, "had ")+" ("+facts+")", " ()")
	}
	var parts []string
	inner, one, between := t, w.word == "any" && t == True, "; "
	if w.word == "none" {
		inner, one = t.not(), t == False
	}
	if w.word == "any" && t != True {
		between = ", or "
	}
	// Where plain conditions decided, groups of them beside them add nothing but length.
	plain := w.word == "all" && t != True && slices.ContainsFunc(w.Of, func(x Why) bool { return x.Truth == inner && len(x.Of) == 0 })
	for _, x := range w.Of {
		if x.Truth != inner || plain && len(x.Of) > 0 {
			continue
		}
		says := tellOf(x, inner)
		if says != "" && !slices.Contains(parts, says) {
			parts = append(parts, says)
		}
		if one {
			break
		}
	}
	return strings.Join(parts, between)
}

// TryMeasure runs an example of a measure and says what came out otherwise than it says; "" for as it says.
func (b *Book) TryMeasure(measure string, e MeasureExample, medicine Knows) string {
	r, err := b.Record(Example{On: e.On, Chart: e.Chart}, medicine)
	if err != nil {
		return err.Error()
	}
	if o := b.Open(r).Measure(measure); o.State != e.Is {
		return fmt.Sprintf("it is %q, and should be %q (%s)", o.State, e.Is, o.Says)
	}
	return ""
}
