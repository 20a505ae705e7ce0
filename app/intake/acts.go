// Package intake is the room of what is asked and measured before the physician comes: lists of the chart, vital
// signs, tests and vaccines of the house, the reason for the visit.
package intake

import (
	"deftledger/app/act"
	"deftledger/app/forms"
	notes "deftledger/app/note"
	orders "deftledger/app/order"
	"deftledger/app/registry"
	results "deftledger/app/result"
	"deftledger/app/visit"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Forms  *forms.Acts
	Visit  *visit.Acts
	Order  *orders.Acts
	Result *results.Acts
	Note   *notes.Acts

	Registry *registry.Acts
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, f *forms.Acts, v *visit.Acts, or *orders.Acts, r *results.Acts, n *notes.Acts, g *registry.Acts) *Acts {
	return &Acts{Office: o, Forms: f, Visit: v, Order: or, Result: r, Note: n, Registry: g}
}
