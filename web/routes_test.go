package web

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/require"

	"deftledger/app"
	"deftledger/app/act"
	"deftledger/data"
	"deftledger/store/storetest"
)

// opened is a handler over an empty practice.
func opened(t *testing.T) http.Handler {
	t.Helper()
	s := storetest.Open(t, t.TempDir())
	return New(app.New(act.Config{Store: s, Clock: time.Now, Location: time.UTC, FormFiles: data.Forms}), built)
}

// Every route of the description but the door refuses who is not signed in.
func TestNothingIsAnsweredBeforeSigningIn(t *testing.T) {
	raw, err := Description()
	require.NoError(t, err)
	var d struct {
		Paths map[string]map[string]struct {
			OperationID string
			RequestBody *struct {
				Content map[string]struct{ Schema map[string]any }
			}
		}
		Components struct{ Schemas map[string]map[string]any }
	}
	require.NoError(t, json.Unmarshal(raw, &d))
	door := map[string]bool{"sign-in": true, "me": true, "unlock": true, "sign-out": true}
	fill := regexp.MustCompile(`\{[^}]+\}`)
	handler := opened(t)
	tried := 0
	for path, methods := range d.Paths {
		for method, op := range methods {
			if door[op.OperationID] {
				continue
			}
			body := "{}"
			if op.RequestBody != nil {
				body = string(example(t, op.RequestBody.Content["application/json"].Schema, d.Components.Schemas, 0))
			}
			r := httptest.NewRequest(strings.ToUpper(method), fill.ReplaceAllString(path, "1"), strings.NewReader(body))
			r.Header.Set("Content-Type", "application/json")
			w := httptest.NewRecorder()
			handler.ServeHTTP(w, r)
			if strings.Contains(path, "{part}") { // its name is checked before anything else
				require.Contains(t, []int{401, 422}, w.Code, "%s %s", method, path)
				continue
			}
			require.Equal(t, http.StatusUnauthorized, w.Code, "%s %s answered %s", method, path, w.Body.String())
			require.NotContains(t, w.Body.String(), "a-value-of-mine")
			tried++
		}
	}
	require.Greater(t, tried, 60)
	for _, path := range []string{"/api/notes/1/pdf", "/api/notes/1/claim.json", "/api/notes/1/claim.csv", "/api/documents/1", "/api/events"} {
		w := httptest.NewRecorder()
		handler.ServeHTTP(w, httptest.NewRequest(http.MethodGet, path, nil))
		require.Equal(t, http.StatusUnauthorized, w.Code, path)
	}
}

// example makes a body that fits a schema.
func example(t *testing.T, schema map[string]any, all map[string]map[string]any, depth int) []byte {
	t.Helper()
	if ref, ok := schema["$ref"].(string); ok {
		schema = all[ref[strings.LastIndex(ref, "/")+1:]]
	}
	var v any
	if enum, ok := schema["enum"].([]any); ok {
		v = enum[0]
	} else {
		switch schema["type"] {
		case "string":
			v = "a-value-of-mine"
			if n, ok := schema["maxLength"].(float64); ok && n < 15 {
				v = "x"
			}
		case "integer", "number":
			v = 1
		case "boolean":
			v = true
		case "array":
			v = []any{}
		default:
			out := map[string]json.RawMessage{}
			required, _ := schema["required"].([]any)
			properties, _ := schema["properties"].(map[string]any)
			for _, name := range required {
				if depth < 4 {
					out[name.(string)] = example(t, properties[name.(string)].(map[string]any), all, depth+1)
				}
			}
			v = out
		}
	}
	raw, err := json.Marshal(v)
	require.NoError(t, err)
	return raw
}

// What was typed is clinical: a refused body is not echoed.
func TestARefusedBodyIsNotEchoed(t *testing.T) {
	o := newOffice(t)
	for path, body := range map[string]string{
		"/api/findings/read":             `{"area":"liver","text":"secret words","rest":[],"sex":"F"}`,
		"/api/notes/1/findings":          `{"changes":[{"area":"review","state":"secret words"}]}`,
		"/api/visits/1/entries":          `{"list":"secret words secret words secret words"}`,
		"/api/notes/1/looked":            `{"refs":[],"decision":"secret words"}`,
		"/api/visits/1/vitals":           `{"entries":"secret words","confirmed":true}`,
		"/api/forms":                     `{"kind":"secret words"}`,
		"/api/notes/1/drawings":          `secret words`,
		"/api/patients/1/medicines/find": `{"query":["secret words"]}`,
	} {
		w := o.raw(act.Physician, http.MethodPost, path, body)
		require.Equal(t, 4, w.Code/100, path)
		require.NotEqual(t, http.StatusUnauthorized, w.Code, path)
		require.NotContains(t, w.Body.String(), "secret words", path)
		require.Equal(t, "application/problem+json", w.Header().Get("Content-Type"), path)
	}
}

// A clinic's table of services is larger than other bodies; what is larger still is
// refused before it is read.
func TestALargeFormIsTakenAndALargerOneRefused(t *testing.T) {
	o := newOffice(t)
	for size, want := range map[int]int{4 << 20: http.StatusUnprocessableEntity, 11 << 20: http.StatusRequestEntityTooLarge} {
		body := `{"kind":"services","id":"clinic","owner":"clinic","base":1,"body":"` + strings.Repeat("x", size) + `"}`
		w := o.raw(act.Admin, http.MethodPost, "/api/forms", body)
		require.Equal(t, want, w.Code, "%d bytes: %.300s", size, w.Body.String())
	}
	w := o.raw(act.Physician, http.MethodPost, "/api/notes/1/messages", `{"id":"message-1","text":"`+strings.Repeat("x", 2<<20)+`"}`)
	require.Equal(t, http.StatusRequestEntityTooLarge, w.Code)
}

// unread is a body that says when somebody reads it.
type unread struct{ read int }

func (u *unread) Read(p []byte) (int, error) { u.read += len(p); return len(p), nil }

// TestNothingIsReadOfWhoIsNotSignedIn: the session is known before the body is, and a body to sign in with is small.
func TestNothingIsReadOfWhoIsNotSignedIn(t *testing.T) {
	o := newOffice(t)
	for _, path := range []string{"/api/forms", "/api/notes/1/sign", "/api/visits/v/vitals", "/api/session/lock"} {
		sent := &unread{}
		r := httptest.NewRequest(http.MethodPost, path, sent)
		r.Header.Set("Content-Type", "application/json")
		w := httptest.NewRecorder()
		o.handler.ServeHTTP(w, r)
		require.Equal(t, http.StatusUnauthorized, w.Code, path)
		require.Zero(t, sent.read, path)
	}
	w := o.raw("", http.MethodPost, "/api/session", `{"login":"a","password":"`+strings.Repeat("x", 5<<10)+`"}`)
	require.Equal(t, http.StatusRequestEntityTooLarge, w.Code)
}

// TestTheCookieIsSecureWhereTLSIs: by TLS to us, or to a proxy on this machine.
func TestTheCookieIsSecureWhereTLSIs(t *testing.T) {
	o := newOffice(t)
	for _, x := range []struct {
		from, proto string
		secure      bool
	}{{"127.0.0.1:1", "https", true}, {"127.0.0.1:1", "", false}, {"198.51.100.1:1", "https", false}} {
		r := httptest.NewRequest(http.MethodPost, "/api/session", strings.NewReader(`{"login":"physician","password":"kittiwake"}`))
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("X-Forwarded-Proto", x.proto)
		r.RemoteAddr = x.from
		w := httptest.NewRecorder()
		o.handler.ServeHTTP(w, r)
		require.Equal(t, http.StatusNoContent, w.Code)
		require.Equal(t, x.secure, strings.Contains(w.Header().Get("Set-Cookie"), "Secure"), x)
		require.Equal(t, x.secure, w.Header().Get("Strict-Transport-Security") != "", x)
	}
}

// TestOneAddressDoesNotHoldAllDoors: requests of one address above the limit are refused, and of another are not.
func TestOneAddressDoesNotHoldAllDoors(t *testing.T) {
	d := &doors{inside: map[string]int{"192.0.2.1": atOnce}}
	r := gin.New()
	r.Use(d.limit)
	r.GET("/", func(c *gin.Context) { c.Status(http.StatusNoContent) })
	for from, want := range map[string]int{"192.0.2.1:99": http.StatusTooManyRequests, "192.0.2.2:99": http.StatusNoContent} {
		q := httptest.NewRequest(http.MethodGet, "/", nil)
		q.RemoteAddr = from
		w := httptest.NewRecorder()
		r.ServeHTTP(w, q)
		require.Equal(t, want, w.Code, from)
	}
	require.NotContains(t, d.inside, "192.0.2.2", "and who has gone is forgotten")
	q := httptest.NewRequest(http.MethodGet, "/", nil)
	q.RemoteAddr = "127.0.0.1:5"
	q.Header.Set("X-Forwarded-For", "203.0.113.9, 192.0.2.44")
	require.Equal(t, "192.0.2.44", addressOf(q), "a proxy on this machine is believed")
	q.RemoteAddr = "198.51.100.1:5"
	require.Equal(t, "198.51.100.1", addressOf(q), "and nobody else")
}

// notOfOneChart are the readings that show no one patient's chart; every other one is recorded as a look, and
// stands in app/looks_test.go under its name.
var notOfOneChart = []string{"needed", "fhir-clients" /* programs, no patient */, "rulebook", "rule-file", "practice-run", "each-report", "critical" /* names whoever is announced */, "urgency", "result-letters" /* printed, recorded by itself */, "printings" /* names no patient */, "loop" /* over the practice, recorded by itself */, "holdings", "held-by" /* the same */, "standing", "permitted" /* over the team, recorded by itself */, "hold-reasons", "printing-pdf", "printing-fhir", "printing-csv" /* recorded by themselves */, "recall-letters", "plan-fhir" /* names no patient */, "recall-list" /* over the practice, recorded by itself */, "directory" /* names no patient */, "factor", "own-npi", "connections", "specimens" /* the list of the drawing room */, "done-here", "referrals-under-way" /* of the practice, names and no chart */, "own-sessions", "audit", "search-codes", "named-codes", "colleagues", "day", "desk", "desk-count", "to-book", "forms", "form",
	"form-versions", "house", "registration-choices", "outlines", "pins", "services", "me", "tests", "unsigned", "writing-tools", "medical-words",
	"circle" /* names no patient */, "door" /* what the finder says of anybody */, "usual-patients", "openings", "opening", /* recorded by themselves */
	"events", "claim-json", "claim-csv", "note-pdf", /* recorded as handed out and printed */
	"held" /* of nobody yet; recorded by itself */, "sent" /* recorded by its kind */, "compare-records" /* recorded with both */}

// TestEveryReadingOfAChartIsWalked: a new reading has to say whether it is of one chart, and if so stand in the walk.
func TestEveryReadingOfAChartIsWalked(t *testing.T) {
	walk, err := os.ReadFile("../app/looks_test.go")
	require.NoError(t, err)
	api := describe(gin.New(), &server{})
	for path, item := range api.OpenAPI().Paths {
		if item.Get == nil || slices.Contains(notOfOneChart, item.Get.OperationID) {
			continue
		}
		require.Contains(t, string(walk), `"`+item.Get.OperationID+`":`, path)
	}
}
