package reminder

import (
	"context"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/reminder"
	"deftledger/exchange/table"
	"deftledger/store"
)

// Wanted says what a run over the practice looks for.
type Wanted struct {
	Rule      string           `json:"rule,omitempty" maxLength:"64" doc:"One rule; empty for all that are switched on"`
	States    []reminder.State `json:"states,omitempty" maxItems:"9" doc:"Empty for due, overdue and not known"`
	Measure   string           `json:"measure,omitempty" maxLength:"64" doc:"Who misses this measure of quality, in the place of reminders"`
	Clinician string           `json:"clinician,omitempty" maxLength:"64" doc:"Whose patients; empty for everybody's"`
	Try       *RuleSet         `json:"try,omitempty" doc:"Tries the rule so before it is set so"`
	Edition   string           `json:"edition,omitempty" maxLength:"64" doc:"Tries an edition of the immunization schedule before it is used"`
}

// trial is what a try-out compares with: another book, in these rules.
type trial struct {
	book  *reminder.Book
	rules []string
}

// Run is how far a run over the whole practice has come, and what it found.
type Run struct {
	ID     string     `json:"id"`
	Done   int        `json:"done"`
	Of     int        `json:"of"`
	Ended  bool       `json:"ended"`
	Failed string     `json:"failed" doc:"What went wrong; empty for nothing"`
	Millis int64      `json:"millis"`
	Counts []RunCount `json:"counts"`
	Left   int        `json:"left" doc:"People who no longer come to us: they are in no count and no list"`
	Rows   []RunRow   `json:"rows" doc:"At most 500, by name"`

	Measures []MeasureCount `json:"measures"`

	More   int      `json:"more" doc:"How many there are beyond the rows"`
	Gains  []RunRow `json:"gains" doc:"Of a try: who would become due, at most ten, explained"`
	Losses []RunRow `json:"losses" doc:"Of a try: who would stop being due, at most ten, explained"`
	Gain   int      `json:"gain"`
	Loss   int      `json:"loss"`
}

// RunCount is how a rule stands over the practice.
type RunCount struct {
	Rule      string `json:"rule"`
	Title     string `json:"title"`
	Concerned int    `json:"concerned" doc:"Whom it concerns: all but those to whom it does not apply"`
	Due       int    `json:"due"`
	Overdue   int    `json:"overdue"`
	NotKnown  int    `json:"notKnown"`
	InHand    int    `json:"inHand"`
	Holds     int    `json:"holds" doc:"Satisfied, or coming up"`
	Aside     int    `json:"aside" doc:"Declined or put off"`
	NotFor    int    `json:"notFor"`
	Failed    int    `json:"failed" doc:"Charts in which it could not be computed"`
}

// MeasureCount is how the practice stands towards a measure of quality.
type MeasureCount struct {
	ID       string       `json:"id"`
	Title    string       `json:"title"`
	About    string       `json:"about"`
	Source   string       `json:"source"`
	Of       int          `json:"of" doc:"Denominator: whom it concerns, without those it leaves out"`
	Met      int          `json:"met" doc:"Numerator"`
	Missed   int          `json:"missed"`
	InHand   int          `json:"inHand" doc:"Ordered and not back: not met yet"`
	Failed   int          `json:"failed" doc:"Charts in which it could not be computed"`
	NotKnown int          `json:"notKnown" doc:"Whether it concerns them, or whether it is met, the chart does not say; not in the denominator"`
	Excluded int          `json:"excluded"`
	Months   []MonthCount `json:"months" doc:"The last twelve ends of months, oldest first: of those days, by what stands on the lists today"`
}

// MonthCount is a measure at the end of a month.
type MonthCount struct {
	Month string `json:"month"`
	Of    int    `json:"of"`
	Met   int    `json:"met"`
}

// RunRow is a person with what is due.
type RunRow struct {
	Patient   act.PatientView `json:"patient"`
	Clinician string          `json:"clinician"`
	Due       []RunDue        `json:"due"`
}

// RunDue is one reminder of a person.
type RunDue struct {
	Rule  string         `json:"rule"`
	Title string         `json:"title"`
	State reminder.State `json:"state"`
	Since string         `json:"since"`
	Says  string         `json:"says"`
}

const (
	batch    = 250 // charts read at a time
	mostRows = 500
	explains = 10
)

// runs are the runs under way and those that ended lately, one of a person.
type runs struct {
	mu sync.Mutex
	of map[string]*running // by who asked
}

type running struct {
	mu   sync.Mutex
	run  Run
	stop context.CancelFunc
	rows []RunRow
}

// RunPractice begins a run over the whole practice; one that this person began before ends.
func (a *Acts) RunPractice(ctx context.Context, who act.Actor, w Wanted) (Run, error) {
	if err := act.Allow(who, act.SeePractice); err != nil {
		return Run{}, err
	}
	if len(w.States) == 0 {
		w.States = []reminder.State{reminder.Due, reminder.Overdue, reminder.Unknown}
	}
	book := a.Rulebook()
	var other trial
	if _, known := book.Rule(w.Rule); w.Rule != "" && !known {
		return Run{}, act.Refuse(act.Missing, "There is no such rule.")
	}
	if w.Measure != "" && !slices.ContainsFunc(book.Measures(), func(m *reminder.Measure) bool { return m.ID == w.Measure && m.Per == "person" }) {
		return Run{}, act.Refuse(act.Missing, "There is no such measure over the practice.")
	}
	if w.Try != nil || w.Edition != "" {
		var err error
		if other, err = a.tried(ctx, w); err != nil {
			return Run{}, err
		}
	}
	under, stop := context.WithCancel(context.WithoutCancel(ctx))
	r := &running{stop: stop, run: Run{ID: act.NewID(), Counts: []RunCount{}, Measures: []MeasureCount{}, Rows: []RunRow{}, Gains: []RunRow{}, Losses: []RunRow{}}}
	a.runs.mu.Lock()
	if before := a.runs.of[who.ID]; before != nil {
		before.stop()
	}
	a.runs.of[who.ID] = r
	a.runs.mu.Unlock()
	go a.over(under, r, w, book, other)
	return r.seen(), a.Saw(ctx, who, "run over the practice", "", w.Rule)
}

// tried makes the book that a try-out compares with.
func (a *Acts) tried(ctx context.Context, w Wanted) (other trial, err error) {
	if w.Try != nil == (w.Edition != "") || (w.Rule == "") != (w.Try == nil) {
		return other, act.Refuse(act.Invalid, "Say which rule is tried, or which edition.")
	}
	err = a.Store.Read(ctx, func(q *store.Q) error {
		source, own, _, err := a.RuleSource(q)
		if err != nil {
			return err
		}
		if w.Try != nil {
			if err := checked(source, own, w.Rule, *w.Try); err != nil {
				return err
			}
			other.book, _ = source.Book(own)
			other.rules = []string{w.Rule}
			return nil
		}
		under, ok := source.Under(w.Edition)
		if !ok {
			return act.Refuse(act.Missing, "There is no such edition.")
		}
		book, faults := under.Book(own)
		if len(faults) > 0 {
			return act.Refuse(act.Invalid, "It does not fit the rules: %s.", faults[0].Error())
		}
		other = trial{book, source.Schedule.Concerned(under.Schedule, book.Rules())}
		return nil
	})
	return other, err
}

// RunOf tells how far a run has come.
func (a *Acts) RunOf(who act.Actor, id string) (Run, error) {
	if err := act.Allow(who, act.SeePractice); err != nil {
		return Run{}, err
	}
	a.runs.mu.Lock()
	r := a.runs.of[who.ID]
	a.runs.mu.Unlock()
	if r == nil || r.seen().ID != id {
		return Run{}, act.Refuse(act.Missing, "That run has ended, or another was begun.")
	}
	return r.seen(), nil
}

func (r *running) seen() Run {
	r.mu.Lock()
	defer r.mu.Unlock()
	out := r.run
	out.Rows = append([]RunRow{}, r.rows[:min(len(r.rows), mostRows)]...) // which the run goes on to sort while this is written
	return out
}

// over runs over every chart, on all processors, some people at a time.
func (a *Acts) over(ctx context.Context, r *running, w Wanted, book *reminder.Book, other trial) {
	begun := time.Now()
	defer r.stop()
	end := func(err error) {
		r.mu.Lock()
		defer r.mu.Unlock()
		r.run.Ended, r.run.Millis = true, time.Since(begun).Milliseconds()
		if err != nil {
			r.run.Failed = "The run was broken off: " + err.Error()
		}
		slices.SortFunc(r.rows, func(x, y RunRow) int {
			return strings.Compare(x.Patient.Family+"\t"+x.Patient.Given+x.Patient.ID, y.Patient.Family+"\t"+y.Patient.Given+y.Patient.ID)
		})
	}
	names, all := map[string]string{}, 0
	if err := a.Store.Read(ctx, func(q *store.Q) (err error) {
		if names, err = q.StaffNames(); err != nil {
			return err
		}
		all, err = q.CountPeople()
		return err
	}); err != nil {
		end(err)
		return
	}
	r.mu.Lock()
	r.run.Of = all
	r.mu.Unlock()
	var work sync.WaitGroup
	counts, measures := map[string]*RunCount{}, map[string]*MeasureCount{}
	turn := sync.Mutex{} // whose turn it is to take the next people
	after, day := "", a.Today()
	var broken error
	for range max(1, runtime.GOMAXPROCS(0)) {
		work.Go(func() {
			for ctx.Err() == nil {
				var people []chart.Patient
				var records []chart.Record
				var usual map[string]string
				err := a.Store.Read(ctx, func(q *store.Q) (err error) {
					turn.Lock()
					people, err = q.People(after, batch)
					if len(people) > 0 {
						after = people[len(people)-1].ID
					}
					turn.Unlock()
					if err != nil || len(people) == 0 {
						return err
					}
					if records, _, err = a.Order.Records(q, people, day); err != nil {
						return err
					}
					var ids []string
					for _, p := range people {
						ids = append(ids, p.ID)
					}
					usual, err = q.UsualOf(ids)
					return err
				})
				if err != nil {
					turn.Lock()
					broken = err
					turn.Unlock()
					r.stop()
					return
				}
				if len(people) == 0 {
					return
				}
				a.some(r, w, book, other, records, usual, names, counts, measures)
			}
		})
	}
	work.Wait()
	r.mu.Lock()
	for _, rule := range book.Rules() {
		if c := counts[rule.ID]; c != nil {
			r.run.Counts = append(r.run.Counts, *c)
		}
	}
	for _, m := range book.Measures() {
		if c := measures[m.ID]; c != nil {
			r.run.Measures = append(r.run.Measures, *c)
		}
	}
	r.mu.Unlock()
	if broken == nil {
		broken = ctx.Err()
	}
	end(broken)
}

// some computes a batch of charts.
func (a *Acts) some(r *running, w Wanted, book *reminder.Book, other trial, records []chart.Record, usual, names map[string]string, counts map[string]*RunCount,
	measures map[string]*MeasureCount) {
	var rows, gains, losses []RunRow
	local, quality := map[string]*RunCount{}, map[string]*MeasureCount{}
	ends, gone := lastMonths(a.Today()), 0
	for _, record := range records {
		if record.Left != "" && record.Left <= record.Day {
			gone++
			continue
		}
		if w.Clinician != "" && usual[record.Patient.ID] != w.Clinician {
			continue
		}
		c := book.Open(record)
		var standings []reminder.Standing
		switch {
		case w.Rule != "":
			standings = []reminder.Standing{c.Stand(w.Rule)}
		case other.book == nil:
			standings = c.All()
		}
		row := RunRow{Patient: a.Patient(record.Patient), Clinician: names[usual[record.Patient.ID]], Due: []RunDue{}}
		if w.Rule == "" && other.book == nil {
			for _, m := range book.Measures() {
				if m.Per == "person" {
					o := measured(quality, c, m, ends)
					if m.ID == w.Measure && (o.State != reminder.Met && o.State != reminder.Excluded && o.State != reminder.NotConcerned) {
						row.Due = append(row.Due, RunDue{m.ID, m.Title, reminder.State(o.State), "", o.Says})
					}
				}
			}
		}
		for _, s := range standings {
			count(local, s)
			if w.Measure == "" && slices.Contains(w.States, s.State) && len(row.Due) < 20 {
				row.Due = append(row.Due, RunDue{s.Rule.ID, s.Rule.Title, s.State, s.Since.String(), c.Says(s)})
			}
		}
		if len(row.Due) > 0 {
			rows = append(rows, row)
		}
		if other.book == nil {
			continue
		}
		gain, loss := other.compare(book, c, other.book.Open(record))
		if row.Due = gain; len(gain) > 0 {
			gains = append(gains, row)
		}
		if row.Due = loss; len(loss) > 0 {
			losses = append(losses, row)
		}
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.run.Done += len(records)
	r.run.Left += gone
	for rule, x := range local {
		if counts[rule] == nil {
			counts[rule] = &RunCount{Rule: rule, Title: x.Title}
		}
		counts[rule].add(*x)
	}
	for id, x := range quality {
		if measures[id] == nil {
			measures[id] = x
		} else {
			measures[id].add(*x)
		}
	}
	for _, row := range rows {
		if len(r.rows) < mostRows {
			r.rows = append(r.rows, row)
		} else {
			r.run.More++
		}
	}
	r.run.Gain, r.run.Loss = r.run.Gain+len(gains), r.run.Loss+len(losses)
	r.run.Gains = append(r.run.Gains, gains[:min(len(gains), explains-len(r.run.Gains))]...)
	r.run.Losses = append(r.run.Losses, losses[:min(len(losses), explains-len(r.run.Losses))]...)
}

// compare says which of the rules would become due in a chart, and which would stop being due.
func (t trial) compare(book *reminder.Book, now, then *reminder.Chart) (gain, loss []RunDue) {
	for _, id := range t.rules {
		was, is := book.On(id) && now.Stand(id).State.Open(), false
		s := then.Stand(id)
		row := RunDue{id, s.Rule.Title, s.State, s.Since.String(), then.Says(s)}
		if is = t.book.On(id) && s.State.Open(); !t.book.On(id) {
			row.State = reminder.NotFor
		}
		switch {
		case is && !was:
			gain = append(gain, row)
		case was && !is:
			loss = append(loss, row)
		}
	}
	return gain, loss
}

// lastMonths are the last days of the twelve months before a day.
func lastMonths(today string) (out []string) {
	at, err := time.Parse(time.DateOnly, today)
	if err != nil {
		return nil
	}
	first := at.AddDate(0, 0, 1-at.Day())
	for back := 11; back >= 0; back-- {
		out = append(out, first.AddDate(0, -back, -1).Format(time.DateOnly))
	}
	return out
}

// measured counts a person towards a measure, today and at the ends of the months.
func measured(of map[string]*MeasureCount, c *reminder.Chart, m *reminder.Measure, ends []string) (o reminder.Outcome) {
	x := of[m.ID]
	if x == nil {
		x = &MeasureCount{ID: m.ID, Title: m.Title, About: m.About, Source: m.Source.Says()}
		for _, e := range ends {
			x.Months = append(x.Months, MonthCount{Month: e[:7]})
		}
		of[m.ID] = x
	}
	for i, e := range ends {
		on, _ := reminder.DayOf(e)
		switch c.MeasureOn(m.ID, on) {
		case reminder.Met:
			x.Months[i].Met++
			x.Months[i].Of++
		case reminder.Missed:
			x.Months[i].Of++
		}
	}
	switch o = c.Measure(m.ID); o.State {
	case reminder.Met:
		x.Met++
		x.Of++
	case reminder.Missed:
		x.Missed++
		x.Of++
	case reminder.Ordered:
		x.InHand++
		x.Of++
	case reminder.Unsure:
		x.NotKnown++
	case reminder.Excluded:
		x.Excluded++
	case reminder.NotComputed:
		x.Failed++
	}
	return o
}

func (c *MeasureCount) add(x MeasureCount) {
	c.Failed += x.Failed
	c.Of, c.Met, c.Missed, c.InHand, c.NotKnown, c.Excluded = c.Of+x.Of, c.Met+x.Met, c.Missed+x.Missed, c.InHand+x.InHand, c.NotKnown+x.NotKnown, c.Excluded+x.Excluded
	for i := range c.Months {
		c.Months[i].Of += x.Months[i].Of
		c.Months[i].Met += x.Months[i].Met
	}
}

func count(of map[string]*RunCount, s reminder.Standing) {
	c := of[s.Rule.ID]
	if c == nil {
		c = &RunCount{Title: s.Rule.Title}
		of[s.Rule.ID] = c
	}
	switch s.State {
	case reminder.Due:
		c.Due++
	case reminder.Overdue:
		c.Overdue++
	case reminder.Unknown:
		c.NotKnown++
	case reminder.InHand:
		c.InHand++
	case reminder.Holds, reminder.Coming:
		c.Holds++
	case reminder.Declined, reminder.PutOff:
		c.Aside++
	case reminder.NotFor:
		c.NotFor++
	case reminder.Failed:
		c.Failed++
	}
	if s.State != reminder.NotFor {
		c.Concerned++
	}
}

func (c *RunCount) add(x RunCount) {
	c.Concerned, c.Due, c.Overdue, c.NotKnown, c.InHand = c.Concerned+x.Concerned, c.Due+x.Due, c.Overdue+x.Overdue, c.NotKnown+x.NotKnown, c.InHand+x.InHand
	c.Holds, c.Aside, c.NotFor, c.Failed = c.Holds+x.Holds, c.Aside+x.Aside, c.NotFor+x.NotFor, c.Failed+x.Failed
}

// RecallCSV is the list of a run that ended, as CSV: a line a person and reminder. What could be read as a
// formula by a spreadsheet is written as text.
func (a *Acts) RecallCSV(ctx context.Context, who act.Actor, id string) (string, error) {
	run, err := a.RunOf(who, id)
	if err != nil {
		return "", err
	}
	if !run.Ended {
		return "", act.Refuse(act.Conflict, "The run has not ended yet.")
	}
	lines := [][]string{{"record", "family", "given", "born", "telephone", "clinician", "reminder", "state", "since"}}
	for _, r := range run.Rows {
		for _, d := range r.Due {
			lines = append(lines, []string{r.Patient.Record, r.Patient.Family, r.Patient.Given, r.Patient.BirthDate, r.Patient.Phone, r.Clinician, d.Title, string(d.State), d.Since})
		}
	}
	out, err := table.Write(lines)
	if err != nil {
		return "", err
	}
	return string(out), a.Saw(ctx, who, "take a recall list out", "", id)
}
