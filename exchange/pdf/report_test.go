package pdf

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// A report on paper carries what 42 CFR 493.1291(c) asks for, and what nobody stated says so; the cover list names every report.
func TestAReportOnPaperIsWhole(t *testing.T) {
	raw, err := ReportBatch{Practice: "Practice", By: "Petra Vance", At: "2026-05-04T12:00:00-04:00", Reports: []ReportSheet{
		{Patient: "Ottoline Marsh", Born: "14 Mar 1968", Sex: "F", Record: "SK-1", Title: "Potassium", Status: "final", Number: "BR-9", Collected: "2026-05-04T08:00-04:00", Reported: "not stated",
			Laboratory: "Brinehouse", Address: "1 Saltpan Road", Specimen: []string{"Serum"}, Condition: []string{"Hemolyzed"}, Newer: true,
			Values: []ReportValue{{"Potassium", "5.6", "mmol/L", "3.5-5.1", "H", "Repeated"}, {"Erythrocytes", "4.95", "10⁶/mcL", "", "", ""}}, Files: []string{"Curves"}},
		{Patient: "Halvard Brekken", Born: "22 Jan 1955", Record: "SK-2", Title: "Film", Status: "corrected", Collected: "not stated", Reported: "2026-05-03", Laboratory: "Ferrygate", Address: "address not stated",
			First: []Section{{"IMPRESSION", "Nodule."}}, Sections: []Section{{"FINDINGS", strings.Repeat("One line.\n", 120)}}, Notes: "Read twice"}}}.Render()
	require.NoError(t, err)
	all := pages(t, raw)
	require.GreaterOrEqual(t, len(all), 4, "the long text goes over pages")
	has := func(page string, words ...string) {
		t.Helper()
		for _, w := range words {
			require.Contains(t, page, wide(w))
		}
	}
	has(all[0], "1.  Ottoline Marsh, born 14 Mar 1968, SK-1: Potassium", "a newer issue has", "2.  Halvard Brekken", "Printing closes nothing")
	has(all[1], "SK-1", "04 May 2026, 08:00 -0400", "10^6/mcL", "Potassium", "5.6", "mmol/L", "3.5-5.1", "Brinehouse, 1 Saltpan Road", "Serum", "Hemolyzed", "BR-9", "not stated", "Curves", "Repeated", "final")
	has(all[2], "SK-2", "corrected", "address not stated", "IMPRESSION", "Nodule.", "FINDINGS")
	has(all[len(all)-1], "Read twice", "Halvard Brekken")
	require.Equal(t, 120, strings.Count(strings.Join(all, ""), wide("One line.")))
}
