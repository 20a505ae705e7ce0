package fhir

import (
	"encoding/base64"
	"encoding/json"
)

// Communication is a message to a patient's portal account (FHIR R4 Communication).
type Communication struct {
	ID, Record, Sender, Sent, Text string // Sent is RFC 3339
	Title                          string // of the document that goes with it
	PDF                            []byte // empty for none
}

// Build writes the resource as JSON.
func (c Communication) Build() ([]byte, error) {
	payload := []any{map[string]any{"contentString": c.Text}}
	if len(c.PDF) > 0 {
		payload = append(payload, map[string]any{"contentAttachment": map[string]any{"contentType": "application/pdf", "title": c.Title,
			"data": base64.StdEncoding.EncodeToString(c.PDF)}})
	}
	person := map[string]any{"identifier": map[string]any{"system": "https://deftledger.example/record", "value": c.Record}}
	return json.Marshal(map[string]any{
		"resourceType": "Communication", "id": c.ID, "status": "completed", "subject": person, "recipient": []any{person},
		"sender": map[string]any{"display": c.Sender}, "sent": c.Sent, "payload": payload,
	})
}

// Refused returns the words of an OperationOutcome, or "" when the body holds none.
func Refused(body []byte) string {
	var o struct {
		ResourceType string
		Issue        []struct {
			Diagnostics string
			Details     struct{ Text string }
		}
	}
	if json.Unmarshal(body, &o) != nil || o.ResourceType != "OperationOutcome" {
		return ""
	}
	for _, i := range o.Issue {
		if i.Details.Text != "" {
			return i.Details.Text
		}
		if i.Diagnostics != "" {
			return i.Diagnostics
		}
	}
	return ""
}
