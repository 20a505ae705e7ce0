package prescription

import (
	"errors"
	"fmt"
	"slices"
	"time"
)

// State is where a prescription stands.
type State string

// The states of a prescription. Closed is dispensed or handed over, with nothing more to do.
const (
	ToSign      State = "to be signed"
	Returned    State = "given back"
	Signed      State = "signed, not sent"
	ToHand      State = "to be printed and handed over"
	Sent        State = "with the pharmacy"
	Filling     State = "being filled"
	OnHold      State = "on hold"
	PriorAuth   State = "prior authorization asked"
	NotPickedUp State = "not picked up"
	Refused     State = "refused"
	Calling     State = "being cancelled"
	Cancelled   State = "cancelled"
	TooLate     State = "dispensed though cancelled"
	Closed      State = "closed"
)

// Done says whether nothing more is expected of anybody.
func (s State) Done() bool { return s == Closed || s == Cancelled }

// Acts says whether somebody here has to act.
func (s State) Acts() bool {
	return slices.Contains([]State{ToSign, Returned, ToHand, OnHold, PriorAuth, NotPickedUp, Refused, TooLate}, s)
}

// Event is what happens to a prescription.
type Event string

// The events: of its way, said by the pharmacy, and done here.
const (
	Delivered    Event = "delivered"
	NotDelivered Event = "not delivered"
	Fills        Event = "fills"
	Dispenses    Event = "dispenses"
	Refuses      Event = "refuses"
	Holds        Event = "holds"
	AsksPrior    Event = "prior authorization"
	NotTaken     Event = "not picked up"
	Unclear      Event = "unclear"
	OfOther      Event = "other"
	Hands        Event = "handed over" // printed and given to the patient
	Settles      Event = "settled"     // what was asked was answered, and it waits with the pharmacy again
	Leaves       Event = "left at that"
	Cancels      Event = "cancels"
)

// ErrNot is wrapped by every reason why an event cannot be.
var ErrNot = errors.New("that cannot be said of this prescription")

// After is the state after an event. What was dispensed stays so, whatever comes later; what
// is dispensed after it was cancelled comes back to somebody.
func (s State) After(e Event) (State, error) {
	not := func() (State, error) { return s, fmt.Errorf("%w: it is %s", ErrNot, s) }
	if (s == ToSign || s == Returned) && e != Unclear && e != OfOther {
		return not()
	}
	unsent := s == Signed || s == ToHand || s == Refused
	switch e {
	case Unclear, OfOther:
		return s, nil
	case Delivered:
		switch s {
		case Signed:
			return Sent, nil
		case Calling:
			return Cancelled, nil
		}
		return s, nil
	case NotDelivered:
		if s == Signed {
			return Refused, nil
		}
		return s, nil
	case Hands:
		if unsent {
			return Closed, nil
		}
		return not()
	case Settles:
		if s == OnHold || s == PriorAuth || s == NotPickedUp {
			return Sent, nil
		}
		return not()
	case Leaves:
		if s == NotPickedUp || s == TooLate || s == OnHold || s == PriorAuth || s == Refused {
			return Closed, nil
		}
		return not()
	case Cancels:
		switch {
		case s.Done(), s == Calling, s == TooLate:
			return not()
		case unsent:
			return Cancelled, nil
		}
		return Calling, nil
	case Dispenses:
		if s == Calling || s == Cancelled || s == TooLate {
			return TooLate, nil
		}
		return Closed, nil
	}
	if s.Done() || s == Calling || s == TooLate || s == ToHand {
		return s, nil
	}
	to, known := map[Event]State{Fills: Filling, Refuses: Refused, Holds: OnHold, AsksPrior: PriorAuth, NotTaken: NotPickedUp}[e]
	if !known {
		return not()
	}
	return to, nil
}

// patience is how long each next event may take before somebody looks after it; the times are
// ours.
var patience = map[State]time.Duration{Signed: time.Hour, Sent: 7 * 24 * time.Hour, Filling: 7 * 24 * time.Hour, Calling: 24 * time.Hour}

// Next says by when the next event is due and what it is; ok is false where none is awaited
// from others.
func (s State) Next(since time.Time) (by time.Time, what string, ok bool) {
	wait, ok := patience[s]
	return since.Add(wait), map[State]string{Signed: "to be taken by the pharmacy", Sent: "to be picked up", Filling: "to be picked up", Calling: "the pharmacy to know that it is cancelled"}[s], ok
}
