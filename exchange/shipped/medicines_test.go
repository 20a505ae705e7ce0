package shipped_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/data"
	"deftledger/exchange/shipped"
)

func TestMedicinesAreReadWhole(t *testing.T) {
	c, err := shipped.Medicines(data.Medicines)
	require.NoError(t, err)
	require.Greater(t, len(c.Names()), 900)
}
