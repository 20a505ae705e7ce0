package packet

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	results "deftledger/app/result"
	"deftledger/core/chart"
	"deftledger/core/letter"
	"deftledger/core/line"
	"deftledger/core/result"
	"deftledger/store"
)

// PacketSettled is what is decided on a packet at once: one comment and one way of telling for what is signed, and exceptions.
type PacketSettled struct {
	ID         string          `json:"id" pattern:"^[A-Za-z0-9-]{8,50}$" doc:"Of the browser's making: the same decision again does nothing twice"`
	Comment    string          `json:"comment" maxLength:"20000" doc:"For the chart"`
	Told       string          `json:"told" maxLength:"20"`
	ToldReason string          `json:"toldReason,omitempty" maxLength:"2000"`
	Text       string          `json:"text,omitempty" maxLength:"20000" doc:"For the patient; needed for the portal and a letter"`
	Until      string          `json:"until,omitempty" maxLength:"10" doc:"On which day what is to be told at a visit comes back"`
	Desk       string          `json:"desk,omitempty" maxLength:"2000" doc:"What the front desk may tell of what is signed, when the patient calls; empty for nothing"`
	Secret     string          `json:"secret,omitempty" maxLength:"1000"`
	Reports    []SettledReport `json:"reports" minItems:"1" maxItems:"200"`
}

// SettledReport is what is decided on one report.
type SettledReport struct {
	ID          string  `json:"id" maxLength:"64"`
	Issue       int     `json:"issue"`
	Version     int     `json:"version"`
	Act         string  `json:"act" enum:"sign,hand over"`
	Comment     *string `json:"comment,omitempty" maxLength:"20000" doc:"Its own, in place of the packet's"`
	To          string  `json:"to,omitempty" maxLength:"64" doc:"To whom it is handed; empty for a team, or everybody"`
	Team        string  `json:"team,omitempty" maxLength:"64" doc:"To which team"`
	Instruction string  `json:"instruction,omitempty" maxLength:"2000"`
	Until       string  `json:"until,omitempty" maxLength:"10" doc:"On which day it comes back"`
}

// PacketDone is what became of a packet.
type PacketDone struct {
	Signed int `json:"signed"`
	Handed int `json:"handed"`
}

// Settle decides on a packet, all of it or nothing. A critical value is never signed together with others.
func (a *Acts) Settle(ctx context.Context, who act.Actor, patient string, s PacketSettled) (out PacketDone, err error) {
	right := results.SignRight(who)
	if err := act.Allow(who, right); err != nil {
		return out, err
	}
	signs := slices.ContainsFunc(s.Reports, func(r SettledReport) bool { return r.Act == "sign" })
	s.Text, s.Desk = strings.TrimSpace(s.Text), strings.TrimSpace(s.Desk)
	if signs {
		switch {
		case result.Told[s.Told] == "":
			return out, act.Refuse(act.Invalid, "Say how the patient was told, or why not.")
		case (s.Told == "portal" || s.Told == "letter") && s.Text == "":
			return out, act.Refuse(act.Invalid, "Write what the patient is to read.")
		case len(letter.Open(s.Text)) > 0:
			return out, act.Refuse(act.Invalid, "The text for the patient has an open field: %s.", letter.Open(s.Text)[0])
		case len(letter.Open(s.Comment+s.Desk)) > 0:
			return out, act.Refuse(act.Invalid, "What is written has an open field: %s.", letter.Open(s.Comment + s.Desk)[0])
		}
		if err := a.OpenSigning(ctx, &who, s.Secret); err != nil {
			return out, err
		}
	}
	err = a.Act(ctx, who, right, func(t *act.Tx) error {
		out = PacketDone{}
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		if signs {
			to, err := a.address(t.Q, p)
			if err != nil {
				return err
			}
			if not := a.notBy(s.Told, p, to); not != "" {
				return act.Refuse(act.Invalid, "The patient cannot be told this way: %s.", not)
			}
		}
		ids := make([]string, len(s.Reports))
		for i, r := range s.Reports {
			if slices.Contains(ids[:i], r.ID) {
				return act.Refuse(act.Invalid, "One report is decided on twice.")
			}
			ids[i] = r.ID
		}
		reports, err := t.ReportsIn(ids)
		if err != nil {
			return err
		}
		if len(reports) < len(ids) {
			return act.Refuse(act.Missing, "A report cannot be found.")
		}
		told, again, signed := telling{Way: s.Told, Text: s.Text, Until: s.Until}, 0, 0
		for _, x := range s.Reports {
			r := reports[slices.IndexFunc(reports, func(r store.Report) bool { return r.ID == x.ID })]
			if !act.SamePerson(t.Q, r.PatientID, patient) {
				return act.Refuse(act.Invalid, "A report is of another chart.")
			}
			if x.Act == "hand over" {
				done, err := a.handOver(t, s.ID, r, x)
				if err != nil {
					return err
				}
				if done {
					out.Handed++
				}
				continue
			}
			critical := slices.ContainsFunc(r.Values, func(v result.Value) bool { return result.Stand(v).Critical })
			if critical && len(s.Reports) > 1 {
				return act.Refuse(act.Conflict, "%s has a critical value, and is signed by itself.", r.Title)
			}
			comment := s.Comment
			if x.Comment != nil {
				comment = *x.Comment
			}
			before, err := a.Result.Sign(t, results.SignedResult{ReportID: x.ID, Comment: comment, Told: s.Told, ToldReason: s.ToldReason, Issue: x.Issue, Version: x.Version})
			if err != nil {
				return err
			}
			signed++
			if before {
				again++
			}
			told.Reports = append(told.Reports, told1{ID: r.ID, Issue: r.Issue, Title: r.Title, Out: !result.AllIn(r.Values)})
			if err := a.takeBack(t, r, "the report was signed"); err != nil {
				return err
			}
		}
		out.Signed = signed
		if again == signed && signed > 0 { // the same act sent again after a lost answer
			return nil
		}
		promises := signed > 0 && result.Promises(s.Told)
		if signed > 0 && s.Desk != "" {
			words := deskWords{Text: s.Desk, Reports: told.Reports}
			if promises && s.Told == "call" {
				words.Telling = "tell-" + s.ID
			}
			if err := a.allow(t, s.ID, p, words); err != nil {
				return err
			}
		}
		if promises {
			return a.promise(t, s.ID, p, told)
		}
		return nil
	})
	return out, err
}

// telling is what is kept of what a patient is to be told.
type telling struct {
	Way     string  `json:"way"`
	Text    string  `json:"text,omitempty"`
	Until   string  `json:"until,omitempty"`
	Reports []told1 `json:"reports"`
}

// told1 is one report that a patient is told of. Out says that not all of it was judged in range.
type told1 struct {
	ID    string `json:"id"`
	Issue int    `json:"issue"`
	Title string `json:"title"`
	Out   bool   `json:"out"`
}

// promise keeps that a patient is still to be told, as a line of the signer's; what goes to the portal goes out with it.
func (a *Acts) promise(t *act.Tx, id string, p chart.Patient, x telling) error {
	if x.Until != "" {
		if _, err := time.Parse(time.DateOnly, x.Until); err != nil || x.Until < a.Today() {
			return act.Refuse(act.Invalid, "The day on which it comes back is none, or has passed.")
		}
	}
	body, err := json.Marshal(x)
	if err != nil {
		return err
	}
	id = "tell-" + id
	added, err := t.AddInquiry(store.Inquiry{ID: id, Kind: store.ToTell, Source: "here", Origin: "telling " + id, PatientID: p.ID, OwnerID: t.Who.ID, ByID: t.Who.ID, Said: body, At: t.Now})
	if err != nil {
		return err
	}
	if !added {
		return act.Refuse(act.Conflict, "Something else was decided under that identifier.")
	}
	state := line.Waiting
	if x.Way == "call" {
		state = line.Open
	}
	if x.Way == "portal" {
		ok, err := a.Paper.Reply(t, p, id, x.Text)
		if err != nil {
			return err
		}
		if !ok {
			return act.Refuse(act.Conflict, "No portal is connected, or the patient no longer uses it.")
		}
	}
	if x.Way == "portal" && !slices.ContainsFunc(x.Reports, func(r told1) bool { return r.Out }) {
		// Its delivery is a line already; that it was read is waited for wherever not all was judged in range.
		return errors.Join(t.AnswerInquiry(id, "told", "written through the portal", "", t.Who.ID, t.Now), t.Audit("tell the patient of results", p.ID, id, x.Way))
	}
	if err := t.OpenLine(act.NewID(), line.Telling, id, p.ID, t.Who.ID, state, t.Now); err != nil {
		return err
	}
	t.Tell(act.LineEvent, id, p.ID)
	return t.Audit("is to tell the patient of results", p.ID, id, x.Way)
}
