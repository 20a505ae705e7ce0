package app_test

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/core/coding"
	"deftledger/core/note"
	"deftledger/core/visit"
	"deftledger/store"
)

// The level follows from what is documented: what the chart shows is counted, what it
// cannot show a person says, and nothing raises it silently.
func TestTheLevelFollowsFromWhatIsDocumented(t *testing.T) {
	c := open(t)
	id, versions, _ := c.written()
	n := c.diagnose(id, "I10", "E11.9")
	v, err := c.app.Assess.Charges(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.True(t, v.Suggested.New, "no signed visit here in three years")
	require.Empty(t, v.Level.Code, "problems that nobody rated support no level")
	require.Equal(t, coding.Unrated, v.Problems[0].Kind)
	_, err = c.app.Note.SayOfDiagnosis(ctx, c.doctor(), id, note.Said{Code: "I10", Response: "at goal"})
	require.NoError(t, err)
	_, err = c.app.Note.SayOfDiagnosis(ctx, c.doctor(), id, note.Said{Code: "E11.9", Response: "not at goal"})
	require.NoError(t, err)
	c.order("A1C", "LIPID")
	v, err = c.app.Assess.Charges(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, coding.StableChronic, v.Problems[0].Kind)
	require.Equal(t, "said to be not at goal", v.Problems[1].Why)
	require.Equal(t, 2, v.Suggested.Orders, "each unique test ordered at the visit")
	require.Equal(t, "99203", v.Level.Code, "problems moderate, data limited, risk not said: low holds")
	facts := v.Facts
	facts.Risk = "prescription"
	line := coding.Charge{Code: "99204", Units: 1, Pointers: []string{"E11.9", "I10"}}
	v, err = c.app.Assess.SetCharges(ctx, c.doctor(), id, []coding.Charge{line}, facts, 0)
	require.NoError(t, err)
	require.Equal(t, "99204", v.Level.Code)
	require.Empty(t, v.Doubts)
	require.Len(t, v.Level.Elements, 3)

	_, err = c.app.Assess.SetCharges(ctx, c.doctor(), id, nil, facts, 0)
	require.Equal(t, act.Conflict, kind(t, err), "written on an older version")
	for _, bad := range []coding.Charge{{Code: "99999", Units: 1}, {Code: "99204", Units: 0},
		{Code: "99204", Units: 1, Pointers: []string{"a", "b", "c", "d", "e"}}} {
		_, err = c.app.Assess.SetCharges(ctx, c.doctor(), id, []coding.Charge{bad}, facts, 1)
		require.Equal(t, act.Invalid, kind(t, err))
	}
	high := line
	high.Code = "99205"
	v, err = c.app.Assess.SetCharges(ctx, c.doctor(), id, []coding.Charge{high}, facts, 1)
	require.NoError(t, err)
	require.Contains(t, v.Doubts[0], "99205 is charged, and what is documented supports 99204")
	v, err = c.app.Assess.SetCharges(ctx, c.doctor(), id, []coding.Charge{line}, facts, 2)
	require.NoError(t, err)

	_, err = c.app.Assess.BillingFile(ctx, c.doctor(), id, "json")
	require.Equal(t, act.Conflict, kind(t, err), "only from a signed note")
	_, err = c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, n.ListVersion, "")
	require.NoError(t, err)
	_, err = c.app.Assess.SetCharges(ctx, c.doctor(), id, nil, facts, 3)
	require.Equal(t, act.Conflict, kind(t, err), "the note is signed")
	body, err := c.app.Assess.BillingFile(ctx, c.doctor(), id, "json")
	require.NoError(t, err)
	require.True(t, json.Valid(body))
	require.Contains(t, string(body), `"code": "99204"`)
	body, err = c.app.Assess.BillingFile(ctx, c.doctor(), id, "csv")
	require.NoError(t, err)
	rows, err := csv.NewReader(strings.NewReader(string(body))).ReadAll()
	require.NoError(t, err)
	require.Equal(t, "E11.9", rows[1][12], "the diagnosis pointed at first")
	require.Equal(t, 2, c.count("SELECT count(*) FROM handed_to_billing"), "each time it was given out is on record")
	require.Equal(t, 1, c.count("SELECT count(*) FROM ledger_entry WHERE kind = 'note' AND json_extract(CAST(content AS TEXT), '$.charges[0].code') = '99204'"))
	require.Empty(t, c.verify())
	require.NoError(t, c.app.Note.Retract(ctx, c.doctor(), id, secret, "Written for the twin.", ""))
	_, err = c.app.Assess.BillingFile(ctx, c.doctor(), id, "json")
	require.Equal(t, act.Conflict, kind(t, err))
	require.ErrorContains(t, err, "was retracted")
}

func TestASecondVisitIsThatOfAnEstablishedPatient(t *testing.T) {
	c := open(t)
	c.earlier(30, "lungs", map[note.Part]string{note.Subjective: "Well.", note.Plan: "None."})
	id := c.note()
	v, err := c.app.Assess.Charges(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.False(t, v.Suggested.New)
	require.Equal(t, "99396", v.Preventive, "58 years old, established")
	found, err := c.app.Assess.FindServices(c.doctor(), "prev 40")
	require.NoError(t, err)
	require.Len(t, found, 2)
	_, err = c.app.Assess.BillingFile(ctx, c.doctor(), "old030", "json")
	require.Equal(t, act.Missing, kind(t, err), "a visit is no note")
	old := c.everything(patientID)
	for _, x := range old.Visits {
		if x.Signed {
			_, err = c.app.Assess.BillingFile(ctx, c.doctor(), x.NoteID, "json")
			require.Equal(t, act.Conflict, kind(t, err), "no charges, no file")
		}
	}
}

// The services used here are offered without a search: those charged for the same kind of
// diagnosis first, none twice, and no level of a visit.
func TestTheServicesUsedHereAreOffered(t *testing.T) {
	c := open(t)
	charge := func(id string, was int, code string, lines ...string) {
		c.Helper()
		c.diagnose(id, code)
		var all []coding.Charge
		for _, l := range lines {
			all = append(all, coding.Charge{Code: l, Units: 1, Pointers: []string{code}})
		}
		_, err := c.app.Assess.SetCharges(ctx, c.doctor(), id, all, coding.Facts{}, was)
		require.NoError(c, err)
	}
	offered := func(id string) string {
		c.Helper()
		v, err := c.app.Assess.Charges(ctx, c.doctor(), id)
		require.NoError(c, err)
		var out []string
		for _, s := range v.Usual {
			out = append(out, s.Code)
		}
		return strings.Join(out, " ")
	}
	id := c.note()
	require.Empty(t, offered(id), "nothing was charged yet")
	found, err := c.app.Assess.FindServices(c.doctor(), "injection")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(found), 2)
	a, b := found[0].Code, found[1].Code
	for i, x := range []struct{ code, service string }{{"I10", a}, {"I10", a}, {"M10.071", b}} {
		other := fmt.Sprint("other", i)
		require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
			return q.AddVisit(visit.Visit{ID: other, PatientID: patientID, ClinicianID: c.doctor().ID, Day: "2026-04-01",
				StartsAt: c.now.AddDate(0, -1, i), Kind: "Acute visit", Reason: "Before", Stage: "done", StageAt: c.now})
		}))
		n, err := c.app.Note.StartVisit(ctx, c.doctor(), other)
		require.NoError(t, err)
		charge(n, 0, x.code, x.service, "99213")
	}
	c.diagnose(id, "J06.9")
	require.Equal(t, a+" "+b, offered(id), "by how often, and no visit level")
	c.diagnose(id, "M10.072")
	require.Equal(t, b+" "+a, offered(id), "of the same category first")
	charge(id, 0, "M10.072", b)
	require.Equal(t, a, offered(id), "what stands on the list is not offered again")
}
