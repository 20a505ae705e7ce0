package web

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/intake"
	outsides "deftledger/app/outside"
	"deftledger/core/outside"
)

// describeOutside registers what the room outside does and shows.
func (s *server) describeOutside(api huma.API) {
	intakeAct(api, "read-device", "/api/visits/{id}/vitals/device", func(ctx context.Context, who act.Actor, id string, in struct {
		Confirmed bool `json:"confirmed"`
	}) (intake.VitalTaken, error) {
		return s.app.Outside.ReadDevice(ctx, who, id, in.Confirmed)
	})
	intakeAct(api, "fetch-elsewhere", "/api/visits/{id}/fetch", func(ctx context.Context, who act.Actor, id string,
		_ struct{}) (outsides.Fetched, error) {
		return s.app.Outside.FetchElsewhere(ctx, who, id)
	})
	intakeAct(api, "decide", "/api/visits/{id}/decide", func(ctx context.Context, who act.Actor, id string, in struct {
		IDs      []string         `json:"ids" maxItems:"200"`
		Decision outside.Decision `json:"decision" enum:"take in,leave out,join"`
	}) (intake.IntakeView, error) {
		return s.app.Outside.Decide(ctx, who, id, in.IDs, in.Decision)
	})
}
