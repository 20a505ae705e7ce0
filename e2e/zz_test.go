package e2e
import ("testing")
func TestNewcomer(t *testing.T) {
	p := &program{http: "127.0.0.1:8420", dir: "/tmp/w/newdata"}
	h := sit(t, p)
	h.signIn("maren")
	h.chartOf("SK-21177")
	h.press("r")
	h.sees("Reminder round")
	h.sees("Why:")
	look(h,"r1-round")
	h.click("Depression asked about")
	h.press("1")
	h.click("PHQ-9")
	h.sees("Little interest")
	h.press("2"); h.press("1");h.press("1");h.press("1");h.press("1");h.press("1");h.press("1");h.press("1")
	look(h,"r2-phq9")
	h.press("2")
	h.press("Enter")
	h.sees("An answer speaks")
	look(h,"r3-harm")
}
