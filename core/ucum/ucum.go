// Package ucum reads units of the Unified Code for Units of Measure and says by what one has to be multiplied to be
// another. It is exact (rational numbers), and careful beyond the code: amounts of substance, equivalents, osmoles and every
// arbitrary unit are kinds of their own, so that a count is no amount, an equivalent no mole and an international unit no other;
// and what stands in braces has to be the same, so that a rate for 1.73 square metres is not one of a person. Units with a function of
// their own (degrees, pH) are known and not converted.
package ucum

import (
	"errors"
	"fmt"
	"maps"
	"math/big"
	"slices"
	"strings"
)

// Why a unit is not converted.
var (
	ErrUnknown = errors.New("not a unit that is known")
	ErrOther   = errors.New("a unit of another kind")
)

// Unit is a unit as a multiple of what it is made of.
type Unit struct {
	factor  *big.Rat
	of      map[string]int // kind to power
	said    []string       // what stands in braces, but for what says only of what it is measured
	special bool
}

type atom struct {
	kind, value, in string
	metric          bool
}

// Table holds the units there are.
type Table struct {
	prefixes map[string]*big.Rat
	atoms    map[string]atom
	read     map[string]Unit // atoms, resolved
	spelled  map[string]string
	letters  map[string]string // the same with its capitals
}

// apart are units that UCUM makes multiples of others, and which mean another thing in medicine.
var apart = []string{"mol", "eq", "osm"}

// Read reads the table of units (data/ucum/units.tsv) and how laboratories write them (spelled.tsv). It fails where a unit
// is made of one that is not there.
func Read(units, spelled string) (*Table, error) {
	t := &Table{prefixes: map[string]*big.Rat{}, atoms: map[string]atom{}, read: map[string]Unit{}, spelled: map[string]string{}, letters: map[string]string{}}
	for n, f := range rows(units) {
		if len(f) != 5 {
			return nil, fmt.Errorf("line %d: five columns are wanted", n)
		}
		if f[0] != "prefix" {
			t.atoms[f[1]] = atom{kind: f[0], metric: f[2] == "yes", value: f[3], in: f[4]}
			continue
		}
		x, ok := new(big.Rat).SetString(f[3])
		if !ok {
			return nil, fmt.Errorf("line %d: %q is no number", n, f[3])
		}
		t.prefixes[f[1]] = x
	}
	for _, code := range slices.Sorted(maps.Keys(t.atoms)) {
		if _, err := t.atom(code, 0); err != nil {
			return nil, fmt.Errorf("%s: %w", code, err)
		}
	}
	for n, f := range rows(spelled) {
		if len(f) != 2 {
			return nil, fmt.Errorf("line %d: two columns are wanted", n)
		}
		if _, err := t.parse(f[1]); err != nil {
			return nil, fmt.Errorf("line %d: %q: %w", n, f[1], err)
		}
		t.spelled[plain(f[0])], t.letters[f[0]] = f[1], f[1]
	}
	return t, nil
}

func rows(text string) map[int][]string {
	out := map[int][]string{}
	n := 0
	for line := range strings.Lines(text) {
		if n++; !strings.HasPrefix(line, "#") && strings.TrimSpace(line) != "" {
			out[n] = strings.Split(strings.TrimRight(line, "\r\n"), "\t")
		}
	}
	return out
}

func plain(s string) string { return strings.ToLower(strings.ReplaceAll(s, " ", "")) }

// atom resolves a unit of the table to what it is made of.
func (t *Table) atom(code string, deep int) (Unit, error) {
	if u, done := t.read[code]; done {
		return u, nil
	}
	a, known := t.atoms[code]
	if !known || deep > 20 {
		return Unit{}, ErrUnknown
	}
	u := Unit{factor: big.NewRat(1, 1), of: map[string]int{}}
	switch {
	case a.kind == "base" || slices.Contains(apart, code):
		u.of[code] = 1
	case a.kind == "special":
		u.special = true
	case a.kind == "arbitrary" && a.in == "1":
		u.of[code] = 1
	default:
		x, ok := new(big.Rat).SetString(a.value)
		if !ok {
			return Unit{}, fmt.Errorf("%q is no number", a.value)
		}
		in, err := t.term(a.in, deep+1)
		if err != nil {
			return Unit{}, err
		}
		u = in
		u.factor = new(big.Rat).Mul(in.factor, x)
	}
	t.read[code] = u
	return u, nil
}

// parse reads a unit of UCUM, in the writing that tells capitals apart.
func (t *Table) parse(code string) (Unit, error) {
	if code == "" || len(code) > 80 {
		return Unit{}, ErrUnknown
	}
	return t.term(code, 0)
}

// term reads components joined by "." and "/", each of which may stand in round brackets.
func (t *Table) term(s string, deep int) (Unit, error) {
	out := Unit{factor: big.NewRat(1, 1), of: map[string]int{}}
	power := 1
	if rest, leads := strings.CutPrefix(s, "/"); leads {
		s, power = rest, -1
	}
	for {
		n, err := upTo(s)
		if err != nil {
			return Unit{}, err
		}
		var u Unit
		if part := s[:n]; strings.HasPrefix(part, "(") {
			end := strings.LastIndexByte(part, ')')
			if deep > 20 {
				return Unit{}, ErrUnknown
			}
			if u, err = t.term(part[1:end], deep+1); err == nil && part[end+1:] != "" {
				var said Unit
				if said, err = t.component(part[end+1:], deep); part[end+1] != '{' {
					err = ErrUnknown
				}
				u.said = append(u.said, said.said...)
			}
		} else {
			u, err = t.component(part, deep)
		}
		if err != nil {
			return Unit{}, err
		}
		out.times(u, power)
		if n == len(s) {
			slices.Sort(out.said)
			return out, nil
		}
		if power = 1; s[n] == '/' {
			power = -1
		}
		s = s[n+1:]
	}
}

// upTo says where the first component ends: at a "." or "/" outside all brackets.
func upTo(s string) (int, error) {
	round, square, brace := 0, 0, 0
	for i := range len(s) {
		switch c := s[i]; {
		case brace > 0 && c != '{' && c != '}':
		case c == '(':
			round++
		case c == ')':
			round--
		case c == '[':
			square++
		case c == ']':
			square--
		case c == '{':
			brace++
		case c == '}':
			brace--
		case (c == '.' || c == '/') && round == 0 && square == 0:
			return i, nil
		}
		if round < 0 || square < 0 || brace < 0 || brace > 1 {
			return 0, ErrUnknown
		}
	}
	if round != 0 || square != 0 || brace != 0 || s == "" {
		return 0, ErrUnknown
	}
	return len(s), nil
}

// times multiplies by a power of another unit.
func (u *Unit) times(x Unit, power int) {
	f := x.factor
	n := power
	if n < 0 {
		if f.Sign() == 0 {
			return
		}
		f, n = new(big.Rat).Inv(f), -n
	}
	for range n {
		u.factor = new(big.Rat).Mul(u.factor, f)
	}
	for k, p := range x.of {
		if u.of[k] += p * power; u.of[k] == 0 {
			delete(u.of, k)
			if slices.Contains(apart, k) { // moles of a mole are no per cent: by them A1c is counted on another scale
				u.said = append(u.said, k+" per "+k)
			}
		}
	}
	for _, s := range x.said {
		if power < 0 {
			s = "per " + s
		}
		u.said = append(u.said, s)
	}
	u.special = u.special || x.special
}

// understood is what braces may say without making another unit of it: what the quantity itself says.
var understood = []string{"creat", "creatinine", "cells", "cell"}

const mostPower = 24

// component reads one unit with its prefix, its power and what stands in braces behind it.
func (t *Table) component(s string, deep int) (Unit, error) {
	one := Unit{factor: big.NewRat(1, 1), of: map[string]int{}}
	code, said, braced := strings.Cut(s, "{")
	if braced {
		if said = strings.TrimSuffix(said, "}"); !strings.HasSuffix(s, "}") || strings.ContainsAny(said, "{}") {
			return Unit{}, ErrUnknown
		}
		if said = strings.ToLower(said); !slices.Contains(understood, said) {
			one.said = []string{said}
		}
	}
	if code == "" && braced {
		return one, nil
	}
	if strings.Trim(code, "0123456789") == "" && code != "" && len(code) <= 9 {
		one.factor.SetString(code)
		if one.factor.Sign() == 0 {
			return Unit{}, ErrUnknown
		}
		return one, nil
	}
	name := strings.TrimRight(code, "0123456789")
	power, digits := 1, code[len(name):]
	if digits != "" {
		power = 0
		for _, d := range digits {
			if power = power*10 + int(d-'0'); power > mostPower {
				return Unit{}, ErrUnknown
			}
		}
		switch {
		case strings.HasSuffix(name, "-"):
			name, power = name[:len(name)-1], -power
		case strings.HasSuffix(name, "+"):
			name = name[:len(name)-1]
		}
	}
	u, err := t.prefixed(name, deep)
	if err != nil {
		return Unit{}, err
	}
	one.times(u, power)
	return one, nil
}

func (t *Table) prefixed(name string, deep int) (Unit, error) {
	if u, err := t.atom(name, deep); err == nil {
		return u, nil
	}
	for n := 1; n <= 2 && n < len(name); n++ {
		x, known := t.prefixes[name[:n]]
		if !known || !t.atoms[name[n:]].metric {
			continue
		}
		u, err := t.atom(name[n:], deep)
		if err != nil {
			return Unit{}, err
		}
		u.factor = new(big.Rat).Mul(u.factor, x)
		return u, nil
	}
	return Unit{}, ErrUnknown
}

// Meant is the unit of UCUM that a laboratory means by what it writes: what laboratories are known to mean by just these
// letters ("K/uL" is no kelvin), else the unit itself where it is one, else what they mean by these letters in other capitals; empty
// where nothing of this is known.
func (t *Table) Meant(unit string) string {
	unit = strings.TrimSpace(unit)
	if meant, known := t.letters[unit]; known {
		return meant
	}
	if _, err := t.parse(unit); err == nil {
		return unit
	}
	return t.spelled[plain(unit)]
}

// Factor is by what a value in one unit has to be multiplied to be one in another. It fails with ErrUnknown where one of them is
// not known, and with ErrOther where they are not of one kind.
func (t *Table) Factor(from, to string) (*big.Rat, error) {
	a, err := t.parse(t.Meant(from))
	if err != nil {
		return nil, err
	}
	b, err := t.parse(t.Meant(to))
	if err != nil {
		return nil, err
	}
	if a.special || b.special {
		if strings.TrimSpace(from) == strings.TrimSpace(to) {
			return big.NewRat(1, 1), nil
		}
		return nil, ErrOther
	}
	if !maps.Equal(a.of, b.of) || !slices.Equal(a.said, b.said) {
		return nil, ErrOther
	}
	return new(big.Rat).Quo(a.factor, b.factor), nil
}
