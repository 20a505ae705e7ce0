package web

import (
	"encoding/json"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/app/act"
)

// described is the description as a test reads it.
type described struct {
	Paths map[string]map[string]struct {
		OperationID string
		Parameters  []struct{ Name, In string }
		RequestBody *struct {
			Content map[string]struct{ Schema map[string]any }
		}
	}
	Components struct{ Schemas map[string]map[string]any }
}

// TestEveryOperationAnswersEveryIdentifier calls every operation with identifiers that are there, of somebody else,
// and of no form at all, and with words that no keyboard has: none answers that something broke, and no list is null.
func TestEveryOperationAnswersEveryIdentifier(t *testing.T) {
	o := newOffice(t)
	raw, err := Description()
	require.NoError(t, err)
	var d described
	require.NoError(t, json.Unmarshal(raw, &d))
	fill := regexp.MustCompile(`\{([^}]+)\}`)
	null := regexp.MustCompile(`:\s*null`)
	real := map[string]string{"notes": o.note, "patients": "p", "visits": "v", "find": "p"}
	calls := 0
	for path, methods := range d.Paths {
		for method, op := range methods {
			if op.OperationID == "events" || op.OperationID == "sign-out" || op.OperationID == "lock" {
				continue // one does not end, and two end the session of the test
			}
			for _, id := range []string{"real", "nobody", "a\x00b", "../../p", strings.Repeat("x", 300)} {
				for _, words := range []string{"a-value-of-mine", "a\x00b\x1b\u202e", "'; --\n"} {
					if id != "real" && id != "nobody" && words != "a-value-of-mine" {
						continue
					}
					at := fill.ReplaceAllStringFunc(path, func(m string) string {
						if id != "real" {
							return url.PathEscape(id)
						}
						return real[strings.Split(path, "/")[2]] + map[bool]string{true: "", false: "1"}[real[strings.Split(path, "/")[2]] != ""]
					})
					query := url.Values{}
					for _, p := range op.Parameters {
						if p.In == "query" && p.Name != "day" && p.Name != "before" && p.Name != "list" {
							query.Set(p.Name, words)
						}
					}
					if len(query) > 0 {
						at += "?" + query.Encode()
					}
					body := ""
					if op.RequestBody != nil {
						body = string(example(t, op.RequestBody.Content["application/json"].Schema, d.Components.Schemas, 0))
						quoted, _ := json.Marshal(words)
						body = strings.ReplaceAll(body, `"a-value-of-mine"`, string(quoted))
					}
					w := o.raw(act.Physician, strings.ToUpper(method), at, body)
					calls++
					assert.Less(t, w.Code, 500, "%s %s %s answered %s", method, at, body, w.Body.String())
					if strings.Contains(w.Header().Get("Content-Type"), "json") {
						assert.False(t, null.MatchString(w.Body.String()), "%s %s has a null: %.400s", method, at, w.Body.String())
					}
					if w.Code == http.StatusUnauthorized { // only where a secret is wrong, never for the session
						assert.NotContains(t, w.Body.String(), "Sign in first", "%s %s", method, at)
					}
				}
			}
		}
	}
	require.Greater(t, calls, 800)
}
