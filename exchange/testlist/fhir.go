package testlist

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"deftledger/core/order"
)

// What FHIR R4 has no place for stands in extensions of ours, named under this address; a
// list without them is read all the same, and what they would say is then not known.
const ours = "urn:deftledger:testlist:"

const (
	loincSystem = "http://loinc.org"
	ucumSystem  = "http://unitsofmeasure.org"
	cliaSystem  = "urn:oid:2.16.840.1.113883.4.7"
)

// parts of FHIR that the resources share; the names are FHIR's.
type (
	extension struct {
		URL           string    `json:"url"`
		ValueString   string    `json:"valueString,omitempty"`
		ValueInteger  *int      `json:"valueInteger,omitempty"`
		ValueBoolean  *bool     `json:"valueBoolean,omitempty"`
		ValueQuantity *quantity `json:"valueQuantity,omitempty"`
		ValueMoney    *money    `json:"valueMoney,omitempty"`
	}
	quantity struct {
		Value  json.Number `json:"value,omitempty"`
		Unit   string      `json:"unit,omitempty"`
		System string      `json:"system,omitempty"`
		Code   string      `json:"code,omitempty"`
	}
	money struct {
		Value    json.Number `json:"value"`
		Currency string      `json:"currency"`
	}
	coding struct {
		System  string `json:"system,omitempty"`
		Code    string `json:"code,omitempty"`
		Display string `json:"display,omitempty"`
	}
	concept struct {
		Coding []coding `json:"coding,omitempty"`
		Text   string   `json:"text,omitempty"`
	}
	reference struct {
		Reference string `json:"reference"`
	}
	telecom struct {
		System string `json:"system"`
		Value  string `json:"value"`
	}
	address struct {
		Text string   `json:"text,omitempty"`
		Line []string `json:"line,omitempty"`
		City string   `json:"city,omitempty"`
	}
	identifier struct {
		System string `json:"system,omitempty"`
		Value  string `json:"value"`
	}
	bounds struct {
		Low  *quantity `json:"low,omitempty"`
		High *quantity `json:"high,omitempty"`
	}
)

type organization struct {
	ResourceType string       `json:"resourceType"`
	ID           string       `json:"id"`
	Extension    []extension  `json:"extension,omitempty"`
	Identifier   []identifier `json:"identifier,omitempty"`
	Name         string       `json:"name"`
	Alias        []string     `json:"alias,omitempty"`
	Telecom      []telecom    `json:"telecom,omitempty"`
	Address      []address    `json:"address,omitempty"`
}

type location struct {
	ResourceType string       `json:"resourceType"`
	ID           string       `json:"id"`
	Identifier   []identifier `json:"identifier,omitempty"`
	Name         string       `json:"name"`
	Description  string       `json:"description,omitempty"`
	Telecom      []telecom    `json:"telecom,omitempty"`
	Address      *address     `json:"address,omitempty"`
}

type specimenDefinition struct {
	ResourceType       string    `json:"resourceType"`
	ID                 string    `json:"id"`
	PatientPreparation []concept `json:"patientPreparation,omitempty"`
	TypeTested         []tested  `json:"typeTested"`
}

type tested struct {
	IsDerived   bool        `json:"isDerived"`
	Type        concept     `json:"type"`
	Preference  string      `json:"preference"`
	Container   container   `json:"container"`
	Requirement string      `json:"requirement,omitempty"`
	Handling    []hold      `json:"handling,omitempty"`
	Extension   []extension `json:"extension,omitempty"`
}

type container struct {
	Extension   []extension `json:"extension,omitempty"`
	Type        *concept    `json:"type,omitempty"`
	Cap         *concept    `json:"cap,omitempty"`
	Description string      `json:"description,omitempty"`
	Minimum     *quantity   `json:"minimumVolumeQuantity,omitempty"`
}

type hold struct {
	TemperatureQualifier *concept `json:"temperatureQualifier,omitempty"`
	Instruction          string   `json:"instruction,omitempty"`
}

type observationDefinition struct {
	ResourceType string      `json:"resourceType"`
	ID           string      `json:"id"`
	Extension    []extension `json:"extension,omitempty"`
	Code         concept     `json:"code"`
	Details      *struct {
		Unit *concept `json:"unit,omitempty"`
	} `json:"quantitativeDetails,omitempty"`
	Intervals []interval `json:"qualifiedInterval,omitempty"`
}

type interval struct {
	Category string  `json:"category"`
	Range    bounds  `json:"range"`
	Gender   string  `json:"gender,omitempty"`
	Age      *bounds `json:"age,omitempty"`
}

type questionnaire struct {
	ResourceType string `json:"resourceType"`
	ID           string `json:"id"`
	Status       string `json:"status"`
	Item         []item `json:"item"`
}

type item struct {
	Extension    []extension `json:"extension,omitempty"`
	LinkID       string      `json:"linkId"`
	Text         string      `json:"text"`
	Type         string      `json:"type"`
	EnableWhen   []enable    `json:"enableWhen,omitempty"`
	Required     bool        `json:"required,omitempty"`
	AnswerOption []option    `json:"answerOption,omitempty"`
}

type enable struct {
	Question      string  `json:"question"`
	Operator      string  `json:"operator"`
	AnswerString  string  `json:"answerString,omitempty"`
	AnswerBoolean *bool   `json:"answerBoolean,omitempty"`
	AnswerCoding  *coding `json:"answerCoding,omitempty"`
}

type option struct {
	ValueString string  `json:"valueString,omitempty"`
	ValueCoding *coding `json:"valueCoding,omitempty"`
}

type activityDefinition struct {
	ResourceType string      `json:"resourceType"`
	ID           string      `json:"id"`
	Extension    []extension `json:"extension,omitempty"`
	Title        string      `json:"title"`
	Status       string      `json:"status"`
	Kind         string      `json:"kind,omitempty"`
	Code         concept     `json:"code"`
	Related      []artifact  `json:"relatedArtifact,omitempty"`
	Specimens    []reference `json:"specimenRequirement,omitempty"`
	Observations []reference `json:"observationResultRequirement,omitempty"`
}

type artifact struct {
	Type     string `json:"type"`
	Resource string `json:"resource"`
}

// kinds are the answers of a Questionnaire (R4) and ours.
var kinds = map[string]order.AnswerKind{"boolean": order.AnswerYesNo, "choice": order.AnswerChoice, "decimal": order.AnswerNumber,
	"integer": order.AnswerNumber, "date": order.AnswerDate, "dateTime": order.AnswerDatetime, "string": order.AnswerText, "text": order.AnswerText}

func find(all []extension, name string) extension {
	i := slices.IndexFunc(all, func(x extension) bool { return x.URL == ours+name })
	if i < 0 {
		return extension{}
	}
	return all[i]
}

// bundle is a list being read.
type bundle struct {
	file      string
	resources map[string]json.RawMessage // by "Type/id" and by full address
	list      order.List
	faults    []error
	analytes  map[string]string              // code of an analyte by its address
	questions map[string]order.EntryQuestion // by code
	places    map[string]string              // code of a container by what it is
	taken     map[string]order.Container     // containers by code
}

// ReadFHIR reads a FHIR R4 bundle with an Organization (the laboratory), and for each test
// an ActivityDefinition with its SpecimenDefinition, ObservationDefinition and
// Questionnaire resources; Locations are its sites. Resources of other kinds, and tests
// that are not active, are left out. A reference that leads nowhere is a fault.
func ReadFHIR(file string, in io.Reader) (order.Laboratory, error) {
	text, err := io.ReadAll(io.LimitReader(in, 64<<20))
	if err != nil {
		return order.Laboratory{}, err
	}
	var raw struct {
		ResourceType string
		Entry        []struct {
			FullURL  string
			Resource json.RawMessage
		}
	}
	if !bytes.HasPrefix(bytes.TrimSpace(text), []byte("{")) {
		return order.Laboratory{}, fmt.Errorf("%s: a list is read from FHIR JSON, and this is something else", file)
	}
	if err := json.Unmarshal(text, &raw); err != nil {
		var bad *json.SyntaxError
		if errors.As(err, &bad) && bad.Offset >= int64(len(text)) {
			return order.Laboratory{}, fmt.Errorf("%s: the file ends before the bundle does", file)
		}
		return order.Laboratory{}, fmt.Errorf("%s: it is no FHIR bundle: %w", file, err)
	}
	if raw.ResourceType != "Bundle" {
		return order.Laboratory{}, fmt.Errorf("%s: it is a %q, not a Bundle", file, raw.ResourceType)
	}
	b := bundle{file: file, resources: map[string]json.RawMessage{}, analytes: map[string]string{}, questions: map[string]order.EntryQuestion{},
		places: map[string]string{}, taken: map[string]order.Container{}}
	type name struct{ ResourceType, ID string }
	names := make([]name, len(raw.Entry))
	for i, e := range raw.Entry {
		if json.Unmarshal(e.Resource, &names[i]) != nil {
			return order.Laboratory{}, fmt.Errorf("%s: entry %d is no resource", file, i+1)
		}
		b.resources[names[i].ResourceType+"/"+names[i].ID] = e.Resource
		if e.FullURL != "" {
			b.resources[e.FullURL] = e.Resource
		}
	}
	laboratories := 0
	for i, e := range raw.Entry {
		at := order.Place{File: file, Of: names[i].ResourceType + "/" + names[i].ID}
		switch names[i].ResourceType {
		case "Organization":
			if laboratories++; laboratories > 1 {
				b.faults = append(b.faults, at.Fault("a list is of one laboratory"))
				continue
			}
			b.laboratory(at, e.Resource)
		case "Location":
			b.site(at, e.Resource)
		case "ActivityDefinition":
			b.test(at, e.Resource)
		}
	}
	if laboratories == 0 {
		b.faults = append(b.faults, fmt.Errorf("%s: no Organization says whose list it is", file))
	}
	if err := errors.Join(b.faults...); err != nil {
		return order.Laboratory{}, err
	}
	return order.NewLaboratory(b.list)
}

func (b *bundle) read(at order.Place, text json.RawMessage, into any) bool {
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	if err := d.Decode(into); err != nil {
		b.faults = append(b.faults, at.Fault("it does not read as FHIR R4: %v", err))
		return false
	}
	return true
}

func called(all []telecom, system string) string {
	for _, t := range all {
		if t.System == system {
			return t.Value
		}
	}
	return ""
}

func (a address) says() string {
	return cmp.Or(a.Text, strings.Join(slices.DeleteFunc(append(slices.Clone(a.Line), a.City), func(s string) bool { return s == "" }), ", "))
}

var notID = regexp.MustCompile(`[^a-z0-9]+`)

func (b *bundle) laboratory(at order.Place, text json.RawMessage) {
	var o organization
	if !b.read(at, text, &o) {
		return
	}
	l := &b.list.Laboratory
	b.list.Place = at
	l.ID, l.Name = strings.Trim(notID.ReplaceAllString(strings.ToLower(cmp.Or(find(o.Extension, "id").ValueString, o.Name)), "-"), "-"), o.Name
	l.Phone, l.Fax = called(o.Telecom, "phone"), called(o.Telecom, "fax")
	for _, i := range o.Identifier {
		if i.System == cliaSystem {
			l.CLIA = i.Value
		}
	}
	if len(o.Alias) > 0 {
		l.Facility = o.Alias[0]
	}
	if len(o.Address) > 0 {
		l.Address = o.Address[0].says()
	}
	// Whether it takes messages has to be said; on paper an order always arrives.
	l.Takes = order.Takes(cmp.Or(find(o.Extension, "takes").ValueString, string(order.TakesPaper)))
	l.Edition, l.Source = find(o.Extension, "edition").ValueString, cmp.Or(find(o.Extension, "source").ValueString, b.file)
}

func (b *bundle) site(at order.Place, text json.RawMessage) {
	var o location
	if !b.read(at, text, &o) {
		return
	}
	s := order.Site{Place: at, Code: o.ID, Name: o.Name, Phone: called(o.Telecom, "phone"), Hours: o.Description}
	if len(o.Identifier) > 0 {
		s.Code = o.Identifier[0].Value
	}
	if o.Address != nil {
		s.Address = o.Address.says()
	}
	b.list.Laboratory.Sites = append(b.list.Laboratory.Sites, s)
}

func (c concept) words() string {
	for _, x := range c.Coding {
		if c.Text == "" && x.Display != "" {
			return x.Display
		}
	}
	return c.Text
}

// codes parts the codings of something into the laboratory's own and LOINC.
func (c concept) codes() (own, loinc string) {
	for _, x := range c.Coding {
		if x.System == loincSystem {
			loinc = x.Code
		} else if own == "" {
			own = x.Code
		}
	}
	return own, loinc
}

func (b *bundle) test(at order.Place, text json.RawMessage) {
	var a activityDefinition
	if !b.read(at, text, &a) || a.Status != "active" {
		return
	}
	own, loinc := a.Code.codes()
	t := order.ListedTest{Test: order.Test{Place: at, Code: cmp.Or(own, loinc, a.ID), Name: cmp.Or(a.Title, a.Code.words()), LOINC: loinc,
		Reflex: find(a.Extension, "reflex").ValueString, Price: -1}}
	for _, x := range a.Extension {
		switch x.URL {
		case ours + "also":
			t.Also = append(t.Also, x.ValueString)
		case ours + "turnaround":
			if x.ValueQuantity != nil {
				n, err := strconv.Atoi(string(x.ValueQuantity.Value))
				if err != nil || x.ValueQuantity.Code != "h" {
					b.faults = append(b.faults, at.Fault("the turnaround is not in whole hours"))
				}
				t.Turnaround = n
			}
		case ours + "price":
			if x.ValueMoney != nil {
				n, err := strconv.ParseFloat(string(x.ValueMoney.Value), 64)
				if err != nil || x.ValueMoney.Currency != "USD" || n < 0 {
					b.faults = append(b.faults, at.Fault("the price is no amount in USD"))
				}
				t.Price = int(n*100 + 0.5)
			}
		}
	}
	for _, r := range a.Specimens {
		b.specimen(at, r.Reference, &t)
	}
	for _, r := range a.Observations {
		if code, ok := b.analyte(at, r.Reference); ok {
			t.Analytes = append(t.Analytes, code)
		}
	}
	for _, r := range a.Related {
		if r.Type == "depends-on" && strings.Contains(r.Resource, "Questionnaire/") {
			t.Questions = append(t.Questions, b.asked(at, r.Resource)...)
		}
	}
	b.list.Tests = append(b.list.Tests, t)
}

func (b *bundle) follow(at order.Place, ref string, into any) bool {
	text, ok := b.resources[ref]
	if !ok {
		b.faults = append(b.faults, at.Fault("it refers to %s, which is not in the bundle", ref))
		return false
	}
	return b.read(at, text, into)
}

var (
	fasting  = regexp.MustCompile(`(?i)fast\D*(\d+)\s*h`)
	required = regexp.MustCompile(`^([0-9]+(?:\.[0-9]+)?) ?mL\b`)
)

func (b *bundle) specimen(at order.Place, ref string, t *order.ListedTest) {
	var s specimenDefinition
	if !b.follow(at, ref, &s) {
		return
	}
	for _, p := range s.PatientPreparation {
		if m := fasting.FindStringSubmatch(p.words()); m != nil {
			t.Fasting, _ = strconv.Atoi(m[1])
		} else {
			t.Handling = strings.TrimPrefix(t.Handling+"; "+p.words(), "; ")
		}
	}
	for _, x := range s.TypeTested {
		if x.Preference == "alternate" {
			continue
		}
		n := order.Need{Container: b.container(at, x)}
		if m := required.FindStringSubmatch(x.Requirement); m != nil {
			n.Volume, _ = strconv.ParseFloat(m[1], 64)
		}
		if x.Container.Minimum != nil {
			n.Minimum, _ = strconv.ParseFloat(string(x.Container.Minimum.Value), 64)
			n.Volume = max(n.Volume, n.Minimum)
		}
		for _, h := range x.Handling {
			if h.TemperatureQualifier != nil {
				if k := strings.ToLower(h.TemperatureQualifier.words()); slices.Contains([]string{"room", "refrigerated", "frozen"}, k) {
					n.Keep = k
				} else {
					t.Handling = strings.TrimPrefix(t.Handling+"; "+k, "; ")
				}
			}
			if h.Instruction != "" && !strings.Contains(t.Handling, h.Instruction) {
				t.Handling = strings.TrimPrefix(t.Handling+"; "+h.Instruction, "; ")
			}
		}
		t.Needs = append(t.Needs, n)
	}
}

// small writes a display ("Serum") as our lists have it.
func small(words string) string {
	if len(words) > 1 && words[1:] == strings.ToLower(words[1:]) {
		return strings.ToLower(words)
	}
	return words
}

// container names the container of a specimen: two that read alike are one.
func (b *bundle) container(at order.Place, x tested) string {
	c := order.Container{Place: at, Specimen: small(x.Type.words())}
	if x.Container.Type != nil && len(x.Container.Type.Coding) > 0 {
		c.Code = x.Container.Type.Coding[0].Code
	}
	words := []string{x.Container.Description}
	if x.Container.Cap != nil {
		words = append(words, x.Container.Cap.words())
	}
	c.Name = cmp.Or(strings.Trim(strings.Join(words, ", "), ", "), "container not named")
	if draw := find(x.Container.Extension, "draw").ValueInteger; draw != nil {
		c.Draw = *draw
	}
	if q := find(x.Container.Extension, "yield").ValueQuantity; q != nil {
		c.Yield, _ = strconv.ParseFloat(string(q.Value), 64)
	}
	c.Shared = true
	if s := find(x.Container.Extension, "shared").ValueBoolean; s != nil {
		c.Shared = *s
	} else if c.Yield == 0 {
		c.Shared = false // whether others may be done from it is not said
	}
	key := fmt.Sprint(c.Code, "|", c.Name, "|", c.Specimen, "|", c.Draw, "|", c.Yield, "|", c.Shared)
	if code, had := b.places[key]; had {
		return code
	}
	if _, taken := b.taken[c.Code]; taken || c.Code == "" {
		c.Code = fmt.Sprintf("C%d", len(b.taken)+1)
	}
	b.places[key], b.taken[c.Code] = c.Code, c
	b.list.Laboratory.Containers = append(b.list.Laboratory.Containers, c)
	return c.Code
}

// ages writes an age of an interval; FHIR gives a quantity in UCUM.
var ageUnits = map[string]string{"a": "y", "mo": "m", "d": "d"}

func (b *bundle) age(at order.Place, q *quantity) order.Age {
	if q == nil || q.Value == "" {
		return ""
	}
	unit, ok := ageUnits[cmp.Or(q.Code, q.Unit)]
	if !ok {
		b.faults = append(b.faults, at.Fault("an age is in %q; years are a, months mo, days d", cmp.Or(q.Code, q.Unit)))
	}
	return order.Age(string(q.Value) + unit)
}

func (b *bundle) analyte(at order.Place, ref string) (string, bool) {
	if code, had := b.analytes[ref]; had {
		return code, true
	}
	var o observationDefinition
	if !b.follow(at, ref, &o) {
		return "", false
	}
	at = order.Place{File: b.file, Of: ref}
	own, loinc := o.Code.codes()
	a := order.Analyte{Place: at, Code: cmp.Or(own, loinc, o.ID), Name: o.Code.words(), LOINC: loinc, Expected: find(o.Extension, "expected").ValueString}
	if o.Details != nil && o.Details.Unit != nil {
		a.Unit = o.Details.Unit.Text
		for _, c := range o.Details.Unit.Coding {
			if c.System == ucumSystem {
				a.Unit = c.Code
			}
		}
	}
	sexes := map[string]string{"": "", "female": "F", "male": "M"}
	for _, i := range o.Intervals {
		if i.Category != "" && i.Category != "reference" {
			continue
		}
		sex, ok := sexes[i.Gender]
		if !ok {
			continue // a range for some other gender is for nobody we can tell
		}
		r := order.Range{Place: at, Sex: sex}
		if i.Range.Low != nil {
			r.Low = string(i.Range.Low.Value)
		}
		if i.Range.High != nil {
			r.High = string(i.Range.High.Value)
		}
		if i.Age != nil {
			r.From, r.Below = b.age(at, i.Age.Low), b.age(at, i.Age.High)
		}
		b.list.Ranges = append(b.list.Ranges, order.ListedRange{Analyte: a.Code, Range: r})
	}
	b.list.Analytes = append(b.list.Analytes, a)
	b.analytes[ref] = a.Code
	return a.Code, true
}

func (b *bundle) asked(at order.Place, ref string) (codes []string) {
	var q questionnaire
	if i := strings.Index(ref, "Questionnaire/"); !b.follow(at, ref[i:], &q) {
		return nil
	}
	at = order.Place{File: b.file, Of: ref}
	for _, i := range q.Item {
		kind, ok := kinds[i.Type]
		if !ok {
			b.faults = append(b.faults, at.Fault("the question %s is a %q, which nobody here can ask", i.LinkID, i.Type))
			continue
		}
		x := order.EntryQuestion{Place: at, Code: i.LinkID, Words: i.Text, Kind: kind, Required: i.Required, Choices: []string{},
			Unit: find(i.Extension, "unit").ValueString, Low: find(i.Extension, "low").ValueString, High: find(i.Extension, "high").ValueString}
		for _, o := range i.AnswerOption {
			says := o.ValueString
			if o.ValueCoding != nil {
				says = cmp.Or(o.ValueCoding.Display, o.ValueCoding.Code)
			}
			x.Choices = append(x.Choices, says)
		}
		if len(i.EnableWhen) > 1 || len(i.EnableWhen) == 1 && i.EnableWhen[0].Operator != "=" {
			b.faults = append(b.faults, at.Fault("the question %s is asked under a condition that is not one equal answer", i.LinkID))
		} else if len(i.EnableWhen) == 1 {
			w := i.EnableWhen[0]
			x.When = order.When{Question: w.Question, Answer: w.AnswerString}
			if w.AnswerBoolean != nil {
				x.When.Answer = map[bool]string{true: "yes", false: "no"}[*w.AnswerBoolean]
			}
			if w.AnswerCoding != nil {
				x.When.Answer = cmp.Or(w.AnswerCoding.Display, w.AnswerCoding.Code)
			}
		}
		if had, twice := b.questions[x.Code]; twice {
			if had.Words != x.Words || had.Kind != x.Kind || had.Required != x.Required || !slices.Equal(had.Choices, x.Choices) || had.When != x.When {
				b.faults = append(b.faults, at.Fault("the question %s is asked in two ways", x.Code))
			}
		} else {
			b.questions[x.Code] = x
			b.list.Questions = append(b.list.Questions, x)
		}
		codes = append(codes, x.Code)
	}
	return codes
}
