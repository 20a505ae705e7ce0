package outside_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/outside"
)

// The chart of the cases; what stands beside it was decided by hand, before there was anything that compares.
var ours = []outside.Ours{
	{ID: "p1", List: outside.Problems, Title: "Chronic kidney disease, stage 3a", Code: "N18.31"},
	{ID: "p2", List: outside.Problems, Title: "Idiopathic gout, right ankle and foot", Code: "M10.071"},
	{ID: "p3", List: outside.Problems, Title: "Essential hypertension", Code: "I10"},
	{ID: "p4", List: outside.Problems, Title: "Pneumonia, unspecified organism", Code: "J18.9", Ended: "2020-03-01"},
	{ID: "m1", List: outside.Medicines, Title: "Allopurinol", Detail: "100 mg daily", Names: []string{"allopurinol"}},
	{ID: "m2", List: outside.Medicines, Title: "Losartan", Detail: "50 mg daily", Names: []string{"losartan"}},
	{ID: "m3", List: outside.Medicines, Title: "Naproxen", Detail: "500 mg twice daily", Names: []string{"naproxen"}, Ended: "2026-09-02"},
	{ID: "a1", List: outside.Allergies, Title: "Naproxen", Detail: "stomach bleed", Severity: "severe", Names: []string{"naproxen"}},
	{ID: "a2", List: outside.Allergies, Title: "Sulfonamide antibiotics", Detail: "hives", Names: []string{"sulfonamide antibiotics"}},
	{ID: "v1", List: outside.Immunizations, Title: "Influenza", Code: "150", Since: "2025-10-02"},
}

func icd(list, title, code, status string) outside.Theirs {
	return outside.Theirs{Checked: true, Item: outside.Item{List: list, Title: title, Status: status, Codes: []outside.Code{{Code: code, System: outside.ICD10}}}}
}

func med(title, detail, status string, names ...string) outside.Theirs {
	return outside.Theirs{Checked: true, Names: names, Item: outside.Item{List: outside.Medicines, Title: title, Detail: detail, Status: status}}
}

func allergic(title, detail, severity, status string, names ...string) outside.Theirs {
	return outside.Theirs{Checked: true, Names: names, Item: outside.Item{List: outside.Allergies, Title: title, Detail: detail, Severity: severity, Status: status}}
}

func shot(cvx, day, status string) outside.Theirs {
	return outside.Theirs{Checked: true, Item: outside.Item{List: outside.Immunizations, Title: "Vaccine", Since: day, Status: status, Codes: []outside.Code{{Code: cvx, System: outside.CVX}}}}
}

func TestEntriesAreSetBesideTheChart(t *testing.T) {
	warned := med("Ibuprofen 400 MG Oral Tablet", "twice daily", outside.Active, "ibuprofen")
	warned.Warnings = []string{"avoid: kidney"}
	unchecked := med("Acetaminophen", "500 mg daily", outside.Active, "acetaminophen")
	unchecked.Checked = false
	doubted := med("Colchicine", "", outside.NotCertain, "colchicine")
	doubted.Doubt = "completed, with no end"
	none := func(list string) outside.Theirs {
		return outside.Theirs{Checked: true, Item: outside.Item{List: list, None: true}}
	}
	early, late := icd(outside.Problems, "Asthma", "J45.909", outside.Active), icd(outside.Problems, "Asthma", "J45.909", outside.Active)
	early.Since, late.Since = "1950", "2027-01-01"
	for _, c := range []struct {
		name    string
		theirs  outside.Theirs
		stand   outside.Stand
		with    string
		certain bool
	}{
		{"the same code", icd(outside.Problems, "HTN", "I10", outside.Active), outside.Same, "p3", true},
		{"another stage", icd(outside.Problems, "CKD 3b", "N18.32", outside.Active), outside.Differs, "p1", false},
		{"less exact", icd(outside.Problems, "Gout, unspecified", "M10.9", outside.Active), outside.Differs, "p2", false},
		{"ended there", icd(outside.Problems, "Essential hypertension", "I10", outside.Ended), outside.Conflict, "p3", false},
		{"ended here", icd(outside.Problems, "Pneumonia", "J18.9", outside.Active), outside.Conflict, "p4", false},
		{"ended in both", icd(outside.Problems, "Pneumonia", "J18.9", outside.Ended), outside.Same, "p4", true},
		{"past and nowhere", icd(outside.Problems, "Acute kidney failure", "N17.9", outside.Ended), outside.Older, "", false},
		{"a new problem is never certain", icd(outside.Problems, "Type 2 diabetes", "E11.9", outside.Active), outside.New, "", false},
		{"no code", icd(outside.Problems, "Bad knees", "", outside.Active), outside.Unsure, "", false},
		{"denied", icd(outside.Problems, "Essential hypertension", "I10", "denied"), outside.Conflict, "p3", false},
		{"no known problems", none(outside.Problems), outside.Conflict, "p1", false},
		{"before the birth", early, outside.Unsure, "", false},
		{"in the future", late, outside.Unsure, "", false},

		{"the same dose in other words", med("Allopurinol 100 MG Oral Tablet", "one tablet once a day", outside.Active, "allopurinol"), outside.Same, "m1", true},
		{"a changed dose", med("Allopurinol 100 MG Oral Tablet", "two tablets (200 mg) by mouth once a day", outside.Active, "allopurinol"), outside.Differs, "m1", false},
		{"so much each, or in all", med("Allopurinol", "two tablets (200 mg) once a day", outside.Active, "allopurinol"), outside.Unsure, "m1", false},
		{"so much in pieces", med("Losartan", "50 mg (2 tablets) daily", outside.Active, "losartan"), outside.Unsure, "m2", false},
		{"a word says which", med("Losartan", "two tablets of 25 mg daily", outside.Active, "losartan"), outside.Same, "m2", true},
		{"a dose by the bare interval", med("Losartan 50 MG Oral Tablet", "50 mg, every 24 h", outside.Active, "losartan"), outside.Same, "m2", true},
		{"as needed cannot be compared", med("Losartan 50 MG Oral Tablet", "as needed", outside.Active, "losartan"), outside.Unsure, "m2", false},
		{"no dose said", med("Losartan", "", outside.Active, "losartan"), outside.Unsure, "m2", false},
		{"ended here, active there", med("Naproxen 500 MG Oral Tablet", "twice a day as needed", outside.Active, "naproxen"), outside.Conflict, "m3", false},
		{"active here, ended there", med("Losartan", "50 mg daily", outside.Ended, "losartan"), outside.Conflict, "m2", false},
		{"a part of a combination", med("Losartan and hydrochlorothiazide", "50 mg daily", outside.Active, "losartan", "hydrochlorothiazide"), outside.Differs, "m2", false},
		{"new and undisputed", med("Acetaminophen 500 MG Oral Tablet", "as needed", outside.Active, "acetaminophen"), outside.New, "", true},
		{"new and not checked", unchecked, outside.New, "", false},
		{"new and warned of", warned, outside.Conflict, "", false},
		{"nobody knows it", med("Herbal mixture no. 4", "daily", outside.Active), outside.Unsure, "", false},
		{"their record is not certain", doubted, outside.Unsure, "", false},
		{"no medicines", none(outside.Medicines), outside.Conflict, "m1", false},

		{"none known against ours", none(outside.Allergies), outside.Conflict, "a1", false},
		{"the same substance", allergic("Naproxen", "", "", outside.Active, "naproxen"), outside.Same, "a1", true},
		{"a milder severity weakens nothing", allergic("Naproxen", "rash", "mild", outside.Active, "naproxen"), outside.Differs, "a1", false},
		{"ended there", allergic("Naproxen", "", "", outside.Ended, "naproxen"), outside.Conflict, "a1", false},
		{"a severity where we have none", allergic("Sulfa", "hives", "moderate", outside.Active, "sulfonamide antibiotics"), outside.Differs, "a2", false},
		{"a new substance", allergic("Latex", "hives", "", outside.Active, "latex"), outside.New, "", true},
		{"a substance nobody knows", allergic("Blue stuff", "itch", "", outside.Active), outside.Unsure, "", false},
		{"denied", allergic("Naproxen", "", "", "denied", "naproxen"), outside.Conflict, "a1", false},

		{"the same dose of a vaccine", shot("150", "2025-10-02", outside.Given), outside.Same, "v1", true},
		{"two days apart", shot("150", "2025-10-04", outside.Given), outside.Differs, "v1", false},
		{"a new dose", shot("150", "2026-10-11", outside.Given), outside.New, "", true},
		{"only the year", shot("150", "2025", outside.Given), outside.Unsure, "v1", false},
		{"not given", shot("216", "2026-10-11", outside.NotGiven), outside.Unsure, "", false},
		{"no code", shot("", "2026-10-11", outside.Given), outside.Unsure, "", false},
	} {
		got := outside.Compare(ours, c.theirs, "1968-03-14", "2026-11-28")
		with := ""
		if got.With != nil {
			with = got.With.ID
		}
		require.Equal(t, c.stand, got.Stand, "%s: %s", c.name, got.Why)
		require.Equal(t, c.certain, got.Certain, c.name)
		require.NotEmpty(t, got.Why, c.name)
		if c.stand != outside.Unsure || c.with != "" {
			require.Equal(t, c.with, with, c.name)
		}
	}
	require.Equal(t, outside.Conflict, outside.Compare([]outside.Ours{{List: outside.Allergies, None: true}}, allergic("Latex", "", "", outside.Active, "latex"), "", "2026-11-28").Stand,
		"anything against none known is asked")
}
