package fhir

import (
	"bytes"
	"cmp"
	"context"
	"encoding/base64"
	"encoding/json"
	"net/http"
	"strings"
	"time"

	"deftledger/core/outside"
)

// Known is somebody whom an exchange knows.
type Known struct {
	ID string
	outside.Identity
}

// SharedDocument is a document that an exchange has of somebody.
type SharedDocument struct {
	ID, URL, Type, Title, House, At, From, To string
}

// patientOf is an identity as a Patient.
func patientOf(id outside.Identity) m {
	p := m{"resourceType": "Patient", "name": []m{{"use": "official", "family": id.Family, "given": strings.Fields(id.Given)}}, "gender": Gender(id.Sex)}
	if id.BirthDate != "" {
		p["birthDate"] = id.BirthDate
	}
	if id.Phone != "" {
		p["telecom"] = []m{{"system": "phone", "value": id.Phone}}
	}
	if id.Street+id.City+id.Zip != "" {
		p["address"] = []m{{"line": []string{id.Street}, "city": id.City, "postalCode": id.Zip}}
	}
	return p
}

// Match asks an exchange for whom an identity may be (the operation Patient/$match of FHIR R4).
func Match(ctx context.Context, base string, id outside.Identity) (out Reply[Known], err error) {
	body, err := json.Marshal(m{"resourceType": "Parameters", "parameter": []m{{"name": "resource", "resource": patientOf(id)}, {"name": "onlyCertainMatches", "valueBoolean": false}}})
	if err != nil {
		return out, err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, strings.TrimSuffix(base, "/")+"/fhir/Patient/$match", bytes.NewReader(body))
	if err != nil {
		return out, err
	}
	req.Header.Set("Content-Type", "application/fhir+json")
	answer, err := ask(req)
	if err != nil {
		return out, err
	}
	return Matched(answer)
}

// Matched reads the answer of an exchange to whom somebody may be.
func Matched(body []byte) (out Reply[Known], err error) {
	err = resources(body, "Patient", &out, func(raw json.RawMessage, _ map[string]json.RawMessage) {
		var head struct{ ID string }
		if json.Unmarshal(raw, &head) != nil || !inAddress.MatchString(head.ID) {
			out.left("somebody in it has no identifier that can be used")
			return
		}
		out.Taken = append(out.Taken, Known{head.ID, identityOf(raw)})
	})
	return out, err
}

// SharedDocuments reads which documents an exchange has of somebody. One that is not current, or is about somebody else, is left out.
func SharedDocuments(body []byte, person string) (out Reply[SharedDocument], err error) {
	err = resources(body, "DocumentReference", &out, func(d struct {
		common
		Status, DocStatus, Date string
		Type                    concept
		Custodian               *reference
		Author                  []reference
		Content                 []struct{ Attachment attachment }
		Context                 struct{ Period period }
	}, _ map[string]json.RawMessage) {
		switch {
		case d.Status == "entered-in-error" || d.Status == "superseded":
			return
		case d.Subject == nil || strings.TrimPrefix(d.Subject.Reference, "Patient/") != person:
			out.left("a document in it does not say that it is of the one who was asked about")
			return
		case !inAddress.MatchString(d.ID) || len(d.Content) == 0 || d.Content[0].Attachment.URL == "":
			out.left("a document in it cannot be fetched")
			return
		}
		x := SharedDocument{ID: d.ID, URL: d.Content[0].Attachment.URL, Type: d.Content[0].Attachment.ContentType, Title: cmp.Or(d.Content[0].Attachment.Title, d.Type.words(), "Record"), At: fhirMoment(d.Date),
			From: fhirMoment(d.Context.Period.Start), To: fhirMoment(d.Context.Period.End)}
		if d.Custodian != nil {
			x.House = strings.TrimSpace(d.Custodian.Display)
		}
		if x.House == "" && len(d.Author) > 0 {
			x.House = strings.TrimSpace(d.Author[0].Display)
		}
		out.Taken = append(out.Taken, x)
	})
	return out, err
}

// FetchDocument fetches the bytes of a document. Its address has to be at the exchange itself.
func FetchDocument(ctx context.Context, base string, d SharedDocument) ([]byte, error) {
	root, err := http.NewRequestWithContext(ctx, http.MethodGet, strings.TrimSuffix(base, "/")+"/fhir/", nil)
	if err != nil {
		return nil, err
	}
	to, err := root.URL.Parse(d.URL)
	if err != nil || to.Scheme != root.URL.Scheme || to.Host != root.URL.Host {
		return nil, unreadable("it is at another place")
	}
	root.URL = to
	body, err := askUpTo(root, recordLimit)
	if err != nil {
		return nil, err
	}
	var b struct{ ResourceType, Data string }
	if json.Unmarshal(body, &b) != nil || b.ResourceType != "Binary" {
		return body, nil // the bytes themselves
	}
	raw, err := base64.StdEncoding.DecodeString(b.Data)
	if err != nil {
		return nil, unreadable("its bytes are not base64")
	}
	return raw, nil
}

// recordLimit bounds a document as it comes in base64.
const recordLimit = 56 << 20

// SentBack is the message that a document is not of whom it was sent for.
func SentBack(id, document, words string, at time.Time) ([]byte, error) {
	return json.Marshal(m{"resourceType": "Communication", "id": id, "status": "completed", "sent": at.Format(time.RFC3339), "about": []m{{"reference": "DocumentReference/" + document}},
		"payload": []m{{"contentString": words}}})
}
