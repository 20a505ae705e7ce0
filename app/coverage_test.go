package app_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	orders "deftledger/app/order"
	"deftledger/app/registration"
	"deftledger/core/chart"
	"deftledger/core/coverage"
	"deftledger/core/order"
)

// insured gives our patient a coverage and a guarantor.
func (c *clinic) insured(kind, number string) {
	c.Helper()
	now, err := c.app.Registration.Registration(ctx, c.sunniva(), patientID)
	require.NoError(c, err)
	r := now.Registration
	r.Guarantor = "self"
	r.Coverages = []chart.Coverage{{ID: "m1", Rank: "primary", Kind: kind, Payer: "Medicare", Number: number, Holder: "self"}}
	_, err = c.app.Registration.ChangeRegistration(ctx, c.sunniva(), patientID, registration.ChangedRegistration{Registration: r, Usual: now.Usual, Version: now.Version})
	require.NoError(c, err)
}

// What Original Medicare is expected to pay is said before the order is signed; the notice that
// may be used sets the modifier, one that may not counts as none; of any other coverage nothing
// is said.
func TestTheAdvanceNoticeOfAnOrder(t *testing.T) {
	c := open(t)
	line := func(codes ...string) []orders.CoverageLine {
		return []orders.CoverageLine{{Laboratory: "brinehouse", Code: "LIPID", Diagnoses: codes}}
	}
	expected := func(codes ...string) orders.CoverageView {
		t.Helper()
		v, err := c.app.Order.Coverage(ctx, c.doctor(), patientID, line(codes...))
		require.NoError(t, err)
		return v
	}
	c.insured("Medicare Advantage", "A1")
	require.False(t, expected("E78.5").Applies, "never of Advantage")
	c.insured(chart.OriginalMedicare, "1EG4-TE5-MK73")
	require.EqualValues(t, "covered", expected("E78.5").Tests[0].Verdict.Answer)
	require.EqualValues(t, "excluded", expected("Z00.00").Tests[0].Verdict.Answer)
	require.EqualValues(t, "not checked", expected("M10.071").Tests[0].Verdict.Answer)
	require.Contains(t, expected("E78.5").Form, "31 Jan 2026")

	place := func(request string, choice int, codes ...string) (orders.OrderView, error) {
		n := orders.NewOrder{PatientID: patientID, RequestID: request, Secret: secret, Pad: order.Pad{Priority: "R", Drawing: order.AtSite, Payer: order.Payer{Who: order.InsurerPays},
			Lines: []order.Line{{Laboratory: "brinehouse", Test: "LIPID", Diagnoses: codes}}}}
		if choice > 0 {
			n.Notices = []orders.NoticeChoice{{Laboratory: "brinehouse", Code: "LIPID", Choice: coverage.Choice(choice)}}
		}
		out, err := c.app.Order.PlaceOrder(ctx, c.doctor(), n)
		if err != nil {
			return orders.OrderView{}, err
		}
		return out[0], nil
	}
	sent := func(o orders.OrderView) string {
		c.step()
		c.lab.Lock()
		defer c.lab.Unlock()
		for _, m := range c.lab.got {
			if strings.Contains(string(m), "|"+o.Placer+"-1^") {
				return string(m)
			}
		}
		t.Fatal("the order did not go out")
		return ""
	}
	field := func(message, segment string, n int) string {
		for s := range strings.SplitSeq(message, "\r") {
			if f := strings.Split(s, "|"); f[0] == segment {
				if n >= len(f) {
					return ""
				}
				return f[n]
			}
		}
		return ""
	}
	covered, err := place("covered", 0, "E78.5")
	require.NoError(t, err)
	m := sent(covered)
	assert.Empty(t, field(m, "ORC", 20))
	assert.Empty(t, field(m, "OBR", 45))
	assert.Equal(t, "Medicare: covered (NCD 190.23)", covered.Tests[0].Notice)

	_, err = place("unwanted", 3, "Z00.00")
	require.Equal(t, act.Invalid, kind(t, err))
	old, err := place("old form", 1, "Z00.00")
	require.NoError(t, err)
	assert.Contains(t, old.Tests[0].Notice, "on a form that may not be used, which counts as none; modifier GY")

	c.app.Notice.Until = "2030-12-31" // a newer edition was loaded
	require.Empty(t, expected("E78.5").Form)
	billed, err := place("billed", 1, "Z00.00")
	require.NoError(t, err)
	m = sent(billed)
	assert.Equal(t, "3", field(m, "ORC", 20))
	assert.Equal(t, "GX^^HCPT~GY^^HCPT", field(m, "OBR", 45))
	pays, err := place("pays", 2, "Z00.00")
	require.NoError(t, err)
	assert.Contains(t, pays.Tests[0].Notice, "Medicare is not billed")
	assert.Equal(t, "2", field(sent(pays), "ORC", 20))

	// Measured lately, the screening is unlikely to be paid again; without a notice it is GZ.
	o := c.order("LIPID")
	c.receive(strings.ReplaceAll(oru("S1", o.Placer+"-1", "F", "190", "3.5-5.1", "0-200", "mmol/L", "mg/dL"), "K^Potassium^L^2823-3^^LN", "CHOL^Cholesterol^L^2093-3^^LN"), "AA")
	v := expected("Z13.6").Tests[0].Verdict
	require.EqualValues(t, "unlikely", v.Answer)
	require.Contains(t, v.Says, "less than a month ago")
	early, err := place("early", 0, "Z13.6")
	require.NoError(t, err)
	m = sent(early)
	assert.Equal(t, "4", field(m, "ORC", 20))
	assert.Equal(t, "GZ^^HCPT", field(m, "OBR", 45))
	raw, err := c.app.Order.NoticePDF(ctx, c.jonah(), patientID, line("Z13.6"))
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(string(raw), "%PDF-"))
	_, err = c.app.Order.NoticePDF(ctx, c.jonah(), patientID, line("E78.5"))
	require.Equal(t, act.Conflict, kind(t, err), "no notice where none is called for")
	require.Empty(t, c.verify())
}
