package app_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	circles "deftledger/app/circle"
	"deftledger/core/chart"
	"deftledger/core/circle"
	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/core/visit"
	"deftledger/store"

	orders "deftledger/app/order"
)

// team makes two teams: these, and everybody else who sees charts.
func (c *clinic) team(these ...string) {
	c.Helper()
	var own, rest []string
	for _, role := range []string{act.Physician, act.Nurse, act.Assistant, "second"} {
		mine := false
		for _, t := range these {
			mine = mine || t == role
		}
		if mine {
			own = append(own, c.who[role].ID)
		} else {
			rest = append(rest, c.who[role].ID)
		}
	}
	for name, members := range map[string][]string{"Hill": own, "Harbor": rest} {
		_, err := c.app.Circle.SetTeam(ctx, c.who[act.Admin], circles.TeamView{Name: name, Members: members})
		require.NoError(c, err)
	}
}

// closed says whether an act was refused because the chart is closed, and of whom.
func closed(t testing.TB, err error) bool {
	var r *act.Refusal
	if errors.As(err, &r) && r.Code == "closed-chart" {
		require.Equal(t, patientID, r.Of)
		require.Equal(t, act.Forbidden, r.Kind)
		return true
	}
	require.NoError(t, err)
	return false
}

// TestWhatOpensAChartInThePractice: for each role, what ties them to a patient opens the chart to reading and to
// writing, and without it both are refused.
func TestWhatOpensAChartInThePractice(t *testing.T) {
	tie := map[string]func(c *clinic, q *store.Q) error{
		"nothing": func(*clinic, *store.Q) error { return nil },
		"usual clinician": func(c *clinic, q *store.Q) error {
			return q.SetUsualClinician(patientID, c.who["second"].ID, c.who["second"].ID, c.now)
		},
		"visit of two years ago": func(c *clinic, q *store.Q) error {
			return q.AddVisit(visit.Visit{ID: "old", PatientID: patientID, ClinicianID: c.who["second"].ID, Day: "2024-05-04", StartsAt: c.now, Stage: "done", StageAt: c.now})
		},
		"visit of four years ago": func(c *clinic, q *store.Q) error {
			return q.AddVisit(visit.Visit{ID: "old", PatientID: patientID, ClinicianID: c.who["second"].ID, Day: "2022-05-04", StartsAt: c.now, Stage: "done", StageAt: c.now})
		},
		"appointment": func(c *clinic, q *store.Q) error {
			return q.AddVisit(visit.Visit{ID: "next", PatientID: patientID, ClinicianID: c.who["second"].ID, Day: "2026-08-04", StartsAt: c.now.AddDate(0, 3, 0),
				Stage: "expected", StageAt: c.now})
		},
		"order": func(c *clinic, q *store.Q) error {
			return q.AddOrder(store.Order{ID: "o", PatientID: patientID, ClinicianID: c.who["second"].ID, Placer: "SK9", State: order.Signed, SignedAt: c.now,
				RequestID: "r9"})
		},
		"line": func(c *clinic, q *store.Q) error {
			return q.OpenLine("l", line.Report, "x", patientID, c.who["second"].ID, line.Open, c.now)
		},
		"cover": func(c *clinic, q *store.Q) error {
			return q.AddCover(store.Cover{ID: "c", OfID: c.doctor().ID, ByID: c.who["second"].ID, From: "2026-05-01", To: "2026-05-04", SetAt: c.now})
		},
		"cover of yesterday": func(c *clinic, q *store.Q) error {
			return q.AddCover(store.Cover{ID: "c", OfID: c.doctor().ID, ByID: c.who["second"].ID, From: "2026-05-01", To: "2026-05-03", SetAt: c.now})
		},
		"another record of the same person": func(c *clinic, q *store.Q) error {
			if err := q.AddPatient(chart.Patient{ID: "twin", Record: "SK-9", Name: chart.Name{Family: "Marsh", Given: "Ottoline"}, BirthDate: "1968-03-14", Sex: "F"}); err != nil {
				return err
			}
			if err := q.SetUsualClinician("twin", c.who["second"].ID, "x", c.now); err != nil {
				return err
			}
			return q.AddMerge(store.Merge{ID: "m", KeptID: patientID, OtherID: "twin", Reason: "same", ByID: c.doctor().ID, At: c.now})
		},
	}
	opens := map[string]bool{"usual clinician": true, "visit of two years ago": true, "appointment": true, "order": true, "line": true, "cover": true,
		"another record of the same person": true}
	for name, make := range tie {
		c := open(t)
		id := c.note()
		c.team("second", act.Nurse)
		require.NoError(t, c.store.Write(ctx, func(q *store.Q) error { return make(c, q) }), name)
		for _, role := range []string{"second", act.Nurse} {
			want := opens[name] && (role == "second" || name != "cover") // of whom somebody of the team covers for is not the team's
			who := c.who[role]
			_, err := c.app.Chart.Chart(ctx, who, patientID)
			require.Equal(t, !want, closed(t, err), "%s: the chart for the %s", name, role)
			_, err = c.app.Note.Note(ctx, who, id)
			require.Equal(t, !want, closed(t, err), "%s: the note for the %s", name, role)
			_, err = c.app.Note.SavePart(ctx, who, id, note.Plan, "Words of "+role+".", 0, "s"+role)
			if err == nil || kind(t, err) == act.Forbidden {
				require.Equal(t, !want, closed(t, err), "%s: writing for the %s", name, role)
			}
		}
		_, err := c.app.Chart.Chart(ctx, c.doctor(), patientID)
		require.NoError(t, err, "%s: it is open to whose visit it is", name)
		_, err = c.app.Chart.Chart(ctx, c.who[act.Assistant], patientID)
		require.NoError(t, err, "%s: and to their team", name)
	}
}

// TestTheWidthIsChosenByTheClinic: narrower than the team, and the whole practice.
func TestTheWidthIsChosenByTheClinic(t *testing.T) {
	c := open(t)
	admin, mate := c.who[act.Admin], c.who[act.Assistant]
	c.team("second")
	see := func(w act.Actor) bool { _, err := c.app.Chart.Chart(ctx, w, patientID); return !closed(t, err) }
	require.True(t, see(mate))
	require.False(t, see(c.who["second"]))
	require.NoError(t, c.app.Circle.SetWidth(ctx, admin, circle.Own))
	require.False(t, see(mate), "at once, whatever was open before")
	require.True(t, see(c.doctor()))
	require.NoError(t, c.app.Circle.SetWidth(ctx, admin, circle.Practice))
	require.True(t, see(c.who["second"]))
	require.Equal(t, act.Invalid, kind(t, c.app.Circle.SetWidth(ctx, admin, "everybody")))
	require.NoError(t, c.app.Circle.SetWidth(ctx, admin, circle.Team))
	l, err := c.app.Circle.Lists(ctx, admin)
	require.NoError(t, err)
	for _, x := range l.Teams {
		require.NoError(t, c.app.Circle.DropTeam(ctx, admin, x.ID))
	}
	require.True(t, see(c.who["second"]), "a practice that has made no teams is one team")
}

// TestAnOpenedChartIsALineUntilSomebodyElseHasLooked: a sentence why, twelve hours, a mark in the chart, and a
// named person who closes the line.
func TestAnOpenedChartIsALineUntilSomebodyElseHasLooked(t *testing.T) {
	c := open(t)
	second, admin := c.who["second"], c.who[act.Admin]
	c.team("second")
	door, err := c.app.Circle.Door(ctx, second, patientID)
	require.NoError(t, err)
	require.False(t, door.Open)
	require.Equal(t, "Ottoline", door.Patient.Given)
	require.Equal(t, "whoever may review opened charts", door.Reviewer)
	require.Equal(t, act.Invalid, kind(t, c.app.Circle.SetReviewer(ctx, admin, c.who[act.Nurse].ID)), "who may not review is not named")
	require.NoError(t, c.app.Circle.SetReviewer(ctx, admin, c.doctor().ID))
	for _, bad := range []string{"", "  ", "urgent"} {
		require.Equal(t, act.Invalid, kind(t, c.app.Circle.OpenChart(ctx, second, patientID, bad)), bad)
	}
	require.Equal(t, act.Missing, kind(t, c.app.Circle.OpenChart(ctx, second, "nobody", "She is at the door.")))
	for range 2 { // twice is once
		require.NoError(t, c.app.Circle.OpenChart(ctx, second, patientID, "She is at the door, short of breath."))
	}
	require.Equal(t, 1, c.count("SELECT count(*) FROM opening"))
	v, err := c.app.Chart.Chart(ctx, second, patientID)
	require.NoError(t, err)
	require.NotNil(t, v.Opened, "the chart says that it is open for a reason")
	require.Equal(t, "She is at the door, short of breath.", v.Opened.Reason)
	require.Equal(t, c.doctor().Name, v.Opened.Reviewer)
	mine, err := c.app.Chart.Chart(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	require.Nil(t, mine.Opened, "to others it is open as it was")
	var row *act.LineRow
	for _, r := range mine.Open {
		if r.Kind == line.Opening {
			row = r
		}
	}
	require.NotNil(t, row, "and they see who opened it, and why")
	require.Contains(t, row.Title, "She is at the door")
	require.Equal(t, c.doctor().Name, row.Owner)
	require.Zero(t, c.count("SELECT count(*) FROM audit WHERE detail LIKE '%door%' OR subject LIKE '%door%'"), "the reason is not in the audit")
	require.Equal(t, 1, c.count("SELECT count(*) FROM audit WHERE act = 'open a closed chart with a reason'"))

	require.Equal(t, act.Invalid, kind(t, c.app.Circle.ReviewOpening(ctx, second, row.ID, circle.Right, "")), "nobody reviews their own")
	require.Equal(t, act.Invalid, kind(t, c.app.Circle.ReviewOpening(ctx, c.doctor(), row.ID, circle.FollowUp, "")))
	for range 2 {
		require.NoError(t, c.app.Circle.ReviewOpening(ctx, c.doctor(), row.ID, circle.Right, ""))
	}
	require.Equal(t, act.Conflict, kind(t, c.app.Circle.ReviewOpening(ctx, admin, row.ID, circle.FollowUp, "Why?")), "it is reviewed once")
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'opened chart' AND closed_by = ?", c.doctor().ID))
	db := past(t, c.dir)
	for _, change := range []string{"UPDATE opening SET reason = 'x'", "UPDATE opening SET verdict = 'x'", "DELETE FROM opening"} {
		_, err := db.Exec(change)
		require.Error(t, err, change)
	}
	c.now = c.now.Add(circle.Lasts + time.Minute)
	_, err = c.app.Chart.Chart(ctx, second, patientID)
	require.True(t, closed(t, err), "after twelve hours it is closed again")
	require.Empty(t, c.verify())

	// Whoever is named does not review what they opened themself: then it is of whoever may.
	require.NoError(t, c.app.Circle.SetReviewer(ctx, admin, second.ID))
	require.NoError(t, c.app.Circle.OpenChart(ctx, second, patientID, "She calls about her result."))
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'opened chart' AND closed_at = '' AND owner_id IS NULL"))
	waiting, err := c.app.Circle.Openings(ctx, admin, false)
	require.NoError(t, err)
	require.Len(t, waiting, 1)
	require.True(t, waiting[0].MayReview)
	all, err := c.app.Circle.Openings(ctx, admin, true)
	require.NoError(t, err)
	require.Len(t, all, 2)
}

// TestNobodyGivesThemselfTheChartsOfAnother: a physician says who covers for them, and of a closed chart nobody
// makes themself the usual clinician.
func TestNobodyGivesThemselfTheChartsOfAnother(t *testing.T) {
	c := open(t)
	second := c.who["second"]
	c.team("second")
	cover := func(who act.Actor, of, by act.Actor, from, to string) error {
		return c.app.Circle.AddCover(ctx, who, circles.CoverView{Of: of.ID, By: by.ID, From: from, To: to})
	}
	require.Equal(t, act.Forbidden, kind(t, cover(second, c.doctor(), second, "2026-05-04", "2026-05-05")))
	require.True(t, closed(t, c.app.Circle.SetUsual(ctx, second, patientID, second.ID)))
	require.Zero(t, c.count("SELECT count(*) FROM usual_clinician"))
	require.Equal(t, act.Invalid, kind(t, cover(c.doctor(), c.doctor(), second, "2026-05-05", "2026-05-04")))
	require.Equal(t, act.Invalid, kind(t, cover(c.doctor(), c.doctor(), c.who[act.FrontDesk], "2026-05-04", "2026-05-05")), "the front desk covers for nobody")
	for range 2 {
		require.NoError(t, cover(c.doctor(), c.doctor(), second, "2026-05-04", "2026-05-05"))
	}
	l, err := c.app.Circle.Lists(ctx, second)
	require.NoError(t, err)
	require.Len(t, l.Covers, 1)
	require.False(t, l.Covers[0].Mine)
	_, err = c.app.Chart.Chart(ctx, second, patientID)
	require.NoError(t, err)
	require.Equal(t, act.Forbidden, kind(t, c.app.Circle.EndCover(ctx, second, l.Covers[0].ID)))
	require.NoError(t, c.app.Circle.EndCover(ctx, c.doctor(), l.Covers[0].ID))
	_, err = c.app.Chart.Chart(ctx, second, patientID)
	require.True(t, closed(t, err), "the cover ended")

	require.NoError(t, c.app.Circle.SetUsual(ctx, c.who[act.FrontDesk], patientID, second.ID), "the front desk registers who the usual clinician is")
	_, err = c.app.Chart.Chart(ctx, second, patientID)
	require.NoError(t, err)
	ps, err := c.app.Circle.UsualPatients(ctx, c.who[act.Admin], second.ID, "")
	require.NoError(t, err)
	require.Len(t, ps.Patients, 1)
	require.NoError(t, c.app.Circle.SetUsual(ctx, second, patientID, ""))
	_, err = c.app.Chart.Chart(ctx, second, patientID)
	require.True(t, closed(t, err))
	require.Empty(t, c.verify())
}

// TestAClosedChartIsNotToldByARefusal: an act that would be refused for what stands in the chart is refused for the
// chart.
func TestAClosedChartIsNotToldByARefusal(t *testing.T) {
	c := open(t)
	id, versions, list := c.written()
	o := c.order("K")
	c.team("second", act.Nurse)
	for name, do := range map[string]func() error{
		"a problem that is not there": func() error { return c.app.Chart.EndProblem(ctx, c.who["second"], patientID, "I10") },
		"a stale version": func() error {
			_, err := c.app.Note.SavePart(ctx, c.who["second"], id, note.Plan, "x", 99, "s")
			return err
		},
		"a signature": func() error {
			_, err := c.app.Note.SignNote(ctx, c.who["second"], id, secret, versions, list, "")
			return err
		},
		"an order to cancel": func() error { _, err := c.app.Order.CancelOrder(ctx, c.who["second"], o.ID, "why"); return err },
		"an order under an old name": func() error {
			_, err := c.app.Order.PlaceOrder(ctx, c.who["second"], orders.NewOrder{PatientID: patientID, VisitID: visitID, RequestID: "new",
				Secret: secret, Pad: order.Pad{Priority: "R", Drawing: order.AtSite, Lines: []order.Line{{Test: "K", Diagnoses: []string{"M10.071"}}}}})
			return err
		},
		"who is writing": func() error { _, err := c.app.Note.Writing(ctx, c.who[act.Nurse], id, "w", false); return err },
	} {
		before := c.store.Trail()
		require.True(t, closed(t, do()), name)
		require.Equal(t, before, c.store.Trail(), "%s leaves nothing", name)
	}
	_, err := c.app.Note.SearchFindings(ctx, c.who[act.Nurse], "", note.Review, "constitutional", "fever", "")
	require.Equal(t, act.Forbidden, kind(t, err), "a list over the whole practice stands under a right of its own")
	found, err := c.app.Note.SearchFindings(ctx, c.doctor(), "", note.Review, "constitutional", "fever", "")
	require.NoError(t, err)
	require.NotNil(t, found.Notes)
}

// TestTheFrontDeskSeesTheDay: who comes when and why, and nothing of the chart.
func TestTheFrontDeskSeesTheDay(t *testing.T) {
	c := open(t)
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		return q.AddPatient(chart.Patient{ID: "p2", Record: "SK-2", Name: chart.Name{Family: "Roe", Given: "Caspian"}, BirthDate: "1997-02-18", Sex: "M",
			CodeStatus: "do not resuscitate"})
	}))
	c.note()
	day, err := c.app.Visit.Day(ctx, c.who[act.FrontDesk], "")
	require.NoError(t, err)
	require.Len(t, day, 1)
	require.Empty(t, day[0].NoteID)
	require.Equal(t, "Toe pain", day[0].Reason)
	found, err := c.app.Chart.Find(ctx, c.who[act.FrontDesk], "caspian")
	require.NoError(t, err)
	require.Len(t, found, 1)
	require.Empty(t, found[0].CodeStatus)
}
