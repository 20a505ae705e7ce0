// Package safety checks medicines against allergies and against each other. It
// knows what its list knows, says why, and is silent about the rest.
package safety

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"deftledger/core/chart"
)

// List is the list of medicines with their classes.
type List struct {
	Version   int    `yaml:"version"`
	Source    string `yaml:"source"`
	Medicines []struct {
		Class []string `yaml:"class"`
		Names []string `yaml:"names"`
	} `yaml:"medicines"`
	Interactions []struct {
		A   string `yaml:"a"`
		B   string `yaml:"b"`
		Why string `yaml:"why"`
	} `yaml:"interactions"`
	Kidney []struct {
		For   string `yaml:"for"`   // name of a medicine, or a class
		Below int    `yaml:"below"` // mL/min/1.73 m2
		Why   string `yaml:"why"`
	} `yaml:"kidney"`
	Allergies []struct {
		Word  string `yaml:"word"`
		Class string `yaml:"class"`
	} `yaml:"allergies"`
}

// Warning is one reason for care. Serious ones concern an allergy.
type Warning struct {
	Serious bool   `json:"serious"`
	Says    string `json:"says"`
	Why     string `json:"why"`
}

// Names lists every medicine of the list, in alphabetical order.
func (l *List) Names() []string {
	var out []string
	for _, m := range l.Medicines {
		out = append(out, m.Names...)
	}
	slices.Sort(out)
	return out
}

// Find lists the medicines whose name has a word that begins so.
func (l *List) Find(query string, limit int) []string {
	query = strings.ToLower(strings.TrimSpace(query))
	var first, later []string
	for _, n := range l.Names() {
		switch {
		case query == "":
		case strings.HasPrefix(strings.ToLower(n), query):
			first = append(first, n)
		case strings.Contains(strings.ToLower(n), " "+query), strings.Contains(strings.ToLower(n), "-"+query):
			later = append(later, n)
		}
	}
	out := append(first, later...)
	return out[:min(limit, len(out))]
}

// Classes lists the classes of the medicine that a text begins with, as on a medicine
// list ("Losartan 50 mg"); none for one that is not known.
func (l *List) Classes(text string) []string {
	_, c := l.classes(text)
	return c
}

// classes returns the classes of the medicine that a text begins with: the longest
// name that fits.
func (l *List) classes(text string) (name string, classes []string) {
	text = strings.ToLower(text)
	for _, m := range l.Medicines {
		for _, n := range m.Names {
			if len(n) > len(name) && strings.HasPrefix(text, strings.ToLower(n)) {
				name, classes = n, m.Class
			}
		}
	}
	return name, classes
}

// Check compares a medicine with what the patient takes and is allergic to.
// allergies map the substance to the recorded reaction.
func (l *List) Check(medicine string, taken []string, allergies map[string]string) []Warning {
	out := []Warning{}
	name, class := l.classes(medicine)
	if name == "" {
		name = strings.ToLower(strings.TrimSpace(medicine))
	}
	substances := make([]string, 0, len(allergies))
	for s := range allergies {
		substances = append(substances, s)
	}
	slices.Sort(substances)
	for _, s := range substances {
		lower := strings.ToLower(s)
		if lower == "" {
			continue
		}
		reaction := allergies[s]
		if reaction == "" {
			reaction = "reaction not recorded"
		}
		other, otherClass := l.classes(lower)
		switch {
		case other != "" && other == name, strings.HasPrefix(name, lower), strings.HasPrefix(lower, name):
			out = append(out, Warning{true, "Recorded allergy: " + s, reaction})
			continue
		}
		for _, a := range l.Allergies {
			if strings.Contains(lower, a.Word) {
				otherClass = append(slices.Clone(otherClass), a.Class)
			}
		}
		for _, c := range otherClass {
			if slices.Contains(class, c) {
				out = append(out, Warning{true, "Recorded allergy: " + s, fmt.Sprintf("%s; %s is of the class %s", reaction, name, c)})
				break
			}
		}
	}
	for _, t := range taken {
		other, otherClass := l.classes(t)
		switch {
		case other != "" && other == name || strings.EqualFold(strings.TrimSpace(t), medicine):
			out = append(out, Warning{false, "Already on the list: " + t, "the same medicine twice"})
			continue
		case len(class) > 0 && len(otherClass) > 0 && class[0] == otherClass[0] && class[0] != "vitamin or mineral" && class[0] != "insulin" &&
			class[0] != "other antidepressant":
			out = append(out, Warning{false, "With " + t, "both are of the class " + class[0]})
		}
		for _, i := range l.Interactions {
			if slices.Contains(class, i.A) && slices.Contains(otherClass, i.B) || slices.Contains(class, i.B) && slices.Contains(otherClass, i.A) {
				out = append(out, Warning{false, "With " + t, i.Why})
			}
		}
	}
	return out
}

// FiltrationRate is the LOINC code of the estimated glomerular filtration rate (2021).
const FiltrationRate = "98979-8"

// Care says what speaks for care with a medicine in a chart: allergies, what is taken
// already, and the newest filtration rate of the year before its day.
func (l *List) Care(r chart.Record, medicine string) []Warning {
	var taken []string
	for _, m := range r.Medicines {
		taken = append(taken, m.Name)
	}
	allergies := map[string]string{}
	for _, a := range r.Allergies {
		allergies[a.Substance] = a.Reaction
	}
	out := l.Check(medicine, taken, allergies)
	if v, rate, ok := newestRate(r); ok {
		out = append(out, l.CheckKidney(medicine, rate, v.Text+" "+chart.ShownUnit(v.Unit)+" on "+chart.SayDay(v.Day))...)
	}
	return out
}

// newestRate finds the newest filtration rate that is a number in its unit, of the year
// before the day.
func newestRate(r chart.Record) (chart.Value, float64, bool) {
	day, err := time.Parse(time.DateOnly, r.Day)
	if err != nil {
		return chart.Value{}, 0, false
	}
	since := day.AddDate(-1, 0, 0).Format(time.DateOnly)
	for _, v := range slices.Backward(r.Course(FiltrationRate)) {
		if n, err := strconv.ParseFloat(strings.TrimPrefix(v.Text, ">"), 64); err == nil && v.Day >= since && v.Unit == "mL/min/{1.73_m2}" {
			return v, n, true
		}
	}
	return chart.Value{}, 0, false
}

// CheckKidney says what the kidneys mean for a medicine. rate is the estimated glomerular
// filtration rate in mL/min/1.73 m2; of several limits the lowest that is passed counts.
// said is the rate as people read it, with its day.
func (l *List) CheckKidney(medicine string, rate float64, said string) []Warning {
	name, class := l.classes(medicine)
	out := []Warning{}
	lowest := 0
	for _, k := range l.Kidney {
		if (strings.EqualFold(k.For, name) || slices.Contains(class, k.For)) && rate < float64(k.Below) && (lowest == 0 || k.Below < lowest) {
			lowest = k.Below
			out = []Warning{{false, "With a filtration rate of " + said, k.Why}}
		}
	}
	return out
}
