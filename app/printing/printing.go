package printing

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/result"
	"deftledger/exchange/fhir"
	"deftledger/exchange/pdf"
	"deftledger/exchange/table"
	"deftledger/store"
)

// most is how many reports go into one batch.
const most = 300

// NewBatch are reports that are to go on paper or out as a file together.
type NewBatch struct {
	ID      string   `json:"id" pattern:"^[A-Za-z0-9-]{8,64}$" doc:"Of the browser's making: the same selection sent again is one"`
	Reports []string `json:"reports" minItems:"1" maxItems:"300" doc:"In the order they are printed"`
}

// BatchRow is a batch in a list. Whose reports are in it is said where it is opened.
type BatchRow struct {
	ID       string     `json:"id"`
	By       string     `json:"by"`
	At       string     `json:"at"`
	Reports  int        `json:"reports"`
	Patients int        `json:"patients"`
	Made     []MadeView `json:"made" doc:"Oldest first"`
}

// MadeView is one making of a batch.
type MadeView struct {
	Form string `json:"form" enum:"pdf,fhir,csv"`
	By   string `json:"by"`
	At   string `json:"at"`
}

// BatchView is a batch with its cover list.
type BatchView struct {
	BatchRow
	Cover []CoverLine `json:"cover"`
}

// CoverLine is a report on the cover list.
type CoverLine struct {
	Report    string `json:"report"`
	Patient   string `json:"patient"`
	Given     string `json:"given"`
	Family    string `json:"family"`
	Record    string `json:"record"`
	Title     string `json:"title"`
	Collected string `json:"collected"`
	Newer     bool   `json:"newer" doc:"A newer issue has come since"`
	Gone      bool   `json:"gone" doc:"It has left the chart since, and is not printed again"`
}

// Print keeps a selection of reports as a batch, each in the issue it has now. Making it is another act, and closes nothing either.
func (a *Acts) Print(ctx context.Context, who act.Actor, x NewBatch) (out BatchView, err error) {
	if err := act.Allow(who, act.SeeResults); err != nil {
		return out, err
	}
	if len(x.Reports) == 0 || len(x.Reports) > most {
		return out, act.Refuse(act.Invalid, "Choose 1 to %d reports.", most)
	}
	err = a.Act(ctx, who, act.SeeResults, func(t *act.Tx) error {
		b := store.PrintBatch{ID: x.ID, ByID: who.ID, At: t.Now}
		for i, id := range x.Reports {
			if slices.Contains(x.Reports[:i], id) {
				continue
			}
			r, err := t.ReportByID(id)
			if err != nil {
				return act.NotFound(err, "report")
			}
			if r.GoneAt != "" {
				return act.Refuse(act.Conflict, "“%s” has left its chart and is not printed.", r.Title)
			}
			b.Reports = append(b.Reports, store.PrintedReport{Report: id, Issue: r.Issue})
		}
		added, err := t.AddPrintBatch(b)
		if err != nil {
			return err
		}
		if !added {
			old, err := t.PrintBatchByID(x.ID)
			if err != nil {
				return err
			}
			if old.ByID != who.ID {
				return act.Refuse(act.Conflict, "That batch is somebody else's.")
			}
		}
		out, err = a.view(t.Q, x.ID)
		return err
	})
	return out, err
}

// Batches lists what was printed, newest first, so many before a moment ("" for the newest).
func (a *Acts) Batches(ctx context.Context, who act.Actor, before string) (out []BatchRow, err error) {
	if err := act.Allow(who, act.SeeResults); err != nil {
		return nil, err
	}
	out = []BatchRow{}
	until := a.Clock().Add(time.Second)
	if before != "" {
		if until, err = time.Parse(time.RFC3339Nano, before); err != nil {
			return out, act.Refuse(act.Invalid, "That is no moment.")
		}
	}
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		batches, err := q.PrintBatches(until, 40)
		if err != nil {
			return err
		}
		out, err = a.rows(q, batches)
		return err
	})
	return out, err
}

func (a *Acts) rows(q *store.Q, batches []store.PrintBatch) ([]BatchRow, error) {
	names, err := q.StaffNames()
	if err != nil {
		return nil, err
	}
	ids := make([]string, len(batches))
	out := make([]BatchRow, len(batches))
	for i, b := range batches {
		ids[i] = b.ID
		out[i] = BatchRow{ID: b.ID, By: names[b.ByID], At: a.Say(b.At), Made: []MadeView{}}
	}
	reports, err := q.PrintedIn(ids)
	if err != nil {
		return nil, err
	}
	patients := map[[2]string]bool{}
	for _, r := range reports {
		i := slices.Index(ids, r.Batch)
		out[i].Reports++
		if key := [2]string{r.Batch, r.Patient}; !patients[key] {
			patients[key] = true
			out[i].Patients++
		}
	}
	events, err := q.PrintEventsOf(ids)
	for _, e := range events {
		i := slices.Index(ids, e.Batch)
		out[i].Made = append(out[i].Made, MadeView{e.Form, names[e.ByID], a.Say(e.At)})
	}
	return out, err
}

// Batch opens a batch: its cover list. It needs every chart of it.
func (a *Acts) Batch(ctx context.Context, who act.Actor, id string) (out BatchView, err error) {
	err = a.Look(ctx, who, act.SeeResults, func(q *store.Q) error {
		var err error
		out, err = a.view(q, id)
		return err
	})
	for _, c := range out.Cover {
		err = cmp.Or(err, a.Saw(ctx, who, "open a batch of results", c.Patient, id)) // one look of each patient
	}
	return out, err
}

func (a *Acts) view(q *store.Q, id string) (out BatchView, err error) {
	out.Cover = []CoverLine{}
	b, err := q.PrintBatchByID(id)
	if err != nil {
		return out, act.NotFound(err, "batch")
	}
	rows, err := a.rows(q, []store.PrintBatch{b})
	if err != nil {
		return out, err
	}
	out.BatchRow = rows[0]
	printed, err := q.PrintedIn([]string{id})
	if err != nil {
		return out, err
	}
	now, err := a.present(q, printed)
	if err != nil {
		return out, err
	}
	people := map[string]chart.Patient{}
	for _, r := range printed {
		of := now[r.Report].PatientID
		if _, there := people[of]; !there {
			if people[of], err = q.Person(of); err != nil {
				return out, err
			}
		}
		p := people[of]
		out.Cover = append(out.Cover, CoverLine{Report: r.Report, Patient: p.ID, Given: p.Name.Given, Family: p.Name.Family, Record: p.Record, Title: r.Title, Collected: r.Collected,
			Newer: now[r.Report].Issue != r.Issue, Gone: now[r.Report].GoneAt != ""})
	}
	return out, nil
}

// present are the reports of a batch as they are now.
func (a *Acts) present(q *store.Q, printed []store.PrintedReport) (map[string]store.Report, error) {
	ids := make([]string, len(printed))
	for i, r := range printed {
		ids[i] = r.Report
	}
	reports, err := q.ReportsIn(ids)
	out := map[string]store.Report{}
	for _, r := range reports {
		out[r.ID] = r
	}
	return out, err
}

// made are the reports of a batch, as they were when it was put together, with whose they are.
type made struct {
	by      string
	at      time.Time
	reports []store.Report
	newer   map[string]bool
	people  map[string]chart.Patient
}

// make reads a batch and keeps that it was made in some form. What has left its chart since is left out.
func (a *Acts) make(ctx context.Context, who act.Actor, id, form string) (out made, err error) {
	err = a.Act(ctx, who, act.SeeResults, func(t *act.Tx) error {
		out = made{by: who.Name, at: t.Now, newer: map[string]bool{}, people: map[string]chart.Patient{}}
		b, err := t.PrintBatchByID(id)
		if err != nil {
			return act.NotFound(err, "batch")
		}
		printed, err := t.PrintedIn([]string{b.ID})
		if err != nil {
			return err
		}
		now, err := a.present(t.Q, printed)
		if err != nil {
			return err
		}
		for _, x := range printed {
			if now[x.Report].GoneAt != "" {
				continue
			}
			r, err := t.ReportAt(x.Report, x.Issue)
			if err != nil {
				return err
			}
			out.newer[r.ID] = now[x.Report].Issue != x.Issue
			if _, there := out.people[r.PatientID]; !there {
				if out.people[r.PatientID], err = t.Person(r.PatientID); err != nil {
					return err
				}
				if err := t.Audit("give results out as "+form, r.PatientID, b.ID, ""); err != nil {
					return err
				}
			}
			out.reports = append(out.reports, r)
		}
		if len(out.reports) == 0 {
			return act.Refuse(act.Missing, "Every report of this batch has left its chart.")
		}
		return t.AddPrintEvent(store.PrintEvent{Batch: b.ID, Form: form, ByID: who.ID, At: t.Now})
	})
	return out, err
}

// PDF makes a batch on paper: a cover list, and each report in full, with what has to stand on one (42 CFR 493.1291(c)).
func (a *Acts) PDF(ctx context.Context, who act.Actor, id string) ([]byte, error) {
	m, err := a.make(ctx, who, id, "pdf")
	if err != nil {
		return nil, err
	}
	out := pdf.ReportBatch{Practice: a.Practice, By: m.by, At: a.Say(m.at)}
	for _, r := range m.reports {
		out.Reports = append(out.Reports, a.sheet(r, m.people[r.PatientID], m.newer[r.ID]))
	}
	return out.Render()
}

// sheet is a report as it stands on paper.
func (a *Acts) sheet(r store.Report, p chart.Patient, newer bool) pdf.ReportSheet {
	s := pdf.ReportSheet{Patient: p.Name.Given + " " + p.Name.Family, Born: chart.SayDay(p.BirthDate), Sex: p.Sex, Record: p.Record, Title: r.Title, Status: result.SayReport(r.Status),
		Collected: r.CollectedAt, Reported: cmp.Or(r.ReportedAt, "not stated"), Number: r.Filler, Notes: r.Notes, Newer: newer}
	if s.Collected == "" {
		s.Collected = cmp.Or(r.Details.CollectedSaid, "not stated")
	}
	for _, x := range r.Details.Specimens {
		s.Specimen = append(s.Specimen, x.Type)
		if x.Refused != "" {
			s.Condition = append(s.Condition, "refused: "+x.Refused)
		}
		if x.Condition != "" {
			s.Condition = append(s.Condition, x.Condition)
		}
	}
	var at []string
	for _, v := range r.Values {
		if l := strings.Join(nonEmpty(v.Details.Performer, v.Details.Address, v.Details.Director), ", "); l != "" && v.Details.Performer != r.Performer && !slices.Contains(at, l) {
			at = append(at, l)
		} else if v.Details.Address != "" {
			s.Address = v.Details.Address
		}
	}
	for _, l := range a.Laboratories {
		if s.Address == "" && l.Name != "" && strings.Contains(r.Performer, l.Name) {
			s.Address = l.Address
		}
	}
	s.Laboratory, s.Address, s.Elsewhere = cmp.Or(r.Performer, "not stated"), cmp.Or(s.Address, "address not stated"), at
	laid := result.Lay(r.Values, r.Details.Parent)
	text := func(list []result.Section) (out []pdf.Section) {
		for _, x := range list {
			out = append(out, pdf.Section{Heading: x.Heading, Text: x.Text})
		}
		return out
	}
	s.First, s.Sections = text(laid.First), text(laid.Sections)
	for _, i := range laid.Rows {
		v := r.Values[i]
		row := pdf.ReportValue{Name: strings.TrimSpace(v.Name + " " + v.Details.SubID), Text: cmp.Or(v.Text, "no value"), Unit: chart.ShownUnit(v.Unit), Range: v.Range, Flag: strings.ReplaceAll(v.Flag, "~", ", "),
			Notes: strings.Join(nonEmpty(result.SayStatus(v.Status), v.Notes, v.Details.Method), "; ")}
		s.Values = append(s.Values, row)
	}
	for _, c := range laid.Cultures {
		for _, d := range c.Drugs {
			v := r.Values[d.Row]
			s.Values = append(s.Values, pdf.ReportValue{Name: strings.TrimSpace(c.SubID+" "+cmp.Or(c.Organism, "organism not said")) + ": " + v.Name, Text: strings.TrimSpace(d.Letter + " " + d.Word),
				Range: strings.TrimSpace(v.Text + " " + chart.ShownUnit(v.Unit)), Notes: strings.Join(nonEmpty(result.SayStatus(v.Status), v.Notes), "; ")})
		}
	}
	for _, i := range laid.Attached {
		s.Files = append(s.Files, r.Values[i].Name)
	}
	return s
}

func nonEmpty(all ...string) []string {
	return slices.DeleteFunc(all, func(s string) bool { return s == "" })
}

// FHIR makes a batch as a Bundle of FHIR R4: each report a DiagnosticReport with its Observations.
func (a *Acts) FHIR(ctx context.Context, who act.Actor, id string) ([]byte, error) {
	m, err := a.make(ctx, who, id, "fhir")
	if err != nil {
		return nil, err
	}
	out := fhir.Results{At: m.at}
	for _, r := range m.reports {
		p := m.people[r.PatientID]
		out.Reports = append(out.Reports, fhir.ResultReport{ID: r.ID, Status: r.Status, Title: r.Title, LOINC: r.LOINC, Code: r.Code, Number: r.Filler, Collected: r.CollectedAt, Reported: r.ReportedAt,
			Performer: r.Performer, Notes: r.Notes, Values: r.Values,
			Patient: fhir.ClaimPatient{Record: p.Record, Family: p.Name.Family, Given: p.Name.Given, BirthDate: p.BirthDate, Gender: fhir.Gender(p.Sex)}})
	}
	return out.Build()
}

// CSV makes a batch as a table: a row for each value, as it was sent.
func (a *Acts) CSV(ctx context.Context, who act.Actor, id string) ([]byte, error) {
	m, err := a.make(ctx, who, id, "csv")
	if err != nil {
		return nil, err
	}
	rows := [][]string{{"record", "family", "given", "born", "report", "report status", "collected", "reported", "laboratory", "laboratory number", "analyte", "LOINC", "value", "unit", "range", "flag", "value status", "notes"}}
	for _, r := range m.reports {
		p := m.people[r.PatientID]
		head := []string{p.Record, p.Name.Family, p.Name.Given, p.BirthDate, r.Title, result.SayReport(r.Status), r.CollectedAt, r.ReportedAt, r.Performer, r.Filler}
		for _, v := range r.Values {
			rows = append(rows, append(slices.Clone(head), v.Name, v.LOINC, v.Text, v.Unit, v.Range, strings.ReplaceAll(v.Flag, "~", ", "), cmp.Or(result.SayStatus(v.Status), "final"), v.Notes))
		}
		if len(r.Values) == 0 {
			rows = append(rows, append(slices.Clone(head), "", "", "", "", "", "", "", r.Notes))
		}
	}
	return table.Write(rows)
}
