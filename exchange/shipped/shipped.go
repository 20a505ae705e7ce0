// Package shipped reads the reference data that ship beside the program: the laboratories'
// test lists, medicines, tests and vaccines of the house, services, measures and the finding
// list. It is the one place that knows in what form they are kept.
package shipped

import (
	"errors"
	"fmt"
	"io/fs"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"

	"deftledger/core/chart"
	"deftledger/core/coding"
	"deftledger/core/coverage"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/core/orderable"
	"deftledger/core/outside"
	"deftledger/core/recall"
	"deftledger/core/reminder"
	"deftledger/core/result"
	"deftledger/core/safety"
	"deftledger/core/screen"
	"deftledger/core/ucum"
	"deftledger/data"
	"deftledger/exchange/fhir"
	"deftledger/exchange/forms"
	"deftledger/exchange/rulefile"
	"deftledger/exchange/testlist"
)

// Reference is what ships, read.
type Reference struct {
	Laboratories []order.Laboratory // the first is the one usually meant
	Intervals    []order.Interval
	Medicare     []coverage.Row // what Original Medicare pays a test for
	Notice       coverage.Notice
	Medicines    *safety.Catalogue
	HouseTests   []result.HouseTest
	Vaccines     []chart.Vaccine
	Services     []coding.Service
	Orderables   *orderable.Catalogue
	Rules        *reminder.Book
	RuleSource   rulefile.Source
	Screens      []screen.Form
	MailRule     recall.Clinic
	Sensitive    outside.Sensitive // what a patient may wish to hold back
	Systems      *note.Systems
	Analytes     *result.Analytes
	Bearing      []result.Bearing
	Limits       []result.Limit
	Nicknames    outside.Nicknames
}

// Read reads everything. A file that does not read is a fault of the build; it is named.
func Read() (r Reference, err error) {
	var services struct {
		Source   string
		Services []coding.Service
	}
	var orderables orderable.Source
	for _, f := range []struct {
		what string
		text []byte
		into any
	}{
		{"the tests of the house", data.HouseTests, &r.HouseTests},
		{"the vaccines of the house", data.Vaccines, &r.Vaccines},
		{"the rule on mail", data.ConfidentialMail, &r.MailRule},
		{"the subjects that are held back", data.SensitiveSubjects, &r.Sensitive},
		{"the list of services", data.Services, &services},
		{"the list of imaging, procedures and supplies", data.Orderables, &orderables},
	} {
		if err := yaml.UnmarshalWithOptions(f.text, f.into, yaml.Strict()); err != nil {
			return r, fmt.Errorf("%s: %w", f.what, err)
		}
	}
	r.Services = services.Services
	if r.Orderables, err = orderable.New(orderables); err != nil {
		return r, err
	}
	if r.Medicines, err = Medicines(data.Medicines); err != nil {
		return r, err
	}
	r.Nicknames = outside.ReadNicknames(data.Nicknames)
	if r.Analytes, err = analytes(); err != nil {
		return r, err
	}
	if r.Limits, err = r.Analytes.ReadLimits(data.Critical); err != nil {
		return r, fmt.Errorf("results/critical.tsv: %w", err)
	}
	if r.Bearing, err = r.Analytes.ReadBearing(data.Bearing); err != nil {
		return r, fmt.Errorf("what bears on analytes: %w", err)
	}
	for _, name := range data.Laboratories {
		l, err := testlist.ReadCSV(data.TestLists, name)
		if err != nil {
			return r, fmt.Errorf("the test list of %s: %w", name, err)
		}
		r.Laboratories = append(r.Laboratories, l)
	}
	if r.Intervals, err = Intervals(data.Intervals); err != nil {
		return r, err
	}
	if r.Medicare, err = Medicare(data.Medicare); err != nil {
		return r, err
	}
	if r.Notice, err = Notice(data.Notice); err != nil {
		return r, err
	}
	if r.RuleSource, err = RuleSource(); err != nil {
		return r, err
	}
	book, faults := r.RuleSource.Book(nil)
	if len(faults) > 0 {
		return r, faults[0]
	}
	r.Rules = book
	if r.Screens, err = Screens(); err != nil {
		return r, err
	}
	text, err := fs.ReadFile(data.Forms, "findings/systems.yaml")
	if err == nil {
		r.Systems, err = forms.Systems("findings/systems.yaml", string(text))
	}
	return r, err
}

// Screens reads the questionnaires with a score.
func Screens() (out []screen.Form, err error) {
	names, err := fs.Glob(data.Screens, "screens/*.json")
	if err != nil {
		return nil, err
	}
	for _, name := range names {
		body, err := fs.ReadFile(data.Screens, name)
		if err != nil {
			return nil, err
		}
		f, err := fhir.Screen(body)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		f.ID = strings.TrimSuffix(strings.TrimPrefix(name, "screens/"), ".json")
		text, err := fs.ReadFile(data.Screens, strings.TrimSuffix(name, ".json")+".screen.yaml")
		if err != nil {
			return nil, err
		}
		var side struct {
			Source  screen.Source
			Counts  []string
			Alarm   string
			Total   screen.Code
			Service string
			Panel   string
			Answers string
			Tells   string
			Bands   []screen.Band
		}
		if err := yaml.UnmarshalWithOptions(text, &side, yaml.Strict()); err != nil {
			return nil, fmt.Errorf("%s: %w", f.ID, err)
		}
		f.Source, f.Alarm, f.Total, f.Service, f.Bands, f.Panel, f.Answers, f.Tells = side.Source, side.Alarm, side.Total, side.Service, side.Bands, side.Panel, side.Answers, side.Tells
		for i := range f.Items {
			f.Items[i].Counts = slices.Contains(side.Counts, f.Items[i].Link)
		}
		if err := f.Check(); err != nil {
			return nil, err
		}
		out = append(out, f)
	}
	return out, nil
}

// RuleSource reads the rules that ship; the first fault is told.
func RuleSource() (rulefile.Source, error) {
	folder, err := fs.Sub(data.Rules, "rules")
	if err != nil {
		return rulefile.Source{}, err
	}
	source, faults := rulefile.ReadAll(folder)
	if folder, err = fs.Sub(data.Measures, "measures"); err != nil {
		return source, err
	}
	measures, wrong := rulefile.ReadMeasures(folder)
	source.Measures = measures
	if faults = append(faults, wrong...); len(faults) > 0 {
		return source, faults[0]
	}
	return source, nil
}

// Rules makes the rulebook that ships.
func Rules() (*reminder.Book, error) {
	source, err := RuleSource()
	if err != nil {
		return nil, err
	}
	book, faults := source.Book(nil)
	if len(faults) > 0 {
		return nil, faults[0]
	}
	return book, nil
}

// Intervals reads how long results are usually good for: loinc, name, days, says, source.
func Intervals(text string) (out []order.Interval, err error) {
	return out, rows("orders/intervals.tsv", text, 5, func(f []string) error {
		n, err := strconv.Atoi(f[2])
		if err != nil || n < 1 || !order.SoundLOINC(f[0]) || f[3] == "" || f[4] == "" {
			return errors.New("it needs a LOINC code, days above zero, words and a source")
		}
		out = append(out, order.Interval{LOINC: f[0], Name: f[1], Days: n, Says: f[3], Source: f[4]})
		return nil
	})
}

// rows reads a table of text parted by tabs, under its head and beside its remarks; a fault
// names the line.
func rows(file, text string, columns int, each func(f []string) error) error {
	head := true
	for i, line := range strings.Split(text, "\n") {
		if line == "" || line[0] == '#' {
			continue
		}
		if head {
			head = false
			continue
		}
		f := strings.Split(line, "\t")
		err := fmt.Errorf("%d columns, not %d", len(f), columns)
		if len(f) == columns {
			err = each(f)
		}
		if err != nil {
			return fmt.Errorf("%s:%d: %w", file, i+1, err)
		}
	}
	return nil
}

// Notice reads an edition of the advance notice, and refuses one that lacks a box or an option.
func Notice(text []byte) (n coverage.Notice, err error) {
	if err = yaml.UnmarshalWithOptions(text, &n, yaml.Strict()); err != nil {
		return n, fmt.Errorf("coverage/notice.yaml: %w", err)
	}
	if lacks := n.Sound(); lacks != "" {
		return n, fmt.Errorf("coverage/notice.yaml: %s", lacks)
	}
	return n, nil
}

var icdBegins = regexp.MustCompile(`^[A-Z][0-9][0-9A-Z]{1,5}$`)

// Medicare reads what Original Medicare pays a test for: tests, codes, answer, months, from,
// sex, says, source.
func Medicare(text string) (out []coverage.Row, err error) {
	return out, rows("coverage/medicare.tsv", text, 8, func(f []string) error {
		r := coverage.Row{Tests: strings.Fields(f[0]), Codes: strings.Fields(f[1]), Answer: coverage.Answer(f[2]), Sex: f[5], Says: f[6], Source: f[7]}
		for _, n := range []struct {
			text string
			into *int
		}{{f[3], &r.Months}, {f[4], &r.From}} {
			if n.text == "" {
				continue
			}
			if *n.into, err = strconv.Atoi(n.text); err != nil || *n.into < 1 {
				return fmt.Errorf("%q is no number above zero", n.text)
			}
		}
		for _, t := range r.Tests {
			if t != "*" && !order.SoundLOINC(t) {
				return fmt.Errorf("%q is no LOINC code", t)
			}
		}
		for _, c := range r.Codes {
			if !icdBegins.MatchString(c) {
				return fmt.Errorf("no ICD-10-CM code begins with %q", c)
			}
		}
		if len(r.Tests) == 0 || len(r.Codes) == 0 || r.Answer != coverage.Covered && r.Answer != coverage.Excluded || r.Says == "" || r.Source == "" || r.Sex != "" && r.Sex != "M" && r.Sex != "F" {
			return errors.New("it needs tests, codes, covered or excluded, words and a source")
		}
		out = append(out, r)
		return nil
	})
}

// Edition reads the edition of the codes that ships.
func Edition() (*coding.Catalogue, error) {
	text, err := data.Catalogue()
	if err != nil {
		return nil, err
	}
	return coding.Load(text)
}

// analytes reads what is known of analytes, with the imprecision that laboratories state.
func analytes() (*result.Analytes, error) {
	units, err := ucum.Read(data.Units, data.SpelledUnits)
	if err != nil {
		return nil, fmt.Errorf("the units: %w", err)
	}
	imprecision := map[string]string{}
	for _, name := range data.Laboratories {
		text, err := data.TestLists.ReadFile(name + "/imprecision.tsv")
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, err
		}
		imprecision[name] = string(text)
	}
	out, err := result.ReadAnalytes(data.Analytes, imprecision, units)
	if err != nil {
		return nil, fmt.Errorf("the analytes: %w", err)
	}
	return out, nil
}
