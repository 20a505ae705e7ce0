package act

import (
	"context"
	"fmt"

	"deftledger/core/ledger"
	"deftledger/store"
)

// Verify walks the whole ledger and holds it against the witness, the anchors
// given, and the working rows.
func Verify(ctx context.Context, s *store.Store, k *Keys, anchors []ledger.Head) (ledger.Finding, error) {
	heads, err := k.Heads()
	if err != nil {
		return ledger.Finding{}, err
	}
	var f ledger.Finding
	err = s.Read(ctx, func(q *store.Q) error {
		entries, err := q.Entries(0)
		if err != nil {
			return err
		}
		if f = ledger.Verify(entries, k.Public, append(heads, anchors...)); f.Wrong != "" {
			return nil
		}
		if len(heads) == 0 && len(entries) > 0 {
			f.Wrong = "the witness kept beside the sealing key is gone; without it a cut-off tail cannot be excluded"
			return nil
		}
		rows, err := q.Unsealed()
		if err == nil && len(rows) > 0 {
			f.Wrong = rows[0]
		}
		return err
	})
	return f, err
}

// CatchUp notes in the witness what was sealed just before a crash. It refuses to
// witness a chain that is not good.
func CatchUp(ctx context.Context, s *store.Store, k *Keys) error {
	heads, err := k.Heads()
	if err != nil {
		return err
	}
	var known int64
	for _, h := range heads {
		known = max(known, h.Seq)
	}
	return s.Read(ctx, func(q *store.Q) error {
		if tail, err := q.Entries(known); err != nil || len(tail) == 0 {
			return err
		}
		all, err := q.Entries(0)
		if err != nil {
			return err
		}
		if f := ledger.Verify(all, k.Public, heads); f.Wrong != "" {
			return fmt.Errorf("the ledger is not good and is not witnessed further; run \"deftledger verify\": %s", f.Wrong)
		}
		last := all[len(all)-1]
		return k.Witness(ledger.Head{Seq: last.Seq, Hash: last.Hash, At: last.SignedAt, Signature: last.Signature})
	})
}
