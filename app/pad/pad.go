// Package pad is the room in which everything on the order pad is signed at once: tests,
// imaging, procedures, supplies, medicines and referrals. All of it is signed, or none.
package pad

import (
	"context"
	"slices"

	"deftledger/app/act"
	orders "deftledger/app/order"
	"deftledger/app/prescribe"
	"deftledger/app/referral"
)

// Acts are the acts of this room.
type Acts struct {
	*act.Office
	Order     *orders.Acts
	Prescribe *prescribe.Acts
	Referral  *referral.Acts
}

// New makes the room on its ground, with the rooms below that it uses.
func New(o *act.Office, or *orders.Acts, p *prescribe.Acts, r *referral.Acts) *Acts {
	return &Acts{o, or, p, r}
}

// Pad is what is signed, or laid for a signature, at once. Tests is nil where there are none.
type Pad struct {
	PatientID     string
	VisitID       string
	Tests         *orders.NewOrder
	Prescriptions []prescribe.NewPrescription
	Referrals     []referral.NewReferral // and imaging, procedures, supplies
	Secret        string
}

// Signed is what a pad became.
type Signed struct {
	Orders        []orders.OrderView           `json:"orders"`
	Prepared      []orders.PreparedView        `json:"prepared"`
	Prescriptions []prescribe.PrescriptionView `json:"prescriptions"`
	Referrals     []referral.ReferralView      `json:"referrals"`
}

// Sign signs all of it in one transaction.
func (a *Acts) Sign(ctx context.Context, who act.Actor, p Pad) (Signed, error) {
	return a.settle(ctx, who, p, false)
}

// Prepare lays all of it for a signature in one transaction.
func (a *Acts) Prepare(ctx context.Context, who act.Actor, p Pad) (Signed, error) {
	return a.settle(ctx, who, p, true)
}

func (a *Acts) settle(ctx context.Context, who act.Actor, p Pad, prepare bool) (out Signed, err error) {
	rights := []act.Right{}
	add := func(some bool, sign, lay act.Right) {
		switch {
		case some && prepare:
			rights = append(rights, lay)
		case some:
			rights = append(rights, sign)
		}
	}
	add(p.Tests != nil, act.PlaceOrder, act.PrepareOrder)
	add(len(p.Prescriptions) > 0, act.SignPrescription, act.PreparePrescription)
	add(len(p.Referrals) > 0, act.SignReferral, act.PrepareReferral)
	nothing := len(rights) == 0
	add(nothing, act.PlaceOrder, act.PrepareOrder)
	for _, r := range rights {
		if err := act.Allow(who, r); err != nil {
			return out, err
		}
	}
	if nothing {
		return out, act.Refuse(act.Invalid, "There is nothing on the pad.")
	}
	if !prepare && slices.ContainsFunc(p.Prescriptions, a.Prescribe.Factored) {
		return out, act.Refuse(act.Invalid, "A controlled substance that is sent is signed by itself, with the second factor: take it off the pad, and prescribe it alone.")
	}
	run, err := a.parts(ctx, who, p, nil, prepare, &out)
	if err != nil {
		return out, err
	}
	if !prepare {
		if err := a.OpenSigning(ctx, &who, p.Secret); err != nil {
			return out, err
		}
	}
	if err = a.Act(ctx, who, rights[0], run); err != nil {
		out = nobody()
	}
	return out, err
}

func nobody() Signed {
	return Signed{[]orders.OrderView{}, []orders.PreparedView{}, []prescribe.PrescriptionView{}, []referral.ReferralView{}}
}

// parts looks all of a pad through, and gives what is left to be done in the transaction in
// which it is settled; what it became comes into out.
func (a *Acts) parts(ctx context.Context, who act.Actor, p Pad, phone *act.Phone, prepare bool, out *Signed) (run func(t *act.Tx) error, err error) {
	*out = nobody()
	var parts []func(t *act.Tx) error
	if p.Tests != nil {
		n := *p.Tests
		n.PatientID, n.VisitID, n.Phone = p.PatientID, p.VisitID, phone
		if prepare {
			lay, err := a.Order.ReadyToLay(n)
			if err != nil {
				return nil, err
			}
			parts = append(parts, func(t *act.Tx) error {
				v, err := lay(t)
				out.Prepared = append(out.Prepared, v)
				return err
			})
		} else {
			place, err := a.Order.Ready(n)
			if err != nil {
				return nil, err
			}
			parts = append(parts, func(t *act.Tx) error {
				v, err := place(t)
				out.Orders = append(out.Orders, v...)
				return err
			})
		}
	}
	for _, n := range p.Prescriptions {
		n.PatientID, n.VisitID, n.Phone = p.PatientID, p.VisitID, phone
		write := a.Prescribe.Ready(n, prepare)
		parts = append(parts, func(t *act.Tx) error {
			v, err := write(t)
			out.Prescriptions = append(out.Prescriptions, v)
			return err
		})
	}
	for _, n := range p.Referrals {
		n.PatientID, n.VisitID, n.Phone = p.PatientID, p.VisitID, phone
		write, err := a.Referral.Ready(ctx, who, n, prepare)
		if err != nil {
			return nil, err
		}
		parts = append(parts, func(t *act.Tx) error {
			v, err := write(t)
			out.Referrals = append(out.Referrals, v)
			return err
		})
	}
	return func(t *act.Tx) error {
		*out = nobody()
		for _, f := range parts {
			if err := f(t); err != nil {
				return err
			}
		}
		return nil
	}, nil
}
