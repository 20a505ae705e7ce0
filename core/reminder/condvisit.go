package reminder

import (
	"slices"
	"strings"

	"deftledger/core/chart"
)

// addressedIs is a diagnosis coded at the visit at which the chart is read.
type addressedIs struct{ sets []int }

func (x addressedIs) codes(c *Chart) (out []string) {
	for _, code := range c.r.Addressed {
		if slices.ContainsFunc(c.book.sets.ofCode(code), func(n int) bool { return slices.Contains(x.sets, n) }) {
			out = append(out, code)
		}
	}
	return out
}

func (x addressedIs) eval(c *Chart, _ Day) verdict { return always(truth(len(x.codes(c)) > 0)) }

func (x addressedIs) why(c *Chart, d Day) Why {
	fact := "none coded at this visit"
	if codes := x.codes(c); len(codes) > 0 {
		fact = strings.Join(codes, ", ") + " addressed at this visit"
	}
	return tell(c, d, x, c.names(x.sets)+" addressed at this visit", fact)
}

// allergicTo is an allergy to medicines of the sets. One that is doubted is not known; one that was refuted is none.
type allergicTo struct{ sets []int }

func (x allergicTo) find(c *Chart) (Truth, string) {
	out, fact := False, "none recorded"
	for _, a := range c.r.Allergies {
		if a.Certainty == "refuted" || !slices.ContainsFunc(c.book.sets.ofMedicine(a.Classes, nil), func(n int) bool { return slices.Contains(x.sets, n) }) {
			continue
		}
		t := True
		if a.Certainty == "doubtful" {
			t = Open
		}
		if t > out {
			out, fact = t, strings.TrimSpace(a.Substance+" "+a.Certainty)
		}
	}
	return out, fact
}

func (x allergicTo) eval(c *Chart, _ Day) verdict {
	t, _ := x.find(c)
	return always(t)
}

func (x allergicTo) why(c *Chart, d Day) Why {
	_, fact := x.find(c)
	return tell(c, d, x, "allergy to "+c.names(x.sets), fact)
}

// lookedThrough is that somebody went through a list on the day.
type lookedThrough struct{ list string }

func (x lookedThrough) eval(c *Chart, d Day) verdict {
	on, ok := c.gone[x.list]
	return always(truth(ok && on == d))
}

func (x lookedThrough) why(c *Chart, d Day) Why {
	fact := "not marked as looked through"
	if on, ok := c.gone[x.list]; ok {
		fact = chart.ListName(x.list) + " looked through " + on.Says()
	}
	return tell(c, d, x, chart.ListName(x.list)+" looked through today", fact)
}
