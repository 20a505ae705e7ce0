// Package line knows what an open line is: something that entered or leaves the
// chart and stays on somebody's desk until a named person closes it.
package line

// Kind says what is open.
type Kind string

// The kinds of line there are.
const (
	Note     Kind = "note"      // a note that is not signed
	Order    Kind = "order"     // an order without final, signed results
	Report   Kind = "report"    // a result that nobody signed
	ToSign   Kind = "to sign"   // an order prepared for a physician's signature
	FollowUp Kind = "follow-up" // a further visit wished for and not booked
	Message  Kind = "message"   // a message to the patient that has not arrived
	Fax      Kind = "fax"       // a fax that has not arrived
)

// Act is the act that closes a line of this kind, in the words shown on the desk.
func (k Kind) Act() string {
	switch k {
	case Note:
		return "sign the note"
	case Order:
		return "all tests final and signed, or cancelled with a reason"
	case FollowUp:
		return "book the visit, or drop it with the reason"
	case Message:
		return "the portal takes it, or say how the patient was told"
	case Fax:
		return "the other side takes it, or say how it was sent instead"
	case ToSign:
		return "sign the order, or give it back with the reason"
	case Report:
		return "sign it and record how the patient was told"
	}
	return ""
}

// State of a line, in words; drawn as a ring that fills by quarter.
type State string

// The states a line goes through.
const (
	Open    State = "open"
	InHand  State = "in hand"
	Waiting State = "waiting on others"
	Closed  State = "closed"
)
