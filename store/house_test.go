package store

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/chart"
	"deftledger/core/coding"
	"deftledger/core/line"
	"deftledger/core/note"
	"deftledger/core/order"
)

var noon = time.Date(2026, 11, 23, 17, 0, 0, 0, time.UTC)

// stocked opens a store with one physician, one patient with a visit and a note.
func stocked(t testing.TB) *Store {
	t.Helper()
	s, err := Open(context.Background(), t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	require.NoError(t, s.Write(context.Background(), func(q *Q) error {
		for _, x := range []string{
			"INSERT INTO staff VALUES ('s','maren','Maren','Oduya','physician','','',x'00',1,1)",
			"INSERT INTO patient(id, record, family, given, birth_date, sex) VALUES ('p','SK-1','Strand','Yusuf','1974-01-30','M')",
			"INSERT INTO visit(id, patient_id, clinician_id, day, starts_at, kind, reason, stage, stage_at) VALUES ('v','p','s','2026-11-23','2026-11-23T08:00:00.000Z','Acute visit','Cough','done','2026-11-23T09:00:00.000Z')",
			"INSERT INTO note(id, visit_id, patient_id, author_id, created_at) VALUES ('n','v','p','s','2026-11-23T08:00:00.000Z')",
		} {
			if err := q.do(x); err != nil {
				return err
			}
		}
		return nil
	}))
	return s
}

// Whatever is merged and taken apart, in whatever order: every record is about exactly
// one person, that person is a record that is about itself, records that stand merged
// are about the same person, and when all is taken apart each is itself again.
func TestMergingAndTakingApartInAnyOrder(t *testing.T) {
	s := stocked(t)
	ctx := context.Background()
	const n = 5
	run := 0
	rapid.Check(t, func(t *rapid.T) {
		run++
		id := func(i int) string { return fmt.Sprintf("r%d-%d", run, i) }
		err := s.Write(ctx, func(q *Q) error {
			for i := range n {
				if err := q.AddPatient(chart.Patient{ID: id(i), Record: id(i), Name: chart.Name{Family: "Osei", Given: "Mina"}, BirthDate: "1961-09-30",
					Sex: "F"}); err != nil {
					return err
				}
			}
			standing := map[string]Merge{}
			person := func(i int) string {
				p, err := q.Person(id(i))
				require.NoError(t, err)
				return p.ID
			}
			check := func() {
				for i := range n {
					p := person(i)
					own, err := q.Person(p)
					require.NoError(t, err)
					require.Equal(t, p, own.ID, "a person is about itself")
				}
				for _, m := range standing {
					a, err := q.Person(m.KeptID)
					require.NoError(t, err)
					b, err := q.Person(m.OtherID)
					require.NoError(t, err)
					require.Equal(t, a.ID, b.ID, "what stands merged is one person")
				}
			}
			number := 0
			for range rapid.IntRange(1, 12).Draw(t, "acts") {
				if len(standing) > 0 && rapid.Bool().Draw(t, "apart") {
					keys := make([]string, 0, len(standing))
					for k := range number {
						if _, ok := standing[fmt.Sprint(id(0), k)]; ok {
							keys = append(keys, fmt.Sprint(id(0), k))
						}
					}
					k := rapid.SampledFrom(keys).Draw(t, "which")
					if err := q.TakeApart(standing[k], "s", "two people", noon); err != nil {
						return err
					}
					delete(standing, k)
				} else {
					kept := person(rapid.IntRange(0, n-1).Draw(t, "kept"))
					other := person(rapid.IntRange(0, n-1).Draw(t, "other"))
					if kept == other {
						continue
					}
					m := Merge{ID: fmt.Sprint(id(0), number), KeptID: kept, OtherID: other, Reason: "same", ByID: "s",
						At: noon.Add(time.Duration(number) * time.Second)}
					number++
					if err := q.AddMerge(m); err != nil {
						return err
					}
					standing[m.ID] = m
				}
				check()
			}
			for k := number - 1; k >= 0; k-- {
				if m, ok := standing[fmt.Sprint(id(0), k)]; ok {
					if err := q.TakeApart(m, "s", "two people", noon); err != nil {
						return err
					}
				}
			}
			for i := range n {
				require.Equal(t, id(i), person(i), "all apart: each is itself")
			}
			return nil
		})
		require.NoError(t, err)
	})
}

func TestWhatTheHouseKeepsRoundTrips(t *testing.T) {
	s := stocked(t)
	ctx := context.Background()
	given := chart.Given{CVX: "115", Maker: "Orrery", Lot: "T1", Expires: "2027-06-30", Dose: "0.5 mL", Route: "intramuscular",
		Site: "left deltoid", Sheet: "2025-01-31"}
	require.NoError(t, s.Write(ctx, func(q *Q) error {
		i := chart.Immunization{ID: "i", PatientID: "p", VisitID: "v", Name: "Tdap", Given: given, GivenAt: noon, GivenBy: "s"}
		added, err := q.AddImmunization(i)
		require.NoError(t, err)
		require.True(t, added)
		added, err = q.AddImmunization(i)
		require.NoError(t, err)
		require.False(t, added, "the same act once")
		for _, read := range []func() ([]chart.Immunization, error){
			func() ([]chart.Immunization, error) { return q.Immunizations("p") },
			func() ([]chart.Immunization, error) { return q.ImmunizationsAt("v") },
			func() ([]chart.Immunization, error) { return q.LastLots([]string{"20", "115"}) },
		} {
			got, err := read()
			require.NoError(t, err)
			require.Equal(t, []chart.Immunization{i}, got)
		}
		require.ErrorIs(t, q.StrikeImmunization("another", "i", "s", "why", noon), ErrNotFound)
		require.NoError(t, q.StrikeImmunization("v", "i", "s", "why", noon))
		require.ErrorIs(t, q.StrikeImmunization("v", "i", "s", "why", noon), ErrNotFound, "struck once")
		lots, err := q.LastLots([]string{"115"})
		require.NoError(t, err)
		require.Empty(t, lots, "a struck lot is not offered")

		p := Prepared{ID: "o", PatientID: "p", VisitID: "v", ForID: "s", ByID: "s", At: noon, Priority: "R", Collected: true,
			Tests: []order.Line{{Test: "K", Diagnoses: []string{"I10"}}}, State: "waiting", RequestID: "q"}
		added, err = q.AddPrepared(p)
		require.NoError(t, err)
		require.True(t, added)
		again := p
		again.ID = "o2"
		added, err = q.AddPrepared(again)
		require.NoError(t, err)
		require.False(t, added, "one act of preparing, however often it is sent")
		got, err := q.PreparedByID("o")
		require.NoError(t, err)
		require.Equal(t, p, got)
		require.NoError(t, q.SettlePrepared("o", "waiting", "returned", "why", ""))
		require.ErrorIs(t, q.SettlePrepared("o", "waiting", "signed", "", "x"), ErrStale)
		open, err := q.PreparedOf("p")
		require.NoError(t, err)
		require.Len(t, open, 1, "given back is still open")
		require.NoError(t, q.SettlePrepared("o", "returned", "dropped", "why", ""))
		open, err = q.PreparedOf("p")
		require.NoError(t, err)
		require.Empty(t, open)
		return nil
	}))
}

func TestWhatIsSaidChargedAndWishedRoundTrips(t *testing.T) {
	s := stocked(t)
	ctx := context.Background()
	said := note.Said{Code: "I10", Response: "worse", Because: "missed doses", Complicated: "kidney disease", Remark: "r",
		Measures: []string{"85354-9"}}
	require.NoError(t, s.Write(ctx, func(q *Q) error {
		require.NoError(t, q.PutDiagnosisWords("n", said, "s", noon))
		require.ErrorIs(t, q.PutDiagnosisWords("n", said, "s", noon), ErrStale)
		said.Version = 1
		all, err := q.DiagnosisWords("n")
		require.NoError(t, err)
		require.Equal(t, map[string]note.Said{"I10": said}, all)

		c := Charges{Lines: []coding.Charge{{Code: "99213", Units: 1, Modifiers: []string{"25"}, Pointers: []string{"I10"}}},
			Facts: coding.Facts{Risk: "low", Problems: []coding.Addressed{{Code: "I10", Kind: coding.StableChronic}}}, ByID: "s", At: noon}
		none, err := q.ChargesOf("n")
		require.NoError(t, err)
		require.Zero(t, none.Version)
		require.NoError(t, q.PutCharges("n", c, 0))
		require.ErrorIs(t, q.PutCharges("n", c, 0), ErrStale)
		require.NoError(t, q.PutCharges("n", c, 1))
		c.Version = 2
		got, err := q.ChargesOf("n")
		require.NoError(t, err)
		require.Equal(t, c, got)

		f := FollowUp{ID: "f", PatientID: "p", NoteID: "n", Due: "2026-12-07", Said: "in 2 weeks", Reason: "Cough", ClinicianID: "s", ByID: "s",
			At: noon, State: "to book"}
		require.NoError(t, q.PutFollowUp(f))
		g := f
		g.ID, g.Due, g.Said = "g", "2027-01-23", "in 2 months"
		require.NoError(t, q.PutFollowUp(g))
		open, err := q.FollowUpsToBook()
		require.NoError(t, err)
		require.Len(t, open, 1, "one open wish of a note")
		require.Equal(t, "f", open[0].ID)
		require.Equal(t, "2027-01-23", open[0].Due)
		require.NoError(t, q.SettleFollowUp("f", "booked", "v", "s", "", noon))
		require.ErrorIs(t, q.SettleFollowUp("f", "dropped", "", "s", "why", noon), ErrStale)
		require.NoError(t, q.PutFollowUp(g), "after it is booked, a further wish is its own")
		open, err = q.FollowUpsToBook()
		require.NoError(t, err)
		require.Equal(t, "g", open[0].ID)

		require.NoError(t, q.PutAdviceAnswer("n", AdviceAnswer{Key: "k", Reason: "first", ByID: "s", At: noon}))
		require.NoError(t, q.PutAdviceAnswer("n", AdviceAnswer{Key: "k", Reason: "second", ByID: "s", At: noon}))
		answers, err := q.AdviceAnswers("n")
		require.NoError(t, err)
		require.Equal(t, []AdviceAnswer{{"k", "second", "s", noon}}, answers)
		return nil
	}))
	// After the signature nothing of it can be changed through any path.
	require.NoError(t, s.Write(ctx, func(q *Q) error { return q.SignNote("n", 4) }))
	for what, change := range map[string]func(q *Q) error{
		"said of a diagnosis": func(q *Q) error { return q.PutDiagnosisWords("n", said, "s", noon) },
		"a new saying": func(q *Q) error {
			return q.PutDiagnosisWords("n", note.Said{Code: "E11.9", Measures: []string{}}, "s", noon)
		},
		"the charges": func(q *Q) error { return q.PutCharges("n", Charges{}, 2) },
	} {
		require.ErrorContains(t, s.Write(ctx, change), "the note is signed", what)
	}
}

// The course of a measure holds vital signs and final values of the same person, oldest
// first across time zones, and nothing struck, preliminary or of somebody else.
func TestTheCourseHoldsOnlyWhatCounts(t *testing.T) {
	s := stocked(t)
	require.NoError(t, s.Write(context.Background(), func(q *Q) error {
		vital := func(id, value string, at time.Time) {
			require.NoError(t, q.AddVital(chart.Vital{ID: id, PatientID: "p", LOINC: "29463-7", Name: "Weight", Value: value, Unit: "kg",
				TakenAt: at}))
		}
		vital("a", "91.0", noon.AddDate(0, -2, 0))
		vital("b", "90.0", noon)
		vital("c", "19.0", noon.AddDate(0, -1, 0))
		require.NoError(t, q.StrikeVital("p", "c", "s", noon))
		require.NoError(t, q.do("INSERT INTO inbox(id, received_at, peer, sha256, raw, state) VALUES (1,'x','x',x'00',x'00','filed')"))
		report := func(id, patient, status, at, text string) {
			require.NoError(t, q.do("INSERT INTO patient(id, record, family, given, birth_date, sex) VALUES (?,?,'Other','O','1990-01-01','F') ON CONFLICT DO NOTHING", patient, "SK-"+patient))
			require.NoError(t, q.do("INSERT INTO report(id, patient_id, filler, code, title, owner_id, status, issue) VALUES (?,?,?,'W','Weight','s',?,1)", id, patient, id, status))
			require.NoError(t, q.do("INSERT INTO report_issue(report_id, issue, inbox_id, status, collected_at, reported_at, received_at, performer, notes) VALUES (?,1,1,?,?,?,'x','','')", id, status, at, at))
			require.NoError(t, q.do("INSERT INTO report_value(report_id, issue, position, code, name, loinc, text, unit, range, flag, status, notes) VALUES (?,1,0,'W','Weight','29463-7',?,'kg','','',?,'')", id, text, status))
		}
		report("r1", "p", "F", "2026-10-23T08:00:00-04:00", "90.5")
		report("r2", "p", "P", "2026-10-24T08:00:00-04:00", "1")
		report("r3", "other", "F", "2026-10-25T08:00:00-04:00", "2")
		got, err := q.Course("p", []string{"29463-7"})
		require.NoError(t, err)
		var values []string
		for _, m := range got {
			values = append(values, m.Text)
		}
		require.Equal(t, []string{"91.0", "90.5", "90.0"}, values)
		return nil
	}))
}

// A line stands on the desk where its person stands: under the name of the record that
// theirs is read as part of, and under its own again when they are taken apart.
func TestALineStandsUnderTheNameOfItsPerson(t *testing.T) {
	s := stocked(t)
	require.NoError(t, s.Write(context.Background(), func(q *Q) error {
		require.NoError(t, q.AddPatient(chart.Patient{ID: "q", Record: "SK-2", Name: chart.Name{Family: "Abel", Given: "Yusuf"},
			BirthDate: "1974-01-30", Sex: "M"}))
		require.NoError(t, q.OpenLine("l1", line.Order, "o1", "p", "s", line.Waiting, noon))
		require.NoError(t, q.OpenLine("l2", line.Order, "o2", "q", "s", line.Waiting, noon))
		require.NoError(t, q.OpenLine("l3", line.Held, "1", "", "", line.Waiting, noon))
		order := func() (out []string) {
			all, err := q.OpenLinesOf([]string{"s"}, line.Kinds, Unowned{Kinds: line.Kinds}, "", 10)
			require.NoError(t, err)
			for _, l := range all {
				out = append(out, l.ID+" "+l.Patient.Name.Family)
			}
			return out
		}
		require.Equal(t, []string{"l3 ", "l2 Abel", "l1 Strand"}, order())
		m := Merge{ID: "m", KeptID: "p", OtherID: "q", Reason: "same", ByID: "s", At: noon}
		require.NoError(t, q.AddMerge(m))
		require.Equal(t, []string{"l3 ", "l1 Strand", "l2 Strand"}, order())
		require.NoError(t, q.TakeApart(m, "s", "two people", noon))
		require.Equal(t, []string{"l3 ", "l2 Abel", "l1 Strand"}, order())
		return nil
	}))
}
