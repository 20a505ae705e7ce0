// Package record is the room of what other houses write of a patient: a record is kept as it came, set beside the chart entry by entry,
// decided on, and signed as read. Nothing of a house counts before the patient was asked whether they were there.
package record

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/app/intake"
	orders "deftledger/app/order"
	results "deftledger/app/result"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/outside"
	"deftledger/core/result"
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
	Span     string           `json:"span" doc:"From when to when, as it was said"`
	Status   string           `json:"status"`
	Codes    []outside.Code   `json:"codes"`
	Author   string           `json:"author"`
	Flag     string           `json:"flag" doc:"Of a value, as their laboratory marked it"`
	Said     string           `json:"said" doc:"The element of the narrative that says it"`
	None     bool             `json:"none"`
	Doubt    string           `json:"doubt"`
	Stand    outside.Stand    `json:"stand" enum:"the same,new,differs,conflicts,older than ours,not certain"`
	Ours     string           `json:"ours" doc:"The entry of the chart that it stands beside"`
	OursSays string           `json:"oursSays" doc:"What is said of it, and whether it has ended"`
	Differs  []string         `json:"differs"`
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
	Others   []RecordEntry   `json:"others" doc:"Entries of lists that are read with the record and not reconciled"`
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

// reconciled are the lists whose entries are decided one by one; others are read with the record.
var reconciled = []string{outside.Problems, outside.Allergies, outside.Medicines, outside.Immunizations, outside.Results, outside.Vitals, outside.Procedures}

func hashOf(i outside.Item) string {
	h := sha256.Sum256([]byte(strings.Join([]string{i.List, i.Title, i.Detail, i.Status, i.Span(), i.Doubt}, "\x1f")))
	return hex.EncodeToString(h[:12])
}

// spoken says from when to when an entry holds; a day as people say it, a year or month as it came.
func spoken(i outside.Item) string {
	for _, d := range []*string{&i.Since, &i.Until} {
		if len(*d) >= 10 {
			*d = chart.SayDay((*d)[:10])
		}
	}
	return i.Span()
}

// ours are the entries of the chart that a record is set beside.
func (a *Acts) ours(q *store.Q, p chart.Patient, r chart.Record) (out []outside.Ours, err error) {
	for _, x := range r.Problems {
		out = append(out, outside.Ours{ID: x.ID, List: outside.Problems, Title: x.Title, Code: x.Code, Since: x.Since, Ended: x.Ended})
	}
	for _, x := range r.Medicines {
		out = append(out, outside.Ours{ID: x.ID, List: outside.Medicines, Title: x.Name, Detail: x.Dose, Names: a.Medicines.Ingredients(x.Name), Since: x.Started})
	}
	stopped, err := q.StoppedMedicines(p.ID)
	for _, x := range stopped {
		out = append(out, outside.Ours{ID: x.ID, List: outside.Medicines, Title: x.Name, Detail: x.Dose, Names: a.Medicines.Ingredients(x.Name), Since: x.Started, Ended: act.OrUnknown(x.Stopped, "ended")})
	}
	for _, x := range r.Allergies {
		out = append(out, outside.Ours{ID: x.ID, List: outside.Allergies, Title: x.Substance, Detail: x.Reaction, Severity: x.Severity, Names: a.Intake.Allergen(x.Substance), None: x.Substance == ""})
	}
	for _, x := range r.Immunizations {
		day := x.On
		if day == "" {
			day = a.DayOf(store.Stamp(x.GivenAt))
		}
		out = append(out, outside.Ours{ID: x.ID, List: outside.Immunizations, Title: x.Name, Code: x.CVX, Since: day})
	}
	for _, x := range r.Histories {
		if x.List == chart.SurgicalList {
			out = append(out, outside.Ours{ID: x.ID, List: outside.Procedures, Title: x.Title, Detail: x.Detail, Since: x.Since})
		}
	}
	if err != nil {
		return out, err
	}
	vitals, err := q.VitalsOf(p.ID)
	if err != nil {
		return out, err
	}
	for _, x := range vitals {
		out = append(out, outside.Ours{ID: x.ID, List: outside.Vitals, Title: x.Name, Code: x.LOINC, Detail: x.Value, Unit: x.Unit, Since: a.Say(x.TakenAt)})
	}
	reports, err := q.ReportsOf(p.ID)
	for _, rep := range reports {
		for k, x := range rep.Values {
			if result.Live(x.Status) && x.LOINC != "" {
				out = append(out, outside.Ours{ID: rep.ID + " " + itoa(k), List: outside.Results, Title: x.Name + " of " + act.OrUnknown(rep.Performer, "a laboratory that is not named"), Code: x.LOINC, Detail: x.Text, Unit: x.Unit, Since: rep.CollectedAt})
			}
		}
	}
	return out, err
}

// Open opens a record: its entries beside the chart, the whole of it as its author laid it out. Looking is recorded and closes nothing.
func (a *Acts) Open(ctx context.Context, who act.Actor, id string) (out RecordView, err error) {
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		out, _, err = a.open(q, who, id)
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open a record from elsewhere", out.Patient.ID, id)
	}
	return out, err
}

func (a *Acts) row(r store.OutsideRecord) RecordRow {
	v := RecordRow{ID: r.ID, House: r.House, Title: r.Title, WrittenAt: r.WrittenAt, ReceivedAt: a.Say(r.ReceivedAt), Version: r.Version, Unreadable: r.Unreadable, SignedBy: r.SignedBy}
	if !r.SignedAt.IsZero() {
		v.SignedAt = a.Say(r.SignedAt)
	}
	return v
}

func (a *Acts) source(q *store.Q, patient, house string, names map[string]string) (v SaidOfHouse, err error) {
	v.House = house
	said, err := q.OutsideSources(patient)
	for _, s := range said {
		if s.House == house {
			return SaidOfHouse{house, s.Says, s.Words, names[s.ByID], a.Say(s.At)}, err
		}
	}
	return v, err
}

func (a *Acts) open(q *store.Q, who act.Actor, id string) (out RecordView, kept store.OutsideRecord, err error) {
	if kept, err = q.OutsideRecordByID(id); err != nil {
		return out, kept, act.NotFound(err, "record")
	}
	p, err := q.Person(kept.PatientID)
	if err != nil {
		return out, kept, err
	}
	names, err := q.StaffNames()
	if err != nil {
		return out, kept, err
	}
	out = RecordView{RecordRow: a.row(kept), Patient: a.Patient(p), Why: kept.Why, Entries: []RecordEntry{}, Others: []RecordEntry{}, Sections: []NarratedView{}, Files: []FileInRecord{}, Missed: []string{}, Handed: []HandedOn{}, HandTo: []MayGetIt{}, Comment: kept.Comment}
	if out.Source, err = a.source(q, p.ID, kept.House, names); err != nil {
		return out, kept, err
	}
	staff, err := q.AllStaff()
	if err != nil {
		return out, kept, err
	}
	for _, s := range staff {
		if s.Active && s.ID != who.ID && act.May(s.Role, act.DoIntake) {
			out.HandTo = append(out.HandTo, MayGetIt{s.ID, s.Name()})
		}
	}
	if out.Handed, err = a.handedOn(q, kept, names); err != nil {
		return out, kept, err
	}
	if kept.Unreadable != "" {
		out.Raw = strings.ToValidUTF8(string(kept.Raw[:min(len(kept.Raw), 200_000)]), "�")
		return out, kept, nil
	}
	read, err := a.reads.of(kept.Sum, kept.Raw)
	if err != nil {
		return out, kept, err
	}
	out.Author, out.From, out.To = read.Author, read.From, read.To
	out.Named = strings.TrimSpace(read.Patient.Given+" "+read.Patient.Family) + ", born " + act.OrUnknown(chart.SayDay(read.Patient.BirthDate), "on a day that is not said")
	out.Missed = append(out.Missed, read.Missed...)
	for _, s := range read.Sections {
		out.Sections = append(out.Sections, NarratedView{s.Title, s.HTML, s.Coded})
	}
	for i, f := range read.Files {
		out.Files = append(out.Files, FileInRecord{i, f.Type, len(f.Body)})
	}
	record, err := a.Order.Record(q, p.ID, a.Today())
	if err != nil {
		return out, kept, err
	}
	ours, err := a.ours(q, p, record)
	if err != nil {
		return out, kept, err
	}
	ours, values := byMoment(ours)
	decided, err := q.OutsideDecisions(p.ID, kept.House)
	if err != nil {
		return out, kept, err
	}
	others, err := a.besides(q, kept, record)
	if err != nil {
		return out, kept, err
	}
	was := 0 // entries that an earlier version settled
	for _, i := range read.Items {
		v := RecordEntry{List: i.List, Ref: i.Ref, Title: i.Title, Detail: i.Detail, Span: spoken(i), Status: i.Status, Codes: append([]outside.Code{}, i.Codes...), Author: i.Author, Said: i.Narrative, None: i.None,
			Doubt: i.Doubt, Differs: []string{}, Warnings: []safety.Warning{}, May: []string{}, Also: []Origin{}, hash: hashOf(i), item: i}
		if i.Value != "" { // as people read it
			shown := i
			shown.Unit = chart.ShownUnit(i.Unit)
			v.Detail, v.Flag = outside.Measured(shown), i.Flag
		}
		if !slices.Contains(reconciled, i.List) {
			v.Stand = outside.Unsure
			out.Others = append(out.Others, v)
			continue
		}
		near := ours
		if measured(i.List) {
			near = values.near(i)
		}
		theirs, warned := a.Intake.Theirs(i, record, "")
		c := outside.Compare(near, theirs, p.BirthDate, a.Today())
		if c.With != nil && len(warned) > 0 {
			theirs, warned = a.Intake.Theirs(i, record, c.With.ID)
			c = outside.Compare(near, theirs, p.BirthDate, a.Today())
		}
		v.theirs = theirs
		for _, o := range others[factKey(i)] {
			if outside.SameFact(o.theirs, theirs) {
				v.Also = append(v.Also, o.Origin)
			}
		}
		v.Stand, v.Certain, v.Why, v.Warnings, v.with = c.Stand, c.Certain && out.Source.Says == "confirmed", c.Why, append(v.Warnings, warned...), c.With
		v.Differs = append(v.Differs, c.Differs...)
		if c.With != nil {
			v.Ours, v.OursSays = c.With.Title, strings.TrimSpace(c.With.Detail+" "+chart.ShownUnit(c.With.Unit))
			if c.With.None {
				v.Ours = chart.AllergiesKind.None
			}
			if c.With.Ended != "" {
				v.OursSays = strings.TrimLeft(v.OursSays+", ended "+chart.SayDay(c.With.Ended), ", ")
			}
		}
		for _, d := range decided {
			if d.List != i.List || d.Content != v.hash {
				continue
			}
			v.Decision, v.Earlier = d.Decision, d.RecordID != id
			v.Decided = names[d.ByID] + ", " + chart.SayDay(a.DayOf(store.Stamp(d.At)))
			if d.Reason != "" {
				v.Decided += ": " + d.Reason
			}
			if d.Decision == takenBack {
				v.Decision, v.Decided, v.Earlier = "", "", false
			}
		}
		if v.Earlier && v.Decision != "" {
			was++
		}
		if v.Decision == "" {
			out.Open++
			if v.Certain {
				out.Certain++
			}
			v.May = a.may(who, v)
			if out.Source.Says != "confirmed" { // nothing of a house counts before
				v.May = slices.DeleteFunc(v.May, func(d string) bool { return d != string(outside.LeaveOut) })
			}
		}
		out.Entries = append(out.Entries, v)
	}
	stands := 0 // what came in before the patient said otherwise
	for _, e := range out.Entries {
		if e.Decision == outside.TakeIn && !e.Earlier {
			stands++
		}
	}
	switch {
	case stands > 0 && out.Source.Says != "confirmed":
		out.News = plural(stands, "entry", "entries") + " of it stand in the chart, although nobody says that the patient was there: take each back, or ask again."
	case was > 0:
		out.News = "An earlier version was settled; " + plural(out.Open, "entry is", "entries are") + " new or changed since."
	}
	return out, kept, nil
}

// beside is an entry of another open record of the patient.
type beside struct {
	Origin
	theirs outside.Theirs
}

// factKey is what two entries have in common that may say the same: their list, with the code where the code decides.
func factKey(i outside.Item) string {
	system := map[string]string{outside.Problems: outside.ICD10, outside.Immunizations: outside.CVX, outside.Results: outside.LOINC, outside.Vitals: outside.LOINC}[i.List]
	if system == "" {
		return i.List
	}
	key := i.List + " " + i.CodeIn(system)
	if measured(i.List) && len(i.Since) >= 4 {
		key += " " + i.Since[:4]
	}
	return key
}

// besides are the undecided entries of the other open records of the patient, of houses where they said they were.
func (a *Acts) besides(q *store.Q, kept store.OutsideRecord, record chart.Record) (out map[string][]beside, err error) {
	out = map[string][]beside{}
	all, err := q.OutsideRecordsOf(kept.PatientID)
	if err != nil {
		return nil, err
	}
	said, err := q.OutsideSources(kept.PatientID)
	if err != nil {
		return nil, err
	}
	for _, r := range all {
		i := slices.IndexFunc(said, func(s store.OutsideSource) bool { return s.House == r.House })
		if r.ID == kept.ID || r.SignedBy != "" || r.Unreadable != "" || i < 0 || said[i].Says != "confirmed" {
			continue
		}
		if !a.reads.has(r.Sum) {
			if r, err = q.OutsideRecordByID(r.ID); err != nil {
				return nil, err
			}
		}
		read, err := a.reads.of(r.Sum, r.Raw)
		if err != nil {
			continue // it says so where it is opened
		}
		decided, err := q.OutsideDecisions(r.PatientID, r.House)
		if err != nil {
			return nil, err
		}
		now := map[string]outside.Decision{}
		for _, d := range decided {
			now[d.List+d.Content] = d.Decision
		}
		for _, i := range read.Items {
			if d := now[i.List+hashOf(i)]; !slices.Contains(reconciled, i.List) || d != "" && d != takenBack {
				continue
			}
			theirs := outside.Theirs{Item: i, Checked: true}
			switch i.List {
			case outside.Medicines:
				theirs.Names = a.Medicines.Ingredients(i.Title)
			case outside.Allergies:
				theirs.Names = a.Intake.Allergen(i.Title)
			}
			out[factKey(i)] = append(out[factKey(i)], beside{Origin{Record: r.ID, House: r.House, Title: i.Title, Detail: strings.TrimLeft(strings.TrimSpace(i.Detail+", "+spoken(i)), ", "), list: i.List, ref: i.Ref, hash: hashOf(i)}, theirs})
		}
	}
	return out, nil
}

func plural(n int, one, many string) string {
	switch n {
	case 0:
		return "no " + one
	case 1:
		return "1 " + one
	}
	return itoa(n) + " " + many
}

// takenBack is a decision that somebody took back.
const takenBack outside.Decision = "taken back"

// may says what somebody may decide on an entry that is open: problems only by who keeps the problem list; an allergy is left out, or
// changed, by them alone; what a record denies or has ended is never taken in, because nothing of ours ends by it.
func (a *Acts) may(who act.Actor, v RecordEntry) (out []string) {
	out = []string{}
	signs := act.May(who.Role, act.EditProblems)
	if v.List == outside.Problems && !signs {
		return out
	}
	ends := v.None || v.Status == outside.Denied || v.Status == outside.NotGiven || v.Status == outside.NotDone || v.Status == outside.Ended && v.Stand != outside.Older
	changes := v.Stand == outside.Differs && v.List == outside.Allergies
	if !ends && v.Stand != outside.Same && (v.List != outside.Immunizations || len(v.item.Since) >= 10 && v.item.CodeIn(outside.CVX) != "") && (!changes || signs) && (!measured(v.List) || v.item.Value != "" && len(v.item.Since) >= 10) {
		out = append(out, string(outside.TakeIn))
	}
	if v.Ours != "" {
		out = append(out, string(outside.Join))
	}
	if v.List != outside.Allergies || signs || v.None {
		out = append(out, string(outside.LeaveOut))
	}
	return out
}

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
