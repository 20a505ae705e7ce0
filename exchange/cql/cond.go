package cql

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"deftledger/core/reminder"
)

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
