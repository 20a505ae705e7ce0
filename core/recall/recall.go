// Package recall writes what reminds somebody by mail of what is due, and says whom nobody writes to, and why: the dead,
// who left, who does not want it, who was written to and has not answered. What is confidential is never named in mail,
// and the mail of the young follows the clinic's rule.
package recall

import (
	"fmt"
	"strings"

	"deftledger/core/chart"
)

// Clinic is the clinic's rule on mail of the young: from one age to below another, in years, what is confidential keeps
// them from being written to at all where nothing else is due, letters go to a parent or guardian, and the portal is not used,
// because a parent may read it. Younger ones are written to through their parents.
type Clinic struct {
	From  int `yaml:"from"`
	Below int `yaml:"below"`
	// Proxy has the mail of a grown person who has named somebody to decide for them, or for whom a court has, go to that person. A power
	// of attorney does not say that the person cannot read their own mail, so it is off unless the clinic says otherwise.
	Proxy  bool   `yaml:"proxy"`
	Source string `yaml:"source"`
}

// Item is something that is due.
type Item struct {
	Title        string
	Leaflet      string
	Confidential bool
}

// Person is whom it is about.
type Person struct {
	chart.Registration
	Written string // since when a reminder by mail waits for an answer; "" for none
}

// House is who writes.
type House struct{ Practice, Telephone string }

// Way is how somebody is written to.
type Way string

// The ways.
const (
	Letter Way = "letter"
	Portal Way = "portal"
	None   Way = "not written to"
)

// Mail is what is written, or why nothing is.
type Mail struct {
	Way   Way
	Why   string   // why nothing is written
	To    []string // lines of the address, the name first
	Text  string
	Named []string // titles that stand in it
	Kept  int      // how many are due and not named, because they are confidential
}

// most is how many things a letter names; more make nobody read it.
const most = 8

// Write writes to somebody on a day (YYYY-MM-DD) of what is due, by the portal where that may be.
func Write(p Person, due []Item, c Clinic, h House, day string) Mail {
	no := func(format string, args ...any) Mail { return Mail{Way: None, Why: fmt.Sprintf(format, args...)} }
	switch {
	case p.Died != "":
		return no("died, %s", chart.SayDay(p.Died))
	case p.Left != "" && p.Left <= day:
		return no("no longer comes here, since %s", chart.SayDay(p.Left))
	case p.NoReminders:
		return no("does not want to be reminded by mail")
	case len(due) == 0:
		return no("nothing is due that needs a visit or a test")
	case p.Written != "":
		return no("was written to on %s, and what came of it is not written down", chart.SayDay(p.Written))
	}
	years, _, known := chart.AgeOn(p.BirthDate, day)
	if !known {
		return no("the birth date is not known, so whose mail it is is not certain")
	}
	m := Mail{Way: Letter}
	var items []Item
	for _, i := range due {
		if i.Confidential {
			m.Kept++
		} else {
			items = append(items, i)
		}
	}
	young := years >= c.From && years < c.Below
	if young && len(items) == 0 {
		return no("what is due is confidential at this age: it is spoken of at a visit")
	}
	to := AddressOf(p.Registration, c, day)
	whom, whose := to.Greeting, to.Whose
	m.To = to.Lines
	if p.Portal && !young {
		m.Way = Portal
	}
	if m.Way == Letter && !to.Complete {
		return no("no address to write to, and no portal: call")
	}
	var b strings.Builder
	b.WriteString(whom + "\n\n")
	switch {
	case len(items) == 0: // only what is not named
		health := "your health"
		if whose != "you" {
			health = "the health of " + whose
		}
		b.WriteString("It is time for a visit to look after " + health + ".")
	case len(items) == 1:
		fmt.Fprintf(&b, "By our records this is due for %s: %s.", whose, items[0].Title)
		if items[0].Leaflet != "" {
			b.WriteString("\n\n" + items[0].Leaflet)
		}
		m.Named = []string{items[0].Title}
	default:
		fmt.Fprintf(&b, "By our records this is due for %s:\n", whose)
		for i, x := range items {
			if i == most {
				b.WriteString("\n- and more, of which we will speak")
				break
			}
			b.WriteString("\n- " + x.Title)
			m.Named = append(m.Named, x.Title)
		}
	}
	call := "Please call us"
	if h.Telephone != "" {
		call += " at " + h.Telephone
	}
	fmt.Fprintf(&b, "\n\n%s to make an appointment. If it was done elsewhere, tell us where and when, and we will write it down. "+
		"If you do not want to be reminded this way, tell us that too.\n\n%s", call, h.Practice)
	m.Text = b.String()
	return m
}

// guardian is who was named as guardian.
// Address is to whom mail about somebody goes.
type Address struct {
	Lines    []string // the name first
	Greeting string
	Whose    string // "you", or who it is about
	Complete bool   // street and city are known
	Young    bool   // of an age at which the clinic's rule keeps mail from parents and patient alike
	Known    bool   // the age is known
}

// AddressOf is to whom mail about a person goes: a child's to the parents or guardian, a grown person's to themself, or to their
// guardian where they have one.
func AddressOf(r chart.Registration, c Clinic, day string) Address {
	years, _, known := chart.AgeOn(r.BirthDate, day)
	name := strings.TrimSpace(r.Given + " " + r.Family + " " + r.Suffix)
	out := Address{Lines: []string{name}, Greeting: "Dear " + name + ",", Whose: "you", Known: known, Young: known && years >= c.From && years < c.Below}
	if g, has := guardian(r); known && years < c.Below || has {
		out.Lines, out.Greeting, out.Whose = []string{"To the parents or guardian of", name}, "To the parents or guardian of "+name+":", name
		if has {
			out.Lines, out.Greeting = []string{g, "for " + name}, "Dear "+g+","
		}
	}
	if d, has := proxy(r); has && c.Proxy && known && years >= c.Below && out.Whose == "you" {
		out.Lines, out.Greeting, out.Whose = []string{d, "for " + name}, "Dear "+d+",", name
	}
	a := r.Address
	out.Lines = append(out.Lines, a.Street, strings.TrimSpace(a.City+", "+strings.TrimSpace(a.State+" "+a.Zip)))
	out.Complete = a.Street != "" && a.City != ""
	return out
}

func proxy(p chart.Registration) (string, bool) {
	for _, c := range p.Contacts {
		if c.Decides && c.Name != "" {
			return c.Name, true
		}
	}
	return "", false
}

func guardian(p chart.Registration) (string, bool) {
	for _, c := range p.Contacts {
		if c.Guardian && c.Name != "" {
			return c.Name, true
		}
	}
	return "", false
}

// NoMore is the wish not to be reminded by mail any more.
const NoMore = "wants no more reminders"

// Outcomes are what may come of a reminder by mail; each closes it.
var Outcomes = []string{"booked", "had it elsewhere", "does not want it", NoMore, "came back undelivered", "dropped"}
