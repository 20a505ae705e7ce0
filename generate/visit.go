package generate

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/core/visit"
	"deftledger/store"
)

// visit writes one visit with all that comes of it, and says what follows later.
func (m *maker) visit(p *person, at time.Time) (later []event, err error) {
	if p.dead {
		return nil, nil
	}
	if !p.seen {
		if err := m.register(p, at); err != nil {
			return nil, err
		}
	}
	r, who, helper := p.rng, m.doctor(p), m.helper(p)
	age := p.ageAt(at)
	// What brings them: an illness that lasts, or something new.
	var lasting []*had
	for _, c := range p.conds {
		if !c.since.After(at) {
			lasting = append(lasting, c)
		}
	}
	var new complaint
	kind, reason := "Follow-up visit", ""
	var about []*had
	if len(lasting) > 0 && r.IntN(10) < 6 {
		for range 1 + r.IntN(min(3, len(lasting))) {
			if c := lasting[r.IntN(len(lasting))]; !slices.Contains(about, c) {
				about = append(about, c)
			}
		}
		e, _ := m.Codes.Lookup(about[0].code)
		reason = e.Title
	} else {
		new = complaints[r.IntN(len(complaints))]
		kind, reason = "Acute visit", new.reason
	}
	v := visit.Visit{ID: p.id(at), PatientID: p.ID, ClinicianID: who.ID, Day: at.In(m.Location).Format(time.DateOnly), StartsAt: at,
		Kind: kind, Reason: reason, Room: strconv.Itoa(1 + r.IntN(8)), Stage: visit.Done, StageAt: at.Add(40 * time.Minute)}
	unsigned := at.After(m.Until.AddDate(0, 0, -10)) && r.IntN(12) == 0
	if unsigned {
		v.Stage = visit.Finishing
	}
	if err := m.q.AddVisit(v); err != nil {
		return nil, err
	}
	m.counts.Visits++
	n := store.Note{ID: p.id(at), VisitID: v.ID, PatientID: p.ID, AuthorID: who.ID, CreatedAt: at}
	if err := m.q.AddNote(n); err != nil {
		return nil, err
	}
	m.counts.Lines++
	if err := m.q.OpenLine(p.id(at), line.Note, n.ID, p.ID, who.ID, line.InHand, at); err != nil {
		return nil, err
	}
	for _, c := range about {
		if !c.known {
			c.known = true
			e, _ := m.Codes.Lookup(c.code)
			if _, err := m.q.AddProblem(chart.Problem{ID: p.id(at), PatientID: p.ID, Code: c.code, Title: e.Title, Since: v.Day,
				Onset: c.since.Format("2006"), State: "active"}); err != nil {
				return nil, err
			}
			if len(c.takes) > 0 {
				x := c.takes[r.IntN(len(c.takes))]
				if err := m.q.AddMedicine(chart.Medicine{ID: p.id(at), PatientID: p.ID, Name: x[0], Dose: x[1], Started: v.Day, AddedBy: who.ID,
					AddedAt: at}); err != nil {
					return nil, err
				}
			}
		}
	}
	content, err := m.write(p, n, v, about, new, helper, at, age)
	if err != nil {
		return nil, err
	}
	if at.Sub(p.reviewed) > 300*24*time.Hour {
		p.reviewed = at
		for _, l := range []string{chart.MedicineList, chart.AllergyList, chart.PastList, chart.FamilyList, chart.SocialList} {
			if err := m.q.AddStatement(chart.Statement{ID: p.id(at), PatientID: p.ID, List: l, Says: "reviewed", StaffID: helper.ID, At: at,
				VisitID: v.ID}); err != nil {
				return nil, err
			}
		}
	}
	for _, a := range []string{"open chart", "start visit", "save note"} {
		if err := m.audit(at, who, a, p, n.ID); err != nil {
			return nil, err
		}
	}
	tests := slices.Clone(new.tests)
	for _, c := range about {
		tests = append(tests, c.tests...)
	}
	slices.Sort(tests)
	if tests = slices.Compact(tests); len(tests) > 0 && r.IntN(10) < 8 {
		events, err := m.order(p, v, content.Diagnoses, tests, at.Add(20*time.Minute))
		if err != nil {
			return nil, err
		}
		later = append(later, events...)
	}
	if age < 16 && r.IntN(3) == 0 || r.IntN(14) == 0 {
		x := m.Vaccines[r.IntN(len(m.Vaccines))]
		given := chart.Given{CVX: x.CVX, Maker: "Brightwater Biologics", Lot: fmt.Sprintf("L%04d", at.Year()*4+r.IntN(4)),
			Expires: at.AddDate(1, 0, 0).Format(time.DateOnly), Dose: x.Dose, Route: x.Route, Site: chart.Sites[x.Route][0], Sheet: "2025-01-31"}
		if _, err := m.q.AddImmunization(chart.Immunization{ID: p.id(at), PatientID: p.ID, VisitID: v.ID, Name: x.Name, Given: given, GivenAt: at,
			GivenBy: helper.ID}); err != nil {
			return nil, err
		}
	}
	if err := m.prevent(p, v.ID, helper.ID, at, age); err != nil {
		return nil, err
	}
	if r.IntN(30) == 0 {
		if err := m.q.AddDocument(store.Document{ID: p.id(at), PatientID: p.ID, NoteID: n.ID, Title: "Letter",
			PDF: []byte("%PDF-1.4\n% generated, without pages\n" + strings.Repeat("% ", 600)), MadeBy: who.ID, MadeAt: at,
			Form: "letter absence"}); err != nil {
			return nil, err
		}
	}
	if r.IntN(12) == 0 {
		f := store.FollowUp{ID: p.id(at), PatientID: p.ID, NoteID: n.ID, Due: at.AddDate(0, 2, 0).Format(time.DateOnly), Said: "in two months",
			Reason: reason, ClinicianID: who.ID, ByID: who.ID, At: at}
		if err := m.q.PutFollowUp(f); err != nil {
			return nil, err
		}
		if err := m.q.OpenLine(p.id(at), line.FollowUp, f.ID, p.ID, who.ID, line.Waiting, at); err != nil {
			return nil, err
		}
		if at.Before(m.Until.AddDate(0, -1, 0)) {
			if err := m.q.SettleFollowUp(f.ID, visit.Dropped, "", helper.ID, "The patient calls when it suits", at.AddDate(0, 0, 2)); err != nil {
				return nil, err
			}
			if err := m.q.CloseLine(line.FollowUp, f.ID, helper.ID, "dropped", at.AddDate(0, 0, 2)); err != nil {
				return nil, err
			}
		}
	}
	if age > 70 && r.IntN(160) == 0 {
		p.dead = true
	}
	if unsigned {
		return later, nil
	}
	signed := at.Add(35 * time.Minute)
	folio, err := m.seal(p, who, "note", n.ID, 0, content, signed)
	if err != nil {
		return nil, err
	}
	m.counts.Notes++
	if err := m.q.SignNote(n.ID, folio); err != nil {
		return nil, err
	}
	if err := m.q.CloseLine(line.Note, n.ID, who.ID, "signed", signed); err != nil {
		return nil, err
	}
	if err := m.audit(signed, who, "sign note", p, n.ID); err != nil {
		return nil, err
	}
	if r.IntN(60) == 0 {
		later = append(later, event{at: at.Add(26 * time.Hour).Unix(), do: func(m *maker, p *person, at time.Time) error {
			if at.After(m.Until) {
				return nil
			}
			_, err := m.seal(p, who, "amendment", n.ID, folio, map[string]string{"text": "Called the next day: as agreed, better."}, at)
			return err
		}})
	}
	if r.IntN(2500) == 0 {
		later = append(later, event{at: at.Add(50 * time.Hour).Unix(), do: func(m *maker, p *person, at time.Time) error {
			if at.After(m.Until) {
				return nil
			}
			f, err := m.seal(p, who, "retraction", n.ID, folio, map[string]string{"reason": "Written in the wrong chart.", "record": ""}, at)
			if err != nil {
				return err
			}
			return m.q.Retract(n.ID, f, "")
		}})
	}
	return later, nil
}

// write writes the note of a visit with its findings, diagnoses and vital signs, and
// returns what is sealed.
func (m *maker) write(p *person, n store.Note, v visit.Visit, about []*had, new complaint, helper act.Actor, at time.Time,
	age int) (note.Content, error) {
	r, who := p.rng, m.doctor(p)
	parts := map[note.Part]string{note.Subjective: new.says, note.Plan: new.plan}
	if p.dead {
		parts[note.Remarks] = "The family called: the patient died at home."
	}
	var ds []note.Diagnosis
	add := func(code string) {
		if e, ok := m.Codes.Lookup(code); ok && e.Billable {
			ds = append(ds, note.Diagnosis{Code: e.Code, Title: e.Title, Edition: m.Codes.Edition.Name})
		}
	}
	if new.code != "" {
		add(new.code)
	}
	for _, c := range about {
		add(c.code)
		parts[note.Subjective] = strings.TrimSpace(parts[note.Subjective] + " " + c.says)
		parts[note.Plan] = strings.TrimSpace(parts[note.Plan] + " " + c.plan)
	}
	parts[note.Assessment] = []string{"Stable.", "Better than last time.", "Not where we want it yet.", "As expected."}[r.IntN(4)]
	for _, part := range note.Parts {
		if text, ok := parts[part]; ok {
			if err := m.q.SavePart(n.ID, store.Part{Part: part, Text: text, Version: 1 + r.IntN(6), SaveID: p.id(at), SavedAt: at,
				SavedBy: who.ID}); err != nil {
				return note.Content{}, err
			}
		}
	}
	if err := m.q.SetDiagnoses(n.ID, ds, 1); err != nil {
		return note.Content{}, err
	}
	findings, err := m.find(p, new)
	if err != nil {
		return note.Content{}, err
	}
	if err := m.q.PutFindings(n.ID, findings, who.ID, at); err != nil {
		return note.Content{}, err
	}
	d := note.Draft{Typed: parts, Findings: findings}
	if d.Vitals, err = m.measure(p, v, helper, at, age); err != nil {
		return note.Content{}, err
	}
	months := age * 12
	d.Person = note.Person(age, months%12, p.Sex)
	blocks := m.Systems.Compose(d)
	share := note.Measure(blocks)
	return note.Content{Patient: p.Name.Given + " " + p.Name.Family, Record: p.Record, BirthDate: p.BirthDate, Kind: v.Kind,
		Visit: at.In(m.Location).Format(time.RFC3339), Reason: v.Reason,
		Parts: parts, Diagnoses: ds, Blocks: blocks, Findings: findings, Share: &share}, nil
}

// find asks about two systems and examines three.
func (m *maker) find(p *person, new complaint) ([]note.Finding, error) {
	r := p.rng
	var changes []note.Change
	for range 2 {
		x := m.Systems.Review[r.IntN(len(m.Systems.Review))]
		for range min(4, len(x.Symptoms)) {
			y := x.Symptoms[r.IntN(len(x.Symptoms))]
			if y.Sex != "" && y.Sex != p.Sex {
				continue
			}
			state := note.Absent
			if r.IntN(5) == 0 {
				state = note.Present
			}
			changes = append(changes, note.Change{Area: note.Review, System: x.ID, Finding: y.ID, State: state})
		}
	}
	if new.symptom != "" {
		changes = append(changes, note.Change{Area: note.Review, System: new.system, Finding: new.symptom, State: note.Present})
	}
	for range 3 {
		changes = append(changes, note.Change{Area: note.Examination, System: m.Systems.Examination[r.IntN(len(m.Systems.Examination))].ID,
			State: note.Normal})
	}
	return m.Systems.Apply(nil, changes, note.About{Sex: p.Sex})
}

// measure takes the vital signs.
func (m *maker) measure(p *person, v visit.Visit, helper act.Actor, at time.Time, age int) ([]note.Vital, error) {
	r := p.rng
	p.weight += r.NormFloat64() * 0.8
	weight, height := p.weight, p.height
	if age < 18 { // grows towards what they become
		share := float64(age+1) / 19
		weight, height = 4+weight*share*share, 50+(height-50)*share
	}
	treated := 0.0
	for _, c := range p.conds {
		if c.code == "I10" {
			treated = 12
		}
	}
	systolic := p.systolic + treated + r.NormFloat64()*9
	values := []struct{ loinc, value string }{
		{chart.BloodPressure, fmt.Sprintf("%d/%d", int(systolic), int(systolic*0.6+r.NormFloat64()*4))},
		{chart.Pulse, strconv.Itoa(int(72 + r.NormFloat64()*9))},
		{chart.Temperature, fmt.Sprintf("%.1f", 36.7+r.NormFloat64()*0.3)},
		{chart.Saturation, strconv.Itoa(min(100, int(97+r.NormFloat64()*1.4)))},
		{chart.Weight, fmt.Sprintf("%.1f", weight)},
	}
	if age < 18 || r.IntN(6) == 0 {
		values = append(values, struct{ loinc, value string }{chart.Height, fmt.Sprintf("%.1f", height)})
	}
	var out []note.Vital
	for _, x := range values {
		i := slices.IndexFunc(chart.VitalKinds, func(k chart.VitalKind) bool { return k.LOINC == x.loinc })
		k := chart.VitalKinds[i]
		if err := m.q.AddVital(chart.Vital{ID: p.id(at), PatientID: p.ID, LOINC: k.LOINC, Name: k.Name, Value: x.value, Unit: k.Unit, TakenAt: at,
			VisitID: v.ID, ByID: helper.ID, Origin: "device"}); err != nil {
			return nil, err
		}
		out = append(out, note.Vital{Name: k.Name, Value: x.value, Unit: chart.ShownUnit(k.Unit), Origin: note.FromDev})
	}
	return out, nil
}
