package app_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/desk"
	"deftledger/app/paper"
	"deftledger/app/release"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/standin"
	"deftledger/store"

	orders "deftledger/app/order"
)

// Every kind of line is brought by one room: it has a list, an act that closes it and
// words of its own, on the desk and in the chart.
func TestEveryKindOfLineIsOnDeskAndChart(t *testing.T) {
	c := open(t)
	c.app.Elsewhere.Portal, c.app.Elsewhere.Fax = "http://127.0.0.1:1", "http://127.0.0.1:1"
	id := c.note()
	c.save(id, "subjective", "Words.", 0, "s")
	require.NoError(t, c.app.Note.SetDiagnoses(ctx, c.doctor(), id, []string{"M10.071"}, 1))
	o := c.order("K")
	c.step()
	c.receive(oru("1", o.Placer+"-1", "F", "6.4", "3.5-5.1||||", "3.5-5.1|HH|||"), "AA")
	c.receive(oru("2", "SK999-1", "F", "4.1"), "AA")
	_, err := c.app.Order.PrepareOrder(ctx, c.jonah(), orders.NewOrder{PatientID: patientID, VisitID: visitID, RequestID: "p", Pad: order.Pad{Priority: "R", Drawing: order.AtSite, Lines: []order.Line{{Test: "NA", Diagnoses: []string{"M10.071"}}}}})
	require.NoError(t, err)
	_, err = c.app.Visit.AskBack(ctx, c.doctor(), id, "2w", "Toe")
	require.NoError(t, err)
	_, err = c.app.Paper.MessagePatient(ctx, c.doctor(), id, paper.PortalMessage{ID: "m", Text: "Please call."})
	require.NoError(t, err)
	d, err := c.app.Paper.FileSection(ctx, c.doctor(), id, "Subjective", false, "", "")
	require.NoError(t, err)
	require.NoError(t, c.app.Paper.SendFax(ctx, c.doctor(), d.ID, "555-0190"))
	c.others()
	_, err = c.app.Outside.FetchElsewhere(ctx, c.jonah(), visitID)
	require.NoError(t, err)
	c.team("second")
	require.NoError(t, c.app.Circle.OpenChart(ctx, c.who["second"], patientID, "She asks for a refill at the door."))

	_, err = c.app.Release.HoldBack(ctx, c.doctor(), release.NewHold{Order: c.order("NA").ID, Reason: "wish", Words: "She asked for it.", Until: "2026-07-01"})
	require.NoError(t, err)
	c.refer(c.practiceIn("letter"), "line")
	c.prescribed("metformin 500 mg tablet 1 tablet daily #90", nil)
	c.message("Is the rash from it?")
	c.toTell()
	c.selfHarm()
	c.reminded()
	c.toldRegistry()
	c.toExchange()
	require.NoError(t, c.calledIn("called-line", "2.1"))
	c.copied()
	c.received(document(t, "northsound-discharge"), "")
	given := c.wholePad(c.practiceIn("letter"), "telephone")
	given.Tests, given.Prescriptions, given.Referrals = nil, nil, given.Referrals[:1] // what is referred last stands for its kind
	_, err = c.app.Pad.Telephone(ctx, c.petra(), given, c.doctor().ID, true)
	require.NoError(t, err)
	require.NoError(t, c.app.Circle.SetUsual(ctx, c.doctor(), patientID, c.doctor().ID))
	pharmacy := c.pharmacies()
	pharmacy.Set(func(e *standin.Elsewhere) { e.Wants = []standin.Wanted{wanted()} })
	require.NoError(t, c.app.Prescribe.Poll(ctx))
	seen := map[line.Kind]*act.LineRow{}
	for _, r := range slices.Concat(c.deskOf(c.jonah()).Rows, c.deskOf(c.who["second"]).Rows, c.desk().Rows) {
		seen[r.Kind] = r
	}
	ch := c.everything(patientID)
	for _, k := range line.Kinds {
		r := seen[k]
		require.NotNil(t, r, "a line of the kind %q stands on no desk", k)
		require.NotEmpty(t, k.Act(), k)
		require.NotEmpty(t, r.Title, k)
		require.NotContains(t, r.Title, "%!", k)
		if k == line.Held {
			require.Nil(t, r.Patient, "nobody knows whose it is")
			require.Equal(t, "whoever may say whose a result is", r.Owner)
			continue
		}
		require.Equal(t, "Marsh-Adeyemi", r.Patient.Family, k)
		require.NotEmpty(t, r.Owner, "whose a line of the kind %q is", k)
		i := slices.IndexFunc(ch.Open, func(x *act.LineRow) bool { return x.Line == r.Line })
		require.GreaterOrEqual(t, i, 0, "a line of the kind %q is not in its chart", k)
		require.Equal(t, r.Owner, ch.Open[i].Owner)
		require.Equal(t, r.Title, ch.Open[i].Title)
	}
	require.Equal(t, line.Report, c.desk().Rows[0].Kind, "the critical value stands first")
}

// Pages hold every line once, in order, also when lines are closed and opened between
// them.
func TestADeskOfManyLinesComesInPages(t *testing.T) {
	c := open(t)
	owner := c.doctor().ID
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		for i := range 250 {
			p := chart.Patient{ID: fmt.Sprintf("many-%03d", i), Record: fmt.Sprintf("SK-9%03d", i),
				Name: chart.Name{Family: fmt.Sprintf("Family%d", i%7), Given: fmt.Sprintf("Given%d", i%5)}, BirthDate: "1990-01-01", Sex: "F"}
			if err := q.AddPatient(p); err != nil {
				return err
			}
			if err := q.OpenLine(fmt.Sprintf("line-%03d", i), line.FollowUp, fmt.Sprintf("f%03d", i), p.ID, owner,
				[]line.State{line.Open, line.InHand, line.Waiting}[i%3], c.now); err != nil {
				return err
			}
		}
		return nil
	}))
	n, err := c.app.Desk.Count(ctx, c.doctor())
	require.NoError(t, err)
	require.Equal(t, 250, n)
	seen := map[string]bool{}
	last, after := "", ""
	for page := 0; ; page++ {
		d, err := c.app.Desk.MyDesk(ctx, c.doctor(), desk.DeskSought{List: act.UnderWay, After: after})
		require.NoError(t, err)
		require.Equal(t, desk.ListCount{List: act.UnderWay, Count: 250 - min(page, 1)}, d.Lists[2])
		require.LessOrEqual(t, len(d.Rows), 100)
		for _, r := range d.Rows {
			require.False(t, seen[r.Line], "%s comes twice", r.Line)
			seen[r.Line] = true
			key := fmt.Sprintf("%d %s %s %s", r.Rank(), r.Patient.Family, r.Patient.Given, r.Line)
			require.Greater(t, key, last)
			last = key
		}
		if after = d.Next; after == "" {
			break
		}
		if page == 0 { // the last line of the page is closed while it is read
			require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
				return q.CloseLine(line.FollowUp, "f"+after[len("line-"):], owner, "booked", c.now)
			}))
		}
	}
	require.Len(t, seen, 250)
}

// A line whose subject cannot be found says so, instead of standing there empty.
func TestALineAboutNothingSaysSo(t *testing.T) {
	c := open(t)
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		for _, k := range line.Kinds {
			if err := q.OpenLine("gone-"+string(k), k, "gone", patientID, c.doctor().ID, line.Open, c.now); err != nil {
				return err
			}
		}
		return nil
	}))
	rows := c.everything(patientID).Open
	require.Len(t, rows, len(line.Kinds))
	for _, r := range rows {
		require.Equal(t, "What this is about cannot be found", r.Title, r.Kind)
		require.Equal(t, "missing", r.Mark)
	}
}

// A text nobody judged is not hidden behind numbers that somebody flagged: the row says that there is something to read.
func TestARowSaysThatThereIsSomethingToRead(t *testing.T) {
	c := open(t)
	c.withFile()
	o := c.order("NA")
	c.step()
	c.receive(oru("R1", o.Placer+"-1", "F", "5.6", "3.5-5.1||||F", "3.5-5.1|H|||F"), "AA")
	d, err := c.app.Desk.MyDesk(ctx, c.doctor(), desk.DeskSought{List: act.ResultList})
	require.NoError(t, err)
	require.Equal(t, "2 reports, 1 to read, final", d.Rows[0].Title)
	require.True(t, d.Rows[0].Flags.Written)
	require.Equal(t, 1, d.Rows[0].Flags.Above)
}
