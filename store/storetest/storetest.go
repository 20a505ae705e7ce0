// Package storetest gives tests an empty practice: made once, with all its migrations, and
// copied for each of them.
package storetest

import (
	"context"
	"os"
	"path/filepath"
	"sync"
	"testing"

	"deftledger/store"
)

// empty are the files of an empty practice, by name.
var empty = sync.OnceValues(func() (map[string][]byte, error) {
	dir, err := os.MkdirTemp("", "deftledger-empty")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	s, err := store.Open(context.Background(), dir)
	if err != nil {
		return nil, err
	}
	if err := s.Close(); err != nil {
		return nil, err
	}
	files, err := os.ReadDir(dir)
	if err != nil {
		return nil, err
	}
	out := map[string][]byte{}
	for _, f := range files {
		if out[f.Name()], err = os.ReadFile(filepath.Join(dir, f.Name())); err != nil {
			return nil, err
		}
	}
	return out, nil
})

// Open opens an empty practice in a directory, and closes it when the test ends.
func Open(t testing.TB, dir string) *store.Store {
	t.Helper()
	files, err := empty()
	if err != nil {
		t.Fatal(err)
	}
	for name, body := range files {
		if err := os.WriteFile(filepath.Join(dir, name), body, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	s, err := store.Open(context.Background(), dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}
