// Package order holds the laboratory order: what can be ordered, what an order
// must have before it is signed, and which states it goes through.
package order

import (
	"errors"
	"fmt"
	"time"

	"deftledger/core/chart"
)

// Kind is what an order is for.
type Kind string

// LaboratoryKind is an order to a laboratory.
const LaboratoryKind Kind = "laboratory"

// State of an order.
type State string

// The states of an order. Failed means the laboratory refused it.
const (
	Draft     State = "draft"
	Planned   State = "planned"     // for a later day; sent on it, or drawn on it
	ToDraw    State = "to be drawn" // here; sent when it is
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

// Line is one test on the pad with the diagnosis codes that justify it. Orders prepared
// before there were two laboratories have none: theirs is the one usually meant.
type Line struct {
	Laboratory string `json:",omitempty"` // ID; "" for the one usually meant
	Test       string
	Diagnoses  []string
	Answers    []EntryAnswer `json:",omitempty"`
	Remark     string        `json:",omitempty"`
	Timing
}

// Timing is when a test is to be done: now, on a day, or every so many weeks from a day
// until another, each time an order of its own.
type Timing struct {
	Due   string `json:",omitempty"` // YYYY-MM-DD; "" for now
	Every int    `json:",omitempty"` // weeks; 0 for once
	Until string `json:",omitempty"` // YYYY-MM-DD, the last day on which one may fall
}

// MostOccurrences bounds how often a standing order is repeated.
const MostOccurrences = 60

// Days lists the days on which it falls due; "" for now. today is YYYY-MM-DD.
func (t Timing) Days(today string) ([]string, error) {
	now, err := time.Parse(time.DateOnly, today)
	if err != nil {
		return nil, err
	}
	first := now
	if t.Due != "" {
		if first, err = time.Parse(time.DateOnly, t.Due); err != nil {
			return nil, fmt.Errorf("%w: %q is no day", ErrIncomplete, t.Due)
		}
		switch {
		case first.Before(now):
			return nil, fmt.Errorf("%w: %s is past", ErrIncomplete, chart.SayDay(t.Due))
		case first.After(now.AddDate(2, 0, 0)):
			return nil, fmt.Errorf("%w: %s is more than two years away", ErrIncomplete, chart.SayDay(t.Due))
		}
	}
	if t.Every == 0 {
		if t.Until != "" {
			return nil, fmt.Errorf("%w: a standing order says every how many weeks", ErrIncomplete)
		}
		return []string{t.Due}, nil
	}
	until, err := time.Parse(time.DateOnly, t.Until)
	switch {
	case t.Every < 1 || t.Every > 104:
		return nil, fmt.Errorf("%w: every 1 to 104 weeks", ErrIncomplete)
	case err != nil:
		return nil, fmt.Errorf("%w: a standing order says until when", ErrIncomplete)
	case !until.After(first):
		return nil, fmt.Errorf("%w: %s is not after its first day", ErrIncomplete, chart.SayDay(t.Until))
	case until.After(now.AddDate(2, 0, 0)):
		return nil, fmt.Errorf("%w: a standing order is renewed after two years at the latest", ErrIncomplete)
	}
	days := []string{t.Due}
	for d := first.AddDate(0, 0, 7*t.Every); !d.After(until); d = d.AddDate(0, 0, 7*t.Every) {
		days = append(days, d.Format(time.DateOnly))
	}
	if len(days) > MostOccurrences {
		return nil, fmt.Errorf("%w: that would be %d orders; %d are the most", ErrIncomplete, len(days), MostOccurrences)
	}
	return days, nil
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
		if seen[l.Laboratory+" "+l.Test] {
			return fmt.Errorf("%w: %s stands on it twice", ErrIncomplete, l.Test)
		}
		seen[l.Laboratory+" "+l.Test] = true
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
