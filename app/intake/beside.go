package intake

import (
	"slices"
	"strings"

	"deftledger/core/chart"
	"deftledger/core/outside"
	"deftledger/core/safety"
	"deftledger/store"
)

// How an entry from outside stands to the chart: asks is one that is not settled together with others, because it is not certain.
const (
	standsNew     = "new"
	standsSame    = "same"
	standsDiffers = "differs"
	standsAsks    = "asks"
)

// Stands is how an entry from outside stands to the chart, beside what, and why.
type Stands struct {
	How, Why string
	Ours     string // identifier of the entry it stands beside; "" for none
	Says     string
}

// Stand sets an entry from outside beside the chart, by the one comparison that records of other houses are held to as well
// (core/outside.Compare): never certain is a medicine that is warned about or was not checked, another dose, or what stands against "none
// known". Other lists are compared by their words, and a person decides.
func (a *Acts) Stand(r chart.Record, view *IntakeView, e store.IncomingEntry) Stands {
	list := map[string]string{chart.MedicineList: outside.Medicines, chart.AllergyList: outside.Allergies}[e.List]
	if list == "" || chart.SaysNone(e.Title) {
		beside, same, found := beside(view, e)
		switch {
		case !found:
			return Stands{How: standsNew}
		case same:
			return Stands{How: standsSame, Ours: beside.ID, Says: strings.TrimSpace(beside.Title + " " + beside.Detail)}
		}
		return Stands{How: standsDiffers, Ours: beside.ID, Says: strings.TrimSpace(beside.Title + " " + beside.Detail)}
	}
	item := outside.Item{List: list, Title: e.Title, Detail: e.Detail, Status: outside.Active, Since: e.Since}
	if said, doubt, doubted := strings.Cut(e.Detail, "(not certain: "); doubted {
		item.Detail, item.Doubt = strings.TrimSpace(said), strings.TrimSuffix(doubt, ")")
	}
	var ours []outside.Ours
	for _, x := range r.Medicines {
		ours = append(ours, outside.Ours{ID: x.ID, List: outside.Medicines, Title: x.Name, Detail: x.Dose, Names: a.Medicines.Ingredients(x.Name), Since: x.Started})
	}
	for _, x := range r.Allergies {
		ours = append(ours, outside.Ours{ID: x.ID, List: outside.Allergies, Title: x.Substance, Detail: x.Reaction, Severity: x.Severity, Names: a.Allergen(x.Substance), None: x.Substance == ""})
	}
	theirs, _ := a.Theirs(item, r, "")
	c := outside.Compare(ours, theirs, r.Patient.BirthDate, r.Day)
	if c.With != nil {
		theirs, _ = a.Theirs(item, r, c.With.ID)
		c = outside.Compare(ours, theirs, r.Patient.BirthDate, r.Day)
	}
	out := Stands{Why: c.Why}
	if len(c.Differs) > 0 {
		out.Why += " (" + strings.Join(c.Differs, "; ") + ")"
	}
	switch {
	case c.With != nil && c.With.None:
		out.How = standsAsks
	case c.With != nil:
		out.How, out.Ours, out.Says = standsDiffers, c.With.ID, strings.TrimSpace(c.With.Title+" "+c.With.Detail)
		if c.Stand == outside.Same {
			out.How = standsSame
		}
	case c.Stand == outside.New && c.Certain, list == outside.Allergies && item.Doubt == "": // an allergy that is added harms nobody, whoever knows the substance
		out.How = standsNew
	default:
		out.How = standsAsks
	}
	return out
}

// Allergen names a substance as the catalogue of medicines knows it; nothing where it does not.
func (a *Acts) Allergen(substance string) []string {
	if substance == "" {
		return nil
	}
	return append(a.Medicines.AllergyClasses(substance), a.Medicines.Ingredients(substance)...)
}

// Theirs is an entry of another house with what is known here of its words, and what speaks against it in this chart beside ours, whose place it would take.
func (a *Acts) Theirs(i outside.Item, r chart.Record, ours string) (out outside.Theirs, warned []safety.Warning) {
	out = outside.Theirs{Item: i, Checked: true}
	switch i.List {
	case outside.Medicines:
		if out.Names = a.Medicines.Ingredients(i.Title); i.None {
			break
		}
		r.Medicines = slices.DeleteFunc(slices.Clone(r.Medicines), func(m chart.Medicine) bool { return m.ID == ours })
		// Their directions are read by themselves: the strength in a title is of one piece.
		m := safety.Taking{Name: i.Title, Dose: i.Detail, Dosage: a.Medicines.Dosage(i.Detail)}
		if name, dose := a.Medicines.Split(i.Title); i.Detail == "" {
			m = safety.Taking{Name: name, Dose: dose, Dosage: a.Medicines.Dosage(dose)}
		}
		for _, w := range a.Medicines.Check(r, m) {
			warned = append(warned, w)
			out.Checked = out.Checked && !w.Unknown
			if w.Serious {
				out.Warnings = append(out.Warnings, w.Says+": "+w.Why)
			}
		}
	case outside.Allergies:
		out.Names = a.Allergen(i.Title)
	}
	return out, warned
}
