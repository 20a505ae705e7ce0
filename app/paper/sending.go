package paper

import (
	"context"
	"errors"
	"net/http"
	"regexp"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/letter"
	"deftledger/core/line"
	"deftledger/core/outside"
	"deftledger/exchange/fhir"
	"deftledger/store"
)

var faxNumber = regexp.MustCompile(`^\+?[0-9][0-9 ()-]{5,19}$`)

// SendFax puts a filed document in the way out by fax. It goes out once, under one
// identifier, however often sending is tried, and is an open line until it arrived or
// somebody says how it was sent instead.
func (a *Acts) SendFax(ctx context.Context, who act.Actor, id, number string) error {
	if err := act.Allow(who, act.WriteNote); err != nil {
		return err
	}
	if !faxNumber.MatchString(number) {
		return act.Refuse(act.Invalid, "%q is not a fax number; write it with digits, as in 555-0190.", number)
	}
	err := a.Act(ctx, who, act.WriteNote, func(t *act.Tx) error {
		d, err := t.DocumentByID(id)
		if err != nil {
			return act.NotFound(err, "document")
		}
		f := store.Fax{ID: act.NewID(), DocumentID: id, Number: number, At: t.Now}
		if err := t.AddFax(f, who.ID); err != nil {
			return err
		}
		if err := t.Send(store.Outgoing{Control: f.ID, Destination: faxLine, Kind: string(line.Fax), Subject: f.ID, Address: number, Body: d.PDF,
			ByID: who.ID}); err != nil {
			return err
		}
		t.Tell(act.PatientEvent, d.PatientID, d.PatientID)
		t.Tell(act.LineEvent, f.ID, d.PatientID)
		if err := t.OpenLine(act.NewID(), line.Fax, f.ID, d.PatientID, who.ID, line.Waiting, t.Now); err != nil {
			return err
		}
		return t.Audit("send fax", d.PatientID, id, "")
	})
	return err
}

// PortalMessage is a message to a patient, as the browser sends it: ID is of its own making, so
// that the same message sent again after a lost answer is one message.
type PortalMessage struct {
	ID       string `json:"id" pattern:"^[A-Za-z0-9-]{8,64}$"`
	Text     string `json:"text" maxLength:"5000"`
	Document string `json:"document,omitempty" maxLength:"64" doc:"A filed document that goes with it"`
}

// sealedMessage is the sealed content of a message to a patient.
type sealedMessage struct {
	Text     string `json:"text"`
	Document string `json:"document,omitempty"`
}

// MessagePatient sends a message to the patient of a note through the portal. It is
// sealed as written, goes out once, and is an open line of the sender's until the portal
// took it, or until somebody says how the patient was told. A patient without portal
// access is never written to this way.
func (a *Acts) MessagePatient(ctx context.Context, who act.Actor, noteID string, m PortalMessage) (out SentView, err error) {
	if err := act.Allow(who, act.WriteNote); err != nil {
		return out, err
	}
	m.Text = strings.TrimSpace(m.Text)
	switch {
	case m.Text == "":
		return out, act.Refuse(act.Invalid, "The message is empty.")
	case len(letter.Open(m.Text)) > 0:
		return out, act.Refuse(act.Invalid, "The message has an open field: %s.", letter.Open(m.Text)[0])
	case a.Elsewhere.Portal == "":
		return out, act.Refuse(act.Conflict, "No portal is connected.")
	}
	err = a.Act(ctx, who, act.WriteNote, func(t *act.Tx) error {
		n, v, err := act.NoteVisit(t.Q, noteID)
		if err != nil {
			return err
		}
		names, err := t.StaffNames()
		if err != nil {
			return err
		}
		if had, err := t.MessageByID(m.ID); err == nil {
			if had.NoteID != noteID || had.Text != m.Text {
				return act.Refuse(act.Conflict, "Another message went out under that identifier.")
			}
			out = a.sentMessage(had, names)
			return nil // the same message again
		} else if !store.IsNotFound(err) {
			return err
		}
		if !v.Patient.UsesPortal {
			return act.Refuse(act.Invalid, "This patient does not use the portal: write a letter, or call.")
		}
		if m.Document != "" {
			d, err := t.DocumentByID(m.Document)
			if err != nil {
				return act.NotFound(err, "document")
			}
			theirs, err := t.Person(d.PatientID)
			if err != nil {
				return err
			}
			if ours, err := t.Person(n.PatientID); err != nil || ours.ID != theirs.ID {
				return errors.Join(err, act.Refuse(act.Invalid, "That document is of another chart."))
			}
		}
		msg, err := a.send(t, n.PatientID, noteID, m)
		out = a.sentMessage(msg, names)
		return err
	})
	return out, err
}

// Reply writes to a patient through the portal, of no note: what answers a message of theirs.
// ok is false where they do not use it, or none is connected.
func (a *Acts) Reply(t *act.Tx, p chart.Patient, id, text string) (ok bool, err error) {
	if a.Elsewhere.Portal == "" || !p.UsesPortal {
		return false, nil
	}
	_, err = a.send(t, p.ID, "", PortalMessage{ID: id, Text: text})
	return err == nil, err
}

// send seals a message and puts it in the portal's queue, with its line.
func (a *Acts) send(t *act.Tx, patient, note string, m PortalMessage) (store.Message, error) {
	e, err := t.Seal(patient, "message", m.ID, 0, sealedMessage{m.Text, m.Document})
	if err != nil {
		return store.Message{}, err
	}
	msg := store.Message{ID: m.ID, PatientID: patient, NoteID: note, Text: m.Text, DocumentID: m.Document, Folio: e.Folio,
		State: outside.Waiting, ByID: t.Who.ID, At: t.Now}
	if err := t.AddMessage(msg); err != nil {
		return msg, err
	}
	body, err := a.portalBody(t.Q, m.ID)
	if err != nil {
		return msg, err
	}
	if err := t.Send(store.Outgoing{Control: m.ID, Destination: portal, Kind: string(line.Message), Subject: m.ID, Body: body,
		ByID: t.Who.ID}); err != nil {
		return msg, err
	}
	if err := t.OpenLine(act.NewID(), line.Message, m.ID, patient, t.Who.ID, line.Waiting, t.Now); err != nil {
		return msg, err
	}
	t.Tell(act.LineEvent, m.ID, patient)
	t.Tell(act.PatientEvent, patient, patient)
	return msg, t.Audit("message the patient", patient, m.ID, "")
}

// SentView is something on its way out of the chart, or that went.
type SentView struct {
	ID      string          `json:"id"`
	Kind    string          `json:"kind" enum:"message,fax"`
	To      string          `json:"to"`
	Says    string          `json:"says" doc:"The message, or the title of the document"`
	State   outside.Sending `json:"state" enum:"waiting,delivered,sent,refused,settled"`
	Problem string          `json:"problem" doc:"Why it was refused, or is not there yet"`
	Settled string          `json:"settled"`
	By      string          `json:"by"`
	At      string          `json:"at"`
}

func (a *Acts) sentMessage(m store.Message, names map[string]string) SentView {
	return SentView{ID: m.ID, Kind: "message", To: "the patient's portal", Says: m.Text, State: m.State, Problem: m.LastError,
		Settled: m.Settled, By: names[m.ByID], At: a.Say(m.At)}
}

// MessagesOf lists what was written to a patient through the portal, newest first.
func (a *Acts) MessagesOf(q *store.Q, patient string) ([]SentView, error) {
	ms, err := q.MessagesOf(patient)
	if err != nil {
		return nil, err
	}
	return a.sentMessages(q, ms)
}

// MessagesIn lists messages by id.
func (a *Acts) MessagesIn(q *store.Q, ids []string) ([]SentView, error) {
	ms, err := q.MessagesIn(ids)
	if err != nil {
		return nil, err
	}
	return a.sentMessages(q, ms)
}

func (a *Acts) sentMessages(q *store.Q, ms []store.Message) ([]SentView, error) {
	out := []SentView{}
	names, err := q.StaffNames()
	for _, m := range ms {
		out = append(out, a.sentMessage(m, names))
	}
	return out, err
}

// SettleSent closes the line of a refused message or fax: how the patient was told, or
// how the document was sent instead.
func (a *Acts) SettleSent(ctx context.Context, who act.Actor, kind, id, how string) error {
	if err := act.Allow(who, act.WriteNote); err != nil {
		return err
	}
	how = chart.Tidy(how)
	if how == "" || len(how) > 300 {
		return act.Refuse(act.Invalid, "Say how it was done instead, such as “by telephone, 555-0118”.")
	}
	return a.Act(ctx, who, act.WriteNote, func(t *act.Tx) error {
		patient, settle := "", t.SettleMessage
		switch line.Kind(kind) {
		case line.Message:
			m, err := t.MessageByID(id)
			if err != nil {
				return act.NotFound(err, "message")
			}
			patient = m.PatientID
		case line.Fax:
			f, err := t.FaxByID(id)
			if err != nil {
				return act.NotFound(err, "fax")
			}
			d, err := t.DocumentHead(f.DocumentID)
			if err != nil {
				return err
			}
			patient, settle = d.PatientID, t.SettleFax
		default:
			return act.Refuse(act.Missing, "There is no such line.")
		}
		if err := settle(id, how, t.Now); err != nil {
			return act.Stale(err, "It")
		}
		if err := t.CloseLine(line.Kind(kind), id, who.ID, how, t.Now); err != nil {
			return err
		}
		t.Tell(act.LineEvent, id, patient)
		t.Tell(act.PatientEvent, patient, patient)
		return t.Audit("settle a refused "+kind, patient, id, "")
	})
}

// The queues of what goes to the fax line and to the portal.
const (
	faxLine = "fax"
	portal  = "portal"
)

const noAnswer = "no answer yet, it is tried again"

// Destinations are the parties to whom this room sends: the fax line and the portal.
func (a *Acts) Destinations() []act.Destination {
	return []act.Destination{
		{
			Name: faxLine,
			Deliver: func(ctx context.Context, o store.Outgoing) ([]byte, string, error) {
				refused, err := fhir.Hand(ctx, "fax line", a.Elsewhere.Fax, "/fax/", o.Control, "application/pdf", o.Body,
					http.Header{"Fax-Number": {o.Address}})
				return nil, refused, err
			},
			Waits: func(t *act.Tx, o store.Outgoing) error {
				return t.SetFax(o.Subject, outside.Waiting, noAnswer, time.Time{})
			},
			Settled: func(t *act.Tx, o store.Outgoing, _ []byte, refused string) error {
				f, err := t.FaxByID(o.Subject)
				if err != nil {
					return err
				}
				d, err := t.DocumentHead(f.DocumentID)
				if err != nil {
					return err
				}
				if err := t.SetFax(f.ID, sentState(refused, outside.Sent), refused, t.Now); err != nil {
					return err
				}
				return a.arrived(t, line.Fax, f.ID, d.PatientID, refused, "taken by the other side")
			},
		},
		{
			Name: portal,
			Deliver: func(ctx context.Context, o store.Outgoing) ([]byte, string, error) {
				body := o.Body
				if len(body) == 0 { // it waits since a former version
					var err error
					if err = a.Store.Read(ctx, func(q *store.Q) error {
						body, err = a.portalBody(q, o.Subject)
						return err
					}); err != nil {
						return nil, "", err
					}
				}
				refused, err := fhir.Hand(ctx, "portal", a.Elsewhere.Portal, "/fhir/Communication/", o.Control, "application/fhir+json", body, nil)
				return nil, refused, err
			},
			Waits: func(t *act.Tx, o store.Outgoing) error {
				return t.SetMessage(o.Subject, outside.Waiting, noAnswer, time.Time{})
			},
			Settled: func(t *act.Tx, o store.Outgoing, _ []byte, refused string) error {
				m, err := t.MessageByID(o.Subject)
				if err != nil {
					return err
				}
				if err := t.SetMessage(m.ID, sentState(refused, outside.Delivered), refused, t.Now); err != nil {
					return err
				}
				return a.arrived(t, line.Message, m.ID, m.PatientID, refused, "taken by the portal")
			},
		},
	}
}

func sentState(refused string, taken outside.Sending) outside.Sending {
	if refused != "" {
		return outside.Refused
	}
	return taken
}

// portalBody writes a message as the portal takes it.
func (a *Acts) portalBody(q *store.Q, id string) ([]byte, error) {
	m, err := q.MessageByID(id)
	if err != nil {
		return nil, err
	}
	names, err := q.StaffNames()
	if err != nil {
		return nil, err
	}
	p, err := q.PatientByID(m.PatientID)
	if err != nil {
		return nil, err
	}
	c := fhir.Communication{ID: m.ID, Record: p.Record, Sender: names[m.ByID] + ", " + a.Practice, Sent: a.Say(m.At), Text: m.Text}
	if m.DocumentID != "" {
		d, err := q.DocumentByID(m.DocumentID)
		if err != nil {
			return nil, err
		}
		c.Title, c.PDF = d.Title, d.PDF
	}
	return c.Build()
}

// arrived closes the line of what was taken, in the name of who sent it; a refusal is on
// their desk until they settle it.
func (a *Acts) arrived(t *act.Tx, kind line.Kind, id, patient, refused, with string) error {
	t.Tell(act.PatientEvent, patient, patient)
	t.Tell(act.LineEvent, id, patient)
	if refused != "" {
		return t.SetLineState(kind, id, line.Open)
	}
	return t.CloseLine(kind, id, t.Who.ID, with, t.Now)
}
