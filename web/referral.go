package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/directory"
	"deftledger/app/referral"
)

// describeReferral registers what the rooms directory and referral do and show.
func (s *server) describeReferral(api huma.API) {
	get(api, "directory", "/api/directory", func(ctx context.Context, who act.Actor, in *struct {
		Words string `query:"q" maxLength:"200"`
		Kind  string `query:"kind" enum:",practice,pharmacy" default:""`
		Whole bool   `query:"whole" doc:"Those no longer written to as well"`
	}) ([]directory.AddresseeView, error) {
		return s.app.Directory.Find(ctx, who, in.Kind, in.Words, in.Whole)
	})
	does(api, http.MethodPost, "keep-entry", "/api/directory", func(ctx context.Context, who act.Actor, in *struct {
		Body directory.AddresseeView
	}) (*body[directory.AddresseeView], error) {
		out, err := s.app.Directory.Keep(ctx, who, in.Body)
		return &body[directory.AddresseeView]{out}, err
	})
	get(api, "referral-parts", "/api/patients/{id}/referrals/parts", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Visit string `query:"visit" maxLength:"64"`
	}) (referral.ReferralParts, error) {
		return s.app.Referral.Parts(ctx, who, in.ID, in.Visit)
	})
	get(api, "referrals", "/api/patients/{id}/referrals", func(ctx context.Context, who act.Actor, in *PathID) ([]referral.ReferralView, error) {
		return s.app.Referral.OfPatient(ctx, who, in.ID)
	})
	get(api, "referrals-under-way", "/api/referrals", func(ctx context.Context, who act.Actor, _ *struct{}) ([]referral.OpenedReferral, error) {
		return s.app.Referral.UnderWay(ctx, who)
	})
	get(api, "done-here", "/api/referrals/here", func(ctx context.Context, who act.Actor, _ *struct{}) ([]referral.OpenedReferral, error) {
		return s.app.Referral.Here(ctx, who)
	})
	get(api, "referral", "/api/referrals/{id}", func(ctx context.Context, who act.Actor, in *PathID) (referral.OpenedReferral, error) {
		return s.app.Referral.Open(ctx, who, in.ID)
	})
	for name, x := range map[string]struct {
		path string
		f    func(*referral.Acts, context.Context, act.Actor, referral.NewReferral) (referral.ReferralView, error)
	}{"refer": {"", (*referral.Acts).Refer}, "prepare-referral": {"/prepared", (*referral.Acts).Prepare}} {
		does(api, http.MethodPost, name, "/api/patients/{id}/referrals"+x.path, func(ctx context.Context, who act.Actor, in *struct {
			PathID
			Body referral.NewReferral
		}) (*body[referral.ReferralView], error) {
			in.Body.PatientID = in.ID
			out, err := x.f(s.app.Referral, ctx, who, in.Body)
			return &body[referral.ReferralView]{out}, err
		})
	}
	does(api, http.MethodPost, "sign-referral", "/api/referrals/{id}/sign", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Reason string `json:"reason,omitempty" maxLength:"1000"`
			Secret string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Referral.SignPrepared(ctx, who, in.ID, in.Body.Reason, in.Body.Secret)
	})
	does(api, http.MethodPost, "read-report", "/api/referrals/{id}/read", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Comment string `json:"comment,omitempty" maxLength:"5000"`
			Secret  string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Referral.Read(ctx, who, in.ID, in.Body.Comment, in.Body.Secret)
	})
	does(api, http.MethodPost, "tell-of-referral", "/api/referrals/{id}/told", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body referral.ReferralTold
	}) (*nothing, error) {
		return nil, s.app.Referral.Tell(ctx, who, in.ID, in.Body)
	}, 12<<20)
	for name, f := range map[string]func(*referral.Acts, context.Context, act.Actor, string, string) error{"answer": (*referral.Acts).Answer, "cancel": (*referral.Acts).Cancel,
		"return": (*referral.Acts).Return, "drop": (*referral.Acts).Drop} {
		does(api, http.MethodPost, name+"-referral", "/api/referrals/{id}/"+name, func(ctx context.Context, who act.Actor, in *struct {
			PathID
			Body struct {
				Text string `json:"text" maxLength:"5000" doc:"The answer, or the reason"`
			}
		}) (*nothing, error) {
			return nil, f(s.app.Referral, ctx, who, in.ID, in.Body.Text)
		})
	}
}
