package e2e

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// patientOf is the identifier of a patient by record number.
func patientOf(t testing.TB, p *program, record string) string {
	t.Helper()
	return text(t, p, "SELECT id FROM patient WHERE record = '"+record+"'")
}

// chartOf opens a chart by record number.
func (h *hand) chartOf(record string) {
	h.t.Helper()
	h.open("/patients/" + patientOf(h.t, h.p, record))
	h.sees("Open lines")
}

// TestTheWholePadByKeyboard orders three tests at one laboratory for all diagnoses, paid by the
// insurer, then one with a question, by keyboard alone.
func TestTheWholePadByKeyboard(t *testing.T) {
	p := practice(t)
	lab := laboratory(t, p, time.Hour)
	h := sit(t, p)
	h.signIn("maren")
	h.chartOf("SK-20631")
	h.effort("E9", 11, func() {
		h.press("o")
		h.focused("Add a test")
		for _, test := range []string{"ferritin", "tsh", "cbc"} {
			h.types(test)
			h.press("Enter")
		}
		h.press("Alt+a") // quicker than the lists answer: nothing chosen may get lost
		h.press("Ctrl+Enter")
		h.secret()
		h.wait(`!document.querySelector('aside[aria-label="Order"]')`, "the order being signed")
	})
	h.eventually(func() bool { return len(lab.Received()) == 1 }, "the laboratory having it")
	wire := string(lab.Received()[0])
	require.Contains(t, wire, "IN1|1|^Skerrow Mutual|", "the insurer was chosen, because the registration is complete")
	require.Contains(t, wire, "SPM|1|||SER^Serum^HL70487")
	require.Equal(t, 3, strings.Count(wire, "\rORC|NW|"))
	require.Equal(t, 3*strings.Count(strings.Split(wire, "\rORC|")[1], "DG1|"), strings.Count(wire, "DG1|"), "each test has all diagnoses")
	require.Greater(t, strings.Count(wire, "DG1|"), 3)

	h.press("o")
	h.focused("Add a test")
	h.types("inr")
	h.press("Enter")
	h.sees("Takes an anticoagulant")
	h.press("Ctrl+Enter")
	h.sees("Prothrombin time with INR asks: Takes an anticoagulant.")
	h.focused("Takes an anticoagulant, for Prothrombin time with INR")
	h.types("w") // warfarin
	h.sees("Target INR")
	h.press("Tab")
	h.types("2 to")
	require.Empty(t, h.axe())
	h.press("Ctrl+Enter")
	h.wait(`!document.querySelector('aside[aria-label="Order"]')`, "the order being signed")
	h.eventually(func() bool { return len(lab.Received()) == 2 }, "the laboratory having it")
	require.Contains(t, string(lab.Received()[1]), "OBX|2|ST|TARGET^Target INR^L||2 to 3")

	// A payer notice: Original Medicare does not pay routine examinations by law.
	h.chartOf("SK-20215")
	h.press("o")
	h.focused("Add a test")
	h.types("tsh")
	h.press("Enter")
	h.sees("? Medicare: not checked")
	h.click("Another diagnosis")
	h.focused("Diagnosis for this order")
	h.types("Z00.00")
	h.press("Enter")
	h.sees("Z00.00")
	for _, code := range []string{"M81.0", "Z00.00"} { // no longer for the one, and for the other
		eval[bool](h, fmt.Sprintf(`(document.querySelector('[aria-label^="%s "][aria-label*="justifies"]').click(), true)`, code))
	}
	h.sees("Medicare does not pay: routine examinations are not paid by law.")
	h.sees("Not the approved form: the edition at hand may be used until 31 Jan 2026")
	h.click("Option 3")
	h.press("Ctrl+Enter")
	h.sees("The patient does not want Thyroid stimulating hormone: take it off.")
	h.click("Option 1")
	look(h, "notice")
	require.Empty(t, h.axe())
	h.press("Ctrl+Enter")
	h.wait(`!document.querySelector('aside[aria-label="Order"]')`, "the order being signed")
	h.eventually(func() bool { return len(lab.Received()) == 3 }, "the laboratory having it")
	require.Contains(t, string(lab.Received()[2]), "|GY^^HCPT", "what was signed on a form that may not be used counts as none")
}

// TestAnOrderIsDrawnLaterByMouse: the physician signs, the assistant draws, the courier takes it.
func TestAnOrderIsDrawnLaterByMouse(t *testing.T) {
	p := practice(t)
	lab := laboratory(t, p, time.Hour)
	h := sit(t, p)
	h.signIn("maren")
	h.chartOf("SK-20418")
	h.click("Order o")
	h.focused("Add a test")
	offered := `[...document.querySelectorAll('aside[aria-label="Order"] button')].find((b) => b.textContent === "Urate, put on the pad")`
	h.wait(`Boolean(`+offered+`)`, "urate being offered")
	eval[bool](h, `((`+offered+`).click(), true)`)
	h.sees("Last: Urate 9.4 mg/dL")
	h.click("Drawn here later")
	h.sees("1 × gold-top tube (gel), 0.5 mL serum, refrigerated")
	h.click("Sign and send")
	h.secret()
	h.sees("to be drawn")
	require.Empty(t, lab.Received())

	m := sit(t, p)
	m.signIn("jonah")
	m.click("Specimens")
	m.wait(`document.querySelectorAll("li[data-order]").length === 2`, "both orders on the list of the drawing room")
	require.Empty(t, m.axe())
	of := `[...document.querySelectorAll("li[data-order]")].find((l) => l.innerText.includes(%q))`
	eval[bool](m, fmt.Sprintf(`([...(`+of+`).querySelectorAll("button")].find((b) => b.innerText.startsWith("Could not be drawn")).click(), true)`, "Strand"))
	m.focused("Why it could not be drawn")
	m.types("Not fasting; comes back tomorrow.")
	m.press("Enter")
	m.sees("Could not be drawn: Not fasting")
	eval[bool](m, fmt.Sprintf(`([...(`+of+`).querySelectorAll("button")].find((b) => b.innerText.startsWith("Drawn now")).click(), true)`, "Marsh-Adeyemi"))
	m.sees("Ottoline Marsh-Adeyemi: drawn, and on its way.")
	m.eventually(func() bool { return len(lab.Received()) == 1 }, "the laboratory having it")
	require.Contains(t, string(lab.Received()[0]), "|||^Whitlock^Jonah|", "by the person who drew")
	m.click("All picked up")
	m.sees("Nothing waits.")
	h.sees("received by the laboratory")
	h.open("/patients/" + patientOf(t, p, "SK-21177"))
	h.sees("It could not be drawn: Not fasting; comes back tomorrow.")
}

// TestNorthsoundGetsPaper orders a test that only the hospital does: a requisition goes by fax.
func TestNorthsoundGetsPaper(t *testing.T) {
	others, flags := elsewhere(t)
	p := practice(t, flags...)
	h := sit(t, p)
	h.signIn("maren")
	h.chartOf("SK-20418")
	h.press("o")
	h.focused("Add a test")
	h.types("joint fluid")
	h.sees("Northsound Hospital Laboratory")
	h.press("Enter")
	h.press("Ctrl+Enter")
	h.focused("Clinical details, for Joint fluid count and crystals")
	h.types("Hot first toe joint")
	h.press("Tab")
	h.types("Right first toe")
	h.press("Ctrl+Enter")
	h.secret()
	h.wait(`!document.querySelector('aside[aria-label="Order"]')`, "the order being signed")
	h.eventually(func() bool { return len(others.Faxes()) == 1 }, "the fax line having it")
	for _, f := range others.Faxes() {
		require.Equal(t, "555-0172", f.Number)
		require.True(t, strings.HasPrefix(string(f.PDF), "%PDF-"))
	}
	h.sees("received by the laboratory")
}

// TestAStandingOrderOnThePad makes four orders of one line, each for its day.
func TestAStandingOrderOnThePad(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.chartOf("SK-20418")
	h.press("o")
	h.focused("Add a test")
	h.types("urate")
	h.press("Enter")
	h.sees("Priority")
	eval[bool](h, `(document.querySelector('[aria-label="When, all of it"]').focus(), true)`)
	h.types("standing")
	h.sees("weeks from")
	h.sees("every 4 weeks until")
	h.press("Ctrl+Enter")
	h.secret()
	h.sees("standing, 7 of 7")
	require.Equal(t, 6, p.count(t, "SELECT count(*) FROM lab_order WHERE state = 'planned'"))
	require.Equal(t, 6, p.count(t, "SELECT count(*) FROM line l JOIN lab_order o ON o.id = l.subject WHERE o.state = 'planned' AND l.closed_at = ''"))
}

// TestABeginningIsLookedAtBeforeItIsSigned: letters that are no whole name are put on the pad, and not signed unseen;
// what is typed after "asks" goes to the question.
func TestABeginningIsLookedAtBeforeItIsSigned(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.chartOf("SK-20418")
	h.press("o")
	h.focused("Add a test")
	h.types("magn")
	h.press("Ctrl+Enter")
	h.sees("Magnesium is on the pad now. Look whether it is meant, then sign.")
	h.types("urinalysis")
	h.press("Ctrl+Enter")
	h.focused("How the urine was taken, for Urinalysis")
	h.types("mid")
	h.press("Ctrl+Enter")
	h.secret()
	h.wait(`!document.querySelector('aside[aria-label="Order"]')`, "the order being signed")
	require.Equal(t, "Magnesium, Urinalysis", text(t, p, "SELECT group_concat(t.name, ', ') FROM order_test t JOIN lab_order o ON o.id = t.order_id WHERE o.placer = (SELECT max(placer) FROM lab_order)"))
}

// TestALateOrderIsAskedAfter: what the laboratory never answered stands first among the orders of
// the practice, until somebody says with whom they spoke and when it is looked at again.
func TestALateOrderIsAskedAfter(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.press("Alt+w")
	h.sees("late · to be answered")
	require.Empty(t, h.axe())
	h.click("Albumin creatinine ratio in urine")
	h.click("I asked after it")
	h.focused("With whom, and what they said")
	h.types("Brinehouse, Mr. Orr: no specimen came. Drawn again on Monday.")
	h.press("Enter")
	h.sees("Maren Oduya asked after it")
	h.press("Alt+w")
	h.sees("Nothing is late.")
	h.press("3")
	h.sees("Maren Oduya asked after it, ")
	h.sees("no specimen came")

	// Asked by a message, the laboratory that plays with the demo does not know it; sent again, it does.
	laboratory(t, p, time.Hour)
	h.click("Albumin creatinine ratio in urine")
	h.click("Ask the laboratory")
	h.sees("not found there")
	look(h, "asked-after")
	require.Empty(t, h.axe())
	h.click("Send it again")
	h.sees("sent it again to Brinehouse")
	h.wait(`!document.querySelector("section[aria-label='What is awaited'] .text-carried")?.innerText.includes("Late")`, "it not being late")
	h.eventually(func() bool {
		return p.count(t, "SELECT count(*) FROM outbox WHERE control LIKE '%R4' AND state = 'accepted'") == 1
	}, "the laboratory taking it")

	// Changed: one signing cancels it there and orders anew.
	h.click("Change it")
	h.focused("Add a test")
	h.sees("in place of SK")
	look(h, "change")
	h.types("magnes")
	h.press("Enter")
	h.press("Alt+a")
	h.press("Ctrl+Enter")
	h.secret()
	h.sees("Changed: ordered anew as SK")
	h.sees("The laboratory has cancelled it.")
}
