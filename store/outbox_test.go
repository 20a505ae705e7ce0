package store

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// What waits falls due at its time, in its own queue, and is never left lying because a
// clock was set forward while it was tried, and back again.
func TestTheOutbox(t *testing.T) {
	s := fresh(t)
	at := time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC)
	due := func(q *Q, destination string, now time.Time) (out []string) {
		os, err := q.DueOutgoing(destination, now, 10)
		require.NoError(t, err)
		for _, o := range os {
			out = append(out, o.Control)
		}
		return out
	}
	require.NoError(t, s.Write(ctx, func(q *Q) error {
		for _, o := range []Outgoing{{Control: "a", Destination: "fax", Kind: "fax", Subject: "a", Body: []byte{1}},
			{Control: "b", Destination: "fax", Kind: "fax", Subject: "b", Body: []byte{2}}, {Control: "c", Destination: "portal", Kind: "message",
				Subject: "c", Body: []byte{3}}} {
			require.NoError(t, q.AddOutgoing(o, at))
		}
		require.Error(t, q.AddOutgoing(Outgoing{Control: "a", Destination: "portal", Body: []byte{4}}, at), "one identifier is one thing")
		require.Equal(t, []string{"a", "b"}, due(q, "fax", at))
		require.Equal(t, []string{"c"}, due(q, "portal", at))

		ok, err := q.ClaimOutgoing("a")
		require.NoError(t, err)
		require.True(t, ok)
		require.NoError(t, q.RetryOutgoing("a", "no answer", at.Add(30*time.Second)))
		require.Equal(t, []string{"b"}, due(q, "fax", at.Add(29*time.Second)), "it waits for its time")
		require.Equal(t, []string{"b", "a"}, due(q, "fax", at.Add(30*time.Second)))

		forward := at.AddDate(4, 0, 0)
		require.NoError(t, q.RetryOutgoing("b", "no answer", forward.Add(LongestWait)))
		require.Equal(t, []string{"b"}, due(q, "fax", at.Add(time.Second)), "the clock was set back: four years are no wait of ours")

		ok, err = q.WithdrawOutgoing("message", "c")
		require.NoError(t, err)
		require.True(t, ok)
		ok, err = q.ClaimOutgoing("c")
		require.NoError(t, err)
		require.False(t, ok, "what was taken back is not sent, also by whom it was already in hand")
		ok, err = q.WithdrawOutgoing("fax", "a")
		require.NoError(t, err)
		require.False(t, ok, "an attempt was made: it may have arrived")
		require.NotContains(t, due(q, "fax", at.Add(time.Hour)), "a", "but it is not sent again")
		_, err = q.ClaimOutgoing("b")
		require.NoError(t, err)
		ok, err = q.SentOutgoing("b", "accepted", "", []byte("AA"), at)
		require.NoError(t, err)
		require.True(t, ok)
		ok, err = q.SentOutgoing("b", "refused", "why", nil, at)
		require.NoError(t, err)
		require.False(t, ok, "the first answer counts")
		_, err = q.exec("UPDATE outbox SET body = x'09' WHERE control = 'b'")
		require.ErrorContains(t, err, "stays as it was written")
		return nil
	}))
}
