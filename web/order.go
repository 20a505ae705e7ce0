package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	orders "deftledger/app/order"
	"deftledger/app/pad"
	"deftledger/app/prescribe"
	"deftledger/app/referral"
	"deftledger/core/order"
)

// describeOrder registers what the room order does and shows.
func (s *server) describeOrder(api huma.API) {
	get(api, "tests", "/api/tests", func(ctx context.Context, who act.Actor, in *struct {
		Query string `query:"q" maxLength:"200"`
	}) ([]orders.FoundTest, error) {
		return s.app.Order.Tests(who, in.Query)
	})
	// What somebody has stands in no address.
	does(api, http.MethodPost, "pad", "/api/patients/{id}/pad", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Diagnoses []string `json:"diagnoses" maxItems:"60"`
		}
	}) (*body[orders.PadView], error) {
		out, err := s.app.Order.Pad(ctx, who, in.ID, in.Body.Diagnoses)
		return &body[orders.PadView]{out}, err
	})
	does(api, http.MethodPost, "repeated", "/api/patients/{id}/pad/repeated", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Tests []string `json:"tests" maxItems:"60" doc:"laboratory:code"`
		}
	}) (*body[[]order.Repeat], error) {
		out, err := s.app.Order.Repeated(ctx, who, in.ID, in.Body.Tests)
		return &body[[]order.Repeat]{out}, err
	})
	does(api, http.MethodPost, "coverage", "/api/patients/{id}/pad/coverage", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Tests []orders.CoverageLine `json:"tests" maxItems:"60"`
		}
	}) (*body[orders.CoverageView], error) {
		out, err := s.app.Order.Coverage(ctx, who, in.ID, in.Body.Tests)
		return &body[orders.CoverageView]{out}, err
	})
	does(api, http.MethodPost, "advance-notice", "/api/patients/{id}/pad/notice", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Tests []orders.CoverageLine `json:"tests" maxItems:"60"`
		}
	}) (*body[AdvanceNotice], error) {
		out, err := s.app.Order.NoticePDF(ctx, who, in.ID, in.Body.Tests)
		return &body[AdvanceNotice]{AdvanceNotice{out}}, err
	})
	get(api, "connections", "/api/connections", func(ctx context.Context, who act.Actor, _ *struct{}) (orders.ConnectionsView, error) {
		return s.app.Order.Connections(ctx, who)
	})
	does(api, http.MethodPut, "set-laboratory", "/api/connections/laboratory", func(ctx context.Context, who act.Actor, in *struct {
		Body orders.LinkView
	}) (*nothing, error) {
		return nil, s.app.Order.SetLaboratory(ctx, who, in.Body)
	})
	does(api, http.MethodPost, "try-laboratory", "/api/connections/laboratory/try", func(ctx context.Context, who act.Actor, _ *nothing) (*body[orders.Tried], error) {
		out, err := s.app.Order.TryLaboratory(ctx, who)
		return &body[orders.Tried]{out}, err
	})
	get(api, "needed", "/api/tests/needed", func(ctx context.Context, who act.Actor, in *struct {
		Tests []string `query:"tests,explode" maxItems:"60" doc:"laboratory:code"`
	}) ([]orders.NeededView, error) {
		return s.app.Order.Needed(who, in.Tests)
	})
	// What is looked for may be somebody's name: it stands in no address.
	does(api, http.MethodPost, "orders", "/api/orders", func(ctx context.Context, who act.Actor, in *struct {
		Body orders.Sought
	}) (*body[orders.HistoryView], error) {
		out, err := s.app.Order.History(ctx, who, in.Body)
		return &body[orders.HistoryView]{out}, err
	})
	does(api, http.MethodPost, "asked-after", "/api/orders/{id}/asked-after", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Detail string `json:"detail" maxLength:"1000" doc:"With whom, and what they said"`
			Until  string `json:"until" maxLength:"10" doc:"The day on which it is looked at again, YYYY-MM-DD"`
		}
	}) (*nothing, error) {
		return nil, s.app.Order.Called(ctx, who, in.ID, in.Body.Detail, in.Body.Until)
	})
	does(api, http.MethodPost, "ask-laboratory", "/api/orders/{id}/ask", func(ctx context.Context, who act.Actor, in *PathID) (*nothing, error) {
		return nil, s.app.Order.AskLaboratory(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "send-order-again", "/api/orders/{id}/send-again", func(ctx context.Context, who act.Actor, in *PathID) (*nothing, error) {
		return nil, s.app.Order.SendAgain(ctx, who, in.ID)
	})
	get(api, "specimens", "/api/specimens", func(ctx context.Context, who act.Actor, _ *struct{}) (orders.SpecimensView, error) {
		return s.app.Order.Specimens(ctx, who)
	})
	does(api, http.MethodPost, "drawn", "/api/orders/{id}/drawn", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			At string `json:"at,omitempty" maxLength:"20" doc:"YYYY-MM-DDThh:mm on the clock of the practice; empty for now"`
		}
	}) (*nothing, error) {
		return nil, s.app.Order.Drawn(ctx, who, in.ID, in.Body.At)
	})
	does(api, http.MethodPost, "not-drawn", "/api/orders/{id}/not-drawn", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Reason string `json:"reason" maxLength:"1000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Order.NotDrawn(ctx, who, in.ID, in.Body.Reason)
	})
	does(api, http.MethodPost, "picked-up", "/api/specimens/picked-up", func(ctx context.Context, who act.Actor, in *struct {
		Body struct {
			Orders []string `json:"orders" minItems:"1" maxItems:"200"`
		}
	}) (*nothing, error) {
		return nil, s.app.Order.PickedUp(ctx, who, in.Body.Orders)
	})
	get(api, "orders-of-visit", "/api/visits/{id}/orders", func(ctx context.Context, who act.Actor, in *PathID) ([]orders.OrderView, error) {
		return s.app.Order.OrdersAt(ctx, who, in.ID)
	})
	get(api, "order", "/api/orders/{id}", func(ctx context.Context, who act.Actor, in *PathID) (orders.Opened, error) {
		return s.app.Order.Order(ctx, who, in.ID)
	})
	get(api, "prepared", "/api/prepared/{id}", func(ctx context.Context, who act.Actor, in *PathID) (orders.OpenedPrepared, error) {
		return s.app.Order.PreparedOrder(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "place-order", "/api/patients/{id}/orders", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body OrderBody
	}) (*body[pad.Signed], error) {
		out, err := s.app.Pad.Sign(ctx, who, in.Body.pad(in.ID))
		return &body[pad.Signed]{out}, err
	})
	does(api, http.MethodPost, "prepare-order", "/api/patients/{id}/orders/prepared", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body OrderBody
	}) (*body[pad.Signed], error) {
		out, err := s.app.Pad.Prepare(ctx, who, in.Body.pad(in.ID))
		return &body[pad.Signed]{out}, err
	})
	does(api, http.MethodPost, "take-order", "/api/patients/{id}/orders/telephone", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			From     string    `json:"from" maxLength:"64" doc:"Who gave it"`
			ReadBack bool      `json:"readBack" doc:"It was read back to them"`
			Order    OrderBody `json:"order"`
		}
	}) (*body[pad.Signed], error) {
		out, err := s.app.Pad.Telephone(ctx, who, in.Body.Order.pad(in.ID), in.Body.From, in.Body.ReadBack)
		return &body[pad.Signed]{out}, err
	})
	get(api, "telephone-order", "/api/telephone/{id}", func(ctx context.Context, who act.Actor, in *PathID) (pad.OpenedTelephone, error) {
		return s.app.Pad.Taken(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "own-telephone-order", "/api/telephone/{id}/own", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Secret string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Pad.Own(ctx, who, in.ID, in.Body.Secret)
	})
	for name, f := range map[string]func(*pad.Acts, context.Context, act.Actor, string, string) error{"disown": (*pad.Acts).Disown, "redress": (*pad.Acts).Redress} {
		does(api, http.MethodPost, name+"-telephone-order", "/api/telephone/{id}/"+name, func(ctx context.Context, who act.Actor, in *struct {
			PathID
			Body struct {
				Text string `json:"text" maxLength:"1000" doc:"What is wrong with it, or what was done"`
			}
		}) (*nothing, error) {
			return nil, f(s.app.Pad, ctx, who, in.ID, in.Body.Text)
		})
	}
	does(api, http.MethodPost, "concerns", "/api/patients/{id}/pad/concerns", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Items []referral.OnPad `json:"items" maxItems:"60"`
		}
	}) (*body[[]referral.Concern], error) {
		out, err := s.app.Referral.Concerns(ctx, who, in.ID, in.Body.Items)
		return &body[[]referral.Concern]{out}, err
	})
	does(api, http.MethodPost, "sign-prepared", "/api/prepared/{id}/sign", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Secret string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*body[[]orders.OrderView], error) {
		out, err := s.app.Order.SignPrepared(ctx, who, in.ID, in.Body.Secret)
		return &body[[]orders.OrderView]{out}, err
	})
	for name, f := range map[string]func(*orders.Acts, context.Context, act.Actor, string,
		string) error{"return": (*orders.Acts).ReturnPrepared, "drop": (*orders.Acts).DropPrepared} {
		does(api, http.MethodPost, name+"-prepared", "/api/prepared/{id}/"+name, func(ctx context.Context, who act.Actor, in *struct {
			PathID
			Body struct {
				Reason string `json:"reason" maxLength:"1000"`
			}
		}) (*nothing, error) {
			return nil, f(s.app.Order, ctx, who, in.ID, in.Body.Reason)
		})
	}
	does(api, http.MethodPost, "cancel-order", "/api/orders/{id}/cancel", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Reason string `json:"reason" maxLength:"1000"`
		}
	}) (*body[Cancelled], error) {
		call, err := s.app.Order.CancelOrder(ctx, who, in.ID, in.Body.Reason)
		return &body[Cancelled]{Cancelled{call}}, err
	})
}

// OrderedTest is a test on an order with the diagnoses that justify it.
type OrderedTest struct {
	Laboratory string              `json:"laboratory,omitempty" maxLength:"40" doc:"By its id; empty for the one usually meant"`
	Code       string              `json:"code" maxLength:"40"`
	Diagnoses  []string            `json:"diagnoses" maxItems:"60"`
	Answers    []order.EntryAnswer `json:"answers,omitempty" maxItems:"60" doc:"To the questions of the laboratory"`
	Remark     string              `json:"remark,omitempty" maxLength:"1000"`
	Due        string              `json:"due,omitempty" maxLength:"10" doc:"YYYY-MM-DD; empty for now"`
	Every      int                 `json:"every,omitempty" minimum:"0" maximum:"104" doc:"Weeks, of a standing order"`
	Until      string              `json:"until,omitempty" maxLength:"10" doc:"YYYY-MM-DD, of a standing order"`
}

// OrderBody is what stands on the pad, to sign or to prepare: tests, and what else there is.
type OrderBody struct {
	VisitID   string        `json:"visitId,omitempty" maxLength:"64"`
	Priority  string        `json:"priority" enum:"R,A,S"`
	Drawing   order.Drawing `json:"drawing" enum:"now,here,site" doc:"Drawn when it is signed, here later, or at a site of the laboratory"`
	Site      string        `json:"site,omitempty" maxLength:"40"`
	Payer     order.Payer   `json:"payer,omitempty"`
	Copies    []order.Copy  `json:"copies,omitempty" maxItems:"10"`
	RequestID string        `json:"requestId" maxLength:"64"`
	Secret    string        `json:"secret,omitempty" maxLength:"1000"`
	Prepared  string        `json:"prepared,omitempty" maxLength:"64" doc:"The prepared order that this one signs or replaces"`
	Instead   string        `json:"instead,omitempty" maxLength:"64" doc:"The order that this one changes: it is cancelled with the signature"`
	Tests     []OrderedTest `json:"tests" maxItems:"60"`

	Prescriptions []prescribe.NewPrescription `json:"prescriptions,omitempty" maxItems:"20"`
	Referrals     []referral.NewReferral      `json:"referrals,omitempty" maxItems:"20" doc:"And imaging, procedures, supplies"`

	Notices []orders.NoticeChoice `json:"notices,omitempty" maxItems:"60" doc:"What the patient chose on the advance notice, where Original Medicare is to pay"`
}

func (b OrderBody) pad(patient string) pad.Pad {
	p := pad.Pad{PatientID: patient, VisitID: b.VisitID, Prescriptions: b.Prescriptions, Referrals: b.Referrals, Secret: b.Secret}
	if len(b.Tests) > 0 || len(b.Prescriptions)+len(b.Referrals) == 0 { // nothing at all is an order that lacks its tests
		n := b.order(patient)
		p.Tests = &n
	}
	return p
}

// AdvanceNotice is the notice on paper.
type AdvanceNotice struct {
	PDF []byte `json:"pdf"`
}

func (b OrderBody) order(patient string) orders.NewOrder {
	n := orders.NewOrder{PatientID: patient, VisitID: b.VisitID, Pad: order.Pad{Priority: b.Priority, Drawing: b.Drawing, Site: b.Site, Payer: b.Payer,
		Copies: b.Copies}, RequestID: b.RequestID, Secret: b.Secret, Prepared: b.Prepared, Notices: b.Notices, Instead: b.Instead}
	for _, t := range b.Tests {
		n.Lines = append(n.Lines, order.Line{Laboratory: t.Laboratory, Test: t.Code, Diagnoses: t.Diagnoses, Answers: t.Answers, Remark: t.Remark,
			Timing: order.Timing{Due: t.Due, Every: t.Every, Until: t.Until}})
	}
	return n
}

// Cancelled says whether the laboratory may know of a cancelled order and is told.
type Cancelled struct {
	Told bool `json:"told"`
}
