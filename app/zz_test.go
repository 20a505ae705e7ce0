package app_test

import (
	"fmt"
	"testing"

	"deftledger/app/prescribe"
)

func TestZZ(t *testing.T) {
	c := open(t)
	for _, l := range []string{
		"ibuprofen 600 tid prn 10d #30", "ibuprofen 600 mg tid prn x10d", "ibuprofen 600mg po tid x 10 days", "amox 500 tid 7d", "amoxicillin 875 mg bid x7d",
		"augmentin 875-125 bid x 10 days #20", "prednisone 40 mg daily x5d", "pred 40 qd x 5", "lisinopril 10 1 qd 90 3", "lisinopril 10mg 1 qd #90 rf 3",
		"metformin er 500 mg 2 tabs with dinner #180", "zpak", "azithromycin 250 mg 2 tabs day 1 then 1 tab daily x 4 days", "nitrofurantoin macro 100 mg bid for 5 days",
		"albuterol hfa 2 puffs q4h prn wheeze #1 inhaler", "ondansetron 4mg odt q8h prn nausea #12", "levothyroxine .075 mg daily", "levothyroxine 75 ug qd", "warfarin 5.0 mg daily",
		"insulin glargine 10u qhs", "cyclobenzaprine 5 mg tid prn spasm #15", "amoxicillin 400/5 6 ml bid 10 days", "sertraline 50 mg, half tab daily for one week, then 1 tab", "hctz 25 daily", "tylenol 650 q6h prn",
		"doxycycline hyclate 100mg bid 7 days #14 no refills with food", "fluticasone 50 mcg nasal 2 sprays each nostril daily", "triamcinolone 0.1% cream bid x 2 weeks 30 g",
	} {
		r, err := c.app.Prescribe.Read(ctx, c.doctor(), patientID, prescribe.Typed{Line: l})
		if err != nil {
			fmt.Println(l, "ERR", err)
			continue
		}
		fmt.Printf("%-70s | %s | %s | %s | days %d | lacks %q\n", l, r.Says, r.Reads, r.Amount, r.Drug.Days, r.Lacks)
	}
}
