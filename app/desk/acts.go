// Package desk is the room of a person's open lines: what every kind of line brings, on
// one list.
package desk

import "deftledger/app/act"

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	kinds []act.LineKind
}

// New makes the room on its ground, with the kinds of line that the rooms below bring.
func New(o *act.Office, kinds ...act.LineKind) *Acts { return &Acts{Office: o, kinds: kinds} }
