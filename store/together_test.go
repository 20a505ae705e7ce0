package store

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/chart"
	"deftledger/core/note"
)

// What is read together is what each reader reads alone, in the same order, whatever
// somebody typed.
func TestReadTogetherIsReadAlone(t *testing.T) {
	s := stocked(t)
	ctx := context.Background()
	words := rapid.OneOf(rapid.String(),
		rapid.SampledFrom([]string{"", "a\x00b", `"quoted" \ 'and' `, "null", "1.50", "0", "[]", "Ø 5 µg\n– ½ “yes”", "\u2028", "𝛼"}))
	n := 0
	rapid.Check(t, func(r *rapid.T) {
		n++
		id := string(rune('a'+n%26)) + rapid.StringMatching(`[a-z0-9]{12}`).Draw(r, "id")
		require.NoError(t, s.Write(ctx, func(q *Q) error {
			require.NoError(t, q.AddMedicine(chart.Medicine{ID: id, PatientID: "p", Name: words.Draw(r, "name"), Dose: words.Draw(r, "dose"),
				AddedAt: noon}))
			require.NoError(t, q.AddHistory(chart.HistoryEntry{ID: id, PatientID: "p", List: rapid.SampledFrom([]string{"past", "social"}).Draw(r,
				"list"), Title: words.Draw(r, "title"), StatedAt: noon}))
			_, err := q.AddProblem(chart.Problem{ID: id, PatientID: "p", Code: rapid.SampledFrom([]string{"I10", "E11.9", id}).Draw(r, "code"),
				Title: words.Draw(r, "problem"), Since: "2026-01-0" + string(rune('1'+n%9))})
			require.NoError(t, err)
			if n%3 == 0 {
				require.NoError(t, q.AddVital(chart.Vital{ID: id, PatientID: "p", LOINC: "8867-4", Name: "Pulse", Value: words.Draw(r, "value"),
					Unit: "/min", TakenAt: noon, VisitID: "v"}))
			}
			return q.SavePart("n", Part{Part: note.Plan, Text: words.Draw(r, "text"), Version: n, SaveID: id, SavedAt: noon, SavedBy: "s"})
		}))
		require.NoError(t, s.Read(ctx, func(q *Q) error {
			record, err := q.Record("p", []string{"8867-4"})
			require.NoError(t, err)
			written, err := q.Written("n", "v")
			require.NoError(t, err)
			same := func(together any, alone any, err error) {
				require.NoError(t, err)
				require.Equal(t, alone, together)
			}
			medicines, err := q.Medicines("p")
			same(record.Medicines, medicines, err)
			histories, err := q.Histories("p")
			same(record.Histories, histories, err)
			problems, err := q.Problems("p")
			same(record.Problems, problems, err)
			values, err := q.Course("p", []string{"8867-4"})
			same(record.Values, values, err)
			parts, err := q.NoteParts("n")
			same(written.Parts, parts, err)
			vitals, err := q.VitalsAt("v")
			same(written.Vitals, vitals, err)
			return nil
		}))
	})
}
