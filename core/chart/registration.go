package chart

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// Registration is who a patient is and how they are reached, as it was stated. What is empty
// was not said: that is no answer of no.
type Registration struct {
	Family        string      `json:"family" maxLength:"200"`
	Given         string      `json:"given" maxLength:"200"`
	Middle        string      `json:"middle" maxLength:"200"`
	Suffix        string      `json:"suffix" maxLength:"40"`
	InUse         string      `json:"inUse" maxLength:"200" doc:"The name the person goes by, where it is another"`
	Former        []string    `json:"former" maxItems:"20" doc:"Other names the person has or had"`
	BirthDate     string      `json:"birthDate" maxLength:"10" doc:"YYYY-MM-DD; empty for not known"`
	Sex           string      `json:"sex" maxLength:"1" doc:"HL7 table 0001: F, M, O, U"`
	Gender        string      `json:"gender" maxLength:"100" doc:"As the person states it; empty for not said"`
	Race          []string    `json:"race" maxItems:"10" doc:"As the person states it"`
	Ethnicity     string      `json:"ethnicity" maxLength:"100" doc:"As the person states it"`
	Language      string      `json:"language" maxLength:"60"`
	Interpreter   string      `json:"interpreter" maxLength:"10" doc:"yes, no, or empty for not said"`
	Address       Address     `json:"address"`
	Telephones    []Telephone `json:"telephones" maxItems:"10"`
	Email         string      `json:"email" maxLength:"200"`
	Contacts      []Contact   `json:"contacts" maxItems:"20" doc:"Relatives, guardian, who may decide"`
	Coverages     []Coverage  `json:"coverages" maxItems:"10"`
	Guarantor     string      `json:"guarantor" maxLength:"64" doc:"Who pays what no insurer does: self, a contact by identifier, or empty for not said"`
	Pharmacy      string      `json:"pharmacy" maxLength:"200"`
	PharmacyPhone string      `json:"pharmacyPhone" maxLength:"40"`
	Portal        bool        `json:"portal" doc:"Uses the portal"`
	Remark        string      `json:"remark" maxLength:"1000"`

	Died        string `json:"died,omitempty" maxLength:"10" doc:"When the person died, as precisely as known; empty for alive as far as known"`
	Left        string `json:"left,omitempty" maxLength:"10" doc:"Since when the person no longer comes to us"`
	NoReminders bool   `json:"noReminders,omitempty" doc:"Wants no letters or messages that remind"`
}

// Address is where somebody lives or gets mail.
type Address struct {
	Street string `json:"street" maxLength:"200"`
	City   string `json:"city" maxLength:"100"`
	State  string `json:"state" maxLength:"60"`
	Zip    string `json:"zip" maxLength:"20"`
	Since  string `json:"since" maxLength:"10"`
}

// Telephone is a telephone; Use is home, mobile, work or other.
type Telephone struct {
	Number   string `json:"number" maxLength:"40"`
	Use      string `json:"use" maxLength:"10"`
	Messages bool   `json:"messages" doc:"Messages with health information may be left there"`
}

// Contact is somebody beside the patient.
type Contact struct {
	ID        string `json:"id" maxLength:"64" doc:"Given by the screen; named by coverages and guarantor"`
	Name      string `json:"name" maxLength:"200"`
	Relation  string `json:"relation" maxLength:"60"`
	Phone     string `json:"phone" maxLength:"40"`
	Emergency bool   `json:"emergency"`
	Guardian  bool   `json:"guardian"`
	Decides   bool   `json:"decides" doc:"May decide for the patient, by a power of attorney or a court"`
}

// Coverage is one coverage. Days are YYYY-MM-DD, empty for open.
type Coverage struct {
	ID     string `json:"id" maxLength:"64"`
	Rank   string `json:"rank" maxLength:"10" doc:"primary, second, third"`
	Kind   string `json:"kind" maxLength:"40"`
	Payer  string `json:"payer" maxLength:"200"`
	Plan   string `json:"plan" maxLength:"200"`
	Number string `json:"number" maxLength:"60"`
	Group  string `json:"group" maxLength:"60"`
	Holder string `json:"holder" maxLength:"64" doc:"self, or a contact by identifier"`
	From   string `json:"from" maxLength:"10"`
	Until  string `json:"until" maxLength:"10"`
}

// OriginalMedicare is the kind of coverage for which a test has to be medically necessary and
// an advance notice may be due.
const OriginalMedicare = "Original Medicare"

// CoverageKinds, CoverageRanks and PhoneUses are what may be chosen.
var (
	CoverageKinds = []string{"commercial", OriginalMedicare, "Medicare Advantage", "Medicaid", "military", "workers' compensation", "other"}
	CoverageRanks = []string{"primary", "second", "third"}
	PhoneUses     = []string{"mobile", "home", "work", "other"}
	// Races and Ethnicities are the categories of OMB Directive 15 (2024), which are asked as one
	// question and answered in as many ways as fit; other words are kept as they are stated.
	Races = []string{"American Indian or Alaska Native", "Asian", "Black or African American", "Hispanic or Latino", "Middle Eastern or North African",
		"Native Hawaiian or Pacific Islander", "White", "does not want to say"}
	Ethnicities = []string{"Hispanic or Latino", "not Hispanic or Latino", "does not want to say"}
)

// FieldFinding is what is wrong with a registration, or to be asked. A Question can be answered
// with yes; anything else has to be put right.
type FieldFinding struct {
	Field    string `json:"field"`
	Says     string `json:"says"`
	Question bool   `json:"question"`
}

// medicareNumber is the form of a Medicare Beneficiary Identifier (CMS, 2018): eleven signs
// without S, L, O, I, B and Z, written with or without hyphens.
var medicareNumber = regexp.MustCompile(`^[1-9][AC-HJKMNP-RT-Y][0-9AC-HJKMNP-RT-Y][0-9][AC-HJKMNP-RT-Y][0-9AC-HJKMNP-RT-Y][0-9][AC-HJKMNP-RT-Y]{2}[0-9]{2}$`)

var mailForm = regexp.MustCompile(`^[^\s@]+@[^\s@]+\.[^\s@]+$`)

var monthFirst = regexp.MustCompile(`^(\d{1,2})[/-](\d{1,2})[/-](\d{4})$`)

// ReadBirthDate reads a birth date as 1968-03-14 or, as Americans write it, 3/14/1968; what is neither is given back as it
// is. unsure is for a day that could be read the other way round.
func ReadBirthDate(typed string) (day string, unsure bool) {
	m := monthFirst.FindStringSubmatch(Tidy(typed))
	if m == nil {
		return typed, false
	}
	born, err := time.Parse("1/2/2006", m[1]+"/"+m[2]+"/"+m[3])
	if err != nil {
		return typed, false
	}
	return born.Format(time.DateOnly), born.Day() <= 12 && born.Day() != int(born.Month())
}

// AsRead asks about what was read in one of two ways it could be.
func (r Registration) AsRead() []FieldFinding {
	if day, unsure := ReadBirthDate(r.BirthDate); unsure {
		return []FieldFinding{{Field: "birthDate", Question: true, Says: fmt.Sprintf("“%s” is read as %s?", Tidy(r.BirthDate), SayDay(day))}}
	}
	return []FieldFinding{}
}

// Tidied is a registration without the spaces around and within what was typed, with every
// list there, letters composed (NFC), and no line that says nothing.
func (r Registration) Tidied() Registration {
	tidy := func(s *string) { *s = norm.NFC.String(Tidy(*s)) }
	for _, s := range []*string{&r.Family, &r.Given, &r.Middle, &r.Suffix, &r.InUse, &r.BirthDate, &r.Sex, &r.Gender, &r.Ethnicity, &r.Language,
		&r.Interpreter, &r.Address.Street, &r.Address.City, &r.Address.State, &r.Address.Zip, &r.Address.Since, &r.Email, &r.Guarantor, &r.Pharmacy,
		&r.PharmacyPhone, &r.Remark, &r.Died, &r.Left} {
		tidy(s)
	}
	words := func(all []string) []string {
		out := []string{}
		for _, w := range all {
			if tidy(&w); w != "" && !slices.Contains(out, w) {
				out = append(out, w)
			}
		}
		return out
	}
	r.BirthDate, _ = ReadBirthDate(r.BirthDate)
	r.Former, r.Race = words(r.Former), words(r.Race)
	phones, people, covers := []Telephone{}, []Contact{}, []Coverage{}
	for _, p := range r.Telephones {
		if tidy(&p.Number); p.Number != "" {
			phones = append(phones, p)
		}
	}
	for _, c := range r.Contacts {
		tidy(&c.Name)
		tidy(&c.Relation)
		tidy(&c.Phone)
		if c.Name+c.Relation+c.Phone != "" {
			people = append(people, c)
		}
	}
	for _, c := range r.Coverages {
		for _, s := range []*string{&c.Payer, &c.Plan, &c.Number, &c.Group, &c.From, &c.Until} {
			tidy(s)
		}
		if c.Kind == OriginalMedicare {
			c.Number = strings.ToUpper(strings.NewReplacer("-", "", " ", "").Replace(c.Number))
			c.Payer = cmp.Or(c.Payer, "Medicare")
		}
		if c.Payer+c.Plan+c.Number+c.Group != "" {
			covers = append(covers, c)
		}
	}
	r.Telephones, r.Contacts, r.Coverages = phones, people, covers
	return r
}

// Check says what is wrong with a registration on a day, and what is to be asked.
func (r Registration) Check(today string) (out []FieldFinding) {
	wrong := func(field, format string, args ...any) {
		out = append(out, FieldFinding{field, fmt.Sprintf(format, args...), false})
	}
	ask := func(field, format string, args ...any) {
		out = append(out, FieldFinding{field, fmt.Sprintf(format, args...), true})
	}
	r.checkName(wrong, ask)
	years := -1
	if r.BirthDate == "" {
		ask("birthDate", "The birth date is not known? Results will not find this person by themselves.")
	} else if born, err := time.Parse(time.DateOnly, r.BirthDate); err != nil {
		wrong("birthDate", "%q is no day; write the birth date as 1968-03-14 or 3/14/1968.", r.BirthDate)
	} else if y, _, ok := AgeOn(r.BirthDate, today); !ok {
		wrong("birthDate", "%s lies in the future.", SayDay(r.BirthDate))
	} else if years = y; y > 125 {
		wrong("birthDate", "Nobody is %d years old; which year is it?", y)
	} else if y > 105 {
		ask("birthDate", "Born %s, %d years old?", born.Format("02 Jan 2006"), y)
	}
	if err := CheckOnset(r.Died, r.BirthDate, today); err != nil {
		wrong("died", "When the person died: %s.", err)
	}
	if err := CheckOnset(r.Left, r.BirthDate, today); err != nil {
		wrong("left", "Since when the person no longer comes: %s.", err)
	}
	if Sexes[r.Sex] == "" {
		wrong("sex", "The sex is female, male, other or unknown.")
	}
	if !slices.Contains([]string{"", "yes", "no"}, r.Interpreter) {
		wrong("interpreter", "An interpreter is needed, is not, or nobody said.")
	}
	if zip := r.Address.Zip; zip != "" && !regexp.MustCompile(`^\d{5}(-\d{4})?$`).MatchString(zip) {
		ask("address", "%q is no American ZIP code; is it an address abroad?", zip)
	}
	if _, err := time.Parse(time.DateOnly, r.Address.Since); r.Address.Since != "" && err != nil {
		wrong("address", "%q is no day; write it as 2026-03-14.", r.Address.Since)
	}
	if r.Email != "" && !mailForm.MatchString(r.Email) {
		wrong("email", "%q is no e-mail address.", r.Email)
	}
	for _, p := range r.Telephones {
		if !isPhone(p.Number) {
			wrong("telephones", "%q is no telephone number: seven to fifteen digits.", p.Number)
		}
		if !slices.Contains(PhoneUses, p.Use) {
			wrong("telephones", "A telephone is mobile, home, work or other.")
		}
	}
	if r.PharmacyPhone != "" && !isPhone(r.PharmacyPhone) {
		wrong("pharmacy", "%q is no telephone number: seven to fifteen digits.", r.PharmacyPhone)
	}
	ids := r.checkPeople(years, wrong, ask)
	r.checkCoverages(today, ids, wrong, ask)
	switch {
	case r.Guarantor == "" || r.Guarantor == "self" && (years < 0 || years >= 18):
	case r.Guarantor == "self":
		ask("guarantor", "A child answers for its own bills?")
	case !ids[r.Guarantor]:
		wrong("guarantor", "The guarantor is nobody of the contacts; add the person first, or choose the patient.")
	}
	return out
}

func (r Registration) checkName(wrong, ask func(field, format string, args ...any)) {
	for _, n := range append([]string{r.Family, r.Given, r.Middle, r.Suffix, r.InUse}, r.Former...) {
		if strings.ContainsFunc(n, func(c rune) bool { return unicode.IsControl(c) || c == '|' || c == '^' || c == '\\' || c == '~' }) {
			wrong("family", "%q has a sign that no name has.", n)
			return
		}
	}
	switch {
	case r.Family == "":
		wrong("family", "Write the family name; of somebody with one name only, that one.")
		return
	case Fold(r.Family) == "":
		wrong("family", "%q has no letter.", r.Family)
		return
	case r.Given == "":
		ask("given", "One name only?")
	case Fold(r.Given) == "":
		wrong("given", "%q has no letter.", r.Given)
	}
	if strings.ContainsFunc(r.Family+r.Given, unicode.IsDigit) {
		ask("family", "A name with a digit?")
	}
}

func isPhone(s string) bool {
	n := 0
	for _, c := range s {
		if unicode.IsDigit(c) {
			n++
		} else if !strings.ContainsRune(" ()+-./x#ext", c) {
			return false
		}
	}
	return n >= 7 && n <= 15
}

func (r Registration) checkPeople(years int, wrong, ask func(field, format string, args ...any)) map[string]bool {
	ids := map[string]bool{}
	guardian := false
	for _, c := range r.Contacts {
		switch {
		case c.Name == "":
			wrong("contacts", "A contact needs a name.")
		case c.ID == "" || c.ID == "self" || ids[c.ID]:
			wrong("contacts", "%s needs an identifier of their own.", c.Name)
		case c.Phone != "" && !isPhone(c.Phone):
			wrong("contacts", "%s: %q is no telephone number: seven to fifteen digits.", c.Name, c.Phone)
		}
		ids[c.ID] = true
		guardian = guardian || c.Guardian
	}
	if years >= 0 && years < 18 && !guardian {
		ask("contacts", "A child without a guardian?")
	}
	return ids
}

func (r Registration) checkCoverages(today string, ids map[string]bool, wrong, ask func(field, format string, args ...any)) {
	seen := map[string]bool{}
	for i, c := range r.Coverages {
		name := cmp.Or(c.Payer, c.Plan, c.Number)
		switch {
		case c.ID == "" || seen[c.ID]:
			wrong("coverages", "%s needs an identifier of its own.", name)
		case !slices.Contains(CoverageRanks, c.Rank):
			wrong("coverages", "%s is the primary, second or third coverage.", name)
		case !slices.Contains(CoverageKinds, c.Kind):
			wrong("coverages", "%s needs its kind: %s.", name, strings.Join(CoverageKinds, ", "))
		case c.Payer == "":
			wrong("coverages", "A coverage needs its payer.")
		case c.Holder != "self" && !ids[c.Holder]:
			wrong("coverages", "Who holds the coverage of %s is nobody of the contacts; add the person first, or choose the patient.", name)
		case c.Kind == OriginalMedicare && c.Number != "" && !medicareNumber.MatchString(c.Number):
			wrong("coverages", "%q is no Medicare number: eleven signs as on the card, such as 1EG4-TE5-MK73.", c.Number)
		case c.Kind == OriginalMedicare && c.Holder != "self":
			wrong("coverages", "Medicare is held by the patient.")
		case c.Number == "":
			ask("coverages", "%s without a number? It cannot be charged.", name)
		}
		seen[c.ID] = true
		for _, day := range []string{c.From, c.Until} {
			if _, err := time.Parse(time.DateOnly, day); day != "" && err != nil {
				wrong("coverages", "%s: %q is no day; write it as 2026-03-14.", name, day)
				return
			}
		}
		if c.From != "" && c.Until != "" && c.Until < c.From {
			wrong("coverages", "%s ends (%s) before it begins (%s).", name, c.Until, c.From)
		}
		for _, d := range r.Coverages[:i] {
			if d.Rank == c.Rank && overlap(c, d) {
				wrong("coverages", "%s and %s are both the %s coverage at one time: which pays first?", d.Payer, c.Payer, c.Rank)
			}
		}
		if c.Rank == "second" && c.holds(today) && !slices.ContainsFunc(r.Coverages, func(d Coverage) bool { return d.Rank == "primary" && d.holds(today) }) {
			ask("coverages", "%s is the second coverage, and there is no primary one today?", name)
		}
	}
}

func overlap(a, b Coverage) bool {
	return (a.Until == "" || b.From == "" || b.From <= a.Until) && (b.Until == "" || a.From == "" || a.From <= b.Until)
}

func (c Coverage) holds(day string) bool {
	return (c.From == "" || c.From <= day) && (c.Until == "" || day <= c.Until)
}

// Patient is the registration as the rest of the chart knows the person; who is already
// registered keeps identifier, record number, code status and what it was merged into.
func (r Registration) Patient(was Patient) Patient {
	was.Name = Name{Family: r.Family, Given: r.Given, Middle: r.Middle}
	was.BirthDate, was.Sex, was.UsesPortal, was.Phone = r.BirthDate, r.Sex, r.Portal, ""
	if len(r.Telephones) > 0 {
		was.Phone = r.Telephones[0].Number
	}
	return was
}

// RegistrationOf is what is known of somebody who was entered before there was a registration.
func RegistrationOf(p Patient) Registration {
	r := Registration{Family: p.Name.Family, Given: p.Name.Given, Middle: p.Name.Middle, BirthDate: p.BirthDate, Sex: p.Sex, Portal: p.UsesPortal}
	if p.Phone != "" {
		r.Telephones = []Telephone{{Number: p.Phone, Use: "other"}}
	}
	return r.Tidied()
}

// Identity says whether another registration names somebody else to the outside: by it
// results are matched.
func (r Registration) Identity(o Registration) (changed []string) {
	for _, f := range []struct{ what, was, is string }{
		{"family name", r.Family, o.Family}, {"given name", r.Given, o.Given}, {"birth date", r.BirthDate, o.BirthDate}, {"sex", r.Sex, o.Sex},
	} {
		if f.was != f.is {
			changed = append(changed, f.what)
		}
	}
	return changed
}

// Speaks lists what everybody beside the patient needs to know of speaking with them: language,
// interpreter, guardian, and who may decide.
func (r Registration) Speaks() (out []string) {
	if r.Language != "" {
		out = append(out, "Language: "+r.Language)
	}
	if r.Interpreter == "yes" {
		out = append(out, "Interpreter: needed")
	}
	for _, c := range r.Contacts {
		switch {
		case c.Guardian:
			out = append(out, "Guardian: "+strings.Trim(c.Name+", "+c.Relation, ", "))
		case c.Decides:
			out = append(out, "May decide: "+strings.Trim(c.Name+", "+c.Relation, ", "))
		}
	}
	return out
}

// Differs lists, in words, what another registration says differently, field by field: was
// and is.
func (r Registration) Differs(o Registration) (out []string) {
	say := func(what, was, is string) {
		if was != is {
			out = append(out, fmt.Sprintf("%s: %s → %s", what, cmp.Or(was, "not said"), cmp.Or(is, "not said")))
		}
	}
	say("Family name", r.Family, o.Family)
	say("Given name", r.Given, o.Given)
	say("Middle name", r.Middle, o.Middle)
	say("Suffix", r.Suffix, o.Suffix)
	say("Name in use", r.InUse, o.InUse)
	say("Other names", strings.Join(r.Former, ", "), strings.Join(o.Former, ", "))
	say("Birth date", r.BirthDate, o.BirthDate)
	say("Sex", Sexes[r.Sex], Sexes[o.Sex])
	say("Gender", r.Gender, o.Gender)
	say("Race", strings.Join(r.Race, ", "), strings.Join(o.Race, ", "))
	say("Ethnicity", r.Ethnicity, o.Ethnicity)
	say("Language", r.Language, o.Language)
	say("Interpreter", r.Interpreter, o.Interpreter)
	say("Address", r.Address.line(), o.Address.line())
	say("Telephones", phonesLine(r.Telephones), phonesLine(o.Telephones))
	say("E-mail", r.Email, o.Email)
	say("Contacts", peopleLine(r.Contacts), peopleLine(o.Contacts))
	say("Coverages", coversLine(r.Coverages), coversLine(o.Coverages))
	say("Guarantor", r.payer(), o.payer())
	say("Pharmacy", Tidy(r.Pharmacy+" "+r.PharmacyPhone), Tidy(o.Pharmacy+" "+o.PharmacyPhone))
	if r.Portal != o.Portal {
		say("Portal", map[bool]string{true: "used", false: "not used"}[r.Portal], map[bool]string{true: "used", false: "not used"}[o.Portal])
	}
	say("Remark", r.Remark, o.Remark)
	say("Died", SayDay(r.Died), SayDay(o.Died))
	say("No longer comes, since", SayDay(r.Left), SayDay(o.Left))
	if r.NoReminders != o.NoReminders {
		say("Reminders by mail", map[bool]string{true: "not wanted", false: "not said"}[r.NoReminders], map[bool]string{true: "not wanted", false: "wanted again"}[o.NoReminders])
	}
	return out
}

func (a Address) line() string {
	return strings.Trim(strings.Join([]string{a.Street, a.City, Tidy(a.State + " " + a.Zip)}, ", "), ", ")
}

func (r Registration) payer() string {
	if r.Guarantor == "self" {
		return "the patient"
	}
	for _, c := range r.Contacts {
		if c.ID == r.Guarantor {
			return c.Name
		}
	}
	return r.Guarantor
}

func phonesLine(all []Telephone) string {
	var out []string
	for _, p := range all {
		line := p.Number + " (" + p.Use
		if p.Messages {
			line += ", messages may be left"
		}
		out = append(out, line+")")
	}
	return strings.Join(out, ", ")
}

func peopleLine(all []Contact) string {
	var out []string
	for _, c := range all {
		words := []string{c.Relation, c.Phone}
		for _, x := range []struct {
			is   bool
			says string
		}{{c.Emergency, "in an emergency"}, {c.Guardian, "guardian"}, {c.Decides, "may decide"}} {
			if x.is {
				words = append(words, x.says)
			}
		}
		words = slices.DeleteFunc(words, func(s string) bool { return s == "" })
		out = append(out, strings.Trim(c.Name+", "+strings.Join(words, ", "), ", "))
	}
	return strings.Join(out, "; ")
}

func coversLine(all []Coverage) string {
	var out []string
	for _, c := range all {
		line := c.Rank + ": " + Tidy(strings.Join([]string{c.Payer, c.Plan, c.Number, c.Group}, " "))
		if c.From+c.Until != "" {
			line += " (" + c.From + " to " + c.Until + ")"
		}
		out = append(out, line)
	}
	return strings.Join(out, "; ")
}
