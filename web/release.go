package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/release"
)

// describeRelease registers what the room release does and shows.
func (s *server) describeRelease(api huma.API) {
	type made struct {
		ID string `json:"id"`
	}
	does(api, http.MethodPost, "hold-back", "/api/holds", func(ctx context.Context, who act.Actor, in *body[release.NewHold]) (*body[made], error) {
		id, err := s.app.Release.HoldBack(ctx, who, in.Body)
		return &body[made]{made{id}}, err
	})
	get(api, "hold-reasons", "/api/hold-reasons", func(_ context.Context, who act.Actor, _ *nothing) ([]release.HoldReasonView, error) {
		return s.app.Release.Reasons(who)
	})
	get(api, "hold", "/api/holds/{id}", func(ctx context.Context, who act.Actor, in *PathID) (release.HoldView, error) {
		return s.app.Release.Hold(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "release", "/api/holds/{id}/release", func(ctx context.Context, who act.Actor, in *PathID) (*nothing, error) {
		return nil, s.app.Release.Release(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "hold-on", "/api/holds/{id}/longer", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Until string `json:"until" maxLength:"10"`
			Words string `json:"words" maxLength:"2000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Release.Prolong(ctx, who, in.ID, in.Body.Until, in.Body.Words)
	})
}
