package safety

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"deftledger/core/chart"
)

// LOINC codes (2.78, 2024) of what the kidneys are judged by.
const (
	FiltrationRate = "98979-8" // glomerular filtration rate by creatinine, CKD-EPI 2021
	creatinine     = "2160-0"
)

// Watched lists the LOINC codes of the values that the check reads from a Record.
func (c *Catalogue) Watched() []string {
	out := []string{FiltrationRate, creatinine, chart.Weight, chart.Height}
	for _, v := range c.k.Values {
		out = append(out, v.LOINC)
	}
	return out
}

// Kidneys is what is known of somebody's kidney function. A figure is zero where it is not
// known, and Why then says why not.
type Kidneys struct {
	Rate      float64 // mL/min/1.73 m2
	RateSays  string
	Clearance float64 // mL/min, by Cockcroft and Gault
	ClearSays string
	Why       string // why there is no rate
	WhyClear  string // why there is no clearance
	Day       string // of the newest value it rests on
}

// kidneyDays is how old a value may be.
const kidneyDays = 366

// CKDEPI is the filtration rate by the CKD-EPI equation of 2021 (Inker et al., NEJM 2021) in
// mL/min/1.73 m2, from creatinine in mg/dL, for 18 years and more.
func CKDEPI(mgdL float64, years int, female bool) float64 {
	kappa, alpha, sex := 0.9, -0.302, 1.0
	if female {
		kappa, alpha, sex = 0.7, -0.241, 1.012
	}
	return 142 * math.Pow(math.Min(mgdL/kappa, 1), alpha) * math.Pow(math.Max(mgdL/kappa, 1), -1.2) * math.Pow(0.9938, float64(years)) * sex
}

// CockcroftGault is the creatinine clearance (Cockcroft and Gault, Nephron 1976) in mL/min,
// from creatinine in mg/dL and the weight as measured in kg.
func CockcroftGault(mgdL float64, years int, kg float64, female bool) float64 {
	c := float64(140-years) * kg / (72 * mgdL)
	if female {
		c *= 0.85
	}
	return c
}

// BedsideSchwartz is the filtration rate of children (Schwartz et al., JASN 2009) in
// mL/min/1.73 m2, from creatinine in mg/dL and the height in cm, from 1 to 17 years.
func BedsideSchwartz(mgdL, cm float64) float64 { return 0.413 * cm / mgdL }

// KidneysOf reads the newest kidney function of a chart: a rate the laboratory reported, or
// one computed from creatinine, whichever is the newer.
func KidneysOf(r chart.Record) (k Kidneys) {
	months := r.Months()
	rate, reported, rateValue := newestNumber(r, FiltrationRate, "mL/min/{1.73_m2}", kidneyDays)
	crea, measured, creaValue := newestNumber(r, creatinine, "mg/dL", kidneyDays)
	if !measured {
		if si, ok, v := newestNumber(r, creatinine, "umol/L", kidneyDays); ok {
			crea, measured, creaValue = si/88.4, true, v // molar mass of creatinine, 113.12 g/mol
		}
	}
	female := r.Patient.Sex == "F"
	sexKnown := r.Patient.Sex == "F" || r.Patient.Sex == "M"
	switch {
	case reported && (!measured || rateValue.Day >= creaValue.Day):
		k.Rate, k.RateSays, k.Day = rate, fmt.Sprintf("filtration rate of %s %s on %s", rateValue.Text, chart.ShownUnit(rateValue.Unit), chart.SayDay(rateValue.Day)), rateValue.Day
	case !measured:
		k.Why = "no filtration rate and no creatinine of the last year"
	case months < 0:
		k.Why = "the birth date is not known"
	case months < 12:
		k.Why = "no formula for the first year"
	case months < 216:
		h, ok, hv := newestNumber(r, chart.Height, "cm", 183)
		if !ok {
			k.Why = "not computed under 18 years without a height of the last half year"
			break
		}
		k.Rate, k.Day = BedsideSchwartz(crea, h), creaValue.Day
		k.RateSays = fmt.Sprintf("filtration rate of %.0f mL/min/1.73 m², computed (bedside formula) from creatinine %s and height %s cm", k.Rate, says(creaValue), hv.Text)
	case !sexKnown:
		k.Why = "the formula needs the sex"
	default:
		k.Rate, k.Day = CKDEPI(crea, months/12, female), creaValue.Day
		k.RateSays = fmt.Sprintf("filtration rate of %.0f mL/min/1.73 m², computed (CKD-EPI 2021) from creatinine %s", k.Rate, says(creaValue))
	}
	switch weight, ok, wv := newestNumber(r, chart.Weight, "kg", kidneyDays); {
	case !measured:
		k.WhyClear = "no creatinine of the last year"
	case months < 216:
		k.WhyClear = "the formula is for 18 years and more"
	case !sexKnown:
		k.WhyClear = "the formula needs the sex"
	case !ok:
		k.WhyClear = "no weight of the last year"
	default:
		k.Clearance = CockcroftGault(crea, months/12, weight, female)
		k.ClearSays = fmt.Sprintf("creatinine clearance of %.0f mL/min, computed (Cockcroft-Gault) from creatinine %s and weight %s kg", k.Clearance, says(creaValue), wv.Text)
		if k.Day == "" {
			k.Day = creaValue.Day
		}
	}
	return k
}

func says(v chart.Value) string {
	return v.Text + " " + chart.ShownUnit(v.Unit) + " on " + chart.SayDay(v.Day)
}

// newestNumber finds the newest value of a quantity that is a number in its unit, of so many
// days before the day of the Record. "<0.5" is the number 0.5, ">60" the number 60.
func newestNumber(r chart.Record, loinc, unit string, days int) (float64, bool, chart.Value) {
	day, err := time.Parse(time.DateOnly, r.Day)
	if err != nil {
		return 0, false, chart.Value{}
	}
	since := day.AddDate(0, 0, -days).Format(time.DateOnly)
	for i := len(r.Values) - 1; i >= 0; i-- {
		v := r.Values[i]
		if v.LOINC != loinc || v.Unit != unit || v.Day < since {
			continue
		}
		if n, err := strconv.ParseFloat(strings.TrimLeft(v.Text, "<>="), 64); err == nil && n > 0 {
			return n, true, v
		}
	}
	return 0, false, chart.Value{}
}
