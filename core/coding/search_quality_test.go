package coding_test

import (
	"slices"
	"sort"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/coding"
	"deftledger/data"
)

var load = sync.OnceValues(func() (*coding.Catalogue, *coding.Index) {
	text, err := data.Catalogue()
	if err != nil {
		panic(err)
	}
	c, err := coding.Load(text)
	if err != nil {
		panic(err)
	}
	return c, coding.NewIndex(c, data.Everyday, data.Patients)
})

// meant holds what a clinician types and the code they mean. It was written from
// the tabular list before the search, and is not changed to suit it.
var meant = [][2]string{
	{"htn", "I10"}, {"high blood pressure", "I10"}, {"essential hypertension", "I10"}, {"type 2 diabetes", "E11.9"}, {"dm2", "E11.9"},
	{"sugar", "E11.9"}, {"diabetes type 1", "E10.9"}, {"high cholesterol", "E78.00"}, {"hyperlipidemia", "E78.5"}, {"copd", "J44.9"},
	{"copd exacerbation", "J44.1"}, {"asthma", "J45.909"}, {"asthma attack", "J45.901"}, {"uti", "N39.0"}, {"gout", "M10.9"},
	{"gout attack", "M10.9"}, {"back pain", "M54.9"}, {"low back pain", "M54.50"}, {"neck pain", "M54.2"}, {"knee pain right", "M25.561"},
	{"shoulder pain left", "M25.512"}, {"sciatica", "M54.30"}, {"heart attack", "I21.9"}, {"afib", "I48.91"}, {"chf", "I50.9"},
	{"cad", "I25.10"}, {"stroke", "I63.9"}, {"tia", "G45.9"}, {"dvt", "I82.40"}, {"pulmonary embolism", "I26.99"},
	{"pneumonia", "J18.9"}, {"bronchitis", "J20.9"}, {"sore throat", "J02.9"}, {"strep throat", "J02.0"}, {"sinusitis", "J32.9"},
	{"ear infection", "H66.90"}, {"pink eye", "H10.9"}, {"common cold", "J00"}, {"flu", "J11.1"}, {"covid", "U07.1"},
	{"hay fever", "J30.9"}, {"gerd", "K21.9"}, {"heartburn", "R12"}, {"ibs", "K58.9"}, {"constipation", "K59.00"},
	{"diarrhea", "R19.7"}, {"nausea", "R11.0"}, {"abdominal pain", "R10.9"}, {"gallstones", "K80.20"}, {"fatty liver", "K76.0"},
	{"celiac disease", "K90.0"}, {"crohn's disease", "K50.90"}, {"hemorrhoids", "K64.9"}, {"iron deficiency anemia", "D50.9"},
	{"anemia", "D64.9"},
	{"hypothyroid", "E03.9"}, {"hashimoto", "E06.3"}, {"vitamin d deficiency", "E55.9"}, {"obesity", "E66.9"}, {"low potassium", "E87.6"},
	{"hyperkalemia", "E87.5"}, {"ckd stage 3a", "N18.31"}, {"kidney stone", "N20.0"}, {"bph", "N40.0"}, {"depression", "F32.A"},
	{"anxiety", "F41.9"}, {"generalized anxiety", "F41.1"}, {"adhd", "F90.9"}, {"insomnia", "G47.00"}, {"sleep apnea", "G47.30"},
	{"migraine", "G43.909"}, {"headache", "R51.9"}, {"dizziness", "R42"}, {"bppv", "H81.10"}, {"syncope", "R55"},
	{"chest pain", "R07.9"}, {"shortness of breath", "R06.02"}, {"cough", "R05.9"}, {"fever", "R50.9"}, {"fatigue", "R53.83"},
	{"rash", "R21"}, {"eczema", "L30.9"}, {"cellulitis leg", "L03.116"}, {"shingles", "B02.9"}, {"athletes foot", "B35.3"},
	{"nail fungus", "B35.1"}, {"wart", "B07.9"}, {"acne", "L70.0"}, {"osteoporosis", "M81.0"}, {"osteoarthritis knee", "M17.9"},
	{"rheumatoid arthritis", "M06.9"}, {"carpal tunnel", "G56.00"}, {"plantar fasciitis", "M72.2"}, {"tennis elbow", "M77.10"},
	{"sprained ankle", "S93.409"},
	{"smoker", "F17.210"}, {"alcohol dependence", "F10.20"}, {"ed", "N52.9"}, {"annual physical", "Z00.00"}, {"flu shot", "Z23"},
	{"falls", "R29.6"}, {"dementia", "F03.90"}, {"parkinson", "G20"}, {"hearing loss", "H91.90"}, {"urinary incontinence", "R32"},
}

// first holds words of the consulting room whose code must come first. They were found
// wanting by trying, and mended in the list of everyday words; the codes are from the
// tabular list and its alphabetical index.
var first = [][2]string{
	{"diabetic foot ulcer", "E11.621"}, {"high a1c", "R73.09"}, {"htn urgency", "I16.0"}, {"white coat hypertension", "R03.0"},
	{"pulm htn", "I27.20"},
	{"long covid", "U09.9"}, {"quit smoking", "Z87.891"}, {"sinus", "J01.90"}, {"strep", "J02.0"}, {"fatty liver", "K76.0"},
	{"gall stones", "K80.20"}, {"pyelo", "N10"}, {"std check", "Z11.3"}, {"yeast", "B37.9"}, {"breast pain", "N64.4"},
	{"morning sickness", "O21.0"}, {"iud removal", "Z30.432"}, {"birth control", "Z30.9"}, {"migraine aura", "G43.1"},
	{"low platelets", "D69.6"},
	{"sports physical", "Z02.5"}, {"sick note", "Z02.79"}, {"knee arthritis right", "M17.11"}, {"torn meniscus left", "S83.207"},
	{"rle cellulitis", "L03.115"},
	{"corneal abrasion", "S05.0"}, {"whiplash", "S13.4"}, {"deviated septum", "J34.2"}, {"canker sore", "K12.0"},
	{"urinary retention", "R33.9"},
	{"pertussis", "A37.9"}, {"hiv screening", "Z11.4"}, {"ruq pain", "R10.11"}, {"gestational diabetes", "O24.41"}, {"ckd 3b", "N18.32"},
}

func TestWordsOfTheConsultingRoomLeadFirst(t *testing.T) {
	_, index := load()
	for _, q := range first {
		hits := index.Search(q[0], 1)
		require.NotEmpty(t, hits, q[0])
		assert.True(t, heading(hits[0].Code, q[1]), "%s: %s %s, not %s", q[0], hits[0].Code, hits[0].Title, q[1])
	}
}

// heading says whether a hit is the meant code, a heading above it, or one that
// completes it.
func heading(hit, want string) bool {
	h, w := strings.ReplaceAll(hit, ".", ""), strings.ReplaceAll(want, ".", "")
	return strings.HasPrefix(w, h) || strings.HasPrefix(h, w)
}

func TestSearchFindsWhatIsMeant(t *testing.T) {
	c, x := load()
	found := 0
	for _, m := range meant {
		_, known := c.Lookup(m[1])
		require.True(t, known, "the table means %s, which is not in the catalogue", m[1])
		ok := false
		var got []string
		for _, h := range x.Search(m[0], 3) {
			got = append(got, h.Code)
			ok = ok || heading(h.Code, m[1])
		}
		if ok {
			found++
		} else {
			t.Logf("%q means %s, found %v", m[0], m[1], got)
		}
	}
	share := 100 * float64(found) / float64(len(meant))
	t.Logf("%d of %d queries (%.0f %%) have the meant code or its heading within the first three", found, len(meant), share)
	require.GreaterOrEqual(t, len(meant), 80)
	require.GreaterOrEqual(t, share, 90.0)
}

func TestSearchByCode(t *testing.T) {
	_, x := load()
	for query, want := range map[string]string{"M10.071": "M10.071", "m10071": "M10.071", "i10": "I10", "S93401A": "S93.401A",
		"s93.401a": "S93.401A", "T36.0X1A": "T36.0X1A", "M10.07": "M10.07"} {
		hits := x.Search(query, 5)
		require.NotEmpty(t, hits, query)
		require.Equal(t, want, hits[0].Code, query)
	}
	require.Equal(t, []string{"M10.07", "M10.071", "M10.072", "M10.079"}, codes(x.Search("M10.07", 9)), "a heading brings its codes")
	require.Empty(t, x.Search("M10.999999", 5))
}

func codes(hs []coding.Hit) []string {
	var out []string
	for _, h := range hs {
		out = append(out, h.Code)
	}
	return out
}

func TestSearchTakesWordsInAnyOrderAndCutShort(t *testing.T) {
	_, x := load()
	a, b := x.Search("gout idiopathic ankle right", 1), x.Search("right ank idiop gout", 1)
	require.Equal(t, "M10.071", a[0].Code)
	require.Equal(t, "M10.071", b[0].Code)
	require.Equal(t, "S39.012A", x.Search("strain lower back initial", 1)[0].Code, "the encounter named in the query completes the code")
	require.Equal(t, "htn", x.Search("htn", 1)[0].Why, "an everyday word says that it was the way")
	require.Empty(t, x.Search("", 5))
	require.Empty(t, x.Search("zzzzqqq", 5))
	require.Empty(t, x.Search("%%% ''", 5))
}

func TestCatalogueIsComplete(t *testing.T) {
	c, _ := load()
	entries, billable := c.Count()
	require.Equal(t, 74719, billable, "valid codes of the April 2026 release, as published")
	require.Greater(t, entries, 98000)
	require.Equal(t, "April 2026", c.Edition.Name)
}

func TestLookup(t *testing.T) {
	c, _ := load()
	for code, want := range map[string]coding.Entry{
		"I10":     {Code: "I10", Title: "Essential (primary) hypertension", Billable: true, Depth: 2},
		"m10.07":  {Code: "M10.07", Title: "Idiopathic gout, ankle and foot", Depth: 4},
		"S93401A": {Code: "S93.401A", Title: "Sprain of unspecified ligament of right ankle, initial encounter", Billable: true, Depth: 6},
		"T36.0X1D": {Code: "T36.0X1D", Title: "Poisoning by penicillins, accidental (unintentional), subsequent encounter",
			Billable: true, Depth: 6},
	} {
		got, ok := c.Lookup(code)
		require.True(t, ok, code)
		require.Equal(t, want, got)
	}
	for _, code := range []string{"", "Q", "I10.9", "S93.401Z", "S93.401", "274.9", "T360X1", "I10XXXA"} {
		e, ok := c.Lookup(code)
		require.False(t, ok && e.Billable, "%q is no billable code", code)
	}
}

func TestHeadingsOpenToBillableCodes(t *testing.T) {
	c, _ := load()
	require.Equal(t, []string{"M10.071", "M10.072", "M10.079"}, entries(c.BillableUnder("M10.07")))
	require.Equal(t, []string{"S93.401A", "S93.401D", "S93.401S"}, entries(c.Open("S93.401")))
	require.Equal(t, []string{"I10"}, entries(c.BillableUnder("I10")))
	all := 0
	for n := 1; n <= 22; n++ {
		all += len(c.BillableUnder("ch" + string(rune('0' + n/10))[:min(1, n/10)] + string(rune('0'+n%10))))
	}
	_, billable := c.Count()
	require.Equal(t, billable, all, "every billable code stands under a chapter")
}

func entries(es []coding.Entry) []string {
	var out []string
	for _, e := range es {
		out = append(out, e.Code)
	}
	return out
}

func TestNotesComeFromTheHeadingsAbove(t *testing.T) {
	c, _ := load()
	kinds := map[string]bool{}
	var quoted []string
	for _, n := range c.Notes("E11.21") {
		kinds[n.Kind] = true
		quoted = append(quoted, n.Code+" "+n.Kind+": "+n.Text)
	}
	require.Contains(t, quoted, "E11 excludes1: type 1 diabetes mellitus (E10.-)")
	require.Contains(t, quoted, "E11 use additional: insulin (Z79.4)")
	require.Contains(t, quoted, "E11 includes: diabetes NOS")
	require.NotEmpty(t, c.Notes("N18.31"))
	found := false
	for _, n := range c.Notes("N18.31") {
		found = found || n.Kind == "code first" && strings.Contains(n.Text, "hypertensive chronic kidney disease")
	}
	require.True(t, found, "chronic kidney disease: code first hypertensive chronic kidney disease")
}

func TestTheDateOfServiceDecidesTheEdition(t *testing.T) {
	c, _ := load()
	next := *c
	next.Edition = coding.Edition{Name: "October 2026", From: "2026-10-01", Until: "2027-03-31"}
	only, both := coding.NewLibrary(c), coding.NewLibrary(&next, c)
	for _, k := range []struct {
		lib         *coding.Library
		date, name  string
		warningSays string
	}{
		{only, "2026-04-01", "April 2026", ""}, {only, "2026-09-30", "April 2026", ""},
		{only, "2026-10-01", "April 2026", "in force until 2026-09-30"}, {only, "2026-03-31", "April 2026", "An earlier edition applied"},
		{both, "2026-09-30", "April 2026", ""}, {both, "2026-10-01", "October 2026", ""},
		{both, "2027-04-01", "October 2026", "A later edition applies"},
	} {
		got, warning := k.lib.On(k.date)
		require.Equal(t, k.name, got.Edition.Name, k.date)
		if k.warningSays == "" {
			require.Empty(t, warning, k.date)
		} else {
			require.Contains(t, warning, k.warningSays, k.date)
		}
	}
	_, _, _, err := only.Check("M10.07", "2026-05-01")
	require.ErrorIs(t, err, coding.ErrNotBillable)
	_, _, _, err = only.Check("274.9", "2026-05-01")
	require.ErrorIs(t, err, coding.ErrNoSuchCode, "a former ICD-9 code cannot be used")
}

func TestLoadRefusesWhatIsNoCatalogue(t *testing.T) {
	for _, text := range []string{"", "rubbish", "# from\t2026-01-01\nA00\t2\tCholera\n",
		"# from\t2026-01-01\n# until\t2026-02-01\nA00\tx\tCholera\t\t\n"} {
		_, err := coding.Load(text)
		require.Error(t, err)
	}
}

func BenchmarkSearch(b *testing.B) {
	_, x := load()
	asked := slices.Clone(meant)
	for _, name := range []string{"searches-known.txt", "searches-unseen.txt", "searches-later.txt"} {
		asked = append(asked, searches(b, name)...)
	}
	times := make([]time.Duration, 0, b.N*len(asked))
	for b.Loop() {
		for _, m := range asked {
			start := time.Now()
			x.Search(m[0], 12)
			times = append(times, time.Since(start))
		}
	}
	sort.Slice(times, func(i, j int) bool { return times[i] < times[j] })
	b.ReportMetric(float64(times[len(times)/2].Microseconds()), "µs/median")
	b.ReportMetric(float64(times[len(times)*99/100].Microseconds()), "µs/p99")
}
