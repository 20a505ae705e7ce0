package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/danielgtaylor/huma/v2"
	"github.com/stretchr/testify/require"

	"deftledger/app"
	"deftledger/app/act"
)

func ask(t *testing.T, files fstest.MapFS, method, path string, headers ...string) *httptest.ResponseRecorder {
	t.Helper()
	r := httptest.NewRequest(method, path, nil)
	for i := 0; i < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	w := httptest.NewRecorder()
	New(&app.App{}, files).ServeHTTP(w, r)
	return w
}

var built = fstest.MapFS{"index.html": {Data: []byte(`<meta name="csp-nonce" content="__NONCE__">`)}, "assets/a.js": {Data: []byte("1")},
	"notices.txt": {Data: []byte("Apache")}}

func TestEveryPageHasItsOwnNonce(t *testing.T) {
	nonce := regexp.MustCompile(`content="([^"]+)"`)
	seen := map[string]bool{}
	for range 3 {
		w := ask(t, built, http.MethodGet, "/patients/x/visits/y")
		require.Equal(t, 200, w.Code)
		n := nonce.FindStringSubmatch(w.Body.String())[1]
		require.GreaterOrEqual(t, len(n), 20)
		require.Contains(t, w.Header().Get("Content-Security-Policy"), "style-src 'self' 'nonce-"+n+"'")
		require.Equal(t, "no-store", w.Header().Get("Cache-Control"))
		require.Equal(t, "nosniff", w.Header().Get("X-Content-Type-Options"))
		require.False(t, seen[n])
		seen[n] = true
	}
}

func TestStaticFiles(t *testing.T) {
	for _, c := range []struct {
		method, path string
		code         int
		says         string
	}{
		{http.MethodGet, "/assets/a.js", 200, "1"},
		{http.MethodGet, "/assets/b.js", 404, "There is no such file."},
		{http.MethodGet, "/notices.txt", 200, "Apache"},
		{http.MethodGet, "/assets/../index.html", 404, ""},
		{http.MethodGet, "/api/nothing", 404, "There is nothing at this address."},
		{http.MethodPost, "/desk", 405, "This address only shows the page."},
	} {
		w := ask(t, built, c.method, c.path)
		require.Equal(t, c.code, w.Code, c.path)
		require.Contains(t, w.Body.String(), c.says, c.path)
	}
	require.Contains(t, ask(t, built, http.MethodGet, "/assets/a.js").Header().Get("Cache-Control"), "immutable")
	w := ask(t, fstest.MapFS{}, http.MethodGet, "/")
	require.Equal(t, 503, w.Code)
	require.Contains(t, w.Body.String(), "make build")
}

func TestWritesFromElsewhereAreRefused(t *testing.T) {
	for _, headers := range [][]string{{"Sec-Fetch-Site", "cross-site"}, {"Sec-Fetch-Site", "same-site"},
		{"Origin", "http://elsewhere.example"}} {
		w := ask(t, built, http.MethodPost, "/api/session", headers...)
		require.Equal(t, 403, w.Code, headers)
		require.Equal(t, "application/problem+json", w.Header().Get("Content-Type"))
	}
}

// What goes wrong inside is told in words, never with what it was about.
func TestErrorsKeepTheirSecrets(t *testing.T) {
	inside := fmt.Errorf("saving %q: %w", "Ottoline has gout", errors.New("disk I/O"))
	m := answer(inside).(*huma.ErrorModel)
	require.Equal(t, 500, m.Status)
	require.NotContains(t, m.Detail, "gout")
	m = answer(&act.Refusal{Kind: act.Conflict, Code: "stale", Message: "Look again."}).(*huma.ErrorModel)
	require.Equal(t, []any{409, "Look again.", "deftledger:stale"}, []any{m.Status, m.Detail, m.Type})
	require.NoError(t, answer(nil))
	e := huma.NewError(422, "validation failed", &huma.ErrorDetail{Message: "expected number", Location: "body.base", Value: "private words"})
	require.NotContains(t, fmt.Sprint(e, e.(*huma.ErrorModel).Errors[0]), "private")
}

func TestTheDescriptionIsWhole(t *testing.T) {
	text, err := Description()
	require.NoError(t, err)
	for _, path := range []string{"/api/session", "/api/notes/{id}/parts/{part}", "/api/quarantine/{number}/attach"} {
		require.Contains(t, string(text), `"`+path+`"`)
	}
	require.NotContains(t, strings.ToLower(string(text)), `"null"`, "lists are never null")
}
