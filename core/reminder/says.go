package reminder

import (
	"slices"
	"strconv"
	"strings"

	"deftledger/core/chart"
)

// Says is a standing in a few words: what was found, what is awaited, what was decided.
func (c *Chart) Says(s Standing) string {
	switch s.State {
	case Failed:
		return "could not be computed for this chart"
	case InHand:
		return s.By.Name + ", ordered " + s.By.On.Says()
	case Holds, Coming:
		if r := c.book.by[s.Rule.ID]; r.series != nil {
			return c.forecast(r.series, c.day).says()
		}
		if s.By.Name == "out of season" {
			return "out of season"
		}
		if s.By.Name != "" {
			return s.By.Says()
		}
	case Declined, PutOff, NotFor:
		if d := s.Decided; d != nil {
			return strings.TrimSuffix("by "+d.By+", "+c.momentDay(d.At).Says()+": "+d.Reason, ": ")
		}
		if s.State == NotFor {
			if s.By.Name != "" {
				return s.By.Says()
			}
			return c.whyNot(s.Rule.ID)
		}
	case Unknown:
		if r := c.book.by[s.Rule.ID]; r.series != nil {
			if open := c.whyOpen(s.Rule.ID); open != "" {
				return open
			}
			return strings.Join(r.series.why(c).Facts, "; ")
		}
		if s.Follow.Name != "" {
			return s.Follow.Says() + ": whether it was followed up is not certain"
		}
		if s.By.Name != "" {
			return s.By.Says()
		}
		return c.whyOpen(s.Rule.ID)
	case Due, Overdue:
		if r := c.book.by[s.Rule.ID]; r.series != nil {
			x := c.forecast(r.series, c.day)
			return "dose " + strconv.Itoa(x.next) + "; " + x.says()
		}
		if s.Follow.Name != "" {
			return "to be followed up: " + s.Follow.Says()
		}
		if s.By.Name != "" {
			return "last " + s.By.Says()
		}
		return "none found"
	}
	return ""
}

// whyNot is the first condition for which a rule does not concern somebody.
func (c *Chart) whyNot(rule string) string {
	r := c.book.by[rule]
	if w := find(r.applies.why(c, c.day), False); w.Says != "" {
		return strings.Join(w.Facts, "; ")
	}
	for _, x := range r.excluded {
		if w := x.why(c, c.day); w.Truth == True {
			return strings.Join(find(w, True).Facts, "; ")
		}
	}
	return ""
}

// whyOpen is what is not known.
func (c *Chart) whyOpen(rule string) string {
	r := c.book.by[rule]
	says := func(w Why) string {
		if w.Asks != "" {
			return strings.Join(w.Facts, "; ") // the question itself stands beside it
		}
		return w.Says + ": " + strings.Join(w.Facts, "; ")
	}
	if w := find(r.applies.why(c, c.day), Open); w.Says != "" {
		return says(w)
	}
	for _, x := range r.excluded {
		if w := find(x.why(c, c.day), Open); w.Says != "" {
			return says(w)
		}
	}
	for _, s := range r.satisfied {
		if w := s.why(c); w.Truth == Open {
			return strings.Join(w.Facts, "; ")
		}
	}
	return ""
}

// find is the innermost condition of a truth.
func find(w Why, t Truth) Why {
	if w.Truth != t {
		return Why{}
	}
	for _, inner := range w.Of {
		if f := find(inner, t); f.Says != "" {
			return f
		}
	}
	if len(w.Of) > 0 {
		// "none of these" is false because one holds, and the other way round.
		for _, inner := range w.Of {
			if f := find(inner, t.not()); f.Says != "" && t != Open {
				return f
			}
		}
	}
	return w
}

// SaysOf is a decision as the plan of a note tells it.
func (r *Rule) SaysOf(d chart.Decision) string {
	on := ""
	if s, ok := SpanOf(d.On); ok {
		on = s.Says()
	}
	until := ""
	if u, ok := DayOf(d.Until); ok {
		until = u.Says()
	}
	end := func(s string) string {
		if d.Reason != "" {
			s += ": " + strings.TrimRight(d.Reason, ". ")
		}
		return s + "."
	}
	switch d.Says {
	case chart.DecidedDone:
		s := strings.TrimRight(r.Note, ".")
		if until != "" {
			s += ", again " + until
		}
		return end(s)
	case chart.DecidedOutside:
		s := r.Title + ": had elsewhere"
		if on != "" {
			s += ", " + on
		}
		if d.Source != "" {
			s += " (" + d.Source + ")"
		}
		return end(s)
	case chart.DecidedDecline:
		return end(r.Title + ": declined")
	case chart.DecidedPutOff:
		return end(r.Title + ": put off until " + until)
	}
	return end(r.Title + ": does not apply")
}

// Means are the sets by which a rule is fulfilled, with the words for them.
func (b *Book) Means(rule string) (out []Mean) {
	r := b.by[rule]
	if r == nil {
		return nil
	}
	means := slices.Clone(r.satisfied)
	if r.series != nil {
		means = append(means, satisfier{set: r.series.set})
	}
	for _, s := range means {
		x := b.sets.all[s.set]
		m := Mean{Name: x.name, Says: x.says, Value: len(s.byResult) > 0 || s.is.Op != "", Quantity: x.kind == quantities}
		if x.kind == vaccines {
			for code, sets := range b.sets.cvx {
				for _, n := range sets {
					if n == s.set {
						m.CVX = append(m.CVX, code)
					}
				}
			}
		}
		out = append(out, m)
	}
	return out
}

// Mean is one way in which a rule is fulfilled. Value says that its result decides for how
// long; CVX are the codes of a vaccine.
type Mean struct {
	Name, Says      string
	Value, Quantity bool
	CVX             []string
}
