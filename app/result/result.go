package result

import (
	"context"
	"strings"

	"deftledger/app/act"
	orders "deftledger/app/order"
	"deftledger/core/line"
	"deftledger/core/result"
	"deftledger/store"
)

// ValueView is one value as the laboratory sent it, beside our own reading.
type ValueView struct {
	Code     string        `json:"code"`
	Name     string        `json:"name"`
	Text     string        `json:"text"`
	Unit     string        `json:"unit"`
	Range    string        `json:"range"`
	Flag     string        `json:"flag"`
	Side     string        `json:"side" doc:"above, below, critical above, critical below, abnormal, or empty"`
	Reading  string        `json:"reading" doc:"Our reading of the range it came with"`
	Disagree bool          `json:"disagree" doc:"The laboratory's flag and our reading tell different things"`
	Status   string        `json:"status"`
	Notes    string        `json:"notes"`
	Earlier  []EarlierView `json:"earlier"`
}

// EarlierView is a former value of the same analyte.
type EarlierView struct {
	At   string `json:"at"`
	Text string `json:"text"`
	Unit string `json:"unit"`
	Flag string `json:"flag"`
	Side string `json:"side"`
}

func side(flag string) string {
	s := ""
	switch result.FlagReading(flag) {
	case result.Above:
		s = "above"
	case result.Below:
		s = "below"
	default:
		if result.Abnormal(flag) {
			s = "abnormal"
		}
	}
	if result.Critical(flag) {
		s = strings.TrimSpace("critical " + strings.TrimPrefix(s, "abnormal"))
	}
	return s
}

func valueView(v result.Value) ValueView {
	return ValueView{Code: v.Code, Name: v.Name, Text: v.Text, Unit: v.Unit, Range: v.Range, Flag: v.Flag, Side: side(v.Flag),
		Reading: string(result.Read(v.Text, v.Range)), Disagree: result.Disagree(v), Status: v.Status, Notes: v.Notes, Earlier: []EarlierView{}}
}

// ReportRow is a report in a list.
type ReportRow struct {
	ID          string `json:"id"`
	Title       string `json:"title"`
	Status      string `json:"status" enum:"preliminary,final,corrected,cannot be done,incomplete"`
	CollectedAt string `json:"collectedAt"`
	ReceivedAt  string `json:"receivedAt"`
	Performer   string `json:"performer"`
	Above       int    `json:"above"`
	Below       int    `json:"below"`
	Abnormal    int    `json:"abnormal"`
	Critical    string `json:"critical" doc:"The first critical value with unit and flag, or empty"`
	CriticalOf  string `json:"criticalOf"`
	Signed      bool   `json:"signed"`
	Reopened    bool   `json:"reopened" doc:"An earlier issue was signed, this one is not"`
}

// Row writes a report as lists show it.
func (a *Acts) Row(r store.Report) ReportRow {
	row := ReportRow{ID: r.ID, Title: r.Title, Status: act.StatusWord(r.Status), CollectedAt: r.CollectedAt, ReceivedAt: a.Say(r.ReceivedAt),
		Performer: r.Performer, Signed: r.SignedIssue == r.Issue, Reopened: r.SignedIssue > 0 && r.SignedIssue != r.Issue}
	for _, v := range r.Values {
		switch s := side(v.Flag); {
		case strings.HasPrefix(s, "critical"):
			if row.Critical == "" {
				row.Critical, row.CriticalOf = strings.TrimSpace(v.Text+" "+v.Unit)+" "+v.Flag, v.Name
			}
		case s == "above":
			row.Above++
		case s == "below":
			row.Below++
		case s == "abnormal":
			row.Abnormal++
		}
	}
	return row
}

// ReviewView is a signature under one issue of a report.
type ReviewView struct {
	Issue      int    `json:"issue"`
	Comment    string `json:"comment"`
	Told       string `json:"told"`
	ToldReason string `json:"toldReason"`
	By         string `json:"by"`
	At         string `json:"at"`
	Folio      int    `json:"folio"`
}

// ReportView is a report open on the page.
type ReportView struct {
	ReportRow
	Patient    act.PatientView   `json:"patient"`
	Phone      string            `json:"phone" doc:"Of the performing laboratory"`
	ReportedAt string            `json:"reportedAt"`
	Notes      string            `json:"notes"`
	Values     []ValueView       `json:"values"`
	Reviews    []ReviewView      `json:"reviews"`
	Order      *orders.OrderView `json:"order,omitempty"`
	Issue      int               `json:"issue"`
	Version    int               `json:"version"`
	MatchedBy  string            `json:"matchedBy"`
	Mine       bool              `json:"mine"`
	Owner      string            `json:"owner"`
}

// Report opens a report. Looking is recorded and closes nothing.
func (a *Acts) Report(ctx context.Context, who act.Actor, id string, opened bool) (out ReportView, err error) {
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		r, err := q.ReportByID(id)
		if err != nil {
			return act.NotFound(err, "report")
		}
		p, err := q.Person(r.PatientID)
		if err != nil {
			return err
		}
		names, err := q.StaffNames()
		if err != nil {
			return err
		}
		out = ReportView{ReportRow: a.Row(r), Patient: a.Patient(p), ReportedAt: r.ReportedAt, Notes: r.Notes, Values: []ValueView{},
			Reviews: []ReviewView{}, Issue: r.Issue, Version: r.Version, MatchedBy: names[r.MatchedBy], Mine: r.OwnerID == who.ID,
			Owner: names[r.OwnerID]}
		if r.Performer == "" || strings.Contains(r.Performer, a.Laboratory.Name) {
			out.Phone = a.Laboratory.Phone
		}
		earlier, err := q.EarlierValues(r)
		if err != nil {
			return err
		}
		for _, v := range r.Values {
			view := valueView(v)
			for _, e := range earlier {
				same := v.LOINC != "" && e.LOINC == v.LOINC || v.LOINC == "" && v.Code != "" && e.Code == v.Code
				if same && len(view.Earlier) < 6 {
					view.Earlier = append(view.Earlier, EarlierView{At: e.CollectedAt, Text: e.Text, Unit: e.Unit, Flag: e.Flag, Side: side(e.Flag)})
				}
			}
			out.Values = append(out.Values, view)
		}
		reviews, err := q.Reviews(id)
		if err != nil {
			return err
		}
		for _, v := range reviews {
			out.Reviews = append(out.Reviews, ReviewView{Issue: v.Issue, Comment: v.Comment, Told: result.Told[v.Told], ToldReason: v.ToldReason,
				By: names[v.SignedBy], At: a.Say(v.SignedAt), Folio: v.Folio})
		}
		if r.OrderID != "" {
			o, err := q.OrderByID(r.OrderID)
			if err != nil {
				return err
			}
			view := a.Order.View(o)
			out.Order = &view
		}
		return nil
	})
	if err == nil && opened {
		err = a.Write(ctx, who, func(t *act.Tx) error { return t.Audit("open report", out.Patient.ID, id, "") })
	}
	return out, err
}

// SignedResult is what signing a report records.
type SignedResult struct {
	ReportID, Comment, Told, ToldReason, Secret string
	Issue, Version                              int
}

// sealedReview is the sealed content of a result review: the values as they were
// seen, and what was said about them.
type sealedReview struct {
	Report    string         `json:"report"`
	Title     string         `json:"title"`
	Issue     int            `json:"issue"`
	Status    string         `json:"status"`
	Collected string         `json:"collected"`
	Values    []result.Value `json:"values"`
	Comment   string         `json:"comment"`
	Told      string         `json:"told"`
	Reason    string         `json:"reason"`
}

// SignReport reviews and signs the present issue of a report; that closes its
// line, and the order's when all its tests are final and signed.
func (a *Acts) SignReport(ctx context.Context, who act.Actor, s SignedResult) error {
	if err := act.Allow(who, act.SignResult); err != nil {
		return err
	}
	if len(s.Comment) > 20_000 {
		return act.Refuse(act.TooLarge, "The comment is too long.")
	}
	if err := a.OpenSigning(ctx, &who, s.Secret); err != nil {
		return err
	}
	return a.Act(ctx, who, act.SignResult, func(t *act.Tx) error {
		r, err := t.ReportByID(s.ReportID)
		if err != nil {
			return act.NotFound(err, "report")
		}
		if reviews, err := t.Reviews(r.ID); err != nil {
			return err
		} else if len(reviews) > 0 && reviews[0].Issue == r.Issue && reviews[0].Issue == s.Issue && reviews[0].SignedBy == who.ID &&
			reviews[0].Comment == s.Comment && reviews[0].Told == s.Told {
			return nil // the same act sent again after a lost answer
		}
		p, err := t.Person(r.PatientID)
		if err != nil {
			return err
		}
		if err := result.Closing(r.Status, s.Told, s.ToldReason, p.UsesPortal); err != nil {
			return act.Refuse(act.Invalid, "%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
		}
		if s.Issue != r.Issue || s.Version != r.Version {
			return act.Stale(store.ErrStale, "The report")
		}
		e, err := t.Seal(r.PatientID, "result review", r.ID, 0, sealedReview{Report: r.ID, Title: r.Title, Issue: r.Issue, Status: r.Status,
			Collected: r.CollectedAt, Values: r.Values, Comment: s.Comment, Told: s.Told, Reason: s.ToldReason})
		if err != nil {
			return err
		}
		if err := t.AddReview(store.Review{ReportID: r.ID, Issue: r.Issue, Comment: s.Comment, Told: s.Told, ToldReason: s.ToldReason,
			SignedBy: who.ID, SignedAt: t.Now, Folio: e.Folio}, s.Version); err != nil {
			return act.Stale(err, "The report")
		}
		if err := t.CloseLine(line.Report, r.ID, who.ID, "signed, "+result.Told[s.Told], t.Now); err != nil {
			return err
		}
		if r.OrderID != "" {
			if err := a.Order.Settle(t, r.OrderID); err != nil {
				return err
			}
		}
		t.Tell(act.ReportEvent, r.ID, r.PatientID)
		t.Tell(act.LineEvent, r.ID, r.PatientID)
		return t.Audit("sign report", r.PatientID, r.ID, "")
	})
}
