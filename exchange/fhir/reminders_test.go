package fhir_test

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/exchange/fhir"
)

// What is given out says what is known and no more: a vaccine without a date has none, what does not apply is not in it, what is not
// known has no code of a state, and a day stands only where something is due.
func TestRemindersGivenOut(t *testing.T) {
	day := time.Date(2026, 11, 27, 9, 30, 0, 0, time.FixedZone("", -5*3600))
	body, err := fhir.Reminders{Day: day, Patient: fhir.ClaimPatient{Record: "SK-1", Family: "Osei", Given: "Mina", BirthDate: "1961-05-09", Gender: "female"},
		Vaccines: []fhir.GivenVaccine{
			{ID: "v1", CVX: "140", Name: "Influenza", On: "2026-10-02T10:00:00-04:00", Lot: "GX-1", Expires: "2027-06-30", Maker: "Gannet", Dose: "0.5 mL", Route: "intramuscular", Site: "left deltoid", By: "Petra Lund"},
			{ID: "v2", CVX: "115", Name: "Tdap", On: "2019", Source: "patient says"},
			{ID: "v3", CVX: "33", Name: "Pneumococcal", Source: "record seen", Dose: "a full vial"},
		},
		Rows: []fhir.ReminderRow{
			{Rule: "colorectal-cancer", Version: "2", Title: "Colorectal cancer screening", Source: "USPSTF 2021", State: "due", Says: "none found", Due: "2026-05-09"},
			{Rule: "hepatitis-c", Version: "1", Title: "Hepatitis C screening", Source: "USPSTF 2020", State: "satisfied", Says: "negative, 2019", Due: ""},
			{Rule: "falls", Version: "1", Title: "Exercise against falls", Source: "USPSTF 2024", State: "declined", Reason: "walks daily"},
			{Rule: "prostate", Version: "1", Title: "Prostate", State: "not applicable"},
			{Rule: "vaccine-zoster", Version: "1", Title: "Shingles vaccine", State: "overdue", Says: "dose 1", Due: "2011-05-09", Vaccines: []string{"187"}},
			{Rule: "vaccine-hepatitis-b-adult", Version: "1", Title: "Hepatitis B", State: "not known", Vaccines: []string{"43", "189"}},
			{Rule: "vaccine-influenza", Version: "2", Title: "Influenza", State: "satisfied", Due: "2027-09-01", Vaccines: []string{"140"}},
		}}.Build()
	require.NoError(t, err)
	var b struct {
		Timestamp string
		Entry     []struct{ Resource map[string]any }
	}
	require.NoError(t, json.Unmarshal(body, &b))
	require.Equal(t, "2026-11-27T09:30:00-05:00", b.Timestamp, "with its zone")
	kinds, of := map[string]int{}, map[string]map[string]any{}
	for _, e := range b.Entry {
		kinds[e.Resource["resourceType"].(string)]++
		of[e.Resource["id"].(string)] = e.Resource
	}
	require.Equal(t, map[string]int{"Patient": 1, "Immunization": 3, "Task": 3, "ImmunizationRecommendation": 1}, kinds)
	require.Equal(t, map[string]any{"value": 0.5, "unit": "mL", "system": "http://unitsofmeasure.org", "code": "mL"}, of["v1"]["doseQuantity"])
	require.Equal(t, true, of["v1"]["primarySource"])
	require.Equal(t, "2019", of["v2"]["occurrenceDateTime"], "as precisely as it is known")
	require.Equal(t, false, of["v2"]["primarySource"])
	require.Equal(t, "not known", of["v3"]["occurrenceString"])
	require.NotContains(t, of["v3"], "doseQuantity", "what is no quantity is none")
	require.Equal(t, "requested", of["task-colorectal-cancer"]["status"])
	require.Equal(t, "completed", of["task-hepatitis-c"]["status"])
	require.Equal(t, "rejected", of["task-falls"]["status"])
	require.Equal(t, map[string]any{"text": "walks daily"}, of["task-falls"]["statusReason"])
	recs := of["recommendation"]["recommendation"].([]any)
	require.Len(t, recs, 3)
	code := func(i int) any {
		c, _ := recs[i].(map[string]any)["forecastStatus"].(map[string]any)["coding"].([]any)
		if len(c) == 0 {
			return nil
		}
		return c[0].(map[string]any)["code"]
	}
	require.Equal(t, []any{"overdue", nil, "complete"}, []any{code(0), code(1), code(2)})
	require.Contains(t, recs[0], "dateCriterion")
	require.NotContains(t, recs[2], "dateCriterion")
}
