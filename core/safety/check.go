package safety

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"deftledger/core/chart"
)

// Kind says what a warning is about.
type Kind string

// The kinds of warning.
const (
	Allergy       Kind = "allergy"
	Double        Kind = "double"
	Interaction   Kind = "interaction"
	Kidney        Kind = "kidney"
	Dose          Kind = "dose"
	InPregnancy   Kind = "pregnancy"
	InFeeding     Kind = "breast-feeding"
	Condition     Kind = "condition"
	Age           Kind = "age"
	Laboratory    Kind = "laboratory"
	NotChecked    Kind = "not checked"
	CountOfActing Kind = "list"
)

// Warning is one reason for care with a medicine, or something that could not be checked.
type Warning struct {
	Kind     Kind   `json:"kind" enum:"allergy,double,interaction,kidney,dose,pregnancy,breast-feeding,condition,age,laboratory,list,not checked"`
	Grade    Grade  `json:"grade" enum:"never,avoid,watch,unchecked"`
	Serious  bool   `json:"serious" doc:"Never or avoid"`
	Unknown  bool   `json:"unknown" doc:"Could not be checked: no answer, and never a good one"`
	Medicine string `json:"medicine" doc:"The medicine of the list it is about"`
	Says     string `json:"says" doc:"What in this chart it is about"`
	Why      string `json:"why" doc:"What may happen"`
	Advice   string `json:"advice" doc:"What to do; empty where the source says nothing"`
	Source   string `json:"source" doc:"Body and year; empty for what rests on the chart alone"`
}

func (w Warning) graded() Warning {
	w.Serious, w.Unknown = w.Grade == Never || w.Grade == Avoid, w.Grade == Unchecked
	return w
}

// Taking is a medicine as it stands on a list or is about to: its name and dose as text.
type Taking struct {
	Name, Dose string
	Dosage     chart.Dosage // read from Dose; the zero value where it was not
}

// Check says what speaks against a medicine in a chart, gravest first, and last what could
// not be checked. A medicine of the chart's own list is not held against itself.
func (c *Catalogue) Check(r chart.Record, m Taking) []Warning {
	s := c.sight(r)
	return Ranked(s.one(m, -1))
}

// Whole is what Checks of a whole list say: by place in the Record's list, and of the list
// as such.
type Whole struct {
	Each [][]Warning
	List []Warning
}

// CheckAll checks every medicine of the Record's list. What concerns two of them is said of
// the later one only.
func (c *Catalogue) CheckAll(r chart.Record) Whole {
	s := c.sight(r)
	out := Whole{Each: make([][]Warning, len(r.Medicines)), List: s.list()}
	for i, m := range r.Medicines {
		out.Each[i] = Ranked(s.one(Taking{m.Name, m.Dose, m.Dosage}, i))
	}
	return out
}

// sight is a chart as the rules see it, read once.
type sight struct {
	c       *Catalogue
	r       chart.Record
	months  int
	taken   []taken
	kidneys Kidneys
	weight  float64
	codes   []string
	state   pregnancyState

	allergic []allergic // in the order of their substances
}

// allergic is an allergy with what its substance is.
type allergic struct {
	chart.Allergy
	is     Allergic
	folded string
}

type taken struct {
	says string
	read Reading
}

func (c *Catalogue) sight(r chart.Record) *sight {
	s := &sight{c: c, r: r, months: r.Months(), kidneys: KidneysOf(r), codes: slices.Concat(r.ProblemCodes(), r.Addressed)}
	for _, m := range r.Medicines {
		s.taken = append(s.taken, taken{strings.TrimSpace(m.Name), c.read(m.Name, m.Dose, m.Dosage)})
	}
	days := kidneyDays
	if s.months >= 0 && s.months < 24 {
		days = 31 // a child grows
	} else if s.months < 216 {
		days = 183
	}
	s.weight, _, _ = newestNumber(r, chart.Weight, "kg", days)
	s.state = pregnancyOf(r, s.codes)
	for _, a := range r.Allergies {
		if a.Substance != "" {
			s.allergic = append(s.allergic, allergic{a, c.Allergen(a.Substance), " " + strings.Join(fold(a.Substance), " ") + " "})
		}
	}
	slices.SortStableFunc(s.allergic, func(a, b allergic) int { return strings.Compare(a.Substance, b.Substance) })
	return s
}

// Ranked grades warnings, puts them in order, the gravest first, and says each once.
func Ranked(all []Warning) []Warning {
	out := []Warning{}
	for _, w := range all {
		if w = w.graded(); !slices.Contains(out, w) {
			out = append(out, w)
		}
	}
	kinds := map[Kind]int{Allergy: 0, Interaction: 1, InPregnancy: 2, Condition: 3, Dose: 4, Kidney: 5}
	order := func(k Kind) int {
		if n, ok := kinds[k]; ok {
			return n
		}
		return len(kinds)
	}
	slices.SortStableFunc(out, func(a, b Warning) int { return cmp.Or(rank[b.Grade]-rank[a.Grade], order(a.Kind)-order(b.Kind)) })
	return out
}

// one checks a medicine; own is its place on the list, -1 for one that is not there.
func (s *sight) one(m Taking, own int) (out []Warning) {
	reading := s.c.read(m.Name, m.Dose, m.Dosage)
	name := strings.TrimSpace(m.Name)
	add := func(ws ...Warning) {
		for _, w := range ws {
			w.Medicine = name
			out = append(out, w)
		}
	}
	var against []string // what it could not be held against
	ws, unread := s.allergies(reading)
	add(ws...)
	against = append(against, unread...)
	for i, t := range s.taken {
		if i == own || own >= 0 && i > own {
			continue
		}
		if len(t.read.parts) == 0 || len(t.read.Strange) > 0 {
			against = append(against, t.says)
		}
		add(s.between(reading, name, t)...)
	}
	switch {
	case len(reading.parts) == 0:
		says := ""
		if near := s.c.Find(strings.Join(reading.Strange, " "), 1); len(near) == 1 && near[0].Near {
			says = "; spelled nearly like " + near[0].Name
		}
		add(Warning{Kind: NotChecked, Grade: Unchecked, Says: name + ": not checked",
			Why: "this medicine is not in our list; nothing is known here of its allergies, interactions and limits" + says})
		return out
	case len(reading.Strange) > 0:
		strange := "“" + strings.Join(reading.Strange, " ") + "”"
		add(Warning{Kind: NotChecked, Grade: Unchecked, Says: strange + ": not checked",
			Why: "our list does not know it, and it may change what " + name + " holds"})
	}
	for i, a := range reading.several {
		for _, b := range reading.several[:i] {
			add(s.between(a, a.said, taken{b.said, b})...)
		}
	}
	if len(reading.besides) > 0 {
		also := strings.Join(reading.besides, ", ")
		add(Warning{Kind: NotChecked, Grade: Unchecked, Says: also + ": not checked",
			Why: also + " stands in how it is taken, and no medicine is looked for there; if it is one, write it on a line of its own"})
	}
	if len(against) > 0 {
		add(Warning{Kind: NotChecked, Grade: Unchecked, Says: "Not checked against " + strings.Join(against, ", "),
			Why: "our list does not know what that is"})
	}
	add(s.kidney(reading)...)
	add(s.values(reading)...)
	add(s.pregnancy(reading)...)
	add(s.conditions(reading)...)
	add(s.ages(reading)...)
	add(s.dose(reading, m)...)
	return out
}

// rulesOf gathers the rules of the ingredients of a medicine that act in the body: one given
// on the skin or into eye and ear has only the rules of what is made for that alone, or that
// speak of the eye.
func rulesOf[R any](reading Reading, rules map[string][]R, each func(p part, r R)) {
	for _, p := range reading.parts {
		names := append([]string{p.is.Name}, p.is.Groups...)
		if reading.extended {
			names = append(names, p.is.Name+extended)
		}
		for i, n := range names {
			if i > 0 && n == p.is.Name {
				continue
			}
			if reading.local && !p.is.onlyLocal() && !strings.HasSuffix(n, " of the eye") {
				continue
			}
			for _, r := range rules[n] {
				each(p, r)
			}
		}
	}
}

// between says what speaks against two medicines together: of all that is known the gravest,
// with the mechanisms of the others beside it.
func (s *sight) between(a Reading, name string, t taken) (out []Warning) {
	b := t.read
	same := strings.EqualFold(t.says, name)
	shared := ""
	for _, p := range a.parts {
		if slices.ContainsFunc(b.parts, func(q part) bool { return q.is == p.is }) && !(a.local != b.local && !p.is.onlyLocal()) {
			same, shared = true, p.is.Name
		}
	}
	if same {
		why := "the same medicine twice"
		if shared != "" && len(a.parts)+len(b.parts) > 2 {
			why = "both hold " + shared
		}
		out = append(out, Warning{Kind: Double, Grade: Watch, Says: "Already on the list: " + t.says, Why: why})
	}
	if a.local || b.local {
		return out
	}
	var rules []*Pair
	for _, p := range a.parts {
		for _, q := range b.parts {
			if p.is == q.is {
				continue
			}
			rules = append(rules, s.c.pair(p.is, q.is)...)
			if class := p.is.Groups[0]; class == q.is.Groups[0] && !s.c.several[class] && len(rules) == 0 {
				out = append(out, Warning{Kind: Double, Grade: Watch, Says: "With " + t.says, Why: "both are of the class " + class})
			}
		}
	}
	if len(rules) == 0 {
		return out
	}
	slices.SortStableFunc(rules, func(x, y *Pair) int { return rank[y.Grade] - rank[x.Grade] })
	w := Warning{Kind: Interaction, Grade: rules[0].Grade, Says: "With " + t.says, Advice: rules[0].Advice, Source: rules[0].From}
	var whys []string
	for _, r := range rules {
		if !slices.Contains(whys, r.Mechanism) && len(whys) < 3 {
			whys = append(whys, r.Mechanism)
		}
	}
	w.Why = strings.Join(whys, "; ")
	return append(out, w)
}

// pair lists the rules of two ingredients, without those that a "none" of as narrow a rule
// takes back.
func (c *Catalogue) pair(a, b *Ingredient) (out []*Pair) {
	taken := -1
	var found []*Pair
	for _, x := range a.keys {
		with := c.pairs[x]
		for _, y := range b.keys {
			i, ruled := with[y]
			if !ruled {
				continue
			}
			p := &c.k.Pairs[i]
			if slices.Contains(found, p) {
				continue
			}
			found = append(found, p)
			if p.Grade == None {
				taken = max(taken, p.narrow(a, b))
			}
		}
	}
	for _, p := range found {
		if p.Grade != None && p.narrow(a, b) > taken {
			out = append(out, p)
		}
	}
	return out
}

// narrow is how closely a rule names two ingredients: 2 both, 1 one of them, 0 by groups.
func (p *Pair) narrow(a, b *Ingredient) (n int) {
	for _, x := range []string{p.A, p.B} {
		if x == a.Name || x == b.Name {
			n++
		}
	}
	return n
}

// allergies holds a medicine against the recorded allergies; unread are those of which
// nothing is known.
func (s *sight) allergies(reading Reading) (out []Warning, unread []string) {
	for _, a := range s.allergic {
		if w, known := s.allergy(reading, a); w != nil {
			out = append(out, *w)
		} else if !known {
			unread = append(unread, "the allergy to "+a.Substance)
			continue
		}
		if len(a.is.Strange) > 0 {
			unread = append(unread, "“"+strings.Join(a.is.Strange, ", ")+"” of the allergy to "+a.Substance)
		}
	}
	return out, unread
}

// allergy holds a medicine against one allergy.
func (s *sight) allergy(reading Reading, a allergic) (*Warning, bool) {
	is := a.is
	reaction := a.Reaction
	if reaction == "" {
		reaction = "reaction not recorded"
	}
	if a.Tolerated != "" {
		reaction += "; borne since: " + a.Tolerated
	}
	w := Warning{Kind: Allergy, Says: "Recorded allergy: " + a.Substance}
	if a.Certainty == chart.Reported {
		w.Says = "Allergy reported by " + a.Source + ", not confirmed: " + a.Substance
	}
	doubt := ""
	if a.Certainty == "doubtful" || a.Certainty == "refuted" {
		doubt = "; recorded as " + a.Certainty
	}
	for _, p := range reading.parts {
		if slices.Contains(is.Ingredients, p.is.Name) {
			w.Grade, w.Why = Avoid, reaction+doubt
			if grave(a.Allergy) {
				w.Grade = Never
			}
			return &w, true
		}
	}
	for _, strange := range reading.Strange { // a name that only the allergy knows too
		if strings.Contains(a.folded, " "+strange+" ") {
			w.Grade, w.Why = Avoid, reaction+doubt
			if grave(a.Allergy) {
				w.Grade = Never
			}
			return &w, true
		}
	}
	var best *Warning
	for _, p := range reading.parts {
		for _, to := range slices.Concat(is.Ingredients, is.Groups) {
			x := s.c.cross(to, p.is, a.Reaction)
			if x == nil || x.Grade == None {
				continue
			}
			got := w
			got.Grade, got.Source = x.Grade, x.From
			got.Why = fmt.Sprintf("%s; %s: %s%s", reaction, p.is.Name, x.Says, doubt)
			if best == nil || rank[got.Grade] > rank[best.Grade] {
				best = &got
			}
		}
	}
	return best, is.Known
}

// grave says whether a reaction or its severity was of the kind that kills.
func grave(a chart.Allergy) bool {
	lower := strings.ToLower(a.Reaction)
	return a.Severity == "severe" || slices.ContainsFunc([]string{"anaphyl", "stevens", "necrolysis", "angioedema", "dress"},
		func(w string) bool { return strings.Contains(lower, w) })
}

// cross finds what an allergy to something (an ingredient or a group) says of an ingredient:
// the first line that fits, or of one class that it is not known.
func (c *Catalogue) cross(to string, given *Ingredient, reaction string) *Cross {
	names := []string{to}
	own := c.byName[to]
	if own != nil {
		names = append(names, own.Groups...)
	}
	lower := strings.ToLower(reaction)
	for i := range c.k.Crosses {
		x := &c.k.Crosses[i]
		if !slices.Contains(names, x.To) || !given.is(x.Given) {
			continue
		}
		if len(x.When) > 0 && lower != "" && !slices.ContainsFunc(x.When, func(w string) bool { return strings.Contains(lower, w) }) {
			continue
		}
		if len(x.When) > 0 && lower == "" && x.Grade == None {
			continue // what takes a reaction to be nothing needs that reaction
		}
		return x
	}
	class := given.Groups[0]
	if own != nil && own.Groups[0] == class && !c.several[class] || own == nil && given.is(to) {
		grade := Watch
		if own == nil {
			grade = Avoid // the allergy names the whole class
		}
		return &Cross{To: to, Given: class, Grade: grade, Says: "of the class " + class, From: "cautious reading: one class, whether it crosses is not known"}
	}
	return nil
}

// kidney says what the kidneys mean for a medicine, or that they could not be judged.
func (s *sight) kidney(reading Reading) (out []Warning) {
	asked := map[string]bool{} // what is not known, by why
	lowest := map[*Ingredient]*KidneyLimit{}
	with := map[*Ingredient]string{}
	free := map[*Ingredient]bool{}
	rulesOf(reading, s.c.kidney, func(p part, r *KidneyLimit) {
		value, said := s.kidneys.Rate, s.kidneys.RateSays
		if r.By == "CrCl" {
			if s.kidneys.Clearance > 0 {
				value, said = s.kidneys.Clearance, s.kidneys.ClearSays
			} else if value > 0 {
				said += " (no clearance: " + s.kidneys.WhyClear + ")"
			}
		}
		if value <= 0 {
			if r.Grade != None {
				asked[s.kidneys.Why] = true
			}
			return
		}
		if value >= r.Below {
			return
		}
		if r.Grade == None && r.For == p.is.Name {
			free[p.is] = true
		}
		if best := lowest[p.is]; best == nil || r.Below < best.Below || r.Below == best.Below && rank[r.Grade] > rank[best.Grade] {
			lowest[p.is], with[p.is] = r, said
		}
	})
	for _, p := range reading.parts {
		if r := lowest[p.is]; r != nil && r.Grade != None && !free[p.is] {
			out = append(out, Warning{Kind: Kidney, Grade: r.Grade, Says: "With a " + with[p.is], Why: r.Says, Source: r.From})
		}
	}
	for _, why := range slices.Sorted(maps.Keys(asked)) {
		out = append(out, Warning{Kind: Kidney, Grade: Unchecked, Says: "Kidney function not checked", Why: why})
	}
	return out
}

// values says what values of the laboratory speak against a medicine.
func (s *sight) values(reading Reading) (out []Warning) {
	best := map[string]*ValueLimit{}
	value := map[string]chart.Value{}
	var order []string
	rulesOf(reading, s.c.values, func(_ part, r *ValueLimit) {
		n, ok, v := newestNumber(s.r, r.LOINC, r.Unit, r.Days)
		if !ok || r.Above && n <= r.Limit || !r.Above && n >= r.Limit {
			return
		}
		if b := best[r.LOINC]; b == nil || rank[r.Grade] > rank[b.Grade] {
			if b == nil {
				order = append(order, r.LOINC)
			}
			best[r.LOINC], value[r.LOINC] = r, v
		}
	})
	for _, loinc := range order {
		r := best[loinc]
		out = append(out, Warning{Kind: Laboratory, Grade: r.Grade, Says: "With " + r.Name + " " + says(value[loinc]), Why: r.Says, Source: r.From})
	}
	return out
}

// conditions says what the problem list speaks against a medicine.
func (s *sight) conditions(reading Reading) (out []Warning) {
	has := func(begins []string) string {
		for _, code := range s.codes {
			if slices.ContainsFunc(begins, func(b string) bool { return strings.HasPrefix(code, b) }) {
				return code
			}
		}
		return ""
	}
	rulesOf(reading, s.c.condition, func(_ part, r *ConditionRule) {
		code := has(r.Codes)
		if r.Grade == None || code == "" || has(r.Unless) != "" || r.From > 0 && s.months < r.From || r.Below > 0 && s.months >= r.Below {
			return
		}
		out = append(out, Warning{Kind: Condition, Grade: r.Grade, Says: "With " + s.problem(code), Why: r.Says, Source: r.Source})
	})
	return gravestOf(out)
}

// problem names a problem by its code, with its title where the list has it.
func (s *sight) problem(code string) string {
	for _, p := range s.r.Problems {
		if p.Code == code && p.Title != "" {
			return p.Title + " (" + code + ")"
		}
	}
	return code
}

// gravestOf keeps the gravest of several warnings that say the same fact.
func gravestOf(all []Warning) (out []Warning) {
	for _, w := range all {
		at := slices.IndexFunc(out, func(o Warning) bool { return o.Says == w.Says })
		switch {
		case at < 0:
			out = append(out, w)
		case rank[w.Grade] > rank[out[at].Grade]:
			out[at] = w
		}
	}
	return out
}

// ages says what the age speaks against a medicine.
func (s *sight) ages(reading Reading) (out []Warning) {
	if s.months < 0 {
		has := false
		rulesOf(reading, s.c.ages, func(part, *AgeRule) { has = true })
		if has {
			out = append(out, Warning{Kind: Age, Grade: Unchecked, Says: "Age not checked", Why: "the birth date is not known"})
		}
		return out
	}
	// The rule of the ingredient itself counts before that of its groups.
	for _, p := range reading.parts {
		var best *AgeRule
		own := false
		rulesOf(Reading{parts: []part{p}, local: reading.local}, s.c.ages, func(p part, r *AgeRule) {
			if s.months < r.From || r.Below > 0 && s.months >= r.Below {
				return
			}
			if itself := r.For == p.is.Name; best == nil || itself && !own || itself == own && rank[r.Grade] > rank[best.Grade] {
				best, own = r, itself
			}
		})
		if best != nil && best.Grade != None {
			out = append(out, Warning{Kind: Age, Grade: best.Grade, Says: fmt.Sprintf("%s at %s", p.is.Name, chart.AgeText(s.r.Patient.BirthDate, s.r.Day)),
				Why: best.Says, Source: best.Source})
		}
	}
	return out
}

// listGroups are groups of which several at a time are too many for older people.
var listGroups = []struct {
	group string
	acts  []string
	many  int
	says  string
}{
	{"acting on the mind", []string{"benzodiazepine", "hypnotic", "opioid", "antipsychotic", "SSRI", "SNRI", "tricyclic", "other antidepressant",
		"gabapentinoid", "anticonvulsant", "barbiturate", "muscle relaxant"}, 3, "falls and fractures"},
	{"anticholinergic", []string{"anticholinergic"}, 2, "confusion, dry mouth, no urine"},
}

// list says what speaks against the list as such.
func (s *sight) list() []Warning {
	out := []Warning{}
	if s.months < 780 {
		return out
	}
	for _, g := range listGroups {
		var names []string
		for _, t := range s.taken {
			if !t.read.local && slices.ContainsFunc(t.read.parts, func(p part) bool {
				return slices.ContainsFunc(g.acts, p.is.is)
			}) {
				names = append(names, t.says)
			}
		}
		if len(names) >= g.many {
			out = append(out, Warning{Kind: CountOfActing, Grade: Avoid, Says: fmt.Sprintf("%d medicines %s from 65 years: %s", len(names), g.group, strings.Join(names, ", ")),
				Why: g.says, Source: "AGS Beers Criteria, 2023"}.graded())
		}
	}
	return out
}
