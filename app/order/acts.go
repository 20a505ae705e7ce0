// Package order is the room of orders: prepared, signed, sent, brought up to their results; what speaks for care
// with a medicine.
package order

import (
	"deftledger/app/act"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	loincs []string // of the quantities that rules read from a record
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office) *Acts {
	a := &Acts{Office: o}
	a.loincs = a.watched()
	return a
}
