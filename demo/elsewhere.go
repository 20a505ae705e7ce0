package demo

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"deftledger/standin"
)

// Elsewhere is what other parties know of the demo's patients, as of a day.
func Elsewhere(now time.Time) *standin.Elsewhere {
	day := func(ago int) string { return now.AddDate(0, 0, -ago).Format(time.DateOnly) }
	return &standin.Elsewhere{
		ReadAfter: 45 * time.Second, Accounts: accounts(), Receivers: receivers(), Pharmacies: pharmacies(), Wants: wants(),
		Questions: []standin.Question{{ID: "pm-3301", Family: "Ellingsund", Given: "Dagny", BirthDate: "1959-12-05", Gender: "female",
			Text: "The walker has not come yet, and the knee is worse on the stairs. May I take ibuprofen for some days, or come in?"}},
		Reading: standin.Reading{Systolic: 132, Diastolic: 84, Pulse: 74, Saturation: 98, Fahrenheit: 98.2, Pounds: 187.4, Inches: 70.5},
		People: []standin.Person{
			{Family: "Tollefsen", Given: "Bram", BirthDate: "1980-10-02", Gender: "male", Record: "SK-21402",
				Dispensed: []standin.Dispensing{
					{ID: "d1", Medicine: "Ibuprofen 600 mg tablet", Dose: "1 tablet three times daily with food", Day: day(1),
						By: "Gannet Bay Walk-in Clinic"},
					{ID: "d2", Medicine: "Cyclobenzaprine 5 mg tablet", Dose: "1 tablet at night as needed", Day: day(1), By: "Gannet Bay Walk-in Clinic"},
					{ID: "d3", Medicine: "Omeprazole 20 mg capsule", Dose: "1 capsule daily", Day: day(40), By: "Northsound Hospital pharmacy"},
					{ID: "d4", Medicine: "Omeprazole 20 mg capsule", Dose: "1 capsule daily", Day: day(130), By: "Northsound Hospital pharmacy"},
				},
				Responses: []json.RawMessage{
					response("pv-21402", "pre-visit", now.AddDate(0, 0, -1),
						group("allergy", str("allergy.what", "Latex"), str("allergy.how", "itching rash")),
						group("condition", str("condition.what", "Heartburn"), str("condition.since", "2021")),
						group("operation", str("operation.what", "Appendix removed"), str("operation.since", "1994")),
						group("relative", str("relative.what", "Heart attack"), str("relative.who", "father, at 61")),
						group("social", str("social.what", "Work"), str("social.how", "harbor, lifts crates daily")),
						group("social", str("social.what", "Tobacco"), str("social.how", "never")),
						group("medicine", str("medicine.what", "Ibuprofen"), str("medicine.how", "600 mg three times daily"))),
					response("ph-21402", "phq-2", now.AddDate(0, 0, -1),
						item("1", `{"valueCoding":{"system":"http://loinc.org","code":"LA6568-5","display":"Not at all"}}`),
						item("2", `{"valueCoding":{"system":"http://loinc.org","code":"LA6569-3","display":"Several days"}}`)),
					response("hx-21402", "back-pain", now.AddDate(0, 0, -1),
						item("duration", `{"valueQuantity":{"value":2,"unit":"days","system":"http://unitsofmeasure.org","code":"d"}}`),
						item("onset", `{"valueCoding":{"code":"sudden","display":"Suddenly"}}`),
						item("trigger", `{"valueCoding":{"code":"lifting","display":"Lifting"}}`),
						item("bladder", `{"valueBoolean":false}`),
						item("worse", `{"valueCoding":{"code":"bending","display":"Bending"}}`, `{"valueCoding":{"code":"lifting","display":"Lifting"}}`)),
				}},
			{Family: "Brekken", Given: "Halvard", BirthDate: "1955-01-22", Gender: "male", Record: "SK-20077",
				Dispensed: []standin.Dispensing{
					{ID: "d5", Medicine: "Prednisone 20 mg tablet", Dose: "2 tablets daily for 5 days", Day: day(20), By: "Gannet Bay Walk-in Clinic"},
					{ID: "d6", Medicine: "Tiotropium", Dose: "18 mcg inhaled daily", Day: day(12), By: "Skerrow Pharmacy"},
				}},
			{Family: "Varga", Given: "Leocadia", BirthDate: "1943-04-27", Gender: "female", Record: "SK-20009",
				Dispensed: []standin.Dispensing{{ID: "d7", Medicine: "Zolpidem 5 mg tablet", Dose: "1 tablet at night", Day: day(15),
					By: "Northsound Hospital pharmacy"}}},
		},
	}
}

// accounts are the portal accounts; the one of Wilhelmina Osei was closed, which her
// chart does not know yet.
func accounts() []string {
	var out []string
	for _, p := range patients {
		if p.portal && p.key != "mina" {
			out = append(out, p.record)
		}
	}
	return out
}

func response(id, questionnaire string, at time.Time, items ...string) json.RawMessage {
	return json.RawMessage(fmt.Sprintf(`{"resourceType":"QuestionnaireResponse","id":%q,"questionnaire":"https://deftledger.example/fhir/Questionnaire/%s|1","status":"completed","authored":%q,"item":[%s]}`,
		id, questionnaire, at.Format(time.RFC3339), strings.Join(items, ",")))
}

func group(link string, items ...string) string {
	return fmt.Sprintf(`{"linkId":%q,"item":[%s]}`, link, strings.Join(items, ","))
}

func item(link string, answers ...string) string {
	return fmt.Sprintf(`{"linkId":%q,"answer":[%s]}`, link, strings.Join(answers, ","))
}

func str(link, s string) string { return item(link, fmt.Sprintf(`{"valueString":%q}`, s)) }
