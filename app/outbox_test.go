package app_test

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/store"
)

// A destination that does not answer delays nobody else, and what failed is tried again
// until it is taken, once.
func TestADestinationThatHangsDelaysNobodyElse(t *testing.T) {
	c := open(t)
	c.app.Clock = time.Now // several queues look at it
	taken := make(chan string, 10)
	var tries atomic.Int32
	settled := func(*act.Tx, store.Outgoing, []byte, string) error { return nil }
	c.app.Outbox.Connect(
		act.Destination{Name: "hangs", Settled: settled, Deliver: func(ctx context.Context, _ store.Outgoing) ([]byte, string, error) {
			<-ctx.Done()
			return nil, "", ctx.Err()
		}},
		act.Destination{Name: "answers", Settled: settled, Deliver: func(_ context.Context, o store.Outgoing) ([]byte, string, error) {
			if tries.Add(1) == 1 {
				return nil, "", errors.New("no answer")
			}
			taken <- o.Control
			return nil, "", nil
		}},
	)
	running, stop := context.WithCancel(ctx)
	ended := make(chan bool)
	go func() { c.app.Outbox.Run(running); close(ended) }()
	require.NoError(t, c.app.Write(ctx, c.doctor(), func(x *act.Tx) error {
		return errors.Join(
			x.Send(store.Outgoing{Control: "a", Destination: "hangs", Body: []byte{1}}),
			x.Send(store.Outgoing{Control: "b", Destination: "answers", Body: []byte{2}}))
	}))
	select {
	case got := <-taken:
		require.Equal(t, "b", got)
	case <-time.After(20 * time.Second):
		t.Fatal("it waits behind another destination")
	}
	require.Error(t, c.app.Write(ctx, c.doctor(), func(x *act.Tx) error {
		return errors.Join(x.Send(store.Outgoing{Control: "c", Destination: "answers", Body: []byte{3}}), errors.New("the act failed"))
	}))
	stop()
	<-ended
	require.Equal(t, 1, c.count("SELECT count(*) FROM outbox WHERE control = 'a' AND state = 'waiting'"),
		"what was under way when the program ended waits")
	require.Zero(t, c.count("SELECT count(*) FROM outbox WHERE control = 'c'"), "nothing leaves of an act that failed")
	require.Empty(t, taken)
}

// TestAnIdentifierInAnAddressIsNoPath: whatever stands in the identifier of what is sent, nothing but its own place
// at the other party is reached, and the sender is told.
func TestAnIdentifierInAnAddressIsNoPath(t *testing.T) {
	c := open(t)
	var reached []string
	there := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		reached = append(reached, r.URL.EscapedPath())
		w.WriteHeader(http.StatusCreated)
	}))
	defer there.Close()
	c.app.Elsewhere.Portal, c.app.Elsewhere.Fax = there.URL, there.URL+"/"
	for _, d := range c.app.Paper.Destinations() {
		for _, id := range []string{"../Patient/1", "a/b", "..", ".", "%2e%2e", "a b", "", "a?x=1", "a#b", "a\\b", "-x", strings.Repeat("x", 65), "ünï", "a..b", "a\nb"} {
			_, refused, err := d.Deliver(ctx, store.Outgoing{Control: id, Subject: id, Body: []byte("x")})
			require.NoError(t, err, id)
			require.Contains(t, refused, "identifier", id)
		}
		require.Empty(t, reached, d.Name)
		_, refused, err := d.Deliver(ctx, store.Outgoing{Control: "01a2-b.3", Body: []byte("x")})
		require.NoError(t, err)
		require.Empty(t, refused)
		require.Len(t, reached, 1)
		require.Contains(t, []string{"/fax/01a2-b.3", "/fhir/Communication/01a2-b.3"}, reached[0])
		reached = nil
	}
}
