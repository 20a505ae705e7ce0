package demo_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"sync"
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

// reference is what ships beside the program, read once.
var reference = sync.OnceValue(func() (r struct {
	shipped.Reference
	codes *coding.Library
}) {
	c, err := shipped.Edition()
	if err == nil {
		r.codes = coding.NewLibrary(c)
		r.Reference, err = shipped.Read()
	}
	if err != nil {
		panic(err)
	}
	return r
})

// kept are practices that were filled before, by when: each test gets a copy of its own.
var kept sync.Map

func config(s *store.Store, keys *act.Keys, now time.Time) act.Config {
	r := reference()
	zone, err := time.LoadLocation("America/New_York")
	if err != nil {
		panic(err)
	}
	return act.Config{Store: s, Keys: keys, Laboratories: r.Laboratories, Intervals: r.Intervals, Orderables: r.Orderables, Facility: "SKERROW", Practice: "Skerrow Island Family Practice",
		Location: zone, Clock: func() time.Time { return now }, IdleAfter: time.Hour, FormFiles: data.Forms,
		House: act.House{Tests: r.HouseTests, Vaccines: r.Vaccines}, Medicines: r.Medicines, Medicare: r.Medicare, Notice: r.Notice, Rules: r.RuleSource, Sensitive: r.Sensitive,
		Codes: func() (*coding.Library, *coding.Index, error) { return r.codes, nil, nil }}
}

// fill opens a practice with the demo's data as of a moment.
func fill(t *testing.T, now time.Time) (*app.App, map[string]act.Actor, *act.Keys) {
	t.Helper()
	ctx := context.Background()
	open := func(dir string) (*store.Store, *act.Keys) {
		s, err := store.Open(ctx, filepath.Join(dir, "data"))
		require.NoError(t, err)
		keys, err := act.OpenKeys(filepath.Join(dir, "keys"), "demo", true)
		require.NoError(t, err)
		return s, keys
	}
	from, there := kept.Load(now.Unix())
	if !there {
		dir, err := os.MkdirTemp("", "demo")
		require.NoError(t, err)
		s, keys := open(dir)
		require.NoError(t, demo.Fill(ctx, config(s, keys, now), now))
		s.Close()
		from, _ = kept.LoadOrStore(now.Unix(), dir)
	}
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS(from.(string))))
	s, keys := open(dir)
	t.Cleanup(func() { s.Close() })
	a := app.New(config(s, keys, now))
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

func TestMain(m *testing.M) {
	code := m.Run()
	kept.Range(func(_, dir any) bool { return os.RemoveAll(dir.(string)) == nil })
	os.Exit(code)
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
