package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/standin"
)

// TestAReferralFromQuestionToReport refers with a question, the diagnoses of the chart and two
// parts of it by keyboard (E10), sees each stage as the other practice tells it, and signs the
// report; then refers by mouse.
func TestAReferralFromQuestionToReport(t *testing.T) {
	others, flags := elsewhere(t)
	others.Set(func(e *standin.Elsewhere) { e.Pace = 0 })
	p := practice(t, append(flags, "--ask", "100ms")...)
	h := sit(t, p)
	h.signIn("maren")
	h.chartOf("SK-20418")
	h.press("o") // the secret once, which opens signing for some minutes
	h.focused("Add a test")
	h.types("tsh")
	h.press("Ctrl+Enter")
	h.secret()
	h.wait(`!document.querySelector('aside[aria-label="Order"]')`, "the order being signed")
	h.effort("E10", 7, func() {
		h.press("f")
		h.focused("To whom")
		h.types("neph")
		h.press("Enter")
		h.focused("Question")
		h.sees("Past, family and social history") // what goes along is read before it is signed
		h.types("Is the rise of the creatinine the lisinopril?")
		h.press("Alt+1")
		h.press("Alt+2")
		h.press("Ctrl+Enter")
		h.wait(`!document.querySelector('aside[aria-label="Referral"]')`, "the referral being signed")
	})
	number := text(t, p, "SELECT number FROM further_order WHERE detail LIKE '%creatinine the lisinopril%'")
	h.eventually(func() bool { return others.Referrals()[number].Times == 1 }, "their system having it")
	got := others.Referrals()[number]
	require.Equal(t, []string{"Referral letter", "Medicines", "Allergies"}, got.Parts)
	h.sees("Tak Kidney Clinic: sent")
	h.open("/desk/referral/" + text(t, p, "SELECT id FROM further_order WHERE number = '"+number+"'"))
	h.sees("to be accepted by")
	require.Empty(t, h.axe())
	others.Tell(number, func(s *standin.Sent) { s.Status, s.Words = "on-hold", []string{"Which dose?"} })
	h.sees("they ask back")
	h.sees("Which dose?")
	h.focused("Answer to their question")
	h.types("20 mg daily since March.")
	h.click("Send the answer")
	h.sees("20 mg daily since March.")
	others.Tell(number, func(s *standin.Sent) {
		s.Status, s.Business, s.Start, s.Words = "accepted", "scheduled", "2031-01-08T09:30:00-05:00", nil
	})
	h.sees("08 Jan 2031")
	look(h, "referral")
	others.Tell(number, func(s *standin.Sent) {
		s.Status, s.Business, s.Report = "completed", "", "Stable. Keep the lisinopril."
	})
	h.sees("report to be read")
	h.sees("Stable. Keep the lisinopril.")
	look(h, "report")
	h.focused("Comment to the report")
	h.types("Told her by telephone.")
	h.press("Ctrl+Enter")
	h.wait(`!document.body.innerText.includes("Sign as read")`, "the report being signed")
	require.Equal(t, "closed", text(t, p, "SELECT state FROM further_order WHERE number = '"+number+"'"))

	h.chartOf("SK-20418")
	h.click("Refer f")
	h.focused("To whom")
	h.types("eye")
	h.click("Dr. Odile Marchetti")
	h.focused("Question")
	h.types("Retina, please.")
	h.click("Problem list")
	h.sees("Chronic kidney disease, stage 3a (N18.31)")
	look(h, "refer")
	h.click("Sign and send")
	h.wait(`!document.querySelector('aside[aria-label="Referral"]')`, "the referral being signed")
	h.open("/directory")
	h.sees("Lantern Row Eye Practice")
	require.Empty(t, h.axe())
	look(h, "directory")
	h.open("/patients/" + patientOf(t, p, "SK-20077") + "/orders")
	h.sees("Dr. Ellisif Ranta")
	look(h, "orders-of")
}
