package order

import (
	"context"
	"slices"

	"deftledger/app/act"
	"deftledger/core/order"
	"deftledger/core/orderable"
	"deftledger/store"
)

// FoundTest is a test as it is offered on the pad.
type FoundTest struct {
	order.Hit
	LaboratoryName string `json:"laboratoryName"`
	Paper          bool   `json:"paper" doc:"The laboratory takes orders on paper and by fax only"`
	Kind           string `json:"kind" enum:",imaging,procedure,supply,vaccine" doc:"Empty for a test of a laboratory"`
	By             string `json:"by" doc:"Of what is no test: what the directory is searched by for who does it"`
}

// Tests finds tests in the lists of all laboratories, and what else is ordered of others, the
// best first.
func (a *Acts) Tests(who act.Actor, query string) ([]FoundTest, error) {
	if err := act.Allow(who, act.SeeChart); err != nil {
		return nil, err
	}
	out := []FoundTest{}
	for _, h := range a.Office.Tests.Find(query, 12) {
		out = append(out, a.offered(h))
	}
	return out, nil
}

func (a *Acts) offered(h order.Hit) FoundTest {
	if h.Laboratory == orderable.List {
		item, _ := a.Orderables.Item(h.Code)
		return FoundTest{Hit: h, Kind: string(item.Kind), By: item.By}
	}
	l := a.Config.Laboratory(h.Laboratory)
	return FoundTest{Hit: h, LaboratoryName: l.Name, Paper: l.Takes == order.TakesPaper}
}

// LaboratoryView is a laboratory with its sites, as the pad offers it.
type LaboratoryView struct {
	ID    string       `json:"id"`
	Name  string       `json:"name"`
	Paper bool         `json:"paper"`
	Sites []order.Site `json:"sites"`
}

// PadView is what stands on the pad before anything is typed: laboratories, what is often
// ordered here, what the diagnoses of the visit usually call for, and what the registration
// lacks for each payer.
type PadView struct {
	Laboratories []LaboratoryView `json:"laboratories"`
	Often        []FoundTest      `json:"often"`
	Usual        []FoundTest      `json:"usual" doc:"Of the sets for the diagnoses"`
	Cover        string           `json:"cover" doc:"The primary coverage in words; empty for none"`
	Lacks        []PayerLacks     `json:"lacks"`
}

// PayerLacks is what a registration lacks for a payer; nothing when it is complete.
type PayerLacks struct {
	Who   string   `json:"who" enum:"practice,patient,insurer"`
	Lacks []string `json:"lacks"`
}

// offeredAtMost bounds what is offered without typing.
const offeredAtMost = 6

// Pad is what the pad shows before anything is typed, for a patient and diagnoses.
func (a *Acts) Pad(ctx context.Context, who act.Actor, patient string, diagnoses []string) (out PadView, err error) {
	out = PadView{Laboratories: []LaboratoryView{}, Often: []FoundTest{}, Usual: []FoundTest{}, Lacks: []PayerLacks{}}
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		reg, _, err := q.Registration(p.ID)
		if err != nil {
			return err
		}
		for _, c := range order.Covers(reg, a.Today())[:min(1, len(order.Covers(reg, a.Today())))] {
			out.Cover = c.Payer + ", " + c.Kind
		}
		for _, w := range []string{order.InsurerPays, order.PatientPays, order.PracticePays} {
			x := PayerLacks{w, order.Payer{Who: w}.Missing(reg, a.Today())}
			if x.Lacks == nil {
				x.Lacks = []string{}
			}
			out.Lacks = append(out.Lacks, x)
		}
		often, err := q.OftenOrdered(who.ID, 3*offeredAtMost)
		if err != nil {
			return err
		}
		for _, o := range often {
			if t, ok := a.Test(o.Party, o.Code); ok && len(out.Often) < offeredAtMost {
				out.Often = append(out.Often, a.offered(order.Hit{Test: t}))
			}
		}
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "open the pad", patient, "")
	}
	if err != nil {
		return out, err
	}
	for _, l := range a.Laboratories {
		v := LaboratoryView{l.ID, l.Name, l.Takes == order.TakesPaper, l.Sites}
		if v.Sites == nil {
			v.Sites = []order.Site{}
		}
		out.Laboratories = append(out.Laboratories, v)
	}
	lib, err := a.forms.Current()
	if err != nil {
		return out, err
	}
	fitting, _ := order.ForCodes(append(slices.Clone(lib.Sets[who.ID]), lib.Sets[""]...), func(s order.Set) []string { return s.Codes }, diagnoses)
	for _, s := range fitting {
		for _, code := range s.Tests {
			t, ok := a.Test("", code)
			if ok && len(out.Usual) < offeredAtMost && !slices.ContainsFunc(out.Usual, func(x FoundTest) bool { return x.Code == code }) {
				out.Usual = append(out.Usual, a.offered(order.Hit{Test: t}))
			}
		}
	}
	return out, nil
}

// NeededView is what the tests on a pad need of one laboratory.
type NeededView struct {
	Laboratory string       `json:"laboratory"`
	Name       string       `json:"name"`
	Tubes      []order.Tube `json:"tubes"`
	Words      []string     `json:"words" doc:"Each tube in words, in the order of draw"`
	Fasting    int          `json:"fasting" doc:"Hours; 0 for none"`
	Estimate   string       `json:"estimate" doc:"US dollars for who pays by themself, of the tests with a price"`
	Unpriced   []string     `json:"unpriced" doc:"Tests without a price in the list"`
}

// Needed computes the tubes, the fast and the price of tests, named as laboratory:code, for
// each laboratory. A name that nobody knows is left out.
func (a *Acts) Needed(who act.Actor, names []string) ([]NeededView, error) {
	if err := act.Allow(who, act.SeeChart); err != nil {
		return nil, err
	}
	out := []NeededView{}
	for i := range a.Laboratories {
		l := &a.Laboratories[i]
		v := NeededView{Laboratory: l.ID, Name: l.Name, Words: []string{}, Unpriced: []string{}}
		var tests []order.Test
		cents := 0
		for _, n := range names {
			lab, code := order.ParseKey(n)
			t, ok := l.Test(code)
			if !ok || lab != l.ID {
				continue
			}
			tests = append(tests, t)
			if t.Price < 0 {
				v.Unpriced = append(v.Unpriced, t.Name)
			} else {
				cents += t.Price
			}
		}
		if len(tests) == 0 {
			continue
		}
		v.Tubes, v.Fasting, v.Estimate = order.Tubes(l, tests), order.FastingHours(tests), order.Dollars(cents)
		for _, t := range v.Tubes {
			v.Words = append(v.Words, t.Says())
		}
		out = append(out, v)
	}
	return out, nil
}

// Repeated says what the tests on a pad, named as laboratory:code, repeat of one another, of
// what is out, and of what was measured lately.
func (a *Acts) Repeated(ctx context.Context, who act.Actor, patient string, names []string) (out []order.Repeat, err error) {
	out = []order.Repeat{}
	err = a.Look(ctx, who, act.SeeChart, func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return act.NotFound(err, "patient")
		}
		var tests []order.Test
		var measured []string
		for _, n := range names {
			lab, code := order.ParseKey(n)
			t, ok := a.Test(lab, code)
			if !ok {
				return act.Refuse(act.Invalid, "There is no test %s.", n)
			}
			tests = append(tests, t)
			for _, x := range t.Analytes {
				measured = append(measured, x.LOINC)
			}
		}
		r, err := a.recordWith(q, p.ID, a.Today(), measured)
		if err != nil {
			return err
		}
		out = append(out, order.Repeats(r, tests, a.Intervals)...)
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "open the pad", patient, "")
	}
	return out, err
}
