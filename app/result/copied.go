package result

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/exchange/hl7v2"
	"deftledger/store"
)

// copied is what is kept of a copy of a result: its report, and who ordered it, as the message says.
type copied struct {
	Report string `json:"report"`
	Issue  int    `json:"issue"`
	Title  string `json:"title"`
	From   string `json:"from,omitempty"`
}

// CopyView is a result that somebody else answers for, of which one of us has a copy.
type CopyView struct {
	ID       string          `json:"id"`
	Patient  act.PatientView `json:"patient"`
	Report   string          `json:"report"`
	Title    string          `json:"title"`
	From     string          `json:"from" doc:"Who ordered it, as the message says"`
	Answers  string          `json:"answers" doc:"Who of us answers for the report"`
	To       string          `json:"to"`
	Mine     bool            `json:"mine"`
	At       string          `json:"at"`
	State    string          `json:"state" enum:"open,read"`
	Says     string          `json:"says"`
	ReadBy   string          `json:"readBy"`
	ReadAt   string          `json:"readAt"`
	Outdated bool            `json:"outdated" doc:"The laboratory has sent another issue since"`
}

// oursIn finds who of us is meant by somebody whom a message names: by the National Provider Identifier, else by family and given name
// where exactly one of us who signs results is called so. ok is false for everybody else.
func (a *Acts) oursIn(q *store.Q, people []hl7v2.Person) (out []store.Staff, err error) {
	if len(people) == 0 {
		return nil, nil
	}
	staff, err := q.AllStaff()
	if err != nil {
		return nil, err
	}
	staff = slices.DeleteFunc(staff, func(s store.Staff) bool { return !s.Active || !act.May(s.Role, act.SignResult) })
	npi := map[string]string{}
	for _, s := range staff {
		if npi[s.ID], err = q.NPIOf(s.ID); err != nil {
			return nil, err
		}
	}
	for _, p := range people {
		var found []store.Staff
		for _, s := range staff {
			if p.ID != "" && p.ID == npi[s.ID] {
				found = []store.Staff{s}
				break
			}
			if npi[s.ID] != "" && len(p.ID) == 10 && p.ID != npi[s.ID] {
				continue // another number: somebody else of that name
			}
			if p.Family != "" && p.Given != "" && chart.Fold(p.Family) == chart.Fold(s.Family) && chart.Fold(p.Given) == chart.Fold(s.Given) {
				found = append(found, s)
			}
		}
		if len(found) == 1 && !slices.ContainsFunc(out, func(s store.Staff) bool { return s.ID == found[0].ID }) {
			out = append(out, found[0])
		}
	}
	return out, nil
}

// copies opens a line for each of us who has a copy of a report and does not answer for it, once each issue that is to be read.
func (a *Acts) copies(t *act.Tx, r store.Report, to []store.Staff) error {
	if len(to) == 0 || r.Late {
		return nil
	}
	known, err := t.InquiriesAbout(store.CopiedTo, r.PatientID)
	if err != nil {
		return err
	}
	for _, s := range to {
		open := slices.ContainsFunc(known, func(i store.Inquiry) bool {
			var x copied
			return i.OwnerID == s.ID && i.State == store.InquiryOpen && json.Unmarshal(i.Said, &x) == nil && x.Report == r.ID
		})
		if open || s.ID == r.OwnerID {
			continue
		}
		body, err := json.Marshal(copied{r.ID, r.Issue, r.Title, r.Details.Orderer})
		if err != nil {
			return err
		}
		id := act.NewID()
		added, err := t.AddInquiry(store.Inquiry{ID: id, Kind: store.CopiedTo, Source: "here", Origin: fmt.Sprintf("copy %s %d %s", r.ID, r.Issue, s.ID), PatientID: r.PatientID, OwnerID: s.ID, Said: body, At: t.Now})
		if err != nil {
			return err
		}
		if !added {
			continue
		}
		if err := t.OpenLine(act.NewID(), line.Copied, id, r.PatientID, s.ID, line.Open, t.Now); err != nil {
			return err
		}
		if err := t.RankLine(line.Copied, id, line.Open, line.AsExpected); err != nil {
			return err
		}
		t.Tell(act.LineEvent, id, r.PatientID)
	}
	return nil
}

func (a *Acts) copyView(q *store.Q, who act.Actor, i store.Inquiry, names map[string]string) (v CopyView, err error) {
	var x copied
	if err := json.Unmarshal(i.Said, &x); err != nil {
		return v, err
	}
	v = CopyView{ID: i.ID, Report: x.Report, Title: x.Title, From: x.From, To: names[i.OwnerID], Mine: i.OwnerID == who.ID, At: a.Say(i.At), State: i.State, Says: i.Answer, ReadBy: i.Done}
	if !i.DoneAt.IsZero() {
		v.ReadAt = a.Say(i.DoneAt)
	}
	now, err := q.IssueOf(x.Report)
	v.Outdated = now != x.Issue
	return v, err
}

// Copy opens a copy of a result.
func (a *Acts) Copy(ctx context.Context, who act.Actor, id string) (out CopyView, err error) {
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		i, err := q.InquiryByID(id)
		if err != nil || i.Kind != store.CopiedTo {
			return act.Refuse(act.Missing, "There is no such copy.")
		}
		names, err := q.StaffNames()
		if err != nil {
			return err
		}
		if out, err = a.copyView(q, who, i, names); err != nil {
			return err
		}
		r, err := q.ReportByID(out.Report)
		if err != nil {
			return err
		}
		out.Answers = names[r.OwnerID]
		p, err := q.Person(i.PatientID)
		out.Patient = a.Patient(p)
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open a copy of a result", out.Patient.ID, id)
	}
	return out, err
}

// ReadCopy says that a copy was read, with what whoever read it adds for the chart. It signs nothing.
func (a *Acts) ReadCopy(ctx context.Context, who act.Actor, id, says string) error {
	says = strings.TrimSpace(says)
	return a.Act(ctx, who, act.SeeResults, func(t *act.Tx) error {
		i, err := t.InquiryByID(id)
		if err != nil || i.Kind != store.CopiedTo {
			return act.Refuse(act.Missing, "There is no such copy.")
		}
		beside, err := t.Beside(who.ID, a.Today())
		if err != nil {
			return err
		}
		var x copied
		if err := json.Unmarshal(i.Said, &x); err != nil {
			return err
		}
		switch {
		case i.OwnerID != who.ID && !slices.Contains(beside.Covers, i.OwnerID):
			return act.Refuse(act.Forbidden, "It was sent to somebody else.")
		case i.State == "read" && i.Answer == says && i.DoneBy == who.ID:
			return nil // the same act again
		case i.State != store.InquiryOpen:
			return act.Refuse(act.Conflict, "%s has read it.", i.Done)
		}
		if err := t.AnswerInquiry(id, "read", says, "", who.ID, t.Now); err != nil {
			return act.Stale(err, "It")
		}
		if err := t.CloseLine(line.Copied, id, who.ID, "read", t.Now); err != nil {
			return err
		}
		t.Tell(act.LineEvent, id, i.PatientID)
		t.Tell(act.ReportEvent, x.Report, i.PatientID)
		return t.Audit("read a copy of a result", i.PatientID, x.Report, "")
	})
}

// uncopy ends the copies of a report that leaves its chart.
func (a *Acts) uncopy(t *act.Tx, r store.Report) error {
	all, err := t.InquiriesAbout(store.CopiedTo, r.PatientID)
	if err != nil {
		return err
	}
	for _, i := range all {
		var x copied
		if err := json.Unmarshal(i.Said, &x); err != nil {
			return err
		}
		if x.Report != r.ID || i.State != store.InquiryOpen {
			continue
		}
		if err := t.AnswerInquiry(i.ID, "left the chart", "the report does not belong in this chart", "", t.Who.ID, t.Now); err != nil {
			return err
		}
		if err := t.CloseLine(line.Copied, i.ID, t.Who.ID, "the report left the chart", t.Now); err != nil {
			return err
		}
		t.Tell(act.LineEvent, i.ID, r.PatientID)
	}
	return nil
}

func (a *Acts) fillCopies(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
	all, err := q.InquiriesIn(act.Subjects(rows))
	act.Describe(rows, all, func(i store.Inquiry) string { return i.ID }, func(row *act.LineRow, i store.Inquiry) {
		var x copied
		_ = json.Unmarshal(i.Said, &x) // written by us
		row.Title = x.Title + ", a copy"
		row.Mark = cmp.Or(strings.TrimSpace("ordered by "+x.From), "ordered elsewhere")
		if x.From == "" {
			row.Mark = "ordered elsewhere"
		}
	})
	return err
}
