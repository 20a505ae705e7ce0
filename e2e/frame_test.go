package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// TestAxe finds no serious accessibility fault on any main view.
func TestAxe(t *testing.T) {
	p := practice(t)
	h := door(t, p)
	look := func(view string) {
		require.Empty(t, h.axe(), view)
	}
	h.focused("Name")
	look("sign-in")
	h.signIn("maren")
	h.sees("Caspian Roe")
	look("today")
	h.press("3")
	h.press("c")
	h.sees("Start today's visit")
	look("chart")
	h.press("v")
	h.focused("subjective")
	h.press("Escape")
	look("note")
	h.press("d")
	h.types("gout")
	h.sees("Gout, unspecified")
	look("diagnosis search")
	h.press("Enter")
	h.sees("1 of 12 diagnoses")
	h.press("o")
	h.focused("Add a test")
	h.types("uric")
	h.sees("gold-top")
	h.press("Enter")
	look("order")
	h.press("Ctrl+Enter")
	h.focused("Signing secret")
	look("signing")
	h.press("Escape")
	h.press("Escape")
	h.do(navigate("http://" + p.http + "/desk"))
	h.focused("In the chart")
	look("desk")
	h.click("No certain patient")
	h.sees("Who may be meant")
	look("quarantine")
	h.press("/")
	h.focused("Find anything")
	h.types("drum")
	h.sees("Arlo Drummond-Iyer")
	look("finder")
	h.press("Escape")
	h.seesNot("Arlo Drummond-Iyer8 y")
	h.press("?")
	h.sees("Keys of this screen")
	look("keys")
	signed := text(t, p, "SELECT '/patients/' || v.patient_id || '/visits/' || v.id FROM visit v JOIN note n ON n.visit_id = v.id WHERE n.folio > 0 LIMIT 1")
	h.do(navigate("http://" + p.http + signed))
	h.sees("Signed and sealed")
	look("signed note")
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
		h.wait(`document.querySelector("main#page")?.innerText.length > 140`, "the page, with what happened")
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
