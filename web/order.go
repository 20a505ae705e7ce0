package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	orders "deftledger/app/order"
	"deftledger/core/order"
)

// describeOrder registers what the room order does and shows.
func (s *server) describeOrder(api huma.API) {
	get(api, "tests", "/api/tests", func(ctx context.Context, who act.Actor, in *struct {
		Query string `query:"q" maxLength:"200"`
	}) ([]order.Test, error) {
		return s.app.Order.Tests(who, in.Query)
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
	}) (*body[orders.OrderView], error) {
		out, err := s.app.Order.PlaceOrder(ctx, who, in.Body.order(in.ID))
		return &body[orders.OrderView]{out}, err
	})
	does(api, http.MethodPost, "prepare-order", "/api/patients/{id}/orders/prepared", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body OrderBody
	}) (*body[orders.PreparedView], error) {
		out, err := s.app.Order.PrepareOrder(ctx, who, in.Body.order(in.ID))
		return &body[orders.PreparedView]{out}, err
	})
	does(api, http.MethodPost, "sign-prepared", "/api/prepared/{id}/sign", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Secret string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*body[orders.OrderView], error) {
		out, err := s.app.Order.SignPrepared(ctx, who, in.ID, in.Body.Secret)
		return &body[orders.OrderView]{out}, err
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
	Code      string   `json:"code" maxLength:"40"`
	Diagnoses []string `json:"diagnoses"`
}

// OrderBody is an order to sign or to prepare.
type OrderBody struct {
	VisitID   string        `json:"visitId,omitempty" maxLength:"64"`
	Priority  string        `json:"priority" enum:"R,A,S"`
	Collected bool          `json:"collected"`
	RequestID string        `json:"requestId" maxLength:"64"`
	Secret    string        `json:"secret,omitempty" maxLength:"1000"`
	Prepared  string        `json:"prepared,omitempty" maxLength:"64" doc:"The prepared order that this one signs or replaces"`
	Tests     []OrderedTest `json:"tests" maxItems:"60"`
}

func (b OrderBody) order(patient string) orders.NewOrder {
	n := orders.NewOrder{PatientID: patient, VisitID: b.VisitID, Priority: b.Priority, Collected: b.Collected, RequestID: b.RequestID,
		Secret: b.Secret, Prepared: b.Prepared}
	for _, t := range b.Tests {
		n.Tests = append(n.Tests, order.Line{Test: t.Code, Diagnoses: t.Diagnoses})
	}
	return n
}

// Cancelled says whether the laboratory may know of a cancelled order and is told.
type Cancelled struct {
	Told bool `json:"told"`
}
