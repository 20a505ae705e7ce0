package cql

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"regexp"
	"strings"

	"deftledger/core/chart"
	"deftledger/core/reminder"
)

// CommonText is the library that each other includes.
//
//go:embed common.cql
var CommonText string

type object = map[string]any

var number = regexp.MustCompile(`^(<=|>=|<|>)? ?(-?\d+(?:\.\d+)?)$`)

// Chart writes a chart as the FHIR R4 Bundle (collection) that the libraries read. What a history says in words stands in it as the
// rulebook read it, under the names of its sets; what is not certain is unconfirmed, or of unknown status.
func Chart(book *reminder.Book, r chart.Record) ([]byte, error) {
	var entries []object
	add := func(kind, id string, o object) {
		o["resourceType"], o["id"] = kind, id
		entries = append(entries, object{"fullUrl": Base + kind + "/" + id, "resource": o})
	}
	n := 0
	id := func(ref string) string {
		n++
		return strings.Trim(fmt.Sprintf("%d-%s", n, regexp.MustCompile(`[^A-Za-z0-9.-]`).ReplaceAllString(ref, "-")), "-")
	}
	patient := object{"gender": map[string]string{"F": "female", "M": "male", "O": "other", "U": "unknown"}[r.Patient.Sex]}
	if patient["gender"] == "" {
		delete(patient, "gender")
	}
	if _, ok := reminder.SpanOf(r.Patient.BirthDate); ok {
		patient["birthDate"] = r.Patient.BirthDate
	}
	if r.Died != "" {
		if _, ok := reminder.SpanOf(r.Died); ok {
			patient["deceasedDateTime"] = r.Died
		} else {
			patient["deceasedBoolean"] = true
		}
	}
	add("Patient", "patient", patient)
	subject := object{"reference": "Patient/patient"}
	coded := func(system string, codes ...string) object {
		var all []object
		for _, c := range codes {
			all = append(all, object{"system": system, "code": c})
		}
		return object{"coding": all}
	}
	certain := func(system, sure, unsure, doubt string) object {
		if doubt != "" {
			sure = unsure
		}
		return coded("http://terminology.hl7.org/CodeSystem/"+system, sure)
	}
	dated := func(o object, field, text string) {
		if _, ok := reminder.SpanOf(text); ok {
			o[field] = text
		}
	}
	for _, p := range r.Problems {
		o := object{"subject": subject, "code": coded(icd, strings.ToUpper(p.Code)), "verificationStatus": certain("condition-ver-status", "confirmed", "unconfirmed", ""),
			"category": []object{coded("http://terminology.hl7.org/CodeSystem/condition-category", "problem-list-item")}, "clinicalStatus": certain("condition-clinical", "active", "", "")}
		dated(o, "onsetDateTime", p.Since)
		dated(o, "onsetDateTime", p.Onset)
		dated(o, "recordedDate", p.Since)
		if _, ok := reminder.SpanOf(p.Ended); ok {
			o["abatementDateTime"], o["clinicalStatus"] = p.Ended, certain("condition-clinical", "inactive", "", "")
		}
		add("Condition", id(p.ID), o)
	}
	for _, h := range book.Open(r).OfHistories() {
		code := coded(SetSystem, h.Set)
		day := ""
		if !h.Fact.Undated {
			day = dayText(h.Fact.On)
		}
		if h.Condition {
			o := object{"subject": subject, "code": code, "verificationStatus": certain("condition-ver-status", "confirmed", "unconfirmed", h.Fact.Doubt),
				"category": []object{coded(Base+"CodeSystem/category", "history")}}
			dated(o, "onsetDateTime", day)
			add("Condition", id(h.Fact.Ref), o)
			continue
		}
		o := object{"subject": subject, "code": code, "status": "completed"}
		if h.Fact.Doubt != "" {
			o["status"] = "unknown"
		}
		dated(o, "performedDateTime", day)
		add("Procedure", id(h.Fact.Ref), o)
	}
	for _, m := range r.Medicines {
		coding := append(coded(ClassSystem, m.Classes...)["coding"].([]object), coded(PartSystem, m.Ingredients...)["coding"].([]object)...)
		o := object{"subject": subject, "status": "active", "medicationCodeableConcept": object{"coding": coding, "text": m.Name}}
		if m.Told.Says == "not taking" || m.Told.Says == "not known" {
			o["status"] = "unknown"
		}
		period := object{}
		dated(period, "start", m.Started)
		if period["start"] == nil && !m.AddedAt.IsZero() {
			period["start"] = r.DayOf(m.AddedAt)
		}
		dated(period, "end", m.Stopped)
		if len(period) > 0 {
			o["effectivePeriod"] = period
		}
		add("MedicationStatement", id(m.ID), o)
	}
	for _, a := range r.Allergies {
		if a.Substance == "" {
			continue // that none is known
		}
		status := map[string]string{"refuted": "refuted", "doubtful": "unconfirmed"}[a.Certainty]
		if status == "" {
			status = "confirmed"
		}
		o := object{"patient": subject, "code": object{"coding": coded(ClassSystem, a.Classes...)["coding"], "text": a.Substance}, "verificationStatus": certain("allergyintolerance-verification", status, "", "")}
		if len(a.Classes) == 0 {
			o["code"] = object{"text": a.Substance}
		}
		if status != "refuted" {
			o["clinicalStatus"] = certain("allergyintolerance-clinical", "active", "", "")
		}
		add("AllergyIntolerance", id(a.ID), o)
	}
	observed := func(code object, text, unit, day, ref string, sure bool) {
		o := object{"subject": subject, "status": "final", "code": code}
		if !sure {
			o["status"] = "unknown"
		}
		dated(o, "effectiveDateTime", day)
		upper, lower, pair := strings.Cut(text, "/")
		switch {
		case text == "":
		case pair && number.MatchString(strings.TrimSpace(upper)) && number.MatchString(strings.TrimSpace(lower)):
			o["component"] = []object{{"code": coded(loinc, "8480-6"), "valueQuantity": quantity(upper, "mm[Hg]")}, {"code": coded(loinc, "8462-4"), "valueQuantity": quantity(lower, "mm[Hg]")}}
		case number.MatchString(strings.TrimSpace(strings.ReplaceAll(text, ",", ""))):
			o["valueQuantity"] = quantity(strings.ReplaceAll(text, ",", ""), unit)
		default:
			o["valueString"] = strings.Trim(strings.TrimSpace(text), ". ")
		}
		add("Observation", id(ref), o)
	}
	for _, v := range r.Values {
		observed(coded(loinc, v.LOINC), v.Text, v.Unit, v.Day, v.Ref, true)
	}
	for _, s := range r.Services {
		_, known := reminder.SpanOf(s.On)
		for _, set := range book.SetsOfService(s.Name) {
			if set.Quantity {
				observed(coded(SetSystem, set.Name), s.Value, set.Unit, s.On, s.Ref, known)
				continue
			}
			o := object{"subject": subject, "code": coded(SetSystem, set.Name), "status": "completed"}
			if !known {
				o["status"] = "unknown"
			}
			if s.Value != "" {
				o["outcome"] = object{"text": s.Value}
			}
			dated(o, "performedDateTime", s.On)
			add("Procedure", id(s.Ref), o)
		}
	}
	for _, i := range r.Immunizations {
		o := object{"patient": subject, "status": "completed", "vaccineCode": coded(cvx, i.CVX)}
		dated(o, "occurrenceDateTime", i.On)
		if o["occurrenceDateTime"] == nil && i.On == "" && !i.GivenAt.IsZero() {
			o["occurrenceDateTime"] = r.DayOf(i.GivenAt)
		}
		if o["occurrenceDateTime"] == nil {
			o["occurrenceString"] = "not known"
		}
		add("Immunization", id(i.ID), o)
	}
	for _, x := range r.Answers {
		o := object{"subject": subject, "status": "final", "code": coded(QuestionSystem, x.Question), "valueString": x.Value}
		dated(o, "effectiveDateTime", x.Day)
		add("Observation", id(x.ID), o)
	}
	for _, v := range r.Visits {
		if v.Seen {
			add("Encounter", id(v.ID), object{"subject": subject, "status": "finished", "class": object{"system": "http://terminology.hl7.org/CodeSystem/v3-ActCode", "code": "AMB"}, "period": object{"start": v.Day}})
		}
	}
	return json.MarshalIndent(object{"resourceType": "Bundle", "type": "collection", "entry": entries}, "", " ")
}

func quantity(text, unit string) object {
	m := number.FindStringSubmatch(strings.TrimSpace(text))
	q := object{"value": json.Number(m[2])}
	if m[1] != "" {
		q["comparator"] = m[1]
	}
	if unit != "" {
		q["unit"], q["system"], q["code"] = chart.ShownUnit(unit), "http://unitsofmeasure.org", unit
	}
	return q
}

// dayText is a day as precisely as it is known.
func dayText(s reminder.Span) string {
	from, to := s.From.String(), s.To.String()
	switch {
	case from == to:
		return from
	case from[:7] == to[:7]:
		return from[:7]
	}
	return from[:4]
}
