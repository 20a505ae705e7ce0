package e2e

import (
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"
)

// openSigning gives the secret once, as it is given in the course of a morning: signing is open on this device after that.
func (h *hand) openSigning() {
	h.t.Helper()
	h.open("/desk/report/" + text(h.t, h.p, "SELECT r.id FROM report r JOIN patient p ON p.id = r.patient_id WHERE p.family = 'Roe' AND r.signed_issue = 0"))
	h.focused("In the chart")
	h.press("Alt+t")
	h.press("Ctrl+Enter")
	h.secret()
	h.wait(`!location.pathname.includes("/report/")`, "the next line")
}

// settles gives a decision on a packet, and waits until the next one stands there.
func (h *hand) settles(name string) {
	h.t.Helper()
	h.press("Ctrl+Enter")
	h.wait(`!document.querySelector("main h1")?.innerText.includes("`+name+`")`, "the next packet")
}

// packetOf opens the packet of a patient from the list.
func (h *hand) packetOf(name string) {
	h.t.Helper()
	h.open("/desk")
	h.focused("In the chart")
	h.click(name)
	h.wait(`location.pathname.includes("/packet/") && document.querySelector("main h1").innerText.includes("`+name+`")`, "the packet")
	h.focused("In the chart")
}

// A packet of three is signed with one comment, and the patient told through the portal with a letter that wrote itself.
func TestAPacketIsSignedAndTold(t *testing.T) {
	e, flags := elsewhere(t)
	p := practice(t, flags...)
	h := sit(t, p)
	h.signIn("maren")
	h.openSigning()
	h.packetOf("Dagny Ellingsund")
	h.types("Left for now.")
	h.press("Ctrl+ArrowDown") // while writing; what was written is found again
	h.wait(`document.querySelector("main h1").innerText.includes("Ottoline")`, "the next packet")
	h.press("Ctrl+ArrowUp")
	h.wait(`document.querySelector("main h1").innerText.includes("Dagny") && document.querySelector('aside[aria-label="Review"] textarea').value === "Left for now."`, "what was left")
	h.packetOf("Ottoline Marsh-Adeyemi")
	h.sees("all 9 in range")
	h.press("Alt+k")
	h.sees("Hemoglobin")
	h.press("Alt+ArrowDown")
	h.wait(`document.querySelector('figure[aria-label="Glucose over time"] svg')`, "the plot of the first value")
	h.press("Alt+ArrowDown")
	h.wait(`document.querySelector('figure[aria-label="Sodium over time"] svg')`, "the plot of the next")
	h.press("Alt+k")
	require.Empty(t, h.axe())
	h.effort("E12", 4, func() {
		h.types("Urate clearly up, filtration drifting down.")
		h.press("Alt+p")
		h.sees("Reads at grade")
		h.settles("Ottoline")
	})
	require.Equal(t, 3, p.count(t, "SELECT count(*) FROM review WHERE comment LIKE 'Urate clearly up%' AND told = 'portal'"))
	h.eventually(func() bool {
		return p.count(t, "SELECT count(*) FROM line WHERE kind = 'message' AND closed_at = ''") == 0
	}, "the portal taking it")
	for _, m := range e.Messages() {
		require.Contains(t, m.Text, "Urate: 9.4 mg/dL (the laboratory's range is 2.4-5.7), which is above the range.")
		require.Contains(t, m.Text, "All 9 values are in the laboratory's range.")
	}
	// Something is out of range: that she reads it is waited for.
	h.open("/desk/tell/" + text(t, p, "SELECT id FROM inquiry WHERE kind = 'telling'"))
	h.sees("message through the portal")
	h.sees("not all of it is in range")
	require.Empty(t, h.axe())
}

// A letter from a packet with two in range and one out of it: one choice a report.
func TestALetterFromAPacket(t *testing.T) {
	_, flags := elsewhere(t)
	p := practice(t, flags...)
	h := sit(t, p)
	h.signIn("maren")
	h.openSigning()
	h.packetOf("Ottoline Marsh-Adeyemi")
	h.effort("E15", 6, func() {
		h.press("Alt+p")
		h.wait(`document.activeElement.closest('fieldset[aria-label^="Basic metabolic panel"]')`, "the first choice")
		h.press("f")
		h.press("f")
		h.press("g")
		h.focused("To the patient")
		h.settles("Ottoline")
	})
	said := text(t, p, "SELECT text FROM message")
	require.Contains(t, said, "Something has changed, and we should talk about it.")
	require.Contains(t, said, "This is good news.")
	// By letter, it waits until somebody says that it was posted.
	h.packetOf("Dagny Ellingsund")
	h.press("Alt+e")
	h.settles("Dagny")
	h.open("/desk/tell/" + text(t, p, "SELECT id FROM inquiry WHERE said LIKE '%\"letter\"%'"))
	h.sees("Print the letter")
	h.click("The letter was posted")
	h.eventually(func() bool { return p.count(t, "SELECT count(*) FROM inquiry WHERE answer = 'posted'") == 1 }, "the letter told")
}

// One of a packet is handed to the assistant, who says what was done; it comes back and is signed.
func TestOneOfAPacketIsHandedOver(t *testing.T) {
	_, flags := elsewhere(t)
	p := practice(t, flags...)
	h := sit(t, p)
	h.signIn("maren")
	h.openSigning()
	h.packetOf("Ottoline Marsh-Adeyemi")
	h.effort("E13", 7, func() {
		h.types("Urate clearly up.")
		h.press("Alt+p")
		h.press("Alt+o")
		h.wait(`document.activeElement.closest('fieldset[aria-label="Which report"]')`, "which report")
		h.press("2")
		h.focused("What is to be done")
		h.types("Ask whether she takes the allopurinol daily.")
		h.press("Enter")
		h.sees("Handed to Jonah Whitlock")
		h.press("Ctrl+Enter")
		h.sees("Urate, final, handed over")
	})
	require.Equal(t, 2, p.count(t, "SELECT count(*) FROM review WHERE comment = 'Urate clearly up.'"))
	j := sit(t, p)
	j.signIn("jonah")
	j.open("/desk")
	j.sees("Urate: Ask whether she takes the allopurinol daily.")
	j.focused("What was done")
	require.Empty(t, j.axe())
	j.types("She takes it every second day.")
	j.press("Ctrl+Enter")
	j.seesNot("Urate: Ask whether")
	h.packetOf("Ottoline Marsh-Adeyemi")
	h.sees("Jonah Whitlock did it")
	h.sees("She takes it every second day.")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM line WHERE kind = 'report' AND state = 'open' AND subject = (SELECT said ->> '$.report' FROM inquiry WHERE kind = 'hand-over')"))
}

// The list is narrowed as one types, and shows a row a report where somebody prefers that.
func TestTheListOfResultsIsNarrowed(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.open("/desk")
	h.focused("In the chart")
	h.press("Alt+r")
	h.focused("Words: patient")
	h.types("thyroid")
	h.wait(`document.querySelectorAll("section[aria-label='Open lines'] li a").length === 2`, "two rows")
	h.sees("2 found")
	h.press("Escape")
	h.wait(`document.querySelectorAll("section[aria-label='Open lines'] li a").length > 7`, "all of them again")
	rows := eval[int](h, `document.querySelectorAll("section[aria-label='Open lines'] li a").length`)
	h.press("Alt+r")
	h.click("a row for each report")
	h.wait(`document.querySelectorAll("section[aria-label='Open lines'] li a").length > `+strconv.Itoa(rows), "a row each")
	require.Equal(t, 1, p.count(t, "SELECT each_report FROM desk_choice"))
	require.Empty(t, h.axe())
}

// A critical value stands above every screen of whoever may take it up, until one of them does; it is told, kept, and signed. Then
// the rest of a morning: each patient's packet with its comment.
func TestAMorningsResultsWithACriticalOne(t *testing.T) {
	_, flags := elsewhere(t)
	p := practice(t, flags...)
	h, other := sit(t, p), sit(t, p)
	other.signIn("tobias")
	other.sees("Critical: Leocadia Varga, Potassium 6.4 mmol/L HH") // nobody took it up in time
	h.signIn("maren")
	h.sees("Critical: Leocadia Varga, Potassium 6.4 mmol/L HH")
	require.Empty(t, h.axe())
	look(h, "critical")
	j := sit(t, p)
	j.signIn("jonah")
	j.seesNot("Critical:")
	h.openSigning() // as it is in the course of a morning
	reports := p.count(t, "SELECT count(*) FROM line WHERE kind = 'report' AND closed_at = '' AND owner_id = (SELECT id FROM staff WHERE login = 'maren')")
	h.effort("E14", 30, func() {
		h.press("Alt+.")
		h.wait(`document.querySelector("main h1")?.innerText.includes("Leocadia") && !document.querySelector('section[aria-label="Critical value"]')`, "the critical report")
		h.focused("In the chart")
		other.seesNot("Critical:") // somebody has it
		h.types("Told to come to the hospital at once.")
		h.press("Alt+z")
		h.press("Alt+s")
		h.wait(`document.querySelector('section[aria-label="Who was told of the critical value"]').innerText.includes("contact Leocadia Varga, telephone, read back")`, "the contact kept")
		h.press("Alt+t")
		h.press("Ctrl+Enter")
		h.wait(`!location.pathname.includes("/report/")`, "the next")
		h.sees("Who may be meant") // what is not certain comes first, and is gone past
		h.press("ArrowDown")
		for _, name := range []string{"Ines", "Halvard", "Dagny", "Ottoline", "Rosamund", "Wilhelmina"} {
			h.wait(`document.querySelector("main h1")?.innerText.includes("`+name+`")`, name)
			h.focused("In the chart")
			at := eval[string](h, `location.pathname`)
			h.types("Seen.")
			h.press("Alt+t")
			h.press("Ctrl+Enter")
			h.wait(`location.pathname !== "`+at+`" || document.querySelector('main').innerText.includes("waits here")`, "the next packet")
		}
	})
	left := p.count(t, "SELECT count(*) FROM line WHERE kind = 'report' AND closed_at = '' AND owner_id = (SELECT id FROM staff WHERE login = 'maren')")
	t.Logf("%d reports before, %d after", reports, left)
	require.Less(t, left, 2, "only what is preliminary waits")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM inquiry_event WHERE kind = 'contact'"))
}

// Reports that are no list of numbers: a film with its impression first and what an addendum changed, a culture with its
// susceptibilities, and a PDF that opens within the page.
func TestReportsThatAreNoNumbers(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.packetOf("Halvard")
	film := `document.querySelector('section[aria-label="Chest film, two views"]')`
	require.Contains(t, eval[string](h, film+`.querySelector("section h3").innerText`), "Impression", "what concludes comes first")
	require.Contains(t, eval[string](h, film+`.querySelector("section del").innerText`), "No acute change")
	require.Contains(t, eval[string](h, film+`.querySelector("section ins").innerText`), "Nodule in the right upper lobe, 7 mm")
	h.sees("new in this issue")
	// Whatever is brought into view, the bars stay where they are.
	eval[string](h, `(() => { [...document.querySelectorAll("main section")].at(-1).scrollIntoView(); return "" })()`)
	require.Zero(t, eval[int](h, `Math.round(document.querySelector("header").getBoundingClientRect().top)`))
	h.click("Read it here")
	h.wait(`document.querySelector('iframe[title="Report with curves"]')`, "the PDF")
	sum := eval[string](h, `(async () => { const r = await fetch(document.querySelector("iframe").src); return r.headers.get("content-type") + " " + (await r.text()).slice(0, 5) })()`)
	require.Equal(t, "application/pdf %PDF-", sum)
	require.Empty(t, h.axe())
	h.packetOf("Dagny")
	susceptibility := eval[string](h, `document.querySelector('section[aria-label="Susceptibility"]').innerText.replace(/\s+/g, " ")`)
	require.Contains(t, susceptibility, "Medicine 1 Escherichia coli Ampicillin R resistant · >=32 mcg/mL")
	require.Contains(t, susceptibility, "Nitrofurantoin S susceptible")
	require.NotContains(t, susceptibility, "Fosfomycin", "of which nothing is said yet")
	h.sees("Fosfomycin")
}

// Over the years: analytes down, days across, by keyboard; narrowed as typed; as plots on one axis; what is written below.
func TestResultsOverTheYears(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.open("/patients/" + text(t, p, "SELECT id FROM patient WHERE family = 'Marsh-Adeyemi'"))
	h.sees("Open lines")
	h.press("y")
	h.focused("Filter: analyte, panel or words of a report")
	h.types("urate")
	h.wait(`document.querySelectorAll('table tbody tr').length === 2`, "urate alone")
	require.Equal(t, "9.4|7.1|6.8", eval[string](h, `[...document.querySelectorAll("table tbody td a")].map((a) => a.innerText.replace(/[^\d.]/g, "")).join("|")`))
	require.Empty(t, h.axe())
	h.press("Alt+p")
	h.sees("mg/dL · 2.4-5.7")
	require.Contains(t, eval[string](h, `document.querySelector('figure[aria-label="Urate over time"] title').textContent`), "6.8")
	require.Empty(t, h.axe())
	h.press("Alt+p")
	h.press("Ctrl+ArrowRight") // to the value before
	h.wait(`document.getElementById("at-value")?.innerText.includes("7.1")`, "the value before")
	h.press("Enter")
	h.wait(`location.pathname.includes("/desk/report/")`, "the report itself")
	h.sees("Urate")
	h.open("/patients/" + text(t, p, "SELECT id FROM patient WHERE family = 'Brekken'") + "/results")
	h.sees("Reports in words")
	h.sees("Nodule in the right upper lobe, 7 mm")
}

// Reports of two patients are gathered and go on paper as one batch with a cover list; the batch is found again and repeated.
// Nothing is closed by it.
func TestABatchOnPaper(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.packetOf("Halvard")
	waiting := p.count(t, "SELECT count(*) FROM line WHERE closed_at = ''")
	h.press("Alt+g")
	h.sees("Gathered for printing: take out")
	h.click("Dagny")
	h.wait(`document.querySelector("main h1").innerText.includes("Dagny")`, "her packet")
	h.press("Alt+g")
	h.wait(`document.querySelector('nav[aria-label="Screens"]').innerText.replace(/\s+/g, " ").includes("To print 8")`, "eight gathered")
	h.click("To print")
	h.sees("Make a batch of 8")
	require.Empty(t, h.axe())
	h.press("Ctrl+Enter")
	h.wait(`document.activeElement?.innerText === "Print (PDF)"`, "the batch, ready to be printed")
	require.Empty(t, h.axe())
	look(h, "batch")
	get := `(async () => { const r = await fetch([...document.querySelectorAll("a")].find((a) => a.innerText.includes("PDF")).href); return r.headers.get("content-type") + " " + (await r.text()).slice(0, 5) })()`
	require.Equal(t, "application/pdf %PDF-", eval[string](h, get))
	h.open("/printing")
	h.sees("8 reports of 2 patients")
	h.sees("by Maren Oduya")
	h.click(eval[string](h, `document.querySelector('section[aria-label="Earlier batches"] li button').innerText`))
	h.wait(`document.activeElement?.innerText === "Print it again (PDF)"`, "the same batch again")
	require.Equal(t, "application/pdf %PDF-", eval[string](h, get))
	require.Equal(t, 2, p.count(t, "SELECT count(*) FROM print_event"))
	require.Equal(t, waiting, p.count(t, "SELECT count(*) FROM line WHERE closed_at = ''"), "printing closes nothing")
	h.open("/loop") // and none is lost
	h.sees("tests is lost: each was told, is cancelled with a reason, or is on somebody's desk")
	h.sees("Without any answer")
	require.Empty(t, h.axe())
}

// Whom a held message names is registered from it: what came stands in the form, and who is like it is shown first.
func TestSomebodyNewFromWhatIsHeld(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.open("/desk")
	h.click("No certain patient")
	h.sees("Who may be meant")
	h.click("Register whom it names as somebody new")
	h.wait(`[...document.querySelectorAll("main input")].some((i) => i.value === "Drummond Iyer")`, "the family name as it came")
	h.sees("The same person?")
}

// What an order will bring is held back from the portal, for a reason and until a day; it is an open line, and is released by somebody.
func TestResultsHeldBackFromThePortal(t *testing.T) {
	_, flags := elsewhere(t)
	p := practice(t, flags...)
	h := sit(t, p)
	h.signIn("maren")
	h.open("/desk/order/" + text(t, p, "SELECT o.id FROM lab_order o JOIN patient p ON p.id = o.patient_id JOIN order_test t ON t.order_id = o.id WHERE p.family = 'Ellingsund' AND t.code = 'UACR'"))
	h.click("Hold its results back from the portal…")
	h.focused("What of this patient makes it so")
	h.types("She asked to hear it from us first.")
	h.wait(`document.querySelectorAll("select option").length === 4`, "the reasons the law knows")
	eval[string](h, `(() => { const s = document.querySelector("select"); Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(s, "wish"); s.dispatchEvent(new Event("change", { bubbles: true }));
		const d = document.querySelector('input[type="date"]'); Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(d, "2099-01-01"); d.dispatchEvent(new Event("input", { bubbles: true })); return "" })()`)
	require.Empty(t, h.axe())
	look(h, "holding")
	h.click("Hold back")
	id := ""
	h.eventually(func() bool {
		id = text(t, p, "SELECT coalesce((SELECT id FROM inquiry WHERE kind = 'held back' AND state = 'open'), '')")
		return id != ""
	}, "the hold kept")
	h.open("/desk/hold/" + id)
	h.sees("The patient asked for it not to be shared")
	h.sees("She asked to hear it from us first.")
	require.Empty(t, h.axe())
	look(h, "hold")
	h.click("Release it now")
	h.eventually(func() bool {
		return p.count(t, "SELECT count(*) FROM inquiry WHERE kind = 'held back' AND state = 'released'") == 1
	}, "released")
	h.packetOf("Dagny")
	h.wait(`document.querySelector('section[aria-label="The portal"]')`, "how her reports stand with the portal")
	look(h, "portal")
}
