package order

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/store"
)

// NewOrder is what a physician signs at once: it becomes an order for each laboratory and day.
type NewOrder struct {
	PatientID string
	VisitID   string // "" for an order without a visit
	order.Pad
	Notices   []NoticeChoice
	RequestID string // names this act, so that a repeated one counts once
	Secret    string
	Prepared  string     // the prepared order that this one signs; "" when none
	Instead   string     // the order that this one changes, which is cancelled with it; "" for none
	Phone     *act.Phone // who gave it by telephone; nil for who signs it
}

// sealedOrder is the sealed content of an order.
type sealedOrder struct {
	Placer     string       `json:"placer"`
	Laboratory string       `json:"laboratory"`
	Priority   string       `json:"priority"`
	Tests      []sealedTest `json:"tests"`
	Collected  string       `json:"collected"`
	Due        string       `json:"due,omitempty"`
	Standing   string       `json:"standing,omitempty"`
	Payer      string       `json:"payer,omitempty"`
	Copies     []string     `json:"copies,omitempty"`
	Orderer    string       `json:"orderer,omitempty"` // who gave it by telephone; it was read back
}

type sealedTest struct {
	Code      string              `json:"code"`
	Name      string              `json:"name"`
	Diagnoses []store.CodedTitle  `json:"diagnoses"`
	Answers   []order.EntryAnswer `json:"answers,omitempty"`
	Remark    string              `json:"remark,omitempty"`
	Notice    string              `json:"notice,omitempty"`
}

// incomplete tells a person what an order lacks.
func incomplete(err error) error {
	return act.Refuse(act.Invalid, "%s.", strings.TrimSuffix(strings.ToUpper(err.Error()[:1])+err.Error()[1:], "."))
}

// moment reads a moment as a screen gives it, on the clock of the practice.
func (a *Acts) moment(text string) (time.Time, error) {
	return time.ParseInLocation("2006-01-02T15:04", text, a.Location)
}

// sheets parts what is to be signed into orders, and says what is missing.
func (a *Acts) sheets(n NewOrder) ([]order.Sheet, error) {
	if n.RequestID == "" {
		return nil, act.Refuse(act.Invalid, "The order has no request identifier.")
	}
	out, err := n.Sheets(a.Config.Laboratory("").ID, a.Today())
	if err != nil {
		return nil, incomplete(err)
	}
	if n.Site != "" && !slices.ContainsFunc(out, func(s order.Sheet) bool { return a.Config.Laboratory(s.Laboratory).HasSite(n.Site) }) {
		return nil, act.Refuse(act.Invalid, "No laboratory of this order has the site %q.", n.Site)
	}
	return out, nil
}

// tests looks the lines of a sheet up in the list of its laboratory.
func (a *Acts) tests(s order.Sheet) (tests []order.Test, rows []store.OrderTest, err error) {
	lab := a.Config.Laboratory(s.Laboratory)
	if lab.ID == "" {
		return nil, nil, act.Refuse(act.Invalid, "There is no laboratory %q here.", s.Laboratory)
	}
	for _, l := range s.Lines {
		test, ok := lab.Test(l.Test)
		if !ok {
			return nil, nil, act.Refuse(act.Invalid, "%s is not in the test list of %s.", l.Test, lab.Name)
		}
		answers, err := order.Answers(test, l.Answers, a.Today())
		if err != nil {
			return nil, nil, incomplete(err)
		}
		if len(l.Remark) > 1000 {
			return nil, nil, act.Refuse(act.Invalid, "Keep the remark on %s below 1,000 characters.", test.Name)
		}
		row := store.OrderTest{Code: test.Code, Name: test.Name, LOINC: test.LOINC, Specimen: test.Specimen, Tube: test.Tube, Diagnoses: []store.CodedTitle{},
			Detail: store.TestDetail{Answers: answers, Remark: strings.TrimSpace(l.Remark), Needs: order.Tubes(lab, []order.Test{test}), Turnaround: test.Turnaround}}
		for _, code := range l.Diagnoses {
			e, _, _, err := a.CheckCode(code, a.Today())
			if err != nil {
				return nil, nil, err
			}
			row.Diagnoses = append(row.Diagnoses, store.CodedTitle{Code: e.Code, Title: e.Title})
		}
		tests, rows = append(tests, test), append(rows, row)
	}
	return tests, rows, nil
}

// PlaceOrder signs what is on the pad and hands to the outbox what goes out now, in one
// transaction: an order for each laboratory and day, each with its line. What is for a later
// day, or still to be drawn here, is held, and its line says so.
func (a *Acts) PlaceOrder(ctx context.Context, who act.Actor, n NewOrder) (out []OrderView, err error) {
	out = []OrderView{}
	if err := act.Allow(who, act.PlaceOrder); err != nil {
		return out, err
	}
	place, err := a.Ready(n)
	if err != nil {
		return out, err
	}
	if err := a.OpenSigning(ctx, &who, n.Secret); err != nil {
		return out, err
	}
	err = a.Act(ctx, who, act.PlaceOrder, func(t *act.Tx) error {
		out, err = place(t)
		return err
	})
	return out, err
}

// Ready looks an order through, and gives what is left to be done in the transaction in which
// it is signed, of whoever may place an order.
func (a *Acts) Ready(n NewOrder) (place func(t *act.Tx) ([]OrderView, error), err error) {
	sheets, err := a.sheets(n)
	if err != nil {
		return nil, err
	}
	return func(t *act.Tx) (out []OrderView, err error) {
		orderer, name := t.Orderer(n.Phone)
		if had, err := t.OrderByRequest(n.RequestID); err == nil {
			all, err := t.OrdersTogether(had.Together)
			if err != nil {
				return out, err
			}
			if len(all) == 0 {
				all = []store.Order{had} // signed by a former version
			}
			if had.ClinicianID != orderer || !act.SamePerson(t.Q, had.PatientID, n.PatientID) || !asAsked(all, sheets, n, a.Config.Laboratory("").ID) {
				return out, act.Refuse(act.Conflict, "Another order was placed under that identifier. Nothing was changed; order again.")
			}
			for _, o := range all {
				out = append(out, a.View(o))
			}
			return out, nil
		} else if !store.IsNotFound(err) {
			return out, err
		}
		p, err := t.Person(n.PatientID)
		if err != nil {
			return out, act.NotFound(err, "patient")
		}
		prepared, err := a.preparedFor(t, n.Prepared, p.ID)
		if err != nil {
			return out, err
		}
		if n.VisitID != "" {
			if v, err := t.VisitByID(n.VisitID); err != nil || !act.SamePerson(t.Q, v.PatientID, n.PatientID) {
				return out, act.Refuse(act.Invalid, "The visit is not one of this patient.")
			}
		}
		if n.Payer.Who != "" {
			reg, _, err := t.Registration(p.ID)
			if err != nil {
				return out, err
			}
			if missing := n.Payer.Missing(reg, a.Today()); len(missing) > 0 {
				return out, act.Refuse(act.Invalid, "The registration lacks %s. Add it, or choose who else pays.", strings.Join(missing, ", "))
			}
		}
		together := act.NewID()
		for i, s := range sheets {
			o := store.Order{ID: act.NewID(), PatientID: p.ID, VisitID: n.VisitID, ClinicianID: orderer, Priority: n.Priority, SignedAt: t.Now, RequestID: n.RequestID,
				Clinician: name, Kind: order.LaboratoryKind, Site: n.Site, Together: together, Due: s.Due, Drawing: n.Drawing,
				Detail: store.OrderDetail{Nth: s.Nth, Of: s.Of, Payer: n.Payer, Copies: n.Copies}}
			if n.Phone != nil {
				o.Detail.Phone = n.Phone.Taker
			}
			if i > 0 { // one request names one row; its others are found together
				o.RequestID = fmt.Sprintf("%s %d", n.RequestID, i+1)
			}
			drawn := t.Now
			if prepared.Collected { // drawn when it was prepared, not when it is signed
				drawn = prepared.At
			}
			if err := a.placeOne(t, &o, s, drawn, prepared, p, n); err != nil {
				return out, err
			}
			out = append(out, a.View(o))
		}
		if err := a.signPrepared(t, prepared, firstID(out)); err != nil {
			return out, err
		}
		if err := a.changed(t, n, out); err != nil {
			return out, err
		}
		return out, t.Audit("sign order", p.ID, together, "")
	}, nil
}

func firstID(out []OrderView) string {
	if len(out) == 0 {
		return ""
	}
	return out[0].ID
}

// placeOne stores one order of a signing with its line and its seal, and sends it if it goes
// out now. drawn is when the specimens were taken, where they were.
func (a *Acts) placeOne(t *act.Tx, o *store.Order, s order.Sheet, drawn time.Time, prepared store.Prepared, p chart.Patient, n NewOrder) error {
	lab := a.Config.Laboratory(s.Laboratory)
	tests, rows, err := a.tests(s)
	if err != nil {
		return err
	}
	if err := a.noticed(t.Q, p, n, rows, s); err != nil {
		return err
	}
	number, err := t.NextPlacer()
	if err != nil {
		return err
	}
	o.Placer, o.Party, o.Laboratory, o.Tests = fmt.Sprintf("SK%d", number), lab.ID, lab.Name, rows
	o.Detail.Tubes = order.Tubes(lab, tests)
	if o.Site != "" && !lab.HasSite(o.Site) {
		o.Site = "" // of another laboratory on the same pad
	}
	switch {
	case o.Due != "":
		o.State = order.Planned
		if o.Drawing == order.DrawnNow {
			o.Drawing = order.DrawnHere // what is for another day cannot have been drawn now
		}
	case o.Drawing == order.DrawnHere:
		o.State = order.ToDraw
	default:
		o.State = order.Signed
	}
	if o.Drawing == order.DrawnNow {
		o.CollectedAt = drawn
	}
	if err := t.AddOrder(*o); err != nil {
		return err
	}
	if o.Drawing == order.DrawnNow {
		by := t.Who.ID
		if prepared.Collected {
			by = prepared.ByID
		}
		if err := t.AddSpecimen(store.SpecimenEvent{ID: act.NewID(), OrderID: o.ID, Says: store.SpecimenDrawn, DrawnAt: drawn, ByID: by, At: t.Now}); err != nil {
			return err
		}
	}
	state := line.Waiting
	if o.State == order.Signed {
		state = line.InHand
		if err := a.dispatch(t, *o, false); err != nil {
			return err
		}
	}
	if err := t.OpenLine(act.NewID(), line.Order, o.ID, o.PatientID, o.ClinicianID, state, t.Now); err != nil {
		return err
	}
	sealed := sealedOrder{Placer: o.Placer, Laboratory: o.Laboratory, Priority: order.Priorities[o.Priority], Collected: a.Say(o.CollectedAt), Due: o.Due}
	if o.Detail.Of > 0 {
		sealed.Standing = fmt.Sprintf("%d of %d", o.Detail.Nth, o.Detail.Of)
	}
	if o.Detail.Payer.Who != "" {
		sealed.Payer = PayerWords(o.Detail.Payer)
	}
	if n.Phone != nil {
		sealed.Orderer = n.Phone.Name
	}
	for _, c := range o.Detail.Copies {
		sealed.Copies = append(sealed.Copies, c.Says())
	}
	for _, x := range rows {
		sealed.Tests = append(sealed.Tests, sealedTest{x.Code, x.Name, x.Diagnoses, x.Detail.Answers, x.Detail.Remark, NoticeWords(x.Detail.Notice)})
	}
	if _, err := t.Seal(o.PatientID, "order", o.ID, 0, sealed); err != nil {
		return err
	}
	t.Tell(act.OrderEvent, o.ID, o.PatientID)
	t.Tell(act.LineEvent, o.ID, o.PatientID)
	return nil
}
