package screen_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/screen"
)

// Answers as other systems send them, written before they were read here: by our links, by LOINC with and without a
// slash, by score, by words, half, twice, with a score of their own, with a question nobody asks.
func TestAnswersOfOthers(t *testing.T) {
	two := form(t, "phq-2")
	for name, x := range map[string]struct {
		given   []screen.Given
		total   string
		problem string
	}{
		"our links, LOINC answers":        {[]screen.Given{{Link: "1", Code: "LA6569-3", Text: "Several days"}, {Link: "2", Code: "LA6568-5"}}, "1", ""},
		"LOINC links with a slash":        {[]screen.Given{{Link: "/44250-9", Code: "LA6571-9"}, {Link: "/44255-8", Code: "LA6570-1"}}, "5", ""},
		"scores as numbers":               {[]screen.Given{{Link: "44250-9", Number: "2"}, {Link: "44255-8", Number: "0"}}, "2", ""},
		"a score that is no answer":       {[]screen.Given{{Link: "44250-9", Number: "4"}, {Link: "44255-8", Number: "0"}}, "", `"4" is no answer`},
		"half a score":                    {[]screen.Given{{Link: "44250-9", Number: "1.5"}, {Link: "44255-8", Number: "0"}}, "", `"1.5" is no answer`},
		"words only":                      {[]screen.Given{{Link: "1", Text: "not at all"}, {Link: "2", Text: "Nearly every day "}}, "3", ""},
		"words nobody offers":             {[]screen.Given{{Link: "1", Text: "sometimes"}, {Link: "2", Text: "Not at all"}}, "", `"sometimes" is no answer`},
		"a code of another list":          {[]screen.Given{{Link: "1", Code: "at0005", Text: "Several days"}, {Link: "2", Code: "LA6568-5"}}, "1", ""},
		"a code of another list, a score": {[]screen.Given{{Link: "1", Code: "3", Number: "3"}, {Link: "2", Code: "LA6568-5"}}, "", "is no answer"},
		"half answered":                   {[]screen.Given{{Link: "1", Code: "LA6569-3"}}, "", ""},
		"twice the same":                  {[]screen.Given{{Link: "1", Code: "LA6569-3"}, {Link: "/44250-9", Number: "1"}, {Link: "2", Number: "0"}}, "1", ""},
		"twice and otherwise":             {[]screen.Given{{Link: "1", Code: "LA6569-3"}, {Link: "1", Code: "LA6568-5"}, {Link: "2", Number: "0"}}, "", "answered twice"},
		"their score agrees":              {[]screen.Given{{Link: "1", Number: "1"}, {Link: "2", Number: "1"}, {Link: "/55758-7", Number: "2"}}, "2", ""},
		"their score is another":          {[]screen.Given{{Link: "1", Number: "1"}, {Link: "2", Number: "1"}, {Link: "/55758-7", Number: "4"}}, "2", "the score that came along is 4, the answers count 2"},
		"a question it does not ask":      {[]screen.Given{{Link: "1", Number: "1"}, {Link: "2", Number: "1"}, {Link: "9", Number: "2"}}, "2", `does not ask "9"`},
		"nothing":                         {nil, "", "nothing is answered"},
	} {
		t.Run(name, func(t *testing.T) {
			answers, problems, _ := two.Read(x.given, "F")
			if x.problem == "" {
				require.Empty(t, problems)
			} else {
				require.Len(t, problems, 1)
				require.Contains(t, problems[0], x.problem)
			}
			scored, err := two.Score(answers, "F")
			require.NoError(t, err)
			if x.problem == "" || x.total != "" {
				require.Equal(t, x.total, scored.Total)
			}
		})
	}
	nine := form(t, "phq-9")
	_, problems, alarm := nine.Read([]screen.Given{{Link: "/44260-8", Number: "1"}}, "F")
	require.Empty(t, problems)
	require.True(t, alarm, "the ninth question of another maker speaks of self-harm too")
	_, problems, alarm = nine.Read([]screen.Given{{Link: "9", Text: "on some days"}}, "F")
	require.NotEmpty(t, problems)
	require.True(t, alarm, "an answer to it that cannot be read is asked about at once")
	_, _, alarm = nine.Read([]screen.Given{{Link: "9", Code: not}, {Link: "9", Code: every}}, "F")
	require.True(t, alarm, "answered twice, the graver counts for the alarm")
	_, _, alarm = nine.Read([]screen.Given{{Link: "9", Code: not}}, "F")
	require.False(t, alarm)
	require.True(t, nine.IsFor("http://loinc.org/q/44249-1"))
	require.True(t, nine.IsFor("https://deftledger.example/fhir/Questionnaire/phq-9"))
	require.False(t, nine.IsFor("https://deftledger.example/fhir/Questionnaire/phq-2"))
	require.False(t, nine.IsFor(""))
}
