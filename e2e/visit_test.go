package e2e

import (
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"deftledger/demo"
	"deftledger/standin"
)

// elsewhere opens the stand-ins of pharmacy network, portal, device and fax, and
// returns the flags that name them.
func elsewhere(t testing.TB) (*standin.Elsewhere, []string) {
	t.Helper()
	e := demo.Elsewhere(time.Now())
	require.NoError(t, e.Open("127.0.0.1:0"))
	t.Cleanup(e.Close)
	return e, []string{"--pharmacy", e.Base(), "--portal", e.Base(), "--device", e.Base(), "--fax", e.Base()}
}

// noteOf finds the draft of today's visit of a patient.
func noteOf(t testing.TB, p *program, family string) string {
	t.Helper()
	return text(t, p, "SELECT n.id FROM note n JOIN visit v ON v.id = n.visit_id JOIN patient p ON p.id = n.patient_id WHERE p.family = ? ORDER BY v.starts_at DESC LIMIT 1", family)
}

// visitOf opens a patient's visit of today.
func (h *hand) visitOf(name string) {
	h.t.Helper()
	h.sees(name)
	at := eval[int](h, fmt.Sprintf(`[...document.querySelectorAll("tbody tr")].findIndex((r) => r.innerText.includes(%q)) + 1`, name))
	h.press(fmt.Sprint(at))
	h.press("v")
	h.focused("subjective")
	h.press("Escape")
}

// TestFindingsInFewActs counts the flows of the review of systems and the
// examination, by keyboard.
func TestFindingsInFewActs(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Halvard Brekken")
	h.effort("E3", 6, func() {
		h.press("r")
		h.focused("Symptoms, in a line")
		h.types("cough productive 1w, fever, . -chills, -night sweats")
		h.sees("Taken out: chills")
		h.press("Enter")
		h.wait(`document.querySelector('[data-ref^="review.constitutional.fever"]')`, "the fever in the note")
	})
	h.sees("A 71-year-old man with shortness of breath. Reports fever and productive cough for one week. Denies wheezing")
	require.Equal(t, 0, p.count(t, "SELECT count(*) FROM note_finding WHERE finding = 'shortness-of-breath' AND note_id = ?",
		noteOf(t, p, "Brekken")), "what the visit is about is not denied with the rest")
	note := noteOf(t, p, "Brekken")
	state := func(finding string) string {
		return text(t, p, "SELECT state || ' ' || origin FROM note_finding WHERE note_id = ? AND finding = ?", note, finding)
	}
	require.Equal(t, "present findings", state("fever"))
	require.Equal(t, "present findings", state("cough"))
	require.Equal(t, "left out findings", state("chills"))
	require.Equal(t, "left out findings", state("night-sweats"))
	require.Equal(t, "absent rest", state("fatigue"))
	h.press("Escape")

	h.effort("E4", 9, func() {
		h.press("e")
		h.focused("Findings, in a line")
		h.types(`general, heart, abdomen, neck, lungs, wheeze both moderate, crackles left bases, "prolonged expiration when talking"`)
		h.sees("Moderate wheeze on both sides")
		h.press("Enter")
		h.wait(`document.querySelector('[data-ref="examination.lungs."]')`, "the free words in the note")
	})
	require.Equal(t, "present findings", state("wheeze"))
	h.press("Escape")
	require.Empty(t, h.axe())

	// The system of the last visit, with one finding changed.
	h.press("e")
	h.focused("Findings, in a line")
	h.click("clear")
	h.press("Escape")
	require.Empty(t, h.axe())
}

// TestEscapeLeavesAndLosesNothing leaves each panel from the field in it, in one press, and
// finds every word again: given where it is understood, kept and said to be missing where not.
func TestEscapeLeavesAndLosesNothing(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Bram Tollefsen")
	closed := func(label string) {
		t.Helper()
		h.wait(fmt.Sprintf(`!document.querySelector('section[aria-label=%[1]q], aside[aria-label=%[1]q]')`, label), label+" closed by one press")
	}
	value := func(want string) {
		t.Helper()
		h.wait(fmt.Sprintf(`document.activeElement.value === %q`, want), "the words as they were left")
	}

	h.press("e")
	h.focused("Findings, in a line")
	h.types("lungs, no flurbish")
	h.sees("Not understood: “no flurbish”")
	h.press("Escape")
	closed("Examination")
	h.sees("Typed and not entered: “lungs, no flurbish”")
	require.Equal(t, 0, p.count(t, "SELECT count(*) FROM note_finding WHERE note_id = ?", noteOf(t, p, "Tollefsen")),
		"nothing is entered by leaving")
	h.click("Go on with it")
	h.focused("Findings, in a line")
	value("lungs, no flurbish")
	h.press("Enter")
	value("no flurbish")
	h.press("Escape")
	closed("Examination")
	h.sees("Typed and not entered: “no flurbish”")

	// A question: what is no length of time is kept, what is one is the answer.
	h.press("q")
	h.focused("Since when?")
	h.types("a while")
	h.press("Escape")
	closed("Questions")
	h.sees("Typed and not entered: “a while”")
	h.press("q")
	h.focused("Since when?")
	value("a while")
	eval[bool](h, `(document.activeElement.select(), true)`)
	h.types("2 d")
	h.press("Escape")
	closed("Questions")
	h.sees("back pain for two days")
	h.seesNot("“a while”")

	h.press("l")
	h.focused("What is left to do")
	h.types("weigh him")
	h.press("Escape")
	closed("Leave the note")
	h.press("l")
	h.focused("What is left to do")
	value("weigh him")
	h.press("Escape")
	closed("Leave the note")

	// A letter: the innermost is the letter, then the list of letters.
	h.press("Alt+c")
	h.focused("Filter letters and leaflets")
	h.types("referral")
	h.press("Enter")
	h.focused("To, as it stands on the letter")
	h.types("Northsound Hospital")
	h.press("Escape")
	h.focused("Filter letters and leaflets")
	h.press("Escape")
	closed("Letters and leaflets")
	h.press("Alt+c")
	h.focused("Filter letters and leaflets")
	h.types("referral")
	h.press("Enter")
	h.focused("To, as it stands on the letter")
	value("Northsound Hospital")
	h.press("Escape")
	h.focused("Filter letters and leaflets")
	h.press("Escape")
	closed("Letters and leaflets")

	// An order: the letters of a search, and what was chosen.
	h.press("o")
	h.focused("Add a test: letters, code or LOINC")
	h.types("tsh")
	h.sees("Thyroid")
	h.press("Enter")
	h.sees("Take off")
	h.types("ferr")
	h.sees("Ferritin")
	h.press("Escape")
	closed("Order")
	h.press("o")
	h.focused("Add a test: letters, code or LOINC")
	value("ferr")
	h.sees("Left here before and not sent.")
	h.sees("Take off")
	h.press("Escape")
	closed("Order")

	// Words of a diagnosis stand under it until they are written, a drawing is drawn on.
	h.press("d")
	h.focused("Add a diagnosis")
	h.types("S39.012A")
	h.sees("initial encounter")
	h.press("Enter")
	h.sees("1 of 12 diagnoses")
	h.press("Escape")
	h.press("h")
	h.press("t")
	h.sees("not at goal")
	h.press("3")
	h.focused("Why")
	h.types("crates again")
	h.press("Escape")
	h.sees("Typed and not entered: “worse, crates again”")
	h.press("w")
	h.sees("What it shows")
	h.do(chromedp.MouseClickXY(1050, 300))
	h.press("Escape")
	closed("Drawing")

	// What was left is named before the note is signed, and leads back to where it is.
	h.press("Ctrl+Enter")
	h.sees("Begun as an order and not sent: “Thyroid stimulating hormone”")
	h.wait(`document.querySelector('section[aria-label="Closing list"]').innerText.includes("Typed and not entered: “no flurbish”")`,
		"the words in the closing list")
	h.sees("Drawn and not kept: “without a caption”")
	h.click("Drawn and not kept")
	h.sees("Left here before and not kept.")
	h.click("No drawing")
	h.seesNot("What it shows")
	h.press("Ctrl+Enter")
	h.seesNot("Drawn and not kept")
	h.click("Begun as an order")
	h.focused("Add a test: letters, code or LOINC")
	h.click("Begin anew")
	h.seesNot("Left here before and not sent.")
	require.Equal(t, 0, p.count(t,
		"SELECT count(*) FROM lab_order o JOIN visit v ON v.id = o.visit_id JOIN note n ON n.visit_id = v.id WHERE n.id = ?",
		noteOf(t, p, "Tollefsen")))
}

// TestBringForward brings a system from the last visit, changes one finding, and
// looks at what was carried one by one.
func TestBringForward(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Halvard Brekken")
	h.effort("E5", 4, func() {
		h.press("e")
		h.focused("Findings, in a line")
		h.types("<lungs, wheeze right mild")
		h.sees("as at the last visit")
		h.press("Enter")
		h.wait(`document.querySelector('[data-ref="examination.lungs.wheeze"]')`, "the wheeze in the note")
	})
	note := noteOf(t, p, "Brekken")
	require.Equal(t, 0, p.count(t, "SELECT looked FROM note_finding WHERE note_id = ? AND finding = 'diminished'", note))
	require.Equal(t, 1, p.count(t, "SELECT looked FROM note_finding WHERE note_id = ? AND finding = 'wheeze'", note))
	h.press("Escape")
	h.sees("Carried, not looked at")

	// The plan of the last visit, with what would change shown first; twice is once.
	for range 2 {
		h.press("g")
		h.focused("Filter what is beside the note")
		h.types("tiotropium")
		h.sees("Continue tiotropium")
		h.press("Enter")
		h.sees("brought in")
		h.press("Escape")
	}
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM note_carried WHERE note_id = ? AND text LIKE 'Continue tiotropium%'", note))
	require.Equal(t, "unlooked", text(t, p, "SELECT state FROM note_carried WHERE note_id = ?", note))

	// It stops the signature until looked at, one by one.
	h.press("Ctrl+Enter")
	h.sees("Before signing")
	h.sees("Carried from an earlier visit and not looked at")
	h.press("Escape")
	n := p.count(t, "SELECT count(*) FROM note_finding WHERE note_id = ? AND looked = 0", note)
	require.Greater(t, n, 0)
	for i := 0; i < 12 && eval[bool](h, `document.body.innerText.includes("Carried, not looked at")`); i++ {
		before := eval[string](h, `document.querySelector("aside .margin-note p").innerText`)
		h.press("y")
		h.wait(fmt.Sprintf(`(document.querySelector("aside .margin-note p")?.innerText ?? "") !== %q`, before), "the next sentence")
	}
	h.seesNot("Carried, not looked at")
	require.Equal(t, 0, p.count(t, "SELECT count(*) FROM note_finding WHERE note_id = ? AND looked = 0", note))
	require.Equal(t, "kept", text(t, p, "SELECT state FROM note_carried WHERE note_id = ?", note))
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

// TestIntakeHandsOverInTwoBrowsers lets the assistant prepare the visit in one
// browser while the physician sees it come in another.
func TestIntakeHandsOverInTwoBrowsers(t *testing.T) {
	e, flags := elsewhere(t)
	p := practice(t, flags...)
	jonah, maren := sit(t, p), sit(t, p)
	maren.signIn("maren")
	jonah.signIn("jonah")
	jonah.sees("Ines Quarrie")
	at := eval[int](jonah, `[...document.querySelectorAll("tbody tr")].findIndex((r) => r.innerText.includes("Ottoline")) + 1`)
	jonah.effort("E21", 16, func() {
		jonah.press(fmt.Sprint(at))
		jonah.press("i")
		jonah.sees("Done so far")
		jonah.press("r")
		jonah.focused("Reason for visit")
		jonah.types(", worse today")
		jonah.press("Alt+h")
		jonah.sees("✓ Histories")
		jonah.press("Alt+m")
		jonah.sees("✓ Medicines")
		jonah.press("Alt+a")
		jonah.sees("✓ Allergies")
		jonah.press("Alt+v")
		jonah.focused("Blood pressure")
		jonah.types("146/84")
		jonah.field("76")
		jonah.field("14")
		jonah.field("98.4 F")
		jonah.field("98")
		jonah.press("Ctrl+Enter")
		jonah.sees("visits, ")
	})
	v := text(t, p, "SELECT v.id FROM visit v JOIN patient p ON p.id = v.patient_id WHERE p.given = 'Ottoline' ORDER BY starts_at DESC LIMIT 1")
	require.Equal(t, "ready", text(t, p, "SELECT stage FROM visit WHERE id = ?", v))
	require.Contains(t, text(t, p, "SELECT reason FROM visit WHERE id = ?", v), "worse today")
	require.Equal(t, "36.9 Cel", text(t, p, "SELECT value || ' ' || unit FROM vital WHERE visit_id = ? AND entered <> ''", v))
	require.Equal(t, 10, p.count(t, "SELECT count(*) FROM statement WHERE visit_id = ? AND says = 'reviewed'", v),
		"eight lists of histories, medicines and allergies")
	// On the physician's screen without a reload.
	maren.wait(`[...document.querySelectorAll("tr")].some((r) => r.innerText.includes("Ottoline") && r.innerText.includes("worse today"))`,
		"the reason for visit")

	// The new patient's empty chart is filled from elsewhere in one act.
	jonah.press("3")
	jonah.wait(`document.activeElement.innerText === "Bram Tollefsen"`, "the third visit chosen")
	jonah.press("i")
	jonah.sees("Bram Tollefsen")
	jonah.sees("Done so far")
	require.Empty(t, jonah.axe())
	jonah.press("f")
	jonah.sees("Cyclobenzaprine")
	jonah.sees("Latex")
	jonah.click("Take in all")
	jonah.sees("decided")
	jonah.press("Alt+d")
	jonah.sees("(187.4 lb)")
	require.Equal(t, "85.0", text(t, p,
		"SELECT value FROM vital v JOIN patient p ON p.id = v.patient_id WHERE p.family = 'Tollefsen' AND v.loinc = '29463-7' AND v.struck_at = ''"))
	require.Equal(t, 1, p.count(t,
		"SELECT count(*) FROM allergy a JOIN patient p ON p.id = a.patient_id WHERE p.family = 'Tollefsen' AND substance = 'Latex'"))
	require.NoError(t, chromedp.Do(jonah.ctx, chromedp.Click(chromedp.CSS(`button[aria-label="Plot Weight"]`))))
	jonah.wait(`document.querySelector("figure canvas")`, "the plot")
	jonah.wait(`document.querySelector("figure table").innerText.includes("85.0")`, "its values for those who do not see it")
	require.Empty(t, jonah.axe())
	e.Set(func(e *standin.Elsewhere) { e.Down = true })
	jonah.do(navigate("http://" + p.http + "/visits/" + text(t, p,
		"SELECT v.id FROM visit v JOIN patient p ON p.id = v.patient_id WHERE p.family = 'Tollefsen'") + "/intake"))
	jonah.sees("Done so far")
	jonah.press("f")
	jonah.sees("does not answer; try again later")
	jonah.press("v")
	jonah.types("90")
	jonah.press("Enter")
	jonah.sees("is not a blood pressure; write it as 148/86")
	jonah.types("0/60")
	jonah.press("Enter")
	jonah.sees("cannot be")
}
