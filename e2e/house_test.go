package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// TestTestsVaccinesAndAPreparedOrder takes the assistant through a dipstick, a vaccine
// and an order to sign, and the physician through signing it.
func TestTestsVaccinesAndAPreparedOrder(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("jonah")
	h.sees("Rosamund Achterberg")
	h.intakeOf("Rosamund")
	h.press("t")
	h.focused("Test done here, or vaccine given")
	h.types("dip")
	h.sees("Urine dipstick")
	h.press("Enter")
	h.wait(`document.querySelector('form[aria-label="Urine dipstick"]')`, "the form of the dipstick")
	choose := func(name, value string) {
		h.t.Helper()
		require.True(t, eval[bool](h,
			`(() => { const f = [...document.querySelectorAll("fieldset")].find((f) => f.querySelector("legend").innerText === "`+name+
				`"); const l = [...f.querySelectorAll("label")].find((l) => l.innerText.trim() === "`+value+
				`"); l.click(); return l.querySelector("input").checked; })()`))
	}
	choose("Leukocyte esterase", "2+")
	choose("Nitrite", "positive")
	look(h, "house-test")
	h.do(chromedp.Focus(chromedp.CSS(`form[aria-label="Urine dipstick"] label:has(input[placeholder="2027-06-30"]) input`)))
	h.types("2099-06-30")
	h.press("Enter")
	h.sees("Say whether the control was valid.")
	choose("Control", "valid")
	h.press("Enter")
	h.sees("Write down the lot of the kit.")
	require.True(t, eval[bool](h,
		`([...document.querySelectorAll('form[aria-label="Urine dipstick"] label')].find((l) => l.innerText.startsWith("Kit lot")).querySelector("input").focus(), true)`))
	h.types("D-7")
	require.Empty(t, h.axe())
	h.press("Enter")
	h.sees("Urine dipstick: leukocyte esterase 2+, nitrite positive.")
	require.Equal(t, 1, p.count(t,
		"SELECT count(*) FROM line l JOIN report r ON r.id = l.subject WHERE r.code = 'DIP' AND l.closed_at = '' AND l.owner_id = (SELECT id FROM staff WHERE login = 'maren')"), "it waits for the physician")

	h.press("Escape")
	h.press("Alt+t")
	h.types("tdap")
	h.sees("vaccine, intramuscular")
	h.press("Enter")
	h.wait(`document.querySelector('form[aria-label="Tdap"]')`, "the form of the vaccine")
	h.sees("compare them with the package") // the lot given last stands there
	require.True(t, eval[bool](h,
		`(() => { const s = document.querySelector('form[aria-label="Tdap"] select'); const set = Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set; set.call(s, "right deltoid"); s.dispatchEvent(new Event("change", { bubbles: true })); return document.activeElement === s; })()`))
	look(h, "house-vaccine")
	h.press("Tab")
	h.press("Enter")
	h.sees("Tdap, 0.5 mL, right deltoid")
	require.Equal(t, "OT4471", text(t, p, "SELECT lot FROM immunization ORDER BY given_at DESC LIMIT 1"))

	h.press("Escape")
	h.press("Alt+o")
	h.sees("Prepare an order")
	h.focused("Add a test: letters, code or LOINC")
	h.types("tsh")
	h.sees("Thyroid stimulating hormone")
	look(h, "prepare")
	h.press("Ctrl+Enter")
	h.wait(`!document.querySelector('aside[aria-label="Order"]')`, "the composer closed")
	require.Equal(t, 2, p.count(t, "SELECT count(*) FROM prepared_order WHERE state = 'waiting'"))
	require.Equal(t, 0, p.count(t,
		"SELECT count(*) FROM order_test WHERE code = 'TSH' AND order_id IN (SELECT o.id FROM lab_order o JOIN patient p ON p.id = o.patient_id WHERE p.given = 'Rosamund' AND o.state NOT IN ('final', 'reviewed'))"), "nothing is ordered before it is signed")

	m := sit(t, p)
	m.signIn("maren")
	id := text(t, p, "SELECT id FROM prepared_order WHERE tests LIKE '%TSH%'")
	m.do(navigate("http://" + p.http + "/desk/sign/" + id))
	m.sees("prepared by Jonah Whitlock")
	look(m, "to-sign")
	require.Empty(t, m.axe())
	m.press("s")
	m.secret()
	m.eventually(func() bool {
		return p.count(t, "SELECT count(*) FROM prepared_order WHERE state = 'signed' AND tests LIKE '%TSH%'") == 1
	}, "the order signed")
	// The other one is given back, and stands on the assistant's desk with the reason.
	m.wait(`document.querySelector("#page [data-prepared]")?.innerText.includes("Urine culture")`, "the next order to sign")
	m.click("Give back…")
	m.focused("Why it is given back")
	m.types("Wait for the dipstick.")
	m.press("Enter")
	m.eventually(func() bool { return p.count(t, "SELECT count(*) FROM prepared_order WHERE state = 'returned'") == 1 }, "given back")
	back := text(t, p, "SELECT id FROM prepared_order WHERE state = 'returned'")
	h.do(navigate("http://" + p.http + "/desk/sign/" + back))
	h.sees("Wait for the dipstick.")
	look(h, "given-back")
	h.click("Drop…")
	h.types("dipstick was enough")
	h.press("Enter")
	h.eventually(func() bool { return p.count(t, "SELECT count(*) FROM prepared_order WHERE state = 'dropped'") == 1 }, "dropped")
}

// TestTwoRecordsOfOnePersonBecomeOneChart finds the second record of a patient, reads
// both as one, and takes them apart again.
func TestTwoRecordsOfOnePersonBecomeOneChart(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	kept := text(t, p, "SELECT id FROM patient WHERE record = 'SK-20215'")
	other := text(t, p, "SELECT id FROM patient WHERE record = 'SK-21388'")
	h.do(navigate("http://" + p.http + "/patients/" + kept))
	h.sees("No known drug allergies")
	h.click("Another record of this person…")
	h.types("osei")
	h.sees("Mina Osei, born")
	h.click("Mina Osei, born 30 Sep 1961, SK-21388")
	h.sees("Differ: given name.")
	h.focused("How you know that both are one person")
	h.types("Same insurance card, seen today.")
	look(h, "merge")
	require.Empty(t, h.axe())
	h.click("Read both as one chart")
	h.secret()
	h.sees("Holds record SK-21388 (Mina Osei) too")
	h.sees("Cephalexin")
	look(h, "merged")
	h.do(navigate("http://" + p.http + "/patients/" + other))
	h.wait(`location.pathname.endsWith("`+kept+`")`, "the one chart, by either address")
	h.click("Take apart…")
	h.focused("How you know that they are two people")
	h.types("Sisters; the clerk mixed the cards.")
	h.press("Enter")
	h.sees("Taken apart.")
	h.sees("No known drug allergies")
	h.do(navigate("http://" + p.http + "/patients/" + other))
	h.sees("Cephalexin")
	require.Equal(t, 2, p.count(t, "SELECT count(*) FROM ledger_entry WHERE kind = 'taken apart'"))
}

// TestOnePartOfADraftGoesOutAlone signs the plan of an open note by itself and files it.
func TestOnePartOfADraftGoesOutAlone(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.click("Ottoline Marsh-Adeyemi")
	h.sees("Start today's visit")
	h.press("v")
	h.focused("subjective")
	h.press("Escape")
	h.press("4")
	h.focused("plan")
	h.types("Rest the foot, drink two liters a day.")
	h.press("Escape")
	h.sees("Saved")
	h.press("p")
	h.sees("One part alone")
	h.click("Plan")
	h.sees("Sign and file")
	look(h, "alone")
	require.Empty(t, h.axe())
	h.click("Sign and file")
	h.secret()
	h.sees("Signed and filed as a document in this chart")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM document WHERE folio > 0 AND title LIKE 'Plan%'"))
	require.Equal(t, 1, p.count(t,
		"SELECT count(*) FROM note WHERE folio = 0 AND visit_id IN (SELECT v.id FROM visit v JOIN patient p ON p.id = v.patient_id WHERE p.given = 'Ottoline')"), "the note itself stays open")
}
