package prescription

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"deftledger/core/chart"
)

var (
	formWords     = regexp.MustCompile(`(?i)\b(extended-release tablets?|delayed-release tablets?|chewable tablets?|orally disintegrating tablets?|extended-release capsules?|delayed-release capsules?|tablets?|tabs?|capsules?|caps?|suspension|solution|syrup|elixir|liquid|cream|ointment|gel|lotion|foam|shampoo|inhaler|nasal spray|eye drops|ear drops|patch(?:es)?|suppositor(?:y|ies)|pen|vial|injection|packets?|powder|film|lozenges?)\b`)
	strengthWords = regexp.MustCompile(`(?i)(\d[\d,]*(?:\.\d+)?(?:-\d+(?:\.\d+)?)*) ?(mg|mcg|g|units?|meq|%)(?: ?/ ?(\d+(?:\.\d+)?)? ?(mL|h|hour|actuation|puff))?`)
)

// units are what a form is counted in.
var units = map[string]string{"tablet": "tablet", "capsule": "capsule", "suspension": "mL", "solution": "mL", "syrup": "mL", "elixir": "mL", "liquid": "mL", "cream": "g", "ointment": "g",
	"gel": "g", "lotion": "mL", "foam": "g", "shampoo": "mL", "inhaler": "inhaler", "spray": "each", "drops": "mL", "patch": "patch", "suppository": "suppository", "pen": "mL", "vial": "vial",
	"injection": "mL", "packet": "packet", "powder": "g", "film": "film", "lozenge": "lozenge"}

func formOf(text string) string {
	f := strings.ToLower(formWords.FindString(text))
	for short, long := range map[string]string{"tab": "tablet", "tabs": "tablet", "cap": "capsule", "caps": "capsule", "patches": "patch", "suppositories": "suppository"} {
		if f == short {
			return long
		}
	}
	if strings.HasSuffix(f, "tablets") || strings.HasSuffix(f, "capsules") || strings.HasSuffix(f, "packets") || strings.HasSuffix(f, "lozenges") {
		f = strings.TrimSuffix(f, "s")
	}
	return f
}

// UnitOf is what a form is counted in; "" for one that is not known.
func UnitOf(form string) string {
	words := strings.Fields(form)
	if len(words) == 0 {
		return ""
	}
	return units[words[len(words)-1]]
}

// Propose makes of a line what a person then looks at: strength and form where the line says
// them, or where the list of the medicine has that amount in one form only; quantity of days
// and directions, or days of quantity and directions. Nothing else is filled in.
func Propose(l Line, name, dose string, forms []string) Drug {
	d := Drug{Medicine: name, Dose: dose, Quantity: l.Quantity, Days: l.Days, AsWritten: l.AsWritten}
	if l.Refills != nil {
		d.Refills = *l.Refills
	}
	d.Dosage = Directions(dose, formOf(dose))
	d.Strength = d.Dosage.Strength            // where it stands among the directions
	if d.Strength == "" && !d.Dosage.Read() { // "500 mg capsule, as directed"
		d.Strength = strings.TrimSpace(strengthWords.FindString(dose))
	}
	{ // what stands before the directions may say which medicine it is: "250 mg/5 mL suspension 5 mL twice daily"
		strength := strengthWords.FindStringIndex(dose)
		if strength != nil && strings.TrimSpace(dose[:strength[0]]) == "" {
			rest := strings.TrimSpace(dose[strength[1]:])
			if form := formWords.FindStringIndex(rest); form != nil && form[0] == 0 {
				rest = strings.TrimSpace(rest[form[1]:])
			}
			if read, _ := chart.ReadDosage(rest); read.Read() && read.Amount != "" {
				d.Dosage, d.Dose, d.Strength = read, rest, strings.TrimSpace(dose[:strength[1]])
			}
		}
	}
	if d.Form = formOf(dose); d.Form == "" && pieces[d.Dosage.Unit] {
		d.Form = d.Dosage.Unit
	}
	if d.Dosage.For != "" {
		d.Indication = d.Dosage.For
	}
	if d.Strength == "" && d.Dosage.Amount != "" && (d.Dosage.Unit == "mg" || d.Dosage.Unit == "mcg" || d.Dosage.Unit == "g") {
		var found []Form
		for _, f := range Forms(forms) {
			if f.Strength == d.Dosage.Amount+" "+d.Dosage.Unit && (d.Form == "" || strings.HasSuffix(f.Form, d.Form)) {
				found = append(found, f)
			}
		}
		if len(found) == 1 {
			d.Strength, d.Form = found[0].Strength, found[0].Form
		}
	}
	if d.Unit = UnitOf(d.Form); d.Unit == "" && pieces[d.Dosage.Unit] {
		d.Unit = d.Dosage.Unit
	}
	switch {
	case l.Unit == "" || l.Unit == d.Unit:
	case (pieces[d.Unit] || d.Unit == "mL") && (pieces[l.Unit] || l.Unit == "mL"): // tablets and capsules: one of them is wrong
		d.Quantity = ""
	default: // a tube of a cream
		d.Unit = l.Unit
	}
	days := d.Days
	if days == 0 {
		days = d.Lasts()
	}
	if days > 0 && d.Quantity == "" && !slices.Contains(l.Ask, "quantity") {
		if n, unit, _, ok := d.Needs(days); ok && (d.Unit == "" || d.Unit == unit) {
			d.Quantity, d.Unit = strconv.FormatFloat(ceil(n, unit), 'f', -1, 64), unit
		}
	}
	if days > 0 && d.Days == 0 {
		d.Days = days
	}
	if d.Days == 0 && d.Quantity != "" {
		q, _ := strconv.ParseFloat(d.Quantity, 64)
		if n, unit, _, ok := d.Needs(1); ok && unit == d.Unit && n > 0 {
			if lasts := q / n; lasts >= 1 && lasts <= 366 && lasts == float64(int(lasts)) && !d.Dosage.AsNeeded {
				d.Days = int(lasts)
			}
		}
	}
	return d
}

// ceil takes whole tablets.
func ceil(n float64, unit string) float64 {
	if unit == "mL" || n == float64(int(n)) {
		return n
	}
	return float64(int(n) + 1)
}

// Form is a form in which a medicine is made, with one of its strengths.
type Form struct {
	Form     string `json:"form"`
	Strength string `json:"strength"`
}

// Forms parts forms as the list has them: "tablet 5, 10, 20 mg; suspension 400-57 mg/5 mL".
func Forms(forms []string) (out []Form) {
	for _, f := range forms {
		f = strings.TrimSpace(f)
		at := strings.IndexFunc(f, func(r rune) bool { return r >= '0' && r <= '9' })
		if at < 0 {
			out = append(out, Form{Form: f})
			continue
		}
		form, rest := strings.TrimSpace(f[:at]), f[at:]
		figures := strings.Split(rest, ",")
		last := strings.TrimSpace(figures[len(figures)-1])
		_, unit, _ := strings.Cut(last, " ")
		for _, x := range figures {
			x = strings.TrimSpace(x)
			if !strings.Contains(x, " ") {
				x += " " + unit
			}
			out = append(out, Form{Form: form, Strength: x})
		}
	}
	return out
}
