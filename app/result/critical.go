package result

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/result"
	"deftledger/exchange/fhir"
	"deftledger/store"
)

// Urgency is how the clinic deals with critical values.
type Urgency struct {
	Minutes int          `json:"minutes" minimum:"1" maximum:"120" doc:"After so many without being taken up it goes to the next"`
	OnCall  []OnCallView `json:"onCall" maxItems:"20" doc:"Who is called, the first first"`
}

// OnCallView is somebody on call.
type OnCallView struct {
	Name      string `json:"name" minLength:"1" maxLength:"120"`
	Telephone string `json:"telephone" minLength:"3" maxLength:"40"`
}

const urgencySetting = "critical values"

// usualMinutes are the clinic's minutes where it has said nothing else.
const usualMinutes = 15

// announced is what is kept of a critical value.
type announced struct {
	Report string `json:"report"`
	Called string `json:"called,omitempty"` // told by telephone, before there was a report
	Issue  int    `json:"issue"`
	Title  string `json:"title"`
	Says   string `json:"says"`
}

// The kinds of what happens to a critical value.
const (
	stepped   = "announced to"
	paged     = "paged"
	contact   = "contact"
	noContact = "no answer"
)

// CriticalView is a critical value that is announced.
type CriticalView struct {
	ID      string          `json:"id"`
	Report  string          `json:"report" doc:"Empty where it was told by telephone"`
	Called  string          `json:"called" doc:"The telephone call that told it; empty for a report"`
	Patient act.PatientView `json:"patient"`
	Title   string          `json:"title"`
	Says    string          `json:"says" doc:"The values, with unit and flag"`
	// Corrected: what is announced is what was announced; the report may read otherwise by now.
	Corrected bool         `json:"corrected" doc:"The laboratory has sent another issue since"`
	At        string       `json:"at"`
	Owner     string       `json:"owner"`
	Step      string       `json:"step" doc:"To whom it is announced by now"`
	OnCall    []OnCallView `json:"onCall" doc:"Who can be called; only once it has come so far"`
	Paged     string       `json:"paged" doc:"Whom the pager was sent to; empty for nobody"`
}

// criticalIn says the critical values of a report; "" for none.
func criticalIn(r store.Report) string {
	var says []string
	for _, v := range r.Values {
		if result.Stand(v).Critical {
			says = append(says, strings.TrimSpace(v.Name+" "+v.Text+" "+chart.ShownUnit(v.Unit)+" "+flags(v)))
		}
	}
	return strings.Join(says, ", ")
}

func criticalOrigin(r store.Report) string { return fmt.Sprintf("critical %s %d", r.ID, r.Issue) }

// announce puts a critical value on the screens of who answers for it, until somebody takes it up.
func (a *Acts) announce(t *act.Tx, r store.Report) error {
	says := criticalIn(r)
	if says == "" {
		return nil
	}
	body, err := json.Marshal(announced{Report: r.ID, Issue: r.Issue, Title: r.Title, Says: says})
	if err != nil {
		return err
	}
	id := act.NewID()
	added, err := t.AddInquiry(store.Inquiry{ID: id, Kind: store.Announced, Source: "here", Origin: criticalOrigin(r), PatientID: r.PatientID, OwnerID: r.OwnerID, Said: body, At: t.Now})
	if err != nil || !added {
		return err
	}
	t.Tell(act.CriticalEvent, id, r.PatientID)
	return a.step(t.Q, t, store.Inquiry{ID: id, OwnerID: r.OwnerID, PatientID: r.PatientID, At: t.Now}, nil)
}

// unannounce ends what is announced of a report that leaves its chart.
func (a *Acts) unannounce(t *act.Tx, r store.Report) error {
	open, err := t.InquiriesAnnounced()
	if err != nil {
		return err
	}
	for _, i := range open {
		var x announced
		if err := json.Unmarshal(i.Said, &x); err != nil {
			return err
		}
		if x.Report != r.ID {
			continue
		}
		if err := t.AnswerInquiry(i.ID, "left the chart", "it does not belong in this chart", "", t.Who.ID, t.Now); err != nil {
			return err
		}
		t.Tell(act.CriticalEvent, i.ID, r.PatientID)
	}
	return nil
}

// urgency is how the clinic deals with critical values.
func (a *Acts) urgency(q *store.Q) (u Urgency, err error) {
	u = Urgency{Minutes: usualMinutes, OnCall: []OnCallView{}}
	text, err := q.Setting(urgencySetting)
	if err != nil || text == "" {
		return u, err
	}
	return u, json.Unmarshal([]byte(text), &u)
}

// Urgency says how the clinic deals with critical values.
func (a *Acts) Urgency(ctx context.Context, who act.Actor) (u Urgency, err error) {
	err = a.Look(ctx, who, act.SetCover, func(q *store.Q) error {
		u, err = a.urgency(q)
		return err
	})
	return u, err
}

// SetUrgency changes how the clinic deals with critical values.
func (a *Acts) SetUrgency(ctx context.Context, who act.Actor, u Urgency) error {
	return a.Act(ctx, who, act.SetCover, func(t *act.Tx) error {
		for i, x := range u.OnCall {
			u.OnCall[i] = OnCallView{chart.Tidy(x.Name), chart.Tidy(x.Telephone)}
			if u.OnCall[i].Name == "" || u.OnCall[i].Telephone == "" {
				return act.Refuse(act.Invalid, "Who is on call has a name and a telephone.")
			}
		}
		text, err := json.Marshal(u)
		if err != nil {
			return err
		}
		if err := t.SetSetting(urgencySetting, string(text)); err != nil {
			return err
		}
		t.Tell(act.CriticalEvent, "", "")
		return t.Audit("set how critical values are announced", "", "", "")
	})
}

// reached are the steps of a critical value until now.
func (a *Acts) reached(q *store.Q, i store.Inquiry, u Urgency) (steps []result.Step, cover []string, err error) {
	if i.OwnerID != "" {
		if cover, err = q.CoveredBy(i.OwnerID, a.Today()); err != nil {
			return nil, nil, err
		}
	}
	return result.Reached(result.StepsOf(i.OwnerID != "", len(cover) > 0), i.At, a.Clock(), time.Duration(u.Minutes)*time.Minute), cover, nil
}

// step notes to whom a critical value has come by now, what was not noted yet; with nobody at a screen the pager is sent at the last step.
func (a *Acts) step(q *store.Q, t *act.Tx, i store.Inquiry, events []store.InquiryEvent) error {
	u, err := a.urgency(q)
	if err != nil {
		return err
	}
	steps, _, err := a.reached(q, i, u)
	if err != nil {
		return err
	}
	for _, s := range steps {
		if slices.ContainsFunc(events, func(e store.InquiryEvent) bool { return e.Kind == stepped && e.Says == string(s) }) {
			continue
		}
		if err := t.AddInquiryEvent(store.InquiryEvent{InquiryID: i.ID, Kind: stepped, Says: string(s), At: t.Now}); err != nil {
			return err
		}
		t.Tell(act.CriticalEvent, i.ID, i.PatientID)
		if s != result.ToOnCall || a.Hub.Hears(act.SignResult) {
			continue
		}
		says, body := "nobody is on call: nobody could be paged", ""
		if len(u.OnCall) > 0 {
			says = u.OnCall[0].Name + ", " + u.OnCall[0].Telephone
			body = "A critical result waits at " + a.Practice + ", and nobody has taken it up. Please sign in."
		}
		if a.Elsewhere.Pager == "" && body != "" {
			says, body = says+": no pager is connected, nothing was sent", ""
		}
		if body != "" {
			if err := t.Send(store.Outgoing{Control: "page-" + i.ID, Destination: pager, Kind: "page", Subject: i.ID, Address: u.OnCall[0].Telephone, Body: []byte(body)}); err != nil {
				return err
			}
		}
		if err := t.AddInquiryEvent(store.InquiryEvent{InquiryID: i.ID, Kind: paged, Says: says, At: t.Now}); err != nil {
			return err
		}
	}
	return nil
}

// Watch moves critical values on that nobody has taken up in time, once.
func (a *Acts) Watch(ctx context.Context) error {
	var open []store.Inquiry
	late := false
	if err := a.Store.Read(ctx, func(q *store.Q) error {
		var err error
		if open, err = q.InquiriesAnnounced(); err != nil || len(open) == 0 {
			return err
		}
		u, err := a.urgency(q)
		if err != nil {
			return err
		}
		events, err := q.InquiryEventsBy(open)
		for _, i := range open {
			steps, _, err := a.reached(q, i, u)
			if err != nil {
				return err
			}
			noted := 0
			for _, e := range events[i.ID] {
				if e.Kind == stepped {
					noted++
				}
			}
			late = late || noted < len(steps)
		}
		return err
	}); err != nil || !late {
		return err
	}
	return a.Write(ctx, act.Actor{}, func(t *act.Tx) error {
		open, err := t.InquiriesAnnounced()
		if err != nil {
			return err
		}
		events, err := t.InquiryEventsBy(open)
		if err != nil {
			return err
		}
		for _, i := range open {
			if err := a.step(t.Q, t, i, events[i.ID]); err != nil {
				return err
			}
		}
		return nil
	})
}

// watching is how often it is looked whether a critical value was taken up in time.
const watching = 5 * time.Second

// WatchOn watches until ctx ends.
func (a *Acts) WatchOn(ctx context.Context) {
	act.Repeat(ctx, watching, "critical values could not be moved on", a.Watch)
}

// Announced are the critical values that are announced to somebody, oldest first: those they answer for or cover, and after the
// clinic's time everybody's. They are names and values of patients, as the bar on every screen shows them.
func (a *Acts) Announced(ctx context.Context, who act.Actor) (out []CriticalView, err error) {
	out = []CriticalView{}
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		all, err := q.InquiriesAnnounced()
		if err != nil || len(all) == 0 {
			return err
		}
		u, err := a.urgency(q)
		if err != nil {
			return err
		}
		names, err := q.StaffNames()
		if err != nil {
			return err
		}
		events, err := q.InquiryEventsBy(all)
		if err != nil {
			return err
		}
		for _, i := range all {
			steps, cover, err := a.reached(q, i, u)
			if err != nil {
				return err
			}
			mine := i.OwnerID == who.ID || slices.Contains(steps, result.ToCover) && slices.Contains(cover, who.ID) ||
				slices.Contains(steps, result.ToEverybody) && act.May(who.Role, act.SignResult)
			if !mine {
				continue
			}
			var x announced
			if err := json.Unmarshal(i.Said, &x); err != nil {
				return err
			}
			people, err := q.PeopleAs([]string{i.PatientID})
			if err != nil || len(people) == 0 {
				return errors.Join(err, act.Refuse(act.Missing, "Whose a critical value is cannot be found."))
			}
			now := x.Issue
			if x.Report != "" {
				if now, err = q.IssueOf(x.Report); err != nil {
					return err
				}
			}
			v := CriticalView{ID: i.ID, Corrected: now != x.Issue, Report: x.Report, Called: x.Called, Patient: a.Patient(people[0]), Title: x.Title, Says: x.Says, At: a.Say(i.At), Owner: names[i.OwnerID],
				Step: string(steps[len(steps)-1]), OnCall: []OnCallView{}}
			if slices.Contains(steps, result.ToOnCall) {
				v.OnCall = append(v.OnCall, u.OnCall...)
			}
			for _, e := range events[i.ID] {
				if e.Kind == paged {
					v.Paged = e.Says
				}
			}
			out = append(out, v)
		}
		return nil
	})
	return out, err
}

// TakeCritical takes a critical value up: it is announced no more, and who took it up answers for its report.
func (a *Acts) TakeCritical(ctx context.Context, who act.Actor, id string) error {
	return a.Act(ctx, who, act.TakeCritical, func(t *act.Tx) error {
		i, err := t.InquiryByID(id)
		if err != nil || i.Kind != store.Announced {
			return act.Refuse(act.Missing, "There is no such critical value.")
		}
		switch {
		case i.State != store.InquiryOpen && i.DoneBy == who.ID:
			return nil // the same act again
		case i.State != store.InquiryOpen:
			return act.Refuse(act.Conflict, "%s has taken it up.", i.Done)
		}
		var x announced
		if err := json.Unmarshal(i.Said, &x); err != nil {
			return err
		}
		if err := t.AnswerInquiry(id, "taken up", "taken up", "", who.ID, t.Now); err != nil {
			return act.Stale(err, "It")
		}
		detail := ""
		if i.OwnerID != who.ID {
			err := errors.Join(t.GiveLine(line.Report, x.Report, who.ID), t.GiveReport(x.Report, who.ID))
			if x.Called != "" {
				err = t.GiveLine(line.CalledIn, x.Called, who.ID)
			}
			if err != nil {
				return err
			}
			detail = "in place of " + i.OwnerID
		}
		t.Tell(act.CriticalEvent, id, i.PatientID)
		about := cmp.Or(x.Report, x.Called)
		t.Tell(act.LineEvent, about, i.PatientID)
		return t.Audit("take a critical value up", i.PatientID, about, detail)
	})
}

// CriticalContact is that somebody was told of a critical value, or could not be reached.
type CriticalContact struct {
	Reached  bool   `json:"reached,omitempty" doc:"Else it was an attempt"`
	Who      string `json:"who" maxLength:"200" doc:"Who was spoken to, or tried"`
	How      string `json:"how" enum:"telephone,in person,other" `
	ReadBack bool   `json:"readBack,omitempty" doc:"What was said was repeated"`
	Remark   string `json:"remark,omitempty" maxLength:"1000"`
}

// CriticalContactView is a contact as it was kept.
type CriticalContactView struct {
	Says string `json:"says"`
	By   string `json:"by"`
	At   string `json:"at"`
}

// TellCritical keeps who was told of a critical value, when, how and whether it was read back, and each attempt.
func (a *Acts) TellCritical(ctx context.Context, who act.Actor, report string, x CriticalContact) error {
	return a.Act(ctx, who, act.SeeResults, func(t *act.Tx) error {
		r, err := t.ReportByID(report)
		if err != nil {
			return act.NotFound(err, "report")
		}
		if criticalIn(r) == "" {
			return act.Refuse(act.Conflict, "No value of it is critical.")
		}
		i, err := t.InquiryOfOrigin(criticalOrigin(r))
		if store.IsNotFound(err) { // it was filed before critical values were announced
			if err := a.announce(t, r); err != nil {
				return err
			}
			i, err = t.InquiryOfOrigin(criticalOrigin(r))
		}
		if err != nil {
			return err
		}
		if err := a.keepContact(t, i, x); err != nil {
			return err
		}
		t.Tell(act.CriticalEvent, i.ID, r.PatientID)
		t.Tell(act.ReportEvent, r.ID, r.PatientID)
		return t.Audit("say who was told of a critical value", r.PatientID, r.ID, "")
	})
}

// keepContact keeps who was told of what is announced, or an attempt; who is told takes it up.
func (a *Acts) keepContact(t *act.Tx, i store.Inquiry, x CriticalContact) error {
	x.Who, x.Remark = chart.Tidy(x.Who), chart.Tidy(x.Remark)
	if x.Who == "" {
		return act.Refuse(act.Invalid, "Say who was told, or whom you tried to reach.")
	}
	says := x.Who + ", " + x.How
	if x.ReadBack {
		says += ", read back"
	}
	if x.Remark != "" {
		says += ": " + x.Remark
	}
	kind := noContact
	if x.Reached {
		kind = contact
	}
	if err := t.AddInquiryEvent(store.InquiryEvent{InquiryID: i.ID, Kind: kind, Says: says, ByID: t.Who.ID, At: t.Now}); err != nil {
		return err
	}
	if x.Reached && i.State == store.InquiryOpen {
		if err := t.AnswerInquiry(i.ID, "taken up", "the patient was told", "", t.Who.ID, t.Now); err != nil {
			return act.Stale(err, "It")
		}
	}
	t.Tell(act.CriticalEvent, i.ID, i.PatientID)
	return nil
}

// contacted refuses a signature under a critical value of which nobody was told.
func (a *Acts) contacted(q *store.Q, r store.Report) error {
	if strings.HasPrefix(r.Source, "record ") {
		return nil // another house measured it, and it was theirs to tell
	}
	if criticalIn(r) == "" {
		return nil
	}
	told, _, err := a.contacts(q, []store.Report{r}, nil)
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(told[r.ID], func(e store.InquiryEvent) bool { return e.Kind == contact }) {
		return act.Refuse(act.Conflict, "A critical value: first say who was told of it, how, and whether it was read back.")
	}
	return nil
}

// contacts is what happened to the critical values of some reports, by report.
func (a *Acts) contacts(q *store.Q, reports []store.Report, names map[string]string) (of map[string][]store.InquiryEvent, views map[string][]CriticalContactView, err error) {
	of, views = map[string][]store.InquiryEvent{}, map[string][]CriticalContactView{}
	for _, r := range reports {
		if criticalIn(r) == "" {
			continue
		}
		i, err := q.InquiryOfOrigin(criticalOrigin(r))
		if store.IsNotFound(err) {
			continue
		}
		if err != nil {
			return of, views, err
		}
		events, err := q.InquiryEvents([]string{i.ID})
		if err != nil {
			return of, views, err
		}
		of[r.ID] = events
		for _, e := range events {
			views[r.ID] = append(views[r.ID], CriticalContactView{e.Kind + " " + e.Says, names[e.ByID], a.Say(e.At)})
		}
		if i.State != store.InquiryOpen {
			views[r.ID] = append(views[r.ID], CriticalContactView{"taken up", i.Done, a.Say(i.DoneAt)})
		}
	}
	return of, views, nil
}

// pager is the queue of what is sent to the pager.
const pager = "pager"

// Destinations are the parties to whom this room sends: the pager, and laboratories by fax.
func (a *Acts) Destinations() []act.Destination {
	return []act.Destination{a.toLaboratories(), {
		Name: pager,
		Deliver: func(ctx context.Context, o store.Outgoing) ([]byte, string, error) {
			refused, err := fhir.Hand(ctx, "pager", a.Elsewhere.Pager, "/page/", o.Control, "text/plain", o.Body, http.Header{"Page-To": {o.Address}})
			return nil, refused, err
		},
		Waits: func(*act.Tx, store.Outgoing) error { return nil },
		Settled: func(t *act.Tx, o store.Outgoing, _ []byte, refused string) error {
			says := "taken by the pager"
			if refused != "" {
				says = "the pager refused it: " + refused
			}
			t.Tell(act.CriticalEvent, o.Subject, "")
			return t.AddInquiryEvent(store.InquiryEvent{InquiryID: o.Subject, Kind: "page", Says: says, At: t.Now})
		},
	}}
}
