package app_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app"
	"deftledger/core/note"
	"deftledger/core/order"
)

// A set warns before anything is applied, applies what was chosen, all or none, and
// neither prescribes nor sends anything.
func TestASetAppliesWhatWasChosen(t *testing.T) {
	c := open(t)
	id := c.note()
	_, err := c.app.AddEntry(ctx, c.jonah(), visitID, app.NewEntry{List: "allergies", Title: "Colchicine", Detail: "diarrhea"})
	require.NoError(t, err)
	c.diagnose(id, "M10.071", "I10")
	all, err := c.app.PlanSets(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(all), 15)
	require.True(t, all[0].Fits && all[1].Fits && !all[2].Fits, "those of the diagnoses first")
	gout := all[0]
	require.Equal(t, "Gout attack", gout.Title)
	require.NotEmpty(t, gout.Source)
	require.Contains(t, gout.Parts[0].Words, "Colchicine 1.2 mg")
	require.NotEmpty(t, gout.Parts[0].Warnings, "the allergy is told before it is applied")
	require.True(t, gout.Parts[0].Warnings[0].Serious)

	_, err = c.app.ApplySet(ctx, c.doctor(), id, "gout-attack", []string{"text 0", "medicine 9"})
	require.Equal(t, 422, status(t, err))
	require.Equal(t, 0, c.count("SELECT count(*) FROM note_carried"), "all or none")
	n, err := c.app.ApplySet(ctx, c.doctor(), id, "gout-attack", []string{"medicine 1", "test 0", "text 0", "follow-up 0"})
	require.NoError(t, err)
	var plan string
	for _, b := range n.Blocks {
		if b.Part == note.Plan {
			plan += b.Text()
		}
	}
	require.Contains(t, plan, "Prednisone 40 mg daily for five days")
	require.Contains(t, plan, "Urate.")
	require.Contains(t, plan, "Back in 2 weeks.")
	require.NotContains(t, plan, "Colchicine 1.2", "what was not chosen is not there")
	require.Equal(t, "in 2 weeks", n.FollowUps[0].Said)
	d := c.desk()
	require.Len(t, d.ToSign, 1, "the tests wait for the signature")
	require.Equal(t, "M10.071", d.ToSign[0].Order.Tests[0].Diagnoses[0].Code, "justified by the diagnosis of the set")
	c.step()
	require.Empty(t, c.lab.got, "nothing is sent")
	require.Equal(t, 0, c.count("SELECT count(*) FROM medicine"), "nothing is prescribed")
	_, err = c.app.ApplySet(ctx, c.doctor(), id, "gout-attack", []string{"text 0"})
	require.NoError(t, err)
	require.Equal(t, 1, strings.Count(plan, "Rest and ice"), "the same words once")

	c.diagnose(id, "I10")
	_, err = c.app.ApplySet(ctx, c.doctor(), id, "gout-attack", []string{"test 1"})
	require.Equal(t, 422, status(t, err), "a test needs a diagnosis of the set")
	_, err = c.app.ApplySet(ctx, c.doctor(), id, "none", nil)
	require.Equal(t, 404, status(t, err))
}

func TestASetThatNamesAStoppedTestSaysSo(t *testing.T) {
	c := open(t)
	id := c.note()
	c.app.Sets = []order.Set{{ID: "old", Title: "Old", Codes: []string{"I10"}, From: 1200, Tests: []string{"GONE", "K"}}}
	c.diagnose(id, "I10")
	all, err := c.app.PlanSets(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.True(t, all[0].Parts[0].Gone)
	require.Contains(t, all[0].Parts[0].Words, "GONE is no longer offered")
	require.NotEmpty(t, all[0].Warns, "and it is written for older patients")
	_, err = c.app.ApplySet(ctx, c.doctor(), id, "old", []string{"test 0", "test 1"})
	require.Equal(t, 422, status(t, err))
	require.Empty(t, c.desk().ToSign)
}

// Every set that ships names tests that the laboratory has and diagnoses that exist.
func TestTheSetsThatShipFitTheirLists(t *testing.T) {
	c := open(t)
	lib, _ := catalogue()
	icd, _ := lib.On("2026-05-04")
	seen := map[string]bool{}
	for _, s := range c.app.Sets {
		require.False(t, seen[s.ID], s.ID)
		seen[s.ID] = true
		require.NotEmpty(t, s.Source, s.ID)
		for _, p := range s.Parts(c.app.Laboratory.Tests) {
			require.False(t, p.Gone, "%s: %s", s.ID, p.Words)
		}
		for _, code := range s.Codes {
			_, ok := icd.Lookup(code)
			require.True(t, ok, code)
		}
		for _, m := range s.Medicines {
			require.NotRegexp(t, `\d\.0\b|(^|[^\d])\.\d`, m.Dose, "a leading and no trailing zero")
			require.NotEmpty(t, c.app.Medicines.Find(m.Name, 1), "%s is known to the checks", m.Name)
		}
		if s.FollowUp != nil {
			_, _, err := note.Due(s.FollowUp.When, "2026-05-04")
			require.NoError(t, err)
		}
	}
	require.GreaterOrEqual(t, len(seen), 15)
}
