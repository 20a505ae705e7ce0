package order

import (
	"cmp"
	"context"
	"fmt"
	"regexp"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/exchange/hl7v2"
	"deftledger/store"
)

// asking is the kind of what asks the laboratory how far an order has come.
const asking = "asking"

// AskLaboratory asks the laboratory by a message how far an order has come (ORC-1 SS). What
// it answers stands with the order; one that takes paper is called instead.
func (a *Acts) AskLaboratory(ctx context.Context, who act.Actor, id string) error {
	return a.follow(ctx, who, id, "ask the laboratory after an order", func(t *act.Tx, o store.Order, n int) error {
		if a.Config.Laboratory(o.Party).Takes == order.TakesPaper {
			return act.Refuse(act.Conflict, "%s takes no messages: call it, and keep what they said.", o.Laboratory)
		}
		switch o.State {
		case order.Received, order.InProcess, order.Partial:
		default:
			return act.Refuse(act.Conflict, "The laboratory has nothing to answer for: %s.", o.State)
		}
		asked, err := t.OutgoingWaits(asking, id)
		if err != nil {
			return err
		}
		if asked {
			return act.Refuse(act.Conflict, "It is asked already, and has not answered yet.")
		}
		m, err := a.message(t.Q, o)
		if err != nil {
			return err
		}
		m.Control, m.Ask, m.SignedAt = fmt.Sprintf("%sS%d", o.Placer, n), true, t.Now.In(a.Location)
		if err := t.Send(store.Outgoing{Control: m.Control, Destination: laboratory, Kind: asking, Subject: id, ByID: t.Who.ID, Body: m.Build()}); err != nil {
			return err
		}
		return a.happened(t, o, store.OrderAsked, "by a message to "+o.Laboratory, t.Now.Add(24*time.Hour))
	})
}

// SendAgain sends an order once more as it was signed, under its own number, so that a
// laboratory that has it takes it for the same: where it says that it has none, or never
// answers. It is for an order of which nothing has come back.
func (a *Acts) SendAgain(ctx context.Context, who act.Actor, id string) error {
	return a.follow(ctx, who, id, "send order again", func(t *act.Tx, o store.Order, n int) error {
		if o.State != order.Received && o.State != order.Failed {
			return act.Refuse(act.Conflict, "Only what the laboratory took or refused, and of which nothing has come, is sent again: %s.", o.State)
		}
		waits, err := t.OutgoingWaits(string(line.Order), id)
		if err != nil {
			return err
		}
		if waits {
			return act.Refuse(act.Conflict, "It is on its way already.")
		}
		if err := a.out(t, o, fmt.Sprintf("%sR%d", o.Placer, n), false); err != nil {
			return err
		}
		if o.State == order.Failed {
			if err := t.SetOrderState(id, order.Signed, ""); err != nil {
				return err
			}
		}
		anew := o // it has the time it had from the beginning
		anew.State, anew.SignedAt, anew.CollectedAt, anew.Due = order.Received, t.Now, t.Now, ""
		by, _, _, _ := a.course(anew, nil).Next(a.Location)
		return a.happened(t, o, store.OrderAgain, "to "+o.Laboratory, by)
	})
}

// follow runs an act on an order under way; n counts from 1 what was done about it, so that
// each message has a number of its own.
func (a *Acts) follow(ctx context.Context, who act.Actor, id, says string, f func(t *act.Tx, o store.Order, n int) error) error {
	return a.Act(ctx, who, act.FollowOrder, func(t *act.Tx) error {
		o, err := t.OrderByID(id)
		if err != nil {
			return act.NotFound(err, "order")
		}
		events, err := t.OrderEvents([]string{id})
		if err != nil {
			return err
		}
		if err := f(t, o, len(events)+1); err != nil {
			return err
		}
		if err := t.SetLineState(line.Order, id, line.Waiting); err != nil {
			return err
		}
		return t.Audit(says, o.PatientID, id, "")
	})
}

// happened keeps what was done about an order or said of it, and shows it.
func (a *Acts) happened(t *act.Tx, o store.Order, says, detail string, until time.Time) error {
	e := store.OrderEvent{ID: act.NewID(), OrderID: o.ID, Says: says, Detail: detail, Until: until, At: t.Now}
	if says != store.OrderTold && says != store.OrderTrouble {
		e.ByID = t.Who.ID
	}
	t.Tell(act.OrderEvent, o.ID, o.PatientID)
	t.Tell(act.LineEvent, o.ID, o.PatientID)
	return t.AddOrderEvent(e)
}

// askSettled keeps what the laboratory answered when it was asked; an answer that says
// nothing of the order is one somebody has to see.
func (a *Acts) askSettled(t *act.Tx, o store.Order, answer []byte, refused string) error {
	said, err := hl7v2.ParseStatuses(answer)
	if err != nil || refused != "" || len(said) == 0 {
		return a.told(t, o, []string{cmp.Or(refused, "It took the question, and said nothing of the order.")}, true)
	}
	var ours []hl7v2.OrderStatus
	for _, s := range said {
		if placer, _ := split(s.Placer); placer == o.Placer {
			ours = append(ours, s)
		}
	}
	if len(ours) == 0 {
		return a.told(t, o, []string{"It answered for another order."}, true)
	}
	return a.statuses(t, o, ours)
}

// statuses keeps what was said of the tests of an order. Whatever means that nothing will
// come, or that something is out there which is not here, opens its line.
func (a *Acts) statuses(t *act.Tx, o store.Order, said []hl7v2.OrderStatus) error {
	var words []string
	trouble := false
	for _, s := range said {
		_, n := split(s.Placer)
		name, here := "", false
		for i, x := range o.Tests {
			if fmt.Sprint(i+1) == n {
				name, here = x.Name+": ", x.ReportStatus == "F" || x.ReportStatus == "C" || x.ReportStatus == "X"
			}
		}
		if len(o.Tests) == 1 {
			name = ""
		}
		text := name + s.Words
		switch {
		case here:
			text += " (its report is here)"
		case s.Standing == order.Answered:
			text += "; no final report of it is here"
			trouble = true
		case s.Standing != order.Going:
			trouble = true
		}
		words = append(words, text)
	}
	return a.told(t, o, words, trouble)
}

func (a *Acts) told(t *act.Tx, o store.Order, words []string, trouble bool) error {
	says := store.OrderTold
	if trouble && !o.State.Done() {
		says = store.OrderTrouble
		if err := t.SetLineState(line.Order, o.ID, line.Open); err != nil {
			return err
		}
	}
	if err := a.happened(t, o, says, strings.Join(words, "; "), time.Time{}); err != nil {
		return err
	}
	return t.Audit("the laboratory said how far an order is", o.PatientID, o.ID, "")
}

var testOf = regexp.MustCompile(`^(.+)-(\d{1,3})$`)

// split parts the number of a test into that of its order and its place, "" for none.
func split(number string) (placer, place string) {
	if m := testOf.FindStringSubmatch(number); m != nil {
		return m[1], m[2]
	}
	return number, ""
}

// Statement takes what the laboratory says unasked of how far orders have come. known is
// false where the message says nothing of the kind; why is what holds it, "" where it was
// taken whole. It is taken as a whole or not at all.
func (a *Acts) Statement(t *act.Tx, raw []byte) (known bool, why string, err error) {
	said, err := hl7v2.ParseStatuses(raw)
	if err != nil || len(said) == 0 {
		return false, "", nil //nolint:nilerr // it is no statement, and is held with the reason of whoever reads it
	}
	of := map[string][]hl7v2.OrderStatus{}
	var orders []store.Order
	for _, s := range said {
		placer, _ := split(s.Placer)
		o, err := t.OrderByPlacer(placer)
		if store.IsNotFound(err) {
			return true, fmt.Sprintf("It says how far the order %q is, and there is no such order here.", cmp.Or(s.Placer, "without a number")), nil
		}
		if err != nil {
			return true, "", err
		}
		p, err := t.PatientByID(o.PatientID)
		if err != nil {
			return true, "", err
		}
		if s.Family != "" && !strings.EqualFold(s.Family, p.Name.Family) || s.Born != "" && s.Born != strings.ReplaceAll(p.BirthDate, "-", "") {
			return true, "It says how far an order is, and names another patient than that order. Ask the laboratory which is meant.", nil
		}
		if of[o.ID] == nil {
			orders = append(orders, o)
		}
		of[o.ID] = append(of[o.ID], s)
	}
	for _, o := range orders {
		if err := a.statuses(t, o, of[o.ID]); err != nil {
			return true, "", err
		}
	}
	return true, "", nil
}
