package coding_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/coding"
	"deftledger/data"
)

// pairs are two diagnoses of one visit, in this order, and what the tabular list
// (April 2026) says of them: read from the notes themselves, by hand.
// excludes: an "excludes 1" note at one names the other. order: the second has to stand
// first ("code first", "use additional"). "": nothing.
var pairs = []struct{ a, b, want string }{
	{"E11.9", "E10.9", "excludes"}, {"E10.9", "E11.65", "excludes"}, {"E11.9", "E08.9", "excludes"}, {"E11.9", "E13.9", "excludes"},
	{"E11.9", "O24.410", "excludes"},
	{"E10.9", "R73.9", "excludes"}, {"R73.03", "E11.9", "excludes"}, {"R73.03", "E16.2", "excludes"}, {"R73.01", "R81", "excludes"},
	{"E11.9", "I10", ""},
	{"I10", "O13.1", "excludes"}, {"I10", "O12.01", ""}, {"I12.9", "I15.0", "excludes"}, {"I12.9", "I15.8", "excludes"}, {"I10", "E78.5", ""},
	{"J45.909", "R06.2", "excludes"}, {"J45.40", "J60", "excludes"}, {"J45.909", "J30.9", "excludes"}, {"J20.9", "J40", "excludes"},
	{"J40", "J20.9", "excludes"},
	{"J06.9", "J02.0", "excludes"}, {"J06.9", "J10.1", "excludes"}, {"J06.9", "J22", "excludes"}, {"J02.9", "J36", "excludes"},
	{"J02.9", "J06.0", "excludes"},
	{"J03.90", "J02.9", "excludes"}, {"J03.90", "J35.1", "excludes"}, {"J00", "J02.9", "excludes"}, {"J00", "J31.0", "excludes"},
	{"J01.90", "J32.9", "excludes"},
	{"J42", "J44.9", "excludes"}, {"J18.9", "J84.9", "excludes"}, {"N39.0", "N30.00", "excludes"}, {"N39.0", "R82.81", "excludes"},
	{"N39.0", "N34.1", "excludes"},
	{"M1A.0710", "M10.071", "excludes"}, {"M54.50", "S39.012A", "excludes"}, {"M54.50", "M54.41", "excludes"},
	{"M54.50", "M51.26", "excludes"}, {"M79.10", "M79.7", "excludes"},
	{"R05.9", "J41.0", "excludes"}, {"R50.9", "R56.00", "excludes"}, {"R52", "R51.9", "excludes"}, {"R52", "M25.561", "excludes"},
	{"R52", "G89.29", "excludes"},
	{"F32.9", "F33.1", "excludes"}, {"F32.9", "F31.9", "excludes"}, {"F33.1", "F41.1", ""}, {"Z72.0", "F17.210", "excludes"},
	{"Z72.0", "Z87.891", "excludes"},
	{"Z87.891", "F17.210", "excludes"}, {"G44.209", "R51.9", "excludes"}, {"R42", "H81.10", "excludes"}, {"R55", "I95.1", "excludes"},
	{"R32", "N39.3", "excludes"},
	{"A09", "K52.9", "excludes"}, {"A09", "R19.7", "excludes"}, {"R11.2", "O21.0", "excludes"}, {"I20.9", "I25.10", "excludes"},
	{"M81.0", "M80.051A", "excludes"},
	{"M81.0", "M89.071", "excludes"}, {"J96.00", "J80", "excludes"}, {"G30.9", "R41.81", "excludes"}, {"E03.9", "E89.0", "excludes"},
	{"G63", "E11.42", "excludes"},
	{"G63", "E11.21", ""}, {"K59.00", "K56.41", "excludes"}, {"L40.0", "L20.9", ""}, {"H10.9", "H16.209", "excludes"},
	{"N18.31", "I12.9", "order"},
	{"I12.9", "N18.31", ""}, {"N18.31", "E11.22", "order"}, {"E11.22", "N18.31", ""}, {"J12.82", "U07.1", "order"}, {"U07.1", "J12.82", ""},
	{"Z79.4", "E11.9", "order"}, {"E11.9", "Z79.4", ""}, {"Z68.35", "E66.9", "order"}, {"I50.9", "I11.0", "order"}, {"I11.0", "I50.9", ""},
	{"R35.0", "N40.1", "order"}, {"B96.20", "N39.0", "order"}, {"N39.0", "B96.20", ""}, {"Z87.891", "J45.909", "order"},
	{"F02.80", "G30.9", "order"},
}

// said is what of the advice on two codes concerns both of them.
func said(as []coding.Advice, a, b string) []string {
	var out []string
	for _, x := range as {
		if (x.Kind == "excludes" || x.Kind == "order") && slices.Contains(x.Codes, a) && slices.Contains(x.Codes, b) {
			out = append(out, x.Kind)
		}
	}
	return out
}

func TestPairsOfTheOfficialText(t *testing.T) {
	c, _ := load()
	for _, p := range pairs {
		for _, code := range []string{p.a, p.b} {
			e, ok := c.Lookup(code)
			require.True(t, ok && e.Billable, "%s is a code", code)
		}
		as := c.Advise(coding.Visit{Codes: []string{p.a, p.b}, Sex: "U", Months: -1})
		got := said(as, p.a, p.b)
		if p.want == "" {
			assert.Empty(t, got, "%s %s", p.a, p.b)
			continue
		}
		if !assert.Equal(t, []string{p.want}, got, "%s %s", p.a, p.b) {
			continue
		}
		for _, x := range as {
			if x.Kind == "order" {
				require.Equal(t, []string{p.b, p.a}, x.Offers, "the better order is offered")
			}
			require.NotEmpty(t, x.Quote)
			require.NotEmpty(t, x.Source)
		}
	}
	require.GreaterOrEqual(t, len(pairs), 60)
}

// Whatever is on the list, a pair that excludes itself is told once, in either order,
// and taking an offered order leaves no complaint about that pair.
func TestAdviceDoesNotDependOnTheOrderNorRepeat(t *testing.T) {
	c, _ := load()
	for _, p := range pairs {
		for _, list := range [][]string{{p.a, "L40.0", p.b}, {p.b, "L40.0", p.a}} {
			as := c.Advise(coding.Visit{Codes: list, Sex: "U", Months: -1})
			keys := map[string]bool{}
			for _, x := range as {
				require.False(t, keys[x.Key], "%s twice", x.Key)
				keys[x.Key] = true
				if x.Kind == "order" {
					require.ElementsMatch(t, list, x.Offers)
					again := c.Advise(coding.Visit{Codes: x.Offers, Sex: "U", Months: -1})
					for _, y := range again {
						require.NotEqual(t, x.Key, y.Key, "the offered order settles it")
					}
				}
			}
			require.Equal(t, p.want == "excludes", slices.ContainsFunc(as, func(x coding.Advice) bool { return x.Kind == "excludes" }), "%v", list)
		}
	}
}

func TestTheProblemListIsHeldAgainstTheVisit(t *testing.T) {
	c, _ := load()
	as := c.Advise(coding.Visit{Codes: []string{"E11.9"}, Problems: []string{"E10.9", "E11.9", "I10"}, Sex: "F", Months: 600})
	i := slices.IndexFunc(as, func(x coding.Advice) bool { return x.Kind == "excludes" })
	require.GreaterOrEqual(t, i, 0)
	require.Equal(t, []string{"E11.9", "E10.9"}, as[i].Codes)
	require.False(t, as[i].Stops, "the problem list warns, it does not stop the visit")
	require.Contains(t, as[i].Quote, "type 1 diabetes mellitus (E10.-)")
}

func TestWhatIsMissingBesideACode(t *testing.T) {
	c, _ := load()
	kinds := func(codes ...string) string {
		var out []string
		for _, x := range c.Advise(coding.Visit{Codes: codes, Sex: "F", Months: 600}) {
			out = append(out, x.Kind+" "+strings.Join(x.Offers, " "))
		}
		return strings.Join(out, "; ")
	}
	require.Contains(t, kinds("E11.9"), "additional Z79.85 Z79.4 Z79.84")
	require.NotContains(t, kinds("E11.9", "Z79.4"), "additional")
	require.Contains(t, kinds("E11.22"), "additional N18.1")
	require.Contains(t, kinds("J12.82"), "first U07.1")
	require.NotContains(t, kinds("I50.9"), "first", "heart failure has causes to code first, but need not have one")
	as := c.Advise(coding.Visit{Codes: []string{"G63"}, Sex: "F", Months: 600})
	require.True(t, as[0].Stops, "a manifestation never stands first")
}

func TestOneCodeInPlaceOfTwo(t *testing.T) {
	c, _ := load()
	for want, codes := range map[string][]string{
		"I12.9 for I10":       {"I10", "N18.31"},
		"I12.0 for I10":       {"N18.6", "I10"},
		"I11.0 for I10":       {"I10", "I50.9"},
		"I13.0 for I10":       {"I10", "I50.32", "N18.30"},
		"I13.2 for I12.0":     {"I12.0", "N18.5", "I50.9"},
		"E11.22 for E11.9":    {"E11.9", "N18.2"},
		"E10.22 for E10.9":    {"E10.9", "N18.2"},
		"E11.42 for E11.9":    {"G62.9", "E11.9"},
		"E11.51 for E11.9":    {"E11.9", "I73.9"},
		"E11.621 for E11.9":   {"E11.9", "L97.512"},
		"E11.649 for E11.9":   {"E11.9", "E16.2"},
		"I25.110 for I25.10":  {"I25.10", "I20.0"},
		"I25.119 for I25.10":  {"I25.10", "I20.9"},
		"J44.0 for J44.9":     {"J44.9", "J20.9"},
		"E78.2 for E78.00":    {"E78.00", "E78.1"},
		"nothing for I12.9":   {"I12.9", "N18.31"},
		"nothing for E11.22":  {"E11.22", "N18.31"},
		"nothing for I10":     {"I10", "E11.9"},
		"nothing for J44.0":   {"J44.0", "J20.9"},
		"nothing for I13.0":   {"I13.0", "I50.9", "N18.31"},
		"nothing for I13.2":   {"I13.2", "I50.9", "N18.6"},
		"nothing for I25.119": {"I25.119", "E78.5"},
	} {
		got := "nothing for " + codes[0]
		for _, x := range c.Advise(coding.Visit{Codes: codes, Sex: "M", Months: 800}) {
			if x.Kind == "combined" {
				got = x.Offers[0] + " for " + x.Codes[0]
				_, ok := c.Lookup(x.Offers[0])
				require.True(t, ok)
				require.NotEmpty(t, x.Source)
			}
		}
		require.Equal(t, want, got, "%v", codes)
	}
}

func TestEditsBySexAndAgeAsk(t *testing.T) {
	c, _ := load()
	for _, x := range []struct {
		code, sex string
		months    int
		want      string
	}{
		{"N40.1", "F", 800, "sex"}, {"N40.1", "M", 800, ""}, {"N40.1", "U", 800, ""}, {"N40.1", "O", 800, ""},
		{"O09.511", "F", 30 * 12, ""}, {"O09.511", "M", 30 * 12, "sex"}, {"Z34.01", "F", 8 * 12, "age"}, {"Z34.01", "F", 70 * 12, "age"},
		{"Z12.4", "M", 500, "sex"}, {"Z12.5", "F", 500, "sex"}, {"N76.0", "F", 500, ""},
		{"Z00.121", "F", 18 * 12, "age"}, {"Z00.121", "F", 18*12 - 1, ""}, {"Z00.00", "F", 14 * 12, "age"}, {"Z00.00", "F", 15 * 12, ""},
		{"Z00.00", "F", -1, ""},
		{"Z68.30", "F", 19 * 12, "age"}, {"Z68.30", "F", 20 * 12, ""}, {"Z68.52", "M", 20 * 12, "age"}, {"Z00.110", "M", 1, "age"},
		{"M81.0", "F", 14 * 12, "age"},
	} {
		got := ""
		for _, a := range c.Advise(coding.Visit{Codes: []string{x.code}, Sex: x.sex, Months: x.months}) {
			if a.Kind == "sex" || a.Kind == "age" {
				require.Empty(t, got, "one remark")
				got = a.Kind
				require.False(t, a.Stops, "it asks, it does not refuse")
			}
		}
		require.Equal(t, x.want, got, "%s %s %d", x.code, x.sex, x.months)
	}
}

func TestReferencesAreReadAsTheTextMeansThem(t *testing.T) {
	for _, x := range []struct {
		text, code string
		want       bool
	}{
		{"type 1 diabetes mellitus (E10.-)", "E10.9", true}, {"type 1 diabetes mellitus (E10.-)", "E11.9", false},
		{"stage (N18.1-N18.6)", "N18.31", true}, {"stage (N18.1-N18.6)", "N18.9", false}, {"stage (N18.1-N18.6)", "N18.6", true},
		{"(O10-O11, O13-O16)", "O12.00", false}, {"(O10-O11, O13-O16)", "O11.1", true}, {"(O10-O11, O13-O16)", "O16.3", true},
		{"drug (T36-T50 with fifth or sixth character 5)", "T46.4X5A", true}, {"drug (T36-T50 with fifth or sixth character 5)", "T46.4X1A",
			false}, {"drug (T36-T50 with fifth or sixth character 5)", "T50.905A", true},
		{"drug (T51-T65 with fifth or sixth character 1-4)", "T58.13XA", true}, {"drug (T51-T65 with fifth or sixth character 1-4)",
			"T58.15XA", false},
		{"diabetes mellitus (E08-E13 with .42)", "E11.42", true}, {"diabetes mellitus (E08-E13 with .42)", "E11.43", false},
		{"gestational diabetes (O24.4-)", "O24.410", true}, {"C3 (glomerulopathy) in something", "C34.90", false},
		{"a code without brackets E11.9", "E11.9", false},
		{"low back strain (S39.012)", "S39.012A", true}, {"low back strain (S39.012)", "S39.011A", false}, {"(A36.83)", "A36.8", false},
		{"abnormal (I10-I1A)", "I1A.0", true},
	} {
		got := slices.ContainsFunc(coding.References(x.text), func(r coding.Reference) bool { return r.Means(x.code) })
		require.Equal(t, x.want, got, "%s in %q", x.code, x.text)
	}
}

func FuzzReferences(f *testing.F) {
	for _, s := range []string{"(E08.-)", "(N18.1-N18.6)", "(T36-T50 with fifth or sixth character 5)", "((", ")(", "(A00-)",
		"(E08-E13 with .42)"} {
		f.Add(s, "E11.9")
	}
	f.Fuzz(func(t *testing.T, text, code string) {
		for _, r := range coding.References(text) {
			_ = r.Means(code)
			require.NotEmpty(t, r.From)
			if r.From == r.To && r.Fifth == "" && r.Rest == "" {
				require.True(t, r.Means(r.From), "a reference means the code it names")
			}
		}
	})
}

func TestFormerCodesLeadToPresentOnes(t *testing.T) {
	c, _ := load()
	text, err := data.Formers()
	require.NoError(t, err)
	f, err := coding.LoadFormers(text)
	require.NoError(t, err)
	require.Greater(t, f.Count(), 14_000)
	for former, now := range map[string]string{ // General Equivalence Mappings 2018, read by hand
		"250.00": "E11.9", "25000": "E11.9", "401.9": "I10", "786.50": "R07.9", "274.01": "M10.00", "493.90": "J45.909", "V70.0": "Z00.00",
		"530.81": "K21.9", "599.0": "N39.0", "465.9": "J06.9", "724.2": "M54.5", "311": "F32.9", "272.4": "E78.4", "E888.1": "W01.190A",
	} {
		x, ok := f.Find(former, c)
		require.True(t, ok, former)
		require.True(t, slices.ContainsFunc(x.Now, func(e coding.Entry) bool { return e.Code == now }), "%s leads to %v", former, x.Now)
		require.NotEmpty(t, x.Title)
		for _, e := range x.Now {
			_, ok := c.Lookup(e.Code)
			require.True(t, ok)
		}
	}
	_, ok := f.Find("E11.9", c)
	require.False(t, ok)
	_, ok = c.Lookup("250.00")
	require.False(t, ok, "a former code cannot itself be used")
	hits := f.Search("malignant hypertension", c, 3)
	require.Equal(t, "401.0", hits[0].Code)
	require.Equal(t, "I10", hits[0].Now[0].Code)
}
