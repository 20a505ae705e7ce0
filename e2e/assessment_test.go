package e2e

import (
	"net/http"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// code adds a diagnosis by code in the note that is open.
func (h *hand) code(code, shows string) {
	h.t.Helper()
	h.press("d")
	h.focused("Add a diagnosis")
	h.types(code)
	h.sees(shows)
	h.press("Enter")
	h.wait(`[...document.querySelectorAll("ol li")].some((l) => l.innerText.includes("`+code+`"))`, code+" on the list")
}

// TestRemarksOnTheDiagnoses settles what the tabular list says of a list of diagnoses:
// a better order, one code in place of two, and two that exclude each other.
func TestRemarksOnTheDiagnoses(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Bram Tollefsen")
	h.press("Escape")
	h.code("N18.31", "stage 3a")
	h.code("I10", "Essential")
	h.sees("Hypertension with heart failure or chronic kidney disease has codes of its own")
	h.wait(`document.querySelector('[data-advice="combined"]')`, "one code in place of two")
	eval[bool](h, `(document.querySelector('[data-advice="combined"] [aria-expanded]').click(), true)`)
	h.sees("guideline I.C.9.a.1-3")
	look(h, "advice")
	require.Empty(t, h.axe())
	h.click("Use I12.9")
	h.sees("I12.9 has to stand before N18.31")
	h.click("Put them in this order")
	h.wait(`!document.querySelector('[data-advice="order"]')`, "the order settled")
	require.Equal(t, "I12.9 N18.31",
		text(t, p, "SELECT group_concat(code, ' ') FROM (SELECT code FROM note_diagnosis WHERE note_id = ? ORDER BY position)",
			noteOf(t, p, "Tollefsen")))
	h.code("R52", "Pain, unspecified")
	h.code("M25.561", "right knee")
	h.sees("R52 and M25.561 exclude each other, unless the two conditions are unrelated")
	h.click("Unrelated, because…")
	h.focused("Why both are right")
	h.types("The knee was there long before.")
	h.press("Enter")
	h.sees("The knee was there long before., Maren Oduya")
	h.wait(`!document.querySelector('[data-advice="excludes"]')`, "the remark answered")
	// A former code leads to today's, and cannot itself be used.
	h.press("d")
	h.focused("Add a diagnosis")
	h.types("274.9")
	h.sees("formerly 274.9 (ICD-9-CM), Gout, unspecified")
	h.press("Escape")
	h.press("Escape")
}

// TestWhatIsSaidOfADiagnosis says how one responds, with its recorded course, pins a
// code and finds it again without typing, and browses by area.
func TestWhatIsSaidOfADiagnosis(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("tobias")
	h.visitOf("Otto Vestergren")
	h.press("Escape")
	h.code("I10", "Essential (primary)")
	h.press("j")
	h.click("Pin")
	h.sees("Unpin")
	h.press("t")
	h.sees("not at goal")
	h.press("1")
	h.focused("Why")
	h.types("walks daily since the summer")
	eval[bool](h, `([...document.querySelectorAll('form[aria-label^="What is said"] label')].find((l) => l.innerText.includes("Blood pressure")).querySelector("input").click(), true)`)
	look(h, "saying")
	require.Empty(t, h.axe())
	h.click("Write it")
	h.sees("Improving: walks daily since the summer. Blood pressure ")
	h.press("x")
	h.wait(`!document.querySelector("ol li")`, "the list empty")
	h.press("d")
	h.focused("Add a diagnosis")
	h.sees("· pinned")
	look(h, "pins")
	require.Empty(t, h.axe())
	h.press("ArrowDown")
	h.press("Enter")
	h.sees("1 of 12 diagnoses")
	h.sees("Improving: walks daily since the summer.") // what was said comes back with it
	h.press("d")
	h.focused("Add a diagnosis")
	h.sees("Browse by area of the body")
	h.press("ArrowDown")
	h.press("ArrowDown")
	h.press("Enter")
	h.sees("Diseases of the ear and mastoid process")
	h.types("eye and adnexa")
	h.sees("Diseases of the eye and adnexa")
}

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

// TestACodeTheTextSupportsIsTakenInOneAct types an assessment and takes what it supports.
func TestACodeTheTextSupportsIsTakenInOneAct(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Bram Tollefsen")
	h.press("3")
	h.focused("assessment")
	h.types("Acute cystitis without hematuria. No pyelonephritis. Father had gout.")
	h.press("Escape")
	h.sees("Saved")
	h.wait(`document.querySelector('[data-supported="N30.00"]')`, "the code the text supports")
	look(h, "supported")
	require.Empty(t, h.axe())
	require.Equal(t, 1, eval[int](h, `document.querySelectorAll("[data-supported]").length`), "what is denied or the father's is not offered")
	h.effort("E7", 1, func() {
		h.press("=")
		h.sees("1 of 12 diagnoses")
	})
	h.wait(`!document.querySelector("[data-supported]")`, "nothing more to take")
	require.Equal(t, "N30.00", text(t, p, "SELECT code FROM note_diagnosis WHERE note_id = ?", noteOf(t, p, "Tollefsen")))
}

// TestTheLevelIsDerivedAndCharged rates the problems, says the risk, charges the level
// that follows, and hands the signed visit to billing.
func TestTheLevelIsDerivedAndCharged(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Bram Tollefsen")
	for _, w := range [][2]string{{"1", "Back pain for two days."}, {"2", "Lumbar muscles tender."}, {"3", "Strain."},
		{"4", "Heat and movement."}} {
		h.press(w[0])
		h.types(w[1])
		h.press("Escape")
	}
	h.code("S39.012A", "initial encounter")
	h.sees("Saved")
	h.press("m")
	h.sees("No level yet")
	h.sees("say of each problem what it is")
	pick := func(label, value string) {
		h.t.Helper()
		require.True(t, eval[bool](h,
			`(() => { const s = [...document.querySelectorAll('aside[aria-label="Charges"] select')].find((s) => (s.getAttribute("aria-label") || s.closest("label").innerText).startsWith("`+label+`")); const set = Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set; set.call(s, "`+value+`"); s.dispatchEvent(new Event("change", { bubbles: true })); return true })()`))
	}
	pick("What S39.012A is", "acute")
	h.sees("one acute, uncomplicated illness or injury")
	pick("Risk of management", "low")
	h.sees("Two of three elements reach low: 99203 (new patient).")
	look(h, "charges")
	require.Empty(t, h.axe())
	h.press("Ctrl+Enter")
	h.wait(`document.querySelector('[aria-label^="S39.012A"][aria-pressed="true"]')`, "the service with its diagnosis")
	h.press("Escape")
	h.press("Ctrl+Enter")
	h.secret()
	h.sees("Signed and sealed")
	h.sees("For billing:")
	got := eval[string](h, `fetch(document.querySelector('a[href$="claim.json"]').href).then((r) => r.text())`)
	require.Contains(t, got, `"resourceType": "Claim"`)
	require.Contains(t, got, `"code": "99203"`)
	require.Contains(t, eval[string](h, `fetch(document.querySelector('a[href$="claim.csv"]').href).then((r) => r.text())`), ",99203,")
}

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

// TestSignAndNextPatientInOneAct signs a note and has the next patient's before it.
func TestSignAndNextPatientInOneAct(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Bram Tollefsen")
	for _, w := range [][2]string{{"1", "Back pain for two days."}, {"2", "Lumbar muscles tender."}, {"3", "Strain."},
		{"4", "Heat and movement."}} {
		h.press(w[0])
		h.types(w[1])
		h.press("Escape")
	}
	h.code("S39.012A", "initial encounter")
	h.sees("Saved")
	h.press("Alt+n")
	h.secret()
	h.wait(`!document.querySelector("aside h1").innerText.includes("Tollefsen")`, "the next patient")
	h.focused("subjective")
	require.Equal(t, 1, p.count(t,
		"SELECT count(*) FROM note n JOIN patient p ON p.id = n.patient_id WHERE p.family = 'Tollefsen' AND n.folio > 0"))
}

// TestWhatTheChartSaysBesideTheText measures a pressure, is offered a code from the chart,
// takes it, and reads which measures the visit meets and misses, without any of it calling
// for a reading before the signature.
func TestWhatTheChartSaysBesideTheText(t *testing.T) {
	p := practice(t)
	jonah := signedIn(t, p, "jonah")
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Bram Tollefsen")
	h.sees("Measures: 0 met, 4 missed")
	visit := text(t, p, "SELECT v.id FROM visit v JOIN patient p ON p.id = v.patient_id WHERE p.family = 'Tollefsen'")
	require.NoError(t, jonah.call(http.MethodPost, "/api/visits/"+visit+"/vitals",
		map[string]any{"confirmed": true, "entries": []map[string]string{{"loinc": "85354-9", "text": "152/94"}}}, nil))
	h.sees("From the chart: Blood pressure 152/94 mmHg")
	h.sees("no hypertension is recorded")
	h.sees("Measures: 1 met, 3 missed") // taken at the assistant's desk, seen here
	h.click("Measures: 1 met")
	h.sees("CMS22, 2026")
	h.sees("tobacco not asked within a year")
	look(h, "chart-evidence")
	require.Empty(t, h.axe())
	h.press("Escape")
	h.effort("E7", 1, func() {
		h.press("=")
		h.wait(`[...document.querySelectorAll("ol li")].some((l) => l.innerText.includes("R03.0"))`, "the code on the list")
	})
	h.seesNot("From the chart: Blood pressure")
	for _, w := range [][2]string{{"1", "Checked at the harbor."}, {"2", "Well."}, {"3", "To be measured again."},
		{"4", "Back with a list."}} {
		h.press(w[0])
		h.types(w[1])
		h.press("Escape")
	}
	h.sees("Saved")
	h.press("Ctrl+Enter")
	h.secret()
	h.sees("Signed and sealed") // the measures are no reason to stop
}

// TestTheClosingListShowsTheMeasures opens the closing list for another reason and reads
// the measures there.
func TestTheClosingListShowsTheMeasures(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Bram Tollefsen")
	h.press("Ctrl+Enter")
	h.sees("Before signing")
	h.sees("settle this first")
	h.wait(`document.querySelector('section[aria-label="Closing list"] details[open]')?.innerText.includes("Medicine list looked through")`,
		"the measures in the closing list")
	look(h, "closing-measures")
	require.Empty(t, h.axe())
	h.press("Escape")
	h.wait(`!document.querySelector('section[aria-label="Closing list"]')`, "the list put away")
}

// TestTheWindowThatMadeAChangeDoesNotReadItAgain changes a note in one window: its answers
// say how the note reads then; the other window reads it anew.
func TestTheWindowThatMadeAChangeDoesNotReadItAgain(t *testing.T) {
	p := practice(t)
	h, other := sit(t, p), sit(t, p)
	for _, w := range []*hand{h, other} {
		w.signIn("maren")
		w.visitOf("Bram Tollefsen")
		w.press("Escape")
	}
	reads := func(w *hand) int {
		return eval[int](w, `performance.getEntriesByType("resource").filter((e) => /\/api\/notes\/[^/]+$/.test(e.name)).length`)
	}
	mine, theirs := reads(h), reads(other)
	h.code("I10", "Essential")
	h.code("E11.9", "without complications")
	h.press("x")
	h.wait(`![...document.querySelectorAll("ol li")].some((l) => l.innerText.includes("E11.9"))`, "E11.9 off the list")
	other.wait(`[...document.querySelectorAll("ol li")].some((l) => l.innerText.includes("I10"))`, "the diagnosis in the other window")
	other.wait(`![...document.querySelectorAll("ol li")].some((l) => l.innerText.includes("E11.9"))`, "and the other one gone")
	require.Greater(t, reads(other), theirs)
	require.Equal(t, mine, reads(h), "what was answered is not asked again")
}
