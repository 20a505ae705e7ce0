package e2e

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/standin"
)

// TestAResultAppearsOnTheDeskByItself delivers a result while the desk is open.
func TestAResultAppearsOnTheDeskByItself(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.press("k")
	h.sees("Leocadia Varga")
	before := eval[int](h, `document.querySelectorAll("section li").length`)
	placer := text(t, p, "SELECT o.placer FROM lab_order o JOIN patient p ON p.id = o.patient_id WHERE p.family = 'Brekken' LIMIT 1") + "-1"
	start := time.Now()
	answer, err := standin.Send(p.mllp, oru(placer, "Brekken", "Halvard", "19550122", "M", 1))
	require.NoError(t, err)
	require.Contains(t, answer, "MSA|AA|KILL000001")
	h.wait(fmt.Sprintf(`document.querySelectorAll("section li").length === %d`, before+1), "the new line")
	t.Logf("on the desk after %s", time.Since(start).Round(time.Millisecond))
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
