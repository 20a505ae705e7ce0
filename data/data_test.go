package data_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/coding"
	"deftledger/data"
	"deftledger/exchange/shipped"
)

// Each list is read strictly, with its LOINC codes checked (order.NewLaboratory). Beside that,
// a value with a unit has a range for an adult of either sex, or for the one it is of, unless
// the laboratory says why not: hormones by phase, titers, levels without a target.
func TestTheTestListsAreSound(t *testing.T) {
	r, err := shipped.Read()
	require.NoError(t, err)
	none := map[string]bool{}
	for _, l := range r.Laboratories {
		require.NotEmpty(t, l.Phone)
		require.NotEmpty(t, l.Source)
		for _, test := range l.Tests {
			require.NotEmpty(t, test.Specimen, test.Code)
			require.NotEmpty(t, test.Tube, test.Code)
			require.NotEmpty(t, test.Analytes, "%s reports nothing", test.Code)
			require.Positive(t, test.Turnaround, test.Code)
			require.Positive(t, test.Price, test.Code)
			for _, x := range test.Analytes {
				_, f := x.RangeFor("F", "1980-01-01", "2026-11-26")
				_, m := x.RangeFor("M", "1980-01-01", "2026-11-26")
				if x.Unit != "" && !f && !m {
					none[x.Name] = true
				}
			}
		}
	}
	require.LessOrEqual(t, len(none), 40, "%v", none)
}

// Every everyday word must lead somewhere.
func TestEverydayWordsFindSomething(t *testing.T) {
	text, err := data.Catalogue()
	require.NoError(t, err)
	c, err := coding.Load(text)
	require.NoError(t, err)
	x := coding.NewIndex(c, "")
	n := 0
	for _, line := range strings.Split(data.Everyday+"\n"+data.Patients, "\n") {
		if line == "" || line[0] == '#' {
			continue
		}
		word, means, ok := strings.Cut(line, "\t")
		require.True(t, ok, "%q has no meaning", line)
		for _, m := range strings.Split(means, "|") {
			if code, named := strings.CutPrefix(m, "="); named {
				_, known := c.Lookup(code)
				assert.True(t, known, "%q means %s, which is not in the catalogue", word, code)
				continue
			}
			assert.NotEmpty(t, x.Search(m, 1), "%q means %q, which finds nothing", word, m)
		}
		n++
	}
	require.Greater(t, n, 200)
}

func TestADamagedCatalogueIsAnError(t *testing.T) {
	for _, packed := range [][]byte{nil, []byte("rubbish")} {
		_, err := data.Unpack(packed)
		require.ErrorContains(t, err, "the catalogue is damaged")
	}
}
