package rulefile_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/reminder"
	"deftledger/exchange/shipped"
)

// The table of rules in docs/rules.md is that of the rules that ship.
func TestTheTableOfRulesIsTrue(t *testing.T) {
	book, err := shipped.Rules()
	require.NoError(t, err)
	var b strings.Builder
	b.WriteString("| rule | what it asks for | source | closed by | examples |\n|---|---|---|---|---|\n")
	for _, g := range reminder.Groups {
		for _, r := range book.Rules() {
			if r.Group != g {
				continue
			}
			title := r.Title
			if r.Off {
				title += " (off)"
			}
			fmt.Fprintf(&b, "| %s | %s | %s | %s | %d |\n", title, r.About, r.Source.Says(), r.Closes, len(r.Examples))
		}
	}
	if path := os.Getenv("DEFTLEDGER_TABLE"); path != "" {
		require.NoError(t, os.WriteFile(path, []byte(b.String()), 0o600))
	}
	doc, err := os.ReadFile("../../docs/rules.md")
	require.NoError(t, err)
	require.True(t, strings.Contains(string(doc), b.String()), "write it anew: DEFTLEDGER_TABLE=<file> go test ./exchange/rulefile -run Table")
}
