package record

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"strconv"
	"strings"

	"deftledger/app/act"
	"deftledger/app/intake"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/outside"
	"deftledger/core/visit"
	"deftledger/store"
)

func itoa(n int) string { return strconv.Itoa(n) }

// Confirm keeps what the patient says of having been at a house. Nothing of a house that is not confirmed counts.
func (a *Acts) Confirm(ctx context.Context, who act.Actor, id, says, words string) error {
	words = chart.Tidy(words)
	return a.Act(ctx, who, act.Share, func(t *act.Tx) error {
		r, err := t.OutsideRecordByID(id)
		if err != nil {
			return act.NotFound(err, "record")
		}
		switch {
		case !slices.Contains([]string{"confirmed", "doubted", "refused"}, says):
			return act.Refuse(act.Invalid, "Confirmed, doubted or refused.")
		case says != "confirmed" && words == "":
			return act.Refuse(act.Invalid, "Say what the patient said.")
		}
		said, err := t.OutsideSources(r.PatientID)
		if err != nil {
			return err
		}
		if i := slices.IndexFunc(said, func(s store.OutsideSource) bool { return s.House == r.House }); i >= 0 && said[i].Says == says && said[i].Words == words && said[i].ByID == who.ID {
			return nil // the same act again
		}
		if err := t.AddOutsideSource(store.OutsideSource{PatientID: r.PatientID, House: r.House, Says: says, Words: words, ByID: who.ID, At: t.Now}); err != nil {
			return err
		}
		if says == "refused" && a.Refused != nil {
			if err := a.Refused(t, r.PatientID, r.ID, words); err != nil {
				return err
			}
		}
		t.Tell(act.PatientEvent, r.PatientID, r.PatientID)
		return t.Audit("say what the patient says of a house", r.PatientID, id, says)
	})
}

// EntryDecided is a decision on an entry of a record.
type EntryDecided struct {
	List     string           `json:"list" maxLength:"40"`
	Ref      string           `json:"ref" maxLength:"400"`
	Decision outside.Decision `json:"decision" enum:"take in,leave out,join,taken back"`
	Reason   string           `json:"reason,omitempty" maxLength:"1000" doc:"Needed to leave something out that is not certain, and to take a decision back"`
	Title    string           `json:"title,omitempty" maxLength:"300" doc:"Taken in with changes: what it is called here"`
	Detail   *string          `json:"detail,omitempty" maxLength:"600" doc:"Likewise"`
}

// Decide decides on an entry of a record.
func (a *Acts) Decide(ctx context.Context, who act.Actor, id string, d EntryDecided) (out RecordView, err error) {
	err = a.Act(ctx, who, act.DoIntake, func(t *act.Tx) error {
		v, r, err := a.open(t.Q, who, id)
		if err != nil {
			return err
		}
		all := append(slices.Clone(v.Entries), v.Others...)
		i := slices.IndexFunc(all, func(e RecordEntry) bool { return e.List == d.List && e.Ref == d.Ref })
		if i < 0 {
			return act.Refuse(act.Missing, "There is no such entry.")
		}
		if err := a.decide(t, r, v, all[i], d); err != nil {
			return err
		}
		out, _, err = a.open(t.Q, who, id)
		return err
	})
	return out, err
}

func (a *Acts) decide(t *act.Tx, r store.OutsideRecord, v RecordView, e RecordEntry, d EntryDecided) error {
	d.Reason = chart.Tidy(d.Reason)
	switch {
	case r.SignedBy != "":
		return act.Refuse(act.Conflict, "%s has signed it: what was decided stays, and the chart is changed as any other.", r.SignedBy)
	case d.Decision == takenBack && e.Decision == "":
		return nil
	case d.Decision == takenBack && d.Reason == "":
		return act.Refuse(act.Invalid, "Say why it is taken back.")
	case e.Decision == d.Decision:
		return nil // the same act again
	case d.Decision != takenBack && e.Decision != "":
		return act.Refuse(act.Conflict, "It was decided: %s (%s). Take that back first.", e.Decision, e.Decided)
	case v.Source.Says != "confirmed" && d.Decision != outside.LeaveOut:
		return act.Refuse(act.Conflict, "First say whether the patient was at %s.", r.House)
	case d.Decision != takenBack && !slices.Contains(a.may(t.Who, e), string(d.Decision)):
		return act.Refuse(act.Forbidden, "That is not yours to decide, or cannot be decided so.")
	case d.Decision == outside.LeaveOut && !e.Certain && d.Reason == "" && e.Stand != outside.Older && !e.None:
		return act.Refuse(act.Invalid, "Say why it is left out.")
	}
	kept := store.OutsideDecision{RecordID: r.ID, List: e.List, Ref: e.Ref, Content: e.hash, Decision: d.Decision, Reason: d.Reason, ByID: t.Who.ID, At: t.Now}
	if e.with != nil {
		kept.Became = e.with.ID
	}
	if d.Decision == outside.TakeIn {
		became, err := a.takeIn(t, r, e, d)
		if err != nil {
			return err
		}
		kept.Became = became
	}
	if d.Decision == takenBack {
		if err := a.takeOut(t, r, e, d.Reason); err != nil {
			return err
		}
	}
	return a.keepDecision(t, r, e, kept)
}

// keepDecision keeps a decision on an entry, and on those of other open records that say the same.
func (a *Acts) keepDecision(t *act.Tx, r store.OutsideRecord, e RecordEntry, kept store.OutsideDecision) error {
	if err := t.AddOutsideDecision(kept); err != nil {
		return err
	}
	if kept.Decision != takenBack {
		for _, o := range e.Also {
			with := kept
			with.RecordID, with.List, with.Ref, with.Content = o.Record, o.list, o.ref, o.hash
			with.Reason = strings.TrimSpace("Decided with the record of " + r.House + ". " + kept.Reason)
			if with.Decision == outside.TakeIn {
				with.Decision = outside.Join // it is in the chart once
			}
			if err := t.AddOutsideDecision(with); err != nil {
				return err
			}
			t.Tell(act.LineEvent, o.Record, r.PatientID)
		}
	}
	t.Tell(act.PatientEvent, r.PatientID, r.PatientID)
	t.Tell(act.LineEvent, r.ID, r.PatientID)
	return t.Audit("decide on an entry from elsewhere", r.PatientID, r.ID, string(kept.Decision)+" "+e.List)
}

// takeOut takes what an entry became out of the chart again, with the reason. What it took the place of stays ended: nobody can say that it
// is taken, or there, as before.
func (a *Acts) takeOut(t *act.Tx, r store.OutsideRecord, e RecordEntry, reason string) error {
	decided, err := t.OutsideDecisions(r.PatientID, r.House)
	if err != nil {
		return err
	}
	became := ""
	for _, d := range decided {
		if d.RecordID == r.ID && d.List == e.List && d.Content == e.hash {
			became = ""
			if d.Decision == outside.TakeIn {
				became = d.Became
			}
		}
	}
	if became == "" {
		return nil
	}
	why := "taken in from " + r.House + ", and taken back: " + reason
	switch e.List {
	case outside.Problems:
		if e.Status == outside.Ended {
			err = t.EndHistory(r.PatientID, became, t.Now, t.Who.ID, why)
			break
		}
		_, err = t.EndProblem(r.PatientID, e.item.CodeIn(outside.ICD10), a.Today())
	case outside.Medicines:
		err = t.StopMedicine(r.PatientID, became, a.Today(), why, t.Who.ID)
	case outside.Allergies:
		err = t.EndAllergy(r.PatientID, became, t.Now, t.Who.ID, why)
	case outside.Procedures, outside.Devices, outside.Encounters, outside.Social, outside.Family:
		err = t.EndHistory(r.PatientID, became, t.Now, t.Who.ID, why)
	case outside.Immunizations:
		_, err = t.TakeCareBack("record "+r.ID+" "+e.Ref, t.Who.ID, why, t.Now)
	case outside.Results, outside.Vitals:
		reports, err := t.ReportsIn([]string{became})
		if err != nil {
			return err
		}
		if len(reports) == 1 && len(reports[0].Values) > 1 {
			return act.Refuse(act.Conflict, "It stands in one report with %d other values: take the report out of the chart.", len(reports[0].Values)-1)
		}
		if err := t.ReportGone(became, t.Now); err != nil {
			return act.NotFound(err, "report")
		}
		return t.CloseLine(line.Report, became, t.Who.ID, why, t.Now)
	}
	if store.IsNotFound(err) {
		return nil // it was ended meanwhile
	}
	return err
}

// ends says whether an entry that is taken in takes the place of ours: not where both are facts, as two operations are.
func (e RecordEntry) ends() bool {
	return e.Stand == outside.Differs && e.with != nil && e.with.Ended == "" && !slices.Contains([]string{outside.Procedures, outside.Devices, outside.Encounters, outside.Family, outside.Immunizations}, e.List)
}

// takeIn makes an entry one of the chart, with its source. What it takes the place of is ended, with the reason.
func (a *Acts) takeIn(t *act.Tx, r store.OutsideRecord, e RecordEntry, d EntryDecided) (became string, err error) {
	title, detail := e.Title, e.Detail
	if d.Title != "" {
		title = chart.Tidy(d.Title)
	}
	if d.Detail != nil {
		detail = chart.Tidy(*d.Detail)
	}
	source := r.House
	if e.List == outside.Medicines && e.By != "" { // who prescribed it there
		source += ", " + e.By
	}
	day := e.item.Since
	if len(day) > 10 {
		day = a.DayOf(day)
	}
	why := "replaced by what " + r.House + " says"
	replaces := e.ends()
	v := store.Visit{Visit: visit.Visit{PatientID: r.PatientID}}
	if list := outside.HistoryList(e.item); list != "" {
		if list == chart.SocialList && d.Title == "" {
			title = outside.Topic(title)
		}
		if d.Detail == nil {
			detail = strings.TrimPrefix(strings.TrimSuffix(detail+"; "+e.Note, "; "), "; ")
		}
		if replaces {
			if err := t.EndHistory(r.PatientID, e.with.ID, t.Now, t.Who.ID, why); err != nil {
				return "", err
			}
		}
		return a.Intake.PutEntry(t, v, intake.NewEntry{List: list, Title: title, Detail: detail, Since: day, Until: short(e.item.Until), Source: source})
	}
	if e.Note != "" { // what is remarked there stays beside it
		source += "; remarked there: " + e.Note
	}
	switch e.List {
	case outside.Problems:
		if d.Title != "" || d.Detail != nil {
			return "", act.Refuse(act.Invalid, "A problem is called as its code says: take it in as it is, or put the right one on the list and join this to it.")
		}
		code := e.item.CodeIn(outside.ICD10)
		if code == "" {
			return "", act.Refuse(act.Invalid, "It has no code of ICD-10-CM: put the problem on the list by its code, and join this to it.")
		}
		coded, _, _, err := a.CheckCode(code, a.Today())
		if err != nil {
			return "", err
		}
		if replaces {
			if _, err := t.EndProblem(r.PatientID, e.with.Code, a.Today()); err != nil {
				return "", err
			}
		}
		id := act.NewID()
		_, err = t.AddProblem(chart.Problem{ID: id, PatientID: r.PatientID, Code: coded.Code, Title: coded.Title, Since: a.Today(), Onset: day})
		return id, err
	case outside.Medicines:
		if replaces {
			if err := t.StopMedicine(r.PatientID, e.with.ID, a.Today(), why, t.Who.ID); err != nil {
				return "", err
			}
		}
		became, err = a.Intake.PutEntry(t, v, intake.NewEntry{List: chart.MedicineList, Title: title, Detail: detail, Since: day, Source: source, Why: e.Reason, AsTyped: true})
		if err == nil && e.Status == outside.Ended { // it was taken, and is no more
			err = t.StopMedicine(r.PatientID, became, short(e.item.Until), "it had ended, as "+r.House+" says", t.Who.ID)
		}
		return became, err
	case outside.Allergies:
		if replaces {
			if err := t.EndAllergy(r.PatientID, e.with.ID, t.Now, t.Who.ID, why); err != nil {
				return "", err
			}
		}
		asItIs, severity := d.Detail == nil || *d.Detail == e.Detail, ""
		if slices.Contains([]string{"mild", "moderate", "severe"}, e.item.Severity) { // it has its own place
			severity = e.item.Severity
			if asItIs {
				detail = e.item.Reaction()
			}
		}
		if replaces { // what it does not say stays as it stood
			severity = cmp.Or(severity, e.with.Severity)
			if asItIs && detail == "" && e.with.Detail != "" {
				detail = e.with.Detail
				source += "; the reaction as it stood here"
			}
		}
		return a.Intake.PutEntry(t, v, intake.NewEntry{List: chart.AllergyList, Title: title, Detail: detail, Severity: severity, Certainty: e.item.Certainty, Source: source})
	}
	if measured(e.List) {
		return a.file(t, r, []RecordEntry{e})
	}
	id := act.NewID()
	lot := ""
	if strings.HasPrefix(detail, "lot ") {
		lot = detail
	}
	_, err = t.AddCare(store.CareEntry{ID: id, PatientID: r.PatientID, Kind: store.CareDose, Name: e.item.CodeIn(outside.CVX), Says: title, Reason: lot, Day: day, Source: source, Version: 1, ByID: t.Who.ID, At: t.Now,
		RequestID: "record " + r.ID + " " + e.Ref})
	return id, err
}

func short(day string) string { return day[:min(len(day), 10)] }

// SettleCertain settles in one act all that is certain: what is the same is joined, what is new and undisputed taken in.
func (a *Acts) SettleCertain(ctx context.Context, who act.Actor, id string) (out RecordView, err error) {
	err = a.Act(ctx, who, act.DoIntake, func(t *act.Tx) error {
		now, r, err := a.open(t.Q, who, id)
		if err != nil {
			return err
		}
		if err := a.settleValues(t, r, now); err != nil {
			return err
		}
		// What came in just before counts: after each the others are compared anew, until none is certain any more.
		for {
			if now, _, err = a.open(t.Q, who, id); err != nil {
				return err
			}
			i := slices.IndexFunc(now.Entries, func(e RecordEntry) bool {
				return e.Certain && e.Decision == "" && slices.Contains(e.May, string(settling(e)))
			})
			if i < 0 {
				out = now
				return nil
			}
			e := now.Entries[i]
			if err := a.decide(t, r, now, e, EntryDecided{List: e.List, Ref: e.Ref, Decision: settling(e)}); err != nil {
				return err
			}
		}
	})
	return out, err
}

// settleValues settles the certain values of a record: those that are the same are joined, the new ones of one moment are one report.
func (a *Acts) settleValues(t *act.Tx, r store.OutsideRecord, v RecordView) error {
	type moment struct{ list, at string }
	var order []moment
	fresh := map[moment][]RecordEntry{}
	for _, e := range v.Entries {
		if !e.Certain || e.Decision != "" || !measured(e.List) {
			continue
		}
		kept := store.OutsideDecision{RecordID: r.ID, List: e.List, Ref: e.Ref, Content: e.hash, Decision: settling(e), ByID: t.Who.ID, At: t.Now}
		if e.Stand == outside.Same {
			if e.with != nil {
				kept.Became = e.with.ID
			}
			if err := a.keepDecision(t, r, e, kept); err != nil {
				return err
			}
			continue
		}
		m := moment{e.List, e.item.Since}
		if fresh[m] == nil {
			order = append(order, m)
		}
		fresh[m] = append(fresh[m], e)
	}
	for _, m := range order {
		report, err := a.file(t, r, fresh[m])
		if err != nil {
			return err
		}
		for _, e := range fresh[m] {
			if err := a.keepDecision(t, r, e, store.OutsideDecision{RecordID: r.ID, List: e.List, Ref: e.Ref, Content: e.hash, Decision: outside.TakeIn, Became: report, ByID: t.Who.ID, At: t.Now}); err != nil {
				return err
			}
		}
	}
	return nil
}

// LeaveRest leaves what is still open of a list of values or procedures with the record: it is read there, and stands nowhere else.
func (a *Acts) LeaveRest(ctx context.Context, who act.Actor, id, list, reason string) (out RecordView, err error) {
	if err := act.Allow(who, act.DoIntake); err != nil {
		return out, err
	}
	reason = chart.Tidy(reason)
	switch {
	case !slices.Contains(onlyRead, list):
		return out, act.Refuse(act.Invalid, "Each entry of that list is decided by itself.")
	case reason == "":
		return out, act.Refuse(act.Invalid, "Say why they are only read with the record.")
	}
	err = a.Act(ctx, who, act.DoIntake, func(t *act.Tx) error {
		v, r, err := a.open(t.Q, who, id)
		if err != nil {
			return err
		}
		if r.SignedBy != "" {
			return act.Refuse(act.Conflict, "%s has signed it.", r.SignedBy)
		}
		for _, e := range v.Entries {
			if e.List != list || e.Decision != "" {
				continue
			}
			if err := a.keepDecision(t, r, e, store.OutsideDecision{RecordID: r.ID, List: e.List, Ref: e.Ref, Content: e.hash, Decision: outside.LeaveOut, Reason: reason, ByID: who.ID, At: t.Now}); err != nil {
				return err
			}
		}
		out, _, err = a.open(t.Q, who, id)
		return err
	})
	return out, err
}

// settling is the decision that settles an entry that is certain.
func settling(e RecordEntry) outside.Decision {
	if e.Stand == outside.Same {
		return outside.Join
	}
	return outside.TakeIn
}

// sealedRecord is the sealed content of a record signed as read.
type sealedRecord struct {
	Record  string        `json:"record"`
	House   string        `json:"house"`
	Title   string        `json:"title"`
	Version string        `json:"version"`
	Sum     string        `json:"sum"`
	Comment string        `json:"comment"`
	Entries []sealedEntry `json:"entries"`
}

type sealedEntry struct {
	List     string `json:"list"`
	Says     string `json:"says"`
	Decision string `json:"decision"`
}

// Sign signs a record as read, once every entry is decided; that closes its line. One that cannot be read is signed with words.
func (a *Acts) Sign(ctx context.Context, who act.Actor, id, comment, secret string) error {
	if err := act.Allow(who, act.SignResult); err != nil {
		return err
	}
	comment = chart.Tidy(comment)
	if err := a.OpenSigning(ctx, &who, secret); err != nil {
		return err
	}
	return a.Act(ctx, who, act.SignResult, func(t *act.Tx) error {
		v, r, err := a.open(t.Q, who, id)
		switch {
		case err != nil:
			return err
		case r.SignedBy != "" && r.SignedBy == who.Name && r.Comment == comment:
			return nil // the same act again
		case r.SignedBy != "":
			return act.Refuse(act.Conflict, "%s has signed it.", r.SignedBy)
		case r.Unreadable != "" && comment == "":
			return act.Refuse(act.Invalid, "It cannot be read here: say what was done about it.")
		case v.Source.Says == "" && r.Unreadable == "":
			return act.Refuse(act.Conflict, "First say whether the patient was at %s.", r.House)
		case v.Source.Says == "confirmed" && v.Open > 0:
			return act.Refuse(act.Conflict, "%s still open: decide each, then sign.", plural(v.Open, "entry is", "entries are"))
		case v.Source.Says != "confirmed" && comment == "" && r.Unreadable == "":
			return act.Refuse(act.Invalid, "The patient was not there, or is not sure: say what is done about it.")
		}
		sealed := sealedRecord{Record: r.ID, House: r.House, Title: r.Title, Version: r.Version, Sum: r.Sum, Comment: comment, Entries: []sealedEntry{}}
		for _, e := range v.Entries {
			sealed.Entries = append(sealed.Entries, sealedEntry{e.List, e.item.Says(), string(e.Decision)})
		}
		s, err := t.Seal(r.PatientID, "record from elsewhere", r.ID, 0, sealed)
		if err != nil {
			return err
		}
		if err := t.AddOutsideReview(r.ID, comment, who.ID, t.Now, s.Folio); err != nil {
			return err
		}
		if err := a.signValues(t, r); err != nil {
			return err
		}
		if err := t.CloseLine(line.Record, r.ID, who.ID, "signed as read", t.Now); err != nil {
			return err
		}
		t.Tell(act.LineEvent, r.ID, r.PatientID)
		t.Tell(act.PatientEvent, r.PatientID, r.PatientID)
		return t.Audit("sign a record from elsewhere", r.PatientID, r.ID, "")
	})
}

// handed is what is kept of a record that was handed on.
type handed struct {
	Record string `json:"record"`
	To     string `json:"to"`
	Words  string `json:"words"`
}

// HandOn gives an open record to somebody else, with what is to be done: they answer for it from then on, and hand it on again when they
// are done. It stays open until it is signed.
func (a *Acts) HandOn(ctx context.Context, who act.Actor, id, to, words string) error {
	if err := act.Allow(who, act.DoIntake); err != nil {
		return err
	}
	if words = chart.Tidy(words); words == "" {
		return act.Refuse(act.Invalid, "Say what is to be done.")
	}
	return a.Act(ctx, who, act.DoIntake, func(t *act.Tx) error {
		r, err := t.OutsideRecordByID(id)
		if err != nil {
			return act.NotFound(err, "record")
		}
		if r.SignedBy != "" {
			return act.Refuse(act.Conflict, "%s has signed it.", r.SignedBy)
		}
		s, err := t.StaffByID(to)
		switch {
		case err != nil:
			return act.NotFound(err, "person")
		case to == who.ID:
			return act.Refuse(act.Invalid, "You have it in hand already.")
		case !s.Active || !act.May(s.Role, act.DoIntake):
			return act.Refuse(act.Invalid, "%s %s cannot decide on records.", s.Given, s.Family)
		}
		body, err := json.Marshal(handed{r.ID, to, words})
		if err != nil {
			return err
		}
		key := act.NewID()
		if _, err := t.AddInquiry(store.Inquiry{ID: key, Kind: store.HandedOn, Source: "here", Origin: "record handed on " + r.ID + " " + key, PatientID: r.PatientID, OwnerID: to, ByID: who.ID, Said: body, At: t.Now}); err != nil {
			return err
		}
		if err := t.GiveLine(line.Record, r.ID, to); err != nil {
			return err
		}
		t.Tell(act.LineEvent, r.ID, r.PatientID)
		return t.Audit("hand a record on", r.PatientID, r.ID, "")
	})
}

// handedOn lists to whom a record was handed on, newest first.
func (a *Acts) handedOn(q *store.Q, r store.OutsideRecord, names map[string]string) (out []HandedOn, err error) {
	out = []HandedOn{}
	all, err := q.InquiriesAbout(store.HandedOn, r.PatientID)
	for _, i := range all {
		var x handed
		if err := json.Unmarshal(i.Said, &x); err != nil {
			return out, err
		}
		if x.Record == r.ID {
			out = append(out, HandedOn{i.By, names[x.To], x.Words, a.Say(i.At)})
		}
	}
	return out, err
}
