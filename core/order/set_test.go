package order_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/order"
)

var gout = order.Set{ID: "gout", Title: "Gout attack", Codes: []string{"M10", "M1A"},
	Medicines: []order.Dose{{Name: "Colchicine", Dose: "1.2 mg, then 0.6 mg"}}, Tests: []string{"URIC", "GONE"},
	Referrals: []string{"Rheumatology, where attacks go on"},
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

// A plan is drawn as a set: each sentence becomes one part of the kind it reads as, none
// is lost, and what an order or the follow-up says anyway stands once.
func TestAPlanIsDrawnAsASet(t *testing.T) {
	tests := []order.Test{{Code: "URIC", Name: "Urate"}, {Code: "BMP", Name: "Basic metabolic panel"}}
	medicine := func(s string) string {
		for _, m := range []string{"Penicillin V", "Colchicine"} {
			if strings.HasPrefix(s, m+" ") {
				return m
			}
		}
		return ""
	}
	s := order.Draw("gout", "Gout", "mine", order.Present{
		Codes: []string{"M10.071"}, Tests: []string{"URIC"}, Leaflets: map[string]string{"Gout, food and drink": "gout"}, Medicine: medicine,
		FollowUp: &order.SetReturn{When: "2w", Reason: "Gout"},
		Sentences: []string{"Colchicine 1.2 mg, then 0.6 mg.", "Urate.", "basic metabolic panel.", "Leaflet given: Gout, food and drink.",
			"Leaflet given: A lost one.", "Referral: podiatry.", "Penicillin V 500 mg twice daily.", "Colchicine", "Back in 2 weeks.", " ",
			"Back exercises daily.", "Rest the joint."},
	}, tests)
	require.Equal(t, order.Set{ID: "gout", Title: "Gout", Source: "mine", Codes: []string{"M10.071"}, Tests: []string{"URIC", "BMP"},
		Education: []string{"gout"}, Referrals: []string{"Podiatry"},
		Medicines: []order.Dose{{Name: "Colchicine", Dose: "1.2 mg, then 0.6 mg"}, {Name: "Penicillin V", Dose: "500 mg twice daily"}},
		Text:      []string{"Leaflet given: A lost one.", "Colchicine.", "Back exercises daily.", "Rest the joint."},
		FollowUp:  &order.SetReturn{When: "2w", Reason: "Gout"}}, s)
	require.NoError(t, s.Check())

	s = order.Draw("x", "X", "mine", order.Present{Sentences: []string{"Back to work on Monday."}, Medicine: medicine}, tests)
	require.Equal(t, []string{"Back to work on Monday."}, s.Text, "with no follow-up asked for, it is a sentence like any other")
}

// What is kept of a set is what was chosen, part by part.
func TestKeepingPartsOfASet(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		parts := gout.Parts(nil, nil)
		var keys []string
		kinds := map[order.PartKind]int{}
		for _, p := range parts {
			if rapid.Bool().Draw(t, p.Key) {
				keys = append(keys, p.Key)
				kinds[p.Kind]++
			}
		}
		kept := map[order.PartKind]int{}
		for _, p := range gout.Keep(keys).Parts(nil, nil) {
			kept[p.Kind]++
		}
		require.Equal(t, kinds, kept)
	})
	require.Equal(t, []string{"GONE"}, gout.Keep([]string{"test 1"}).Tests)
}
