// Package result is the room of what comes from laboratories: stored, acknowledged, understood, filed or held,
// looked at and signed.
package result

import (
	"deftledger/app/act"
	orders "deftledger/app/order"
	"deftledger/store"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Order *orders.Acts
	// Left is told of a report that leaves its chart; app sets it, because the room of what hangs on reports stands above this one.
	Left func(t *act.Tx, r store.Report) error

	// Filed is told of a report that was filed, and Released says how reports stand with the portal: of the room above too.
	Filed    func(t *act.Tx, r store.Report) error
	Released func(q *store.Q, reports []store.Report) (map[string]ReleaseView, error)

	wake chan struct{} // a message waits to be filed
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, or *orders.Acts) *Acts {
	none := func(*act.Tx, store.Report) error { return nil }
	return &Acts{Office: o, Order: or, Left: none, Filed: none, wake: make(chan struct{}, 1),
		Released: func(*store.Q, []store.Report) (map[string]ReleaseView, error) { return map[string]ReleaseView{}, nil }}
}
