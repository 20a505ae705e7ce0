package order_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/chart"
	"deftledger/core/order"
)

// Worked by hand from the containers and volumes of data/brinehouse: a gold-top tube gives
// 2 mL of serum, a lavender one 4 mL of blood.
func TestTubesForAWholeOrder(t *testing.T) {
	l := &lists(t)[0]
	of := func(codes ...string) (out []order.Test) {
		for _, c := range codes {
			x, ok := l.Test(c)
			require.True(t, ok, c)
			out = append(out, x)
		}
		return out
	}
	for _, c := range []struct {
		name  string
		tests []order.Test
		want  []string
	}{
		{"1 and 0.5 mL of serum share a tube", of("BMP", "URIC"), []string{"1 × gold-top tube (gel), 1.5 mL serum, refrigerated"}},
		{"2.3 mL need two", of("BMP", "TSH", "URIC"), []string{"2 × gold-top tube (gel), 2.3 mL serum, refrigerated"}},
		{"exactly 2 mL need one", of("BMP", "CMP"), []string{"1 × gold-top tube (gel), 2 mL serum, refrigerated"}},
		{"citrate before serum before EDTA", of("CBC", "BMP", "PT"), []string{"1 × light-blue-top tube (citrate), 1 mL citrated plasma, room",
			"1 × gold-top tube (gel), 1 mL serum, refrigerated", "1 × lavender-top tube (EDTA), 2 mL whole blood, room"}},
		{"frozen and refrigerated serum are parted", of("BMP", "INS"), []string{"1 × gold-top tube (gel), 1 mL serum, refrigerated",
			"1 × gold-top tube (gel), 0.8 mL serum, frozen"}},
		{"cultures share nothing", of("TCUL", "WCUL"), []string{"1 × swab in transport medium, 1 mL swab, room", "1 × swab in transport medium, 1 mL swab, room"}},
		{"what is not drawn from a vein comes last", of("UACR", "A1C"), []string{"1 × lavender-top tube (EDTA), 1 mL whole blood, refrigerated",
			"1 × urine cup, 5 mL urine, refrigerated"}},
		{"blood cultures first", of("CBC", "BCUL"), []string{"1 × blood culture bottle pair, 20 mL whole blood, room", "1 × lavender-top tube (EDTA), 2 mL whole blood, room"}},
		{"a panel of three tubes", of("OBP"), []string{"2 × gold-top tube (gel), 2.5 mL serum, refrigerated", "1 × lavender-top tube (EDTA), 2 mL whole blood, refrigerated",
			"1 × pink-top tube (EDTA), 4 mL whole blood, refrigerated"}},
	} {
		var got []string
		for _, x := range order.Tubes(l, c.tests) {
			got = append(got, x.Says())
		}
		assert.Equal(t, c.want, got, c.name)
	}
	n := &lists(t)[1]
	x, _ := n.Test("M02")
	assert.Equal(t, 2, order.Tubes(n, []order.Test{x})[0].Count, "two sets of blood cultures")
}

// Where a list says no volume, how many tubes is not computed, and nothing shares them.
func TestTubesWithoutVolumes(t *testing.T) {
	l := &order.Laboratory{Containers: []order.Container{{Code: "C", Name: "a tube", Shared: true}}}
	a := order.Test{Name: "A", Needs: []order.Need{{Container: "C"}}}
	got := order.Tubes(l, []order.Test{a, a})
	require.Len(t, got, 2)
	require.True(t, got[0].Unsure)
	require.Equal(t, "1 × a tube, volume not in the list", got[0].Says())
}

// Whatever is ordered: every test has its containers, no container holds less than its tests
// need, and the order in which tests are chosen changes no count.
func TestTubesHoldWhatIsNeeded(t *testing.T) {
	l := &lists(t)[0]
	rapid.Check(t, func(r *rapid.T) {
		tests := rapid.SliceOfN(rapid.SampledFrom(l.Tests), 1, 12).Draw(r, "tests")
		tubes := order.Tubes(l, tests)
		need := map[string]float64{}
		for _, x := range tests {
			for _, n := range x.Needs {
				need[n.Container] += n.Volume
			}
		}
		have := map[string]float64{}
		last := 0
		for _, x := range tubes {
			c, ok := l.Container(x.Container)
			require.True(r, ok)
			have[x.Container] += float64(x.Count) * c.Yield
			if x.Draw > 0 {
				require.GreaterOrEqual(r, x.Draw, last, "in the order of draw")
				last = x.Draw
			}
		}
		for c, ml := range need {
			require.GreaterOrEqual(r, have[c]+1e-6, ml, "%s holds what is needed", c)
		}
		back := append([]order.Test{}, tests...)
		for i := range len(back) / 2 {
			back[i], back[len(back)-1-i] = back[len(back)-1-i], back[i]
		}
		count := func(all []order.Tube) (n int) {
			for _, x := range all {
				n += x.Count
			}
			return n
		}
		require.Equal(r, count(tubes), count(order.Tubes(l, back)))
	})
}

func TestTiming(t *testing.T) {
	const today = "2026-11-26"
	for _, c := range []struct {
		name string
		t    order.Timing
		want string // days, or what is wrong
	}{
		{"now", order.Timing{}, ""},
		{"on a day", order.Timing{Due: "2026-12-10"}, "2026-12-10"},
		{"every four weeks until the day itself", order.Timing{Every: 4, Until: "2027-01-21"}, " 2026-12-24 2027-01-21"},
		{"until the day before", order.Timing{Every: 4, Until: "2027-01-20"}, " 2026-12-24"},
		{"from a later day over the leap day", order.Timing{Due: "2028-02-15", Every: 2, Until: "2028-03-14"}, "2028-02-15 2028-02-29 2028-03-14"},
		{"yesterday", order.Timing{Due: "2026-11-25"}, "is past"},
		{"30 February", order.Timing{Due: "2027-02-30"}, "is no day"},
		{"without an end", order.Timing{Every: 2}, "until when"},
		{"an end without weeks", order.Timing{Until: "2027-01-01"}, "every how many weeks"},
		{"ends before it begins", order.Timing{Due: "2027-03-01", Every: 1, Until: "2027-03-01"}, "not after its first day"},
		{"less than a week", order.Timing{Every: -1, Until: "2027-01-01"}, "every 1 to 104 weeks"},
		{"three years", order.Timing{Every: 52, Until: "2029-11-26"}, "renewed after two years"},
		{"too many", order.Timing{Every: 1, Until: "2028-11-20"}, "60 are the most"},
	} {
		days, err := c.t.Days(today)
		if err != nil {
			assert.ErrorIs(t, err, order.ErrIncomplete)
			assert.ErrorContains(t, err, c.want, c.name)
			continue
		}
		assert.Equal(t, c.want, strings.Join(days, " "), c.name)
	}
}

func TestSheets(t *testing.T) {
	line := func(lab, test string, timing order.Timing) order.Line {
		return order.Line{Laboratory: lab, Test: test, Diagnoses: []string{"I10"}, Timing: timing}
	}
	p := order.Pad{Priority: "R", Drawing: order.DrawnHere, Lines: []order.Line{line("", "K", order.Timing{}), line("b", "URIC", order.Timing{Due: "2026-12-01"}),
		line("n", "B12", order.Timing{}), line("b", "NA", order.Timing{Due: "2026-11-26"})}}
	sheets, err := p.Sheets("b", "2026-11-26")
	require.NoError(t, err)
	require.Len(t, sheets, 3)
	require.Equal(t, []string{"K", "NA"}, []string{sheets[0].Lines[0].Test, sheets[0].Lines[1].Test}, "today is now")
	for says, change := range map[string]func(*order.Pad){
		"where the specimen is taken": func(p *order.Pad) { p.Drawing = "" },
		"a site is named":             func(p *order.Pad) { p.Site = "X" },
		"who gets the copy":           func(p *order.Pad) { p.Copies = []order.Copy{{Name: " "}} },
		"stands on it twice":          func(p *order.Pad) { p.Lines = append(p.Lines, line("n", "B12", order.Timing{})) },
	} {
		q := p
		q.Lines = append([]order.Line{}, p.Lines...)
		change(&q)
		_, err := q.Sheets("b", "2026-11-26")
		assert.ErrorContains(t, err, says)
	}
}

func TestPayerMissing(t *testing.T) {
	whole := chart.Registration{Guarantor: "self", Coverages: []chart.Coverage{{Rank: "primary", Kind: "commercial", Payer: "Skerrow Mutual", Number: "1", Holder: "self"}}}
	const day = "2026-11-26"
	assert.Empty(t, order.Payer{Who: order.InsurerPays}.Missing(whole, day))
	assert.Empty(t, order.Payer{Who: order.PracticePays}.Missing(chart.Registration{}, day))
	assert.NotEmpty(t, order.Payer{}.Missing(whole, day), "nobody has said")
	assert.Equal(t, []string{"who pays what no insurer does (guarantor)"}, order.Payer{Who: order.PatientPays}.Missing(chart.Registration{}, day))
	for name, change := range map[string]func(*chart.Registration){
		"ended":        func(r *chart.Registration) { r.Coverages[0].Until = "2026-11-25" },
		"not begun":    func(r *chart.Registration) { r.Coverages[0].From = "2026-11-27" },
		"second only":  func(r *chart.Registration) { r.Coverages[0].Rank = "second" },
		"no number":    func(r *chart.Registration) { r.Coverages[0].Number = "" },
		"no holder":    func(r *chart.Registration) { r.Coverages[0].Holder = "" },
		"no guarantor": func(r *chart.Registration) { r.Guarantor = "" },
	} {
		r := whole
		r.Coverages = append([]chart.Coverage{}, whole.Coverages...)
		change(&r)
		assert.Len(t, order.Payer{Who: order.InsurerPays}.Missing(r, day), 1, name)
	}
}

// A range is taken only where it is known to be for the person.
func TestRangeFor(t *testing.T) {
	l := lists(t)[0]
	cbc, _ := l.Test("CBC")
	var hgb order.Analyte
	for _, a := range cbc.Analytes {
		if a.Code == "HGB" {
			hgb = a
		}
	}
	for _, c := range []struct{ name, sex, birth, day, want string }{
		{"a woman", "F", "1980-01-01", "2026-11-26", "12.0-15.5"}, {"a man", "M", "1980-01-01", "2026-11-26", "13.2-17.1"},
		{"somebody whose sex is not known", "U", "1980-01-01", "2026-11-26", ""}, {"on the eighteenth birthday", "F", "2008-11-26", "2026-11-26", "12.0-15.5"},
		{"the day before", "F", "2008-11-27", "2026-11-26", "11.8-16.0"}, {"at three months", "M", "2026-08-26", "2026-11-26", ""},
		{"at six months to the day", "M", "2026-05-26", "2026-11-26", "11.0-14.0"}, {"birth date not known", "F", "", "2026-11-26", ""},
		{"born in the future", "F", "2027-01-01", "2026-11-26", ""},
	} {
		r, ok := hgb.RangeFor(c.sex, c.birth, c.day)
		assert.Equal(t, c.want != "", ok, c.name)
		assert.Equal(t, c.want, r.Says(), c.name)
	}
}

// What is asked hangs on what was answered before; an answer that no longer counts is left out.
func TestEntryQuestions(t *testing.T) {
	l := lists(t)[0]
	pt, _ := l.Test("PT")
	answer := func(pairs ...string) (out []order.EntryAnswer) {
		for i := 0; i < len(pairs); i += 2 {
			out = append(out, order.EntryAnswer{Question: pairs[i], Answer: pairs[i+1]})
		}
		return out
	}
	_, err := order.Answers(pt, answer("ANTIC", "warfarin"), "2026-11-26")
	assert.ErrorContains(t, err, "Target INR")
	got, err := order.Answers(pt, answer("TARGET", "2 to 3", "ANTIC", "none"), "2026-11-26")
	assert.NoError(t, err)
	assert.Len(t, got, 1)
	_, err = order.Answers(pt, answer("ANTIC", "coumadin"), "2026-11-26")
	assert.ErrorContains(t, err, "Choose one of")
	weeks := order.EntryQuestion{Kind: order.AnswerNumber, Low: "4", High: "42", Unit: "wk"}
	for x, ok := range map[string]bool{"12": true, "4": true, "42": true, "12.5": true, "3": false, "43": false, "1e1": false, "12 wk": false, "NaN": false, "0x10": false, "12,5": false} {
		assert.Equal(t, ok, weeks.Takes(x, "2026-11-26") == "", x)
	}
	last := order.EntryQuestion{Kind: order.AnswerDate}
	assert.Empty(t, last.Takes("2001-03-14", "2026-11-26"), "a last period may be long ago")
	assert.NotEmpty(t, last.Takes("2026-11-27", "2026-11-26"))
	dose := order.EntryQuestion{Kind: order.AnswerDatetime}
	assert.NotEmpty(t, dose.Takes("2001-03-14T08:00", "2026-11-26"), "a last dose is not")
}
