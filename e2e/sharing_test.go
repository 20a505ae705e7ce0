package e2e

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/demo"
	"deftledger/standin"
)

// exchange opens the stand-in of the record exchange, and returns the flags that name it.
func exchange(t testing.TB) (*standin.Exchange, []string) {
	t.Helper()
	e := demo.Exchange(time.Now())
	require.NoError(t, e.Open("127.0.0.1:0"))
	t.Cleanup(e.Close)
	return e, []string{"--exchange", e.Base(), "--exchange-name", "the Tidewrack Exchange"}
}

// The front desk takes down what a new patient agrees to, the exchange is asked and is certain, and the one house that has a record of him
// is a question that he answers at the desk; the assistant gives him a copy.
func TestSharingFromAgreementToTheFirstRecord(t *testing.T) {
	e, flags := exchange(t)
	p := practice(t, flags...)
	bram := patientOf(t, p, "SK-21402")
	h := sit(t, p)
	h.signIn("sunniva")
	h.open("/patients/" + bram + "/registration")
	h.sees("Begin a visit now")
	h.press("s")
	h.sees("Nobody has asked: nothing is shared")
	look(h, "sharing-new")
	require.Empty(t, h.axe())
	h.press("i")
	h.focused("Said on")
	h.press("Enter")
	h.sees("Withdrawn")
	h.sees("Linked.") // it is asked as soon as it may be
	h.sees("were you at Gannet Bay Walk-in Clinic")
	require.Empty(t, h.axe())
	look(h, "sharing-linked")
	h.press("y")
	h.sees("Was there")
	h.press("r")
	h.sees("How to reach them")
	require.Equal(t, 1, e.Asked())
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM outside_record r JOIN outside_source s ON s.house = r.house AND s.patient_id = r.patient_id WHERE r.patient_id = '"+bram+"' AND s.says = 'confirmed'"))

	j := sit(t, p)
	j.signIn("jonah")
	j.open("/patients/" + bram + "/sharing")
	j.sees("Was there")
	j.press("g")
	j.sees("To others only once the patient agrees")
	look(j, "sharing-give")
	j.click("Give it out")
	j.sees("summary-of-care.pdf was given out.")
	j.sees("The patient: the whole chart")
	require.Empty(t, j.axe())
	j.open("/desk/record/" + text(t, p, "SELECT id FROM outside_record WHERE patient_id = '"+bram+"'"))
	j.sees("Latex")
	look(j, "record-fhir")
	require.Empty(t, j.axe())
	said, ok := p.verify()
	require.True(t, ok, said)
}

// A wrong birth date there: both spellings stand side by side, and a person says that it is the same, with the reason. A copy goes to the
// exchange, and is an open line while nobody answers.
func TestALinkThatIsNotCertain(t *testing.T) {
	e, flags := exchange(t)
	p := practice(t, flags...)
	yusuf := patientOf(t, p, "SK-21177")
	h := sit(t, p)
	h.signIn("jonah")
	h.open("/patients/" + yusuf + "/sharing")
	h.sees("Nobody has asked")
	h.press("o")
	h.focused("Said on")
	h.press("Enter")
	h.sees("Agreed")
	h.sees("The birth dates differ: 30 Jan 1974 here, 31 Oct 1974 there.")
	h.sees("31 Oct 1974")
	look(h, "sharing-question")
	require.Empty(t, h.axe())
	h.click("It is the same person…")
	h.focused("Why Yusuf Strand is the same person")
	h.types("His passport says 30 January.")
	h.press("Enter")
	h.sees("By hand: His passport says 30 January.")
	e.Set(func(x *standin.Exchange) { x.Down = true })
	h.press("g")
	h.click("the exchange")
	h.click("Problems")
	h.click("Give it out")
	h.sees("on its way")
	h.open("/desk/exchange/" + text(t, p, "SELECT subject FROM line WHERE kind = 'to the exchange'"))
	h.sees("On its way.")
	require.Empty(t, h.axe())
	e.Set(func(x *standin.Exchange) { x.Down = false })
	h.eventually(func() bool { return len(e.Taken()) == 1 }, "the exchange has it")
	h.sees("The line is closed.")
}
