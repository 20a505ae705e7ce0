package reminder

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"deftledger/core/chart"
)

// Knows says the classes and the ingredients of a medicine; none for one that is not known.
type Knows func(medicine string) (classes, ingredients []string)

// Record makes the chart that an example tells.
func (b *Book) Record(e Example, medicine Knows) (chart.Record, error) {
	r := chart.Record{Zone: time.UTC, Day: e.On, Died: e.Chart.Died}
	day, ok := DayOf(e.On)
	if !ok {
		return r, fmt.Errorf("%q is no day", e.On)
	}
	r.Patient.BirthDate = e.Chart.Born
	switch e.Chart.Sex {
	case "F", "M", "O", "U", "":
		r.Patient.Sex = e.Chart.Sex
	default:
		return r, fmt.Errorf("%q is no sex: F, M, O or U", e.Chart.Sex)
	}
	dated := func(text, word string) (what, on string, err error) {
		what, on, found := strings.Cut(text, " "+word+" ")
		if what, on = strings.TrimSpace(what), strings.TrimSpace(on); found {
			if _, ok := SpanOf(on); !ok {
				return "", "", fmt.Errorf("%q: %q is no day", text, on)
			}
		}
		return what, on, nil
	}
	id := 0
	next := func() string { id++; return fmt.Sprintf("e%d", id) }
	for _, text := range e.Chart.Problems {
		text, ended, err := dated(text, "until")
		if err != nil {
			return r, err
		}
		code, since, err := dated(text, "since")
		if err != nil {
			return r, err
		}
		r.Problems = append(r.Problems, chart.Problem{ID: next(), Code: code, Title: code, Onset: since, Since: since, Ended: ended})
	}
	for _, text := range e.Chart.Medicines {
		name, since, err := dated(text, "since")
		if err != nil {
			return r, err
		}
		name, told, _ := strings.Cut(name, " told ")
		m := chart.Medicine{ID: next(), Name: name, Started: since, Told: chart.Told{Says: told}}
		if m.Classes, m.Ingredients = medicine(name); len(m.Ingredients) == 0 {
			return r, fmt.Errorf("the medicine %q is not known", name)
		}
		r.Medicines = append(r.Medicines, m)
	}
	for _, text := range e.Chart.Values {
		what, on, err := dated(text, "on")
		if err != nil {
			return r, err
		}
		name, value, _ := strings.Cut(what, " ")
		n, ok := b.sets.named(name, quantities)
		if !ok {
			return r, fmt.Errorf("there is no quantity %q", name)
		}
		s := b.sets.all[n]
		value = strings.TrimSpace(value)
		unit := s.unit
		if v, u, two := strings.Cut(value, " "); two && (u == s.unit || slices.Contains(keys(s.units), u) || strings.HasPrefix(u, "in ")) {
			value, unit = v, strings.TrimPrefix(u, "in ")
		}
		r.Values = append(r.Values, chart.Value{LOINC: b.sets.firstLOINC(n), Name: s.says, Text: value, Unit: unit, At: on, Day: on, Source: chart.FromReport, Ref: next()})
	}
	for _, text := range e.Chart.Had {
		name, on, err := dated(text, "on")
		if err != nil {
			return r, err
		}
		if len(b.sets.items[name]) == 0 {
			return r, fmt.Errorf("there is no service %q", name)
		}
		r.Services = append(r.Services, chart.Service{ID: next(), Name: name, On: on})
	}
	for _, text := range e.Chart.Vaccines {
		cvx, on, err := dated(text, "on")
		if err != nil {
			return r, err
		}
		r.Immunizations = append(r.Immunizations, chart.Immunization{ID: next(), Name: "CVX " + cvx, Given: chart.Given{CVX: cvx}, On: on, Source: "record"})
	}
	for _, text := range e.Chart.Histories {
		f := strings.Split(text, "|")
		for len(f) < 4 {
			f = append(f, "")
		}
		for i := range f {
			f[i] = strings.TrimSpace(f[i])
		}
		if chart.ListName(f[0]) == "" {
			return r, fmt.Errorf("%q: there is no list %q", text, f[0])
		}
		r.Histories = append(r.Histories, chart.HistoryEntry{ID: next(), List: f[0], Title: f[1], Detail: f[2], Since: f[3], StatedAt: day.time()})
	}
	for _, list := range e.Chart.Reviewed {
		r.Statements = append(r.Statements, chart.Statement{ID: next(), List: list, Says: "reviewed", At: day.time()})
	}
	for q, value := range e.Chart.Answers {
		if _, known := b.sets.questions[q]; !known {
			return r, fmt.Errorf("there is no question %q", q)
		}
		value, on, err := dated(value, "on")
		if err != nil {
			return r, err
		}
		if on == "" {
			on = e.On
		}
		r.Answers = append(r.Answers, chart.Answer{ID: next(), Question: q, Value: value, Day: on})
	}
	for _, text := range e.Chart.Decisions {
		what, until, err := dated(text, "until")
		if err != nil {
			return r, err
		}
		says, on, err := dated(what, "on")
		if err != nil {
			return r, err
		}
		at, ok := DayOf(on)
		d := chart.Decision{ID: next(), Says: says, On: on, Until: until, At: day.time()}
		if ok {
			d.At = at.time()
		}
		if !slices.Contains([]string{chart.DecidedDone, chart.DecidedOutside, chart.DecidedDecline, chart.DecidedPutOff, chart.DecidedNotFor}, says) {
			return r, fmt.Errorf("%q is no decision", says)
		}
		r.Decisions = append(r.Decisions, d)
	}
	for _, text := range e.Chart.Waits {
		name, on, err := dated(text, "on")
		if err != nil {
			return r, err
		}
		switch n, known := b.sets.byName[name]; {
		case known && b.sets.all[n].kind == quantities:
			r.InHand = append(r.InHand, chart.InHand{OrderID: next(), Day: on, Name: b.sets.all[n].says, LOINC: b.sets.firstLOINC(n)})
		case len(b.sets.items[name]) > 0:
			r.Awaited = append(r.Awaited, chart.Awaited{ID: next(), Item: name, Day: on})
		case strings.HasPrefix(name, "referral for "):
			r.Awaited = append(r.Awaited, chart.Awaited{ID: next(), Rule: strings.TrimPrefix(name, "referral for "), Day: on})
		default:
			return r, fmt.Errorf("there is no quantity or service %q", name)
		}
	}
	for _, on := range e.Chart.Seen {
		r.Visits = append(r.Visits, chart.Encounter{ID: next(), Day: on, Seen: true})
	}
	r.Addressed = e.Chart.Addressed
	for _, name := range e.Chart.Allergies {
		classes, ingredients := medicine(name)
		if len(ingredients) == 0 {
			return r, fmt.Errorf("the medicine %q is not known", name)
		}
		r.Allergies = append(r.Allergies, chart.Allergy{ID: next(), Substance: name, Classes: classes})
	}
	return r, nil
}

// Try runs an example of a rule and says what came out otherwise than it says; "" for as it
// says.
func (b *Book) Try(rule string, e Example, medicine Knows) string {
	r, err := b.Record(e, medicine)
	if err != nil {
		return err.Error()
	}
	for i := range r.Decisions {
		r.Decisions[i].Rule = rule
	}
	c := b.Open(r)
	s := c.Stand(rule)
	switch {
	case s.State != e.Is:
		return fmt.Sprintf("it is %q, and should be %q", s.State, e.Is)
	case e.Since != "" && s.Since.String() != e.Since:
		return fmt.Sprintf("it is so since %q, and should be since %q", s.Since, e.Since)
	case e.Until != "" && s.Changes.String() != e.Until:
		return fmt.Sprintf("it stands so until %q, and should until %q", s.Changes, e.Until)
	case e.Due != "" && s.Due.String() != e.Due:
		return fmt.Sprintf("it is due on %q, and should be on %q", s.Due, e.Due)
	case e.Asks != "" && !slices.Contains(c.Asks(rule), e.Asks):
		return fmt.Sprintf("it asks %q, and should ask %q", c.Asks(rule), e.Asks)
	}
	return ""
}

func keys(m map[string]Conversion) (out []string) {
	for k := range m {
		out = append(out, k)
	}
	return out
}
