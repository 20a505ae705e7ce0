package app_test

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/sharing"
	"deftledger/core/note"
	"deftledger/core/outside"
	"deftledger/core/visit"
	"deftledger/exchange/ccda"
	"deftledger/exchange/fhir"
	"deftledger/standin"
	"deftledger/store"
)

// exchange opens a stand-in of the record exchange that knows some people.
func (c *clinic) exchange(people ...standin.Known) *standin.Exchange {
	c.Helper()
	x := &standin.Exchange{People: people}
	require.NoError(c, x.Open("127.0.0.1:0"))
	c.Cleanup(x.Close)
	c.app.Elsewhere.Exchange, c.app.Elsewhere.ExchangeName = x.Base(), "the exchange"
	return x
}

// agrees says what the patient of the clinic said of sharing on a day.
func (c *clinic) agrees(direction string, given bool, day string) {
	c.Helper()
	require.NoError(c, c.app.Sharing.Agree(ctx, c.who[act.FrontDesk], patientID, sharing.Consent{Direction: direction, Given: given, Form: "signed on paper", Day: day}))
}

// ottoline is the patient of the clinic as the exchange may write her.
func ottoline(change func(*standin.Known)) standin.Known {
	k := standin.Known{ID: "x1", Family: "Marsh-Adeyemi", Given: "Ottoline", BirthDate: "1968-03-14", Gender: "female", Phone: "555-0118"}
	if change != nil {
		change(&k)
	}
	return k
}

func northsound(t testing.TB, id string, change ...string) standin.Shared {
	return standin.Shared{ID: id, House: "Northsound Hospital", Title: "Discharge summary", At: "2026-04-01", From: "2026-03-28", To: "2026-04-01", Type: "application/xml", Body: document(t, "northsound-discharge", change...)}
}

func (c *clinic) asked(want error) sharing.SharingPage {
	c.Helper()
	p, err := c.app.Sharing.Ask(ctx, c.who[act.FrontDesk], patientID)
	if want == nil {
		require.NoError(c, err)
	}
	return p
}

// What was agreed to counts by direction, the last word counts, and nobody is asked about somebody who agreed to nothing.
func TestWhatAPatientAgreesToShare(t *testing.T) {
	c := open(t)
	x := c.exchange(ottoline(nil))
	page := func() sharing.SharingPage {
		p, err := c.app.Sharing.Page(ctx, c.who[act.FrontDesk], patientID)
		require.NoError(t, err)
		return p
	}
	require.Nil(t, page().In)
	require.Nil(t, page().Out)
	_, err := c.app.Sharing.Ask(ctx, c.doctor(), patientID)
	require.Equal(t, act.Conflict, kind(t, err), "unknown is no yes")
	require.Zero(t, x.Asked())
	for name, wrong := range map[string]sharing.Consent{
		"neither in nor out":   {Direction: "both", Form: "spoken", Day: "2026-05-01"},
		"how it was given":     {Direction: "in", Form: "nodded", Day: "2026-05-01"},
		"no day":               {Direction: "in", Form: "spoken"},
		"no such day":          {Direction: "in", Form: "spoken", Day: "2026-02-30"},
		"tomorrow":             {Direction: "in", Form: "spoken", Day: "2026-05-05"},
		"before she was born":  {Direction: "in", Form: "spoken", Day: "1960-01-01"},
		"a day in other words": {Direction: "in", Form: "spoken", Day: "5/1/2026"},
	} {
		require.Equal(t, act.Invalid, kind(t, c.app.Sharing.Agree(ctx, c.who[act.FrontDesk], patientID, wrong)), name)
	}
	c.agrees("in", true, "2026-05-01")
	c.agrees("in", true, "2026-05-01")
	require.Len(t, page().Before, 1, "the same act again is one")
	require.True(t, page().In.Given)
	require.Nil(t, page().Out, "one direction says nothing of the other")
	c.agrees("in", false, "2026-05-03")
	require.False(t, page().In.Given)
	require.Equal(t, act.Conflict, kind(t, c.app.Sharing.Agree(ctx, c.doctor(), patientID, sharing.Consent{Direction: "in", Given: true, Form: "spoken", Day: "2026-05-02"})), "what was said before does not count now")
	require.Len(t, page().Before, 2, "what stood before stays")
	require.Equal(t, "A front desk", page().Before[0].By)
	require.Empty(t, c.verify())
}

// The exchange is believed only where it is certain; else the cause is told with both spellings, and a person says.
func TestWhoAPatientIsAtTheExchange(t *testing.T) {
	for name, s := range map[string]struct {
		people      []standin.Known
		state, says string
		candidates  int
	}{
		"written alike":        {[]standin.Known{ottoline(nil)}, sharing.Linked, "What agrees", 0},
		"other people too":     {[]standin.Known{ottoline(nil), {ID: "x2", Family: "Marsh", Given: "Otto", BirthDate: "1968-03-14", Gender: "male"}}, sharing.Linked, "What agrees", 0},
		"a second given name":  {[]standin.Known{ottoline(func(k *standin.Known) { k.Given, k.Family = "Ottoline Rose", "Adeyemi" })}, sharing.Linked, "What agrees", 0},
		"an initial":           {[]standin.Known{ottoline(func(k *standin.Known) { k.Given = "O" })}, sharing.Question, "There is only an initial of the given name: Ottoline here, O there.", 1},
		"another birth date":   {[]standin.Known{ottoline(func(k *standin.Known) { k.BirthDate = "1968-11-02" })}, sharing.Question, "The birth dates differ: 14 Mar 1968 here, 02 Nov 1968 there.", 1},
		"a twin":               {[]standin.Known{ottoline(func(k *standin.Known) { k.Given = "Octavia" })}, sharing.Question, "The given names differ: Ottoline here, Octavia there.", 1},
		"twice":                {[]standin.Known{ottoline(nil), ottoline(func(k *standin.Known) { k.ID = "x2" })}, sharing.Question, "Somebody else fits nearly as well.", 2},
		"nobody like her":      {[]standin.Known{{ID: "x9", Family: "Tollefsen", Given: "Bram", BirthDate: "1980-10-02"}}, sharing.Nobody, "Nobody there is like Ottoline Marsh-Adeyemi.", 0},
		"an identifier of its": {[]standin.Known{ottoline(func(k *standin.Known) { k.ID = "../../admin" })}, sharing.Nobody, "Nobody there", 0},
	} {
		t.Run(name, func(t *testing.T) {
			c := open(t)
			c.exchange(s.people...)
			c.agrees("in", true, "2026-05-01")
			p := c.asked(nil)
			require.Equal(t, s.state, p.Link.State)
			require.Contains(t, p.Link.Says, s.says)
			require.Len(t, p.Link.Candidates, s.candidates)
		})
	}
	c := open(t)
	x := c.exchange(ottoline(func(k *standin.Known) { k.Given = "O" }))
	c.agrees("out", true, "2026-05-01")
	x.Set(func(e *standin.Exchange) { e.Down = true })
	require.Equal(t, sharing.Failed, c.asked(nil).Link.State, "no answer is not nobody")
	x.Set(func(e *standin.Exchange) { e.Down = false })
	p := c.asked(nil)
	require.Equal(t, "O Marsh-Adeyemi", p.Link.Candidates[0].Name)
	require.Equal(t, "Ottoline Marsh-Adeyemi", p.Link.Ours.Name)
	_, err := c.app.Sharing.Confirm(ctx, c.who[act.FrontDesk], patientID, "x1", " ")
	require.Equal(t, act.Invalid, kind(t, err), "by hand needs the reason")
	_, err = c.app.Sharing.Confirm(ctx, c.who[act.FrontDesk], patientID, "x7", "It is her.")
	require.Equal(t, act.Conflict, kind(t, err), "whom the exchange did not name")
	for range 2 {
		p, err = c.app.Sharing.Confirm(ctx, c.who[act.FrontDesk], patientID, "x1", "She is known there by the initial.")
		require.NoError(t, err)
	}
	require.Equal(t, sharing.Linked, p.Link.State)
	require.Contains(t, p.Link.Says, "She is known there by the initial.")
	require.Equal(t, 3, c.count("SELECT count(*) FROM inquiry WHERE kind = 'exchange link'"), "no answer, a question, by hand")
	p, err = c.app.Sharing.Unlink(ctx, c.who[act.FrontDesk], patientID, "It was her cousin.")
	require.NoError(t, err)
	require.Equal(t, sharing.Unlinked, p.Link.State)
	require.Empty(t, c.verify())
}

// Documents come in once, as questions, only while it is agreed to; one of a house where she never was goes back with the reason, and the
// next of that house is not fetched.
func TestDocumentsOfTheExchangeComeInAsQuestions(t *testing.T) {
	c := open(t)
	x := c.exchange(ottoline(func(k *standin.Known) { k.Documents = []standin.Shared{northsound(t, "n1")} }))
	c.agrees("out", true, "2026-05-01")
	require.Equal(t, sharing.Linked, c.asked(nil).Link.State)
	require.Zero(t, x.Asked(), "it is not agreed that records come in")
	c.agrees("in", true, "2026-05-02")
	var p sharing.SharingPage
	var err error
	for range 2 {
		p, err = c.app.Sharing.Fetch(ctx, c.who[act.FrontDesk], patientID)
		require.NoError(t, err)
		require.Empty(t, p.Problems)
	}
	require.Equal(t, 1, c.count("SELECT count(*) FROM outside_record"))
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'record from elsewhere' AND closed_at = ''"))
	require.Len(t, p.Sources, 1)
	require.Equal(t, "Northsound Hospital", p.Sources[0].House)
	require.Empty(t, p.Sources[0].Says, "a question to the patient")
	toAsk := func() int {
		r, err := c.app.Registration.Registration(ctx, c.who[act.FrontDesk], patientID)
		require.NoError(t, err)
		return r.ToAsk
	}
	require.Equal(t, 1, toAsk(), "the front desk sees that there is something to ask")
	require.NotEmpty(t, p.Sources[0].Seen[0])
	require.Zero(t, c.record(c.doctor(), p.Sources[0].Ask).Certain, "nothing of it counts before")
	require.NoError(t, c.app.Record.Confirm(ctx, c.who[act.FrontDesk], p.Sources[0].Ask, "refused", "I have never been there."), "the front desk asks")
	require.Zero(t, toAsk())
	require.NoError(t, c.app.Outbox.Step(ctx))
	require.Equal(t, map[string]string{"n1": "The patient says that they were not there: I have never been there."}, x.Back())
	x.Set(func(e *standin.Exchange) {
		e.People[0].Documents = append(e.People[0].Documents, northsound(t, "n2", "A-2231", "A-2232"))
	})
	p, err = c.app.Sharing.Fetch(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	require.Equal(t, 1, c.count("SELECT count(*) FROM outside_record"), "what was said is remembered")
	require.Contains(t, strings.Join(p.Problems, "\n"), "was not fetched")
	require.Equal(t, "refused", p.Sources[0].Says)
	was := x.Asked()
	c.agrees("in", false, "2026-05-04")
	_, err = c.app.Sharing.Fetch(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	require.Equal(t, was, x.Asked(), "withdrawn, nothing is asked for")
	require.Empty(t, c.verify())
}

// A document that names somebody else is not taken in, whoever is linked, until somebody says why it is hers.
func TestADocumentOfSomebodyElseIsNotTaken(t *testing.T) {
	c := open(t)
	other := northsound(t, "n1", "<given>Ottoline</given>", "<given>Octavia</given>")
	require.NotEqual(t, document(t, "northsound-discharge"), other.Body)
	x := c.exchange(ottoline(func(k *standin.Known) { k.Documents = []standin.Shared{other} }))
	c.agrees("in", true, "2026-05-01")
	p := c.asked(nil)
	require.Equal(t, sharing.Linked, p.Link.State)
	require.Zero(t, c.count("SELECT count(*) FROM outside_record"))
	require.Len(t, p.Untaken, 1)
	require.Contains(t, p.Untaken[0].Why, "given name")
	_, err := c.app.Sharing.TakeShared(ctx, c.who[act.FrontDesk], patientID, "n1", "")
	require.Equal(t, act.Invalid, kind(t, err))
	x.Set(func(e *standin.Exchange) { e.Down = true })
	_, err = c.app.Sharing.TakeShared(ctx, c.who[act.FrontDesk], patientID, "n1", "Her second name.")
	require.Equal(t, act.Unreachable, kind(t, err))
	x.Set(func(e *standin.Exchange) { e.Down = false })
	for range 2 {
		p, err = c.app.Sharing.TakeShared(ctx, c.who[act.FrontDesk], patientID, "n1", "Her second name.")
		require.NoError(t, err)
	}
	require.Empty(t, p.Untaken)
	require.Equal(t, 1, c.count("SELECT count(*) FROM outside_record"))
	require.Contains(t, c.text("SELECT why FROM outside_record"), "Her second name.")
}

// As the exchange writes whom she is linked with by hand, its documents may name her.
func TestADocumentMayNameHerAsTheExchangeDoes(t *testing.T) {
	c := open(t)
	c.exchange(ottoline(func(k *standin.Known) {
		k.Given, k.Documents = "Octavia", []standin.Shared{northsound(t, "n1", "<given>Ottoline</given>", "<given>Octavia</given>")}
	}))
	c.agrees("in", true, "2026-05-01")
	require.Equal(t, sharing.Question, c.asked(nil).Link.State)
	_, err := c.app.Sharing.Confirm(ctx, c.doctor(), patientID, "x1", "She was called so as a child.")
	require.NoError(t, err)
	require.Equal(t, 1, c.count("SELECT count(*) FROM outside_record"))
	require.Contains(t, c.text("SELECT why FROM outside_record"), "so the exchange writes")
}

// A copy goes to the patient always, to others only while it is agreed to, and each is kept with what it held.
func TestAChartIsGivenOut(t *testing.T) {
	c := open(t)
	c.seen()
	x := c.exchange(ottoline(nil))
	give := func(n sharing.NewGiven) (sharing.GivenFile, error) {
		return c.app.Sharing.Give(ctx, c.jonah(), patientID, n)
	}
	for name, wrong := range map[string]sharing.NewGiven{
		"to nobody":          {Form: "PDF"},
		"nobody named":       {Whom: "person", Form: "PDF", Why: "a claim"},
		"for nothing":        {Whom: "person", Form: "PDF", Name: "Skerrow Mutual"},
		"no such form":       {Whom: "patient", Form: "fax"},
		"no such part":       {Whom: "patient", Form: "PDF", Parts: []string{"secrets"}},
		"no such day":        {Whom: "patient", Form: "PDF", First: "2026-02-30"},
		"ends before":        {Whom: "patient", Form: "PDF", First: "2026-03-01", Last: "2026-02-01"},
		"paper for exchange": {Whom: "exchange", Form: "PDF"},
	} {
		_, err := give(wrong)
		require.Equal(t, act.Invalid, kind(t, err), name)
	}
	mutual := sharing.NewGiven{Whom: "person", Name: "Skerrow Mutual", Why: "a claim of May", Form: "C-CDA", Parts: []string{"problems", "allergies"}}
	_, err := give(mutual)
	require.Equal(t, act.Conflict, kind(t, err), "she has not agreed")
	paper, err := give(sharing.NewGiven{Whom: "patient", Form: "PDF"})
	require.NoError(t, err)
	require.True(t, bytes.HasPrefix(paper.File, []byte("%PDF-")), "her own copy needs no consent")
	_, err = give(sharing.NewGiven{Whom: "exchange", Form: "FHIR"})
	require.Equal(t, act.Conflict, kind(t, err))
	c.agrees("out", true, "2026-05-01")
	f, err := give(mutual)
	require.NoError(t, err)
	r, err := ccda.Read(f.File)
	require.NoError(t, err)
	for _, i := range r.Items {
		require.Contains(t, []string{outside.Problems, outside.Allergies}, i.List, "only what was chosen")
	}
	require.NotEmpty(t, r.Items)
	_, err = give(sharing.NewGiven{Whom: "exchange", Form: "FHIR"})
	require.Equal(t, act.Conflict, kind(t, err), "she is linked with nobody there")
	c.asked(nil)
	line := "SELECT count(*) FROM line WHERE kind = 'to the exchange' AND closed_at = ''"
	x.Set(func(e *standin.Exchange) { e.Down = true })
	sent, err := give(sharing.NewGiven{Whom: "exchange", Form: "FHIR"})
	require.NoError(t, err)
	require.Empty(t, sent.File)
	require.NoError(t, c.app.Outbox.Step(ctx))
	require.Equal(t, 1, c.count(line), "nobody took it: it stays open")
	x.Set(func(e *standin.Exchange) { e.Down = false })
	c.later(5)
	require.NoError(t, c.app.Outbox.Step(ctx))
	require.Zero(t, c.count(line))
	require.Len(t, x.Taken(), 1)

	again := sharing.NewGiven{ID: act.NewID(), Whom: "patient", Form: "C-CDA", Parts: []string{"problems"}}
	one, err := give(again)
	require.NoError(t, err)
	two, err := give(again) // its answer was lost
	require.NoError(t, err)
	require.Equal(t, one, two)
	require.Equal(t, 4, c.count("SELECT count(*) FROM inquiry WHERE kind = 'given out'"), "it is listed once")
	other := again
	other.Parts = []string{"allergies"}
	_, err = give(other)
	require.Equal(t, act.Conflict, kind(t, err), "that is another copy")
	_, err = c.app.Sharing.Give(ctx, c.doctor(), patientID, again)
	require.Equal(t, act.Conflict, kind(t, err), "nor is it one of somebody else")
	toIt := sharing.NewGiven{ID: act.NewID(), Whom: "exchange", Form: "FHIR"}
	for range 2 {
		_, err = give(toIt)
		require.NoError(t, err)
	}
	require.NoError(t, c.app.Outbox.Step(ctx))
	require.Len(t, x.Taken(), 2, "sent once")
	require.NoError(t, c.app.Chart.AddProblem(ctx, c.doctor(), patientID, "E10.9"))
	_, err = give(again)
	require.Equal(t, act.Conflict, kind(t, err), "the chart has changed: it would be another copy under the sum of the first")

	got, err := fhir.ReadRecord(x.Taken()[sent.ID])
	require.NoError(t, err)
	require.Equal(t, "Marsh-Adeyemi", got.Patient.Family)
	p, err := c.app.Sharing.Page(ctx, c.doctor(), patientID)
	require.NoError(t, err)
	require.Len(t, p.Given, 5)
	p.Given = p.Given[2:]
	require.Equal(t, []string{"accepted", "the whole chart", "exchange"}, []string{p.Given[0].State, p.Given[0].Says, p.Given[0].Whom})
	require.Equal(t, []string{"problems, allergies", "Skerrow Mutual", "a claim of May"}, []string{p.Given[1].Says, p.Given[1].Name, p.Given[1].Why})
	require.Len(t, p.Given[2].Sum, 64)
	require.Empty(t, c.verify())
}

// What waits for the exchange does not go once it is no longer agreed to: what was never tried is closed, what may have gone is a question.
func TestWithdrawnWhatWaitsDoesNotGo(t *testing.T) {
	c := open(t)
	x := c.exchange(ottoline(nil))
	c.agrees("out", true, "2026-05-01")
	c.asked(nil)
	n := sharing.NewGiven{Whom: "exchange", Form: "FHIR", Parts: []string{"problems"}}
	never, err := c.app.Sharing.Give(ctx, c.jonah(), patientID, n)
	require.NoError(t, err)
	c.agrees("out", false, "2026-05-04")
	require.NoError(t, c.app.Outbox.Step(ctx))
	require.Empty(t, x.Taken())
	open := "SELECT count(*) FROM line WHERE kind = 'to the exchange' AND closed_at = ''"
	require.Zero(t, c.count(open))
	c.agrees("out", true, "2026-05-04")
	x.Set(func(e *standin.Exchange) { e.Down = true })
	tried, err := c.app.Sharing.Give(ctx, c.jonah(), patientID, n)
	require.NoError(t, err)
	require.NotEqual(t, never.ID, tried.ID)
	require.NoError(t, c.app.Outbox.Step(ctx))
	c.agrees("out", false, "2026-05-04")
	x.Set(func(e *standin.Exchange) { e.Down = false })
	c.later(5)
	require.NoError(t, c.app.Outbox.Step(ctx))
	require.Empty(t, x.Taken())
	require.Equal(t, 1, c.count(open), "it may have arrived: a person says")
	v, err := c.app.Sharing.Sent(ctx, c.jonah(), tried.ID)
	require.NoError(t, err)
	require.Contains(t, v.Why, "may have gone before")
	require.Equal(t, act.Invalid, kind(t, c.app.Sharing.Settle(ctx, c.jonah(), tried.ID, "")))
	require.NoError(t, c.app.Sharing.Settle(ctx, c.jonah(), tried.ID, "The exchange says that it has nothing."))
	require.Zero(t, c.count(open))
	require.Equal(t, act.Missing, kind(t, c.app.Sharing.Settle(ctx, c.jonah(), "nothing", "x")))
	require.Empty(t, c.verify())
}

// toExchange is a copy on its way to an exchange where nobody answers.
func (c *clinic) toExchange() string {
	c.Helper()
	c.exchange(ottoline(nil))
	c.agrees("out", true, "2026-05-01")
	c.asked(nil)
	c.app.Elsewhere.Exchange = "http://127.0.0.1:1"
	f, err := c.app.Sharing.Give(ctx, c.jonah(), patientID, sharing.NewGiven{Whom: "exchange", Form: "FHIR", Parts: []string{"problems"}})
	require.NoError(c, err)
	return f.ID
}

// The whole chart goes out as FHIR with its notes and documents byte for byte, and is read again as it was.
func TestAWholeChartGoesOutAndIsReadAgain(t *testing.T) {
	c := open(t)
	c.seen()
	c.earlier(40, "", map[note.Part]string{note.Subjective: "Knee better.", note.Assessment: "Gout.", note.Plan: "Go on."})
	pdf := []byte("%PDF-1.4\nnot a real one \x00\xff")
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		return q.AddDocument(store.Document{ID: "doc", PatientID: patientID, Title: "Letter", PDF: pdf, MadeBy: c.doctor().ID, MadeAt: c.now})
	}))
	f, err := c.app.Sharing.Give(ctx, c.doctor(), patientID, sharing.NewGiven{Whom: "patient", Form: "FHIR"})
	require.NoError(t, err)
	r, err := fhir.ReadRecord(f.File)
	require.NoError(t, err)
	require.Empty(t, r.Missed)
	var files []string
	for _, x := range r.Files {
		files = append(files, x.Type)
		if x.Type == "application/pdf" {
			require.Equal(t, pdf, x.Body)
		} else {
			require.Contains(t, string(x.Body), "Knee better.")
		}
	}
	require.ElementsMatch(t, []string{"application/pdf", "text/plain; charset=utf-8"}, files)
	want, err := c.app.Sharing.Give(ctx, c.doctor(), patientID, sharing.NewGiven{Whom: "patient", Form: "C-CDA"})
	require.NoError(t, err)
	other, err := ccda.Read(want.File)
	require.NoError(t, err)
	says := func(r outside.Record) (out []string) {
		for _, i := range r.Items {
			if i.List != outside.Encounters && i.List != outside.Team { // a visit, and who treats her, is no entry of ours in a clinical document yet
				out = append(out, strings.Join([]string{i.List, i.Says(), i.Status}, "|"))
			}
		}
		return out
	}
	require.ElementsMatch(t, says(other), says(r), "both forms say the same")
}

// Who is linked, agrees and is here is asked about once on a day, by nobody's act; who is not here, or no longer agrees, is not.
func TestTheExchangeIsAskedForWhoIsHere(t *testing.T) {
	c := open(t)
	x := c.exchange(ottoline(nil))
	c.agrees("in", true, "2026-05-01")
	c.asked(nil)
	was := x.Asked()
	stage := func(s visit.Stage) {
		require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
			v, err := q.VisitByID(visitID)
			if err != nil {
				return err
			}
			return q.SetStage(visitID, s, "", c.now, v.Version)
		}))
	}
	stage(visit.Expected)
	require.NoError(t, c.app.Sharing.AskForWhoIsHere(ctx))
	require.Equal(t, was, x.Asked(), "she is not here")
	x.Set(func(e *standin.Exchange) { e.People[0].Documents = []standin.Shared{northsound(t, "n1")} })
	stage(visit.Arrived)
	for range 3 {
		require.NoError(t, c.app.Sharing.AskForWhoIsHere(ctx))
	}
	require.Equal(t, was+1, x.Asked(), "once on a day")
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'record from elsewhere' AND closed_at = ''"))
	require.Equal(t, 1, c.count("SELECT count(*) FROM outside_record WHERE by_id = ''"), "by nobody's act")
	require.Empty(t, c.verify())
	c = open(t)
	x = c.exchange(ottoline(nil))
	c.agrees("in", true, "2026-05-01")
	c.asked(nil)
	c.agrees("in", false, "2026-05-03")
	was = x.Asked()
	require.NoError(t, c.app.Sharing.AskForWhoIsHere(ctx))
	require.Equal(t, was, x.Asked(), "she no longer agrees")
}
