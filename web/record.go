package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/record"
)

// describeRecord registers what the room record does and shows.
func (s *server) describeRecord(api huma.API) {
	get(api, "records", "/api/patients/{id}/records", func(ctx context.Context, who act.Actor, in *PathID) (record.RecordsOf, error) {
		return s.app.Record.Records(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "receive-record", "/api/patients/{id}/records", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			File []byte `json:"file" doc:"A clinical document (C-CDA), base64"`
			Why  string `json:"why,omitempty" maxLength:"1000" doc:"Needed where it names somebody who differs"`
		}
	}) (*body[record.Received], error) {
		out, err := s.app.Record.Receive(ctx, who, in.ID, in.Body.File, in.Body.Why)
		return &body[record.Received]{out}, err
	}, 56<<20)
	get(api, "record", "/api/records/{id}", func(ctx context.Context, who act.Actor, in *PathID) (record.RecordView, error) {
		return s.app.Record.Open(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "confirm-source", "/api/records/{id}/source", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Says  string `json:"says" enum:"confirmed,doubted,refused"`
			Words string `json:"words,omitempty" maxLength:"1000" doc:"What the patient said; needed where they were not there, or are not sure"`
		}
	}) (*nothing, error) {
		return nil, s.app.Record.Confirm(ctx, who, in.ID, in.Body.Says, in.Body.Words)
	})
	does(api, http.MethodPost, "decide-entry", "/api/records/{id}/decisions", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body record.EntryDecided
	}) (*body[record.RecordView], error) {
		out, err := s.app.Record.Decide(ctx, who, in.ID, in.Body)
		return &body[record.RecordView]{out}, err
	})
	does(api, http.MethodPost, "settle-certain", "/api/records/{id}/certain", func(ctx context.Context, who act.Actor, in *PathID) (*body[record.RecordView], error) {
		out, err := s.app.Record.SettleCertain(ctx, who, in.ID)
		return &body[record.RecordView]{out}, err
	})
	does(api, http.MethodPost, "leave-rest", "/api/records/{id}/rest", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			List   string `json:"list" maxLength:"40"`
			Reason string `json:"reason" maxLength:"1000"`
		}
	}) (*body[record.RecordView], error) {
		out, err := s.app.Record.LeaveRest(ctx, who, in.ID, in.Body.List, in.Body.Reason)
		return &body[record.RecordView]{out}, err
	})
	does(api, http.MethodPost, "hand-record-on", "/api/records/{id}/handed", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			To    string `json:"to" maxLength:"64"`
			Words string `json:"words" maxLength:"2000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Record.HandOn(ctx, who, in.ID, in.Body.To, in.Body.Words)
	})
	does(api, http.MethodPost, "sign-record", "/api/records/{id}/sign", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Comment string `json:"comment,omitempty" maxLength:"4000"`
			Secret  string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Record.Sign(ctx, who, in.ID, in.Body.Comment, in.Body.Secret)
	})
}
