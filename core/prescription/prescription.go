// Package prescription knows what a prescription must have, how its directions read, how much
// of a medicine they need, and what the federal rules on controlled substances allow.
package prescription

import (
	"errors"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"deftledger/core/chart"
	"deftledger/core/safety"
)

// Drug is what is prescribed and how it is taken.
type Drug struct {
	Medicine   string       `json:"medicine" maxLength:"200" doc:"As it was chosen"`
	Strength   string       `json:"strength,omitempty" maxLength:"60" doc:"Of one tablet or measure: 500 mg, 250 mg/5 mL; empty where the medicine has one only"`
	Form       string       `json:"form,omitempty" maxLength:"60" doc:"tablet, suspension…"`
	Dose       string       `json:"dose" maxLength:"400" doc:"How it is taken, as it was typed and made safe"`
	Dosage     chart.Dosage `json:"dosage" doc:"As it was read; its zero value where it was not"`
	Quantity   string       `json:"quantity" maxLength:"12" doc:"A number"`
	Unit       string       `json:"unit" maxLength:"30" doc:"tablet, mL, inhaler…"`
	Days       int          `json:"days,omitempty" minimum:"0" maximum:"366" doc:"That the quantity lasts; 0 for not said"`
	Refills    int          `json:"refills" minimum:"0" maximum:"12"`
	AsWritten  bool         `json:"asWritten,omitempty" doc:"No substitution"`
	Indication string       `json:"indication,omitempty" maxLength:"200"`
	Note       string       `json:"note,omitempty" maxLength:"400" doc:"For the pharmacy"`
}

// verbs say how a medicine is taken, by what it is measured in; else by its route.
var verbs = map[string]string{"puff": "Inhale", "inhalation": "Inhale", "spray": "Use", "drop": "Put in", "patch": "Apply", "application": "Apply", "suppository": "Insert",
	"ring": "Insert", "injection": "Inject", "pump": "Apply", "vial": "Inhale"}
var routeVerbs = map[string]string{"under the skin": "Inject", "into the muscle": "Inject", "by vein": "Inject", "inhaled": "Inhale", "on the skin": "Apply", "in the nose": "Use",
	"in the eye": "Put", "in the ear": "Put", "rectal": "Insert", "vaginal": "Insert", "under the tongue": "Place"}

// onSkin are forms that are put on; which part of the body is not said by them.
var onSkin = regexp.MustCompile(`(?i)\b(?:cream|ointment|gel|lotion|foam|shampoo)\b`)

// Directions reads how a medicine of a form is taken; the zero value where it is not read.
// "30 g" of a cream is the tube, and no dose.
func Directions(dose, form string) chart.Dosage {
	d, _ := chart.ReadDosage(dose)
	if onSkin.MatchString(form) && d.Unit == "g" && d.Highest() > chart.MostOnSkin {
		return chart.Dosage{}
	}
	return d
}

// Reads are the directions in plain English, for the patient and the pharmacy. Directions that
// were not read stand as they were typed.
func (d Drug) Reads() string {
	if !d.Dosage.Read() {
		return strings.TrimSpace(d.Dose)
	}
	x := d.Dosage
	x.Strength = ""
	verb := routeVerbs[x.Route]
	if verb == "" {
		if verb = verbs[x.Unit]; verb == "" {
			verb = "Take"
			if onSkin.MatchString(d.Form) && x.Route == "" {
				verb = "Apply"
			}
		}
	}
	if verb == "Put in" {
		verb = "Put"
	}
	if x.How != "" {
		verb = strings.ToUpper(x.How[:1]) + x.How[1:]
	}
	if verb == "Inhale" && x.Route == "inhaled" {
		x.Route = "" // the verb says it
	}
	says := x.Says()
	if x.Amount == "" {
		if verb != "Apply" && x.How == "" {
			verb = "Use"
			if x.Route == "by mouth" || x.Route == "" {
				verb = "Take"
			}
		}
	}
	return verb + " " + says
}

// Says names what is prescribed: medicine, strength and form.
func (d Drug) Says() string {
	says := d.Medicine
	if d.Strength != "" && !strings.Contains(strings.ToLower(says), strings.ToLower(d.Strength)) {
		says += " " + d.Strength
	}
	if d.Form != "" && !strings.Contains(strings.ToLower(says), strings.ToLower(d.Form)) {
		says += " " + d.Form
	}
	return says
}

// Amount is the quantity with its unit.
func (d Drug) Amount() string {
	unit := d.Unit
	if d.Quantity != "1" && !slices.Contains([]string{"mL", "g", "each"}, unit) && unit != "" {
		switch {
		case strings.HasSuffix(unit, "ch"), strings.HasSuffix(unit, "x"):
			unit += "es"
		case strings.HasSuffix(unit, "ry"):
			unit = strings.TrimSuffix(unit, "y") + "ies"
		default:
			unit += "s"
		}
	}
	return strings.TrimSpace(d.Quantity + " " + unit)
}

// pieces are units in which a medicine is counted out.
var pieces = map[string]bool{"tablet": true, "capsule": true, "patch": true, "suppository": true, "packet": true, "lozenge": true, "film": true, "vial": true, "ring": true}

var ofStrength = regexp.MustCompile(`(?i)^(\d+(?:\.\d+)?) ?(mg|mcg|g|units?|meq)(?: ?/ ?(\d+(?:\.\d+)?)? ?(mL))?$`)

// Needs is how much directions need for some days, and in which unit; ok is false where it
// cannot be counted, and why then says why not. What is taken as needed counts at its most.
func (d Drug) Needs(days int) (n float64, unit, why string, ok bool) {
	x := d.Dosage
	switch {
	case !x.Read():
		return 0, "", "how it is taken was not read", false
	case x.Most == 0:
		return 0, "", "how often at most is not said", false
	case x.Amount == "":
		return 0, "", "how much at a time is not said", false
	case days <= 0:
		return 0, "", "for how many days is not said", false
	case x.Often == "once" && x.Most == 1:
		days = 1
	}
	if ends := d.Lasts(); ends > 0 && ends < days {
		return 0, "", fmt.Sprintf("the directions end after %s, the prescription says %d days", x.Until, days), false
	}
	times := x.Most * float64(days)
	each := x.Highest()
	switch {
	case pieces[x.Unit]:
		return rounded(each * times), x.Unit, "", true
	case x.Unit == "mL":
		return rounded(each * times), "mL", "", true
	}
	m := ofStrength.FindStringSubmatch(strings.ReplaceAll(d.Strength, ",", ""))
	if m == nil {
		return 0, "", "the strength of one " + or(d.Form, "measure") + " is not known as one figure", false
	}
	one, err := strconv.ParseFloat(m[1], 64)
	if err != nil || one <= 0 {
		return 0, "", "the strength is no figure", false
	}
	have := map[string]float64{"mcg": 0.001, "mg": 1, "g": 1000}
	from, to := strings.TrimSuffix(x.Unit, "s"), strings.TrimSuffix(strings.ToLower(m[2]), "s")
	ratio := 1.0
	if !strings.EqualFold(from, to) {
		if have[from] == 0 || have[to] == 0 {
			return 0, "", x.Unit + " and " + m[2] + " cannot be compared", false
		}
		ratio = have[from] / have[to]
	}
	if m[4] != "" {
		per := 1.0
		if m[3] != "" {
			if per, err = strconv.ParseFloat(m[3], 64); err != nil || per <= 0 {
				return 0, "", "the strength is no figure", false
			}
		}
		return rounded(each * ratio / one * per * times), "mL", "", true
	}
	at := each * ratio / one
	if half := at * 2; math.Abs(half-math.Round(half)) > 1e-6 {
		return 0, "", fmt.Sprintf("%s %s is no whole or half %s of %s", x.Amount, x.Unit, or(d.Form, "tablet"), d.Strength), false
	}
	form := strings.TrimSpace(d.Form)
	if i := strings.LastIndex(form, " "); i >= 0 {
		form = form[i+1:]
	}
	if !pieces[form] {
		return 0, "", "a " + or(form, "measure without a form") + " is not counted out", false
	}
	return rounded(at * times), form, "", true
}

func or(a, b string) string {
	if a == "" {
		return b
	}
	return a
}

// rounded takes the dust of binary fractions off; half a tablet stays half.
func rounded(n float64) float64 { return math.Round(n*100) / 100 }

// Grade of a remark on a prescription.
type Grade string

// A Stop cannot be signed; a Mind is to be looked at; Unchecked could not be checked.
const (
	Stop      Grade = "stop"
	Mind      Grade = "mind"
	Unchecked Grade = "not checked"
)

// Remark is what is to be said of a prescription before it is signed.
type Remark struct {
	Grade  Grade  `json:"grade" enum:"stop,mind,not checked"`
	Says   string `json:"says"`
	Source string `json:"source" doc:"Body and year; empty for what rests on the words alone"`
}

// Facts is what a check of a prescription needs beside it.
type Facts struct {
	Months    int     // age in completed months; below zero for unknown
	Weight    float64 // kg, lately measured; 0 for unknown
	WeightOf  string  // its day in words
	Schedule  string  // II to V; "" for none
	Known     bool    // the medicine is known, so that "" means not controlled
	Monitored bool    // that the state's monitoring programme was looked at is recorded
	Printed   bool    // it is printed and signed by hand, not sent
}

// unsafe are ways of writing that have hurt people, which SafeDose does not mend by itself
// (The Joint Commission, "do not use" list, 2004, in force 2024; ISMP, list of error-prone
// abbreviations, 2024).
var unsafe = []struct {
	find *regexp.Regexp
	say  string
}{
	{regexp.MustCompile(`\bMSO?4?\b|\bMgSO4\b`), "stands for morphine and for magnesium; write the name out"},
	{regexp.MustCompile(`(?i)\bAZT\b|\bCPZ\b|\bHCT\b|\bHCTZ\b|\bMTX\b|\bPCA\b|\bPTU\b|\bTAC\b|\bZnSO4\b|\bDPT\b|\bHCl\b`), "is a shortened name that has been mistaken; write the name out"},
	{regexp.MustCompile(`\d+\.0+(?:\D|$)`), "has a trailing zero"},
	{regexp.MustCompile(`(?:^|[^\d.])\.\d`), "has no leading zero"},
	{regexp.MustCompile(`(?i)\d\s*(?:u|iu)\b`), "shortens units; write units"},
	{regexp.MustCompile(`(?i:\bq\.?o?\.?d\b|\bq\.?h\.?s\b)|\bBT\b|\bO\.?[DSU]\b|\bA\.?[DU]\b|\bA\.S\.`), "is an abbreviation that has been mistaken; write it out"},
	{regexp.MustCompile(`(?i)\d\s*(?:µg|μg|ug)\b`), "is read as mg; write mcg"},
	{regexp.MustCompile(`(?i)\b(?:cc)\b`), "is read as units; write mL"},
	{regexp.MustCompile(`[<>]\s*\d`), "is a sign that has been mistaken; write more than or less than"},
}

// Unsafe names what in a text is written so that it has been misread.
func Unsafe(text string) (out []string) {
	for _, x := range unsafe {
		if m := strings.TrimSpace(x.find.FindString(text)); m != "" {
			out = append(out, fmt.Sprintf("%q %s", m, x.say))
		}
	}
	return out
}

// ErrIncomplete is wrapped by every reason why a prescription cannot be signed.
var ErrIncomplete = errors.New("the prescription is not complete")

// Complete says what a prescription lacks.
func (d Drug) Complete() error {
	n, err := strconv.ParseFloat(d.Quantity, 64)
	switch {
	case strings.TrimSpace(d.Medicine) == "":
		return fmt.Errorf("%w: choose the medicine", ErrIncomplete)
	case strings.TrimSpace(d.Dose) == "":
		return fmt.Errorf("%w: write how it is taken", ErrIncomplete)
	case chart.WithoutUnit(d.Dose):
		return fmt.Errorf("%w: %s of what? write mg, tablets, mL", ErrIncomplete, strings.Fields(d.Dose)[0])
	case err != nil || n <= 0 || n > 10000 || math.IsNaN(n):
		return fmt.Errorf("%w: write the quantity as a number", ErrIncomplete)
	case strings.TrimSpace(d.Unit) == "":
		return fmt.Errorf("%w: say the quantity of what: tablets, mL", ErrIncomplete)
	case d.Refills < 0 || d.Refills > MostRefills:
		return fmt.Errorf("%w: refills are 0 to %d", ErrIncomplete, MostRefills)
	}
	return nil
}

// Remarks says what is to be said of a prescription, the gravest first.
func (d Drug) Remarks(f Facts) (out []Remark) {
	add := func(g Grade, source, format string, args ...any) {
		out = append(out, Remark{g, fmt.Sprintf(format, args...), source})
	}
	for _, text := range []string{d.Medicine, d.Dose, d.Indication, d.Note} {
		for _, x := range Unsafe(text) {
			add(Stop, "The Joint Commission, 2004; ISMP, 2024", "%s.", x)
		}
	}
	d.scheduled(f, add)
	quantity, err := strconv.ParseFloat(d.Quantity, 64)
	if err == nil && quantity > 0 {
		d.counted(quantity, add)
	}
	if !d.Dosage.Read() && strings.TrimSpace(d.Dose) != "" {
		add(Unchecked, "", "How it is taken was not read: it goes out as it is typed, and neither dose nor quantity is checked.")
	}
	d.ofChild(f, add)
	order := []Grade{Stop, Mind, Unchecked}
	slices.SortStableFunc(out, func(a, b Remark) int { return slices.Index(order, a.Grade) - slices.Index(order, b.Grade) })
	return out
}

// scheduled holds a controlled substance against the federal rules.
func (d Drug) scheduled(f Facts, add func(Grade, string, string, ...any)) {
	const rules = "21 CFR 1306, 2025"
	switch f.Schedule {
	case "":
		if !f.Known {
			add(Unchecked, "", "Whether it is a controlled substance is not known: our list does not know it.")
		}
		return
	case "II":
		if d.Refills > 0 {
			add(Stop, rules+" (1306.12)", "Schedule II: no refills. Write a new prescription each time.")
		}
	default:
		if d.Refills > 5 {
			add(Stop, rules+" (1306.22)", "Schedule %s: at most five refills.", f.Schedule)
		}
		if d.Days > 0 && d.Days*(d.Refills+1) > 186 { // six months at their longest
			add(Stop, rules+" (1306.22)", "Schedule %s: no refill after six months, and %d days with %d refills last longer.", f.Schedule, d.Days, d.Refills)
		}
	}
	if !f.Printed {
		add(Mind, "21 CFR 1311, 2025", "Schedule %s, sent electronically: this program is not certified for it (21 CFR 1311). It goes to the simulated pharmacy only; print it and sign it by hand where it counts.",
			f.Schedule)
	}
	if !f.Monitored {
		add(Mind, "", "Schedule %s: that the state's monitoring programme was looked at is not recorded.", f.Schedule)
	}
	if d.Days == 0 {
		add(Unchecked, "", "Schedule %s: for how many days is not said, so nothing is held against the limits of time.", f.Schedule)
	}
}

// counted holds the quantity against directions and days.
func (d Drug) counted(quantity float64, add func(Grade, string, string, ...any)) {
	days := d.Days
	if days == 0 {
		days = d.Lasts()
	}
	need, unit, why, ok := d.Needs(days)
	switch {
	case !ok && days == 0:
		add(Unchecked, "", "The quantity was not held against the directions: for how many days is not said.")
	case !ok:
		add(Unchecked, "", "The quantity was not held against the directions: %s.", why)
	case unit != d.Unit:
		add(Unchecked, "", "The quantity is in %s, and the directions need %s %s: not compared.", or(d.Unit, "no unit"), figure(need), unit)
	case quantity > need*1.001+0.5:
		add(Mind, "", "%s for %d days as directed would be %s %s; %s are written.", or(strings.TrimSpace(d.Medicine), "It"), days, figure(need), unit, d.Quantity)
	case quantity < need*0.999-0.5:
		add(Mind, "", "%s %s are fewer than the %s needed for %d days as directed.", d.Quantity, unit, figure(need), days)
	}
}

var lasts = regexp.MustCompile(`^(\d+) (day|week)s?$`)

// Lasts is for how many days the directions say that it is taken; 0 where they do not.
func (d Drug) Lasts() int {
	m := lasts.FindStringSubmatch(d.Dosage.Until)
	if m == nil {
		return 0
	}
	n, _ := strconv.Atoi(m[1])
	if m[2] == "week" {
		n *= 7
	}
	return n
}

// ofChild shows a dose for each kilogram, under 18 years.
func (d Drug) ofChild(f Facts, add func(Grade, string, string, ...any)) {
	if f.Months < 0 {
		add(Unchecked, "", "The age is not known: the dose was not held against it.")
		return
	}
	if f.Months >= 18*12 {
		return
	}
	if f.Weight == 0 {
		add(Unchecked, "", "A child without a weight measured lately: no dose for each kilogram is computed.")
		return
	}
	if says, ok := d.PerKilogram(f.Weight); ok {
		add(Mind, "", "%s (%s kg, %s).", says, figure(f.Weight), f.WeightOf)
		return
	}
	add(Unchecked, "", "The dose for each kilogram was not computed: it needs an amount and a strength in figures.")
}

// PerKilogram writes the daily dose for each kilogram with its calculation.
func (d Drug) PerKilogram(kg float64) (string, bool) {
	x := d.Dosage
	if !x.Read() || x.Most == 0 || x.Amount == "" || kg <= 0 {
		return "", false
	}
	each, unit := x.Highest(), x.Unit
	if m := ofStrength.FindStringSubmatch(strings.ReplaceAll(d.Strength, ",", "")); unit != "mg" && unit != "mcg" && unit != "g" {
		if m == nil {
			return "", false
		}
		one, _ := strconv.ParseFloat(m[1], 64)
		per := 1.0
		switch {
		case m[4] != "" && unit == "mL":
			if m[3] != "" {
				per, _ = strconv.ParseFloat(m[3], 64)
			}
		case m[4] == "" && pieces[unit]:
		default:
			return "", false
		}
		each, unit = each*one/per, m[2]
	}
	day := each * x.Most
	return fmt.Sprintf("%s %s × %s a day = %s %s a day, %s %s for each kilogram a day", figure(each), unit, figure(x.Most), figure(day), unit, figure(day/kg), unit), true
}

// figure writes a number with a leading and no trailing zero.
func figure(n float64) string {
	s := strconv.FormatFloat(math.Round(n*10)/10, 'f', -1, 64)
	if n > 0 && n < 1 {
		s = strconv.FormatFloat(math.Round(n*1000)/1000, 'f', -1, 64)
	}
	return s
}

// Serious are the warnings that interrupt: signing past one needs a reason. The rest stands
// beside, and what could not be checked is no answer.
func Serious(all []safety.Warning) (out []safety.Warning) {
	for _, w := range all {
		if w.Serious {
			out = append(out, w)
		}
	}
	return out
}
