package reminder

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
)

// Schedule is a named edition of an immunization schedule, with its publisher.
type Schedule struct {
	Edition   string   `yaml:"edition"`
	Extends   string   `yaml:"extends"` // another edition, whose series hold where this one has none of its own
	Publisher string   `yaml:"publisher"`
	Title     string   `yaml:"title"`
	Year      int      `yaml:"year"`
	Mind      string   `yaml:"mind"`
	Series    []Series `yaml:"series"`
	On        []string `yaml:"on"` // rules that ship switched off and are on under this edition
	Text      []byte   `yaml:"-"`  // the file it was read from
}

// Over is the edition laid over another: its own series in the place of those of the same name, and the rest of the other.
func (s Schedule) Over(base Schedule) Schedule {
	out := s
	out.Series, out.On = nil, append(slices.Clone(base.On), s.On...)
	for _, x := range base.Series {
		if i := slices.IndexFunc(s.Series, func(o Series) bool { return o.ID == x.ID }); i >= 0 {
			x = s.Series[i]
		}
		out.Series = append(out.Series, x)
	}
	for _, x := range s.Series {
		if !slices.ContainsFunc(base.Series, func(o Series) bool { return o.ID == x.ID }) {
			out.Series = append(out.Series, x)
		}
	}
	return out
}

// Concerned says which of the rules may stand otherwise under another edition: those of a series
// that differs, and those that one of the two switches on.
func (s Schedule) Concerned(other Schedule, rules []*Rule) (out []string) {
	series := func(x Schedule, id string) Series {
		i := slices.IndexFunc(x.Series, func(o Series) bool { return o.ID == id })
		if i < 0 {
			return Series{}
		}
		return x.Series[i]
	}
	for _, r := range rules {
		if r.Off && slices.Contains(s.On, r.ID) != slices.Contains(other.On, r.ID) ||
			r.Series != "" && !reflect.DeepEqual(series(s, r.Series), series(other, r.Series)) {
			out = append(out, r.ID)
		}
	}
	return out
}

// Says names the edition with its publisher.
func (s Schedule) Says() string { return fmt.Sprintf("%s, %s, %d", s.Publisher, s.Title, s.Year) }

// Series is how a vaccine is given in several doses. Of the paths the first that fits is taken.
type Series struct {
	ID    string `yaml:"id"`
	Of    string `yaml:"of"`   // set of vaccines
	Live  bool   `yaml:"live"` // another live vaccine within 28 days before spoils a dose
	Paths []Path `yaml:"paths"`
}

// Path is one way through a series. Where Of names products, others do not count on it: there are vaccines
// against one disease that do not stand in for one another.
type Path struct {
	When  When     `yaml:"when"`
	Of    []string `yaml:"of"`
	Doses []Dose   `yaml:"doses"`
	Done  []Done   `yaml:"done"` // what ends it sooner
}

// When says for whom a path is: by the age now, or at the first or second dose that counts, by the only
// products given, by how often some were given, or by a condition of the chart.
type When struct {
	Now    *AgeCond   `yaml:"now"`
	First  *AgeCond   `yaml:"first"`
	Second *AgeCond   `yaml:"second"`
	Only   []string   `yaml:"only"`
	Given  *GivenCond `yaml:"given"`
	With   *Cond      `yaml:"with"`
}

// GivenCond is that products were given so often, each below an age where Below is given.
type GivenCond struct {
	Of    []string `yaml:"of"`
	Doses int      `yaml:"doses"`
	Below Length   `yaml:"below"`
}

// Dose is one dose of a path. From is the youngest age, Gap the least time since the dose before,
// SinceFirst the least since the first; Age and Usually are when it is given as a rule; Late is
// the age from which it is overdue; Below the age at which it is no longer given. Later holds from an age on.
type Dose struct {
	From       Length `yaml:"from"`
	Age        Length `yaml:"age"`
	Late       Length `yaml:"late"`
	Below      Length `yaml:"below"`
	Gap        Length `yaml:"gap"`
	Usually    Length `yaml:"usually"`
	SinceFirst Length `yaml:"sinceFirst"`
	Later      *Later `yaml:"later"`
}

// Later is another gap from an age on.
type Later struct {
	From Length `yaml:"from"`
	Gap  Length `yaml:"gap"`
}

// Done ends a series: a dose of this number or a later one given at this age or later, and this long after the one before.
type Done struct {
	Dose int    `yaml:"dose"`
	At   Length `yaml:"at"`
	Gap  Length `yaml:"gap"`
}

// Grace is how many days too early a dose may be and still count (CDC, General Best Practice
// Guidelines for Immunization, 2024); it does not hold between two live vaccines.
const Grace = 4

// LiveGap is the least number of days between two live vaccines that are not given on one day.
const LiveGap = 28

// readySeries is a series made quick.
type readySeries struct {
	Series
	set   int
	live  []int // all sets of live vaccines
	paths []readyPath
}

type readyPath struct {
	Path
	with condition
}

// judged is a dose with the number it counts as, or why it does not.
type judged struct {
	f      *Fact
	number int
	why    string
	unsure bool
}

// forecast is how a series stands on a day.
type forecast struct {
	complete bool
	unsure   bool // a dose without its full date might count
	due      Day  // from when the next dose is due
	late     Day
	until    Day // the first day on which it may stand otherwise, other than due and late
	next     int
	doses    []judged
}

// begin is when an age is reached, the cautious end of a birth date that is not fully known.
func (c *Chart) begin(l Length) Day {
	if !l.Given() {
		return Ever
	}
	return l.After(c.born.To)
}

// judge counts the doses given of a path up to a day.
func (c *Chart) judgeDoses(s *readySeries, p *readyPath, d Day) (out []judged, counted []*Fact, done bool) {
	var before *Fact // the dose before, whether it counts or not
	var lastDay Day = Ever
	for i := range c.facts[s.set] {
		f := &c.facts[s.set][i]
		if f.Undated || f.On.To > d && f.On.Exact() {
			if f.Undated {
				out = append(out, judged{f: f, why: "when is not known", unsure: true})
			}
			continue
		}
		if done || len(counted) >= len(p.Doses) {
			out = append(out, judged{f: f, why: "more than are needed"})
			continue
		}
		j := judged{f: f}
		x := p.Doses[len(counted)]
		early := func(need Day, grace Day, what string) {
			switch {
			case j.why != "" && !j.unsure:
			case f.On.From+grace >= need:
			case f.On.To+grace >= need:
				j.why, j.unsure = what+": the day is not known", true
			default:
				j.why, j.unsure = what, false
			}
		}
		if len(p.Of) > 0 && !slices.Contains(p.Of, f.Code) {
			out = append(out, judged{f: f, why: "another product, which does not stand in for it"})
			continue
		}
		if f.On.Exact() && f.On.From == lastDay {
			j.why = "a second one on the same day"
		}
		if x.From.Given() {
			early(x.From.After(c.born.To), Grace, "given before the age of "+x.From.String())
		}
		gap := x.Gap
		if x.Later != nil && f.On.From >= x.Later.From.After(c.born.From) {
			gap = x.Later.Gap
		}
		if before != nil && gap.Given() {
			early(gap.After(before.On.To), Grace, "less than "+gap.String()+" after the one before")
		}
		if len(counted) > 0 && x.SinceFirst.Given() {
			early(x.SinceFirst.After(counted[0].On.To), Grace, "less than "+x.SinceFirst.String()+" after the first")
		}
		if x.Below.Given() && f.On.From >= x.Below.After(c.born.From) {
			j.why, j.unsure = "given at "+x.Below.String()+" or later", false
		}
		if s.Live && j.why == "" {
			if other := c.otherLive(s, f); other != nil {
				j.why = fmt.Sprintf("less than %d days after another live vaccine (%s)", LiveGap, other.On.Says())
			}
		}
		if j.why == "" {
			counted = append(counted, f)
			j.number = len(counted)
			for _, e := range p.Done {
				long := !e.Gap.Given() || len(counted) == 1 && e.Dose <= 1
				if len(counted) > 1 && e.Gap.Given() {
					long = f.On.From+Grace >= e.Gap.After(counted[len(counted)-2].On.To)
				}
				if len(counted) >= e.Dose && f.On.From+Grace >= e.At.After(c.born.To) && long {
					done = true
				}
			}
		}
		before, lastDay = f, f.On.From
		out = append(out, j)
	}
	return out, counted, done || len(counted) >= len(p.Doses)
}

// otherLive finds another live vaccine given within four weeks before a dose, not on its day.
func (c *Chart) otherLive(s *readySeries, f *Fact) *Fact {
	for _, n := range s.live {
		for i := range c.facts[n] {
			o := &c.facts[n][i]
			if o.Ref != f.Ref && !o.Undated && o.On.To < f.On.From && f.On.From-o.On.To < LiveGap {
				return o
			}
		}
	}
	return nil
}

// path chooses the path of a person on a day, and says until when the choice holds.
func (c *Chart) path(s *readySeries, d Day) (chosen *readyPath, until Day) {
	until = Never
	for i := range s.paths {
		p := &s.paths[i]
		v := always(True)
		if p.When.Now != nil {
			v = both(v, ageIs{p.When.Now.From, p.When.Now.Below}.eval(c, d))
		}
		if p.When.First != nil {
			v = both(v, always(c.doseAt(s, p, 1, *p.When.First, Grace)))
		}
		if p.When.Second != nil { // it says which way is gone on, not whether a dose counts: no days of grace
			v = both(v, always(c.doseAt(s, p, 2, *p.When.Second, 0)))
		}
		if p.When.Given != nil {
			v = both(v, always(c.given(s, *p.When.Given)))
		}
		if len(p.When.Only) > 0 {
			v = both(v, always(truth(len(c.facts[s.set]) > 0 && !slices.ContainsFunc(c.facts[s.set], func(f Fact) bool { return !slices.Contains(p.When.Only, f.Code) }))))
		}
		if p.with != nil {
			v = both(v, p.with.eval(c, d))
		}
		until = min(until, v.until)
		if v.truth == True {
			return p, until
		}
	}
	return nil, until
}

// doseAt says whether the dose of a number that counts was given at an age.
func (c *Chart) doseAt(s *readySeries, p *readyPath, number int, age AgeCond, grace Day) Truth {
	_, counted, _ := c.judgeDoses(s, p, c.day)
	if len(counted) < number {
		return False
	}
	on := counted[number-1].On
	if age.From.Given() && on.From+grace < age.From.After(c.born.To) || age.Below.Given() && on.From >= age.Below.After(c.born.From) {
		return False
	}
	return True
}

// given says whether products of a series were given so often.
func (c *Chart) given(s *readySeries, g GivenCond) Truth {
	n := 0
	for i := range c.facts[s.set] {
		f := &c.facts[s.set][i]
		if slices.Contains(g.Of, f.Code) && (!g.Below.Given() || !f.Undated && f.On.To < g.Below.After(c.born.From)) {
			n++
		}
	}
	return truth(n >= g.Doses)
}

// forecast says how a series stands on a day.
func (c *Chart) forecast(s *readySeries, d Day) forecast {
	out := forecast{due: Never, late: Never, until: Never}
	if !c.bornKnown {
		out.unsure = true
		return out
	}
	p, until := c.path(s, d)
	out.until = until
	if p == nil {
		out.complete = true // no path is for this person
		return out
	}
	judged, counted, done := c.judgeDoses(s, p, d)
	out.doses, out.next = judged, len(counted)+1
	if done {
		out.complete = true
		return out
	}
	for _, j := range judged {
		out.unsure = out.unsure || j.unsure
	}
	x := p.Doses[len(counted)]
	due := max(c.begin(x.From), c.begin(x.Age))
	var before *Fact
	for i := range c.facts[s.set] {
		if f := &c.facts[s.set][i]; !f.Undated && f.On.To <= d && (len(p.Of) == 0 || slices.Contains(p.Of, f.Code)) {
			before = f
		}
	}
	if before != nil {
		gap := x.Gap
		if x.Later != nil {
			from := x.Later.From.After(c.born.To)
			if max(due, gap.After(before.On.To)) >= from || d >= from {
				gap = x.Later.Gap
			} else {
				out.until = min(out.until, from)
			}
		}
		if x.Usually.Given() && len(counted) > 0 {
			gap = x.Usually
		}
		if gap.Given() {
			due = max(due, gap.After(before.On.To))
		}
	}
	if len(counted) > 0 && x.SinceFirst.Given() {
		due = max(due, x.SinceFirst.After(counted[0].On.To))
	}
	if s.Live {
		for _, n := range s.live {
			for i := range c.facts[n] {
				if o := &c.facts[n][i]; !o.Undated && o.On.To <= d {
					due = max(due, o.On.To+LiveGap)
				}
			}
		}
	}
	out.due = due
	if x.Late.Given() {
		out.late = x.Late.After(c.born.To)
	}
	return out
}

// says tells how a series stands: the doses that count, and which is next.
func (f forecast) says() string {
	n := 0
	var last *Fact
	for _, j := range f.doses {
		if j.number > 0 {
			n, last = j.number, j.f
		}
	}
	switch {
	case n == 0 && len(f.doses) == 0:
		return "none given"
	case n == 0:
		return "none given that counts: " + f.doses[len(f.doses)-1].why
	case n == 1:
		return "one dose that counts, " + last.On.Says()
	}
	return fmt.Sprintf("%d doses that count, the last %s", n, last.On.Says())
}

// why tells each dose with what it counts as.
func (s *readySeries) why(c *Chart) Why {
	x := c.forecast(s, c.day)
	w := Why{Says: c.book.sets.all[s.set].says + ", " + s.ID, Truth: truth(x.complete), Facts: []string{}}
	if x.unsure && !x.complete {
		w.Truth = Open
	}
	w.Holds = w.Truth.String()
	for _, j := range x.doses {
		if j.number > 0 {
			w.Facts = append(w.Facts, fmt.Sprintf("dose %d: %s", j.number, j.f.Says()))
		} else {
			w.Facts = append(w.Facts, "does not count: "+j.f.Says()+", "+j.why)
		}
	}
	switch {
	case x.complete && len(x.doses) == 0:
		w.Facts = append(w.Facts, "none is needed")
	case x.complete:
		w.Facts = append(w.Facts, "complete")
	case x.due == Never:
		w.Facts = append(w.Facts, "the birth date is not known")
	default:
		w.Facts = append(w.Facts, fmt.Sprintf("dose %d is due from %s", x.next, x.due.Says()))
	}
	return w
}

// makeSeries checks the series of a schedule and makes them quick.
func (x *setIndex) makeSeries(schedule Schedule) (map[string]*readySeries, []Fault) {
	var faults []Fault
	out := map[string]*readySeries{}
	var live []int
	for i, s := range x.all {
		if s.kind == vaccines && s.live {
			live = append(live, i)
		}
	}
	for _, s := range schedule.Series {
		fault := func(at, format string, args ...any) {
			faults = append(faults, Fault{At: "series " + s.ID + ", " + at, Reason: fmt.Sprintf(format, args...)})
		}
		r := &readySeries{Series: s, live: live}
		n, ok := x.named(s.Of, vaccines)
		if !ok {
			fault("of", "there is no vaccine %q", s.Of)
		}
		if r.set = n; out[s.ID] != nil || s.ID == "" {
			fault("id", "it stands twice, or has none")
		}
		if len(s.Paths) == 0 {
			fault("paths", "it has none")
		}
		for i, p := range s.Paths {
			at := fmt.Sprintf("path %d", i+1)
			q := readyPath{Path: p}
			if len(p.Doses) == 0 {
				fault(at, "it has no dose")
			}
			for k, dose := range p.Doses {
				if k > 0 && !dose.Gap.Given() {
					fault(fmt.Sprintf("%s, dose %d", at, k+1), "the least time since the dose before is missing")
				}
				if k == 0 && !dose.From.Given() {
					fault(fmt.Sprintf("%s, dose 1", at), "the youngest age is missing")
				}
				if dose.From.Given() && dose.Age.Given() && dose.Age.days() < dose.From.days() || dose.Below.Given() && dose.Below.days() <= dose.From.days() {
					fault(fmt.Sprintf("%s, dose %d", at, k+1), "its ages are the wrong way round")
				}
			}
			if g := p.When.Given; g != nil && (g.Doses < 1 || len(g.Of) == 0) {
				fault(at, "what was given, and how often, is missing")
			}
			if p.When.With != nil {
				m := &maker{sets: x, rule: &Rule{ID: s.ID}, used: map[string]bool{}}
				q.with = m.cond("when.with", p.When.With)
				for _, f := range m.faults {
					fault(at, "%s", strings.TrimPrefix(f.Error(), s.ID+": "))
				}
			}
			r.paths = append(r.paths, q)
		}
		out[s.ID] = r
	}
	return out, faults
}
