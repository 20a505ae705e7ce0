package fhir

import (
	"cmp"
	"encoding/json"
	"maps"
	"slices"
	"strings"

	"deftledger/core/chart"
	"deftledger/core/outside"
)

func sorted(m map[string]int) []string { return slices.Sorted(maps.Keys(m)) }

// entry is all that the kinds of resource that are read may carry: they say the same things by the same names.
type entry struct {
	common
	Identifier                                                                   []identifier
	Extension                                                                    []struct{ URL, ValueURL, ValueURI, ValueString string }
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
		Substance             concept
		Manifestation         []concept
		Severity, Description string
		Note                  json.RawMessage
	}
	Note                                    json.RawMessage // annotations
	ReasonCode                              json.RawMessage // concepts
	ReasonReference                         []reference
	Device, ServiceProvider                 *reference
	BodySite                                json.RawMessage // a concept, or several
	TimingPeriod                            period
	TimingDateTime                          string
	Location                                []struct{ Location *reference }
	DeviceName                              []struct{ Name string }
	Manufacturer, ModelNumber, SerialNumber string
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

// readers read the kinds of resource that are entries of a record.
var readers = map[string]func(*recordReader, entry){
	"AllergyIntolerance": (*recordReader).allergy, "Condition": (*recordReader).condition, "MedicationRequest": (*recordReader).request, "MedicationStatement": (*recordReader).statement,
	"Immunization": (*recordReader).immunization, "Observation": (*recordReader).observation, "Procedure": (*recordReader).procedure, "Encounter": (*recordReader).encounter,
	"FamilyMemberHistory": (*recordReader).family, "ServiceRequest": (*recordReader).planned, "CarePlan": (*recordReader).planned, "Goal": (*recordReader).planned, "Appointment": (*recordReader).planned,
	"CareTeam": (*recordReader).team, "DiagnosticReport": (*recordReader).report, "Device": (*recordReader).device, "DeviceUseStatement": (*recordReader).deviceUsed,
	"DocumentReference": (*recordReader).files, "Binary": (*recordReader).files,
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
	i.Author = cmp.Or(r.first(e.Recorder), r.first(e.Asserter), r.first(e.Requester), r.first(e.Author), i.Author)
	for _, at := range []string{e.RecordedDate, e.AuthoredOn, e.DateAsserted, e.Issued} {
		if at != "" {
			i.At = cmp.Or(r.said(at), i.At)
			break
		}
	}
	for _, x := range e.Extension {
		switch {
		case strings.HasSuffix(x.URL, "/narrativeLink"):
			_, i.Narrative, _ = strings.Cut(cmp.Or(x.ValueURL, x.ValueURI), "#")
		case x.URL == certaintyURL && slices.Contains(chart.Certainties, x.ValueString):
			i.Certainty = x.ValueString
		}
	}
	i.Note = remarks(e.Note)
	return i
}

// certaintyURL is the extension by which a copy of ours says how sure an allergy is: FHIR R4 knows fewer words for it.
const certaintyURL = ourRecords + "/certainty"

// remarks are annotations in one line.
func remarks(raw json.RawMessage) string {
	var one struct{ Text string }
	many := []struct{ Text string }{}
	if json.Unmarshal(raw, &many) != nil && json.Unmarshal(raw, &one) == nil {
		many = append(many, one)
	}
	var out []string
	for _, x := range many {
		if t := strings.Join(strings.Fields(x.Text), " "); t != "" {
			out = append(out, t)
		}
	}
	return strings.Join(out, "; ")
}

// reasons say in words why something was done or given: concepts, and what is referred to.
func (r *recordReader) reasons(e entry) string {
	var out []string
	for _, c := range several(e.ReasonCode) {
		if w := c.words(); w != "" {
			out = append(out, w)
		}
	}
	for _, ref := range e.ReasonReference {
		var x struct{ Code concept }
		words := strings.TrimSpace(ref.Display)
		if p := r.place(ref.Reference); p >= 0 && json.Unmarshal(r.heads[p].raw, &x) == nil {
			words = cmp.Or(x.Code.words(), words)
		}
		if words != "" {
			out = append(out, words)
		}
	}
	return strings.Join(out, ", ")
}

// first names who one reference, or the first of several, points at.
func (r *recordReader) first(raw json.RawMessage) string {
	var one reference
	var several []reference
	if json.Unmarshal(raw, &one) != nil && json.Unmarshal(raw, &several) == nil && len(several) > 0 {
		one = several[0]
	}
	return r.who(&one)
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
		r.add(outside.Item{List: i.List, Ref: i.Ref, Title: "No known problems", None: true, Author: i.Author, At: i.At, Narrative: i.Narrative, Doubt: i.Doubt, Note: i.Note})
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
		r.add(outside.Item{List: i.List, Ref: i.Ref, Title: i.Title, None: true, Author: i.Author, At: i.At, Narrative: i.Narrative, Doubt: i.Doubt, Note: i.Note})
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
			if w, _ := m.named(); w != "" {
				words = append(words, w)
			}
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
		i.Note = outside.Joined("; ", i.Note, strings.TrimSpace(x.Description), remarks(x.Note))
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

func stateWords(s string) string {
	switch s {
	case "on-hold":
		return "on hold"
	case "":
		return "its state is not said"
	}
	return "its state is " + s
}

// happened adds an item that was done, or not done and why.
func (r *recordReader) happened(e entry, i outside.Item, done, not string) {
	switch s := e.Status; {
	case i.Doubt != "":
		i.Status = outside.NotCertain
	case s == "completed":
		i.Status = done
	case s == "not-done":
		i.Status = not
		if why := several(e.StatusReason); len(why) > 0 {
			i.Detail = why[0].words()
		}
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
	r.happened(e, i, outside.Given, outside.NotGiven)
}

func (r *recordReader) procedure(e entry) {
	i := r.base(e, outside.Procedures)
	i.Title, i.Codes = e.Code.named()
	i.Since, i.Until = r.said(cmp.Or(e.PerformedDateTime, e.PerformedPeriod.Start)), r.said(e.PerformedPeriod.End)
	i.Detail = e.PerformedString
	r.happened(e, i, outside.Done, outside.NotDone)
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
	i.Since, i.Until, i.Class = r.said(e.Period.Start), r.said(e.Period.End), e.Class.Code
	with := []string{r.reasons(e)}
	for _, p := range e.Participant {
		if name := r.who(p.Individual); name != "" {
			with = append(with, name)
		}
	}
	for _, l := range e.Location {
		with = append(with, r.who(l.Location))
	}
	i.Detail = outside.Joined(", ", append(with, r.who(e.ServiceProvider))...)
	if s := e.Status; s != "finished" && s != "in-progress" && s != "" {
		i.Doubt = cmp.Or(i.Doubt, stateWords(s))
	}
	r.add(i)
}

// device is something worn or implanted; since when, and where, is said by its use where that is in the record.
func (r *recordReader) device(e entry) {
	i := r.base(e, outside.Devices)
	kind := several(e.Type)
	if len(kind) > 0 {
		i.Title, i.Codes = kind[0].named()
	}
	var more []string
	for _, n := range e.DeviceName {
		if i.Title == "" {
			i.Title = n.Name
		} else if n.Name != i.Title {
			more = append(more, n.Name)
		}
	}
	more = append(more, e.Manufacturer, e.ModelNumber)
	if e.SerialNumber != "" {
		more = append(more, "serial "+e.SerialNumber)
	}
	i.Detail = outside.Joined(", ", more...)
	switch e.Status {
	case "active":
		i.Status = outside.Active
	case "":
	default:
		doubted(&i, stateWords(e.Status))
	}
	if u, used := r.used[r.place("Device/"+e.ID)]; used && e.ID != "" {
		r.use(u, &i)
	}
	r.add(i)
}

// use puts down since when a device is there, and where.
func (r *recordReader) use(e entry, i *outside.Item) {
	i.Since, i.Until = r.said(cmp.Or(e.TimingDateTime, e.TimingPeriod.Start)), r.said(e.TimingPeriod.End)
	for _, c := range several(e.BodySite) {
		i.Detail = outside.Joined(", ", i.Detail, c.words())
	}
	if note := remarks(e.Note); note != i.Note {
		i.Note = outside.Joined("; ", i.Note, note)
	}
	switch e.Status {
	case "active":
		i.Status = outside.Active
	case "completed", "stopped":
		i.Status = outside.Ended
	default:
		doubted(i, stateWords(e.Status))
	}
}

// deviceUsed is the use of a device that is not in the record itself; of one that is, the device tells of it.
func (r *recordReader) deviceUsed(e entry) {
	if e.Device != nil {
		if p := r.place(e.Device.Reference); p >= 0 && r.heads[p].ResourceType == "Device" {
			return
		}
	}
	i := r.base(e, outside.Devices)
	i.Title = r.who(e.Device)
	r.use(e, &i)
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
