package fhir

import (
	"cmp"
	"encoding/json"
	"maps"
	"slices"
	"strings"

	"deftledger/core/outside"
)

func sorted(m map[string]int) []string { return slices.Sorted(maps.Keys(m)) }

// entry is all that the kinds of resource that are read may carry: they say the same things by the same names.
type entry struct {
	common
	Identifier                                                                   []identifier
	Extension                                                                    []struct{ URL, ValueURL, ValueURI string }
	Status                                                                       string
	StatusReason                                                                 json.RawMessage // one concept, or several
	Intent                                                                       string
	DoNotPerform                                                                 bool
	ClinicalStatus, VerificationStatus, Code, VaccineCode, Relationship          concept
	Category                                                                     json.RawMessage // concepts; codes in an AllergyIntolerance
	Type                                                                         json.RawMessage
	Description                                                                  json.RawMessage // of a plan a text, of a goal a concept
	Class                                                                        coding
	Criticality                                                                  string
	Period, EffectivePeriod, OnsetPeriod, AbatementPeriod, PerformedPeriod       period
	OccurrencePeriod                                                             period
	OnsetDateTime, OnsetString, AbatementDateTime, AbatementString, RecordedDate string
	OnsetAge, AbatementAge                                                       *quantity
	OccurrenceDateTime, OccurrenceString, EffectiveDateTime, EffectiveInstant    string
	PerformedDateTime, PerformedString, AuthoredOn, DateAsserted, Issued         string
	MedicationCodeableConcept                                                    concept
	MedicationReference                                                          *reference
	DosageInstruction, Dosage                                                    []dosage
	LotNumber, Title, Conclusion, ContentType, Data                              string
	PrimarySource                                                                *bool
	Reaction                                                                     []struct {
		Substance     concept
		Manifestation []concept
		Severity      string
	}
	measure
	Component   []component
	Participant []struct {
		Role               json.RawMessage
		Member, Individual *reference
	}
	Condition []struct {
		Code        concept
		OnsetString string
		OnsetAge    *quantity
	}
	Result                                []reference
	PresentedForm                         []attachment
	Content                               []struct{ Attachment attachment }
	Asserter, Recorder, Requester, Author json.RawMessage // one reference, or several
}

type attachment struct{ ContentType, Data, URL, Title string }

// measure is what an observation, or a component of one, measured.
type measure struct {
	ValueQuantity        *quantity
	ValueCodeableConcept *concept
	ValueString          string
	ValueBoolean         *bool
	ValueInteger         *json.Number
	ValueRange           *struct{ Low, High *quantity }
	ValueRatio           *struct{ Numerator, Denominator *quantity }
	ValueDateTime        string
	ValueTime            string
	DataAbsentReason     *concept
	Interpretation       []concept
	ReferenceRange       []struct {
		Low, High *quantity
		Text      string
	}
}

type component struct {
	Code concept
	measure
}

type dosage struct {
	Text, PatientInstruction string
	AdditionalInstruction    []concept
	Timing                   struct {
		Code   *concept
		Repeat struct {
			Frequency, FrequencyMax json.Number
			Period, PeriodMax       json.Number
			PeriodUnit              string
			When                    []string
		}
	}
	AsNeededBoolean         bool
	AsNeededCodeableConcept *concept
	Route                   concept
	DoseAndRate             []struct {
		DoseQuantity *quantity
		DoseRange    *struct{ Low, High *quantity }
	}
}

// readers read the kinds of resource that are entries of a record.
var readers = map[string]func(*recordReader, entry){
	"AllergyIntolerance": (*recordReader).allergy, "Condition": (*recordReader).condition, "MedicationRequest": (*recordReader).request, "MedicationStatement": (*recordReader).statement,
	"Immunization": (*recordReader).immunization, "Observation": (*recordReader).observation, "Procedure": (*recordReader).procedure, "Encounter": (*recordReader).encounter,
	"FamilyMemberHistory": (*recordReader).family, "ServiceRequest": (*recordReader).planned, "CarePlan": (*recordReader).planned, "Goal": (*recordReader).planned, "Appointment": (*recordReader).planned,
	"CareTeam": (*recordReader).team, "DiagnosticReport": (*recordReader).report, "DocumentReference": (*recordReader).files, "Binary": (*recordReader).files,
}

// codesOf are the codes of a concept as they were sent, that of ICD-10-CM first, because our list is written in it.
func codesOf(c concept) (out []outside.Code) {
	for _, x := range c.Coding {
		if x.Code == "" {
			continue
		}
		system := cmp.Or(systems[strings.TrimSuffix(x.System, "/")], strings.TrimPrefix(x.System, "urn:oid:"))
		code := outside.Code{Code: x.Code, System: system, Title: x.Display}
		if system == outside.ICD10 {
			out = append([]outside.Code{code}, out...)
		} else {
			out = append(out, code)
		}
	}
	return out
}

// words and codes of a concept; one that only says that it is not known names nothing.
func (c concept) named() (title string, codes []outside.Code) {
	known := concept{Text: c.Text}
	for _, x := range c.Coding {
		if !strings.HasSuffix(x.System, "/data-absent-reason") && !strings.HasSuffix(x.System, "/v3-NullFlavor") {
			known.Coding = append(known.Coding, x)
		}
	}
	if len(known.Coding) == 0 && len(c.Coding) > 0 && slices.Contains([]string{"unknown", "not asked", "asked but unknown"}, strings.ToLower(strings.TrimSpace(c.Text))) {
		return "", nil
	}
	return known.words(), codesOf(known)
}

// absent says whether a concept says that there is none of its kind, or that nothing is known.
func absent(c concept) (none, unknown bool) {
	for _, x := range c.Coding {
		switch x.Code {
		case "no-known-problems", "no-known-allergies", "no-known-medication-allergies", "no-known-environmental-allergies", "no-known-food-allergies", "no-known-medications", "no-known-immunizations",
			"716186003", "409137002", "428607008", "428197003", "429625007", "160245001", "787481004":
			none = true
		case "no-problem-info", "no-allergy-info", "no-medication-info", "no-immunization-info", "no-procedure-info", "no-known-procedures":
			unknown = true
		}
	}
	return none, unknown
}

// base begins an item with what all kinds say in the same way.
func (r *recordReader) base(e entry, list string) outside.Item {
	i := outside.Item{List: list, Ref: e.ID, Doubt: e.doubt(), Author: r.out.Author, At: r.out.At}
	if len(e.Identifier) > 0 && e.Identifier[0].Value != "" {
		i.Ref = e.Identifier[0].Value // it stays from one version to the next; the other may be of this document only
	}
	for _, x := range []json.RawMessage{e.Recorder, e.Asserter, e.Requester, e.Author} {
		var one reference
		var several []reference
		if json.Unmarshal(x, &one) != nil && json.Unmarshal(x, &several) == nil && len(several) > 0 {
			one = several[0]
		}
		if name := r.who(&one); name != "" {
			i.Author = name
			break
		}
	}
	for _, at := range []string{e.RecordedDate, e.AuthoredOn, e.DateAsserted, e.Issued} {
		if at != "" {
			i.At = cmp.Or(r.said(at), i.At)
			break
		}
	}
	for _, x := range e.Extension {
		if strings.HasSuffix(x.URL, "/narrativeLink") {
			_, i.Narrative, _ = strings.Cut(cmp.Or(x.ValueURL, x.ValueURI), "#")
		}
	}
	return i
}

// doubted makes an item not certain, with the first reason that there is.
func doubted(i *outside.Item, why string) {
	i.Status, i.Doubt = outside.NotCertain, cmp.Or(i.Doubt, why)
}

// verified applies how sure the author is, which comes before how it stands.
func verified(e entry, i *outside.Item) (certain bool) {
	switch v := e.VerificationStatus.code(); v {
	case "refuted":
		i.Status, i.Doubt = outside.Denied, "the record says that it is not there"
	case "", "confirmed":
		return i.Doubt == ""
	default:
		doubted(i, "it is "+v+" there")
	}
	return false
}

// clinical is how a problem or an allergy stands; unsaid is what it is where nothing says so.
func clinical(e entry, i *outside.Item, ended bool, unsaid string) {
	switch s := e.ClinicalStatus.code(); s {
	case "active", "recurrence", "relapse":
		if i.Status = outside.Active; ended {
			doubted(i, "active, with an end")
		}
	case "inactive", "remission", "resolved":
		i.Status = outside.Ended
	case "":
		switch {
		case ended:
			i.Status = outside.Ended
		case unsaid == "":
			doubted(i, "it does not say whether it is still there")
		default:
			i.Status = unsaid
		}
	default:
		doubted(i, "its state is "+s)
	}
}

func years(q *quantity) string {
	if q == nil || q.Value == "" {
		return ""
	}
	return strings.TrimSpace(q.Value.String() + " " + cmp.Or(q.Code, q.Unit))
}

func (r *recordReader) condition(e entry) {
	i := r.base(e, outside.Problems)
	i.Title, i.Codes = e.Code.named()
	none, unknown := absent(e.Code)
	switch {
	case unknown:
		r.missed("It says that nothing is known of problems, which is not that there are none.")
		return
	case none && e.VerificationStatus.code() != "refuted":
		r.add(outside.Item{List: i.List, Ref: i.Ref, Title: "No known problems", None: true, Author: i.Author, At: i.At, Narrative: i.Narrative, Doubt: i.Doubt})
		return
	}
	if len(i.Codes) > 0 && i.Codes[0].System == outside.ICD10 && i.Codes[0].Title != "" {
		i.Title = i.Codes[0].Title
	}
	i.Since, i.Until = r.said(cmp.Or(e.OnsetDateTime, e.OnsetPeriod.Start)), r.said(cmp.Or(e.AbatementDateTime, e.AbatementPeriod.End))
	var details []string
	if e.OnsetString != "" {
		details = append(details, "since "+e.OnsetString)
	}
	if age := years(e.OnsetAge); age != "" {
		details = append(details, "since the age of "+age)
	}
	if e.AbatementString != "" || e.AbatementAge != nil {
		details = append(details, "ended "+cmp.Or(e.AbatementString, "at the age of "+years(e.AbatementAge)))
	}
	if slices.ContainsFunc(several(e.Category), func(c concept) bool { return c.code() == "encounter-diagnosis" }) {
		details = append(details, "diagnosis of a visit")
	}
	i.Detail = strings.Join(details, ", ")
	if verified(e, &i) {
		clinical(e, &i, e.AbatementDateTime != "" || e.AbatementString != "" || e.AbatementAge != nil || e.AbatementPeriod.Start+e.AbatementPeriod.End != "", "")
	} else if i.Status == "" {
		i.Status = outside.NotCertain
	}
	r.add(i)
}

// several are concepts where one, several or plain codes may stand.
func several(raw json.RawMessage) (out []concept) {
	var one concept
	var many []json.RawMessage
	var code string
	switch {
	case json.Unmarshal(raw, &many) == nil:
		for _, x := range many {
			out = append(out, several(x)...)
		}
	case json.Unmarshal(raw, &code) == nil && code != "":
		out = append(out, concept{Coding: []coding{{Code: code}}})
	case json.Unmarshal(raw, &one) == nil:
		out = append(out, one)
	}
	return out
}

func (r *recordReader) allergy(e entry) {
	i := r.base(e, outside.Allergies)
	i.Title, i.Codes = e.Code.named()
	none, unknown := absent(e.Code)
	switch {
	case unknown:
		r.missed("It says that nothing is known of allergies, which is not that there are none.")
		return
	case none && e.VerificationStatus.code() != "refuted":
		r.add(outside.Item{List: i.List, Ref: i.Ref, Title: i.Title, None: true, Author: i.Author, At: i.At, Narrative: i.Narrative, Doubt: i.Doubt})
		return
	}
	i.Since = r.said(cmp.Or(e.OnsetDateTime, e.OnsetPeriod.Start))
	var reactions []string
	for _, x := range e.Reaction {
		if i.Title == "" {
			i.Title, i.Codes = x.Substance.words(), codesOf(x.Substance)
		}
		var words []string
		for _, m := range x.Manifestation {
			words = append(words, m.words())
		}
		if x.Severity != "" {
			words = append(words, x.Severity)
			if i.Severity != "severe" && (i.Severity == "" || x.Severity == "severe" || i.Severity == "mild") {
				i.Severity = x.Severity
			}
		}
		if len(words) > 0 {
			reactions = append(reactions, strings.Join(words, ", "))
		}
	}
	for _, c := range several(e.Type) {
		if c.code() == "intolerance" {
			reactions = append(reactions, "intolerance")
		}
	}
	if e.Criticality == "high" {
		reactions = append(reactions, "high criticality")
	}
	i.Detail = strings.Join(reactions, "; ")
	if verified(e, &i) {
		clinical(e, &i, e.AbatementDateTime != "", outside.Active) // one that nobody ended warns on
	} else if i.Status == "" {
		i.Status = outside.NotCertain
	}
	r.add(i)
}

// taken begins a medicine with its name and directions.
func (r *recordReader) taken(e entry, steps []dosage) (i outside.Item, named bool) {
	i = r.base(e, outside.Medicines)
	what := e.MedicationCodeableConcept
	if raw := e.find(e.MedicationReference, r.bundled); raw != nil {
		var m struct{ Code concept }
		if json.Unmarshal(raw, &m) == nil {
			what = m.Code
		}
	}
	i.Title, i.Codes = what.named()
	if i.Title == "" && e.MedicationReference != nil {
		i.Title = strings.TrimSpace(e.MedicationReference.Display)
	}
	none, unknown := absent(what)
	switch {
	case unknown:
		r.missed("It says that nothing is known of medicines, which is not that there are none.")
		return i, false
	case none:
		r.add(outside.Item{List: i.List, Ref: i.Ref, Title: i.Title, None: true, Author: i.Author, At: i.At, Narrative: i.Narrative, Doubt: i.Doubt})
		return i, false
	}
	var parts []string
	for _, d := range steps {
		parts = append(parts, d.says())
	}
	i.Detail = strings.Join(parts, "; then ")
	return i, true
}

var periods = map[string]string{"s": "second", "min": "minute", "h": "hour", "d": "day", "wk": "week", "mo": "month", "a": "year"}

// says is a step of a dosage in words: the author's, else what is coded.
func (d dosage) says() string {
	out := strings.TrimSpace(cmp.Or(d.Text, d.PatientInstruction))
	if out == "" {
		var parts []string
		for _, x := range d.DoseAndRate {
			switch {
			case x.DoseQuantity != nil:
				parts = append(parts, amount(x.DoseQuantity))
			case x.DoseRange != nil && x.DoseRange.Low != nil && x.DoseRange.High != nil:
				parts = append(parts, x.DoseRange.Low.Value.String()+"-"+amount(x.DoseRange.High))
			}
		}
		if w := d.Route.words(); w != "" {
			parts = append(parts, strings.ToLower(w))
		}
		if w := d.often(); w != "" {
			parts = append(parts, w)
		}
		switch {
		case d.AsNeededCodeableConcept != nil && d.AsNeededCodeableConcept.words() != "":
			parts = append(parts, "as needed for "+d.AsNeededCodeableConcept.words())
		case d.AsNeededBoolean || d.AsNeededCodeableConcept != nil:
			parts = append(parts, "as needed")
		}
		if out = strings.Join(parts, ", "); out == "" {
			out = "a step that is not in words"
		}
	}
	for _, a := range d.AdditionalInstruction {
		out += ", " + a.words()
	}
	return out
}

func (d dosage) often() string {
	t := d.Timing.Repeat
	unit := cmp.Or(periods[t.PeriodUnit], t.PeriodUnit)
	times := t.Frequency.String()
	if t.FrequencyMax != "" {
		times += "-" + t.FrequencyMax.String()
	}
	switch {
	case unit == "" && len(t.When) == 0 && d.Timing.Code != nil:
		return d.Timing.Code.words()
	case unit == "":
		return strings.Join(t.When, ", ")
	case times == "":
		times = "1"
	}
	times = map[string]string{"1": "once", "": "once"}[times] + map[bool]string{true: times + " times", false: ""}[times != "1" && times != ""]
	out := times + " every " + t.Period.String() + " " + unit + "s"
	switch {
	case t.PeriodMax != "":
		out = times + " every " + t.Period.String() + "-" + t.PeriodMax.String() + " " + unit + "s"
	case t.Period == "1":
		out = times + map[bool]string{true: " an ", false: " a "}[unit == "hour"] + unit
	}
	if len(t.When) > 0 {
		out += ", " + strings.Join(t.When, ", ")
	}
	return out
}

func amount(q *quantity) string {
	u := cmp.Or(q.Unit, q.Code)
	if u == "1" {
		u = ""
	}
	return strings.TrimSpace(q.Comparator + q.Value.String() + " " + strings.Trim(u, "{}"))
}

func (r *recordReader) request(e entry) {
	i, named := r.taken(e, e.DosageInstruction)
	if !named {
		return
	}
	i.Since = r.said(e.AuthoredOn)
	switch s := e.Status; {
	case i.Doubt != "":
		i.Status = outside.NotCertain
	case e.DoNotPerform:
		i.Status, i.Doubt = outside.Denied, "the record says that it is not to be given"
	case e.Intent == "proposal" || e.Intent == "plan" || e.Intent == "option":
		doubted(&i, "it is a "+e.Intent+" there")
	case s == "active":
		i.Status = outside.Active
	case s == "stopped" || s == "cancelled":
		i.Status = outside.Ended
	case s == "completed": // of one that is taken, and of one that was: both are met
		doubted(&i, "completed, with no end")
	default:
		doubted(&i, stateWords(s))
	}
	r.add(i)
}

func stateWords(s string) string {
	switch s {
	case "on-hold":
		return "on hold"
	case "":
		return "its state is not said"
	}
	return "its state is " + s
}

func (r *recordReader) statement(e entry) {
	i, named := r.taken(e, e.Dosage)
	if !named {
		return
	}
	i.Since, i.Until = r.said(cmp.Or(e.EffectiveDateTime, e.EffectivePeriod.Start)), r.said(e.EffectivePeriod.End)
	switch s := e.Status; {
	case i.Doubt != "":
		i.Status = outside.NotCertain
	case s == "not-taken":
		i.Status, i.Doubt = outside.Denied, "the record says that it is not taken"
	case s == "active":
		i.Status = outside.Active
	case s == "completed" || s == "stopped":
		i.Status = outside.Ended
	default:
		doubted(&i, stateWords(s))
	}
	r.add(i)
}

func (r *recordReader) immunization(e entry) {
	i := r.base(e, outside.Immunizations)
	i.Title, i.Codes = e.VaccineCode.named()
	if none, unknown := absent(e.VaccineCode); none || unknown {
		r.missed("It says that no vaccine is known of.")
		return
	}
	i.Since = r.said(e.OccurrenceDateTime)
	var details []string
	if e.OccurrenceString != "" {
		details = append(details, e.OccurrenceString)
	}
	if e.LotNumber != "" {
		details = append(details, "lot "+e.LotNumber)
	}
	if e.PrimarySource != nil && !*e.PrimarySource {
		details = append(details, "told there, not given there")
	}
	i.Detail = strings.Join(details, "; ")
	switch s := e.Status; {
	case i.Doubt != "":
		i.Status = outside.NotCertain
	case s == "completed":
		i.Status = outside.Given
	case s == "not-done":
		i.Status = outside.NotGiven
		if why := several(e.StatusReason); len(why) > 0 {
			i.Detail = why[0].words()
		}
	default:
		doubted(&i, stateWords(s))
	}
	r.add(i)
}

// value is what was measured, with its unit as it was sent.
func (m measure) value() (value, unit string) {
	switch {
	case m.ValueQuantity != nil && m.ValueQuantity.Value != "":
		return m.ValueQuantity.Comparator + m.ValueQuantity.Value.String(), cmp.Or(m.ValueQuantity.Code, m.ValueQuantity.Unit)
	case m.ValueCodeableConcept != nil:
		return m.ValueCodeableConcept.words(), ""
	case m.ValueBoolean != nil:
		return map[bool]string{true: "yes", false: "no"}[*m.ValueBoolean], ""
	case m.ValueInteger != nil:
		return m.ValueInteger.String(), ""
	case m.ValueRange != nil && m.ValueRange.Low != nil && m.ValueRange.High != nil:
		return m.ValueRange.Low.Value.String() + "-" + m.ValueRange.High.Value.String(), cmp.Or(m.ValueRange.High.Code, m.ValueRange.High.Unit)
	case m.ValueRatio != nil && m.ValueRatio.Numerator != nil && m.ValueRatio.Denominator != nil:
		return m.ValueRatio.Numerator.Value.String() + ":" + m.ValueRatio.Denominator.Value.String(), ""
	}
	return strings.TrimSpace(cmp.Or(m.ValueString, m.ValueDateTime, m.ValueTime)), ""
}

// put sets what was measured, its range and flag.
func (m measure) put(i *outside.Item, state string) {
	i.Value, i.Unit = m.value()
	if len(m.ReferenceRange) > 0 {
		g := m.ReferenceRange[0] // others are of other people
		switch {
		case g.Text != "":
			i.Range = g.Text
		case g.Low != nil && g.High != nil:
			i.Range = g.Low.Value.String() + "-" + g.High.Value.String()
		case g.High != nil:
			i.Range = "<=" + g.High.Value.String()
		case g.Low != nil:
			i.Range = ">=" + g.Low.Value.String()
		}
	}
	if len(m.Interpretation) > 0 {
		i.Flag = m.Interpretation[0].code()
	}
	i.Detail = outside.Measured(*i)
	switch {
	case state != "":
		i.Doubt = cmp.Or(i.Doubt, state)
	case i.Value == "" && m.DataAbsentReason != nil:
		i.Doubt = cmp.Or(i.Doubt, "it has no value: "+m.DataAbsentReason.words())
	case i.Value == "":
		i.Doubt = cmp.Or(i.Doubt, "it has no value")
	}
}

// vitalCodes are the vital signs of the profile of FHIR R4, by LOINC, for who does not say the category.
var vitalCodes = strings.Fields("85354-9 8480-6 8462-4 8867-4 9279-1 8310-5 8302-2 29463-7 39156-5 2708-6 59408-5 9843-4 8289-1 77606-2 59576-9")

func (r *recordReader) observation(e entry) {
	list := outside.Results
	if slices.Contains(vitalCodes, loinc(e.Code)) {
		list = outside.Vitals
	}
	for _, c := range several(e.Category) {
		for _, x := range c.Coding {
			switch x.Code {
			case "vital-signs":
				list = outside.Vitals
			case "laboratory":
				list = outside.Results
			case "social-history":
				list = outside.Social
			}
		}
	}
	i := r.base(e, list)
	i.Title, i.Codes = e.Code.named()
	i.Since = r.said(cmp.Or(e.EffectiveDateTime, e.EffectiveInstant, e.EffectivePeriod.Start))
	state := ""
	if s := e.Status; s != "final" && s != "amended" && s != "corrected" {
		state = stateWords(s)
	}
	if list == outside.Social {
		if c := loinc(e.Code); c == "72166-2" || c == "11367-0" {
			i.Title = "Smoking"
		}
		value, unit := e.value()
		i.Detail, i.Doubt = strings.TrimSpace(value+" "+unit), cmp.Or(i.Doubt, state)
		r.add(i)
		return
	}
	if value, _ := e.value(); value != "" || len(e.Component) == 0 {
		e.measure.put(&i, state)
		r.add(i)
	}
	if up, down, ok := e.pressure(); ok { // one reading, as a chart keeps it
		doubt := i.Doubt
		e.measure.put(&i, state)
		i.Value, i.Unit, i.Doubt = up+"/"+down, "mm[Hg]", cmp.Or(doubt, state)
		i.Detail = outside.Measured(i)
		r.add(i)
		return
	}
	for _, c := range e.Component {
		part := i
		part.Ref, part.Doubt, part.Range, part.Flag = "", r.base(e, list).Doubt, "", ""
		if e.ID != "" {
			part.Ref = e.ID + "/" + cmp.Or(c.Code.code(), c.Code.words())
		}
		part.Title, part.Codes = c.Code.words(), codesOf(c.Code)
		c.measure.put(&part, state)
		r.add(part)
	}
}

// pressure is a blood pressure of which both parts were measured, and nothing else.
func (e entry) pressure() (up, down string, ok bool) {
	if loinc(e.Code) != pressurePanel || len(e.Component) != 2 {
		return "", "", false
	}
	for _, c := range e.Component {
		value, unit := c.value()
		if unit != "mm[Hg]" || c.ValueQuantity == nil || c.ValueQuantity.Comparator != "" {
			return "", "", false
		}
		switch loinc(c.Code) {
		case "8480-6":
			up = value
		case "8462-4":
			down = value
		}
	}
	return up, down, up != "" && down != ""
}

func (r *recordReader) procedure(e entry) {
	i := r.base(e, outside.Procedures)
	i.Title, i.Codes = e.Code.named()
	i.Since, i.Until = r.said(cmp.Or(e.PerformedDateTime, e.PerformedPeriod.Start)), r.said(e.PerformedPeriod.End)
	i.Detail = e.PerformedString
	switch s := e.Status; {
	case i.Doubt != "":
		i.Status = outside.NotCertain
	case s == "completed":
		i.Status = outside.Done
	case s == "not-done":
		i.Status = outside.NotDone
		if why := several(e.StatusReason); len(why) > 0 {
			i.Detail = why[0].words()
		}
	default:
		doubted(&i, stateWords(s))
	}
	r.add(i)
}

func (r *recordReader) encounter(e entry) {
	i := r.base(e, outside.Encounters)
	if types := several(e.Type); len(types) > 0 {
		i.Title, i.Codes = types[0].words(), codesOf(types[0])
	}
	if i.Title == "" {
		i.Title = cmp.Or(e.Class.Display, e.Class.Code)
		i.Codes = codesOf(concept{Coding: []coding{e.Class}})
	}
	i.Since, i.Until = r.said(e.Period.Start), r.said(e.Period.End)
	var with []string
	for _, p := range e.Participant {
		if name := r.who(p.Individual); name != "" {
			with = append(with, name)
		}
	}
	i.Detail = strings.Join(with, ", ")
	if s := e.Status; s != "finished" && s != "in-progress" && s != "" {
		i.Doubt = cmp.Or(i.Doubt, stateWords(s))
	}
	r.add(i)
}

func (r *recordReader) family(e entry) {
	for n, c := range e.Condition {
		i := r.base(e, outside.Family)
		if n > 0 {
			i.Ref = ""
		}
		i.Title, i.Codes = c.Code.words(), codesOf(c.Code)
		i.Detail = e.Relationship.words()
		if at := cmp.Or(c.OnsetString, years(c.OnsetAge)); at != "" {
			i.Detail += ", " + at
		}
		if s := e.Status; s != "completed" && s != "partial" && s != "" {
			i.Doubt = cmp.Or(i.Doubt, stateWords(s))
		}
		r.add(i)
	}
}

func (r *recordReader) planned(e entry) {
	i := r.base(e, outside.Plan)
	i.Title, i.Codes = cmp.Or(e.Code.words(), strings.TrimSpace(e.Title)), codesOf(e.Code)
	if d := several(e.Description); i.Title == "" && len(d) > 0 {
		i.Title = d[0].words()
	}
	i.Since, i.Until = r.said(cmp.Or(e.OccurrenceDateTime, e.OccurrencePeriod.Start, e.Period.Start)), r.said(cmp.Or(e.OccurrencePeriod.End, e.Period.End))
	doubted(&i, "planned there")
	if s := e.Status; s == "completed" || s == "revoked" || s == "cancelled" {
		i.Doubt = stateWords(s)
	}
	if i.Title == "" {
		return // a plan that only holds others together
	}
	r.add(i)
}

func (r *recordReader) team(e entry) {
	for _, p := range e.Participant {
		i := r.base(e, outside.Team)
		i.Ref, i.Title = "", r.who(p.Member)
		if i.Title == "" {
			continue
		}
		var roles []string
		for _, c := range several(p.Role) {
			roles = append(roles, c.words())
		}
		i.Detail = strings.Join(roles, ", ")
		r.add(i)
	}
}

func (r *recordReader) report(e entry) {
	r.attached(e.PresentedForm)
	if len(e.Result) > 0 && e.Conclusion == "" {
		return // its values stand by themselves
	}
	i := r.base(e, outside.Results)
	i.Title, i.Codes = e.Code.named()
	i.Since = r.said(cmp.Or(e.EffectiveDateTime, e.EffectivePeriod.Start))
	i.Value, i.Detail = e.Conclusion, e.Conclusion
	if e.Conclusion == "" {
		i.Doubt = cmp.Or(i.Doubt, "what it found is in its file only")
	}
	if s := e.Status; s != "final" && s != "amended" && s != "corrected" && s != "appended" {
		i.Doubt = cmp.Or(i.Doubt, stateWords(s))
	}
	r.add(i)
}

func (r *recordReader) files(e entry) {
	if e.Data != "" {
		r.attached([]attachment{{ContentType: e.ContentType, Data: e.Data}})
	}
	for _, c := range e.Content {
		r.attached([]attachment{c.Attachment})
	}
}

func (r *recordReader) attached(all []attachment) {
	for _, f := range all {
		var body []byte
		switch err := json.Unmarshal([]byte(`"`+strings.Join(strings.Fields(f.Data), "")+`"`), &body); {
		case f.Data == "" && f.URL != "":
			if p := r.place(f.URL); p < 0 {
				r.missed("A file (%s) is not in it, but elsewhere.", cmp.Or(f.Title, f.ContentType, "not named"))
			}
		case f.Data == "":
		case err != nil:
			r.missed("A file (%s) cannot be read.", cmp.Or(f.Title, f.ContentType, "not named"))
		default:
			r.out.Files = append(r.out.Files, outside.RecordFile{Type: f.ContentType, Title: f.Title, Body: body})
		}
	}
}
