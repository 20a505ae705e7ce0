package app_test

import (
	"fmt"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/reminder"
	"deftledger/core/chart"
	core "deftledger/core/reminder"
	"deftledger/store"
)

func (c *clinic) rule(id string) reminder.RuleView {
	c.Helper()
	b, err := c.app.Reminder.Book(ctx, c.doctor())
	require.NoError(c, err)
	for _, r := range b.Rules {
		if r.Rule == id {
			return r
		}
	}
	require.Fail(c, "no such rule", id)
	return reminder.RuleView{}
}

// A rule is switched and its figures set through fields, within their limits; who and when is kept.
func TestARuleIsSet(t *testing.T) {
	c := open(t)
	r := c.rule("colorectal-cancer")
	require.True(t, r.On)
	require.Equal(t, "45 years", r.Parameters[0].Is)
	_, err := c.app.Reminder.Set(ctx, c.doctor(), "colorectal-cancer", reminder.RuleSet{On: true, Parameters: map[string]string{"start": "39 years"}})
	require.Equal(t, act.Invalid, kind(t, err))
	require.ErrorContains(t, err, "not within 40 years and 50 years")
	_, err = c.app.Reminder.Set(ctx, c.doctor(), "colorectal-cancer", reminder.RuleSet{On: true, Parameters: map[string]string{"begin": "40 years"}})
	require.ErrorContains(t, err, "no figure")
	_, err = c.app.Reminder.Set(ctx, c.doctor(), "colorectal-cancer", reminder.RuleSet{On: true, Parameters: map[string]string{"start": "50 years"}})
	require.NoError(t, err)
	r = c.rule("colorectal-cancer")
	require.Equal(t, "50 years", r.Parameters[0].Is)
	require.Equal(t, "2018-03-14", c.stands("colorectal-cancer").Since, "of the patient born on 14 March 1968")
	_, err = c.app.Reminder.Set(ctx, c.who["second"], "colorectal-cancer", reminder.RuleSet{On: false})
	require.Equal(t, act.Conflict, kind(t, err), "made on how it stood before")
	_, err = c.app.Reminder.Set(ctx, c.doctor(), "colorectal-cancer", reminder.RuleSet{On: false, Setting: r.Setting})
	require.NoError(t, err)
	v, err := c.app.Reminder.Reminders(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	for _, row := range v.Rows {
		require.NotEqual(t, "colorectal-cancer", row.Rule, "switched off")
	}
	require.Equal(t, act.Forbidden, kind(t, func() error {
		_, err := c.app.Reminder.Set(ctx, c.petra(), "falls", reminder.RuleSet{})
		return err
	}()))
}

const ours = `id: our-rule
title: Our own rule
group: cancer
version: 1
maintainer: Skerrow
reviewed: "2026-05-04"
source: {body: Skerrow, title: "What we agreed on", year: 2026}
about: A colonoscopy for everybody of 58 years.
closes: data
priority: 1
applies: {age: {from: 58 years, below: 59 years}}
satisfied:
- {of: colonoscopy, lasts: 1 year}
resolve:
- {says: Colonoscopy, item: colonoscopy}
note: Done.
examples:
- {says: "58 today", on: "2026-11-27", chart: {born: "1968-11-27", sex: F}, is: due}
- {says: "57 years", on: "2026-11-26", chart: {born: "1968-11-27", sex: F}, is: coming up}
- {says: "59 years", on: "2026-11-27", chart: {born: "1967-11-27", sex: F}, is: not applicable}
- {says: "done", on: "2026-11-27", chart: {born: "1968-03-01", sex: F, had: [colonoscopy on 2026-10-01]}, is: satisfied}
`

// A rule of the practice's own is taken in switched off, tried over the practice, and switched on; a wrong one is
// refused with its lines, and an example that comes out otherwise is wrong too.
func TestARuleIsTakenInAndTried(t *testing.T) {
	c := open(t)
	in := func(text string) reminder.TakenIn {
		out, err := c.app.Reminder.TakeIn(ctx, c.doctor(), text)
		require.NoError(t, err)
		return out
	}
	wrong := in(strings.Replace(ours, "is: coming up", "is: overdue", 1))
	require.Empty(t, wrong.Rule)
	require.Equal(t, 19, wrong.Faults[0].Line)
	require.Contains(t, wrong.Faults[0].Reason, `it is "coming up", and should be "overdue"`)
	wrong = in(strings.Replace(ours, "of: colonoscopy", "of: coloscopy", 1))
	require.Equal(t, 13, wrong.Faults[0].Line)
	require.Equal(t, 0, c.count("SELECT count(*) FROM rule_file"))

	require.Equal(t, "our-rule", in(ours).Rule)
	r := c.rule("our-rule")
	require.False(t, r.On, "until somebody switches it on")
	require.True(t, r.Ours)
	require.Contains(t, in(ours).Faults[0].Reason, "needs a higher version")

	run := c.run(reminder.Wanted{Rule: "our-rule", Try: &reminder.RuleSet{On: true}})
	require.Equal(t, 1, run.Gain)
	require.Equal(t, "Marsh-Adeyemi", run.Gains[0].Patient.Family)
	require.Equal(t, core.Due, run.Gains[0].Due[0].State)
	_, err := c.app.Reminder.Set(ctx, c.doctor(), "our-rule", reminder.RuleSet{On: true, Setting: r.Setting})
	require.NoError(t, err)
	require.Equal(t, core.Due, c.stands("our-rule").State)
	run = c.run(reminder.Wanted{Rule: "our-rule", Try: &reminder.RuleSet{On: false}})
	require.Equal(t, []int{0, 1}, []int{run.Gain, run.Loss})

	text, err := c.app.Reminder.RuleFile(ctx, c.doctor(), "our-rule")
	require.NoError(t, err)
	require.Equal(t, ours, text)
}

// run runs over the practice to its end.
func (c *clinic) run(w reminder.Wanted) reminder.Run {
	c.Helper()
	r, err := c.app.Reminder.RunPractice(ctx, c.doctor(), w)
	require.NoError(c, err)
	require.Eventually(c, func() bool {
		r, err = c.app.Reminder.RunOf(c.doctor(), r.ID)
		require.NoError(c, err)
		return r.Ended
	}, time.Minute, time.Millisecond)
	require.Empty(c, r.Failed)
	return r
}

// A run over the practice finds for each person what their chart finds, merged records and all.
func TestARunFindsWhatTheChartsFind(t *testing.T) {
	c := open(t)
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		for i := range 300 { // more than are read at a time
			p := chart.Patient{ID: fmt.Sprintf("n%03d", i), Record: fmt.Sprint("SK-N", i), Name: chart.Name{Family: fmt.Sprintf("Name%03d", i), Given: "A"}, BirthDate: fmt.Sprintf("19%02d-05-04", 30+i%60), Sex: "FM"[i%2 : i%2+1]}
			if err := q.AddPatient(p); err != nil {
				return err
			}
			if err := q.SetUsualClinician(p.ID, c.doctor().ID, "x", c.now); err != nil {
				return err
			}
			if i%3 == 0 {
				if _, err := q.AddProblem(chart.Problem{ID: fmt.Sprint("pr", i), PatientID: p.ID, Code: "E11.9", Title: "Diabetes", Since: "2020-01-01"}); err != nil {
					return err
				}
			}
			if i%4 == 0 {
				if err := q.AddVital(chart.Vital{ID: fmt.Sprint("vi", i), PatientID: p.ID, LOINC: "85354-9", Name: "Blood pressure", Value: "128/82", Unit: "mm[Hg]", TakenAt: c.now.AddDate(0, -i%20, 0)}); err != nil {
					return err
				}
			}
		}
		return nil
	}))
	c.order("HCVAB")
	require.NoError(t, c.settle("hiv-once", reminder.ReminderDecision{ID: "d", Says: "declined", Reason: "No"}))
	c.selfHarm()
	run := c.run(reminder.Wanted{})
	require.Equal(t, []int{301, 301}, []int{run.Done, run.Of})
	require.Equal(t, 301, len(run.Rows)+run.More)
	for _, row := range []reminder.RunRow{run.Rows[0], run.Rows[17], run.Rows[250], run.Rows[300]} {
		v, err := c.app.Reminder.Reminders(ctx, c.doctor(), row.Patient.ID)
		require.NoError(t, err)
		var want []string
		for _, x := range v.Rows {
			if x.State == core.Due || x.State == core.Overdue || x.State == core.Unknown {
				want = append(want, x.Rule+" "+string(x.State)+" "+x.Since)
			}
		}
		var got []string
		for _, x := range row.Due {
			got = append(got, x.Rule+" "+string(x.State)+" "+x.Since)
		}
		if len(got) == 20 {
			require.Subset(t, want, got)
			continue
		}
		require.ElementsMatch(t, want, got, row.Patient.Family)
	}
	csv, err := c.app.Reminder.RecallCSV(ctx, c.doctor(), run.ID)
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(csv, "record,family,given,born,telephone,clinician,reminder,state,since\r\n"))
	_, err = c.app.Reminder.RunOf(c.who["second"], run.ID)
	require.Equal(t, act.Missing, kind(t, err), "a run is of who began it")
	_, err = c.app.Reminder.RunPractice(ctx, c.doctor(), reminder.Wanted{Rule: "no-such"})
	require.Equal(t, act.Missing, kind(t, err))
	_, err = c.app.Reminder.RunPractice(ctx, c.doctor(), reminder.Wanted{Try: &reminder.RuleSet{On: true}})
	require.Equal(t, act.Invalid, kind(t, err))
}

// Over the practice a measure is counted by numerator and denominator, who is left out and of whom the chart does not
// say stand apart, each person is told with the reason, and its course goes back twelve months.
func TestMeasuresOverThePractice(t *testing.T) {
	c := open(t)
	people := []struct {
		family, born string
		codes        []string
		pressures    []string // value and how many days ago
	}{
		{"Met", "1960-01-01", []string{"I10"}, []string{"132/84 10"}},
		{"Missed", "1960-01-01", []string{"I10"}, []string{"158/92 10"}},
		{"Missed Since", "1960-01-01", []string{"I10"}, []string{"128/80 300", "158/92 10"}},
		{"Never", "1960-01-01", []string{"I10"}, nil},
		{"Out", "1960-01-01", []string{"I10", "Z99.2"}, []string{"158/92 10"}},
		{"Unsure", "1960-01-01", []string{"I10"}, []string{"refused 10"}},
		{"Other", "1960-01-01", []string{"J45.909"}, []string{"158/92 10"}},
		{"Child", "2012-01-01", []string{"I10"}, nil},
	}
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		for i, x := range people {
			p := chart.Patient{ID: fmt.Sprint("m", i), Record: fmt.Sprint("SK-M", i), Name: chart.Name{Family: x.family, Given: "A"}, BirthDate: x.born, Sex: "F"}
			if err := q.AddPatient(p); err != nil {
				return err
			}
			for n, code := range x.codes {
				if _, err := q.AddProblem(chart.Problem{ID: fmt.Sprint("mp", i, n), PatientID: p.ID, Code: code, Title: code, Since: "2020-01-01"}); err != nil {
					return err
				}
			}
			for n, v := range x.pressures {
				value, days, _ := strings.Cut(v, " ")
				ago, err := strconv.Atoi(days)
				if err != nil {
					return err
				}
				if err := q.AddVital(chart.Vital{ID: fmt.Sprint("mv", i, n), PatientID: p.ID, LOINC: "85354-9", Name: "Blood pressure", Value: value, Unit: "mm[Hg]",
					TakenAt: c.now.AddDate(0, 0, -ago)}); err != nil {
					return err
				}
			}
		}
		return nil
	}))
	run := c.run(reminder.Wanted{Measure: "pressure-controlled"})
	var m reminder.MeasureCount
	for _, x := range run.Measures {
		if x.ID == "pressure-controlled" {
			m = x
		}
	}
	require.Equal(t, []int{4, 1, 3, 0, 1, 1}, []int{m.Of, m.Met, m.Missed, m.InHand, m.NotKnown, m.Excluded})
	says := map[string]string{}
	for _, r := range run.Rows {
		require.Len(t, r.Due, 1)
		says[r.Patient.Family] = string(r.Due[0].State) + " " + r.Due[0].Says
	}
	require.Len(t, says, 4)
	require.Contains(t, says["Missed"], "missed wanted: upper blood pressure below 140 mmHg within 1 year (Blood pressure 158/92 mmHg")
	require.Contains(t, says["Never"], "none recorded")
	require.Contains(t, says["Unsure"], "not known")
	require.Len(t, m.Months, 12)
	require.Equal(t, c.now.AddDate(0, 0, -c.now.Day()).Format("2006-01"), m.Months[11].Month)
	require.Equal(t, 1, m.Months[8].Met, "whose pressure was good in the spring was met then")
	_, err := c.app.Reminder.RunPractice(ctx, c.doctor(), reminder.Wanted{Measure: "pressure-taken"})
	require.Equal(t, act.Missing, kind(t, err), "that one is of a visit")
}

// Another publisher's edition of the immunization schedule is chosen, taken in as a file, and refused with its reason; a vaccine
// whose dates differ stands otherwise under it, says so, and is told once to who opens the chart again.
func TestAnEditionIsChosen(t *testing.T) {
	c := open(t)
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		if err := q.AddPatient(chart.Patient{ID: "nine", Record: "SK-9", Name: chart.Name{Family: "Nine", Given: "A"}, BirthDate: c.now.AddDate(-9, -1, 0).Format("2006-01-02"), Sex: "F"}); err != nil {
			return err
		}
		return q.SetUsualClinician("nine", c.doctor().ID, "x", c.now)
	}))
	hpv := func() reminder.ReminderView {
		v, err := c.app.Reminder.Reminders(ctx, c.doctor(), "nine")
		require.NoError(t, err)
		for _, r := range v.Rows {
			if r.Rule == "vaccine-hpv" {
				return r
			}
		}
		require.Fail(t, "no such reminder")
		return reminder.ReminderView{}
	}
	require.Equal(t, core.Holds, hpv().State, "from 11 years by the one")
	book, err := c.app.Reminder.Book(ctx, c.doctor())
	require.NoError(t, err)
	require.Len(t, book.Editions, 2)
	require.True(t, book.Editions[0].InUse)
	// An edition older than the year is said once to each who can load a newer one, and again in the next year.
	require.Contains(t, book.Old, "edition of 2025")
	for range 2 {
		require.NoError(t, c.app.Reminder.OldTold(ctx, c.doctor()))
	}
	told := func(who act.Actor) bool {
		b, err := c.app.Reminder.Book(ctx, who)
		require.NoError(t, err)
		return b.Old != ""
	}
	require.False(t, told(c.doctor()))
	require.True(t, told(c.who[act.Admin]))
	require.False(t, told(c.jonah()), "who can load none")
	now := c.now
	c.now = c.now.AddDate(1, 0, 0)
	require.True(t, told(c.doctor()))
	c.now = now
	require.Contains(t, book.Editions[1].Differs, "HPV vaccine")
	require.Contains(t, book.Editions[1].Differs, "COVID-19 vaccine, 6 to 23 months", "switched on with it")
	require.NotContains(t, book.Editions[1].Differs, "Polio vaccine")
	require.Empty(t, book.Editions[0].Differs)
	tried := c.run(reminder.Wanted{Edition: "aap-2025"})
	require.Empty(t, tried.Failed)
	require.Positive(t, tried.Gain)
	require.Zero(t, tried.Loss)
	var of []string
	for _, row := range tried.Gains {
		if row.Patient.ID == "nine" {
			for _, d := range row.Due {
				of = append(of, d.Rule)
			}
		}
	}
	require.Equal(t, []string{"vaccine-hpv"}, of, "and nothing is changed by trying")
	require.Equal(t, core.Holds, hpv().State)
	_, err = c.app.Reminder.RunPractice(ctx, c.doctor(), reminder.Wanted{Edition: "no-such"})
	require.Equal(t, act.Missing, kind(t, err))
	_, err = c.app.Reminder.RunPractice(ctx, c.doctor(), reminder.Wanted{Edition: "aap-2025", Rule: "vaccine-hpv"})
	require.Equal(t, act.Invalid, kind(t, err), "one thing is tried at a time")
	file, err := c.app.Reminder.RuleFile(ctx, c.doctor(), "aap-2025")
	require.NoError(t, err)
	require.Contains(t, file, "extends: cdc-2025")
	_, err = c.app.Reminder.SetEdition(ctx, c.doctor(), reminder.EditionSet{Edition: "no-such"})
	require.Equal(t, act.Missing, kind(t, err))
	book, err = c.app.Reminder.SetEdition(ctx, c.doctor(), reminder.EditionSet{Edition: "aap-2025"})
	require.NoError(t, err)
	require.Contains(t, book.Edition, "American Academy of Pediatrics")
	require.Contains(t, []core.State{core.Due, core.Overdue}, hpv().State, "from 9 by the other")
	require.Contains(t, hpv().Source, "American Academy of Pediatrics")
	_, err = c.app.Reminder.SetEdition(ctx, c.who["second"], reminder.EditionSet{Edition: "cdc-2025"})
	require.Equal(t, act.Conflict, kind(t, err), "made on how it stood before")

	ours := "edition: island-2027\nextends: cdc-2025\npublisher: Skerrow Island Health\ntitle: Schedule\nyear: 2027\nseries:\n- id: hpv\n  of: hpv\n  paths:\n  - doses:\n    - {from: 10 years}\n"
	for from, says := range map[string]string{"extends: cdc-2025": "there is no edition", "of: hpv": "hpv", "from: 10 years": "ten", "edition: island-2027": "there is an edition"} {
		to := map[string]string{"extends: cdc-2025": "extends: none-2020", "of: hpv": "of: nothing", "from: 10 years": "from: ten years", "edition: island-2027": "edition: aap-2025"}[from]
		got, err := c.app.Reminder.TakeIn(ctx, c.doctor(), strings.Replace(ours, from, to, 1))
		require.NoError(t, err)
		require.Empty(t, got.Rule, from)
		require.NotEmpty(t, got.Faults)
		require.Contains(t, got.Faults[0].Reason, says)
	}
	got, err := c.app.Reminder.TakeIn(ctx, c.doctor(), ours)
	require.NoError(t, err)
	require.Equal(t, "island-2027", got.Rule)
	book, err = c.app.Reminder.SetEdition(ctx, c.doctor(), reminder.EditionSet{Edition: "island-2027", Setting: book.Setting})
	require.NoError(t, err)
	require.Contains(t, book.Edition, "Skerrow Island Health")
	require.NotContains(t, []core.State{core.Due, core.Overdue}, hpv().State)
	require.Empty(t, c.app.RuleFaults())
	require.Empty(t, c.verify())
}
