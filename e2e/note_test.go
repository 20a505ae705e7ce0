package e2e

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

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
	h.press("Delete")
	h.wait(`![...document.querySelectorAll("ol li")].some((l) => l.innerText.includes("E11.9"))`, "E11.9 off the list")
	other.wait(`[...document.querySelectorAll("ol li")].some((l) => l.innerText.includes("I10"))`, "the diagnosis in the other window")
	other.wait(`![...document.querySelectorAll("ol li")].some((l) => l.innerText.includes("E11.9"))`, "and the other one gone")
	require.Greater(t, reads(other), theirs)
	require.Equal(t, mine, reads(h), "what was answered is not asked again")
}

// TestTwoWriters puts two people into one part of one note: each is told of the
// other, the later save is refused, and both texts stand side by side.
func TestTwoWriters(t *testing.T) {
	p := practice(t)
	a, b := sit(t, p), sit(t, p)
	a.signIn("maren")
	b.signIn("tobias")
	for _, h := range []*hand{a, b} {
		h.startThird()
	}
	a.sees("Tobias Lindqvist-Rao has this note open too")
	b.sees("Maren Oduya has this note open too")
	b.types("From Tobias.")
	a.types("From Maren.")
	two := "Both texts are kept; choose what the note says."
	deadline := time.Now().Add(10 * time.Second)
	loser, winner := a, b
	for !eval[bool](a, fmt.Sprintf("document.body.innerText.includes(%q)", two)) {
		if eval[bool](b, fmt.Sprintf("document.body.innerText.includes(%q)", two)) {
			loser, winner = b, a
			break
		}
		require.True(t, time.Now().Before(deadline), "nobody was told of two versions")
	}
	loser.sees("From Tobias.")
	loser.sees("From Maren.")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM note_conflict WHERE settled_at = ''"), "the refused text is kept on the server too")
	loser.click("Both, one after the other")
	saved := "SELECT text FROM note_part p JOIN note n ON n.id = p.note_id JOIN patient x ON x.id = n.patient_id WHERE x.family = 'Tollefsen' AND part = 'subjective'"
	require.Eventually(t, func() bool {
		s := text(t, p, saved)
		return strings.Contains(s, "From Tobias.") && strings.Contains(s, "From Maren.")
	}, 10*time.Second, 50*time.Millisecond)
	winner.wait(`document.querySelector(".cm-content").innerText.includes("From Maren.") && document.querySelector(".cm-content").innerText.includes("From Tobias.")`, "the joined text on the other screen")
	require.Eventually(t, func() bool { return p.count(t, "SELECT count(*) FROM note_conflict WHERE settled_at = ''") == 0 }, 5*time.Second,
		50*time.Millisecond)
}

// TestADraftIsLeftForAColleague leaves a note and finds it on the other's desk, as
// it stood.
func TestADraftIsLeftForAColleague(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Bram Tollefsen")
	h.press("1")
	h.types("Back pain since lifting a crate.")
	h.press("Escape")
	h.sees("Saved")
	h.press("l")
	h.focused("What is left to do")
	h.types("Examination and plan")
	h.click("Tobias Lindqvist-Rao")
	h.sees("Left for Tobias Lindqvist-Rao")
	other := sit(t, p)
	other.signIn("tobias")
	other.press("k")
	other.click("Notes 1")
	other.sees("Bram Tollefsen")
	note := noteOf(t, p, "Tollefsen")
	require.Equal(t, 1, p.count(t,
		"SELECT count(*) FROM line l JOIN staff s ON s.id = l.owner_id WHERE l.subject = ? AND s.login = 'tobias' AND l.closed_at = ''", note))
	other.do(navigate("http://" + p.http + "/patients/" + text(t, p, "SELECT patient_id FROM note WHERE id = ?", note) + "/visits/" + text(t,
		p, "SELECT visit_id FROM note WHERE id = ?", note)))
	other.sees("Examination and plan")
	other.sees("Back pain since lifting a crate.")
}

func TestAmendingASignedNote(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.open(signedVisit(t, p, "Brekken"))
	h.sees("Signed and sealed")
	require.Zero(t, eval[int](h, `document.querySelectorAll(".cm-editor").length`), "signed text has no editor")
	before := eval[string](h, `document.querySelector("article").innerText`)
	h.press("m")
	h.focused("Amendment")
	h.types("Oxygen was measured after the walk, not at rest.")
	h.press("Ctrl+Enter")
	h.secret()
	h.sees("Amendment of ")
	h.sees("Oxygen was measured after the walk, not at rest.")
	require.Equal(t, before, eval[string](h, `document.querySelector("article").innerText`), "the original stays as it is")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM ledger_entry WHERE kind = 'amendment' AND amends > 0"))
	note := text(t, p, "SELECT subject FROM ledger_entry WHERE kind = 'amendment'")
	require.Equal(t, "%PDF-", eval[string](h,
		fmt.Sprintf(`fetch("/api/notes/%s/pdf").then((r) => r.text()).then((s) => s.slice(0, 5))`, note)))
	said, good := p.verify()
	require.True(t, good, said)
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
		h.types("cough productive 1w, fever, . skip chills, skip night sweats")
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
	h.focused("Add a test, imaging, a procedure, a vaccine or a supply")
	h.types("tsh")
	h.sees("Thyroid")
	h.press("Enter")
	h.sees("Take off")
	h.types("ferr")
	h.sees("Ferritin")
	h.press("Escape")
	closed("Order")
	h.press("o")
	h.focused("Add a test, imaging, a procedure, a vaccine or a supply")
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
	h.focused("Add a test, imaging, a procedure, a vaccine or a supply")
	h.click("Begin anew")
	h.seesNot("Left here before and not sent.")
	require.Equal(t, 0, p.count(t,
		"SELECT count(*) FROM lab_order o JOIN visit v ON v.id = o.visit_id JOIN note n ON n.visit_id = v.id WHERE n.id = ?",
		noteOf(t, p, "Tollefsen")))
}

// TestNormalOfAnEarlierVisitIsNotNormalToday: the choices of a system say "normal" only of
// what somebody looked at today.
func TestNormalOfAnEarlierVisitIsNotNormalToday(t *testing.T) {
	h := sit(t, practice(t))
	h.signIn("maren")
	h.visitOf("Ottoline Marsh-Adeyemi")
	h.press("e")
	h.focused("Findings, in a line")
	h.types("general, <lungs")
	h.sees("as at the last visit")
	h.press("Enter")
	normal := func(pressed, text string) string {
		return `[...document.querySelectorAll('button[aria-pressed=` + pressed + `]')].some(b => b.textContent === ` + text + `)`
	}
	h.wait(normal("true", `"normal"`), "what was said today is pressed")
	h.wait(normal("false", `"normal (carried, not looked at)"`), "what was carried is not")
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

// TestTheHistoryIsAskedByKeyboard answers an interview with single keys and sees
// the prose change in place; an answer that is missing is added.
func TestTheHistoryIsAskedByKeyboard(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Bram Tollefsen")
	h.press("q")
	h.focused("Since when?")
	h.types("2 d")
	h.press("Enter")
	h.sees("A 46-year-old man with back pain for two days.")
	h.focused("How did it begin?")
	h.press("1")
	h.focused("What brought it on?")
	h.press("a")
	h.focused("Another answer")
	h.types("hauling nets")
	h.press("Enter")
	h.sees("which began suddenly after hauling nets.")
	h.focused("Where?")
	h.press("2")
	h.focused("How severe?")
	h.press("2")
	h.sees("A 46-year-old man with moderate right low back pain for two days")
	h.focused("Does it spread into a leg?")
	require.Empty(t, h.axe())
	h.press("n")
	h.sees("The pain does not spread into the legs.")
	h.focused("What makes it worse?") // the leg is not asked about
	h.press("1")
	h.press("2")
	h.sees("It is worse with bending and lifting.")
	h.press("Escape")
	h.sees("Saved")
	require.Equal(t, 7, p.count(t, "SELECT count(*) FROM note_answer WHERE note_id = ?", noteOf(t, p, "Tollefsen")))
}

// TestSnippetsSpellingAndCompletion types with a snippet's fields, a medicine of
// the chart, and a word no dictionary knows.
func TestSnippetsSpellingAndCompletion(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Ottoline Marsh-Adeyemi")
	h.press("4")
	h.focused("plan")
	h.types(",bphome")
	h.sees("Blood pressure at home twice daily")
	h.press("Tab")
	h.wait(`document.querySelector('.cm-content[aria-label="plan"]').innerText.startsWith("Blood pressure at home twice daily for days days")`,
		"the snippet with its field")
	h.types("seven")
	h.wait(`document.querySelector('.cm-content[aria-label="plan"]').innerText.includes("for seven days, bring the list.")`,
		"the field filled")
	h.press("Escape")
	h.press("3")
	h.focused("assessment")
	h.types("Takes allopu")
	h.wait(`document.querySelector(".cm-tooltip-autocomplete")?.innerText.includes("Allopurinol 100 mg daily")`, "the medicine of this chart")
	h.press("Tab")
	h.wait(`document.querySelector('.cm-content[aria-label="assessment"]').innerText.includes("Takes Allopurinol 100 mg daily")`, "the medicine taken")
	h.types(" for hyperuricemia, osteoarthritis and teh knee. ")
	// Words are looked at a moment after they were typed: what counts is where that comes to rest.
	h.wait(`[...document.querySelectorAll(".cm-misspelt")].map((e) => e.innerText).join() === "teh"`,
		"the misspelt word alone, since medical words are known")
	h.wait(`document.querySelector('.cm-content[aria-label="assessment"]').innerText.includes("Takes Allopurinol 100 mg daily for hyperuricemia")`, "the completed medicine")
	h.sees("Saved")
	require.Empty(t, h.axe())
}

// TestDrawing draws on an outline, takes a stroke back, keeps the drawing and finds it printed.
func TestDrawing(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Bram Tollefsen")
	h.press("w")
	h.sees("What it shows")
	h.wait(`document.querySelector('svg[aria-label="Paper to draw on"] path').getAttribute("d").length > 100`, "the outline")
	box := eval[[]float64](h, `(() => { const r = document.querySelector('svg[aria-label="Paper to draw on"]').getBoundingClientRect(); return [r.x, r.y, r.width, r.height] })()`)
	stroke := func(x, y float64) {
		pen := func(kind input.DispatchMouseEventType, dx float64, force float64) {
			_, err := chromedp.Call(h.ctx, input.DispatchMouseEvent, input.DispatchMouseEventParams{Type: kind, X: box[0] + x*box[2] + dx,
				Y: box[1] + y*box[3], Button: "left", Buttons: 1, ClickCount: 1, PointerType: "pen", Force: force})
			require.NoError(t, err)
		}
		pen(input.DispatchMouseEventTypeMousePressed, 0, 0.2)
		for i := range 5 {
			pen(input.DispatchMouseEventTypeMouseMoved, float64(i*6), 0.2*float64(i+1))
		}
		pen(input.DispatchMouseEventTypeMouseReleased, 30, 0)
	}
	lines := `document.querySelectorAll('svg[aria-label="Paper to draw on"] g').length`
	stroke(0.45, 0.45)
	h.wait(lines+" === 1", "the stroke")
	stroke(0.3, 0.7)
	h.wait(lines+" === 2", "the second stroke")
	h.press("Ctrl+z")
	h.wait(lines+" === 1", "the stroke taken back")
	require.Empty(t, h.axe())
	h.press("Ctrl+Enter")
	h.sees("Drawing on the outline front")
	note := noteOf(t, p, "Tollefsen")
	svg := text(t, p, "SELECT svg FROM note_drawing WHERE note_id = ?", note)
	require.Contains(t, svg, `stroke="#A8431A"`)
	require.Regexp(t, `stroke-width="(1\.[4-9]|2|3)`, svg, "as wide as the pen was pressed")
}

// TestRetractAndOneSectionAlone signs a note in the wrong chart, files and faxes a
// section, retracts it and sees where it points.
func TestRetractAndOneSectionAlone(t *testing.T) {
	e, flags := elsewhere(t)
	p := practice(t, flags...)
	h := sit(t, p)
	h.signIn("maren")
	h.sees("Halvard Brekken")
	patient := text(t, p, "SELECT id FROM patient WHERE family = 'Brekken'")
	visit := text(t, p, "SELECT v.id FROM visit v JOIN note n ON n.visit_id = v.id WHERE v.patient_id = ? AND n.folio > 0", patient)
	h.do(navigate("http://" + p.http + "/patients/" + patient + "/visits/" + visit))
	h.sees("Signed and sealed")
	h.click("Alone")
	h.sees("as a document of its own")
	h.click("File as document")
	h.sees("Filed as a document in this chart.")
	h.do(chromedp.Focus(chromedp.CSS(`input[placeholder="555-0190"]`)))
	h.types("555-0190")
	h.click("Send")
	h.sees("On its way to 555-0190")
	require.Eventually(t, func() bool { return len(e.Faxes()) == 1 }, 8*time.Second, 50*time.Millisecond)
	h.click("Wrong chart…")
	h.focused("Why")
	h.types("Written for another patient.")
	h.field("varga")
	h.sees("Leocadia Varga, born")
	h.click("Leocadia Varga, born")
	require.Empty(t, h.axe())
	h.click("Retract the note")
	h.secret()
	h.sees("Retracted: it was written in the wrong chart")
	h.sees("record SK-20009")
	h.seesNot("Walks to the ferry with one stop.")
	h.click("Show the sealed original")
	h.sees("Walks to the ferry with one stop.")
	said, good := p.verify()
	require.True(t, good, said)
}

// TestBesideTheNote replaces a section from an earlier visit with a preview first.
func TestBesideTheNote(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Ottoline Marsh-Adeyemi")
	h.press("4")
	h.focused("plan")
	h.types("Rest the foot.")
	h.press("Escape")
	h.sees("Saved")
	h.press("g")
	h.focused("Filter what is beside the note")
	h.sees("Histories of the chart")
	require.Empty(t, h.axe())
	h.types("urate 9.4")
	h.sees("Urate 9.4 mg/dL")
	h.press("Enter")
	h.wait(`[...document.querySelectorAll('section[aria-label="objective"] p')].some((e) => e.innerText.includes("Urate 9.4 mg/dL H"))`,
		"the result in the note")
	h.press("Escape")
	h.press("g")
	h.focused("Filter what is beside the note")
	h.sees("Chlorthalidone may raise urate; review next time.")
	at := eval[[]float64](h, `(() => { const g = [...document.querySelectorAll('aside section')].find((s) => s.innerText.includes("Chlorthalidone may raise")); const heads = [...g.querySelectorAll("p")].find((p) => p.innerText.startsWith("Plan")); const b = [...heads.querySelectorAll("button")].find((b) => b.innerText === "Replace"); b.scrollIntoView({block: "center"}); const r = b.getBoundingClientRect(); return [r.x + 5, r.y + 5] })()`)
	h.do(chromedp.MouseClickXY(at[0], at[1]))
	h.sees("goes out, kept beside")
	h.press("Ctrl+Enter")
	h.seesNot("goes out, kept beside")
	h.press("Escape")
	h.sees("Kept, not in the note: plan")
	h.sees("Rest the foot.")
	h.sees("Carried, not looked at: 2 sentences")
	note := noteOf(t, p, "Marsh-Adeyemi")
	require.Equal(t, "", text(t, p, "SELECT text FROM note_part WHERE note_id = ? AND part = 'plan'", note))
}
