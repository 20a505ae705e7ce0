// Package reminder is the room of preventive and continuing care: how each reminder stands in a
// chart and why, what people decide on it, and what they answer where the chart does not say.
package reminder

import (
	"context"
	"slices"
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

	Beforehand *BeforehandView `json:"beforehand,omitempty" doc:"A questionnaire the patient answered that would settle it"`
	NotFor     bool            `json:"notFor" doc:"Somebody said that it does not apply"`
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
	p, err := q.Person(patient)
	if err != nil {
		return out, err
	}
	read, _, err := a.Order.Records(q, []chart.Patient{p}, a.Today()) // as a run over the practice reads it: both say the same
	if err != nil {
		return out, err
	}
	c := a.Rulebook().Open(read[0])
	said, err := q.CareOf(patient)
	if err != nil {
		return out, err
	}
	given, err := a.beforehand(q, patient)
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
			for _, x := range v.Acts {
				if g, here := given[x.Code]; here && x.Kind == "questionnaire" && v.Beforehand == nil {
					v.Beforehand = &g
				}
			}
		}
		out.Rows = append(out.Rows, v)
	}
	place := func(v ReminderView) int { // what only has to be confirmed comes before all else
		if v.Beforehand != nil {
			return -1
		}
		return rank[v.State]
	}
	slices.SortStableFunc(out.Rows, func(x, y ReminderView) int { return place(x) - place(y) })
	return out, nil
}

// StandingsOf is how some rules stand in a chart today.
func (a *Acts) StandingsOf(q *store.Q, patient string, rules []string) (out []ReminderView, err error) {
	c, _, err := a.open(q, patient)
	if err != nil {
		return nil, err
	}
	for _, id := range rules {
		if s := c.Stand(id); s.Rule != nil {
			out = append(out, a.row(c, s))
		}
	}
	return out, nil
}

// counsel begins the names of the forms of counselling.
const counsel = "counsel-"

// rank is the order of the round.
var rank = map[reminder.State]int{reminder.Failed: 0, reminder.Overdue: 1, reminder.Due: 1, reminder.Unknown: 2, reminder.InHand: 3, reminder.Coming: 4, reminder.PutOff: 5,
	reminder.Declined: 6, reminder.Holds: 7, reminder.NotFor: 8}

func (a *Acts) row(c *reminder.Chart, s reminder.Standing) ReminderView {
	r := s.Rule
	v := ReminderView{Rule: r.ID, Version: r.Version, Title: r.Title, About: r.About, Group: r.Group, State: s.State, Since: s.Since.String(), Due: s.Due.String(), Says: c.Says(s),
		Closes: r.Closes, Priority: r.Priority, Source: a.Rulebook().SourceOf(r), Note: r.Note, Acts: []ReminderAct{}, Means: []ReminderMean{}, Asks: []RuleQuestion{}}
	for _, x := range r.Resolve {
		if s.Follow.Name != "" && x.FollowUp == "" || s.Follow.Name == "" && x.FollowUp == "only" {
			continue
		}
		for _, cvx := range x.Vaccine {
			if i := slices.IndexFunc(a.House.Vaccines, func(w chart.Vaccine) bool { return w.CVX == cvx }); i >= 0 {
				v.Acts = append(v.Acts, ReminderAct{Says: a.House.Vaccines[i].Name, Kind: "vaccine", Code: orderable.VaccineID(cvx), Diagnosis: x.Diagnosis, Title: a.titled(x.Diagnosis)})
			}
		}
		if kind, code := x.Act(); kind != "ask" && kind != "vaccine" {
			if _, err := a.form(counsel + code); kind == "counsel" && err == nil {
				kind, code = "questionnaire", counsel+code // a form is configured for it; else it is free text
			}
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

// Since tells what became due in a chart after a moment, and which rules that concern it were switched on or changed
// since then: what somebody is told once who opens the chart again.
func (a *Acts) Since(held chart.Record, at time.Time) (out []string) {
	last, _ := reminder.DayOf(a.DayOf(store.Stamp(at)))
	for _, s := range a.Rulebook().Open(held).All() {
		switch {
		case (a.RuleSetAt(s.Rule.ID).After(at) || s.Rule.Series != "" && a.RuleSetAt(act.ScheduleSetting).After(at)) && s.State != reminder.NotFor:
			out = append(out, "New or changed rule: "+s.Rule.Title+" ("+string(s.State)+")")
		case (s.State == reminder.Due || s.State == reminder.Overdue) && s.Since > last:
			out = append(out, "Became due: "+s.Rule.Title)
		}
	}
	return out
}
