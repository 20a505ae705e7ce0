package hl7v2

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestWhatLaboratoriesSayOfAnOrder reads messages that were written, with the right answer,
// before the reader was.
func TestWhatLaboratoriesSayOfAnOrder(t *testing.T) {
	text, err := os.ReadFile("testdata/statuses.txt")
	require.NoError(t, err)
	cases := strings.Split(string(text), "=== ")[1:]
	require.Len(t, cases, 13)
	for _, c := range cases {
		name, rest, _ := strings.Cut(c, "\n")
		message, want, _ := strings.Cut(rest, "---\n")
		t.Run(name, func(t *testing.T) {
			got, err := ParseStatuses([]byte(strings.ReplaceAll(message, "\n", "\r")))
			require.NoError(t, err)
			says := ""
			for _, o := range got {
				says += fmt.Sprintf("%s | %s | %s | %s\n", o.Placer, o.Filler, o.Standing, o.Words)
			}
			require.Equal(t, strings.TrimSpace(want), strings.TrimSpace(says))
		})
	}
	_, err = ParseStatuses([]byte("not HL7"))
	require.ErrorIs(t, err, ErrNotHL7)
}

// Whatever comes, each statement has a standing and words.
func FuzzParseStatuses(f *testing.F) {
	f.Add([]byte("MSH|^~\\&|L||||||OML^O21|1\rPID|1||||A^B||1968\rORC|SC|1^X||||IP\rOBR|1\rNTE\rORC|SR"))
	f.Add([]byte("MSH|^~\\&|L||||||ORL^O22|1\rORC|SR|\\X41\\|||CM|||||||||||~^\rOBR||||||||||||||||||||||||||X"))
	f.Fuzz(func(t *testing.T, raw []byte) {
		all, err := ParseStatuses(raw)
		for _, s := range all {
			if err != nil || s.Standing == "" || s.Words == "" {
				t.Fatalf("%+v with error %v", s, err)
			}
		}
	})
}
