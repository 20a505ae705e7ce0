package safety

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"deftledger/core/chart"
)

// tail are words behind the name of a medicine that belong to it, not to its dose.
var tail = wordSet(`tablet tablets capsule capsules oral solution suspension syrup elixir cream ointment gel lotion foam shampoo patch patches spray inhaler
	nebulizer nasal injection injectable pen vial powder granules chewable odt sublingual buccal vaginal topical ophthalmic otic eye ear drops
	extended delayed immediate modified controlled release er xr sr ir cr dr ec xl la cd hfa hcl hydrochloride hydrobromide sodium potassium
	calcium magnesium succinate tartrate maleate besylate mesylate sulfate acetate phosphate citrate bromide monohydrate hyclate fumarate furoate
	propionate valerate cypionate enanthate pamoate medoxomil disoproxil enteric coated ds oil
	respimat handihaler diskus ellipta flexpen solostar kwikpen flextouch inhub redihaler`)

// variants are words behind a brand that may change what is in it: "Aleve PM", "Alka-Seltzer Plus". They belong to the
// name, and are not checked where the brand with them is not known.
var variants = wordSet(`plus pm d dm cf pe gold cold flu sinus allergy compound complete advanced multi multi-symptom severe daytime nighttime night hct hctz duo combo
	cough congestion chest mucus migraine tension hbp back body cramp`)

var joins = wordSet(`and with plus + & /`)

// Split parts what somebody typed in one line into the name of a medicine and how it is
// taken: "lisinopril 20 mg daily". A name that is not known ends before the first number.
// All medicines that stand before the first number belong to the name.
func (c *Catalogue) Split(text string) (name, dose string) {
	fields := strings.Fields(text)
	n := c.namedAt(fields)
	if n == 0 {
		for n < len(fields) && !(fields[n][0] >= '0' && fields[n][0] <= '9') && !sigBegins[strings.ToLower(fields[n])] {
			n++
		}
	}
	word := func(k int) string {
		if k >= len(fields) {
			return ""
		}
		return strings.ToLower(strings.Trim(fields[k], ",.;"))
	}
	for n > 0 && n < len(fields) {
		k := n
		if joins[word(k)] || word(k) == "" {
			k++
		}
		switch more := c.namedAt(fields[k:]); {
		case tail[word(n)] || variants[word(n)]:
			n++
			continue
		case variants[word(k)]:
			n = k + 1
			continue
		case more > 0 && (more > 1 || !formWords[word(k)]):
			n = k + more
			continue
		}
		break
	}
	return strings.TrimRight(strings.Join(fields[:n], " "), " ,;"), strings.Join(fields[n:], " ")
}

// namedAt is how many words a line begins with name a medicine, 0 for none.
func (c *Catalogue) namedAt(fields []string) int {
	for k := min(len(fields), c.longest); k > 0; k-- {
		if c.phrases[strings.Join(fold(strings.Join(fields[:k], " ")), " ")] != nil {
			return k
		}
	}
	return 0
}

var sigBegins = wordSet("take apply use inject inhale one two three half daily twice once every as bid tid qid qd nightly")

// strengthIn finds strengths as they stand in a name: "20 mg", "5-325 mg", "50/12.5 mg", "400 mg/5 mL".
var strengthIn = regexp.MustCompile(`(?i)(\d[\d.,]*(?:[-/]\d[\d.,]*)*) ?(mg|mcg|g|units?|meq)(?: ?/ ?(\d+(?:\.\d+)?)? ?(ml))?\b`)

// strengths are the amounts of each ingredient, in order, of one tablet or of per (mL); ok
// is false where none is written.
func strengths(text string) (each []float64, unit string, per float64, ok bool) {
	m := strengthIn.FindStringSubmatch(text)
	if m == nil {
		return nil, "", 0, false
	}
	for p := range strings.FieldsFuncSeq(m[1], func(r rune) bool { return r == '-' || r == '/' }) {
		n, err := strconv.ParseFloat(strings.ReplaceAll(p, ",", ""), 64)
		if err != nil {
			return nil, "", 0, false
		}
		each = append(each, n)
	}
	per = 1
	if m[4] != "" {
		if n, err := strconv.ParseFloat(m[3], 64); err == nil && n > 0 {
			per = n
		}
	} else {
		per = 0 // of one tablet
	}
	return each, strings.TrimSuffix(strings.ToLower(m[2]), "s"), per, true
}

// inUnit converts an amount into the unit of a rule.
func inUnit(n float64, from, to string) (float64, bool) {
	mg := map[string]float64{"mcg": 0.001, "mg": 1, "g": 1000}
	a, b := mg[from], mg[to]
	switch {
	case strings.EqualFold(from, to):
		return n, true
	case a > 0 && b > 0:
		return n * a / b, true
	}
	return 0, false
}

// eachTime is how much of an ingredient is taken at once, in the unit of a rule; why says
// what is not known.
func eachTime(p part, m Taking, d chart.Dosage, unit string) (n float64, why string) {
	amount := d.Highest()
	if d.Unit == "mg" || d.Unit == "mcg" || d.Unit == "g" || d.Unit == "mEq" || d.Unit == "unit" {
		if p.place > 0 {
			return 0, "how much of " + p.is.Name + " is in it is not written"
		}
		n, ok := inUnit(amount, strings.ToLower(d.Unit), unit)
		if !ok {
			return 0, fmt.Sprintf("%s is not compared with %s", d.Unit, unit)
		}
		return n, ""
	}
	for _, text := range []string{d.Strength, m.Name} {
		each, written, per, ok := strengths(text)
		if !ok || p.place >= len(each) {
			continue
		}
		one, fits := inUnit(each[p.place], written, unit)
		if !fits {
			continue
		}
		switch {
		case per > 0 && d.Unit == "mL":
			return one * amount / per, ""
		case per > 0 && d.Unit == "teaspoon":
			return one * amount * 5 / per, ""
		case per == 0 && d.Unit != "mL" && amount > 0:
			return one * amount, ""
		}
	}
	if amount == 0 {
		return 0, "no amount is written"
	}
	return 0, fmt.Sprintf("the strength of a %s is not written", d.Unit)
}

// overMuch is the share above the most from which a dose is serious.
const overMuch = 1.25

// dose holds how a medicine is taken against what is usual for age and weight.
func (s *sight) dose(reading Reading, m Taking) (out []Warning) {
	d := m.Dosage
	text := strings.TrimSpace(m.Dose)
	if !d.Read() && text != "" {
		d = s.c.Dosage(text)
	}
	if reading.local {
		return nil
	}
	unchecked := func(why string) {
		out = append(out, Warning{Kind: Dose, Grade: Unchecked, Says: "Dose not checked", Why: why})
	}
	for _, p := range reading.parts {
		rules := s.c.doses[p.is.Name]
		if len(rules) == 0 || text == "" {
			continue
		}
		if !d.Read() {
			unchecked(fmt.Sprintf("“%s” was not read", text))
			return out
		}
		if s.months < 0 {
			unchecked("the birth date is not known")
			return out
		}
		var r *DoseRule
		for _, x := range rules {
			if s.months >= x.From && (x.Below == 0 || s.months < x.Below) {
				r = x
			}
		}
		if r == nil {
			unchecked(fmt.Sprintf("no usual dose of %s is known for this age", p.is.Name))
			continue
		}
		n, why := eachTime(p, m, d, r.Unit)
		if why != "" {
			unchecked(why)
			continue
		}
		if route := cmpRoute(d.Route); r.Route != "" && route != r.Route && (route != "" || n > r.Single*overMuch) || r.Route == "" && route != "" {
			continue // of another way of giving nothing is known here
		}
		most := map[bool]float64{true: s.weight, false: 1}[r.PerKilogram]
		if r.PerKilogram && s.weight <= 0 {
			unchecked("the weight is not known, or too old: the dose goes by weight")
			continue
		}
		single, day := r.Single*most, r.Day*most
		if r.Never > 0 {
			single, day = min(single, r.Never), min(day, r.Never)
		}
		out = append(out, s.over(p, d, r, n, single, day)...)
	}
	return append(out, s.apixaban(reading, m, d)...)
}

// cmpRoute is the route of a dose as dose rules write it: "" for by mouth or not said.
func cmpRoute(route string) string {
	if route == "by mouth" {
		return ""
	}
	return route
}

// over says what is wrong with a dose of n at once.
func (s *sight) over(p part, d chart.Dosage, r *DoseRule, n, single, day float64) []Warning {
	whose := ""
	switch {
	case r.PerKilogram:
		whose = fmt.Sprintf(" for %s kg", figure(s.weight))
	case r.Below > 0 || r.From >= 720:
		whose = " at " + chart.AgeText(s.r.Patient.BirthDate, s.r.Day)
	}
	if r.Weekly && d.Most > 1./6 {
		return []Warning{{Kind: Dose, Grade: Avoid, Says: fmt.Sprintf("%s %s", p.is.Name, d.Often), Why: "it is taken once a week: a daily dose has killed",
			Advice: "ask how it is taken", Source: r.Source}}
	}
	var says, most string
	grade := Watch
	switch daily := n * d.Most; {
	case d.Most > 1 && daily > day*1.001:
		says = fmt.Sprintf("%s %s %s a day", p.is.Name, figure(daily), r.Unit)
		most = fmt.Sprintf("usual is no more than %s %s a day%s", figure(day), r.Unit, whose)
		if daily >= day*overMuch {
			grade = Avoid
		}
		n, single = daily, day
	case n > single*1.001:
		says = fmt.Sprintf("%s %s %s at once", p.is.Name, figure(n), r.Unit)
		most = fmt.Sprintf("usual is no more than %s %s at once%s", figure(single), r.Unit, whose)
		if n >= single*overMuch {
			grade = Avoid
		}
	default:
		return nil
	}
	if n >= 8*single {
		most += ": is the unit right?"
	}
	return []Warning{{Kind: Dose, Grade: grade, Says: says, Why: most, Source: r.Source}}
}

// figure writes a number without zeros behind it.
func figure(f float64) string {
	text := strconv.FormatFloat(f, 'f', 3, 64)
	return strings.TrimRight(strings.TrimRight(text, "0"), ".")
}

// apixaban is the rule of its label for atrial fibrillation (section 2): 2.5 mg twice a day
// where two of three hold: 80 years, 60 kg or less, creatinine of 1.5 mg/dL or more.
func (s *sight) apixaban(reading Reading, m Taking, d chart.Dosage) []Warning {
	for _, p := range reading.parts {
		if p.is.Name != "apixaban" || !d.Read() {
			continue
		}
		n, why := eachTime(p, m, d, "mg")
		if why != "" || n < 5 || s.months < 0 {
			continue
		}
		var facts []string
		if s.months >= 960 {
			facts = append(facts, "80 years or more")
		}
		if s.weight > 0 && s.weight <= 60 {
			facts = append(facts, "weight "+figure(s.weight)+" kg")
		}
		if crea, ok, v := newestNumber(s.r, creatinine, "mg/dL", kidneyDays); ok && crea >= 1.5 {
			facts = append(facts, "creatinine "+says(v))
		}
		if len(facts) >= 2 {
			return []Warning{{Kind: Dose, Grade: Watch, Says: "apixaban " + figure(n) + " mg with " + strings.Join(facts, " and "),
				Why: "in atrial fibrillation 2.5 mg twice a day", Source: "label of apixaban, section 2"}}
		}
	}
	return nil
}

// StrengthOf is the strength that stands in the name of a medicine, in small letters and
// without blanks, "20mg"; "" for none.
func StrengthOf(name string) string {
	return strings.ToLower(strings.ReplaceAll(strings.ReplaceAll(strengthIn.FindString(name), " ", ""), ",", ""))
}
