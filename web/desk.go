package web

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/desk"
)

// describeDesk registers what the room desk does and shows.
func (s *server) describeDesk(api huma.API) {
	get(api, "desk", "/api/desk", func(ctx context.Context, who act.Actor, in *struct {
		List  string `query:"list" enum:"results,notes,under way" default:"results"`
		After string `query:"after" maxLength:"64" doc:"The line that the page comes after"`
	}) (desk.Desk, error) {
		return s.app.Desk.MyDesk(ctx, who, in.List, in.After)
	})
	get(api, "desk-count", "/api/desk/count", func(ctx context.Context, who act.Actor, _ *nothing) (int, error) {
		return s.app.Desk.Count(ctx, who)
	})
	get(api, "unsigned", "/api/unsigned", func(ctx context.Context, who act.Actor, _ *nothing) ([]desk.Waiting, error) {
		return s.app.Desk.Unsigned(ctx, who)
	})
}
