package ucum_test

import (
	"errors"
	"math/big"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/ucum"
	"deftledger/data"
)

func units(t require.TestingT) *ucum.Table {
	table, err := ucum.Read(data.Units, data.SpelledUnits)
	require.NoError(t, err)
	return table
}

// Factors as they are published: UCUM 2.2, NIST Special Publication 811 (2008, appendix B), and what a prefix says.
func TestPublishedFactors(t *testing.T) {
	table := units(t)
	for _, x := range []struct{ from, to, factor string }{
		{"mg/dL", "g/L", "1/100"}, {"g/dL", "g/L", "10"}, {"ug/dL", "mg/L", "1/100"}, {"ng/mL", "ug/L", "1"}, {"pg/mL", "ng/L", "1"},
		{"mmol/L", "umol/L", "1000"}, {"nmol/L", "umol/L", "1/1000"}, {"mg/L", "ug/mL", "1"}, {"mg/dl", "mg/dL", "1"},
		{"10*3/uL", "10*9/L", "1"}, {"10*6/uL", "10*12/L", "1"}, {"10^9/L", "10*3/uL", "1"}, {"/uL", "10*3/uL", "1/1000"}, {"10*3/mm3", "10*9/L", "1"},
		{"m[IU]/L", "u[IU]/mL", "1"}, {"[IU]/L", "m[IU]/mL", "1"}, {"[iU]/L", "[IU]/L", "1"},
		{"U/L", "nkat/L", "50/3"}, {"ukat/L", "U/L", "60"},
		{"mm[Hg]", "kPa", "133322/1000000"}, {"[in_i]", "cm", "254/100"}, {"[lb_av]", "kg", "45359237/100000000"}, {"[oz_av]", "g", "45359237/1600000"},
		{"mL/min", "L/h", "6/100"}, {"%", "1", "1/100"}, {"g%", "g/dL", "1"}, {"mg/g", "ug/mg", "1"}, {"mg/g{creat}", "mg/g", "1"}, {"mg/g", "g/kg", "1"},
		{"mg/(24.h)", "mg/d", "1"}, {"g/d", "mg/(24.h)", "1000"}, {"mosm/kg", "osm/kg", "1/1000"}, {"fL", "um3", "1"}, {"kg/m2", "g/cm2", "1/10"},
		{"Cel", "Cel", "1"}, {"mL/min/{1.73_m2}", "mL/min/{1.73_m2}", "1"}, {"J", "cal_th", "1000/4184"}, {"g/(8.h){shift}", "g/(8.h){shift}", "1"},
	} {
		got, err := table.Factor(x.from, x.to)
		require.NoError(t, err, x)
		want, _ := new(big.Rat).SetString(x.factor)
		require.Zero(t, got.Cmp(want), "%s is %s %s, not %s", x.from, x.factor, x.to, got.RatString())
	}
}

// What other programs write, as they write it.
func TestUnitsAsLaboratoriesWriteThem(t *testing.T) {
	table := units(t)
	for from, to := range map[string]string{"K/uL": "10*3/uL", "k/ul": "10*3/uL", "x10E3/uL": "10*3/uL", "X10E3/UL": "10*3/uL", "x10(3)/uL": "10*3/uL", "Thousand/uL": "10*3/uL",
		"M/uL": "10*6/uL", "Million/uL": "10*6/uL", "mEq/L": "meq/L", "MEQ/L": "meq/L", "mcg/dL": "ug/dL", "µmol/L": "umol/L", "μmol/L": "umol/L",
		"IU/L": "[IU]/L", "uIU/mL": "m[IU]/L", "mIU/L": "m[IU]/L", "mL/min/1.73m2": "mL/min/{1.73_m2}", "mL/min/1.73 m2": "mL/min/{1.73_m2}", "mm/hr": "mm/h",
		"MG/DL": "mg/dL", "MMOL/L": "mmol/L", "sec": "s", "mg/g creat": "mg/g", " mg/dL ": "mg/dL", "mg/dl": "mg/dL", "gm/dL": "", "cells/hpf": "", "units": "", "": "", "N/A": ""} {
		f, err := table.Factor(from, to)
		if to == "" {
			require.ErrorIs(t, err, ucum.ErrUnknown, from)
			continue
		}
		require.NoError(t, err, from)
		require.Zero(t, f.Cmp(big.NewRat(1, 1)), from)
	}
}

// What must never be taken for one another.
func TestKindsStayApart(t *testing.T) {
	table := units(t)
	for _, x := range [][2]string{{"mg/dL", "mmol/L"}, {"mmol/L", "meq/L"}, {"mmol/L", "10*3/uL"}, {"mosm/kg", "mmol/kg"}, {"[IU]/L", "U/L"}, {"[IU]/L", "1/L"}, {"mL/min", "mL/min/{1.73_m2}"},
		{"ug/mL{FEU}", "ug/mL{DDU}"}, {"ug/mL{FEU}", "ug/mL"}, {"Cel", "[degF]"}, {"Cel", "K"}, {"[pH]", "mol/L"}, {"g/L", "g/kg"}, {"[GPL'U]", "[MPL'U]"}, {"%", "mmol/mol"}, {"{INR}", "1"}} {
		_, err := table.Factor(x[0], x[1])
		require.ErrorIs(t, err, ucum.ErrOther, x)
	}
	for _, bad := range []string{"mgg", "mg//dL", "mg/", "(mg", "mg)", "mg/{dL", "mg{a}{b}", "10*99999", "m-", "kmg", "[foo]", "0", "mg/dL mg", "{", "}", "m2000"} {
		_, err := table.Factor(bad, bad)
		require.ErrorIs(t, err, ucum.ErrUnknown, bad)
	}
}

// There and back is where one was; a way over a third is the straight one.
func TestFactorsAgree(t *testing.T) {
	table := units(t)
	kinds := [][]string{{"mg/dL", "g/L", "ug/mL", "ng/L", "kg/m3", "[lb_av]/[gal_us]"}, {"mmol/L", "umol/mL", "nmol/dL", "mol/m3"}, {"10*3/uL", "/L", "10*9/L", "/mm3"}, {"U/L", "nkat/mL", "umol/min/L", "kat/m3"}}
	rapid.Check(t, func(t *rapid.T) {
		k := rapid.SampledFrom(kinds).Draw(t, "kind")
		a, b, c := rapid.SampledFrom(k).Draw(t, "a"), rapid.SampledFrom(k).Draw(t, "b"), rapid.SampledFrom(k).Draw(t, "c")
		factor := func(from, to string) *big.Rat {
			f, err := table.Factor(from, to)
			require.NoError(t, err)
			return f
		}
		require.Zero(t, new(big.Rat).Mul(factor(a, b), factor(b, a)).Cmp(big.NewRat(1, 1)))
		require.Zero(t, new(big.Rat).Mul(factor(a, b), factor(b, c)).Cmp(factor(a, c)))
	})
}

func FuzzUnit(f *testing.F) {
	table := units(f)
	for _, s := range []string{"mg/dL", "mL/min/{1.73_m2}", "((((m))))", "10*3/uL", "m-2", "{a}", "/m.s/(kg)"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if got, err := table.Factor(s, s); err == nil && got.Cmp(big.NewRat(1, 1)) != 0 {
			t.Fatalf("%q is not itself", s)
		} else if err != nil && !errors.Is(err, ucum.ErrUnknown) && !errors.Is(err, ucum.ErrOther) {
			t.Fatal(err)
		}
	})
}
