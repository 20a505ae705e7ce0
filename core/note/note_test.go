package note

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestReadLeavesOutWhatIsBlank(t *testing.T) {
	c := Content{Parts: map[Part]string{Subjective: " Toe pain. ", Objective: "  \n", Plan: "Rest."}, Diagnoses: []Diagnosis{{Code: "M10.071", Title: "Idiopathic gout, right ankle and foot"}, {Code: "I10", Title: "Essential (primary) hypertension"}}}
	require.Equal(t, []Section{
		{"Subjective", "Toe pain."},
		{"Assessment", "1. Idiopathic gout, right ankle and foot (M10.071)\n2. Essential (primary) hypertension (I10)"},
		{"Plan", "Rest."},
	}, c.Read())
	require.Empty(t, Content{}.Read())
}

func TestReady(t *testing.T) {
	full := map[Part]string{Subjective: "s", Objective: "o", Assessment: "a", Plan: "p"}
	gout := []Diagnosis{{Code: "M10.9"}}
	require.NoError(t, Content{Parts: full, Diagnoses: gout}.Ready())
	require.NoError(t, Content{Parts: map[Part]string{Subjective: "s", Objective: "o", Plan: "p"}, Diagnoses: gout}.Ready(), "the diagnoses are an assessment")
	require.ErrorContains(t, Content{Parts: full}.Ready(), "no diagnosis is coded")
	err := Content{Parts: map[Part]string{Subjective: "s", Objective: " "}, Diagnoses: gout}.Ready()
	require.ErrorIs(t, err, ErrNotReady)
	require.ErrorContains(t, err, "nothing is written under objective, plan")
}
