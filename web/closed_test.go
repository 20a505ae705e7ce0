package web

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/circle"
	orderCore "deftledger/core/order"
	"deftledger/store"
)

// ofNoChart are the operations whose address holds an identifier and that show or change no
// one chart: what is of the day, of nobody yet, of the practice's lists, or of one's own.
var ofNoChart = []string{"move-visit", "door", "open-chart", "opening", "review-opening", "usual-patients", "drop-team", "end-cover", "end-own-session",
	"held", "attach", "set-aside", "take-up", "form", "form-versions", "retract-form", "take-apart", "book-follow-up"}

// TestAClosedChartIsClosedToEveryOperation: with identifiers of a chart that is not open to them, a physician of
// another team is refused by every operation, and nothing is changed; once they said why, none of them is.
func TestAClosedChartIsClosedToEveryOperation(t *testing.T) {
	o := newOffice(t)
	ctx := context.Background()
	admin := act.Actor{ID: act.Admin, Role: act.Admin}
	for _, team := range [][]string{{act.Physician, act.Assistant}, {"second"}} {
		_, err := o.app.Circle.SetTeam(ctx, admin, circle.TeamView{Name: team[0], Members: team})
		require.NoError(t, err)
	}
	require.NoError(t, o.app.Store.Write(ctx, func(q *store.Q) error { // one of each kind of thing a chart holds
		now := o.app.Clock()
		_, err := q.AddPrepared(store.Prepared{ID: "prepared", PatientID: "p", VisitID: "v", ForID: act.Physician, ByID: act.Assistant, At: now,
			Priority: "R", State: orderCore.ToSign, RequestID: "r1"})
		return errors.Join(err,
			q.AddDocument(store.Document{ID: "documents", PatientID: "p", NoteID: o.note, Title: "Letter", PDF: []byte("%PDF-1.7"), MadeBy: act.Physician,
				MadeAt: now}),
			q.AddOrder(store.Order{ID: "orders", PatientID: "p", VisitID: "v", ClinicianID: act.Physician, Placer: "SK1", Priority: "R",
				State: orderCore.Signed, SignedAt: now, RequestID: "r2"}))
	}))
	raw, err := Description()
	require.NoError(t, err)
	var d described
	require.NoError(t, json.Unmarshal(raw, &d))
	fill := regexp.MustCompile(`\{([^}]+)\}`)
	own := map[string]string{"notes": o.note, "patients": "p", "packets": "p", "visits": "v", "prepared": "prepared", "documents": "documents", "orders": "orders"}
	elsewhere := regexp.MustCompile(`There is no such (letter|leaflet)|No (device|portal) is connected`)
	try := func(who string, shut bool) (closed, tried int) {
		for path, methods := range d.Paths {
			room := strings.Split(path, "/")[2]
			for method, op := range methods {
				if !strings.Contains(path, "{id}") || own[room] == "" || slices.Contains(ofNoChart, op.OperationID) {
					continue
				}
				n := 0
				at := fill.ReplaceAllStringFunc(path, func(m string) string {
					if n++; n == 1 {
						return url.PathEscape(own[room])
					}
					return map[string]string{"{part}": "plan", "{code}": "I10", "{kind}": "message"}[m] + map[bool]string{true: "1"}[!slices.Contains([]string{"{part}", "{code}", "{kind}"}, m)]
				})
				body := ""
				if op.RequestBody != nil {
					body = string(example(t, op.RequestBody.Content["application/json"].Schema, d.Components.Schemas, 0))
					if strings.HasSuffix(body, "}") && body != "{}" && strings.Contains(schemaOf(d, op.RequestBody.Content["application/json"].Schema), `"secret"`) {
						body = strings.TrimSuffix(strings.ReplaceAll(body, `"secret":"a-value-of-mine"`, `"x":1`), "}") + `,"secret":"kittiwake"}`
					}
				}
				w := o.raw(who, strings.ToUpper(method), at, body)
				tried++
				if w.Code == http.StatusForbidden && strings.Contains(w.Body.String(), "deftledger:closed-chart") {
					assert.Contains(t, w.Body.String(), `"instance":"/api/patients/p"`)
					closed++
					continue
				}
				// What cannot be at all is refused before anything is read; nothing else is answered.
				if shut && !elsewhere.MatchString(w.Body.String()) {
					assert.Contains(t, []int{http.StatusUnprocessableEntity, http.StatusUnauthorized, http.StatusForbidden}, w.Code, "%s %s %s answered %s",
						method, at, body, w.Body.String())
				}
			}
		}
		return closed, tried
	}
	before := o.app.Store.Trail()
	closed, tried := try("second", true)
	t.Logf("%d of %d operations on a chart were refused for being closed, the others for what was asked", closed, tried)
	require.Greater(t, closed, 40)
	require.Equal(t, before, o.app.Store.Trail(), "nothing is changed, and no look is recorded of what was not seen")
	w := o.raw("second", http.MethodPost, "/api/patients/p/open", `{"reason":"The patient is on the telephone and asks for her result."}`)
	require.Equal(t, http.StatusNoContent, w.Code, w.Body.String())
	again, _ := try("second", false)
	require.Zero(t, again, "once it is opened with a reason, it is open")
	none, _ := try(act.Physician, false)
	require.Zero(t, none)
}

// schemaOf writes the schema of a body, whether it is named or not.
func schemaOf(d described, schema map[string]any) string {
	if ref, ok := schema["$ref"].(string); ok {
		schema = d.Components.Schemas[ref[strings.LastIndex(ref, "/")+1:]]
	}
	raw, _ := json.Marshal(schema["properties"])
	return string(raw)
}

// TestAStreamCarriesWhatTheRoleMayKnow: what changes in a chart reaches who sees charts, and the front desk
// hears of visits and people only.
func TestAStreamCarriesWhatTheRoleMayKnow(t *testing.T) {
	o := newOffice(t)
	heard := map[string][]act.EventKind{}
	for _, role := range []string{act.Physician, act.FrontDesk, act.Admin} {
		events, done := o.app.Hub.Subscribe(role)
		for _, k := range act.EventKinds {
			o.app.Hub.Publish(act.Event{Kind: k, ID: "1"})
		}
		done()
		for e := range events {
			heard[role] = append(heard[role], e.Kind)
		}
	}
	require.Equal(t, act.EventKinds, heard[act.Physician])
	require.Equal(t, []act.EventKind{act.VisitEvent, act.FollowUpEvent, act.PatientEvent, act.CircleEvent}, heard[act.FrontDesk])
	require.Equal(t, []act.EventKind{act.FormsEvent, act.CircleEvent}, heard[act.Admin])
}
