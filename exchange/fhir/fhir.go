// Package fhir reads the FHIR R4 (4.0.1) resources that other parties send us:
// medicines dispensed, a patient's own answers, and measurements of a device.
package fhir

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"deftledger/core/outside"
)

// Limit is the greatest answer that is read, in bytes.
const Limit = 4 << 20

// ErrUnreadable is wrapped by every reason why an answer cannot be read.
var ErrUnreadable = errors.New("the answer cannot be read")

func unreadable(format string, args ...any) error {
	return fmt.Errorf("%w: "+format, append([]any{ErrUnreadable}, args...)...)
}

type coding struct{ System, Code, Display string }

type concept struct {
	Coding []coding
	Text   string
}

func (c concept) words() string {
	if c.Text != "" {
		return strings.TrimSpace(c.Text)
	}
	for _, x := range c.Coding {
		if x.Display != "" {
			return strings.TrimSpace(x.Display)
		}
	}
	return c.code() // better a code than nothing
}

type quantity struct {
	Value      json.Number
	Comparator string // <, <=, >=, >: then Value is a bound
	Unit       string
	System     string
	Code       string
}

type bundle struct {
	ResourceType string
	Link         []struct{ Relation, URL string }
	Entry        []struct {
		FullURL  string
		Resource json.RawMessage
	}
}

// Reply is what is taken from an answer: what can be read, and what was left out and why.
type Reply[T any] struct {
	Taken []T
	Left  []string
}

// left says what was left out.
func (r *Reply[T]) left(format string, args ...any) {
	r.Left = append(r.Left, fmt.Sprintf(format, args...))
}

// resources takes a bundle apart and gives every resource of the type asked for to each,
// with what else is in the bundle. One that is not as FHIR has it is left out, and holds up
// no other. What the other side says of its own answer is left over too.
func resources[T, R any](body []byte, kind string, out *Reply[T], each func(r R, bundled map[string]json.RawMessage)) error {
	var b bundle
	if err := json.Unmarshal(body, &b); err != nil {
		return unreadable("it is no JSON")
	}
	if b.ResourceType == kind {
		b.Entry = append(b.Entry[:0:0], struct {
			FullURL  string
			Resource json.RawMessage
		}{"", body})
	} else if b.ResourceType != "Bundle" {
		return unreadable("a Bundle was expected and %q came", b.ResourceType)
	}
	heads := make([]struct{ ResourceType, ID string }, len(b.Entry))
	bundled := map[string]json.RawMessage{}
	for i, e := range b.Entry {
		_ = json.Unmarshal(e.Resource, &heads[i]) // what is no resource has no kind
		if e.FullURL != "" {
			bundled[e.FullURL] = e.Resource
		}
		if heads[i].ID != "" {
			bundled[heads[i].ResourceType+"/"+heads[i].ID] = e.Resource
		}
	}
	for i, e := range b.Entry {
		if heads[i].ResourceType == "OperationOutcome" {
			if words := Refused(e.Resource); words != "" {
				out.left("the answer may not be whole: %s", words)
			}
			continue
		}
		if heads[i].ResourceType != kind {
			continue
		}
		var r R
		if err := json.Unmarshal(e.Resource, &r); err != nil {
			out.left("a %s in it is not as FHIR R4 has it", kind)
			continue
		}
		each(r, bundled)
	}
	return nil
}

// Dispensed is a medicine that a pharmacy handed out.
type Dispensed struct {
	ID, Medicine, Dose, Day string // Day as precise as given
	Doubt                   string // why it is not certain, "" when it is
	Subject                 outside.Identity
	Named                   bool // the subject can be compared
}

// Dispenses reads a Bundle of MedicationDispense. What was entered in error, or by its status
// not handed out (R4: in preparation, in progress, cancelled, on hold, declined), is left out;
// of what was stopped or has another status nobody can say for certain that it was.
func Dispenses(body []byte) (out Reply[Dispensed], err error) {
	err = resources(body, "MedicationDispense", &out, func(d struct {
		common
		Status                    string
		MedicationCodeableConcept concept
		MedicationReference       *reference
		WhenHandedOver            string
		DosageInstruction         []struct {
			Text, PatientInstruction string
			AdditionalInstruction    []concept
		}
	}, bundled map[string]json.RawMessage) {
		switch d.Status {
		case "entered-in-error", "cancelled", "declined", "preparation", "in-progress", "on-hold":
			return
		}
		x := Dispensed{ID: d.ID, Medicine: d.MedicationCodeableConcept.words(), Day: day(d.WhenHandedOver), Doubt: d.doubt()}
		if raw := d.find(d.MedicationReference, bundled); raw != nil && x.Medicine == "" {
			var m struct{ Code concept }
			if json.Unmarshal(raw, &m) == nil {
				x.Medicine = m.Code.words()
			}
		}
		if x.Medicine == "" && d.MedicationReference != nil {
			x.Medicine = strings.TrimSpace(d.MedicationReference.Display)
		}
		if d.Status != "completed" && x.Doubt == "" {
			x.Doubt = fmt.Sprintf("the pharmacy's status is %q", d.Status)
		}
		var steps []string // every one: a dose that tapers has several
		for _, i := range d.DosageInstruction {
			step := strings.TrimSpace(cmp.Or(i.Text, i.PatientInstruction))
			if step == "" {
				step = "a step that is not in words"
			}
			for _, a := range i.AdditionalInstruction {
				step += ", " + a.words()
			}
			steps = append(steps, step)
		}
		x.Dose = strings.Join(steps, "; then ")
		if x.ID == "" || x.Medicine == "" {
			out.left("a MedicationDispense in it has no id or no medicine")
			return
		}
		x.Subject, x.Named = d.subjectOf(bundled)
		out.Taken = append(out.Taken, x)
	})
	return out, err
}

func day(s string) string {
	if len(s) > 10 {
		return s[:10]
	}
	return s
}

// Answer is one answer of a patient. Link is the question's linkId; Group counts
// the repetitions of the group it stands in.
type Answer struct {
	Link, Group string
	Code, Text  string
	Yes         *bool
	Number      string
	Unit        string
	Date        string
}

// Response is a QuestionnaireResponse.
type Response struct {
	ID, Questionnaire, Authored string
	Amended                     bool   // it is a later version of one that was complete
	Doubt                       string // why it is not certain, "" when it is
	Subject                     outside.Identity
	Named                       bool // the subject can be compared
	Answers                     []Answer
}

type responseItem struct {
	LinkID string
	Item   []responseItem
	Answer []struct {
		ValueBoolean  *bool
		ValueString   string
		ValueInteger  json.Number
		ValueDecimal  json.Number
		ValueDate     string
		ValueCoding   *coding
		ValueQuantity *quantity
		Item          []responseItem
	}
}

// Responses reads a Bundle of QuestionnaireResponse. Only finished answers count:
// one still in progress is left out.
func Responses(body []byte) (out Reply[Response], err error) {
	err = resources(body, "QuestionnaireResponse", &out, func(r struct {
		common
		Questionnaire, Status, Authored string
		Item                            []responseItem
	}, bundled map[string]json.RawMessage) {
		if r.Status != "completed" && r.Status != "amended" {
			return
		}
		if r.ID == "" || r.Questionnaire == "" {
			out.left("a QuestionnaireResponse in it has no id or does not say what was asked")
			return
		}
		x := Response{ID: r.ID, Questionnaire: strings.Split(r.Questionnaire, "|")[0], Authored: r.Authored, Amended: r.Status == "amended", Doubt: r.doubt()}
		x.Subject, x.Named = r.subjectOf(bundled)
		x.collect(r.Item, "")
		out.Taken = append(out.Taken, x)
	})
	return out, err
}

func (r *Response) collect(items []responseItem, group string) {
	count := map[string]int{}
	for _, i := range items {
		inner := group
		if len(i.Item) > 0 {
			count[i.LinkID]++
			inner = strings.TrimPrefix(group+"/"+i.LinkID+strconv.Itoa(count[i.LinkID]), "/")
		}
		for _, a := range i.Answer {
			x := Answer{Link: i.LinkID, Group: group, Yes: a.ValueBoolean, Text: strings.TrimSpace(a.ValueString), Date: a.ValueDate}
			switch {
			case a.ValueInteger != "":
				x.Number = a.ValueInteger.String()
			case a.ValueDecimal != "":
				x.Number = a.ValueDecimal.String()
			case a.ValueCoding != nil:
				x.Code, x.Text = a.ValueCoding.Code, cmp.Or(a.ValueCoding.Display, a.ValueCoding.Code)
			case a.ValueQuantity != nil:
				x.Number, x.Unit = a.ValueQuantity.Comparator+a.ValueQuantity.Value.String(), cmp.Or(a.ValueQuantity.Code, a.ValueQuantity.Unit)
			}
			r.Answers = append(r.Answers, x)
			r.collect(a.Item, group)
		}
		r.collect(i.Item, inner)
	}
}

// Measured is a measurement of a device: LOINC, value as sent, unit in UCUM.
// A blood pressure is one measurement, written "148/86".
type Measured struct {
	LOINC, Value, Unit string
	At                 time.Time
}

type observation struct {
	common
	Status            string
	Code              concept
	EffectiveDateTime string
	ValueQuantity     *quantity
	Component         []struct {
		Code          concept
		ValueQuantity *quantity
	}
}

func loinc(c concept) string {
	for _, x := range c.Coding {
		if strings.TrimSuffix(x.System, "/") == "http://loinc.org" {
			return x.Code
		}
	}
	return ""
}

// Observations reads a Bundle of Observation with vital signs. A measurement without LOINC
// code, value, unit or time with zone is left out, and so is one of which the device says
// less than certain (a comparator, a modifier): half a reading is none.
func Observations(body []byte) (out Reply[Measured], err error) {
	err = resources(body, "Observation", &out, func(o observation, _ map[string]json.RawMessage) {
		if o.Status != "final" && o.Status != "amended" && o.Status != "corrected" {
			return
		}
		at, err := time.Parse(time.RFC3339, o.EffectiveDateTime)
		m := Measured{LOINC: loinc(o.Code), At: at}
		name := cmp.Or(o.Code.words(), "a measurement")
		switch {
		case o.doubt() != "":
			out.left("%s: %s", name, o.doubt())
			return
		case err != nil:
			out.left("%s has no time with a zone", name)
			return
		case m.LOINC == "":
			out.left("%s has no LOINC code", name)
			return
		case m.LOINC == "85354-9":
			var up, down *quantity
			for _, c := range o.Component {
				switch loinc(c.Code) {
				case "8480-6":
					up = c.ValueQuantity
				case "8462-4":
					down = c.ValueQuantity
				}
			}
			if up == nil || down == nil || up.Code != "mm[Hg]" || down.Code != "mm[Hg]" || up.Value == "" || down.Value == "" ||
				up.Comparator+down.Comparator != "" {
				out.left("a blood pressure lacks a certain value in mm[Hg]")
				return
			}
			m.Value, m.Unit = up.Value.String()+"/"+down.Value.String(), "mm[Hg]"
		case o.ValueQuantity == nil || o.ValueQuantity.Value == "" || o.ValueQuantity.Code == "" && o.ValueQuantity.Unit == "":
			out.left("%s lacks its value or its unit", name)
			return
		case o.ValueQuantity.Comparator != "":
			out.left("%s is only known as %s %s", name, o.ValueQuantity.Comparator, o.ValueQuantity.Value)
			return
		default:
			m.Value, m.Unit = o.ValueQuantity.Value.String(), cmp.Or(o.ValueQuantity.Code, o.ValueQuantity.Unit)
		}
		out.Taken = append(out.Taken, m)
	})
	return out, err
}

// Client asks and hands things to other parties. It follows nobody to another place: names
// and birth dates would go along.
var Client = &http.Client{Timeout: 20 * time.Second, CheckRedirect: func(*http.Request, []*http.Request) error {
	return errors.New("it sends us to another place, and we do not follow")
}}

// morePages is how many pages of an answer are read after the first.
const morePages = 20

// Search asks a party for resources, page after page, as one bundle. What is searched for
// travels in the body, not in the address. An answer with more pages than are read, or with
// pages at another place, is no whole answer, and is refused.
func Search(ctx context.Context, base, kind string, query url.Values) ([]byte, error) {
	at := strings.TrimSuffix(base, "/") + "/" + kind + "/_search"
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, at, strings.NewReader(query.Encode()))
	if err != nil {
		return nil, err
	}
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	body, err := ask(req)
	if err != nil {
		return nil, err
	}
	next := nextPage(body)
	if next == "" {
		return body, nil
	}
	whole := struct {
		ResourceType string            `json:"resourceType"`
		Entry        []json.RawMessage `json:"entry"`
	}{ResourceType: "Bundle"}
	size := 0
	for page := 0; ; page++ {
		var b struct{ Entry []json.RawMessage }
		if err := json.Unmarshal(body, &b); err != nil {
			return nil, unreadable("a page of it is no JSON")
		}
		whole.Entry = append(whole.Entry, b.Entry...)
		if size += len(body); size > Limit || page == morePages {
			return nil, unreadable("it has more pages than are read")
		}
		if next = nextPage(body); next == "" {
			return json.Marshal(whole)
		}
		to, err := req.URL.Parse(next)
		if err != nil || to.Scheme != req.URL.Scheme || to.Host != req.URL.Host {
			return nil, unreadable("its next page is at another place")
		}
		more, err := http.NewRequestWithContext(ctx, http.MethodGet, to.String(), nil)
		if err != nil {
			return nil, err
		}
		if body, err = ask(more); err != nil {
			return nil, err
		}
	}
}

// nextPage is the address of the page after this one.
func nextPage(body []byte) string {
	var b bundle
	_ = json.Unmarshal(body, &b) // what is no bundle has no next page, and is refused by who reads it
	for _, l := range b.Link {
		if l.Relation == "next" {
			return l.URL
		}
	}
	return ""
}

func ask(req *http.Request) ([]byte, error) { return askUpTo(req, Limit) }

func askUpTo(req *http.Request, limit int) ([]byte, error) {
	req.Header.Set("Accept", "application/fhir+json")
	res, err := Client.Do(req)
	if err != nil {
		return nil, err
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK {
		return nil, fmt.Errorf("it answered %d", res.StatusCode)
	}
	body, err := io.ReadAll(io.LimitReader(res.Body, int64(limit)+1))
	if err == nil && len(body) > limit {
		err = unreadable("it is larger than %d MB", limit>>20)
	}
	return body, err
}
