package e2e

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"deftledger/demo"
	"deftledger/standin"
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

// run runs a command of the binary with the keys of a practice.
func (p *program) run(t testing.TB, stdin string, args ...string) (string, int) {
	t.Helper()
	cmd := exec.Command(binary, args...)
	cmd.Env = append(os.Environ(), "DEFTLEDGER_KEYS="+p.keys)
	cmd.Stdin = strings.NewReader(stdin)
	var out bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &out
	err := cmd.Run()
	code := 0
	if err != nil {
		code = cmd.ProcessState.ExitCode()
	}
	return out.String(), code
}

// press a button by its accessible name.
func (h *hand) named(label string) {
	h.t.Helper()
	h.do(chromedp.Click(chromedp.CSS(`[aria-label="` + label + `"]`)))
}

// signedVisit is the address of a signed note of a patient.
func signedVisit(t *testing.T, p *program, family string) string {
	return text(t, p, "SELECT '/patients/' || v.patient_id || '/visits/' || v.id FROM visit v JOIN note n ON n.visit_id = v.id JOIN patient p ON p.id = v.patient_id WHERE n.folio > 0 AND p.family = ? ORDER BY v.starts_at LIMIT 1", family)
}

func (h *hand) open(path string) {
	h.t.Helper()
	h.do(navigate("http://" + h.p.http + path))
}

// elsewhere opens the stand-ins of pharmacy network, portal, device and fax, and
// returns the flags that name them.
func elsewhere(t testing.TB) (*standin.Elsewhere, []string) {
	t.Helper()
	e := demo.Elsewhere(time.Now())
	require.NoError(t, e.Open("127.0.0.1:0"))
	t.Cleanup(e.Close)
	return e, []string{"--pharmacy", e.Base(), "--portal", e.Base(), "--device", e.Base(), "--fax", e.Base(), "--receivers", e.Base()}
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

// backStrain writes the visit of Bram Tollefsen as far as it can be signed.
func (h *hand) backStrain() {
	h.t.Helper()
	h.visitOf("Bram Tollefsen")
	for _, w := range [][2]string{{"1", "Back pain for two days."}, {"2", "Lumbar muscles tender."}, {"3", "Strain."},
		{"4", "Heat and movement."}} {
		h.press(w[0])
		h.types(w[1])
		h.press("Escape")
	}
	h.code("S39.012A", "initial encounter")
	h.sees("Saved")
}
