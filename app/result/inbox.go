package result

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"log/slog"
	"regexp"
	"strconv"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/core/outside"
	"deftledger/core/result"
	"deftledger/exchange/hl7v2"
	"deftledger/store"
)

// Receive stores a message as it came and returns its acknowledgement: AA once it
// is durably stored, whether or not it can be understood or matched; AR when it
// is no HL7 v2 message; nothing when it could not be stored, so that the sender
// sends it again.
func (a *Acts) Receive(peer string, raw []byte) []byte {
	ctx := context.Background()
	sum := sha256.Sum256(raw)
	h, err := hl7v2.ParseHeader(raw)
	in := store.Incoming{ReceivedAt: a.Clock(), Sender: h.SendingApp + "|" + h.SendingFacility, Control: h.Control, Raw: raw,
		State: result.Stored}
	if err != nil {
		in.State, in.Reason = result.Refused, err.Error()
	}
	var id int64
	storing := a.Store.Write(ctx, func(q *store.Q) (err error) {
		id, err = q.AddIncoming(in, peer, sum[:])
		return err
	})
	control := "IN" + strconv.FormatInt(id, 10)
	if storing != nil {
		slog.Error("an incoming message could not be stored", "error", storing)
		if h.Control == "" {
			return nil
		}
		return hl7v2.Ack(h, "AE", "The message could not be stored here. Send it again later.", "IN0", a.Clock().In(a.Location))
	}
	if err != nil {
		return hl7v2.Ack(h, "AR", err.Error(), control, a.Clock().In(a.Location))
	}
	act.Nudge(a.wake)
	return hl7v2.Ack(h, "AA", "", control, a.Clock().In(a.Location))
}

// TooLarge answers a message over the limit, which could not be stored.
func (a *Acts) TooLarge(limit int) func(string) []byte {
	return func(peer string) []byte {
		slog.Warn("an incoming message was larger than the limit", "limit", limit)
		return hl7v2.Ack(hl7v2.Header{}, "AR", fmt.Sprintf("The message is larger than %d bytes and was not stored.", limit), "IN0",
			a.Clock().In(a.Location))
	}
}

// Inbox files stored messages until ctx ends. Several that wait are filed in one
// transaction, each undone alone if it fails.
func (a *Acts) Inbox(ctx context.Context) {
	for ctx.Err() == nil {
		n, err := a.FileStored(ctx)
		if err != nil && ctx.Err() == nil {
			slog.Error("incoming messages could not be filed", "error", err)
			n = 0
		}
		if n > 0 {
			continue
		}
		select {
		case <-ctx.Done():
		case <-a.wake:
			time.Sleep(gather)
		case <-time.After(5 * time.Second):
		}
	}
}

// A burst is gathered for a moment, so that many messages share one transaction.
const (
	gather      = 30 * time.Millisecond
	filingBatch = 50
)

// FileStored files a batch of stored messages and says how many there were.
func (a *Acts) FileStored(ctx context.Context) (n int, err error) {
	err = a.Write(ctx, act.Actor{Name: "the application"}, func(t *act.Tx) error {
		waiting, err := t.StoredIncoming(filingBatch)
		n = len(waiting)
		if err != nil {
			return err
		}
		for _, in := range waiting {
			events := len(t.Events)
			err := t.Within("filing", func() error {
				seen, err := t.ControlSeen(in)
				if err != nil {
					return err
				}
				if seen {
					return held("An earlier message of this sender has the same control number (%s) and another content. Ask the laboratory which one counts.", in.Control)
				}
				return a.fileSafely(t, in, nil)
			})
			var why *heldError
			if errors.As(err, &why) {
				t.Events = t.Events[:events]
				err = a.quarantine(t, in, why.reason)
			}
			if err != nil {
				return err
			}
		}
		return nil
	})
	return n, err
}

// quarantine keeps a message until a person says whose it is: a line of whoever may.
func (a *Acts) quarantine(t *act.Tx, in store.Incoming, reason string) error {
	if err := t.SetIncoming(in.ID, result.Quarantined, reason); err != nil {
		return err
	}
	subject := strconv.FormatInt(in.ID, 10)
	t.Tell(act.LineEvent, subject, "")
	return t.OpenLine(act.NewID(), line.Held, subject, "", "", line.Open, in.ReceivedAt)
}

// decided closes the line of a message that a person decided on.
func decided(t *act.Tx, id int64, with string) error {
	subject := strconv.FormatInt(id, 10)
	t.Tell(act.LineEvent, subject, "")
	return t.CloseLine(line.Held, subject, t.Who.ID, with, t.Now)
}

// heldError is why a message waits in quarantine.
type heldError struct{ reason string }

func (e *heldError) Error() string { return e.reason }

func held(format string, args ...any) error { return &heldError{fmt.Sprintf(format, args...)} }

// fileSafely files a message; one that trips over a fault of ours is held too,
// instead of stopping all that come after it.
func (a *Acts) fileSafely(t *act.Tx, in store.Incoming, d *decision) (err error) {
	defer func() {
		if p := recover(); p != nil {
			slog.Error("a stored message could not be filed", "message", in.ID, "panic", p)
			err = held("Reading it failed here. Report this to whoever looks after the program; the message is kept.")
		}
	}()
	return a.file(t, in, d)
}

// decision is a person's word on whose a message is.
type decision struct {
	patientID string
	orderID   string // "" when it belongs to no order
	owner     string
	by        string
}

var testNumber = regexp.MustCompile(`^(.+)-(\d{1,3})$`)

// findOrder finds the order, and the test on it, that a report answers.
func (a *Acts) findOrder(t *act.Tx, r hl7v2.Report) (store.Order, int, error) {
	o, err := t.OrderByPlacer(r.Placer)
	position := 0
	if store.IsNotFound(err) {
		if m := testNumber.FindStringSubmatch(r.Placer); m != nil {
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

// file understands a stored message and files its reports, all or none. Without a
// decision, only full agreement of order number, names, birth date and sex files.
func (a *Acts) file(t *act.Tx, in store.Incoming, d *decision) error {
	reports, err := hl7v2.ParseReports(in.Raw, a.Location)
	if errors.Is(err, hl7v2.ErrUnreadable) || errors.Is(err, hl7v2.ErrNotHL7) {
		return held("%s.", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
	}
	if err != nil {
		return err
	}
	touched := map[string]bool{}
	inMessage := map[[2]string]bool{}
	for _, r := range reports {
		if len(r.Values) == 0 && result.Final(r.Status) && r.Status != "X" && r.Notes == "" {
			return held("The report %q is final and holds no value.", r.Title)
		}
		o, position, err := a.findOrder(t, r)
		if err != nil && !store.IsNotFound(err) {
			return err
		}
		found := err == nil && r.Placer != ""
		next := store.Report{Filler: r.Filler, Code: r.Code, Title: r.Title, LOINC: r.LOINC, Status: r.Status, Issue: 1,
			CollectedAt: sayHL7(r.Collected), ReportedAt: sayHL7(r.Reported), ReceivedAt: in.ReceivedAt, Performer: r.Performer, Notes: r.Notes,
			InboxID: in.ID, Values: r.Values}
		if next.Filler == "" {
			next.Filler = "ours:" + r.Placer
		}
		if r.Filler == "" && r.Placer == "" {
			next.Filler = fmt.Sprintf("message:%d", in.ID)
		}
		same := [2]string{next.Filler, next.Code}
		if inMessage[same] {
			return held("It reports %q twice under one number; one would hide the other. Ask the laboratory.", r.Title)
		}
		inMessage[same] = true
		switch {
		case d != nil:
			next.PatientID, next.OwnerID, next.MatchedBy = d.patientID, d.owner, d.by
			if found && act.SamePerson(t.Q, o.PatientID, d.patientID) {
				next.OrderID, next.Position, next.OwnerID = o.ID, position, o.ClinicianID
			} else if d.orderID != "" {
				chosen, err := t.OrderByID(d.orderID)
				if err != nil {
					return err
				}
				next.OrderID, next.OwnerID = chosen.ID, chosen.ClinicianID
				for _, test := range chosen.Tests {
					if test.Code == r.Code && test.ReportID == "" {
						next.Position = test.Position
					}
				}
			}
		case r.Placer == "":
			return held("It carries no order number of ours.")
		case !found:
			return held("No order of ours has the number %s.", r.Placer)
		default:
			p, err := t.PatientByID(o.PatientID)
			if err != nil {
				return err
			}
			if diff := outside.Differences(p, r.Patient); len(diff) > 0 {
				return held("Order %s is ours, but the patient differs from it in: %s.", o.Placer, strings.Join(diff, ", "))
			}
			next.PatientID, next.OrderID, next.Position, next.OwnerID = p.ID, o.ID, position, o.ClinicianID
		}
		if err := a.FileReport(t, next); err != nil {
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
	state := result.Filed
	if d != nil {
		state = result.Settled
	}
	return t.SetIncoming(in.ID, state, "")
}

func sayHL7(h hl7v2.Time) string {
	switch {
	case h.Digits == 0:
		return ""
	case h.Digits <= 8:
		return h.At.Format("2006-01-02"[:map[int]int{4: 4, 6: 7, 8: 10}[h.Digits]])
	case h.Digits <= 12:
		return h.At.Format("2006-01-02T15:04Z07:00") // to the minute, as it came
	}
	return h.At.Format(time.RFC3339)
}

// FileReport adds a report or the next issue of one that is there.
func (a *Acts) FileReport(t *act.Tx, r store.Report) error {
	old, err := t.ReportBySource(r.Filler, r.Code)
	switch {
	case store.IsNotFound(err):
		r.ID = act.NewID()
		if err := t.AddReport(r); err != nil {
			return err
		}
		if err := t.AddIssue(r); err != nil {
			return err
		}
	case err != nil:
		return err
	case !act.SamePerson(t.Q, old.PatientID, r.PatientID):
		return held("The laboratory's number %s was filed for another patient before.", r.Filler)
	default:
		r.ID, r.OwnerID = old.ID, old.OwnerID
		n, err := t.IssueCount(old.ID)
		if err != nil {
			return err
		}
		r.Issue = n + 1
		if err := t.AddIssue(r); err != nil {
			return err
		}
		if !result.Supersedes(old.Status, r.Status) {
			// A late preliminary is kept with the report, but does not replace a final.
			return t.Audit("late issue of a report kept", r.PatientID, r.ID, "")
		}
		if err := t.NextIssue(r); err != nil {
			return err
		}
	}
	state := line.Open
	if !result.Final(r.Status) {
		state = line.InHand
	}
	if err := t.OpenLine(act.NewID(), line.Report, r.ID, r.PatientID, r.OwnerID, state, t.Now); err != nil {
		return err
	}
	if err := t.RankLine(line.Report, r.ID, state, result.Rank(r.Status, old.SignedIssue > 0, r.Values)); err != nil {
		return err
	}
	t.Tell(act.ReportEvent, r.ID, r.PatientID)
	t.Tell(act.LineEvent, r.ID, r.PatientID)
	return t.Audit("file report", r.PatientID, r.ID, "")
}

// HeldMessage is a message in quarantine, with what it says of itself.
type HeldMessage struct {
	ID         int64    `json:"id"`
	ReceivedAt string   `json:"receivedAt"`
	Reason     string   `json:"reason"`
	Family     string   `json:"family"`
	Given      string   `json:"given"`
	BirthDate  string   `json:"birthDate"`
	Sex        string   `json:"sex"`
	Titles     []string `json:"titles"`
	Placer     string   `json:"placer"`
	Readable   bool     `json:"readable"`
}

// HeldView writes what a held message says of itself.
func (a *Acts) HeldView(m store.Incoming) HeldMessage {
	v := HeldMessage{ID: m.ID, ReceivedAt: a.Say(m.ReceivedAt), Reason: m.Reason, Titles: []string{}}
	reports, err := hl7v2.ParseReports(m.Raw, a.Location)
	if err != nil {
		return v
	}
	p := reports[0].Patient
	v.Family, v.Given, v.BirthDate, v.Sex, v.Placer, v.Readable = p.Family, p.Given, p.BirthDate, p.Sex, reports[0].Placer, true
	for _, r := range reports {
		v.Titles = append(v.Titles, r.Title)
	}
	return v
}

// CandidateView is a patient who may be meant.
type CandidateView struct {
	Patient act.PatientView `json:"patient"`
	Agree   []string        `json:"agree"`
	Differ  []string        `json:"differ"`
}

// HeldDetail is a quarantined message with its text and the patients who may be meant.
type HeldDetail struct {
	HeldMessage
	Raw        string          `json:"raw"`
	Values     []ValueView     `json:"values"`
	Candidates []CandidateView `json:"candidates"`
}

// Held opens a quarantined message.
func (a *Acts) Held(ctx context.Context, who act.Actor, id int64) (out HeldDetail, err error) {
	err = a.Look(ctx, who, act.MatchResult, func(q *store.Q) error {
		m, err := q.IncomingByID(id)
		if err != nil {
			return act.NotFound(err, "message")
		}
		out = HeldDetail{HeldMessage: a.HeldView(m), Raw: strings.ToValidUTF8(strings.ReplaceAll(string(m.Raw), "\r", "\n"), "�"),
			Values: []ValueView{}, Candidates: []CandidateView{}}
		reports, err := hl7v2.ParseReports(m.Raw, a.Location)
		if err != nil {
			return nil //nolint:nilerr // unreadable is what it is held for; its text is shown
		}
		for _, r := range reports {
			for _, v := range r.Values {
				out.Values = append(out.Values, valueView(v))
			}
		}
		meant := reports[0].Patient
		like, err := q.PatientsLike(meant.Family, meant.BirthDate, meant.Phone)
		if err != nil {
			return err
		}
		shown := map[string]bool{}
		for _, c := range outside.Candidates(like, meant, 5) {
			p, err := q.Person(c.Patient.ID) // who a merged record is about now
			if err != nil {
				return err
			}
			if shown[p.ID] {
				continue
			}
			shown[p.ID] = true
			v := CandidateView{a.Patient(p), c.Agree, c.Differ}
			if v.Differ == nil {
				v.Differ = []string{}
			}
			out.Candidates = append(out.Candidates, v)
		}
		return nil
	})
	if err == nil {
		err = a.Write(ctx, who, func(t *act.Tx) error { return t.Audit("open quarantined message", "", strconv.FormatInt(id, 10), "") })
	}
	return out, err
}

// Attach files a quarantined message in the chart a person says it belongs to.
func (a *Acts) Attach(ctx context.Context, who act.Actor, id int64, patient string) error {
	return a.Act(ctx, who, act.MatchResult, func(t *act.Tx) error {
		m, err := t.IncomingByID(id)
		if err != nil {
			return act.NotFound(err, "message")
		}
		if m.State != result.Quarantined {
			return act.Refuse(act.Conflict, "Somebody has decided on this message already.")
		}
		if _, err := t.PatientByID(patient); err != nil {
			return act.NotFound(err, "patient")
		}
		d := &decision{patientID: patient, owner: who.ID, by: who.ID}
		if who.Role != act.Physician {
			// A nurse may say whose it is; a physician answers for it.
			visits, err := t.VisitsOf(patient)
			if err != nil {
				return err
			}
			if len(visits) == 0 {
				return act.Refuse(act.Invalid, "This patient has no physician here yet; a physician has to attach it.")
			}
			d.owner = visits[0].ClinicianID
		}
		err = a.file(t, m, d)
		var why *heldError
		if errors.As(err, &why) {
			return act.Refuse(act.Invalid, "It cannot be filed: %s", why.reason)
		}
		if err != nil {
			return err
		}
		if err := decided(t, id, "attached"); err != nil {
			return err
		}
		return t.Audit("attach quarantined message", patient, strconv.FormatInt(id, 10), "")
	})
}

// SetAside closes a quarantined message that belongs to nobody here, with a reason.
func (a *Acts) SetAside(ctx context.Context, who act.Actor, id int64, reason string) error {
	if err := act.Allow(who, act.MatchResult); err != nil {
		return err
	}
	if strings.TrimSpace(reason) == "" {
		return act.Refuse(act.Invalid, "Give the reason for setting it aside.")
	}
	return a.Act(ctx, who, act.MatchResult, func(t *act.Tx) error {
		m, err := t.IncomingByID(id)
		if err != nil {
			return act.NotFound(err, "message")
		}
		if m.State != result.Quarantined {
			return act.Refuse(act.Conflict, "Somebody has decided on this message already.")
		}
		if err := t.SetIncoming(id, result.Settled, "Set aside by "+who.Name+": "+reason); err != nil {
			return err
		}
		if err := decided(t, id, "set aside"); err != nil {
			return err
		}
		return t.Audit("set quarantined message aside", "", strconv.FormatInt(id, 10), "")
	})
}
