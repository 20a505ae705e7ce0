package record

import (
	"crypto/sha256"
	"encoding/json"
	"slices"
	"strconv"
	"time"

	"deftledger/app/act"
	results "deftledger/app/result"
	"deftledger/core/outside"
	"deftledger/core/result"
	"deftledger/store"
)

// measured says whether an entry is a value of a list that is followed over the years.
func measured(list string) bool { return list == outside.Results || list == outside.Vitals }

// onlyRead are the lists whose entries may be left with the record all at once: they stand in it, and in no list of the chart.
var onlyRead = []string{outside.Results, outside.Vitals, outside.Procedures}

// moments are values of ours by LOINC and day, so that each of a long record is held against few.
type moments map[string][]outside.Ours

// byMoment parts the values of the chart from its lists.
func byMoment(ours []outside.Ours) (lists []outside.Ours, values moments) {
	values = moments{}
	for _, o := range ours {
		switch {
		case !measured(o.List):
			lists = append(lists, o)
		case len(o.Since) >= 10:
			values[o.Code+" "+o.Since[:10]] = append(values[o.Code+" "+o.Since[:10]], o)
		}
	}
	return lists, values
}

// near are the values that an item may be: of its quantity, and of its day or a neighbor of it, because a day is another elsewhere.
func (m moments) near(i outside.Item) (out []outside.Ours) {
	if len(i.Since) < 10 {
		return nil
	}
	day, err := time.Parse(time.DateOnly, i.Since[:10])
	if err != nil {
		return nil
	}
	for _, n := range []int{0, -1, 1} {
		out = append(out, m[i.CodeIn(outside.LOINC)+" "+day.AddDate(0, 0, n).Format(time.DateOnly)]...)
	}
	return out
}

// file makes values of one moment a report of the house that measured them: it is followed over the years and read by rules from then on,
// with the name of the house as who measured, so that it is never one of our laboratory's. It is announced to nobody and released to no
// portal: it is read with its record, and signed with it.
func (a *Acts) file(t *act.Tx, r store.OutsideRecord, entries []RecordEntry) (report string, err error) {
	first := entries[0].item
	title := "Results"
	if first.List == outside.Vitals {
		title = "Vital signs"
	}
	p := store.Report{PatientID: r.PatientID, Title: title + ", " + r.House, Status: "F", Issue: 1, ReceivedAt: t.Now, CollectedAt: first.Since, ReportedAt: r.WrittenAt, Performer: r.House, MatchedBy: t.Who.ID,
		Notes: "From the record “" + r.Title + "” of " + r.House + ", taken in by " + t.Who.Name + "."}
	var refs []string
	for _, e := range entries {
		i := e.item
		loinc := i.CodeIn(outside.LOINC)
		code := loinc
		if code == "" && len(i.Codes) > 0 {
			code = i.Codes[0].Code
		}
		if code == "" {
			code = i.Title
		}
		p.Values = append(p.Values, result.Value{Code: code, Name: i.Title, LOINC: loinc, Text: i.Value, Unit: i.Unit, Range: i.Range, Flag: i.Flag, Status: "F"})
		refs = append(refs, e.Ref)
	}
	if p.OwnerID, err = a.reader(t, r.PatientID); err != nil {
		return "", err
	}
	raw, err := json.Marshal(refs)
	if err != nil {
		return "", err
	}
	sum := sha256.Sum256(append([]byte(r.ID), raw...))
	p.ID = act.NewID()
	p.Source = result.Source("record "+r.ID, strconv.Itoa(len(refs)), "", p.ID, "")
	if p.InboxID, err = t.AddIncoming(store.Incoming{ReceivedAt: t.Now, Sender: "record|" + r.ID, Control: p.ID, Raw: raw, State: result.Filed}, "in a record from elsewhere", sum[:]); err != nil {
		return "", err
	}
	return p.ID, a.Result.FileElsewhere(t, p)
}

// reader is who answers for values that came in a record: the usual clinician, else who took them in where they sign, else whoever saw the
// patient last, else who took them in all the same.
func (a *Acts) reader(t *act.Tx, patient string) (string, error) {
	owner, err := a.owner(t, patient)
	if err != nil || owner != "" {
		return owner, err
	}
	if act.May(t.Who.Role, act.SignResult) {
		return t.Who.ID, nil
	}
	visits, err := t.VisitsOf(patient)
	if err != nil {
		return "", err
	}
	last := store.Visit{}
	for _, v := range visits {
		if v.StartsAt.After(last.StartsAt) {
			last = v
		}
	}
	if last.ClinicianID != "" {
		if s, err := t.StaffByID(last.ClinicianID); err != nil || s.Active {
			return last.ClinicianID, err
		}
	}
	return t.Who.ID, nil
}

// signValues signs the reports that were made of a record, with the record itself.
func (a *Acts) signValues(t *act.Tx, r store.OutsideRecord) error {
	made, err := a.made(t.Q, r)
	if err != nil || len(made) == 0 {
		return err
	}
	reports, err := t.ReportsIn(made)
	if err != nil {
		return err
	}
	for _, x := range reports {
		if x.GoneAt != "" || x.SignedIssue == x.Issue {
			continue
		}
		if _, err := a.Result.Sign(t, results.SignedResult{ReportID: x.ID, Issue: x.Issue, Version: x.Version, Comment: "Read with the record “" + r.Title + "” of " + r.House + ".", Told: "not told",
			ToldReason: "It was measured for " + r.House + "."}); err != nil {
			return err
		}
	}
	return nil
}

// made are the reports that stand in the chart because of a record.
func (a *Acts) made(q *store.Q, r store.OutsideRecord) (out []string, err error) {
	all, err := q.OutsideDecisions(r.PatientID, r.House)
	for _, d := range all {
		if d.RecordID == r.ID && measured(d.List) && d.Decision == outside.TakeIn && d.Became != "" && !slices.Contains(out, d.Became) {
			out = append(out, d.Became)
		}
	}
	return out, err
}
