package intake

import (
	"context"
	"slices"
	"strings"

	"deftledger/app/act"
	"deftledger/core/chart"
	"deftledger/core/safety"
	"deftledger/store"
)

// What is known of medicines and allergies of the list, and what a line of a medicine may mean.

// MedicineFacts is what is known of a medicine of the list beyond its words.
type MedicineFacts struct {
	Ingredients []string         `json:"ingredients" doc:"Generic names; empty for a medicine that is not in the catalogue"`
	Dosage      chart.Dosage     `json:"dosage"`
	Reads       string           `json:"reads" doc:"The dose as it was read; empty where it was not"`
	Why         string           `json:"why" doc:"Why it was begun; empty where nobody said"`
	Told        string           `json:"told" doc:"What was told last of taking it: taking, sometimes, not taking, not known; empty where nobody asked"`
	ToldDetail  string           `json:"toldDetail"`
	ToldBy      string           `json:"toldBy"`
	Warnings    []safety.Warning `json:"warnings" doc:"What speaks for care with it, gravest first; what could not be checked last"`
}

// AllergyFacts is what is known of an allergy beyond its words.
type AllergyFacts struct {
	Is        string `json:"is" enum:"ingredient,class,no medicine,not known" doc:"What the substance is, as the check understands it"`
	Means     string `json:"means" doc:"The ingredients or the class it names; of what is not known, a name that is spelled nearly so"`
	Certainty string `json:"certainty" enum:"confirmed,likely,doubtful,refuted,"`
	Tolerated string `json:"tolerated" doc:"What was borne since"`
}

// allergyFacts says how the check understands an allergy.
func (a *Acts) allergyFacts(x chart.Allergy) *AllergyFacts {
	is := a.Medicines.Allergen(x.Substance)
	f := &AllergyFacts{Is: "not known", Certainty: x.Certainty, Tolerated: x.Tolerated}
	switch {
	case len(is.Ingredients) > 0:
		f.Is, f.Means = "ingredient", strings.Join(is.Ingredients, ", ")
	case len(is.Groups) > 0:
		f.Is, f.Means = "class", strings.Join(is.Groups, ", ")
	case is.Known:
		f.Is = "no medicine"
	default:
		if near := a.Medicines.Find(x.Substance, 1); len(near) == 1 && near[0].Near {
			f.Means = near[0].Name
		}
	}
	if is.Known && len(is.Strange) > 0 {
		f.Means = strings.TrimPrefix(f.Means+"; not known: "+strings.Join(is.Strange, ", "), "; ")
	}
	return f
}

// Told records what the patient tells of taking a medicine of the list.
func (a *Acts) Told(ctx context.Context, who act.Actor, visitID, medicine, says, detail string) (IntakeView, error) {
	if err := act.Allow(who, act.DoIntake); err != nil {
		return IntakeView{}, err
	}
	if !slices.Contains(chart.Takings, says) {
		return IntakeView{}, act.Refuse(act.Invalid, "It is taken, taken sometimes, not taken, or not known.")
	}
	return a.Change(ctx, who, visitID, "record how a medicine is taken", func(t *act.Tx, v store.Visit) error {
		t.Tell(act.PatientEvent, v.PatientID, v.PatientID)
		return act.NotFound(t.AddTold(act.NewID(), medicine, v.PatientID, chart.Told{Says: says, Detail: chart.Tidy(detail), By: who.ID, At: t.Now}), "medicine")
	})
}

// Tolerated records what was borne in spite of an allergy.
func (a *Acts) Tolerated(ctx context.Context, who act.Actor, visitID, allergy, what, day string) (IntakeView, error) {
	if err := act.Allow(who, act.DoIntake); err != nil {
		return IntakeView{}, err
	}
	if what = chart.Tidy(what); what == "" {
		return IntakeView{}, act.Refuse(act.Invalid, "Say what was borne, and when.")
	}
	if err := act.CheckVague(day); err != nil {
		return IntakeView{}, err
	}
	return a.Change(ctx, who, visitID, "record what was borne", func(t *act.Tx, v store.Visit) error {
		t.Tell(act.PatientEvent, v.PatientID, v.PatientID)
		return act.NotFound(t.AddTolerated(act.NewID(), allergy, v.PatientID, what, day, who.ID, store.Stamp(t.Now)), "allergy")
	})
}

// MedicineHit is a medicine that may be meant, with what speaks for care with it, at the
// dose that was typed beside it.
type MedicineHit struct {
	safety.Hit
	Typed    bool             `json:"typed" doc:"The name as it was typed: none of the catalogue, or more than one entry of it says"`
	Warnings []safety.Warning `json:"warnings"`
}

// MedicineSearch is what a line such as "lisinopril 20 mg daily" may mean.
type MedicineSearch struct {
	Dose   string        `json:"dose" doc:"What stands behind the name, as it will be kept"`
	Dosage chart.Dosage  `json:"dosage"`
	Reads  string        `json:"reads" doc:"The dose as it was read; empty where it was not"`
	Unread bool          `json:"unread" doc:"There is a dose, and it was not read: it is kept as it is typed"`
	NoUnit bool          `json:"noUnit" doc:"The dose is a number without a unit: it is kept only where somebody says so"`
	Hits   []MedicineHit `json:"hits"`
}

// FindMedicine finds the medicines that a line may mean and checks each against this chart.
// A name that is not in the catalogue comes last, as typed; one that says more than an entry of it comes first.
func (a *Acts) FindMedicine(ctx context.Context, who act.Actor, patient, line string) (out MedicineSearch, err error) {
	out.Hits = []MedicineHit{}
	err = a.Look(ctx, who, act.DoIntake, func(q *store.Q) error {
		held, err := a.Order.Guarded(q, patient, a.Today())
		if err != nil {
			return err
		}
		name, dose := a.Medicines.Split(line)
		if dose, err := chart.SafeDose(dose); err == nil {
			out.Dose = dose
			out.Dosage, _ = chart.ReadDosage(dose)
		} else {
			out.Dose = dose
		}
		if out.Dosage.Read() {
			out.Reads = out.Dosage.Says()
		}
		out.Unread = out.Dose != "" && !out.Dosage.Read()
		out.NoUnit = out.Unread && chart.WithoutUnit(out.Dose)
		for _, h := range a.Medicines.Find(name, 7) {
			called := h.Name
			if h.Under != "" {
				called = h.Under
			}
			out.Hits = append(out.Hits, MedicineHit{h, false, a.Medicines.Check(held, safety.Taking{Name: called, Dose: out.Dose, Dosage: out.Dosage})})
		}
		if name = chart.Tidy(name); name == "" {
			return nil
		}
		ingredients := append([]string{}, a.Medicines.Ingredients(name)...)
		asTyped := func() MedicineHit {
			return MedicineHit{safety.Hit{Name: name, Ingredients: ingredients, Forms: []string{}}, true,
				a.Medicines.Check(held, safety.Taking{Name: name, Dose: out.Dose, Dosage: out.Dosage})}
		}
		switch read := a.Medicines.Read(name); {
		case len(ingredients) == 0: // the beginning of a name, or one that nobody knows
			out.Hits = append(out.Hits, asTyped())
		case !read.Known() || read.Several() || len(out.Hits) == 0: // more than one entry of the catalogue says
			out.Hits = append([]MedicineHit{asTyped()}, out.Hits...)
		}
		return nil
	})
	if err == nil {
		err = a.Saw(ctx, who, "look at care with a medicine", patient, "")
	}
	return out, err
}
