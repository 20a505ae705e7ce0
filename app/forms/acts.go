// Package forms is the room of what the clinic writes with: body systems, interviews, kinds of visit, snippets,
// sets, letters, leaflets and services, as they ship and as they were changed here.
package forms

import (
	"sync/atomic"

	"deftledger/app/act"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office

	current atomic.Pointer[Library]
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office) *Acts {
	return &Acts{Office: o}
}
