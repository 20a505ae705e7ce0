package reminder_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/chart"
	. "deftledger/core/reminder"
	"deftledger/exchange/shipped"
)

func book(t testing.TB) *Book {
	b, err := shipped.Rules()
	require.NoError(t, err)
	return b
}

const today = "2026-11-27"

// someChart draws a chart: any age, some problems, medicines, values, histories and decisions, with dates
// as precise as people know them.
func someChart(t *rapid.T) chart.Record {
	day := func(label string, most int) string {
		back := rapid.IntRange(0, most).Draw(t, label)
		at := time.Date(2026, 11, 27, 0, 0, 0, 0, time.UTC).AddDate(0, 0, -back)
		return at.Format([]string{time.DateOnly, time.DateOnly, time.DateOnly, "2006-01", "2006"}[rapid.IntRange(0, 4).Draw(t, label+" precise")])
	}
	exact := func(label string, most int) string {
		return time.Date(2026, 11, 27, 0, 0, 0, 0, time.UTC).AddDate(0, 0, -rapid.IntRange(0, most).Draw(t, label)).Format(time.DateOnly)
	}
	pick := func(label string, of ...string) string { return rapid.SampledFrom(of).Draw(t, label) }
	r := chart.Record{Zone: time.UTC, Day: today}
	r.Patient.BirthDate = day("birth", 36500)
	r.Patient.Sex = pick("sex", "F", "M", "F", "M", "U", "O")
	for i := range rapid.IntRange(0, 5).Draw(t, "problems") {
		code := pick("code", "E11.9", "I10", "N18.31", "M10.071", "E03.9", "F32.1", "Z85.3", "Z34.00", "B18.2", "R73.03", "I25.2", "Z90.710", "J45.30", "Z51.5", "E78.5", "C50.911")
		r.Problems = append(r.Problems, chart.Problem{ID: fmt.Sprint("p", i), Code: code, Title: code, Onset: pick("onset", day("since", 9000), ""), Since: day("listed", 3000)})
	}
	for i := range rapid.IntRange(0, 4).Draw(t, "medicines") {
		name := pick("medicine", "warfarin", "lithium", "metformin", "levothyroxine", "statin", "thiazide")
		m := chart.Medicine{ID: fmt.Sprint("m", i), Name: name, Started: day("started", 4000), Ingredients: []string{name},
			Classes: []string{map[string]string{"levothyroxine": "thyroid hormone", "statin": "statin", "thiazide": "thiazide diuretic"}[name]}}
		m.Told.Says = pick("told", "", "taking", "not taking", "not known")
		r.Medicines = append(r.Medicines, m)
	}
	for i := range rapid.IntRange(0, 12).Draw(t, "values") {
		v := rapid.SampledFrom([]chart.Value{
			{LOINC: "4548-4", Name: "A1c", Text: "5.4", Unit: "%"}, {LOINC: "4548-4", Name: "A1c", Text: "8.1", Unit: "%"}, {LOINC: "59261-8", Name: "A1c", Text: "42", Unit: "mmol/mol"},
			{LOINC: "13457-7", Name: "LDL", Text: "120", Unit: "mg/dL"}, {LOINC: "98979-8", Name: "eGFR", Text: ">90", Unit: "mL/min/{1.73_m2}"}, {LOINC: "98979-8", Name: "eGFR", Text: "42", Unit: "mL/min/{1.73_m2}"},
			{LOINC: "85354-9", Name: "BP", Text: "128/84", Unit: "mm[Hg]"}, {LOINC: "85354-9", Name: "BP", Text: "unreadable", Unit: "mm[Hg]"}, {LOINC: "39156-5", Name: "BMI", Text: "31", Unit: "kg/m2"},
			{LOINC: "6301-6", Name: "INR", Text: "2.4", Unit: "{INR}"}, {LOINC: "3016-3", Name: "TSH", Text: "2.4", Unit: "pints"}, {LOINC: "29771-3", Name: "FIT", Text: "negative"}, {LOINC: "21440-3", Name: "HPV", Text: "negative"},
			{LOINC: "16128-1", Name: "HCV", Text: "nonreactive"}, {LOINC: "55758-7", Name: "PHQ-2", Text: "1"}, {LOINC: "79423-0", Name: "risk", Text: "12", Unit: "%"},
		}).Draw(t, "value")
		v.Day = exact("on", 4000)
		v.At, v.Ref = v.Day, fmt.Sprint("v", i)
		r.Values = append(r.Values, v)
	}
	for i := range rapid.IntRange(0, 3).Draw(t, "histories") {
		h := rapid.SampledFrom([]chart.HistoryEntry{{List: "social", Title: "Tobacco", Detail: "40 pack-years, stopped 2012"}, {List: "social", Title: "Tobacco", Detail: "never"},
			{List: "social", Title: "Tobacco", Detail: "denies"}, {List: "surgical", Title: "Hysterectomy"}, {List: "surgical", Title: "Colonoscopy", Since: "2018"},
			{List: "family", Title: "Breast cancer", Detail: "mother"}}).Draw(t, "history")
		h.ID, h.StatedAt = fmt.Sprint("h", i), time.Date(2026, 1, 1+i, 0, 0, 0, 0, time.UTC)
		r.Histories = append(r.Histories, h)
	}
	for i := range rapid.IntRange(0, 3).Draw(t, "services") {
		r.Services = append(r.Services, chart.Service{ID: fmt.Sprint("s", i), Name: pick("service", "colonoscopy", "mammogram", "dxa", "eye-examination", "lung-ct"), On: day("had", 5000), Source: "patient says"})
	}
	for i := range rapid.IntRange(0, 3).Draw(t, "decisions") {
		at, err := time.Parse(time.DateOnly, exact("decided", 900))
		if err != nil {
			panic(err)
		}
		d := chart.Decision{ID: fmt.Sprint("d", i), Rule: pick("rule", "hepatitis-c", "colorectal-cancer", "drugs", "statin-prevention", "falls"), At: at.Add(time.Duration(i) * time.Hour),
			Says: pick("says", "done", "had outside", "declined", "put off", "does not apply"), On: at.Format(time.DateOnly)}
		if rapid.Bool().Draw(t, "until") {
			d.Until = at.AddDate(0, 0, rapid.IntRange(1, 900).Draw(t, "days")).Format(time.DateOnly)
		}
		r.Decisions = append(r.Decisions, d)
	}
	for _, q := range []string{"higher-sti-risk", "falls-risk", "tuberculosis-risk", "sexually-active"} {
		if rapid.Bool().Draw(t, q) {
			r.Answers = append(r.Answers, chart.Answer{ID: q, Question: q, Value: pick("answer", "yes", "no", "not known"), Day: exact("asked", 800)})
		}
	}
	return r
}

// The order in which facts stand in a chart is no matter.
func TestTheOrderOfFactsIsNoMatter(t *testing.T) {
	b := book(t)
	rapid.Check(t, func(t *rapid.T) {
		r := someChart(t)
		other := r
		mix := rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "seed"), 1))
		other.Problems, other.Values, other.Services, other.Medicines, other.Histories, other.Decisions = slices.Clone(r.Problems), slices.Clone(r.Values), slices.Clone(r.Services),
			slices.Clone(r.Medicines), slices.Clone(r.Histories), slices.Clone(r.Decisions)
		mix.Shuffle(len(r.Problems), func(i, j int) { other.Problems[i], other.Problems[j] = other.Problems[j], other.Problems[i] })
		mix.Shuffle(len(r.Values), func(i, j int) { other.Values[i], other.Values[j] = other.Values[j], other.Values[i] })
		mix.Shuffle(len(r.Services), func(i, j int) { other.Services[i], other.Services[j] = other.Services[j], other.Services[i] })
		mix.Shuffle(len(r.Medicines), func(i, j int) { other.Medicines[i], other.Medicines[j] = other.Medicines[j], other.Medicines[i] })
		mix.Shuffle(len(r.Histories), func(i, j int) { other.Histories[i], other.Histories[j] = other.Histories[j], other.Histories[i] })
		mix.Shuffle(len(r.Decisions), func(i, j int) { other.Decisions[i], other.Decisions[j] = other.Decisions[j], other.Decisions[i] })
		x, y := b.Open(r).All(), b.Open(other).All()
		for i := range x {
			if x[i].State != y[i].State || x[i].Since != y[i].Since || x[i].Due != y[i].Due || x[i].Changes != y[i].Changes {
				t.Fatalf("%s: %v %v %v %v and %v %v %v %v", x[i].Rule.ID, x[i].State, x[i].Since, x[i].Due, x[i].Changes, y[i].State, y[i].Since, y[i].Due, y[i].Changes)
			}
		}
	})
}

// A standing holds to the day that it names, and not on that day.
func TestAStandingHoldsToTheDayItNames(t *testing.T) {
	b := book(t)
	rapid.Check(t, func(t *rapid.T) {
		r := someChart(t)
		c := b.Open(r)
		now, _ := DayOf(today)
		for _, s := range c.All() {
			if s.State == Failed {
				t.Fatalf("%s failed", s.Rule.ID)
			}
			last := now + Horizon
			if s.Changes != Never {
				last = s.Changes - 1
				if then := c.StandOn(s.Rule.ID, s.Changes); then.State == s.State {
					t.Fatalf("%s is %s today and still so on %s, on which it was to change", s.Rule.ID, s.State, s.Changes)
				}
			}
			for range 4 {
				d := Day(rapid.IntRange(int(now), int(last)).Draw(t, "day"))
				if then := c.StandOn(s.Rule.ID, d); then.State != s.State {
					t.Fatalf("%s is %s today and %s on %s, though it was to stand until %s", s.Rule.ID, s.State, then.State, d, s.Changes)
				}
			}
		}
	})
}

// One more thing that fulfils a rule never makes it due sooner. (Where the result of the last one decides for how
// long, it may: those are left out.)
func TestWhatFulfilsNeverMakesItDueSooner(t *testing.T) {
	b := book(t)
	rapid.Check(t, func(t *rapid.T) {
		r := someChart(t)
		before := b.Open(r)
		now, _ := DayOf(today)
		service := rapid.SampledFrom([]string{"colonoscopy", "mammogram", "dxa", "eye-examination", "lung-ct"}).Draw(t, "more")
		on := now - Day(rapid.IntRange(0, 6000).Draw(t, "on"))
		r.Services = append(slices.Clone(r.Services), chart.Service{ID: "more", Name: service, On: on.String()})
		after := b.Open(r)
		for _, rule := range []string{"colorectal-cancer", "breast-cancer", "osteoporosis", "diabetes-eyes", "lung-cancer"} {
			x, y := before.Stand(rule), after.Stand(rule)
			if y.State.Open() && !x.State.Open() {
				t.Fatalf("%s was %s and is %s with one more %s on %s", rule, x.State, y.State, service, on)
			}
			if x.Due != Never && y.Due < x.Due {
				t.Fatalf("%s was due on %s and is on %s", rule, x.Due, y.Due)
			}
		}
	})
}

// Less known never turns what is due into what needs nothing.
func TestWhatIsForgottenIsNotANo(t *testing.T) {
	b := book(t)
	rapid.Check(t, func(t *rapid.T) {
		r := someChart(t)
		x := b.Open(r).All()
		less := r
		what := rapid.SampledFrom([]string{"birth", "sex", "answers", "tobacco"}).Draw(t, "what")
		switch what {
		case "birth":
			less.Patient.BirthDate = ""
		case "sex":
			if r.Patient.Sex == "M" && slices.ContainsFunc(r.Problems, func(p chart.Problem) bool { return p.Code == "Z34.00" }) {
				t.Skip("a man who is pregnant: the chart contradicts itself")
			}
			less.Patient.Sex = "U"
		case "answers":
			less.Answers = nil
		case "tobacco":
			less.Histories = slices.DeleteFunc(slices.Clone(r.Histories), func(h chart.HistoryEntry) bool { return h.Title == "Tobacco" })
		}
		for i, y := range b.Open(less).All() {
			if x[i].State.Open() && (y.State == NotFor || y.State == Holds || y.State == Coming) {
				t.Fatalf("%s is %s, and %s once the %s is not known", x[i].Rule.ID, x[i].State, y.State, what)
			}
		}
	})
}

func BenchmarkOnePatientAllRules(b *testing.B) {
	k := book(b)
	r := chart.Record{Zone: time.UTC, Day: today, Patient: chart.Patient{BirthDate: "1958-03-14", Sex: "F"}}
	for i, code := range []string{"E11.9", "I10", "N18.31", "M10.071", "E78.5", "F32.1", "J45.30"} {
		r.Problems = append(r.Problems, chart.Problem{ID: fmt.Sprint(i), Code: code, Title: code, Since: "2019-01-01"})
	}
	for i, m := range []string{"warfarin", "metformin", "levothyroxine", "allopurinol", "lithium"} {
		r.Medicines = append(r.Medicines, chart.Medicine{ID: fmt.Sprint(i), Name: m, Started: "2020-01-01", Ingredients: []string{m}})
	}
	for i := range 120 {
		day := time.Date(2026, 11, 20, 0, 0, 0, 0, time.UTC).AddDate(0, 0, -30*i/4).Format(time.DateOnly)
		r.Values = append(r.Values, chart.Value{LOINC: []string{"4548-4", "85354-9", "39156-5", "98979-8", "2823-3", "6301-6", "3016-3", "13457-7"}[i%8], Name: "x", Text: []string{"7.1", "128/84", "29", "52", "4.4", "2.4", "2.1", "90"}[i%8],
			Unit: []string{"%", "mm[Hg]", "kg/m2", "mL/min/{1.73_m2}", "mmol/L", "{INR}", "m[IU]/L", "mg/dL"}[i%8], Day: day, Ref: fmt.Sprint(i)})
	}
	for i, h := range []chart.HistoryEntry{{List: "social", Title: "Tobacco", Detail: "40 pack-years, stopped 2015"}, {List: "surgical", Title: "Gallbladder removed"}, {List: "family", Title: "Kidney disease", Detail: "mother"},
		{List: "past", Title: "Pneumonia"}, {List: "surgical", Title: "Colonoscopy", Since: "2019"}} {
		h.ID = fmt.Sprint(i)
		r.Histories = append(r.Histories, h)
	}
	b.ReportAllocs()
	for b.Loop() {
		k.Open(r).All()
	}
}
