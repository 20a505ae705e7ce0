package e2e

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// TestPictures takes the pictures of the main views, from the demo data, into the
// directory named by DEFTLEDGER_SHOTS ("make shots"); without it, there is
// nothing to take them for.
func TestPictures(t *testing.T) {
	dir := os.Getenv("DEFTLEDGER_SHOTS")
	if dir == "" {
		t.Log("DEFTLEDGER_SHOTS is not set: no pictures taken")
		return
	}
	require.NoError(t, os.MkdirAll(dir, 0o755))
	p := practice(t)
	laboratory(t, p, time.Hour)
	h := sit(t, p)
	take := func(name string) {
		time.Sleep(250 * time.Millisecond)
		require.NoError(t, os.WriteFile(filepath.Join(dir, name+".png"), h.screenshot(), 0o644))
	}
	h.focused("Name")
	take("sign-in")
	h.signIn("maren")
	h.sees("Caspian Roe")
	take("today")
	h.click("Ottoline Marsh-Adeyemi")
	h.sees("Start today's visit")
	take("chart")
	h.press("v")
	h.focused("subjective")
	h.types("Right big toe pain for two days, began overnight, cannot bear the sheet on it. Third attack this year. Ate shellfish at the harbor supper on Saturday. Took ibuprofen twice.")
	h.press("Escape")
	h.press("2")
	h.focused("objective")
	h.types("First metatarsophalangeal joint right: red, warm, swollen, exquisitely tender, no skin break. Other joints normal. Heart and lungs normal.")
	h.press("Escape")
	for _, code := range []string{"M10.071", "I12.9", "N18.31"} {
		h.press("d")
		h.focused("Add a diagnosis")
		h.types(code)
		h.wait(`document.querySelector("[role=option]")`, "hits")
		h.press("Enter")
		h.wait(`[...document.querySelectorAll("ol li")].some((l) => l.innerText.includes("`+code+`"))`, code)
	}
	h.press("4")
	h.focused("plan")
	h.types("Colchicine 1.2 mg, then 0.6 mg after one hour. Stop ibuprofen for good. Weight and beer discussed. Metabolic panel and urate again in two weeks.")
	h.press("Escape")
	h.sees("Saved")
	take("note")
	h.press("d")
	h.focused("Add a diagnosis")
	h.types("sprained ankle")
	h.sees("Sprain of ankle")
	take("diagnosis-search")
	h.press("Escape")
	h.seesNot("Sprain of ankle")
	h.press("Escape")
	h.press("o")
	h.focused("Add a test")
	h.types("uric")
	h.sees("gold top")
	h.press("Enter")
	h.types("bas")
	h.sees("Basic metabolic panel")
	h.press("Enter")
	take("order")
	h.press("Ctrl+Enter")
	h.focused("Signing secret")
	take("sign-order")
	h.secret()
	h.sees("received by the laboratory")
	h.press("Ctrl+Enter")
	h.sees("Signed and sealed")
	take("note-signed")
	h.press("k")
	h.focused("In the chart")
	take("desk-critical")
	h.click("Urate, final")
	h.focused("In the chart")
	take("desk-result")
	h.click("No certain patient")
	h.sees("Who may be meant")
	take("quarantine")
	h.press("/")
	h.focused("Find anything")
	h.types("drum")
	h.sees("Arlo Drummond-Iyer")
	take("finder")
	h.press("Escape")
	h.seesNot("birth date, record number, phone, screen")
	h.press("?")
	h.sees("Keys of this screen")
	take("keys")
	h = sit(t, p)
	h.signIn("ade")
	h.sees("sign in")
	take("audit")
}
