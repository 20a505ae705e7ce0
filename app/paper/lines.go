package paper

import (
	"context"
	"strings"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/core/outside"
	"deftledger/store"
)

// Lines are the kinds of open line of this room: what was sent and has not arrived.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{
		{Kind: line.Message, List: act.UnderWay, Fill: func(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
			messages, err := q.MessagesIn(act.Subjects(rows))
			act.Describe(rows, messages, func(m store.Message) string { return m.ID }, func(row *act.LineRow, m store.Message) {
				saySent(row, "Message to the patient", m.State, m.LastError)
			})
			return err
		}},
		{Kind: line.Fax, List: act.UnderWay, Fill: func(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
			faxes, err := q.FaxesIn(act.Subjects(rows))
			act.Describe(rows, faxes, func(f store.Fax) string { return f.ID }, func(row *act.LineRow, f store.Fax) {
				saySent(row, "Fax to "+f.Number, f.State, f.LastError)
			})
			return err
		}},
	}
}

func saySent(row *act.LineRow, what string, state outside.Sending, problem string) {
	row.Title = what + ", " + act.OrUnknown(problem, "on its way")
	if state == outside.Refused {
		row.Mark, row.Grave = string(outside.Refused), true
	}
}

// OpenedSent is a message or fax open on the page, with whose it is.
type OpenedSent struct {
	Patient act.PatientView `json:"patient"`
	Sent    SentView        `json:"sent"`
}

// SentOne opens a message or fax.
func (a *Acts) SentOne(ctx context.Context, who act.Actor, kind, id string) (out OpenedSent, err error) {
	patient := ""
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		names, err := q.StaffNames()
		if err != nil {
			return err
		}
		if line.Kind(kind) == line.Message {
			m, err := q.MessageByID(id)
			if err != nil {
				return act.NotFound(err, "message")
			}
			patient, out.Sent = m.PatientID, a.sentMessage(m, names)
		} else {
			f, err := q.FaxByID(id)
			if err != nil {
				return act.NotFound(err, "fax")
			}
			d, err := q.DocumentHead(f.DocumentID)
			if err != nil {
				return err
			}
			patient = d.PatientID
			out.Sent = SentView{ID: f.ID, Kind: string(line.Fax), To: f.Number, Says: d.Title, State: f.State, Problem: f.LastError,
				Settled: f.Settled, By: names[f.ByID], At: a.Say(f.At)}
		}
		p, err := q.Person(patient)
		out.Patient = a.Patient(p)
		return err
	})
	out.Sent.Problem = strings.TrimSpace(out.Sent.Problem)
	if err == nil {
		err = a.Saw(ctx, who, "open "+kind, patient, id)
	}
	return out, err
}
