// Package cql writes rules as libraries of the Clinical Quality Language (HL7, CQL 1.5) over FHIR R4, and charts as
// the FHIR they read, so that an engine that is not ours can say how a rule stands. What a rule needs that cannot
// be written so is named.
package cql

import (
	"fmt"
	"slices"
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
		if part == "" {
			continue
		}
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
		what, id, l.Version, oneLine(about), oneLine(source.Says()), l.Name, l.Version, Common)
	b.WriteString("parameter \"Today\" Date default Today()\n\ncontext Patient\n")
	for _, d := range w.definitions {
		b.WriteString("\n" + d + "\n")
	}
}

// oneLine keeps what a practice wrote within its comment.
func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

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
