package order

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/store"
)

// PreparedView is an order that waits for a physician's signature.
type PreparedView struct {
	ID        string              `json:"id"`
	PatientID string              `json:"patientId"`
	VisitID   string              `json:"visitId"`
	For       string              `json:"for"`
	Mine      bool                `json:"mine" doc:"It waits for this person's signature"`
	Own       bool                `json:"own" doc:"This person prepared it"`
	By        string              `json:"by"`
	At        string              `json:"at"`
	Priority  string              `json:"priority" enum:"R,A,S"`
	Collected bool                `json:"collected"`
	Drawing   order.Drawing       `json:"drawing" enum:"now,here,site"`
	Site      string              `json:"site"`
	Payer     order.Payer         `json:"payer"`
	Copies    []order.Copy        `json:"copies"`
	Tests     []PreparedTestView  `json:"tests"`
	State     order.PreparedState `json:"state" enum:"waiting,signed,returned,dropped,replaced"`
	Reason    string              `json:"reason" doc:"Why it was given back"`
}

// PreparedTestView is one test of a prepared order, as the list says it today, with what was
// prepared of it.
type PreparedTestView struct {
	FoundTest
	Diagnoses []store.CodedTitle  `json:"diagnoses"`
	Answers   []order.EntryAnswer `json:"answers"`
	Remark    string              `json:"remark"`
	Due       string              `json:"due"`
	Every     int                 `json:"every"`
	Until     string              `json:"until"`
	Gone      bool                `json:"gone" doc:"The test is no longer offered"`
}

// Prepared writes a prepared order.
func (a *Acts) Prepared(p store.Prepared, who act.Actor, names map[string]string) PreparedView {
	v := PreparedView{ID: p.ID, PatientID: p.PatientID, VisitID: p.VisitID, For: names[p.ForID], Mine: p.ForID == who.ID,
		Own: p.ByID == who.ID, By: names[p.ByID], At: a.Say(p.At), Priority: p.Priority, Collected: p.Collected, Tests: []PreparedTestView{},
		State: p.State, Reason: p.Reason, Drawing: drawing(p), Site: p.Detail.Site, Payer: p.Detail.Payer, Copies: p.Detail.Copies}
	if v.Copies == nil {
		v.Copies = []order.Copy{}
	}
	for _, l := range p.Tests {
		t, known := a.Test(l.Laboratory, l.Test)
		if !known {
			t = order.Test{Laboratory: l.Laboratory, Code: l.Test, Name: l.Test + " (no longer offered)", Also: []string{}, Needs: []order.Need{}, Price: -1,
				Analytes: []order.Analyte{}, Questions: []order.EntryQuestion{}}
		}
		tv := PreparedTestView{FoundTest: a.offered(order.Hit{Test: t}), Diagnoses: []store.CodedTitle{}, Answers: l.Answers, Remark: l.Remark, Due: l.Due,
			Every: l.Every, Until: l.Until, Gone: !known}
		if tv.Answers == nil {
			tv.Answers = []order.EntryAnswer{}
		}
		for _, d := range l.Diagnoses {
			title := ""
			if e, _, _, err := a.CheckCode(d, a.Today()); err == nil {
				title = e.Title
			}
			tv.Diagnoses = append(tv.Diagnoses, store.CodedTitle{Code: d, Title: title})
		}
		v.Tests = append(v.Tests, tv)
	}
	return v
}

// drawing is where the specimens of a prepared order are taken; those prepared by a former
// version say only whether they were.
func drawing(p store.Prepared) order.Drawing {
	switch {
	case p.Collected:
		return order.DrawnNow
	case p.Detail.Drawing == "":
		return order.DrawnHere
	}
	return p.Detail.Drawing
}

// PreparedOf lists the prepared orders of a chart that wait or were given back.
func (a *Acts) PreparedOf(q *store.Q, patient string, who act.Actor) ([]PreparedView, error) {
	out := []PreparedView{}
	ps, err := q.PreparedOf(patient)
	if err != nil || len(ps) == 0 {
		return out, err
	}
	names, err := q.StaffNames()
	for _, p := range ps {
		out = append(out, a.Prepared(p, who, names))
	}
	return out, err
}

// PrepareOrder lays an order before the physician of the visit (or of the last one)
// to sign. One that was given back is replaced by it.
func (a *Acts) PrepareOrder(ctx context.Context, who act.Actor, n NewOrder) (out PreparedView, err error) {
	if err := act.Allow(who, act.PrepareOrder); err != nil {
		return out, err
	}
	prepare, err := a.ReadyToLay(n)
	if err != nil {
		return out, err
	}
	err = a.Act(ctx, who, act.PrepareOrder, func(t *act.Tx) error {
		out, err = prepare(t)
		return err
	})
	return out, err
}

// ReadyToLay is Ready for an order that is laid for a signature.
func (a *Acts) ReadyToLay(n NewOrder) (prepare func(t *act.Tx) (PreparedView, error), err error) {
	if n.Instead != "" {
		return nil, act.Refuse(act.Invalid, "Only whoever signs changes an order.")
	}
	sheets, err := a.sheets(n)
	if err != nil {
		return nil, err
	}
	return func(t *act.Tx) (out PreparedView, err error) {
		for _, s := range sheets {
			if _, _, err := a.tests(s); err != nil {
				return out, err
			}
		}
		patient, err := t.Person(n.PatientID)
		if err != nil {
			return out, act.NotFound(err, "patient")
		}
		visits, err := t.VisitsOf(patient.ID)
		if err != nil {
			return out, err
		}
		physician, ofVisit := "", n.VisitID == ""
		for _, v := range visits {
			if v.ID == n.VisitID || n.VisitID == "" && physician == "" {
				physician, ofVisit = v.ClinicianID, true
			}
		}
		switch {
		case !ofVisit:
			return out, act.Refuse(act.Invalid, "The visit is not one of this patient.")
		case physician == "":
			return out, act.Refuse(act.Invalid, "This patient has no physician here yet who could sign it.")
		}
		p := store.Prepared{ID: act.NewID(), PatientID: patient.ID, VisitID: n.VisitID, ForID: physician, ByID: t.Who.ID, At: t.Now,
			Priority: n.Priority, Collected: n.Drawing == order.DrawnNow, Tests: n.Lines, State: order.ToSign, RequestID: n.RequestID,
			Detail: store.PreparedDetail{Drawing: n.Drawing, Site: n.Site, Payer: n.Payer, Copies: n.Copies}}
		names, err := t.StaffNames()
		if err != nil {
			return out, err
		}
		out = a.Prepared(p, t.Who, names)
		added, err := t.AddPrepared(p)
		if err != nil {
			return out, err
		}
		if !added { // the same act sent again after a lost answer
			had, err := t.PreparedByRequest(n.RequestID)
			if err != nil {
				return out, err
			}
			if had.ByID != t.Who.ID || !act.SamePerson(t.Q, had.PatientID, patient.ID) || !sameLines(had.Tests, n.Lines) || had.Priority != n.Priority {
				return out, act.Refuse(act.Conflict, "Another order was prepared under that identifier. Nothing was changed; prepare it again.")
			}
			out = a.Prepared(had, t.Who, names)
			return out, nil
		}
		if n.Prepared != "" {
			old, err := t.PreparedByID(n.Prepared)
			if err != nil || old.ByID != t.Who.ID || !act.SamePerson(t.Q, old.PatientID, patient.ID) {
				return out, act.Refuse(act.Missing, "There is no such prepared order of yours.")
			}
			if err := t.SettlePrepared(old.ID, old.State, order.Replaced, old.Reason, ""); err != nil {
				return out, act.Stale(err, "The order")
			}
			if err := t.CloseLine(line.ToSign, old.ID, t.Who.ID, "prepared anew", t.Now); err != nil {
				return out, err
			}
		}
		if err := t.OpenLine(act.NewID(), line.ToSign, p.ID, patient.ID, physician, line.Open, t.Now); err != nil {
			return out, err
		}
		t.Tell(act.OrderEvent, p.ID, patient.ID)
		t.Tell(act.LineEvent, p.ID, patient.ID)
		return out, t.Audit("prepare order", patient.ID, p.ID, "")
	}, nil
}

// preparedFor reads the prepared order that an order signs, if any.
func (a *Acts) preparedFor(t *act.Tx, id, patient string) (store.Prepared, error) {
	if id == "" {
		return store.Prepared{}, nil
	}
	p, err := t.PreparedByID(id)
	if err != nil || !act.SamePerson(t.Q, p.PatientID, patient) {
		return p, act.Refuse(act.Missing, "There is no such prepared order of this patient.")
	}
	if p.State != order.ToSign {
		return p, act.Stale(store.ErrStale, "The prepared order")
	}
	return p, nil
}

// signPrepared closes a prepared order with the order that was signed.
func (a *Acts) signPrepared(t *act.Tx, p store.Prepared, orderID string) error {
	if p.ID == "" {
		return nil
	}
	if err := t.SettlePrepared(p.ID, order.ToSign, order.BecameOrder, "", orderID); err != nil {
		return act.Stale(err, "The prepared order")
	}
	return t.CloseLine(line.ToSign, p.ID, t.Who.ID, string(order.BecameOrder), t.Now)
}

// sameLines says whether two lists ask for the same, however empty lists in them are written.
func sameLines(a, b []order.Line) bool {
	x, err1 := json.Marshal(a)
	y, err2 := json.Marshal(b)
	return err1 == nil && err2 == nil && string(x) == string(y)
}

// SignPrepared signs an order as it was prepared.
func (a *Acts) SignPrepared(ctx context.Context, who act.Actor, id, secret string) ([]OrderView, error) {
	var p store.Prepared
	if err := a.Look(ctx, who, act.PlaceOrder, func(q *store.Q) (err error) {
		p, err = q.PreparedByID(id)
		return act.NotFound(err, "prepared order")
	}); err != nil {
		return []OrderView{}, err
	}
	return a.PlaceOrder(ctx, who, NewOrder{PatientID: p.PatientID, VisitID: p.VisitID, Pad: order.Pad{Priority: p.Priority, Lines: p.Tests, Drawing: drawing(p),
		Site: p.Detail.Site, Payer: p.Detail.Payer, Copies: p.Detail.Copies}, RequestID: "prepared:" + id, Secret: secret, Prepared: id})
}

// ReturnPrepared gives a prepared order back to who prepared it, with the reason;
// its line moves to them.
func (a *Acts) ReturnPrepared(ctx context.Context, who act.Actor, id, reason string) error {
	if err := act.Allow(who, act.PlaceOrder); err != nil {
		return err
	}
	if strings.TrimSpace(reason) == "" {
		return act.Refuse(act.Invalid, "Say why it is given back.")
	}
	return a.Act(ctx, who, act.PlaceOrder, func(t *act.Tx) error {
		p, err := t.PreparedByID(id)
		if err != nil {
			return act.NotFound(err, "prepared order")
		}
		if err := t.SettlePrepared(id, order.ToSign, order.Returned, strings.TrimSpace(reason), ""); err != nil {
			return act.Stale(err, "The prepared order")
		}
		if err := t.MoveLine(string(line.ToSign), id, p.ByID); err != nil {
			return err
		}
		t.Tell(act.OrderEvent, id, p.PatientID)
		t.Tell(act.LineEvent, id, p.PatientID)
		return t.Audit("give prepared order back", p.PatientID, id, "")
	})
}

// DropPrepared closes a prepared order that is not wanted any more, by who prepared
// it, with the reason.
func (a *Acts) DropPrepared(ctx context.Context, who act.Actor, id, reason string) error {
	if err := act.Allow(who, act.PrepareOrder); err != nil {
		return err
	}
	if strings.TrimSpace(reason) == "" {
		return act.Refuse(act.Invalid, "Say why it is dropped.")
	}
	return a.Act(ctx, who, act.PrepareOrder, func(t *act.Tx) error {
		p, err := t.PreparedByID(id)
		if err != nil {
			return act.NotFound(err, "prepared order")
		}
		if p.ByID != who.ID {
			return act.Refuse(act.Forbidden, "Only who prepared the order may drop it.")
		}
		if !p.State.Open() {
			return act.Stale(store.ErrStale, "The prepared order")
		}
		if err := t.SettlePrepared(id, p.State, order.Dropped, strings.TrimSpace(reason), ""); err != nil {
			return act.Stale(err, "The prepared order")
		}
		if err := t.CloseLine(line.ToSign, id, who.ID, fmt.Sprintf("dropped: %s", reason), t.Now); err != nil {
			return err
		}
		t.Tell(act.OrderEvent, id, p.PatientID)
		t.Tell(act.LineEvent, id, p.PatientID)
		return t.Audit("drop prepared order", p.PatientID, id, "")
	})
}
