package e2e

import (
	"net/http"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// intakeOf opens the intake of a patient of today.
func (h *hand) intakeOf(given string) {
	h.t.Helper()
	v := text(h.t, h.p, "SELECT v.id FROM visit v JOIN patient p ON p.id = v.patient_id WHERE p.given = ? ORDER BY v.starts_at DESC LIMIT 1", given)
	h.do(navigate("http://" + h.p.http + "/visits/" + v + "/intake"))
	h.sees("Done so far")
	h.wait(`document.querySelector('aside[aria-label="Patient"] h1')`, "the spine")
}

// press a button by its accessible name.
func (h *hand) named(label string) {
	h.t.Helper()
	h.do(chromedp.Click(chromedp.CSS(`[aria-label="` + label + `"]`)))
}

// TestListsOfTheIntake adds to the lists, sees the warning before a medicine is
// taken in, states that there is none, and stops a medicine with its reason.
func TestListsOfTheIntake(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("jonah")
	h.sees("Ottoline Marsh-Adeyemi")
	h.intakeOf("Ottoline")
	eval[bool](h, `([...document.querySelectorAll('section[aria-label="Medicines"] button')].find((b) => b.innerText === "Add").click(), true)`)
	h.focused("Medicines: Medicine")
	h.types("ibupro")
	h.sees("■ allergy")
	h.click("Ibuprofen ■ allergy")
	h.sees("■ Recorded allergy: Naproxen: stomach bleed; ibuprofen is of the class NSAID.")
	h.sees("With Losartan: falling kidney function")
	require.Empty(t, h.axe())
	h.do(chromedp.Focus(chromedp.CSS(`input[aria-label="Medicines: Dose and how often"]`)))
	h.types("400 mg, own purchase")
	h.press("Enter")
	h.wait(`document.querySelector('[aria-label="Stop Ibuprofen"]')`, "the medicine on the list")
	h.press("Escape")
	h.named("Stop Ibuprofen")
	h.focused("Why Ibuprofen ends")
	h.types("recorded stomach bleed")
	h.press("Enter")
	h.sees("1 stopped")
	require.Equal(t, "recorded stomach bleed", text(t, p, "SELECT stop_reason FROM medicine WHERE name = 'Ibuprofen' AND stopped <> ''"))

	h.intakeOf("Bram")
	h.click("No known drug allergies")
	h.wait(`document.querySelector('section[aria-label="Allergies"]').innerText.includes("stated by Jonah Whitlock")`, "the statement")
	h.click("No operation")
	h.wait(`document.querySelector('section[aria-label="Surgical"]').innerText.includes("stated by Jonah Whitlock")`, "the statement")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM statement WHERE list = 'surgical' AND says = 'none known'"))
	// An assistant ends no allergy.
	h.intakeOf("Ottoline")
	h.named("End Naproxen")
	h.focused("Why Naproxen ends")
	h.types("was wrong")
	h.press("Enter")
	h.sees("may not")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM allergy WHERE substance = 'Naproxen' AND ended_at = ''"))
}

// TestAnUnlikelyValueIsAskedAboutBeforeHandingOver types pounds into a field of kilograms.
func TestAnUnlikelyValueIsAskedAboutBeforeHandingOver(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("petra")
	h.sees("Ottoline Marsh-Adeyemi")
	h.intakeOf("Ottoline")
	h.do(chromedp.Focus(chromedp.CSS(`input[aria-label="Weight"]`)))
	h.types("179")
	h.press("Ctrl+Enter")
	h.sees("179 kg lies far from 81.4")
	h.sees("Not handed over: Weight still asks for an answer.")
	require.Equal(t, 0, p.count(t, "SELECT count(*) FROM vital WHERE value = '179'"))
	h.click("Measure again")
	h.do(chromedp.Focus(chromedp.CSS(`input[aria-label="Weight"]`)))
	h.types("179 lb")
	h.press("Enter")
	h.sees("81.2 (179 lb)")
	h.press("Ctrl+Enter")
	h.sees("visits, ")
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

// TestKillBetweenAnswers kills the program after each acknowledged act and finds
// every one of them again.
func TestKillBetweenAnswers(t *testing.T) {
	p := practice(t)
	maren := signedIn(t, p, "maren")
	note := maren.note(t, p, "Tollefsen")
	acts := []struct {
		path string
		body map[string]any
		left string
	}{
		{"/findings", map[string]any{"changes": []map[string]any{{"area": "review", "rest": []string{"constitutional"}, "was": -1}}},
			"SELECT count(*) FROM note_finding WHERE finding = 'chills' AND state = 'absent'"},
		{"/answers", map[string]any{"interview": "back-pain", "link": "onset", "values": []map[string]any{{"code": "sudden"}}, "was": 0},
			"SELECT count(*) FROM note_answer WHERE link = 'onset' AND note_id = '" + note + "'"},
		{"/drawings", map[string]any{"id": "d", "outline": "back", "caption": "Pain", "strokes": `[{"color":"red","points":[[1,1,0.5]]}]`,
			"version": 0}, "SELECT count(*) FROM note_drawing"},
	}
	for _, a := range acts {
		require.NoError(t, maren.call(http.MethodPost, "/api/notes/"+note+a.path, a.body, nil), a.path)
		p.kill()
		require.NoError(t, p.start())
		maren.base = "http://" + p.http
		require.Equal(t, 1, p.count(t, a.left), a.path)
	}
	visit := text(t, p, "SELECT visit_id FROM note WHERE id = ?", note)
	require.NoError(t, maren.call(http.MethodPost, "/api/visits/"+visit+"/vitals",
		map[string]any{"entries": []map[string]any{{"loinc": "8867-4", "text": "78"}}, "confirmed": false}, nil))
	p.kill()
	require.NoError(t, p.start())
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM vital WHERE visit_id = ? AND value = '78'", visit))
	said, good := p.verify()
	require.True(t, good, said)
}
