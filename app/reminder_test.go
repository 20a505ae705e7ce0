package app_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/registration"
	"deftledger/app/reminder"
	core "deftledger/core/reminder"
)

// stands is how a reminder stands for the patient of the tests.
func (c *clinic) stands(rule string) reminder.ReminderView {
	c.Helper()
	v, err := c.app.Reminder.Reminders(ctx, c.doctor(), patientID)
	require.NoError(c, err)
	for _, r := range v.Rows {
		if r.Rule == rule {
			return r
		}
	}
	require.Fail(c, "no such reminder", rule)
	return reminder.ReminderView{}
}

// selfHarm answers PHQ-9 with thoughts of self-harm, and names the line.
func (c *clinic) selfHarm() string {
	c.Helper()
	got, err := c.app.Reminder.Screen(ctx, c.petra(), patientID, "phq-9", reminder.ScreenAnswers{ID: "harmed", Answers: map[string]string{"9": "LA6569-3"}, Visit: visitID})
	require.NoError(c, err)
	return got.Alarm
}

func (c *clinic) settle(rule string, d reminder.ReminderDecision) error {
	_, err := c.app.Reminder.Decide(ctx, c.doctor(), patientID, rule, d)
	return err
}

// What is decided shows at once with its day, and can be taken back; both stay to be read.
func TestAReminderSettledAndTakenBack(t *testing.T) {
	c := open(t)
	v := c.stands("hepatitis-c")
	require.Equal(t, core.Overdue, v.State)
	require.Equal(t, "1986-03-14", v.Since, "since 18 years: nothing is in the chart")

	require.NoError(t, c.settle("hepatitis-c", reminder.ReminderDecision{ID: "a", Says: "put off", Until: "2026-11-04", Reason: "After the fishing season"}))
	v = c.stands("hepatitis-c")
	require.Equal(t, core.PutOff, v.State)
	require.Equal(t, "2026-11-04", v.Due)
	require.Equal(t, "Hepatitis C screening: put off until 04 Nov 2026: After the fishing season.", v.Decided.Reads)

	require.NoError(t, c.settle("hepatitis-c", reminder.ReminderDecision{ID: "b", Says: "had outside", On: "2019", Source: "patient says", Of: "hepatitis-c-antibody", Value: "negative"}))
	v = c.stands("hepatitis-c")
	require.Equal(t, core.Holds, v.State)
	require.Contains(t, v.Says, "2019 (patient says)")

	// Another takes it back, and says why; then the former decision counts again.
	_, err := c.app.Reminder.TakeBack(ctx, c.petra(), patientID, "b", "")
	require.Equal(t, act.Invalid, kind(t, err), "why is asked of another")
	_, err = c.app.Reminder.TakeBack(ctx, c.petra(), patientID, "b", "It was hepatitis B")
	require.NoError(t, err)
	require.Equal(t, core.PutOff, c.stands("hepatitis-c").State)
	_, err = c.app.Reminder.TakeBack(ctx, c.petra(), patientID, "b", "again")
	require.NoError(t, err, "sent twice it does nothing more")
	why, err := c.app.Reminder.Why(ctx, c.doctor(), patientID, "hepatitis-c")
	require.NoError(t, err)
	require.Len(t, why.History, 2)
	require.Equal(t, []string{"had outside", "It was hepatitis B", "put off", ""}, []string{why.History[0].Says, why.History[0].BackWhy, why.History[1].Says, why.History[1].Back})
	require.Equal(t, "USPSTF 2020, Hepatitis C Virus Infection in Adolescents and Adults: Screening (grade B)", why.Source)
	require.Equal(t, 1, c.count("SELECT count(*) FROM care_entry WHERE kind = 'service' AND back_at <> ''"), "the fact it left went back with it")
}

// Of a rule that data close, nobody can say that it is done; what was had elsewhere is a fact with its source.
func TestTwoKindsOfReminder(t *testing.T) {
	c := open(t)
	err := c.settle("breast-cancer", reminder.ReminderDecision{ID: "a", Says: "done"})
	require.Equal(t, act.Invalid, kind(t, err))
	require.ErrorContains(t, err, "not by a statement")
	require.Equal(t, core.Overdue, c.stands("breast-cancer").State)
	o := c.order("HCVAB")
	require.Equal(t, core.InHand, c.stands("hepatitis-c").State, "ordered, not yet done")
	require.Contains(t, c.stands("hepatitis-c").Says, "04 May 2026")
	_, err = c.app.Order.CancelOrder(ctx, c.doctor(), o.ID, "Wrong patient")
	require.NoError(t, err)
	require.Equal(t, core.Overdue, c.stands("hepatitis-c").State, "what was cancelled is no longer in hand")
}

// Every way of saying it wrong is refused with what to do, and leaves nothing.
func TestADecisionThatCannotBe(t *testing.T) {
	c := open(t)
	for says, d := range map[string]reminder.ReminderDecision{
		"Say why":                            {Says: "declined"},
		"Say to which day":                   {Says: "put off", Reason: "later"},
		"lies in the future":                 {Says: "put off", Reason: "later", Until: "2026-05-04"},
		"is no day":                          {Says: "put off", Reason: "later", Until: "soon"},
		"more than ten years":                {Says: "put off", Reason: "later", Until: "2040-01-01"},
		"Say who says so":                    {Says: "had outside", On: "2019", Of: "colonoscopy"},
		"Say when it was":                    {Says: "had outside", Source: "patient says", Of: "colonoscopy"},
		"When it was":                        {Says: "had outside", Source: "patient says", On: "2027", Of: "colonoscopy"},
		"before the patient was born":        {Says: "had outside", Source: "patient says", On: "1950", Of: "colonoscopy"},
		"Say what it was":                    {Says: "had outside", Source: "patient says", On: "2019", Of: "mammogram"},
		"no decision":                        {Says: "maybe"},
		"no identifier":                      {ID: "-", Says: "declined", Reason: "x"},
		"A day on which it was done":         {Says: "declined", Reason: "x", On: "2026-05-01"},
		"There is no such visit of this":     {Says: "declined", Reason: "x", Visit: "v9"},
		"is fulfilled by what stands in the": {Says: "done"},
	} {
		d.ID = strings.Replace("q"+d.ID, "q-", "", 1)
		err := c.settle("colorectal-cancer", d)
		require.ErrorContains(t, err, says)
	}
	require.Equal(t, act.Missing, kind(t, c.settle("no-such-rule", reminder.ReminderDecision{ID: "x", Says: "declined", Reason: "x"})))
	_, err := c.app.Reminder.Decide(ctx, c.doctor(), "p9", "hepatitis-c", reminder.ReminderDecision{ID: "x", Says: "declined", Reason: "x"})
	require.Equal(t, act.Missing, kind(t, err))
	require.Equal(t, 0, c.count("SELECT count(*) FROM care_entry"))

	// Sent twice it counts once; another decision under the same name does not count.
	require.NoError(t, c.settle("hepatitis-c", reminder.ReminderDecision{ID: "a", Says: "declined", Reason: "No"}))
	require.NoError(t, c.settle("hepatitis-c", reminder.ReminderDecision{ID: "a", Says: "declined", Reason: "No"}))
	require.Equal(t, act.Conflict, kind(t, c.settle("hepatitis-c", reminder.ReminderDecision{ID: "a", Says: "does not apply", Reason: "No"})))
	require.Equal(t, 1, c.count("SELECT count(*) FROM care_entry"))
}

// What the chart does not say is asked, and the answer decides; tobacco goes where it belongs.
func TestWhatIsNotKnownIsAsked(t *testing.T) {
	c := open(t)
	v := c.stands("lung-cancer")
	require.Equal(t, core.Unknown, v.State, "nobody asked is not no")
	require.Equal(t, "tobacco", v.Asks[0].ID)
	answer := func(id, question, value string) error {
		_, err := c.app.Reminder.Answer(ctx, c.doctor(), patientID, reminder.RuleAnswer{ID: id, Question: question, Value: value})
		return err
	}
	require.NoError(t, answer("t1", "tobacco", "1 ppd x 30 years, smokes"))
	require.Equal(t, core.Overdue, c.stands("lung-cancer").State)
	require.NoError(t, answer("t2", "tobacco", "never"))
	require.Equal(t, core.NotFor, c.stands("lung-cancer").State)
	require.Equal(t, 1, c.count("SELECT count(*) FROM history WHERE list = 'social' AND title = 'Tobacco' AND ended_at = '' AND detail = 'never'"))
	require.Equal(t, 1, c.count("SELECT count(*) FROM history WHERE list = 'social' AND title = 'Tobacco' AND ended_at <> ''"), "the former entry can be read")

	require.Equal(t, core.Unknown, c.stands("latent-tuberculosis").State)
	require.NoError(t, answer("b1", "tuberculosis-risk", "no"))
	require.Equal(t, core.NotFor, c.stands("latent-tuberculosis").State)
	require.NoError(t, answer("b2", "tuberculosis-risk", "yes"))
	require.Equal(t, core.Due, c.stands("latent-tuberculosis").State, "since today: it was not known before")
	require.NoError(t, answer("b3", "tuberculosis-risk", "not known"))
	require.Equal(t, core.Unknown, c.stands("latent-tuberculosis").State)
	require.Equal(t, act.Invalid, kind(t, answer("b4", "tuberculosis-risk", "perhaps")))
	require.Equal(t, act.Missing, kind(t, answer("b5", "shoe-size", "44")))
	require.Equal(t, act.Invalid, kind(t, answer("", "tuberculosis-risk", "no")))
}

// What was decided at a visit stands in the plan of its note, changes with it, and is fixed by the
// signature.
func TestWhatWasDecidedStandsInTheNote(t *testing.T) {
	c := open(t)
	note, err := c.app.Note.StartVisit(ctx, c.doctor(), visitID)
	require.NoError(t, err)
	require.NoError(t, c.settle("hepatitis-c", reminder.ReminderDecision{ID: "a", Says: "declined", Reason: "Tested at work", Visit: visitID}))
	require.NoError(t, c.settle("hiv-once", reminder.ReminderDecision{ID: "b", Says: "had outside", On: "2024-06", Source: "record of Northsound", Visit: visitID}))
	text := func() (out string) {
		n, err := c.app.Note.Note(ctx, c.doctor(), note)
		require.NoError(t, err)
		for _, b := range n.Blocks {
			if b.Label == "Preventive care" {
				for _, p := range b.Pieces {
					out += p.Text + " "
				}
			}
		}
		return strings.TrimSpace(out)
	}
	require.Equal(t, "Hepatitis C screening: declined: Tested at work. HIV test, once: had elsewhere, Jun 2024 (record of Northsound).", text())
	_, err = c.app.Reminder.TakeBack(ctx, c.doctor(), patientID, "a", "")
	require.NoError(t, err)
	require.Equal(t, "HIV test, once: had elsewhere, Jun 2024 (record of Northsound).", text())
}

// A questionnaire is kept item by item with its score, which fulfils the reminder; an answer that speaks of
// self-harm opens a line at once, and it closes by a person who says what was done, and by nothing else.
func TestAnAnswerOfSelfHarmIsALine(t *testing.T) {
	c := open(t)
	const not, several = "LA6568-5", "LA6569-3"
	answers := map[string]string{}
	for _, link := range strings.Fields("1 2 3 4 5 6 7 8") {
		answers[link] = not
	}
	require.Equal(t, core.Overdue, c.stands("depression").State)
	answer := func(id string, a map[string]string) (reminder.Screened, error) {
		return c.app.Reminder.Screen(ctx, c.petra(), patientID, "phq-9", reminder.ScreenAnswers{ID: id, Answers: a, Visit: visitID})
	}
	half, err := answer("half", map[string]string{"1": several})
	require.NoError(t, err)
	require.Equal(t, "PHQ-9: not counted: 8 of 9 questions are not answered.", half.Says)
	require.Equal(t, core.Overdue, c.stands("depression").State, "what is half answered fulfils nothing")
	require.Empty(t, half.Alarm)

	answers["9"] = several
	got, err := answer("whole", answers)
	require.NoError(t, err)
	require.Equal(t, "1", got.Scored.Total)
	require.NotEmpty(t, got.Alarm)
	again, err := answer("whole", answers)
	require.NoError(t, err)
	require.Equal(t, got.Alarm, again.Alarm, "sent twice it is one line")
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'thoughts of self-harm'"))
	d := c.desk()
	require.Equal(t, "thoughts of self-harm", string(d.Rows[0].Kind), "before everything else on the desk of the physician of the visit")
	require.Equal(t, core.Holds, c.stands("depression").State)

	h, err := c.app.Reminder.Harm(ctx, c.doctor(), got.Alarm)
	require.NoError(t, err)
	require.Equal(t, "Several days", h.Answer)
	require.NotEmpty(t, h.Steps)
	require.Equal(t, act.Forbidden, kind(t, c.app.Reminder.CloseHarm(ctx, c.petra(), got.Alarm, "I spoke with her about it")))
	require.Equal(t, act.Invalid, kind(t, c.app.Reminder.CloseHarm(ctx, c.doctor(), got.Alarm, "ok")))
	require.NoError(t, c.app.Reminder.CloseHarm(ctx, c.doctor(), got.Alarm, "No plan, no means; safety plan made, daughter called."))
	require.Equal(t, act.Conflict, kind(t, c.app.Reminder.CloseHarm(ctx, c.doctor(), got.Alarm, "No plan, no means; safety plan made.")))
	require.Equal(t, 0, c.count("SELECT count(*) FROM line WHERE kind = 'thoughts of self-harm' AND closed_at = ''"))
	for _, bad := range []map[string]string{{}, {"1": "LA0-0"}, {"11": not}, {"1": strings.Repeat("x", 201)}} {
		_, err := answer("bad", bad)
		require.Equal(t, act.Invalid, kind(t, err))
	}
	_, err = c.app.Reminder.Screen(ctx, c.petra(), patientID, "no-such-form", reminder.ScreenAnswers{ID: "x", Answers: answers})
	require.Equal(t, act.Missing, kind(t, err))
	_, err = answer("whole", map[string]string{"1": several})
	require.Equal(t, act.Conflict, kind(t, err), "another under the same name")
}

// Who opens a chart again is told once what became due since, and which rule was switched on meanwhile.
func TestWhatBecameDueIsToldOnce(t *testing.T) {
	c := open(t)
	told := func() []string {
		v, err := c.app.Chart.Chart(ctx, c.doctor(), patientID)
		require.NoError(t, err)
		if v.Since == nil {
			return nil
		}
		return v.Since.Items
	}
	require.Empty(t, told(), "the first time there is no since")
	require.NoError(t, c.settle("hepatitis-c", reminder.ReminderDecision{ID: "a", Says: "put off", Until: "2026-06-04", Reason: "Later"}))
	require.Empty(t, told())
	c.now = c.now.AddDate(0, 4, 0) // September: the season has begun
	items := told()
	require.Contains(t, items, "Became due: Influenza vaccine")
	require.Empty(t, told(), "once")
	_, err := c.app.Reminder.Set(ctx, c.doctor(), "syphilis", reminder.RuleSet{On: true})
	require.NoError(t, err)
	require.Equal(t, []string{"New or changed rule: Syphilis test with a higher risk (not known)"}, told())
	c.later(30) // a look is recorded once in a while
	_, err = c.app.Chart.Chart(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	require.Empty(t, told())
}

// A vaccine had elsewhere counts as the product that it was.
func TestAVaccineHadElsewhere(t *testing.T) {
	c := open(t)
	require.Equal(t, core.Overdue, c.stands("vaccine-zoster").State)
	require.Equal(t, act.Invalid, kind(t, c.settle("vaccine-tetanus-booster", reminder.ReminderDecision{ID: "x", Says: "had outside", On: "2020-01-05", Source: "record seen"})), "which of them is asked")
	require.NoError(t, c.settle("vaccine-zoster", reminder.ReminderDecision{ID: "a", Says: "had outside", On: "2025-09-01", Source: "record seen"}))
	v := c.stands("vaccine-zoster")
	require.Equal(t, core.Overdue, v.State)
	require.Equal(t, "2025-11-01", v.Since, "the second, two months after the first")
	require.Equal(t, "dose 2; one dose that counts, 01 Sep 2025", v.Says)
	require.NoError(t, c.settle("vaccine-zoster", reminder.ReminderDecision{ID: "b", Says: "had outside", On: "2025-12-01", Source: "record seen"}))
	require.Equal(t, core.Holds, c.stands("vaccine-zoster").State)
	_, err := c.app.Reminder.TakeBack(ctx, c.doctor(), patientID, "b", "")
	require.NoError(t, err)
	require.Equal(t, core.Overdue, c.stands("vaccine-zoster").State)
	require.NoError(t, c.settle("vaccine-tetanus-booster", reminder.ReminderDecision{ID: "t", Says: "had outside", On: "2020", Source: "patient says", CVX: "139"}))
	require.Equal(t, core.Holds, c.stands("vaccine-tetanus-booster").State)
}

// Nothing is due for the dead.
func TestNothingIsDueForTheDead(t *testing.T) {
	c := open(t)
	now, err := c.app.Registration.Registration(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	change := func(died string, yes ...string) registration.ToAnswer {
		r := now.Registration
		r.Died = died
		v, err := c.app.Registration.ChangeRegistration(ctx, c.sunniva(), patientID, registration.ChangedRegistration{Registration: r, Usual: now.Usual, Version: now.Version, Answers: registration.Answers{Yes: yes}})
		require.NoError(t, err)
		return v
	}
	require.False(t, change("2027").Kept, "still ahead")
	asked := change("2026-04")
	require.False(t, asked.Kept, "it is asked first")
	var yes []string
	for _, f := range asked.Findings {
		yes = append(yes, f.Says)
	}
	require.True(t, change("2026-04", yes...).Kept)
	v := c.stands("hepatitis-c")
	require.Equal(t, core.NotFor, v.State)
	require.Contains(t, v.Says, "died")
	all, err := c.app.Reminder.Reminders(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	require.Zero(t, all.Open)
	require.Empty(t, c.run(reminder.Wanted{}).Rows)
	chart, err := c.app.Chart.Chart(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	require.Equal(t, "2026-04", chart.Died)
}

// A stool test that found blood is followed up: it settles the screening not even for a day, and the reason says so.
func TestAPositiveTestSettlesNothing(t *testing.T) {
	c := open(t)
	means := []string{}
	for _, m := range c.stands("colorectal-cancer").Means {
		means = append(means, m.Name)
	}
	require.Contains(t, means, "fit")
	require.NoError(t, c.settle("colorectal-cancer", reminder.ReminderDecision{ID: "a", Says: "had outside", On: "2026-05-02", Source: "record seen", Of: "fit", Value: "positive"}))
	require.Contains(t, []core.State{core.Due, core.Overdue}, c.stands("colorectal-cancer").State)
	why, err := c.app.Reminder.Why(ctx, c.doctor(), patientID, "colorectal-cancer")
	require.NoError(t, err)
	says := []string{}
	for _, l := range why.Satisfied {
		says = append(says, l.Says)
	}
	require.Contains(t, says, "stool test for blood (FIT), good for 1 year; settles nothing where positive, and nothing else does until colonoscopy")

	require.NoError(t, c.settle("colorectal-cancer", reminder.ReminderDecision{ID: "b", Says: "had outside", On: "2026-05-02", Source: "record seen", Of: "fit", Value: "negative"}))
	require.Equal(t, core.Due, c.stands("colorectal-cancer").State, "of two of one day that contradict each other, the one that asks for more counts")
}
