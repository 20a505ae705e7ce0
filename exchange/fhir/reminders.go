package fhir

import (
	"encoding/json"
	"regexp"
	"strings"
	"time"
)

// Reminders are a patient's reminders and vaccines as they are given out.
type Reminders struct {
	Patient  ClaimPatient
	Day      time.Time // when it was written
	Vaccines []GivenVaccine
	Rows     []ReminderRow
}

// GivenVaccine is a vaccine that was given. On is as precisely as known; "" for not known.
type GivenVaccine struct {
	ID, CVX, Name, On, Lot, Expires, Maker, Dose, Route, Site, By, Source string
}

// ReminderRow is how one reminder stands. Vaccines are the CVX codes of a series; State is as core/reminder names it; Due and
// Since are days or "".
type ReminderRow struct {
	Rule, Version, Title, Source, State, Says, Due, Since, Done string
	Vaccines                                                    []string
	Reason                                                      string // of a decision
}

const (
	cvxSystem  = "http://hl7.org/fhir/sid/cvx"
	terms      = "http://terminology.hl7.org/CodeSystem/"
	ourBase    = "https://deftledger.example/fhir/"
	ourRecords = "https://deftledger.example/record"
)

// tasks are the states of a Task by those of a reminder; what does not apply is no task.
var tasks = map[string]string{"due": "requested", "overdue": "requested", "not known": "requested", "could not be computed": "requested", "coming up": "requested", "in hand": "in-progress",
	"satisfied": "completed", "put off": "on-hold", "declined": "rejected"}

// forecasts are the states of a recommendation by those of a reminder of a vaccine.
var forecasts = map[string]string{"due": "due", "overdue": "overdue", "in hand": "due", "coming up": "due", "satisfied": "complete", "put off": "due", "declined": "due"}

var doseOf = regexp.MustCompile(`^(\d+(?:\.\d+)?) ?(mL|mg|g)$`)

// Build writes a Bundle (collection) of FHIR R4: the Patient, each Immunization, one ImmunizationRecommendation, and a Task for each
// other reminder that concerns the patient. Nothing is a day that was not known: an immunization without a date says so.
func (x Reminders) Build() ([]byte, error) {
	var entries []m
	add := func(r m) {
		entries = append(entries, m{"fullUrl": ourBase + r["resourceType"].(string) + "/" + r["id"].(string), "resource": r})
	}
	patient := m{"reference": "Patient/patient"}
	who := m{"resourceType": "Patient", "id": "patient", "identifier": []m{{"system": ourRecords, "value": x.Patient.Record}}, "name": []m{{"family": x.Patient.Family, "given": []string{x.Patient.Given}}}}
	if x.Patient.BirthDate != "" {
		who["birthDate"] = x.Patient.BirthDate
	}
	if x.Patient.Gender != "" {
		who["gender"] = x.Patient.Gender
	}
	add(who)
	for _, v := range x.Vaccines {
		i := m{"resourceType": "Immunization", "id": v.ID, "status": "completed", "vaccineCode": m{"coding": []m{{"system": cvxSystem, "code": v.CVX}}, "text": v.Name}, "patient": patient, "primarySource": v.Source == ""}
		if v.On != "" {
			i["occurrenceDateTime"] = v.On
		} else {
			i["occurrenceString"] = "not known"
		}
		if v.Lot != "" {
			i["lotNumber"] = v.Lot
		}
		if v.Expires != "" {
			i["expirationDate"] = v.Expires
		}
		if v.Maker != "" {
			i["manufacturer"] = m{"display": v.Maker}
		}
		if v.Site != "" {
			i["site"] = m{"text": v.Site}
		}
		if v.Route != "" {
			i["route"] = m{"text": v.Route}
		}
		if d := doseOf.FindStringSubmatch(v.Dose); d != nil {
			i["doseQuantity"] = m{"value": json.Number(d[1]), "unit": d[2], "system": "http://unitsofmeasure.org", "code": d[2]}
		}
		if v.By != "" {
			i["performer"] = []m{{"actor": m{"display": v.By}}}
		}
		if v.Source != "" {
			i["reportOrigin"] = m{"text": v.Source}
		}
		add(i)
	}
	var recommended []m
	for _, r := range x.Rows {
		if r.State == "not applicable" {
			continue
		}
		if len(r.Vaccines) > 0 {
			var codes []m
			for _, c := range r.Vaccines {
				codes = append(codes, m{"system": cvxSystem, "code": c})
			}
			forecast := forecasts[r.State]
			status := m{"text": r.State} // what is not known has no code
			if forecast != "" {
				status["coding"] = []m{{"system": terms + "immunization-recommendation-status", "code": forecast}}
			}
			rec := m{"vaccineCode": []m{{"coding": codes, "text": r.Title}}, "forecastStatus": status,
				"description": strings.TrimSpace(r.Says), "series": r.Title}
			if due := r.Due; due != "" && forecast != "complete" {
				rec["dateCriterion"] = []m{{"code": m{"coding": []m{{"system": "http://loinc.org", "code": "30980-7", "display": "Date vaccine due"}}}, "value": due}}
			}
			if r.Reason != "" {
				rec["forecastReason"] = []m{{"text": r.Reason}}
			}
			recommended = append(recommended, rec)
			continue
		}
		t := m{"resourceType": "Task", "id": "task-" + r.Rule, "status": tasks[r.State], "intent": "proposal", "instantiatesCanonical": ourBase + "PlanDefinition/" + r.Rule + "|" + r.Version, "for": patient,
			"businessStatus": m{"text": r.State}, "code": m{"text": r.Title}, "description": strings.TrimSpace(r.Title + ": " + r.Says), "authoredOn": x.Day.Format(time.RFC3339)}
		if r.Due != "" && r.State != "satisfied" {
			t["restriction"] = m{"period": m{"start": r.Due}}
		}
		if r.Reason != "" {
			t["statusReason"] = m{"text": r.Reason}
		}
		t["note"] = []m{{"text": "After " + r.Source}}
		add(t)
	}
	if len(recommended) > 0 {
		add(m{"resourceType": "ImmunizationRecommendation", "id": "recommendation", "patient": patient, "date": x.Day.Format(time.RFC3339), "recommendation": recommended})
	}
	return json.MarshalIndent(m{"resourceType": "Bundle", "type": "collection", "timestamp": x.Day.Format(time.RFC3339), "entry": entries}, "", " ")
}
