package result

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/core/result"
	"deftledger/store"
)

// called is what is kept of a critical value that a laboratory told by telephone, before its report came. It never changes.
type called struct {
	Laboratory string `json:"laboratory"`
	Caller     string `json:"caller,omitempty"`
	Analyte    string `json:"analyte"`
	Value      string `json:"value"`
	Unit       string `json:"unit,omitempty"`
	Specimen   string `json:"specimen,omitempty"`
	CalledAt   string `json:"calledAt"`
}

func (c called) says() string {
	return strings.TrimSpace(c.Analyte + " " + strings.TrimSpace(c.Value+" "+chart.ShownUnit(c.Unit)))
}

// CalledIn is a critical value as it is taken down at the telephone.
type CalledIn struct {
	ID         string `json:"id" pattern:"^[A-Za-z0-9-]{8,50}$" doc:"Of the browser's making: the same call again is one"`
	Laboratory string `json:"laboratory" maxLength:"200" doc:"Who called"`
	Caller     string `json:"caller,omitempty" maxLength:"200" doc:"The name of the person"`
	Analyte    string `json:"analyte" maxLength:"200"`
	Value      string `json:"value" maxLength:"200" doc:"As it was said"`
	Unit       string `json:"unit,omitempty" maxLength:"60" doc:"As it was said; empty where none was"`
	Specimen   string `json:"specimen,omitempty" maxLength:"200" doc:"The laboratory's number, or when it was drawn"`
	At         string `json:"at" maxLength:"5" doc:"When the laboratory called, today, as 14:05; empty for now"`
	ReadBack   bool   `json:"readBack" doc:"Name, birth date and value were read back and confirmed"`
}

// CalledView is a critical value told by telephone.
type CalledView struct {
	ID         string                `json:"id"`
	Patient    act.PatientView       `json:"patient"`
	Laboratory string                `json:"laboratory"`
	Caller     string                `json:"caller"`
	Says       string                `json:"says"`
	Specimen   string                `json:"specimen"`
	CalledAt   string                `json:"calledAt"`
	By         string                `json:"by" doc:"Who took it down and read it back"`
	At         string                `json:"at"`
	Owner      string                `json:"owner"`
	Contacts   []CriticalContactView `json:"contacts" doc:"To whom it was announced, who took it up, who was told"`
	Told       bool                  `json:"told"`
	Reports    []CalledReport        `json:"reports" doc:"Reports that may be the ones that the laboratory told of"`
	State      string                `json:"state" enum:"open,joined,ended"`
	Answer     string                `json:"answer"`
	AnswerBy   string                `json:"answerBy"`
	AnswerAt   string                `json:"answerAt"`
}

// CalledReport is a report that may be the one that was told of.
type CalledReport struct {
	ID     string `json:"id"`
	Title  string `json:"title"`
	Value  string `json:"value" doc:"What it says of the analyte, or its critical values"`
	Likely bool   `json:"likely" doc:"It has that analyte, with that value"`
	Why    string `json:"why" doc:"What agrees and what differs"`
}

func calledOrigin(id string) string { return "called in " + id }

// CallIn takes a critical value down that a laboratory tells by telephone: it is announced at once, as one that came in a report.
func (a *Acts) CallIn(ctx context.Context, who act.Actor, patient string, x CalledIn) error {
	c := called{Laboratory: chart.Tidy(x.Laboratory), Caller: chart.Tidy(x.Caller), Analyte: chart.Tidy(x.Analyte), Value: chart.Tidy(x.Value), Unit: chart.Tidy(x.Unit), Specimen: chart.Tidy(x.Specimen)}
	return a.Act(ctx, who, act.CallIn, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		switch {
		case c.Laboratory == "" || c.Analyte == "" || c.Value == "":
			return act.Refuse(act.Invalid, "Say which laboratory called, what was measured, and the value as it was said.")
		case !x.ReadBack:
			return act.Refuse(act.Invalid, "Read name, birth date and value back to the laboratory, and say that you did.")
		}
		at := t.Now
		if x.At != "" {
			hour, err := time.Parse("15:04", x.At)
			if err != nil {
				return act.Refuse(act.Invalid, "When did the laboratory call? An hour such as 14:05.")
			}
			now := t.Now.In(a.Location)
			at = time.Date(now.Year(), now.Month(), now.Day(), hour.Hour(), hour.Minute(), 0, 0, a.Location)
			if at.After(now) {
				return act.Refuse(act.Invalid, "That hour has not come yet today.")
			}
		}
		c.CalledAt = a.Say(at)
		owner, err := a.answersFor(t.Q, p.ID)
		if err != nil {
			return err
		}
		body, err := json.Marshal(c)
		if err != nil {
			return err
		}
		id := "called-" + x.ID
		added, err := t.AddInquiry(store.Inquiry{ID: id, Kind: store.CalledIn, Source: "here", Origin: "value told by telephone " + id, PatientID: p.ID, OwnerID: owner, ByID: who.ID, Said: body, At: t.Now})
		if err != nil || !added {
			return err
		}
		if err := t.OpenLine(act.NewID(), line.CalledIn, id, p.ID, owner, line.Open, t.Now); err != nil {
			return err
		}
		if err := t.RankLine(line.CalledIn, id, line.Open, line.Critical); err != nil {
			return err
		}
		says, err := json.Marshal(announced{Called: id, Title: "told by " + c.Laboratory + " by telephone", Says: c.says()})
		if err != nil {
			return err
		}
		told := store.Inquiry{ID: act.NewID(), Kind: store.Announced, Source: "here", Origin: calledOrigin(id), PatientID: p.ID, OwnerID: owner, Said: says, At: t.Now}
		if _, err := t.AddInquiry(told); err != nil {
			return err
		}
		t.Tell(act.CriticalEvent, told.ID, p.ID)
		t.Tell(act.LineEvent, id, p.ID)
		if err := a.step(t.Q, t, told, nil); err != nil {
			return err
		}
		return t.Audit("take a critical value down by telephone", p.ID, id, "")
	})
}

// stillOut are the states of an order that the laboratory works at, or has still to answer.
var stillOut = []order.State{order.Signed, order.Received, order.InProcess, order.Partial}

// answersFor is who is told first of a value whose report is not here: who ordered the newest test that is out, else the usual
// clinician, else whom the patient saw last, of those who work here; "" for nobody, which is everybody.
func (a *Acts) answersFor(q *store.Q, patient string) (string, error) {
	ordered, err := q.OrdersOf(patient)
	if err != nil {
		return "", err
	}
	var asked []string
	for _, o := range ordered {
		if slices.Contains(stillOut, o.State) {
			asked = append(asked, o.ClinicianID)
		}
	}
	usual, err := q.UsualClinician(patient)
	if err != nil {
		return "", err
	}
	visits, err := q.VisitsOf(patient)
	if err != nil {
		return "", err
	}
	asked = append(asked, usual)
	for _, v := range visits {
		asked = append(asked, v.ClinicianID)
	}
	for _, id := range asked {
		if id == "" {
			continue
		}
		if s, err := q.StaffByID(id); err != nil {
			return "", err
		} else if s.Active && act.May(s.Role, act.SignResult) {
			return id, nil
		}
	}
	return "", nil
}

func (a *Acts) findCalled(q *store.Q, id string) (i store.Inquiry, c called, err error) {
	i, err = q.InquiryByID(id)
	if err != nil || i.Kind != store.CalledIn {
		return i, c, act.Refuse(act.Missing, "There is no such telephone call.")
	}
	return i, c, json.Unmarshal(i.Said, &c)
}

// Called opens a critical value that was told by telephone.
func (a *Acts) Called(ctx context.Context, who act.Actor, id string) (out CalledView, err error) {
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		i, c, err := a.findCalled(q, id)
		if err != nil {
			return err
		}
		names, err := q.StaffNames()
		if err != nil {
			return err
		}
		p, err := q.Person(i.PatientID)
		if err != nil {
			return err
		}
		out = CalledView{ID: i.ID, Patient: a.Patient(p), Laboratory: c.Laboratory, Caller: c.Caller, Says: c.says(), Specimen: c.Specimen, CalledAt: c.CalledAt, By: i.By, At: a.Say(i.At),
			Owner: names[i.OwnerID], Contacts: []CriticalContactView{}, Reports: []CalledReport{}, State: i.State, Answer: i.Answer, AnswerBy: i.Done}
		if !i.DoneAt.IsZero() {
			out.AnswerAt = a.Say(i.DoneAt)
		}
		told, err := q.InquiryOfOrigin(calledOrigin(id))
		if err != nil {
			return err
		}
		events, err := q.InquiryEvents([]string{told.ID})
		if err != nil {
			return err
		}
		for _, e := range events {
			out.Contacts = append(out.Contacts, CriticalContactView{e.Kind + " " + e.Says, names[e.ByID], a.Say(e.At)})
			out.Told = out.Told || e.Kind == contact
		}
		if told.State != store.InquiryOpen {
			out.Contacts = append(out.Contacts, CriticalContactView{told.State, told.Done, a.Say(told.DoneAt)})
		}
		if i.State == store.InquiryOpen {
			out.Reports, err = a.maybeCalled(q, i, c)
		}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open a value told by telephone", out.Patient.ID, id)
	}
	return out, err
}

// Around a telephone call its report is sought: this long before it, and any time after.
const calledBefore = 72 * time.Hour

// maybeCalled are the reports of the patient that may be what the laboratory told of, the likely ones first.
func (a *Acts) maybeCalled(q *store.Q, i store.Inquiry, c called) ([]CalledReport, error) {
	out := []CalledReport{}
	reports, err := q.ReportsOf(i.PatientID)
	if err != nil {
		return out, err
	}
	for _, r := range reports {
		if r.GoneAt != "" || r.ReceivedAt.Before(i.At.Add(-calledBefore)) {
			continue
		}
		if of, there := matches(r, c); there {
			out = append(out, of)
		}
	}
	slices.SortStableFunc(out, func(x, y CalledReport) int {
		switch {
		case x.Likely == y.Likely:
			return 0
		case x.Likely:
			return -1
		}
		return 1
	})
	return out, nil
}

// matches says how a report agrees with what was told by telephone; there is false where it has neither that analyte nor a critical
// value. Words of a name are compared, because at the telephone nobody says codes.
func matches(r store.Report, c called) (out CalledReport, there bool) {
	out = CalledReport{ID: r.ID, Title: r.Title}
	for _, v := range r.Values {
		if !sameWords(v.Name, c.Analyte) {
			continue
		}
		out.Value = strings.TrimSpace(v.Name + " " + v.Text + " " + chart.ShownUnit(v.Unit))
		switch {
		case !sameNumber(v.Text, c.Value):
			out.Why = "it has that analyte, with another value"
		case c.Unit != "" && v.Unit != "" && !strings.EqualFold(v.Unit, c.Unit):
			out.Why = "it has that analyte and figure, in another unit"
		default:
			out.Likely, out.Why = true, "the analyte and the value are the same"
		}
		return out, true
	}
	if says := criticalIn(r); says != "" {
		out.Value, out.Why = says, "a critical value of another name"
		return out, true
	}
	return out, false
}

// sameWords says whether all words of the shorter name stand in the other one.
func sameWords(x, y string) bool {
	words := func(s string) []string {
		return strings.FieldsFunc(chart.Plain(s), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	}
	a, b := words(x), words(y)
	if len(a) > len(b) {
		a, b = b, a
	}
	return len(a) > 0 && !slices.ContainsFunc(a, func(w string) bool { return !slices.Contains(b, w) })
}

func sameNumber(x, y string) bool {
	f, ok1 := result.Plain(x)
	g, ok2 := result.Plain(y)
	return ok1 && ok2 && f == g || strings.EqualFold(strings.TrimSpace(x), strings.TrimSpace(y))
}

// TellCalled keeps who was told of a value that came by telephone, and each attempt.
func (a *Acts) TellCalled(ctx context.Context, who act.Actor, id string, x CriticalContact) error {
	return a.Act(ctx, who, act.SeeResults, func(t *act.Tx) error {
		i, _, err := a.findCalled(t.Q, id)
		if err != nil {
			return err
		}
		told, err := t.InquiryOfOrigin(calledOrigin(id))
		if err != nil {
			return err
		}
		if err := a.keepContact(t, told, x); err != nil {
			return err
		}
		t.Tell(act.LineEvent, id, i.PatientID)
		return t.Audit("say who was told of a critical value", i.PatientID, id, "")
	})
}

// JoinCalled says that a report is what the laboratory told of: who was told of it counts for the report from now on. Where the report
// does not read as what was said, why is needed.
func (a *Acts) JoinCalled(ctx context.Context, who act.Actor, id, report, why string) error {
	why = chart.Tidy(why)
	return a.Act(ctx, who, act.SeeResults, func(t *act.Tx) error {
		i, c, err := a.findCalled(t.Q, id)
		if err != nil {
			return err
		}
		r, err := t.ReportByID(report)
		if err != nil {
			return act.NotFound(err, "report")
		}
		answer := "joined to " + r.Title + " of " + cmp.Or(r.CollectedAt, a.Say(r.ReceivedAt))
		switch {
		case i.State == "joined" && i.OrderID == report:
			return nil // the same act again
		case i.State != store.InquiryOpen:
			return act.Refuse(act.Conflict, "%s closed it: %s.", i.Done, i.Answer)
		case !act.SamePerson(t.Q, i.PatientID, r.PatientID):
			return act.Refuse(act.Invalid, "The report is of another chart.")
		case r.GoneAt != "":
			return act.Refuse(act.Conflict, "It has left this chart.")
		}
		if of, _ := matches(r, c); !of.Likely {
			if why == "" {
				return act.Refuse(act.Invalid, "The report does not read as the laboratory said (%s). Say why it is this one all the same.", c.says())
			}
			answer += ": " + why
		}
		if err := a.endCalled(t, i, "joined", answer, report); err != nil {
			return err
		}
		from, err := t.InquiryOfOrigin(calledOrigin(id))
		if err != nil {
			return err
		}
		events, err := t.InquiryEvents([]string{from.ID})
		if err != nil || criticalIn(r) == "" {
			return err
		}
		to, err := t.InquiryOfOrigin(criticalOrigin(r))
		if store.IsNotFound(err) {
			if err := a.announce(t, r); err != nil {
				return err
			}
			to, err = t.InquiryOfOrigin(criticalOrigin(r))
		}
		if err != nil {
			return err
		}
		for _, e := range events {
			if e.Kind != contact && e.Kind != noContact {
				continue
			}
			e.InquiryID, e.Says = to.ID, e.Says+" (after the laboratory's telephone call)"
			if err := t.AddInquiryEvent(e); err != nil {
				return err
			}
			if e.Kind == contact && to.State == store.InquiryOpen {
				if err := t.AnswerInquiry(to.ID, "taken up", "the patient was told after the laboratory's call", "", who.ID, t.Now); err != nil {
					return act.Stale(err, "It")
				}
				to.State = "taken up"
			}
		}
		t.Tell(act.CriticalEvent, to.ID, r.PatientID)
		t.Tell(act.ReportEvent, r.ID, r.PatientID)
		return nil
	})
}

// EndCalled closes a value told by telephone of which no report comes, with the reason; not before somebody was told, or said why not.
func (a *Acts) EndCalled(ctx context.Context, who act.Actor, id, why string) error {
	why = chart.Tidy(why)
	return a.Act(ctx, who, act.TakeCritical, func(t *act.Tx) error {
		i, _, err := a.findCalled(t.Q, id)
		switch {
		case err != nil:
			return err
		case i.State == "ended" && i.Answer == why:
			return nil
		case i.State != store.InquiryOpen:
			return act.Refuse(act.Conflict, "%s closed it: %s.", i.Done, i.Answer)
		case why == "":
			return act.Refuse(act.Invalid, "Say why no report of it comes, and what was done.")
		}
		return a.endCalled(t, i, "ended", why, "")
	})
}

func (a *Acts) endCalled(t *act.Tx, i store.Inquiry, state, answer, report string) error {
	if err := t.AnswerInquiry(i.ID, state, answer, report, t.Who.ID, t.Now); err != nil {
		return act.Stale(err, "It")
	}
	if err := t.CloseLine(line.CalledIn, i.ID, t.Who.ID, state, t.Now); err != nil {
		return err
	}
	told, err := t.InquiryOfOrigin(calledOrigin(i.ID))
	if err != nil {
		return err
	}
	if told.State == store.InquiryOpen {
		if err := t.AnswerInquiry(told.ID, "taken up", answer, "", t.Who.ID, t.Now); err != nil {
			return err
		}
	}
	t.Tell(act.CriticalEvent, told.ID, i.PatientID)
	t.Tell(act.LineEvent, i.ID, i.PatientID)
	return t.Audit("close a value told by telephone", i.PatientID, i.ID, state)
}

// CalledOpen are the values told by telephone of a patient that no report has been joined to.
func (a *Acts) CalledOpen(q *store.Q, patient string) ([]CalledView, error) {
	all, err := q.InquiriesAbout(store.CalledIn, patient)
	out := []CalledView{}
	for _, i := range all {
		var c called
		if err := json.Unmarshal(i.Said, &c); err != nil {
			return out, err
		}
		if i.State != store.InquiryOpen {
			continue
		}
		v := CalledView{ID: i.ID, Laboratory: c.Laboratory, Caller: c.Caller, Says: c.says(), Specimen: c.Specimen, CalledAt: c.CalledAt, By: i.By, At: a.Say(i.At), State: i.State, Contacts: []CriticalContactView{}}
		if v.Reports, err = a.maybeCalled(q, i, c); err != nil {
			return out, err
		}
		out = append(out, v)
	}
	return out, err
}

func (a *Acts) fillCalled(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
	all, err := q.InquiriesIn(act.Subjects(rows))
	act.Describe(rows, all, func(i store.Inquiry) string { return i.ID }, func(row *act.LineRow, i store.Inquiry) {
		var c called
		_ = json.Unmarshal(i.Said, &c) // written by us
		row.Title = fmt.Sprintf("%s, told by %s by telephone", c.says(), c.Laboratory)
		row.Mark, row.Grave = "critical, no report yet", true
	})
	return err
}
