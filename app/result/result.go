package result

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	orders "deftledger/app/order"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/result"
	"deftledger/core/safety"
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
	Patient    act.PatientView     `json:"patient"`
	Phone      string              `json:"phone" doc:"Of the performing laboratory"`
	ReportedAt string              `json:"reportedAt"`
	Notes      string              `json:"notes"`
	Values     []ValueView         `json:"values"`
	Reviews    []ReviewView        `json:"reviews"`
	Order      *orders.OrderView   `json:"order,omitempty"`
	Issue      int                 `json:"issue"`
	Version    int                 `json:"version"`
	MatchedBy  string              `json:"matchedBy"`
	MatchedWhy string              `json:"matchedWhy" doc:"Why it was attached although the patient named differs"`
	Gone       bool                `json:"gone" doc:"It left this chart, because it does not belong there"`
	FromLab    bool                `json:"fromLab" doc:"It came as a message, and can be taken out of the chart"`
	Filler     string              `json:"filler" doc:"The laboratory's number"`
	Details    store.ReportDetails `json:"details"`
	WasStatus  string              `json:"wasStatus" doc:"The status of the issue before, where it was another"`
	WasNotes   string              `json:"wasNotes" doc:"The notes of the issue before, where they were others"`
	Removed    []ValueView         `json:"removed" doc:"Values of the issue before that are no longer there"`
	Late       []string            `json:"late" doc:"When issues were received that were older than this one"`
	Mine       bool                `json:"mine"`
	Owner      string              `json:"owner"`
	Care       []safety.Warning    `json:"care" doc:"What these values mean for medicines of the list"`
	Beside     []BearingView       `json:"beside" doc:"What of this chart is known to act on these analytes; what stands out of range first"`
	Unread     []string            `json:"unread" doc:"Medicines of the list of which nothing is known, and which were not looked at"`
}

// BearingView is something of the chart that is known to act on analytes of the report. It claims no cause.
type BearingView struct {
	Says   string `json:"says" doc:"What it is and what it does to which analyte"`
	Since  string `json:"since" doc:"As precisely as it stands on the list; empty for not known"`
	Told   string `json:"told" doc:"What the patient said of taking it, where they do not take it as listed"`
	Why    string `json:"why"`
	Source string `json:"source"`
	Out    bool   `json:"out" doc:"One of the analytes stands out of its range"`
}

// beside says what of the chart bears on the values of a report.
func (a *Acts) beside(q *store.Q, r store.Report, out *ReportView) error {
	out.Beside, out.Unread = []BearingView{}, []string{}
	if r.GoneAt != "" || len(r.Values) == 0 {
		return nil
	}
	record, err := a.Order.Record(q, r.PatientID, a.Today())
	if err != nil {
		return err
	}
	found, unread := a.Analytes.Beside(a.Bearing, r.Values, record)
	out.Unread = append(out.Unread, unread...)
	for _, x := range found {
		var words []string
		for _, name := range x.Analytes {
			if len(name) > 1 && name[1] >= 'a' && name[1] <= 'z' { // no abbreviation
				name = strings.ToLower(name[:1]) + name[1:]
			}
			words = append(words, name)
		}
		names := strings.Join(words, ", ")
		says := x.What + " " + x.Does + " " + names
		if x.Does == "disturbs" {
			says = x.What + " can change " + names + " or its measurement"
		}
		v := BearingView{Says: says, Since: x.Since, Why: x.Why, Source: x.Source, Out: x.Out}
		if x.Told != "" && x.Told != "taking" {
			v.Told = x.Told
		}
		out.Beside = append(out.Beside, v)
	}
	return nil
}

// care is what the values of a report mean for what is taken already: a falling filtration
// rate, a rising potassium. Values that a later one replaced say nothing.
func (a *Acts) care(q *store.Q, r store.Report) ([]safety.Warning, error) {
	out := []safety.Warning{}
	watched := a.Medicines.Watched()
	var texts []string
	for _, v := range r.Values {
		if slices.Contains(watched, v.LOINC) && v.Text != "" {
			texts = append(texts, v.Text+" ")
		}
	}
	if len(texts) == 0 || r.GoneAt != "" {
		return out, nil
	}
	all, _, err := a.Order.Care(q, r.PatientID)
	if err != nil {
		return out, err
	}
	for _, w := range slices.Concat(all.Each...) {
		if (w.Kind == safety.Kidney || w.Kind == safety.Laboratory) && !w.Unknown &&
			slices.ContainsFunc(texts, func(t string) bool { return strings.Contains(w.Says, t) }) {
			out = append(out, w)
		}
	}
	return out, nil
}

// Report opens a report. Looking is recorded and closes nothing.
func (a *Acts) Report(ctx context.Context, who act.Actor, id string) (out ReportView, err error) {
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
			Owner: names[r.OwnerID], MatchedWhy: r.MatchedWhy, Gone: r.GoneAt != "", FromLab: r.VisitID == "", Filler: r.Filler, Details: r.Details,
			Removed: []ValueView{}, Late: []string{}, Care: []safety.Warning{}}
		if r.Performer == "" || strings.Contains(r.Performer, a.Laboratory("").Name) {
			out.Phone = a.Laboratory("").Phone
		}
		earlier, err := q.EarlierValues(r)
		if err != nil {
			return err
		}
		for _, v := range r.Values {
			view := valueView(v)
			for _, e := range earlier {
				same := a.Analytes.Same(v.LOINC, e.LOINC) || v.LOINC == "" && v.Code != "" && e.Code == v.Code
				if same && len(view.Earlier) < 6 {
					view.Earlier = append(view.Earlier, a.earlier(r, v, e))
				}
				if same && (view.Change == nil || view.Change.Verdict == result.NotCompared) {
					if c := a.change(r, v, e); view.Change == nil || c.Verdict != result.NotCompared {
						view.Change = &c
					}
				}
			}
			view.Trend = a.trend(r, v, earlier)
			out.Values = append(out.Values, view)
		}
		if err := a.compare(q, r, &out); err != nil {
			return err
		}
		if out.Care, err = a.care(q, r); err != nil {
			return err
		}
		if err := a.beside(q, r, &out); err != nil {
			return err
		}
		late, err := q.LateIssues(id)
		if err != nil {
			return err
		}
		for _, at := range late {
			out.Late = append(out.Late, a.Say(store.Moment(at)))
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
	if err == nil {
		err = a.Saw(ctx, who, "open report", out.Patient.ID, id)
	}
	return out, err
}

// measuredBy names the laboratory that measured a value: ours by its name here, any other as it calls itself.
func (a *Acts) measuredBy(performer string) string {
	for _, l := range a.Laboratories {
		if strings.Contains(performer, l.Name) {
			return l.ID
		}
	}
	return strings.ToLower(strings.TrimSpace(performer))
}

// earlier is a former value beside a present one.
func (a *Acts) earlier(r store.Report, v result.Value, e store.Earlier) EarlierView {
	out := EarlierView{At: e.CollectedAt, Text: e.Text, Unit: e.Unit, Flag: e.Flag,
		Side: side(result.Stand(result.Value{Text: e.Text, Range: e.Range, Flag: e.Flag}))}
	now := cmp.Or(v.Details.Performer, r.Performer)
	switch {
	case a.measuredBy(e.Performer) != a.measuredBy(now):
		out.Other = cmp.Or(e.Performer, "laboratory not named")
	case e.Method != v.Details.Method:
		out.Other = cmp.Or(e.Method, "method not named")
	}
	if e.Unit != v.Unit {
		out.Converted, _ = a.Analytes.Converted(v.LOINC, e.Text, e.Unit, v.Unit)
	}
	return out
}

// change is what is claimed of a value against an earlier one. What is no live value has not changed.
func (a *Acts) change(r store.Report, v result.Value, e store.Earlier) ChangeView {
	if !result.Live(v.Status) {
		return ChangeView{Verdict: result.NotCompared, Against: e.CollectedAt, Why: "there is no value"}
	}
	c := a.Analytes.Change(result.Point{LOINC: e.LOINC, Text: e.Text, Unit: e.Unit, Laboratory: a.measuredBy(e.Performer), Method: e.Method},
		result.Point{LOINC: v.LOINC, Text: v.Text, Unit: v.Unit, Laboratory: a.measuredBy(cmp.Or(v.Details.Performer, r.Performer)), Method: v.Details.Method})
	out := ChangeView{Verdict: c.Verdict, Against: e.CollectedAt, Why: c.Why}
	if c.Verdict != result.NotCompared {
		out.Percent = result.SayPercent(c.Percent)
	}
	if limit := c.Up; c.Up != 0 {
		if c.Percent < 0 {
			limit = c.Down
		}
		out.Limit = result.SayPercent(limit)
	}
	return out
}

// trend tells how an analyte went over years, by the values of the same code, unit, laboratory and method.
func (a *Acts) trend(r store.Report, v result.Value, earlier []store.Earlier) string {
	if !a.Analytes.Trending(v.LOINC) || !result.Live(v.Status) {
		return ""
	}
	var points []result.Dated
	add := func(at, text string) bool {
		if len(at) < len(time.DateOnly) {
			return false
		}
		day, err := time.Parse(time.DateOnly, at[:len(time.DateOnly)])
		value, ok := result.Plain(text)
		if err == nil && ok {
			points = append(points, result.Dated{Day: int(day.Unix() / 86400), Value: value})
		}
		return err == nil && ok
	}
	by := a.measuredBy(cmp.Or(v.Details.Performer, r.Performer))
	if by == "" || !add(r.CollectedAt, v.Text) {
		return ""
	}
	for _, e := range earlier {
		if e.LOINC == v.LOINC && e.Unit == v.Unit && e.Method == v.Details.Method && a.measuredBy(e.Performer) == by {
			add(e.CollectedAt, e.Text)
		}
	}
	t, ok := result.TrendOf(points)
	if !ok {
		return ""
	}
	return t.Says()
}

// compare says what the report said before: the issue that was signed, else the one before.
func (a *Acts) compare(q *store.Q, r store.Report, out *ReportView) error {
	before := r.SignedIssue
	if before == 0 || before == r.Issue {
		var err error
		if before, err = q.IssueBefore(r.ID, r.Issue); err != nil || before == 0 {
			return err
		}
	}
	was, err := q.IssueAt(r.ID, before)
	if err != nil {
		return err
	}
	if was.Status != r.Status {
		out.WasStatus = result.SayReport(was.Status)
	}
	if was.Notes != r.Notes {
		out.WasNotes = was.Notes
	}
	same := func(x, y result.Value) bool {
		return x.Code == y.Code && x.Name == y.Name && x.Details.SubID == y.Details.SubID
	}
	left := was.Values
	for i, v := range r.Values {
		k := slices.IndexFunc(left, func(w result.Value) bool { return same(w, v) })
		if k < 0 {
			out.Values[i].Before = &BeforeView{New: true}
			continue
		}
		if w := left[k]; !result.SameValue(w, v) {
			out.Values[i].Before = &BeforeView{Text: w.Text, Unit: w.Unit, Range: w.Range, Flag: flags(w), Status: result.SayStatus(w.Status), Notes: w.Notes}
		}
		left = slices.Delete(slices.Clone(left), k, k+1)
	}
	for _, w := range left {
		out.Removed = append(out.Removed, valueView(w))
	}
	return nil
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
		if r.GoneAt != "" {
			return act.Refuse(act.Conflict, "It has left this chart.")
		}
		p, err := t.Person(r.PatientID)
		if err != nil {
			return err
		}
		if err := result.Closing(r.Status, r.WasFinal, s.Told, s.ToldReason, p.UsesPortal); err != nil {
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
		tell(t, r)
		return t.Audit("sign report", r.PatientID, r.ID, "")
	})
}
