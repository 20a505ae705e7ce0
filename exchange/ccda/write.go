package ccda

import (
	"encoding/xml"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/google/uuid"

	"deftledger/core/outside"
)

// Custodian is the practice that gives a record out.
type Custodian struct{ Name, Telephone string }

// Write writes a record as a Continuity of Care Document (C-CDA 2.1): coded entries with their narrative, and other sections in words. What
// Read reads of it is the record again.
func Write(r outside.Record, by Custodian) []byte {
	w := writer{root: uuid.NewSHA1(uuid.NameSpaceURL, []byte("https://deftledger.example/practice/"+by.Name)).String()}
	w.header(r, by)
	w.put(`<component><structuredBody>`)
	for _, s := range written {
		w.section(s, r)
	}
	for _, s := range r.Sections {
		if s.Title != "" && s.HTML != "" {
			w.put(`<component><section>`)
			w.put(`<code code="%s" codeSystem="`+outside.LOINC+`"/><title>%s</title><text>%s</text></section></component>`, firstOf(s.Code, "34109-9"), s.Title, plain{paragraphs(s.HTML)})
		}
	}
	w.put(`</structuredBody></component></ClinicalDocument>`)
	return []byte(w.b.String())
}

// written are the sections of a CCD in their order; those that the standard requires are there also when they are empty.
var written = []struct{ list, code, title, template, edition, none string }{
	{outside.Allergies, "48765-2", "Allergies and intolerances", "2.16.840.1.113883.10.20.22.2.6.1", "2015-08-01", "Nobody has asked about allergies."},
	{outside.Medicines, "10160-0", "Medicines", "2.16.840.1.113883.10.20.22.2.1.1", "2014-06-09", "No medicine is on the list."},
	{outside.Problems, "11450-4", "Problems", "2.16.840.1.113883.10.20.22.2.5.1", "2015-08-01", "No problem is on the list."},
	{outside.Procedures, "47519-4", "Procedures", "2.16.840.1.113883.10.20.22.2.7.1", "2014-06-09", ""},
	{outside.Results, "30954-2", "Results", "2.16.840.1.113883.10.20.22.2.3.1", "2015-08-01", "No result is here."},
	{outside.Social, "29762-2", "Social history", "2.16.840.1.113883.10.20.22.2.17", "2015-08-01", "Nothing is recorded."},
	{outside.Vitals, "8716-3", "Vital signs", "2.16.840.1.113883.10.20.22.2.4.1", "2015-08-01", "None is recorded."},
	{outside.Immunizations, "11369-6", "Immunizations", "2.16.840.1.113883.10.20.22.2.2.1", "2015-08-01", ""},
	{outside.Family, "10157-6", "Family history", "2.16.840.1.113883.10.20.22.2.15", "2015-08-01", ""},
	{outside.Devices, "46264-8", "Medical equipment", "2.16.840.1.113883.10.20.22.2.23", "2014-06-09", ""},
	{outside.Encounters, "46240-8", "Visits and stays", "2.16.840.1.113883.10.20.22.2.22.1", "2015-08-01", ""},
}

type writer struct {
	b    strings.Builder
	root string // of identifiers that the practice gives
}

// plain is text that is markup already.
type plain struct{ text string }

// put writes markup, with all that is put into it escaped.
func (w *writer) put(form string, args ...any) {
	for i, a := range args {
		switch x := a.(type) {
		case string:
			args[i] = escaped(x)
		case plain:
			args[i] = x.text
		}
	}
	fmt.Fprintf(&w.b, form+"\n", args...)
}

func escaped(s string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(strings.Map(func(r rune) rune {
		if r < 0x20 && r != '\n' && r != '\t' || r == 0xFFFE || r == 0xFFFF {
			return ' '
		}
		return r
	}, s)))
	return b.String()
}

// paragraphs turns lines into paragraphs of a narrative.
func paragraphs(text string) string {
	var b strings.Builder
	for line := range strings.Lines(text) {
		if line = strings.TrimSpace(line); line != "" {
			b.WriteString("<paragraph>" + escaped(line) + "</paragraph>")
		}
	}
	return b.String()
}

// stampOf writes a moment as HL7 does, as precisely as it is known.
func stampOf(at string) string {
	day, clock, timed := strings.Cut(at, "T")
	day = strings.ReplaceAll(day, "-", "")
	if !timed {
		return day
	}
	zone := ""
	if i := strings.IndexAny(clock, "+-Z"); i >= 0 {
		clock, zone = clock[:i], strings.ReplaceAll(clock[i:], ":", "")
	}
	if zone == "Z" {
		zone = "+0000"
	}
	clock, _, _ = strings.Cut(clock, ".")
	return day + strings.ReplaceAll(clock, ":", "") + zone
}

func (w *writer) time(name, at string) {
	if at == "" {
		w.put(`<` + name + ` nullFlavor="UNK"/>`)
		return
	}
	w.put(`<`+name+` value="%s"/>`, stampOf(at))
}

func (w *writer) header(r outside.Record, by Custodian) {
	p := r.Patient
	w.put(`<?xml version="1.0" encoding="UTF-8"?>`)
	w.put(`<ClinicalDocument xmlns="urn:hl7-org:v3" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance" xmlns:sdtc="urn:hl7-org:sdtc"><realmCode code="US"/><typeId root="2.16.840.1.113883.1.3" extension="POCD_HD000040"/>`)
	w.put(`<templateId root="2.16.840.1.113883.10.20.22.1.1"/><templateId root="2.16.840.1.113883.10.20.22.1.1" extension="2015-08-01"/><templateId root="2.16.840.1.113883.10.20.22.1.2"/><templateId root="2.16.840.1.113883.10.20.22.1.2" extension="2015-08-01"/>`)
	w.put(`<id root="%s" extension="%s"/><code code="34133-9" codeSystem="`+outside.LOINC+`" codeSystemName="LOINC" displayName="Summarization of Episode Note"/><title>%s</title>`, w.root, r.ID, r.Title)
	w.time("effectiveTime", r.At)
	w.put(`<confidentialityCode code="N" codeSystem="2.16.840.1.113883.5.25"/><languageCode code="en-US"/>`)
	w.put(`<recordTarget><patientRole>`)
	for _, n := range p.Records {
		w.put(`<id root="%s" extension="%s"/>`, w.root, n.Number)
	}
	if len(p.Records) == 0 {
		w.put(`<id nullFlavor="UNK"/>`)
	}
	w.put(`<addr nullFlavor="UNK"/>`)
	if p.Phone != "" {
		w.put(`<telecom use="HP" value="tel:%s"/>`, p.Phone)
	} else {
		w.put(`<telecom nullFlavor="UNK"/>`)
	}
	w.put(`<patient><name use="L"><given>%s</given><family>%s</family></name>`, p.Given, p.Family)
	if p.Sex == "F" || p.Sex == "M" {
		w.put(`<administrativeGenderCode code="%s" codeSystem="2.16.840.1.113883.5.1"/>`, p.Sex)
	} else {
		w.put(`<administrativeGenderCode nullFlavor="UNK"/>`)
	}
	w.time("birthTime", p.BirthDate)
	w.put(`<raceCode nullFlavor="UNK"/><ethnicGroupCode nullFlavor="UNK"/></patient></patientRole></recordTarget>`)
	w.put(`<author>`)
	w.time("time", r.At)
	w.put(`<assignedAuthor><id nullFlavor="UNK"/><addr nullFlavor="UNK"/><telecom nullFlavor="UNK"/>`)
	if r.Author != "" {
		w.put(`<assignedPerson><name>%s</name></assignedPerson>`, r.Author)
	} else {
		w.put(`<assignedAuthoringDevice><manufacturerModelName>Deft Ledger</manufacturerModelName><softwareName>Deft Ledger</softwareName></assignedAuthoringDevice>`)
	}
	w.put(`<representedOrganization><name>%s</name></representedOrganization></assignedAuthor></author>`, by.Name)
	w.put(`<custodian><assignedCustodian><representedCustodianOrganization><id root="%s"/><name>%s</name><telecom value="tel:%s"/><addr nullFlavor="UNK"/></representedCustodianOrganization></assignedCustodian></custodian>`, w.root, by.Name, by.Telephone)
	w.put(`<documentationOf><serviceEvent classCode="PCPR"><effectiveTime>`)
	w.time("low", firstOf(r.From, p.BirthDate))
	w.time("high", firstOf(r.To, r.At))
	w.put(`</effectiveTime>`)
	for _, i := range r.Items {
		if i.List == outside.Team {
			w.put(`<performer typeCode="PRF"><functionCode nullFlavor="OTH"><originalText>%s</originalText></functionCode><assignedEntity><id nullFlavor="UNK"/><assignedPerson><name>%s</name></assignedPerson></assignedEntity></performer>`, firstOf(i.Detail, "not said"), i.Title)
		}
	}
	w.put(`</serviceEvent></documentationOf>`)
}

func (w *writer) section(s struct{ list, code, title, template, edition, none string }, r outside.Record) {
	var items []outside.Item
	for _, i := range r.Items {
		if i.List == s.list {
			items = append(items, i)
		}
	}
	if len(items) == 0 && s.none == "" {
		return
	}
	empty := ""
	if len(items) == 0 {
		empty = ` nullFlavor="NI"`
	}
	w.put(`<component><section`+empty+`><templateId root="%s"/><templateId root="%s" extension="%s"/><code code="%s" codeSystem="`+outside.LOINC+`" displayName="%s"/><title>%s</title><text>`, s.template, s.template, s.edition, s.code, s.title, s.title)
	if len(items) == 0 {
		w.put(`<paragraph>%s</paragraph></text></section></component>`, s.none)
		return
	}
	w.put(`<table border="1"><thead><tr><th>What</th><th>Says</th><th>When</th><th>State</th><th>Remark</th></tr></thead><tbody>`)
	for n, i := range items {
		says := i.Detail
		if i.Reason != "" {
			says = strings.TrimPrefix(says+", for "+i.Reason, ", ")
		}
		w.put(`<tr><td ID="%s">%s</td><td>%s</td><td>%s</td><td>%s</td><td>%s</td></tr>`, said1(s.list, n), i.Title, says, i.Span(), firstOf(i.Certainty, i.Status), i.Note)
	}
	w.put(`</tbody></table></text>`)
	for n, i := range items {
		w.put(`<entry typeCode="DRIV">`)
		w.entry(i, said1(s.list, n))
		w.put(`</entry>`)
	}
	w.put(`</section></component>`)
}

func said1(list string, n int) string { return fmt.Sprintf("%s-%d", list, n+1) }

func (w *writer) id(i outside.Item) { w.put(`<id root="%s" extension="%s"/>`, w.root, i.Ref) }

func (w *writer) words(said string) { w.put(`<text><reference value="#%s"/></text>`, said) }

// code writes a coded element: the first code, the others as translations; only words where there is none.
func (w *writer) code(name, kind, title string, codes []outside.Code) {
	if kind != "" {
		kind = ` xsi:type="` + kind + `"`
	}
	if len(codes) == 0 {
		w.put(`<`+name+kind+` nullFlavor="OTH"><originalText>%s</originalText></`+name+`>`, title)
		return
	}
	// ICD-10-CM stands as a translation, because the standard asks for SNOMED CT there.
	if codes[0].System == outside.ICD10 {
		w.put(`<`+name+kind+` nullFlavor="OTH"><originalText>%s</originalText>`, title)
		for _, c := range codes {
			w.put(`<translation code="%s" codeSystem="%s" displayName="%s"/>`, c.Code, c.System, firstOf(c.Title, title))
		}
		w.put(`</` + name + `>`)
		return
	}
	w.put(`<`+name+kind+` code="%s" codeSystem="%s" displayName="%s">`, codes[0].Code, codes[0].System, title)
	for _, c := range codes[1:] {
		w.put(`<translation code="%s" codeSystem="%s" displayName="%s"/>`, c.Code, c.System, c.Title)
	}
	w.put(`</` + name + `>`)
}

// comment writes what is remarked beside an entry, with how sure it is: C-CDA has no code for that.
func (w *writer) comment(i outside.Item) {
	note := i.Note
	if i.Certainty == "likely" || i.Certainty == "doubtful" {
		note = outside.Joined("; ", "How sure: "+i.Certainty, note)
	}
	if note != "" {
		w.put(`<entryRelationship typeCode="SUBJ" inversionInd="true"><act classCode="ACT" moodCode="EVN"><templateId root="`+tComment+`"/><code code="48767-8" codeSystem="`+outside.LOINC+`" displayName="Annotation comment"/><text>%s</text></act></entryRelationship>`, note)
	}
}

// indication writes what something is for.
func (w *writer) indication(i outside.Item) {
	if i.Reason != "" {
		w.put(`<entryRelationship typeCode="RSON"><observation classCode="OBS" moodCode="EVN"><templateId root="`+tIndication+`"/><templateId root="`+tIndication+`" extension="2014-06-09"/><id root="%s" extension="%s"/><code code="404684003" codeSystem="`+outside.SNOMED+`" displayName="Finding"/><statusCode code="completed"/>`, w.root, "reason of "+i.Ref)
		w.code("value", "CD", i.Reason, nil)
		w.put(`</observation></entryRelationship>`)
	}
}

func (w *writer) span(i outside.Item, kind string) {
	w.put(`<effectiveTime` + kind + `>`)
	w.time("low", i.Since)
	if i.Until != "" {
		w.time("high", i.Until)
	}
	w.put(`</effectiveTime>`)
}

var severities = map[string]string{"mild": "255604002", "moderate": "6736007", "severe": "24484000"}

// number is a value that can stand as a quantity.
var number = regexp.MustCompile(`^-?\d+(\.\d+)?$`)
var bounded = regexp.MustCompile(`^([<>])(=?)(-?\d+(?:\.\d+)?)$`)
var between = regexp.MustCompile(`^(-?\d+(?:\.\d+)?)-(-?\d+(?:\.\d+)?)$`)

func (w *writer) entry(i outside.Item, said string) {
	status := map[bool]string{true: "completed", false: "active"}[i.Status == outside.Ended]
	switch i.List {
	case outside.Problems:
		w.put(`<act classCode="ACT" moodCode="EVN"><templateId root="`+tProblemAct+`"/><templateId root="`+tProblemAct+`" extension="2015-08-01"/><id root="%s" extension="%s"/><code code="CONC" codeSystem="2.16.840.1.113883.5.6"/><statusCode code="%s"/>`, w.root, "concern of "+i.Ref, status)
		w.span(i, "")
		w.put(`<entryRelationship typeCode="SUBJ"><observation classCode="OBS" moodCode="EVN"%s><templateId root="`+tProblem+`"/><templateId root="`+tProblem+`" extension="2015-08-01"/>`, plain{negation(i)})
		w.id(i)
		w.put(`<code code="55607006" codeSystem="` + outside.SNOMED + `" displayName="Problem"><translation code="75326-9" codeSystem="` + outside.LOINC + `" displayName="Problem"/></code>`)
		w.words(said)
		w.put(`<statusCode code="completed"/>`)
		w.span(i, "")
		if i.None {
			w.put(`<value xsi:type="CD" code="55607006" codeSystem="` + outside.SNOMED + `" displayName="Problem"/>`)
		} else {
			w.code("value", "CD", i.Title, i.Codes)
		}
		w.comment(i)
		w.put(`</observation></entryRelationship></act>`)
	case outside.Allergies:
		w.put(`<act classCode="ACT" moodCode="EVN"><templateId root="`+tAllergyAct+`"/><templateId root="`+tAllergyAct+`" extension="2015-08-01"/><id root="%s" extension="%s"/><code code="CONC" codeSystem="2.16.840.1.113883.5.6"/><statusCode code="%s"/>`, w.root, "concern of "+i.Ref, status)
		w.span(i, "")
		w.put(`<entryRelationship typeCode="SUBJ"><observation classCode="OBS" moodCode="EVN"%s><templateId root="`+tAllergy+`"/><templateId root="`+tAllergy+`" extension="2014-06-09"/>`, plain{negation(i)})
		w.id(i)
		w.put(`<code code="ASSERTION" codeSystem="2.16.840.1.113883.5.4"/>`)
		w.words(said)
		w.put(`<statusCode code="completed"/>`)
		w.span(i, "")
		kind := "419199007"
		if i.None && strings.Contains(i.Title, "drug") {
			kind = "416098002"
		}
		w.put(`<value xsi:type="CD" code="`+kind+`" codeSystem="`+outside.SNOMED+`" displayName="%s"/>`, map[string]string{"419199007": "Allergy to substance", "416098002": "Allergy to drug"}[kind])
		w.put(`<participant typeCode="CSM"><participantRole classCode="MANU"><playingEntity classCode="MMAT">`)
		if i.None {
			w.put(`<code nullFlavor="NA"/>`)
		} else {
			w.code("code", "", i.Title, i.Codes)
		}
		w.put(`</playingEntity></participantRole></participant>`)
		reaction := strings.TrimSuffix(strings.TrimSuffix(i.Detail, i.Severity), ", ")
		if reaction != "" {
			w.put(`<entryRelationship typeCode="MFST" inversionInd="true"><observation classCode="OBS" moodCode="EVN"><templateId root="` + tReaction + `"/><templateId root="` + tReaction + `" extension="2014-06-09"/>`)
			w.put(`<id root="%s" extension="%s"/><code code="ASSERTION" codeSystem="2.16.840.1.113883.5.4"/><statusCode code="completed"/>`, w.root, "reaction of "+i.Ref)
			w.code("value", "CD", reaction, nil)
			w.put(`</observation></entryRelationship>`)
		}
		if i.Severity != "" {
			w.put(`<entryRelationship typeCode="SUBJ" inversionInd="true"><observation classCode="OBS" moodCode="EVN"><templateId root="` + tSeverity + `"/><templateId root="` + tSeverity + `" extension="2014-06-09"/><code code="SEV" codeSystem="2.16.840.1.113883.5.4"/><statusCode code="completed"/>`)
			var codes []outside.Code
			if c := severities[i.Severity]; c != "" {
				codes = []outside.Code{{Code: c, System: outside.SNOMED}}
			}
			w.code("value", "CD", i.Severity, codes)
			w.put(`</observation></entryRelationship>`)
		}
		w.comment(i)
		w.put(`</observation></entryRelationship></act>`)
	case outside.Medicines:
		w.put(`<substanceAdministration classCode="SBADM" moodCode="INT"%s><templateId root="`+tMedicine+`"/><templateId root="`+tMedicine+`" extension="2014-06-09"/>`, plain{negation(i)})
		w.id(i)
		w.words(said)
		if i.Status == outside.Ended && i.Until == "" {
			status = "aborted"
		}
		w.put(`<statusCode code="%s"/>`, status)
		w.span(i, ` xsi:type="IVL_TS"`)
		w.put(`<consumable><manufacturedProduct classCode="MANU"><templateId root="2.16.840.1.113883.10.20.22.4.23"/><templateId root="2.16.840.1.113883.10.20.22.4.23" extension="2014-06-09"/><manufacturedMaterial>`)
		if i.None {
			w.put(`<code nullFlavor="NA"><originalText>%s</originalText></code>`, i.Title)
		} else {
			w.code("code", "", i.Title, i.Codes)
		}
		w.put(`</manufacturedMaterial></manufacturedProduct></consumable>`)
		w.indication(i)
		w.comment(i)
		if i.Detail != "" {
			w.put(`<entryRelationship typeCode="COMP"><substanceAdministration classCode="SBADM" moodCode="INT"><templateId root="`+tSig+`"/><code code="76662-6" codeSystem="`+outside.LOINC+`" displayName="Instructions Medication"/><text>%s</text><statusCode code="completed"/><consumable><manufacturedProduct><manufacturedLabeledDrug nullFlavor="NA"/></manufacturedProduct></consumable></substanceAdministration></entryRelationship>`, i.Detail)
		}
		w.put(`</substanceAdministration>`)
	case outside.Immunizations:
		w.put(`<substanceAdministration classCode="SBADM" moodCode="EVN" negationInd="%s"><templateId root="`+tVaccine+`"/><templateId root="`+tVaccine+`" extension="2015-08-01"/>`, fmt.Sprint(i.Status == outside.NotGiven))
		w.id(i)
		w.words(said)
		w.put(`<statusCode code="completed"/>`)
		w.time("effectiveTime", i.Since)
		w.put(`<consumable><manufacturedProduct classCode="MANU"><templateId root="2.16.840.1.113883.10.20.22.4.54"/><templateId root="2.16.840.1.113883.10.20.22.4.54" extension="2014-06-09"/><manufacturedMaterial>`)
		w.code("code", "", i.Title, i.Codes)
		if lot, is := strings.CutPrefix(i.Detail, "lot "); is {
			w.put(`<lotNumberText>%s</lotNumberText>`, lot)
		}
		w.put(`</manufacturedMaterial></manufacturedProduct></consumable>`)
		w.comment(i)
		w.put(`</substanceAdministration>`)
	case outside.Results, outside.Vitals:
		organizer, observation, class := tResultOrganizer, "2.16.840.1.113883.10.20.22.4.2", "BATTERY"
		if i.List == outside.Vitals {
			organizer, observation, class = tVitalOrganizer, "2.16.840.1.113883.10.20.22.4.27", "CLUSTER"
		}
		w.put(`<organizer classCode="%s" moodCode="EVN"><templateId root="%s"/><templateId root="%s" extension="2015-08-01"/><id root="%s" extension="%s"/>`, class, organizer, organizer, w.root, "panel of "+i.Ref)
		if i.List == outside.Vitals {
			w.put(`<code code="46680005" codeSystem="` + outside.SNOMED + `" displayName="Vital signs"><translation code="74728-7" codeSystem="` + outside.LOINC + `" displayName="Vital signs"/></code>`)
		} else {
			w.code("code", "", i.Title, i.Codes)
		}
		w.put(`<statusCode code="completed"/>`)
		w.span(i, "")
		if up, down, _ := strings.Cut(i.Value, "/"); i.CodeIn(outside.LOINC) == pressurePanel && pressures.MatchString(i.Value) && i.Unit == "mm[Hg]" {
			for _, x := range [][3]string{{systolic, "Systolic blood pressure", up}, {diastolic, "Diastolic blood pressure", down}} { // as vital signs have them
				part := i
				part.Ref, part.Title, part.Value, part.Range, part.Flag = i.Ref+partOf+x[0], x[1], x[2], "", ""
				part.Codes = []outside.Code{{Code: x[0], System: outside.LOINC, Title: x[1]}}
				w.observed(part, said, observation)
			}
		} else {
			w.observed(i, said, observation)
		}
		w.put(`</organizer>`)
	case outside.Procedures:
		w.put(`<procedure classCode="PROC" moodCode="EVN"%s><templateId root="`+tProcedure+`"/><templateId root="`+tProcedure+`" extension="2014-06-09"/>`, plain{map[bool]string{true: ` negationInd="true"`}[i.Status == outside.NotDone]})
		w.id(i)
		w.code("code", "", i.Title, i.Codes)
		w.words(said)
		w.put(`<statusCode code="completed"/>`)
		w.span(i, "")
		w.comment(i)
		w.put(`</procedure>`)
	case outside.Devices:
		w.put(`<supply classCode="SPLY" moodCode="EVN"><templateId root="` + tSupply + `"/><templateId root="` + tSupply + `" extension="2014-06-09"/>`)
		w.id(i)
		w.words(said)
		w.put(`<statusCode code="completed"/>`)
		w.span(i, ` xsi:type="IVL_TS"`)
		w.put(`<participant typeCode="PRD"><participantRole classCode="MANU"><templateId root="` + tInstance + `"/><id nullFlavor="UNK"/><playingDevice>`)
		w.code("code", "", i.Title, i.Codes)
		if i.Detail != "" {
			w.put(`<manufacturerModelName>%s</manufacturerModelName>`, i.Detail)
		}
		w.put(`</playingDevice><scopingEntity><id nullFlavor="UNK"/></scopingEntity></participantRole></participant>`)
		w.comment(i)
		w.put(`</supply>`)
	case outside.Encounters:
		w.put(`<encounter classCode="ENC" moodCode="EVN"><templateId root="` + tEncounter + `"/><templateId root="` + tEncounter + `" extension="2015-08-01"/>`)
		w.id(i)
		w.put(`<code nullFlavor="OTH"><originalText>%s</originalText>`, i.Title)
		for _, c := range append([]outside.Code{{Code: firstOf(i.Class, "AMB"), System: actCodes}}, i.Codes...) {
			w.put(`<translation code="%s" codeSystem="%s" displayName="%s"/>`, c.Code, c.System, firstOf(c.Title, i.Title))
		}
		w.put(`</code>`)
		w.words(said)
		w.span(i, "")
		switch {
		case i.Detail == "":
		case outside.HistoryList(i) != "": // of a stay it is told where it was
			w.put(`<participant typeCode="LOC"><participantRole classCode="SDLOC"><playingEntity classCode="PLC"><name>%s</name></playingEntity></participantRole></participant>`, i.Detail)
		default:
			w.put(`<performer><assignedEntity><id nullFlavor="UNK"/><assignedPerson><name>%s</name></assignedPerson></assignedEntity></performer>`, i.Detail)
		}
		w.put(`</encounter>`)
	case outside.Social:
		w.put(`<observation classCode="OBS" moodCode="EVN"><templateId root="` + tSocial + `"/><templateId root="` + tSocial + `" extension="2015-08-01"/>`)
		w.id(i)
		w.code("code", "", i.Title, nil)
		w.words(said)
		w.put(`<statusCode code="completed"/>`)
		w.span(i, "")
		w.put(`<value xsi:type="ST">%s</value>`, i.Detail)
		w.comment(i)
		w.put(`</observation>`)
	case outside.Family:
		w.put(`<organizer classCode="CLUSTER" moodCode="EVN"><templateId root="`+tFamily+`"/><templateId root="`+tFamily+`" extension="2015-08-01"/><id root="%s" extension="%s"/><statusCode code="completed"/><subject><relatedSubject classCode="PRS">`, w.root, "relative of "+i.Ref)
		w.put(`<code nullFlavor="OTH" displayName="%s"/></relatedSubject></subject><component><observation classCode="OBS" moodCode="EVN"><templateId root="2.16.840.1.113883.10.20.22.4.46"/><templateId root="2.16.840.1.113883.10.20.22.4.46" extension="2015-08-01"/>`, i.Detail)
		w.id(i)
		w.put(`<code code="64572001" codeSystem="` + outside.SNOMED + `" displayName="Condition"/><statusCode code="completed"/>`)
		w.code("value", "CD", i.Title, i.Codes)
		w.comment(i)
		w.put(`</observation></component></organizer>`)
	}
}

// A blood pressure is one entry of a chart, and two observations of a clinical document.
const (
	pressurePanel = "85354-9"
	systolic      = "8480-6"
	diastolic     = "8462-4"
	partOf        = " part "
)

var pressures = regexp.MustCompile(`^\d+(\.\d+)?/\d+(\.\d+)?$`)

// interpretations are the flags that HL7 has codes for (ObservationInterpretation).
var interpretations = strings.Fields("A AA HH LL H L HU LU N S I R MS VS NS SDD SYN-R SYN-S POS NEG IND DET ND B D U W < > E UNE EXP")

// observed writes a value with its unit, flag and range.
func (w *writer) observed(i outside.Item, said, template string) {
	w.put(`<component><observation classCode="OBS" moodCode="EVN"><templateId root="%s"/><templateId root="%s" extension="2015-08-01"/>`, template, template)
	w.id(i)
	w.code("code", "", i.Title, i.Codes)
	w.words(said)
	w.put(`<statusCode code="completed"/>`)
	w.time("effectiveTime", i.Since)
	switch m := bounded.FindStringSubmatch(i.Value); {
	case number.MatchString(i.Value):
		w.put(`<value xsi:type="PQ" value="%s" unit="%s"/>`, i.Value, firstOf(i.Unit, "1"))
	case m != nil:
		w.put(`<value xsi:type="IVL_PQ"><%s value="%s" unit="%s" inclusive="%s"/></value>`, map[string]string{"<": "high", ">": "low"}[m[1]], m[3], firstOf(i.Unit, "1"), fmt.Sprint(m[2] == "="))
	default:
		w.put(`<value xsi:type="ST">%s</value>`, strings.TrimSpace(i.Value+" "+i.Unit))
	}
	switch {
	case slices.Contains(interpretations, i.Flag):
		w.put(`<interpretationCode code="%s" codeSystem="2.16.840.1.113883.5.83"/>`, i.Flag)
	case i.Flag != "":
		w.put(`<interpretationCode nullFlavor="OTH"><originalText>%s</originalText></interpretationCode>`, i.Flag)
	}
	w.comment(i) // the schema has the range last
	if i.Range != "" {
		if m := between.FindStringSubmatch(i.Range); m != nil {
			w.put(`<referenceRange><observationRange><value xsi:type="IVL_PQ"><low value="%s" unit="%s"/><high value="%s" unit="%s"/></value></observationRange></referenceRange>`, m[1], firstOf(i.Unit, "1"), m[2], firstOf(i.Unit, "1"))
		} else {
			w.put(`<referenceRange><observationRange><text>%s</text></observationRange></referenceRange>`, i.Range)
		}
	}
	w.put(`</observation></component>`)
}

func negation(i outside.Item) string {
	if i.None || i.Status == outside.Denied {
		return ` negationInd="true"`
	}
	return ""
}
