package forms_test

import (
	"encoding/csv"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/coding"
	"deftledger/core/order"
	"deftledger/exchange/forms"
)

// A wrong set is refused with its line; a stopped test is no fault of the file.
func TestSetsAreReadStrictly(t *testing.T) {
	const head = "version: 1\nsets:\n"
	ok, err := forms.Sets("sets", head+"- {id: cold, title: Cold, codes: [J00], source: ours, tests: [GONE], text: [Rest]}\n")
	require.NoError(t, err)
	require.Len(t, ok, 1)
	for body, says := range map[string]string{
		"- {id: ok, title: A, source: s, text: [x]}\n- {id: ok, title: B, source: s, text: [x]}": "sets, line 3: \"ok\" stands twice",
		"- {id: a1, title: A, source: s, text: [x]}\n- {id: b1, title: B, text: [x]}":            "sets, line 4: the set \"b1\" needs its source",
		"- {id: a1, title: A, source: s, medicines: [{name: M, dose: .5 mg}]}":                   "line 3: M of \"a1\": the dose \".5 mg\" has a point without a zero",
		"- {id: a1, title: A, source: s, medicines: [{name: M, dose: 5.0 mg}]}":                  "ends in a zero",
		"- {id: a1, title: A, source: s, codes: [gout], text: [x]}":                              "no beginning of a diagnosis code",
		"- {id: a1, title: A, source: s}":                                                        "is empty",
		"- {id: a1, title: A, source: s, text: [x], colour: red}":                                "line 3",
		"- {id: a1, title: A, source: s, followUp: {when: soon, reason: x}}":                     "when to come back",
		"- {id: A 1, title: A, source: s, text: [x]}":                                            "small letters",
		"- {id: a1, title: A, source: s, from: -3, text: [x]}":                                   "completed months",
	} {
		_, err := forms.Sets("sets", head+body+"\n")
		require.ErrorContains(t, err, says, body)
	}
}

// Doses as error-prone lists name them (ISMP 2021): leading zero, no trailing zero.
func TestHowDosesAreWritten(t *testing.T) {
	for dose, bad := range map[string]bool{
		"0.5 mg": false, ".5 mg": true, "5 mg": false, "5.0 mg": true, "0.50 mg": true, "1.2 mg, then 0.6 mg": false,
		"10 mg": false, "100 mg": false, "1.05 mg": false, "160/4.5 ug": false, "1000 mL": false, "take 2. Then .25": true,
		"0.10": true, "": false,
	} {
		require.Equal(t, bad, order.DoseFault(dose) != "", dose)
	}
}

func TestTheTableOfServices(t *testing.T) {
	ok, err := forms.Services("services", "\ufeffCode;Description;Below\r\n20600;\"Small joint, \"\"ours\"\"\";\r\ng0402;Welcome;12\r\n")
	require.NoError(t, err)
	require.Len(t, ok, 2)
	require.Equal(t, "G0402", ok[1].Code)
	require.Equal(t, 12, ok[1].Below)
	require.Equal(t, "service", ok[0].Kind)
	for table, says := range map[string]string{
		"":                                       "empty",
		"code\n20600\n":                          "\"words\" is missing",
		"code,words,price\n":                     "\"price\" is not known",
		"code,code,words\n":                      "stands twice",
		"code,words\n20600,A\n20600,B\n":         "line 3: 20600 stands in line 2 already",
		"code,words\n206,A\n":                    "line 2: \"206\" is no code",
		"code,words\n20600,\n":                   "line 2: 20600 needs words",
		"code,words\n20600\n":                    "line 2: 1 columns instead of 2",
		"code,words,kind\n20600,A,x\n":           "the kind \"x\"",
		"code,words,from\n20600,A,ten\n":         "no age in completed months",
		"code,words,from,below\n20600,A,12,12\n": "which is nobody",
		"code,words\n20600,5\" band\n":           "line 2: a quotation mark",
		"code,words\n\"20600,A\n":                "line",
		"code,words\n20600,\xff\n":               "UTF-8",
	} {
		_, err := forms.Services("services", table)
		require.ErrorContains(t, err, says, table)
	}
	_, err = forms.Services("services", "code,words\n"+strings.Repeat("x", forms.TableLimit))
	require.ErrorContains(t, err, "larger than")
}

// Whatever a table holds, reading it ends with services or with a fault, and what was
// read is sound.
func FuzzServices(f *testing.F) {
	f.Add("code,words\n20600,A\n")
	f.Add("code;words;from\n20600;\"A\n;1")
	f.Fuzz(func(t *testing.T, text string) {
		out, err := forms.Services("services", text)
		if err != nil {
			return
		}
		seen := map[string]bool{}
		for _, s := range out {
			require.Len(t, s.Code, 5)
			require.NotEmpty(t, s.Words)
			require.False(t, seen[s.Code])
			seen[s.Code] = true
		}
	})
}

// A set is put in the place of the one of its name, else at the end; comments and the
// other sets stay as they are.
func TestPuttingASetIn(t *testing.T) {
	set := order.Set{ID: "cold", Title: "Cold", Source: "ours", Codes: []string{"J00"}, Text: []string{"Rest: \"well\""},
		FollowUp: &order.SetReturn{When: "2w", Reason: "Cold"}}
	for _, file := range []string{
		"",
		"version: 1\nsets: []\n",
		"# ours\nversion: 1\nsets:\n- {id: a1, title: A, source: s, text: [x]}\n",
		"sets:\n  # indented\n  - id: a1\n    title: A\n    source: s\n    text: [x]\n  - id: cold\n    title: Old cold\n    source: s\n    text: [y]\n\n  # of z1\n  - {id: z1, title: Z, source: s, text: [z]}\n",
	} {
		out, err := forms.PutSet("sets", file, set)
		require.NoError(t, err, file)
		read, err := forms.Sets("sets", out)
		require.NoError(t, err)
		n := 0
		for _, s := range read {
			if s.ID == "cold" {
				n++
				require.Equal(t, set, s)
			}
		}
		require.Equal(t, 1, n)
		for _, line := range strings.Split(file, "\n") {
			if strings.Contains(line, "#") || strings.Contains(line, "z1") || strings.Contains(line, "a1") {
				require.Contains(t, out, line)
			}
		}
		again, err := forms.PutSet("sets", out, set)
		require.NoError(t, err)
		require.Equal(t, out, again, "twice is once")
	}
	_, err := forms.PutSet("sets", "", order.Set{ID: "bad"})
	require.Error(t, err)
}

func TestLettersAndLeafletsAreReadStrictly(t *testing.T) {
	_, err := forms.Letters("letters", "letters:\n- {id: fit, title: Fit, to: other, text: \"{patient} {wait}\"}\n")
	require.ErrorContains(t, err, "letters, line 2: the chart has no field {wait}")
	_, err = forms.Leaflets("leaflets", "leaflets:\n- {id: ok, title: A, source: s, text: x}\n- {id: gout, title: Gout, text: x}\n")
	require.ErrorContains(t, err, "leaflets, line 3: the leaflet \"gout\" needs its source")
}

// A sound table reads back as it was written, with any separator and any words.
func TestATableOfServicesReadsBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		want := rapid.SliceOfNDistinct(rapid.Custom(func(t *rapid.T) coding.Service {
			s := coding.Service{
				Code:  rapid.StringMatching(`[A-Z][0-9]{4}|[0-9]{5}|[0-9]{4}[A-Z]`).Draw(t, "code"),
				Words: rapid.StringMatching(`[A-Za-zäß0-9][ -~äß]{0,40}[A-Za-z0-9]`).Draw(t, "words"),
				Kind:  rapid.SampledFrom([]string{"visit", "preventive", "service", "supply"}).Draw(t, "kind"),
				From:  rapid.IntRange(0, 600).Draw(t, "from"),
			}
			if rapid.Bool().Draw(t, "limited") {
				s.Below = s.From + rapid.IntRange(1, 600).Draw(t, "span")
			}
			return s
		}), 1, 20, func(s coding.Service) string { return s.Code }).Draw(t, "services")
		var b strings.Builder
		w := csv.NewWriter(&b)
		w.Comma = rapid.SampledFrom([]rune{',', ';', '\t'}).Draw(t, "separator")
		require.NoError(t, w.Write([]string{"kind", "code", "below", "words", "from"}))
		for _, s := range want {
			require.NoError(t, w.Write([]string{s.Kind, s.Code, fmt.Sprint(s.Below), s.Words, fmt.Sprint(s.From)}))
		}
		w.Flush()
		got, err := forms.Services("services", b.String())
		require.NoError(t, err, b.String())
		require.Equal(t, want, got)
	})
}

// After any run of sets put in, each name stands once, with what was put in last, in the
// order in which the names came first.
func TestSetsPutInOneAfterAnother(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.SampledFrom([]string{"", "sets: []\n",
			"# ours\nversion: 3\nsets:\n  # first\n  - {id: zero, title: Zero, source: s, text: [x]}\n"}).Draw(t, "text")
		var order []string
		last := map[string]string{}
		for range rapid.IntRange(1, 12).Draw(t, "n") {
			id := rapid.SampledFrom([]string{"one", "two", "three"}).Draw(t, "id")
			words := rapid.StringMatching(`[A-Za-z0-9 :#'"{}\[\]&*!|>%@-]{1,30}x`).Draw(t, "words")
			var err error
			text, err = forms.PutSet("sets", text, set(id, words))
			require.NoError(t, err)
			if last[id] == "" {
				order = append(order, id)
			}
			last[id] = words
		}
		got, err := forms.Sets("sets", text)
		require.NoError(t, err)
		if got[0].ID == "zero" {
			got = got[1:]
		}
		require.Len(t, got, len(order))
		for i, s := range got {
			require.Equal(t, order[i], s.ID)
			require.Equal(t, last[s.ID], s.Text[0], text)
		}
	})
}

func set(id, words string) order.Set {
	return order.Set{ID: id, Title: "T", Source: "ours", Text: []string{words}}
}
