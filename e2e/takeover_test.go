package e2e

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// The text leaves open whether an injury is still treated: both codes are offered, and one key chooses. Another
// physician takes the draft over with a reason; it stands on their desk then, and says from whom it came.
func TestAnOpenSeventhCharacterIsAskedAndADraftTakenOver(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.startThird()
	h.types("Twisted his right ankle on the pier a while back.")
	h.press("Escape")
	h.press("3")
	h.focused("assessment")
	h.types("Sprain of right ankle.")
	h.press("Escape")
	h.sees("The text leaves open whether active treatment is over.")
	require.Empty(t, h.axe())
	h.press("-")
	h.sees("Sprain of unspecified ligament of right ankle, subsequent encounter")

	o := sit(t, p)
	o.signIn("tobias")
	o.press("/")
	o.types("tollefsen")
	o.sees("Bram Tollefsen")
	o.press("Enter")
	o.sees("Resume today's visit")
	o.press("v")
	o.sees("Sprain of right ankle.")
	o.press("Escape")
	o.press("l")
	o.sees("Maren Oduya answers for this draft.")
	o.types("Maren was called to the harbor.")
	require.Empty(t, o.axe())
	o.click("Take it over")
	o.sees("Taken over from Maren Oduya: Maren was called to the harbor.")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM line l JOIN staff s ON s.id = l.owner_id JOIN note n ON n.id = l.subject JOIN staff b ON b.id = n.began_id "+
		"WHERE l.kind = 'note' AND l.closed_at = '' AND s.login = 'tobias' AND b.login = 'maren'"))
}
