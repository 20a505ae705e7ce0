// Package record is the room of what other houses write of a patient: a record is kept as it came, set beside the chart entry by entry,
// decided on, and signed as read. Nothing of a house counts before the patient was asked whether they were there.
package record

import (
	"context"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/app/intake"
	orders "deftledger/app/order"
	results "deftledger/app/result"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/outside"
	"deftledger/core/safety"
	"deftledger/exchange/ccda"
	"deftledger/store"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Order  *orders.Acts
	Intake *intake.Acts
	Result *results.Acts
	// Refused is told that a patient was never at the house of a record; app sets it, because the room that sends it back stands above.
	Refused func(t *act.Tx, patient, record, words string) error

	reads readings
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, or *orders.Acts, i *intake.Acts, r *results.Acts) *Acts {
	return &Acts{Office: o, Order: or, Intake: i, Result: r}
}

// RecordRow is a record in a list.
type RecordRow struct {
	ID         string `json:"id"`
	House      string `json:"house"`
	Title      string `json:"title"`
	WrittenAt  string `json:"writtenAt"`
	ReceivedAt string `json:"receivedAt"`
	Version    string `json:"version"`
	Unreadable string `json:"unreadable" doc:"Why it cannot be read; empty where it can"`
	SignedBy   string `json:"signedBy"`
	SignedAt   string `json:"signedAt"`
}

// SaidOfHouse is what was said of having been at a house.
type SaidOfHouse struct {
	House string `json:"house"`
	Says  string `json:"says" enum:",confirmed,doubted,refused" doc:"Empty while nobody has asked"`
	Words string `json:"words"`
	By    string `json:"by"`
	At    string `json:"at"`
}

// RecordEntry is an entry of a record beside the chart.
type RecordEntry struct {
	List     string           `json:"list"`
	Ref      string           `json:"ref"`
	Title    string           `json:"title"`
	Detail   string           `json:"detail"`
	Reason   string           `json:"reason" doc:"Of a medicine: what it is for"`
	Note     string           `json:"note" doc:"What is remarked beside it in free words: it may say otherwise than the rest"`
	Into     string           `json:"into" doc:"The history of ours that it may be taken into; empty for another list"`
	Span     string           `json:"span" doc:"From when to when, as it was said"`
	Status   string           `json:"status"`
	Codes    []outside.Code   `json:"codes"`
	Author   string           `json:"author"`
	By       string           `json:"by" doc:"Who wrote this entry, where that is not the author of the record: of a medicine, who prescribed it"`
	Flag     string           `json:"flag" doc:"Of a value, as their laboratory marked it"`
	Said     string           `json:"said" doc:"The element of the narrative that says it"`
	None     bool             `json:"none"`
	Doubt    string           `json:"doubt"`
	Stand    outside.Stand    `json:"stand" enum:"the same,new,differs,conflicts,older than ours,not certain"`
	Ours     string           `json:"ours" doc:"The entry of the chart that it stands beside"`
	OursSays string           `json:"oursSays" doc:"What is said of it, and whether it has ended"`
	Differs  []string         `json:"differs"`
	Ends     bool             `json:"ends" doc:"Taken in, it takes the place of ours, which ends"`
	Certain  bool             `json:"certain"`
	Why      string           `json:"why"`
	Warnings []safety.Warning `json:"warnings"`
	Decision outside.Decision `json:"decision" enum:",take in,leave out,join"`
	Decided  string           `json:"decided" doc:"By whom and when, and why"`
	Earlier  bool             `json:"earlier" doc:"It was decided on an earlier version that said the same"`
	May      []string         `json:"may" doc:"What whoever asks may decide here"`
	Also     []Origin         `json:"also" doc:"Entries of other open records that say the same: one decision is about all"`
	hash     string
	item     outside.Item
	with     *outside.Ours
	theirs   outside.Theirs
}

// Origin is an entry of another record that says the same.
type Origin struct {
	Record string `json:"record"`
	House  string `json:"house"`
	Title  string `json:"title"`
	Detail string `json:"detail"`
	list   string
	ref    string
	hash   string
}

// NarratedView is a section as its author laid it out.
type NarratedView struct {
	Title string `json:"title"`
	HTML  string `json:"html" doc:"Made here from what a narrative may hold; harmless"`
	Coded int    `json:"coded"`
}

// RecordView is a record open on the page.
type RecordView struct {
	RecordRow
	Patient  act.PatientView `json:"patient"`
	Author   string          `json:"author"`
	From     string          `json:"from" doc:"The stay or visit that it is about"`
	To       string          `json:"to"`
	Named    string          `json:"named" doc:"The patient as the record names them"`
	Why      string          `json:"why" doc:"Why it is this patient's although the one named differs"`
	Source   SaidOfHouse     `json:"source"`
	Entries  []RecordEntry   `json:"entries"`
	Others   []RecordEntry   `json:"others" doc:"Entries that are read with the record and need no decision; of a history they may be taken in"`
	Sections []NarratedView  `json:"sections"`
	Files    []FileInRecord  `json:"files"`
	Missed   []string        `json:"missed"`
	Raw      string          `json:"raw" doc:"Only of a record that cannot be read"`
	Certain  int             `json:"certain" doc:"So many can be settled in one act"`
	Open     int             `json:"open" doc:"So many still ask"`
	Comment  string          `json:"comment"`
	Handed   []HandedOn      `json:"handed" doc:"To whom it was handed on, newest first"`
	HandTo   []MayGetIt      `json:"handTo" doc:"To whom it may be handed on"`
	News     string          `json:"news" doc:"What is new since the last version of it"`
}

// MayGetIt is a colleague who decides on records.
type MayGetIt struct {
	ID   string `json:"id"`
	Name string `json:"name"`
}

// HandedOn is that somebody gave a record to somebody else.
type HandedOn struct {
	By    string `json:"by"`
	To    string `json:"to"`
	Words string `json:"words"`
	At    string `json:"at"`
}

// FileInRecord is a file that came in the record.
type FileInRecord struct {
	Place int    `json:"place"`
	Title string `json:"title" doc:"As its author called it; empty where they did not"`
	Type  string `json:"type"`
	Size  int    `json:"size"`
}

// Received is what became of a record that was handed in.
type Received struct {
	ID    string `json:"id"`
	Again bool   `json:"again" doc:"The same record is here already"`
}

// Receive keeps a record that came as a file, in the chart of the patient whom the person means; where the record names somebody who
// differs they say why it is theirs all the same.
func (a *Acts) Receive(ctx context.Context, who act.Actor, patient string, raw []byte, why string) (out Received, err error) {
	if err := act.Allow(who, act.DoIntake); err != nil {
		return out, err
	}
	if err := fits(raw); err != nil {
		return out, err
	}
	sum, _, _ := a.reads.raw(raw) // before the transaction, which it would hold up
	err = a.Act(ctx, who, act.DoIntake, func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		named, differs := a.differs(p, sum, raw)
		if why = chart.Tidy(why); differs != "" && why == "" {
			return act.Refuse(act.Conflict, "The record names %s, who differs in: %s. Say why it is %s %s's all the same.", named, differs, p.Name.Given, p.Name.Family)
		}
		if differs != "" {
			why = "Differs in " + differs + ": " + why
		} else {
			why = ""
		}
		out, err = a.receive(t, p, sum, raw, why)
		return err
	})
	return out, err
}

// ReceiveShared keeps a record that an exchange sent of somebody linked, who is written there as the link says. One that names neither the
// patient nor them is not kept, unless somebody says why; then is told what became of it, with what differs.
func (a *Acts) ReceiveShared(ctx context.Context, who act.Actor, patient string, raw []byte, linked outside.Identity, why string, then func(t *act.Tx, record, differs string) error) (out Received, err error) {
	if err := fits(raw); err != nil {
		return out, err
	}
	sum, _, _ := a.reads.raw(raw)
	keep := func(f func(t *act.Tx) error) error { return a.Act(ctx, who, act.Share, f) }
	if who.ID == "" { // the application asks by itself
		keep = func(f func(t *act.Tx) error) error { return a.Write(ctx, who, f) }
	}
	err = keep(func(t *act.Tx) error {
		p, err := t.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		named, differs := a.differs(p, sum, raw)
		switch {
		case differs == "":
			why = ""
		case why != "":
			why = "Differs in " + differs + ": " + why
		case a.asLinked(sum, raw, linked):
			why = "Differs in " + differs + ": so the exchange writes whom the patient is linked with."
		default:
			return then(t, "", "It names "+named+", who differs in "+differs+".")
		}
		if out, err = a.receive(t, p, sum, raw, why); err != nil {
			return err
		}
		return then(t, out.ID, "")
	})
	return out, err
}

func fits(raw []byte) error {
	if len(raw) == 0 || len(raw) > ccda.MaxSize {
		return act.Refuse(act.Invalid, "The file is empty, or larger than %d MB.", ccda.MaxSize>>20)
	}
	return nil
}

// differs says whom a record names, and in what they differ from a patient; "" for nothing, or where it cannot be read.
func (a *Acts) differs(p chart.Patient, sum string, raw []byte) (named, differs string) {
	read, err := a.reads.of(sum, raw)
	if err != nil {
		return "", ""
	}
	named = strings.TrimSpace(read.Patient.Given+" "+read.Patient.Family) + ", born " + act.OrUnknown(chart.SayDay(read.Patient.BirthDate), "on a day that is not said")
	return named, strings.Join(outside.NotOf(p, read.Patient, a.Facility), ", ")
}

// asLinked says whether a record names somebody in the very words in which the exchange does.
func (a *Acts) asLinked(sum string, raw []byte, linked outside.Identity) bool {
	read, err := a.reads.of(sum, raw)
	return err == nil && linked.Family != "" && chart.Fold(read.Patient.Family) == chart.Fold(linked.Family) && chart.Fold(read.Patient.Given) == chart.Fold(linked.Given) &&
		read.Patient.BirthDate == linked.BirthDate && linked.BirthDate != ""
}

// receive keeps a record of a patient, and opens its line.
func (a *Acts) receive(t *act.Tx, p chart.Patient, sum string, raw []byte, why string) (out Received, err error) {
	read, unread := a.reads.of(sum, raw)
	r := store.OutsideRecord{ID: act.NewID(), PatientID: p.ID, House: act.OrUnknown(read.House, "a house that is not named"), Set: read.Set, Version: read.Version, Title: act.OrUnknown(read.Title, "Record"),
		WrittenAt: read.At, Sum: sum, Why: why, ByID: t.Who.ID, ReceivedAt: t.Now, Raw: raw}
	if r.Set == "" {
		r.Set = read.ID
	}
	if unread != nil {
		r.Unreadable, r.Title = unread.Error(), "A record that cannot be read"
	}
	for _, i := range read.Items {
		if i.List == outside.Allergies && !i.None && i.Status == outside.Active && grave(i) {
			r.Severe = append(r.Severe, store.Reported{Substance: i.Title, Reaction: i.Detail})
		}
	}
	there, err := t.OutsideRecordsOf(p.ID)
	if err != nil {
		return out, err
	}
	if i := slices.IndexFunc(there, func(x store.OutsideRecord) bool { return x.Sum == r.Sum }); i >= 0 {
		return Received{there[i].ID, true}, nil
	}
	if _, err := t.AddOutsideRecord(r); err != nil {
		return out, err
	}
	owner, err := a.owner(t, p.ID)
	if err != nil {
		return out, err
	}
	if err := t.OpenLine(act.NewID(), line.Record, r.ID, p.ID, owner, line.Open, t.Now); err != nil {
		return out, err
	}
	// A record can wait until what was measured today is read.
	if err := t.RankLine(line.Record, r.ID, line.Open, line.Preliminary); err != nil {
		return out, err
	}
	t.Tell(act.LineEvent, r.ID, p.ID)
	return Received{ID: r.ID}, t.Audit("receive a record from elsewhere", p.ID, r.ID, "")
}

// owner is who answers for what comes of a patient: the usual clinician, or everybody where that one has left.
func (a *Acts) owner(t *act.Tx, patient string) (string, error) {
	owner, err := t.UsualClinician(patient)
	if err != nil || owner == "" {
		return "", err
	}
	s, err := t.StaffByID(owner)
	if err != nil || !s.Active {
		return "", err
	}
	return owner, nil
}

// grave says whether an allergy is of the kind that is shown before anybody has decided on it.
func grave(i outside.Item) bool {
	words := strings.ToLower(i.Severity + " " + i.Detail)
	return slices.ContainsFunc([]string{"severe", "life threatening", "high criticality", "fatal", "anaphyl", "angioedema", "stevens", "necrolysis"}, func(w string) bool {
		return strings.Contains(words, w)
	})
}

// takenBack is a decision that somebody took back.
const takenBack outside.Decision = "taken back"

// RecordsOf are the records of a patient.
type RecordsOf struct {
	Patient act.PatientView `json:"patient"`
	Records []RecordRow     `json:"records"`
}

// Records lists the records of a patient, and the houses they came from.
func (a *Acts) Records(ctx context.Context, who act.Actor, patient string) (out RecordsOf, err error) {
	out.Records = []RecordRow{}
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		out.Patient = a.Patient(p)
		all, err := q.OutsideRecordsOf(p.ID)
		for _, r := range all {
			out.Records = append(out.Records, a.row(r))
		}
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "look at records from elsewhere", patient, "")
	}
	return out, err
}

// File gives a file out of a record, with its kind by its first bytes.
func (a *Acts) File(ctx context.Context, who act.Actor, id string, place int) (kind string, body []byte, err error) {
	var patient string
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		r, err := q.OutsideRecordByID(id)
		if err != nil {
			return act.NotFound(err, "record")
		}
		patient = r.PatientID
		read, err := a.reads.of(r.Sum, r.Raw)
		if err != nil || place < 0 || place >= len(read.Files) {
			return act.Refuse(act.Missing, "There is no such file.")
		}
		body = read.Files[place].Body
		kind = "application/octet-stream"
		if strings.HasPrefix(string(body), "%PDF-") {
			kind = "application/pdf"
		}
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "open a file of a record from elsewhere", patient, id)
	}
	return kind, body, err
}

// Lines are the kinds of open line of this room.
func (a *Acts) Lines() []act.LineKind {
	return []act.LineKind{{Kind: line.Record, List: act.ResultList, Right: act.DoIntake, Fill: func(q *store.Q, _ act.Actor, rows []*act.LineRow) error {
		all, err := q.OutsideRecordsIn(act.Subjects(rows))
		act.Describe(rows, all, func(r store.OutsideRecord) string { return r.ID }, func(row *act.LineRow, r store.OutsideRecord) {
			row.Title = r.Title + " of " + r.House
			row.Mark = "to decide"
			if r.Unreadable != "" {
				row.Mark, row.Grave = "cannot be read", true
			}
		})
		return err
	}}}
}
