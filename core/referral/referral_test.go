package referral_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	. "deftledger/core/referral"
)

// Every transition that matters, by hand.
func TestTheStagesOfAReferral(t *testing.T) {
	for _, x := range []struct {
		from State
		e    Event
		to   State
		not  bool
	}{
		{Signed, Delivered, Sent, false},
		{ToHand, Delivered, Sent, false},
		{Signed, NotDelivered, Failed, false},
		{Failed, Delivered, Sent, false},
		{Sent, NotDelivered, Sent, false}, // a late failure of an earlier try
		{Sent, Accepts, Accepted, false},
		{Signed, Accepts, Accepted, false}, // their answer was quicker than the receipt
		{Accepted, Delivered, Accepted, false},
		{Accepted, Schedules, Scheduled, false},
		{Sent, Schedules, Scheduled, false},
		{Scheduled, Schedules, Scheduled, false}, // another day
		{Scheduled, Accepts, Scheduled, false},   // out of order
		{Scheduled, Sees, Seen, false},
		{Seen, Schedules, Seen, false}, // out of order
		{Seen, Misses, Seen, false},
		{Scheduled, Misses, NoShow, false},
		{NoShow, Schedules, Scheduled, false},
		{NoShow, Accepts, NoShow, false},
		{Accepted, Asks, Asked, false},
		{Seen, Asks, Asked, false},
		{Asked, Accepts, Asked, false},
		{Asked, Schedules, Scheduled, false},
		{Asked, Answered, Sent, false},
		{Sent, Answered, Sent, true},
		{Sent, Declines, Declined, false},
		{Declined, Accepts, Accepted, false}, // they changed their mind
		{Sent, Reports, Reported, false},
		{Closed, Reports, Reported, false},
		{Cancelled, Reports, Reported, false},
		{Reported, Sees, Reported, false},
		{Reported, Reads, Closed, false},
		{Seen, Reads, Seen, true},
		{Closed, Reads, Closed, true},
		{Signed, Cancels, Cancelled, false},
		{Failed, Cancels, Cancelled, false},
		{Sent, Cancels, Calling, false},
		{Calling, Delivered, Cancelled, false},
		{Calling, Accepts, Calling, false},
		{Calling, Cancels, Calling, true},
		{Closed, Cancels, Closed, true},
		{ToSign, Accepts, ToSign, true},
		{ToSign, Reports, ToSign, true},
		{Sent, HasIt, Closed, false},
		{DueHere, HasIt, Closed, false},
		{DueHere, Declines, Declined, false},
		{DueHere, Cancels, Cancelled, false},
		{DueHere, Accepts, DueHere, true},
		{DueHere, Reports, DueHere, true},
		{DueHere, CalledAfter, DueHere, false},
		{Declined, HasIt, Closed, false}, // she came back for it
		{ToHand, HasIt, Closed, false},
		{Reported, HasIt, Reported, true}, // a report is read first
		{Calling, HasIt, Calling, true},
		{ToSign, HasIt, ToSign, true},
		{Closed, HasIt, Closed, true},
		{Sent, Unclear, Sent, false},
		{Sent, OfOther, Sent, false},
		{Sent, Event("dances"), Sent, true},
	} {
		got, err := x.from.After(x.e)
		assert.Equal(t, x.to, got, "%s, %s", x.from, x.e)
		assert.Equal(t, x.not, err != nil, "%s, %s", x.from, x.e)
	}
}

// Whatever the other side says, in whatever order: a report that came and was not read is
// never out of sight, and what is not done either waits for somebody here or has a next event.
func TestNoReferralIsEverWithoutANextEvent(t *testing.T) {
	events := append([]Event{Delivered, NotDelivered, Answered, Cancels, Reads, Unclear, OfOther, Nothing, CalledAfter, HasIt}, ByThem...)
	rapid.Check(t, func(t *rapid.T) {
		s := rapid.SampledFrom([]State{Signed, DueHere, ToHand}).Draw(t, "begins")
		unread := false
		for _, e := range rapid.SliceOf(rapid.SampledFrom(events)).Draw(t, "events") {
			next, err := s.After(e)
			if err != nil {
				if next != s {
					t.Fatalf("%s refused %s and moved to %s", s, e, next)
				}
				continue
			}
			s = next
			switch e {
			case Reports:
				unread = true
			case Reads:
				unread = false
			}
			if unread && s != Reported {
				t.Fatalf("an unread report is out of sight: %s after %s", s, e)
			}
			_, _, waits := Course{State: s, Urgency: "routine", Since: time.Now()}.Next(time.UTC)
			if !s.Done() && !s.Acts() && !waits {
				t.Fatalf("%s has no owner and no next event", s)
			}
		}
	})
}

func TestWhenSilenceIsTooLong(t *testing.T) {
	at := time.Date(2026, 11, 2, 10, 0, 0, 0, time.UTC)
	for _, x := range []struct {
		c    Course
		by   string
		what string
	}{
		{Course{State: Sent, Urgency: "routine", Since: at}, "2026-11-09 10:00", "to be accepted"},
		{Course{State: Sent, Urgency: "urgent", Since: at}, "2026-11-03 10:00", "to be accepted"},
		{Course{State: Accepted, Urgency: "routine", Since: at}, "2026-11-16 10:00", "to be scheduled"},
		{Course{State: Scheduled, Urgency: "routine", Since: at, Visit: "2026-12-03"}, "2026-12-04 23:59", "to be seen"},
		{Course{State: Scheduled, Urgency: "routine", Since: at}, "2026-11-09 10:00", "the day on which the patient is seen"},
		{Course{State: Seen, Urgency: "routine", Since: at}, "2026-11-16 10:00", "the report"},
		{Course{State: DueHere, Urgency: "routine", Since: at}, "2026-11-02 23:59", "to be done here"},
		{Course{State: DueHere, Urgency: "routine", Since: at, On: "2026-12-01", Expected: "2026-12-02"}, "2026-12-01 23:59", "to be done here"},
		{Course{State: Accepted, Urgency: "routine", Since: at, Expected: "2026-11-05"}, "2026-11-05 23:59", "the report, wanted by 05 Nov 2026"},
		{Course{State: Sent, Urgency: "urgent", Since: at, Until: at.AddDate(0, 0, 4)}, "2026-11-06 10:00", "to be accepted"},
	} {
		by, what, ok := x.c.Next(time.UTC)
		require.True(t, ok)
		assert.Equal(t, x.by, by.Format("2006-01-02 15:04"), "%+v", x.c)
		assert.Equal(t, x.what, what)
	}
	for _, s := range []State{Reported, Closed, Cancelled, Asked, Declined, ToSign} {
		_, _, ok := Course{State: s, Urgency: "routine", Since: at}.Next(time.UTC)
		assert.False(t, ok, s)
	}
}

func TestWhatAReferralMustHave(t *testing.T) {
	whole := Wish{"Is this kidney disease?", "routine", []string{"N18.31"}, "2026-12-31", false}
	require.NoError(t, whole.Complete("2026-11-02"))
	for lacks, change := range map[string]func(*Wish){
		"write the question":         func(w *Wish) { w.Question = " ?. -" },
		"choose routine":             func(w *Wish) { w.Urgency = "soon" },
		"choose a diagnosis":         func(w *Wish) { w.Diagnoses = nil },
		"is past":                    func(w *Wish) { w.Expected = "2026-11-01" },
		"more than a year away":      func(w *Wish) { w.Expected = "2027-12-01" },
		"by when the report":         func(w *Wish) { w.Expected = "soon" },
		"keep the question below 4,": func(w *Wish) { w.Question = strings.Repeat("long ", 900) },
	} {
		w := whole
		change(&w)
		err := w.Complete("2026-11-02")
		require.ErrorIs(t, err, ErrIncomplete)
		assert.ErrorContains(t, err, lacks)
	}
	supply := whole
	supply.Question, supply.Supply = "", true
	require.NoError(t, supply.Complete("2026-11-02"), "a walker is its own question")
	assert.Equal(t, "2026-12-28", Expect("routine", "2026-11-02"))
}

func ExampleState_After() {
	s, _ := Sent.After(Schedules)
	fmt.Println(s)
	s, _ = s.After(Reports)
	fmt.Println(s, s.Acts())
	// Output:
	// scheduled
	// report to be read true
}
