package reminder

import (
	"fmt"
	"slices"

	"deftledger/core/chart"
)

// Horizon is how far ahead a standing looks for what becomes due, in days: a year and a month.
const Horizon = 396

// steps bounds how many of its own dates a rule is followed.
const steps = 24

// plain is how a rule stands on a day, without what lies ahead.
type plain struct {
	state   State
	since   Day
	until   Day // the first day on which it may be otherwise by time alone
	by      Fact
	follow  Fact
	decided *chart.Decision
}

// Stand says how a rule stands on the day of the chart. A rule that is not in the book has no standing.
func (c *Chart) Stand(rule string) Standing {
	r := c.book.by[rule]
	if r == nil {
		return Standing{State: Failed}
	}
	return c.stand(r, c.day)
}

// StandOn is Stand for another day, as the chart is now.
func (c *Chart) StandOn(rule string, d Day) Standing {
	r := c.book.by[rule]
	if r == nil {
		return Standing{State: Failed}
	}
	return c.stand(r, d)
}

// All are the standings of every rule that is switched on, in the order of the book.
func (c *Chart) All() []Standing {
	out := make([]Standing, 0, len(c.book.rules))
	for _, r := range c.book.rules {
		if !r.off {
			out = append(out, c.stand(r, c.day))
		}
	}
	return out
}

// stand adds to a plain standing what lies ahead: when it is due next, and when it stands
// otherwise.
func (c *Chart) stand(r *ready, d Day) (s Standing) {
	s.Rule = r.Rule
	defer func() { // one rule that fails on one chart hides none of the others
		if fault := recover(); fault != nil {
			s = Standing{Rule: r.Rule, State: Failed, Since: Ever, Due: Never, Changes: Never}
		}
	}()
	now := c.plain(r, d)
	s.State, s.Since, s.By, s.Follow, s.Decided, s.Due, s.Changes = now.state, now.since, now.by, now.follow, now.decided, Never, Never
	if now.state == Due || now.state == Overdue || now.state == Unknown {
		s.Due = now.since
	}
	// Its own dates, one after another, to the first on which it stands otherwise.
	end := d + Horizon
	state := func(p plain, on Day) (State, Day) {
		if p.state != Holds && p.state != NotFor {
			return p.state, p.until
		}
		due := c.dueAfter(r, p, r.early.After(end))
		if due == Never {
			return p.state, p.until
		}
		if warn := r.early.Before(due); on >= warn {
			return Coming, p.until
		} else if warn < p.until {
			return p.state, warn
		}
		return p.state, p.until
	}
	if now.state == Holds || now.state == NotFor || now.state == PutOff || now.state == Declined || now.state == InHand {
		s.Due = c.dueAfter(r, now, r.early.After(end))
	}
	var next Day
	s.State, next = state(now, d)
	for range steps {
		if next == Never || next > end {
			break
		}
		then, after := state(c.plain(r, next), next)
		if then != s.State {
			s.Changes = next
			break
		}
		next = max(after, next+1)
	}
	return s
}

// dueAfter follows a standing to the day on which somebody has to do something; Never for none before end.
func (c *Chart) dueAfter(r *ready, p plain, end Day) Day {
	on := p.until
	for range steps {
		if on == Never || on > end {
			return Never
		}
		then := c.plain(r, on)
		if then.state == Due || then.state == Overdue || then.state == Unknown {
			return on
		}
		on = max(then.until, on+1)
	}
	return Never
}

// plain is the standing of a rule on a day.
func (c *Chart) plain(r *ready, d Day) plain {
	if c.dead && d >= c.died.From {
		return plain{state: NotFor, since: c.died.From, until: Never, by: Fact{Name: "died", On: c.died, Undated: c.died.From == Ever}}
	}
	if !c.bornKnown {
		// Almost every rule asks the age; one that does not is answered like any other.
	} else if c.born.From > d {
		return plain{state: Unknown, since: Ever, until: c.born.From, by: Fact{Name: "the birth date lies ahead", On: c.born}}
	}
	applies := r.applies.eval(c, d)
	excluded := always(False)
	for _, x := range r.excluded {
		excluded = either(excluded, x.eval(c, d))
	}
	concerned := both(applies, excluded.not())
	if concerned.truth == False {
		return plain{state: NotFor, since: concerned.since, until: concerned.until}
	}
	said, saidUntil := c.said(r, d)
	if said != nil && said.Says == chart.DecidedNotFor {
		return plain{state: NotFor, since: c.momentDay(said.At), until: min(saidUntil, concerned.until), decided: said}
	}
	through, by, unsure := c.through(r, d)
	open := c.unfollowed(r, d)
	if open.f.Name != "" {
		through, by, unsure = open.through, open.f, Ever
		if open.unsure {
			unsure = Never
		}
	}
	if said != nil && (said.Says == chart.DecidedDone || said.Says == chart.DecidedOutside) && saidUntil > through {
		on, dated := SpanOf(said.On)
		through = saidUntil
		by = Fact{On: on, Undated: !dated, Name: said.Says, Text: said.Reason, Source: said.Source, Ref: said.ID}
	}
	if through > d {
		since := by.On.To
		if by.Undated {
			since = Ever
		}
		return plain{state: Holds, since: since, until: min(through, concerned.until), by: by, decided: said}
	}
	until := concerned.until
	var next forecast
	if r.series != nil {
		next = c.forecast(r.series, d)
		until = min(until, next.until)
		for _, j := range next.doses {
			if j.number > 0 {
				by = *j.f
			}
		}
		if next.complete || !next.unsure && d < next.due {
			since := Ever
			if by.Name != "" {
				since = by.On.To
			}
			if !next.complete {
				until = min(until, next.due)
			}
			return plain{state: Holds, since: since, until: until, by: by, decided: said}
		}
	}
	if said != nil && d < saidUntil {
		switch said.Says {
		case chart.DecidedDecline:
			return plain{state: Declined, since: c.momentDay(said.At), until: min(until, saidUntil), follow: open.f, decided: said}
		case chart.DecidedPutOff:
			return plain{state: PutOff, since: c.momentDay(said.At), until: min(until, saidUntil), follow: open.f, decided: said}
		}
	}
	if f, ok := c.waiting(r, d, open.by); ok {
		return plain{state: InHand, since: f.On.From, until: until, by: f, follow: open.f, decided: said}
	}
	since := concerned.since
	if r.series != nil && next.due != Never {
		since = max(since, next.due)
		unsure = Ever
		if next.unsure {
			unsure = Never
		}
	} else if by.Name != "" && !by.Undated && through != Ever {
		since = max(since, through)
	}
	if concerned.truth == Open || unsure > d {
		until = min(until, unsure)
		if unsure <= d {
			until = concerned.until
		}
		return plain{state: Unknown, since: since, until: until, by: by, follow: open.f, decided: said}
	}
	if r.season != nil {
		begins, ends, in := r.season.around(d)
		if !in {
			return plain{state: Holds, since: Ever, until: min(until, begins), by: Fact{Name: "out of season", Undated: true}, decided: said}
		}
		since, until = max(since, begins), min(until, ends)
	}
	late := r.grace.After(since)
	if since == Ever {
		late = Never
	}
	if r.series != nil && next.late != Never {
		late = max(next.late, since)
		if next.late <= since { // catching up: it was late before it could be given
			late = r.grace.After(since)
		}
	}
	if d >= late {
		return plain{state: Overdue, since: since, until: until, by: by, follow: open.f, decided: said}
	}
	return plain{state: Due, since: since, until: min(until, late), by: by, follow: open.f, decided: said}
}

// said is the last decision on a rule that was not taken back, and to which day it holds.
func (c *Chart) said(r *ready, d Day) (*chart.Decision, Day) {
	for _, x := range slices.Backward(c.decisions[r.ID]) {
		at := c.momentDay(x.At)
		if at > d {
			continue
		}
		until, dated := DayOf(x.Until)
		if dated {
			return x, until
		}
		switch x.Says {
		case chart.DecidedNotFor:
			return x, Never
		case chart.DecidedDecline:
			return x, r.declined.After(at)
		case chart.DecidedPutOff:
			return x, r.early.After(at)
		}
		on, known := SpanOf(x.On)
		if !known {
			on = Span{at, at}
		}
		lasts := r.lasts
		if !lasts.Given() {
			return x, Ever // the facts it left in the chart count
		}
		return x, lasts.After(on.From)
	}
	return nil, Ever
}

// through is to which day the facts of the chart fulfil a rule, and by which; unsure to which
// day something doubtful would, where nothing certain does.
func (c *Chart) through(r *ready, d Day) (through Day, by Fact, unsure Day) {
	through, unsure = Ever, Ever
	for _, s := range r.satisfied {
		t, f, sure := s.through(c, d)
		if !sure {
			unsure = max(unsure, t)
			continue
		}
		if t > through {
			through, by = t, f
		}
	}
	if through > d {
		unsure = Ever
	}
	return through, by, unsure
}

// through is to which day one satisfier holds, by its newest fact; of result-dependent ones of
// one day the shortest counts.
func (s *satisfier) through(c *Chart, d Day) (Day, Fact, bool) {
	set := &c.book.sets.all[s.set]
	best, by := Ever, &Fact{}
	doubtful, doubt := Ever, &Fact{}
	newest := Ever
	for i := len(c.facts[s.set]) - 1; i >= 0; i-- {
		f := &c.facts[s.set][i]
		if !f.Undated && f.On.To > d {
			continue
		}
		on := f.On.From // where the day is not known, the cautious end
		sure := f.Doubt == ""
		if f.Undated {
			on, sure = Ever, sure && s.lasts.Unit == Forever // else whether it still holds cannot be said
		}
		if s.from.Given() && !f.Undated {
			if !c.bornKnown {
				sure = false
			} else if f.On.To < s.from.After(c.born.From) {
				continue
			} else if f.On.From < s.from.After(c.born.To) {
				sure = false
			}
		}
		if s.is.Op != "" {
			switch set.judge(f, s.is) {
			case False:
				continue
			case Open:
				sure = false
			}
		}
		lasts := s.lasts
		if s.Priming != nil && c.primes(s, i) {
			lasts = s.Priming.Gap
		}
		if len(s.byResult) > 0 {
			if newest != Ever && f.On.To < newest {
				break // the last result decides
			}
			if sure {
				newest = f.On.To
			}
			for _, b := range s.byResult {
				t := set.judge(f, b.Is)
				if t == True {
					lasts = b.Lasts
					break
				}
				if t == Open && b.Lasts.days() < lasts.days() {
					lasts = b.Lasts // it cannot be compared: the shorter counts
				}
			}
		}
		t := lasts.After(on)
		if f.Undated {
			t = Never
		}
		switch {
		case !sure && t > doubtful:
			doubtful, doubt = t, f
		case sure && len(s.byResult) > 0 && best != Ever:
			if t < best {
				best, by = t, f
			}
		case sure && t > best:
			best, by = t, f
		}
	}
	if best <= d && doubtful > d {
		return doubtful, *doubt, false
	}
	return best, *by, true
}

// unfollowed is a result after which something else has to come and has not: by are the sets of that,
// through is to which day the result itself holds, unsure says that something may have followed.
type unfollowed struct {
	f       Fact
	by      []int
	through Day
	unsure  bool
}

// unfollowed finds the newest result that is not followed up.
func (c *Chart) unfollowed(r *ready, d Day) (out unfollowed) {
	for _, s := range r.satisfied {
		for _, b := range s.byResult {
			if len(b.followedBy) == 0 {
				continue
			}
			for i := range c.facts[s.set] {
				f := &c.facts[s.set][i]
				if !f.Undated && f.On.To > d || f.Doubt != "" || c.book.sets.all[s.set].judge(f, b.Is) != True {
					continue
				}
				followed := c.followed(f, s.set, b.followedBy, d)
				if followed == True || out.f.Name != "" && (f.Undated || f.On.To < out.f.On.To) {
					continue
				}
				out = unfollowed{f: *f, by: b.followedBy, through: Ever, unsure: followed == Open}
				if !f.Undated {
					out.through = b.Lasts.After(f.On.From)
				}
			}
		}
	}
	return out
}

// followed says whether something of the sets came after a result: of its own day, or later where
// it is the same test again.
func (c *Chart) followed(f *Fact, of int, sets []int, d Day) Truth {
	out := False
	for _, n := range sets {
		for i := range c.facts[n] {
			x := &c.facts[n][i]
			if !x.Undated && x.On.To > d || n == of && x.Ref == f.Ref {
				continue
			}
			from := f.On.From
			if n == of {
				from++
			}
			switch {
			case f.Undated && x.Doubt == "" && n != of, !f.Undated && !x.Undated && x.Doubt == "" && x.On.From >= from:
				return True
			case x.Undated || f.Undated || x.On.To >= from:
				out = Open
			}
		}
	}
	return out
}

// primes says whether a dose is one of those of a season in which more are needed, and not the last of them. The doses
// before it are counted in the order of their days; one too soon after the one before, beyond the days of grace, is none.
func (c *Chart) primes(s *satisfier, at int) bool {
	p, f := s.Priming, &c.facts[s.set][at]
	if !c.bornKnown || f.Undated {
		return false
	}
	first := seasonOf(f.On.From, s.parts)
	before, within, last := 0, 0, Ever
	begun := f.On.From // the first dose of this season
	for i := range c.facts[s.set][:at+1] {
		x := &c.facts[s.set][i]
		if x.Undated || x.Doubt != "" || last != Ever && x.On.From < p.Gap.After(last)-Grace {
			continue
		}
		if last = x.On.From; x.On.From < first {
			before++
		} else {
			if within == 0 {
				begun = x.On.From
			}
			within++
		}
	}
	if p.Ever {
		within += before
	}
	return begun < p.Below.After(c.born.From) && before < p.Doses && within < p.Doses
}

// seasonOf is the day on which the season of a day began.
func seasonOf(d Day, parts int) Day {
	year := d.time().Year()
	on := func(y int) Day {
		v, _ := DayOf(fmt.Sprintf("%04d-%02d-%02d", y, parts/100, parts%100))
		return v
	}
	if start := on(year); start <= d {
		return start
	}
	return on(year - 1)
}

// waiting finds what is on its way that would fulfil a rule; where sets are given, of those only.
func (c *Chart) waiting(r *ready, d Day, sets []int) (Fact, bool) {
	if len(sets) == 0 {
		for _, s := range r.satisfied {
			sets = append(sets, s.set)
		}
	}
	if r.series != nil {
		sets = append(sets, r.series.set)
	}
	for _, f := range slices.Backward(c.written[r.ID]) {
		if f.On.From <= d {
			return f, true
		}
	}
	for _, n := range sets {
		for _, f := range slices.Backward(c.waits[n]) {
			if f.On.From <= d {
				return f, true
			}
		}
	}
	return Fact{}, false
}

// around says when the season of a day began and ends, or when the next begins.
func (s season) around(d Day) (begins, ends Day, in bool) {
	year := d.time().Year()
	at := func(y, md int) Day {
		v, ok := DayOf(fmt.Sprintf("%04d-%02d-%02d", y, md/100, md%100))
		if !ok { // 29 February of a common year
			v, _ = DayOf(fmt.Sprintf("%04d-03-01", y))
		}
		return v
	}
	for y := year - 1; y <= year+1; y++ {
		from, to := at(y, s.from), at(y, s.to)
		if s.to < s.from {
			to = at(y+1, s.to)
		}
		if d < from {
			return from, Never, false
		}
		if d <= to {
			return from, to + 1, true
		}
	}
	return Never, Never, false
}

// Asks are the questions whose answers would decide a rule that is not known.
func (c *Chart) Asks(rule string) (out []string) {
	r, d := c.book.by[rule], c.day
	if r == nil {
		return nil
	}
	var walk func(w Why)
	walk = func(w Why) {
		if w.Truth != Open {
			return
		}
		if w.Asks != "" && !slices.Contains(out, w.Asks) {
			out = append(out, w.Asks)
		}
		for _, inner := range w.Of {
			walk(inner)
		}
	}
	walk(r.applies.why(c, d))
	for _, x := range r.excluded {
		walk(x.why(c, d))
	}
	return out
}

// Explanation is why a rule stands as it does.
type Explanation struct {
	Applies   Why   `json:"applies"`
	Excluded  []Why `json:"excluded"`
	Satisfied []Why `json:"satisfied"`
	Decisions []Why `json:"decisions"`
}

// Why explains the standing of a rule: each condition with its facts, what would fulfil it and
// what was found of that.
func (c *Chart) Why(rule string) Explanation {
	r := c.book.by[rule]
	if r == nil {
		return Explanation{}
	}
	out := Explanation{Applies: r.applies.why(c, c.day), Excluded: []Why{}, Satisfied: []Why{}, Decisions: []Why{}}
	for _, x := range r.excluded {
		out.Excluded = append(out.Excluded, x.why(c, c.day))
	}
	for _, s := range r.satisfied {
		out.Satisfied = append(out.Satisfied, s.why(c))
	}
	if r.series != nil {
		out.Satisfied = append(out.Satisfied, r.series.why(c))
	}
	return out
}

func (s *satisfier) why(c *Chart) Why {
	set := c.book.sets.all[s.set]
	says := set.says
	if s.is.Op != "" {
		says += ", " + s.is.says()
	}
	if s.from.Given() {
		says += " at " + s.from.String() + " or later"
	}
	if s.lasts.Unit == Forever {
		says += ", once"
	} else {
		says += ", good for " + s.lasts.String()
	}
	if p := s.Priming; p != nil {
		says += fmt.Sprintf("; below %s %d doses in the first season, %s apart", p.Below, p.Doses, p.Gap)
	}
	for _, b := range s.byResult {
		if b.Lasts == (Length{N: 1, Unit: Days}) { // what was found is followed up, not screened for again
			says += "; settles nothing where " + b.Is.says()
			if len(b.followedBy) > 0 {
				says += ", and nothing else does until " + c.book.sets.names(b.followedBy)
			}
			continue
		}
		says += "; " + b.Lasts.String() + " where " + b.Is.says()
	}
	through, _, sure := s.through(c, c.day)
	t := truth(through > c.day)
	if !sure {
		t = Open
	}
	w := Why{Says: says, Truth: t, Holds: t.String(), Facts: []string{}}
	for _, f := range slices.Backward(c.facts[s.set]) {
		w.Facts = append(w.Facts, f.Says())
		if len(w.Facts) == 5 {
			break
		}
	}
	for _, f := range c.waits[s.set] {
		w.Facts = append(w.Facts, "in hand: "+f.Says())
	}
	if len(w.Facts) == 0 {
		w.Facts = []string{"none found"}
	}
	return w
}

// Plain is how a rule stands today without what lies ahead: what is coming up is satisfied, or not applicable yet.
func (c *Chart) Plain(rule string) State {
	r := c.book.by[rule]
	if r == nil {
		return Failed
	}
	return c.plain(r, c.day).state
}
