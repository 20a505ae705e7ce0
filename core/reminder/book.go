package reminder

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"deftledger/core/chart"
)

// Fault is what is wrong with a rule or a set, with the place in it.
type Fault struct {
	Rule   string // identifier of the rule, "" for the sets
	At     string // the place, as "applies.all[1].age"
	Reason string
}

// Error says it.
func (f Fault) Error() string {
	s := f.Reason
	if f.At != "" {
		s = f.At + ": " + s
	}
	if f.Rule != "" {
		s = f.Rule + ": " + s
	}
	return s
}

// Book is the rules of a practice, checked and made quick. It is read only.
type Book struct {
	sets *setIndex
	// Edition is the immunization schedule that vaccines follow, without its series.
	Edition Schedule
	rules   []*ready
	// measures are those of quality, in the same conditions.
	measures []*readyMeasure
	by       map[string]*ready

	// What was read of tobacco is kept: the same words stand in many charts.
	mu   sync.Mutex
	read map[tobaccoKey]Tobacco
}

type tobaccoKey struct {
	text   string
	stated Day
}

// readTobacco is ReadTobacco, remembered.
func (b *Book) readTobacco(text string, stated Day) Tobacco {
	b.mu.Lock()
	defer b.mu.Unlock()
	k := tobaccoKey{text, stated}
	t, known := b.read[k]
	if !known {
		if len(b.read) >= 4096 {
			clear(b.read)
		}
		t = ReadTobacco(text, stated)
		b.read[k] = t
	}
	return t
}

// ready is a rule made quick.
type ready struct {
	*Rule
	applies   condition
	excluded  []condition
	satisfied []satisfier
	grace     Length
	early     Length
	lasts     Length
	declined  Length
	season    *season
	series    *readySeries
	off       bool
}

// Own is what a practice has set of a rule: whether it is on, and figures of its own. Set says
// that it was set at all; else the rule is as it ships.
type Own struct {
	Set, On    bool
	Parameters map[string]string
}

// On says whether a rule is switched on.
func (b *Book) On(rule string) bool {
	r, ok := b.by[rule]
	return ok && !r.off
}

type satisfier struct {
	Satisfier
	set      int
	is       Is
	lasts    Length
	from     Length
	byResult []Result
	parts    int // of priming: month*100 + day on which seasons part
}

type season struct{ from, to int } // month*100 + day

// Groups are the parts of the rulebook.
var Groups = []string{"cancer", "heart and metabolism", "infection", "vaccines", "mind and habits", "women", "children", "older adults", "chronic conditions", "medicines"}

var (
	identifier = regexp.MustCompile(`^[a-z][a-z0-9-]{1,60}$`)
	dayOfYear  = regexp.MustCompile(`^(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])$`)
)

// NewBook checks rules and sets. A rule with a fault is left out, with what is wrong with it;
// own is what a practice set for itself, by rule.
func NewBook(rules []Rule, sets Sets, schedule Schedule, own map[string]Own) (*Book, []Fault) {
	x, faults := compileSets(sets)
	series, wrong := x.makeSeries(schedule)
	faults = append(faults, wrong...)
	b := &Book{sets: x, by: map[string]*ready{}, Edition: schedule, read: map[tobaccoKey]Tobacco{}}
	b.Edition.Series = nil
	for i := range rules {
		r := &rules[i]
		m := &maker{sets: x, rule: r, own: own[r.ID].Parameters, series: series}
		made := m.make()
		if b.by[r.ID] != nil {
			m.fault("id", "another rule has this identifier")
		}
		if len(m.faults) > 0 {
			faults = append(faults, m.faults...)
			continue
		}
		if made.off = r.Off && !slices.Contains(schedule.On, r.ID); own[r.ID].Set {
			made.off = !own[r.ID].On
		}
		b.rules, b.by[r.ID] = append(b.rules, made), made
	}
	for _, id := range schedule.On {
		if !slices.ContainsFunc(rules, func(r Rule) bool { return r.ID == id }) {
			faults = append(faults, Fault{At: "edition " + schedule.Edition + ", on", Reason: fmt.Sprintf("there is no rule %q", id)})
		}
	}
	slices.SortStableFunc(b.rules, func(a, z *ready) int {
		if a.Priority != z.Priority {
			return a.Priority - z.Priority
		}
		return strings.Compare(a.Title, z.Title)
	})
	return b, faults
}

// Rules lists the rules, the most important first.
func (b *Book) Rules() []*Rule {
	var out []*Rule
	for _, r := range b.rules {
		out = append(out, r.Rule)
	}
	return out
}

// Rule finds a rule.
func (b *Book) Rule(id string) (*Rule, bool) {
	if b == nil {
		return nil, false
	}
	r, ok := b.by[id]
	if !ok {
		return nil, false
	}
	return r.Rule, true
}

// SourceOf names where a rule comes from: its own source, or for a vaccine series the edition that is in use.
func (b *Book) SourceOf(r *Rule) string {
	if r.Series != "" && b.Edition.Extends != "" {
		return b.Edition.Says()
	}
	return r.Source.Says()
}

// Question finds a question.
func (b *Book) Question(id string) (Question, bool) {
	q, ok := b.sets.questions[id]
	return q, ok
}

// LOINC lists the quantities that rules read.
func (b *Book) LOINC() []string {
	var out []string
	for code := range b.sets.loinc {
		out = append(out, code)
	}
	slices.Sort(out)
	return out
}

// Asks lists the questions that a rule may ask.
func (b *Book) Asks(rule string) (out []string) {
	r, ok := b.by[rule]
	if !ok {
		return nil
	}
	var walk func(c *Cond)
	walk = func(c *Cond) {
		if c.Answer != nil {
			out = append(out, c.Answer.To)
		}
		if c.Organ != "" {
			out = append(out, "has-"+c.Organ)
		}
		if c.Tobacco != nil {
			out = append(out, AboutTobacco)
		}
		if c.Not != nil {
			walk(c.Not)
		}
		for _, of := range [][]Cond{c.All, c.Any, c.None} {
			for i := range of {
				walk(&of[i])
			}
		}
	}
	walk(&r.Rule.Applies)
	for i := range r.Rule.Excluded {
		walk(&r.Rule.Excluded[i])
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// maker checks one rule and makes it quick.
type maker struct {
	sets   *setIndex
	rule   *Rule
	own    map[string]string
	used   map[string]bool
	series map[string]*readySeries
	faults []Fault
}

func (m *maker) fault(at, format string, args ...any) {
	m.faults = append(m.faults, Fault{Rule: m.rule.ID, At: at, Reason: fmt.Sprintf(format, args...)})
}

func (m *maker) make() *ready {
	r := m.rule
	m.used = map[string]bool{}
	for _, f := range []struct{ at, text string }{{"title", r.Title}, {"maintainer", r.Maintainer}, {"about", r.About},
		{"source.body", r.Source.Body}, {"source.title", r.Source.Title}, {"note", r.Note}} {
		if strings.TrimSpace(f.text) == "" {
			m.fault(f.at, "is missing")
		}
	}
	if !identifier.MatchString(r.ID) {
		m.fault("id", "%q is no identifier: small letters, digits and hyphens", r.ID)
	}
	if !slices.Contains(Groups, r.Group) {
		m.fault("group", "%q is none of the groups: %s", r.Group, strings.Join(Groups, ", "))
	}
	if r.Version < 1 {
		m.fault("version", "is missing")
	}
	if r.Source.Year < 1990 || r.Source.Year > 2100 {
		m.fault("source.year", "%d is no year of a publication", r.Source.Year)
	}
	if _, ok := DayOf(r.Reviewed); !ok {
		m.fault("reviewed", "%q is no day, as 2026-06-02", r.Reviewed)
	}
	if r.Closes != "statement" && r.Closes != "data" {
		m.fault("closes", "%q is neither \"statement\" nor \"data\"", r.Closes)
	}
	if r.Priority < 1 || r.Priority > 3 {
		m.fault("priority", "%d is not 1, 2 or 3", r.Priority)
	}
	if len(r.Examples) < 4 {
		m.fault("examples", "a rule needs four examples at least, and has %d", len(r.Examples))
	}
	if len(r.Resolve) == 0 {
		m.fault("resolve", "nothing is said of how it is settled")
	}
	if r.Series == "" && len(r.Satisfied) == 0 && (r.Closes == "data" || !r.Lasts.Given()) {
		m.fault("satisfied", "nothing fulfils it: name what does, or with \"closes: statement\" how long a statement lasts")
	}
	for name, p := range r.Parameters {
		m.parameter(name, p)
	}
	out := &ready{Rule: r, applies: m.cond("applies", &r.Applies)}
	for i := range r.Excluded {
		out.excluded = append(out.excluded, m.cond(fmt.Sprintf("excluded[%d]", i), &r.Excluded[i]))
	}
	for i, s := range r.Satisfied {
		out.satisfied = append(out.satisfied, m.satisfier(fmt.Sprintf("satisfied[%d]", i), s))
	}
	out.grace, out.early = m.length("grace", r.Grace, Length{N: 3, Unit: Months}), m.length("early", r.Early, Length{N: 3, Unit: Months})
	out.lasts, out.declined = m.length("lasts", r.Lasts, Length{}), m.length("declined", r.Declined, Length{N: 1, Unit: Years})
	if r.Season != nil {
		out.season = m.season(*r.Season)
	}
	if r.Series != "" {
		if out.series = m.series[r.Series]; out.series == nil {
			m.fault("series", "the immunization schedule has no series %q", r.Series)
		}
		if len(r.Satisfied) > 0 || r.Closes != "data" {
			m.fault("series", "a series is closed by the doses in the chart, and by nothing else")
		}
	}
	for i, s := range r.Resolve {
		m.resolve(fmt.Sprintf("resolve[%d]", i), s)
	}
	for name := range r.Parameters {
		if !m.used[name] {
			m.fault("parameters."+name, "is used nowhere")
		}
	}
	return out
}

func (m *maker) parameter(name string, p Parameter) {
	at := "parameters." + name
	if p.Says == "" {
		m.fault(at, "needs to say what it is")
	}
	values := []string{p.Is, p.From, p.To}
	if own := m.own[name]; own != "" {
		values = append(values, own)
	}
	days := []float64{}
	for _, v := range values {
		var l Length
		if l.UnmarshalText([]byte(v)) == nil && l.Param == "" {
			days = append(days, float64(l.days()))
			continue
		}
		n, err := strconv.ParseFloat(v, 64)
		if err != nil {
			m.fault(at, "%q is neither a length of time nor a figure", v)
			return
		}
		days = append(days, n)
	}
	if days[1] > days[2] {
		m.fault(at, "its limits are the wrong way round")
		return
	}
	for i, v := range days {
		if v < days[1] || v > days[2] {
			m.fault(at, "%s is not within %s and %s", values[i], p.From, p.To)
		}
	}
}

// value is what a parameter is in this practice.
func (m *maker) value(at, name string) (string, bool) {
	p, known := m.rule.Parameters[name]
	if !known {
		m.fault(at, "there is no parameter %q", name)
		return "", false
	}
	m.used[name] = true
	if own := m.own[name]; own != "" {
		return own, true
	}
	return p.Is, true
}

func (m *maker) length(at string, l, other Length) Length {
	if !l.Given() {
		return other
	}
	if l.Param == "" {
		return l
	}
	text, ok := m.value(at, l.Param)
	if !ok {
		return other
	}
	var out Length
	if out.UnmarshalText([]byte(text)) != nil {
		m.fault(at, "the parameter %q is no length of time", l.Param)
	}
	return out
}

func (m *maker) is(at string, x Is) Is {
	if x.Param == "" {
		return x
	}
	text, ok := m.value(at, x.Param)
	n, err := strconv.ParseFloat(text, 64)
	if ok && err != nil {
		m.fault(at, "the parameter %q is no figure", x.Param)
	}
	x.N, x.Param = n, ""
	return x
}

func (m *maker) named(at string, names []string, kinds ...kind) (out []int) {
	if len(names) == 0 {
		m.fault(at, "names nothing")
	}
	for _, name := range names {
		n, ok := m.sets.named(name, kinds...)
		if !ok {
			m.fault(at, "there is no set %q of this kind", name)
			continue
		}
		out = append(out, n)
	}
	return out
}

func (m *maker) several(at string, cs []Cond) (out []condition) {
	for i := range cs {
		out = append(out, m.cond(fmt.Sprintf("%s[%d]", at, i), &cs[i]))
	}
	return out
}

// cond makes one condition.
func (m *maker) cond(at string, c *Cond) condition {
	var out condition
	given := 0
	give := func(x condition) { out, given = x, given+1 }
	if c.All != nil {
		give(group{"all", m.several(at+".all", c.All)})
	}
	if c.Any != nil {
		give(group{"any", m.several(at+".any", c.Any)})
	}
	if c.None != nil {
		give(group{"none", m.several(at+".none", c.None)})
	}
	if c.Not != nil {
		give(group{"none", []condition{m.cond(at+".not", c.Not)}})
	}
	if c.Age != nil {
		x := ageIs{m.length(at+".age.from", c.Age.From, Length{}), m.length(at+".age.below", c.Age.Below, Length{})}
		if !x.from.Given() && !x.below.Given() || x.below.Given() && x.from.Given() && x.below.days() <= x.from.days() {
			m.fault(at+".age", "is the age of nobody")
		}
		give(x)
	}
	if c.Sex != "" {
		sex := map[string]string{"female": "F", "male": "M"}[c.Sex]
		if sex == "" {
			m.fault(at+".sex", "%q is neither \"female\" nor \"male\"", c.Sex)
		}
		give(sexIs{sex})
	}
	if c.Organ != "" {
		x := organIs{organ: c.Organ}
		if !slices.Contains([]string{"cervix", "uterus", "ovaries", "breasts", "prostate"}, c.Organ) {
			m.fault(at+".organ", "%q is no organ that rules know", c.Organ)
		}
		for _, name := range []string{"removal-of-" + c.Organ, "without-" + c.Organ} {
			if n, ok := m.sets.named(name, services, conditions); ok {
				x.removals = append(x.removals, n)
			}
		}
		if _, known := m.sets.questions["has-"+c.Organ]; !known || len(x.removals) == 0 {
			m.fault(at+".organ", "the sets do not say how a %s is removed, or there is no question \"has-%s\"", c.Organ, c.Organ)
		}
		give(x)
	}
	if c.Problem != nil {
		give(problemIs{m.named(at+".problem.of", c.Problem.Of, conditions), c.Problem.Ever, m.length(at+".problem.for", c.Problem.For, Length{})})
	}
	if c.Medicine != nil {
		give(medicineIs{m.named(at+".medicine.of", c.Medicine.Of, medicines)})
	}
	if v := c.Value; v != nil {
		x := valueIs{is: m.is(at+".value.is", v.Is), within: m.length(at+".value.within", v.Within, Length{}), any: v.Any, lowest: v.Lowest, no: v.Missing == "no"}
		if ns := m.named(at+".value.of", []string{v.Of}, quantities); len(ns) == 1 {
			x.set = ns[0]
		}
		if v.Lowest && v.Is.Op != "<" && v.Is.Op != "<=" {
			m.fault(at+".value.lowest", "is said of a limit that a value is below")
		}
		if v.Missing != "" && v.Missing != "no" {
			m.fault(at+".value.missing", "%q is not \"no\"", v.Missing)
		}
		give(x)
	}
	if h := c.Had; h != nil {
		give(hadIs{m.named(at+".had.of", h.Of, services, quantities, vaccines, conditions), m.length(at+".had.within", h.Within, Length{}),
			m.length(at+".had.from", h.From, Length{})})
	}
	if c.Tobacco != nil {
		for _, s := range c.Tobacco.Status {
			if !slices.Contains([]string{"current", "former", "never"}, s) {
				m.fault(at+".tobacco.status", "%q is not current, former or never", s)
			}
		}
		t := *c.Tobacco
		t.Quit = m.length(at+".tobacco.quit", t.Quit, Length{})
		give(tobaccoIs{t})
	}
	if c.Pregnant != nil {
		give(pregnantIs{*c.Pregnant})
	}
	if c.Family != nil {
		give(familyIs{m.named(at+".family.of", c.Family.Of, conditions), c.Family.First})
	}
	if a := c.Answer; a != nil {
		q, known := m.sets.questions[a.To]
		if !known {
			m.fault(at+".answer.to", "there is no question %q", a.To)
		}
		is := m.is(at+".answer.is", a.Is)
		for _, w := range is.Words {
			if len(q.Choices) > 0 && !slices.Contains(q.Choices, w) {
				m.fault(at+".answer.is", "%q is no answer to %q", w, a.To)
			}
		}
		give(answerIs{q, is})
	}
	if c.Visit != nil {
		give(visitIs{m.length(at+".visit.within", c.Visit.Within, Length{})})
	}
	if b := c.Born; b != nil {
		x := bornIs{Ever, Never}
		for _, side := range []struct {
			text string
			into *Day
		}{{b.From, &x.from}, {b.Before, &x.before}} {
			if side.text == "" {
				continue
			}
			d, ok := DayOf(side.text)
			if *side.into = d; !ok {
				m.fault(at+".born", "%q is no day, as 1957-01-01", side.text)
			}
		}
		if x.from >= x.before || x.from == Ever && x.before == Never {
			m.fault(at+".born", "is nobody, or everybody")
		}
		give(x)
	}
	if c.Addressed != nil {
		give(addressedIs{m.named(at+".addressed.of", c.Addressed.Of, conditions)})
	}
	if c.Allergy != nil {
		give(allergicTo{m.named(at+".allergy.of", c.Allergy.Of, medicines)})
	}
	if c.Looked != "" {
		if chart.ListName(c.Looked) == "" {
			m.fault(at+".looked", "there is no list %q", c.Looked)
		}
		give(lookedThrough{c.Looked})
	}
	if given != 1 {
		m.fault(at, "a condition says one thing, this one says %d", given)
		return group{"all", nil}
	}
	if g, ok := out.(group); ok && len(g.of) == 0 {
		m.fault(at, "holds no condition")
	}
	return out
}

func (m *maker) satisfier(at string, s Satisfier) satisfier {
	out := satisfier{Satisfier: s, is: m.is(at+".is", s.Is), lasts: m.length(at+".lasts", s.Lasts, Length{}), from: m.length(at+".from", s.From, Length{})}
	if ns := m.named(at+".of", []string{s.Of}, services, quantities, vaccines, conditions); len(ns) == 1 {
		out.set = ns[0]
	}
	if !out.lasts.Given() {
		m.fault(at+".lasts", "does not say for how long")
	}
	if p := s.Priming; p != nil {
		part := m.season(Season{From: p.Before, To: p.Before})
		if out.parts = part.from; p.Doses < 2 || p.Gap.days() <= 0 || p.Below.days() <= 0 {
			m.fault(at+".priming", "needs an age, two doses at least, and the time between them")
		}
	}
	for i, r := range s.ByResult {
		r.Is, r.Lasts = m.is(fmt.Sprintf("%s.byResult[%d].is", at, i), r.Is), m.length(fmt.Sprintf("%s.byResult[%d].lasts", at, i), r.Lasts, Length{})
		if r.Is.Op == "" || !r.Lasts.Given() {
			m.fault(fmt.Sprintf("%s.byResult[%d]", at, i), "needs a result and a length of time")
		}
		if len(r.FollowedBy) > 0 {
			r.followedBy = m.named(fmt.Sprintf("%s.byResult[%d].followedBy", at, i), r.FollowedBy, services, quantities)
		}
		out.byResult = append(out.byResult, r)
	}
	return out
}

func (m *maker) season(s Season) *season {
	read := func(at, text string) int {
		p := dayOfYear.FindStringSubmatch(text)
		if p == nil || text == "02-30" || text == "02-31" {
			m.fault("season."+at, "%q is no day of the year, as 09-01", text)
			return 101
		}
		month, _ := strconv.Atoi(p[1])
		day, _ := strconv.Atoi(p[2])
		return month*100 + day
	}
	return &season{read("from", s.From), read("to", s.To)}
}

func (m *maker) resolve(at string, s Resolve) {
	n := 0
	for _, given := range []bool{s.Test != "", s.Item != "", len(s.Vaccine) > 0, s.Questionnaire != "", s.Counsel != "", s.Refer != "", s.Ask != ""} {
		if given {
			n++
		}
	}
	if n != 1 {
		m.fault(at, "names one act, this one names %d", n)
	}
	if !slices.Contains([]string{"", "also", "only"}, s.FollowUp) {
		m.fault(at+".followUp", "%q is neither \"also\" nor \"only\"", s.FollowUp)
	}
	if s.Ask != "" {
		if _, known := m.sets.questions[s.Ask]; !known {
			m.fault(at, "there is no question %q", s.Ask)
		}
	}
}
