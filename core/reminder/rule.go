// Package reminder says what preventive and continuing care a person needs, by rules kept as
// data. A rule and a chart give a standing: due, overdue, coming up, in hand, satisfied, put
// off, declined, not applicable, or not known, with since when, until when, and why. What is
// not known is an answer of its own and never silently no.
//
// NewBook checks rules and sets and makes them quick; Book.Open takes a chart in; Chart.Stand
// gives the standing of a rule on a day, Chart.Why the tree of facts that decided. Time is an
// argument. docs/rules.md describes how a rule is written.
package reminder

import (
	"strconv"
	"strings"

	"deftledger/core/chart"
)

// Rule is one rule as a file holds it.
type Rule struct {
	ID         string `yaml:"id"`
	Title      string `yaml:"title"`
	Group      string `yaml:"group"`
	Version    int    `yaml:"version"`
	Maintainer string `yaml:"maintainer"`
	Reviewed   string `yaml:"reviewed"` // the day on which it was last held against its source
	Source     Source `yaml:"source"`
	About      string `yaml:"about"`    // what it asks for, in one sentence
	Closes     string `yaml:"closes"`   // "statement" or "data"
	Priority   int    `yaml:"priority"` // 1 first
	Off        bool   `yaml:"off"`      // ships switched off

	Confidential bool `yaml:"confidential"` // never named in mail

	Parameters map[string]Parameter `yaml:"parameters"`

	Applies   Cond        `yaml:"applies"`
	Excluded  []Cond      `yaml:"excluded"` // any of them
	Satisfied []Satisfier `yaml:"satisfied"`
	Series    string      `yaml:"series"` // of the immunization schedule, in the place of what fulfils it
	Season    *Season     `yaml:"season"`

	Grace    Length `yaml:"grace"`    // how long after it is due it is overdue
	Early    Length `yaml:"early"`    // how long before it is due it is coming up
	Lasts    Length `yaml:"lasts"`    // how long "done" holds where a person says it
	Declined Length `yaml:"declined"` // how long "declined" holds where nobody says

	Resolve []Resolve `yaml:"resolve"`
	Note    string    `yaml:"note"`    // what the note says when it was done
	Leaflet string    `yaml:"leaflet"` // for the patient

	Examples []Example `yaml:"examples"`
}

// Source is where a rule comes from.
type Source struct {
	Body  string `yaml:"body"`
	Title string `yaml:"title"`
	Year  int    `yaml:"year"`
	Grade string `yaml:"grade"` // as the body gives it; "" where it gives none
	Mind  string `yaml:"mind"`  // where we read it cautiously, and why
}

// Parameter is a figure that a practice may set for itself, within limits.
type Parameter struct {
	Says string `yaml:"says"`
	Is   string `yaml:"is"`
	From string `yaml:"from"`
	To   string `yaml:"to"`
}

// Season is the part of the year in which something is due, as MM-DD, the last day included.
type Season struct {
	From string `yaml:"from"`
	To   string `yaml:"to"`
}

// Cond is one condition: exactly one of its fields is given.
type Cond struct {
	All  []Cond `yaml:"all"`
	Any  []Cond `yaml:"any"`
	None []Cond `yaml:"none"` // not one of them
	Not  *Cond  `yaml:"not"`

	Age      *AgeCond     `yaml:"age"`
	Sex      string       `yaml:"sex"`   // female, male
	Organ    string       `yaml:"organ"` // cervix, uterus, ovaries, breasts, prostate
	Problem  *ProblemCond `yaml:"problem"`
	Medicine *PlainCond   `yaml:"medicine"`
	Value    *ValueCond   `yaml:"value"`
	Had      *HadCond     `yaml:"had"`
	Tobacco  *TobaccoCond `yaml:"tobacco"`
	Pregnant *bool        `yaml:"pregnant"`
	Family   *FamilyCond  `yaml:"family"`
	Answer   *AnswerCond  `yaml:"answer"`
	Visit    *VisitCond   `yaml:"visit"`
	Born     *BornCond    `yaml:"born"`

	Addressed *PlainCond `yaml:"addressed"` // a diagnosis coded at this visit
	Allergy   *PlainCond `yaml:"allergy"`   // to medicines of the sets
	Looked    string     `yaml:"looked"`    // a list somebody went through on the day
}

// AgeCond is an age to the day: from the day on which From is reached, up to the day before
// Below is.
type AgeCond struct {
	From  Length `yaml:"from"`
	Below Length `yaml:"below"`
}

// ProblemCond is an entry of the problem list of one of the sets. Ever counts ended ones, and
// what a history names; For is how long it has to be known at least.
type ProblemCond struct {
	Of   []string `yaml:"of"`
	Ever bool     `yaml:"ever"`
	For  Length   `yaml:"for"`
}

// PlainCond names sets, one of which is there.
type PlainCond struct {
	Of []string `yaml:"of"`
}

// ValueCond is a value of a quantity: the newest within a length of time, or with Any one of
// them. Where there is none it is not known, unless Missing says "no". Lowest: of several of one day the
// lowest counts, as the published measures of blood pressure have it; else all of them have to agree.
type ValueCond struct {
	Of      string `yaml:"of"`
	Is      Is     `yaml:"is"`
	Within  Length `yaml:"within"`
	Any     bool   `yaml:"any"`
	Missing string `yaml:"missing"`
	Lowest  bool   `yaml:"lowest"`
}

// HadCond is that something was done or measured, ever or within a length of time, or at or
// after an age.
type HadCond struct {
	Of     []string `yaml:"of"`
	Within Length   `yaml:"within"`
	From   Length   `yaml:"from"` // not before this age
}

// TobaccoCond is read from the social history: every field that is given has to hold.
type TobaccoCond struct {
	Status    []string `yaml:"status"`    // current, former, never
	Ever      bool     `yaml:"ever"`      // smoked at some time
	PackYears float64  `yaml:"packYears"` // at least so many
	Quit      Length   `yaml:"quit"`      // smokes, or stopped within this time
}

// FamilyCond is an entry of the family history of one of the sets, of a relative of the first
// degree where First says so.
type FamilyCond struct {
	Of    []string `yaml:"of"`
	First bool     `yaml:"first"`
}

// AnswerCond is the newest answer to a question of the rulebook.
type AnswerCond struct {
	To string `yaml:"to"`
	Is Is     `yaml:"is"`
}

// VisitCond is that the person was seen within a length of time.
type VisitCond struct {
	Within Length `yaml:"within"`
}

// BornCond is a birth from a day on, or before one; both as YYYY-MM-DD.
type BornCond struct {
	From   string `yaml:"from"`
	Before string `yaml:"before"`
}

// Satisfier is what fulfils a rule and for how long: something of a set, at or after an age
// where From is given, with a value where Is is. By result the first that fits counts, else Lasts.
type Satisfier struct {
	Of       string   `yaml:"of"`
	Is       Is       `yaml:"is"`
	From     Length   `yaml:"from"`
	Lasts    Length   `yaml:"lasts"`
	ByResult []Result `yaml:"byResult"`
	Priming  *Priming `yaml:"priming"`
}

// Priming is that below an age, until so many doses were given before a day of the year, a season needs as many: each but
// the last of them holds only for the gap to the next. With Ever those of earlier seasons count one by one.
type Priming struct {
	Below  Length `yaml:"below"`
	Doses  int    `yaml:"doses"`
	Gap    Length `yaml:"gap"`
	Before string `yaml:"before"` // MM-DD on which the seasons part
	Ever   bool   `yaml:"ever"`
}

// Result is how long something holds when it turned out so. Where FollowedBy names sets,
// nothing else fulfils the rule after such a result until one of them is there: a negative stool test
// does not undo a positive one.
type Result struct {
	Is         Is       `yaml:"is"`
	Lasts      Length   `yaml:"lasts"`
	FollowedBy []string `yaml:"followedBy"`

	followedBy []int
}

// Resolve is an act that settles a reminder. Exactly one of its fields but Says is given.
type Resolve struct {
	Says          string   `yaml:"says"`
	Test          string   `yaml:"test"` // code of a laboratory's test list
	Item          string   `yaml:"item"` // imaging or procedure of the list
	Vaccine       []string `yaml:"vaccine"`
	Questionnaire string   `yaml:"questionnaire"`
	Counsel       string   `yaml:"counsel"`
	Refer         string   `yaml:"refer"`
	Ask           string   `yaml:"ask"` // a question of the rulebook
	Diagnosis     string   `yaml:"diagnosis"`

	// FollowUp says whether it is offered while a result waits to be followed up: "also", "only" then, or "" never then.
	FollowUp string `yaml:"followUp"`
}

// Example is a small chart with the standing that the publication gives it, worked by hand.
type Example struct {
	Says  string       `yaml:"says"`
	On    string       `yaml:"on"`
	Chart ExampleChart `yaml:"chart"`
	Is    State        `yaml:"is"`
	Since string       `yaml:"since"`
	Until string       `yaml:"until"`
	Due   string       `yaml:"due"`
	Asks  string       `yaml:"asks"`
}

// ExampleChart is a chart in few words.
type ExampleChart struct {
	Born      string            `yaml:"born"`
	Sex       string            `yaml:"sex"`
	Died      string            `yaml:"died"`
	Problems  []string          `yaml:"problems"`  // "E11.9 since 2020-05"
	Medicines []string          `yaml:"medicines"` // names; "warfarin since 2026-01-01"
	Values    []string          `yaml:"values"`    // "a1c 7.2 % on 2026-05-04"
	Had       []string          `yaml:"had"`       // "colonoscopy on 2019"
	Vaccines  []string          `yaml:"vaccines"`  // "187 on 2026-05-04"
	Histories []string          `yaml:"histories"` // "social | Tobacco | never"
	Reviewed  []string          `yaml:"reviewed"`  // lists gone through on the day
	Answers   map[string]string `yaml:"answers"`
	Decisions []string          `yaml:"decisions"` // "declined 2026-05-04 until 2027-05-04"
	Waits     []string          `yaml:"waits"`     // sets ordered and not back: "colonoscopy on 2026-05-04"
	Seen      []string          `yaml:"seen"`      // days of visits
	Addressed []string          `yaml:"addressed"` // codes of the diagnoses of this visit
	Allergies []string          `yaml:"allergies"` // to medicines, by name
}

// State says how a reminder stands.
type State string

// The states.
const (
	Due      State = "due"
	Overdue  State = "overdue"
	Coming   State = "coming up"
	InHand   State = "in hand"
	Holds    State = "satisfied"
	PutOff   State = "put off"
	Declined State = "declined"
	NotFor   State = "not applicable"
	Unknown  State = "not known"
	Failed   State = "could not be computed"
)

// Open says whether somebody still has to settle it.
func (s State) Open() bool { return s == Due || s == Overdue || s == Unknown || s == Failed }

// Standing is how a rule stands for a person on a day.
type Standing struct {
	Rule    *Rule
	State   State
	Since   Day  // due: since when; satisfied: of what was done; Ever where that is not known
	Due     Day  // when it is due next, Never for not in sight
	Changes Day  // the first day on which it stands otherwise by time alone, as far as can be seen
	By      Fact // what satisfies it, or is in hand
	Follow  Fact // a result that waits to be followed up; without a name for none
	Decided *chart.Decision
}

// AboutTobacco is the question that the social history answers.
const AboutTobacco = "tobacco"

// Says names the source: body, year, title, grade.
func (s Source) Says() string {
	out := s.Body + " " + strconv.Itoa(s.Year) + ", " + s.Title
	if s.Grade != "" {
		out += " (grade " + s.Grade + ")"
	}
	return out
}

// Calls says whether somebody has to come for it, or bring something: what is settled by questions and
// advice alone is settled at the next visit and is no reason to write.
func (r *Rule) Calls() bool {
	for _, x := range r.Resolve {
		if kind, _ := x.Act(); kind == "test" || kind == "item" || kind == "vaccine" || kind == "refer" {
			return true
		}
	}
	return false
}

// Act is what a resolution does: its kind and of what.
func (x Resolve) Act() (kind, code string) {
	switch {
	case x.Test != "":
		return "test", x.Test
	case x.Item != "":
		return "item", x.Item
	case len(x.Vaccine) > 0:
		return "vaccine", strings.Join(x.Vaccine, " ")
	case x.Questionnaire != "":
		return "questionnaire", x.Questionnaire
	case x.Counsel != "":
		return "counsel", x.Counsel
	case x.Refer != "":
		return "refer", x.Refer
	}
	return "ask", x.Ask
}
