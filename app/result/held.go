package result

import (
	"context"
	"errors"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/line"
	"deftledger/core/outside"
	"deftledger/core/result"
	"deftledger/exchange/hl7v2"
	"deftledger/store"
)

// HeldMessage is what a message says of one patient, which waits for a person.
type HeldMessage struct {
	ID         string      `json:"id"`
	ReceivedAt string      `json:"receivedAt"`
	Reason     string      `json:"reason"`
	State      string      `json:"state" enum:"quarantined,settled,filed" doc:"settled: a person has decided; it can be taken up again"`
	Family     string      `json:"family"`
	Given      string      `json:"given"`
	BirthDate  string      `json:"birthDate"`
	BirthSaid  string      `json:"birthSaid" doc:"What came as birth date and is none"`
	Sex        string      `json:"sex"`
	Records    []string    `json:"records" doc:"Numbers of the patient, with who gave them"`
	Notes      string      `json:"notes" doc:"Said of the patient, or of the whole message"`
	Reports    []HeldOrder `json:"reports"`
	Readable   bool        `json:"readable"`
}

// HeldOrder is a report that is held, with its values.
type HeldOrder struct {
	Title       string      `json:"title"`
	Placer      string      `json:"placer" doc:"Our order number as it was sent"`
	Status      string      `json:"status"`
	CollectedAt string      `json:"collectedAt"`
	Performer   string      `json:"performer"`
	Notes       string      `json:"notes"`
	Values      []ValueView `json:"values"`
}

// heldView writes what a message says of one patient; read is what can be read of it.
func (a *Acts) heldView(m store.Incoming, read hl7v2.Results, part store.PartState) HeldMessage {
	v := HeldMessage{ID: heldID(part.MessagePart), ReceivedAt: a.Say(m.ReceivedAt), Reason: part.Reason, State: string(part.State),
		Records: []string{}, Reports: []HeldOrder{}}
	if part.Part > len(read.Patients) {
		return v
	}
	p := read.Patients[part.Part-1]
	id := p.Patient
	v.Family, v.Given, v.BirthDate, v.BirthSaid, v.Sex, v.Readable = id.Family, id.Given, id.BirthDate, id.BirthSaid, id.Sex, true
	v.Notes = strings.TrimSpace(read.Notes + "\n" + p.Notes)
	for _, r := range p.Reports {
		kept := storedReport(m, read, p, r)
		v.Records = kept.Details.Records
		o := HeldOrder{Title: r.Title, Placer: r.Placer, Status: result.SayReport(r.Status), CollectedAt: kept.CollectedAt, Performer: r.Performer,
			Notes: r.Notes, Values: []ValueView{}}
		for _, x := range r.Values {
			o.Values = append(o.Values, valueView(x))
		}
		v.Reports = append(v.Reports, o)
	}
	if v.Records == nil {
		v.Records = []string{}
	}
	return v
}

// CandidateView is a patient who may be meant.
type CandidateView struct {
	Patient act.PatientView `json:"patient"`
	Agree   []string        `json:"agree"`
	Differ  []string        `json:"differ"`
	Needs   []string        `json:"needs" doc:"What is not exactly the same, so that a reason is asked for"`
}

// HeldDetail is what is held of one patient, with the text of the message, the patients who
// may be meant, and what the same message says of others.
type HeldDetail struct {
	HeldMessage
	Raw        string          `json:"raw"`
	Candidates []CandidateView `json:"candidates"`
	Fax        string          `json:"fax" doc:"The fax of the laboratory that sent it, to give it back by; empty where it is not known"`
	Laboratory string          `json:"laboratory"`
	Until      string          `json:"until" doc:"The day on which what is given back comes back, as it is offered"`
	Others     []HeldMessage   `json:"others"`
}

// part finds a part of a message by its name.
func part(q *store.Q, id string) (store.Incoming, store.PartState, error) {
	p, ok := heldPart(id)
	if !ok {
		return store.Incoming{}, store.PartState{}, act.NotFound(store.ErrNotFound, "message")
	}
	m, err := q.IncomingByID(p.Inbox)
	if err != nil {
		return m, store.PartState{}, act.NotFound(err, "message")
	}
	parts, err := q.PartsIn([]int64{p.Inbox})
	for _, s := range parts {
		if s.MessagePart == p {
			return m, s, err
		}
	}
	if err == nil {
		err = act.NotFound(store.ErrNotFound, "message")
	}
	return m, store.PartState{}, err
}

// Held opens what is or was held of one patient.
func (a *Acts) Held(ctx context.Context, who act.Actor, id string) (out HeldDetail, err error) {
	err = a.Look(ctx, who, act.MatchResult, func(q *store.Q) error {
		m, state, err := part(q, id)
		if err != nil {
			return err
		}
		read := a.readable(m)
		out = HeldDetail{HeldMessage: a.heldView(m, read, state), Raw: strings.ToValidUTF8(strings.ReplaceAll(string(m.Raw), "\r", "\n"), "�"),
			Candidates: []CandidateView{}, Others: []HeldMessage{}, Until: a.Clock().In(a.Location).AddDate(0, 0, backDays).Format(time.DateOnly)}
		if lab := a.sentBy(m); lab != nil {
			out.Laboratory = lab.Name
			if a.Elsewhere.Fax != "" {
				out.Fax = lab.Fax
			}
		}
		if !out.Readable {
			return nil // that is what it is held for; its text is shown
		}
		parts, err := q.PartsIn([]int64{m.ID})
		if err != nil {
			return err
		}
		for _, other := range parts {
			if other.Part != state.Part {
				out.Others = append(out.Others, a.heldView(m, read, other))
			}
		}
		out.Candidates, err = a.candidates(q, read.Patients[state.Part-1].Patient)
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open quarantined message", "", out.ID)
	}
	return out, err
}

// candidates are the patients who may be meant by an identity, best first.
func (a *Acts) candidates(q *store.Q, meant outside.Identity) ([]CandidateView, error) {
	out := []CandidateView{}
	like, err := q.PatientsLike(meant.Family, meant.Given, outside.BirthsLike(meant.BirthDate), meant.Phone)
	if err != nil {
		return out, err
	}
	var records []string
	for _, n := range meant.Records {
		records = append(records, n.Number)
	}
	numbered, err := q.PatientsNumbered(records)
	if err != nil {
		return out, err
	}
	there := map[string]bool{}
	for _, p := range like {
		there[p.ID] = true
	}
	for _, p := range numbered {
		if !there[p.ID] {
			like = append(like, p)
		}
	}
	shown := map[string]bool{}
	for _, c := range outside.Candidates(like, meant, a.Facility, a.Nicknames, 5) {
		p, err := q.Person(c.Patient.ID) // who a merged record is about now
		if err != nil {
			return out, err
		}
		if shown[p.ID] {
			continue
		}
		shown[p.ID] = true
		v := CandidateView{a.Patient(p), c.Agree, c.Differ, append([]string{}, outside.Differences(p, meant, a.Facility)...)}
		if v.Differ == nil {
			v.Differ = []string{}
		}
		out = append(out, v)
	}
	return out, nil
}

// Attach files what is held in the chart a person says it belongs to. Where the patient
// differs from the one named, they say why it is theirs all the same.
func (a *Acts) Attach(ctx context.Context, who act.Actor, id, patient, why string) error {
	return a.Act(ctx, who, act.MatchResult, func(t *act.Tx) error {
		m, state, err := part(t.Q, id)
		if err != nil {
			return err
		}
		if state.State != result.Quarantined {
			return act.Refuse(act.Conflict, "Somebody has decided on this message already.")
		}
		p, err := t.PatientByID(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		var stopped *heldError
		read, err := a.read(m)
		if errors.As(err, &stopped) {
			return act.Refuse(act.Invalid, "It cannot be filed: %s", stopped.reason)
		} else if err != nil {
			return err
		}
		d := &decision{patientID: patient, owner: who.ID, by: who.ID, why: strings.TrimSpace(why)}
		if differs := outside.Differences(p, read.Patients[state.Part-1].Patient, a.Facility); len(differs) > 0 {
			if d.why == "" {
				return act.Refuse(act.Invalid, "The patient named differs in: %s. Say why it is %s %s all the same.", strings.Join(differs, ", "), p.Name.Given,
					p.Name.Family)
			}
			d.why = "Differs in " + strings.Join(differs, ", ") + ": " + d.why
		}
		if !act.May(who.Role, act.SignResult) {
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
		err = a.filePartSafely(t, m, read, state.Part, d)
		if errors.As(err, &stopped) {
			return act.Refuse(act.Invalid, "It cannot be filed: %s", stopped.reason)
		}
		if err != nil {
			return err
		}
		if err := decided(t, state.MessagePart, "attached", ""); err != nil {
			return err
		}
		return t.Audit("attach quarantined message", patient, heldID(state.MessagePart), d.why)
	})
}

// SetAside closes what is held and belongs to nobody here, with a reason.
func (a *Acts) SetAside(ctx context.Context, who act.Actor, id, reason string) error {
	if err := act.Allow(who, act.MatchResult); err != nil {
		return err
	}
	if strings.TrimSpace(reason) == "" {
		return act.Refuse(act.Invalid, "Give the reason for setting it aside.")
	}
	return a.Act(ctx, who, act.MatchResult, func(t *act.Tx) error {
		_, state, err := part(t.Q, id)
		if err != nil {
			return err
		}
		if state.State != result.Quarantined {
			return act.Refuse(act.Conflict, "Somebody has decided on this message already.")
		}
		if err := decided(t, state.MessagePart, "set aside", "Set aside by "+who.Name+": "+reason); err != nil {
			return err
		}
		return t.Audit("set quarantined message aside", "", heldID(state.MessagePart), "")
	})
}

// TakeUp makes what was set aside wait again.
func (a *Acts) TakeUp(ctx context.Context, who act.Actor, id string) error {
	return a.Act(ctx, who, act.MatchResult, func(t *act.Tx) error {
		m, state, err := part(t.Q, id)
		if err != nil {
			return err
		}
		if state.State == result.Quarantined {
			return nil // the same act again
		}
		if !strings.HasPrefix(state.Reason, "Set aside by ") {
			return act.Refuse(act.Conflict, "It is in a chart. Take it out there.")
		}
		if err := a.quarantine(t, state.MessagePart, "Taken up again by "+who.Name+". "+state.Reason, a.readable(m)); err != nil {
			return err
		}
		return t.Audit("take quarantined message up again", "", heldID(state.MessagePart), "")
	})
}

// readable is what can be read of a message, nothing where it cannot.
func (a *Acts) readable(m store.Incoming) hl7v2.Results {
	read, _ := hl7v2.ParseReports(m.Raw, a.Location)
	return read
}

// sealedLeaving is the sealed content that says that a report left a chart.
type sealedLeaving struct {
	Report  string `json:"report"`
	Title   string `json:"title"`
	Issue   int    `json:"issue"`
	Message string `json:"message"`
	Reason  string `json:"reason"`
}

// Detach takes a report, and what the same message said of the same person, out of a chart
// in which it does not belong. It waits again as it came; what was signed under it stays.
func (a *Acts) Detach(ctx context.Context, who act.Actor, report, reason string) error {
	if err := act.Allow(who, act.MatchResult); err != nil {
		return err
	}
	if reason = strings.TrimSpace(reason); reason == "" {
		return act.Refuse(act.Invalid, "Say why it does not belong in this chart.")
	}
	return a.Act(ctx, who, act.MatchResult, func(t *act.Tx) error {
		r, err := t.ReportByID(report)
		if err != nil {
			return act.NotFound(err, "report")
		}
		if r.VisitID != "" {
			return act.Refuse(act.Invalid, "It was done in the house. Correct it at its visit.")
		}
		if r.GoneAt != "" {
			return act.Refuse(act.Conflict, "It has left this chart already.")
		}
		gone := map[string]bool{}
		parts := map[store.MessagePart]bool{}
		if err := a.leave(t, r, reason, gone, parts); err != nil {
			return err
		}
		for p := range parts {
			m, err := t.IncomingByID(p.Inbox)
			if err != nil {
				return err
			}
			if err := a.quarantine(t, p, "Taken out of a chart by "+who.Name+": "+reason, a.readable(m)); err != nil {
				return err
			}
		}
		return nil
	})
}

// leave takes a report out of its chart, with all that came with it.
func (a *Acts) leave(t *act.Tx, r store.Report, reason string, gone map[string]bool, parts map[store.MessagePart]bool) error {
	if gone[r.ID] {
		return nil
	}
	gone[r.ID] = true
	from, err := t.PartsOfReport(r.ID)
	if err != nil {
		return err
	}
	if _, err := t.Seal(r.PatientID, "result left the chart", r.ID, 0, sealedLeaving{Report: r.ID, Title: r.Title, Issue: r.Issue,
		Message: heldID(from[0]), Reason: reason}); err != nil {
		return err
	}
	if err := errors.Join(t.ReportGone(r.ID, t.Now), t.CloseLine(line.Report, r.ID, t.Who.ID, "left this chart", t.Now)); err != nil {
		return err
	}
	if r.OrderID != "" {
		if err := a.Order.Settle(t, r.OrderID); err != nil {
			return err
		}
	}
	if err := errors.Join(a.unannounce(t, r), a.uncopy(t, r), a.Left(t, r)); err != nil {
		return err
	}
	tell(t, r)
	if err := t.Audit("take a report out of a chart", r.PatientID, r.ID, ""); err != nil {
		return err
	}
	for _, p := range from {
		parts[p] = true
		with, err := t.ReportsOfMessage(p.Inbox, p.Part)
		if err != nil {
			return err
		}
		for _, other := range with {
			if err := a.leave(t, other, reason, gone, parts); err != nil {
				return err
			}
		}
	}
	return nil
}
