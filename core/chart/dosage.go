package chart

import (
	"cmp"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
)

// Dosage is how a medicine is taken, read from what somebody typed. The zero value is a dose
// that was not read: it stands as it was typed and nothing is computed from it.
type Dosage struct {
	Amount   string  `json:"amount" doc:"A number with a leading zero, or two with a hyphen; empty for none"`
	Unit     string  `json:"unit" doc:"mg, mcg, g, mL, unit, mEq, or tablet, capsule, puff, spray, drop, patch, suppository…"`
	Strength string  `json:"strength" doc:"Of one tablet or measure, where it was typed too: 20 mg, 250 mg/5 mL"`
	Route    string  `json:"route" doc:"By mouth, under the tongue…; empty where it was not said"`
	Where    string  `json:"where,omitempty" doc:"The side or place within the route, as it was said: in the left eye; empty where it was not"`
	How      string  `json:"how,omitempty" doc:"What is done with it, where that was said: chew, dissolve, swallow, apply a thin layer"`
	Often    string  `json:"often"`
	Most     float64 `json:"most" doc:"How often a day at most; 0 for not known"`
	AsNeeded bool    `json:"asNeeded"`
	For      string  `json:"for" doc:"For what, as it was typed"`
	When     string  `json:"when" doc:"With meals, before food…"`
	Until    string  `json:"until" doc:"For how long, or until what"`
}

// Read says whether the dose was understood.
func (d Dosage) Read() bool { return d.Often != "" || d.AsNeeded }

// Says is the dose as people read it.
func (d Dosage) Says() string {
	var out []string
	if d.Amount != "" {
		unit := d.Unit
		if plural[unit] && d.Amount != "1" && d.Amount != "0.5" && d.Amount != "0.25" {
			unit = many(unit)
		}
		out = append(out, d.Amount+" "+unit)
	}
	switch {
	case d.Strength != "" && d.Amount != "" && d.Amount != "1" && !strings.ContainsAny(d.Strength, "/%"):
		out = append(out, "of "+d.Strength) // in brackets it could be so much in all
	case d.Strength != "" && d.Amount != "":
		out = append(out, "("+d.Strength+")")
	case d.Strength != "":
		out = append(out, d.Strength)
	}
	for _, w := range []string{cmp.Or(d.Where, d.Route), d.Often} {
		if w != "" {
			out = append(out, w)
		}
	}
	if d.When != "" {
		out = append(out, d.When)
	}
	if d.AsNeeded {
		out = append(out, "as needed")
	}
	if d.For != "" {
		out = append(out, "for "+d.For)
	}
	switch {
	case strings.HasPrefix(d.Until, "until "):
		out = append(out, d.Until)
	case d.Until != "":
		out = append(out, "for "+d.Until)
	}
	return strings.Join(out, " ")
}

var plural = map[string]bool{"unit": true, "tablet": true, "capsule": true, "puff": true, "spray": true, "drop": true, "patch": true,
	"suppository": true, "application": true, "packet": true, "scoop": true, "lozenge": true, "piece": true, "inhalation": true, "vial": true,
	"teaspoon": true, "tablespoon": true, "ring": true, "implant": true, "pump": true, "gram": true, "film": true, "injection": true}

func many(unit string) string {
	switch {
	case strings.HasSuffix(unit, "ch"):
		return unit + "es"
	case strings.HasSuffix(unit, "ry"):
		return strings.TrimSuffix(unit, "y") + "ies"
	}
	return unit + "s"
}

// Highest is the larger number of an amount, 0 for none.
func (d Dosage) Highest() float64 {
	_, last, two := strings.Cut(d.Amount, "-")
	if !two {
		last = d.Amount
	}
	n, _ := strconv.ParseFloat(last, 64)
	return n
}

const (
	numberWord = `(?:\d+(?:\.\d+)?|\d+/\d+|half|one|two|three|four|five|six)`
	massUnit   = `mg|mcg|g|gm|meq|ml|units?`
)

var (
	writtenNumbers = map[string]string{"half": "0.5", "one": "1", "two": "2", "three": "3", "four": "4", "five": "5", "six": "6",
		"once": "1", "twice": "2"}
	doseUnits = map[string]string{"mg": "mg", "mcg": "mcg", "g": "g", "gm": "g", "meq": "mEq", "ml": "mL", "unit": "unit", "units": "unit",
		"tablet": "tablet", "tab": "tablet", "capsule": "capsule", "cap": "capsule", "puff": "puff", "spray": "spray", "drop": "drop",
		"gtt": "drop", "patch": "patch", "patche": "patch", "suppository": "suppository", "suppositorie": "suppository", "application": "application",
		"packet": "packet", "scoop": "scoop", "lozenge": "lozenge", "piece": "piece", "inhalation": "inhalation", "vial": "vial", "pump": "pump",
		"tsp": "teaspoon", "teaspoon": "teaspoon", "tbsp": "tablespoon", "tablespoon": "tablespoon", "ring": "ring", "implant": "implant",
		"pill": "tablet", "film": "film", "injection": "injection", "capful": "capful"}
	concentration = regexp.MustCompile(`\b(\d+(?:\.\d+)?(?:-\d+(?:\.\d+)?)?) ?(mg|mcg|g|units?|meq) ?/ ?(?:(\d+(?:\.\d+)?) ?)?(ml|tablet|capsule|puff|spray|patch|h|hr|24 ?h)\b`)
	amountWords   = regexp.MustCompile(`(^|[ (,])(` + numberWord + `)(?: ?(?:-|to|or) ?(` + numberWord +
		`))? ?(?:ds )?(` + massUnit + `|tablets?|tabs?|capsules?|caps?|puffs?|sprays?|drops?|gtts?|patch(?:es)?|suppositor(?:y|ies)|applications?|packets?|scoops?|lozenges?|pieces?|inhalations?|vials?|pumps?|tsp|teaspoons?|tbsp|tablespoons?|rings?|implants?|pills?|films?|injections?|capfuls?)\b`)
	andAHalf  = regexp.MustCompile(`\b(\d|one|two|three) (?:and (?:an? |one )?half|(?:and |& ?)?1/2)\b`)
	aHalf     = regexp.MustCompile(`\b(?:a half|half an?|half of an?|one half)( |-)`)
	alternate = regexp.MustCompile(`\balternate days?\b`)
	twoSteps  = regexp.MustCompile(`\bthen\b|;|\btaper|\bfollowed by\b|\bper (?:inr|protocol|sliding|scale)|\bsliding scale\b|\bas directed\b|\balternat`)
	fillers   = regexp.MustCompile(`\b(?:take|takes|apply|use|inject|inhale|instill|give|place|put|insert|chew|dissolve|swallow|the|a|an|of|to|on|in|into|and|at|total|thin|layer|small amount|affected areas?|each|per|via|route|dose|is|lungs)\b|[.,()]`)
	repeated  = regexp.MustCompile(`\((?:one|two|three|four|five|six|seven|eight|nine|ten|twelve|twenty|\d{1,2})\)`) // 3 (three) times
	inAll     = regexp.MustCompile(`\( ?(\d+(?:\.\d+)?) ?(mg|mcg|g|units?|meq) total ?\)`)                           // 2 tablets (1000 mg total)
	thousands = regexp.MustCompile(`\b(\d{1,3}),(\d{3})\b`)                                                          // 1,000 units
	blanks    = regexp.MustCompile(`\s+`)
	percent   = regexp.MustCompile(`(?:^|[ (])(\d+(?:\.\d+)?) ?%`)
	onSkin    = regexp.MustCompile(`\b(?:cream|ointment|oint|lotion|foam|shampoo)\b`)
	bothEyes  = regexp.MustCompile(`\b(?:ou|os)\b`) // beside drops only; "od" is the right eye or once a day
	ofEach    = regexp.MustCompile(` (\d+(?:\.\d+)?(?:/\d+(?:\.\d+)?)+) `)
	oneDoses  = regexp.MustCompile(`^ (?:12|24)[ -]?(?:hours?|hr) `)
	// notTaken says that a medicine is not taken, or not so: such a line is no way of taking it.
	notTaken = regexp.MustCompile(`\b(?:not|never|no longer|stopp?ed|stops|quit|held|holding|on hold|hold|discontinued|refus\w+|declin\w+|ran out|out of|off|misse[sd]|skips?|forgets|instead|doesnt|dont|isnt|wont|cant|hasnt|didnt)\b|n['’]t\b|\bd/?c'?e?d\b`)
)

// oftens are ways of saying how often, the longer first. Most is how often a day.
type often struct {
	find *regexp.Regexp
	says func(m []string) (string, float64)
}

func fixed(says string, most float64) func([]string) (string, float64) {
	return func([]string) (string, float64) { return says, most }
}

var inDay = map[string]float64{"minute": 1440, "min": 1440, "hour": 24, "hr": 24, "h": 24, "day": 1, "d": 1, "week": 1. / 7, "wk": 1. / 7, "month": 1. / 30, "mo": 1. / 30, "year": 1. / 365}

var spanNames = map[string]string{"min": "minute", "hr": "hour", "h": "hour", "d": "day", "wk": "week", "mo": "month"}

func counted(n string) string {
	if w, ok := writtenNumbers[n]; ok {
		return w
	}
	return n
}

func timesADay(n, span string) (string, float64) {
	f, err := strconv.ParseFloat(counted(n), 64)
	if err != nil || f <= 0 {
		return "", 0
	}
	words := map[string]string{"1": "once", "2": "twice", "3": "three times", "4": "four times", "5": "five times", "6": "six times"}[counted(n)]
	if words == "" {
		words = counted(n) + " times"
	}
	if full, short := spanNames[span]; short {
		span = full
	}
	return words + " a " + span, f * inDay[span]
}

func everySpan(m []string) (string, float64) { // least, most, span
	least, most, span := counted(m[1]), counted(m[2]), strings.TrimSuffix(m[3], "s")
	if full, short := spanNames[span]; short {
		span = full
	}
	f, err := strconv.ParseFloat(least, 64)
	if err != nil || f <= 0 {
		return "", 0
	}
	if most != "" {
		return fmt.Sprintf("every %s to %s %ss", least, most, span), inDay[span] / f
	}
	if least == "1" {
		return "every " + span, inDay[span]
	}
	return fmt.Sprintf("every %s %ss", least, span), inDay[span] / f
}

var oftens = []often{
	{regexp.MustCompile(`\bevery (` + numberWord + `)(?: ?(?:-|to) ?(` + numberWord + `))? ?(minutes?|mins?|hours?|hrs?|h|days?|weeks?|months?)\b`), everySpan},
	{regexp.MustCompile(`\bq ?(\d+)(?: ?- ?(\d+))? ?(min|h|hr|hrs|hours?|d|days?|wk|weeks?|mo|months?)\b`), everySpan},
	{regexp.MustCompile(`\bevery other day\b|\bevery second day\b|\b(?:on |every )?alternate days?\b`), fixed("every other day", 0.5)},
	{regexp.MustCompile(`\bevery third day\b`), fixed("every 3 days", 1./3)},
	{regexp.MustCompile(`\bup to (` + numberWord + `|once|twice) ?(?:x|times?)? ?(?:a|per|/|each|every) ?(day|week|month|wk|d)\b`), func(m []string) (string, float64) {
		says, most := timesADay(m[1], m[2])
		if says == "" {
			return "", 0
		}
		return "up to " + says, most
	}},
	{regexp.MustCompile(`\bevery other week\b`), fixed("every 2 weeks", 1./14)},
	{regexp.MustCompile(`\b(` + numberWord + `|once|twice) ?(?:x|times?)? ?(?:a|per|/|each|every) ?(day|week|month|year|wk|d)\b`), func(m []string) (string, float64) {
		return timesADay(m[1], m[2])
	}},
	{regexp.MustCompile(`\b(` + numberWord + `|once|twice) ?(?:x|times?) ?(daily|weekly|monthly)\b`), func(m []string) (string, float64) {
		return timesADay(m[1], map[string]string{"daily": "day", "weekly": "week", "monthly": "month"}[m[2]])
	}},
	{regexp.MustCompile(`\b(once|twice) (daily|weekly|monthly|nightly)\b`), func(m []string) (string, float64) {
		return timesADay(m[1], map[string]string{"daily": "day", "weekly": "week", "monthly": "month", "nightly": "day"}[m[2]])
	}},
	{regexp.MustCompile(`\b(?:b\.?i\.?d)\b\.?`), fixed("twice a day", 2)},
	{regexp.MustCompile(`\b(?:t\.?i\.?d)\b\.?`), fixed("three times a day", 3)},
	{regexp.MustCompile(`\b(?:q\.?i\.?d)\b\.?`), fixed("four times a day", 4)},
	{regexp.MustCompile(`\b(?:m[ ,/]?w[ ,/]?f)\b|\bmon(?:day)?s?,? ?wed(?:nesday)?s?,? ?(?:and )?fri(?:day)?s?\b`), fixed("Monday, Wednesday, Friday", 3./7)},
	{regexp.MustCompile(`\bevery (?:mon|tues|wednes|thurs|fri|satur|sun)day\b|\bon (?:mon|tues|wednes|thurs|fri|satur|sun)days?\b`), fixed("once a week", 1./7)},
	{regexp.MustCompile(`\bevery day\b|\bdaily\b|\beach day\b|\ba day\b|\bper day\b`), fixed("once a day", 1)},
	{regexp.MustCompile(`\bweekly\b|\bevery week\b|\ba week\b|\bq ?(?:wk|week)\b|/ ?(?:wk|week)\b`), fixed("once a week", 1./7)},
	{regexp.MustCompile(`\bmonthly\b|\bevery month\b|\bq ?(?:mo|month)\b`), fixed("once a month", 1./30)},
	{regexp.MustCompile(`\bonce\b|\bone time\b|\bsingle dose\b`), fixed("once", 1)},
}

// hours are times of the day, which say once a day by themselves.
var hours = []often{
	{regexp.MustCompile(`\b(?:at|every|each) bedtime\b|\bnightly\b|\bevery night\b|\bat night\b|\bhs\b|\bbefore bed\b|\bat bed ?time\b`), fixed("at bedtime", 1)},
	{regexp.MustCompile(`\b(?:every|each|in the) (?:morning|am)\b|\bq ?am\b|\bmornings\b`), fixed("in the morning", 1)},
	{regexp.MustCompile(`\bwith breakfast\b`), fixed("with breakfast", 1)},
	{regexp.MustCompile(`\b(?:every|each|in the) (?:evening|pm)\b|\bq ?pm\b`), fixed("in the evening", 1)},
	{regexp.MustCompile(`\bwith (?:supper|dinner)\b`), fixed("with the evening meal", 1)},
	{regexp.MustCompile(`\bat noon\b`), fixed("at noon", 1)},
	{regexp.MustCompile(`\bwith lunch\b`), fixed("with lunch", 1)},
}

// mealOf is the time of the day that a meal stands for.
var mealOf = map[string]string{"with breakfast": "in the morning", "with the evening meal": "in the evening", "with lunch": "at noon"}

// MostOnSkin is how many grams are put on the skin at once at most; what is beyond it is likelier
// the tube. A careful reading of ours.
const MostOnSkin = 8

var routes = []struct {
	find *regexp.Regexp
	say  string
}{
	{regexp.MustCompile(`\bby mouth\b|\bp\.?o\b\.?|\borally\b|\boral\b`), "by mouth"},
	{regexp.MustCompile(`\bsublingual(?:ly)?\b|\bsl\b|\bunder the tongue\b`), "under the tongue"},
	{regexp.MustCompile(`\bsubcutaneous(?:ly)?\b|\bsub ?q\b|\bsq\b|\bsubcut\b|\bsc\b|\b(?:under|into) the skin\b`), "under the skin"},
	{regexp.MustCompile(`\bintramuscular(?:ly)?\b|\bim\b`), "into the muscle"},
	{regexp.MustCompile(`\bintravenous(?:ly)?\b|\biv\b|\bby vein\b`), "by vein"},
	{regexp.MustCompile(`\b(?:each|per|both|one|left|right|in the) (?:nostrils?|nose)\b|\bnasal(?:ly)?\b|\bintranasal(?:ly)?\b|\bnostrils?\b`), "in the nose"},
	{regexp.MustCompile(`\b(?:(?:each|both|left|right|affected|in the|right and left) )+eyes?\b|\bophthalmic\b|\bin eyes?\b|\beyes?\b`), "in the eye"},
	{regexp.MustCompile(`\b(?:(?:each|both|left|right|affected|in the) )+ears?\b|\botic\b|\bears?\b`), "in the ear"},
	{regexp.MustCompile(`\brectal(?:ly)?\b|\bper rectum\b|\bpr\b`), "rectal"},
	{regexp.MustCompile(`\bvaginal(?:ly)?\b`), "vaginal"},
	{regexp.MustCompile(`\binhaled\b|\bby inhalation\b|\b(?:via )?neb(?:ulizer)?s?\b|\bnebulized\b|\binhale\b`), "inhaled"},
	{regexp.MustCompile(`\btopical(?:ly)?\b|\b(?:to|on) (?:the )?(?:affected (?:areas?|skin)|skin|rash|scalp|face|area)\b|\bto affected areas?\b`), "on the skin"},
}

// handling is what is done with a medicine beyond taking it.
var handling = regexp.MustCompile(`\b(chew|dissolve|swallow)\b|\b(thin layer|small amount)\b`)

var sides = regexp.MustCompile(`each|per|both|one|left|right|affected`)

// place says where within a route, in the words of who typed it; "" where they said no more
// than the route.
func place(route, said string) string {
	said = strings.TrimSpace(said)
	site := map[string]string{"in the nose": "nostril", "in the eye": "eye", "in the ear": "ear"}[route]
	switch {
	case site != "":
		if strings.Contains(said, "nose") {
			return ""
		}
		switch side := strings.Join(sides.FindAllString(said, -1), " "); side {
		case "":
			return ""
		case "both", "right left", "left right":
			return "in both " + site + "s"
		case "each", "per":
			return "in each " + site
		case "one":
			return "in one " + site
		case "left", "right", "affected":
			return "in the " + side + " " + site
		default:
			return "in " + said
		}
	case route == "on the skin":
		for _, w := range []string{"affected areas", "affected area", "affected skin", "rash", "scalp", "face", "area"} {
			if strings.HasSuffix(said, w) {
				return "on the " + w
			}
		}
	case route == "inhaled" && strings.Contains(said, "neb"):
		return "by nebulizer"
	}
	return ""
}

var (
	lasting  = regexp.MustCompile(`\b(?:for|x) ?(\d+|one|two|three|four|five|six) ?(d|days?|weeks?|wks?|months?|mo|doses?)\b`)
	days     = regexp.MustCompile(`\b(\d+) ?(d|days?|weeks?|wks?)\b`)
	untilIt  = regexp.MustCompile(`\buntil ([\w /-]+)`)
	needed   = regexp.MustCompile(`\b(?:as needed|prn|if needed|when needed)\b(?:[ ,]+(?:for )?([a-z][a-z /-]*))?`)
	forWhat  = regexp.MustCompile(`\bfor ([a-z][a-z /-]*)$`)
	withFood = regexp.MustCompile(`\b(with|before|after|between|without) (?:each |every )?(meals?|food|eating|breakfast|lunch|supper|dinner)\b|\bon an empty stomach\b|\bac\b|\bwc\b|\bwith (?:a full glass of )?water\b`)
)

// span is how long, of a number and a word as somebody typed them.
func span(m []string) string {
	word := m[1]
	for short, full := range map[string]string{"d": "days", "day": "days", "wk": "weeks", "wks": "weeks", "week": "weeks", "mo": "months", "month": "months", "dose": "doses"} {
		if word == short {
			word = full
			break
		}
	}
	if counted(m[0]) == "1" {
		word = strings.TrimSuffix(word, "s")
	}
	return counted(m[0]) + " " + word
}

// ReadDosage reads how a medicine is taken. unread is what was not understood; the dose is
// then the zero value, and the text stands as it was typed. "10 daily" is not read: ten of
// what?
func ReadDosage(text string) (d Dosage, unread string) {
	safe, err := SafeDose(text)
	if err != nil {
		return Dosage{}, text
	}
	s := " " + strings.ToLower(strings.NewReplacer("½", "1/2", "¼", "1/4", "–", "-").Replace(safe)) + " "
	s = thousands.ReplaceAllString(blanks.ReplaceAllString(s, " "), "$1$2")
	if strings.TrimSpace(s) == "" {
		return Dosage{}, ""
	}
	s = oneDoses.ReplaceAllString(strings.ReplaceAll(s, " w/ ", " with "), " ")
	s = andAHalf.ReplaceAllStringFunc(s, func(m string) string { return counted(strings.Fields(m)[0]) + ".5" })
	s = aHalf.ReplaceAllString(s, "half$1")
	if twoSteps.MatchString(alternate.ReplaceAllString(s, "every other day")) || notTaken.MatchString(s) {
		return Dosage{}, strings.TrimSpace(safe)
	}
	s = blanks.ReplaceAllString(repeated.ReplaceAllString(s, " "), " ")
	// How often, and until when, say where the directions end: an amount behind them is what is
	// handed out ("500 mg bid for 10 days 20 caps"), and never a dose.
	often, ends := len(s), len(s)
	take := func(m []int) { s = s[:m[0]] + " " + strings.Repeat(" ", m[1]-m[0]-1) + s[m[1]:] }
	groups := func(m []int) []string {
		out := make([]string, len(m)/2)
		for i := range out {
			if m[2*i] >= 0 {
				out[i] = s[m[2*i]:m[2*i+1]]
			}
		}
		return out
	}
	if m := untilIt.FindStringSubmatchIndex(s); m != nil {
		d.Until = "until " + strings.TrimSpace(groups(m)[1])
		take(m)
	} else if m := lasting.FindStringSubmatchIndex(s); m != nil {
		d.Until, ends = span(groups(m)[1:]), m[1]
		take(m)
	}
	twice := ""
	for _, o := range hours {
		if m := o.find.FindStringSubmatchIndex(s); m != nil {
			says, _ := o.says(nil)
			if d.Often != "" && d.Often == mealOf[says] {
				continue // "every morning with breakfast": the meal says no other time
			}
			if d.Often != "" {
				twice = d.Often
			}
			d.Often, d.Most = o.says(groups(m))
			often = min(often, m[0])
			take(m)
		}
	}
	hour := d.Often
	for range 2 {
		for _, o := range oftens {
			m := o.find.FindStringSubmatchIndex(s)
			if m == nil {
				continue
			}
			says, most := o.says(groups(m))
			if says == "" {
				return Dosage{}, strings.TrimSpace(safe)
			}
			often = min(often, m[0])
			take(m)
			switch {
			case d.Often == "":
				d.Often, d.Most = says, most
			case hour != "" && d.Often == hour && most == 1: // "once daily in the morning"
			case hour != "" && d.Often == hour && most < 1: // "once a week at bedtime"
				d.Often, d.Most = says+" "+hour, most
			default:
				twice = says
			}
			break
		}
	}
	if twice != "" {
		return Dosage{}, strings.TrimSpace(safe)
	}
	// Behind how often, a number of days is how long, also where nobody wrote "for".
	if m := days.FindStringSubmatchIndex(s); m != nil && d.Until == "" && m[0] > often {
		d.Until, ends = span(groups(m)[1:]), m[1]
		take(m)
	}
	if m := needed.FindStringSubmatchIndex(s); m != nil {
		d.AsNeeded, d.For = true, strings.TrimSpace(groups(m)[1])
		often = min(often, m[0])
		take(m)
	}
	if m := withFood.FindStringIndex(s); m != nil {
		d.When = strings.TrimSpace(s[m[0]:m[1]])
		switch d.When {
		case "ac":
			d.When = "before meals"
		case "wc":
			d.When = "with meals"
		}
		take(m)
	}
	for _, r := range routes {
		if m := r.find.FindStringIndex(s); m != nil {
			if d.Route != "" && d.Route != r.say {
				return Dosage{}, strings.TrimSpace(safe)
			}
			d.Route, d.Where = r.say, place(r.say, s[m[0]:m[1]])
			take(m)
		}
	}
	if m := handling.FindStringSubmatch(s); m != nil {
		d.How = cmp.Or(m[1], "apply a "+m[2])
	}
	total, totalUnit := "", ""
	if m := inAll.FindStringSubmatchIndex(s); m != nil {
		total, totalUnit = groups(m)[1], doseUnits[groups(m)[2]]
		take(m)
	}
	if m := concentration.FindStringSubmatchIndex(s); m != nil {
		g := groups(m)
		d.Strength = g[1] + " " + doseUnits[g[2]] + "/" + strings.TrimSpace(g[3]+" "+strings.Replace(g[4], "ml", "mL", 1))
		take(m)
	}
	if m := percent.FindStringSubmatchIndex(s); m != nil && d.Strength == "" {
		d.Strength = groups(m)[1] + "%"
		take(m)
	}
	if m := onSkin.FindStringIndex(s); m != nil && (d.Route == "" || d.Route == "on the skin") {
		d.Route = "on the skin"
		take(m)
	}
	type amount struct {
		n, unit  string
		from, to int
	}
	var amounts []amount
	behind := false
	for range 3 {
		m := amountWords.FindStringSubmatchIndex(s)
		if m == nil {
			break
		}
		g := groups(m)
		n, ok := wholeAmount(g[2], g[3])
		if !ok {
			return Dosage{}, strings.TrimSpace(safe)
		}
		unit := cmp.Or(doseUnits[g[4]], doseUnits[strings.TrimSuffix(g[4], "s")])
		behind = behind || m[4] > often && (m[4] > ends || len(amounts) > 0)
		amounts = append(amounts, amount{n, unit, m[4], m[1]})
		take([]int{m[4], m[1]})
	}
	// "2 tablets (200 mg)" and "200 mg (2 tablets)" can mean so much each or so much in all: only a word, or one piece, says which.
	eachOrInAll := func(mass, pieces amount) bool {
		between := s[min(mass.to, pieces.to):max(mass.from, pieces.from)]
		said := strings.Contains(between, " of ")
		if mass.from < pieces.from {
			said = !strings.ContainsAny(between, "()")
		}
		return !said && pieces.n != "1"
	}
	mass := func(u string) bool { return u == "mg" || u == "mcg" || u == "g" || u == "unit" || u == "mEq" }
	switch {
	case behind:
		return Dosage{}, strings.TrimSpace(safe)
	case len(amounts) == 1:
		d.Amount, d.Unit = amounts[0].n, amounts[0].unit
	case len(amounts) == 2 && mass(amounts[0].unit) && !mass(amounts[1].unit):
		if eachOrInAll(amounts[0], amounts[1]) {
			return Dosage{}, strings.TrimSpace(safe)
		}
		d.Amount, d.Unit, d.Strength = amounts[1].n, amounts[1].unit, amounts[0].n+" "+amounts[0].unit
	case len(amounts) == 2 && mass(amounts[1].unit) && !mass(amounts[0].unit):
		if eachOrInAll(amounts[1], amounts[0]) {
			return Dosage{}, strings.TrimSpace(safe)
		}
		d.Amount, d.Unit, d.Strength = amounts[0].n, amounts[0].unit, amounts[1].n+" "+amounts[1].unit
	case len(amounts) > 1:
		return Dosage{}, strings.TrimSpace(safe)
	}
	if m := bothEyes.FindStringIndex(s); m != nil && d.Unit == "drop" && d.Route == "" {
		d.Route, d.Where = "in the eye", map[string]string{"ou": "in both eyes", "os": "in the left eye"}[s[m[0]:m[1]]]
		take(m)
	}
	if m := ofEach.FindStringSubmatchIndex(s); m != nil && d.Strength == "" && mostAtOnce[d.Unit].most > 0 {
		if _, fraction := wholeAmount(groups(m)[1], ""); !fraction { // "160/4.5 2 puffs": so much of each, in a unit nobody wrote
			d.Strength = groups(m)[1]
			take(m)
		}
	}
	if strings.HasSuffix(d.Strength, "%") && mass(d.Unit) && d.Unit != "g" {
		return Dosage{}, strings.TrimSpace(safe)
	}
	if d.Unit == "g" && d.Highest() > MostOnSkin && (d.Route == "on the skin" || strings.Contains(s, " apply ")) {
		return Dosage{}, strings.TrimSpace(safe)
	}
	if !d.countable() {
		return Dosage{}, strings.TrimSpace(safe)
	}
	if total != "" {
		// What is given in all says what one is, where how many is one number.
		n, err := strconv.ParseFloat(total, 64)
		if err != nil || len(amounts) != 1 || mass(d.Unit) || d.Highest() <= 0 || d.Strength != "" {
			return Dosage{}, strings.TrimSpace(safe)
		}
		if !strings.Contains(d.Amount, "-") {
			d.Strength = strconv.FormatFloat(n/d.Highest(), 'f', -1, 64) + " " + totalUnit
		}
	}
	switch {
	case d.Route != "":
	case d.Unit == "puff" || d.Unit == "inhalation":
		d.Route = "inhaled"
	case d.Unit == "patch":
		d.Route = "on the skin"
	}
	if m := forWhat.FindStringSubmatchIndex(strings.TrimRight(s, " .")); m != nil && d.For == "" {
		s = strings.TrimRight(s, " .")
		d.For = strings.TrimSpace(groups(m)[1])
		take(m)
	}
	rest := strings.TrimSpace(blanks.ReplaceAllString(fillers.ReplaceAllString(s, " "), " "))
	for _, form := range []string{"tablets", "tablet", "tabs", "tab", "capsules", "capsule", "caps", "cap", "patch"} { // "10 mg tablet daily"
		if rest == form {
			rest = ""
		}
	}
	if rest != "" || !d.Read() || d.Amount == "" && d.Route != "on the skin" && (!d.AsNeeded || d.Strength != "") {
		return Dosage{}, strings.TrimSpace(safe)
	}
	return d, ""
}

// mostAtOnce is how many of something are taken at once at most, where more is likelier its strength
// ("lisinopril 10 tab", "estradiol 0.05 patch"); known is for where the strength stands beside it.
// A careful reading of ours: what is beyond it stands as it was typed.
var mostAtOnce = map[string]struct{ most, known, step float64 }{
	"tablet": {4, 20, 0.25}, "capsule": {4, 20, 1}, "patch": {3, 3, 1}, "ring": {1, 1, 1}, "implant": {4, 4, 1},
	"puff": {10, 10, 1}, "inhalation": {6, 6, 1}, "spray": {6, 6, 1}, "drop": {40, 40, 1}, "suppository": {2, 4, 1},
	"film": {4, 4, 0.5}, "lozenge": {2, 2, 1}, "piece": {2, 2, 1}, "injection": {3, 3, 1}, "pump": {8, 8, 1},
}

// countable says whether so many can be taken at once.
func (d Dosage) countable() bool {
	at, counted := mostAtOnce[d.Unit]
	if !counted {
		return true
	}
	most := at.most
	if d.Strength != "" {
		most = at.known
	}
	for n := range strings.SplitSeq(d.Amount, "-") {
		f, err := strconv.ParseFloat(n, 64)
		if err != nil || f > most || math.Mod(f, at.step) != 0 {
			return false
		}
	}
	return true
}

// wholeAmount reads an amount, or two; ok is false where it is none.
func wholeAmount(a, b string) (string, bool) {
	one := func(s string) (string, bool) {
		s = counted(s)
		if up, down, frac := strings.Cut(s, "/"); frac {
			n, err1 := strconv.Atoi(up)
			m, err2 := strconv.Atoi(down)
			if err1 != nil || err2 != nil || n <= 0 || n >= m || m > 4 { // "800/160 mg" is no fraction
				return "", false
			}
			s = strconv.FormatFloat(float64(n)/float64(m), 'f', -1, 64)
			if len(s) > 5 {
				return "", false // a third of a tablet is not written as a number
			}
		}
		f, err := strconv.ParseFloat(s, 64)
		return strconv.FormatFloat(f, 'f', -1, 64), err == nil && f > 0
	}
	least, ok := one(a)
	if !ok || b == "" {
		return least, ok
	}
	most, ok := one(b)
	l, _ := strconv.ParseFloat(least, 64)
	m, _ := strconv.ParseFloat(most, 64)
	return least + "-" + most, ok && l < m
}

var bareNumber = regexp.MustCompile(`^(?:take )?` + numberWord + `(?:\s|$)`)

// WithoutUnit says whether a dose begins with a number of nobody knows what: "10 daily", or "10 tab daily",
// where ten are not taken at once.
func WithoutUnit(dose string) bool {
	s := " " + strings.ToLower(strings.TrimSpace(dose))
	if concentration.MatchString(s) {
		return false
	}
	if m := amountWords.FindStringSubmatch(s); m != nil {
		n, ok := wholeAmount(m[2], m[3])
		d := Dosage{Amount: n, Unit: cmp.Or(doseUnits[m[4]], doseUnits[strings.TrimSuffix(m[4], "s")])}
		return ok && len(amountWords.FindAllString(s, 2)) == 1 && !d.countable()
	}
	return bareNumber.MatchString(s[1:])
}
