package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// TestTwoRecordsOfOnePersonBecomeOneChart finds the second record of a patient, reads
// both as one, and takes them apart again.
func TestTwoRecordsOfOnePersonBecomeOneChart(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	kept := text(t, p, "SELECT id FROM patient WHERE record = 'SK-20215'")
	other := text(t, p, "SELECT id FROM patient WHERE record = 'SK-21388'")
	h.do(navigate("http://" + p.http + "/patients/" + kept))
	h.sees("No known drug allergies")
	h.click("Another record…")
	h.types("osei")
	h.sees("Mina Osei, born")
	h.click("Mina Osei, born 30 Sep 1961, SK-21388")
	h.focused("Why I open this chart") // nobody here has anything with that record
	h.types("The two look like one person.")
	h.press("Enter")
	h.sees("Differ: given name.")
	h.focused("How you know that both are one person")
	h.types("Same insurance card, seen today.")
	look(h, "merge")
	require.Empty(t, h.axe())
	h.click("Read both as one chart")
	h.secret()
	h.sees("Holds record SK-21388 (Mina Osei) too")
	h.sees("Cephalexin")
	look(h, "merged")
	h.do(navigate("http://" + p.http + "/patients/" + other))
	h.wait(`location.pathname.endsWith("`+kept+`")`, "the one chart, by either address")
	h.click("Take apart…")
	h.focused("How you know that they are two people")
	h.types("Sisters; the clerk mixed the cards.")
	h.press("Enter")
	h.sees("Taken apart.")
	h.sees("No known drug allergies")
	h.do(navigate("http://" + p.http + "/patients/" + other))
	h.sees("Cephalexin")
	require.Equal(t, 2, p.count(t, "SELECT count(*) FROM ledger_entry WHERE kind = 'taken apart'"))
}
