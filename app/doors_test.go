package app_test

import (
	"fmt"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
)

// TestTwoHundredGuessesAtOnceAreFive: a try is counted before it is checked, so guessing at once gains nothing.
func TestTwoHundredGuessesAtOnceAreFive(t *testing.T) {
	c := open(t)
	var wg sync.WaitGroup
	var mu sync.Mutex
	kinds := map[act.Kind]int{}
	for range 200 {
		wg.Go(func() {
			_, err := c.app.Session.SignIn(ctx, "physician", "guess")
			mu.Lock()
			kinds[kind(t, err)]++
			mu.Unlock()
		})
	}
	wg.Wait()
	require.Equal(t, map[act.Kind]int{act.Unproven: 5, act.TooOften: 195}, kinds)
	require.Equal(t, 5, c.count("SELECT count(*) FROM audit WHERE act = 'wrong password' AND staff_id = ?", c.doctor().ID), "each is recorded")
}

// TestWhoGuessesAtTheDoorShutsNobodysScreen: the locked screen keeps a count of its own.
func TestWhoGuessesAtTheDoorShutsNobodysScreen(t *testing.T) {
	c := open(t)
	token, err := c.app.Session.SignIn(ctx, "physician", password)
	require.NoError(t, err)
	who, staff, err := c.app.Session.Who(ctx, token, true)
	require.NoError(t, err)
	require.NoError(t, c.app.Session.Lock(ctx, who))
	for range 20 {
		_, err = c.app.Session.SignIn(ctx, "physician", "guess")
		require.Error(t, err)
	}
	require.NoError(t, c.app.Session.Unlock(ctx, who, staff, password))
	for range 5 {
		require.Equal(t, act.Unproven, kind(t, c.app.Session.Unlock(ctx, who, staff, "guess")))
	}
	require.Equal(t, act.TooOften, kind(t, c.app.Session.Unlock(ctx, who, staff, password)))
}

// TestAClockSetBackLeavesNoLockout: a wait longer than any that is given comes of a clock that was changed.
func TestAClockSetBackLeavesNoLockout(t *testing.T) {
	c := open(t)
	c.now = c.now.Add(48 * time.Hour)
	for range 5 {
		_, err := c.app.Session.SignIn(ctx, "physician", "guess")
		require.Error(t, err)
	}
	c.now = c.now.Add(-48 * time.Hour)
	_, err := c.app.Session.SignIn(ctx, "physician", password)
	require.NoError(t, err)
}

// TestInventedNamesLeaveNothingBehind: they are answered as a wrong password is, wait as it does, and no row is written.
func TestInventedNamesLeaveNothingBehind(t *testing.T) {
	c := open(t)
	before := c.count("SELECT (SELECT count(*) FROM attempt) + (SELECT count(*) FROM audit)")
	for i := range 30 {
		_, err := c.app.Session.SignIn(ctx, fmt.Sprintf("invented%d", i), "guess")
		require.Equal(t, act.Unproven, kind(t, err))
	}
	for range 5 {
		_, err := c.app.Session.SignIn(ctx, "one name", "guess")
		require.Equal(t, act.Unproven, kind(t, err))
	}
	_, err := c.app.Session.SignIn(ctx, "one name", "guess")
	require.Equal(t, act.TooOften, kind(t, err), "as somebody's would")
	require.Equal(t, before, c.count("SELECT (SELECT count(*) FROM attempt) + (SELECT count(*) FROM audit)"))
	from := act.WithAddress(ctx, "192.0.2.7")
	for i := range 30 {
		_, err := c.app.Session.SignIn(from, fmt.Sprintf("other%d", i), "guess")
		require.Equal(t, act.Unproven, kind(t, err))
	}
	_, err = c.app.Session.SignIn(from, "physician", password)
	require.Equal(t, act.TooOften, kind(t, err), "the address waits")
	_, err = c.app.Session.SignIn(act.WithAddress(ctx, "192.0.2.8"), "physician", password)
	require.NoError(t, err, "and another does not")
}
