// Package referral knows how a question to another practice goes its way: what it must have
// before it is signed, the stages it goes through, and when silence becomes an open line.
package referral

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"deftledger/core/chart"
)

// State is where a referral stands.
type State string

// The states of a referral.
const (
	ToSign    State = "to be signed"
	Returned  State = "given back" // by who was to sign it, to who wrote it
	Signed    State = "signed, not sent"
	ToHand    State = "to be posted or handed over"
	DueHere   State = "to be done here" // by the practice's own people
	Sent      State = "sent"
	Accepted  State = "accepted"
	Asked     State = "they ask back"
	Scheduled State = "scheduled"
	NoShow    State = "did not come"
	Seen      State = "seen"
	Reported  State = "report to be read"
	Declined  State = "declined"
	Failed    State = "could not be sent"
	Calling   State = "being cancelled" // they have not been told yet
	Cancelled State = "cancelled"
	Closed    State = "closed" // the report was read and signed
)

// Done says whether nothing more is expected of anybody.
func (s State) Done() bool { return s == Closed || s == Cancelled }

// Event is what happens to a referral.
type Event string

// The events: of its way, said by the other side, and done here.
const (
	Delivered    Event = "delivered"
	NotDelivered Event = "not delivered"
	Accepts      Event = "accepts"
	Asks         Event = "asks"
	Answered     Event = "answered"
	Schedules    Event = "schedules"
	Misses       Event = "no-show"
	Sees         Event = "sees"
	Reports      Event = "reports"
	Declines     Event = "declines"
	Unclear      Event = "unclear" // nobody can say what it means
	OfOther      Event = "other"   // it names somebody else, or nobody
	Nothing      Event = "nothing" // says nothing new
	CalledAfter  Event = "asked after"
	Cancels      Event = "cancels"
	Reads        Event = "reads"  // the report was read and signed
	HasIt        Event = "has it" // the patient has what was ordered; of a supply, which brings no report
)

// ByThem are the events that the other side tells: a system of theirs, or somebody here who
// heard it from them.
var ByThem = []Event{Accepts, Asks, Schedules, Sees, Misses, Declines, Reports}

// ErrNot is wrapped by every reason why an event cannot be.
var ErrNot = errors.New("that cannot be said of this referral")

// far is how far along a referral is; what would take it back changes nothing.
var far = map[State]int{Signed: 1, ToHand: 1, Failed: 1, Sent: 2, Accepted: 3, Asked: 3, Scheduled: 4, NoShow: 4, Seen: 5, Reported: 6}

// After is the state after an event. What the other side tells out of order takes nothing
// back: "accepted" after "seen" leaves it seen. A report always waits to be read, whatever
// was before; a question always waits for an answer, until there is a report.
func (s State) After(e Event) (State, error) {
	not := func() (State, error) { return s, fmt.Errorf("%w: it is %s", ErrNot, s) }
	if s == DueHere { // nobody elsewhere has anything to say of it
		switch e {
		case HasIt:
			return Closed, nil
		case Declines:
			return Declined, nil
		case Cancels:
			return Cancelled, nil
		case Nothing, Unclear, OfOther, CalledAfter:
			return s, nil
		}
		return not()
	}
	unsent := s == Signed || s == ToHand || s == Failed
	switch e {
	case Nothing, Unclear, OfOther, CalledAfter:
		return s, nil
	case Delivered:
		switch {
		case unsent:
			return Sent, nil
		case s == Calling:
			return Cancelled, nil
		}
		return s, nil
	case NotDelivered:
		if s == Signed {
			return Failed, nil
		}
		return s, nil
	case Reads:
		if s == Reported {
			return Closed, nil
		}
		return not()
	case HasIt:
		if s == ToSign || s == Returned || s == Calling || s.Done() || s == Reported {
			return not()
		}
		return Closed, nil
	case Answered:
		if s == Asked {
			return Sent, nil
		}
		return not()
	case Cancels:
		if s.Done() || s == Calling || s == ToSign || s == Returned || s == Reported { // a report is read first
			return not()
		}
		if unsent {
			return Cancelled, nil
		}
		return Calling, nil
	case Reports:
		if s == ToSign || s == Returned {
			return not()
		}
		return Reported, nil // also after it was closed, declined or cancelled
	}
	if s.Done() || s == Calling || s == ToSign || s == Returned || s == Reported {
		if s == ToSign || s == Returned {
			return not()
		}
		return s, nil
	}
	to := map[Event]State{Accepts: Accepted, Asks: Asked, Schedules: Scheduled, Misses: NoShow, Sees: Seen, Declines: Declined}[e]
	switch {
	case to == "":
		return not()
	case e == Asks, e == Declines, e == Misses && s != Seen:
		return to, nil
	case s == Asked && e == Accepts:
		return s, nil // what they asked is still to be answered
	case e == Schedules && s != Seen, s == Declined:
		return to, nil
	case far[to] < far[s]:
		return s, nil
	}
	return to, nil
}

// Acts says whether somebody here has to act.
func (s State) Acts() bool {
	return slices.Contains([]State{ToSign, Returned, ToHand, Asked, NoShow, Reported, Declined, Failed}, s)
}

// Urgencies of a referral, by the codes of FHIR R4 request-priority, in words.
var Urgencies = map[string]string{"routine": "routine", "urgent": "urgent", "stat": "today"}

// patience is how long each next event may take before somebody looks after it. The times
// are ours; no source states them for all.
var patience = map[string]map[State]time.Duration{
	"routine": {Signed: 24 * time.Hour, ToHand: 48 * time.Hour, Sent: 7 * day, Accepted: 14 * day, Seen: 14 * day, Calling: 48 * time.Hour},
	"urgent":  {Signed: time.Hour, ToHand: 24 * time.Hour, Sent: day, Accepted: 3 * day, Seen: 7 * day, Calling: 24 * time.Hour},
	"stat":    {Signed: time.Hour, ToHand: 4 * time.Hour, Sent: 4 * time.Hour, Accepted: day, Seen: 3 * day, Calling: 24 * time.Hour},
}

const day = 24 * time.Hour

// awaited is what is awaited in each state.
var awaited = map[State]string{Signed: "to be sent", ToHand: "to be posted or handed over", Sent: "to be accepted", Accepted: "to be scheduled",
	Scheduled: "to be seen", Seen: "the report", DueHere: "to be done here", Calling: "to be told that it is cancelled"}

// Course is how far a referral has come, as far as its next event goes.
type Course struct {
	State    State
	Urgency  string
	Since    time.Time // when it came into this state
	Visit    string    // the day on which the patient is seen there, YYYY-MM-DD; "" where nobody said
	Expected string    // the day by which the report is wanted, YYYY-MM-DD
	On       string    // the day on which it is to be done, YYYY-MM-DD; "" for as soon as can be
	Until    time.Time // it was asked after, and is looked at again then
}

// Next says by when the next event is due and what it is; ok is false where none is awaited
// from others. A day by which the report is wanted is never waited past.
func (c Course) Next(zone *time.Location) (by time.Time, what string, ok bool) {
	what, ok = awaited[c.State]
	if !ok {
		return by, "", false
	}
	endOf := func(d string) (time.Time, bool) {
		t, err := time.ParseInLocation(time.DateOnly, d, zone)
		return t.AddDate(0, 0, 1).Add(-time.Minute), err == nil
	}
	by = c.Since.Add(patience[c.Urgency][c.State])
	if c.State == DueHere { // the end of its day
		day := max(c.Since.In(zone).Format(time.DateOnly), c.On)
		by, _ = endOf(day)
		if c.Until.After(by) {
			by = c.Until
		}
		return by, what, true
	}
	if c.State == Scheduled {
		t, said := endOf(c.Visit)
		if by = t.AddDate(0, 0, 1); !said {
			by, what = c.Since.Add(7*day), "the day on which the patient is seen"
		}
	}
	if wanted, said := endOf(c.Expected); said && wanted.Before(by) && c.State != Calling {
		by, what = wanted, "the report, wanted by "+chart.SayDay(c.Expected)
	}
	if c.Until.After(by) {
		by = c.Until
	}
	return by, what, true
}

// Expect is the day by which a report is wanted where nobody says another.
func Expect(urgency, today string) string {
	t, err := time.Parse(time.DateOnly, today)
	if err != nil {
		return ""
	}
	days := map[string]int{"routine": 56, "urgent": 14, "stat": 3}[urgency]
	return t.AddDate(0, 0, days).Format(time.DateOnly)
}

// Wish is what a referral asks.
type Wish struct {
	Question  string
	Urgency   string
	Diagnoses []string // codes
	Expected  string   // YYYY-MM-DD
	Supply    bool     // it needs no question
}

// ErrIncomplete is wrapped by every reason why a referral cannot be signed.
var ErrIncomplete = errors.New("the referral is not complete")

// Complete says what a referral lacks. A question is words, not a mark.
func (w Wish) Complete(today string) error {
	letters := 0
	for _, r := range w.Question {
		if r == ' ' || r == '?' || r == '.' || r == '-' {
			continue
		}
		letters++
	}
	switch {
	case letters < 3 && !w.Supply:
		return fmt.Errorf("%w: write the question", ErrIncomplete)
	case Urgencies[w.Urgency] == "":
		return fmt.Errorf("%w: choose routine, urgent or today", ErrIncomplete)
	case len(w.Diagnoses) == 0:
		return fmt.Errorf("%w: choose a diagnosis", ErrIncomplete)
	case len(strings.TrimSpace(w.Question)) > 4000:
		return fmt.Errorf("%w: keep the question below 4,000 characters", ErrIncomplete)
	}
	t, err := time.Parse(time.DateOnly, w.Expected)
	now, err2 := time.Parse(time.DateOnly, today)
	switch {
	case err != nil || err2 != nil:
		return fmt.Errorf("%w: say by when the report is wanted", ErrIncomplete)
	case t.Before(now):
		return fmt.Errorf("%w: %s is past", ErrIncomplete, chart.SayDay(w.Expected))
	case t.After(now.AddDate(1, 0, 0)):
		return fmt.Errorf("%w: %s is more than a year away", ErrIncomplete, chart.SayDay(w.Expected))
	}
	return nil
}
