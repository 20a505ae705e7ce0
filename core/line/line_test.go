package line_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/line"
)

// Every kind of line says which act closes it: a line that nobody can close would stay
// on a desk for ever, and one that closes by itself would be lost.
func TestEveryKindOfLineNamesTheActThatClosesIt(t *testing.T) {
	for kind, act := range map[line.Kind]string{
		line.Note:     "sign the note",
		line.Order:    "all tests final and signed, or cancelled with a reason",
		line.Report:   "sign it and record how the patient was told",
		line.ToSign:   "sign the order, or give it back with the reason",
		line.FollowUp: "book the visit, or drop it with the reason",
		line.Message:  "the portal takes it, or say how the patient was told",
		line.Fax:      "the other side takes it, or say how it was sent instead",
	} {
		require.Equal(t, act, kind.Act())
	}
	require.Empty(t, line.Kind("something else").Act())
}
