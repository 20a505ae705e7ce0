package act

import (
	"context"
	"slices"
	"sync"
	"time"

	"deftledger/core/circle"
	"deftledger/store"
)

// Settings of who sees whose chart.
const (
	WidthSetting    = "chart width"    // how far charts are open; circle.Team where nobody chose
	ReviewerSetting = "chart reviewer" // who looks at opened charts; "" for whoever may
)

// openFor is how long an answer that a chart is open is remembered: somebody who loses the
// last tie to a patient may go on for that long. That one is closed is asked anew each time.
const openFor = time.Minute

type openCharts struct {
	mu    sync.Mutex
	until map[[2]string]time.Time
}

func (o *openCharts) known(staff, patient string, now time.Time) bool {
	o.mu.Lock()
	defer o.mu.Unlock()
	until := o.until[[2]string{staff, patient}]
	return now.Before(until) && !now.Before(until.Add(-openFor)) // a clock set back forgets it
}

func (o *openCharts) keep(staff, patient string, now time.Time) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if len(o.until) >= 4096 {
		clear(o.until)
	}
	o.until[[2]string{staff, patient}] = now.Add(openFor)
}

// CircleChanged forgets what was remembered of who may see whose chart.
func (a *Office) CircleChanged() {
	a.open.mu.Lock()
	defer a.open.mu.Unlock()
	clear(a.open.until)
}

// Width is how far charts are open in this practice.
func Width(q *store.Q) (circle.Width, error) {
	s, err := q.Setting(WidthSetting)
	if err == nil && s == "" {
		return circle.Team, nil
	}
	return circle.Width(s), err
}

// MaySee answers of each patient whether the chart is open to somebody today, and by what.
// Roles that see no charts are answered no.
func (a *Office) MaySee(q *store.Q, who Actor, patients ...string) (map[string]circle.Answer, error) {
	out := map[string]circle.Answer{}
	if !May(who.Role, SeeChart) {
		return out, nil
	}
	width, err := Width(q)
	if err != nil {
		return nil, err
	}
	today := a.Today()
	asker, err := q.Beside(who.ID, today)
	if err != nil {
		return nil, err
	}
	ties, err := q.Ties(patients, a.Clock())
	if err != nil {
		return nil, err
	}
	for _, p := range patients {
		for i, t := range ties[p] {
			if len(t.Day) > len(time.DateOnly) { // a moment: its day in the practice
				ties[p][i].Day = store.Moment(t.Day).In(a.Location).Format(time.DateOnly)
			}
		}
		out[p] = circle.May(width, asker, ties[p], today)
	}
	return out, nil
}

// near refuses who has to say first why they open one of these charts. Only those who see
// charts at all are asked: what others may see of a patient stands under rights of its own.
func (a *Office) near(q *store.Q, who Actor, patients ...string) error {
	if !May(who.Role, SeeChart) {
		return nil
	}
	var ask []string
	for _, p := range patients {
		if !a.open.known(who.ID, p, a.Clock()) {
			ask = append(ask, p)
		}
	}
	if len(ask) == 0 {
		return nil
	}
	may, err := a.MaySee(q, who, ask...)
	if err != nil {
		return err
	}
	for _, p := range ask {
		if !may[p].Open {
			return &Refusal{Kind: Forbidden, Code: "closed-chart", Of: p, Message: "This chart is not open to you: say first why you open it."}
		}
	}
	for _, p := range ask {
		if may[p].Tie.Kind != circle.Opened { // which ends at its hour
			a.open.keep(who.ID, p, a.Clock())
		}
	}
	return nil
}

// Near refuses who has to say first why they open one of these charts, as things were kept
// last: what an act under way has changed does not count.
func (a *Office) Near(ctx context.Context, who Actor, patients ...string) error {
	ask := slices.DeleteFunc(slices.Clone(patients), func(p string) bool { return p == "" || a.open.known(who.ID, p, a.Clock()) })
	if len(ask) == 0 || !May(who.Role, SeeChart) {
		return nil
	}
	return a.Store.Quick(ctx, func(q *store.Q) error { return a.near(q, who, ask...) })
}
