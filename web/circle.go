package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	circles "deftledger/app/circle"
	"deftledger/core/circle"
)

// describeCircle registers what the room circle does and shows.
func (s *server) describeCircle(api huma.API) {
	get(api, "circle", "/api/circle", func(ctx context.Context, who act.Actor, _ *nothing) (circles.Circle, error) {
		return s.app.Circle.Lists(ctx, who)
	})
	does(api, http.MethodPut, "set-chart-width", "/api/circle/width", func(ctx context.Context, who act.Actor, in *body[struct {
		Width string `json:"width" maxLength:"20"`
	}]) (*nothing, error) {
		return nil, s.app.Circle.SetWidth(ctx, who, circle.Width(in.Body.Width))
	})
	does(api, http.MethodPut, "set-chart-reviewer", "/api/circle/reviewer", func(ctx context.Context, who act.Actor, in *body[struct {
		Staff string `json:"staff" maxLength:"64" doc:"Identifier; empty for whoever may"`
	}]) (*nothing, error) {
		return nil, s.app.Circle.SetReviewer(ctx, who, in.Body.Staff)
	})
	does(api, http.MethodPost, "set-team", "/api/circle/teams", func(ctx context.Context, who act.Actor, in *body[struct {
		ID      string   `json:"id" maxLength:"64" doc:"Empty for a new one"`
		Name    string   `json:"name" maxLength:"100"`
		Members []string `json:"members" maxItems:"200"`
	}]) (*body[string], error) {
		id, err := s.app.Circle.SetTeam(ctx, who, circles.TeamView(in.Body))
		return &body[string]{id}, err
	})
	does(api, http.MethodDelete, "drop-team", "/api/circle/teams/{id}", func(ctx context.Context, who act.Actor, in *PathID) (*nothing, error) {
		return nil, s.app.Circle.DropTeam(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "add-cover", "/api/circle/covers", func(ctx context.Context, who act.Actor, in *body[struct {
		Of   string `json:"of" maxLength:"64"`
		By   string `json:"by" maxLength:"64"`
		From string `json:"from" maxLength:"10" doc:"First day"`
		To   string `json:"to" maxLength:"10" doc:"Last day"`
	}]) (*nothing, error) {
		return nil, s.app.Circle.AddCover(ctx, who, circles.CoverView{Of: in.Body.Of, By: in.Body.By, From: in.Body.From, To: in.Body.To})
	})
	does(api, http.MethodDelete, "end-cover", "/api/circle/covers/{id}", func(ctx context.Context, who act.Actor, in *PathID) (*nothing, error) {
		return nil, s.app.Circle.EndCover(ctx, who, in.ID)
	})
	get(api, "usual-patients", "/api/circle/people/{id}/patients", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		After string `query:"after" maxLength:"64"`
	}) (circles.PatientsOf, error) {
		return s.app.Circle.UsualPatients(ctx, who, in.ID, in.After)
	})
	does(api, http.MethodPut, "set-usual-clinician", "/api/patients/{id}/usual", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Staff string `json:"staff" maxLength:"64" doc:"Identifier; empty for nobody"`
		}
	}) (*nothing, error) {
		return nil, s.app.Circle.SetUsual(ctx, who, in.ID, in.Body.Staff)
	})
	get(api, "door", "/api/patients/{id}/door", func(ctx context.Context, who act.Actor, in *PathID) (circles.Door, error) {
		return s.app.Circle.Door(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "open-chart", "/api/patients/{id}/open", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Reason string `json:"reason" maxLength:"2000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Circle.OpenChart(ctx, who, in.ID, in.Body.Reason)
	})
	get(api, "openings", "/api/openings", func(ctx context.Context, who act.Actor, in *struct {
		All bool `query:"all"`
	}) ([]circles.OpeningView, error) {
		return s.app.Circle.Openings(ctx, who, in.All)
	})
	get(api, "opening", "/api/openings/{id}", func(ctx context.Context, who act.Actor, in *PathID) (circles.OpeningView, error) {
		return s.app.Circle.Opening(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "review-opening", "/api/openings/{id}/review", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Verdict string `json:"verdict" maxLength:"40"`
			Remark  string `json:"remark" maxLength:"4000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Circle.ReviewOpening(ctx, who, in.ID, circle.Verdict(in.Body.Verdict), in.Body.Remark)
	})
}
