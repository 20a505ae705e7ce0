package order_test

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/order"
	"deftledger/data"
	"deftledger/exchange/testlist"
)

func lists(t testing.TB) (out []order.Laboratory) {
	for _, name := range data.Laboratories {
		l, err := testlist.ReadCSV(data.TestLists, name)
		require.NoError(t, err)
		out = append(out, l)
	}
	return out
}

// What people type, written down before the search was built: the first hit is one of those
// that are wanted.
func TestSearchesOfPeople(t *testing.T) {
	f := order.NewFinder(lists(t))
	text, err := os.ReadFile("testdata/searches.tsv")
	require.NoError(t, err)
	first, firstThree, all := 0, 0, 0
	for _, line := range strings.Split(string(text), "\n") {
		c := append(strings.Split(line, "\t"), "", "")
		if line == "" || line[0] == '#' {
			continue
		}
		all++
		hits := f.Find(c[0], 3)
		wanted := strings.Fields(c[1])
		if len(wanted) == 0 {
			if len(hits) == 0 {
				first, firstThree = first+1, firstThree+1
			} else {
				t.Logf("%q should find nothing, finds %s", c[0], hits[0].Name)
			}
			continue
		}
		at := slices.IndexFunc(hits, func(h order.Hit) bool { return h.Laboratory == "brinehouse" && slices.Contains(wanted, h.Code) })
		switch {
		case at == 0:
			first++
			firstThree++
		case at > 0:
			firstThree++
			t.Logf("%q wants %s, finds %s first", c[0], c[1], hits[0].Name)
		default:
			t.Logf("%q wants %s, finds %s", c[0], c[1], names(hits))
		}
	}
	fmt.Printf("search of tests: %d of %d first, %d within the first three\n", first, all, firstThree)
	assert.GreaterOrEqual(t, first, all-4)
}

func names(hits []order.Hit) (out []string) {
	for _, h := range hits {
		out = append(out, h.Name)
	}
	return out
}

// The same code may be another test at another laboratory; the one usually meant comes first.
func TestOneCodeAtTwoLaboratories(t *testing.T) {
	hits := order.NewFinder(lists(t)).Find("b12", 12)
	require.Equal(t, "Vitamin B12", hits[0].Name)
	require.Equal(t, "brinehouse", hits[0].Laboratory)
	require.Contains(t, names(hits), "GGT", "Northsound calls it B12")
	require.Equal(t, "Arterial blood gas", order.NewFinder(lists(t)).Find("abg", 3)[0].Name)
}

// What is signed without being looked at has to be named whole.
func TestWhatIsSure(t *testing.T) {
	f := order.NewFinder(lists(t))
	for query, want := range map[string]string{"lipid": "sure Lipid panel", "CBC": "sure Blood count", "uric acid": "sure Urate", "3016-3": "sure Thyroid stimulating hormone",
		"magn": "Magnesium", "tryglicerides": "Lipid panel", "24321": "Basic metabolic panel", "m": ""} {
		got := ""
		if hits := f.Find(query, 1); len(hits) > 0 {
			if got = hits[0].Name; hits[0].Sure {
				got = "sure " + got
			}
		}
		require.Equal(t, want, got, query)
	}
}

func BenchmarkFindTest(b *testing.B) {
	f := order.NewFinder(lists(b))
	for b.Loop() {
		for _, q := range []string{"cbc", "tryglicerides", "hemoglobin a1", "24h urine protein", "k"} {
			f.Find(q, 12)
		}
	}
}
