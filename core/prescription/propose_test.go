package prescription_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	. "deftledger/core/prescription"
)

// What is proposed of a line, by hand; nothing that the line does not say is filled in, but
// what follows from it by counting.
func TestWhatIsProposedOfALine(t *testing.T) {
	forms := []string{"tablet 5, 10, 20, 40 mg", "suspension 250 mg/5 mL"}
	for _, x := range []struct {
		line, strength, form, quantity, unit, reads string
		days                                        int
	}{
		{"500 mg capsule 1 capsule three times daily for 10 days", "500 mg", "capsule", "30", "capsule", "Take 1 capsule three times a day for 10 days", 10},
		{"20 mg daily #90", "20 mg", "tablet", "90", "tablet", "Take 20 mg once a day", 90},
		{"20 mg daily 30 day supply", "20 mg", "tablet", "30", "tablet", "Take 20 mg once a day", 30},
		{"30 mg daily #30", "", "", "30", "", "Take 30 mg once a day", 0},
		{"1 tablet daily #90", "", "tablet", "90", "tablet", "Take 1 tablet once a day", 90},
		{"1 tablet as needed #20", "", "tablet", "20", "tablet", "Take 1 tablet as needed", 0},
		{"250 mg/5 mL suspension 5 mL twice daily for 7 days", "250 mg/5 mL", "suspension", "70", "mL", "Take 5 mL twice a day for 7 days", 7},
		{"20 mg 0.5 tablet daily 15 day supply", "20 mg", "tablet", "8", "tablet", "Take 0.5 tablet once a day", 15},
		{"2 puffs inhaled every 4 hours as needed #1 inhaler", "", "", "1", "inhaler", "Inhale 2 puffs every 4 hours as needed", 0},
		{"0.1% cream to affected area twice daily #1 tube", "0.1%", "cream", "1", "tube", "Apply on the affected area twice a day", 0},
		{"0.1% cream to affected area twice daily for 14 days #30 g", "0.1%", "cream", "30", "g", "Apply on the affected area twice a day for 14 days", 14},
		{"20 mg tablet daily #30 caps", "20 mg", "tablet", "", "tablet", "Take 20 mg once a day", 0}, // which of them?
		{"500 mg twice daily for 10 days 20 caps", "500 mg", "capsule", "", "capsule", "500 mg twice daily for 10 days 20 caps", 0},
		{"as directed #21", "", "", "21", "", "as directed", 0},
		{"20 mg daily #30 #60", "20 mg", "tablet", "", "tablet", "Take 20 mg once a day", 0},
	} {
		l := ReadLine(x.line)
		d := Propose(l, "lisinopril", l.Rest, forms)
		assert.Equal(t, x.strength, d.Strength, x.line)
		assert.Equal(t, x.form, d.Form, x.line)
		assert.Equal(t, x.quantity, d.Quantity, x.line)
		assert.Equal(t, x.unit, d.Unit, x.line)
		assert.Equal(t, x.reads, d.Reads(), x.line)
		assert.Equal(t, x.days, d.Days, x.line)
		assert.NotContains(t, d.Dose, "suspension", "which medicine it is, is not how it is taken")
	}
}
