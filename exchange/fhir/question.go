package fhir

import (
	"encoding/json"
	"strings"

	"deftledger/core/outside"
)

// Question is what a patient, or somebody for them, writes to the practice through the portal.
// Moments are as given.
type Question struct {
	Origin, Text, From, Sent string
	Subject                  outside.Identity
	Named                    bool
	Doubt                    string
}

// Questions reads messages from the portal (FHIR R4 Communication, sent). What came twice is
// one. What carries something that we do not read says so in its text, and is not left out.
func Questions(body []byte) (out Reply[Question], err error) {
	seen := map[string]bool{}
	err = resources(body, "Communication", &out, func(r struct {
		common
		Status, Sent string
		Sender       *reference
		Topic        concept
		Payload      []struct {
			ContentString     string
			ContentAttachment *struct{ Title, ContentType string }
			ContentReference  *reference
		}
	}, bundled map[string]json.RawMessage) {
		x := Question{Origin: r.ID, Sent: r.Sent, Doubt: r.doubt()}
		var texts []string
		if t := r.Topic.words(); t != "" {
			texts = append(texts, t+".")
		}
		for _, p := range r.Payload {
			if t := strings.TrimSpace(p.ContentString); t != "" {
				texts = append(texts, t)
			}
			if p.ContentAttachment != nil || p.ContentReference != nil {
				texts = append(texts, "[Something came with it that is not shown here: look at it in the portal.]")
			}
		}
		x.Text = strings.Join(texts, "\n")
		switch {
		case r.Status != "completed":
			out.left("a Communication whose status is %q", r.Status)
			return
		case x.Text == "" || x.Origin == "":
			out.left("a Communication without a text or an identifier")
			return
		case seen[x.Origin]:
			return
		}
		seen[x.Origin] = true
		if r.Sender != nil {
			x.From = r.Sender.Display
		}
		x.Subject, x.Named = r.subjectOf(bundled)
		out.Taken = append(out.Taken, x)
	})
	return out, err
}
