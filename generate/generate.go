// Package generate makes a practice of any size: coherent, invented people with years of
// visits, signed notes, values, orders and open lines. It is for measuring the program at
// the size of a real practice, writes the rows that the acts of the application would
// write, sealed under the practice's own key, and is the same for the same seed and day.
package generate

import (
	"container/heap"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"math"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/coding"
	"deftledger/core/ledger"
	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/core/result"
	"deftledger/store"
)

// Password and Secret open every account of a generated practice.
const (
	Password = "ferry-at-seven"
	Secret   = "kittiwake"
)

// Config is what a practice is generated from.
type Config struct {
	Store      *store.Store
	Keys       *act.Keys
	Patients   int
	Seed       uint64
	Until      time.Time // "now" of the practice
	Location   *time.Location
	Laboratory order.Laboratory
	Systems    *note.Systems
	Codes      *coding.Catalogue
	Vaccines   []chart.Vaccine
	Progress   func(done, all int64)
}

// Counts says what was made.
type Counts struct {
	Patients, Visits, Notes, Orders, Reports, Values, Entries, Lines int
}

// years is how far back the practice goes.
const years = 8

// Logins of the people who sign in: physician1 and so on, nurse1, assistant1, desk1, admin.
func staff(n int) (physicians, nurses, assistants, desks int) {
	physicians = max(2, n/4000)
	return physicians, max(1, physicians/2), physicians, max(1, physicians/3)
}

type maker struct {
	Config
	q       *store.Q
	counts  Counts
	people  []*person
	staff   []act.Actor // physicians first
	doctors int
	tests   map[string]order.Test
	last    ledger.Entry
	heads   []ledger.Head // to be witnessed after the commit
	placer  int
	filler  int
}

// event is something that happens to somebody at a moment.
type event struct {
	at  int64 // Unix seconds
	who int32
	do  func(m *maker, p *person, at time.Time) error // nil: a visit
}

type queue []event

func (q queue) Len() int { return len(q) }
func (q queue) Less(i, j int) bool {
	return q[i].at < q[j].at || q[i].at == q[j].at && q[i].who < q[j].who
}
func (q queue) Swap(i, j int) { q[i], q[j] = q[j], q[i] }
func (q *queue) Push(x any)   { *q = append(*q, x.(event)) }
func (q *queue) Pop() any {
	old := *q
	e := old[len(old)-1]
	*q = old[:len(old)-1]
	return e
}

// Fill writes the practice into an empty store.
func Fill(ctx context.Context, c Config) (Counts, error) {
	m := &maker{Config: c, tests: map[string]order.Test{}, placer: 10000}
	for _, t := range c.Laboratory.Tests {
		m.tests[t.Code] = t
	}
	defer debug.SetGCPercent(debug.SetGCPercent(400)) // memory for time
	if err := c.Store.Bulk(ctx); err != nil {
		return m.counts, err
	}
	if err := m.hire(ctx); err != nil {
		return m.counts, err
	}
	m.people = people(c.Patients, m.doctors, c.Seed, c.Until)
	m.counts.Patients = len(m.people)
	visits := m.calendar()
	all := int64(len(visits))
	var later queue
	done := int64(0)
	for len(visits) > 0 || len(later) > 0 {
		err := c.Store.Write(ctx, func(q *store.Q) error {
			m.q = q
			for range 3000 {
				var e event
				switch {
				case len(visits) > 0 && (len(later) == 0 || visits[0].at <= later[0].at):
					e, visits = visits[0], visits[1:]
					done++
				case len(later) > 0:
					e = heap.Pop(&later).(event)
				default:
					return nil
				}
				p, at := m.people[e.who], time.Unix(e.at, 0).UTC()
				if e.do != nil {
					if err := e.do(m, p, at); err != nil {
						return err
					}
					continue
				}
				next, err := m.visit(p, at)
				if err != nil {
					return err
				}
				for _, x := range next {
					x.who = e.who
					heap.Push(&later, x)
				}
			}
			return nil
		})
		if err == nil {
			err = c.Keys.Witness(m.heads...)
		}
		if err != nil {
			return m.counts, err
		}
		m.heads = m.heads[:0]
		if c.Progress != nil {
			c.Progress(done, all)
		}
	}
	err := c.Store.Write(ctx, func(q *store.Q) error {
		m.q = q
		if err := q.SetSetting("last order number", strconv.Itoa(m.placer)); err != nil {
			return err
		}
		for _, p := range m.people { // registered, and never here
			if p.seen {
				continue
			}
			if err := q.AddPatient(p.Patient); err != nil {
				return err
			}
		}
		return m.today()
	})
	return m.counts, err
}

// id makes an identifier that sorts by time, from the person's own dice.
func (p *person) id(at time.Time) string {
	var b [16]byte
	binary.BigEndian.PutUint64(b[:8], uint64(max(0, at.UnixMilli()))<<16)
	binary.BigEndian.PutUint64(b[8:], p.rng.Uint64())
	b[6] = 0x70 | byte(p.rng.Uint32()&0x0f)
	b[7] = byte(p.rng.Uint32())
	b[8] = b[8]&0x3f | 0x80
	return uuid.UUID(b).String()
}

// hire makes the people who sign in. Their secrets are hashed once for all.
func (m *maker) hire(ctx context.Context) error {
	doctors, nurses, assistants, desks := staff(m.Patients)
	m.doctors = doctors
	password, secret := act.HashSecret(Password), act.HashSecret(Secret)
	return m.Store.Write(ctx, func(q *store.Q) error {
		n := 0
		for _, x := range []struct {
			login, role string
			many        int
		}{{"physician", act.Physician, doctors}, {"nurse", act.Nurse, nurses}, {"assistant", act.Assistant, assistants}, {"desk", act.FrontDesk, desks}, {"admin", act.Admin, 1}} {
			for i := range x.many {
				key := make([]byte, 32)
				_, _ = rand.Read(key)
				given, family := womens[(n*7)%len(womens)], families[(n*13+5)%len(families)]
				if n%2 == 1 {
					given = mens[(n*7)%len(mens)]
				}
				login := x.login + strconv.Itoa(i+1)
				if x.many == 1 && x.role == act.Admin {
					login = x.login
				}
				s := store.Staff{ID: uuid.NewSHA1(uuid.NameSpaceOID, fmt.Appendf(nil, "%d %s", m.Seed, login)).String(), Login: login, Given: given, Family: family, Role: x.role, PasswordHash: password, SecretHash: secret, DraftKey: key, SingleKeys: true, Active: true}
				if err := q.AddStaff(s); err != nil {
					return err
				}
				m.staff = append(m.staff, act.Actor{ID: s.ID, Name: s.Name(), Role: s.Role})
				n++
			}
		}
		return nil
	})
}

// calendar says when everybody comes, in order. Some stay away for years.
func (m *maker) calendar() []event {
	var out []event
	for i, p := range m.people {
		age := p.ageAt(m.Until)
		for _, c := range conditions {
			if c.code == "N40.0" && p.Sex == "F" || c.code == "M81.0" && p.Sex == "M" && p.rng.IntN(4) > 0 {
				continue
			}
			if p.rng.Float64() < c.common[band(age)] {
				p.conds = append(p.conds, &had{condition: c, since: m.Until.AddDate(-p.rng.IntN(12), -p.rng.IntN(12), 0)})
			}
		}
		p.height = 165 + p.rng.NormFloat64()*8
		if p.Sex == "M" {
			p.height += 12
		}
		p.weight = (21 + p.rng.Float64()*9) * p.height * p.height / 10000
		p.systolic = 112 + float64(age)/4 + p.rng.NormFloat64()*8
		since := p.rng.Float64() * years
		rate := 0.7 + float64(len(p.conds))*0.55 + float64(max(0, age-60))/50
		if age < 5 {
			rate += 2
		}
		gap := -1.0
		if p.rng.IntN(9) == 0 {
			gap = p.rng.Float64() * since
		}
		n := int(math.Round(since * rate * (0.7 + p.rng.Float64()*0.9)))
		for range n {
			back := p.rng.Float64() * since
			if gap > 0 && back < gap && back > gap-2 {
				continue
			}
			day := m.Until.In(m.Location).AddDate(0, 0, -1-int(back*365.25))
			if wd := day.Weekday(); wd == time.Saturday || wd == time.Sunday {
				day = day.AddDate(0, 0, -2)
			}
			at := time.Date(day.Year(), day.Month(), day.Day(), 8+p.rng.IntN(9), 20*p.rng.IntN(3), 0, 0, m.Location)
			if at.After(p.born.AddDate(0, 0, 4)) && at.Before(m.Until.Add(-2*time.Hour)) {
				out = append(out, event{at: at.Unix(), who: int32(i)})
			}
		}
	}
	slices.SortFunc(out, func(a, b event) int {
		if a.at != b.at {
			return int(a.at - b.at)
		}
		return int(a.who - b.who)
	})
	return out
}

func (m *maker) doctor(p *person) act.Actor { return m.staff[p.clinician] }

// helper is the assistant or nurse beside a physician.
func (m *maker) helper(p *person) act.Actor {
	_, nurses, assistants, _ := staff(m.Patients)
	return m.staff[m.doctors+p.clinician%(nurses+assistants)]
}

func (m *maker) seal(p *person, who act.Actor, kind, subject string, amends int, content any, at time.Time) (int, error) {
	body, err := ledger.Canonical(content)
	if err != nil {
		return 0, err
	}
	var last, before *ledger.Entry
	if m.last.Seq > 0 {
		before = &m.last
	}
	if p.folio > 0 {
		last = &ledger.Entry{Folio: p.folio, Hash: p.hash}
	}
	e := m.Keys.Seal(ledger.Entry{ChartID: p.ID, Kind: kind, Subject: subject, Amends: amends, Content: body, SignerID: who.ID, SignerName: who.Name, SignedAt: at.In(m.Location).Format(time.RFC3339)}, last, before)
	if err := m.q.AddEntry(e); err != nil {
		return 0, err
	}
	m.last, p.folio, p.hash = e, e.Folio, e.Hash
	m.counts.Entries++
	m.heads = append(m.heads, ledger.Head{Seq: e.Seq, Hash: e.Hash, At: e.SignedAt, Signature: e.Signature})
	return e.Folio, nil
}

func (m *maker) audit(at time.Time, who act.Actor, what string, p *person, subject string) error {
	return m.q.Audit(store.Stamp(at), who.ID, what, p.ID, subject, "")
}

// register writes the person and what the first visit brought into the chart.
func (m *maker) register(p *person, at time.Time) error {
	p.seen = true
	if err := m.q.AddPatient(p.Patient); err != nil {
		return err
	}
	helper := m.helper(p)
	switch n := p.rng.IntN(10); {
	case n < 2:
		a := allergies[p.rng.IntN(len(allergies))]
		if err := m.q.AddAllergy(store.Allergy{ID: p.id(at), PatientID: p.ID, Substance: a[0], Reaction: a[1], Severity: a[2], StatedAt: at, StatedBy: helper.Name}); err != nil {
			return err
		}
	case n < 9: // the others were never asked
		if err := m.q.AddAllergy(store.Allergy{ID: p.id(at), PatientID: p.ID, StatedAt: at, StatedBy: helper.Name}); err != nil {
			return err
		}
	}
	seen := map[string]bool{}
	for range 2 + p.rng.IntN(4) {
		h := histories[p.rng.IntN(len(histories))]
		if seen[h[0]+h[1]] {
			continue
		}
		seen[h[0]+h[1]] = true
		if err := m.q.AddHistory(store.HistoryEntry{ID: p.id(at), PatientID: p.ID, List: h[0], Title: h[1], Detail: h[2], StatedAt: at, StatedBy: helper.Name}); err != nil {
			return err
		}
	}
	if p.ageAt(at) > 65 {
		for range p.rng.IntN(5) {
			x := more[p.rng.IntN(len(more))]
			if seen[x[0]] {
				continue
			}
			seen[x[0]] = true
			if err := m.q.AddMedicine(store.Medicine{ID: p.id(at), PatientID: p.ID, Name: x[0], Dose: x[1], Started: at.Format("2006"), AddedBy: helper.ID, AddedAt: at}); err != nil {
				return err
			}
		}
	}
	return nil
}

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
	v := store.Visit{ID: p.id(at), PatientID: p.ID, ClinicianID: who.ID, Day: at.In(m.Location).Format(time.DateOnly), StartsAt: at, Kind: kind, Reason: reason, Room: strconv.Itoa(1 + r.IntN(8)), Stage: "done", StageAt: at.Add(40 * time.Minute)}
	unsigned := at.After(m.Until.AddDate(0, 0, -10)) && r.IntN(12) == 0
	if unsigned {
		v.Stage = "finishing"
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
			if _, err := m.q.AddProblem(store.Problem{ID: p.id(at), PatientID: p.ID, Code: c.code, Title: e.Title, Since: v.Day, Onset: c.since.Format("2006"), State: "active"}); err != nil {
				return nil, err
			}
			if len(c.takes) > 0 {
				x := c.takes[r.IntN(len(c.takes))]
				if err := m.q.AddMedicine(store.Medicine{ID: p.id(at), PatientID: p.ID, Name: x[0], Dose: x[1], Started: v.Day, AddedBy: who.ID, AddedAt: at}); err != nil {
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
		for _, l := range []string{"medicines", "allergies", "past", "family", "social"} {
			if err := m.q.AddStatement(store.Statement{ID: p.id(at), PatientID: p.ID, List: l, Says: "reviewed", StaffID: helper.ID, At: at, VisitID: v.ID}); err != nil {
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
		given := chart.Given{CVX: x.CVX, Maker: "Brightwater Biologics", Lot: fmt.Sprintf("L%04d", at.Year()*4+r.IntN(4)), Expires: at.AddDate(1, 0, 0).Format(time.DateOnly), Dose: x.Dose, Route: x.Route, Site: chart.Sites[x.Route][0], Sheet: "2025-01-31"}
		if _, err := m.q.AddImmunization(store.Immunization{ID: p.id(at), PatientID: p.ID, VisitID: v.ID, Name: x.Name, Given: given, GivenAt: at, GivenBy: helper.ID}); err != nil {
			return nil, err
		}
	}
	if r.IntN(30) == 0 {
		if err := m.q.AddDocument(store.Document{ID: p.id(at), PatientID: p.ID, NoteID: n.ID, Title: "Letter", PDF: []byte("%PDF-1.4\n% generated, without pages\n" + strings.Repeat("% ", 600)), MadeBy: who.ID, MadeAt: at, Form: "letter absence"}); err != nil {
			return nil, err
		}
	}
	if r.IntN(12) == 0 {
		f := store.FollowUp{ID: p.id(at), PatientID: p.ID, NoteID: n.ID, Due: at.AddDate(0, 2, 0).Format(time.DateOnly), Said: "in two months", Reason: reason, ClinicianID: who.ID, ByID: who.ID, At: at}
		if err := m.q.PutFollowUp(f); err != nil {
			return nil, err
		}
		if err := m.q.OpenLine(p.id(at), line.FollowUp, f.ID, p.ID, who.ID, line.Waiting, at); err != nil {
			return nil, err
		}
		if at.Before(m.Until.AddDate(0, -1, 0)) {
			if err := m.q.SettleFollowUp(f.ID, "dropped", "", helper.ID, "The patient calls when it suits", at.AddDate(0, 0, 2)); err != nil {
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
func (m *maker) write(p *person, n store.Note, v store.Visit, about []*had, new complaint, helper act.Actor, at time.Time, age int) (note.Content, error) {
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
			if err := m.q.SavePart(n.ID, store.Part{Part: part, Text: text, Version: 1 + r.IntN(6), SaveID: p.id(at), SavedAt: at, SavedBy: who.ID}); err != nil {
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
	return note.Content{Patient: p.Name.Given + " " + p.Name.Family, Record: p.Record, BirthDate: p.BirthDate, Kind: v.Kind, Visit: at.In(m.Location).Format(time.RFC3339), Reason: v.Reason,
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
		changes = append(changes, note.Change{Area: note.Examination, System: m.Systems.Examination[r.IntN(len(m.Systems.Examination))].ID, State: note.Normal})
	}
	return m.Systems.Apply(nil, changes, note.About{Sex: p.Sex})
}

// measure takes the vital signs.
func (m *maker) measure(p *person, v store.Visit, helper act.Actor, at time.Time, age int) ([]note.Vital, error) {
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
		if err := m.q.AddVital(store.Vital{ID: p.id(at), PatientID: p.ID, LOINC: k.LOINC, Name: k.Name, Value: x.value, Unit: k.Unit, TakenAt: at, VisitID: v.ID, ByID: helper.ID, Origin: "device"}); err != nil {
			return nil, err
		}
		out = append(out, note.Vital{Name: k.Name, Value: x.value, Unit: chart.ShownUnit(k.Unit), Origin: note.FromDev})
	}
	return out, nil
}

// order orders tests; what comes back comes later.
func (m *maker) order(p *person, v store.Visit, ds []note.Diagnosis, codes []string, at time.Time) ([]event, error) {
	r, who := p.rng, m.doctor(p)
	m.placer++
	o := store.Order{ID: p.id(at), PatientID: p.ID, VisitID: v.ID, ClinicianID: who.ID, Placer: fmt.Sprintf("SK%d", m.placer), Laboratory: m.Laboratory.Name, Priority: "R", State: order.Received, SignedAt: at, CollectedAt: at, RequestID: p.id(at)}
	titles := []store.CodedTitle{}
	for _, d := range ds {
		titles = append(titles, store.CodedTitle{Code: d.Code, Title: d.Title})
	}
	type sealedTest struct {
		Code      string             `json:"code"`
		Name      string             `json:"name"`
		Diagnoses []store.CodedTitle `json:"diagnoses"`
	}
	var sealed []sealedTest
	for _, c := range codes {
		t := m.tests[c]
		o.Tests = append(o.Tests, store.OrderTest{Code: t.Code, Name: t.Name, LOINC: t.LOINC, Specimen: t.Specimen, Tube: t.Tube, Diagnoses: titles})
		sealed = append(sealed, sealedTest{t.Code, t.Name, titles})
	}
	refused := r.IntN(300) == 0
	if refused { // and ordered again by telephone
		o.State, o.Reason = order.Cancelled, "The laboratory had no specimen; ordered anew"
	}
	if err := m.q.AddOrder(o); err != nil {
		return nil, err
	}
	m.counts.Orders++
	m.counts.Lines++
	if err := m.q.OpenLine(p.id(at), line.Order, o.ID, p.ID, who.ID, line.Waiting, at); err != nil {
		return nil, err
	}
	if _, err := m.seal(p, who, "order", o.ID, 0, map[string]any{"placer": o.Placer, "laboratory": o.Laboratory, "priority": "routine", "tests": sealed, "collected": at.In(m.Location).Format(time.RFC3339)}, at); err != nil {
		return nil, err
	}
	if err := m.audit(at, who, "sign order", p, o.ID); err != nil {
		return nil, err
	}
	if refused {
		return nil, m.q.CloseLine(line.Order, o.ID, who.ID, "cancelled", at.Add(time.Hour))
	}
	back := at.Add(time.Duration(18+r.IntN(60)) * time.Hour)
	if r.IntN(400) == 0 || back.After(m.Until) { // never answered, or not yet
		return nil, nil
	}
	return []event{{at: back.Unix(), do: func(m *maker, p *person, at time.Time) error { return m.report(p, o, at) }}}, nil
}

// report files what the laboratory found, and has it signed unless it still waits.
func (m *maker) report(p *person, o store.Order, at time.Time) error {
	r, who := p.rng, m.doctor(p)
	m.filler++
	raw := fmt.Sprintf("MSH|^~\\&|BRINEHOUSE|BRINEHOUSE|DEFTLEDGER|SKERROW|%s||ORU^R01|G%d|P|2.5.1\r", at.UTC().Format("20060102150405"), m.filler)
	sum := sha256.Sum256([]byte(raw))
	inbox, err := m.q.AddIncoming(store.Incoming{ReceivedAt: at, Sender: "BRINEHOUSE|BRINEHOUSE", Control: fmt.Sprintf("G%d", m.filler), Raw: []byte(raw), State: "filed"}, "generated", sum[:])
	if err != nil {
		return err
	}
	// One physician has been away for long; what came for them waits.
	waits := p.clinician == 0 && at.After(m.Until.AddDate(-1, 0, 0)) || at.After(m.Until.AddDate(0, 0, -2))
	signed := 0
	for i, t := range o.Tests {
		test := m.tests[t.Code]
		rep := store.Report{ID: p.id(at), PatientID: p.ID, OrderID: o.ID, Position: i + 1, Filler: fmt.Sprintf("BH%d-%d", m.filler, i+1), Code: t.Code, Title: t.Name, LOINC: t.LOINC, OwnerID: who.ID, Status: "F", Issue: 1,
			CollectedAt: o.CollectedAt.In(m.Location).Format(time.RFC3339), ReportedAt: at.In(m.Location).Format(time.RFC3339), ReceivedAt: at, Performer: m.Laboratory.Name, InboxID: inbox}
		if len(test.Analytes) == 0 {
			rep.Values = []result.Value{{Code: t.Code, Name: t.Name, LOINC: t.LOINC, Text: []string{"Negative", "Positive"}[r.IntN(8)/7], Status: "F"}}
		}
		for _, a := range test.Analytes {
			rep.Values = append(rep.Values, m.value(p, a))
		}
		if err := m.q.AddReport(rep); err != nil {
			return err
		}
		if err := m.q.AddIssue(rep); err != nil {
			return err
		}
		m.counts.Reports++
		m.counts.Values += len(rep.Values)
		m.counts.Lines++
		if err := m.q.OpenLine(p.id(at), line.Report, rep.ID, p.ID, who.ID, line.Open, at); err != nil {
			return err
		}
		if err := m.audit(at, act.Actor{}, "file report", p, rep.ID); err != nil {
			return err
		}
		if waits {
			continue
		}
		signed++
		then := at.Add(5 * time.Hour)
		if err := m.review(p, rep, 1, then); err != nil {
			return err
		}
		if r.IntN(70) == 0 && len(rep.Values) > 0 { // corrected, and signed again
			rep.Status, rep.Issue, rep.ReceivedAt = "C", 2, then.Add(time.Hour)
			rep.Values = slices.Clone(rep.Values)
			for k := range rep.Values {
				rep.Values[k].Status = "C"
			}
			if err := m.q.AddIssue(rep); err != nil {
				return err
			}
			if err := m.q.NextIssue(rep); err != nil {
				return err
			}
			if err := m.q.OpenLine(p.id(at), line.Report, rep.ID, p.ID, who.ID, line.Open, then); err != nil {
				return err
			}
			if err := m.review(p, rep, 3, then.Add(2*time.Hour)); err != nil {
				return err
			}
		}
	}
	state := order.Final
	if signed == len(o.Tests) {
		state = order.Reviewed
		if err := m.q.CloseLine(line.Order, o.ID, who.ID, "all tests final and signed", at.Add(5*time.Hour)); err != nil {
			return err
		}
	}
	return m.q.SetOrderState(o.ID, state, "")
}

// review signs a report.
func (m *maker) review(p *person, rep store.Report, version int, at time.Time) error {
	who := m.doctor(p)
	told := "letter"
	if p.UsesPortal {
		told = "portal"
	}
	folio, err := m.seal(p, who, "result review", rep.ID, 0, map[string]any{"report": rep.Title, "issue": rep.Issue, "comment": "As expected.", "told": told, "values": rep.Values}, at)
	if err != nil {
		return err
	}
	if err := m.q.AddReview(store.Review{ReportID: rep.ID, Issue: rep.Issue, Comment: "As expected.", Told: told, SignedBy: who.ID, SignedAt: at, Folio: folio}, version); err != nil {
		return err
	}
	if err := m.q.CloseLine(line.Report, rep.ID, who.ID, "signed", at); err != nil {
		return err
	}
	return m.audit(at, who, "sign result", p, rep.ID)
}

// value is one measured value: about where this person's values lie, most in range.
func (m *maker) value(p *person, a order.Analyte) result.Value {
	low, high := 0.0, 0.0
	if a.Low != "" {
		low, _ = strconv.ParseFloat(a.Low, 64)
	}
	if a.High != "" {
		high, _ = strconv.ParseFloat(a.High, 64)
	} else {
		high = low * 1.9
	}
	at, known := p.values[a.Code]
	if !known {
		at = 0.5 + p.rng.NormFloat64()*0.28
		p.values[a.Code] = at
	}
	x := low + (high-low)*(at+p.rng.NormFloat64()*0.09)
	x = math.Max(x, high/1000)
	v := result.Value{Code: a.Code, Name: a.Name, LOINC: a.LOINC, Text: strconv.FormatFloat(x, 'f', max(decimals(a.Low), decimals(a.High)), 64), Unit: a.Unit, Status: "F"}
	switch {
	case a.Low != "" && a.High != "":
		v.Range = a.Low + "-" + a.High
	case a.High != "":
		v.Range = "<=" + a.High
	default:
		v.Range = ">=" + a.Low
	}
	got, _ := strconv.ParseFloat(v.Text, 64)
	switch {
	case a.Low != "" && got < low:
		v.Flag = "L"
	case a.High != "" && got > high:
		v.Flag = "H"
	}
	if a.Code == "K" && got > 6.2 {
		v.Flag = "HH"
	}
	return v
}

// today books a full day for every physician, from people who are known here.
func (m *maker) today() error {
	day := m.Until.In(m.Location)
	i := 0
	for d := range m.doctors {
		for slot := range 18 {
			for i < len(m.people) && (!m.people[i].seen || m.people[i].dead || m.people[i].clinician != d) {
				i++
			}
			if i == len(m.people) {
				i = 0
				break
			}
			p := m.people[i]
			i++
			at := time.Date(day.Year(), day.Month(), day.Day(), 8+slot/2, 30*(slot%2), 0, 0, m.Location)
			stage := "expected"
			if at.Before(m.Until) {
				stage = "arrived"
			}
			if err := m.q.AddVisit(store.Visit{ID: p.id(at), PatientID: p.ID, ClinicianID: m.staff[d].ID, Day: day.Format(time.DateOnly), StartsAt: at, Kind: "Follow-up visit", Reason: "As planned", Stage: stage, StageAt: at}); err != nil {
				return err
			}
			m.counts.Visits++
		}
		i = 0
	}
	return nil
}
