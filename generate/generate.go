// Package generate makes a practice of any size: coherent, invented people with years of
// visits, signed notes, values, orders and open lines. It is for measuring the program at
// the size of a real practice, writes the rows that the acts of the application would
// write, sealed under the practice's own key, and is the same for the same seed and day.
package generate

import (
	"container/heap"
	"context"
	"crypto/rand"
	"encoding/binary"
	"fmt"
	"math"
	"runtime/debug"
	"slices"
	"strconv"
	"time"

	"github.com/google/uuid"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/coding"
	"deftledger/core/ledger"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/core/visit"
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
			if err := q.SetUsualClinician(p.ID, m.doctor(p).ID, m.doctor(p).ID, c.Until); err != nil {
				return err
			}
		}
		return m.today()
	})
	if err == nil {
		err = act.CatchUp(ctx, c.Store, c.Keys) // the trail is witnessed as the ledger is
	}
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
		}{{"physician", act.Physician, doctors}, {"nurse", act.Nurse, nurses}, {"assistant", act.Assistant, assistants},
			{"desk", act.FrontDesk, desks}, {"admin", act.Admin, 1}} {
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
				s := store.Staff{ID: uuid.NewSHA1(uuid.NameSpaceOID, fmt.Appendf(nil, "%d %s", m.Seed, login)).String(), Login: login, Given: given,
					Family: family, Role: x.role, PasswordHash: password, SecretHash: secret, DraftKey: key, SingleKeys: true, Active: true}
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
	e := m.Keys.Seal(ledger.Entry{ChartID: p.ID, Kind: kind, Subject: subject, Amends: amends, Content: body, SignerID: who.ID,
		SignerName: who.Name, SignedAt: at.In(m.Location).Format(time.RFC3339)}, last, before)
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
	if err := m.q.SetUsualClinician(p.ID, m.doctor(p).ID, m.doctor(p).ID, at); err != nil {
		return err
	}
	helper := m.helper(p)
	switch n := p.rng.IntN(10); {
	case n < 2:
		a := allergies[p.rng.IntN(len(allergies))]
		if err := m.q.AddAllergy(chart.Allergy{ID: p.id(at), PatientID: p.ID, Substance: a[0], Reaction: a[1], Severity: a[2], StatedAt: at,
			StatedBy: helper.Name}); err != nil {
			return err
		}
	case n < 9: // the others were never asked
		if err := m.q.AddAllergy(chart.Allergy{ID: p.id(at), PatientID: p.ID, StatedAt: at, StatedBy: helper.Name}); err != nil {
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
		if err := m.q.AddHistory(chart.HistoryEntry{ID: p.id(at), PatientID: p.ID, List: h[0], Title: h[1], Detail: h[2], StatedAt: at,
			StatedBy: helper.Name}); err != nil {
			return err
		}
	}
	if err := m.prevented(p, helper.ID, at); err != nil {
		return err
	}
	if p.ageAt(at) > 65 {
		for range p.rng.IntN(5) {
			x := more[p.rng.IntN(len(more))]
			if seen[x[0]] {
				continue
			}
			seen[x[0]] = true
			if err := m.q.AddMedicine(chart.Medicine{ID: p.id(at), PatientID: p.ID, Name: x[0], Dose: x[1], Started: at.Format("2006"),
				AddedBy: helper.ID, AddedAt: at}); err != nil {
				return err
			}
		}
	}
	return nil
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
			stage := visit.Expected
			if at.Before(m.Until) {
				stage = visit.Arrived
			}
			if err := m.q.AddVisit(visit.Visit{ID: p.id(at), PatientID: p.ID, ClinicianID: m.staff[d].ID, Day: day.Format(time.DateOnly),
				StartsAt: at, Kind: "Follow-up visit", Reason: "As planned", Stage: stage, StageAt: at}); err != nil {
				return err
			}
			m.counts.Visits++
		}
		i = 0
	}
	return nil
}
