package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestASetFillsThePlan applies a set: no medicine is chosen beforehand, the
// tests become an order to sign, and the follow-up waits at the front desk.
func TestASetFillsThePlan(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Ottoline Marsh-Adeyemi")
	h.code("M10.071", "Idiopathic gout, right ankle and foot")
	h.press("v")
	h.focused("Filter the sets")
	h.sees("for a diagnosis of this visit")
	h.types("gout")
	h.press("Enter")
	h.sees("American College of Rheumatology, 2020")
	look(h, "sets")
	require.Empty(t, h.axe())
	eval[bool](h, `([...document.querySelectorAll('aside[aria-label="Sets"] label')].find((l) => l.innerText.includes("Colchicine")).click(), true)`)
	h.press("Ctrl+Enter")
	h.wait(`document.querySelector('section[aria-label="plan"]').innerText.includes("Colchicine 1.2 mg")`, "the words in the plan")
	h.sees("Order for Maren to sign")
	h.sees("Comes back in 2 weeks")
	require.False(t, eval[bool](h, `document.querySelector('section[aria-label="plan"]').innerText.includes("Prednisone")`),
		"what was left out is not there")
	h.press("s")
	h.secret()
	h.wait(`document.body.innerText.includes("Urate") && !document.body.innerText.includes("Order for Maren to sign")`, "the order signed")
}

// TestThePlanBecomesASet keeps a plan as a set, joins two diagnoses under one bullet,
// and says since when a problem is known.
func TestThePlanBecomesASet(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Bram Tollefsen")
	h.code("M54.50", "Low back pain")
	h.code("K21.9", "reflux")
	h.press(".")
	h.wait(`document.querySelector('[title="Under one bullet with the one before it"]')`, "the two joined")
	h.press("b")
	h.sees("on problem list")
	h.press("Alt+b")
	h.focused("Known since")
	h.types("2031")
	h.press("Enter")
	h.sees("that day is still ahead")
	eval[bool](h, `(document.activeElement.select(), true)`)
	h.types("2021")
	h.press("Enter")
	h.sees("on problem list since 2021")
	look(h, "joined")
	h.press("4")
	h.focused("plan")
	h.types("Omeprazole 20 mg daily. Heat. Walk daily.")
	h.press("Escape")
	h.sees("Saved")
	h.press("v")
	h.focused("Filter the sets")
	h.press("Alt+k")
	h.focused("Title")
	h.sees("Omeprazole 20 mg daily.")
	look(h, "keep-plan")
	require.Empty(t, h.axe())
	h.types("Back and stomach")
	h.press("Ctrl+Enter")
	h.sees("Back and stomach · mine")
	look(h, "sets-mine")
	h.press("Escape")
	h.press("Alt+f")
	h.sees("Choose a form")
	h.click("My sets")
	h.wait(`document.querySelector("textarea")?.value.includes("back-and-stomach")`, "the set in the form")
	look(h, "form-sets")
	require.Empty(t, h.axe())
}
