// Package house checks the rules of the house: who may import whom.
package house

import (
	"encoding/json"
	"errors"
	"io"
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// above lists, for each room of core, the rooms below it that it may use.
var above = map[string][]string{
	"chart": {}, "circle": {}, "visit": {}, "ledger": {}, "coverage": {}, "coding": {"chart"}, "letter": {}, "line": {"chart"}, "safety": {"chart"},
	"order": {"chart", "coding", "line"}, "result": {"chart", "coding", "line"}, "outside": {"chart", "coding", "line"}, "referral": {"chart"}, "screen": {}, "reminder": {"chart"}, "recall": {"chart"}, "orderable": {"chart", "coding", "line", "order", "safety"}, "prescription": {"chart", "safety"},
	"note": {"chart", "coding", "line", "order", "result", "outside"},
}

// ladder lists the rooms of app from the ground up: a room may use those before it.
var ladder = []string{"act", "session", "circle", "forms", "registration", "directory", "visit", "order", "result", "assess", "note", "registry", "intake", "outside", "record", "sharing", "paper", "packet", "printing", "loop", "release", "further", "referral", "prescribe", "pad", "reminder", "recall", "plan", "desk",
	"chart", ""}

// forbidden standard packages do I/O, read clocks, roll dice or log. (core/ledger
// signs with a key it is given: ed25519 is deterministic.)
var forbidden = []string{"os", "io", "net", "net/http", "log", "log/slog", "math/rand", "math/rand/v2", "crypto/rand",
	"database/sql", "context"}

// tables of the Unicode standard, kept by those who keep Go: the ways of writing one letter.
var tables = map[string]bool{"golang.org/x/text/unicode/norm": true}

var layers = map[string][]string{
	"cmd":      {"generate", "web", "standin", "demo", "app", "store", "exchange", "core", "data", "ui"},
	"web":      {"app", "store", "core"},
	"demo":     {"app", "standin", "store", "core"},
	"generate": {"app", "store", "core"},
	"standin":  {},
	"app":      {"app", "store", "exchange", "core"},
	"store":    {"core", "store"}, // storetest stands on it
	"exchange": {"core", "exchange", "data"},
	"core":     {"core"},
	"data":     {},
	"ui":       {},
}

func TestImportsPointDown(t *testing.T) {
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", "./...").Output()
	require.NoError(t, err)
	d := json.NewDecoder(strings.NewReader(string(out)))
	rooms := 0
	for {
		var p struct {
			ImportPath string
			Imports    []string
		}
		if err := d.Decode(&p); errors.Is(err, io.EOF) {
			break
		} else {
			require.NoError(t, err)
		}
		path := strings.TrimPrefix(strings.TrimPrefix(p.ImportPath, "deftledger"), "/")
		layer, room, _ := strings.Cut(path, "/")
		if path == "" || layer == "e2e" {
			continue
		}
		rooms++
		allowed, known := layers[layer]
		require.True(t, known, "%s is a room the house does not know", path)
		for _, i := range p.Imports {
			if ours, ok := strings.CutPrefix(i, "deftledger/"); ok {
				l, r, _ := strings.Cut(ours, "/")
				require.Contains(t, allowed, l, "%s may not use %s", path, ours)
				if layer == "app" && l == "app" {
					require.Less(t, slices.Index(ladder, r), slices.Index(ladder, room), "app/%s may not use app/%s", room, r)
					require.NotEqual(t, -1, slices.Index(ladder, r), "app/%s has no place on the ladder", r)
				}
				if layer == "core" {
					require.Contains(t, above[room], r, "core/%s may not use core/%s", room, r)
				}
				continue
			}
			if layer == "core" {
				require.False(t, strings.Contains(i, ".") && !tables[i], "core uses the standard library only: %s imports %s", path, i)
				require.NotContains(t, forbidden, i, "%s may not use %s", path, i)
			}
		}
	}
	require.Greater(t, rooms, 15)
}
