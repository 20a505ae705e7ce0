package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/paper"
)

// describePaper registers what the room paper does and shows.
func (s *server) describePaper(api huma.API) {
	does(api, http.MethodPost, "file-section", "/api/notes/{id}/documents", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Section string `json:"section" maxLength:"60"`
			Sign    bool   `json:"sign,omitempty" doc:"Sign the section of a draft by itself"`
			Secret  string `json:"secret,omitempty" maxLength:"1000"`
			Seen    string `json:"seen,omitempty" maxLength:"64" doc:"What names the text that was read; needed with sign"`
		}
	}) (*body[paper.DocumentView], error) {
		out, err := s.app.Paper.FileSection(ctx, who, in.ID, in.Body.Section, in.Body.Sign, in.Body.Secret, in.Body.Seen)
		return &body[paper.DocumentView]{out}, err
	})
	does(api, http.MethodPost, "send-fax", "/api/documents/{id}/fax", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Number string `json:"number" maxLength:"30"`
		}
	}) (*nothing, error) {
		return nil, s.app.Paper.SendFax(ctx, who, in.ID, in.Body.Number)
	})
	does(api, http.MethodPost, "absence-letter", "/api/notes/{id}/absence", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			paper.Absence
			Secret string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*body[paper.DocumentView], error) {
		out, err := s.app.Paper.AbsenceLetter(ctx, who, in.ID, in.Body.Secret, in.Body.Absence)
		return &body[paper.DocumentView]{out}, err
	})
	get(api, "letters", "/api/notes/{id}/letters", func(ctx context.Context, who act.Actor, in *PathID) (paper.LettersView, error) {
		return s.app.Paper.Letters(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "sign-letter", "/api/notes/{id}/letters", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			paper.Letter
			Secret string `json:"secret,omitempty" maxLength:"1000"`
		}
	}) (*body[paper.DocumentView], error) {
		out, err := s.app.Paper.SignLetter(ctx, who, in.ID, in.Body.Secret, in.Body.Letter)
		return &body[paper.DocumentView]{out}, err
	})
	does(api, http.MethodPost, "give-leaflet", "/api/notes/{id}/leaflets", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Leaflet string `json:"leaflet" maxLength:"40"`
		}
	}) (*body[paper.DocumentView], error) {
		out, err := s.app.Paper.GiveLeaflet(ctx, who, in.ID, in.Body.Leaflet)
		return &body[paper.DocumentView]{out}, err
	})
	does(api, http.MethodPost, "message-patient", "/api/notes/{id}/messages", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body paper.PortalMessage
	}) (*body[paper.SentView], error) {
		out, err := s.app.Paper.MessagePatient(ctx, who, in.ID, in.Body)
		return &body[paper.SentView]{out}, err
	})
	get(api, "sent", "/api/sent/{kind}/{id}", func(ctx context.Context, who act.Actor, in *struct {
		Kind string `path:"kind" maxLength:"10"`
		ID   string `path:"id" maxLength:"64"`
	}) (paper.OpenedSent, error) {
		return s.app.Paper.SentOne(ctx, who, in.Kind, in.ID)
	})
	does(api, http.MethodPost, "settle-sent", "/api/sent/{kind}/{id}/settle", func(ctx context.Context, who act.Actor, in *struct {
		Kind string `path:"kind" maxLength:"10"`
		ID   string `path:"id" maxLength:"64"`
		Body struct {
			How string `json:"how" maxLength:"300"`
		}
	}) (*nothing, error) {
		return nil, s.app.Paper.SettleSent(ctx, who, in.Kind, in.ID, in.Body.How)
	})
}
