package order

import (
	"context"
	"fmt"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/coverage"
	"deftledger/core/order"
	"deftledger/exchange/pdf"
	"deftledger/store"
)

// CoverageLine is a test on the pad with its diagnoses.
type CoverageLine struct {
	Laboratory string   `json:"laboratory" maxLength:"40"`
	Code       string   `json:"code" maxLength:"40"`
	Diagnoses  []string `json:"diagnoses" maxItems:"60"`
}

// TestCoverage is what Original Medicare is expected to pay of a test.
type TestCoverage struct {
	Laboratory string           `json:"laboratory"`
	Code       string           `json:"code"`
	Verdict    coverage.Verdict `json:"verdict"`
	Estimate   string           `json:"estimate" doc:"What the laboratory asks of who pays by themself; empty where its list does not say"`
}

// CoverageView is what Original Medicare is expected to pay of the tests on a pad.
type CoverageView struct {
	Applies bool           `json:"applies" doc:"The primary coverage is Original Medicare; of any other nothing is checked"`
	Tests   []TestCoverage `json:"tests"`
	Form    string         `json:"form" doc:"Why the notice at hand may not be used; empty when it may"`
}

// NoticeChoice is what the patient chose of a test on the advance notice.
type NoticeChoice struct {
	Laboratory string          `json:"laboratory" maxLength:"40"`
	Code       string          `json:"code" maxLength:"40"`
	Choice     coverage.Choice `json:"choice" minimum:"0" maximum:"3" doc:"0 for none"`
}

// medicare says whether a coverage of a person that holds today is Original Medicare, and first.
func (a *Acts) medicare(q *store.Q, patient string) (bool, error) {
	reg, _, err := q.Registration(patient)
	covers := order.Covers(reg, a.Today())
	return len(covers) > 0 && covers[0].Rank == "primary" && covers[0].Kind == chart.OriginalMedicare, err
}

// Coverage checks the tests on a pad against the determinations of Original Medicare.
func (a *Acts) Coverage(ctx context.Context, who act.Actor, patient string, lines []CoverageLine) (out CoverageView, err error) {
	out.Tests = []TestCoverage{}
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		if out.Applies, err = a.medicare(q, p.ID); err != nil || !out.Applies {
			return err
		}
		if !a.Notice.Holds(a.Today()) {
			out.Form = "the edition at hand may be used until " + chart.SayDay(a.Notice.Until) + ": what is printed is not the approved form, and counts as none"
		}
		out.Tests, err = a.expected(q, p, lines)
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "open the pad", patient, "")
	}
	return out, err
}

func (a *Acts) expected(q *store.Q, p chart.Patient, lines []CoverageLine) (out []TestCoverage, err error) {
	out = []TestCoverage{}
	var measured []string
	for _, l := range lines {
		t, ok := a.Test(l.Laboratory, l.Code)
		if !ok {
			return out, act.Refuse(act.Invalid, "There is no test %s.", l.Code)
		}
		measured = append(measured, t.LOINC)
		for _, x := range t.Analytes {
			measured = append(measured, x.LOINC)
		}
	}
	held, err := a.recordWith(q, p.ID, a.Today(), measured)
	if err != nil {
		return out, err
	}
	years := -1
	if m := held.Months(); m >= 0 {
		years = m / 12
	}
	for _, l := range lines {
		t, _ := a.Test(l.Laboratory, l.Code)
		since := -1
		last := func(loinc string) {
			if v, ok := held.Newest(loinc); ok && v.Source == chart.FromReport {
				if n := monthsBetween(v.Day, held.Day); n >= 0 && (since < 0 || n < since) {
					since = n
				}
			}
		}
		last(t.LOINC)
		for _, x := range t.Analytes {
			last(x.LOINC)
		}
		c := TestCoverage{Laboratory: l.Laboratory, Code: l.Code, Verdict: coverage.Check(a.Medicare, coverage.Asked{LOINC: t.LOINC, Codes: l.Diagnoses, Since: since, Years: years, Sex: p.Sex})}
		if t.Price >= 0 {
			c.Estimate = "$" + order.Dollars(t.Price)
		}
		out = append(out, c)
	}
	return out, nil
}

// monthsBetween counts whole months; below zero where a day is not known.
func monthsBetween(from, to string) int {
	a, err1 := time.Parse(time.DateOnly, from)
	b, err2 := time.Parse(time.DateOnly, to)
	if err1 != nil || err2 != nil || b.Before(a) {
		return -1
	}
	n := (b.Year()-a.Year())*12 + int(b.Month()) - int(a.Month())
	if b.Day() < a.Day() {
		n--
	}
	return n
}

// noticed sets what a notice in advance does to each test of an order that Original Medicare is
// to pay, and refuses what the patient does not want.
func (a *Acts) noticed(q *store.Q, p chart.Patient, n NewOrder, rows []store.OrderTest, s order.Sheet) error {
	if n.Payer.Who != order.InsurerPays {
		return nil
	}
	applies, err := a.medicare(q, p.ID)
	if err != nil || !applies {
		return err
	}
	lines := make([]CoverageLine, len(rows))
	for i, r := range rows {
		lines[i] = CoverageLine{Laboratory: s.Laboratory, Code: r.Code}
		for _, d := range r.Diagnoses {
			lines[i].Diagnoses = append(lines[i].Diagnoses, d.Code)
		}
	}
	expected, err := a.expected(q, p, lines)
	if err != nil {
		return err
	}
	approved := a.Notice.Holds(a.Today())
	for i, e := range expected {
		x := store.TestNotice{Answer: string(e.Verdict.Answer), Says: e.Verdict.Says, Source: e.Verdict.Source, Approved: approved}
		for _, c := range n.Notices {
			lab := a.Config.Laboratory(c.Laboratory)
			if c.Code != rows[i].Code || lab.ID != s.Laboratory {
				continue
			}
			if c.Choice == 3 {
				return act.Refuse(act.Invalid, "The patient does not want %s: take it off the order.", rows[i].Name)
			}
			if e.Verdict.Answer == coverage.Unlikely || e.Verdict.Answer == coverage.Excluded {
				x.Choice = int(c.Choice)
			}
		}
		x.Modifiers, x.Billed = coverage.Modifiers(e.Verdict.Answer, coverage.Choice(x.Choice), approved)
		rows[i].Detail.Notice = &x
	}
	return nil
}

// NoticePDF writes the advance notice for the tests of which payment is unlikely, or excluded
// by law, on the form at hand; one that may not be used says so on its face.
func (a *Acts) NoticePDF(ctx context.Context, who act.Actor, patient string, lines []CoverageLine) (out []byte, err error) {
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		expected, err := a.expected(q, p, lines)
		if err != nil {
			return err
		}
		n := pdf.AdvanceNotice{Wording: a.Notice, Holds: a.Notice.Holds(a.Today()), Notifier: a.Practice, Patient: chart.Tidy(p.Name.Given + " " + p.Name.Family), Number: p.Record, What: "laboratory test(s)"}
		for _, e := range expected {
			if e.Verdict.Answer != coverage.Unlikely && e.Verdict.Answer != coverage.Excluded {
				continue
			}
			t, _ := a.Test(e.Laboratory, e.Code)
			cost := "not in the list; ask the laboratory"
			if e.Estimate != "" {
				cost = e.Estimate
			}
			n.Rows = append(n.Rows, [3]string{t.Name, fmt.Sprintf("Medicare %s (%s).", reasonOf(e.Verdict), e.Verdict.Source), cost})
		}
		if len(n.Rows) == 0 {
			return act.Refuse(act.Conflict, "No notice is called for: payment is not unlikely for any of these tests.")
		}
		out, err = n.Render()
		return err
	})
	if err == nil {
		err = a.Saw(ctx, who, "print advance notice", patient, "")
	}
	return out, err
}

func reasonOf(v coverage.Verdict) string {
	if v.Answer == coverage.Excluded {
		return "does not pay for this: " + v.Says
	}
	return "may not pay for this test now: " + v.Says
}

// NoticeWords says what a notice did to a test, for who reads the order; "" for nothing.
func NoticeWords(n *store.TestNotice) string {
	if n == nil {
		return ""
	}
	says := "Medicare: " + n.Answer
	if n.Source != "" {
		says += " (" + n.Source + ")"
	}
	if coverage.Answer(n.Answer) != coverage.Unlikely && coverage.Answer(n.Answer) != coverage.Excluded {
		return says
	}
	says += ", " + n.Says
	switch {
	case n.Choice == 0:
		says += "; no notice signed"
	case !n.Approved:
		says += fmt.Sprintf("; option %d on a form that may not be used, which counts as none", n.Choice)
	default:
		says += fmt.Sprintf("; option %d chosen", n.Choice)
	}
	if len(n.Modifiers) > 0 {
		says += "; modifier " + strings.Join(n.Modifiers, ", ")
	}
	if !n.Billed {
		says += "; Medicare is not billed"
	}
	return says
}
