package act

import (
	"context"
	"io/fs"
	"time"

	"github.com/google/uuid"

	"deftledger/core/chart"
	"deftledger/core/coding"
	"deftledger/core/coverage"
	"deftledger/core/order"
	"deftledger/core/orderable"
	"deftledger/core/outside"
	"deftledger/core/recall"
	"deftledger/core/result"
	"deftledger/core/safety"
	"deftledger/core/screen"
	"deftledger/exchange/rulefile"
	"deftledger/store"
)

// Config is what an App is made of.
type Config struct {
	Store        *store.Store
	Keys         *Keys
	Laboratories []order.Laboratory // with their test lists; the first is the one usually meant
	LabAddr      string             // host:port of the laboratory's MLLP listener
	Intervals    []order.Interval   // how long results are usually good for
	Medicare     []coverage.Row     // what Original Medicare pays a test for
	Notice       coverage.Notice    // the advance notice, with the day up to which it may be used
	Facility     string             // as we call ourselves in messages
	Practice     string             // as we call ourselves to people
	Telephone    string             // at which others call back; "" for none
	Codes        func() (*coding.Library, *coding.Index, error)
	Formers      func() (*coding.Formers, error) // former codes, which lead to present ones
	Reader       func() (*coding.Reader, error)  // finds the codes that a text supports
	Location     *time.Location
	Clock        func() time.Time
	IdleAfter    time.Duration // the screen locks after this
	FormFiles    fs.FS         // the forms that ship
	Medicines    *safety.Catalogue
	Analytes     *result.Analytes  // biological variation, units and what analytes weigh; nil for nothing known
	Bearing      []result.Bearing  // what of a chart bears on them
	Limits       []result.Limit    // critical limits of the clinic
	Nicknames    outside.Nicknames // short forms of given names; nil for none
	House        House
	Orderables   *orderable.Catalogue // imaging, procedures, supplies; nil for none
	Services     []coding.Service     // what can be charged by anybody; a clinic adds its own list
	Rules        rulefile.Source      // of the reminders, as they ship
	Screens      []screen.Form        // questionnaires with a score
	MailRule     recall.Clinic        // on mail of the young
	Sensitive    outside.Sensitive    // what a patient may wish to hold back
	Elsewhere    Elsewhere
}

// House is what the practice does itself.
type House struct {
	Tests    []result.HouseTest
	Vaccines []chart.Vaccine
}

// Elsewhere is where other parties are reached, as base addresses of their FHIR
// interfaces ("http://127.0.0.1:8423"); empty for a party we have no link to.
type Elsewhere struct {
	Pharmacy, Portal, Device, Fax, Receivers string
	Pager                                    string // base address of the pager; "" for none
	Exchange                                 string // base address of the record exchange
	ExchangeName                             string // as people call it
	Registry                                 string // host:port of the immunization registry (HL7 v2 over MLLP)
}

// Office is the ground that every room of the application stands on: what the practice
// is made of, its sealing key, and who is told of changes.
type Office struct {
	Config
	Hub    *Hub
	Outbox *Outbox
	Tests  *order.Finder // over all test lists, and what else is ordered
	Copy   string        // names this copy of the data in the witness of the trail
	Began  time.Time     // when this program began; what it finds half done was left by one before
	gate   *gate
	looks  *looks
	open   *openCharts
	rules  *rulebook
}

// NewOffice opens an office.
func NewOffice(c Config) *Office {
	if c.Medicines == nil {
		c.Medicines, _ = safety.New(safety.Knowledge{}) // knows no medicine, and says so of each
	}
	c.Orderables = c.Orderables.With(c.House.Vaccines)
	o := &Office{Config: c, Hub: newHub(), Tests: order.NewFinder(c.Laboratories, c.Orderables.Searched()), gate: &gate{tried: map[string]tries{}},
		looks: &looks{at: map[look]time.Time{}}, open: &openCharts{until: map[[2]string]time.Time{}}, rules: &rulebook{}}
	if book, faults := c.Rules.Book(nil); true {
		o.rules.book.Store(book)
		o.rules.faults.Store(&faults)
	}
	if c.Clock != nil {
		o.Began = c.Clock()
	}
	_ = c.Store.Read(context.Background(), func(q *store.Q) (err error) {
		if o.Copy, err = q.Setting(store.CopySetting); err != nil {
			return err
		}
		return o.ReadRules(q)
	})
	o.Outbox = &Outbox{office: o, wake: map[string]chan struct{}{}}
	return o
}

// Laboratory is the laboratory with an ID; "" means the one usually meant. The zero value
// takes and offers nothing.
func (c Config) Laboratory(id string) *order.Laboratory {
	for i := range c.Laboratories {
		if id == "" || c.Laboratories[i].ID == id {
			return &c.Laboratories[i]
		}
	}
	return &order.Laboratory{}
}

// Test is a test by its laboratory and code.
func (c Config) Test(laboratory, code string) (order.Test, bool) {
	return c.Laboratory(laboratory).Test(code)
}

// Today is the practice's calendar day.
func (a *Office) Today() string { return a.Clock().In(a.Location).Format(time.DateOnly) }

// NewID makes an identifier that sorts by time.
func NewID() string { return uuid.Must(uuid.NewV7()).String() }

// Nudge wakes whoever waits on a channel, without waiting itself.
func Nudge(c chan struct{}) {
	select {
	case c <- struct{}{}:
	default:
	}
}
