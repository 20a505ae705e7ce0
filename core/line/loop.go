package line

import (
	"slices"
	"time"
)

// Turn is the way of one ordered test from the order to the patient. A time that is zero has not come, or nobody knows it.
type Turn struct {
	Clinician, Test                            string
	Ordered, Collected, Received, Signed, Told time.Time
	Cancelled                                  bool
	Open                                       bool // a line of it is open, which somebody answers for
}

// Standing is where a turn stands.
type Standing string

// The standings. Lost is what nobody has told, nobody has cancelled and nobody answers for: there must be none, and it is counted
// rather than supposed.
const (
	TurnTold      Standing = "told"
	TurnCancelled Standing = "cancelled"
	TurnOpen      Standing = "open"
	TurnLost      Standing = "lost"
)

// Stands says where a turn stands.
func (t Turn) Stands() Standing {
	switch {
	case t.Open:
		return TurnOpen
	case t.Cancelled:
		return TurnCancelled
	case !t.Signed.IsZero() && !t.Told.IsZero():
		return TurnTold
	}
	return TurnLost
}

// Legs are the parts of the way.
var Legs = []string{"ordered to collected", "collected to received", "received to signed", "signed to told", "ordered to told"}

// leg is how long a part took; ok is false where one of its ends is not known, or the later one is before the earlier.
func (t Turn) leg(i int) (time.Duration, bool) {
	ends := []time.Time{t.Ordered, t.Collected, t.Received, t.Signed, t.Told}
	from, to := ends[0], ends[4]
	if i < 4 {
		from, to = ends[i], ends[i+1]
	}
	return to.Sub(from), !from.IsZero() && !to.IsZero() && !to.Before(from)
}

// Measure is how long a part of the way took: the middle one of all, and the one that nine of ten do not exceed (nearest rank).
type Measure struct {
	N           int
	Median, P90 time.Duration
}

// MeasureLegs measures each part of the way over some turns.
func MeasureLegs(turns []Turn) []Measure {
	out := make([]Measure, len(Legs))
	for i := range Legs {
		var all []time.Duration
		for _, t := range turns {
			if d, ok := t.leg(i); ok {
				all = append(all, d)
			}
		}
		slices.Sort(all)
		out[i] = Measure{N: len(all), Median: rank(all, 50), P90: rank(all, 90)}
	}
	return out
}

// rank is a percentile by the nearest rank: the smallest value that so many per cent do not exceed.
func rank(sorted []time.Duration, percent int) time.Duration {
	if len(sorted) == 0 {
		return 0
	}
	return sorted[max(0, (len(sorted)*percent+99)/100-1)]
}
