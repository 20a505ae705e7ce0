package note

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestListsCountsAndSentences(t *testing.T) {
	require.Equal(t, "", List(nil, "and"))
	require.Equal(t, "fever", List([]string{"fever"}, "and"))
	require.Equal(t, "fever and chills", List([]string{"fever", "chills"}, "and"))
	require.Equal(t, "fever, chills or rash", List([]string{"fever", "chills", "rash"}, "or"))
	for in, want := range map[string]string{"": "", " ": "", "denies  fever ,": "Denies fever.", "already.": "Already.", "really?": "Really?",
		"élan": "Élan."} {
		require.Equal(t, want, Sentence(in))
	}
	for _, c := range [][3]string{{"0", "fall", "no falls"}, {"1", "fall", "one fall"}, {"10", "fall", "ten falls"},
		{"11", "fall", "11 falls"}, {"1.5", "day", "1.5 days"}} {
		require.Equal(t, c[2], Count(c[0], c[1]))
	}
	for in, want := range map[string]string{"2 d": "two days", "1 wk": "one week", "3mo": "", "90 min": "90 minutes", "2 parsec": "2 parsec"} {
		if want != "" {
			require.Equal(t, want, Duration(in))
		}
	}
	for in, want := range map[string]string{"2d": "2 d", "3 weeks": "3 wk", "4w": "4 wk", "1.5 y": "1.5 a", "90 min": "90 min",
		"2 hrs": "2 h"} {
		got, ok := ReadDuration(in)
		require.True(t, ok, in)
		require.Equal(t, want, got)
	}
	for _, in := range []string{"", "d", "2", ".5 d", "2. d", "1.2.3 d", "two days", "2 moons"} {
		_, ok := ReadDuration(in)
		require.False(t, ok, in)
	}
}

// Two sentences are the same only when nothing that matters differs.
func TestSame(t *testing.T) {
	require.Equal(t, same("Rest, and ice."), same("rest, and  ice"))
	require.Equal(t, same("“Rest”"), same("Rest"))
	for _, pair := range [][2]string{{"Colchicine 0.6 mg", "Colchicine 6 mg"}, {"T > 38", "T < 38"}, {"1.2 mg", "12 mg"}, {"-2", "2"},
		{"50 %", "50"}, {"left", "right"}} {
		require.NotEqual(t, same(pair[0]), same(pair[1]), pair)
	}
}

func TestPhrases(t *testing.T) {
	e := func() evaluation {
		return evaluation{person: "A man", texts: map[string]string{"a": "pain", "b": "two days"}, numbers: map[string]string{"n": "2"},
			yes:   map[string]bool{"y": true, "z": false},
			known: map[string]Origin{"a": Chosen, "b": Chosen, "n": Chosen, "y": Chosen, "z": Chosen}}
	}
	for _, c := range []struct {
		template, want string
		ok             bool
	}{
		{"{Patient} with {a}[ for {b}].", "A man with pain for two days.", true},
		{"{Patient} with {a}[ for {missing}].", "A man with pain.", true},
		{"With {missing}.", "", false},
		{"With {missing|something}.", "With something.", true},
		{"{n:fall}.", "two falls.", true},
		{"{y?Smokes[ {b}].|Does not smoke.}", "Smokes two days.", true},
		{"{z?Smokes.|Does not smoke[ {missing}].}", "Does not smoke.", true},
		{"[{a} [and {missing}]]", "pain ", true},
		{"Plain.", "Plain.", true},
	} {
		p, err := parsePhrase(c.template)
		require.NoError(t, err, c.template)
		ev := e()
		got, ok := ev.write(p.nodes)
		require.Equal(t, c.ok, ok, c.template)
		if ok {
			require.Equal(t, c.want, got, c.template)
		}
	}
	for _, bad := range []string{"{a", "a}", "[a", "a]", "{}", "{a?b}", "{a?b|c", "{a|b", "{a:b", "[{a]}", "{a?{b|c}"} {
		_, err := parsePhrase(bad)
		require.Error(t, err, bad)
	}
}

func TestConditions(t *testing.T) {
	yes, no := true, false
	five := 5.0
	for _, c := range []struct {
		name    string
		q       Question
		given   []Answer
		enabled bool
	}{
		{"none", Question{}, nil, true},
		{"boolean", Question{EnableWhen: []Condition{{"x", "=", &yes, nil, nil, nil, nil}}}, []Answer{{Yes: &yes}}, true},
		{"boolean not", Question{EnableWhen: []Condition{{"x", "=", &yes, nil, nil, nil, nil}}}, []Answer{{Yes: &no}}, false},
		{"unanswered", Question{EnableWhen: []Condition{{"x", "!=", &yes, nil, nil, nil, nil}}}, nil, false},
		{"exists", Question{EnableWhen: []Condition{{"x", "exists", &yes, nil, nil, nil, nil}}}, []Answer{{Code: "a"}}, true},
		{"exists not", Question{EnableWhen: []Condition{{"x", "exists", &no, nil, nil, nil, nil}}}, nil, true},
		{"one of several", Question{EnableWhen: []Condition{{"x", "=", nil, &Coding{Code: "b"}, nil, nil, nil}}},
			[]Answer{{Code: "a"}, {Code: "b"}}, true},
		{"number", Question{EnableWhen: []Condition{{"x", ">=", nil, nil, nil, &five, nil}}}, []Answer{{Number: "5"}}, true},
		{"number below", Question{EnableWhen: []Condition{{"x", ">", nil, nil, nil, &five, nil}}}, []Answer{{Number: "5"}}, false},
		{"no number", Question{EnableWhen: []Condition{{"x", "<", nil, nil, nil, &five, nil}}}, []Answer{{Text: "few"}}, false},
		{"all", Question{EnableWhen: []Condition{{"x", "=", &yes, nil, nil, nil, nil}, {"y", "=", &yes, nil, nil, nil, nil}}},
			[]Answer{{Yes: &yes}}, false},
		{"any", Question{EnableBehavior: "any", EnableWhen: []Condition{{"x", "=", &yes, nil, nil, nil, nil},
			{"y", "=", &yes, nil, nil, nil, nil}}}, []Answer{{Yes: &yes}}, true},
	} {
		require.Equal(t, c.enabled, c.q.enabled(map[string][]Answer{"x": c.given}), c.name)
	}
}

func TestQualifiersStandWhereTheyBelong(t *testing.T) {
	ear := Item{Say: "ear pain", Sided: "before"}
	tender := Item{Say: "tenderness", Sided: "after", Pre: []string{"medial"}, Post: []string{"of the knee"}}
	require.Equal(t, "severe left ear pain for two days", ear.Phrase(Finding{Side: "left", Severity: "severe", Duration: "2 d"}))
	require.Equal(t, "bilateral ear pain", ear.Phrase(Finding{Side: "both"}))
	require.Equal(t, "mild medial tenderness of the knee on the right (after work)",
		tender.Phrase(Finding{Side: "right", Severity: "mild", Words: []string{"medial", "of the knee"}, Remark: "after work"}))
}

func TestDrawingsAreMadeFromNumbersAlone(t *testing.T) {
	svg, err := DrawSVG("front", `[{"color":"ink","points":[[1,2,0],[3,4,1]]},{"color":"blue","points":[[5,5,0.5]]}]`)
	require.NoError(t, err)
	require.Contains(t, svg, `<line x1="1.0" y1="2.0" x2="3.0" y2="4.0" stroke-width="4.0"/>`)
	require.Contains(t, svg, `stroke-width="2.5"/>`, "a single point is seen")
	for o := range Outlines {
		_, err := DrawSVG(o, "")
		require.NoError(t, err, o)
	}
	for _, bad := range []string{`[{"color":"","points":[]}]`, `[{"color":"ink","points":[[1,2]]}]extra`,
		`[{"color":"ink","points":[[-500,0,0]]}]`, `"x"`} {
		_, err := DrawSVG("", bad)
		require.Error(t, err, bad)
	}
	require.InDelta(t, 1, PenWidth(-3), 0)
	require.InDelta(t, 4, PenWidth(9), 0)
}

func TestPointsThatStopComeFirst(t *testing.T) {
	s := &Systems{}
	d := Draft{Typed: map[Part]string{Subjective: "s"}, Brought: []Brought{{ID: "1", Part: Subjective, Text: "Walks.", Origin: Carried},
		{ID: "2", Part: Plan, Text: "Rest.", Origin: Carried}}}
	points := s.Close(d, 1, VisitKind{Name: "Nurse visit", Requires: []string{"subjective", "plan"}})
	require.Len(t, points, 2)
	require.Equal(t, []bool{true, false}, []bool{points[0].Stops, points[1].Stops})
	require.Equal(t, "brought.2", points[0].Ref)
}

func TestKindsAndSnippetsAreChecked(t *testing.T) {
	s := &Systems{}
	require.Error(t, (&VisitKind{}).Check(s))
	require.Error(t, (&VisitKind{ID: "x", Name: "X", Shows: []string{"song"}}).Check(s))
	require.Error(t, (&VisitKind{ID: "x", Name: "X", Review: []string{"tail"}}).Check(s))
	k := VisitKind{ID: "x", Name: "X", Requires: []string{"plan", "diagnosis"}}
	require.NoError(t, k.Check(s))
	require.NotNil(t, k.Shows, "lists are never null")
	for _, bad := range []Snippet{{Key: "x", Text: "a"}, {Key: "two words", Text: "a"}, {Key: "ok", Text: " "}, {Key: "ok", Text: "{a{b}}"},
		{Key: "ok", Text: "a}"}, {Key: "ok", Text: "{a"}} {
		require.Error(t, bad.Check(), "%+v", bad)
	}
	require.NoError(t, Snippet{Key: "ok2", Text: "For {days|two|three} days."}.Check())
}
