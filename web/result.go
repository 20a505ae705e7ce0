package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	results "deftledger/app/result"
	"deftledger/core/result"
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
	does(api, http.MethodPost, "call-in", "/api/patients/{id}/called", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body results.CalledIn
	}) (*nothing, error) {
		return nil, s.app.Result.CallIn(ctx, who, in.ID, in.Body)
	})
	get(api, "called", "/api/called/{id}", func(ctx context.Context, who act.Actor, in *PathID) (results.CalledView, error) {
		return s.app.Result.Called(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "tell-called", "/api/called/{id}/contacts", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body results.CriticalContact
	}) (*nothing, error) {
		return nil, s.app.Result.TellCalled(ctx, who, in.ID, in.Body)
	})
	does(api, http.MethodPost, "join-called", "/api/called/{id}/join", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Report string `json:"report" maxLength:"64"`
			Why    string `json:"why,omitempty" maxLength:"1000" doc:"Needed where the report does not read as what was said"`
		}
	}) (*nothing, error) {
		return nil, s.app.Result.JoinCalled(ctx, who, in.ID, in.Body.Report, in.Body.Why)
	})
	does(api, http.MethodPost, "end-called", "/api/called/{id}/end", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Why string `json:"why" maxLength:"1000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Result.EndCalled(ctx, who, in.ID, in.Body.Why)
	})
	get(api, "copy", "/api/copies/{id}", func(ctx context.Context, who act.Actor, in *PathID) (results.CopyView, error) {
		return s.app.Result.Copy(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "read-copy", "/api/copies/{id}/read", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Says string `json:"says,omitempty" maxLength:"4000" doc:"What is added for the chart"`
		}
	}) (*nothing, error) {
		return nil, s.app.Result.ReadCopy(ctx, who, in.ID, in.Body.Says)
	})
	does(api, http.MethodPost, "add-to-review", "/api/reports/{id}/addenda", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body results.Addition
	}) (*nothing, error) {
		return nil, s.app.Result.AddToReview(ctx, who, in.ID, in.Body)
	})
	get(api, "standing", "/api/standing-permission", func(ctx context.Context, who act.Actor, _ *nothing) (results.StandingView, error) {
		return s.app.Result.Standing(ctx, who)
	})
	get(api, "permitted", "/api/standing-permission/reports", func(ctx context.Context, who act.Actor, _ *nothing) ([]results.PermittedReport, error) {
		return s.app.Result.Permitted(ctx, who)
	})
	does(api, http.MethodPut, "set-standing", "/api/standing-permission", func(ctx context.Context, who act.Actor, in *body[result.Permission]) (*nothing, error) {
		return nil, s.app.Result.SetStanding(ctx, who, in.Body)
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
		Body   results.ToBack
	}) (*nothing, error) {
		return nil, s.app.Result.GiveBack(ctx, who, in.Number, in.Body)
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
