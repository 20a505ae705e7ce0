package reminder

import (
	"slices"
	"strings"
)

type ageIs struct{ from, below Length }

func (x ageIs) eval(c *Chart, d Day) verdict {
	if !c.bornKnown || c.born.From > d {
		return always(Open) // nobody's age is known before the birth
	}
	side := func(l Length) verdict { // has this age been reached?
		if !l.Given() {
			return always(True)
		}
		first, last := l.After(c.born.From), l.After(c.born.To)
		switch {
		case d >= last:
			return verdict{True, last, Never}
		case d < first:
			return verdict{False, Ever, first}
		}
		return verdict{Open, first, last}
	}
	out := side(x.from)
	if x.below.Given() {
		out = both(out, side(x.below).not())
	}
	return out
}

func (x ageIs) says() string {
	switch {
	case !x.below.Given():
		return "age of " + x.from.String() + " or more"
	case !x.from.Given():
		return "younger than " + x.below.String()
	}
	return "age from " + x.from.String() + ", younger than " + x.below.String()
}

func (x ageIs) why(c *Chart, d Day) Why {
	fact := "birth date not known"
	if c.bornKnown {
		fact = "born " + c.born.Says()
	}
	return tell(c, d, x, x.says(), fact)
}

type bornIs struct{ from, before Day }

func (x bornIs) eval(c *Chart, _ Day) verdict {
	switch {
	case !c.bornKnown:
		return always(Open)
	case c.born.From >= x.from && c.born.To < x.before:
		return always(True)
	case c.born.To < x.from || c.born.From >= x.before:
		return always(False)
	}
	return always(Open)
}

func (x bornIs) why(c *Chart, d Day) Why {
	says := "born"
	if x.from != Ever {
		says += " on " + x.from.Says() + " or later"
	}
	if x.before != Never {
		says += " before " + x.before.Says()
	}
	fact := "birth date not known"
	if c.bornKnown {
		fact = "born " + c.born.Says()
	}
	return tell(c, d, x, says, fact)
}

type sexIs struct{ sex string }

func (x sexIs) eval(c *Chart, _ Day) verdict {
	switch c.r.Patient.Sex {
	case "F", "M":
		return always(truth(c.r.Patient.Sex == x.sex))
	}
	return always(Open)
}

func (x sexIs) why(c *Chart, d Day) Why {
	words := map[string]string{"F": "female", "M": "male"}
	is, known := words[c.r.Patient.Sex]
	if !known {
		is = "sex not recorded as female or male"
	}
	return tell(c, d, x, "recorded as "+words[x.sex], is)
}

// organIs is whether somebody has an organ: an answer first, then what was removed, then what
// goes with the sex recorded.
type organIs struct {
	organ    string
	removals []int // sets by which it was removed
}

func (x organIs) eval(c *Chart, d Day) verdict {
	v, _ := x.look(c, d)
	return v
}

func (x organIs) look(c *Chart, d Day) (verdict, string) {
	if a, ok := c.newestAnswer("has-"+x.organ, d); ok {
		switch a.Value {
		case "yes":
			return always(True), "answered: yes"
		case "no":
			return always(False), "answered: no"
		}
	}
	open := ""
	for _, n := range x.removals {
		for _, f := range c.facts[n] {
			if f.Undated || f.On.From <= d {
				if f.Doubt == "" {
					return always(False), f.Says()
				}
				open = f.Says()
			}
		}
	}
	if open != "" {
		return always(Open), open
	}
	owner := map[string]string{"cervix": "F", "uterus": "F", "ovaries": "F", "breasts": "F", "prostate": "M"}[x.organ]
	switch c.r.Patient.Sex {
	case "F", "M":
		return always(truth(c.r.Patient.Sex == owner)), map[string]string{"F": "recorded as female", "M": "recorded as male"}[c.r.Patient.Sex] + ", no removal in the chart"
	}
	return always(Open), "sex not recorded as female or male, and nobody said"
}

func (x organIs) why(c *Chart, d Day) Why {
	v, fact := x.look(c, d)
	says := "has a " + x.organ
	if strings.HasSuffix(x.organ, "s") && x.organ != "uterus" {
		says = "has " + x.organ
	}
	w := tell(c, d, x, says, fact)
	if v.truth == Open {
		w.Asks = "has-" + x.organ
	}
	return w
}

type pregnantIs struct{ want bool }

func (x pregnantIs) eval(c *Chart, d Day) verdict {
	v := c.pregnant
	if v.truth == True && d >= v.until {
		v = always(Open)
	}
	if !x.want {
		return v.not()
	}
	return v
}

func (x pregnantIs) why(c *Chart, d Day) Why {
	says := "is pregnant"
	if !x.want {
		says = "is not pregnant"
	}
	fact := c.pregnancy
	if fact == "" {
		fact = "no pregnancy on the problem list"
	}
	return tell(c, d, x, says, fact)
}

type familyIs struct {
	sets  []int
	first bool
}

func (x familyIs) eval(c *Chart, _ Day) verdict {
	out := False
	for _, n := range x.sets {
		for _, f := range c.relatives[n] {
			t := True
			if f.Doubt != "" {
				t = Open
			}
			if x.first {
				who := plainly(f.Text)
				named := func(all []string) bool {
					return slices.ContainsFunc(all, func(w string) bool { return strings.Contains(who, " "+w+" ") || strings.Contains(who, " "+w+"s ") })
				}
				switch {
				case named(furtherOff) || strings.Contains(who, " maternal ") || strings.Contains(who, " paternal "):
					if !named(firstDegree) {
						t = False
					} else {
						t = Open
					}
				case !named(firstDegree):
					t = Open
				}
			}
			out = max(out, t)
		}
	}
	if out == False && len(c.familyList()) == 0 && !c.reviewed["family"] {
		return always(Open)
	}
	return always(out)
}

func (c *Chart) familyList() (out []string) {
	for _, h := range c.r.Histories {
		if h.List == "family" {
			out = append(out, h.Title)
		}
	}
	return out
}

func (x familyIs) why(c *Chart, d Day) Why {
	says := c.names(x.sets) + " in the family"
	if x.first {
		says = c.names(x.sets) + " in parents, siblings or children"
	}
	var facts []string
	for _, n := range x.sets {
		for _, f := range c.relatives[n] {
			facts = append(facts, f.Says())
		}
	}
	switch {
	case len(facts) > 0:
	case len(c.familyList()) == 0 && !c.reviewed["family"]:
		facts = []string{"nobody recorded anything of the family"}
	default:
		facts = []string{"not in the family history"}
	}
	return tell(c, d, x, says, facts...)
}

type visitIs struct{ within Length }

func (x visitIs) eval(c *Chart, d Day) verdict {
	for i := len(c.seen) - 1; i >= 0; i-- {
		if on := c.seen[i]; on <= d {
			if until := x.within.After(on); d < until {
				return verdict{True, on, until}
			}
			break
		}
	}
	return always(False)
}

func (x visitIs) why(c *Chart, d Day) Why {
	fact := "not seen here"
	for i := len(c.seen) - 1; i >= 0; i-- {
		if c.seen[i] <= d {
			fact = "seen " + c.seen[i].Says()
			break
		}
	}
	return tell(c, d, x, "seen here within "+x.within.String(), fact)
}
