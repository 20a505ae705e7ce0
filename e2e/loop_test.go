package e2e

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/demo"
	"deftledger/exchange/shipped"
	"deftledger/standin"
)

// effort collects the acts of each counted flow; a flow over its budget fails.
func (h *hand) effort(flow string, budget int, f func()) {
	h.t.Helper()
	before := h.Acts
	f()
	spent := h.Acts - before
	h.t.Logf("effort %-4s %2d acts of %2d", flow, spent, budget)
	require.LessOrEqual(h.t, spent, budget, "flow %s costs more acts than its budget", flow)
}

// laboratory opens the stand-in laboratory of a practice, in this process, so
// that a test can count what it accessioned.
func laboratory(t testing.TB, p *program, delay time.Duration) *standin.Laboratory {
	t.Helper()
	r, err := shipped.Read()
	require.NoError(t, err)
	l := r.Laboratories[0]
	lab := &standin.Laboratory{Name: l.Name, Facility: l.Facility, Tests: demo.Offered(l), Deliver: p.mllp, Delay: delay,
		Refuse: map[string]string{"NH3": "No ammonia assay this week"}}
	require.NoError(t, lab.Open(p.lab))
	t.Cleanup(lab.Close)
	return lab
}

// TestLoop walks the whole job with the keyboard: sign in, start a visit, write the
// note, code it, order a test, get its result from the laboratory, sign both, and
// prove that nothing was altered.
func TestLoop(t *testing.T) {
	p := practice(t)
	lab := laboratory(t, p, 1500*time.Millisecond)
	h := sit(t, p)

	nothingUrgent := sit(t, p)
	nothingUrgent.effort("E1", 3, func() {
		nothingUrgent.signIn("tobias")
		nothingUrgent.sees("Caspian Roe")
	})
	h.signIn("maren")
	h.effort("E2", 2, func() {
		h.press("3")
		h.press("v")
		h.focused("subjective")
	})
	require.Contains(t, eval[string](h, "document.querySelector('aside h1').innerText"), "Tollefsen")

	h.types("Back pain since lifting a crate at the harbor two days ago. No weakness, no numbness.")
	h.press("Escape")
	h.press("2")
	h.focused("objective")
	h.types("Paraspinal muscles tender on the right. Straight leg raise negative.")
	h.press("Escape")
	h.press("3")
	h.focused("assessment")
	h.types("Strain without red flags.")
	h.press("Escape")
	h.press("4")
	h.focused("plan")
	h.types("Heat, movement, back to work on Thursday.")
	h.press("Escape")

	h.press("d")
	h.focused("Add a diagnosis")
	h.types("S39.012A")
	h.sees("initial encounter")
	h.press("Enter")
	h.sees("1 of 12 diagnoses")
	h.effort("E6", 4, func() {
		h.press("d")
		h.focused("Add a diagnosis")
		h.types("high cholesterol")
		h.sees("Pure hypercholesterolemia, unspecified")
		h.press("Ctrl+Enter")
		h.sees("2 of 12 diagnoses")
		h.press("b")
		h.sees("End problem")
	})
	noteID := ""
	require.NoError(t, p.db(t).QueryRow("SELECT n.id FROM note n JOIN patient p ON p.id = n.patient_id WHERE p.family = 'Tollefsen'").Scan(&noteID))
	first := ""
	require.NoError(t, p.db(t).QueryRow("SELECT code FROM note_diagnosis WHERE note_id = ? AND position = 0", noteID).Scan(&first))
	require.True(t, strings.HasPrefix(first, "E78.0"), "the added diagnosis is first-listed, got %s", first)

	h.effort("E9a", 5, func() {
		h.press("o")
		h.focused("Add a test")
		h.types("lipid")
		h.sees("gold-top")
		h.press("Ctrl+Enter")
		h.secret()
		h.sees("received by the laboratory")
	})
	// On the wire: one order message, with our number, the test and its diagnosis.
	require.Len(t, lab.Accessions(), 1)
	wire := string(lab.Received()[0])
	require.Contains(t, wire, "|OML^O21^OML_O21|")
	require.Contains(t, wire, "|LIPID^Lipid panel^L^24331-1^^LN|")
	require.Contains(t, wire, "DG1|1||"+first+"^")
	require.Contains(t, wire, "PID|1||SK-21402^^^SKERROW^MR||Tollefsen^Bram^^^^^L||19801002|M")

	// The result arrives by itself, on the screen without a reload; looking closes nothing.
	h.sees("Results not signed yet")
	h.wait(`[...document.querySelectorAll("li")].some((l) => l.innerText.includes("Lipid panel") && l.innerText.includes("(final)"))`,
		"the final result on the order")
	report := ""
	require.NoError(t, p.db(t).QueryRow("SELECT r.id FROM report r JOIN patient p ON p.id = r.patient_id WHERE p.family = 'Tollefsen'").Scan(&report))
	h.press("Ctrl+Enter") // the note: signing is open on this device, and the closing list is empty
	h.sees("Signed and sealed")
	h.sees("Back pain since lifting a crate")

	h.do(navigate("http://" + p.http + "/desk/report/" + report))
	h.focused("In the chart")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM line WHERE kind = 'report' AND subject = ? AND closed_at = ''", report),
		"looking closes nothing")
	h.effort("E11", 3, func() {
		h.types("Fine.")
		h.press("Alt+i")
		h.press("Ctrl+Enter")
		h.wait(fmt.Sprintf("!location.pathname.endsWith(%q)", report), "the next line")
	})
	require.Equal(t, 0, p.count(t, "SELECT count(*) FROM line WHERE subject = ? AND closed_at = ''", report))
	require.Equal(t, 0, p.count(t,
		"SELECT count(*) FROM line l JOIN patient p ON p.id = l.patient_id WHERE p.family = 'Tollefsen' AND l.closed_at = ''"),
		"note, order and result are all closed")
	require.Equal(t, "reviewed", text(t, p,
		"SELECT o.state FROM lab_order o JOIN patient p ON p.id = o.patient_id WHERE p.family = 'Tollefsen'"))
	require.Equal(t, "Fine.", text(t, p, "SELECT comment FROM review WHERE report_id = ?", report))
	require.Equal(t, 3, p.count(t, "SELECT count(*) FROM ledger_entry e JOIN patient p ON p.id = e.chart_id WHERE p.family = 'Tollefsen'"),
		"order, note and review are sealed")

	said, good := p.verify()
	require.True(t, good, said)
	require.Contains(t, said, "entries are good")
}

func text(t testing.TB, p *program, query string, args ...any) string {
	t.Helper()
	var s string
	require.NoError(t, p.db(t).QueryRow(query, args...).Scan(&s))
	return s
}
