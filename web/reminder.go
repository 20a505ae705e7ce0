package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/reminder"
)

// PathRule names a patient and a rule.
type PathRule struct {
	PathID
	Rule string `path:"rule" maxLength:"64"`
}

// describeReminder registers what the room reminder does and shows.
func (s *server) describeReminder(api huma.API) {
	get(api, "reminders", "/api/patients/{id}/reminders", func(ctx context.Context, who act.Actor, in *PathID) (reminder.RemindersView, error) {
		return s.app.Reminder.Reminders(ctx, who, in.ID)
	})
	get(api, "reminder", "/api/patients/{id}/reminders/{rule}", func(ctx context.Context, who act.Actor, in *PathRule) (reminder.ReminderWhy, error) {
		return s.app.Reminder.Why(ctx, who, in.ID, in.Rule)
	})
	does(api, http.MethodPost, "settle-reminder", "/api/patients/{id}/reminders/{rule}", func(ctx context.Context, who act.Actor, in *struct {
		PathRule
		Body reminder.ReminderDecision
	}) (*body[reminder.RemindersView], error) {
		out, err := s.app.Reminder.Decide(ctx, who, in.ID, in.Rule, in.Body)
		return &body[reminder.RemindersView]{out}, err
	})
	does(api, http.MethodPost, "take-back-reminder", "/api/patients/{id}/reminders-back/{request}", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Request string `path:"request" maxLength:"64"`
		Body    struct {
			Reason string `json:"reason" maxLength:"500"`
		}
	}) (*body[reminder.RemindersView], error) {
		out, err := s.app.Reminder.TakeBack(ctx, who, in.ID, in.Request, in.Body.Reason)
		return &body[reminder.RemindersView]{out}, err
	})
	does(api, http.MethodPost, "answer-question", "/api/patients/{id}/answers", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body reminder.RuleAnswer
	}) (*body[reminder.RemindersView], error) {
		out, err := s.app.Reminder.Answer(ctx, who, in.ID, in.Body)
		return &body[reminder.RemindersView]{out}, err
	})
	get(api, "questionnaire", "/api/patients/{id}/questionnaires/{form}", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Form string `path:"form" maxLength:"64"`
	}) (reminder.ScreenView, error) {
		return s.app.Reminder.Questionnaire(ctx, who, in.ID, in.Form)
	})
	does(api, http.MethodPost, "answer-questionnaire", "/api/patients/{id}/questionnaires/{form}", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Form string `path:"form" maxLength:"64"`
		Body reminder.ScreenAnswers
	}) (*body[reminder.Screened], error) {
		out, err := s.app.Reminder.Screen(ctx, who, in.ID, in.Form, in.Body)
		return &body[reminder.Screened]{out}, err
	})
	does(api, http.MethodPost, "beforehand", "/api/patients/{id}/beforehand/{entry}", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Entry string `path:"entry" maxLength:"64"`
		Body  reminder.BeforehandDecided
	}) (*body[reminder.Screened], error) {
		out, err := s.app.Reminder.Beforehand(ctx, who, in.ID, in.Entry, in.Body)
		return &body[reminder.Screened]{out}, err
	})
	get(api, "harm", "/api/harm/{id}", func(ctx context.Context, who act.Actor, in *PathID) (reminder.HarmView, error) {
		return s.app.Reminder.Harm(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "close-harm", "/api/harm/{id}", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Found string `json:"found" maxLength:"2000"`
		}
	}) (*nothing, error) {
		return nil, s.app.Reminder.CloseHarm(ctx, who, in.ID, in.Body.Found)
	})
	get(api, "rulebook", "/api/rulebook", func(ctx context.Context, who act.Actor, _ *struct{}) (reminder.RulebookView, error) {
		return s.app.Reminder.Book(ctx, who)
	})
	does(api, http.MethodPut, "set-rule", "/api/rulebook/{rule}", func(ctx context.Context, who act.Actor, in *struct {
		Rule string `path:"rule" maxLength:"64"`
		Body reminder.RuleSet
	}) (*body[reminder.RulebookView], error) {
		out, err := s.app.Reminder.Set(ctx, who, in.Rule, in.Body)
		return &body[reminder.RulebookView]{out}, err
	})
	does(api, http.MethodPut, "set-edition", "/api/rulebook-edition", func(ctx context.Context, who act.Actor, in *struct {
		Body reminder.EditionSet
	}) (*body[reminder.RulebookView], error) {
		out, err := s.app.Reminder.SetEdition(ctx, who, in.Body)
		return &body[reminder.RulebookView]{out}, err
	})
	does(api, http.MethodPost, "edition-told", "/api/rulebook-edition/told", func(ctx context.Context, who act.Actor, _ *nothing) (*nothing, error) {
		return nil, s.app.Reminder.OldTold(ctx, who)
	})
	does(api, http.MethodPost, "take-rule-in", "/api/rulebook", func(ctx context.Context, who act.Actor, in *struct {
		Body struct {
			Text string `json:"text" maxLength:"262144"`
		}
	}) (*body[reminder.TakenIn], error) {
		out, err := s.app.Reminder.TakeIn(ctx, who, in.Body.Text)
		return &body[reminder.TakenIn]{out}, err
	}, 512<<10)
	does(api, http.MethodPost, "run-practice", "/api/practice/runs", func(ctx context.Context, who act.Actor, in *struct {
		Body reminder.Wanted
	}) (*body[reminder.Run], error) {
		out, err := s.app.Reminder.RunPractice(ctx, who, in.Body)
		return &body[reminder.Run]{out}, err
	})
	get(api, "practice-run", "/api/practice/runs/{id}", func(_ context.Context, who act.Actor, in *PathID) (reminder.Run, error) {
		return s.app.Reminder.RunOf(who, in.ID)
	})
}
