package app_test

import (
	"fmt"
	"math/rand"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app"
	"deftledger/app/act"
	orders "deftledger/app/order"
	"deftledger/app/packet"
	results "deftledger/app/result"
	"deftledger/core/chart"
	"deftledger/core/order"
	"deftledger/core/visit"
	"deftledger/store"
)

// killed lets the process end where it stands, and begins another on the same data: what was in memory is gone.
func (c *clinic) killed() {
	c.Helper()
	require.NoError(c, c.closes())
	s, err := store.Open(ctx, c.dir)
	require.NoError(c, err)
	c.Cleanup(func() { s.Close() })
	c.store = s
	c.config.Store = c.store
	c.app = app.New(c.config)
}

// simulated is how many orders are simulated: a few with every test, 5,000 where DEFTLEDGER_SIMULATE says so.
func simulated(t *testing.T) int {
	n, err := strconv.Atoi(os.Getenv("DEFTLEDGER_SIMULATE"))
	if err != nil {
		return 150
	}
	t.Logf("%d orders", n)
	return n
}

// Orders whose answers come twice, late, out of order, corrected, for the wrong patient or never, with processes killed in between and
// people who sign, hand over, tell, fail to reach, cancel and leave things lying: at the end every order is told, waits on a named
// person, or is cancelled with a reason.
func TestEveryOrderIsAccountedFor(t *testing.T) {
	t.Parallel()
	c := open(t)
	n := simulated(t)
	r := rand.New(rand.NewSource(7))
	people := []chart.Patient{{ID: patientID, Name: chart.Name{Family: "Marsh-Adeyemi", Given: "Ottoline"}, BirthDate: "1968-03-14", Sex: "F"}}
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		for i := range 40 {
			p := chart.Patient{ID: fmt.Sprintf("s%02d", i), Record: fmt.Sprintf("SK-9%02d", i), Name: chart.Name{Family: fmt.Sprintf("Family%c", 'a'+i%20), Given: fmt.Sprintf("Given%c", 'a'+i/4)}, BirthDate: fmt.Sprintf("19%02d-05-04", 40+i), Sex: "F", Phone: "555-0118", UsesPortal: i%2 == 0}
			if err := q.AddPatient(p); err != nil {
				return err
			}
			if err := q.AddVisit(visit.Visit{ID: "v" + p.ID, PatientID: p.ID, ClinicianID: c.doctor().ID, Day: "2026-05-04", StartsAt: c.now, Kind: "Acute visit", Reason: "Toe", Stage: "ready", StageAt: c.now}); err != nil {
				return err
			}
			people = append(people, p)
		}
		return nil
	}))
	type sent struct {
		of     chart.Patient
		placer string
		texts  []string
	}
	var waiting []sent
	control, never := 0, 0
	write := func(s sent, status, value string) string {
		control++
		return oru(fmt.Sprintf("C%d", control), s.placer+"-1", status, value, "Marsh-Adeyemi^Ottoline||19680314|F", fmt.Sprintf("%s^%s||%s|%s", s.of.Name.Family, s.of.Name.Given, strings.ReplaceAll(s.of.BirthDate, "-", ""), s.of.Sex))
	}
	// deliver lets a message arrive; now and then the process is killed before it is filed, and the sender sends it again.
	deliver := func(text string) {
		require.Contains(t, string(c.app.Result.Receive("test", []byte(text))), "MSA|AA|")
		if r.Intn(25) == 0 {
			c.killed()
			require.Contains(t, string(c.app.Result.Receive("test", []byte(text))), "MSA|AA|")
		}
		if r.Intn(6) == 0 {
			require.Contains(t, string(c.app.Result.Receive("test", []byte(text))), "MSA|AA|", "the same again")
		}
		if r.Intn(3) > 0 {
			c.step()
		}
	}
	work := func() { // somebody works on their desk for a while
		c.step()
		d := c.desk()
		for i, x := range d.Quarantine {
			switch r.Intn(4) {
			case 0:
				_ = c.app.Result.SetAside(ctx, c.doctor(), x.ID, "Nobody of ours.")
			case 1:
				require.NoError(t, c.app.Result.GiveBack(ctx, c.petra(), x.ID, results.ToBack{Reason: fmt.Sprintf("Asked %d", i)}))
			case 2:
				if v, err := c.app.Result.Held(ctx, c.doctor(), x.ID); err == nil && len(v.Candidates) > 0 {
					require.NoError(t, c.app.Result.Attach(ctx, c.doctor(), x.ID, v.Candidates[0].Patient.ID, "The laboratory misspells."))
				}
			}
		}
		for _, x := range d.Reports {
			if r.Intn(3) == 0 || x.Waits {
				continue
			}
			if x.Critical != "" {
				require.NoError(t, c.app.Result.TellCritical(ctx, c.doctor(), x.ID, results.CriticalContact{Reached: true, Who: "herself", How: "telephone", ReadBack: true}))
			}
			way, why := []string{"telephone", "call", "visit", "not told", "letter"}[r.Intn(5)], ""
			if way == "not told" {
				why = "Known already."
			}
			s := packet.PacketSettled{ID: fmt.Sprintf("settle-%d-%d", control, c.now.UnixNano()), Comment: "Seen.", Told: way, ToldReason: why, Text: "Your test is back.", Secret: secret,
				Reports: []packet.SettledReport{{ID: x.ID, Issue: x.Issue, Version: x.Version, Act: "sign"}}}
			if way == "visit" {
				s.Until = "2027-01-01"
			}
			if _, err := c.app.Packet.Settle(ctx, c.doctor(), x.Patient.ID, s); err != nil {
				require.Contains(t, []act.Kind{act.Invalid, act.Conflict}, kind(t, err), "%v", err) // a way that this patient cannot be told by
			}
		}
		var open []string
		require.NoError(t, c.store.Read(ctx, func(q *store.Q) error {
			all, err := q.InquiriesOpen(store.ToTell, 1000)
			for _, i := range all {
				open = append(open, i.ID)
			}
			return err
		}))
		for _, id := range open {
			if came := []string{"reached", "no answer", "", "not told"}[r.Intn(4)]; came != "" {
				_ = c.app.Packet.Tried(ctx, c.doctor(), id, packet.TellAttempt{Came: came, Who: "herself", Why: "x"}) // a letter is posted and reaches nobody by telephone
			}
		}
		if len(d.Orders) > 0 && r.Intn(2) == 0 {
			o := d.Orders[r.Intn(len(d.Orders))]
			_, _ = c.app.Order.CancelOrder(ctx, c.doctor(), o.Order.ID, "No longer needed.") // one that is done cannot be cancelled
		}
	}
	for i := range n {
		p := people[r.Intn(len(people))]
		o, err := c.app.Order.PlaceOrder(ctx, c.doctor(), orders.NewOrder{PatientID: p.ID, RequestID: fmt.Sprint("sim", i), Secret: secret,
			Pad: order.Pad{Priority: "R", Drawing: order.DrawnNow, Lines: []order.Line{{Test: "K", Diagnoses: []string{"M10.071"}}}}})
		require.NoError(t, err)
		s := sent{of: p, placer: o[0].Placer}
		value := []string{"4.1", "4.4", "5.6", "6.8"}[r.Intn(4)]
		switch r.Intn(8) {
		case 0:
			never++ // never answered
		case 1: // preliminary, final
			s.texts = []string{write(s, "P", value), write(s, "F", value)}
		case 2: // out of order
			s.texts = []string{write(s, "F", value), write(s, "P", value)}
		case 3: // corrected
			s.texts = []string{write(s, "F", value), write(s, "C", "4.2")}
		case 4: // of somebody else
			wrong := s
			wrong.of = people[r.Intn(len(people))]
			s.texts = []string{write(wrong, "F", value)}
			if r.Intn(2) == 0 {
				s.texts = append(s.texts, write(s, "F", value))
			}
		case 5: // an order number that is none
			s.texts = []string{write(sent{of: p, placer: "SK0"}, "F", value), write(s, "F", value)}
		default:
			s.texts = []string{write(s, "F", value)}
		}
		waiting = append(waiting, s)
		for len(waiting) > 0 && r.Intn(3) > 0 { // what was ordered before is answered now
			k := r.Intn(len(waiting))
			if len(waiting[k].texts) > 0 {
				deliver(waiting[k].texts[0])
				waiting[k].texts = waiting[k].texts[1:]
			}
			if len(waiting[k].texts) == 0 {
				waiting = append(waiting[:k], waiting[k+1:]...)
			}
		}
		c.now = c.now.Add(time.Duration(r.Intn(60)) * time.Minute)
		if i%20 == 19 {
			work()
		}
	}
	for _, s := range waiting {
		for _, text := range s.texts {
			deliver(text)
		}
	}
	c.killed()
	work()
	v, err := c.app.Loop.Loop(ctx, c.doctor(), 3650)
	require.NoError(t, err)
	t.Logf("ordered %d: told %d, cancelled %d, open %d, lost %d; never answered %d", v.All.Ordered, v.All.Told, v.All.Cancelled, v.All.Open, v.All.Lost, never)
	require.Equal(t, n, v.All.Ordered)
	require.Zero(t, v.All.Lost, "%+v", v.Lost)
	require.Equal(t, n, v.All.Told+v.All.Cancelled+v.All.Open)
	require.Positive(t, v.All.Told)
	require.Positive(t, v.All.Cancelled)
	require.Positive(t, v.All.Open)
	for _, x := range v.Slowest {
		require.NotEmpty(t, x.With, "%+v", x)
	}
	require.Zero(t, c.count("SELECT count(*) FROM lab_order WHERE state = 'cancelled' AND reason = ''"), "cancelled with a reason")
	found, err := act.Verify(ctx, c.store, c.config.Keys, act.Verification{})
	require.NoError(t, err)
	require.Empty(t, found.Wrong)
}
