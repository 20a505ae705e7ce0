package generate_test

import (
	"context"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/exchange/shipped"
	"deftledger/generate"
	"deftledger/store"
)

var ctx = context.Background()

// practice generates a small practice in a directory of its own.
func practice(t *testing.T, patients int, seed uint64) (*store.Store, *act.Keys, generate.Counts) {
	t.Helper()
	dir := t.TempDir()
	s, err := store.Open(ctx, filepath.Join(dir, "data"))
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	keys, err := act.OpenKeys(filepath.Join(dir, "keys"), "practice", true)
	require.NoError(t, err)
	c := generate.Config{Store: s, Keys: keys, Patients: patients, Seed: seed, Until: time.Date(2026, 5, 4, 12, 0, 0, 0, time.UTC),
		Location: time.UTC}
	r, err := shipped.Read()
	require.NoError(t, err)
	c.Laboratory, c.Vaccines, c.Systems = r.Laboratories[0], r.Vaccines, r.Systems
	c.Codes, err = shipped.Edition()
	require.NoError(t, err)
	n, err := generate.Fill(ctx, c)
	require.NoError(t, err)
	return s, keys, n
}

func TestAGeneratedPracticeIsWhole(t *testing.T) {
	s, keys, n := practice(t, 200, 3)
	f, err := act.Verify(ctx, s, keys, act.Verification{})
	require.NoError(t, err)
	require.Empty(t, f.Wrong)
	require.Equal(t, n.Entries, f.Good)
}

// What is read of a chart from its extract is what the tables say, of everybody and everything that rules read.
func TestExtractsAreTheCharts(t *testing.T) {
	s, _, _ := practice(t, 60, 5)
	book, err := shipped.Rules()
	require.NoError(t, err)
	var records [3][]chart.Record
	var anew [3]int
	for i := range records {
		var made []store.Extract
		require.NoError(t, s.Read(ctx, func(q *store.Q) error {
			people, err := q.People("", 100)
			if err != nil {
				return err
			}
			records[i], made, err = q.Records(people, book.LOINC())
			return err
		}))
		anew[i] = len(made)
		require.NoError(t, s.Write(ctx, func(q *store.Q) error {
			_, err := q.KeepExtracts(made)
			return err
		}))
	}
	require.Equal(t, [3]int{60, 60, 0}, anew, "places, then extracts, then nothing is left to make")
	values := 0
	for i, r := range records[0] {
		require.Equal(t, r, records[2][i])
		values += len(r.Values) + len(r.Immunizations) + len(r.Statements)
	}
	require.Greater(t, values, 1000)
}
