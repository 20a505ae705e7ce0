package demo

import (
	"context"
	"time"

	"deftledger/app/directory"
	"deftledger/app/referral"
	"deftledger/core/order"
	core "deftledger/core/referral"
)

// entries are those to whom the practice writes. The identifiers are made up, with right
// check digits.
var entries = []struct {
	key string
	directory.AddresseeView
}{
	{"tak", directory.AddresseeView{Kind: directory.Practice, Name: "Tak Kidney Clinic", Person: "Dr. Sorrel Tak", Specialty: "Nephrology: kidney disease, high blood pressure", Phone: "555-0171", Fax: "555-0172",
		Address: "9 Quay Terrace, Brinehouse, ME 04002", NPI: "1999900107", Reach: directory.Electronic, Account: "tak"}},
	{"ranta", directory.AddresseeView{Kind: directory.Practice, Name: "Northsound Hospital", Person: "Dr. Ellisif Ranta", Specialty: "Cardiology: heart", Phone: "555-0160", Fax: "555-0161",
		Address: "1 Northsound Road, Northsound, ME 04003", NPI: "1999900206", Reach: directory.Fax}},
	{"eyes", directory.AddresseeView{Kind: directory.Practice, Name: "Lantern Row Eye Practice", Person: "Dr. Odile Marchetti", Specialty: "Ophthalmology: eyes, diabetic retina", Phone: "555-0173", Fax: "555-0174",
		Address: "40 Lantern Row, Brinehouse, ME 04002", NPI: "1999900305", Reach: directory.Electronic, Account: "lantern"}},
	{"knee", directory.AddresseeView{Kind: directory.Practice, Name: "Causeway Bone and Joint", Person: "Dr. Ivo Brandt", Specialty: "Orthopedics: joints, back, fractures", Phone: "555-0175", Fax: "555-0176",
		Address: "7 Causeway, Brinehouse, ME 04002", Reach: directory.Fax}},
	{"skin", directory.AddresseeView{Kind: directory.Practice, Name: "Dr. Wilmot Asante", Specialty: "Dermatology: skin", Phone: "555-0177", Address: "3 Gull Lane, Brinehouse, ME 04002", Reach: directory.Letter,
		Remark: "Wants the letter in the patient's hand."}},
	{"imaging", directory.AddresseeView{Kind: directory.Practice, Name: "Ferrygate Imaging", Specialty: "Imaging: x-ray, ultrasound, CT, MRI, bone density, mammography", Phone: "555-0182", Fax: "555-0183",
		Address: "2 Ferrygate, Brinehouse, ME 04002", NPI: "1999900503", Reach: directory.Electronic, Account: "ferrygate"}},
	{"rooms", directory.AddresseeView{Kind: directory.Practice, Name: "Northsound Hospital, procedures", Specialty: "Procedures: endoscopy, colonoscopy, heart, lung function, sleep, EEG, nerve conduction, hearing, nuclear medicine, urology, allergy",
		Phone: "555-0164", Fax: "555-0165", Address: "1 Northsound Road, Northsound, ME 04003", Reach: directory.Fax}},
	{"quay", directory.AddresseeView{Kind: directory.Practice, Name: "Quayside Home Care", Specialty: "Medical supplies: walkers, braces, oxygen, CPAP, glucose meters, dressings", Phone: "555-0185", Fax: "555-0186",
		Address: "30 Quay Terrace, Brinehouse, ME 04002", Reach: directory.Electronic, Account: "quayside"}},
	{"move", directory.AddresseeView{Kind: directory.Practice, Name: "Harbor Steps Physical Therapy", Specialty: "Physical therapy: back, knee, walking", Phone: "555-0178", Fax: "555-0179",
		Address: "16 Harbor Street, Skerrow", Reach: directory.Fax}},
	{"mind", directory.AddresseeView{Kind: directory.Practice, Name: "Tern House Counseling", Person: "Philippa Nwosu, LCSW", Specialty: "Behavioral health: low mood, anxiety, grief", Phone: "555-0180",
		Address: "2 Tern Close, Skerrow", Reach: directory.Electronic, Account: "tern"}},
	{"harbor", directory.AddresseeView{Kind: directory.Pharmacy, Name: "Harbor Street Pharmacy", Phone: "555-0150", Fax: "555-0151", Address: "21 Harbor Street, Skerrow", NPI: "1999900404",
		Reach: directory.Electronic, Account: "harbor"}},
	{"mainland", directory.AddresseeView{Kind: directory.Pharmacy, Name: "Northsound Hospital pharmacy", Phone: "555-0162", Fax: "555-0163", Address: "1 Northsound Road, Northsound, ME 04003",
		Reach: directory.Fax}},
}

// receivers are the practices that take referrals electronically, by their account.
func receivers() (out []string) {
	for _, e := range entries {
		if e.Kind == directory.Practice && e.Reach == directory.Electronic {
			out = append(out, e.Account)
		}
	}
	return out
}

// directory keeps those to whom the practice writes, and lets two referrals be under way: one
// that was asked back, and one of which nothing was heard for too long.
func (b *builder) referrals() {
	ids := map[string]string{}
	b.later(200, "07:40", func(ctx context.Context) error {
		for _, e := range entries {
			v, err := b.a.Directory.Keep(ctx, b.tokens["sunniva"], e.AddresseeView)
			if err != nil {
				return err
			}
			ids[e.key] = v.ID
		}
		return nil
	})
	item := "" // of the next referral, where it is imaging or a supply
	var answers []order.EntryAnswer
	refer := func(ago int, at, patient, to, question, urgency string, codes []string, parts ...string) *string {
		id, what, said := new(string), item, answers
		item, answers = "", nil
		b.later(ago, at, func(ctx context.Context) error {
			maren := b.tokens["maren"]
			all, err := b.a.Referral.Parts(ctx, maren, b.ids[patient], "")
			if err != nil {
				return err
			}
			n := referral.NewReferral{PatientID: b.ids[patient], To: ids[to], Question: question, Urgency: urgency, Diagnoses: codes, Item: what, Answers: said, RequestID: b.id(), Secret: Secret}
			for _, p := range parts {
				for _, x := range all.Parts {
					if x.ID == p {
						n.Parts = append(n.Parts, referral.ChosenPart{ID: x.ID, Reads: x.Reads})
					}
				}
			}
			v, err := b.a.Referral.Refer(ctx, maren, n)
			*id = v.ID
			return err
		})
		return id
	}
	told := func(ago int, at string, who string, id *string, x referral.ReferralTold, daysOn int) {
		b.later(ago, at, func(ctx context.Context) error {
			if daysOn != 0 {
				x.Day = b.at.In(b.a.Location).AddDate(0, 0, daysOn).Format(time.DateOnly)
			}
			return b.a.Referral.Tell(ctx, b.tokens[who], *id, x)
		})
	}
	heart := refer(26, "11:20", "halvard", "ranta", "Breathless on stairs for two months with chronic lung disease: is the heart part of it? Please echocardiogram if you agree.", "routine",
		[]string{"R06.09", "J44.9"}, "medicines", "allergies")
	told(20, "09:15", "petra", heart, referral.ReferralTold{Says: core.Schedules, Detail: "Their front desk called."}, 9)
	skin := refer(9, "15:05", "rosamund", "skin", "A brown patch on the left calf that has grown since spring, 9 mm. Please look, and take it off if you think so.", "urgent", []string{"D22.72"}, "problems")
	told(9, "15:10", "jonah", skin, referral.ReferralTold{Says: core.Delivered, Detail: "Letter in her hand."}, 0)
	knee := refer(30, "10:00", "dagny", "move", "Left knee gives way on stairs: please strengthen, and train walking.", "routine", []string{"M25.562"}, "medicines", "problems")
	told(29, "08:50", "petra", knee, referral.ReferralTold{Says: core.Accepts}, 0)
	told(25, "10:30", "petra", knee, referral.ReferralTold{Says: core.Schedules}, 4)
	told(20, "16:10", "petra", knee, referral.ReferralTold{Says: core.Sees}, -1)
	told(2, "13:30", "jonah", knee, referral.ReferralTold{Says: core.Reports, Detail: "Six visits. Stairs with one hand on the rail, no giving way for two weeks. Exercises for home taught and written down. " +
		"No further visits planned; please refer again if it returns."}, 0)
	item = "xr-chest"
	chest := refer(4, "11:30", "halvard", "imaging", "More cough than usual for a week, no fever: a shadow, fluid?", "routine", []string{"J44.9"})
	told(3, "15:20", "jonah", chest, referral.ReferralTold{Says: core.Schedules}, 1)
	told(2, "16:40", "jonah", chest, referral.ReferralTold{Says: core.Reports, Detail: "Impression: Large lungs with flat diaphragms, as before. No shadow, no fluid.\n\n" +
		"Findings: Two views. Heart of usual size. No consolidation, no effusion, no mass. Compared with pictures of two years ago: no change."}, 0)
	item, answers = "walker", []order.EntryAnswer{{Question: "months", Answer: "99"}}
	refer(12, "10:40", "dagny", "quay", "", "routine", []string{"M25.562"})
}
