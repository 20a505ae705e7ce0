package prescribe

import (
	"cmp"
	"context"
	"errors"
	"log/slog"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/app/further"
	"deftledger/core/line"
	"deftledger/core/outside"
	"deftledger/core/prescription"
	"deftledger/exchange/fhir"
	"deftledger/store"
)

// PrescriptionEvent is what became of a prescription.
type PrescriptionEvent struct {
	Says     string `json:"says"`
	Detail   string `json:"detail"`
	Happened string `json:"happened" doc:"As it was said; empty where nobody said"`
	By       string `json:"by" doc:"Who recorded it; empty where the pharmacy's system said it"`
	At       string `json:"at"`
}

// PrescriptionView is a prescription with its course.
type PrescriptionView struct {
	ID        string              `json:"id"`
	PatientID string              `json:"patientId"`
	Number    string              `json:"number"`
	Drug      prescription.Drug   `json:"drug"`
	Says      string              `json:"says" doc:"Medicine, strength and form"`
	Reads     string              `json:"reads" doc:"The directions in plain English"`
	Amount    string              `json:"amount"`
	Schedule  string              `json:"schedule" doc:"Of a controlled substance; else empty"`
	To        string              `json:"to" doc:"The pharmacy; empty for one that is printed"`
	Phone     string              `json:"phone" doc:"Of the pharmacy"`
	Taker     string              `json:"taker" doc:"Who took it down, of one given by telephone"`
	Instead   string              `json:"instead"`
	Warnings  []string            `json:"warnings" doc:"The serious ones it was signed in spite of"`
	Why       string              `json:"why" doc:"The reason given for that"`
	Looked    bool                `json:"looked" doc:"That the state's monitoring programme was looked at was recorded"`
	Replaces  string              `json:"replaces" doc:"Our number of the one it renews or changes"`
	State     string              `json:"state"`
	Reason    string              `json:"reason"`
	Acts      bool                `json:"acts" doc:"Somebody here has to act"`
	SignedAt  string              `json:"signedAt" doc:"Empty while it waits for the signature"`
	WrittenAt string              `json:"writtenAt"`
	Clinician string              `json:"clinician"`
	By        string              `json:"by" doc:"Who wrote it"`
	Next      string              `json:"next" doc:"What is awaited; empty when nothing is awaited from others"`
	NextBy    string              `json:"nextBy"`
	Late      bool                `json:"late"`
	Events    []PrescriptionEvent `json:"events" doc:"Oldest first"`
}

// words are events as people read them.
var words = map[prescription.Event]string{prescription.Delivered: "the pharmacy has it", prescription.NotDelivered: "the pharmacy did not take it", prescription.Fills: "being filled",
	prescription.Dispenses: "handed out", prescription.Refuses: "the pharmacy refuses it", prescription.Holds: "the pharmacy holds it", prescription.AsksPrior: "prior authorization asked",
	prescription.NotTaken: "not picked up", prescription.Unclear: "not clear what it means", prescription.OfOther: "not certain whose it is", prescription.Hands: "printed and handed over",
	prescription.Settles: "settled with the pharmacy", prescription.Leaves: "left at that", prescription.Cancels: "cancelled here"}

var kind = further.Kind[prescription.Event, prescription.State]{Order: store.PrescriptionOrder, Line: line.Prescription, Name: "prescription", ToSign: prescription.ToSign,
	Returned: prescription.Returned, Cancelled: prescription.Cancelled, Words: words, Unsure: []prescription.Event{prescription.Unclear, prescription.OfOther},
	Explains: func(e prescription.Event, next prescription.State) bool {
		return next.Acts() || e == prescription.Cancels
	}}

func (a *Acts) view(q *store.Q, o store.Further) (PrescriptionView, error) {
	all, err := a.views(q, []store.Further{o})
	if err != nil {
		return PrescriptionView{}, err
	}
	return all[0], nil
}

func (a *Acts) views(q *store.Q, orders []store.Further) ([]PrescriptionView, error) {
	of, err := further.Events(q, orders)
	if err != nil {
		return nil, err
	}
	out := make([]PrescriptionView, len(orders))
	for i, o := range orders {
		k := detail(o)
		v := PrescriptionView{ID: o.ID, PatientID: o.PatientID, Number: o.Number, Drug: k.Drug, Says: k.Drug.Says(), Reads: k.Drug.Reads(), Amount: k.Drug.Amount(), Schedule: k.Schedule, Taker: k.Taker, Instead: k.Instead,
			Warnings: append([]string{}, k.Warnings...), Why: k.Reason, Looked: k.Looked, Replaces: k.Replaces, State: o.State, Reason: o.Reason, Acts: prescription.State(o.State).Acts(),
			SignedAt: a.Say(o.SignedAt), WrittenAt: a.Say(o.WrittenAt), Clinician: o.Clinician, By: o.By, Events: []PrescriptionEvent{}}
		if k.To != nil {
			v.To, v.Phone = k.To.Says(), k.To.Phone
		}
		since := o.SignedAt
		for _, e := range of[o.ID] {
			v.Events = append(v.Events, PrescriptionEvent{cmp.Or(words[prescription.Event(e.Says)], e.Says), e.Detail, e.Happened, e.By, a.Say(e.At)})
			since = e.At
		}
		if by, what, ok := prescription.State(o.State).Next(since); ok {
			v.Next, v.NextBy, v.Late = what, a.Say(by), a.Clock().After(by)
		}
		out[i] = v
	}
	return out, nil
}

// queues of what goes out.
const (
	pharmacy   = "pharmacy"
	faxed      = "prescription by fax"
	cancelling = "prescription cancelled"
	refusing   = "repeat refused"
)

// Destinations are the parties to whom this room sends.
func (a *Acts) Destinations() []act.Destination {
	settled := func(t *act.Tx, o store.Outgoing, _ []byte, refused string) error {
		if o.Kind == refusing {
			return nil // it is closed here, whatever they do with it
		}
		f, err := t.FurtherByID(o.Subject)
		if err != nil {
			return err
		}
		e := prescription.Delivered
		switch {
		case refused != "" && o.Kind == cancelling:
			e, refused = prescription.Unclear, "The pharmacy could not cancel it: "+refused+". Call them, then say so."
		case refused != "":
			e = prescription.NotDelivered
		}
		return kind.Happen(t, &f, e, store.FurtherEvent{Detail: refused, Origin: "sent " + o.Control})
	}
	return []act.Destination{
		{Name: pharmacy, Settled: settled, Off: func() bool { return a.Elsewhere.Pharmacy == "" }, Deliver: func(ctx context.Context, o store.Outgoing) ([]byte, string, error) {
			refused, err := fhir.Hand(ctx, "pharmacy network", a.Elsewhere.Pharmacy, "/fhir/MedicationRequest/", o.Control, "application/fhir+json", o.Body, http.Header{})
			return nil, refused, err
		}},
		{Name: faxed, Settled: settled, Deliver: func(ctx context.Context, o store.Outgoing) ([]byte, string, error) {
			refused, err := fhir.Hand(ctx, "fax line", a.Elsewhere.Fax, "/fax/", o.Control, "application/pdf", o.Body, http.Header{"Fax-Number": {o.Address}})
			return nil, refused, err
		}},
	}
}

// Poll asks the portal what patients write, and the pharmacies what became of prescriptions and
// what they ask for.
func (a *Acts) Poll(ctx context.Context) error {
	if err := a.pollQuestions(ctx); err != nil && ctx.Err() == nil { // a portal that is down stops nobody else
		slog.Warn("the portal could not be asked", "unreadable", errors.Is(err, fhir.ErrUnreadable))
	}
	if a.Elsewhere.Pharmacy == "" {
		return nil
	}
	open, said, err := kind.Going(ctx, a.Office)
	if err != nil {
		return err
	}
	var numbers []string
	by := map[string]store.Further{}
	for _, o := range open {
		if k := detail(o); k.To != nil && k.To.Reach == "electronic" && !o.SignedAt.IsZero() && o.State != string(prescription.Signed) {
			numbers = append(numbers, fhir.NumberSystem+"|"+o.Number)
			by[o.Number] = o
		}
	}
	for some := range slices.Chunk(numbers, 100) {
		body, err := a.search(ctx, "MedicationDispense", url.Values{"prescription.identifier": {strings.Join(some, ",")}})
		if err != nil {
			return err
		}
		reply, err := fhir.Fills(body)
		if err != nil {
			return err
		}
		for _, why := range reply.Left {
			slog.Warn("something that a pharmacy answered about a prescription was left out", "why", why)
		}
		for _, x := range reply.Taken {
			if o, ours := by[x.Number]; ours && !said[further.Said(o.ID, x.Origin)] {
				if err := a.Write(ctx, act.Actor{}, func(t *act.Tx) error { return a.filled(t, o.ID, x) }); err != nil {
					return err
				}
			}
		}
	}
	return a.pollRepeats(ctx)
}

func (a *Acts) search(ctx context.Context, kind string, query url.Values) ([]byte, error) {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	return fhir.Search(ctx, a.Elsewhere.Pharmacy+"/fhir", kind, query)
}

// filled takes what a pharmacy says of a prescription. What names somebody else moves nothing;
// another medicine than was prescribed, or less of it, is not taken as handed out.
func (a *Acts) filled(t *act.Tx, id string, x fhir.Fill) error {
	o, err := t.FurtherByID(id)
	if err != nil {
		return err
	}
	p, err := t.PatientByID(o.PatientID)
	if err != nil {
		return err
	}
	k := detail(o)
	e, says := x.Says, x.Words
	differs := outside.NotOf(p, x.Subject, a.Facility)
	switch {
	case !x.Named:
		e, says = prescription.OfOther, "It does not say whose it is: "+words[x.Says]
	case len(differs) > 0:
		e, says = prescription.OfOther, "It names somebody who differs in "+strings.Join(differs, ", ")+". Call the pharmacy."
	case x.Doubt != "":
		e, says = prescription.Unclear, x.Doubt
	case e == prescription.Dispenses:
		want, got := a.Medicines.Ingredients(k.Drug.Medicine), a.Medicines.Ingredients(x.Medicine)
		slices.Sort(want)
		slices.Sort(got)
		figure, _, _ := strings.Cut(x.Quantity, " ")
		n, err1 := strconv.ParseFloat(figure, 64)
		all, err2 := strconv.ParseFloat(k.Drug.Quantity, 64)
		switch {
		case x.Medicine == "" || len(want) == 0 || len(got) == 0:
			says = strings.TrimSpace(says + " Handed out: " + cmp.Or(x.Medicine, "not said") + "; not compared with what was prescribed, the list does not know it.")
			if !strings.EqualFold(x.Medicine, k.Drug.Says()) {
				e = prescription.Unclear
			}
		case !slices.Equal(want, got):
			e, says = prescription.Unclear, "The pharmacy handed out "+x.Medicine+"; "+k.Drug.Says()+" was prescribed. Call them."
		case err1 == nil && err2 == nil && n < all:
			e, says = prescription.Fills, strings.TrimSpace(says+" "+x.Quantity+" of "+k.Drug.Amount()+" handed out so far.")
		}
	}
	return kind.Happen(t, &o, e, store.FurtherEvent{Detail: strings.TrimSpace(says), Happened: x.Happened, Origin: x.Origin})
}

// PrescriptionTold is what somebody heard of a prescription, or did about it.
type PrescriptionTold struct {
	Says   prescription.Event `json:"says" enum:"handed over,settled,left at that,dispenses,not picked up,delivered"`
	Detail string             `json:"detail,omitempty" maxLength:"1000"`
}

// Tell records what somebody did about a prescription: printed and handed it over, settled with
// the pharmacy what it asked, or left it at that with the reason.
func (a *Acts) Tell(ctx context.Context, who act.Actor, id string, x PrescriptionTold) error {
	if err := act.Allow(who, act.FollowPrescription); err != nil {
		return err
	}
	x.Detail = strings.TrimSpace(x.Detail)
	switch x.Says {
	case prescription.Hands, prescription.Dispenses, prescription.NotTaken, prescription.Delivered:
	case prescription.Settles, prescription.Leaves:
		if x.Detail == "" {
			return act.Refuse(act.Invalid, "Say with whom you spoke, or why.")
		}
	default:
		return act.Refuse(act.Invalid, "That cannot be recorded of a prescription.")
	}
	return a.Act(ctx, who, act.FollowPrescription, func(t *act.Tx) error {
		o, err := kind.ByID(t.Q, id)
		if err != nil {
			return err
		}
		if x.Says == prescription.Delivered && prescription.State(o.State) != prescription.Calling {
			return act.Refuse(act.Conflict, "It is not being cancelled: it is %s.", o.State)
		}
		return kind.Happen(t, &o, x.Says, store.FurtherEvent{Detail: x.Detail})
	})
}

// Cancel calls a prescription off, with the reason; the pharmacy is told where it may have it.
// The list of medicines stays: stopping a medicine is an act of its own.
func (a *Acts) Cancel(ctx context.Context, who act.Actor, id, reason string) error {
	if err := act.Allow(who, act.SignPrescription); err != nil {
		return err
	}
	if reason = strings.TrimSpace(reason); reason == "" {
		return act.Refuse(act.Invalid, "Give the reason for cancelling.")
	}
	return a.Act(ctx, who, act.SignPrescription, func(t *act.Tx) error {
		o, err := kind.ByID(t.Q, id)
		if err != nil {
			return err
		}
		return a.cancel(t, o, reason)
	})
}

func (a *Acts) cancel(t *act.Tx, o store.Further, reason string) error {
	k := detail(o)
	was := prescription.State(o.State)
	if was == prescription.ToSign || was == prescription.Returned {
		return act.Refuse(act.Conflict, "It has not been signed: give it back, or drop it.")
	}
	if was == prescription.Signed {
		never, err := t.WithdrawOutgoing(string(line.Prescription), o.ID)
		if err != nil {
			return err
		}
		if !never {
			o.State = string(prescription.Sent) // it may have arrived
		}
	}
	if err := kind.Happen(t, &o, prescription.Cancels, store.FurtherEvent{Detail: reason}); err != nil {
		return err
	}
	if prescription.State(o.State) != prescription.Calling || k.To == nil {
		return nil
	}
	return a.dispatch(t, o, k, reason)
}

// Stop takes a medicine off the list, with the reason, and cancels what is under way of it.
func (a *Acts) Stop(ctx context.Context, who act.Actor, patient, medicine, reason string) error {
	if err := act.Allow(who, act.SignPrescription); err != nil {
		return err
	}
	if reason = strings.TrimSpace(reason); reason == "" {
		return act.Refuse(act.Invalid, "Say why it is stopped.")
	}
	return a.Act(ctx, who, act.SignPrescription, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		if err := t.StopMedicine(p.ID, medicine, a.Today(), reason, who.ID); err != nil {
			return act.NotFound(err, "medicine")
		}
		all, err := t.FurtherOf(p.ID, store.PrescriptionOrder)
		if err != nil {
			return err
		}
		for _, o := range all {
			if s := prescription.State(o.State); detail(o).Medicine == medicine && !s.Done() && s != prescription.ToSign && s != prescription.Returned && s != prescription.Calling && s != prescription.TooLate {
				if err := a.cancel(t, o, "The medicine was stopped: "+reason); err != nil {
					return err
				}
			}
		}
		t.Tell(act.PatientEvent, p.ID, p.ID)
		return t.Audit("stop medicine", p.ID, medicine, "")
	})
}

// Return gives a prescription that waits for a signature back to who wrote it; Drop takes it
// back, by who wrote it.
func (a *Acts) Return(ctx context.Context, who act.Actor, id, reason string) error {
	return kind.Settle(ctx, a.Office, who, act.SignPrescription, id, reason, prescription.Returned)
}

// Drop takes back a prescription that nobody signed, by who wrote it.
func (a *Acts) Drop(ctx context.Context, who act.Actor, id, reason string) error {
	return kind.Settle(ctx, a.Office, who, act.PreparePrescription, id, reason, prescription.Cancelled)
}

// OfPatient lists the prescriptions of a patient, newest first.
func (a *Acts) OfPatient(ctx context.Context, who act.Actor, patient string) (out []PrescriptionView, err error) {
	out = []PrescriptionView{}
	err = kind.OfPatient(ctx, a.Office, who, patient, func(q *store.Q, all []store.Further) (err error) {
		out, err = a.views(q, all)
		return err
	})
	return out, err
}

// In lists prescriptions by id, as a chart lists them.
func (a *Acts) In(q *store.Q, ids []string) ([]PrescriptionView, error) {
	all, err := q.FurtherIn(ids)
	if err != nil {
		return nil, err
	}
	return a.views(q, all)
}

// OpenedPrescription is a prescription open on the page, with whose it is.
type OpenedPrescription struct {
	Patient      act.PatientView  `json:"patient"`
	Prescription PrescriptionView `json:"prescription"`
}

// Open opens a prescription.
func (a *Acts) Open(ctx context.Context, who act.Actor, id string) (out OpenedPrescription, err error) {
	out.Patient, err = kind.Open(ctx, a.Office, who, id, func(q *store.Q, o store.Further) (err error) {
		out.Prescription, err = a.view(q, o)
		return err
	})
	return out, err
}

// Lines are the kinds of open line of this room.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{{Kind: line.Prescription, List: act.UnderWay, Fill: a.fillPrescriptions},
		{Kind: line.Repeat, List: act.UnderWay, Right: act.SignPrescription, Fill: a.fillInquiries}, {Kind: line.Inquiry, List: act.UnderWay, Right: act.AnswerInquiry, Fill: a.fillInquiries}}
}

func (a *Acts) fillPrescriptions(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
	views, err := a.In(q, act.Subjects(rows))
	act.Describe(rows, views, func(v PrescriptionView) string { return v.ID }, func(row *act.LineRow, v PrescriptionView) {
		last := ""
		if len(v.Events) > 0 {
			last = v.Events[len(v.Events)-1].Says
		}
		kind.Row(row, prescription.State(v.State), prescription.ToHand, further.Standing{Says: v.Says, By: v.By, Reason: v.Reason, Next: v.Next, NextBy: v.NextBy, Late: v.Late,
			Doubt: last != "" && (last == words[prescription.OfOther] || last == words[prescription.Unclear])})
	})
	return err
}

// RaiseLate opens the lines of prescriptions whose next event is late.
func (a *Acts) RaiseLate(ctx context.Context) (n int, err error) {
	return kind.RaiseLate(ctx, a.Office, func(q *store.Q, all []store.Further) (late []store.Further, err error) {
		views, err := a.views(q, all)
		return further.Late(all, views, func(v PrescriptionView) bool { return v.Late }), err
	})
}

// Run asks the pharmacies and raises what is late, until ctx ends.
func (a *Acts) Run(ctx context.Context, every time.Duration) {
	further.Watch(ctx, a.Clock, every, func(ctx context.Context) {
		if err := a.Poll(ctx); err != nil && ctx.Err() == nil {
			slog.Warn("the pharmacies could not be asked", "error", err)
		}
	}, a.RaiseLate)
}

func daysBetween(from, to string) int {
	a, err1 := time.Parse(time.DateOnly, from)
	b, err2 := time.Parse(time.DateOnly, to)
	if err1 != nil || err2 != nil {
		return -1
	}
	return int(b.Sub(a).Hours() / 24)
}
