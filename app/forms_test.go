package app_test

import (
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/forms"
)

// Every form that ships passes its own preview, lists its entries, and is there in its
// first version; whoever may not change the clinic's forms cannot keep one.
func TestEveryFormThatShipsPassesItsPreview(t *testing.T) {
	c := open(t)
	all, err := c.app.Forms.ListForms(ctx, c.doctor())
	require.NoError(t, err)
	require.Empty(t, all.Skipped)
	kinds := map[string]int{}
	for _, row := range all.Forms {
		kinds[row.Kind]++
		f, err := c.app.Forms.ReadForm(ctx, c.doctor(), row.Kind, row.ID, row.Owner, 0)
		require.NoError(t, err)
		p, err := c.app.Forms.TryForm(ctx, c.doctor(), f)
		require.NoError(t, err)
		require.Empty(t, p.Fault, "%s %s", row.Kind, row.ID)
		require.NotEmpty(t, p.Says, "%s %s", row.Kind, row.ID)
		if row.Kind != "interview" && row.Kind != "services" {
			entries, err := c.app.Forms.FormEntries(ctx, c.doctor(), f.Body)
			require.NoError(t, err)
			require.NotEmpty(t, entries, row.Kind)
		}
		if row.Owner == "clinic" {
			require.Equal(t, 1, row.Version)
			_, err = c.app.Forms.SaveForm(ctx, c.who[act.Nurse], f, row.Version)
			require.Equal(t, act.Forbidden, kind(t, err))
			_, err = c.app.Forms.ReadForm(ctx, c.doctor(), row.Kind, row.ID, row.Owner, 2)
			require.Equal(t, act.Missing, kind(t, err), "a version that is not there")
		}
	}
	for kind, n := range map[string]int{"systems": 1, "visits": 1, "snippets": 2, "sets": 2, "letters": 1, "leaflets": 1, "services": 1} {
		require.Equal(t, n, kinds[kind], kind)
	}
	_, err = c.app.Forms.SaveForm(ctx, c.doctor(), forms.FormText{FormRow: forms.FormRow{Kind: "letters", ID: "mine", Owner: "me"},
		Body: "letters: []\n"}, 0)
	require.Equal(t, act.Invalid, kind(t, err), "letters are the clinic's")
}

// Two people change a form at once: one of them is told, nothing is lost, and each
// version can be read as it was kept and by whom.
func TestTwoPeopleChangeAForm(t *testing.T) {
	c := open(t)
	f, err := c.app.Forms.ReadForm(ctx, c.doctor(), "leaflets", "clinic", "clinic", 0)
	require.NoError(t, err)
	var wg sync.WaitGroup
	var mu sync.Mutex
	kept, refused := 0, 0
	for _, who := range []act.Actor{c.doctor(), c.who[act.Admin], c.who["second"]} {
		wg.Go(func() {
			mine := f
			mine.Body += "- {id: of-" + strings.ReplaceAll(strings.ToLower(who.Role), " ", "-") + ", title: Mine, source: ours, text: Rest}\n"
			_, err := c.app.Forms.SaveForm(ctx, who, mine, 1)
			mu.Lock()
			defer mu.Unlock()
			if err == nil {
				kept++
			} else {
				require.Equal(t, act.Conflict, kind(t, err))
				refused++
			}
		})
	}
	wg.Wait()
	require.Equal(t, 1, kept)
	require.Equal(t, 2, refused)
	vs, err := c.app.Forms.FormVersions(ctx, c.doctor(), "leaflets", "clinic", "clinic")
	require.NoError(t, err)
	require.Len(t, vs, 2)
	require.NotEmpty(t, vs[0].By)
	require.Equal(t, "", vs[1].By, "the first ships")
	first, err := c.app.Forms.ReadForm(ctx, c.doctor(), "leaflets", "clinic", "clinic", 1)
	require.NoError(t, err)
	require.Equal(t, f.Body, first.Body)
	// An earlier version is kept again as the newest.
	first.Version = 0
	row, err := c.app.Forms.SaveForm(ctx, c.doctor(), first, 2)
	require.NoError(t, err)
	require.Equal(t, 3, row.Version)
	v, err := c.app.Paper.Letters(ctx, c.doctor(), c.note())
	require.NoError(t, err)
	for _, l := range v.Leaflets {
		require.NotContains(t, l.ID, "of-")
	}
	require.Equal(t, 2, c.count("SELECT count(*) FROM audit WHERE act = 'change form'"))
}

// A form of a person is theirs alone: nobody else sees it, reads it or its versions.
func TestAPersonsFormsAreTheirsAlone(t *testing.T) {
	c := open(t)
	mine := forms.FormText{FormRow: forms.FormRow{Kind: "sets", ID: "mine", Owner: "me"},
		Body: "sets:\n- {id: cold, title: My cold, source: mine, codes: [J00], text: [Rest]}\n"}
	_, err := c.app.Forms.SaveForm(ctx, c.doctor(), mine, 0)
	require.NoError(t, err)
	other := c.who["second"]
	f, err := c.app.Forms.ReadForm(ctx, other, "sets", "mine", "me", 0)
	require.NoError(t, err)
	require.NotContains(t, f.Body, "My cold")
	vs, err := c.app.Forms.FormVersions(ctx, other, "sets", "mine", "me")
	require.NoError(t, err)
	require.Empty(t, vs)
	sets, err := c.app.Plan.PlanSets(ctx, other, c.note())
	require.NoError(t, err)
	for _, s := range sets {
		require.NotEqual(t, "My cold", s.Title)
	}
}

// A set or leaflet for a code that does not exist, or no longer does, is refused with the
// nearest ones; a heading is a good beginning.
func TestCodesOfFormsExist(t *testing.T) {
	c := open(t)
	for code, near := range map[string]string{"M10.0719": "M10.0", "J45.97": "J45.9", "274.9": "", "M10": "ok", "S39.012A": "ok",
		"E66.81": "ok"} {
		f := forms.FormText{FormRow: forms.FormRow{Kind: "sets", ID: "mine", Owner: "me"},
			Body: "sets:\n- {id: mine, title: Mine, source: mine, codes: [" + `"` + code + `"` + "], text: [Rest]}\n"}
		p, err := c.app.Forms.TryForm(ctx, c.doctor(), f)
		require.NoError(t, err)
		l := forms.FormText{FormRow: forms.FormRow{Kind: "leaflets", ID: "clinic"},
			Body: "leaflets:\n- {id: mine, title: Mine, source: mine, codes: [" + `"` + code + `"` + "], text: Rest}\n"}
		q, err := c.app.Forms.TryForm(ctx, c.doctor(), l)
		require.NoError(t, err)
		switch near {
		case "ok":
			require.Empty(t, p.Fault+q.Fault, code)
		default:
			require.NotEmpty(t, p.Fault, code)
			require.Contains(t, p.Fault, near)
			require.NotEmpty(t, q.Fault, code)
		}
	}
}
