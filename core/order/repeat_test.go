package order_test

import (
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
	"deftledger/core/order"
	"deftledger/exchange/shipped"
)

// The cases were written before the rule (testdata/repeats.tsv).
func TestRepeats(t *testing.T) {
	ref, err := shipped.Read()
	require.NoError(t, err)
	labs := ref.Laboratories
	test := func(name string) order.Test {
		lab, code := &labs[0], name
		if rest, ok := strings.CutPrefix(name, "n:"); ok {
			lab, code = &labs[1], rest
		}
		x, ok := lab.Test(code)
		require.True(t, ok, name)
		return x
	}
	today, _ := time.Parse(time.DateOnly, "2026-11-26")
	text, err := os.ReadFile("testdata/repeats.tsv")
	require.NoError(t, err)
	n := 0
	for _, line := range strings.Split(string(text), "\n") {
		if line == "" || line[0] == '#' {
			continue
		}
		n++
		c := append(strings.Split(line, "\t"), "", "", "")
		r := chart.Record{Day: "2026-11-26"}
		facts := strings.Fields(strings.NewReplacer("received by the laboratory", "received~by~the~laboratory", "to be drawn", "to~be~drawn", "Not detected", "Not~detected", "No growth", "No~growth").Replace(c[1]))
		for _, f := range facts {
			what, value, _ := strings.Cut(f, "=")
			name, ago, _ := strings.Cut(what, "@")
			back, err := strconv.Atoi(ago)
			require.NoError(t, err, f)
			day := today.AddDate(0, 0, -back).Format(time.DateOnly)
			kind, code, isOrder := strings.Cut(name, ":")
			if !isOrder {
				r.Values = append(r.Values, chart.Value{LOINC: name, Name: name, Text: value, Day: day, Source: chart.FromReport})
				continue
			}
			x := test(code)
			h := chart.InHand{Party: x.Laboratory, Code: x.Code, Name: x.Name, Day: day, State: strings.ReplaceAll(value, "~", " "), Prepared: kind == "prepared"}
			for _, a := range x.Analytes {
				h.Analytes = append(h.Analytes, a.LOINC)
			}
			r.InHand = append(r.InHand, h)
		}
		slices.SortStableFunc(r.Values, func(a, b chart.Value) int { return strings.Compare(a.Day, b.Day) })
		var tests []order.Test
		for _, name := range strings.Fields(c[0]) {
			tests = append(tests, test(name))
		}
		var got []string
		for _, x := range order.Repeats(r, tests, ref.Intervals) {
			name := x.Code
			if x.Laboratory == "northsound" {
				name = "n:" + name
			}
			got = append(got, name+" "+string(x.Kind))
			if x.Kind == order.Early {
				assert.NotEmpty(t, x.Source, line)
			}
		}
		assert.Equal(t, c[2], strings.Join(got, "; "), line)
	}
	require.Greater(t, n, 35)
}
