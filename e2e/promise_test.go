package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestThePlanBecomesOrders: what the plan says and nothing holds is ordered, prescribed and
// referred from the closing list, each confirmed where it stands.
func TestThePlanBecomesOrders(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.visitOf("Bram Tollefsen")
	for _, w := range [][2]string{{"1", "Back pain for two days."}, {"2", "Lumbar muscles tender."}, {"3", "Strain."},
		{"4", "TSH and ferritin. Naproxen 500 mg twice daily for 5 days. Refer to physical therapy."}} {
		h.press(w[0])
		h.types(w[1])
		h.press("Escape")
	}
	h.press("Ctrl+Enter")
	h.sees("Ferritin is in the plan, not ordered")
	h.sees("Naproxen is in the plan, not on the medicine list")
	h.sees("A referral is in the plan, none of this visit is signed")
	look(h, "promises")
	require.Empty(t, h.axe())
	h.click("Put the 2 orders of the plan on the pad")
	h.wait(`document.querySelectorAll('aside[aria-label="Order"] [data-item]').length === 2`, "both tests on the pad")
	h.press("Escape")
	h.click("Prescribe it")
	h.wait(`document.querySelector('[aria-label^="Medicine, how it is taken"]').value === "naproxen 500 mg twice daily for 5 days"`, "the line of the plan")
	h.sees("Take 500 mg twice a day for 5 days.")
	h.press("Escape")
	h.press("Ctrl+Enter")
	h.sees("A referral is in the plan")
	eval[bool](h, `([...document.querySelectorAll("button")].find((b) => b.textContent.startsWith("Refer: A referral")).click(), true)`)
	h.focused("To whom")
}
