// Package order is the room of orders: prepared, signed, sent, brought up to their results; what speaks for care
// with a medicine.
package order

import (
	"deftledger/app/act"
	"deftledger/app/forms"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	forms  *forms.Acts
	loincs []string // of the quantities that rules read from a record
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, f *forms.Acts) *Acts {
	a := &Acts{Office: o, forms: f}
	a.loincs = a.watched()
	return a
}
