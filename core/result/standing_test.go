package result_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/result"
)

// A nurse signs by the clinic's permission only what is certain: whatever nobody judged, or somebody remarked on, is for a physician. The
// cases are worked from the rule in words, with reports as laboratories send them.
func TestWhatTheStandingPermissionRefuses(t *testing.T) {
	p := result.Permission{On: true, Rule: "In range, by a nurse.", Tests: []result.PermittedTest{{LOINC: "2823-3", Name: "Potassium"}, {LOINC: "2951-2", Name: "Sodium"}}}
	k := result.Value{Name: "Potassium", LOINC: "2823-3", Text: "4.4", Unit: "mmol/L", Range: "3.5-5.1", Status: "F"}
	na := result.Value{Name: "Sodium", LOINC: "2951-2", Text: "140", Unit: "mmol/L", Range: "136-145", Status: "F", Flag: "N"}
	with := func(change func(*result.Value)) []result.Value {
		v := k
		change(&v)
		return []result.Value{na, v}
	}
	none := func(*result.Value) {}
	for _, c := range []struct {
		name, status, notes string
		before              bool
		values              []result.Value
		want                string // a part of it; "" where it may be signed
	}{
		{"in range, one flagged N and one with no flag", "F", "", false, with(none), ""},
		{"a preliminary report", "P", "", false, with(none), "not final"},
		{"a corrected one that was never signed", "C", "", false, with(none), "not final"},
		{"signed before", "F", "", true, with(none), "signed before"},
		{"a remark on the report", "F", "Hemolyzed, interpret with caution", false, with(none), "a remark"},
		{"a remark on a value", "F", "", false, with(func(v *result.Value) { v.Notes = "slightly hemolyzed" }), "a remark on Potassium"},
		{"no value", "F", "", false, nil, "no value"},
		{"above the range", "F", "", false, with(func(v *result.Value) { v.Text = "5.6" }), "not in range"},
		{"flagged high within the range", "F", "", false, with(func(v *result.Value) { v.Flag = "H" }), "not in range"},
		{"flagged normal outside the range", "F", "", false, with(func(v *result.Value) { v.Text, v.Flag = "5.6", "N" }), "not in range"},
		{"no range, nobody judged", "F", "", false, with(func(v *result.Value) { v.Range = "" }), "not in range"},
		{"no range, flagged normal", "F", "", false, with(func(v *result.Value) { v.Range, v.Flag = "", "N" }), "not in range"},
		{"a flag nobody knows", "F", "", false, with(func(v *result.Value) { v.Flag = "ZZ" }), "not in range"},
		{"a comparator that is not certain", "F", "", false, with(func(v *result.Value) { v.Text = "<5.5" }), "not in range"},
		{"words in place of a number", "F", "", false, with(func(v *result.Value) { v.Text = "see comment" }), "not in range"},
		{"beyond the clinic's critical limit", "F", "", false, with(func(v *result.Value) { v.Details.Limit = "above the clinic's critical limit" }), "not in range"},
		{"another test", "F", "", false, with(func(v *result.Value) { v.Name, v.LOINC = "Glucose", "2345-7" }), "Glucose is not one of the tests"},
		{"no LOINC code", "F", "", false, with(func(v *result.Value) { v.LOINC = "" }), "Potassium is not one of the tests"},
		{"a value still preliminary", "F", "", false, with(func(v *result.Value) { v.Status = "P" }), "not a final value"},
		{"a value withdrawn", "F", "", false, with(func(v *result.Value) { v.Status = "X" }), "not a final value"},
	} {
		got := p.Refuses(c.status, c.notes, c.before, c.values)
		if c.want == "" {
			require.Empty(t, got, c.name)
		} else {
			require.Contains(t, got, c.want, c.name)
		}
	}
	p.On = false
	require.Contains(t, p.Refuses("F", "", false, with(none)), "no standing permission")
	require.Contains(t, result.Permission{}.Refuses("F", "", false, with(none)), "no standing permission", "it is off until somebody gives it")
}
