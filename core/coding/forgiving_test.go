package coding_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// searches reads what people type and the codes meant.
func searches(t testing.TB, name string) (out [][2]string) {
	b, err := os.ReadFile("testdata/" + name)
	require.NoError(t, err)
	for _, l := range strings.Split(strings.TrimSpace(string(b)), "\n") {
		if q, meant, ok := strings.Cut(l, "\t"); ok {
			out = append(out, [2]string{q, meant})
		}
	}
	return out
}

// TestSearchForgives: the code or heading meant is within the first three, however it is spelt or called.
func TestSearchForgives(t *testing.T) {
	c, x := load()
	for _, name := range []string{"searches-known.txt", "searches-unseen.txt", "searches-later.txt", "searches-last.txt", "searches-fresh.txt"} {
		list, found := searches(t, name), 0
		for _, q := range list {
			ok := false
			var got []string
			for _, h := range x.Search(q[0], 3) {
				got = append(got, h.Code+" "+h.Title)
				for _, want := range strings.Split(q[1], "|") {
					ok = ok || heading(h.Code, want)
				}
			}
			for _, want := range strings.Split(q[1], "|") {
				_, known := c.Lookup(want)
				require.True(t, known, "the table means %s, which is not in the catalogue", want)
			}
			if ok {
				found++
			} else {
				t.Logf("%s: %q means %s, found %q", name, q[0], q[1], got)
			}
		}
		fmt.Printf("%s: %d of %d within the first three\n", name, found, len(list))
		require.GreaterOrEqual(t, float64(found), 0.9*float64(len(list)), name)
	}
}
