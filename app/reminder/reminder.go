// Package reminder is the room of preventive and continuing care: how each reminder stands in a
// chart and why, what people decide on it, and what they answer where the chart does not say.
package reminder

import (
	"context"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	orders "deftledger/app/order"
	"deftledger/core/chart"
	"deftledger/core/orderable"
	"deftledger/core/reminder"
	"deftledger/store"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Order *orders.Acts
	runs  runs
}

// New makes the room on its ground, with the room below that it uses.
func New(o *act.Office, or *orders.Acts) *Acts {
	return &Acts{Office: o, Order: or, runs: runs{of: map[string]*running{}}}
}

// RemindersView is how all reminders stand in a chart today.
type RemindersView struct {
	Day  string `json:"day"`
	Open int    `json:"open" doc:"How many are due, overdue or not known"`
	// Rows are in the order of the round: what is open first, and of that the most important.
	Rows []ReminderView `json:"rows"`
}

// ReminderView is how one reminder stands.
type ReminderView struct {
	Rule     string         `json:"rule"`
	Version  int            `json:"version"`
	Title    string         `json:"title"`
	About    string         `json:"about"`
	Group    string         `json:"group"`
	State    reminder.State `json:"state" enum:"due,overdue,coming up,in hand,satisfied,put off,declined,not applicable,not known,could not be computed"`
	Since    string         `json:"since" doc:"Since when it is due, or when it was done; empty for not known"`
	Due      string         `json:"due" doc:"When it is due next; empty for not in sight"`
	Says     string         `json:"says" doc:"The facts in a few words"`
	Closes   string         `json:"closes" enum:"statement,data"`
	Priority int            `json:"priority"`
	Source   string         `json:"source"`
	Note     string         `json:"note" doc:"What the note says when it was done"`
	Acts     []ReminderAct  `json:"acts"`
	Means    []ReminderMean `json:"means" doc:"What fulfils it, for what was had elsewhere"`
	Asks     []RuleQuestion `json:"asks" doc:"Questions whose answers would decide"`
	Decided  *ReminderSaid  `json:"decided,omitempty"`
	NotFor   bool           `json:"notFor" doc:"Somebody said that it does not apply"`
}

// ReminderAct is an act that settles a reminder.
type ReminderAct struct {
	Says      string `json:"says"`
	Kind      string `json:"kind" enum:"test,item,vaccine,questionnaire,counsel,refer"`
	Code      string `json:"code"`
	Diagnosis string `json:"diagnosis"`
	Title     string `json:"title" doc:"Of the diagnosis"`
}

// ReminderMean is one way in which a reminder is fulfilled.
type ReminderMean struct {
	Name  string `json:"name"`
	Says  string `json:"says"`
	Value bool   `json:"value" doc:"How it turned out decides for how long"`

	Products []Product `json:"products" doc:"Of a vaccine: which it may have been"`
}

// Product is a vaccine by its code.
type Product struct {
	CVX  string `json:"cvx"`
	Name string `json:"name"`
}

// RuleQuestion is a question of the rulebook.
type RuleQuestion struct {
	ID      string   `json:"id"`
	Says    string   `json:"says"`
	Choices []string `json:"choices" doc:"Empty for one that is answered elsewhere, as tobacco in the social history"`
}

// ReminderSaid is what somebody decided on a reminder.
type ReminderSaid struct {
	Request string `json:"request" doc:"Names the act, to take it back"`
	Says    string `json:"says"`
	On      string `json:"on"`
	Until   string `json:"until"`
	Reason  string `json:"reason"`
	Source  string `json:"source"`
	By      string `json:"by"`
	At      string `json:"at"`
	Back    string `json:"back" doc:"Who took it back; empty for what stands"`
	BackAt  string `json:"backAt"`
	BackWhy string `json:"backWhy"`
	Reads   string `json:"reads" doc:"As the plan of the note tells it"`
}

// open takes the chart of a person in, as rules read it today.
func (a *Acts) open(q *store.Q, patient string) (*reminder.Chart, chart.Record, error) {
	r, err := a.Order.Record(q, patient, a.Today())
	if err != nil {
		return nil, r, err
	}
	return a.Rulebook().Open(r), r, nil
}

// Reminders tells how every reminder stands in a chart.
func (a *Acts) Reminders(ctx context.Context, who act.Actor, patient string) (out RemindersView, err error) {
	err = a.Look(ctx, who, act.Remind, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		out, err = a.view(q, p.ID)
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "look at reminders", patient, "")
	}
	return out, err
}

func (a *Acts) view(q *store.Q, patient string) (RemindersView, error) {
	out := RemindersView{Day: a.Today(), Rows: []ReminderView{}}
	c, _, err := a.open(q, patient)
	if err != nil {
		return out, err
	}
	said, err := q.CareOf(patient)
	if err != nil {
		return out, err
	}
	newest := map[string]store.CareEntry{}
	for _, x := range said {
		newest[x.ID] = x
	}
	for _, s := range c.All() {
		v := a.row(c, s)
		if s.Decided != nil {
			d := a.said(newest[s.Decided.ID], s.Rule)
			v.Decided = &d
			v.NotFor = s.State == reminder.NotFor
		}
		if s.State.Open() {
			out.Open++
		}
		out.Rows = append(out.Rows, v)
	}
	slices.SortStableFunc(out.Rows, func(x, y ReminderView) int { return rank[x.State] - rank[y.State] })
	return out, nil
}

// rank is the order of the round.
var rank = map[reminder.State]int{reminder.Failed: 0, reminder.Overdue: 1, reminder.Due: 1, reminder.Unknown: 2, reminder.InHand: 3, reminder.Coming: 4, reminder.PutOff: 5,
	reminder.Declined: 6, reminder.Holds: 7, reminder.NotFor: 8}

func (a *Acts) row(c *reminder.Chart, s reminder.Standing) ReminderView {
	r := s.Rule
	v := ReminderView{Rule: r.ID, Version: r.Version, Title: r.Title, About: r.About, Group: r.Group, State: s.State, Since: s.Since.String(), Due: s.Due.String(), Says: c.Says(s),
		Closes: r.Closes, Priority: r.Priority, Source: r.Source.Says(), Note: r.Note, Acts: []ReminderAct{}, Means: []ReminderMean{}, Asks: []RuleQuestion{}}
	for _, x := range r.Resolve {
		for _, cvx := range x.Vaccine {
			if i := slices.IndexFunc(a.House.Vaccines, func(w chart.Vaccine) bool { return w.CVX == cvx }); i >= 0 {
				v.Acts = append(v.Acts, ReminderAct{Says: a.House.Vaccines[i].Name, Kind: "vaccine", Code: orderable.VaccineID(cvx), Diagnosis: x.Diagnosis, Title: a.titled(x.Diagnosis)})
			}
		}
		if kind, code := x.Act(); kind != "ask" && kind != "vaccine" {
			v.Acts = append(v.Acts, ReminderAct{Says: x.Says, Kind: kind, Code: code, Diagnosis: x.Diagnosis, Title: a.titled(x.Diagnosis)})
		}
	}
	for _, m := range a.Rulebook().Means(r.ID) {
		v.Means = append(v.Means, ReminderMean{Name: m.Name, Says: m.Says, Value: m.Value, Products: a.products(m.CVX)})
	}
	var asks []string
	if s.State == reminder.Unknown {
		asks = c.Asks(r.ID)
	}
	for _, id := range asks {
		if q, ok := a.Rulebook().Question(id); ok {
			v.Asks = append(v.Asks, RuleQuestion{q.ID, q.Says, append([]string{}, q.Choices...)})
		}
	}
	return v
}

// products are vaccines by their codes, those the practice gives first; of the others the code is the name, as records
// from elsewhere have it.
func (a *Acts) products(codes []string) []Product {
	out := []Product{}
	for _, v := range a.House.Vaccines {
		if slices.Contains(codes, v.CVX) {
			out = append(out, Product{v.CVX, v.Name})
		}
	}
	for _, c := range slices.Sorted(slices.Values(codes)) {
		if !slices.ContainsFunc(out, func(p Product) bool { return p.CVX == c }) {
			out = append(out, Product{c, "another, CVX " + c})
		}
	}
	return out
}

// titled is the title of a diagnosis; "" for none.
func (a *Acts) titled(code string) string {
	if code == "" {
		return ""
	}
	e, _, _, err := a.CheckCode(code, a.Today())
	if err != nil {
		return "" // the rule names a code that is none today: the order asks for another
	}
	return e.Title
}

func (a *Acts) said(x store.CareEntry, r *reminder.Rule) ReminderSaid {
	v := ReminderSaid{Request: x.RequestID, Says: x.Says, On: x.Day, Until: x.Until, Reason: x.Reason, Source: x.Source, By: x.By, At: a.Say(x.At), Reads: r.SaysOf(x.Decision())}
	if !x.BackAt.IsZero() {
		v.Back, v.BackAt, v.BackWhy = x.Back, a.Say(x.BackAt), x.BackReason
	}
	return v
}

// ReminderWhy is why a reminder stands as it does, with its rule and its history.
type ReminderWhy struct {
	ReminderView
	Maintainer string         `json:"maintainer"`
	Reviewed   string         `json:"reviewed" doc:"The day on which the rule was last held against its source"`
	Grade      string         `json:"grade"`
	Mind       string         `json:"mind" doc:"Where the rule reads its source cautiously"`
	Changes    string         `json:"changes" doc:"The first day on which it stands otherwise by time alone; empty for not in sight"`
	Applies    []WhyLine      `json:"applies"`
	Excluded   []WhyLine      `json:"excluded"`
	Satisfied  []WhyLine      `json:"satisfied"`
	History    []ReminderSaid `json:"history" doc:"What was decided on it, newest first; what was taken back too"`
	Answers    []RuleAnswered `json:"answers" doc:"What was answered to its questions, newest first"`
	Leaflet    string         `json:"leaflet"`
}

// WhyLine is a condition with its answer and the facts that gave it; Depth is how far in it stands.
type WhyLine struct {
	Depth int      `json:"depth"`
	Says  string   `json:"says"`
	Holds string   `json:"holds" enum:"yes,no,not known"`
	Facts []string `json:"facts"`
}

// RuleAnswered is what was answered.
type RuleAnswered struct {
	Request  string `json:"request"`
	Question string `json:"question"`
	Value    string `json:"value"`
	Day      string `json:"day"`
	By       string `json:"by"`
}

// Why explains how a reminder stands.
func (a *Acts) Why(ctx context.Context, who act.Actor, patient, rule string) (out ReminderWhy, err error) {
	err = a.Look(ctx, who, act.Remind, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		r, ok := a.Rulebook().Rule(rule)
		if !ok {
			return act.Refuse(act.Missing, "There is no such rule.")
		}
		c, _, err := a.open(q, p.ID)
		if err != nil {
			return err
		}
		s := c.Stand(rule)
		x := c.Why(rule)
		out = ReminderWhy{ReminderView: a.row(c, s), Maintainer: r.Maintainer, Reviewed: r.Reviewed, Grade: r.Source.Grade, Mind: r.Source.Mind, Changes: s.Changes.String(),
			Applies: lines(x.Applies), Excluded: lines(x.Excluded...), Satisfied: lines(x.Satisfied...), History: []ReminderSaid{}, Answers: []RuleAnswered{}, Leaflet: r.Leaflet}
		said, err := q.CareOf(p.ID)
		if err != nil {
			return err
		}
		asks := a.Rulebook().Asks(rule)
		for _, e := range slices.Backward(said) {
			switch {
			case e.Kind == store.CareDecision && e.Name == rule:
				out.History = append(out.History, a.said(e, r))
			case e.Kind == store.CareAnswer && slices.Contains(asks, e.Name) && e.BackAt.IsZero():
				question, _ := a.Rulebook().Question(e.Name)
				out.Answers = append(out.Answers, RuleAnswered{e.RequestID, question.Says, e.Says, e.Day, e.By})
			}
		}
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "look at a reminder", patient, rule)
	}
	return out, err
}

func lines(ws ...reminder.Why) []WhyLine {
	out := []WhyLine{}
	var walk func(w reminder.Why, depth int)
	walk = func(w reminder.Why, depth int) {
		out = append(out, WhyLine{depth, w.Says, w.Holds, append([]string{}, w.Facts...)})
		for _, inner := range w.Of {
			walk(inner, depth+1)
		}
	}
	for _, w := range ws {
		walk(w, 0)
	}
	return out
}

// ReminderDecision is what somebody decides on a reminder. Of is what was had elsewhere, where the rule has several ways;
// Value how it turned out.
type ReminderDecision struct {
	ID     string `json:"id" maxLength:"64" doc:"Names the act: sent twice, it counts once"`
	Says   string `json:"says" enum:"done,had outside,declined,put off,does not apply"`
	On     string `json:"on,omitempty" maxLength:"10" doc:"When it was done: year, month or day"`
	Until  string `json:"until,omitempty" maxLength:"10" doc:"To which day it is put off, declined or good for"`
	Reason string `json:"reason,omitempty" maxLength:"500"`
	Source string `json:"source,omitempty" maxLength:"100" doc:"Who says that it was had elsewhere"`
	Of     string `json:"of,omitempty" maxLength:"64"`
	CVX    string `json:"cvx,omitempty" maxLength:"10"`
	Value  string `json:"value,omitempty" maxLength:"60"`
	Visit  string `json:"visit,omitempty" maxLength:"64" doc:"The visit in whose plan it stands"`
}

// check says what is missing or cannot be.
func (a *Acts) check(r *reminder.Rule, born string, d *ReminderDecision) error {
	d.Reason, d.Source, d.Value = chart.Tidy(d.Reason), chart.Tidy(d.Source), chart.Tidy(d.Value)
	today := a.Today()
	if d.ID == "" {
		return act.Refuse(act.Invalid, "The act has no identifier.")
	}
	switch d.Says {
	case chart.DecidedDecline, chart.DecidedNotFor, chart.DecidedPutOff:
		if d.Reason == "" {
			return act.Refuse(act.Invalid, "Say why.")
		}
		if d.On != "" || d.Of != "" || d.CVX != "" || d.Value != "" {
			return act.Refuse(act.Invalid, "A day on which it was done goes with what was done.")
		}
	case chart.DecidedOutside:
		if d.Source == "" {
			return act.Refuse(act.Invalid, "Say who says so: the patient, or which record.")
		}
		if err := chart.CheckOnset(d.On, born, today); err != nil || d.On == "" {
			if err == nil {
				return act.Refuse(act.Invalid, "Say when it was, as precisely as it is known: a year, a month or a day.")
			}
			return act.Refuse(act.Invalid, "When it was: %s.", err)
		}
	case chart.DecidedDone:
		if r.Closes == "data" {
			return act.Refuse(act.Invalid, "%s is fulfilled by what stands in the chart, not by a statement: order it, enter its result, or say that it was had elsewhere.", r.Title)
		}
		if d.On == "" {
			d.On = today
		}
		if err := chart.CheckOnset(d.On, born, today); err != nil {
			return act.Refuse(act.Invalid, "When it was: %s.", err)
		}
	default:
		return act.Refuse(act.Invalid, "There is no decision %q.", d.Says)
	}
	if d.Says == chart.DecidedPutOff && d.Until == "" {
		return act.Refuse(act.Invalid, "Say to which day.")
	}
	if d.Until != "" {
		until, ok := reminder.DayOf(d.Until)
		now, _ := reminder.DayOf(today)
		switch {
		case !ok:
			return act.Refuse(act.Invalid, "%q is no day; write it as 2027-05-04.", d.Until)
		case until <= now:
			return act.Refuse(act.Invalid, "The day to which it holds lies in the future.")
		case until > now+10*366:
			return act.Refuse(act.Invalid, "That is more than ten years away; say \"does not apply\" if it is for good.")
		}
	}
	return nil
}

// outside is the fact that what was had elsewhere leaves in the chart.
func (a *Acts) outside(r *reminder.Rule, d ReminderDecision) (kind, name, says string, err error) {
	means := a.Rulebook().Means(r.ID)
	if len(means) == 0 {
		return "", "", "", nil
	}
	if d.Of == "" && len(means) == 1 {
		d.Of = means[0].Name
	}
	i := slices.IndexFunc(means, func(m reminder.Mean) bool { return m.Name == d.Of })
	if i < 0 {
		return "", "", "", act.Refuse(act.Invalid, "Say what it was.")
	}
	m := means[i]
	if m.CVX != nil {
		if d.CVX == "" && len(m.CVX) == 1 {
			d.CVX = m.CVX[0]
		}
		products := a.products(m.CVX)
		v := slices.IndexFunc(products, func(p Product) bool { return p.CVX == d.CVX })
		if v < 0 {
			return "", "", "", act.Refuse(act.Invalid, "Say which vaccine it was.")
		}
		return store.CareDose, d.CVX, products[v].Name, nil
	}
	return store.CareService, m.Name, d.Value, nil
}

// Decide records what somebody decides on a reminder.
func (a *Acts) Decide(ctx context.Context, who act.Actor, patient, rule string, d ReminderDecision) (out RemindersView, err error) {
	err = a.Act(ctx, who, act.Remind, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		r, ok := a.Rulebook().Rule(rule)
		if !ok {
			return act.Refuse(act.Missing, "There is no such rule.")
		}
		if err := a.check(r, p.BirthDate, &d); err != nil {
			return err
		}
		note, err := a.visitOf(t, p.ID, d.Visit)
		if err != nil {
			return err
		}
		var kind, name, says string
		if d.Says == chart.DecidedOutside {
			if kind, name, says, err = a.outside(r, d); err != nil {
				return err
			}
		}
		entry := store.CareEntry{ID: act.NewID(), PatientID: p.ID, Kind: store.CareDecision, Name: rule, Says: d.Says, Day: d.On, Until: d.Until, Reason: d.Reason, Source: d.Source,
			Version: r.Version, VisitID: d.Visit, ByID: who.ID, At: t.Now, RequestID: d.ID}
		added, err := a.once(t, entry)
		if err != nil || !added {
			return err
		}
		if kind != "" {
			fact := entry
			fact.ID, fact.Kind, fact.Name, fact.Says, fact.Until = act.NewID(), kind, name, says, ""
			if _, err := t.AddCare(fact); err != nil {
				return err
			}
		}
		a.tell(t, p.ID, note)
		return t.Audit("settle a reminder", p.ID, rule, d.Says)
	})
	if err != nil {
		return out, err
	}
	return out, a.Look(ctx, who, act.Remind, func(q *store.Q) error {
		out, err = a.view(q, patient)
		return err
	})
}

// once stores an entry; false where the same act stored it before. Another act under the same name is refused.
func (a *Acts) once(t *act.Tx, e store.CareEntry) (bool, error) {
	added, err := t.AddCare(e)
	if err != nil || added {
		return added, err
	}
	before, err := t.CareOfRequest(e.RequestID)
	if err != nil {
		return false, err
	}
	for _, x := range before {
		if x.Kind == e.Kind && x.Name == e.Name && x.Says == e.Says && x.PatientID == e.PatientID && x.ByID == e.ByID {
			return false, nil
		}
	}
	return false, act.Refuse(act.Conflict, "Another act has this identifier.")
}

// visitOf checks that a visit is of the person and that its note can still take something in;
// it returns the note.
func (a *Acts) visitOf(t *act.Tx, patient, visit string) (string, error) {
	if visit == "" {
		return "", nil
	}
	v, err := t.VisitByID(visit)
	if err != nil || !act.SamePerson(t.Q, v.PatientID, patient) {
		return "", act.Refuse(act.Missing, "There is no such visit of this patient.")
	}
	if v.NoteID == "" {
		return "", nil
	}
	n, err := t.NoteByID(v.NoteID)
	if err != nil {
		return "", err
	}
	if n.Folio > 0 {
		return "", act.Refuse(act.Conflict, "The note of this visit is signed; settle the reminder from the chart.")
	}
	return v.NoteID, nil
}

func (a *Acts) tell(t *act.Tx, patient, note string) {
	t.Tell(act.PatientEvent, patient, patient)
	if note != "" {
		t.Tell(act.NoteEvent, note, patient)
	}
}

// TakeBack takes back what one act said: a decision with the fact it left, or an answer. Both stay to be
// read.
func (a *Acts) TakeBack(ctx context.Context, who act.Actor, patient, request, reason string) (out RemindersView, err error) {
	reason = chart.Tidy(reason)
	err = a.Act(ctx, who, act.Remind, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		said, err := t.CareOfRequest(request)
		if err != nil {
			return err
		}
		if len(said) == 0 || !act.SamePerson(t.Q, said[0].PatientID, p.ID) {
			return act.Refuse(act.Missing, "Nothing was said under this name.")
		}
		if reason == "" && said[0].ByID != who.ID {
			return act.Refuse(act.Invalid, "Say why what another said is taken back.")
		}
		note, err := a.visitOf(t, p.ID, said[0].VisitID)
		if err != nil {
			note = "" // the note is signed and keeps what it says; the chart reads otherwise from now on
		}
		done, err := t.TakeCareBack(request, who.ID, reason, t.Now)
		if err != nil || !done {
			return err
		}
		a.tell(t, p.ID, note)
		return t.Audit("take back a reminder", p.ID, said[0].Name, said[0].Says)
	})
	if err != nil {
		return out, err
	}
	return out, a.Look(ctx, who, act.Remind, func(q *store.Q) error {
		out, err = a.view(q, patient)
		return err
	})
}

// RuleAnswer is an answer to a question of the rulebook.
type RuleAnswer struct {
	ID       string `json:"id" maxLength:"64" doc:"Names the act: sent twice, it counts once"`
	Question string `json:"question" maxLength:"64"`
	Value    string `json:"value" maxLength:"200"`
	Visit    string `json:"visit,omitempty" maxLength:"64"`
}

// Answer records what was answered. What smokes is kept in the social history, where it belongs.
func (a *Acts) Answer(ctx context.Context, who act.Actor, patient string, x RuleAnswer) (out RemindersView, err error) {
	x.Value = chart.Tidy(x.Value)
	err = a.Act(ctx, who, act.Remind, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		q, ok := a.Rulebook().Question(x.Question)
		switch {
		case !ok:
			return act.Refuse(act.Missing, "There is no such question.")
		case x.ID == "":
			return act.Refuse(act.Invalid, "The act has no identifier.")
		case len(q.Choices) > 0 && !slices.Contains(q.Choices, x.Value):
			return act.Refuse(act.Invalid, "Answer with one of: %s.", strings.Join(q.Choices, ", "))
		case x.Value == "":
			return act.Refuse(act.Invalid, "Write the answer down.")
		}
		note, err := a.visitOf(t, p.ID, x.Visit)
		if err != nil {
			return err
		}
		if x.Question == reminder.AboutTobacco {
			if err := a.tobacco(t, who, p.ID, x); err != nil {
				return err
			}
		} else {
			added, err := a.once(t, store.CareEntry{ID: act.NewID(), PatientID: p.ID, Kind: store.CareAnswer, Name: x.Question, Says: x.Value, Day: a.Today(), VisitID: x.Visit,
				ByID: who.ID, At: t.Now, RequestID: x.ID})
			if err != nil || !added {
				return err
			}
		}
		a.tell(t, p.ID, note)
		return t.Audit("answer a question", p.ID, x.Question, "")
	})
	if err != nil {
		return out, err
	}
	return out, a.Look(ctx, who, act.Remind, func(q *store.Q) error {
		out, err = a.view(q, patient)
		return err
	})
}

// tobacco writes the entry of the social history anew: the former one ends, both can be read.
func (a *Acts) tobacco(t *act.Tx, who act.Actor, patient string, x RuleAnswer) error {
	had, err := t.Histories(patient)
	if err != nil {
		return err
	}
	for _, h := range had {
		if h.ID == x.ID {
			return nil // the same act sent again
		}
	}
	for _, h := range had {
		if h.List == chart.SocialList && strings.EqualFold(h.Title, "Tobacco") {
			if err := t.EndHistory(patient, h.ID, t.Now, who.ID, "asked again"); err != nil {
				return err
			}
		}
	}
	return t.AddHistory(chart.HistoryEntry{ID: x.ID, PatientID: patient, List: chart.SocialList, Title: "Tobacco", Detail: x.Value, StatedAt: t.Now, StatedBy: who.ID})
}

// Since tells what became due in a chart after a moment, and which rules that concern it were switched on or changed
// since then: what somebody is told once who opens the chart again.
func (a *Acts) Since(held chart.Record, at time.Time) (out []string) {
	last, _ := reminder.DayOf(a.DayOf(store.Stamp(at)))
	for _, s := range a.Rulebook().Open(held).All() {
		switch {
		case a.RuleSetAt(s.Rule.ID).After(at) && s.State != reminder.NotFor:
			out = append(out, "New or changed rule: "+s.Rule.Title+" ("+string(s.State)+")")
		case (s.State == reminder.Due || s.State == reminder.Overdue) && s.Since > last:
			out = append(out, "Became due: "+s.Rule.Title)
		}
	}
	return out
}
