// Package recall is the room of reminders by mail: whom a run over the practice found due is written to, by letter or
// through the portal, and each stays an open line until somebody says what came of it.
package recall

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/app/paper"
	"deftledger/app/registration"
	"deftledger/app/reminder"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/recall"
	core "deftledger/core/reminder"
	"deftledger/exchange/pdf"
	"deftledger/store"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Registration *registration.Acts
	Reminder     *reminder.Acts
	Paper        *paper.Acts
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, g *registration.Acts, r *reminder.Acts, p *paper.Acts) *Acts {
	return &Acts{o, g, r, p}
}

// ToRecall says whom of a run to write to.
type ToRecall struct {
	ID   string `json:"id" pattern:"^[A-Za-z0-9-]{8,64}$" doc:"Of the browser's making: the same request again writes nothing twice"`
	Run  string `json:"run" maxLength:"64"`
	Send bool   `json:"send,omitempty" doc:"Else it is only shown what would be written"`
}

// Recalls is what is written to whom, and to whom not.
type Recalls struct {
	ID     string       `json:"id"`
	Sent   bool         `json:"sent"`
	Letter int          `json:"letter"`
	Portal int          `json:"portal"`
	Not    int          `json:"not"`
	More   int          `json:"more" doc:"How many the run found beyond those it lists; choose fewer to reach them"`
	Rows   []RecallMail `json:"rows"`
}

// RecallMail is one person's mail.
type RecallMail struct {
	Patient act.PatientView `json:"patient"`
	Way     string          `json:"way" enum:"letter,portal,not written to"`
	Why     string          `json:"why" doc:"Why nothing is written"`
	Text    string          `json:"text"`
	Kept    int             `json:"kept" doc:"How many are due and not named, because they are confidential"`
}

// said is what a line keeps of it.
type said struct {
	Way   recall.Way `json:"way"`
	To    []string   `json:"to"`
	Text  string     `json:"text"`
	Rules []string   `json:"rules"`
	Run   string     `json:"run"` // the request
}

// mail is what one person would get.
type mail struct {
	patient chart.Patient
	recall.Mail
	rules []string
}

// Recall writes to the people of a run, or shows what would be written.
func (a *Acts) Recall(ctx context.Context, who act.Actor, w ToRecall) (out Recalls, err error) {
	for _, right := range []act.Right{act.RecallPatients, act.SeePractice} {
		if err := act.Allow(who, right); err != nil {
			return out, err
		}
	}
	run, err := a.Reminder.RunOf(who, w.Run)
	if err != nil {
		return out, err
	}
	if !run.Ended || run.Failed != "" {
		return out, act.Refuse(act.Conflict, "The run has not ended.")
	}
	out = Recalls{ID: w.ID, Sent: w.Send, More: run.More, Rows: []RecallMail{}}
	var mails []mail
	if err := a.Look(ctx, who, act.RecallPatients, func(q *store.Q) (err error) {
		mails, err = a.mails(q, run, w.ID)
		return err
	}); err != nil {
		return out, err
	}
	for _, m := range mails {
		if w.Send && m.Way != recall.None {
			if err := a.send(ctx, who, w.ID, m); err != nil {
				return out, err
			}
		}
		switch m.Way {
		case recall.Letter:
			out.Letter++
		case recall.Portal:
			out.Portal++
		default:
			out.Not++
		}
		out.Rows = append(out.Rows, RecallMail{a.Patient(m.patient), string(m.Way), m.Why, m.Text, m.Kept})
	}
	return out, a.Saw(ctx, who, "write reminders by mail", "", w.ID)
}

// mails are what the people of a run would get. What this request wrote before is no reason not to write.
func (a *Acts) mails(q *store.Q, run reminder.Run, request string) ([]mail, error) {
	var ids []string
	for _, r := range run.Rows {
		ids = append(ids, r.Patient.ID)
	}
	people, err := q.PeopleIn(ids)
	if err != nil {
		return nil, err
	}
	registered, err := q.RegistrationsIn(ids)
	if err != nil {
		return nil, err
	}
	open, err := q.InquiriesOpenOf(store.ByMail, ids)
	if err != nil {
		return nil, err
	}
	written := map[string]string{}
	for _, i := range open {
		if !strings.HasPrefix(i.Origin, origin(request, "")) {
			written[i.Person] = a.DayOf(store.Stamp(i.At))
		}
	}
	var out []mail
	book := a.Rulebook()
	for _, r := range run.Rows {
		at := slices.IndexFunc(people, func(p chart.Patient) bool { return p.ID == r.Patient.ID })
		if at < 0 {
			continue // merged into another since
		}
		m := mail{patient: people[at]}
		var due []recall.Item
		for _, d := range r.Due {
			rule, known := book.Rule(d.Rule)
			if !known || !rule.Calls() || d.State != core.Due && d.State != core.Overdue {
				continue // what is not known is asked about, not written of
			}
			due = append(due, recall.Item{Title: rule.Title, Leaflet: rule.Leaflet, Confidential: rule.Confidential})
			m.rules = append(m.rules, d.Rule)
		}
		p := recall.Person{Registration: chart.RegistrationOf(m.patient), Written: written[m.patient.ID]}
		if r, known := registered[m.patient.ID]; known {
			p.Registration = r
		}
		p.Portal = p.Portal && a.Elsewhere.Portal != ""
		m.Mail = recall.Write(p, due, a.MailRule, recall.House{Practice: a.Practice, Telephone: a.Telephone}, a.Today())
		out = append(out, m)
	}
	return out, nil
}

func origin(request, patient string) string { return "reminder by mail " + request + " " + patient }

// send writes to one person: the line and the message, once for a request.
func (a *Acts) send(ctx context.Context, who act.Actor, request string, m mail) error {
	return a.Act(ctx, who, act.RecallPatients, func(t *act.Tx) error {
		body, err := json.Marshal(said{m.Way, m.To, m.Text, m.rules, request})
		if err != nil {
			return err
		}
		i := store.Inquiry{ID: act.NewID(), Kind: store.ByMail, Source: "here", Origin: origin(request, m.patient.ID), PatientID: m.patient.ID, OwnerID: who.ID, ByID: who.ID,
			Said: body, At: t.Now}
		added, err := t.AddInquiry(i)
		if err != nil || !added {
			return err
		}
		if m.Way == recall.Portal {
			ok, err := a.Paper.Reply(t, m.patient, i.ID, m.Text)
			if err != nil {
				return err
			}
			if !ok {
				return act.Refuse(act.Conflict, "No portal is connected, or one of them no longer uses it: look again.")
			}
		}
		if err := t.OpenLine(act.NewID(), line.Recall, i.ID, m.patient.ID, who.ID, line.Waiting, t.Now); err != nil {
			return err
		}
		t.Tell(act.LineEvent, i.ID, m.patient.ID)
		return t.Audit("remind by mail", m.patient.ID, i.ID, string(m.Way))
	})
}

// Letters are the letters of a request as one PDF, a page or more each, for window envelopes.
func (a *Acts) Letters(ctx context.Context, who act.Actor, request string) ([]byte, error) {
	var letters []pdf.MailLetter
	err := a.Look(ctx, who, act.RecallPatients, func(q *store.Q) error {
		all, err := q.InquiriesFrom(origin(request, ""))
		for _, i := range all {
			var x said
			if err := json.Unmarshal(i.Said, &x); err != nil {
				return err
			}
			if x.Way == recall.Letter {
				letters = append(letters, pdf.MailLetter{From: a.Practice, To: x.To, Day: chart.SayDay(a.DayOf(store.Stamp(i.At))), Text: x.Text})
			}
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	if len(letters) == 0 {
		return nil, act.Refuse(act.Missing, "No letters were written then.")
	}
	out, err := pdf.Mail(letters)
	return out, errors.Join(err, a.Saw(ctx, who, "print reminders by mail", "", request))
}

// RecallView is a reminder by mail open on the page.
type RecallView struct {
	ID       string          `json:"id"`
	Patient  act.PatientView `json:"patient"`
	Way      string          `json:"way"`
	Text     string          `json:"text"`
	By       string          `json:"by"`
	At       string          `json:"at"`
	Request  string          `json:"request" doc:"Names the letters written together"`
	Stands   []RecallStands  `json:"stands" doc:"How what was reminded of stands today"`
	State    string          `json:"state"`
	Answer   string          `json:"answer"`
	AnswerBy string          `json:"answerBy"`
	Outcomes []string        `json:"outcomes"`
}

// RecallStands is how one reminder stands today.
type RecallStands struct {
	Title string     `json:"title"`
	State core.State `json:"state"`
	Says  string     `json:"says"`
}

// Open shows a reminder by mail.
func (a *Acts) Open(ctx context.Context, who act.Actor, id string) (out RecallView, err error) {
	patient := ""
	err = a.Look(ctx, who, act.RecallPatients, func(q *store.Q) error {
		i, x, err := a.find(q, id)
		if err != nil {
			return err
		}
		p, err := q.Person(i.PatientID)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		patient = p.ID
		out = RecallView{ID: i.ID, Patient: a.Patient(p), Way: string(x.Way), Text: x.Text, By: i.By, At: a.Say(i.At), Request: x.Run, Stands: []RecallStands{}, State: i.State,
			Answer: i.Answer, AnswerBy: i.Done, Outcomes: recall.Outcomes}
		standings, err := a.Reminder.StandingsOf(q, p.ID, x.Rules)
		for _, s := range standings {
			out.Stands = append(out.Stands, RecallStands{s.Title, s.State, s.Says})
		}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open a reminder by mail", patient, id)
	}
	return out, err
}

func (a *Acts) find(q *store.Q, id string) (i store.Inquiry, x said, err error) {
	if i, err = q.InquiryByID(id); err != nil || i.Kind != store.ByMail {
		return i, x, act.Refuse(act.Missing, "There is no such reminder.")
	}
	return i, x, json.Unmarshal(i.Said, &x)
}

// Came is what came of a reminder by mail.
type Came struct {
	Outcome string `json:"outcome" maxLength:"40"`
	Remark  string `json:"remark,omitempty" maxLength:"500"`
}

// Close says what came of it, which closes the line. Who wants no more of them is not written to again: the wish
// is kept in the registration.
func (a *Acts) Close(ctx context.Context, who act.Actor, id string, c Came) error {
	c.Remark = chart.Tidy(c.Remark)
	return a.Act(ctx, who, act.RecallPatients, func(t *act.Tx) error {
		i, _, err := a.find(t.Q, id)
		switch {
		case err != nil:
			return err
		case !slices.Contains(recall.Outcomes, c.Outcome):
			return act.Refuse(act.Invalid, "Say what came of it: %s.", strings.Join(recall.Outcomes, ", "))
		case c.Outcome == "dropped" && c.Remark == "":
			return act.Refuse(act.Invalid, "Say why it is dropped.")
		case i.State != store.InquiryOpen:
			return act.Refuse(act.Conflict, "It was closed by %s: %s.", i.Done, i.Answer)
		}
		says := strings.TrimSuffix(c.Outcome+": "+c.Remark, ": ")
		if err := t.AnswerInquiry(id, c.Outcome, says, "", who.ID, t.Now); err != nil {
			return err
		}
		if err := t.CloseLine(line.Recall, id, who.ID, says, t.Now); err != nil {
			return err
		}
		if c.Outcome == recall.NoMore {
			p, err := t.Person(i.PatientID)
			if err != nil {
				return err
			}
			if _, err := a.Registration.NoMoreReminders(t, p); err != nil {
				return err
			}
		}
		t.Tell(act.LineEvent, id, i.PatientID)
		return t.Audit("say what came of a reminder by mail", i.PatientID, id, c.Outcome)
	})
}

// patience is after how many days without an answer a line says so.
const patience = 30

// Lines are the kinds of line this room brings.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{{Kind: line.Recall, List: act.UnderWay, Fill: func(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
		all, err := q.InquiriesIn(act.Subjects(rows))
		act.Describe(rows, all, func(i store.Inquiry) string { return i.ID }, func(row *act.LineRow, i store.Inquiry) {
			var x said
			_ = json.Unmarshal(i.Said, &x) // written by us
			row.Title = "Reminded by " + string(x.Way)
			if row.Days >= patience {
				row.Mark = "no answer"
			}
		})
		return err
	}}}
}
