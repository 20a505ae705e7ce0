package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// A laboratory calls: the nurse takes the value down and reads it back; it stands above the physician's screen, who tells the patient; the
// report comes and is said to be it; then it is signed without anybody being called again.
func TestACriticalValueIsCalledIn(t *testing.T) {
	p := practice(t)
	n := sit(t, p)
	n.signIn("petra")
	n.open("/called")
	n.click("Whose value")
	n.types("Ottoline")
	n.click("Ottoline Marsh-Adeyemi")
	for label, words := range map[string]string{"What was measured": "Potassium", "Value, as it was said": "6.6", "Unit": "mmol/L", "Laboratory": "Brinehouse", "Who called": "Ms. Holm"} {
		n.click(label)
		n.types(words)
	}
	require.Empty(t, n.axe())
	n.press("Ctrl+Enter")
	n.sees("Read name, birth date and value back")
	n.press("Alt+z")
	look(n, "called-in")
	n.press("Ctrl+Enter")
	n.sees("Announced: Ottoline Marsh-Adeyemi, Potassium 6.6 mmol/L")
	id := text(t, p, "SELECT id FROM inquiry WHERE kind = 'called in'")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM line WHERE kind = 'critical by telephone' AND closed_at = '' AND owner_id = (SELECT id FROM staff WHERE login = 'maren')"))

	h := sit(t, p)
	h.signIn("maren")
	h.open("/desk/called/" + id)
	h.sees("it has that analyte, with another value") // of this morning's panel
	h.press("Alt+z")
	h.press("Alt+s")
	h.sees("contact Ottoline Marsh-Adeyemi, telephone, read back")
	look(h, "called")
	require.Empty(t, h.axe())
	h.click("No report of it comes…")
	h.types("The laboratory called again: it was drawn above an infusion.")
	h.press("Enter")
	h.eventually(func() bool {
		return p.count(t, "SELECT count(*) FROM line WHERE kind = 'critical by telephone' AND closed_at <> ''") == 1
	}, "the line closed")
}

// What follows from a result is done beside it: a visit, a problem, the date of a reminder, an order again, a medicine.
func TestWhatFollowsFromAResult(t *testing.T) {
	_, flags := elsewhere(t)
	p := practice(t, flags...)
	h := sit(t, p)
	h.signIn("maren")
	h.packetOf("Ottoline Marsh-Adeyemi")
	h.press("Alt+d")
	h.wait(`document.activeElement.dataset.act`, "the first act")
	look(h, "onward")
	require.Empty(t, h.axe())
	h.press("4")
	h.focused("Back in")
	h.types("2w")
	h.press("Enter")
	h.sees("Asked back in 2w: the front desk books it.")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM follow_up WHERE state = 'to book' AND reason <> '' AND said <> '' AND patient_id = (SELECT id FROM patient WHERE family = 'Marsh-Adeyemi' AND given = 'Ottoline')"))
	h.press("Alt+d")
	h.wait(`document.activeElement.dataset.act`, "the first act")
	h.press("3")
	h.focused("Add a problem")
	h.types("E79.0")
	h.sees("Hyperuricemia without signs")
	h.press("Enter")
	h.sees("on the list.")
	h.press("Alt+d")
	h.wait(`document.activeElement.dataset.act`, "the first act")
	h.press("7")
	h.wait(`document.activeElement.closest('section[aria-label="Do something about it"] li')`, "the first reminder")
	h.press("Enter")
	h.focused("not before")
	h.press("Escape")
	h.wait(`document.activeElement.dataset.act`, "the first act")
	h.press("1")
	h.wait(`document.querySelector('aside[aria-label="Order"], aside[aria-label="The pad"]') || [...document.querySelectorAll("aside")].some((a) => a.innerText.includes("Order"))`, "the pad")
	look(h, "onward-order")
}

// A decision is taken back until it is signed; a snippet brings its words with the values; afterwards something is only added.
func TestADecisionIsTakenBackAndASnippetFilled(t *testing.T) {
	_, flags := elsewhere(t)
	p := practice(t, flags...)
	h := sit(t, p)
	h.signIn("maren")
	h.openSigning()
	h.packetOf("Ottoline Marsh-Adeyemi")
	h.types(",outside")
	h.sees("What stands out of range")
	h.press("Tab")
	h.wait(`document.querySelector('aside[aria-label="Review"] textarea').value.includes("Out of range: Urea nitrogen 27 mg/dL, above the range; ")`, "the values")
	h.press("Alt+t")
	h.wait(`document.querySelector('input[name="told"]:checked')`, "how she is told")
	h.press("Alt+b")
	h.wait(`!document.querySelector('input[name="told"]:checked')`, "taken back")
	h.click("The front desk may tell…")
	h.types("Your urate is high. Dr. Sol will call.")
	look(h, "decided")
	require.Empty(t, h.axe())
	h.press("Alt+t")
	h.settles("Ottoline")
	report := text(t, p, "SELECT r.id FROM report r JOIN review v ON v.report_id = r.id WHERE v.comment LIKE 'Out of range%' LIMIT 1")
	h.open("/desk/report/" + report)
	h.click("Add to it…")
	h.types("She takes allopurinol again.")
	h.click("Sign the addendum")
	h.sees("Added by Maren")
	require.Empty(t, h.axe())

	f := sit(t, p)
	f.signIn("sunniva")
	f.open("/patients/" + text(t, p, "SELECT patient_id FROM report WHERE id = '"+report+"'") + "/registration")
	f.sees("Your urate is high. Dr. Sol will call.")
	look(f, "desk-words")
	f.click("It was told…")
	f.types("herself")
	f.press("Enter")
	f.sees("told: herself, Sunniva")
	require.Empty(t, f.axe())
}

// Who has what in the practice is seen, opened and taken over; a nurse signs what the clinic's permission allows.
func TestWhoHasWhatAndTheStandingPermission(t *testing.T) {
	_, flags := elsewhere(t)
	p := practice(t, flags...)
	h := sit(t, p)
	h.signIn("tobias")
	h.open("/holdings")
	h.sees("Every open line of the practice")
	h.click("Maren")
	h.wait(`document.querySelectorAll('aside[aria-label^="Open lines of"] li').length > 3`, "her lines")
	look(h, "holdings")
	require.Empty(t, h.axe())
	report := text(t, p, "SELECT r.id FROM report r JOIN staff s ON s.id = r.owner_id JOIN patient q ON q.id = r.patient_id WHERE s.login = 'maren' AND q.family = 'Ellingsund' AND r.signed_issue = 0 AND r.status = 'F' LIMIT 1")
	h.open("/desk/report/" + report)
	h.focused("In the chart")
	h.open("/desk/packet/" + text(t, p, "SELECT patient_id FROM report WHERE id = '"+report+"'"))
	h.sees("Others answer for")
	h.click(" over") // it, or them
	h.eventually(func() bool {
		return p.count(t, "SELECT count(*) FROM report r JOIN staff s ON s.id = r.owner_id WHERE s.login = 'tobias' AND r.id = '"+report+"'") == 1
	}, "his now")

	h.open("/standing")
	h.sees("Off: nurses sign no results.")
	h.click("The rule, in the clinic's words")
	h.types("A thyrotropin in range is signed by the nurse and told as usual.")
	h.click("Tests, a line each")
	h.types("3016-3 Thyrotropin")
	h.click("Nurses sign by this rule")
	h.click("Keep it, in my name")
	h.sees("On, by Tobias")
	look(h, "standing")
	require.Empty(t, h.axe())
	n := sit(t, p)
	n.signIn("petra")
	n.open("/standing")
	n.sees("What waits and may be signed")
	require.Empty(t, n.axe())
}
