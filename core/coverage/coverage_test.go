package coverage_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	. "deftledger/core/coverage"
)

// few is a table as small as a test needs, written by hand from the determinations.
var few = []Row{
	{[]string{"*"}, []string{"Z000", "Z02"}, Excluded, 0, 0, "", "routine", "SSA 1862(a)(7)"},
	{[]string{"1"}, []string{"E78"}, Covered, 0, 0, "", "lipids", "NCD 190.23"},
	{[]string{"1"}, []string{"Z136"}, Covered, 59, 0, "", "screening", "42 CFR 410.17"},
	{[]string{"2"}, []string{"Z125"}, Covered, 11, 50, "M", "screening", "NCD 210.1"},
}

func TestWhatMedicareIsExpectedToPay(t *testing.T) {
	for _, x := range []struct {
		a    Asked
		want Answer
		says string
	}{
		{Asked{"1", []string{"E78.5"}, -1, 70, "F"}, Covered, "lipids"},
		{Asked{"1", []string{"Z13.6"}, -1, 70, "F"}, Covered, "no earlier one is known here"},
		{Asked{"1", []string{"Z13.6"}, 58, 70, "F"}, Unlikely, "the last one was 58 months ago"},
		{Asked{"1", []string{"Z13.6"}, 59, 70, "F"}, Covered, "screening"},
		{Asked{"1", []string{"Z13.6"}, 0, 70, "F"}, Unlikely, "less than a month"},
		{Asked{"1", []string{"Z13.6", "E78.5"}, 1, 70, "F"}, Covered, "lipids"},
		{Asked{"1", []string{"Z00.00"}, -1, 70, "F"}, Excluded, "routine"},
		{Asked{"1", []string{"Z00.00", "M54.50"}, -1, 70, "F"}, NotChecked, ""},
		{Asked{"2", []string{"Z12.5"}, -1, 49, "M"}, Unlikely, "not before 50 years"},
		{Asked{"2", []string{"Z12.5"}, -1, -1, "M"}, NotChecked, ""},
		{Asked{"2", []string{"Z12.5"}, -1, 70, "F"}, NotChecked, ""},
		{Asked{"", []string{"E78.5"}, -1, 70, "F"}, NotChecked, ""},
		{Asked{"1", nil, -1, 70, "F"}, NotChecked, ""},
	} {
		v := Check(few, x.a)
		assert.Equal(t, x.want, v.Answer, "%+v", x.a)
		assert.Contains(t, v.Says, x.says)
		assert.Equal(t, x.want == NotChecked, v.Source == "", "%+v", x.a)
	}
}

// The chapter on notices: which modifier a charge carries.
func TestTheModifiersOfANotice(t *testing.T) {
	for _, x := range []struct {
		a        Answer
		c        Choice
		approved bool
		want     string
		billed   bool
		code     string
	}{
		{Unlikely, 1, true, "GA", true, "3"}, {Unlikely, 2, true, "", false, "2"}, {Unlikely, 0, true, "GZ", true, "4"},
		{Unlikely, 1, false, "GZ", true, "4"}, {Unlikely, 2, false, "GZ", true, "4"}, // a form that may not be used counts as none
		{Excluded, 1, true, "GX GY", true, "3"}, {Excluded, 2, true, "", false, "2"}, {Excluded, 0, true, "GY", true, ""}, {Excluded, 1, false, "GY", true, ""},
		{Covered, 1, true, "", true, ""}, {NotChecked, 0, true, "", true, ""},
	} {
		m, billed := Modifiers(x.a, x.c, x.approved)
		assert.Equal(t, x.want, strings.Join(m, " "), "%+v", x)
		assert.Equal(t, x.billed, billed, "%+v", x)
		assert.Equal(t, x.code, NoticeCode(x.a, x.c, x.approved), "%+v", x)
	}
}
