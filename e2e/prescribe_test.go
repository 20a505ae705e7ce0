package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/standin"
)

// settled: what was typed and how it reads are the same; before, nothing is signed.
const settled = `!document.querySelector('aside[aria-label="Prescription"] [aria-busy="true"]')`

// TestPrescribing writes a prescription in a line by keyboard, signs past a serious warning with
// a reason, approves the repeat that the pharmacy asks for in two acts (E22), and does by mouse
// what was done by keys.
func TestPrescribing(t *testing.T) {
	others, flags := elsewhere(t)
	p := practice(t, append(flags, "--ask", "100ms")...)
	h := sit(t, p)
	h.signIn("maren")
	h.chartOf("SK-20418")
	h.press("x")
	h.focused("Medicine, how it is taken")
	h.types("colchicine 0.6 mg tablet 1 tablet daily for 5 days")
	h.sees("Take 1 tablet once a day for 5 days.")
	h.sees("5 tablets, 5 days, no refills")
	h.wait(settled, "the line being read to its end")
	look(h, "prescribe")
	h.press("Ctrl+Enter")
	h.secret()
	h.wait(`!document.querySelector('aside[aria-label="Prescription"]')`, "the prescription being signed")
	number := text(t, p, "SELECT number FROM further_order WHERE detail LIKE '%colchicine%'")
	h.eventually(func() bool { return others.Scripts()[number].Times == 1 }, "the pharmacy having it")
	require.Equal(t, "colchicine 0.6 mg tablet: Take 1 tablet once a day for 5 days, 5 tablet, 0 refills", others.Scripts()[number].Directed())

	// A serious warning: she bled from the stomach on naproxen.
	h.press("x")
	h.focused("Medicine, how it is taken")
	h.types("naproxen 500 mg tablet 1 tablet twice daily for 5 days")
	h.sees("Naproxen")
	h.sees("10 tablets, 5 days")
	h.wait(settled, "the line being read to its end")
	h.press("Ctrl+Enter")
	h.focused("Why it is prescribed all the same")
	h.sees("A serious warning: say why")
	look(h, "prescribe-serious")
	h.types("No other way before the mainland; with omeprazole, five days at most.")
	h.press("Ctrl+Enter")
	h.wait(`!document.querySelector('aside[aria-label="Prescription"]')`, "the prescription being signed")

	// What the pharmacy asks for stands on the desk; opened and approved are two acts.
	h.open("/desk")
	h.click("Under way")
	h.sees("Losartan 50 mg tablet, asked for by Harbor Street Pharmacy")
	h.effort("E22", 2, func() {
		h.click("Losartan 50 mg tablet, asked for by")
		h.sees("Approve, sign and send")
		h.press("Ctrl+Enter")
		h.eventually(func() bool {
			return p.count(t, "SELECT count(*) FROM inquiry WHERE state = 'approved'") == 1
		}, "the repeat being approved")
	})
	h.open("/desk/repeat/" + text(t, p, "SELECT id FROM inquiry WHERE origin = 'pharmacy hs-70131'"))
	h.sees("Not certain whose")
	h.sees("born 22 Jan 1955")
	h.click("It is nobody's here: refuse it")
	h.focused("Why it is refused; the pharmacy is told")
	h.press("Escape")
	require.Empty(t, h.axe())
	look(h, "repeat-nobody")
	h.click("It is theirs")
	h.sees("They write: He has two left.")
	h.sees("Prescribe otherwise")
	require.Empty(t, h.axe())
	h.press("x")
	h.focused("Medicine, how it is taken")
	h.sees("30 capsules, 30 days")
	h.wait(settled, "the line being read to its end")
	look(h, "repeat")
	h.press("Ctrl+Enter")
	h.eventually(func() bool {
		return p.count(t, "SELECT count(*) FROM inquiry WHERE state = 'approved'") == 2
	}, "the request being answered by what was prescribed")

	// The pharmacy's insurer asks, and the line is open again.
	others.Fill(number, func(s *standin.Script) { s.Status, s.Reason = "on-hold", "Prior authorization required" })
	h.open("/desk/prescription/" + text(t, p, "SELECT id FROM further_order WHERE number = '"+number+"'"))
	h.sees("prior authorization asked")
	look(h, "prescription")
	require.Empty(t, h.axe())
	h.click("Settled with the pharmacy")
	h.focused("With whom it was settled")
	h.types("Granted by telephone, number 77.")
	h.press("Enter")
	h.sees("settled with the pharmacy")
	others.Fill(number, func(s *standin.Script) { s.Status, s.Reason = "completed", "" })
	h.sees("handed out")

	h.open("/desk/asked/" + text(t, p, "SELECT id FROM inquiry WHERE kind = 'message'"))
	h.focused("What was answered")
	look(h, "message")
	h.types("Called back: acetaminophen 1 g, exercises gently, come on Monday.")
	h.press("Ctrl+Enter")
	h.eventually(func() bool { return p.count(t, "SELECT count(*) FROM inquiry WHERE state = 'answered'") == 1 }, "the message being answered")

	// By mouse.
	h.chartOf("SK-20418")
	h.click("Prescribe x")
	h.focused("Medicine, how it is taken")
	h.sees("On the list")
	look(h, "prescribe-empty")
	h.click("Renew Chlorthalidone")
	h.sees("A renewal: Chlorthalidone 12.5 mg daily stays on the list as it is.")
	h.click("Print")
	h.click("Leave Escape")
}

// What a patient wrote through the portal stands on her clinician's desk, and the answer reaches her there.
func TestAMessageThroughThePortalIsAnswered(t *testing.T) {
	others, flags := elsewhere(t)
	p := practice(t, append(flags, "--ask", "100ms")...)
	h := sit(t, p)
	h.signIn("tobias")
	h.open("/desk")
	h.click("Under way")
	h.click("The walker has not come")
	h.sees("Send this answer")
	require.Empty(t, h.axe())
	h.focused("Answer, which the patient reads")
	h.types("Come in this afternoon; no ibuprofen before that.")
	h.press("Ctrl+Enter")
	h.eventually(func() bool {
		for _, m := range others.Messages() {
			if m.Record == "SK-20344" && m.Text == "Come in this afternoon; no ibuprofen before that." {
				return true
			}
		}
		return false
	}, "the portal having the answer")
}
