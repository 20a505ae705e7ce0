package rulefile_test

import (
	"io/fs"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/coding"
	"deftledger/core/order"
	"deftledger/core/reminder"
	"deftledger/data"
	"deftledger/exchange/rulefile"
	"deftledger/exchange/shipped"
)

// Every rule that ships reads without a fault, and gives what its examples say, which were worked
// by hand from its source.
func TestTheRulesThatShip(t *testing.T) {
	folder, err := fs.Sub(data.Rules, "rules")
	require.NoError(t, err)
	source, faults := rulefile.ReadAll(folder)
	book, wrong := source.Book(nil)
	files := source.Files
	faults = append(faults, wrong...)
	for _, f := range faults {
		t.Error(f)
	}
	medicines, err := shipped.Medicines(data.Medicines)
	require.NoError(t, err)
	knows := func(name string) ([]string, []string) { return medicines.Classes(name), medicines.Ingredients(name) }
	examples := 0
	for _, f := range files {
		for i, e := range f.Rule.Examples {
			examples++
			assert.Empty(t, book.Try(f.Rule.ID, e, knows), "%s, example %d: %s", f.Name, i+1, e.Says)
		}
	}
	t.Log(len(files), "rules,", examples, "examples")
}

// Each measure gives what its examples say, which were decided by hand from its published source.
func TestTheMeasuresThatShip(t *testing.T) {
	source, err := shipped.RuleSource()
	require.NoError(t, err)
	require.Len(t, source.Measures, 9)
	book, faults := source.Book(nil)
	require.Empty(t, faults)
	medicines, err := shipped.Medicines(data.Medicines)
	require.NoError(t, err)
	knows := func(name string) ([]string, []string) { return medicines.Classes(name), medicines.Ingredients(name) }
	for _, m := range source.Measures {
		for i, e := range m.Examples {
			assert.Empty(t, book.TryMeasure(m.ID, e, knows), "%s, example %d: %s", m.ID, i+1, e.Says)
		}
	}
}

// A measure whose form or sets are wrong is refused with its line, and counts nowhere.
func TestAWrongMeasureIsRefused(t *testing.T) {
	text, err := fs.ReadFile(data.Measures, "measures/a1c.yaml")
	require.NoError(t, err)
	for from, says := range map[string]string{
		"per: person":          "per",
		"denominator:":         "denominator",
		"numerator: {value: {": "numerator",
		"is: met}":             "is",
		"source: {body: CMS":   "source",
		"id: a1c":              "is called",
	} {
		to := map[string]string{"per: person": "per: month", "denominator:": "denominators:", "numerator: {value: {": "numerator: {value: {unit: \"%\", ",
			"is: met}": "is: fulfilled}", "source: {body: CMS": "source: {publisher: CMS", "id: a1c": "id: a2c"}[from]
		_, faults := rulefile.ReadMeasure("a1c.yaml", []byte(strings.Replace(string(text), from, to, 1)))
		require.NotEmpty(t, faults, from)
		require.Positive(t, faults[0].Line, from)
		require.Contains(t, faults[0].Error(), says)
	}
	source, err := shipped.RuleSource()
	require.NoError(t, err)
	m := source.Measures[0]
	m.ID, m.Denominator = "other", reminder.Cond{Problem: &reminder.ProblemCond{Of: []string{"nothing-known"}}}
	source.Measures = append(source.Measures, m)
	book, faults := source.Book(nil)
	require.Len(t, faults, 1)
	require.Contains(t, faults[0].Error(), "nothing-known")
	require.Len(t, book.Measures(), 9)
}

// removed are codes of former editions that charts still hold.
var removed = map[string]string{"Z86.010": "parted into Z86.0100 and others in 2023", "E66.8": "parted into E66.81 and E66.89 in 2024"}

// What rules and sets name is in the lists that ship: tests, items, diagnoses, quantities,
// classes and ingredients of medicines.
func TestWhatRulesNameIsThere(t *testing.T) {
	ref, err := shipped.Read()
	require.NoError(t, err)
	edition, err := shipped.Edition()
	require.NoError(t, err)
	library := coding.NewLibrary(edition)
	text, err := data.Rules.ReadFile("rules/sets.yaml")
	require.NoError(t, err)
	sets, faults := rulefile.ReadSets("sets.yaml", text)
	require.Empty(t, faults)
	tests := map[string]bool{}
	for _, x := range ref.Laboratories[0].Tests {
		tests[x.Code] = true
	}
	for _, r := range ref.Rules.Rules() {
		for _, x := range r.Resolve {
			if x.Test != "" {
				assert.True(t, tests[x.Test], "%s: the test %s", r.ID, x.Test)
			}
			if x.Item != "" {
				_, ok := ref.Orderables.Item(x.Item)
				assert.True(t, ok, "%s: the item %s", r.ID, x.Item)
			}
			if x.Diagnosis != "" {
				_, _, _, err := library.Check(x.Diagnosis, r.Reviewed)
				assert.NoError(t, err, "%s: the diagnosis %s", r.ID, x.Diagnosis)
			}
		}
	}
	for _, c := range sets.Conditions {
		for _, code := range append(slices.Clone(c.Codes), c.But...) {
			if _, ok := edition.Lookup(code); !ok {
				_, former := removed[code]
				assert.True(t, former, "%s: there is no diagnosis %s", c.Name, code)
			}
		}
	}
	for _, q := range sets.Quantities {
		for _, l := range q.LOINC {
			assert.True(t, order.SoundLOINC(l), "%s: %s is no LOINC code", q.Name, l)
		}
	}
	for _, s := range sets.Services {
		for _, l := range s.LOINC {
			assert.True(t, order.SoundLOINC(l), "%s: %s is no LOINC code", s.Name, l)
		}
		for _, i := range s.Items {
			_, ok := ref.Orderables.Item(i)
			assert.True(t, ok, "%s: the item %s", s.Name, i)
		}
	}
	classes := map[string]bool{}
	for _, name := range ref.Medicines.Names() {
		for _, class := range ref.Medicines.Classes(name) {
			classes[class] = true
		}
	}
	for _, m := range sets.Medicines {
		for _, i := range m.Ingredients {
			assert.Contains(t, ref.Medicines.Ingredients(i), i, m.Name)
		}
		for _, class := range m.Classes {
			assert.True(t, classes[class], "%s: the class %s", m.Name, class)
		}
	}
}

// sound is a small rule without a fault; each bad file changes one thing of it.
const sound = `id: try
title: A try
group: cancer
version: 1
maintainer: Somebody
reviewed: "2026-11-27"
source: {body: Nobody, title: "A paper", year: 2026}
about: Once for everybody of 40 years.
closes: data
priority: 1
applies:
  all:
  - {age: {from: 40 years, below: 50 years}}
  - {not: {problem: {of: [diabetes]}}}
satisfied:
- {of: colonoscopy, lasts: 10 years}
resolve:
- {says: Colonoscopy, item: colonoscopy}
note: Done.
examples:
- {says: "40 today", on: "2026-11-27", chart: {born: "1986-11-27", sex: F}, is: due}
- {says: "39 years", on: "2026-11-26", chart: {born: "1986-11-27", sex: F}, is: coming up}
- {says: "50 years", on: "2026-11-27", chart: {born: "1976-11-27", sex: F}, is: not applicable}
- {says: "done", on: "2026-11-27", chart: {born: "1980-11-27", sex: F, had: [colonoscopy on 2025]}, is: satisfied}
`

// A wrong rule is refused with the line and what is wrong there.
func TestAWrongRuleIsRefusedWithItsLine(t *testing.T) {
	text, err := data.Rules.ReadFile("rules/sets.yaml")
	require.NoError(t, err)
	sets, _ := rulefile.ReadSets("sets.yaml", text)
	read := func(body string) []rulefile.Fault {
		f, faults := rulefile.Read("try.yaml", []byte(body))
		if len(faults) > 0 {
			return faults
		}
		_, faults = rulefile.Book([]rulefile.File{f}, sets, reminder.Schedule{}, nil)
		return faults
	}
	require.Empty(t, read(sound))
	for name, x := range map[string]struct {
		from, to string
		line     int
		says     string
	}{
		"an unknown field":            {"title: A try", "title: A try\ncolour: red", 3, "colour"},
		"an unknown field far inside": {"{age: {from: 40 years, below: 50 years}}", "{age: {from: 40 years, upto: 50 years}}", 13, "upto"},
		"a length that is none":       {"from: 40 years", "from: forty", 13, "does not match"},
		"an age of nobody":            {"below: 50 years", "below: 30 years", 13, "the age of nobody"},
		"a set there is not":          {"of: [diabetes]", "of: [diabeets]", 14, "no set \"diabeets\""},
		"a set of another kind":       {"of: [diabetes]", "of: [colonoscopy]", 14, "no set \"colonoscopy\""},
		"what fulfils it is unknown":  {"of: colonoscopy, lasts", "of: coloscopy, lasts", 16, "no set \"coloscopy\""},
		"two things in one condition": {"{not: {problem: {of: [diabetes]}}}", "{sex: female, not: {problem: {of: [diabetes]}}}", 14, "says one thing"},
		"too few examples":            {"- {says: \"done\", on: \"2026-11-27\", chart: {born: \"1980-11-27\", sex: F, had: [colonoscopy on 2025]}, is: satisfied}\n", "", 20, "needs 4 at least"},
		"no examples":                 {sound[strings.Index(sound, "examples:"):], "", 1, "examples"},
		"no source":                   {"source: {body: Nobody, title: \"A paper\", year: 2026}\n", "", 1, "source"},
		"a year of no paper":          {"year: 2026", "year: 26", 7, "less than 1990"},
		"an unknown state":            {"is: due}", "is: overdo}", 21, "value must be one of"},
		"a parameter there is not":    {"from: 40 years", "from: $start", 13, "no parameter \"start\""},
		"a parameter out of limits":   {"applies:", "parameters:\n  start: {says: Begins, is: 30 years, from: 40 years, to: 50 years}\napplies:", 12, "not within"},
		"a parameter nobody uses":     {"applies:", "parameters:\n  start: {says: Begins, is: 40 years, from: 40 years, to: 50 years}\napplies:", 12, "used nowhere"},
		"no YAML":                     {"title: A try", "title: A try: no: really: [", 2, ""},
		"an anchor":                   {"title: A try", "title: &x A try", 2, "references"},
		"two documents":               {"id: try", "id: try\n---\nid: other", 0, "more than one document"},
		"a group there is not":        {"group: cancer", "group: cancers", 3, "value must be one of"},
		"an act of two kinds":         {"item: colonoscopy}", "item: colonoscopy, test: FIT}", 18, "names one act"},
		"a season that is none":       {"note: Done.", "season: {from: \"09-31\", to: \"13-01\"}\nnote: Done.", 19, "no day of the year"},
	} {
		body := strings.Replace(sound, x.from, x.to, 1)
		require.NotEqual(t, sound, body, name)
		faults := read(body)
		if assert.NotEmpty(t, faults, name) {
			assert.Equal(t, x.line, faults[0].Line, "%s: %v", name, faults)
			assert.Contains(t, faults[0].Error(), x.says, name)
		}
	}
	// Sets that contain themselves, or nothing, or one that there is not.
	for body, says := range map[string]string{
		"conditions:\n- {name: a, says: a, sets: [b]}\n- {name: b, says: b, sets: [a]}\n":   "contains itself",
		"conditions:\n- {name: a, says: a, sets: [c]}\n":                                    "which there is not",
		"conditions:\n- {name: a, says: a}\n":                                               "holds nothing",
		"conditions:\n- {name: a, says: a, codes: [A]}\n- {name: a, says: a, codes: [B]}\n": "stands twice",
		"quantities:\n- {name: a, says: a}\n":                                               "no LOINC code",
		"conditions:\n- {name: a, says: a, code: [A]}\n":                                    "field code not found",
	} {
		s, faults := rulefile.ReadSets("sets.yaml", []byte(body))
		if len(faults) == 0 {
			_, faults = rulefile.Book(nil, s, reminder.Schedule{}, nil)
		}
		if assert.NotEmpty(t, faults, body) {
			assert.Contains(t, faults[0].Error(), says, body)
		}
	}
	_, faults := rulefile.Read("big.yaml", make([]byte, rulefile.Limit+1))
	require.Contains(t, faults[0].Error(), "larger than")
}

// Whatever bytes come, a file is read or refused, and never more.
func FuzzRead(f *testing.F) {
	f.Add([]byte(sound))
	f.Add([]byte("id: [\n"))
	f.Add([]byte("applies: {all: [{all: [{all: []}]}]}"))
	f.Fuzz(func(t *testing.T, text []byte) {
		file, faults := rulefile.Read("try.yaml", text)
		if len(faults) == 0 {
			_, faults = rulefile.Book([]rulefile.File{file}, reminder.Sets{}, reminder.Schedule{}, nil)
		}
		for _, x := range faults {
			_ = x.Error()
		}
	})
}

// Courses of vaccines, worked by hand from the published tables.
func TestCoursesOfVaccines(t *testing.T) {
	book, err := shipped.Rules()
	require.NoError(t, err)
	body, err := os.ReadFile("testdata/schedules.tsv")
	require.NoError(t, err)
	courses := 0
	for line := range strings.Lines(string(body)) {
		if strings.HasPrefix(line, "#") {
			continue
		}
		f := strings.Split(strings.TrimRight(line, "\n"), "\t")
		e := reminder.Example{On: f[2], Is: reminder.State(f[5]), Chart: reminder.ExampleChart{Born: f[1], Sex: "F"}}
		for dose := range strings.SplitSeq(f[3], ",") {
			if cvx, on, ok := strings.Cut(strings.TrimSpace(dose), " "); ok {
				e.Chart.Vaccines = append(e.Chart.Vaccines, cvx+" on "+on)
			}
		}
		if f[4] != "" {
			e.Chart.Problems = []string{f[4] + " since 2020-01-01"}
		}
		if f[6] != "-" {
			e.Due = f[6]
		}
		courses++
		assert.Empty(t, book.Try(f[0], e, nil), "%d: %s", courses, line)
	}
	require.GreaterOrEqual(t, courses, 80)
}
