// Package ccda reads records that other houses send as Consolidated CDA (HL7 CDA R2, C-CDA 1.1 and 2.1). It reads what is coded, keeps
// what is only told in words as words, and says what it could not read.
package ccda

import (
	"encoding/base64"
	"fmt"
	"regexp"
	"strings"

	"deftledger/core/outside"
)

// Templates of C-CDA by their identifiers, which hold in 1.1 and 2.1.
const (
	tProblemAct      = "2.16.840.1.113883.10.20.22.4.3"
	tProblem         = "2.16.840.1.113883.10.20.22.4.4"
	tProblemStatus   = "2.16.840.1.113883.10.20.22.4.6"
	tAllergyAct      = "2.16.840.1.113883.10.20.22.4.30"
	tAllergy         = "2.16.840.1.113883.10.20.22.4.7"
	tSeverity        = "2.16.840.1.113883.10.20.22.4.8"
	tReaction        = "2.16.840.1.113883.10.20.22.4.9"
	tMedicine        = "2.16.840.1.113883.10.20.22.4.16"
	tSig             = "2.16.840.1.113883.10.20.22.4.147"
	tVaccine         = "2.16.840.1.113883.10.20.22.4.52"
	tRefusal         = "2.16.840.1.113883.10.20.22.4.53"
	tResultOrganizer = "2.16.840.1.113883.10.20.22.4.1"
	tVitalOrganizer  = "2.16.840.1.113883.10.20.22.4.26"
	tProcedure       = "2.16.840.1.113883.10.20.22.4.14"
	tEncounter       = "2.16.840.1.113883.10.20.22.4.49"
	tFamily          = "2.16.840.1.113883.10.20.22.4.45"
	tSmoking         = "2.16.840.1.113883.10.20.22.4.78"
	tTobacco         = "2.16.840.1.113883.10.20.22.4.85"
	tSocial          = "2.16.840.1.113883.10.20.22.4.38"
	tComment         = "2.16.840.1.113883.10.20.22.4.64"
	tIndication      = "2.16.840.1.113883.10.20.22.4.19"
	tSupply          = "2.16.840.1.113883.10.20.22.4.50"
	tInstance        = "2.16.840.1.113883.10.20.22.4.37"
)

// Sections by their LOINC codes whose entries are coded lists; of others the narrative is what there is.
var lists = map[string]string{"11450-4": outside.Problems, "48765-2": outside.Allergies, "10160-0": outside.Medicines, "10183-2": outside.Medicines, "42346-7": outside.Medicines,
	"29549-3": outside.Medicines, "11369-6": outside.Immunizations, "30954-2": outside.Results, "8716-3": outside.Vitals, "47519-4": outside.Procedures,
	"46240-8": outside.Encounters, "29762-2": outside.Social, "10157-6": outside.Family, "11535-2": outside.Problems, "46241-6": outside.Problems, pastSection: outside.Problems, "46264-8": outside.Devices,
	"18776-5": outside.Plan, "61146-7": outside.Plan, "85847-2": outside.Team}

// pastSection is the section of what somebody had, whose entries do not say that it has ended.
const pastSection = "11348-0"

// Read reads a document. What it says in parts that are not understood is in Missed.
func Read(raw []byte) (out outside.Record, err error) {
	root, err := parse(raw)
	if err != nil {
		return out, err
	}
	switch root.name {
	case "ClinicalDocument":
	case "Bundle":
		return out, fmt.Errorf("%w: it is FHIR written as XML, which is not read here; ask for it as JSON", ErrUnreadable)
	default:
		return out, fmt.Errorf("%w: it is no clinical document, but begins with %q", ErrUnreadable, root.name)
	}
	r := reader{words: map[string]string{}, seen: map[string]bool{}}
	r.out = outside.Record{ID: identifier(root.one("id")), Set: identifier(root.one("setId")), Version: root.one("versionNumber").get("value"),
		Kind: root.one("code").get("code"), Title: root.one("title").says(), At: moment(root.one("effectiveTime").get("value")), Patient: identity(root)}
	if r.out.Title == "" {
		r.out.Title = root.one("code").get("displayName")
	}
	r.out.Author, r.out.House = author(root.one("author"))
	if r.out.House == "" {
		r.out.House = root.one("custodian", "assignedCustodian", "representedCustodianOrganization", "name").says()
	}
	if v := root.one("componentOf", "encompassingEncounter", "effectiveTime"); v != nil {
		r.out.From, r.out.To = span(v)
	}
	for _, p := range root.all("documentationOf", "serviceEvent", "performer") {
		r.treats(p, root)
	}
	for _, s := range root.all("component", "structuredBody", "component", "section") {
		r.section(s, 0)
	}
	if body := root.one("component", "nonXMLBody", "text"); body != nil {
		r.file(body)
	}
	if len(r.out.Sections)+len(r.out.Files) == 0 {
		r.out.Missed = append(r.out.Missed, "It has no section and no file.")
	}
	return r.out, nil
}

type reader struct {
	out   outside.Record
	words map[string]string // of the narrative, by their identifiers
	seen  map[string]bool   // lists with identifiers that are there
	past  bool              // what is read now stands in a section of what was
}

func (r *reader) missed(format string, args ...any) {
	if len(r.out.Missed) < 100 {
		r.out.Missed = append(r.out.Missed, fmt.Sprintf(format, args...))
	}
}

func (r *reader) file(body *node) {
	if body.get("representation") != "B64" {
		if t := body.says(); t != "" {
			r.out.Sections = append(r.out.Sections, outside.Narrated{Title: r.out.Title, HTML: narrative(&node{nodes: []*node{{name: "paragraph", nodes: []*node{{text: t}}}}}, r.words)})
			return
		}
		r.missed("Its body is not in it, but elsewhere (%s).", body.one("reference").get("value"))
		return
	}
	raw, err := base64.StdEncoding.DecodeString(strings.Join(strings.Fields(body.says()), ""))
	if err != nil {
		r.missed("Its file cannot be read: %s.", err)
		return
	}
	r.out.Files = append(r.out.Files, outside.RecordFile{Type: body.get("mediaType"), Body: raw})
}

func (r *reader) section(s *node, deep int) {
	code, title := s.one("code").get("code"), s.one("title").says()
	if title == "" {
		title = s.one("code").get("displayName")
	}
	at := len(r.out.Sections)
	r.out.Sections = append(r.out.Sections, outside.Narrated{Code: code, Title: title, HTML: narrative(s.one("text"), r.words)})
	before := len(r.out.Items)
	r.past = code == pastSection
	for _, e := range s.all("entry") {
		r.entry(e, lists[code], title)
	}
	r.out.Sections[at].Coded = len(r.out.Items) - before
	if deep < 5 {
		for _, sub := range s.all("component", "section") {
			r.section(sub, deep+1)
		}
	}
}

// entry reads an entry by its template, wherever it stands; an act that only holds others is read through.
func (r *reader) entry(e *node, list, section string) {
	known := false
	for _, x := range e.nodes {
		switch {
		case list == outside.Plan && (x.name == "observation" || x.name == "act" || x.name == "procedure" || x.name == "encounter" || x.name == "substanceAdministration" || x.name == "supply"):
			r.planned(x) // whatever it is: it has not been done
			known = true
		case list == outside.Team && x.name == "organizer":
			for _, p := range x.all("component", "act", "performer") {
				r.treats(p, x)
			}
			known = true
		case x.name == "act" && (x.is(tProblemAct) || x.is(tAllergyAct)):
			for _, o := range x.all("entryRelationship", "observation") {
				switch {
				case o.is(tAllergy) || x.is(tAllergyAct):
					r.allergy(x, o)
					known = true
				case o.is(tProblem) || x.is(tProblemAct):
					r.problem(x, o)
					known = true
				}
			}
		case x.name == "observation" && x.is(tProblem):
			r.problem(nil, x)
			known = true
		case x.name == "observation" && x.is(tAllergy):
			r.allergy(nil, x)
			known = true
		case x.name == "substanceAdministration" && (x.is(tVaccine) || list == outside.Immunizations):
			r.vaccine(x)
			known = true
		case x.name == "substanceAdministration" && (x.is(tMedicine) || list == outside.Medicines):
			r.medicine(x)
			known = true
		case x.name == "organizer" && (x.is(tVitalOrganizer) || list == outside.Vitals):
			r.values(x, outside.Vitals)
			known = true
		case x.name == "organizer" && (x.is(tResultOrganizer) || list == outside.Results):
			r.values(x, outside.Results)
			known = true
		case x.name == "organizer" && (x.is(tFamily) || list == outside.Family):
			r.family(x)
			known = true
		case list == outside.Devices && (x.name == "procedure" || x.name == "supply"):
			r.device(x)
			known = true
		case (x.name == "procedure" || x.name == "observation" || x.name == "act") && (x.is(tProcedure) || list == outside.Procedures):
			r.procedure(x)
			known = true
		case x.name == "encounter" && (x.is(tEncounter) || list == outside.Encounters):
			r.encounter(x)
			known = true
		case x.name == "observation" && (x.is(tSmoking) || x.is(tTobacco) || x.is(tSocial) || list == outside.Social):
			r.social(x)
			known = true
		case x.name == "act":
			for _, inner := range x.all("entryRelationship") {
				r.entry(inner, list, section)
			}
			known = true
		}
	}
	if !known && list != "" {
		r.missed("An entry under %q is of a kind that is not read; its words are in the narrative.", section)
	}
}

// coded reads a coded element: its codes with translations, and what it is called, by the sender's words before those of a code system.
func (r *reader) coded(n *node) (title string, codes []outside.Code, said string) {
	if n == nil {
		return "", nil, ""
	}
	add := func(c *node) {
		if code, system := c.get("code"), c.get("codeSystem"); code != "" {
			codes = append(codes, outside.Code{Code: code, System: system, Title: c.get("displayName")})
		}
	}
	add(n)
	for _, t := range n.all("translation") {
		add(t)
	}
	said = n.one("originalText", "reference").get("value")
	if o := n.one("originalText"); said == "" && o != nil {
		title = o.says()
	}
	words := r.words[strings.TrimPrefix(said, "#")]
	for _, c := range codes {
		if title == "" {
			title = c.Title
		}
	}
	if len(codes) == 0 || n.get("nullFlavor") != "" {
		if words != "" {
			title = words
		}
	}
	return firstOf(title, n.get("displayName"), words), codes, strings.TrimPrefix(said, "#")
}

func firstOf(all ...string) string {
	for _, s := range all {
		if s = strings.TrimSpace(s); s != "" {
			return s
		}
	}
	return ""
}

// base begins an item with what all kinds say in the same way.
func (r *reader) base(n *node, list string) outside.Item {
	i := outside.Item{List: list, Ref: identifier(n.one("id")), Narrative: strings.TrimPrefix(firstOf(n.one("text", "reference").get("value"), n.one("text").get("value")), "#")}
	i.Author, _ = author(n.one("author"))
	if i.Author == "" {
		i.Author = r.out.Author
	}
	i.At = moment(n.one("author", "time").get("value"))
	if i.At == "" {
		i.At = r.out.At
	}
	i.Note = r.comments(n)
	return i
}

// comments are remarks in free words that belong to an entry.
func (r *reader) comments(n *node) string {
	if n == nil {
		return ""
	}
	var out []string
	for _, c := range n.all("entryRelationship", "act") {
		if c.is(tComment) {
			if words := firstOf(r.words[strings.TrimPrefix(c.one("text", "reference").get("value"), "#")], c.one("text").says()); words != "" {
				out = append(out, words)
			}
		}
	}
	return strings.Join(out, "; ")
}

// reasons say in words what something is for.
func (r *reader) reasons(n *node) string {
	var out []string
	for _, o := range n.all("entryRelationship", "observation") {
		if o.is(tIndication) {
			if words, _, _ := r.coded(o.one("value")); words != "" {
				out = append(out, words)
			}
		}
	}
	return strings.Join(out, ", ")
}

// add keeps an item; one without an identifier of its own is known by its words.
func (r *reader) add(i outside.Item) {
	if i.Title == "" {
		i.Title = r.words[i.Narrative]
	}
	if i.Title == "" && !i.None {
		i.Title, i.Doubt = "not named", firstOf(i.Doubt, "the record does not say what it is")
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

// identifier is an identifier as we keep it: the extension, and the root where there is none.
func identifier(n *node) string {
	if n == nil || n.get("nullFlavor") != "" {
		return ""
	}
	return firstOf(n.get("extension"), n.get("root"))
}

func author(n *node) (person, house string) {
	if n == nil {
		return "", ""
	}
	a := n.one("assignedAuthor")
	person = name(a.one("assignedPerson", "name"))
	return person, a.one("representedOrganization", "name").says()
}

// name is a person's name in the order in which it is said.
func name(n *node) string {
	if n == nil {
		return ""
	}
	var out []string
	for _, part := range []string{"prefix", "given", "family", "suffix"} {
		for _, x := range n.all(part) {
			out = append(out, x.says())
		}
	}
	if len(out) == 0 {
		return n.says()
	}
	return strings.Join(strings.Fields(strings.Join(out, " ")), " ")
}

func identity(root *node) outside.Identity {
	role := root.one("recordTarget", "patientRole")
	p := role.one("patient")
	n := p.one("name")
	for _, x := range p.all("name") {
		if x.get("use") == "L" {
			n = x
		}
	}
	var given []string
	for _, g := range n.all("given") {
		given = append(given, g.says())
	}
	born := moment(p.one("birthTime").get("value"))
	if len(born) > 10 {
		born = born[:10]
	}
	id := outside.Identity{Family: n.one("family").says(), Given: strings.Join(given, " "), BirthDate: born, Sex: p.one("administrativeGenderCode").get("code"),
		Phone: strings.TrimPrefix(role.one("telecom").get("value"), "tel:")}
	if id.Sex != "F" && id.Sex != "M" {
		id.Sex = ""
	}
	if said := p.one("birthTime").get("value"); born == "" && said != "" {
		id.BirthSaid = said
	}
	for _, x := range role.all("id") {
		if e := x.get("extension"); e != "" {
			id.Records = append(id.Records, outside.RecordNumber{Number: e, Assigner: firstOf(x.get("assigningAuthorityName"), x.get("root"))})
		}
	}
	return id
}

// span reads an interval, or a single time.
func span(n *node) (from, to string) {
	if n == nil {
		return "", ""
	}
	if v := n.get("value"); v != "" {
		return moment(v), ""
	}
	return moment(n.one("low").get("value")), moment(n.one("high").get("value"))
}

var stamp = regexp.MustCompile(`^(\d{4})(?:(\d{2})(?:(\d{2})(?:(\d{2})(?:(\d{2})(?:(\d{2})(?:\.\d+)?)?)?)?)?)?([+-]\d{4}|Z)?$`)

// moment writes a time stamp of HL7 as precisely as it came: a year, a month, a day, or a time with its zone. A time without a zone is
// of nobody knows where, and only its day is kept; midnight without a zone is a day.
func moment(v string) string {
	m := stamp.FindStringSubmatch(strings.TrimSpace(v))
	if m == nil {
		return ""
	}
	switch {
	case m[2] == "":
		return m[1]
	case m[2] < "01" || m[2] > "12":
		return ""
	case m[3] == "":
		return m[1] + "-" + m[2]
	case m[3] < "01" || m[3] > "31":
		return ""
	}
	day := m[1] + "-" + m[2] + "-" + m[3]
	if m[4] == "" || m[7] == "" || m[4] > "23" || m[5] > "59" || m[6] > "59" {
		return day
	}
	zone := m[7]
	if zone == "Z" {
		zone = "+0000"
	}
	at := day + "T" + m[4]
	for _, finer := range []string{m[5], m[6]} {
		if finer != "" {
			at += ":" + finer
		}
	}
	return at + zone[:3] + ":" + zone[3:]
}

// unit leaves out what only means "so many".
func unit(u string) string {
	if u == "1" || strings.HasPrefix(u, "{") {
		return strings.Trim(u, "{}1")
	}
	return u
}
