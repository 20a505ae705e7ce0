package chart_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
)

// TestDosagesAsPeopleTypeThem reads lines that were written before the reader: each part as it was meant, or
// nothing at all. On first reading of the second set (40 lines) one was read wrongly ("800/160 mg" as a fraction),
// 28 as they should and 11 asked for more than they had to; two answers of the set were put right (what a day's
// amount is, is not in how many doses).
func TestDosagesAsPeopleTypeThem(t *testing.T) {
	n := 0
	for _, file := range []string{"dosages.txt", "dosages-fresh.txt", "dosages-third.txt", "dosages-fourth.txt", "dosages-fifth.txt"} {
		text, err := os.ReadFile("testdata/" + file)
		require.NoError(t, err)
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
				assert.False(t, d.Read(), f[0])
				assert.NotEmpty(t, unread, f[0])
				assert.Equal(t, chart.Dosage{}, d, f[0])
				continue
			}
			f = append(f, "", "", "", "", "", "")
			assert.Empty(t, unread, f[0])
			got := []string{d.Amount, d.Unit, d.Route, d.Often, map[bool]string{true: "as needed"}[d.AsNeeded], d.For, d.Until}
			assert.Equal(t, f[1:8], got, f[0])
		}
	}
	require.Greater(t, n, 115)
}
