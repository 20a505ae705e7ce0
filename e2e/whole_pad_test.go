package e2e

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/standin"
)

// chooses one of a list by its keys: the list is focused, and the letters typed.
func (h *hand) chooses(label, word string) {
	h.t.Helper()
	h.wait(fmt.Sprintf(`(() => { const f = document.querySelector('select[aria-label=%q]'); f?.focus(); return f && document.activeElement === f && [...f.options].some((o) => o.text === %q); })()`, label, word), label)
	h.types(word)
	h.wait(fmt.Sprintf(`document.querySelector('select[aria-label=%q]').selectedOptions[0].text === %q`, label, word), word)
}

// One pad: a test, imaging, a medicine and a referral in one signing, by keys; a picture with a
// serious warning stopped until somebody says why; a supply by mouse, closed when the patient has it.
func TestOnePadForEverything(t *testing.T) {
	others, flags := elsewhere(t)
	p := practice(t, append(flags, "--ask", "100ms")...)
	h := sit(t, p)
	h.signIn("maren")
	h.chartOf("SK-20418")
	h.press("o")
	h.focused("Add a test, imaging")
	h.types("urate")
	h.sees("Urate")
	h.press("Enter")
	h.focused("Add a test, imaging")
	h.types("kidny us")
	h.sees("Ultrasound, kidneys and bladder")
	look(h, "pad-search")
	h.press("Enter")
	h.sees("Ferrygate Imaging")
	h.named("What Ultrasound, kidneys and bladder is to answer, required")
	h.types("Size? Obstruction?")
	h.press("Alt+m")
	h.focused("Medicine, how it is taken")
	h.types("colchicine 0.6 mg tablet 1 tablet daily for 5 days")
	h.sees("5 tablets, 5 days, no refills")
	h.wait(settled, "the line being read to its end")
	h.press("Alt+g")
	h.sees("3 items, one signature")
	h.press("Alt+r")
	h.focused("To whom")
	h.types("kidney")
	h.sees("Dr. Sorrel Tak")
	h.press("Enter")
	h.focused("Question")
	h.types("Drift from 54 to 46: change of treatment?")
	h.press("Alt+g")
	h.sees("4 items, one signature")
	h.sees("Drift from 54 to 46")
	require.Empty(t, h.axe())
	look(h, "pad-whole")
	h.press("Ctrl+Enter")
	h.secret()
	h.wait(`!document.querySelector('aside[aria-label="Order"]')`, "the pad being signed")
	require.Equal(t, "1 1 2", text(t, p, "SELECT (SELECT count(*) FROM lab_order WHERE patient_id = (SELECT id FROM patient WHERE record = 'SK-20418') AND signed_at > datetime('now', '-1 hour')) || ' ' || "+
		"(SELECT count(*) FROM further_order WHERE kind = 'prescription' AND detail LIKE '%colchicine%') || ' ' || "+
		"(SELECT count(*) FROM further_order WHERE kind = 'referral' AND (detail LIKE '%us-kidney%' OR detail LIKE '%Drift from 54%'))"))
	number := text(t, p, "SELECT number FROM further_order WHERE detail LIKE '%us-kidney%'")
	h.eventually(func() bool { return others.Referrals()[number].Item == "Ultrasound, kidneys and bladder" }, "the imaging practice having it")

	// A pacemaker and a magnet: it is stopped, and signed with why.
	h.press("o")
	h.focused("Add a test, imaging")
	h.types("mri l-spine")
	h.sees("MRI, lumbar spine")
	h.press("Enter")
	h.named("What MRI, lumbar spine is to answer, required")
	h.types("Nerve root?")
	h.press("Ctrl+Enter")
	h.sees("MRI, lumbar spine asks: Contrast")
	h.chooses("Contrast, for MRI, lumbar spine, required", "without")
	h.chooses("Pacemaker, implant, clip or metal in the body, for MRI, lumbar spine, required", "yes")
	h.sees("the magnet may move, heat or stop it")
	h.named("Which, and since when, for MRI, lumbar spine, required")
	h.types("pacemaker, 2019")
	h.press("Ctrl+Enter")
	h.sees("A serious warning: say why MRI, lumbar spine is ordered all the same")
	look(h, "pad-serious")
	h.types("MR conditional by its card.")
	h.press("Ctrl+Enter")
	h.wait(`!document.querySelector('aside[aria-label="Order"]')`, "the picture being ordered")

	// A supply, by mouse.
	h.click("Order o")
	h.focused("Add a test, imaging")
	h.types("rollator")
	h.click("Walker")
	h.sees("Quayside Home Care")
	h.named("Needed for how many months (99: for life), for Walker, required")
	h.types("99")
	h.click("Sign and send")
	h.wait(`!document.querySelector('aside[aria-label="Order"]')`, "the supply being ordered")
	h.open("/patients/" + patientOf(t, p, "SK-20418") + "/orders")
	h.sees("Imaging, procedures, supplies, referrals")
	look(h, "orders-all-kinds")
	h.open("/orders")
	h.sees("Orders whose next event is overdue")
	h.press("2")
	h.press("f")
	h.focused("Filter")
	h.types("ottoline")
	h.wait(`[...document.querySelectorAll("tbody tr")].length > 0 && [...document.querySelectorAll("tbody tr")].every((r) => r.innerText.includes("Ottoline"))`, "only hers")
	look(h, "orders-of-practice")
	require.Empty(t, h.axe())
	h.open("/patients/" + patientOf(t, p, "SK-20418") + "/orders")
	h.click("Walker")
	h.sees("supply at Quayside Home Care")
	h.click("The patient has it")
	h.click("Keep it")
	h.wait(`document.body.innerText.includes("the patient has it")`, "the supply being settled")
	// A vaccine stands in the list of those who give it.
	h.chartOf("SK-20418")
	h.press("o")
	h.focused("Add a test, imaging")
	h.types("tdap")
	h.press("Ctrl+Enter")
	h.wait(`!document.querySelector('aside[aria-label="Order"]')`, "the vaccine being ordered")
	h.open("/specimens")
	h.sees("To be given here")
	h.sees("Tdap")
	look(h, "given-here")
	h.click("Open")
	h.sees("vaccine, given here")
	h.click("It was given")
	h.click("Keep it")
	h.sees("It is not recorded that it was given")
	others.Tell(number, func(s *standin.Sent) {
		s.Status, s.Business, s.Report = "completed", "", "Impression: Kidneys of usual size, no obstruction."
	})
	h.open("/desk/referral/" + text(t, p, "SELECT id FROM further_order WHERE number = '"+number+"'"))
	h.sees("no obstruction")
	look(h, "imaging-report")
}

// A nurse takes an order down by telephone and reads it back; it goes out, and its author signs it
// as theirs, or gives it back.
func TestAnOrderByTelephone(t *testing.T) {
	p := practice(t)
	petra := sit(t, p)
	petra.signIn("petra")
	petra.chartOf("SK-20562")
	take := func(letters, name string) {
		petra.press("o")
		petra.focused("Add a test, imaging")
		petra.types(letters)
		petra.sees(name)
		petra.press("Enter")
		petra.click("Given to me now")
		petra.click("Sign as taken, and send")
		petra.sees("Say who gives the order.")
		petra.chooses("Who gives it", "Maren Oduya")
		petra.click("Sign as taken, and send")
		petra.sees("Read it back to whoever gives it")
		petra.click("I read it back")
		look(petra, "telephone-pad")
		petra.click("Sign as taken, and send")
		if name == "Potassium" {
			petra.secret()
		}
		petra.wait(`!document.querySelector('aside[aria-label="Order"]')`, "the order being taken")
	}
	take("potassium", "Potassium")
	take("sodium", "Sodium")
	maren := sit(t, p)
	maren.signIn("maren")
	maren.open("/desk")
	maren.click("Under way")
	maren.click("Potassium, taken down by Petra Vance")
	maren.sees("Ordered by telephone by Maren Oduya")
	require.Empty(t, maren.axe())
	look(maren, "telephone")
	maren.press("Ctrl+Enter")
	maren.secret()
	maren.eventually(func() bool {
		return text(t, p, "SELECT count(*) FROM ledger_entry WHERE kind = 'order by telephone'") == "1"
	}, "the author's signature")
	maren.open("/desk/telephone/" + text(t, p, "SELECT id FROM inquiry WHERE kind = 'telephone order' AND state = 'open'"))
	maren.click("I did not give it so")
	maren.focused("What is wrong with it")
	maren.types("Potassium only.")
	maren.press("Enter")
	petra.open("/desk")
	petra.click("Under way")
	petra.click("did not give this so")
	petra.click("Say what was done")
	petra.focused("What was done about it")
	petra.types("Cancelled by Dr. Oduya; the laboratory knows.")
	petra.press("Enter")
	petra.eventually(func() bool {
		return text(t, p, "SELECT count(*) FROM inquiry WHERE kind = 'disputed order' AND state = 'done'") == "1"
	}, "what was done being kept")
}
