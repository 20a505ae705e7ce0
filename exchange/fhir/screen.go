package fhir

import (
	"encoding/json"
	"errors"
	"fmt"

	"deftledger/core/screen"
)

const ordinal = "http://hl7.org/fhir/StructureDefinition/ordinalValue"

// Screen reads a FHIR R4 Questionnaire as a form with a score. Which questions count, and what the
// score says, is not in it.
func Screen(body []byte) (f screen.Form, err error) {
	var q struct {
		ResourceType, Version, Title string
		Item                         []struct {
			LinkID, Text, Type string
			Code               []struct{ System, Code string }
			AnswerOption       []struct {
				ValueCoding struct {
					Code, Display string
					Extension     []struct {
						URL          string
						ValueDecimal *float64
					}
				}
			}
			EnableWhen []struct{ Question, Operator string }
		}
	}
	if err := json.Unmarshal(body, &q); err != nil {
		return f, err
	}
	if q.ResourceType != "Questionnaire" {
		return f, errors.New("it is no Questionnaire")
	}
	f.Version, f.Title = q.Version, q.Title
	kinds := map[string]string{"choice": "choice", "integer": "number", "string": "words", "text": "words"}
	for _, x := range q.Item {
		if x.Type == "display" {
			f.Intro = x.Text
			continue
		}
		i := screen.Question{Link: x.LinkID, Text: x.Text, Kind: kinds[x.Type], Options: []screen.Option{}}
		for _, c := range x.Code {
			if c.System == "http://loinc.org" {
				i.LOINC = c.Code
			}
		}
		if i.Kind == "" {
			return f, fmt.Errorf("the question %q is of a kind (%s) that has no score", x.LinkID, x.Type)
		}
		for _, o := range x.AnswerOption {
			score := -1
			for _, e := range o.ValueCoding.Extension {
				if e.URL == ordinal && e.ValueDecimal != nil && *e.ValueDecimal >= 0 && *e.ValueDecimal == float64(int(*e.ValueDecimal)) {
					score = int(*e.ValueDecimal)
				}
			}
			if score < 0 {
				return f, fmt.Errorf("the answer %q to %q has no score", o.ValueCoding.Display, x.LinkID)
			}
			i.Options = append(i.Options, screen.Option{Code: o.ValueCoding.Code, Text: o.ValueCoding.Display, Score: score})
		}
		for _, w := range x.EnableWhen {
			if w.Operator != "!=" || len(x.EnableWhen) > 1 {
				return f, fmt.Errorf("the question %q is asked under a condition that is not read here", x.LinkID)
			}
			i.When = &screen.AskedWhen{Link: w.Question}
		}
		f.Items = append(f.Items, i)
	}
	return f, nil
}
