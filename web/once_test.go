package web

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/store"
)

// under sends a request under an identifier.
func (o *office) under(id, who, method, path string, body any) *httptest.ResponseRecorder {
	text, _ := json.Marshal(body)
	r := httptest.NewRequest(method, path, strings.NewReader(string(text)))
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Cookie", o.cookie[who])
	r.Header.Set("Idempotency-Key", id)
	w := httptest.NewRecorder()
	o.handler.ServeHTTP(w, r)
	return w
}

// TestARequestIsDoneOnce: asked again it gets the first answer; with another content, person, patient or operation
// under the same identifier it is refused; a refusal leaves the identifier free.
func TestARequestIsDoneOnce(t *testing.T) {
	o := newOffice(t)
	ask := m{"when": "2w", "reason": "Toe"}
	path := "/api/notes/" + o.note + "/follow-up"
	first := o.under("request-0001", act.Physician, http.MethodPost, path, ask)
	require.Equal(t, 2, first.Code/100, first.Body.String())
	again := o.under("request-0001", act.Physician, http.MethodPost, path, ask)
	require.Equal(t, first.Code, again.Code)
	require.Equal(t, first.Body.String(), again.Body.String(), "the first answer")
	require.Equal(t, first.Header().Get("Content-Type"), again.Header().Get("Content-Type"))
	require.Equal(t, 1, strings.Count(o.ask(act.Physician, http.MethodGet, "/api/notes/"+o.note, nil).body, `"reason":"Toe"`), "it was done once")

	for name, w := range map[string]*httptest.ResponseRecorder{
		"another content":   o.under("request-0001", act.Physician, http.MethodPost, path, m{"when": "3w", "reason": "Toe"}),
		"another person":    o.under("request-0001", act.Assistant, http.MethodPost, path, ask),
		"another operation": o.under("request-0001", act.Physician, http.MethodPost, "/api/patients/p/problems", m{"code": "I10"}),
	} {
		require.Equal(t, http.StatusConflict, w.Code, "%s: %s", name, w.Body.String())
	}
	require.Equal(t, http.StatusUnprocessableEntity, o.under("short", act.Physician, http.MethodPost, path, ask).Code)

	refused := o.under("request-0002", act.Physician, http.MethodPost, "/api/patients/p/problems", m{"code": "nonsense"})
	require.Equal(t, 4, refused.Code/100)
	taken := o.under("request-0002", act.Physician, http.MethodPost, "/api/patients/p/problems", m{"code": "I10"})
	require.Equal(t, 2, taken.Code/100, "what was refused left the identifier free: %s", taken.Body.String())
}

// TestARequestThatACrashLeftWithoutItsAnswer: what was done, and whose answer was not kept before the program ended,
// is answered as it was where the answer holds nothing, and else with what to do. It is never done again.
func TestARequestThatACrashLeftWithoutItsAnswer(t *testing.T) {
	o := newOffice(t)
	left := func(id, operation, body string, ago time.Duration) {
		hash := sha256.Sum256([]byte(body))
		require.NoError(t, o.app.Store.Write(context.Background(), func(q *store.Q) error {
			return q.AddAsked(store.Asked{ID: id, StaffID: act.Physician, Operation: operation, Hash: hash[:], At: o.app.Began.Add(-ago)}, time.Time{})
		}))
	}
	left("request-0003", "POST /api/patients/p/problems", `{"code":"I10"}`, time.Minute)
	w := o.under("request-0003", act.Physician, http.MethodPost, "/api/patients/p/problems", m{"code": "I10"})
	require.Equal(t, http.StatusNoContent, w.Code, w.Body.String())
	require.NotContains(t, o.ask(act.Physician, http.MethodGet, "/api/patients/p", nil).body, "I10", "it is not done again")
	path := "/api/notes/" + o.note + "/follow-up"
	left("request-0004", "POST "+path, `{"reason":"Toe","when":"2w"}`, time.Minute)
	w = o.under("request-0004", act.Physician, http.MethodPost, path, m{"when": "2w", "reason": "Toe"})
	require.Equal(t, http.StatusConflict, w.Code)
	require.Contains(t, w.Body.String(), "Look again")
	left("request-0005", "POST /api/patients/p/problems", `{"code":"I10"}`, -time.Minute) // under way in this program
	w = o.under("request-0005", act.Physician, http.MethodPost, "/api/patients/p/problems", m{"code": "I10"})
	require.Equal(t, http.StatusConflict, w.Code)
}

// TestTheSameRequestAtOnceIsDoneOnce: of many at the same time one is done, and none is done twice.
func TestTheSameRequestAtOnceIsDoneOnce(t *testing.T) {
	o := newOffice(t)
	var wg sync.WaitGroup
	var mu sync.Mutex
	codes := map[int]int{}
	for range 12 {
		wg.Go(func() {
			w := o.under("request-0003", act.Physician, http.MethodPost, "/api/notes/"+o.note+"/follow-up", m{"when": "2w", "reason": "Knee"})
			mu.Lock()
			codes[w.Code]++
			mu.Unlock()
		})
	}
	wg.Wait()
	require.Equal(t, 1, strings.Count(o.ask(act.Physician, http.MethodGet, "/api/notes/"+o.note, nil).body, `"reason":"Knee"`))
	require.Empty(t, codes[http.StatusInternalServerError])
	require.NotEmpty(t, codes[http.StatusOK]+codes[http.StatusNoContent])
}

// TestASecretIsNoPartOfWhatWasAsked: a request sent again without the secret, because signing is open now, is the same.
func TestASecretIsNoPartOfWhatWasAsked(t *testing.T) {
	o := newOffice(t)
	path := "/api/patients/p/orders"
	order := m{"visitId": "v", "priority": "R", "requestId": "r-1", "drawing": "now",
		"tests": []m{{"code": "K", "diagnoses": []string{"I10"}}}, "secret": "kittiwake"}
	first := o.under("request-0004", act.Physician, http.MethodPost, path, order)
	require.Equal(t, 2, first.Code/100, first.Body.String())
	order["secret"] = ""
	again := o.under("request-0004", act.Physician, http.MethodPost, path, order)
	require.Equal(t, first.Body.String(), again.Body.String())
	order["tests"] = []m{{"code": "NA", "diagnoses": []string{"I10"}}}
	require.Equal(t, http.StatusConflict, o.under("request-0005", act.Physician, http.MethodPost, path, order).Code,
		"the order's own identifier does not stand for another order")
}
