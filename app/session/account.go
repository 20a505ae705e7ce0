package session

import (
	"context"
	"encoding/hex"
	"time"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/store"
)

// OwnSession is a sign-in of the person: where they are signed in now.
type OwnSession struct {
	ID     string `json:"id"`
	Since  string `json:"since"`
	Seen   string `json:"seen" doc:"When it was used last"`
	Locked bool   `json:"locked"`
	Here   bool   `json:"here" doc:"It is the one that asks"`
}

// nameOf names a session without giving its hash away.
func nameOf(s store.Session) string { return hex.EncodeToString(tokenHash(string(s.Hash)))[:16] }

// OwnSessions lists where a person is signed in, the newest first.
func (a *Acts) OwnSessions(ctx context.Context, who act.Actor) (out []OwnSession, err error) {
	out = []OwnSession{}
	if who.ID == "" {
		return out, ErrNoSession
	}
	err = a.Store.Quick(ctx, func(q *store.Q) error {
		all, err := q.SessionsOf(who.ID, a.Clock().Add(-sessionLife))
		for _, s := range all {
			out = append(out, OwnSession{ID: nameOf(s), Since: a.Say(s.Created), Seen: a.Say(s.Seen), Locked: s.Locked,
				Here: string(s.Hash) == string(who.Session.Hash)})
		}
		return err
	})
	return out, err
}

// EndOwnSession signs the person out somewhere else.
func (a *Acts) EndOwnSession(ctx context.Context, who act.Actor, id string) error {
	if who.ID == "" {
		return ErrNoSession
	}
	return a.Write(ctx, who, func(t *act.Tx) error {
		all, err := t.SessionsOf(who.ID, time.Time{})
		if err != nil {
			return err
		}
		for _, s := range all {
			if nameOf(s) == id {
				if err := t.EndSession(s.Hash); err != nil {
					return err
				}
				return t.Audit("sign out somewhere else", "", "", "")
			}
		}
		return act.Refuse(act.Missing, "That sign-in has ended already.")
	})
}

// NewSecrets are a person's new password and signing secret; an empty one stays as it is.
type NewSecrets struct {
	Current  string `json:"current" maxLength:"1000" doc:"The password of now"`
	Password string `json:"password" maxLength:"1000"`
	Secret   string `json:"secret" maxLength:"1000"`
}

// ChangeOwnSecrets changes a person's own password, signing secret, or both, and signs them
// out everywhere else. The password of now is asked for, and wrong ones are counted.
func (a *Acts) ChangeOwnSecrets(ctx context.Context, who act.Actor, n NewSecrets) error {
	if who.ID == "" {
		return ErrNoSession
	}
	if n.Password == "" && n.Secret == "" {
		return act.Refuse(act.Invalid, "Give a new password, a new signing secret, or both.")
	}
	if n.Password != "" && len(n.Password) < 10 {
		return act.Refuse(act.Invalid, "The password needs at least 10 characters.")
	}
	if n.Secret != "" && len(n.Secret) < 6 {
		return act.Refuse(act.Invalid, "The signing secret needs at least 6 characters.")
	}
	var staff store.Staff
	if err := a.Store.Quick(ctx, func(q *store.Q) (err error) { staff, err = q.StaffByID(who.ID); return err }); err != nil {
		return err
	}
	if err := a.Attempt(ctx, screenOf(who), who.ID, "wrong password while changing it",
		func() bool { return act.CheckSecret(n.Current, staff.PasswordHash) }); err != nil {
		return err
	}
	password, secret := n.Password, n.Secret
	// The two must differ, whichever of them is the one of now.
	if secret != "" && (secret == password || password == "" && secret == n.Current) ||
		password != "" && secret == "" && act.CheckSecret(password, staff.SecretHash) {
		return act.Refuse(act.Invalid, "The signing secret must differ from the password.")
	}
	if password != "" {
		staff.PasswordHash = act.HashSecret(password)
	}
	if secret != "" {
		staff.SecretHash = act.HashSecret(secret)
	}
	return a.Write(ctx, who, func(t *act.Tx) error {
		if err := t.ChangeHashes(who.ID, staff.PasswordHash, staff.SecretHash, who.Session.Hash); err != nil {
			return err
		}
		return t.Audit("change the own password or secret", "", "", "")
	})
}

// OwnNPI is the National Provider Identifier under which a person's orders go out; "" for none.
func (a *Acts) OwnNPI(ctx context.Context, who act.Actor) (npi string, err error) {
	if who.ID == "" {
		return "", ErrNoSession
	}
	err = a.Store.Quick(ctx, func(q *store.Q) (err error) { npi, err = q.NPIOf(who.ID); return err })
	return npi, err
}

// ConfirmNPI confirms a person's own National Provider Identifier, once, with the password: its
// check digit has to be right. The proofing is simulated: no registry is asked, which is kept
// with it.
func (a *Acts) ConfirmNPI(ctx context.Context, who act.Actor, npi, password string) error {
	if who.ID == "" {
		return ErrNoSession
	}
	if !chart.SoundNPI(npi) {
		return act.Refuse(act.Invalid, "%q is no National Provider Identifier: its check digit is wrong, or it has not ten digits.", npi)
	}
	if err := a.password(ctx, who, password); err != nil {
		return err
	}
	return a.Write(ctx, who, func(t *act.Tx) error {
		if err := t.SetNPI(who.ID, npi, "check digit and password; no registry was asked (simulated proofing)", t.Now); err != nil {
			return err
		}
		return t.Audit("confirm the own NPI", "", "", "")
	})
}
