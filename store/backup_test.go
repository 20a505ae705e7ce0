package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// A backup made while others write is whole, is of one moment, and keeps nobody's writing
// from the data. (That the closing of the copied file lets go locks of this process does
// not matter here: no other process has the file.)
func TestABackupOfABusyDatabaseIsOfOneMoment(t *testing.T) {
	dir := t.TempDir()
	s, err := Open(ctx, dir)
	require.NoError(t, err)
	defer s.Close()
	// Two settings that are always the same, and room around them, so that they are pages apart.
	both := func(n int) error {
		return s.Write(ctx, func(q *Q) error {
			return errors.Join(q.SetSetting("a", fmt.Sprint(n)), q.SetSetting(fmt.Sprintf("m-%06d", n), string(make([]byte, 600))), q.SetSetting("z", fmt.Sprint(n)))
		})
	}
	const first = 1000
	for n := range first {
		require.NoError(t, both(n))
	}
	stop, cancel := context.WithCancel(ctx)
	var wg sync.WaitGroup
	defer wg.Wait()
	defer cancel()
	last, failed := 0, error(nil)
	wg.Go(func() {
		for n := first; stop.Err() == nil && failed == nil; n++ {
			failed = both(n)
			last = n
		}
	})
	copied := filepath.Join(t.TempDir(), "copy")
	for k := range 3 {
		to := filepath.Join(copied+fmt.Sprint(k), File)
		require.NoError(t, os.MkdirAll(filepath.Dir(to), 0o700))
		require.NoError(t, Backup(ctx, dir, to))
		db, err := sql.Open("sqlite", "file:"+to+"?mode=ro&immutable=1")
		require.NoError(t, err)
		defer db.Close()
		var whole, a, z string
		var between int
		require.NoError(t, db.QueryRow("PRAGMA integrity_check").Scan(&whole))
		require.Equal(t, "ok", whole)
		require.NoError(t, db.QueryRow("SELECT (SELECT value FROM setting WHERE name = 'a'), (SELECT value FROM setting WHERE name = 'z'),"+
			" (SELECT count(*) FROM setting WHERE name LIKE 'm-%')").Scan(&a, &z, &between))
		require.Equal(t, a, z)
		require.Equal(t, a, fmt.Sprint(between-1), "all that was written until then, and nothing after")
		require.GreaterOrEqual(t, between, first)
		left, err := os.ReadDir(filepath.Dir(to))
		require.NoError(t, err)
		require.Len(t, left, 1, "no half file, no log beside it")
	}
	cancel()
	wg.Wait()
	require.NoError(t, failed)
	require.NoError(t, s.Read(ctx, func(q *Q) error {
		z, err := q.Setting("z")
		require.Equal(t, fmt.Sprint(last), z)
		return err
	}))
}

// Somebody who still reads what was before keeps the file from being whole: the backup
// waits for them, and does not take what is not there yet.
func TestABackupWaitsForALongRead(t *testing.T) {
	dir := t.TempDir()
	s, err := Open(ctx, dir)
	require.NoError(t, err)
	defer s.Close()
	to := filepath.Join(t.TempDir(), File)
	done := make(chan error, 1)
	require.NoError(t, s.Long(ctx, func(q *Q) error {
		if _, err := q.Setting("a"); err != nil {
			return err
		}
		if err := s.Write(ctx, func(q *Q) error { return q.SetSetting("a", "late") }); err != nil {
			return err
		}
		short, cancel := context.WithTimeout(ctx, 300*time.Millisecond)
		defer cancel()
		require.ErrorIs(t, Backup(short, dir, to), context.DeadlineExceeded)
		require.NoFileExists(t, to)
		go func() { done <- Backup(ctx, dir, to) }()
		return nil
	}))
	require.NoError(t, <-done)
	db, err := sql.Open("sqlite", "file:"+to+"?mode=ro&immutable=1")
	require.NoError(t, err)
	defer db.Close()
	var a string
	require.NoError(t, db.QueryRow("SELECT value FROM setting WHERE name = 'a'").Scan(&a))
	require.Equal(t, "late", a)
}

// Nothing that is there is overwritten, and what cannot be written leaves nothing.
func TestABackupThatFailsLeavesNothing(t *testing.T) {
	dir := t.TempDir()
	s, err := Open(ctx, dir)
	require.NoError(t, err)
	require.NoError(t, s.Close())
	to := filepath.Join(t.TempDir(), "there")
	require.NoError(t, os.WriteFile(to, []byte("kept"), 0o600))
	require.ErrorContains(t, Backup(ctx, dir, to), "already there")
	kept, err := os.ReadFile(to)
	require.NoError(t, err)
	require.Equal(t, "kept", string(kept))
	gone, cancel := context.WithCancel(ctx)
	cancel()
	require.Error(t, Backup(gone, dir, to+"2"))
	require.Error(t, Backup(ctx, dir, filepath.Join(to, "under a file")))
	// A disk that is full.
	if err := os.Symlink("/dev/full", to+"3.part"); err != nil {
		t.Fatal(err)
	}
	require.ErrorContains(t, Backup(ctx, dir, to+"3"), "no space left")
	left, err := os.ReadDir(filepath.Dir(to))
	require.NoError(t, err)
	require.Len(t, left, 1)
	require.NoError(t, Backup(ctx, dir, to+"3"), "and then there is room")
}
