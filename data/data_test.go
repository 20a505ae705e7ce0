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

// checkDigit is the mod 10 check digit of a LOINC code (LOINC Users' Guide, appendix C).
func checkDigit(body string) byte {
	sum := 0
	for i := len(body) - 1; i >= 0; i-- {
		n := int(body[i] - '0')
		if (len(body)-1-i)%2 == 0 {
			if n *= 2; n > 9 {
				n -= 9
			}
		}
		sum += n
	}
	return byte('0' + (10-sum%10)%10)
}

func TestTheTestListIsSound(t *testing.T) {
	r, err := shipped.Read()
	require.NoError(t, err)
	l := r.Laboratory
	require.GreaterOrEqual(t, len(l.Tests), 40)
	require.NotEmpty(t, l.Phone)
	seen := map[string]bool{}
	loinc := func(code, of string) {
		body, check, ok := strings.Cut(code, "-")
		require.True(t, ok && len(check) == 1, "%s has the LOINC code %q", of, code)
		require.Equal(t, checkDigit(body), check[0], "the check digit of %s (%s)", code, of)
	}
	for _, test := range l.Tests {
		require.False(t, seen[test.Code], "%s stands twice", test.Code)
		seen[test.Code] = true
		require.NotEmpty(t, test.Name)
		require.NotEmpty(t, test.Specimen, test.Code)
		require.NotEmpty(t, test.Tube, test.Code)
		loinc(test.LOINC, test.Name)
		for _, x := range test.Analytes {
			require.NotEmpty(t, x.Unit, "%s of %s", x.Name, test.Name)
			require.True(t, x.Low != "" || x.High != "", "%s of %s has no range", x.Name, test.Name)
			loinc(x.LOINC, x.Name)
		}
	}
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
