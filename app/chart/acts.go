// Package chart is the room of the chart page: what is always in sight, what happened, the problem list, and the
// records of one person that are read as one.
package chart

import (
	"deftledger/app/act"
	"deftledger/app/desk"
	"deftledger/app/intake"
	orders "deftledger/app/order"
	"deftledger/app/paper"
	"deftledger/app/prescribe"
	"deftledger/app/referral"
	"deftledger/app/reminder"
	results "deftledger/app/result"
	"deftledger/app/visit"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Visit     *visit.Acts
	Order     *orders.Acts
	Result    *results.Acts
	Intake    *intake.Acts
	Paper     *paper.Acts
	Referral  *referral.Acts
	Prescribe *prescribe.Acts
	Reminder  *reminder.Acts
	Desk      *desk.Acts
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, v *visit.Acts, or *orders.Acts, r *results.Acts, i *intake.Acts, p *paper.Acts, rf *referral.Acts, rx *prescribe.Acts, rm *reminder.Acts, d *desk.Acts) *Acts {
	return &Acts{Office: o, Visit: v, Order: or, Result: r, Intake: i, Paper: p, Referral: rf, Prescribe: rx, Reminder: rm, Desk: d}
}
