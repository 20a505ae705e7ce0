package fhir

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// Shapes are those of the FHIR R4 specification (hl7.org/fhir/R4), written here by hand.
func TestDispenses(t *testing.T) {
	got, err := Dispenses([]byte(`{"resourceType":"Bundle","type":"searchset","entry":[
		{"resource":{"resourceType":"MedicationDispense","id":"a","status":"completed","medicationCodeableConcept":{"coding":[{"system":"http://www.nlm.nih.gov/research/umls/rxnorm","code":"197805","display":"Ibuprofen 600 MG Oral Tablet"}]},"whenHandedOver":"2026-11-20T10:00:00-05:00","dosageInstruction":[{"text":"1 tablet three times daily"}]}},
		{"resource":{"resourceType":"MedicationDispense","id":"b","status":"entered-in-error","medicationCodeableConcept":{"text":"Wrong"}}},
		{"resource":{"resourceType":"Patient","id":"p"}}]}`))
	require.NoError(t, err)
	require.Equal(t, []Dispensed{{"a", "Ibuprofen 600 MG Oral Tablet", "1 tablet three times daily", "2026-11-20"}}, got)
	for _, bad := range []string{`{`, `{"resourceType":"OperationOutcome"}`,
		`{"resourceType":"Bundle","entry":[{"resource":{"resourceType":"MedicationDispense","status":"completed"}}]}`, `[]`, ``} {
		_, err := Dispenses([]byte(bad))
		require.ErrorIs(t, err, ErrUnreadable, bad)
	}
}

func TestResponses(t *testing.T) {
	yes := true
	got, err := Responses([]byte(`{"resourceType":"QuestionnaireResponse","id":"r","questionnaire":"https://x/Questionnaire/q|2","status":"completed","authored":"2026-11-22","item":[
		{"linkId":"allergy","item":[{"linkId":"allergy.what","answer":[{"valueString":" Latex "}]}]},
		{"linkId":"allergy","item":[{"linkId":"allergy.what","answer":[{"valueString":"Peanut"}]}]},
		{"linkId":"fever","answer":[{"valueBoolean":true}]},
		{"linkId":"n","answer":[{"valueInteger":3}]},
		{"linkId":"d","answer":[{"valueQuantity":{"value":2.50,"code":"d"}}]},
		{"linkId":"c","answer":[{"valueCoding":{"code":"x","display":"X"},"item":[{"linkId":"why","answer":[{"valueDate":"2026-11"}]}]}]}]}`))
	require.NoError(t, err)
	require.Equal(t, "https://x/Questionnaire/q", got[0].Questionnaire)
	require.Equal(t, []Answer{
		{Link: "allergy.what", Group: "allergy1", Text: "Latex"}, {Link: "allergy.what", Group: "allergy2", Text: "Peanut"},
		{Link: "fever", Yes: &yes}, {Link: "n", Number: "3"}, {Link: "d", Number: "2.50", Unit: "d"}, {Link: "c", Code: "x", Text: "X"},
		{Link: "why", Date: "2026-11"},
	}, got[0].Answers, "a number keeps the digits it came with")
	unfinished, err := Responses([]byte(`{"resourceType":"QuestionnaireResponse","id":"r","questionnaire":"q","status":"in-progress"}`))
	require.NoError(t, err)
	require.Empty(t, unfinished)
}

const pulse = `{"resourceType":"Observation","status":"final","code":{"coding":[{"system":"http://loinc.org","code":"8867-4"}]},"effectiveDateTime":"2026-11-23T09:00:00-05:00","valueQuantity":{"value":78,"unit":"beats/minute","code":"/min"}}`

func TestObservations(t *testing.T) {
	got, err := Observations([]byte(`{"resourceType":"Bundle","entry":[{"resource":` + pulse +
		`},{"resource":{"resourceType":"Observation","status":"final","code":{"coding":[{"system":"http://loinc.org","code":"85354-9"}]},"effectiveDateTime":"2026-11-23T14:00:00Z","component":[
		{"code":{"coding":[{"system":"http://loinc.org","code":"8480-6"}]},"valueQuantity":{"value":132,"code":"mm[Hg]"}},
		{"code":{"coding":[{"system":"http://loinc.org","code":"8462-4"}]},"valueQuantity":{"value":84,"code":"mm[Hg]"}}]}},
		{"resource":{"resourceType":"Observation","status":"preliminary","code":{"coding":[{"system":"http://loinc.org","code":"8310-5"}]}}}]}`))
	require.NoError(t, err)
	require.Len(t, got, 2)
	require.Equal(t, "78", got[0].Value)
	require.Equal(t, "132/84", got[1].Value)
	for _, bad := range []string{
		`{"resourceType":"Observation","status":"final","code":{"coding":[{"system":"http://loinc.org","code":"8867-4"}]},"effectiveDateTime":"2026-11-23","valueQuantity":{"value":78,"code":"/min"}}`,
		`{"resourceType":"Observation","status":"final","code":{"text":"pulse"},"effectiveDateTime":"2026-11-23T09:00:00Z","valueQuantity":{"value":78,"code":"/min"}}`,
		`{"resourceType":"Observation","status":"final","code":{"coding":[{"system":"http://loinc.org","code":"8867-4"}]},"effectiveDateTime":"2026-11-23T09:00:00Z"}`,
		`{"resourceType":"Observation","status":"final","code":{"coding":[{"system":"http://loinc.org","code":"85354-9"}]},"effectiveDateTime":"2026-11-23T09:00:00Z","component":[]}`,
	} {
		_, err := Observations([]byte(bad))
		require.ErrorIs(t, err, ErrUnreadable, bad)
	}
}

func FuzzFHIR(f *testing.F) {
	f.Add([]byte(pulse))
	f.Add([]byte(`{"resourceType":"Bundle","entry":[{"resource":null},{}]}`))
	f.Fuzz(func(_ *testing.T, b []byte) {
		_, _ = Dispenses(b)
		_, _ = Responses(b)
		_, _ = Observations(b)
	})
}
