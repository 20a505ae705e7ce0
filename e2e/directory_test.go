package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"filippo.io/age"
	"github.com/stretchr/testify/require"
)

// TestOneProgramADirectoryAndNoSilentBeginning: a second program is refused, a crash lets the directory go, and a
// database, key or witness that is not the one kept there is told instead of beginning a practice anew.
func TestOneProgramADirectoryAndNoSilentBeginning(t *testing.T) {
	p := practice(t)
	serve := []string{"serve", "--data", p.dir, "--listen", freeAddr(), "--mllp", freeAddr()}
	said, code := p.run(t, "", serve...)
	require.Equal(t, 1, code)
	require.Contains(t, said, "another Deft Ledger is running on the data")
	oneLine(t, said)
	p.kill()
	require.NoError(t, p.start(), "a crash lets the directory go")
	require.NoError(t, p.stop())

	db, id := filepath.Join(p.dir, "deftledger.db"), practiceID(t, p.dir)
	witness := filepath.Join(p.keys, id, "witness.jsonl")
	key := filepath.Join(p.keys, id, "sealing.key")
	aside := func(path string) func() {
		require.NoError(t, os.Rename(path, path+".aside"))
		return func() { require.NoError(t, os.Rename(path+".aside", path)) }
	}
	back := aside(witness)
	said, code = p.run(t, "", serve...)
	require.Equal(t, 1, code)
	require.Contains(t, said, "the witness beside the sealing key is gone")
	back()
	back = aside(key)
	said, code = p.run(t, "", serve...)
	require.Equal(t, 1, code)
	require.Contains(t, said, "the sealing key of this practice is not at")
	require.NoFileExists(t, key, "no new key is made")
	require.NoError(t, os.WriteFile(key, []byte("AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA="), 0o600))
	said, code = p.run(t, "", serve...)
	require.Equal(t, 1, code)
	require.Contains(t, said, "the sealing key is not the one that this ledger was sealed with")
	require.NoError(t, os.Remove(key))
	back()
	back = aside(db)
	for _, empty := range []bool{false, true} {
		if empty {
			require.NoError(t, os.WriteFile(db, nil, 0o600))
		}
		said, code = p.run(t, "", serve...)
		require.Equal(t, 1, code)
		require.Contains(t, said, "is new or empty, and a practice was kept there before")
		for _, suffix := range []string{"", "-wal", "-shm"} {
			_ = os.Remove(db + suffix)
		}
	}
	back()
	require.NoError(t, p.start())
	said, code = p.run(t, "", "verify", "--data", p.dir)
	require.Equal(t, 0, code, said)
}

// TestABackupIsForWhoeverHoldsItsKey: encrypted to a public key, restored with the private one and not without; a
// directory with anything of a database in it is not restored into, and a failure leaves nothing.
func TestABackupIsForWhoeverHoldsItsKey(t *testing.T) {
	p := practice(t)
	id, err := age.GenerateX25519Identity()
	require.NoError(t, err)
	keyFile := filepath.Join(t.TempDir(), "key.txt")
	require.NoError(t, os.WriteFile(keyFile, []byte(id.String()+"\n"), 0o600))
	copied := filepath.Join(t.TempDir(), "backup.age")
	said, code := p.run(t, "", "backup", "--data", p.dir, "--to", id.Recipient().String(), copied)
	require.Equal(t, 0, code, said)
	info, err := os.Stat(copied)
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	require.NoFileExists(t, copied+".plain")
	body, err := os.ReadFile(copied)
	require.NoError(t, err)
	require.NotContains(t, string(body), "SQLite format")

	dir := filepath.Join(t.TempDir(), "new")
	said, code = p.run(t, "", "restore", "--data", dir, copied)
	require.Equal(t, 1, code)
	require.Contains(t, said, "is encrypted: give the file with its key")
	require.NoFileExists(t, filepath.Join(dir, "deftledger.db.part"))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "deftledger.db-wal"), nil, 0o600))
	said, code = p.run(t, "", "restore", "--data", dir, "--identity", keyFile, copied)
	require.Equal(t, 1, code)
	require.Contains(t, said, "deftledger.db-wal")
	require.NoError(t, os.Remove(filepath.Join(dir, "deftledger.db-wal")))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "torn"), body[:len(body)/2], 0o600))
	said, code = p.run(t, "", "restore", "--data", dir, "--identity", keyFile, filepath.Join(dir, "torn"))
	require.Equal(t, 1, code, said)
	require.NoFileExists(t, filepath.Join(dir, "deftledger.db"))
	said, code = p.run(t, "", "restore", "--data", dir, "--identity", keyFile, copied)
	require.Equal(t, 0, code, said)
	said, code = p.run(t, "", "verify", "--data", dir)
	require.Equal(t, 0, code, said)
	restored := &program{dir: dir, keys: p.keys}
	require.Equal(t, 1, restored.count(t, "SELECT count(*) FROM audit WHERE act = 'restore the data from a backup'"))
}
