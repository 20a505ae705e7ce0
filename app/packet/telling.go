package packet

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"net/url"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/result"
	"deftledger/exchange/fhir"
	"deftledger/exchange/pdf"
	"deftledger/store"
)

// TellingView is what a patient is still to be told, or was.
type TellingView struct {
	ID       string          `json:"id"`
	Patient  act.PatientView `json:"patient"`
	Way      string          `json:"way" enum:"portal,letter,call,visit"`
	Says     string          `json:"says" doc:"The way, in words"`
	Text     string          `json:"text"`
	Until    string          `json:"until" doc:"The day on which it comes back"`
	Reports  []ToldReport    `json:"reports"`
	Out      bool            `json:"out" doc:"Not all of it was judged in range"`
	By       string          `json:"by"`
	At       string          `json:"at"`
	Attempts []TellTry       `json:"attempts"`
	State    string          `json:"state"`
	Answer   string          `json:"answer"`
	AnswerBy string          `json:"answerBy"`
	AnswerAt string          `json:"answerAt"`
}

// ToldReport is a report that a patient is told of, with what whoever tells them has to know.
type ToldReport struct {
	ID        string `json:"id"`
	Title     string `json:"title"`
	Says      string `json:"says" doc:"Its values in plain words, as it reads now"`
	Comment   string `json:"comment" doc:"What was written in the chart with the signature"`
	Corrected bool   `json:"corrected" doc:"It reads otherwise than when it was signed"`
	Gone      bool   `json:"gone" doc:"It has left this chart: nothing of it is told"`
}

// TellTry is a try to reach the patient, or another thing that happened.
type TellTry struct {
	Says string `json:"says"`
	By   string `json:"by"`
	At   string `json:"at"`
}

// Telling opens what a patient is still to be told.
func (a *Acts) Telling(ctx context.Context, who act.Actor, id string) (out TellingView, err error) {
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		i, err := a.find(q, id, store.ToTell)
		if err != nil {
			return err
		}
		var x telling
		if err := json.Unmarshal(i.Said, &x); err != nil {
			return err
		}
		p, err := q.Person(i.PatientID)
		if err != nil {
			return err
		}
		out = TellingView{ID: i.ID, Patient: a.Patient(p), Way: x.Way, Says: result.Told[x.Way], Text: x.Text, Until: a.due(i), Reports: []ToldReport{}, By: i.By, At: a.Say(i.At),
			Attempts: []TellTry{}, State: i.State, Answer: i.Answer, AnswerBy: i.Done}
		for _, r := range x.Reports {
			out.Out = out.Out || r.Out
		}
		if out.Reports, err = a.toldReports(q, x); err != nil {
			return err
		}
		if !i.DoneAt.IsZero() {
			out.AnswerAt = a.Say(i.DoneAt)
		}
		names, err := q.StaffNames()
		if err != nil {
			return err
		}
		events, err := q.InquiryEvents([]string{id})
		for _, e := range events {
			out.Attempts = append(out.Attempts, TellTry{strings.TrimSuffix(e.Kind+": "+e.Says, ": "), names[e.ByID], a.Say(e.At)})
		}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open what a patient is to be told", out.Patient.ID, id)
	}
	return out, err
}

// toldReports are the reports of a telling as they read now.
func (a *Acts) toldReports(q *store.Q, x telling) ([]ToldReport, error) {
	ids := make([]string, len(x.Reports))
	for i, r := range x.Reports {
		ids[i] = r.ID
	}
	reports, err := q.ReportsIn(ids)
	if err != nil {
		return nil, err
	}
	reviews, err := q.ReviewsIn(ids)
	if err != nil {
		return nil, err
	}
	out := []ToldReport{}
	for _, told := range x.Reports {
		i := slices.IndexFunc(reports, func(r store.Report) bool { return r.ID == told.ID })
		if i < 0 || reports[i].GoneAt != "" {
			out = append(out, ToldReport{ID: told.ID, Title: told.Title, Gone: true})
			continue
		}
		r := reports[i]
		v := ToldReport{ID: r.ID, Title: r.Title, Says: result.Tell(r.Title, dayOf(r), r.Values, result.Unsaid, ""), Corrected: r.SignedIssue != r.Issue || len(reviews[r.ID]) > 0 && reviews[r.ID][0].Issue != told.Issue}
		for _, w := range reviews[r.ID] {
			if w.Issue == told.Issue {
				v.Comment = w.Comment
			}
		}
		out = append(out, v)
	}
	return out, nil
}

// TellAttempt is a try to tell a patient, or how they were told.
type TellAttempt struct {
	Came string `json:"came" enum:"reached,no answer,posted,at the visit,not told" doc:"Only no answer leaves the line open"`
	Who  string `json:"who,omitempty" maxLength:"200" doc:"Who was reached; needed for reached"`
	Why  string `json:"why,omitempty" maxLength:"1000" doc:"A remark; needed for not told"`
}

// Tried keeps what came of telling a patient. What reached them closes the line; no answer keeps it.
func (a *Acts) Tried(ctx context.Context, who act.Actor, id string, x TellAttempt) error {
	x.Who, x.Why = chart.Tidy(x.Who), chart.Tidy(x.Why)
	return a.Act(ctx, who, act.SeeResults, func(t *act.Tx) error {
		i, err := a.find(t.Q, id, store.ToTell)
		switch {
		case err != nil:
			return err
		case i.State != store.InquiryOpen:
			return act.Refuse(act.Conflict, "It was closed by %s: %s.", i.Done, i.Answer)
		case x.Came == "reached" && x.Who == "":
			return act.Refuse(act.Invalid, "Say who was reached.")
		case x.Came == "not told" && x.Why == "":
			return act.Refuse(act.Invalid, "Say why the patient is not told.")
		case x.Came == "not told" && !act.May(who.Role, act.SignResult):
			return act.Refuse(act.Forbidden, "Your role, %s, may not decide that a patient is not told.", who.Role)
		}
		says := x.Came
		for _, more := range []string{x.Who, x.Why} {
			if more != "" {
				says += ", " + more
			}
		}
		if err := t.AddInquiryEvent(store.InquiryEvent{InquiryID: id, Kind: x.Came, Says: strings.TrimPrefix(strings.TrimPrefix(says, x.Came), ", "), ByID: who.ID, At: t.Now}); err != nil {
			return err
		}
		if x.Came != "no answer" {
			if err := t.AnswerInquiry(id, "told", says, "", who.ID, t.Now); err != nil {
				return act.Stale(err, "It")
			}
			if err := t.CloseLine(line.Telling, id, who.ID, says, t.Now); err != nil {
				return err
			}
		}
		t.Tell(act.LineEvent, id, i.PatientID)
		return t.Audit("say what came of telling the patient", i.PatientID, id, x.Came)
	})
}

// Poll asks the portal which messages of results were read; that closes their lines in the name of who wrote them.
func (a *Acts) Poll(ctx context.Context) error {
	if a.Elsewhere.Portal == "" {
		return nil
	}
	by := map[string]store.Inquiry{}
	var ids []string
	if err := a.Store.Read(ctx, func(q *store.Q) error {
		open, err := q.InquiriesOpen(store.ToTell, most)
		for _, i := range open {
			var x telling
			if err := json.Unmarshal(i.Said, &x); err != nil {
				return err
			}
			if x.Way == "portal" {
				ids = append(ids, i.ID)
				by[i.ID] = i
			}
		}
		return err
	}); err != nil {
		return err
	}
	for some := range slices.Chunk(ids, 100) {
		body, err := fhir.Search(ctx, a.Elsewhere.Portal+"/fhir", "Communication", url.Values{"_id": {strings.Join(some, ",")}})
		if err != nil {
			return err
		}
		reply, err := fhir.Receipts(body)
		if err != nil {
			return err
		}
		for _, why := range reply.Left {
			slog.Warn("a receipt of the portal was left out", "why", why)
		}
		for _, r := range reply.Taken {
			i, ours := by[r.ID]
			if !ours {
				continue
			}
			if err := a.Write(ctx, act.Actor{ID: i.ByID}, func(t *act.Tx) error {
				now, err := t.InquiryByID(i.ID)
				if err != nil || now.State != store.InquiryOpen {
					return err
				}
				says := "read in the portal, " + r.Read
				if err := t.AddInquiryEvent(store.InquiryEvent{InquiryID: i.ID, Kind: "read", Says: r.Read, At: t.Now}); err != nil {
					return err
				}
				if err := t.AnswerInquiry(i.ID, "told", says, "", i.ByID, t.Now); err != nil {
					return err
				}
				t.Tell(act.LineEvent, i.ID, i.PatientID)
				return errors.Join(t.CloseLine(line.Telling, i.ID, i.ByID, says, t.Now), t.Audit("a message of results was read", i.PatientID, i.ID, ""))
			}); err != nil {
				return err
			}
		}
	}
	return nil
}

func (a *Acts) fillTellings(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
	all, err := q.InquiriesIn(act.Subjects(rows))
	if err != nil {
		return err
	}
	events, err := q.InquiryEvents(act.Subjects(rows))
	tries, late, gone := map[string]int{}, map[string]bool{}, map[string]bool{}
	for _, e := range events {
		if e.Kind == "no answer" {
			tries[e.InquiryID]++
		}
		late[e.InquiryID] = late[e.InquiryID] || e.Kind == passed
		gone[e.InquiryID] = gone[e.InquiryID] || e.Kind == left
	}
	act.Describe(rows, all, func(i store.Inquiry) string { return i.ID }, func(row *act.LineRow, i store.Inquiry) {
		var x telling
		_ = json.Unmarshal(i.Said, &x) // written by us
		var titles []string
		for _, r := range x.Reports {
			titles = append(titles, r.Title)
		}
		row.Title = words(titles) + ", " + result.Told[x.Way]
		switch {
		case gone[i.ID]:
			row.Mark, row.Grave = "a report has left the chart", true
		case late[i.ID]:
			row.Mark, row.Grave = "not told yet", true
			if x.Way == "portal" {
				row.Mark = "not read"
			}
		case tries[i.ID] > 0:
			row.Mark = "no answer"
		}
	})
	return err
}

// Letters are letters to patients of which nobody has said that they were posted, as one PDF for window envelopes: all of the person, or one.
func (a *Acts) Letters(ctx context.Context, who act.Actor, id string) ([]byte, error) {
	var letters []pdf.MailLetter
	var printed []store.Inquiry
	err := a.Act(ctx, who, act.SeeResults, func(t *act.Tx) error {
		letters, printed = nil, nil
		open, err := t.InquiriesOpen(store.ToTell, most)
		if err != nil {
			return err
		}
		for _, i := range open {
			var x telling
			if err := json.Unmarshal(i.Said, &x); err != nil {
				return err
			}
			if x.Way == "letter" && (i.ID == id || id == "" && i.OwnerID == who.ID) {
				p, err := t.Person(i.PatientID)
				if err != nil {
					return err
				}
				to, err := a.address(t.Q, p)
				if err != nil {
					return err
				}
				letters = append(letters, pdf.MailLetter{From: a.Practice, To: to.Lines, Day: chart.SayDay(a.DayOf(store.Stamp(i.At))), Text: x.Text})
				printed = append(printed, i)
			}
		}
		for _, i := range printed {
			if err := t.AddInquiryEvent(store.InquiryEvent{InquiryID: i.ID, Kind: "printed", ByID: who.ID, At: t.Now}); err != nil {
				return err
			}
			if err := t.Audit("print a letter of results", i.PatientID, i.ID, ""); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	if len(letters) == 0 {
		return nil, act.Refuse(act.Missing, "No letters wait.")
	}
	return pdf.Mail(slices.Clip(letters))
}
