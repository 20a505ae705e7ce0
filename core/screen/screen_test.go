package screen_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/screen"
	"deftledger/exchange/shipped"
)

func form(t *testing.T, id string) screen.Form {
	all, err := shipped.Screens()
	require.NoError(t, err)
	for _, f := range all {
		if f.ID == id {
			return f
		}
	}
	t.Fatal(id)
	return screen.Form{}
}

const not, several, half, every = "LA6568-5", "LA6569-3", "LA6570-1", "LA6571-9"

// nine answers PHQ-9: the first answers as given, the rest "not at all".
func nine(first ...string) map[string]string {
	out := map[string]string{}
	for i := range 9 {
		out[string(rune('1'+i))] = not
		if i < len(first) {
			out[string(rune('1'+i))] = first[i]
		}
	}
	return out
}

// The scores and bands are those of the papers named beside each form.
func TestScores(t *testing.T) {
	for name, x := range map[string]struct {
		form          string
		answers       map[string]string
		sex           string
		total, says   string
		positive, sos bool
	}{
		"nothing at all": {"phq-9", nine(), "F", "0", "minimal", false, false},
		"4 is minimal":   {"phq-9", nine(several, several, several, several), "F", "4", "minimal", false, false},
		"5 is mild":      {"phq-9", nine(several, several, several, several, several), "F", "5", "mild", false, false},
		"9 is mild":      {"phq-9", nine(every, every, every), "F", "9", "mild", false, false},
		"10 is moderate": {"phq-9", nine(every, every, every, several), "F", "10", "moderate", true, false},
		"15":             {"phq-9", nine(every, every, every, every, every), "F", "15", "moderately severe", true, false},
		"27":             {"phq-9", nine(every, every, every, every, every, every, every, every, every), "F", "27", "severe", true, true},
		"one answer of self-harm, all else nought": {"phq-9", nine(not, not, not, not, not, not, not, not, several), "M", "1", "minimal", false, true},
		"PHQ-2 of 2":                             {"phq-2", map[string]string{"1": several, "2": several}, "M", "2", "below the limit of 3", false, false},
		"PHQ-2 of 3":                             {"phq-2", map[string]string{"1": half, "2": several}, "M", "3", "3 or more: the PHQ-9 follows", true, false},
		"GAD-7 of 14":                            {"gad-7", map[string]string{"1": half, "2": half, "3": half, "4": half, "5": half, "6": half, "7": half}, "M", "14", "moderate", true, false},
		"never drinks: the others are not asked": {"audit-c", map[string]string{"1": "LA6270-8"}, "M", "0", "below the limit", false, false},
		"3 in a woman":                           {"audit-c", map[string]string{"1": "LA18927-6", "2": "LA15695-2", "3": "LA6270-8"}, "F", "3", "3 or more: drinking that may harm", true, false},
		"3 in a man":                             {"audit-c", map[string]string{"1": "LA18927-6", "2": "LA15695-2", "3": "LA6270-8"}, "M", "3", "below the limit", false, false},
		"4 in a man":                             {"audit-c", map[string]string{"1": "LA18928-4", "2": "LA15695-2", "3": "LA6270-8"}, "M", "4", "4 or more: drinking that may harm", true, false},
		"3, sex not recorded: the lower limit":   {"audit-c", map[string]string{"1": "LA18927-6", "2": "LA15695-2", "3": "LA6270-8"}, "U", "3", "3 or more: drinking that may harm", true, false},
		"12":                                     {"audit-c", map[string]string{"1": "LA18929-2", "2": "LA18932-6", "3": "LA18934-2"}, "M", "12", "4 or more: drinking that may harm", true, false},
	} {
		got, err := form(t, x.form).Score(x.answers, x.sex)
		require.NoError(t, err, name)
		require.Equal(t, []any{x.total, x.says, x.positive, x.sos}, []any{got.Total, got.Says, got.Positive, got.Alarm}, name)
	}
}

// What nobody answered is not nought: there is no score, and an alarm is told all the same.
func TestHalfAnsweredHasNoScore(t *testing.T) {
	f := form(t, "phq-9")
	got, err := f.Score(map[string]string{"9": several}, "F")
	require.NoError(t, err)
	require.Equal(t, "", got.Total)
	require.True(t, got.Alarm)
	require.Len(t, got.Missing, 8)
	require.Equal(t, "PHQ-9: not counted: 8 of 9 questions are not answered.", f.Says(got))
	got, err = form(t, "audit-c").Score(map[string]string{"1": "LA18926-8"}, "F")
	require.NoError(t, err)
	require.Len(t, got.Missing, 2, "who drinks is asked the others")
	for _, bad := range []map[string]string{{"1": "LA0-0"}, {"12": not}, {"1": "3"}} {
		_, err := f.Score(bad, "F")
		require.Error(t, err)
	}
	named := form(t, "developmental-screen")
	_, err = named.Score(map[string]string{"total": "many"}, "F")
	require.Error(t, err)
	got, err = named.Score(map[string]string{"name": "A form", "total": "45", "result": "on-track"}, "F")
	require.NoError(t, err)
	require.Equal(t, "kept", got.Says, "its own limits say what it means")
}

func TestAFormThatCannotBe(t *testing.T) {
	good := form(t, "phq-2")
	for name, change := range map[string]func(*screen.Form){
		"twice":       func(f *screen.Form) { f.Items[1].Link = f.Items[0].Link },
		"no licence":  func(f *screen.Form) { f.Source.Licence = "" },
		"no bands":    func(f *screen.Form) { f.Bands = nil },
		"alarm":       func(f *screen.Form) { f.Alarm = "9" },
		"bands":       func(f *screen.Form) { f.Bands[0].From = 5 },
		"one answer":  func(f *screen.Form) { f.Items[0].Options = f.Items[0].Options[:1] },
		"depends":     func(f *screen.Form) { f.Items[0].When = &screen.AskedWhen{Link: "2"} },
		"no question": func(f *screen.Form) { f.Items = nil },
	} {
		f := form(t, "phq-2")
		require.NoError(t, good.Check())
		change(&f)
		require.Error(t, f.Check(), name)
	}
}

// Milestones tell what is not yet there and what was not asked; that all of those asked are there is no word on the others.
func TestMilestonesTellWhatIsNotYetThere(t *testing.T) {
	f := form(t, "milestones-9-months")
	answers := map[string]string{}
	for _, i := range f.Items {
		answers[i.Link] = "yes"
	}
	s, err := f.Score(answers, "F")
	require.NoError(t, err)
	require.Equal(t, "Milestones at 9 months: 13 of 13 as expected.", f.Says(s))
	require.Empty(t, s.Total, "it is no score")
	answers["13"], answers["10"] = "not-yet", "not-sure"
	delete(answers, "1")
	s, err = f.Score(answers, "F")
	require.NoError(t, err)
	require.Equal(t, "Milestones at 9 months: not sure: Gets to a sitting position alone; not yet: Sits without support; 1 not answered.", f.Says(s))
	s, err = f.Score(map[string]string{"1": "yes"}, "F")
	require.NoError(t, err)
	require.Equal(t, "Milestones at 9 months: 1 of 13 as expected; 12 not answered.", f.Says(s))
}
