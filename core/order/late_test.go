package order_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"deftledger/core/order"
)

// Worked by hand: signed on Monday 23 November 2026 at 09:00 in New York.
func TestWhenTheNextEventIsDue(t *testing.T) {
	zone, err := time.LoadLocation("America/New_York")
	assert.NoError(t, err)
	signed := time.Date(2026, 11, 23, 9, 0, 0, 0, zone)
	for _, c := range []struct {
		name string
		c    order.Course
		want string // by when, and what
	}{
		{"drawn now, a day's turnaround: two days with the courier", order.Course{State: order.Received, CollectedAt: signed, Turnaround: 24}, "25 09:00 to be answered"},
		{"on paper a day more", order.Course{State: order.Received, CollectedAt: signed, Turnaround: 24, Paper: true}, "26 09:00 to be answered"},
		{"at a site: two weeks for the patient to go", order.Course{State: order.Received, Drawing: order.AtSite, Turnaround: 24}, "09 09:00 to be answered"},
		{"no turnaround in the list: a week, and it says so", order.Course{State: order.Received, CollectedAt: signed}, "01 09:00 to be answered, unsure"},
		{"partly answered waits for the rest", order.Course{State: order.Partial, CollectedAt: signed, Turnaround: 72}, "27 09:00 to be answered"},
		{"not taken for an hour", order.Course{State: order.Signed, CollectedAt: signed}, "23 10:00 to be taken by the laboratory"},
		{"drawn the day before it was signed", order.Course{State: order.Signed, CollectedAt: signed.AddDate(0, 0, -1)}, "23 10:00 to be taken by the laboratory"},
		{"to be drawn today", order.Course{State: order.ToDraw, Drawing: order.DrawnHere}, "23 23:59 to be drawn"},
		{"planned for 7 December", order.Course{State: order.Planned, Due: "2026-12-07", Drawing: order.AtSite}, "07 23:59 to be sent"},
		{"somebody called and is told Friday", order.Course{State: order.Received, CollectedAt: signed, Turnaround: 24, Until: time.Date(2026, 11, 27, 12, 0, 0, 0, zone)}, "27 12:00 to be answered"},
		{"an earlier day said changes nothing", order.Course{State: order.Received, CollectedAt: signed, Turnaround: 24, Until: signed}, "25 09:00 to be answered"},
		{"final is with us", order.Course{State: order.Final}, ""},
		{"refused is with us", order.Course{State: order.Failed}, ""},
		{"cancelled awaits nothing", order.Course{State: order.Cancelled}, ""},
	} {
		c.c.SignedAt = signed
		by, what, unsure, ok := c.c.Next(zone)
		got := ""
		if ok {
			got = by.In(zone).Format("02 15:04") + " " + what
		}
		if unsure {
			got += ", unsure"
		}
		assert.Equal(t, c.want, got, c.name)
	}
}
