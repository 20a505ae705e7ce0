package fhir

import (
	"cmp"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"deftledger/core/result"
)

// Results are reports as they are given out.
type Results struct {
	At      time.Time // when they were written
	Reports []ResultReport
}

// ResultReport is a report. Status is of HL7 table 0123; Collected and Reported are as precise as they came, "" for not stated.
type ResultReport struct {
	ID, Status, Title, LOINC, Code, Number, Collected, Reported, Performer, Notes string
	Patient                                                                       ClaimPatient
	Values                                                                        []result.Value
}

// reportStatus and valueStatus are by HL7 table 0123 and 0085 (concept maps of HL7 v2 to FHIR); what is not known is unknown.
var (
	reportStatus = map[string]string{"F": "final", "C": "corrected", "P": "preliminary", "A": "partial", "R": "partial", "X": "cancelled", "I": "registered", "S": "registered", "O": "registered",
		"W": "entered-in-error"}
	valueStatus = map[string]string{"F": "final", "": "final", "U": "final", "C": "corrected", "P": "preliminary", "S": "preliminary", "R": "preliminary", "X": "cancelled", "N": "cancelled",
		"O": "cancelled", "D": "entered-in-error", "W": "entered-in-error", "I": "registered"}
)

// Build writes a Bundle (collection) of FHIR R4: each Patient once, and for each report a DiagnosticReport with its Observations.
// Values stay as they were sent: a number is a quantity with its digits, anything else a text. A unit is given in words, and as a code
// of no system, because nobody vouches that it is UCUM.
func (x Results) Build() ([]byte, error) {
	var entries []m
	add := func(r m) {
		entries = append(entries, m{"fullUrl": ourBase + r["resourceType"].(string) + "/" + r["id"].(string), "resource": r})
	}
	patients := map[string]string{}
	for _, r := range x.Reports {
		who, there := patients[r.Patient.Record]
		if !there {
			who = fmt.Sprintf("patient-%d", len(patients)+1)
			patients[r.Patient.Record] = who
			p := m{"resourceType": "Patient", "id": who, "identifier": []m{{"system": ourRecords, "value": r.Patient.Record}}, "name": []m{{"family": r.Patient.Family, "given": []string{r.Patient.Given}}},
				"gender": r.Patient.Gender}
			if r.Patient.BirthDate != "" {
				p["birthDate"] = r.Patient.BirthDate
			}
			add(p)
		}
		subject := m{"reference": "Patient/" + who}
		report := r.head(subject)
		var results []m
		var files []m
		for i, v := range r.Values {
			for _, f := range v.Details.Attached {
				if f.Wrong == "" {
					files = append(files, m{"contentType": f.Type, "size": f.Size, "title": v.Name})
				}
			}
			id := fmt.Sprintf("%s-%d", r.ID, i+1)
			add(resultObservation(id, r, v, subject))
			results = append(results, m{"reference": "Observation/" + id})
		}
		if len(results) > 0 {
			report["result"] = results
		}
		if len(files) > 0 {
			report["presentedForm"] = files
		}
		add(report)
	}
	return json.MarshalIndent(m{"resourceType": "Bundle", "type": "collection", "timestamp": x.At.Format(time.RFC3339), "entry": entries}, "", "  ")
}

// Alone writes one report as a DiagnosticReport that contains its Observations, as a portal takes it.
func (r ResultReport) Alone() ([]byte, error) {
	subject := m{"identifier": m{"system": ourRecords, "value": r.Patient.Record}}
	report := r.head(subject)
	var results, inside []m
	for i, v := range r.Values {
		id := fmt.Sprintf("v%d", i+1)
		inside = append(inside, resultObservation(id, r, v, subject))
		results = append(results, m{"reference": "#" + id})
	}
	if len(results) > 0 {
		report["result"], report["contained"] = results, inside
	}
	return json.Marshal(report)
}

// head is a DiagnosticReport without its values.
func (r ResultReport) head(subject m) m {
	report := m{"resourceType": "DiagnosticReport", "id": r.ID, "status": cmp.Or(reportStatus[r.Status], "unknown"), "code": codeOf(r.LOINC, r.Code, r.Title), "subject": subject}
	if r.Number != "" {
		report["identifier"] = []m{{"value": r.Number}}
	}
	if at := fhirMoment(r.Collected); at != "" {
		report["effectiveDateTime"] = at
	}
	if at := fhirMoment(r.Reported); len(at) > len(time.DateOnly) { // an instant
		report["issued"] = at
	}
	if r.Performer != "" {
		report["performer"] = []m{{"display": r.Performer}}
	}
	if r.Notes != "" {
		report["conclusion"] = r.Notes
	}
	return report
}

func resultObservation(id string, r ResultReport, v result.Value, subject m) m {
	o := m{"resourceType": "Observation", "id": id, "status": cmp.Or(valueStatus[v.Status], "unknown"), "code": codeOf(v.LOINC, v.Code, v.Name), "subject": subject,
		"category": []m{{"coding": []m{{"system": terms + "observation-category", "code": "laboratory"}}}}}
	if at := cmp.Or(fhirMoment(v.Details.ObservedAt), fhirMoment(r.Collected)); at != "" {
		o["effectiveDateTime"] = at
	}
	comparator, digits := "", strings.ReplaceAll(v.Text, " ", "")
	for _, p := range []string{"<=", ">=", "<", ">"} {
		if rest, found := strings.CutPrefix(digits, p); found {
			comparator, digits = p, rest
			break
		}
	}
	_, plain := result.Plain(digits)
	switch {
	case v.Text == "":
		o["dataAbsentReason"] = m{"coding": []m{{"system": terms + "data-absent-reason", "code": "unknown"}}}
	case plain && !strings.HasPrefix(digits, "+") && !strings.HasPrefix(digits, ".") && !strings.HasSuffix(digits, ".") && !leadingZero(digits):
		q := m{"value": json.Number(digits)}
		if v.Unit != "" {
			q["unit"] = v.Unit
		}
		if comparator != "" {
			q["comparator"] = comparator
		}
		o["valueQuantity"] = q
	default:
		o["valueString"] = v.Text
	}
	if v.Range != "" {
		o["referenceRange"] = []m{{"text": v.Range}}
	}
	var flags []m
	for f := range strings.SplitSeq(v.Flag, "~") {
		if f != "" {
			flags = append(flags, m{"coding": []m{{"system": terms + "v3-ObservationInterpretation", "code": f}}})
		}
	}
	if len(flags) > 0 {
		o["interpretation"] = flags
	}
	if v.Notes != "" {
		o["note"] = []m{{"text": v.Notes}}
	}
	if v.Details.Method != "" {
		o["method"] = m{"text": v.Details.Method}
	}
	if v.Details.Performer != "" {
		o["performer"] = []m{{"display": v.Details.Performer}}
	}
	return o
}

// leadingZero is a number that JSON does not know as one, such as 007.
func leadingZero(digits string) bool {
	d := strings.TrimPrefix(digits, "-")
	return len(d) > 1 && d[0] == '0' && d[1] != '.'
}

func codeOf(loinc, code, words string) m {
	c := m{"text": cmp.Or(words, code)}
	if loinc != "" {
		c["coding"] = []m{{"system": "http://loinc.org", "code": loinc}}
	}
	return c
}

// fhirMoment writes a moment as FHIR knows it: a year, a month, a day, or to the second with its zone (seconds that were not stated
// are zero, as FHIR R4 has it). An hour alone is its day.
func fhirMoment(s string) string {
	for _, layout := range []string{"2006", "2006-01", time.DateOnly, time.RFC3339} {
		if _, err := time.Parse(layout, s); err == nil {
			return s
		}
	}
	if t, err := time.Parse("2006-01-02T15:04Z07:00", s); err == nil {
		return t.Format(time.RFC3339)
	}
	if _, err := time.Parse("2006-01-02T15Z07:00", s); err == nil {
		return s[:len(time.DateOnly)]
	}
	return ""
}
