package web

import (
	"context"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/danielgtaylor/huma/v2/humatest"
	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/require"

	"deftledger/app"
	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/coding"
	"deftledger/core/visit"
	"deftledger/data"
	"deftledger/exchange/shipped"
	"deftledger/store"
	"deftledger/store/storetest"
)

// office is a practice behind its API, with one of each role signed in, a patient, a visit
// and its note.
type office struct {
	humatest.TestAPI
	app     *app.App
	handler http.Handler      // all of it, with what stands before the API
	cookie  map[string]string // by role
	note    string
}

// raw sends bytes as somebody through all of the handler.
func (o *office) raw(who, method, path, body string) *httptest.ResponseRecorder {
	r := httptest.NewRequest(method, path, strings.NewReader(body))
	r.Header.Set("Content-Type", "application/json")
	if c := o.cookie[who]; c != "" {
		r.Header.Set("Cookie", c)
	}
	w := httptest.NewRecorder()
	o.handler.ServeHTTP(w, r)
	return w
}

var secretHash = sync.OnceValue(func() string { return act.HashSecret("kittiwake") })

func newOffice(t *testing.T) *office {
	t.Helper()
	ctx := context.Background()
	s := storetest.Open(t, t.TempDir())
	keys, err := act.OpenKeys(t.TempDir(), "practice", true)
	require.NoError(t, err)
	r, err := shipped.Read()
	require.NoError(t, err)
	now := time.Date(2026, 5, 4, 14, 0, 0, 0, time.UTC)
	o := &office{cookie: map[string]string{}}
	o.app = app.New(act.Config{Store: s, Keys: keys, Clock: func() time.Time { return now }, Location: time.UTC, IdleAfter: time.Hour,
		FormFiles:    data.Forms,
		Laboratories: r.Laboratories, Intervals: r.Intervals, Orderables: r.Orderables, Medicines: r.Medicines, Rules: r.RuleSource, Screens: r.Screens, MailRule: r.MailRule, Sensitive: r.Sensitive, House: act.House{Tests: r.HouseTests, Vaccines: r.Vaccines},
		Services: r.Services,
		Codes:    func() (*coding.Library, *coding.Index, error) { l, x := edition(); return l, x, nil }})
	require.NoError(t, s.Write(ctx, func(q *store.Q) error {
		for _, role := range []string{act.Physician, act.Assistant, act.FrontDesk, act.Admin, "second"} {
			staff := store.Staff{ID: role, Login: role, Given: "A", Family: role, Role: role, PasswordHash: secretHash(), SecretHash: secretHash(),
				DraftKey: []byte("k"), Active: true}
			if role == "second" {
				staff.Role = act.Physician
			}
			if err := q.AddStaff(staff); err != nil {
				return err
			}
		}
		p := chart.Patient{ID: "p", Record: "SK-1", Name: chart.Name{Family: "Marsh-Adeyemi", Given: "Ottoline"},
			BirthDate: "1968-03-14", Sex: "F"}
		if err := q.AddPatient(p); err != nil {
			return err
		}
		return q.AddVisit(visit.Visit{ID: "v", PatientID: "p", ClinicianID: act.Physician, Day: "2026-05-04", StartsAt: now, Kind: "Acute visit",
			Reason: "Toe pain", Stage: visit.Ready, StageAt: now})
	}))
	o.handler = New(o.app, fstest.MapFS{})
	o.TestAPI = humatest.Wrap(t, describe(gin.New(), &server{o.app}))
	for _, role := range []string{act.Physician, act.Assistant, act.FrontDesk, act.Admin, "second"} {
		w := o.Post("/api/session", map[string]any{"login": role, "password": "kittiwake"})
		require.Equal(t, http.StatusNoContent, w.Code, w.Body.String())
		o.cookie[role], _, _ = strings.Cut(w.Header().Get("Set-Cookie"), ";")
	}
	w := o.ask(act.Physician, http.MethodPost, "/api/visits/v/start", nil)
	var started Started
	require.NoError(t, json.Unmarshal([]byte(w.body), &started), w.body)
	o.note = started.NoteID
	return o
}

// edition is the code edition that ships, read once.
var edition = sync.OnceValues(func() (*coding.Library, *coding.Index) {
	c, err := shipped.Edition()
	if err != nil {
		panic(err)
	}
	return coding.NewLibrary(c), coding.NewIndex(c, data.Everyday, data.Patients)
})

type answered struct {
	code int
	body string
}

// ask sends a request as somebody; "" for nobody.
func (o *office) ask(who, method, path string, body any) answered {
	args := []any{"Cookie: " + o.cookie[who]}
	if body != nil {
		args = append(args, body)
	}
	w := o.Do(method, path, args...)
	return answered{w.Code, w.Body.String()}
}

type m = map[string]any

// Each row is a request that a browser of ours would not send, or not at that moment, with
// the kind of answer it gets: who asks is asked first, then whether it is well formed, then
// whether it can be done.
func TestRequestsAreAnsweredByKind(t *testing.T) {
	o := newOffice(t)
	long := strings.Repeat("x", 5000)
	n := "/api/notes/" + o.note
	for name, x := range map[string]struct {
		who, method, path string
		body              any
		code              int
		says              string
	}{
		"a field nobody knows":       {act.Physician, "POST", "/api/find", m{"query": "mar", "also": 1}, 422, "unexpected property"},
		"a field left out":           {act.Physician, "POST", "/api/find", m{}, 422, "expected required property"},
		"a number for words":         {act.Physician, "POST", "/api/find", m{"query": 7}, 422, "expected string"},
		"no JSON":                    {act.Physician, "POST", "/api/find", strings.NewReader("mar"), 400, ""},
		"words that are too long":    {act.Physician, "POST", "/api/find", m{"query": long}, 422, "expected length"},
		"a wrong day":                {act.Physician, "GET", "/api/day?day=4.5.2026", nil, 422, "expected string to match"},
		"no such list of the desk":   {act.Physician, "GET", "/api/desk?list=mail", nil, 422, "expected value to be one of"},
		"the desk of the front desk": {act.FrontDesk, "GET", "/api/desk", nil, 403, ""},
		"no such stage": {act.Assistant, "PUT", "/api/visits/v/stage", m{"stage": "asleep", "version": 1}, 422,
			"expected value to be one of"},
		"a stage on a version that is gone": {act.Assistant, "PUT", "/api/visits/v/stage", m{"stage": "ready", "version": 99}, 409,
			"somebody else"},
		"no such visit":                  {act.Physician, "GET", "/api/visits/nobody", nil, 404, "There is no such visit"},
		"no such patient":                {act.Physician, "GET", "/api/patients/nobody", nil, 404, "There is no such patient"},
		"what happened to nobody":        {act.Physician, "GET", "/api/patients/nobody/timeline", nil, 404, "There is no such patient"},
		"a page after what is not there": {act.Physician, "GET", "/api/patients/p/timeline?after=visit+none", nil, 200, `"rows":[]`},
		"no such note":                   {act.Physician, "GET", "/api/notes/none", nil, 404, "There is no such note"},
		"no such part": {act.Physician, "PUT", n + "/parts/prose", m{"text": "x", "base": 0, "saveId": "a"}, 422,
			"expected value to be one of"},
		"a save without a name": {act.Physician, "PUT", n + "/parts/plan", m{"text": "x", "base": 0, "saveId": ""}, 422,
			"no identifier"},
		"a save by the front desk": {act.FrontDesk, "PUT", n + "/parts/plan", m{"text": "x", "base": 0, "saveId": "a"}, 403, ""},
		"a code that is none":      {act.Physician, "PUT", n + "/diagnoses", m{"codes": []string{"ZZZ"}, "version": 1}, 422, "ZZZ"},
		"a heading for a code":     {act.Physician, "PUT", n + "/diagnoses", m{"codes": []string{"M10"}, "version": 1}, 422, "M10"},
		"a finding of no area": {act.Physician, "POST", n + "/findings", m{"changes": []m{{"area": "soul"}}}, 422,
			"expected value to be one of"},
		"a finding of no system": {act.Physician, "POST", n + "/findings",
			m{"changes": []m{{"area": "review", "system": "soul", "finding": "grief", "state": "present"}}}, 422, ""},
		"beside a kind that is none": {act.Physician, "POST", n + "/beside", m{"words": "", "kind": "rumor", "after": ""}, 422,
			"expected value to be one of"},
		"signing with nothing written": {act.Physician, "POST", n + "/sign", m{"secret": "kittiwake", "versions": m{}, "listVersion": 1}, 422,
			"cannot be signed yet"},
		"signing by an assistant": {act.Assistant, "POST", n + "/sign",
			m{"secret": "kittiwake", "versions": m{}, "listVersion": 1}, 403, ""},
		"amending a draft": {act.Physician, "POST", n + "/amendments", m{"secret": "kittiwake", "text": "x"}, 409,
			"not signed yet"},
		"an order of no test": {act.Physician, "POST", "/api/patients/p/orders", m{"visitId": "v", "priority": "R", "requestId": "r",
			"drawing": "now", "tests": []m{}, "secret": "kittiwake"}, 422, ""},
		"no such order":                    {act.Physician, "GET", "/api/orders/none", nil, 404, "There is no such order"},
		"no such result":                   {act.Physician, "GET", "/api/reports/none", nil, 404, ""},
		"a held message that is no number": {act.Physician, "GET", "/api/quarantine/none", nil, 404, ""},
		"no such held message":             {act.Physician, "GET", "/api/quarantine/7", nil, 404, ""},
		"charges of no service": {act.Physician, "PUT", n + "/charges",
			m{"lines": []m{{"code": "00000", "units": 1, "modifiers": []string{}, "pointers": []string{}}},
				"facts": m{"new": false, "problems": []m{}, "externalNotes": 0, "results": 0, "orders": 0, "historian": false, "interpretation": false,
					"discussion": false, "risk": "", "minutes": 0}, "was": 0}, 422, ""},
		"a set that is none": {act.Physician, "POST", n + "/sets", m{"set": "clinic:none", "parts": []string{}}, 404, ""},
		"a letter of no form": {act.Physician, "POST", n + "/letters",
			m{"letter": "none", "text": "x", "secret": "kittiwake"}, 422, ""},
		"the audit by a physician":       {act.Physician, "GET", "/api/audit", nil, 403, ""},
		"the chart by the administrator": {act.Admin, "GET", "/api/patients/p", nil, 403, ""},
		"forms by the front desk":        {act.FrontDesk, "GET", "/api/forms", nil, 403, ""},
		"an intake of no visit":          {act.Assistant, "GET", "/api/visits/none/intake", nil, 404, ""},
		"a return nobody understands":    {act.Physician, "POST", n + "/follow-up", m{"when": "soonish", "reason": ""}, 422, ""},
	} {
		t.Run(name, func(t *testing.T) {
			got := o.ask(x.who, x.method, x.path, x.body)
			require.Equal(t, x.code, got.code, got.body)
			require.Contains(t, strings.ToLower(got.body), strings.ToLower(x.says))
			if x.code != http.StatusOK {
				require.NotContains(t, got.body, long[:50], "what was sent does not come back")
			}
		})
	}
}

func TestASignatureTakesTheSecret(t *testing.T) {
	o := newOffice(t)
	sign := func(secret string) answered {
		return o.ask(act.Physician, "POST", "/api/notes/"+o.note+"/sign", m{"secret": secret, "versions": m{}, "listVersion": 1})
	}
	got := sign("gannet")
	require.Equal(t, http.StatusUnauthorized, got.code, got.body)
	require.NotContains(t, got.body, "gannet")
	got = sign("kittiwake")
	require.Equal(t, http.StatusUnprocessableEntity, got.code, "the secret is right, the note is empty: %s", got.body)
	require.Contains(t, got.body, "cannot be signed yet")
}
