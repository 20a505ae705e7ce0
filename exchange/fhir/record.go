package fhir

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"strings"

	"deftledger/core/outside"
)

// mostEntries is how many parts a record may have: a hostile one costs no more than a large one.
const mostEntries = 200_000

// systems are the code systems that are compared, by their addresses in FHIR.
var systems = map[string]string{"http://snomed.info/sct": outside.SNOMED, "http://hl7.org/fhir/sid/icd-10-cm": outside.ICD10, "http://www.nlm.nih.gov/research/umls/rxnorm": outside.RxNorm,
	"http://loinc.org": outside.LOINC, cvxSystem: outside.CVX, "http://fdasis.nlm.nih.gov": outside.UNII}

// IsRecord says whether bytes look like FHIR in JSON rather than a document in XML.
func IsRecord(raw []byte) bool {
	return bytes.HasPrefix(bytes.TrimLeft(bytes.TrimPrefix(raw, []byte("\xef\xbb\xbf")), " \t\r\n"), []byte("{"))
}

// ReadRecord reads a Bundle of FHIR R4 (document or collection) as the record of another house. What is not read of it, or is about
// somebody else, is in Missed; a bundle about several people is refused, because nobody can say for certain what is whose.
func ReadRecord(raw []byte) (out outside.Record, err error) {
	var b struct {
		ResourceType, ID, Type, Timestamp string
		Identifier                        identifier
		Entry                             []struct {
			FullURL  string
			Resource json.RawMessage
		}
	}
	if err := json.Unmarshal(bytes.TrimPrefix(raw, []byte("\xef\xbb\xbf")), &b); err != nil {
		return out, unreadable("it is no JSON, or only half of it")
	}
	switch {
	case b.ResourceType != "Bundle":
		return out, unreadable("a Bundle of FHIR was expected and %q came", b.ResourceType)
	case b.Type != "document" && b.Type != "collection":
		return out, unreadable("a Bundle that is a document or a collection was expected, and it is a %q", b.Type)
	case len(b.Entry) > mostEntries:
		return out, unreadable("it has too many parts")
	}
	r := recordReader{bundled: map[string]json.RawMessage{}, places: map[string]int{}, heads: make([]head, len(b.Entry)), seen: map[string]bool{}, unread: map[string]int{}}
	people := 0
	composition := -1
	for i, e := range b.Entry {
		if json.Unmarshal(e.Resource, &r.heads[i]) != nil || r.heads[i].ResourceType == "" {
			r.broken = true
			continue
		}
		r.heads[i].raw = e.Resource
		for _, name := range []string{e.FullURL, r.heads[i].ResourceType + "/" + r.heads[i].ID} {
			if _, there := r.places[name]; !there && name != "" && !strings.HasSuffix(name, "/") {
				r.bundled[name], r.places[name] = e.Resource, i
			}
		}
		switch r.heads[i].ResourceType {
		case "Patient":
			if people++; people == 1 {
				r.patient = i
			}
		case "Composition":
			if composition < 0 {
				composition = i
			}
		}
	}
	switch {
	case people == 0:
		return out, unreadable("it names no patient")
	case people > 1 && composition < 0:
		return out, unreadable("it is about %d people, and nobody can say for certain what is whose", people)
	case b.Type == "document" && composition < 0:
		return out, unreadable("it is a document without its Composition")
	}
	r.out = outside.Record{ID: cmp.Or(b.Identifier.Value, b.ID), Title: "Collection of entries", At: r.said(b.Timestamp)}
	if composition >= 0 {
		r.compose(composition)
	}
	r.out.Patient = identityOf(r.heads[r.patient].raw)
	for _, h := range r.heads {
		if r.out.House == "" && h.ResourceType == "Organization" {
			r.out.House = r.nameOf(h.raw)
		}
	}
	r.devices()
	for _, i := range r.ordered {
		r.one(i.place, i.section)
	}
	for i := range r.heads {
		r.one(i, -1)
	}
	for _, kind := range sorted(r.unread) {
		n := r.unread[kind]
		r.missed("%d part%s of the kind %s %s not read.", n, map[bool]string{true: "", false: "s"}[n == 1], kind, map[bool]string{true: "is", false: "are"}[n == 1])
	}
	if r.broken {
		r.missed("A part of it is no resource of FHIR.")
	}
	if len(r.out.Items)+len(r.out.Sections)+len(r.out.Files) == 0 {
		r.missed("It has no section, no entry and no file.")
	}
	return r.out, nil
}

type head struct {
	ResourceType, ID string
	raw              json.RawMessage
	done             bool
}

type recordReader struct {
	out     outside.Record
	heads   []head
	bundled map[string]json.RawMessage
	places  map[string]int // of each resource in the bundle, by how it is referred to
	patient int
	subject string // how the composition refers to the patient
	ordered []struct{ place, section int }
	seen    map[string]bool
	used    map[int]entry  // how the devices that stand at a place are used
	unread  map[string]int // kinds of which there is no reader here
	broken  bool
}

func (r *recordReader) missed(format string, args ...any) {
	if len(r.out.Missed) < 100 {
		r.out.Missed = append(r.out.Missed, fmt.Sprintf(format, args...))
	}
}

// said is a moment as precisely as it was said; one that is none is said to be none.
func (r *recordReader) said(s string) string {
	if s = strings.TrimSpace(s); s == "" {
		return ""
	}
	at := fhirMoment(s)
	if at == "" && len(s) > 10 { // a time without a zone is of nobody knows where: its day
		at = fhirMoment(s[:10])
	}
	if at == "" {
		r.missed("A day of it, “%.30s”, is none.", s)
	}
	return at
}

// place is where in the bundle what a reference means stands; -1 for nowhere.
func (r *recordReader) place(ref string) int {
	ref, _, _ = strings.Cut(ref, "/_history/")
	if at, there := r.places[ref]; there {
		return at
	}
	if parts := strings.Split(ref, "/"); len(parts) > 2 {
		if at, there := r.places[strings.Join(parts[len(parts)-2:], "/")]; there {
			return at
		}
	}
	return -1
}

type period struct{ Start, End string }

func (r *recordReader) compose(at int) {
	var c struct {
		common
		Meta                 struct{ VersionID string }
		Identifier           identifier
		Status, Title, Date  string
		Type                 concept
		Encounter, Custodian *reference
		Author               []reference
		Section              []section
	}
	r.heads[at].done = true
	if json.Unmarshal(r.heads[at].raw, &c) != nil {
		r.missed("What holds it together (its Composition) is not as FHIR has it: its sections are not read.")
		return
	}
	r.out.Kind, r.out.Title = c.Type.code(), cmp.Or(strings.TrimSpace(c.Title), c.Type.words(), "Record")
	r.out.At = cmp.Or(r.said(c.Date), r.out.At)
	r.out.Set, r.out.Version = c.Identifier.Value, c.Meta.VersionID
	if len(c.Author) > 0 {
		r.out.Author = r.who(&c.Author[0])
	}
	r.out.House = r.who(c.Custodian)
	if c.Subject != nil {
		r.subject = c.Subject.Reference
		if p := r.place(r.subject); p >= 0 && r.heads[p].ResourceType == "Patient" {
			r.patient = p
		}
	}
	if c.Encounter != nil {
		var e struct{ Period period }
		if raw := c.find(c.Encounter, r.bundled); raw != nil && json.Unmarshal(raw, &e) == nil {
			r.out.From, r.out.To = r.said(e.Period.Start), r.said(e.Period.End)
		}
	}
	if c.Status != "final" && c.Status != "amended" {
		r.missed("Its author has not finished it: its state is %s.", cmp.Or(c.Status, "not said"))
	}
	r.sections(c.Section, 0)
}

type section struct {
	Title       string
	Code        concept
	Text        struct{ Div string }
	Entry       []reference
	EmptyReason *concept
	Section     []section
}

// of are the lists of sections that may say that they are empty, by LOINC.
var sectionList = map[string]string{"11450-4": outside.Problems, "48765-2": outside.Allergies, "10160-0": outside.Medicines, "10183-2": outside.Medicines}

var noneOf = map[string]string{outside.Problems: "No known problems", outside.Allergies: "No known allergies", outside.Medicines: "No medicines"}

func (r *recordReader) sections(all []section, deep int) {
	for _, s := range all {
		title := cmp.Or(strings.TrimSpace(s.Title), s.Code.words())
		at := len(r.out.Sections)
		r.out.Sections = append(r.out.Sections, outside.Narrated{Code: loinc(s.Code), Title: title, HTML: narrated(s.Text.Div)})
		for _, e := range s.Entry {
			if p := r.place(e.Reference); p >= 0 {
				r.ordered = append(r.ordered, struct{ place, section int }{p, at})
			} else {
				r.missed("An entry under “%s” is not in the document.", title)
			}
		}
		if s.EmptyReason != nil {
			list := sectionList[loinc(s.Code)]
			switch code := s.EmptyReason.code(); {
			case code == "nilknown" && list != "":
				r.add(outside.Item{List: list, Title: noneOf[list], None: true, Author: r.out.Author, At: r.out.At})
			default:
				words := map[string]string{"notasked": "not asked", "withheld": "withheld", "unavailable": "not to be had", "notstarted": "not begun", "closed": "closed", "nilknown": "none known"}[code]
				r.missed("“%s” is empty: %s.", title, cmp.Or(words, s.EmptyReason.words(), "no reason is said"))
			}
		}
		if deep < 5 {
			r.sections(s.Section, deep+1)
		}
	}
}

// who is the name of whom a reference means.
func (r *recordReader) who(ref *reference) string {
	if ref == nil {
		return ""
	}
	if p := r.place(ref.Reference); p >= 0 {
		if name := r.nameOf(r.heads[p].raw); name != "" {
			return name
		}
	}
	return strings.TrimSpace(ref.Display)
}

// nameOf is the name of a person or an organization; of a role, whose it is.
func (r *recordReader) nameOf(raw json.RawMessage) string {
	var x struct {
		ResourceType           string
		Name                   json.RawMessage
		Practitioner, Provider *reference
	}
	if json.Unmarshal(raw, &x) != nil {
		return ""
	}
	if x.ResourceType == "PractitionerRole" && x.Practitioner != nil {
		if p := r.place(x.Practitioner.Reference); p >= 0 && r.heads[p].ResourceType == "Practitioner" {
			return r.nameOf(r.heads[p].raw)
		}
		return x.Practitioner.Display
	}
	var organization string
	if json.Unmarshal(x.Name, &organization) == nil {
		return strings.TrimSpace(organization)
	}
	var people []humanName
	if json.Unmarshal(x.Name, &people) != nil || len(people) == 0 {
		return ""
	}
	n := people[0]
	return cmp.Or(strings.TrimSpace(strings.Join(append(append(n.Prefix, n.Given...), n.Family), " ")), n.Text)
}

type humanName struct {
	Use, Family, Text string
	Given, Prefix     []string
}

// identityOf is a Patient as it names itself, with all its given names. A name that is only told as one text is all in Family.
func identityOf(raw json.RawMessage) (id outside.Identity) {
	var p struct {
		Name              []humanName
		BirthDate, Gender string
		Identifier        []identifier
		Telecom           []struct{ System, Value string }
		Address           []struct {
			Line             []string
			City, PostalCode string
		}
	}
	if json.Unmarshal(raw, &p) != nil {
		return id
	}
	for _, n := range p.Name {
		if n.Use == "nickname" || n.Use == "old" || n.Use == "maiden" {
			continue
		}
		if id.Family == "" || n.Use == "official" {
			id.Family, id.Given = cmp.Or(n.Family, n.Text), strings.Join(n.Given, " ")
		}
	}
	if id.BirthDate = fhirMoment(p.BirthDate); id.BirthDate == "" {
		id.BirthSaid = p.BirthDate
	}
	id.Sex = map[string]string{"female": "F", "male": "M", "other": "O"}[p.Gender]
	for _, t := range p.Telecom {
		if t.System == "phone" && id.Phone == "" {
			id.Phone = t.Value
		}
	}
	if len(p.Address) > 0 {
		id.Street, id.City, id.Zip = strings.Join(p.Address[0].Line, " "), p.Address[0].City, p.Address[0].PostalCode
	}
	for _, i := range p.Identifier {
		id.Records = append(id.Records, i.record())
	}
	return id
}

// ours says whether a resource is about the patient of the record.
func (r *recordReader) ours(c common, kind string) bool {
	ref := c.Subject
	if ref == nil {
		ref = c.Patient
	}
	if ref == nil || ref.Reference == "" && ref.Identifier == nil {
		r.missed("An entry (%s) does not say whose it is, and is left out.", kind)
		return false
	}
	if ref.Reference != "" && ref.Reference == r.subject {
		return true
	}
	switch p := r.place(ref.Reference); {
	case p >= 0 && p == r.patient:
		return true
	case p >= 0:
		r.missed("An entry (%s) is about somebody else, and is left out.", kind)
	default:
		r.missed("An entry (%s) names a patient who is not in it, and is left out.", kind)
	}
	return false
}

// add keeps an item; one without an identifier is known by its words.
func (r *recordReader) add(i outside.Item) {
	if i.Title == "" {
		i.Title, i.Doubt = "not named", cmp.Or(i.Doubt, "the record does not say what it is")
	}
	if i.Ref == "" {
		i.Ref = strings.Join([]string{i.List, i.Title, i.Detail, i.Since}, "|")
	}
	if r.seen[i.List+"\n"+i.Ref] {
		i.Ref += fmt.Sprint("#", len(r.out.Items))
	}
	r.seen[i.List+"\n"+i.Ref] = true
	r.out.Items = append(r.out.Items, i)
}

// devices looks for how the devices of the record are used.
func (r *recordReader) devices() {
	r.used = map[int]entry{}
	for _, h := range r.heads {
		var e entry
		if h.ResourceType != "DeviceUseStatement" || json.Unmarshal(h.raw, &e) != nil || e.Status == "entered-in-error" || e.Device == nil {
			continue
		}
		if p := r.place(e.Device.Reference); p >= 0 {
			r.used[p] = e
		}
	}
}

// one reads a resource, once; section is the one it stands in, or -1.
func (r *recordReader) one(at, section int) {
	h := &r.heads[at]
	if h.done || h.raw == nil {
		return
	}
	h.done = true
	read, known := readers[h.ResourceType]
	if !known {
		if !silent[h.ResourceType] {
			r.unread[h.ResourceType]++
		}
		return
	}
	var c entry
	if err := json.Unmarshal(h.raw, &c); err != nil {
		r.missed("A %s in it is not as FHIR R4 has it.", h.ResourceType)
		return
	}
	if c.VerificationStatus.code() == "entered-in-error" || c.Status == "entered-in-error" {
		r.missed("A %s was entered in error there, as it says, and is left out.", h.ResourceType)
		return
	}
	if h.ResourceType != "Binary" && !r.ours(c.common, h.ResourceType) {
		return
	}
	before := len(r.out.Items)
	read(r, c)
	if section >= 0 {
		r.out.Sections[section].Coded += len(r.out.Items) - before
	}
}

// silent are kinds that others refer to, and that say nothing of their own.
var silent = map[string]bool{"Patient": true, "Practitioner": true, "PractitionerRole": true, "Organization": true, "Location": true, "Medication": true, "Provenance": true, "Composition": true,
	"RelatedPerson": true, "Specimen": true, "Group": true}
