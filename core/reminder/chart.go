package reminder

import (
	"cmp"
	"regexp"
	"slices"
	"strings"
	"time"

	"deftledger/core/chart"
)

// Fact is one fact of a chart as rules read it.
type Fact struct {
	On      Span
	Until   Day // a problem that ended, a medicine that was stopped; Never else
	Name    string
	Text    string // of a value
	Unit    string
	Doubt   string // why it is not certain that it is what a rule asks for; "" for certain
	Source  string // "" for of this practice
	Ref     string // where it stands
	Undated bool   // when is not known
	History bool   // of a history, not of the problem list
	Code    string // CVX code of a vaccine
	Whole   string // of a part of a pair: the pair
}

// Says is the fact as people read it.
func (f Fact) Says() string {
	s := f.Name
	if f.Text != "" {
		s += " " + cmp.Or(f.Whole, f.Text)
		if u := chart.ShownUnit(f.Unit); u != "" {
			s += " " + u
		}
	}
	if !f.Undated {
		s += ", " + f.On.Says()
	}
	if f.Source != "" {
		s += " (" + f.Source + ")"
	}
	if f.Doubt != "" {
		s += ": " + f.Doubt
	}
	return s
}

// Chart is a chart taken in for rules: facts by set, sorted by day. It is read only.
type Chart struct {
	book      *Book
	r         chart.Record
	day       Day
	born      Span
	bornKnown bool
	died      Span
	dead      bool
	facts     [][]Fact          // by set; the newest last
	waits     [][]Fact          // by set: ordered or laid, and not back
	written   map[string][]Fact // by rule: referrals that were written for it, and not back
	relatives map[int][]Fact
	answers   map[string][]chart.Answer
	decisions map[string][]*chart.Decision
	tobacco   Tobacco
	smoked    bool // whether tobacco was spoken of at all
	smokedOn  Day
	hoping    bool            // what is in hand counts as if it were back
	gone      map[string]Day  // lists, by the day on which somebody last went through them
	reviewed  map[string]bool // lists that somebody went through, or said none of
	seen      []Day
	pregnant  verdict
	pregnancy string
}

// plainly writes a text in small letters and digits, a space at each end and for all else.
func plainly(text string) string {
	b := make([]byte, 1, len(text)+2)
	b[0] = ' '
	for i := range len(text) {
		x := text[i]
		if x >= 'A' && x <= 'Z' {
			x += 'a' - 'A'
		}
		if x >= 'a' && x <= 'z' || x >= '0' && x <= '9' || x == '+' {
			b = append(b, x)
		} else if b[len(b)-1] != ' ' {
			b = append(b, ' ')
		}
	}
	if b[len(b)-1] != ' ' {
		b = append(b, ' ')
	}
	return string(b)
}

// tobaccoWords name tobacco in the title of an entry; what else smokes is none of it.
var tobaccoWords = regexp.MustCompile(`(?i)\b(?:tobacco|smoker|smokes|smoked|smoking|(?:not|never) smoke|cigar\w*|vap(?:e|es|er|ing)|nicotine)\b`)

// doubts are words with which a history entry does not say that something was done.
var doubts = regexp.MustCompile(`\b(?:no|not|never|denies|declined?|declines|refus\w+|scheduled|planned|pending|due|overdue|needs?|cancel\w*|incomplete|aborted|attempted|` +
	`poor prep|inadequate|failed|considered|offered|recommended|discussed|possible|possibly|maybe|unsure|unknown|unclear|sister|mother|father|brother)\b|\?`)

// Open takes a chart in. Nothing later than the day of the record counts.
func (b *Book) Open(r chart.Record) *Chart {
	c := &Chart{book: b, r: r, facts: make([][]Fact, len(b.sets.all)), waits: make([][]Fact, len(b.sets.all)), relatives: map[int][]Fact{},
		answers: map[string][]chart.Answer{}, decisions: map[string][]*chart.Decision{}, reviewed: map[string]bool{}, gone: map[string]Day{}}
	c.day, _ = DayOf(r.Day)
	c.born, c.bornKnown = SpanOf(r.Patient.BirthDate)
	if r.Died != "" {
		if c.died, c.dead = SpanOf(r.Died); !c.dead {
			c.died, c.dead = Span{Ever, c.day}, true // that somebody died is known, when is not
		}
	}
	c.takeLists()
	c.takeValues()
	c.takeDone()
	c.takeWaiting()
	inOrder(c.facts)
	c.readPregnancy()
	return c
}

// inOrder sorts the facts of each set by day, those of one day so that the order they came in is no
// matter.
func inOrder(sets [][]Fact) {
	for _, facts := range sets {
		if len(facts) > 1 {
			slices.SortStableFunc(facts, func(a, z Fact) int {
				if a.On.To != z.On.To {
					return int(a.On.To) - int(z.On.To)
				}
				return cmp.Or(cmp.Compare(a.On.From, z.On.From), strings.Compare(a.Text, z.Text), strings.Compare(z.Doubt, a.Doubt), strings.Compare(a.Name, z.Name),
					strings.Compare(a.Ref, z.Ref))
			})
		}
	}
}

func (c *Chart) add(set int, f Fact) {
	if !f.Undated && f.On.From > c.day {
		return // still to come
	}
	if !f.Undated && f.On.To > c.day {
		f.On.To = c.day
	}
	if f.Until == 0 {
		f.Until = Never
	}
	c.facts[set] = append(c.facts[set], f)
	if c.book.sets.all[set].kind == quantities {
		for _, parent := range c.book.sets.parents[set] {
			c.facts[parent] = append(c.facts[parent], f)
		}
	}
}

// when reads a day of a list; the day on which it was stated stands for "no later than".
func when(text string) (Span, bool) {
	s, ok := SpanOf(text)
	return s, ok
}

func (c *Chart) takeLists() {
	x := c.book.sets
	for _, p := range c.r.Problems {
		on, dated := when(p.Onset)
		if listed, ok := when(p.Since); !dated && ok {
			on, dated = listed, true
		}
		f := Fact{On: on, Name: p.Title + " (" + p.Code + ")", Ref: p.ID, Undated: !dated, Until: Never}
		if ended, ok := when(p.Ended); ok {
			f.Until = ended.From
		}
		for _, n := range x.ofCode(p.Code) {
			c.add(n, f)
		}
	}
	for _, code := range c.r.Addressed {
		for _, n := range x.ofCode(code) {
			c.add(n, Fact{On: Span{c.day, c.day}, Name: code + ", addressed at this visit", Until: Never})
		}
	}
	for _, m := range c.r.Medicines {
		on, dated := when(m.Started)
		if !dated && !m.AddedAt.IsZero() {
			on, dated = Span{c.momentDay(m.AddedAt), c.momentDay(m.AddedAt)}, true
		}
		f := Fact{On: on, Name: strings.TrimSpace(m.Name + " " + m.Dose), Ref: m.ID, Undated: !dated, Until: Never}
		if ended, ok := when(m.Stopped); ok {
			f.Until = ended.From
		}
		switch m.Told.Says {
		case "not taking":
			f.Doubt = "told not to be taken"
		case "not known":
			f.Doubt = "whether it is taken is not known"
		}
		for _, n := range x.ofMedicine(m.Classes, m.Ingredients) {
			c.add(n, f)
		}
	}
	for _, s := range c.r.Statements {
		switch s.Says {
		case "reviewed", "none known":
			c.reviewed[s.List] = true
			if d := c.momentDay(s.At); d <= c.day {
				c.gone[s.List] = d
			}
		case "taken back":
			c.reviewed[s.List] = false
			delete(c.gone, s.List)
		}
	}
	for _, h := range c.r.Histories {
		c.takeHistory(h)
	}
	for _, v := range c.r.Visits {
		if v.Seen {
			if d, ok := DayOf(v.Day); ok && d <= c.day {
				c.seen = append(c.seen, d)
			}
		}
	}
	slices.Sort(c.seen)
}

func (c *Chart) takeHistory(h chart.HistoryEntry) {
	if h.List == chart.SocialList && tobaccoWords.MatchString(h.Title) {
		stated := c.day
		if !h.StatedAt.IsZero() {
			stated = min(c.day, c.momentDay(h.StatedAt))
		}
		if n, known := c.book.sets.byName["tobacco-asked"]; known { // asked when it was entered, or last confirmed with its list
			asked := max(stated, c.gone[chart.SocialList])
			c.add(n, Fact{On: Span{asked, asked}, Name: strings.TrimSpace(h.Title + " " + h.Detail), Ref: h.ID, Source: h.Source, History: true})
		}
		if !strings.EqualFold(strings.TrimSpace(h.Title), "tobacco") {
			return
		}
		text := h.Detail
		if h.Until != "" && !strings.Contains(text, "quit") && !strings.Contains(text, "stopped") {
			text += ", stopped " + h.Until
		}
		// Of several entries the last stated counts.
		if !c.smoked || stated >= c.smokedOn {
			c.tobacco, c.smoked, c.smokedOn = c.book.readTobacco(text, stated), true, stated
		}
		return
	}
	if h.List == chart.CommunicationList || h.List == chart.SocialList || h.List == chart.ImplantList {
		return
	}
	text := plainly(h.Title)
	for _, p := range c.book.sets.phrases {
		if !strings.Contains(text, p.words) {
			continue
		}
		s := c.book.sets.all[p.set]
		on, dated := when(h.Since)
		if !dated && h.List != chart.FamilyList {
			on, dated = dayIn(strings.ToLower(h.Title+" "+h.Detail), c.day)
		}
		f := Fact{On: on, Name: h.Title, Source: h.Source, Ref: h.ID, Undated: !dated, Until: Never}
		if h.List == chart.FamilyList {
			f.Name, f.Text = h.Title, strings.TrimSpace(h.Detail)
		}
		family := h.List == chart.FamilyList
		check := strings.ToLower(h.Title + " " + h.Detail)
		if family {
			check = strings.ToLower(h.Title)
		}
		if w := doubts.FindString(check); w != "" {
			f.Doubt = "it says \"" + strings.TrimSpace(w) + "\""
		}
		if p.maybe && f.Doubt == "" {
			f.Doubt = "whether it was " + s.says + " is not certain"
		}
		for _, w := range s.doubt {
			if strings.Contains(plainly(h.Title+" "+h.Detail), " "+w+" ") {
				f.Doubt = "it says \"" + w + "\""
			}
		}
		if f.History = true; family {
			c.relatives[p.set] = append(c.relatives[p.set], f)
		} else if !slices.ContainsFunc(c.facts[p.set], func(o Fact) bool { return o.Ref == f.Ref && f.Ref != "" }) {
			c.add(p.set, f)
		}
	}
}

func (c *Chart) takeValues() {
	x := c.book.sets
	for _, v := range c.r.Values {
		sets := x.loinc[v.LOINC]
		if len(sets) == 0 {
			continue
		}
		d, ok := DayOf(v.Day)
		if !ok {
			continue
		}
		for _, n := range sets {
			f := Fact{On: Span{d, d}, Name: v.Name, Text: v.Text, Unit: v.Unit, Ref: v.Ref, Until: Never}
			if part := x.all[n].part; part > 0 {
				parts := strings.Split(v.Text, "/")
				if len(parts) != 2 {
					f.Doubt = "it is no pair of values"
				} else {
					f.Text, f.Whole = strings.TrimSpace(parts[part-1]), f.Text
				}
			}
			c.add(n, f)
		}
	}
}

func (c *Chart) takeDone() {
	x := c.book.sets
	for _, s := range c.r.Services {
		on, dated := when(s.On)
		f := Fact{On: on, Text: s.Value, Source: s.Source, Ref: s.Ref, Undated: !dated, Until: Never}
		if !dated {
			f.Doubt = "when is not known"
		}
		for _, n := range x.items[s.Name] {
			f.Name, f.Unit = x.all[n].says, ""
			if x.all[n].kind == quantities {
				f.Unit = x.all[n].unit
			}
			c.add(n, f)
		}
	}
	for _, i := range c.r.Immunizations {
		on, dated := when(i.On)
		if i.On == "" && !i.GivenAt.IsZero() {
			d := c.momentDay(i.GivenAt)
			on, dated = Span{d, d}, true
		}
		f := Fact{On: on, Name: i.Name, Source: i.Source, Ref: i.ID, Undated: !dated, Until: Never, Code: i.CVX}
		if !dated {
			f.Doubt = "when is not known"
		}
		for _, n := range x.cvx[i.CVX] {
			c.add(n, f)
		}
	}
	for _, a := range c.r.Answers {
		if d, ok := DayOf(a.Day); ok && d <= c.day {
			c.answers[a.Question] = append(c.answers[a.Question], a)
		}
	}
	for q := range c.answers {
		slices.SortStableFunc(c.answers[q], func(a, z chart.Answer) int { return strings.Compare(a.Day+a.ID, z.Day+z.ID) })
	}
	for i := range c.r.Decisions {
		d := &c.r.Decisions[i]
		if !d.TakenBack && c.momentDay(d.At) <= c.day {
			c.decisions[d.Rule] = append(c.decisions[d.Rule], d)
		}
	}
	for rule := range c.decisions {
		slices.SortStableFunc(c.decisions[rule], func(a, z *chart.Decision) int {
			if n := a.At.Compare(z.At); n != 0 {
				return n
			}
			return strings.Compare(a.ID, z.ID)
		})
	}
}

func (c *Chart) takeWaiting() {
	x := c.book.sets
	wait := func(n int, f Fact) {
		if !slices.ContainsFunc(c.waits[n], func(o Fact) bool { return o.Ref == f.Ref && o.Name == f.Name }) {
			c.waits[n] = append(c.waits[n], f)
		}
		for _, parent := range x.parents[n] {
			c.waits[parent] = append(c.waits[parent], f)
		}
	}
	for _, t := range c.r.InHand {
		if t.Reported == "F" || t.Reported == "C" || t.Reported == "X" {
			continue
		}
		d, ok := DayOf(t.Day)
		if !ok || d > c.day {
			continue
		}
		f := Fact{On: Span{d, d}, Name: t.Name, Ref: t.OrderID, Until: Never}
		if t.Prepared {
			f.Name += ", laid for a signature"
		}
		for _, l := range append(slices.Clone(t.Analytes), t.LOINC) {
			for _, n := range x.loinc[l] {
				wait(n, f)
			}
		}
	}
	for _, a := range c.r.Awaited {
		d, ok := DayOf(a.Day)
		if !ok || d > c.day {
			continue
		}
		f := Fact{On: Span{d, d}, Name: a.Item, Ref: a.ID, Until: Never}
		if a.Prepared {
			f.Name += ", laid for a signature"
		}
		if a.Rule != "" {
			if c.written == nil {
				c.written = map[string][]Fact{}
			}
			f := f
			if f.Name = "referral"; a.Prepared {
				f.Name += ", laid for a signature"
			}
			c.written[a.Rule] = append(c.written[a.Rule], f)
		}
		for _, n := range x.items[a.Item] {
			f.Name = x.all[n].says
			wait(n, f)
		}
		for _, n := range x.cvx[a.CVX] {
			f.Name = x.all[n].says
			wait(n, f)
		}
	}
	inOrder(c.waits)
}

// MostPregnant is how long an entry of pregnancy is believed; what is older is asked about. 42
// weeks from the last period, and some for when it was entered.
const MostPregnant = 300

// readPregnancy reads from the problem list that she is pregnant, and until when that is
// believed: of several entries the newest. A pregnancy of somebody recorded as male is asked about.
func (c *Chart) readPregnancy() {
	c.pregnant = always(False)
	newest := Ever
	for _, p := range c.r.Problems {
		if !pregnancyCode(p.Code) {
			continue
		}
		on, dated := when(p.Since)
		if ended, over := when(p.Ended); over && ended.From <= c.day {
			continue
		}
		says := p.Title + " (" + p.Code + ")"
		switch {
		case dated && c.day < on.From+MostPregnant && c.r.Patient.Sex != "M":
			if on.From > newest {
				newest = on.From
				c.pregnant, c.pregnancy = verdict{True, on.From, on.From + MostPregnant}, says+", "+on.Says()
			}
		case newest == Ever:
			c.pregnant, c.pregnancy = always(Open), says+", long ago, or since when is not known, or of a man"
		}
	}
}

// pregnancyCode says whether a code is of somebody who is pregnant: Z33.1, Z34, Z3A, O09 and O10 to O7
// (ICD-10-CM, chapter 15).
func pregnancyCode(code string) bool {
	return strings.HasPrefix(code, "Z33.1") || strings.HasPrefix(code, "Z34") || strings.HasPrefix(code, "Z3A") || strings.HasPrefix(code, "O09") ||
		strings.HasPrefix(code, "O") && code >= "O10" && code < "O80"
}

func (c *Chart) momentDay(t time.Time) Day {
	zone := c.r.Zone
	if zone == nil {
		zone = time.UTC
	}
	d, _ := DayOf(t.In(zone).Format(time.DateOnly))
	return d
}

// OfHistory is something of a history as the rulebook read it: of which set, and whether that is one of diagnoses.
type OfHistory struct {
	Set       string
	Condition bool
	Fact      Fact
}

// OfHistories lists what was read of histories, but for the family's and tobacco.
func (c *Chart) OfHistories() (out []OfHistory) {
	for n := range c.facts {
		for _, f := range c.facts[n] {
			if f.History {
				out = append(out, OfHistory{c.book.sets.all[n].name, c.book.sets.all[n].kind == conditions, f})
			}
		}
	}
	return out
}

// ServiceOf is a set that something done elsewhere counts for.
type ServiceOf struct {
	Name, Unit string
	Quantity   bool
}

// SetsOfService are the sets that a service counts for, by its own name or as an item of the list.
func (b *Book) SetsOfService(name string) (out []ServiceOf) {
	for _, n := range b.sets.items[name] {
		s := b.sets.all[n]
		out = append(out, ServiceOf{s.name, s.unit, s.kind == quantities})
	}
	return out
}
