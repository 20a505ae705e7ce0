package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/desk"
)

// describeDesk registers what the room desk does and shows.
func (s *server) describeDesk(api huma.API) {
	get(api, "desk", "/api/desk", func(ctx context.Context, who act.Actor, in *struct {
		List  string `query:"list" enum:"results,notes,under way" default:"results"`
		After string `query:"after" maxLength:"64" doc:"The line that the page comes after"`
		Each  bool   `query:"each" doc:"A row for each report, not for each patient"`
	}) (desk.Desk, error) {
		return s.app.Desk.MyDesk(ctx, who, desk.DeskSought{List: in.List, After: in.After, Each: in.Each})
	})
	// What is sought names patients, and stands in no address.
	does(api, http.MethodPost, "narrow-desk", "/api/desk/narrowed", func(ctx context.Context, who act.Actor, in *body[desk.DeskSought]) (*body[desk.Desk], error) {
		in.Body.Narrowed, in.Body.List = true, act.ResultList
		out, err := s.app.Desk.MyDesk(ctx, who, in.Body)
		return &body[desk.Desk]{out}, err
	})
	get(api, "desk-count", "/api/desk/count", func(ctx context.Context, who act.Actor, _ *nothing) (int, error) {
		return s.app.Desk.Count(ctx, who)
	})
	get(api, "holdings", "/api/practice/holdings", func(ctx context.Context, who act.Actor, _ *nothing) ([]desk.Holding, error) {
		return s.app.Desk.Holdings(ctx, who)
	})
	get(api, "held-by", "/api/practice/holdings/{id}", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		After string `query:"after" maxLength:"64" doc:"The line that the page comes after"`
	}) (desk.Desk, error) {
		return s.app.Desk.HeldBy(ctx, who, in.ID, in.After)
	})
	get(api, "unsigned", "/api/unsigned", func(ctx context.Context, who act.Actor, _ *nothing) ([]desk.Waiting, error) {
		return s.app.Desk.Unsigned(ctx, who)
	})
}
