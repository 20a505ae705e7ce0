package cql

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"time"

	"deftledger/core/chart"
	"deftledger/core/reminder"
)

// Exported is what is needed to hold another engine's answers against ours.
type Exported struct {
	Book     *reminder.Book
	Rules    []*reminder.Rule
	Measures []reminder.Measure
	Sets     reminder.Sets
	Own      map[string]reminder.Own
	Medicine reminder.Knows
	Mixed    int // charts put together from the examples of several rules
}

// Write hands out files by name: each library as .cql, each rule and measure as a FHIR Bundle, each example as a chart, and
// expected.tsv and measures.tsv with what comes out: library, chart, the day Today, the state. cannot.tsv names the rules without a
// library, and why.
func (x Exported) Write(write func(name string, body []byte) error) (written int, err error) {
	var expected, measured, cannot strings.Builder
	put := func(name, text string) {
		if err == nil {
			err = write(name, []byte(text))
		}
	}
	chartOf := func(name string, r chart.Record) {
		body, wrong := Chart(x.Book, r)
		if wrong == nil {
			put(name+".json", string(body))
		} else if err == nil {
			err = wrong
		}
	}
	var whole []*reminder.Rule // those that have a library
	for _, rule := range x.Rules {
		plan, wrong := Plan(rule, x.Sets, x.Own[rule.ID].Parameters)
		if wrong != nil {
			return written, wrong
		}
		put("PlanDefinition-"+rule.ID+".json", string(plan))
		l := Write(rule, x.Sets, x.Own[rule.ID].Parameters)
		if len(l.Cannot) > 0 {
			fmt.Fprintf(&cannot, "%s\t%s\n", rule.ID, strings.Join(l.Cannot, "; "))
			continue
		}
		written++
		put(l.Name+".cql", l.Text)
		whole = append(whole, rule)
		for i, e := range rule.Examples {
			if len(e.Chart.Decisions) > 0 || len(e.Chart.Waits) > 0 {
				continue
			}
			r, wrong := x.Book.Record(e, x.Medicine)
			if wrong != nil {
				return written, wrong
			}
			name := fmt.Sprintf("%s-%d", rule.ID, i+1)
			chartOf(name, r)
			fmt.Fprintf(&expected, "%s\t%s\t%s\t%s\n", l.Name, name, e.On, plainly(x.Book.Open(r).Plain(rule.ID)))
		}
	}
	for i := range x.Measures {
		m := &x.Measures[i]
		l := WriteMeasure(m, x.Sets)
		if len(l.Cannot) > 0 {
			fmt.Fprintf(&cannot, "measure-%s\t%s\n", m.ID, strings.Join(l.Cannot, "; "))
			continue
		}
		put(l.Name+".cql", l.Text)
		body, wrong := MeasureOf(m, x.Sets)
		if wrong != nil {
			return written, wrong
		}
		put("Measure-"+m.ID+".json", string(body))
		for i, e := range m.Examples {
			r, wrong := x.Book.Record(reminder.Example{On: e.On, Chart: e.Chart}, x.Medicine)
			if wrong != nil {
				return written, wrong
			}
			for _, code := range r.Addressed { // of a visit, and counted like those of the list
				r.Problems = append(r.Problems, chart.Problem{ID: "now-" + code, Code: code, Title: code, Since: r.Day})
			}
			name := fmt.Sprintf("measure-%s-%d", m.ID, i+1)
			chartOf(name, r)
			state := e.Is
			if state == reminder.Ordered {
				state = reminder.Missed
			}
			fmt.Fprintf(&measured, "%s\t%s\t%s\t%s\n", l.Name, name, e.On, state)
		}
	}
	if err := x.mix(whole, chartOf, &expected); err != nil {
		return written, err
	}
	put(Common+".cql", CommonText)
	put("expected.tsv", expected.String())
	put("measures.tsv", measured.String())
	put("cannot.tsv", cannot.String())
	return written, err
}

// mix puts charts together from the examples of several rules, each read by three rules on a day of its own.
func (x Exported) mix(rules []*reminder.Rule, chartOf func(string, chart.Record), expected *strings.Builder) error {
	r := rand.New(rand.NewPCG(1, 500))
	for n := range x.Mixed {
		var mix reminder.ExampleChart
		var asked []string
		for i := range 6 {
			rule := rules[r.IntN(len(rules))]
			e := rule.Examples[r.IntN(len(rule.Examples))].Chart
			if i < 3 {
				asked = append(asked, rule.ID)
			}
			if i == 0 {
				mix.Born, mix.Sex = e.Born, e.Sex
			}
			mix.Problems, mix.Medicines, mix.Values = append(mix.Problems, e.Problems...), append(mix.Medicines, e.Medicines...), append(mix.Values, e.Values...)
			mix.Had, mix.Vaccines, mix.Seen = append(mix.Had, e.Had...), append(mix.Vaccines, e.Vaccines...), append(mix.Seen, e.Seen...)
			for _, h := range e.Histories {
				if !strings.HasPrefix(h, "family") {
					mix.Histories = append(mix.Histories, h)
				}
			}
			for q, a := range e.Answers {
				if mix.Answers == nil {
					mix.Answers = map[string]string{}
				}
				mix.Answers[q] = a
			}
		}
		on := time.Date(2026, 11, 27, 0, 0, 0, 0, time.UTC).AddDate(0, 0, r.IntN(900)-500).Format(time.DateOnly)
		record, err := x.Book.Record(reminder.Example{On: on, Chart: mix}, x.Medicine)
		if err != nil {
			return err
		}
		name := fmt.Sprintf("mixed-%d", n+1)
		chartOf(name, record)
		c := x.Book.Open(record)
		for _, rule := range asked {
			fmt.Fprintf(expected, "%s\t%s\t%s\t%s\n", Name(rule), name, on, plainly(c.Plain(rule)))
		}
	}
	return nil
}

// plainly is a standing as a library says it.
func plainly(s reminder.State) string {
	switch s {
	case reminder.Due, reminder.Overdue:
		return "due"
	}
	return string(s)
}
