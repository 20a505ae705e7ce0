package recall_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"deftledger/core/chart"
	"deftledger/core/recall"
)

var (
	clinic = recall.Clinic{From: 12, Below: 18}
	house  = recall.House{Practice: "Skerrow Island Family Practice", Telephone: "555-0100"}
	colon  = recall.Item{Title: "Colorectal cancer screening", Leaflet: "A test is advised."}
	hiv    = recall.Item{Title: "HIV test, once", Confidential: true}
	tetan  = recall.Item{Title: "Tetanus booster"}
)

const day = "2026-11-27"

func adult() recall.Person {
	return recall.Person{Registration: chart.Registration{Given: "Rosamund", Family: "Achterberg", BirthDate: "1988-01-11",
		Address: chart.Address{Street: "4 Quay Lane", City: "Skerrow", State: "ME", Zip: "04999"}}}
}

// Whom nobody writes to, and how the others are written to.
func TestWhoIsWrittenTo(t *testing.T) {
	for name, x := range map[string]struct {
		change func(*recall.Person)
		due    []recall.Item
		way    recall.Way
		why    string
		has    []string // in address or text
		not    []string // in neither
	}{
		"an adult, by letter":        {nil, []recall.Item{colon, tetan}, recall.Letter, "", []string{"Dear Rosamund Achterberg,", "4 Quay Lane", "Skerrow, ME 04999", "- Colorectal", "- Tetanus", "555-0100"}, nil},
		"one thing, with its leaf":   {nil, []recall.Item{colon}, recall.Letter, "", []string{"this is due for you: Colorectal cancer screening.", "A test is advised."}, nil},
		"by the portal":              {func(p *recall.Person) { p.Portal = true }, []recall.Item{colon}, recall.Portal, "", nil, nil},
		"the dead":                   {func(p *recall.Person) { p.Died = "2026-05" }, []recall.Item{colon}, recall.None, "died", nil, nil},
		"who left":                   {func(p *recall.Person) { p.Left = "2026-01-01" }, []recall.Item{colon}, recall.None, "no longer comes", nil, nil},
		"who leaves next year":       {func(p *recall.Person) { p.Left = "2027-01-01" }, []recall.Item{colon}, recall.Letter, "", nil, nil},
		"who does not want it":       {func(p *recall.Person) { p.NoReminders, p.Portal = true, true }, []recall.Item{colon}, recall.None, "does not want", nil, nil},
		"who has not answered":       {func(p *recall.Person) { p.Written = "2026-10-01" }, []recall.Item{colon}, recall.None, "was written to on 01 Oct 2026", nil, nil},
		"nothing due":                {nil, nil, recall.None, "nothing is due", nil, nil},
		"no address":                 {func(p *recall.Person) { p.Address = chart.Address{} }, []recall.Item{colon}, recall.None, "call", nil, nil},
		"no address, but the portal": {func(p *recall.Person) { p.Address, p.Portal = chart.Address{}, true }, []recall.Item{colon}, recall.Portal, "", nil, nil},
		"birth date not known":       {func(p *recall.Person) { p.BirthDate = "" }, []recall.Item{colon}, recall.None, "birth date is not known", nil, nil},
		"confidential and other":     {nil, []recall.Item{hiv, colon}, recall.Letter, "", []string{"Colorectal"}, []string{"HIV"}},
		"confidential only":          {nil, []recall.Item{hiv}, recall.Letter, "", []string{"a visit to look after your health"}, []string{"HIV"}},
		"12 today, confidential":     {func(p *recall.Person) { p.BirthDate = "2014-11-27" }, []recall.Item{hiv}, recall.None, "confidential at this age", nil, nil},
		"12 today, other, portal": {func(p *recall.Person) { p.BirthDate, p.Portal = "2014-11-27", true }, []recall.Item{hiv, tetan}, recall.Letter, "",
			[]string{"To the parents or guardian of", "this is due for Rosamund Achterberg: Tetanus booster"}, []string{"HIV"}},
		"17 for one more day": {func(p *recall.Person) { p.BirthDate = "2008-11-28" }, []recall.Item{hiv}, recall.None, "confidential at this age", nil, nil},
		"18 today":            {func(p *recall.Person) { p.BirthDate = "2008-11-27" }, []recall.Item{hiv}, recall.Letter, "", []string{"Dear Rosamund"}, []string{"HIV"}},
		"a child, through the portal of its parents": {func(p *recall.Person) { p.BirthDate, p.Portal = "2020-01-01", true }, []recall.Item{tetan}, recall.Portal, "",
			[]string{"To the parents or guardian of Rosamund Achterberg:"}, nil},
		"a guardian who is named": {func(p *recall.Person) {
			p.BirthDate = "2020-01-01"
			p.Contacts = []chart.Contact{{Name: "Ada Achterberg", Relation: "mother", Guardian: true}}
		}, []recall.Item{tetan}, recall.Letter, "", []string{"Dear Ada Achterberg,", "for Rosamund Achterberg"}, nil},
	} {
		t.Run(name, func(t *testing.T) {
			p := adult()
			if x.change != nil {
				x.change(&p)
			}
			m := recall.Write(p, x.due, clinic, house, day)
			require.Equal(t, x.way, m.Way, m.Why)
			require.Contains(t, m.Why, x.why)
			all := strings.Join(m.To, "\n") + "\n" + m.Text
			for _, h := range x.has {
				require.Contains(t, all, h)
			}
			for _, n := range x.not {
				require.NotContains(t, all, n)
			}
			require.Equal(t, m.Way == recall.None, m.Text == "", "a text where somebody is written to, and only there")
		})
	}
}

// Mail of a grown person goes to whoever decides for them only where the clinic says so.
func TestMailToWhoeverDecides(t *testing.T) {
	p := adult()
	p.Contacts = []chart.Contact{{Name: "Ada Achterberg", Relation: "sister", Decides: true}}
	require.Contains(t, recall.Write(p, []recall.Item{colon}, clinic, house, day).Text+strings.Join(recall.Write(p, []recall.Item{colon}, clinic, house, day).To, "\n"), "Dear Rosamund")
	by := clinic
	by.Proxy = true
	m := recall.Write(p, []recall.Item{colon}, by, house, day)
	require.Equal(t, "Ada Achterberg", m.To[0])
	require.Contains(t, m.Text, "Dear Ada Achterberg,")
	require.Contains(t, m.Text, "this is due for Rosamund Achterberg")
	p.BirthDate = "2020-01-01"
	require.NotEqual(t, "Ada Achterberg", recall.Write(p, []recall.Item{colon}, by, house, day).To[0], "a child has parents")
}

// Whatever the chart says: the dead, the departed and who does not want it are never written to, and nothing
// confidential is ever named.
func TestNoMailThatMustNotBe(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := adult()
		p.BirthDate = rapid.SampledFrom([]string{"", "1940", "1988-01-11", "2009-05", "2014-11-27", "2026-11-01", "2027-01-01"}).Draw(t, "born")
		p.Died = rapid.SampledFrom([]string{"", "", "2026", "2027-01-01"}).Draw(t, "died")
		p.Left = rapid.SampledFrom([]string{"", "", "2020-01-01"}).Draw(t, "left")
		p.NoReminders, p.Portal = rapid.Bool().Draw(t, "no"), rapid.Bool().Draw(t, "portal")
		var due []recall.Item
		for range rapid.IntRange(0, 12).Draw(t, "n") {
			due = append(due, rapid.SampledFrom([]recall.Item{colon, hiv, tetan}).Draw(t, "item"))
		}
		m := recall.Write(p, due, clinic, house, day)
		if p.Died != "" || p.Left != "" || p.NoReminders || len(due) == 0 {
			require.Equal(t, recall.None, m.Way)
		}
		require.NotContains(t, m.Text, "HIV")
		if m.Way != recall.None {
			require.NotEmpty(t, m.To[0])
			require.Contains(t, m.Text, "555-0100")
		} else {
			require.NotEmpty(t, m.Why)
		}
	})
}
