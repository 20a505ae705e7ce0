package coding_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/coding"
)

func problems(kinds ...coding.ProblemKind) (out []coding.Addressed) {
	for _, k := range kinds {
		out = append(out, coding.Addressed{Code: "I10", Kind: k})
	}
	return out
}

// Each row of the published table, with the reasoning beside it: two of three elements
// decide. Worked out by hand from the guidelines.
func TestVisitLevels(t *testing.T) {
	type f = coding.Facts
	for _, c := range []struct {
		name  string
		facts f
		code  string
		data  string // weight of the data element
		why   string // in the problems element
	}{
		{"one minor problem, nothing else", f{Problems: problems(coding.Minor), Risk: "minimal"}, "99212", "straightforward", "one self-limited"},
		{"the same, new patient", f{New: true, Problems: problems(coding.Minor), Risk: "minimal"}, "99202", "straightforward",
			"one self-limited"},
		{"two minor problems and low risk", f{Problems: problems(coding.Minor, coding.Minor), Risk: "low"}, "99213", "straightforward",
			"2 × self-limited"},
		{"two minor problems, minimal risk: one element of three", f{Problems: problems(coding.Minor, coding.Minor), Risk: "minimal"}, "99212",
			"straightforward", "2 ×"},
		{"one stable chronic illness and low risk", f{Problems: problems(coding.StableChronic), Risk: "low"}, "99213", "straightforward",
			"one stable chronic"},
		{"one stable chronic illness, prescription: problems hold it at low", f{Problems: problems(coding.StableChronic), Risk: "prescription"},
			"99213", "straightforward", "one stable"},
		{"the same with two results reviewed", f{Problems: problems(coding.StableChronic), Results: 2, Risk: "prescription"}, "99213", "low",
			"one stable"},
		{"two stable chronic illnesses and prescription", f{Problems: problems(coding.StableChronic, coding.StableChronic), Risk: "prescription"},
			"99214", "straightforward", "2 × stable chronic"},
		{"the same, new patient", f{New: true, Problems: problems(coding.StableChronic, coding.StableChronic), Risk: "prescription"}, "99204",
			"straightforward", "2 × stable"},
		{"acute uncomplicated illness, over-the-counter: low risk", f{Problems: problems(coding.AcuteSimple), Risk: "low"}, "99213",
			"straightforward", "one acute, uncomplicated"},
		{"acute uncomplicated illness with antibiotic: problems hold it at low", f{Problems: problems(coding.AcuteSimple), Risk: "prescription"},
			"99213", "straightforward", "one acute"},
		{"acute uncomplicated illness, antibiotic, two tests ordered", f{Problems: problems(coding.AcuteSimple), Orders: 2, Risk: "prescription"},
			"99213", "low", "one acute"},
		{"stable acute illness, low risk", f{Problems: problems(coding.StableAcute), Risk: "low"}, "99213", "straightforward",
			"one stable, acute"},
		{"chronic illness worse, prescription", f{Problems: problems(coding.ChronicWorse), Risk: "prescription"}, "99214", "straightforward",
			"exacerbation"},
		{"chronic illness worse, low risk, no data", f{Problems: problems(coding.ChronicWorse), Risk: "low"}, "99213", "straightforward",
			"exacerbation"},
		{"chronic illness worse, low risk, three data", f{Problems: problems(coding.ChronicWorse), Results: 1, Orders: 2, Risk: "low"}, "99214",
			"moderate", "exacerbation"},
		{"undiagnosed new problem, prescription", f{Problems: problems(coding.Undiagnosed), Risk: "prescription"}, "99214", "straightforward",
			"uncertain prognosis"},
		{"acute illness with systemic symptoms, prescription", f{Problems: problems(coding.AcuteSystemic), Risk: "prescription"}, "99214",
			"straightforward", "systemic"},
		{"acute complicated injury, decision on minor surgery with risk", f{Problems: problems(coding.AcuteComplex), Risk: "minor surgery"},
			"99214", "straightforward", "complicated injury"},
		{"elective major surgery without risk factors is moderate", f{Problems: problems(coding.ChronicWorse), Risk: "major surgery"}, "99214",
			"straightforward", "exacerbation"},
		{"social determinants are moderate risk", f{Problems: problems(coding.StableChronic, coding.StableChronic), Risk: "social"}, "99214",
			"straightforward", "2 ×"},
		{"severe exacerbation, hospitalization", f{Problems: problems(coding.ChronicSevere), Risk: "hospital"}, "99215",
			"straightforward", "severe"},
		{"threat to life, hospitalization, new patient", f{New: true, Problems: problems(coding.Threat), Risk: "hospital"}, "99205",
			"straightforward", "threat"},
		{"threat to life, prescription only: two of three at moderate", f{Problems: problems(coding.Threat), ExternalNotes: 1, Results: 1,
			Orders: 1, Risk: "prescription"}, "99214", "moderate", "threat"},
		{"threat to life and extensive data", f{Problems: problems(coding.Threat), Orders: 3, Interpretation: true, Risk: "prescription"},
			"99215", "high", "threat"},
		{"intensive monitoring for toxicity and severe exacerbation", f{Problems: problems(coding.ChronicSevere), Risk: "toxicity"}, "99215",
			"straightforward", "severe"},
		{"toxicity alone does not lift one stable illness above low", f{Problems: problems(coding.StableChronic), Risk: "toxicity"}, "99213",
			"straightforward", "one stable"},
		{"elective major surgery with risk factors", f{Problems: problems(coding.ChronicSevere), Risk: "major surgery with risk"}, "99215",
			"straightforward", "severe"},
		{"emergency surgery", f{Problems: problems(coding.Threat), Risk: "emergency surgery"}, "99215", "straightforward", "threat"},
		{"decision not to resuscitate", f{Problems: problems(coding.ChronicSevere), Risk: "not to resuscitate"}, "99215",
			"straightforward", "severe"},
		{"parenteral controlled substance", f{Problems: problems(coding.Threat), Risk: "parenteral"}, "99215", "straightforward", "threat"},
		{"an independent historian alone is limited data", f{Problems: problems(coding.AcuteSimple), Historian: true, Risk: "minimal"}, "99213",
			"low", "one acute"},
		{"independent interpretation alone is moderate data", f{Problems: problems(coding.ChronicWorse), Interpretation: true, Risk: "low"},
			"99214", "moderate", "exacerbation"},
		{"discussion alone is moderate data", f{Problems: problems(coding.ChronicWorse), Discussion: true, Risk: "low"}, "99214", "moderate",
			"exacerbation"},
		{"two notes and a historian make three", f{Problems: problems(coding.ChronicWorse), ExternalNotes: 2, Historian: true, Risk: "low"},
			"99214", "moderate", "exacerbation"},
		{"interpretation and discussion are extensive", f{Problems: problems(coding.ChronicSevere), Interpretation: true, Discussion: true,
			Risk: "low"}, "99215", "high", "severe"},
		{"one result is minimal data", f{Problems: problems(coding.StableChronic), Results: 1, Risk: "minimal"}, "99212", "straightforward",
			"one stable"},
		{"nothing documented", f{}, "", "straightforward", "no problem"},
		{"problems that nobody rated support nothing", f{Problems: problems(coding.Unrated)}, "", "straightforward", "say of each problem"},
		{"nor with a risk beside them", f{Problems: problems(coding.Unrated), Orders: 3, Risk: "prescription"}, "", "moderate",
			"say of each problem"},
		{"an unrated problem beside a rated one", f{Problems: problems(coding.Unrated, coding.StableChronic), Risk: "low"}, "99213",
			"straightforward", "one stable chronic"},
		{"an unknown risk counts for nothing", f{Problems: problems(coding.StableChronic), Risk: "grave"}, "99212", "straightforward",
			"one stable"},
	} {
		l := coding.VisitLevel(c.facts)
		require.Equal(t, c.code, l.Code, c.name)
		require.Equal(t, c.data, l.Elements[1].Weight, c.name)
		require.Contains(t, l.Elements[0].Why, c.why, c.name)
		require.Len(t, l.Elements, 3)
		require.NotEmpty(t, l.Says)
	}
}

// The least total minutes on the day of the visit (2024).
func TestVisitLevelsByTime(t *testing.T) {
	for _, c := range []struct {
		fresh   bool
		minutes int
		code    string
	}{
		{true, 14, ""}, {true, 15, "99202"}, {true, 29, "99202"}, {true, 30, "99203"}, {true, 44, "99203"}, {true, 45, "99204"},
		{true, 59, "99204"}, {true, 60, "99205"},
		{false, 9, ""}, {false, 10, "99212"}, {false, 19, "99212"}, {false, 20, "99213"}, {false, 29, "99213"}, {false, 30, "99214"},
		{false, 39, "99214"}, {false, 40, "99215"}, {false, 400, "99215"},
	} {
		l := coding.VisitLevel(coding.Facts{New: c.fresh, Minutes: c.minutes})
		require.Equal(t, c.code, l.ByTime)
		require.Equal(t, c.code, l.Code)
		if c.code != "" {
			require.Equal(t, "time", l.By)
		}
	}
	// The better supported of the two counts, and says which.
	l := coding.VisitLevel(coding.Facts{Problems: problems(coding.ChronicWorse), Risk: "prescription", Minutes: 20})
	require.Equal(t, "99214", l.Code)
	require.Equal(t, "decision making", l.By)
	require.Equal(t, "99213", l.ByTime)
	l = coding.VisitLevel(coding.Facts{Problems: problems(coding.Minor), Risk: "minimal", Minutes: 40})
	require.Equal(t, "99215", l.Code)
	require.Equal(t, "time", l.By)
	require.Contains(t, l.Says, "40 minutes")
}

// Documenting more never lowers the level, and one element alone never raises it.
func TestMoreDocumentedNeverLowersALevel(t *testing.T) {
	kinds, _ := coding.ProblemKinds()
	rapid.Check(t, func(t *rapid.T) {
		draw := func() coding.Facts {
			f := coding.Facts{ExternalNotes: rapid.IntRange(0, 3).Draw(t, "notes"), Results: rapid.IntRange(0, 3).Draw(t, "results"),
				Orders: rapid.IntRange(0, 3).Draw(t, "orders"), Historian: rapid.Bool().Draw(t, "historian"),
				Minutes: rapid.IntRange(0, 70).Draw(t, "minutes")}
			for range rapid.IntRange(0, 3).Draw(t, "problems") {
				f.Problems = append(f.Problems, coding.Addressed{Kind: rapid.SampledFrom(kinds).Draw(t, "kind")})
			}
			if i := rapid.IntRange(-1, len(coding.Risks)-1).Draw(t, "risk"); i >= 0 {
				f.Risk = coding.Risks[i].Kind
			}
			return f
		}
		f := draw()
		before := coding.VisitLevel(f)
		more := f
		more.Problems = append(append([]coding.Addressed{}, f.Problems...), coding.Addressed{Kind: rapid.SampledFrom(kinds).Draw(t, "more")})
		more.Orders++
		more.Minutes += 5
		require.GreaterOrEqual(t, coding.VisitLevel(more).Code, before.Code)
		bare := coding.Facts{Problems: f.Problems}
		require.LessOrEqual(t, coding.VisitLevel(bare).ByMaking, "99212", "problems alone, with no risk said, support the lowest level at most")
	})
}

// What a code may be, by the words of its title.
func TestTheCourseOfACode(t *testing.T) {
	for code, want := range map[string]coding.Course{"I10": coding.Lasting, "E11.9": coding.Lasting, "J44.9": coding.Lasting, "J44.1": coding.Lasting,
		"M17.11": coding.Lasting, "S93.401A": coding.Passing, "J06.9": coding.Passing, "N30.00": coding.Passing, "H66.001": coding.Passing, "H66.91": coding.Either, "R05.9": coding.Either,
		"M54.50": coding.Either, "F32.A": coding.Lasting, "D64.9": coding.Either, "Z00.00": coding.Either, "K59.00": coding.Either, "nonsense": coding.Either} {
		require.Equal(t, want, coding.CourseOf(code), code)
	}
}
