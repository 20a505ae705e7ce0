package order

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestAfter(t *testing.T) {
	none, pre, fin, signed, corrected, cannot := TestState{}, TestState{"P", false}, TestState{"F", false}, TestState{"F", true},
		TestState{"C", false}, TestState{"X", true}
	cases := []struct {
		name  string
		tests []TestState
		want  State
	}{
		{"nothing yet", []TestState{none, none}, Received},
		{"a preliminary closes nothing", []TestState{pre}, InProcess},
		{"a signed preliminary closes nothing", []TestState{{"P", true}}, InProcess},
		{"one of two final", []TestState{fin, none}, Partial},
		{"one of two final and signed", []TestState{signed, none}, Partial},
		{"one signed, one preliminary", []TestState{signed, pre}, Partial},
		{"all final", []TestState{fin, signed}, Final},
		{"all signed", []TestState{signed, signed}, Reviewed},
		{"a correction reopens", []TestState{signed, corrected}, Final},
		{"what cannot be done is closed by its signature too", []TestState{signed, cannot}, Reviewed},
		{"no tests close nothing", nil, Received},
	}
	for _, c := range cases {
		require.Equal(t, c.want, After(c.tests), c.name)
	}
}

func TestComplete(t *testing.T) {
	full := Line{Test: "K", Diagnoses: []string{"I10"}}
	require.NoError(t, Complete("R", []Line{full}))
	for name, c := range map[string]struct {
		priority string
		lines    []Line
	}{
		"at least one test": {"R", nil}, "routine, urgent or stat": {"X", []Line{full}},
		"link a diagnosis to CBC": {"R", []Line{full, {Test: "CBC"}}}, "K stands on it twice": {"S", []Line{full, full}},
	} {
		err := Complete(c.priority, c.lines)
		require.ErrorIs(t, err, ErrIncomplete)
		require.ErrorContains(t, err, name)
	}
}
