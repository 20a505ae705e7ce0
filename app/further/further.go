// Package further has what referrals and prescriptions share: how they are found, wait for a
// signature, move on by what happens to them, and come back to somebody when they are late. What
// they say, and what may happen to them, is for their own rooms.
package further

import (
	"cmp"
	"context"
	"log/slog"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/store"
)

// State is where such an order stands, as core knows it.
type State[E, S any] interface {
	~string
	Acts() bool
	Done() bool
	After(e E) (S, error)
}

// Kind is a kind of such an order.
type Kind[E ~string, S State[E, S]] struct {
	Order string // as it is kept
	Line  line.Kind
	Name  string // in a sentence: referral

	ToSign, Returned, Cancelled S

	// Words are events as people read them.
	Words map[E]string
	// Unsure are events that move nothing, and that somebody has to look at.
	Unsure []E
	// Explains says whether the detail of an event is why it stands where it then does.
	Explains func(e E, next S) bool
}

// most bounds how many that are under way are looked through at once.
const most = 2000

// ByID finds one of the kind.
func (k Kind[E, S]) ByID(q *store.Q, id string) (store.Further, error) {
	o, err := q.FurtherByID(id)
	if err == nil && o.Kind != k.Order {
		err = store.ErrNotFound
	}
	return o, act.NotFound(err, k.Name)
}

// Tell says to whoever looks that one has changed.
func Tell(t *act.Tx, o store.Further) {
	t.Tell(act.OrderEvent, o.ID, o.PatientID)
	t.Tell(act.LineEvent, o.ID, o.PatientID)
}

// For says for whom one is written at a visit ("" for none): by whoever signs it now, or laid
// for the clinician of the visit, or else of the patient.
// named is who is to sign it, where the writer says so; needs is the right that it takes.
func For(t *act.Tx, o *store.Further, prepare bool, named string, needs act.Right) error {
	if err := writtenFor(t, o, prepare, named); err != nil || !prepare {
		return err
	}
	s, err := t.StaffByID(o.ClinicianID)
	if store.IsNotFound(err) || err == nil && (!s.Active || !act.May(s.Role, needs)) {
		return act.Refuse(act.Invalid, "Say who signs it: somebody here who may %s.", needs)
	}
	return err
}

func writtenFor(t *act.Tx, o *store.Further, prepare bool, named string) error {
	switch {
	case o.VisitID != "":
		v, err := t.VisitByID(o.VisitID)
		if err != nil || !act.SamePerson(t.Q, v.PatientID, o.PatientID) {
			return act.Refuse(act.Invalid, "The visit is not one of this patient.")
		}
		if prepare {
			o.ClinicianID = cmp.Or(named, v.ClinicianID)
		}
	case prepare && named != "":
		o.ClinicianID = named
	case prepare:
		usual, err := t.UsualClinician(o.PatientID)
		if err != nil {
			return err
		}
		if usual == "" {
			return act.Refuse(act.Invalid, "Nobody is this patient's usual clinician: say first who is, or write it at a visit.")
		}
		o.ClinicianID = usual
	}
	return nil
}

// Settle gives one that waits for a signature back to who wrote it (to is Returned), or drops
// it, by who wrote it (Cancelled).
func (k Kind[E, S]) Settle(ctx context.Context, a *act.Office, who act.Actor, right act.Right, id, reason string, to S) error {
	if err := act.Allow(who, right); err != nil {
		return err
	}
	if reason = strings.TrimSpace(reason); reason == "" {
		return act.Refuse(act.Invalid, "Say why.")
	}
	return a.Act(ctx, who, right, func(t *act.Tx) error {
		o, err := k.ByID(t.Q, id)
		if err != nil {
			return err
		}
		s, drops := S(o.State), to == k.Cancelled
		switch {
		case s != k.ToSign && (s != k.Returned || !drops):
			return act.Refuse(act.Conflict, "This %s does not wait for a signature: %s.", k.Name, s)
		case drops && o.ByID != who.ID:
			return act.Refuse(act.Forbidden, "Only who wrote the %s may drop it.", k.Name)
		}
		if err := t.SetFurther(id, string(to), reason); err != nil {
			return err
		}
		if drops {
			err = t.CloseLine(k.Line, id, who.ID, "dropped: "+reason, t.Now)
		} else {
			err = t.MoveLine(string(k.Line), id, o.ByID)
		}
		if err != nil {
			return err
		}
		Tell(t, o)
		return t.Audit(k.Name+" "+string(to), o.PatientID, id, "")
	})
}

// Happen records an event and moves the order on, with its line. What their system said
// before changes nothing.
func (k Kind[E, S]) Happen(t *act.Tx, o *store.Further, e E, x store.FurtherEvent) error {
	next, err := S(o.State).After(e)
	if err != nil {
		return act.Refuse(act.Conflict, "This cannot be: the %s is %s.", k.Name, o.State)
	}
	x.ID, x.OrderID, x.Says, x.At, x.ByID = act.NewID(), o.ID, string(e), t.Now, t.Who.ID
	if x.Origin != "" {
		x.ByID = "" // their system said it, whoever sent what it answers
	}
	if added, err := t.AddFurtherEvent(x); err != nil || !added {
		return err
	}
	if string(next) != o.State {
		o.Reason = ""
	}
	if k.Explains(e, next) {
		o.Reason = cmp.Or(x.Detail, o.Reason)
	}
	o.State = string(next)
	if err := t.SetFurther(o.ID, o.State, o.Reason); err != nil {
		return err
	}
	if next.Done() {
		err = t.CloseLine(k.Line, o.ID, cmp.Or(t.Who.ID, o.ClinicianID), k.Words[e], t.Now)
	} else if err = t.OpenLine(act.NewID(), k.Line, o.ID, o.PatientID, o.ClinicianID, line.Waiting, t.Now); err == nil {
		state := line.Waiting
		if next.Acts() || slices.Contains(k.Unsure, e) {
			state = line.Open
		}
		err = t.SetLineState(k.Line, o.ID, state)
	}
	if err != nil {
		return err
	}
	Tell(t, *o)
	return t.Audit(k.Name+": "+k.Words[e], o.PatientID, o.ID, "")
}

// Events lists what happened to some, of each the oldest first.
func Events(q *store.Q, orders []store.Further) (map[string][]store.FurtherEvent, error) {
	ids := make([]string, len(orders))
	for i, o := range orders {
		ids[i] = o.ID
	}
	events, err := q.FurtherEvents(ids)
	of := map[string][]store.FurtherEvent{}
	for _, e := range events {
		of[e.OrderID] = append(of[e.OrderID], e)
	}
	return of, err
}

// OfPatient lists those of a patient, the newest first.
func (k Kind[E, S]) OfPatient(ctx context.Context, a *act.Office, who act.Actor, patient string, show func(*store.Q, []store.Further) error) error {
	err := a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		patient = p.ID
		all, err := q.FurtherOf(p.ID, k.Order)
		if err != nil {
			return err
		}
		return show(q, all)
	})
	if err != nil {
		return err
	}
	return a.Saw(ctx, who, "look at "+k.Name+"s", patient, "")
}

// Open opens one, with whose it is.
func (k Kind[E, S]) Open(ctx context.Context, a *act.Office, who act.Actor, id string, show func(*store.Q, store.Further) error) (whose act.PatientView, err error) {
	patient := ""
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		o, err := k.ByID(q, id)
		if err != nil {
			return err
		}
		p, err := q.Person(o.PatientID)
		if err != nil {
			return err
		}
		patient, whose = o.PatientID, a.Patient(p)
		return show(q, o)
	})
	if err != nil {
		return whose, err
	}
	return whose, a.Saw(ctx, who, "open "+k.Name, patient, id)
}

// Going lists those under way with what their systems said of each before, so that nothing is
// taken twice.
func (k Kind[E, S]) Going(ctx context.Context, a *act.Office) (open []store.Further, said map[string]bool, err error) {
	said = map[string]bool{}
	err = a.Store.Read(ctx, func(q *store.Q) error {
		if open, err = q.FurtherGoing(k.Order, most); err != nil {
			return err
		}
		of, err := Events(q, open)
		for _, events := range of {
			for _, e := range events {
				said[Said(e.OrderID, e.Origin)] = true
			}
		}
		return err
	})
	return open, said, err
}

// Said names what somebody's system said of an order.
func Said(order, origin string) string { return order + " " + origin }

// RaiseLate opens the lines of those that late names among all under way, and says how many.
func (k Kind[E, S]) RaiseLate(ctx context.Context, a *act.Office, late func(*store.Q, []store.Further) ([]store.Further, error)) (n int, err error) {
	var raise []store.Further
	if err := a.Store.Read(ctx, func(q *store.Q) error {
		all, err := q.FurtherGoing(k.Order, most)
		if err != nil {
			return err
		}
		raise, err = late(q, all)
		return err
	}); err != nil || len(raise) == 0 {
		return 0, err
	}
	return len(raise), a.Write(ctx, act.Actor{}, func(t *act.Tx) error {
		for _, was := range raise {
			o, err := t.FurtherByID(was.ID)
			if err != nil {
				return err
			}
			if o.State != was.State {
				continue // it has moved on meanwhile
			}
			if err := t.SetLineState(k.Line, o.ID, line.Open); err != nil {
				return err
			}
			t.Tell(act.LineEvent, o.ID, o.PatientID)
		}
		return nil
	})
}

// Standing is how one stands, as its line of the desk tells it.
type Standing struct {
	Says, By, Reason string // what it is, who wrote it, why it stands where it does
	Next, NextBy     string // what is awaited, and by when
	Late, Doubt      bool
}

// Row tells how one stands in its line of the desk: what waits for a signature by who wrote it, what asks to be acted on with why, what is
// not certain or late. byHand is the state that is acted on without being grave: it is handed over on paper.
func (k Kind[E, S]) Row(row *act.LineRow, s, byHand S, v Standing) {
	row.Title = v.Says + ": " + string(s)
	switch {
	case s == k.ToSign || s == k.Returned:
		row.Mark, row.Title = string(s), v.Says+", written by "+v.By
	case s.Acts():
		row.Mark, row.Grave, row.Title = string(s), s != byHand, v.Says
		if v.Reason != "" {
			row.Title += ": " + v.Reason
		}
	case v.Doubt:
		row.Mark, row.Grave = "not certain", true
	case v.Late:
		row.Mark = "late"
		row.Title += ", " + v.Next + " by " + chart.SayDay(v.NextBy[:10])
	}
}

// Watch asks the other side and raises what is late, until ctx ends: the one every time, the other every ten minutes.
func Watch(ctx context.Context, clock func() time.Time, every time.Duration, ask func(context.Context), raise func(context.Context) (int, error)) {
	raised := time.Time{}
	for ctx.Err() == nil {
		ask(ctx)
		if now := clock(); now.Sub(raised) > 10*time.Minute || raised.After(now) {
			raised = now
			if _, err := raise(ctx); err != nil && ctx.Err() == nil {
				slog.Error("what is late could not be raised", "error", err)
			}
		}
		select {
		case <-ctx.Done():
		case <-time.After(every):
		}
	}
}

// Late are those of some whose next event is late.
func Late[V any](all []store.Further, views []V, late func(V) bool) (out []store.Further) {
	for i, v := range views {
		if late(v) {
			out = append(out, all[i])
		}
	}
	return out
}
