package note

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestReadLeavesOutWhatIsBlank(t *testing.T) {
	c := Content{Parts: map[Part]string{Subjective: " Toe pain. ", Objective: "  \n", Plan: "Rest."},
		Diagnoses: []Diagnosis{{Code: "M10.071", Title: "Idiopathic gout, right ankle and foot"},
			{Code: "I10", Title: "Essential (primary) hypertension"}}}
	require.Equal(t, []Section{
		{"Subjective", "Toe pain."},
		{"Assessment", "1. Idiopathic gout, right ankle and foot (M10.071)\n2. Essential (primary) hypertension (I10)"},
		{"Plan", "Rest."},
	}, c.Read())
	require.Empty(t, Content{}.Read())
}
