// Package ccda reads records that other houses send as Consolidated CDA (HL7 CDA R2, C-CDA 1.1 and 2.1). It reads what is coded, keeps
// what is only told in words as words, and says what it could not read.
package ccda

import (
	"encoding/base64"
	"fmt"
	"regexp"
	"slices"
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
)

// Sections by their LOINC codes whose entries are coded lists; of others the narrative is what there is.
var lists = map[string]string{"11450-4": outside.Problems, "48765-2": outside.Allergies, "10160-0": outside.Medicines, "10183-2": outside.Medicines, "42346-7": outside.Medicines,
	"29549-3": outside.Medicines, "11369-6": outside.Immunizations, "30954-2": outside.Results, "8716-3": outside.Vitals, "47519-4": outside.Procedures,
	"46240-8": outside.Encounters, "29762-2": outside.Social, "10157-6": outside.Family, "11535-2": outside.Problems, "46241-6": outside.Problems}

// Read reads a document. What it says in parts that are not understood is in Missed.
func Read(raw []byte) (out outside.Record, err error) {
	root, err := parse(raw)
	if err != nil {
		return out, err
	}
	if root.name != "ClinicalDocument" {
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
	return i
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

// noProblem are SNOMED codes that say that there is no problem, noAllergy that there is no allergy.
var (
	noProblem = []string{"160245001"}
	noAllergy = []string{"716186003", "409137002", "428607008", "428197003", "429625007"}
	anyKind   = []string{"55607006", "416098002", "419199007", "418038007", "419511003", "420134006", "426232007", "414285001", "416093006", "418471000", "232347008", "235719002", "59037007"}
)

func (r *reader) problem(concern, o *node) {
	i := r.base(o, outside.Problems)
	var said string
	i.Title, i.Codes, said = r.coded(o.one("value"))
	i.Narrative = firstOf(i.Narrative, said)
	icd(&i)
	i.Since, i.Until = span(o.one("effectiveTime"))
	negated := o.get("negationInd") == "true"
	switch code := o.one("value").get("code"); {
	case slices.Contains(noProblem, code), negated && (slices.Contains(anyKind, code) || code == ""):
		r.add(outside.Item{List: i.List, Ref: i.Ref, Title: "No known problems", None: true, Narrative: i.Narrative, Author: i.Author, At: i.At})
		return
	case negated:
		i.Status, i.Doubt = NotPresent, "the record says that it is not there"
	}
	if i.Doubt == "" {
		i.Status = outside.Active
		concluded := concern.one("statusCode").get("code")
		for _, s := range o.all("entryRelationship", "observation") {
			if s.is(tProblemStatus) {
				switch s.one("value").get("code") {
				case "413322009", "73425007", "246455001":
					concluded = "completed"
				case "55561003":
					concluded = "active"
				}
			}
		}
		switch {
		case i.Until != "" || concluded == "completed" || concluded == "aborted":
			i.Status = outside.Ended
		case concluded == "suspended":
			i.Status, i.Doubt = outside.NotCertain, "suspended"
		}
	}
	r.add(i)
}

// NotPresent is what a record denies.
const NotPresent = "denied"

// icd puts the code of ICD-10-CM first, with its title, because that is what our list is written in.
func icd(i *outside.Item) {
	at := slices.IndexFunc(i.Codes, func(c outside.Code) bool { return c.System == outside.ICD10 })
	if at < 0 {
		return
	}
	c := i.Codes[at]
	i.Codes = append([]outside.Code{c}, slices.Delete(i.Codes, at, at+1)...)
	if c.Title != "" {
		i.Title = c.Title
	}
}

func (r *reader) allergy(concern, o *node) {
	i := r.base(o, outside.Allergies)
	value := o.one("value").get("code")
	who := o.one("participant", "participantRole", "playingEntity")
	var said string
	i.Title, i.Codes, said = r.coded(who.one("code"))
	i.Title = firstOf(i.Title, who.one("name").says())
	i.Narrative = firstOf(i.Narrative, said)
	negated := o.get("negationInd") == "true"
	if slices.Contains(noAllergy, value) && !negated || negated && (len(i.Codes) == 0 || slices.Contains(anyKind, value) && i.Title == "") {
		title := "No known allergies"
		if value == "416098002" || value == "409137002" || value == "416093006" {
			title = "No known drug allergies"
		}
		r.add(outside.Item{List: i.List, Ref: i.Ref, Title: title, None: true, Narrative: i.Narrative, Author: i.Author, At: i.At})
		return
	}
	i.Since, i.Until = span(o.one("effectiveTime"))
	i.Status = outside.Active
	if c := concern.one("statusCode").get("code"); c == "completed" || c == "aborted" || i.Until != "" {
		i.Status = outside.Ended
	}
	var reactions []string
	severity := ""
	for _, x := range o.all("entryRelationship", "observation") {
		switch {
		case x.is(tReaction):
			words, _, _ := r.coded(x.one("value"))
			words = firstOf(words, r.words[strings.TrimPrefix(x.one("text", "reference").get("value"), "#")])
			for _, s := range x.all("entryRelationship", "observation") {
				if s.is(tSeverity) {
					if w, _, _ := r.coded(s.one("value")); w != "" {
						severity = firstOf(severity, strings.ToLower(w))
						words = strings.TrimLeft(words+", "+strings.ToLower(w), ", ")
					}
				}
			}
			if words != "" {
				reactions = append(reactions, words)
			}
		case x.is(tSeverity):
			w, _, _ := r.coded(x.one("value"))
			severity = firstOf(strings.ToLower(w), severity)
		}
	}
	i.Detail, i.Severity = strings.Join(reactions, "; "), severity
	if severity != "" && !strings.Contains(i.Detail, severity) {
		i.Detail = strings.TrimLeft(i.Detail+", "+severity, ", ")
	}
	if negated {
		i.Status, i.Doubt = NotPresent, "the record says that it is not there"
	}
	r.add(i)
}

func (r *reader) medicine(x *node) {
	i := r.base(x, outside.Medicines)
	var said string
	material := x.one("consumable", "manufacturedProduct", "manufacturedMaterial")
	i.Title, i.Codes, said = r.coded(material.one("code"))
	i.Title = firstOf(i.Title, material.one("name").says())
	i.Narrative = firstOf(i.Narrative, said)
	var parts []string
	if d := x.one("doseQuantity"); d.get("value") != "" {
		parts = append(parts, strings.TrimSpace(d.get("value")+" "+unit(d.get("unit"))))
	}
	if route := x.one("routeCode").get("displayName"); route != "" {
		parts = append(parts, strings.ToLower(route))
	}
	for _, t := range x.all("effectiveTime") {
		switch {
		case t.one("period") != nil:
			p := t.one("period")
			if v := p.get("value"); v != "" {
				parts = append(parts, "every "+v+" "+p.get("unit"))
			}
		case t.get("value") != "":
			i.Since = moment(t.get("value"))
		default:
			from, to := span(t)
			i.Since, i.Until = firstOf(i.Since, from), firstOf(i.Until, to)
		}
	}
	for _, p := range x.all("precondition", "criterion") {
		if w, _, _ := r.coded(p.one("value")); w != "" {
			parts = append(parts, "as needed for "+w)
		}
	}
	for _, s := range x.all("entryRelationship", "substanceAdministration") {
		if s.is(tSig) {
			text := s.one("text").says()
			if ref := s.one("text", "reference").get("value"); text == "" && ref != "" {
				text = r.words[strings.TrimPrefix(ref, "#")]
			}
			if text != "" {
				parts = []string{text}
			}
		}
	}
	if len(parts) == 0 && i.Narrative != "" { // the words say how, beside the name
		if w := r.words[i.Narrative]; w != "" && w != i.Title {
			if rest := after(w, i.Title); rest != "" {
				parts = []string{rest}
			}
		}
	}
	i.Detail = strings.Join(parts, ", ")
	switch status := x.one("statusCode").get("code"); {
	case x.get("negationInd") == "true":
		r.add(outside.Item{List: i.List, Ref: i.Ref, Title: firstOf(i.Title, "No medicines"), None: len(i.Codes) == 0, Status: NotPresent, Narrative: i.Narrative, Author: i.Author, At: i.At,
			Doubt: "the record says that it is not taken"})
		return
	case status == "aborted" || status == "cancelled" || i.Until != "":
		i.Status = outside.Ended
	case status == "active" || status == "":
		i.Status = outside.Active
	case status == "completed": // of one that is taken, and of one that was: both are met
		i.Status, i.Doubt = outside.NotCertain, "completed, with no end"
	default:
		i.Status, i.Doubt = outside.NotCertain, "its state is "+status
	}
	r.add(i)
}

// after is what words say beyond a name that they begin with, in as many of its first words as agree.
func after(words, name string) string {
	w, n := strings.Fields(words), strings.Fields(name)
	k := 0
	for k < len(w) && k < len(n) && strings.EqualFold(strings.Trim(w[k], ",;:"), strings.Trim(n[k], ",;:")) {
		k++
	}
	if k == 0 {
		return ""
	}
	for k < len(w) && len(w) > k && (strings.EqualFold(w[k], "tablet") || strings.EqualFold(w[k], "capsule") || strings.EqualFold(w[k], "oral")) {
		k++
	}
	return strings.TrimLeft(strings.Join(w[k:], " "), "-–:, ")
}

func (r *reader) vaccine(x *node) {
	i := r.base(x, outside.Immunizations)
	material := x.one("consumable", "manufacturedProduct", "manufacturedMaterial")
	var said string
	i.Title, i.Codes, said = r.coded(material.one("code"))
	i.Narrative = firstOf(i.Narrative, said)
	t := x.one("effectiveTime")
	i.Since = firstOf(moment(t.get("value")), moment(t.one("low").get("value")))
	if lot := material.one("lotNumberText").says(); lot != "" {
		i.Detail = "lot " + lot
	}
	i.Status = outside.Given
	switch status := x.one("statusCode").get("code"); {
	case x.get("negationInd") == "true":
		i.Status = outside.NotGiven
		for _, o := range x.all("entryRelationship", "observation") {
			if o.is(tRefusal) {
				i.Detail, _, _ = r.coded(o.one("code"))
			}
		}
	case x.get("moodCode") == "INT":
		i.Status, i.Doubt = outside.NotCertain, "planned"
	case status != "completed" && status != "":
		i.Status, i.Doubt = outside.NotCertain, "its state is "+status
	}
	r.add(i)
}

func (r *reader) values(org *node, list string) {
	when := firstOf(moment(org.one("effectiveTime").get("value")), moment(org.one("effectiveTime", "low").get("value")))
	for _, o := range org.all("component", "observation") {
		i := r.base(o, list)
		i.Title, i.Codes, _ = r.coded(o.one("code"))
		i.Since = firstOf(moment(o.one("effectiveTime").get("value")), moment(o.one("effectiveTime", "low").get("value")), when)
		v := o.one("value")
		switch v.get("type") {
		case "PQ", "INT", "REAL":
			i.Value, i.Unit = v.get("value"), v.get("unit")
		case "CD", "CE", "CO", "CV":
			i.Value, _, _ = r.coded(v)
		case "IVL_PQ":
			low, high := v.one("low"), v.one("high")
			switch {
			case low.get("value") != "" && high.get("value") != "":
				i.Value, i.Unit = low.get("value")+"-"+high.get("value"), low.get("unit")
			case high.get("value") != "":
				i.Value, i.Unit = "<"+map[string]string{"true": "="}[high.get("inclusive")]+high.get("value"), high.get("unit")
			case low.get("value") != "":
				i.Value, i.Unit = ">"+map[string]string{"true": "="}[low.get("inclusive")]+low.get("value"), low.get("unit")
			}
		default:
			i.Value = firstOf(v.says(), v.get("value"))
		}
		if ref := v.one("reference").get("value"); i.Value == "" && ref != "" {
			i.Value = r.words[strings.TrimPrefix(ref, "#")]
		}
		i.Flag = o.one("interpretationCode").get("code")
		if g := o.one("referenceRange", "observationRange"); g != nil {
			i.Range = g.one("text").says()
			if low, high := g.one("value", "low").get("value"), g.one("value", "high").get("value"); low != "" && high != "" {
				i.Range = low + "-" + high
			} else if i.Range == "" && high != "" {
				i.Range = "<=" + high
			} else if i.Range == "" && low != "" {
				i.Range = ">=" + low
			}
		}
		i.Detail = strings.TrimSpace(i.Value + " " + i.Unit)
		if i.Range != "" {
			i.Detail += ", range " + i.Range
		}
		if i.Flag != "" && i.Flag != "N" {
			i.Detail += ", " + i.Flag
		}
		if s := o.one("statusCode").get("code"); s != "completed" && s != "" {
			i.Doubt = "its state is " + s
		}
		if i.Value == "" {
			i.Doubt = firstOf(i.Doubt, "it has no value")
		}
		r.add(i)
	}
}

func (r *reader) procedure(x *node) {
	i := r.base(x, outside.Procedures)
	var said string
	i.Title, i.Codes, said = r.coded(x.one("code"))
	i.Narrative = firstOf(i.Narrative, said)
	i.Since, i.Until = span(x.one("effectiveTime"))
	i.Status = outside.Done
	switch s := x.one("statusCode").get("code"); {
	case x.get("negationInd") == "true":
		i.Status = outside.NotDone
	case x.get("moodCode") != "EVN" && x.get("moodCode") != "" || s == "active" || s == "new":
		i.Status, i.Doubt = outside.NotCertain, "not done yet, as it says"
	case s == "aborted" || s == "cancelled":
		i.Status = outside.NotDone
	}
	r.add(i)
}

func (r *reader) encounter(x *node) {
	i := r.base(x, outside.Encounters)
	i.Title, i.Codes, _ = r.coded(x.one("code"))
	i.Since, i.Until = span(x.one("effectiveTime"))
	i.Detail = x.one("participant", "participantRole", "playingEntity", "name").says()
	r.add(i)
}

func (r *reader) social(x *node) {
	i := r.base(x, outside.Social)
	words, codes, _ := r.coded(x.one("value"))
	title, _, _ := r.coded(x.one("code"))
	if x.is(tSmoking) || x.is(tTobacco) {
		title = "Smoking"
	}
	if words == "" {
		words = firstOf(x.one("value").says(), strings.TrimSpace(x.one("value").get("value")+" "+x.one("value").get("unit")))
	}
	i.Title, i.Codes, i.Detail = title, codes, words
	i.Since, i.Until = span(x.one("effectiveTime"))
	r.add(i)
}

func (r *reader) family(org *node) {
	who := org.one("subject", "relatedSubject", "code")
	for _, o := range org.all("component", "observation") {
		i := r.base(o, outside.Family)
		i.Title, i.Codes, _ = r.coded(o.one("value"))
		i.Detail = firstOf(who.get("displayName"), who.get("code"))
		if o.get("negationInd") == "true" {
			i.Status, i.Doubt = NotPresent, "the record says that it is not there"
		}
		r.add(i)
	}
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
