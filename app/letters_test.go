package app_test

import (
	"fmt"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/forms"
	"deftledger/app/paper"
	"deftledger/core/chart"
	"deftledger/core/note"
	"deftledger/core/outside"
	"deftledger/standin"
	"deftledger/store"
)

// A letter is filled from the chart, says what the chart does not hold, is not signed
// while a field is open, and is sealed as it reads.
func TestALetterIsFilledSignedAndSealed(t *testing.T) {
	c := open(t)
	id := c.note()
	c.save(id, note.Plan, "Colchicine. See the rheumatologist.", 0, "p")
	c.diagnose(id, "M10.071")
	_, err := c.add("medicines", "Losartan", "50 mg daily")
	require.NoError(t, err)
	o := c.order("K")
	c.receive(oru("L1", o.Placer+"-1", "F", "5.6", "3.5-5.1||||", "3.5-5.1|H|||"), "AA")
	v, err := c.app.Paper.Letters(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, "referral", v.Letters[0].ID)
	text := v.Letters[0].Text
	for _, words := range []string{"Ottoline Marsh-Adeyemi, born 14 Mar 1968", "(M10.071)", "Medicines: Losartan 50 mg daily",
		"Allergies: not asked", "Ongoing problems: none recorded", "Recent results: 04 May 2026: Potassium 5.6 mmol/L (high)"} {
		require.Contains(t, text, words)
	}
	require.Equal(t, []string{"{?what is asked}"}, v.Letters[0].Open)
	require.True(t, v.Leaflets[0].Fits && v.Leaflets[0].ID == "gout", "leaflets of the diagnoses first")

	x := paper.Letter{Form: "referral", To: "Northsound Hospital, rheumatology", Text: text}
	_, err = c.app.Paper.SignLetter(ctx, c.doctor(), id, secret, x)
	require.ErrorContains(t, err, "{?what is asked}")
	x.Text = strings.Replace(text, "{?what is asked}", "lowering treatment?", 1)
	_, err = c.app.Paper.SignLetter(ctx, c.who[act.Nurse], id, secret, x)
	require.Equal(t, act.Forbidden, kind(t, err))
	_, err = c.app.Paper.SignLetter(ctx, c.doctor(), id, "wrong", x)
	require.Error(t, err)
	require.Zero(t, c.count("SELECT count(*) FROM document"))
	d, err := c.app.Paper.SignLetter(ctx, c.doctor(), id, secret, x)
	require.NoError(t, err)
	require.Equal(t, "Referral letter", d.Title)
	require.Positive(t, d.Folio)
	require.Equal(t, 1, c.count("SELECT count(*) FROM ledger_entry WHERE kind = 'letter' AND folio = ? AND CAST(content AS TEXT) LIKE '%lowering treatment?%'", d.Folio))
	require.Empty(t, c.verify())
	x.Form = "none"
	_, err = c.app.Paper.SignLetter(ctx, c.doctor(), id, secret, x)
	require.Equal(t, act.Missing, kind(t, err))
}

// A letter that cannot carry every result leaves out none that has a flag, and says how
// many it left out.
func TestALetterLeavesNoFlaggedResultOut(t *testing.T) {
	c := open(t)
	id := c.note()
	o := c.order("K")
	var obx string
	for i := range 30 {
		flag := ""
		if i >= 28 {
			flag = []string{"LL", "A"}[i-28]
		}
		obx += fmt.Sprintf("OBX|%d|NM|Q%d^Quantity %d^L||%d|mmol/L|1-100|%s|||F\r", i+1, i, i, i+1, flag)
	}
	text := oru("L1", o.Placer+"-1", "F", "4.1")
	c.receive(text[:strings.Index(text, "OBX|")]+obx, "AA")
	v, err := c.app.Paper.Letters(ctx, c.doctor(), id)
	require.NoError(t, err)
	results := v.Letters[0].Text[strings.Index(v.Letters[0].Text, "Recent results"):]
	results, _, _ = strings.Cut(results, "\n")
	require.Contains(t, results, "Quantity 28 29 mmol/L (critically low), Quantity 29 30 mmol/L (abnormal)")
	require.Contains(t, results, "Quantity 17 18 mmol/L")
	require.NotContains(t, results, "Quantity 18 19")
	require.True(t, strings.HasSuffix(results, "; 10 more without a flag"), results)
}

// What was carried from an earlier visit and not looked at does not leave in a letter.
func TestCarriedTextThatNobodyLookedAtDoesNotLeave(t *testing.T) {
	c := open(t)
	old := c.earlier(30, "lungs: wheeze right", map[note.Part]string{note.Subjective: "Well.", note.Plan: "Warfarin as before."})
	id := c.note()
	c.save(id, note.Plan, "Rest.", 0, "p")
	_, err := c.app.Note.Forward(ctx, c.doctor(), id, old, note.Wanted{Part: note.Plan})
	require.NoError(t, err)
	n, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Contains(t, reads(n), "Warfarin as before.")
	v, err := c.app.Paper.Letters(ctx, c.doctor(), id)
	require.NoError(t, err)
	for _, l := range v.Letters {
		require.NotContains(t, l.Text, "Warfarin")
	}
}

// A leaflet is filed once for a visit, and the plan says that it was given.
func TestALeafletIsGivenOnce(t *testing.T) {
	c := open(t)
	id := c.note()
	var wg sync.WaitGroup
	for range 8 {
		wg.Go(func() { _, _ = c.app.Paper.GiveLeaflet(ctx, c.who[act.Nurse], id, "gout") })
	}
	wg.Wait()
	require.Equal(t, 1, c.count("SELECT count(*) FROM document WHERE form = 'leaflet gout'"))
	n, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, 1, strings.Count(reads(n), "Leaflet given: Gout, food and drink."))
	v, err := c.app.Paper.Letters(ctx, c.doctor(), id)
	require.NoError(t, err)
	for _, l := range v.Leaflets {
		require.Equal(t, l.ID == "gout", l.Document != "", l.ID)
	}
	_, err = c.app.Paper.GiveLeaflet(ctx, c.doctor(), id, "none")
	require.Equal(t, act.Missing, kind(t, err))
}

// A message goes out once under its identifier however often it is sent, is an open line
// until the portal took it, and a refusal stays with the sender until it is settled.
func TestAMessageIsAnOpenLineUntilItArrived(t *testing.T) {
	c := open(t)
	e := c.others()
	e.Set(func(e *standin.Elsewhere) { e.Accounts, e.Down = []string{"SK-1"}, true })
	id := c.note()
	m := paper.PortalMessage{ID: "message-1", Text: "Your potassium is a little high. Please come on Monday."}
	for range 3 {
		_, err := c.app.Paper.MessagePatient(ctx, c.doctor(), id, m)
		require.NoError(t, err)
	}
	require.Equal(t, 1, c.count("SELECT count(*) FROM message"))
	other := m
	other.Text = "Something else."
	_, err := c.app.Paper.MessagePatient(ctx, c.doctor(), id, other)
	require.Equal(t, act.Conflict, kind(t, err))
	require.NoError(t, c.app.Outbox.Step(ctx))
	require.Len(t, c.desk().Sent, 1, "nobody answers: the line stays")
	require.Equal(t, outside.Waiting, c.desk().Sent[0].Sent.State)
	require.Equal(t, act.Conflict, kind(t, c.app.Paper.SettleSent(ctx, c.doctor(), "message", m.ID, "by telephone")), "it is under way still")

	e.Set(func(e *standin.Elsewhere) { e.Down = false })
	c.raw("UPDATE outbox SET next_at = ''")
	require.NoError(t, c.app.Outbox.Step(ctx))
	require.Empty(t, c.desk().Sent)
	require.Equal(t, standin.Message{Record: "SK-1", Text: m.Text, Times: 1}, e.Messages()[m.ID])
	// The answer is lost: it is sent again under the same identifier, and is one message.
	c.raw("UPDATE outbox SET state = 'waiting', next_at = ''")
	require.NoError(t, c.app.Outbox.Step(ctx))
	require.Len(t, e.Messages(), 1)
	require.Empty(t, c.verify())

	e.Set(func(e *standin.Elsewhere) { e.Accounts = nil })
	doc, err := c.app.Paper.GiveLeaflet(ctx, c.doctor(), id, "gout")
	require.NoError(t, err)
	_, err = c.app.Paper.MessagePatient(ctx, c.doctor(), id, paper.PortalMessage{ID: "message-2", Text: "The leaflet.", Document: doc.ID})
	require.NoError(t, err)
	require.NoError(t, c.app.Outbox.Step(ctx))
	sent := c.desk().Sent
	require.Len(t, sent, 1)
	require.Equal(t, outside.Refused, sent[0].Sent.State)
	require.Equal(t, "no account with this record number", sent[0].Sent.Problem)
	require.Equal(t, act.Invalid, kind(t, c.app.Paper.SettleSent(ctx, c.doctor(), "message", "message-2", " ")))
	require.NoError(t, c.app.Paper.SettleSent(ctx, c.doctor(), "message", "message-2", "by telephone"))
	require.Equal(t, act.Conflict, kind(t, c.app.Paper.SettleSent(ctx, c.doctor(), "message", "message-2", "by telephone")))
	require.Empty(t, c.desk().Sent)
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'message' AND closed_with = 'by telephone' AND closed_by = ?",
		c.doctor().ID))

	require.Error(t, c.app.Paper.SettleSent(ctx, c.doctor(), "fax", "none", "x"))
	c.raw("UPDATE patient SET uses_portal = 0")
	_, err = c.app.Paper.MessagePatient(ctx, c.doctor(), id, paper.PortalMessage{ID: "message-3", Text: "Hello."})
	require.ErrorContains(t, err, "does not use the portal")
	_, err = c.app.Paper.MessagePatient(ctx, c.doctor(), id, paper.PortalMessage{ID: "message-4", Text: "Hello {?name}."})
	require.ErrorContains(t, err, "open field")
	_, err = past(t, c.dir).Exec("UPDATE message SET text = 'x'")
	require.ErrorContains(t, err, "sealed", "what was sent is not changed through any path")
	c.raw("UPDATE patient SET uses_portal = 1", "DELETE FROM touched", "DELETE FROM foreign_change")
	require.Empty(t, c.verify(), "as it was again")
	c.raw("DROP TRIGGER message_sealed", "UPDATE message SET text = 'x' WHERE id = 'message-1'")
	require.Contains(t, c.verify(), "is not as it was sealed")
}

// A fax that the other side refuses is on the sender's desk until it is settled.
func TestARefusedFaxStaysOnTheDesk(t *testing.T) {
	c := open(t)
	e := c.others()
	c.app.Elsewhere.Fax = e.Base()
	id := c.note()
	doc, err := c.app.Paper.GiveLeaflet(ctx, c.doctor(), id, "gout")
	require.NoError(t, err)
	require.NoError(t, c.app.Paper.SendFax(ctx, c.doctor(), doc.ID, "555-0190"))
	require.NoError(t, c.app.Paper.SendFax(ctx, c.doctor(), doc.ID, "555-0000"))
	require.Len(t, c.desk().Sent, 2)
	require.NoError(t, c.app.Outbox.Step(ctx))
	sent := c.desk().Sent
	require.Len(t, sent, 1, "the one that arrived is closed")
	require.Equal(t, "555-0000", sent[0].Sent.To)
	require.NoError(t, c.app.Paper.SettleSent(ctx, c.doctor(), "fax", sent[0].Sent.ID, "by mail"))
	require.Empty(t, c.desk().Sent)
}

// A clinic's own table of services is charged like what ships; a wrong one is refused
// with its line, and the former stays.
func TestTheClinicsOwnServices(t *testing.T) {
	c := open(t)
	id := c.note()
	c.diagnose(id, "M10.071")
	save := func(base int, table string) error {
		_, err := c.app.Forms.SaveForm(ctx, c.who[act.Admin], forms.FormText{FormRow: forms.FormRow{Kind: "services", ID: "clinic"},
			Body: table}, base)
		return err
	}
	require.ErrorContains(t, save(1, "code,words\n20600,Something small\n2060,Short\n"), "line 3")
	require.NoError(t, save(1, "code;description;kind\n20600;Our words for a small joint;service\n99213;Our words for the visit;visit\n"))
	found, err := c.app.Assess.FindServices(c.doctor(), "small joint")
	require.NoError(t, err)
	require.Equal(t, "20600", found[0].Code)
	found, err = c.app.Assess.FindServices(c.doctor(), "99213")
	require.NoError(t, err)
	require.Len(t, found, 1, "the clinic's words take the place of those that ship")
	require.Equal(t, "Our words for the visit", found[0].Words)
	_, err = c.app.Forms.SaveForm(ctx, c.doctor(), forms.FormText{FormRow: forms.FormRow{Kind: "services", ID: "clinic"},
		Body: "code,words\n"}, 1)
	require.Equal(t, act.Conflict, kind(t, err))
}

// A message goes with a document of this chart only, also where two records are one
// person, and to the record that has the account.
func TestAMessageGoesWithADocumentOfThisChart(t *testing.T) {
	c := open(t)
	e := c.others()
	e.Set(func(e *standin.Elsewhere) { e.Accounts = []string{"SK-1"} })
	id := c.note()
	require.NoError(t, c.store.Write(ctx, func(q *store.Q) error {
		for _, p := range []string{"p2", "p3"} {
			if err := q.AddPatient(chart.Patient{ID: p, Record: "SK-" + p, Name: chart.Name{Family: "Roe", Given: "Caspian"},
				BirthDate: "1997-02-18", Sex: "M"}); err != nil {
				return err
			}
			if err := q.AddDocument(store.Document{ID: "of-" + p, PatientID: p, Title: "Letter", PDF: []byte("%PDF-1.7"), MadeBy: c.doctor().ID,
				MadeAt: c.now}); err != nil {
				return err
			}
			if err := q.SetUsualClinician(p, c.doctor().ID, c.doctor().ID, c.now); err != nil {
				return err
			}
		}
		return nil
	}))
	send := func(id, note, document string) error {
		_, err := c.app.Paper.MessagePatient(ctx, c.doctor(), note, paper.PortalMessage{ID: id, Text: "See the letter.", Document: document})
		return err
	}
	require.ErrorContains(t, send("message-1", id, "of-p2"), "of another chart")
	require.Equal(t, act.Missing, kind(t, send("message-2", id, "none")))
	require.Equal(t, act.Missing, kind(t, send("message-3", "none", "")))
	require.Zero(t, c.count("SELECT count(*) FROM message"))
	require.Zero(t, c.count("SELECT count(*) FROM ledger_entry WHERE kind = 'message'"), "nothing is sealed that does not go out")
	require.NoError(t, c.app.Chart.Merge(ctx, c.doctor(), secret, patientID, "p2", "the same person"))
	require.NoError(t, send("message-4", id, "of-p2"), "one person's records are one chart")
	require.NoError(t, c.app.Outbox.Step(ctx))
	require.Equal(t, standin.Message{Record: "SK-1", Text: "See the letter.", Attached: "Letter", Times: 1}, e.Messages()["message-4"])
	require.ErrorContains(t, send("message-5", id, "of-p3"), "of another chart")
	require.Empty(t, c.verify())
}

// After the note is signed a leaflet is filed all the same, and the sealed plan stays as it
// is; the leaflets of a set are filed with it, and none is filed twice.
func TestLeafletsOfASetAndAfterSigning(t *testing.T) {
	c := open(t)
	id, versions, _ := c.written()
	c.diagnose(id, "M10.071")
	_, err := c.app.Plan.ApplySet(ctx, c.doctor(), id, "gout-attack", []string{"education 0"})
	require.NoError(t, err)
	_, err = c.app.Plan.ApplySet(ctx, c.doctor(), id, "gout-attack", []string{"education 0"})
	require.NoError(t, err)
	require.Equal(t, 1, c.count("SELECT count(*) FROM document WHERE form = 'leaflet gout'"))
	n, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, 1, strings.Count(reads(n), "Leaflet given: Gout, food and drink."))
	_, err = c.app.Note.SignNote(ctx, c.doctor(), id, secret, versions, n.ListVersion, "")
	require.NoError(t, err)
	sealed, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	d, err := c.app.Paper.GiveLeaflet(ctx, c.who[act.Assistant], id, "blood-pressure")
	require.NoError(t, err)
	require.Equal(t, "Leaflet: Measuring blood pressure at home", d.Title)
	after, err := c.app.Note.Note(ctx, c.doctor(), id)
	require.NoError(t, err)
	require.Equal(t, sealed.Sealed, after.Sealed)
	_, err = c.app.Plan.ApplySet(ctx, c.doctor(), id, "gout-attack", []string{"text 0"})
	require.Equal(t, act.Conflict, kind(t, err), "a set changes no signed note")
	require.Empty(t, c.verify())
}

// A message lives through any order of the portal's answers: it is taken once, or refused
// and settled once, and its line is closed exactly when one of both is so.
func TestAMessageThroughAnyAnswers(t *testing.T) {
	c := open(t)
	e := c.others()
	id := c.note()
	for n, answers := range []string{"", "d", "dd", "r", "dr", "drd", "ddd"} {
		m := paper.PortalMessage{ID: fmt.Sprint("message-", n), Text: fmt.Sprint("Number ", n)}
		_, err := c.app.Paper.MessagePatient(ctx, c.doctor(), id, m)
		require.NoError(t, err)
		for _, a := range answers + "t" {
			e.Set(func(e *standin.Elsewhere) {
				e.Down, e.Accounts = a == 'd', []string{"SK-1"}
				if a == 'r' {
					e.Accounts = nil
				}
			})
			c.raw("UPDATE outbox SET next_at = '' WHERE state = 'waiting'")
			require.NoError(t, c.app.Outbox.Step(ctx))
		}
		refused := strings.Contains(answers, "r")
		_, taken := e.Messages()[m.ID]
		require.Equal(t, !refused, taken, answers)
		require.Equal(t, refused, c.count("SELECT count(*) FROM line WHERE subject = ? AND closed_at = ''", m.ID) == 1, answers)
		err = c.app.Paper.SettleSent(ctx, c.doctor(), "message", m.ID, "by telephone")
		require.Equal(t, refused, err == nil, answers)
		require.Zero(t, c.count("SELECT count(*) FROM line WHERE subject = ? AND closed_at = ''", m.ID), answers)
	}
}
