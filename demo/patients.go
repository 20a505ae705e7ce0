package demo

import "deftledger/core/visit"

type patient struct {
	key, record, family, given, born, sex, phone, code string
	portal                                             bool
	allergies                                          []string // substance|reaction|severity; empty substance: none known
	medicines                                          []string // name|dose
	problems                                           []string // codes
	vitals                                             []string // LOINC|name|value|UCUM unit
	histories                                          []string // list|title|detail|since
	visits                                             []encounter
	results                                            []report
}

type encounter struct {
	daysAgo                int
	at, kind, reason, room string
	stage                  visit.Stage
	clinician              string
	s, o, a, p             string
	review, exam           string   // lines of findings
	asks                   string   // the interview, and its answers
	tests, vaccines        []string // code|analyte=text…, and CVX code|maker|lot|site
	answers                []string
	codes                  []string
	unsigned               bool
}

type report struct {
	daysAgo       int
	at, test, why string
	values, note  string
	status        string // F unless said otherwise
	corrected     string // values of a correction two days later
	signed        bool
}

func vitals(bp, pulse, temp, weight, height, bmi string) []string {
	return []string{"85354-9|Blood pressure|" + bp + "|mm[Hg]", "8867-4|Pulse|" + pulse + "|/min", "8310-5|Temperature|" + temp + "|Cel",
		"29463-7|Weight|" + weight + "|kg", "8302-2|Height|" + height + "|cm", "39156-5|Body-mass index|" + bmi + "|kg/m2"}
}

var noneKnown = []string{"||"}

var patients = []patient{
	{
		key: "ottoline", record: "SK-20418", family: "Marsh-Adeyemi", given: "Ottoline", born: "1968-03-14", sex: "F", phone: "555-0118",
		code: "Full code", portal: true,
		allergies: []string{"Sulfonamide antibiotics|hives|mild", "Naproxen|stomach bleed|severe"},
		medicines: []string{"Allopurinol|100 mg daily", "Losartan|50 mg daily", "Chlorthalidone|12.5 mg daily"},
		problems:  []string{"M10.071", "N18.31", "I12.9", "M17.11"},
		histories: []string{"past|Gout|first attack 2023|2023", "past|Stomach bleed|on naproxen|2019",
			"surgical|Gallbladder removed|Northsound Hospital|2008", "family|Kidney disease|mother", "social|Alcohol|beer at weekends",
			"social|Tobacco|never", "social|Work|runs the harbor cafe", "communication|May speak for the patient|husband, Tunde Adeyemi",
			"obstetric|Two births|1994 and 1997"},
		vitals: vitals("148/86", "78", "37.1", "81.4", "165.5", "29.7"),
		visits: []encounter{
			{daysAgo: 165, at: "09:20", kind: "Follow-up visit", reason: "Gout, second attack", s: "Settled over five days.", asks: "joint-pain",
				answers: []string{"joint=toe", "side=right", "duration=5 d", "onset=overnight", "trigger=beer", "severity=severe", "weight=y",
					"attacks=#2", "tried=ice,acetaminophen", "musculoskeletal.joint-swelling=y", "constitutional.fever=n", "skin.rash=n"},
				o: "Can walk in soft shoes.", exam: "general, heart, lungs, foot: swelling right metatarsophalangeal mild, skin",
				a: "Gout, improving after the second attack.", p: "Start allopurinol 100 mg daily. Urate and kidney function in three months.",
				codes: []string{"M10.071", "N18.31"}},
			{daysAgo: 82, at: "10:40", kind: "Follow-up visit", reason: "Gout and kidney function",
				s: "No attack since June. Takes allopurinol most days. Knee pain unchanged.", o: "Joints quiet.",
				review: "no fever, no joint swelling, no rash", exam: "general, heart, lungs, foot",
				a: "Gout without attack. Chronic kidney disease, stage 3a, steady.", p: "Continue. Chlorthalidone may raise urate; review next time.",
				codes: []string{"M10.071", "N18.31", "I12.9"}},
			{daysAgo: 0, at: "10:20", kind: "Acute visit", reason: "Right big toe pain", room: "2", stage: visit.Ready},
		},
		results: []report{
			{daysAgo: 165, test: "BMP", why: "N18.31", values: "98 139 4.5 103 25 22/H 1.18/H 54/L 9.5", signed: true},
			{daysAgo: 165, at: "07:51", test: "URIC", why: "M10.071", values: "6.8/H", signed: true},
			{daysAgo: 82, test: "BMP", why: "N18.31", values: "101/H 140 4.4 104 25 23/H 1.21/H 52/L 9.4", signed: true},
			{daysAgo: 82, at: "07:51", test: "URIC", why: "M10.071", values: "7.1/H", signed: true},
			{daysAgo: 1, test: "BMP", why: "N18.31", values: "96 139 4.6 103 24 27/H 1.34/H 46/L 9.5"},
			{daysAgo: 1, at: "07:51", test: "URIC", why: "M10.071", values: "9.4/H"},
			{daysAgo: 1, at: "07:52", test: "CBC", why: "M10.071", values: "9.8 4.43 13.1 39 88 29.6 33.6 13.2 261"},
		},
	},
	{
		key: "halvard", record: "SK-20077", family: "Brekken", given: "Halvard", born: "1955-01-22", sex: "M", phone: "555-0103",
		code:      "Full code",
		allergies: []string{"Penicillin|rash|moderate"},
		medicines: []string{"Tiotropium|18 mcg inhaled daily", "Albuterol|90 mcg, 2 puffs every 4 to 6 hours as needed",
			"Atorvastatin|40 mg daily"},
		problems: []string{"J44.9", "Z87.891", "E78.00"},
		histories: []string{"past|Chronic obstructive pulmonary disease||2012", "hospital|Pneumonia|Northsound Hospital, six days|2022-02",
			"surgical|Inguinal hernia, right||1988", "social|Tobacco|40 pack-years, stopped 2019|1974", "social|Work|retired ferry engineer",
			"family|Lung cancer|brother, at 63"},
		vitals: vitals("134/78", "84", "36.8", "71.2", "178.0", "22.5"),
		visits: []encounter{
			{daysAgo: 190, at: "11:00", kind: "Follow-up visit", reason: "Chronic lung disease",
				s: "Walks to the ferry with one stop. One course of prednisone in spring.", asks: "shortness-of-breath",
				answers: []string{"when=stairs", "duration=3 a", "course=same", "pillows=#1", "inhaler=y", "puffs=weekly", "travel=n", "clot=n",
					"respiratory.wheezing=n"}, o: "Oxygen saturation 93 % at rest.",
				review: "cough productive, no chest pain, no leg swelling, no weight loss",
				exam:   "general, heart, lungs: diminished both, prolonged expiration", a: "Chronic obstructive pulmonary disease, steady.",
				p: "Continue tiotropium. Inhaler technique shown again.", codes: []string{"J44.9"}},
			{daysAgo: 0, at: "08:40", kind: "Follow-up visit", reason: "More short of breath for a week", room: "1", stage: visit.Intake},
		},
		results: []report{
			{daysAgo: 190, test: "LIPID", why: "E78.00", values: "171 98 52 99 119", signed: true},
			{daysAgo: 3, test: "CBC", why: "J44.9", values: "11.9/H 4.95 15.2 45 91 30.7 33.8 13.2 288"},
			{daysAgo: 2, test: "BMP", why: "J44.9", values: "104/H 138 4.1 101 28 15 0.94 88 9.1"},
			{daysAgo: 0, at: "06:30", test: "NTBNP", why: "R06.02", values: "118", status: "P"},
		},
	},
	{
		key: "ines", record: "SK-20631", family: "Quarrie", given: "Ines", born: "1992-07-09", sex: "F", phone: "555-0131", code: "Full code",
		portal:    true,
		allergies: noneKnown, medicines: []string{"Ferrous sulfate|325 mg every other day"}, problems: []string{"K90.0", "D50.9"},
		vitals: vitals("108/66", "72", "36.6", "58.3", "169.0", "20.4"),
		visits: []encounter{
			{daysAgo: 120, at: "14:20", kind: "Follow-up visit", reason: "Tiredness", s: "Keeps to the diet except on the ferry.", asks: "fatigue",
				answers: []string{"duration=5 mo", "course=worse", "sleep=#8", "rested=n", "snore=n", "periods=no", "iron=n",
					"function=~the second shift at the harbor", "constitutional.weight-loss=n", "psychiatric.low-mood=n",
					"gastrointestinal.blood-in-stool=n", "respiratory.shortness-of-breath=n"}, o: "",
				review: "diarrhea, no black stool, no vomiting, no palpitations", exam: "general, eyes: pallor, heart, lungs, abdomen",
				a: "Iron deficiency anemia with celiac disease.", p: "Ferrous sulfate every other day. Ferritin and blood count in three months.",
				codes: []string{"D50.9", "K90.0"}},
			{daysAgo: 480, at: "11:40", kind: "Acute visit", reason: "Abdominal pain", s: "No visitors ill.", asks: "abdominal-pain",
				answers: []string{"duration=6 wk", "place=lower", "character=cramp", "severity=moderate", "course=comes-goes", "food=worse", "stool=n",
					"surgery=n", "constitutional.fever=n", "gastrointestinal.nausea=y", "gastrointestinal.vomiting=n", "gastrointestinal.diarrhea=y",
					"gastrointestinal.blood-in-stool=n", "constitutional.weight-loss=y"}, o: "", review: "fatigue moderate 3mo, no rash",
				exam:  "general, abdomen: distended mild, tenderness pubis mild, skin: pallor",
				a:     "Abdominal pain with loose stool and weight loss; celiac disease is possible.",
				p:     "Blood count, ferritin and tissue transglutaminase antibody. No change of diet before the blood is drawn.",
				codes: []string{"R10.30", "R63.4"}},
			{daysAgo: 0, at: "13:40", kind: "Follow-up visit", reason: "Iron deficiency"},
		},
		results: []report{
			{daysAgo: 120, test: "FERR", why: "D50.9", values: "6/L", signed: true},
			{daysAgo: 120, at: "07:51", test: "CBC", why: "D50.9", values: "6.1 4.34 10.4/L 33/L 76/L 24.0/L 31.5/L 17.1/H 340", signed: true},
			{daysAgo: 4, test: "FERR", why: "D50.9", values: "41", corrected: "14/L", note: "Corrected: the first value belonged to another tube.",
				signed: true},
			{daysAgo: 1, test: "TTG", why: "K90.0", values: "2.1"},
		},
	},
	{
		key: "bram", record: "SK-21402", family: "Tollefsen", given: "Bram", born: "1980-10-02", sex: "M", phone: "555-0164", portal: false,
		visits: []encounter{{daysAgo: 0, at: "09:00", kind: "New patient visit", reason: "Back strain, heavy lifting at the harbor", room: "3",
			stage: visit.Arrived}},
	},
	{
		key: "mina", record: "SK-20215", family: "Osei", given: "Wilhelmina", born: "1961-09-30", sex: "F", phone: "555-0122", code: "Full code",
		portal:    true,
		allergies: noneKnown, medicines: []string{"Alendronate|70 mg once a week", "Cholecalciferol|1,000 units daily"},
		problems: []string{"M81.0", "E55.9"},
		vitals:   vitals("126/74", "68", "36.5", "62.8", "161.0", "24.2"),
		visits: []encounter{
			{daysAgo: 210, at: "10:00", kind: "Follow-up visit", reason: "Osteoporosis",
				vaccines: []string{"115|Orrery Biologicals|OT4471|left deltoid"}, s: "No fall, no fracture. Takes alendronate on Sundays, upright.",
				o: "Height unchanged.", review: "no heartburn, no trouble swallowing, no back pain, no dizziness", exam: "general, back, neuro",
				a: "Age-related osteoporosis without current fracture.", p: "Continue. Vitamin D level in autumn.", codes: []string{"M81.0"}},
			{daysAgo: 0, at: "09:20", kind: "Annual visit", reason: "Preventive visit", stage: visit.Expected},
		},
		results: []report{
			{daysAgo: 210, test: "VITD", why: "E55.9", values: "24/L", signed: true},
			{daysAgo: 2, test: "VITD", why: "E55.9", values: "38"},
			{daysAgo: 2, at: "07:51", test: "TSH", why: "M81.0", values: "1.92"},
			{daysAgo: 2, at: "07:52", test: "BMP", why: "M81.0", values: "88 140 4.2 103 26 14 0.71 96 9.6"},
			{daysAgo: 2, at: "07:53", test: "CBC", why: "M81.0", values: "5.4 4.44 13.4 40 90 30.2 33.5 13.2 233"},
		},
	},
	{
		key: "caspian", record: "SK-20977", family: "Roe", given: "Caspian", born: "1997-02-18", sex: "M", phone: "555-0149", code: "Full code",
		portal:    true,
		allergies: []string{"Peanut|swelling of the lips|severe"}, medicines: []string{"Budesonide-formoterol|160/4.5 mcg, 2 puffs twice daily"},
		problems: []string{"J45.40"},
		vitals:   vitals("122/76", "70", "36.7", "77.5", "183.0", "23.1"),
		visits: []encounter{
			{daysAgo: 60, at: "15:00", kind: "Follow-up visit", reason: "Asthma", s: "Coughs on the night ferry.", asks: "asthma",
				answers: []string{"day=more", "night=#4", "rescue=more", "limit=n", "controller=most", "steroid=#1", "trigger=cold,exercise",
					"respiratory.wheezing=n"}, o: "Peak flow 520 L/min.", review: "cough dry, no fever", exam: "general, heart, lungs, throat",
				a: "Moderate persistent asthma, partly controlled.", p: "Two puffs twice daily, every day. Back in two months.",
				codes: []string{"J45.40"}},
			{daysAgo: 230, at: "09:50", kind: "Acute visit", reason: "Rash", s: "Waited until the ferry ran again.", asks: "rash",
				answers: []string{"duration=4 d", "place=arms,legs", "itch=y", "spread=y", "new=plant", "tried=cream", "constitutional.fever=n",
					"ent.trouble-swallowing=n", "respiratory.shortness-of-breath=n"}, o: "",
				exam: "general, throat, lungs, skin: rash vesicular arms severe", a: "Contact dermatitis from plants.",
				p:     "Hydrocortisone cream twice daily for a week. Return at once for swelling of the face or trouble breathing.",
				codes: []string{"L23.7"}},
			{daysAgo: 0, at: "14:00", kind: "Follow-up visit", reason: "Asthma, letter for the employer"},
		},
		results: []report{{daysAgo: 1, test: "CBCD", why: "J45.40", values: "6.6 3.9 1.9 0.4 0.4 0.0 4.97 14.9 44 89 30.0 33.9 12.8 254"}},
	},
	{
		key: "arlen", record: "SK-21190", family: "Drummond-Iyer", given: "Arlen", born: "2018-05-03", sex: "M", phone: "555-0171",
		code: "Full code", portal: true,
		allergies: noneKnown, vitals: vitals("98/60", "88", "36.9", "26.1", "128.0", "15.9"),
		visits: []encounter{
			{daysAgo: 140, at: "09:10", kind: "Acute visit", reason: "Ear pain", s: "His twin is well.", asks: "ear-pain",
				answers: []string{"duration=1 d", "side=left", "severity=moderate", "discharge=n", "swimming=y", "earlier=#1", "drinking=y",
					"constitutional.fever=y", "ent.hearing-loss=n", "ent.runny-nose=y"}, o: "",
				exam: "general, ears: bulging left, red tympanic left, throat, neck, lungs", a: "Acute otitis media, left.",
				p: "Amoxicillin for ten days, dose by weight. Acetaminophen for pain. Back if no better in three days.", codes: []string{"H66.92"}},
			{daysAgo: 0, at: "11:00", kind: "Acute visit", reason: "Ear pain"},
		},
	},
	{
		key: "arlo", record: "SK-21191", family: "Drummond-Iyer", given: "Arlo", born: "2018-05-03", sex: "M", phone: "555-0171",
		code: "Full code", portal: true,
		allergies: []string{"Amoxicillin|hives|moderate"}, vitals: vitals("100/62", "84", "36.7", "25.4", "127.5", "15.6"),
		visits: []encounter{
			{daysAgo: 300, at: "15:30", kind: "Acute visit", reason: "Sore throat", tests: []string{"STREP|STREP=positive"},
				s: "Hives after one dose of amoxicillin two years ago.", asks: "sore-throat", answers: []string{"duration=2 d", "severity=moderate",
					"swallow=y", "exposure=y", "voice=n", "tried=acetaminophen", "constitutional.fever=y", "respiratory.cough=n", "ent.runny-nose=n",
					"skin.rash=n"}, exam: "general, ears, throat: exudate both, erythema, neck: tender adenopathy both, lungs, skin",
				a: "Streptococcal pharyngitis. Hives with amoxicillin.",
				p: "Azithromycin for five days, dose by weight. Fluids, rest. Return for trouble breathing or drooling.", codes: []string{"J02.0"}},
			{daysAgo: 0, at: "11:20", kind: "Well-child visit", reason: "Check-up"},
		},
	},
	{
		key: "leocadia", record: "SK-20009", family: "Varga", given: "Leocadia", born: "1943-04-27", sex: "F", phone: "555-0101",
		code:      "Do not resuscitate",
		allergies: []string{"Codeine|confusion|moderate"},
		medicines: []string{"Lisinopril|20 mg daily", "Spironolactone|25 mg daily", "Furosemide|20 mg daily", "Metoprolol succinate|50 mg daily",
			"Apixaban|2.5 mg twice daily", "Atorvastatin|20 mg daily", "Levothyroxine|75 mcg daily", "Omeprazole|20 mg daily",
			"Acetaminophen|500 mg as needed", "Calcium carbonate|600 mg daily", "Cholecalciferol|1,000 units daily", "Senna|8.6 mg at night"},
		problems: []string{"I50.32", "I48.20", "E03.9", "R29.6"},
		histories: []string{"past|Atrial fibrillation||2016", "implants|Hip prosthesis, left|cemented|2018-09",
			"hospital|Heart failure|Northsound Hospital|2023-11", "social|Housing|lives alone, daughter next door", "social|Tobacco|never"},
		vitals: vitals("118/64", "66", "36.4", "54.0", "152.0", "23.4"),
		visits: []encounter{
			{daysAgo: 30, at: "09:40", kind: "Follow-up visit", reason: "Falls",
				s: "Both falls in the bathroom, in October. Her daughter put in a rail.", asks: "dizziness",
				answers: []string{"kind=light", "when=standing", "duration=2 mo", "falls=#2", "injured=n", "aid=cane", "new=y", "home=help",
					"cardiovascular.fainting=n", "cardiovascular.palpitations=n", "neurologic.weakness=n"}, o: "Orthostatic drop of 22 mmHg.",
				exam: "general: frail, heart, lungs, neuro: slow gait",
				a:    "Repeated falls with postural drop. Chronic diastolic heart failure, steady.",
				p:    "Furosemide down to 20 mg. Metabolic panel in four weeks.", codes: []string{"R29.6", "I50.32"}},
			{daysAgo: 9, at: "16:20", kind: "Acute visit", reason: "Swollen ankles",
				s: "Ankles more swollen since the furosemide was lowered. Sleeps flat. No chest pain.", o: "",
				exam: "general, heart: edema pitting both mid-shin, lungs", a: "", p: "Compression. Potassium and kidney function this week.",
				codes: []string{"I50.32"}, unsigned: true},
		},
		results: []report{
			{daysAgo: 30, test: "BMP", why: "I50.32", values: "92 138 4.9 102 25 24/H 1.08/H 52/L 9.2", signed: true},
			{daysAgo: 0, at: "06:10", test: "K", why: "I50.32", values: "6.4/HH", note: "Not hemolyzed. Repeated and confirmed."},
		},
	},
	{
		key: "yusuf", record: "SK-21177", family: "Strand", given: "Yusuf", born: "1974-01-30", sex: "M", phone: "555-0175", code: "Full code",
		allergies: noneKnown, problems: []string{"F17.210", "R03.0"},
		vitals: vitals("152/94", "84", "36.8", "92.0", "174.0", "30.4"),
		visits: []encounter{
			{daysAgo: 250, at: "13:20", kind: "Acute visit", reason: "Cough", s: "Wife insisted that he come.", asks: "cough",
				answers: []string{"duration=10 d", "kind=productive", "sputum=yellow", "course=better", "night=n", "smoke=now", "sick=y", "tried=syrup",
					"constitutional.fever=n", "respiratory.shortness-of-breath=n", "respiratory.wheezing=n", "cardiovascular.chest-pain=n"}, o: "",
				review: "no coughing blood, no weight loss, no night sweats", exam: "general, throat, heart, lungs: rhonchi both mild",
				a:     "Acute bronchitis, improving. Tobacco, one pack a day. Blood pressure high twice.",
				p:     "Fluids. Advised to stop tobacco; not ready to set a date. Blood pressure again in a month.",
				codes: []string{"J20.9", "F17.210", "R03.0"}},
			{daysAgo: 0, at: "15:20", kind: "Annual visit", reason: "Preventive visit"},
		},
	},
	{
		key: "dagny", record: "SK-20344", family: "Ellingsund", given: "Dagny", born: "1959-12-05", sex: "F", phone: "555-0127",
		code: "Full code", portal: true,
		allergies: noneKnown, medicines: []string{"Metformin|1,000 mg twice daily", "Lisinopril|10 mg daily"}, problems: []string{"E11.9", "I10"},
		vitals: vitals("136/80", "76", "36.6", "84.7", "167.0", "30.4"),
		visits: []encounter{
			{daysAgo: 95, at: "08:40", kind: "Follow-up visit", reason: "Diabetes", s: "Feels well. Walks daily since the summer.", asks: "diabetes",
				answers: []string{"home=y", "range=~118 to 140", "low=n", "taking=all", "diet=carbs,regular", "exercise=#7", "eye=@2026-05", "feet=y",
					"neurologic.numbness=n"}, o: "Weight down 1.4 kg since the summer.", review: "no thirst, no chest pain, no vision change",
				exam: "general, heart, lungs, foot", a: "Type 2 diabetes, improved. Blood pressure at goal.",
				p: "Continue. Hemoglobin A1c in three months.", codes: []string{"E11.9", "I10"}},
			{daysAgo: 0, at: "16:00", kind: "Follow-up visit", reason: "Diabetes", clinician: "tobias"},
		},
		results: []report{
			{daysAgo: 95, test: "A1C", why: "E11.9", values: "7.4/H 166", signed: true},
			{daysAgo: 9, test: "UACR", why: "E11.9"},
			{daysAgo: 1, test: "A1C", why: "E11.9", values: "6.9/H 151"},
			{daysAgo: 1, at: "07:51", test: "LIPID", why: "E11.9", values: "184 141 47 109 137"},
		},
	},
	{
		key: "otto", record: "SK-20562", family: "Vestergren", given: "Otto", born: "1966-06-17", sex: "M", phone: "555-0139", code: "Full code",
		allergies: []string{"Lisinopril|cough|mild"}, medicines: []string{"Amlodipine|5 mg daily"}, problems: []string{"I10", "N40.1"},
		vitals: vitals("141/88", "80", "36.9", "96.1", "181.0", "29.3"),
		visits: []encounter{
			{daysAgo: 60, at: "08:30", kind: "Follow-up visit", reason: "Blood pressure", clinician: "tobias", s: "Gets up twice a night.",
				asks: "blood-pressure", answers: []string{"home=y", "range=~140 over 85", "taking=most", "side=swelling", "salt=n", "exercise=#1",
					"nsaid=n", "cardiovascular.chest-pain=n", "neurologic.headache=n"}, o: "",
				review: "weak stream, no burning urination, no blood in urine", exam: "general, heart: edema mild both ankles, lungs, vessels",
				a:     "Hypertension above goal on amlodipine. Enlarged prostate with symptoms.",
				p:     "Amlodipine stays at 5 mg because of the ankles; salt discussed. Home readings for a week, then decide.",
				codes: []string{"I10", "N40.1"}},
			{daysAgo: 0, at: "08:20", kind: "Follow-up visit", reason: "Blood pressure", clinician: "tobias", room: "4", stage: visit.InVisit},
		},
	},
	{
		key: "rosamund", record: "SK-20718", family: "Achterberg", given: "Rosamund", born: "1988-11-11", sex: "F", phone: "555-0144",
		code: "Full code", portal: true,
		allergies: noneKnown, medicines: []string{"Levothyroxine|50 mcg daily"}, problems: []string{"E06.3"},
		vitals: vitals("112/70", "66", "36.6", "64.4", "172.0", "21.8"),
		visits: []encounter{
			{daysAgo: 400, at: "16:10", kind: "Acute visit", reason: "Headache", s: "Began when she changed to night shifts on the ferry.",
				asks: "headache", answers: []string{"duration=3 wk", "onset=gradual", "place=both", "character=pressing", "severity=mild",
					"often=weekly", "light=n", "aura=n", "pills=#2", "eyes.vision-change=n", "neurologic.weakness=n", "constitutional.fever=n",
					"musculoskeletal.neck-pain=y"}, o: "", exam: "general, eyes, neck: tenderness both, neuro", a: "Tension-type headache.",
				p: "Sleep and screens discussed. Headache diary. Back in four weeks if no better.", codes: []string{"G44.209"}},
			{daysAgo: 0, at: "10:40", kind: "Acute visit", reason: "Burning urination", stage: visit.Arrived},
		},
		results: []report{{daysAgo: 5, test: "TSH", why: "E06.3", values: "2.40"}},
	},
	{ // the same person as Wilhelmina Osei, registered again under her short name
		key: "mina again", record: "SK-21388", family: "Osei", given: "Mina", born: "1961-09-30", sex: "F", phone: "555-0122",
		allergies: []string{"Cephalexin|rash|mild"},
		vitals:    vitals("130/78", "70", "36.6", "63.1", "161.0", "24.3"),
	},
	{ // moved to the mainland years ago; nobody here has anything with her
		key: "solveig", record: "SK-18005", family: "Ankerholt", given: "Solveig", born: "1939-02-08", sex: "F", phone: "555-0181",
		allergies: []string{"Penicillin|hives|moderate"}, medicines: []string{"Apixaban|5 mg twice daily"}, problems: []string{"I48.20"},
	},
}
