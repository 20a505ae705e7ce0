package order_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/order"
)

var gout = order.Set{ID: "gout", Title: "Gout attack", Codes: []string{"M10", "M1A"},
	Medicines: []order.Dose{{Name: "Colchicine", Dose: "1.2 mg, then 0.6 mg"}}, Tests: []string{"URIC", "GONE"}, Referrals: []string{"Rheumatology, where attacks go on"},
	Education: []string{"gout", "lost"}, Text: []string{"Rest"}, FollowUp: &order.SetReturn{When: "2w", Reason: "Gout"}}

// Each part has a name of its own within the set, reads as a sentence of the plan, and
// a test that the laboratory stopped is named as gone.
func TestThePartsOfASet(t *testing.T) {
	parts := gout.Parts([]order.Test{{Code: "URIC", Name: "Urate"}}, map[string]string{"gout": "Gout, food and drink"})
	var words []string
	seen := map[string]bool{}
	for _, p := range parts {
		require.False(t, seen[p.Key], p.Key)
		seen[p.Key] = true
		require.Equal(t, p.Code == "GONE" || p.Code == "lost", p.Gone)
		words = append(words, string(p.Kind)+": "+p.Words)
	}
	require.Equal(t, []string{
		"medicine: Colchicine 1.2 mg, then 0.6 mg.",
		"test: Urate.",
		"test: The test GONE is no longer offered.",
		"referral: Referral: rheumatology, where attacks go on.",
		"education: Leaflet given: Gout, food and drink.",
		"education: The leaflet lost is no longer there.",
		"text: Rest.",
		"follow-up: 2w",
	}, words)
	require.Empty(t, order.Set{}.Parts(nil, nil))
}

func TestSetsOfTheDiagnosesComeFirst(t *testing.T) {
	sets := []order.Set{{ID: "a", Codes: []string{"I10"}}, gout, {ID: "c"}}
	for _, c := range []struct {
		codes []string
		first []string
	}{
		{[]string{"M10.071"}, []string{"gout"}},
		{[]string{"M1A.0710", "I10"}, []string{"a", "gout"}},
		{[]string{"M11.9"}, nil},
		{nil, nil},
	} {
		fitting, rest := order.ForCodes(sets, func(s order.Set) []string { return s.Codes }, c.codes)
		var got []string
		for _, s := range fitting {
			got = append(got, s.ID)
		}
		require.Equal(t, c.first, got)
		require.Len(t, rest, 3-len(fitting), "none is lost")
	}
}
