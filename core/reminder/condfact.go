package reminder

import (
	"fmt"
	"slices"
	"strings"

	"deftledger/core/chart"
)

type problemIs struct {
	sets  []int
	ever  bool
	since Length // known for so long at least
}

func (x problemIs) eval(c *Chart, d Day) verdict {
	out := always(False)
	take := func(v verdict) { // one of several entries is enough
		out = either(out, v)
	}
	for _, n := range x.sets {
		for i := range c.facts[n] {
			f := &c.facts[n][i]
			if f.History && !x.ever || !f.Undated && f.On.From > d || !x.ever && f.Until <= d {
				continue
			}
			until := f.Until
			if x.ever {
				until = Never
			}
			switch {
			case f.Doubt != "":
				take(verdict{Open, Ever, until})
			case f.Undated && x.since.Given():
				take(verdict{Open, Ever, until})
			case f.Undated:
				take(verdict{True, Ever, until})
			case x.since.Given():
				first, last := x.since.After(f.On.From), x.since.After(f.On.To)
				switch {
				case d >= last:
					take(verdict{True, last, until})
				case d >= first:
					take(verdict{Open, first, min(last, until)})
				default:
					take(verdict{False, Ever, first})
				}
			default:
				take(verdict{True, f.On.To, until})
			}
		}
	}
	return out
}

func (c *Chart) names(sets []int) string {
	var out []string
	for _, n := range sets {
		out = append(out, c.book.sets.all[n].says)
	}
	return strings.Join(out, " or ")
}

func (x problemIs) why(c *Chart, d Day) Why {
	says := c.names(x.sets) + " on the problem list"
	if x.ever {
		says = c.names(x.sets) + " in problem list or history"
	}
	if x.since.Given() {
		says += " for " + x.since.String() + " at least"
	}
	var facts []string
	for _, n := range x.sets {
		for _, f := range c.facts[n] {
			if (!f.History || x.ever) && (f.Undated || f.On.From <= d) && (x.ever || f.Until > d) {
				facts = append(facts, f.Says())
			}
		}
	}
	if len(facts) == 0 {
		facts = []string{"none recorded"}
	}
	return tell(c, d, x, says, facts...)
}

type medicineIs struct{ sets []int }

func (x medicineIs) eval(c *Chart, d Day) verdict {
	out := always(False)
	for _, n := range x.sets {
		for i := range c.facts[n] {
			f := &c.facts[n][i]
			if !f.Undated && f.On.From > d || f.Until <= d {
				continue
			}
			v := verdict{True, f.On.To, f.Until}
			if f.Undated {
				v.since = Ever
			}
			if f.Doubt != "" {
				v.truth = Open
			}
			out = either(out, v)
		}
	}
	return out
}

func (x medicineIs) why(c *Chart, d Day) Why {
	var facts, strange []string
	for _, n := range x.sets {
		for _, f := range c.facts[n] {
			if (f.Undated || f.On.From <= d) && f.Until > d {
				facts = append(facts, f.Says())
			}
		}
	}
	for _, m := range c.r.Medicines {
		if len(m.Classes) == 0 {
			strange = append(strange, m.Name)
		}
	}
	if len(facts) == 0 {
		facts = []string{"none on the list of medicines"}
		if len(strange) > 0 {
			facts = append(facts, "not known to the program, and so not looked at: "+strings.Join(strange, ", "))
		}
	}
	return tell(c, d, x, "takes "+c.names(x.sets), facts...)
}

type valueIs struct {
	set    int
	is     Is
	within Length
	any    bool
	lowest bool // of several of one day
	no     bool // that there is none is a no
}

// conversion says how a value comes to the unit of its set; ok is false where it does not.
func (s *set) conversion(unit string) (Conversion, bool) {
	if unit == s.unit || s.unit == "" {
		return Conversion{Times: 1}, true
	}
	c, ok := s.units[unit]
	return c, ok
}

func (s *set) judge(f *Fact, is Is) Truth {
	if f.Doubt != "" {
		return Open
	}
	conv, ok := s.conversion(f.Unit)
	if !ok && is.Op != "word" && is.Op != "" {
		return Open
	}
	return is.of(f.Text, conv.Times, conv.Plus)
}

func (x valueIs) eval(c *Chart, d Day) verdict {
	v, _ := x.look(c, d)
	return v
}

func (x valueIs) look(c *Chart, d Day) (verdict, *Fact) {
	s := &c.book.sets.all[x.set]
	missing := always(Open)
	if x.no {
		missing = always(False)
	}
	facts := c.facts[x.set]
	out, found := missing, &Fact{}
	first := true
	for i := len(facts) - 1; i >= 0; i-- {
		f := &facts[i]
		if f.On.To > d {
			continue
		}
		until := Never
		if x.within.Given() {
			if until = x.within.After(f.On.To); d >= until {
				break
			}
		}
		v := verdict{s.judge(f, x.is), f.On.To, until}
		if !x.any {
			if first || f.On == found.On { // of several of one day all have to agree
				if first {
					out, found, first = v, f, false
				} else if x.lowest { // the lowest is below a limit where one of them is
					if v.truth > out.truth {
						out, found = v, f
					}
				} else if !x.lowest && out.truth != v.truth {
					out.truth = Open
				}
				continue
			}
			break
		}
		if first {
			out, found, first = v, f, false
			continue
		}
		if v.truth == True && out.truth != True {
			found = f
		}
		out = either(out, v)
	}
	if first && c.hoping && len(c.waits[x.set]) > 0 {
		return always(True), &Fact{Name: c.waits[x.set][0].Name + " ordered", Undated: true}
	}
	return out, found
}

func (x valueIs) why(c *Chart, d Day) Why {
	s := c.book.sets.all[x.set]
	says := s.says
	if x.is.Op != "" {
		says += " " + x.is.says()
		if u := s.unit; u != "" && x.is.Op != "word" {
			says += " " + chart.ShownUnit(u)
		}
	}
	if x.within == (Length{N: 1, Unit: Days}) {
		says += " today"
	} else if x.within.Given() {
		says += " within " + x.within.String()
	}
	v, f := x.look(c, d)
	fact := "none recorded"
	if f.Name != "" {
		fact = f.Says()
		if v.truth == Open && f.Doubt == "" {
			fact += ": cannot be compared"
		}
	}
	return tell(c, d, x, says, fact)
}

type hadIs struct {
	sets   []int
	within Length
	from   Length
}

func (x hadIs) eval(c *Chart, d Day) verdict {
	out := always(False)
	for _, n := range x.sets {
		for i := range c.facts[n] {
			f := &c.facts[n][i]
			if !f.Undated && f.On.To > d {
				continue
			}
			v := verdict{True, f.On.To, Never}
			switch {
			case f.Doubt != "":
				v = verdict{Open, Ever, Never}
			case f.Undated && (x.within.Given() || x.from.Given()):
				v = verdict{Open, Ever, Never}
			case f.Undated:
				v = always(True)
			}
			if !f.Undated && x.within.Given() {
				first, last := x.within.After(f.On.From), x.within.After(f.On.To)
				switch {
				case d >= last:
					v = verdict{False, last, Never}
				case d >= first:
					v.truth, v.until = min(v.truth, Open), last
				default:
					v.until = first
				}
			}
			if !f.Undated && x.from.Given() {
				switch {
				case !c.bornKnown:
					v.truth = min(v.truth, Open)
				case f.On.To < x.from.After(c.born.From):
					continue
				case f.On.From < x.from.After(c.born.To):
					v.truth = min(v.truth, Open)
				}
			}
			out = either(out, v)
		}
		if c.hoping && out.truth != True && len(c.waits[n]) > 0 {
			return always(True)
		}
	}
	return out
}

func (x hadIs) why(c *Chart, d Day) Why {
	says := "had " + c.names(x.sets)
	if x.within.Given() {
		says += " within " + x.within.String()
	}
	if x.from.Given() {
		says += " at " + x.from.String() + " or later"
	}
	var facts []string
	for _, n := range x.sets {
		for _, f := range c.facts[n] {
			if f.Undated || f.On.To <= d {
				facts = append(facts, f.Says())
			}
		}
	}
	if len(facts) == 0 {
		facts = []string{"none recorded"}
	}
	return tell(c, d, x, says, facts...)
}

type tobaccoIs struct{ TobaccoCond }

func (x tobaccoIs) eval(c *Chart, d Day) verdict {
	t := c.tobacco
	out := always(True)
	add := func(v verdict) { out = both(out, v) }
	if len(x.Status) > 0 {
		switch {
		case t.Status == "":
			add(always(Open))
		case t.Status == "not now": // current is out; whether former or never is not said
			switch {
			case has(x.Status, "former") && has(x.Status, "never"):
				add(always(True))
			case has(x.Status, "former") || has(x.Status, "never"):
				add(always(Open))
			default:
				add(always(False))
			}
		default:
			add(always(truth(has(x.Status, t.Status))))
		}
	}
	if x.TobaccoCond.Ever {
		ever, known := t.Ever()
		if !known {
			add(always(Open))
		} else {
			add(always(truth(ever)))
		}
	}
	if x.PackYears > 0 {
		switch {
		case t.Known && t.Low >= x.PackYears:
			add(always(True))
		case t.Known && t.High < x.PackYears:
			add(always(False))
		default:
			add(always(Open))
		}
	}
	if x.Quit.Given() {
		switch {
		case t.Status == "current":
			add(always(True))
		case t.Status == "never":
			add(always(False))
		case !t.HasEnd:
			add(always(Open))
		default:
			first, last := x.Quit.After(t.Quit.From), x.Quit.After(t.Quit.To)
			switch {
			case d >= last:
				add(verdict{False, last, Never})
			case d >= first:
				add(verdict{Open, first, last})
			default:
				add(verdict{True, Ever, first})
			}
		}
	}
	return out
}

func (x tobaccoIs) why(c *Chart, d Day) Why {
	var says []string
	if len(x.Status) > 0 {
		says = append(says, strings.Join(x.Status, " or ")+" smoker")
	}
	if x.TobaccoCond.Ever {
		says = append(says, "ever smoked")
	}
	if x.PackYears > 0 {
		says = append(says, figureText(x.PackYears)+" pack-years or more")
	}
	if x.Quit.Given() {
		says = append(says, "smokes, or stopped within "+x.Quit.String())
	}
	fact := "nothing recorded of tobacco"
	if c.smoked {
		fact = "tobacco, as recorded " + c.smokedOn.Says() + ": " + c.tobaccoSays()
	}
	w := tell(c, d, x, strings.Join(says, ", "), fact)
	if w.Truth == Open {
		w.Asks = "tobacco"
	}
	return w
}

func (c *Chart) tobaccoSays() string {
	t := c.tobacco
	says := map[string]string{"current": "smokes", "former": "stopped", "never": "never smoked", "not now": "does not smoke, whether ever is not said", "": "whether now is not certain"}[t.Status]
	if t.Known && t.Low > 0 {
		says += fmt.Sprintf(", %s pack-years", figureText(t.Low))
		if t.High != t.Low {
			says += " or more"
		}
	}
	if t.HasEnd {
		says += ", until " + t.Quit.Says()
	}
	return says
}

var firstDegree = []string{"mother", "father", "sister", "brother", "son", "daughter", "parent", "sibling", "child", "children", "mom", "dad", "mum"}

var furtherOff = []string{"grandmother", "grandfather", "grandparent", "aunt", "uncle", "cousin", "niece", "nephew", "in law", "step", "half"}

type answerIs struct {
	question Question
	is       Is
}

func (x answerIs) eval(c *Chart, d Day) verdict {
	v, _ := x.look(c, d)
	return v
}

func (x answerIs) look(c *Chart, d Day) (verdict, string) {
	a, ok := c.newestAnswer(x.question.ID, d)
	if !ok {
		return always(Open), "nobody asked"
	}
	on, _ := DayOf(a.Day)
	until := x.question.Lasts.After(on)
	if d >= until {
		return verdict{Open, until, Never}, "answered " + a.Value + " on " + on.Says() + ", which is too long ago"
	}
	says := "answered " + a.Value + ", " + on.Says()
	if a.Value == "not known" || a.Value == "declined" {
		return verdict{Open, on, until}, says
	}
	return verdict{x.is.of(a.Value, 1, 0), on, until}, says
}

func (x answerIs) why(c *Chart, d Day) Why {
	v, fact := x.look(c, d)
	w := tell(c, d, x, x.question.Says+" "+x.is.says(), fact)
	if v.truth == Open {
		w.Asks = x.question.ID
	}
	return w
}

func (c *Chart) newestAnswer(question string, d Day) (found struct{ Value, Day string }, ok bool) {
	for _, a := range slices.Backward(c.answers[question]) {
		if on, valid := DayOf(a.Day); valid && on <= d {
			return struct{ Value, Day string }{a.Value, a.Day}, true
		}
	}
	return found, false
}
