package orderable

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"deftledger/core/chart"
	"deftledger/core/order"
	"deftledger/core/safety"
)

// pregnant is the code of the question that is asked of those who may be.
const pregnant = "pregnant"

// unsaid is the answer of who does not know.
const unsaid = "not known"

// The sources of what is said here.
const (
	acr    = "ACR, Manual on Contrast Media, 2024"
	fda    = "FDA, metformin labeling, 2016"
	acrspr = "ACR-SPR, practice parameter for imaging pregnant patients, 2023"
	acog   = "ACOG, Committee Opinion 723, 2017"
	acrMR  = "ACR, Manual on MR Safety, 2024"
	acip   = "CDC, General Best Practice Guidelines for Immunization, 2024"
	cdc    = "CDC, immunization schedules, 2025"
)

var (
	iodinated   = regexp.MustCompile(`(?i)\biodinated|\bio(hexol|pamidol|dixanol|versol|promide|bitridol|thalamate|xaglate|xithalamate)\b|\b(diatrizoate|radio-?contrast)\b|\b(ct|iv|x-?ray)\W+(contrast|dye)|(contrast|dye)\W+.{0,12}\b(ct|cat scan)\b`)
	gadolinium  = regexp.MustCompile(`(?i)\bgado\w+|\bgad\b|\b(mri?)\W+(contrast|dye)|(contrast|dye)\W+.{0,12}\bmri?\b`)
	anyContrast = regexp.MustCompile(`(?i)\b(contrast|dye)\b`)
	anyIodine   = regexp.MustCompile(`(?i)\biodine\b|\bpovidone`)
	hairOrFood  = regexp.MustCompile(`(?i)\b(hair|food|yellow|red|blue|azo|clothing)\W+dye`)
)

// implants are what codes of the problem list say is in the body, and matters to a magnet.
var implants = []struct{ code, says string }{
	{"Z95.0", "a pacemaker"}, {"Z45.01", "a pacemaker"}, {"Z95.81", "an implanted defibrillator or heart device"}, {"Z45.02", "an implanted defibrillator"},
	{"Z96.21", "a cochlear implant"}, {"Z98.2", "a drain of the brain, whose valve may be set by magnets"}, {"Z18.1", "metal left in the body"},
	{"Z96.82", "a nerve stimulator"}, {"Z96.41", "an insulin pump"}, {"Z97.3", "an artificial limb or device"},
}

func given(answers []order.EntryAnswer, code string) string {
	for _, a := range answers {
		if a.Question == code {
			return strings.ToLower(strings.TrimSpace(a.Answer))
		}
	}
	return ""
}

// AsksPregnant says whether the item asks of this person whether she is pregnant.
func (x Item) AsksPregnant(r chart.Record) bool {
	p := safety.PregnancyOf(r)
	return slices.ContainsFunc(x.Questions, func(q order.EntryQuestion) bool { return q.Code == pregnant }) && (p.Pregnant || p.Could)
}

// Concerns says what in a chart speaks for care with an item, given its answers so far: the
// gravest first, and last what could not be checked. What an item does not have to do with
// says nothing.
func (x Item) Concerns(r chart.Record, medicines *safety.Catalogue, answers []order.EntryAnswer) (out []safety.Warning) {
	add := func(k safety.Kind, g safety.Grade, says, why, advice, source string) {
		out = append(out, safety.Warning{Kind: k, Grade: g, Says: says, Why: why, Advice: advice, Source: source})
	}
	if x.Vaccine != nil {
		x.vaccine(r, medicines, answers, add)
		return safety.Ranked(out)
	}
	contrast := given(answers, "contrast")
	dye := x.Contrast != "" && contrast != "" && contrast != "without"
	if dye {
		x.kidneys(r, medicines, add)
		x.allergies(r, add)
	}
	x.pregnancy(r, answers, dye, add)
	if x.Magnet {
		x.metal(r, answers, add)
	}
	return safety.Ranked(out)
}

type adds func(k safety.Kind, g safety.Grade, says, why, advice, source string)

// kidneys: a filtration rate below 30 is what both guidelines name; metformin besides, by the
// label from below 60.
func (x Item) kidneys(r chart.Record, medicines *safety.Catalogue, add adds) {
	k := safety.KidneysOf(r)
	known := k.Why == "" && k.RateSays != ""
	if known && k.Rate < 30 {
		advice, why := "Weigh it against a picture without contrast; ask the radiologist", "contrast may harm the kidneys further"
		if x.Contrast == "gadolinium" {
			why, advice = "some gadolinium contrast may scar skin and organs (nephrogenic systemic fibrosis)", "Ask the radiologist for a group II agent"
		}
		add(safety.Kidney, safety.Avoid, "Weak kidneys: "+k.RateSays, why, advice, acr)
	}
	if x.Contrast != "iodine" {
		return
	}
	if !known {
		add(safety.Kidney, safety.Unchecked, "Kidney function not checked", k.Why, "", "")
	}
	var unknown []string
	for _, m := range r.Medicines {
		is := medicines.Ingredients(m.Name)
		switch {
		case len(is) == 0:
			unknown = append(unknown, m.Name)
		case !slices.Contains(is, "metformin"):
		case !known:
			add(safety.Kidney, safety.Watch, m.Name+" and contrast", "kidney function is not known; in weak kidneys metformin may gather and make lactic acid", "Know the kidney function first, or hold it from the examination until 48 hours after", fda)
		case k.Rate < 30:
			add(safety.Kidney, safety.Avoid, m.Name+" and contrast: "+k.RateSays, "metformin may gather and make lactic acid", "Hold it from the examination until 48 hours after, and begin again only with a known kidney function", acr)
		case k.Rate < 60:
			add(safety.Kidney, safety.Watch, m.Name+" and contrast: "+k.RateSays, "by the label it is held between 30 and 60; by the radiologists' manual only below 30", "Say to the patient which it is", fda+"; "+acr)
		}
	}
	if len(unknown) > 0 {
		add(safety.NotChecked, safety.Unchecked, strings.Join(unknown, ", ")+": not checked", "no medicine the list knows, so whether it is metformin is not known", "", "")
	}
}

func (x Item) allergies(r chart.Record, add adds) {
	if len(r.Allergies) == 0 {
		add(safety.NotChecked, safety.Unchecked, "Not checked against allergies", "nobody has recorded any, nor that none are known", "", "")
	}
	mine, other := iodinated, gadolinium
	if x.Contrast == "gadolinium" {
		mine, other = gadolinium, iodinated
	}
	for _, a := range r.Allergies {
		s := a.Substance
		if s == "" || a.Certainty == "refuted" {
			continue
		}
		says := "Allergy on the list: " + s
		if a.Reaction != "" {
			says += " (" + a.Reaction + ")"
		}
		switch {
		case mine.MatchString(s):
			add(safety.Allergy, safety.Avoid, says, "it may come again, and worse", "Ask the radiologist: another agent, preparation, or a picture without contrast", acr)
		case other.MatchString(s):
		case anyContrast.MatchString(s) && !hairOrFood.MatchString(s):
			add(safety.Allergy, safety.Avoid, says, "it is not said to which contrast", "Ask which it was before any is given", acr)
		case x.Contrast == "iodine" && anyIodine.MatchString(s):
			add(safety.Allergy, safety.Watch, says, "iodine on the skin says nothing of contrast, but it is not said which is meant", "Ask whether it was contrast", acr)
		}
	}
}

func (x Item) pregnancy(r chart.Record, answers []order.EntryAnswer, dye bool, add adds) {
	gadolinium := x.Contrast == "gadolinium" && dye
	if x.Radiation == "" && !gadolinium {
		return
	}
	p, said := safety.PregnancyOf(r), given(answers, pregnant)
	why, source, grade := "the beam is in or near the womb", acrspr, safety.Avoid
	switch {
	case gadolinium:
		why, source = "gadolinium reaches the child", acog
	case x.Radiation == "far":
		why, grade = "the womb is out of the beam", safety.Watch
	}
	const advice = "Without radiation or contrast if that answers the question; otherwise it need not be withheld. Speak with the radiologist"
	switch {
	case p.Pregnant && said == "no":
		add(safety.InPregnancy, grade, "Pregnant by the chart, and the answer is no", why, advice, source)
	case p.Pregnant || said == "yes":
		add(safety.InPregnancy, grade, "Pregnant", why, advice, source)
	case said == "no" || !p.Could || x.Radiation == "far" && !gadolinium:
	default:
		add(safety.InPregnancy, safety.Unchecked, "Not checked: whether pregnant", "nobody has said", "", "")
	}
}

func (x Item) metal(r chart.Record, answers []order.EntryAnswer, add adds) {
	const advice = "They need make and model, and whether it may go into the magnet; give it with the order"
	said, found := given(answers, "implant"), false
	for _, c := range slices.Concat(r.ProblemCodes(), r.Addressed) {
		for _, i := range implants {
			if strings.HasPrefix(c, i.code) {
				found = true
				add(safety.Condition, safety.Avoid, fmt.Sprintf("By the chart there is %s (%s)", i.says, c), "the magnet may move, heat or stop it", advice, acrMR)
			}
		}
	}
	switch {
	case found:
	case said == "yes":
		add(safety.Condition, safety.Avoid, "There is an implant or metal", "the magnet may move, heat or stop it", advice, acrMR)
	case said == "" || said == unsaid:
		add(safety.Condition, safety.Unchecked, "Not checked: implants and metal", "nobody has said", "", "")
	}
}

// weakened are beginnings of codes of a weakened immune system: HIV, blood and lymph cancers,
// disorders of immunity, transplants, long-term immunosuppressants.
var weakened = []string{"B20", "C81", "C82", "C83", "C84", "C85", "C86", "C88", "C90", "C91", "C92", "C93", "C94", "C95", "C96", "D80", "D81", "D82", "D83", "D84", "Z94", "Z79.6", "Z79.52"}

// weakening are ingredients that weaken it, in doses that a chart may not tell.
var weakening = []string{"prednisone", "prednisolone", "methylprednisolone", "dexamethasone", "methotrexate", "azathioprine", "mycophenolate", "cyclosporine", "tacrolimus", "sirolimus", "leflunomide",
	"cyclophosphamide", "adalimumab", "etanercept", "infliximab", "golimumab", "certolizumab", "rituximab", "tofacitinib", "baricitinib", "upadacitinib", "abatacept", "tocilizumab", "mercaptopurine"}

// contents are what vaccines may hold, and people may be allergic to.
var contents = regexp.MustCompile(`(?i)\b(vaccines?|eggs?|gelatine?|neomycin|streptomycin|polymyxin|latex|yeast|thimerosal|polysorbate|polyethylene glycol|peg)\b`)

// vaccine says what speaks against giving one. What was given before, and when, is asked
// where it is recorded.
func (x Item) vaccine(r chart.Record, medicines *safety.Catalogue, answers []order.EntryAnswer, add adds) {
	if m := r.Months(); m < 0 {
		add(safety.Age, safety.Unchecked, "Age not checked", "the birth date is not known", "", "")
	} else if m < x.Vaccine.Months {
		add(safety.Age, safety.Watch, "The age of this patient", strings.TrimSuffix(x.Vaccine.Questions(m, r.Day, nil)[0], ". Is it right for this patient?"), "", cdc)
	}
	for _, a := range r.Allergies {
		if a.Substance != "" && a.Certainty != "refuted" && contents.MatchString(a.Substance) {
			add(safety.Allergy, safety.Watch, "Allergy on the list: "+a.Substance, "the product may hold it", "Look at the package before it is given", acip)
		}
	}
	if len(r.Allergies) == 0 {
		add(safety.NotChecked, safety.Unchecked, "Not checked against allergies", "nobody has recorded any, nor that none are known", "", "")
	}
	if !x.Vaccine.Live {
		return
	}
	const advice = "A live vaccine is not given then, unless somebody who knows says so"
	p, said := safety.PregnancyOf(r), given(answers, pregnant)
	switch {
	case p.Pregnant && said == "no":
		add(safety.InPregnancy, safety.Avoid, "Pregnant by the chart, and the answer is no", "a live vaccine may reach the child", advice, acip)
	case p.Pregnant || said == "yes":
		add(safety.InPregnancy, safety.Avoid, "Pregnant", "a live vaccine may reach the child", advice, acip)
	case p.Could && said != "no":
		add(safety.InPregnancy, safety.Unchecked, "Not checked: whether pregnant", "nobody has said", "", "")
	}
	for _, c := range slices.Concat(r.ProblemCodes(), r.Addressed) {
		if slices.ContainsFunc(weakened, func(w string) bool { return strings.HasPrefix(c, w) }) {
			add(safety.Condition, safety.Avoid, "A weakened immune system may be behind "+c, "a live vaccine may make ill", advice, acip)
		}
	}
	var unknown []string
	for _, m := range r.Medicines {
		is := medicines.Ingredients(m.Name)
		switch {
		case len(is) == 0:
			unknown = append(unknown, m.Name)
		case slices.ContainsFunc(is, func(i string) bool { return slices.Contains(weakening, i) }):
			add(safety.Condition, safety.Watch, m.Name, "it weakens the immune system where the dose is high enough; a live vaccine may then make ill", "Know the dose and for how long", acip)
		}
	}
	if len(unknown) > 0 {
		add(safety.NotChecked, safety.Unchecked, strings.Join(unknown, ", ")+": not checked", "no medicine the list knows, so whether it weakens the immune system is not known", "", "")
	}
}
