package pdf

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"deftledger/core/coverage"
)

// short is a wording as small as a test needs.
var short = coverage.Notice{Form: "CMS-R-131", Edition: "(Exp. 01/31/2026)", Until: "2026-01-31", Approved: "Form Approved OMB No. 0938-0566", Title: "Advance Beneficiary Notice", Note: "If Medicare doesn't pay for D. {what} below, you may have to pay.",
	Columns: []string{"D. {What}", "E. Reason", "F. Cost"}, Todo: "WHAT", Steps: []string{"Read."}, Options: "G. OPTIONS", Choices: []string{"OPTION 1. I want the D. {what}.", "OPTION 2. x", "OPTION 3. y"},
	Additional: "H. Additional", Opinion: "Our opinion.", Signature: "I. Signature:", Date: "J. Date:", Rights: "Rights.", Burden: "Burden."}

func TestAnAdvanceNoticeHasItsBoxesAndItsFace(t *testing.T) {
	n := AdvanceNotice{Wording: short, Holds: true, Notifier: "Skerrow", Patient: "Mina Østergård", Number: "SK-1", What: "laboratory test(s)", Rows: [][3]string{{"Lipid panel", "once in five years (42 CFR 410.17)", "$24.00"}}}
	raw, err := n.Render()
	require.NoError(t, err)
	all := strings.Join(pages(t, raw), "")
	for _, says := range []string{"A. Notifier: Skerrow", "B. Patient Name: Mina Østergård", "C. Identification Number: SK-1", "D. laboratory test(s)", "Lipid panel", "G. OPTIONS", "OPTION 1. I want the D. laboratory test(s).", "OPTION 3. y",
		"H. Additional", "I. Signature:", "J. Date:", "Form Approved OMB No. 0938-0566", "Form CMS-R-131 (Exp. 01/31/2026)"} {
		assert.Contains(t, all, wide(says), says)
	}
	assert.NotContains(t, all, wide("NOT THE APPROVED FORM"))
	n.Holds = false
	raw, err = n.Render()
	require.NoError(t, err)
	for _, page := range pages(t, raw) {
		assert.Contains(t, page, wide("NOT THE APPROVED FORM"))
		assert.NotContains(t, page, wide("Form Approved"))
	}
	for range 60 {
		n.Rows = append(n.Rows, n.Rows[0])
	}
	raw, err = n.Render()
	require.NoError(t, err)
	require.Greater(t, len(pages(t, raw)), 1, "many tests take more pages")
}
