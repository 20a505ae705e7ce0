package chart_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"deftledger/core/chart"
)

// 1234567893 is the worked example of CMS (Requirements for National Provider Identifier and
// NPI check digit, 2004).
func TestTheCheckDigitOfAnNPI(t *testing.T) {
	assert.True(t, chart.SoundNPI("1234567893"))
	for _, wrong := range []string{"", "1234567890", "1234567892", "1243567893", "123456789", "12345678931", "12345678９3", "123456789a", "2234567893"} {
		assert.False(t, chart.SoundNPI(wrong), wrong)
	}
	// Every digit counts, and every pair of neighbours but 0 and 9 too.
	for i := range 10 {
		b := []byte("1234567893")
		b[i] = '0' + (b[i]-'0'+1)%10
		assert.False(t, chart.SoundNPI(string(b)), string(b))
	}
}
