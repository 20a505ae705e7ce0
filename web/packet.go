package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/packet"
	"deftledger/core/result"
)

// describePacket registers what the room packet does and shows.
func (s *server) describePacket(api huma.API) {
	get(api, "packet", "/api/packets/{id}", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Report string `query:"report" maxLength:"64" doc:"Only this one, whoever answers for it"`
	}) (packet.PacketView, error) {
		return s.app.Packet.Open(ctx, who, in.ID, in.Report)
	})
	does(api, http.MethodPost, "settle-packet", "/api/packets/{id}/settle", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body packet.PacketSettled
	}) (*body[packet.PacketDone], error) {
		out, err := s.app.Packet.Settle(ctx, who, in.ID, in.Body)
		return &body[packet.PacketDone]{out}, err
	})
	get(api, "hand-over", "/api/hand-overs/{id}", func(ctx context.Context, who act.Actor, in *PathID) (packet.HandedView, error) {
		return s.app.Packet.HandOver(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "answer-hand-over", "/api/hand-overs/{id}/answer", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Says string `json:"says" maxLength:"2000"`
			Back bool   `json:"back,omitempty" doc:"It is handed back, not done"`
		}
	}) (*nothing, error) {
		return nil, s.app.Packet.AnswerHandOver(ctx, who, in.ID, in.Body.Says, in.Body.Back)
	})
	get(api, "telling", "/api/tellings/{id}", func(ctx context.Context, who act.Actor, in *PathID) (packet.TellingView, error) {
		return s.app.Packet.Telling(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "tell-patient", "/api/tellings/{id}/attempts", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body packet.TellAttempt
	}) (*nothing, error) {
		return nil, s.app.Packet.Tried(ctx, who, in.ID, in.Body)
	})
	does(api, http.MethodPost, "take-over", "/api/packets/{id}/take", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Report string `json:"report,omitempty" maxLength:"64" doc:"Only this one; all that wait otherwise"`
		}
	}) (*body[int], error) {
		n, err := s.app.Packet.TakeOver(ctx, who, in.ID, in.Body.Report)
		return &body[int]{n}, err
	})
	get(api, "desk-words", "/api/patients/{id}/desk-words", func(ctx context.Context, who act.Actor, in *PathID) ([]packet.DeskWords, error) {
		return s.app.Packet.DeskWords(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "told-at-desk", "/api/desk-words/{id}/told", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Whom string `json:"whom" maxLength:"200"`
		}
	}) (*nothing, error) {
		return nil, s.app.Packet.ToldAtDesk(ctx, who, in.ID, in.Body.Whom)
	})
	does(api, http.MethodPost, "reading-level", "/api/reading-level", func(_ context.Context, who act.Actor, in *body[struct {
		Text string `json:"text" maxLength:"20000"`
	}]) (*body[Grade], error) {
		if err := act.Allow(who, act.SeeResults); err != nil {
			return nil, err
		}
		g, ok := result.Grade(in.Body.Text)
		return &body[Grade]{Grade{g, ok}}, nil
	})
}

// Grade is the school grade at which a text reads.
type Grade struct {
	Grade float64 `json:"grade" doc:"By the formula of Flesch and Kincaid, 1975"`
	Known bool    `json:"known" doc:"There are words to count"`
}
