package fhir

import (
	"cmp"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"html"
	"maps"
	"strings"

	"github.com/google/uuid"

	"deftledger/core/outside"
	"deftledger/core/result"
)

// address is a code system as FHIR names it.
func address(system string) string {
	for url, id := range systems {
		if id == system {
			return url
		}
	}
	if strings.Trim(system, "0123456789.") == "" && system != "" {
		return "urn:oid:" + system
	}
	return system
}

func conceptOf(i outside.Item) m {
	c := m{"text": i.Title}
	var codings []m
	for _, x := range i.Codes {
		coding := m{"code": x.Code}
		if x.System != "" {
			coding["system"] = address(x.System)
		}
		if x.Title != "" {
			coding["display"] = x.Title
		}
		codings = append(codings, coding)
	}
	if len(codings) > 0 {
		c["coding"] = codings
	}
	return c
}

func coded(system, code string) m {
	return m{"coding": []m{{"system": terms + system, "code": code}}}
}

// written are the sections of a record in the order in which it is read, by LOINC; those that US Core asks for are there when empty, too.
var written = []struct{ list, code, title, none string }{
	{outside.Allergies, "48765-2", "Allergies and intolerances", "Nobody has asked about allergies."},
	{outside.Medicines, "10160-0", "Medicines", "No medicine is on the list."},
	{outside.Problems, "11450-4", "Problems", "No problem is on the list."},
	{outside.Immunizations, "11369-6", "Immunizations", ""}, {outside.Results, "30954-2", "Results", ""}, {outside.Vitals, "8716-3", "Vital signs", ""},
	{outside.Procedures, "47519-4", "Procedures", ""}, {outside.Devices, "46264-8", "Devices", ""}, {outside.Encounters, "46240-8", "Visits", ""}, {outside.Social, "29762-2", "Social history", ""}, {outside.Family, "10157-6", "Family history", ""},
	{outside.Plan, "18776-5", "Plan", ""}, {outside.Team, "85847-2", "Care team", ""},
}

// profiles are those of US Core (HL7 US Core 6.1.0, 2023) that the kinds of resource are written after.
var profiles = map[string]string{"AllergyIntolerance": "us-core-allergyintolerance", "Condition": "us-core-condition-problems-health-concerns", "MedicationRequest": "us-core-medicationrequest",
	"Immunization": "us-core-immunization", "Procedure": "us-core-procedure", "Encounter": "us-core-encounter", "CareTeam": "us-core-careteam"}

// recordIDs is the name space of identifiers that are made from ours, because one of FHIR holds 64 letters of few kinds.
var recordIDs = uuid.MustParse("5b0c6e0e-6f43-5f0e-9d6a-7c1c8a3f9a10")

// WriteRecord writes a record as a document of FHIR R4: a Composition with its narrative, and each entry as its resource. What ReadRecord
// reads of it is the record again: files byte for byte, values with their digits.
func WriteRecord(r outside.Record) ([]byte, error) {
	w := recordWriter{subject: m{"reference": "urn:uuid:" + named("patient "+r.ID)}}
	sections := []m{}
	for _, s := range written {
		var refs []m
		var words strings.Builder
		for _, i := range r.Items {
			if i.List != s.list {
				continue
			}
			resource := w.item(i)
			refs = append(refs, m{"reference": w.add(resource, i.List+" "+i.Ref)})
			words.WriteString("<li>" + html.EscapeString(clean(i.Says())) + "</li>")
		}
		section := m{"title": s.title, "code": m{"coding": []m{{"system": "http://loinc.org", "code": s.code}}}}
		switch {
		case len(refs) > 0:
			section["entry"], section["text"] = refs, div("<ul>"+words.String()+"</ul>")
		case s.none != "":
			section["emptyReason"], section["text"] = coded("list-empty-reason", "unavailable"), div("<p>"+s.none+"</p>")
		default:
			continue
		}
		sections = append(sections, section)
	}
	for _, s := range r.Sections {
		var words strings.Builder
		for line := range strings.Lines(s.HTML) {
			words.WriteString("<p>" + html.EscapeString(clean(line)) + "</p>")
		}
		sections = append(sections, m{"title": s.Title, "code": m{"coding": []m{{"system": "http://loinc.org", "code": cmp.Or(s.Code, "34109-9")}}}, "text": div(words.String())})
	}
	for n, f := range r.Files {
		w.add(m{"resourceType": "DocumentReference", "status": "current", "type": m{"text": cmp.Or(f.Title, "A document")}, "subject": w.subject,
			"content": []m{{"attachment": m{"contentType": cmp.Or(f.Type, "application/octet-stream"), "title": f.Title, "data": base64.StdEncoding.EncodeToString(f.Body)}}}}, fmt.Sprint("file ", n))
	}
	patient := m{"resourceType": "Patient", "name": []m{{"use": "official", "family": r.Patient.Family, "given": []string{r.Patient.Given}}}, "gender": Gender(r.Patient.Sex)}
	if r.Patient.BirthDate != "" {
		patient["birthDate"] = r.Patient.BirthDate
	}
	if r.Patient.Phone != "" {
		patient["telecom"] = []m{{"system": "phone", "value": r.Patient.Phone}}
	}
	var numbers []m
	for _, n := range r.Patient.Records {
		numbers = append(numbers, m{"system": ourRecords, "value": n.Number, "assigner": m{"display": cmp.Or(n.Assigner, r.House)}})
	}
	if len(numbers) > 0 {
		patient["identifier"] = numbers
	}
	house := "urn:uuid:" + named("house "+r.House)
	composition := m{"resourceType": "Composition", "status": "final", "type": m{"coding": []m{{"system": "http://loinc.org", "code": "34133-9", "display": "Summarization of episode note"}}}, "subject": w.subject,
		"date": r.At, "title": cmp.Or(r.Title, "Record"), "custodian": m{"reference": house}, "author": []m{{"display": cmp.Or(r.Author, r.House)}}, "section": sections, "identifier": m{"value": r.ID}}
	entries := []m{{"fullUrl": "urn:uuid:" + named("composition "+r.ID), "resource": with(composition, named("composition "+r.ID))},
		{"fullUrl": w.subject["reference"], "resource": with(patient, named("patient "+r.ID))},
		{"fullUrl": house, "resource": with(m{"resourceType": "Organization", "name": r.House}, named("house "+r.House))}}
	b := m{"resourceType": "Bundle", "type": "document", "identifier": m{"system": ourRecords + "/copy", "value": r.ID}, "timestamp": r.At, "entry": append(entries, w.entries...)}
	return json.Marshal(b)
}

func named(what string) string { return uuid.NewSHA1(recordIDs, []byte(what)).String() }

func with(x m, id string) m {
	out := m{"id": id}
	maps.Copy(out, x)
	return out
}

// clean leaves out what no text of XML may hold.
func clean(s string) string {
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		if r < 0x20 || r == 0xFFFE || r == 0xFFFF {
			return ' '
		}
		return r
	}, s))
}

func div(inner string) m {
	return m{"status": "generated", "div": `<div xmlns="http://www.w3.org/1999/xhtml">` + inner + `</div>`}
}

type recordWriter struct {
	subject m
	entries []m
}

// add puts a resource into the document, and gives back how it is referred to. Ours is its identifier here, kept as it is.
func (w *recordWriter) add(x m, ours string) string {
	id := named(ours)
	if p := profiles[x["resourceType"].(string)]; p != "" {
		x["meta"] = m{"profile": []string{"http://hl7.org/fhir/us/core/StructureDefinition/" + p}}
	}
	w.entries = append(w.entries, m{"fullUrl": "urn:uuid:" + id, "resource": with(x, id)})
	return "urn:uuid:" + id
}

// item is an entry as its resource.
func (w *recordWriter) item(i outside.Item) m {
	x := m{"subject": w.subject}
	put := func(key, value string) {
		if value != "" {
			x[key] = value
		}
	}
	if i.Ref != "" {
		x["identifier"] = []m{{"system": ourRecords + "/entry", "value": i.Ref}}
	}
	if i.Note != "" {
		x["note"] = []m{{"text": i.Note}}
	}
	switch i.List {
	case outside.Problems:
		x["resourceType"], x["code"] = "Condition", conceptOf(i)
		x["category"] = []m{coded("condition-category", "problem-list-item")}
		put("onsetDateTime", fhirMoment(i.Since))
		put("abatementDateTime", fhirMoment(i.Until))
		if i.None {
			x["code"] = m{"text": i.Title, "coding": []m{{"system": address(outside.SNOMED), "code": "160245001", "display": "No current problems or disability"}}}
		}
		w.state(x, i, "condition-clinical", "condition-ver-status", "resolved")
	case outside.Allergies:
		x["resourceType"], x["code"] = "AllergyIntolerance", conceptOf(i)
		delete(x, "subject")
		x["patient"] = w.subject
		if i.None {
			x["code"] = m{"text": i.Title, "coding": []m{{"system": address(outside.SNOMED), "code": "716186003", "display": "No known allergy"}}}
		}
		put("onsetDateTime", fhirMoment(i.Since))
		if words := strings.TrimSuffix(strings.TrimSuffix(i.Detail, i.Severity), ", "); words != "" || i.Severity != "" {
			reaction := m{"manifestation": []m{{"text": words}}}
			if words == "" {
				reaction["manifestation"] = []m{{"coding": []m{{"system": terms + "data-absent-reason", "code": "unknown", "display": "Unknown"}}}}
			}
			if i.Severity == "mild" || i.Severity == "moderate" || i.Severity == "severe" {
				reaction["severity"] = i.Severity
			}
			x["reaction"] = []m{reaction}
		}
		w.state(x, i, "allergyintolerance-clinical", "allergyintolerance-verification", "inactive")
		if i.Certainty != "" {
			x["extension"] = []m{{"url": certaintyURL, "valueString": i.Certainty}}
		} else if i.Status == outside.Active {
			delete(x, "verificationStatus") // nobody has said how sure it is
		}
	case outside.Medicines:
		x["resourceType"], x["medicationCodeableConcept"] = "MedicationStatement", conceptOf(i)
		x["status"] = map[string]string{outside.Active: "active", outside.Ended: "stopped", outside.Denied: "not-taken"}[i.Status]
		if i.None {
			x["medicationCodeableConcept"] = m{"text": i.Title, "coding": []m{{"system": "http://hl7.org/fhir/uv/ips/CodeSystem/absent-unknown-uv-ips", "code": "no-known-medications"}}}
			x["status"] = "active"
		}
		if x["status"] == "" {
			x["status"] = "unknown"
		}
		if p := periodOf(i); p != nil {
			x["effectivePeriod"] = p
		}
		if i.Detail != "" {
			x["dosage"] = []m{{"text": i.Detail}}
		}
		if i.Reason != "" {
			x["reasonCode"] = []m{{"text": i.Reason}}
		}
	case outside.Immunizations:
		x["resourceType"], x["vaccineCode"] = "Immunization", conceptOf(i)
		delete(x, "subject")
		x["patient"] = w.subject
		x["status"] = "completed"
		if at := fhirMoment(i.Since); at != "" {
			x["occurrenceDateTime"] = at
		} else {
			x["_occurrenceDateTime"] = m{"extension": []m{{"url": "http://hl7.org/fhir/StructureDefinition/data-absent-reason", "valueCode": "unknown"}}}
		}
		switch lot, said := strings.CutPrefix(i.Detail, "lot "); {
		case i.Status == outside.NotGiven:
			x["status"], x["statusReason"] = "not-done", m{"text": cmp.Or(i.Detail, "no reason is said")}
		case said:
			x["lotNumber"] = lot
		case i.Detail != "":
			x["note"] = []m{{"text": outside.Joined("; ", i.Detail, i.Note)}}
		}
	case outside.Results, outside.Vitals:
		x["resourceType"], x["code"], x["status"] = "Observation", conceptOf(i), "final"
		category := map[string]string{outside.Results: "laboratory", outside.Vitals: "vital-signs"}[i.List]
		if i.Class == outside.Survey {
			category = "survey"
		}
		x["category"] = []m{coded("observation-category", category)}
		put("effectiveDateTime", fhirMoment(i.Since))
		if up, down, panel := pressure(i); panel {
			part := func(code, title, value string) m {
				return m{"code": m{"text": title, "coding": []m{{"system": "http://loinc.org", "code": code, "display": title}}}, "valueQuantity": m{"value": json.Number(value), "unit": i.Unit, "system": "http://unitsofmeasure.org", "code": i.Unit}}
			}
			x["component"] = []m{part("8480-6", "Systolic blood pressure", up), part("8462-4", "Diastolic blood pressure", down)}
		} else if value, known := quantityOf(i); known {
			x["valueQuantity"] = value
		} else if i.Value != "" {
			x["valueString"] = strings.TrimSpace(i.Value + " " + i.Unit)
		} else {
			x["dataAbsentReason"] = coded("data-absent-reason", "unknown")
		}
		if i.Range != "" {
			x["referenceRange"] = []m{{"text": i.Range}}
		}
		if i.Flag != "" {
			x["interpretation"] = []m{coded("v3-ObservationInterpretation", i.Flag)}
		}
	case outside.Procedures:
		x["resourceType"], x["code"] = "Procedure", conceptOf(i)
		x["status"] = cmp.Or(map[string]string{outside.Done: "completed", outside.NotDone: "not-done"}[i.Status], "unknown")
		if i.Until == "" {
			put("performedDateTime", fhirMoment(i.Since))
		} else {
			x["performedPeriod"] = periodOf(i)
		}
	case outside.Encounters:
		x["resourceType"], x["status"], x["type"] = "Encounter", "finished", []m{conceptOf(i)}
		x["class"] = m{"system": terms + "v3-ActCode", "code": cmp.Or(i.Class, "AMB")}
		if p := periodOf(i); p != nil {
			x["period"] = p
		}
		switch {
		case i.Detail == "":
		case outside.HistoryList(i) != "": // of a stay it is told where it was
			x["location"] = []m{{"location": m{"display": i.Detail}}}
		default:
			x["participant"] = []m{{"individual": m{"display": i.Detail}}}
		}
	case outside.Devices:
		x["resourceType"], x["device"] = "DeviceUseStatement", m{"display": i.Title}
		x["status"] = cmp.Or(map[string]string{outside.Active: "active", outside.Ended: "completed"}[i.Status], "on-hold")
		if p := periodOf(i); p != nil {
			x["timingPeriod"] = p
		}
		if more := outside.Joined("; ", i.Detail, i.Note); more != "" {
			x["note"] = []m{{"text": more}}
		}
	case outside.Family:
		x["resourceType"], x["status"], x["relationship"] = "FamilyMemberHistory", "completed", m{"text": cmp.Or(i.Detail, "not said")}
		delete(x, "subject")
		x["patient"] = w.subject
		x["condition"] = []m{{"code": conceptOf(i)}}
	case outside.Social:
		x["resourceType"], x["code"], x["status"] = "Observation", conceptOf(i), "final"
		x["category"] = []m{coded("observation-category", "social-history")}
		if i.Class != "" {
			x["category"] = []m{coded("observation-category", "social-history"), {"coding": []m{{"system": listURL, "code": i.Class}}}}
		}
		put("valueString", i.Detail)
		if i.Until != "" {
			x["effectivePeriod"] = periodOf(i)
		} else {
			put("effectiveDateTime", fhirMoment(i.Since))
		}
	case outside.Plan:
		x["resourceType"], x["code"], x["status"], x["intent"] = "ServiceRequest", conceptOf(i), "active", "plan"
		put("occurrenceDateTime", fhirMoment(i.Since))
	case outside.Team:
		x["resourceType"], x["status"] = "CareTeam", "active"
		x["participant"] = []m{{"role": []m{{"text": cmp.Or(i.Detail, "not said")}}, "member": m{"display": i.Title}}}
	}
	return x
}

// state sets how a problem or an allergy stands, and how sure that is.
func (w *recordWriter) state(x m, i outside.Item, clinical, verification, ended string) {
	x["verificationStatus"] = coded(verification, "confirmed")
	switch i.Status {
	case outside.Denied:
		x["verificationStatus"], x["clinicalStatus"] = coded(verification, "refuted"), coded(clinical, "inactive") // which R4 asks for all the same
	case outside.Ended:
		x["clinicalStatus"] = coded(clinical, ended)
	case outside.NotCertain:
		x["verificationStatus"], x["clinicalStatus"] = coded(verification, "unconfirmed"), coded(clinical, "active")
	default:
		x["clinicalStatus"] = coded(clinical, "active")
	}
}

func periodOf(i outside.Item) m {
	p := m{}
	if at := fhirMoment(i.Since); at != "" {
		p["start"] = at
	}
	if at := fhirMoment(i.Until); at != "" {
		p["end"] = at
	}
	if len(p) == 0 {
		return nil
	}
	return p
}

// pressure takes a blood pressure apart, which FHIR has as a panel of two.
func pressure(i outside.Item) (up, down string, panel bool) {
	up, down, two := strings.Cut(i.Value, "/")
	_, a := result.Plain(up)
	_, b := result.Plain(down)
	return up, down, two && a && b && json.Valid([]byte(up)) && json.Valid([]byte(down)) && i.CodeIn(outside.LOINC) == pressurePanel && i.Unit == "mm[Hg]"
}

// pressurePanel is the LOINC code of a blood pressure.
const pressurePanel = "85354-9"

// quantityOf is a value that is a number, with its comparator, digits and unit.
func quantityOf(i outside.Item) (q m, known bool) {
	comparator, digits := "", strings.ReplaceAll(i.Value, " ", "")
	for _, p := range []string{"<=", ">=", "<", ">"} {
		if rest, found := strings.CutPrefix(digits, p); found {
			comparator, digits = p, rest
			break
		}
	}
	if _, plain := result.Plain(digits); !plain || !json.Valid([]byte(digits)) {
		return nil, false
	}
	q = m{"value": json.Number(digits)}
	if comparator != "" {
		q["comparator"] = comparator
	}
	if i.Unit != "" {
		q["unit"] = i.Unit
	}
	return q, true
}
