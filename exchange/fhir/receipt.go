package fhir

import "encoding/json"

// Receipt says that a message to a patient was read in the portal, and when, as given.
type Receipt struct{ ID, Read string }

// Receipts reads what the portal says of messages that it took (FHIR R4 Communication, received). One without a moment was not read.
func Receipts(body []byte) (out Reply[Receipt], err error) {
	err = resources(body, "Communication", &out, func(r struct {
		ID, Status, Received string
	}, _ map[string]json.RawMessage) {
		switch {
		case r.Received == "":
		case r.Status != "completed" || r.ID == "" || day(r.Received) == "":
			out.left("a Communication %q with the status %q, received %q", r.ID, r.Status, r.Received)
		default:
			out.Taken = append(out.Taken, Receipt{r.ID, r.Received})
		}
	})
	return out, err
}
