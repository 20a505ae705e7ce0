package order

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/coverage"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/exchange/fhir"
	"deftledger/exchange/hl7v2"
	"deftledger/store"
)

// The queues of what goes to laboratories: messages, and requisitions by fax.
const (
	laboratory  = "laboratory"
	requisition = "requisition"
)

// answerLimit bounds what we read as an acknowledgement.
const answerLimit = 1 << 20

// Destinations are the parties to whom this room sends: the laboratory, over MLLP, and the
// fax line for one that takes paper. What is sent is sent byte for byte until the other side
// takes or refuses it.
func (a *Acts) Destinations() []act.Destination {
	return []act.Destination{
		{Name: laboratory, Settled: a.settled, Deliver: func(ctx context.Context, o store.Outgoing) ([]byte, string, error) {
			answer, err := a.hand(ctx, o.Body)
			if err != nil {
				return nil, "", err
			}
			refused, err := a.decided(answer, o.Control)
			return answer, refused, err
		}},
		{Name: requisition, Settled: a.settled, Deliver: func(ctx context.Context, o store.Outgoing) ([]byte, string, error) {
			refused, err := fhir.Hand(ctx, "fax line", a.Elsewhere.Fax, "/fax/", o.Control, "application/pdf", o.Body, http.Header{"Fax-Number": {o.Address}})
			return nil, refused, err
		}},
	}
}

// dispatch puts an order, or the cancelling of one, in the way out to its laboratory: a
// message, or a requisition by fax where it takes paper.
func (a *Acts) dispatch(t *act.Tx, o store.Order, cancel bool) error {
	if cancel {
		return a.out(t, o, o.Placer+"C", true)
	}
	return a.out(t, o, o.Placer, false)
}

// out sends an order, or its cancelling, under a control number.
func (a *Acts) out(t *act.Tx, o store.Order, control string, cancel bool) error {
	lab := a.Config.Laboratory(o.Party)
	out := store.Outgoing{Control: control, Destination: laboratory, Kind: string(line.Order), Subject: o.ID, ByID: t.Who.ID}
	if cancel {
		out.Kind = cancelling
	}
	if lab.Takes == order.TakesPaper {
		body, err := a.requisition(t.Q, o, cancel)
		if err != nil {
			return err
		}
		out.Destination, out.Address, out.Body = requisition, lab.Fax, body
		return t.Send(out)
	}
	m, err := a.message(t.Q, o)
	if err != nil {
		return err
	}
	m.Control, m.Cancel = out.Control, cancel
	if cancel {
		m.SignedAt = t.Now.In(a.Location)
	}
	out.Body = m.Build()
	return t.Send(out)
}

// message says an order as it goes to a laboratory.
func (a *Acts) message(q *store.Q, o store.Order) (m hl7v2.Order, err error) {
	lab := a.Config.Laboratory(o.Party)
	p, err := q.PatientByID(o.PatientID)
	if err != nil {
		return m, err
	}
	signer, err := q.StaffByID(o.ClinicianID)
	if err != nil {
		return m, err
	}
	reg, _, err := q.Registration(o.PatientID)
	if err != nil {
		return m, err
	}
	m = hl7v2.Order{Control: o.Placer, Sender: a.Facility, Receiver: lab.Facility, Placer: o.Placer, Priority: o.Priority, Patient: p, Registration: reg,
		Day: a.Today(), Payer: o.Detail.Payer, ClinicianID: o.ClinicianID[max(0, len(o.ClinicianID)-12):],
		ClinicianName: chart.Name{Given: signer.Given, Family: signer.Family}, SignedAt: o.SignedAt.In(a.Location), Due: o.Due, Copies: o.Detail.Copies}
	if m.NPI, err = q.NPIOf(o.ClinicianID); err != nil {
		return m, err
	}
	l, err := a.link(q)
	if err != nil {
		return m, err
	}
	m.Practice, m.Callback, m.Account = a.Practice, a.Telephone, l.Account
	if !o.CollectedAt.IsZero() {
		m.CollectedAt = o.CollectedAt.In(a.Location)
		drawn, err := q.SpecimensOf([]string{o.ID})
		if err != nil {
			return m, err
		}
		for _, e := range drawn {
			if e.Says == store.SpecimenDrawn {
				by, err := q.StaffByID(e.ByID)
				if err != nil {
					return m, err
				}
				m.CollectedBy = chart.Name{Given: by.Given, Family: by.Family}
			}
		}
	}
	kinds := map[order.AnswerKind]string{order.AnswerNumber: "NM", order.AnswerDate: "DT", order.AnswerDatetime: "TS"}
	for _, x := range o.Tests {
		mt := hl7v2.OrderTest{Code: x.Code, Name: x.Name, LOINC: x.LOINC, Remark: x.Detail.Remark}
		if n := x.Detail.Notice; n != nil {
			mt.Notice, mt.Modifiers = coverage.NoticeCode(coverage.Answer(n.Answer), coverage.Choice(n.Choice), n.Approved), n.Modifiers
		}
		for _, d := range x.Diagnoses {
			mt.Diagnoses = append(mt.Diagnoses, hl7v2.Diagnosis{Code: d.Code, Title: d.Title})
		}
		for _, asked := range x.Detail.Answers {
			mt.Answers = append(mt.Answers, hl7v2.OrderAnswered{Code: asked.Question, Words: asked.Words, Kind: cmp.Or(kinds[asked.Kind], "ST"),
				Answer: a.said(asked), Unit: asked.Unit})
		}
		for _, n := range x.Detail.Needs {
			s := hl7v2.OrderSpecimen{Specimen: n.Specimen, ContainerCode: n.Container, Container: n.Name, Handling: strings.Join(n.Handling, "; ")}
			if n.Volume > 0 {
				s.Volume = order.Amount(n.Volume)
			}
			mt.Specimens = append(mt.Specimens, s)
		}
		m.Tests = append(m.Tests, mt)
	}
	return m, nil
}

// said writes an answer as a message says it: days and moments without hyphens, a moment
// with the zone of the practice.
func (a *Acts) said(x order.EntryAnswer) string {
	switch x.Kind {
	case order.AnswerDate:
		return strings.ReplaceAll(x.Answer, "-", "")
	case order.AnswerDatetime:
		if at, err := a.moment(x.Answer); err == nil {
			return at.Format("200601021504-0700")
		}
	}
	return x.Answer
}

// decided reads an answer of the laboratory: why it refused what went out under a control
// number, "" when it took it (or some of it). What does not name that number, with a code
// that is known, decides nothing.
func (a *Acts) decided(answer []byte, control string) (refused string, err error) {
	ack, err := hl7v2.ParseAck(answer)
	if err != nil {
		return "", err
	}
	ok, err := ack.Accepted(control)
	if err != nil {
		return "", err
	}
	none := len(ack.Orders) > 0
	for _, o := range ack.Orders {
		none = none && o.Refused()
	}
	switch {
	case ok && !none:
		return "", nil
	case ack.Text != "" && !ok:
		return ack.Text, nil
	case ok:
		return cmp.Or(ack.Text, "The laboratory took none of it ("+ack.Orders[0].Code+")."), nil
	}
	return "The laboratory gave no reason (" + ack.Code + ").", nil
}

// notTaken names the tests of an order that the laboratory did not take.
func notTaken(o store.Order, answer []byte) (names []string) {
	ack, err := hl7v2.ParseAck(answer)
	if err != nil {
		return nil
	}
	for _, x := range ack.Orders {
		for _, t := range o.Tests {
			if x.Refused() && x.Placer == fmt.Sprintf("%s-%d", o.Placer, t.Position) {
				names = append(names, t.Name+" ("+x.Code+")")
			}
		}
	}
	return names
}

// mayHaveIt stands with a refusal that followed on an attempt nobody answered: what was
// refused may be only that it came again.
const mayHaveIt = "An earlier attempt was never answered, so the laboratory may have it all the same: call it."

// settled brings an order up to the laboratory's answer.
func (a *Acts) settled(t *act.Tx, o store.Outgoing, answer []byte, refused string) error {
	ord, err := t.OrderByID(o.Subject)
	if err != nil {
		return err
	}
	switch o.Kind {
	case cancelling:
		return a.cancelSettled(t, ord, refused)
	case asking:
		return a.askSettled(t, ord, answer, refused)
	}
	if ord.State != order.Signed && ord.State != order.Received {
		return nil // cancelled meanwhile, or there are results, which say more
	}
	if refused != "" && ord.State == order.Received && o.Control != ord.Placer {
		// It has it from the first time: what it refuses is only that it came again.
		return a.told(t, ord, []string{"It has taken it before, and refused it sent again: " + refused}, true)
	}
	state, lineState, says, reason := order.Received, line.Waiting, "accepted", ""
	if names := notTaken(ord, answer); refused != "" {
		state, lineState, says, reason = order.Failed, line.Open, "refused", refused
		unanswered, err := t.OutgoingUnanswered(o.Kind, ord.ID)
		if err != nil {
			return err
		}
		if unanswered > 0 {
			reason = strings.TrimRight(reason, ". ") + ". " + mayHaveIt
		}
	} else if len(names) > 0 {
		lineState, says, reason = line.Open, "taken in part", "The laboratory did not take "+strings.Join(names, ", ")+". Order it again, or cancel."
	}
	if err := t.SetOrderState(ord.ID, state, reason); err != nil {
		return err
	}
	if err := t.SetLineState(line.Order, ord.ID, lineState); err != nil {
		return err
	}
	t.Tell(act.OrderEvent, ord.ID, ord.PatientID)
	t.Tell(act.LineEvent, ord.ID, ord.PatientID)
	return t.Audit("order "+says+" by the laboratory", ord.PatientID, ord.ID, "")
}

// cancelSettled says what the laboratory answered to the cancelling of an order. Where it
// could not cancel it, somebody has to speak with it.
func (a *Acts) cancelSettled(t *act.Tx, o store.Order, refused string) error {
	says := cmp.Or(refused, store.CancellingDone)
	if a.Config.Laboratory(o.Party).Takes == order.TakesPaper {
		says = cmp.Or(refused, store.CancellingTold) // that a fax arrived says nothing of what they do
	}
	if err := t.SetCancelling(o.ID, says); err != nil {
		return err
	}
	var err error
	if says == store.CancellingDone {
		err = t.CloseLine(line.Order, o.ID, t.Who.ID, "cancelled by the laboratory", t.Now)
	} else if err = t.OpenLine(act.NewID(), line.Order, o.ID, o.PatientID, o.ClinicianID, line.Open, t.Now); err == nil {
		// It is opened again where somebody closed it meanwhile: results may still come.
		err = t.SetLineState(line.Order, o.ID, line.Open)
	}
	if err != nil {
		return err
	}
	t.Tell(act.OrderEvent, o.ID, o.PatientID)
	t.Tell(act.LineEvent, o.ID, o.PatientID)
	if says != store.CancellingDone {
		return t.Audit("order not cancelled by the laboratory", o.PatientID, o.ID, "")
	}
	return t.Audit("order cancelled by the laboratory", o.PatientID, o.ID, "")
}

// LateAnswer takes an answer that came by the listener, after what was sent was taken for
// the time being; known is false where it answers nothing of ours.
func (a *Acts) LateAnswer(t *act.Tx, raw []byte) (known bool, err error) {
	ack, err := hl7v2.ParseAck(raw)
	if err != nil {
		return false, nil //nolint:nilerr // it is no answer
	}
	o, _, err := t.OutgoingByControl(ack.Control)
	if store.IsNotFound(err) || err == nil && o.Destination != laboratory {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	refused, err := a.decided(raw, o.Control)
	if err != nil {
		return false, nil //nolint:nilerr // it decides nothing, and is held with its reason
	}
	state := "accepted"
	if refused != "" {
		state = "refused"
	}
	if err := t.AnswerOutgoing(o.Control, state, refused, raw, t.Now); err != nil {
		return true, err
	}
	return true, a.settled(t, o, raw, refused)
}
