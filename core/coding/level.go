package coding

import (
	"fmt"
	"strings"
)

// Weight is how much an element of decision making weighs, from nothing to high.
type Weight int

// The weights, in the order of the published table.
const (
	None Weight = iota
	Straightforward
	Low
	Moderate
	High
)

func (w Weight) String() string {
	return [...]string{"nothing documented", "straightforward", "low", "moderate", "high"}[w]
}

// ProblemKind is what a problem addressed at a visit is, in the words of the
// guidelines for office visits (2021, with the changes of 2023).
type ProblemKind string

// The kinds of problem.
const (
	Minor         ProblemKind = "minor"         // self-limited or minor
	StableChronic ProblemKind = "stable"        // stable chronic illness: at its treatment goal
	AcuteSimple   ProblemKind = "acute"         // acute, uncomplicated illness or injury
	StableAcute   ProblemKind = "stable acute"  // stable, acute illness
	ChronicWorse  ProblemKind = "worse"         // chronic illness with exacerbation, progression or side effects of treatment
	Undiagnosed   ProblemKind = "undiagnosed"   // undiagnosed new problem with uncertain prognosis
	AcuteSystemic ProblemKind = "systemic"      // acute illness with systemic symptoms
	AcuteComplex  ProblemKind = "complicated"   // acute, complicated injury
	ChronicSevere ProblemKind = "severe"        // chronic illness with severe exacerbation, progression or side effects
	Threat        ProblemKind = "threat"        // threat to life or bodily function
	Unrated       ProblemKind = "not rated yet" // addressed, but nobody said what it is
)

// problemWords say each kind, and what it weighs by itself.
var problemWords = map[ProblemKind]struct {
	words  string
	weight Weight
}{
	Minor: {"self-limited or minor problem", Straightforward}, StableChronic: {"stable chronic illness", Low},
	AcuteSimple:  {"acute, uncomplicated illness or injury", Low},
	StableAcute:  {"stable, acute illness", Low},
	ChronicWorse: {"chronic illness with exacerbation, progression or side effects of treatment", Moderate},
	Undiagnosed:  {"undiagnosed new problem with uncertain prognosis", Moderate}, AcuteSystemic: {"acute illness with systemic symptoms",
		Moderate}, AcuteComplex: {"acute, complicated injury", Moderate},
	ChronicSevere: {"chronic illness with severe exacerbation, progression or side effects of treatment", High},
	Threat:        {"threat to life or bodily function", High},
	Unrated:       {"not rated yet", None},
}

// ProblemKinds are the kinds to choose from, lightest first, with their words.
func ProblemKinds() (kinds []ProblemKind, words []string) {
	for _, k := range []ProblemKind{Minor, StableChronic, AcuteSimple, StableAcute, ChronicWorse, Undiagnosed, AcuteSystemic, AcuteComplex,
		ChronicSevere, Threat} {
		kinds, words = append(kinds, k), append(words, problemWords[k].words)
	}
	return kinds, words
}

// Addressed is a problem addressed at the visit.
type Addressed struct {
	Code string      `json:"code"`
	Kind ProblemKind `json:"kind"`
}

// RiskKind is what the management of the visit risks.
type RiskKind string

// Risks are the kinds of risk with examples of the guidelines, lightest first.
var Risks = []struct {
	Kind   RiskKind
	Words  string
	Weight Weight
}{
	{"minimal", "minimal risk of further testing or treatment", Straightforward},
	{"low", "low risk of further testing or treatment", Low},
	{"prescription", "prescription drug management", Moderate},
	{"minor surgery", "decision on minor surgery with risk factors", Moderate},
	{"major surgery", "decision on elective major surgery without risk factors", Moderate},
	{"social", "diagnosis or treatment limited by social determinants of health", Moderate},
	{"toxicity", "drug therapy requiring intensive monitoring for toxicity", High},
	{"major surgery with risk", "decision on elective major surgery with risk factors", High},
	{"emergency surgery", "decision on emergency major surgery", High},
	{"hospital", "decision on hospitalization or escalation of care", High},
	{"not to resuscitate", "decision not to resuscitate or to de-escalate care because of poor prognosis", High},
	{"parenteral", "parenteral controlled substances", High},
}

// Facts are what a note documents towards the level of an office visit.
type Facts struct {
	New            bool        `json:"new"` // new to the practice: nobody of it saw the patient in three years
	Problems       []Addressed `json:"problems"`
	ExternalNotes  int         `json:"externalNotes"` // prior notes reviewed, of each unique source outside
	Results        int         `json:"results"`       // results reviewed, of each unique test not ordered at this visit
	Orders         int         `json:"orders"`        // tests ordered, each unique one; its review is counted with the order
	Historian      bool        `json:"historian"`     // an independent historian was needed
	Interpretation bool        `json:"interpretation"`
	Discussion     bool        `json:"discussion"` // with an external physician or other source
	Risk           RiskKind    `json:"risk"`
	Minutes        int         `json:"minutes"` // total time on the day of the visit; 0 when not recorded
}

// Element is one of the three elements of decision making, with how it was weighed.
type Element struct {
	Name   string `json:"name"`
	Weight string `json:"weight"`
	Why    string `json:"why"`
	weight Weight
}

// Level is the level of an office visit that a note supports.
type Level struct {
	Code     string    `json:"code"` // the licensed number of the visit; "" while nothing supports one
	By       string    `json:"by" enum:"decision making,time,"`
	Says     string    `json:"says"`
	Elements []Element `json:"elements"`
	ByTime   string    `json:"byTime" doc:"The visit that the recorded time supports"`
	ByMaking string    `json:"byMaking" doc:"The visit that decision making supports"`
}

// visitNumbers are the licensed numbers of office visits; only numbers ship, with our
// own words. Minutes are the least total time on the day (2024: to be met or exceeded).
var visitNumbers = map[bool][5]struct {
	code    string
	minutes int
}{
	true:  {{}, {"99202", 15}, {"99203", 30}, {"99204", 45}, {"99205", 60}},
	false: {{}, {"99212", 10}, {"99213", 20}, {"99214", 30}, {"99215", 40}},
}

// SourceOfLevels says where the rules come from.
const SourceOfLevels = "AMA, Evaluation and Management, office or other outpatient services: guidelines of 2021 with the changes of " +
	"2023 and the times of 2024; CMS, Physician Fee Schedule Final Rules 2021 to 2024"

// VisitLevel weighs what a note documents and returns the level it supports, element
// by element. Nothing that was not documented is counted, and the level is never above
// what two of three elements, or the recorded time, reach.
func VisitLevel(f Facts) Level {
	elements := []Element{problemsElement(f.Problems), dataElement(f), riskElement(f.Risk)}
	// Two of three: the second highest.
	ws := []Weight{elements[0].weight, elements[1].weight, elements[2].weight}
	high := max(ws[0], ws[1], ws[2])
	low := min(ws[0], ws[1], ws[2])
	making := ws[0] + ws[1] + ws[2] - high - low
	if ws[0] == None {
		making = None // without a problem that somebody rated nothing is supported
	}
	numbers := visitNumbers[f.New]
	l := Level{Elements: elements, ByMaking: numbers[making].code}
	timed := None
	for w := Straightforward; w <= High; w++ {
		if f.Minutes >= numbers[w].minutes {
			timed = w
		}
	}
	l.ByTime = numbers[timed].code
	kind := "established"
	if f.New {
		kind = "new"
	}
	switch {
	case making == None && timed == None:
		l.Says = "Nothing documented yet supports a level."
	case timed > making:
		l.Code, l.By = l.ByTime, "time"
		l.Says = fmt.Sprintf("%d minutes on the day of the visit support %s (%s patient, %d minutes or more).", f.Minutes, l.Code, kind,
			numbers[timed].minutes)
	default:
		l.Code, l.By = l.ByMaking, "decision making"
		l.Says = fmt.Sprintf("Two of three elements reach %s: %s (%s patient).", making, l.Code, kind)
	}
	return l
}

func element(name string, w Weight, why string) Element { return Element{name, w.String(), why, w} }

// problemsElement weighs the number and complexity of problems addressed.
func problemsElement(ps []Addressed) Element {
	count := map[ProblemKind]int{}
	for _, p := range ps {
		count[p.Kind]++
	}
	say := func(n int, k ProblemKind) string {
		if n == 1 {
			return "one " + problemWords[k].words
		}
		return fmt.Sprintf("%d × %s", n, problemWords[k].words)
	}
	const name = "Problems addressed"
	for _, k := range []ProblemKind{ChronicSevere, Threat} {
		if count[k] > 0 {
			return element(name, High, say(count[k], k))
		}
	}
	for _, k := range []ProblemKind{ChronicWorse, Undiagnosed, AcuteSystemic, AcuteComplex} {
		if count[k] > 0 {
			return element(name, Moderate, say(count[k], k))
		}
	}
	if count[StableChronic] >= 2 {
		return element(name, Moderate, say(count[StableChronic], StableChronic))
	}
	for _, k := range []ProblemKind{StableChronic, AcuteSimple, StableAcute} {
		if count[k] > 0 {
			return element(name, Low, say(count[k], k))
		}
	}
	if count[Minor] >= 2 {
		return element(name, Low, say(count[Minor], Minor))
	}
	if count[Minor] == 1 {
		return element(name, Straightforward, say(1, Minor))
	}
	if count[Unrated] > 0 {
		return element(name, None, "say of each problem what it is")
	}
	return element(name, None, "no problem is on the list")
}

// dataElement weighs the amount and complexity of data reviewed and analyzed.
func dataElement(f Facts) Element {
	pieces := f.ExternalNotes + f.Results + f.Orders
	var parts []string
	add := func(n int, one, many string) {
		switch {
		case n == 1:
			parts = append(parts, one)
		case n > 1:
			parts = append(parts, fmt.Sprintf("%d %s", n, many))
		}
	}
	add(f.ExternalNotes, "one external note reviewed", "external notes reviewed")
	add(f.Results, "one result reviewed", "results reviewed")
	add(f.Orders, "one test ordered", "tests ordered")
	if f.Historian {
		parts = append(parts, "an independent historian")
	}
	if f.Interpretation {
		parts = append(parts, "an independent interpretation")
	}
	if f.Discussion {
		parts = append(parts, "a discussion with an external source")
	}
	historian := 0
	if f.Historian {
		historian = 1
	}
	// The categories of moderate and extensive: three of notes, results, orders and
	// historian; independent interpretation; discussion.
	categories := 0
	for _, met := range []bool{pieces+historian >= 3, f.Interpretation, f.Discussion} {
		if met {
			categories++
		}
	}
	why := strings.Join(parts, ", ")
	const name = "Data reviewed"
	switch {
	case categories >= 2:
		return element(name, High, why+": two of three categories")
	case categories == 1:
		return element(name, Moderate, why+": one of three categories")
	case pieces >= 2 || f.Historian:
		return element(name, Low, why)
	}
	if why == "" {
		why = "minimal or none"
	}
	return element(name, Straightforward, why)
}

// riskElement weighs the risk of management.
func riskElement(k RiskKind) Element {
	for _, r := range Risks {
		if r.Kind == k {
			return element("Risk of management", r.Weight, r.Words)
		}
	}
	return element("Risk of management", None, "say what the management risks")
}
