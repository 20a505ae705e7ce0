package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// A chart that is not open to somebody is found, opened by keyboard with a sentence why, marked, and looked at by
// the person who was named; the lists behind it are kept on a screen.
func TestAClosedChartOpensWithAReasonAndIsReviewed(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("petra")
	h.press("/")
	h.types("ankerholt")
	h.sees("opens with a reason")
	h.press("Enter")
	h.sees("This chart is not open to you")
	h.sees("Maren Oduya looks at it afterwards")
	h.focused("Why I open this chart")
	require.Empty(t, h.axe(), "the closed chart")
	h.press("Enter")
	h.sees("Say in a sentence why you open this chart.")
	h.types("She is at the desk, her leg is swollen.")
	h.press("Enter")
	h.sees("Opened with a reason, until")
	h.sees("Apixaban")
	h.sees("by Petra Vance: She is at the desk, her leg is swollen.")

	// Left closed, nothing is shown and nothing is recorded as opened.
	j := sit(t, p)
	j.signIn("jonah")
	j.press("/")
	j.types("ankerholt")
	j.sees("opens with a reason")
	j.press("Enter")
	j.focused("Why I open this chart")
	j.press("Escape")
	j.sees("visits, ")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM opening o JOIN staff s ON s.id = o.staff_id WHERE s.login IN ('petra', 'jonah')"))

	m := sit(t, p)
	m.signIn("maren")
	m.open("/desk")
	m.click("Under way")
	m.click("by Petra Vance")
	m.sees("opened this chart on")
	require.Empty(t, m.axe(), "the opened chart on the desk")
	m.press("y")
	m.wait(`!document.body.innerText.includes("by Petra Vance: She is at the desk")`, "the line to be closed")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM opening WHERE verdict = 'was right' AND remark = ''"))

	a := sit(t, p)
	a.signIn("ade")
	a.click("Who sees what")
	a.sees("Harbor Street")
	a.sees("Her daughter calls from the mainland")
	require.Empty(t, a.axe(), "who sees whose chart")
	a.click("To be followed up…")
	a.types("I ask Tobias which hospital it was.")
	a.press("Enter")
	a.sees("None waits.")
	// Narrower: each their own. Petra had only her team's charts.
	a.click("My own patients and those I cover for")
	a.wait(`document.querySelector("input[name=width]:checked")?.parentElement.innerText.startsWith("My own")`, "the width to be kept")
	h.press("/")
	h.types("brekken")
	h.sees("opens with a reason")
	h.press("Enter")
	h.sees("This chart is not open to you")
}
