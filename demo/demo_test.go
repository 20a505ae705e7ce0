package demo_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app"
	"deftledger/app/act"
	"deftledger/app/desk"
	"deftledger/core/chart"
	"deftledger/core/coding"
	"deftledger/core/line"
	"deftledger/core/prescription"
	"deftledger/data"
	"deftledger/demo"
	"deftledger/exchange/shipped"
	"deftledger/store"
)

// fill writes the demo as of a moment and returns the application with its clock there.
func fill(t *testing.T, now time.Time) (*app.App, map[string]act.Actor, *act.Keys) {
	t.Helper()
	ctx := context.Background()
	s, err := store.Open(ctx, t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	keys, err := act.OpenKeys(t.TempDir(), "demo", true)
	require.NoError(t, err)
	c, err := shipped.Edition()
	require.NoError(t, err)
	lib := coding.NewLibrary(c)
	r, err := shipped.Read()
	require.NoError(t, err)
	zone, err := time.LoadLocation("America/New_York")
	require.NoError(t, err)
	config := act.Config{Store: s, Keys: keys, Laboratories: r.Laboratories, Intervals: r.Intervals, Orderables: r.Orderables, Facility: "SKERROW", Practice: "Skerrow Island Family Practice",
		Location: zone, Clock: func() time.Time { return now }, IdleAfter: time.Hour, FormFiles: data.Forms,
		House: act.House{Tests: r.HouseTests, Vaccines: r.Vaccines}, Medicines: r.Medicines, Medicare: r.Medicare, Notice: r.Notice, Rules: r.RuleSource,
		Codes: func() (*coding.Library, *coding.Index, error) { return lib, nil, nil }}
	require.NoError(t, demo.Fill(ctx, config, now))
	a := app.New(config)
	who := map[string]act.Actor{}
	require.NoError(t, s.Read(ctx, func(q *store.Q) error {
		staff, err := q.AllStaff()
		for _, p := range staff {
			who[p.Login] = act.Actor{ID: p.ID, Name: p.Name(), Role: p.Role}
		}
		return err
	}))
	return a, who, keys
}

func TestEachScreenHasSomethingRealToShow(t *testing.T) {
	ctx := context.Background()
	now := time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC)
	a, who, keys := fill(t, now)
	found, err := act.Verify(ctx, a.Store, keys, act.Verification{})
	require.NoError(t, err)
	require.Empty(t, found.Wrong)
	require.Greater(t, found.Good, 30)

	day, err := a.Visit.Day(ctx, who["maren"], "")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(day), 12)
	alike := 0
	for _, v := range day {
		if len(v.Alike) > 0 {
			alike++
			require.Equal(t, "Drummond-Iyer", v.Patient.Family)
		}
	}
	require.Equal(t, 2, alike, "the twins are pointed out")

	var critical, reopened, preliminary, held, notes, silent int
	for _, list := range desk.Lists {
		d, err := a.Desk.MyDesk(ctx, who["maren"], desk.DeskSought{List: list, Each: true})
		require.NoError(t, err)
		require.Empty(t, d.Next)
		for _, r := range d.Rows {
			switch r.Kind {
			case line.Report:
				v, err := a.Result.Report(ctx, who["maren"], r.ID)
				require.NoError(t, err)
				if v.Critical != "" {
					critical++
					require.Equal(t, "6.4 mmol/L HH", r.Flags.Critical)
					require.Equal(t, d.Rows[0], r, "a critical value stands first")
				}
				if v.Reopened {
					reopened++
					require.Equal(t, "Quarrie", r.Patient.Family)
				}
				if v.Status == "preliminary" {
					preliminary++
				}
				received, err := time.Parse(time.RFC3339, v.ReceivedAt)
				require.NoError(t, err)
				require.False(t, received.After(now), "nothing arrived in the future")
			case line.Held:
				held++
				require.Contains(t, r.Title, "Drummond Iyer")
			case line.Note:
				notes++
				require.GreaterOrEqual(t, r.Days, 8)
			case line.Order:
				if r.Mark == "late" {
					silent++
					require.GreaterOrEqual(t, r.Days, 8, "the order the laboratory never answered")
				}
			}
		}
	}
	require.Equal(t, []int{1, 1, 1, 1, 1, 1}, []int{critical, reopened, preliminary, held, notes, silent})
}

// The same day gives the same demo, whatever the hour, and the small hours work.
func TestTheSameDayGivesTheSameDemo(t *testing.T) {
	names := func(hour int) string {
		a, who, _ := fill(t, time.Date(2026, 11, 23, hour, 5, 0, 0, time.FixedZone("", -5*3600)))
		day, err := a.Visit.Day(context.Background(), who["maren"], "")
		require.NoError(t, err)
		var out []string
		for _, v := range day {
			out = append(out, v.StartsAt+" "+v.Patient.Given+" "+v.Patient.Family+" "+v.Reason)
		}
		return strings.Join(out, "\n")
	}
	require.Equal(t, names(1), names(22))
}

// How many of the medicines of the demo's charts a serious warning would interrupt when they are
// prescribed; the scenario holds two on purpose.
func TestHowOftenTheDemoInterrupts(t *testing.T) {
	a, _, _ := fill(t, time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	medicines, serious := 0, 0
	require.NoError(t, a.Store.Read(context.Background(), func(q *store.Q) error {
		people, err := q.AllPatients()
		if err != nil {
			return err
		}
		for _, p := range people {
			care, held, err := a.Order.Care(q, p.ID)
			if err != nil {
				return err
			}
			medicines += len(held.Medicines)
			for _, ws := range care.Each {
				if len(prescription.Serious(ws)) > 0 {
					serious++
				}
			}
		}
		return nil
	}))
	t.Logf("%d medicines, %d with a serious warning", medicines, serious)
	require.Greater(t, medicines, 20)
	require.LessOrEqual(t, serious, 4)
}

// A chart read by itself and one read with others, from the tables or from its extract, stand the same in every rule.
func TestAChartStandsAsInARun(t *testing.T) {
	ctx := context.Background()
	a, _, _ := fill(t, time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	book := a.Rulebook()
	require.Greater(t, len(book.Rules()), 100)
	stands := func(r chart.Record) (out []string) {
		c := book.Open(r)
		for _, s := range c.All() {
			out = append(out, strings.Join([]string{s.Rule.ID, string(s.State), s.Since.String(), c.Says(s)}, " | "))
		}
		return out
	}
	var alone, together [][]string
	for round := range 3 { // places, extracts, and read from them
		alone, together = nil, nil
		var made []store.Extract
		require.NoError(t, a.Store.Read(ctx, func(q *store.Q) error {
			people, err := q.People("", 100)
			if err != nil {
				return err
			}
			for _, p := range people {
				r, err := a.Order.Record(q, p.ID, a.Today())
				if err != nil {
					return err
				}
				alone = append(alone, stands(r))
			}
			records, m, err := a.Order.Records(q, people, a.Today())
			for _, r := range records {
				together = append(together, stands(r))
			}
			made = m
			return err
		}))
		require.Greater(t, len(alone), 10)
		require.Equal(t, alone, together)
		require.Equal(t, round < 2, len(made) > 0)
		require.NoError(t, a.Store.Write(ctx, func(q *store.Q) error {
			_, err := q.KeepExtracts(made)
			return err
		}))
	}
}
