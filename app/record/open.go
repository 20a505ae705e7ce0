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
	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/core/result"
	"deftledger/core/safety"
	"deftledger/store"
)

// reconciled are the lists whose entries are decided one by one; others are read with the record.
var reconciled = []string{outside.Problems, outside.Allergies, outside.Medicines, outside.Immunizations, outside.Results, outside.Vitals, outside.Procedures}

func hashOf(i outside.Item) string {
	parts := []string{i.List, i.Title, i.Detail, i.Status, i.Span(), i.Doubt}
	if i.Note+i.Reason+i.Certainty != "" { // as it was before these were read
		parts = append(parts, i.Note, i.Reason, i.Certainty)
	}
	h := sha256.Sum256([]byte(strings.Join(parts, "\x1f")))
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
	out = append(out, intake.OurHistories(r)...)
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
		out.Files = append(out.Files, FileInRecord{i, f.Title, f.Type, len(f.Body)})
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
		v := RecordEntry{List: i.List, Ref: i.Ref, Title: i.Title, Detail: i.Detail, Reason: i.Reason, Note: i.Note, Into: chart.ListName(outside.HistoryList(i)), Span: spoken(i), Status: i.Status, Codes: append([]outside.Code{}, i.Codes...), Author: i.Author, Said: i.Narrative, None: i.None,
			Doubt: i.Doubt, Differs: []string{}, Warnings: []safety.Warning{}, May: []string{}, Also: []Origin{}, hash: hashOf(i), item: i}
		if i.Author != read.Author {
			v.By = i.Author
		}
		if i.Value != "" { // as people read it
			shown := i
			shown.Unit = chart.ShownUnit(i.Unit)
			v.Detail, v.Flag = outside.Measured(shown), i.Flag
		}
		if !slices.Contains(reconciled, i.List) && outside.HistoryList(i) == "" {
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
		v.May, v.Ends = a.may(who, v), v.ends()
		if v.Decision != "" {
			v.May = []string{}
		} else if out.Source.Says != "confirmed" { // nothing of a house counts before
			v.May = slices.DeleteFunc(v.May, func(d string) bool { return d != string(outside.LeaveOut) })
		}
		if !slices.Contains(reconciled, i.List) { // may be taken in, and need not
			if v.Certain = false; v.Decision == "" {
				v.May = slices.DeleteFunc(v.May, func(d string) bool { return d == string(outside.LeaveOut) })
			}
			out.Others = append(out.Others, v)
			continue
		}
		if v.Earlier && v.Decision != "" {
			was++
		}
		if v.Decision == "" {
			out.Open++
			if v.Certain {
				out.Certain++
			}
		}
		out.Entries = append(out.Entries, v)
	}
	stands := 0 // what came in before the patient said otherwise
	for _, e := range append(slices.Clone(out.Entries), out.Others...) {
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

// may says what somebody may decide on an entry that is open: problems only by who keeps the problem list; an allergy is left out, or
// changed, by them alone; what a record denies or has ended is never taken in, because nothing of ours ends by it.
func (a *Acts) may(who act.Actor, v RecordEntry) (out []string) {
	out = []string{}
	signs := act.May(who.Role, act.EditProblems)
	if v.List == outside.Problems && !signs {
		return out
	}
	ends := v.None || v.Status == outside.Denied || v.Status == outside.NotGiven || v.Status == outside.NotDone ||
		v.Status == outside.Ended && v.Stand != outside.Older && (v.List == outside.Problems || v.List == outside.Medicines && v.Ours != "")
	if v.Status == outside.Ended && (v.List == outside.Allergies || v.List == outside.Medicines && v.item.Until == "") {
		ends = true // nobody knows since when it is no more
	}
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
