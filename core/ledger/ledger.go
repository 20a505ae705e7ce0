// Package ledger seals what is signed. Every signing act becomes an Entry whose
// content is fixed by SHA-256, chained to the entry before it in the same chart
// and to the entry before it in the whole practice, and whose hash is signed with
// an Ed25519 key that does not lie with the data. Verify walks the chain.
package ledger

import (
	"bytes"
	"crypto/ed25519"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
)

// Entry is one sealed entry. Seq counts over the practice from 1, Folio within a
// chart from 1. SignedAt is RFC 3339 with zone. Amends is the folio that an
// amendment belongs to, 0 otherwise.
type Entry struct {
	Seq        int64
	ChartID    string
	Folio      int
	Kind       string // "note", "amendment", "result review"
	Subject    string // identifier of what was signed
	Amends     int
	Content    []byte // canonical JSON
	SignerID   string
	SignerName string
	SignedAt   string
	PrevChart  string // hash of the entry before in this chart, "" for the first
	Prev       string // hash of the entry before in the practice, "" for the first
	Hash       string
	Signature  []byte
}

// Head is the end of the chain at a moment: how many entries, and the last hash.
// Kept outside the data (witness, anchor) it proves that the tail was not cut off.
type Head struct {
	Seq       int64  `json:"seq"`
	Hash      string `json:"hash"`
	At        string `json:"at"`
	Signature []byte `json:"signature"`
}

// Canonical renders a value as JSON with sorted keys, no insignificant space and
// no HTML escapes, so that equal content has equal bytes.
func Canonical(v any) ([]byte, error) {
	raw, err := json.Marshal(v)
	if err != nil {
		return nil, err
	}
	d := json.NewDecoder(bytes.NewReader(raw))
	d.UseNumber() // numbers keep the digits they came with
	var tree any
	if err := d.Decode(&tree); err != nil {
		return nil, err
	}
	var out bytes.Buffer
	enc := json.NewEncoder(&out)
	enc.SetEscapeHTML(false)
	if err := enc.Encode(tree); err != nil {
		return nil, err
	}
	return bytes.TrimRight(out.Bytes(), "\n"), nil
}

// digest computes what Hash must be.
func (e Entry) digest() string {
	content := sha256.Sum256(e.Content)
	head, err := Canonical(map[string]any{
		"seq": e.Seq, "chart": e.ChartID, "folio": e.Folio, "kind": e.Kind, "subject": e.Subject, "amends": e.Amends,
		"content": hex.EncodeToString(content[:]), "signer": e.SignerID, "name": e.SignerName, "at": e.SignedAt,
		"prevChart": e.PrevChart, "prev": e.Prev,
	})
	if err != nil {
		panic("ledger: a map of strings and numbers did not encode: " + err.Error())
	}
	sum := sha256.Sum256(head)
	return hex.EncodeToString(sum[:])
}

// Seal completes an entry: it sets the links, the hash and the signature.
// lastChart and last are the entries before it, nil for the first ones.
func Seal(e Entry, lastChart, last *Entry, key ed25519.PrivateKey) Entry {
	e.Seq, e.Folio = 1, 1
	if last != nil {
		e.Seq, e.Prev = last.Seq+1, last.Hash
	}
	if lastChart != nil {
		e.Folio, e.PrevChart = lastChart.Folio+1, lastChart.Hash
	}
	e.Hash = e.digest()
	e.Signature = ed25519.Sign(key, signed(e.Seq, e.Hash))
	return e
}

func signed(seq int64, hash string) []byte {
	return fmt.Appendf(nil, "deft ledger entry %d %s", seq, hash)
}
