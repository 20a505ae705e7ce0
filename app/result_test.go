package app_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/intake"
	orders "deftledger/app/order"
	results "deftledger/app/result"
	"deftledger/core/order"
	"deftledger/core/safety"
)

// signAll signs every report on the desk.
func (c *clinic) signAll() {
	c.Helper()
	for _, r := range c.desk().Reports {
		v, err := c.app.Result.Report(ctx, c.doctor(), r.ID)
		require.NoError(c, err)
		if v.Critical != "" {
			require.NoError(c, c.app.Result.TellCritical(ctx, c.doctor(), v.ID, results.CriticalContact{Reached: true, Who: "herself", How: "telephone", ReadBack: true}))
		}
		require.NoError(c, c.app.Result.SignReport(ctx, c.doctor(), results.SignedResult{ReportID: v.ID, Comment: "Seen.", Told: "telephone",
			Secret: secret, Issue: v.Issue, Version: v.Version}))
	}
}

func (c *clinic) state(o orders.OrderView) string {
	c.Helper()
	v := c.everything(patientID)
	for _, x := range v.Orders {
		if x.ID == o.ID {
			return x.State
		}
	}
	return ""
}

func TestAnOrderClosesOnlyWhenEveryTestIsFinalAndSigned(t *testing.T) {
	c := open(t)
	o := c.order("K", "CBC")
	require.Equal(t, string(order.Signed), c.state(o))
	c.step()
	require.Equal(t, string(order.Received), c.state(o))
	c.receive(oru("M1", o.Placer+"-1", "P", "4.4"), "AA")
	require.Equal(t, string(order.InProcess), c.state(o))
	r := c.desk().Reports[0]
	err := c.app.Result.SignReport(ctx, c.doctor(), results.SignedResult{ReportID: r.ID, Told: "telephone", Secret: secret, Issue: 1,
		Version: 1})
	require.Equal(t, act.Invalid, kind(t, err), "a preliminary is not closed")
	c.receive(oru("M2", o.Placer+"-1", "F", "4.5"), "AA")
	require.Equal(t, string(order.Partial), c.state(o))
	c.signAll()
	require.Equal(t, string(order.Partial), c.state(o), "the blood count is still out")
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'order' AND closed_at = ''"))
	c.receive(oru("M3", o.Placer+"-2", "F", "7.0", "K^Potassium^L^2823-3", "CBC^Blood count^L^58410-2", "BR-", "BS-"), "AA")
	require.Equal(t, string(order.Final), c.state(o))
	c.signAll()
	require.Equal(t, string(order.Reviewed), c.state(o))
	require.Equal(t, 0, c.count("SELECT count(*) FROM line WHERE closed_at = ''"))

	// A correction reopens the report and the order; the earlier signature stays.
	c.receive(oru("M4", o.Placer+"-1", "C", "5.9"), "AA")
	require.Equal(t, string(order.Final), c.state(o))
	d := c.desk()
	require.Len(t, d.Reports, 1)
	require.True(t, d.Reports[0].Reopened)
	require.Equal(t, 2, c.count("SELECT count(*) FROM line WHERE closed_at = ''"))
	v, err := c.app.Result.Report(ctx, c.doctor(), d.Reports[0].ID)
	require.NoError(t, err)
	require.Equal(t, "5.9", v.Values[0].Text)
	require.Len(t, v.Reviews, 1)
	c.signAll()
	require.Equal(t, string(order.Reviewed), c.state(o))
	// A preliminary one that is older by its own time replaces nothing and reopens nothing, and is said.
	c.receive(oru("M5", o.Placer+"-1", "P", "4.4", "20260504115500-0400", "20260504093000-0400"), "AA")
	require.Empty(t, c.desk().Reports)
	require.Equal(t, string(order.Reviewed), c.state(o))
	v, err = c.app.Result.Report(ctx, c.doctor(), d.Reports[0].ID)
	require.NoError(t, err)
	require.Equal(t, "5.9", v.Values[0].Text)
	require.Len(t, v.Late, 1)
	require.Empty(t, c.verify())
}

func TestTheSameMessageTwiceFilesOnce(t *testing.T) {
	c := open(t)
	o := c.order("K")
	c.step()
	text := oru("M1", o.Placer+"-1", "F", "4.4")
	for range 3 {
		c.receive(text, "AA")
	}
	require.Equal(t, 1, c.count("SELECT count(*) FROM report_issue"))
	require.Equal(t, 3, c.count("SELECT count(*) FROM inbox"), "every copy is kept as it came")
	require.Empty(t, c.desk().Quarantine)
	// The same control number with another content is not believed silently.
	c.receive(oru("M1", o.Placer+"-1", "F", "9.9"), "AA")
	require.Len(t, c.desk().Quarantine, 1)
	require.Contains(t, c.desk().Quarantine[0].Reason, "the same control number")
	require.Equal(t, 1, c.count("SELECT count(*) FROM report_issue"))
}

// Only full agreement files by itself: each single difference holds the message.
func TestOnlyFullAgreementFilesByItself(t *testing.T) {
	cases := []struct {
		name     string
		change   []string
		code     string
		reason   string
		readable bool
	}{
		{"all agree", nil, "AA", "", true},
		{"another spelling of the same letters", []string{"Marsh-Adeyemi^Ottoline", "MARSH ADEYEMI^OTTOLINE"}, "AA", "", true},
		{"family name", []string{"Marsh-Adeyemi", "Marsh"}, "AA", "family name", true},
		{"given name", []string{"Ottoline", "Otto"}, "AA", "given name", true},
		{"birth date", []string{"19680314", "19680315"}, "AA", "birth date", true},
		{"birth date left out", []string{"19680314", ""}, "AA", "birth date", true},
		{"sex", []string{"19680314|F", "19680314|M"}, "AA", "sex", true},
		{"order number of somebody else", []string{"SK10001", "SK99999"}, "AA", "No order of ours", true},
		{"no order number", []string{"|SK10001-1|BR-SK10001-1|", "||BR-9|"}, "AA", "no order number", true},
		{"a time that is none", []string{"202605040800-0400", "2026ABCD"}, "AA", "", true},
		{"a record number of ours that is another's", []string{"PID|1||||", "PID|1||SK-20999^^^SKERROW^MR||"}, "AA", "record number", true},
		{"the laboratory's own number of the patient", []string{"PID|1||||", "PID|1||SK-20999^^^REFLAB^PI||"}, "AA", "", true},
		{"a digit in the name", []string{"Ottoline", "Ottoline2"}, "AA", "given name", true},
		{"letters composed otherwise", []string{"Ottoline", "O\u0308ttoline"}, "AA", "", true},
		{"two orders in one", []string{"OBR|1|", "ORC|RE|SK99999\rOBR|1|"}, "AA", "two orders", true},
		{"the same order in both", []string{"OBR|1|", "ORC|RE|SK10001\rOBR|1|"}, "AA", "", true},
		{"a birth date that is none", []string{"19680314", "19680230"}, "AA", "birth date", true},
		{"nobody named", []string{"PID|1||||Marsh-Adeyemi^Ottoline||19680314|F\r", ""}, "AA", "family name", true},
		{"bytes that are no UTF-8", []string{"Ottoline", "Ott\xffline"}, "AA", "not valid UNICODE UTF-8", false},
		{"a message about something else", []string{"ORU^R01^ORU_R01", "ADT^A08"}, "AA", "only ORU^R01", false},
	}
	for _, k := range cases {
		t.Run(k.name, func(t *testing.T) {
			c := open(t)
			o := c.order("K")
			require.Equal(t, "SK10001", o.Placer)
			c.step()
			c.receive(oru("M1", o.Placer+"-1", "F", "4.4", k.change...), k.code)
			d := c.desk()
			if k.reason == "" {
				require.Len(t, d.Reports, 1)
				require.Empty(t, d.Quarantine)
				return
			}
			require.Empty(t, d.Reports, "nothing is filed to the wrong chart")
			require.Len(t, d.Quarantine, 1)
			require.Contains(t, d.Quarantine[0].Reason, k.reason)
			require.Equal(t, k.readable, d.Quarantine[0].Readable)
		})
	}
}

func TestWhatIsNoHL7IsRefusedAndKept(t *testing.T) {
	c := open(t)
	answer := string(c.app.Result.Receive("test", []byte("GET / HTTP/1.1\r\n\r\n")))
	require.Contains(t, answer, "MSA|AR|")
	require.Contains(t, answer, "does not begin with an MSH segment")
	require.Equal(t, 1, c.count("SELECT count(*) FROM inbox WHERE state = 'refused' AND raw = CAST('GET / HTTP/1.1' || char(13,10,13,10) AS BLOB)"))
}

// With the disk full nothing is acknowledged as stored.
func TestAFullDiskIsNotAcknowledged(t *testing.T) {
	c := open(t)
	o := c.order("K")
	c.step()
	require.NoError(t, c.store.LimitSize(ctx, 1))
	answer := string(c.app.Result.Receive("test", []byte(oru("M1", o.Placer+"-1", "F", "4.4", "4.4", strings.Repeat("x", 400_000)))))
	require.Contains(t, answer, "MSA|AE|M1|The message could not be stored here")
	require.Equal(t, 0, c.count("SELECT count(*) FROM inbox"))
	require.NoError(t, c.store.LimitSize(ctx, 1<<30))
	c.receive(oru("M1", o.Placer+"-1", "F", "4.4"), "AA")
	require.Len(t, c.desk().Reports, 1)
}

func TestAPersonAttachesWhatWasHeld(t *testing.T) {
	c := open(t)
	o := c.order("K")
	c.step()
	c.receive(oru("M1", o.Placer+"-1", "F", "6.4", "Ottoline", "O", "||||F", "|HH|||F"), "AA")
	id := c.desk().Quarantine[0].ID
	v, err := c.app.Result.Held(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Len(t, v.Candidates, 1)
	require.Empty(t, v.Candidates[0].Differ)
	require.Contains(t, v.Candidates[0].Agree, "given name (its initial only)")
	require.Equal(t, []string{"given name"}, v.Candidates[0].Needs, "what is not exactly the same needs a reason")
	require.Equal(t, act.Forbidden, kind(t, c.app.Result.Attach(ctx, c.who[act.Assistant], id, patientID, "")))
	err = c.app.Result.Attach(ctx, c.who[act.Nurse], id, patientID, " ")
	require.Equal(t, act.Invalid, kind(t, err))
	require.ErrorContains(t, err, "differs in: given name. Say why it is Ottoline Marsh-Adeyemi all the same")
	require.NoError(t, c.app.Result.Attach(ctx, c.who[act.Nurse], id, patientID, "The laboratory writes initials."))
	require.Equal(t, act.Conflict, kind(t, c.app.Result.Attach(ctx, c.doctor(), id, patientID, "x")), "decided once")
	d := c.desk()
	require.Empty(t, d.Quarantine)
	require.Len(t, d.Reports, 1, "the physician of the order answers for it")
	require.Equal(t, "6.4 mmol/L HH", d.Reports[0].Critical)
	require.Equal(t, string(order.Final), c.state(o))
	r, err := c.app.Result.Report(ctx, c.doctor(), d.Reports[0].ID)
	require.NoError(t, err)
	require.Equal(t, "A nurse", r.MatchedBy)
	require.Equal(t, "Differs in given name: The laboratory writes initials.", r.MatchedWhy)

	c.receive(oru("M2", "", "F", "4.4", "Ottoline", "Nobody", "BR-", "BX-"), "AA")
	id = c.desk().Quarantine[0].ID
	require.Equal(t, act.Invalid, kind(t, c.app.Result.SetAside(ctx, c.doctor(), id, " ")))
	require.NoError(t, c.app.Result.SetAside(ctx, c.doctor(), id, "Not a patient here; laboratory called."))
	require.Empty(t, c.desk().Quarantine)
	// What was set aside can be taken up again.
	require.Equal(t, act.Forbidden, kind(t, c.app.Result.TakeUp(ctx, c.who[act.Assistant], id)))
	require.NoError(t, c.app.Result.TakeUp(ctx, c.doctor(), id))
	require.NoError(t, c.app.Result.TakeUp(ctx, c.doctor(), id), "the same act again")
	require.Contains(t, c.desk().Quarantine[0].Reason, "laboratory called")
	require.NoError(t, c.app.Result.Attach(ctx, c.doctor(), id, patientID, "It is her after all."))
	require.Equal(t, act.Conflict, kind(t, c.app.Result.TakeUp(ctx, c.doctor(), id)), "it is in a chart")
}

func TestSigningAResult(t *testing.T) {
	c := open(t)
	o := c.order("K")
	c.step()
	c.receive(oru("M1", o.Placer+"-1", "F", "4.4"), "AA")
	id := c.desk().Reports[0].ID
	sign := func(change func(*results.SignedResult)) error {
		s := results.SignedResult{ReportID: id, Comment: "Fine.", Told: "telephone", Secret: secret, Issue: 1, Version: 1}
		change(&s)
		return c.app.Result.SignReport(ctx, c.doctor(), s)
	}
	require.Equal(t, act.Invalid, kind(t, sign(func(s *results.SignedResult) { s.Told = "" })))
	require.Equal(t, act.Invalid, kind(t, sign(func(s *results.SignedResult) { s.Told = "not told" })))
	require.Equal(t, act.Invalid, kind(t, sign(func(s *results.SignedResult) { s.Told = "portal" })), "what is still to be told is kept with the packet")
	require.Equal(t, act.Unproven, kind(t, sign(func(s *results.SignedResult) { s.Secret = "nonsense" })))
	require.Equal(t, act.Conflict, kind(t, sign(func(s *results.SignedResult) { s.Version = 7 })))
	require.Equal(t, act.Conflict, kind(t, sign(func(s *results.SignedResult) { s.Issue = 2 })))
	require.NoError(t, sign(func(*results.SignedResult) {}))
	require.NoError(t, sign(func(*results.SignedResult) {}), "the same act sent again")
	require.Equal(t, 1, c.count("SELECT count(*) FROM review"))
	require.Equal(t, act.Conflict, kind(t, sign(func(s *results.SignedResult) { s.Comment = "Something else." })))
}

func TestTheLaboratoryDownThenUpGetsTheOrderOnceByteForByte(t *testing.T) {
	c := open(t)
	addr := c.lab.ln.Addr().String()
	c.lab.ln.Close()
	o := c.order("K")
	for range 3 {
		c.step()
		c.now = c.now.Add(2 * time.Minute)
	}
	require.Equal(t, string(order.Signed), c.state(o), "signed, not sent")
	require.Equal(t, 3, c.count("SELECT attempts FROM outbox"))
	// Up again, but its first answer is lost: the order is sent again, the same bytes.
	c.lab.open(t, addr)
	c.lab.answer = func(string) string { return "" }
	c.step()
	require.Equal(t, string(order.Signed), c.state(o))
	c.now = c.now.Add(2 * time.Minute)
	c.lab.Lock()
	c.lab.answer = accept("AA", "")
	c.lab.Unlock()
	c.step()
	c.step()
	require.Equal(t, string(order.Received), c.state(o))
	require.Len(t, c.lab.got, 2)
	require.Equal(t, c.lab.got[0], c.lab.got[1])
	require.Contains(t, string(c.lab.got[0]), "|OML^O21^OML_O21|SK10001|")
}

func TestTheLaboratorysRefusalIsShownWithItsReason(t *testing.T) {
	c := open(t)
	c.lab.answer = accept("AE", "No ammonia assay this week")
	o := c.order("NH3")
	c.step()
	v := c.everything(patientID)
	require.Equal(t, string(order.Failed), v.Orders[0].State)
	require.Equal(t, "No ammonia assay this week", v.Orders[0].Reason)
	require.Len(t, c.desk().Orders, 1, "a refused order stays open until somebody closes it")
	_, err := c.app.Order.CancelOrder(ctx, c.doctor(), o.ID, "")
	require.Equal(t, act.Invalid, kind(t, err))
	call, err := c.app.Order.CancelOrder(ctx, c.doctor(), o.ID, "Ordered at the hospital.")
	require.NoError(t, err)
	require.False(t, call)
	require.Empty(t, c.desk().Orders)
}

func TestAnOrderTakenBackIsNeverSent(t *testing.T) {
	c := open(t)
	o := c.order("K")
	told, err := c.app.Order.CancelOrder(ctx, c.doctor(), o.ID, "Wrong patient.")
	require.NoError(t, err)
	require.False(t, told)
	c.step()
	require.Empty(t, c.lab.got)
	require.Equal(t, 0, c.count("SELECT count(*) FROM line WHERE kind = 'order' AND closed_at = ''"))
}

// What may have reached the laboratory is not sent again, and the laboratory is told; the
// line is open until it has answered.
func TestTheLaboratoryIsToldOfWhatIsCancelled(t *testing.T) {
	last := func(c *clinic) string { return string(c.lab.got[len(c.lab.got)-1]) }
	lines := "SELECT count(*) FROM line WHERE kind = 'order' AND closed_at = ''"
	t.Run("it cancels", func(t *testing.T) {
		c := open(t)
		o := c.order("K", "CBC")
		c.step()
		told, err := c.app.Order.CancelOrder(ctx, c.doctor(), o.ID, "Wrong patient.")
		require.NoError(t, err)
		require.True(t, told)
		require.Equal(t, 1, c.count(lines))
		c.step()
		require.Contains(t, last(c), "ORC|CA|"+o.Placer+"-1^SKERROW||"+o.Placer)
		require.Contains(t, last(c), "ORC|CA|"+o.Placer+"-2^SKERROW||"+o.Placer)
		require.Equal(t, 0, c.count(lines))
		v := c.everything(patientID).Orders[0]
		require.Equal(t, "cancelled", v.State)
		require.Equal(t, "The laboratory has cancelled it.", v.Cancelling)
		_, err = c.app.Order.CancelOrder(ctx, c.doctor(), o.ID, "Again.")
		require.Equal(t, act.Conflict, kind(t, err))
	})
	t.Run("it cannot", func(t *testing.T) {
		c := open(t)
		o := c.order("K")
		c.step()
		_, err := c.app.Order.CancelOrder(ctx, c.doctor(), o.ID, "Wrong patient.")
		require.NoError(t, err)
		c.lab.Lock()
		c.lab.answer = func(m string) string { return accept("AA", "")(m) + "ORC|UC|" + o.Placer + "-1\r" }
		c.lab.Unlock()
		c.step()
		require.Equal(t, 1, c.count(lines), "somebody has to speak with it")
		v := c.everything(patientID).Orders[0]
		require.True(t, v.NotDone)
		_, err = c.app.Order.CancelOrder(ctx, c.doctor(), o.ID, "Spoke with Ms. Hale; they stop it.")
		require.NoError(t, err)
		require.Equal(t, 0, c.count(lines))
	})
	t.Run("nobody knows whether it arrived", func(t *testing.T) {
		c := open(t)
		c.lab.answer = func(string) string { return "" } // its answer is lost
		o := c.order("K")
		c.step()
		require.Len(t, c.lab.got, 1)
		told, err := c.app.Order.CancelOrder(ctx, c.doctor(), o.ID, "Wrong patient.")
		require.NoError(t, err)
		require.True(t, told)
		c.lab.Lock()
		c.lab.answer = accept("AA", "")
		c.lab.Unlock()
		c.now = c.now.Add(5 * time.Minute)
		c.step()
		c.step()
		require.Len(t, c.lab.got, 2, "the order itself is not sent again")
		require.Contains(t, last(c), "ORC|CA|")
		require.Equal(t, 0, c.count(lines))
	})
}

// An order is answered test by test, and an answer that comes later by the listener reaches
// its order all the same.
func TestWhatTheLaboratoryTakesOfAnOrder(t *testing.T) {
	c := open(t)
	c.lab.answer = func(m string) string {
		return accept("AA", "")(m) + "ORC|OK|SK10001-1\rORC|UA|SK10001-2\r"
	}
	c.order("K", "CBC")
	c.step()
	v := c.everything(patientID).Orders[0]
	require.Equal(t, string(order.Received), v.State)
	require.Contains(t, v.Reason, "did not take Blood count (UA)")
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'order' AND state = 'open'"))

	c = open(t)
	c.lab.answer = accept("CA", "")
	o := c.order("K")
	c.step()
	require.Equal(t, string(order.Received), c.state(o))
	c.receive("MSH|^~\\&|LIS|BRINEHOUSE|||2026||ORL^O22|77|P|2.5.1\rMSA|AR|"+o.Placer+"|Account closed\r", "AA")
	require.Equal(t, string(order.Failed), c.state(o))
	require.Equal(t, "Account closed", c.everything(patientID).Orders[0].Reason)
	require.Empty(t, c.desk().Quarantine)
	c.receive("MSH|^~\\&|LIS|BRINEHOUSE|||2026||ORL^O22|78|P|2.5.1\rMSA|AR|SK77777|Nobody\r", "AA")
	require.Len(t, c.desk().Quarantine, 1, "an answer to nothing of ours is held")
}

func TestAnOrderSentTwiceByTheBrowserIsOneOrder(t *testing.T) {
	c := open(t)
	n := orders.NewOrder{PatientID: patientID, RequestID: "one", Secret: secret, Pad: order.Pad{Priority: "S", Drawing: order.AtSite, Lines: []order.Line{{Test: "K", Diagnoses: []string{"I10"}}}}}
	a, err := c.app.Order.PlaceOrder(ctx, c.doctor(), n)
	require.NoError(t, err)
	b, err := c.app.Order.PlaceOrder(ctx, c.doctor(), n)
	require.NoError(t, err)
	require.Equal(t, a[0].Placer, b[0].Placer)
	require.Equal(t, 1, c.count("SELECT count(*) FROM outbox"))
	for says, change := range map[string]func(*orders.NewOrder){
		"link a diagnosis":         func(n *orders.NewOrder) { n.Lines = []order.Line{{Test: "K"}} },
		"is not in the test list":  func(n *orders.NewOrder) { n.Lines[0].Test = "NOPE" },
		"heading":                  func(n *orders.NewOrder) { n.Lines[0].Diagnoses = []string{"M10.07"} },
		"not one of this patient":  func(n *orders.NewOrder) { n.VisitID = "other" },
		"routine, urgent or stat":  func(n *orders.NewOrder) { n.Priority = "" },
		"There is no such patient": func(n *orders.NewOrder) { n.PatientID = "nobody" },
	} {
		m := orders.NewOrder{PatientID: patientID, RequestID: says, Secret: secret, Pad: order.Pad{Priority: "R", Drawing: order.AtSite, Lines: []order.Line{{Test: "K", Diagnoses: []string{"I10"}}}}}
		change(&m)
		_, err := c.app.Order.PlaceOrder(ctx, c.doctor(), m)
		require.ErrorContains(t, err, says)
	}
	require.Equal(t, 1, c.count("SELECT count(*) FROM lab_order"))
}

// A falling filtration rate speaks up about what is already taken.
func TestAResultSpeaksUpAboutWhatIsTaken(t *testing.T) {
	c := open(t)
	_, err := c.app.Intake.AddEntry(ctx, c.jonah(), visitID, intake.NewEntry{List: "medicines", Title: "Metformin", Detail: "1000 mg twice daily"})
	require.NoError(t, err)
	o := c.order("K")
	rate := func(control, value string) {
		c.receive(oru(control, o.Placer+"-1", "C", "4.1", "OBX|1|NM|K^Potassium^L^2823-3^^LN||4.1|mmol/L|3.5-5.1||||C\r", "OBX|1|NM|K^Potassium^L^2823-3^^LN||4.1|mmol/L|3.5-5.1||||C\r"+
			"OBX|2|NM|EGFR^Filtration rate^L^98979-8^^LN||"+value+"|mL/min/{1.73_m2}|>59||||C\r"), "AA")
	}
	rate("S1", "61")
	r, err := c.app.Result.Report(ctx, c.doctor(), c.desk().Reports[0].ID)
	require.NoError(t, err)
	require.Empty(t, r.Care)
	rate("S2", "27")
	r, err = c.app.Result.Report(ctx, c.doctor(), r.ID)
	require.NoError(t, err)
	require.Len(t, r.Care, 1)
	require.Equal(t, safety.Never, r.Care[0].Grade)
	require.Equal(t, "Metformin", r.Care[0].Medicine)
	require.Contains(t, r.Care[0].Says, "filtration rate of 27 mL/min/1.73 m²")
	chart, err := c.app.Chart.Chart(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	require.Len(t, chart.Medicines[0].Warnings, 1, "and in the spine of the chart")
}
