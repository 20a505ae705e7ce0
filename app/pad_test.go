package app_test

import (
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	orders "deftledger/app/order"
	"deftledger/app/registration"
	"deftledger/core/chart"
	"deftledger/core/line"
	"deftledger/core/order"
)

// pad is a signing of the doctor, changed by the test.
func (c *clinic) pad(change func(*orders.NewOrder), lines ...order.Line) ([]orders.OrderView, error) {
	for i := range lines {
		if lines[i].Diagnoses == nil {
			lines[i].Diagnoses = []string{"M10.071"}
		}
	}
	n := orders.NewOrder{PatientID: patientID, RequestID: act.NewID(), Secret: secret, Pad: order.Pad{Priority: "R", Drawing: order.DrawnHere, Lines: lines}}
	if change != nil {
		change(&n)
	}
	return c.app.Order.PlaceOrder(ctx, c.doctor(), n)
}

// faxes listens as a fax line.
func (c *clinic) faxes() func() []http.Request {
	var mu sync.Mutex
	var got []http.Request
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		text, _ := io.ReadAll(r.Body)
		mu.Lock()
		defer mu.Unlock()
		r.Header.Set("Body", string(text[:5]))
		got = append(got, *r)
	}))
	c.Cleanup(s.Close)
	c.app.Elsewhere.Fax = s.URL
	return func() []http.Request {
		mu.Lock()
		defer mu.Unlock()
		return got
	}
}

// One signing may hold tests of two laboratories and for another day: each an order of its
// own, with its line, all found together.
func TestOneSigningIsAnOrderForEachLaboratoryAndDay(t *testing.T) {
	c := open(t)
	faxes := c.faxes()
	out, err := c.pad(func(n *orders.NewOrder) { n.Drawing = order.DrawnNow },
		order.Line{Test: "K"}, order.Line{Test: "CBC"}, order.Line{Laboratory: "northsound", Test: "B12"},
		order.Line{Test: "B12"}, order.Line{Test: "URIC", Timing: order.Timing{Due: "2026-05-18"}})
	require.NoError(t, err)
	require.Len(t, out, 3)
	require.Equal(t, 3, c.count("SELECT count(*) FROM line WHERE kind = ? AND closed_at = ''", line.Order), "none is without a line")
	require.Equal(t, 3, c.count("SELECT count(*) FROM ledger_entry WHERE kind = 'order'"), "each is sealed")
	byLab := map[string]orders.OrderView{}
	for _, o := range out {
		byLab[o.Party+o.Due] = o
		require.Equal(t, out[0].Together, o.Together)
	}
	require.Len(t, byLab["brinehouse"].Tests, 3)
	require.Equal(t, "GGT", byLab["northsound"].Tests[0].Name, "B12 of Northsound is another test than B12 of Brinehouse")
	require.Equal(t, string(order.Planned), byLab["brinehouse2026-05-18"].State)
	require.Equal(t, order.DrawnHere, byLab["brinehouse2026-05-18"].Drawing, "what is for another day was not drawn now")
	require.Empty(t, byLab["brinehouse2026-05-18"].Collected)
	c.step()
	require.Len(t, c.lab.got, 1, "Brinehouse gets its own, not what is for later")
	require.Contains(t, string(c.lab.got[0]), "SPM|1|||SER^Serum^HL70487")
	require.NotContains(t, string(c.lab.got[0]), "URIC")
	require.Len(t, faxes(), 1, "Northsound gets a requisition by fax")
	require.Equal(t, "555-0172", faxes()[0].Header.Get("Fax-Number"))
	require.Equal(t, "%PDF-", faxes()[0].Header.Get("Body"))
	require.Equal(t, string(order.Received), c.state(byLab["northsound"]))
	require.Empty(t, c.verify())
}

// A laboratory's own questions stand between the test and the signature, and go out with it.
func TestQuestionsOfTheLaboratory(t *testing.T) {
	c := open(t)
	digoxin := func(answers ...order.EntryAnswer) error {
		_, err := c.pad(func(n *orders.NewOrder) { n.Drawing = order.DrawnNow }, order.Line{Test: "DIG", Answers: answers})
		return err
	}
	require.ErrorContains(t, digoxin(), "Last dose taken at")
	for says, x := range map[string]order.EntryAnswer{
		"Choose the date and time": {Question: "LASTDOSE", Answer: "this morning"},
		"lies in the future":       {Question: "LASTDOSE", Answer: "2026-05-06T08:00"},
		"two years back":           {Question: "LASTDOSE", Answer: "2020-05-06T08:00"},
		"does not ask":             {Question: "USITE", Answer: "midstream"},
	} {
		require.ErrorContains(t, digoxin(x), says)
		require.Equal(t, act.Invalid, kind(t, digoxin(x)))
	}
	require.Zero(t, c.count("SELECT count(*) FROM lab_order"), "nothing of it is kept")
	require.NoError(t, digoxin(order.EntryAnswer{Question: "LASTDOSE", Answer: "2026-05-04T07:30"}))
	c.step()
	require.Contains(t, string(c.lab.got[0]), "OBX|1|TS|LASTDOSE^Last dose taken at^L||202605040730-0400||||||O")
	_, err := c.pad(func(n *orders.NewOrder) { n.Drawing = order.DrawnNow },
		order.Line{Test: "PT", Answers: []order.EntryAnswer{{Question: "ANTIC", Answer: "none"}, {Question: "TARGET", Answer: "2 to 3"}}})
	require.NoError(t, err)
	c.step()
	require.NotContains(t, string(c.lab.got[1]), "TARGET", "what is asked only of somebody on warfarin is not sent of others")
}

// What is drawn here later goes out with the time and the name of who drew it, once.
func TestDrawnAfterTheSignature(t *testing.T) {
	c := open(t)
	out, err := c.pad(nil, order.Line{Test: "K"}, order.Line{Test: "CBC"})
	require.NoError(t, err)
	o := out[0]
	require.Equal(t, string(order.ToDraw), o.State)
	require.Equal(t, []string{"gold-top tube (gel)", "lavender-top tube (EDTA)"}, []string{o.Tubes[0].Name, o.Tubes[1].Name}, "in the order of draw")
	c.step()
	require.Empty(t, c.lab.got, "the laboratory knows of nothing that was not drawn")
	list, err := c.app.Order.Specimens(ctx, c.jonah())
	require.NoError(t, err)
	require.Len(t, list.ToDraw, 1)
	require.Equal(t, "Marsh-Adeyemi", list.ToDraw[0].Patient.Family)

	require.ErrorContains(t, c.app.Order.NotDrawn(ctx, c.jonah(), o.ID, " "), "Say why")
	require.NoError(t, c.app.Order.NotDrawn(ctx, c.jonah(), o.ID, "Veins not found, comes back tomorrow"))
	list, err = c.app.Order.Specimens(ctx, c.jonah())
	require.NoError(t, err)
	require.Contains(t, list.ToDraw[0].Failed, "Veins not found")
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE subject = ? AND state = ?", o.ID, line.Open), "its line is open for who ordered it")

	c.now = c.now.Add(24 * time.Hour)
	for says, when := range map[string]string{"in the future": "2026-05-06T10:00", "more than a week": "2026-04-20T10:00", "day and time": "yesterday"} {
		require.ErrorContains(t, c.app.Order.Drawn(ctx, c.jonah(), o.ID, when), says)
	}
	var wg sync.WaitGroup
	var mu sync.Mutex
	done := 0
	for range 8 {
		wg.Go(func() {
			if err := c.app.Order.Drawn(ctx, c.jonah(), o.ID, "2026-05-05T08:10"); err == nil {
				mu.Lock()
				done++
				mu.Unlock()
			} else if kind(t, err) != act.Conflict {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	require.Equal(t, 1, done, "it is drawn once, however many say so")
	c.step()
	require.Len(t, c.lab.got, 1)
	require.Contains(t, string(c.lab.got[0]), "|||20260505081000-0400|||^medical assistant^A|")

	list, err = c.app.Order.Specimens(ctx, c.jonah())
	require.NoError(t, err)
	require.Empty(t, list.ToDraw)
	require.Len(t, list.Waiting, 1)
	require.NoError(t, c.app.Order.PickedUp(ctx, c.jonah(), []string{o.ID}))
	require.NoError(t, c.app.Order.PickedUp(ctx, c.jonah(), []string{o.ID}), "said twice is once")
	list, err = c.app.Order.Specimens(ctx, c.jonah())
	require.NoError(t, err)
	require.Empty(t, list.Waiting)
	require.Equal(t, 1, c.count("SELECT count(*) FROM specimen WHERE says = 'picked up'"))
	require.Equal(t, act.Conflict, kind(t, c.app.Order.NotDrawn(ctx, c.jonah(), o.ID, "late")))
	require.Empty(t, c.verify())
}

// One identifier stands for one signing: asked again with another day, laboratory or payer it is
// refused, and never answered with the first.
func TestOneIdentifierIsOneSigning(t *testing.T) {
	c := open(t)
	same := func(change func(*orders.NewOrder)) error {
		_, err := c.pad(func(n *orders.NewOrder) {
			n.RequestID = "r"
			if change != nil {
				change(n)
			}
		}, order.Line{Test: "B12"})
		return err
	}
	require.NoError(t, same(nil))
	require.NoError(t, same(nil))
	for name, change := range map[string]func(*orders.NewOrder){
		"another day":        func(n *orders.NewOrder) { n.Lines[0].Due = "2026-05-20" },
		"another laboratory": func(n *orders.NewOrder) { n.Lines[0].Laboratory = "northsound" },
		"another payer":      func(n *orders.NewOrder) { n.Payer.Who = order.PracticePays },
		"a copy":             func(n *orders.NewOrder) { n.Copies = []order.Copy{{Patient: true}} },
		"standing":           func(n *orders.NewOrder) { n.Lines[0].Every, n.Lines[0].Until = 4, "2026-08-01" },
	} {
		require.Equal(t, act.Conflict, kind(t, same(change)), name)
	}
	require.Equal(t, 1, c.count("SELECT count(*) FROM lab_order"))
}

// That a fax arrived says nothing of what the hospital does: a cancelled order on paper stays a
// line until somebody has asked.
func TestCancellingOnPaperIsNotAnswered(t *testing.T) {
	c := open(t)
	c.faxes()
	out, err := c.pad(func(n *orders.NewOrder) { n.Drawing = order.DrawnNow }, order.Line{Laboratory: "northsound", Test: "B12"})
	require.NoError(t, err)
	c.step()
	told, err := c.app.Order.CancelOrder(ctx, c.doctor(), out[0].ID, "Not wanted.")
	require.NoError(t, err)
	require.True(t, told)
	c.step()
	o, err := c.app.Order.Order(ctx, c.doctor(), out[0].ID)
	require.NoError(t, err)
	require.True(t, o.Order.NotDone)
	require.Contains(t, o.Order.Cancelling, "a fax is not answered")
	open := func() int {
		return c.count("SELECT count(*) FROM line WHERE subject = ? AND closed_at = ''", out[0].ID)
	}
	require.Equal(t, 1, open())
	_, err = c.app.Order.CancelOrder(ctx, c.doctor(), out[0].ID, "Ms. Dahl: it was not begun.")
	require.NoError(t, err)
	require.Zero(t, open())
}

// What falls due is moved on however many wait to be drawn; a site that nobody has is refused.
func TestManyToDrawHoldNothingUp(t *testing.T) {
	c := open(t)
	for range 205 {
		c.now = c.now.Add(time.Second)
		_, err := c.pad(nil, order.Line{Test: "K"})
		require.NoError(t, err)
	}
	planned, err := c.pad(func(n *orders.NewOrder) { n.Drawing, n.Site = order.AtSite, "HARB" }, order.Line{Test: "NA", Timing: order.Timing{Due: "2026-05-06"}})
	require.NoError(t, err)
	c.now = c.now.Add(48 * time.Hour)
	c.step()
	require.Equal(t, string(order.Received), c.state(planned[0]))
	list, err := c.app.Order.Specimens(ctx, c.jonah())
	require.NoError(t, err)
	require.True(t, list.Cut, "what is not listed is said")
	_, err = c.pad(func(n *orders.NewOrder) { n.Drawing, n.Site = order.AtSite, "ELSEWHERE" }, order.Line{Test: "NA"})
	require.ErrorContains(t, err, "has the site")
}

// A standing order is an order for each day from the beginning; each comes up on its own, and
// one that is cancelled leaves the others.
func TestAStandingOrderOverWeeks(t *testing.T) {
	c := open(t) // on 4 May 2026
	out, err := c.pad(func(n *orders.NewOrder) { n.Drawing = order.AtSite },
		order.Line{Test: "PT", Answers: []order.EntryAnswer{{Question: "ANTIC", Answer: "warfarin"}, {Question: "TARGET", Answer: "2 to 3"}},
			Timing: order.Timing{Every: 2, Until: "2026-06-20"}})
	require.NoError(t, err)
	var days []string
	for _, o := range out {
		days = append(days, o.Due)
	}
	require.Equal(t, []string{"", "2026-05-18", "2026-06-01", "2026-06-15"}, days)
	require.Equal(t, "4 of 4", out[3].Standing)
	require.Equal(t, 4, c.count("SELECT count(*) FROM line WHERE kind = ? AND closed_at = ''", line.Order))
	c.step()
	require.Len(t, c.lab.got, 1, "only the first goes out today")
	_, err = c.app.Order.CancelOrder(ctx, c.doctor(), out[1].ID, "On the ferry that day.")
	require.NoError(t, err)
	for range 30 { // days
		c.now = c.now.Add(24 * time.Hour)
		c.step()
	}
	require.Len(t, c.lab.got, 2, "by 3 June the one of 1 June went out; that of 18 May was taken back")
	require.Contains(t, string(c.lab.got[1]), "|"+out[2].Placer+"|P|2.5.1")
	require.Equal(t, string(order.Planned), c.state(out[3]))
	for range 15 {
		c.now = c.now.Add(24 * time.Hour)
		c.step()
	}
	require.Len(t, c.lab.got, 3)
	require.Empty(t, c.verify())
}

// Who pays is checked against the registration; what is missing is named.
func TestWhoPays(t *testing.T) {
	c := open(t)
	insurer := func(n *orders.NewOrder) { n.Payer.Who = order.InsurerPays }
	_, err := c.pad(insurer, order.Line{Test: "K"})
	require.ErrorContains(t, err, "a primary coverage that holds on")
	now, err := c.app.Registration.Registration(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	r := now.Registration
	r.Coverages = []chart.Coverage{{ID: "k1", Rank: "primary", Kind: "commercial", Payer: "Skerrow Mutual", Number: "P-77", Holder: "self"}}
	r.Guarantor = "self"
	_, err = c.app.Registration.ChangeRegistration(ctx, c.doctor(), patientID, registration.ChangedRegistration{Registration: r, Usual: now.Usual})
	require.NoError(t, err)
	c.app.Telephone = "555-0100"
	out, err := c.pad(func(n *orders.NewOrder) { insurer(n); n.Drawing = order.DrawnNow }, order.Line{Test: "K"})
	require.NoError(t, err)
	require.Equal(t, "the insurer", out[0].Payer)
	c.step()
	m := string(c.lab.got[0])
	require.Contains(t, m, "IN1|1|^Skerrow Mutual|Skerrow Mutual^^^SKERROW^XX|Skerrow Mutual")
	require.Contains(t, m, "|P-77\r")
	require.Contains(t, m, "GT1|1||Marsh-Adeyemi^Ottoline")
	require.Less(t, strings.Index(m, "IN1|"), strings.Index(m, "ORC|"))
	field := func(segment string, n int) string {
		for _, s := range strings.Split(m, "\r") {
			if f := strings.Split(s, "|"); f[0] == segment && len(f) > n {
				return f[n]
			}
		}
		return ""
	}
	require.Equal(t, "P-77", field("IN2", 61), "the number of the member (HL7 v2.5.1, 6.5.7.61)")
	require.Equal(t, "^PRN^PH^^^^^^^^^555-0118", field("IN2", 63), "how the insured is reached")
	require.Equal(t, "^WPN^PH^^^^^^^^^555-0100", field("ORC", 14), "where the laboratory calls back")
	require.Equal(t, field("ORC", 14), field("OBR", 17))
}

// What the pad offers before anything is typed.
func TestWhatThePadOffers(t *testing.T) {
	c := open(t)
	for range 3 {
		c.now = c.now.Add(time.Hour)
		c.order("URIC")
	}
	c.now = c.now.Add(time.Hour)
	c.order("K")
	v, err := c.app.Order.Pad(ctx, c.doctor(), patientID, []string{"M10.071"})
	require.NoError(t, err)
	require.Equal(t, []string{"URIC", "K"}, []string{v.Often[0].Code, v.Often[1].Code}, "the commonest first")
	require.NotEmpty(t, v.Usual, "of the set for gout")
	require.Len(t, v.Laboratories, 2)
	require.True(t, v.Laboratories[1].Paper)
	require.Equal(t, []string{"a primary coverage that holds on 04 May 2026"}, v.Lacks[0].Lacks)
}

// An order that nobody answers comes up by the test's own turnaround; somebody asks after it,
// and it waits again until the day they were told.
func TestAnOrderThatIsNotAnsweredComesUp(t *testing.T) {
	c := open(t) // 4 May 2026, 10:00
	o := c.order("K")
	c.step()
	late := func() []orders.OrderRowView {
		v, err := c.app.Order.History(ctx, c.doctor(), orders.Sought{Which: orders.LateOrders})
		require.NoError(t, err)
		return v.Rows
	}
	open := func() int {
		return c.count("SELECT count(*) FROM line WHERE subject = ? AND state = 'open' AND closed_at = ''", o.ID)
	}
	require.Empty(t, late())
	c.now = c.now.Add(47 * time.Hour) // a day for the courier, a day for the laboratory
	c.step()
	require.Empty(t, late())
	require.Zero(t, open())
	c.now = c.now.Add(2 * time.Hour)
	c.step()
	require.Len(t, late(), 1)
	require.Equal(t, "to be answered", late()[0].Next.What)
	require.Equal(t, 1, open(), "it stands among what is to be acted on")
	require.Equal(t, "late", c.desk().Rows[0].Mark)

	for says, x := range map[string][2]string{"with whom": {" ", "2026-05-08"}, "Choose the day on": {"Brinehouse", "soon"}, "sixty days": {"Brinehouse", "2027-01-01"},
		"from today": {"Brinehouse", "2026-05-01"}} {
		require.ErrorContains(t, c.app.Order.Called(ctx, c.jonah(), o.ID, x[0], x[1]), says)
	}
	require.NoError(t, c.app.Order.Called(ctx, c.jonah(), o.ID, "Brinehouse, Ms. Hale: it runs tonight.", "2026-05-08"))
	require.Empty(t, late())
	require.Zero(t, open())
	c.now = c.now.Add(24 * time.Hour)
	c.step()
	require.Zero(t, open(), "not before the day they said")
	c.now = c.now.Add(72 * time.Hour)
	c.step()
	require.Equal(t, 1, open())
	require.Equal(t, "Brinehouse, Ms. Hale: it runs tonight.", late()[0].Done[0].Detail)
	c.receive(oru("L1", o.Placer+"-1", "F", "4.1"), "AA")
	require.Empty(t, late(), "answered, it is not late any more")
	require.Empty(t, c.verify())
}

// What the laboratory says of an order, asked or unasked, stands with it in words; whatever
// means that nothing will come of itself opens its line.
func TestTheLaboratorySaysHowFarAnOrderIs(t *testing.T) {
	c := open(t)
	o := c.order("K", "BMP")
	require.ErrorContains(t, c.app.Order.AskLaboratory(ctx, c.jonah(), o.ID), "nothing to answer for")
	require.ErrorContains(t, c.app.Order.SendAgain(ctx, c.jonah(), o.ID), "Only what the laboratory took")
	c.step()
	said := func() orders.DoneView {
		out, err := c.app.Order.Order(ctx, c.doctor(), o.ID)
		require.NoError(t, err)
		require.Equal(t, string(order.Received), out.Order.State, "a word of the laboratory is no result")
		return out.Done[len(out.Done)-1]
	}
	mark := func() string { _, m := c.lineOf(o.ID); return m }
	answers := func(orc string) {
		c.lab.answer = func(m string) string {
			control := strings.Split(m, "|")[9]
			return "MSH|^~\\&|LIS|B|||20261123||ORL^O22|A" + control + "|P|2.5.1\rMSA|AA|" + control + "\r" + strings.ReplaceAll(orc, "#", o.Placer)
		}
		c.now = c.now.Add(time.Minute)
		require.NoError(t, c.app.Order.AskLaboratory(ctx, c.jonah(), o.ID))
		require.ErrorContains(t, c.app.Order.AskLaboratory(ctx, c.jonah(), o.ID), "asked already")
		c.step()
	}
	answers("ORC|SR|#-1|||IP\rORC|SR|#-2|||SC\r")
	sent := string(c.lab.got[len(c.lab.got)-1])
	require.Contains(t, sent, "\rORC|SS|"+o.Placer+"-1^SKERROW||"+o.Placer+"^SKERROW")
	require.NotContains(t, sent, "\rDG1|", "which order, and nothing that they have")
	require.Equal(t, orders.DoneView{At: said().At, Says: "told", Detail: "Potassium: in process there; Basic metabolic panel: scheduled there"}, said())
	require.Empty(t, mark())
	answers("ORC|SR|#-1|||CM\rORC|SR|#-2|||HD\r")
	require.Equal(t, "Potassium: completed there; no final report of it is here; Basic metabolic panel: on hold there", said().Detail)
	require.Equal(t, "word of the laboratory", mark())
	for orc, says := range map[string]string{"": "said nothing of the order", "ORC|SR|SK99-1|||IP\r": "answered for another order", "ORC|SR|#-1|||??\r": "table 0038 does not have",
		"ORC|SR|#-1\r": "no status", "ORC|SR|#-7|||ER\r": "not found there"} {
		answers(orc)
		require.Contains(t, said().Detail, says)
		require.Equal(t, "told of trouble", said().Says)
		require.Equal(t, "word of the laboratory", mark())
	}

	// Sent again, under its number; that it is refused the second time changes nothing of the first.
	c.lab.answer = accept("AE", "Duplicate order")
	require.NoError(t, c.app.Order.SendAgain(ctx, c.jonah(), o.ID))
	require.ErrorContains(t, c.app.Order.SendAgain(ctx, c.jonah(), o.ID), "on its way")
	require.Empty(t, mark(), "somebody has seen to it")
	c.step()
	require.Equal(t, "It has taken it before, and refused it sent again: Duplicate order", said().Detail)

	// Unasked. What names another patient, or an order that is not here, is held whole.
	held := func() int { return c.count("SELECT count(*) FROM inbox WHERE state = 'quarantined'") }
	statement := func(n, pid, orc string) {
		c.receive("MSH|^~\\&|LIS|BRINEHOUSE|DEFTLEDGER|SKERROW|20260504120000-0400||OML^O21^OML_O21|"+n+"|P|2.5.1\r"+pid+orc, "AA")
	}
	statement("S1", "PID|1||||Marsh-Adeyemi^Ottoline||19680314|F\r", "ORC|SC|"+o.Placer+"-1|||DC|||||||||||^Tube broken\r")
	require.Equal(t, "Potassium: discontinued there: Tube broken", said().Detail)
	before := c.count("SELECT count(*) FROM order_event")
	statement("S2", "PID|1||||Brekken^Halvard||19550122|M\r", "ORC|SC|"+o.Placer+"-1|||IP\r")
	statement("S3", "", "ORC|SC|"+o.Placer+"-1|||IP\rORC|SC|SK77-1|||IP\r")
	require.Equal(t, before, c.count("SELECT count(*) FROM order_event"), "all of it or nothing")
	require.Equal(t, 2, held())

	// With the report here, what is completed there is no trouble.
	c.receive(oru("L1", o.Placer+"-1", "F", "4.1"), "AA")
	statement("S4", "", "ORC|SC|"+o.Placer+"-1|||CM\r")
	require.ErrorContains(t, c.app.Order.SendAgain(ctx, c.jonah(), o.ID), "partial")
	out, err := c.app.Order.Order(ctx, c.doctor(), o.ID)
	require.NoError(t, err)
	require.Equal(t, "Potassium: completed there (its report is here)", out.Done[len(out.Done)-1].Detail)
	require.Equal(t, "told", out.Done[len(out.Done)-1].Says)
	require.Empty(t, c.verify())
}

// An order is changed as a cancelling and a new one, both or neither.
func TestAnOrderIsChanged(t *testing.T) {
	c := open(t)
	o := c.order("K")
	c.step()
	n := orders.NewOrder{PatientID: patientID, RequestID: "changed", Secret: secret, Instead: o.ID,
		Pad: order.Pad{Priority: "S", Drawing: order.DrawnNow, Lines: []order.Line{{Test: "K", Diagnoses: []string{"M10.071"}}, {Test: "MG", Diagnoses: []string{"M10.071"}}}}}
	other := n
	other.Instead, other.RequestID = "nobody", "changed2"
	_, err := c.app.Order.PlaceOrder(ctx, c.doctor(), other)
	require.ErrorContains(t, err, "order")
	require.Equal(t, 1, c.count("SELECT count(*) FROM lab_order"), "neither")
	_, err = c.app.Order.PrepareOrder(ctx, c.jonah(), n)
	require.ErrorContains(t, err, "Only whoever signs")

	out, err := c.app.Order.PlaceOrder(ctx, c.doctor(), n)
	require.NoError(t, err)
	again, err := c.app.Order.PlaceOrder(ctx, c.doctor(), n)
	require.NoError(t, err, "the browser had no answer")
	require.Equal(t, out[0].ID, again[0].ID)
	was, err := c.app.Order.Order(ctx, c.doctor(), o.ID)
	require.NoError(t, err)
	require.Equal(t, string(order.Cancelled), was.Order.State)
	require.Equal(t, "Changed: ordered anew as "+out[0].Placer+".", was.Order.Reason)
	c.step()
	sent := ""
	for _, m := range c.lab.got {
		sent += string(m)
	}
	require.Equal(t, 1, strings.Count(sent, "\rORC|CA|"+o.Placer+"-1"))
	require.Equal(t, 2, strings.Count(sent, "\rORC|NW|"+out[0].Placer+"-"))

	// With a result here it is no longer changed.
	c.receive(oru("L1", out[0].Placer+"-1", "F", "4.1"), "AA")
	n.Instead, n.RequestID = out[0].ID, "changed3"
	_, err = c.app.Order.PlaceOrder(ctx, c.doctor(), n)
	require.ErrorContains(t, err, "can no longer be changed: partial")
	require.Empty(t, c.verify())
}

// An order sent again that was cancelled before it went out a second time did go out once.
func TestAnOrderSentAgainIsCancelledThere(t *testing.T) {
	c := open(t)
	o := c.order("K")
	c.step()
	require.NoError(t, c.app.Order.SendAgain(ctx, c.jonah(), o.ID))
	told, err := c.app.Order.CancelOrder(ctx, c.doctor(), o.ID, "Not wanted.")
	require.NoError(t, err)
	require.True(t, told, "the laboratory has it from the first time")
	c.step()
	require.Contains(t, string(c.lab.got[len(c.lab.got)-1]), "\rORC|CA|")
	require.Len(t, c.lab.got, 2, "and does not get it again")
}

// The history comes in pages, each order once.
func TestTheHistoryOfOrdersInPages(t *testing.T) {
	c := open(t)
	for range 130 {
		c.now = c.now.Add(time.Second)
		c.order("K")
	}
	seen := map[string]bool{}
	after, pages := "", 0
	for pages == 0 || after != "" {
		v, err := c.app.Order.History(ctx, c.doctor(), orders.Sought{Patient: patientID, Which: orders.AllOrders, After: after})
		require.NoError(t, err)
		for _, r := range v.Rows {
			require.False(t, seen[r.Order.ID], "an order stands once")
			seen[r.Order.ID] = true
		}
		after = v.More
		pages++
	}
	require.Len(t, seen, 130)
	require.Equal(t, 3, pages)
	for words, found := range map[string]int{"potas": 60, "K brinehouse otto": 60, "marsh POTASSIUM physician": 60, "sodium": 0, "potassium urate": 0, "assium": 0} {
		v, err := c.app.Order.History(ctx, c.doctor(), orders.Sought{Which: orders.AllOrders, Words: words})
		require.NoError(t, err)
		require.Len(t, v.Rows, found, words)
	}
}
