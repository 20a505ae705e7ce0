// Package loop is the room where the way of every ordered test is measured: from the order to the patient, by clinician and by test,
// with what is slowest, what has no answer, and what is lost, which must be nothing.
package loop

import (
	"cmp"
	"context"
	"slices"
	"time"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/store"
)

// Acts are the acts of this room.
type Acts struct{ *act.Office }

// New makes the room on its ground.
func New(o *act.Office) *Acts { return &Acts{o} }

// shown is how many of what is open, unanswered or lost are listed.
const shown = 40

// LoopView is how the tests of the practice came home that were ordered since a day.
type LoopView struct {
	Since        string     `json:"since"`
	All          LoopRow    `json:"all"`
	ByClinician  []LoopRow  `json:"byClinician"`
	ByTest       []LoopRow  `json:"byTest" doc:"Those ordered most often first"`
	Slowest      []LoopTest `json:"slowest" doc:"Open, the oldest order first"`
	Unanswered   []LoopTest `json:"unanswered" doc:"Open, and nothing has come"`
	Lost         []LoopTest `json:"lost" doc:"Neither told, nor cancelled, nor answered for by anybody"`
	SlowestOf    int        `json:"slowestOf" doc:"How many there are of each of these in all"`
	UnansweredOf int        `json:"unansweredOf"`
	LostOf       int        `json:"lostOf"`
}

// LoopRow is a group of tests.
type LoopRow struct {
	Name      string    `json:"name"`
	Ordered   int       `json:"ordered"`
	Told      int       `json:"told"`
	Cancelled int       `json:"cancelled"`
	Open      int       `json:"open"`
	Lost      int       `json:"lost"`
	Legs      []LoopLeg `json:"legs" doc:"Ordered to collected, to received, to signed, to told; and the whole way"`
}

// LoopLeg is how long a part of the way took.
type LoopLeg struct {
	N      int   `json:"n" doc:"Tests of which both ends are known"`
	Median int64 `json:"median" doc:"In seconds"`
	P90    int64 `json:"p90" doc:"In seconds; nine of ten did not take longer"`
}

// LoopTest is a test that has not come home.
type LoopTest struct {
	Order     string `json:"order"`
	Report    string `json:"report"`
	Placer    string `json:"placer"`
	Patient   string `json:"patient" doc:"By name; the chart stays as closed as it is"`
	Test      string `json:"test"`
	Clinician string `json:"clinician"`
	Ordered   string `json:"ordered"`
	Stage     string `json:"stage" enum:"not collected,with the laboratory,not signed,not told"`
	With      string `json:"with" doc:"Who answers for what is open; empty for whoever may"`
	Days      int    `json:"days" doc:"Since the order"`
}

// Loop measures the way of every test that was ordered within so many days.
func (a *Acts) Loop(ctx context.Context, who act.Actor, days int) (out LoopView, err error) {
	if err := act.Allow(who, act.SeePractice); err != nil {
		return out, err
	}
	if days < 1 || days > 3700 {
		return out, act.Refuse(act.Invalid, "Choose 1 to 3,700 days.")
	}
	var tests []store.OrderedTest
	names := map[string]string{}
	now := a.Clock()
	since := now.AddDate(0, 0, -days)
	err = a.Look(ctx, who, act.SeePractice, func(q *store.Q) error {
		tests = nil
		staff, err := q.AllStaff()
		if err != nil {
			return err
		}
		for _, s := range staff {
			names[s.ID] = s.Name()
			of, err := q.OrderedTests(s.ID, since)
			if err != nil {
				return err
			}
			tests = append(tests, of...)
		}
		return nil
	})
	if err != nil {
		return out, err
	}
	out = a.measure(tests, names, now)
	out.Since = a.DayOf(store.Stamp(since))
	return out, a.Saw(ctx, who, "look at how results came home", "", "")
}

// measure counts and measures tests.
func (a *Acts) measure(tests []store.OrderedTest, names map[string]string, now time.Time) LoopView {
	out := LoopView{ByClinician: []LoopRow{}, ByTest: []LoopRow{}, Slowest: []LoopTest{}, Unanswered: []LoopTest{}, Lost: []LoopTest{}}
	slices.SortStableFunc(tests, func(x, y store.OrderedTest) int { return x.Ordered.Compare(y.Ordered) })
	all, clinicians, kinds := []line.Turn{}, map[string][]line.Turn{}, map[string][]line.Turn{}
	for _, t := range tests {
		all = append(all, t.Turn)
		clinicians[names[t.Clinician]] = append(clinicians[names[t.Clinician]], t.Turn)
		kinds[t.Test] = append(kinds[t.Test], t.Turn)
		view := LoopTest{Order: t.Order, Report: t.Report, Placer: t.Placer, Patient: t.Given + " " + t.Family, Test: t.Test, Clinician: names[t.Clinician], Ordered: a.Say(t.Ordered),
			Stage: stage(t), With: names[t.WaitsFor], Days: int(now.Sub(t.Ordered).Hours() / 24)}
		add := func(to *[]LoopTest, of *int) {
			if *of++; len(*to) < shown {
				*to = append(*to, view)
			}
		}
		switch t.Stands() {
		case line.TurnLost:
			add(&out.Lost, &out.LostOf)
		case line.TurnOpen:
			add(&out.Slowest, &out.SlowestOf)
			if !t.Answered {
				add(&out.Unanswered, &out.UnansweredOf)
			}
		}
	}
	out.All = row("All", all)
	for name, turns := range clinicians {
		out.ByClinician = append(out.ByClinician, row(name, turns))
	}
	for name, turns := range kinds {
		out.ByTest = append(out.ByTest, row(name, turns))
	}
	for _, rows := range [][]LoopRow{out.ByClinician, out.ByTest} {
		slices.SortFunc(rows, func(x, y LoopRow) int { return cmp.Or(y.Ordered-x.Ordered, cmp.Compare(x.Name, y.Name)) })
	}
	return out
}

// stage says what a test waits for.
func stage(t store.OrderedTest) string {
	switch {
	case !t.Signed.IsZero():
		return "not told"
	case t.Answered:
		return "not signed"
	case t.Collected.IsZero():
		return "not collected"
	}
	return "with the laboratory"
}

func row(name string, turns []line.Turn) LoopRow {
	r := LoopRow{Name: name, Ordered: len(turns), Legs: []LoopLeg{}}
	for _, t := range turns {
		switch t.Stands() {
		case line.TurnTold:
			r.Told++
		case line.TurnCancelled:
			r.Cancelled++
		case line.TurnOpen:
			r.Open++
		default:
			r.Lost++
		}
	}
	for _, m := range line.MeasureLegs(turns) {
		r.Legs = append(r.Legs, LoopLeg{m.N, int64(m.Median.Seconds()), int64(m.P90.Seconds())})
	}
	return r
}
