package result_test

import (
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/result"
	"deftledger/core/ucum"
	"deftledger/data"
)

func analytes(t require.TestingT) *result.Analytes {
	units, err := ucum.Read(data.Units, data.SpelledUnits)
	require.NoError(t, err)
	imprecision := map[string]string{}
	for _, name := range data.Laboratories {
		text, err := data.TestLists.ReadFile(name + "/imprecision.tsv")
		require.NoError(t, err)
		imprecision[name] = string(text)
	}
	a, err := result.ReadAnalytes(data.Analytes, imprecision, units)
	require.NoError(t, err)
	return a
}

// Changes worked by hand from the published formulas.
func TestChanges(t *testing.T) {
	a := analytes(t)
	body, err := os.ReadFile("testdata/changes.tsv")
	require.NoError(t, err)
	computed, all := 0, 0
	for line := range strings.Lines(string(body)) {
		if strings.HasPrefix(line, "#") {
			continue
		}
		f := strings.Split(strings.TrimRight(line, "\n"), "\t")
		require.Len(t, f, 12, line)
		got := a.Change(result.Point{LOINC: f[0], Text: f[1], Unit: f[2], Laboratory: f[3]}, result.Point{LOINC: f[0], Text: f[4], Unit: f[5], Laboratory: f[6]})
		all++
		assert.Equal(t, f[10], string(got.Verdict), "%s: %s", line, got.Why)
		assert.NotEmpty(t, got.Why, line)
		if f[7] == "" {
			assert.Zero(t, got.Up, line)
			continue
		}
		computed++
		for i, v := range []float64{got.Percent, got.Up, got.Down} {
			want, err := strconv.ParseFloat(f[7+i], 64)
			require.NoError(t, err)
			assert.InDelta(t, want, v, 0.006, line)
		}
	}
	require.GreaterOrEqual(t, computed, 25)
	require.Greater(t, all, computed+10)
}

// Factors between mass and amount of substance as they are published (AMA Manual of Style, 11th edition, 2020, chapter 17.5, conversions to SI units).
func TestMassAndAmount(t *testing.T) {
	a := analytes(t)
	for _, x := range []struct{ loinc, text, from, to, is string }{
		{"2345-7", "100", "mg/dL", "mmol/L", "5.55"}, {"2093-3", "200", "mg/dL", "mmol/L", "5.17"}, {"2571-8", "150", "mg/dL", "mmol/L", "1.69"}, {"2160-0", "1.0", "mg/dL", "umol/L", "88.4"},
		{"3094-0", "20", "mg/dL", "mmol/L", "7.14"}, {"3084-1", "7.0", "mg/dL", "umol/L", "416"}, {"17861-6", "10.0", "mg/dL", "mmol/L", "2.50"}, {"1975-2", "1.0", "mg/dL", "umol/L", "17.1"},
		{"2498-4", "100", "ug/dL", "umol/L", "17.9"}, {"3024-7", "1.0", "ng/dL", "pmol/L", "12.9"}, {"9813-7", "10", "ug/dL", "nmol/L", "276"}, {"2986-8", "500", "ng/dL", "nmol/L", "17.3"},
		{"2132-9", "400", "pg/mL", "pmol/L", "295"}, {"2284-8", "10", "ng/mL", "nmol/L", "22.7"}, {"62292-8", "30", "ng/mL", "nmol/L", "74.9"}, {"19123-9", "2.0", "mg/dL", "mmol/L", "0.823"},
		{"2777-1", "4.0", "mg/dL", "mmol/L", "1.29"}, {"10535-3", "1.0", "ng/mL", "nmol/L", "1.28"}, {"3968-5", "10", "ug/mL", "umol/L", "39.6"}, {"2345-7", "5.5", "mmol/L", "mg/dL", "99.1"},
		{"2823-3", "4.5", "mEq/L", "mmol/L", "4.50"}, {"718-7", "13.2", "g/dL", "g/L", "132"}, {"5671-3", "10", "ug/dL", "umol/L", "0.483"},
	} {
		got, ok := a.Converted(x.loinc, x.text, x.from, x.to)
		require.True(t, ok, x)
		require.Equal(t, x.is, got, x)
	}
	for _, x := range []struct{ loinc, text, from, to string }{{"1751-7", "4.0", "g/dL", "umol/L"}, {"4548-4", "7.0", "%", "mmol/mol"}, {"17861-6", "5.0", "meq/L", "mg/dL"}, {"2823-3", "<3", "meq/L", "mmol/L"},
		{"", "5", "mg/dL", "g/L"}, {"2345-7", "5", "", "mg/dL"}, {"3016-3", "2", "m[IU]/L", "U/L"}} {
		_, ok := a.Converted(x.loinc, x.text, x.from, x.to)
		require.False(t, ok, "%v: there is no certain way", x)
	}
}

// Another laboratory, another method, another analyte: nothing is claimed, whatever the values.
func TestNothingIsClaimedAcross(t *testing.T) {
	a := analytes(t)
	p := result.Point{LOINC: "2160-0", Text: "1.0", Unit: "mg/dL", Laboratory: "brinehouse"}
	for what, change := range map[string]func(*result.Point){"laboratory": func(p *result.Point) { p.Laboratory = "northsound" }, "method": func(p *result.Point) { p.Method = "Jaffe" },
		"analyte": func(p *result.Point) { p.LOINC = "2161-8" }, "no code": func(p *result.Point) { p.LOINC = "" }} {
		q := p
		q.Text = "9.0"
		change(&q)
		require.Equal(t, result.NotCompared, a.Change(p, q).Verdict, what)
		require.Equal(t, result.NotCompared, a.Change(q, p).Verdict, what)
	}
	substance := result.Point{LOINC: "14682-9", Text: "115", Unit: "umol/L", Laboratory: "brinehouse"}
	require.NotEqual(t, result.NotCompared, a.Change(p, substance).Verdict, "the same analyte, by amount")
	other := result.Point{LOINC: "62238-1", Text: "50", Unit: "mL/min/{1.73_m2}", Laboratory: "brinehouse"}
	require.Equal(t, result.NotCompared, a.Change(result.Point{LOINC: "98979-8", Text: "60", Unit: "mL/min/{1.73_m2}", Laboratory: "brinehouse"}, other).Verdict, "the equation of 2009 beside that of 2021")
	same, ok := a.Converted("2160-0", "1.0", "mg/dL", "mg/dL")
	require.True(t, ok)
	require.Equal(t, "1.00", same)
	require.True(t, a.Same("2160-0", "14682-9"))
	require.False(t, a.Same("", ""))
}

// The unit a value came in changes nothing of what is claimed, and a larger change is never claimed less.
func TestClaimsHoldTogether(t *testing.T) {
	a := analytes(t)
	rapid.Check(t, func(t *rapid.T) {
		x := rapid.IntRange(40, 400).Draw(t, "before")
		y := rapid.IntRange(40, 400).Draw(t, "now")
		at := func(v int, unit string) result.Point {
			return result.Point{LOINC: "2345-7", Text: strconv.Itoa(v), Unit: unit, Laboratory: "brinehouse"}
		}
		plain := a.Change(at(x, "mg/dL"), at(y, "mg/dL"))
		other := a.Change(at(x*10, "mg/L"), at(y, "mg/dL"))
		require.Equal(t, plain, other)
		further := a.Change(at(x, "mg/dL"), at(y+(y-x)/2, "mg/dL"))
		if plain.Verdict == result.Exceeds && y != x {
			require.Equal(t, result.Exceeds, further.Verdict)
		}
	})
}

func TestSayPercent(t *testing.T) {
	for v, is := range map[float64]string{11.4: "+11 %", -8.0: "−8.0 %", 0: "0 %", 0.04: "0 %", -0.04: "0 %", 9.96: "+10 %", 9.94: "+9.9 %", -123.4: "−123 %", 3: "+3.0 %"} {
		require.Equal(t, is, result.SayPercent(v), v)
	}
}

// A table that is wrong is refused, and says where.
func TestAWrongTableIsRefused(t *testing.T) {
	units, err := ucum.Read(data.Units, data.SpelledUnits)
	require.NoError(t, err)
	for wrong, says := range map[string]string{"Sodium\t2951-2\t0.6": "columns", "Sodium\t2951-2\tmany\tnormal\tR2014\tNa\tone": "per cent", "Sodium\t2951-2\t0.6\tnormal\t\tNa\tone": "source",
		"Sodium\t2951-2\t0.6\tnormal\tR2014\tXy\tone": "element", "A\t1-1\t1\tnormal\tR\t\t\nB\t1-1\t1\tnormal\tR\t\t": "stands with"} {
		_, err := result.ReadAnalytes(wrong, nil, units)
		require.ErrorContains(t, err, says, wrong)
	}
	_, err = result.ReadAnalytes("", map[string]string{"x": "2951-2\t-1"}, units)
	require.ErrorContains(t, err, "imprecision")
}

// Slopes worked by hand (least squares; t of 3 and 2 degrees of freedom for 95 %: 3.182, 4.303).
func TestTrends(t *testing.T) {
	for _, x := range []struct {
		values         []result.Dated
		year, low, top float64
		sure           bool
	}{
		{[]result.Dated{{0, 60}, {183, 57}, {365, 55}, {548, 51}, {731, 49}}, -5.598, -6.633, -4.563, true},
		{[]result.Dated{{0, 60}, {200, 50}, {400, 62}, {600, 52}}, -2.192, -26.641, 22.258, false},
		{[]result.Dated{{0, 90}, {400, 90}, {500, 90}, {900, 90}}, 0, 0, 0, false},
	} {
		got, ok := result.TrendOf(x.values)
		require.True(t, ok)
		require.InDelta(t, x.year, got.PerYear, 0.001)
		require.InDelta(t, x.low, got.Low, 0.001)
		require.InDelta(t, x.top, got.High, 0.001)
		require.Equal(t, x.sure, got.Sure())
		require.Equal(t, len(x.values), got.Values)
		if x.sure {
			require.Equal(t, "falls by 5.6 a year over 2.0 years (5 values; with 95 % by 4.6 to 6.6). More than 5 a year is rapid progression (KDIGO 2024)", got.Says())
		} else {
			require.Contains(t, got.Says(), "no sure trend over ")
		}
	}
	for _, few := range [][]result.Dated{nil, {{0, 60}, {365, 50}, {730, 40}}, {{0, 60}, {100, 58}, {200, 50}, {364, 40}}, {{5, 60}, {5, 58}, {5, 50}, {5, 40}}} {
		_, ok := result.TrendOf(few)
		require.False(t, ok, "too few, or too close together")
	}
}

// A trend does not hang on which day is counted from, nor on the order of the values.
func TestATrendIsOfTheValues(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var values, later []result.Dated
		for i := range rapid.IntRange(4, 40).Draw(t, "n") {
			v := result.Dated{Day: i*200 + rapid.IntRange(0, 150).Draw(t, "day"), Value: float64(rapid.IntRange(15, 90).Draw(t, "value"))}
			values = append(values, v)
			later = append([]result.Dated{{v.Day + 10000, v.Value}}, later...)
		}
		a, _ := result.TrendOf(values)
		b, _ := result.TrendOf(later)
		require.InDelta(t, a.PerYear, b.PerYear, 1e-6)
		require.InDelta(t, a.Low, b.Low, 1e-6)
		require.LessOrEqual(t, a.Low, a.PerYear)
		require.Equal(t, a.Sure(), b.Sure())
	})
}

// A clinic's limits are held against a value in its own unit or one that converts; what cannot be compared is not judged by them.
func TestBeyondTheClinicsLimits(t *testing.T) {
	a := analytes(t)
	limits, err := a.ReadLimits("2823-3\tPotassium\t2.8\t6.2\tmmol/L\tKost 1990\n2345-7\tGlucose\t46\t484\tmg/dL\tKost 1990\n")
	require.NoError(t, err)
	for _, x := range []struct {
		loinc, text, unit, status string
		want                      string // the beginning; "" for none
	}{
		{"2823-3", "6.2", "mmol/L", "F", ""},
		{"2823-3", "6.3", "mmol/L", "F", "above"},
		{"2823-3", "2.8", "mmol/L", "F", ""},
		{"2823-3", "2.7", "mmol/L", "F", "below"},
		{"2823-3", "6.3", "meq/L", "F", "above"},       // one charge: an equivalent is a mole
		{"2823-3", "6.3", "mg/dL", "F", "below"},       // 63 mg/L ÷ 39.098 = 1.6 mmol/L
		{"2823-3", "6.3", "", "F", ""},                 // no unit
		{"2823-3", "6.3", "mmol/L", "D", ""},           // deleted
		{"2823-3", "6.3 hemolyzed", "mmol/L", "F", ""}, // no number
		{"2823-3", ">6.2", "mmol/L", "F", "above"},     // all that it may be
		{"2823-3", ">=6.2", "mmol/L", "F", "above"},    // the cautious reading of a limit that is just met
		{"2823-3", ">5", "mmol/L", "F", ""},            // may be anything above 5
		{"2823-3", "<2.8", "mmol/L", "F", "below"},
		{"2345-7", "27", "mmol/L", "F", "above"},  // 27 × 18.016 = 486 mg/dL
		{"2345-7", "26.8", "mmol/L", "F", ""},     // 483 mg/dL
		{"2345-7", "2.5", "mmol/L", "F", "below"}, // 45 mg/dL
		{"9999-9", "600", "mg/dL", "F", ""},
	} {
		got := a.Beyond(limits, result.Value{LOINC: x.loinc, Text: x.text, Unit: x.unit, Status: x.status})
		if x.want == "" {
			require.Empty(t, got, "%s %s", x.text, x.unit)
		} else {
			require.Contains(t, got, x.want+" the clinic's critical limit", "%s %s", x.text, x.unit)
		}
	}
	for _, bad := range []string{"2823-3\tPotassium\tx\t6.2\tmmol/L\tK", "2823-3\tPotassium\t\t\tmmol/L\tK", "2823-3\tPotassium\t7\t6\tmmol/L\tK", "2823-3\tPotassium\t2\t6\tmmol/L\t", "2823-3\tPotassium"} {
		_, err := a.ReadLimits(bad)
		require.Error(t, err, bad)
	}
}

// A critical value goes on by one step each time that the clinic's time has passed, and never past the last.
func TestStepsOfACriticalValue(t *testing.T) {
	since := time.Date(2026, 5, 4, 12, 0, 0, 0, time.UTC)
	all := result.StepsOf(true, true)
	require.Equal(t, []result.Step{result.ToOwner, result.ToCover, result.ToEverybody, result.ToOnCall}, all)
	require.Equal(t, []result.Step{result.ToEverybody, result.ToOnCall}, result.StepsOf(false, true), "what nobody answers for is everybody's at once")
	require.Equal(t, []result.Step{result.ToOwner, result.ToEverybody, result.ToOnCall}, result.StepsOf(true, false))
	for after, n := range map[time.Duration]int{-time.Hour: 1, 0: 1, 15*time.Minute - 1: 1, 15 * time.Minute: 2, 30 * time.Minute: 3, 45 * time.Minute: 4, 99 * time.Hour: 4} {
		require.Len(t, result.Reached(all, since, since.Add(after), 15*time.Minute), n, after)
	}
}
