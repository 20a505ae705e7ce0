package coding_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/coding"
)

func nth(n int) (out []string) {
	for i := range n {
		out = append(out, fmt.Sprintf("D%02d", i+1))
	}
	return out
}

// With 1 to 20 diagnoses: the first twelve go on the claim, and an order is offered
// only where a service loses its support and a better one exists.
func TestWhatFitsOnAClaim(t *testing.T) {
	for n := 1; n <= 20; n++ {
		codes := nth(n)
		last := codes[n-1]
		f := coding.Fit(codes, []coding.Charge{{Code: "99213", Pointers: []string{codes[0], last}}})
		require.Len(t, f.On, min(12, n))
		require.Len(t, f.Off, max(0, n-12))
		require.Equal(t, codes, append(append([]string{}, f.On...), f.Off...), "nothing is lost of the list")
		if n <= 12 {
			require.Empty(t, f.Lost)
			require.Empty(t, f.Better)
			continue
		}
		require.Equal(t, []string{last}, f.Lost)
		require.Equal(t, codes[0], f.Better[0], "the first-listed stays first")
		require.Equal(t, last, f.Better[1])
		require.ElementsMatch(t, codes, f.Better)
		require.Empty(t, coding.Fit(f.Better, []coding.Charge{{Code: "99213", Pointers: []string{codes[0], last}}}).Lost)
	}
	// Thirteen pointed at: no order helps, and none is pretended.
	codes := nth(16)
	charges := []coding.Charge{{Pointers: codes[0:4]}, {Pointers: codes[4:8]}, {Pointers: codes[8:12]}, {Pointers: codes[12:16]}}
	f := coding.Fit(codes, charges)
	require.Equal(t, codes[12:], f.Lost)
	require.Empty(t, f.Better)
	require.Empty(t, coding.Fit(nil, nil).On)
}

func TestChargesAreChecked(t *testing.T) {
	list := map[string]coding.Service{"99213": {Code: "99213", Kind: "visit"}, "99214": {Code: "99214", Kind: "visit"},
		"99396": {Code: "99396", Words: "Preventive visit", Kind: "preventive", From: 480, Below: 780},
		"G0444": {Code: "G0444", Words: "Depression screening", Kind: "service", From: 144}}
	codes := append([]string{"I10", "E11.9", "Z00.00"}, nth(12)...)
	line := func(code string, pointers ...string) coding.Charge {
		return coding.Charge{Code: code, Units: 1, Pointers: pointers}
	}
	with := func(c coding.Charge, modifiers ...string) coding.Charge { c.Modifiers = modifiers; return c }
	for _, c := range []struct {
		charges []coding.Charge
		months  int
		want    string // "" for nothing to say
	}{
		{[]coding.Charge{line("99213", "I10", "E11.9")}, 600, ""},
		{[]coding.Charge{line("99213")}, 600, "no diagnosis that justifies it"},
		{[]coding.Charge{line("99213", "I10", "E11.9", "D01", "D02", "D03")}, 600, "points at 5 diagnoses; 4 fit"},
		{[]coding.Charge{line("99213", "J44.9")}, 600, "not among the visit's diagnoses"},
		{[]coding.Charge{line("99213", "D12")}, 600, "does not fit on the claim"},
		{[]coding.Charge{line("99213", "I10"), line("99213", "E11.9")}, 600, "stands twice"},
		{[]coding.Charge{line("G0444", "I10"), with(line("G0444", "I10"), "59")}, 600, ""},
		{[]coding.Charge{line("99213", "I10"), line("99214", "I10")}, 600, "two visits of one day"},
		{[]coding.Charge{line("99396", "Z00.00"), line("99213", "I10")}, 600, "needs modifier 25"},
		{[]coding.Charge{line("99396", "Z00.00"), with(line("99213", "I10"), "25")}, 600, ""},
		{[]coding.Charge{line("99396", "Z00.00")}, 479, "does not fit the age"},
		{[]coding.Charge{line("99396", "Z00.00")}, 780, "does not fit the age"},
		{[]coding.Charge{line("99396", "Z00.00")}, -1, ""},
		{[]coding.Charge{line("G0444", "I10")}, 143, "does not fit the age"},
		{[]coding.Charge{line("99213", "Z00.00")}, 600, "names none"},
		{[]coding.Charge{line("12345", "I10")}, 600, "not in the list of services"},
		{[]coding.Charge{with(line("99213", "I10"), "256")}, 600, "two characters"},
		{[]coding.Charge{{Code: "99213", Pointers: []string{"I10"}}}, 600, "number of units"},
	} {
		got := coding.CheckCharges(c.charges, codes, list, c.months)
		if c.want == "" {
			require.Empty(t, got, "%v", c.charges)
			continue
		}
		require.Len(t, got, 1, "%v", got)
		require.Contains(t, got[0], c.want)
	}
	for months, want := range map[int]string{0: "99391", 11: "99391", 12: "99392", 59: "99392", 60: "99393", 143: "99393", 144: "99394",
		215: "99394", 216: "99395", 479: "99395", 480: "99396", 779: "99396", 780: "99397", -1: ""} {
		require.Equal(t, want, coding.Preventive(false, months))
	}
	require.Equal(t, "99385", coding.Preventive(true, 216))
}

// A visit for a problem beside a preventive one is proposed with modifier 25; nothing else
// gets one, and no line points at more diagnoses than fit on it.
func TestALineIsProposedAsItWouldBeCharged(t *testing.T) {
	services := map[string]coding.Service{"99396": {Code: "99396", Kind: "preventive"}, "99213": {Code: "99213", Kind: "visit"},
		"G0008": {Code: "G0008", Kind: "service"}}
	preventive := []coding.Charge{{Code: "99396"}}
	diagnoses := []string{"Z00.00", "I10", "E11.9", "M10.071", "N18.31"}
	got := coding.Proposed("99213", preventive, diagnoses, services)
	require.Equal(t, coding.Charge{Code: "99213", Units: 1, Modifiers: []string{"25"}, Pointers: diagnoses[:4]}, got)
	require.Empty(t, coding.Proposed("99213", nil, diagnoses, services).Modifiers)
	require.Empty(t, coding.Proposed("G0008", preventive, diagnoses, services).Modifiers)
	require.Empty(t, coding.Proposed("99396", []coding.Charge{{Code: "99213"}}, nil, services).Pointers)
	got.Pointers[0] = "changed"
	require.Equal(t, "Z00.00", diagnoses[0], "the list itself stays")
}
