package result

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/line"
)

// Expected readings worked out by hand from the meaning of the range.
func TestRead(t *testing.T) {
	cases := []struct {
		value, rng string
		want       Reading
	}{
		{"4.4", "3.5-5.1", In}, {"3.5", "3.5-5.1", In}, {"5.1", "3.5-5.1", In}, {"5.10", "3.5-5.1", In},
		{"5.2", "3.5-5.1", Above}, {"3.4", "3.5-5.1", Below}, {"6.4", "3.5 – 5.1", Above},
		{"200", "<200", Above}, {"199", "< 200", In}, {"200", "<= 200", In},
		{"59", ">59", Below}, {"60", ">59", In}, {"60", ">= 60", In}, {"46", ">= 60", Below},
		{"-3", "-2-2", Below}, {"-1", "-2-2", In}, {"2.5", "-2--1", Above},
		{"<0.01", "0.02-0.10", Below}, {"<0.05", "0.02-0.10", NotJudged}, {"<5", "<= 5", In}, {"<5", "<5", In},
		{">90", "60-80", Above}, {">90", ">= 60", In}, {">50", ">= 60", NotJudged}, {">5", "<5", Above},
		{"positive", "negative", NotJudged}, {"1:80", "<1:40", NotJudged}, {"4.4", "", NotJudged}, {"", "3.5-5.1", NotJudged},
		{"1e3", "0-10", NotJudged}, {"4,4", "3.5-5.1", NotJudged}, {"4.4", "5.1-3.5", NotJudged}, {"4.4", "up to 5", NotJudged}, {"007", "5-10", In},
	}
	for _, c := range cases {
		require.Equal(t, c.want, Read(c.value, c.rng), "%q in %q", c.value, c.rng)
	}
}

// Where a value stands, worked out by hand from the flags' meaning (HL7 table 0078) and the
// range: what nobody judged is never in range.
func TestStand(t *testing.T) {
	for _, c := range []struct {
		value, rng, flag, status string
		want                     Standing
	}{
		{"6.4", "3.5-5.1", "HH", "F", Standing{Side: Above, Abnormal: true, Critical: true, Reading: Above}},
		{"6.4", "3.5-5.1", "H", "F", Standing{Side: Above, Abnormal: true, Reading: Above}},
		{"4.4", "3.5-5.1", "N", "F", Standing{Side: In, Reading: In}},
		{"4.4", "3.5-5.1", "", "F", Standing{Side: In, Reading: In}},
		// No flag came: our reading stands alone, and nothing says otherwise.
		{"6.4", "3.5-5.1", "", "F", Standing{Side: Above, Abnormal: true, Reading: Above}},
		{"3.0", "3.5-5.1", "", "F", Standing{Side: Below, Abnormal: true, Reading: Below}},
		// A flag came, and says another thing.
		{"6.4", "3.5-5.1", "N", "F", Standing{Side: Above, Abnormal: true, Reading: Above, Disagree: true}},
		{"6.4", "3.5-5.1", "L", "F", Standing{Side: Below, Abnormal: true, Reading: Above, Disagree: true}},
		{"4.4", "3.5-5.1", "H", "F", Standing{Side: Above, Abnormal: true, Reading: In, Disagree: true}},
		// Several flags: the gravest counts.
		{"6.4", "3.5-5.1", "N~HH", "F", Standing{Side: Above, Abnormal: true, Critical: true, Reading: Above}},
		{"6.4", "3.5-5.1", "A~H", "F", Standing{Side: Above, Abnormal: true, Reading: Above}},
		{"2.0", "3.5-5.1", "A~LL", "F", Standing{Side: Below, Abnormal: true, Critical: true, Reading: Below}},
		{"6.4", "", "H~L", "F", Standing{Side: NotJudged, Abnormal: true, Reading: NotJudged}},
		{"6.4", "3.5-5.1", "hh", "F", Standing{Side: Above, Abnormal: true, Critical: true, Reading: Above}},
		// Not judged by anybody.
		{"positive", "negative", "", "F", Standing{Side: NotJudged, Reading: NotJudged}},
		{"negative", "negative", "N", "F", Standing{Side: NotJudged, Reading: NotJudged}},
		{"6.4", "", "", "F", Standing{Side: NotJudged, Reading: NotJudged}},
		{"[attached pdf, kept with the message]", "", "", "F", Standing{Side: NotJudged, Reading: NotJudged}},
		{"", "3.5-5.1", "", "F", Standing{Side: NotJudged, Reading: NotJudged}},
		{"0.25", "", "S", "F", Standing{Side: NotJudged, Reading: NotJudged}},
		{"4.4", "3.5-5.1", "U", "F", Standing{Side: In, Reading: In}},
		// Flagged without a side.
		{"positive", "negative", "A", "F", Standing{Side: NotJudged, Abnormal: true, Reading: NotJudged}},
		{"4", "", "R", "F", Standing{Side: NotJudged, Abnormal: true, Reading: NotJudged}},
		{"4.4", "3.5-5.1", "*", "F", Standing{Side: NotJudged, Abnormal: true, Reading: In}},
		{"positive", "", "AA", "F", Standing{Side: NotJudged, Abnormal: true, Critical: true, Reading: NotJudged}},
		// No live value stands anywhere, whatever its flag.
		{"6.4", "3.5-5.1", "HH", "W", Standing{Side: NotJudged, Reading: NotJudged}},
		{"4.4", "3.5-5.1", "N", "D", Standing{Side: NotJudged, Reading: NotJudged}},
		{"4.4", "3.5-5.1", "", "X", Standing{Side: NotJudged, Reading: NotJudged}},
		{"4.4", "3.5-5.1", "", "Q", Standing{Side: NotJudged, Reading: NotJudged}},
		{"6.4", "3.5-5.1", "HH", "P", Standing{Side: Above, Abnormal: true, Critical: true, Reading: Above}},
		{"6.4", "3.5-5.1", "H", "", Standing{Side: Above, Abnormal: true, Reading: Above}},
	} {
		require.Equal(t, c.want, Stand(Value{Text: c.value, Range: c.rng, Flag: c.flag, Status: c.status}), "%+v", c)
	}
}

func TestRank(t *testing.T) {
	k := func(text, flag, status string) Value {
		return Value{Text: text, Range: "3.5-5.1", Flag: flag, Status: status}
	}
	for _, c := range []struct {
		status string
		signed bool
		values []Value
		want   int
	}{
		{"F", false, []Value{k("4.4", "N", "F")}, line.AsExpected},
		{"F", false, []Value{k("4.4", "N", "F"), k("6.4", "HH", "F")}, line.Critical},
		{"P", false, []Value{k("6.4", "HH", "P")}, line.Critical},
		{"F", false, []Value{k("6.4", "HH", "W")}, line.Noteworthy},
		{"F", false, []Value{k("5.4", "", "F")}, line.Noteworthy},
		{"F", false, []Value{k("see comment", "", "F")}, line.Noteworthy},
		{"F", false, []Value{k("negative", "N", "F")}, line.AsExpected},
		{"F", false, nil, line.Noteworthy},
		{"P", false, []Value{k("4.4", "N", "P")}, line.Preliminary},
		{"P", true, []Value{k("4.4", "N", "P")}, line.ToAct},
		{"", false, []Value{k("4.4", "N", "")}, line.AsExpected},
	} {
		require.Equal(t, c.want, Rank(c.status, c.signed, c.values), "%+v", c)
	}
}

func TestSame(t *testing.T) {
	a := Issue{Status: "F", Collected: "2026-11-24", Notes: "n", Values: []Value{{Code: "K", Name: "Potassium", Text: "4.1", Unit: "mmol/L",
		Range: "3.5-5.1", Flag: "N", Status: "F", Notes: "x", Details: Details{Performer: "One"}}}}
	require.True(t, Same(a, a))
	for what, change := range map[string]func(*Issue){
		"status": func(i *Issue) { i.Status = "C" }, "time": func(i *Issue) { i.Collected = "2026-11-23" }, "notes": func(i *Issue) { i.Notes = "" },
		"text": func(i *Issue) { i.Values[0].Text = "4.10" }, "unit": func(i *Issue) { i.Values[0].Unit = "mg/dL" },
		"range": func(i *Issue) { i.Values[0].Range = "3.5-5.0" }, "flag": func(i *Issue) { i.Values[0].Flag = "H" },
		"status of a value": func(i *Issue) { i.Values[0].Status = "C" }, "note of a value": func(i *Issue) { i.Values[0].Notes = "" },
		"name": func(i *Issue) { i.Values[0].Name = "Kalium" }, "one more": func(i *Issue) { i.Values = append(i.Values, Value{Code: "NA"}) },
		"none": func(i *Issue) { i.Values = nil },
	} {
		b := a
		b.Values = slices.Clone(a.Values)
		change(&b)
		require.False(t, Same(a, b), what)
	}
	b := a
	b.Values = slices.Clone(a.Values)
	b.Values[0].Details.Performer = "Two"
	require.True(t, Same(a, b), "who did it is kept, and is no other result")
}

func TestClosing(t *testing.T) {
	cases := []struct {
		status, told, reason string
		portal               bool
		missing              string
	}{
		{"", "telephone", "", false, ""},
		{"F", "telephone", "", false, ""}, {"C", "in person", "", false, ""}, {"X", "letter", "", false, ""}, {"F", "portal", "", true, ""},
		{"F", "not told", "knows already", false, ""},
		{"P", "telephone", "", false, "preliminary"}, {"I", "telephone", "", false, "preliminary"}, {"R", "telephone", "", false, "preliminary"},
		{"F", "", "", true, "say how"}, {"F", "shouted", "", true, "say how"}, {"F", "not told", "  ", true, "reason"},
		{"F", "portal", "", false, "does not use the portal"},
	}
	for _, c := range cases {
		err := Closing(c.status, false, c.told, c.reason, c.portal)
		if c.missing == "" {
			require.NoError(t, err, "%+v", c)
			continue
		}
		require.ErrorIs(t, err, ErrOpen, "%+v", c)
		require.ErrorContains(t, err, c.missing)
	}
	require.NoError(t, Closing("P", true, "telephone", "", false), "a preliminary one after a final one waits for nothing that anybody knows of")
}

func TestOlder(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want bool
	}{
		{"2026-11-23T08:10:00-05:00", "2026-11-23T08:11:00-05:00", true}, {"2026-11-23T08:10:00-05:00", "2026-11-23T08:10:00-05:00", false},
		{"2026-11-23T08:10:00-05:00", "2026-11-23T08:10:00-06:00", true}, {"2026-11-23T13:30:00Z", "2026-11-23T08:10:00-05:00", false},
		{"2026-11-23T08:10-05:00", "2026-11-23T08:10:30-05:00", false}, {"2026-11-23T08:09-05:00", "2026-11-23T08:10:30-05:00", true},
		{"2026-11-23T08-05:00", "2026-11-23T08:59:00-05:00", false}, {"2026-11-23T07-05:00", "2026-11-23T08:00:00-05:00", true},
		{"2026-11-22", "2026-11-23T08:10:00-05:00", true}, {"2026-11-23", "2026-11-23T08:10:00-05:00", false}, {"2026-11-23T08:10:00-05:00", "2026-11-23", false},
		{"2026-10", "2026-11-01", true}, {"2026-11", "2026-11-30", false}, {"2025", "2026", true}, {"", "2026", false}, {"2026", "", false},
		{"yesterday", "2026-11-23", false},
	} {
		require.Equal(t, c.want, Older(c.a, c.b), "%s before %s", c.a, c.b)
	}
}

// The quick way of reading a number reads and orders exactly what the slow one does.
func TestShortDecimalsAreExact(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		write := rapid.StringMatching(`[+-]?[0-9]{0,11}\.?[0-9]{0,9}|[-+.0-9]{0,6}`)
		x, y := write.Draw(t, "x"), write.Draw(t, "y")
		a, ok1 := decimalOf(x)
		b, ok2 := decimalOf(y)
		p, ok3 := long(x)
		q, ok4 := long(y)
		require.Equal(t, ok3, ok1, x)
		require.Equal(t, ok4, ok2, y)
		if ok1 && ok2 {
			require.Equal(t, p.Cmp(q), a.cmp(&b), "%s %s", x, y)
			require.Zero(t, p.Cmp(a.rat()), x)
		}
	})
}
