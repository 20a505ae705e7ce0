package outside

// Sending says how a message or a fax to somebody outside stands.
type Sending string

// States of a sending: it waits until the other side takes or refuses it; a refused one is
// settled by a person, who says how it was done instead.
const (
	Waiting   Sending = "waiting"
	Delivered Sending = "delivered" // a message
	Sent      Sending = "sent"      // a fax
	Refused   Sending = "refused"
	Settled   Sending = "settled"
)
