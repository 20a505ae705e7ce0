// Package fhir reads the FHIR R4 (4.0.1) resources that other parties send us:
// medicines dispensed, a patient's own answers, and measurements of a device.
package fhir

import (
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
	return ""
}

type quantity struct {
	Value  json.Number
	Unit   string
	System string
	Code   string
}

type bundle struct {
	ResourceType string
	Entry        []struct{ Resource json.RawMessage }
}

// resources takes a bundle apart; only resources of the type asked for are kept.
func resources[T any](body []byte, kind string) ([]T, error) {
	var b bundle
	if err := json.Unmarshal(body, &b); err != nil {
		return nil, unreadable("it is no JSON")
	}
	if b.ResourceType == kind {
		b.Entry = append(b.Entry[:0:0], struct{ Resource json.RawMessage }{body})
	} else if b.ResourceType != "Bundle" {
		return nil, unreadable("a Bundle was expected and %q came", b.ResourceType)
	}
	var out []T
	for _, e := range b.Entry {
		var head struct{ ResourceType string }
		if err := json.Unmarshal(e.Resource, &head); err != nil || head.ResourceType != kind {
			continue
		}
		var t T
		if err := json.Unmarshal(e.Resource, &t); err != nil {
			return nil, unreadable("a %s in it is not as FHIR R4 has it", kind)
		}
		out = append(out, t)
	}
	return out, nil
}

// Dispensed is a medicine that a pharmacy handed out.
type Dispensed struct {
	ID, Medicine, Dose, Day string // Day as precise as given
}

// Dispenses reads a Bundle of MedicationDispense. What was entered in error or
// never handed out is left out.
func Dispenses(body []byte) ([]Dispensed, error) {
	list, err := resources[struct {
		ID                        string
		Status                    string
		MedicationCodeableConcept concept
		WhenHandedOver            string
		DosageInstruction         []struct{ Text string }
	}](body, "MedicationDispense")
	var out []Dispensed
	for _, d := range list {
		if d.Status == "entered-in-error" || d.Status == "cancelled" || d.Status == "declined" || d.Status == "stopped" {
			continue
		}
		x := Dispensed{ID: d.ID, Medicine: d.MedicationCodeableConcept.words(), Day: day(d.WhenHandedOver)}
		if len(d.DosageInstruction) > 0 {
			x.Dose = strings.TrimSpace(d.DosageInstruction[0].Text)
		}
		if x.ID == "" || x.Medicine == "" {
			return nil, unreadable("a MedicationDispense in it has no id or no medicine")
		}
		out = append(out, x)
	}
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
func Responses(body []byte) ([]Response, error) {
	list, err := resources[struct {
		ID, Questionnaire, Status, Authored string
		Item                                []responseItem
	}](body, "QuestionnaireResponse")
	var out []Response
	for _, r := range list {
		if r.Status != "completed" && r.Status != "amended" {
			continue
		}
		if r.ID == "" || r.Questionnaire == "" {
			return nil, unreadable("a QuestionnaireResponse in it has no id or does not say what was asked")
		}
		x := Response{ID: r.ID, Questionnaire: strings.Split(r.Questionnaire, "|")[0], Authored: r.Authored}
		x.collect(r.Item, "")
		out = append(out, x)
	}
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
				x.Code, x.Text = a.ValueCoding.Code, a.ValueCoding.Display
			case a.ValueQuantity != nil:
				x.Number, x.Unit = a.ValueQuantity.Value.String(), a.ValueQuantity.Code
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
		if x.System == "http://loinc.org" {
			return x.Code
		}
	}
	return ""
}

// Observations reads a Bundle of Observation with vital signs. A measurement
// without LOINC code, value, UCUM unit or time with zone is refused as a whole
// bundle: half a reading is none.
func Observations(body []byte) ([]Measured, error) {
	list, err := resources[observation](body, "Observation")
	if err != nil {
		return nil, err
	}
	var out []Measured
	for _, o := range list {
		if o.Status != "final" && o.Status != "amended" && o.Status != "corrected" {
			continue
		}
		at, err := time.Parse(time.RFC3339, o.EffectiveDateTime)
		if err != nil {
			return nil, unreadable("a measurement in it has no time with a zone")
		}
		m := Measured{LOINC: loinc(o.Code), At: at}
		switch {
		case m.LOINC == "":
			return nil, unreadable("a measurement in it has no LOINC code")
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
			if up == nil || down == nil || up.Code != "mm[Hg]" || down.Code != "mm[Hg]" || up.Value == "" || down.Value == "" {
				return nil, unreadable("a blood pressure in it lacks a value in mm[Hg]")
			}
			m.Value, m.Unit = up.Value.String()+"/"+down.Value.String(), "mm[Hg]"
		case o.ValueQuantity == nil || o.ValueQuantity.Value == "" || o.ValueQuantity.Code == "" && o.ValueQuantity.Unit == "":
			return nil, unreadable("a measurement in it lacks its value or its unit")
		default:
			m.Value, m.Unit = o.ValueQuantity.Value.String(), o.ValueQuantity.Code
			if m.Unit == "" {
				m.Unit = o.ValueQuantity.Unit
			}
		}
		out = append(out, m)
	}
	return out, nil
}

// Search asks a party for resources. What is searched for travels in the body,
// not in the address.
func Search(ctx context.Context, base, kind string, query url.Values) ([]byte, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, strings.TrimSuffix(base, "/")+"/"+kind+"/_search",
		strings.NewReader(query.Encode()))
	if err != nil {
		return nil, err
	}
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	req.Header.Set("Accept", "application/fhir+json")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return nil, err
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK {
		return nil, fmt.Errorf("it answered %d", res.StatusCode)
	}
	body, err := io.ReadAll(io.LimitReader(res.Body, Limit+1))
	if err == nil && len(body) > Limit {
		err = unreadable("it is larger than %d MB", Limit>>20)
	}
	return body, err
}
