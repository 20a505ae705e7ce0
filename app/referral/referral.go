// Package referral is the room of referrals: written, signed, sent with what goes along, and
// followed until the report was read.
package referral

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/app/directory"
	"deftledger/app/further"
	orders "deftledger/app/order"
	"deftledger/app/paper"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/core/referral"
	"deftledger/exchange/fhir"
	"deftledger/exchange/pdf"
	"deftledger/store"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Directory *directory.Acts
	Paper     *paper.Acts
	Order     *orders.Acts
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, d *directory.Acts, p *paper.Acts, or *orders.Acts) *Acts {
	return &Acts{o, d, p, or}
}

// ChosenPart is a part of the chart that goes along, as it was shown.
type ChosenPart struct {
	ID    string `json:"id" maxLength:"40"`
	Reads string `json:"reads" maxLength:"40" doc:"As it was shown"`
}

// NewReferral is what is signed, or laid for a signature.
type NewReferral struct {
	PatientID string              `json:"-"`
	VisitID   string              `json:"visitId,omitempty" maxLength:"64"`
	To        string              `json:"to" maxLength:"64" doc:"In the directory"`
	Question  string              `json:"question" maxLength:"4000"`
	Rule      string              `json:"rule,omitempty" maxLength:"64" doc:"The reminder it is written for, which is in hand until it is back"`
	Urgency   string              `json:"urgency" enum:"routine,urgent,stat"`
	Diagnoses []string            `json:"diagnoses" maxItems:"60"`
	Parts     []ChosenPart        `json:"parts,omitempty" maxItems:"20"`
	Expected  string              `json:"expected,omitempty" maxLength:"10" doc:"The day by which the report is wanted, YYYY-MM-DD; empty for the usual"`
	Item      string              `json:"item,omitempty" maxLength:"64" doc:"What is ordered of the list of imaging, procedures and supplies; empty for a referral"`
	Answers   []order.EntryAnswer `json:"answers,omitempty" maxItems:"20"`
	On        string              `json:"on,omitempty" maxLength:"10" doc:"The day on which it is to be done, YYYY-MM-DD; empty for as soon as can be"`
	Reason    string              `json:"reason,omitempty" maxLength:"1000" doc:"Why it is ordered in spite of a serious warning"`
	Phone     *act.Phone          `json:"-"` // who gave it by telephone; nil for who signs it
	RequestID string              `json:"requestId" minLength:"1" maxLength:"64"`
	Secret    string              `json:"secret,omitempty" maxLength:"1000"`
}

// kept is what the room keeps of a referral; it never changes.
type kept struct {
	To        directory.AddresseeView `json:"to"` // as it stood in the directory
	Question  string                  `json:"question"`
	Rule      string                  `json:"rule,omitempty"` // the reminder it was written for
	Urgency   string                  `json:"urgency"`
	Expected  string                  `json:"expected"`
	Diagnoses []store.CodedTitle      `json:"diagnoses"`
	Parts     []paper.ChartPart       `json:"parts"`
	Item      *Ordered                `json:"item,omitempty"`  // nil for a referral
	Taker     string                  `json:"taker,omitempty"` // who took it down, of one given by telephone; and who gave it
	Orderer   string                  `json:"orderer,omitempty"`
	Speaks    string                  `json:"speaks,omitempty"`   // the language for which an interpreter is needed
	Warnings  []string                `json:"warnings,omitempty"` // the serious ones, as they read
	Reason    string                  `json:"reason,omitempty"`
}

// begins is where it stands once it is signed.
func (k kept) begins() (referral.State, line.State) {
	switch {
	case k.Item.here():
		return referral.DueHere, line.Waiting
	case k.To.Reach == directory.Letter:
		return referral.ToHand, line.Open
	}
	return referral.Signed, line.InHand
}

func detail(o store.Further) (k kept) {
	_ = json.Unmarshal(o.Detail, &k) // written by us; what cannot be read is shown as empty and never sent
	return k
}

// ReferralParts is what may go along with a referral of a patient, as it would read.
type ReferralParts struct {
	Parts    []paper.ChartPart `json:"parts"`
	Expected map[string]string `json:"expected" doc:"By urgency, the day by which a report is usually wanted"`
}

// Parts shows what may go along.
func (a *Acts) Parts(ctx context.Context, who act.Actor, patient, visit string) (out ReferralParts, err error) {
	out.Expected = map[string]string{}
	for u := range referral.Urgencies {
		out.Expected[u] = referral.Expect(u, a.Today())
	}
	if out.Parts, err = a.Paper.ChartParts(ctx, who, patient, visit); err == nil {
		err = a.Saw(ctx, who, "look at what goes along", patient, "")
	}
	return out, err
}

// Refer signs a referral and sends it.
func (a *Acts) Refer(ctx context.Context, who act.Actor, n NewReferral) (ReferralView, error) {
	return a.refer(ctx, who, n, act.SignReferral)
}

// Prepare lays a referral for a physician's signature: the physician of the visit, else the
// usual clinician.
func (a *Acts) Prepare(ctx context.Context, who act.Actor, n NewReferral) (ReferralView, error) {
	return a.refer(ctx, who, n, act.PrepareReferral)
}

func (a *Acts) refer(ctx context.Context, who act.Actor, n NewReferral, right act.Right) (out ReferralView, err error) {
	prepare := right == act.PrepareReferral
	write, err := a.Ready(ctx, who, n, prepare)
	if err != nil {
		return out, err
	}
	if !prepare {
		if err := a.OpenSigning(ctx, &who, n.Secret); err != nil {
			return out, err
		}
	}
	err = a.Act(ctx, who, right, func(t *act.Tx) error {
		out, err = write(t)
		return err
	})
	return out, err
}

// Ready looks a referral through, and gives what is left to be done in the transaction in
// which it is signed, of whoever may sign one, or laid for a signature.
func (a *Acts) Ready(ctx context.Context, who act.Actor, n NewReferral, prepare bool) (write func(t *act.Tx) (ReferralView, error), err error) {
	right := act.SignReferral
	switch {
	case prepare:
		right = act.PrepareReferral
	case n.Phone != nil:
		right = act.TakeOrder
	}
	if err := act.Allow(who, right); err != nil {
		return nil, err
	}
	item, err := a.ordered(&n)
	if err != nil {
		return nil, err
	}
	if n.Expected == "" {
		n.Expected = referral.Expect(n.Urgency, a.Today())
	}
	n.Question = strings.TrimSpace(n.Question)
	if err := (referral.Wish{Question: n.Question, Urgency: n.Urgency, Diagnoses: n.Diagnoses, Expected: n.Expected, Supply: item.supply() || item.here()}).Complete(a.Today()); err != nil {
		return nil, act.Refuse(act.Invalid, "%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
	}
	k := kept{Item: item, Question: n.Question, Rule: n.Rule, Urgency: n.Urgency, Expected: n.Expected, Diagnoses: []store.CodedTitle{}, Parts: []paper.ChartPart{}}
	for _, code := range n.Diagnoses {
		e, _, _, err := a.CheckCode(code, a.Today())
		if err != nil {
			return nil, err
		}
		k.Diagnoses = append(k.Diagnoses, store.CodedTitle{Code: e.Code, Title: e.Title})
	}
	if len(n.Parts) > 0 {
		all, err := a.Paper.ChartParts(ctx, who, n.PatientID, n.VisitID)
		if err != nil {
			return nil, err
		}
		for _, c := range n.Parts {
			i := slices.IndexFunc(all, func(p paper.ChartPart) bool { return p.ID == c.ID })
			switch {
			case i < 0:
				return nil, act.Refuse(act.Invalid, "There is no part %q of this chart.", c.ID)
			case all[i].Reads != c.Reads:
				return nil, act.Refuse(act.Conflict, "%s has changed since it was shown. Look at what goes along, then sign again.", all[i].Title)
			}
			k.Parts = append(k.Parts, all[i])
		}
	}
	return func(t *act.Tx) (out ReferralView, err error) {
		orderer, name := t.Orderer(n.Phone)
		if had, err := t.FurtherByRequest(n.RequestID); err == nil {
			if had.Kind != store.ReferralOrder || had.ByID != t.Who.ID || !act.SamePerson(t.Q, had.PatientID, n.PatientID) || detail(had).Question != n.Question || detail(had).Item.id() != n.Item || had.ToID != n.To {
				return out, act.Refuse(act.Conflict, "Something else was ordered under that identifier. Nothing was changed; refer again.")
			}
			out, err = a.view(t.Q, had)
			return out, err
		} else if !store.IsNotFound(err) {
			return out, err
		}
		p, err := t.Person(n.PatientID)
		if err != nil {
			return out, act.NotFound(err, "patient")
		}
		if item.here() {
			k.To = directory.AddresseeView{Kind: directory.Practice, Name: "here", Reach: directory.Letter}
		} else {
			to, err := t.AddresseeByID(n.To)
			if err != nil {
				return out, act.NotFound(err, "entry of the directory")
			}
			if to.Kind != directory.Practice || to.Gone {
				return out, act.Refuse(act.Invalid, "%s takes no referrals.", to.Name)
			}
			k.To = directory.View(to)
		}
		if n.Phone != nil {
			k.Taker, k.Orderer = n.Phone.Taker, n.Phone.Name
		}
		if err := a.careful(t.Q, p, n, &k, prepare); err != nil {
			return out, err
		}
		o := store.Further{ID: act.NewID(), Kind: store.ReferralOrder, PatientID: p.ID, VisitID: n.VisitID, ClinicianID: orderer, ByID: t.Who.ID, ToID: n.To, RequestID: n.RequestID,
			WrittenAt: t.Now}
		if err := further.For(t, &o, prepare, "", act.SignReferral); err != nil {
			return out, err
		}
		number, err := t.NextPlacer()
		if err != nil {
			return out, err
		}
		o.Number = fmt.Sprintf("RF%d", number)
		state, lineState := referral.ToSign, line.Open
		if !prepare {
			o.SignedAt = t.Now
			state, lineState = k.begins()
		}
		o.State = string(state)
		if o.Detail, err = json.Marshal(k); err != nil {
			return out, err
		}
		if !prepare {
			e, err := t.Seal(p.ID, "referral", o.ID, 0, sealed(o, k))
			if err != nil {
				return out, err
			}
			o.Folio = e.Folio
		}
		if err := t.AddFurther(o); err != nil {
			return out, err
		}
		if err := t.OpenLine(act.NewID(), line.Referral, o.ID, p.ID, o.ClinicianID, lineState, t.Now); err != nil {
			return out, err
		}
		o.Clinician, o.By = name, t.Who.Name
		if state == referral.Signed {
			if err := a.dispatch(t, o, k, "", "", ""); err != nil {
				return out, err
			}
		}
		if out, err = a.view(t.Q, o); err != nil {
			return out, err
		}
		further.Tell(t, o)
		what := "sign referral"
		if prepare {
			what = "prepare referral"
		}
		return out, t.Audit(what, p.ID, o.ID, "")
	}, nil
}

// sealedReferral is the sealed content of a referral.
type sealedReferral struct {
	Number    string             `json:"number"`
	To        string             `json:"to"`
	Question  string             `json:"question"`
	Urgency   string             `json:"urgency"`
	Expected  string             `json:"expected"`
	Diagnoses []store.CodedTitle `json:"diagnoses"`
	Along     []sealedPart       `json:"along,omitempty"`
	Ordered   *Ordered           `json:"ordered,omitempty"`
	Orderer   string             `json:"orderer,omitempty"` // who gave it by telephone; it was read back
	Warnings  []string           `json:"warnings,omitempty"`
	Reason    string             `json:"reason,omitempty"`
}

type sealedPart struct {
	Title string `json:"title"`
	Text  string `json:"text"`
}

func sealed(o store.Further, k kept) sealedReferral {
	s := sealedReferral{Number: o.Number, To: k.To.Says(), Question: k.Question, Urgency: k.Urgency, Expected: k.Expected, Diagnoses: k.Diagnoses, Ordered: k.Item, Orderer: k.Orderer,
		Warnings: k.Warnings, Reason: k.Reason}
	for _, p := range k.Parts {
		s.Along = append(s.Along, sealedPart{p.Title, p.Text})
	}
	return s
}

// SignPrepared signs a referral that was laid for the signature, as it was written; reason
// says why in spite of a serious warning, of which the chart is asked again.
func (a *Acts) SignPrepared(ctx context.Context, who act.Actor, id, reason, secret string) error {
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
		if referral.State(o.State) != referral.ToSign {
			return act.Refuse(act.Conflict, "This referral does not wait for a signature: %s.", o.State)
		}
		k := detail(o)
		p, err := t.Person(o.PatientID)
		if err != nil {
			return err
		}
		if k.Item != nil { // as the signer saw it; it is sealed, and the row stays as it was written
			k.Warnings = nil
			if err := a.careful(t.Q, p, NewReferral{Item: k.Item.ID, Answers: k.Item.Answers, Reason: reason}, &k, false); err != nil {
				return err
			}
		}
		e, err := t.Seal(o.PatientID, "referral", o.ID, 0, sealed(o, k))
		if err != nil {
			return err
		}
		state, lineState := k.begins()
		if err := t.SignFurther(id, who.ID, string(state), e.Folio, t.Now); err != nil {
			return act.Stale(err, "The referral")
		}
		o.SignedAt, o.Folio, o.Clinician = t.Now, e.Folio, who.Name
		if state == referral.Signed {
			if err := a.dispatch(t, o, k, "", "", ""); err != nil {
				return err
			}
		}
		// Who signs answers for it from now on.
		if err := t.MoveLine(string(line.Referral), id, who.ID); err != nil {
			return err
		}
		if err := t.SetLineState(line.Referral, id, lineState); err != nil {
			return err
		}
		further.Tell(t, o)
		return t.Audit("sign prepared referral", o.PatientID, id, "")
	})
}

// queues of what goes out.
const (
	receiver   = "receiver"
	faxed      = "referral by fax"
	cancelling = "referral cancelled"
	answering  = "referral answered"
)

// dispatch puts a referral in the way out, or that it is cancelled (why), or what is answered
// to a question of theirs; suffix keeps each apart.
func (a *Acts) dispatch(t *act.Tx, o store.Further, k kept, why, answer, suffix string) error {
	kind := string(line.Referral)
	switch {
	case why != "":
		kind = cancelling
	case answer != "":
		kind = answering
	}
	out := store.Outgoing{Control: o.Number + suffix, Kind: kind, Subject: o.ID, ByID: t.Who.ID}
	letter, err := a.letter(t.Q, o, k, why, answer)
	if err != nil {
		return err
	}
	if k.To.Reach == directory.Fax {
		out.Destination, out.Address, out.Body = faxed, k.To.Fax, letter
		return t.Send(out)
	}
	p, err := t.PatientByID(o.PatientID)
	if err != nil {
		return err
	}
	reg, _, err := t.Registration(o.PatientID)
	if err != nil {
		return err
	}
	r := fhir.Referral{Number: o.Number, Sent: a.Say(t.Now), Question: k.Question, Priority: k.Urgency, Expected: k.Expected, Facility: a.Facility, From: fhir.Party{Name: a.Practice, Phone: a.Telephone},
		To: fhir.Party{Name: k.To.Says(), Account: k.To.Account, NPI: k.To.NPI}, Signer: o.Clinician, Letter: letter, Cancel: why, Answer: answer,
		Patient: fhir.Whose{Record: p.Record, Family: p.Name.Family, Given: p.Name.Given, BirthDate: p.BirthDate, Gender: fhir.Gender(p.Sex), Phone: p.Phone,
			Address: strings.Trim(reg.Address.Street+", "+reg.Address.City+" "+reg.Address.State+" "+reg.Address.Zip, ", ")}}
	for _, d := range k.Diagnoses {
		r.Diagnoses = append(r.Diagnoses, fhir.CodedText{Code: d.Code, Text: d.Title})
	}
	if k.Item != nil {
		r.Item = fhir.CodedText{Code: k.Item.ID, Text: k.Item.Says()}
		r.Kind, r.On, r.Details = string(k.Item.Kind), k.Item.On, k.Item.details()
	}
	if k.Speaks != "" {
		r.Details = append(r.Details, interpreter(k.Speaks))
	}
	for _, x := range k.Parts {
		r.Parts = append(r.Parts, fhir.Attached{Title: x.Title, Text: x.Text})
	}
	out.Destination = receiver
	if out.Body, err = r.Build(); err != nil {
		return err
	}
	return t.Send(out)
}

// letter writes a referral on paper, signed as it was.
func (a *Acts) letter(q *store.Q, o store.Further, k kept, why, answer string) ([]byte, error) {
	p, err := q.PatientByID(o.PatientID)
	if err != nil {
		return nil, err
	}
	name := "Referral " + o.Number
	if k.Item != nil {
		name = "Order " + o.Number + ": " + string(k.Item.Kind)
	}
	d := pdf.Document{Practice: a.Practice, Title: name, Patient: chart.Tidy(p.Name.Given + " " + p.Name.Family),
		Identity: "born " + chart.SayDay(p.BirthDate) + ", " + chart.Sexes[p.Sex] + ", record " + p.Record + ", telephone " + act.OrUnknown(p.Phone, "not recorded"), Visit: a.Say(o.SignedAt)}
	if why != "" {
		d.Title, d.Mark = "Cancelled: "+strings.ToLower(name[:1])+name[1:], "Cancelled: "+why
	}
	to := k.To.Says()
	for _, x := range []string{k.To.Specialty, k.To.Address, k.To.Phone} {
		if x != "" {
			to += "\n" + x
		}
	}
	var reasons []string
	for _, x := range k.Diagnoses {
		reasons = append(reasons, x.Title+" ("+x.Code+")")
	}
	e := pdf.Entry{Folio: o.Folio, SignedBy: act.By(o.Clinician, k.Taker), SignedAt: a.Say(o.SignedAt), Sections: []pdf.Section{{Heading: "To", Text: to}}}
	if k.Item != nil {
		e.Sections = append(e.Sections, pdf.Section{Heading: "Please", Text: k.Item.whole()})
	}
	if k.Question != "" {
		e.Sections = append(e.Sections, pdf.Section{Heading: "Question", Text: k.Question})
	}
	if answer != "" {
		e.Sections = append(e.Sections, pdf.Section{Heading: "Our answer to your question", Text: answer})
	}
	e.Sections = append(e.Sections, pdf.Section{Heading: "Diagnoses", Text: strings.Join(reasons, "\n")},
		pdf.Section{Heading: "Urgency", Text: referral.Urgencies[k.Urgency] + "; we would like your report by " + chart.SayDay(k.Expected) + "."})
	if k.Speaks != "" {
		e.Sections = append(e.Sections, pdf.Section{Heading: "Please note", Text: interpreter(k.Speaks) + "."})
	}
	for _, x := range k.Parts {
		e.Sections = append(e.Sections, pdf.Section{Heading: x.Title, Text: x.Text})
	}
	if o.SignedAt.IsZero() {
		e.SignedAt = ""
	}
	d.Entries = []pdf.Entry{e}
	return pdf.Render(d)
}

// LetterPDF is the letter of a referral as it goes out.
func (a *Acts) LetterPDF(ctx context.Context, who act.Actor, id string) (out []byte, err error) {
	patient := ""
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		o, err := kind.ByID(q, id)
		if err != nil {
			return err
		}
		patient = o.PatientID
		out, err = a.letter(q, o, detail(o), "", "")
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "print referral", patient, id)
	}
	return out, err
}

// since is when a referral came into its state.
func since(o store.Further, events []store.FurtherEvent) time.Time {
	at := o.SignedAt
	if at.IsZero() {
		at = o.WrittenAt
	}
	for _, e := range events {
		if e.Says != string(referral.CalledAfter) && e.At.After(at) {
			at = e.At
		}
	}
	return at
}
