package order

import (
	"time"
)

// Course is how far an order has come, as far as its next event goes.
type Course struct {
	State                 State
	SignedAt, CollectedAt time.Time // CollectedAt is zero for not yet, or elsewhere
	Due                   string    // the day it is for, YYYY-MM-DD; "" for the day it was signed
	Drawing               Drawing
	Turnaround            int  // hours of the slowest test that is not final; 0 where the list does not say
	Paper                 bool // the laboratory takes paper, and answers on it
	Until                 time.Time
}

// How long a next event may take before somebody looks after it. They are ours: the
// laboratories state turnaround from receipt only.
const (
	courierHours = 24            // from the draw to the laboratory
	paperHours   = 24            // more, for an answer on paper
	visitDays    = 14            // within which a patient goes to a site
	unknownHours = 7 * 24        // of a test whose list says no turnaround
	sendingTime  = 1 * time.Hour // to hand an order to a laboratory
)

// Next says by when the next event of an order is due, and what it is; ok is false where
// none is awaited from others. unsure says that the list gives no turnaround.
func (c Course) Next(zone *time.Location) (by time.Time, what string, unsure, ok bool) {
	from := c.SignedAt
	if day, err := time.ParseInLocation(time.DateOnly, c.Due, zone); err == nil {
		from = day
	}
	endOfDay := func(t time.Time) time.Time {
		t = t.In(zone)
		return time.Date(t.Year(), t.Month(), t.Day(), 23, 59, 0, 0, zone)
	}
	switch c.State {
	case Planned, ToDraw:
		what = "to be sent"
		if c.Drawing == DrawnHere {
			what = "to be drawn"
		}
		by = endOfDay(from)
	case Signed:
		if !c.CollectedAt.IsZero() {
			from = c.CollectedAt
		}
		if c.SignedAt.After(from) {
			from = c.SignedAt
		}
		by, what = from.Add(sendingTime), "to be taken by the laboratory"
	case Received, InProcess, Partial:
		hours := c.Turnaround
		if hours == 0 {
			hours, unsure = unknownHours, true
		}
		if c.Paper {
			hours += paperHours
		}
		if !c.CollectedAt.IsZero() {
			from = c.CollectedAt
		} else if c.Drawing == AtSite {
			from = from.AddDate(0, 0, visitDays)
		}
		by, what = from.Add(time.Duration(hours+courierHours)*time.Hour), "to be answered"
	default:
		return by, "", false, false
	}
	if c.Until.After(by) {
		by = c.Until
	}
	return by, what, unsure, true
}
