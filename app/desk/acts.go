// Package desk is the room of a person's open lines.
package desk

import (
	"deftledger/app/act"
	orders "deftledger/app/order"
	"deftledger/app/paper"
	results "deftledger/app/result"
	"deftledger/app/visit"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Visit  *visit.Acts
	Order  *orders.Acts
	Result *results.Acts
	Paper  *paper.Acts
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, v *visit.Acts, or *orders.Acts, r *results.Acts, p *paper.Acts) *Acts {
	return &Acts{Office: o, Visit: v, Order: or, Result: r, Paper: p}
}
