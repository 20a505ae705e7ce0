package app_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	orders "deftledger/app/order"
	"deftledger/app/result"
	"deftledger/core/order"
)

// A laboratory that takes paper answers on it: typed in with units and ranges, judged and signed
// like any other result, which closes the order.
func TestAnAnswerOnPaperIsTypedInAndSigned(t *testing.T) {
	c := open(t)
	c.receivers()
	out, err := c.app.Order.PlaceOrder(ctx, c.doctor(), orders.NewOrder{PatientID: patientID, RequestID: "north", Secret: secret, Pad: order.Pad{Priority: "R", Drawing: order.DrawnNow,
		Lines: []order.Line{{Laboratory: "northsound", Test: "B04", Diagnoses: []string{"M10.071"}}}}})
	require.NoError(t, err)
	o := out[0]
	answer := func(change func(*result.PaperAnswer)) error {
		x := result.PaperAnswer{ID: "answer-0001", Test: "B04", Values: []result.PaperValue{{Analyte: "1002", Text: "5.9", Unit: "mmol/L", Range: "3.5-5.1", Flag: "H"}}, Paper: "Fax of this morning, in her folder.", Sure: true}
		if change != nil {
			change(&x)
		}
		return c.app.Result.EnterPaper(ctx, c.jonah(), o.ID, x)
	}
	require.Equal(t, act.Conflict, kind(t, answer(nil)), "it has not gone out")
	c.step()
	require.Equal(t, "received by the laboratory", c.state(o))
	for name, change := range map[string]func(*result.PaperAnswer){
		"not compared":     func(x *result.PaperAnswer) { x.Sure = false },
		"no source":        func(x *result.PaperAnswer) { x.Paper = "" },
		"a program":        func(x *result.PaperAnswer) { x.PDF = []byte("MZ\x90") },
		"no unit":          func(x *result.PaperAnswer) { x.Values[0].Unit = "" },
		"another value":    func(x *result.PaperAnswer) { x.Values[0].Analyte = "1001" },
		"twice":            func(x *result.PaperAnswer) { x.Values = append(x.Values, x.Values[0]) },
		"nothing":          func(x *result.PaperAnswer) { x.Values = nil },
		"another test":     func(x *result.PaperAnswer) { x.Test = "CBC" },
		"from the future":  func(x *result.PaperAnswer) { x.Collected = "2027-01-01" },
		"no day":           func(x *result.PaperAnswer) { x.Collected = "soon" },
		"no identifier":    func(x *result.PaperAnswer) { x.ID = "" },
		"larger than 8 MB": func(x *result.PaperAnswer) { x.PDF = append([]byte("%PDF-"), make([]byte, 9<<20)...) },
	} {
		assert.Equal(t, act.Invalid, kind(t, answer(change)), name)
	}
	require.NoError(t, answer(func(x *result.PaperAnswer) { x.PDF = []byte("%PDF-1.4 fax") }))
	require.NoError(t, answer(func(x *result.PaperAnswer) { x.PDF = []byte("%PDF-1.4 fax") }), "sent again after a lost answer")
	require.Equal(t, 1, c.count("SELECT count(*) FROM report_issue"))
	r := c.only()
	require.Equal(t, "5.9", r.Values[0].Text)
	require.Equal(t, "H", r.Values[0].Flag)
	require.Contains(t, r.Notes, "Typed by "+c.jonah().Name+" from paper: Fax of this morning")
	require.NotEmpty(t, r.Details.Paper)
	require.Equal(t, "final", c.state(o))
	c.signAll()
	require.Equal(t, "reviewed", c.state(o))

	// Typed wrongly: typed again it is a correction, and open again.
	require.NoError(t, answer(func(x *result.PaperAnswer) { x.ID, x.Values[0].Text, x.Values[0].Flag = "answer-0002", "4.9", "" }))
	require.Equal(t, "final", c.state(o))
	require.Equal(t, "C", c.text("SELECT status FROM report"))
	require.Empty(t, c.verify())
}
