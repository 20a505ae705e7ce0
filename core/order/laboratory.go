package order

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"deftledger/core/chart"
)

// Laboratory is a laboratory with its test list.
type Laboratory struct {
	ID         string // how we name it: "brinehouse"
	Name       string
	Facility   string // as it calls itself in messages
	CLIA       string // its number in the United States registry of laboratories; "" when not stated
	Phone, Fax string
	Address    string
	Takes      Takes
	Edition    string // of the list
	Source     string
	Sites      []Site
	Containers []Container
	Tests      []Test

	byCode map[string]int
}

// Takes says in what form a laboratory takes orders.
type Takes string

// A laboratory takes HL7 messages, or paper and fax only.
const (
	TakesHL7   Takes = "hl7"
	TakesPaper Takes = "paper"
)

// Site is where a laboratory draws patients.
type Site struct {
	Place   `json:"-"`
	Code    string `json:"code"`
	Name    string `json:"name"`
	Address string `json:"address"`
	Phone   string `json:"phone"`
	Hours   string `json:"hours"`
}

// Container is a tube, cup or bottle. Draw is its place in the order of draw from a vein
// (CLSI GP41), 0 for what is not drawn from one. Yield is how much of the specimen a full
// one gives, in mL; 0 when the list does not say. Shared says whether several tests are
// done from one.
type Container struct {
	Place    `json:"-"`
	Code     string  `json:"code"`
	Name     string  `json:"name"`
	Specimen string  `json:"specimen"`
	Draw     int     `json:"draw"`
	Yield    float64 `json:"yield"`
	Shared   bool    `json:"shared"`
}

// Test is one orderable test of a laboratory's test list.
type Test struct {
	Place      `json:"-"`
	Laboratory string          `json:"laboratory"` // its ID
	Code       string          `json:"code"`       // the laboratory's own code
	Name       string          `json:"name"`       // as the laboratory prints it
	LOINC      string          `json:"loinc"`      // order or panel code; "" where the list gives none
	Specimen   string          `json:"specimen"`   // "serum", "urine"…
	Tube       string          `json:"tube"`
	Also       []string        `json:"also"` // other words it is asked for by, the commonest first
	Needs      []Need          `json:"needs"`
	Handling   string          `json:"handling"`
	Fasting    int             `json:"fasting"`    // hours; 0 when none is needed
	Turnaround int             `json:"turnaround"` // hours from receipt to the final report; 0 when the list does not say
	Reflex     string          `json:"reflex"`     // what the laboratory adds by itself, and when
	Price      int             `json:"price"`      // US cents for who pays by themself; -1 when the list does not say
	Analytes   []Analyte       `json:"analytes"`
	Questions  []EntryQuestion `json:"questions"`
}

// Need is a container that a test needs, with how much of the specimen.
type Need struct {
	Container string  `json:"container"` // its code
	Volume    float64 `json:"volume"`    // mL; 0 when the list does not say
	Minimum   float64 `json:"minimum"`   // mL, for children and difficult veins
	Keep      string  `json:"keep"`      // room, refrigerated, frozen; "" when the list does not say
}

// Analyte is one value a test reports, defined once in a list. Unit is UCUM, "" for
// values in words; Expected is the usual one of those.
type Analyte struct {
	Place    `json:"-"`
	Code     string  `json:"code"`
	Name     string  `json:"name"`
	LOINC    string  `json:"loinc"`
	Unit     string  `json:"unit"`
	Expected string  `json:"expected"`
	Ranges   []Range `json:"ranges"`
}

// Range is a reference range of the laboratory, both ends inclusive; either may be empty.
// It is for a sex (F, M, or "" for any) and ages from From to below Below.
type Range struct {
	Place `json:"-"`
	Sex   string `json:"sex"`
	From  Age    `json:"from"`
	Below Age    `json:"below"`
	Low   string `json:"low"`
	High  string `json:"high"`
}

// Age is an age as a list states it: "28d", "6m", "18y"; "" for none.
type Age string

// on is the day on which somebody born on a day reaches the age.
func (a Age) on(born time.Time) (time.Time, bool) {
	if a == "" {
		return time.Time{}, false
	}
	n, err := strconv.Atoi(string(a[:len(a)-1]))
	if err != nil || n < 0 {
		return time.Time{}, false
	}
	switch a[len(a)-1] {
	case 'd':
		return born.AddDate(0, 0, n), true
	case 'm':
		return born.AddDate(0, n, 0), true
	case 'y':
		return born.AddDate(n, 0, 0), true
	}
	return time.Time{}, false
}

var anyone = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)

// days compares ages: about how many days an age is, and the end when there is none.
func (a Age) days(none int) int {
	at, ok := a.on(anyone)
	if !ok {
		return none
	}
	return int(at.Sub(anyone).Hours() / 24)
}

// Says writes a range as a laboratory prints it; "" when it has none.
func (r Range) Says() string {
	return chart.Span(r.Low, r.High)
}

// RangeFor is the range for somebody of a sex born on a day (YYYY-MM-DD), on a day. It is
// false where the list has none for them: no range is not "in range". Where the sex is not
// F or M, a range for one sex is never taken.
func (a Analyte) RangeFor(sex, birth, day string) (Range, bool) {
	born, err1 := time.Parse(time.DateOnly, birth)
	at, err2 := time.Parse(time.DateOnly, day)
	for _, r := range a.Ranges {
		if r.Sex != "" && r.Sex != sex {
			continue
		}
		if r.From == "" && r.Below == "" {
			return r, true
		}
		if err1 != nil || err2 != nil || at.Before(born) {
			continue
		}
		from, some := r.From.on(born)
		below, end := r.Below.on(born)
		if (!some || !at.Before(from)) && (!end || at.Before(below)) {
			return r, true
		}
	}
	return Range{}, false
}

// Test is a test of the laboratory by its code.
func (l *Laboratory) Test(code string) (Test, bool) {
	if i, ok := l.byCode[code]; ok {
		return l.Tests[i], true
	}
	return Test{}, false
}

// HasSite says whether the laboratory draws patients at a site.
func (l *Laboratory) HasSite(code string) bool {
	return slices.ContainsFunc(l.Sites, func(s Site) bool { return s.Code == code })
}

// Container is a container of the list by its code.
func (l *Laboratory) Container(code string) (Container, bool) {
	i := slices.IndexFunc(l.Containers, func(c Container) bool { return c.Code == code })
	if i < 0 {
		return Container{}, false
	}
	return l.Containers[i], true
}

// Place is where something stands in the files of a list.
type Place struct {
	File string
	Line int    // 0 where lines do not count
	Of   string // what it is of, in a bundle: "ActivityDefinition/a1"
}

// Fault says what is wrong at the place.
func (p Place) Fault(format string, args ...any) error {
	says := fmt.Sprintf(format, args...)
	switch {
	case p.Line > 0:
		return fmt.Errorf("%s:%d: %s", p.File, p.Line, says)
	case p.Of != "":
		return fmt.Errorf("%s: %s: %s", p.File, p.Of, says)
	}
	return fmt.Errorf("%s: %s", p.File, says)
}

// List is a test list as its files say it, names not yet looked up.
type List struct {
	Place
	Laboratory Laboratory // without tests
	Analytes   []Analyte
	Ranges     []ListedRange
	Questions  []EntryQuestion
	Tests      []ListedTest
}

// ListedRange is a range with the code of its analyte.
type ListedRange struct {
	Analyte string
	Range
}

// ListedTest is a test with the codes of its analytes and questions.
type ListedTest struct {
	Test
	Analytes, Questions []string
}

// NewLaboratory puts a list together, or says everything that is wrong with it, each with
// its place. Nothing of a faulty list is used.
func NewLaboratory(l List) (Laboratory, error) {
	var faults []error
	fault := func(p Place, format string, args ...any) { faults = append(faults, p.Fault(format, args...)) }
	out := l.Laboratory
	switch {
	case out.ID == "" || strings.ContainsFunc(out.ID, func(r rune) bool { return (r < 'a' || r > 'z') && (r < '0' || r > '9') && r != '-' }):
		fault(l.Place, "the laboratory needs an id of small letters, digits and hyphens, not %q", out.ID)
	case strings.TrimSpace(out.Name) == "":
		fault(l.Place, "the laboratory has no name")
	case out.Takes != TakesHL7 && out.Takes != TakesPaper:
		fault(l.Place, "the laboratory takes %q; write hl7 or paper", out.Takes)
	}
	l.checkContainers(fault)
	analytes := l.analytes(fault)
	questions := map[string]EntryQuestion{}
	for i, q := range l.Questions {
		if err := q.check(l.Questions[:i]); err != nil {
			fault(q.Place, "%s", err)
		}
		questions[q.Code] = q
	}
	codes := map[string]string{}
	used := map[string]bool{}
	out.byCode = map[string]int{}
	for _, t := range l.Tests {
		if was, twice := codes[strings.ToLower(t.Code)]; twice {
			fault(t.Place, "the code %s stands twice (%s)", t.Code, was)
		}
		codes[strings.ToLower(t.Code)] = t.Code
		test := t.Test
		test.Laboratory, test.Analytes, test.Questions = out.ID, []Analyte{}, []EntryQuestion{}
		l.checkTest(&test, fault)
		for _, code := range t.Analytes {
			a, known := analytes[code]
			if !known {
				fault(t.Place, "%s reports %s, which is no analyte of the list", t.Code, code)
				continue
			}
			used[code] = true
			test.Analytes = append(test.Analytes, a)
		}
		for _, code := range t.Questions {
			q, known := questions[code]
			if !known {
				fault(t.Place, "%s asks %s, which is no question of the list", t.Code, code)
				continue
			}
			if q.When.Question != "" && !slices.Contains(t.Questions, q.When.Question) {
				fault(t.Place, "%s asks %s, which depends on %s, and does not ask that", t.Code, code, q.When.Question)
			}
			test.Questions = append(test.Questions, q)
		}
		if test.Also == nil {
			test.Also = []string{}
		}
		out.byCode[test.Code] = len(out.Tests)
		out.Tests = append(out.Tests, test)
	}
	if len(l.Tests) == 0 {
		fault(Place{File: cmp.Or(strings.Replace(l.File, "laboratory.csv", "tests.csv", 1), "the list")}, "there is no test in the list")
	}
	for _, a := range l.Analytes {
		if !used[a.Code] && len(faults) == 0 {
			fault(a.Place, "no test reports the analyte %s", a.Code)
		}
	}
	if len(faults) > 0 {
		return Laboratory{}, errors.Join(faults...)
	}
	return out, nil
}

type faultFunc = func(p Place, format string, args ...any)

func (l List) checkContainers(fault faultFunc) {
	seen := map[string]bool{}
	for _, c := range l.Laboratory.Containers {
		switch {
		case c.Code == "" || c.Name == "":
			fault(c.Place, "a container needs a code and a name")
		case seen[c.Code]:
			fault(c.Place, "the container %s stands twice", c.Code)
		case c.Draw < 0 || c.Draw > 9:
			fault(c.Place, "the place in the order of draw is 1 to 9, or 0, not %d", c.Draw)
		case c.Yield < 0:
			fault(c.Place, "a container cannot yield %g mL", c.Yield)
		}
		seen[c.Code] = true
	}
}

// analytes puts the analytes together with their ranges.
func (l List) analytes(fault faultFunc) map[string]Analyte {
	out := map[string]Analyte{}
	for _, a := range l.Analytes {
		if _, twice := out[a.Code]; twice {
			fault(a.Place, "the analyte %s is defined twice", a.Code)
		}
		if a.Code == "" || a.Name == "" {
			fault(a.Place, "an analyte needs a code and a name")
		}
		if a.LOINC != "" && !SoundLOINC(a.LOINC) {
			fault(a.Place, "%s is no LOINC code: its check digit is wrong", a.LOINC)
		}
		a.Ranges = []Range{}
		out[a.Code] = a
	}
	for _, r := range l.Ranges {
		a, known := out[r.Analyte]
		if !known {
			fault(r.Place, "there is a range of %s, which is no analyte of the list", r.Analyte)
			continue
		}
		if says := r.check(); says != "" {
			fault(r.Place, "%s", says)
		}
		for _, other := range a.Ranges {
			if (r.Sex == "" || other.Sex == "" || r.Sex == other.Sex) && r.From.days(0) < other.Below.days(1<<30) && other.From.days(0) < r.Below.days(1<<30) {
				fault(r.Place, "two ranges of %s overlap (the other stands in line %d)", r.Analyte, other.Line)
			}
		}
		a.Ranges = append(a.Ranges, r.Range)
		out[r.Analyte] = a
	}
	return out
}

func (r Range) check() string {
	if r.Sex != "" && r.Sex != "F" && r.Sex != "M" {
		return fmt.Sprintf("the sex is F, M or empty, not %q", r.Sex)
	}
	for _, a := range []Age{r.From, r.Below} {
		if _, ok := a.on(anyone); a != "" && !ok {
			return fmt.Sprintf("%q is no age: write 28d, 6m or 18y", a)
		}
	}
	low, err1 := strconv.ParseFloat(r.Low, 64)
	high, err2 := strconv.ParseFloat(r.High, 64)
	switch {
	case r.Low == "" && r.High == "":
		return "the range has neither end"
	case r.Low != "" && err1 != nil || r.High != "" && err2 != nil:
		return fmt.Sprintf("the ends of the range %q are not numbers with a point", r.Says())
	case r.Low != "" && r.High != "" && low > high:
		return fmt.Sprintf("the range begins at %s and ends at %s", r.Low, r.High)
	case r.From != "" && r.Below != "" && r.From.days(0) >= r.Below.days(0):
		return fmt.Sprintf("the range is for ages from %s to below %s", r.From, r.Below)
	}
	return ""
}

func (l List) checkTest(t *Test, fault faultFunc) {
	if t.Code == "" || strings.TrimSpace(t.Name) == "" {
		fault(t.Place, "a test needs a code and a name")
	}
	if strings.ContainsAny(t.Code, "^|~&\\\r\n\t ") {
		fault(t.Place, "the code %q has characters that a message cannot carry in a code", t.Code)
	}
	if t.LOINC != "" && !SoundLOINC(t.LOINC) {
		fault(t.Place, "%s is no LOINC code: its check digit is wrong", t.LOINC)
	}
	for _, n := range t.Needs {
		c, known := l.Laboratory.Container(n.Container)
		switch {
		case !known:
			fault(t.Place, "%s needs the container %s, which is not in the list", t.Code, n.Container)
		case n.Volume < 0 || n.Minimum < 0:
			fault(t.Place, "%s needs %g mL, which is no volume", t.Code, n.Volume)
		case n.Minimum > n.Volume:
			fault(t.Place, "the minimum of %g mL is more than the volume of %g mL", n.Minimum, n.Volume)
		case n.Keep != "" && n.Keep != "room" && n.Keep != "refrigerated" && n.Keep != "frozen":
			fault(t.Place, "it is kept %q; write room, refrigerated or frozen", n.Keep)
		}
		if t.Tube != "" {
			t.Tube += " and "
		}
		t.Tube += c.Name
		if !strings.Contains(t.Specimen, c.Specimen) {
			if t.Specimen != "" {
				t.Specimen += " and "
			}
			t.Specimen += c.Specimen
		}
	}
	if t.Needs == nil {
		t.Needs = []Need{}
	}
	if t.Fasting < 0 || t.Fasting > 72 || t.Turnaround < 0 {
		fault(t.Place, "fasting (%d) and turnaround (%d) are hours", t.Fasting, t.Turnaround)
	}
	if t.Price < -1 {
		fault(t.Place, "the price is %s, which is below nothing", Dollars(t.Price))
	}
}

// SoundLOINC says whether a code has the form and check digit of LOINC (mod 10, LOINC
// Users' Guide, annex "Calculating Mod 10 check digits").
func SoundLOINC(code string) bool {
	body, check, ok := strings.Cut(code, "-")
	if !ok || len(check) != 1 || body == "" || len(body) > 7 {
		return false
	}
	sum := 0
	for i := range len(body) {
		d := int(body[len(body)-1-i] - '0')
		if d < 0 || d > 9 {
			return false
		}
		if i%2 == 0 {
			if d *= 2; d > 9 {
				d -= 9
			}
		}
		sum += d
	}
	return check[0] == byte('0'+(10-sum%10)%10)
}

// Dollars writes US cents: "18.50".
func Dollars(cents int) string {
	sign := ""
	if cents < 0 {
		sign, cents = "-", -cents
	}
	return fmt.Sprintf("%s%d.%02d", sign, cents/100, cents%100)
}
