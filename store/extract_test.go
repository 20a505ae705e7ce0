package store

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
)

// tablesRead are the tables that the statements of a record name.
func tablesRead() (out []string) {
	g := gathered{}
	for _, r := range g.readings() {
		for _, m := range regexp.MustCompile(`(?:FROM|JOIN) ([a-z_]+)\b`).FindAllStringSubmatch(r.query, -1) {
			if m[1] != "json_each" && !slices.Contains(out, m[1]) {
				out = append(out, m[1])
			}
		}
	}
	return out
}

// A row that comes, changes or goes in any table that an extract is made of empties the extract of that person, and of nobody else.
func TestEveryChangeEmptiesTheExtract(t *testing.T) {
	s := fresh(t)
	tables := tablesRead()
	require.Greater(t, len(tables), 20)
	require.Contains(t, tables, "medicine_told", "those within a column count too")
	first := []string{"report", "lab_order", "allergy", "medicine", "further_order", "visit"}
	slices.SortStableFunc(tables, func(a, b string) int {
		return slices.Index(append(slices.Clone(first), b), b) - slices.Index(append(slices.Clone(first), a), a)
	})
	slices.SortStableFunc(tables, func(a, b string) int {
		switch x, y := slices.Contains(first, a), slices.Contains(first, b); {
		case x == y:
			return 0
		case x:
			return -1
		}
		return 1
	})
	do := func(query string, args ...any) error {
		_, err := s.writer.ExecContext(ctx, query, args...)
		return err
	}
	require.NoError(t, do("PRAGMA foreign_keys = off"))
	require.NoError(t, do("PRAGMA ignore_check_constraints = on"))
	for _, id := range []string{"1", "2"} {
		require.NoError(t, do("INSERT INTO extract(person_id) VALUES (?)", id))
	}
	emptied := func(what string, act func() error) {
		t.Helper()
		require.NoError(t, do("UPDATE extract SET body = x'01'"))
		was, err := s.writer.QueryContext(ctx, "SELECT seq FROM extract WHERE person_id = '1'")
		require.NoError(t, err)
		var seq int
		require.True(t, was.Next())
		require.NoError(t, was.Scan(&seq))
		require.NoError(t, was.Close())
		if err := act(); err != nil {
			require.Contains(t, err.Error(), "(1811)", what) // the database does not let anybody
			return
		}
		rows, err := s.writer.QueryContext(ctx, "SELECT person_id, length(body), seq FROM extract ORDER BY person_id")
		require.NoError(t, err)
		defer rows.Close()
		for rows.Next() {
			var id string
			var length, now int
			require.NoError(t, rows.Scan(&id, &length, &now))
			if id == "2" {
				require.Equal(t, 1, length, "%s: it is not about the other", what)
				continue
			}
			require.Zero(t, length, what)
			require.Greater(t, now, seq, what)
		}
	}
	changes := 0
	for _, table := range tables {
		if table == "staff" { // whose name stands in all of them; see below
			continue
		}
		var cols, marks []string
		var args []any
		rows, err := s.writer.QueryContext(ctx, `SELECT name, type, "notnull", dflt_value IS NULL FROM pragma_table_info(?)`, table)
		require.NoError(t, err)
		for rows.Next() {
			var name, kind string
			var must, bare bool
			require.NoError(t, rows.Scan(&name, &kind, &must, &bare))
			var v any = "x"
			switch {
			case name == "patient_id":
				v = "1"
			case kind == "INTEGER":
				v = 1
			case strings.HasSuffix(name, "_id"):
			case !must || !bare:
				continue
			}
			cols, marks, args = append(cols, name), append(marks, "?"), append(args, v)
		}
		require.NoError(t, rows.Close())
		emptied(table+" added", func() error {
			return do(fmt.Sprintf("INSERT INTO %s(%s) VALUES (%s)", table, strings.Join(cols, ", "), strings.Join(marks, ", ")), args...)
		})
		where := ""
		if slices.Contains(cols, "patient_id") {
			where = " WHERE patient_id = '1'"
		}
		emptied(table+" changed", func() error {
			return do(fmt.Sprintf("UPDATE %s SET %s = %s%s", table, cols[0], cols[0], where))
		})
		changes++
	}
	require.Greater(t, changes, 20)
	for _, table := range slices.Backward(tables) {
		if table != "staff" {
			emptied(table+" gone", func() error { return do("DELETE FROM " + table) })
		}
	}
	emptied("merged", func() error { return do("UPDATE patient SET person_id = '3' WHERE id = '1'") })
	require.NoError(t, do("UPDATE extract SET body = x'01'"))
	require.NoError(t, do("UPDATE staff SET family = 'C'"))
	rows, err := s.writer.QueryContext(ctx, "SELECT count(*) FROM extract WHERE body <> x''")
	require.NoError(t, err)
	defer rows.Close()
	require.True(t, rows.Next())
	var full int
	require.NoError(t, rows.Scan(&full))
	require.Zero(t, full, "a name that changed stands in any of them")
}

// What an extract gives is what the tables give; it is kept only where nothing changed between the reading and the keeping, and one
// that is torn, or of another program, counts for nothing.
func TestAnExtractIsTheChart(t *testing.T) {
	s := fresh(t)
	loincs := []string{"8867-4", "4548-4"}
	patients := []chart.Patient{{ID: "1"}, {ID: "2"}}
	read := func(loincs []string) (out []chart.Record, made []Extract) {
		require.NoError(t, s.Read(ctx, func(q *Q) (err error) {
			out, made, err = q.Records(patients, loincs)
			return err
		}))
		return out, made
	}
	keep := func(made []Extract) (kept int64) {
		require.NoError(t, s.Write(ctx, func(q *Q) (err error) {
			kept, err = q.KeepExtracts(made)
			return err
		}))
		return kept
	}
	say := func(id, value string) {
		require.NoError(t, s.Write(ctx, func(q *Q) error {
			return q.AddVital(chart.Vital{ID: id, PatientID: "1", LOINC: "8867-4", Name: "Pulse", Value: value, Unit: "/min", TakenAt: noon, Entered: value})
		}))
	}
	say("v1", "72")
	plain, made := read(loincs)
	require.Len(t, made, 2)
	require.Len(t, plain[0].Values, 1)
	require.Zero(t, keep(made), "the first time makes places only")
	_, made = read(loincs)
	require.EqualValues(t, 2, keep(made))
	again, none := read(loincs)
	require.Empty(t, none, "both are there")
	require.Equal(t, plain, again)

	_, other := read(loincs[:1])
	require.Len(t, other, 2, "for other quantities it does not hold")

	say("v2", "80")
	now, made := read(loincs)
	require.Len(t, made, 1, "hers was emptied, his was not")
	require.Len(t, now[0].Values, 2)
	say("v3", "90") // between the reading and the keeping
	require.Zero(t, keep(made))
	now, made = read(loincs)
	require.Len(t, now[0].Values, 3, "nothing of before is kept")
	require.EqualValues(t, 1, keep(made))

	for _, torn := range []string{"x'00'", "x'0105'", "x'63'", "x'0001020a41'", "x'000103ff'"} {
		_, err := s.writer.ExecContext(ctx, "UPDATE extract SET body = "+torn+" WHERE person_id = '1'")
		require.NoError(t, err)
		now, made = read(loincs)
		require.Len(t, now[0].Values, 3, torn)
		require.Len(t, made, 1, "it is made again")
	}
}

func FuzzExtract(f *testing.F) {
	f.Add("\xff")
	f.Add("\x06\x01\x02\x01x\xff")
	f.Add("\x06\x01\x03\x00\xff")
	f.Fuzz(func(_ *testing.T, body string) {
		g := gathered{out: make([]chart.Record, 1), seen: make([]map[string]bool, 1), care: make([][]CareEntry, 1), waits: make([][]awaitedRow, 1)}
		_ = unpack(body, g.readings(), 0)
	})
}
