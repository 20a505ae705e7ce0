package ledger_test

import (
	"bytes"
	"crypto/ed25519"
	"fmt"

	"deftledger/core/ledger"
)

// A ledger is sealed an entry at a time; one changed letter is found.
func ExampleVerify() {
	key := ed25519.NewKeyFromSeed(make([]byte, ed25519.SeedSize))
	public := key.Public().(ed25519.PublicKey)
	first := ledger.Seal(ledger.Entry{ChartID: "a", Kind: "note", Content: []byte(`{"plan":"rest"}`), SignedAt: "2026-03-02T09:00:00+01:00"},
		nil, nil, key)
	second := ledger.Seal(ledger.Entry{ChartID: "a", Kind: "amendment", Content: []byte(`{"plan":"heat"}`),
		SignedAt: "2026-03-02T10:00:00+01:00"}, &first, &first, key)
	fmt.Println(ledger.Verify([]ledger.Entry{first, second}, public, nil))

	first.Content = bytes.Replace(first.Content, []byte("rest"), []byte("work"), 1)
	f := ledger.Verify([]ledger.Entry{first, second}, public, nil)
	fmt.Println(f.Wrong != "")
	// Output:
	// {2 0 }
	// true
}

func ExampleCanonical() {
	text, err := ledger.Canonical(map[string]any{"unit": "<5", "code": 1})
	fmt.Println(string(text), err)
	// Output: {"code":1,"unit":"<5"} <nil>
}
