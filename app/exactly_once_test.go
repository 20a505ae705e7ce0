package app_test

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	orders "deftledger/app/order"
	"deftledger/core/line"
	"deftledger/core/order"
	"deftledger/store"
)

// counting is a laboratory that counts accessions by placer number, takes an order once
// however often it comes, and answers as it is told to.
type counting struct {
	answers    string // takes, loses its answer, is down, names another message, refuses
	accessions map[string]int
	called     map[string]bool
	wire       map[string][]string // by control number, every message as it came
}

func (l *counting) take(m string) string {
	control := strings.Split(m, "|")[9]
	if l.answers == "is down" {
		return ""
	}
	l.wire[control] = append(l.wire[control], m)
	says := func(code, text string) string {
		of := control
		if l.answers == "names another message" {
			of = "SK1"
		}
		return "MSH|^~\\&|LIS|B|||20261123||ORL^O22|A" + control + "|P|2.5.1\rMSA|" + code + "|" + of + "|" + text + "\r"
	}
	placer := regexp.MustCompile(`(C|[RS]\d+)$`).ReplaceAllString(control, "")
	answer := says("AA", "")
	switch {
	case strings.Contains(m, "\rORC|CA|") && l.accessions[placer] == 0:
		answer = says("AE", "There is no such order here")
	case strings.Contains(m, "\rORC|SS|"):
		answer += "ORC|SR|" + placer + "-1|||" + map[bool]string{true: "IP", false: "ER"}[l.accessions[placer] > 0] + "\r"
	case strings.Contains(m, "\rORC|CA|"):
		l.called[placer] = true
	case l.accessions[placer] > 0 && l.answers == "refuses" && control != placer:
		answer = says("AE", "Duplicate order number")
	case l.accessions[placer] > 0: // the same again is the same
	case l.answers == "refuses":
		answer = says("AE", "Not this week")
	default:
		l.accessions[placer]++
	}
	if l.answers == "loses its answer" {
		return "MSH|^~\\&|LIS|B" // the line broke
	}
	return answer
}

// Whatever happens between a signature and the laboratory, in whatever order: the laboratory
// has the order once or never, what was sent again was the same bytes, and the practice knows
// where it stands, with an open line wherever something is still to be done.
func TestAnOrderHasItsEffectOnceWhateverHappens(t *testing.T) {
	t.Parallel()
	c := open(t)
	l := &counting{accessions: map[string]int{}, called: map[string]bool{}, wire: map[string][]string{}}
	c.lab.answer = l.take
	states := map[order.State]int{}
	rapid.Check(t, func(r *rapid.T) {
		c.now = c.now.Add(time.Hour)
		n := orders.NewOrder{PatientID: patientID, RequestID: fmt.Sprint("once", c.now.UnixNano()), Secret: secret,
			Pad: order.Pad{Priority: "R", Drawing: order.DrawnNow, Lines: []order.Line{{Test: "K", Diagnoses: []string{"M10.071"}}}}}
		out, err := c.app.Order.PlaceOrder(ctx, c.doctor(), n)
		require.NoError(r, err)
		id, placer := out[0].ID, out[0].Placer
		step := func() {
			c.now = c.now.Add(2 * time.Minute)
			require.NoError(r, c.app.Outbox.Step(ctx))
		}
		cancelled, spoke := false, false
		for range rapid.IntRange(0, 10).Draw(r, "acts") {
			l.answers = rapid.SampledFrom([]string{"takes", "loses its answer", "is down", "names another message", "refuses"}).Draw(r, "laboratory")
			switch rapid.SampledFrom([]string{"try", "try", "try", "crash", "cancel", "late answer", "again", "ask", "send again"}).Draw(r, "act") {
			case "try":
				step()
			case "crash": // between counting the attempt and making it
				require.NoError(r, c.store.Write(ctx, func(q *store.Q) error { _, err := q.ClaimOutgoing(placer); return err }))
			case "cancel":
				if _, err := c.app.Order.CancelOrder(ctx, c.doctor(), id, "Not wanted."); err == nil {
					cancelled, spoke = true, cancelled // the second time somebody has spoken with the laboratory, which could not
				}
			case "late answer":
				if l.accessions[placer] > 0 {
					c.app.Result.Receive("lab", []byte("MSH|^~\\&|LIS|BRINEHOUSE|DEFTLEDGER|SKERROW|20260504||ORL^O22|Q"+fmt.Sprint(c.now.UnixNano())+"|P|2.5.1\rMSA|AA|"+placer+"\r"))
					_, err := c.app.Result.FileStored(ctx)
					require.NoError(r, err)
				}
			case "ask": // refused where there is nothing to ask after
				_ = c.app.Order.AskLaboratory(ctx, c.jonah(), id)
			case "send again":
				_ = c.app.Order.SendAgain(ctx, c.jonah(), id)
			case "again": // the browser had no answer
				same, err := c.app.Order.PlaceOrder(ctx, c.doctor(), n)
				require.NoError(r, err)
				require.Equal(r, id, same[0].ID)
			}
		}
		l.answers = "takes"
		for range 4 {
			step()
		}

		require.LessOrEqual(r, l.accessions[placer], 1, "an order is one accession")
		for control, all := range l.wire {
			require.Len(r, slices.Compact(slices.Clone(all)), 1, "what is sent again under %s is the same bytes", control)
		}
		require.Equal(r, 1, c.count("SELECT count(*) FROM lab_order WHERE request_id = ?", n.RequestID))
		require.Zero(r, c.count("SELECT count(*) FROM outbox WHERE subject = ? AND state = 'waiting'", id), "nothing is left behind")
		o, err := c.app.Order.Order(ctx, c.doctor(), id)
		require.NoError(r, err)
		states[order.State(o.Order.State)]++
		open := c.count("SELECT count(*) FROM line WHERE kind = ? AND subject = ? AND closed_at = ''", line.Order, id)
		switch {
		case !cancelled && l.accessions[placer] == 1 && o.Order.State == string(order.Failed):
			require.Contains(r, o.Order.Reason, "may have it all the same", "its answer was lost, and then it refused the same again")
			require.Equal(r, 1, open)
		case !cancelled && l.accessions[placer] == 1:
			require.Equal(r, string(order.Received), o.Order.State)
			require.Equal(r, 1, open)
		case !cancelled:
			require.Equal(r, string(order.Failed), o.Order.State, "it was refused, and says so")
			require.Equal(r, 1, open)
		default:
			require.Equal(r, string(order.Cancelled), o.Order.State)
			switch {
			case spoke:
				require.True(r, o.Order.NotDone, "only what the laboratory could not cancel is settled by a person")
				require.Zero(r, open)
			case o.Order.NotDone:
				require.Equal(r, 1, open, "the laboratory could not cancel it: a person has to speak with it")
			default:
				require.Zero(r, open)
				require.True(r, l.accessions[placer] == 0 || l.called[placer], "the laboratory will not do what was cancelled")
			}
		}
		l.wire = map[string][]string{}
	})
	t.Logf("where they ended: %v", states)
	require.GreaterOrEqual(t, len(slices.Collect(maps.Keys(states))), 3, "the cases reach all ends")
}
