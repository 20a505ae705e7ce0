package order

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"deftledger/core/chart"
)

// Pad is what is ordered in one signing.
type Pad struct {
	Priority string // R, A, S
	Lines    []Line
	Drawing  Drawing
	Site     string // of the laboratory's sites, where Drawing is AtSite; "" leaves it to the patient
	Payer    Payer
	Copies   []Copy
}

// Drawing is where and when the specimens are taken.
type Drawing string

// Drawn when the order is signed; here, once somebody does; or at a site of the laboratory,
// where the patient goes with the requisition.
const (
	DrawnNow  Drawing = "now"
	DrawnHere Drawing = "here"
	AtSite    Drawing = "site"
)

// Copy is somebody who gets a copy of the result: the patient, or a clinician by name.
type Copy struct {
	Patient bool   `json:"patient,omitempty"`
	Name    string `json:"name,omitempty" maxLength:"200"`
	Fax     string `json:"fax,omitempty" maxLength:"40"`
}

// Says names who gets it.
func (c Copy) Says() string {
	if c.Patient {
		return "the patient"
	}
	return chart.Tidy(c.Name + " " + c.Fax)
}

// Sheet is one order that a pad becomes: the tests of one laboratory for one day.
type Sheet struct {
	Laboratory string
	Due        string // YYYY-MM-DD; "" for now
	Nth, Of    int    // of a standing order; 0 for a single one
	Lines      []Line
}

// Sheets parts a pad into the orders it becomes: tests of one laboratory for one day go
// together, and each occurrence of a standing order is an order of its own. main is the
// laboratory of lines that name none.
func (p Pad) Sheets(main, today string) ([]Sheet, error) {
	if err := Complete(p.Priority, p.Lines); err != nil {
		return nil, err
	}
	switch {
	case !slices.Contains([]Drawing{DrawnNow, DrawnHere, AtSite}, p.Drawing):
		return nil, fmt.Errorf("%w: say where the specimen is taken", ErrIncomplete)
	case p.Site != "" && p.Drawing != AtSite:
		return nil, fmt.Errorf("%w: a site is named, and the specimen is taken here", ErrIncomplete)
	case len(p.Copies) > 10:
		return nil, fmt.Errorf("%w: ten copies are the most", ErrIncomplete)
	}
	for _, c := range p.Copies {
		if !c.Patient && strings.TrimSpace(c.Name) == "" {
			return nil, fmt.Errorf("%w: say who gets the copy", ErrIncomplete)
		}
	}
	var out []Sheet
	for _, l := range p.Lines {
		l.Laboratory = cmp.Or(l.Laboratory, main)
		days, err := l.Days(today)
		if err != nil {
			return nil, err
		}
		for i, day := range days {
			if day == today {
				day = ""
			}
			s := Sheet{Laboratory: l.Laboratory, Due: day}
			if len(days) > 1 {
				s.Nth, s.Of = i+1, len(days)
			}
			at := slices.IndexFunc(out, func(x Sheet) bool {
				return x.Laboratory == s.Laboratory && x.Due == s.Due && x.Nth == s.Nth && x.Of == s.Of
			})
			if at < 0 {
				out, at = append(out, s), len(out)
			}
			out[at].Lines = append(out[at].Lines, l)
		}
	}
	if len(out) > MostOccurrences {
		return nil, fmt.Errorf("%w: that would be %d orders at once; %d are the most", ErrIncomplete, len(out), MostOccurrences)
	}
	slices.SortStableFunc(out, func(a, b Sheet) int { return strings.Compare(a.Due, b.Due) })
	return out, nil
}

// Payer says who pays: the practice, the patient, or an insurer. The zero value says that
// nobody has said.
type Payer struct {
	Who string `json:"who" enum:",practice,patient,insurer"`
}

// Who pays.
const (
	PracticePays = "practice"
	PatientPays  = "patient"
	InsurerPays  = "insurer"
)

// Covers are the coverages that hold on a day (YYYY-MM-DD), primary first.
func Covers(r chart.Registration, day string) []chart.Coverage {
	var out []chart.Coverage
	for _, rank := range chart.CoverageRanks {
		for _, c := range r.Coverages {
			if c.Rank == rank && (c.From == "" || c.From <= day) && (c.Until == "" || c.Until >= day) {
				out = append(out, c)
			}
		}
	}
	return out
}

// Missing lists what a registration lacks for the payer, on a day, in words; nothing when it
// is complete.
func (p Payer) Missing(r chart.Registration, day string) (out []string) {
	switch p.Who {
	case PracticePays:
		return nil
	case PatientPays:
		if r.Guarantor == "" {
			return []string{"who pays what no insurer does (guarantor)"}
		}
		return nil
	case InsurerPays:
	default:
		return []string{"who pays: the practice, the patient or an insurer"}
	}
	covers := Covers(r, day)
	if len(covers) == 0 || covers[0].Rank != "primary" {
		return []string{"a primary coverage that holds on " + chart.SayDay(day)}
	}
	c := covers[0]
	for _, x := range []struct{ has, says string }{{c.Payer, "the insurer"}, {c.Number, "the number of the policy"}, {c.Holder, "who holds the policy"},
		{c.Kind, "the kind of coverage"}} {
		if strings.TrimSpace(x.has) == "" {
			out = append(out, x.says)
		}
	}
	if r.Guarantor == "" {
		out = append(out, "who pays what the insurer does not (guarantor)")
	}
	return out
}
