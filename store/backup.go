package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"
)

// ErrNoMoment says that no backup could begin, because somebody read or wrote all the time.
var ErrNoMoment = errors.New("something that takes long is under way (a verification, a search over the practice): try again when it is over")

const (
	// backupChunk is how much is copied before those who work have their turn.
	backupChunk = 2 << 20
	// backupShare is the part of the time in which a backup copies.
	backupShare = 0.2
	// backupWait is how long a backup waits for its beginning.
	backupWait = time.Minute
)

// Backup copies the database in a directory, as it is at one moment, to a file that must
// not exist; also while the application writes, which it hardly slows. It is for a process
// of its own: where a process closes a database's file, it lets go what else it has locked
// of it.
//
// A transaction that reads while the log is empty keeps everybody from writing into the
// database's file itself until it ends: what is written meanwhile stays in the log. So the
// file can be copied as any other, slowly, and is one consistent state.
func Backup(ctx context.Context, dir, path string) error {
	if _, err := os.Stat(path); err == nil {
		return fmt.Errorf("%s is already there; choose another name", path)
	}
	from := filepath.Join(dir, File)
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close() // last, see above
	db, err := open(from, true, 3)
	if err != nil {
		return err
	}
	defer db.Close()
	read, err := hold(ctx, db)
	if err != nil {
		return err
	}
	defer read.Close()
	part := path + ".part"
	err = gently(ctx, in, part)
	if err == nil {
		err = os.Rename(part, path)
	}
	if err != nil {
		_ = os.Remove(part)
		return err
	}
	return syncFile(filepath.Dir(path))
}

// hold begins to read the database's file while nothing is in the log but what the file
// has too, and keeps it as it is until the connection is closed.
func hold(ctx context.Context, db *pool) (*sql.Conn, error) {
	for began := time.Now(); time.Since(began) < backupWait; {
		read, err := holdNow(ctx, db)
		if read != nil || err != nil {
			return read, err
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(time.Millisecond):
		}
	}
	return nil, ErrNoMoment
}

// holdNow is one try; nothing when somebody reads what was before, or writes all the time.
func holdNow(ctx context.Context, db *pool) (read *sql.Conn, err error) {
	if _, err := checkpoint(ctx, db); err != nil { // most of it, while others write
		return nil, err
	}
	write, err := db.Conn(ctx)
	if err != nil {
		return nil, err
	}
	defer write.Close()
	// Nobody writes until the end of this function. The wait for that is short and often
	// tried, because the database's own becomes too rare for a place where all write at once.
	if _, err := write.ExecContext(ctx, "PRAGMA busy_timeout = 0; BEGIN IMMEDIATE"); busy(err) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	defer func() { _, _ = write.ExecContext(context.WithoutCancel(ctx), "ROLLBACK") }()
	if whole, err := checkpoint(ctx, db); err != nil || !whole {
		return nil, err
	}
	if read, err = db.Conn(ctx); err != nil {
		return nil, err
	}
	_, err = read.ExecContext(ctx, "BEGIN DEFERRED")
	if err == nil {
		err = read.QueryRowContext(ctx, "PRAGMA schema_version").Scan(new(int))
	}
	if err != nil {
		return nil, errors.Join(err, read.Close())
	}
	return read, nil
}

func busy(err error) bool {
	var e *sqlite.Error
	return errors.As(err, &e) && e.Code()&0xff == sqlite3.SQLITE_BUSY
}

// checkpoint says whether the database's file now has all that is in the log.
func checkpoint(ctx context.Context, db *pool) (whole bool, err error) {
	var blocked, frames, copied int
	err = db.QueryRowContext(ctx, "PRAGMA wal_checkpoint(PASSIVE)").Scan(&blocked, &frames, &copied)
	return blocked == 0 && frames == copied, err
}

// gently copies a file in parts, each safe on the disk before those who work have theirs.
func gently(ctx context.Context, in *os.File, to string) error {
	out, err := os.OpenFile(to, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer out.Close()
	for {
		began := time.Now()
		n, err := io.CopyN(out, in, backupChunk)
		if err != nil && !errors.Is(err, io.EOF) {
			return err
		}
		if err2 := out.Sync(); err2 != nil {
			return err2
		}
		if err != nil || n < backupChunk {
			return out.Close()
		}
		took := time.Since(began)
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(time.Duration(float64(took) * (1 - backupShare) / backupShare)):
		}
	}
}

func syncFile(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	return errors.Join(f.Sync(), f.Close())
}
