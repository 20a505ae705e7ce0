package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	charts "deftledger/app/chart"
)

// describeChart registers what the room chart does and shows.
func (s *server) describeChart(api huma.API) {
	// What is searched for can be a patient's name: it travels in the body, not in the address.
	does(api, http.MethodPost, "find", "/api/find", func(ctx context.Context, who act.Actor, in *body[struct {
		Query string `json:"query" maxLength:"200"`
	}]) (*body[[]charts.Found], error) {
		out, err := s.app.Chart.Find(ctx, who, in.Body.Query)
		return &body[[]charts.Found]{out}, err
	})
	get(api, "chart", "/api/patients/{id}", func(ctx context.Context, who act.Actor, in *PathID) (charts.ChartView, error) {
		return s.app.Chart.Chart(ctx, who, in.ID)
	})
	get(api, "timeline", "/api/patients/{id}/timeline", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		After string `query:"after" maxLength:"80"`
	}) (charts.TimelineView, error) {
		return s.app.Chart.Timeline(ctx, who, in.ID, in.After)
	})
	does(api, http.MethodPost, "add-problem", "/api/patients/{id}/problems", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Code string `json:"code" maxLength:"10"`
		}
	}) (*nothing, error) {
		return nil, s.app.Chart.AddProblem(ctx, who, in.ID, in.Body.Code)
	})
	does(api, http.MethodPut, "describe-problem", "/api/patients/{id}/problems/{code}", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Code string `path:"code" maxLength:"10"`
		Body struct {
			Onset string `json:"onset" maxLength:"10" doc:"Year, month or day; empty for unknown"`
			State string `json:"state" maxLength:"20" doc:"active, recurrence, remission; empty for not said"`
		}
	}) (*nothing, error) {
		return nil, s.app.Chart.DescribeProblem(ctx, who, in.ID, in.Code, in.Body.Onset, in.Body.State)
	})
	does(api, http.MethodDelete, "end-problem", "/api/patients/{id}/problems/{code}", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Code string `path:"code" maxLength:"10"`
	}) (*nothing, error) {
		return nil, s.app.Chart.EndProblem(ctx, who, in.ID, in.Code)
	})
	get(api, "compare-records", "/api/patients/{id}/compare/{other}", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Other string `path:"other" maxLength:"64"`
	}) (charts.Comparison, error) {
		return s.app.Chart.Compare(ctx, who, in.ID, in.Other)
	})
	does(api, http.MethodPost, "merge-records", "/api/patients/{id}/merge", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Other  string `json:"other" maxLength:"64"`
			Reason string `json:"reason" maxLength:"2000"`
			Secret string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Chart.Merge(ctx, who, in.Body.Secret, in.ID, in.Body.Other, in.Body.Reason)
	})
	does(api, http.MethodPost, "take-apart", "/api/merges/{id}/apart", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Reason string `json:"reason" maxLength:"2000"`
			Secret string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*body[[]string], error) {
		out, err := s.app.Chart.TakeApart(ctx, who, in.Body.Secret, in.ID, in.Body.Reason)
		return &body[[]string]{out}, err
	})
}
