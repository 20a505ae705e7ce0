package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/forms"
	notes "deftledger/app/note"
	"deftledger/app/plan"
)

// describePlan registers what the room plan does and shows.
func (s *server) describePlan(api huma.API) {
	get(api, "plan-sets", "/api/notes/{id}/sets", func(ctx context.Context, who act.Actor, in *PathID) ([]plan.SetView, error) {
		return s.app.Plan.PlanSets(ctx, who, in.ID)
	})
	noteAct(api, "apply-set", "/api/notes/{id}/sets", func(ctx context.Context, who act.Actor, id string, in struct {
		Set   string   `json:"set" maxLength:"60"`
		Parts []string `json:"parts" maxItems:"60"`
	}) (notes.NoteView, error) {
		return s.app.Plan.ApplySet(ctx, who, id, in.Set, in.Parts)
	})
	get(api, "plan-as-set", "/api/notes/{id}/sets/present", func(ctx context.Context, who act.Actor, in *PathID) (plan.SetView, error) {
		return s.app.Plan.PlanAsSet(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "keep-plan-as-set", "/api/notes/{id}/sets/present", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body plan.PlanSet
	}) (*body[forms.FormRow], error) {
		out, err := s.app.Plan.KeepPlanAsSet(ctx, who, in.ID, in.Body)
		return &body[forms.FormRow]{out}, err
	})
}
