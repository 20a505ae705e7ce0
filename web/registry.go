package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/registry"
)

// describeRegistry registers what the room registry does and shows.
func (s *server) describeRegistry(api huma.API) {
	get(api, "registry", "/api/registry/{id}", func(ctx context.Context, who act.Actor, in *PathID) (registry.RegistryView, error) {
		return s.app.Registry.Open(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "settle-registry", "/api/registry/{id}", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			How string `json:"how" maxLength:"300"`
		}
	}) (*nothing, error) {
		return nil, s.app.Registry.Settle(ctx, who, in.ID, in.Body.How)
	})
}
