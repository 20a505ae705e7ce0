package result

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"deftledger/core/chart"
)

// Bearing is something of a chart that is known to act on analytes: a class of medicines, an ingredient, or a problem by the
// beginning of its ICD-10-CM code. It claims no cause.
type Bearing struct {
	Analytes                       []string // by name
	Does                           string   // raises, lowers or disturbs
	Classes, Ingredients, Problems []string
	Why, Source                    string
}

// Beside is what of one chart bears on analytes of a report. Out says that one of them stands out of its range.
type Beside struct {
	Analytes []string
	Does     string
	What     string // the medicine as it stands on the list, or the problem with its code
	Since    string // as precisely as it stands there; empty for not known
	Told     string // what the patient said of taking it; empty for nothing
	Why      string
	Source   string
	Out      bool
}

// ReadBearing reads what bears on analytes (data/results/bearing.tsv). It fails where a line speaks of an analyte that is not known, or
// of nothing.
func (a *Analytes) ReadBearing(table string) (out []Bearing, err error) {
	known := map[string]bool{}
	for _, x := range a.by {
		known[x.Name] = true
	}
	for f, err := range tabbed(table, 5) {
		if err != nil {
			return nil, err
		}
		b := Bearing{Analytes: strings.Split(f[0], ";"), Does: f[1], Why: f[3], Source: f[4]}
		for _, name := range b.Analytes {
			if !known[name] {
				return nil, fmt.Errorf("%q is no analyte that is known", name)
			}
		}
		if !slices.Contains([]string{"raises", "lowers", "disturbs"}, b.Does) || b.Why == "" || b.Source == "" {
			return nil, fmt.Errorf("%s: what it does, why and the source are wanted", f[0])
		}
		for by := range strings.SplitSeq(f[2], ";") {
			switch kind, name, _ := strings.Cut(by, " "); {
			case kind == "class" && name != "":
				b.Classes = append(b.Classes, name)
			case kind == "ingredient" && name != "":
				b.Ingredients = append(b.Ingredients, name)
			case by == kind && len(kind) >= 3 && kind[0] >= 'A' && kind[0] <= 'Z' && kind[1] >= '0' && kind[1] <= '9':
				b.Problems = append(b.Problems, kind)
			default:
				return nil, fmt.Errorf("%s: %q is neither class, ingredient nor code", f[0], by)
			}
		}
		out = append(out, b)
	}
	return out, nil
}

// Beside finds what of a chart bears on values: those that stand out of range first. Unread are medicines of the list of which
// nothing is known, and which were not looked at.
func (a *Analytes) Beside(all []Bearing, values []Value, r chart.Record) (out []Beside, unread []string) {
	if a == nil {
		return nil, nil
	}
	stands := map[string]bool{} // analytes out of range
	measured := []string{}
	for _, v := range values {
		if known := a.by[v.LOINC]; known != nil && Live(v.Status) {
			if !slices.Contains(measured, known.Name) {
				measured = append(measured, known.Name)
			}
			s := Stand(v)
			stands[known.Name] = stands[known.Name] || s.Abnormal || s.Critical
		}
	}
	if len(measured) == 0 {
		return nil, nil
	}
	for _, m := range r.Medicines {
		if len(m.Classes)+len(m.Ingredients) == 0 {
			unread = append(unread, m.Name)
		}
	}
	for _, b := range all {
		var of []string
		outside := false
		for _, name := range measured {
			if slices.Contains(b.Analytes, name) {
				of = append(of, name)
				outside = outside || stands[name]
			}
		}
		if len(of) == 0 {
			continue
		}
		is := Beside{Analytes: of, Does: b.Does, Why: b.Why, Source: b.Source, Out: outside}
		for _, m := range r.Medicines {
			if shares(m.Classes, b.Classes) || shares(m.Ingredients, b.Ingredients) {
				x := is
				x.What, x.Since, x.Told = strings.TrimSpace(m.Name), m.Started, m.Told.Says
				out = append(out, x)
			}
		}
		for _, p := range r.Problems {
			if slices.ContainsFunc(b.Problems, func(code string) bool { return strings.HasPrefix(p.Code, code) }) {
				x := is
				x.What, x.Since = p.Title+" ("+p.Code+")", cmp.Or(p.Onset, p.Since)
				out = append(out, x)
			}
		}
	}
	slices.SortStableFunc(out, func(x, y Beside) int {
		switch {
		case x.Out == y.Out:
			return 0
		case x.Out:
			return -1
		}
		return 1
	})
	return out, unread
}

func shares(x, y []string) bool {
	return slices.ContainsFunc(x, func(s string) bool { return slices.Contains(y, s) })
}
