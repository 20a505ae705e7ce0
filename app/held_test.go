package app_test

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/sharing"
	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/exchange/shipped"
	"deftledger/store"
)

// What a wish keeps is what a person who keeps it would: the cases were written before there was anything that reads them.
func TestAWishKeepsWhatAPersonWould(t *testing.T) {
	raw, err := os.ReadFile("testdata/held.tsv")
	require.NoError(t, err)
	r, err := shipped.Read()
	require.NoError(t, err)
	n, wrong := 0, []string{}
	for line := range strings.Lines(string(raw)) {
		f := strings.Split(strings.TrimRight(line, "\n"), "\t")
		if strings.HasPrefix(line, "#") || len(f) != 3 {
			continue
		}
		wish := outside.Wish{Of: outside.OfSubject, ID: f[0], Title: "A subject"}
		if strings.HasPrefix(f[0], `"`) {
			wish = outside.Wish{Of: outside.OfEntry, ID: "another", Tells: strings.Trim(f[0], `"`)}
		}
		k := outside.Keeper{Wishes: []outside.Wish{wish}, Sensitive: r.Sensitive}
		why := k.Why(outside.Told{Ref: "this", Text: f[1], Names: r.Medicines.NamesIn(f[1])})
		if n++; (why != "") != (f[2] == "back") {
			wrong = append(wrong, f[0]+" | "+f[1]+" | "+f[2]+" | "+why)
		}
	}
	require.Greater(t, n, 50)
	require.Empty(t, wrong, "%d of %d", n-len(wrong), n)
}

// drinks puts into the chart what tells that she drank: a problem, a medicine, a topic of the social history, and a signed note.
func (c *clinic) drinks() {
	c.Helper()
	c.seen()
	require.NoError(c, c.app.Chart.AddProblem(ctx, c.doctor(), patientID, "F10.20"))
	for _, x := range [][3]string{{"medicines", "Naltrexone", "50 mg daily"}, {"social", "Alcohol", "half a bottle of gin a day until May"}, {"social", "Work", "harbor"}} {
		_, err := c.add(x[0], x[1], x[2])
		require.NoError(c, err)
	}
}

// telling are words of what she holds back, by which a copy would betray it.
var telling = []string{"alcohol", "naltrexone", "gin a day", "f10.20"}

func betrays(file []byte) (out []string) {
	text := strings.ToLower(string(file))
	for _, w := range telling {
		if strings.Contains(text, w) {
			out = append(out, w)
		}
	}
	return out
}

func (c *clinic) holds(h sharing.HoldingBack) sharing.HeldPage {
	c.Helper()
	h.Day = "2026-05-04"
	out, err := c.app.Sharing.HoldBack(ctx, c.jonah(), patientID, h)
	require.NoError(c, err)
	return out
}

// What a patient holds back is in no copy for others, in no form, in nothing that other programs read and in no export of who agrees; it is
// in her own copy, and every copy says the same of it.
func TestWhatIsHeldBackGoesToNobodyElse(t *testing.T) {
	c := open(t)
	c.drinks()
	c.agrees("out", true, "2026-05-01")
	give := func(whom, form string) []byte {
		f, err := c.app.Sharing.Give(ctx, c.jonah(), patientID, sharing.NewGiven{Whom: whom, Name: "Skerrow Mutual", Why: "a claim", Form: form})
		require.NoError(t, err)
		return f.File
	}
	before := give("person", sharing.FHIR)
	require.Len(t, betrays(before), len(telling), "else the test shows nothing")
	now := c.holds(sharing.HoldingBack{Of: "subject", ID: "substance", Held: true, Words: "The insurer need not know."})
	require.Equal(t, 3, now.Ask)
	again := c.holds(sharing.HoldingBack{Of: "subject", ID: "substance", Held: true, Words: "The insurer need not know."})
	require.Equal(t, now, again)
	require.Equal(t, 1, c.count("SELECT count(*) FROM inquiry WHERE kind = 'sharing wish'"))
	for _, form := range []string{sharing.FHIR, sharing.CCDA} {
		other, own := give("person", form), give("patient", form)
		require.Empty(t, betrays(other), form)
		require.Len(t, betrays(own), len(telling), "her own copy is whole: %s", form)
		for _, f := range [][]byte{other, own, before} {
			require.Contains(t, string(f), "Parts of a chart may be left out of a copy as the law allows")
		}
	}
	client := sharing.Client{ID: "c", Name: "reader", Scopes: []string{"system/*.read"}}
	for kind := range map[string]bool{"Condition": true, "MedicationRequest": true, "MedicationStatement": true, "Observation": true, "Provenance": true} {
		found, err := c.searched(client, kind, map[string][]string{"patient": {patientID}})
		require.NoError(t, err)
		raw, err := json.Marshal(found)
		require.NoError(t, err)
		require.Empty(t, betrays(raw), kind)
	}
	problem := c.text("SELECT id FROM problem WHERE code = 'F10.20'")
	_, err := c.app.Sharing.ReadOver(ctx, client, "Condition", problem)
	_, nothing := c.app.Sharing.ReadOver(ctx, client, "Condition", "nothing")
	require.Equal(t, nothing, err, "what is held back cannot be told from what is not there")
	for anybody, want := range map[bool]int{false: 0, true: len(telling)} { // the practice itself moves with all of it
		require.NoError(t, c.store.Read(ctx, func(q *store.Q) error {
			all, err := c.app.Sharing.Everything(q, patientID, anybody)
			require.NoError(t, err)
			raw, err := json.Marshal(all)
			require.Len(t, betrays(raw), want)
			return err
		}))
	}

	// Each is looked at: one is let go, and what is wished by itself stays whatever becomes of the subject.
	now = c.holds(sharing.HoldingBack{Of: "entry", ID: c.text("SELECT id FROM history WHERE title = 'Alcohol'")})
	require.Equal(t, 2, now.Ask)
	require.Equal(t, []string{"alcohol", "gin a day"}, betrays(give("person", sharing.FHIR)))
	c.holds(sharing.HoldingBack{Of: "entry", ID: problem, Held: true, Words: "Not this one."})
	now = c.holds(sharing.HoldingBack{Of: "subject", ID: "substance", Words: "She told them."})
	whys := map[string]string{}
	for _, b := range now.Back {
		whys[b.Ref] = b.Why
	}
	require.Equal(t, "it is held back", whys[problem])
	require.Contains(t, whys[c.text("SELECT id FROM history WHERE title = 'Alcohol'")], "may tell of “Alcohol dependence", "it was let go before this was wished")
	require.NotContains(t, betrays(give("person", sharing.FHIR)), "f10.20")
	require.Contains(t, betrays(give("person", sharing.FHIR)), "naltrexone")
}

// What waits for the exchange when something is held back does not go as it was.
func TestWhatWaitsDoesNotGoOnceSomethingIsHeldBack(t *testing.T) {
	c := open(t)
	c.drinks()
	c.exchange(ottoline(nil))
	c.agrees("out", true, "2026-05-01")
	c.asked(nil)
	_, err := c.app.Sharing.Give(ctx, c.jonah(), patientID, sharing.NewGiven{Whom: "exchange", Form: sharing.FHIR})
	require.NoError(t, err)
	c.holds(sharing.HoldingBack{Of: "part", ID: "histories", Held: true, Words: "Nothing of her family."})
	require.NoError(t, c.app.Outbox.Step(ctx))
	require.Zero(t, c.count("SELECT count(*) FROM line WHERE kind = 'to the exchange' AND closed_at = ''"))
	require.Equal(t, 1, c.count("SELECT count(*) FROM outbox WHERE kind = 'copy of a chart' AND state = 'withdrawn'"))
}

func TestAWishThatCannotBeKeptIsRefused(t *testing.T) {
	c := open(t)
	c.drinks()
	for name, wrong := range map[string]sharing.HoldingBack{
		"no words":        {Of: "subject", ID: "hiv", Held: true, Day: "2026-05-04"},
		"in the future":   {Of: "subject", ID: "hiv", Held: true, Words: "x", Day: "2027-05-04"},
		"before birth":    {Of: "subject", ID: "hiv", Held: true, Words: "x", Day: "1950-05-04"},
		"no day":          {Of: "subject", ID: "hiv", Held: true, Words: "x"},
		"no such subject": {Of: "subject", ID: "money", Held: true, Words: "x", Day: "2026-05-04"},
		"no such entry":   {Of: "entry", ID: "nothing", Held: true, Words: "x", Day: "2026-05-04"},
	} {
		_, err := c.app.Sharing.HoldBack(ctx, c.jonah(), patientID, wrong)
		require.Contains(t, []act.Kind{act.Invalid, act.Missing}, kind(t, err), name)
	}
	_, err := c.app.Sharing.HoldBack(ctx, c.who[act.FrontDesk], patientID, sharing.HoldingBack{Of: "subject", ID: "hiv", Held: true, Words: "x", Day: "2026-05-04"})
	require.Equal(t, act.Forbidden, kind(t, err))
	require.Zero(t, c.count("SELECT count(*) FROM inquiry WHERE kind = 'sharing wish'"))
}

// What goes along with a referral says that something of it is held back, before it goes; nothing is taken out of it without a word.
func TestAReferralSaysWhatIsHeldBack(t *testing.T) {
	c := open(t)
	c.drinks()
	held := func() (out []string) {
		all, err := c.app.Referral.Parts(ctx, c.doctor(), patientID, "")
		require.NoError(t, err)
		for _, p := range all.Parts {
			if p.Held != "" {
				out = append(out, p.ID+": "+p.Held)
			}
		}
		return out
	}
	require.Empty(t, held())
	c.holds(sharing.HoldingBack{Of: "subject", ID: "substance", Held: true, Words: "Nobody else."})
	require.Equal(t, []string{"medicines: it may tell of “Alcohol and drugs” (naltrexone)", "problems: it may tell of “Alcohol and drugs” (F10.20)", "histories: it may tell of “Alcohol and drugs” (alcohol)"}, held())
}

// What was let go was looked at as it read then, and for what had been wished until then: changed since, or under a new wish, it waits again.
func TestWhatWasLetGoIsAskedAboutAgain(t *testing.T) {
	c := open(t)
	c.drinks()
	pill := c.text("SELECT id FROM medicine WHERE name = 'Naltrexone'")
	asks := func() (out []string) {
		c.later(1)
		page, err := c.app.Sharing.Held(ctx, c.jonah(), patientID)
		require.NoError(t, err)
		for _, b := range page.Back {
			if b.Ask {
				out = append(out, b.Ref)
			}
		}
		return out
	}
	c.holds(sharing.HoldingBack{Of: "subject", ID: "substance", Held: true, Words: "Nobody else."})
	require.Contains(t, asks(), pill)
	c.holds(sharing.HoldingBack{Of: "entry", ID: pill})
	require.NotContains(t, asks(), pill)
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		return q.AddTold(act.NewID(), pill, patientID, chart.Told{Says: "not taking", Detail: "drinks again", By: c.doctor().ID, At: c.now})
	}))
	require.Contains(t, asks(), pill, "it says something else now")
	c.holds(sharing.HoldingBack{Of: "entry", ID: pill})
	require.NotContains(t, asks(), pill)
	work := c.text("SELECT id FROM history WHERE title = 'Work'")
	require.NotContains(t, asks(), work)
	c.holds(sharing.HoldingBack{Of: "entry", ID: work, Held: true, Words: "Not where she works."})
	require.NotContains(t, asks(), pill, "of that it does not tell")
	c.holds(sharing.HoldingBack{Of: "entry", ID: pill, Held: true, Words: "After all."})
	c.holds(sharing.HoldingBack{Of: "subject", ID: "substance", Words: "No longer."})
	c.holds(sharing.HoldingBack{Of: "entry", ID: pill, Held: false})
	require.Empty(t, asks())
	c.holds(sharing.HoldingBack{Of: "subject", ID: "substance", Held: true, Words: "And again."})
	require.Contains(t, asks(), pill, "it was let go before this was wished")
}
