package fhir

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/outside"
)

// Shapes are those of the FHIR R4 specification (hl7.org/fhir/R4), written here by hand.
func TestDispenses(t *testing.T) {
	got, err := Dispenses([]byte(`{"resourceType":"Bundle","type":"searchset","entry":[
		{"resource":{"resourceType":"MedicationDispense","id":"a","status":"completed","medicationCodeableConcept":{"coding":[{"system":"http://www.nlm.nih.gov/research/umls/rxnorm","code":"197805","display":"Ibuprofen 600 MG Oral Tablet"}]},"whenHandedOver":"2026-11-20T10:00:00-05:00","dosageInstruction":[{"text":"1 tablet three times daily"}]}},
		{"resource":{"resourceType":"MedicationDispense","id":"b","status":"entered-in-error","medicationCodeableConcept":{"text":"Wrong"}}},
		{"resource":{"resourceType":"Patient","id":"p"}}]}`))
	require.NoError(t, err)
	require.Equal(t, []Dispensed{{ID: "a", Medicine: "Ibuprofen 600 MG Oral Tablet", Dose: "1 tablet three times daily", Day: "2026-11-20"}}, got.Taken)
	for _, bad := range []string{`{`, `{"resourceType":"OperationOutcome"}`, `[]`, ``} {
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
	require.Equal(t, "https://x/Questionnaire/q", got.Taken[0].Questionnaire)
	require.Equal(t, []Answer{
		{Link: "allergy.what", Group: "allergy1", Text: "Latex"}, {Link: "allergy.what", Group: "allergy2", Text: "Peanut"},
		{Link: "fever", Yes: &yes}, {Link: "n", Number: "3"}, {Link: "d", Number: "2.50", Unit: "d"}, {Link: "c", Code: "x", Text: "X"},
		{Link: "why", Date: "2026-11"},
	}, got.Taken[0].Answers, "a number keeps the digits it came with")
	unfinished, err := Responses([]byte(`{"resourceType":"QuestionnaireResponse","id":"r","questionnaire":"q","status":"in-progress"}`))
	require.NoError(t, err)
	require.Empty(t, unfinished.Taken)
}

const pulse = `{"resourceType":"Observation","status":"final","code":{"coding":[{"system":"http://loinc.org","code":"8867-4"}]},"effectiveDateTime":"2026-11-23T09:00:00-05:00","valueQuantity":{"value":78,"unit":"beats/minute","code":"/min"}}`

func TestObservations(t *testing.T) {
	got, err := Observations([]byte(`{"resourceType":"Bundle","entry":[{"resource":` + pulse +
		`},{"resource":{"resourceType":"Observation","status":"final","code":{"coding":[{"system":"http://loinc.org","code":"85354-9"}]},"effectiveDateTime":"2026-11-23T14:00:00Z","component":[
		{"code":{"coding":[{"system":"http://loinc.org","code":"8480-6"}]},"valueQuantity":{"value":132,"code":"mm[Hg]"}},
		{"code":{"coding":[{"system":"http://loinc.org","code":"8462-4"}]},"valueQuantity":{"value":84,"code":"mm[Hg]"}}]}},
		{"resource":{"resourceType":"Observation","status":"preliminary","code":{"coding":[{"system":"http://loinc.org","code":"8310-5"}]}}}]}`))
	require.NoError(t, err)
	require.Len(t, got.Taken, 2)
	require.Equal(t, "78", got.Taken[0].Value)
	require.Equal(t, "132/84", got.Taken[1].Value)
	for _, bad := range []string{
		`{"resourceType":"Observation","status":"final","code":{"coding":[{"system":"http://loinc.org","code":"8867-4"}]},"effectiveDateTime":"2026-11-23","valueQuantity":{"value":78,"code":"/min"}}`,
		`{"resourceType":"Observation","status":"final","code":{"text":"pulse"},"effectiveDateTime":"2026-11-23T09:00:00Z","valueQuantity":{"value":78,"code":"/min"}}`,
		`{"resourceType":"Observation","status":"final","code":{"coding":[{"system":"http://loinc.org","code":"8867-4"}]},"effectiveDateTime":"2026-11-23T09:00:00Z"}`,
		`{"resourceType":"Observation","status":"final","code":{"coding":[{"system":"http://loinc.org","code":"85354-9"}]},"effectiveDateTime":"2026-11-23T09:00:00Z","component":[]}`,
	} {
		got, err := Observations([]byte(`{"resourceType":"Bundle","entry":[{"resource":` + bad + `},{"resource":` + pulse + `}]}`))
		require.NoError(t, err)
		require.Len(t, got.Left, 1, bad)
		require.Len(t, got.Taken, 1, "the other is taken")
	}
}

// Answers of parties who never saw our reader, with what has to be taken of them. Written,
// from the specification (hl7.org/fhir/R4), before the reader read them.
func TestAnswersOfStrangers(t *testing.T) {
	patient := `{"resourceType":"Patient","id":"p1","identifier":[{"value":"SK-1","assigner":{"display":"SKERROW"}}],"name":[{"use":"nickname","family":"X","given":["Lina"]},{"use":"official","family":"Marsh","given":["Ottoline","Emma"]}],"birthDate":"1968-03-14","gender":"female"}`
	whose := outside.Identity{Family: "Marsh", Given: "Ottoline", BirthDate: "1968-03-14", Sex: "F", Records: []outside.RecordNumber{{Number: "SK-1", Assigner: "SKERROW"}}}
	dispense := func(fields string) string {
		return `{"resourceType":"MedicationDispense","id":"d","status":"completed",` + fields + `}`
	}
	bundled := func(rs ...string) string {
		var entries []string
		for _, r := range rs {
			entries = append(entries, `{"resource":`+r+`}`)
		}
		return `{"resourceType":"Bundle","entry":[` + strings.Join(entries, ",") + `]}`
	}
	text := `"medicationCodeableConcept":{"text":"Losartan"}`
	for _, c := range []struct {
		name, body string
		want       []Dispensed
		left       int
	}{
		{"a subject in the bundle", bundled(dispense(text+`,"subject":{"reference":"Patient/p1"}`), patient), []Dispensed{{ID: "d", Medicine: "Losartan", Subject: whose, Named: true}}, 0},
		{"a subject in the resource", dispense(text + `,"subject":{"reference":"#p1"},"contained":[` + patient + `]`), []Dispensed{{ID: "d", Medicine: "Losartan", Subject: whose, Named: true}}, 0},
		{"an absolute reference", bundled(dispense(text+`,"subject":{"reference":"https://x.example/fhir/Patient/p1/_history/3"}`), patient), []Dispensed{{ID: "d", Medicine: "Losartan", Subject: whose, Named: true}}, 0},
		{"a subject by its number", dispense(text + `,"subject":{"identifier":{"value":"SK-1"}}`), []Dispensed{{ID: "d", Medicine: "Losartan", Named: true, Subject: outside.Identity{Records: []outside.RecordNumber{{Number: "SK-1"}}}}}, 0},
		{"a subject by name only", dispense(text + `,"subject":{"display":"Ottoline Marsh"}`), []Dispensed{{ID: "d", Medicine: "Losartan"}}, 0},
		{"a subject elsewhere", dispense(text + `,"subject":{"reference":"Patient/other"}`), []Dispensed{{ID: "d", Medicine: "Losartan"}}, 0},
		{"a code and no words", dispense(`"medicationCodeableConcept":{"coding":[{"system":"http://www.nlm.nih.gov/research/umls/rxnorm","code":"197805"}]}`), []Dispensed{{ID: "d", Medicine: "197805"}}, 0},
		{"a medicine contained", dispense(`"medicationReference":{"reference":"#m"},"contained":[{"resourceType":"Medication","id":"m","code":{"text":"Apixaban 5 mg"}}]`), []Dispensed{{ID: "d", Medicine: "Apixaban 5 mg"}}, 0},
		{"a medicine elsewhere", dispense(`"medicationReference":{"reference":"Medication/9","display":"Apixaban"}`), []Dispensed{{ID: "d", Medicine: "Apixaban"}}, 0},
		{"every step of a dose", dispense(text + `,"dosageInstruction":[{"text":"40 mg daily for 5 days"},{"patientInstruction":"20 mg daily for 5 days"},{"sequence":3}]`), []Dispensed{{ID: "d", Medicine: "Losartan", Dose: "40 mg daily for 5 days; then 20 mg daily for 5 days; then a step that is not in words"}}, 0},
		{"in preparation", strings.Replace(dispense(text), "completed", "preparation", 1), nil, 0},
		{"on hold", strings.Replace(dispense(text), "completed", "on-hold", 1), nil, 0},
		{"of a status nobody knows", strings.Replace(dispense(text), "completed", "unknown", 1), []Dispensed{{ID: "d", Medicine: "Losartan", Doubt: `the pharmacy's status is "unknown"`}}, 0},
		{"stopped", strings.Replace(dispense(text), "completed", "stopped", 1), []Dispensed{{ID: "d", Medicine: "Losartan", Doubt: `the pharmacy's status is "stopped"`}}, 0},
		{"a modifier", dispense(text + `,"modifierExtension":[{"url":"https://x.example/not"}]`), []Dispensed{{ID: "d", Medicine: "Losartan", Doubt: "it carries something that may change its meaning and that we do not read"}}, 0},
		{"one that is wrong among good ones", bundled(`{"resourceType":"MedicationDispense","id":7}`, dispense(text), `{"resourceType":"MedicationDispense","status":"completed"}`, `17`), []Dispensed{{ID: "d", Medicine: "Losartan"}}, 2},
		{"not the whole answer", bundled(dispense(text), `{"resourceType":"OperationOutcome","issue":[{"severity":"warning","code":"incomplete","diagnostics":"One pharmacy did not answer"}]}`), []Dispensed{{ID: "d", Medicine: "Losartan"}}, 1},
	} {
		got, err := Dispenses([]byte(c.body))
		require.NoError(t, err, c.name)
		require.Equal(t, c.want, got.Taken, c.name)
		require.Len(t, got.Left, c.left, c.name)
	}
	odd, err := Observations([]byte(`{"resourceType":"Bundle","entry":[{"resource":` + strings.Replace(pulse, `"value":78`, `"value":200,"comparator":">"`, 1) + `},{"resource":` + pulse + `}]}`))
	require.NoError(t, err)
	require.Len(t, odd.Taken, 1)
	require.Contains(t, odd.Left[0], "only known as > 200")
}

// A search reads on to the last page, and nowhere else than where it asked.
func TestSearchReadsEveryPageAndFollowsNobody(t *testing.T) {
	entry := func(id string) string {
		return `{"resource":{"resourceType":"MedicationDispense","id":"` + id + `","status":"completed","medicationCodeableConcept":{"text":"M"}}}`
	}
	elsewhere := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { t.Error("somebody was sent elsewhere") }))
	defer elsewhere.Close()
	mux := http.NewServeMux()
	page := func(entries, next string) http.HandlerFunc {
		return func(w http.ResponseWriter, _ *http.Request) {
			link := ""
			if next != "" {
				link = `"link":[{"relation":"self","url":"x"},{"relation":"next","url":"` + next + `"}],`
			}
			_, _ = w.Write([]byte(`{"resourceType":"Bundle",` + link + `"entry":[` + entries + `]}`))
		}
	}
	mux.HandleFunc("POST /fhir/A/_search", page(entry("1")+","+entry("2"), "/fhir?page=2"))
	mux.HandleFunc("GET /fhir", page(entry("3"), ""))
	mux.HandleFunc("POST /fhir/B/_search", page(entry("1"), elsewhere.URL+"/fhir?page=2"))
	mux.HandleFunc("POST /fhir/C/_search", page(entry("1"), "/fhir/endless"))
	mux.HandleFunc("GET /fhir/endless", page(entry("1"), "/fhir/endless"))
	mux.HandleFunc("POST /fhir/D/_search", func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, elsewhere.URL, http.StatusTemporaryRedirect)
	})
	asked := httptest.NewServer(mux)
	defer asked.Close()
	body, err := Search(t.Context(), asked.URL+"/fhir", "A", url.Values{})
	require.NoError(t, err)
	got, err := Dispenses(body)
	require.NoError(t, err)
	require.Len(t, got.Taken, 3)
	for kind, says := range map[string]string{"B": "another place", "C": "more pages", "D": "do not follow"} {
		_, err := Search(t.Context(), asked.URL+"/fhir", kind, url.Values{})
		require.ErrorContains(t, err, says)
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
