// Package packet is the room of packets: the reports of one patient read, signed and told together, what of them is handed to
// somebody else, and what the patient is still to be told.
package packet

import (
	"deftledger/app/act"
	"deftledger/app/paper"
	results "deftledger/app/result"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Result *results.Acts
	Paper  *paper.Acts
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, r *results.Acts, p *paper.Acts) *Acts { return &Acts{o, r, p} }
