package note

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestWhenThePatientComesBack(t *testing.T) {
	for _, c := range []struct{ text, day, said string }{
		{"2w", "2026-12-07", "in 2 weeks"},
		{"2m", "2027-01-23", "in 2 months"},
		{" 1Y ", "2027-11-23", "in one year"},
		{"10 days", "2026-12-03", "in 10 days"},
		{"1d", "2026-11-24", "in one day"},
		{"2027-01-15", "2027-01-15", "on 15 Jan 2027"},
		{"5y", "2031-11-23", "in 5 years"},
		{"0d", "", "not ahead"}, {"2026-11-23", "", "not ahead"}, {"2020-01-01", "", "not ahead"},
		{"6y", "", "more than 5 years"}, {"soon", "", "write 10d"}, {"", "", "write 10d"}, {"2x", "", "write 10d"},
		{"2027-02-30", "", "write 10d"}, {"-2w", "", "write 10d"},
	} {
		day, said, err := Due(c.text, "2026-11-23")
		if c.day == "" {
			require.ErrorContains(t, err, c.said, c.text)
			continue
		}
		require.NoError(t, err, c.text)
		require.Equal(t, c.day, day)
		require.Equal(t, c.said, said)
	}
	// The last day of a shorter month, by the calendar.
	for today, want := range map[string]string{"2027-01-31": "2027-02-28", "2028-01-31": "2028-02-29", "2026-12-31": "2027-01-31",
		"2027-08-31": "2027-09-30", "2027-03-30": "2027-04-30"} {
		day, _, err := Due("1m", today)
		require.NoError(t, err)
		require.Equal(t, want, day)
	}
}

func TestAFollowUpIsAlwaysAheadAndLaterForMore(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		today := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, rapid.IntRange(0, 4000).Draw(t, "day")).Format(time.DateOnly)
		unit := rapid.SampledFrom([]string{"d", "w", "m"}).Draw(t, "unit")
		n := rapid.IntRange(1, 30).Draw(t, "n")
		a, _, err := Due(fmt.Sprint(n, unit), today)
		require.NoError(t, err)
		b, _, err := Due(fmt.Sprint(n+1, unit), today)
		require.NoError(t, err)
		require.Greater(t, a, today)
		require.Greater(t, b, a)
	})
}

func TestWhatIsSaidOfADiagnosisReadsAsSentences(t *testing.T) {
	text := func(s Said, courses ...string) string {
		out := ""
		for _, p := range (Stated{Said: s, Courses: courses}).Sentences() {
			out += p.Text + " "
		}
		return out
	}
	require.Equal(t, "", text(Said{}))
	require.Equal(t, "Improving. ", text(Said{Response: "improving"}))
	require.Equal(t, "Worse: the diuretic was stopped; complicated by chronic kidney disease. ",
		text(Said{Response: "worse", Because: "because the diuretic was stopped.", Complicated: "Complicated by chronic kidney disease"}))
	require.Equal(t, "Takes it every other day. ", text(Said{Because: "takes it every other day"}))
	require.Equal(t, "Complicated by heart failure. ", text(Said{Complicated: "heart failure;"}))
	require.Equal(t, "At goal. Hemoglobin A1c 6.9 % on 22 Nov 2026. Keep on. ", text(Said{Response: "at goal", Remark: "keep on"},
		"Hemoglobin A1c 6.9 % on 22 Nov 2026."))
	for _, r := range ResponseOrder {
		require.NotEmpty(t, Responses[r])
	}
}

// The course says what was recorded, with dates, and nothing that was not.
func TestTheCourseOfAMeasure(t *testing.T) {
	plain := func(u string) string { return u }
	a := Recorded{"8.1", "%", "2026-03-12T07:50-05:00"}
	b := Recorded{"7.4", "%", "2026-08-20"}
	c := Recorded{"6.9", "%", "2026-11-22T07:50:00-05:00"}
	require.Equal(t, "", Course("Hemoglobin A1c", nil, plain))
	require.Equal(t, "Hemoglobin A1c 6.9 % on 22 Nov 2026.", Course("Hemoglobin A1c", []Recorded{c}, plain))
	require.Equal(t, "Hemoglobin A1c 7.4 % on 20 Aug 2026, 6.9 % on 22 Nov 2026.", Course("Hemoglobin A1c", []Recorded{b, c}, plain))
	require.Equal(t, "Hemoglobin A1c first 8.1 % on 12 Mar 2026, last 7.4 % on 20 Aug 2026, now 6.9 % on 22 Nov 2026.",
		Course("Hemoglobin A1c", []Recorded{a, b, c}, plain))
	other := Recorded{"52", "mmol/mol", "2026-01-01"}
	require.Equal(t, "Hemoglobin A1c 6.9 % on 22 Nov 2026 (earlier values in another unit are left out).",
		Course("Hemoglobin A1c", []Recorded{other, c}, plain))
	require.Equal(t, []string{"4548-4"}, MeasuresFor("E11.22"))
	require.Empty(t, MeasuresFor("L40.0"))
}
