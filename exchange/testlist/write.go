package testlist

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"deftledger/core/order"
)

func said(name, value string) []extension {
	if value == "" {
		return nil
	}
	return []extension{{URL: ours + name, ValueString: value}}
}

func volume(x float64) *quantity {
	if x == 0 {
		return nil
	}
	return &quantity{Value: json.Number(strconv.FormatFloat(x, 'f', -1, 64)), Unit: "mL", System: ucumSystem, Code: "mL"}
}

// WriteFHIR writes a list as a FHIR R4 bundle of catalogue resources.
func WriteFHIR(l order.Laboratory) ([]byte, error) {
	type entry struct {
		Resource any `json:"resource"`
	}
	out := struct {
		ResourceType string  `json:"resourceType"`
		Type         string  `json:"type"`
		Entry        []entry `json:"entry"`
	}{ResourceType: "Bundle", Type: "collection"}
	add := func(r any) { out.Entry = append(out.Entry, entry{r}) }
	o := organization{ResourceType: "Organization", ID: l.ID, Name: l.Name, Address: []address{{Text: l.Address}}}
	for _, x := range [][2]string{{"id", l.ID}, {"takes", string(l.Takes)}, {"edition", l.Edition}, {"source", l.Source}} {
		o.Extension = append(o.Extension, said(x[0], x[1])...)
	}
	if l.CLIA != "" {
		o.Identifier = []identifier{{cliaSystem, l.CLIA}}
	}
	if l.Facility != "" {
		o.Alias = []string{l.Facility}
	}
	for _, t := range []telecom{{"phone", l.Phone}, {"fax", l.Fax}} {
		if t.Value != "" {
			o.Telecom = append(o.Telecom, t)
		}
	}
	add(o)
	for _, s := range l.Sites {
		x := location{ResourceType: "Location", ID: s.Code, Identifier: []identifier{{Value: s.Code}}, Name: s.Name, Description: s.Hours, Address: &address{Text: s.Address}}
		if s.Phone != "" {
			x.Telecom = []telecom{{"phone", s.Phone}}
		}
		add(x)
	}
	analytes, _ := inUse(l)
	for _, a := range analytes {
		add(observation(l, a))
	}
	for _, t := range l.Tests {
		add(specimens(l, t))
		if len(t.Questions) > 0 {
			add(asks(t))
		}
		a := activityDefinition{ResourceType: "ActivityDefinition", ID: t.Code, Title: t.Name, Status: "active", Kind: "ServiceRequest",
			Code: concept{Coding: []coding{{System: "urn:" + l.ID, Code: t.Code}}}, Specimens: []reference{{"SpecimenDefinition/" + t.Code}}}
		if t.LOINC != "" {
			a.Code.Coding = append(a.Code.Coding, coding{System: loincSystem, Code: t.LOINC})
		}
		for _, w := range t.Also {
			a.Extension = append(a.Extension, said("also", w)...)
		}
		a.Extension = append(a.Extension, said("reflex", t.Reflex)...)
		if t.Turnaround > 0 {
			a.Extension = append(a.Extension, extension{URL: ours + "turnaround", ValueQuantity: &quantity{Value: json.Number(strconv.Itoa(t.Turnaround)),
				Unit: "h", System: ucumSystem, Code: "h"}})
		}
		if t.Price >= 0 {
			a.Extension = append(a.Extension, extension{URL: ours + "price", ValueMoney: &money{json.Number(order.Dollars(t.Price)), "USD"}})
		}
		for _, x := range t.Analytes {
			a.Observations = append(a.Observations, reference{"ObservationDefinition/" + x.Code})
		}
		if len(t.Questions) > 0 {
			a.Related = []artifact{{"depends-on", "Questionnaire/" + t.Code}}
		}
		add(a)
	}
	return json.MarshalIndent(out, "", " ")
}

func observation(l order.Laboratory, a order.Analyte) observationDefinition {
	o := observationDefinition{ResourceType: "ObservationDefinition", ID: a.Code, Extension: said("expected", a.Expected),
		Code: concept{Coding: []coding{{System: "urn:" + l.ID, Code: a.Code}}, Text: a.Name}}
	if a.LOINC != "" {
		o.Code.Coding = append(o.Code.Coding, coding{System: loincSystem, Code: a.LOINC})
	}
	if a.Unit != "" {
		o.Details = &struct {
			Unit *concept `json:"unit,omitempty"`
		}{&concept{Coding: []coding{{System: ucumSystem, Code: a.Unit}}}}
	}
	for _, r := range a.Ranges {
		i := interval{Category: "reference", Gender: map[string]string{"F": "female", "M": "male"}[r.Sex]}
		end := func(v string) *quantity {
			if v == "" {
				return nil
			}
			return &quantity{Value: json.Number(v), System: ucumSystem, Code: a.Unit}
		}
		i.Range = bounds{end(r.Low), end(r.High)}
		age := func(a order.Age) *quantity {
			if a == "" {
				return nil
			}
			unit := map[byte]string{'y': "a", 'm': "mo", 'd': "d"}[a[len(a)-1]]
			return &quantity{Value: json.Number(a[:len(a)-1]), System: ucumSystem, Code: unit}
		}
		if r.From != "" || r.Below != "" {
			i.Age = &bounds{age(r.From), age(r.Below)}
		}
		o.Intervals = append(o.Intervals, i)
	}
	return o
}

func specimens(l order.Laboratory, t order.Test) specimenDefinition {
	s := specimenDefinition{ResourceType: "SpecimenDefinition", ID: t.Code}
	if t.Fasting > 0 {
		s.PatientPreparation = []concept{{Text: fmt.Sprintf("Fasting for %d h", t.Fasting)}}
	}
	for _, n := range t.Needs {
		c, _ := l.Container(n.Container)
		draw, shared := c.Draw, c.Shared
		x := tested{IsDerived: strings.Contains(c.Specimen, "serum") || strings.Contains(c.Specimen, "plasma"), Type: concept{Text: c.Specimen},
			Preference: "preferred", Container: container{Type: &concept{Coding: []coding{{System: "urn:" + l.ID, Code: c.Code}}}, Description: c.Name,
				Minimum: volume(n.Minimum), Extension: []extension{{URL: ours + "draw", ValueInteger: &draw}, {URL: ours + "shared", ValueBoolean: &shared}}}}
		if c.Yield > 0 {
			x.Container.Extension = append(x.Container.Extension, extension{URL: ours + "yield", ValueQuantity: volume(c.Yield)})
		}
		if n.Volume > 0 {
			x.Requirement = strconv.FormatFloat(n.Volume, 'f', -1, 64) + " mL " + c.Specimen
		}
		h := hold{Instruction: t.Handling}
		if n.Keep != "" {
			h.TemperatureQualifier = &concept{Text: n.Keep}
		}
		x.Handling = []hold{h}
		s.TypeTested = append(s.TypeTested, x)
	}
	return s
}

func asks(t order.Test) questionnaire {
	out := questionnaire{ResourceType: "Questionnaire", ID: t.Code, Status: "active"}
	types := map[order.AnswerKind]string{order.AnswerYesNo: "boolean", order.AnswerChoice: "choice", order.AnswerNumber: "decimal", order.AnswerDate: "date",
		order.AnswerDatetime: "dateTime", order.AnswerText: "string"}
	for _, q := range t.Questions {
		i := item{LinkID: q.Code, Text: q.Words, Type: types[q.Kind], Required: q.Required}
		for _, x := range [][2]string{{"unit", q.Unit}, {"low", q.Low}, {"high", q.High}} {
			i.Extension = append(i.Extension, said(x[0], x[1])...)
		}
		for _, c := range q.Choices {
			i.AnswerOption = append(i.AnswerOption, option{ValueString: c})
		}
		if q.When.Question != "" {
			e := enable{Question: q.When.Question, Operator: "=", AnswerString: q.When.Answer}
			for _, on := range t.Questions {
				if on.Code == q.When.Question && on.Kind == order.AnswerYesNo {
					yes := q.When.Answer == "yes"
					e.AnswerString, e.AnswerBoolean = "", &yes
				}
			}
			i.EnableWhen = []enable{e}
		}
		out.Item = append(out.Item, i)
	}
	return out
}
