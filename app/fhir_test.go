package app_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/sharing"
	"deftledger/core/note"
	"deftledger/exchange/fhir"
	"deftledger/store"
)

// token gives a program a token, and finds the client it stands for.
func (c *clinic) token(scopes ...string) sharing.Client {
	c.Helper()
	token, err := c.app.Sharing.GiveToken(ctx, c.who[act.Admin], "Ferrygate reader", scopes)
	require.NoError(c, err)
	client, err := c.app.Sharing.Known(ctx, token)
	require.NoError(c, err)
	return client
}

func (c *clinic) searched(client sharing.Client, kind string, params map[string][]string) ([]fhir.Served, error) {
	c.Helper()
	q, err := fhir.NewQuery(kind, params)
	require.NoError(c, err)
	found, _, err := c.app.Sharing.SearchOver(ctx, client, q)
	return found, err
}

// Others read only of patients who agree that the chart goes out, only what their token may, and only while it holds; each reading is
// recorded, and who does not agree cannot be told from nobody.
func TestOthersReadOnlyWhatIsAgreedTo(t *testing.T) {
	c := open(t)
	c.seen()
	_, err := c.app.Sharing.GiveToken(ctx, c.doctor(), "x", []string{"system/*.read"})
	require.Equal(t, act.Forbidden, kind(t, err), "tokens are the administrator's")
	for _, wrong := range [][]string{nil, {"system/*.write"}, {"user/Patient.read"}, {"system/Secret.read"}, {"*"}} {
		_, err := c.app.Sharing.GiveToken(ctx, c.who[act.Admin], "x", wrong)
		require.Equal(t, act.Invalid, kind(t, err), wrong)
	}
	token, err := c.app.Sharing.GiveToken(ctx, c.who[act.Admin], "Ferrygate reader", []string{"system/Patient.read", "system/Condition.read"})
	require.NoError(t, err)
	require.Zero(t, c.count("SELECT count(*) FROM inquiry WHERE said LIKE ? OR origin LIKE ?", "%"+token+"%", "%"+token+"%"), "only its hash is kept")
	client, err := c.app.Sharing.Known(ctx, token)
	require.NoError(t, err)
	_, err = c.app.Sharing.Known(ctx, token+"x")
	require.Equal(t, act.Unproven, kind(t, err))

	of := map[string][]string{"patient": {patientID}}
	found, err := c.searched(client, "Condition", of)
	require.NoError(t, err)
	require.Empty(t, found, "she has not agreed")
	_, err = c.app.Sharing.ReadOver(ctx, client, "Patient", patientID)
	require.Equal(t, act.Missing, kind(t, err))
	_, nobody := c.app.Sharing.ReadOver(ctx, client, "Patient", "nobody")
	require.Equal(t, nobody, err, "who does not agree cannot be told from nobody")
	require.Zero(t, c.count("SELECT count(*) FROM audit WHERE act = 'read over FHIR' AND patient_id <> ''"))

	c.agrees("out", true, "2026-05-01")
	found, err = c.searched(client, "Condition", of)
	require.NoError(t, err)
	require.Len(t, found, 2)
	require.Equal(t, 1, c.count("SELECT count(*) FROM audit WHERE act = 'read over FHIR' AND patient_id = ? AND subject = ?", patientID, client.ID))
	one, err := c.app.Sharing.ReadOver(ctx, client, "Condition", found[0].ID)
	require.NoError(t, err)
	require.Equal(t, found[0].Body, one.Body)
	_, err = c.searched(client, "MedicationRequest", of)
	require.Equal(t, act.Forbidden, kind(t, err), "the token is not for that")
	_, err = c.searched(client, "Condition", map[string][]string{"code": {"N18.31"}})
	require.Equal(t, act.Invalid, kind(t, err), "nobody searches the whole practice")
	_, err = c.searched(client, "Patient", map[string][]string{"family": {"Marsh"}})
	require.Equal(t, act.Invalid, kind(t, err), "nor by a name alone")
	for _, params := range []map[string][]string{{"family": {"marsh"}, "birthdate": {"1968-03-14"}}, {"identifier": {"SK-1"}}, {"identifier": {"https://deftledger.example/record|SK-1"}}, {"_id": {patientID}}} {
		found, err = c.searched(client, "Patient", params)
		require.NoError(t, err)
		require.Len(t, found, 1, "%v", params)
	}
	found, err = c.searched(client, "Patient", map[string][]string{"family": {"Tollefsen"}, "birthdate": {"1968-03-14"}})
	require.NoError(t, err)
	require.Empty(t, found)
	require.Zero(t, c.count("SELECT count(*) FROM audit WHERE act = 'read over FHIR' AND patient_id <> ? AND patient_id <> ''", patientID))
	require.Equal(t, 4, c.count("SELECT count(*) FROM audit WHERE act = 'read over FHIR' AND detail LIKE 'search Patient%' AND patient_id = ?", patientID), "who only shares a birth date was not read")

	c.agrees("out", false, "2026-05-04")
	found, err = c.searched(client, "Condition", of)
	require.NoError(t, err)
	require.Empty(t, found, "withdrawn, nothing is read from then on")
	require.Equal(t, act.Invalid, kind(t, c.app.Sharing.EndToken(ctx, c.who[act.Admin], client.ID, "")))
	for range 2 {
		require.NoError(t, c.app.Sharing.EndToken(ctx, c.who[act.Admin], client.ID, "The contract ended."))
	}
	_, err = c.app.Sharing.Known(ctx, token)
	require.Equal(t, act.Unproven, kind(t, err))
	all, err := c.app.Sharing.Clients(ctx, c.who[act.Admin])
	require.NoError(t, err)
	require.Contains(t, all[0].Ended, "The contract ended.")
	require.Empty(t, c.verify())
}

// Each kind of resource holds what the chart does, by the parameters that US Core asks for.
func TestWhatOthersRead(t *testing.T) {
	c := open(t)
	c.seen()
	c.earlier(40, "", map[note.Part]string{note.Subjective: "Knee better.", note.Assessment: "Gout.", note.Plan: "Go on."})
	o := c.order("K")
	c.step()
	c.receive(oru("CC", o.Placer+"-1", "F", "5.6"), "AA")
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		return q.AddDocument(store.Document{ID: "doc", PatientID: patientID, Title: "Letter", PDF: []byte("%PDF-1.4 x"), MadeBy: c.doctor().ID, MadeAt: c.now})
	}))
	c.agrees("out", true, "2026-05-01")
	require.NoError(t, c.app.Circle.SetUsual(ctx, c.doctor(), patientID, c.doctor().ID))
	client := c.token("system/*.read")
	of := func(more ...string) map[string][]string {
		out := map[string][]string{"patient": {"Patient/" + patientID}}
		for i := 0; i < len(more); i += 2 {
			out[more[i]] = append(out[more[i]], more[i+1])
		}
		return out
	}
	for _, x := range []struct {
		kind   string
		params map[string][]string
		want   int
	}{
		{"Condition", of(), 2}, {"Condition", of("clinical-status", "active"), 2}, {"Condition", of("code", "http://hl7.org/fhir/sid/icd-10-cm|N18.31"), 1}, {"Condition", of("code", "N18.31,M10.071"), 2},
		{"Condition", of("category", "problem-list-item"), 2}, {"Condition", of("clinical-status", "resolved"), 0},
		{"AllergyIntolerance", of("clinical-status", "active"), 1},
		{"MedicationRequest", of("intent", "plan"), 2}, {"MedicationRequest", of("intent", "order,plan", "status", "active"), 1}, {"MedicationStatement", of("status", "stopped"), 1},
		{"Observation", of("category", "laboratory"), 1}, {"Observation", of("code", "2823-3"), 1}, {"Observation", of("code", "2951-2"), 0},
		{"Observation", of("date", "2026-05-04"), 1}, {"Observation", of("date", "ge2026-05-04", "date", "lt2026-05-05"), 1}, {"Observation", of("date", "gt2026-05-04"), 0}, {"Observation", of("date", "2025"), 0},
		{"Observation", of("_lastUpdated", "ge2026-01-01"), 1}, {"Observation", of("_lastUpdated", "lt2026-01-01"), 0},
		{"DiagnosticReport", of("category", "LAB"), 1},
		{"DocumentReference", of(), 2}, {"DocumentReference", of("type", "11506-3"), 1}, {"DocumentReference", of("category", "clinical-note"), 2},
		{"Encounter", of("class", "AMB"), 1}, {"Immunization", of(), 0}, {"Procedure", of(), 0}, {"CareTeam", of("status", "active"), 1},
		{"Provenance", of(), 10},
	} {
		found, err := c.searched(client, x.kind, x.params)
		require.NoError(t, err)
		if x.kind == "Provenance" {
			require.NotEmpty(t, found)
			continue
		}
		require.Len(t, found, x.want, "%s %v", x.kind, x.params)
		for _, f := range found {
			again, err := c.app.Sharing.ReadOver(ctx, client, f.Kind, f.ID)
			require.NoError(t, err, f.Kind+"/"+f.ID)
			require.Equal(t, f.ID, again.ID)
		}
	}
	potassium, err := c.searched(client, "Observation", of("code", "2823-3"))
	require.NoError(t, err)
	require.Equal(t, "final", potassium[0].Body["status"])
	documents, err := c.searched(client, "DocumentReference", of())
	require.NoError(t, err)
	var bytes []string
	for _, d := range documents {
		_, body, err := c.app.Sharing.BytesOver(ctx, client, d.ID)
		require.NoError(t, err)
		bytes = append(bytes, string(body))
	}
	require.Contains(t, bytes, "%PDF-1.4 x")
	require.Contains(t, strings.Join(bytes, "\n"), "Knee better.")
	for _, wrong := range []map[string][]string{{"patient": {patientID}, "subject": {"x"}}, {"patient": {patientID}, "date": {"yesterday"}}, {"patient:Group": {"x"}}, {"patient": {patientID}, "_summary": {"data"}},
		{"patient": {patientID}, "_revinclude": {"Observation:subject"}}, {"patient": {patientID}, "_count": {"many"}}} {
		_, err := fhir.NewQuery("Observation", wrong)
		require.Error(t, err, "%v: a filter that is left out answers more than was asked for", wrong)
	}
	_, err = fhir.NewQuery("Binary", nil)
	require.Error(t, err)
}

// Too many requests in a moment are refused, of one client and no other.
func TestAClientIsHeldToItsPace(t *testing.T) {
	c := open(t)
	token, err := c.app.Sharing.GiveToken(ctx, c.who[act.Admin], "hasty", []string{"system/*.read"})
	require.NoError(t, err)
	refused := false
	for range sharing.Burst * 3 {
		if _, err := c.app.Sharing.Known(ctx, token); err != nil {
			require.Equal(t, act.TooOften, kind(t, err))
			refused = true
			break
		}
	}
	require.True(t, refused)
	c.token("system/*.read")
}
