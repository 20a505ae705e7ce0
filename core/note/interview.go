package note

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"deftledger/core/chart"
)

// Questionnaire is the part of a FHIR R4 Questionnaire that an interview uses.
type Questionnaire struct {
	ResourceType string     `yaml:"resourceType" json:"resourceType"`
	URL          string     `yaml:"url" json:"url"`
	Version      string     `yaml:"version" json:"version"`
	Title        string     `yaml:"title" json:"title"`
	Status       string     `yaml:"status" json:"status"`
	Item         []Question `yaml:"item" json:"item"`
}

// Question is an item of a questionnaire. A question with a definition asks for a
// symptom; its answer is a finding of the review of systems.
type Question struct {
	LinkID         string      `yaml:"linkId" json:"linkId"`
	Text           string      `yaml:"text" json:"text"`
	Type           string      `yaml:"type" json:"type"`
	Definition     string      `yaml:"definition" json:"definition"`
	Repeats        bool        `yaml:"repeats" json:"repeats"`
	AnswerOption   []Option    `yaml:"answerOption" json:"answerOption"`
	EnableWhen     []Condition `yaml:"enableWhen" json:"enableWhen"`
	EnableBehavior string      `yaml:"enableBehavior" json:"enableBehavior"`
	Item           []Question  `yaml:"item" json:"item"`
}

// Option is one offered answer.
type Option struct {
	ValueCoding Coding `yaml:"valueCoding" json:"valueCoding"`
	ValueString string `yaml:"valueString" json:"valueString"`
	Extension   []struct {
		URL          string `yaml:"url" json:"url"`
		ValueBoolean bool   `yaml:"valueBoolean" json:"valueBoolean"`
	} `yaml:"extension" json:"extension"`
}

// Exclusive says whether an answer stands alone ("nothing", "none"): the standard
// extension questionnaire-optionExclusive.
func (o Option) Exclusive() bool {
	for _, e := range o.Extension {
		if strings.HasSuffix(e.URL, "/questionnaire-optionExclusive") && e.ValueBoolean {
			return true
		}
	}
	return false
}

// Coding is a code with its display.
type Coding struct {
	System  string `yaml:"system" json:"system"`
	Code    string `yaml:"code" json:"code"`
	Display string `yaml:"display" json:"display"`
}

// Condition is an enableWhen.
type Condition struct {
	Question      string   `yaml:"question" json:"question"`
	Operator      string   `yaml:"operator" json:"operator"`
	AnswerBoolean *bool    `yaml:"answerBoolean" json:"answerBoolean"`
	AnswerCoding  *Coding  `yaml:"answerCoding" json:"answerCoding"`
	AnswerString  *string  `yaml:"answerString" json:"answerString"`
	AnswerInteger *float64 `yaml:"answerInteger" json:"answerInteger"`
	AnswerDecimal *float64 `yaml:"answerDecimal" json:"answerDecimal"`
}

// Prose says how the answers of an interview read, and what fits the reason.
type Prose struct {
	Interview   string                       `yaml:"interview" json:"interview"`
	Also        []string                     `yaml:"also" json:"also"`
	Complaint   []string                     `yaml:"complaint" json:"complaint"` // symptoms the visit is about
	Say         map[string]map[string]string `yaml:"say" json:"say"`
	Prose       []string                     `yaml:"prose" json:"prose"`
	Review      []string                     `yaml:"review" json:"review"`
	Examination []string                     `yaml:"examination" json:"examination"`
	Plan        []string                     `yaml:"plan" json:"plan"`
	Only        map[string]Who               `yaml:"only" json:"only"` // whom a question is for; all others are asked of everybody
	Zero        map[string]string            `yaml:"zero" json:"zero"` // the sentence where a counted answer is none
	When        []PlanWhen                   `yaml:"when" json:"when"`
	Whom        Who                          `yaml:"whom" json:"whom"`       // whom all of it is for
	Instead     string                       `yaml:"instead" json:"instead"` // the interview for whoever else has this reason
}

// Who is whom a question is for: an administrative sex, and ages in completed years.
type Who struct {
	Sex   string `yaml:"sex" json:"sex"`
	From  int    `yaml:"from" json:"from"`
	Below int    `yaml:"below" json:"below"`
}

// PlanWhen changes what fits the plan where a question is answered yes: a routine return
// does not fit thoughts of self-harm.
type PlanWhen struct {
	If    string   `yaml:"if" json:"if"`
	Hides []string `yaml:"hides" json:"hides"`
	Says  []string `yaml:"says" json:"says"`
}

// Of is the person who is asked. Sex is of HL7 table 0001; Months is below zero where the
// age is not known. What is not known leaves no question out.
type Of struct {
	Sex    string
	Months int
}

// Is says whether somebody is one of them; of whom it is not known is.
func (w Who) Is(of Of) bool {
	if w.Sex != "" && (of.Sex == "F" || of.Sex == "M") && of.Sex != w.Sex {
		return false
	}
	return of.Months < 0 || of.Months >= 12*w.From && (w.Below == 0 || of.Months < 12*w.Below)
}

// PlanFor lists what fits the plan, with what the answers change of it, the gravest first.
func (v *Interview) PlanFor(answers []Answered) []string {
	out := slices.Clone(v.Prose.Plan)
	for _, w := range v.Prose.When {
		i := slices.IndexFunc(answers, func(a Answered) bool { return a.Link == w.If })
		if i < 0 || len(answers[i].Values) == 0 || answers[i].Values[0].Yes == nil || !*answers[i].Values[0].Yes {
			continue
		}
		out = slices.DeleteFunc(out, func(s string) bool { return slices.Contains(w.Hides, s) })
		out = append(slices.Clone(w.Says), out...)
	}
	return out
}

// Interview is a guided history: questions and how their answers read.
type Interview struct {
	ID        string
	Version   int
	Questions Questionnaire
	Prose     Prose
	sentences []phrase
	flat      []Question
	sexOf     map[string]string // of the symptom that a question asks for
}

// Answer is one answer. A free answer has a Text and no Code. Number is kept as
// typed; Unit is UCUM. Date is as precise as given.
type Answer struct {
	Code   string `json:"code,omitempty"`
	Text   string `json:"text,omitempty"`
	Yes    *bool  `json:"yes,omitempty"`
	Number string `json:"number,omitempty"`
	Unit   string `json:"unit,omitempty"`
	Date   string `json:"date,omitempty"`
}

// Answered is a question with its answers.
type Answered struct {
	Link   string   `json:"link"`
	Values []Answer `json:"values"`
	Origin Origin   `json:"origin"`
}

const symptomsSentence = "symptoms"

// symptomPrefix begins the definition of a question that asks for a symptom.
const symptomPrefix = "/finding/review/"

// Symptom is the "system.symptom" a question asks for, "" when it asks for something else.
func (q Question) Symptom() string {
	if i := strings.Index(q.Definition, symptomPrefix); i >= 0 {
		return q.Definition[i+len(symptomPrefix):]
	}
	return ""
}

var questionTypes = []string{"choice", "open-choice", "boolean", "integer", "decimal", "string", "text", "quantity", "date",
	"group", "display"}

// Prepare checks an interview against the body systems and makes it ready. The
// error is a *Fault that names where in the form it is.
func (v *Interview) Prepare(s *Systems) error {
	q := v.Questions
	switch {
	case q.ResourceType != "Questionnaire":
		return fault("resourceType", "this is no FHIR Questionnaire: resourceType is %q", q.ResourceType)
	case q.Title == "":
		return fault("title", "the questionnaire has no title")
	case q.URL == "":
		return fault("url", "the questionnaire has no url")
	}
	p := &v.Prose
	p.Also, p.Prose, p.Review, p.Examination, p.Plan = list(p.Also), list(p.Prose), list(p.Review), list(p.Examination), list(p.Plan)
	v.flat = nil
	if err := v.flatten(q.Item); err != nil {
		return err
	}
	if len(v.flat) == 0 {
		return fault("item", "the questionnaire asks nothing")
	}
	seen := map[string]Question{}
	for _, x := range v.flat {
		if _, twice := seen[x.LinkID]; twice {
			return fault(x.LinkID, "the linkId %q stands twice", x.LinkID)
		}
		seen[x.LinkID] = x
	}
	v.sexOf = map[string]string{}
	for _, x := range v.flat {
		for _, c := range x.EnableWhen {
			if _, ok := seen[c.Question]; !ok {
				return fault(x.LinkID, "%q depends on %q, which is not asked", x.LinkID, c.Question)
			}
			if !slices.Contains([]string{"exists", "=", "!=", ">", "<", ">=", "<="}, c.Operator) {
				return fault(x.LinkID, "%q: %q is no operator of enableWhen", x.LinkID, c.Operator)
			}
		}
		if y := x.Symptom(); y != "" {
			system, id, _ := strings.Cut(y, ".")
			i, ok := s.Item(Review, system, id)
			if v.sexOf[x.LinkID] = i.Sex; !ok || x.Type != "boolean" {
				return fault(x.LinkID, "%q asks for the symptom %q as a %s; a symptom of the finding list is asked as a boolean", x.LinkID, y, x.Type)
			}
		}
	}
	for link := range v.Prose.Say {
		if _, ok := seen[link]; !ok {
			return fault(link, "say: %q is not asked", link)
		}
	}
	for link, w := range p.Only {
		if _, ok := seen[link]; !ok || w.Sex != "" && w.Sex != "F" && w.Sex != "M" || w.Below > 0 && w.Below <= w.From {
			return fault(link, "only: %q is not asked, or is for nobody", link)
		}
	}
	for link := range p.Zero {
		if _, ok := seen[link]; !ok {
			return fault(link, "zero: %q is not asked", link)
		}
	}
	for _, w := range p.When {
		if seen[w.If].Type != "boolean" {
			return fault(w.If, "when: %q is no question of yes or no here", w.If)
		}
		for _, h := range w.Hides {
			if !slices.Contains(p.Plan, h) {
				return fault(h, "when: %q is not in the plan", h)
			}
		}
	}
	v.sentences = nil
	for _, t := range v.Prose.Prose {
		p, err := parsePhrase(t)
		if err != nil {
			return fault(t, "%q: %v", t, err)
		}
		for _, name := range p.names() {
			if _, ok := seen[name]; !ok && name != "Patient" {
				return fault(t, "%q names %q, which is not asked", t, name)
			}
		}
		v.sentences = append(v.sentences, p)
	}
	for _, y := range v.Prose.Complaint {
		system, id, _ := strings.Cut(y, ".")
		if _, ok := s.Item(Review, system, id); !ok {
			return fault(y, "complaint: there is no symptom %q", y)
		}
	}
	for a, ids := range map[Area][]string{Review: v.Prose.Review, Examination: v.Prose.Examination} {
		for _, id := range ids {
			if _, ok := s.System(a, id); !ok {
				return fault(id, "%s: there is no system %q", a, id)
			}
		}
	}
	return nil
}

func (v *Interview) flatten(items []Question) error {
	for _, x := range items {
		switch {
		case x.LinkID == "":
			return fault(x.Text, "a question has no linkId")
		case !slices.Contains(questionTypes, x.Type):
			return fault(x.LinkID, "%q: the type %q is not one an interview can ask", x.LinkID, x.Type)
		case x.Type == "choice" && len(x.AnswerOption) == 0:
			return fault(x.LinkID, "%q is a choice without answers", x.LinkID)
		case x.Text == "" && x.Type != "group":
			return fault(x.LinkID, "%q has no text", x.LinkID)
		}
		if x.Type != "group" && x.Type != "display" {
			v.flat = append(v.flat, x)
		}
		if err := v.flatten(x.Item); err != nil {
			return err
		}
	}
	return nil
}

// Asks lists the questions that apply now, in order: those that are for this person and
// whose conditions the answers meet. An answer to a question that no longer applies does not count.
func (v *Interview) Asks(answers []Answered, of Of) []Question {
	var out []Question
	given := map[string][]Answer{}
	all := map[string][]Answer{}
	for _, a := range answers {
		all[a.Link] = a.Values
	}
	for _, q := range v.flat {
		if q.enabled(given) && v.Prose.Only[q.LinkID].Is(of) && v.fits(q, of) {
			out = append(out, q)
			given[q.LinkID] = all[q.LinkID]
		}
	}
	return out
}

// fits says whether the symptom a question asks for can be this person's.
func (v *Interview) fits(q Question, of Of) bool { return Who{Sex: v.sexOf[q.LinkID]}.Is(of) }

func (q Question) enabled(given map[string][]Answer) bool {
	if len(q.EnableWhen) == 0 {
		return true
	}
	for _, c := range q.EnableWhen {
		met := c.met(given[c.Question])
		if q.EnableBehavior == "any" && met {
			return true
		}
		if q.EnableBehavior != "any" && !met {
			return false
		}
	}
	return q.EnableBehavior != "any"
}

func (c Condition) met(answers []Answer) bool {
	if c.Operator == "exists" {
		return (len(answers) > 0) == (c.AnswerBoolean == nil || *c.AnswerBoolean)
	}
	for _, a := range answers {
		order, comparable := c.compare(a)
		if !comparable {
			continue
		}
		switch c.Operator {
		case "=":
			if order == 0 {
				return true
			}
		case "!=":
			if order != 0 {
				return true
			}
		case ">":
			if order > 0 {
				return true
			}
		case "<":
			if order < 0 {
				return true
			}
		case ">=":
			if order >= 0 {
				return true
			}
		case "<=":
			if order <= 0 {
				return true
			}
		}
	}
	return false
}

func (c Condition) compare(a Answer) (int, bool) {
	equal := func(same bool) (int, bool) {
		if same {
			return 0, true
		}
		return 2, c.Operator == "=" || c.Operator == "!="
	}
	switch {
	case c.AnswerBoolean != nil:
		return equal(a.Yes != nil && *a.Yes == *c.AnswerBoolean)
	case c.AnswerCoding != nil:
		return equal(a.Code == c.AnswerCoding.Code)
	case c.AnswerString != nil:
		return equal(a.Text == *c.AnswerString)
	}
	want := c.AnswerInteger
	if want == nil {
		want = c.AnswerDecimal
	}
	have, err := strconv.ParseFloat(a.Number, 64)
	if want == nil || err != nil {
		return 0, false
	}
	switch {
	case have < *want:
		return -1, true
	case have > *want:
		return 1, true
	}
	return 0, true
}

// Check says whether answers fit a question.
func (v *Interview) Check(link string, values []Answer) error {
	i := slices.IndexFunc(v.flat, func(q Question) bool { return q.LinkID == link })
	if i < 0 {
		return fault(link, "%q is not asked here", link)
	}
	q := v.flat[i]
	for _, o := range q.AnswerOption {
		if len(values) > 1 && o.Exclusive() && slices.ContainsFunc(values, func(a Answer) bool { return a.Code == o.ValueCoding.Code }) {
			return fault(link, "“%s” stands alone", o.ValueCoding.Display)
		}
	}
	if len(values) > 1 && !q.Repeats {
		return fault(link, "%q takes one answer", q.Text)
	}
	for _, a := range values {
		if len(a.Text) > 500 {
			return fault(link, "an answer has at most 500 characters; write more in the note")
		}
		ok := false
		switch q.Type {
		case "boolean":
			ok = a.Yes != nil
		case "integer":
			n, err := strconv.Atoi(a.Number)
			ok = err == nil && n >= 0 && n < 100_000
		case "decimal":
			_, err := strconv.ParseFloat(a.Number, 64)
			ok = err == nil
		case "quantity":
			_, ok = ReadDuration(a.Number + " " + a.Unit)
		case "date":
			ok = slices.ContainsFunc([]string{"2006", "2006-01", time.DateOnly},
				func(l string) bool { _, err := time.Parse(l, a.Date); return err == nil })
		case "string", "text":
			ok = strings.TrimSpace(a.Text) != ""
		default:
			// A free answer where the list lacks one is taken, for this note.
			ok = a.Code == "" && strings.TrimSpace(a.Text) != "" ||
				slices.ContainsFunc(q.AnswerOption, func(o Option) bool { return o.ValueCoding.Code == a.Code && a.Code != "" })
		}
		if !ok {
			return fault(link, "the answer does not fit %q", q.Text)
		}
	}
	return nil
}

// say writes the answers to a question as they read in a sentence; "" when there
// is nothing to say.
func (v *Interview) say(q Question, values []Answer) string {
	words := v.Prose.Say[q.LinkID]
	var out []string
	for _, a := range values {
		text := a.Text
		switch {
		case a.Code != "":
			for _, o := range q.AnswerOption {
				if o.ValueCoding.Code == a.Code {
					text = strings.ToLower(o.ValueCoding.Display)
				}
			}
			if w, ok := words[a.Code]; ok {
				text = w
			} else if p, ok := words["*"]; ok {
				text = strings.ReplaceAll(p, "{}", text)
			}
		case a.Number != "" && a.Unit != "":
			text = Duration(a.Number + " " + a.Unit)
		case a.Number != "":
			text = Number(a.Number)
		case a.Date != "":
			text = sayDate(a.Date)
		case text != "":
			text = strings.TrimRight(chart.Tidy(text), ".")
			if p, ok := words["*"]; ok {
				text = strings.ReplaceAll(p, "{}", text)
			}
		}
		if text != "" {
			out = append(out, text)
		}
	}
	return List(out, "and")
}

// sayDate writes a date as precisely as it was given: "14 Mar 2026", "Mar 2026", "2026".
func sayDate(d string) string {
	for from, to := range map[string]string{time.DateOnly: "02 Jan 2006", "2006-01": "Jan 2006"} {
		if t, err := time.Parse(from, d); err == nil {
			return t.Format(to)
		}
	}
	return d
}

// Write writes the history that the answers give. person begins it ("A
// 46-year-old man"); have are the findings of the note, of which the symptoms
// asked here are told here. It also returns which symptoms those are.
func (v *Interview) Write(s *Systems, answers []Answered, have []Finding, person string, of Of) ([]Piece, []string) {
	asked := v.Asks(answers, of)
	given := map[string]Answered{}
	for _, a := range answers {
		given[a.Link] = a
	}
	e := evaluation{person: person, texts: map[string]string{}, numbers: map[string]string{}, yes: map[string]bool{},
		known: map[string]Origin{}}
	var symptoms []string
	any := false
	at := index(have)
	for _, q := range asked {
		if y := q.Symptom(); y != "" {
			symptoms = append(symptoms, y)
			system, id, _ := strings.Cut(y, ".")
			if f, ok := at.get(Review, system, id); ok && f.State != LeftOut {
				any = true
			}
			continue
		}
		a, ok := given[q.LinkID]
		if !ok || len(a.Values) == 0 {
			continue
		}
		any = true
		e.known[q.LinkID] = a.Origin
		if y := a.Values[0].Yes; y != nil {
			e.yes[q.LinkID] = *y
			continue
		}
		e.numbers[q.LinkID] = a.Values[0].Number
		if e.texts[q.LinkID] = v.say(q, a.Values); e.texts[q.LinkID] == "" {
			delete(e.known, q.LinkID)
		}
	}
	if !any {
		return nil, symptoms
	}
	var out []Piece
	told := false
	for _, p := range v.sentences {
		if p.template == symptomsSentence {
			out = append(out, s.Symptoms(at, symptoms)...)
			told = true
			continue
		}
		e.used = nil
		text, ok := v.none(p, e.numbers), true
		if text != "" {
			e.used = p.names()
		} else {
			text, ok = e.write(p.nodes)
		}
		if !ok || len(e.used) == 0 && !p.person {
			continue
		}
		if text = Sentence(text); text == "" {
			continue
		}
		origin := ByPatient
		for _, u := range e.used {
			if e.known[u] != ByPatient {
				origin = Chosen
			}
		}
		if len(e.used) == 0 {
			origin = Chosen
		}
		out = append(out, Piece{Text: text, Origin: origin, Source: "", Looked: true, Ref: "answer." + v.ID + "." + strings.Join(e.used, " ")})
	}
	if !told {
		symptoms = nil
	}
	return out, symptoms
}

// none is the sentence of a counted answer that is none: "no pillows" is nothing to sleep on.
func (v *Interview) none(p phrase, numbers map[string]string) string {
	for _, link := range p.names() {
		if says := v.Prose.Zero[link]; says != "" && numbers[link] == "0" {
			return says
		}
	}
	return ""
}

// Symptom is the "system.symptom" that a question asks for, "" for any other.
func (v *Interview) Symptom(link string) string {
	for _, q := range v.flat {
		if q.LinkID == link {
			return q.Symptom()
		}
	}
	return ""
}

// Asked is how a question reads; the linkId where it is not asked.
func (v *Interview) Asked(link string) string {
	for _, q := range v.flat {
		if q.LinkID == link {
			return q.Text
		}
	}
	return link
}
