package act

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"strings"
	"sync"
	"time"

	"golang.org/x/crypto/argon2"

	"deftledger/store"
)

// How long things last.
const (
	SigningWindow = 10 * time.Minute // one entry of the secret opens signing for this long
	FreeAttempts  = 5                // failures before waiting begins
)

// Argon2id parameters (OWASP password storage, 2023: 19 MiB, 2 passes, 1 lane).
const (
	argonMemory = 19 * 1024
	argonPasses = 2
)

// HashSecret hashes a password or signing secret with Argon2id.
func HashSecret(secret string) string {
	salt := make([]byte, 16)
	_, _ = rand.Read(salt) // never fails (crypto/rand)
	sum := argon2.IDKey([]byte(secret), salt, argonPasses, argonMemory, 1, 32)
	b := base64.RawStdEncoding
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=1$%s$%s", argon2.Version, argonMemory, argonPasses, b.EncodeToString(salt),
		b.EncodeToString(sum))
}

// hashing lets one hash run at a time, so that sign-in storms cannot fill memory. Names
// that nobody has wait in a lane of their own, so that inventing them delays nobody.
var hashing, invented = make(chan struct{}, 1), make(chan struct{}, 1)

// CheckSecret says whether a secret is the one that was hashed, in constant time.
func CheckSecret(secret, hash string) bool { return checkIn(hashing, secret, hash) }

// nobodysHash is checked where a name is invented, so that the answer takes as long.
var nobodysHash = sync.OnceValue(func() string { return HashSecret("nobody") })

func checkIn(lane chan struct{}, secret, hash string) bool {
	lane <- struct{}{}
	defer func() { <-lane }()
	f := strings.Split(hash, "$")
	var m, t uint32
	if len(f) != 6 {
		return false
	}
	if _, err := fmt.Sscanf(f[3], "m=%d,t=%d,p=1", &m, &t); err != nil {
		return false
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(f[4])
	want, err2 := base64.RawStdEncoding.DecodeString(f[5])
	if err1 != nil || err2 != nil {
		return false
	}
	got := argon2.IDKey([]byte(secret), salt, t, m, 1, uint32(len(want)))
	return subtle.ConstantTimeCompare(got, want) == 1
}

// Limits of wrong entries.
const (
	longestWait     = time.Hour
	fromOneAddress  = 30               // wrong entries from one address before it waits
	addressForgets  = 15 * time.Minute // after so long without a wrong entry
	addressesKept   = 10_000
	inventedWaiting = 4 // entries for invented names that may wait for their turn
)

type addressKey struct{}

// WithAddress tells the acts of a request where it came from.
func WithAddress(ctx context.Context, address string) context.Context {
	return context.WithValue(ctx, addressKey{}, address)
}

// gate counts wrong entries by address, and for names that nobody has; it lives in memory
// only and is bounded, so that inventing names leaves nothing behind.
type gate struct {
	mu      sync.Mutex
	tried   map[string]tries
	waiting int
}

type tries struct {
	n     int
	last  time.Time
	until time.Time
}

// enter counts a try before it is checked, or refuses it.
func (g *gate) enter(key string, free int, now time.Time) error {
	g.mu.Lock()
	defer g.mu.Unlock()
	t := g.tried[key]
	if now.Sub(t.last) > addressForgets || t.last.After(now.Add(longestWait)) {
		t = tries{}
	}
	if now.Before(t.until) {
		return tooOften(t.until, now)
	}
	t.n, t.last = t.n+1, now
	if t.n >= free {
		t.until = now.Add(waitAfter(t.n - free))
	}
	if len(g.tried) >= addressesKept {
		for k, x := range g.tried { // any of the oldest will do
			if now.Sub(x.last) > time.Minute || len(g.tried) >= 2*addressesKept {
				delete(g.tried, k)
			}
		}
	}
	g.tried[key] = t
	return nil
}

// forgive takes the try back that turned out right.
func (g *gate) forgive(key string) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if t, ok := g.tried[key]; ok {
		t.n, t.until = max(0, t.n-1), time.Time{}
		g.tried[key] = t
	}
}

func waitAfter(over int) time.Duration { return min(longestWait, time.Minute<<min(over, 6)) }

func tooOften(until, now time.Time) error {
	wait := until.Sub(now).Round(time.Second)
	return Refuse(TooOften, "Too many wrong entries. Try again in %s.", wait)
}

var wrongEntry = &Refusal{Kind: Unproven, Code: "secret", Message: "That is not right. Check it and try again."}

// Attempt is one try of a secret. It is counted before it is checked and in one step, so
// that many at once are no more than one after another; the one that is right clears the
// count. After FreeAttempts failures each further one doubles the wait, to an hour at
// most; a wait that a change of the clock made longer than that is over. who is what is
// guarded ("login:…", "screen:…", "secret:…"); failures of a person are recorded as "name".
func (a *Office) Attempt(ctx context.Context, who, staff, name string, check func() bool) error {
	now := a.Clock()
	address, _ := ctx.Value(addressKey{}).(string)
	if address != "" {
		if err := a.gate.enter("from:"+address, fromOneAddress, now); err != nil {
			return err
		}
	}
	err := a.Store.Write(ctx, func(q *store.Q) error {
		failures, until, err := q.Attempts(who)
		if err != nil {
			return err
		}
		if now.Before(until) && until.Sub(now) <= longestWait {
			return tooOften(until, now)
		}
		failures++
		wait := time.Time{}
		if failures >= FreeAttempts {
			wait = now.Add(waitAfter(failures - FreeAttempts))
		}
		return q.SetAttempts(who, failures, wait)
	})
	if err != nil {
		return err
	}
	if check() {
		if address != "" {
			a.gate.forgive("from:" + address)
		}
		return a.Store.Write(ctx, func(q *store.Q) error { return q.SetAttempts(who, 0, time.Time{}) })
	}
	if err := a.Write(ctx, Actor{ID: staff}, func(t *Tx) error { return t.Audit(name, "", "", "") }); err != nil {
		return err
	}
	return wrongEntry
}

// AttemptOfNobody answers a try for a name that nobody has as a wrong one of somebody's is
// answered, and leaves nothing behind.
func (a *Office) AttemptOfNobody(ctx context.Context, login, secret string) error {
	now := a.Clock()
	address, _ := ctx.Value(addressKey{}).(string)
	if address != "" {
		if err := a.gate.enter("from:"+address, fromOneAddress, now); err != nil {
			return err
		}
	}
	if err := a.gate.enter("login:"+login, FreeAttempts, now); err != nil {
		return err
	}
	a.gate.mu.Lock()
	full := a.gate.waiting >= inventedWaiting
	if !full {
		a.gate.waiting++
	}
	a.gate.mu.Unlock()
	if full {
		return wrongEntry
	}
	defer func() { a.gate.mu.Lock(); a.gate.waiting--; a.gate.mu.Unlock() }()
	checkIn(invented, secret, nobodysHash())
	return wrongEntry
}

// OpenSigning makes sure that signing is open in this session: it is within the
// window of an earlier entry, or the signer's own secret is given now.
func (a *Office) OpenSigning(ctx context.Context, who *Actor, secret string) error {
	now := a.Clock()
	if now.Before(who.Session.SigningUntil) {
		return nil
	}
	if secret == "" {
		return &Refusal{Kind: Unproven, Code: "secret", Message: "Enter your signing secret."}
	}
	var staff store.Staff
	if err := a.Store.Quick(ctx, func(q *store.Q) (err error) {
		staff, err = q.StaffByID(who.ID)
		return err
	}); err != nil {
		return err
	}
	if err := a.Attempt(ctx, "secret:"+who.ID, who.ID, "wrong signing secret", func() bool { return CheckSecret(secret, staff.SecretHash) }); err != nil {
		return err
	}
	who.Session.SigningUntil = now.Add(SigningWindow)
	return a.Store.Write(ctx, func(q *store.Q) error { return q.OpenSigning(who.Session.Hash, who.Session.SigningUntil) })
}
