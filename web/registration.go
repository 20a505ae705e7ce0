package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/registration"
	"deftledger/app/visit"
	"deftledger/core/chart"
)

// cardBody is the greatest size of a picture of a card, as JSON.
const cardBody = 12 << 20

// describeRegistration registers what the room registration does and shows.
func (s *server) describeRegistration(api huma.API) {
	get(api, "registration-choices", "/api/registration", func(ctx context.Context, who act.Actor, _ *nothing) (registration.RegistrationChoices, error) {
		return s.app.Registration.Choices(ctx, who)
	})
	// Who is looked for travels in the body.
	does(api, http.MethodPost, "find-alike", "/api/registration/alike", func(ctx context.Context, who act.Actor, in *body[struct {
		Registration chart.Registration `json:"registration"`
		But          string             `json:"but" maxLength:"64" doc:"Identifier of who is not meant; empty for nobody"`
	}]) (*body[[]registration.Alike], error) {
		out, err := s.app.Registration.FindAlike(ctx, who, in.Body.Registration, in.Body.But)
		return &body[[]registration.Alike]{out}, err
	})
	does(api, http.MethodPost, "register-patient", "/api/patients", func(ctx context.Context, who act.Actor, in *body[registration.Newcomer]) (*body[registration.ToAnswer], error) {
		out, err := s.app.Registration.Register(ctx, who, in.Body)
		return &body[registration.ToAnswer]{out}, err
	})
	get(api, "registration", "/api/patients/{id}/registration", func(ctx context.Context, who act.Actor, in *PathID) (registration.RegistrationView, error) {
		return s.app.Registration.Registration(ctx, who, in.ID)
	})
	does(api, http.MethodPut, "change-registration", "/api/patients/{id}/registration", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body registration.ChangedRegistration
	}) (*body[registration.ToAnswer], error) {
		out, err := s.app.Registration.ChangeRegistration(ctx, who, in.ID, in.Body)
		return &body[registration.ToAnswer]{out}, err
	})
	does(api, http.MethodPost, "add-card", "/api/patients/{id}/cards", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Coverage string `json:"coverage" maxLength:"64"`
			Side     string `json:"side" enum:"front,back"`
			Picture  []byte `json:"picture" doc:"JPEG or PNG, in base64"`
		}
	}) (*body[registration.RegistrationView], error) {
		out, err := s.app.Registration.AddCard(ctx, who, in.ID, in.Body.Coverage, in.Body.Side, in.Body.Picture)
		return &body[registration.RegistrationView]{out}, err
	}, cardBody)
	does(api, http.MethodPost, "walk-in", "/api/patients/{id}/visits", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body visit.WalkIn
	}) (*body[visit.VisitView], error) {
		out, err := s.app.Visit.BeginWalkIn(ctx, who, in.ID, in.Body)
		return &body[visit.VisitView]{out}, err
	})
}
