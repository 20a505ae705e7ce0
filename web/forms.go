package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/forms"
)

// describeForms registers what the room forms does and shows.
func (s *server) describeForms(api huma.API) {
	get(api, "writing-tools", "/api/writing", func(ctx context.Context, who act.Actor, _ *nothing) (forms.WritingView, error) {
		return s.app.Forms.WritingTools(ctx, who)
	})
	get(api, "medical-words", "/api/writing/medical", func(ctx context.Context, who act.Actor, _ *nothing) ([]string, error) {
		return s.app.Forms.MedicalWords(ctx, who)
	})
	does(api, http.MethodPost, "add-word", "/api/writing/words", func(ctx context.Context, who act.Actor, in *body[struct {
		Word string `json:"word" maxLength:"60"`
	}]) (*nothing, error) {
		return nil, s.app.Forms.AddWord(ctx, who, in.Body.Word)
	})
	get(api, "forms", "/api/forms", func(ctx context.Context, who act.Actor, _ *nothing) (forms.FormsView, error) {
		return s.app.Forms.ListForms(ctx, who)
	})
	get(api, "form", "/api/forms/{kind}/{id}", func(ctx context.Context, who act.Actor, in *struct {
		Kind  string `path:"kind" maxLength:"20"`
		ID    string `path:"id" maxLength:"60"`
		Owner string `query:"owner" enum:"clinic,me" default:"clinic"`
		// 0 is the newest.
		Version int `query:"version" minimum:"0"`
	}) (forms.FormText, error) {
		return s.app.Forms.ReadForm(ctx, who, in.Kind, in.ID, in.Owner, in.Version)
	})
	get(api, "form-versions", "/api/forms/{kind}/{id}/versions", func(ctx context.Context, who act.Actor, in *struct {
		Kind  string `path:"kind" maxLength:"20"`
		ID    string `path:"id" maxLength:"60"`
		Owner string `query:"owner" enum:"clinic,me" default:"clinic"`
	}) ([]forms.FormVersion, error) {
		return s.app.Forms.FormVersions(ctx, who, in.Kind, in.ID, in.Owner)
	})
	does(api, http.MethodPost, "try-form", "/api/forms/try",
		func(ctx context.Context, who act.Actor, in *body[formBody]) (*body[forms.Preview], error) {
			out, err := s.app.Forms.TryForm(ctx, who, in.Body.text())
			return &body[forms.Preview]{out}, err
		}, largeForm)
	does(api, http.MethodPost, "save-form", "/api/forms",
		func(ctx context.Context, who act.Actor, in *body[formBody]) (*body[forms.FormRow], error) {
			out, err := s.app.Forms.SaveForm(ctx, who, in.Body.text(), in.Body.Base)
			return &body[forms.FormRow]{out}, err
		}, largeForm)
	does(api, http.MethodPost, "form-entries", "/api/forms/entries", func(ctx context.Context, who act.Actor, in *body[struct {
		Body string `json:"body"`
	}]) (*body[[]forms.FormEntry], error) {
		out, err := s.app.Forms.FormEntries(ctx, who, in.Body.Body)
		return &body[[]forms.FormEntry]{out}, err
	})
	does(api, http.MethodPost, "copy-entry", "/api/forms/copy", func(ctx context.Context, who act.Actor, in *body[struct {
		Body  string `json:"body"`
		List  string `json:"list" enum:"kinds,snippets,review,examination,sets,letters,leaflets"`
		Entry string `json:"entry" maxLength:"60"`
		ID    string `json:"id" maxLength:"40"`
		Title string `json:"title" maxLength:"100"`
	}]) (*body[forms.Copied], error) {
		b := in.Body
		out, err := s.app.Forms.CopyEntry(ctx, who, b.Body, b.List, b.Entry, b.ID, b.Title)
		return &body[forms.Copied]{out}, err
	})
	does(api, http.MethodPost, "add-answer", "/api/forms/interview/{id}/answers", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Link  string `json:"link" maxLength:"120"`
			Words string `json:"words" maxLength:"80"`
		}
	}) (*nothing, error) {
		return nil, s.app.Forms.AddAnswer(ctx, who, in.ID, in.Body.Link, in.Body.Words)
	})
}

// largeForm is the greatest size of a form as it comes in: a table of services, in JSON.
const largeForm = 10 << 20

type formBody struct {
	Kind    string `json:"kind" enum:"systems,visits,interview,snippets,sets,letters,leaflets,services"`
	ID      string `json:"id" maxLength:"40"`
	Owner   string `json:"owner" enum:"clinic,me"`
	Body    string `json:"body"`
	Prose   string `json:"prose,omitempty"`
	Retired bool   `json:"retired,omitempty"`
	Base    int    `json:"base" doc:"The version it was made from"`
}

func (f formBody) text() forms.FormText {
	return forms.FormText{FormRow: forms.FormRow{Kind: f.Kind, ID: f.ID, Owner: f.Owner, Retired: f.Retired}, Body: f.Body, Prose: f.Prose}
}
