// Package shipped reads the reference data that ship beside the program: the laboratories'
// test lists, medicines, tests and vaccines of the house, services, measures and the finding
// list. It is the one place that knows in what form they are kept.
package shipped

import (
	"fmt"
	"io/fs"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"

	"deftledger/core/chart"
	"deftledger/core/coding"
	"deftledger/core/measure"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/core/result"
	"deftledger/core/safety"
	"deftledger/data"
	"deftledger/exchange/forms"
	"deftledger/exchange/testlist"
)

// Reference is what ships, read.
type Reference struct {
	Laboratories []order.Laboratory // the first is the one usually meant
	Intervals    []order.Interval
	Medicines    *safety.Catalogue
	HouseTests   []result.HouseTest
	Vaccines     []chart.Vaccine
	Services     []coding.Service
	Measures     []measure.Rule
	Systems      *note.Systems
}

// Read reads everything. A file that does not read is a fault of the build; it is named.
func Read() (r Reference, err error) {
	var services struct {
		Source   string
		Services []coding.Service
	}
	var measures struct {
		Version  int
		Measures []measure.Rule
	}
	for _, f := range []struct {
		what string
		text []byte
		into any
	}{
		{"the tests of the house", data.HouseTests, &r.HouseTests},
		{"the vaccines of the house", data.Vaccines, &r.Vaccines},
		{"the list of services", data.Services, &services},
		{"the measures", data.Measures, &measures},
	} {
		if err := yaml.UnmarshalWithOptions(f.text, f.into, yaml.Strict()); err != nil {
			return r, fmt.Errorf("%s: %w", f.what, err)
		}
	}
	r.Services, r.Measures = services.Services, measures.Measures
	if r.Medicines, err = Medicines(data.Medicines); err != nil {
		return r, err
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
	text, err := fs.ReadFile(data.Forms, "findings/systems.yaml")
	if err == nil {
		r.Systems, err = forms.Systems("findings/systems.yaml", string(text))
	}
	return r, err
}

// Intervals reads how long results are usually good for: loinc, name, days, says, source.
func Intervals(text string) (out []order.Interval, err error) {
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
		if len(f) != 5 {
			return nil, fmt.Errorf("orders/intervals.tsv:%d: %d columns, not 5", i+1, len(f))
		}
		n, err := strconv.Atoi(f[2])
		if err != nil || n < 1 || !order.SoundLOINC(f[0]) || f[3] == "" || f[4] == "" {
			return nil, fmt.Errorf("orders/intervals.tsv:%d: it needs a LOINC code, days above zero, words and a source", i+1)
		}
		out = append(out, order.Interval{LOINC: f[0], Name: f[1], Days: n, Says: f[3], Source: f[4]})
	}
	return out, nil
}

// Edition reads the edition of the codes that ships.
func Edition() (*coding.Catalogue, error) {
	text, err := data.Catalogue()
	if err != nil {
		return nil, err
	}
	return coding.Load(text)
}
