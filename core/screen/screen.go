// Package screen holds questionnaires whose answers give a score: what is asked, how it is
// counted, what the score says, and which answer interrupts. A score is counted only when every
// question that counts is answered: what nobody answered is not nought.
package screen

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Form is a questionnaire as it ships.
type Form struct {
	ID, Version, Title string
	Panel              string // LOINC code of the whole; "" for none
	Intro              string // what is said before the questions
	Source             Source
	Items              []Question
	Total              Code   // under which the score is kept; zero for a form without one
	Answers            string // question of the rulebook that its result answers yes or no; "" for none
	Tells              string // without a score: "answers" tells each, "exceptions" those that are not the first
	Service            string // set of the rulebook that counts as done with it; "" for none
	Bands              []Band
	Alarm              string // the item in which any answer above nought interrupts
}

// Source is where a form comes from and who may use it.
type Source struct {
	Body    string `json:"body" yaml:"body"`
	Year    int    `json:"year" yaml:"year"`
	Licence string `json:"licence" yaml:"licence"`
}

// Code is a LOINC code with its name.
type Code struct {
	LOINC string `yaml:"loinc"`
	Name  string `yaml:"name"`
}

// Question is one question. Options are what may be answered, each with its score; none for a
// number or words. A question that does not count may be left out.
type Question struct {
	Link    string     `json:"link"`
	Text    string     `json:"text"`
	Kind    string     `json:"kind" enum:"choice,number,words"`
	Options []Option   `json:"options"`
	Counts  bool       `json:"counts"`
	When    *AskedWhen `json:"when,omitempty"`
	LOINC   string     `json:"-"`
}

// AskedWhen says that an item is asked only where another was answered with a score above nought.
type AskedWhen struct {
	Link string `json:"link"`
}

// Option is an answer with its score.
type Option struct {
	Code  string `json:"code"`
	Text  string `json:"text"`
	Score int    `json:"score"`
}

// Band is what a score from a figure on says. Positive is a score that asks for more. Sex is F
// or M where the band holds for one only.
type Band struct {
	From     int    `json:"from" yaml:"from"`
	Says     string `json:"says" yaml:"says"`
	Positive bool   `json:"positive" yaml:"positive"`
	Sex      string `json:"sex,omitempty" yaml:"sex"`
}

// Scored is what came of answers.
type Scored struct {
	Total    string   `json:"total" doc:"Empty where it was not counted"`
	Says     string   `json:"says"`
	Positive bool     `json:"positive"`
	Missing  []string `json:"missing" doc:"Questions that count and are not answered"`
	Alarm    bool     `json:"alarm" doc:"An answer speaks of self-harm"`
}

// Check says what is wrong with a form.
func (f Form) Check() error {
	seen := map[string]bool{}
	for _, i := range f.Items {
		if i.Link == "" || i.Text == "" || seen[i.Link] {
			return fmt.Errorf("%s: the question %q has no name or words, or stands twice", f.ID, i.Link)
		}
		if i.Kind == "choice" && len(i.Options) < 2 || i.Counts && i.Kind == "words" {
			return fmt.Errorf("%s: the question %q has too few answers, or words that count", f.ID, i.Link)
		}
		if i.When != nil && !seen[i.When.Link] {
			return fmt.Errorf("%s: the question %q depends on one that is not asked before", f.ID, i.Link)
		}
		seen[i.Link] = true
	}
	switch {
	case f.ID == "" || f.Title == "" || f.Source.Body == "" || f.Source.Licence == "" || len(f.Items) == 0:
		return fmt.Errorf("%q lacks its name, title, source, licence or questions", f.ID)
	case f.Alarm != "" && !seen[f.Alarm]:
		return fmt.Errorf("%s: the question %q that interrupts is not in it", f.ID, f.Alarm)
	case f.Total.LOINC != "" && len(f.Bands) == 0:
		return fmt.Errorf("%s: nothing says what its score means", f.ID)
	}
	for i := 1; i < len(f.Bands); i++ {
		if f.Bands[i].From <= f.Bands[i-1].From && f.Bands[i].Sex == f.Bands[i-1].Sex {
			return fmt.Errorf("%s: its bands are not in order", f.ID)
		}
	}
	return nil
}

// Says is an answer in words.
func (i Question) Says(value string) string {
	if o, ok := i.option(value); ok {
		return o.Text
	}
	return value
}

// Item finds a question.
func (f Form) Item(link string) (Question, bool) {
	i := slices.IndexFunc(f.Items, func(x Question) bool { return x.Link == link })
	if i < 0 {
		return Question{}, false
	}
	return f.Items[i], true
}

func (i Question) option(code string) (Option, bool) {
	at := slices.IndexFunc(i.Options, func(o Option) bool { return o.Code == code })
	if at < 0 {
		return Option{}, false
	}
	return i.Options[at], true
}

// Asked says whether a question is asked, given the answers.
func (f Form) Asked(i Question, answers map[string]string) bool {
	if i.When == nil {
		return true
	}
	on, _ := f.Item(i.When.Link)
	o, ok := on.option(answers[on.Link])
	return !ok || o.Score > 0 // where that one is not answered, this one may matter
}

// Score counts answers, by link: the code of an option, or a number. sex is F or M where it is
// recorded so. An answer that is none of the form's is an error.
func (f Form) Score(answers map[string]string, sex string) (out Scored, err error) {
	out.Missing = []string{}
	total, counted := 0, false
	for link := range answers {
		if _, known := f.Item(link); !known {
			return out, fmt.Errorf("%s does not ask %q", f.Title, link)
		}
	}
	for _, i := range f.Items {
		a := strings.TrimSpace(answers[i.Link])
		if a == "" {
			if i.Counts && f.Asked(i, answers) {
				out.Missing = append(out.Missing, i.Text)
			}
			counted = counted || i.Counts
			continue
		}
		switch i.Kind {
		case "choice":
			o, ok := i.option(a)
			if !ok {
				return out, fmt.Errorf("%q is no answer to %q", a, i.Text)
			}
			if i.Link == f.Alarm && o.Score > 0 {
				out.Alarm = true
			}
			if i.Counts {
				total, counted = total+o.Score, true
			}
		case "number":
			n, err := strconv.Atoi(a)
			if err != nil || n < 0 || n > 1000 {
				return out, fmt.Errorf("%q is no whole number for %q", a, i.Text)
			}
			if i.Counts {
				total, counted = total+n, true
			}
		}
	}
	if !counted || f.Total.LOINC == "" && len(f.Bands) == 0 {
		out.Says = f.told(answers)
		return out, nil
	}
	if len(out.Missing) > 0 {
		out.Says = "not counted: " + strconv.Itoa(len(out.Missing)) + " of " + strconv.Itoa(f.counting()) + " questions are not answered"
		return out, nil
	}
	if f.Total.LOINC != "" {
		out.Total = strconv.Itoa(total)
	}
	for _, b := range f.Bands {
		if total >= b.From && (b.Sex == "" || b.Sex == sex) {
			out.Says, out.Positive = b.Says, b.Positive
		}
	}
	if sex != "F" && sex != "M" { // where the sex is not recorded the lower limit counts
		for _, b := range f.Bands {
			if total >= b.From && b.Sex != "" && b.Positive {
				out.Says, out.Positive = b.Says, true
			}
		}
	}
	return out, nil
}

// told is what was answered to a form without a score. What was not answered is told where the rest is as expected.
func (f Form) told(answers map[string]string) string {
	var says []string
	open := 0
	for _, i := range f.Items {
		a := strings.TrimSpace(answers[i.Link])
		o, chosen := i.option(a)
		switch {
		case a == "":
			open++
		case f.Tells == "exceptions" && chosen && o.Score > 0:
			says = append(says, strings.ToLower(o.Text)+": "+i.Text)
		case f.Tells == "answers" && chosen:
			says = append(says, i.Text+": "+strings.ToLower(o.Text))
		case f.Tells == "answers":
			says = append(says, i.Text+": "+a)
		}
	}
	switch {
	case f.Tells == "":
		return "kept"
	case f.Tells == "exceptions" && len(says) == 0:
		says = append(says, fmt.Sprintf("%d of %d as expected", len(f.Items)-open, len(f.Items)))
	}
	if f.Tells == "exceptions" && open > 0 {
		says = append(says, fmt.Sprintf("%d not answered", open))
	}
	return strings.Join(says, "; ")
}

func (f Form) counting() (n int) {
	for _, i := range f.Items {
		if i.Counts {
			n++
		}
	}
	return n
}

// Says is a form with its score as the note tells it.
func (f Form) Says(s Scored) string {
	if s.Total == "" {
		return f.Title + ": " + s.Says + "."
	}
	return f.Title + ": " + s.Total + ", " + s.Says + "."
}
