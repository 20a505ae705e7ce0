package fhir

import (
	"cmp"
	"encoding/json"
	"slices"
	"strings"

	"deftledger/core/outside"
)

// measure is what an observation, or a component of one, measured.
type measure struct {
	ValueQuantity        *quantity
	ValueCodeableConcept *concept
	ValueString          string
	ValueBoolean         *bool
	ValueInteger         *json.Number
	ValueRange           *struct{ Low, High *quantity }
	ValueRatio           *struct{ Numerator, Denominator *quantity }
	ValueDateTime        string
	ValueTime            string
	DataAbsentReason     *concept
	Interpretation       []concept
	ReferenceRange       []struct {
		Low, High *quantity
		Text      string
	}
}

type component struct {
	Code concept
	measure
}

// value is what was measured, with its unit as it was sent.
func (m measure) value() (value, unit string) {
	switch {
	case m.ValueQuantity != nil && m.ValueQuantity.Value != "":
		return m.ValueQuantity.Comparator + m.ValueQuantity.Value.String(), cmp.Or(m.ValueQuantity.Code, m.ValueQuantity.Unit)
	case m.ValueCodeableConcept != nil:
		return m.ValueCodeableConcept.words(), ""
	case m.ValueBoolean != nil:
		return map[bool]string{true: "yes", false: "no"}[*m.ValueBoolean], ""
	case m.ValueInteger != nil:
		return m.ValueInteger.String(), ""
	case m.ValueRange != nil && m.ValueRange.Low != nil && m.ValueRange.High != nil:
		return m.ValueRange.Low.Value.String() + "-" + m.ValueRange.High.Value.String(), cmp.Or(m.ValueRange.High.Code, m.ValueRange.High.Unit)
	case m.ValueRatio != nil && m.ValueRatio.Numerator != nil && m.ValueRatio.Denominator != nil:
		return m.ValueRatio.Numerator.Value.String() + ":" + m.ValueRatio.Denominator.Value.String(), ""
	}
	return strings.TrimSpace(cmp.Or(m.ValueString, m.ValueDateTime, m.ValueTime)), ""
}

// put sets what was measured, its range and flag.
func (m measure) put(i *outside.Item, state string) {
	i.Value, i.Unit = m.value()
	if len(m.ReferenceRange) > 0 {
		g := m.ReferenceRange[0] // others are of other people
		switch {
		case g.Text != "":
			i.Range = g.Text
		case g.Low != nil && g.High != nil:
			i.Range = g.Low.Value.String() + "-" + g.High.Value.String()
		case g.High != nil:
			i.Range = "<=" + g.High.Value.String()
		case g.Low != nil:
			i.Range = ">=" + g.Low.Value.String()
		}
	}
	if len(m.Interpretation) > 0 {
		i.Flag = m.Interpretation[0].code()
	}
	i.Detail = outside.Measured(*i)
	switch {
	case state != "":
		i.Doubt = cmp.Or(i.Doubt, state)
	case i.Value == "" && m.DataAbsentReason != nil:
		i.Doubt = cmp.Or(i.Doubt, "it has no value: "+m.DataAbsentReason.words())
	case i.Value == "":
		i.Doubt = cmp.Or(i.Doubt, "it has no value")
	}
}

// vitalCodes are the vital signs of the profile of FHIR R4, by LOINC, for who does not say the category.
var vitalCodes = strings.Fields("85354-9 8480-6 8462-4 8867-4 9279-1 8310-5 8302-2 29463-7 39156-5 2708-6 59408-5 9843-4 8289-1 77606-2 59576-9")

// listURL says which list of ours an entry of the social history is of.
const listURL = ourRecords + "/list"

func (r *recordReader) observation(e entry) {
	list, class := outside.Results, ""
	if slices.Contains(vitalCodes, loinc(e.Code)) {
		list = outside.Vitals
	}
	for _, c := range several(e.Category) {
		for _, x := range c.Coding {
			switch x.Code {
			case "vital-signs":
				list = outside.Vitals
			case "laboratory":
				list = outside.Results
			case "social-history":
				list = outside.Social
			case "survey":
				class = outside.Survey
			}
			if x.System == listURL {
				class = x.Code
			}
		}
	}
	i := r.base(e, list)
	if i.Title, i.Codes = e.Code.named(); list == outside.Results {
		i.Class = class
	}
	i.Since = r.said(cmp.Or(e.EffectiveDateTime, e.EffectiveInstant, e.EffectivePeriod.Start))
	state := ""
	if s := e.Status; s != "final" && s != "amended" && s != "corrected" {
		state = stateWords(s)
	}
	if list == outside.Social {
		i.Class, i.Until = class, r.said(e.EffectivePeriod.End)
		if c := loinc(e.Code); c == "72166-2" || c == "11367-0" {
			i.Title = "Smoking"
		}
		value, unit := e.value()
		i.Detail, i.Doubt = strings.TrimSpace(value+" "+unit), cmp.Or(i.Doubt, state)
		r.add(i)
		return
	}
	if value, _ := e.value(); value != "" || len(e.Component) == 0 {
		e.measure.put(&i, state)
		r.add(i)
	}
	if up, down, ok := e.pressure(); ok { // one reading, as a chart keeps it
		doubt := i.Doubt
		e.measure.put(&i, state)
		i.Value, i.Unit, i.Doubt = up+"/"+down, "mm[Hg]", cmp.Or(doubt, state)
		i.Detail = outside.Measured(i)
		r.add(i)
		return
	}
	for _, c := range e.Component {
		part := i
		part.Ref, part.Doubt, part.Range, part.Flag = "", r.base(e, list).Doubt, "", ""
		if e.ID != "" {
			part.Ref = e.ID + "/" + cmp.Or(c.Code.code(), c.Code.words())
		}
		part.Title, part.Codes = c.Code.words(), codesOf(c.Code)
		c.measure.put(&part, state)
		r.add(part)
	}
}

// pressure is a blood pressure of which both parts were measured, and nothing else.
func (e entry) pressure() (up, down string, ok bool) {
	if loinc(e.Code) != pressurePanel || len(e.Component) != 2 {
		return "", "", false
	}
	for _, c := range e.Component {
		value, unit := c.value()
		if unit != "mm[Hg]" || c.ValueQuantity == nil || c.ValueQuantity.Comparator != "" {
			return "", "", false
		}
		switch loinc(c.Code) {
		case "8480-6":
			up = value
		case "8462-4":
			down = value
		}
	}
	return up, down, up != "" && down != ""
}

func (r *recordReader) report(e entry) {
	r.attached(e.PresentedForm)
	if len(e.Result) > 0 && e.Conclusion == "" {
		return // its values stand by themselves
	}
	i := r.base(e, outside.Results)
	i.Title, i.Codes = e.Code.named()
	i.Since = r.said(cmp.Or(e.EffectiveDateTime, e.EffectivePeriod.Start))
	i.Value, i.Detail = e.Conclusion, e.Conclusion
	if e.Conclusion == "" {
		i.Doubt = cmp.Or(i.Doubt, "what it found is in its file only")
	}
	if s := e.Status; s != "final" && s != "amended" && s != "corrected" && s != "appended" {
		i.Doubt = cmp.Or(i.Doubt, stateWords(s))
	}
	r.add(i)
}
