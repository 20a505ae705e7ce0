package app_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/act"
	"deftledger/app/reminder"
	core "deftledger/core/reminder"
	"deftledger/standin"
)

// portalForm is a questionnaire as another maker's portal sends it: named by the LOINC panel, questions by LOINC with a slash,
// answers as scores.
func portalForm(id, panel, authored string, scores map[string]int) json.RawMessage {
	var items []string
	for link, n := range scores {
		items = append(items, fmt.Sprintf(`{"linkId":"/%s","text":"…","answer":[{"valueInteger":%d}]}`, link, n))
	}
	return json.RawMessage(fmt.Sprintf(`{"resourceType":"QuestionnaireResponse","id":%q,"questionnaire":"http://loinc.org/q/%s","status":"completed","authored":%q,"item":[{"linkId":"/%s","item":[%s]}]}`,
		id, panel, authored, panel, strings.Join(items, ",")))
}

// A questionnaire answered on the portal waits in the round, is confirmed in one act, and counts from the day on which it
// was answered; sent twice it is one.
func TestAQuestionnaireAnsweredBeforehand(t *testing.T) {
	c := open(t)
	e := c.others()
	answered := c.now.AddDate(0, 0, -2).Format("2006-01-02") + "T20:15:00-04:00"
	e.Set(func(e *standin.Elsewhere) {
		e.People[0].Responses = []json.RawMessage{portalForm("q2", "55757-9", answered, map[string]int{"44250-9": 1, "44255-8": 0})}
	})
	require.Nil(t, c.stands("depression").Beforehand)
	for range 2 {
		f, err := c.app.Outside.FetchElsewhere(ctx, c.jonah(), visitID)
		require.NoError(t, err)
		require.Empty(t, f.Problems)
	}
	b := c.stands("depression").Beforehand
	require.NotNil(t, b)
	require.Equal(t, "PHQ-2: 1, below the limit of 3", b.Says)
	require.Equal(t, answered[:10], b.On)
	require.Empty(t, b.Problem)
	_, err := c.app.Reminder.Beforehand(ctx, c.doctor(), patientID, "no-such", reminder.BeforehandDecided{Confirm: true})
	require.Equal(t, act.Invalid, kind(t, err))
	for range 2 { // pressed twice
		got, err := c.app.Reminder.Beforehand(ctx, c.jonah(), patientID, b.Entry, reminder.BeforehandDecided{Confirm: true, Visit: visitID})
		require.NoError(t, err)
		require.Equal(t, "1", got.Scored.Total)
		require.Empty(t, got.Alarm)
	}
	require.Equal(t, 1, c.count("SELECT count(*) FROM screen_response"))
	v := c.stands("depression")
	require.Equal(t, core.Holds, v.State)
	require.Equal(t, answered[:10], v.Since, "since it was answered, not since it was confirmed")
	require.Nil(t, v.Beforehand)
	_, err = c.app.Reminder.Beforehand(ctx, c.jonah(), patientID, b.Entry, reminder.BeforehandDecided{})
	require.Equal(t, act.Conflict, kind(t, err), "confirmed already")
	require.Empty(t, c.verify())
}

// An answer that speaks of self-harm is a line of the gravest rank as soon as it is fetched, before anybody confirms anything; one that
// cannot be read is no score, and alarms where it might.
func TestSelfHarmAnsweredBeforehand(t *testing.T) {
	c := open(t)
	e := c.others()
	all := map[string]int{"44250-9": 2, "44255-8": 2, "44259-0": 1, "44254-1": 1, "44251-7": 0, "44258-2": 0, "44252-5": 0, "44253-3": 0, "44260-8": 1}
	e.Set(func(e *standin.Elsewhere) {
		e.People[0].Responses = []json.RawMessage{portalForm("q9", "44249-1", "2026-05-01T09:00:00Z", all)}
	})
	_, err := c.app.Outside.FetchElsewhere(ctx, c.jonah(), visitID)
	require.NoError(t, err)
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'thoughts of self-harm' AND closed_at = ''"))
	_, err = c.app.Outside.FetchElsewhere(ctx, c.jonah(), visitID)
	require.NoError(t, err)
	b := c.stands("depression").Beforehand
	require.NotNil(t, b)
	got, err := c.app.Reminder.Beforehand(ctx, c.doctor(), patientID, b.Entry, reminder.BeforehandDecided{Confirm: true})
	require.NoError(t, err)
	require.NotEmpty(t, got.Alarm)
	require.Equal(t, 1, c.count("SELECT count(*) FROM line WHERE kind = 'thoughts of self-harm'"), "one alarm, however often it is read")

	e.Set(func(e *standin.Elsewhere) {
		all["44260-8"] = 7
		e.People[0].Responses = []json.RawMessage{portalForm("q9b", "44249-1", "2026-05-02T09:00:00Z", all)}
	})
	_, err = c.app.Outside.FetchElsewhere(ctx, c.jonah(), visitID)
	require.NoError(t, err)
	require.Equal(t, 2, c.count("SELECT count(*) FROM line WHERE kind = 'thoughts of self-harm'"))
	id := c.text("SELECT id FROM incoming_entry WHERE reference LIKE 'q9b%'")
	_, err = c.app.Reminder.Beforehand(ctx, c.doctor(), patientID, id, reminder.BeforehandDecided{Confirm: true})
	require.Equal(t, act.Invalid, kind(t, err))
	require.ErrorContains(t, err, `"7" is no answer`)
	_, err = c.app.Reminder.Beforehand(ctx, c.doctor(), patientID, id, reminder.BeforehandDecided{})
	require.NoError(t, err)
	require.Equal(t, 1, c.count("SELECT count(*) FROM screen_response"), "what cannot be read is no score")
	h, err := c.app.Reminder.Harm(ctx, c.doctor(), c.text("SELECT id FROM inquiry WHERE kind = 'self-harm' AND id LIKE '%' || ?", id))
	require.NoError(t, err)
	require.Equal(t, "an answer that cannot be read", h.Answer)
}
