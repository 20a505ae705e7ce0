package result_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/result"
)

var dip = result.HouseTest{Code: "DIP", Name: "Urine dipstick", Also: []string{"strip"}, Analytes: []result.HouseAnalyte{
	{Code: "LEU", Name: "Leukocyte esterase", Choices: []string{"negative", "trace", "2+"}, Normal: "negative"},
	{Code: "PH", Name: "pH", Unit: "[pH]", Low: "5.0", High: "8.0", Least: "4.5", Most: "9.0"},
	{Code: "GLU", Name: "Glucose", Unit: "mg/dL", Least: "10", Most: "600"},
}}

func TestWhatATestOfTheHouseCanShow(t *testing.T) {
	for _, c := range []struct {
		texts map[string]string
		want  string // flags in order, or the error
	}{
		{map[string]string{"LEU": "negative"}, "LEU="},
		{map[string]string{"LEU": "2+", "PH": "8.0"}, "LEU=A PH="},
		{map[string]string{"PH": "8.5"}, "PH=H"},
		{map[string]string{"PH": "4.5"}, "PH=L"},
		{map[string]string{"PH": "<4.5"}, "PH=L"},
		{map[string]string{"GLU": ">600"}, "GLU="}, // no range: nothing is said about it
		{map[string]string{"GLU": "095"}, "GLU="},
		{map[string]string{"LEU": "positive"}, "Leukocyte esterase: choose negative, trace, 2+"},
		{map[string]string{"PH": "9.5"}, "cannot be"},
		{map[string]string{"PH": "75"}, "cannot be"},
		{map[string]string{"PH": ">5"}, "cannot be"},
		{map[string]string{"PH": "-5"}, "cannot be"},
		{map[string]string{"PH": "+6"}, "cannot be"},
		{map[string]string{"PH": "6,5"}, "cannot be"},
		{map[string]string{"PH": "1e1"}, "cannot be"},
		{map[string]string{"GLU": "high"}, "cannot be"},
		{map[string]string{"PH": " "}, "enter what Urine dipstick showed"},
		{map[string]string{"KET": "2+"}, "no value \"KET\""},
	} {
		vs, err := dip.Enter(c.texts)
		if err != nil {
			require.ErrorContains(t, err, c.want)
			continue
		}
		got := ""
		for _, v := range vs {
			require.Equal(t, "F", v.Status)
			require.Equal(t, c.texts[v.Code], v.Text, "kept as typed")
			got += " " + v.Code + "=" + v.Flag
		}
		require.Equal(t, " "+c.want, got)
	}
}

func TestASentenceOfATest(t *testing.T) {
	vs, err := dip.Enter(map[string]string{"LEU": "2+", "PH": "6.0"})
	require.NoError(t, err)
	require.Equal(t, "Urine dipstick: leukocyte esterase 2+, pH 6.0.", result.Sentence("Urine dipstick", vs))
	vs, err = dip.Enter(map[string]string{"GLU": "240"})
	require.NoError(t, err)
	require.Equal(t, "Capillary glucose 240 mg/dL.", result.Sentence("Capillary glucose", vs))
	require.Equal(t, "Influenza: influenza A antigen positive, SARS-CoV-2 antigen negative.",
		result.Sentence("Influenza", []result.Value{{Name: "Influenza A antigen", Text: "positive"},
			{Name: "SARS-CoV-2 antigen", Text: "negative"}}))
	require.Len(t, result.FindHouse([]result.HouseTest{dip}, "ur str"), 1)
	require.Empty(t, result.FindHouse([]result.HouseTest{dip}, "urine blood"))
}
