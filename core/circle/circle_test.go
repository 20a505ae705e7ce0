package circle

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Who may see whose chart, written down by hand: me, a colleague of my team, somebody I cover
// for today, and a stranger.
func TestWhatOpensAChart(t *testing.T) {
	const today = "2026-11-26"
	who := Asker{ID: "me", Team: []string{"me", "mate"}, Covers: []string{"away"}}
	for _, x := range []struct {
		name                      string
		ties                      []Tie
		own, team                 bool
		through, says, saysToTeam string
	}{
		{"nothing", nil, false, false, "", "", ""},
		{"my own patient", []Tie{{Usual, "me", ""}}, true, true, "", "usual clinician, yours", ""},
		{"the patient of my team", []Tie{{Usual, "mate", ""}}, false, true, "team", "", "usual clinician of N, of your team"},
		{"of whom I cover for", []Tie{{Usual, "away", ""}}, true, true, "cover", "usual clinician of N, for whom you cover", ""},
		{"of a stranger", []Tie{{Usual, "other", ""}, {Line, "other", ""}, {Visit, "other", today}}, false, false, "", "", ""},
		{"of nobody", []Tie{{Usual, "", ""}, {Line, "", ""}}, false, false, "", "", ""},
		{"a visit today", []Tie{{Visit, "me", today}}, true, true, "", "visit on 2026-11-26, yours", ""},
		{"an appointment in spring", []Tie{{Visit, "me", "2027-04-02"}}, true, true, "", "appointment on 2027-04-02, yours", ""},
		{"a visit a year ago to the day", []Tie{{Visit, "me", "2025-11-26"}}, true, true, "", "visit on 2025-11-26, yours", ""},
		{"a visit a year and a day ago", []Tie{{Visit, "me", "2025-11-25"}}, false, true, "", "", "visit on 2025-11-25, yours"},
		{"a visit three years ago to the day", []Tie{{Visit, "mate", "2023-11-26"}}, false, true, "team", "", "visit on 2023-11-26 of N, of your team"},
		{"a visit three years and a day ago", []Tie{{Visit, "mate", "2023-11-25"}}, false, false, "", "", ""},
		{"an old visit and a line", []Tie{{Visit, "me", "2019-01-01"}, {Line, "me", ""}}, true, true, "", "open line, yours", ""},
		{"an order", []Tie{{Order, "away", "2026-06-01"}}, true, true, "cover", "order on 2026-06-01 of N, for whom you cover", ""},
		{"a day nobody can read", []Tie{{Visit, "me", "soon"}, {Order, "me", ""}}, false, false, "", "", ""},
		{"opened with a reason", []Tie{{Opened, "me", ""}}, true, true, "", "opened with a reason", ""},
		{"opened by a colleague with a reason", []Tie{{Opened, "mate", ""}, {Opened, "away", ""}}, false, false, "", "", ""},
		{"mine before my team's", []Tie{{Usual, "mate", ""}, {Order, "me", "2026-01-01"}}, true, true, "", "order on 2026-01-01, yours", ""},
	} {
		narrow, usual := May(Own, who, x.ties, today), May(Team, who, x.ties, today)
		require.Equal(t, x.own, narrow.Open, x.name)
		require.Equal(t, x.team, usual.Open, x.name)
		require.Equal(t, x.through, usual.Through, x.name)
		if x.says != "" {
			require.Equal(t, x.says, narrow.Words("N", today), x.name)
		}
		if x.saysToTeam != "" {
			require.Equal(t, x.saysToTeam, usual.Words("N", today), x.name)
		}
		require.True(t, May(Practice, who, x.ties, today).Open, x.name)
		require.False(t, May("", who, x.ties, today).Open, "a width nobody knows opens nothing: %s", x.name)
		require.False(t, May(Practice, Asker{}, x.ties, today).Open, "nor is anything open to nobody: %s", x.name)
		if len(x.ties) == 0 || !x.team {
			require.False(t, May(Team, who, x.ties, "no day").Open, x.name)
		}
	}
	require.True(t, May(Team, who, []Tie{{Visit, "me", "2021-02-28"}}, "2024-02-29").Open, "three years before a leap day")
	require.False(t, May(Team, who, []Tie{{Visit, "me", "2021-02-27"}}, "2024-02-29").Open)
}

func TestAReasonIsASentence(t *testing.T) {
	for s, ok := range map[string]bool{"": false, "   ": false, "x": false, "why not?": true, "emergency": false, "ok ok": false,
		"She is in the waiting room, short of breath": true, "Calls about her\tpotassium": true, strings.Repeat("a b ", 200): false} {
		got, err := Reason(s)
		require.Equal(t, ok, err == nil, s)
		require.NotContains(t, got, "\t")
	}
}

func TestNobodyReviewsTheirOwnOpening(t *testing.T) {
	require.Error(t, Review(Right, "", "me", "me"))
	require.NoError(t, Review(Right, "", "me", "you"))
	require.Error(t, Review(FollowUp, " ", "me", "you"))
	require.NoError(t, Review(FollowUp, "I talk to him tomorrow", "me", "you"))
	require.Error(t, Review("", "", "me", "you"))
}

func TestACoverHasTwoPeopleAndDays(t *testing.T) {
	for _, x := range []struct {
		of, by, from, to string
		ok               bool
	}{
		{"a", "b", "2026-11-26", "2026-11-26", true}, {"a", "b", "2026-11-01", "2026-11-30", true}, {"a", "a", "2026-11-26", "2026-11-27", false},
		{"a", "", "2026-11-26", "2026-11-27", false}, {"a", "b", "2026-11-27", "2026-11-26", false}, {"a", "b", "2026-11-01", "2026-11-25", false},
		{"a", "b", "tomorrow", "2026-11-30", false}, {"a", "b", "2026-02-30", "2026-12-30", false},
	} {
		require.Equal(t, x.ok, Cover(x.of, x.by, x.from, x.to, "2026-11-26") == nil, x)
	}
}
