// Package shipped reads the reference data that ship beside the program: the laboratory's
// test list, medicines, tests and vaccines of the house, services, measures and the finding
// list. It is the one place that knows in what form they are kept.
package shipped

import (
	"fmt"
	"io/fs"

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
)

// Reference is what ships, read.
type Reference struct {
	Laboratory order.Laboratory
	Medicines  *safety.Catalogue
	HouseTests []result.HouseTest
	Vaccines   []chart.Vaccine
	Services   []coding.Service
	Measures   []measure.Rule
	Systems    *note.Systems
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
	if r.Laboratory, err = Laboratory("the laboratory's test list", data.Brinehouse); err != nil {
		return r, err
	}
	text, err := fs.ReadFile(data.Forms, "findings/systems.yaml")
	if err == nil {
		r.Systems, err = forms.Systems("findings/systems.yaml", string(text))
	}
	return r, err
}

// Laboratory reads a laboratory's test list. Each analyte is defined once and named by the
// tests that report it; one that is not defined, or defined and reported by no test, is a
// fault.
func Laboratory(file string, text []byte) (order.Laboratory, error) {
	var l struct {
		Name, Facility, Phone, Source string
		Analytes                      []order.Analyte
		Tests                         []struct {
			Code, Name, LOINC, Specimen, Tube string
			Also, Analytes                    []string
		}
	}
	if err := yaml.UnmarshalWithOptions(text, &l, yaml.Strict()); err != nil {
		return order.Laboratory{}, fmt.Errorf("%s: %w", file, err)
	}
	out := order.Laboratory{Name: l.Name, Facility: l.Facility, Phone: l.Phone, Source: l.Source}
	defined, used := map[string]order.Analyte{}, map[string]bool{}
	for _, a := range l.Analytes {
		if _, twice := defined[a.Code]; twice || a.Code == "" {
			return out, fmt.Errorf("%s: the analyte %q is defined twice", file, a.Code)
		}
		defined[a.Code] = a
	}
	for _, t := range l.Tests {
		test := order.Test{Code: t.Code, Name: t.Name, LOINC: t.LOINC, Specimen: t.Specimen, Tube: t.Tube, Also: t.Also,
			Analytes: []order.Analyte{}}
		for _, code := range t.Analytes {
			a, known := defined[code]
			if !known {
				return out, fmt.Errorf("%s: the test %s reports %q, which is no analyte of the list", file, t.Code, code)
			}
			used[code] = true
			test.Analytes = append(test.Analytes, a)
		}
		out.Tests = append(out.Tests, test)
	}
	for _, a := range l.Analytes {
		if !used[a.Code] {
			return out, fmt.Errorf("%s: no test reports the analyte %s", file, a.Code)
		}
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
