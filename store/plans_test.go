package store

import (
	"errors"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"path/filepath"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/note"
)

// mayScan lists the statements that may read a whole table or index, with the reason; no
// screen waits for any of them.
var mayScan = map[string]string{
	"Beside":           "asks whether there is any team",
	"CountPeople":      "counts, before a run over the whole practice",
	"RuleSettings":     "read at the start, and after a rule was set",
	"RuleFiles":        "read at the start, and after a rule was taken in",
	"Teams":            "a practice has a handful of teams",
	"Directory":        "a practice writes to some hundreds",
	"CountPatientsOf":  "counts for each of the staff, of whom there are few",
	"AllPatients":      "only tests and the demo ask for everybody",
	"Forms":            "the forms of a clinic are read together, after one was changed",
	"LastEntries":      "reads one, from the end",
	"LedgerHead":       "reads one, from the end",
	"LastReceived":     "reads one, from the end",
	"Unsealed":         "verify holds every row against the ledger",
	"OrdersForCourier": "walks the orders drawn within two weeks, found by an index",
	"OftenOrdered":     "walks 200 orders of one person, found by an index",
	"CheckTrail":       "verify holds every row against the trail",
	"leave":            "reads the end of the trail, and what one transaction touched",
}

// Every statement of the store is asked once, with nothing, and its plan read: none reads
// a whole table, or sorts one, unless it is listed above.
func TestNoStatementReadsEverything(t *testing.T) {
	s := fresh(t)
	queries := map[string]string{} // → the method it came from
	method := ""
	ctx := Listen(ctx, func(query string) {
		if method != "" {
			queries[query] = method
		}
	})
	kind := reflect.TypeFor[*Q]()
	var methods []reflect.Method
	for i := range kind.NumMethod() {
		if m := kind.Method(i); m.Name != "Within" { // runs what it is given
			methods = append(methods, m)
		}
	}
	// What stores comes first, so that what changes and reads finds something.
	slices.SortStableFunc(methods, func(a, b reflect.Method) int { return stores(b.Name) - stores(a.Name) })
	// Nothing of it is kept, so that what refers to nothing is never noticed.
	require.ErrorIs(t, s.Write(ctx, func(q *Q) error {
		if err := q.do("PRAGMA defer_foreign_keys = on"); err != nil {
			return err
		}
		for _, filled := range []bool{false, true, true} {
			for _, m := range methods {
				method = m.Name
				call(q, m, filled)
			}
		}
		// What depends on what is given.
		method = "the rest"
		for _, was := range []int{0, 1} {
			_ = q.PutAnswer("abc", NoteAnswer{Form: "f", Answered: note.Answered{Link: "l", Values: []note.Answer{{Text: "x"}}}}, was, "abc", noon)
		}
		_ = q.AddOrder(Order{ID: "more", Placer: "more", RequestID: "more", PatientID: "abc", ClinicianID: "abc", Party: "p", Together: "t", Tests: []OrderTest{{Detail: TestDetail{Remark: "x"}}}})
		_ = q.AddOutgoing(Outgoing{Control: "waits", Destination: "somebody", Kind: "order", Subject: "x", Body: []byte("x")}, noon)
		_, _ = q.BacklogOf("somebody")
		_, _ = q.KeepExtracts([]Extract{{person: "abc", form: "f"}, {person: "abc", form: "f", place: true}})
		_ = q.SettleCarried("abc", "abc", "removed", "", 1, "abc", noon)
		_ = q.PutDrawing(Drawing{ID: "abc", NoteID: "abc"}, 1, "abc", noon)
		if _, err := q.tx.Exec("UPDATE patient SET words = ''"); err != nil {
			return err
		}
		_ = q.fold()
		_, _ = q.firstWith("TRUE", nil, 1)
		method = "leave"
		var was left
		_ = q.begin(&was)
		_, _ = q.tx.Exec("INSERT OR IGNORE INTO touched VALUES ('visit 1')")
		_ = q.leave(&was)
		_, _ = q.tx.Exec("INSERT OR IGNORE INTO touched VALUES ('visit 1')")
		_ = q.foreign()
		method = "digests"
		for kind := range guarded {
			_, _ = q.digests([]string{kind + " 1"})
		}
		method = "CheckTrail"
		_, _, _ = q.CheckTrail(nil)
		_, _ = q.tx.Exec("DELETE FROM touched")
		_, _ = q.tx.Exec("DELETE FROM foreign_change")
		if n, err := one(q, scalar[int64], "SELECT count(*) FROM row_seal"); err == nil {
			_, _ = q.untrailed(link{auditTo: 1 << 40}, n)
		}
		return errUndone
	}), errUndone)
	method = ""
	for _, text := range literals(t) {
		known := false
		for q := range queries {
			known = known || strings.Contains(q, text)
		}
		if !known {
			t.Errorf("nobody asked the statement %.120q", text)
		}
	}
	t.Logf("%d statements of %d methods", len(queries), len(methods))
	partial := map[string]bool{}
	require.NoError(t, s.Read(ctx, func(q *Q) error {
		names, err := list(q, scalar[string], "SELECT name FROM sqlite_master WHERE type = 'index' AND sql LIKE '%) WHERE %'")
		for _, n := range names {
			partial[n] = true
		}
		return err
	}))
	excused := map[string]bool{}
	for query, method := range queries {
		if strings.HasPrefix(query, "SAVEPOINT") || strings.HasPrefix(query, "RELEASE") || strings.HasPrefix(query, "ROLLBACK") {
			continue
		}
		for _, step := range plan(t, s, query) {
			if scansAll(query, step, partial) {
				if mayScan[method] != "" {
					excused[method] = true
					continue
				}
				t.Errorf("%s: %s\n\t%s", method, step, query)
			}
		}
	}
	for m := range mayScan {
		require.True(t, excused[m], "%s is excused and need not be", m)
	}
}

var errUndone = errors.New("undone")

// stores says whether a method puts rows in, which others find; an issue needs its report.
func stores(name string) int {
	switch {
	case strings.HasPrefix(name, "Add"):
		return 2
	case strings.HasPrefix(name, "Put"), strings.HasPrefix(name, "Save"), strings.HasPrefix(name, "Open"):
		return 1
	}
	return 0
}

// call calls a method with nothing, or with one of everything. Some trip over what nobody
// would give them.
func call(q *Q, m reflect.Method, filled bool) {
	defer func() { _ = recover() }()
	args := []reflect.Value{reflect.ValueOf(q)}
	for k := 1; k < m.Type.NumIn(); k++ {
		args = append(args, something(m.Type.In(k), filled))
	}
	m.Func.Call(args)
}

// something is a value of a type: nothing, or one letter, one element, one.
func something(t reflect.Type, filled bool) reflect.Value {
	v := reflect.New(t).Elem()
	if !filled {
		return v
	}
	switch t.Kind() {
	case reflect.String:
		v.SetString("abc")
	case reflect.Int, reflect.Int64:
		v.SetInt(1)
	case reflect.Bool:
		v.SetBool(true)
	case reflect.Slice:
		v = reflect.Append(v, something(t.Elem(), true))
	case reflect.Struct:
		for i := range t.NumField() {
			if t.Field(i).IsExported() && t.Field(i).Type.Kind() != reflect.Struct {
				v.Field(i).Set(something(t.Field(i).Type, true))
			}
		}
	}
	return v
}

func plan(t *testing.T, s *Store, query string) (steps []string) {
	t.Helper()
	n := strings.Count(query, "?")
	if m := regexp.MustCompile(`\?(\d+)`).FindAllStringSubmatch(query, -1); m != nil {
		n = 0
		for _, x := range m {
			var k int
			_, _ = fmt.Sscan(x[1], &k)
			n = max(n, k)
		}
	}
	args := make([]any, n)
	for i := range args {
		args[i] = "x"
	}
	rows, err := s.writer.QueryContext(ctx, "EXPLAIN QUERY PLAN "+query, args...)
	require.NoError(t, err, query)
	defer rows.Close()
	for rows.Next() {
		var id, parent, unused int
		var detail string
		require.NoError(t, rows.Scan(&id, &parent, &unused, &detail))
		steps = append(steps, detail)
	}
	return steps
}

// scansAll says whether a step of a plan reads a whole table or index. What a function or
// a subquery gives is no table; a partial index holds only what waits; and what the
// statement does not name is looked at for foreign keys, only when one is broken.
func scansAll(query, step string, partial map[string]bool) bool {
	rest, scan := strings.CutPrefix(step, "SCAN ")
	if !scan {
		return false
	}
	name, more, _ := strings.Cut(rest, " ")
	if slices.Contains([]string{"own", "newest", "happened", "after"}, name) {
		return false // what a part of the statement gave
	}
	if strings.Contains(more, "VIRTUAL TABLE") {
		return name == "s" && strings.Contains(more, "INDEX 0:") // the search without words reads all
	}
	if !regexp.MustCompile(`\b`+regexp.QuoteMeta(name)+`\b`).MatchString(query) || strings.HasPrefix(name, "(") {
		return false
	}
	if name == "staff" {
		return false // who signs in: tens
	}
	if regexp.MustCompile(`FROM ` + name + `\b[^()]* LIMIT \d+\)|LIMIT \d+\) ` + name + `\b`).MatchString(query) {
		return false // the first few, in the order of an index
	}
	if m := regexp.MustCompile(`INDEX (\w+)`).FindStringSubmatch(more); m != nil && partial[m[1]] {
		return false
	}
	return true
}

// literals are the beginnings of the statements that stand in the source.
func literals(t *testing.T) (out []string) {
	t.Helper()
	fset := token.NewFileSet()
	names, err := filepath.Glob("*.go")
	require.NoError(t, err)
	for _, name := range names {
		if strings.HasSuffix(name, "_test.go") {
			continue
		}
		file, err := parser.ParseFile(fset, name, nil, 0)
		require.NoError(t, err)
		ast.Inspect(file, func(n ast.Node) bool {
			l, ok := n.(*ast.BasicLit)
			if !ok || l.Kind != token.STRING {
				return true
			}
			text := strings.Trim(l.Value, "`\"")
			for _, verb := range []string{"SELECT ", "INSERT INTO ", "UPDATE ", "DELETE FROM "} {
				if strings.HasPrefix(strings.TrimSpace(text), verb) {
					out = append(out, strings.ReplaceAll(text, `\\`, `\`))
				}
			}
			return true
		})
	}
	return out
}
