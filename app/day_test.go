package app_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	charts "deftledger/app/chart"
	results "deftledger/app/result"
	"deftledger/core/chart"
	"deftledger/core/result"
	"deftledger/core/visit"
	"deftledger/store"
)

func TestTheDayPointsOutLookalikes(t *testing.T) {
	c := open(t)
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		if err := q.AddPatient(chart.Patient{ID: "p2", Record: "SK-2", Name: chart.Name{Family: "Marsh Adeyemi", Given: "Oona"},
			BirthDate: "1999-01-01", Sex: "F"}); err != nil {
			return err
		}
		return q.AddVisit(visit.Visit{ID: "v2", PatientID: "p2", ClinicianID: c.doctor().ID, Day: "2026-05-04", StartsAt: c.now.Add(time.Hour),
			Kind: "Acute visit", Reason: "Cough", Stage: "expected", StageAt: c.now})
	}))
	day, err := c.app.Visit.Day(ctx, c.who[act.FrontDesk], "")
	require.NoError(t, err)
	require.Len(t, day, 2)
	require.Equal(t, []string{"Oona Marsh Adeyemi"}, day[0].Alike)
	require.Equal(t, "58 y", day[0].Patient.Age)
	require.Equal(t, "2026-05-04T10:00:00-04:00", day[0].StartsAt, "moments carry the practice's offset")
	empty, err := c.app.Visit.Day(ctx, c.doctor(), "2026-05-05")
	require.NoError(t, err)
	require.Empty(t, empty)
}

func TestStagesMoveOnTheVersionThatWasSeen(t *testing.T) {
	c := open(t)
	events, done := c.app.Hub.Subscribe(act.Physician)
	defer done()
	require.NoError(t, c.app.Visit.MoveVisit(ctx, c.who[act.Assistant], visitID, "intake", 1))
	require.Equal(t, act.Event{Kind: "visit", ID: visitID, Patient: patientID}, <-events)
	require.Equal(t, act.Conflict, kind(t, c.app.Visit.MoveVisit(ctx, c.doctor(), visitID, "ready", 1)))
	require.Equal(t, act.Invalid, kind(t, c.app.Visit.MoveVisit(ctx, c.doctor(), visitID, "vanished", 2)))
	require.Equal(t, act.Missing, kind(t, c.app.Visit.MoveVisit(ctx, c.doctor(), "nobody", "ready", 2)))
	// Starting follows the work: the physician's start moves it, the assistant's does not.
	first, err := c.app.Note.StartVisit(ctx, c.who[act.Assistant], visitID)
	require.NoError(t, err)
	day, _ := c.app.Visit.Day(ctx, c.doctor(), "")
	require.Equal(t, visit.Intake, day[0].Stage)
	again, err := c.app.Note.StartVisit(ctx, c.doctor(), visitID)
	require.NoError(t, err)
	require.Equal(t, first, again, "a draft is resumed where it stood")
	day, _ = c.app.Visit.Day(ctx, c.doctor(), "")
	require.Equal(t, visit.InVisit, day[0].Stage)
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'note'"))
}

func TestTheProblemList(t *testing.T) {
	c := open(t)
	require.NoError(t, c.app.Chart.AddProblem(ctx, c.doctor(), patientID, "m10071"))
	require.NoError(t, c.app.Chart.AddProblem(ctx, c.doctor(), patientID, "M10.071"), "twice is once")
	require.Equal(t, act.Invalid, kind(t, c.app.Chart.AddProblem(ctx, c.doctor(), patientID, "M10.07")))
	require.Equal(t, act.Missing, kind(t, c.app.Chart.AddProblem(ctx, c.doctor(), "nobody", "I10")))
	v := c.everything(patientID)
	require.Equal(t, []charts.ProblemView{{Code: "M10.071", Title: "Idiopathic gout, right ankle and foot", Since: "2026-05-04"}}, v.Problems)
	require.NoError(t, c.app.Chart.EndProblem(ctx, c.doctor(), patientID, "M10.071"))
	require.Equal(t, act.Missing, kind(t, c.app.Chart.EndProblem(ctx, c.doctor(), patientID, "M10.071")))
	require.Equal(t, 1, c.count("SELECT count(*) FROM problem WHERE ended = '2026-05-04'"), "ended, not deleted")
}

func TestEarlierValuesOfTheSameAnalyteStandBeside(t *testing.T) {
	c := open(t)
	for i, v := range []string{"4.1", "4.9", "5.3"} {
		o := c.order("K")
		c.step()
		c.receive(oru("E"+v, o.Placer+"-1", "F", v, "202605040800-0400", []string{"202601040800-0500", "202603040800-0500",
			"202605040800-0400"}[i], "3.5-5.1||||F", "3.5-5.1||||F||||||||||||Brinehouse Laboratory"), "AA")
	}
	for _, r := range c.desk().Reports {
		v, err := c.app.Result.Report(ctx, c.doctor(), r.ID)
		require.NoError(t, err)
		var earlier []string
		for _, e := range v.Values[0].Earlier {
			earlier = append(earlier, e.Text+" "+e.At[:10])
		}
		require.Equal(t, map[string][]string{"4.1": nil, "4.9": {"4.1 2026-01-04"},
			"5.3": {"4.9 2026-03-04", "4.1 2026-01-04"}}[v.Values[0].Text], earlier)
		if v.Values[0].Text == "5.3" {
			require.False(t, v.Values[0].Disagree, "no flag came that says otherwise")
			require.Equal(t, "above", v.Values[0].Side)
			require.Equal(t, "2026-05-04T08:00-04:00", v.CollectedAt, "to the minute, as it came")
			// 0.4 of 4.9 are 8.2 %; 1.96 x sqrt(2) x sqrt(1.2² + 4.6²) are 13.2 %.
			require.Equal(t, &results.ChangeView{Verdict: result.Within, Percent: "+8.2 %", Limit: "+13 %", Against: "2026-03-04T08:00-05:00", Why: v.Values[0].Change.Why}, v.Values[0].Change)
			require.Contains(t, v.Values[0].Change.Why, "Ricós and others 1999, table of 2014")
		}
	}
}

// The filtration rate over years: by the values of one laboratory, equation and unit; another's, and what is no number, are left out.
func TestTheFiltrationRateOverYears(t *testing.T) {
	c := open(t)
	last := ""
	for i, v := range []struct{ value, on, by string }{{"60", "202405040800-0400", "Brinehouse Laboratory"}, {"57", "202411030800-0500", "Brinehouse Laboratory"}, {"90", "202412030800-0500", "Elsewhere"}, {"55", "202505040800-0400", "Brinehouse Laboratory"},
		{">90", "202506040800-0400", "Brinehouse Laboratory"}, {"51", "202511030800-0500", "Brinehouse Laboratory"}, {"49", "202605040800-0400", "Brinehouse Laboratory"}} {
		o := c.order("K")
		c.step()
		c.receive(oru("T"+v.value, o.Placer+"-1", "F", v.value, "202605040800-0400", v.on, "OBX|1|NM|K^Potassium^L^2823-3^^LN||", "OBX|1|NM|EGFR^eGFR^L^98979-8^^LN||", "mmol/L|3.5-5.1||||F", "mL/min/1.73m2|>59||||F||||||||||||"+v.by), "AA")
		for _, r := range c.desk().Reports {
			got, err := c.app.Result.Report(ctx, c.doctor(), r.ID)
			require.NoError(t, err)
			if got.Values[0].Text == v.value {
				last = got.Values[0].Trend
			}
		}
		if i < 5 {
			require.Empty(t, last, "fewer than four, or less than a year")
		}
	}
	// Days 0, 183, 365, 548 and 730: worked by hand, as in core/result.
	require.Equal(t, "falls by 5.6 a year over 2.0 years (5 values; with 95 % by 4.6 to 6.6). More than 5 a year is rapid progression (KDIGO 2024)", last)
}

func TestAChartTellsOnceWhatCameSince(t *testing.T) {
	c := open(t)
	v, err := c.app.Chart.Chart(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	require.Nil(t, v.Since, "opened for the first time")
	o := c.order("K")
	c.step()
	c.receive(oru("S1", o.Placer+"-1", "F", "4.1"), "AA")
	c.now = c.now.Add(11 * time.Minute)
	v, err = c.app.Chart.Chart(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	require.Equal(t, []string{"Result: Potassium"}, v.Since.Items)
	c.now = c.now.Add(11 * time.Minute)
	v, err = c.app.Chart.Chart(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	require.Nil(t, v.Since, "once")
}
