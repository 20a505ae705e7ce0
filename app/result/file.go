package result

import (
	"cmp"
	"errors"
	"fmt"
	"log/slog"
	"regexp"
	"strconv"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/outside"
	"deftledger/core/result"
	"deftledger/exchange/hl7v2"
	"deftledger/store"
)

// heldError is why something waits in quarantine.
type heldError struct{ reason string }

func (e *heldError) Error() string { return e.reason }

func held(format string, args ...any) error { return &heldError{fmt.Sprintf(format, args...)} }

// fileMessage files what a stored message says of each patient, each by itself: what is held
// of one holds up no other, and files nothing of its own.
func (a *Acts) fileMessage(t *act.Tx, in store.Incoming) error {
	var whole *heldError // what holds the whole message
	read, err := a.read(in)
	if err != nil && !errors.As(err, &whole) {
		return err
	}
	if whole != nil { // it may answer something of ours
		if known, err := a.Order.LateAnswer(t, in.Raw); err != nil || known {
			return errors.Join(err, t.SetIncoming(in.ID, result.Filed, ""))
		}
		known, why, err := a.Order.Statement(t, in.Raw)
		switch {
		case err != nil:
			return err
		case why != "":
			whole = &heldError{why}
		case known:
			return t.SetIncoming(in.ID, result.Filed, "")
		}
	}
	parts := max(1, len(read.Patients))
	if seen, err := t.ControlSeen(in); err != nil {
		return err
	} else if seen {
		whole = &heldError{fmt.Sprintf("An earlier message of this sender has the same control number (%s) and another content. "+
			"Ask the laboratory which one counts.", in.Control)}
	}
	reasons := make([]string, parts)
	some := ""
	for i := range parts {
		why := whole
		if why == nil {
			events := len(t.Events)
			err := t.Within("filing", func() error { return a.filePartSafely(t, in, read, i+1, nil) })
			if errors.As(err, &why) {
				t.Events = t.Events[:events]
			} else if err != nil {
				return err
			}
		}
		if why != nil {
			reasons[i], some = why.reason, cmp.Or(some, why.reason)
		}
	}
	if some == "" {
		return t.SetIncoming(in.ID, result.Filed, "")
	}
	for i, reason := range reasons {
		part := store.MessagePart{Inbox: in.ID, Part: i + 1}
		if reason == "" {
			err = t.SetPart(part, result.Filed, "")
		} else {
			err = a.quarantine(t, part, reason, read)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// quarantine keeps a part of a message until a person says whose it is: a line of whoever may.
// A critical value of nobody is first among them.
func (a *Acts) quarantine(t *act.Tx, part store.MessagePart, reason string, read hl7v2.Results) error {
	if err := errors.Join(t.SetPart(part, result.Quarantined, reason), t.SetIncoming(part.Inbox, result.Quarantined, reason)); err != nil {
		return err
	}
	subject := heldID(part)
	rank := line.ToAct
	if part.Part <= len(read.Patients) {
		for _, r := range read.Patients[part.Part-1].Reports {
			rank = min(rank, result.Rank(r.Status, true, r.Values))
		}
	}
	t.Tell(act.LineEvent, subject, "")
	return errors.Join(t.OpenLine(act.NewID(), line.Held, subject, "", "", line.Open, t.Now), t.RankLine(line.Held, subject, line.Open, rank))
}

// decided closes the line of a part that a person decided on. The message is settled with
// its last part.
func decided(t *act.Tx, part store.MessagePart, with, reason string) error {
	parts, err := t.PartsIn([]int64{part.Inbox})
	if err != nil {
		return err
	}
	waits := false
	for _, p := range parts {
		waits = waits || p.State == result.Quarantined && p.MessagePart != part
	}
	if err := t.SetPart(part, result.Settled, reason); err != nil {
		return err
	}
	if !waits {
		if err := t.SetIncoming(part.Inbox, result.Settled, reason); err != nil {
			return err
		}
	}
	t.Tell(act.LineEvent, heldID(part), "")
	return errors.Join(t.CloseLine(line.Held, heldID(part), t.Who.ID, with, t.Now), endBack(t, heldID(part), with))
}

// heldID names a part of a message: the number of the message, with that of the part
// where it is not the first.
func heldID(p store.MessagePart) string {
	if p.Part <= 1 {
		return strconv.FormatInt(p.Inbox, 10)
	}
	return fmt.Sprintf("%d-%d", p.Inbox, p.Part)
}

var heldForm = regexp.MustCompile(`^(\d{1,18})(?:-(\d{1,4}))?$`)

func heldPart(id string) (p store.MessagePart, ok bool) {
	m := heldForm.FindStringSubmatch(id)
	if m == nil {
		return p, false
	}
	p.Inbox, _ = strconv.ParseInt(m[1], 10, 64)
	p.Part = 1
	if m[2] != "" {
		p.Part, _ = strconv.Atoi(m[2])
	}
	return p, true
}

// read understands a message; what cannot be understood is held.
func (a *Acts) read(in store.Incoming) (hl7v2.Results, error) {
	read, err := hl7v2.ParseReports(in.Raw, a.Location)
	if errors.Is(err, hl7v2.ErrUnreadable) || errors.Is(err, hl7v2.ErrNotHL7) {
		return read, held("%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
	}
	return read, err
}

// filePartSafely files a part of a message; one that trips over a fault of ours is held too,
// instead of stopping all that come after it.
func (a *Acts) filePartSafely(t *act.Tx, in store.Incoming, read hl7v2.Results, part int, d *decision) (err error) {
	defer func() {
		if p := recover(); p != nil {
			slog.Error("a stored message could not be filed", "message", in.ID, "panic", p)
			err = held("Reading it failed here. Report this to whoever looks after the program; the message is kept.")
		}
	}()
	return a.filePart(t, in, read, part, d)
}

// decision is a person's word on whose a part of a message is, and why although something
// differs.
type decision struct {
	patientID, owner, by, why string
}

var testNumber = regexp.MustCompile(`^(.+)-(\d{1,3})$`)

// findOrder finds the order, and the test on it, that a report answers.
func (a *Acts) findOrder(t *act.Tx, placer string, r hl7v2.Report) (store.Order, int, error) {
	o, err := t.OrderByPlacer(placer)
	position := 0
	if store.IsNotFound(err) {
		if m := testNumber.FindStringSubmatch(placer); m != nil {
			o, err = t.OrderByPlacer(m[1])
			position, _ = strconv.Atoi(m[2])
		}
	}
	if err != nil {
		return o, 0, err
	}
	for _, test := range o.Tests {
		if (position == 0 || position == test.Position) && (test.Code == r.Code || r.LOINC != "" && test.LOINC == r.LOINC) {
			return o, test.Position, nil
		}
	}
	return o, 0, nil // an additional test the laboratory did on its own, under the same order
}

// filePart files the reports of one patient, all or none. Without a decision, only full
// agreement of order number, names, birth date, sex and our record number files.
func (a *Acts) filePart(t *act.Tx, in store.Incoming, read hl7v2.Results, part int, d *decision) error {
	p := read.Patients[part-1]
	touched := map[string]bool{}
	inPart := map[string]int{}
	for _, r := range p.Reports {
		o, position, err := a.findOrder(t, r.Placer, r)
		if err != nil && !store.IsNotFound(err) {
			return err
		}
		found := err == nil && r.Placer != ""
		next := storedReport(in, read, p, r)
		next.Part = part
		switch {
		case d != nil:
			next.PatientID, next.OwnerID, next.MatchedBy, next.MatchedWhy = d.patientID, d.owner, d.by, d.why
			if found && act.SamePerson(t.Q, o.PatientID, d.patientID) {
				next.OrderID, next.Position, next.OwnerID = o.ID, position, o.ClinicianID
			}
		case r.Placer == "":
			return held("It carries no order number of ours.")
		case !found:
			return held("No order of ours has the number %s.", r.Placer)
		default:
			if r.OtherPlacer != "" {
				if other, _, err := a.findOrder(t, r.OtherPlacer, r); store.IsNotFound(err) || err == nil && other.ID != o.ID {
					return held("It names two orders: %s and %s. Ask the laboratory which one it answers.", r.OtherPlacer, r.Placer)
				} else if err != nil {
					return err
				}
			}
			patient, err := t.PatientByID(o.PatientID)
			if err != nil {
				return err
			}
			if diff := outside.Differences(patient, p.Patient, a.Facility); len(diff) > 0 {
				former, err := a.formerly(t, patient, o.SignedAt, p.Patient)
				if err != nil {
					return err
				}
				next.MatchedWhy = former
				if former != "" {
					diff = nil
				}
				if len(diff) > 0 {
					return held("Order %s is ours, but the patient differs from it in: %s.", o.Placer, strings.Join(diff, ", "))
				}
			}
			next.PatientID, next.OrderID, next.Position, next.OwnerID = patient.ID, o.ID, position, o.ClinicianID
		}
		to, err := a.oursIn(t.Q, r.Copies)
		if err != nil {
			return err
		}
		if d != nil && next.OrderID == "" { // ordered by somebody else, or nobody says by whom
			by, err := a.oursIn(t.Q, []hl7v2.Person{r.Orderer})
			if err != nil {
				return err
			}
			if by = append(by, to...); len(by) > 0 {
				next.OwnerID = by[0].ID
			}
		}
		next.Source = result.Source(in.Sender, next.Filler, next.OrderID, next.Code, r.Parent)
		if n := inPart[next.Source]; n > 0 {
			next.Source += "\t#" + strconv.Itoa(n+1) // one more of the same in one message hides no other
		}
		inPart[result.Source(in.Sender, next.Filler, next.OrderID, next.Code, r.Parent)]++
		next, err = a.fileReport(t, next)
		if err != nil {
			return err
		}
		if err := a.copies(t, next, to); err != nil {
			return err
		}
		if next.OrderID != "" {
			touched[next.OrderID] = true
		}
	}
	for id := range touched {
		if err := a.Order.Settle(t, id); err != nil {
			return err
		}
	}
	return nil
}

// formerly says that what came names the patient as they were registered when an order was signed, "" where
// it does not: an order goes out under that name, and is answered under it.
func (a *Acts) formerly(t *act.Tx, p chart.Patient, signed time.Time, id outside.Identity) (string, error) {
	was, ok, err := t.IdentityAt(p.ID, signed)
	if err != nil || !ok {
		return "", err
	}
	if then := was.Patient(p); len(outside.Differences(then, id, a.Facility)) == 0 {
		return fmt.Sprintf("It names the patient as they were registered when the order was signed: %s %s, born %s.", then.Name.Given, then.Name.Family,
			chart.SayDay(then.BirthDate)), nil
	}
	return "", nil
}

// storedReport writes a report as it is kept.
func storedReport(in store.Incoming, read hl7v2.Results, p hl7v2.PatientResults, r hl7v2.Report) store.Report {
	out := store.Report{Filler: r.Filler, Code: r.Code, Title: r.Title, LOINC: r.LOINC, Status: r.Status, Issue: 1,
		CollectedAt: r.Collected.Say(), ReportedAt: r.Reported.Say(), ReceivedAt: in.ReceivedAt, Performer: r.Performer, Notes: r.Notes,
		InboxID: in.ID, Values: r.Values}
	if out.Filler == "" {
		out.Filler = "ours:" + r.Placer
	}
	if r.Filler == "" && r.Placer == "" {
		out.Filler = fmt.Sprintf("message:%d", in.ID)
	}
	out.Details = store.ReportDetails{Specimens: r.Specimens, Parent: r.Parent, Reason: r.Reason, PatientNotes: p.Notes, MessageNotes: read.Notes}
	if r.Orderer != (hl7v2.Person{}) {
		out.Details.Orderer = r.Orderer.Name()
	}
	for _, c := range r.Copies {
		out.Details.Copies = append(out.Details.Copies, c.Name())
	}
	for _, n := range p.Patient.Records {
		out.Details.Records = append(out.Details.Records, strings.TrimSpace(n.Number+" "+n.Assigner))
	}
	if out.CollectedAt == "" {
		out.Details.CollectedSaid = r.Collected.Raw
	}
	if out.ReportedAt == "" {
		out.Details.ReportedSaid = r.Reported.Raw
	}
	return out
}

// tell tells the screens that a report and its line have changed.
func tell(t *act.Tx, r store.Report) {
	t.Tell(act.ReportEvent, r.ID, r.PatientID)
	t.Tell(act.LineEvent, r.ID, r.PatientID)
}

// FileReport adds a report or the next issue of one that is there. A later message never
// disappears: it becomes the present issue, unless it is older by its own time; then it is
// kept beside it, and said. What was signed is open again as soon as it reads differently.
func (a *Acts) FileReport(t *act.Tx, r store.Report) error {
	_, err := a.fileReport(t, r)
	return err
}

// fileReport files a report, and says as which.
func (a *Acts) fileReport(t *act.Tx, r store.Report) (store.Report, error) {
	known, err := t.ReportsBySource(r.Source)
	if err != nil {
		return r, err
	}
	var old *store.Report
	for i := range known {
		if act.SamePerson(t.Q, known[i].PatientID, r.PatientID) {
			old = &known[i]
		}
	}
	for i := range r.Values {
		r.Values[i].Details.Limit = a.Analytes.Beyond(a.Limits, r.Values[i])
	}
	signed := 0
	if old == nil {
		r.ID = act.NewID()
		if r.Details.Reused, err = t.NumberUsed(r.Filler, r.Code); err != nil {
			return r, err
		}
		if err := errors.Join(t.AddReport(r), t.AddIssue(r)); err != nil {
			return r, err
		}
	} else {
		n, err := t.IssueCount(old.ID)
		if err != nil {
			return r, err
		}
		r.ID, r.OwnerID, r.Issue, signed = old.ID, old.OwnerID, n+1, old.SignedIssue
		r.Details.Reused = old.Details.Reused
		r.Late = result.Older(r.ReportedAt, old.ReportedAt)
		if err := t.AddIssue(r); err != nil {
			return r, err
		}
		if r.Late {
			t.Tell(act.ReportEvent, r.ID, r.PatientID)
			return r, t.Audit("late issue of a report kept", r.PatientID, r.ID, "")
		}
		if err := t.NextIssue(r); err != nil {
			return r, err
		}
		if signed > 0 && signed == old.Issue {
			was, err := t.IssueAt(r.ID, signed)
			if err != nil {
				return r, err
			}
			if result.Same(was, result.Issue{Status: r.Status, Collected: r.CollectedAt, Notes: r.Notes, Values: r.Values}) {
				t.Tell(act.ReportEvent, r.ID, r.PatientID)
				return r, errors.Join(t.StaysSigned(r.ID), t.Audit("the same report again", r.PatientID, r.ID, ""))
			}
		}
	}
	state := line.Open
	if result.Waits(r.Status) && signed == 0 {
		state = line.InHand
	}
	if err := t.OpenLine(act.NewID(), line.Report, r.ID, r.PatientID, r.OwnerID, state, t.Now); err != nil {
		return r, err
	}
	if err := t.RankLine(line.Report, r.ID, state, result.Rank(r.Status, signed > 0, r.Values)); err != nil {
		return r, err
	}
	tell(t, r)
	if err := errors.Join(a.announce(t, r), a.Filed(t, r)); err != nil {
		return r, err
	}
	return r, t.Audit("file report", r.PatientID, r.ID, "")
}

// FileElsewhere files what another house measured, as it came in a record of theirs. It is announced to nobody, because it is days old and
// read with its record, and released to no portal, because it is not ours to release. Its line is open until it is signed.
func (a *Acts) FileElsewhere(t *act.Tx, r store.Report) error {
	for i := range r.Values {
		r.Values[i].Details.Limit = a.Analytes.Beyond(a.Limits, r.Values[i])
	}
	if err := errors.Join(t.AddReport(r), t.AddIssue(r)); err != nil {
		return err
	}
	if err := t.OpenLine(act.NewID(), line.Report, r.ID, r.PatientID, r.OwnerID, line.Open, t.Now); err != nil {
		return err
	}
	if err := t.RankLine(line.Report, r.ID, line.Open, result.Rank(r.Status, false, r.Values)); err != nil {
		return err
	}
	tell(t, r)
	return t.Audit("file a report of another house", r.PatientID, r.ID, "")
}
