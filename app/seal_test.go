package app_test

import (
	"crypto/ed25519"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/core/ledger"
	"deftledger/store"
)

// signed makes a chart with three sealed entries: order, note and amendment.
func signed(t *testing.T) (*clinic, string) {
	c := open(t)
	c.order("K")
	id, versions, list := c.written()
	_, err := c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, list, "")
	require.NoError(t, err)
	_, err = c.app.Note.Amend(ctx, c.doctor(), id, secret, "One more thing.")
	require.NoError(t, err)
	require.Empty(t, c.verify())
	return c, id
}

const unlock = "DROP TRIGGER ledger_entry_fixed; DROP TRIGGER ledger_entry_stays; DROP TRIGGER note_part_sealed; DROP TRIGGER note_part_stays; DROP TRIGGER note_unsigned_never;"

func TestTamperingIsFound(t *testing.T) {
	cases := []struct{ name, spoil, says string }{
		{"an entry edited in the file",
			unlock + `UPDATE ledger_entry SET content = CAST(replace(CAST(content AS TEXT), 'Text of', 'Test of') AS BLOB) WHERE kind = 'note'`,
			"entry 2 (folio 2, note"},
		{"an entry removed", unlock + `DELETE FROM ledger_entry WHERE seq = 2`, "entry 2 is missing"},
		{"the tail cut off", unlock + `DELETE FROM ledger_entry WHERE seq > 2`, "the chain ends at entry 2"},
		{"the working text changed, the ledger left alone", unlock + `UPDATE note_part SET text = 'Something else.' WHERE part = 'plan'`,
			"the plan of the note under folio 2"},
		{"the note made a draft again", unlock + `UPDATE note SET folio = 0`, "no longer marked signed"},
		{"the signature time moved", unlock + `UPDATE ledger_entry SET signed_at = '2020-01-01T00:00:00Z' WHERE seq = 1`, "entry 1"},
	}
	for _, k := range cases {
		t.Run(k.name, func(t *testing.T) {
			c, _ := signed(t)
			c.raw(k.spoil)
			require.Contains(t, c.verify(), k.says)
		})
	}
}

// Who rewrites everything consistently still lacks the key, or the witness.
func TestAChainRewrittenConsistentlyIsFound(t *testing.T) {
	c, _ := signed(t)
	var es []ledger.Entry
	require.NoError(t, c.store.Read(ctx, func(q *store.Q) (err error) {
		es, err = q.Entries(0, 1000)
		return err
	}))
	_, forger, err := ed25519.GenerateKey(nil)
	require.NoError(t, err)
	var last *ledger.Entry
	c.raw(unlock + "DELETE FROM ledger_entry")
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		for _, e := range es {
			e.SignerName = "Somebody Else"
			e = ledger.Seal(e, last, last, forger)
			if err := q.AddEntry(e); err != nil {
				return err
			}
			last = &e
		}
		return nil
	}))
	require.Contains(t, c.verify(), "was not sealed with this practice's key")
}

func TestSignedRowsCannotBeChangedThroughTheApplicationsConnection(t *testing.T) {
	c, id := signed(t)
	for _, statement := range []string{
		"UPDATE ledger_entry SET content = '{}'", "DELETE FROM ledger_entry", "UPDATE note_part SET text = ''",
		"UPDATE note SET folio = 0 WHERE id = '" + id + "'",
		"DELETE FROM note_part", "UPDATE audit SET act = ''", "DELETE FROM audit",
		"INSERT INTO note_part VALUES ('" + id + "', 'more', '', 1, '', '', '')",
	} {
		_, err := past(t, c.dir).Exec(statement)
		require.Error(t, err, statement)
	}
	require.Empty(t, c.verify())
}

func TestTheWitnessCatchesUpAfterACrashAndRefusesWhatDoesNotFollow(t *testing.T) {
	c, id := signed(t)
	keys, err := act.OpenKeys(c.home, "practice", false)
	require.NoError(t, err)
	path := filepath.Join(c.home, "practice", "witness.jsonl")
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	lines := len(text)
	// The last head is lost, as by a power cut between commit and witness: cut the line short.
	require.NoError(t, os.WriteFile(path, text[:lines-40], 0o600))
	require.NoError(t, act.CatchUp(ctx, c.store, keys))
	require.Empty(t, c.verify())
	_, err = c.app.Note.Amend(ctx, c.doctor(), id, secret, "After the crash.")
	require.NoError(t, err)
	require.Empty(t, c.verify())
	// A chain that was rewritten is not witnessed anew.
	c.raw(unlock + "UPDATE ledger_entry SET prev = 'x' WHERE seq = 3")
	require.NoError(t, os.WriteFile(path, text[:firstLines(text, 2)], 0o600))
	require.ErrorContains(t, act.CatchUp(ctx, c.store, keys), "is not good and is not witnessed further")
	require.NoError(t, os.Remove(path))
	require.NotEmpty(t, c.verify(), "without the witness a cut-off tail cannot be excluded")
}

func firstLines(text []byte, n int) int {
	for i, b := range text {
		if b == '\n' {
			if n--; n == 0 {
				return i + 1
			}
		}
	}
	return len(text)
}

// An incremental verification finds what was changed after its head, holds the head
// itself, and leaves what came before alone.
func TestVerifySinceAHead(t *testing.T) {
	c, id := signed(t)
	keys, err := act.OpenKeys(c.home, "practice", false)
	require.NoError(t, err)
	since, err := keys.LastHead()
	require.NoError(t, err)
	require.Equal(t, int64(3), since.Seq)
	_, err = c.app.Note.Amend(ctx, c.doctor(), id, secret, "Later.")
	require.NoError(t, err)
	verify := func(h ledger.Head) ledger.Finding {
		f, err := act.Verify(ctx, c.store, keys, act.Verification{Since: h})
		require.NoError(t, err)
		return f
	}
	require.Equal(t, ledger.Finding{Good: 1}, verify(since))
	other := since
	other.Hash = strings.Repeat("0", len(since.Hash))
	require.Contains(t, verify(other).Wrong, "does not follow the entry before it")
	c.raw(unlock + "UPDATE note_part SET text = 'Something else.' WHERE part = 'plan'")
	require.Empty(t, verify(since).Wrong, "rows of earlier entries are not looked at")
	require.Contains(t, verify(ledger.Head{}).Wrong, "the plan of the note under folio 2")
	c.raw("UPDATE ledger_entry SET content = CAST(replace(CAST(content AS TEXT), 'Later', 'Sooner') AS BLOB) WHERE seq = 4")
	require.Contains(t, verify(since).Wrong, "entry 4")
}

// The witness is written after the commit, so two acts can note their heads in the other
// order; a part of a note that is gone from the rows is found.
func TestHeadsOutOfOrderAndAPartThatIsGone(t *testing.T) {
	c, _ := signed(t)
	path := filepath.Join(c.home, "practice", "witness.jsonl")
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	var lines []string
	trail := ""
	for line := range strings.Lines(string(text)) {
		if strings.Contains(line, `"seq"`) {
			lines = append(lines, line)
		} else {
			trail += line
		}
	}
	require.Len(t, lines, 3)
	require.NoError(t, os.WriteFile(path, []byte(lines[2]+lines[0]+lines[1]+trail), 0o600))
	require.Empty(t, c.verify())
	c.raw(unlock + "DELETE FROM note_part WHERE part = 'plan'")
	require.Contains(t, c.verify(), "the plan of the note under folio 2")
}
