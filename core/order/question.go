package order

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
)

// EntryQuestion is what a laboratory asks at order entry.
type EntryQuestion struct {
	Place    `json:"-"`
	Code     string     `json:"code"`
	Words    string     `json:"words"`
	Kind     AnswerKind `json:"kind" enum:"yesno,choice,number,date,datetime,text"`
	Required bool       `json:"required"`
	Choices  []string   `json:"choices"`
	Unit     string     `json:"unit"` // UCUM
	Low      string     `json:"low"`  // of a number, inclusive; "" for none
	High     string     `json:"high"`
	When     When       `json:"when"`
}

// AnswerKind is the kind of answer a question takes.
type AnswerKind string

// The kinds of answer.
const (
	AnswerYesNo    AnswerKind = "yesno"
	AnswerChoice   AnswerKind = "choice"
	AnswerNumber   AnswerKind = "number"
	AnswerDate     AnswerKind = "date"     // YYYY-MM-DD
	AnswerDatetime AnswerKind = "datetime" // YYYY-MM-DDThh:mm, on the clock of the practice
	AnswerText     AnswerKind = "text"
)

// When says on which earlier answer a question depends; it is asked only then. The zero
// value asks always.
type When struct {
	Question string `json:"question"`
	Answer   string `json:"answer"`
}

// EntryAnswer is the answer to a question of a test. What is kept of an order has the words, kind
// and unit with it, so that it reads the same when the list has changed.
type EntryAnswer struct {
	Question string     `json:"question" maxLength:"40"`
	Answer   string     `json:"answer" maxLength:"500"`
	Words    string     `json:"words,omitempty" maxLength:"500"`
	Kind     AnswerKind `json:"kind,omitempty" maxLength:"10"`
	Unit     string     `json:"unit,omitempty" maxLength:"40"`
}

// check says what is wrong with the question in a list; earlier are those before it.
func (q EntryQuestion) check(earlier []EntryQuestion) error {
	switch {
	case q.Code == "" || strings.TrimSpace(q.Words) == "":
		return fmt.Errorf("a question needs a code and words")
	case slices.ContainsFunc(earlier, func(e EntryQuestion) bool { return e.Code == q.Code }):
		return fmt.Errorf("the question %s stands twice", q.Code)
	case !slices.Contains([]AnswerKind{AnswerYesNo, AnswerChoice, AnswerNumber, AnswerDate, AnswerDatetime, AnswerText}, q.Kind):
		return fmt.Errorf("the kind %q of %s is none of yesno, choice, number, date, datetime, text", q.Kind, q.Code)
	case (q.Kind == AnswerChoice) != (len(q.Choices) > 0):
		return fmt.Errorf("%s is a %s with %d choices", q.Code, q.Kind, len(q.Choices))
	}
	for _, end := range []string{q.Low, q.High} {
		if _, err := strconv.ParseFloat(end, 64); end != "" && err != nil {
			return fmt.Errorf("%q of %s is no number", end, q.Code)
		}
	}
	if q.When.Question == "" {
		return nil
	}
	at := slices.IndexFunc(earlier, func(e EntryQuestion) bool { return e.Code == q.When.Question })
	if at < 0 {
		return fmt.Errorf("%s depends on %s, which is no question before it", q.Code, q.When.Question)
	}
	if on := earlier[at]; on.Kind == AnswerChoice && !slices.Contains(on.Choices, q.When.Answer) || on.Kind == AnswerYesNo && q.When.Answer != "yes" && q.When.Answer != "no" {
		return fmt.Errorf("%s depends on the answer %q to %s, which cannot be given", q.Code, q.When.Answer, on.Code)
	}
	return nil
}

// Sound says what is wrong with the questions of one test, in their order.
func Sound(questions []EntryQuestion) error {
	for i, q := range questions {
		if err := q.check(questions[:i]); err != nil {
			return err
		}
	}
	return nil
}

// Asked lists the questions of a test that are asked, given the answers so far.
func Asked(questions []EntryQuestion, answers []EntryAnswer) (out []EntryQuestion) {
	for _, q := range questions {
		if q.When.Question == "" || answerTo(answers, q.When.Question) == q.When.Answer &&
			slices.ContainsFunc(out, func(x EntryQuestion) bool { return x.Code == q.When.Question }) {
			out = append(out, q)
		}
	}
	return out
}

func answerTo(answers []EntryAnswer, code string) string {
	for _, a := range answers {
		if a.Question == code {
			return strings.TrimSpace(a.Answer)
		}
	}
	return ""
}

// Answers checks the answers to the questions of a test on a day (YYYY-MM-DD): it returns
// those that count, in the order of the questions, or says what is missing or cannot be. An
// answer to a question that is not asked (any more) is left out.
func Answers(t Test, answers []EntryAnswer, today string) (out []EntryAnswer, err error) {
	for _, x := range answers {
		if !slices.ContainsFunc(t.Questions, func(q EntryQuestion) bool { return q.Code == x.Question }) {
			return nil, fmt.Errorf("%w: %s does not ask %q", ErrIncomplete, t.Name, x.Question)
		}
	}
	for _, q := range Asked(t.Questions, answers) {
		given := answerTo(answers, q.Code)
		if given == "" {
			if q.Required {
				return nil, fmt.Errorf("%w: %s asks: %s", ErrIncomplete, t.Name, q.Words)
			}
			continue
		}
		if says := q.Takes(given, today); says != "" {
			return nil, fmt.Errorf("%w: %s asks: %s. %s", ErrIncomplete, t.Name, q.Words, says)
		}
		out = append(out, EntryAnswer{q.Code, given, q.Words, q.Kind, q.Unit})
	}
	return out, nil
}

// Takes says why an answer cannot be one to the question, on a day; "" when it can.
func (q EntryQuestion) Takes(answer, today string) string {
	switch q.Kind {
	case AnswerYesNo:
		if answer != "yes" && answer != "no" {
			return "Answer yes or no."
		}
	case AnswerChoice:
		if !slices.Contains(q.Choices, answer) {
			return "Choose one of: " + strings.Join(q.Choices, ", ") + "."
		}
	case AnswerNumber:
		x, err := strconv.ParseFloat(answer, 64)
		low, err1 := strconv.ParseFloat(q.Low, 64)
		high, err2 := strconv.ParseFloat(q.High, 64)
		switch {
		case err != nil || strings.ContainsAny(answer, "eExXnN_"):
			return "Write a number, with a point before decimals."
		case err1 == nil && x < low, err2 == nil && x > high:
			return fmt.Sprintf("It is from %s to %s %s.", q.Low, q.High, q.Unit)
		}
	case AnswerDate, AnswerDatetime:
		layout := time.DateOnly
		if q.Kind == AnswerDatetime {
			layout = "2006-01-02T15:04"
		}
		at, err := time.Parse(layout, answer)
		if err != nil {
			return "Choose the date" + map[bool]string{true: " and time", false: ""}[q.Kind == AnswerDatetime] + "."
		}
		if at.Format(time.DateOnly) > today {
			return "It lies in the future."
		}
		// A last dose is lately; a last period may be decades ago.
		if now, err := time.Parse(time.DateOnly, today); err == nil && q.Kind == AnswerDatetime && at.Before(now.AddDate(-2, 0, 0)) {
			return "It lies more than two years back."
		}
	case AnswerText:
		if len(answer) > 500 {
			return "Keep it below 500 characters."
		}
	}
	return ""
}
