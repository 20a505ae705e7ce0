package e2e

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// TestTheAdministratorTriesTheLaboratory: a test message shows whether the connection works, and
// every connection says what waits for it.
func TestTheAdministratorTriesTheLaboratory(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("ade")
	h.click("Connections")
	h.sees("Brinehouse Laboratory")
	h.click("Send a test message")
	h.sees("Nobody answered")
	laboratory(t, p, time.Hour)
	h.click("Send a test message")
	h.sees("It answers (AR)")
	require.Empty(t, h.axe())
	h.click("A token for")
	h.types("Ferrygate, their reader")
	h.click("Condition")
	h.click("Give it a token")
	h.sees("The token, shown this once: dl_")
	h.sees("Ferrygate, their reader Condition · given by")
	require.Empty(t, h.axe())
	eval[any](h, `document.querySelector("#page").scrollTo(0, 5000)`)
	look(h, "clients")
	h.click("End it…")
	h.types("The contract ended.")
	h.press("Enter")
	h.sees("The contract ended.")
	h.click("over TLS")
	look(h, "connections")
	h.click("Keep")
	h.sees("Give the address that is reached with TLS.")
}
