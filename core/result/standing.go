package result

import (
	"slices"
	"strings"
)

// Permission is the clinic's standing permission for its nurses: results of named tests that are wholly in range are signed by a nurse, by a
// rule that a physician has written. It is off until one switches it on.
type Permission struct {
	On    bool            `json:"on"`
	Rule  string          `json:"rule" maxLength:"4000" doc:"In the clinic's words; it is sealed with each signature under it"`
	Tests []PermittedTest `json:"tests" maxItems:"200"`
}

// PermittedTest is an analyte that the permission names, by its LOINC code.
type PermittedTest struct {
	LOINC string `json:"loinc" maxLength:"12"`
	Name  string `json:"name" maxLength:"200"`
}

// Refuses says why a report is not signed by the permission; "" where it may be. Whatever is not certain is for a physician: a value
// nobody judged, a flag and a range that disagree, a remark, a text, a file, an issue after one that was signed.
func (s Permission) Refuses(status, notes string, signedBefore bool, values []Value) string {
	switch {
	case !s.On:
		return "the clinic has given no standing permission"
	case signedBefore:
		return "it was signed before, and has changed since"
	case status != "F":
		return "it is not final"
	case strings.TrimSpace(notes) != "":
		return "the laboratory has written a remark"
	case len(values) == 0:
		return "it has no value"
	}
	for _, v := range values {
		at := Stand(v)
		switch {
		case v.LOINC == "" || !slices.ContainsFunc(s.Tests, func(t PermittedTest) bool { return t.LOINC == v.LOINC }):
			return v.Name + " is not one of the tests that the permission names"
		case !Live(v.Status) || v.Status != "F" && v.Status != "":
			return v.Name + " is not a final value"
		case strings.TrimSpace(v.Notes) != "":
			return "the laboratory has written a remark on " + v.Name
		case at.Critical || at.Abnormal || at.Disagree || at.Side != In || at.Reading != In:
			return v.Name + " is not in range by both the laboratory's flag and its range"
		}
	}
	return ""
}
