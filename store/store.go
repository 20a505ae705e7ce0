// Package store keeps everything in one SQLite file. It is the only place that
// knows SQL. Acts write through Write, one transaction each; looks read through
// Read, one consistent snapshot each.
package store

import (
	"context"
	"database/sql"
	"embed"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // pure Go, so that no C compiler is needed
)

//go:embed migrations/*.sql
var migrations embed.FS

// File is the name of the database inside the data directory.
const File = "deftledger.db"

// Sentinels that app turns into answers.
var (
	ErrNotFound = errors.New("not found")
	ErrNewer    = errors.New("the data were written by a newer version of Deft Ledger; use that version")
)

// Store is an open database: one writing connection, several reading ones, one for what
// every request asks first, and a few for reads that may be long, so that none of these
// holds up another.
type Store struct {
	writer, reader, quick, long *pool

	trail   atomic.Pointer[TrailHead] // newest link that was committed here
	writing sync.Mutex                // one act after another, so that left is what the one before left
	left    left

	checkpoint struct { // of the log; see tidy
		sync.Mutex
		next time.Time
	}
}

// pool is one kind of connection with the statements that were prepared on it.
type pool struct {
	*sql.DB
	mu       sync.RWMutex
	prepared map[string]*sql.Stmt
}

// Q runs queries inside one transaction.
type Q struct {
	tx   *sql.Tx
	ctx  context.Context
	pool *pool
	own  map[string]*sql.Stmt // prepared, for this transaction
	new  []string             // first asked here; prepared for later ones when it is over

	heard func(query string) // of every statement; nil when nobody listens
	names map[string]string  // of the staff, once somebody asked
	of    []string           // patients of whom something was read by its identifier, or written in the audit
}

func dsn(path string, writer bool) string {
	v := url.Values{}
	for _, p := range []string{"busy_timeout(5000)", "journal_mode(wal)", "synchronous(full)", "foreign_keys(on)", "temp_store(memory)",
		"cache_size(-8000)"} {
		v.Add("_pragma", p)
	}
	if writer {
		v.Set("_txlock", "immediate")
		v.Add("_pragma", "wal_autocheckpoint(0)") // see tidy
	} else {
		v.Add("_pragma", "query_only(on)")
	}
	return "file:" + (&url.URL{Path: path}).EscapedPath() + "?" + v.Encode()
}

// Open opens (and where needed creates or brings up to date) the database in a
// directory. It returns ErrNewer for data of a newer version.
func Open(ctx context.Context, dir string) (*Store, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("the data directory cannot be made: %w", err)
	}
	path := filepath.Join(dir, File)
	w, err := open(path, true, 1)
	if err != nil {
		return nil, err
	}
	if err := w.PingContext(ctx); err != nil {
		w.Close()
		return nil, fmt.Errorf("the data directory %s cannot be written or its database cannot be read: %w", dir, err)
	}
	sub, _ := fs.Sub(migrations, "migrations")
	p, err := goose.NewProvider(goose.DialectSQLite3, w.DB, sub, goose.WithVerbose(false))
	if err != nil {
		w.Close()
		return nil, err
	}
	have, err := p.GetDBVersion(ctx)
	if err == nil {
		sources := p.ListSources()
		if newest := sources[len(sources)-1].Version; have > newest {
			w.Close()
			return nil, ErrNewer
		} else if have < newest {
			_, err = p.Up(ctx)
		}
	}
	if err != nil {
		w.Close()
		return nil, fmt.Errorf("the data in %s cannot be opened or brought up to date: %w", dir, err)
	}
	// No more readers at a time than there are processors for: more of them finish no sooner,
	// and keep whoever writes waiting.
	r, err := open(path, false, max(2, runtime.NumCPU()))
	if err != nil {
		return nil, errors.Join(err, w.Close())
	}
	k, err := open(path, false, 2)
	if err != nil {
		return nil, errors.Join(err, r.Close(), w.Close())
	}
	l, err := open(path, false, 2)
	if err != nil {
		return nil, errors.Join(err, k.Close(), r.Close(), w.Close())
	}
	s := &Store{writer: w, reader: r, quick: k, long: l}
	if have < trailBegan { // what was there before the trail began is taken as it is
		if err := run(ctx, s.writer, func(q *Q) error { return q.leave(&left{}) }); err != nil {
			return nil, errors.Join(err, s.Close())
		}
	}
	if err := s.Write(ctx, func(q *Q) error { return errors.Join(q.named(), q.fold()) }); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

func open(path string, writer bool, connections int) (*pool, error) {
	db, err := sql.Open("sqlite", dsn(path, writer))
	if err != nil {
		return nil, err
	}
	db.SetMaxOpenConns(connections)
	db.SetMaxIdleConns(connections)
	return &pool{DB: db, prepared: map[string]*sql.Stmt{}}, nil
}

// Close ends all connections.
func (s *Store) Close() error {
	return errors.Join(s.long.Close(), s.quick.Close(), s.reader.Close(), s.writer.Close())
}

// Write runs f in one writing transaction; an error (or panic) undoes all of it. What it
// did is added to the trail within it.
func (s *Store) Write(ctx context.Context, f func(*Q) error) error {
	s.writing.Lock()
	defer s.writing.Unlock()
	left := s.left
	if err := run(ctx, s.writer, func(q *Q) error {
		if err := q.begin(&left); err != nil {
			return err
		}
		if err := f(q); err != nil {
			return err
		}
		return q.leave(&left)
	}); err != nil {
		return err
	}
	if s.left = left; left.link.seq > 0 {
		s.trail.Store(&TrailHead{Seq: left.link.seq, Hash: hex.EncodeToString(left.link.hash)})
	}
	s.tidy()
	return nil
}

const (
	// checkpointEvery is how much time of writing the log holds.
	checkpointEvery = 250 * time.Millisecond
	// checkpointAfter is how long it is let be when a long read kept it from being emptied.
	checkpointAfter = 5 * time.Second
)

// tidy empties the log into the database's file now and then. SQLite would try after every
// commit once the log is long, and each try costs more the longer it is: while a backup or
// a verification reads, which keep it from being emptied, writing would become slow.
func (s *Store) tidy() {
	s.checkpoint.Lock()
	due := time.Now().After(s.checkpoint.next)
	if due {
		s.checkpoint.next = time.Now().Add(checkpointEvery)
	}
	s.checkpoint.Unlock()
	if !due {
		return
	}
	var busy, frames, copied int
	// What was committed is safe without it, so that nobody needs to know that it failed; the
	// next one does it.
	_ = s.writer.QueryRow("PRAGMA wal_checkpoint(PASSIVE)").Scan(&busy, &frames, &copied)
	if copied < frames {
		s.checkpoint.Lock()
		s.checkpoint.next = time.Now().Add(checkpointAfter)
		s.checkpoint.Unlock()
	}
}

// Trail is the newest link of the trail that was added since the start; the zero head
// for none.
func (s *Store) Trail() TrailHead {
	if h := s.trail.Load(); h != nil {
		return *h
	}
	return TrailHead{}
}

// Read runs f on one consistent snapshot.
func (s *Store) Read(ctx context.Context, f func(*Q) error) error { return run(ctx, s.reader, f) }

// Quick is Read for what every request asks before anything else: who somebody is. It never
// waits for the reads of others.
func (s *Store) Quick(ctx context.Context, f func(*Q) error) error { return run(ctx, s.quick, f) }

// Long is Read for what may take its time: over the whole practice or the whole ledger.
func (s *Store) Long(ctx context.Context, f func(*Q) error) error { return run(ctx, s.long, f) }

func run(ctx context.Context, p *pool, f func(*Q) error) error {
	tx, err := p.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	q := &Q{tx: tx, ctx: ctx, pool: p, own: map[string]*sql.Stmt{}}
	q.heard, _ = ctx.Value(listening{}).(func(query string))
	defer func() {
		_ = tx.Rollback() // after Commit it does nothing
		p.prepare(q.new)
	}()
	if err := f(q); err != nil {
		return err
	}
	return tx.Commit()
}

// mostPrepared bounds the statements that are kept prepared. There are fewer in the
// program; a few are put together from what was asked.
const mostPrepared = 1000

// prepare prepares statements for transactions to come. It cannot be done within one,
// because the writer has one connection; nor may the lock be held while it waits for that
// connection, because the transaction that has it asks for the lock.
func (p *pool) prepare(queries []string) {
	for _, query := range queries {
		p.mu.RLock()
		full := p.prepared[query] != nil || len(p.prepared) >= mostPrepared
		p.mu.RUnlock()
		if full {
			continue
		}
		s, err := p.Prepare(query)
		if err != nil {
			continue // the query is parsed anew each time, and says itself what is wrong
		}
		p.mu.Lock()
		if p.prepared[query] == nil {
			p.prepared[query], s = s, nil
		}
		p.mu.Unlock()
		if s != nil {
			s.Close() // another was quicker
		}
	}
}

// listening is where a context carries who hears of every statement.
type listening struct{}

// Listen lets f hear of every statement that is asked under the context: tests count what a
// screen costs and read the plan of each.
func Listen(ctx context.Context, f func(query string)) context.Context {
	return context.WithValue(ctx, listening{}, f)
}

// stmt is the prepared statement of a query in this transaction, nil when it cannot be
// prepared.
func (q *Q) stmt(query string) *sql.Stmt {
	if q.heard != nil {
		q.heard(query)
	}
	if s, known := q.own[query]; known {
		return s
	}
	q.pool.mu.RLock()
	s := q.pool.prepared[query]
	q.pool.mu.RUnlock()
	if s == nil {
		q.new = append(q.new, query)
		var err error
		if s, err = q.tx.PrepareContext(q.ctx, query); err != nil {
			s = nil
		}
	} else {
		s = q.tx.StmtContext(q.ctx, s)
	}
	q.own[query] = s
	return s
}

func (q *Q) query(query string, args ...any) (*sql.Rows, error) {
	if s := q.stmt(query); s != nil {
		return s.QueryContext(q.ctx, args...)
	}
	return q.tx.QueryContext(q.ctx, query, args...)
}

func (q *Q) exec(query string, args ...any) (int64, error) {
	var r sql.Result
	var err error
	if s := q.stmt(query); s != nil {
		r, err = s.ExecContext(q.ctx, args...)
	} else {
		r, err = q.tx.ExecContext(q.ctx, query, args...)
	}
	if err != nil {
		return 0, err
	}
	return r.RowsAffected()
}

// do runs a statement whose count of rows does not matter.
func (q *Q) do(query string, args ...any) error {
	_, err := q.exec(query, args...)
	return err
}

type scanner interface{ Scan(...any) error }

func list[T any](q *Q, scan func(scanner, *T) error, query string, args ...any) ([]T, error) {
	rows, err := q.query(query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := []T{}
	for rows.Next() {
		var t T
		if err := scan(rows, &t); err != nil {
			return nil, err
		}
		out = append(out, t)
	}
	return out, rows.Err()
}

func one[T any](q *Q, scan func(scanner, *T) error, query string, args ...any) (T, error) {
	var t T
	rows, err := q.query(query, args...)
	if err != nil {
		return t, err
	}
	defer rows.Close()
	if !rows.Next() {
		if err := rows.Err(); err != nil {
			return t, err
		}
		return t, ErrNotFound
	}
	if err := scan(rows, &t); err != nil {
		return t, err
	}
	return t, rows.Close()
}

func scalar[T any](s scanner, t *T) error { return s.Scan(t) }

// of names columns under an alias.
func of(alias, columns string) string {
	return alias + "." + strings.ReplaceAll(columns, ", ", ", "+alias+".")
}

// Stamp is how moments are kept: UTC with milliseconds, so that text sorts as time.
func Stamp(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.UTC().Format("2006-01-02T15:04:05.000Z")
}

// Moment reads a Stamp; "" gives the zero time.
func Moment(s string) time.Time {
	t, _ := time.Parse(time.RFC3339Nano, s)
	return t
}

// Setting returns a stored setting, "" when there is none.
func (q *Q) Setting(name string) (string, error) {
	v, err := one(q, scalar[string], "SELECT value FROM setting WHERE name = ?", name)
	if errors.Is(err, ErrNotFound) {
		return "", nil
	}
	return v, err
}

// SetSetting stores a setting.
func (q *Q) SetSetting(name, value string) error {
	return q.do("INSERT INTO setting(name, value) VALUES (?, ?) ON CONFLICT(name) DO UPDATE SET value = excluded.value", name, value)
}

// Of are the patients of whom this transaction read something by its identifier, or wrote in
// the audit: those whose chart it is about.
func (q *Q) Of() []string { return q.of }

// about notes whose something is that was read by its identifier.
func about[T any](q *Q, patient func(T) string) func(T, error) (T, error) {
	return func(t T, err error) (T, error) {
		if err == nil {
			q.IsOf(patient(t))
		}
		return t, err
	}
}

// IsOf notes that this transaction is about a patient's chart.
func (q *Q) IsOf(patient string) {
	if patient != "" && !slices.Contains(q.of, patient) {
		q.of = append(q.of, patient)
	}
}

// Within runs f as a part that can be undone alone when it fails.
func (q *Q) Within(name string, f func() error) error {
	if err := q.do("SAVEPOINT " + name); err != nil {
		return err
	}
	if err := f(); err != nil {
		if undo := q.do("ROLLBACK TO " + name); undo != nil {
			return errors.Join(err, undo)
		}
		return errors.Join(err, q.do("RELEASE "+name))
	}
	return q.do("RELEASE " + name)
}

// Bulk prepares the writer for filling an empty database with a great many rows: much in
// memory, and nothing is waited for on the disk. A crash meanwhile can spoil the file.
func (s *Store) Bulk(ctx context.Context) error {
	_, err := s.writer.ExecContext(ctx, "PRAGMA synchronous = off; PRAGMA cache_size = -800000; PRAGMA wal_autocheckpoint = 20000")
	return err
}

// LimitSize bounds the database file at so many pages (never below its present
// size), as a guard against filling the disk; writes beyond it fail and undo themselves.
func (s *Store) LimitSize(ctx context.Context, pages int) error {
	_, err := s.writer.ExecContext(ctx, fmt.Sprintf("PRAGMA max_page_count = %d", pages))
	return err
}
