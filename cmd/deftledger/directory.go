package main

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"filippo.io/age"
	"golang.org/x/sys/unix"

	"deftledger/store"
)

const (
	lockFile     = "deftledger.lock"
	practiceFile = "practice" // which practice's data a directory holds
)

// lock keeps a data directory to one running program. The system lets it go when the
// process ends, however it ends.
func lock(dir string) (release func(), err error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("the data directory cannot be made: %w", err)
	}
	f, err := os.OpenFile(filepath.Join(dir, lockFile), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("the data directory %s cannot be written: %w", dir, err)
	}
	if err := unix.Flock(int(f.Fd()), unix.LOCK_EX|unix.LOCK_NB); err != nil {
		f.Close()
		return nil, fmt.Errorf("another Deft Ledger is running on the data in %s; stop it first, or give another directory", dir)
	}
	return func() { f.Close() }, nil
}

// kept says which practice was kept in a directory; "" where nothing says so.
func kept(dir string) (string, error) {
	text, err := os.ReadFile(filepath.Join(dir, practiceFile))
	if errors.Is(err, os.ErrNotExist) {
		return "", nil
	}
	return strings.TrimSpace(string(text)), err
}

// sameDirectory holds the practice of a database against the one that was kept in its
// directory, so that a new, empty or foreign database does not begin a practice silently.
func sameDirectory(dir, practice string) error {
	was, err := kept(dir)
	switch {
	case err != nil:
		return err
	case was == "" || was == practice:
		return nil
	case practice == "":
		return fmt.Errorf("the database in %s is new or empty, and a practice was kept there before: restore a backup into an empty directory, "+
			"or take the file %q away to begin a new practice", dir, practiceFile)
	}
	return fmt.Errorf("the database in %s says that it is of another practice than the one kept there; run \"deftledger verify\" on a backup "+
		"and restore it", dir)
}

// keep notes which practice a directory holds.
func keep(dir, practice string) error {
	if was, err := kept(dir); err != nil || was == practice {
		return err
	}
	return os.WriteFile(filepath.Join(dir, practiceFile), []byte(practice+"\n"), 0o600)
}

// encrypt writes a file so that only the holder of a key reads it (age).
func encrypt(from, to, recipient string) error {
	r, err := age.ParseX25519Recipient(recipient)
	if err != nil {
		return fmt.Errorf("%q is not a public key of age (age1…): %w", recipient, err)
	}
	return pass(from, to, func(in io.Reader, out io.Writer) error {
		w, err := age.Encrypt(out, r)
		if err != nil {
			return err
		}
		if _, err := io.Copy(w, in); err != nil {
			return err
		}
		return w.Close()
	})
}

// ageMagic begins every file that age has written.
const ageMagic = "age-encryption.org/"

// unpacked copies a backup to a file, decrypted where it is encrypted.
func unpacked(from, to, identity string) error {
	head := make([]byte, len(ageMagic))
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	_, err = io.ReadFull(in, head)
	in.Close()
	if err != nil || string(head) != ageMagic {
		return pass(from, to, func(in io.Reader, out io.Writer) error { _, err := io.Copy(out, in); return err })
	}
	if identity == "" {
		return fmt.Errorf("%s is encrypted: give the file with its key as --identity FILE", from)
	}
	keys, err := os.Open(identity)
	if err != nil {
		return err
	}
	defer keys.Close()
	ids, err := age.ParseIdentities(keys)
	if err != nil {
		return fmt.Errorf("%s holds no key of age: %w", identity, err)
	}
	return pass(from, to, func(in io.Reader, out io.Writer) error {
		r, err := age.Decrypt(in, ids...)
		if err != nil {
			return fmt.Errorf("the backup cannot be decrypted with this key: %w", err)
		}
		_, err = io.Copy(out, r)
		return err
	})
}

// pass writes one file from another, durably and whole: where it fails nothing is left.
func pass(from, to string, how func(io.Reader, io.Writer) error) (err error) {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer func() {
		err = errors.Join(err, out.Close())
		if err != nil {
			_ = os.Remove(to)
		}
	}()
	if err := how(in, out); err != nil {
		return err
	}
	return out.Sync()
}

// leftovers are files of a database that an empty directory must not hold.
func leftovers(dir string) error {
	for _, suffix := range []string{"", "-wal", "-shm", "-journal", ".part"} {
		if _, err := os.Stat(filepath.Join(dir, store.File+suffix)); err == nil {
			return fmt.Errorf("there is a %s in %s already; restore into an empty directory", store.File+suffix, dir)
		}
	}
	return nil
}
