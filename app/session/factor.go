package session

import (
	"bytes"
	"context"
	"image/png"

	"github.com/pquerna/otp/totp"

	"deftledger/app/act"
	"deftledger/store"
)

// FactorView is what a person needs to set up a second factor. It is shown once.
type FactorView struct {
	Secret  string `json:"secret" doc:"To be typed into an app that shows codes by the clock (RFC 6238)"`
	Picture []byte `json:"picture" doc:"The same as a QR code, PNG"`
}

// HasFactor says whether a person has a second factor that counts.
func (a *Acts) HasFactor(ctx context.Context, who act.Actor) (has bool, err error) {
	if who.ID == "" {
		return false, ErrNoSession
	}
	err = a.Store.Quick(ctx, func(q *store.Q) error {
		_, _, has, err = a.Factor(q, who.ID)
		return err
	})
	return has, err
}

func (a *Acts) password(ctx context.Context, who act.Actor, password string) error {
	var staff store.Staff
	if err := a.Store.Quick(ctx, func(q *store.Q) (err error) { staff, err = q.StaffByID(who.ID); return err }); err != nil {
		return err
	}
	return a.Attempt(ctx, screenOf(who), who.ID, "wrong password under the own name", func() bool { return act.CheckSecret(password, staff.PasswordHash) })
}

// BeginFactor makes a new secret for a second factor, after the password. It counts only
// once a code of it was entered.
func (a *Acts) BeginFactor(ctx context.Context, who act.Actor, password string) (out FactorView, err error) {
	if who.ID == "" {
		return out, ErrNoSession
	}
	if err := a.password(ctx, who, password); err != nil {
		return out, err
	}
	key, err := totp.Generate(totp.GenerateOpts{Issuer: "Deft Ledger", AccountName: who.Name})
	if err != nil {
		return out, err
	}
	picture, err := key.Image(220, 220)
	if err != nil {
		return out, err
	}
	var b bytes.Buffer
	if err := png.Encode(&b, picture); err != nil {
		return out, err
	}
	sealed, err := a.Keys.Shut(key.Secret(), who.ID)
	if err != nil {
		return out, err
	}
	out = FactorView{key.Secret(), b.Bytes()}
	return out, a.Write(ctx, who, func(t *act.Tx) error {
		if f, err := t.FactorOf(who.ID); err == nil && f.Active {
			return act.Refuse(act.Conflict, "You have a second factor. Take it away first.")
		} else if err != nil && !store.IsNotFound(err) {
			return err
		}
		if err := t.SetFactor(store.Factor{StaffID: who.ID, Sealed: sealed}); err != nil {
			return err
		}
		return t.Audit("begin a second factor", "", "", "")
	})
}

// ConfirmFactor lets a second factor count from now on, with a code that it shows.
func (a *Acts) ConfirmFactor(ctx context.Context, who act.Actor, code string) error {
	if who.ID == "" {
		return ErrNoSession
	}
	var f store.Factor
	secret := ""
	if err := a.Store.Quick(ctx, func(q *store.Q) (err error) { f, secret, _, err = a.Factor(q, who.ID); return err }); err != nil {
		return err
	}
	if secret == "" || f.Active {
		return act.Refuse(act.Conflict, "There is no second factor to confirm.")
	}
	if err := a.Attempt(ctx, "factor:"+who.ID, who.ID, "wrong code of the second factor", func() bool { f.Step = a.Step(secret, code); return f.Step > 0 }); err != nil {
		return err
	}
	f.Active = true
	return a.Write(ctx, who, func(t *act.Tx) error {
		if err := t.SetFactor(f); err != nil {
			return err
		}
		return t.Audit("set up a second factor", "", "", "")
	})
}

// DropFactor takes the own second factor away, with the password and a code of it.
func (a *Acts) DropFactor(ctx context.Context, who act.Actor, password, code string) error {
	if who.ID == "" {
		return ErrNoSession
	}
	if err := a.password(ctx, who, password); err != nil {
		return err
	}
	if err := a.SecondFactor(ctx, who.ID, code); err != nil {
		return err
	}
	return a.Write(ctx, who, func(t *act.Tx) error {
		if err := t.DropFactor(who.ID); err != nil {
			return err
		}
		return t.Audit("take the second factor away", "", "", "")
	})
}
