package e2e

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// TestTheLaboratoryIsDownAndRefuses follows an order on the screen through a
// laboratory that is down and comes up, and one that refuses.
func TestTheLaboratoryIsDownAndRefuses(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.click("Halvard Brekken")
	h.sees("Start today's visit")
	for _, test := range []string{"crea", "ammonia"} {
		h.press("o")
		h.focused("Add a test")
		h.types(test)
		h.press("Ctrl+Enter")
		if test == "crea" {
			h.secret()
		}
		h.wait(`!document.querySelector("aside[aria-label=Order]")`, "the order being signed")
	}
	h.sees("signed, not sent")
	lab := laboratory(t, p, time.Hour)
	h.sees("received by the laboratory")
	h.sees("The laboratory refused it: No ammonia assay this week")
	require.Len(t, lab.Accessions(), 1)
	sent := map[string]int{}
	for _, m := range lab.Received() {
		sent[strings.Split(string(m), "|")[9]]++
	}
	for control, n := range sent {
		require.Equal(t, 1, n, "order %s was sent once to the laboratory that answered", control)
	}
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
	h.sees("it is told to cancel it, and has not answered yet")
	require.Equal(t, "Done at the hospital.", text(t, p, "SELECT reason FROM lab_order WHERE state = 'cancelled'"))
	require.Equal(t, 1, p.count(t,
		"SELECT count(*) FROM line l JOIN lab_order o ON o.id = l.subject WHERE o.state = 'cancelled' AND l.closed_at = ''"), "until the laboratory has answered")
}

// TestQuickKeysChooseOneTestAfterAnother types two tests without waiting for a list: each Enter
// chooses what belongs to its own letters, and letters that find nothing stay.
func TestQuickKeysChooseOneTestAfterAnother(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.startThird()
	h.press("Escape")
	h.press("o")
	h.focused("Add a test")
	for _, letters := range []string{"uric", "bas", "qqq"} {
		h.types(letters)
		h.press("Enter")
	}
	h.sees("Urate")
	h.sees("Basic metabolic panel")
	h.wait(`document.querySelector('[aria-label^="Add a test"]').value === "qqq"`, "the letters that found nothing")
	h.sees("In no list. A medicine")
}

// TestAnAnswerOnPaper: the hospital takes orders by fax and answers on paper, which is typed in
// with its unit and range, and closes the order once it is signed.
func TestAnAnswerOnPaper(t *testing.T) {
	_, flags := elsewhere(t)
	p := practice(t, flags...)
	h := sit(t, p)
	h.signIn("maren")
	h.chartOf("SK-20562")
	h.press("o")
	h.focused("Add a test")
	h.types("B04")
	h.press("Ctrl+Enter")
	h.secret()
	h.wait(`!document.querySelector('aside[aria-label="Order"]')`, "the order being signed")
	id := text(t, p, "SELECT order_id FROM order_more WHERE party = 'northsound'")
	h.open("/desk/order/" + id)
	h.click("Type the answer in from paper")
	h.focused("Potassium")
	h.types("4.2")
	h.click("The paper says Otto Vestergren, born")
	h.press("Ctrl+Enter")
	h.sees("Attach the paper as PDF, or say how it came")
	look(h, "on-paper")
	require.Empty(t, h.axe())
	h.click("or how it came, and where it is kept")
	h.types("Fax, in the folder")
	h.press("Ctrl+Enter")
	h.eventually(func() bool { return p.count(t, "SELECT count(*) FROM report WHERE order_id = '"+id+"'") == 1 }, "the answer being kept")
	h.open("/desk/report/" + text(t, p, "SELECT id FROM report WHERE order_id = '"+id+"'"))
	h.sees("Typed by Maren Oduya from paper: Fax, in the folder.")
	look(h, "on-paper-report")
}
