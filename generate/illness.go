package generate

import (
	"strings"

	"deftledger/core/chart"
)

// condition is a lasting illness of the generated people: how common it is in four ages
// (under 18, to 39, to 64, above), what is taken for it, and what is looked at.
type condition struct {
	code   string
	common [4]float64
	takes  [][2]string // one of them, with its dose
	tests  []string
	says   string // how the subjective begins
	plan   string
}

var conditions = []condition{
	{"I10", [4]float64{0, 0.05, 0.30, 0.62}, [][2]string{{"Lisinopril", "10 mg once a day"}, {"Amlodipine", "5 mg once a day"},
		{"Losartan", "50 mg once a day"}, {"Chlorthalidone", "12.5 mg once a day"}}, []string{"BMP"}, "Blood pressure at home is about as here.",
		"Goes on with the tablets; home readings twice a week."},
	{"E78.5", [4]float64{0, 0.04, 0.25, 0.50}, [][2]string{{"Atorvastatin", "20 mg at night"}, {"Rosuvastatin", "10 mg once a day"}},
		[]string{"LIPID"}, "Takes the statin without muscle pain.", "Lipids once a year."},
	{"E11.9", [4]float64{0, 0.02, 0.11, 0.24}, [][2]string{{"Metformin", "500 mg twice a day"}, {"Metformin", "1000 mg twice a day"},
		{"Empagliflozin", "10 mg once a day"}}, []string{"A1C", "UACR"}, "Sugars in the morning are mostly below 140.",
		"A1c in three months; eyes once a year."},
	{"E03.9", [4]float64{0.01, 0.03, 0.07, 0.12}, [][2]string{{"Levothyroxine", "75 mcg once a day"}, {"Levothyroxine", "100 mcg once a day"}},
		[]string{"TSH"}, "Feels even, no palpitations.", "TSH in a year, sooner if anything changes."},
	{"J45.909", [4]float64{0.09, 0.07, 0.06, 0.05}, [][2]string{{"Albuterol", "2 puffs as needed"},
		{"Budesonide-formoterol", "2 puffs twice a day"}}, nil, "Uses the reliever about once a week.", "Inhaler technique shown again."},
	{"J44.9", [4]float64{0, 0.002, 0.05, 0.13}, [][2]string{{"Tiotropium", "2 puffs once a day"}}, nil, "Breathless on the stairs, as before.",
		"Walks every day; comes at once with fever or colored sputum."},
	{"K21.9", [4]float64{0.01, 0.06, 0.14, 0.20}, [][2]string{{"Omeprazole", "20 mg before breakfast"}, {"Famotidine", "20 mg at night"}}, nil,
		"Heartburn after late meals.", "Tries to go without the tablet for two weeks."},
	{"F32.A", [4]float64{0.02, 0.09, 0.11, 0.09}, [][2]string{{"Sertraline", "50 mg once a day"}, {"Escitalopram", "10 mg once a day"}}, nil,
		"Mood is steadier, sleep still light.", "Goes on; back in six weeks."},
	{"I48.91", [4]float64{0, 0, 0.02, 0.11}, [][2]string{{"Apixaban", "5 mg twice a day"}, {"Warfarin", "as the INR asks"}}, []string{"CBC"},
		"No bleeding, no falls.", "Rate and blood count as planned."},
	{"N18.31", [4]float64{0, 0, 0.03, 0.15}, nil, []string{"BMP", "UACR"}, "Drinks enough, avoids anti-inflammatory tablets.",
		"Kidney values in three months."},
	{"M10.9", [4]float64{0, 0.01, 0.04, 0.07}, [][2]string{{"Allopurinol", "300 mg once a day"}, {"Allopurinol", "100 mg once a day"}},
		[]string{"URIC"}, "No attack since the last visit.", "Urate below 6 mg/dL is the aim."},
	{"M81.0", [4]float64{0, 0, 0.03, 0.17}, [][2]string{{"Alendronate", "70 mg once a week"}}, []string{"VITD"},
		"No fracture, takes it upright with water.", "Goes on; bone density as planned."},
	{"M17.11", [4]float64{0, 0.01, 0.10, 0.25}, [][2]string{{"Acetaminophen", "500 mg as needed"}}, nil,
		"The right knee hurts going downstairs.", "Exercises shown; weight."},
	{"D50.9", [4]float64{0.02, 0.06, 0.04, 0.05}, [][2]string{{"Ferrous sulfate", "325 mg every other day"}}, []string{"CBC", "FERR"},
		"Tired less than before.", "Blood count and ferritin in two months."},
	{"G43.909", [4]float64{0.03, 0.11, 0.08, 0.02}, [][2]string{{"Sumatriptan", "50 mg at the start of an attack"}}, nil,
		"Two attacks this month.", "Keeps a diary of the attacks."},
	{"N40.0", [4]float64{0, 0, 0.06, 0.20}, [][2]string{{"Tamsulosin", "0.4 mg after supper"}}, []string{"PSA"}, "Gets up once at night.",
		"As it is."},
	{"E66.9", [4]float64{0.08, 0.20, 0.28, 0.22}, nil, nil, "Has tried to eat less in the evening.",
		"Walks half an hour a day; weight at every visit."},
}

// complaint is what somebody comes with for once: the code, what it is called, what is
// written, and what is asked and found.
type complaint struct {
	code, reason, says, plan string
	system, symptom          string // of the review, present
	tests                    []string
}

var complaints = []complaint{
	{"J06.9", "Cold and cough", "Cough and runny nose for four days, getting better by day.",
		"Rest and fluids; back if fever comes or it lasts beyond ten days.", "respiratory", "cough", nil},
	{"M54.50", "Low back pain", "Low back pain since lifting, no weakness, no numbness.",
		"Keeps moving; heat; back in two weeks if not better.", "", "", nil},
	{"N39.0", "Burning when passing water", "Burning and frequency for two days, no flank pain.", "Culture sent; tablets for five days.", "",
		"", []string{"UCUL"}},
	{"R53.83", "Tired", "Tired for some weeks, sleeps enough.", "Blood count, thyroid and iron; back with the results.", "constitutional",
		"fatigue", []string{"CBC", "TSH", "FERR"}},
	{"R05.9", "Cough for weeks", "Dry cough for three weeks after a cold.", "Waits two more weeks; then a chest film.", "respiratory",
		"cough", nil},
	{"L30.9", "Itchy rash", "Itching patches in both elbows, on and off.", "Emollient every day, ointment for a week.", "", "", nil},
	{"R51.9", "Headache", "Dull headache in the evening, no warning signs.", "Less coffee, regular meals; back if it changes.", "", "", nil},
	{"M25.561", "Knee pain", "Right knee hurts after running, no locking.", "Rest from running for two weeks.", "", "", nil},
	{"Z00.00", "Check-up", "Feels well. Here for the yearly check.", "As discussed; next check in a year.", "", "", []string{"LIPID", "A1C"}},
	{"H66.90", "Ear pain", "Ear pain since last night, after a cold.", "Waits two days with pain relief, then tablets if not better.", "ent",
		"ear-pain", nil},
	{"Z23", "Vaccination", "Here for vaccines, no fever.", "Vaccines given; watched for fifteen minutes.", "", "", nil},
}

// band is the age group in which a condition's frequency is looked up.
func band(age int) int {
	switch {
	case age < 18:
		return 0
	case age < 40:
		return 1
	case age < 65:
		return 2
	}
	return 3
}

// more are medicines that many take beside; with them a third of those over 65 take five
// and more.
var more = [][2]string{{"Acetaminophen", "500 mg as needed"}, {"Vitamin D3", "1000 units once a day"}, {"Docusate", "100 mg at night"},
	{"Melatonin", "3 mg at night"}, {"Aspirin", "81 mg once a day"}, {"Furosemide", "20 mg in the morning"}, {"Gabapentin", "300 mg at night"},
	{"Latanoprost", "1 drop at night"}, {"Cyanocobalamin", "1000 mcg once a day"}}

var allergies = [][3]string{{"Penicillin", "hives", "moderate"}, {"Sulfamethoxazole-trimethoprim", "rash", "mild"},
	{"Codeine", "nausea", "mild"}, {"Amoxicillin", "swelling of the lips", "severe"}, {"Ibuprofen", "wheezing", "severe"},
	{"Iodinated contrast", "hives", ""}}

var histories = [][3]string{
	{"surgical", "Appendectomy", "Northsound Hospital"}, {"surgical", "Knee arthroscopy", "right"},
	{chart.HospitalList, "Pneumonia", "Northsound Hospital"}, {chart.PastList, "Broken wrist", "left, healed"},
	{chart.FamilyList, "Heart attack", "father, at 61"}, {chart.FamilyList, "Breast cancer", "mother, at 70"}, {chart.FamilyList, "Diabetes", "brother"},
	{chart.SocialList, "Tobacco", "never"}, {chart.SocialList, "Tobacco", "quit, 15 pack-years"}, {chart.SocialList, "Tobacco", "10 cigarettes a day"},
	{chart.SocialList, "Alcohol", "a glass of wine at weekends"}, {chart.SocialList, "Work", "at the harbor"}, {chart.SocialList, "Work", "retired"},
	{chart.SocialList, "Housing", "alone, second floor"},
}

// decimals is how many digits stand behind the point of a number as text.
func decimals(s string) int {
	_, after, _ := strings.Cut(s, ".")
	return len(after)
}
