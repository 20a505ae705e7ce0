package note

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"deftledger/core/coding"
	"deftledger/core/order"
)

// What keeps a promise is said with it, so that it can be done from there.
func TestWhatKeepsAPromise(t *testing.T) {
	p := Promised{Tests: []order.Test{{Code: "URIC", Name: "Urate"}}, Medicines: []string{"colchicine"}}
	var does []string
	for _, x := range Unkept("Colchicine 0.6 mg twice daily for 5 days. Urate in two weeks. Refer to nephrology. X-ray of the foot. Return in two weeks.", p) {
		does = append(does, x.Does)
	}
	require.Equal(t, []string{"prescribe colchicine 0.6 mg twice daily for 5 days", "order URIC", "refer", "picture x-ray of the foot", ""}, does)
	// One word, several tests: the one that is called so is meant, and any of them keeps it.
	thyroid := Promised{Tests: []order.Test{{Code: "TSHR", Name: "TSH with reflex to free thyroxine", Also: []string{"tsh reflex", "tsh"}}, {Code: "TSH", Name: "Thyroid stimulating hormone", Also: []string{"tsh"}}}}
	got := Unkept("TSH today.", thyroid)
	require.Len(t, got, 1)
	require.Equal(t, "order TSH", got[0].Does)
	thyroid.Ordered = []string{"TSHR"}
	require.Empty(t, Unkept("TSH today.", thyroid))
	p.Referred, p.Imaged = true, true
	require.Empty(t, Unkept("Refer to nephrology. X-ray of the foot.", p))
	// What was ordered keeps what was promised of its kind, and nothing else.
	p.Imaged, p.Pictures = false, []string{"Ultrasound, kidneys and bladder"}
	got = Unkept("Kidney ultrasound. X-ray of the foot.", p)
	require.Len(t, got, 1)
	require.Equal(t, "picture x-ray of the foot", got[0].Does)
	require.Empty(t, Unkept("No MRI for now. Declined the x-ray. Echo was normal.", Promised{}))
}

func TestWhatThePlanPromisesAndNothingHolds(t *testing.T) {
	k := order.Analyte{Code: "K", LOINC: "2823-3"}
	tests := []order.Test{
		{Code: "URIC", Name: "Urate", Also: []string{"uric acid", "uric", "gout"}, Analytes: []order.Analyte{{LOINC: "3084-1"}}},
		{Code: "BMP", Name: "Basic metabolic panel", Also: []string{"chem7", "kidney"}, Analytes: []order.Analyte{k, {LOINC: "2951-2"}}},
		{Code: "K", Name: "Potassium", Analytes: []order.Analyte{k}},
		{Code: "A1C", Name: "Hemoglobin A1c", Also: []string{"hba1c", "diabetes"}},
		{Code: "CREA", Name: "Creatinine with eGFR", Also: []string{"kidney", "renal"}},
	}
	says := func(plan string, p Promised) string {
		p.Tests = tests
		p.Medicines = []string{"colchicine", "losartan", "naproxen", "lisinopril"}
		p.Vaccines = [][]string{{"influenza", "flu"}, {"zoster", "shingles"}}
		var out []string
		for _, x := range Unkept(plan, p) {
			require.False(t, x.Stops, "it points out, it never stops")
			require.NotEmpty(t, x.Why)
			out = append(out, x.Says)
		}
		return strings.Join(out, "; ")
	}
	for _, c := range []struct {
		plan string
		p    Promised
		want string
	}{
		{"Colchicine today. Urate in two weeks.", Promised{},
			"Colchicine is in the plan, not on the medicine list; Urate is in the plan, not ordered"},
		{"Colchicine today. Urate in two weeks.", Promised{Ordered: []string{"URIC"}, Active: []string{"Colchicine"}}, ""},
		{"No naproxen. Avoid colchicine.", Promised{}, ""},
		{"Continue losartan.", Promised{}, ""},
		{"If worse, urate again.", Promised{}, ""},
		{"Potassium next week.", Promised{Ordered: []string{"BMP"}}, ""}, // the panel holds it
		{"Creatinine today.", Promised{}, "Creatinine with eGFR is in the plan, not ordered"},
		{"hba1c today", Promised{}, "Hemoglobin A1c is in the plan, not ordered"},
		{"Hemoglobin A1c here.", Promised{House: []string{"Hemoglobin A1c in the house"}}, ""},
		{"Look after the kidney, treat the gout, diabetes leaflet.", Promised{}, ""}, // words of illness are no tests
		{"Rest.", Promised{Ordered: []string{"A1C"}}, "Hemoglobin A1c is ordered, and the plan does not say so"},
		{"", Promised{Ordered: []string{"A1C"}}, ""},
		{"Urate. Urate again.", Promised{}, "Urate is in the plan, not ordered"},
		{"The curate called.", Promised{}, ""},
		// What is taken back, and what is promised beside it in one sentence.
		{"Stop naproxen, start colchicine 0.6 mg.", Promised{}, "Colchicine is in the plan, not on the medicine list"},
		{"Stop naproxen and colchicine.", Promised{}, ""},
		{"Continue losartan, colchicine, naproxen.", Promised{}, ""},
		{"Losartan 50 mg instead of lisinopril.", Promised{}, "Losartan is in the plan, not on the medicine list"},
		{"No naproxen - check creatinine.", Promised{}, "Creatinine with eGFR is in the plan, not ordered"},
		{"If not better in a week, check urate.", Promised{}, ""},
		{"Potassium was high. Potassium next week.", Promised{}, "Potassium is in the plan, not ordered"},
		// Referrals, returns and vaccines.
		{"Refer to podiatry.", Promised{}, "A referral is in the plan, none of this visit is signed"},
		{"Cardiology referral, refer to podiatry.", Promised{}, "A referral is in the plan, none of this visit is signed"},
		{"Refer to podiatry.", Promised{Referred: true}, ""},
		{"No referral for now. Referred pain explained. Prefers to wait.", Promised{}, ""},
		{"Return in 2 weeks.", Promised{}, "A return is in the plan, not asked of the front desk"},
		{"RTC 3 mo.", Promised{}, "A return is in the plan, not asked of the front desk"},
		{"Follow-up in three months, sooner if worse.", Promised{}, "A return is in the plan, not asked of the front desk"},
		{"Return in 2 weeks if not better.", Promised{}, ""},
		{"Follow up in 3 months.", Promised{}, "A return is in the plan, not asked of the front desk"},
		{"F/u in 4-6 wks.", Promised{}, "A return is in the plan, not asked of the front desk"},
		{"Follow up in 3 months.", Promised{Back: true}, ""},
		{"Return if fever. Return to work in 2 weeks. Follow up with cardiology in 2 weeks. Potassium.", Promised{Ordered: []string{"BMP"}}, ""},
		{"Flu shot today.", Promised{}, "Flu vaccine is in the plan, neither given nor ordered at this visit"},
		{"Flu shot today.", Promised{Given: [][]string{{"influenza", "flu"}}}, ""},
		{"Declines flu shot. Shingles vaccine at the pharmacy. Influenza vaccine as due. Treat the flu.", Promised{}, ""},
	} {
		require.Equal(t, c.want, says(c.plan, c.p), c.plan)
	}
}

func TestWhatADiagnosisIsRatedAs(t *testing.T) {
	for _, c := range []struct {
		response, code string
		want           coding.ProblemKind
	}{
		{"stable", "I10", coding.StableChronic}, {"worse", "J44.9", coding.ChronicWorse}, {"stable", "S93.401A", coding.StableAcute},
		{"worse", "J06.9", coding.Unrated}, {"worse", "R05.9", coding.Unrated}, {"stable", "M54.50", coding.Unrated}, {"", "I10", coding.Unrated},
		{"improving", "I10", coding.Unrated},
	} {
		got, _ := Rated(Said{Response: c.response}, c.code)
		require.Equal(t, c.want, got, "%s %s", c.code, c.response)
	}
}
