package orderable_test

import (
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
	"deftledger/core/order"
	"deftledger/core/orderable"
	"deftledger/exchange/shipped"
)

func rows(t *testing.T, file string) (out [][]string) {
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	for _, l := range strings.Split(string(text), "\n") {
		if l != "" && l[0] != '#' {
			out = append(out, strings.Split(l, "\t"))
		}
	}
	return out
}

// What people type finds what they mean first, among all laboratory tests.
func TestSearches(t *testing.T) {
	ref, err := shipped.Read()
	require.NoError(t, err)
	f := order.NewFinder(ref.Laboratories, ref.Orderables.With(ref.Vaccines).Searched())
	right, all := 0, 0
	for _, r := range rows(t, "testdata/searches.tsv") {
		all++
		got := "-"
		for _, h := range f.Find(r[0], 1) {
			if h.Laboratory == orderable.List {
				got = h.Code
			} else {
				got = h.Laboratory + ":" + h.Code
			}
		}
		if got == r[1] || r[1] == "-" && strings.Contains(got, ":") {
			right++
		}
		assert.True(t, got == r[1] || r[1] == "-" && strings.Contains(got, ":"), "%q: %s, not %s", r[0], got, r[1])
	}
	t.Logf("%d of %d", right, all)
}

// What speaks for care is said, and nothing else is.
func TestConcerns(t *testing.T) {
	ref, err := shipped.Read()
	require.NoError(t, err)
	for _, r := range rows(t, "testdata/concerns.tsv") {
		item, ok := ref.Orderables.With(ref.Vaccines).Item(r[0])
		require.True(t, ok, r[0])
		years := map[string]string{"10": "2016", "30": "1996", "40": "1986", "60": "1966", "62": "1964", "70": "1956"}[r[3]]
		require.NotEmpty(t, years)
		held := chart.Record{Day: "2026-11-23", Patient: chart.Patient{BirthDate: years + "-02-01", Sex: r[2]}, Allergies: []chart.Allergy{{}}}
		if r[4] != "" {
			held.Values = append(held.Values, chart.Value{LOINC: "98979-8", Text: r[4], Unit: "mL/min/{1.73_m2}", Day: "2026-11-01"})
		}
		if r[5] != "" {
			held.Medicines = append(held.Medicines, chart.Medicine{Name: r[5]})
		}
		if r[6] != "" && !strings.HasPrefix(r[6], "no known") {
			held.Allergies = []chart.Allergy{{Substance: r[6]}}
		}
		if r[7] != "" {
			held.Problems = append(held.Problems, chart.Problem{Code: r[7]})
		}
		var answers []order.EntryAnswer
		for _, a := range strings.Split(r[1], ";") {
			if q, v, ok := strings.Cut(a, "="); ok {
				answers = append(answers, order.EntryAnswer{Question: q, Answer: v})
			}
		}
		got := item.Concerns(held, ref.Medicines, answers)
		var says []string
		for _, w := range got {
			grade := string(w.Grade)
			if w.Unknown {
				grade = "not checked"
			}
			says = append(says, grade+": "+strings.ToLower(w.Says+" "+w.Why))
			assert.True(t, w.Unknown || w.Source != "", "%v: %s has no source", r, w.Says)
		}
		want := strings.Split(r[8], "|")
		if r[8] == "-" {
			want = nil
		}
		assert.Len(t, got, len(want), "%v: %v", r, says)
		for _, w := range want {
			grade, word, _ := strings.Cut(w, ": ")
			found := false
			for _, s := range says {
				found = found || strings.HasPrefix(s, grade+": ") && strings.Contains(s, word)
			}
			assert.True(t, found, "%v: %s is not said: %v", r, w, says)
		}
	}
}

// Nobody has recorded allergies, and a medicine nobody knows: neither passes as safe.
func TestWhatIsNotKnownIsSaid(t *testing.T) {
	ref, err := shipped.Read()
	require.NoError(t, err)
	item, _ := ref.Orderables.With(ref.Vaccines).Item("ct-chest")
	held := chart.Record{Day: "2026-11-23", Patient: chart.Patient{BirthDate: "1960-01-01", Sex: "M"}, Medicines: []chart.Medicine{{Name: "island herbal drops"}}}
	got := item.Concerns(held, ref.Medicines, []order.EntryAnswer{{Question: "contrast", Answer: "with"}})
	require.Len(t, got, 3)
	for _, w := range got {
		require.True(t, w.Unknown, w.Says)
	}
}

func TestAListThatIsNotSound(t *testing.T) {
	good := orderable.SourceItem{ID: "a", Name: "A", Kind: orderable.Supply, By: "supplies"}
	for says, change := range map[string]func(*orderable.SourceItem){
		"needs a name": func(x *orderable.SourceItem) { x.Name = " " },
		"the kind":     func(x *orderable.SourceItem) { x.Kind = "test" },
		"who does it":  func(x *orderable.SourceItem) { x.By = "" },
		"no question":  func(x *orderable.SourceItem) { x.Side = true },
		"no modality":  func(x *orderable.SourceItem) { x.Modality = "pet" },
		"preparation":  func(x *orderable.SourceItem) { x.Prepare = "fast" },
		"radiation":    func(x *orderable.SourceItem) { x.Radiation = "some" },
		"is empty":     func(x *orderable.SourceItem) { x.ID = "" },
	} {
		x := good
		change(&x)
		_, err := orderable.New(orderable.Source{Items: []orderable.SourceItem{x}})
		require.ErrorIs(t, err, orderable.ErrList)
		require.ErrorContains(t, err, says)
	}
	_, err := orderable.New(orderable.Source{Items: []orderable.SourceItem{good, good}})
	require.ErrorContains(t, err, "twice")
}

func TestWhenItIsWanted(t *testing.T) {
	require.Equal(t, "2026-12-14", orderable.Imaging.Wanted("routine", "2026-11-23", ""))
	require.Equal(t, "2026-11-24", orderable.Imaging.Wanted("stat", "2026-11-23", ""))
	require.Equal(t, "2027-03-15", orderable.Imaging.Wanted("routine", "2026-11-23", "2027-02-22"), "three months from now, and three weeks for the report")
}

// What people type for laboratory tests still finds them, first but where the words are of a
// picture as well ("kidney stones").
func TestTestsAreFoundBesides(t *testing.T) {
	ref, err := shipped.Read()
	require.NoError(t, err)
	alone, besides := order.NewFinder(ref.Laboratories), order.NewFinder(ref.Laboratories, ref.Orderables.With(ref.Vaccines).Searched())
	var second []string
	for _, r := range rows(t, "../order/testdata/searches.tsv") {
		if len(r) < 2 || r[1] == "" {
			continue
		}
		was, is := alone.Find(r[0], 1), besides.Find(r[0], 2)
		if len(was) == 0 {
			continue
		}
		at := slices.IndexFunc(is, func(h order.Hit) bool { return h.Code == was[0].Code })
		assert.GreaterOrEqual(t, at, 0, r[0])
		if at > 0 {
			second = append(second, r[0])
		}
	}
	require.LessOrEqual(t, len(second), 2, "%v", second)
}

// Tests and all else as others typed them before the lists had seen it: what was meant stands
// first. On first reading 54 of 64 did (0.84; 0.74 to 0.91).
func TestOthersFindWhatTheyMean(t *testing.T) {
	ref, err := shipped.Read()
	require.NoError(t, err)
	find := order.NewFinder(ref.Laboratories, ref.Orderables.With(ref.Vaccines).Searched())
	for _, r := range rows(t, "testdata/strangers.tsv") {
		hits := find.Find(r[0], 1)
		if !assert.NotEmpty(t, hits, r[0]) {
			continue
		}
		pattern := strings.NewReplacer(`\*`, ".*", ",", "|").Replace(regexp.QuoteMeta(r[1]))
		assert.Regexp(t, "(?i)"+pattern, hits[0].Name, r[0])
	}
}
