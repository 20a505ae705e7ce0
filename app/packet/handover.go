package packet

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/store"
)

// handing is what is kept of a hand-over.
type handing struct {
	Report      string `json:"report"`
	Title       string `json:"title"`
	Instruction string `json:"instruction"`
	Until       string `json:"until"`
	Team        string `json:"team,omitempty"` // its identifier, where it was given to one
	TeamName    string `json:"teamName,omitempty"`
}

// HandedView is a hand-over as both sides see it.
type HandedView struct {
	ID          string          `json:"id"`
	Patient     act.PatientView `json:"patient"`
	Report      string          `json:"report"`
	Title       string          `json:"title"`
	From        string          `json:"from"`
	Mine        bool            `json:"mine" doc:"The person gave it"`
	To          string          `json:"to" doc:"Whom, or the team"`
	Instruction string          `json:"instruction"`
	At          string          `json:"at"`
	Until       string          `json:"until"`
	Passed      bool            `json:"passed" doc:"The day has passed, and it is open with both"`
	State       string          `json:"state" enum:"open,done,handed back,taken back"`
	Answer      string          `json:"answer"`
	AnswerBy    string          `json:"answerBy"`
	AnswerAt    string          `json:"answerAt"`
}

const (
	passed = "day passed"
	left   = "left the chart"
)

// handOver gives a report to somebody, or to the team, with what is to be done: a line of theirs, while the report waits here. done is
// false where it was given so before, by the same act.
func (a *Acts) handOver(t *act.Tx, request string, r store.Report, x SettledReport) (done bool, err error) {
	x.Instruction = chart.Tidy(x.Instruction)
	day, err := time.Parse(time.DateOnly, x.Until)
	switch {
	case x.Instruction == "":
		return false, act.Refuse(act.Invalid, "Say what is to be done.")
	case err != nil:
		return false, act.Refuse(act.Invalid, "Say on which day it comes back.")
	case x.Until < a.Today() || day.After(t.Now.AddDate(1, 0, 0)):
		return false, act.Refuse(act.Invalid, "The day on which it comes back lies within a year from today.")
	case x.To == t.Who.ID:
		return false, act.Refuse(act.Invalid, "It is yours already.")
	case r.GoneAt != "":
		return false, act.Refuse(act.Conflict, "It has left this chart.")
	}
	given := handing{Report: r.ID, Title: r.Title, Instruction: x.Instruction, Until: x.Until}
	if x.Team != "" {
		teams, err := t.Teams()
		if err != nil {
			return false, err
		}
		i := slices.IndexFunc(teams, func(c store.CareTeam) bool { return c.ID == x.Team })
		switch {
		case x.To != "":
			return false, act.Refuse(act.Invalid, "To a person or to a team, not to both.")
		case i < 0:
			return false, act.Refuse(act.Conflict, "There is no such team any more.")
		case len(teams[i].Members) == 0:
			return false, act.Refuse(act.Conflict, "Nobody is in %s.", teams[i].Name)
		}
		given.Team, given.TeamName = x.Team, teams[i].Name
	}
	if x.To != "" {
		s, err := t.StaffByID(x.To)
		if err != nil {
			return false, act.NotFound(err, "person")
		}
		if !s.Active || !act.May(s.Role, act.SeeResults) {
			return false, act.Refuse(act.Invalid, "%s %s cannot see results.", s.Given, s.Family)
		}
	}
	body, err := json.Marshal(given)
	if err != nil {
		return false, err
	}
	id := act.NewID()
	added, err := t.AddInquiry(store.Inquiry{ID: id, Kind: store.HandedOver, Source: "here", Origin: "hand-over " + request + " " + r.ID, PatientID: r.PatientID, OwnerID: x.To, ByID: t.Who.ID, Said: body, At: t.Now})
	if err != nil || !added {
		return false, err
	}
	if x.Issue != r.Issue || x.Version != r.Version {
		return false, act.Stale(store.ErrStale, "The report")
	}
	open, err := a.openOf(t.Q, r)
	if err != nil {
		return false, err
	}
	for _, o := range open {
		if o.ID != id {
			return false, act.Refuse(act.Conflict, "It is handed over already: take it back first.")
		}
	}
	if r.SignedIssue == r.Issue {
		return false, act.Refuse(act.Conflict, "It is signed already.")
	}
	lineID := act.NewID()
	if err := t.OpenLine(lineID, line.HandOver, id, r.PatientID, x.To, line.Open, t.Now); err != nil {
		return false, err
	}
	if x.Team != "" {
		if err := t.GiveLineTo(x.Team, lineID); err != nil {
			return false, err
		}
	}
	if err := t.RankLine(line.Report, r.ID, line.Waiting, line.WithOthers); err != nil {
		return false, err
	}
	t.Tell(act.LineEvent, id, r.PatientID)
	t.Tell(act.ReportEvent, r.ID, r.PatientID)
	return true, t.Audit("hand a report over", r.PatientID, r.ID, x.To+x.Team)
}

// openOf are the hand-overs of a report that nobody has answered.
func (a *Acts) openOf(q *store.Q, r store.Report) (out []store.Inquiry, err error) {
	all, err := q.InquiriesAbout(store.HandedOver, r.PatientID)
	for _, i := range all {
		var x handing
		if err := json.Unmarshal(i.Said, &x); err != nil {
			return nil, err
		}
		if x.Report == r.ID && i.State == store.InquiryOpen {
			out = append(out, i)
		}
	}
	return out, err
}

// Left ends what hangs on a report that leaves its chart: hand-overs; and what its patient was still to be told of it stands open with
// who signed it, because a letter may be on its way.
func (a *Acts) Left(t *act.Tx, r store.Report) error {
	if err := a.takeBack(t, r, "the report left the chart"); err != nil {
		return err
	}
	all, err := t.InquiriesAbout(store.ToTell, r.PatientID)
	if err != nil {
		return err
	}
	for _, i := range all {
		var x telling
		if err := json.Unmarshal(i.Said, &x); err != nil {
			return err
		}
		if i.State != store.InquiryOpen || !slices.ContainsFunc(x.Reports, func(y told1) bool { return y.ID == r.ID }) {
			continue
		}
		if err := t.AddInquiryEvent(store.InquiryEvent{InquiryID: i.ID, Kind: left, Says: r.Title, ByID: t.Who.ID, At: t.Now}); err != nil {
			return err
		}
		if err := t.RankLine(line.Telling, i.ID, line.Open, line.ToAct); err != nil {
			return err
		}
		t.Tell(act.LineEvent, i.ID, r.PatientID)
	}
	return nil
}

// takeBack ends what was handed over of a report, and says why.
func (a *Acts) takeBack(t *act.Tx, r store.Report, why string) error {
	open, err := a.openOf(t.Q, r)
	if err != nil {
		return err
	}
	for _, i := range open {
		if err := t.AnswerInquiry(i.ID, "taken back", why, "", t.Who.ID, t.Now); err != nil {
			return err
		}
		if err := t.CloseLine(line.HandOver, i.ID, t.Who.ID, why, t.Now); err != nil {
			return err
		}
		t.Tell(act.LineEvent, i.ID, r.PatientID)
	}
	return nil
}

// handed are the hand-overs of a patient's reports by report, newest first, and to whom each person last handed one.
func (a *Acts) handed(q *store.Q, who act.Actor, patient string) (of map[string][]HandedView, last map[string]string, err error) {
	of, last = map[string][]HandedView{}, map[string]string{}
	all, err := q.InquiriesAbout(store.HandedOver, patient)
	if err != nil {
		return of, last, err
	}
	for _, i := range all {
		if last[i.ByID] == "" {
			var x handing
			_ = json.Unmarshal(i.Said, &x) // written by us
			last[i.ByID] = cmp.Or(i.OwnerID, x.Team)
		}
	}
	views, err := a.handedViews(q, who, all)
	for _, v := range views {
		of[v.Report] = append(of[v.Report], v)
	}
	return of, last, err
}

func (a *Acts) handedViews(q *store.Q, who act.Actor, all []store.Inquiry) ([]HandedView, error) {
	names, err := q.StaffNames()
	if err != nil {
		return nil, err
	}
	out := make([]HandedView, len(all))
	for k, i := range all {
		var x handing
		if err := json.Unmarshal(i.Said, &x); err != nil {
			return nil, err
		}
		p, err := q.Person(i.PatientID)
		if err != nil {
			return nil, err
		}
		to := names[i.OwnerID]
		if i.OwnerID == "" {
			to = cmp.Or(x.TeamName, "everybody")
		}
		out[k] = HandedView{ID: i.ID, Patient: a.Patient(p), Report: x.Report, Title: x.Title, From: i.By, Mine: i.ByID == who.ID, To: to, Instruction: x.Instruction, At: a.Say(i.At),
			Until: x.Until, Passed: i.State == store.InquiryOpen && x.Until < a.Today(), State: i.State, Answer: i.Answer, AnswerBy: i.Done}
		if !i.DoneAt.IsZero() {
			out[k].AnswerAt = a.Say(i.DoneAt)
		}
	}
	return out, nil
}

// HandOver opens what was handed over.
func (a *Acts) HandOver(ctx context.Context, who act.Actor, id string) (out HandedView, err error) {
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		i, err := a.find(q, id, store.HandedOver)
		if err != nil {
			return err
		}
		views, err := a.handedViews(q, who, []store.Inquiry{i})
		if err == nil {
			out = views[0]
		}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open a hand-over", out.Patient.ID, id)
	}
	return out, err
}

func (a *Acts) find(q *store.Q, id, kind string) (store.Inquiry, error) {
	i, err := q.InquiryByID(id)
	if err != nil || i.Kind != kind {
		return i, act.Refuse(act.Missing, "There is no such line.")
	}
	return i, nil
}

// AnswerHandOver says what was done, or why it is handed back; the report waits again for who handed it over.
func (a *Acts) AnswerHandOver(ctx context.Context, who act.Actor, id, says string, back bool) error {
	says = chart.Tidy(says)
	return a.Act(ctx, who, act.SeeResults, func(t *act.Tx) error {
		i, err := a.find(t.Q, id, store.HandedOver)
		if err != nil {
			return err
		}
		beside, err := t.Beside(who.ID, a.Today())
		if err != nil {
			return err
		}
		var x handing
		if err := json.Unmarshal(i.Said, &x); err != nil {
			return err
		}
		if x.Team != "" && i.ByID != who.ID {
			theirs, err := a.inTeam(t.Q, x.Team, append([]string{who.ID}, beside.Covers...))
			if err != nil {
				return err
			}
			if !theirs {
				return act.Refuse(act.Forbidden, "It was given to %s.", x.TeamName)
			}
		}
		state := "done"
		switch own := i.ByID == who.ID; {
		case !own && i.OwnerID != "" && i.OwnerID != who.ID && !slices.Contains(beside.Covers, i.OwnerID):
			return act.Refuse(act.Forbidden, "It was given to somebody else.")
		case own && !back:
			return act.Refuse(act.Invalid, "It is yours: take it back.")
		case own:
			state = "taken back"
		case back:
			state = "handed back"
		}
		switch {
		case i.State == state && i.Answer == says && i.DoneBy == who.ID:
			return nil // the same act again
		case i.State != store.InquiryOpen:
			return act.Refuse(act.Conflict, "It was closed by %s: %s.", i.Done, i.Answer)
		case says == "" || len(says) > 2000:
			return act.Refuse(act.Invalid, "Say what was done, or why it goes back.")
		}
		if err := t.AnswerInquiry(id, state, says, "", who.ID, t.Now); err != nil {
			return act.Stale(err, "It")
		}
		if err := t.CloseLine(line.HandOver, id, who.ID, state, t.Now); err != nil {
			return err
		}
		t.Tell(act.LineEvent, id, i.PatientID)
		if err := a.Result.Rerank(t, x.Report); err != nil {
			return err
		}
		return t.Audit("answer a hand-over", i.PatientID, id, state)
	})
}

// inTeam says whether one of some people is in a team. What was given to a team that has ended, or in which nobody is, is everybody's.
func (a *Acts) inTeam(q *store.Q, team string, people []string) (bool, error) {
	teams, err := q.Teams()
	for _, c := range teams {
		if c.ID == team && len(c.Members) > 0 {
			return slices.ContainsFunc(people, func(id string) bool { return slices.Contains(c.Members, id) }), err
		}
	}
	return true, err
}

// Lines are the kinds of open line of this room.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{
		{Kind: line.HandOver, List: act.ResultList, Right: act.SeeResults, Fill: func(q *store.Q, who act.Actor, rows []*act.LineRow) error {
			all, err := q.InquiriesIn(act.Subjects(rows))
			act.Describe(rows, all, func(i store.Inquiry) string { return i.ID }, func(row *act.LineRow, i store.Inquiry) {
				var x handing
				_ = json.Unmarshal(i.Said, &x) // written by us
				row.Title = x.Title + ": " + x.Instruction
				row.Mark = "from " + i.By
				if x.Team != "" {
					row.Owner = x.TeamName
				}
				if x.Until < a.Today() {
					row.Mark, row.Grave = "day passed, from "+i.By, true
				}
			})
			return err
		}},
		{Kind: line.Telling, List: act.UnderWay, Fill: a.fillTellings},
	}
}

// RaiseLate brings back what was handed over until a day that has passed, and what a patient was to be told and was not.
func (a *Acts) RaiseLate(ctx context.Context) (n int, err error) {
	var late []store.Inquiry
	today := a.Today()
	if err := a.Store.Read(ctx, func(q *store.Q) error {
		handed, err := q.InquiriesOpen(store.HandedOver, most)
		if err != nil {
			return err
		}
		told, err := q.InquiriesOpen(store.ToTell, most)
		if err != nil {
			return err
		}
		ids := []string{}
		for _, i := range append(handed, told...) {
			ids = append(ids, i.ID)
		}
		events, err := q.InquiryEvents(ids)
		if err != nil {
			return err
		}
		raised := map[string]bool{}
		for _, e := range events {
			raised[e.InquiryID] = raised[e.InquiryID] || e.Kind == passed
		}
		for _, i := range append(handed, told...) {
			if !raised[i.ID] && a.due(i) < today {
				late = append(late, i)
			}
		}
		return nil
	}); err != nil || len(late) == 0 {
		return 0, err
	}
	return len(late), a.Write(ctx, act.Actor{}, func(t *act.Tx) error {
		for _, i := range late {
			now, err := t.InquiryByID(i.ID)
			if err != nil {
				return err
			}
			if now.State != store.InquiryOpen {
				continue // answered meanwhile
			}
			if err := t.AddInquiryEvent(store.InquiryEvent{InquiryID: i.ID, Kind: passed, At: t.Now}); err != nil {
				return err
			}
			if i.Kind == store.HandedOver {
				var x handing
				if err := json.Unmarshal(i.Said, &x); err != nil {
					return err
				}
				if err := a.Result.Rerank(t, x.Report); err != nil {
					return err
				}
			} else if err := t.SetLineState(line.Telling, i.ID, line.Open); err != nil {
				return err
			}
			t.Tell(act.LineEvent, i.ID, i.PatientID)
			if err := t.Audit("the day of a line has passed", i.PatientID, i.ID, ""); err != nil {
				return err
			}
		}
		return nil
	})
}

// Run brings back what is late, and asks the portal what was read, until ctx ends.
func (a *Acts) Run(ctx context.Context, every time.Duration) {
	for ctx.Err() == nil {
		if err := a.Poll(ctx); err != nil && ctx.Err() == nil {
			slog.Warn("the portal could not be asked what was read", "error", err)
		}
		if _, err := a.RaiseLate(ctx); err != nil && ctx.Err() == nil {
			slog.Error("what is late of results could not be brought back", "error", err)
		}
		select {
		case <-ctx.Done():
		case <-time.After(every):
		}
	}
}

// most bounds how many open ones are looked through at once.
const most = 5000

// unread is after how many days what was written to a patient and is out of range comes back.
const unread = 7

// due is the last day on which something is in time.
func (a *Acts) due(i store.Inquiry) string {
	if i.Kind == store.HandedOver {
		var x handing
		_ = json.Unmarshal(i.Said, &x) // written by us
		return x.Until
	}
	var x telling
	_ = json.Unmarshal(i.Said, &x)
	if x.Until != "" {
		return x.Until
	}
	return i.At.In(a.Location).AddDate(0, 0, unread).Format(time.DateOnly)
}

func words(titles []string) string {
	if len(titles) > 2 {
		return fmt.Sprintf("%s and %d more", titles[0], len(titles)-1)
	}
	return strings.Join(titles, " and ")
}
