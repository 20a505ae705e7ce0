package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	visits "deftledger/app/visit"
	"deftledger/core/visit"
)

// describeVisit registers what the room visit does and shows.
func (s *server) describeVisit(api huma.API) {
	get(api, "day", "/api/day", func(ctx context.Context, who act.Actor, in *struct {
		Day string `query:"day" pattern:"^(\\d{4}-\\d{2}-\\d{2})?$"`
	}) ([]visits.VisitView, error) {
		return s.app.Visit.Day(ctx, who, in.Day)
	})
	get(api, "visit", "/api/visits/{id}", func(ctx context.Context, who act.Actor, in *PathID) (visits.VisitView, error) {
		return s.app.Visit.Visit(ctx, who, in.ID)
	})
	does(api, http.MethodPut, "move-visit", "/api/visits/{id}/stage", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Stage   visit.Stage `json:"stage" enum:"expected,arrived,intake,ready,in visit,finishing,done"`
			Version int         `json:"version"`
		}
	}) (*nothing, error) {
		return nil, s.app.Visit.MoveVisit(ctx, who, in.ID, in.Body.Stage, in.Body.Version)
	})
	does(api, http.MethodPost, "ask-back-of", "/api/patients/{id}/follow-up", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			When   string `json:"when" maxLength:"60"`
			Reason string `json:"reason" maxLength:"2000"`
		}
	}) (*body[visits.FollowUpView], error) {
		out, err := s.app.Visit.AskBackOf(ctx, who, in.ID, in.Body.When, in.Body.Reason)
		return &body[visits.FollowUpView]{out}, err
	})
	does(api, http.MethodPost, "ask-back", "/api/notes/{id}/follow-up", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			When   string `json:"when" maxLength:"20"`
			Reason string `json:"reason,omitempty" maxLength:"300"`
		}
	}) (*body[visits.FollowUpView], error) {
		out, err := s.app.Visit.AskBack(ctx, who, in.ID, in.Body.When, in.Body.Reason)
		return &body[visits.FollowUpView]{out}, err
	})
	get(api, "to-book", "/api/follow-ups", func(ctx context.Context, who act.Actor, _ *nothing) ([]visits.FollowUpView, error) {
		return s.app.Visit.ToBook(ctx, who)
	})
	does(api, http.MethodPost, "book", "/api/follow-ups/{id}/book", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body visits.Booking
	}) (*body[visits.VisitView], error) {
		out, err := s.app.Visit.Book(ctx, who, in.ID, in.Body)
		return &body[visits.VisitView]{out}, err
	})
	does(api, http.MethodPost, "drop-follow-up", "/api/follow-ups/{id}/drop", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Reason string `json:"reason" maxLength:"500"`
		}
	}) (*nothing, error) {
		return nil, s.app.Visit.DropFollowUp(ctx, who, in.ID, in.Body.Reason)
	})
}
