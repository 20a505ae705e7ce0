package chart_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
)

// TestDosagesAsPeopleTypeThem reads lines that were written before the reader: each part as it was meant, or
// nothing at all.
func TestDosagesAsPeopleTypeThem(t *testing.T) {
	text, err := os.ReadFile("testdata/dosages.txt")
	require.NoError(t, err)
	n := 0
	for line := range strings.Lines(string(text)) {
		line = strings.TrimSpace(line)
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		n++
		f := strings.Split(line, "|")
		for i := range f {
			f[i] = strings.TrimSpace(f[i])
		}
		d, unread := chart.ReadDosage(f[0])
		if f[1] == "?" {
			require.False(t, d.Read(), f[0])
			require.NotEmpty(t, unread, f[0])
			require.Equal(t, chart.Dosage{}, d, f[0])
			continue
		}
		f = append(f, "", "", "", "", "", "")
		require.Empty(t, unread, f[0])
		got := []string{d.Amount, d.Unit, d.Route, d.Often, map[bool]string{true: "as needed"}[d.AsNeeded], d.For, d.Until}
		require.Equal(t, f[1:8], got, f[0])
	}
	require.Greater(t, n, 35)
}
