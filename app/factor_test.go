package app_test

import (
	"testing"
	"time"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/app/act"
)

// code is the code that an app shows now.
func (c *clinic) code(secret string) string {
	c.Helper()
	out, err := totp.GenerateCode(secret, c.now)
	require.NoError(c, err)
	return out
}

// factor sets up the second factor of somebody.
func (c *clinic) factor(who act.Actor) (secret string) {
	c.Helper()
	v, err := c.app.Session.BeginFactor(ctx, who, password)
	require.NoError(c, err)
	require.NotEmpty(c, v.Picture)
	require.NoError(c, c.app.Session.ConfirmFactor(ctx, who, c.code(v.Secret)))
	c.now = c.now.Add(time.Minute)
	return v.Secret
}

func TestASecondFactor(t *testing.T) {
	c := open(t)
	who := c.doctor()
	_, err := c.app.Session.BeginFactor(ctx, who, "guess")
	require.Equal(t, act.Unproven, kind(t, err))
	v, err := c.app.Session.BeginFactor(ctx, who, password)
	require.NoError(t, err)
	_, err = c.app.Session.SignIn(ctx, "physician", password, "")
	require.NoError(t, err, "it counts only once a code of it was entered")
	require.Equal(t, act.Unproven, kind(t, c.app.Session.ConfirmFactor(ctx, who, "000000")))
	require.NoError(t, c.app.Session.ConfirmFactor(ctx, who, c.code(v.Secret)))
	require.Zero(t, c.count("SELECT count(*) FROM second_factor WHERE instr(sealed, ?) > 0", v.Secret), "the secret cannot be read from the data")
	_, err = c.app.Session.BeginFactor(ctx, who, password)
	require.Equal(t, act.Conflict, kind(t, err), "one that counts is not replaced without a code of it")

	signIn := func(code string) error {
		_, err := c.app.Session.SignIn(ctx, "physician", password, code)
		return err
	}
	used := c.code(v.Secret)
	require.Equal(t, act.Unproven, kind(t, signIn("")))
	require.Equal(t, act.Unproven, kind(t, signIn(used)), "the code that confirmed it is used up")
	c.now = c.now.Add(30 * time.Second)
	require.NoError(t, signIn(c.code(v.Secret)))
	require.Equal(t, act.Unproven, kind(t, signIn(c.code(v.Secret))), "no code counts twice")
	c.now = c.now.Add(5 * time.Minute)
	old := c.code(v.Secret)
	c.now = c.now.Add(29 * time.Second)
	require.NoError(t, signIn(old), "a clock may be a step behind")
	c.now = c.now.Add(5 * time.Minute)
	old = c.code(v.Secret)
	c.now = c.now.Add(2 * time.Minute)
	require.Equal(t, act.Unproven, kind(t, signIn(old)))
	for range 6 {
		err = signIn("123456")
	}
	assert.Equal(t, act.TooOften, kind(t, err), "guesses are counted")
	c.now = c.now.Add(3 * time.Hour)
	require.NoError(t, c.app.Session.DropFactor(ctx, who, password, c.code(v.Secret)))
	require.NoError(t, signIn(""))
	require.Empty(t, c.verify())
}
