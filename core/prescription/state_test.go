package prescription_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	. "deftledger/core/prescription"
)

func TestTheStagesOfAPrescription(t *testing.T) {
	for _, x := range []struct {
		from State
		e    Event
		to   State
		not  bool
	}{
		{Signed, Delivered, Sent, false},
		{Signed, NotDelivered, Refused, false},
		{Sent, NotDelivered, Sent, false},
		{Sent, Fills, Filling, false},
		{Filling, Dispenses, Closed, false},
		{Signed, Dispenses, Closed, false},
		{Sent, Refuses, Refused, false},
		{Sent, Holds, OnHold, false},
		{OnHold, Settles, Sent, false},
		{Sent, AsksPrior, PriorAuth, false},
		{PriorAuth, Dispenses, Closed, false},
		{Filling, NotTaken, NotPickedUp, false},
		{NotPickedUp, Dispenses, Closed, false},
		{NotPickedUp, Leaves, Closed, false},
		{Closed, NotTaken, Closed, false},
		{Closed, Fills, Closed, false},
		{ToHand, Hands, Closed, false},
		{Refused, Hands, Closed, false},
		{Sent, Hands, Sent, true},
		{ToHand, Cancels, Cancelled, false},
		{Sent, Cancels, Calling, false},
		{Calling, Delivered, Cancelled, false},
		{Calling, Dispenses, TooLate, false},
		{Cancelled, Dispenses, TooLate, false},
		{TooLate, Leaves, Closed, false},
		{Calling, Fills, Calling, false},
		{Closed, Cancels, Closed, true},
		{ToSign, Delivered, ToSign, true},
		{Sent, Unclear, Sent, false},
		{Sent, Event("dances"), Sent, true},
		{Sent, Settles, Sent, true},
	} {
		got, err := x.from.After(x.e)
		assert.Equal(t, x.to, got, "%s, %s", x.from, x.e)
		assert.Equal(t, x.not, err != nil, "%s, %s", x.from, x.e)
	}
}

// Whatever happens in whatever order, what is not done waits for somebody here or has a next
// event; and what is dispensed once it was cancelled never goes unseen.
func TestNoPrescriptionIsEverWithoutANextEvent(t *testing.T) {
	all := []Event{Delivered, NotDelivered, Fills, Dispenses, Refuses, Holds, AsksPrior, NotTaken, Unclear, OfOther, Hands, Settles, Leaves, Cancels}
	rapid.Check(t, func(t *rapid.T) {
		s := rapid.SampledFrom([]State{Signed, ToHand}).Draw(t, "from")
		for _, e := range rapid.SliceOf(rapid.SampledFrom(all)).Draw(t, "events") {
			was := s
			next, err := s.After(e)
			if err != nil && next != s {
				t.Fatalf("%s refused %s and moved to %s", s, e, next)
			}
			s = next
			if e == Dispenses && (was == Calling || was == Cancelled) && s != TooLate {
				t.Fatalf("dispensed though %s, and nobody sees it: %s", was, s)
			}
			if _, _, waits := s.Next(time.Now()); !s.Done() && !s.Acts() && !waits {
				t.Fatalf("%s has no owner and no next event", s)
			}
		}
	})
}
