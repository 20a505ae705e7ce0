package sharing

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/core/result"
	"deftledger/exchange/ccda"
	"deftledger/exchange/fhir"
	"deftledger/exchange/pdf"
	"deftledger/store"
)

// Forms in which a chart is given out.
const (
	CCDA = "C-CDA"
	FHIR = "FHIR"
	PDF  = "PDF"
)

// NewGiven is a copy of a chart that is to be given out.
type NewGiven struct {
	ID    string   `json:"id,omitempty" format:"uuid" doc:"Ours, so that asking again after a lost answer gives the same copy; one is made where there is none"`
	Whom  string   `json:"whom" enum:"patient,person,exchange" doc:"Who gets it: the patient, somebody else, or the exchange"`
	Name  string   `json:"name,omitempty" maxLength:"200" doc:"Of somebody else: who it is"`
	Why   string   `json:"why,omitempty" maxLength:"1000" doc:"Of somebody else: for what"`
	Form  string   `json:"form" enum:"C-CDA,FHIR,PDF"`
	Parts []string `json:"parts" maxItems:"20" doc:"Parts of the chart; none for all"`
	First string   `json:"first,omitempty" maxLength:"10" doc:"From a day on, of what happened on days"`
	Last  string   `json:"last,omitempty" maxLength:"10"`
}

// GivenCopy is a copy that was given out.
type GivenCopy struct {
	NewGiven
	By    string `json:"by"`
	At    string `json:"at"`
	Size  int    `json:"size"`
	Sum   string `json:"sum" doc:"SHA-256 of the copy"`
	Says  string `json:"says" doc:"Parts and days in words"`
	State string `json:"state" enum:",waiting,accepted,refused,withdrawn" doc:"Of one to the exchange"`
	Error string `json:"error"`
}

// GivenFile is a copy as it leaves.
type GivenFile struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Type string `json:"type"`
	File []byte `json:"file"`
}

// given is what is kept of a copy.
type given struct {
	NewGiven
	Size int    `json:"size"`
	Sum  string `json:"sum"`
}

// Give gives a copy of the chart out, and keeps that it was. To the patient it needs no consent to share (45 CFR 164.524), to others it
// does: it is asked for here, and again when what waits for the exchange goes.
func (a *Acts) Give(ctx context.Context, who act.Actor, patient string, n NewGiven) (out GivenFile, err error) {
	if err := act.Allow(who, act.GiveOut); err != nil {
		return out, err
	}
	n.Name, n.Why = chart.Tidy(n.Name), chart.Tidy(n.Why)
	n.Parts = append([]string{}, n.Parts...)
	switch {
	case !slices.Contains([]string{"patient", "person", "exchange"}, n.Whom):
		return out, act.Refuse(act.Invalid, "Say who gets it.")
	case n.Whom == "person" && (n.Name == "" || n.Why == ""):
		return out, act.Refuse(act.Invalid, "Say who gets it, and for what.")
	case !slices.Contains([]string{CCDA, FHIR, PDF}, n.Form), n.Whom == "exchange" && n.Form != FHIR:
		return out, act.Refuse(act.Invalid, "The exchange takes FHIR; people take C-CDA, FHIR or PDF.")
	case n.Whom == "exchange" && a.Elsewhere.Exchange == "":
		return out, act.Refuse(act.Conflict, "No exchange is connected.")
	}
	for _, p := range n.Parts {
		if !slices.ContainsFunc(outside.Parts, func(x outside.Part) bool { return x.ID == p }) {
			return out, act.Refuse(act.Invalid, "There is no part %q.", p)
		}
	}
	for _, d := range []string{n.First, n.Last} {
		if _, err := time.Parse(time.DateOnly, d); d != "" && err != nil {
			return out, act.Refuse(act.Invalid, "%q is no day.", d)
		}
	}
	if n.First != "" && n.Last != "" && n.First > n.Last {
		return out, act.Refuse(act.Invalid, "The time ends before it begins.")
	}
	n.ID = cmp.Or(n.ID, act.NewID())
	out.ID = n.ID
	now := a.Clock()
	// The copy is made before the transaction, which it would hold up; whether it may go is asked again in it.
	var kept outside.Keeper
	if err := a.Look(ctx, who, act.GiveOut, func(q *store.Q) error {
		p, was, at, err := a.mayGo(q, who, patient, n, now)
		if err != nil || was.Sum != "" && n.Whom == "exchange" {
			return err
		}
		if kept, err = a.keeperFor(q, p.ID, n.Whom); err != nil {
			return err
		}
		r, err := a.copyOf(q, p, kept, n)
		if err != nil {
			return err
		}
		r.ID, r.At, r.Author = n.ID, a.Say(at), who.Name
		return a.write(&out, r, n.Form, p)
	}); err != nil {
		return out, err
	}
	err = a.Act(ctx, who, act.GiveOut, func(t *act.Tx) error {
		p, was, _, err := a.mayGo(t.Q, who, patient, n, now)
		if err != nil {
			return err
		}
		if was.Sum != "" && n.Whom == "exchange" {
			return nil // it is on its way
		}
		k, err := a.keeperFor(t.Q, p.ID, n.Whom)
		if err != nil {
			return err
		}
		if !reflect.DeepEqual(k, kept) {
			return act.Refuse(act.Conflict, "What is held back has changed in this moment: give the copy again.")
		}
		hash := sha256.Sum256(out.File)
		sum := hex.EncodeToString(hash[:])
		switch was.Sum {
		case "":
		case sum:
			return nil // it is listed already
		default:
			return act.Refuse(act.Conflict, "The copy is listed as given out, and the chart has changed since: if it did not arrive, give another.")
		}
		body, err := json.Marshal(given{n, len(out.File), sum})
		if err != nil {
			return err
		}
		if _, err := t.AddInquiry(store.Inquiry{ID: n.ID, Kind: store.GivenOut, Source: "here", Origin: "given out " + n.ID, PatientID: p.ID, ByID: who.ID, Said: body, At: now}); err != nil {
			return err
		}
		if n.Whom == "exchange" {
			if err := a.send(t, p.ID, store.Outgoing{Control: out.ID, Kind: outGiven, Subject: out.ID, Body: out.File}); err != nil {
				return err
			}
			out.File = nil // it goes by itself
		}
		t.Tell(act.PatientEvent, p.ID, p.ID)
		return t.Audit("give the chart out", p.ID, out.ID, n.Form+", "+n.Whom)
	})
	return out, err
}

// mayGo says whether a copy may go out, and gives the one that was given out under the same identifier, where one was, and when: the answer
// was lost, and it is asked for again.
func (a *Acts) mayGo(q *store.Q, who act.Actor, patient string, n NewGiven, now time.Time) (p chart.Patient, was given, at time.Time, err error) {
	if p, err = q.Person(patient); err != nil {
		return p, was, now, act.NotFound(err, "patient")
	}
	if n.Whom != "patient" {
		ok, err := a.agrees(q, p.ID, Out)
		if err == nil && !ok {
			err = act.Refuse(act.Conflict, "The patient has not agreed that the chart goes out: nobody but they themselves gets a copy.")
		}
		if err != nil {
			return p, was, now, err
		}
	}
	if n.Whom == "exchange" {
		l, err := a.link(q, p.ID)
		if err == nil && l.State != Linked {
			err = act.Refuse(act.Conflict, "The patient is not linked with the exchange.")
		}
		if err != nil {
			return p, was, now, err
		}
	}
	i, err := q.InquiryByID(n.ID)
	if store.IsNotFound(err) {
		return p, was, now, nil
	}
	if err == nil {
		err = json.Unmarshal(i.Said, &was)
	}
	if err == nil && (i.Kind != store.GivenOut || i.PatientID != p.ID || i.ByID != who.ID || !reflect.DeepEqual(was.NewGiven, n)) {
		err = act.Refuse(act.Conflict, "Something else was given out under this identifier.")
	}
	return p, was, i.At, err
}

// keeperFor is what is held back from whom a copy is for: from the patient nothing.
func (a *Acts) keeperFor(q *store.Q, patient, whom string) (outside.Keeper, error) {
	if whom == "patient" {
		return outside.Keeper{}, nil
	}
	return a.Keeper(q, patient)
}

// copyOf is the part of a chart that is given out. To others it lacks what the patient wishes to hold back.
func (a *Acts) copyOf(q *store.Q, p chart.Patient, k outside.Keeper, n NewGiven) (outside.Record, error) {
	r, err := a.Whole(q, p)
	if err != nil {
		return r, err
	}
	r.Items = outside.Chosen(r.Items, n.Parts, n.First, n.Last)
	a.withhold(k, &r)
	for _, x := range []struct {
		part string
		with func(*store.Q, *outside.Record, outside.Keeper, string, NewGiven) error
	}{{outside.NotesPart, a.withNotes}, {outside.DocumentsPart, a.withDocuments}, {"results", a.withFiles}} {
		if len(n.Parts) > 0 && !slices.Contains(n.Parts, x.part) {
			continue
		}
		if err := x.with(q, &r, k, p.ID, n); err != nil {
			return r, err
		}
	}
	return r, nil
}

// withNotes puts in the signed notes as text, byte for byte where the form holds files.
func (a *Acts) withNotes(q *store.Q, r *outside.Record, k outside.Keeper, patient string, n NewGiven) error {
	told, err := a.Note.Told(q, patient)
	for _, x := range told {
		if !outside.Within(x.At, n.First, n.Last) || k.Why(a.tellsText(k, x.ID, outside.NotesPart, x.Title, x.Text)) != "" {
			continue
		}
		title := x.Title + ", " + chart.SayDay(a.DayOf(x.At)) + ", signed by " + x.By
		if n.Form == FHIR {
			r.Files = append(r.Files, outside.RecordFile{ID: x.ID, At: x.At, Type: "text/plain; charset=utf-8", Title: title, Body: []byte(x.Text)})
		} else {
			r.Sections = append(r.Sections, outside.Narrated{Code: "11506-3", Title: title, HTML: x.Text})
		}
	}
	return err
}

// withDocuments puts in the documents as they are; a form that holds none names them.
func (a *Acts) withDocuments(q *store.Q, r *outside.Record, k outside.Keeper, patient string, n NewGiven) error {
	all, err := q.DocumentsOf(patient)
	if err != nil {
		return err
	}
	var names []string
	for _, d := range all {
		day := a.DayOf(store.Stamp(d.MadeAt))
		if !outside.Within(day, n.First, n.Last) || k.Why(a.tellsText(k, d.ID, outside.DocumentsPart, d.Title, "")) != "" {
			continue
		}
		names = append(names, d.Title+", "+chart.SayDay(day))
		if n.Form == FHIR {
			whole, err := q.DocumentByID(d.ID)
			if err != nil {
				return err
			}
			r.Files = append(r.Files, outside.RecordFile{ID: d.ID, At: store.Stamp(d.MadeAt), Type: "application/pdf", Title: names[len(names)-1], Body: whole.PDF})
		}
	}
	if n.Form != FHIR && len(names) > 0 {
		r.Sections = append(r.Sections, outside.Narrated{Title: "Documents that are not in this copy, and can be asked for", HTML: strings.Join(names, "\n")})
	}
	return nil
}

// withFiles puts in the files that came with results, as they came; a form that holds none names them.
func (a *Acts) withFiles(q *store.Q, r *outside.Record, k outside.Keeper, patient string, n NewGiven) error {
	reports, err := a.given(q, patient)
	if err != nil {
		return err
	}
	var names []string
	for _, rep := range reports {
		if !outside.Within(rep.CollectedAt, n.First, n.Last) {
			continue
		}
		for _, f := range filesOf(rep) {
			if k.Why(unread(rep.ID, f)) != "" {
				continue
			}
			names = append(names, f.Title)
			if n.Form != FHIR {
				continue
			}
			if f.Body, err = a.Result.FileOf(q, rep, f.sum); err != nil {
				return err
			}
			r.Files = append(r.Files, f.RecordFile)
		}
	}
	if n.Form != FHIR && len(names) > 0 {
		r.Sections = append(r.Sections, outside.Narrated{Title: "Files of results that are not in this copy, and can be asked for", HTML: strings.Join(names, "\n")})
	}
	return nil
}

// reportFile is a file that came with a report, without its bytes.
type reportFile struct {
	outside.RecordFile
	sum string
}

// unread is such a file for whoever keeps things back: its words are not known.
func unread(report string, f reportFile) outside.Told {
	return outside.Told{Ref: report, Parts: []string{"results"}, Text: f.Title, Unread: true}
}

func filesOf(rep store.Report) (out []reportFile) {
	for _, v := range rep.Values {
		for _, f := range v.Details.Attached {
			if f.Sum == "" || f.Wrong != "" || !result.Live(v.Status) {
				continue
			}
			title := rep.Title
			if day := rep.CollectedAt[:min(10, len(rep.CollectedAt))]; day != "" {
				title += ", " + chart.SayDay(day)
			}
			out = append(out, reportFile{outside.RecordFile{ID: rep.ID + "." + f.Sum[:16], At: store.Stamp(rep.ReceivedAt), Type: f.Type, Title: strings.TrimSuffix(title+", of "+rep.Performer, ", of ")}, f.Sum})
		}
	}
	return out
}

func (a *Acts) write(out *GivenFile, r outside.Record, form string, p chart.Patient) (err error) {
	switch form {
	case CCDA:
		out.Name, out.Type, out.File = "summary-of-care.xml", "application/xml", ccda.Write(r, ccda.Custodian{Name: a.Practice, Telephone: a.Telephone})
	case FHIR:
		out.Name, out.Type = "summary-of-care.json", "application/fhir+json"
		out.File, err = fhir.WriteRecord(r)
	case PDF:
		out.Name, out.Type = "summary-of-care.pdf", "application/pdf"
		out.File, err = pdf.Render(a.onPaper(r, p))
	}
	return err
}

// onPaper is a copy as people read it.
func (a *Acts) onPaper(r outside.Record, p chart.Patient) pdf.Document {
	d := pdf.Document{Practice: a.Practice, Title: "Copy of the chart", Subtitle: "as of " + chart.SayDay(a.Today()), Patient: p.Name.Given + " " + p.Name.Family,
		Identity: "born " + chart.SayDay(p.BirthDate) + ", record " + p.Record, Unsigned: true}
	var e pdf.Entry
	for _, part := range outside.Parts {
		var lines []string
		for _, i := range r.Items {
			if slices.Contains(part.Lists, i.List) {
				lines = append(lines, saidOnPaper(i))
			}
		}
		if len(lines) > 0 {
			e.Sections = append(e.Sections, pdf.Section{Heading: part.Title, Text: strings.Join(lines, "\n")})
		}
	}
	for _, s := range r.Sections {
		e.Sections = append(e.Sections, pdf.Section{Heading: s.Title, Text: s.HTML})
	}
	d.Entries = []pdf.Entry{e}
	return d
}

// saidOnPaper is an entry in one line, with days as people say them.
func saidOnPaper(i outside.Item) string {
	for _, d := range []*string{&i.Since, &i.Until} {
		if len(*d) > 10 {
			*d = chart.SayDay((*d)[:10]) + " " + (*d)[11:16]
		} else if *d != "" {
			*d = chart.SayDay(*d)
		}
	}
	if i.Value != "" {
		i.Unit = chart.ShownUnit(i.Unit)
		i.Detail = outside.Measured(i)
	}
	out := i.Says()
	if i.Status == outside.Ended && i.Until == "" {
		out += ", ended"
	}
	return out
}

// gives lists what was given out of a chart, newest first.
func (a *Acts) gives(q *store.Q, patient string) (out []GivenCopy, err error) {
	all, err := q.InquiriesAbout(store.GivenOut, patient)
	if err != nil {
		return nil, err
	}
	out = []GivenCopy{}
	for _, i := range all {
		var g given
		if err := json.Unmarshal(i.Said, &g); err != nil {
			return nil, err
		}
		v := GivenCopy{NewGiven: g.NewGiven, By: i.By, At: a.Say(i.At), Size: g.Size, Sum: g.Sum, Says: saysParts(g.NewGiven)}
		v.ID = i.ID
		if g.Whom == "exchange" {
			o, state, err := q.OutgoingByControl(i.ID)
			if err != nil {
				return nil, err
			}
			v.State, v.Error = state, o.LastError
		}
		out = append(out, v)
	}
	return out, nil
}

func saysParts(n NewGiven) string {
	var names []string
	for _, p := range outside.Parts {
		if slices.Contains(n.Parts, p.ID) {
			names = append(names, strings.ToLower(p.Title))
		}
	}
	says := "the whole chart"
	if len(names) > 0 {
		says = strings.Join(names, ", ")
	}
	switch {
	case n.First != "" && n.Last != "":
		says += fmt.Sprintf(", %s to %s", chart.SayDay(n.First), chart.SayDay(n.Last))
	case n.First != "":
		says += ", from " + chart.SayDay(n.First)
	case n.Last != "":
		says += ", until " + chart.SayDay(n.Last)
	}
	return says
}

// Destinations is the exchange as the outbox sends to it.
func (a *Acts) Destinations() []act.Destination {
	return []act.Destination{{
		Name: queue,
		Off:  func() bool { return a.Elsewhere.Exchange == "" },
		Deliver: func(ctx context.Context, o store.Outgoing) ([]byte, string, error) {
			if o.Kind == outBack {
				refused, err := fhir.Hand(ctx, "exchange", a.Elsewhere.Exchange, "/fhir/Communication/", o.Control, "application/fhir+json", o.Body, nil)
				return nil, refused, err
			}
			// What was agreed to when it was given may have been withdrawn meanwhile.
			agreed := false
			if err := a.Store.Read(ctx, func(q *store.Q) error {
				i, err := q.InquiryByID(o.Subject)
				if err != nil {
					return err
				}
				agreed, err = a.agrees(q, i.PatientID, Out)
				return err
			}); err != nil {
				return nil, "", err
			}
			if !agreed {
				return nil, "the patient no longer agrees that the chart goes out", nil
			}
			refused, err := fhir.Hand(ctx, "exchange", a.Elsewhere.Exchange, "/fhir/Bundle/", o.Control, "application/fhir+json", o.Body, nil)
			return nil, refused, err
		},
		Settled: a.taken,
	}}
}
