package app_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/intake"
	"deftledger/standin"
)

// registry opens a stand-in of the immunization registry that knows some codes.
func (c *clinic) registry(known ...string) *standin.Registry {
	c.Helper()
	g := &standin.Registry{Facility: "ISLANDS"}
	if len(known) > 0 {
		g.Known = func(cvx string) bool {
			for _, k := range known {
				if k == cvx {
					return true
				}
			}
			return false
		}
	}
	require.NoError(c, g.Open("127.0.0.1:0"))
	c.Cleanup(g.Close)
	c.app.Elsewhere.Registry = g.Addr()
	return g
}

// A vaccine given is told to the registry once, however often it is sent, and taken out again when it is struck; until the registry
// answers it is an open line, also while nobody answers.
func TestAVaccineIsToldToTheRegistry(t *testing.T) {
	c := open(t)
	c.app.Elsewhere.Registry = "127.0.0.1:1" // nobody there
	e := intake.VaccineEntry{ID: "one", Given: tdap}
	for range 2 {
		_, err := c.app.Intake.GiveVaccine(ctx, c.jonah(), visitID, e)
		require.NoError(t, err)
	}
	require.NoError(t, c.app.Outbox.Step(ctx))
	open := "SELECT count(*) FROM line WHERE kind = 'to the registry' AND closed_at = ''"
	require.Equal(t, 1, c.count(open))
	g := c.registry()
	c.later(24 * 60)
	require.NoError(t, c.app.Outbox.Step(ctx))
	require.Equal(t, 0, c.count(open))
	require.Equal(t, map[string]string{"one": "A"}, g.Doses())
	require.Contains(t, g.Received()[0], "Marsh-Adeyemi^Ottoline")
	_, err := c.app.Intake.StrikeVaccine(ctx, c.jonah(), visitID, "one", "the wrong arm was written")
	require.NoError(t, err)
	require.Equal(t, 1, c.count(open))
	require.NoError(t, c.app.Outbox.Step(ctx))
	require.Equal(t, map[string]string{"one": "D"}, g.Doses())
	require.Equal(t, 0, c.count(open))
	require.Len(t, g.Received(), 2)
	require.Empty(t, c.verify())
}

// What the registry does not take stays open with its reason until somebody says how it was told instead.
func TestWhatTheRegistryRefuses(t *testing.T) {
	c := open(t)
	g := c.registry("140")
	_, err := c.app.Intake.GiveVaccine(ctx, c.jonah(), visitID, intake.VaccineEntry{ID: "one", Given: tdap})
	require.NoError(t, err)
	require.NoError(t, c.app.Outbox.Step(ctx))
	require.Empty(t, g.Doses())
	row := act.LineRow{}
	for _, r := range c.deskOf(c.jonah()).Rows {
		if r.Kind == "to the registry" {
			row = *r
		}
	}
	require.Equal(t, "refused", row.Mark)
	require.Contains(t, row.Title, "The vaccine code is not known here")
	v, err := c.app.Registry.Open(ctx, c.jonah(), row.ID)
	require.NoError(t, err)
	require.Equal(t, "The vaccine code is not known here", v.Refused)
	require.Equal(t, act.Invalid, kind(t, c.app.Registry.Settle(ctx, c.jonah(), row.ID, " ")))
	require.NoError(t, c.app.Registry.Settle(ctx, c.jonah(), row.ID, "entered at the registry's own site"))
	require.Equal(t, act.Conflict, kind(t, c.app.Registry.Settle(ctx, c.jonah(), row.ID, "twice")))
	require.Equal(t, 0, c.count("SELECT count(*) FROM line WHERE kind = 'to the registry' AND closed_at = ''"))

	file, err := c.app.Registry.File(ctx, c.jonah(), patientID)
	require.NoError(t, err)
	require.Contains(t, string(file), "VXU^V04^VXU_V04")
	require.Contains(t, string(file), "115^Tdap^CVX")
}

// toldRegistry is a vaccine on its way to the registry, with the name of its line.
func (c *clinic) toldRegistry() string {
	c.Helper()
	was := c.app.Elsewhere.Registry
	c.app.Elsewhere.Registry = "127.0.0.1:1"
	defer func() { c.app.Elsewhere.Registry = was }()
	_, err := c.app.Intake.GiveVaccine(ctx, c.doctor(), visitID, intake.VaccineEntry{ID: "told", Given: tdap, Confirmed: true})
	require.NoError(c, err)
	return c.text("SELECT id FROM inquiry WHERE kind = 'to the registry'")
}
