// Package demo fills an empty practice with the Skerrow Island scenario, through
// the acts of the application as its users would do them. Everybody and
// everything in it is invented. Dates are relative to the day it is started, and
// the same for the same day.
package demo

import (
	"context"
	"errors"
	"fmt"
	"sort"
	"strings"
	"time"

	"deftledger/app"
	"deftledger/app/act"
	"deftledger/app/circle"
	"deftledger/app/intake"
	results "deftledger/app/result"
	"deftledger/app/session"
	"deftledger/core/chart"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/core/visit"
	"deftledger/standin"
	"deftledger/store"
)

// Password and Secret open every demo account; they work only on demo data.
const (
	Password = "ferry-at-seven"
	Secret   = "kittiwake"
)

// Person is somebody who signs in to the demo.
type Person struct{ Login, Given, Family, Role string }

// People who sign in.
var People = []Person{
	{"maren", "Maren", "Oduya", act.Physician},
	{"tobias", "Tobias", "Lindqvist-Rao", act.Physician},
	{"runa", "Runa", "Eskildsen", act.Practitioner},
	{"petra", "Petra", "Vance", act.Nurse},
	{"jonah", "Jonah", "Whitlock", act.Assistant},
	{"sunniva", "Sunniva", "Pell", act.FrontDesk},
	{"ade", "Ade", "Korhonen", act.Admin},
}

type builder struct {
	a      *app.App
	at     time.Time // what the clock shows
	now    time.Time // when the demo is started
	tokens map[string]act.Actor
	ids    map[string]string // patient key → id
	events []event
	number int
	drawn  []string // orders drawn before today
}

type event struct {
	at time.Time
	do func(context.Context) error
}

// Fill writes the scenario as of now into an empty practice. c is the
// configuration the application will run with.
func Fill(ctx context.Context, c act.Config, now time.Time) error {
	quiet := &standin.Laboratory{Name: c.Laboratory("").Name, Facility: c.Laboratory("").Facility, Tests: Offered(*c.Laboratory("")), Silent: true}
	if err := quiet.Open("127.0.0.1:0"); err != nil {
		return err
	}
	defer quiet.Close()
	b := &builder{at: now, now: now, tokens: map[string]act.Actor{}, ids: map[string]string{}}
	c.LabAddr, c.Clock, c.IdleAfter = quiet.Addr(), func() time.Time { return b.at }, 1000*24*time.Hour
	// Nobody is asked what became of anything while the past is told: they know the present only.
	c.Elsewhere.Pharmacy, c.Elsewhere.Receivers = "", ""
	b.a = app.New(c)
	if err := b.people(ctx); err != nil {
		return fmt.Errorf("demo people: %w", err)
	}
	for _, p := range patients {
		if err := errors.Join(b.patient(ctx, p), b.register(ctx, p.key)); err != nil {
			return fmt.Errorf("demo patient %s: %w", p.key, err)
		}
	}
	b.prepared()
	b.specimens()
	b.referrals()
	b.prescriptions()
	b.loose()
	b.written()
	b.sent()
	b.circle()
	sort.SliceStable(b.events, func(i, j int) bool { return b.events[i].at.Before(b.events[j].at) })
	for _, e := range b.events {
		b.at = e.at
		if err := e.do(ctx); err != nil {
			return fmt.Errorf("demo event of %s: %w", e.at.Format(time.DateOnly), err)
		}
	}
	return nil
}

// Offered turns the test list into what the stand-in laboratory offers.
func Offered(l order.Laboratory) map[string]standin.Test {
	out := map[string]standin.Test{}
	for _, t := range l.Tests {
		s := standin.Test{Code: t.Code, Name: t.Name, LOINC: t.LOINC}
		for _, x := range t.Analytes {
			s.Analytes = append(s.Analytes, standin.Analyte{Code: x.Code, Name: x.Name, LOINC: x.LOINC, Unit: x.Unit, Expected: x.Expected,
				Range: func(sex, born string) (string, string) {
					r, _ := x.RangeFor(sex, born, time.Now().Format(time.DateOnly))
					return r.Low, r.High
				}})
		}
		out[t.Code] = s
	}
	return out
}

func (b *builder) people(ctx context.Context) error {
	password, secret := act.HashSecret(Password), act.HashSecret(Secret)
	return b.a.Store.Write(ctx, func(q *store.Q) error {
		for _, p := range People {
			s, err := session.NewStaff(p.Login, p.Given, p.Family, p.Role, Password, Secret)
			if err != nil {
				return err
			}
			s.PasswordHash, s.SecretHash = password, secret
			if err := q.AddStaff(s); err != nil {
				return err
			}
			// Signing is open all the time while the demo is written.
			b.tokens[p.Login] = act.Actor{ID: s.ID, Name: s.Name(), Role: s.Role, Session: store.Session{SigningUntil: b.now.AddDate(1, 0, 0)}}
		}
		return nil
	})
}

func (b *builder) later(daysAgo int, clock string, f func(context.Context) error) {
	b.events = append(b.events, event{b.past(daysAgo, clock), f})
}

// past is a moment that has surely gone by, however early in the day the demo starts.
func (b *builder) past(daysAgo int, clock string) time.Time {
	at := b.moment(daysAgo, clock)
	if limit := b.now.Add(-20 * time.Minute); at.After(limit) {
		return limit
	}
	return at
}

// moment is a time of day some days before the start.
func (b *builder) moment(daysAgo int, clock string) time.Time {
	t, _ := time.Parse("15:04", clock)
	d := b.now.In(b.a.Location).AddDate(0, 0, -daysAgo)
	at := time.Date(d.Year(), d.Month(), d.Day(), t.Hour(), t.Minute(), 0, 0, b.a.Location)
	return at
}

func (b *builder) id() string {
	b.number++
	return fmt.Sprintf("00000000-0000-7000-8000-%012d", b.number)
}

func (b *builder) patient(ctx context.Context, p patient) error {
	id := b.id()
	b.ids[p.key] = id
	birth := p.born
	err := b.a.Store.Write(ctx, func(q *store.Q) error {
		if err := q.AddPatient(chart.Patient{ID: id, Record: p.record, Name: chart.Name{Family: p.family, Given: p.given}, BirthDate: birth,
			Sex: p.sex, Phone: p.phone, CodeStatus: p.code, UsesPortal: p.portal}); err != nil {
			return err
		}
		stated := b.moment(200, "09:30")
		for _, x := range p.allergies {
			f := strings.Split(x, "|")
			if err := q.AddAllergy(chart.Allergy{ID: b.id(), PatientID: id, Substance: f[0], Reaction: f[1], Severity: f[2], StatedAt: stated,
				StatedBy: "J. Whitlock"}); err != nil {
				return err
			}
		}
		for _, x := range p.medicines {
			name, dose, _ := strings.Cut(x, "|")
			if err := q.AddMedicine(chart.Medicine{ID: b.id(), PatientID: id, Name: name, Dose: dose}); err != nil {
				return err
			}
		}
		for _, h := range p.histories {
			f := append(strings.Split(h, "|"), "", "")
			if err := q.AddHistory(chart.HistoryEntry{ID: b.id(), PatientID: id, List: f[0], Title: f[1], Detail: f[2], Since: f[3],
				StatedAt: stated, StatedBy: "J. Whitlock"}); err != nil {
				return err
			}
		}
		for i, code := range p.problems {
			lib, _, err := b.a.Codes()
			if err != nil {
				return err
			}
			e, _, _, err := lib.Check(code, "2026-04-01")
			if err != nil {
				return err
			}
			if _, err := q.AddProblem(chart.Problem{ID: b.id(), PatientID: id, Code: e.Code, Title: e.Title,
				Since: b.moment(400+i*170, "10:00").Format(time.DateOnly)}); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	now := b.measured(p)
	for _, v := range p.visits {
		visit := b.visit(id, v)
		if len(p.vitals) > 0 && v.daysAgo >= now && (v.s != "" || v.daysAgo == now) {
			b.vitals(id, visit, p.vitals, v.daysAgo, v.daysAgo-now)
		}
	}
	if len(p.vitals) > 0 && now == noVisit {
		b.vitals(id, "", p.vitals, now, 0)
	}
	for _, r := range p.results {
		b.report(p, id, r)
	}
	return nil
}

// noVisit is how long ago vital signs were taken that belong to no visit of the demo.
const noVisit = 200

// measured is how many days ago a patient's newest vital signs were taken: today
// when the intake is done, else at the last visit.
func (b *builder) measured(p patient) int {
	last := -1
	for _, v := range p.visits {
		if (v.stage == visit.Ready || v.stage == visit.InVisit || v.s != "") && (last < 0 || v.daysAgo < last) {
			last = v.daysAgo
		}
	}
	if last < 0 {
		return noVisit
	}
	return last
}

// vitals writes the vital signs of a visit. Those of earlier visits differ from the
// newest by a little, always the same for the same visit.
func (b *builder) vitals(patient, visit string, vitals []string, daysAgo, before int) {
	b.later(daysAgo, "08:05", func(ctx context.Context) error {
		return b.a.Store.Write(ctx, func(q *store.Q) error {
			var weight, height string
			for i, v := range vitals {
				f := strings.Split(v, "|")
				value := f[2]
				switch up, down, _ := chart.Pressure(value); {
				case before == 0:
				case up > 0:
					value = fmt.Sprintf("%d/%d", up-4-before%9, down-2-before%5)
				case f[0] == chart.Pulse:
					var n int
					_, _ = fmt.Sscan(value, &n)
					value = fmt.Sprint(n - 3 + before%7)
				case f[0] == chart.Weight:
					var kg float64
					_, _ = fmt.Sscan(value, &kg)
					value = fmt.Sprintf("%.1f", kg-0.4-float64(before%13)/10)
					weight = value
				case f[0] == chart.Height:
					height = value
				case f[0] == chart.BodyMass:
					value, _ = chart.BMI(weight, height, 240)
				}
				if err := q.AddVital(chart.Vital{ID: b.id(), PatientID: patient, LOINC: f[0], Name: f[1], Value: value, Unit: f[3],
					TakenAt: b.past(daysAgo, "08:05").Add(time.Duration(i) * time.Second), VisitID: visit, ByID: b.tokens["jonah"].ID}); err != nil {
					return err
				}
			}
			return nil
		})
	})
}

// visit books a visit and, where it has a text, documents it; it returns its identifier.
func (b *builder) visit(patient string, v encounter) string {
	clinician := v.clinician
	if clinician == "" {
		clinician = "maren"
	}
	who := b.tokens[clinician]
	id := b.id()
	starts := b.moment(v.daysAgo, v.at)
	stage := v.stage
	if stage == "" {
		stage = visit.Expected
	}
	stageAt := starts.Add(-9 * time.Minute)
	if v.daysAgo == 0 {
		stageAt = b.now.Add(-time.Duration(6+len(v.reason)%23) * time.Minute)
	}
	b.later(v.daysAgo, "00:05", func(ctx context.Context) error {
		return b.a.Store.Write(ctx, func(q *store.Q) error {
			if err := q.AddVisit(visit.Visit{ID: id, PatientID: patient, ClinicianID: who.ID, Day: starts.Format(time.DateOnly), StartsAt: starts,
				Kind: v.kind, Reason: v.reason, Room: v.room, Stage: stage, StageAt: stageAt}); err != nil {
				return err
			}
			with := map[visit.Stage]string{visit.Intake: b.tokens["jonah"].ID, visit.InVisit: who.ID}[stage]
			if with == "" {
				return nil
			}
			return q.SetStage(id, stage, with, stageAt, 1)
		})
	})
	b.house(id, v)
	if v.s == "" {
		return id
	}
	b.later(v.daysAgo, v.at, func(ctx context.Context) error {
		noteID, err := b.a.Note.StartVisit(ctx, who, id)
		if err != nil {
			return err
		}
		versions := map[string]int{}
		for i, text := range []string{v.s, v.o, v.a, v.p} {
			if text == "" {
				continue
			}
			part := note.Always[i]
			if _, err := b.a.Note.SavePart(ctx, who, noteID, part, text, 0, noteID+string(part)); err != nil {
				return err
			}
			versions[string(part)] = 1
		}
		if err := b.answers(ctx, who, noteID, v); err != nil {
			return err
		}
		for area, line := range map[note.Area]string{note.Review: v.review, note.Examination: v.exam} {
			if err := b.findings(ctx, who, noteID, area, line); err != nil {
				return err
			}
		}
		list := 1
		if len(v.codes) > 0 {
			if err := b.a.Note.SetDiagnoses(ctx, who, noteID, v.codes, 1); err != nil {
				return err
			}
			list++
		}
		if v.unsigned {
			return nil
		}
		_, err = b.a.Note.SignNote(ctx, who, noteID, Secret, versions, list, "")
		return err
	})
	return id
}

// house does the tests of a visit in the house and gives its vaccines, by Jonah.
func (b *builder) house(visit string, v encounter) {
	jonah := b.tokens["jonah"]
	expires := b.moment(v.daysAgo-240, "12:00").Format(time.DateOnly)
	for _, t := range v.tests {
		b.later(v.daysAgo, "08:10", func(ctx context.Context) error {
			f := strings.Split(t, "|")
			e := intake.HouseEntry{ID: b.id(), Test: f[0], Values: map[string]string{}, Kit: intake.Kit{Lot: "K" + visit[len(visit)-4:],
				Expires: expires}, Control: "valid"}
			for _, x := range f[1:] {
				code, text, _ := strings.Cut(x, "=")
				e.Values[code] = text
			}
			out, err := b.a.Intake.EnterTest(ctx, jonah, visit, e)
			if err != nil {
				return err
			}
			done := out.Tests[len(out.Tests)-1].Report
			return b.a.Result.SignReport(ctx, b.tokens["maren"], results.SignedResult{ReportID: done, Comment: "Seen at once.", Told: "in person",
				Secret: Secret, Issue: 1, Version: 1})
		})
	}
	for _, g := range v.vaccines {
		b.later(v.daysAgo, "08:12", func(ctx context.Context) error {
			f := strings.Split(g, "|")
			given := chart.Given{CVX: f[0], Maker: f[1], Lot: f[2], Expires: expires, Dose: "0.5 mL", Route: "intramuscular", Site: f[3],
				Sheet: "2025-01-31"}
			_, err := b.a.Intake.GiveVaccine(ctx, jonah, visit, intake.VaccineEntry{ID: b.id(), Given: given, Confirmed: true})
			return err
		})
	}
}

// answers asks the interview of a visit and answers it: "link=y", "link=n",
// "link=2 d", "link=#3" (a number), "link=@2025-05" (a date), "link=~free words",
// or "link=code,code".
func (b *builder) answers(ctx context.Context, who act.Actor, noteID string, v encounter) error {
	if v.asks == "" {
		return nil
	}
	n, err := b.a.Note.Note(ctx, who, noteID)
	if err != nil {
		return err
	}
	for _, i := range n.Interviews {
		if i.ID != v.asks {
			if _, err := b.a.Note.Ask(ctx, who, noteID, i.ID, true); err != nil {
				return err
			}
		}
	}
	if _, err := b.a.Note.Ask(ctx, who, noteID, v.asks, false); err != nil {
		return err
	}
	for _, x := range v.answers {
		link, value, _ := strings.Cut(x, "=")
		var values []note.Answer
		yes := value == "y"
		number, unit, quantity := strings.Cut(value, " ")
		switch {
		case value == "y" || value == "n":
			values = []note.Answer{{Yes: &yes}}
		case strings.HasPrefix(value, "~"):
			values = []note.Answer{{Text: value[1:]}}
		case strings.HasPrefix(value, "#"):
			values = []note.Answer{{Number: value[1:]}}
		case strings.HasPrefix(value, "@"):
			values = []note.Answer{{Date: value[1:]}}
		case quantity:
			values = []note.Answer{{Number: number, Unit: unit}}
		default:
			for _, c := range strings.Split(value, ",") {
				values = append(values, note.Answer{Code: c})
			}
		}
		if _, err := b.a.Note.Answer(ctx, who, noteID, v.asks, link, values, 0); err != nil {
			return fmt.Errorf("the demo answer %q: %w", x, err)
		}
	}
	return nil
}

// findings enters a line of findings as it would be typed.
func (b *builder) findings(ctx context.Context, who act.Actor, noteID string, area note.Area, line string) error {
	if line == "" {
		return nil
	}
	read, err := b.a.Note.ReadLine(ctx, who, area, line, nil, "")
	if err == nil && len(read.Unread) > 0 {
		err = fmt.Errorf("the demo finding %q is not understood", read.Unread[0].Text)
	}
	if err != nil {
		return err
	}
	_, err = b.a.Note.SetFindings(ctx, who, noteID, read.Changes)
	return err
}

// loose adds what belongs to no certain patient.
func (b *builder) loose() {
	b.later(2, "15:10", func(ctx context.Context) error {
		at := b.moment(2, "09:15")
		text := b.oru("Drummond Iyer", "A", "2018-05-03", "M", "", "PBB", "F", "2.1", "Given name written as an initial on the tube.", at, b.at)
		b.a.Result.Receive("demo", []byte(text))
		return b.a.Step(ctx)
	})
}

// circle says who sees whose chart: one team, each patient's usual clinician, who covers when,
// and a chart that was opened with a reason and waits to be looked at.
func (b *builder) circle() {
	admin := b.tokens["ade"]
	b.later(120, "07:30", func(ctx context.Context) error {
		team := circle.TeamView{Name: "Harbor Street"}
		for _, login := range []string{"maren", "tobias", "runa", "petra", "jonah"} {
			team.Members = append(team.Members, b.tokens[login].ID)
		}
		if _, err := b.a.Circle.SetTeam(ctx, admin, team); err != nil {
			return err
		}
		if err := b.a.Circle.SetReviewer(ctx, admin, b.tokens["maren"].ID); err != nil {
			return err
		}
		for _, p := range patients {
			usual := ""
			for _, v := range p.visits {
				if usual = "maren"; v.clinician != "" {
					usual = v.clinician
					break
				}
			}
			if usual == "" {
				continue // nobody said
			}
			if err := b.a.Circle.SetUsual(ctx, b.tokens["sunniva"], b.ids[p.key], b.tokens[usual].ID); err != nil {
				return err
			}
		}
		return nil
	})
	b.later(1, "17:40", func(ctx context.Context) error {
		if err := b.a.Circle.OpenChart(ctx, b.tokens["tobias"], b.ids["solveig"],
			"Her daughter calls from the mainland: she fell, and the hospital asks what she takes."); err != nil {
			return err
		}
		day := func(n int) string { return b.now.In(b.a.Location).AddDate(0, 0, n).Format(time.DateOnly) }
		if err := b.a.Result.SetUrgency(ctx, b.tokens["maren"], results.Urgency{Minutes: 15, OnCall: []results.OnCallView{{Name: "Dr. Sorrel Tak", Telephone: "555-0171"}}}); err != nil {
			return err
		}
		return b.a.Circle.AddCover(ctx, b.tokens["maren"], circle.CoverView{Of: b.tokens["maren"].ID, By: b.tokens["tobias"].ID, From: day(11), To: day(15)})
	})
}
