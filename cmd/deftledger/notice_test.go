package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/coverage"
	"deftledger/data"
)

// A newer edition of the advance notice comes from the data directory; one that lacks a box is
// refused, not replaced silently by the one that ships.
func TestANewerEditionOfTheNoticeIsLoaded(t *testing.T) {
	dir := t.TempDir()
	ships := coverage.Notice{Until: "2026-01-31"}
	n, err := notice(dir, ships)
	require.NoError(t, err)
	require.Equal(t, "2026-01-31", n.Until)
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "coverage"), 0o700))
	file := filepath.Join(dir, "coverage", "notice.yaml")
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(string(data.Notice), "2026-01-31", "2029-03-31", 1)), 0o600))
	n, err = notice(dir, ships)
	require.NoError(t, err)
	require.True(t, n.Holds("2029-03-31"))
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(string(data.Notice), "J. Date", "Date", 1)), 0o600))
	_, err = notice(dir, ships)
	require.ErrorContains(t, err, "the box J. is not there")
}
