package ledger

import (
	"bytes"
	"crypto/ed25519"
	"fmt"
	"slices"
)

// Finding is what a verification says: how many entries are good, and the first thing
// that is wrong ("" when all is well).
type Finding struct {
	Good   int
	Groups int64 // groups of rows that are as the program left them, where they were looked at
	Wrong  string
}

// Link is what the next entry of a chart has to follow: the last folio and its hash; the
// zero Link is the beginning of a chart.
type Link struct {
	Folio int
	Hash  string
}

// Sealed says what is wrong with an entry by itself: "" when its content is the one that
// was signed with the practice's key. It depends on no other entry, so that many can be
// checked at a time.
func (e Entry) Sealed(public ed25519.PublicKey) string {
	switch {
	case e.digest() != e.Hash:
		return "was altered after it was signed"
	case !ed25519.Verify(public, signed(e.Seq, e.Hash), e.Signature):
		return "was not sealed with this practice's key"
	}
	return ""
}

func (e Entry) where() string {
	return fmt.Sprintf("entry %d (folio %d, %s, signed by %s at %s)", e.Seq, e.Folio, e.Kind, e.SignerName, e.SignedAt)
}

// Chain walks a ledger in the order of Seq, an entry at a time. It keeps one link a chart
// and the heads that are still to come, never the entries.
type Chain struct {
	public   ed25519.PublicKey
	seq      int64
	prev     string
	charts   map[string]Link
	before   func(chart string) (Link, error)
	expected map[int64][]Head
	wrong    string // of the heads
	Finding
}

// NewChain begins at the first entry. With since it begins after that head; before then
// finds the last link of a chart up to there.
func NewChain(public ed25519.PublicKey, since Head, before func(chart string) (Link, error)) *Chain {
	if before == nil {
		before = func(string) (Link, error) { return Link{}, nil }
	}
	return &Chain{public: public, seq: since.Seq, prev: since.Hash, charts: map[string]Link{}, before: before, expected: map[int64][]Head{}}
}

// Seq is the last entry that was followed.
func (c *Chain) Seq() int64 { return c.seq }

// Follow takes the next entry; sealed is what Sealed said of it. It says whether the walk
// can go on: after something wrong it cannot. The error is of looking up a link.
func (c *Chain) Follow(e Entry, sealed string) (bool, error) {
	last, known := c.charts[e.ChartID]
	if !known {
		var err error
		if last, err = c.before(e.ChartID); err != nil {
			return false, err
		}
	}
	switch {
	case e.Seq != c.seq+1:
		c.Wrong = fmt.Sprintf("entry %d is missing: the next one found is %s", c.seq+1, e.where())
	case e.Prev != c.prev:
		c.Wrong = e.where() + " does not follow the entry before it in the practice"
	case e.PrevChart != last.Hash || e.Folio != last.Folio+1:
		c.Wrong = e.where() + " does not follow the entry before it in its chart"
	case sealed != "":
		c.Wrong = e.where() + " " + sealed
	}
	if c.Wrong != "" {
		return false, nil
	}
	c.seq, c.prev, c.charts[e.ChartID] = e.Seq, e.Hash, Link{e.Folio, e.Hash}
	c.Good++
	for _, h := range c.expected[e.Seq] {
		c.hold(h, e.Hash, e.Signature)
	}
	delete(c.expected, e.Seq)
	return true, nil
}

// Expect takes a head known from outside the data: the chain has to come by it. For a head
// that the walk has passed, hash finds the entry that stands there.
func (c *Chain) Expect(h Head, hash func(seq int64) (string, error)) error {
	if h.Seq > c.seq {
		c.expected[h.Seq] = append(c.expected[h.Seq], h)
		return nil
	}
	found, err := hash(h.Seq)
	c.hold(h, found, nil)
	return err
}

// hold holds a head against the entry of its number.
func (c *Chain) hold(h Head, hash string, signature []byte) {
	switch {
	case c.wrong != "":
	case !(h.Hash == hash && bytes.Equal(h.Signature, signature)) && !ed25519.Verify(c.public, signed(h.Seq, h.Hash), h.Signature):
		c.wrong = fmt.Sprintf("the head of entry %d kept outside the data is not signed with this practice's key", h.Seq)
	case h.Hash != hash:
		c.wrong = fmt.Sprintf("entry %d is not the one that was sealed at %s", h.Seq, h.At)
	}
}

// End says what was found, after the last entry and the last head.
func (c *Chain) End() Finding {
	if c.Wrong == "" {
		c.Wrong = c.wrong
	}
	if c.Wrong == "" && len(c.expected) > 0 {
		var missing []int64
		for seq := range c.expected {
			missing = append(missing, seq)
		}
		h := c.expected[slices.Min(missing)][0]
		if c.hold(h, h.Hash, nil); c.wrong != "" {
			c.Wrong = c.wrong
		} else {
			c.Wrong = fmt.Sprintf("entry %d is missing: the chain ends at entry %d, but entry %d was sealed at %s", c.seq+1, c.seq, h.Seq, h.At)
		}
	}
	return c.Finding
}

// Verify walks entries that are at hand and holds them against the heads known from
// outside the data.
func Verify(entries []Entry, public ed25519.PublicKey, heads []Head) Finding {
	c := NewChain(public, Head{}, nil)
	for _, h := range heads {
		_ = c.Expect(h, func(int64) (string, error) { return "", nil })
	}
	for _, e := range entries {
		if on, _ := c.Follow(e, e.Sealed(public)); !on {
			break
		}
	}
	return c.End()
}
