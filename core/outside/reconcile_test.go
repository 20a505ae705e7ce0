package outside_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/outside"
)

func TestWhatAnEntryFromOutsideStandsBeside(t *testing.T) {
	held := []outside.Entry{
		{ID: "1", List: "medicines", Title: "Losartan", Detail: "50 mg daily"}, {ID: "2", List: "allergies", Title: "Losartan"},
		{ID: "3", List: "medicines", Title: "Élixir of iron"},
	}
	for _, x := range []struct {
		title, detail, id string
		same              bool
	}{
		{"Losartan", "50 mg daily", "1", true},
		{"LOSARTAN", "50  MG daily", "1", true},
		{"Losartan 50 mg", "daily", "1", true},
		{"Losartan", "100 mg daily", "1", false},
		{"Losartan potassium", "50 mg daily", "1", false},
		{"elixir", "", "3", false},
		{"Lisinopril", "", "", false},
		{"", "50 mg daily", "", false},
	} {
		beside, same, found := outside.Beside(held, outside.Entry{List: "medicines", Title: x.title, Detail: x.detail})
		require.Equal(t, x.id, beside.ID, x.title)
		require.Equal(t, x.id != "", found, x.title)
		require.Equal(t, x.same, same, x.title)
	}
	_, _, found := outside.Beside(held, outside.Entry{List: "past", Title: "Losartan"})
	require.False(t, found, "another list is another thing")
}
