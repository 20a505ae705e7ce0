package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// signedVisit is the address of a signed note of a patient.
func signedVisit(t *testing.T, p *program, family string) string {
	return text(t, p, "SELECT '/patients/' || v.patient_id || '/visits/' || v.id FROM visit v JOIN note n ON n.visit_id = v.id JOIN patient p ON p.id = v.patient_id WHERE n.folio > 0 AND p.family = ? ORDER BY v.starts_at LIMIT 1", family)
}

func (h *hand) open(path string) {
	h.t.Helper()
	h.do(navigate("http://" + h.p.http + path))
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

func TestAttachingWhatMatchesNobodyByKeyboard(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.open("/desk/held/" + text(t, p, "SELECT CAST(id AS TEXT) FROM inbox WHERE state = 'quarantined'"))
	h.sees("Who may be meant")
	h.effort("E16", 3, func() {
		h.press("2")
		h.sees("It goes into the chart of")
		h.press("Ctrl+Enter")
		h.wait(`!location.pathname.includes("/held/")`, "the next line")
	})
	require.Equal(t, 0, p.count(t, "SELECT count(*) FROM inbox WHERE state = 'quarantined'"))
	require.Equal(t, 1, p.count(t,
		"SELECT count(*) FROM report r JOIN patient p ON p.id = r.patient_id WHERE p.family = 'Drummond-Iyer' AND r.filler NOT LIKE 'house:%' AND r.matched_by <> ''"))
	h.seesNot("No certain patient")
}

func TestCancellingAnOrderNeedsAReason(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.open("/patients/" + text(t, p, "SELECT patient_id FROM lab_order WHERE state = 'received by the laboratory'"))
	h.click("Cancel the order")
	h.focused("Reason for cancelling")
	h.press("Enter")
	h.sees("Give the reason for cancelling.")
	h.focused("Reason for cancelling")
	h.types("Done at the hospital.")
	h.press("Enter")
	h.sees("Call Brinehouse Laboratory")
	require.Equal(t, "Done at the hospital.", text(t, p, "SELECT reason FROM lab_order WHERE state = 'cancelled'"))
	require.Equal(t, 0, p.count(t,
		"SELECT count(*) FROM line l JOIN lab_order o ON o.id = l.subject WHERE o.state = 'cancelled' AND l.closed_at = ''"))
}

func TestTheFinderReachesPatientsScreensAndActs(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.sees("Bram Tollefsen")
	for _, q := range []string{"strand", "1974-01-30", "SK-21177", "555-0175"} {
		h.press("/")
		h.focused("Find anything")
		h.types(q)
		if q == "strand" {
			h.sees("born 30 Jan 1974") // the others do not wait: the list for all letters decides
		}
		h.press("Enter")
		h.wait(`document.querySelector("aside h1")?.innerText === "Yusuf Strand"`, "the chart of Yusuf Strand")
		h.press("t")
		h.sees("12 visits")
	}
	h.press("/")
	h.focused("Find anything")
	h.types("lock the")
	h.sees("Lock the screen now")
	h.press("Enter")
	h.sees("the screen is locked")
}

func TestOneLetterKeysCanBeSwitchedOff(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.sees("Bram Tollefsen")
	h.press("?")
	h.click("One-letter keys work")
	h.wait(`!document.querySelector("[role=dialog] input").checked`, "the box being cleared")
	h.press("Escape")
	h.seesNot("Keys of this screen")
	h.press("k")
	h.press("?")
	h.sees("Keys of this screen")
	require.Equal(t, "/", eval[string](h, "location.pathname"), "k did nothing, ? still works")
	require.Equal(t, 0, p.count(t, "SELECT single_keys FROM staff WHERE login = 'maren'"))
}

// At 320 CSS pixels (400 % zoom of 1280) nothing has to be scrolled sideways.
func TestNarrowScreensLoseNothing(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.sees("Bram Tollefsen")
	for _, path := range []string{"/desk", signedVisit(t, p, "Brekken"),
		"/patients/" + text(t, p, "SELECT id FROM patient WHERE family = 'Brekken'")} {
		h.do(chromedp.EmulateViewport(320, 800))
		h.open(path)
		h.wait(`document.querySelector("main#page")?.innerText.length > 40`, "the page")
		require.LessOrEqual(t, eval[int](h, `document.querySelector("main#page").scrollWidth`), 320, path)
		require.LessOrEqual(t, eval[int](h, `document.documentElement.scrollWidth`), 320, path)
	}
	// Who it is and the allergies are in sight at any width, however the rest is scrolled.
	for _, wide := range []int64{320, 390, 760, 1000, 1280} {
		h.do(chromedp.EmulateViewport(wide, 800))
		h.wait(fmt.Sprintf("innerWidth === %d", wide), "the width")
		require.Equal(t, "in sight", eval[string](h, `(() => {
			const rest = document.querySelector('section[aria-label^="Problems, medicines"]');
			rest.scrollLeft = 10000; rest.scrollTop = 10000;
			const title = [...document.querySelectorAll('aside[aria-label="Patient"] h2')].find((x) => x.innerText === "Allergies");
			const b = title.parentElement.getBoundingClientRect();
			const seen = (x, y) => title.parentElement.contains(document.elementFromPoint(x, y));
			return b.left >= 0 && b.right <= innerWidth && seen(b.left + 2, b.top + 2) && seen(b.right - 2, b.bottom - 2) ? "in sight" : JSON.stringify(b);
		})()`), "at %d", wide)
	}
}

// A diagnosis is led from an everyday word through its heading to the exact code,
// moved and taken off, by keyboard.
func TestDiagnosesByKeyboard(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.startThird()
	h.press("Escape")
	codes := func(want ...string) {
		t.Helper()
		h.wait(fmt.Sprintf(`[...document.querySelectorAll("section ol li")].map((l) => l.children[1].innerText).join() === %q`,
			strings.Join(want, ",")), "the codes "+strings.Join(want, ","))
	}
	h.press("d")
	h.focused("Add a diagnosis")
	h.types("sprain ankle right")
	h.sees("opens ›")
	h.press("Enter") // a heading opens to its codes
	h.sees("initial encounter")
	h.press("Enter")
	codes("S93.401A")
	h.press("d")
	h.types("htn")
	h.sees("for “htn”")
	h.press("Enter")
	codes("S93.401A", "I10")
	h.press("f")
	codes("I10", "S93.401A")
	h.press("j")
	h.press("x")
	codes("I10")
	h.press("d")
	h.types("I10")
	h.sees("Essential")
	h.press("Enter")
	h.sees("stands on the list already")
	require.Equal(t, "I10", text(t, p,
		"SELECT group_concat(code) FROM note_diagnosis d JOIN note n ON n.id = d.note_id JOIN patient p ON p.id = n.patient_id WHERE p.family = 'Tollefsen'"))
}
