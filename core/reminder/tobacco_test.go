package reminder_test

import (
	"fmt"
	"math"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/chart"
	. "deftledger/core/reminder"
)

// rows reads a table of test cases: fields parted by tabs, # for remarks.
func rows(t testing.TB, file string, width int) (out [][]string) {
	body, err := os.ReadFile("testdata/" + file)
	require.NoError(t, err)
	for line := range strings.Lines(string(body)) {
		if strings.HasPrefix(line, "#") || strings.TrimSpace(line) == "" {
			continue
		}
		f := strings.Split(strings.TrimRight(line, "\n"), "\t")
		for len(f) < width {
			f = append(f, "")
		}
		out = append(out, f)
	}
	return out
}

func day(t testing.TB, text string) Day {
	d, ok := DayOf(text)
	require.True(t, ok, text)
	return d
}

// What is written of tobacco is read as it was meant, or not at all: no row gives another
// status, other pack-years or another end than a person read in it.
func TestTobaccoAsPeopleWriteIt(t *testing.T) {
	stated, wrong := day(t, "2026-11-27"), 0
	for _, f := range rows(t, "tobacco.tsv", 5) {
		x := ReadTobacco(f[0], stated)
		got := []string{x.Status, "", ""}
		if got[0] == "" {
			got[0] = "unknown"
		}
		if x.Known {
			high := ""
			if !math.IsInf(x.High, 1) {
				high = fmt.Sprint(math.Ceil(x.High))
			}
			got[1] = fmt.Sprint(math.Floor(x.Low)) + ".." + high
		}
		if x.HasEnd {
			got[2] = x.Quit.From.String() + ".." + x.Quit.To.String()
		}
		for i, is := range got {
			want, open := strings.CutSuffix(f[i+2], "?")
			unread := is == "" || is == "unknown"
			if open && unread {
				continue
			}
			if !assert.Equal(t, want, is, "%d of %q", i, f[0]) && !unread {
				wrong++
			}
		}
	}
	require.Zero(t, wrong, "read as something else")
}

func TestLengths(t *testing.T) {
	for _, x := range []struct{ from, length, after string }{
		{"2024-02-29", "1 year", "2025-03-01"},  // no 29 February: the first of March
		{"2024-02-29", "4 years", "2028-02-29"}, // the next there is
		{"2026-01-31", "1 month", "2026-03-01"}, // no 31 February
		{"2026-08-31", "6 months", "2027-03-01"},
		{"2026-11-30", "3 months", "2027-03-01"},
		{"2026-10-31", "1 month", "2026-12-01"},
		{"2026-12-31", "2 months", "2027-03-01"},
		{"2026-12-15", "1 month", "2027-01-15"},
		{"2026-02-26", "4 weeks", "2026-03-26"},
		{"2026-02-26", "4 days", "2026-03-02"},
		{"1969-12-31", "1 day", "1970-01-01"},
		{"1930-05-04", "65 years", "1995-05-04"},
		{"2026-05-04", "ever", ""},
	} {
		var l Length
		require.NoError(t, l.UnmarshalText([]byte(x.length)))
		assert.Equal(t, x.after, l.After(day(t, x.from)).String(), "%s + %s", x.from, x.length)
		assert.Equal(t, x.length, l.String())
	}
	for _, bad := range []string{"", "18", "18 jears", "-3 days", "1.5 years", "a year", "99999 days", "$"} {
		require.Error(t, new(Length).UnmarshalText([]byte(bad)), bad)
	}
}

func TestDaysAsPreciselyAsKnown(t *testing.T) {
	for text, want := range map[string]string{"2019": "2019", "2019-05": "May 2019", "2019-05-07": chart.SayDay("2019-05-07")} {
		s, ok := SpanOf(text)
		require.True(t, ok)
		require.Equal(t, want, s.Says())
	}
	for _, bad := range []string{"", "19", "2019-13", "2019-02-30", "May 2019", "2019-5"} {
		_, ok := SpanOf(bad)
		require.False(t, ok, bad)
	}
}

// A colonoscopy as histories tell it: what was done and when it was said counts, what cannot be told is asked.
func TestWhatAHistorySaysWasDone(t *testing.T) {
	b := book(t)
	for _, f := range rows(t, "histories.tsv", 4) {
		r := chart.Record{Zone: time.UTC, Day: today, Patient: chart.Patient{BirthDate: "1966-03-01", Sex: "F"},
			Histories: []chart.HistoryEntry{{ID: "h", List: "surgical", Title: f[0], Detail: f[1], Since: f[2]}}}
		assert.Equal(t, f[3], string(b.Open(r).Stand("colorectal-cancer").State), "%q %q %q", f[0], f[1], f[2])
	}
}
