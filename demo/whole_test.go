package demo_test

import (
	"context"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/app/sharing"
	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/exchange/ccda"
	"deftledger/exchange/fhir"
	"deftledger/store"
)

// Every chart of the demo goes out in both forms and is read again as it was: each entry of each list with what it says, values with their
// digits, notes word for word and documents byte for byte.
func TestEveryChartGoesOutAndIsReadAgain(t *testing.T) {
	ctx := context.Background()
	a, who, _ := fill(t, time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	var people []chart.Patient
	require.NoError(t, a.Store.Read(ctx, func(q *store.Q) (err error) {
		people, err = q.People("", 1000)
		return err
	}))
	require.Greater(t, len(people), 10)
	says := func(r outside.Record, lists ...string) (out []string) {
		for _, list := range lists {
			for _, i := range r.Items {
				if i.List == list {
					codes := []string{}
					for _, c := range i.Codes {
						codes = append(codes, c.Code)
					}
					out = append(out, strings.Join([]string{i.List, i.Says(), i.Status, i.Severity, i.Value, i.Unit, i.Range, i.Doubt, strings.Join(codes, " ")}, " | "))
				}
			}
		}
		return out
	}
	// A moment of FHIR has its seconds; those that nobody stated are zero.
	minute := regexp.MustCompile(`(T\d\d:\d\d)([+-])`)
	entries, files := 0, 0
	for _, p := range people {
		var whole outside.Record
		documents := map[string]bool{}
		require.NoError(t, a.Store.Read(ctx, func(q *store.Q) (err error) {
			if whole, err = a.Sharing.Whole(q, p); err != nil {
				return err
			}
			for _, list := range outside.RecordLists { // one by one they say the same
				part, err := a.Sharing.Whole(q, p, list)
				if err != nil {
					return err
				}
				require.Equal(t, says(whole, list), says(part, list), p.Record)
			}
			all, err := q.DocumentsOf(p.ID)
			if err != nil {
				return err
			}
			for _, d := range all {
				one, err := q.DocumentByID(d.ID)
				if err != nil {
					return err
				}
				documents[string(one.PDF)] = true
			}
			reports, err := q.ReportsOf(p.ID)
			if err != nil {
				return err
			}
			for _, rep := range reports {
				for _, v := range rep.Values {
					for _, f := range v.Details.Attached {
						body, err := a.Result.FileOf(q, rep, f.Sum)
						if err != nil {
							return err
						}
						documents[string(body)] = true
					}
				}
			}
			told, err := a.Note.Told(q, p.ID)
			for _, n := range told {
				documents[n.Text] = true
			}
			return err
		}))
		out, err := a.Sharing.Give(ctx, who["maren"], p.ID, sharing.NewGiven{Whom: "patient", Form: sharing.FHIR})
		if err != nil { // a chart that is closed to her
			continue
		}
		got, err := fhir.ReadRecord(out.File)
		require.NoError(t, err)
		for _, m := range got.Missed { // nobody has asked somebody new
			require.Contains(t, m, "is empty", p.Record)
		}
		want := says(whole, outside.RecordLists...)
		for i := range want {
			want[i] = minute.ReplaceAllString(want[i], "$1:00$2")
		}
		require.Equal(t, want, says(got, outside.RecordLists...), p.Record)
		require.Equal(t, len(documents), len(got.Files), p.Record)
		for _, f := range got.Files {
			require.True(t, documents[string(f.Body)], "%s: %s is not as it was", p.Record, f.Title)
		}
		entries, files = entries+len(got.Items), files+len(got.Files)

		out, err = a.Sharing.Give(ctx, who["maren"], p.ID, sharing.NewGiven{Whom: "patient", Form: sharing.CCDA})
		require.NoError(t, err)
		clinical, err := ccda.Read(out.File)
		require.NoError(t, err)
		require.Empty(t, clinical.Missed, p.Record)
		for _, list := range []string{outside.Problems, outside.Allergies, outside.Medicines, outside.Immunizations, outside.Results, outside.Vitals, outside.Procedures, outside.Social, outside.Family, outside.Devices, outside.Encounters, outside.Team} {
			require.Equal(t, says(whole, list), says(clinical, list), p.Record)
		}
	}
	t.Logf("%d entries and %d files of %d charts", entries, files, len(people))
	require.Greater(t, entries, 300)
	require.Greater(t, files, 10)
}
