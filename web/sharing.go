package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/sharing"
)

// describeSharing registers what the room sharing does and shows.
func (s *server) describeSharing(api huma.API) {
	at := "/api/patients/{id}/sharing"
	get(api, "sharing", at, func(ctx context.Context, who act.Actor, in *PathID) (sharing.SharingPage, error) {
		return s.app.Sharing.Page(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "agree-to-share", at+"/consents", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body sharing.Consent
	}) (*nothing, error) {
		return nil, s.app.Sharing.Agree(ctx, who, in.ID, in.Body)
	})
	page := func(out sharing.SharingPage, err error) (*body[sharing.SharingPage], error) {
		return &body[sharing.SharingPage]{out}, err
	}
	does(api, http.MethodPost, "ask-exchange", at+"/link", func(ctx context.Context, who act.Actor, in *PathID) (*body[sharing.SharingPage], error) {
		return page(s.app.Sharing.Ask(ctx, who, in.ID))
	})
	does(api, http.MethodPost, "confirm-link", at+"/link/confirmed", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Person string `json:"person" maxLength:"64" doc:"Whom the exchange named"`
			Reason string `json:"reason" maxLength:"1000"`
		}
	}) (*body[sharing.SharingPage], error) {
		return page(s.app.Sharing.Confirm(ctx, who, in.ID, in.Body.Person, in.Body.Reason))
	})
	does(api, http.MethodPost, "end-link", at+"/link/ended", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Reason string `json:"reason" maxLength:"1000"`
		}
	}) (*body[sharing.SharingPage], error) {
		return page(s.app.Sharing.Unlink(ctx, who, in.ID, in.Body.Reason))
	})
	does(api, http.MethodPost, "fetch-shared", at+"/documents", func(ctx context.Context, who act.Actor, in *PathID) (*body[sharing.SharingPage], error) {
		return page(s.app.Sharing.Fetch(ctx, who, in.ID))
	})
	does(api, http.MethodPost, "take-shared", at+"/documents/taken", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Document string `json:"document" maxLength:"64"`
			Reason   string `json:"reason" maxLength:"1000" doc:"Why it is the patient's although it names somebody who differs"`
		}
	}) (*body[sharing.SharingPage], error) {
		return page(s.app.Sharing.TakeShared(ctx, who, in.ID, in.Body.Document, in.Body.Reason))
	})
	does(api, http.MethodPost, "give-chart-out", at+"/given", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body sharing.NewGiven
	}) (*body[sharing.GivenFile], error) {
		out, err := s.app.Sharing.Give(ctx, who, in.ID, in.Body)
		return &body[sharing.GivenFile]{out}, err
	})
	get(api, "held-back", at+"/held", func(ctx context.Context, who act.Actor, in *PathID) (sharing.HeldPage, error) {
		return s.app.Sharing.Held(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "hold-back-from-others", at+"/held", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body sharing.HoldingBack
	}) (*body[sharing.HeldPage], error) {
		out, err := s.app.Sharing.HoldBack(ctx, who, in.ID, in.Body)
		return &body[sharing.HeldPage]{out}, err
	})
	get(api, "fhir-clients", "/api/fhir-clients", func(ctx context.Context, who act.Actor, _ *nothing) ([]sharing.Client, error) {
		return s.app.Sharing.Clients(ctx, who)
	})
	does(api, http.MethodPost, "give-fhir-token", "/api/fhir-clients", func(ctx context.Context, who act.Actor, in *struct {
		Body struct {
			Name   string   `json:"name" maxLength:"200"`
			Scopes []string `json:"scopes" maxItems:"40"`
		}
	}) (*body[struct {
		Token string `json:"token" doc:"Shown once; only its hash is kept"`
	}], error) {
		var out body[struct {
			Token string `json:"token" doc:"Shown once; only its hash is kept"`
		}]
		token, err := s.app.Sharing.GiveToken(ctx, who, in.Body.Name, in.Body.Scopes)
		out.Body.Token = token
		return &out, err
	})
	does(api, http.MethodPost, "end-fhir-token", "/api/fhir-clients/{id}/ended", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Reason string `json:"reason" maxLength:"1000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Sharing.EndToken(ctx, who, in.ID, in.Body.Reason)
	})
	get(api, "sent-to-exchange", "/api/exchange/{id}", func(ctx context.Context, who act.Actor, in *PathID) (sharing.ForExchange, error) {
		return s.app.Sharing.Sent(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "settle-exchange", "/api/exchange/{id}", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			How string `json:"how" maxLength:"300"`
		}
	}) (*nothing, error) {
		return nil, s.app.Sharing.Settle(ctx, who, in.ID, in.Body.How)
	})
}
