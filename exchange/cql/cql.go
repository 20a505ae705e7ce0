// Package cql writes rules as libraries of the Clinical Quality Language (HL7, CQL 1.5) over FHIR R4, and charts as
// the FHIR they read, so that an engine that is not ours can say how a rule stands. What a rule needs that cannot
// be written so is named.
package cql

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"deftledger/core/reminder"
)

// Systems of codes of our own.
const (
	SetSystem      = "https://deftledger.example/fhir/CodeSystem/set"
	QuestionSystem = "https://deftledger.example/fhir/CodeSystem/question"
	ClassSystem    = "https://deftledger.example/fhir/CodeSystem/medicine-class"
	PartSystem     = "https://deftledger.example/fhir/CodeSystem/ingredient"
	Base           = "https://deftledger.example/fhir/"
	icd            = "http://hl7.org/fhir/sid/icd-10-cm"
	loinc          = "http://loinc.org"
	cvx            = "http://hl7.org/fhir/sid/cvx"
)

// Library is a rule as a CQL library. "State" is "not applicable", "satisfied", "due" or "not known" on the day "Today":
// without what people decided, and what is in hand. Due is due or overdue here; satisfied is satisfied or coming up.
type Library struct {
	Name, Version, Text string
	Cannot              []string // what cannot be written; then there is no text
}

// Common is the library that each other includes.
const Common = "DeftLedgerCommon"

// Name is the name of a rule's library.
func Name(rule string) string {
	var b strings.Builder
	for part := range strings.SplitSeq(rule, "-") {
		b.WriteString(strings.ToUpper(part[:1]) + part[1:])
	}
	return b.String()
}

// Write writes a rule. own are figures a practice has set for itself.
func Write(r *reminder.Rule, sets reminder.Sets, own map[string]string) Library {
	w := &writer{rule: r, sets: sets, own: own, defined: map[string]string{}}
	out := Library{Name: Name(r.ID), Version: fmt.Sprint(r.Version)}
	applies := w.cond(r.Applies)
	excluded := []string{}
	for _, x := range r.Excluded {
		excluded = append(excluded, w.cond(x))
	}
	if r.Series != "" {
		w.cannot("a vaccine series with its paths and least intervals")
	}
	satisfied := w.satisfied()
	if len(w.no) > 0 {
		slices.Sort(w.no)
		out.Cannot = slices.Compact(w.no)
		return out
	}
	var b strings.Builder
	w.head(&b, "rule", r.ID, r.About, r.Source, out)
	either := "false"
	if len(excluded) > 0 {
		either = "(" + strings.Join(excluded, ")\n  or (") + ")"
	}
	season := "false"
	if s := r.Season; s != nil {
		season = outOfSeason(s)
	}
	fmt.Fprintf(&b, `
define "Applies": %s

define "Excluded": %s

define "Concerned": "Applies" and not "Excluded"

%s
define "Out Of Season": %s

define "State":
  if C."Has Died"(Patient, "Today") then 'not applicable'
  else if C."Born Ahead"(Patient, "Today") then 'not known'
  else if "Concerned" is false then 'not applicable'
  else if "Satisfied" is true then 'satisfied'
  else if "Concerned" is null or "Satisfied" is null then 'not known'
  else if "Out Of Season" then 'satisfied'
  else 'due'
`, applies, either, satisfied, season)
	out.Text = b.String()
	return out
}

// WriteMeasure writes a measure of quality: "Denominator", "Denominator Exclusion" and "Numerator", each true, false, or null for
// not known, on the day "Today".
func WriteMeasure(m *reminder.Measure, sets reminder.Sets) Library {
	w := &writer{rule: &reminder.Rule{ID: m.ID}, sets: sets, defined: map[string]string{}}
	out := Library{Name: "Measure" + Name(m.ID), Version: fmt.Sprint(m.Version)}
	if m.Per != "person" {
		w.cannot("what belongs to a visit")
	}
	denominator, numerator := w.cond(m.Denominator), w.cond(m.Numerator)
	exclusions := []string{}
	for _, x := range m.Exclusions {
		exclusions = append(exclusions, "("+w.cond(x)+")")
	}
	if len(exclusions) == 0 {
		exclusions = []string{"false"}
	}
	if len(w.no) > 0 {
		slices.Sort(w.no)
		out.Cannot = slices.Compact(w.no)
		return out
	}
	var b strings.Builder
	w.head(&b, "measure", m.ID, m.About, m.Source, out)
	fmt.Fprintf(&b, "\ndefine \"Initial Population\": not C.\"Has Died\"(Patient, \"Today\")\n\ndefine \"Denominator\": \"Initial Population\" and (%s)\n\ndefine \"Denominator Exclusion\": %s\n\ndefine \"Numerator\": %s\n",
		denominator, strings.Join(exclusions, "\n  or "), numerator)
	out.Text = b.String()
	return out
}

// head writes what every library begins with.
func (w *writer) head(b *strings.Builder, what, id, about string, source reminder.Source, l Library) {
	fmt.Fprintf(b, "// Generated from the %s %q, version %s. %s\n// Source: %s\nlibrary %s version '%s'\nusing FHIR version '4.0.1'\ninclude FHIRHelpers version '4.0.1'\ninclude %s version '1' called C\n\n",
		what, id, l.Version, about, source.Says(), l.Name, l.Version, Common)
	b.WriteString("parameter \"Today\" Date default Today()\n\ncontext Patient\n")
	for _, d := range w.definitions {
		b.WriteString("\n" + d + "\n")
	}
}

type writer struct {
	rule        *reminder.Rule
	sets        reminder.Sets
	own         map[string]string
	no          []string
	defined     map[string]string
	definitions []string
	n           int
}

func (w *writer) cannot(what string) { w.no = append(w.no, what) }

func (w *writer) define(name, text string) string {
	if w.defined[name] == "" {
		w.defined[name] = text
		w.definitions = append(w.definitions, fmt.Sprintf("define %q:\n  %s", name, text))
	}
	return fmt.Sprintf("%q", name)
}

func quote(s string) string {
	return "'" + strings.NewReplacer(`\`, `\\`, `'`, `\'`).Replace(s) + "'"
}

func list(all []string) string {
	out := make([]string, len(all))
	for i, s := range all {
		out[i] = quote(s)
	}
	return "{" + strings.Join(out, ", ") + "}"
}

// length is a length of time, a figure of the practice's own put in.
func (w *writer) length(l reminder.Length) reminder.Length {
	if l.Param == "" {
		return l
	}
	text := w.own[l.Param]
	if text == "" {
		text = w.rule.Parameters[l.Param].Is
	}
	var out reminder.Length
	if out.UnmarshalText([]byte(text)) != nil {
		w.cannot("the figure " + l.Param)
	}
	return out
}

func (w *writer) is(x reminder.Is) reminder.Is {
	if x.Param == "" {
		return x
	}
	text := w.own[x.Param]
	if text == "" {
		text = w.rule.Parameters[x.Param].Is
	}
	var out reminder.Is
	if out.UnmarshalText([]byte(x.Op+" "+text)) != nil {
		w.cannot("the figure " + x.Param)
	}
	return out
}

// after is a day and a length of time after it.
func after(day string, l reminder.Length) string {
	unit := map[reminder.Unit]string{reminder.Days: "Days", reminder.Weeks: "Weeks", reminder.Months: "Months", reminder.Years: "Years"}[l.Unit]
	return fmt.Sprintf("C.\"After %s\"(%s, %d)", unit, day, l.N)
}

func (w *writer) join(with string, cs []reminder.Cond) string {
	out := make([]string, len(cs))
	for i := range cs {
		out[i] = "(" + w.cond(cs[i]) + ")"
	}
	return strings.Join(out, "\n  "+with+" ")
}

// cond writes a condition: true, false, or null for not known.
func (w *writer) cond(c reminder.Cond) string {
	switch {
	case c.All != nil:
		return w.join("and", c.All)
	case c.Any != nil:
		return w.join("or", c.Any)
	case c.None != nil:
		return "not (" + w.join("or", c.None) + ")"
	case c.Not != nil:
		return "not (" + w.cond(*c.Not) + ")"
	case c.Age != nil:
		var parts []string
		if l := w.length(c.Age.From); l.Given() {
			parts = append(parts, w.reached(l))
		}
		if l := w.length(c.Age.Below); l.Given() {
			parts = append(parts, "not "+w.reached(l))
		}
		return strings.Join(parts, " and ")
	case c.Sex != "":
		return fmt.Sprintf("C.\"Sex Is\"(Patient, '%s')", c.Sex)
	case c.Organ != "":
		return w.organ(c.Organ)
	case c.Problem != nil:
		if c.Problem.For.Given() {
			w.cannot("a diagnosis known for a length of time")
		}
		return w.anyOf(c.Problem.Of, func(name string) (string, string) {
			usable := fmt.Sprintf("%s X where C.\"Current\"(X, \"Today\", %v)", w.conditions(name), c.Problem.Ever)
			return usable + " and C.\"Certain\"(X)", usable + " and not C.\"Certain\"(X)"
		})
	case c.Medicine != nil:
		return w.anyOf(c.Medicine.Of, func(name string) (string, string) {
			usable := fmt.Sprintf("%s X where C.\"Taken\"(X, \"Today\")", w.medicines(name))
			return usable + " and X.status.value = 'active'", usable + " and X.status.value != 'active'"
		})
	case c.Allergy != nil:
		return w.anyOf(c.Allergy.Of, func(name string) (string, string) {
			usable := w.allergies(name) + " X where not C.\"Verified As\"(X, 'refuted')"
			return usable + " and not C.\"Verified As\"(X, 'unconfirmed')", usable + " and C.\"Verified As\"(X, 'unconfirmed')"
		})
	case c.Value != nil:
		return w.value(c.Value)
	case c.Had != nil:
		return w.had(c.Had)
	case c.Tobacco != nil:
		w.cannot("tobacco, which is read from words")
	case c.Pregnant != nil:
		says := `C."Is Pregnant"([Condition], Patient, "Today")`
		if !*c.Pregnant {
			return "not " + says
		}
		return says
	case c.Family != nil:
		w.cannot("the family history, which is read from words")
	case c.Answer != nil:
		return w.answer(c.Answer.To, c.Answer.Is)
	case c.Visit != nil:
		return fmt.Sprintf("exists ([Encounter] X where X.status.value = 'finished' and C.\"Earliest\"(X.period.start) <= \"Today\" and \"Today\" < %s)",
			after(`C."Earliest"(X.period.start)`, w.length(c.Visit.Within)))
	case c.Born != nil:
		from, before := "null as Date", "null as Date"
		if c.Born.From != "" {
			from = "@" + c.Born.From
		}
		if c.Born.Before != "" {
			before = "@" + c.Born.Before
		}
		return fmt.Sprintf("C.\"Born\"(Patient, %s, %s)", from, before)
	default:
		w.cannot("a condition of the visit")
	}
	return "null"
}

// reached is whether an age has been reached.
func (w *writer) reached(l reminder.Length) string {
	return fmt.Sprintf("C.\"Reached\"(%s, %s, \"Today\")", after(`C."Born First"(Patient)`, l), after(`C."Born Last"(Patient)`, l))
}

// anyOf is that something of one of some sets is there for certain, or may be.
func (w *writer) anyOf(names []string, of func(string) (certain, maybe string)) string {
	var certain, maybe []string
	for _, n := range names {
		c, m := of(n)
		certain, maybe = append(certain, "exists ("+c+")"), append(maybe, "exists ("+m+")")
	}
	return fmt.Sprintf("C.\"One\"(%s, %s)", strings.Join(certain, " or "), strings.Join(maybe, " or "))
}

// conditions are the diagnoses of a set: by beginnings of ICD-10-CM codes, and as histories were read.
func (w *writer) conditions(name string) string {
	var codes, but []string
	var take func(string)
	take = func(n string) {
		for _, s := range w.sets.Conditions {
			if s.Name == n {
				codes, but = append(codes, s.Codes...), append(but, s.But...)
				for _, inner := range s.Sets {
					take(inner)
				}
			}
		}
	}
	take(name)
	return w.define("Condition "+name, fmt.Sprintf("[Condition] X where C.\"Begins\"(X.code, %s) and not C.\"Begins\"(X.code, %s) or C.\"Named\"(X.code, %s)", list(codes), list(but), quote(name)))
}

func (w *writer) medicines(name string) string {
	for _, s := range w.sets.Medicines {
		if s.Name == name {
			return w.define("Medicine "+name, fmt.Sprintf("[MedicationStatement] X where C.\"Coded\"(X.medication as CodeableConcept, '%s', %s) or C.\"Coded\"(X.medication as CodeableConcept, '%s', %s)",
				ClassSystem, list(s.Classes), PartSystem, list(s.Ingredients)))
		}
	}
	w.cannot("the medicines " + name)
	return "null"
}

func (w *writer) allergies(name string) string {
	for _, s := range w.sets.Medicines {
		if s.Name == name {
			return w.define("Allergy "+name, fmt.Sprintf("[AllergyIntolerance] X where C.\"Coded\"(X.code, '%s', %s)", ClassSystem, list(s.Classes)))
		}
	}
	w.cannot("the medicines " + name)
	return "null"
}

func (w *writer) quantity(name string) (reminder.QuantitySet, bool) {
	i := slices.IndexFunc(w.sets.Quantities, func(q reminder.QuantitySet) bool { return q.Name == name })
	if i < 0 {
		return reminder.QuantitySet{}, false
	}
	return w.sets.Quantities[i], true
}

// facts are everything of a set as tuples: first and last day it may have been, whether it is certain, its value as number, sign, unit
// and words. Nothing later than today is in them.
func (w *writer) facts(name string) string {
	var parts []string
	observed := func(q reminder.QuantitySet) string {
		return fmt.Sprintf("([Observation] X where C.\"Coded\"(X.code, '%s', %s) or C.\"Named\"(X.code, %s) return C.\"Observed\"(X, %d, \"Today\"))", loinc, list(q.LOINC), quote(q.Name), q.Part)
	}
	if q, ok := w.quantity(name); ok {
		parts = append(parts, observed(q))
	}
	for _, s := range w.sets.Services {
		if s.Name != name {
			continue
		}
		for _, q := range s.Quantities {
			if x, ok := w.quantity(q); ok {
				parts = append(parts, observed(x))
			}
		}
		if len(s.LOINC) > 0 {
			parts = append(parts, observed(reminder.QuantitySet{Name: name, LOINC: s.LOINC}))
		}
		parts = append(parts, fmt.Sprintf("([Procedure] X where C.\"Named\"(X.code, %s) return C.\"Done\"(X, \"Today\"))", quote(name)))
	}
	for _, s := range w.sets.Vaccines {
		if s.Name == name {
			parts = append(parts, fmt.Sprintf("([Immunization] X where X.status.value = 'completed' and (C.\"Coded\"(X.vaccineCode, '%s', %s) or C.\"Named\"(X.vaccineCode, %s)) return C.\"Given\"(X, \"Today\"))", cvx, list(s.CVX), quote(name)))
		}
	}
	for _, s := range w.sets.Conditions {
		if s.Name == name {
			parts = append(parts, fmt.Sprintf("(%s X return C.\"Known\"(X, \"Today\"))", w.conditions(name)))
		}
	}
	if len(parts) == 0 {
		w.cannot("the set " + name)
		return "null"
	}
	return w.define("Facts "+name, fmt.Sprintf("(%s) F where F.undated or F.high <= \"Today\"", strings.Join(parts, "\n    union ")))
}

// judge is whether a fact compares so.
func (w *writer) judge(name string, x reminder.Is) string {
	x = w.is(x)
	if x.Op == "" {
		return "true"
	}
	if x.Op == "word" {
		return fmt.Sprintf("(if not F.clear then null as Boolean else C.\"Word\"(F.words, %s))", list(x.Words))
	}
	q, _ := w.quantity(name)
	value := "F.number"
	if q.Unit != "" {
		units := make([]string, 0, len(q.Units))
		for u := range q.Units {
			units = append(units, u)
		}
		sort.Strings(units)
		value = "(case when F.unit = " + quote(q.Unit) + " then F.number"
		for _, u := range units {
			value += fmt.Sprintf(" when F.unit = %s then F.number * %v + %v", quote(u), decimal(q.Units[u].Times), decimal(q.Units[u].Plus))
		}
		value += " else null as Decimal end)"
	}
	below := func(limit float64, orEqual bool) string {
		return fmt.Sprintf("C.\"Below\"(%s, F.sign, %s, %v)", value, decimal(limit), orEqual)
	}
	var out string
	switch x.Op {
	case "<":
		out = below(x.N, false)
	case "<=":
		out = below(x.N, true)
	case ">":
		out = "not " + below(x.N, true)
	case ">=":
		out = "not " + below(x.N, false)
	case "to":
		out = "not " + below(x.N, false) + " and " + below(x.To, true)
	default:
		out = "not " + below(x.N, false) + " and " + below(x.N, true)
	}
	return "(if not F.clear then null as Boolean else " + out + ")"
}

func decimal(n float64) string {
	s := fmt.Sprintf("%g", n)
	if !strings.ContainsAny(s, ".e") {
		s += ".0"
	}
	return s
}

func (w *writer) value(v *reminder.ValueCond) string {
	w.n++
	at := fmt.Sprintf("Value %d %s", w.n, v.Of)
	within := ""
	if l := w.length(v.Within); l.Given() {
		within = fmt.Sprintf(" and \"Today\" < %s", after("F.high", l))
	}
	facts := w.define(at, fmt.Sprintf("%s F where not F.undated%s", w.facts(v.Of), within))
	judged := w.define(at+" Judged", fmt.Sprintf("%s F return Tuple{at: F.high, holds: %s}", facts, w.judge(v.Of, v.Is)))
	missing := "null as Boolean"
	if v.Missing == "no" {
		missing = "false"
	}
	if v.Any {
		return fmt.Sprintf("if not exists (%s) then %s else C.\"One\"(exists (%s J where J.holds is true), exists (%s J where J.holds is null))", facts, missing, judged, judged)
	}
	last := w.define(at+" Last", fmt.Sprintf("Max(%s J return J.at)", judged))
	of := w.define(at+" Of The Day", fmt.Sprintf("%s J where J.at = %s", judged, last))
	one := fmt.Sprintf("if exists (%s J where J.holds is null) or exists (%s J where J.holds is true) and exists (%s J where J.holds is false) then null as Boolean else exists (%s J where J.holds is true)", of, of, of, of)
	if v.Lowest {
		one = fmt.Sprintf("C.\"One\"(exists (%s J where J.holds is true), exists (%s J where J.holds is null))", of, of)
	}
	return fmt.Sprintf("if not exists (%s) then %s else %s", facts, missing, one)
}

func (w *writer) had(h *reminder.HadCond) string {
	var certain, maybe []string
	within, from := w.length(h.Within), w.length(h.From)
	verdict := "if not F.sure then null as Boolean"
	if within.Given() || from.Given() {
		verdict += " else if F.undated then null as Boolean"
	} else {
		verdict += " else if F.undated then true"
	}
	if from.Given() {
		verdict += fmt.Sprintf(" else if C.\"Born First\"(Patient) is null then null as Boolean else if F.high < %s then false", after(`C."Born First"(Patient)`, from))
	}
	if within.Given() {
		verdict += fmt.Sprintf(" else if \"Today\" >= %s then false else if \"Today\" >= %s then null as Boolean", after("F.high", within), after("F.low", within))
	}
	if from.Given() {
		verdict += fmt.Sprintf(" else if F.low < %s then null as Boolean", after(`C."Born Last"(Patient)`, from))
	}
	verdict += " else true"
	for _, name := range h.Of {
		w.n++
		v := w.define(fmt.Sprintf("Had %d %s", w.n, name), fmt.Sprintf("%s F return all (%s)", w.facts(name), verdict))
		certain, maybe = append(certain, fmt.Sprintf("exists (%s V where V is true)", v)), append(maybe, fmt.Sprintf("C.\"Nulls\"(%s)", v))
	}
	return fmt.Sprintf("C.\"One\"(%s, %s)", strings.Join(certain, " or "), strings.Join(maybe, " or "))
}

func (w *writer) question(id string) (reminder.Question, bool) {
	i := slices.IndexFunc(w.sets.Questions, func(q reminder.Question) bool { return q.ID == id })
	if i < 0 {
		return reminder.Question{}, false
	}
	return w.sets.Questions[i], true
}

// newest is the newest answer to a question, as a tuple with its day and words.
func (w *writer) newest(id string) string {
	return w.define("Answer "+id, fmt.Sprintf("Last(([Observation] X where C.\"Coded\"(X.code, '%s', {%s}) return C.\"Observed\"(X, 0, \"Today\")) F where F.high <= \"Today\" sort by high, id)", QuestionSystem, quote(id)))
}

func (w *writer) answer(id string, is reminder.Is) string {
	q, ok := w.question(id)
	if !ok {
		w.cannot("the question " + id)
		return "null"
	}
	a, valid := w.newest(id), "false"
	if q.Lasts.Unit != reminder.Forever {
		valid = fmt.Sprintf("\"Today\" >= %s", after(w.newest(id)+".high", q.Lasts))
	}
	w.n++
	judged := w.define(fmt.Sprintf("Answer %d Holds", w.n), fmt.Sprintf("First(({%s}) F return all (%s))", a, w.judge("", is)))
	return fmt.Sprintf("if %s is null or %s or %s.words in {'not known', 'declined'} then null as Boolean else %s", a, valid, a, judged)
}

func (w *writer) organ(organ string) string {
	a := w.newest("has-" + organ)
	var certain, maybe []string
	for _, name := range []string{"removal-of-" + organ, "without-" + organ} {
		known := slices.ContainsFunc(w.sets.Services, func(s reminder.ServiceSet) bool { return s.Name == name }) ||
			slices.ContainsFunc(w.sets.Conditions, func(s reminder.ConditionSet) bool { return s.Name == name })
		if !known {
			continue
		}
		f := w.facts(name)
		here := "(F.undated or F.low <= \"Today\")"
		certain, maybe = append(certain, fmt.Sprintf("exists (%s F where %s and F.sure)", f, here)), append(maybe, fmt.Sprintf("exists (%s F where %s and not F.sure)", f, here))
	}
	owner := map[string]string{"prostate": "male"}[organ]
	if owner == "" {
		owner = "female"
	}
	return fmt.Sprintf("if %s.words = 'yes' then true else if %s.words = 'no' then false else if %s then false else if %s then null as Boolean else C.\"Sex Is\"(Patient, '%s')",
		a, a, strings.Join(certain, " or "), strings.Join(maybe, " or "), owner)
}

// satisfied defines what fulfils the rule.
func (w *writer) satisfied() string {
	var certain, maybe []string
	open := []string{}
	for i, s := range w.rule.Satisfied {
		if s.Priming != nil {
			w.cannot("two doses in a first season")
		}
		lasts := w.length(s.Lasts)
		facts := w.facts(s.Of)
		sure := "F.sure"
		if lasts.Unit != reminder.Forever {
			sure += " and not F.undated"
		}
		where := []string{}
		if from := w.length(s.From); from.Given() {
			where = append(where, fmt.Sprintf("(F.undated or C.\"Born First\"(Patient) is null or F.high >= %s)", after(`C."Born First"(Patient)`, from)))
			sure += fmt.Sprintf(" and (F.undated or C.\"Born First\"(Patient) is not null and F.low >= %s)", after(`C."Born Last"(Patient)`, from))
		}
		if s.Is.Op != "" {
			where = append(where, fmt.Sprintf("(%s is not false)", w.judge(s.Of, s.Is)))
			sure += fmt.Sprintf(" and (%s is true)", w.judge(s.Of, s.Is))
		}
		filter := ""
		if len(where) > 0 {
			filter = " where " + strings.Join(where, " and ")
		}
		good := good(lasts)
		if len(s.ByResult) > 0 {
			good = "(case"
			shorter := ""
			for _, b := range s.ByResult {
				l := w.length(b.Lasts)
				j := w.judge(s.Of, b.Is)
				good += fmt.Sprintf(" when %s is true then %s", j, goodIf(l))
				if days(l) < days(lasts) {
					shorter += fmt.Sprintf(" and (%s is not null or %s)", j, goodIf(l))
				}
			}
			good += fmt.Sprintf(" else %s%s end)", goodIf(lasts), shorter)
		}
		name := fmt.Sprintf("Satisfier %d %s", i+1, s.Of)
		all := w.define(name, fmt.Sprintf("%s F%s return Tuple{at: F.high, undated: F.undated, sure: %s, good: F.undated or %s}", facts, filter, sure, good))
		if len(s.ByResult) > 0 {
			newest := w.define(name+" Newest", fmt.Sprintf("Max(%s S where S.sure and not S.undated return S.at)", all))
			all = w.define(name+" Last", fmt.Sprintf("%s S where S.undated or %s is null or S.at >= %s", all, newest, newest))
			certain = append(certain, fmt.Sprintf("(exists (%s S where S.sure) and not exists (%s S where S.sure and not S.good))", all, all))
		} else {
			certain = append(certain, fmt.Sprintf("exists (%s S where S.sure and S.good)", all))
		}
		maybe = append(maybe, fmt.Sprintf("exists (%s S where not S.sure and S.good)", all))
		for n, b := range s.ByResult {
			if len(b.FollowedBy) > 0 {
				open = append(open, w.unfollowed(fmt.Sprintf("%s Result %d", name, n+1), s.Of, facts, b))
			}
		}
	}
	if len(certain) == 0 {
		return "define \"Satisfied\": false\n"
	}
	fulfilled := fmt.Sprintf("C.\"One\"(%s, %s)", strings.Join(certain, "\n    or "), strings.Join(maybe, "\n    or "))
	if len(open) == 0 {
		return "define \"Satisfied\": " + fulfilled + "\n"
	}
	return fmt.Sprintf("define \"To Be Followed Up\": First((%s) U sort by at descending)\n\ndefine \"Satisfied\": if \"To Be Followed Up\" is null then %s\n  else if \"To Be Followed Up\".through > \"Today\" then true\n  else if \"To Be Followed Up\".followed is null then null as Boolean else false\n",
		strings.Join(open, " union "), fulfilled)
}

// unfollowed are results after which something else has to come and has not for certain.
func (w *writer) unfollowed(name, of, facts string, b reminder.Result) string {
	var certain, maybe []string
	for _, n := range b.FollowedBy {
		from := "F.low"
		other := ""
		if n == of {
			from, other = "F.low + 1 day", " and G.id != F.id"
		}
		certain = append(certain, fmt.Sprintf("exists (%s G where not G.undated and G.sure and G.low >= %s%s)", w.facts(n), from, other))
		maybe = append(maybe, fmt.Sprintf("exists (%s G where (G.undated or G.high >= %s)%s)", w.facts(n), from, other))
	}
	all := w.define(name, fmt.Sprintf("%s F where not F.undated and F.sure and %s is true return Tuple{at: F.high, id: F.id, through: %s, followed: C.\"One\"(%s, %s)}",
		facts, w.judge(of, b.Is), after("F.low", w.length(b.Lasts)), strings.Join(certain, " or "), strings.Join(maybe, " or ")))
	return fmt.Sprintf("(%s U where U.followed is not true)", all)
}

func good(l reminder.Length) string { return goodIf(l) }

// goodIf is that something that lasts so long still holds, from the first day it may have been.
func goodIf(l reminder.Length) string {
	if l.Unit == reminder.Forever {
		return "true"
	}
	return fmt.Sprintf("\"Today\" < %s", after("F.low", l))
}

func days(l reminder.Length) int {
	return l.N * map[reminder.Unit]int{reminder.Days: 1, reminder.Weeks: 7, reminder.Months: 30, reminder.Years: 365, reminder.Forever: 100000}[l.Unit]
}

// outOfSeason is whether today lies out of the season of a rule.
func outOfSeason(s *reminder.Season) string {
	day := `(month from "Today") * 100 + (day from "Today")`
	from, to := strings.ReplaceAll(s.From, "-", ""), strings.ReplaceAll(s.To, "-", "")
	from, to = strings.TrimPrefix(from, "0"), strings.TrimPrefix(to, "0")
	if s.From <= s.To {
		return fmt.Sprintf("%s < %s or %s > %s", day, from, day, to)
	}
	return fmt.Sprintf("%s < %s and %s > %s", day, from, day, to)
}
