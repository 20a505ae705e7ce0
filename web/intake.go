package web

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"deftledger/app/act"
	"deftledger/app/intake"
)

// describeIntake registers what the room intake does and shows.
func (s *server) describeIntake(api huma.API) {
	get(api, "intake", "/api/visits/{id}/intake", func(ctx context.Context, who act.Actor, in *PathID) (intake.IntakeView, error) {
		return s.app.Intake.Intake(ctx, who, in.ID)
	})
	intakeAct(api, "add-entry", "/api/visits/{id}/entries", func(ctx context.Context, who act.Actor, id string,
		in intake.NewEntry) (intake.IntakeView, error) {
		return s.app.Intake.AddEntry(ctx, who, id, in)
	})
	intakeAct(api, "end-entry", "/api/visits/{id}/entries/end", func(ctx context.Context, who act.Actor, id string, in struct {
		List   string `json:"list" maxLength:"20"`
		ID     string `json:"id" maxLength:"64"`
		Reason string `json:"reason" maxLength:"500"`
	}) (intake.IntakeView, error) {
		return s.app.Intake.EndEntry(ctx, who, id, in.List, in.ID, in.Reason)
	})
	intakeAct(api, "state-lists", "/api/visits/{id}/statements", func(ctx context.Context, who act.Actor, id string, in struct {
		Lists []string `json:"lists" maxItems:"20"`
		Says  string   `json:"says" enum:"reviewed,none known"`
	}) (intake.IntakeView, error) {
		return s.app.Intake.State(ctx, who, id, in.Lists, in.Says)
	})
	intakeAct(api, "set-reason", "/api/visits/{id}/reason", func(ctx context.Context, who act.Actor, id string, in struct {
		Reason  string `json:"reason" maxLength:"300"`
		Kind    string `json:"kind" maxLength:"60"`
		Room    string `json:"room" maxLength:"20"`
		Version int    `json:"version"`
	}) (intake.IntakeView, error) {
		return s.app.Intake.SetReason(ctx, who, id, in.Reason, in.Kind, in.Room, in.Version)
	})
	intakeAct(api, "take-vitals", "/api/visits/{id}/vitals", func(ctx context.Context, who act.Actor, id string, in struct {
		Entries   []intake.VitalEntry `json:"entries" maxItems:"20"`
		Confirmed bool                `json:"confirmed"`
	}) (intake.VitalTaken, error) {
		return s.app.Intake.TakeVitals(ctx, who, id, in.Entries, in.Confirmed)
	})
	intakeAct(api, "strike-vital", "/api/visits/{id}/vitals/strike", func(ctx context.Context, who act.Actor, id string, in struct {
		ID string `json:"id" maxLength:"64"`
	}) (intake.IntakeView, error) {
		return s.app.Intake.StrikeVital(ctx, who, id, in.ID)
	})
	intakeAct(api, "enter-test", "/api/visits/{id}/tests", func(ctx context.Context, who act.Actor, id string,
		in intake.HouseEntry) (intake.IntakeView, error) {
		return s.app.Intake.EnterTest(ctx, who, id, in)
	})
	intakeAct(api, "give-vaccine", "/api/visits/{id}/vaccines", func(ctx context.Context, who act.Actor, id string,
		in intake.VaccineEntry) (intake.Asked, error) {
		return s.app.Intake.GiveVaccine(ctx, who, id, in)
	})
	intakeAct(api, "strike-vaccine", "/api/visits/{id}/vaccines/strike", func(ctx context.Context, who act.Actor, id string, in struct {
		ID     string `json:"id" maxLength:"64"`
		Reason string `json:"reason" maxLength:"500"`
	}) (intake.IntakeView, error) {
		return s.app.Intake.StrikeVaccine(ctx, who, id, in.ID, in.Reason)
	})
	get(api, "house", "/api/house", func(ctx context.Context, who act.Actor, in *struct {
		Query string `query:"q" maxLength:"100"`
	}) (intake.HouseView, error) {
		return s.app.Intake.HouseFind(ctx, who, in.Query)
	})
	get(api, "vital-history", "/api/patients/{id}/vitals", func(ctx context.Context, who act.Actor, in *PathID) ([]intake.VitalPoint, error) {
		return s.app.Intake.VitalHistory(ctx, who, in.ID)
	})
	does(api, http.MethodPost, "find-medicine", "/api/patients/{id}/medicines/find", func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body struct {
			Query string `json:"query" maxLength:"100"`
		}
	}) (*body[intake.MedicineSearch], error) {
		out, err := s.app.Intake.FindMedicine(ctx, who, in.ID, in.Body.Query)
		return &body[intake.MedicineSearch]{out}, err
	})
	intakeAct(api, "told-of-medicine", "/api/visits/{id}/medicines/told", func(ctx context.Context, who act.Actor, id string, in struct {
		ID     string `json:"id" maxLength:"64"`
		Says   string `json:"says" enum:"taking,sometimes,not taking,not known"`
		Detail string `json:"detail" maxLength:"300"`
	}) (intake.IntakeView, error) {
		return s.app.Intake.Told(ctx, who, id, in.ID, in.Says, in.Detail)
	})
	intakeAct(api, "tolerated", "/api/visits/{id}/allergies/tolerated", func(ctx context.Context, who act.Actor, id string, in struct {
		ID   string `json:"id" maxLength:"64"`
		What string `json:"what" maxLength:"300"`
		Day  string `json:"day" maxLength:"10"`
	}) (intake.IntakeView, error) {
		return s.app.Intake.Tolerated(ctx, who, id, in.ID, in.What, in.Day)
	})
}

func intakeAct[B, O any](api huma.API, name, path string, f func(context.Context, act.Actor, string, B) (O, error)) {
	does(api, http.MethodPost, name, path, func(ctx context.Context, who act.Actor, in *struct {
		PathID
		Body B
	}) (*body[O], error) {
		out, err := f(ctx, who, in.ID, in.Body)
		return &body[O]{out}, err
	})
}
