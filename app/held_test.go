package app_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/app/sharing"
	"deftledger/core/outside"
	"deftledger/exchange/shipped"
)

// What a wish keeps is what a person who keeps it would: the cases were written before there was anything that reads them.
func TestAWishKeepsWhatAPersonWould(t *testing.T) {
	raw, err := os.ReadFile("testdata/held.tsv")
	require.NoError(t, err)
	r, err := shipped.Read()
	require.NoError(t, err)
	n, wrong := 0, []string{}
	for line := range strings.Lines(string(raw)) {
		f := strings.Split(strings.TrimRight(line, "\n"), "\t")
		if strings.HasPrefix(line, "#") || len(f) != 3 {
			continue
		}
		wish := outside.Wish{Of: outside.OfSubject, ID: f[0], Title: "A subject"}
		if strings.HasPrefix(f[0], `"`) {
			wish = outside.Wish{Of: outside.OfEntry, ID: "another", Title: strings.Trim(f[0], `"`)}
		}
		k := outside.Keeper{Wishes: []outside.Wish{wish}, Sensitive: r.Sensitive}
		why := k.Why(outside.Told{Ref: "this", Text: f[1], Names: sharing.NamesIn(r.Medicines, f[1])})
		if n++; (why != "") != (f[2] == "back") {
			wrong = append(wrong, f[0]+" | "+f[1]+" | "+f[2]+" | "+why)
		}
	}
	require.Greater(t, n, 50)
	require.Empty(t, wrong, "%d of %d", n-len(wrong), n)
}
