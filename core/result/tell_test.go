package result_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/result"
)

// A letter says what was measured; what nobody judged is not called in range, and nothing is said of what it means where nobody chose.
func TestWhatAPatientReads(t *testing.T) {
	in := result.Value{Name: "Sodium", Text: "140", Unit: "mmol/L", Range: "136-145", Status: "F"}
	high := result.Value{Name: "Potassium", Text: "5.9", Unit: "mmol/L", Range: "3.5-5.1", Flag: "H", Status: "F"}
	bare := result.Value{Name: "Zinc", Text: "80", Unit: "ug/dL", Status: "F"}
	gone := result.Value{Name: "Chloride", Text: "99", Unit: "mmol/L", Range: "98-107", Status: "W"}
	for _, x := range []struct {
		values []result.Value
		means  result.Meaning
		want   string
	}{
		{[]result.Value{in}, result.Unsaid, "Your test “Panel” of 4 May is back.\n- Sodium: 140 mmol/L (the laboratory's range is 136-145), which is in the range."},
		{[]result.Value{in, high}, result.Follows, "Your test “Panel” of 4 May is back.\n- Potassium: 5.9 mmol/L (the laboratory's range is 3.5-5.1), which is above the range.\n- Sodium: 140 mmol/L (the laboratory's range is 136-145), which is in the range.\nSomething has changed, and we should talk about it. Please call us at 555-0100."},
		{[]result.Value{in, in, in, in}, result.Good, "Your test “Panel” of 4 May is back. All 4 values are in the laboratory's range. This is good news."},
		{[]result.Value{in, in, in, in, bare}, result.Nothing, "Your test “Panel” of 4 May is back.\n- Zinc: 80 mcg/dL.\n- The other 4 values are in the laboratory's range.\nWhere no range stands, there is none to compare with.\nYou need to do nothing about it."},
		{[]result.Value{gone}, result.Unsaid, "Your test “Panel” of 4 May is back. It came as a written report, or without a value."},
		{nil, result.Unsaid, "Your test “Panel” of 4 May is back. It came as a written report, or without a value."},
	} {
		require.Equal(t, x.want, result.Tell("Panel", "4 May", x.values, x.means, "555-0100"))
	}
}

// By hand: 0.39 words a sentence + 11.8 syllables a word - 15.59.
func TestTheGradeAtWhichATextReads(t *testing.T) {
	for text, want := range map[string]float64{
		"The cat sat.":                    -2.6, // 3 words, 3 syllables: 1.17 + 11.8 - 15.59
		"A healthy person can read this.": 2.5,  // 6 words, 8 syllables: 2.34 + 15.73 - 15.59
		"Your potassium is high.":         6.6,  // 4 words, 7 syllables: 1.56 + 20.65 - 15.59
		"The cat sat. The cat sat.":       -2.6,
		"The cat sat\nThe cat sat":        -2.6, // lines of a list
	} {
		got, ok := result.Grade(text)
		require.True(t, ok)
		require.Equal(t, want, got, text)
	}
	_, ok := result.Grade("5.9 – 12")
	require.False(t, ok, "no words")
}
