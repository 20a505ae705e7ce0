package app

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
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
	sessionLife   = 14 * time.Hour   // a working day; then sign in again
	signingWindow = 10 * time.Minute // one entry of the secret opens signing for this long
	freeAttempts  = 5                // failures before waiting begins
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
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=1$%s$%s", argon2.Version, argonMemory, argonPasses, b.EncodeToString(salt), b.EncodeToString(sum))
}

// hashing lets one hash run at a time, so that sign-in storms cannot fill memory.
var hashing = make(chan struct{}, 1)

func checkSecret(secret, hash string) bool {
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

// unknown is checked against when there is no such person, so that the answer
// takes as long.
var unknown = HashSecret("nobody")

// NewStaff prepares a person for storing.
func NewStaff(login, given, family string, role Role, password, secret string) (store.Staff, error) {
	switch {
	case login == "" || given == "" || family == "":
		return store.Staff{}, fmt.Errorf("login, given and family name are needed")
	case rights[SeeDay] == nil || !knownRole(role):
		return store.Staff{}, fmt.Errorf("%q is not a role; use one of physician, nurse, medical assistant, front desk, administrator", role)
	case len(password) < 10:
		return store.Staff{}, fmt.Errorf("the password needs at least 10 characters")
	case len(secret) < 6 || secret == password:
		return store.Staff{}, fmt.Errorf("the signing secret needs at least 6 characters and must differ from the password")
	}
	key := make([]byte, 32)
	_, _ = rand.Read(key)
	return store.Staff{ID: newID(), Login: login, Given: given, Family: family, Role: role,
		PasswordHash: HashSecret(password), SecretHash: HashSecret(secret), DraftKey: key, SingleKeys: true, Active: true}, nil
}

func knownRole(r Role) bool {
	return r == Physician || r == Nurse || r == Assistant || r == FrontDesk || r == Admin
}

// attempt counts tries of a secret: after freeAttempts failures each further one
// doubles the wait, to an hour at most. The check runs outside any transaction.
func (a *App) attempt(ctx context.Context, who string, check func() bool) error {
	var failures int
	var until time.Time
	if err := a.Store.Read(ctx, func(q *store.Q) (err error) {
		failures, until, err = q.Attempts(who)
		return err
	}); err != nil {
		return err
	}
	now := a.Clock()
	if now.Before(until) {
		return refuse(429, "Too many wrong entries. Try again at %s.", until.In(a.Location).Format("15:04:05"))
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
		if failures >= freeAttempts {
			wait = min(time.Hour, time.Minute<<min(failures-freeAttempts, 6))
		}
		return q.SetAttempts(who, failures, now.Add(wait))
	})
	if err == nil && !ok {
		err = &Refusal{Status: 401, Code: "secret", Message: "That is not right. Check it and try again."}
	}
	return err
}

func tokenHash(token string) []byte {
	h := sha256.Sum256([]byte(token))
	return h[:]
}

// SignIn opens a session and returns its token, which is stored nowhere.
func (a *App) SignIn(ctx context.Context, login, password string) (token string, err error) {
	login = strings.ToLower(strings.TrimSpace(login))
	var s store.Staff
	err = a.Store.Read(ctx, func(q *store.Q) (err error) {
		s, err = q.StaffByLogin(login)
		return err
	})
	hash := s.PasswordHash
	if store.IsNotFound(err) {
		hash, err = unknown, nil
	}
	if err != nil {
		return "", err
	}
	if err := a.attempt(ctx, "login:"+login, func() bool { return checkSecret(password, hash) && s.ID != "" }); err != nil {
		return "", err
	}
	raw := make([]byte, 32)
	_, _ = rand.Read(raw)
	token = base64.RawURLEncoding.EncodeToString(raw)
	now := a.Clock()
	err = a.write(ctx, Actor{ID: s.ID}, func(t *tx) error {
		if err := t.AddSession(store.Session{Hash: tokenHash(token), StaffID: s.ID, Created: now, Seen: now}, now.Add(-sessionLife)); err != nil {
			return err
		}
		return t.audit("sign in", "", "", "")
	})
	return token, err
}

// ErrLocked and ErrNoSession say why a token opens nothing.
var (
	ErrNoSession = &Refusal{Status: 401, Code: "session", Message: "Sign in first."}
	ErrLocked    = &Refusal{Status: 423, Code: "locked", Message: "The screen is locked. Enter your password to go on."}
)

// Who finds the actor of a token. used says that the person did something, which
// keeps the screen from locking.
func (a *App) Who(ctx context.Context, token string, used bool) (Actor, store.Staff, error) {
	var who Actor
	var staff store.Staff
	err := a.Store.Read(ctx, func(q *store.Q) error {
		s, err := q.SessionByHash(tokenHash(token))
		if err != nil {
			return err
		}
		staff, err = q.StaffByID(s.StaffID)
		who = Actor{ID: staff.ID, Name: staff.Name(), Role: staff.Role, Session: s}
		return err
	})
	now := a.Clock()
	if store.IsNotFound(err) || err == nil && (!staff.Active || now.Sub(who.Session.Created) > sessionLife) {
		return Actor{}, store.Staff{}, ErrNoSession
	}
	if err != nil {
		return Actor{}, store.Staff{}, err
	}
	s := &who.Session
	if !s.Locked && now.Sub(s.Seen) > a.IdleAfter {
		s.Locked = true
		if err := a.Store.Write(ctx, func(q *store.Q) error { return q.LockSession(s.Hash) }); err != nil {
			return who, staff, err
		}
	}
	if s.Locked {
		return who, staff, ErrLocked
	}
	if used && now.Sub(s.Seen) > 20*time.Second {
		s.Seen = now
		if err := a.Store.Write(ctx, func(q *store.Q) error { return q.SeenSession(s.Hash, now) }); err != nil {
			return who, staff, err
		}
	}
	return who, staff, nil
}

// Lock locks the screen at once; it also closes signing.
func (a *App) Lock(ctx context.Context, who Actor) error {
	return a.write(ctx, who, func(t *tx) error {
		if err := t.LockSession(who.Session.Hash); err != nil {
			return err
		}
		return t.audit("lock the screen", "", "", "")
	})
}

// Unlock opens a locked screen with the person's password.
func (a *App) Unlock(ctx context.Context, who Actor, staff store.Staff, password string) error {
	if err := a.attempt(ctx, "login:"+strings.ToLower(staff.Login), func() bool { return checkSecret(password, staff.PasswordHash) }); err != nil {
		return err
	}
	return a.write(ctx, who, func(t *tx) error {
		if err := t.UnlockSession(who.Session.Hash, t.now); err != nil {
			return err
		}
		return t.audit("unlock the screen", "", "", "")
	})
}

// SignOut ends the session.
func (a *App) SignOut(ctx context.Context, who Actor) error {
	return a.write(ctx, who, func(t *tx) error {
		if err := t.EndSession(who.Session.Hash); err != nil {
			return err
		}
		return t.audit("sign out", "", "", "")
	})
}

// SetSingleKeys switches the person's one-letter keys on or off.
func (a *App) SetSingleKeys(ctx context.Context, who Actor, on bool) error {
	return a.write(ctx, who, func(t *tx) error { return t.Q.SetSingleKeys(who.ID, on) })
}

// openSigning makes sure that signing is open in this session: it is within the
// window of an earlier entry, or the signer's own secret is given now.
func (a *App) openSigning(ctx context.Context, who *Actor, secret string) error {
	now := a.Clock()
	if now.Before(who.Session.SigningUntil) {
		return nil
	}
	if secret == "" {
		return &Refusal{Status: 401, Code: "secret", Message: "Enter your signing secret."}
	}
	var staff store.Staff
	if err := a.Store.Read(ctx, func(q *store.Q) (err error) {
		staff, err = q.StaffByID(who.ID)
		return err
	}); err != nil {
		return err
	}
	if err := a.attempt(ctx, "secret:"+who.ID, func() bool { return checkSecret(secret, staff.SecretHash) }); err != nil {
		return err
	}
	who.Session.SigningUntil = now.Add(signingWindow)
	return a.Store.Write(ctx, func(q *store.Q) error { return q.OpenSigning(who.Session.Hash, who.Session.SigningUntil) })
}
