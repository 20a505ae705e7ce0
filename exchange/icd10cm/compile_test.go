package icd10cm

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/coding"
)

// release writes a small tabular list in the official form: twenty chapters, of
// which the first holds what matters here.
func release(first string) string {
	var b strings.Builder
	b.WriteString(`<?xml version="1.0"?><ICD10CM.tabular><version>2027</version><introduction/>`)
	for n := 1; n <= 20; n++ {
		content := ""
		if n == 1 {
			content = first
		}
		fmt.Fprintf(&b, `<chapter><name>%d</name><desc>Chapter %d</desc>%s</chapter>`, n, n, content)
	}
	b.WriteString(`</ICD10CM.tabular>`)
	return b.String()
}

const ankle = `<section id="S90-S99"><desc>Injuries to the ankle (S90-S99)</desc><diag><name>S93</name><desc>Sprain of joints at ankle</desc>
 <excludes2><note>strain of muscle	of ankle (S96.-)</note></excludes2>
 <sevenChrDef><extension char="A">initial encounter</extension><extension char="S">sequela</extension></sevenChrDef>
 <diag><name>S93.4</name><desc>Sprain of ankle</desc><inclusionTerm><note>Sprained ankle NOS</note></inclusionTerm></diag>
 <diag><name>S93.5</name><desc>Sprain of toe</desc></diag></diag></section>`

func compile(tabular, list string) (string, int, int, error) {
	var out bytes.Buffer
	n, billable, err := Compile(strings.NewReader(tabular), strings.NewReader(list), Release{Name: "October 2026", Origin: "test",
		From: "2026-10-01", Until: "2027-09-30"}, &out)
	return out.String(), n, billable, err
}

func TestCompiledReleaseLoads(t *testing.T) {
	for name, list := range map[string]string{
		"bare list":  "S90-S99\nS93\nS934\nS934XXA\nS934XXS\nS935\n",
		"with title": "S93 Sprain\nS934 Sprain of ankle\nS934XXA Sprain of ankle, initial\nS934XXS x\nS935 x\n",
		"order file": "00001 S93     0 Sprain\n00002 S934    0 Sprain of ankle\n00003 S934XXA 1 x\n00004 S934XXS 1 x\n00005 S935    1 x\n",
	} {
		t.Run(name, func(t *testing.T) {
			text, _, billable, err := compile(release(ankle), list)
			require.NoError(t, err)
			require.Equal(t, 3, billable)
			c, err := coding.Load(text)
			require.NoError(t, err)
			require.Equal(t, coding.Edition{Name: "October 2026", Origin: "test", From: "2026-10-01", Until: "2027-09-30"}, c.Edition)
			e, ok := c.Lookup("S93.4XXA")
			require.True(t, ok)
			require.Equal(t, "Sprain of ankle, initial encounter", e.Title)
			require.True(t, e.Billable)
			e, _ = c.Lookup("S93.4")
			require.False(t, e.Billable, "it needs its seventh character")
			_, ok = c.Lookup("S93.4XXD")
			require.False(t, ok, "not in the code list, so not a code")
			require.Equal(t, []coding.Note{{Code: "S93.4", Kind: "inclusion", Text: "Sprained ankle NOS"},
				{Code: "S93", Kind: "excludes2", Text: "strain of muscle of ankle (S96.-)"}}, c.Notes("S934XXA"))
		})
	}
}

func TestHalfAReleaseIsRefused(t *testing.T) {
	for says, in := range map[string][2]string{
		"not readable XML":                  {"<ICD10CM.tabular>", "S93"},
		"has 0 chapters":                    {"<ICD10CM.tabular></ICD10CM.tabular>", "S93"},
		"1 codes of the code list are not":  {release(ankle), "S93\nS934\nS935\nT999\n"},
		"2 codes of the code list are not ": {release(ankle), "S93\nS934XXQ1\nS9999\n"},
	} {
		_, _, _, err := compile(in[0], in[1])
		require.ErrorContains(t, err, says)
	}
}
