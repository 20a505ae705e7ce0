package store

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
	"deftledger/core/line"
)

var ctx = context.Background()

func fresh(t *testing.T) *Store {
	t.Helper()
	s, err := Open(ctx, t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	require.NoError(t, s.Write(ctx, func(q *Q) error {
		for _, p := range []chart.Patient{
			{ID: "1", Record: "SK-1", Name: chart.Name{Given: "Zoë", Family: "O'Hara-Lind"}, BirthDate: "1990-01-02", Sex: "F",
				Phone: "(555) 01-77"},
			{ID: "2", Record: "SK-2", Name: chart.Name{Given: "Al", Family: "Ng"}, BirthDate: "1955-12-31", Sex: "M"},
		} {
			if err := q.AddPatient(p); err != nil {
				return err
			}
		}
		return q.AddStaff(Staff{ID: "s", Login: "S", Given: "S", Family: "T", Role: "physician", DraftKey: []byte{1}, Active: true})
	}))
	return s
}

func TestDataAreOpenedAgainAndNewerDataAreRefused(t *testing.T) {
	dir := t.TempDir()
	s, err := Open(ctx, dir)
	require.NoError(t, err)
	require.NoError(t, s.Write(ctx, func(q *Q) error { return q.SetSetting("practice", "x") }))
	require.NoError(t, s.Close())
	s, err = Open(ctx, dir)
	require.NoError(t, err)
	require.NoError(t, s.Read(ctx, func(q *Q) error {
		v, err := q.Setting("practice")
		require.Equal(t, "x", v)
		none, err2 := q.Setting("nothing")
		require.Empty(t, none)
		return errors.Join(err, err2)
	}))
	_, err = s.writer.Exec("INSERT INTO goose_db_version(version_id, is_applied) VALUES (424242, 1)")
	require.NoError(t, err)
	require.NoError(t, s.Close())
	_, err = Open(ctx, dir)
	require.ErrorIs(t, err, ErrNewer)
	require.NoError(t, os.WriteFile(filepath.Join(t.TempDir(), "x"), nil, 0o600))
	bad := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(bad, File), []byte(strings.Repeat("this is no database ", 300)), 0o600))
	_, err = Open(ctx, bad)
	require.ErrorContains(t, err, "cannot be read")
}

func TestAnActIsAllOrNothing(t *testing.T) {
	s := fresh(t)
	boom := errors.New("boom")
	require.ErrorIs(t, s.Write(ctx, func(q *Q) error {
		require.NoError(t, q.SetSetting("half", "done"))
		return boom
	}), boom)
	require.Panics(t, func() {
		_ = s.Write(ctx, func(q *Q) error { _ = q.SetSetting("half", "done"); panic("crash") })
	})
	require.NoError(t, s.Write(ctx, func(q *Q) error {
		require.ErrorIs(t, q.Within("part", func() error { _ = q.SetSetting("half", "done"); return boom }), boom)
		return q.SetSetting("whole", "done")
	}))
	require.NoError(t, s.Read(ctx, func(q *Q) error {
		half, _ := q.Setting("half")
		whole, err := q.Setting("whole")
		require.Empty(t, half)
		require.Equal(t, "done", whole)
		return err
	}))
	require.Error(t, s.Read(ctx, func(q *Q) error { return q.SetSetting("read", "only") }), "a look cannot write")
}

func TestFindPatients(t *testing.T) {
	s := fresh(t)
	for query, want := range map[string]string{"o'hara": "1", "zoe": "1", "ZOË lind": "1", "hara": "1", "ng": "2", "al ng": "2",
		"1955-12-31": "2", "5550177": "1", "sk-2": "2", "l": "12"} {
		require.NoError(t, s.Read(ctx, func(q *Q) error {
			got, err := q.FindPatients(query, 10)
			ids := ""
			for _, p := range got {
				ids += p.ID
			}
			require.Len(t, ids, len(want), query)
			for _, id := range want {
				require.Contains(t, ids, string(id), query)
			}
			return err
		}))
	}
}

// Whatever is typed, the finder gives the first in the order of names of all who have every
// word, however many have it and wherever they stand.
func TestTheFinderFindsAsGoingThroughEverybodyWould(t *testing.T) {
	s := fresh(t)
	random := rand.New(rand.NewPCG(9, 13))
	part := func() string {
		return string("bcdfghklmnprst"[random.IntN(14)]) + string("aeiou"[random.IntN(5)]) + string("lnrst'-xqé"[random.IntN(9)])
	}
	everybody := []chart.Patient{}
	for i := range 6000 {
		p := chart.Patient{ID: fmt.Sprintf("p%05d", i), Record: fmt.Sprintf("SK-%05d", 30000+i), BirthDate: fmt.Sprintf("19%02d-%02d-%02d", random.IntN(99), 1+random.IntN(12), 1+random.IntN(28)),
			Name: chart.Name{Given: part() + part(), Family: part() + part()}, Phone: fmt.Sprintf("(555) %03d-%04d", random.IntN(1000), random.IntN(10000))}
		if i%4 == 0 { // many, at the end of the order
			p.Name.Family = "zw" + p.Name.Family
		}
		everybody = append(everybody, p)
	}
	require.NoError(t, s.Write(ctx, func(q *Q) error {
		for _, p := range everybody {
			if err := q.AddPatient(p); err != nil {
				return err
			}
		}
		return nil
	}))
	require.NoError(t, s.Read(ctx, func(q *Q) (err error) { everybody, err = q.AllPatients(); return err }))
	asked := []string{"zw", "zw qe", "w", "q", "zw 7", "x'", "%", "_", `"`, `a"b`, "\uE000", "-1", "555", "(555) 0", "sk-3", "sk-3000", "19 ba", "zwba 19", "é", "no such"}
	for range 120 {
		p := everybody[random.IntN(len(everybody))]
		text := []rune(searched(p))
		from := random.IntN(len(text) - 4)
		asked = append(asked, string(text[from:from+1+random.IntN(4)]), part()[:2]+" "+part()[:1])
	}
	require.NoError(t, s.Read(ctx, func(q *Q) error {
		for _, query := range asked {
			want := []string{}
			for _, p := range everybody {
				all := strings.Fields(chart.Plain(query))
				if len(want) < 12 && len(all) > 0 && !slices.ContainsFunc(all, func(w string) bool { return !strings.Contains(searched(p), w) }) {
					want = append(want, p.Name.Family+" "+p.Name.Given)
				}
			}
			got, err := q.FindPatients(query, 12)
			if err != nil {
				return fmt.Errorf("%q: %w", query, err)
			}
			names := []string{}
			for _, p := range got {
				names = append(names, p.Name.Family+" "+p.Name.Given)
			}
			require.Equal(t, want, names, query)
		}
		return nil
	}))
}

func TestALineIsOpenOnceAndClosedByName(t *testing.T) {
	s := fresh(t)
	at := time.Date(2026, 11, 23, 8, 0, 0, 123_000_000, time.UTC)
	open := func() (ls []Line) {
		require.NoError(t, s.Read(ctx, func(q *Q) (err error) {
			ls, err = q.OpenLinesOf([]string{"s"}, line.Kinds, Unowned{}, "", 100)
			return err
		}))
		return ls
	}
	require.NoError(t, s.Write(ctx, func(q *Q) error {
		return errors.Join(q.OpenLine("a", line.Report, "r", "1", "s", line.Open, at), q.OpenLine("b", line.Report, "r", "1", "s", line.Open, at))
	}))
	require.Len(t, open(), 1)
	require.True(t, open()[0].OpenedAt.Equal(at), "moments keep their milliseconds")
	require.NoError(t, s.Write(ctx, func(q *Q) error { return q.CloseLine(line.Report, "r", "s", "signed", at) }))
	require.Empty(t, open())
	require.NoError(t, s.Write(ctx, func(q *Q) error { return q.OpenLine("c", line.Report, "r", "1", "s", line.Open, at) }))
	require.Len(t, open(), 1, "a correction opens a line again; the closed one stays as it was")
	var n int
	require.NoError(t, s.reader.QueryRow("SELECT count(*) FROM line WHERE closed_by = 's'").Scan(&n))
	require.Equal(t, 1, n)
}

// Statements are prepared beside the transactions: many at once, with queries nobody asked
// before, never wait for each other.
func TestManyNewStatementsAtOnce(t *testing.T) {
	s := fresh(t)
	done := make(chan error, 64)
	for i := range 64 {
		go func() {
			run := s.Write
			if i%2 == 0 {
				run = s.Read
			}
			done <- run(ctx, func(q *Q) error {
				for k := range 4 {
					if _, err := one(q, scalar[int], fmt.Sprintf("SELECT %d + %d", i/4, k)); err != nil {
						return err
					}
				}
				return nil
			})
		}()
	}
	for range 64 {
		select {
		case err := <-done:
			require.NoError(t, err)
		case <-time.After(20 * time.Second):
			t.Fatal("transactions wait for each other")
		}
	}
}
