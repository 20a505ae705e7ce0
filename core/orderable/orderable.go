// Package orderable knows what is ordered of others besides laboratory tests and medicines:
// imaging, procedures and supplies; what each asks, how the patient prepares, and what in a
// chart speaks for care.
package orderable

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"deftledger/core/chart"
	"deftledger/core/order"
)

// Kind says what is ordered.
type Kind string

// The kinds of order.
const (
	Imaging   Kind = "imaging"
	Procedure Kind = "procedure"
	Supply    Kind = "supply"
	Vaccine   Kind = "vaccine" // given in the house
)

// List is the part of a pad's search that is no laboratory's test list.
const List = "elsewhere"

// Item is one thing that can be ordered.
type Item struct {
	ID        string
	Name      string
	Kind      Kind
	By        string   // what the directory is searched by for somebody who does it
	Also      []string // other names it is found by
	Questions []order.EntryQuestion
	Radiation string // near or far from the womb; "" for none
	Contrast  string // iodine or gadolinium, where it may be given; "" for none
	Magnet    bool
	Prepare   string         // how the patient prepares, in plain words
	Vaccine   *chart.Vaccine // of one that is given in the house
}

// Catalogue is the list of what can be ordered.
type Catalogue struct {
	Items []Item
	byID  map[string]int
}

// Item finds one by its ID.
func (c *Catalogue) Item(id string) (Item, bool) {
	if c == nil {
		return Item{}, false
	}
	i, ok := c.byID[id]
	if !ok {
		return Item{}, false
	}
	return c.Items[i], true
}

// Here says whether it is done in the house, by its own people.
func (x Item) Here() bool { return x.Vaccine != nil }

// vaccineID begins the ID of a vaccine; its CVX code follows.
const vaccineID = "cvx-"

// VaccineID is the ID of a vaccine of the list, by its CVX code.
func VaccineID(cvx string) string { return vaccineID + cvx }

// CVX is the code of the vaccine that an ID names; "" for what is none.
func CVX(id string) string {
	code, ok := strings.CutPrefix(id, vaccineID)
	if !ok {
		return ""
	}
	return code
}

// With is the catalogue with the vaccines of the house.
func (c *Catalogue) With(vaccines []chart.Vaccine) *Catalogue {
	out := &Catalogue{byID: map[string]int{}}
	if c != nil {
		out.Items = slices.Clone(c.Items)
	}
	for _, v := range vaccines {
		x := Item{ID: vaccineID + v.CVX, Name: v.Name, Kind: Vaccine, Questions: []order.EntryQuestion{}, Vaccine: &v}
		for _, w := range append(v.Words(), v.Name, strings.Join(v.Also, " ")) {
			x.Also = append(x.Also, w, w+" vaccine", w+" shot")
		}
		if v.Live {
			x.Questions = append(x.Questions, order.EntryQuestion{Code: pregnant, Words: "Pregnant", Kind: order.AnswerChoice, Choices: []string{"no", "yes", unsaid}})
		}
		out.Items = append(out.Items, x)
	}
	for i, x := range out.Items {
		out.byID[x.ID] = i
	}
	return out
}

// Searched gives the list to the search of the pad, which finds tests and these together.
func (c *Catalogue) Searched() (out order.Laboratory) {
	out.ID = List
	if c == nil {
		return out
	}
	for _, x := range c.Items {
		out.Tests = append(out.Tests, order.Test{Laboratory: List, Code: x.ID, Name: x.Name, Also: x.Also, Needs: []order.Need{}, Price: -1, Analytes: []order.Analyte{}, Questions: x.Questions})
	}
	return out
}

// Source is the list as it is written.
type Source struct {
	Modalities   map[string]Modality            `yaml:"modalities"`
	Questions    map[string]order.EntryQuestion `yaml:"questions"`
	Preparations map[string]string              `yaml:"preparations"`
	Items        []SourceItem                   `yaml:"items"`
}

// Modality is what a kind of picture has of itself, unless an item says otherwise.
type Modality struct {
	By        string   `yaml:"by"`
	Words     []string `yaml:"words"`
	Radiation string   `yaml:"radiation"`
	Contrast  string   `yaml:"contrast"`
	Magnet    bool     `yaml:"magnet"`
}

// SourceItem is an item as it is written. Of are words for what is looked at, which together
// with those of the modality make names; Asks are questions beyond those that follow from the
// rest, by their key.
type SourceItem struct {
	ID        string   `yaml:"id"`
	Name      string   `yaml:"name"`
	Kind      Kind     `yaml:"kind"`
	Modality  string   `yaml:"modality"`
	By        string   `yaml:"by"`
	Of        []string `yaml:"of"`
	Also      []string `yaml:"also"`
	Asks      []string `yaml:"asks"`
	Side      bool     `yaml:"side"`
	Radiation string   `yaml:"radiation"`
	Prepare   string   `yaml:"prepare"`
}

// ErrList is wrapped by every fault of a list.
var ErrList = errors.New("the list of imaging, procedures and supplies is not sound")

// New makes a catalogue of a list, or says what is wrong with it and where.
func New(s Source) (*Catalogue, error) {
	c := &Catalogue{byID: map[string]int{}}
	for _, w := range s.Items {
		x, err := s.item(w)
		if err != nil {
			return nil, fmt.Errorf("%w: %s: %w", ErrList, w.ID, err)
		}
		if _, twice := c.byID[x.ID]; twice || x.ID == "" {
			return nil, fmt.Errorf("%w: %q stands twice, or is empty", ErrList, x.ID)
		}
		c.byID[x.ID] = len(c.Items)
		c.Items = append(c.Items, x)
	}
	return c, nil
}

func (s Source) item(w SourceItem) (x Item, err error) {
	x = Item{ID: w.ID, Name: w.Name, Kind: w.Kind, By: w.By, Radiation: w.Radiation, Also: slices.Clone(w.Also), Questions: []order.EntryQuestion{}}
	if w.Modality != "" {
		m, ok := s.Modalities[w.Modality]
		if !ok {
			return x, fmt.Errorf("there is no modality %q", w.Modality)
		}
		x.Contrast, x.Magnet = m.Contrast, m.Magnet
		if x.By == "" {
			x.By = m.By
		}
		if x.Radiation == "" {
			x.Radiation = m.Radiation
		}
		for _, of := range w.Of {
			for _, word := range m.Words {
				x.Also = append(x.Also, of+" "+word, word+" "+of)
			}
		}
	}
	if x.Kind == "" && (w.Modality != "" || x.Radiation != "") {
		x.Kind = Imaging
	}
	asks := slices.Clone(w.Asks)
	if w.Side {
		asks = append([]string{"side"}, asks...)
	}
	if x.Contrast != "" {
		asks = append(asks, "contrast")
	}
	if x.Magnet {
		asks = append(asks, "implant", "which")
	}
	if x.Radiation == "near" || x.Contrast == "gadolinium" {
		asks = append(asks, pregnant)
	}
	for _, code := range asks {
		q, ok := s.Questions[code]
		if !ok {
			return x, fmt.Errorf("there is no question %q", code)
		}
		q.Code = code
		if q.Choices == nil {
			q.Choices = []string{}
		}
		x.Questions = append(x.Questions, q)
	}
	if w.Prepare != "" {
		if x.Prepare = s.Preparations[w.Prepare]; x.Prepare == "" {
			return x, fmt.Errorf("there is no preparation %q", w.Prepare)
		}
	}
	switch {
	case strings.TrimSpace(x.Name) == "":
		return x, errors.New("it needs a name")
	case !slices.Contains([]Kind{Imaging, Procedure, Supply}, x.Kind):
		return x, fmt.Errorf("the kind %q is none of imaging, procedure, supply", x.Kind)
	case x.By == "":
		return x, errors.New(`it does not say who does it ("by")`)
	case !slices.Contains([]string{"", "near", "far"}, x.Radiation):
		return x, fmt.Errorf("radiation %q is neither near nor far", x.Radiation)
	}
	return x, order.Sound(x.Questions)
}

// wanted is by how many days something is usually wanted: ours, no source states it for all.
var wanted = map[Kind]map[string]int{
	Imaging:   {"routine": 21, "urgent": 3, "stat": 1},
	Procedure: {"routine": 42, "urgent": 10, "stat": 2},
	Supply:    {"routine": 14, "urgent": 3, "stat": 1},
	Vaccine:   {"routine": 1, "urgent": 1, "stat": 1},
}

// Wanted is the day (YYYY-MM-DD) by which the report, or the supply, is wanted where nobody
// says another: from today, or from the day on which it is to be done (on, "" for now).
func (k Kind) Wanted(urgency, today, on string) string {
	from := today
	if on > today {
		from = on
	}
	t, err := time.Parse(time.DateOnly, from)
	if err != nil {
		return ""
	}
	return t.AddDate(0, 0, wanted[k][urgency]).Format(time.DateOnly)
}

// Answers checks the answers of an item on a day (YYYY-MM-DD), as order.Answers does.
func (x Item) Answers(answers []order.EntryAnswer, today string) ([]order.EntryAnswer, error) {
	return order.Answers(order.Test{Name: x.Name, Questions: x.Questions}, answers, today)
}
