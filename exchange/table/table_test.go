package table

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestNothingIsAFormula(t *testing.T) {
	out, err := Write([][]string{{"name", "value"}, {"=1+1", "-0.5"}, {"@x", "<0.01"}, {"-cmd", `say "hi", twice`}, {"\tx", ""}})
	require.NoError(t, err)
	require.Equal(t, "name,value\r\n'=1+1,-0.5\r\n'@x,<0.01\r\n'-cmd,\"say \"\"hi\"\", twice\"\r\n'\tx,\r\n", string(out))
}
