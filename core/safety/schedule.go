package safety

import "slices"

// Schedules of the Controlled Substances Act, the strictest first; Schedule I is never
// prescribed.
var Schedules = []string{"II", "III", "IV", "V"}

// Controlled places an ingredient in a schedule; With names what a product holds besides for
// the line to count, "" for any.
type Controlled struct {
	Place                            Place
	Ingredient, With, Schedule, From string
}

// Schedule is the schedule of a medicine, "" for none, with its source: of what it holds the
// strictest, and of one ingredient the line for what it is sold with. known is false where the
// list does not know all that the name says: then nothing is said of its schedule.
func (c *Catalogue) Schedule(name string) (schedule, source string, known bool) {
	r := c.Read(name)
	holds := func(ingredient string) bool {
		return slices.ContainsFunc(r.parts, func(p part) bool { return p.is.Name == ingredient })
	}
	strictest := len(Schedules)
	for _, p := range r.parts {
		var of *Controlled
		for i, x := range c.k.Controlled {
			if x.Ingredient == p.is.Name && (x.With == "" && of == nil || x.With != "" && holds(x.With) && (of == nil || of.With == "")) {
				of = &c.k.Controlled[i]
			}
		}
		if of == nil {
			continue
		}
		if at := slices.Index(Schedules, of.Schedule); at < strictest {
			strictest, schedule, source = at, of.Schedule, of.From
		}
	}
	return schedule, source, r.Known()
}
