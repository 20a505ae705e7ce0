package store

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
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
			{ID: "1", Record: "SK-1", Name: chart.Name{Given: "Zoë", Family: "O'Hara-Lind"}, BirthDate: "1990-01-02", Sex: "F", Phone: "(555) 01-77"},
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
	for query, want := range map[string]string{"o'hara": "1", "zoe": "1", "ZOË lind": "1", "hara": "1", "ng": "2", "al ng": "2", "1955-12-31": "2", "5550177": "1", "sk-2": "2", "l": "12"} {
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

func TestALineIsOpenOnceAndClosedByName(t *testing.T) {
	s := fresh(t)
	at := time.Date(2026, 11, 23, 8, 0, 0, 123_000_000, time.UTC)
	open := func() (ls []Line) {
		require.NoError(t, s.Read(ctx, func(q *Q) (err error) { ls, err = q.OpenLinesOf("s", line.Kinds, "", 100); return err }))
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

// The lists that people wait for are found by index, not by reading whole tables.
func TestHotQueriesUseIndexes(t *testing.T) {
	s := fresh(t)
	for _, query := range []string{
		lineQuery + " AND l.owner_id = 's' ORDER BY l.opened_at",
		lineQuery + " AND l.patient_id = '1' ORDER BY l.opened_at",
		visitQuery + "WHERE v.day = '2026-11-23' ORDER BY v.starts_at, v.id",
		visitQuery + "WHERE v.patient_id = '1' ORDER BY v.starts_at DESC",
		orderQuery + "WHERE o.placer = 'SK1'",
		reportQuery + "WHERE r.filler = 'x' AND r.code = 'y'",
		reportQuery + "WHERE r.patient_id = '1'",
		"SELECT " + inboxCols + " FROM inbox WHERE state = 'stored' ORDER BY id LIMIT 50",
		"SELECT control FROM outbox WHERE state = 'waiting' AND next_at <= 'x' ORDER BY next_at LIMIT 20",
		"SELECT 1 FROM inbox WHERE sha256 = x'00' AND state <> 'refused'",
		"SELECT " + entryCols + " FROM ledger_entry WHERE chart_id = '1' ORDER BY folio DESC LIMIT 1",
		"SELECT area FROM note_finding WHERE note_id = '1'",
		"SELECT form FROM note_answer WHERE note_id = '1' ORDER BY form, link",
		"SELECT id FROM note_carried WHERE note_id = '1'",
		"SELECT id FROM note_drawing WHERE note_id = '1'",
		"SELECT " + vitalCols + " FROM vital WHERE visit_id = '1' AND visit_id <> '' AND struck_at = ''",
		"SELECT " + vitalCols + " FROM vital WHERE patient_id = '1' AND struck_at = ''",
		"SELECT id FROM history WHERE patient_id = '1' AND ended_at = ''",
		"SELECT id FROM statement WHERE patient_id = '1' ORDER BY at",
		"SELECT id FROM incoming_entry WHERE patient_id = '1'",
		"SELECT id FROM document WHERE patient_id = '1' ORDER BY made_at DESC",
		"SELECT id FROM fax WHERE state = 'waiting' AND next_at <= 'x' ORDER BY next_at LIMIT 20",
		"SELECT at FROM audit WHERE patient_id = '1' AND patient_id <> '' AND staff_id = '2' AND act = 'open chart' ORDER BY id DESC LIMIT 1",
		"SELECT note_id FROM note_finding WHERE area = 'review' AND system = 'skin' AND finding = 'rash' AND state IN ('present', 'absent')",
	} {
		rows, err := s.reader.Query("EXPLAIN QUERY PLAN " + query)
		require.NoError(t, err, query)
		for rows.Next() {
			var a, b, c int
			var step string
			require.NoError(t, rows.Scan(&a, &b, &c, &step))
			require.False(t, strings.HasPrefix(step, "SCAN") && !strings.Contains(step, "INDEX") && !strings.Contains(step, "CONSTANT"), "%s\nreads a whole table: %s", query, step)
		}
		require.NoError(t, rows.Close())
	}
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
