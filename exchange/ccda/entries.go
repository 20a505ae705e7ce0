package ccda

import (
	"slices"
	"strings"

	"deftledger/core/chart"
	"deftledger/core/outside"
)

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
	i.Narrative, i.Note = firstOf(i.Narrative, said), outside.Joined("; ", r.comments(concern), i.Note)
	icd(&i)
	i.Since, i.Until = span(o.one("effectiveTime"))
	negated := o.get("negationInd") == "true"
	switch code := o.one("value").get("code"); {
	case slices.Contains(noProblem, code), negated && (slices.Contains(anyKind, code) || code == ""):
		r.add(outside.Item{List: i.List, Ref: i.Ref, Title: "No known problems", None: true, Narrative: i.Narrative, Author: i.Author, At: i.At, Note: i.Note})
		return
	case negated:
		i.Status, i.Doubt = outside.Denied, "the record says that it is not there"
	}
	if i.Doubt == "" {
		i.Status = outside.Active
		concluded := concern.one("statusCode").get("code")
		if concern == nil && r.past {
			concluded = "completed"
		}
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
	i.Note = outside.Joined("; ", r.comments(concern), i.Note)
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
		r.add(outside.Item{List: i.List, Ref: i.Ref, Title: title, None: true, Narrative: i.Narrative, Author: i.Author, At: i.At, Note: i.Note})
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
		i.Status, i.Doubt = outside.Denied, "the record says that it is not there"
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
			if rest := strings.TrimSpace(strings.Replace(after(w, i.Title), i.Note, "", 1)); rest != "" { // a remark is no dose
				parts = []string{rest}
			}
		}
	}
	i.Detail, i.Reason = strings.Join(parts, ", "), r.reasons(x)
	switch status := x.one("statusCode").get("code"); {
	case x.get("negationInd") == "true" && len(i.Codes) == 0 && (material.one("code").get("nullFlavor") == "NA" || i.Title == "" || chart.SaysNone(i.Title)):
		r.add(outside.Item{List: i.List, Ref: i.Ref, Title: firstOf(i.Title, "No medicines"), None: true, Narrative: i.Narrative, Author: i.Author, At: i.At, Note: i.Note})
		return
	case x.get("negationInd") == "true": // of one that is named, that one only
		i.Status, i.Doubt = outside.Denied, "the record says that it is not taken"
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
	first := len(r.out.Items)
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
			i.Value = firstOf(v.lines(), v.get("value"))
		}
		if ref := v.one("reference").get("value"); i.Value == "" && ref != "" {
			i.Value = r.words[strings.TrimPrefix(ref, "#")]
		}
		i.Flag = firstOf(o.one("interpretationCode").get("code"), o.one("interpretationCode", "originalText").says())
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
		i.Detail = outside.Measured(i)
		if s := o.one("statusCode").get("code"); s != "completed" && s != "" {
			i.Doubt = "its state is " + s
		}
		if i.Value == "" {
			i.Doubt = firstOf(i.Doubt, "it has no value")
		}
		r.add(i)
	}
	if list == outside.Vitals {
		r.pressure(first)
	}
}

// pressure makes one entry of a blood pressure of which both parts were measured at one moment, as a chart keeps it; where there are
// several of a moment nobody can say which go together.
func (r *reader) pressure(first int) {
	find := func(code string) (at int, n int) {
		at = -1
		for k := first; k < len(r.out.Items); k++ {
			if i := r.out.Items[k]; i.CodeIn(outside.LOINC) == code && i.Doubt == "" && i.Unit == "mm[Hg]" && number.MatchString(i.Value) {
				at, n = k, n+1
			}
		}
		return at, n
	}
	up, several := find(systolic)
	down, more := find(diastolic)
	if several != 1 || more != 1 || r.out.Items[up].Since != r.out.Items[down].Since {
		return
	}
	i := r.out.Items[up]
	i.Ref, _, _ = strings.Cut(i.Ref, partOf)
	i.Title, i.Codes = "Blood pressure", []outside.Code{{Code: pressurePanel, System: outside.LOINC, Title: "Blood pressure"}}
	i.Value, i.Range, i.Flag = i.Value+"/"+r.out.Items[down].Value, "", ""
	i.Detail = outside.Measured(i)
	r.out.Items[up] = i
	r.out.Items = append(r.out.Items[:down], r.out.Items[down+1:]...)
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

// actCodes are the classes of a visit (HL7 ActCode).
const actCodes = "2.16.840.1.113883.5.4"

func (r *reader) encounter(x *node) {
	i := r.base(x, outside.Encounters)
	i.Title, i.Codes, _ = r.coded(x.one("code"))
	i.Class = outside.Item{Codes: i.Codes}.CodeIn(actCodes)
	if i.Codes = slices.DeleteFunc(i.Codes, func(c outside.Code) bool { return c.System == actCodes }); len(i.Codes) == 0 {
		i.Codes = nil
	}
	i.Since, i.Until = span(x.one("effectiveTime"))
	with := []string{r.reasons(x)}
	for _, p := range x.all("performer", "assignedEntity", "assignedPerson", "name") {
		with = append(with, name(p))
	}
	for _, p := range x.all("participant", "participantRole", "playingEntity", "name") {
		with = append(with, p.says())
	}
	i.Detail = outside.Joined(", ", with...)
	r.add(i)
}

// planned is what somebody there means to do, or wants reached, with their words.
func (r *reader) planned(x *node) {
	i := r.base(x, outside.Plan)
	i.Title, i.Codes, _ = r.coded(x.one("code"))
	if drug := x.one("consumable", "manufacturedProduct", "manufacturedMaterial", "code"); drug != nil {
		i.Title, i.Codes, _ = r.coded(drug)
	}
	said := firstOf(r.words[i.Narrative], x.one("text").says())
	if i.Title == "" {
		i.Title, said = said, ""
	}
	if i.Detail = said; said == i.Title {
		i.Detail = ""
	}
	i.Since, i.Until = span(x.one("effectiveTime"))
	i.Status, i.Doubt = outside.NotCertain, "planned there"
	switch s := x.one("statusCode").get("code"); {
	case x.get("negationInd") == "true":
		i.Status, i.Doubt = outside.Denied, "the record says that it is not to be done"
	case s == "aborted" || s == "cancelled":
		i.Doubt = "its state is " + s
	}
	r.add(i)
}

// treats is one of those who treat the patient there, once.
func (r *reader) treats(p, of *node) {
	who := p.one("assignedEntity")
	i := r.base(of, outside.Team)
	i.Ref, i.Narrative, i.Note = "", "", ""
	if i.Title = firstOf(name(who.one("assignedPerson", "name")), who.one("representedOrganization", "name").says()); i.Title == "" {
		return
	}
	if i.Detail, _, _ = r.coded(p.one("functionCode")); i.Detail == "" {
		i.Detail, _, _ = r.coded(who.one("code"))
	}
	if !slices.ContainsFunc(r.out.Items, func(x outside.Item) bool { return x.List == outside.Team && x.Title == i.Title }) {
		r.add(i)
	}
}

// device is something worn or implanted: what was supplied, or what a procedure put in.
func (r *reader) device(x *node) {
	i := r.base(x, outside.Devices)
	i.Since, i.Until = span(x.one("effectiveTime"))
	for _, p := range x.all("participant", "participantRole") {
		d := p.one("playingDevice")
		if d == nil {
			continue
		}
		i.Title, i.Codes, _ = r.coded(d.one("code"))
		i.Detail = outside.Joined(", ", d.one("manufacturerModelName").says(), identifier(p.one("id")))
	}
	if i.Title == "" {
		i.Title, i.Codes, _ = r.coded(x.one("code"))
	}
	i.Status = outside.Active
	if i.Until != "" {
		i.Status = outside.Ended
	}
	switch s := x.one("statusCode").get("code"); {
	case x.get("negationInd") == "true":
		i.Status, i.Doubt = outside.Denied, "the record says that it is not there"
	case x.get("moodCode") != "EVN" && x.get("moodCode") != "" || s != "completed" && s != "active" && s != "":
		i.Status, i.Doubt = outside.NotCertain, "not done, as it says"
	}
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
			i.Status, i.Doubt = outside.Denied, "the record says that it is not there"
		}
		r.add(i)
	}
}
