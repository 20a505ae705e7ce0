package cql

import (
	"encoding/base64"
	"encoding/json"
	"errors"
	"strings"

	"deftledger/core/reminder"
)

// ErrCannot says that a rule needs what cannot be written as a library.
var ErrCannot = errors.New("it cannot be written as a CQL library")

func resource(l Library, title string) object {
	return object{"resourceType": "Library", "id": l.Name, "url": Base + "Library/" + l.Name, "version": l.Version, "name": l.Name, "title": title, "status": "active",
		"type":    object{"coding": []object{{"system": "http://terminology.hl7.org/CodeSystem/library-type", "code": "logic-library"}}},
		"content": []object{{"contentType": "text/cql", "data": base64.StdEncoding.EncodeToString([]byte(l.Text))}}}
}

func bundle(all ...object) ([]byte, error) {
	var entries []object
	for _, r := range all {
		entries = append(entries, object{"fullUrl": Base + r["resourceType"].(string) + "/" + r["id"].(string), "resource": r})
	}
	return json.MarshalIndent(object{"resourceType": "Bundle", "type": "collection", "entry": entries}, "", " ")
}

func common() object {
	return resource(Library{Name: Common, Version: "1", Text: CommonText}, "What the libraries of the rules share")
}

// Plan is a rule as FHIR R4: a PlanDefinition, the CQL library that says when it is due, and the one that is shared. A rule that
// cannot be written as a library has a PlanDefinition alone, which says so.
func Plan(r *reminder.Rule, sets reminder.Sets, own map[string]string) ([]byte, error) {
	l := Write(r, sets, own)
	var actions []object
	for _, x := range r.Resolve {
		kind, code := x.Act()
		a := object{"title": x.Says}
		if x.Says == "" {
			a["title"] = r.Title
		}
		switch kind {
		case "questionnaire":
			a["definitionCanonical"] = Base + "Questionnaire/" + code
		case "vaccine":
			var all []object
			for c := range strings.SplitSeq(code, " ") {
				all = append(all, object{"system": cvx, "code": c})
			}
			a["code"] = []object{{"coding": all}}
		default:
			a["code"] = []object{{"coding": []object{{"system": Base + "CodeSystem/" + kind, "code": code}}}}
		}
		actions = append(actions, a)
	}
	status := "active"
	if r.Off {
		status = "draft"
	}
	plan := object{"resourceType": "PlanDefinition", "id": r.ID, "url": Base + "PlanDefinition/" + r.ID, "version": l.Version, "name": l.Name, "title": r.Title, "status": status,
		"type":            object{"coding": []object{{"system": "http://terminology.hl7.org/CodeSystem/plan-definition-type", "code": "eca-rule"}}},
		"description":     r.About,
		"publisher":       r.Maintainer,
		"lastReviewDate":  r.Reviewed,
		"relatedArtifact": []object{{"type": "citation", "citation": r.Source.Says()}},
	}
	if r.Source.Mind != "" {
		plan["usage"] = r.Source.Mind
	}
	if len(l.Cannot) > 0 {
		plan["purpose"] = "When it is due is not in this resource: " + strings.Join(l.Cannot, "; ") + " cannot be written as a library."
		plan["action"] = []object{{"title": r.Title, "action": actions}}
		return bundle(plan)
	}
	plan["library"] = []string{Base + "Library/" + l.Name + "|" + l.Version}
	plan["action"] = []object{{"title": r.Title, "condition": []object{{"kind": "applicability", "expression": object{"language": "text/cql", "expression": "\"State\" = 'due'"}}}, "action": actions}}
	return bundle(plan, resource(l, r.Title), common())
}

// MeasureOf is a measure of quality as FHIR R4: a Measure, its CQL library and the one that is shared; ErrCannot where it cannot be written.
func MeasureOf(m *reminder.Measure, sets reminder.Sets) ([]byte, error) {
	l := WriteMeasure(m, sets)
	if len(l.Cannot) > 0 {
		return nil, ErrCannot
	}
	population := func(code, expression string) object {
		return object{"code": object{"coding": []object{{"system": "http://terminology.hl7.org/CodeSystem/measure-population", "code": code}}}, "criteria": object{"language": "text/cql", "expression": expression}}
	}
	measure := object{"resourceType": "Measure", "id": m.ID, "url": Base + "Measure/" + m.ID, "version": l.Version, "name": l.Name, "title": m.Title, "status": "active", "description": m.About,
		"publisher": m.Maintainer, "lastReviewDate": m.Reviewed, "relatedArtifact": []object{{"type": "citation", "citation": m.Source.Says()}}, "library": []string{Base + "Library/" + l.Name + "|" + l.Version},
		"scoring": object{"coding": []object{{"system": "http://terminology.hl7.org/CodeSystem/measure-scoring", "code": "proportion"}}},
		"group": []object{{"population": []object{population("initial-population", "Initial Population"), population("denominator", "Denominator"),
			population("denominator-exclusion", "Denominator Exclusion"), population("numerator", "Numerator")}}}}
	if m.Source.Mind != "" {
		measure["usage"] = m.Source.Mind
	}
	return bundle(measure, resource(l, m.Title), common())
}
