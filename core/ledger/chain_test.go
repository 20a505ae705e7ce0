package ledger

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// A walk that begins after any entry finds what the whole walk finds behind it, and the
// same of heads, whether they are told before or after the walk has passed them.
func TestAWalkCanBeginAnywhere(t *testing.T) {
	k := key(1)
	rapid.Check(t, func(t *rapid.T) {
		charts := rapid.SliceOfN(rapid.SampledFrom([]string{"a", "b", "c"}), 1, 12).Draw(t, "charts")
		es := chain(k, charts...)
		from := rapid.IntRange(0, len(es)).Draw(t, "from")
		spoiled := rapid.IntRange(-1, len(es)-1).Draw(t, "spoiled")
		if spoiled >= 0 {
			es[spoiled].Content = []byte(`{"text":"changed"}`)
		}
		late := rapid.Bool().Draw(t, "late")
		hash := func(seq int64) (string, error) { return es[seq-1].Hash, nil }
		before := func(chart string) (Link, error) {
			var l Link
			for _, e := range es[:from] {
				if e.ChartID == chart {
					l = Link{e.Folio, e.Hash}
				}
			}
			return l, nil
		}
		var since Head
		if from > 0 {
			since = head(es[from-1])
		}
		c := NewChain(public(k), since, before)
		last := head(es[len(es)-1])
		if !late {
			require.NoError(t, c.Expect(last, hash))
		}
		for _, e := range es[from:] {
			if on, err := c.Follow(e, e.Sealed(public(k))); err != nil || !on {
				break
			}
		}
		if late {
			require.NoError(t, c.Expect(last, hash))
		}
		f := c.End()
		if want := spoiled >= from; (f.Wrong != "") != want {
			t.Fatalf("from %d, spoiled %d: %+v", from, spoiled, f)
		}
		if f.Wrong == "" && f.Good != len(es)-from {
			t.Fatalf("%d entries good, not %d", f.Good, len(es)-from)
		}
	})
}

// A head that comes after the walk has passed it is held against the entry all the same.
func TestALateHeadThatIsNotOfThisChainIsFound(t *testing.T) {
	k := key(1)
	es, other := chain(k, "a", "b"), chain(k, "b", "b")
	c := NewChain(public(k), Head{}, nil)
	for _, e := range es {
		on, err := c.Follow(e, e.Sealed(public(k)))
		require.NoError(t, err)
		require.True(t, on)
	}
	require.NoError(t, c.Expect(head(other[0]), func(seq int64) (string, error) { return es[seq-1].Hash, nil }))
	require.Contains(t, c.End().Wrong, "entry 1 is not the one that was sealed")
}

// What does not follow the head it is said to follow is found at once.
func TestAWalkThatDoesNotFollowItsHead(t *testing.T) {
	k := key(1)
	es, other := chain(k, "a", "b"), chain(k, "b", "b")
	c := NewChain(public(k), head(other[0]), nil)
	on, err := c.Follow(es[1], "")
	require.NoError(t, err)
	require.False(t, on)
	require.Contains(t, c.End().Wrong, "does not follow the entry before it in the practice")
}
