package act

import (
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"time"

	"github.com/pquerna/otp/hotp"

	"deftledger/store"
)

// box is the cipher for what is kept in the data and must not be read from them alone: its
// key comes of the sealing key, which lies outside.
func (k *Keys) box() (cipher.AEAD, error) {
	h := hmac.New(sha256.New, k.private.Seed())
	h.Write([]byte("deftledger second factor"))
	b, err := aes.NewCipher(h.Sum(nil))
	if err != nil {
		return nil, err
	}
	return cipher.NewGCM(b)
}

// Shut encrypts a text for somebody.
func (k *Keys) Shut(text, of string) ([]byte, error) {
	b, err := k.box()
	if err != nil {
		return nil, err
	}
	nonce := make([]byte, b.NonceSize())
	_, _ = rand.Read(nonce)
	return b.Seal(nonce, nonce, []byte(text), []byte(of)), nil
}

// Opened decrypts what was shut for somebody.
func (k *Keys) Opened(sealed []byte, of string) (string, error) {
	b, err := k.box()
	if err != nil {
		return "", err
	}
	if len(sealed) < b.NonceSize() {
		return "", errors.New("too short")
	}
	text, err := b.Open(nil, sealed[:b.NonceSize()], sealed[b.NonceSize():], []byte(of))
	return string(text), err
}

// period is how long a code is shown (RFC 6238, the usual one).
const period = 30 * time.Second

// Factor is a person's second factor with its secret; ok is false where there is none that
// counts.
func (a *Office) Factor(q *store.Q, staff string) (f store.Factor, secret string, ok bool, err error) {
	f, err = q.FactorOf(staff)
	if store.IsNotFound(err) {
		return f, "", false, nil
	}
	if err != nil {
		return f, "", false, err
	}
	secret, err = a.Keys.Opened(f.Sealed, staff)
	return f, secret, f.Active, err
}

// Step finds the step of the clock that a code belongs to: now, or one before or after, for
// clocks that differ a little; 0 for none.
func (a *Office) Step(secret, code string) int64 {
	now := a.Clock().Unix() / int64(period/time.Second)
	for _, step := range []int64{now, now - 1, now + 1} {
		if hotp.Validate(code, uint64(step), secret) {
			return step
		}
	}
	return 0
}

// SecondFactor asks for a code of the person's second factor, each of which counts once; wrong
// ones are counted like wrong secrets.
func (a *Office) SecondFactor(ctx context.Context, staff, code string) error {
	var secret string
	ok := false
	if err := a.Store.Quick(ctx, func(q *store.Q) (err error) {
		_, secret, ok, err = a.Factor(q, staff)
		return err
	}); err != nil {
		return err
	}
	if !ok {
		return Refuse(Conflict, "You have no second factor yet: set one up under your name, then sign.")
	}
	if code == "" {
		return &Refusal{Kind: Unproven, Code: "factor", Message: "Enter the code of your second factor."}
	}
	var step int64
	if err := a.Attempt(ctx, "factor:"+staff, staff, "wrong code of the second factor", func() bool { step = a.Step(secret, code); return step > 0 }); err != nil {
		return err
	}
	fresh := false
	if err := a.Store.Write(ctx, func(q *store.Q) (err error) { fresh, err = q.UseFactor(staff, step); return err }); err != nil {
		return err
	}
	if !fresh {
		return &Refusal{Kind: Unproven, Code: "factor", Message: "This code was used already. Wait for the next one."}
	}
	return nil
}
