package forms_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/data"
	"deftledger/exchange/forms"
)

func shipped(t *testing.T, name string) string {
	t.Helper()
	b, err := data.Forms.ReadFile(name)
	require.NoError(t, err)
	return string(b)
}

// Every entry of every shipped form can be copied, and the form with the copy is one
// that the program takes; but for the copy it is the same text.
func TestEveryShippedEntryCanBeCopied(t *testing.T) {
	systems, err := forms.Systems("systems", shipped(t, "findings/systems.yaml"))
	require.NoError(t, err)
	for file, want := range map[string]int{"findings/systems.yaml": len(systems.Review) + len(systems.Examination), "visits/kinds.yaml": 7,
		"snippets/clinic.yaml": 12} {
		text := shipped(t, file)
		entries, err := forms.Entries(file, text)
		require.NoError(t, err)
		require.Len(t, entries, want, file)
		lines := strings.Split(strings.TrimRight(text, "\n"), "\n")
		for i, e := range entries {
			require.Contains(t, lines[e.From-1], e.ID, "%s begins on its line", e.ID)
			require.NotEmpty(t, e.Title)
			if i > 0 && entries[i-1].List == e.List {
				require.Equal(t, entries[i-1].To+1, e.From, "one after another, with nothing between")
			}
			copied, line, err := forms.Copy(file, text, e.List, e.ID, "our-own", "Our own way")
			require.NoError(t, err)
			switch file {
			case "findings/systems.yaml":
				_, err = forms.Systems(file, copied)
			case "visits/kinds.yaml":
				_, err = forms.Kinds(file, copied, systems)
			default:
				_, err = forms.Snippets(file, strings.Replace(copied, "our-own", "ourown", 1))
			}
			require.NoError(t, err, "%s copied", e.ID)
			after, err := forms.Entries(file, copied)
			require.NoError(t, err)
			require.Len(t, after, want+1)
			require.Equal(t, forms.Entry{List: e.List, ID: "our-own", Title: "Our own way", From: line, To: after[i+1].To}, after[i+1])
			got := strings.Split(strings.TrimRight(copied, "\n"), "\n")
			require.Equal(t, lines, append(append([]string{}, got[:line-1]...), got[line-1+len(got)-len(lines):]...), "the rest is untouched")
		}
	}
}

func TestACopyThatCannotBe(t *testing.T) {
	text := shipped(t, "visits/kinds.yaml")
	for want, c := range map[string][3]string{
		"small letters":       {"acute", "Our Own", "Title"},
		"there already":       {"acute", "annual", "Title"},
		"is not there":        {"none", "own", "Title"},
		"without quotes":      {"acute", "own", "a: b"},
		"title of up to":      {"acute", "own", " "},
		"small letters, digi": {"acute", "-", "Title"},
	} {
		_, _, err := forms.Copy("kinds", text, "kinds", c[0], c[1], c[2])
		require.ErrorContains(t, err, want)
	}
	_, err := forms.Entries("kinds", "kinds: [")
	require.Error(t, err)
	entries, err := forms.Entries("kinds", "version: 1\nkinds: none\n")
	require.NoError(t, err)
	require.Empty(t, entries)
}
