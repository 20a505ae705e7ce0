package e2e

import (
	"bytes"
	"database/sql"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

func oneLine(t *testing.T, said string) {
	t.Helper()
	require.Equal(t, 1, strings.Count(strings.TrimSpace(said), "\n")+1, "one clear line, not %q", said)
}

func TestCommandsSayWhatIsWrong(t *testing.T) {
	p := practice(t)
	taken, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer taken.Close()
	said, code := p.run(t, "", "serve", "--data", t.TempDir(), "--listen", taken.Addr().String(), "--mllp", freeAddr())
	require.Equal(t, 1, code)
	require.Contains(t, said, "cannot be used, another program may have it; choose one with --listen")
	oneLine(t, said)

	file := filepath.Join(t.TempDir(), "file")
	require.NoError(t, os.WriteFile(file, nil, 0o600))
	said, code = p.run(t, "", "demo", "--data", filepath.Join(file, "under"), "--listen", freeAddr(), "--mllp", freeAddr())
	require.Equal(t, 1, code)
	require.Contains(t, said, "the data directory cannot be made")
	oneLine(t, said)

	require.NoError(t, p.stop())
	db, err := sql.Open("sqlite", filepath.Join(p.dir, "deftledger.db"))
	require.NoError(t, err)
	_, err = db.Exec("INSERT INTO goose_db_version(version_id, is_applied) VALUES (999999, 1)")
	require.NoError(t, err)
	db.Close()
	said, code = p.run(t, "", "serve", "--data", p.dir, "--listen", freeAddr(), "--mllp", freeAddr())
	require.Equal(t, 1, code)
	require.Contains(t, said, "written by a newer version")
	oneLine(t, said)

	said, code = p.run(t, "", "verify", "--data", t.TempDir())
	require.Equal(t, 1, code)
	require.Contains(t, said, "there are no data in")
	_, code = p.run(t, "", "nonsense")
	require.Equal(t, 2, code)
}

func TestVerifyBackupRestoreAndAnchors(t *testing.T) {
	p := practice(t)
	anchor, code := p.run(t, "", "anchor", "--data", p.dir)
	require.Equal(t, 0, code, anchor)
	anchorFile := filepath.Join(t.TempDir(), "anchor.json")
	require.NoError(t, os.WriteFile(anchorFile, []byte(anchor), 0o600))
	copied := filepath.Join(t.TempDir(), "backup.db")
	said, code := p.run(t, "", "backup", "--data", p.dir, copied) // while the program runs
	require.Equal(t, 0, code, said)
	said, code = p.run(t, "", "backup", "--data", p.dir, copied)
	require.Equal(t, 1, code)
	require.Contains(t, said, "already there")

	restored := filepath.Join(t.TempDir(), "new")
	said, code = p.run(t, "", "restore", "--data", restored, copied)
	require.Equal(t, 0, code, said)
	require.Contains(t, said, "entries are good")
	said, code = p.run(t, "", "verify", "--data", restored, "--anchor", anchorFile)
	require.Equal(t, 0, code, said)
	_, code = p.run(t, "", "restore", "--data", restored, copied)
	require.Equal(t, 1, code, "nothing is overwritten")

	// Edited in the database file: found, named, exit 1.
	db, err := sql.Open("sqlite", filepath.Join(restored, "deftledger.db"))
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec("DROP TRIGGER ledger_entry_fixed; UPDATE ledger_entry SET signer_name = 'Somebody' WHERE seq = 5")
	require.NoError(t, err)
	said, code = p.run(t, "", "verify", "--data", restored)
	require.Equal(t, 1, code)
	require.Contains(t, said, "4 entries are good.")
	require.Contains(t, said, "NOT GOOD: entry 5 (folio ")

	// The tail cut off in another copy: the witness beside the key, or the anchor alone, finds it.
	_, err = db.Exec("DROP TRIGGER ledger_entry_stays; UPDATE ledger_entry SET signer_name = 'Maren Oduya' WHERE seq = 5; DELETE FROM ledger_entry WHERE seq > 20")
	require.NoError(t, err)
	said, code = p.run(t, "", "verify", "--data", restored)
	require.Equal(t, 1, code)
	require.Contains(t, said, "the chain ends at entry 20")
	require.NoError(t, os.WriteFile(filepath.Join(p.keys, practiceID(t, restored), "witness.jsonl"), firstHead(t, p, restored), 0o600))
	said, code = p.run(t, "", "verify", "--data", restored, "--anchor", anchorFile)
	require.Equal(t, 1, code)
	require.Contains(t, said, "the chain ends at entry 20")
}

func practiceID(t *testing.T, dir string) string {
	t.Helper()
	db, err := sql.Open("sqlite", filepath.Join(dir, "deftledger.db"))
	require.NoError(t, err)
	defer db.Close()
	var id string
	require.NoError(t, db.QueryRow("SELECT value FROM setting WHERE name = 'practice'").Scan(&id))
	return id
}

// firstHead is the witness as it stood after the first entries.
func firstHead(t *testing.T, p *program, dir string) []byte {
	t.Helper()
	raw, err := os.ReadFile(filepath.Join(p.keys, practiceID(t, dir), "witness.jsonl"))
	require.NoError(t, err)
	lines := bytes.Split(bytes.TrimSpace(raw), []byte("\n"))
	return append(lines[0], '\n')
}

func TestUsersAndCodes(t *testing.T) {
	p := practice(t)
	said, code := p.run(t, "", "users", "--data", p.dir)
	require.Equal(t, 0, code)
	require.Contains(t, said, "Tobias Lindqvist-Rao, physician")
	add := []string{"users", "--data", p.dir, "--add", "vera", "--given", "Vera", "--family", "Holm", "--role", "nurse"}
	said, code = p.run(t, "short\nsecret-1\n", add...)
	require.Equal(t, 1, code)
	require.Contains(t, said, "at least 10 characters")
	said, code = p.run(t, "a-new-long-password\nsecret-1\n", add...)
	require.Equal(t, 0, code, said)
	c := &client{base: "http://" + p.http}
	require.NoError(t, c.call(http.MethodPost, "/api/session", map[string]string{"login": "vera", "password": "a-new-long-password"}, nil))
	require.Equal(t, 0, p.count(t,
		"SELECT count(*) FROM staff WHERE password_hash LIKE '%long-password%' OR password_hash NOT LIKE '$argon2id$%'"))

	said, code = p.run(t, "", "codes", "search", "gout", "right", "ankle")
	require.Equal(t, 0, code)
	require.True(t, strings.HasPrefix(said, "M10.071\tbillable\tIdiopathic gout, right ankle and foot\n"), said)
	said, code = p.run(t, "", "codes", "search", "M10.07")
	require.Equal(t, 0, code)
	require.True(t, strings.HasPrefix(said, "M10.07\theading "), said)
	_, code = p.run(t, "", "codes", "search", "qqqqzzzz")
	require.Equal(t, 1, code)
}
