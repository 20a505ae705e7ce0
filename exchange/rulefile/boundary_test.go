package rulefile_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/reminder"
	"deftledger/exchange/shipped"
)

// At each age at which a rule begins or ends an example stands on that day, or on the day before.
func TestEachAgeBoundaryHasAnExample(t *testing.T) {
	book, err := shipped.Rules()
	require.NoError(t, err)
	for _, r := range book.Rules() {
		var ages []reminder.Length
		var walk func(c reminder.Cond)
		walk = func(c reminder.Cond) {
			if c.Age != nil {
				ages = append(ages, c.Age.From, c.Age.Below)
			}
			for _, of := range [][]reminder.Cond{c.All, c.Any, c.None} {
				for _, inner := range of {
					walk(inner)
				}
			}
			if c.Not != nil {
				walk(*c.Not)
			}
		}
		walk(r.Applies)
		for _, x := range r.Excluded {
			walk(x)
		}
		for _, l := range ages {
			if l.Param != "" {
				require.NoError(t, l.UnmarshalText([]byte(r.Parameters[l.Param].Is)))
			}
			if !l.Given() || l.N == 0 {
				continue
			}
			found := false
			for _, e := range r.Examples {
				born, ok1 := reminder.DayOf(e.Chart.Born)
				on, ok2 := reminder.DayOf(e.On)
				found = found || ok1 && ok2 && (l.After(born) == on || l.After(born) == on+1)
			}
			assert.True(t, found, "%s: no example at %s", r.ID, l)
		}
	}
}
