package session

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"strings"
	"time"

	"deftledger/app/act"
	"deftledger/store"
)

// How long things last.
const (
	sessionLife   = 14 * time.Hour   // a working day; then sign in again
	SigningWindow = 10 * time.Minute // one entry of the secret opens signing for this long
	FreeAttempts  = 5                // failures before waiting begins
)

// NewStaff prepares a person for storing.
func NewStaff(login, given, family string, role act.Role, password, secret string) (store.Staff, error) {
	switch {
	case login == "" || given == "" || family == "":
		return store.Staff{}, fmt.Errorf("login, given and family name are needed")
	case len(act.RightsOf(role)) == 0:
		return store.Staff{}, fmt.Errorf("%q is not a role; use one of physician, nurse, medical assistant, front desk, administrator", role)
	case len(password) < 10:
		return store.Staff{}, fmt.Errorf("the password needs at least 10 characters")
	case len(secret) < 6 || secret == password:
		return store.Staff{}, fmt.Errorf("the signing secret needs at least 6 characters and must differ from the password")
	}
	key := make([]byte, 32)
	_, _ = rand.Read(key)
	return store.Staff{ID: act.NewID(), Login: login, Given: given, Family: family, Role: role,
		PasswordHash: act.HashSecret(password), SecretHash: act.HashSecret(secret), DraftKey: key, SingleKeys: true, Active: true}, nil
}

func tokenHash(token string) []byte {
	h := sha256.Sum256([]byte(token))
	return h[:]
}

// SignIn opens a session and returns its token, which is stored nowhere. Who has a second
// factor gives a code of it too; it is asked for only after the right password.
func (a *Acts) SignIn(ctx context.Context, login, password, code string) (token string, err error) {
	login = strings.ToLower(strings.TrimSpace(login))
	var s store.Staff
	err = a.Store.Quick(ctx, func(q *store.Q) (err error) {
		s, err = q.StaffByLogin(login)
		return err
	})
	if store.IsNotFound(err) {
		return "", a.AttemptOfNobody(ctx, login, password)
	}
	if err != nil {
		return "", err
	}
	if err := a.Attempt(ctx, "login:"+login, s.ID, "wrong password", func() bool { return act.CheckSecret(password, s.PasswordHash) }); err != nil {
		return "", err
	}
	has := false
	if err := a.Store.Quick(ctx, func(q *store.Q) (err error) { _, _, has, err = a.Factor(q, s.ID); return err }); err != nil {
		return "", err
	}
	if has {
		if err := a.SecondFactor(ctx, s.ID, code); err != nil {
			return "", err
		}
	}
	raw := make([]byte, 32)
	_, _ = rand.Read(raw)
	token = base64.RawURLEncoding.EncodeToString(raw)
	now := a.Clock()
	err = a.Write(ctx, act.Actor{ID: s.ID}, func(t *act.Tx) error {
		if err := t.AddSession(store.Session{Hash: tokenHash(token), StaffID: s.ID, Created: now, Seen: now}, now.Add(-sessionLife)); err != nil {
			return err
		}
		return t.Audit("sign in", "", "", "")
	})
	return token, err
}

// ErrLocked and ErrNoSession say why a token opens nothing.
var (
	ErrNoSession = &act.Refusal{Kind: act.Unproven, Code: "session", Message: "Sign in first."}
	ErrLocked    = &act.Refusal{Kind: act.Locked, Code: "locked", Message: "The screen is locked. Enter your password to go on."}
)

// Who finds the actor of a token. used says that the person did something, which
// keeps the screen from locking.
func (a *Acts) Who(ctx context.Context, token string, used bool) (act.Actor, store.Staff, error) {
	var who act.Actor
	var staff store.Staff
	err := a.Store.Quick(ctx, func(q *store.Q) error {
		s, err := q.SessionByHash(tokenHash(token))
		if err != nil {
			return err
		}
		staff, err = q.StaffByID(s.StaffID)
		who = act.Actor{ID: staff.ID, Name: staff.Name(), Role: staff.Role, Session: s}
		return err
	})
	now := a.Clock()
	if store.IsNotFound(err) || err == nil && (!staff.Active || now.Sub(who.Session.Created) > sessionLife) {
		return act.Actor{}, store.Staff{}, ErrNoSession
	}
	if err != nil {
		return act.Actor{}, store.Staff{}, err
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
	if used && now.Sub(s.Seen) > min(20*time.Second, a.IdleAfter/4) {
		s.Seen = now
		if err := a.Store.Write(ctx, func(q *store.Q) error { return q.SeenSession(s.Hash, now) }); err != nil {
			return who, staff, err
		}
	}
	return who, staff, nil
}

// Lock locks the screen at once; it also closes signing.
func (a *Acts) Lock(ctx context.Context, who act.Actor) error {
	return a.Write(ctx, who, func(t *act.Tx) error {
		if err := t.LockSession(who.Session.Hash); err != nil {
			return err
		}
		return t.Audit("lock the screen", "", "", "")
	})
}

// Unlock opens a locked screen with the person's password.
func (a *Acts) Unlock(ctx context.Context, who act.Actor, staff store.Staff, password string) error {
	// A count of its own: whoever guesses at the door does not shut a person's own screen.
	if err := a.Attempt(ctx, screenOf(who), who.ID, "wrong password at the locked screen",
		func() bool { return act.CheckSecret(password, staff.PasswordHash) }); err != nil {
		return err
	}
	return a.Write(ctx, who, func(t *act.Tx) error {
		if err := t.UnlockSession(who.Session.Hash, t.Now); err != nil {
			return err
		}
		return t.Audit("unlock the screen", "", "", "")
	})
}

func screenOf(who act.Actor) string { return "screen:" + hex.EncodeToString(who.Session.Hash) }

// SignOut ends the session.
func (a *Acts) SignOut(ctx context.Context, who act.Actor) error {
	return a.Write(ctx, who, func(t *act.Tx) error {
		if err := t.EndSession(who.Session.Hash); err != nil {
			return err
		}
		if err := t.SetAttempts(screenOf(who), 0, time.Time{}); err != nil {
			return err
		}
		return t.Audit("sign out", "", "", "")
	})
}

// SetEachReport says whether the person's desk has a row for each report, or one for each patient.
func (a *Acts) SetEachReport(ctx context.Context, who act.Actor, on bool) error {
	return a.Write(ctx, who, func(t *act.Tx) error { return t.Q.SetEachReport(who.ID, on) })
}

// EachReport says whether the person's desk has a row for each report.
func (a *Acts) EachReport(ctx context.Context, who act.Actor) (each bool, err error) {
	err = a.Store.Read(ctx, func(q *store.Q) error {
		each, err = q.EachReport(who.ID)
		return err
	})
	return each, err
}

// SetSingleKeys switches the person's one-letter keys on or off.
func (a *Acts) SetSingleKeys(ctx context.Context, who act.Actor, on bool) error {
	return a.Write(ctx, who, func(t *act.Tx) error { return t.Q.SetSingleKeys(who.ID, on) })
}
