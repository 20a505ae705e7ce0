package hl7v2

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/result"
)

// The reports in testdata/laid, each with how it has to be set on the page.
func TestReportsAreLaidOut(t *testing.T) {
	eachStranger(t, "testdata/laid", func(t *testing.T, raw, want string) {
		rs, err := ParseReports([]byte(raw), zone)
		require.NoError(t, err)
		r := rs.Patients[0].Reports[0]
		got := laid(r.Values, r.Parent)
		require.Equal(t, strings.Join(strings.Fields(want), " "), strings.Join(strings.Fields(got), " "), "\n%s", got)
	})
}

// laid writes how an issue is set in the form of the .want files.
func laid(values []result.Value, parent string) string {
	var b strings.Builder
	at := result.Lay(values, parent)
	section := func(word string, s result.Section) {
		v := values[s.Rows[0]]
		mark := ""
		if result.Stand(v).Abnormal {
			mark = " [abnormal]"
		}
		if w := result.SayStatus(v.Status); w != "" && v.Status == "C" {
			mark += " [" + w + "]"
		}
		fmt.Fprintf(&b, "%s %s%s: %s\n", word, s.Heading, mark, strings.ReplaceAll(s.Text, "\n", " / "))
	}
	for _, s := range at.First {
		section("first", s)
	}
	for _, s := range at.Sections {
		section("section", s)
	}
	for _, c := range at.Cultures {
		name := c.Organism
		if name == "" {
			name = "which organism is not said"
		}
		fmt.Fprintf(&b, "culture %s %s\n", c.SubID, name)
		for _, d := range c.Drugs {
			v := values[d.Row]
			fmt.Fprintf(&b, "  drug %s %s %s | %s %s\n", v.Name, v.Text, v.Unit, d.Letter, d.Word)
		}
	}
	for _, i := range at.Attached {
		for _, f := range values[i].Details.Attached {
			switch {
			case f.Wrong != "":
				fmt.Fprintf(&b, "attached %s unreadable: %s\n", values[i].Name, f.Wrong)
			case f.Said != "":
				fmt.Fprintf(&b, "attached %s %s %d said %s\n", values[i].Name, f.Type, f.Size, f.Said)
			default:
				fmt.Fprintf(&b, "attached %s %s %d\n", values[i].Name, f.Type, f.Size)
			}
		}
	}
	for _, i := range at.Rows {
		fmt.Fprintf(&b, "row %s %s\n", values[i].Name, values[i].Text)
	}
	return b.String()
}

// Whatever came, every value stands in exactly one place, and no letter of a text is lost.
func FuzzEveryValueIsLaid(f *testing.F) {
	for _, pattern := range []string{"testdata/laid/*.hl7", "testdata/strangers/*.hl7"} {
		files, err := filepath.Glob(pattern)
		require.NoError(f, err)
		for _, file := range files {
			raw, err := os.ReadFile(file)
			require.NoError(f, err)
			f.Add(raw)
		}
	}
	f.Fuzz(func(t *testing.T, raw []byte) {
		rs, err := ParseReports(raw, zone)
		if err != nil {
			return
		}
		for _, p := range rs.Patients {
			for _, r := range p.Reports {
				at := result.Lay(r.Values, r.Parent)
				var rows []int
				rows = append(append(rows, at.Rows...), at.Attached...)
				for _, c := range at.Cultures {
					for _, d := range c.Drugs {
						rows = append(rows, d.Row)
					}
				}
				// A text that was parted has the same values in each of its parts.
				said, texts := map[int]string{}, map[int][]int{}
				for _, s := range slices.Concat(at.First, at.Sections) {
					texts[s.Rows[0]] = s.Rows
					said[s.Rows[0]] += s.Heading + s.Text
				}
				for first, of := range texts {
					rows = append(rows, of...)
					for _, i := range of {
						for line := range strings.SplitSeq(r.Values[i].Text, "\n") {
							require.Contains(t, bare(said[first]), bare(line))
						}
					}
				}
				slices.Sort(rows)
				require.Len(t, rows, len(r.Values))
				for i, row := range rows {
					require.Equal(t, i, row)
				}
			}
		}
	})
}

func TestAFileIsFoundByItsBytes(t *testing.T) {
	raw, err := os.ReadFile("testdata/laid/10-attachments.hl7")
	require.NoError(t, err)
	rs, err := ParseReports(raw, zone)
	require.NoError(t, err)
	data, found := Attached(raw, rs.Patients[0].Reports[0].Values[0].Details.Attached[0].Sum)
	require.True(t, found)
	require.Equal(t, "%PDF-1.4\n%%EOF\n", string(data))
	for _, sum := range []string{"", "ab"} {
		_, found = Attached(raw, sum)
		require.False(t, found)
	}
}

// bare is a text without the white space and the colons that headings are set without.
func bare(text string) string {
	return strings.ReplaceAll(strings.Join(strings.Fields(text), ""), ":", "")
}
