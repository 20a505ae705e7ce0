package e2e

import (
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

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
	h.types(" for hyperuricemia, osteoarthritis and teh knee. ")
	h.wait(`[...document.querySelectorAll(".cm-misspelt")].some((e) => e.innerText === "teh")`, "the misspelt word")
	require.Equal(t, 1, eval[int](h, `document.querySelectorAll(".cm-misspelt").length`), "medical words are known")
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

// TestSevenDaysLeadStraightToTheNote signs in with a note nine days old.
func TestSevenDaysLeadStraightToTheNote(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.focused("Name")
	h.types("maren")
	h.field("ferry-at-seven")
	h.press("Enter")
	h.sees("this note has waited 9 days for your signature")
	h.wait(`document.querySelector("aside h1")?.innerText.includes("Varga")`, "the note that waits")
	require.Empty(t, h.axe())
	h.press("Alt+u")
	h.sees("visits, ")
	h.seesNot("has waited 9 days")
	other := sit(t, p)
	other.signIn("tobias")
	other.sees("visits, ")
	other.seesNot("has waited")
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

// TestFormsAreChangedWithAPreview changes a form; a wrong one is refused with its line.
func TestFormsAreChangedWithAPreview(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("ade")
	h.press("Alt+f")
	h.sees("Choose a form")
	h.click("Sore throat")
	h.wait(`document.querySelector("textarea")?.value.includes("Questionnaire")`, "the text of the form")
	h.click("Preview")
	h.sees("A 46-year-old man with mild sore throat for two days.")
	require.Empty(t, h.axe())
	set := func(js string) {
		eval[bool](h, fmt.Sprintf(`(() => { const t = document.querySelector("textarea"); const set = Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, "value").set; set.call(t, %s); t.dispatchEvent(new Event("input", {bubbles: true})); return true })()`, js))
	}
	set(`t.value.replace('"type": "boolean"', '"type": "riddle"')`)
	h.press("Ctrl+Enter")
	h.sees("questionnaire, line 12")
	set(`t.value.replace('"type": "riddle"', '"type": "boolean"').replace("Can swallow liquids?", "Swallows liquids?")`)
	h.press("Ctrl+Enter")
	h.sees("Kept as version 2.")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM form WHERE kind = 'interview' AND id = 'sore-throat' AND version = 2"))

	// One entry of a form of many is copied under another name, and is there to choose.
	h.click("Kinds of visit as shipped")
	h.sees("Home visit")
	h.named("Copy Home visit")
	h.focused("Name of the copy")
	look(h, "forms-copy")
	require.Empty(t, h.axe())
	h.press("Enter")
	h.sees("The copy is in the text, not kept yet")
	h.wait(`document.querySelector("textarea").value.includes("{id: home-own, name: Home visit our way,")`, "the copy in the text")
	h.press("Ctrl+Enter")
	h.sees("Kept as version 2.")
	h.sees("Home visit our way")
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
