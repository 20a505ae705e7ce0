// Package result is the room of what comes from laboratories: stored, acknowledged, understood, filed or held,
// looked at and signed.
package result

import (
	"deftledger/app/act"
	orders "deftledger/app/order"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Order *orders.Acts

	wake chan struct{} // a message waits to be filed
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, or *orders.Acts) *Acts {
	return &Acts{Office: o, Order: or, wake: make(chan struct{}, 1)}
}
