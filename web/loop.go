package web

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/loop"
)

// describeLoop registers what the room loop shows.
func (s *server) describeLoop(api huma.API) {
	get(api, "loop", "/api/practice/loop", func(ctx context.Context, who act.Actor, in *struct {
		Days int `query:"days" minimum:"1" maximum:"3700" default:"90"`
	}) (loop.LoopView, error) {
		return s.app.Loop.Loop(ctx, who, in.Days)
	})
}
