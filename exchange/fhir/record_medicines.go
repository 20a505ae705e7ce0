package fhir

import (
	"cmp"
	"encoding/json"
	"strings"

	"deftledger/core/outside"
)

type dosage struct {
	Text, PatientInstruction string
	AdditionalInstruction    []concept
	Timing                   struct {
		Code   *concept
		Repeat struct {
			Frequency, FrequencyMax json.Number
			Period, PeriodMax       json.Number
			PeriodUnit              string
			When                    []string
		}
	}
	AsNeededBoolean         bool
	AsNeededCodeableConcept *concept
	Route                   concept
	DoseAndRate             []struct {
		DoseQuantity *quantity
		DoseRange    *struct{ Low, High *quantity }
	}
}

// taken begins a medicine with its name and directions.
func (r *recordReader) taken(e entry, steps []dosage) (i outside.Item, named bool) {
	i = r.base(e, outside.Medicines)
	what := e.MedicationCodeableConcept
	if raw := e.find(e.MedicationReference, r.bundled); raw != nil {
		var m struct{ Code concept }
		if json.Unmarshal(raw, &m) == nil {
			what = m.Code
		}
	}
	i.Title, i.Codes = what.named()
	if i.Title == "" && e.MedicationReference != nil {
		i.Title = strings.TrimSpace(e.MedicationReference.Display)
	}
	none, unknown := absent(what)
	switch {
	case unknown:
		r.missed("It says that nothing is known of medicines, which is not that there are none.")
		return i, false
	case none:
		r.add(outside.Item{List: i.List, Ref: i.Ref, Title: i.Title, None: true, Author: i.Author, At: i.At, Narrative: i.Narrative, Doubt: i.Doubt, Note: i.Note})
		return i, false
	}
	var parts []string
	for _, d := range steps {
		parts = append(parts, d.says())
	}
	i.Detail, i.Reason = strings.Join(parts, "; then "), r.reasons(e)
	return i, true
}

var periods = map[string]string{"s": "second", "min": "minute", "h": "hour", "d": "day", "wk": "week", "mo": "month", "a": "year"}

// says is a step of a dosage in words: the author's, else what is coded.
func (d dosage) says() string {
	out := strings.TrimSpace(cmp.Or(d.Text, d.PatientInstruction))
	if out == "" {
		var parts []string
		for _, x := range d.DoseAndRate {
			switch {
			case x.DoseQuantity != nil:
				parts = append(parts, amount(x.DoseQuantity))
			case x.DoseRange != nil && x.DoseRange.Low != nil && x.DoseRange.High != nil:
				parts = append(parts, x.DoseRange.Low.Value.String()+"-"+amount(x.DoseRange.High))
			}
		}
		if w := d.Route.words(); w != "" {
			parts = append(parts, strings.ToLower(w))
		}
		if w := d.often(); w != "" {
			parts = append(parts, w)
		}
		switch {
		case d.AsNeededCodeableConcept != nil && d.AsNeededCodeableConcept.words() != "":
			parts = append(parts, "as needed for "+d.AsNeededCodeableConcept.words())
		case d.AsNeededBoolean || d.AsNeededCodeableConcept != nil:
			parts = append(parts, "as needed")
		}
		if out = strings.Join(parts, ", "); out == "" {
			out = "a step that is not in words"
		}
	}
	for _, a := range d.AdditionalInstruction {
		out += ", " + a.words()
	}
	return out
}

func (d dosage) often() string {
	t := d.Timing.Repeat
	unit := cmp.Or(periods[t.PeriodUnit], t.PeriodUnit)
	times := t.Frequency.String()
	if t.FrequencyMax != "" {
		times += "-" + t.FrequencyMax.String()
	}
	switch {
	case unit == "" && len(t.When) == 0 && d.Timing.Code != nil:
		return d.Timing.Code.words()
	case unit == "":
		return strings.Join(t.When, ", ")
	case times == "":
		times = "1"
	}
	times = map[string]string{"1": "once", "": "once"}[times] + map[bool]string{true: times + " times", false: ""}[times != "1" && times != ""]
	out := times + " every " + t.Period.String() + " " + unit + "s"
	switch {
	case t.PeriodMax != "":
		out = times + " every " + t.Period.String() + "-" + t.PeriodMax.String() + " " + unit + "s"
	case t.Period == "1":
		out = times + map[bool]string{true: " an ", false: " a "}[unit == "hour"] + unit
	}
	if len(t.When) > 0 {
		out += ", " + strings.Join(t.When, ", ")
	}
	return out
}

func amount(q *quantity) string {
	u := cmp.Or(q.Unit, q.Code)
	if u == "1" {
		u = ""
	}
	return strings.TrimSpace(q.Comparator + q.Value.String() + " " + strings.Trim(u, "{}"))
}

func (r *recordReader) request(e entry) {
	i, named := r.taken(e, e.DosageInstruction)
	if !named {
		return
	}
	i.Since = r.said(e.AuthoredOn)
	i.Author = cmp.Or(r.first(e.Requester), i.Author) // who prescribed it, rather than who wrote that down
	switch s := e.Status; {
	case i.Doubt != "":
		i.Status = outside.NotCertain
	case e.DoNotPerform:
		i.Status, i.Doubt = outside.Denied, "the record says that it is not to be given"
	case e.Intent == "proposal" || e.Intent == "plan" || e.Intent == "option":
		doubted(&i, "it is a "+e.Intent+" there")
	case s == "active":
		i.Status = outside.Active
	case s == "stopped" || s == "cancelled":
		i.Status = outside.Ended
	case s == "completed": // of one that is taken, and of one that was: both are met
		doubted(&i, "completed, with no end")
	default:
		doubted(&i, stateWords(s))
	}
	r.add(i)
}

func (r *recordReader) statement(e entry) {
	i, named := r.taken(e, e.Dosage)
	if !named {
		return
	}
	i.Since, i.Until = r.said(cmp.Or(e.EffectiveDateTime, e.EffectivePeriod.Start)), r.said(e.EffectivePeriod.End)
	switch s := e.Status; {
	case i.Doubt != "":
		i.Status = outside.NotCertain
	case s == "not-taken":
		i.Status, i.Doubt = outside.Denied, "the record says that it is not taken"
	case s == "active":
		i.Status = outside.Active
	case s == "completed" || s == "stopped":
		i.Status = outside.Ended
	default:
		doubted(&i, stateWords(s))
	}
	r.add(i)
}
