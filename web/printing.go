package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/printing"
)

// describePrinting registers what the room printing does and shows.
func (s *server) describePrinting(api huma.API) {
	does(api, http.MethodPost, "print", "/api/printings", func(ctx context.Context, who act.Actor, in *body[printing.NewBatch]) (*body[printing.BatchView], error) {
		out, err := s.app.Printing.Print(ctx, who, in.Body)
		return &body[printing.BatchView]{out}, err
	})
	get(api, "printings", "/api/printings", func(ctx context.Context, who act.Actor, in *struct {
		Before string `query:"before" maxLength:"40" doc:"The moment of the last one of the page before"`
	}) ([]printing.BatchRow, error) {
		return s.app.Printing.Batches(ctx, who, in.Before)
	})
	get(api, "printing", "/api/printings/{id}", func(ctx context.Context, who act.Actor, in *PathID) (printing.BatchView, error) {
		return s.app.Printing.Batch(ctx, who, in.ID)
	})
}
