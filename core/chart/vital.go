package chart

import (
	"errors"
	"fmt"
	"math/big"
	"regexp"
	"strings"
)

// VitalKind is one vital sign: its LOINC code, the UCUM unit it is kept in, with
// how many decimals a converted value is kept, and the limits beyond which a
// value is impossible in any living person. Within them, Usual limits by age say
// what is asked about.
type VitalKind struct {
	LOINC, Name string
	Unit        string
	Decimals    int
	Low, High   float64 // impossible outside
	Usual       []Limit // by age, youngest first
	Jump        float64 // asked about when it differs from the last value by more: absolute, or
	JumpShare   float64 // as a share of the last value
	MaxAge      int     // in months; 0 for any age
}

// Limit is what is usual up to an age in months (0: any age).
type Limit struct {
	Under     int
	Low, High float64
}

// LOINC codes of the vital signs (LOINC 2.78, 2024; those of the FHIR R4 vital
// signs profiles).
const (
	BloodPressure = "85354-9"
	Pulse         = "8867-4"
	Respiration   = "9279-1"
	Temperature   = "8310-5"
	Saturation    = "59408-5"
	Weight        = "29463-7"
	Height        = "8302-2"
	BodyMass      = "39156-5"
	Head          = "9843-4"
	Pain          = "72514-3"
)

// VitalKinds in the order of entry. The usual limits only ask, they judge nothing. Those of
// pulse are ours, wider than the ranges by age of the American Heart Association (PALS, 2020);
// fast breathing of a child is that of the WHO (IMCI, 2014: 60 below two months, 50 below
// twelve, 40 below five years), of an adult that of NEWS2 (Royal College of Physicians, 2017).
var VitalKinds = []VitalKind{
	{LOINC: BloodPressure, Name: "Blood pressure", Unit: "mm[Hg]", Low: 10, High: 320},
	{LOINC: Pulse, Name: "Pulse", Unit: "/min", Low: 15, High: 350, Usual: []Limit{{12, 80, 200}, {60, 65, 180}, {144, 50, 150}, {0, 40, 140}},
		JumpShare: 0.5},
	{LOINC: Respiration, Name: "Respiratory rate", Unit: "/min", Low: 3, High: 150, Usual: []Limit{{2, 25, 60}, {12, 20, 50}, {60, 15, 40},
		{144, 12, 30}, {0, 9, 24}}},
	{LOINC: Temperature, Name: "Temperature", Unit: "Cel", Decimals: 1, Low: 25, High: 45, Usual: []Limit{{0, 35, 40}}},
	{LOINC: Saturation, Name: "Oxygen saturation", Unit: "%", Low: 20, High: 100, Usual: []Limit{{0, 92, 100}}, Jump: 8},
	{LOINC: Weight, Name: "Weight", Unit: "kg", Decimals: 1, Low: 0.2, High: 650, Usual: []Limit{{1, 1.5, 7}, {12, 2.5, 16}, {60, 6, 35},
		{144, 12, 90}, {0, 35, 200}}, JumpShare: 0.1},
	{LOINC: Height, Name: "Height", Unit: "cm", Decimals: 1, Low: 20, High: 275, Usual: []Limit{{12, 40, 90}, {60, 60, 130}, {144, 90, 180},
		{0, 130, 210}}, Jump: 3},
	{LOINC: Head, Name: "Head circumference", Unit: "cm", Decimals: 1, Low: 15, High: 70, MaxAge: 36, Usual: []Limit{{0, 30, 56}}, Jump: 3},
	{LOINC: Pain, Name: "Pain", Unit: "{score}", Low: 0, High: 10},
}

// Kind finds a vital sign by its LOINC code.
func Kind(loinc string) (VitalKind, bool) {
	for _, k := range VitalKinds {
		if k.LOINC == loinc {
			return k, true
		}
	}
	return VitalKind{}, false
}

// Measured is a vital sign as it is kept. Entered is what was typed or read, with
// its unit, where it was converted. Bare says that no unit came with it.
type Measured struct {
	LOINC, Value, Unit, Entered string
	Bare                        bool
}

// ErrVital is wrapped by every reason why a vital sign is refused.
var ErrVital = errors.New("not taken")

func refused(format string, args ...any) error {
	return fmt.Errorf("%w: "+format, append([]any{ErrVital}, args...)...)
}

type unit struct {
	ucum, shown string
	mul, add    *big.Rat // kept = (value + add) * mul
}

func rat(s string) *big.Rat { r, _ := new(big.Rat).SetString(s); return r }

// units that are converted, with the exact factors (international pound and inch, 1959).
var units = map[string]map[string]unit{
	"kg": {"lb": {"[lb_av]", "lb", rat("0.45359237"), rat("0")}, "g": {"g", "g", rat("1/1000"), rat("0")},
		"oz": {"[oz_av]", "oz", rat("0.028349523125"), rat("0")}},
	"cm":  {"in": {"[in_i]", "in", rat("2.54"), rat("0")}, "m": {"m", "m", rat("100"), rat("0")}},
	"Cel": {"f": {"[degF]", "°F", rat("5/9"), rat("-32")}},
}

var unitWords = map[string]string{
	"lbs": "lb", "#": "lb", "kgs": "kg", "kilo": "kg", "kilos": "kg", "pound": "lb", "pounds": "lb", "[lb_av]": "lb", "ounces": "oz", "[oz_av]": "oz",
	"cms": "cm", "deg f": "f", "fahrenheit": "f", "celsius": "cel", "inch": "in", "inches": "in", "\"": "in", "[in_i]": "in",
	"°f": "f", "[degf]": "f", "°c": "cel", "c": "cel",
	"mmhg": "mm[hg]", "bpm": "/min", "/10": "{score}",
}

// ReadVital reads a vital sign as somebody types it or a device sends it: "148/86",
// "81.4", "179 lb", "7 lb 4 oz", "150#", "5'6", "5 ft 6 in", "98.6 F". Without a unit it is
// in the unit kept, and marked so. A value impossible in any living person is refused.
func ReadVital(loinc, text string) (Measured, error) {
	k, ok := Kind(loinc)
	if !ok {
		return Measured{}, refused("%q is no vital sign known here", loinc)
	}
	s := strings.ToLower(strings.TrimSpace(strings.ReplaceAll(text, "′", "'")))
	if loinc == BloodPressure {
		return readPressure(strings.TrimSpace(strings.TrimSuffix(strings.TrimSuffix(s, "mmhg"), "mm[hg]")), text)
	}
	if loinc == Weight {
		if m := poundsOunces.FindStringSubmatch(s); m != nil {
			lb, ok1 := decimal(m[1])
			oz, ok2 := decimal(m[2])
			if !ok1 || !ok2 || oz.Cmp(big.NewRat(16, 1)) >= 0 {
				return Measured{}, refused("%q is not a weight; write it as 7 lb 4 oz or 3290 g", text)
			}
			pounds := new(big.Rat).Add(lb, new(big.Rat).Quo(oz, big.NewRat(16, 1)))
			out, err := k.convert(pounds, units["kg"]["lb"], text, m[1]+" lb "+m[2]+" oz")
			return out.finely(pounds, units["kg"]["lb"]), err
		}
	}
	if loinc == Height || loinc == Head {
		s = strings.TrimSpace(feetWord.ReplaceAllString(s, "'"))
		if strings.Contains(s, "'") {
			for _, w := range []string{"inches", "inch", "in.", "in"} {
				s = strings.TrimSpace(strings.TrimSuffix(s, w))
			}
		}
	}
	if loinc == Height {
		if feet, inches, ok := strings.Cut(s, "'"); ok {
			f, ok1 := decimal(feet)
			i, ok2 := decimal(strings.Trim(strings.ReplaceAll(inches, "''", ""), "\" "))
			if strings.Trim(inches, "\" ") == "" {
				i, ok2 = new(big.Rat), true
			}
			if !ok1 || !ok2 || i.Cmp(big.NewRat(12, 1)) >= 0 {
				return Measured{}, refused("%q is not a height; write it as 165.5, 65 in or 5'5", text)
			}
			total := new(big.Rat).Add(new(big.Rat).Mul(f, big.NewRat(12, 1)), i)
			return k.convert(total, units["cm"]["in"], text, trimZeros(total.FloatString(2))+" in")
		}
	}
	end := 0
	for end < len(s) && (s[end] >= '0' && s[end] <= '9' || s[end] == '.') {
		end++
	}
	n, ok := decimal(s[:end])
	if !ok {
		return Measured{}, refused("%q is not a number; write it as in 81.4", text)
	}
	u := strings.TrimSpace(s[end:])
	if w, ok := unitWords[u]; ok {
		u = w
	}
	if u == "" || u == strings.ToLower(k.Unit) {
		if err := k.possible(n, s[:end]); err != nil {
			return Measured{}, err
		}
		return Measured{LOINC: loinc, Value: s[:end], Unit: k.Unit, Bare: u == ""}, nil
	}
	other, ok := units[k.Unit][u]
	if !ok {
		return Measured{}, refused("%q is not a unit of %s; it is kept in %s", u, strings.ToLower(k.Name), k.Unit)
	}
	out, err := k.convert(n, other, text, s[:end]+" "+other.shown)
	return out.finely(n, other), err
}

var (
	poundsOunces = regexp.MustCompile(`^([0-9.]+)\s*(?:lbs?|pounds?|#)\.?\s*(?:,|and)?\s*([0-9.]+)\s*(?:oz|ounces?)\.?$`)
	feetWord     = regexp.MustCompile(`\s*(?:ft|feet|foot)\.?\s*`)
)

// finely keeps a weight below 10 kg to the gram where it came in a finer unit: what a
// newborn gains is counted in grams.
func (m Measured) finely(n *big.Rat, u unit) Measured {
	if m.LOINC != Weight || m.Value == "" {
		return m
	}
	if kept := new(big.Rat).Mul(new(big.Rat).Add(n, u.add), u.mul); kept.Cmp(big.NewRat(10, 1)) < 0 {
		m.Value = trimZeros(kept.FloatString(3))
		if !strings.Contains(m.Value, ".") {
			m.Value += ".0"
		}
	}
	return m
}

func (k VitalKind) convert(n *big.Rat, u unit, text, entered string) (Measured, error) {
	kept := new(big.Rat).Mul(new(big.Rat).Add(n, u.add), u.mul)
	if err := k.possible(kept, text); err != nil {
		return Measured{}, err
	}
	return Measured{LOINC: k.LOINC, Value: kept.FloatString(k.Decimals), Unit: k.Unit, Entered: entered}, nil
}

func (k VitalKind) possible(n *big.Rat, text string) error {
	f, _ := n.Float64()
	if f >= k.Low && f <= k.High {
		return nil
	}
	for _, u := range units[k.Unit] {
		if x, _ := new(big.Rat).Mul(new(big.Rat).Add(n, u.add), u.mul).Float64(); x >= k.Low && x <= k.High &&
			!strings.ContainsAny(text, "abcdefghijklmnopqrstuvwxyz'") && u.shown != "g" && u.shown != "oz" && u.shown != "m" {
			return refused("%s %s cannot be; if it is in %s, write %s %s", text, shown(k.Unit), u.shown, text, u.shown)
		}
	}
	return refused("%s cannot be %s: it lies between %s and %s %s", strings.ToLower(k.Name), text, trimFloat(k.Low), trimFloat(k.High),
		shown(k.Unit))
}

func shown(ucum string) string {
	switch ucum {
	case "Cel":
		return "°C"
	case "mm[Hg]":
		return "mmHg"
	case "{score}":
		return "of 10"
	}
	return ucum
}

// readable are UCUM units as people read them.
var readable = map[string]string{
	"kg/m2": "kg/m²", "mL/min/{1.73_m2}": "mL/min/1.73 m²", "10*3/uL": "10³/µL", "10*6/uL": "10⁶/µL", "m[IU]/L": "mIU/L", "m[IU]/mL": "mIU/mL", "[IU]/mL": "IU/mL",
	"ug/mL{FEU}": "mcg/mL FEU", "[pH]": "", "{INR}": "", "{SG}": "", "{ratio}": "",
	"/[HPF]": "/HPF", "{copies}/mL": "copies/mL", "mg/(24.h)": "mg/24 h", "u[IU]/mL": "µIU/mL", "[GPL'U]": "GPL units", "[MPL'U]": "MPL units", "10*6/mL": "10⁶/mL",
}

// plainUnit writes the parts of a unit so that nobody misreads them (ISMP, list of error-prone
// abbreviations, 2024): mcg, not ug; IU without brackets.
var plainUnit = strings.NewReplacer("ug", "mcg", "[IU]", "IU", "[iU]", "IU", "[arb'U]", "U", "mm[Hg]", "mmHg", "10*", "10^")

// ShownUnit writes a UCUM unit as people read it.
func ShownUnit(ucum string) string {
	if words, known := readable[ucum]; known {
		return words
	}
	if words := shown(ucum); words != ucum {
		return words
	}
	return plainUnit.Replace(ucum)
}

func readPressure(s, text string) (Measured, error) {
	up, down, ok := strings.Cut(s, "/")
	systolic, ok1 := whole(up)
	diastolic, ok2 := whole(down)
	if !ok || !ok1 || !ok2 {
		return Measured{}, refused("%q is not a blood pressure; write it as 148/86", text)
	}
	if systolic < 30 || systolic > 320 || diastolic < 10 || diastolic > 220 || diastolic >= systolic {
		return Measured{}, refused("a blood pressure of %d/%d mmHg cannot be", systolic, diastolic)
	}
	return Measured{LOINC: BloodPressure, Value: fmt.Sprintf("%d/%d", systolic, diastolic), Unit: "mm[Hg]"}, nil
}

func whole(s string) (int, bool) {
	s = strings.TrimSpace(s)
	if s == "" || len(s) > 3 || strings.Trim(s, "0123456789") != "" {
		return 0, false
	}
	n := 0
	for _, c := range s {
		n = n*10 + int(c-'0')
	}
	return n, true
}

func decimal(s string) (*big.Rat, bool) {
	s = strings.TrimSpace(s)
	if s == "" || len(s) > 9 || strings.HasPrefix(s, ".") || strings.HasSuffix(s, ".") {
		return nil, false
	}
	if strings.Trim(s, "0123456789.") != "" {
		return nil, false
	}
	return new(big.Rat).SetString(s)
}

func trimFloat(f float64) string { return trimZeros(fmt.Sprintf("%.1f", f)) }

func trimZeros(s string) string {
	if strings.Contains(s, ".") {
		s = strings.TrimRight(strings.TrimRight(s, "0"), ".")
	}
	return s
}

// Pressure takes a kept blood pressure apart; not ok for anything else.
func Pressure(value string) (systolic, diastolic int, ok bool) {
	m, err := readPressure(value, value)
	if err != nil {
		return 0, 0, false
	}
	up, down, _ := strings.Cut(m.Value, "/")
	systolic, _ = whole(up)
	diastolic, _ = whole(down)
	return systolic, diastolic, true
}

// Earlier is an earlier value of the same vital sign, with its day.
type Earlier struct{ Value, Day string }

// Question says why a value is asked about before it is taken, "" when it is not:
// it is unusual at this age (in completed months; -1 when unknown) or far from the
// patient's own last value.
func (k VitalKind) Question(m Measured, months int, last *Earlier) string {
	if k.LOINC == BloodPressure {
		s, d, _ := Pressure(m.Value)
		if high, source := screened(months); high[0] > 0 && (s >= high[0] || d >= high[1]) {
			return fmt.Sprintf("%s mmHg calls for measuring again at this age (from %d/%d; %s).", m.Value, high[0], high[1], source)
		}
		if low := lowest(months); s < low {
			return fmt.Sprintf("A systolic pressure of %d mmHg is low at this age (below %d; PALS, 2020). Measured again?", s, low)
		}
		if s > 220 || d > 130 || d < 35 && months >= 144 || s-d < 15 {
			return fmt.Sprintf("A blood pressure of %s mmHg is unusual. Measured again?", m.Value)
		}
		if last != nil {
			if ls, _, ok := Pressure(last.Value); ok && (s-ls > 60 || ls-s > 60) {
				return fmt.Sprintf("%s mmHg lies far from %s on %s.", m.Value, last.Value, last.Day)
			}
		}
		return ""
	}
	n, ok := decimal(m.Value)
	if !ok {
		return ""
	}
	f, _ := n.Float64()
	if q := k.otherUnit(m, n, months, last); q != "" {
		return q
	}
	if k.LOINC == Temperature && f >= 38 && months >= 0 && months < 3 {
		return fmt.Sprintf("%s °C is fever, and below three months of age fever is an emergency (AAP, 2021). Tell the physician now.", m.Value)
	}
	for _, l := range k.Usual {
		if l.Under != 0 && (months < 0 || months >= l.Under) {
			continue
		}
		if f < l.Low || f > l.High {
			return fmt.Sprintf("%s %s is unusual at this age.", m.Value, shown(k.Unit))
		}
		break
	}
	if last == nil {
		return ""
	}
	if ln, ok := decimal(last.Value); ok {
		lf, _ := ln.Float64()
		diff := f - lf
		if diff < 0 {
			diff = -diff
		}
		grown := months >= 216 // a child grows: only a loss is asked about there
		if (k.Jump > 0 && diff > k.Jump || k.JumpShare > 0 && diff > k.JumpShare*lf) &&
			(grown || f < lf || k.LOINC != Height && k.LOINC != Weight && k.LOINC != Head) {
			return fmt.Sprintf("%s %s lies far from %s on %s.", m.Value, shown(k.Unit), last.Value, last.Day)
		}
	}
	return ""
}

// otherUnit asks about a number that came without a unit, unless it is plausible in one
// unit only, for this age and beside the last value.
func (k VitalKind) otherUnit(m Measured, n *big.Rat, months int, last *Earlier) string {
	u, known := map[string]unit{"kg": units["kg"]["lb"], "cm": units["cm"]["in"]}[k.Unit]
	if !m.Bare || !known {
		return ""
	}
	f, _ := n.Float64()
	other, _ := new(big.Rat).Mul(n, u.mul).Float64()
	if !k.plausible(other, months, last) {
		return ""
	}
	said := fmt.Sprintf("%s %s is %s %s.", m.Value, u.shown, trimFloat(other), k.Unit)
	if !k.plausible(f, months, last) {
		return fmt.Sprintf("%s came without a unit. %s Write %s %s if it is that; kept as it stands it is %s %s.", m.Value, said, m.Value, u.shown,
			m.Value, k.Unit)
	}
	return fmt.Sprintf("%s came without a unit: %s or %s? %s Write the unit, or keep it as %s %s.", m.Value, k.Unit, u.shown, said, m.Value, k.Unit)
}

// plausible says whether a value fits this age, and the last value where there is one.
func (k VitalKind) plausible(f float64, months int, last *Earlier) bool {
	if last != nil {
		if ln, ok := decimal(last.Value); ok {
			lf, _ := ln.Float64()
			share := 0.15
			if k.LOINC == Height || k.LOINC == Head {
				share = 0.06
			}
			if months < 216 { // a child has grown
				return f > lf*(1-share) && f < lf*(1+3*share)
			}
			return f > lf*(1-share) && f < lf*(1+share)
		}
	}
	for _, l := range k.Usual {
		if l.Under != 0 && (months < 0 || months >= l.Under) {
			continue
		}
		low := l.Low
		if k.LOINC == Weight && (months < 0 || months >= 216) {
			low = 40
		}
		return f >= low && f <= l.High
	}
	return false
}

// screened is the pressure from which it is measured again, by age in years: American
// Academy of Pediatrics, 2017, table 6 (the lower of girls and boys); none for adults here.
func screened(months int) ([2]int, string) {
	table := [...][2]int{1: {98, 52}, 2: {100, 55}, 3: {101, 58}, 4: {102, 60}, 5: {103, 63}, 6: {105, 66}, 7: {106, 68}, 8: {107, 69},
		9: {107, 70}, 10: {108, 72}, 11: {110, 74}, 12: {113, 75}}
	years := months / 12
	switch {
	case months < 12:
		return [2]int{}, ""
	case years < len(table):
		return table[years], "AAP, 2017"
	case years < 18:
		return [2]int{130, 80}, "AAP, 2017"
	}
	return [2]int{}, ""
}

// lowest is the systolic pressure below which it is low, by age (PALS, 2020).
func lowest(months int) int {
	switch {
	case months < 0:
		return 0
	case months < 1:
		return 60
	case months < 12:
		return 70
	case months < 120:
		return 70 + 2*(months/12)
	}
	return 90
}

// BMI computes the body-mass index in kg/m2 with one decimal from a weight in kg
// and a height in cm. It is not computed below two years of age (CDC, 2000 growth
// charts: body-mass index for age begins at two).
func BMI(weight, height string, months int) (string, bool) {
	w, ok1 := decimal(weight)
	h, ok2 := decimal(height)
	if !ok1 || !ok2 || h.Sign() <= 0 || months < 24 {
		return "", false
	}
	m := new(big.Rat).Quo(h, big.NewRat(100, 1))
	return new(big.Rat).Quo(w, new(big.Rat).Mul(m, m)).FloatString(1), true
}

// MeanPressure averages repeated blood pressures, rounded to whole mmHg.
func MeanPressure(values []string) (string, bool) {
	var s, d, n int
	for _, v := range values {
		if a, b, ok := Pressure(v); ok {
			s, d, n = s+a, d+b, n+1
		}
	}
	if n < 2 {
		return "", false
	}
	return fmt.Sprintf("%d/%d", (2*s+n)/(2*n), (2*d+n)/(2*n)), true
}

// MassIndex derives the body-mass index from what was taken at a visit and what is held of
// the person, oldest first: weight of this visit, and a height that for an adult may be of an
// earlier one. replaced are the indices of this visit that it takes the place of. ok is false
// where nothing that it rests on was taken, or something is missing.
func MassIndex(held []Vital, taken []Measured, visit string, months int) (value string, replaced []string, ok bool) {
	weight, height := "", ""
	for _, x := range held {
		if x.LOINC == Height && (months >= 240 || x.VisitID == visit) {
			height = x.Value
		}
		if x.VisitID != visit {
			continue
		}
		switch x.LOINC {
		case Weight:
			weight = x.Value
		case BodyMass:
			replaced = append(replaced, x.ID)
		}
	}
	changed := false
	for _, m := range taken {
		switch m.LOINC {
		case Weight:
			weight, changed = m.Value, true
		case Height:
			height, changed = m.Value, true
		}
	}
	if !changed {
		return "", nil, false
	}
	value, ok = BMI(weight, height, months)
	return value, replaced, ok
}
