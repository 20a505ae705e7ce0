package result

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/order"
	"deftledger/core/result"
	"deftledger/store"
)

// PaperValue is one value as it stands on paper.
type PaperValue struct {
	Analyte string `json:"analyte" maxLength:"40" doc:"By its code in the laboratory's list"`
	Text    string `json:"text" maxLength:"200" doc:"As it stands there, with its digits; empty for not there"`
	Unit    string `json:"unit" maxLength:"40"`
	Range   string `json:"range" maxLength:"80" doc:"As it stands there; empty for none"`
	Flag    string `json:"flag" enum:",H,L,HH,LL,A,AA,N" doc:"As it stands there; empty for none"`
}

// PaperAnswer is what a laboratory answered on paper to a test of an order.
type PaperAnswer struct {
	ID          string       `json:"id" pattern:"^[A-Za-z0-9-]{8,64}$" doc:"Of the browser's making: the same answer sent again is one"`
	Test        string       `json:"test" maxLength:"40"`
	Number      string       `json:"number,omitempty" maxLength:"60" doc:"The laboratory's number of it"`
	Collected   string       `json:"collected,omitempty" maxLength:"20" doc:"YYYY-MM-DD, or YYYY-MM-DDThh:mm on the clock of the practice; empty where the order says it"`
	Preliminary bool         `json:"preliminary,omitempty"`
	Values      []PaperValue `json:"values" maxItems:"60"`
	Notes       string       `json:"notes,omitempty" maxLength:"10000" doc:"What else stands there"`
	Paper       string       `json:"paper,omitempty" maxLength:"300" doc:"How it came and where the paper is, where it is not attached"`
	PDF         []byte       `json:"pdf,omitempty" maxLength:"11000000"`
	Sure        bool         `json:"sure,omitempty" doc:"The name and the birth date on the paper were held against the chart"`
}

// EnterPaper types in what a laboratory answered on paper or by fax to a test of an order: with
// units and ranges as they stand there, and the paper as its source. It is read, judged and
// signed like any other result. The paper is of this patient only where somebody says that they
// compared it.
func (a *Acts) EnterPaper(ctx context.Context, who act.Actor, orderID string, x PaperAnswer) error {
	if err := act.Allow(who, act.EnterResult); err != nil {
		return err
	}
	x.Notes, x.Paper = strings.TrimSpace(x.Notes), chart.Tidy(x.Paper)
	if x.ID == "" {
		return act.Refuse(act.Invalid, "The answer has no identifier.")
	}
	if !x.Sure {
		return act.Refuse(act.Invalid, "Hold the name and the birth date on the paper against the chart first, and say that they agree.")
	}
	if x.Paper == "" && len(x.PDF) == 0 {
		return act.Refuse(act.Invalid, "Attach the paper as PDF, or say how it came and where it is kept.")
	}
	if len(x.PDF) > 0 && !bytes.HasPrefix(x.PDF, []byte("%PDF-")) {
		return act.Refuse(act.Invalid, "That file is no PDF. Scan it as PDF, or say where the paper is kept.")
	}
	if len(x.PDF) > 8<<20 {
		return act.Refuse(act.Invalid, "That file is larger than 8 MB. Scan it smaller.")
	}
	return a.Act(ctx, who, act.EnterResult, func(t *act.Tx) error {
		o, err := t.OrderByID(orderID)
		if err != nil {
			return act.NotFound(err, "order")
		}
		if o.State == order.Draft || o.State == order.Planned || o.State == order.ToDraw || o.State == order.Signed {
			return act.Refuse(act.Conflict, "This order has not gone out: %s.", o.State)
		}
		test := store.OrderTest{}
		for _, y := range o.Tests {
			if y.Code == x.Test {
				test = y
			}
		}
		if test.Code == "" {
			return act.Refuse(act.Invalid, "%s is not on this order.", x.Test)
		}
		r := store.Report{PatientID: o.PatientID, OrderID: o.ID, Position: test.Position, Filler: chart.Tidy(x.Number), Code: test.Code, Title: test.Name, LOINC: test.LOINC, OwnerID: o.ClinicianID, MatchedBy: who.ID,
			Status: "F", Issue: 1, ReceivedAt: t.Now, ReportedAt: a.Say(t.Now), Performer: o.Laboratory}
		if x.Preliminary {
			r.Status = "P"
		}
		if r.CollectedAt, err = a.collected(x.Collected, o, t.Now); err != nil {
			return err
		}
		if r.Values, err = a.typed(o, test, x, r.Status); err != nil {
			return err
		}
		if len(r.Values) == 0 && x.Notes == "" {
			return act.Refuse(act.Invalid, "Type at least one value, or what stands on the paper.")
		}
		source := "Typed by " + who.Name + " from paper"
		if x.Paper != "" {
			source += ": " + x.Paper
		}
		r.Notes = strings.TrimSpace(x.Notes + "\n" + source + ".")
		// Each test of an order has one report; what is typed again is its next issue.
		r.Source = result.Source("paper", "", o.ID, test.Code, "")
		kept := x
		kept.PDF = nil // it is a document of its own
		raw, err := json.Marshal(kept)
		if err != nil {
			return err
		}
		sum := sha256.Sum256(append([]byte(o.ID), raw...))
		known, err := t.PaperEntered("paper|"+o.ID, x.ID)
		if err != nil || known {
			return err // the same act sent again after a lost answer
		}
		if len(x.PDF) > 0 {
			d := store.Document{ID: act.NewID(), PatientID: o.PatientID, Title: "On paper: " + o.Laboratory + ", " + test.Name, PDF: x.PDF, MadeBy: who.ID, MadeAt: t.Now, Form: "report " + o.Placer}
			if err := t.AddDocument(d); err != nil {
				return err
			}
			r.Details.Paper = d.ID
		}
		before, err := t.ReportsBySource(r.Source)
		if err != nil {
			return err
		}
		if len(before) > 0 && !x.Preliminary && before[0].Status != "P" {
			r.Status = "C"
			for i := range r.Values {
				r.Values[i].Status = "C"
			}
		}
		if r.InboxID, err = t.AddIncoming(store.Incoming{ReceivedAt: t.Now, Sender: "paper|" + o.ID, Control: x.ID, Raw: raw, State: result.Filed}, "on paper", sum[:]); err != nil {
			return err
		}
		if err := a.FileReport(t, r); err != nil {
			return err
		}
		t.Tell(act.PatientEvent, o.PatientID, o.PatientID)
		if err := a.Order.Settle(t, o.ID); err != nil {
			return err
		}
		return t.Audit("enter a result from paper", o.PatientID, o.ID, "")
	})
}

// collected is when the specimen was taken: as it was typed, else as the order says.
func (a *Acts) collected(text string, o store.Order, now time.Time) (string, error) {
	if text == "" {
		if o.CollectedAt.IsZero() {
			return "", nil // nobody said
		}
		return a.Say(o.CollectedAt), nil
	}
	if day, err := time.ParseInLocation(time.DateOnly, text, a.Location); err == nil {
		if day.After(now) {
			return "", act.Refuse(act.Invalid, "It cannot have been taken in the future.")
		}
		return text, nil
	}
	at, err := time.ParseInLocation("2006-01-02T15:04", text, a.Location)
	if err != nil {
		return "", act.Refuse(act.Invalid, "Give the day, or the day and time, when it was taken.")
	}
	if at.After(now) {
		return "", act.Refuse(act.Invalid, "It cannot have been taken in the future.")
	}
	return a.Say(at), nil
}

// typed are the values as they were typed: each of the test, once, with a unit where it is a
// number and the list knows one.
func (a *Acts) typed(o store.Order, of store.OrderTest, x PaperAnswer, status string) (out []result.Value, err error) {
	test, _ := a.Config.Laboratory(o.Party).Test(of.Code)
	seen := map[string]bool{}
	for _, v := range x.Values {
		v.Text, v.Unit, v.Range = chart.Tidy(v.Text), chart.Tidy(v.Unit), chart.Tidy(v.Range)
		if v.Text == "" {
			continue
		}
		y := order.Analyte{}
		for _, z := range test.Analytes {
			if z.Code == v.Analyte {
				y = z
			}
		}
		switch {
		case y.Code == "":
			return nil, act.Refuse(act.Invalid, "%s is no value of %s.", v.Analyte, of.Name)
		case seen[y.Code]:
			return nil, act.Refuse(act.Invalid, "%s stands there twice.", y.Name)
		case v.Unit == "" && y.Unit != "" && result.Number(v.Text):
			return nil, act.Refuse(act.Invalid, "%s %s of what? Type the unit as it stands on the paper.", y.Name, v.Text)
		}
		seen[y.Code] = true
		out = append(out, result.Value{Code: y.Code, Name: y.Name, LOINC: y.LOINC, Text: v.Text, Unit: v.Unit, Range: v.Range, Flag: v.Flag, Status: status})
	}
	return out, nil
}
