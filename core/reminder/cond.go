package reminder

import "slices"

// Why is a condition with its answer for a chart, the facts that gave it, and what it is made of.
type Why struct {
	Says  string   `json:"says"`
	Truth Truth    `json:"-"`
	Holds string   `json:"holds"` // yes, no, not known
	Facts []string `json:"facts"`
	Asks  string   `json:"asks"` // the question whose answer would decide
	Of    []Why    `json:"of"`
	word  string   // all, any or none, of a group
}

// condition is a compiled condition. eval is quick and says nothing; why tells the facts.
type condition interface {
	eval(c *Chart, d Day) verdict
	why(c *Chart, d Day) Why
}

func tell(c *Chart, d Day, x condition, says string, facts ...string) Why {
	t := x.eval(c, d).truth
	return Why{Says: says, Truth: t, Holds: t.String(), Facts: slices.DeleteFunc(facts, func(s string) bool { return s == "" })}
}

// group is all, any or none of several conditions.
type group struct {
	word string
	of   []condition
}

func (g group) eval(c *Chart, d Day) verdict {
	if g.word == "all" {
		out := always(True)
		for _, x := range g.of {
			out = both(out, x.eval(c, d))
		}
		return out
	}
	out := always(False)
	for _, x := range g.of {
		out = either(out, x.eval(c, d))
	}
	if g.word == "none" {
		return out.not()
	}
	return out
}

func (g group) why(c *Chart, d Day) Why {
	w := tell(c, d, g, map[string]string{"all": "All of these", "any": "One of these", "none": "None of these"}[g.word])
	w.word = g.word
	for _, x := range g.of {
		w.Of = append(w.Of, x.why(c, d))
	}
	return w
}
