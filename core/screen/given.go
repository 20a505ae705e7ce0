package screen

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Given is one answer as another system sends it: Link names the question, Code or Text the answer, Number a
// number or the score of the answer.
type Given struct{ Link, Code, Text, Number string }

// IsFor says whether a questionnaire that another system names is this form: by our name for it, or by the LOINC code of its
// panel.
func (f Form) IsFor(questionnaire string) bool {
	last := questionnaire[strings.LastIndexAny(questionnaire, "/:")+1:]
	return last == f.ID || f.Panel != "" && last == f.Panel
}

// Read takes answers of another system in: questions by our link or by LOINC ("/44250-9"), answers by code, by their
// words, or by their score where one answer alone has it. What cannot be read is told, and then nothing is certain of the
// whole: an answer left out changes the score. A score that came along and is another than ours is told too.
//
// Alarm is that an answer speaks of self-harm, or that the answer to the question of it cannot be read.
func (f Form) Read(given []Given, sex string) (answers map[string]string, problems []string, alarm bool) {
	answers = map[string]string{}
	sent := ""
	for _, g := range given {
		link := strings.Trim(g.Link, "/ ")
		if f.Total.LOINC != "" && link == f.Total.LOINC {
			sent = g.Number
			continue
		}
		i := slices.IndexFunc(f.Items, func(q Question) bool { return q.Link == link || q.LOINC != "" && q.LOINC == link })
		if i < 0 {
			problems = append(problems, fmt.Sprintf("%s does not ask %q", f.Title, g.Link))
			continue
		}
		q := f.Items[i]
		value, ok := q.read(g)
		if o, known := q.option(value); q.Link == f.Alarm && (!ok || known && o.Score > 0) {
			alarm = true
		}
		switch had := answers[q.Link]; {
		case !ok:
			problems = append(problems, fmt.Sprintf("%q is no answer to %q", strings.TrimSpace(g.Code+" "+g.Text+" "+g.Number), q.Text))
		case had != "" && had != value:
			problems = append(problems, fmt.Sprintf("%q is answered twice, and otherwise", q.Text))
		default:
			answers[q.Link] = value
		}
	}
	if len(answers) == 0 && len(problems) == 0 {
		problems = append(problems, "nothing is answered")
	}
	if sent != "" && len(problems) == 0 {
		if s, err := f.Score(answers, sex); err != nil || s.Total != strings.TrimSuffix(sent, ".0") {
			problems = append(problems, fmt.Sprintf("the score that came along is %s, the answers count %s", sent, orNone(s.Total)))
		}
	}
	return answers, problems, alarm
}

func orNone(s string) string {
	if s == "" {
		return "none"
	}
	return s
}

func (i Question) read(g Given) (string, bool) {
	if i.Kind != "choice" {
		value := strings.TrimSpace(g.Number + g.Text)
		return value, value != ""
	}
	if o, ok := i.option(g.Code); ok && g.Code != "" {
		return o.Code, true
	}
	for _, o := range i.Options {
		if g.Text != "" && strings.EqualFold(strings.TrimSpace(g.Text), o.Text) {
			return o.Code, true
		}
	}
	n, err := strconv.ParseFloat(g.Number, 64)
	if err != nil || g.Code != "" {
		return "", false
	}
	found := ""
	for _, o := range i.Options {
		if float64(o.Score) == n {
			if found != "" {
				return "", false
			}
			found = o.Code
		}
	}
	return found, found != ""
}
