package act

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"strings"
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

// hashing lets one hash run at a time, so that sign-in storms cannot fill memory.
var hashing = make(chan struct{}, 1)

// CheckSecret says whether a secret is the one that was hashed, in constant time.
func CheckSecret(secret, hash string) bool {
	hashing <- struct{}{}
	defer func() { <-hashing }()
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

// Attempt counts tries of a secret: after freeAttempts failures each further one
// doubles the wait, to an hour at most. The check runs outside any transaction.
func (a *Office) Attempt(ctx context.Context, who string, check func() bool) error {
	var failures int
	var until time.Time
	if err := a.Store.Quick(ctx, func(q *store.Q) (err error) {
		failures, until, err = q.Attempts(who)
		return err
	}); err != nil {
		return err
	}
	now := a.Clock()
	if now.Before(until) {
		return Refuse(TooOften, "Too many wrong entries. Try again at %s.", until.In(a.Location).Format("15:04:05"))
	}
	ok := check()
	if ok && failures == 0 {
		return nil
	}
	err := a.Store.Write(ctx, func(q *store.Q) error {
		if ok {
			return q.SetAttempts(who, 0, time.Time{})
		}
		failures, _, err := q.Attempts(who)
		if err != nil {
			return err
		}
		failures++
		var wait time.Duration
		if failures >= FreeAttempts {
			wait = min(time.Hour, time.Minute<<min(failures-FreeAttempts, 6))
		}
		return q.SetAttempts(who, failures, now.Add(wait))
	})
	if err == nil && !ok {
		err = &Refusal{Kind: Unproven, Code: "secret", Message: "That is not right. Check it and try again."}
	}
	return err
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
	if err := a.Attempt(ctx, "secret:"+who.ID, func() bool { return CheckSecret(secret, staff.SecretHash) }); err != nil {
		return err
	}
	who.Session.SigningUntil = now.Add(SigningWindow)
	return a.Store.Write(ctx, func(q *store.Q) error { return q.OpenSigning(who.Session.Hash, who.Session.SigningUntil) })
}
