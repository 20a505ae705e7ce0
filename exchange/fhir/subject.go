package fhir

import (
	"cmp"
	"encoding/json"
	"strings"

	"deftledger/core/outside"
)

// reference points to another resource: one contained in this, one of the same bundle, or
// one that is only known by an identifier or by name.
type reference struct {
	Reference  string
	Display    string
	Identifier *identifier
}

type identifier struct {
	System, Value string
	Type          concept
	Assigner      struct{ Display string }
}

// common is what every resource may carry that changes what it says, or says whose it is.
type common struct {
	ID                string
	Subject, Patient  *reference
	Contained         []json.RawMessage
	ModifierExtension []json.RawMessage
}

// doubt is why what a resource says is not certain, "" when nothing speaks against it.
func (c common) doubt() string {
	if len(c.ModifierExtension) > 0 {
		return "it carries something that may change its meaning and that we do not read"
	}
	return ""
}

// find follows a reference to a resource contained in another, or in the same bundle; nil
// where it leads out of both.
func (c common) find(r *reference, bundled map[string]json.RawMessage) json.RawMessage {
	if r == nil || r.Reference == "" {
		return nil
	}
	if id, inside := strings.CutPrefix(r.Reference, "#"); inside {
		for _, raw := range c.Contained {
			var head struct{ ID string }
			if json.Unmarshal(raw, &head) == nil && head.ID == id {
				return raw
			}
		}
		return nil
	}
	without, _, _ := strings.Cut(r.Reference, "/_history/")
	if raw := bundled[without]; raw != nil {
		return raw
	}
	if parts := strings.Split(without, "/"); len(parts) > 2 { // an absolute one, of something bundled by its kind and identifier
		return bundled[strings.Join(parts[len(parts)-2:], "/")]
	}
	return nil
}

// Subject is of whom a resource says that it speaks: named is false where nothing came that
// could be compared with a patient.
func (c common) subjectOf(bundled map[string]json.RawMessage) (id outside.Identity, named bool) {
	r := c.Subject
	if r == nil {
		r = c.Patient
	}
	if raw := c.find(r, bundled); raw != nil {
		var p struct {
			Name []struct {
				Use, Family, Text string
				Given             []string
			}
			BirthDate, Gender string
			Identifier        []identifier
		}
		if json.Unmarshal(raw, &p) != nil {
			return id, false
		}
		for _, n := range p.Name {
			if id.Family == "" || n.Use == "official" {
				id.Family = n.Family
				if len(n.Given) > 0 {
					id.Given = n.Given[0]
				}
			}
		}
		id.BirthDate, id.Sex = p.BirthDate, map[string]string{"female": "F", "male": "M", "other": "O", "unknown": "U"}[p.Gender]
		for _, i := range p.Identifier {
			id.Records = append(id.Records, i.record())
		}
		return id, id.Family != "" || len(id.Records) > 0
	}
	if r != nil && r.Identifier != nil && r.Identifier.Value != "" {
		id.Records = []outside.RecordNumber{r.Identifier.record()}
		return id, true
	}
	return id, false
}

func (i identifier) record() outside.RecordNumber {
	return outside.RecordNumber{Number: i.Value, Assigner: i.Assigner.Display, Kind: i.Type.code()}
}

// code is the first code of a concept.
func (c concept) code() string {
	for _, x := range c.Coding {
		if x.Code != "" {
			return x.Code
		}
	}
	return ""
}

// Gender writes a sex of ours (F, M, O; else unknown) as FHIR has it.
func Gender(sex string) string {
	return cmp.Or(map[string]string{"F": "female", "M": "male", "O": "other"}[sex], "unknown")
}
