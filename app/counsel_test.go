package app_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/reminder"
	"deftledger/core/chart"
	core "deftledger/core/reminder"
	"deftledger/store"
)

// Counselling is gone through by its form, settles the reminder and stands item by item; the next time what was answered comes along and
// counts only where somebody takes it over.
func TestCounsellingByItsForm(t *testing.T) {
	c := open(t)
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		_, err := q.AddProblem(chart.Problem{ID: "htn", PatientID: patientID, Code: "I10", Title: "Hypertension", Since: "2020-01-01"})
		return err
	}))
	v := c.stands("healthy-diet")
	require.Equal(t, "questionnaire", v.Acts[0].Kind)
	require.Equal(t, "counsel-diet", v.Acts[0].Code)
	asked, err := c.app.Reminder.Questionnaire(ctx, c.jonah(), patientID, "counsel-diet")
	require.NoError(t, err)
	require.Empty(t, asked.Before)
	_, err = c.app.Reminder.Screen(ctx, c.jonah(), patientID, "counsel-diet", reminder.ScreenAnswers{ID: "bad", Answers: map[string]string{"1": "many"}, Rule: "healthy-diet"})
	require.Equal(t, act.Invalid, kind(t, err))
	for range 2 { // sent twice
		got, err := c.app.Reminder.Screen(ctx, c.jonah(), patientID, "counsel-diet", reminder.ScreenAnswers{ID: "diet", Visit: visitID, Rule: "healthy-diet",
			Answers: map[string]string{"1": "3", "2": "150", "4": "yes", "5": "fish twice a week"}})
		require.NoError(t, err)
		require.Equal(t, "Counselling on diet and movement: Fruit and vegetables a day, portions: 3; Movement that makes warm, minutes a week: 150; Salt and ready meals spoken of: yes; Goal until the next visit: fish twice a week.", got.Says)
	}
	require.Equal(t, core.Holds, c.stands("healthy-diet").State)
	require.Equal(t, 1, c.count("SELECT count(*) FROM care_entry WHERE kind = 'decision'"))
	asked, err = c.app.Reminder.Questionnaire(ctx, c.doctor(), patientID, "counsel-diet")
	require.NoError(t, err)
	require.Equal(t, []reminder.AnsweredBefore{{Link: "1", Value: "3", Says: "3", On: c.app.Today()}, {Link: "2", Value: "150", Says: "150", On: c.app.Today()}, {Link: "4", Value: "yes", Says: "Yes", On: c.app.Today()},
		{Link: "5", Value: "fish twice a week", Says: "fish twice a week", On: c.app.Today()}}, asked.Before)
	scored, err := c.app.Reminder.Questionnaire(ctx, c.doctor(), patientID, "phq-2")
	require.NoError(t, err)
	require.Empty(t, scored.Before, "a score is of one day")
}

// The three questions on falls answer the question of the rulebook: a yes to any makes the exercise due, three times no settles it, and what
// was not all asked answers nothing.
func TestRiskOfFalls(t *testing.T) {
	for name, x := range map[string]struct {
		answers map[string]string
		says    string
		state   core.State
	}{
		"one yes":    {map[string]string{"1": "no", "2": "yes", "3": "no"}, "Risk of falls: at risk of falling.", core.Due},
		"all no":     {map[string]string{"1": "no", "2": "no", "3": "no"}, "Risk of falls: no risk told.", core.NotFor},
		"half of it": {map[string]string{"1": "no"}, "Risk of falls: not counted: 2 of 3 questions are not answered.", core.Unknown},
	} {
		t.Run(name, func(t *testing.T) {
			c := open(t)
			require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
				p := chart.Patient{ID: "old", Record: "SK-80", Name: chart.Name{Family: "Old", Given: "A"}, BirthDate: "1940-01-01", Sex: "F"}
				if err := q.AddPatient(p); err != nil {
					return err
				}
				return q.SetUsualClinician("old", c.doctor().ID, "x", c.now)
			}))
			got, err := c.app.Reminder.Screen(ctx, c.doctor(), "old", "fall-risk", reminder.ScreenAnswers{ID: "falls", Answers: x.answers, Rule: "falls"})
			require.NoError(t, err)
			require.Equal(t, x.says, got.Says)
			for _, r := range got.Reminders.Rows {
				if r.Rule == "falls" {
					require.Contains(t, []core.State{x.state, core.Overdue}, r.State)
				}
			}
			require.Zero(t, c.count("SELECT count(*) FROM care_entry WHERE kind = 'decision'"), "asking is no offer of exercise")
		})
	}
}

// A referral written for a reminder puts it in hand, laid for a signature or sent; called off, the reminder is due again.
func TestAReferralPutsItsReminderInHand(t *testing.T) {
	c := open(t)
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		_, err := q.AddProblem(chart.Problem{ID: "htn", PatientID: patientID, Code: "I10", Title: "Hypertension", Since: "2020-01-01"})
		return err
	}))
	require.Equal(t, core.Overdue, c.stands("healthy-diet").State)
	to := c.practiceIn("letter")
	other, err := c.app.Referral.Refer(ctx, c.doctor(), c.referral(to, "of no reminder"))
	require.NoError(t, err)
	require.NotEmpty(t, other.ID)
	require.Equal(t, core.Overdue, c.stands("healthy-diet").State)

	n := c.referral(to, "laid")
	n.Rule, n.Secret = "healthy-diet", ""
	laid, err := c.app.Referral.Prepare(ctx, c.jonah(), n)
	require.NoError(t, err)
	got := c.stands("healthy-diet")
	require.Equal(t, core.InHand, got.State)
	require.Contains(t, got.Says, "laid for a signature")
	require.NoError(t, c.app.Referral.Return(ctx, c.doctor(), laid.ID, "To another."))
	require.NoError(t, c.app.Referral.Drop(ctx, c.jonah(), laid.ID, "To another."))
	require.Equal(t, core.Overdue, c.stands("healthy-diet").State)

	n = c.referral(to, "signed")
	n.Rule = "healthy-diet"
	signed, err := c.app.Referral.Refer(ctx, c.doctor(), n)
	require.NoError(t, err)
	got = c.stands("healthy-diet")
	require.Equal(t, core.InHand, got.State)
	require.NotContains(t, got.Says, "laid")
	require.NoError(t, c.app.Referral.Cancel(ctx, c.doctor(), signed.ID, "Moved away."))
	require.Equal(t, core.Overdue, c.stands("healthy-diet").State)
}
