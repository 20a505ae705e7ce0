package intake

import (
	"deftledger/app/act"
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
// known". Histories are compared by their words.
func (a *Acts) Stand(r chart.Record, e store.IncomingEntry) Stands {
	item := outside.Item{Title: e.Title, Detail: e.Detail, Since: e.Since, Status: outside.Active}
	var ours []outside.Ours
	switch e.List {
	case chart.MedicineList:
		item.List, item.None = outside.Medicines, chart.SaysNone(e.Title)
		for _, x := range r.Medicines {
			ours = append(ours, outside.Ours{ID: x.ID, List: outside.Medicines, Title: x.Name, Detail: x.Dose, Names: a.Medicines.Ingredients(x.Name), Since: x.Started})
		}
	case chart.AllergyList:
		item.List, item.None = outside.Allergies, chart.SaysNone(e.Title)
		for _, x := range r.Allergies {
			ours = append(ours, outside.Ours{ID: x.ID, List: outside.Allergies, Title: x.Substance, Detail: x.Reaction, Severity: x.Severity, Names: a.Allergen(x.Substance), None: x.Substance == ""})
		}
	default:
		var ofHistory bool
		if item, ofHistory = outside.OfHistory(chart.HistoryEntry{List: e.List, Title: e.Title, Detail: e.Detail, Since: e.Since}); !ofHistory {
			return Stands{How: standsNew} // an answer, or a questionnaire
		}
		ours = OurHistories(r)
	}
	if said, doubt, doubted := strings.Cut(item.Detail, "(not certain: "); doubted {
		item.Detail, item.Doubt = strings.TrimSpace(said), strings.TrimSuffix(doubt, ")")
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
	case c.Stand == outside.New && (c.Certain || outside.HistoryList(item) != ""), item.List == outside.Allergies && item.Doubt == "" && !item.None: // an allergy that is added harms nobody, whoever knows the substance
		out.How = standsNew
	default:
		out.How = standsAsks
	}
	return out
}

// OurHistories are the histories of a chart, for what comes from outside to stand beside.
func OurHistories(r chart.Record) (out []outside.Ours) {
	for _, x := range r.Histories {
		i, given := outside.OfHistory(x)
		if !given {
			continue
		}
		o := outside.Ours{ID: x.ID, List: i.List, Class: i.Class, Title: x.Title, Detail: x.Detail, Since: x.Since, Ended: x.Until}
		if i.Status == outside.Ended {
			o.Ended = act.OrUnknown(x.Until, "ended")
		}
		out = append(out, o)
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
