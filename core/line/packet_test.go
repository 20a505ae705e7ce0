package line_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/line"
)

// However lines come, each is in exactly one packet, the reports of one person in one of their own, and packets stand gravest first.
func TestPacketsHoldEveryLineOnce(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(0, 30).Draw(t, "lines")
		var all []line.Entry
		for i := range n {
			all = append(all, line.Entry{Place: line.Place{Rank: rapid.IntRange(0, 5).Draw(t, "rank"), Name: rapid.SampledFrom([]string{"", "A", "B"}).Draw(t, "name"),
				Opened: time.Unix(int64(rapid.IntRange(0, 5).Draw(t, "opened")), 0), ID: string(rune('a' + i))},
				Kind: rapid.SampledFrom([]line.Kind{line.Report, line.Held}).Draw(t, "kind"), Person: rapid.SampledFrom([]string{"", "p", "q"}).Draw(t, "person")})
		}
		together := rapid.Bool().Draw(t, "together")
		seen, reports := map[string]int{}, map[string]int{}
		packets := line.Packets(all, together)
		for i, p := range packets {
			require.NotEmpty(t, p.Entries)
			for _, e := range p.Entries {
				seen[e.ID]++
				require.LessOrEqual(t, p.Rank, e.Rank, "the gravest stands for all")
				require.False(t, e.Opened.Before(p.Opened), "and the oldest")
				if len(p.Entries) > 1 {
					require.True(t, together && e.Kind == line.Report && e.Person == p.Person && e.Person != "")
				}
			}
			if p.Kind == line.Report && p.Person != "" {
				reports[p.Person]++
			}
			if i > 0 {
				require.LessOrEqual(t, packets[i-1].Compare(p.Place), 0)
			}
		}
		require.Len(t, seen, n)
		for id, times := range seen {
			require.Equal(t, 1, times, id)
		}
		for person, times := range reports {
			if together {
				require.Equal(t, 1, times, person)
			}
		}
	})
}
