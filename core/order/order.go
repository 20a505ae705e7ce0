// Package order holds the laboratory order: what can be ordered, what an order
// must have before it is signed, and which states it goes through.
package order

import (
	"errors"
	"fmt"
	"slices"
	"strings"
)

// Laboratory is a laboratory with its test list.
type Laboratory struct {
	Name     string
	Facility string // as it calls itself in messages
	Phone    string
	Source   string
	Tests    []Test
}

// Test is one orderable test of a laboratory's test list.
type Test struct {
	Code     string    `json:"code" yaml:"code"`         // the laboratory's own code
	Name     string    `json:"name" yaml:"name"`         // as the laboratory prints it
	LOINC    string    `json:"loinc" yaml:"loinc"`       // order or panel code
	Specimen string    `json:"specimen" yaml:"specimen"` // "serum", "urine"…
	Tube     string    `json:"tube" yaml:"tube"`
	Also     []string  `json:"also" yaml:"also"` // other words it is asked for by
	Analytes []Analyte `json:"analytes" yaml:"analytes"`
}

// Analyte is one value a test reports. Unit is UCUM. Low and High bound the
// laboratory's reference range for adults, inclusive; either may be empty.
type Analyte struct {
	Code  string `json:"code" yaml:"code"`
	Name  string `json:"name" yaml:"name"`
	LOINC string `json:"loinc" yaml:"loinc"`
	Unit  string `json:"unit" yaml:"unit"`
	Low   string `json:"low" yaml:"low"`
	High  string `json:"high" yaml:"high"`
}

// State of an order.
type State string

// The states of an order. Failed means the laboratory refused it.
const (
	Draft     State = "draft"
	Signed    State = "signed, not sent"
	Received  State = "received by the laboratory"
	InProcess State = "in process"
	Partial   State = "partial"
	Final     State = "final"
	Reviewed  State = "reviewed"
	Failed    State = "refused"
	Cancelled State = "cancelled"
)

// Done says whether nothing more is expected of anybody.
func (s State) Done() bool { return s == Reviewed || s == Cancelled }

// Priorities of an order; the codes are those of HL7 v2.5.1 field TQ1-9 (table 0485).
var Priorities = map[string]string{"R": "routine", "A": "urgent", "S": "stat"}

// Line is one test of an order with the diagnosis codes that justify it.
type Line struct {
	Test      string
	Diagnoses []string
}

// ErrIncomplete is wrapped by every reason why an order cannot be signed.
var ErrIncomplete = errors.New("the order is not complete")

// Complete says whether an order can be signed; the error names what is missing.
func Complete(priority string, lines []Line) error {
	if len(lines) == 0 {
		return fmt.Errorf("%w: choose at least one test", ErrIncomplete)
	}
	if Priorities[priority] == "" {
		return fmt.Errorf("%w: choose routine, urgent or stat", ErrIncomplete)
	}
	seen := map[string]bool{}
	for _, l := range lines {
		if len(l.Diagnoses) == 0 {
			return fmt.Errorf("%w: link a diagnosis to %s", ErrIncomplete, l.Test)
		}
		if seen[l.Test] {
			return fmt.Errorf("%w: %s stands on it twice", ErrIncomplete, l.Test)
		}
		seen[l.Test] = true
	}
	return nil
}

// TestState is where one test of an order stands, from its report.
type TestState struct {
	Status string // "", "P" preliminary, "F" final, "C" corrected, "X" cannot be done
	Signed bool   // the present issue of the report is signed
}

// After returns the state of a sent order from the states of its tests. An order
// is Reviewed only when every test is final and signed; preliminary and partial
// results close nothing.
func After(tests []TestState) State {
	var final, signed, some int
	for _, t := range tests {
		if t.Status != "" {
			some++
		}
		if t.Status == "F" || t.Status == "C" || t.Status == "X" {
			final++
			if t.Signed {
				signed++
			}
		}
	}
	switch {
	case len(tests) > 0 && signed == len(tests):
		return Reviewed
	case len(tests) > 0 && final == len(tests):
		return Final
	case final > 0:
		return Partial
	case some > 0:
		return InProcess
	}
	return Received
}

// Find returns tests whose name, code, LOINC or other words begin with every
// word of the query; better matches (name before other words) first.
func Find(tests []Test, query string, limit int) []Test {
	asked := strings.Fields(strings.ToLower(query))
	type ranked struct {
		t    Test
		rank int
	}
	var hits []ranked
	for _, t := range tests {
		names := strings.FieldsFunc(strings.ToLower(t.Name), func(r rune) bool { return strings.ContainsRune(" ,-/()", r) })
		rest := append(strings.Fields(strings.ToLower(strings.Join(t.Also, " "))), strings.ToLower(t.Code), t.LOINC)
		rank, ok := 0, true
		for _, w := range asked {
			starts := func(s string) bool { return strings.HasPrefix(s, w) }
			at := slices.IndexFunc(names, starts)
			switch {
			case at >= 0:
				rank += at
			case slices.ContainsFunc(rest, starts):
				rank += 3
			default:
				ok = false
			}
		}
		if ok {
			hits = append(hits, ranked{t, rank*100 + len(names)})
		}
	}
	slices.SortStableFunc(hits, func(a, b ranked) int { return a.rank - b.rank })
	var out []Test
	for i := range min(limit, len(hits)) {
		out = append(out, hits[i].t)
	}
	return out
}

// PreparedState says how an order laid for a physician's signature stands.
type PreparedState string

// States of a prepared order: it waits; it is signed as an order, or given back with a
// reason; or whoever prepared it dropped it, or laid another in its place.
const (
	ToSign      PreparedState = "waiting"
	BecameOrder PreparedState = "signed"
	Returned    PreparedState = "returned"
	Dropped     PreparedState = "dropped"
	Replaced    PreparedState = "replaced"
)

// Open says whether somebody still has to act on it.
func (s PreparedState) Open() bool { return s == ToSign || s == Returned }
