// Package safety checks medicines against allergies and against each other, by ingredient.
// It says why, and says what it does not know: what was not checked never looks safe.
package safety

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

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
	Other []string `yaml:"other"` // what people are allergic to that is no medicine
}

// Warning is one reason for care. Serious ones concern an allergy; what is Unknown was not
// checked.
type Warning struct {
	Serious bool   `json:"serious"`
	Unknown bool   `json:"unknown"`
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

// Classes lists the classes of every ingredient that a text names, as on a medicine list
// ("Losartan 50 mg"); none for one that is not known.
func (l *List) Classes(text string) (classes []string) {
	found, _ := l.ingredients(text)
	for _, i := range found {
		classes = append(classes, i.class...)
	}
	return classes
}

// ingredient is a medicine of the list, or a part of one that is a combination.
type ingredient struct {
	name  string
	class []string
}

// forms are words beside the name of a medicine that name no ingredient: forms, salts, and
// ways of giving.
var forms = words(`tablet tablets capsule capsules tab tabs cap caps oral liquid solution suspension syrup cream ointment gel patch drops drop spray
	inhaler inhaled nasal injection injectable pen vial powder extended release delayed immediate er xr sr ir cr dr ec hfa hcl hydrochloride sodium
	potassium calcium magnesium succinate tartrate maleate besylate mesylate sulfate acetate phosphate citrate bromide dihydrate chewable mg mcg g ml unit units
	daily twice once three four times weekly monthly as needed by mouth with and for the in at every of food night bedtime morning day days per low dose high
	generic brand enteric coated`)

func words(s string) map[string]bool {
	out := map[string]bool{}
	for _, w := range strings.Fields(s) {
		out[w] = true
	}
	return out
}

// ingredients finds the medicines of the list that a text names, as whole words, the longest
// names first, and the words before the dose that name something else. A combination has the
// ingredients it is written with too, where the list knows them.
func (l *List) ingredients(text string) (found []ingredient, unknown []string) {
	text = strings.ToLower(text)
	if dose := strings.IndexAny(text, "0123456789"); dose > 0 {
		text = text[:dose]
	}
	type named struct {
		name  string
		class []string
	}
	var all []named
	for _, m := range l.Medicines {
		for _, n := range m.Names {
			all = append(all, named{strings.ToLower(n), m.Class})
		}
	}
	slices.SortStableFunc(all, func(a, b named) int { return len(b.name) - len(a.name) })
	has := map[string]bool{}
	take := func(name string, class []string) {
		if !has[name] {
			has[name] = true
			found = append(found, ingredient{name, class})
		}
	}
	for _, n := range all {
		at := wholeWords(text, n.name)
		if at < 0 {
			continue
		}
		text = text[:at] + strings.Repeat(" ", len(n.name)) + text[at+len(n.name):]
		take(n.name, n.class)
		if parts := strings.Split(n.name, "-"); len(parts) > 1 {
			for _, part := range parts {
				for _, other := range all {
					if other.name == part {
						take(part, other.class)
					}
				}
			}
		}
	}
	for _, w := range strings.FieldsFunc(text, func(r rune) bool { return !unicode.IsLetter(r) }) {
		if !forms[w] {
			unknown = append(unknown, w)
		}
	}
	return found, unknown
}

// wholeWords is where some words stand in a text, not as parts of others; -1 for nowhere.
func wholeWords(text, some string) int {
	for from := 0; from <= len(text)-len(some); {
		at := strings.Index(text[from:], some)
		if at < 0 {
			return -1
		}
		at += from
		before, _ := utf8.DecodeLastRuneInString(text[:at])
		after, _ := utf8.DecodeRuneInString(text[at+len(some):])
		if (at == 0 || !unicode.IsLetter(before)) && (at+len(some) == len(text) || !unicode.IsLetter(after)) {
			return at
		}
		from = at + 1
	}
	return -1
}

// saysWord says whether a text has a word, in the singular or the plural.
func saysWord(text, word string) bool {
	return wholeWords(text, word) >= 0 || wholeWords(text, word+"s") >= 0
}

// usual are classes of which two at a time are usual.
var usual = map[string]bool{"vitamin or mineral": true, "insulin": true, "other antidepressant": true}

// Check compares a medicine with what the patient takes and is allergic to, ingredient by
// ingredient. allergies map the substance to the recorded reaction. What is not known is
// said last, as not checked.
func (l *List) Check(medicine string, taken []string, allergies map[string]string) []Warning {
	out := []Warning{}
	own, strange := l.ingredients(medicine)
	var unchecked []string // against what it could not be held
	for _, s := range slices.Sorted(maps.Keys(allergies)) {
		if s == "" {
			continue
		}
		reaction := allergies[s]
		if reaction == "" {
			reaction = "reaction not recorded"
		}
		w, known := l.allergy(medicine, own, strange, s, reaction)
		out = append(out, w...)
		if !known && len(w) == 0 {
			unchecked = append(unchecked, "the allergy to "+s)
		}
	}
	for _, t := range taken {
		others, _ := l.ingredients(t)
		same := strings.EqualFold(strings.TrimSpace(t), strings.TrimSpace(medicine))
		for _, a := range own {
			same = same || slices.ContainsFunc(others, func(b ingredient) bool { return a.name == b.name })
		}
		if same {
			out = append(out, Warning{Says: "Already on the list: " + t, Why: "the same medicine twice"})
			continue
		}
		out = append(out, l.between(own, others, t)...)
		if len(others) == 0 {
			unchecked = append(unchecked, t)
		}
	}
	switch {
	case len(own) == 0:
		out = append(out, Warning{Unknown: true, Says: "Not checked", Why: "this medicine is not in our list; nothing is known here of its allergies, interactions and limits"})
	case len(strange) > 0:
		out = append(out, Warning{Unknown: true, Says: "Not checked", Why: strings.Join(strange, " ") + " is not in our list"})
	}
	if len(unchecked) > 0 && len(own) > 0 {
		out = append(out, Warning{Unknown: true, Says: "Not checked against " + strings.Join(unchecked, ", "), Why: "our list does not know what that is"})
	}
	return out
}

// allergy holds a medicine against one recorded allergy; known says whether the list knows
// what the allergy is to.
func (l *List) allergy(medicine string, own []ingredient, strange []string, substance, reaction string) (out []Warning, known bool) {
	lower := strings.ToLower(substance)
	others, _ := l.ingredients(substance)
	var classes []string
	for _, o := range others {
		known = true
		classes = append(classes, o.class...)
		if slices.ContainsFunc(own, func(i ingredient) bool { return i.name == o.name }) {
			return []Warning{{Serious: true, Says: "Recorded allergy: " + substance, Why: reaction}}, true
		}
	}
	for _, w := range strange { // an ingredient that only the allergy names too
		if saysWord(lower, w) {
			return []Warning{{Serious: true, Says: "Recorded allergy: " + substance, Why: reaction}}, true
		}
	}
	for _, a := range l.Allergies {
		if saysWord(lower, a.Word) {
			known = true
			classes = append(classes, a.Class)
		}
	}
	for _, o := range l.Other {
		known = known || saysWord(lower, o)
	}
	for _, i := range own {
		for _, c := range classes {
			if slices.Contains(i.class, c) {
				return []Warning{{Serious: true, Says: "Recorded allergy: " + substance, Why: fmt.Sprintf("%s; %s is of the class %s", reaction, i.name, c)}}, true
			}
		}
	}
	return nil, known
}

// between says what speaks against the ingredients of two medicines together, each reason once.
func (l *List) between(own, others []ingredient, with string) (out []Warning) {
	say := func(why string) {
		w := Warning{Says: "With " + with, Why: why}
		if !slices.Contains(out, w) {
			out = append(out, w)
		}
	}
	for _, a := range own {
		for _, b := range others {
			if a.class[0] == b.class[0] && !usual[a.class[0]] {
				say("both are of the class " + a.class[0])
			}
			for _, i := range l.Interactions {
				if slices.Contains(a.class, i.A) && slices.Contains(b.class, i.B) || slices.Contains(a.class, i.B) && slices.Contains(b.class, i.A) {
					say(i.Why)
				}
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
	found, _ := l.ingredients(medicine)
	out := []Warning{}
	for _, i := range found {
		lowest := 0
		var w Warning
		for _, k := range l.Kidney {
			if (strings.EqualFold(k.For, i.name) || slices.Contains(i.class, k.For)) && rate < float64(k.Below) && (lowest == 0 || k.Below < lowest) {
				lowest, w = k.Below, Warning{Says: "With a filtration rate of " + said, Why: k.Why}
			}
		}
		if lowest > 0 && !slices.Contains(out, w) {
			out = append(out, w)
		}
	}
	return out
}
