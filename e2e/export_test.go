package e2e

import (
	"bufio"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// An export of everything, stopped and begun again, is the same as one that was not: no line twice, none half.
func TestAPracticeIsExportedAndGoesOnWhereItWasStopped(t *testing.T) {
	p := practice(t)
	whole := filepath.Join(t.TempDir(), "whole")
	said, code := p.run(t, "", "export", "--data", p.dir, "--out", whole)
	require.Equal(t, 0, code, said)
	nobody, err := os.ReadFile(filepath.Join(whole, "Patient.ndjson"))
	require.NoError(t, err)
	require.Empty(t, nobody, "nobody of the demo has agreed")
	all := filepath.Join(t.TempDir(), "all")
	said, code = p.run(t, "", "export", "--data", p.dir, "--out", all, "--all")
	require.Equal(t, 0, code, said)
	said, code = p.run(t, "", "export", "--data", p.dir, "--out", all, "--all")
	require.Equal(t, 1, code)
	require.Contains(t, said, "is complete")

	lines := func(dir, kind string) (out []string) {
		f, err := os.Open(filepath.Join(dir, kind+".ndjson"))
		require.NoError(t, err)
		defer f.Close()
		s := bufio.NewScanner(f)
		s.Buffer(nil, 1<<22)
		for s.Scan() {
			var r struct{ ResourceType string }
			require.NoError(t, json.Unmarshal(s.Bytes(), &r), "a half line")
			require.Equal(t, kind, r.ResourceType)
			out = append(out, s.Text())
		}
		return out
	}
	patients := lines(all, "Patient")
	require.Len(t, patients, p.count(t, "SELECT count(*) FROM patient WHERE person_id = id"))
	require.NotEmpty(t, lines(all, "Observation"))

	// As it stands after a kill: the mark is of the beginning, and in the files stands more, half a line at the end.
	stopped := filepath.Join(t.TempDir(), "stopped")
	require.NoError(t, os.CopyFS(stopped, os.DirFS(all)))
	require.NoError(t, os.WriteFile(filepath.Join(stopped, "export.json"), []byte(`{"after":"","patients":0,"sizes":{},"all":true,"done":false}`), 0o600))
	raw, err := os.ReadFile(filepath.Join(stopped, "Observation.ndjson"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(stopped, "Observation.ndjson"), raw[:len(raw)/2], 0o600))
	said, code = p.run(t, "", "export", "--data", p.dir, "--out", stopped)
	require.Equal(t, 1, code)
	require.Contains(t, said, "go on with the same")
	said, code = p.run(t, "", "export", "--data", p.dir, "--out", stopped, "--all")
	require.Equal(t, 0, code, said)
	for _, kind := range []string{"Patient", "Observation", "Condition", "DocumentReference"} {
		require.Equal(t, strings.Join(lines(all, kind), "\n"), strings.Join(lines(stopped, kind), "\n"), kind)
	}
	require.NoError(t, os.WriteFile(filepath.Join(stopped, "export.json"), []byte(`{"after":`), 0o600))
	said, code = p.run(t, "", "export", "--data", p.dir, "--out", stopped, "--all")
	require.Equal(t, 1, code)
	require.Contains(t, said, "cannot be read")
}
