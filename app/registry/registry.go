// Package registry is the room of what is told to the immunization registry: each vaccine given here, and each that was struck
// again, is an open line until the registry has taken it or somebody says how it was told instead.
package registry

import (
	"context"
	"encoding/json"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/exchange/hl7v2"
	"deftledger/exchange/mllp"
	"deftledger/store"
)

// Acts are the acts of this room.
type Acts struct{ *act.Office }

// New makes the room on its ground.
func New(o *act.Office) *Acts { return &Acts{o} }

// queue is the way out to the registry; answerLimit bounds an answer of it.
const (
	queue       = "immunization registry"
	answerLimit = 1 << 20
)

// told is what a line keeps of it, and answered what came back where it was not taken.
type told struct {
	Immunization string `json:"immunization"`
	Name         string `json:"name"`
	Struck       bool   `json:"struck"`
}

type answered struct {
	Says string `json:"says"`
}

// Report tells the registry of a vaccine that was given, or struck. Where none is connected nothing is told.
func (a *Acts) Report(t *act.Tx, i chart.Immunization, struck bool) error {
	if a.Elsewhere.Registry == "" {
		return nil
	}
	what := "given"
	if struck {
		what = "struck"
	}
	body, err := json.Marshal(told{i.ID, i.Name, struck})
	if err != nil {
		return err
	}
	x := store.Inquiry{ID: act.NewID(), Kind: store.ToRegistry, Source: "here", Origin: "registry " + what + " " + i.ID, PatientID: i.PatientID, OwnerID: t.Who.ID, ByID: t.Who.ID, Said: body, At: t.Now}
	added, err := t.AddInquiry(x)
	if err != nil || !added {
		return err
	}
	message, err := a.message(t.Q, x.ID, i, struck)
	if err != nil {
		return err
	}
	if err := t.Send(store.Outgoing{Control: x.ID, Destination: queue, Kind: string(line.Registry), Subject: x.ID, Body: message, ByID: t.Who.ID}); err != nil {
		return err
	}
	if err := t.OpenLine(act.NewID(), line.Registry, x.ID, i.PatientID, t.Who.ID, line.Waiting, t.Now); err != nil {
		return err
	}
	t.Tell(act.LineEvent, x.ID, i.PatientID)
	return t.Audit("tell the immunization registry", i.PatientID, i.ID, what)
}

// message is the VXU^V04 of a vaccine.
func (a *Acts) message(q *store.Q, control string, i chart.Immunization, struck bool) ([]byte, error) {
	p, err := q.Person(i.PatientID)
	if err != nil {
		return nil, err
	}
	r, known, err := q.Registration(p.ID)
	if err != nil {
		return nil, err
	}
	if !known {
		r = chart.RegistrationOf(p)
	}
	v := hl7v2.Vaccination{Control: control, At: a.Clock().In(a.Location), Sender: a.Facility, Receiver: "REGISTRY", Patient: p, Registration: r, Day: a.Today(), ID: i.ID, Name: i.Name, Given: i.Given, GivenAt: i.GivenAt.In(a.Location),
		On: i.On, ByID: i.GivenBy, Source: i.Source, Struck: struck}
	if i.GivenBy != "" {
		names, err := q.StaffNames()
		if err != nil {
			return nil, err
		}
		given, family, _ := strings.Cut(names[i.GivenBy], " ")
		v.GivenBy = chart.Name{Given: given, Family: family}
	}
	return v.Build(), nil
}

// Destinations is the registry as the outbox sends to it.
func (a *Acts) Destinations() []act.Destination {
	return []act.Destination{{
		Name: queue,
		Off:  func() bool { return a.Elsewhere.Registry == "" },
		Deliver: func(ctx context.Context, o store.Outgoing) ([]byte, string, error) {
			answer, err := mllp.Exchange(ctx, a.Elsewhere.Registry, o.Body, answerLimit)
			if err != nil {
				return nil, "", err
			}
			ack, err := hl7v2.ParseAck(answer)
			if err != nil {
				return nil, "", err
			}
			taken, err := ack.Accepted(o.Control)
			if err != nil || taken {
				return answer, "", err
			}
			return answer, act.OrUnknown(ack.Text, "no reason is given"), nil
		},
		Settled: func(t *act.Tx, o store.Outgoing, _ []byte, refused string) error {
			i, err := t.InquiryByID(o.Subject)
			if err != nil {
				return err
			}
			t.Tell(act.LineEvent, i.ID, i.PatientID)
			if refused == "" {
				if err := t.AnswerInquiry(i.ID, "taken", "taken by the registry", "", t.Who.ID, t.Now); err != nil {
					return err
				}
				return t.CloseLine(line.Registry, i.ID, t.Who.ID, "taken by the registry", t.Now)
			}
			body, err := json.Marshal(answered{refused})
			if err != nil {
				return err
			}
			if _, err := t.AddInquiry(store.Inquiry{ID: refusal(i.ID), Kind: store.ToRegistry, Source: "registry", Origin: "registry answer " + i.ID, PatientID: i.PatientID, OwnerID: i.OwnerID, ByID: i.ByID, Said: body, At: t.Now}); err != nil {
				return err
			}
			return t.SetLineState(line.Registry, i.ID, line.Open)
		},
	}}
}

func refusal(id string) string { return "answer-" + id }

// RegistryView is something told to the registry, open on the page.
type RegistryView struct {
	ID      string          `json:"id"`
	Patient act.PatientView `json:"patient"`
	Name    string          `json:"name"`
	Struck  bool            `json:"struck"`
	By      string          `json:"by"`
	At      string          `json:"at"`
	Refused string          `json:"refused" doc:"Why the registry did not take it; empty while it is on its way, or taken"`
	State   string          `json:"state"`
	Answer  string          `json:"answer"`
}

// Open shows what was told to the registry.
func (a *Acts) Open(ctx context.Context, who act.Actor, id string) (out RegistryView, err error) {
	patient := ""
	err = a.Look(ctx, who, act.DoIntake, func(q *store.Q) error {
		i, x, err := find(q, id)
		if err != nil {
			return err
		}
		p, err := q.Person(i.PatientID)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		patient = p.ID
		out = RegistryView{ID: i.ID, Patient: a.Patient(p), Name: x.Name, Struck: x.Struck, By: i.By, At: a.Say(i.At), State: i.State, Answer: i.Answer}
		out.Refused, err = refusedOf(q, []string{id})(id)
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open what was told to the registry", patient, id)
	}
	return out, err
}

// refusedOf reads why some were not taken.
func refusedOf(q *store.Q, ids []string) func(string) (string, error) {
	answers := make([]string, len(ids))
	for n, id := range ids {
		answers[n] = refusal(id)
	}
	all, err := q.InquiriesIn(answers)
	says := map[string]string{}
	for _, i := range all {
		var x answered
		if err == nil {
			err = json.Unmarshal(i.Said, &x)
		}
		says[i.ID] = x.Says
	}
	return func(id string) (string, error) { return says[refusal(id)], err }
}

func find(q *store.Q, id string) (i store.Inquiry, x told, err error) {
	if i, err = q.InquiryByID(id); err != nil || i.Kind != store.ToRegistry {
		return i, x, act.Refuse(act.Missing, "There is no such message to the registry.")
	}
	return i, x, json.Unmarshal(i.Said, &x)
}

// Settle closes the line of what the registry did not take: how it was told instead.
func (a *Acts) Settle(ctx context.Context, who act.Actor, id, how string) error {
	how = chart.Tidy(how)
	return a.Act(ctx, who, act.DoIntake, func(t *act.Tx) error {
		i, _, err := find(t.Q, id)
		switch {
		case err != nil:
			return err
		case how == "" || len(how) > 300:
			return act.Refuse(act.Invalid, "Say how it was told instead, such as “entered at the registry's own site”.")
		case i.State != store.InquiryOpen:
			return act.Refuse(act.Conflict, "It is closed: %s.", i.Answer)
		}
		if err := t.AnswerInquiry(id, "settled", how, "", who.ID, t.Now); err != nil {
			return act.Stale(err, "It")
		}
		if err := t.CloseLine(line.Registry, id, who.ID, how, t.Now); err != nil {
			return err
		}
		t.Tell(act.LineEvent, id, i.PatientID)
		return t.Audit("settle what the registry did not take", i.PatientID, id, "")
	})
}

// Lines are the kinds of line this room brings.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{{Kind: line.Registry, List: act.UnderWay, Fill: func(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
		ids := act.Subjects(rows)
		all, err := q.InquiriesIn(ids)
		if err != nil {
			return err
		}
		refused := refusedOf(q, ids)
		act.Describe(rows, all, func(i store.Inquiry) string { return i.ID }, func(row *act.LineRow, i store.Inquiry) {
			var x told
			_ = json.Unmarshal(i.Said, &x) // written by us
			row.Title = "To the registry: " + x.Name
			if x.Struck {
				row.Title += ", struck"
			}
			if why, _ := refused(i.ID); why != "" {
				row.Title += ": " + why
				row.Mark, row.Grave = "refused", true
			}
		})
		_, err = refused("")
		return err
	}}}
}

// File is every vaccine of a patient as VXU^V04, one message after another, for a registry that takes files.
func (a *Acts) File(ctx context.Context, who act.Actor, patient string) (out []byte, err error) {
	err = a.Look(ctx, who, act.DoIntake, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		all, err := q.Immunizations(p.ID)
		if err != nil {
			return err
		}
		for _, i := range all {
			m, err := a.message(q, act.NewID(), i, false)
			if err != nil {
				return err
			}
			out = append(out, m...)
		}
		if len(all) == 0 {
			return act.Refuse(act.Missing, "No vaccine was given here.")
		}
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "give vaccines out", patient, "")
	}
	return out, err
}
