package web

import (
	"context"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/sharing"
)

// over asks the FHIR interface, as another program does.
func (o *office) over(t *testing.T, token, method, path, form string) (int, http.Header, map[string]any) {
	t.Helper()
	r := httptest.NewRequest(method, path, strings.NewReader(form))
	if form != "" {
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	}
	if token != "" {
		r.Header.Set("Authorization", "Bearer "+token)
	}
	w := httptest.NewRecorder()
	o.handler.ServeHTTP(w, r)
	var out map[string]any
	if strings.Contains(w.Header().Get("Content-Type"), "json") {
		require.NoError(t, json.Unmarshal(w.Body.Bytes(), &out), w.Body.String())
	}
	return w.Code, w.Header(), out
}

// The interface speaks FHIR over HTTP: what it can, who may, what was found page by page, and refusals as outcomes. It changes nothing.
func TestTheFHIRInterface(t *testing.T) {
	o := newOffice(t)
	ctx := context.Background()
	admin, desk := act.Actor{ID: act.Admin, Name: "A admin", Role: act.Admin}, act.Actor{ID: act.FrontDesk, Name: "A desk", Role: act.FrontDesk}
	code, _, capability := o.over(t, "", http.MethodGet, "/fhir/metadata", "")
	require.Equal(t, http.StatusOK, code, "what it can is told to anybody")
	require.Equal(t, "4.0.1", capability["fhirVersion"])
	code, head, refused := o.over(t, "", http.MethodGet, "/fhir/Patient/p", "")
	require.Equal(t, http.StatusUnauthorized, code)
	require.Contains(t, head.Get("WWW-Authenticate"), "Bearer")
	require.Equal(t, "OperationOutcome", refused["resourceType"])
	code, _, _ = o.over(t, "dl_guess", http.MethodGet, "/fhir/Patient/p", "")
	require.Equal(t, http.StatusUnauthorized, code)
	// A session of ours opens nothing here.
	require.Equal(t, http.StatusUnauthorized, o.raw(act.Physician, http.MethodGet, "/fhir/Patient/p", "").Code)

	token, err := o.app.Sharing.GiveToken(ctx, admin, "reader", []string{"system/*.read"})
	require.NoError(t, err)
	code, _, _ = o.over(t, token, http.MethodGet, "/fhir/Patient/p", "")
	require.Equal(t, http.StatusNotFound, code, "she has not agreed")
	require.NoError(t, o.app.Sharing.Agree(ctx, desk, "p", sharing.Consent{Direction: sharing.Out, Given: true, Form: "spoken", Day: "2026-05-01"}))
	code, head, patient := o.over(t, token, http.MethodGet, "/fhir/Patient/p", "")
	require.Equal(t, http.StatusOK, code)
	require.Contains(t, head.Get("Content-Type"), "application/fhir+json")
	require.Equal(t, "no-store", head.Get("Cache-Control"))
	require.Equal(t, "1968-03-14", patient["birthDate"])
	for _, x := range []string{"N18.31", "M10.071", "I10"} {
		require.NoError(t, o.app.Chart.AddProblem(ctx, act.Actor{ID: act.Physician, Name: "A physician", Role: act.Physician}, "p", x))
	}
	seen := map[string]bool{}
	next := "/fhir/Condition?patient=p&_count=2&_revinclude=Provenance:target"
	for pages := 0; next != ""; pages++ {
		require.Less(t, pages, 3)
		code, _, page := o.over(t, token, http.MethodGet, next, "")
		require.Equal(t, http.StatusOK, code)
		require.EqualValues(t, 3, page["total"])
		for _, e := range page["entry"].([]any) {
			entry := e.(map[string]any)
			if entry["search"].(map[string]any)["mode"] == "match" {
				seen[entry["resource"].(map[string]any)["id"].(string)] = true
			}
		}
		next = ""
		for _, l := range page["link"].([]any) {
			if link := l.(map[string]any); link["relation"] == "next" {
				next = strings.TrimPrefix(link["url"].(string), "http://example.com")
			}
		}
	}
	require.Len(t, seen, 3, "every one on one page, none on two")
	code, _, found := o.over(t, token, http.MethodPost, "/fhir/Patient/_search", "family=marsh&birthdate=1968-03-14")
	require.Equal(t, http.StatusOK, code)
	require.EqualValues(t, 1, found["total"])
	require.NotContains(t, found["link"].([]any)[0].(map[string]any)["url"], "marsh", "no name stands in an address")
	for path, want := range map[string]int{"/fhir/Condition": http.StatusBadRequest, "/fhir/Condition?patient=p&unknown=1": http.StatusBadRequest, "/fhir/Observation?patient=p&date=soon": http.StatusBadRequest,
		"/fhir/Medication/x": http.StatusNotFound, "/fhir/Condition/..%2f..%2fetc": http.StatusNotFound, "/fhir/Binary/none": http.StatusNotFound} {
		code, _, out := o.over(t, token, http.MethodGet, path, "")
		require.Equal(t, want, code, path)
		require.Equal(t, "OperationOutcome", out["resourceType"], path)
	}
	for _, method := range []string{http.MethodPut, http.MethodDelete, http.MethodPatch} {
		code, _, _ := o.over(t, token, method, "/fhir/Patient/p", "")
		require.NotEqual(t, http.StatusOK, code, "nothing is written here")
	}
	hasty := 0
	for range sharing.Burst * 3 {
		if code, head, _ := o.over(t, token, http.MethodGet, "/fhir/Patient/p", ""); code == http.StatusTooManyRequests {
			require.Equal(t, "1", head.Get("Retry-After"))
			hasty++
			break
		}
	}
	require.Equal(t, 1, hasty)
}
