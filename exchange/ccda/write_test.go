package ccda_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/outside"
	"deftledger/exchange/ccda"
)

// told are the items of a record by what they say, without where in the narrative they stand and who wrote them.
func told(items []outside.Item) (out []outside.Item) {
	for _, i := range items {
		i.Narrative, i.Author, i.At = "", "", ""
		out = append(out, i)
	}
	return out
}

// What is written is read again as it was, whatever words are in it: problems, allergies, medicines, vaccines, results, vital signs,
// procedures and histories.
func TestWhatIsWrittenIsReadAgain(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		words := rapid.OneOf(rapid.SampledFrom([]string{"Naproxen", "Ünïcode Łódź", "a <b>bold</b> & \"quoted\" 'word'", "漢字", "50% of 1/2 > 0.5 mg"}), rapid.StringMatching(`[A-Za-z][A-Za-z ]{0,18}[a-z]`))
		say := func(label string) string { return strings.Join(strings.Fields(words.Draw(t, label)), " ") }
		day := rapid.SampledFrom([]string{"", "2019", "2020-02", "2024-02-29", "2026-10-11T06:10:00-04:00", "2026-10-11T06:10-04:00", "2026-10-11T06-04:00"})
		full := rapid.SampledFrom([]string{"2024-02-29", "2020-01-31"})
		r := outside.Record{ID: "R1", Title: "Summary of care", At: "2026-11-20T10:00:00-05:00", Author: say("author"), House: "Skerrow",
			Patient: outside.Identity{Given: say("given"), Family: say("family"), BirthDate: "1968-03-14", Sex: "F", Records: []outside.RecordNumber{{Number: "SK-1"}}}}
		for n := range rapid.IntRange(0, 8).Draw(t, "n") {
			i := outside.Item{Ref: fmt.Sprint("ref-", n), Title: say("title"), Since: day.Draw(t, "since")}
			switch i.List = rapid.SampledFrom([]string{outside.Problems, outside.Allergies, outside.Medicines, outside.Immunizations, outside.Results, outside.Vitals, outside.Procedures, outside.Social, outside.Family, outside.Devices, outside.Encounters}).Draw(t, "list"); i.List {
			case outside.Problems:
				i.Status = outside.Active
				if rapid.Bool().Draw(t, "ended") {
					i.Status, i.Until = outside.Ended, full.Draw(t, "until")
				}
				i.Codes = []outside.Code{{Code: "N18.32", System: outside.ICD10, Title: i.Title}}
			case outside.Allergies:
				if rapid.IntRange(0, 5).Draw(t, "none") == 0 {
					i = outside.Item{List: i.List, Ref: i.Ref, None: true, Title: rapid.SampledFrom([]string{"No known allergies", "No known drug allergies"}).Draw(t, "none of")}
					break
				}
				i.Status, i.Severity = outside.Active, rapid.SampledFrom([]string{"", "mild", "severe"}).Draw(t, "severity")
				i.Detail = rapid.SampledFrom([]string{"", "hives", "Rash & itch"}).Draw(t, "reaction")
				if i.Severity != "" {
					i.Detail = strings.TrimPrefix(i.Detail+", "+i.Severity, ", ")
				}
			case outside.Medicines:
				switch rapid.IntRange(0, 7).Draw(t, "not taken") {
				case 0:
					i = outside.Item{List: i.List, Ref: i.Ref, None: true, Title: "Takes no medicine"}
				case 1: // of one that is named, that one only
					i.Status, i.Doubt = outside.Denied, "the record says that it is not taken"
				}
				if i.None || i.Doubt != "" {
					break
				}
				i.Status, i.Detail, i.Reason = outside.Active, say("sig"), rapid.SampledFrom([]string{"", "gout & <kidneys>"}).Draw(t, "reason")
				if rapid.Bool().Draw(t, "stopped") {
					i.Status, i.Until = outside.Ended, full.Draw(t, "until")
				}
				if rapid.Bool().Draw(t, "coded") {
					i.Codes = []outside.Code{{Code: "197319", System: outside.RxNorm, Title: i.Title}}
				}
			case outside.Immunizations:
				i.Status, i.Codes = outside.Given, []outside.Code{{Code: "150", System: outside.CVX, Title: i.Title}}
				i.Detail = rapid.SampledFrom([]string{"", "lot FX<7>"}).Draw(t, "lot")
			case outside.Results, outside.Vitals:
				i.Codes = []outside.Code{{Code: "2823-3", System: outside.LOINC, Title: i.Title}}
				i.Value = rapid.SampledFrom([]string{"4.40", "-0.5", "<5", ">=90", "negative", "Escherichia coli & others", "FINDINGS: none.\n\nIMPRESSION: as before."}).Draw(t, "value")
				if strings.ContainsAny(i.Value, "0123456789") {
					i.Unit = rapid.SampledFrom([]string{"mmol/L", "mL/min/{1.73_m2}", "10*9/L"}).Draw(t, "unit")
					i.Range = rapid.SampledFrom([]string{"", "3.5-5.1", "60 or more"}).Draw(t, "range")
					i.Flag = rapid.SampledFrom([]string{"", "H", "N", "R", "AC"}).Draw(t, "flag")
				}
				i.Detail = strings.TrimSpace(i.Value + " " + i.Unit)
				if i.Range != "" {
					i.Detail += ", range " + i.Range
				}
				if i.Flag != "" && i.Flag != "N" {
					i.Detail += ", " + i.Flag
				}
			case outside.Procedures:
				i.Status, i.Codes = outside.Done, []outside.Code{{Code: "73761001", System: outside.SNOMED, Title: i.Title}}
			case outside.Devices:
				if i.Status, i.Detail = outside.Active, say("maker"); rapid.Bool().Draw(t, "taken out") {
					i.Status, i.Until = outside.Ended, full.Draw(t, "until")
				}
			case outside.Encounters:
				i.Detail, i.Class = say("with"), rapid.SampledFrom([]string{"AMB", "IMP"}).Draw(t, "class")
			case outside.Social:
				i.Detail = say("detail")
			case outside.Family:
				i.Since, i.Detail = "", say("who")
			}
			if i.List != outside.Encounters {
				i.Note = rapid.SampledFrom([]string{"", "", "", "told by <her> sister & twice"}).Draw(t, "note")
			}
			r.Items = append(r.Items, i)
		}
		got, err := ccda.Read(ccda.Write(r, ccda.Custodian{Name: "Skerrow", Telephone: "555-0100"}))
		require.NoError(t, err)
		require.Empty(t, got.Missed)
		require.Equal(t, r.Patient.Given+"|"+r.Patient.Family+"|"+r.Patient.BirthDate+"|"+r.Patient.Sex, got.Patient.Given+"|"+got.Patient.Family+"|"+got.Patient.BirthDate+"|"+got.Patient.Sex)
		require.Equal(t, r.At, got.At)
		for _, list := range outside.RecordLists {
			of := func(items []outside.Item) (out []outside.Item) {
				for _, i := range told(items) {
					if i.List == list {
						out = append(out, i)
					}
				}
				return out
			}
			require.Equal(t, of(r.Items), of(got.Items), list)
		}
	})
}
