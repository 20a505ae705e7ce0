package result

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/core/result"
	"deftledger/exchange/fhir"
	"deftledger/exchange/pdf"
	"deftledger/store"
)

// backDays are for how long a laboratory is given to answer about what is held.
const backDays = 3

// back is what is kept of a question to a laboratory about what is held.
type back struct {
	Held   string `json:"held"`
	Reason string `json:"reason"`
	Until  string `json:"until"`
	Fax    string `json:"fax,omitempty"`
}

// ToBack is what a laboratory is asked about what is held.
type ToBack struct {
	Reason string `json:"reason" maxLength:"1000" doc:"What the laboratory is asked, and whom"`
	Until  string `json:"until,omitempty" maxLength:"10" doc:"The day on which it comes back here; three days on where none is said"`
	Fax    bool   `json:"fax,omitempty" doc:"It goes to the laboratory by fax"`
}

// sentBy is the laboratory that sent a message, by how it calls itself; nil where it is none we know.
func (a *Acts) sentBy(m store.Incoming) *order.Laboratory {
	for i := range a.Laboratories {
		if l := &a.Laboratories[i]; l.Facility != "" && strings.Contains(strings.ToUpper(m.Sender), strings.ToUpper(l.Facility)) {
			return l
		}
	}
	return nil
}

// GiveBack asks the laboratory about what is held, by fax or by telephone: whose it is, or that they send it again. It waits below what
// waits for one of us, and comes back on its day. The fax names the message by its numbers and no patient, because nobody knows whom.
func (a *Acts) GiveBack(ctx context.Context, who act.Actor, id string, x ToBack) error {
	if err := act.Allow(who, act.MatchResult); err != nil {
		return err
	}
	x.Reason = chart.Tidy(x.Reason)
	if x.Until == "" {
		x.Until = a.Clock().In(a.Location).AddDate(0, 0, backDays).Format(time.DateOnly)
	}
	if x.Reason == "" {
		return act.Refuse(act.Invalid, "Say what the laboratory is asked, and whom.")
	}
	if day, err := time.Parse(time.DateOnly, x.Until); err != nil || x.Until < a.Today() || day.After(a.Clock().AddDate(0, 2, 0)) {
		return act.Refuse(act.Invalid, "The day on which it comes back lies within two months from today.")
	}
	return a.Act(ctx, who, act.MatchResult, func(t *act.Tx) error {
		m, state, err := part(t.Q, id)
		if err != nil {
			return err
		}
		if state.State != result.Quarantined {
			return act.Refuse(act.Conflict, "Somebody has decided on this message already.")
		}
		held := heldID(state.MessagePart)
		said := "Given back to the laboratory by " + who.Name + ", " + chart.SayDay(a.DayOf(store.Stamp(t.Now))) + ": " + x.Reason
		if strings.HasPrefix(state.Reason, said) {
			return nil // the same act again
		}
		kept := back{Held: held, Reason: x.Reason, Until: x.Until}
		lab := a.sentBy(m)
		if x.Fax {
			if lab == nil || lab.Fax == "" || a.Elsewhere.Fax == "" {
				return act.Refuse(act.Conflict, "No fax of that laboratory is known, or no fax line is connected. Call them, and write whom you spoke with.")
			}
			kept.Fax = lab.Fax
			said += " (by fax, " + lab.Fax + ")"
		}
		if err := endBack(t, held, "asked again"); err != nil {
			return err
		}
		body, err := json.Marshal(kept)
		if err != nil {
			return err
		}
		asked := store.Inquiry{ID: act.NewID(), Kind: store.GivenBack, Source: "here", ByID: who.ID, Said: body, At: t.Now}
		asked.Origin = "given back " + held + " " + asked.ID
		if _, err := t.AddInquiry(asked); err != nil {
			return err
		}
		if x.Fax {
			page, err := pdf.Mail([]pdf.MailLetter{{From: a.Practice, To: []string{lab.Name, lab.Address}, Day: chart.SayDay(a.Today()), Text: a.backText(m, state, x.Reason)}})
			if err != nil {
				return err
			}
			if err := t.Send(store.Outgoing{Control: "back-" + asked.ID, Destination: laboratoryFax, Kind: "given back", Subject: asked.ID, Address: lab.Fax, Body: page}); err != nil {
				return err
			}
		}
		if err := t.SetPart(state.MessagePart, result.Quarantined, said+" "+state.Reason); err != nil {
			return err
		}
		t.Tell(act.LineEvent, held, "")
		if err := t.RankLine(line.Held, held, line.Waiting, line.WithOthers); err != nil {
			return err
		}
		return t.Audit("give quarantined message back to the laboratory", "", held, "")
	})
}

// backText is what a laboratory reads of what is given back: by which numbers it finds it, and what it is asked.
func (a *Acts) backText(m store.Incoming, part store.PartState, reason string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "We have received your message %s on %s and cannot say for certain whose it is. It is in no chart.\n\n", m.Control, chart.SayDay(a.DayOf(store.Stamp(m.ReceivedAt))))
	if read := a.readable(m); part.Part <= len(read.Patients) {
		for _, r := range read.Patients[part.Part-1].Reports {
			fmt.Fprintf(&b, "- %s: your number %s, order number %s.\n", r.Title, act.OrUnknown(r.Filler, "none"), act.OrUnknown(r.Placer, "none"))
		}
	}
	fmt.Fprintf(&b, "\n%s\n\nPlease call us at %s, or send the report again.", reason, a.Telephone)
	return b.String()
}

// endBack ends what a laboratory was asked about something that is held: it was decided on, or it is asked anew.
func endBack(t *act.Tx, held, with string) error {
	open, err := t.InquiriesGivenBack()
	if err != nil {
		return err
	}
	for _, i := range open {
		var x back
		if err := json.Unmarshal(i.Said, &x); err != nil {
			return err
		}
		if x.Held == held {
			if err := t.AnswerInquiry(i.ID, "answered", with, "", t.Who.ID, t.Now); err != nil {
				return err
			}
		}
	}
	return nil
}

// backAgain makes the line of something that was given back one of ours again, and says why.
func (a *Acts) backAgain(t *act.Tx, i store.Inquiry, why string) error {
	var x back
	if err := json.Unmarshal(i.Said, &x); err != nil {
		return err
	}
	_, state, err := part(t.Q, x.Held)
	if err != nil || state.State != result.Quarantined {
		return err
	}
	if err := t.AnswerInquiry(i.ID, "came back", why, "", t.Who.ID, t.Now); err != nil {
		return err
	}
	if err := t.SetPart(state.MessagePart, result.Quarantined, why+" "+state.Reason); err != nil {
		return err
	}
	t.Tell(act.LineEvent, x.Held, "")
	return t.RankLine(line.Held, x.Held, line.Open, line.ToAct)
}

// RaiseLate brings back what a laboratory was asked about and has not answered until its day.
func (a *Acts) RaiseLate(ctx context.Context) (n int, err error) {
	var late []store.Inquiry
	if err := a.Store.Read(ctx, func(q *store.Q) error {
		open, err := q.InquiriesGivenBack()
		for _, i := range open {
			var x back
			if err := json.Unmarshal(i.Said, &x); err != nil {
				return err
			}
			if x.Until < a.Today() {
				late = append(late, i)
			}
		}
		return err
	}); err != nil || len(late) == 0 {
		return 0, err
	}
	return len(late), a.Write(ctx, act.Actor{}, func(t *act.Tx) error {
		for _, i := range late {
			if now, err := t.InquiryByID(i.ID); err != nil || now.State != store.InquiryOpen {
				if err != nil {
					return err
				}
				continue
			}
			if err := a.backAgain(t, i, "The day has passed until which the laboratory was asked."); err != nil {
				return err
			}
			if err := t.Audit("the day of a line has passed", "", i.ID, ""); err != nil {
				return err
			}
		}
		return nil
	})
}

// Run brings back what is late, until ctx ends.
func (a *Acts) Run(ctx context.Context, every time.Duration) {
	act.Repeat(ctx, every, "what was given back to laboratories could not be brought back", func(ctx context.Context) error {
		_, err := a.RaiseLate(ctx)
		return err
	})
}

// laboratoryFax is the queue of what laboratories are asked by fax.
const laboratoryFax = "laboratory by fax"

// toLaboratories is the party to whom questions about what is held go: a fax that is taken says nothing of what they do, one that is
// refused makes the line ours again.
func (a *Acts) toLaboratories() act.Destination {
	return act.Destination{
		Name: laboratoryFax,
		Deliver: func(ctx context.Context, o store.Outgoing) ([]byte, string, error) {
			refused, err := fhir.Hand(ctx, "fax line", a.Elsewhere.Fax, "/fax/", o.Control, "application/pdf", o.Body, http.Header{"Fax-Number": {o.Address}})
			return nil, refused, err
		},
		Waits: func(*act.Tx, store.Outgoing) error { return nil },
		Settled: func(t *act.Tx, o store.Outgoing, _ []byte, refused string) error {
			i, err := t.InquiryByID(o.Subject)
			if err != nil {
				return err
			}
			says := "taken by the fax line"
			if refused != "" {
				says = "the fax line refused it: " + refused
			}
			err = t.AddInquiryEvent(store.InquiryEvent{InquiryID: i.ID, Kind: "fax", Says: says, At: t.Now})
			if refused != "" && i.State == store.InquiryOpen {
				err = errors.Join(err, a.backAgain(t, i, "The fax to the laboratory did not arrive: "+refused+"."))
			}
			return err
		},
	}
}
