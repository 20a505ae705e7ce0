package outside_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/outside"
)

func TestOnlyWhatWasChosenIsGivenOut(t *testing.T) {
	items := []outside.Item{{List: outside.Problems, Ref: "p", Since: "1999"}, {List: outside.Results, Ref: "old", Since: "2019-05-01"}, {List: outside.Results, Ref: "new", Since: "2026-05-01T09:00:00-04:00"},
		{List: outside.Vitals, Ref: "v", Since: "2026-06-01"}, {List: outside.Procedures, Ref: "year", Since: "2026"}, {List: outside.Procedures, Ref: "unknown"}, {List: outside.Social, Ref: "s"}, {List: outside.Family, Ref: "f"}}
	for name, c := range map[string]struct {
		parts       []string
		first, last string
		want        []string
	}{
		"all":                            {nil, "", "", []string{"p", "old", "new", "v", "year", "unknown", "s", "f"}},
		"results":                        {[]string{"results"}, "", "", []string{"old", "new"}},
		"a list has no days":             {[]string{"problems", "histories"}, "2026-01-01", "2026-12-31", []string{"p", "s", "f"}},
		"from a day":                     {nil, "2026-01-01", "", []string{"p", "new", "v", "year", "s", "f"}},
		"until a day, with it":           {nil, "", "2026-05-01", []string{"p", "old", "new", "year", "s", "f"}},
		"of one day":                     {[]string{"results", "vitals"}, "2026-06-01", "2026-06-01", []string{"v"}},
		"a year may lie within, or not":  {[]string{"procedures"}, "2025-01-01", "2025-12-31", nil},
		"nothing of a part nobody knows": {[]string{"secrets"}, "", "", nil},
	} {
		var got []string
		for _, i := range outside.Chosen(items, c.parts, c.first, c.last) {
			got = append(got, i.Ref)
		}
		require.Equal(t, c.want, got, name)
	}
}
