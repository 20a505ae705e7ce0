package standin_test

import (
	"context"
	"encoding/json"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/core/outside"
	"deftledger/exchange/fhir"
	"deftledger/standin"
)

func others(t *testing.T) *standin.Elsewhere {
	t.Helper()
	e := &standin.Elsewhere{
		Reading: standin.Reading{Systolic: 132, Diastolic: 84, Pulse: 74, Saturation: 98, Fahrenheit: 98.2, Pounds: 187.4, Inches: 70.5},
		People: []standin.Person{{Family: "Roe", Given: "Caspian", BirthDate: "1997-02-18", Gender: "male", Record: "SK-1",
			Dispensed: []standin.Dispensing{{ID: "d1", Medicine: "Budesonide", Dose: "2 puffs", Day: "2026-11-01", By: "Pharmacy"}},
			Responses: []json.RawMessage{json.RawMessage(`{"resourceType":"QuestionnaireResponse","id":"r","questionnaire":"q","status":"completed"}`)}}},
	}
	require.NoError(t, e.Open("127.0.0.1:0"))
	t.Cleanup(e.Close)
	return e
}

func search(t *testing.T, e *standin.Elsewhere, kind string, pairs ...string) []byte {
	t.Helper()
	q := url.Values{}
	for i := 0; i < len(pairs); i += 2 {
		q.Set(pairs[i], pairs[i+1])
	}
	body, err := fhir.Search(context.Background(), e.Base()+"/fhir", kind, q)
	require.NoError(t, err)
	return body
}

func TestOtherPartiesKnowOnlyWhomTheyKnow(t *testing.T) {
	e := others(t)
	ds, err := fhir.Dispenses(search(t, e, "MedicationDispense", "patient.family", "roe", "patient.given", "Caspian", "patient.birthdate",
		"1997-02-18"))
	require.NoError(t, err)
	require.Equal(t, []fhir.Dispensed{{ID: "d1", Medicine: "Budesonide", Dose: "2 puffs", Day: "2026-11-01", Named: true,
		Subject: outside.Identity{Family: "Roe", Given: "Caspian", BirthDate: "1997-02-18", Sex: "M"}}}, ds.Taken)
	ds, err = fhir.Dispenses(search(t, e, "MedicationDispense", "patient.family", "Roe", "patient.given", "Caspian", "patient.birthdate",
		"1997-02-19"))
	require.NoError(t, err)
	require.Empty(t, ds.Taken, "another birth date is another person")
	rs, err := fhir.Responses(search(t, e, "QuestionnaireResponse", "subject.identifier", "SK-1"))
	require.NoError(t, err)
	require.Len(t, rs.Taken, 1)
	rs, err = fhir.Responses(search(t, e, "QuestionnaireResponse"))
	require.NoError(t, err)
	require.Empty(t, rs.Taken)
}

func TestTheDeviceMeasuresInItsOwnUnits(t *testing.T) {
	e := others(t)
	ms, err := fhir.Observations(search(t, e, "Observation"))
	require.NoError(t, err)
	var says []string
	for _, m := range ms.Taken {
		says = append(says, m.Value+" "+m.Unit)
		require.WithinDuration(t, time.Now(), m.At, time.Minute)
	}
	require.Equal(t, []string{"132/84 mm[Hg]", "74 /min", "98 %", "98.2 [degF]", "187.4 [lb_av]", "70.5 [in_i]"}, says)
	e.Set(func(e *standin.Elsewhere) { e.Reading = standin.Reading{} })
	ms, err = fhir.Observations(search(t, e, "Observation"))
	require.NoError(t, err)
	require.Empty(t, ms, "nothing measured yet")
	e.Set(func(e *standin.Elsewhere) { e.Down = true })
	_, err = fhir.Search(context.Background(), e.Base()+"/fhir", "Observation", nil)
	require.ErrorContains(t, err, "503")
}

func TestTheFaxLineTakesEachFaxOnce(t *testing.T) {
	e := others(t)
	send := func(id, number, body string) (int, string) {
		r, err := http.NewRequest(http.MethodPut, e.Base()+"/fax/"+id, strings.NewReader(body))
		require.NoError(t, err)
		r.Header.Set("Fax-Number", number)
		a, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		defer a.Body.Close()
		text, _ := io.ReadAll(a.Body)
		return a.StatusCode, string(text)
	}
	for range 3 {
		code, _ := send("f1", "555-0190", "%PDF-1.4 x")
		require.Equal(t, http.StatusAccepted, code)
	}
	require.Len(t, e.Faxes(), 1)
	require.Equal(t, 3, e.Faxes()["f1"].Times)
	code, says := send("f2", "555-0000", "%PDF-1.4 x")
	require.Equal(t, http.StatusNotFound, code)
	require.Contains(t, says, "no fax machine answers")
	code, _ = send("f3", "555-0190", "plain words")
	require.Equal(t, http.StatusUnprocessableEntity, code)
	require.Len(t, e.Faxes(), 1)
}

// The portal takes a message once for each identifier, and refuses whom it does not know
// and what it cannot read, as FHIR servers do.
func TestThePortalTakesMessages(t *testing.T) {
	e := others(t)
	e.Set(func(e *standin.Elsewhere) { e.Accounts = []string{"SK-1"} })
	put := func(id string, body []byte) (int, string) {
		t.Helper()
		req, err := http.NewRequest(http.MethodPut, e.Base()+"/fhir/Communication/"+id, strings.NewReader(string(body)))
		require.NoError(t, err)
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		text, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return res.StatusCode, fhir.Refused(text)
	}
	build := func(c fhir.Communication) []byte {
		body, err := c.Build()
		require.NoError(t, err)
		return body
	}
	m := build(fhir.Communication{ID: "m1", Record: "SK-1", Text: "Hello."})
	for range 2 {
		status, _ := put("m1", m)
		require.Equal(t, http.StatusCreated, status)
	}
	require.Equal(t, map[string]standin.Message{"m1": {Record: "SK-1", Text: "Hello.", Times: 2}}, e.Messages())
	for words, body := range map[string][]byte{
		"no account with this record number":          build(fhir.Communication{ID: "m2", Record: "SK-2", Text: "Hello."}),
		"that is no Communication of this identifier": m,
		"the attachment is no PDF": build(fhir.Communication{ID: "m2", Record: "SK-1", Text: "x", Title: "Letter",
			PDF: []byte("PK")}),
	} {
		status, refused := put("m2", body)
		require.GreaterOrEqual(t, status, 400)
		require.Less(t, status, 500)
		require.Equal(t, words, refused)
	}
	require.Len(t, e.Messages(), 1)
	e.Set(func(e *standin.Elsewhere) { e.Down = true })
	status, _ := put("m3", m)
	require.Equal(t, http.StatusServiceUnavailable, status)
}
