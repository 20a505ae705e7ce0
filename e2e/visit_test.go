package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// TestAFollowUpReachesTheFrontDesk asks a patient back and books it on another screen.
func TestAFollowUpReachesTheFrontDesk(t *testing.T) {
	p := practice(t)
	desk := sit(t, p)
	desk.signIn("sunniva")
	desk.sees("Today")
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Bram Tollefsen")
	h.press("Escape")
	h.press("u")
	h.focused("When")
	h.types("soon")
	h.press("Enter")
	h.sees("write 10d, 2w, 2m, 1y or a date")
	h.do(chromedp.Focus(chromedp.CSS(`form[aria-label="Follow-up"] input`)))
	eval[bool](h, `(document.activeElement.select(), true)`)
	h.types("2w")
	h.press("Enter")
	h.sees("Comes back in 2 weeks")
	h.sees("waits for the front desk")
	desk.sees("Bram Tollefsen")
	desk.sees("To book")
	look(desk, "to-book")
	require.Empty(t, desk.axe())
	desk.click("Book")
	desk.seesNot("To book")
	h.sees("booked by Sunniva Pell")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM visit v JOIN follow_up f ON f.visit_id = v.id"))
	require.Equal(t, 0, p.count(t, "SELECT count(*) FROM line WHERE kind = 'follow-up' AND closed_at = ''"))
}

// TestSignAndNextPatientInOneAct signs a note and has the next patient's before it.
func TestSignAndNextPatientInOneAct(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.backStrain()
	h.press("Alt+n")
	h.secret()
	h.wait(`!document.querySelector("aside h1").innerText.includes("Tollefsen")`, "the next patient")
	h.focused("subjective")
	require.Equal(t, 1, p.count(t,
		"SELECT count(*) FROM note n JOIN patient p ON p.id = n.patient_id WHERE p.family = 'Tollefsen' AND n.folio > 0"))
}

// TestClosingAndTheNextPatient reads the closing list, signs and opens the next patient.
func TestClosingAndTheNextPatient(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Bram Tollefsen")
	for _, w := range [][2]string{{"1", "Back pain for two days."}, {"2", "Lungs clear."}, {"3", "Strain."}, {"4", "Heat and movement."}} {
		h.press(w[0])
		h.types(w[1])
		h.press("Escape")
	}
	h.press("e")
	h.focused("Findings, in a line")
	h.types("back, wheeze")
	h.sees("Wheeze")
	h.press("Enter")
	h.wait(`document.querySelector('[data-ref="examination.lungs.wheeze"]')`, "the wheeze in the note")
	h.press("Escape")
	h.press("d")
	h.focused("Add a diagnosis")
	h.types("S39.012A")
	h.sees("initial encounter")
	h.press("Enter")
	h.sees("1 of 12 diagnoses")
	h.sees("Saved")
	// Signing is open on this device, as these flows have it: an absence letter opened it.
	h.press("a")
	h.focused("Days")
	h.types("1")
	h.press("Enter")
	h.secret()
	h.sees("Signed and filed.")
	h.press("Escape")
	h.effort("E20", 5, func() {
		h.press("a")
		h.focused("Days")
		h.types("3")
		h.press("Enter")
		h.sees("Signed and filed.")
	})
	h.press("Escape")
	require.Equal(t, 2, p.count(t, "SELECT count(*) FROM document WHERE title = 'Absence from work' AND folio > 0"))
	h.effort("E18", 6, func() {
		h.press("Ctrl+Enter")
		h.sees("and the text says “Lungs clear”")
		h.press("Ctrl+Enter")
		h.sees("Signed and sealed")
		h.press("u")
		h.focused("When")
		h.types("2m")
		h.press("Enter")
		h.sees("Comes back in 2 months")
		h.press("n")
		h.wait(`!document.querySelector("aside h1").innerText.includes("Tollefsen")`, "the next patient")
		h.focused("subjective")
	})
	h.do(navigate("http://" + p.http + "/patients/" + text(t, p, "SELECT id FROM patient WHERE family = 'Tollefsen'") + "/visits/" + text(t, p,
		"SELECT v.id FROM visit v JOIN patient p ON p.id = v.patient_id WHERE p.family = 'Tollefsen'")))
	h.sees("Signed and sealed")
	h.effort("E19", 4, func() {
		h.press("m")
		h.focused("Amendment")
		h.types("He lifted with his right arm.")
		h.press("Ctrl+Enter")
		h.sees("Amendment of")
	})
	require.Empty(t, h.axe())
}
