package cql_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/reminder"
	"deftledger/data"
	"deftledger/exchange/cql"
	"deftledger/exchange/rulefile"
	"deftledger/exchange/shipped"
)

func open(t *testing.T) (rulefile.Source, *reminder.Book, reminder.Knows) {
	source, err := shipped.RuleSource()
	require.NoError(t, err)
	book, faults := source.Book(nil)
	require.Empty(t, faults)
	medicines, err := shipped.Medicines(data.Medicines)
	require.NoError(t, err)
	return source, book, func(name string) ([]string, []string) { return medicines.Classes(name), medicines.Ingredients(name) }
}

func exported(t *testing.T, mixed int) cql.Exported {
	source, book, knows := open(t)
	x := cql.Exported{Book: book, Measures: source.Measures, Sets: source.Sets, Medicine: knows, Mixed: mixed}
	for i := range source.Files {
		x.Rules = append(x.Rules, &source.Files[i].Rule)
	}
	return x
}

// Everything that is written for another engine: the libraries include what there is, each line of what is expected names a library and a
// chart, and the rules that cannot be written are named.
func TestTheExport(t *testing.T) {
	files := map[string]string{}
	written, err := exported(t, 20).Write(func(name string, body []byte) error { files[name] = string(body); return nil })
	require.NoError(t, err)
	require.Greater(t, written, 80)
	states := map[string]int{}
	for _, list := range []string{"expected.tsv", "measures.tsv"} {
		for line := range strings.Lines(files[list]) {
			f := strings.Split(strings.TrimSpace(line), "\t")
			require.Len(t, f, 4)
			require.NotEmpty(t, files[f[0]+".cql"])
			require.NotEmpty(t, files[f[1]+".json"])
			states[f[3]]++
		}
	}
	for _, s := range []string{"due", "satisfied", "not applicable", "not known", "met", "missed", "excluded", "not concerned"} {
		require.Greater(t, states[s], 3, s)
	}
	for line := range strings.Lines(files["cannot.tsv"]) {
		require.Len(t, strings.Split(strings.TrimSpace(line), "\t"), 2)
	}
	require.Contains(t, files["cannot.tsv"], "lung-cancer\ttobacco, which is read from words")
	_, err = exported(t, 0).Write(func(string, []byte) error { return os.ErrPermission })
	require.ErrorIs(t, err, os.ErrPermission)
}

// Libraries are what they were when a person read them: one of each kind that differs, whole.
func TestALibraryReads(t *testing.T) {
	source, _, _ := open(t)
	for _, name := range []string{"colorectal-cancer", "hepatitis-c", "cervical-cancer", "diabetes-screening"} {
		for _, f := range source.Files {
			if f.Rule.ID != name {
				continue
			}
			path := filepath.Join("testdata", name+".cql")
			got := cql.Write(&f.Rule, source.Sets, nil).Text
			if os.Getenv("DEFTLEDGER_CQL") != "" {
				require.NoError(t, os.WriteFile(path, []byte(got), 0o600))
			}
			want, err := os.ReadFile(path)
			require.NoError(t, err)
			require.Equal(t, string(want), got, "read it, and write it anew with DEFTLEDGER_CQL=<folder>")
		}
	}
}

// What a practice set for itself stands in the library; what cannot be written is named, and never silently left out.
func TestWhatALibraryHolds(t *testing.T) {
	source, _, _ := open(t)
	for _, f := range source.Files {
		r := f.Rule
		l := cql.Write(&r, source.Sets, map[string]string{"start": "50 years"})
		switch {
		case r.ID == "colorectal-cancer":
			require.Contains(t, l.Text, `C."After Years"(C."Born First"(Patient), 50)`)
		case r.Series != "":
			require.Equal(t, []string{"a vaccine series with its paths and least intervals"}, l.Cannot)
			require.Empty(t, l.Text)
		case len(l.Cannot) > 0:
			require.Empty(t, l.Text)
		default:
			require.NotContains(t, l.Text, "%!")
			require.Contains(t, l.Text, `define "State":`)
		}
		body, err := cql.Plan(&r, source.Sets, nil)
		require.NoError(t, err)
		var b struct {
			ResourceType string
			Entry        []struct {
				Resource struct {
					ResourceType, ID, Status string
					Library                  []string
					Purpose                  string
					Content                  []struct{ Data []byte }
				}
			}
		}
		require.NoError(t, json.Unmarshal(body, &b))
		plan := b.Entry[0].Resource
		require.Equal(t, "PlanDefinition", plan.ResourceType)
		if len(l.Cannot) > 0 {
			require.Len(t, b.Entry, 1)
			require.Contains(t, plan.Purpose, l.Cannot[0])
			continue
		}
		require.Equal(t, []string{cql.Base + "Library/" + l.Name + "|" + l.Version}, plan.Library)
		require.Len(t, b.Entry, 3)
		require.Contains(t, string(b.Entry[1].Resource.Content[0].Data), "library "+l.Name)
		require.Equal(t, cql.CommonText, string(b.Entry[2].Resource.Content[0].Data))
	}
	ours := source.Files[0].Rule
	ours.ID, ours.About = "our-own-", "Two\nlines define \"State\": 'due'"
	l := cql.Write(&ours, source.Sets, nil)
	require.Contains(t, l.Text, "library OurOwn version")
	require.NotContains(t, l.Text, "\nlines define", "what a practice wrote stays within its comment")
	bad := reminder.Rule{ID: "bad-one", Applies: reminder.Cond{Tobacco: &reminder.TobaccoCond{Ever: true}}, Satisfied: []reminder.Satisfier{{Of: "no-such-set", Lasts: reminder.Length{N: 1, Unit: reminder.Years}}}}
	require.Equal(t, []string{"the set no-such-set", "tobacco, which is read from words"}, cql.Write(&bad, source.Sets, nil).Cannot)
}
