package shipped

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestWhatShipsReads(t *testing.T) {
	r, err := Read()
	require.NoError(t, err)
	require.NotEmpty(t, r.Services)
	require.NotEmpty(t, r.RuleSource.Measures)
	require.NotEmpty(t, r.Systems.Review)
	n := 0
	for _, l := range r.Laboratories {
		n += len(l.Tests)
	}
	require.GreaterOrEqual(t, n, 220)
	bmp, ok := r.Laboratories[0].Test("BMP")
	require.True(t, ok)
	require.Len(t, bmp.Analytes, 9, "a panel has all of its analytes")
	require.Equal(t, "2823-3", bmp.Analytes[2].LOINC)
	a, _ := r.Laboratories[0].Test("B12")
	b, _ := r.Laboratories[1].Test("B12")
	require.NotEqual(t, a.Name, b.Name, "two laboratories use one code for two tests")
}
