package web

import (
	"context"
	"encoding/base64"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/session"
	"deftledger/core/result"
	"deftledger/core/visit"
)

// describeSession registers what the room session does and shows.
func (s *server) describeSession(api huma.API) {
	post(api, "sign-in", "/api/session", func(ctx context.Context, in *body[struct {
		Login    string `json:"login" maxLength:"100"`
		Password string `json:"password" maxLength:"1000"`
		Code     string `json:"code,omitempty" maxLength:"10" doc:"Of the second factor, where the person has one"`
	}]) (*struct {
		Cookie http.Cookie `header:"Set-Cookie"`
	}, error) {
		t, err := s.app.Session.SignIn(ctx, in.Body.Login, in.Body.Password, in.Body.Code)
		if err != nil {
			return nil, answer(err)
		}
		return &struct {
			Cookie http.Cookie `header:"Set-Cookie"`
		}{cookie(ctx, t, 14*3600)}, nil
	})
	huma.Register(api, huma.Operation{OperationID: "me", Method: http.MethodGet, Path: "/api/session"},
		func(ctx context.Context, _ *nothing) (*body[Me], error) {
			in, _ := ctx.Value(actorKey{}).(signedIn)
			if errors.Is(in.err, session.ErrNoSession) { // which is an answer, and no error
				return &body[Me]{Me{Rights: []right{}, Told: map[string]string{}, Stages: []visit.Stage{}}}, nil
			}
			if in.err != nil && !errors.Is(in.err, session.ErrLocked) {
				return nil, answer(in.err)
			}
			return &body[Me]{s.me(in)}, nil
		})
	post(api, "unlock", "/api/session/unlock", func(ctx context.Context, in *body[struct {
		Password string `json:"password" maxLength:"1000"`
	}]) (*nothing, error) {
		me, _ := ctx.Value(actorKey{}).(signedIn)
		if me.err != nil && !errors.Is(me.err, session.ErrLocked) {
			return nil, answer(me.err)
		}
		return nil, answer(s.app.Session.Unlock(ctx, me.who, me.staff, in.Body.Password))
	})
	does(api, http.MethodPost, "lock", "/api/session/lock", func(ctx context.Context, who act.Actor, _ *nothing) (*nothing, error) {
		return nil, s.app.Session.Lock(ctx, who)
	})
	huma.Register(api, huma.Operation{OperationID: "sign-out", Method: http.MethodDelete, Path: "/api/session"},
		func(ctx context.Context, _ *nothing) (*struct {
			Cookie http.Cookie `header:"Set-Cookie"`
		}, error) {
			in, _ := ctx.Value(actorKey{}).(signedIn)
			if in.err == nil || errors.Is(in.err, session.ErrLocked) {
				if err := s.app.Session.SignOut(ctx, in.who); err != nil {
					return nil, answer(err)
				}
			}
			return &struct {
				Cookie http.Cookie `header:"Set-Cookie"`
			}{cookie(ctx, "", -1)}, nil
		})
	get(api, "factor", "/api/session/factor", func(ctx context.Context, who act.Actor, _ *struct{}) (HasFactor, error) {
		has, err := s.app.Session.HasFactor(ctx, who)
		return HasFactor{has}, err
	})
	type factorBody struct {
		Password string `json:"password,omitempty" maxLength:"1000"`
		Code     string `json:"code,omitempty" maxLength:"10"`
	}
	does(api, http.MethodPost, "begin-factor", "/api/session/factor", func(ctx context.Context, who act.Actor, in *body[factorBody]) (*body[session.FactorView], error) {
		out, err := s.app.Session.BeginFactor(ctx, who, in.Body.Password)
		return &body[session.FactorView]{out}, err
	})
	does(api, http.MethodPost, "confirm-factor", "/api/session/factor/confirm", func(ctx context.Context, who act.Actor, in *body[factorBody]) (*nothing, error) {
		return nil, s.app.Session.ConfirmFactor(ctx, who, in.Body.Code)
	})
	does(api, http.MethodPost, "drop-factor", "/api/session/factor/drop", func(ctx context.Context, who act.Actor, in *body[factorBody]) (*nothing, error) {
		return nil, s.app.Session.DropFactor(ctx, who, in.Body.Password, in.Body.Code)
	})
	get(api, "own-npi", "/api/session/npi", func(ctx context.Context, who act.Actor, _ *struct{}) (OwnNPI, error) {
		npi, err := s.app.Session.OwnNPI(ctx, who)
		return OwnNPI{npi}, err
	})
	does(api, http.MethodPost, "confirm-npi", "/api/session/npi", func(ctx context.Context, who act.Actor, in *body[struct {
		NPI      string `json:"npi" maxLength:"10"`
		Password string `json:"password" maxLength:"1000"`
	}]) (*nothing, error) {
		return nil, s.app.Session.ConfirmNPI(ctx, who, in.Body.NPI, in.Body.Password)
	})
	does(api, http.MethodPut, "set-single-keys", "/api/session/keys", func(ctx context.Context, who act.Actor, in *body[struct {
		On bool `json:"on"`
	}]) (*nothing, error) {
		return nil, s.app.Session.SetSingleKeys(ctx, who, in.Body.On)
	})
	does(api, http.MethodPut, "set-each-report", "/api/session/rows", func(ctx context.Context, who act.Actor, in *body[struct {
		Each bool `json:"each" doc:"A row for each report on the desk, not for each patient"`
	}]) (*nothing, error) {
		return nil, s.app.Session.SetEachReport(ctx, who, in.Body.Each)
	})
	get(api, "each-report", "/api/session/rows", func(ctx context.Context, who act.Actor, _ *nothing) (bool, error) {
		return s.app.Session.EachReport(ctx, who)
	})
	get(api, "own-sessions", "/api/session/all", func(ctx context.Context, who act.Actor, _ *nothing) ([]session.OwnSession, error) {
		return s.app.Session.OwnSessions(ctx, who)
	})
	does(api, http.MethodDelete, "end-own-session", "/api/session/all/{id}", func(ctx context.Context, who act.Actor, in *PathID) (*nothing, error) {
		return nil, s.app.Session.EndOwnSession(ctx, who, in.ID)
	})
	does(api, http.MethodPut, "change-own-secrets", "/api/session/secrets", func(ctx context.Context, who act.Actor, in *body[session.NewSecrets]) (*nothing, error) {
		return nil, s.app.Session.ChangeOwnSecrets(ctx, who, in.Body)
	}, secretBody)
	get(api, "audit", "/api/audit", func(ctx context.Context, who act.Actor, in *struct {
		Patient string `query:"patient" maxLength:"64"`
		Before  int64  `query:"before"`
	}) ([]session.AuditView, error) {
		return s.app.Session.ReadAudit(ctx, who, in.Patient, in.Before)
	})
	get(api, "colleagues", "/api/colleagues", func(ctx context.Context, who act.Actor, _ *nothing) ([]session.Colleague, error) {
		return s.app.Session.Colleagues(ctx, who)
	})
}

// Me is the person signed in, as the interface needs to know them.
type Me struct {
	ID           string            `json:"id" doc:"Empty while nobody is signed in"`
	Name         string            `json:"name"`
	Role         string            `json:"role"`
	Rights       []right           `json:"rights"`
	SingleKeys   bool              `json:"singleKeys"`
	DraftKey     string            `json:"draftKey" doc:"Encrypts what this browser keeps while it cannot save; only ever held in memory"`
	Locked       bool              `json:"locked"`
	IdleSeconds  int               `json:"idleSeconds"`
	Zone         string            `json:"zone"`
	Today        string            `json:"today" format:"date"`
	Told         map[string]string `json:"told" doc:"Ways in which a patient is told"`
	Stages       []visit.Stage     `json:"stages"`
	SigningOpen  bool              `json:"signingOpen"`
	Laboratory   string            `json:"laboratory"`
	PracticeName string            `json:"practiceName"`
}

func (s *server) me(in signedIn) Me {
	a := s.app
	m := Me{ID: in.who.ID, Name: in.who.Name, Role: in.who.Role, Locked: in.err != nil, Rights: []right{}, Told: result.Told,
		Stages:      visit.Stages,
		IdleSeconds: int(a.IdleAfter.Seconds()), Zone: a.Location.String(), Today: a.Today(), Laboratory: a.Laboratory("").Name,
		PracticeName: a.Practice}
	if in.err == nil {
		for _, r := range act.RightsOf(in.who.Role) {
			m.Rights = append(m.Rights, right(r))
		}
		m.SingleKeys, m.DraftKey = in.staff.SingleKeys, base64.StdEncoding.EncodeToString(in.staff.DraftKey)
		m.SigningOpen = a.Clock().Before(in.who.Session.SigningUntil)
	}
	return m
}

// HasFactor says whether the person has a second factor that counts.
type HasFactor struct {
	Has bool `json:"has"`
}

// OwnNPI is the National Provider Identifier of the person; empty for none.
type OwnNPI struct {
	NPI string `json:"npi"`
}
