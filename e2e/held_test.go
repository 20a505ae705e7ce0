package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// A patient wishes that nobody else reads of what she drinks: what tells of it stays back, each entry until somebody has looked at it, and
// the front desk does not learn of it. By keys, and by mouse.
func TestWhatAPatientHoldsBack(t *testing.T) {
	p := practice(t)
	ottoline := patientOf(t, p, "SK-20418")
	h := sit(t, p)
	h.signIn("maren")
	h.open("/patients/" + ottoline + "/sharing")
	h.sees("Held back from others")
	h.press("b")
	h.focused("What Ottoline said")
	h.types("My employer's insurance need not know what I drink.")
	h.click("Alcohol and drugs")
	look(h, "held-new")
	require.Empty(t, h.axe())
	h.click("Hold “Alcohol and drugs” back")
	h.sees("whatever tells of it")
	h.sees("to look at")
	h.sees("it may tell of “Alcohol and drugs”")
	look(h, "held")
	require.Empty(t, h.axe())
	h.press("o")
	h.focused("Said on")
	h.press("Enter")
	h.sees("Withdrawn")
	h.press("g")
	h.click("somebody else")
	h.sees("What Ottoline holds back is left out, and so are 2 entries that nobody has looked at.")
	look(h, "held-give")
	require.Empty(t, h.axe())
	h.press("Escape")
	before := p.count(t, "SELECT count(*) FROM inquiry WHERE kind = 'sharing wish'")
	require.Equal(t, 1, before)
	h.press("2")
	h.sees("1 stay back")
	h.press("1")
	h.sees("1 looked at and let go")
	require.Equal(t, 3, p.count(t, "SELECT count(*) FROM inquiry WHERE kind = 'sharing wish'"))
	h.click("No longer…")
	h.types("She has told them.")
	h.click("It may go out")
	h.seesNot("whatever tells of it")
	h.sees("Looked at; it stays back") // the one entry is held back by itself

	d := sit(t, p)
	d.signIn("sunniva")
	d.open("/patients/" + ottoline + "/sharing")
	d.sees("Given out")
	d.seesNot("Held back")
	d.seesNot("Alcohol")
}
