package shipped_test

import (
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/coverage"
	"deftledger/data"
	"deftledger/exchange/shipped"
)

// The table that ships answers the cases that were written before it was read.
func TestWhatOriginalMedicareIsExpectedToSay(t *testing.T) {
	rows, err := shipped.Medicare(data.Medicare)
	require.NoError(t, err)
	body, err := os.ReadFile("testdata/coverage.tsv")
	require.NoError(t, err)
	for line := range strings.Lines(string(body)) {
		if strings.HasPrefix(line, "#") {
			continue
		}
		f := strings.Split(strings.TrimRight(line, "\n"), "\t")
		require.Len(t, f, 6, line)
		since, years := -1, -1
		if f[2] != "" {
			since, err = strconv.Atoi(f[2])
			require.NoError(t, err)
		}
		years, err = strconv.Atoi(f[3])
		require.NoError(t, err)
		v := coverage.Check(rows, coverage.Asked{LOINC: f[0], Codes: strings.Fields(f[1]), Since: since, Years: years, Sex: f[4]})
		assert.Equal(t, coverage.Answer(f[5]), v.Answer, strings.TrimSpace(line))
	}
	for _, wrong := range []string{"x\tE11\tcovered\t\t\t\tsays\tsource", "4548-4\te11\tcovered\t\t\t\tsays\tsource", "4548-4\tE11\tperhaps\t\t\t\tsays\tsource", "4548-4\tE11\tcovered\t-1\t\t\tsays\tsource",
		"4548-4\tE11\tcovered\t\t\t\tsays\t", "4548-4\tE11"} {
		_, err := shipped.Medicare("tests\tcodes\n" + wrong)
		assert.ErrorContains(t, err, "medicare.tsv:2", wrong)
	}
}

func TestTheAdvanceNoticeHasEveryBox(t *testing.T) {
	n, err := shipped.Notice(data.Notice)
	require.NoError(t, err)
	require.True(t, n.Holds("2026-01-31"))
	require.False(t, n.Holds("2026-02-01"))
	for _, wrong := range []string{"form: CMS-R-131\nuntil: \"2030-01-31\"\n", strings.Replace(string(data.Notice), "OPTION 2.", "OPTION 4.", 1), strings.Replace(string(data.Notice), "H. Additional", "Additional", 1), "form: ["} {
		_, err := shipped.Notice([]byte(wrong))
		assert.Error(t, err)
	}
}
