package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/prescribe"
)

// describePrescribe registers what the room prescribe does and shows.
func (s *server) describePrescribe(api huma.API) {
	// What somebody takes stands in no address.
	does(api, http.MethodPost, "read-prescription", "/api/patients/{id}/prescriptions/read", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body prescribe.Typed
	}) (*body[prescribe.Reading], error) {
		out, err := s.app.Prescribe.Read(ctx, who, in.ID, in.Body)
		return &body[prescribe.Reading]{out}, err
	})
	get(api, "prescriptions", "/api/patients/{id}/prescriptions", func(ctx context.Context, who act.Actor, in *PathID) ([]prescribe.PrescriptionView, error) {
		return s.app.Prescribe.OfPatient(ctx, who, in.ID)
	})
	get(api, "prescription", "/api/prescriptions/{id}", func(ctx context.Context, who act.Actor, in *PathID) (prescribe.OpenedPrescription, error) {
		return s.app.Prescribe.Open(ctx, who, in.ID)
	})
	for name, x := range map[string]struct {
		path string
		f    func(*prescribe.Acts, context.Context, act.Actor, prescribe.NewPrescription) (prescribe.PrescriptionView, error)
	}{"prescribe": {"", (*prescribe.Acts).Prescribe}, "prepare-prescription": {"/prepared", (*prescribe.Acts).Prepare}} {
		does(api, http.MethodPost, name, "/api/patients/{id}/prescriptions"+x.path, func(ctx context.Context, who act.Actor, in *struct {
			PathID
			Body prescribe.NewPrescription
		}) (*body[prescribe.PrescriptionView], error) {
			in.Body.PatientID = in.ID
			out, err := x.f(s.app.Prescribe, ctx, who, in.Body)
			return &body[prescribe.PrescriptionView]{out}, err
		})
	}
	does(api, http.MethodPost, "sign-prescription", "/api/prescriptions/{id}/sign", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Reason string `json:"reason,omitempty" maxLength:"1000"`
			Secret string `json:"secret,omitempty" maxLength:"1000"`
			Code   string `json:"code,omitempty" maxLength:"10"`
		}
	}) (*nothing, error) {
		return nil, s.app.Prescribe.SignPrepared(ctx, who, in.ID, in.Body.Reason, in.Body.Secret, in.Body.Code)
	})
	does(api, http.MethodPost, "tell-of-prescription", "/api/prescriptions/{id}/told", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body prescribe.PrescriptionTold
	}) (*nothing, error) {
		return nil, s.app.Prescribe.Tell(ctx, who, in.ID, in.Body)
	})
	for name, f := range map[string]func(*prescribe.Acts, context.Context, act.Actor, string, string) error{"cancel": (*prescribe.Acts).Cancel, "return": (*prescribe.Acts).Return,
		"drop": (*prescribe.Acts).Drop} {
		does(api, http.MethodPost, name+"-prescription", "/api/prescriptions/{id}/"+name, func(ctx context.Context, who act.Actor, in *struct {
			PathID
			Body struct {
				Reason string `json:"reason" maxLength:"1000"`
			}
		}) (*nothing, error) {
			return nil, f(s.app.Prescribe, ctx, who, in.ID, in.Body.Reason)
		})
	}
	does(api, http.MethodPost, "stop-medicine", "/api/patients/{id}/medicines/{medicine}/stop", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Medicine string `path:"medicine" maxLength:"64"`
		Body     struct {
			Reason string `json:"reason" maxLength:"1000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Prescribe.Stop(ctx, who, in.ID, in.Medicine, in.Body.Reason)
	})
	get(api, "inquiry", "/api/inquiries/{id}", func(ctx context.Context, who act.Actor, in *PathID) (prescribe.OpenedInquiry, error) {
		return s.app.Prescribe.Inquiry(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "take-message", "/api/inquiries", func(ctx context.Context, who act.Actor, in *struct {
		Body prescribe.NewMessage
	}) (*nothing, error) {
		return nil, s.app.Prescribe.TakeMessage(ctx, who, in.Body)
	})
	does(api, http.MethodPost, "answer-inquiry", "/api/inquiries/{id}/answer", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Text string `json:"text" maxLength:"4000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Prescribe.Answer(ctx, who, in.ID, in.Body.Text)
	})
	does(api, http.MethodPost, "attach-inquiry", "/api/inquiries/{id}/attach", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Patient string `json:"patient" maxLength:"64"`
		}
	}) (*nothing, error) {
		return nil, s.app.Prescribe.AttachInquiry(ctx, who, in.ID, in.Body.Patient)
	})
}
