package act

import (
	"errors"
	"strings"

	"deftledger/core/coding"
)

// CheckCode says whether a code may be used on a date of service.
func (a *Office) CheckCode(code, date string) (coding.Entry, string, string, error) {
	lib, _, err := a.Codes()
	if err != nil {
		return coding.Entry{}, "", "", err
	}
	e, edition, warning, err := lib.Check(code, date)
	if errors.Is(err, coding.ErrNoSuchCode) || errors.Is(err, coding.ErrNotBillable) {
		near := ""
		if codes := a.Nearest(code, date); len(codes) > 0 {
			near = " Valid codes near it: " + strings.Join(codes, ", ") + "."
		}
		err = Refuse(Invalid, "%s.%s", strings.ToUpper(err.Error()[:1])+err.Error()[1:], near)
	}
	return e, edition, warning, err
}

// Nearest lists, for a code that cannot be used, up to five that can: those under a
// heading, those a former code leads to, else those that begin like it.
func (a *Office) Nearest(code, date string) []string {
	lib, _, err := a.Codes()
	if err != nil {
		return nil
	}
	c, _ := lib.On(date)
	var near []coding.Entry
	if _, ok := c.Lookup(code); ok {
		near = c.BillableUnder(code)
	} else if former, ok := a.former(code, c); ok {
		for _, e := range former.Now {
			near = append(near, c.BillableUnder(e.Code)...)
		}
	} else {
		bare := strings.ReplaceAll(strings.TrimSpace(code), ".", "")
		for l := min(len(bare)-1, 7); l >= 3 && len(near) == 0; l-- {
			near = c.BillableUnder(bare[:l])
		}
	}
	var out []string
	for _, e := range near[:min(5, len(near))] {
		out = append(out, e.Code)
	}
	return out
}

func (a *Office) former(code string, c *coding.Catalogue) (coding.Former, bool) {
	if a.Formers == nil {
		return coding.Former{}, false
	}
	f, err := a.Formers()
	if err != nil {
		return coding.Former{}, false
	}
	return f.Find(code, c)
}
