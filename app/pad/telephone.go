package pad

import (
	"cmp"
	"context"
	"encoding/json"
	"strings"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/store"
)

// telephone is what is kept of an order by telephone; it never changes.
type telephone struct {
	From  string      `json:"from"` // who gave it, by name
	Items []TakenItem `json:"items"`
	Why   string      `json:"why,omitempty"` // of one that its author does not own to: what they say
}

// TakenItem is something that was ordered by telephone.
type TakenItem struct {
	Kind  string `json:"kind" enum:"order,prescription,referral"`
	ID    string `json:"id"`
	Title string `json:"title"`
}

func taken(i store.Inquiry) (x telephone) {
	_ = json.Unmarshal(i.Said, &x) // written by us
	return x
}

// Telephone signs a pad in the name of whoever gave it by telephone, by somebody who took it
// down and read it back. It goes out at once, and is a line of its author's until they sign it
// as theirs.
func (a *Acts) Telephone(ctx context.Context, who act.Actor, p Pad, from string, readBack bool) (out Signed, err error) {
	if err := act.Allow(who, act.TakeOrder); err != nil {
		return out, err
	}
	if !readBack {
		return out, act.Refuse(act.Invalid, "Read it back to whoever gave it, and say that you did.")
	}
	if p.Tests != nil && (p.Tests.Prepared != "" || p.Tests.Instead != "") {
		return out, act.Refuse(act.Invalid, "What was prepared, or is changed, is signed by whoever may sign orders.")
	}
	for _, n := range p.Prescriptions {
		if schedule, _, _ := a.Medicines.Schedule(n.Drug.Medicine); schedule != "" {
			return out, act.Refuse(act.Invalid, "%s is a controlled substance (schedule %s): it is not taken by telephone here. Lay it for the signature.", n.Drug.Medicine, schedule)
		}
	}
	author, err := a.author(ctx, from)
	if err != nil {
		return out, err
	}
	run, err := a.parts(ctx, who, p, &act.Phone{ID: author.ID, Name: author.Name(), Taker: who.Name}, false, &out)
	if err != nil {
		return out, err
	}
	if err := a.OpenSigning(ctx, &who, p.Secret); err != nil {
		return out, err
	}
	err = a.Act(ctx, who, act.TakeOrder, func(t *act.Tx) error {
		if err := run(t); err != nil {
			return err
		}
		x := telephone{From: author.Name()}
		request := ""
		for _, o := range out.Orders {
			var names []string
			for _, n := range o.Tests {
				names = append(names, n.Name)
			}
			x.Items = append(x.Items, TakenItem{"order", o.ID, strings.Join(names, ", ")})
			request = cmp.Or(request, o.ID)
		}
		for _, r := range out.Prescriptions {
			x.Items = append(x.Items, TakenItem{"prescription", r.ID, r.Says})
			request = cmp.Or(request, r.ID)
		}
		for _, r := range out.Referrals {
			x.Items = append(x.Items, TakenItem{"referral", r.ID, r.Title})
			request = cmp.Or(request, r.ID)
		}
		person, err := t.Person(p.PatientID)
		if err != nil {
			return err
		}
		return a.wait(t, store.Inquiry{Kind: store.TelephoneOrder, Origin: "order by telephone " + request, PatientID: person.ID, OwnerID: author.ID, ByID: who.ID}, x)
	})
	if err != nil {
		out = nobody()
	}
	return out, err
}

// author is who gave an order: somebody who may sign one.
func (a *Acts) author(ctx context.Context, id string) (s store.Staff, err error) {
	err = a.Store.Read(ctx, func(q *store.Q) error {
		s, err = q.StaffByID(id)
		return err
	})
	if store.IsNotFound(err) || err == nil && (!s.Active || !act.May(s.Role, act.PlaceOrder)) {
		err = act.Refuse(act.Invalid, "Say who gave the order: somebody here who may sign one.")
	}
	return s, err
}

// wait keeps an order by telephone, or that its author does not own to it, as an open line.
func (a *Acts) wait(t *act.Tx, i store.Inquiry, x telephone) (err error) {
	i.ID, i.Source, i.At = act.NewID(), "telephone", t.Now
	if i.Said, err = json.Marshal(x); err != nil {
		return err
	}
	if added, err := t.AddInquiry(i); err != nil || !added {
		return err // taken before, under the same request
	}
	if err := t.OpenLine(act.NewID(), line.Telephone, i.ID, i.PatientID, i.OwnerID, line.Open, t.Now); err != nil {
		return err
	}
	t.Tell(act.LineEvent, i.ID, i.PatientID)
	return t.Audit("take an order by telephone", i.PatientID, i.ID, "")
}

// TelephoneView is an order by telephone.
type TelephoneView struct {
	ID       string      `json:"id"`
	From     string      `json:"from" doc:"Who gave it"`
	By       string      `json:"by" doc:"Who took it down"`
	At       string      `json:"at"`
	Items    []TakenItem `json:"items"`
	Disputed bool        `json:"disputed" doc:"Its author does not own to it, and whoever took it down says what was done"`
	Why      string      `json:"why" doc:"What the author says"`
	State    string      `json:"state"`
	Answer   string      `json:"answer"`
	Mine     bool        `json:"mine" doc:"It waits for you"`
}

func (a *Acts) view(i store.Inquiry, who string) TelephoneView {
	x := taken(i)
	return TelephoneView{ID: i.ID, From: x.From, By: i.By, At: a.Say(i.At), Items: x.Items, Disputed: i.Kind == store.DisputedOrder, Why: x.Why, State: i.State, Answer: i.Answer,
		Mine: i.State == store.InquiryOpen && i.OwnerID == who}
}

// OpenedTelephone is an order by telephone open on the page, with whose it is.
type OpenedTelephone struct {
	Patient   act.PatientView `json:"patient"`
	Telephone TelephoneView   `json:"telephone"`
}

// Taken opens an order by telephone.
func (a *Acts) Taken(ctx context.Context, who act.Actor, id string) (out OpenedTelephone, err error) {
	patient := ""
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		i, err := telephoned(q, id)
		if err != nil {
			return err
		}
		p, err := q.Person(i.PatientID)
		if err != nil {
			return err
		}
		patient, out = p.ID, OpenedTelephone{a.Patient(p), a.view(i, who.ID)}
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "open order by telephone", patient, id)
	}
	return out, err
}

func telephoned(q *store.Q, id string) (store.Inquiry, error) {
	i, err := q.InquiryByID(id)
	if err == nil && i.Kind != store.TelephoneOrder && i.Kind != store.DisputedOrder {
		err = store.ErrNotFound
	}
	return i, act.NotFound(err, "order by telephone")
}

// sealedTelephone is the sealed content of an author's signature.
type sealedTelephone struct {
	TakenBy string      `json:"takenBy"`
	At      string      `json:"at"`
	Items   []TakenItem `json:"items"`
}

// Own signs an order by telephone as one's own, by who gave it.
func (a *Acts) Own(ctx context.Context, who act.Actor, id, secret string) error {
	if err := act.Allow(who, act.PlaceOrder); err != nil {
		return err
	}
	if err := a.OpenSigning(ctx, &who, secret); err != nil {
		return err
	}
	return a.settleTaken(ctx, who, act.PlaceOrder, id, store.TelephoneOrder, "signed", "", func(t *act.Tx, i store.Inquiry) error {
		_, err := t.Seal(i.PatientID, "order by telephone", i.ID, 0, sealedTelephone{i.By, a.Say(i.At), taken(i).Items})
		return err
	})
}

// Disown says that an order by telephone was not given so. What went out is still out until a
// physician cancels it: it goes back to whoever took it down, who says what was done.
func (a *Acts) Disown(ctx context.Context, who act.Actor, id, why string) error {
	return a.settleTaken(ctx, who, act.PlaceOrder, id, store.TelephoneOrder, "disputed", why, func(t *act.Tx, i store.Inquiry) error {
		x := taken(i)
		x.Why = strings.TrimSpace(why)
		return a.wait(t, store.Inquiry{Kind: store.DisputedOrder, Origin: "disputed " + i.ID, PatientID: i.PatientID, OwnerID: i.ByID, ByID: i.ByID}, x)
	})
}

// Redress says what was done about an order by telephone that its author does not own to.
func (a *Acts) Redress(ctx context.Context, who act.Actor, id, what string) error {
	return a.settleTaken(ctx, who, act.TakeOrder, id, store.DisputedOrder, "done", what, func(*act.Tx, store.Inquiry) error { return nil })
}

// settleTaken closes one that waits for who asks.
func (a *Acts) settleTaken(ctx context.Context, who act.Actor, right act.Right, id, kind, state, words string, f func(*act.Tx, store.Inquiry) error) error {
	if err := act.Allow(who, right); err != nil {
		return err
	}
	if words = strings.TrimSpace(words); words == "" && state != "signed" {
		return act.Refuse(act.Invalid, "Say what is wrong with it, or what was done.")
	}
	return a.Act(ctx, who, right, func(t *act.Tx) error {
		i, err := telephoned(t.Q, id)
		if err != nil {
			return err
		}
		switch {
		case i.Kind != kind || i.State != store.InquiryOpen:
			return act.Refuse(act.Conflict, "This does not wait for that any more.")
		case i.OwnerID != who.ID:
			return act.Refuse(act.Forbidden, "Only whoever it waits for settles it.")
		}
		if err := t.AnswerInquiry(id, state, words, "", who.ID, t.Now); err != nil {
			return act.Stale(err, "The order")
		}
		if err := t.CloseLine(line.Telephone, id, who.ID, strings.TrimSuffix(state+": "+words, ": "), t.Now); err != nil {
			return err
		}
		if err := f(t, i); err != nil {
			return err
		}
		t.Tell(act.LineEvent, id, i.PatientID)
		return t.Audit("order by telephone "+state, i.PatientID, id, "")
	})
}

// Lines is the kind of open line of this room: orders by telephone that nobody signed as
// theirs, and those whose author does not own to them.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{{Kind: line.Telephone, List: act.UnderWay, Fill: func(q *store.Q, who act.Actor, rows []*act.LineRow) error {
		all, err := q.InquiriesIn(act.Subjects(rows))
		var views []TelephoneView
		for _, i := range all {
			views = append(views, a.view(i, who.ID))
		}
		act.Describe(rows, views, func(v TelephoneView) string { return v.ID }, func(row *act.LineRow, v TelephoneView) {
			var names []string
			for _, x := range v.Items {
				names = append(names, x.Title)
			}
			row.Title = strings.Join(names, "; ") + ", taken down by " + v.By
			row.Mark = "by telephone"
			if v.Disputed {
				row.Title = v.From + " did not give this so: " + v.Why
				row.Mark, row.Grave = "not as given", true
			}
		})
		return err
	}}}
}
