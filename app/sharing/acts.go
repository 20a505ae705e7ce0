// Package sharing is the room of what a patient agrees to share with other houses, whom they are at the exchange, what it has of them, and
// what of the chart was given out.
package sharing

import (
	"deftledger/app/act"
	notes "deftledger/app/note"
	orders "deftledger/app/order"
	"deftledger/app/record"
	results "deftledger/app/result"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Order  *orders.Acts
	Note   *notes.Acts
	Record *record.Acts
	Result *results.Acts

	limits limits
	today  askedToday
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, or *orders.Acts, n *notes.Acts, re *results.Acts, r *record.Acts) *Acts {
	return &Acts{Office: o, Order: or, Note: n, Result: re, Record: r}
}

// queue is the way out to the exchange.
const (
	queue    = "record exchange"
	outGiven = "copy of a chart"
	outBack  = "document sent back"
)
