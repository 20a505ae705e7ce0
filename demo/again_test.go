package demo_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app"
	"deftledger/app/act"
	"deftledger/app/record"
	"deftledger/app/sharing"
	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/store"
)

// stands are the entries of a chart by what they say: where they came from, by which number they are known here, and what is remarked
// beside them (which says where they came from) are another chart's own.
func stands(t *testing.T, a *app.App, patient string) (out []string) {
	t.Helper()
	require.NoError(t, a.Store.Read(context.Background(), func(q *store.Q) error {
		p, err := q.Person(patient)
		if err != nil {
			return err
		}
		whole, err := a.Sharing.Whole(q, p)
		for _, i := range whole.Items {
			if i.List == outside.Team || i.List == outside.Encounters && i.Class == "AMB" || i.Certainty == "refuted" || i.None {
				continue // a visit is where it was; what is refuted, or not there, is never taken in
			}
			if i.List == outside.Results {
				i.Class = "" // in a report of another house it is a value like others
			}
			codes := []string{}
			for _, c := range i.Codes {
				codes = append(codes, c.Code)
			}
			for _, at := range []*string{&i.Since, &i.Until} {
				if m, err := time.Parse("2006-01-02T15:04Z07:00", *at); err == nil { // seconds that nobody stated
					*at = m.Format(time.RFC3339)
				}
			}
			if slices.Contains([]string{outside.Allergies, outside.Immunizations}, i.List) {
				i.Since = i.Since[:min(10, len(i.Since))] // a chart keeps the day of what was given elsewhere
			}
			out = append(out, strings.Join([]string{i.List, i.Class, i.Title, i.Detail, i.Reason, i.Status, i.Severity, i.Certainty, i.Since, i.Until, i.Value, i.Unit, i.Range, i.Flag, strings.Join(codes, " ")}, " | "))
		}
		return err
	}))
	slices.Sort(out)
	return out
}

// takeAll takes a record into a chart: what is certain in one act, all else that may be taken in one by one.
func takeAll(t *testing.T, a *app.App, who act.Actor, patient string, raw []byte) {
	t.Helper()
	ctx := context.Background()
	got, err := a.Record.Receive(ctx, who, patient, raw, "")
	require.NoError(t, err)
	require.NoError(t, a.Record.Confirm(ctx, who, got.ID, "confirmed", ""))
	v, err := a.Record.SettleCertain(ctx, who, got.ID)
	require.NoError(t, err)
	for _, e := range append(v.Entries, v.Others...) {
		switch {
		case e.Decision != "":
		case slices.Contains(e.May, string(outside.TakeIn)):
			_, err = a.Record.Decide(ctx, who, got.ID, record.EntryDecided{List: e.List, Ref: e.Ref, Decision: outside.TakeIn})
			require.NoError(t, err, "%s %s %s", e.List, e.Title, e.Detail)
		case slices.Contains(e.May, string(outside.LeaveOut)):
			_, err = a.Record.Decide(ctx, who, got.ID, record.EntryDecided{List: e.List, Ref: e.Ref, Decision: outside.LeaveOut, Reason: "it cannot be taken in"})
			require.NoError(t, err)
		}
	}
	require.NoError(t, a.Record.Sign(ctx, who, got.ID, "", "kittiwake"))
}

// twin registers somebody by the same name, with an empty chart.
func twin(t *testing.T, a *app.App, who act.Actor, p chart.Patient) string {
	t.Helper()
	p.ID, p.Record = act.NewID(), "T-"+act.NewID()
	require.NoError(t, a.Store.Write(context.Background(), func(q *store.Q) error {
		if err := q.AddPatient(p); err != nil {
			return err
		}
		return q.SetUsualClinician(p.ID, who.ID, who.ID, time.Now())
	}))
	return p.ID
}

// A chart that is given out as FHIR and taken in again, in a chart that is empty, is the same chart: of the demo, and of charts that are
// drawn by lot.
func TestAChartGivenOutAndTakenInAgainIsTheSame(t *testing.T) {
	ctx := context.Background()
	a, who, _ := fill(t, time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	maren := who["maren"]
	var people []chart.Patient
	require.NoError(t, a.Store.Read(ctx, func(q *store.Q) (err error) {
		people, err = q.People("", 1000)
		return err
	}))
	for n := range uint64(12) {
		p := drawn(t, a, maren, n)
		people = append(people, p)
	}
	entries := 0
	for _, p := range people {
		copied, err := a.Sharing.Give(ctx, maren, p.ID, sharing.NewGiven{Whom: "patient", Form: sharing.FHIR})
		if err != nil { // a chart that is closed to her
			continue
		}
		id := twin(t, a, maren, p)
		takeAll(t, a, maren, id, copied.File)
		want := stands(t, a, p.ID)
		require.Equal(t, want, stands(t, a, id), p.Record)
		entries += len(want)
	}
	t.Logf("%d entries of %d charts", entries, len(people))
	require.Greater(t, entries, 400)
}

// drawn is a chart with entries of every list, by lot.
func drawn(t *testing.T, a *app.App, who act.Actor, seed uint64) (p chart.Patient) {
	t.Helper()
	lot := rand.New(rand.NewPCG(seed, 7))
	one := func(of ...string) string { return of[lot.IntN(len(of))] }
	now := time.Date(2026, 11, 2, 14, 30, 0, 0, time.UTC)
	p = chart.Patient{ID: act.NewID(), Record: fmt.Sprint("D-", seed), Name: chart.Name{Family: "Drawn", Given: fmt.Sprint("Number", seed)}, BirthDate: "1958-04-02", Sex: one("F", "M"), CodeStatus: "not known"}
	require.NoError(t, a.Store.Write(context.Background(), func(q *store.Q) error {
		if err := q.AddPatient(p); err != nil {
			return err
		}
		if err := q.SetUsualClinician(p.ID, who.ID, who.ID, now); err != nil {
			return err
		}
		for _, c := range []string{"E11.9", "I10", "N18.31", "J44.9", "M10.071"} {
			if lot.IntN(2) == 0 {
				coded, _, _, err := a.Record.CheckCode(c, "2026-11-23")
				if err != nil {
					return err
				}
				if _, err := q.AddProblem(chart.Problem{ID: act.NewID(), PatientID: p.ID, Code: coded.Code, Title: coded.Title, Since: "2026-11-01", Onset: one("", "2014", "2019-05")}); err != nil {
					return err
				}
			}
		}
		for _, name := range []string{"Penicillin G", "Shellfish", "Latex", "Codeine"} {
			if lot.IntN(2) == 0 {
				if err := q.AddAllergy(chart.Allergy{ID: act.NewID(), PatientID: p.ID, Substance: name, Reaction: one("", "hives", "swelling of the lips & tongue"), Severity: one("", "mild", "severe"), Certainty: one(chart.Certainties...), StatedAt: now, StatedBy: who.Name}); err != nil {
					return err
				}
			}
		}
		for _, name := range []string{"Metformin", "Losartan", "Apixaban", "Zorblatide 3", "Vitamin D"} {
			if lot.IntN(2) == 0 {
				m := chart.Medicine{ID: act.NewID(), PatientID: p.ID, Name: name, Dose: one("500 mg twice daily", "1 tablet once daily", "as told"), Started: one("", "2020", "2024-02-29"), AddedBy: who.ID, AddedAt: now, Why: one("", "as she was told")}
				if err := q.AddMedicine(m); err != nil {
					return err
				}
				if lot.IntN(3) == 0 {
					if err := q.StopMedicine(p.ID, m.ID, "2026-10-01", "no longer needed", who.ID); err != nil {
						return err
					}
				}
			}
		}
		for _, h := range []chart.HistoryEntry{
			{List: chart.PastList, Title: "Childhood asthma", Detail: "none since", Since: "1965", Until: "1975"}, {List: chart.PastList, Title: "Shingles", Since: one("", "2016-08")},
			{List: chart.SurgicalList, Title: "Gallbladder removed", Detail: one("", "Northsound"), Since: "2008"}, {List: chart.SurgicalList, Title: "Cataract, right eye", Since: "2019-03-04"},
			{List: chart.SurgicalList, Title: "Cataract, right eye", Since: "2021"},
			{List: chart.HospitalList, Title: "Pneumonia", Detail: "Northsound Hospital", Since: "2020-03-01", Until: "2020-03-09"},
			{List: chart.ImplantList, Title: "Dual chamber pacemaker", Detail: "Kestrel DR, left", Since: "2022-08"}, {List: chart.ImplantList, Title: "Port catheter", Since: "2023-01", Until: "2023-09"},
			{List: chart.FamilyList, Title: "Heart attack", Detail: "father, at 52"}, {List: chart.FamilyList, Title: "Heart attack", Detail: "brother"},
			{List: chart.SocialList, Title: "Tobacco", Detail: "20 a day, stopped 2010", Until: "2010"}, {List: chart.SocialList, Title: "Work", Detail: "boat builder"},
			{List: chart.ObstetricList, Title: "1984", Detail: "a girl, at term"}, {List: chart.CommunicationList, Title: "Language", Detail: "Norn & some English"},
			{List: chart.CommunicationList, Title: "Interpreter", Detail: "yes"},
		} {
			if h.PatientID, h.ID, h.StatedAt, h.StatedBy = p.ID, act.NewID(), now, who.Name; lot.IntN(3) > 0 {
				if err := q.AddHistory(h); err != nil {
					return err
				}
			}
		}
		if _, err := q.AddCare(store.CareEntry{ID: act.NewID(), PatientID: p.ID, Kind: store.CareService, Name: "colonoscopy", Says: "no polyp", Day: one("2019", "2021-03-04"), Source: "Northsound", ByID: who.ID, At: now, RequestID: fmt.Sprint("care ", seed)}); err != nil {
			return err
		}
		_, err := q.AddScreen(store.ScreenResponse{ID: act.NewID(), PatientID: p.ID, Form: "phq-9", Version: "1", Answers: map[string]string{}, Total: one("0", "14"), LOINC: "44261-6", Name: "PHQ-9 total score", Says: "moderate", ByID: who.ID, At: now})
		return err
	}))
	return p
}
