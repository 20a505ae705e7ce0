package chart

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// Converted values by hand: 1 lb = 0.45359237 kg, 1 in = 2.54 cm, °C = (°F − 32) · 5/9.
func TestReadVital(t *testing.T) {
	for _, c := range []struct {
		loinc, text, value, unit, entered, refused string
	}{
		{BloodPressure, "148/86", "148/86", "mm[Hg]", "", ""},
		{BloodPressure, "148/86 mm[Hg]", "148/86", "mm[Hg]", "", ""},
		{BloodPressure, "86/148", "", "", "", "cannot be"},
		{BloodPressure, "148", "", "", "", "write it as 148/86"},
		{BloodPressure, "1480/86", "", "", "", "not a blood pressure"},
		{Weight, "81.4", "81.4", "kg", "", ""},
		{Weight, "81.40", "81.40", "kg", "", ""}, // the precision it came with
		{Weight, "179 lb", "81.2", "kg", "179 lb", ""},
		{Weight, "187.4 [lb_av]", "85.0", "kg", "187.4 lb", ""},
		{Weight, "3250 g", "3.25", "kg", "3250 g", ""}, // grams of a newborn stay
		{Weight, "3000 g", "3.0", "kg", "3000 g", ""},
		{Weight, "7 lb 4 oz", "3.289", "kg", "7 lb 4 oz", ""}, // 7.25 · 0.45359237 = 3.28854
		{Weight, "7lbs 4oz", "3.289", "kg", "7 lb 4 oz", ""},
		{Weight, "7 lb 18 oz", "", "", "", "not a weight"},
		{Weight, "150#", "68.0", "kg", "150 lb", ""},      // 68.04
		{Height, "5 ft 6 in", "167.6", "cm", "66 in", ""}, // 167.64
		{Height, "5ft6", "167.6", "cm", "66 in", ""},
		{Height, "5 feet 6 inches", "167.6", "cm", "66 in", ""},
		{Height, "5' 6\"", "167.6", "cm", "66 in", ""},
		{Height, "6 ft", "182.9", "cm", "72 in", ""}, // 182.88
		{Weight, "0", "", "", "", "cannot be"},
		{Weight, "2000", "", "", "", "cannot be"},
		{Weight, "eighty", "", "", "", "not a number"},
		{Weight, "81.4 stone", "", "", "", "not a unit"},
		{Weight, ".5", "", "", "", "not a number"},
		{Height, "165.5", "165.5", "cm", "", ""},
		{Height, "65 in", "165.1", "cm", "65 in", ""},
		{Height, "5'5", "165.1", "cm", "65 in", ""},
		{Height, "5'5\"", "165.1", "cm", "65 in", ""},
		{Height, "5'", "152.4", "cm", "60 in", ""},
		{Height, "1.65 m", "165.0", "cm", "1.65 m", ""},
		{Height, "5'14", "", "", "", "not a height"},
		{Temperature, "98.6 F", "37.0", "Cel", "98.6 °F", ""},
		{Temperature, "98.2 [degF]", "36.8", "Cel", "98.2 °F", ""},
		{Temperature, "37.1", "37.1", "Cel", "", ""},
		{Temperature, "98.6", "", "", "", "if it is in °F, write 98.6 °F"},
		{Temperature, "50 C", "", "", "", "cannot be"},
		{Saturation, "101", "", "", "", "cannot be"},
		{Pulse, "78 bpm", "78", "/min", "", ""},
		{Pulse, "-5", "", "", "", "not a number"},
		{Pain, "11", "", "", "", "cannot be"},
		{"1-8", "5", "", "", "", "no vital sign"},
	} {
		m, err := ReadVital(c.loinc, c.text)
		if c.refused != "" {
			require.ErrorIs(t, err, ErrVital, c.text)
			require.ErrorContains(t, err, c.refused, c.text)
			continue
		}
		require.NoError(t, err, c.text)
		m.Bare = false
		require.Equal(t, Measured{LOINC: c.loinc, Value: c.value, Unit: c.unit, Entered: c.entered}, m, c.text)
	}
}

func TestUnusualValuesAreAskedAbout(t *testing.T) {
	adult, child := 58*12, 8*12
	last := func(v string) *Earlier { return &Earlier{v, "02 Sep 2026"} }
	for _, c := range []struct {
		loinc, value string
		months       int
		last         *Earlier
		asked        bool
	}{
		{Weight, "81.4", adult, last("80.0"), false},
		{Weight, "179.0", adult, last("81.4"), true}, // pounds typed as kilograms
		{Weight, "72.0", adult, last("81.4"), true},
		{Weight, "28.0", child, last("23.0"), false}, // a child grows
		{Weight, "20.0", child, last("26.0"), true},
		{Weight, "20.0", adult, nil, true},
		{Height, "161.0", adult, last("165.5"), true},
		{Height, "165.0", adult, last("165.5"), false},
		{Height, "131.0", child, last("124.0"), false},
		{Pulse, "150", adult, nil, true},
		{Pulse, "150", 6, nil, false}, // an infant
		{Pulse, "78", -1, nil, false},
		{Temperature, "40.6", adult, nil, true},
		{Saturation, "86", adult, nil, true},
		{BloodPressure, "148/86", adult, last("138/84"), false},
		{BloodPressure, "220/86", adult, last("138/84"), true},
		{BloodPressure, "70/50", adult, nil, true},
		{BloodPressure, "74/50", 6, nil, false}, {BloodPressure, "68/40", 6, nil, true}, // from 70 below a year
		{BloodPressure, "106/60", 6 * 12, nil, true}, {BloodPressure, "102/60", 6 * 12, nil, false}, // 105/66 at six
		{BloodPressure, "84/50", adult, nil, true}, {BloodPressure, "100/78", 12 * 12, nil, true}, // 113/75 at twelve
		{Temperature, "38.0", 2, nil, true}, {Temperature, "38.0", 3, nil, false}, {Temperature, "37.9", 1, nil, false},
		{Saturation, "91", adult, nil, true}, {Saturation, "93", adult, nil, false},
		{Respiration, "25", adult, nil, true}, {Respiration, "24", adult, nil, false}, {Respiration, "52", 1, nil, false},
		{Respiration, "52", 6, nil, true}, {Respiration, "41", 36, nil, true},
		{BloodPressure, "120/110", adult, nil, true}, // pulse pressure of 10
	} {
		k, ok := Kind(c.loinc)
		require.True(t, ok)
		require.Equal(t, c.asked, k.Question(Measured{LOINC: c.loinc, Value: c.value}, c.months, c.last) != "", "%s %s at %d months", k.Name,
			c.value, c.months)
	}
}

// A number without a unit is asked about, unless one unit only is plausible for the age and beside the last value.
func TestANumberWithoutAUnit(t *testing.T) {
	last := func(v string) *Earlier { return &Earlier{v, "02 Sep 2026"} }
	for _, c := range []struct {
		loinc, text string
		months      int
		last        *Earlier
		asks        string
	}{
		{Weight, "150", 58 * 12, nil, "kg or lb?"}, {Weight, "150", 58 * 12, last("68.4"), "150 lb is 68 kg"}, // 68.04
		{Weight, "150", 58 * 12, last("148.0"), ""}, {Weight, "150 kg", 58 * 12, last("148.0"), ""},
		{Weight, "81.4", 58 * 12, nil, ""}, {Weight, "81.4", 58 * 12, last("80.0"), ""}, {Weight, "150 lb", 58 * 12, nil, ""},
		{Weight, "20", 3 * 12, nil, "kg or lb?"}, {Weight, "20", 3 * 12, last("18.5"), ""}, // 20 lb is 9.1 kg, 18.5 kg half a year ago
		{Height, "65", 58 * 12, nil, "65 in is 165.1 cm"}, {Height, "165", 58 * 12, nil, ""}, {Height, "36", 3 * 12, nil, "36 in is 91.4 cm"},
	} {
		k, _ := Kind(c.loinc)
		m, err := ReadVital(c.loinc, c.text)
		require.NoError(t, err)
		q := k.Question(m, c.months, c.last)
		if c.asks == "" {
			require.Empty(t, q, "%s %s", k.Name, c.text)
		} else {
			require.Contains(t, q, c.asks, "%s %s", k.Name, c.text)
		}
	}
}

func TestComputedVitals(t *testing.T) {
	bmi, ok := BMI("81.4", "165.5", 58*12) // 81.4 / 1.655² = 29.72
	require.True(t, ok)
	require.Equal(t, "29.7", bmi)
	_, ok = BMI("12.0", "85.0", 23)
	require.False(t, ok, "not below two years")
	_, ok = BMI("", "165", 600)
	require.False(t, ok)
	mean, ok := MeanPressure([]string{"148/86", "142/84", "140/82"}) // 430/3 = 143.3, 252/3 = 84
	require.True(t, ok)
	require.Equal(t, "143/84", mean)
	mean, _ = MeanPressure([]string{"121/80", "122/81"}) // 121.5 and 80.5 are rounded up
	require.Equal(t, "122/81", mean)
	_, ok = MeanPressure([]string{"148/86"})
	require.False(t, ok, "one is no mean")
}

func FuzzReadVital(f *testing.F) {
	for _, s := range []string{"148/86", "5'5\"", "98.6 F", "3250 g", "1/2/3", "'", "9e9", "٣"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		for _, k := range VitalKinds {
			m, err := ReadVital(k.LOINC, s)
			if err != nil {
				require.ErrorIs(t, err, ErrVital)
				continue
			}
			again, err := ReadVital(k.LOINC, m.Value)
			require.NoError(t, err, "%q gave %q, which is refused", s, m.Value)
			require.Equal(t, m.Value, again.Value)
		}
	})
}

// The index rests on a weight of the visit, and on a height that only an adult keeps.
func TestWhatTheBodyMassIndexRestsOn(t *testing.T) {
	height := Vital{ID: "h", LOINC: Height, Value: "165.5", VisitID: "before"}
	index := Vital{ID: "i", LOINC: BodyMass, Value: "29.0", VisitID: "now"}
	weight := Measured{LOINC: Weight, Value: "81.4"}
	for name, x := range map[string]struct {
		held     []Vital
		taken    []Measured
		months   int
		value    string
		replaced []string
	}{
		"an adult's height of before": {[]Vital{height}, []Measured{weight}, 600, "29.7", nil},
		"a child's height of before":  {[]Vital{height}, []Measured{weight}, 120, "", nil},
		"age unknown":                 {[]Vital{height}, []Measured{weight}, -1, "", nil},
		"a weight of before": {[]Vital{{LOINC: Weight, Value: "81.4", VisitID: "before"}}, []Measured{{LOINC: Height, Value: "165.5"}},
			600, "", nil},
		"nothing it rests on":           {[]Vital{height}, []Measured{{LOINC: "8867-4", Value: "78"}}, 600, "", nil},
		"in place of one of this visit": {[]Vital{height, index}, []Measured{weight}, 600, "29.7", []string{"i"}},
		"both taken, a child":           {nil, []Measured{weight, {LOINC: Height, Value: "165.5"}}, 120, "29.7", nil},
	} {
		t.Run(name, func(t *testing.T) {
			value, replaced, ok := MassIndex(x.held, x.taken, "now", x.months)
			require.Equal(t, x.value, value)
			require.Equal(t, x.value != "", ok)
			if ok {
				require.Equal(t, x.replaced, replaced)
			}
		})
	}
}

// Units as people read them: none of the abbreviations that are misread (ISMP, 2024).
func TestShownUnit(t *testing.T) {
	for ucum, want := range map[string]string{"ug/dL": "mcg/dL", "ug": "mcg", "ug/mL{FEU}": "mcg/mL FEU", "[IU]/mL": "IU/mL", "m[IU]/L": "mIU/L",
		"10*3/uL": "10³/µL", "10*6/uL": "10⁶/µL", "/[HPF]": "/HPF", "mg/(24.h)": "mg/24 h", "{copies}/mL": "copies/mL", "10*9/L": "10^9/L", "mm[Hg]": "mmHg", "Cel": "°C", "mmol/L": "mmol/L", "": ""} {
		require.Equal(t, want, ShownUnit(ucum), ucum)
	}
}
