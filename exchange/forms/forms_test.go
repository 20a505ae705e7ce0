package forms

import (
	"encoding/json"
	"io/fs"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/note"
	"deftledger/data"
)

func read(t testing.TB, name string) string {
	t.Helper()
	b, err := fs.ReadFile(data.Forms, name)
	require.NoError(t, err)
	return string(b)
}

// Every way in which a form can be wrong is told with its file and line.
func TestFaultsHaveALine(t *testing.T) {
	s, err := Systems("systems.yaml", read(t, "findings/systems.yaml"))
	require.NoError(t, err)
	q, prose := read(t, "interviews/cough.json"), read(t, "interviews/cough.prose.yaml")
	for _, c := range []struct {
		name, q, p string // replaced as "from→to"
		want       string
	}{
		{"twice", `"linkId": "night"→"linkId": "course"`, "", `questionnaire, line`},
		{"unknown type", `"type": "boolean"→"type": "hologram"`, "", `hologram`},
		{"depends on nothing", `"question": "kind"→"question": "kinds"`, "", `depends on "kinds", which is not asked`},
		{"operator", `"operator": "="→"operator": "~"`, "", `no operator`},
		{"unknown symptom", `finding/review/constitutional.fever→finding/review/constitutional.feverish`, "",
			`symptom "constitutional.feverish"`},
		{"no resource", `"resourceType": "Questionnaire"→"resourceType": "Patient"`, "", `no FHIR Questionnaire`},
		{"broken", `"item": [→"item": [[`, "", `questionnaire, line`},
		{"prose names what is not asked", "", `{course}→{curse}`, `names "curse", which is not asked`},
		{"open bracket", "", `{Patient} with [→{Patient} with [[`, `bracket is not closed`},
		{"unknown system", "", `examination: [general→examination: [tail`, `no system "tail"`},
		{"unknown key", "", `plan:→plans:`, `prose, line`},
		{"another's prose", "", `interview: cough→interview: fever`, `is that of "fever"`},
		{"complaint", "", `complaint: [respiratory.cough]→complaint: [respiratory.coughs]`, `no symptom`},
	} {
		bad := func(text, change string) string {
			if change == "" {
				return text
			}
			from, to, _ := strings.Cut(change, "→")
			require.Contains(t, text, from, c.name)
			return strings.Replace(text, from, to, 1)
		}
		_, err := Interview("cough", 2, bad(q, c.q), bad(prose, c.p), s)
		var f *Fault
		require.ErrorAs(t, err, &f, c.name)
		require.ErrorContains(t, err, c.want, c.name)
		if c.name != "another's prose" {
			require.Greater(t, f.Line, 0, "%s: %v", c.name, err)
		}
	}
	_, err = Interview("cough", 2, q, prose, s)
	require.NoError(t, err)
	_, err = Systems("s", strings.Replace(read(t, "findings/systems.yaml"), ", sided: before", ", sided: sideways", 1))
	require.ErrorContains(t, err, "sideways")
	_, err = Systems("s", "")
	require.Error(t, err)
	_, err = Kinds("k", "kinds:\n- {id: x, name: X, requires: [poetry]}\n", s)
	require.ErrorContains(t, err, "poetry")
	_, err = Kinds("k", "kinds: []\n", s)
	require.Error(t, err)
	_, err = Snippets("s", "snippets:\n- {key: ok, text: \"{open\"}\n")
	require.ErrorContains(t, err, "not closed")
	_, err = Snippets("s", "snippets:\n- {key: \"No\", text: x}\n")
	require.ErrorContains(t, err, "small letters")
	_, err = Snippets("s", "snippets:\n- {key: aa, text: x}\n- {key: aa, text: y}\n")
	require.ErrorContains(t, err, "twice")
	_, err = Snippets("s", "a: &a [x]\nsnippets: [*a, *a]\n")
	require.ErrorContains(t, err, "line 1: references")
	_, err = Snippets("s", strings.Repeat("#", Limit+1))
	require.ErrorContains(t, err, "larger")
}

func TestAnAnswerIsAddedAndTheRestStays(t *testing.T) {
	s, err := Systems("systems.yaml", read(t, "findings/systems.yaml"))
	require.NoError(t, err)
	q := read(t, "interviews/back-pain.json")
	more, err := AddOption(q, "trigger", "Carrying a child")
	require.NoError(t, err)
	require.True(t, json.Valid([]byte(more)))
	v, err := Interview("back-pain", 2, more, read(t, "interviews/back-pain.prose.yaml"), s)
	require.NoError(t, err)
	require.NoError(t, v.Check("trigger", nil))
	require.Equal(t, strings.Count(q, "\n"), strings.Count(more, "\n"), "line by line as it was")
	require.Contains(t, more, `{"valueCoding":{"code":"carrying-a-child","display":"Carrying a child"}}]`)
	_, err = AddOption(more, "trigger", "carrying a child")
	require.ErrorContains(t, err, "offered already")
	_, err = AddOption(q, "bladder", "Perhaps")
	require.ErrorContains(t, err, "offers no answers")
	_, err = AddOption(q, "nowhere", "x")
	require.Error(t, err)
}

func FuzzInterview(f *testing.F) {
	s, err := Systems("systems.yaml", read(f, "findings/systems.yaml"))
	require.NoError(f, err)
	f.Add(read(f, "interviews/cough.json"), read(f, "interviews/cough.prose.yaml"))
	f.Add(`{"resourceType":"Questionnaire","url":"u","title":"t","item":[{"linkId":"a","text":"A?","type":"boolean"}]}`,
		"prose:\n- \"{a?yes|no}\"\n")
	f.Add("a: &a [*a]", "prose: [\"{\"]")
	f.Fuzz(func(t *testing.T, q, p string) {
		v, err := Interview("x", 2, q, p, s)
		if err == nil {
			v.Write(s, nil, nil, "A person", note.Of{Months: -1})
			v.Asks(nil, note.Of{Months: -1})
		}
	})
}
