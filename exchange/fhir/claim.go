package fhir

import (
	"encoding/json"
	"strconv"
	"strings"
)

// Claim is what a visit's charges are handed to billing with. Dates are YYYY-MM-DD,
// Created is RFC 3339.
type Claim struct {
	ID, Created, Service string
	Practice             string
	Patient              ClaimPatient
	Clinician            string
	Diagnoses            []CodedText // in the order of the claim
	Lines                []ClaimLine
}

// ClaimPatient names the patient of a claim.
type ClaimPatient struct{ Record, Family, Given, BirthDate, Gender string }

// CodedText is a code with its words.
type CodedText struct{ Code, Text string }

// ClaimLine is one service with the diagnoses that justify it, by their place on the
// claim, counted from 1.
type ClaimLine struct {
	System, Code, Text string
	Modifiers          []string
	Units              int
	Diagnoses          []int
}

// Code systems of a claim.
const (
	ICD10CM  = "http://hl7.org/fhir/sid/icd-10-cm"
	HCPCS    = "http://www.cms.gov/Medicare/Coding/HCPCSReleaseCodeSets"
	Licensed = "http://www.ama-assn.org/go/cpt"
)

type m = map[string]any

// Build writes the claim as a FHIR R4 Claim resource (professional).
func (c Claim) Build() ([]byte, error) {
	diagnoses := []m{}
	for i, d := range c.Diagnoses {
		diagnoses = append(diagnoses,
			m{"sequence": i + 1, "diagnosisCodeableConcept": m{"coding": []m{{"system": ICD10CM, "code": d.Code, "display": d.Text}}}})
	}
	items := []m{}
	for i, l := range c.Lines {
		item := m{"sequence": i + 1, "productOrService": m{"coding": []m{{"system": l.System, "code": l.Code}}, "text": l.Text},
			"servicedDate": c.Service, "quantity": m{"value": l.Units}}
		if len(l.Diagnoses) > 0 {
			item["diagnosisSequence"] = l.Diagnoses
		}
		if len(l.Modifiers) > 0 {
			mods := []m{}
			for _, x := range l.Modifiers {
				mods = append(mods, m{"coding": []m{{"code": x}}})
			}
			item["modifier"] = mods
		}
		items = append(items, item)
	}
	out := m{
		"resourceType": "Claim", "id": c.ID, "status": "active", "use": "claim", "created": c.Created,
		"billablePeriod": m{"start": c.Service, "end": c.Service},
		"type":           m{"coding": []m{{"system": "http://terminology.hl7.org/CodeSystem/claim-type", "code": "professional"}}},
		"priority":       m{"coding": []m{{"system": "http://terminology.hl7.org/CodeSystem/processpriority", "code": "normal"}}},
		"contained": []m{
			{"resourceType": "Patient", "id": "patient", "identifier": []m{{"value": c.Patient.Record}},
				"name": []m{{"family": c.Patient.Family, "given": []string{c.Patient.Given}}}, "birthDate": c.Patient.BirthDate,
				"gender": c.Patient.Gender},
			{"resourceType": "Organization", "id": "practice", "name": c.Practice},
			{"resourceType": "Coverage", "id": "coverage", "status": "active", "beneficiary": m{"reference": "#patient"},
				"payor": []m{{"display": "to be completed by billing"}}},
		},
		"patient": m{"reference": "#patient"}, "provider": m{"reference": "#practice"},
		"careTeam":  []m{{"sequence": 1, "provider": m{"display": c.Clinician}}},
		"insurance": []m{{"sequence": 1, "focal": true, "coverage": m{"reference": "#coverage"}}},
		"diagnosis": diagnoses, "item": items,
	}
	return json.MarshalIndent(out, "", "  ")
}

// Rows writes the claim as rows of a table for billing, a line for each service, with the heading first; they are
// written with exchange/table.
func (c Claim) Rows() [][]string {
	out := [][]string{{"visit", "service date", "record", "family", "given", "birth date", "clinician", "line", "service", "words",
		"modifiers", "units", "diagnosis 1", "diagnosis 2", "diagnosis 3", "diagnosis 4"}}
	for i, l := range c.Lines {
		row := []string{c.ID, c.Service, c.Patient.Record, c.Patient.Family, c.Patient.Given, c.Patient.BirthDate, c.Clinician,
			strconv.Itoa(i + 1), l.Code, l.Text, strings.Join(l.Modifiers, " "), strconv.Itoa(l.Units)}
		for k := range 4 {
			code := ""
			if k < len(l.Diagnoses) {
				code = c.Diagnoses[l.Diagnoses[k]-1].Code
			}
			row = append(row, code)
		}
		out = append(out, row)
	}
	return out
}
