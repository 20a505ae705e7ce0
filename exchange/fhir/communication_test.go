package fhir_test

import (
	"encoding/base64"
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/exchange/fhir"
)

// What FHIR R4 asks of a Communication: a status, and payloads each with one content.
func TestACommunicationIsBuilt(t *testing.T) {
	body, err := fhir.Communication{ID: "m1", Record: "SK-1", Sender: "M. Oduya", Sent: "2026-11-23T10:00:00-05:00",
		Text: "Potassium ≥ 5 \"again\"\nPlease call."}.Build()
	require.NoError(t, err)
	var c struct {
		ResourceType, ID, Status, Sent string
		Subject                        struct {
			Identifier struct{ System, Value string }
		}
		Recipient []struct{ Identifier struct{ Value string } }
		Payload   []map[string]any
	}
	require.NoError(t, json.Unmarshal(body, &c))
	require.Equal(t, "Communication", c.ResourceType)
	require.Equal(t, "m1", c.ID)
	require.Equal(t, "completed", c.Status)
	require.Equal(t, "2026-11-23T10:00:00-05:00", c.Sent)
	require.NotEmpty(t, c.Subject.Identifier.System)
	require.Equal(t, "SK-1", c.Subject.Identifier.Value)
	require.Equal(t, "SK-1", c.Recipient[0].Identifier.Value)
	require.Equal(t, []map[string]any{{"contentString": "Potassium ≥ 5 \"again\"\nPlease call."}}, c.Payload)

	body, err = fhir.Communication{ID: "m2", Text: "The letter.", Title: "Letter", PDF: []byte("%PDF-1.7")}.Build()
	require.NoError(t, err)
	c.Payload = nil
	require.NoError(t, json.Unmarshal(body, &c))
	require.Len(t, c.Payload, 2)
	attached := c.Payload[1]["contentAttachment"].(map[string]any)
	require.Equal(t, "application/pdf", attached["contentType"])
	raw, err := base64.StdEncoding.DecodeString(attached["data"].(string))
	require.NoError(t, err)
	require.Equal(t, "%PDF-1.7", string(raw))
}

func TestWhyItWasRefused(t *testing.T) {
	for body, want := range map[string]string{
		`{"resourceType":"OperationOutcome","issue":[{"severity":"error","code":"not-found","details":{"text":"no account"}}]}`: "no account",
		`{"resourceType":"OperationOutcome","issue":[{"diagnostics":"closed"}]}`:                                                "closed",
		`{"resourceType":"OperationOutcome","issue":[{}]}`:                                                                      "",
		`{"resourceType":"Patient"}`: "",
		`no account`:                 "",
		``:                           "",
	} {
		require.Equal(t, want, fhir.Refused([]byte(body)), body)
	}
}
