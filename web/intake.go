package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app"
)

// describeIntake registers what the intake is done with.
func describeIntake(api huma.API, s *server) {
	get(api, "intake", "/api/visits/{id}/intake", func(ctx context.Context, who app.Actor, in *PathID) (app.IntakeView, error) {
		return s.app.Intake(ctx, who, in.ID)
	})
	intakeAct(api, "add-entry", "/api/visits/{id}/entries", func(ctx context.Context, who app.Actor, id string, in app.NewEntry) (app.IntakeView, error) {
		return s.app.AddEntry(ctx, who, id, in)
	})
	intakeAct(api, "end-entry", "/api/visits/{id}/entries/end", func(ctx context.Context, who app.Actor, id string, in struct {
		List   string `json:"list" maxLength:"20"`
		ID     string `json:"id" maxLength:"64"`
		Reason string `json:"reason" maxLength:"500"`
	}) (app.IntakeView, error) {
		return s.app.EndEntry(ctx, who, id, in.List, in.ID, in.Reason)
	})
	intakeAct(api, "state-lists", "/api/visits/{id}/statements", func(ctx context.Context, who app.Actor, id string, in struct {
		Lists []string `json:"lists" maxItems:"20"`
		Says  string   `json:"says" enum:"reviewed,none known"`
	}) (app.IntakeView, error) {
		return s.app.State(ctx, who, id, in.Lists, in.Says)
	})
	intakeAct(api, "set-reason", "/api/visits/{id}/reason", func(ctx context.Context, who app.Actor, id string, in struct {
		Reason  string `json:"reason" maxLength:"300"`
		Kind    string `json:"kind" maxLength:"60"`
		Room    string `json:"room" maxLength:"20"`
		Version int    `json:"version"`
	}) (app.IntakeView, error) {
		return s.app.SetReason(ctx, who, id, in.Reason, in.Kind, in.Room, in.Version)
	})
	intakeAct(api, "take-vitals", "/api/visits/{id}/vitals", func(ctx context.Context, who app.Actor, id string, in struct {
		Entries   []app.VitalEntry `json:"entries" maxItems:"20"`
		Confirmed bool             `json:"confirmed"`
	}) (app.VitalTaken, error) {
		return s.app.TakeVitals(ctx, who, id, in.Entries, in.Confirmed)
	})
	intakeAct(api, "read-device", "/api/visits/{id}/vitals/device", func(ctx context.Context, who app.Actor, id string, in struct {
		Confirmed bool `json:"confirmed"`
	}) (app.VitalTaken, error) {
		return s.app.ReadDevice(ctx, who, id, in.Confirmed)
	})
	intakeAct(api, "strike-vital", "/api/visits/{id}/vitals/strike", func(ctx context.Context, who app.Actor, id string, in struct {
		ID string `json:"id" maxLength:"64"`
	}) (app.IntakeView, error) {
		return s.app.StrikeVital(ctx, who, id, in.ID)
	})
	intakeAct(api, "fetch-elsewhere", "/api/visits/{id}/fetch", func(ctx context.Context, who app.Actor, id string, _ struct{}) (app.Fetched, error) {
		return s.app.FetchElsewhere(ctx, who, id)
	})
	intakeAct(api, "decide", "/api/visits/{id}/decide", func(ctx context.Context, who app.Actor, id string, in struct {
		IDs      []string `json:"ids" maxItems:"200"`
		Decision string   `json:"decision" enum:"take in,leave out,join"`
	}) (app.IntakeView, error) {
		return s.app.Decide(ctx, who, id, in.IDs, in.Decision)
	})
	intakeAct(api, "enter-test", "/api/visits/{id}/tests", func(ctx context.Context, who app.Actor, id string, in app.HouseEntry) (app.IntakeView, error) {
		return s.app.EnterTest(ctx, who, id, in)
	})
	intakeAct(api, "give-vaccine", "/api/visits/{id}/vaccines", func(ctx context.Context, who app.Actor, id string, in app.VaccineEntry) (app.Asked, error) {
		return s.app.GiveVaccine(ctx, who, id, in)
	})
	intakeAct(api, "strike-vaccine", "/api/visits/{id}/vaccines/strike", func(ctx context.Context, who app.Actor, id string, in struct {
		ID     string `json:"id" maxLength:"64"`
		Reason string `json:"reason" maxLength:"500"`
	}) (app.IntakeView, error) {
		return s.app.StrikeVaccine(ctx, who, id, in.ID, in.Reason)
	})
	get(api, "house", "/api/house", func(ctx context.Context, who app.Actor, in *struct {
		Query string `query:"q" maxLength:"100"`
	}) (app.HouseView, error) {
		return s.app.HouseFind(ctx, who, in.Query)
	})
	get(api, "vital-history", "/api/patients/{id}/vitals", func(ctx context.Context, who app.Actor, in *PathID) ([]app.VitalPoint, error) {
		return s.app.VitalHistory(ctx, who, in.ID)
	})
	act(api, http.MethodPost, "find-medicine", "/api/patients/{id}/medicines/find", func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body struct {
			Query string `json:"query" maxLength:"100"`
		}
	}) (*body[[]app.MedicineHit], error) {
		out, err := s.app.FindMedicine(ctx, who, in.ID, in.Body.Query)
		return &body[[]app.MedicineHit]{out}, err
	})
}

func intakeAct[B, O any](api huma.API, name, path string, f func(context.Context, app.Actor, string, B) (O, error)) {
	act(api, http.MethodPost, name, path, func(ctx context.Context, who app.Actor, in *struct {
		PathID
		Body B
	}) (*body[O], error) {
		out, err := f(ctx, who, in.ID, in.Body)
		return &body[O]{out}, err
	})
}
