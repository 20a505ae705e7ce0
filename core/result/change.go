package result

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"math/big"
	"strconv"
	"strings"
	"sync"
)

// Units says by what a value in one unit is multiplied to be one in another (core/ucum).
type Units interface {
	Factor(from, to string) (*big.Rat, error)
}

// Analyte is what is known of an analyte beside what a laboratory sends. Within is the within-subject biological variation
// as a coefficient of variation in per cent, 0 where no figure is known; Log says that its reference change value is computed on
// logarithms.
type Analyte struct {
	Name    string
	LOINC   []string
	Within  float64
	Log     bool
	Source  string
	Formula string
	single  bool     // one charge: an equivalent is a mole
	slope   bool     // its trend over years is told
	molar   *big.Rat // grams a mole; nil where it is not known
}

// Analytes are all that are known, and how precise laboratories are in them.
type Analytes struct {
	by        map[string]*Analyte
	precision map[string]map[string]float64 // laboratory, LOINC: per cent
	units     Units
	ways      struct {
		sync.Mutex
		of map[asked]way
	}
}

// weights are standard atomic weights (IUPAC/CIAAW 2021, abridged), in grams a mole.
var weights = map[string]string{"H": "1.008", "Li": "6.94", "C": "12.011", "N": "14.007", "O": "15.999", "Na": "22.990", "Mg": "24.305", "P": "30.974", "S": "32.06",
	"Cl": "35.45", "K": "39.098", "Ca": "40.078", "Fe": "55.845", "Co": "58.933", "Cu": "63.546", "Zn": "65.38", "I": "126.90", "Pb": "207.2"}

// ReadAnalytes reads the table of analytes (data/results/analytes.tsv) and for each laboratory its imprecision
// (data/…/imprecision.tsv: LOINC, coefficient of variation in per cent).
func ReadAnalytes(table string, imprecision map[string]string, units Units) (*Analytes, error) {
	out := &Analytes{by: map[string]*Analyte{}, precision: map[string]map[string]float64{}, units: units}
	for f, err := range tabbed(table, 7) {
		if err != nil {
			return nil, err
		}
		a := &Analyte{Name: f[0], LOINC: strings.Fields(f[1]), Log: f[3] == "log", Source: f[4], Formula: f[5], single: f[6] == "one", slope: f[6] == "slope"}
		if f[2] != "" {
			if a.Within, err = strconv.ParseFloat(f[2], 64); err != nil || a.Within <= 0 || a.Within > 200 || a.Source == "" {
				return nil, fmt.Errorf("%s: a variation is a number of per cent and has a source", a.Name)
			}
		}
		if a.Formula != "" {
			if a.molar, err = mass(a.Formula); err != nil {
				return nil, fmt.Errorf("%s: %w", a.Name, err)
			}
		}
		for _, code := range a.LOINC {
			if out.by[code] != nil {
				return nil, fmt.Errorf("%s stands with %s and with %s", code, out.by[code].Name, a.Name)
			}
			out.by[code] = a
		}
	}
	for laboratory, text := range imprecision {
		out.precision[laboratory] = map[string]float64{}
		for f, err := range tabbed(text, 2) {
			if err != nil {
				return nil, err
			}
			x, err := strconv.ParseFloat(f[1], 64)
			if err != nil || x <= 0 || x > 100 {
				return nil, fmt.Errorf("%s: an imprecision is a number of per cent, not %q", laboratory, f[1])
			}
			out.precision[laboratory][f[0]] = x
		}
	}
	return out, nil
}

// tabbed reads the lines of a table that are no remarks.
func tabbed(text string, columns int) func(yield func([]string, error) bool) {
	return func(yield func([]string, error) bool) {
		n := 0
		for line := range strings.Lines(text) {
			n++
			if strings.HasPrefix(line, "#") || strings.TrimSpace(line) == "" {
				continue
			}
			f := strings.Split(strings.TrimRight(line, "\r\n"), "\t")
			var err error
			if len(f) != columns {
				err = fmt.Errorf("line %d has %d columns, not %d", n, len(f), columns)
			}
			if !yield(f, err) {
				return
			}
		}
	}
}

// mass is the molar mass of a formula without brackets, as C6H12O6, in grams.
func mass(formula string) (*big.Rat, error) {
	out := new(big.Rat)
	for i := 0; i < len(formula); {
		n := i + 1
		for n < len(formula) && formula[n] >= 'a' && formula[n] <= 'z' {
			n++
		}
		w, known := weights[formula[i:n]]
		if !known {
			return nil, fmt.Errorf("the element %q of %s has no weight here", formula[i:n], formula)
		}
		digits := n
		for digits < len(formula) && formula[digits] >= '0' && formula[digits] <= '9' {
			digits++
		}
		count, _ := new(big.Rat).SetString(cmp.Or(formula[n:digits], "1"))
		x, _ := new(big.Rat).SetString(w)
		out.Add(out, x.Mul(x, count))
		i = digits
	}
	return out, nil
}

// Point is one value of an analyte as it came, with who measured it and how.
type Point struct {
	LOINC, Text, Unit, Laboratory, Method string
}

// Verdict is what is claimed of a change.
type Verdict string

// What is claimed of a change: that it is more than analysis and the person's own variation explain (with 95 %), that
// it is not, that there is no figure to say, or that the two values are not compared at all.
const (
	Exceeds     Verdict = "exceeds"
	Within      Verdict = "within"
	NoFigure    Verdict = "no figure"
	NotCompared Verdict = "not compared"
)

// Change is how a value differs from an earlier one, in per cent of that one. Up and Down are the reference change values
// (the second below zero), 0 where there is no figure. Why says what was reckoned with, or why nothing was.
type Change struct {
	Verdict           Verdict
	Percent, Up, Down float64
	Why               string
}

// z is for two sides and 95 %.
const z = 1.96

// Change compares a value with an earlier one. The reference change value is that of Harris and Yasaka (Clin Chem 1983;29:25-30), on
// logarithms that of Fokkema and others (Clin Chem 2006;52:1602-3). It is claimed for one laboratory and one method only.
func (a *Analytes) Change(before, now Point) Change {
	if a == nil {
		return Change{Verdict: NotCompared, Why: "nothing is known of analytes"}
	}
	no := func(format string, args ...any) Change {
		return Change{Verdict: NotCompared, Why: fmt.Sprintf(format, args...)}
	}
	x, plainX := number(before.Text)
	y, plainY := number(now.Text)
	known := a.by[now.LOINC]
	switch {
	case now.LOINC == "" || before.LOINC != now.LOINC && (known == nil || a.by[before.LOINC] != known):
		return no("nothing says that it is the same analyte")
	case !plainX || !plainY:
		return no("one of the two is no plain number")
	case before.Laboratory == "" || now.Laboratory == "":
		return no("who measured it is not known")
	case before.Laboratory != now.Laboratory:
		return no("measured by another laboratory")
	case before.Method != now.Method:
		return no("measured by another method")
	}
	factor, err := a.factor(known, before.Unit, now.Unit)
	if err != nil {
		return no("other unit, not compared")
	}
	if before.LOINC != now.LOINC && factor.Cmp(big.NewRat(1, 1)) == 0 { // not the same analyte by amount: measured otherwise
		return no("measured by another method")
	}
	if x = new(big.Rat).Mul(x, factor); x.Sign() <= 0 {
		return no("of nothing no per cent is counted")
	}
	change := new(big.Rat).Sub(y, x)
	change.Quo(change, x).Mul(change, big.NewRat(100, 1))
	out := Change{Verdict: NoFigure}
	out.Percent, _ = change.Float64()
	if known == nil || known.Within == 0 {
		out.Why = "no figure for this analyte"
		return out
	}
	precision, stated := a.precision[now.Laboratory][now.LOINC]
	if !stated {
		out.Why = "the laboratory has not stated how precise it is in this analyte"
		return out
	}
	total := math.Hypot(precision, known.Within)
	out.Up, out.Down = z*math.Sqrt2*total, -z*math.Sqrt2*total
	kind := ""
	if known.Log {
		sigma := math.Sqrt(math.Log(1 + total*total/1e4))
		out.Up, out.Down = 100*(math.Exp(z*math.Sqrt2*sigma)-1), 100*(math.Exp(-z*math.Sqrt2*sigma)-1)
		kind = ", on logarithms"
	}
	out.Verdict = Within
	if out.Percent > out.Up || out.Percent < out.Down {
		out.Verdict = Exceeds
	}
	out.Why = fmt.Sprintf("within one person %s %% (%s), in the laboratory %s %%: with 95 %% more than %s or less than %s is a change%s",
		short(known.Within), known.Source, short(precision), SayPercent(out.Up), SayPercent(out.Down), kind)
	return out
}

var errUnit = errors.New("no way between the units")

// factor is by what a value of an analyte in one unit is multiplied to be one in another: by the units alone, or between
// mass and amount of substance by what the analyte weighs.
// Ways between units are asked for with every value that is filed and shown, and are worked out once each.
func (a *Analytes) factor(known *Analyte, from, to string) (*big.Rat, error) {
	key := asked{known, from, to}
	a.ways.Lock()
	w, there := a.ways.of[key]
	a.ways.Unlock()
	if there {
		return w.f, w.err
	}
	w.f, w.err = a.way(known, from, to)
	a.ways.Lock()
	defer a.ways.Unlock()
	if len(a.ways.of) >= mostWays { // what others send names the units: what is kept of it is bounded
		clear(a.ways.of)
	}
	if a.ways.of == nil {
		a.ways.of = map[asked]way{}
	}
	a.ways.of[key] = w
	return w.f, w.err
}

type asked struct {
	of       *Analyte
	from, to string
}

type way struct {
	f   *big.Rat
	err error
}

const mostWays = 5000

func (a *Analytes) way(known *Analyte, from, to string) (*big.Rat, error) {
	if from == "" || to == "" {
		return nil, errUnit
	}
	if f, err := a.units.Factor(from, to); err == nil {
		return f, nil
	}
	if known == nil {
		return nil, errUnit
	}
	for _, per := range []string{"L", "d", "(24.h)"} {
		weighed, counted := "g/"+per, "mol/"+per
		if known.single {
			if f, err := a.through(from, "eq/"+per, big.NewRat(1, 1), counted, to); err == nil {
				return f, nil
			}
			if f, err := a.through(from, counted, big.NewRat(1, 1), "eq/"+per, to); err == nil {
				return f, nil
			}
		}
		if known.molar == nil {
			continue
		}
		if f, err := a.through(from, weighed, new(big.Rat).Inv(known.molar), counted, to); err == nil {
			return f, nil
		}
		if f, err := a.through(from, counted, known.molar, weighed, to); err == nil {
			return f, nil
		}
	}
	return nil, errUnit
}

// through goes from a unit to one step, over a bridge, and from the next step to a unit.
func (a *Analytes) through(from, step string, bridge *big.Rat, next, to string) (*big.Rat, error) {
	f, err := a.units.Factor(from, step)
	if err != nil {
		return nil, err
	}
	g, err := a.units.Factor(next, to)
	if err != nil {
		return nil, err
	}
	return f.Mul(f, bridge).Mul(f, g), nil
}

// Converted is a value of an analyte in another unit, with three figures; false where there is no certain way, or where it is no plain number.
func (a *Analytes) Converted(loinc, text, from, to string) (string, bool) {
	x, plain := number(text)
	if a == nil || !plain || loinc == "" {
		return "", false
	}
	f, err := a.factor(a.by[loinc], from, to)
	if err != nil {
		return "", false
	}
	v, _ := new(big.Rat).Mul(x, f).Float64()
	return figures(v), true
}

// Same says whether two codes are of one analyte.
func (a *Analytes) Same(x, y string) bool {
	return x != "" && (x == y || a != nil && a.by[x] != nil && a.by[x] == a.by[y])
}

// figures writes a number with three figures and no power of ten.
func figures(v float64) string {
	if v == 0 {
		return "0"
	}
	places := max(0, 2-int(math.Floor(math.Log10(math.Abs(v)))))
	return strconv.FormatFloat(v, 'f', places, 64)
}

func short(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

// SayPercent writes a change with its sign: one place below ten, none above.
func SayPercent(v float64) string {
	places := 0
	if math.Abs(v) < 9.95 {
		places = 1
	}
	s := strconv.FormatFloat(v, 'f', places, 64)
	switch {
	case strings.Trim(s, "-0.") == "":
		return "0 %"
	case v > 0:
		s = "+" + s
	}
	return strings.Replace(s, "-", "−", 1) + " %"
}

// Dated is a value on a day, counted in days from any fixed one.
type Dated struct {
	Day   int
	Value float64
}

// Trend is the slope of values over time by least squares, a year, with its 95 % confidence interval.
type Trend struct {
	PerYear, Low, High float64
	Values             int
	Years              float64
}

// Sure says that a trend is one: its confidence interval leaves out zero.
func (t Trend) Sure() bool { return t.Low > 0 || t.High < 0 }

// The least that a trend is drawn from: fewer values, or less than a year, tell of noise.
const (
	fewest    = 4
	leastDays = 365
)

// quantiles are those of Student's t for two sides and 95 %, by degrees of freedom from 1 on; above 30 that of 30 is used, which is
// the wider.
var quantiles = []float64{12.706, 4.303, 3.182, 2.776, 2.571, 2.447, 2.365, 2.306, 2.262, 2.228, 2.201, 2.179, 2.160, 2.145, 2.131, 2.120, 2.110, 2.101, 2.093, 2.086,
	2.080, 2.074, 2.069, 2.064, 2.060, 2.056, 2.052, 2.048, 2.045, 2.042}

// TrendOf draws the trend of values of one analyte, laboratory and method; false where they are too few or too close together.
func TrendOf(values []Dated) (Trend, bool) {
	n := float64(len(values))
	if len(values) < fewest {
		return Trend{}, false
	}
	first, last := values[0].Day, values[0].Day
	var meanX, meanY float64
	for _, v := range values {
		first, last = min(first, v.Day), max(last, v.Day)
		meanX += float64(v.Day) / n
		meanY += v.Value / n
	}
	if last-first < leastDays {
		return Trend{}, false
	}
	var xx, xy float64
	for _, v := range values {
		dx := float64(v.Day) - meanX
		xx += dx * dx
		xy += dx * (v.Value - meanY)
	}
	slope := xy / xx
	var left float64
	for _, v := range values {
		e := v.Value - meanY - slope*(float64(v.Day)-meanX)
		left += e * e
	}
	const year = 365.25
	half := quantiles[min(len(values)-2, len(quantiles))-1] * math.Sqrt(left/(n-2)/xx) * year
	t := Trend{PerYear: slope * year, Values: len(values), Years: float64(last-first) / year}
	t.Low, t.High = t.PerYear-half, t.PerYear+half
	return t, true
}

// Trending says whether the trend of an analyte over years is told.
func (a *Analytes) Trending(loinc string) bool {
	return a != nil && a.by[loinc] != nil && a.by[loinc].slope
}

// Says tells a trend: how steep, over what, how sure; of the filtration rate also what its fall is called.
func (t Trend) Says() string {
	over := fmt.Sprintf("over %.1f years (%d values", t.Years, t.Values)
	if !t.Sure() {
		return "no sure trend " + over + ")"
	}
	word, from, to := "rises", t.Low, t.High
	if t.PerYear < 0 {
		word, from, to = "falls", -t.High, -t.Low
	}
	says := fmt.Sprintf("%s by %.1f a year %s; with 95 %% by %.1f to %.1f)", word, math.Abs(t.PerYear), over, from, to)
	if t.PerYear < RapidFall {
		says += ". More than 5 a year is rapid progression (KDIGO 2024)"
	}
	return says
}

// RapidFall is a sustained fall of the filtration rate in a year that is rapid progression (KDIGO 2024, Evaluation and Management of
// Chronic Kidney Disease, chapter 2), in mL/min/1.73 m2.
const RapidFall = -5.0
