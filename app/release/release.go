// Package release is the room where results go to the patients' portal: at once, unless somebody holds one back for one of the reasons
// the law knows, until a day, on which it comes back. That a result is released does not say that the patient was told.
package release

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"deftledger/app/act"
	results "deftledger/app/result"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/recall"
	"deftledger/core/result"
	"deftledger/exchange/fhir"
	"deftledger/store"
)

// Acts are the acts of this room.
type Acts struct{ *act.Office }

// New makes the room on its ground. What is filed in a chart, and what leaves one, is told to it.
func New(o *act.Office) *Acts { return &Acts{o} }

const (
	destination = "portal results"
	outKind     = "release"
	prolonged   = "until"
	passed      = "day passed"
	most        = 2000
)

// holding is what a hold keeps: about one report, or about whatever an order will bring.
type holding struct {
	Report string            `json:"report,omitempty"`
	Order  string            `json:"order,omitempty"`
	Title  string            `json:"title"`
	Reason result.HoldReason `json:"reason"`
	Words  string            `json:"words"`
	Until  string            `json:"until"`
}

// NewHold holds the result of a report, or all results of an order, back from the portal.
type NewHold struct {
	Report string            `json:"report,omitempty" maxLength:"64"`
	Order  string            `json:"order,omitempty" maxLength:"64"`
	Reason result.HoldReason `json:"reason" enum:"harm,privacy,wish,wrong"`
	Words  string            `json:"words" maxLength:"2000" doc:"What of this patient makes it so"`
	Until  string            `json:"until" maxLength:"10" doc:"The day on which it comes back, YYYY-MM-DD"`
}

// HoldView is a hold as its page shows it.
type HoldView struct {
	ID      string          `json:"id"`
	Patient act.PatientView `json:"patient"`
	Report  string          `json:"report"`
	Order   string          `json:"order"`
	Title   string          `json:"title"`
	Reason  string          `json:"reason"`
	Words   string          `json:"words"`
	Until   string          `json:"until"`
	Passed  bool            `json:"passed"`
	By      string          `json:"by"`
	At      string          `json:"at"`
	State   string          `json:"state" enum:"open,released"`
	Done    string          `json:"done"`
	DoneAt  string          `json:"doneAt"`
}

// HoldReasonView is a reason for which a result may be held back.
type HoldReasonView struct {
	Reason result.HoldReason `json:"reason" enum:"harm,privacy,wish,wrong"`
	Says   string            `json:"says"`
}

// Reasons are those the law knows, in order.
func (a *Acts) Reasons(who act.Actor) ([]HoldReasonView, error) {
	if err := act.Allow(who, act.SignResult); err != nil {
		return nil, err
	}
	out := []HoldReasonView{}
	for _, r := range result.HoldReasons {
		out = append(out, HoldReasonView{r.Reason, r.Says})
	}
	return out, nil
}

// origin is by what the holds of a report or an order are found again.
func origin(what, id string) string { return "hold " + what + " " + id + " " }

// held finds the open hold of a report, or of its order; nil for none.
func held(q *store.Q, report, order string) (*store.Inquiry, error) {
	for _, x := range [][2]string{{"report", report}, {"order", order}} {
		if x[1] == "" {
			continue
		}
		all, err := q.InquiriesFrom(origin(x[0], x[1]))
		if err != nil {
			return nil, err
		}
		for i := range all {
			if all[i].State == store.InquiryOpen {
				return &all[i], nil
			}
		}
	}
	return nil, nil
}

// Filed releases a report that was filed, at once, unless it is held back. What cannot go to a portal is not offered.
func (a *Acts) Filed(t *act.Tx, r store.Report) error {
	if !result.Releasable(r.Status) || a.Elsewhere.Portal == "" {
		return nil
	}
	h, err := held(t.Q, r.ID, r.OrderID)
	if err != nil || h != nil {
		return err
	}
	return a.send(t, r, r.Status)
}

// Left takes back what was released of a report that has left its chart: the portal is told that it was entered in error.
func (a *Acts) Left(t *act.Tx, r store.Report) error {
	out, err := t.OutgoingAbout(outKind, []string{r.ID})
	if err != nil || len(out) == 0 {
		return err
	}
	if never, err := t.WithdrawOutgoing(outKind, r.ID); err != nil || never {
		return err // none of it can have arrived
	}
	return a.send(t, r, "W")
}

// send queues an issue of a report for the portal. Each issue goes out once, under an identifier of its own.
func (a *Acts) send(t *act.Tx, r store.Report, status string) error {
	p, err := t.Person(r.PatientID)
	if err != nil {
		return err
	}
	if why, err := a.not(t.Q, p); err != nil || why != "" && status != "W" {
		return err // what is there is taken back, whatever is so now
	}
	control := fmt.Sprintf("%s-%d", r.ID, r.Issue)
	if status == "W" {
		control += "-w"
	}
	if _, _, err := t.OutgoingByControl(control); err == nil {
		return nil
	} else if !store.IsNotFound(err) {
		return err
	}
	body, err := fhir.ResultReport{ID: r.ID, Status: status, Title: r.Title, LOINC: r.LOINC, Code: r.Code, Number: r.Filler, Collected: r.CollectedAt, Reported: r.ReportedAt, Performer: r.Performer,
		Notes: r.Notes, Values: r.Values, Patient: fhir.ClaimPatient{Record: p.Record, Family: p.Name.Family, Given: p.Name.Given, BirthDate: p.BirthDate, Gender: fhir.Gender(p.Sex)}}.Alone()
	if err != nil {
		return err
	}
	return errors.Join(t.AddOutgoing(store.Outgoing{Control: control, Destination: destination, Kind: outKind, Subject: r.ID, Body: body, ByID: t.Who.ID}, t.Now),
		t.Audit("release a result to the portal", r.PatientID, r.ID, ""))
}

// not says why nothing is released to a patient's portal: they have none, or the clinic's rule for their age (core/recall).
func (a *Acts) not(q *store.Q, p chart.Patient) (string, error) {
	if !p.UsesPortal {
		return p.Name.Given + " does not use the portal", nil
	}
	if a.Elsewhere.Portal == "" {
		return "no portal is connected", nil
	}
	all, err := q.RegistrationsIn([]string{p.ID})
	if err != nil {
		return "", err
	}
	r, there := all[p.ID]
	if !there {
		r = chart.RegistrationOf(p)
	}
	switch to := recall.AddressOf(r, a.MailRule, a.Today()); {
	case !to.Known:
		return "the birth date is not known, so whose account it is is not certain", nil
	case to.Young:
		return "at this age results are told to " + p.Name.Given + " in person or by telephone (the clinic's rule: " + a.MailRule.Source + ")", nil
	}
	return "", nil
}

// HoldBack holds a result back from the portal until a day, for one of the reasons the law knows. What has gone out cannot be held.
func (a *Acts) HoldBack(ctx context.Context, who act.Actor, x NewHold) (id string, err error) {
	if err := act.Allow(who, act.SignResult); err != nil {
		return "", err
	}
	x.Words = strings.TrimSpace(x.Words)
	switch {
	case x.Reason.Says() == "":
		return "", act.Refuse(act.Invalid, "Choose one of the reasons the law knows.")
	case x.Words == "":
		return "", act.Refuse(act.Invalid, "Write what of this patient makes it so.")
	case (x.Report == "") == (x.Order == ""):
		return "", act.Refuse(act.Invalid, "Hold one report back, or what one order will bring.")
	}
	if err := a.day(x.Until); err != nil {
		return "", err
	}
	err = a.Act(ctx, who, act.SignResult, func(t *act.Tx) error {
		s := holding{Report: x.Report, Order: x.Order, Reason: x.Reason, Words: x.Words, Until: x.Until}
		what, of, patient := "order", x.Order, ""
		if x.Report != "" {
			r, err := t.ReportByID(x.Report)
			if err != nil {
				return act.NotFound(err, "report")
			}
			what, of, patient, s.Title = "report", r.ID, r.PatientID, r.Title
			if h, err := held(t.Q, r.ID, r.OrderID); err != nil || h != nil {
				return errors.Join(err, act.Refuse(act.Conflict, "It is held back already."))
			}
			sent, err := t.OutgoingAbout(outKind, []string{r.ID})
			if err != nil {
				return err
			}
			if out := sent[r.ID]; len(out) > 0 {
				if never, err := t.WithdrawOutgoing(outKind, r.ID); err != nil {
					return err
				} else if !never {
					return act.Refuse(act.Conflict, "It was released on %s and may have been read: it cannot be held back any more. Results of an order can be held back before they come.", chart.SayDay(a.DayOf(store.Stamp(out[0].At))))
				}
			}
		} else {
			o, err := t.OrderByID(x.Order)
			if err != nil {
				return act.NotFound(err, "order")
			}
			patient = o.PatientID
			var names []string
			for _, y := range o.Tests {
				names = append(names, y.Name)
			}
			s.Title = strings.Join(names, ", ")
			if h, err := held(t.Q, "", o.ID); err != nil || h != nil {
				return errors.Join(err, act.Refuse(act.Conflict, "Its results are held back already."))
			}
		}
		p, err := t.Person(patient)
		if err != nil {
			return err
		}
		if why, err := a.not(t.Q, p); err != nil {
			return err
		} else if why != "" {
			return act.Refuse(act.Invalid, "Nothing is released to a portal here: %s.", why)
		}
		before, err := t.InquiriesFrom(origin(what, of))
		if err != nil {
			return err
		}
		said, err := json.Marshal(s)
		if err != nil {
			return err
		}
		id = act.NewID()
		if _, err := t.AddInquiry(store.Inquiry{ID: id, Kind: store.HeldBack, Source: "here", Origin: fmt.Sprintf("%s%03d", origin(what, of), len(before)), PatientID: patient, OwnerID: who.ID, ByID: who.ID,
			Said: said, At: t.Now}); err != nil {
			return err
		}
		t.Tell(act.LineEvent, id, patient)
		return errors.Join(t.OpenLine(act.NewID(), line.HeldBack, id, patient, who.ID, line.Waiting, t.Now), t.Audit("hold a result back from the portal", patient, of, ""))
	})
	return id, err
}

// day is refused where it is none after today.
func (a *Acts) day(until string) error {
	if d, err := time.Parse(time.DateOnly, until); err != nil || d.Format(time.DateOnly) <= a.Today() {
		return act.Refuse(act.Invalid, "Give the day on which it comes back, after today.")
	}
	return nil
}

// Release ends a hold: what it holds goes to the portal at once.
func (a *Acts) Release(ctx context.Context, who act.Actor, id string) error {
	return a.Act(ctx, who, act.SignResult, func(t *act.Tx) error {
		i, s, err := a.find(t.Q, id)
		if err != nil {
			return err
		}
		if i.State != store.InquiryOpen {
			return nil // the same act again
		}
		if err := t.AnswerInquiry(id, "released", "", "", who.ID, t.Now); err != nil {
			return act.Stale(err, "It")
		}
		reports := []store.Report{}
		if s.Report != "" {
			r, err := t.ReportByID(s.Report)
			if err != nil {
				return err
			}
			reports = append(reports, r)
		} else if reports, err = t.ReportsOfOrder(s.Order); err != nil {
			return err
		}
		for _, r := range reports {
			if r.GoneAt == "" && result.Releasable(r.Status) {
				if err := a.send(t, r, r.Status); err != nil {
					return err
				}
			}
			t.Tell(act.ReportEvent, r.ID, r.PatientID)
		}
		t.Tell(act.LineEvent, id, i.PatientID)
		return errors.Join(t.CloseLine(line.HeldBack, id, who.ID, "released", t.Now), t.Audit("release what was held back", i.PatientID, id, ""))
	})
}

// Prolong holds on until another day, with why.
func (a *Acts) Prolong(ctx context.Context, who act.Actor, id, until, words string) error {
	if err := act.Allow(who, act.SignResult); err != nil {
		return err
	}
	if err := a.day(until); err != nil {
		return err
	}
	if words = strings.TrimSpace(words); words == "" {
		return act.Refuse(act.Invalid, "Write why it is held on.")
	}
	return a.Act(ctx, who, act.SignResult, func(t *act.Tx) error {
		i, _, err := a.find(t.Q, id)
		if err != nil {
			return err
		}
		if i.State != store.InquiryOpen {
			return act.Refuse(act.Conflict, "It was released meanwhile.")
		}
		t.Tell(act.LineEvent, id, i.PatientID)
		return errors.Join(t.AddInquiryEvent(store.InquiryEvent{InquiryID: id, Kind: prolonged, Says: until + " " + words, ByID: who.ID, At: t.Now}), t.SetLineState(line.HeldBack, id, line.Waiting),
			t.Audit("hold a result back longer", i.PatientID, id, ""))
	})
}

func (a *Acts) find(q *store.Q, id string) (store.Inquiry, holding, error) {
	var s holding
	i, err := q.InquiryByID(id)
	if err != nil || i.Kind != store.HeldBack {
		return i, s, act.NotFound(errors.Join(err, store.ErrNotFound), "hold")
	}
	return i, s, json.Unmarshal(i.Said, &s)
}

// until is the day on which a hold comes back, by what happened to it, and whether it has passed.
func until(s holding, events []store.InquiryEvent) (day string, gone bool) {
	day = s.Until
	for _, e := range events {
		switch e.Kind {
		case prolonged:
			day, _, _ = strings.Cut(e.Says, " ")
			gone = false
		case passed:
			gone = true
		}
	}
	return day, gone
}

// Hold opens what is held back.
func (a *Acts) Hold(ctx context.Context, who act.Actor, id string) (out HoldView, err error) {
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		i, s, err := a.find(q, id)
		if err != nil {
			return err
		}
		p, err := q.Person(i.PatientID)
		if err != nil {
			return err
		}
		events, err := q.InquiryEvents([]string{id})
		if err != nil {
			return err
		}
		out = HoldView{ID: id, Patient: a.Patient(p), Report: s.Report, Order: s.Order, Title: s.Title, Reason: s.Reason.Says(), Words: s.Words, By: i.By, At: a.Say(i.At), State: i.State, Done: i.Done}
		out.Until, out.Passed = until(s, events)
		if !i.DoneAt.IsZero() {
			out.DoneAt = a.Say(i.DoneAt)
		}
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "open a result held back", out.Patient.ID, id)
	}
	return out, err
}

// RaiseLate brings back what was held until a day that has passed: nothing is released by time alone.
func (a *Acts) RaiseLate(ctx context.Context) (int, error) {
	var late []store.Inquiry
	if err := a.Store.Read(ctx, func(q *store.Q) error {
		open, err := q.InquiriesOpen(store.HeldBack, most)
		if err != nil {
			return err
		}
		of, err := q.InquiryEventsBy(open)
		if err != nil {
			return err
		}
		for _, i := range open {
			var s holding
			if err := json.Unmarshal(i.Said, &s); err != nil {
				return err
			}
			if day, gone := until(s, of[i.ID]); !gone && day <= a.Today() {
				late = append(late, i)
			}
		}
		return nil
	}); err != nil || len(late) == 0 {
		return 0, err
	}
	return len(late), a.Write(ctx, act.Actor{}, func(t *act.Tx) error {
		for _, i := range late {
			t.Tell(act.LineEvent, i.ID, i.PatientID)
			if err := errors.Join(t.AddInquiryEvent(store.InquiryEvent{InquiryID: i.ID, Kind: passed, At: t.Now}), t.SetLineState(line.HeldBack, i.ID, line.Open),
				t.Audit("the day of a line has passed", i.PatientID, i.ID, "")); err != nil {
				return err
			}
		}
		return nil
	})
}

// Run brings back what is late until ctx ends.
func (a *Acts) Run(ctx context.Context, every time.Duration) {
	act.Repeat(ctx, every, "what is held back could not be brought back", func(ctx context.Context) error {
		_, err := a.RaiseLate(ctx)
		return err
	})
}

// Released says of reports of one patient how each stands with the portal.
func (a *Acts) Released(q *store.Q, reports []store.Report) (map[string]results.ReleaseView, error) {
	out := map[string]results.ReleaseView{}
	if len(reports) == 0 {
		return out, nil
	}
	p, err := q.Person(reports[0].PatientID)
	if err != nil {
		return out, err
	}
	why, err := a.not(q, p)
	if err != nil {
		return out, err
	}
	ids := make([]string, len(reports))
	for i, r := range reports {
		ids[i] = r.ID
	}
	sent, err := q.OutgoingAbout(outKind, ids)
	if err != nil {
		return out, err
	}
	holds, err := a.holds(q, p.ID)
	if err != nil {
		return out, err
	}
	for _, r := range reports {
		v := results.ReleaseView{State: "not offered", Says: why}
		h, held := holds["report "+r.ID]
		if !held {
			h, held = holds["order "+r.OrderID]
		}
		switch {
		case held:
			v = h
		case len(sent[r.ID]) > 0:
			last := sent[r.ID][len(sent[r.ID])-1]
			v = results.ReleaseView{State: "released", At: a.Say(last.At), Says: map[string]string{"accepted": "the portal has it", "refused": "the portal refused it: " + last.Error}[last.State]}
			if v.Says == "" {
				v.Says = "on its way to the portal"
			}
		case why == "" && !result.Releasable(r.Status):
			v = results.ReleaseView{State: "waits", Says: "released when it is final"}
		case why == "":
			v = results.ReleaseView{State: "not released", Says: "it came before results were released here"}
		}
		out[r.ID] = v
	}
	return out, nil
}

// holds are the open holds of a patient, by "report" or "order" and its identifier.
func (a *Acts) holds(q *store.Q, patient string) (map[string]results.ReleaseView, error) {
	out := map[string]results.ReleaseView{}
	all, err := q.InquiriesAbout(store.HeldBack, patient)
	if err != nil || len(all) == 0 {
		return out, err
	}
	of, err := q.InquiryEventsBy(all)
	if err != nil {
		return out, err
	}
	for _, i := range all {
		if i.State != store.InquiryOpen {
			continue
		}
		var s holding
		if err := json.Unmarshal(i.Said, &s); err != nil {
			return out, err
		}
		day, gone := until(s, of[i.ID])
		what := "report " + s.Report
		if s.Report == "" {
			what = "order " + s.Order
		}
		out[what] = results.ReleaseView{State: "held back", Hold: i.ID, Until: day, Passed: gone, Says: s.Reason.Says() + ": " + s.Words, By: i.By}
	}
	return out, nil
}

// Lines are the kinds of line of this room.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{{Kind: line.HeldBack, List: act.UnderWay, Fill: func(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
		all, err := q.InquiriesIn(act.Subjects(rows))
		if err != nil {
			return err
		}
		of, err := q.InquiryEventsBy(all)
		act.Describe(rows, all, func(i store.Inquiry) string { return i.ID }, func(row *act.LineRow, i store.Inquiry) {
			var s holding
			_ = json.Unmarshal(i.Said, &s) // written by us
			day, gone := until(s, of[i.ID])
			row.Title = s.Title + ", until " + chart.SayDay(day)
			if gone {
				row.Mark, row.Grave = "the day has passed", true
			}
		})
		return err
	}}}
}

// Destinations are where this room sends: the results of the portal. A refusal stands with the report; the patient has no result then,
// and whoever signs it sees that.
func (a *Acts) Destinations() []act.Destination {
	return []act.Destination{{
		Name: destination,
		Off:  func() bool { return a.Elsewhere.Portal == "" },
		Deliver: func(ctx context.Context, o store.Outgoing) ([]byte, string, error) {
			refused, err := fhir.Hand(ctx, "portal", a.Elsewhere.Portal, "/fhir/DiagnosticReport/", o.Control, "application/fhir+json", o.Body, nil)
			return nil, refused, err
		},
		Settled: func(t *act.Tx, o store.Outgoing, _ []byte, refused string) error {
			r, err := t.ReportByID(o.Subject)
			if err != nil {
				return err
			}
			t.Tell(act.ReportEvent, r.ID, r.PatientID)
			if refused != "" {
				return t.Audit("the portal refused a result", r.PatientID, r.ID, "")
			}
			return nil
		},
	}}
}
