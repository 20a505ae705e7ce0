package act

import (
	"bytes"
	"context"
	"errors"
	"sync/atomic"
	"time"

	"deftledger/store"
)

// Asking is a request with an identifier of its own: an act that is done under it is noted
// in its transaction, so that it is done once, however often it is asked.
type Asking struct {
	ID, Operation string
	Hash          []byte // of what was asked, without secrets
	noted         atomic.Bool
}

// askedFor is how long an identifier is remembered.
const askedFor = 7 * 24 * time.Hour

type askingKey struct{}

// WithAsking tells the acts of a request under which identifier they are asked for.
func WithAsking(ctx context.Context, a *Asking) context.Context {
	return context.WithValue(ctx, askingKey{}, a)
}

// ErrAskedNow says that the same request is being answered at this moment.
var ErrAskedNow = Refuse(Conflict, "The same request is under way. Look again in a moment.")

// Before returns the first answer to a request: known is false for a request that was not
// made before. Another content, person or operation under the same identifier is refused.
func (a *Office) Before(ctx context.Context, who Actor, x *Asking) (had store.Asked, known bool, err error) {
	err = a.Store.Quick(ctx, func(q *store.Q) (err error) {
		had, err = q.AskedBefore(x.ID)
		return err
	})
	switch {
	case store.IsNotFound(err):
		return had, false, nil
	case err != nil:
		return had, false, err
	case had.StaffID != who.ID || had.Operation != x.Operation || !bytes.Equal(had.Hash, x.Hash):
		return had, true, Refuse(Conflict, "Something else was done under the identifier of this request. Nothing was changed; ask again under a new one.")
	}
	return had, true, nil
}

// Answered keeps the first answer of a request that did something.
func (a *Office) Answered(ctx context.Context, x *Asking, status int, kind string, answer []byte) error {
	if !x.noted.Load() {
		return nil // it only looked
	}
	return a.Store.Write(context.WithoutCancel(ctx), func(q *store.Q) error { return q.Answered(x.ID, status, kind, answer) })
}

// note notes the request in the transaction of its first act.
func (t *Tx) note(ctx context.Context) error {
	x, _ := ctx.Value(askingKey{}).(*Asking)
	if x == nil || x.noted.Load() {
		return nil
	}
	if _, err := t.AskedBefore(x.ID); err == nil {
		return ErrAskedNow
	} else if !store.IsNotFound(err) {
		return err
	}
	return t.AddAsked(store.Asked{ID: x.ID, StaffID: t.Who.ID, Operation: x.Operation, Hash: x.Hash, At: t.Now}, t.Now.Add(-askedFor))
}

// noted says that the act of a request is kept.
func noted(ctx context.Context) {
	if x, _ := ctx.Value(askingKey{}).(*Asking); x != nil {
		x.noted.Store(true)
	}
}

// IsAskedNow says whether an act was not done because the same request is under way.
func IsAskedNow(err error) bool { return errors.Is(err, ErrAskedNow) }
