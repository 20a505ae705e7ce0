package app_test

import (
	"io/fs"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/forms"
	"deftledger/app/intake"
	"deftledger/app/plan"
	"deftledger/core/note"
	"deftledger/core/order"
	"deftledger/data"
	formtext "deftledger/exchange/forms"
)

// A set warns before anything is applied, applies what was chosen, all or none, and
// neither prescribes nor sends anything.
func TestASetAppliesWhatWasChosen(t *testing.T) {
	c := open(t)
	id := c.note()
	_, err := c.app.Intake.AddEntry(ctx, c.jonah(), visitID, intake.NewEntry{List: "allergies", Title: "Colchicine", Detail: "diarrhea"})
	require.NoError(t, err)
	c.diagnose(id, "M10.071", "I10")
	all, err := c.app.Plan.PlanSets(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(all), 15)
	require.True(t, all[0].Fits && all[1].Fits && !all[2].Fits, "those of the diagnoses first")
	gout := all[0]
	require.Equal(t, "Gout attack", gout.Title)
	require.NotEmpty(t, gout.Source)
	require.Contains(t, gout.Parts[0].Words, "Colchicine 1.2 mg")
	require.NotEmpty(t, gout.Parts[0].Warnings, "the allergy is told before it is applied")
	require.True(t, gout.Parts[0].Warnings[0].Serious)

	_, err = c.app.Plan.ApplySet(ctx, c.doctor(), id, "gout-attack", []string{"text 0", "medicine 9"})
	require.Equal(t, act.Invalid, kind(t, err))
	require.Equal(t, 0, c.count("SELECT count(*) FROM note_carried"), "all or none")
	n, err := c.app.Plan.ApplySet(ctx, c.doctor(), id, "gout-attack", []string{"medicine 1", "test 0", "text 0", "follow-up 0"})
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
	_, err = c.app.Plan.ApplySet(ctx, c.doctor(), id, "gout-attack", []string{"text 0"})
	require.NoError(t, err)
	require.Equal(t, 1, strings.Count(plan, "Rest and ice"), "the same words once")

	c.diagnose(id, "I10")
	_, err = c.app.Plan.ApplySet(ctx, c.doctor(), id, "gout-attack", []string{"test 1"})
	require.Equal(t, act.Invalid, kind(t, err), "a test needs a diagnosis of the set")
	_, err = c.app.Plan.ApplySet(ctx, c.doctor(), id, "none", nil)
	require.Equal(t, act.Missing, kind(t, err))
}

func TestASetThatNamesAStoppedTestSaysSo(t *testing.T) {
	c := open(t)
	id := c.note()
	c.diagnose(id, "I10")
	mine := forms.FormText{FormRow: forms.FormRow{Kind: "sets", ID: "mine", Owner: "me"},
		Body: "sets:\n- {id: old, title: Old, codes: [I10], from: 1200, source: mine, tests: [GONE, K], education: [lost]}\n"}
	p, err := c.app.Forms.TryForm(ctx, c.doctor(), mine)
	require.NoError(t, err)
	require.Contains(t, strings.Join(p.Says, "\n"), "GONE is no longer offered", "the preview says so too")
	_, err = c.app.Forms.SaveForm(ctx, c.doctor(), mine, 0)
	require.NoError(t, err)
	all, err := c.app.Plan.PlanSets(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "mine:old", all[0].ID, "one's own come first")
	require.True(t, all[0].Parts[0].Gone)
	require.Contains(t, all[0].Parts[0].Words, "GONE is no longer offered")
	require.True(t, all[0].Parts[2].Gone, "and a leaflet that is not there")
	require.NotEmpty(t, all[0].Warns, "and it is written for older patients")
	_, err = c.app.Plan.ApplySet(ctx, c.doctor(), id, "mine:old", []string{"test 0", "test 1"})
	require.Equal(t, act.Invalid, kind(t, err))
	require.Empty(t, c.desk().ToSign)
	_, err = c.app.Plan.ApplySet(ctx, c.who[act.Nurse], id, "mine:old", []string{"test 1"})
	require.Equal(t, act.Missing, kind(t, err), "it is the physician's own")
}

// The kidneys speak for care with a medicine, and a test that is out already is not asked
// for twice without a word.
func TestASetKnowsTheKidneysAndWhatIsOut(t *testing.T) {
	c := open(t)
	id := c.note()
	c.diagnose(id, "M10.071")
	o := c.order("CREA")
	c.receive(oru("C1", o.Placer+"-1", "F", "24", "K^Potassium^L^2823-3^^LN", "CREA^Creatinine with eGFR^L^2160-0^^LN"), "AA")
	c.raw("DROP TRIGGER report_value_fixed", "UPDATE report_value SET loinc = '98979-8', unit = 'mL/min/{1.73_m2}'")
	c.order("URIC")
	all, err := c.app.Plan.PlanSets(ctx, c.doctor(), id)
	require.NoError(t, err)
	warned := map[string]string{}
	for _, p := range all[0].Parts {
		for _, w := range p.Warnings {
			warned[p.Words] += w.Says + ": " + w.Why + "; "
		}
	}
	require.Equal(t, map[string]string{
		"Colchicine 1.2 mg, then 0.6 mg after one hour on day one.": "With a filtration rate of 24 mL/min/1.73 m² on 04 May 2026 " +
			"(no clearance: no creatinine of the last year): one course in two weeks below 30; begin prevention with 0.3 mg; " +
			"Dose not checked: “1.2 mg, then 0.6 mg after one hour on day one” was not read; ",
		"Prednisone 40 mg daily for five days, instead of colchicine.": "Dose not checked: “40 mg daily for five days, instead of colchicine” was not read; ",
		"Urate.": "Asked for already: ordered on 04 May 2026, no final result yet; ",
	}, warned)
	hits, err := c.app.Intake.FindMedicine(ctx, c.jonah(), patientID, "ibuprofen")
	require.NoError(t, err)
	require.Contains(t, hits.Hits[0].Warnings[0].Why, "avoided below 30", "the intake knows it too")
}

// The present plan becomes a set: each sentence a part of the kind it reads as, what is
// left out is not there, nobody's name gets in, and the same name is asked about.
func TestThePlanIsKeptAsASet(t *testing.T) {
	c := open(t)
	id := c.note()
	c.diagnose(id, "M10.071")
	_, err := c.app.Plan.ApplySet(ctx, c.doctor(), id, "gout-attack", []string{"education 0", "follow-up 0"})
	require.NoError(t, err)
	c.save(id, note.Plan, "Naproxen 500 mg twice daily with food. Referral: podiatry for shoes. Ottoline walks with a stick. Rest the foot.", 0, "plan")
	c.order("URIC")
	view, err := c.app.Plan.PlanAsSet(ctx, c.doctor(), id)
	require.NoError(t, err)
	byWords := map[string]plan.SetPartView{}
	for _, p := range view.Parts {
		byWords[p.Words] = p
	}
	for words, kind := range map[string]order.PartKind{"Naproxen 500 mg twice daily with food.": order.MedicinePart,
		"Referral: podiatry for shoes.": order.ReferralPart, "Rest the foot.": order.TextPart,
		"Leaflet given: Gout, food and drink.": order.EducationPart, "In 2 weeks: Gout.": order.ReturnPart} {
		require.Equal(t, kind, byWords[words].Kind, "%s: %v", words, view.Parts)
	}
	var keys []string
	for _, p := range view.Parts {
		keys = append(keys, p.Key)
	}
	k := plan.PlanSet{Title: "Gout, my way", Parts: keys}
	_, err = c.app.Plan.KeepPlanAsSet(ctx, c.doctor(), id, k)
	require.ErrorContains(t, err, "names this patient")
	stick := byWords["Ottoline walks with a stick."].Key
	k.Parts = slices.DeleteFunc(keys, func(x string) bool { return x == stick })
	row, err := c.app.Plan.KeepPlanAsSet(ctx, c.doctor(), id, k)
	require.NoError(t, err)
	require.Equal(t, 1, row.Version)
	_, err = c.app.Plan.KeepPlanAsSet(ctx, c.doctor(), id, k)
	require.Equal(t, act.Conflict, kind(t, err), "one of that name is there")
	k.Replace, k.Parts = true, []string{byWords["Rest the foot."].Key}
	row, err = c.app.Plan.KeepPlanAsSet(ctx, c.doctor(), id, k)
	require.NoError(t, err)
	require.Equal(t, 2, row.Version)
	all, err := c.app.Plan.PlanSets(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "mine:gout-my-way", all[0].ID)
	require.True(t, all[0].Fits, "for the diagnoses of the visit it came from")
	require.Len(t, all[0].Parts, 1)
	require.Contains(t, all[0].From, "version 2")
	old, err := c.app.Forms.ReadForm(ctx, c.doctor(), "sets", "mine", "me", 1)
	require.NoError(t, err)
	require.Contains(t, old.Body, "Naproxen", "the first version can be read, and kept again")
	vs, err := c.app.Forms.FormVersions(ctx, c.doctor(), "sets", "mine", "me")
	require.NoError(t, err)
	require.Len(t, vs, 2)
	require.Equal(t, 2, vs[0].Version)
	require.NotEmpty(t, vs[0].By)

	k.Clinic, k.Replace = true, false
	_, err = c.app.Plan.KeepPlanAsSet(ctx, c.who[act.Nurse], id, k)
	require.Equal(t, act.Forbidden, kind(t, err), "a nurse keeps her own only")
	row, err = c.app.Plan.KeepPlanAsSet(ctx, c.doctor(), id, k)
	require.NoError(t, err)
	require.Equal(t, 2, row.Version, "after the one that ships")
	f, err := c.app.Forms.ReadForm(ctx, c.doctor(), "sets", "clinic", "clinic", 0)
	require.NoError(t, err)
	shipped, err := c.app.Forms.ReadForm(ctx, c.doctor(), "sets", "clinic", "clinic", 1)
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(f.Body, strings.TrimRight(shipped.Body, "\n")), "the rest of the file stays as it was, line by line")
}

// Every set that ships names tests that the laboratory has and diagnoses that exist.
func TestTheSetsThatShipFitTheirLists(t *testing.T) {
	c := open(t)
	lib, _ := catalogue()
	icd, _ := lib.On("2026-05-04")
	seen := map[string]bool{}
	shipped, err := fs.ReadFile(data.Forms, "sets/sets.yaml")
	require.NoError(t, err)
	sets, err := formtext.Sets("sets.yaml", string(shipped))
	require.NoError(t, err)
	file, err := fs.ReadFile(data.Forms, "letters/leaflets.yaml")
	require.NoError(t, err)
	leaflets, err := formtext.Leaflets("leaflets.yaml", string(file))
	require.NoError(t, err)
	titles := map[string]string{}
	for _, l := range leaflets {
		titles[l.ID] = l.Title
		for _, code := range l.Codes {
			_, ok := icd.Lookup(code)
			require.True(t, ok, "%s of the leaflet %s", code, l.ID)
		}
	}
	for _, s := range sets {
		require.False(t, seen[s.ID], s.ID)
		seen[s.ID] = true
		require.NotEmpty(t, s.Source, s.ID)
		for _, p := range s.Parts(c.app.Laboratory("").Tests, titles) {
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
