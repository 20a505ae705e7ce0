package demo

import (
	"context"
	"fmt"

	"deftledger/app/directory"
	"deftledger/app/prescribe"
	core "deftledger/core/prescription"
	"deftledger/standin"
)

// pharmacies take prescriptions electronically, by their account.
func pharmacies() (out []string) {
	for _, e := range entries {
		if e.Kind == directory.Pharmacy && e.Reach == directory.Electronic {
			out = append(out, e.Account)
		}
	}
	return out
}

// wants are further prescriptions that the pharmacy asks for: one that agrees with what was
// prescribed, and one of somebody who is not quite anybody here.
func wants() []standin.Wanted {
	return []standin.Wanted{
		{ID: "hs-70114", Medicine: "Losartan 50 mg tablet", Directions: "1 tablet daily", Quantity: "90", Unit: "tablet", Pharmacy: "Harbor Street Pharmacy", Account: "harbor",
			Family: "Marsh-Adeyemi", Given: "Ottoline", BirthDate: "1968-03-14", Gender: "female"},
		{ID: "hs-70131", Medicine: "Tiotropium 18 mcg capsule", Directions: "1 capsule inhaled daily", Quantity: "30", Unit: "capsule", Pharmacy: "Harbor Street Pharmacy", Account: "harbor",
			Family: "Breken", Given: "Halvard", BirthDate: "1955-01-22", Gender: "male", Note: "He has two left."},
	}
}

// prescriptions lets two have been written before today, one of them still with the pharmacy,
// and one wait for the physician; and a message that was taken down by telephone.
func (b *builder) prescriptions() {
	write := func(ago int, at, patient, line string, taken bool) {
		b.later(ago, at, func(ctx context.Context) error {
			maren := b.tokens["maren"]
			r, err := b.a.Prescribe.Read(ctx, maren, b.ids[patient], prescribe.Typed{Line: line})
			if err != nil {
				return err
			}
			found, err := b.a.Directory.Find(ctx, maren, directory.Pharmacy, "Harbor", false)
			if err != nil {
				return err
			}
			v, err := b.a.Prescribe.Prescribe(ctx, maren, prescribe.NewPrescription{PatientID: b.ids[patient], To: found[0].ID, Drug: r.Drug, RequestID: b.id(), Secret: Secret})
			if err != nil {
				return fmt.Errorf("the demo prescription %q: %w", line, err)
			}
			if taken {
				return b.a.Prescribe.Tell(ctx, b.tokens["jonah"], v.ID, prescribe.PrescriptionTold{Says: core.Dispenses, Detail: "The pharmacy called."})
			}
			return nil
		})
	}
	write(82, "10:55", "ottoline", "losartan 50 mg tablet 1 tablet daily #90", true)
	write(6, "15:20", "yusuf", "atorvastatin 20 mg tablet 1 tablet at bedtime #90 3 refills", false)
	b.later(0, "08:05", func(ctx context.Context) error {
		return b.a.Prescribe.TakeMessage(ctx, b.tokens["sunniva"], prescribe.NewMessage{Patient: b.ids["dagny"], RequestID: b.id(),
			Text: "Her knee is swollen again since Sunday, no fever. May she go on with the exercises, and is there something for the pain beside paracetamol?", From: "herself, 555-0127, best before noon"})
	})
	b.later(0, "08:20", func(ctx context.Context) error {
		jonah := b.tokens["jonah"]
		r, err := b.a.Prescribe.Read(ctx, jonah, b.ids["rosamund"], prescribe.Typed{Line: "nitrofurantoin 100 mg capsule 1 capsule twice daily for 5 days"})
		if err != nil {
			return err
		}
		_, err = b.a.Prescribe.Prepare(ctx, jonah, prescribe.NewPrescription{PatientID: b.ids["rosamund"], Drug: r.Drug, RequestID: b.id()})
		return err
	})
}
