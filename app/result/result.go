package result

import (
	"context"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/result"
	"deftledger/store"
)

// ValueView is one value as the laboratory sent it, beside our own reading.
type ValueView struct {
	Code     string         `json:"code"`
	Name     string         `json:"name"`
	Text     string         `json:"text"`
	Unit     string         `json:"unit"`
	Range    string         `json:"range"`
	Flag     string         `json:"flag" doc:"All flags that came"`
	Side     string         `json:"side" doc:"above, below, critical above, critical below, critical, abnormal, in range, or not judged"`
	Reading  string         `json:"reading" enum:"in range,above,below,not judged" doc:"Our reading of the range it came with"`
	Disagree bool           `json:"disagree" doc:"The laboratory's flag and our reading tell different things"`
	Live     bool           `json:"live" doc:"It is a value: not withdrawn, deleted, pending or not obtained"`
	Status   string         `json:"status" doc:"In words; empty for final"`
	Notes    string         `json:"notes"`
	Details  result.Details `json:"details"`
	Earlier  []EarlierView  `json:"earlier"`
	Before   *BeforeView    `json:"before,omitempty" doc:"What stood there before, where it reads differently now"`
	Trend    string         `json:"trend" doc:"Over years, of the filtration rate; empty where too few values are comparable"`
	Change   *ChangeView    `json:"change,omitempty" doc:"Against the last value that can be compared; missing where there is no earlier one"`
}

// ChangeView is what is claimed of a change against an earlier value.
type ChangeView struct {
	Verdict result.Verdict `json:"verdict" enum:"exceeds,within,no figure,not compared"`
	Percent string         `json:"percent" doc:"With its sign; empty where the two are not compared"`
	Limit   string         `json:"limit" doc:"What analysis and the person's own variation explain to this side; empty where there is no figure"`
	Against string         `json:"against" doc:"When the earlier one was collected"`
	Why     string         `json:"why"`
}

// ReleaseView is how a report stands with the patient's portal. That it was released does not say that they were told.
type ReleaseView struct {
	State  string `json:"state" enum:"released,held back,waits,not released,not offered" doc:"waits: it is not final yet"`
	Says   string `json:"says"`
	At     string `json:"at" doc:"When it was released; empty otherwise"`
	Hold   string `json:"hold" doc:"What holds it back; empty for nothing"`
	Until  string `json:"until"`
	Passed bool   `json:"passed" doc:"The day has passed, and somebody has to decide"`
	By     string `json:"by"`
}

// LaidView is a report set for the page: every value stands in exactly one of its parts, by its place among the values.
type LaidView struct {
	First    []TextPartView `json:"first" doc:"What concludes, where the report marks it: impression, final diagnosis, addendum"`
	Sections []TextPartView `json:"sections" doc:"The other texts"`
	Gone     []TextPartView `json:"gone" doc:"Texts of the issue before that are no longer there"`
	Cultures []CultureView  `json:"cultures"`
	Files    []AttachedView `json:"files"`
	Rows     []int          `json:"rows" doc:"What stays in the table"`
}

// TextPartView is a text under its heading.
type TextPartView struct {
	Heading string `json:"heading"`
	Text    string `json:"text"`
	Side    string `json:"side" doc:"Where the laboratory marked it"`
	Status  string `json:"status" doc:"In words; empty for final"`
	Live    bool   `json:"live"`
	Notes   string `json:"notes"`
	Differs bool   `json:"differs" doc:"It read differently before, or was not there"`
	Was     string `json:"was" doc:"As it read before"`
}

// CultureView is an organism and what it is susceptible to.
type CultureView struct {
	SubID    string     `json:"subId"`
	Organism string     `json:"organism" doc:"Empty where the report does not say of which"`
	Drugs    []DrugView `json:"drugs"`
}

// DrugView is a medicine against an organism.
type DrugView struct {
	Row    int    `json:"row" doc:"Its place among the values"`
	Letter string `json:"letter" doc:"S, I, R…; empty where there is none"`
	Word   string `json:"word"`
}

// AttachedView is a file that came with the report.
type AttachedView struct {
	Name  string `json:"name"`
	Type  string `json:"type" doc:"By its first bytes"`
	Said  string `json:"said" doc:"What was said of it, where that is another thing"`
	Size  int    `json:"size"`
	Sum   string `json:"sum" doc:"By which it is opened"`
	Wrong string `json:"wrong" doc:"Why it cannot be read"`
}

// laid sets an issue for the page.
func laid(values []result.Value, parent string) LaidView {
	at := result.Lay(values, parent)
	out := LaidView{First: sections(values, at.First), Sections: sections(values, at.Sections), Gone: []TextPartView{}, Cultures: []CultureView{},
		Files: []AttachedView{}, Rows: append([]int{}, at.Rows...)}
	for _, c := range at.Cultures {
		v := CultureView{SubID: c.SubID, Organism: c.Organism, Drugs: []DrugView{}}
		for _, d := range c.Drugs {
			v.Drugs = append(v.Drugs, DrugView(d))
		}
		out.Cultures = append(out.Cultures, v)
	}
	for _, i := range at.Attached {
		for _, f := range values[i].Details.Attached {
			out.Files = append(out.Files, AttachedView{values[i].Name, f.Type, f.Said, f.Size, f.Sum, f.Wrong})
		}
	}
	return out
}

func sections(values []result.Value, all []result.Section) []TextPartView {
	out := []TextPartView{}
	for _, s := range all {
		v := values[s.Rows[0]]
		view := TextPartView{Heading: s.Heading, Text: s.Text, Status: result.SayStatus(v.Status), Live: result.Live(v.Status), Notes: values[s.Rows[len(s.Rows)-1]].Notes}
		if at := side(result.Stand(v)); at != string(result.NotJudged) {
			view.Side = at
		}
		out = append(out, view)
	}
	return out
}

// against says of each text how it read in the issue before.
func (v *LaidView) against(was LaidView) {
	left := slices.Concat(was.First, was.Sections)
	for _, list := range [][]TextPartView{v.First, v.Sections} {
		for i := range list {
			k := slices.IndexFunc(left, func(s TextPartView) bool { return s.Heading == list[i].Heading })
			if k < 0 {
				list[i].Differs = true
				continue
			}
			list[i].Was, list[i].Differs = left[k].Text, left[k].Text != list[i].Text
			left = slices.Delete(left, k, k+1)
		}
	}
	v.Gone = append(v.Gone, left...)
}

// BeforeView is what a value said in an earlier issue.
type BeforeView struct {
	Text   string `json:"text"`
	Unit   string `json:"unit"`
	Range  string `json:"range"`
	Flag   string `json:"flag"`
	Status string `json:"status"`
	Notes  string `json:"notes"`
	New    bool   `json:"new" doc:"There was no such value before"`
}

// EarlierView is a former value of the same analyte.
type EarlierView struct {
	At   string `json:"at"`
	Text string `json:"text"`
	Unit string `json:"unit"`
	Flag string `json:"flag"`
	Side string `json:"side"`
	// Other says that another laboratory, or another method, measured it.
	Other     string `json:"other" doc:"Who else measured it, or how else; empty for as this one"`
	Converted string `json:"converted" doc:"In the unit of the present value, where it came in another and the way is certain"`
}

// side says where a value stands, in one word or two.
func side(s result.Standing) string {
	at := string(s.Side)
	switch {
	case s.Critical && (s.Side == result.Above || s.Side == result.Below):
		return "critical " + at
	case s.Critical:
		return "critical"
	case s.Abnormal && s.Side != result.Above && s.Side != result.Below:
		return "abnormal"
	}
	return at
}

// flags says the flags that came.
func flags(v result.Value) string { return strings.ReplaceAll(v.Flag, "~", ", ") }

func valueView(v result.Value) ValueView {
	s := result.Stand(v)
	return ValueView{Code: v.Code, Name: v.Name, Text: v.Text, Unit: v.Unit, Range: v.Range, Flag: flags(v), Side: side(s),
		Reading: string(s.Reading), Disagree: s.Disagree, Live: result.Live(v.Status), Status: result.SayStatus(v.Status), Notes: v.Notes,
		Details: v.Details, Earlier: []EarlierView{}}
}

// ReportRow is a report in a list.
type ReportRow struct {
	ID          string `json:"id"`
	Title       string `json:"title"`
	Status      string `json:"status" doc:"In words"`
	Waits       bool   `json:"waits" doc:"For more from the laboratory, rather than for a signature"`
	CollectedAt string `json:"collectedAt"`
	ReceivedAt  string `json:"receivedAt"`
	Performer   string `json:"performer"`
	Above       int    `json:"above"`
	Below       int    `json:"below"`
	Abnormal    int    `json:"abnormal"`
	InRange     int    `json:"inRange"`
	NotJudged   int    `json:"notJudged" doc:"Values that nobody judged, and values that are none"`
	Critical    string `json:"critical" doc:"The first critical value with unit and flag, or empty"`
	CriticalOf  string `json:"criticalOf"`
	Written     bool   `json:"written" doc:"It is, or has, a text or a file, which somebody has to read"`
	Signed      bool   `json:"signed"`
	Reopened    bool   `json:"reopened" doc:"An earlier issue was signed, this one is not"`
}

// Row writes a report as lists show it.
func (a *Acts) Row(r store.Report) ReportRow {
	row := ReportRow{ID: r.ID, Title: r.Title, Status: result.SayReport(r.Status), Waits: result.Waits(r.Status) && !r.WasFinal,
		CollectedAt: r.CollectedAt, ReceivedAt: a.Say(r.ReceivedAt),
		Performer: r.Performer, Signed: r.SignedIssue == r.Issue, Reopened: r.SignedIssue > 0 && r.SignedIssue != r.Issue}
	for _, v := range r.Values {
		switch s := side(result.Stand(v)); {
		case strings.HasPrefix(s, "critical"):
			if row.Critical == "" {
				row.Critical, row.CriticalOf = strings.TrimSpace(v.Text+" "+chart.ShownUnit(v.Unit))+" "+flags(v), v.Name
			}
		case s == "above":
			row.Above++
		case s == "below":
			row.Below++
		case s == "abnormal":
			row.Abnormal++
		case s == string(result.In):
			row.InRange++
		default:
			row.NotJudged++
		}
	}
	if len(r.Values) == 0 {
		row.NotJudged = 1
	}
	laid := result.Lay(r.Values, r.Details.Parent)
	row.Written = len(laid.First)+len(laid.Sections)+len(laid.Attached) > 0
	return row
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
	Rule      string         `json:"rule,omitempty"` // the permission by which a nurse signed
}

// SignReport reviews and signs the present issue of a report by itself, where the patient was told already or is not told; that
// closes its line, and the order's when all its tests are final and signed.
func (a *Acts) SignReport(ctx context.Context, who act.Actor, s SignedResult) error {
	right := SignRight(who)
	if err := act.Allow(who, right); err != nil {
		return err
	}
	if result.Promises(s.Told) {
		return act.Refuse(act.Invalid, "How the patient is told is kept with the packet.")
	}
	if err := a.OpenSigning(ctx, &who, s.Secret); err != nil {
		return err
	}
	return a.Act(ctx, who, right, func(t *act.Tx) error {
		_, err := a.Sign(t, s)
		return err
	})
}

// Sign reviews and signs the present issue of a report within an act; again says that it was signed so before, by the same act sent
// again after a lost answer.
func (a *Acts) Sign(t *act.Tx, s SignedResult) (again bool, err error) {
	if len(s.Comment) > 20_000 {
		return false, act.Refuse(act.TooLarge, "The comment is too long.")
	}
	r, err := t.ReportByID(s.ReportID)
	if err != nil {
		return false, act.NotFound(err, "report")
	}
	if reviews, err := t.Reviews(r.ID); err != nil {
		return false, err
	} else if len(reviews) > 0 && reviews[0].Issue == r.Issue && reviews[0].Issue == s.Issue && reviews[0].SignedBy == t.Who.ID &&
		reviews[0].Comment == s.Comment && reviews[0].Told == s.Told {
		return true, nil
	}
	if r.GoneAt != "" {
		return false, act.Refuse(act.Conflict, "It has left this chart.")
	}
	p, err := t.Person(r.PatientID)
	if err != nil {
		return false, err
	}
	if err := result.Closing(r.Status, r.WasFinal, s.Told, s.ToldReason, p.UsesPortal); err != nil {
		return false, act.Refuse(act.Invalid, "%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
	}
	if s.Issue != r.Issue || s.Version != r.Version {
		return false, act.Stale(store.ErrStale, "The report")
	}
	if err := a.contacted(t.Q, r); err != nil {
		return false, err
	}
	rule, not, err := a.Permits(t.Q, t.Who, r)
	switch {
	case err != nil:
		return false, err
	case not != "":
		return false, act.Refuse(act.Forbidden, "%s is not signed by a %s: %s.", r.Title, t.Who.Role, not)
	case rule != "" && s.Told == "not told":
		return false, act.Refuse(act.Forbidden, "That a patient is not told is for a physician to decide.")
	}
	e, err := t.Seal(r.PatientID, "result review", r.ID, 0, sealedReview{Report: r.ID, Title: r.Title, Issue: r.Issue, Status: r.Status,
		Collected: r.CollectedAt, Values: r.Values, Comment: s.Comment, Told: s.Told, Reason: s.ToldReason, Rule: rule})
	if err != nil {
		return false, err
	}
	if err := t.AddReview(store.Review{ReportID: r.ID, Issue: r.Issue, Comment: s.Comment, Told: s.Told, ToldReason: s.ToldReason,
		SignedBy: t.Who.ID, SignedAt: t.Now, Folio: e.Folio}, s.Version); err != nil {
		return false, act.Stale(err, "The report")
	}
	if err := t.CloseLine(line.Report, r.ID, t.Who.ID, "signed, "+result.Told[s.Told], t.Now); err != nil {
		return false, err
	}
	if r.OrderID != "" {
		if err := a.Order.Settle(t, r.OrderID); err != nil {
			return false, err
		}
	}
	tell(t, r)
	return false, t.Audit("sign report", r.PatientID, r.ID, "")
}
