package act

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"time"

	"deftledger/store"
)

// Destination is a party to whom things go. Rooms bring theirs; app wires them to the
// outbox, which keeps a queue for each.
type Destination struct {
	Name string
	// Deliver makes one attempt. refused is why the other side will never take it; an error
	// is no answer, and it is tried again.
	Deliver func(ctx context.Context, o store.Outgoing) (answer []byte, refused string, err error)
	// Settled says what follows from the answer, within the transaction that records it.
	Settled func(t *Tx, o store.Outgoing, answer []byte, refused string) error
	// Off says that nobody is set up to send to: then nothing is tried, and it waits. May be nil.
	Off func() bool
	// Waits is told of an attempt without an answer; may be nil.
	Waits func(t *Tx, o store.Outgoing) error
}

// Outbox sends what waits: each thing under its one identifier until the other side takes
// or refuses it. A destination that does not answer delays nobody else.
type Outbox struct {
	office       *Office
	destinations []Destination
	wake         map[string]chan struct{}
}

// Connect names the destinations, before anything is sent.
func (b *Outbox) Connect(destinations ...Destination) {
	b.destinations = destinations
	for _, d := range destinations {
		b.wake[d.Name] = make(chan struct{}, 1)
	}
}

// Send puts something in the outbox, in the transaction of the act that sends it.
func (t *Tx) Send(o store.Outgoing) error {
	t.sends = append(t.sends, o.Destination)
	return t.AddOutgoing(o, t.Now)
}

// nudge wakes the queues of some destinations.
func (b *Outbox) nudge(destinations []string) {
	for _, d := range destinations {
		if c := b.wake[d]; c != nil {
			select {
			case c <- struct{}{}:
			default:
			}
		}
	}
}

// Run sends until ctx ends, every destination beside the others.
func (b *Outbox) Run(ctx context.Context) {
	var wg sync.WaitGroup
	for _, d := range b.destinations {
		wg.Go(func() { b.run(ctx, d) })
	}
	wg.Wait()
}

func (b *Outbox) run(ctx context.Context, d Destination) {
	for ctx.Err() == nil {
		next, err := b.sendDue(ctx, d)
		if err != nil && ctx.Err() == nil {
			slog.Error("what waits could not be sent", "destination", d.Name, "error", err)
			next = b.office.Clock().Add(2 * time.Second)
		}
		// The wait is bounded, because a clock can be set back meanwhile.
		wait := store.LongestWait
		if !next.IsZero() {
			wait = min(wait, max(10*time.Millisecond, next.Sub(b.office.Clock())))
		}
		select {
		case <-ctx.Done():
		case <-b.wake[d.Name]:
		case <-time.After(wait):
		}
	}
}

// Step sends what is due now, once, and returns when done.
func (b *Outbox) Step(ctx context.Context) error {
	var all []error
	for _, d := range b.destinations {
		_, err := b.sendDue(ctx, d)
		all = append(all, err)
	}
	return errors.Join(all...)
}

// sendDue sends what is due at a destination and says when the next is.
func (b *Outbox) sendDue(ctx context.Context, d Destination) (next time.Time, err error) {
	if d.Off != nil && d.Off() {
		return next, nil
	}
	var due []store.Outgoing
	if err := b.office.Store.Read(ctx, func(q *store.Q) (err error) {
		due, err = q.DueOutgoing(d.Name, b.office.Clock(), 20)
		return err
	}); err != nil {
		return next, err
	}
	for _, o := range due {
		if err := b.sendOne(ctx, d, o); err != nil {
			return next, err
		}
	}
	err = b.office.Store.Read(ctx, func(q *store.Q) (err error) {
		next, err = q.NextOutgoing(d.Name)
		return err
	})
	return next, err
}

func (b *Outbox) sendOne(ctx context.Context, d Destination, o store.Outgoing) error {
	// The attempt is counted before it is made: what was never tried can be taken back, and
	// what is being tried no longer.
	claimed := false
	if err := b.office.Write(ctx, Actor{ID: o.ByID}, func(t *Tx) (err error) {
		claimed, err = t.ClaimOutgoing(o.Control)
		return err
	}); err != nil || !claimed {
		return err
	}
	sending, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	answer, refused, err := d.Deliver(sending, o)
	if ctx.Err() != nil {
		return nil // shutting down: it stays waiting
	}
	return b.office.Write(ctx, Actor{ID: o.ByID}, func(t *Tx) error {
		if err != nil {
			slog.Warn("nobody took it, it will be sent again", "destination", d.Name, "control", o.Control, "attempt", o.Attempts+1)
			wait := min(store.LongestWait, time.Second<<min(o.Attempts, 6))
			if err := t.RetryOutgoing(o.Control, err.Error(), t.Now.Add(wait)); err != nil || d.Waits == nil {
				return err
			}
			return d.Waits(t, o)
		}
		state := "accepted"
		if refused != "" {
			state = "refused"
		}
		ok, err := t.SentOutgoing(o.Control, state, refused, answer, t.Now)
		if err != nil || !ok {
			return err
		}
		return d.Settled(t, o, answer, refused)
	})
}
