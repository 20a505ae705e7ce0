package act

import (
	"context"
	"sync"
	"time"
)

// lookEvery is how long a look counts as the same one: a screen that reads itself again,
// and the several questions that one page asks, are one look of a person at a chart.
const lookEvery = 10 * time.Minute

// looks remembers who looked at what lately, so that each look is written once. It lives
// in memory: after a start the same look is written again.
type looks struct {
	mu sync.Mutex
	at map[look]time.Time
}

type look struct{ staff, what, patient, subject string }

// fresh says whether a look has to be written, and takes it as written.
func (l *looks) fresh(x look, now time.Time) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if last, ok := l.at[x]; ok && now.Sub(last) < lookEvery && !now.Before(last) {
		return false
	}
	if len(l.at) >= 4096 {
		for k, at := range l.at {
			if now.Sub(at) >= lookEvery || now.Before(at) {
				delete(l.at, k)
			}
		}
	}
	l.at[x] = now
	return true
}

func (l *looks) forget(x look) {
	l.mu.Lock()
	defer l.mu.Unlock()
	delete(l.at, x)
}

// Saw records that somebody looked at something of a patient, before it is shown: once for
// each person, chart and ten minutes, whatever the browser says of why it asked. What
// cannot be recorded is not shown, and neither is a chart that is not open to the person.
func (a *Office) Saw(ctx context.Context, who Actor, what, patient, subject string) error {
	x := look{who.ID, what, patient, subject}
	if !a.looks.fresh(x, a.Clock()) {
		return a.Near(ctx, who, patient)
	}
	err := a.Write(ctx, who, func(t *Tx) error { return t.Audit(what, patient, subject, "") })
	if err != nil {
		a.looks.forget(x)
	}
	return err
}
