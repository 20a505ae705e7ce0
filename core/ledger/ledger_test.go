package ledger

import (
	"crypto/ed25519"
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func key(b byte) ed25519.PrivateKey {
	seed := make([]byte, ed25519.SeedSize)
	seed[0] = b
	return ed25519.NewKeyFromSeed(seed)
}

func public(k ed25519.PrivateKey) ed25519.PublicKey { return k.Public().(ed25519.PublicKey) }

// chain seals entries for the charts named, in order.
func chain(k ed25519.PrivateKey, charts ...string) []Entry {
	var out []Entry
	last := map[string]*Entry{}
	var prev *Entry
	for i, c := range charts {
		e := Seal(Entry{ChartID: c, Kind: "note", Subject: fmt.Sprint("n", i), Content: fmt.Appendf(nil, `{"text":"entry %d"}`, i), SignerID: "s",
			SignerName: "M. Oduya", SignedAt: "2026-11-23T08:00:00-05:00"}, last[c], prev, k)
		out = append(out, e)
		last[c], prev = &e, &e
	}
	return out
}

func head(e Entry) Head { return Head{Seq: e.Seq, Hash: e.Hash, Signature: e.Signature} }

func TestFoliosCountWithinTheChart(t *testing.T) {
	es := chain(key(1), "a", "b", "a", "a", "b")
	var folios []int
	for _, e := range es {
		folios = append(folios, e.Folio)
	}
	require.Equal(t, []int{1, 1, 2, 3, 2}, folios)
	require.Equal(t, Finding{Good: 5}, Verify(es, public(key(1)), []Head{head(es[4])}))
}

func TestVerifyFinds(t *testing.T) {
	k := key(1)
	good := chain(k, "a", "b", "a", "b")
	witness := []Head{head(good[1]), head(good[3])}
	cases := []struct {
		name  string
		spoil func() []Entry
		good  int
		wrong string
	}{
		{"a changed text", func() []Entry { e := clone(good); e[2].Content = []byte(`{"text":"other"}`); return e }, 2,
			"entry 3 (folio 2, note, signed by M. Oduya at 2026-11-23T08:00:00-05:00) was altered"},
		{"a changed signer", func() []Entry { e := clone(good); e[0].SignerName = "Nobody"; return e }, 0, "was altered"},
		{"a removed entry", func() []Entry { return append(clone(good[:1]), good[2:]...) }, 1, "entry 2 is missing"},
		{"two entries exchanged", func() []Entry { e := clone(good); e[1], e[2] = e[2], e[1]; return e }, 1, "entry 2 is missing"},
		{"the whole chain rewritten with another key", func() []Entry { return chain(key(2), "a", "b", "a", "b") }, 0,
			"was not sealed with this practice's key"},
		{"a chain that is good but another than was witnessed", func() []Entry { return chain(k, "a", "a", "a", "a") }, 4,
			"is not the one that was sealed"},
		{"the tail cut off", func() []Entry { return clone(good[:2]) }, 2, "the chain ends at entry 2"},
		{"everything cut off", func() []Entry { return nil }, 0, "the chain ends at entry 0"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			f := Verify(c.spoil(), public(k), witness)
			require.Equal(t, c.good, f.Good)
			require.Contains(t, f.Wrong, c.wrong)
		})
	}
}

func clone(es []Entry) []Entry { return append([]Entry(nil), es...) }

func TestAForgedHeadIsFound(t *testing.T) {
	es := chain(key(1), "a")
	forged := head(es[0])
	forged.Signature = ed25519.Sign(key(2), signed(1, es[0].Hash))
	require.Contains(t, Verify(es, public(key(1)), []Head{forged}).Wrong, "is not signed with this practice's key")
}

// Any change of one byte of any content is found at that entry.
func TestAnyChangedByteIsFound(t *testing.T) {
	k := key(1)
	rapid.Check(t, func(t *rapid.T) {
		charts := rapid.SliceOfN(rapid.SampledFrom([]string{"a", "b", "c"}), 1, 12).Draw(t, "charts")
		es := chain(k, charts...)
		i := rapid.IntRange(0, len(es)-1).Draw(t, "entry")
		b := rapid.IntRange(0, len(es[i].Content)-1).Draw(t, "byte")
		es[i].Content = append([]byte(nil), es[i].Content...)
		es[i].Content[b] ^= byte(rapid.IntRange(1, 255).Draw(t, "change"))
		f := Verify(es, public(k), nil)
		if f.Good != i || f.Wrong == "" {
			t.Fatalf("a change in entry %d was reported as %+v", i+1, f)
		}
	})
}

func TestCanonicalIsOneFormForOneContent(t *testing.T) {
	a, err := Canonical(map[string]any{"b": 1, "a": "x<y & é", "n": 1.50})
	require.NoError(t, err)
	require.Equal(t, `{"a":"x<y & é","b":1,"n":1.5}`, string(a))
	b, err := Canonical(struct {
		N float64 `json:"n"`
		B int     `json:"b"`
		A string  `json:"a"`
	}{1.5, 1, "x<y & é"})
	require.NoError(t, err)
	require.Equal(t, a, b)
}
