package chart_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
)

func TestWhatIsWrittenDownOfAVaccine(t *testing.T) {
	good := chart.Given{CVX: "115", Maker: "Orrery Biologicals", Lot: "T4471", Expires: "2027-06-30", Dose: "0.5 mL", Route: "intramuscular",
		Site: "left deltoid", Sheet: "2025-01-31"}
	require.NoError(t, good.Check("2026-11-23"))
	for want, change := range map[string]func(*chart.Given){
		"the maker":     func(g *chart.Given) { g.Maker = " " },
		"the lot":       func(g *chart.Given) { g.Lot = "" },
		"the dose":      func(g *chart.Given) { g.Dose = "" },
		"route and":     func(g *chart.Given) { g.Site = "left upper arm" }, // a site of another route
		"expires, as":   func(g *chart.Given) { g.Expires = "06/27" },
		"expired on":    func(g *chart.Given) { g.Expires = "2026-11-22" },
		"sheet, as":     func(g *chart.Given) { g.Sheet = "" },
		"still to come": func(g *chart.Given) { g.Sheet = "2026-11-24" },
	} {
		g := good
		change(&g)
		require.ErrorContains(t, g.Check("2026-11-23"), want)
	}
	g := good
	g.Expires = "2026-11-23"
	require.NoError(t, g.Check("2026-11-23"), "the day printed on it is its last")
}

func TestWhatIsAskedBeforeAVaccine(t *testing.T) {
	tdap := chart.Vaccine{Name: "Tdap", Months: 84}
	mmr := chart.Vaccine{Name: "MMR", Months: 12, Live: true}
	for _, c := range []struct {
		v       chart.Vaccine
		months  int
		earlier []string
		want    []string
	}{
		{tdap, 84, nil, nil},
		{tdap, 83, nil, []string{"from 7 years on"}},
		{tdap, -1, nil, []string{"age of this patient is not known"}},
		{tdap, 600, []string{"2026-10-30"}, nil},                              // 24 days: four weeks less the grace
		{tdap, 600, []string{"2026-10-31"}, []string{"given on 31 Oct 2026"}}, // 23 days
		{tdap, 600, []string{"2026-11-23", "2016-11-23"}, []string{"given on 23 Nov 2026"}},
		{mmr, 11, nil, []string{"from 12 months on", "is live"}},
	} {
		got := c.v.Questions(c.months, "2026-11-23", c.earlier)
		require.Len(t, got, len(c.want), "%v", got)
		for i, w := range c.want {
			require.Contains(t, got[i], w)
		}
	}
	require.Len(t, chart.FindVaccines([]chart.Vaccine{{Name: "Zoster, recombinant", Also: []string{"shingles"}}, tdap}, "shin"), 1)
}
