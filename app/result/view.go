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
	"deftledger/core/result"
	"deftledger/core/safety"
	"deftledger/store"
)

// ReviewView is a signature under one issue of a report.
type ReviewView struct {
	Issue      int            `json:"issue"`
	Comment    string         `json:"comment"`
	Told       string         `json:"told"`
	ToldReason string         `json:"toldReason"`
	By         string         `json:"by"`
	At         string         `json:"at"`
	Folio      int            `json:"folio"`
	Addenda    []AddendumView `json:"addenda"`
}

// ReportView is a report open on the page.
type ReportView struct {
	ReportRow
	Patient    act.PatientView       `json:"patient"`
	Phone      string                `json:"phone" doc:"Of the performing laboratory"`
	ReportedAt string                `json:"reportedAt"`
	Notes      string                `json:"notes"`
	Values     []ValueView           `json:"values"`
	Laid       LaidView              `json:"laid"`
	Release    ReleaseView           `json:"release"`
	Reviews    []ReviewView          `json:"reviews"`
	Order      *orders.OrderView     `json:"order,omitempty"`
	Issue      int                   `json:"issue"`
	Version    int                   `json:"version"`
	MatchedBy  string                `json:"matchedBy"`
	MatchedWhy string                `json:"matchedWhy" doc:"Why it was attached although the patient named differs"`
	Gone       bool                  `json:"gone" doc:"It left this chart, because it does not belong there"`
	FromLab    bool                  `json:"fromLab" doc:"It came as a message, and can be taken out of the chart"`
	Filler     string                `json:"filler" doc:"The laboratory's number"`
	Details    store.ReportDetails   `json:"details"`
	WasStatus  string                `json:"wasStatus" doc:"The status of the issue before, where it was another"`
	WasNotes   string                `json:"wasNotes" doc:"The notes of the issue before, where they were others"`
	Removed    []ValueView           `json:"removed" doc:"Values of the issue before that are no longer there"`
	Late       []string              `json:"late" doc:"When issues were received that were older than this one"`
	Mine       bool                  `json:"mine"`
	Owner      string                `json:"owner"`
	Care       []safety.Warning      `json:"care" doc:"What these values mean for medicines of the list"`
	Beside     []BearingView         `json:"beside" doc:"What of this chart is known to act on these analytes; what stands out of range first"`
	Contacts   []CriticalContactView `json:"contacts" doc:"What happened to a critical value: to whom it was announced, who took it up, who was told"`
	Told       bool                  `json:"told" doc:"Somebody was told of its critical value"`
	Copies     []CopyView            `json:"copies" doc:"Who of us has a copy, and what they said of it"`
	Signs      bool                  `json:"signs" doc:"Whoever looks may sign it, once it is final"`
	SignsNot   string                `json:"signsNot" doc:"Why not"`
	SignsBy    string                `json:"signsBy" doc:"By which rule of the clinic; empty by their own right"`
	Unread     []string              `json:"unread" doc:"Medicines of the list of which nothing is known, and which were not looked at"`
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

// ofChart is what the chart says beside some values: what they mean for its medicines, what of it bears on them, and which medicines
// were not looked at.
func (a *Acts) ofChart(q *store.Q, patient string, values []result.Value) (care []safety.Warning, bears []BearingView, unread []string, err error) {
	care, bears, unread = []safety.Warning{}, []BearingView{}, []string{}
	if len(values) == 0 {
		return care, bears, unread, nil
	}
	p, err := q.Person(patient)
	if err != nil {
		return care, bears, unread, err
	}
	records, _, err := a.Order.Records(q, []chart.Patient{p}, a.Today())
	if err != nil {
		return care, bears, unread, err
	}
	bears, unread = a.beside(records[0], values)
	return a.care(records[0], values), bears, unread, nil
}

// beside says what of the chart bears on some values, and which medicines were not looked at.
func (a *Acts) beside(record chart.Record, values []result.Value) (out []BearingView, unread []string) {
	out, unread = []BearingView{}, []string{}
	found, strange := a.Analytes.Beside(a.Bearing, values, record)
	unread = append(unread, strange...)
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
		out = append(out, v)
	}
	return out, unread
}

// care is what some values mean for what is taken already: a falling filtration rate, a rising potassium. Values that a later one
// replaced say nothing.
func (a *Acts) care(record chart.Record, values []result.Value) []safety.Warning {
	out := []safety.Warning{}
	watched := a.Medicines.Watched()
	var texts []string
	for _, v := range values {
		if slices.Contains(watched, v.LOINC) && v.Text != "" {
			texts = append(texts, v.Text+" ")
		}
	}
	if len(texts) == 0 {
		return out
	}
	all := a.Medicines.CheckAll(record)
	for _, w := range slices.Concat(all.Each...) {
		if (w.Kind == safety.Kidney || w.Kind == safety.Laboratory) && !w.Unknown &&
			slices.ContainsFunc(texts, func(t string) bool { return strings.Contains(w.Says, t) }) {
			out = append(out, w)
		}
	}
	return out
}

// Report opens a report. Looking is recorded and closes nothing.
func (a *Acts) Report(ctx context.Context, who act.Actor, id string) (out ReportView, err error) {
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		r, err := q.ReportByID(id)
		if err != nil {
			return act.NotFound(err, "report")
		}
		all, err := a.views(q, who, []store.Report{r})
		if err != nil {
			return err
		}
		out = all[0]
		if r.GoneAt != "" {
			return nil
		}
		out.Care, out.Beside, out.Unread, err = a.ofChart(q, r.PatientID, r.Values)
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open report", out.Patient.ID, id)
	}
	return out, err
}

// views are reports of one patient as a page shows them; what of the chart stands beside them is left to the page.
func (a *Acts) views(q *store.Q, who act.Actor, reports []store.Report) ([]ReportView, error) {
	p, err := q.Person(reports[0].PatientID)
	if err != nil {
		return nil, err
	}
	names, err := q.StaffNames()
	if err != nil {
		return nil, err
	}
	var until string
	ids, orderIDs := make([]string, len(reports)), []string{}
	for i, r := range reports {
		ids[i] = r.ID
		if r.OrderID != "" {
			orderIDs = append(orderIDs, r.OrderID)
		}
		if until == "" || result.Begins(until).Before(result.Begins(r.CollectedAt)) {
			until = r.CollectedAt
		}
	}
	earlier, err := q.EarlierValues(p.ID, until)
	if err != nil {
		return nil, err
	}
	former := a.formerOf(earlier)
	reviews, err := q.ReviewsIn(ids)
	if err != nil {
		return nil, err
	}
	late, err := q.LateIssues(ids)
	if err != nil {
		return nil, err
	}
	events, contacts, err := a.contacts(q, reports, names)
	if err != nil {
		return nil, err
	}
	ordered := map[string]store.Order{}
	if len(orderIDs) > 0 {
		all, err := q.OrdersIn(orderIDs)
		if err != nil {
			return nil, err
		}
		for _, o := range all {
			ordered[o.ID] = o
		}
	}
	released, err := a.Released(q, reports)
	if err != nil {
		return nil, err
	}
	added, err := q.ReviewAddenda(ids)
	if err != nil {
		return nil, err
	}
	copied, err := q.InquiriesAbout(store.CopiedTo, p.ID)
	if err != nil {
		return nil, err
	}
	copies := map[string][]CopyView{}
	for _, i := range copied {
		v, err := a.copyView(q, who, i, names)
		if err != nil {
			return nil, err
		}
		copies[v.Report] = append(copies[v.Report], v)
	}
	out := make([]ReportView, len(reports))
	for i, r := range reports {
		v := ReportView{ReportRow: a.Row(r), Patient: a.Patient(p), ReportedAt: r.ReportedAt, Notes: r.Notes, Values: []ValueView{},
			Reviews: []ReviewView{}, Issue: r.Issue, Version: r.Version, MatchedBy: names[r.MatchedBy], Mine: r.OwnerID == who.ID,
			Owner: names[r.OwnerID], MatchedWhy: r.MatchedWhy, Gone: r.GoneAt != "", FromLab: r.VisitID == "", Filler: r.Filler, Details: r.Details,
			Removed: []ValueView{}, Late: []string{}, Care: []safety.Warning{}, Beside: []BearingView{}, Unread: []string{}}
		if r.Performer == "" || strings.Contains(r.Performer, a.Laboratory("").Name) {
			v.Phone = a.Laboratory("").Phone
		}
		v.Contacts = append([]CriticalContactView{}, contacts[r.ID]...)
		v.Told = slices.ContainsFunc(events[r.ID], func(e store.InquiryEvent) bool { return e.Kind == contact })
		collected := result.Begins(r.CollectedAt)
		for _, value := range r.Values {
			v.Values = append(v.Values, a.beforeIt(r, value, former.before(a.Analytes, value, r.ID, collected)))
		}
		v.Release = released[r.ID]
		v.Laid = laid(r.Values, a.about(reports, r))
		if r.Issue > 1 {
			if err := a.compare(q, r, &v); err != nil {
				return nil, err
			}
		}
		for _, at := range late[r.ID] {
			v.Late = append(v.Late, a.Say(store.Moment(at)))
		}
		v.Copies = append([]CopyView{}, copies[r.ID]...)
		if v.SignsBy, v.SignsNot, err = a.Permits(q, who, r); err != nil {
			return nil, err
		}
		v.Signs = v.SignsNot == ""
		for _, w := range reviews[r.ID] {
			addenda := []AddendumView{}
			for _, x := range added[r.ID] {
				if x.Issue == w.Issue {
					addenda = append(addenda, AddendumView{x.Says, names[x.ByID], a.Say(x.At), x.Folio})
				}
			}
			v.Reviews = append(v.Reviews, ReviewView{Addenda: addenda, Issue: w.Issue, Comment: w.Comment, Told: result.Told[w.Told], ToldReason: w.ToldReason,
				By: names[w.SignedBy], At: a.Say(w.SignedAt), Folio: w.Folio})
		}
		if o, there := ordered[r.OrderID]; there {
			shown := a.Order.View(o)
			v.Order = &shown
		}
		out[i] = v
	}
	return out, nil
}

// about is what a report is about, with the name of it where another of the same order says it.
func (a *Acts) about(reports []store.Report, r store.Report) string {
	id, name, _ := strings.Cut(r.Details.Parent, " ")
	code, sub, ok := strings.Cut(id, "/")
	if !ok || name != "" {
		return r.Details.Parent
	}
	for _, x := range reports {
		for _, v := range x.Values {
			if x.OrderID == r.OrderID && x.Filler == r.Filler && (v.Code == code || v.LOINC == code) && v.Details.SubID == sub {
				return id + " " + v.Text
			}
		}
	}
	return r.Details.Parent
}

// shownEarlier is how many earlier values stand beside one.
const shownEarlier = 12

// former are earlier values by what they are of, newest first, with when each began.
type former struct {
	of    map[[2]string][]dated // by LOINC, and by code where there is none
	asked map[[2]string][]dated // what was found for a value of such a LOINC, or code
}

type dated struct {
	store.Earlier
	at    time.Time
	place int // among all
}

func (a *Acts) formerOf(earlier []store.Earlier) former {
	f := former{map[[2]string][]dated{}, map[[2]string][]dated{}}
	for i, e := range earlier {
		key := [2]string{e.LOINC, e.Code}
		if e.LOINC != "" {
			key[1] = ""
		}
		f.of[key] = append(f.of[key], dated{e, result.Begins(e.CollectedAt), i})
	}
	return f
}

// before are the earlier values of the analyte of a value, newest first: of other reports, collected before a moment.
func (f former) before(analytes *result.Analytes, v result.Value, report string, collected time.Time) (out []store.Earlier) {
	asked := [2]string{v.LOINC}
	if v.LOINC == "" {
		asked[1] = v.Code
	}
	all, known := f.asked[asked]
	if !known {
		groups := 0
		for key, some := range f.of {
			if key[0] != "" && analytes.Same(v.LOINC, key[0]) || v.LOINC == "" && v.Code != "" && slices.ContainsFunc(some, func(d dated) bool { return d.Code == v.Code }) {
				groups++
				for _, d := range some {
					if v.LOINC != "" || d.Code == v.Code {
						all = append(all, d)
					}
				}
			}
		}
		if groups > 1 {
			slices.SortFunc(all, func(x, y dated) int { return x.place - y.place })
		}
		f.asked[asked] = all
	}
	for _, d := range all {
		if d.ReportID != report && d.at.Before(collected) {
			out = append(out, d.Earlier)
		}
	}
	return out
}

// beforeIt is a value with what is claimed of it against the earlier ones of its analyte.
func (a *Acts) beforeIt(r store.Report, v result.Value, same []store.Earlier) ValueView {
	view := valueView(v)
	for i, e := range same {
		if i < shownEarlier {
			view.Earlier = append(view.Earlier, a.earlier(r, v, e))
		}
		if i < shownEarlier && view.Change == nil || i < shownEarlier && view.Change.Verdict == result.NotCompared {
			if c := a.change(r, v, e); view.Change == nil || c.Verdict != result.NotCompared {
				view.Change = &c
			}
		}
	}
	view.Trend = a.trend(r, v, same)
	return view
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
	out.Laid.against(laid(was.Values, r.Details.Parent))
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
	texts := map[string]bool{} // which are compared as a whole
	for _, s := range slices.Concat(out.Laid.First, out.Laid.Sections, out.Laid.Gone) {
		texts[s.Heading] = true
	}
	for _, w := range left {
		if w.Details.Kind == "text" && len(texts) > 0 {
			continue
		}
		out.Removed = append(out.Removed, valueView(w))
	}
	return nil
}
