// Package plan is the room of sets: parts of a plan that are brought together, and the present plan kept as one.
package plan

import (
	"deftledger/app/act"
	"deftledger/app/forms"
	notes "deftledger/app/note"
	orders "deftledger/app/order"
	"deftledger/app/paper"
	"deftledger/app/visit"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Forms *forms.Acts
	Visit *visit.Acts
	Order *orders.Acts
	Note  *notes.Acts
	Paper *paper.Acts
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, f *forms.Acts, v *visit.Acts, or *orders.Acts, n *notes.Acts, p *paper.Acts) *Acts {
	return &Acts{Office: o, Forms: f, Visit: v, Order: or, Note: n, Paper: p}
}
