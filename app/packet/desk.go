package packet

import (
	"context"
	"encoding/json"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/store"
)

// deskWords is what is kept of what the front desk may tell of results.
type deskWords struct {
	Text    string  `json:"text"`
	Telling string  `json:"telling,omitempty"` // the line of what the patient is still to be told, which the telling closes
	Reports []told1 `json:"reports"`
}

// DeskWords is what the front desk may tell a patient of results on the telephone, and nothing else of them.
type DeskWords struct {
	ID    string    `json:"id"`
	Text  string    `json:"text"`
	By    string    `json:"by" doc:"Who wrote it"`
	At    string    `json:"at"`
	Tries []TellTry `json:"tries" doc:"When it was told, and to whom"`
}

// allow keeps what the front desk may tell of results that are signed.
func (a *Acts) allow(t *act.Tx, id string, p chart.Patient, x deskWords) error {
	body, err := json.Marshal(x)
	if err != nil {
		return err
	}
	id = "desk-" + id
	if _, err := t.AddInquiry(store.Inquiry{ID: id, Kind: store.ForDesk, Source: "here", Origin: "front desk " + id, PatientID: p.ID, OwnerID: t.Who.ID, ByID: t.Who.ID, Said: body, At: t.Now}); err != nil {
		return err
	}
	t.Tell(act.PatientEvent, p.ID, p.ID)
	return t.Audit("write what the front desk may tell", p.ID, id, "")
}

// holds says whether what was written may still be told: each of its reports is in the chart and reads as when it was signed.
func (a *Acts) holds(q *store.Q, i store.Inquiry) (x deskWords, ok bool, err error) {
	if err := json.Unmarshal(i.Said, &x); err != nil {
		return x, false, err
	}
	ids := make([]string, len(x.Reports))
	for k, r := range x.Reports {
		ids[k] = r.ID
	}
	reports, err := q.ReportsIn(ids)
	ok = len(reports) == len(ids) && i.State == store.InquiryOpen
	for _, r := range reports {
		ok = ok && r.GoneAt == "" && r.SignedIssue == r.Issue && act.SamePerson(q, r.PatientID, i.PatientID)
	}
	return x, ok, err
}

// DeskWords are what the front desk may tell a patient of results, newest first. What a correction has overtaken, or what has left the
// chart, is not among them.
func (a *Acts) DeskWords(ctx context.Context, who act.Actor, patient string) (out []DeskWords, err error) {
	out = []DeskWords{}
	err = a.Look(ctx, who, act.SeeDeskWords, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		all, err := q.InquiriesAbout(store.ForDesk, p.ID)
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
			x, ok, err := a.holds(q, i)
			if err != nil {
				return err
			}
			if !ok {
				continue
			}
			w := DeskWords{ID: i.ID, Text: x.Text, By: i.By, At: a.Say(i.At), Tries: []TellTry{}}
			for _, e := range events[i.ID] {
				w.Tries = append(w.Tries, TellTry{strings.TrimSuffix(e.Kind+": "+e.Says, ": "), names[e.ByID], a.Say(e.At)})
			}
			out = append(out, w)
		}
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "see what may be told at the front desk", patient, "")
	}
	return out, err
}

// ToldAtDesk keeps that the front desk told what was written for it, and to whom. Where the patient was still to be called about the same
// reports, that is done with it.
func (a *Acts) ToldAtDesk(ctx context.Context, who act.Actor, id, whom string) error {
	whom = chart.Tidy(whom)
	return a.Act(ctx, who, act.SeeDeskWords, func(t *act.Tx) error {
		i, err := a.find(t.Q, id, store.ForDesk)
		if err != nil {
			return err
		}
		if whom == "" {
			return act.Refuse(act.Invalid, "Say to whom it was told.")
		}
		x, ok, err := a.holds(t.Q, i)
		switch {
		case err != nil:
			return err
		case !ok:
			return act.Refuse(act.Conflict, "A report has changed since it was written: it is not told any more. Ask whoever wrote it.")
		}
		if err := t.AddInquiryEvent(store.InquiryEvent{InquiryID: id, Kind: "told", Says: whom, ByID: who.ID, At: t.Now}); err != nil {
			return err
		}
		if x.Telling != "" {
			told, err := t.InquiryByID(x.Telling)
			if err != nil && !store.IsNotFound(err) {
				return err
			}
			if err == nil && told.State == store.InquiryOpen {
				says := "reached, " + whom + ", by the front desk"
				if err := t.AnswerInquiry(told.ID, "told", says, "", who.ID, t.Now); err != nil {
					return act.Stale(err, "It")
				}
				if err := t.CloseLine(line.Telling, told.ID, who.ID, says, t.Now); err != nil {
					return err
				}
				t.Tell(act.LineEvent, told.ID, i.PatientID)
			}
		}
		t.Tell(act.PatientEvent, i.PatientID, i.PatientID)
		return t.Audit("tell at the front desk what was written for it", i.PatientID, id, "")
	})
}

// deskOf is what the front desk may tell of some reports, as their page shows it, by report.
func (a *Acts) deskOf(q *store.Q, patient string, reports []store.Report) (map[string]string, error) {
	out := map[string]string{}
	all, err := q.InquiriesAbout(store.ForDesk, patient)
	for _, i := range all {
		x, ok, err := a.holds(q, i)
		if err != nil {
			return out, err
		}
		for _, r := range x.Reports {
			if ok && out[r.ID] == "" && slices.ContainsFunc(reports, func(y store.Report) bool { return y.ID == r.ID }) {
				out[r.ID] = x.Text
			}
		}
	}
	return out, err
}
