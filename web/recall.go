package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/recall"
)

// describeRecall registers what the room recall does and shows.
func (s *server) describeRecall(api huma.API) {
	does(api, http.MethodPost, "recall", "/api/practice/recalls", func(ctx context.Context, who act.Actor, in *struct {
		Body recall.ToRecall
	}) (*body[recall.Recalls], error) {
		out, err := s.app.Recall.Recall(ctx, who, in.Body)
		return &body[recall.Recalls]{out}, err
	})
	get(api, "reminded", "/api/reminded/{id}", func(ctx context.Context, who act.Actor, in *PathID) (recall.RecallView, error) {
		return s.app.Recall.Open(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "close-reminded", "/api/reminded/{id}", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body recall.Came
	}) (*nothing, error) {
		return nil, s.app.Recall.Close(ctx, who, in.ID, in.Body)
	})
}
