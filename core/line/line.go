// Package line knows what an open line is: something that entered or leaves the
// chart and stays on somebody's desk until a named person closes it.
package line

// Kind says what is open.
type Kind string

// The kinds of line there are.
const (
	Note         Kind = "note"                  // a note that is not signed
	Order        Kind = "order"                 // an order without final, signed results
	Report       Kind = "report"                // a result that nobody signed
	ToSign       Kind = "to sign"               // an order prepared for a physician's signature
	Referral     Kind = "referral"              // a question to another practice without a report that was read
	Prescription Kind = "prescription"          // one that was not handed out
	Repeat       Kind = "repeat request"        // a further prescription that a pharmacy asks for
	Telephone    Kind = "order by telephone"    // given by telephone, until its author signs it
	Harm         Kind = "thoughts of self-harm" // an answer that speaks of it
	Inquiry      Kind = "message to us"         // what a patient asks by telephone or portal
	Registry     Kind = "to the registry"       // a vaccine that the immunization registry has not taken
	Recall       Kind = "reminder by mail"      // a letter or message that reminds of what is due
	FollowUp     Kind = "follow-up"             // a further visit wished for and not booked
	Message      Kind = "message"               // a message to the patient that has not arrived
	Fax          Kind = "fax"                   // a fax that has not arrived

	Held        Kind = "held"         // a message from outside that belongs to nobody for certain
	FromOutside Kind = "from outside" // entries that other parties sent, beside a chart

	CalledIn Kind = "critical by telephone" // a critical value that a laboratory told, before its report
	Copied   Kind = "copied to us"          // a result that somebody else answers for, with a copy to one of us

	Record Kind = "record from elsewhere" // what another house wrote of a patient, until each entry is decided and somebody signed it

	ToExchange Kind = "to the exchange" // a copy of a chart, or a document sent back, that the exchange has not taken

	HandOver Kind = "handed over" // what one of us asks another to do about a line
	Telling  Kind = "to tell"     // a result that the patient was not told yet

	HeldBack Kind = "held back" // a result that is not released to the portal yet

	Opening Kind = "opened chart" // a chart that somebody opened with a reason
)

// Kinds are all of them.
var Kinds = []Kind{Report, Held, CalledIn, Copied, Record, HandOver, Telling, Note, Order, ToSign, Referral, Prescription, Repeat, Telephone, Harm, Inquiry, Registry, ToExchange, Recall, FollowUp, FromOutside, Message, Fax, HeldBack, Opening}

// acts are the acts that close a line, in the words shown on the desk.
var acts = map[Kind]string{
	Report:       "sign it and record how the patient was told",
	Held:         "say whose it is, or set it aside with the reason",
	FromOutside:  "take each entry into the chart, or leave it out",
	Note:         "sign the note",
	Order:        "all tests final and signed, or cancelled with a reason",
	ToSign:       "sign the order, or give it back with the reason",
	Referral:     "read and sign the report, or cancel it with the reason",
	Prescription: "the pharmacy hands it out, or it is handed over on paper, cancelled, or left at that with the reason",
	Repeat:       "sign the prescription, or refuse it with the reason",
	Telephone:    "sign it as yours, or say that it was not given so",
	Harm:         "speak with the patient, and write down what was found and done",
	Inquiry:      "say what was answered, and how",
	Registry:     "the registry takes it, or say how it was told instead",
	ToExchange:   "the exchange takes it, or say how it was given instead",
	Recall:       "say what came of it, or drop it with the reason",
	FollowUp:     "book the visit, or drop it with the reason",
	Message:      "the portal takes it, or say how the patient was told",
	Fax:          "the other side takes it, or say how it was sent instead",
	CalledIn:     "join it to its report, or say why none comes",
	Copied:       "read it, and say that you did",
	Record:       "decide on each entry, and sign it as read",
	HandOver:     "say what was done, or hand it back",
	Telling:      "tell the patient and say who was reached, or why they are not told",
	HeldBack:     "release it to the portal, or say why it is held on",
	Opening:      "say whether it was right, or how it is followed up",
}

// Act is the act that closes a line of this kind.
func (k Kind) Act() string { return acts[k] }

// State of a line, in words; drawn as a ring that fills by quarter.
type State string

// The states a line goes through.
const (
	Open    State = "open"
	InHand  State = "in hand"
	Waiting State = "waiting on others"
	Closed  State = "closed"
)

// Ranks of lines on a desk: the gravest first. A kind of its own judgement, such as a
// result, ranks between them.
const (
	Critical    = 0
	ToAct       = 1
	Noteworthy  = 2
	AsExpected  = 3
	Preliminary = 4
	WithOthers  = 5 // handed over, and answered for here
)

// Rank is where a line in this state stands, unless its kind knows better.
func (s State) Rank() int {
	switch s {
	case Open:
		return ToAct
	case InHand:
		return Noteworthy
	}
	return AsExpected
}
