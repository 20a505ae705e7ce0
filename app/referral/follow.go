package referral

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"log/slog"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/app/directory"
	"deftledger/app/further"
	"deftledger/app/paper"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/outside"
	"deftledger/core/referral"
	"deftledger/exchange/fhir"
	"deftledger/exchange/pdf"
	"deftledger/store"
)

// ReferralEvent is what became of a referral.
type ReferralEvent struct {
	ID       string `json:"id"`
	Says     string `json:"says"`
	Detail   string `json:"detail"`
	Happened string `json:"happened" doc:"As it was said; empty where nobody said"`
	Document string `json:"document" doc:"What came with it"`
	By       string `json:"by" doc:"Who recorded it; empty where their system said it"`
	At       string `json:"at"`
}

// ReferralView is a referral with its course.
type ReferralView struct {
	ID        string                  `json:"id"`
	PatientID string                  `json:"patientId"`
	VisitID   string                  `json:"visitId"`
	Number    string                  `json:"number"`
	Kind      string                  `json:"kind" enum:"referral,imaging,procedure,supply,vaccine"`
	Title     string                  `json:"title" doc:"What was ordered, with side and contrast; of a referral, to whom"`
	Details   []string                `json:"details" doc:"What was answered of it, in words"`
	Prepare   string                  `json:"prepare" doc:"How the patient prepares"`
	Speaks    string                  `json:"speaks" doc:"The language for which an interpreter is asked; empty for none"`
	Warnings  []string                `json:"warnings" doc:"Serious ones in spite of which it was ordered"`
	Why       string                  `json:"why" doc:"Why it was ordered all the same"`
	To        directory.AddresseeView `json:"to"`
	Question  string                  `json:"question"`
	Urgency   string                  `json:"urgency"`
	Expected  string                  `json:"expected"`
	Diagnoses []store.CodedTitle      `json:"diagnoses"`
	Parts     []paper.ChartPart       `json:"parts" doc:"What goes along, as it was signed"`
	State     string                  `json:"state"`
	Reason    string                  `json:"reason"`
	Acts      bool                    `json:"acts" doc:"Somebody here has to act"`
	SignedAt  string                  `json:"signedAt" doc:"Empty while it waits for the signature"`
	WrittenAt string                  `json:"writtenAt"`
	Clinician string                  `json:"clinician"`
	By        string                  `json:"by" doc:"Who wrote it"`
	Taker     string                  `json:"taker" doc:"Who took it down, of one given by telephone"`
	Next      string                  `json:"next" doc:"What is awaited; empty when nothing is awaited from others"`
	NextBy    string                  `json:"nextBy"`
	Late      bool                    `json:"late"`
	Events    []ReferralEvent         `json:"events" doc:"Oldest first"`
}

// words are events as people read them.
var words = map[referral.Event]string{referral.Delivered: "arrived there", referral.NotDelivered: "could not be sent", referral.Accepts: "accepted", referral.Asks: "they ask back",
	referral.Answered: "answered", referral.Schedules: "scheduled", referral.Misses: "did not come", referral.Sees: "seen", referral.Reports: "report came", referral.Declines: "declined",
	referral.Unclear: "not clear what it means", referral.OfOther: "not certain whose it is", referral.CalledAfter: "asked after", referral.Cancels: "cancelled here",
	referral.Reads: "report read and signed", referral.HasIt: "the patient has it"}

var kind = further.Kind[referral.Event, referral.State]{Order: store.ReferralOrder, Line: line.Referral, Name: "referral", ToSign: referral.ToSign, Returned: referral.Returned,
	Cancelled: referral.Cancelled, Words: words, Unsure: []referral.Event{referral.Unclear, referral.OfOther}, Explains: func(e referral.Event, _ referral.State) bool {
		return e == referral.NotDelivered || e == referral.Declines || e == referral.Cancels || e == referral.Asks
	}}

func (a *Acts) view(q *store.Q, o store.Further) (ReferralView, error) {
	all, err := a.views(q, []store.Further{o})
	if err != nil {
		return ReferralView{}, err
	}
	return all[0], nil
}

func (a *Acts) views(q *store.Q, orders []store.Further) ([]ReferralView, error) {
	of, err := further.Events(q, orders)
	if err != nil {
		return nil, err
	}
	out := make([]ReferralView, len(orders))
	for i, o := range orders {
		k := detail(o)
		v := ReferralView{ID: o.ID, PatientID: o.PatientID, VisitID: o.VisitID, Number: o.Number, Kind: "referral", Title: k.To.Says(), Details: []string{}, Speaks: k.Speaks,
			Warnings: append([]string{}, k.Warnings...), Why: k.Reason, To: k.To, Question: k.Question, Urgency: referral.Urgencies[k.Urgency], Expected: k.Expected,
			Diagnoses: k.Diagnoses, Parts: k.Parts, State: o.State, Reason: o.Reason, Acts: referral.State(o.State).Acts(), SignedAt: a.Say(o.SignedAt), WrittenAt: a.Say(o.WrittenAt), Clinician: o.Clinician,
			By: o.By, Taker: k.Taker, Events: []ReferralEvent{}}
		if k.Item != nil {
			v.Kind, v.Title, v.Details, v.Prepare = string(k.Item.Kind), k.Item.Says(), append(v.Details, k.Item.details()...), k.Item.Prepare
		}
		for _, e := range of[o.ID] {
			v.Events = append(v.Events, ReferralEvent{e.ID, cmp.Or(words[referral.Event(e.Says)], e.Says), e.Detail, e.Happened, e.DocumentID, e.By, a.Say(e.At)})
		}
		if by, what, ok := a.course(o, k, of[o.ID]).Next(a.Location); ok {
			v.Next, v.NextBy, v.Late = what, a.Say(by), a.Clock().After(by)
		}
		out[i] = v
	}
	return out, nil
}

// course is how far a referral has come.
func (a *Acts) course(o store.Further, k kept, events []store.FurtherEvent) referral.Course {
	c := referral.Course{State: referral.State(o.State), Urgency: k.Urgency, Since: since(o, events), Expected: k.Expected}
	if k.Item != nil {
		c.On = k.Item.On
	}
	for _, e := range events {
		switch referral.Event(e.Says) {
		case referral.Schedules:
			c.Visit = ""
			if t, err := time.Parse(time.RFC3339, e.Happened); err == nil {
				c.Visit = t.In(a.Location).Format(time.DateOnly)
			} else if len(e.Happened) >= 10 {
				c.Visit = e.Happened[:10]
			}
		case referral.CalledAfter:
			if day, err := time.ParseInLocation(time.DateOnly, e.Happened, a.Location); err == nil {
				c.Until = day.AddDate(0, 0, 1).Add(-time.Minute)
			}
		}
	}
	return c
}

// Destinations are the parties to whom this room sends.
func (a *Acts) Destinations() []act.Destination {
	settled := func(t *act.Tx, o store.Outgoing, _ []byte, refused string) error {
		f, err := t.FurtherByID(o.Subject)
		if err != nil {
			return err
		}
		e := referral.Delivered
		if refused != "" {
			e = referral.NotDelivered
		}
		if o.Kind == answering {
			if refused == "" {
				return nil // it was recorded as answered when it was written
			}
			e = referral.Unclear // what they asked is still open with them
			refused = "Our answer was not taken: " + refused
		}
		if o.Kind == cancelling && refused != "" {
			e, refused = referral.Unclear, "They could not be told that it is cancelled: "+refused+" Call them, then say so."
		}
		return kind.Happen(t, &f, e, store.FurtherEvent{Detail: refused, Origin: "sent " + o.Control})
	}
	return []act.Destination{
		{Name: receiver, Settled: settled, Off: func() bool { return a.Elsewhere.Receivers == "" }, Deliver: func(ctx context.Context, o store.Outgoing) ([]byte, string, error) {
			refused, err := fhir.Hand(ctx, "practice", a.Elsewhere.Receivers, "/fhir/Bundle/", o.Control, "application/fhir+json", o.Body, http.Header{})
			return nil, refused, err
		}},
		{Name: faxed, Settled: settled, Deliver: func(ctx context.Context, o store.Outgoing) ([]byte, string, error) {
			refused, err := fhir.Hand(ctx, "fax line", a.Elsewhere.Fax, "/fax/", o.Control, "application/pdf", o.Body, http.Header{"Fax-Number": {o.Address}})
			return nil, refused, err
		}},
	}
}

// Poll asks the practices that are reached electronically how referrals stand, in batches. An
// answer about somebody else than was referred is kept as not certain, and moves nothing.
func (a *Acts) Poll(ctx context.Context) error {
	if a.Elsewhere.Receivers == "" {
		return nil
	}
	open, said, err := kind.Going(ctx, a.Office)
	if err != nil {
		return err
	}
	var numbers []string
	by := map[string]store.Further{}
	for _, o := range open {
		if detail(o).To.Reach == directory.Electronic && !o.SignedAt.IsZero() && referral.State(o.State) != referral.Signed && referral.State(o.State) != referral.Failed {
			numbers = append(numbers, fhir.NumberSystem+"|"+o.Number)
			by[o.Number] = o
		}
	}
	for len(numbers) > 0 {
		n := min(len(numbers), 100)
		asking, cancel := context.WithTimeout(ctx, 10*time.Second)
		body, err := fhir.Search(asking, a.Elsewhere.Receivers+"/fhir", "Task", url.Values{"identifier": {strings.Join(numbers[:n], ",")}})
		cancel()
		if err != nil {
			return err
		}
		numbers = numbers[n:]
		reply, err := fhir.Tasks(body)
		if err != nil {
			return err
		}
		for _, why := range reply.Left {
			slog.Warn("something that a practice answered about a referral was left out", "why", why)
		}
		for _, x := range reply.Taken {
			if o, ours := by[x.Number]; ours && x.Says != referral.Nothing && !said[further.Said(o.ID, x.Origin)] {
				if err := a.Write(ctx, act.Actor{}, func(t *act.Tx) error { return a.answered(t, o.ID, x) }); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// answered takes what a practice's system says of a referral.
func (a *Acts) answered(t *act.Tx, id string, x fhir.Answered) error {
	o, err := t.FurtherByID(id)
	if err != nil {
		return err
	}
	p, err := t.PatientByID(o.PatientID)
	if err != nil {
		return err
	}
	e, detail := x.Says, x.Words
	switch differs := outside.NotOf(p, x.Subject, a.Facility); {
	case !x.Named:
		e, detail = referral.OfOther, "It does not say whose it is: "+words[x.Says]
	case len(differs) > 0:
		e, detail = referral.OfOther, "It names somebody who differs in "+strings.Join(differs, ", ")+", and nothing of it was taken. Call them."
	case x.Doubt != "":
		e, detail = referral.Unclear, x.Doubt
	}
	event := store.FurtherEvent{Detail: detail, Happened: x.Happened, Origin: x.Origin}
	if e == referral.Reports {
		event.Detail = ""
		had, err := t.FurtherEvents([]string{id})
		if err != nil {
			return err
		}
		for _, h := range had {
			if h.Origin == x.Origin {
				return nil // before a document is made of it again
			}
		}
		if event.DocumentID, err = a.file(t, o, x.Report, x.Kind, detail); err != nil {
			return err
		}
		if x.Kind != "application/pdf" {
			event.Detail = detail
		}
	}
	return kind.Happen(t, &o, e, event)
}

// file keeps a report as a document of the chart.
func (a *Acts) file(t *act.Tx, o store.Further, body []byte, kind, text string) (string, error) {
	k := detail(o)
	if kind != "application/pdf" {
		p, err := t.PatientByID(o.PatientID)
		if err != nil {
			return "", err
		}
		if body, err = pdf.Render(pdf.Document{Practice: a.Practice, Title: "Report to referral " + o.Number, Subtitle: "from " + k.To.Says(), Patient: chart.Tidy(p.Name.Given + " " + p.Name.Family),
			Identity: "born " + chart.SayDay(p.BirthDate) + ", record " + p.Record, Visit: a.Say(t.Now), Unsigned: true,
			Entries: []pdf.Entry{{Sections: []pdf.Section{{Heading: "As it was received", Text: text}}}}}); err != nil {
			return "", err
		}
	}
	d := store.Document{ID: act.NewID(), PatientID: o.PatientID, Title: "Report: " + k.To.Says(), PDF: body, MadeBy: t.Who.ID, MadeAt: t.Now, Form: "report " + o.Number}
	t.Tell(act.PatientEvent, o.PatientID, o.PatientID)
	return d.ID, t.AddDocument(d)
}

// ReferralTold is what somebody heard of a referral from the other side, or did about it.
type ReferralTold struct {
	Says   referral.Event `json:"says" enum:"delivered,accepts,asks,schedules,sees,no-show,declines,reports,asked after,has it"`
	Detail string         `json:"detail,omitempty" maxLength:"20000" doc:"What they said; of a report, its text"`
	Day    string         `json:"day,omitempty" maxLength:"10" doc:"The day on which the patient is or was seen, or is looked at again, YYYY-MM-DD"`
	PDF    []byte         `json:"pdf,omitempty" maxLength:"11000000" doc:"A report on paper, as PDF"`
}

// Tell records what the other side said where no system of theirs says it, with who recorded
// it: by telephone, by fax, on paper; that a letter was posted; or that somebody asked after it.
func (a *Acts) Tell(ctx context.Context, who act.Actor, id string, x ReferralTold) error {
	if err := act.Allow(who, act.FollowReferral); err != nil {
		return err
	}
	x.Detail = strings.TrimSpace(x.Detail)
	day, err := time.ParseInLocation(time.DateOnly, x.Day, a.Location)
	if x.Day != "" && err != nil {
		return act.Refuse(act.Invalid, "%q is no day.", x.Day)
	}
	today, _ := time.ParseInLocation(time.DateOnly, a.Today(), a.Location)
	switch x.Says {
	case referral.Asks, referral.Declines, referral.CalledAfter:
		if x.Detail == "" {
			return act.Refuse(act.Invalid, "Say with whom you spoke, and what they said.")
		}
	case referral.Schedules:
		if x.Day == "" || day.Before(today) || day.After(today.AddDate(2, 0, 0)) {
			return act.Refuse(act.Invalid, "Give the day on which the patient is seen: from today on, within two years.")
		}
	case referral.Sees, referral.Misses:
		if x.Day == "" || day.After(today) {
			return act.Refuse(act.Invalid, "Give the day on which it was: not later than today.")
		}
	case referral.Reports:
		if x.Detail == "" && len(x.PDF) == 0 {
			return act.Refuse(act.Invalid, "Type the report, or attach it as PDF.")
		}
		if len(x.PDF) > 0 && !bytes.HasPrefix(x.PDF, []byte("%PDF-")) {
			return act.Refuse(act.Invalid, "That file is no PDF. Print it as PDF, or type the report.")
		}
		if len(x.PDF) > 8<<20 {
			return act.Refuse(act.Invalid, "That file is larger than 8 MB. Scan it smaller.")
		}
	case referral.Delivered, referral.Accepts, referral.HasIt:
	default:
		return act.Refuse(act.Invalid, "That cannot be recorded of a referral.")
	}
	if x.Says == referral.CalledAfter && (x.Day == "" || day.Before(today) || day.After(today.AddDate(0, 0, 60))) {
		return act.Refuse(act.Invalid, "Choose the day on which it is looked at again: from today to sixty days from now.")
	}
	return a.Act(ctx, who, act.FollowReferral, func(t *act.Tx) error {
		o, err := kind.ByID(t.Q, id)
		if err != nil {
			return err
		}
		if s := referral.State(o.State); x.Says == referral.CalledAfter && s.Done() {
			return act.Refuse(act.Conflict, "Nothing is awaited of this referral: it is %s.", s)
		} else if x.Says == referral.Delivered && s != referral.ToHand && s != referral.Failed && s != referral.Calling {
			return act.Refuse(act.Conflict, "It is not waiting to be sent: it is %s.", s)
		} else if x.Says == referral.HasIt && !detail(o).Item.supply() && !detail(o).Item.here() {
			return act.Refuse(act.Conflict, "Only a supply is settled so: this closes when its report was read.")
		} else if x.Says == referral.HasIt && detail(o).Item.here() {
			if _, ok, err := givenSince(t.Q, o, detail(o)); err != nil {
				return err
			} else if !ok {
				return act.Refuse(act.Conflict, "It is not recorded that it was given: record it at the intake, with its lot and maker. This closes by itself then.")
			}
		}
		e := store.FurtherEvent{Detail: x.Detail, Happened: x.Day}
		if x.Says == referral.Reports {
			if s := referral.State(o.State); s == referral.ToSign || s == referral.Returned {
				return act.Refuse(act.Conflict, "This referral has not been signed.")
			}
			kind := "text/plain"
			if len(x.PDF) > 0 {
				kind = "application/pdf"
			}
			if e.DocumentID, err = a.file(t, o, x.PDF, kind, x.Detail); err != nil {
				return err
			}
		}
		return kind.Happen(t, &o, x.Says, e)
	})
}

// Answer answers what they asked back; it goes to them the way the referral went.
func (a *Acts) Answer(ctx context.Context, who act.Actor, id, text string) error {
	if err := act.Allow(who, act.SignReferral); err != nil {
		return err
	}
	if text = strings.TrimSpace(text); text == "" {
		return act.Refuse(act.Invalid, "Write the answer.")
	}
	return a.Act(ctx, who, act.SignReferral, func(t *act.Tx) error {
		o, err := kind.ByID(t.Q, id)
		if err != nil {
			return err
		}
		k := detail(o)
		if err := kind.Happen(t, &o, referral.Answered, store.FurtherEvent{Detail: text}); err != nil {
			return err
		}
		if k.To.Reach == directory.Letter {
			return nil // somebody tells them
		}
		events, err := t.FurtherEvents([]string{id})
		if err != nil {
			return err
		}
		n := 0
		for _, e := range events {
			if e.Says == string(referral.Answered) {
				n++
			}
		}
		return a.dispatch(t, o, k, "", text, "A"+string(rune('0'+n%10)))
	})
}

// Cancel calls a referral off, with the reason; they are told where it may have arrived, and
// its line stays until they were.
func (a *Acts) Cancel(ctx context.Context, who act.Actor, id, reason string) error {
	if err := act.Allow(who, act.SignReferral); err != nil {
		return err
	}
	if reason = strings.TrimSpace(reason); reason == "" {
		return act.Refuse(act.Invalid, "Give the reason for cancelling.")
	}
	return a.Act(ctx, who, act.SignReferral, func(t *act.Tx) error {
		o, err := kind.ByID(t.Q, id)
		if err != nil {
			return err
		}
		k := detail(o)
		was := referral.State(o.State)
		if was == referral.ToSign || was == referral.Returned {
			return act.Refuse(act.Conflict, "It has not been signed: give it back, or drop it.")
		}
		never := was == referral.ToHand || was == referral.Failed || was == referral.DueHere
		if was == referral.Signed {
			if never, err = t.WithdrawOutgoing(string(line.Referral), id); err != nil {
				return err
			}
			if !never {
				o.State = string(referral.Sent) // it may have arrived
			}
		}
		if err := kind.Happen(t, &o, referral.Cancels, store.FurtherEvent{Detail: reason}); err != nil {
			return err
		}
		if never || referral.State(o.State) != referral.Calling || k.To.Reach == directory.Letter {
			return nil
		}
		return a.dispatch(t, o, k, reason, "", "C")
	})
}

// sealedReading is the sealed content of the reading of a referral's report.
type sealedReading struct {
	Number   string `json:"number"`
	Document string `json:"document"`
	Text     string `json:"text,omitempty"`
	Comment  string `json:"comment"`
}

// Read signs the report of a referral as read, which closes it.
func (a *Acts) Read(ctx context.Context, who act.Actor, id, comment, secret string) error {
	if err := act.Allow(who, act.SignReferral); err != nil {
		return err
	}
	if err := a.OpenSigning(ctx, &who, secret); err != nil {
		return err
	}
	return a.Act(ctx, who, act.SignReferral, func(t *act.Tx) error {
		o, err := kind.ByID(t.Q, id)
		if err != nil {
			return err
		}
		events, err := t.FurtherEvents([]string{id})
		if err != nil {
			return err
		}
		s := sealedReading{Number: o.Number, Comment: strings.TrimSpace(comment)}
		for _, e := range events {
			if e.Says == string(referral.Reports) {
				s.Document, s.Text = e.DocumentID, e.Detail
			}
		}
		if err := kind.Happen(t, &o, referral.Reads, store.FurtherEvent{Detail: s.Comment}); err != nil {
			return err
		}
		_, err = t.Seal(o.PatientID, "referral report", o.ID, 0, s)
		return err
	})
}

// Return gives a referral that waits for a signature back to who wrote it.
func (a *Acts) Return(ctx context.Context, who act.Actor, id, reason string) error {
	return kind.Settle(ctx, a.Office, who, act.SignReferral, id, reason, referral.Returned)
}

// Drop takes back a referral that nobody signed, by who wrote it.
func (a *Acts) Drop(ctx context.Context, who act.Actor, id, reason string) error {
	return kind.Settle(ctx, a.Office, who, act.PrepareReferral, id, reason, referral.Cancelled)
}

// OfPatient lists the referrals of a patient, newest first.
func (a *Acts) OfPatient(ctx context.Context, who act.Actor, patient string) (out []ReferralView, err error) {
	out = []ReferralView{}
	err = kind.OfPatient(ctx, a.Office, who, patient, func(q *store.Q, all []store.Further) (err error) {
		out, err = a.views(q, all)
		return err
	})
	return out, err
}

// UnderWay lists what is under way in the practice, the newest first, with whose it is.
func (a *Acts) UnderWay(ctx context.Context, who act.Actor) ([]OpenedReferral, error) {
	return a.underWay(ctx, who, act.SeeOrders, func(ReferralView) bool { return true })
}

func (a *Acts) underWay(ctx context.Context, who act.Actor, right act.Right, meant func(ReferralView) bool) (out []OpenedReferral, err error) {
	out = []OpenedReferral{}
	err = a.Look(ctx, who, right, func(q *store.Q) error {
		all, err := q.FurtherGoing(store.ReferralOrder, 500)
		if err != nil {
			return err
		}
		views, err := a.views(q, all)
		if err != nil {
			return err
		}
		ids := make([]string, len(views))
		for i, v := range views {
			ids[i] = v.PatientID
		}
		people, err := q.PatientsIn(ids)
		if err != nil {
			return err
		}
		for _, v := range views {
			i := slices.IndexFunc(people, func(p chart.Patient) bool { return p.ID == v.PatientID })
			if i >= 0 && meant(v) {
				out = append(out, OpenedReferral{a.Patient(people[i]), v})
			}
		}
		slices.SortStableFunc(out, func(x, y OpenedReferral) int { return strings.Compare(y.Referral.WrittenAt, x.Referral.WrittenAt) })
		return nil
	})
	return out, err
}

// In lists referrals by id, as a chart lists them.
func (a *Acts) In(q *store.Q, ids []string) ([]ReferralView, error) {
	all, err := q.FurtherIn(ids)
	if err != nil {
		return nil, err
	}
	return a.views(q, all)
}

// OpenedReferral is a referral open on the page, with whose it is.
type OpenedReferral struct {
	Patient  act.PatientView `json:"patient"`
	Referral ReferralView    `json:"referral"`
}

// Open opens a referral.
func (a *Acts) Open(ctx context.Context, who act.Actor, id string) (out OpenedReferral, err error) {
	out.Patient, err = kind.Open(ctx, a.Office, who, id, func(q *store.Q, o store.Further) (err error) {
		out.Referral, err = a.view(q, o)
		return err
	})
	return out, err
}

// Lines is the kind of open line of this room: referrals without a report that was read.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{{Kind: line.Referral, List: act.UnderWay, Fill: func(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
		all, err := q.FurtherIn(act.Subjects(rows))
		if err != nil {
			return err
		}
		views, err := a.views(q, all)
		act.Describe(rows, views, func(v ReferralView) string { return v.ID }, func(row *act.LineRow, v ReferralView) {
			of := v.To.Says()
			if v.Kind != "referral" {
				of = v.Title + ", " + v.To.Name
			}
			if v.Kind == "vaccine" {
				of = v.Title
			}
			doubt := false
			for _, e := range v.Events {
				if e.Says == words[referral.OfOther] || e.Says == words[referral.Unclear] {
					doubt = true
				} else if e.Says != words[referral.CalledAfter] {
					doubt = false
				}
			}
			kind.Row(row, referral.State(v.State), referral.ToHand, further.Standing{Says: of, By: v.By, Reason: v.Reason, Next: v.Next, NextBy: v.NextBy, Late: v.Late, Doubt: doubt})
			if referral.State(v.State) == referral.Reported {
				row.Mark, row.Grave, row.Title = "report", false, of+": "+v.State
			}
		})
		return err
	}}}
}

// RaiseLate opens the lines of referrals whose next event is late.
func (a *Acts) RaiseLate(ctx context.Context) (n int, err error) {
	return kind.RaiseLate(ctx, a.Office, func(q *store.Q, all []store.Further) (late []store.Further, err error) {
		views, err := a.views(q, all)
		return further.Late(all, views, func(v ReferralView) bool { return v.Late }), err
	})
}

// Run asks after referrals and raises those that are late, until ctx ends.
func (a *Acts) Run(ctx context.Context, every time.Duration) {
	further.Watch(ctx, a.Clock, every, func(ctx context.Context) {
		if err := a.Given(ctx); err != nil && ctx.Err() == nil {
			slog.Error("what was given here could not be closed", "error", err)
		}
		if err := a.Poll(ctx); err != nil && ctx.Err() == nil {
			slog.Warn("the practices that take referrals could not be asked", "unreadable", errors.Is(err, fhir.ErrUnreadable))
		}
	}, a.RaiseLate)
}
