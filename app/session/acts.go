// Package session is the room of who is signed in: sessions, locking, the record of looks and acts.
package session

import (
	"deftledger/app/act"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office) *Acts {
	return &Acts{Office: o}
}
