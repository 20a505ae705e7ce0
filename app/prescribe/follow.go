package prescribe

import (
	"cmp"
	"context"
	"log/slog"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
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

func (a *Acts) view(q *store.Q, o store.Further) (PrescriptionView, error) {
	all, err := a.views(q, []store.Further{o})
	if err != nil {
		return PrescriptionView{}, err
	}
	return all[0], nil
}

func (a *Acts) views(q *store.Q, orders []store.Further) ([]PrescriptionView, error) {
	ids := make([]string, len(orders))
	for i, o := range orders {
		ids[i] = o.ID
	}
	events, err := q.FurtherEvents(ids)
	if err != nil {
		return nil, err
	}
	of := map[string][]store.FurtherEvent{}
	for _, e := range events {
		of[e.OrderID] = append(of[e.OrderID], e)
	}
	out := make([]PrescriptionView, len(orders))
	for i, o := range orders {
		k := detail(o)
		v := PrescriptionView{ID: o.ID, PatientID: o.PatientID, Number: o.Number, Drug: k.Drug, Says: k.Drug.Says(), Reads: k.Drug.Reads(), Amount: k.Drug.Amount(), Schedule: k.Schedule, Instead: k.Instead,
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

// happen records an event of a prescription and moves it on.
func (a *Acts) happen(t *act.Tx, o *store.Further, e prescription.Event, x store.FurtherEvent) error {
	next, err := prescription.State(o.State).After(e)
	if err != nil {
		return act.Refuse(act.Conflict, "This cannot be: the prescription is %s.", o.State)
	}
	x.ID, x.OrderID, x.Says, x.At, x.ByID = act.NewID(), o.ID, string(e), t.Now, t.Who.ID
	if x.Origin != "" {
		x.ByID = "" // their system said it
	}
	if added, err := t.AddFurtherEvent(x); err != nil || !added {
		return err
	}
	reason := o.Reason
	if string(next) != o.State {
		reason = ""
	}
	if next.Acts() || e == prescription.Cancels {
		reason = cmp.Or(x.Detail, reason)
	}
	o.State, o.Reason = string(next), reason
	if err := t.SetFurther(o.ID, o.State, o.Reason); err != nil {
		return err
	}
	if next.Done() {
		by := cmp.Or(t.Who.ID, o.ClinicianID)
		err = t.CloseLine(line.Prescription, o.ID, by, words[e], t.Now)
	} else if err = t.OpenLine(act.NewID(), line.Prescription, o.ID, o.PatientID, o.ClinicianID, line.Waiting, t.Now); err == nil {
		state := line.Waiting
		if next.Acts() || e == prescription.Unclear || e == prescription.OfOther {
			state = line.Open
		}
		err = t.SetLineState(line.Prescription, o.ID, state)
	}
	if err != nil {
		return err
	}
	a.tell(t, *o)
	return t.Audit("prescription: "+words[e], o.PatientID, o.ID, "")
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
		return a.happen(t, &f, e, store.FurtherEvent{Detail: refused, Origin: "sent " + o.Control})
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

// going bounds how many prescriptions are asked after at once.
const going = 2000

// Poll asks the pharmacies what became of prescriptions, and what they ask for.
func (a *Acts) Poll(ctx context.Context) error {
	if a.Elsewhere.Pharmacy == "" {
		return nil
	}
	var open []store.Further
	said := map[string]bool{}
	if err := a.Store.Read(ctx, func(q *store.Q) (err error) {
		if open, err = q.FurtherGoing(store.PrescriptionOrder, going); err != nil {
			return err
		}
		ids := make([]string, len(open))
		for i, o := range open {
			ids[i] = o.ID
		}
		events, err := q.FurtherEvents(ids)
		for _, e := range events {
			said[e.OrderID+" "+e.Origin] = true
		}
		return err
	}); err != nil {
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
		for _, x := range reply.Taken {
			if o, ours := by[x.Number]; ours && !said[o.ID+" "+x.Origin] {
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
	return a.happen(t, &o, e, store.FurtherEvent{Detail: strings.TrimSpace(says), Happened: x.Happened, Origin: x.Origin})
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
		o, err := a.byID(t.Q, id)
		if err != nil {
			return err
		}
		if x.Says == prescription.Delivered && prescription.State(o.State) != prescription.Calling {
			return act.Refuse(act.Conflict, "It is not being cancelled: it is %s.", o.State)
		}
		return a.happen(t, &o, x.Says, store.FurtherEvent{Detail: x.Detail})
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
		o, err := a.byID(t.Q, id)
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
	if err := a.happen(t, &o, prescription.Cancels, store.FurtherEvent{Detail: reason}); err != nil {
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
	return a.settle(ctx, who, act.SignPrescription, id, reason, prescription.Returned)
}

// Drop takes back a prescription that nobody signed, by who wrote it.
func (a *Acts) Drop(ctx context.Context, who act.Actor, id, reason string) error {
	return a.settle(ctx, who, act.PreparePrescription, id, reason, prescription.Cancelled)
}

func (a *Acts) settle(ctx context.Context, who act.Actor, right act.Right, id, reason string, to prescription.State) error {
	if err := act.Allow(who, right); err != nil {
		return err
	}
	if reason = strings.TrimSpace(reason); reason == "" {
		return act.Refuse(act.Invalid, "Say why.")
	}
	return a.Act(ctx, who, right, func(t *act.Tx) error {
		o, err := a.byID(t.Q, id)
		if err != nil {
			return err
		}
		s := prescription.State(o.State)
		switch {
		case s != prescription.ToSign && (s != prescription.Returned || to == prescription.Returned):
			return act.Refuse(act.Conflict, "This prescription does not wait for a signature: %s.", s)
		case to == prescription.Cancelled && o.ByID != who.ID:
			return act.Refuse(act.Forbidden, "Only who wrote the prescription may drop it.")
		}
		if err := t.SetFurther(id, string(to), reason); err != nil {
			return err
		}
		if to == prescription.Cancelled {
			err = t.CloseLine(line.Prescription, id, who.ID, "dropped: "+reason, t.Now)
		} else {
			err = t.MoveLine(string(line.Prescription), id, o.ByID)
		}
		if err != nil {
			return err
		}
		a.tell(t, o)
		return t.Audit("prescription "+string(to), o.PatientID, id, "")
	})
}

// OfPatient lists the prescriptions of a patient, newest first.
func (a *Acts) OfPatient(ctx context.Context, who act.Actor, patient string) (out []PrescriptionView, err error) {
	out = []PrescriptionView{}
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		patient = p.ID
		all, err := q.FurtherOf(p.ID, store.PrescriptionOrder)
		if err != nil {
			return err
		}
		out, err = a.views(q, all)
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "look at prescriptions", patient, "")
	}
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
	patient := ""
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		o, err := a.byID(q, id)
		if err != nil {
			return err
		}
		patient = o.PatientID
		p, err := q.Person(o.PatientID)
		if err != nil {
			return err
		}
		out.Patient = a.Patient(p)
		out.Prescription, err = a.view(q, o)
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open prescription", patient, id)
	}
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
		row.Title = v.Says + ": " + v.State
		doubt := len(v.Events) > 0 && (v.Events[len(v.Events)-1].Says == words[prescription.OfOther] || v.Events[len(v.Events)-1].Says == words[prescription.Unclear])
		switch s := prescription.State(v.State); {
		case s == prescription.ToSign, s == prescription.Returned:
			row.Mark, row.Title = string(s), v.Says+", written by "+v.By
		case s.Acts():
			row.Mark, row.Grave, row.Title = string(s), s != prescription.ToHand, v.Says
			if v.Reason != "" {
				row.Title += ": " + v.Reason
			}
		case doubt:
			row.Mark, row.Grave = "not certain", true
		case v.Late:
			row.Mark = "late"
			row.Title += ", " + v.Next + " by " + chart.SayDay(v.NextBy[:10])
		}
	})
	return err
}

// RaiseLate opens the lines of prescriptions whose next event is late.
func (a *Acts) RaiseLate(ctx context.Context) (n int, err error) {
	var late []PrescriptionView
	if err := a.Store.Read(ctx, func(q *store.Q) error {
		all, err := q.FurtherGoing(store.PrescriptionOrder, going)
		if err != nil {
			return err
		}
		views, err := a.views(q, all)
		for _, v := range views {
			if v.Late {
				late = append(late, v)
			}
		}
		return err
	}); err != nil || len(late) == 0 {
		return 0, err
	}
	return len(late), a.Write(ctx, act.Actor{}, func(t *act.Tx) error {
		for _, v := range late {
			o, err := t.FurtherByID(v.ID)
			if err != nil {
				return err
			}
			if o.State != v.State {
				continue // it has moved on meanwhile
			}
			if err := t.SetLineState(line.Prescription, v.ID, line.Open); err != nil {
				return err
			}
			t.Tell(act.LineEvent, v.ID, v.PatientID)
		}
		return nil
	})
}

// Run asks the pharmacies and raises what is late, until ctx ends.
func (a *Acts) Run(ctx context.Context, every time.Duration) {
	raised := time.Time{}
	for ctx.Err() == nil {
		if err := a.Poll(ctx); err != nil && ctx.Err() == nil {
			slog.Warn("the pharmacies could not be asked", "error", err)
		}
		if now := a.Clock(); now.Sub(raised) > 10*time.Minute || raised.After(now) {
			raised = now
			if _, err := a.RaiseLate(ctx); err != nil && ctx.Err() == nil {
				slog.Error("late prescriptions could not be raised", "error", err)
			}
		}
		select {
		case <-ctx.Done():
		case <-time.After(every):
		}
	}
}

func daysBetween(from, to string) int {
	a, err1 := time.Parse(time.DateOnly, from)
	b, err2 := time.Parse(time.DateOnly, to)
	if err1 != nil || err2 != nil {
		return -1
	}
	return int(b.Sub(a).Hours() / 24)
}
