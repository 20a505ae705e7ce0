package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	results "deftledger/app/result"
)

// describeResult registers what the room result does and shows.
func (s *server) describeResult(api huma.API) {
	does(api, http.MethodPost, "enter-paper", "/api/orders/{id}/paper", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body results.PaperAnswer
	}) (*nothing, error) {
		return nil, s.app.Result.EnterPaper(ctx, who, in.ID, in.Body)
	}, 12<<20)
	get(api, "report", "/api/reports/{id}", func(ctx context.Context, who act.Actor, in *PathID) (results.ReportView, error) {
		return s.app.Result.Report(ctx, who, in.ID)
	})
	get(api, "across", "/api/patients/{id}/results", func(ctx context.Context, who act.Actor, in *PathID) (results.AcrossView, error) {
		return s.app.Result.Across(ctx, who, in.ID)
	})
	get(api, "critical", "/api/critical", func(ctx context.Context, who act.Actor, _ *nothing) ([]results.CriticalView, error) {
		return s.app.Result.Announced(ctx, who)
	})
	does(api, http.MethodPost, "take-critical", "/api/critical/{id}/up", func(ctx context.Context, who act.Actor, in *PathID) (*nothing, error) {
		return nil, s.app.Result.TakeCritical(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "tell-critical", "/api/reports/{id}/contacts", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body results.CriticalContact
	}) (*nothing, error) {
		return nil, s.app.Result.TellCritical(ctx, who, in.ID, in.Body)
	})
	get(api, "urgency", "/api/urgency", func(ctx context.Context, who act.Actor, _ *nothing) (results.Urgency, error) {
		return s.app.Result.Urgency(ctx, who)
	})
	does(api, http.MethodPut, "set-urgency", "/api/urgency", func(ctx context.Context, who act.Actor, in *body[results.Urgency]) (*nothing, error) {
		return nil, s.app.Result.SetUrgency(ctx, who, in.Body)
	})
	get(api, "held", "/api/quarantine/{number}", func(ctx context.Context, who act.Actor, in *struct {
		Number string `path:"number" maxLength:"30"`
	}) (results.HeldDetail, error) {
		return s.app.Result.Held(ctx, who, in.Number)
	})
	does(api, http.MethodPost, "attach", "/api/quarantine/{number}/attach", func(ctx context.Context, who act.Actor, in *struct {
		Number string `path:"number" maxLength:"30"`
		Body   struct {
			Patient string `json:"patient" maxLength:"64"`
			Why     string `json:"why,omitempty" maxLength:"1000" doc:"Needed where the patient named differs"`
		}
	}) (*nothing, error) {
		return nil, s.app.Result.Attach(ctx, who, in.Number, in.Body.Patient, in.Body.Why)
	})
	does(api, http.MethodPost, "give-back", "/api/quarantine/{number}/back", func(ctx context.Context, who act.Actor, in *struct {
		Number string `path:"number" maxLength:"30"`
		Body   struct {
			Reason string `json:"reason" maxLength:"1000" doc:"What the laboratory was asked, and whom"`
		}
	}) (*nothing, error) {
		return nil, s.app.Result.GiveBack(ctx, who, in.Number, in.Body.Reason)
	})
	does(api, http.MethodPost, "take-up", "/api/quarantine/{number}/up", func(ctx context.Context, who act.Actor, in *struct {
		Number string `path:"number" maxLength:"30"`
	}) (*nothing, error) {
		return nil, s.app.Result.TakeUp(ctx, who, in.Number)
	})
	does(api, http.MethodPost, "detach-report", "/api/reports/{id}/detach", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Reason string `json:"reason" maxLength:"1000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Result.Detach(ctx, who, in.ID, in.Body.Reason)
	})
	does(api, http.MethodPost, "set-aside", "/api/quarantine/{number}/aside", func(ctx context.Context, who act.Actor, in *struct {
		Number string `path:"number" maxLength:"30"`
		Body   struct {
			Reason string `json:"reason" maxLength:"1000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Result.SetAside(ctx, who, in.Number, in.Body.Reason)
	})
}
