package sharing

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/store"
)

// Directions of sharing: what other houses have comes in, ours goes out. Each is agreed to by itself.
const (
	In  = "in"
	Out = "out"
)

// forms are how an agreement was given.
var forms = []string{"signed on paper", "signed in the portal", "spoken"}

// Consent is what a patient said of sharing in one direction.
type Consent struct {
	Direction string `json:"direction" enum:"in,out"`
	Given     bool   `json:"given" doc:"Agreed to; otherwise refused or withdrawn"`
	Form      string `json:"form" maxLength:"40" doc:"signed on paper, signed in the portal, spoken"`
	Day       string `json:"day" maxLength:"10" doc:"When the patient said so, YYYY-MM-DD"`
	Words     string `json:"words,omitempty" maxLength:"1000" doc:"What they said, or where the paper is"`
}

// ConsentView is a consent with who took it.
type ConsentView struct {
	Consent
	By string `json:"by"`
	At string `json:"at"`
}

// consents are what was said of sharing, newest first.
func (a *Acts) consents(q *store.Q, patient string) (out []ConsentView, err error) {
	all, err := q.InquiriesAbout(store.SharingConsent, patient)
	for _, i := range all {
		v := ConsentView{By: i.By, At: a.Say(i.At)}
		if err := json.Unmarshal(i.Said, &v.Consent); err != nil {
			return out, err
		}
		out = append(out, v)
	}
	return out, err
}

// agreed says whether a direction is agreed to now. What nobody has said is not agreed to.
func agreed(all []ConsentView, direction string) bool {
	i := slices.IndexFunc(all, func(c ConsentView) bool { return c.Direction == direction })
	return i >= 0 && all[i].Given
}

func (a *Acts) agrees(q *store.Q, patient, direction string) (bool, error) {
	all, err := a.consents(q, patient)
	return agreed(all, direction), err
}

// Agree keeps what a patient says of sharing. Withdrawn, nothing goes that way from then on; what went or came before stays.
func (a *Acts) Agree(ctx context.Context, who act.Actor, patient string, c Consent) error {
	if err := act.Allow(who, act.Share); err != nil {
		return err
	}
	c.Words = chart.Tidy(c.Words)
	switch {
	case c.Direction != In && c.Direction != Out:
		return act.Refuse(act.Invalid, "Say whether it is about what comes in or what goes out.")
	case !slices.Contains(forms, c.Form):
		return act.Refuse(act.Invalid, "Say how it was given: signed on paper, signed in the portal, or spoken.")
	}
	return a.Act(ctx, who, act.Share, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		if _, err := time.Parse(time.DateOnly, c.Day); err != nil || c.Day > a.Today() || p.BirthDate != "" && c.Day < p.BirthDate {
			return act.Refuse(act.Invalid, "Say the day on which %s said so: not in the future, and not before the birth.", p.Name.Given)
		}
		all, err := a.consents(t.Q, p.ID)
		if err != nil {
			return err
		}
		if i := slices.IndexFunc(all, func(x ConsentView) bool { return x.Direction == c.Direction }); i >= 0 {
			if all[i].Consent == c {
				return nil // the same act again
			}
			if c.Day < all[i].Day {
				return act.Refuse(act.Conflict, "On %s %s said otherwise, which is later: what was said last counts.", chart.SayDay(all[i].Day), p.Name.Given)
			}
		}
		body, err := json.Marshal(c)
		if err != nil {
			return err
		}
		id := act.NewID()
		if _, err := t.AddInquiry(store.Inquiry{ID: id, Kind: store.SharingConsent, Source: "here", Origin: "sharing " + id, PatientID: p.ID, ByID: who.ID, Said: body, At: t.Now}); err != nil {
			return err
		}
		if c.Direction == Out && !c.Given { // what waits does not go any more
			if err := a.stopWaiting(t, p.ID, "the patient no longer agrees that the chart goes out"); err != nil {
				return err
			}
		}
		t.Tell(act.PatientEvent, p.ID, p.ID)
		said := c.Direction + " given"
		if !c.Given {
			said = c.Direction + " withdrawn"
		}
		return t.Audit("say what a patient agrees to share", p.ID, id, said)
	})
}

// stopWaiting takes back the copies of a chart that wait for the exchange.
func (a *Acts) stopWaiting(t *act.Tx, patient, why string) error {
	given, err := t.InquiriesAbout(store.GivenOut, patient)
	if err != nil {
		return err
	}
	for _, g := range given {
		waits, err := t.OutgoingWaits(outGiven, g.ID)
		if err != nil {
			return err
		}
		if waits {
			if err := a.stop(t, g, why); err != nil {
				return err
			}
		}
	}
	return nil
}
